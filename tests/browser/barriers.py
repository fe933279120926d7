"""What stands in the way of a reader on a page."""

from typing import Any

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
    return _broken(Axe().run(page).response)


def unfit(page: Page) -> list[tuple[str, list[str]]]:
    """What stands in the way on a page by day, what is too faint in its dim colours (nothing else
    of it differs), and at which widths, a phone's and twice the size, it has to be pushed sideways.
    """
    found = barriers(page)
    page.evaluate("document.documentElement.dataset.theme = 'dark'")
    faint = {"resultTypes": ["violations"], "runOnly": ["color-contrast"]}
    found += _broken(page.evaluate("how => axe.run(document, how)", faint))
    for width in (390, 640):
        page.set_viewport_size({"width": width, "height": 800})
        if page.evaluate("document.documentElement.scrollWidth") > width + 1:
            found.append((f"wider than {width}", []))
    return found


def _broken(seen: dict[str, Any]) -> list[tuple[str, list[str]]]:
    return [
        (one["id"], [node["html"][:120] for node in one["nodes"]][:3]) for one in seen["violations"]
    ]
