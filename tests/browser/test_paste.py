"""The Paste stage in the browser: the slider, openings taken and undone, a dot plan through reload
and kill, leaves for axe.
"""

import re
import time

import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.barriers import barriers, unfit
from tests.conftest import DATA
from tests.live_server import LiveServer

pytestmark = pytest.mark.browser
PAGE = "/jobs/1/paste"


def slide_to(page: Page, foil: str) -> None:
    page.locator("[data-slide] input").fill(foil)
    page.wait_for_selector(f'body[data-judged="{foil}"]')


def test_the_slider_judges_while_it_moves_and_keeps_where_it_is_let_go(page: Page) -> None:
    page.goto(PAGE)
    expect(page.locator("[data-words]")).to_contain_text("at 0.1 mm")
    slide_to(page, "0.15")
    expect(page.locator("[data-words]")).to_contain_text("17 of 212 apertures fail")
    expect(page.locator("svg.plan .opening.is-excess")).to_have_count(17)
    expect(page.locator('[data-foil="0.15"]')).to_have_attribute("aria-pressed", "true")
    page.reload()
    expect(page.locator("[data-words]")).to_contain_text("at 0.15 mm")
    page.get_by_label("Stencil, mm").fill("thin")
    page.get_by_label("Stencil, mm").press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("is not a number")
    page.goto(PAGE)
    page.get_by_role("button", name="0.12").click()
    expect(page.locator("[data-words]")).to_contain_text("at 0.12 mm")


def test_openings_are_taken_shown_and_undone_and_the_stencil_comes_along(page: Page) -> None:
    page.goto(PAGE)
    slide_to(page, "0.15")
    page.get_by_role("link", name="Apertures", exact=True).click()
    page.get_by_role("button", name="Use: Narrow: TSSOP-20").click()
    expect(page.get_by_text("20 pads changed: 17 failed as drawn, 0 now.")).to_be_visible()
    expect(page.locator("svg.plan .opening-was")).to_have_count(20)
    with page.expect_download() as download:
        page.get_by_role("button", name="Gerber, for a maker").click()
    assert download.value.suggested_filename == "stencil-1-top.zip"
    page.get_by_role("button", name="Undo: narrow: U3").click()
    expect(page.get_by_text("17 of 212 apertures fail as drawn")).to_be_visible()


def test_a_board_from_elsewhere_goes_through_every_leaf(page: Page) -> None:
    page.goto("/boards")
    page.set_input_files(
        "[data-files]", [str(path) for path in sorted((DATA / "boards/two-sided").glob("board.*"))]
    )
    page.get_by_label("Name (optional)").fill("Paste on a board from elsewhere")
    page.get_by_role("button", name="Read the files").click()
    expect(page.get_by_role("heading", name="Paste on a board from elsewhere")).to_be_visible()
    page.get_by_role("link", name="Open a job").click()
    page.get_by_role("button", name="Open the job").click()
    page.get_by_role("link", name="Paste", exact=True).click()
    expect(page.locator("[data-words]")).to_contain_text("aperture")
    leaves = ("Apertures", "Leadless parts", "By hand", "Weigh", "Alloy mix", "Print set-up")
    for leaf in (*leaves, "Stencil"):
        page.get_by_role("navigation", name="Pages").get_by_role(
            "link", name=leaf, exact=True
        ).click()
        expect(page.locator(".paste-leaves [aria-current]")).to_have_text(leaf)
    page.get_by_role("link", name="Apertures", exact=True).click()
    expect(
        page.get_by_role("button", name="Use all").or_(page.get_by_text("Nothing to change"))
    ).to_be_visible()


def test_a_dot_plan_is_followed_by_one_key_through_reload_and_kill(
    page: Page, server: LiveServer
) -> None:
    page.goto(f"{PAGE}/hand?side=top")
    page.get_by_role("button", name="Follow it at the bench").click()
    expect(page.locator("[data-go]")).to_contain_text("Done: ")
    count = page.evaluate("JSON.parse(document.getElementById('state').textContent).of")
    page.keyboard.press("Space")
    expect(page.get_by_text(f"1 of {count} stored")).to_be_visible()
    page.keyboard.press("PageDown")
    expect(page.get_by_text(f"2 of {count} stored")).to_be_visible()
    page.keyboard.press("Backspace")
    expect(page.get_by_text(f"1 of {count} stored")).to_be_visible()
    expect(page.locator(".hand-step.is-done")).to_have_count(1)
    expect(page.locator(".hand-step.is-now")).to_have_count(1)
    where = page.locator("[data-go] span").inner_text()
    page.reload()
    expect(page.locator("[data-go] span")).to_have_text(where)
    server.kill()
    page.keyboard.press("Space")
    expect(page.get_by_role("alert")).to_contain_text("kept on this device")
    page.keyboard.press("Space")
    server.start()
    expect(page.get_by_text(f"3 of {count} stored")).to_be_visible()
    for _ in range(count - 3):
        page.keyboard.press("Space")
        time.sleep(0.05)
    expect(page.locator("h1.bench-now")).to_contain_text("Every pad has its paste")
    expect(page.get_by_text(f"{count} of {count} stored")).to_be_visible()
    expect(page.locator("[data-go]")).to_be_disabled()


