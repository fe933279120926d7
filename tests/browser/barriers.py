"""What stands in the way of a reader on a page."""

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect


def at_rest(page: Page) -> None:
    """Wait until the page that was asked for is there: one that waits for the worker shows how far
    it is, and loads itself again, which ends whatever a test is doing on it.
    """
    expect(page.locator("[data-working]")).to_have_count(0, timeout=60_000)
    page.wait_for_load_state("load")


def barriers(page: Page, resting: bool = True) -> list[tuple[str, list[str]]]:
    """The rules that axe finds broken, each with the first places of it; of a page that has come to
    rest, or of this one as it is.
    """
    if resting:
        at_rest(page)
    return [
        (one["id"], [node["html"][:120] for node in one["nodes"]][:3])
        for one in Axe().run(page).response["violations"]
    ]
