"""Which neighbouring pins of a part a bridge of solder may join without harm: those that share a
net anyway.
"""

import itertools
import math

from yellowfen.core.board.board import Board, BoardPart, Pad
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


def pads_by_pin(board: Board, ref: str) -> dict[str, Pad]:
    """A part's pads by pin."""
    return {pad.pin or "": pad for pad in board.pads if pad.ref == ref}


def harmless_bridges(part: BoardPart, pads: dict[str, Pad]) -> list[tuple[str, str]]:
    """Neighbouring pins of one part on the same net."""
    nets = {pin: pad.net for pin, pad in pads.items()}
    return [
        (a, b) for a, b in neighbouring_pins(part) if nets.get(a) and nets.get(a) == nets.get(b)
    ]
