"""Rework: flooded rows against a fin and a bar, what tears, removal alloy by hand, wick and wire,
jumpers, floating and centring, adapters, passports, surveys, the window for lifting.
"""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Polygon

from tests.conftest import small_scene
from yellowfen.core.board.board import Board
from yellowfen.core.board.sketch import Sketch, SketchedPart, board_of
from yellowfen.core.deposit.by_hand import wire_mm
from yellowfen.core.deposit.floating import settled_mm
from yellowfen.core.deposit.through_hole import fillet_cone_mm3, joint_mm3, paste_in_hole_mm3
from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.heat.drive import tip_conductance_w_k
from yellowfen.core.heat.heat_plan import Goal, HeatPlan, usual_moves
from yellowfen.core.heat.outcome import Fate
from yellowfen.core.heat.rehearsal import rehearse
from yellowfen.core.heat.scene import Move
from yellowfen.core.heat.source import HotAir, HotPlate, Iron, TipShape
from yellowfen.core.heat.sureness import Band, sureness
from yellowfen.core.heat.window import Axis, window_column
from yellowfen.core.metal.alloy import ALLOYS, SURFACE_TENSION_N_M
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.part.library import Library
from yellowfen.core.part.package import JointKind, Land
from yellowfen.core.rework import flood
from yellowfen.core.rework.adapter import adapter, header_rows_mm
from yellowfen.core.rework.flood import Chain, Tip, flooded
from yellowfen.core.rework.legs import (
    Passport,
    Proof,
    coplanar_mm,
    finish_of,
    fitness,
    transfer_list,
)
from yellowfen.core.rework.lift import aimed_at_lift, lift_samples, lift_window, why_at
from yellowfen.core.rework.mending_wire import foil_area_mm2, fusing_a, jumper, warm_wire_mm
from yellowfen.core.rework.pads import (
    WICK_TAKES,
    Want,
    cap_mm3,
    longest_dwell_s,
    pads_plan,
    wick_delay_s,
    wick_heat_j_k,
)
from yellowfen.core.rework.refit import (
    centring,
    centring_mn,
    columns_of,
    part_stencil,
    side_energy_nj,
    thickness,
)
from yellowfen.core.rework.removal_alloy import removal_mix
from yellowfen.core.rework.survey import Answers, Coating, Solder, survey
from yellowfen.core.rework.ways_off import (
    Matters,
    OffBench,
    OffWay,
    WayOff,
    best_first,
    tear_odds,
    ways_off,
)
from yellowfen.errors import InvalidValue
from yellowfen.workflows.rework import USUAL_IRONS, off_scene, pads_planned

from .test_rework_practice import BEVEL, alone, rows


# flooded rows
def chain(count: int, link_w_k: float, heat_j_k: float = 2e-3) -> Chain:
    """A row that never melts: heat alone."""
    ones = np.ones(count)
    return Chain(
        heat=heat_j_k * ones,
        latent=0.1 * ones,
        solidus=1e4 * ones,
        span=0.0 * ones,
        pairs=np.array([(i, i + 1) for i in range(count - 1)]),
        links_w_k=np.full(count - 1, link_w_k),
    )


def test_a_bead_with_losses_is_a_fin() -> None:
    """Steady heat along a row that loses g at each joint, one end held: cosh(m(L−x))/cosh(mL) with
    m² = g/G per joint [published: fin with an insulated end, Incropera & DeWitt, table 3.4].
    """
    count, link, loss, base = 41, 0.04, 2e-4, 100.0
    row = chain(count, link)
    enthalpy = -row.heat * row.solidus
    for _ in range(40_000):
        kelvins = row.kelvins(enthalpy)
        enthalpy -= loss * kelvins * 0.01
        enthalpy[0] = row.heat[0] * (base - row.solidus[0])
        row.share_heat(enthalpy, 0.01)
        enthalpy[0] = row.heat[0] * (base - row.solidus[0])
    m, x = math.sqrt(loss / link), np.arange(count)
    fin = base * np.cosh(m * (count - 1 + 0.5 - x)) / np.cosh(m * (count - 1 + 0.5))
    assert np.abs(row.kelvins(enthalpy) - fin).max() < 0.005 * base


