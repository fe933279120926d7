"""The first hour: hints that go away, words that explain themselves, a forecast in thirteen clicks."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.barriers import barriers
from tests.live_server import LiveServer
from yellowfen.core.look.glossary import terms, written_forms
from yellowfen.web.hints import HINTS, dismiss_all, show_again
from yellowfen.workflows.demo import demo_files
from yellowfen.workflows.opening import connect_existing

ROOMS = {
    "jobs": "/",
    "boards": "/boards",
    "bench": "/bench",
    "ready": "/jobs/1/ready",
    "paste": "/jobs/1/paste",
    "place": "/jobs/1/place",
    "heat": "/jobs/1/heat",
    "reference": "/reference",
}


@pytest.fixture
def with_hints(server: LiveServer):  # type: ignore[no-untyped-def]
    connection = connect_existing(server.data)
    show_again(connection)
    yield
    dismiss_all(connection)
    connection.close()


@pytest.mark.parametrize("room", ROOMS)
def test_three_hints_stand_beside_what_they_are_about_and_go_for_good(
    page: Page, room: str, with_hints: None
) -> None:
    page.goto(ROOMS[room])
    hints = page.locator(".hint")
    expect(hints).to_have_count(3)
    assert [hint.locator("span").inner_text() for hint in hints.all()] != []
    over = page.evaluate(
        """() => [...document.querySelectorAll(".hint")].some((hint) => {
          const a = hint.getBoundingClientRect();
          return [...document.querySelectorAll("svg.plan")].some((plan) => {
            const b = plan.getBoundingClientRect();
            return a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom;
          });
        })"""
    )
    assert not over
    assert barriers(page) == []
    page.set_viewport_size({"width": 390, "height": 700})
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    with page.expect_response(re.compile(r"/hints/")):
        page.get_by_role("button", name="Hide these hints").click()
    expect(hints).to_have_count(0)
    page.reload()
    page.wait_for_load_state("networkidle")
    expect(hints).to_have_count(0)


def test_hints_are_short() -> None:
    for room, hints in HINTS.items():
        for hint in hints:
            assert len(hint.says.split()) <= 22, (room, hint.says)


def test_a_word_shows_its_drawing_where_it_stands(page: Page) -> None:
    page.goto("/reference/words")
    expect(page.locator(".word-list > li")).to_have_count(len(terms()))
    assert page.locator(".word-list svg").count() == len(terms())
    assert barriers(page) == []
    page.goto("/jobs/1/ready")
    word = page.locator("a.term").first
    key = word.get_attribute("data-term")
    assert written_forms()[word.inner_text().lower()] == key
    word.click()
    card = page.get_by_role("dialog", name="What a word means")
    expect(card.locator("svg")).to_be_visible()
    assert barriers(page) == []
    page.keyboard.press("Escape")
    expect(card).to_be_hidden()
    expect(word).to_be_focused()
    card_link = page.locator("a.term").first
    card_link.click()
    card.get_by_role("link", name="All words").click()
    expect(page).to_have_url(re.compile(rf"/reference/words#{key}$"))


def test_from_nothing_to_a_forecast_in_thirteen_clicks_without_typing(page: Page) -> None:
    clicks = 0

    def press(target: object) -> None:
        nonlocal clicks
        clicks += 1
        target.click()  # type: ignore[attr-defined]

    page.goto("/")
    press(page.get_by_role("link", name="Add a board"))
    clicks += 2  # the file dialog: choose the file, open it
    page.set_input_files(
        "[data-files]",
        [
            {"name": name, "mimeType": "application/octet-stream", "buffer": data}
            for name, data in demo_files().items()
        ],  # type: ignore[arg-type]
    )
    press(page.get_by_role("button", name="Read the files"))
    press(page.get_by_role("link", name="Open a job"))
    press(page.get_by_role("button", name="Open the job"))
    page.wait_for_url(re.compile(r"/jobs/\d+"), timeout=120_000)
    press(page.get_by_role("link", name="Heat", exact=True))
    verdict = page.locator(".heat-stage .verdict")
    expect(verdict).to_contain_text(re.compile(r"olten at about \d+ s"), timeout=120_000)
    assert clicks <= 13
