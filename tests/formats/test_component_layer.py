"""X3 component layers: parts placed by the files' own attributes."""

import pytest

from tests.formats.gerber_text import at, gerber
from yellowfen.formats.board_files import read_board
from yellowfen.formats.component_layer import placements_of
from yellowfen.formats.gerber.reader import read_gerber
from yellowfen.workflows.demo import demo_files

U4 = (
    "%TF.FileFunction,Component,L1,Top*%\n%TA.AperFunction,ComponentMain*%\n%ADD10C,0.3*%\n%TA.AperFunction,ComponentPin*%\n%ADD11P,0.36X4X0*%\n%TD*%\nD10*\n"
    "%TO.C,U4*%\n%TO.CRot,0*%\n%TO.CVal,storage*%\n%TO.CFtp,SOIC-8*%\n"
    + at(11, 31, "D03")
    + "D11*\n%TO.P,U4,1*%\n"
    + at(8.3, 32.9, "D03")
    + "%TD*%\n"
)


def test_centres_become_placements_and_pins_do_not() -> None:
    (placed,) = placements_of(read_gerber(gerber(U4), "c"))
    assert (placed.ref, placed.value, placed.footprint, placed.rotation_deg, placed.side) == (
        "U4",
        "storage",
        "SOIC-8",
        0.0,
        "top",
    )
    assert (placed.x_mm, placed.y_mm) == pytest.approx((11, 31))


def test_a_component_layer_places_parts_on_a_board() -> None:
    files = {name: data for name, data in demo_files().items() if not name.endswith(".csv")} | {
        "components.gbr": gerber(U4)
    }
    board = read_board(files, "x3")
    part = board.part("U4")
    assert (part.package.name, part.joined, len(part.package.lands)) == ("SOIC-8", True, 8)
    assert {pad.pin for pad in board.pads if pad.ref == "U4"} == {str(pin) for pin in range(1, 9)}


def test_broken_rotations_and_other_sides() -> None:
    text = U4.replace("Component,L1,Top", "Component,L4,Bot").replace(
        "%TO.CRot,0*%", "%TO.CRot,askew*%"
    )
    (placed,) = placements_of(read_gerber(gerber(text), "c"))
    assert (placed.side, placed.rotation_deg) == ("bottom", 0.0)
