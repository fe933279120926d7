"""Whole boards: three that nobody here made, the demo board, and sets that cannot be read."""

import io
import random
import re
import zipfile

import pytest

from tests.conftest import DATA, files_in
from tests.crafted import EDGE, layer
from tests.formats.gerber_text import at, gerber
from yellowfen.core.board.board import Board, Role
from yellowfen.core.board.choices import Choices, PadSet, PartChoice
from yellowfen.core.heat.heat_plan import HeatPlan
from yellowfen.core.part.package import JointKind
from yellowfen.core.rework.survey import Answers, Power, survey
from yellowfen.core.work.board_scene import scene_of
from yellowfen.demo.make_board import make_layers_without_copper
from yellowfen.demo.scenario import PARTS
from yellowfen.errors import InvalidValue, TooLarge, UnreadableFile, YellowfenError
from yellowfen.formats.board_files import read_board
from yellowfen.formats.bundle import unpack
from yellowfen.formats.layer_roles import guess_role
from yellowfen.workflows.boards import read_upload
from yellowfen.workflows.demo import demo_files

DRILLED = b"M48\nMETRIC,TZ\nT1C0.8\n%\nT1\nX120.0Y-80.0\nM30\n"
BOARDS = DATA / "boards"


def independent_count(data: bytes) -> int:
    """Flashes and region contours by text search alone: what a paste layer without overlaps opens."""
    text = data.decode("latin-1")
    regions = sum(
        len(re.findall(r"D0?2\*", block))
        for block in re.findall(r"G36\*(.*?)G37\*", text, re.DOTALL)
    )
    return len(re.findall(r"D0?3\*", text)) + regions


def test_foreign_board_with_regions() -> None:
    """303 openings and 335.68 mm²: figures on which two independent published parsers agreed."""
    files = files_in(BOARDS / "regions")
    board = read_board(files, "regions")
    assert board.paste_openings == {"top": 303, "bottom": 0}
    assert board.paste_openings["top"] == independent_count(files["board-F_Paste.gbr"])
    assert board.paste_area_mm2["top"] == pytest.approx(335.68, abs=0.01)
    assert len(board.holes) == 206 + 18
    assert (board.width_mm, board.height_mm) == pytest.approx((104.14, 106.68), abs=0.01)


def test_foreign_board_with_paste_on_both_sides() -> None:
    """90 flashes of which two overlap; 73 flashes and 48 regions; areas as above from two parsers."""
    files = files_in(BOARDS / "two-sided")
    board = read_board(files, "two-sided")
    assert board.paste_openings == {"top": 89, "bottom": 121}
    assert independent_count(files["board.GTP"]) == 90
    assert independent_count(files["board.GBP"]) == 121
    assert board.paste_area_mm2 == pytest.approx({"top": 117.17, "bottom": 91.07}, abs=0.01)
    assert any("proposed" in finding.sentence for finding in board.findings)
    assert len(board.parts) > 40


def test_foreign_board_whose_layers_name_pins() -> None:
    board = read_board(files_in(BOARDS / "attributes"), "attributes")
    assert board.paste_openings["top"] == 32
    assert board.paste_area_mm2["top"] == pytest.approx(18.957, abs=0.01)
    assert {"R1", "R2", "L1", "U1"} <= {part.ref for part in board.parts}
    assert sorted(pad.pin for pad in board.pads if pad.ref == "R1") == ["1", "2"]
    assert any(pad.net for pad in board.pads)
    assert any("outline" in finding.about for finding in board.findings)


def test_a_name_on_one_bare_pad_is_no_part_until_somebody_says_what_it_is() -> None:
    files = files_in(BOARDS / "attributes")
    silent = {name: data.replace(b"ComponentPad", b"Other") for name, data in files.items()}
    board = read_board(silent, "attributes")
    assert [part.ref for part in board.parts if part.ref.startswith("H")] == []
    said = [one.sentence for one in board.findings if "no parts" in one.sentence]
    assert said == ["H1, H2, H3, H4: one bare pad each, read as holes or test points, no parts"]
    (place,) = ((pad.x_mm, pad.y_mm) for pad in board.pads if pad.ref == "H2")
    by_package = Choices(parts={"H2": PartChoice(footprint="SOT-23")})
    by_pads = Choices(parts={"P1": PartChoice(name="H2")}, together={"P1": PadSet("top", (place,))})
    for told in (by_package, by_pads):
        parts = read_board(silent, "a", told).parts
        assert [part.ref for part in parts if part.ref[0] == "H"] == ["H2"]


