"""The leadless parts of a board: where each settles, how much beneath it works, by print, by mounds
of the iron, by dots.

Law: the range that works is found by the floating model with hand work's spread on both sides:
above it the edges lose touch, below it they are pressed out or the pad beneath carries no heat.
"""

import math
import statistics
from dataclasses import dataclass

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.board.remembered import remembered
from yellowfen.core.deposit.by_hand import dots_for, wire_mm
from yellowfen.core.deposit.fillet import wanted
from yellowfen.core.deposit.floating import (
    Settled,
    arc_of,
    coverage_limit,
    least_solder_mm3,
    most_solder_mm3,
    settle,
)
from yellowfen.core.deposit.judge import Judged
from yellowfen.core.deposit.stencil import HAND_SPREAD
from yellowfen.core.metal.paste import DISPENSE_SHARE, Paste
from yellowfen.core.part.package import JointKind, Land, Package
from yellowfen.core.quantity.units import MICRONS, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

COVERAGE = (0.5, 0.8)  # of a thermal pad, common practice
MOUND_SLOPE_DEG = constant(
    "mound_slope",
    45.0,
    "°",
    mark=Mark.FROM_MEMORY,
    source="a solder bump left by a cool iron meets its pad at 30 to 60°",
    affects="solder of a bump by iron",
)


@dataclass(frozen=True)
class Amount:
    """Solder beneath a leadless part that works, mm³, with hand work's spread: from, to, and what
    to aim for. `works` is False when there is none.
    """

    least_mm3: float
    most_mm3: float
    aim_mm3: float

    @property
    def works(self) -> bool:
        return self.least_mm3 < self.most_mm3


@dataclass(frozen=True, kw_only=True)
class Leadless:
    """One leadless part with a thermal pad in a print.

    Shares are of the pad's area; `drunk_share` is of the solder beneath.
    """

    part: BoardPart
    coverage: float
    settled: Settled
    limit: float | None
    holes: int
    drunk_share: float
    full_mm3: float
    amount: Amount

    @property
    def coverages(self) -> tuple[float, float, float]:
        """Coverage that works: from, to, aim."""
        return (
            self.amount.least_mm3 / self.full_mm3,
            self.amount.most_mm3 / self.full_mm3,
            self.amount.aim_mm3 / self.full_mm3,
        )

    @property
    def well(self) -> bool:
        """True when it settles within what works, hand work's spread included."""
        return (
            self.settled.touches
            and self.amount.least_mm3 <= self.coverage * self.full_mm3 <= self.amount.most_mm3
        )

    @property
    def sentence(self) -> str:
        """What to take away: whether the edges touch, and by how much."""
        edge = f"the edges {'touch' if self.settled.touches else 'stay open'}: they stand {with_unit(1000 * self.settled.crown_mm, MICRONS, 0)} high, the exposed pad alone holds it at {with_unit(1000 * self.settled.alone_mm, MICRONS, 0)}"
        limit = (
            "they would touch even with twice as much on the exposed pad"
            if self.limit is None
            else f"they open when the print covers {100 * self.limit:.0f} % of the pad"
        )
        pressed = "; solder is pressed out and may bridge" if self.settled.pressed_out else ""
        return f"{100 * self.coverage:.0f} % of the pad is printed; {edge}{pressed}; {limit}"


@dataclass(frozen=True, kw_only=True)
class ByHand:
    """The same part without a stencil.

    Mounds: wire on the thermal pad and on each edge pad, mm. Dots: how many beneath, of which
    width, and on each edge pad.
    """

    mound_edge_mm3: float
    mounds: Settled | None
    mound_amount: Amount
    wire_beneath_mm: float
    wire_edge_mm: float
    dot_edge_mm3: float
    dots: Settled | None
    dot_amount: Amount
    dot_mm: float
    dots_beneath: int


def amount_beneath(package: Package, edge_solder_mm3: float) -> Amount:
    """How much solder on the thermal pad works with edges of that much.

    Raises InvalidValue for packages that are not such.
    """
    pads = [land for land in package.lands if land.kind is JointKind.THERMAL_PAD]
    heat = sum(wanted(package, pad).least_mm3 for pad in pads)
    most = most_solder_mm3(package, (1 - HAND_SPREAD) * edge_solder_mm3) / (1 + HAND_SPREAD)
    least = max(least_solder_mm3(package, (1 + HAND_SPREAD) * edge_solder_mm3), heat) / (
        1 - HAND_SPREAD
    )
    return Amount(least, most, (least + most) / 2)


def _aimed(amount: Amount, full_mm3: float) -> Amount:
    """The aim drawn into the usual coverage as far as what works allows."""
    low, high = (
        max(amount.least_mm3, COVERAGE[0] * full_mm3),
        min(amount.most_mm3, COVERAGE[1] * full_mm3),
    )
    aim = (
        (low + high) / 2
        if low <= high
        else min(max(amount.aim_mm3, amount.least_mm3), amount.most_mm3)
    )
    return Amount(amount.least_mm3, amount.most_mm3, aim)


