"""Touching one joint again and again: how hot the part's body gets, and how long to wait between.

The heat model runs the touches and pauses whole, on coarse cells; what those cells miss of a touch
is set right by the ratio of one touch on fine cells to one on coarse (heat adds up, so a ratio of
one touch is that of several; the tests hold it beside the fine model run whole).
"""

from dataclasses import dataclass, replace

from yellowfen.core.heat.grid import FineRound
from yellowfen.core.heat.iron import (
    FINE_MARGIN_MM,
    SOLDERED_W_M2K,
    Touch,
    touch,
    touch_scene,
)
from yellowfen.core.heat.laid import place_land
from yellowfen.core.heat.pad_copper import Tie
from yellowfen.core.heat.rehearsal import Resolution, advance, first_state, prepare
from yellowfen.core.heat.scene import Deed, Move, Scene
from yellowfen.core.heat.source import Iron
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import CELSIUS, SECONDS, with_unit
from yellowfen.core.rework.pads import longest_dwell_s
from yellowfen.core.source.mark import Mark, constant

MARGIN_K = constant(
    "touch_margin",
    10.0,
    "K",
    mark=Mark.COMMON_PRACTICE,
    source="kept below the body limit",
    affects="pauses between touches",
)
PAUSES_S = (2.0, 5.0, 10.0, 20.0, 40.0)
TOUCHES = 3
AFTER_S, SAMPLE_S = 3.0, 0.1
MOLTEN_S = 1.0  # solder stays molten for at least so long, to be moved
COARSE_CELLS = Resolution(
    cell_mm=0.5,
    layers=3,
    part_step_s=0.002,
    sample_s=SAMPLE_S,
    frame_s=900.0,
    pad_contact_w_m2k=SOLDERED_W_M2K,
)


@dataclass(frozen=True, kw_only=True)
class Touches:
    """How to work one joint: seconds until it melts and a touch (None: no touch melts it), the
    longest rest on its pad, the pause between `touches`, the body's peak then and what it bears,
    °C.
    """

    melts_s: float | None
    touch_s: float | None
    longest_s: float
    pause_s: float | None
    touches: int
    body_peak_c: float
    limit_c: float

    @property
    def says(self) -> str:
        """All of it in a line."""
        if self.touch_s is None:
            return f"it does not melt within {with_unit(self.longest_s, SECONDS, 0)} per touch: use a larger tip, or preheat the board"
        if self.pause_s is None:
            hot = f"the body reaches {with_unit(self.body_peak_c, CELSIUS, 0)}, its limit is {with_unit(self.limit_c, CELSIUS, 0)}"
            return f"{with_unit(self.touch_s, SECONDS, 1)}, once, or by air: {hot}"
        return f"{with_unit(self.touch_s, SECONDS, 1)} a touch, {with_unit(self.longest_s, SECONDS, 0)} at most; {with_unit(self.pause_s, SECONDS, 0)} pause, {self.touches} touches (body {self.body_peak_c:.0f} of {with_unit(self.limit_c, CELSIUS, 0)})"


def body_peak_k(
    scene: Scene,
    iron: Iron,
    ref: str,
    pin: str,
    tie: Tie,
    touch_s: float,
    touches: int = 1,
    pause_s: float = 1.0,
    *,
    fine: bool = False,
) -> float:
    """The body's highest rise above the room, K, during so many touches and pauses and a while
    after, by the heat model run whole. `touch_s` 0.1 to 20 s.

    Raises InvalidValue for a pin that is not there or that no tip reaches.
    """
    in_range("touch_s", touch_s, 0.1, 20, "s")
    here = touch_scene(scene, iron, ref, pin, tie)
    cells = _fine_cells(here, ref, pin) if fine else COARSE_CELLS
    prepared = prepare(here, cells)
    down, away = (
        replace(here.moves[0], seconds=touch_s),
        Move(deed=Deed.WITHDRAW, seconds=max(pause_s, 0.1)),
    )
    moves = [one for _ in range(touches - 1) for one in (down, away)]
    moves += [down, Move(deed=Deed.WITHDRAW, seconds=AFTER_S)]
    drive = prepared.drive(replace(here, moves=tuple(moves)))
    trace = advance(prepared, first_state(prepared, drive), drive)
    column = [part.ref for part in here.parts].index(ref)
    return float(trace.bodies_k[:, column].max())


def _fine_cells(here: Scene, ref: str, pin: str) -> Resolution:
    part = here.part(ref)
    land = next(one for one in part.package.lands if one.pin == pin)
    x, y, size_x, size_y, _ = place_land(part, land)
    return replace(
        COARSE_CELLS,
        cell_mm=0.1,
        layers=8,
        fine=FineRound(x, y, size_x + FINE_MARGIN_MM, size_y + FINE_MARGIN_MM),
    )


def touches_at(
    scene: Scene, iron: Iron, ref: str, pin: str, tie: Tie, touches: int = TOUCHES
) -> Touches:
    """How to work one joint with an iron: long enough to melt, short enough for its pad, far enough
    apart for the body.

    Raises InvalidValue for a pin that is not there or that no tip reaches.
    """
    longest = longest_dwell_s(iron.set_c)
    once: Touch = touch(scene, iron, ref, pin, tie, longest_s=max(longest, 0.5))
    if once.melts_s is None or once.melts_s > longest:
        return Touches(
            melts_s=once.melts_s,
            touch_s=None,
            longest_s=longest,
            pause_s=None,
            touches=0,
            body_peak_c=once.body_peak_c,
            limit_c=once.limit_c,
        )
    seconds = min(max(once.stay_s or 0.0, once.melts_s + MOLTEN_S), longest)
    bears = once.limit_c - MARGIN_K - scene.ambient_c
    known = body_peak_k(scene, iron, ref, pin=pin, tie=tie, touch_s=seconds)
    right = body_peak_k(scene, iron, ref, pin=pin, tie=tie, touch_s=seconds, fine=True) / max(
        known, 1e-6
    )
    pause, count, peak = None, 1, right * known
    for wait in PAUSES_S if peak <= bears else ():
        rise = right * body_peak_k(
            scene, iron, ref, pin=pin, tie=tie, touch_s=seconds, touches=touches, pause_s=wait
        )
        if rise <= bears:
            pause, count, peak = wait, touches, rise
            break
    return Touches(
        melts_s=once.melts_s,
        touch_s=seconds,
        longest_s=longest,
        pause_s=pause,
        touches=count,
        body_peak_c=peak + scene.ambient_c,
        limit_c=once.limit_c,
    )
