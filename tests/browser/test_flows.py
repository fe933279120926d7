"""A person's way through: board in, rehearsal, run by one key with reload and kill, look, finish,
logbook.
"""

import re
import time

import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.barriers import barriers, unfit
from tests.conftest import DATA
from tests.live_server import LiveServer

pytestmark = pytest.mark.browser


def rehearsed(page: Page) -> None:
    page.wait_for_selector("body[data-rehearsed=fine]")


def test_drop_files_see_the_plan_open_a_job_and_rehearse(page: Page) -> None:
    page.goto("/boards")
    page.set_input_files(
        "[data-files]", [str(path) for path in sorted((DATA / "boards/two-sided").glob("board.*"))]
    )
    expect(page.locator("[data-chosen]")).to_contain_text("10 files")
    page.get_by_label("Name (optional)").fill("A board from elsewhere")
    page.get_by_role("button", name="Read the files").click()
    expect(page.get_by_role("heading", name="A board from elsewhere")).to_be_visible()
    expect(page.get_by_text("Not recognised, or assumed")).to_be_visible()
    assert page.locator("svg.plan .part").count() > 10
    page.wait_for_load_state()
    before = page.locator("svg.plan").get_attribute("viewBox")
    page.get_by_role("button", name="Closer").click()
    expect(page.locator("svg.plan")).not_to_have_attribute("viewBox", before)
    page.get_by_role("link", name="Open a job").click()
    page.wait_for_load_state()
    page.locator('svg.plan .part[data-ref="P2"]').click()
    expect(page.get_by_label("Which parts?")).to_have_value("P2")
    expect(page.get_by_role("radio", name="Rework")).to_be_checked()
    page.get_by_role("button", name="Open the job").click()
    expect(page.locator(".strip [aria-current]")).to_have_text("Survey")
    page.get_by_role("link", name="Remove", exact=True).click()
    rehearsed(page)
    expect(page.locator(".verdict")).to_contain_text(re.compile("olten|Lift"))
    expect(page.locator(".heat-line .target-line")).to_have_count(1)


def test_a_refused_file_says_why_beside_the_form(page: Page) -> None:
    page.goto("/boards")
    page.set_input_files(
        "[data-files]",
        [{"name": "x.zip", "mimeType": "application/zip", "buffer": b"no zip at all"}],
    )
    page.get_by_role("button", name="Read the files").click()
    expect(page.get_by_role("alert")).to_contain_text("x.zip: is not a sound zip")


def test_changing_a_setting_changes_the_answer_and_survives_reload(page: Page) -> None:
    page.goto("/jobs/1/heat")
    rehearsed(page)
    before = page.locator(".verdict").inner_text()
    page.get_by_label("Outlet shown").fill("420")
    expect(page.locator(".verdict")).not_to_have_text(before)
    expect(page.locator(".card-set")).to_contain_text("420 °C")
    page.get_by_label("Outlet shown").fill("5000")
    expect(page.get_by_role("alert").first).to_contain_text("outside 50 to 600")
    page.reload()
    rehearsed(page)
    expect(page.locator(".card-set")).to_contain_text("420 °C")
    page.get_by_label("Outlet shown").fill("350")
    expect(page.locator(".card-set")).to_contain_text("350 °C")
    expect(page.locator(".verdict")).to_contain_text("melts at about 4", ignore_case=True)


def test_a_number_is_typed_as_people_type_it(page: Page) -> None:
    """Fahrenheit, inches, a decimal comma are read; what could be meant otherwise is told at the
    field, kept, and changes nothing.
    """
    page.goto("/jobs/1/heat")
    rehearsed(page)
    outlet, nozzle = page.get_by_label("Outlet shown"), page.get_by_label("Nozzle, mm")
    for typed, becomes in (("400F", "204.444"), ("350", "350")):
        outlet.fill(typed)
        outlet.blur()
        expect(outlet).to_have_value(becomes)
    for typed, becomes in (("0,3in", "7.62"), ("6,5", "6.5"), ("6", "6")):
        nozzle.fill(typed)
        nozzle.blur()
        expect(nozzle).to_have_value(becomes)
        expect(page.locator(".card-set")).to_contain_text(f"{becomes} mm")
    for typed, said in (("1,500", "1500 or 1.5"), ("warm", "not a number"), ("300 mm", "in °C")):
        outlet.fill(typed)
        outlet.blur()
        expect(page.locator("small.at-field")).to_contain_text(said)
        expect(outlet).to_have_value(typed)
        expect(page.locator(".card-set")).to_contain_text("350 °C")
    outlet.fill("350")
    expect(page.locator("small.at-field")).to_have_count(0)


