"""Packages: names found in the wild, geometry, heat."""

import itertools
from dataclasses import replace

import pytest

from yellowfen.core.deposit.fillet import wanted
from yellowfen.core.look.part_seen import end_ring
from yellowfen.core.part.catalogue import (
    CHIP_SIZES,
    LIMIT_UNKNOWN_PLASTIC,
    PALETTE,
    chip,
    find_package,
    moulded_limit,
    package_named,
)
from yellowfen.core.part.direction import direction_of
from yellowfen.core.part.library import OwnPackage
from yellowfen.core.part.package import JointKind, with_lands
from yellowfen.core.work.schedule import bake_h
from yellowfen.core.work.technique import PartKind, kind_of
from yellowfen.errors import InvalidValue


@pytest.mark.parametrize(
    ("name", "lands", "family"),
    [
        ("R_0603_1608Metric", 2, "chip"),
        ("0402", 2, "chip"),
        ("C1206", 2, "chip"),
        ("LED_0805_2012Metric", 2, "chip LED"),
        ("SOIC-8_3.9x4.9mm", 8, "SOIC"),
        ("SO8", 8, "SOIC"),
        ("SOP-16", 16, "SOIC"),
        ("TSSOP-20", 20, "TSSOP"),
        ("MSOP-10", 10, "MSOP"),
        ("LQFP-48_7x7mm", 48, "QFP"),
        ("TQFP44", 44, "QFP"),
        ("QFN-20_4x4", 21, "QFN"),
        ("SOT-23", 3, "SOT"),
        ("SOT-23-5", 5, "SOT"),
        ("DPAK", 3, "tab"),
        ("TO-252-2", 3, "tab"),
        ("CP_Elec_6.3x5.4", 2, "can"),
        ("CONN-6-1.25", 8, "connector"),
    ],
)
def test_names_found_in_the_wild(name: str, lands: int, family: str) -> None:
    package = find_package(name)
    assert package is not None
    assert (len(package.lands), package.family) == (lands, family)


@pytest.mark.parametrize("name", ["", "frobnicator", "QFP-51", "TSSOP-0", "QFN-1"])
def test_unknown_names_are_not_guessed(name: str) -> None:
    assert find_package(name) is None
    with pytest.raises(InvalidValue, match="no package is known"):
        package_named(name)


def test_chip_codes_show_both_systems() -> None:
    assert "metric 1608" in chip("0603").name
    assert len({metric for metric, *_ in CHIP_SIZES.values()}) == len(CHIP_SIZES)


def test_pins_go_round_anticlockwise_from_the_upper_left() -> None:
    quad = package_named("QFP-48")
    first = quad.lands[0]
    assert first.x_mm < 0 < first.y_mm
    angles = [(land.x_mm, land.y_mm) for land in quad.lands]
    signed = sum(
        a[0] * b[1] - b[0] * a[1] for a, b in zip(angles, angles[1:] + angles[:1], strict=True)
    )
    assert signed > 0


def test_pitch_and_thermal_pad() -> None:
    tssop = package_named("TSSOP-20")
    assert abs(tssop.lands[0].y_mm - tssop.lands[1].y_mm) == pytest.approx(0.65)
    assert package_named("QFN-20").lands[-1].kind is JointKind.THERMAL_PAD
    assert package_named("QFN-20").hidden_joints


def test_body_limits_follow_thickness_and_volume() -> None:
    """IPC/JEDEC J-STD-020 lead-free classes as remembered."""
    assert moulded_limit(1.0, 100)[0] == 260
    assert moulded_limit(2.0, 400)[0] == 250
    assert moulded_limit(3.0, 400)[0] == 245


def test_every_package_of_the_palette_is_known_and_sound() -> None:
    for names in PALETTE.values():
        for name in names:
            package = package_named(name)
            assert package.lands
            assert len({land.pin for land in package.lands}) == len(package.lands)
            assert 0 < package.height_mm < 12
            assert 0.05 < package.mass_mg < 5000
            assert 40 <= package.limit_c <= 300
            reach = max(abs(land.x_mm) for land in package.lands)
            assert reach <= package.body_x_mm / 2 + 4


