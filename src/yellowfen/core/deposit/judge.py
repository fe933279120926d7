"""Every opening of a board judged in one foil with one paste: release, solder against what the joint wants, bridges.

Laws: a pad's solder is the sum over its openings; a gap is judged by the fatter of its two pads and its width; pins of one
net may bridge. Totals do not depend on turning, mirroring or order.
"""

import math
from collections import defaultdict
from dataclasses import dataclass

from yellowfen.core.board.board import Board, BoardPart, Opening, Pad
from yellowfen.core.board.bridges import neighbouring_pins
from yellowfen.core.deposit.fillet import Wanted, wanted
from yellowfen.core.deposit.stencil import FOILS_MM, Release, release, thickest_foil_mm
from yellowfen.core.metal.paste import Paste
from yellowfen.core.part.package import Land
from yellowfen.core.source.mark import Mark, constant

BRIDGES = constant(
    "bridge_likely",
    1.0,
    "1",
    Mark.FROM_MEMORY,
    "solder over what lead and land hold, at a gap of a quarter millimetre",
    "bridges between pins",
)
MAY_BRIDGE = constant("bridge_possible", 0.75, "1", Mark.FROM_MEMORY, "three quarters of it", "bridges between pins")
NARROW_GAP_MM = constant(
    "narrow_gap", 0.25, "mm", Mark.FROM_MEMORY, "printed paste slumps and solder bulges about this far", "bridges between pins"
)


@dataclass(frozen=True)
class JudgedOpening:
    """An opening with its part and pin, how it releases, the verdict on its joint, and what to mind; `too_thick` when common practice has a thinner foil for its pitch."""

    opening: Opening
    ref: str
    pin: str
    release: Release
    wanted: Wanted | None
    pad_solder_mm3: float
    verdict: str
    bridge: float
    warnings: tuple[str, ...]
    too_thick: bool = False

    @property
    def rank(self) -> float:
        """How bad: fails first, then bridges, lean, fat, other warnings."""
        wrong = {"lean": 2.0, "fat": 1.5}.get(self.verdict, 0.0)
        return 4.0 * self.release.fails + 3.0 * (self.bridge >= BRIDGES) + (self.bridge >= MAY_BRIDGE) + wrong + 0.5 * len(self.warnings)


@dataclass(frozen=True)
class Judged:
    """A whole board's openings, worst first, with totals: paste volume and mass, solder, and counts of what is wrong."""

    foil_mm: float
    openings: tuple[JudgedOpening, ...]
    deposit_mm3: float
    paste_mg: float
    solder_mm3: float

    @property
    def failing(self) -> int:
        return sum(one.release.fails for one in self.openings)

    @property
    def bridging(self) -> int:
        return sum(one.bridge >= BRIDGES for one in self.openings)

    @property
    def wrong(self) -> int:
        """Openings that fail, bridge, or leave a lean or fat joint."""
        return sum(one.release.fails or one.bridge >= BRIDGES or one.verdict in ("lean", "fat") for one in self.openings)


def judge(board: Board, foil_mm: float, paste: Paste, factor: float = 1.0) -> Judged:
    """All openings of a board. Raises InvalidValue for a foil or factor out of range."""
    parts = {part.ref: part for part in board.parts}
    lands = {(part.ref, land.pin): (part, land) for part in board.parts for land in part.package.lands}
    released = [release(one, foil_mm, paste, factor) for one in board.openings]
    solder: dict[int, float] = defaultdict(float)
    for opening, result in zip(board.openings, released, strict=True):
        if opening.pad is not None:
            solder[opening.pad] += result.solder_mm3
    bridges = _bridges(board, parts, lands, solder)
    judged = [
        _judged(board, opening, result, lands, solder, bridges, foil_mm) for opening, result in zip(board.openings, released, strict=True)
    ]
    judged.sort(key=lambda one: (-one.rank, one.ref, one.pin))
    deposit = math.fsum(one.release.deposit_mm3 for one in judged)
    return Judged(foil_mm, tuple(judged), deposit, deposit * paste.density_g_cm3, math.fsum(one.release.solder_mm3 for one in judged))