def test_a_bead_alone_evens_out_as_a_bar_does() -> None:
    """The slowest mode of an insulated bar decays with exp(−k(π/L)²t/ρc), cell-centred:
    2G(1−cos(π/n))/C.
    """
    count, link, heat = 24, 0.05, 2e-3
    row = chain(count, link, heat)
    mode = np.cos(math.pi * (np.arange(count) + 0.5) / count)
    enthalpy = row.heat * (50.0 + 20.0 * mode - row.solidus)
    before = enthalpy.sum()
    row.share_heat(enthalpy, 1.5)
    decay = math.exp(-2 * link * (1 - math.cos(math.pi / count)) / heat * 1.5)
    assert row.kelvins(enthalpy) == pytest.approx(50.0 + 20.0 * decay * mode, abs=0.05)
    assert enthalpy.sum() == pytest.approx(before, rel=1e-12)


@given(st.integers(0, 10_000))
@settings(max_examples=30)
def test_heat_along_a_bead_is_kept_and_only_flows_downhill(seed: int) -> None:
    chance = np.random.default_rng(seed)
    count = int(chance.integers(2, 12))
    row = replace(
        chain(count, float(chance.uniform(1e-3, 1.0)), float(chance.uniform(5e-4, 1e-2))),
        solidus=np.full(count, 160.0),
        span=np.full(count, float(chance.uniform(0, 20))),
        latent=chance.uniform(1e-3, 0.5, count),
    )
    enthalpy = row.heat * chance.uniform(-160, 150, count)
    before, first = enthalpy.sum(), row.kelvins(enthalpy)
    row.share_heat(enthalpy, float(chance.uniform(0.005, 0.5)))
    after = row.kelvins(enthalpy)
    assert enthalpy.sum() == pytest.approx(before, rel=1e-9, abs=1e-9)
    assert after.max() <= first.max() + 1e-6
    assert after.min() >= first.min() - 1e-6


def two(name: str, set_c: float = 370.0, **more: float) -> flood.Flooded:
    scene = alone(name)
    iron = replace(BEVEL, set_c=set_c)
    tips = [Tip(iron=iron, pins=row, speed_mm_s=10.0) for row in rows(scene)]
    return flooded(scene, "U1", tips, rows=rows(scene), longest_s=25.0, after_s=5.0, **more)


def test_a_hotter_iron_is_sooner_and_a_fatter_bead_stays_liquid_longer() -> None:
    at = [two("SOIC-16", set_c).all_liquid_s or 99.0 for set_c in (340.0, 370.0, 420.0)]
    assert at == sorted(at, reverse=True)
    stays = [two("SOIC-16", section_mm2=mm2).stays_liquid_s or 0.0 for mm2 in (0.5, 1.0, 2.0)]
    assert stays == sorted(stays)
    assert stays[0] < stays[-1]


