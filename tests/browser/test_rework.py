"""Rework in the browser: a gull-wing, a leadless part on a sketched patch, a chip and a connector,
LEDs by plate, an SO on an adapter: surveyed, lifted by key through a reload and a kill, pads,
refit.
"""

import re
from dataclasses import replace

import pytest
from playwright.sync_api import Page, expect

from tests.browser.barriers import barriers
from tests.live_server import LiveServer
from yellowfen.core.board.sketch import Plane, SketchedPart
from yellowfen.workflows import sketching
from yellowfen.workflows.opening import connect_existing

pytestmark = pytest.mark.browser


def opened(page: Page, board: int, parts: str, purpose: str = "rework", pieces: str = "") -> int:
    form = {"purpose": purpose, "parts": parts, "pieces": pieces}
    reply = page.request.post(f"/boards/{board}/open", form=form)
    return int(re.findall(r"/jobs/([0-9]+)", reply.url)[0])


def patch(server: LiveServer, name: str, *parts: SketchedPart, **size: float) -> int:
    connection = connect_existing(server.data)
    number = sketching.begin(connection, name)
    sketch = replace(sketching.sketch_of(connection, number), parts=parts, plane=Plane.YES, **size)
    sketching.keep(connection, number, sketch)
    connection.close()
    return number


def take_air(page: Page, job: int, ref: str) -> None:
    """Survey, weighed to its end, hot air taken."""
    page.goto(f"/jobs/{job}/survey?of={ref}")
    page.wait_for_selector("body[data-weighed=done]")
    expect(page.locator(".verdict")).to_contain_text(f"Remove {ref}: ")
    assert barriers(page) == []
    page.locator(".ways-off li", has_text="hot air, round nozzle").get_by_role("button").click()
    page.wait_for_selector("body[data-rehearsed=fine]")
    expect(page.locator("[data-lift]")).to_contain_text("Wait for pin")


def lift_by_key(page: Page, ref: str, server: LiveServer | None = None) -> None:
    """The run of a lift: by key to its end, in quick motion; through a reload and a killed server."""
    page.get_by_role("button", name=re.compile("^Run it")).click()
    go, title = page.locator("[data-go]"), page.locator("h1.bench-now")
    expect(go).to_contain_text("Start")
    page.keyboard.press("Space")
    expect(go).to_contain_text("now")
    page.keyboard.press("Space")
    expect(go).to_contain_text(f"Lifted: {ref}")
    expect(page.locator(".bench-next").last).to_contain_text("Do not lift while any joint is solid")
    page.keyboard.press("h")  # it hangs: do not pull
    expect(page.locator(".trouble")).to_contain_text("Stored")
    page.reload()
    expect(go).to_contain_text(f"Lifted: {ref}")
    if server is not None:
        server.kill()
        page.keyboard.press("b")  # springs back, kept on the device
        expect(page.get_by_text("not saved yet")).to_be_visible()
        server.start()
        expect(page.get_by_text("not saved yet")).not_to_be_visible()
        expect(page.locator(".bench-ask")).to_contain_text("springs back")  # much sooner than told
        page.keyboard.press("y")
        expect(title).to_have_text("It springs back.")
    page.keyboard.press("Space")
    expect(go).to_contain_text("Heat is away")
    page.keyboard.press("a")
    expect(go).to_contain_text("All solid")
    page.keyboard.press("Space")
    expect(go).not_to_contain_text("All solid")
    for _ in range(9):
        if "in place" not in go.inner_text():
            break
        before = title.inner_text()
        page.keyboard.press("m")
        expect(title).not_to_have_text(before)
    expect(go).to_contain_text("All saved")


def test_a_gull_wing_off_its_pads_done_and_on_again(page: Page, server: LiveServer) -> None:
    job = opened(page, 1, "U4", pieces="green dot")
    take_air(page, job, "U4")
    expect(page.locator(".verdict.bad")).to_contain_text("Do not lift it with these settings")
    expect(page.get_by_role("button", name="Run it anyway")).to_be_visible()
    lift_by_key(page, "U4", server)
    page.goto(f"/jobs/{job}/pads")
    expect(page.locator(".verdict")).to_contain_text("wick")  # once it is worked out
    page.get_by_label("Level").check()
    page.wait_for_url("**/pads?of=U4")
    expect(page.get_by_label("Level")).to_be_checked()
    page.get_by_label("The net carries, A").fill("0,5")
    page.get_by_label("over, mm").fill("20")
    page.get_by_role("button", name="Which wire?").click()
    expect(page.locator("[data-jumper]")).to_contain_text("mm wire")
    assert barriers(page) == []
    page.get_by_role("button", name="Clean the pads at the bench").click()
    go = page.locator("[data-go]")
    expect(go).to_contain_text("Flux is on")
    page.keyboard.press("Space")
    expect(go).to_contain_text(re.compile(r"Pad \d is done"))
    page.keyboard.press("l")  # a lifted pad
    expect(page.get_by_text("1 set aside")).to_be_visible()
    for _ in range(8):
        page.keyboard.press("Space")
        page.wait_for_timeout(120)
    expect(go).to_contain_text("All saved")
    page.goto(f"/jobs/{job}/pads")
    expect(page.get_by_text("epoxy")).to_be_visible()
    page.goto(f"/jobs/{job}/refit")
    expect(page.get_by_text("Attempts at U4")).to_be_visible()
    expect(page.get_by_text("It does not centre itself")).to_be_visible()
    assert barriers(page) == []
    page.get_by_role("button", name="the heat").click()
    page.wait_for_selector("body[data-rehearsed=fine]")
    expect(page.locator(".strip [aria-current]")).to_contain_text("Refit")
    page.goto(f"/jobs/{job}/pieces")
    expect(page.get_by_text("Removed: U4")).to_be_visible()


