"""Packages: names found in the wild, geometry, heat."""

import pytest

from yellowfen.core.part.catalogue import CHIP_SIZES, chip, find_package, moulded_limit, package_named
from yellowfen.core.part.package import JointKind
from yellowfen.errors import InvalidValue


@pytest.mark.parametrize(
    ("name", "lands", "family"),
    [
        ("R_0603_1608Metric", 2, "chip"), ("0402", 2, "chip"), ("C1206", 2, "chip"), ("LED_0805_2012Metric", 2, "chip LED"),
        ("SOIC-8_3.9x4.9mm", 8, "SOIC"), ("SO8", 8, "SOIC"), ("SOP-16", 16, "SOIC"), ("TSSOP-20", 20, "TSSOP"), ("MSOP-10", 10, "MSOP"),
        ("LQFP-48_7x7mm", 48, "QFP"), ("TQFP44", 44, "QFP"), ("QFN-20_4x4", 21, "QFN"), ("SOT-23", 3, "SOT"), ("SOT-23-5", 5, "SOT"),
        ("DPAK", 3, "tab"), ("TO-252-2", 3, "tab"), ("CP_Elec_6.3x5.4", 2, "can"), ("CONN-6-1.25", 8, "connector"),
    ],
)  # fmt: skip
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
    signed = sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(angles, angles[1:] + angles[:1], strict=True))
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
