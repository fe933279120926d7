"""Paste through a stencil against worked relations, hand calculation and trade checks."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yellowfen.core.board.board import Board, Opening
from yellowfen.core.board.sketch import Sketch, SketchedPart, board_of
from yellowfen.core.deposit.fillet import wanted
from yellowfen.core.deposit.judge import BRIDGES, MAY_BRIDGE, compare_foils, judge
from yellowfen.core.deposit.stencil import (
    AREA_RATIO,
    area_ratio,
    coarsest_powder,
    release,
    thickest_foil_mm,
    transfer,
)
from yellowfen.core.metal.paste import POWDERS, Paste, paste_named
from yellowfen.core.part.catalogue import package_named
from yellowfen.errors import InvalidValue

LEADED = paste_named("sn63-t4")


def rectangle(length: float, width: float) -> Opening:
    return Opening(
        side="top",
        ring=((0, 0), (length, 0), (length, width), (0, width)),
        area_mm2=length * width,
        perimeter_mm=2 * (length + width),
        size_x_mm=length,
        size_y_mm=width,
        angle_deg=0.0,
    )


def disc(diameter: float) -> Opening:
    return Opening(
        side="top",
        ring=(),
        area_mm2=math.pi / 4 * diameter**2,
        perimeter_mm=math.pi * diameter,
        size_x_mm=diameter,
        size_y_mm=diameter,
        angle_deg=0.0,
    )


@given(st.floats(0.1, 5), st.floats(0.1, 5), st.floats(0.05, 0.3))
def test_area_ratio_is_the_published_relation(length: float, width: float, foil: float) -> None:
    """IPC-7525: L·W/(2·(L+W)·T) for a rectangle, D/(4·T) for a circle, area over perimeter times
    foil for any shape.
    """
    one, round_one = rectangle(length, width), disc(width)
    assert area_ratio(one.area_mm2, one.perimeter_mm, foil) == pytest.approx(
        length * width / (2 * (length + width) * foil)
    )
    assert area_ratio(round_one.area_mm2, round_one.perimeter_mm, foil) == pytest.approx(
        width / (4 * foil)
    )


@pytest.mark.parametrize(("ratio", "share"), [(0.5, 0.57), (0.66, 0.85), (0.8, 0.95)])
def test_transfer_meets_the_handbooks_three_points(ratio: float, share: float) -> None:
    """From memory, handbook: 0.5 → 57 %, 0.66 → 85 %, 0.8 → 95 %."""
    assert transfer(ratio) == pytest.approx(share, abs=0.006)


@pytest.mark.parametrize(
    ("paste", "by_mass", "share"), [("sn63-t4", 0.9, 0.52), ("sac-t4", 0.885, 0.51)]
)
def test_half_of_a_paste_is_metal(paste: str, by_mass: float, share: float) -> None:
    """Sn63Pb37 at 8.4 g/cm³ and 90 % by mass, Sn-Ag-Cu at 7.4 and 88.5 %, with vehicle at 1.0
    (handbook: 52 % for the first).
    """
    assert paste_named(paste).volume_share == pytest.approx(share, abs=0.005)
    metal = by_mass / paste_named(paste).metal.density_g_cm3
    assert paste_named(paste).volume_share == pytest.approx(metal / (metal + 1.0 - by_mass))


def test_a_deposit_by_hand_calculation() -> None:
    """1 x 0.5 mm in 0.12 mm: AR 1.389, all but 0.02 % comes out, 0.05999 mm³ of paste, 0.0310 mm³
    of solder.
    """
    result = release(rectangle(1.0, 0.5), 0.12, LEADED)
    assert result.area_ratio == pytest.approx(0.5 / (3.0 * 0.12))
    assert result.deposit_mm3 == pytest.approx(0.06, rel=1e-3)
    assert result.solder_mm3 == pytest.approx(0.06 * 0.5172, rel=1e-3)
    assert result.warnings == ()


def row(width: float, length: float) -> Board:
    """A 48-lead package of 0.5 mm pitch (lands 0.28 x 1.5 mm) with openings of that size."""
    board = board_of(
        Sketch(
            name="row",
            width_mm=40,
            height_mm=40,
            parts=(SketchedPart(ref="U1", package="QFP-48", x_mm=20, y_mm=20),),
        )
    )
    openings = tuple(
        replace(
            one,
            area_mm2=width * length,
            perimeter_mm=2 * (width + length),
            size_x_mm=width,
            size_y_mm=length,
        )
        for one in board.openings
    )
    return replace(board, openings=openings)


def test_fine_pitch_at_a_thick_foil_warns_by_pitch_and_volume_not_by_area_ratio() -> None:
    """Common practice: 0.28 x 1.5 mm openings at 0.15 mm pass both ratios; the foil is too thick
    for the pitch and there is too much solder.
    """
    thick = judge(row(0.28, 1.5), 0.15, LEADED).openings[0]
    assert thick.release.area_ratio > AREA_RATIO
    assert thick.release.warnings == ()
    assert any("needs a stencil of 0.13 mm at most" in said for said in thick.warnings)
    assert thick.bridge >= MAY_BRIDGE
    assert any("bridge" in said for said in thick.warnings)
    thin = judge(row(0.22, 1.3), 0.12, LEADED)
    assert {(one.verdict, one.warnings) for one in thin.openings} == {("good", ())}


def test_small_leadless_and_square_openings() -> None:
    """Common practice: 0.25 x 0.6 mm at 0.15 mm warns by area ratio; a 0.20 mm square fails on 0.12
    mm.
    """
    leadless = release(rectangle(0.25, 0.6), 0.15, LEADED)
    assert 0.5 < leadless.area_ratio < AREA_RATIO
    assert "area ratio" in leadless.warnings[0]
    assert release(rectangle(0.2, 0.2), 0.12, LEADED).fails
    assert not release(rectangle(0.6, 0.6), 0.12, LEADED).fails


def test_balls_powder_and_foil_rules() -> None:
    """Five of the largest balls across a slot, eight across a disc; 0.13 mm at 0.5 mm pitch, 0.10
    at 0.4.
    """
    assert release(rectangle(0.15, 1.0), 0.1, Paste("Sn63Pb37", 3)).balls == pytest.approx(
        0.15 / 0.045
    )
    assert any(
        "finer powder" in said
        for said in release(rectangle(0.15, 1.0), 0.1, Paste("Sn63Pb37", 3)).warnings
    )
    assert coarsest_powder(0.2, False, POWDERS) == 4
    assert coarsest_powder(0.2, True, POWDERS) == 5
    assert coarsest_powder(0.05, True, POWDERS) is None
    assert (thickest_foil_mm(0.4), thickest_foil_mm(0.5), thickest_foil_mm(0.65)) == (
        0.10,
        0.13,
        None,
    )


def test_wanted_volumes_are_ordered_and_grow_with_the_land() -> None:
    for name in (
        "0402",
        "0603",
        "1206",
        "SOIC-8",
        "TSSOP-20",
        "QFP-48",
        "QFN-20_4x4",
        "TO-252",
        "CAN-6.3",
        "BGA-64",
    ):
        package = package_named(name)
        for land in package.lands:
            wants = wanted(package, land)
            assert 0 <= wants.least_mm3 < wants.most_mm3
            larger = wanted(
                package,
                replace(land, size_x_mm=1.3 * land.size_x_mm, size_y_mm=1.3 * land.size_y_mm),
            )
            assert larger.most_mm3 > wants.most_mm3


def test_totals_are_sums_and_do_not_depend_on_turning_side_or_order(demo_board: Board) -> None:
    judged = judge(demo_board, 0.12, LEADED)
    assert sum(one.opening.area_mm2 for one in judged.openings) == pytest.approx(
        sum(demo_board.paste_area_mm2.values()), rel=1e-6
    )
    assert judged.paste_mg == pytest.approx(judged.deposit_mm3 * LEADED.density_g_cm3)
    shuffled = replace(demo_board, openings=demo_board.openings[::-1])
    assert judge(shuffled, 0.12, LEADED).solder_mm3 == pytest.approx(judged.solder_mm3, rel=1e-12)
    patches = [
        board_of(
            Sketch(
                name="p",
                width_mm=40,
                height_mm=40,
                parts=(
                    SketchedPart(
                        ref="U1",
                        package="QFN-20_4x4",
                        x_mm=20,
                        y_mm=20,
                        rotation_deg=turn,
                        side=side,
                    ),
                ),
            )
        )
        for turn in (0, 37, 180)
        for side in ("top", "bottom")
    ]
    assert len({round(judge(patch, 0.12, LEADED).solder_mm3, 9) for patch in patches}) == 1


def test_pins_of_one_net_may_bridge(demo_board: Board) -> None:
    fat = replace(
        demo_board,
        openings=tuple(replace(one, area_mm2=3 * one.area_mm2) for one in demo_board.openings),
    )
    bridging = {
        (one.ref, one.pin) for one in judge(fat, 0.15, LEADED).openings if one.bridge >= BRIDGES
    }
    assert {("U2", "8"), ("U2", "11")} <= bridging
    one_net = replace(fat, pads=tuple(replace(pad, net="ALL") for pad in fat.pads))
    assert judge(one_net, 0.15, LEADED).bridging == 0


def test_the_foil_proposed_leaves_the_fewest_touch_ups(demo_board: Board) -> None:
    """What stays in its opening counts above a lean joint, and much to mind is a reason."""
    judged, best = compare_foils(demo_board, LEADED)
    assert [one.foil_mm for one in judged] == [0.10, 0.12, 0.13, 0.15]
    assert next(one for one in judged if one.foil_mm == best).mends == min(
        one.mends for one in judged
    )
    assert best == 0.10  # nothing wrong at 0.13 either, but 68 openings to mind
    for one in judged:
        stuck = [each for each in one.openings if each.release.fails]
        lean = [
            each for each in one.openings if each.verdict == "starved" and not each.release.fails
        ]
        assert all(a.mends > b.mends for a in stuck for b in lean)


def test_openings_that_do_not_empty_decide_a_tie_of_wrong_ones() -> None:
    """A row of 0.16 x 1.2 mm openings: wrong in every foil, but in the thick one they stay full."""
    board = row(0.16, 1.2)
    judged, best = compare_foils(board, LEADED, (0.10, 0.15))
    thin, thick = judged
    assert thick.failing > thin.failing
    assert best == 0.10


@given(st.floats(0.03, 0.5), st.floats(0.1, 2.0), st.floats(0.05, 6), st.floats(0.05, 6))
def test_what_comes_out_is_never_more_than_the_opening_holds(
    foil: float, factor: float, length: float, width: float
) -> None:
    result = release(rectangle(length, width), foil, LEADED, factor)
    assert 0 <= result.transfer <= 1
    assert 0 <= result.deposit_mm3 <= length * width * foil * (1 + 1e-12)


@pytest.mark.parametrize(
    ("foil", "factor"), [(0, 1), (9, 1), (float("nan"), 1), (0.12, 0), (0.12, 5)]
)
def test_absurd_foils_and_factors_are_refused(
    foil: float, factor: float, demo_board: Board
) -> None:
    with pytest.raises(InvalidValue):
        judge(demo_board, foil, LEADED, factor)


def test_absurd_pastes_are_refused() -> None:
    for alloy, powder, share in (("Cheese", 4, 0.9), ("Sn63Pb37", 9, 0.9), ("Sn63Pb37", 4, 1.4)):
        with pytest.raises(InvalidValue):
            Paste(alloy, powder, share)
    with pytest.raises(InvalidValue, match="known are sn63-t3"):
        paste_named("gold")