def test_chosen_files_survive_a_wrong_thickness_and_a_form_is_sent_once(page: Page) -> None:
    page.goto("/boards")
    files = sorted(str(path) for path in (DATA / "boards/attributes").glob("*.*"))
    page.set_input_files("[data-files]", files)
    thickness = page.get_by_label("Board thickness, mm")
    thickness.fill("thin")
    page.get_by_role("button", name="Read the files").click()
    expect(page.locator("small.at-field")).to_contain_text("'thin' is not a number")
    assert page.locator("[data-files]").evaluate("field => field.files.length") == len(files)
    thickness.fill("0,0394in")
    page.get_by_role("button", name="Read the files").click()
    page.wait_for_url(re.compile(r"/boards/\d+$"))
    board = page.url.rsplit("/", 1)[1]
    sent: list[str] = []
    page.on("request", lambda one: sent.append(one.url) if one.method == "POST" else None)
    page.goto(f"/boards/{board}/open")
    page.get_by_role("button", name="Open the job").dblclick(no_wait_after=True)
    page.wait_for_url(re.compile(r"/jobs/\d+/"))
    assert len(sent) == 1


def test_a_window_is_drawn_and_its_calmest_point_taken(page: Page) -> None:
    page.goto("/jobs/1/heat")
    rehearsed(page)
    page.get_by_role("tab", name="Safe window").click()
    expect(page.locator("[data-window-map] .map-calm")).to_be_visible()
    assert page.locator("[data-window-map] .place").count() >= 2
    before = page.locator(".card-set").inner_text()
    expect(
        page.get_by_text("No setting with enough margin")
    ).to_be_visible()  # nobody has taught this station
    expect(
        page.get_by_role("button", name="Use the point with the most margin")
    ).not_to_be_visible()
    page.locator("[data-window-map] .map-calm").click(force=True)
    expect(page.locator(".card-set")).not_to_have_text(before)
    rehearsed(page)


def test_a_search_survives_reload_can_be_given_up_and_a_way_taken(page: Page) -> None:
    page.goto("/jobs/1/heat")
    rehearsed(page)
    page.get_by_role("tab", name="Find settings").click()
    page.get_by_label("allow another solder").check()
    page.get_by_role("button", name="Search").click()
    expect(page.locator(".ways li").first).to_be_visible()
    page.reload()
    rehearsed(page)
    page.get_by_role("tab", name="Find settings").click()
    expect(page.locator(".ways li").first).to_be_visible()
    if page.get_by_role("button", name="Stop").is_visible():
        page.get_by_role("button", name="Stop").click()
        expect(page.get_by_text("stopped after")).to_be_visible()
    page.locator(".ways li button:visible").first.click()
    rehearsed(page)
    expect(page.locator(".ways li").first).to_be_hidden()


def test_plate_oven_foil_and_iron(page: Page) -> None:
    page.goto("/jobs/1/heat")
    rehearsed(page)
    page.get_by_role("button", name="Shield").click()
    page.locator('svg.plan .part[data-ref="Q2"]').click()
    expect(page.locator("svg.plan .foil")).to_have_count(1)
    page.get_by_role("button", name="Shield").click()
    page.get_by_role("button", name="Oven", exact=True).click()
    expect(page.locator(".criteria li")).to_have_count(9)
    page.get_by_role("textbox", name="Curve").fill("0 25 25\n60 warm 20")
    expect(page.get_by_role("alert").first).to_contain_text("three numbers a line")
    page.get_by_role("button", name="Hot plate", exact=True).click()
    expect(page.locator(".card-set")).to_contain_text("plate")
    page.get_by_role("tab", name="By iron").click()
    page.get_by_role("button", name="Calculate").click()
    expect(page.locator(".touches li")).to_have_count(4)
    expect(page.locator(".touches")).to_contain_text("as this board is drawn")
    page.get_by_role("button", name="Hot air", exact=True).click()
    expect(page.locator(".card-set")).to_contain_text("L/min")
    page.get_by_label("Outlet shown").fill("350")
    rehearsed(page)


