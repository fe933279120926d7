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
from yellowfen.core.heat.outcome import Harm, Watch, harms, watch
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
MOST_KEPT = 300

Rows = dict[str, NDArray[np.int64]]


@dataclass(frozen=True, kw_only=True)
class Followed:
    """What following a recipe came to. Per heating move: when it began and how long it took;
    `harm_s` how long it went, or could have gone on, before its first new harm (None: none, for 18 s
    more where that was looked for), with its reason; sought where `sampled`. `state` is that at the end of the heat.
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
    return replace(COARSE, cell_mm=cell_mm, part_step_s=0.24, nozzle_step_mm=6.0)


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


class KnownStates:
    """Where walks over one prepared scene stood after each of their moves, so that another which
    begins alike goes on from there. Holds the newest MOST_KEPT states.
    """

    def __init__(self) -> None:
        self._reached: dict[tuple[Move, ...], tuple[tuple[float, ...], HeatState]] = {}

    def furthest(self, moves: Sequence[Move]) -> tuple[list[float], HeatState] | None:
        """The longest beginning of these moves that was walked: the seconds of its moves, and a
        state of one's own after them; None where not even the first was.
        """
        for count in range(len(moves), 0, -1):
            reached = self._reached.get(tuple(moves[:count]))
            if reached is not None:
                return list(reached[0]), reached[1].copy()
        return None

    def keep(self, moves: Sequence[Move], took_s: Sequence[float], state: HeatState) -> None:
        """Note the state after these moves."""
        self._reached[tuple(moves)] = tuple(took_s), state.copy()
        if len(self._reached) > MOST_KEPT:
            del self._reached[next(iter(self._reached))]


def follow(
    ready: Prepared,
    scene: Scene,
    moves: Sequence[Move],
    *,
    sampled: bool = False,
    look_on: bool = False,
    states: KnownStates | None = None,
) -> Followed:
    """Follow these moves (those with heat) on a scene whose board and parts `ready` was prepared
    for. `sampled`: with traces and harms, those of going on for 18 s too where `look_on`; `states`
    only without. Raises Refused where no sound state is found.
    """
    prepared = replace(ready, scene=scene)
    rows = rows_of(prepared)
    known = states.furthest(moves) if states is not None else None
    took, state = known or ([], _at_rest(prepared, moves))
    began = [float(sum(took[:place])) for place in range(len(took))]
    harm: list[float | None] = [None] * len(took)
    whys = [""] * len(took)
    traces: list[Trace] = []
    seen = watch(prepared) if sampled else None
    for place, move in enumerate(moves[len(took) :], len(took)):
        began.append(state.now_s)
        before = harms(seen, state) if seen else []
        if move in stops_of((move,)):
            took.append(_stay(prepared, state, move, rows, traces if sampled else None))
        else:
            piece = _piece(prepared, state, move, 0.0, seconds=move.seconds, sampled=sampled)
            traces += [piece] if sampled else []
            took.append(move.seconds)
        new = _new_harm(seen, state, move, before) if seen else None
        if new is None and seen and look_on:
            new = _harm_ahead(prepared, seen, state, move, spent=took[-1], before=before)
        harm.append(max(new.at_s - began[-1], 0.0) if new else None)
        whys.append(new.whole if new else "")
        if states is not None:
            states.keep(moves[: place + 1], took, state)
    return Followed(
        began_s=tuple(began),
        took_s=tuple(took),
        harm_s=tuple(harm),
        harm_why=tuple(whys),
        state=state,
        traces=tuple(traces),
    )


def _at_rest(prepared: Prepared, moves: Sequence[Move]) -> HeatState:
    """Where a recipe begins."""
    first = tuple(moves[:1]) or (Move(deed=Deed.WITHDRAW, seconds=0.1),)
    return first_state(prepared, prepared.drive(replace(prepared.scene, moves=first)))


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


def _new_harm(seen: Watch, state: HeatState, move: Move, before: list[Harm]) -> Harm | None:
    """The first harm that a move did. Of what is liquid too long only its own parts count: another
    stays so whether this move is left or not.
    """
    done = {(harm.ref, harm.short) for harm in before}
    mine = (*move.over, *move.awaits)
    return next(
        (
            harm
            for harm in harms(seen, state)
            if (harm.ref, harm.short) not in done and (harm.ref in mine or not harm.too_long)
        ),
        None,
    )


def _harm_ahead(
    prepared: Prepared,
    seen: Watch,
    state: HeatState,
    move: Move,
    spent: float,
    before: list[Harm],
) -> Harm | None:
    """The first new harm of a move that went on from this state, `spent` seconds after its
    beginning.
    """
    longer = state.copy()
    for _ in range(LOOKS_ON):
        _piece(prepared, longer, move, spent, seconds=LOOK_ON_S, sampled=False)
        spent += LOOK_ON_S
        new = _new_harm(seen, longer, move, before)
        if new is not None:
            return new
    return None
