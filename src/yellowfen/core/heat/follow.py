"""A recipe as a person follows it by eye: at each stop the nozzle stays until all of its parts have
flowed, and a moment longer.

Laws: what is timed (warming, heat from below) keeps its seconds; a stop whose parts have flowed
already takes none; a stop that does not flow is left after `LONGEST_STOP_S`. Staying is found on
the model's own moments, so halving the looks changes nothing but rounding.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.outcome import harms, watch
from yellowfen.core.heat.rehearsal import (
    COARSE,
    HeatState,
    Prepared,
    Resolution,
    Trace,
    advance,
    first_state,
    state_fault,
)
from yellowfen.core.heat.scene import Deed, Move, Scene
from yellowfen.core.source.mark import Mark, constant

SETTLE_S = constant(
    "stop_settle",
    2.0,
    "s",
    mark=Mark.FROM_MEMORY,
    source="seen, believed, and the hand moves on",
    affects="dwell of every stop of a tour",
)
LONGEST_STOP_S = 150.0
LOOK_EVERY_S = 2.0
LOOK_ON_S, LOOKS_ON = 6.0, 3

Rows = dict[str, NDArray[np.int64]]


@dataclass(frozen=True, kw_only=True)
class Followed:
    """What following a recipe came to. Per heating move: when it began and how long it took;
    `harm_s` how long it could have taken before the first new harm (None: none for 18 s more,
    or not looked for), with its reason. `state` is that at the end of the heat.
    """

    began_s: tuple[float, ...]
    took_s: tuple[float, ...]
    harm_s: tuple[float | None, ...]
    harm_why: tuple[str, ...]
    state: HeatState
    traces: tuple[Trace, ...]


def resolution_for(scene: Scene) -> Resolution:
    """The grid that a tour is searched and sampled on: 2 mm cells, wider on boards above 40 cm²."""
    area = scene.board.width_mm * scene.board.height_mm
    cell_mm = min(max(2.0, math.sqrt(area / 1000.0)), 3.5)
    return replace(COARSE, cell_mm=cell_mm, part_step_s=0.12, nozzle_step_mm=3.0)


def stops_of(moves: Sequence[Move]) -> tuple[Move, ...]:
    """The moves that are stops of their own: near the board, with parts to wait for."""
    return tuple(move for move in moves if move.deed in (Deed.CLOSE, Deed.HOLD))


def is_tour(moves: Sequence[Move]) -> bool:
    """True where the nozzle stops over different parts one after the other."""
    return len({frozenset(move.over) for move in stops_of(moves)}) > 1


def rows_of(prepared: Prepared) -> Rows:
    """The rows of each target's joints in the tables of a prepared scene."""
    names = [name.ref for name in prepared.network.names]
    return {
        ref: np.array([row for row, name in enumerate(names) if name == ref], dtype=np.int64)
        for ref in prepared.scene.targets
    }


def follow(
    ready: Prepared,
    scene: Scene,
    moves: Sequence[Move],
    *,
    sampled: bool = False,
    look_on: bool = False,
) -> Followed:
    """Follow these moves (those with heat) on a scene whose board and parts `ready` was prepared
    for. Raises Refused where no sound state is found.
    """
    prepared = replace(ready, scene=scene)
    rows = rows_of(prepared)
    first = replace(scene, moves=tuple(moves[:1]) or (Move(deed=Deed.WITHDRAW, seconds=0.1),))
    state = first_state(prepared, prepared.drive(first))
    began, took, harm, whys = [], [], [], []
    traces: list[Trace] = []
    for move in moves:
        began.append(state.now_s)
        if move in stops_of((move,)):
            took.append(_stay(prepared, state, move, rows, traces if sampled else None))
        else:
            piece = _piece(prepared, state, move, 0.0, seconds=move.seconds, sampled=sampled)
            traces += [piece] if sampled else []
            took.append(move.seconds)
        at, why = _harm_from(prepared, state, move, began[-1]) if look_on else (None, "")
        harm.append(at)
        whys.append(why)
    return Followed(
        began_s=tuple(began),
        took_s=tuple(took),
        harm_s=tuple(harm),
        harm_why=tuple(whys),
        state=state,
        traces=tuple(traces),
    )