# Pitch (mm) and pin count by name: package family drawings, as the handbook's table has them.
@pytest.mark.parametrize(
    ("name", "pins", "pitch"),
    [
        ("SOIC-14", 14, 1.27),
        ("SSOP-20", 20, 0.65),
        ("SSOP-20_4.4x6.5mm", 20, 0.65),
        ("TSSOP-16", 16, 0.65),
        ("MSOP-8", 8, 0.65),
        ("MSOP-10", 10, 0.5),
        ("TSOP-II-44", 44, 0.8),
        ("QFP-32", 32, 0.8),
        ("QFP-44", 44, 0.8),
        ("LQFP-64", 64, 0.5),
        ("TQFP-100", 100, 0.5),
        ("LQFP-144", 144, 0.5),
        ("PLCC-44", 44, 1.27),
        ("QFN-32_5x5", 33, 0.5),
        ("DFN-8_3x3", 9, 0.5),
        ("BGA-64", 64, 0.8),
        ("SOT-23-5", 5, 0.95),
        ("SOT-89", 3, 1.5),
        ("FLATCABLE-12-0.5", 14, 0.5),
    ],
)
def test_pins_and_pitch_of_the_families(name: str, pins: int, pitch: float) -> None:
    package = package_named(name)
    assert len(package.lands) == pins
    rows = sorted(
        {round(land.x_mm, 3) for land in package.lands if land.kind is not JointKind.THERMAL_PAD}
        if len(package.lands) < 8
        else set()
    )
    if not rows:
        assert package.pitch_mm == pytest.approx(pitch, abs=1e-6)
    else:
        column = sorted(land.y_mm for land in package.lands if round(land.x_mm, 3) == rows[0])
        assert min(b - a for a, b in itertools.pairwise(column)) in (
            pytest.approx(pitch),
            pytest.approx(2 * pitch),
        )


def test_a_j_lead_carrier_has_pin_1_in_the_middle_of_its_upper_side() -> None:
    package = package_named("PLCC-44")
    first, second = package.lands[0], next(land for land in package.lands if land.pin == "2")
    assert abs(first.x_mm) < 0.01
    assert first.y_mm > 0
    assert second.x_mm < 0
    assert {land.kind for land in package.lands} == {JointKind.J_LEAD}
    assert first.pin == "1"


@pytest.mark.parametrize(
    ("name", "iron_only", "shy"),
    [
        ("SWITCH-6x6", True, True),
        ("FLATCABLE-12-0.5", True, True),
        ("PLED-4", False, True),
        ("SOIC-8", False, False),
    ],
)
def test_what_may_meet_air(name: str, iron_only: bool, shy: bool) -> None:
    package = package_named(name)
    assert (package.iron_only, package.heat_shy) == (iron_only, shy)


@pytest.mark.parametrize(
    ("name", "family"),
    [
        ("C_1206_3216Metric", "chip"),
        ("CP_Elec_8x6.9", "can"),
        ("D_SOD-123", "diode"),
        ("TANTALUM-B", "tantalum"),
        ("CP_EIA-7343-31", "tantalum"),
        ("IND-4", "inductor"),
        ("L_6.0x6.0", "inductor"),
        ("XTAL-3.2x2.5", "crystal"),
        ("USB_Micro-B", "USB socket"),
        ("USB_C_Receptacle", "USB socket"),
        ("MODULE-18x20", "module"),
    ],
)
def test_further_families(name: str, family: str) -> None:
    package = find_package(name)
    assert package is not None
    assert package.family == family


def test_own_packages_refuse_what_no_part_has() -> None:
    for change, said in (
        ({"height_mm": 0}, "height_mm"),
        ({"body_x_mm": 1e9}, "body_x_mm"),
        ({"name": " "}, "needs a name"),
        ({"material": "jelly"}, "jelly"),
        ({"moisture": "9"}, "not a moisture class"),
        ({"limit_c": float("nan")}, "limit_c"),
    ):
        given = {"name": "Own", "body_x_mm": 3, "body_y_mm": 3, "height_mm": 1} | change
        with pytest.raises(InvalidValue, match=said):
            OwnPackage(**given)  # type: ignore[arg-type]


def test_limits_of_own_packages_follow_material_and_size() -> None:
    assert (
        OwnPackage(name="a", body_x_mm=3, body_y_mm=3, height_mm=1).package().limit_c
        == moulded_limit(1, 9)[0]
    )
    assert (
        OwnPackage(name="a", body_x_mm=3, body_y_mm=3, height_mm=1, material="plastic")
        .package()
        .limit_c
        == LIMIT_UNKNOWN_PLASTIC
    )
    assert (
        OwnPackage(name="a", body_x_mm=3, body_y_mm=3, height_mm=1, limit_c=150).package().limit_why
        == "you gave its limit"
    )


SIZES = {  # across, along, pitch, limit: outlines and J-STD-020 classes as remembered
    "QFN-16": (3.0, 3.0, 0.5, 260),
    "QFN-20": (4.0, 4.0, 0.5, 260),
    "QFN-32": (5.0, 5.0, 0.5, 260),
    "QFN-48": (7.0, 7.0, 0.5, 260),
    "QFN-64": (9.0, 9.0, 0.5, 260),
    "QFN-24_5x5": (5.0, 5.0, 0.65, 260),
    "QFN-28_6x6mm": (6.0, 6.0, 0.65, 260),
    "QFN-32_7x7": (7.0, 7.0, 0.65, 260),
    "QFN-44_8x8": (8.0, 8.0, 0.65, 260),
    "SOIC-20": (7.5, 12.5, 1.27, 260),
    "SOP-44": (13.3, 27.8, 1.27, 250),
    "SOIC-8_5.3x5.3": (5.3, 5.3, 1.27, 260),
    "SOIC-16": (3.9, 10.0, 1.27, 260),
    "LED_5050": (5.0, 5.0, 1.7, 245),
    "LED_PLCC-6_5050": (5.0, 5.0, 1.7, 245),
    "QFP-208": (28.0, 28.0, 0.5, 245),
    "LQFP-208": (28.0, 28.0, 0.5, 260),
    "CONN-8-1.25": (13.8, 5.0, 1.25, 210),
    "CONN-8-1.25 LCP": (13.8, 5.0, 1.25, 260),
    "CONN-8-1.25 nylon": (13.8, 5.0, 1.25, 240),
}


