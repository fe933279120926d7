"""Where a leadless part settles on molten solder: the pad beneath lifts or draws it, the edge pads
must reach it.

Model: solder pinned at the edges of a land below and the like terminal above; the free surface
between is a circular arc all round (surface tension and volume only, as for a short capillary
bridge). Energy is surface tension times the free surface; the force on the part is minus its
derivative by height at fixed volume. Edge solder that does not touch stands as a cylinder's cap on
its land. Where solder is drawn in beyond half round it recedes over the faces, which are wetted, at
contact angle nought. Land that shows beyond the body (the toe) takes up solder under the same
pressure, as a cylinder's cap, up to half round. Laws: the force is the derivative of the energy
while pinned (checked numerically); a wide, flat pad stands at volume over area.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

from yellowfen.core.metal.alloy import SURFACE_TENSION_N_M
from yellowfen.core.part.package import JointKind, Land, Package
from yellowfen.core.quantity.number import in_range
from yellowfen.errors import InvalidValue

_G = 9.81
_STEPS = 40


@dataclass(frozen=True, kw_only=True)
class SolderColumn:
    """Solder between a land and its terminal: area, edge, volume (mm², mm, mm³), and how many such
    there are.

    `toe_width_mm`, `toe_length_mm`: land beyond the terminal that the same solder wets; its side
    has no meniscus of its own.
    """

    area_mm2: float
    perimeter_mm: float
    volume_mm3: float
    count: int = 1
    toe_width_mm: float = 0.0
    toe_length_mm: float = 0.0

    def arc(self, height_mm: float) -> tuple[float, float]:
        """Half opening angle (signed, positive bulging) and length of the free surface's arc at a
        height.
        """
        held = self.volume_mm3 - self.area_mm2 * height_mm
        if self.toe_length_mm <= 0 or held <= 0:
            return arc_of(height_mm, held / self.perimeter_mm)

        def spare(half: float) -> float:
            return (
                self.perimeter_mm * height_mm**2 / 4 * _segment(half)
                + self.toe_mm3(half, height_mm)
                - held
            )

        half = _root(spare, 1e-6, math.pi - 1e-4)
        return half, height_mm * half / math.sin(half)

    def _toe_half(self, half: float, height_mm: float) -> float:
        """Half opening angle of the toe's cap under the pressure of a side that opens by `half`."""
        return math.asin(min(1.0, math.sin(min(half, math.pi / 2)) * self.toe_width_mm / height_mm))

    def toe_mm3(self, half: float, height_mm: float) -> float:
        """Solder on the toe while the sides open by `half`."""
        return (
            self.toe_length_mm
            * self.toe_width_mm**2
            / 4
            * _segment(max(self._toe_half(half, height_mm), 1e-9))
        )

    def energy_nj(self, height_mm: float) -> float:
        """Energy of the free surface, nJ (N/m times mm² is µJ)."""
        half, length = self.arc(height_mm)
        surface = self.perimeter_mm * length
        if self.toe_length_mm > 0 and half > 0:
            toe = max(self._toe_half(half, height_mm), 1e-9)
            surface += self.toe_length_mm * self.toe_width_mm * toe / math.sin(toe)
        elif self.toe_length_mm > 0:
            surface += self.toe_length_mm * self.toe_width_mm
        return 1000.0 * SURFACE_TENSION_N_M * self.count * surface

    def force_mn(self, height_mm: float) -> float:
        """Upward force on the part, mN: pressure over the area less the pull of the surface along
        the edge.
        """
        half, _ = self.arc(height_mm)
        if half < -math.pi / 2:
            return self._receding_mn(height_mm)
        curvature = 2.0 * math.sin(half) / height_mm
        return (
            self.count
            * SURFACE_TENSION_N_M
            * (curvature * self.area_mm2 - self.perimeter_mm * _stretch(height_mm, half))
        )

    def _receding_mn(self, height_mm: float) -> float:
        """Drawn in further than half round, the solder recedes over both wetted faces at contact
        angle nought: suction on what it still covers.
        """
        covered = (self.volume_mm3 + self.perimeter_mm * math.pi * height_mm**2 / 8) / height_mm
        return -self.count * SURFACE_TENSION_N_M * 2.0 / height_mm * min(covered, self.area_mm2)

    def bulge_mm(self, height_mm: float) -> float:
        """How far the solder stands out beyond the land's edge (negative: drawn in)."""
        half, _ = self.arc(height_mm)
        return height_mm / 2 * math.tan(half / 2)


def arc_of(chord_mm: float, segment_mm2: float) -> tuple[float, float]:
    """Half opening angle and length of the arc over a chord that encloses an area; both signs of
    area, up to nearly a full circle.
    """
    wanted = abs(segment_mm2) * 4.0 / chord_mm**2

    half = _half_of(wanted) if wanted > _segment(1e-6) else 1e-6
    return math.copysign(half, segment_mm2), chord_mm * half / math.sin(half)


def _segment(half: float) -> float:
    """Area of a circle's segment of that half opening angle, over a quarter of the chord squared."""
    sine = math.sin(half)
    return (half - sine * math.cos(half)) / sine**2 if half > 1e-4 else 2.0 * half / 3.0


