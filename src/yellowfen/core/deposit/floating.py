"""Where a leadless part settles on molten solder: the pad beneath lifts or draws it, the edge pads must reach it.

Model: solder pinned at the edges of a land below and the like terminal above; the free surface between is a circular arc all
round (surface tension and volume only, as for a short capillary bridge). Energy is surface tension times the free
surface; the force on the part is minus its derivative by height at fixed volume. Edge solder that does not touch stands
as a cylinder's cap on its land.
Where solder is drawn in beyond half round it recedes over the faces, which are wetted, at contact angle nought.
Laws: the force is the derivative of the energy while pinned (checked numerically); a wide, flat pad stands at volume over area.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

from yellowfen.core.metal.alloy import SURFACE_TENSION_N_M
from yellowfen.core.part.package import JointKind, Package
from yellowfen.core.quantity.number import in_range
from yellowfen.errors import InvalidValue

_G = 9.81
_STEPS = 200


@dataclass(frozen=True)
class Column:
    """Solder between a land and its terminal: area, edge, volume (mm², mm, mm³), and how many such there are."""

    area_mm2: float
    perimeter_mm: float
    volume_mm3: float
    count: int = 1

    def arc(self, height_mm: float) -> tuple[float, float]:
        """Half opening angle (signed, positive bulging) and length of the free surface's arc at a height."""
        return arc_of(height_mm, (self.volume_mm3 - self.area_mm2 * height_mm) / self.perimeter_mm)

    def energy_nj(self, height_mm: float) -> float:
        """Energy of the free surface, nJ (N/m times mm² is µJ)."""
        return 1000.0 * SURFACE_TENSION_N_M * self.count * self.perimeter_mm * self.arc(height_mm)[1]

    def force_mn(self, height_mm: float) -> float:
        """Upward force on the part, mN: pressure over the area less the pull of the surface along the edge."""
        half, _ = self.arc(height_mm)
        if half < -math.pi / 2:
            return self._receding_mn(height_mm)
        curvature = 2.0 * math.sin(half) / height_mm
        return self.count * SURFACE_TENSION_N_M * (curvature * self.area_mm2 - self.perimeter_mm * _stretch(height_mm, half))

    def _receding_mn(self, height_mm: float) -> float:
        """Drawn in further than half round, the solder recedes over both wetted faces at contact angle nought: suction on what it still covers."""
        covered = (self.volume_mm3 + self.perimeter_mm * math.pi * height_mm**2 / 8) / height_mm
        return -self.count * SURFACE_TENSION_N_M * 2.0 / height_mm * min(covered, self.area_mm2)

    def bulge_mm(self, height_mm: float) -> float:
        """How far the solder stands out beyond the land's edge (negative: drawn in)."""
        half, _ = self.arc(height_mm)
        return height_mm / 2 * math.tan(half / 2)


def arc_of(chord_mm: float, segment_mm2: float) -> tuple[float, float]:
    """Half opening angle and length of the arc over a chord that encloses an area; both signs of area, up to nearly a full circle."""
    wanted = abs(segment_mm2) * 4.0 / chord_mm**2

    def segment(half: float) -> float:
        return (half - math.sin(half) * math.cos(half)) / math.sin(half) ** 2

    half = _root(lambda angle: segment(angle) - wanted, 1e-6, math.pi - 1e-4) if wanted > segment(1e-6) else 1e-6
    return math.copysign(half, segment_mm2), chord_mm * half / math.sin(half)


def _stretch(chord_mm: float, half: float) -> float:
    """How much longer the arc becomes as its chord grows at fixed segment area."""
    angle = abs(half)
    if angle < 1e-4:
        return 1.0
    sine, cosine = math.sin(angle), math.cos(angle)
    grow = (sine - angle * cosine) / sine**2  # of angle over sine, by the angle
    area = (angle - sine * cosine) / sine**2
    area_grow = 2.0 * (1.0 - area * cosine / sine)
    return angle / sine - grow * 2.0 * area / area_grow


