"""Ready and Place in the browser: a way chosen, the kit by key, forty parts placed through reload
and kill, axe on every page.
"""

import re
import time

import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.barriers import barriers, unfit
from tests.live_server import LiveServer
from yellowfen.core.board.sketch import Sketch, SketchedPart
from yellowfen.core.work.job import Purpose
from yellowfen.store import jobs
from yellowfen.workflows import jobs as work
from yellowfen.workflows import sketching
from yellowfen.workflows.opening import open_database

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def many(server: LiveServer) -> int:
    """A job on a sketched board of forty parts; returns its id."""
    connection = open_database(server.data)
    kinds = ("0603", "0805", "SOIC-8", "LED_0805", "SOT-23")
    parts = tuple(
        SketchedPart(
            ref=f"{'DRCUQ'[n % 5]}{n}",
            package=kinds[n % 5] if n % 5 != 1 else "0603",
            x_mm=8 + 9 * (n % 10),
            y_mm=8 + 12 * (n // 10),
            rotation_deg=90 * (n % 4),
            side="top",
            value=f"v{n % 7}",
        )
        for n in range(40)
    )
    board = sketching.begin(connection, "Forty parts")
    sketching.keep(
        connection, board, Sketch(name="Forty parts", width_mm=100, height_mm=60, parts=parts)
    )
    job = work.open_job(connection, board, "Forty parts to place", Purpose.BUILD)
    assert jobs.get(connection, job).board_id == board
    connection.close()
    return job


def test_forty_parts_by_one_key_with_reload_and_kill_and_nothing_lost_or_repeated(
    page: Page, server: LiveServer, many: int
) -> None:
    page.goto(f"/jobs/{many}/ready")
    page.get_by_text("Practices").first.click()
    with page.expect_navigation():
        page.get_by_label("Stencil or hand").select_option(
            "stencil"
        )  # so that all are placed on paste
    page.goto(f"/jobs/{many}/place")
    page.get_by_role("button", name="Place, one key").click()
    expect(page.locator("[data-go]")).to_contain_text("Placed: ")
    steps = page.evaluate(
        "JSON.parse(document.getElementById('state').textContent).cues.map((one) => one.key)"
    )
    assert len(steps) == len(set(steps)) == 40
    for number in range(6):
        expect(page.locator("[data-go] span")).to_have_text(f"Placed: {steps[number]}")
        page.keyboard.press(("Space", "PageDown")[number % 2])
    page.keyboard.press("Backspace")
    expect(page.locator("[data-go] span")).to_have_text(f"Placed: {steps[5]}")
    page.keyboard.press("Space")
    expect(page.get_by_text("6 of 40 stored")).to_be_visible()
    page.reload()
    expect(page.locator("[data-go] span")).to_have_text(f"Placed: {steps[6]}")
    page.keyboard.press("ArrowRight")  # skipped: it comes again at the end
    expect(page.locator("[data-go] span")).to_have_text(f"Placed: {steps[7]}")
    server.kill()
    for _ in range(3):
        page.keyboard.press("Space")
    expect(page.get_by_role("alert")).to_contain_text("kept on this device")
    server.start()
    expect(page.get_by_text("9 of 40 stored")).to_be_visible()
    page.reload()
    expect(page.locator("[data-go] span")).to_have_text(f"Placed: {steps[10]}")
    page.keyboard.press("m")  # missing: set aside
    expect(page.get_by_text("1 set aside")).to_be_visible()
    for _ in range(29):
        page.keyboard.press("Space")
        time.sleep(0.04)
    expect(page.locator("[data-go] span")).to_have_text(f"Placed: {steps[6]}")
    page.keyboard.press("Space")
    expect(page.locator("h1.bench-now")).to_have_text(f"Set aside for later: {steps[10]} missing.")
    expect(page.get_by_text("39 of 40 stored")).to_be_visible()
    expect(page.locator("[data-go]")).to_be_disabled()
    run = page.url.rsplit("/", 1)[1]
    connection = open_database(server.data)
    stored = [
        row["cue"]
        for row in connection.execute(
            "SELECT cue FROM bench_tap WHERE run_id = ? AND word = 'placed' ORDER BY id", (run,)
        )
    ]
    connection.close()
    assert sorted(stored) == sorted(ref for ref in steps if ref != steps[10])


def test_the_board_lies_as_it_is_drawn_and_the_cue_is_read_out(page: Page, many: int) -> None:
    """The plan is turned so that the part stands upright; names stay level; the screen reader hears
    value and mark.
    """
    page.goto(f"/jobs/{many}/place")
    page.get_by_role("button", name="Place, one key").click()
    expect(page.locator("[data-cue]")).to_have_attribute("aria-live", "assertive")
    steps = page.evaluate("JSON.parse(document.getElementById('state').textContent).cues")
    seen = set()
    for step in steps[:39]:
        turn = (360 - step["turn"]) % 360
        cue = page.locator("[data-cue]")  # first, for the plan turns with it
        expect(cue).to_contain_text(step["title"])
        expect(cue).to_contain_text(step["key"])
        lies = re.compile(rf"^rotate\({turn:g} ")
        expect(page.locator(".plan-view")).to_have_attribute("transform", lies)
        if turn:
            name = page.locator(f'.name[data-ref="{step["key"]}"]')
            expect(name).to_have_attribute("transform", re.compile(rf"^rotate\({-turn:g} "))
        if step["shape"]:
            expect(cue).to_contain_text(step["detail"].split("; ")[-1])
            expect(page.locator("[data-package]:visible")).to_have_count(1)
            expect(page.locator(".pad.first-pin")).to_have_count(1)
        seen.add(turn)
        page.keyboard.press("Space")
    assert len(seen) > 1


def test_an_exception_is_dragged_and_the_rest_ordered_round_it(page: Page, many: int) -> None:
    page.goto(f"/jobs/{many}/place")
    rows = page.locator(".order-list li")
    moved, after = rows.nth(7).get_attribute("data-ref"), rows.nth(1).get_attribute("data-ref")
    rows.nth(7).drag_to(rows.nth(1))
    expect(page.get_by_text(f"{moved} right after {after}")).to_be_visible()
    found = page.locator(".order-list li").evaluate_all(
        "(rows) => rows.map((one) => one.dataset.ref)"
    )
    assert found.index(moved) == found.index(after) + 1
    page.get_by_role("button", name="undo").click()
    expect(page.get_by_text(f"{moved} right after {after}")).to_be_hidden()


def opened(page: Page, path: str) -> None:
    """A page, or the run that a button on it starts."""
    address, _, button = path.partition("|")
    page.goto(address)
    if button:
        page.get_by_role("button", name=button).click()
        page.wait_for_url("**/runs/*")


def test_the_kit_is_checked_by_key_and_survives_a_reload(page: Page) -> None:
    page.goto("/jobs/1/ready/kit")
    page.get_by_role("button", name="Check by one key").click()
    expect(page.get_by_text(re.compile(r"^\d+ to go$"))).to_be_visible()
    page.keyboard.press("Space")
    expect(page.get_by_text(re.compile(r"^1 of \d+ stored"))).to_be_visible()
    page.keyboard.press("m")
    expect(page.get_by_text("1 set aside")).to_be_visible()
    page.keyboard.press("Backspace")
    expect(page.get_by_text("set aside")).not_to_be_visible()
    page.reload()
    expect(page.get_by_text(re.compile(r"^1 of \d+ stored"))).to_be_visible()


def test_a_way_is_chosen_and_a_task_done(page: Page) -> None:
    page.goto("/jobs/1/ready?part=U4")
    page.locator("details[open] select").first.select_option("iron, joint by joint")
    page.get_by_role("button", name="for all SOIC-8").click()
    expect(page.locator(".own")).to_be_visible()
    page.get_by_role("link", name="Schedule").click()
    page.get_by_role("button", name="Done: Kit the parts").click()
    expect(page.get_by_text("done ✓ undo")).to_be_visible()
    page.get_by_role("button", name="done ✓ undo").click()
    expect(page.get_by_text("done ✓ undo")).to_be_hidden()


@pytest.mark.parametrize(
    "path",
    [
        "/jobs/1/ready?part=U1",
        "/jobs/1/ready/sides",
        "/jobs/1/ready/when",
        "/jobs/1/ready/kit",
        "/jobs/1/ready/kit|Check by one key",
        "/jobs/1/ready/minutes",
        "/jobs/1/ready/iron/U1",
        "/jobs/1/place?side=top",
        "/jobs/1/place/guide",
        "/jobs/1/place?side=top|Place, one key",
        "/today",
    ],
)
def test_nothing_for_axe_to_find_and_no_sideways_scroll(page: Page, path: str) -> None:
    opened(page, path)
    assert unfit(page) == []


def test_a_bench_card_is_worked_out_while_its_page_waits(page: Page) -> None:
    page.goto("/jobs/1/ready/iron/U3")
    seconds = page.get_by_label("Seconds a joint needs")
    expect(seconds).to_contain_text("usual: thermal model, another board")
    held: list[Route] = []
    page.route("**/api/tasks/*/progress", lambda route: held.append(route))
    page.get_by_role("link", name="Calculate for this board").click()
    expect(page.get_by_role("status")).to_contain_text("Working out how long the iron needs at U3")
    assert barriers(page, resting=False) == []
    for one in held:
        one.continue_()
    page.unroute("**/api/tasks/*/progress")
    expect(seconds).to_contain_text("thermal model, this board")
    expect(page.get_by_role("link", name="Calculate for this board")).to_have_count(0)