def _half_of(wanted: float) -> float:
    """The half opening angle of a segment that large: Newton from above, where the curve is convex,
    so it cannot overshoot.
    """
    half = (
        min(1.5 * wanted, math.pi - 0.9 * math.sqrt(math.pi / wanted), math.pi - 1e-4)
        if wanted > 0.3
        else 1.5 * wanted
    )
    for _ in range(40):
        area = _segment(half)
        step = (area - wanted) / (
            2.0 * (1.0 - area * math.cos(half) / math.sin(half)) if half > 1e-3 else 2.0 / 3.0
        )
        half = min(max(half - step, 1e-7), math.pi - 1e-4)
        if abs(step) < 1e-12:
            break
    return half


def _stretch(chord_mm: float, half: float) -> float:
    """How much longer the arc becomes as its chord grows at fixed segment area."""
    angle = abs(half)
    if angle < 1e-4:
        return 1.0
    sine, cosine = math.sin(angle), math.cos(angle)
    grow = (sine - angle * cosine) / sine**2  # of angle over sine, by the angle
    area = _segment(angle)
    area_grow = 2.0 * (1.0 - area * cosine / sine)
    return angle / sine - grow * 2.0 * area / area_grow


def _root(function: Callable[[float], float], low: float, high: float) -> float:
    """Where a rising function passes zero (Ridders' method, so the bracket always shrinks); the
    nearer end when it does not.
    """
    at_low, at_high = function(low), function(high)
    if at_low > 0:
        return low
    if at_high < 0:
        return high
    for _ in range(60):
        middle = (low + high) / 2
        at_middle = function(middle)
        root = math.sqrt(at_middle**2 - at_low * at_high)
        if root == 0 or high - low < 1e-13 * abs(high):
            break
        guess = middle - (middle - low) * at_middle / root
        at_guess = function(guess)
        (left, at_left), (right, at_right) = sorted(((middle, at_middle), (guess, at_guess)))
        if at_left > 0:
            high, at_high = left, at_left
        elif at_right > 0:
            low, at_low, high, at_high = left, at_left, right, at_right
        else:
            low, at_low = right, at_right
        if abs(at_guess) < 1e-15:
            return guess
    return (low + high) / 2


def crown_mm(width_mm: float, length_mm: float, volume_mm3: float) -> float:
    """Height of free solder on a long land: a cylinder's cap across its width."""
    half, _ = arc_of(width_mm, volume_mm3 / length_mm)
    return width_mm / 2 * math.tan(half / 2)


def settled_mm(columns: tuple[SolderColumn, ...], weight_mn: float) -> float:
    """Height at which the columns first carry the weight, coming down from above as a part on
    melting paste does.

    There may be a lower one too, reached when the edges are pressed out. Where they carry it at no
    height searched, the lowest of these. Raises InvalidValue for columns without solder.
    """
    found = balance_mm(columns, weight_mn)
    return _lowest_mm(columns) if found is None else found


def _lowest_mm(columns: tuple[SolderColumn, ...]) -> float:
    """Where the search for a rest ends: a third of what the solder would stand as a block."""
    return 0.3 * min(column.volume_mm3 / column.area_mm2 for column in columns)


def balance_mm(columns: tuple[SolderColumn, ...], weight_mn: float) -> float | None:
    """Height at which the columns first carry the weight; None where they do at no height searched.
    Raises InvalidValue for columns without solder.
    """
    if not columns or any(column.volume_mm3 <= 0 for column in columns):
        raise InvalidValue("volume", "a leadless part cannot settle on a pad without solder")
    flat = [column.volume_mm3 / column.area_mm2 for column in columns]

    def sinks(height: float) -> float:
        return weight_mn - sum(column.force_mn(height) for column in columns)

    low, high = _lowest_mm(columns), 3.0 * max(flat)
    ratio = (low / high) ** (1.0 / _STEPS)
    upper = high
    for _ in range(_STEPS):
        lower = upper * ratio
        if sinks(lower) <= 0:
            return _root(sinks, lower, upper)
        upper = lower
    return None


@dataclass(frozen=True, kw_only=True)
class Settled:
    """A leadless part at rest.

    Heights in mm; `margin_mm` is the edge solder's free crown less the height that the pad beneath
    alone gives.

    Below 0 the edges stay open. `edge_bulge_mm` is how far edge solder stands out at the height
    where all of it is in touch; `pressed_out` when its sides are more than half round: then the
    bulge is overstated, since toes take up more than the model gives them.
    """

    alone_mm: float
    height_mm: float
    crown_mm: float
    margin_mm: float
    edge_bulge_mm: float
    touches: bool
    pressed_out: bool


