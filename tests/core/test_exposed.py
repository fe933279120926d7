"""Exposed pads under leaded parts: by name, and where only the copper shows them."""

from dataclasses import replace

import pytest

from yellowfen.core.board.board import Pad
from yellowfen.core.board.join import Placement, join
from yellowfen.core.part.catalogue import find_package
from yellowfen.core.part.package import HIDDEN, JointKind

WITH = {
    "HTSSOP-20": (2.73, 4.03), "TSSOP-20-1EP_4.4x6.5mm_P0.65mm_EP3.0x4.2mm": (3.0, 4.2), "HTSSOP-16-1EP_4.4x5mm": None,
    "MSOP-8-1EP_3x3mm_P0.65mm_EP1.68x1.88mm": (1.68, 1.88), "MSOP-10-EP": (1.86, 1.86), "HSOP-8": None,
    "SOIC-8-1EP_3.9x4.9mm_P1.27mm_EP2.29x3mm": (2.29, 3.0), "SOIC-8-EP": (2.42, 3.04), "HSOP-20": None, "PSOP-8": None,
    "HVSSOP-8": (1.86, 1.86), "TQFP-48-1EP_7x7mm_P0.5mm_EP5x5mm": (5.0, 5.0), "HTQFP-64": None, "TSSOP-14-EPAD": None,
}  # fmt: skip
WITHOUT = (
    *("PSOP-44", "SOIC-8", "TSSOP-20", "VSSOP-8", "LQFP-48", "EPCOS_0603", "SOT-23-5", "SSOP-20"),
    "SOIC-8-N7_3.9x4.9",
)


@pytest.mark.parametrize(("name", "size"), WITH.items())
def test_a_name_with_an_exposed_pad_has_one(name: str, size: tuple[float, float] | None) -> None:
    package = find_package(name)
    assert package is not None
    [pad] = [land for land in package.lands if land.kind is JointKind.THERMAL_PAD]
    assert pad.kind in HIDDEN
    assert pad.pin == str(len(package.lands))
    assert (pad.x_mm, pad.y_mm) == (0, 0)
    if size:
        assert (pad.size_x_mm, pad.size_y_mm) == pytest.approx(size, abs=0.011)
    for land in package.lands[:-1]:  # it touches none of the leads' lands
        gap = max(
            abs(land.x_mm) - (land.size_x_mm + pad.size_x_mm) / 2,
            abs(land.y_mm) - (land.size_y_mm + pad.size_y_mm) / 2,
        )
        assert gap > 0.15
    assert find_package(package.name) is not None
    assert len(find_package(package.name).lands) == len(package.lands)


@pytest.mark.parametrize("name", WITHOUT)
def test_a_name_without_has_none(name: str) -> None:
    package = find_package(name)
    assert package is not None
    assert all(land.kind is not JointKind.THERMAL_PAD for land in package.lands)


def _pads(name: str, beneath: tuple[float, float] | None, side: str, named: bool) -> list[Pad]:
    package = find_package(name)
    assert package is not None
    flip = 1 if side == "top" else -1
    shapes = [
        (land.pin, land.x_mm, land.y_mm, land.size_x_mm, land.size_y_mm) for land in package.lands
    ]
    if beneath:
        shapes.append((str(len(shapes) + 1), 0.0, 0.0, *beneath))
    return [
        Pad(
            side=side,
            x_mm=20 + flip * x,
            y_mm=20 + y,
            size_x_mm=wide,
            size_y_mm=high,
            angle_deg=0.0,
            area_mm2=wide * high,
            paste_mm2=0.0,
            ring=(),
            ref="U1" if named else None,
            pin=pin if named else None,
        )
        for pin, x, y, wide, high in shapes
    ]


@pytest.mark.parametrize("name", ["SOIC-8", "TSSOP-20", "MSOP-8", "QFP-48"])
@pytest.mark.parametrize("side", ["top", "bottom"])
@pytest.mark.parametrize("named", [False, True])
def test_a_pad_in_the_copper_under_a_leaded_part_is_its_own(
    name: str, side: str, named: bool
) -> None:
    """Drawn with a exposed pad, called by the name without: hidden, and told. A test point in the
    middle, or a bare body, stays what it is.
    """
    plain = find_package(name)
    assert plain is not None
    placed = Placement(
        ref="U1", value="", footprint=name, x_mm=20, y_mm=20, rotation_deg=0, side=side
    )
    size = (0.5 * plain.body_x_mm, 0.5 * plain.body_y_mm)
    joined = join([placed], _pads(name, size, side, named))
    [part] = joined.parts
    [pad] = [land for land in part.package.lands if land.kind is JointKind.THERMAL_PAD]
    assert len(part.package.lands) == len(plain.lands) + 1
    assert (pad.size_x_mm, pad.size_y_mm) == pytest.approx(size)
    assert {one.ref for one in joined.pads} == {"U1"}
    assert joined.findings
    for other in (None, (0.4, 0.4)):
        [bare] = join([placed], _pads(name, other, side, False)).parts
        assert bare.package.lands == plain.lands or len(bare.package.lands) == len(plain.lands)
        assert all(land.kind is not JointKind.THERMAL_PAD for land in bare.package.lands)
    near = replace(_pads(name, size, side, False)[-1], x_mm=20 + 0.4 * plain.body_x_mm)
    [part] = join([placed], [*_pads(name, None, side, False), near]).parts
    assert all(land.kind is not JointKind.THERMAL_PAD for land in part.package.lands)