def _root(function: Callable[[float], float], low: float, high: float) -> float:
    """Where a rising function passes zero, by halving; the nearer end when it does not."""
    if function(low) > 0:
        return low
    if function(high) < 0:
        return high
    for _ in range(60):
        middle = (low + high) / 2
        if function(middle) > 0:
            high = middle
        else:
            low = middle
    return (low + high) / 2


def crown_mm(width_mm: float, length_mm: float, volume_mm3: float) -> float:
    """Height of free solder on a long land: a cylinder's cap across its width."""
    half, _ = arc_of(width_mm, volume_mm3 / length_mm)
    return width_mm / 2 * math.tan(half / 2)


def settled_mm(columns: tuple[Column, ...], weight_mn: float) -> float:
    """Height at which the columns first carry the weight, coming down from above as a part on melting paste does.

    There may be a lower one too, reached when the edges are pressed out. Raises InvalidValue for columns without solder.
    """
    if not columns or any(column.volume_mm3 <= 0 for column in columns):
        raise InvalidValue("volume", "a leadless part cannot settle on a pad without solder")
    flat = [column.volume_mm3 / column.area_mm2 for column in columns]

    def sinks(height: float) -> float:
        return weight_mn - sum(column.force_mn(height) for column in columns)

    low, high = 0.3 * min(flat), 3.0 * max(flat)
    ratio = (low / high) ** (1.0 / _STEPS)
    upper = high
    for _ in range(_STEPS):
        lower = upper * ratio
        if sinks(lower) <= 0:
            return _root(sinks, lower, upper)
        upper = lower
    return low


@dataclass(frozen=True)
class Settled:
    """A leadless part at rest. Heights in mm; `margin_mm` is the edge solder's free crown less the height that the pad beneath alone gives.

    Below 0 the edges stay open. `edge_bulge_mm` is how far edge solder stands out at the height where all of it is in touch.
    """

    alone_mm: float
    height_mm: float
    crown_mm: float
    margin_mm: float
    edge_bulge_mm: float
    touches: bool


def settle(package: Package, pad_solder_mm3: float, edge_solder_mm3: float) -> Settled:
    """Where a leadless part with a thermal pad comes to rest. `edge_solder_mm3` is the solder of one edge pad.

    Raises InvalidValue for a package without thermal pad or edge pads, and for absurd volumes.
    """
    pads = [land for land in package.lands if land.kind is JointKind.THERMAL_PAD]
    edges = [land for land in package.lands if land.kind is JointKind.LEADLESS]
    if not pads or not edges:
        raise InvalidValue("package", f"{package.name} has no thermal pad with edge pads round it")
    in_range("pad_solder_mm3", pad_solder_mm3, 1e-6, 1000, "mm³")
    in_range("edge_solder_mm3", edge_solder_mm3, 1e-7, 100, "mm³")
    weight = package.mass_mg * 1e-3 * _G
    beneath = Column(sum(pad.area_mm2 for pad in pads), sum(2 * (pad.size_x_mm + pad.size_y_mm) for pad in pads), pad_solder_mm3)
    width, length = min(edges[0].size_x_mm, edges[0].size_y_mm), max(edges[0].size_x_mm, edges[0].size_y_mm)
    edge = Column(width * length, 2 * (width + length), edge_solder_mm3, len(edges))
    alone = settled_mm((beneath,), weight)
    crown = crown_mm(width, length, edge_solder_mm3)
    touches = crown > alone
    height = settled_mm((beneath, edge), weight) if touches else alone
    return Settled(alone, height, crown, crown - alone, edge.bulge_mm(height) if touches else 0.0, touches)


def coverage_limit(package: Package, full_pad_solder_mm3: float, edge_solder_mm3: float) -> float | None:
    """The share of the thermal pad's full print at which the edges just lose touch; None when they never do up to twice the pad."""

    def lost(share: float) -> float:
        return -settle(package, share * full_pad_solder_mm3, edge_solder_mm3).margin_mm

    return None if lost(2.0) < 0 else _root(lost, 0.02, 2.0)
