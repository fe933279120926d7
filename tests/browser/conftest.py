"""One real server, one headless Chromium, one page for the session; page errors fail the test that
met them.
"""

from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

from tests.live_server import LiveServer
from yellowfen.web.hints import dismiss_all
from yellowfen.workflows import demo
from yellowfen.workflows.opening import open_database

AT_MOST_MS = 180_000
expect.set_options(timeout=AT_MOST_MS)  # no test is timed: other work may hold the machine

# Debian's Chromium, without its windows where that is installed: it needs half the time.
SHELL = "/usr/bin/chromium-headless-shell"
CHROMIUM = SHELL if Path(SHELL).exists() else "/usr/bin/chromium"
ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--process-per-site",
]

# Most tests set something: for them the settings stand open, as for a user who left them so.
FOLDS_OPEN = (
    "localStorage.getItem('yellowfen-folds') ?? localStorage.setItem('yellowfen-folds',"
    ' \'{"heat-settings": true, "heat-cautions": true}\')'
)


@pytest.fixture(scope="session")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[LiveServer]:
    folder: Path = tmp_path_factory.mktemp("data")
    connection = open_database(folder)
    demo.fill(connection)
    dismiss_all(connection)
    connection.close()
    live = LiveServer(folder)
    live.start()
    yield live
    live.stop()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        yield chromium
        chromium.close()


@pytest.fixture(scope="session")
def context(browser: Browser, server: LiveServer) -> Iterator[BrowserContext]:
    """One for all tests, which keeps its cache: what a page stores is cleared before each."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=server.url)
    context.set_default_timeout(AT_MOST_MS)
    yield context
    context.close()


@pytest.fixture
def page(context: BrowserContext, server: LiveServer) -> Iterator[Page]:
    page = context.new_page()
    stored = {"origin": server.url, "storageTypes": "cookies,local_storage,indexeddb"}
    context.new_cdp_session(page).send("Storage.clearDataForOrigin", stored)
    page.add_init_script(FOLDS_OPEN)
    problems: list[str] = []
    page.on("pageerror", lambda error: problems.append(f"page error: {error}"))
    page.on(
        "console",
        lambda message: (
            problems.append(message.text) if "Content Security Policy" in message.text else None
        ),
    )
    page.on(
        "request",
        lambda request: (
            problems.append(request.url)
            if not request.url.startswith((server.url, "data:"))
            else None
        ),
    )
    yield page
    page.close()
    assert problems == []