def test_a_leadless_part_on_a_sketched_patch_with_parts_beneath(
    page: Page, server: LiveServer
) -> None:
    board = patch(
        server,
        "Patch with a driver",
        SketchedPart(ref="U1", package="QFN-20", x_mm=16, y_mm=14),
        SketchedPart(ref="C1", package="0603", x_mm=16, y_mm=19.5),
        SketchedPart(ref="C2", package="0805", x_mm=16, y_mm=14, side="bottom"),
    )
    job = opened(page, board, "U1")
    page.goto(f"/jobs/{job}/survey")
    expect(page.locator(".near-list")).to_contain_text("directly underneath")
    take_air(page, job, "U1")
    expect(page.locator("[data-lift]")).to_contain_text("the exposed pad")
    lift_by_key(page, "U1")
    page.goto(f"/jobs/{job}/refit")
    expect(page.locator(".ways-off")).to_contain_text("solder bumps, paste in the middle")


@pytest.mark.parametrize("ref", ["C20", "J1"])
def test_a_chip_underneath_and_a_connector_come_off(page: Page, ref: str) -> None:
    job = opened(page, 1, ref)
    page.goto(f"/jobs/{job}/survey")
    page.wait_for_selector("body[data-weighed=done]")
    expect(page.locator(".verdict")).to_contain_text(f"Remove {ref}: ")
    if ref == "C20":
        expect(page.locator("svg.plan")).to_have_attribute("data-side", "bottom")
    page.locator(".ways-off li", has_text="hot air, round nozzle").get_by_role("button").click()
    page.wait_for_selector("body[data-rehearsed=fine]")
    expect(page.locator("[data-lift]")).to_contain_text("Wait for pin")
    page.goto(f"/jobs/{job}/refit")
    expect(page.locator(".verdict")).to_contain_text(f"Refit {ref}")


def test_leds_by_plate_into_bags(page: Page, server: LiveServer) -> None:
    page.request.post("/bench/tools", form={"kind": "plate", "name": "Strip plate", "set_c": "255"})
    parts = [
        SketchedPart(ref=f"D{n}", package="PLED-4", x_mm=12.0 * n - 4.0, y_mm=6.0)
        for n in range(1, 9)
    ]
    board = patch(server, "Lamp strip", *parts, width_mm=100.0, height_mm=12.0)
    job = opened(page, board, " ".join(part.ref for part in parts), "salvage")
    page.goto(f"/jobs/{job}/lift")
    page.get_by_role("button", name="Hot plate", exact=True).click()
    page.get_by_role("textbox", name="Set temperature, °C").fill("255")
    page.get_by_label("Board is of").select_option("aluminium")
    page.locator(".moves tbody tr").first.get_by_role("textbox").first.fill("150")
    expect(page.locator("[data-lift]")).to_contain_text("8 of 8 can be lifted in one heating")
    page.get_by_role("button", name="Run it at the bench").click()
    go = page.locator("[data-go]")
    expect(go).to_contain_text("Start")
    page.keyboard.press("Space")
    for _ in range(8):
        expect(go).to_contain_text("Lifted: D")
        before = go.inner_text()
        page.keyboard.press("Space")
        expect(go).not_to_have_text(before)
    expect(page.get_by_text("not saved yet")).to_have_count(0)
    page.goto(f"/jobs/{job}/legs")
    expect(page.locator(".passports > li")).to_have_count(8)
    assert barriers(page) == []
    first = page.locator(".passports > li").first
    first.get_by_label("bag", exact=True).fill("lamps 1")
    first.get_by_role("button", name="Save").click()
    expect(page.locator(".passports > li").first.get_by_label("bag", exact=True)).to_have_value(
        "lamps 1"
    )


def test_a_wide_so_goes_onto_an_adapter_and_is_measured(page: Page, server: LiveServer) -> None:
    board = patch(server, "Donor", SketchedPart(ref="U1", package="SOIC-28W", x_mm=20, y_mm=15))
    job = opened(page, board, "U1", "salvage")
    page.goto(f"/jobs/{job}/adapter")
    expect(page.get_by_text("Rows 20.32 mm apart")).to_be_visible()
    expect(page.locator(".pin-map tbody tr")).to_have_count(14)
    assert barriers(page) == []
    page.get_by_role("button", name="Measure first").click()
    go = page.locator("[data-go]")
    expect(page.locator("h1.bench-now")).to_have_text("lead 1 to A1")
    for word in ("Space", "n", "ArrowRight"):
        before = page.locator("h1.bench-now").inner_text()
        page.keyboard.press(word)
        expect(page.locator("h1.bench-now")).not_to_have_text(before)
    expect(go).to_contain_text("As expected")
    page.goto(f"/jobs/{job}/adapter")
    page.get_by_role("button", name="Headers at the bench").click()
    expect(page.locator("h1.bench-now")).to_contain_text("A1")
