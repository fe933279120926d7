"""A leadless part on molten solder: force against energy, the flat limit, a drop's exact shape, the
trade's statement.
"""

import math

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from yellowfen.core.board.board import Board
from yellowfen.core.deposit.floating import (
    SolderColumn,
    arc_of,
    coverage_limit,
    crown_mm,
    settle,
    settled_mm,
)
from yellowfen.core.deposit.judge import judge
from yellowfen.core.deposit.leadless import leadless_parts
from yellowfen.core.deposit.stencil import area_ratio, transfer
from yellowfen.core.metal.alloy import SURFACE_TENSION_N_M
from yellowfen.core.metal.paste import paste_named
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.part.package import JointKind
from yellowfen.errors import InvalidValue

FOIL_MM = 0.12


@given(st.floats(0.02, 0.3), st.floats(0.4, 2.5), st.floats(0.2, 3.0))
def test_force_is_minus_the_derivative_of_the_energy(
    height: float, fullness: float, side: float
) -> None:
    column = SolderColumn(
        area_mm2=side**2, perimeter_mm=4 * side, volume_mm3=fullness * side**2 * 0.1
    )
    assume(column.arc(height)[0] > -math.pi / 2 + 0.01)  # pinned
    step = 1e-6 * height
    slope = (column.energy_nj(height + step) - column.energy_nj(height - step)) / (
        2 * step
    )  # nJ/mm is µN
    scale = 1000 * SURFACE_TENSION_N_M * column.perimeter_mm
    assert column.force_mn(height) * 1000 == pytest.approx(-slope, rel=2e-3, abs=2e-3 * scale)


@given(st.floats(0.03, 0.12), st.floats(1.02, 1.6), st.floats(0.1, 0.5))
def test_force_is_minus_the_derivative_of_the_energy_with_a_toe_as_well(
    height: float, fullness: float, toe: float
) -> None:
    column = SolderColumn(
        area_mm2=0.3 * 0.4,
        perimeter_mm=2 * 0.4 + 0.3,
        volume_mm3=fullness * 0.12 * 0.07,
        count=1,
        toe_width_mm=0.3,
        toe_length_mm=toe,
    )
    half = column.arc(height)[0]
    assume(0.02 < half < math.pi / 2 - 0.05)
    assume(math.sin(half) * 0.3 / height < 0.98)  # the toe's cap is not yet half round
    step = 1e-5 * height
    slope = (column.energy_nj(height + step) - column.energy_nj(height - step)) / (2 * step)
    assert column.force_mn(height) * 1000 == pytest.approx(
        -slope, rel=5e-3, abs=5e-3 * 1000 * SURFACE_TENSION_N_M * column.perimeter_mm
    )


def test_a_toe_takes_up_what_an_edge_pad_is_pressed_for() -> None:
    """The same solder under the same part: with room beyond the body the sides bulge less, at no
    height more.
    """
    bare, with_toe = (
        SolderColumn(area_mm2=0.12, perimeter_mm=1.1, volume_mm3=0.016),
        SolderColumn(
            area_mm2=0.12,
            perimeter_mm=1.1,
            volume_mm3=0.016,
            count=1,
            toe_width_mm=0.3,
            toe_length_mm=0.3,
        ),
    )
    for height in (0.05, 0.07, 0.1):
        assert with_toe.bulge_mm(height) < bare.bulge_mm(height)


@given(st.floats(0.01, 1.0), st.floats(-0.3, 3.0))
def test_arc_encloses_the_area_it_was_asked_for(chord: float, share: float) -> None:
    """Closed form: a segment's area is r²·(φ − sin φ cos φ), its arc 2·r·φ with r = chord / (2·sin
    φ).
    """
    half, length = arc_of(chord, share * chord**2)
    radius = chord / (2 * math.sin(abs(half)))
    assert radius**2 * (abs(half) - math.sin(abs(half)) * math.cos(half)) == pytest.approx(
        abs(share) * chord**2, rel=1e-6, abs=1e-6
    )
    assert length == pytest.approx(2 * radius * abs(half), rel=1e-9)


def test_a_half_round_crown() -> None:
    """Solder of half a cylinder on a land 0.3 mm wide stands 0.15 mm high."""
    assert crown_mm(0.3, 1.0, math.pi * 0.15**2 / 2) == pytest.approx(0.15, rel=1e-4)