def test_lands_of_holes_are_told_by_the_layer_where_no_file_drills_them() -> None:
    """The published example comes without its drill file: its connector is soldered from below all
    the same, and nobody is told that nets are torn.
    """
    files = files_in(BOARDS / "attributes")
    board = read_board(files, "attributes")
    (socket,) = (part for part in board.parts if part.ref == "J1")
    assert [land.kind for land in socket.package.lands] == 10 * [JointKind.THROUGH_HOLE]
    (plug,) = (part for part in board.parts if part.ref == "J2")  # its body reaches over its pegs
    assert (plug.package.body_x_mm, plug.package.body_y_mm) == pytest.approx((6.6, 7.6), abs=0.05)
    assert plug.in_holes == 18
    asked = survey(board, "J2", Answers(power=Power.SAFE), {})
    assert [one.sentence[:29] for one in asked.advice if one.about == "Holes"] == [
        "It also stands in 18 holes, w"
    ]
    heated = scene_of(board, HeatPlan(targets=("J2",)))
    assert any("J2 also stands in 18 holes" in one for one in heated.guesses)
    assert {pad.ref for pad in board.pads} == {"J2", "U1", "L1", "R1", "FL1", "R2", "L2"}
    (said,) = (one.sentence for one in board.findings if one.about == "drill")
    assert "107 holes are missing" in said
    assert not any(one.about == "nets" for one in board.findings)
    drilled = read_board({**files, "board.drl": DRILLED}, "attributes")
    assert not any(one.about == "drill" for one in drilled.findings)


@pytest.mark.parametrize("folder", ["regions", "two-sided", "attributes"])
def test_coverage_sums_to_the_copper(folder: str) -> None:
    board = read_board(files_in(BOARDS / folder), folder)
    for copper in board.copper:
        assert sum(map(sum, copper.coverage)) * copper.cell_mm**2 == pytest.approx(
            copper.area_mm2, rel=0.01
        )


def test_demo_board_is_wholly_understood(demo_board: Board) -> None:
    assert demo_board.findings == ()
    assert len(demo_board.parts) == len(PARTS) == 46
    expected = {part.ref: len(part.nets.split()) for part in PARTS}
    assert {part.ref: len(part.package.lands) for part in demo_board.parts} == expected
    assert all(pad.ref for pad in demo_board.pads)
    tab = next(land for land in demo_board.part("U5").package.lands if land.kind is JointKind.TAB)
    assert tab.area_mm2 == pytest.approx(
        6.3 * 5.9, rel=0.01
    )  # the mask opens 0.05 mm all round, over the plane


def test_demo_files_are_what_the_script_makes() -> None:
    """All layers but the routed copper, which takes a minute and is made by `python -m
    yellowfen.demo.make_board`.
    """
    kept = demo_files()
    for name, data in make_layers_without_copper().items():
        assert kept[name] == data, f"{name}: run python -m yellowfen.demo.make_board"


def test_chosen_roles_win_and_the_rest_is_found_by_name() -> None:
    layer = gerber("D10*\n" + at(1, 1, "D03") + at(30, 20, "D03"), "%ADD10C,1*%\n")
    assert guess_role("a.gbr", layer).role is Role.IGNORED
    assert guess_role("a-F_Paste.gbr", layer).role is Role.PASTE_TOP
    (guess,) = read_board(
        {"a-F_Paste.gbr": layer}, "chosen", {"a-F_Paste.gbr": Role.MASK_BOTTOM}
    ).layers
    assert (guess.role, guess.why) == (Role.MASK_BOTTOM, "you chose it")


def test_outline_drawn_on_paste_is_not_paste() -> None:
    frame = (
        "D11*\n"
        + at(0, 0, "D02")
        + at(40, 0, "D01")
        + at(40, 30, "D01")
        + at(0, 30, "D01")
        + at(0, 0, "D01")
    )
    apertures = "%ADD10R,1X1*%\n%ADD11C,0.1*%\n"
    files = {
        "x-F_Paste.gbr": gerber("D10*\n" + at(5, 5, "D03") + at(9, 5, "D03") + frame, apertures),
        "x-Edge_Cuts.gbr": gerber(frame, apertures),
    }
    board = read_board(files, "frame")
    assert board.paste_openings["top"] == 2
    assert any("outline" in finding.sentence for finding in board.findings)


def zipped(members: dict[str, bytes]) -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    return stream.getvalue()


def lying_zip() -> bytes:
    return zipped({"a.gtl": b"0" * 200_000_000})