def test_a_melt_test_is_timed_by_key_and_teaches_the_station(page: Page) -> None:
    page.goto("/bench/stations/1")
    page.keyboard.press("Space")
    page.wait_for_timeout(1200)
    page.keyboard.press("Space")
    assert float(page.get_by_label("Seconds until it melted").input_value()) > 1
    page.get_by_label("Seconds until it melted").fill("25 27 24")
    page.get_by_role("button", name="Calibrate").first.click()
    expect(page.get_by_role("heading", name="What is known")).to_be_visible()
    page.get_by_role("button", name="Undo it").click()
    expect(page.get_by_text("Not calibrated yet.")).to_be_visible()


def test_run_by_one_key_with_reload_and_kill_then_look_and_finish(
    page: Page, server: LiveServer
) -> None:
    page.goto("/jobs/1/heat")
    rehearsed(page)
    page.get_by_role("button", name="Run it at the bench").click()
    expect(page.locator("[data-go]")).to_contain_text("Start")
    page.keyboard.press("Space")
    expect(page.get_by_text("Stored: Start: air on the board 0 s")).to_be_visible()
    page.keyboard.press("Space")
    expect(page.get_by_text(re.compile(r"Close in now \d+ s"))).to_be_visible()
    page.keyboard.press("Backspace")
    expect(page.get_by_text(re.compile(r"Close in now \d+ s"))).not_to_be_visible()
    page.keyboard.press("PageDown")
    expect(page.get_by_text(re.compile(r"Close in now \d+ s"))).to_be_visible()
    page.reload()
    expect(page.locator("[data-go]")).to_contain_text("U4 melted")
    server.kill()
    page.keyboard.press("Space")
    expect(page.get_by_role("alert")).to_contain_text("kept on this device")
    server.start()
    expect(page.get_by_text(re.compile(r"U4 melted \d+ s"))).to_be_visible()
    for _ in range(3):
        page.keyboard.press("Space")
        time.sleep(0.3)
    expect(page.locator("[data-go]")).to_be_disabled()
    page.get_by_role("link", name="Inspect the joints").click()
    page.get_by_role("button", name="Inspect, one key").click()
    expect(page.locator(".bench-now")).to_have_text("pin 4")  # on a plane: riskiest first
    page.keyboard.press("Space")
    page.keyboard.press("2")
    expect(page.get_by_text("2 of 8 inspected")).to_be_visible()
    page.reload()
    expect(page.get_by_text("2 of 8 inspected")).to_be_visible()
    page.get_by_role("button", name="All other visible joints are good").click()
    expect(page.get_by_text("8 of 8 inspected")).to_be_visible()
    expect(page.locator("svg.plan .pad.marked-good")).to_have_count(7)
    page.get_by_role("link", name="Leave").click()
    page.get_by_role("link", name="On to Finish").click()
    page.get_by_label("What would you do differently").fill("Less air next time.")
    page.get_by_role("button", name="Save to the logbook").click()
    expect(page.get_by_text("Less air next time.")).to_be_visible()
    expect(page.get_by_text("7 good, 1 bridge", exact=True)).to_be_visible()


