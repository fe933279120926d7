"""Triage, direction, moisture, advice and the comparison of revisions."""

from dataclasses import replace

import pytest

from yellowfen.core.board.board import Board
from yellowfen.core.board.compare import changes
from yellowfen.core.board.sketch import Plane, Sketch, SketchedPart, board_of
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.part.direction import direction_of
from yellowfen.core.part.hanging import HANGS_G_IN2
from yellowfen.core.part.library import OwnPackage
from yellowfen.core.part.moisture import FLOOR_LIFE_H, floor_life_of
from yellowfen.core.part.package import JointKind
from yellowfen.core.work.advice import PART_MIN, SECOND_SIDE_MIN, advise
from yellowfen.core.work.triage import Flag, FlagKind, Triaged, box_of, hangs_g_in2, triage


def patch(*parts: SketchedPart, plane: Plane = Plane.UNKNOWN) -> Board:
    return board_of(
        Sketch(name="patch", width_mm=60, height_mm=40, thickness_mm=1.6, plane=plane, parts=parts)
    )


def judged(board: Board, ref: str) -> Triaged:
    return next(one for one in triage(board) if one.part.ref == ref)


def flag(board: Board, ref: str, kind: FlagKind) -> Flag | None:
    return next((one for one in judged(board, ref).flags if one.kind is kind), None)


@pytest.mark.parametrize(
    ("package", "kind", "word"),
    [
        ("QFP-48", FlagKind.PITCH, "0.5 mm pitch"),
        ("TSSOP-20", FlagKind.PITCH, "0.65 mm pitch"),
        ("SOIC-8", FlagKind.PITCH, None),
        ("0402", FlagKind.SIZE, "tiny"),
        ("0603", FlagKind.SIZE, None),
        ("QFN-20_4x4", FlagKind.HIDDEN, "thermal pad"),
        ("BGA-64", FlagKind.HIDDEN, "balls"),
        ("CAN-6.3", FlagKind.HEAT_SHY, "235 °C"),
        ("SWITCH-6x6", FlagKind.HEAT_SHY, "iron only"),
        ("CAN-6.3", FlagKind.HIDDEN, "pads underneath"),
        ("0603", FlagKind.DIRECTION, None),
        ("SMA", FlagKind.DIRECTION, "orientation"),
        ("LED_0805", FlagKind.DIRECTION, "orientation?"),
        ("0603", FlagKind.MOISTURE, None),
        ("SOIC-8", FlagKind.MOISTURE, "moisture 3?"),
        ("CAN-8", FlagKind.WEIGHT, "heavy"),
    ],
)
def test_what_a_lone_part_is_flagged_for(package: str, kind: FlagKind, word: str | None) -> None:
    found = flag(patch(SketchedPart(ref="X1", package=package, x_mm=30, y_mm=20)), "X1", kind)
    assert (found.word if found else None) == word


def test_what_hurts_most_stands_first(demo_board: Board) -> None:
    order = [one.part.ref for one in triage(demo_board)]
    assert len(order) == len(demo_board.parts)
    assert order[:2] == ["U2", "U1"]
    weights = [one.weight for one in triage(demo_board)]
    assert weights == sorted(weights, reverse=True)
    assert judged(demo_board, "U2").grade == "hard"
    assert judged(demo_board, "R7").grade == "easy"


def test_room_for_hands() -> None:
    tight = patch(
        SketchedPart(ref="R1", package="0603", x_mm=30, y_mm=20),
        SketchedPart(ref="R2", package="0603", x_mm=33, y_mm=20),
        SketchedPart(ref="R3", package="0603", x_mm=30, y_mm=21.4),
    )
    found = flag(tight, "R1", FlagKind.ROOM)
    assert found is not None
    assert "R2" in found.sentence
    assert "R3" in found.sentence
    assert (
        flag(
            patch(
                SketchedPart(ref="R1", package="0603", x_mm=30, y_mm=20),
                SketchedPart(ref="R2", package="0603", x_mm=33, y_mm=20),
            ),
            "R1",
            FlagKind.ROOM,
        )
        is None
    )  # above and below are free
    walled = flag(
        patch(
            SketchedPart(ref="R1", package="0603", x_mm=30, y_mm=20),
            SketchedPart(ref="J1", package="CONN-6-1.25", x_mm=30, y_mm=24),
        ),
        "R1",
        FlagKind.ROOM,
    )
    assert walled is not None
    assert walled.word == "no iron room"


def test_a_shy_neighbour_is_named_and_nearness_is_clear_distance() -> None:
    board = patch(
        SketchedPart(ref="U1", package="SOIC-8", x_mm=30, y_mm=20),
        SketchedPart(ref="D1", package="LED_0603", x_mm=30, y_mm=26),
    )
    found = flag(board, "U1", FlagKind.HEAT_SHY)
    assert found is not None
    assert found.sentence.startswith("D1 within")
    own, other = box_of(board.part("U1")), box_of(board.part("D1"))
    assert judged(board, "U1").nearest_mm == pytest.approx(other.y0 - own.y1, abs=0.01)


