"""A picture through the page: frozen from a camera by one key, laid under the board by four taps,
the part on its edges, its joints marked; a print measured, its threshold moved; the ruler.
"""

import json
import re
from importlib import resources
from pathlib import Path

import pytest
from PIL import Image
from playwright.sync_api import Browser, Page, expect

from tests.browser.barriers import barriers
from tests.live_server import LiveServer

from .conftest import ARGUMENTS, CHROMIUM
from .test_look import looked
from .test_rework import opened

pytestmark = pytest.mark.browser
PICTURES = resources.files("yellowfen.demo") / "pictures"
CLICKS = json.loads((PICTURES / "clicks.json").read_text())


def as_film(picture: Path, film: Path) -> None:
    """A picture as a raw film of three frames, as Chromium's stand-in for a camera reads it."""
    image = Image.open(picture).convert("YCbCr")
    width, height = image.size
    light, blue, red = image.split()
    half = (width // 2, height // 2)
    frame = b"".join(one.tobytes() for one in (light, blue.resize(half), red.resize(half)))
    film.write_bytes(
        f"YUV4MPEG2 W{width} H{height} F10:1 Ip A1:1 C420jpeg\n".encode() + (b"FRAME\n" + frame) * 3
    )


def tap(page: Page, u: float, v: float) -> None:
    """Tap a picture at a place in its own pixels, once the page lies still."""
    page.locator("svg.picture-view").scroll_into_view_if_needed()
    page.wait_for_timeout(400)
    spot = page.evaluate(
        "([u, v]) => { const svg = document.querySelector('svg.picture-view'); const at = new DOMPoint(u, v).matrixTransform(svg.getScreenCTM()); return [at.x, at.y]; }",
        [u, v],
    )
    page.mouse.click(*spot)


def laid(page: Page, name: str) -> None:
    """Lay the board over the picture that is open, by the demo's four places."""
    for n, (pad, u, v) in enumerate(CLICKS[name], 1):
        page.locator("[data-pad]").fill(pad)
        page.keyboard.press("Tab")
        expect(page.locator("[data-now]")).to_contain_text(pad)
        tap(page, u, v)
        expect(page.locator(".clicked")).to_have_count(n)
    expect(page.locator(".verdict")).to_contain_text("Aligned to the pads")


def test_a_camera_frozen_by_one_key_and_a_part_measured(
    page: Page, browser: Browser, server: LiveServer, tmp_path: Path
) -> None:
    job = looked(page, server, "U1")
    film = tmp_path / "film.y4m"
    as_film(Path(str(PICTURES / "soldered.jpg")), film)
    camera = [
        "--use-fake-device-for-media-stream",
        "--use-fake-ui-for-media-stream",
        f"--use-file-for-fake-video-capture={film}",
    ]
    seeing = browser.browser_type.launch(executable_path=CHROMIUM, args=ARGUMENTS + camera)
    try:
        there = seeing.new_page(base_url=server.url, viewport={"width": 1280, "height": 900})
        there.goto(f"/jobs/{job}/pictures")
        there.get_by_role("button", name="Use the camera").click()
        expect(there.locator("[data-camera-says]")).to_contain_text("1200 by 900")
        there.locator("h1").click()
        there.keyboard.press("Space")
        there.wait_for_url("**/pictures/*")
        laid(there, "soldered")
        assert barriers(there) == []
        there.get_by_role("link", name="Part positions").click()
        expect(there.locator("[data-part]")).to_have_value("U1")
        there.keyboard.press("s")
        expect(there.locator(".verdict")).to_contain_text(
            "12 joints beyond the limit. 12 joints too close"
        )
        expect(there.locator("[data-panel]")).to_contain_text("turned by 1.2°")
        there.keyboard.press("ArrowRight")
        expect(there.locator("[data-panel]")).not_to_contain_text("0.13 mm off its place")
        there.keyboard.press("s")
        expect(there.locator("[data-panel]")).to_contain_text("0.13 mm off its place")
        assert barriers(there) == []
        there.get_by_role("button", name="Mark U1 as skewed").click()
        expect(
            there.get_by_text("U1 is marked as skewed: 12 joints beyond the limit")
        ).to_be_visible()
        there.get_by_role("button", name="Ruler").click()
        (_, u1, v1), (_, u2, v2) = CLICKS["soldered"][:2]
        tap(there, u1, v1)
        tap(there, u2, v2)
        expect(there.locator("[data-length]")).to_contain_text("mm, give or take")
    finally:
        seeing.close()
    page.goto(f"/jobs/{job}/look")
    expect(page.get_by_text("0 of 48 inspected")).to_be_visible()  # one mark for the whole part
    expect(page.get_by_text("U1 skewed")).to_be_visible()


def test_a_print_is_measured_and_its_threshold_moved(page: Page, server: LiveServer) -> None:
    job = opened(page, 1, "", "build")
    page.goto(f"/jobs/{job}/pictures")
    page.locator("[data-files]").set_input_files(str(PICTURES / "clicks.json"))
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("alert")).to_contain_text("is no PNG, JPEG or WebP picture")
    page.locator("[data-files]").set_input_files(str(PICTURES / "printed.jpg"))
    page.get_by_label("Taken").select_option("after printing")
    page.get_by_role("button", name="Save").click()
    page.wait_for_url("**/pictures/*")
    laid(page, "printed")
    page.get_by_role("link", name="Print", exact=True).click()
    panel = page.locator("[data-panel]")
    expect(panel).to_contain_text("between U1.14 and U1.15")
    for pin in ("U1.9", "U1.31"):
        expect(panel).to_contain_text(
            re.compile(rf"{re.escape(pin)} (3[4-9]|4[0-5]) %")
        )  # 0.62² of it is drawn, 38 %
    assert barriers(page) == []
    page.locator('[data-threshold="paste_from"]').fill("60")
    expect(panel.locator(".verdict")).to_contain_text("Wipe it")
    page.get_by_role("button", name="Recalculate").click()
    expect(panel.locator(".verdict")).to_contain_text("Touch it up")
    page.reload()
    expect(panel.locator(".verdict")).to_contain_text("Touch it up")
    page.get_by_role("button", name="Archive this picture").click()
    page.get_by_role("button", name="Restore it").click()
    expect(panel.locator(".verdict")).to_contain_text("Touch it up")
