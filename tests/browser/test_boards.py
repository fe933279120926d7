"""A person's way with boards: triage, a card, a correction; a patch sketched in a minute; a large
board read with progress.
"""

import re
import struct
import zlib
from pathlib import Path

import pytest
from benchmarks.board_case import large_board
from playwright.sync_api import Page, Route, expect

from tests.browser.barriers import barriers, unfit
from tests.formats.test_nets import without_names
from yellowfen.workflows.demo import demo_files

pytestmark = pytest.mark.browser


def test_triage_opens_its_reasons_and_a_part_is_corrected(page: Page) -> None:
    page.goto("/boards/1")
    first = page.locator(".triage > li").first
    expect(first).to_contain_text("U2")
    first.locator("summary").click()
    expect(first).to_contain_text("melts last and floats the part")
    page.locator('svg.plan .part[data-ref="R9"]').click()
    card = page.locator(".part-card")
    expect(card).to_contain_text("R9")
    card.get_by_text("Correct it").click()
    card.get_by_label("Value").fill("390 Ω")
    card.get_by_role("button", name="Read again with these").click()
    expect(page.locator(".part-card")).to_contain_text("390 Ω")
    page.get_by_role("link", name=re.compile("hidden joints")).click()
    expect(page.locator(".triage > li")).to_have_count(2)
    page.wait_for_load_state()
    page.locator('svg.plan .pad[data-ref="U4"][data-pin="4"]').click()
    expect(page.locator("[data-part-said]")).to_contain_text(
        re.compile(r"pin 4, net .*: \d+ pads on this side")
    )


def test_a_files_role_is_changed_with_immediate_effect(page: Page) -> None:
    page.goto("/boards/1?leaf=files")
    page.get_by_label("What reedgate-paste-bottom.gbr is").select_option("not used")
    expect(page.locator(".job-head")).to_contain_text("0 on the bottom")
    page.get_by_label("What reedgate-paste-bottom.gbr is").select_option("paste bottom")
    expect(page.locator(".job-head")).to_contain_text("21 on the bottom")


def test_a_patch_is_sketched_and_heated(page: Page) -> None:
    page.goto("/boards")
    page.get_by_label("Name of the patch").fill("A radio's storage chip")
    page.get_by_role("button", name="Sketch a patch").click()
    for name in ("SOIC-8", "0603", "0603", "0805", "LED_0603", "CAN-6.3", "SOT-23"):
        page.locator(f'[data-add="{name}"]').click()
    expect(page.locator("svg.sketch g.part")).to_have_count(7)
    page.locator('svg.sketch g[data-ref="U1"] .drawn-body').first.click()
    page.get_by_label("Distance to the right in mm").fill("1,25")
    page.get_by_label("Distance to the right in mm").press("Enter")
    page.locator("svg.sketch").press("r")
    expect(page.get_by_label("Turned, °")).to_have_value("90")
    page.get_by_label("Copper plane under the part?").select_option("yes")
    expect(page.locator("[data-kept]")).to_contain_text("kept: 7 parts, 21 pads")
    page.get_by_text("Nets, if you know some").click()
    page.get_by_label("One net per line").fill("U1.4 C1.2 GND\nU1.8 C9.1 supply")
    page.get_by_label("One net per line").blur()
    expect(page.locator("[data-kept]")).to_contain_text("21 pads, 2 nets")
    expect(page.locator("[data-net-problems]")).to_contain_text("line 2: there is no part C9 here")
    page.get_by_role("link", name="Done").click()
    expect(page.get_by_role("heading", name="A radio's storage chip")).to_be_visible()
    expect(page.locator(".triage > li")).to_have_count(7)
    page.get_by_role("link", name="Open a job").click()
    page.get_by_label("Which parts?").fill("U1")
    page.get_by_role("radio", name="Rework").check()
    page.get_by_role("button", name="Open the job").click()
    page.get_by_role("link", name="Remove", exact=True).click()
    page.wait_for_selector("body[data-rehearsed=fine]")
    expect(page.locator(".verdict")).to_contain_text(re.compile("olten|Lift"))


def test_what_is_typed_in_a_sketch_is_refused_with_a_sentence_and_kept_when_right(
    page: Page,
) -> None:
    page.goto("/boards")
    page.get_by_role("button", name="Sketch a patch").click()
    expect(page.locator("svg.sketch .plan-board")).to_be_visible()
    page.get_by_label("Width, mm").fill("900")
    page.get_by_label("Height, mm").focus()
    expect(page.get_by_role("alert")).to_contain_text("width: 900 mm is outside 2 to 400")
    page.get_by_label("Width, mm").fill("55")
    page.get_by_label("Height, mm").focus()
    expect(page.locator("[data-kept]")).to_contain_text("kept: 0 parts")
    page.reload()
    expect(page.get_by_label("Width, mm")).to_have_value("55")