@pytest.mark.parametrize("name", ["SOIC-8", "SOIC-16", "TSSOP-20"])
def test_finer_steps_and_cells_agree(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    before = two(name).all_liquid_s or 0.0
    monkeypatch.setattr(flood, "STEP_S", 0.01)
    monkeypatch.setattr(flood, "CELLS_ACROSS", 40.0)
    monkeypatch.setattr(flood, "FLOOD_GRID", replace(flood.FLOOD_GRID, cell_mm=0.2))
    after = two(name).all_liquid_s or 0.0
    assert after == pytest.approx(before, rel=0.15, abs=0.1)


def test_a_pin_that_is_not_there_is_said() -> None:
    with pytest.raises(InvalidValue, match="no pin '99'"):
        flooded(alone("SOIC-8"), "U1", [Tip(iron=BEVEL, pins=("99",))])


# tearing, mixing
def test_what_tears_by_hand_cases() -> None:
    """Nothing where all melts at once; an even row before one with a plane at its end, before a
    hidden pad that lags by a minute; never more than the most.
    """
    even, plane, pad = tear_odds(1.0), tear_odds(6.0), tear_odds(60.0)
    assert tear_odds(0.0) == 0.0
    assert 0.0 < even < plane < pad < 0.5
    assert tear_odds(20.0) == pytest.approx(0.25)


def test_a_removal_mixture_by_hand() -> None:
    """1 mm³ Sn63Pb37 (8.4 mg) and 1.5 mm³ Bi32.5In51Sn16.5 (11.85 mg): Sn 5.292 + 1.955 of 20.25
    mg.
    """
    mix = removal_mix("Sn63Pb37", 1.0, 1.5)
    whole = 8.4 + 11.85
    expect = {
        "Sn": (0.63 * 8.4 + 0.165 * 11.85) / whole,
        "In": 0.51 * 11.85 / whole,
        "Bi": 0.325 * 11.85 / whole,
        "Pb": 0.37 * 8.4 / whole,
    }
    assert mix.shares == pytest.approx(expect)
    assert sum(mix.shares.values()) == pytest.approx(1.0)
    assert mix.removal_g == pytest.approx(0.01185)
    assert mix.wire_mm == pytest.approx(1.5 / (math.pi / 4))
    share = 11.85 / whole  # half-way along the straight line by mass, and its doubt
    assert mix.alloy.liquidus_c == pytest.approx(share * 62 + (1 - share) * 183)
    assert 62 < mix.liquidus_low_c < mix.alloy.liquidus_c < mix.liquidus_high_c < 183


@given(st.floats(0.2, 100), st.floats(0.01, 100))
def test_more_removal_alloy_melts_lower(parts: float, volume: float) -> None:
    less, more = (
        removal_mix("Sn96.5Ag3Cu0.5", volume, parts),
        removal_mix("Sn96.5Ag3Cu0.5", volume, min(1.5 * parts, 100.0)),
    )
    assert more.alloy.liquidus_c <= less.alloy.liquidus_c + 1e-9
    assert 62 <= more.alloy.solidus_c <= more.alloy.liquidus_c <= 220


def test_impossible_ratios_and_alloys_are_said() -> None:
    with pytest.raises(InvalidValue, match=r"outside 0\.2 to 100"):
        removal_mix("Sn63Pb37", 1.0, 0.0)
    with pytest.raises(InvalidValue, match="no alloy is called"):
        removal_mix("Sn1", 1.0)


# pads
def test_solder_on_a_pad_by_closed_forms() -> None:
    """A cylinder's cap at 90° is half a cylinder; at small angles two thirds of chord times height."""
    assert cap_mm3(2.0, 0.5, 90.0) == pytest.approx(math.pi / 8 * 0.5**2 * 4.0)
    low = math.radians(2.0)
    assert cap_mm3(2.0, 0.5, 2.0) == pytest.approx(2 / 3 * 0.25 * math.tan(low / 2) * 2.0, rel=1e-3)


def test_wick_and_wire_add_up(demo_board: Board) -> None:
    """What is taken off is wick × width × what it takes; what is added is wire of that volume."""
    package, alloy = demo_board.part("U4").package, ALLOYS["Sn63Pb37"]
    for want in Want:
        plan = pads_plan(
            "U4",
            package,
            demo_board.pads,
            OffWay.AIR,
            want,
            alloy=alloy,
            iron=USUAL_IRONS[0],
            touches_s=lambda tie: 0.3,
            wick_width_mm=2.5,
        )
        assert sorted(pad.pin for pad in plan.pads) == sorted(land.pin for land in package.lands)
        for pad in plan.pads:
            taken = pad.wick_mm * 2.5 * WICK_TAKES
            assert taken == pytest.approx(max(pad.off_mm3, 0.0))
            assert pad.wire_mm == pytest.approx(wire_mm(max(-pad.off_mm3, 0.0), 0.5, alloy))
        ties = [pad.tie for pad in plan.pads]
        assert ties == sorted(ties, key=["signal", "relief", "plane"].index)  # planes last


def test_seconds_and_amounts_at_pads_are_those_of_hands_and_of_the_print() -> None:
    """A hand's second at the least, two with wick, never beyond what the pad bears; never more left
    than was printed, nor than a cap holds, in the band too.
    """
    package, alloy = package_named("0805"), ALLOYS["Sn63Pb37"]
    for off in OffWay:
        for want in Want:
            printed = {"1": 0.045, "2": 0.045}
            plan = pads_plan(
                "C1",
                package,
                (),
                off,
                want,
                alloy=alloy,
                iron=USUAL_IRONS[0],
                touches_s=lambda tie: 0.1,
                printed_mm3=printed,
            )
            for pad in plan.pads:
                land = next(one for one in package.lands if one.pin == pad.pin)
                holds = cap_mm3(land.area_mm2, min(land.size_x_mm, land.size_y_mm))
                if off not in (OffWay.TWO_IRONS, OffWay.REMOVAL, OffWay.TO_AND_FRO):
                    assert pad.left_mm3 <= 0.045 + 1e-9  # irons bring solder of their own
                assert pad.left_high_mm3 <= holds + 1e-12
                assert pad.seconds is not None
                assert min(2.0 if pad.wick_mm else 1.0, pad.longest_s) <= pad.seconds
                assert pad.seconds <= pad.longest_s


def test_irons_are_told_no_quicker_than_hands_and_ranked_without_the_metals_seconds() -> None:
    """Two irons and removal alloy on an SO-8, one iron on a chip: the least seconds of hands, and
    minutes and odds that do not move with what the metal alone would need.
    """
    for name, ways in (
        ("SOIC-8", {OffWay.TWO_IRONS: 8.0, OffWay.REMOVAL: 20.0}),
        ("0805", {OffWay.TO_AND_FRO: 3.0}),
    ):
        told: dict[OffWay, list[WayOff]] = {way: [] for way in ways}
        for hot in (340.0, 420.0):
            scene = small_scene()
            part = replace(scene.parts[0], package=package_named(name))
            scene = replace(scene, parts=(part,))
            irons = (replace(USUAL_IRONS[0], set_c=hot), replace(USUAL_IRONS[1], set_c=hot))
            bench = OffBench(air=None, irons=irons, removal_alloy=True)
            for one in ways_off(scene, "U1", bench, Matters.BOARD):
                if one.way in ways and one.possible:
                    told[one.way].append(one)
        for way, least in ways.items():
            cool, warm = told[way]
            assert min(cool.all_liquid_s or 0.0, warm.all_liquid_s or 0.0) >= least
            assert cool.minutes == warm.minutes
            assert cool.odds == pytest.approx(warm.odds, abs=0.02)


def test_the_braid_delays_as_a_lumped_body_does() -> None:
    """Against the equation stepped numerically."""
    iron, land = (
        Iron(tip_mm=2.4, set_c=380.0, shape=TipShape.BEVEL),
        Land(pin="1", x_mm=0, y_mm=0, size_x_mm=1.5, size_y_mm=0.6, kind=JointKind.GULL_WING),
    )
    at, kelvins = 0.0, 25.0
    wide = Land(pin="", x_mm=0, y_mm=0, size_x_mm=2.0, size_y_mm=2.0, kind=land.kind)
    passes = tip_conductance_w_k(iron, wide)
    while kelvins < 183.0:
        kelvins += passes * (380.0 - kelvins) / wick_heat_j_k(2.0) * 1e-5
        at += 1e-5
    assert wick_delay_s(iron, land, 2.0, 183.0) == pytest.approx(at, rel=0.01)
    assert math.isinf(wick_delay_s(replace(iron, set_c=180.0), land, 2.0, 183.0))
    assert longest_dwell_s(420.0) < longest_dwell_s(380.0) < longest_dwell_s(340.0)


def test_removal_alloy_asks_for_two_wicks_and_a_part_without_pads_is_said(
    demo_board: Board,
) -> None:
    package, alloy = demo_board.part("U4").package, ALLOYS["Sn63Pb37"]
    plan = pads_plan(
        "U4",
        package,
        demo_board.pads,
        OffWay.REMOVAL,
        Want.BARE,
        alloy=alloy,
        iron=USUAL_IRONS[0],
        touches_s=lambda tie: 0.3,
    )
    assert "wick twice" in plan.must[0]
    with pytest.raises(InvalidValue, match="has no pads"):
        pads_plan(
            "U9",
            replace(package, lands=()),
            (),
            OffWay.AIR,
            Want.BARE,
            alloy=alloy,
            iron=USUAL_IRONS[0],
            touches_s=lambda tie: 0.3,
        )


# jumpers
def test_a_jumper_against_published_formulas() -> None:
    """IPC-2221 for an outer track of 35 µm: about 0.30 mm for 1 A at 10 K rise [published chart, as
    remembered]; Preece: 80·d^1.5 melts 1 mm of copper at 80 A. A jumper stays below a fifth of
    that.
    """
    assert foil_area_mm2(1.0, 10.0) / 0.035 == pytest.approx(0.30, rel=0.1)
    assert fusing_a(1.0) == 80.0
    for current in (0.05, 0.3, 1.0, 3.0, 8.0):
        found = jumper(current, 30.0)
        assert found.fusing_share < 0.2
        assert found.drop_mv <= 50.001
        d = warm_wire_mm(current) * 1e-3  # heat made is heat lost
        made = current**2 * 4 * 1.72e-8 / (math.pi * d**2)
        assert made == pytest.approx(40.0 * math.pi * d * 20.0, rel=1e-6)


@given(st.floats(0.001, 20), st.floats(1, 300))
def test_more_current_or_length_never_wants_a_thinner_jumper(amps: float, length: float) -> None:
    here = jumper(amps, length)
    more = jumper(min(amps * 1.5, 20), min(length * 1.5, 300))
    assert (more.wire_mm or 99) >= (here.wire_mm or 99)
    assert more.foil_mm >= here.foil_mm - 1e-12


# floating
@pytest.mark.parametrize("name", ["0402", "0805", "1206", "SOIC-8", "TSSOP-20"])
def test_the_centring_force_is_the_slope_of_an_energy(name: str) -> None:
    package = package_named(name)
    columns = columns_of(package, 0.05)
    height = settled_mm(columns, 0.0)
    for offset in (0.01, 0.05, 0.2):
        step = 1e-5
        slope = (
            side_energy_nj(columns, height, offset + step)
            - side_energy_nj(columns, height, offset - step)
        ) / (2 * step)
        assert 1e3 * centring_mn(columns, height, offset) == pytest.approx(slope, rel=1e-5)
    far = centring_mn(columns, height, 50.0 * height)  # closed form: the whole pull of the edges
    edges = sum(0.5 * one.count * one.perimeter_mm for one in columns)
    assert far == pytest.approx(SURFACE_TENSION_N_M * edges, rel=1e-3)


def test_small_parts_pull_in_from_half_a_pad_and_large_ones_uneven_do_not() -> None:
    chip = package_named("0805")
    small = centring(chip, 0.15)
    narrow = min(chip.lands[0].size_x_mm, chip.lands[0].size_y_mm)
    assert 0.4 * narrow <= small.largest_mm <= 0.7 * narrow
    assert centring(chip, 0.15, lag_s=5.0).largest_mm == 0.0
    assert centring(package_named("SOIC-28W"), 0.1, lag_s=8.0).largest_mm == 0.0


@given(st.floats(0.005, 0.3), st.sampled_from(["0402", "0805", "1206", "SOIC-8", "TSSOP-20"]))
def test_a_height_is_told_only_where_forces_balance(volume: float, name: str) -> None:
    """Never the end of the search: at the height told the columns carry the weight."""
    package = package_named(name)
    found = thickness(package, volume)
    if found is None:
        return
    columns = columns_of(package, volume)
    carried = sum(one.force_mn(found.height_mm) for one in columns)
    assert carried == pytest.approx(package.mass_mg * 1e-3 * 9.81, rel=0.02, abs=1e-4)


def test_a_stencil_of_one_part_leaves_the_rest_out(demo_board: Board) -> None:
    made = part_stencil(demo_board, "U2", ("21",))
    pins = {demo_board.pads[one.pad].pin for one in made.openings if one.pad is not None}
    assert pins == {land.pin for land in demo_board.part("U2").package.lands} - {"21"}
    assert {demo_board.pads[one.pad].ref for one in made.openings if one.pad is not None} == {"U2"}
    bare = replace(demo_board, openings=())
    drawn = part_stencil(bare, "C2", shrink_mm=0.05)
    for one in drawn.openings:
        assert one.pad is not None
        pad = Polygon(demo_board.pads[one.pad].ring)  # less its edge, but for the corners
        assert one.area_mm2 == pytest.approx(pad.area - 0.05 * pad.length, abs=0.02)
    with pytest.raises(InvalidValue, match="leaves nothing"):
        part_stencil(bare, "C2", shrink_mm=2.0)
    with pytest.raises(InvalidValue, match="no pads"):
        part_stencil(demo_board, "U99")


# adapters
def test_solder_of_a_header_pin_by_closed_form() -> None:
    """A truncated cone less its pin, against the integral of its rings."""
    ring, pin, height = 0.85, 0.64 / math.sqrt(math.pi), 0.6
    z = np.linspace(0, height, 200_001)
    radius = ring + (pin - ring) * z / height
    slices = math.pi * (radius**2 - pin**2)
    integral = float(((slices[1:] + slices[:-1]) / 2 * np.diff(z)).sum())
    assert fillet_cone_mm3(0.64, 1.7, 0.6) == pytest.approx(integral, rel=1e-6)
    barrel = (math.pi / 4 * 1.0 - 0.64**2) * 1.6
    assert joint_mm3(1.6) == pytest.approx(barrel + 2 * integral, rel=1e-6)
    with pytest.raises(InvalidValue, match="does not go into the hole"):
        joint_mm3(1.6, hole_mm=0.6)
    paste, solder = paste_in_hole_mm3(1.6, 1.2, 0.6, 0.5)
    assert solder == pytest.approx(0.5 * paste)


@pytest.mark.parametrize("name", ["SOIC-8", "SOIC-28W", "TSSOP-20", "QFP-48"])
def test_an_adapter_maps_every_pin_once_both_ways(name: str) -> None:
    package = package_named(name)
    made = adapter(package, ALLOYS["Sn63Pb37"])
    assert {one.pin for one in made.pins} == {land.pin for land in package.lands}
    for one in made.pins:
        assert made.of_header(made.of_pin(one.pin).header) == one
    assert sorted(made.order) == sorted(one.header for one in made.pins)
    left = [one.header for one in made.pins if one.row == 1]
    assert made.order[:2] == (left[0], left[-1])  # a corner, the opposite corner
    connects = [pair for pair in made.continuity if not pair[1].startswith("not ")]
    assert len(connects) == len(made.pins)


def test_a_wide_so_28_takes_rows_20_32_mm_apart() -> None:
    """Handbook, published geometry."""
    assert header_rows_mm(package_named("SOIC-28W")) == 20.32


# passports
def test_a_part_with_too_much_behind_it_is_refused_with_the_reason() -> None:
    package = package_named("SOIC-8")
    fit = Passport(
        ref="U1", package="SOIC-8", cleaned=True, straight=True, open_h=2.0, tested=Proof.GOOD
    )
    assert fitness(fit, package) == replace(fitness(fit, package), refused="", first=())
    for spoilt, said in (
        (replace(fit, heats=4), "4 heats"),
        (replace(fit, liquid_s=300.0), "300 s"),
        (replace(fit, peak_c=290.0), "290 °C"),
        (replace(fit, tested=Proof.BAD), "failed its test"),
    ):
        assert said in fitness(spoilt, package).refused
    bent = fitness(replace(fit, lift_mm=0.2), package)
    assert "straighten" in bent.first[0]
    assert coplanar_mm(package_named("QFP-48")) == 0.08
    assert coplanar_mm(package_named("0603")) is None


def test_a_transfer_list_pairs_like_with_like_in_the_donor_s_order() -> None:
    donor = {"D1": ("LED", "red"), "D2": ("LED", "red"), "U1": ("SO-8", "x"), "U2": ("SO-8", "x")}
    wanted = {"D7": ("LED", "red"), "U5": ("SO-8", "x"), "U6": ("SO-8", "y")}
    found, missing = transfer_list(
        donor, wanted, ["D1", "D2", "U1", "U2"], refused={"U1": "U1 failed its test"}
    )
    assert [(one.donor_ref, one.goes_to) for one in found] == [
        ("D1", "D7"),
        ("U1", ""),
        ("U2", "U5"),
    ]
    assert found[1].why_not == "U1 failed its test"
    assert missing == ["U6"]


# survey and ways off
def test_a_survey_lists_both_faces_and_plans_for_the_worse(demo_board: Board) -> None:
    seen = survey(demo_board, "U1", Answers(), {"U1": 3})
    sides = {part.ref: part.side for part in demo_board.parts}
    assert {one.beneath for one in seen.in_the_way} == {True, False}
    assert all(one.beneath == (sides[one.ref] == "bottom") for one in seen.in_the_way)
    assert [one.apart_mm for one in seen.in_the_way] == sorted(
        one.apart_mm for one in seen.in_the_way
    )
    assert Answers().alloy == "Sn96.5Ag3Cu0.5"
    about = {one.about for one in seen.advice}
    assert {"Power", "Solder", "Moisture", "Heats"} <= about
    glued = survey(demo_board, "U1", Answers(coating=Coating.URETHANE, solder=Solder.LEADED), {})
    assert any(one.stop and "isocyanates" in one.sentence for one in glued.advice)
    with pytest.raises(InvalidValue, match="no part 'U99'"):
        survey(demo_board, "U99", Answers(), {})


BENCH = OffBench(
    air=HotAir(nozzle_mm=6, outlet_c=350, flow_lpm=30),
    plates=(HotPlate(set_c=250.0),),
    irons=USUAL_IRONS,
)


def test_ways_off_keep_their_laws(demo_board: Board) -> None:
    """Every way answered; hidden pads refuse irons; parts underneath refuse the plate; a blade only
    where the part is lost anyway; what is possible has all joints liquid at once.
    """
    for ref in ("U2", "U4", "C2"):
        scene = off_scene(demo_board, HeatPlan(), ref, "Sn63Pb37")
        found = {one.way: one for one in ways_off(scene, ref, BENCH, Matters.BOTH)}
        assert set(found) == set(OffWay)
        for one in found.values():
            assert 0.0 <= one.odds <= 1.0
            assert bool(one.why_not) == (not one.possible)
            if one.possible and one.way not in (OffWay.CUT, OffWay.PIN_BY_PIN):
                assert one.all_liquid_s is not None
                assert one.all_liquid_s >= (one.spread_s or 0.0) >= 0.0
        assert "underside" in found[OffWay.PLATE].why_not
        assert not found[OffWay.CUT].possible
        assert best_first(list(found.values()))[0].possible
        if ref == "U2":
            assert "underneath" in found[OffWay.TWO_IRONS].why_not
            assert not found[OffWay.REMOVAL].possible
    lost = {
        one.way: one
        for one in ways_off(
            off_scene(demo_board, HeatPlan(), "U4", "Sn63Pb37"), "U4", BENCH, Matters.BOARD
        )
    }
    assert lost[OffWay.CUT].possible


def test_a_loose_neighbour_costs_nothing_on_a_scrapped_donor(demo_board: Board) -> None:
    scene = off_scene(demo_board, HeatPlan(), "U2", "Sn63Pb37")
    bench = replace(BENCH, plates=())
    both, part = (
        {one.way: one for one in ways_off(scene, "U2", bench, matters)}[OffWay.AIR]
        for matters in (Matters.BOTH, Matters.PART)
    )
    assert both.loose
    assert part.odds > both.odds


def test_bad_input_to_ways_off_is_one_sentence(demo_board: Board) -> None:
    with pytest.raises(InvalidValue, match="no part 'U99'"):
        off_scene(demo_board, HeatPlan(), "U99", "Sn63Pb37")
    with pytest.raises(InvalidValue, match="no alloy is called"):
        off_scene(demo_board, HeatPlan(), "U4", "Sn1")
    small = alone("0603", size=(12.0, 8.0))
    wide = {
        one.way: one
        for one in ways_off(
            small, "U1", OffBench(air=HotAir(nozzle_mm=20, outlet_c=350, flow_lpm=30)), Matters.BOTH
        )
    }
    assert "wider than the board" in wide[OffWay.AIR].why_not


# lifting
def lifting(name: str, seconds: float = 60.0):  # type: ignore[no-untyped-def]
    scene = alone(name, size=(40.0, 30.0), plane=("21",) if name == "QFN-20" else ())
    moves = (
        *usual_moves(("U1",))[:1],
        Move(
            deed=usual_moves(("U1",))[1].deed,
            seconds=seconds,
            over=("U1",),
            height_mm=12.0,
            circle_mm=3.0,
        ),
    )
    scene = replace(scene, source=HotAir(nozzle_mm=6, outlet_c=380, flow_lpm=44), moves=moves)
    seen = rehearse(scene)
    return scene, seen, sureness(scene, Doubts(), seen, 11)


def test_the_window_opens_with_the_last_joint_the_hidden_pad_too() -> None:
    scene, seen, sure = lifting("QFN-20")
    window = lift_window(scene, seen, sure)
    pad = next(joint for joint in seen.joints if joint.pin == "21")
    assert window.last_pin == "21"
    assert window.last_why == "the exposed pad"
    assert pad.melt_end_s is not None
    assert window.opens.low is not None
    assert window.opens.low <= pad.melt_end_s * 1.3
    assert window.opens_s is not None
    assert window.opens_s >= max(one.middle for one in sure.melts if one.middle is not None)


def test_what_matters_decides_what_closes_it() -> None:
    scene, seen, sure = lifting("SOIC-8")
    part = lift_window(scene, seen, sure, Matters.PART)
    board = lift_window(scene, seen, sure, Matters.BOARD)
    assert "U1 passes" in part.closed_by
    assert board.closes_s is None
    assert board.safe
    assert part.leave_s is None or part.closes_s is None or part.leave_s >= part.closes_s
    falls, passes = "C5 falls off the underside", "U1 passes its limit"
    harms = [(60.0, falls), (61.0, falls), *[(90.0 + n, passes) for n in range(9)], (None, "")]
    assert why_at(harms, 60.4) == falls  # what closes it, not what is commonest later
    assert why_at(harms, None) == ""
    early = replace(part, opens=Band(50.0, 55.0, 60.0), closes=Band(90.0, 95.0, 99.0), heat_s=45.0)
    assert "the moves end at 45 s" in early.sentence
    assert "moves end" not in replace(early, heat_s=70.0).sentence
    late = replace(early, closes=Band(30.0, 40.0, 50.0), leave_s=45.0, leave_why=passes)
    assert "Do not lift it with these settings: at 45 s U1 passes" in late.sentence
    for opens in (Band(50.0, None, None), Band(50.0, 55.0, 60.0)):
        assert replace(late, opens=opens).refused
    for leave in (None, 52.0):
        assert not replace(late, leave_s=leave).refused
    for old, new in zip(sure.samples, lift_samples(scene, sure, Matters.BOARD), strict=True):
        assert new.harm_s is None
        assert new.melts_s == old.melts_s


def test_window_and_search_count_only_what_harms_a_lift() -> None:
    scene, _, _ = lifting("SOIC-8")
    dwells = (10.0, 30.0, 60.0, 120.0, 240.0)
    asked = (scene, *(aimed_at_lift(scene, one) for one in (Matters.BOTH, Matters.BOARD)))
    solder, both, board = (window_column(one, Axis.OUTLET, 280.0, dwells).outcomes for one in asked)
    assert solder[-1].fate is Fate.HARM
    assert "molten for more than" in solder[-1].why
    assert both[-1].fate is not Fate.HARM  # liquid for long, and lifted at once
    rank = list(Fate)
    for place in range(len(dwells)):
        assert (
            rank.index(board[place].fate)
            <= rank.index(both[place].fate)
            <= rank.index(solder[place].fate)
        )
        assert (board[place].fate is Fate.COLD) == (both[place].fate is Fate.COLD)
    hotter = [window_column(one, Axis.OUTLET, 420.0, dwells).outcomes[-1] for one in asked[1:]]
    assert "passes" in hotter[0].why
    assert hotter[1].fate is Fate.GOOD  # a part that is thrown away may be cooked


def test_a_heat_that_lifts_is_kept_with_its_goal() -> None:
    assert HeatPlan(goal=Goal.LIFT).lifts
    assert not HeatPlan().lifts


def test_pads_of_a_ball_grid_part_get_seconds_from_the_iron_once_it_is_off() -> None:
    board = board_of(
        Sketch(name="grid", parts=(SketchedPart(ref="U1", package="BGA-64", x_mm=20, y_mm=15),)),
        Library(),
    )
    iron = max(USUAL_IRONS, key=lambda one: one.tip_mm)
    found = pads_planned(board, HeatPlan(targets=("U1",)), "U1", Answers(), iron)
    assert len(found.pads) == 64
    assert all(0.3 < pad.seconds < pad.longest_s for pad in found.pads)


@pytest.mark.parametrize(
    ("alloy", "package", "tin_left", "finish"),
    [
        ("Sn63Pb37", "SOIC-8", True, "tin-lead"),
        ("Sn63Pb37", "SOIC-8", False, "tin"),
        ("Sn63Pb37", "BGA-64", True, "leaded balls"),
        ("Sn96.5Ag3Cu0.5", "BGA-64", True, "lead-free balls"),
        ("Sn42Bi58", "SOIC-8", True, "tin-bismuth"),
        ("", "SOIC-8", True, "not known"),
    ],
)
def test_a_salvaged_part_brings_its_finish_along(
    alloy: str, package: str, tin_left: bool, finish: str
) -> None:
    passport = Passport(ref="U1", package=package, alloy=alloy, tin_left=tin_left)
    assert finish_of(passport, package_named(package)) == finish
