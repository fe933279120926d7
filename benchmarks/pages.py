"""The server's start, the first page's weight, and how soon an edit in the Heat stage shows, in
headless Chromium.
"""

import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright
from tests.browser.conftest import ARGUMENTS, CHROMIUM
from tests.live_server import LiveServer

from yellowfen.workflows import demo
from yellowfen.workflows.opening import open_database

EDIT = """(celsius) => new Promise((done) => {
  const field = document.querySelector('.settings input[max="600"]');
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
        print(f"server start to first page, second run: {server.start():.2f} s (goal 2)")
        try:
            _edits(server.url)
        finally:
            server.stop()


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
        for name, values in (("first answer", first), ("full answer", fine)):
            print(
                f"edit to {name} on screen, demo board, sample recipe: median {np.median(values):.0f} ms, 95th percentile {np.percentile(values, 95):.0f} ms (goal 300 for the first)"
            )
        browser.close()
