"""What stands in the way of a reader on a page."""

from typing import Any

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect


def at_rest(page: Page) -> None:
    """Wait until the page that was asked for is there: one that waits for the worker shows how far
    it is, and loads itself again, which ends whatever a test is doing on it.
    """
    expect(page.locator("[data-working]")).to_have_count(0)
    page.wait_for_load_state("load")


def barriers(page: Page, resting: bool = True) -> list[tuple[str, list[str]]]:
    """The rules that axe finds broken, each with the first places of it; of a page that has come to
    rest, or of this one as it is.
    """
    if resting:
        at_rest(page)
    return _broken(Axe().run(page).response)


# Short words in the text of a page that stand on two lines, a letter or two on each, and cells of a
# table that hold a figure with its unit, not on one line.
_BROKEN_WORDS = """() => {
  const found = [], texts = document.createTreeWalker(document.querySelector("main"), NodeFilter.SHOW_TEXT);
  for (let text; (text = texts.nextNode()); ) {
    if (text.parentElement.closest("svg") || !text.parentElement.checkVisibility()) continue;
    for (const word of text.data.matchAll(/[^\\s/–-]{1,14}(?=[\\s/–-]|$)/g)) {
      if (word.index && !/[\\s/–-]/.test(text.data[word.index - 1])) continue;
      const range = document.createRange();
      range.setStart(text, word.index);
      range.setEnd(text, word.index + word[0].length);
      if (new Set([...range.getClientRects()].filter((box) => box.width).map((box) => Math.round(box.top))).size > 1)
        found.push(word[0]);
    }
  }
  const figure = /^[-+<>≤≥±–\\d.,\\s]*\\d\\s?[a-zA-Zµ°%²³\\/]{1,4}$/;
  for (const cell of document.querySelectorAll("main td")) {
    if (!cell.checkVisibility() || !figure.test(cell.textContent.trim())) continue;
    const range = document.createRange();
    range.selectNodeContents(cell);
    const lines = [...range.getClientRects()].filter((box) => box.width > 1).map((box) => Math.round(box.bottom / 6));
    if (new Set(lines).size > 1) found.push(cell.textContent.trim());
  }
  return found.slice(0, 5);
}"""


def unfit(page: Page) -> list[tuple[str, list[str]]]:
    """What stands in the way on a page by day, what is too faint in its dim colours (nothing else
    of it differs), and at which widths, a phone's and twice the size, it has to be pushed sideways
    or breaks a short word.
    """
    found = barriers(page)
    page.evaluate("document.documentElement.dataset.theme = 'dark'")
    faint = {"resultTypes": ["violations"], "runOnly": ["color-contrast"]}
    found += _broken(page.evaluate("how => axe.run(document, how)", faint))
    for width in (390, 640):
        page.set_viewport_size({"width": width, "height": 800})
        if page.evaluate("document.documentElement.scrollWidth") > width + 1:
            found.append((f"wider than {width}", []))
        if broken := page.evaluate(_BROKEN_WORDS):
            found.append((f"words broken at {width}", broken))
    return found


def _broken(seen: dict[str, Any]) -> list[tuple[str, list[str]]]:
    return [
        (one["id"], [node["html"][:120] for node in one["nodes"]][:3]) for one in seen["violations"]
    ]
