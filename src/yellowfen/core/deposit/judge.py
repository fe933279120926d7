"""Every opening of a board judged in one foil with one paste: release, solder against what the
joint wants, bridges.

Laws: a pad's solder is the sum over its openings; a gap is judged by the fatter of its two pads and
its width; pins of one net may bridge. Totals do not depend on turning, mirroring or order.
"""

import math
from collections import defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from yellowfen.core.board.board import Board, BoardPart, Opening
from yellowfen.core.board.bridges import neighbouring_pins
from yellowfen.core.board.remembered import remembered
from yellowfen.core.deposit.fillet import Wanted, wanted
from yellowfen.core.deposit.stencil import FOILS_MM, Release, releases, thickest_foil_mm
from yellowfen.core.metal.paste import Paste
from yellowfen.core.part.package import Land
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.source.mark import Mark, constant

BRIDGES = constant(
    "bridge_likely",
    1.0,
    "1",
    mark=Mark.FROM_MEMORY,
    source="solder over what lead and land hold, at a gap of a quarter millimetre",
    affects="bridges between pins",
)
MAY_BRIDGE = constant(
    "bridge_possible",
    0.75,
    "1",
    mark=Mark.FROM_MEMORY,
    source="three quarters of it",
    affects="bridges between pins",
)
NARROW_GAP_MM = constant(
    "narrow_gap",
    0.25,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="printed paste slumps and solder bulges about this far",
    affects="bridges between pins",
)


MEND_STUCK = constant(
    "mend_stuck",
    0.8,
    "touch-ups",
    mark=Mark.FROM_MEMORY,
    source="paste that stays in its aperture leaves next to nothing: touched up nearly every time; our own weighing",
    affects="which stencil is proposed",
)
MEND_BRIDGED = constant(
    "mend_bridged",
    0.5,
    "touch-ups",
    mark=Mark.FROM_MEMORY,
    source="more solder than lead and land hold: every second one bridges; our own weighing",
    affects="which stencil is proposed",
)
MEND_WRONG = constant(
    "mend_wrong",
    0.15,
    "touch-ups",
    mark=Mark.FROM_MEMORY,
    source="too little or too much for the joint, though it came out; our own weighing",
    affects="which stencil is proposed",
)
MEND_MINDED = constant(
    "mend_minded",
    0.03,
    "touch-ups",
    mark=Mark.FROM_MEMORY,
    source="an aperture that needs care: thin release, a gap that may bridge, a thicker stencil than its pitch needs; our own weighing",
    affects="which stencil is proposed",
)


@dataclass(frozen=True, kw_only=True)
class JudgedOpening:
    """An opening with its part and pin, how it releases, the verdict on its joint, and what to
    mind; `too_thick` when common practice has a thinner foil for its pitch.
    """

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
    def mends(self) -> float:
        """Touch-ups to expect of it."""
        if self.release.fails:
            return MEND_STUCK
        bridged = MEND_BRIDGED if self.bridge >= BRIDGES else 0.0
        wrong = MEND_WRONG if self.verdict in ("starved", "excess") else 0.0
        minded = MEND_MINDED if self.warnings or self.bridge >= MAY_BRIDGE else 0.0
        return max(bridged, wrong, minded)

    @property
    def rank(self) -> float:
        """How bad: fails first, then bridges, lean, fat, other warnings."""
        wrong = {"starved": 2.0, "excess": 1.5}.get(self.verdict, 0.0)
        return (
            4.0 * self.release.fails
            + 3.0 * (self.bridge >= BRIDGES)
            + (self.bridge >= MAY_BRIDGE)
            + wrong
            + 0.5 * len(self.warnings)
        )


@dataclass(frozen=True, kw_only=True)
class Judged:
    """A whole board's openings, worst first, with totals: paste volume and mass, solder, and counts
    of what is wrong.
    """

    foil_mm: float
    openings: tuple[JudgedOpening, ...]
    deposit_mm3: float
    paste_mg: float
    solder_mm3: float

    @property
    def mends(self) -> float:
        """Touch-ups to expect of the whole print, paste alone counted."""
        return math.fsum(one.mends for one in self.openings)

    @property
    def failing(self) -> int:
        return sum(one.release.fails for one in self.openings)

    @property
    def bridging(self) -> int:
        return sum(one.bridge >= BRIDGES for one in self.openings)

    @property
    def wrong(self) -> int:
        """Openings that fail, bridge, or leave a lean or fat joint."""
        return sum(
            one.release.fails or one.bridge >= BRIDGES or one.verdict in ("starved", "excess")
            for one in self.openings
        )


class _Ground:
    """What of a board does not change with foil or paste: joints by part and pin, what they want,
    gaps that may bridge.
    """

    def __init__(self, board: Board) -> None:
        self.lands = {
            (part.ref, land.pin): (part, land)
            for part in board.parts
            for land in part.package.lands
        }
        wants = {place: wanted(part.package, land) for place, (part, land) in self.lands.items()}
        self.thickest = {
            part.ref: thickest_foil_mm(part.package.pitch_mm)
            for part in board.parts
            if len(part.package.lands) > 2
        }
        self.wants: dict[int, Wanted] = {}
        pads: dict[str, dict[str, int]] = defaultdict(dict)
        for number, pad in enumerate(board.pads):
            if pad.ref:
                pads[pad.ref][pad.pin or ""] = number
                if (pad.ref, pad.pin or "") in wants:
                    self.wants[number] = wants[(pad.ref, pad.pin or "")]
        self.gaps = [
            gap
            for part in board.parts
            for gap in _gaps(board, part, pads.get(part.ref, {}), self.lands)
        ]