def picture(path: Path, wide: int, high: int) -> Path:
    """A plain grey PNG of that size."""
    rows = b"".join(b"\0" + b"\x99" * wide for _ in range(high))
    chunks = (
        (b"IHDR", struct.pack(">IIBBBBB", wide, high, 8, 0, 0, 0, 0)),
        (b"IDAT", zlib.compress(rows)),
        (b"IEND", b""),
    )
    path.write_bytes(
        b"\x89PNG\r\n\x1a\n"
        + b"".join(
            struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
            for kind, data in chunks
        )
    )
    return path


def test_a_photo_is_scaled_by_two_clicks(page: Page, tmp_path: Path) -> None:
    """Two clicks half the photo's width apart, said to be 25 mm: the photo is 50 mm wide."""
    page.goto("/boards")
    page.get_by_role("button", name="Sketch a patch").click()
    page.get_by_text("Photo as background").click()
    page.set_input_files("[data-picture]", str(picture(tmp_path / "b.png", 400, 300)))
    photo = page.locator("svg.sketch image")
    expect(photo).to_have_attribute("width", re.compile(r"^40(\.0*\d*)?$"))
    page.get_by_role("button", name="Scale it: two clicks").click()
    box = photo.bounding_box()
    assert box is not None
    for share in (0.25, 0.75):
        page.mouse.click(box["x"] + share * box["width"], box["y"] + 0.5 * box["height"])
    page.get_by_label("Their distance, mm").fill("25")
    page.get_by_label("Their distance, mm").press("Enter")
    expect(page.locator("[data-said]")).to_contain_text("Scaled")
    assert float(photo.get_attribute("width") or 0) == pytest.approx(50, rel=0.02)
    expect(page.locator("[data-kept]")).to_contain_text("kept")
    page.reload()
    assert float(photo.get_attribute("width") or 0) == pytest.approx(50, rel=0.02)


def test_a_large_board_is_read_with_progress(page: Page) -> None:
    files = [
        {"name": name, "mimeType": "application/octet-stream", "buffer": data}
        for name, data in large_board(400, 8, 5000).items()
    ]
    page.goto("/boards")
    page.set_input_files("[data-files]", files)  # type: ignore[arg-type]
    page.get_by_label("Name (optional)", exact=True).fill("A large board")
    page.get_by_role("button", name="Read the files").click()
    expect(page).to_have_url(re.compile(r"/boards/\d+$"))
    expect(page.locator("svg.plan .part")).to_have_count(20)


@pytest.mark.parametrize(
    "path",
    [
        "/boards",
        "/boards/1",
        "/boards/1?leaf=files",
        "/boards/1?leaf=advice&part=U2",
        "/packages",
        "/jobs/1/paste?foil=0.15",
    ],
)
def test_pages_are_accessible_and_fit(page: Page, path: str) -> None:
    page.goto(path)
    assert page.evaluate("document.documentElement.scrollWidth") <= 1280
    assert unfit(page) == []


def test_nothing_is_lost_in_the_sketch_and_on_the_board(page: Page, tmp_path: Path) -> None:
    """Keys alone choose and move parts; each step, a part's removal and the photo's too, is undone."""
    page.goto("/boards")
    page.get_by_role("button", name="Sketch a patch").click()
    for name in ("SOIC-8", "0603", "0805"):
        page.locator(f'[data-add="{name}"]').click()
    parts = page.locator("svg.sketch [data-part-key]")
    stood = parts.nth(1).locator("g.part").get_attribute("transform")
    parts.nth(1).focus()
    expect(page.locator("[data-part=ref]")).to_have_value("R1")
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowUp")
    assert parts.nth(1).locator("g.part").get_attribute("transform") != stood
    page.keyboard.press("Delete")
    expect(parts).to_have_count(2)
    page.keyboard.press("Control+z")
    expect(parts).to_have_count(3)
    page.keyboard.press("Control+z")  # the four arrows followed each other: one step
    expect(parts.nth(1).locator("g.part")).to_have_attribute("transform", stood or "")
    page.get_by_role("button", name="Redo").click()
    page.get_by_role("button", name="Redo").click()
    expect(parts).to_have_count(2)
    page.get_by_text("Photo as background").click()
    page.set_input_files("[data-picture]", str(picture(tmp_path / "b.png", 400, 300)))
    photo = page.locator("svg.sketch image")
    expect(photo).to_have_count(1)
    page.get_by_role("button", name="Remove the photo").click()
    expect(photo).to_have_count(0)
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(photo).to_have_count(1)
    expect(page.locator("[data-kept]")).to_contain_text("kept: 2 parts")
    page.reload()
    expect(parts).to_have_count(2)
    expect(photo).to_have_count(1)

    page.goto("/boards/1?part=R7")
    page.get_by_text("Correct it").click()
    page.locator(".part-card input[name=name]").fill("R70")
    page.get_by_role("button", name="Read again with these").click()
    expect(page.get_by_role("button", name="Undo: R7 named R70")).to_be_visible()
    page.locator("h1").click()
    page.keyboard.press("Control+z")
    expect(page.locator('svg.plan [data-ref="R7"]').first).to_be_attached()
    expect(page.get_by_role("button", name="Undo: R7 named R70")).to_be_hidden()