def test_hanging_mass_per_pad_area_by_hand() -> None:
    """A CAN-8 underneath: 8.3² x 7.3 mm at 1.9 g/cm³ over two pads of 3.6 x 1.6 mm is 53 g per
    square inch: it drops.
    """
    board = patch(
        *(SketchedPart(ref=f"R{n}", package="0603", x_mm=5 + 4 * n, y_mm=5) for n in range(4)),
        SketchedPart(ref="C1", package="CAN-8", x_mm=30, y_mm=25, rotation_deg=0, side="bottom"),
    )
    mass_g = 8.3**2 * 7.3 * 1.9e-3
    area_in2 = 2 * 3.6 * 1.6 / 25.4**2
    pads = {pad.pin or "": pad for pad in board.pads if pad.ref == "C1"}
    assert hangs_g_in2(board.part("C1"), pads) == pytest.approx(mass_g / area_in2, rel=1e-6)
    found = flag(board, "C1", FlagKind.SECOND_SIDE)
    assert found is not None
    assert (found.word, mass_g / area_in2 > HANGS_G_IN2) == ("would drop", True)


def test_plane_pins_with_their_tie() -> None:
    found = flag(
        patch(SketchedPart(ref="U1", package="QFN-20_4x4", x_mm=30, y_mm=20), plane=Plane.YES),
        "U1",
        FlagKind.PLANE,
    )
    assert found is not None
    assert found.sentence.startswith("pin 21 on a plane through vias")
    assert (
        flag(
            patch(SketchedPart(ref="U1", package="QFN-20_4x4", x_mm=30, y_mm=20), plane=Plane.NO),
            "U1",
            FlagKind.PLANE,
        )
        is None
    )


def test_floor_life_is_the_standards_table() -> None:
    """IPC/JEDEC J-STD-033, floor life at up to 30 °C and 60 % RH, hours."""
    assert FLOOR_LIFE_H == {
        "1": None,
        "2": 365 * 24,
        "2a": 4 * 7 * 24,
        "3": 168,
        "4": 72,
        "5": 48,
        "5a": 24,
        "6": 0,
    }
    life = floor_life_of(
        OwnPackage(name="own", body_x_mm=3, body_y_mm=3, height_mm=1, moisture="6").package()
    )
    assert life is not None
    assert life.bake_first
    assert floor_life_of(package_named("0805")) is None


def test_marks_say_which_end_is_plus() -> None:
    tantalum, diode, can = (
        direction_of(package_named(name)) for name in ("TANTALUM-B", "SMA", "CAN-5")
    )
    assert tantalum is not None
    assert "PLUS" in tantalum.look_for
    assert diode is not None
    assert "cathode" in diode.look_for
    assert can is not None
    assert "MINUS" in can.look_for
    assert (
        direction_of(
            OwnPackage(
                name="own",
                body_x_mm=3,
                body_y_mm=3,
                height_mm=1,
                joint=JointKind.CHIP,
                polarity="red dot is plus",
            ).package()
        ).look_for
        == "red dot is plus"
    )  # type: ignore[union-attr]


def test_advice_is_ordered_by_what_it_saves(demo_board: Board) -> None:
    advice = advise(demo_board)
    saves = [one.saves_min for one in advice]
    assert saves == sorted(saves, reverse=True)
    titles = {one.title for one in advice}
    assert {
        "Parts on both sides",
        "0402 and smaller",
        "Pitch of 0.5 mm and finer",
        "No printed mark",
    } <= titles
    assert "Nothing to align a stencil with" not in titles  # it has four holes
    second = next(one for one in advice if one.title == "Parts on both sides")
    assert (second.saves_min, len(second.refs)) == (SECOND_SIDE_MIN, 10)


def test_equal_resistors_become_arrays_and_a_plain_board_needs_nothing() -> None:
    row = [
        SketchedPart(ref=f"R{n}", package="0603", x_mm=6 + 5 * n, y_mm=20, value="330")
        for n in range(1, 9)
    ]
    (advice,) = [one for one in advise(patch(*row)) if one.kind == "part count"]
    assert advice.saves_min == pytest.approx((8 - 2) * PART_MIN)
    assert advise(patch(SketchedPart(ref="R1", package="0603", x_mm=30, y_mm=20))) == ()
    assert advise(patch()) == ()


def test_revisions_are_compared_part_by_part(demo_board: Board) -> None:
    assert changes(demo_board, demo_board) == ()
    parts = {part.ref: part for part in demo_board.parts}
    parts["R7"] = replace(parts["R7"], x_mm=parts["R7"].x_mm + 1.5, value="470 Ω")
    parts["U4"] = replace(parts["U4"], rotation_deg=90.0)
    gone = parts.pop("R8")
    parts["R80"] = replace(gone, ref="R80")
    found = {
        one.about: one
        for one in changes(demo_board, replace(demo_board, parts=tuple(parts.values())))
    }
    assert {about: one.kind for about, one in found.items()} == {
        "R7": "altered",
        "U4": "altered",
        "R8": "gone",
        "R80": "new",
    }
    assert (
        found["R7"].sentence
        == "value 330 Ω before, 470 Ω now; moved by +1.50 mm across and +0.00 mm up"
    )
    assert found["U4"].sentence == "turned by +90°"


def test_a_move_of_everything_is_said_once(demo_board: Board) -> None:
    moved = replace(
        demo_board, parts=tuple(replace(part, x_mm=part.x_mm + 3) for part in demo_board.parts)
    )
    (only,) = changes(demo_board, moved)
    assert "most parts moved together by +3.00 mm" in only.sentence
