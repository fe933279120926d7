"""Look and Mend by key: a fine-pitch part in few strokes, a fault to its causes, its run and its
second look; Finish says where the board stands.
"""

import re
from dataclasses import replace

import pytest
from playwright.sync_api import Page, expect

from tests.browser.barriers import barriers
from tests.live_server import LiveServer
from yellowfen.core.heat.heat_plan import usual_moves
from yellowfen.store import jobs
from yellowfen.workflows.opening import connect_existing

from .test_rework import opened

pytestmark = pytest.mark.browser


def looked(page: Page, server: LiveServer, refs: str) -> int:
    """A new job whose parts were heated without the clock; its number, Look open."""
    job = opened(page, 1, refs, "build")
    connection = connect_existing(server.data)
    targets = tuple(refs.split())
    plan = jobs.get(connection, job).plan
    jobs.keep_heat_plan(
        connection, job, replace(plan, side="top", targets=targets, moves=usual_moves(targets))
    )
    connection.close()
    page.goto(f"/jobs/{job}/look")
    page.get_by_role("button", name="Heated as planned").click()
    expect(page.get_by_text("0 of")).to_be_visible()
    return job


def look(page: Page) -> None:
    """Open the bench's look, or go on with it."""
    page.get_by_role("button", name=re.compile("^(Inspect|Continue inspection), one key$")).click()
    expect(page.locator("[data-go]")).to_contain_text("Good")


def test_a_part_of_48_pins_by_key_then_its_bridge_mended_and_looked_at_again(
    page: Page, server: LiveServer
) -> None:
    job = looked(page, server, "U1")
    look(page)
    strokes = 0
    for number in range(48):
        page.keyboard.press("2" if number == 7 else "Space")
        strokes += 1
        if number % 16 == 15:  # no faster than the page knows what comes next
            expect(page.get_by_text(f"{number + 1} of 48 inspected")).to_be_visible()
    expect(page.get_by_text("48 of 48 inspected")).to_be_visible()
    assert strokes <= 1.3 * 48
    expect(page.locator("svg.plan .pad.marked-bad")).to_have_count(1)
    page.get_by_role("link", name="Leave").click()
    expect(page.get_by_text("48 of 48 inspected")).to_be_visible()
    page.get_by_role("button", name="class 3").click()
    expect(page.get_by_role("region", name="Limits for a good joint")).to_contain_text(
        "25 % of the lead"
    )
    page.get_by_role("link", name="Touch-up", exact=True).first.click()
    expect(page.locator(".verdict")).to_have_text("1 to touch up.")
    assert barriers(page) == []
    bad = page.get_by_role("region", name="U1 pin")
    expect(bad).to_contain_text("s a touch")  # once it is worked out
    page.get_by_role("button", name="Touch up at the bench").click()
    go = page.locator("[data-go]")
    expect(go).to_contain_text("Done")
    page.keyboard.press("Space")
    expect(go).to_contain_text("It is good")
    page.keyboard.press("n")  # still bad: it comes back to Mend
    expect(go).to_contain_text("All saved")
    page.goto(f"/jobs/{job}/mend")
    expect(page.locator(".verdict")).to_have_text("1 to touch up.")
    page.get_by_role("button", name="Touch up at the bench").click()
    for said in ("Done", "It is good"):
        expect(go).to_contain_text(said)
        page.keyboard.press("Space")
    expect(go).to_contain_text("All saved")
    page.goto(f"/jobs/{job}/mend")
    expect(page.locator(".verdict")).to_have_text("No defects are marked.")
    page.goto(f"/jobs/{job}/finish")
    expect(page.locator(".verdict")).to_have_text("This board is not proved yet.")
    expect(page.get_by_text("47 joints good at first pass, 1 after touch-up")).to_be_visible()


def test_any_joint_by_a_tap_rows_at_once_and_one_undo_through_reload_and_kill(
    page: Page, server: LiveServer
) -> None:
    looked(page, server, "U1")
    look(page)
    told, now = page.get_by_text(re.compile("^[0-9]+ of 48 inspected")), page.locator(".bench-now")
    page.locator(".pad[data-ref=U1][data-pin='30']").click()
    expect(now).to_have_text("pin 30")
    page.keyboard.press("Space")
    expect(told).to_contain_text("1 of 48")
    expect(now).not_to_have_text("pin 30")  # along its row, not back at the first
    beside = now.inner_text()
    assert int(beside.removeprefix("pin ")) in range(25, 37)
    page.keyboard.press("r")
    expect(told).to_contain_text("12 of 48")
    page.keyboard.press("Backspace")  # the row, at one press
    expect(told).to_contain_text("1 of 48")
    expect(now).to_have_text(beside)
    page.locator(".pad[data-ref=U1][data-pin='30']").click()
    expect(page.get_by_text("Marked already: good")).to_be_visible()
    page.keyboard.press("0")
    expect(told).to_contain_text("0 of 48")
    expect(now).to_have_text("pin 30")
    page.get_by_label("Something else").select_option("not wetted")
    page.get_by_role("button", name="Mark it").click()
    expect(told).to_contain_text("1 of 48")
    server.kill()
    page.keyboard.press("p")  # with nobody there: kept on the device
    expect(page.get_by_text("kept here, not saved yet")).to_be_visible()
    server.start()
    expect(told).to_contain_text("48 of 48")
    page.reload()
    expect(told).to_contain_text("48 of 48")
    expect(page.locator("svg.plan .pad.marked-bad")).to_have_count(1)
    assert barriers(page) == []
