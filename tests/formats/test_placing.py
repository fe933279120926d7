"""A placement's zero, unit, mirroring and turns: found against the pads, proposed, applied only
when accepted.
"""

import csv
import io
import re
from dataclasses import replace

import pytest

from tests.formats.test_nets import without_names
from yellowfen.core.board.board import Board
from yellowfen.core.board.choices import Choices, PartChoice
from yellowfen.core.part.library import Library, OwnPackage
from yellowfen.core.part.package import JointKind
from yellowfen.demo.scenario import WIDTH_MM
from yellowfen.formats.board_files import read_board
from yellowfen.workflows.demo import demo_files

PLACEMENT = "reedgate-placement.csv"


def changed(change) -> dict[str, bytes]:  # type: ignore[no-untyped-def]
    """The demo files with every placement row changed by a function of (x, y, rotation, side)."""
    files = without_names(demo_files())
    rows = list(csv.reader(io.StringIO(files[PLACEMENT].decode())))
    for row in rows[1:]:
        row[3], row[4], row[5] = (
            f"{value:.4f}" for value in change(float(row[3]), float(row[4]), float(row[5]), row[6])
        )
    stream = io.StringIO()
    csv.writer(stream).writerows(rows)
    return files | {PLACEMENT: stream.getvalue().encode()}


def fits(board: Board) -> int:
    return sum(
        part.joined and "nearness" not in part.note and not part.package.guessed
        for part in board.parts
    )


CHANGES = {
    "moved": lambda x, y, turn, side: (x + 13.5, y - 7.25, turn),
    "in mil": lambda x, y, turn, side: (x / 0.0254, y / 0.0254, turn),
    "turned": lambda x, y, turn, side: (-y, x, (turn + 90) % 360),
    "bottom mirrored": lambda x, y, turn, side: (x if side == "top" else WIDTH_MM - x, y, turn),
    "bottom mirrored about zero": lambda x, y, turn, side: (x if side == "top" else -x, y, turn),
}


@pytest.mark.parametrize("name", CHANGES)
def test_a_systematic_change_is_proposed_and_applied_only_when_accepted(
    demo_board: Board, name: str
) -> None:
    files = changed(CHANGES[name])
    board = read_board(files, name)
    (proposal,) = board.proposals
    assert proposal.fits_after >= proposal.fits_before + 5
    assert proposal.sentence.startswith("Placement: ")
    accepted = read_board(files, name, Choices(shift=proposal.shift))
    assert fits(accepted) == fits(demo_board)
    for part in demo_board.parts:
        there = accepted.part(part.ref)
        assert (there.x_mm, there.y_mm) == pytest.approx((part.x_mm, part.y_mm), abs=0.06)
    assert accepted.proposals == ()


def test_the_boards_corner_as_zero_is_taken_and_said(demo_board: Board) -> None:
    files = {
        name: data.replace(b"%MOMM*%", b"%MOMM*%\n%OFA100B50*%") if name.endswith(".gbr") else data
        for name, data in demo_files().items()
    }
    holes = {
        name: shifted_drill(data) if name.endswith(".drl") else data for name, data in files.items()
    }
    board = read_board(holes, "elsewhere")
    assert any("lower left corner" in finding.sentence for finding in board.findings)
    assert board.proposals == ()
    assert fits(board) == fits(demo_board)


def shifted_drill(data: bytes) -> bytes:
    return re.sub(
        rb"^X([\d.]+)Y([\d.]+)",
        lambda m: b"X%.3fY%.3f" % (float(m[1]) + 100, float(m[2]) + 50),
        data,
        flags=re.MULTILINE,
    )


def test_a_quarter_turn_of_a_whole_side_is_proposed() -> None:
    files = changed(lambda x, y, turn, side: (x, y, (turn + 90) % 360 if side == "top" else turn))
    board = read_board(files, "turned")
    (proposal,) = board.proposals
    assert (proposal.turn_side, proposal.turn_deg) == ("top", 270)
    assert read_board(files, "turned", Choices(turns={"top": 270})).proposals == ()


def test_pads_named_in_the_layers_are_believed_over_the_table(demo_board: Board) -> None:
    """U4 turned and shifted in the table: its named pads tell where it really lies, and that is
    said.
    """
    files = demo_files()
    rows = files[PLACEMENT].decode().splitlines()
    files[PLACEMENT] = "\n".join(
        "U4,storage,SOIC-8,13.0,31.5,90,top" if row.startswith("U4,") else row for row in rows
    ).encode()
    board = read_board(files, "named")
    assert (board.part("U4").x_mm, board.part("U4").y_mm) == pytest.approx((11, 31), abs=0.02)
    assert board.part("U4").rotation_deg == 0
    assert any(
        finding.sentence.startswith("U4: the pads named in the layers")
        for finding in board.findings
    )
    assert demo_board.findings == ()


def test_an_untouched_placement_has_nothing_to_propose(demo_board: Board) -> None:
    assert demo_board.proposals == ()
    assert all(part.note == "" for part in demo_board.parts)


def test_parts_are_corrected_and_left_out() -> None:
    choices = Choices(
        parts={
            "U4": PartChoice(name="U40", value="big"),
            "R1": PartChoice(left_out=True),
            "C3": PartChoice(footprint="0603"),
        }
    )
    board = read_board(demo_files(), "corrected", choices)
    refs = {part.ref for part in board.parts}
    assert "U40" in refs
    assert not {"U4", "R1"} & refs
    assert board.part("U40").value == "big"
    assert {pad.ref for pad in board.pads} >= {"U40"}
    assert any(
        "R1" in finding.sentence and "left out" in finding.sentence for finding in board.findings
    )


def test_an_own_package_answers_for_its_footprint_name() -> None:
    files = without_names(demo_files())
    files[PLACEMENT] = files[PLACEMENT].replace(b",SOIC-8,", b",HOUSE_EIGHT,")
    files["reedgate-bill.csv"] = files["reedgate-bill.csv"].replace(b"SOIC-8", b"HOUSE_EIGHT")
    before = read_board(files, "unknown")
    assert before.part("U4").package.guessed
    assert any(
        "HOUSE_EIGHT" in finding.sentence and "three questions" in finding.sentence
        for finding in before.findings
    )
    own = OwnPackage(
        name="House eight",
        body_x_mm=3.9,
        body_y_mm=4.9,
        height_mm=1.5,
        joint=JointKind.GULL_WING,
        aliases=("HOUSE_EIGHT",),
    )
    after = read_board(files, "known", library=Library([own]))
    package = after.part("U4").package
    assert (package.name, package.guessed, len(package.lands)) == ("House eight", False, 8)
    assert replace(package, lands=()) == own.package()
