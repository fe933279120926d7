"""Two whole jobs by keys to their end, the sums of every page asserted: a rework of three parts that
come off by three methods, and a build of two boards with hot plate, hot air and iron.
"""

import re
from dataclasses import replace

import pytest
from playwright.sync_api import Page, expect

from tests.live_server import LiveServer
from yellowfen.core.board.sketch import SketchedPart
from yellowfen.core.heat.heat_plan import HeatPlan, SourceKind
from yellowfen.core.heat.scene import Deed, Move
from yellowfen.store import jobs
from yellowfen.workflows.opening import connect_existing

from .test_rework import opened, patch

pytestmark = pytest.mark.browser
PARTS = (
    SketchedPart(ref="U1", package="SOIC-8", x_mm=10, y_mm=14),
    SketchedPart(ref="C1", package="0805", x_mm=20, y_mm=14),
    SketchedPart(ref="Q1", package="SOT-23", x_mm=26, y_mm=14),
)


def by_key(page: Page, *keys: str) -> None:
    """Press keys, each once what the one before it asked for has changed; then space to the end."""
    go, now = page.locator("[data-go]"), page.locator("[data-cue]")
    expect(go).to_contain_text(re.compile(r"\w"))  # the page listens to keys
    for key in keys:
        before = now.inner_text()
        page.keyboard.press(key)
        expect(now).not_to_have_text(before)
    for _ in range(60):
        if "All saved" in go.inner_text():
            return
        page.keyboard.press("Space")
        page.wait_for_timeout(60)
    raise AssertionError(go.inner_text())


def strip(page: Page) -> dict[str, bool]:
    """Every stage, and whether it is behind."""
    expect(page.locator(".strip a").first).to_be_visible()
    found = page.locator(".strip a").all_inner_texts()
    return {one.replace("✓", "").strip(): "✓" in one for one in found}


def post(page: Page, path: str, **form: str) -> None:
    assert page.request.post(path, form=dict(form)).ok


def test_three_parts_off_by_three_methods_and_on_again(page: Page, server: LiveServer) -> None:
    board = patch(server, "Three ways off", *PARTS)
    job = opened(page, board, "U1 C1 Q1", pieces="A")
    ways = {
        "U1": "removal alloy",
        "C1": "one iron, to and fro",
        "Q1": "leads cut at the body",
    }
    for number, (ref, way) in enumerate(ways.items()):
        post(page, f"/jobs/{job}/survey/take", way=way, of=ref)
        page.goto(f"/jobs/{job}/survey")
        assert strip(page)["Survey"] == (number == 2)
    for ref in ("U1", "C1"):
        page.goto(f"/jobs/{job}/lift?of={ref}")
        expect(page.locator(".verdict")).to_have_text(f"Remove {ref}: {ways[ref]}.")
        page.get_by_role("button", name="Run it at the bench").click()
        by_key(page)
        page.get_by_role("link", name="Clean the pads").click()
        expect(page).to_have_url(re.compile(rf"/pads\?of={ref}"))
    page.goto(f"/jobs/{job}/lift?of=Q1")
    assert not strip(page)["Remove"]
    page.get_by_role("button", name="Already removed").click()
    assert strip(page)["Remove"]
    page.goto(f"/jobs/{job}/pieces")
    expect(page.get_by_text("Removed: U1, C1, Q1")).to_have_count(0)
    expect(page.get_by_text("Removed: C1, Q1, U1")).to_be_visible()
    for ref in ways:
        assert not strip(page)["Clean pads"]
        page.goto(f"/jobs/{job}/pads?of={ref}")
        expect(page.get_by_role("button", name="Clean the pads at the bench")).to_be_visible()
        came_off = page.locator("main").inner_text()
        assert ("removal alloy" in came_off) == (ref == "U1")  # the way is the part's own
        page.get_by_role("button", name="Clean the pads at the bench").click()
        by_key(page)
        page.goto(f"/jobs/{job}/pads?of={ref}")
    assert strip(page)["Clean pads"]
    for ref in ways:
        assert not strip(page)["Refit"]
        page.goto(f"/jobs/{job}/ready/iron/{ref}")
        page.get_by_role("button", name=re.compile("bench", re.I)).click()
        by_key(page)
        page.goto(f"/jobs/{job}/refit?of={ref}")
        expect(page.get_by_role("region", name="Attempts")).to_contain_text("by iron")
    assert strip(page) == {
        "Survey": True,
        "Remove": True,
        "Clean pads": True,
        "Refit": True,
        "Inspect": False,
        "Finish": False,
    }
    page.goto(f"/jobs/{job}/look")
    expect(page.locator(".look-count")).to_contain_text("0 of 13")
    page.get_by_role("button", name="Inspect, one key").click()
    by_key(page)
    page.goto(f"/jobs/{job}/finish")
    expect(page.locator(".verdict")).to_contain_text("not proved yet")
    expect(page.get_by_text("13 joints good at first pass, 0 after touch-up")).to_be_visible()
    expect(
        page.get_by_text(re.compile("Heats: 2 × C1, U1; 1 × Q1|Heats: 2 × U1, C1; 1 × Q1"))
    ).to_be_visible()
    page.get_by_label("What would you do differently").fill("Less alloy.")
    page.get_by_role("button", name="Save to the logbook").click()
    for said in ("board A, U1 removed, removal alloy", "pads of Q1", "C1 by iron"):
        expect(page.get_by_text(said).first).to_be_visible()
    page.goto(f"/jobs/{job}/pieces")
    expect(page.get_by_text("3 of 3 placed, 3 soldered")).to_be_visible()
    assert all(strip(page).values())
    page.goto(f"/boards/{board}")
    expect(page.get_by_text("Less alloy.")).to_be_visible()