_Lands = dict[tuple[str, str], tuple[BoardPart, Land]]


def _judged(
    board: Board, opening: Opening, result: Release, lands: _Lands, solder: dict[int, float], bridges: dict[int, float], foil_mm: float
) -> JudgedOpening:
    pad = board.pads[opening.pad] if opening.pad is not None else None
    ref, pin = (pad.ref or "", pad.pin or "") if pad else ("", "")
    found = lands.get((ref, pin))
    warnings = list(result.warnings)
    wants: Wanted | None = None
    verdict, too_thick = "no joint known", False
    amount = solder[opening.pad] if opening.pad is not None else result.solder_mm3
    if found is not None:
        part, land = found
        wants = wanted(part.package, land)
        verdict = wants.verdict(amount)
        thickest = thickest_foil_mm(part.package.pitch_mm) if len(part.package.lands) > 2 else None
        if thickest is not None and foil_mm > thickest + 1e-9:
            too_thick = True
            warnings.append(f"{part.package.pitch_mm:.2g} mm pitch wants a foil of {thickest:g} mm at most")
    bridge = bridges.get(opening.pad, 0.0) if opening.pad is not None else 0.0
    if bridge >= BRIDGES:
        warnings.append(f"{amount * 1000:.0f} nl of solder at this gap bridge to the next pin")
    elif bridge >= MAY_BRIDGE:
        warnings.append("may bridge to the next pin")
    return JudgedOpening(opening, ref, pin, result, wants, amount, verdict, bridge, tuple(warnings), too_thick)


def _bridges(board: Board, parts: dict[str, BoardPart], lands: _Lands, solder: dict[int, float]) -> dict[int, float]:
    """For each pad the worst tendency over its gaps: solder over what the joint holds, as much more as the gap is narrower than usual."""
    pads: dict[str, dict[str, tuple[int, Pad]]] = defaultdict(dict)
    for number, pad in enumerate(board.pads):
        if pad.ref:
            pads[pad.ref][pad.pin or ""] = (number, pad)
    worst: dict[int, float] = {}
    for ref, part in parts.items():
        mine = pads.get(ref, {})
        for a, b in neighbouring_pins(part):
            if a not in mine or b not in mine:
                continue
            (first, pad_a), (second, pad_b) = mine[a], mine[b]
            if pad_a.net and pad_a.net == pad_b.net:
                continue
            gap = _gap_mm(lands[(ref, a)][1], lands[(ref, b)][1])
            fullness = max(
                solder[number] / max(wanted(part.package, lands[(ref, pin)][1]).fat_mm3, 1e-9) for number, pin in ((first, a), (second, b))
            )
            tendency = fullness * min(1.0, NARROW_GAP_MM / max(gap, 0.01))
            for number in (first, second):
                worst[number] = max(worst.get(number, 0.0), tendency)
    return worst


def _gap_mm(a: Land, b: Land) -> float:
    """Clear distance between two lands."""
    dx = abs(a.x_mm - b.x_mm) - (a.size_x_mm + b.size_x_mm) / 2
    dy = abs(a.y_mm - b.y_mm) - (a.size_y_mm + b.size_y_mm) / 2
    return math.hypot(max(dx, 0.0), max(dy, 0.0))


def compare_foils(
    board: Board, paste: Paste, factor: float = 1.0, foils_mm: tuple[float, ...] = FOILS_MM
) -> tuple[tuple[Judged, ...], float]:
    """The board in each foil, and the foil with the fewest wrong openings, then the fewest too thick for their pitch (the thicker one of equals)."""
    judged = tuple(judge(board, foil, paste, factor) for foil in foils_mm)
    best = min(judged, key=lambda one: (one.wrong, sum(each.too_thick for each in one.openings), -one.foil_mm))
    return judged, best.foil_mm