def test_a_refused_form_keeps_what_was_typed_and_chosen(page: Page) -> None:
    """On its own page, and on the way back from the page that only tells the problem."""
    page.goto("/boards/1?part=R7")
    page.get_by_text("Correct it").click()
    card = page.locator("form.settings[action='/boards/1/part']")
    card.locator("[name=name]").fill("C1")
    card.locator("[name=value]").fill("mine")
    card.locator("[name=turn]").select_option("90")
    card.get_by_role("button").click()
    expect(page.locator("p.problem")).to_contain_text("C1 is on this board already")
    expect(card.locator("[name=value]")).to_have_value("mine")
    expect(card.locator("[name=turn]")).to_have_value("90")
    page.goto("/boards/1")
    page.get_by_text("Group pads").click()
    page.locator('svg.plan .part[data-ref="U4"]').first.click()
    page.locator("[data-together] [name=name]").fill("U44")
    page.get_by_role("button", name="Make one part of them").click()
    expect(page.locator("p.problem")).to_contain_text("the files give these pads to U4")
    expect(page.locator("[data-pad-count]")).to_have_text("8 pads")
    page.goto("/jobs/1/purpose")
    page.get_by_role("textbox").first.fill("U4, XX99")
    page.get_by_role("button", name="Save").click()
    if page.get_by_role("link", name="Back to where you were").count():
        page.get_by_role("link", name="Back to where you were").click()
    expect(page.get_by_role("textbox").first).to_have_value("U4, XX99")


def test_the_sketch_is_accessible_and_fits(page: Page) -> None:
    page.goto("/boards")
    page.get_by_role("button", name="Sketch a patch").click()
    page.locator('[data-add="SOIC-8"]').click()
    assert barriers(page) == []
    page.set_viewport_size({"width": 390, "height": 800})
    assert page.evaluate("document.documentElement.scrollWidth") <= 390


def test_twenty_parts_are_named_in_one_visit_with_sixty_keys(page: Page) -> None:
    """One press begins; a name's number goes on by itself from part to part of a kind."""
    bare = {
        name: data
        for name, data in without_names(demo_files()).items()
        if not name.endswith(".csv")
    }
    page.goto("/boards")
    page.set_input_files(
        "[data-files]",
        [{"name": name, "mimeType": "text/plain", "buffer": data} for name, data in bare.items()],
    )
    page.get_by_role("button", name="Read the files").click()
    page.wait_for_selector("[data-begin-naming]")
    page.wait_for_load_state()
    before = int(page.locator("[data-unnamed-count]").text_content() or 0)
    presses = 1
    page.locator("[data-begin-naming]").click()
    field = page.locator("[data-naming] input[name=name]")
    letters = iter("RCDQULJXYZ")
    for done in range(20):
        expect(page.locator("[data-unnamed-count]")).to_have_text(str(before - done))
        if not field.input_value():
            page.keyboard.type(f"{next(letters)}1")
            presses += 2
        page.keyboard.press("Enter")
        presses += 1
    expect(page.locator("[data-unnamed-count]")).to_have_text(str(before - 20))
    assert presses <= 60
    page.reload()
    expect(page.locator("[data-unnamed-count]")).to_have_text(str(before - 20))


def test_a_frame_over_pads_makes_them_one_part(page: Page) -> None:
    page.goto("/boards/1?leaf=parts")
    page.get_by_text("Group pads").click()
    plan = page.locator("svg.plan")
    boxes = [plan.locator(f'.pad[data-ref="R9"][data-pin="{pin}"]').bounding_box() for pin in "12"]
    x0 = min(box["x"] for box in boxes if box) - 3
    y0 = min(box["y"] for box in boxes if box) - 3
    x1 = max(box["x"] + box["width"] for box in boxes if box) + 3
    y1 = max(box["y"] + box["height"] for box in boxes if box) + 3
    page.mouse.move(x0, y0)
    page.mouse.down()
    page.mouse.move(x1, y1, steps=6)
    page.mouse.up()
    expect(page.locator("[data-pad-count]")).to_have_text("2 pads")
    page.locator("[data-together] input[name=name]").fill("R9")
    page.locator("[data-none]").click()
    expect(page.locator("[data-pad-count]")).to_have_text("0 pads")


def test_what_is_typed_before_the_script_has_come_stays(page: Page) -> None:
    """A slow line or a cold server: the words are there before what makes them live."""
    held: list[Route] = []
    page.route("**/alpine-csp.min.js", lambda route: held.append(route))
    for path, typed, chosen in (
        ("/boards/1/open", ("Which parts?", "U4 C3"), ("radio", "Rework")),
        ("/bench/stations/1", ("Seconds until it melted", "31 33"), None),
    ):
        page.goto(path, wait_until="commit")
        page.get_by_label(typed[0]).fill(typed[1])
        if chosen:
            page.get_by_role(chosen[0], name=chosen[1]).check()
        while not held:
            page.wait_for_timeout(20)
        held.pop().continue_()
        page.wait_for_load_state("load")
        assert page.evaluate("'_x_dataStack' in document.querySelector('[x-data]')")
        expect(page.get_by_label(typed[0])).to_have_value(typed[1])
        if chosen:
            expect(page.get_by_role(chosen[0], name=chosen[1])).to_be_checked()