def _stay(
    prepared: Prepared, state: HeatState, stop: Move, rows: Rows, traces: list[Trace] | None
) -> float:
    """Stay at a stop until all of it has flowed, and a moment; moves the state on. The state is
    asked whether it is sound at the end; piece by piece only where it was not.
    """
    begun, kept = state.copy(), len(traces or ())
    stayed = _stayed(prepared, state, stop, rows, traces, checked=False)
    if state_fault(prepared, state):
        state.take(begun)
        del (traces or [])[kept:]
        stayed = _stayed(prepared, state, stop, rows, traces, checked=True)
    return stayed


def _stayed(
    prepared: Prepared,
    state: HeatState,
    stop: Move,
    rows: Rows,
    traces: list[Trace] | None,
    checked: bool,
) -> float:
    """The stay itself, its pieces asked one by one where `checked`."""
    waited = [rows[ref] for ref in (*stop.over, *stop.awaits) if ref in rows]
    mine = np.concatenate(waited) if waited else np.zeros(0, dtype=np.int64)
    arrived = state.now_s

    def flowed_s() -> float | None:
        ends = state.joint_record[mine, k.R_MELT_END]
        return float(ends.max(initial=0.0)) if float(ends.min(initial=0.0)) >= 0 else None

    if flowed_s() is not None:
        return 0.0
    look_of = replace(stop, seconds=LOOK_EVERY_S, from_s=0.0)
    drive = prepared.drive(replace(prepared.scene, moves=(look_of,)))
    sampled = traces is not None

    def looked(since: float, seconds: float) -> Trace:
        if seconds != LOOK_EVERY_S:
            return _piece(
                prepared, state, stop, since, seconds=seconds, sampled=sampled, checked=checked
            )
        on = drive.going_on(prepared.scene, look_of, since)
        return advance(prepared, state, on, sampled=sampled, checked=checked)

    stayed = 0.0
    while stayed < LONGEST_STOP_S:
        before = state.copy()
        look = looked(stayed, LOOK_EVERY_S)
        at = flowed_s()
        whole = stayed + LOOK_EVERY_S if at is None else float(math.ceil(at - arrived + SETTLE_S))
        if whole < stayed + LOOK_EVERY_S:
            state.take(before)
            look = looked(stayed, whole - stayed)
        if traces is not None:
            traces.append(look)
        if at is not None:
            rest = whole - stayed - LOOK_EVERY_S
            if rest > 0:
                last = looked(stayed + LOOK_EVERY_S, rest)
                if traces is not None:
                    traces.append(last)
            return whole
        stayed = whole
    return stayed


def _piece(
    prepared: Prepared,
    state: HeatState,
    move: Move,
    since: float,
    *,
    seconds: float,
    sampled: bool,
    checked: bool = True,
) -> Trace:
    """A part of a move, the circle going on where it stood; moves the state on."""
    piece = replace(move, seconds=seconds, from_s=since)
    drive = prepared.drive(replace(prepared.scene, moves=(piece,)))
    return advance(prepared, state, drive, sampled=sampled, checked=checked)


def _harm_from(
    prepared: Prepared, state: HeatState, move: Move, began_s: float
) -> tuple[float | None, str]:
    """How long after its beginning a move would do its first new harm if it went on, and what."""
    seen = watch(prepared)
    before = {(one.ref, one.short) for one in harms(seen, state)}
    longer = state.copy()
    spent = longer.now_s - began_s
    for _ in range(LOOKS_ON):
        _piece(prepared, longer, move, spent, seconds=LOOK_ON_S, sampled=False)
        spent += LOOK_ON_S
        new = [one for one in harms(seen, longer) if (one.ref, one.short) not in before]
        if new:
            return max(new[0].at_s - began_s, 0.0), new[0].whole
    return None, ""
