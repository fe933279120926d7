"""Parts of which little is known, and what common names stand for at the bench: no iron card for a
grid, no ceramic's warning for a can, no shell tab in a row.
"""

from dataclasses import replace

import pytest

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.metal.paste import paste_named
from yellowfen.core.part.catalogue import find_package, package_named, unknown_body
from yellowfen.core.part.package import HIDDEN, JointKind, Land
from yellowfen.core.work.iron_rows import rows_of
from yellowfen.core.work.technique import (
    IRON_WAYS,
    BenchTools,
    PartKind,
    Way,
    Wishes,
    by_iron,
    kind_of,
    techniques,
)

PASTE = paste_named("sn63-t4")


def lands(columns: int, rows: int, pitch: float, *, ring_only: bool = False) -> tuple[Land, ...]:
    found = []
    for row in range(rows):
        for column in range(columns):
            if ring_only and 0 < row < rows - 1 and 0 < column < columns - 1:
                continue
            found.append(
                Land(
                    pin=str(len(found) + 1),
                    x_mm=(column - (columns - 1) / 2) * pitch,
                    y_mm=(row - (rows - 1) / 2) * pitch,
                    size_x_mm=0.55 * pitch,
                    size_y_mm=0.55 * pitch,
                    kind=JointKind.GULL_WING,
                )
            )
    return tuple(found)


@pytest.mark.parametrize(("columns", "rows"), [(4, 4), (6, 9), (12, 12), (20, 15)])
def test_lands_inside_an_unknown_body_are_hidden_joints(columns: int, rows: int) -> None:
    package = unknown_body(lands(columns, rows, 0.8))
    assert kind_of(package) is PartKind.BALLS
    assert all(land.kind in HIDDEN for land in package.lands)


def test_a_ring_with_one_large_land_has_a_pad_beneath_and_two_rows_have_none() -> None:
    big = Land(pin="EP", x_mm=0, y_mm=0, size_x_mm=2.4, size_y_mm=2.4, kind=JointKind.GULL_WING)
    package = unknown_body((*lands(8, 8, 0.65, ring_only=True), big))
    assert [land.pin for land in package.lands if land.kind in HIDDEN] == ["EP"]
    plain = unknown_body(lands(2, 8, 1.27))
    assert all(land.kind is JointKind.GULL_WING for land in plain.lands)


def with_package(board: Board, ref: str, **changes: object) -> tuple[Board, BoardPart]:
    part = replace(board.part(ref), **changes)
    parts = tuple(part if one.ref == ref else one for one in board.parts)
    return replace(board, parts=parts), part


def test_an_unknown_part_gets_no_way_that_needs_knowing(demo_board: Board) -> None:
    for package in (unknown_body(lands(12, 12, 0.8)), unknown_body(lands(2, 8, 1.27))):
        board, _ = with_package(demo_board, "U4", package=package, note="body guessed")
        found = techniques(board, PASTE, BenchTools(), Wishes())
        way = next(one for one in found.ways if one.part.ref == "U4")
        for offer in way.offers:
            if offer.way in IRON_WAYS or offer.way is Way.BUMPS_AIR:
                assert offer.refused


def test_a_can_is_no_ceramic_and_a_ceramic_is(demo_board: Board) -> None:
    chip = next(
        one for one in demo_board.parts if one.package.family == "chip" and one.ref[0] == "C"
    )
    for name, ceramic in (("CAN-6.3", False), ("TANTALUM-B", False), ("0805", True)):
        board, part = with_package(demo_board, chip.ref, package=package_named(name))
        way = next(
            one
            for one in techniques(board, PASTE, BenchTools(), Wishes()).ways
            if one.part.ref == part.ref
        )
        pads = [pad for pad in board.pads if pad.ref == part.ref]
        card = by_iron(way, pads, PASTE.metal, BenchTools(), Wishes()).card
        said = " ".join((*card.cues, *card.cautions))
        assert ("Ceramic" in said) is ceramic, name
        if name.startswith("CAN"):
            assert "press it flat" in said
            assert "vent" in said


def test_shell_tabs_are_no_row_and_j_leads_stand_off() -> None:
    for name in ("CONN-4-1.25", "USB-C", "USB-micro", "FLATCABLE-12-0.5"):
        pins = {land.pin for row in rows_of(package_named(name)) for land in row}
        assert pins
        assert not pins & {"H1", "H2"}
    for name in ("PLCC-44", "SOJ-28"):
        package = find_package(name)
        assert package is not None
        assert package.gap_mm >= 0.5
