"""Which pads a bridge of solder may join: neighbouring pins of a part, an edge pin and the pad
beneath, the two ends of a small chip, pads of two parts side by side; and which of these do no harm,
since they share a net anyway.
"""

import itertools
import math

import numpy as np

from yellowfen.core.board.board import Board, BoardPart, Pad
from yellowfen.core.board.remembered import remembered
from yellowfen.core.part.package import JointKind

_REACH = 1.35


def neighbouring_pins(part: BoardPart) -> list[tuple[str, str]]:
    """Pairs of pins that lie side by side: no further apart than the part's pitch and a third."""
    lands = [land for land in part.package.lands if land.kind is not JointKind.THERMAL_PAD]
    if len(lands) < 3:
        return []
    reach = _REACH * part.package.pitch_mm
    return [
        (a.pin, b.pin)
        for a, b in itertools.combinations(lands, 2)
        if math.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm) <= reach
    ]


NEAR_MM = 0.6  # between edges: solder seldom bridges more [common practice]


@remembered(most=4)
def near_pads(board: Board) -> tuple[tuple[str, str], ...]:
    """Names ("U1.3") of all pairs of pads of one face, of parts, that solder may bridge: neighbouring
    pins, and whatever else lies at most `NEAR_MM` apart, edge to edge.
    """
    found = {
        frozenset((f"{part.ref}.{a}", f"{part.ref}.{b}"))
        for part in board.parts
        for a, b in neighbouring_pins(part)
    }
    for side in ("top", "bottom"):
        pads = [pad for pad in board.pads if pad.side == side and pad.ref and pad.pin]
        if len(pads) < 2:
            continue
        from shapely import STRtree, polygons  # a tenth of a second, which no start waits for

        boxes = polygons([_corners(pad) for pad in pads])
        here, there = STRtree(boxes).query(boxes, predicate="dwithin", distance=NEAR_MM)
        for i, j in zip(here[here < there], there[here < there], strict=True):
            a, b = pads[i], pads[j]
            found.add(frozenset((f"{a.ref}.{a.pin}", f"{b.ref}.{b.pin}")))
    return tuple(sorted((min(pair), max(pair)) for pair in found if len(pair) == 2))


def _corners(pad: Pad) -> np.ndarray:
    """A pad's box, turned as it lies."""
    half = np.array((pad.size_x_mm, pad.size_y_mm)) / 2
    angle = math.radians(pad.angle_deg)
    turn = np.array(((math.cos(angle), math.sin(angle)), (-math.sin(angle), math.cos(angle))))
    signs = np.array(((-1, -1), (1, -1), (1, 1), (-1, 1)))
    return np.asarray(signs * half @ turn + (pad.x_mm, pad.y_mm))


def pads_by_pin(board: Board, ref: str) -> dict[str, Pad]:
    """A part's pads by pin."""
    return {pad.pin or "": pad for pad in board.pads if pad.ref == ref}


def harmless_bridges(part: BoardPart, pads: dict[str, Pad]) -> list[tuple[str, str]]:
    """Neighbouring pins of one part on the same net."""
    nets = {pin: pad.net for pin, pad in pads.items()}
    return [
        (a, b) for a, b in neighbouring_pins(part) if nets.get(a) and nets.get(a) == nets.get(b)
    ]