def test_an_answer_older_than_a_tap_does_not_take_the_tap_from_the_screen(page: Page) -> None:
    """The page asks once what the server holds; a tap made meanwhile stays counted when that comes."""
    held = []
    page.route(
        "**/api/runs/*/taps",
        lambda route: (
            held.append((route, route.fetch()))
            if route.request.method == "GET"
            else route.continue_()
        ),
    )
    page.goto(f"{PAGE}/hand?side=top")
    page.get_by_role("button", name="Follow it at the bench").click()
    expect(page.locator("[data-go]")).to_contain_text("Done: ")
    page.keyboard.press("Space")
    expect(page.get_by_text(re.compile(r"^1 of \d+ stored"))).to_be_visible()
    where = page.locator("[data-go] span").inner_text()
    route, answer = held[0]
    route.fulfill(response=answer)
    page.wait_for_timeout(400)
    expect(page.locator("[data-go] span")).to_have_text(where)
    expect(page.get_by_text(re.compile(r"^1 of \d+ stored"))).to_be_visible()


def test_a_print_is_noted_by_one_tap_and_a_choice_sends_itself(page: Page) -> None:
    page.goto(f"{PAGE}/weigh")
    page.get_by_role("button", name="Good").click()
    page.get_by_role("button", name="Smeared").click()
    expect(page.get_by_text("1 of 2 prints good")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("1 of 1 prints good")).to_be_visible()
    page.get_by_role("link", name="Alloy mix").click()
    page.get_by_label("Old solder on the pads").select_option("removal alloy")
    expect(page.get_by_text("Do not solder this combination")).to_be_visible()
    page.get_by_label("Old solder on the pads").select_option("nothing")
    expect(page.get_by_text("These are compatible")).to_be_visible()


def test_a_choice_made_before_the_script_came_sends_itself_too(page: Page) -> None:
    held: list[Route] = []
    page.route("**/static/send.js", lambda route: held.append(route))
    with page.expect_request("**/static/send.js"):
        page.goto(f"{PAGE}/mixing", wait_until="commit")
    page.get_by_label("Old solder on the pads").select_option("removal alloy")
    held[0].continue_()
    page.unroute("**/static/send.js")
    expect(page.get_by_text("Do not solder this combination")).to_be_visible()
    page.go_back()
    page.get_by_label("Old solder on the pads").select_option("nothing")
    expect(page.get_by_text("These are compatible")).to_be_visible()


@pytest.mark.parametrize(
    "path",
    [
        *(
            f"{PAGE}{leaf}"
            for leaf in ("", "/openings", "/leadless", "/hand", "/weigh", "/mixing", "/fixture")
        ),
        "/bench/materials",
    ],
)
def test_nothing_for_axe_to_find_and_no_sideways_scroll(page: Page, path: str) -> None:
    page.goto(f"{path}?foil=0.15")
    assert unfit(page) == []


def test_what_is_wrong_is_said_at_its_field_by_its_label(page: Page) -> None:
    page.goto("/jobs/1/paste/weigh")
    field = page.get_by_label("Weight before, all together")
    field.fill("a lot")
    field.press("Enter")
    expect(page.locator("small.at-field")).to_have_text("'a lot' is not a number; type digits")
    expect(field).to_be_focused()
    expect(field).to_have_attribute("aria-invalid", "true")
    assert barriers(page) == []
    field.fill("9")
    page.get_by_label("After printing").fill("8")
    page.get_by_label("After printing").press("Enter")
    expect(page.get_by_role("alert").first).to_contain_text("weight")
    expect(page.get_by_label("Weight before, all together")).to_have_value("9")
    assert barriers(page) == []
