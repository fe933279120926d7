"""What a layer is: by attribute, by name, by content."""

import json

import pytest

from tests.conftest import DATA
from tests.formats.gerber_text import at, gerber
from yellowfen.core.board.board import Role
from yellowfen.errors import UnreadableFile
from yellowfen.formats.board_files import read_board
from yellowfen.formats.layer_roles import guess_role, role_by_function, role_by_name

KINDS = {
    ("copper", "top"): Role.COPPER_TOP,
    ("copper", "bottom"): Role.COPPER_BOTTOM,
    ("copper", "inner"): Role.COPPER_INNER,
    ("soldermask", "top"): Role.MASK_TOP,
    ("soldermask", "bottom"): Role.MASK_BOTTOM,
    ("solderpaste", "top"): Role.PASTE_TOP,
    ("solderpaste", "bottom"): Role.PASTE_BOTTOM,
    ("silkscreen", "top"): Role.LEGEND_TOP,
    ("silkscreen", "bottom"): Role.LEGEND_BOTTOM,
    ("outline", "all"): Role.OUTLINE,
}
NAMES = json.loads((DATA / "layer-names.json").read_text())


def test_names_of_nine_naming_schemes() -> None:
    """153 published names; drill files are told by their bytes, drawings and tables need no role by
    name.
    """
    wrong = []
    for one in NAMES:
        wanted = KINDS.get((one["type"], one.get("side")))
        if wanted is not None and role_by_name(one["name"]) is not wanted:
            wrong.append(one["name"])
    assert wrong == [
        "board.FAB",
        "board.DRD",
    ]  # outlines in one scheme, a drawing and a drill file in others: settled by content


def test_function_attribute_wins_over_the_name() -> None:
    data = gerber("%TF.FileFunction,Paste,Bot*%\nD10*\n" + at(1, 1, "D03"), "%ADD10C,1*%\n")
    guess = guess_role("x-F_Cu.gtl", data)
    assert (guess.role, guess.why) == (Role.PASTE_BOTTOM, "its file attribute says so")
    assert role_by_function("Copper,L2,Inr") is Role.COPPER_INNER
    assert role_by_function("Profile,NP") is Role.OUTLINE


def nameless_board() -> dict[str, bytes]:
    """Copper, mask, paste and outline under names that say nothing."""
    spots = [(5 + 3 * k, 6 + 4 * row) for k in range(6) for row in range(4)]
    pads = "".join(at(x, y, "D03") for x, y in spots)
    tracks = "D12*\n" + "".join(at(x, y, "D02") + at(x + 2, y + 1, "D01") for x, y in spots)
    frame = (
        "D12*\n"
        + at(0, 0, "D02")
        + at(28, 0, "D01")
        + at(28, 24, "D01")
        + at(0, 24, "D01")
        + at(0, 0, "D01")
    )
    pens = "%ADD10R,{0}X{0}*%\n%ADD12C,0.15*%\n"
    return {
        "one.bin": gerber("D10*\n" + pads + tracks, pens.format(1.0)),
        "two.bin": gerber("D10*\n" + pads, pens.format(1.1)),
        "three.bin": gerber("D10*\n" + pads, pens.format(0.9)),
        "four.bin": gerber(frame, pens.format(1.0)),
    }


def test_layers_without_telling_names_are_told_by_content() -> None:
    roles = {guess.file: guess.role for guess in read_board(nameless_board(), "nameless").layers}
    assert roles == {
        "one.bin": Role.COPPER_TOP,
        "two.bin": Role.MASK_TOP,
        "three.bin": Role.PASTE_TOP,
        "four.bin": Role.OUTLINE,
    }


def test_a_file_is_told_by_what_it_is_not_by_its_ending() -> None:
    drill = b"M48\nMETRIC\nT1C0.8\n%\nT1\nX1.0Y1.0\nM30\n"
    assert guess_role("thing.gtl", drill).role is Role.DRILL
    assert guess_role("thing-NPTH.drl", drill).role is Role.DRILL_UNPLATED
    assert guess_role("readme.md", b"hello").role is Role.IGNORED
    with pytest.raises(UnreadableFile, match="named like a board layer"):
        guess_role("top.gtl", b"hello")


def test_drill_file_in_gerber_form() -> None:
    files = nameless_board()
    holes = (
        "%TF.FileFunction,Plated,1,2,PTH*%\nD10*\n"
        + at(5, 6, "D03")
        + at(8, 6, "D03")
        + "D11*\n"
        + at(20, 20, "D02")
        + at(23, 20, "D01")
    )
    board = read_board(
        {**files, "holes.bin": gerber(holes, "%ADD10C,0.3*%\n%ADD11C,1.0*%\n")}, "drilled"
    )
    assert [(hole.x_mm, hole.y_mm, hole.drill_mm, hole.plated) for hole in board.holes] == [
        (5, 6, 0.3, True),
        (8, 6, 0.3, True),
        (20, 20, 1.0, True),
    ]
    assert (board.holes[2].x2_mm, board.holes[2].y2_mm) == (23, 20)
    assert board.holes[0].layers == (1, 2)
