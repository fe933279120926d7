"""A package on an adapter with two header rows at 2.54 mm: which pin goes to which header pin, the
headers' joints in plated holes, their order, and what to measure afterwards.
"""

import math
from dataclasses import dataclass

from yellowfen.core.deposit.by_hand import wire_mm
from yellowfen.core.deposit.through_hole import RING_MM, joint_mm3
from yellowfen.core.metal.alloy import Alloy
from yellowfen.core.part.package import Package
from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

GRID_MM = 2.54
MOST_PINS = 64
JOINT_S = constant(
    "header_joint",
    3.0,
    "s",
    mark=Mark.COMMON_PRACTICE,
    source="two to four seconds a pin: heat pin and land, feed, away",
    affects="time of a header",
)
ROWS_MM = (7.62, 10.16, 15.24, 20.32, 25.4)


@dataclass(frozen=True, kw_only=True)
class PinOnAdapter:
    """A pin of the package and the header pin it goes to: row 1 left, 2 right, places from 1 down;
    x, y of the header pin, mm from the adapter's middle.
    """

    pin: str
    row: int
    place: int
    x_mm: float
    y_mm: float

    @property
    def header(self) -> str:
        return f"{'AB'[self.row - 1]}{self.place}"


@dataclass(frozen=True, kw_only=True)
class Adapter:
    """The map of an adapter. `order`: header pins in the order they are soldered."""

    package: str
    rows_mm: float
    pins: tuple[PinOnAdapter, ...]
    order: tuple[str, ...]
    joint_mm3: float
    wire_mm: float
    seconds: float
    cues: tuple[str, ...]

    def of_pin(self, pin: str) -> PinOnAdapter:
        return next(one for one in self.pins if one.pin == pin)

    def of_header(self, header: str) -> PinOnAdapter:
        return next(one for one in self.pins if one.header == header)

    @property
    def continuity(self) -> tuple[tuple[str, str], ...]:
        """What to measure: each lead against its header pin, must connect; each header pin against
        the next of its row, must not.
        """
        connects = [(f"lead {one.pin}", one.header) for one in self.pins]
        apart = [
            (one.header, other.header)
            for one in self.pins
            for other in self.pins
            if other.row == one.row and other.place == one.place + 1
        ]
        return (*connects, *((a, f"not {b}") for a, b in apart))


def header_rows_mm(package: Package) -> float:
    """Distance of the two rows: the narrowest usual one that clears the package; 20.32 mm for a
    wide SO with 28 leads [published geometry: rows at 2.54 mm].
    """
    wide = max(abs(land.x_mm) + land.size_x_mm / 2 for land in package.lands)
    need = 2 * wide + 2 * RING_MM
    if len(package.lands) >= 28 and package.pitch_mm >= 1.2:
        need = max(need, 20.0)
    return next((rows for rows in ROWS_MM if rows >= need), ROWS_MM[-1])


def _numbered(package: Package) -> list[str]:
    return sorted(
        (land.pin for land in package.lands if land.pin.isascii() and land.pin.isdigit()), key=int
    )


def takes(package: Package) -> bool:
    """True for a package that an adapter can carry: 2 to 64 numbered pins."""
    return 2 <= len(_numbered(package)) <= MOST_PINS


def adapter(
    package: Package, alloy: Alloy, board_mm: float = 1.6, wire_diameter_mm: float = 0.5
) -> Adapter:
    """An adapter for a package: pins in their order, half down the left row, half up the right.

    Raises InvalidValue for one that it does not take.
    """
    in_range("board_mm", board_mm, 0.4, 4, "mm")
    numbered = _numbered(package)
    if not takes(package):
        raise InvalidValue(
            "package",
            f"{package.name} has {len(numbered)} numbered pins; an adapter takes 2 to {MOST_PINS}",
        )
    half = math.ceil(len(numbered) / 2)
    rows = header_rows_mm(package)
    top = (half - 1) * GRID_MM / 2
    pins = []
    for number, pin in enumerate(numbered):
        left = number < half
        place = number + 1 if left else len(numbered) - number
        pins.append(
            PinOnAdapter(
                pin=pin,
                row=1 if left else 2,
                place=place,
                x_mm=-rows / 2 if left else rows / 2,
                y_mm=top - (place - 1) * GRID_MM,
            )
        )
    volume = joint_mm3(board_mm)
    order = _order([one for one in pins if one.row == 1]) + _order(
        [one for one in pins if one.row == 2]
    )
    return Adapter(
        package=package.name,
        rows_mm=rows,
        pins=tuple(pins),
        order=tuple(order),
        joint_mm3=volume,
        wire_mm=wire_mm(volume, wire_diameter_mm, alloy),
        seconds=JOINT_S * len(pins),
        cues=(
            "Put both headers in a breadboard with the adapter on top to keep them square.",
            "Solder one corner pin of a row. Check that it is square and flush; if not, melt it again and press.",
            "Solder the opposite corner of the same row.",
            "Solder the rest of the row, then the other row in the same way.",
        ),
    )


def _order(row: list[PinOnAdapter]) -> list[str]:
    """One corner, the opposite corner, the rest."""
    names = [one.header for one in sorted(row, key=lambda one: one.place)]
    return names if len(names) < 3 else [names[0], names[-1], *names[1:-1]]