def test_a_slip_is_asked_about_and_taken_back_whatever_was_pressed_since(page: Page) -> None:
    """A flow seen after two seconds: a question; "No, undo it" takes that tap away, though the heat
    was taken away since, and the part is open again.
    """
    page.goto("/jobs/1/heat")
    rehearsed(page)
    page.get_by_role("button", name="Run it at the bench").click()
    go, ask, stored = (
        page.locator("[data-go]"),
        page.locator(".bench-ask"),
        page.get_by_text("stored"),
    )
    expect(go).to_contain_text("Start")
    page.keyboard.press("Space")
    expect(go).to_contain_text("Close in")
    page.keyboard.press("Space")
    expect(go).to_contain_text("U4 melted")
    page.keyboard.press("Space")
    expect(ask).to_contain_text("U4")
    page.keyboard.press("a")
    expect(go).to_contain_text("solid")
    expect(ask).to_be_visible()
    page.get_by_role("button", name="No, undo it").click()
    expect(ask).to_be_hidden()
    page.reload()
    expect(go).to_contain_text(re.compile("melted|olid"))
    expect(stored.first).not_to_contain_text("not saved yet")
    run = page.url.rsplit("/", 1)[1]
    kept = page.request.get(f"/api/runs/{run}/taps").json()
    assert [tap["cue"] for tap in kept["taps"]] == ["start", "move 2", "away"]


def test_a_tap_leaves_the_device_only_when_it_is_stored_or_refused_for_good(page: Page) -> None:
    """A server in trouble answers with JSON too; a refusal stays to be read after later taps have
    come through.
    """
    # The server's answer stays until the test has seen it on the page; None lets the tap through.
    given: list[tuple[int, str] | None] = [(500, "trouble")]

    def answer(route: Route) -> None:
        said = given[0] if route.request.method == "POST" else None
        if said is None:
            route.continue_()
        else:
            route.fulfill(status=said[0], json={"problem": said[1]})

    page.route("**/taps", answer)
    page.goto("/jobs/1/heat")
    rehearsed(page)
    page.get_by_role("button", name="Run it at the bench").click()
    expect(page.locator("[data-go]")).to_contain_text("Start")
    page.keyboard.press("Space")
    expect(page.get_by_text("The server could not save it yet (trouble)")).to_be_visible()
    kept = page.evaluate(
        "Object.entries(localStorage).filter(([name]) => name.startsWith('yellowfen-run-')).map(([, text]) => JSON.parse(text).length)"
    )
    assert max(kept) == 1
    given[0] = (503, "database is locked")
    expect(
        page.get_by_text("The server could not save it yet (database is locked)")
    ).to_be_visible()
    given[0] = (409, "it is over")
    expect(page.get_by_text("Not counted: Start: air on the board (it is over)")).to_be_visible()
    given[0] = None
    page.keyboard.press("Space")
    expect(page.get_by_text("Stored: Start: air on the board 0 s")).to_be_visible()
    expect(page.get_by_text("Not counted: Start: air on the board (it is over)")).to_be_visible()
    page.get_by_role("button", name="OK").click()
    expect(page.get_by_text("Not counted")).not_to_be_visible()


def test_a_place_with_a_plan_works_by_keyboard(page: Page) -> None:
    page.goto("/boards/1")
    plan = page.locator("svg.plan")
    plan.focus()
    before = plan.get_attribute("viewBox")
    page.keyboard.press("+")
    page.keyboard.press("ArrowRight")
    expect(plan).not_to_have_attribute("viewBox", before)
    page.keyboard.press("0")
    assert [float(n) for n in plan.get_attribute("viewBox").split()] == pytest.approx(
        [float(n) for n in before.split()]
    )


PAGES = [
    "/",
    "/jobs/1/heat",
    "/bench/stations/1",
    "/runs/1",
    "/jobs/1/look",
    "/jobs/1/mend",
    "/jobs/1/test",
    "/jobs/1/finish",
    "/jobs/1/survey",
    "/jobs/1/pads",
    "/jobs/1/legs",
    "/jobs/1/refit",
    "/jobs/1/adapter",
    "/boards/1/open",
    "/jobs/1/purpose",
    "/jobs/1/pieces",
    "/bench",
    "/logbook",
    "/logbook/chances",
]


@pytest.mark.parametrize("path", PAGES)
def test_nothing_for_axe_to_find_and_no_sideways_scroll(page: Page, path: str) -> None:
    page.goto(path)
    if path.endswith("heat"):
        rehearsed(page)
        page.get_by_role("tab", name="Safe window").click()
        assert barriers(page) == []
        page.get_by_role("tab", name="By iron").click()
    assert unfit(page) == []