@pytest.mark.parametrize(
    ("uploads", "error", "said"),
    [
        ([], InvalidValue, "no file was given"),
        ([("b.zip", b"PK\x03\x04 broken")], UnreadableFile, "not a sound zip"),
        ([("b.zip", b"nothing like it")], UnreadableFile, "not a sound zip"),
        ([("b.zip", b"")], UnreadableFile, "empty"),
        ([("b.zip", zipped({"inner.zip": zipped({"a": b"1"})}))], UnreadableFile, "another zip"),
        ([("b.zip", lying_zip())], TooLarge, "which no board needs"),
        (
            [("b.zip", zipped({f"{i}.gtl": b"x" for i in range(300)}))],
            TooLarge,
            "more than 200 files",
        ),
        (
            [("b.zip", zipped({"readme.txt": b"hello"}))],
            UnreadableFile,
            "no copper, mask or paste layer",
        ),
        ([("a.gtl", b"")], UnreadableFile, "empty"),
        ([("a.gtl", bytes(range(256)) * 9)], UnreadableFile, "neither Gerber nor drill"),
    ],
)
def test_sets_that_cannot_be_read(
    uploads: list[tuple[str, bytes]], error: type[YellowfenError], said: str
) -> None:
    with pytest.raises(error, match=said):
        read_upload(uploads)


def test_names_are_labels_not_paths() -> None:
    found = unpack([("../../etc/passwd", b"1"), ("c:\\x\\passwd", b"2")])
    assert list(found) == ["passwd", "2-passwd"]


def named_board(seed: int) -> tuple[dict[str, bytes], bytes, dict[str, bool]]:
    """Layers that name their pins, of random parts in a row of their own each; their drill file;
    which parts stand in holes.
    """
    chance = random.Random(seed)
    pens = (
        "%TA.AperFunction,ComponentPad*%\n%ADD20C,1.6*%\n%TA.AperFunction,SMDPad,CuDef*%\n"
        "%ADD21R,1.2X0.8*%\n%TD*%\n"
    )
    copper, mask, paste, drilled = [pens], [pens], [pens], []
    in_holes = {}
    for n in range(chance.randint(2, 6)):
        ref, pins = f"X{n}", chance.randint(2, 7)
        in_holes[ref] = chance.random() < 0.5
        pen, pitch = (20, 2.54) if in_holes[ref] else (21, chance.choice([1.6, 2.0, 3.0]))
        for pin in range(pins):
            x, y = 6.0 + pin * pitch, 6.0 + 7.0 * n
            flash = f"D{pen}*\nX{round(x * 1e6)}Y{round(y * 1e6)}D03*\n"
            copper.append(f"%TO.P,{ref},{pin + 1}*%\n%TO.C,{ref}*%\n{flash}%TD*%\n")
            mask.append(flash)
            paste += [] if in_holes[ref] else [flash]
            drilled += [f"X{x:.3f}Y{y:.3f}"] if in_holes[ref] else []
    files = {
        "edge.gbr": layer(EDGE, "Profile,NP"),
        "copper.gbr": layer("".join(copper)),
        "mask.gbr": layer("".join(mask), "Soldermask,Top"),
        "paste.gbr": layer("".join(paste), "Paste,Top"),
    }
    drill = "M48\nMETRIC,TZ\nT1C0.9\n%\nT1\n" + "\n".join(drilled) + "\nM30\n"
    return files, drill.encode(), in_holes


@pytest.mark.parametrize("seed", range(20))
def test_parts_in_holes_are_the_same_with_and_without_their_drill_file(seed: int) -> None:
    """What stands in holes is no pad for paste, whoever tells it; what lies on the face is."""
    files, drill, in_holes = named_board(seed)
    told = any(in_holes.values())
    for board in (
        read_board(files, "n"),
        *([read_board({**files, "holes.drl": drill}, "n")] if told else []),
    ):
        assert {part.ref for part in board.parts} == set(in_holes)
        for part in board.parts:
            kinds = {land.kind is JointKind.THROUGH_HOLE for land in part.package.lands}
            assert kinds == {in_holes[part.ref]}
        assert {pad.ref for pad in board.pads} == {
            ref for ref, holes in in_holes.items() if not holes
        }
        assert all(pad.paste_mm2 > 0 for pad in board.pads)
    assert any(one.about == "drill" for one in read_board(files, "n").findings) == told


def test_a_drawing_that_is_shown_in_part_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("yellowfen.formats.board_ink.MOST_INK", 2_000)
    board = read_board(demo_files(), "demo")
    told = [finding.about for finding in board.findings if "first part of it" in finding.sentence]
    assert "copper top" in told