def settle(package: Package, pad_solder_mm3: float, edge_solder_mm3: float) -> Settled:
    """Where a leadless part with a thermal pad comes to rest.

    `edge_solder_mm3` is the solder of one edge pad.

    Raises InvalidValue for a package without thermal pad or edge pads, and for absurd volumes.
    """
    pads, edges = _lands(package)
    in_range("pad_solder_mm3", pad_solder_mm3, 1e-6, 1000, "mm³")
    in_range("edge_solder_mm3", edge_solder_mm3, 1e-7, 100, "mm³")
    weight = package.mass_mg * 1e-3 * _G
    beneath = SolderColumn(
        area_mm2=sum(pad.area_mm2 for pad in pads),
        perimeter_mm=sum(2 * (pad.size_x_mm + pad.size_y_mm) for pad in pads),
        volume_mm3=pad_solder_mm3,
    )
    edge = _edge(package, edges, edge_solder_mm3)
    alone = settled_mm((beneath,), weight)
    crown = crown_mm(*_sides(edges[0]), edge_solder_mm3)
    touches = crown > alone
    height = settled_mm((beneath, edge), weight) if touches else alone
    pressed = touches and edge.arc(height)[0] > math.pi / 2
    return Settled(
        alone_mm=alone,
        height_mm=height,
        crown_mm=crown,
        margin_mm=crown - alone,
        edge_bulge_mm=edge.bulge_mm(height) if touches else 0.0,
        touches=touches,
        pressed_out=pressed,
    )


def _sides(land: Land) -> tuple[float, float]:
    return min(land.size_x_mm, land.size_y_mm), max(land.size_x_mm, land.size_y_mm)


def _edge(package: Package, edges: list[Land], solder_mm3: float) -> SolderColumn:
    """All edge pads as one column each: what lies under the body carries, what shows beyond it is
    the toe.
    """
    land = edges[0]
    sideways = package.beside(land)
    out, half_body, along = (
        (abs(land.x_mm), package.body_x_mm / 2, land.size_x_mm)
        if sideways
        else (abs(land.y_mm), package.body_y_mm / 2, land.size_y_mm)
    )
    across = land.area_mm2 / along
    toe = min(max(out + along / 2 - half_body, 0.0), 0.7 * along)
    under = along - toe
    perimeter = 2 * under + across if toe > 0 else 2 * (under + across)
    return SolderColumn(
        area_mm2=under * across,
        perimeter_mm=perimeter,
        volume_mm3=solder_mm3,
        count=len(edges),
        toe_width_mm=across,
        toe_length_mm=toe,
    )


def _lands(package: Package) -> tuple[list[Land], list[Land]]:
    """Thermal pads and edge pads; raises InvalidValue when either is missing."""
    pads = [land for land in package.lands if land.kind is JointKind.THERMAL_PAD]
    edges = [land for land in package.lands if land.kind is JointKind.LEADLESS]
    if not pads or not edges:
        raise InvalidValue("package", f"{package.name} has no thermal pad with edge pads round it")
    return pads, edges


def _pad_solder_at(package: Package, height_mm: float) -> float:
    """Solder on the thermal pad that alone holds the part at a height."""
    pads, _ = _lands(package)
    area, perimeter = (
        sum(pad.area_mm2 for pad in pads),
        sum(2 * (pad.size_x_mm + pad.size_y_mm) for pad in pads),
    )
    weight, flat = package.mass_mg * 1e-3 * _G, area * height_mm
    return _root(
        lambda volume: (
            SolderColumn(area_mm2=area, perimeter_mm=perimeter, volume_mm3=volume).force_mn(
                height_mm
            )
            - weight
        ),
        0.3 * flat,
        3.0 * flat,
    )


def most_solder_mm3(package: Package, edge_solder_mm3: float) -> float:
    """Solder on the thermal pad at which the edges just lose touch: it alone then holds the part at
    the edge solder's crown.
    """
    _, edges = _lands(package)
    in_range("edge_solder_mm3", edge_solder_mm3, 1e-7, 100, "mm³")
    return _pad_solder_at(package, crown_mm(*_sides(edges[0]), edge_solder_mm3))


def least_solder_mm3(package: Package, edge_solder_mm3: float) -> float:
    """Solder on the thermal pad below which edge solder is pressed out so far that neighbours meet.
    0 when it never is.

    The toes then stand half round, and the sides bulge to the middle of the gap.
    """
    _, edges = _lands(package)
    in_range("edge_solder_mm3", edge_solder_mm3, 1e-7, 100, "mm³")
    edge = _edge(package, edges, edge_solder_mm3)
    reach = max((package.pitch_mm - _sides(edges[0])[0]) / 2, 0.02)

    def spare(height: float) -> float:
        side = height**2 / 4 * _segment(min(2 * math.atan(2 * reach / height), math.pi - 1e-4))
        return (
            edge.area_mm2 * height
            + edge.perimeter_mm * side
            + edge.toe_mm3(math.pi / 2, height)
            - edge_solder_mm3
        )

    lowest = 0.002
    return 0.0 if spare(lowest) >= 0 else _pad_solder_at(package, _root(spare, lowest, 2.0))


def coverage_limit(
    package: Package, full_pad_solder_mm3: float, edge_solder_mm3: float
) -> float | None:
    """The share of the thermal pad's full print at which the edges just lose touch; None when they
    never do up to twice the pad.
    """
    share = most_solder_mm3(package, edge_solder_mm3) / full_pad_solder_mm3
    return share if share < 2.0 else None