@pytest.mark.parametrize("name", SIZES)
def test_names_give_the_bodies_they_stand_for(name: str) -> None:
    package = package_named(name)
    found = (package.body_x_mm, package.body_y_mm, package.pitch_mm, package.limit_c)
    assert found == pytest.approx(SIZES[name], abs=0.06)


def test_names_without_a_package_of_their_own_are_asked() -> None:
    assert find_package("SOT-23-8") is None
    assert find_package("SC-70-5") is None
    assert len(package_named("SC-70-6").lands) == 6
    assert len(package_named("SOT-23-3").lands) == 3


def test_large_and_thick_bodies_stand_less_and_bake_longer() -> None:
    assert moulded_limit(2.0, 2500.0)[0] == 245.0
    assert moulded_limit(2.0, 1000.0)[0] == 250.0
    assert bake_h("3", 1.4, 20.0) == 96
    assert bake_h("3", 1.4, 14.0) == 9
    assert bake_h("6", 1.4) is None


def test_what_fits_both_ways_is_told_and_what_a_meter_does_not_tell() -> None:
    assert "two orientations" in direction_of(package_named("SOT-23-6")).look_for
    assert "two orientations" in direction_of(package_named("SOT-363")).look_for
    assert "one orientation only" in direction_of(package_named("SOT-23-5")).look_for
    assert "shows nothing" in direction_of(package_named("LED_5050")).look_for


def test_lands_that_reach_out_from_a_can_take_the_iron_and_a_reflowable_switch_is_not_kept_for_it() -> (
    None
):
    can = package_named("IND-6")
    assert kind_of(can) is PartKind.HIDDEN
    long = tuple(replace(land, size_x_mm=land.size_x_mm + 0.8) for land in can.lands)
    assert kind_of(with_lands(can, long)) is not PartKind.HIDDEN
    assert package_named("SWITCH-6x6").iron_only
    assert not package_named("SWITCH-6x6 LCP").iron_only


@pytest.mark.parametrize(
    "name",
    ["SOIC-8", "SOIC-28W", "TSOP2-54", "TSSOP-20", "DFN-14_4x4_P0.5", "ARRAY-4x0402", "0805"],
)
def test_pins_at_the_ends_of_long_rows_lie_beside_the_body_too(name: str) -> None:
    """They lie farther along the row than off it, yet their feet point outwards."""
    package = package_named(name)
    pins = [land for land in package.lands if land.kind is not JointKind.THERMAL_PAD]
    assert all(package.beside(land) for land in pins)
    for land in pins:
        ring = end_ring(package, land)
        if ring is not None:
            xs, ys = zip(*ring, strict=True)
            assert (min(ys) + max(ys)) / 2 == pytest.approx(land.y_mm, abs=1e-6)
            assert max(ys) - min(ys) <= land.size_y_mm + 1e-6
            assert max(abs(x) for x in xs) <= abs(land.x_mm) + land.size_x_mm / 2 + 1e-6


@pytest.mark.parametrize("name", ["QFP-48", "QFP-208", "QFN-32_5x5", "PLCC-44"])
def test_half_of_a_four_sided_parts_pins_lie_beside_it(name: str) -> None:
    package = package_named(name)
    pins = [land for land in package.lands if land.kind is not JointKind.THERMAL_PAD]
    assert 2 * sum(package.beside(land) for land in pins) == len(pins)


def test_an_array_is_chips_side_by_side() -> None:
    """Numbered round; the solder each end wants is what a lone chip of its width would want."""
    array = package_named("R_Array_Convex_4x0603")
    assert (array.name, array.pitch_mm, len(array.lands)) == ("ARRAY-4x0603", 0.8, 8)
    assert [land.pin for land in array.lands if land.x_mm < 0] == ["1", "2", "3", "4"]
    facing = {land.pin: land.y_mm for land in array.lands}
    assert facing["1"] == facing["8"] > facing["4"] == facing["5"]
    ends = {round(wanted(array, land).most_mm3, 9) for land in array.lands}
    assert len(ends) == 1
    assert direction_of(array) is None
    with pytest.raises(InvalidValue):
        package_named("ARRAY-9x0603")
