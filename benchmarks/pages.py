"""The server's start, how long the demo's pages take, the first page's weight, and how soon an edit
in the Heat stage shows, in headless Chromium.
"""

import re
import tempfile
import time
import urllib.request
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright
from tests.browser.conftest import ARGUMENTS, CHROMIUM
from tests.live_server import LiveServer

from yellowfen.cli import main
from yellowfen.workflows import demo
from yellowfen.workflows.opening import open_database

GOAL_FIRST_ANSWER_MS = 120
GOAL_FULL_ANSWER_MS = 450
GOAL_START_S = 1.0
GOAL_PAGE_MS = 60
AGAIN = 5  # each page of the demo, after it was asked for once
BEGINNINGS = (
    "/",
    "/boards",
    "/bench",
    "/logbook",
    "/reference",
    *(f"/jobs/{n}" for n in (1, 2, 3)),
)

EDIT = """(celsius) => new Promise((done) => {
  const field = document.querySelector('input[x-number="air.outlet_c"]');
  const before = Number(document.body.dataset.turn ?? 0);
  const began = performance.now();
  const moments = {};
  const watch = new MutationObserver(() => {
    if (Number(document.body.dataset.turn) <= before) return;
    const kind = document.body.dataset.rehearsed;
    moments[kind] ??= performance.now() - began;
    if (kind === 'fine') { watch.disconnect(); done(moments); }
  });
  watch.observe(document.body, { attributes: true });
  field.value = String(celsius);
  field.dispatchEvent(new Event('input', { bubbles: true }));
})"""


def pages() -> None:
    with tempfile.TemporaryDirectory() as folder:
        connection = open_database(Path(folder))
        demo.fill(connection)
        connection.close()
        server = LiveServer(Path(folder))
        server.start()
        server.stop()
        server = LiveServer(Path(folder))
        print(
            f"server start to first page, second run: {server.start():.2f} s (goal {GOAL_START_S})"
        )
        try:
            _edits(server.url)
        finally:
            server.stop()
    with tempfile.TemporaryDirectory() as folder:
        main(["demo", "--data", folder])
        server = LiveServer(Path(folder))
        server.start()
        try:
            _demo_pages(server.url)
        finally:
            server.stop()


def _demo_pages(url: str) -> None:
    """Every page of the demo that a link leads to, asked for once, then again and again."""
    slowest: dict[str, float] = {}
    first, again, waiting = [], [], list(BEGINNINGS)
    while waiting:
        path = waiting.pop(0)
        if path in slowest:
            continue
        took, links = _asked(url, path)
        if links is None:
            continue
        first.append(took)
        several = [_asked(url, path)[0] for _ in range(AGAIN)]
        slowest[path] = max(several)
        again += several
        waiting += links
    worst = sorted(slowest, key=lambda path: -slowest[path])[:3]
    print(
        f"{len(slowest)} pages of the demo, asked for again: median {np.median(again):.0f} ms, 95th percentile {np.percentile(again, 95):.0f} ms"
        f" (goal {GOAL_PAGE_MS}), slowest {', '.join(f'{path} {slowest[path]:.0f}' for path in worst)} ms;"
        f" for the first time: median {np.median(first):.0f} ms, 95th percentile {np.percentile(first, 95):.0f} ms"
    )


def _asked(url: str, path: str) -> tuple[float, list[str] | None]:
    """How long a page took, ms, and the paths it links to; None for what is no page."""
    began = time.perf_counter()
    with urllib.request.urlopen(url + path, timeout=60) as reply:
        body, kind = reply.read(), reply.headers["content-type"]
    took = 1000.0 * (time.perf_counter() - began)
    if not kind.startswith("text/html"):
        return took, None
    return took, [
        one.replace("&amp;", "&") for one in re.findall(r'<a [^>]*href="(/[^"#]*)', body.decode())
    ]


def _edits(url: str) -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        loaded: list[int] = []
        foreign: list[str] = []
        page.on(
            "requestfinished",
            lambda request: loaded.append(
                sum(request.sizes()[k] for k in ("responseBodySize", "responseHeadersSize"))
            ),
        )
        page.on(
            "request",
            lambda request: (
                foreign.append(request.url) if not request.url.startswith((url, "data:")) else None
            ),
        )
        page.goto(url + "/", wait_until="networkidle")
        print(
            f"first page, uncached: {sum(loaded) / 1000:.0f} kB in {len(loaded)} requests (goal 400), outside loopback: {len(foreign)}"
        )
        page.goto(url + "/jobs/1/heat")
        page.wait_for_selector("body[data-rehearsed=fine]", timeout=30_000)
        first, fine = [], []
        for celsius in range(330, 370, 2):
            moments = page.evaluate(EDIT, celsius)
            first.append(min(moments.values()))
            fine.append(moments["fine"])
            page.wait_for_timeout(2500)  # the bands are computed meanwhile; a person looks
        for name, values, goal in (
            ("first answer", first, GOAL_FIRST_ANSWER_MS),
            ("full answer", fine, GOAL_FULL_ANSWER_MS),
        ):
            print(
                f"edit to {name} on screen, demo board, sample recipe: median {np.median(values):.0f} ms, 95th percentile {np.percentile(values, 95):.0f} ms (goal {goal})"
            )
        browser.close()