def test_two_boards_by_plate_and_air_and_a_part_by_iron(page: Page, server: LiveServer) -> None:
    board = patch(server, "Two to build", *PARTS)
    job = opened(page, board, "", "build", pieces="A, B")
    page.goto(f"/jobs/{job}/place?side=top")
    page.get_by_role("button", name=re.compile("bench|one key", re.I)).first.click()
    expect(page).to_have_url(re.compile("/pieces"))  # which one are you working on?
    expect(page.get_by_text("Which board are you working on?")).to_be_visible()
    heats = {"A": SourceKind.PLATE, "B": SourceKind.AIR}
    for number, (name, source) in enumerate(heats.items()):
        page.goto(f"/jobs/{job}/pieces")
        tile = page.locator(".tile", has_text=f"Board {name}")
        tile.get_by_role("button", name="Work on this one").click()
        expect(tile.get_by_text("working on this")).to_be_visible()
        assert not any(strip(page)[stage] for stage in ("Place", "Heat", "Inspect"))
        page.goto(f"/jobs/{job}/place?side=top")
        page.get_by_role("button", name=re.compile("bench|one key", re.I)).first.click()
        expect(page.locator("[data-go]")).to_contain_text("Placed: ")
        first = page.locator("[data-go]").inner_text().split("\n")[0].removeprefix("Placed: ")
        iron = "Q1" if first != "Q1" else "U1"
        by_key(page, *(["p"] if number == 0 else []))  # which way round? set aside
        connection = connect_existing(server.data)
        found = jobs.get(connection, job)
        targets = tuple(ref for ref in ("U1", "C1", "Q1") if ref != iron)
        jobs.keep_heat(connection, found.heat.id, heat_by(found.plan, source, targets))
        connection.close()
        page.goto(f"/jobs/{job}/heat")
        page.wait_for_selector("body[data-rehearsed=fine]")
        page.get_by_role("button", name=re.compile("^Run it")).click()
        by_key(page)
        page.goto(f"/jobs/{job}/ready/iron/{iron}")
        page.get_by_role("button", name=re.compile("bench", re.I)).click()
        by_key(page)
        page.goto(f"/jobs/{job}/pieces")
        left_out = tile.locator(".bad")
        if number == 0:
            expect(left_out).to_contain_text(f"Not placed: {first} (doubtful)")
            expect(tile).to_contain_text("2 of 3 placed, 2 soldered")
            page.goto(f"/jobs/{job}/finish")
            expect(page.locator("[aria-label='Not done']")).to_contain_text("orientation in doubt")
        else:
            expect(left_out).to_have_count(0)
            expect(tile).to_contain_text("3 of 3 placed, 3 soldered")
            assert strip(page)["Heat"]
            page.goto(f"/jobs/{job}/look")
            page.get_by_role("button", name="Inspect, one key").click()
            by_key(page)
            page.goto(f"/jobs/{job}/finish")
            expect(page.get_by_text("13 joints good at first")).to_be_visible()
    page.goto("/logbook")
    for said in ("board A, placed", "board B, placed", f"board B, {iron} by iron"):
        expect(page.get_by_text(said).first).to_be_visible()


def heat_by(plan: HeatPlan, source: SourceKind, targets: tuple[str, ...]) -> HeatPlan:
    if source is SourceKind.AIR:
        moves = (
            Move(deed=Deed.WARM, seconds=15, over=targets, height_mm=45, circle_mm=12),
            Move(deed=Deed.CLOSE, seconds=60, over=targets, height_mm=15, circle_mm=12),
            Move(deed=Deed.WITHDRAW, seconds=30),
        )
    else:
        moves = (Move(deed=Deed.PLATE, seconds=200), Move(deed=Deed.WITHDRAW, seconds=60))
    return replace(plan, source=source, targets=targets, moves=moves)