@remembered(same=2)
def leadless_parts(board: Board, judged: Judged, paste: Paste) -> tuple[Leadless, ...]:
    """All parts with a thermal pad and leadless edges, the smallest margin first."""
    solder: dict[tuple[str, str], float] = {
        (one.ref, one.pin): one.pad_solder_mm3 for one in judged.openings
    }
    printed: dict[tuple[str, str], float] = {}
    for one in judged.openings:
        printed[(one.ref, one.pin)] = printed.get((one.ref, one.pin), 0.0) + one.opening.area_mm2
    found = []
    for part in board.parts:
        pads = [land for land in part.package.lands if land.kind is JointKind.THERMAL_PAD]
        edges = [
            solder.get((part.ref, land.pin), 0.0)
            for land in part.package.lands
            if land.kind is JointKind.LEADLESS
        ]
        beneath = sum(solder.get((part.ref, pad.pin), 0.0) for pad in pads)
        edge = statistics.median(edges) if edges else 0.0
        if not pads or beneath <= 0 or edge <= 0:
            continue
        area = sum(pad.area_mm2 for pad in pads)
        full = area * judged.foil_mm * paste.volume_share
        try:
            settled, limit = (
                settle(part.package, beneath, edge),
                coverage_limit(part.package, full, edge),
            )
            amount = _aimed(amount_beneath(part.package, edge), full)
        except InvalidValue:
            continue
        holes = _holes_in(board, part)
        drunk = sum(math.pi / 4 * drill**2 * board.thickness_mm for drill in holes)
        coverage = sum(printed.get((part.ref, pad.pin), 0.0) for pad in pads) / area
        found.append(
            Leadless(
                part=part,
                coverage=coverage,
                settled=settled,
                limit=limit,
                holes=len(holes),
                drunk_share=min(1.0, drunk / beneath),
                full_mm3=full,
                amount=amount,
            )
        )
    return tuple(sorted(found, key=lambda one: one.settled.margin_mm))


def mound_mm3(land: Land) -> float:
    """Solder of a mound on a land: a cylinder's cap that meets the land at the usual slope."""
    width, length = min(land.size_x_mm, land.size_y_mm), max(land.size_x_mm, land.size_y_mm)
    half = math.radians(MOUND_SLOPE_DEG)
    return length * (width / (2 * math.sin(half))) ** 2 * (half - math.sin(half) * math.cos(half))


def by_hand(package: Package, paste: Paste, wire_diameter_mm: float = 0.5) -> ByHand:
    """The part on mounds made with an iron, and on dots from a needle.

    Raises InvalidValue for packages without thermal pad or edges.
    """
    edges = [land for land in package.lands if land.kind is JointKind.LEADLESS]
    pads = [land for land in package.lands if land.kind is JointKind.THERMAL_PAD]
    if not edges or not pads:
        raise InvalidValue("package", f"{package.name} has no thermal pad with edge pads round it")
    edge, pad = edges[0], max(pads, key=lambda land: land.area_mm2)
    mound = mound_mm3(edge)
    mounds = amount_beneath(package, mound)
    dispensed = Paste(paste.alloy, paste.powder, DISPENSE_SHARE)
    one = dots_for(
        max(edge.size_x_mm, edge.size_y_mm),
        min(edge.size_x_mm, edge.size_y_mm),
        wanted(package, edge),
        dispensed,
    )
    dot_edge = one.paste_mm3 * dispensed.volume_share
    dots = amount_beneath(package, dot_edge)
    beneath = dots_for(
        max(pad.size_x_mm, pad.size_y_mm),
        min(pad.size_x_mm, pad.size_y_mm),
        wanted(package, pad),
        dispensed,
    )
    each = beneath.paste_mm3 / beneath.count * dispensed.volume_share
    metal = paste.metal
    return ByHand(
        mound_edge_mm3=mound,
        mounds=_settled(package, mounds, mound),
        mound_amount=mounds,
        wire_beneath_mm=wire_mm(mounds.aim_mm3, wire_diameter_mm, metal),
        wire_edge_mm=wire_mm(mound, wire_diameter_mm, metal),
        dot_edge_mm3=dot_edge,
        dots=_settled(package, dots, dot_edge),
        dot_amount=dots,
        dot_mm=beneath.diameter_mm,
        dots_beneath=max(1, round(dots.aim_mm3 / each)),
    )


def _settled(package: Package, amount: Amount, edge_mm3: float) -> Settled | None:
    return settle(package, amount.aim_mm3, edge_mm3) if amount.works else None


def mound_height_mm(land: Land) -> float:
    """How high a mound stands on its land."""
    width = min(land.size_x_mm, land.size_y_mm)
    half, _ = arc_of(width, mound_mm3(land) / max(land.size_x_mm, land.size_y_mm))
    return width / 2 * math.tan(half / 2)


def _holes_in(board: Board, part: BoardPart) -> list[float]:
    """Drill diameters of the plated holes within the part's thermal pads."""
    pads = [
        pad
        for pad in board.pads
        if pad.ref == part.ref
        and any(
            land.pin == pad.pin and land.kind is JointKind.THERMAL_PAD
            for land in part.package.lands
        )
    ]
    reach = [(pad.x_mm, pad.y_mm, pad.size_x_mm / 2, pad.size_y_mm / 2) for pad in pads]
    return [
        hole.drill_mm
        for hole in board.holes
        if hole.plated
        and any(abs(hole.x_mm - x) <= dx and abs(hole.y_mm - y) <= dy for x, y, dx, dy in reach)
    ]


def loose_leadless(board: Board) -> tuple[BoardPart, ...]:
    """All parts with a thermal pad and leadless edges, printed or not."""
    kinds = {part.ref: {land.kind for land in part.package.lands} for part in board.parts}
    return tuple(
        part
        for part in board.parts
        if {JointKind.THERMAL_PAD, JointKind.LEADLESS} <= kinds[part.ref]
    )
