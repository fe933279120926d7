"""One walk of a tour through the model, and what it is charged for.

A walk that begins with the same moves as one before it goes on where that one stood.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.follow import (
    Followed,
    KnownStates,
    follow,
    resolution_for,
    rows_of,
    stops_of,
)
from yellowfen.core.heat.outcome import after_heat
from yellowfen.core.heat.rehearsal import Prepared, prepare
from yellowfen.core.heat.scene import Move, Scene
from yellowfen.core.heat.story import MAX_LIQUID_S
from yellowfen.core.source.mark import Mark, constant

NEAR_LIMIT_K = constant(
    "tour_margin",
    10.0,
    "K",
    mark=Mark.JUDGED,
    source="what a body should keep to its limit",
    affects="choice of a tour",
)
# What a tour is charged for, in seconds: our own weighing.
COLD_S, HARM_S, NEAR_S = 400.0, 300.0, 100.0
WARY_K, WARY_LIQUID_S = 30.0, 0.5 * MAX_LIQUID_S


class Charge(StrEnum):
    """What a tour is to save: joints from melting twice, or time."""

    SPARING = "spare the joints"
    QUICK = "quick"

    @property
    def again_s(self) -> float:
        """Seconds charged for a part that melts again: our own weighing."""
        return {Charge.SPARING: 28.0, Charge.QUICK: 5.0}[self]


@dataclass(frozen=True, kw_only=True)
class Walk:
    """A tour through the model: its moves with the seconds they took. A stop at which nobody has to
    stay is left out, its parts awaited where they flowed.

    `flows_s` per target, since the start (None: never); `cold` those; `margins_k` from each body's
    peak to its limit; `liquid_s` how long each target was liquid; `again` parts that melted again
    after they had been solid; `last` the joint of each target that flowed last.
    """

    moves: tuple[Move, ...]
    flows_s: dict[str, float | None]
    cold: tuple[str, ...]
    margins_k: dict[str, float]
    liquid_s: dict[str, float]
    again: tuple[str, ...]
    last: dict[str, str]

    @property
    def total_s(self) -> float:
        return sum(move.seconds for move in self.moves)

    @property
    def stops(self) -> tuple[Move, ...]:
        return stops_of(self.moves)

    @property
    def warm(self) -> tuple[Move, ...]:
        """What comes before the first stop."""
        return tuple(move for move in self.moves if move not in self.stops)

    @property
    def harmed(self) -> tuple[str, ...]:
        """Parts that pass their limit."""
        return tuple(ref for ref, margin in self.margins_k.items() if margin <= 0)

    @property
    def near(self) -> tuple[str, ...]:
        """Parts that come near it."""
        return tuple(ref for ref, margin in self.margins_k.items() if 0 < margin < NEAR_LIMIT_K)

    @property
    def at_risk(self) -> tuple[str, ...]:
        """Parts that stay cold, pass their limit or come near it, or melt again."""
        return tuple(dict.fromkeys((*self.cold, *self.harmed, *self.near, *self.again)))

    def cost_s(self, charge: Charge = Charge.SPARING) -> float:
        """What it is charged for: its time, and risks as seconds; the nearer to a limit, and the
        longer liquid, the more.
        """
        short = [(WARY_K - margin) / WARY_K for margin in self.margins_k.values()]
        long = [at / WARY_LIQUID_S - 1.0 for at in self.liquid_s.values()]
        near = sum(min(max(share, 0.0), 1.0) ** 2 for share in (*short, *long))
        return (
            self.total_s
            + COLD_S * len(self.cold)
            + HARM_S * len(self.harmed)
            + NEAR_S * near
            + charge.again_s * len(self.again)
        )


class TourModel:
    """A scene (its board and parts) on which tours are tried, on the grid of a search."""

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.ready = prepare(scene, resolution_for(scene))
        self._known = KnownStates()

    def walk(self, moves: Sequence[Move]) -> Walk:
        """Go through these moves. Raises Refused where no sound state is found."""
        return walk(self.ready, self.scene, moves, self._known)


def walk(
    ready: Prepared, scene: Scene, moves: Sequence[Move], states: KnownStates | None = None
) -> Walk:
    """Go through these moves in the model of `ready`, which was prepared for this scene's board and
    parts; `states` holds walks on the same. Raises Refused where no sound state is found.
    """
    prepared = replace(ready, scene=scene)
    followed = follow(ready, scene, moves, states=states)
    cooled = after_heat(prepared, followed.state, to_solid=True)
    record, rows = cooled.joint_record, rows_of(prepared)
    ends = {ref: record[mine, k.R_MELT_END] for ref, mine in rows.items()}
    flows = {
        ref: float(end.max()) if len(end) and float(end.min()) >= 0 else None
        for ref, end in ends.items()
    }
    return Walk(
        moves=_walked(moves, followed, flows),
        flows_s=flows,
        cold=tuple(ref for ref, at in flows.items() if at is None),
        margins_k={
            part.ref: part.package.limit_c - float(row[k.R_BODY_PEAK]) - scene.ambient_c
            for part, row in zip(scene.parts, cooled.body_record, strict=True)
        },
        liquid_s={
            ref: float(record[mine, k.R_ABOVE].max(initial=0.0)) for ref, mine in rows.items()
        },
        last={
            ref: prepared.network.names[int(mine[int(np.argmax(ends[ref]))])].pin
            for ref, mine in rows.items()
            if len(mine)
        },
        again=tuple(
            ref for ref, mine in rows.items() if float(record[mine, k.R_MELTS].max(initial=0.0)) > 1
        ),
    )


def _walked(
    moves: Sequence[Move], followed: Followed, flows_s: dict[str, float | None]
) -> tuple[Move, ...]:
    """The moves as they were walked, without the stops that took no time."""
    kept = [place for place, took in enumerate(followed.took_s) if took > 0]
    awaits: dict[int, list[str]] = {place: list(moves[place].awaits) for place in kept}
    stops = [place for place in kept if moves[place] in stops_of(moves)]
    for place, took in enumerate(followed.took_s):
        if took <= 0 and stops:
            for ref in (*moves[place].over, *moves[place].awaits):
                at = flows_s[ref] or 0.0
                there = [one for one in stops if followed.began_s[one] <= at]
                awaits[there[-1] if there else stops[0]].append(ref)
    return tuple(
        replace(moves[place], seconds=followed.took_s[place], awaits=tuple(awaits[place]))
        for place in kept
    )
