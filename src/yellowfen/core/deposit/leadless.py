"""The leadless parts of a board in one print: where each settles, which coverage works, what its holes may drink."""

import math
import statistics
from dataclasses import dataclass

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.deposit.floating import Settled, coverage_limit, settle
from yellowfen.core.deposit.judge import Judged
from yellowfen.core.metal.paste import Paste
from yellowfen.core.part.package import JointKind
from yellowfen.errors import InvalidValue


@dataclass(frozen=True)
class Leadless:
    """One leadless part with a thermal pad. Shares are of the pad's area; `drunk_share` is of the solder beneath."""

    part: BoardPart
    coverage: float
    settled: Settled
    limit: float | None
    holes: int
    drunk_share: float

    @property
    def sentence(self) -> str:
        """What to take away: whether the edges touch, and by how much."""
        edge = f"the edges {'touch' if self.settled.touches else 'stay open'}: they stand {1000 * self.settled.crown_mm:.0f} µm high, the pad beneath alone holds it at {1000 * self.settled.alone_mm:.0f} µm"
        limit = (
            "they would touch even with twice as much beneath"
            if self.limit is None
            else f"they let go when the print covers {100 * self.limit:.0f} % of the pad"
        )
        return f"{100 * self.coverage:.0f} % of the pad is printed; {edge}; {limit}"


def leadless_parts(board: Board, judged: Judged, paste: Paste) -> tuple[Leadless, ...]:
    """All parts with a thermal pad and leadless edges, the smallest margin first."""
    solder: dict[tuple[str, str], float] = {(one.ref, one.pin): one.pad_solder_mm3 for one in judged.openings}
    printed: dict[tuple[str, str], float] = {}
    for one in judged.openings:
        printed[(one.ref, one.pin)] = printed.get((one.ref, one.pin), 0.0) + one.opening.area_mm2
    found = []
    for part in board.parts:
        pads = [land for land in part.package.lands if land.kind is JointKind.THERMAL_PAD]
        edges = [solder.get((part.ref, land.pin), 0.0) for land in part.package.lands if land.kind is JointKind.LEADLESS]
        beneath = sum(solder.get((part.ref, pad.pin), 0.0) for pad in pads)
        edge = statistics.median(edges) if edges else 0.0
        if not pads or beneath <= 0 or edge <= 0:
            continue
        area = sum(pad.area_mm2 for pad in pads)
        full = area * judged.foil_mm * paste.volume_share
        try:
            settled, limit = settle(part.package, beneath, edge), coverage_limit(part.package, full, edge)
        except InvalidValue:
            continue
        holes = _holes_in(board, part)
        drunk = sum(math.pi / 4 * drill**2 * board.thickness_mm for drill in holes)
        found.append(
            Leadless(
                part,
                sum(printed.get((part.ref, pad.pin), 0.0) for pad in pads) / area,
                settled,
                limit,
                len(holes),
                min(1.0, drunk / beneath),
            )
        )
    return tuple(sorted(found, key=lambda one: one.settled.margin_mm))


def _holes_in(board: Board, part: BoardPart) -> list[float]:
    """Drill diameters of the plated holes within the part's thermal pads."""
    pads = [
        pad
        for pad in board.pads
        if pad.ref == part.ref and any(land.pin == pad.pin and land.kind is JointKind.THERMAL_PAD for land in part.package.lands)
    ]
    reach = [(pad.x_mm, pad.y_mm, pad.size_x_mm / 2, pad.size_y_mm / 2) for pad in pads]
    return [
        hole.drill_mm
        for hole in board.holes
        if hole.plated and any(abs(hole.x_mm - x) <= dx and abs(hole.y_mm - y) <= dy for x, y, dx, dy in reach)
    ]
