"""Solder of pins in plated holes, by closed forms: the hole less the pin, and a hollow cone on
either face; paste pressed into a hole.
"""

import math

from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

PIN_MM = constant(
    "header_pin",
    0.64,
    "mm",
    mark=Mark.COMMON_PRACTICE,
    source="square pins of usual headers",
    affects="solder of a header joint",
)
HOLE_MM = constant(
    "header_hole",
    1.0,
    "mm",
    mark=Mark.COMMON_PRACTICE,
    source="finished hole for such a pin",
    affects="solder of a header joint",
)
RING_MM = constant(
    "header_land",
    1.7,
    "mm",
    mark=Mark.COMMON_PRACTICE,
    source="round land of such a hole",
    affects="solder of a header joint",
)
FILLET_MM = constant(
    "header_fillet",
    0.6,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="a hollow cone about as high as the pin is wide",
    affects="solder of a header joint",
)


def joint_mm3(
    board_mm: float,
    hole_mm: float = HOLE_MM,
    pin_mm: float = PIN_MM,
    ring_mm: float = RING_MM,
    fillet_mm: float = FILLET_MM,
) -> float:
    """Solder of a pin in a plated hole: the hole less the square pin, and a fillet on both faces.

    The fillet is a truncated cone from the land to the pin's round equivalent, less the pin.

    Raises InvalidValue when the pin does not go into the hole.
    """
    in_range("hole_mm", hole_mm, 0.2, 6, "mm")
    if pin_mm**2 >= math.pi / 4 * hole_mm**2:
        raise InvalidValue("pin_mm", "the pin does not go into the hole")
    barrel = (math.pi / 4 * hole_mm**2 - pin_mm**2) * board_mm
    return barrel + 2 * fillet_cone_mm3(pin_mm, ring_mm, fillet_mm)


def fillet_cone_mm3(pin_mm: float, ring_mm: float, height_mm: float) -> float:
    """A truncated cone from radius ring/2 to that of a round pin as thick, less the pin's own
    prism: πh/3·(R² + R·r + r²) − πr²·h.
    """
    big, small = ring_mm / 2, pin_mm / math.sqrt(math.pi)
    cone = math.pi * height_mm / 3 * (big**2 + big * small + small**2)
    return cone - math.pi * small**2 * height_mm


def paste_in_hole_mm3(
    board_mm: float, hole_mm: float, pin_mm: float, metal_share: float
) -> tuple[float, float]:
    """Paste pressed into a plated hole (a shell pin's): what it holds less the pin, and the solder
    it becomes; a fillet inside the hole is enough.

    Raises InvalidValue when the pin does not go into the hole.
    """
    in_range("metal_share", metal_share, 0.2, 0.8)
    if pin_mm >= hole_mm:
        raise InvalidValue("pin_mm", "the pin does not go into the hole")
    paste = math.pi / 4 * (hole_mm**2 - pin_mm**2) * board_mm
    return paste, paste * metal_share