@pytest.mark.parametrize("side", [5.0, 20.0, 80.0])
def test_a_wide_flat_pad_stands_at_volume_over_area(side: float) -> None:
    flat = 0.05
    height = settled_mm(
        (SolderColumn(area_mm2=side**2, perimeter_mm=4 * side, volume_mm3=flat * side**2),), 0.0
    )
    assert height == pytest.approx(flat, rel=0.5 * flat / side + 1e-4)
    assert height < flat  # the surface pulls a little


def test_a_force_free_column_against_the_balance_of_pressure_and_pull() -> None:
    """Reference: pressure of a cylindrical meniscus, tension over radius, on the area against the
    edge's pull (capillary bridge, textbook balance).
    """
    column = SolderColumn(area_mm2=4.0, perimeter_mm=8.0, volume_mm3=0.2)
    height = settled_mm((column,), 0.0)
    half, _ = column.arc(height)
    pressure = SURFACE_TENSION_N_M * 2 * math.sin(half) / height
    assert pressure * column.area_mm2 == pytest.approx(
        SURFACE_TENSION_N_M * column.perimeter_mm * math.cos(half), rel=0.02
    )


def test_weight_sinks_a_part_and_solder_lifts_it() -> None:
    column = SolderColumn(area_mm2=4.0, perimeter_mm=8.0, volume_mm3=0.2)
    assert (
        settled_mm((column,), 5.0)
        < settled_mm((column,), 0.0)
        < settled_mm((SolderColumn(area_mm2=4.0, perimeter_mm=8.0, volume_mm3=0.3),), 0.0)
    )


def volumes(share: float) -> tuple[float, float]:
    """Solder under a 20-pad 4 x 4 mm part from 0.12 mm foil: the exposed pad printed to a share of
    its area, edges one to one.
    """
    package = package_named("QFN-20_4x4")
    paste = paste_named("sn63-t4")
    pad = next(land for land in package.lands if land.kind is JointKind.THERMAL_PAD)
    edge = package.lands[0]
    out = transfer(area_ratio(edge.area_mm2, 2 * (edge.size_x_mm + edge.size_y_mm), FOIL_MM))
    return (
        share * pad.area_mm2 * FOIL_MM * paste.volume_share,
        edge.area_mm2 * FOIL_MM * out * paste.volume_share,
    )


def test_margin_of_a_leadless_part_falls_as_coverage_rises() -> None:
    """Common practice: 50 to 80 % of the exposed pad.

    The margin is positive near 55 %; where it turns negative is computed.
    """
    package = package_named("QFN-20_4x4")
    margins = [settle(package, *volumes(share)).margin_mm for share in (0.3, 0.55, 0.8, 1.0, 1.3)]
    assert margins == sorted(margins, reverse=True)
    assert margins[1] > 0
    limit = coverage_limit(package, *volumes(1.0))
    assert limit is not None
    assert settle(package, *volumes(limit - 0.05)).touches
    assert not settle(package, *volumes(limit + 0.05)).touches


def test_edges_hold_a_part_up_when_the_pad_has_little_and_the_pad_lifts_it_when_it_has_much() -> (
    None
):
    package = package_named("QFN-20_4x4")
    little, much = settle(package, *volumes(0.3)), settle(package, *volumes(1.2))
    assert little.alone_mm < little.height_mm < little.crown_mm
    assert little.edge_bulge_mm > 0
    assert much.height_mm == pytest.approx(much.alone_mm, rel=0.05)


def test_what_cannot_settle_is_refused() -> None:
    with pytest.raises(InvalidValue, match="no thermal pad"):
        settle(package_named("SOIC-8"), 0.1, 0.01)
    with pytest.raises(InvalidValue, match="pad_solder_mm3"):
        settle(package_named("QFN-20_4x4"), 0.0, 0.01)
    with pytest.raises(InvalidValue, match="without solder"):
        settled_mm((), 0.0)


def test_the_demo_boards_leadless_part_in_its_print(demo_board: Board) -> None:
    """U2: four panes over its pad, four holes in it, edges in touch; no coverage up to the whole
    pad makes it float.
    """
    paste = paste_named("sn63-t4")
    (one,) = leadless_parts(demo_board, judge(demo_board, FOIL_MM, paste), paste)
    assert one.part.ref == "U2"
    assert one.coverage == pytest.approx(0.56, abs=0.03)
    assert one.settled.touches
    assert one.limit is not None
    assert one.limit > 1
    assert one.holes == 4
    assert "the edges touch" in one.sentence
