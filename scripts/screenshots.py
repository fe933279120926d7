"""Take the pictures of the main views from fresh demo data: `.venv/bin/python
scripts/screenshots.py [FOLDER] [NAME ...]`.
"""

import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

sys.path.insert(0, str(Path(__file__).parent.parent))
from tests.browser.conftest import ARGUMENTS, CHROMIUM
from tests.live_server import LiveServer

from yellowfen.core.board.sketch import Plane, Sketch, SketchedPart
from yellowfen.web.hints import dismiss_all
from yellowfen.workflows import demo, sketching
from yellowfen.workflows.opening import open_database

PATCH = (
    SketchedPart(ref="U1", package="QFN-32_5x5", x_mm=23, y_mm=16),
    SketchedPart(ref="C1", package="0402", x_mm=23, y_mm=20.4),
    SketchedPart(ref="C2", package="0402", x_mm=27.6, y_mm=18, rotation_deg=90),
    SketchedPart(ref="C3", package="0603", x_mm=18, y_mm=13, rotation_deg=90),
    SketchedPart(ref="Y1", package="XTAL-3.2x2.5", x_mm=29, y_mm=12.5),
    SketchedPart(ref="D1", package="LED_0805", x_mm=14, y_mm=22),
    SketchedPart(ref="C4", package="CAN-6.3", x_mm=36, y_mm=22),
    SketchedPart(ref="U2", package="SOT-223", x_mm=10, y_mm=11),
)


def prepare(folder: Path) -> None:
    """Demo data with its past, and a sketched patch."""
    connection = open_database(folder)
    demo.fill(connection)
    demo.furnish(connection)
    dismiss_all(connection)
    patch = sketching.begin(connection, "Water gauge, its radio")
    sketching.keep(
        connection,
        patch,
        Sketch(
            name="Water gauge, its radio",
            width_mm=46,
            height_mm=32,
            thickness_mm=1.6,
            plane=Plane.YES,
            parts=PATCH,
        ),
    )
    connection.close()


def rehearsed(page: Page) -> None:
    page.wait_for_selector("body[data-rehearsed=fine]", timeout=20_000)
    page.wait_for_timeout(5500)


def touring(page: Page) -> None:
    """The whole side's tour, planned and taken."""
    rehearsed(page)
    page.get_by_role("tab", name="Tour").click()
    page.get_by_role("button", name="Whole side").click()
    page.wait_for_timeout(1500)
    page.get_by_role("button", name="Plan a tour").click()
    page.get_by_role("button", name="Use this tour").click(timeout=120_000)
    page.wait_for_timeout(1500)
    rehearsed(page)
    page.wait_for_timeout(9000)
    page.get_by_role("tab", name="Tour").click()
    page.wait_for_timeout(500)


def running(page: Page) -> None:
    rehearsed(page)
    page.get_by_role("button", name="Run it at the bench").click()
    page.wait_for_selector("[data-go]")
    page.keyboard.press("Space")
    page.wait_for_timeout(3600)


def looking(page: Page) -> None:
    """The first joints of the side that was run: two of them bad."""
    page.get_by_role("button", name="one key").click()
    page.wait_for_selector("[data-go]")
    for key in (" ", "2", " ", "4", " "):
        page.keyboard.press(key)
        page.wait_for_timeout(400)


def reckoned(page: Page) -> None:
    if "to mend" not in page.content():
        mend = page.url
        page.goto(mend.replace("/mend", "/look"))
        looking(page)
        page.goto(mend)
    page.wait_for_timeout(6000)


def laid(page: Page) -> None:
    page.wait_for_selector(".laid-body")
    page.wait_for_timeout(400)


def weighed(page: Page) -> None:
    page.wait_for_selector("body[data-weighed=done]", timeout=60_000)


def answered(page: Page) -> None:
    page.wait_for_selector("[data-working]", state="detached", timeout=60_000)


def lifting(page: Page) -> None:
    page.wait_for_selector("body[data-rehearsed=fine]", timeout=30_000)
    page.wait_for_timeout(9000)


def take(target: Path, url: str, only: list[str]) -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        views = (
            ("jobs", "/", None),
            ("board", "/boards/1?part=U2", None),
            ("ways", "/jobs/2/ready?part=U1", None),
            ("when", "/jobs/2/ready/when", None),
            ("paste", "/jobs/2/paste?foil=0.15", None),
            ("heat", "/jobs/1/heat", rehearsed),
            ("look", "/jobs/2/look", looking),
            ("mend", "/jobs/2/mend", reckoned),
            ("meter", "/jobs/2/test", None),
            ("picture", "/pictures/2?do=part&ref=U1", laid),
            ("clean", "/jobs/2/clean", None),
            ("function", "/jobs/2/function", None),
            ("reference", "/reference?see=bridge", None),
            ("survey", "/jobs/4/survey", weighed),
            ("lift", "/jobs/3/heat", lifting),
            ("pads", "/jobs/3/pads", answered),
            ("bench", "/bench", None),
            ("run", "/jobs/1/heat", running),
            ("tour", "/jobs/1/heat", touring),
        )
        for name, path, act in views:
            if only and name not in only:
                continue
            page.goto(url + path)
            page.wait_for_timeout(400)
            if act:
                act(page)
            page.screenshot(path=target / f"{name}.png")
        browser.close()


if __name__ == "__main__":
    target = Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots")
    with tempfile.TemporaryDirectory() as folder:
        prepare(Path(folder))
        server = LiveServer(Path(folder))
        server.start()
        try:
            take(target, server.url, sys.argv[2:])
        finally:
            server.stop()
