"""A whole side by hot air: planned, drawn, taken, followed by one key through reload and kill."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.barriers import barriers
from tests.live_server import LiveServer

pytestmark = pytest.mark.browser


def open_heat(page: Page, server: LiveServer, parts: str) -> None:
    """A job of its own at its Heat stage: the server is shared with other tests."""
    form = {"purpose": "rework", "parts": parts, "name": "Heat by eye"}
    opened = page.request.post(f"{server.url}/boards/1/open", form=form)
    job = re.findall(r"/jobs/([0-9]+)", opened.url)[0]
    page.request.post(f"{server.url}/jobs/{job}/refit/heat")
    page.goto(f"/jobs/{job}/heat")
    page.wait_for_selector("body[data-rehearsed=fine]")


def test_a_tap_that_is_hard_to_believe_is_asked_about_and_a_flow_ends_the_heat(
    page: Page, server: LiveServer
) -> None:
    open_heat(page, server, "U4")
    page.get_by_role("button", name="Run it at the bench").click()
    go = page.locator("[data-go]")
    expect(go).to_contain_text("Start")
    page.keyboard.press("Space")
    expect(page.get_by_role("button", name="Flux turns clear and thin")).to_be_visible()
    page.keyboard.press("Space")  # close in
    expect(go).to_contain_text("U4 melted")
    page.keyboard.press("Space")
    ask = page.locator(".bench-ask")
    expect(ask).to_contain_text("That is unusual")
    page.keyboard.press("Backspace")
    expect(ask).not_to_be_visible()
    expect(go).to_contain_text("U4 melted")
    page.keyboard.press("Space")
    expect(ask).to_be_visible()
    page.keyboard.press("y")
    expect(ask).not_to_be_visible()
    expect(page.locator("h1.bench-now")).to_have_text("Everything has melted.")
    expect(go).to_contain_text("Heat is away")
    expect(page.locator(".bench-next").first).to_contain_text(re.compile("away( now)?:"))


def test_a_whole_side_is_planned_taken_and_followed_by_one_key(
    page: Page, server: LiveServer
) -> None:
    open_heat(page, server, "U4")
    page.get_by_role("tab", name="Tour").click()
    page.get_by_role("button", name="Whole side").click()
    expect(page.get_by_text("36 parts", exact=True)).to_be_visible()
    page.get_by_role("button", name="Plan a tour").click()
    expect(page.get_by_text(re.compile(r"so far \d+ stops in"))).to_be_visible()
    expect(page.locator(".plan-tour .tour-stop").first).to_be_visible()  # drawn before it is done
    take = page.get_by_role("button", name="Use this tour")
    expect(take).to_be_visible()  # asks at ease: `wait_for` asks at every frame
    expect(page.locator(".tour-stops li").first).to_contain_text("melts last")
    expect(page.get_by_text("Left for the iron, fitted afterwards")).to_be_visible()
    planned = page.locator(".tour-stops li").count()
    take.click()
    page.wait_for_selector("body[data-rehearsed=fine]")
    page.get_by_role("tab", name="Tour").click()
    expect(page.locator(".tour-stops li")).to_have_count(planned)
    expect(page.locator(".plan-tour .tour-stop")).to_have_count(planned)
    expect(page.locator(".verdict")).to_contain_text(f"{planned} stops, about")
    assert page.locator(".cues li").count() < planned + 20  # not one a part
    assert barriers(page) == []
    page.get_by_role("button", name="Run it at the bench").click()
    go, said = page.locator("[data-go]"), page.locator("[data-cue]")
    expect(go).to_contain_text("Start")
    page.keyboard.press("Space")
    if page.get_by_text("Preheat the area").count():
        page.keyboard.press("Space")
    for number in range(1, planned + 1):
        title = page.locator("h1.bench-now")
        expect(title).to_contain_text(f"Stop {number} of {planned}")
        expect(page.locator(".tour-number.now")).to_have_text(str(number))
        if number == 1:  # the screen and the voice say the same
            expect(said).to_contain_text(title.inner_text())
            assert barriers(page) == []
        if number == 2:
            page.reload()
            expect(title).to_contain_text(f"Stop 2 of {planned}")
            page.keyboard.press("f")
            expect(page.get_by_text(re.compile(r"Flux turns clear and thin \d+ s"))).to_be_visible()
        if number == 3:
            server.kill()
        page.keyboard.press("Space")
        if number == 3:
            expect(page.get_by_role("alert").first).to_contain_text("kept on this device")
            server.start()
        expect(title).not_to_contain_text(f"Stop {number} of")
    expect(go).to_contain_text("Heat is away")
    page.keyboard.press("Space")
    expect(go).to_contain_text("All solid")
    page.keyboard.press("Space")
    expect(go).to_be_disabled()
    expect(page.get_by_text(re.compile(r"Stored: .*All solid"))).to_be_visible()
    page.get_by_role("link", name="Inspect the joints").click()
    expect(page.get_by_role("heading", name="To inspect, riskiest first")).to_be_visible()