_Lands = dict[tuple[str, str], tuple[BoardPart, Land]]


def _gaps(
    board: Board, part: BoardPart, pads: dict[str, int], lands: _Lands
) -> Iterator[tuple[int, int, float]]:
    """Neighbouring pads of a part on different nets: their places, and how much narrower than usual
    their gap is (0 to 1).
    """
    for a, b in neighbouring_pins(part):
        if a in pads and b in pads:
            net_a, net_b = board.pads[pads[a]].net, board.pads[pads[b]].net
            if not net_a or net_a != net_b:
                gap = _gap_mm(lands[(part.ref, a)][1], lands[(part.ref, b)][1])
                yield pads[a], pads[b], min(1.0, NARROW_GAP_MM / max(gap, 0.01))


def judge(board: Board, foil_mm: float, paste: Paste, factor: float = 1.0) -> Judged:
    """All openings of a board. Raises InvalidValue for a foil or factor out of range."""
    return _judge(board, _Ground(board), foil_mm, paste, factor)


def _judge(board: Board, ground: _Ground, foil_mm: float, paste: Paste, factor: float) -> Judged:
    released = releases(board.openings, foil_mm, paste, factor)
    solder: dict[int, float] = defaultdict(float)
    for opening, result in zip(board.openings, released, strict=True):
        if opening.pad is not None:
            solder[opening.pad] += result.solder_mm3
    bridges = _bridges(ground, solder)
    judged = [
        _judged(
            board, ground, opening, result=result, solder=solder, bridges=bridges, foil_mm=foil_mm
        )
        for opening, result in zip(board.openings, released, strict=True)
    ]
    judged.sort(key=lambda one: (-one.rank, one.ref, one.pin))
    deposit = math.fsum(one.release.deposit_mm3 for one in judged)
    return Judged(
        foil_mm=foil_mm,
        openings=tuple(judged),
        deposit_mm3=deposit,
        paste_mg=deposit * paste.density_g_cm3,
        solder_mm3=math.fsum(one.release.solder_mm3 for one in judged),
    )


def _judged(
    board: Board,
    ground: _Ground,
    opening: Opening,
    result: Release,
    solder: dict[int, float],
    bridges: dict[int, float],
    foil_mm: float,
) -> JudgedOpening:
    pad = board.pads[opening.pad] if opening.pad is not None else None
    ref, pin = (pad.ref or "", pad.pin or "") if pad else ("", "")
    warnings = list(result.warnings)
    wants = ground.wants.get(opening.pad) if opening.pad is not None else None
    verdict, too_thick = "no joint known", False
    amount = solder[opening.pad] if opening.pad is not None else result.solder_mm3
    if wants is not None:
        verdict = wants.verdict(amount)
        thickest = ground.thickest.get(ref)
        if thickest is not None and foil_mm > thickest + 1e-9:
            too_thick = True
            pitch = ground.lands[(ref, pin)][0].package.pitch_mm
            warnings.append(
                f"{with_unit(pitch, MM, '.2g')} pitch needs a stencil of {with_unit(thickest, MM)} at most"
            )
    bridge = bridges.get(opening.pad, 0.0) if opening.pad is not None else 0.0
    if bridge >= BRIDGES:
        warnings.append(f"{amount * 1000:.0f} nl of solder at this gap bridge to the next pin")
    elif bridge >= MAY_BRIDGE:
        warnings.append("may bridge to the next pin")
    return JudgedOpening(
        opening=opening,
        ref=ref,
        pin=pin,
        release=result,
        wanted=wants,
        pad_solder_mm3=amount,
        verdict=verdict,
        bridge=bridge,
        warnings=tuple(warnings),
        too_thick=too_thick,
    )


def _bridges(ground: _Ground, solder: dict[int, float]) -> dict[int, float]:
    """For each pad the worst tendency over its gaps: solder over what the joint holds, as much more
    as the gap is narrower than usual.
    """
    worst: dict[int, float] = {}
    for first, second, narrow in ground.gaps:
        fullness = max(
            solder[number] / max(ground.wants[number].most_mm3, 1e-9) for number in (first, second)
        )
        for number in (first, second):
            worst[number] = max(worst.get(number, 0.0), fullness * narrow)
    return worst


def _gap_mm(a: Land, b: Land) -> float:
    """Clear distance between two lands."""
    dx = abs(a.x_mm - b.x_mm) - (a.size_x_mm + b.size_x_mm) / 2
    dy = abs(a.y_mm - b.y_mm) - (a.size_y_mm + b.size_y_mm) / 2
    return math.hypot(max(dx, 0.0), max(dy, 0.0))


@remembered()
def compare_foils(
    board: Board,
    paste: Paste,
    foils_mm: tuple[float, ...] = FOILS_MM,
    factors: Mapping[float, float] | None = None,
) -> tuple[tuple[Judged, ...], float]:
    """The board in each foil, and the foil with the fewest touch-ups to expect: what does not come
    out of its opening counts above a lean joint. Of equals the one with fewer wrong, then the
    thicker, which gives more solder.

    `factors`: what weighing taught, by foil; 1 for the others.
    """
    factors = factors or {}
    ground = _Ground(board)
    judged = tuple(_judge(board, ground, foil, paste, factors.get(foil, 1.0)) for foil in foils_mm)
    best = min(
        judged,
        key=lambda one: (round(one.mends, 6), one.failing, one.wrong, -one.foil_mm),
    )
    return judged, best.foil_mm
