"""A placement run: which part is next after every tap, what is set aside, and how long each
placement took.

Laws: every part is placed, set aside or still to do, never two of these; taking the newest tap back
restores the state before it.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field

from yellowfen.core.work.order import Step
from yellowfen.errors import InvalidValue

WHAT = ("placed", "skipped", "dropped", "missing", "doubtful")
LONGEST_S = 300.0  # a longer gap between taps was a pause, not a placement


@dataclass(frozen=True)
class Placing:
    """The order of a run."""

    steps: tuple[Step, ...]


@dataclass(frozen=True)
class PlaceTap:
    """One tap about a part: placed, skipped (later), dropped (another one), missing or doubtful
    (set aside).
    """

    key: str
    ref: str
    what: str
    at_ms: int

    def __post_init__(self) -> None:
        if self.what not in WHAT:
            raise InvalidValue("what", f"{self.what[:20]!r} is not one of {', '.join(WHAT)}")


@dataclass(frozen=True)
class PlaceState:
    """Refs still to do, in order (the first is now); placed; set aside with the reason; dropped how
    often.
    """

    to_do: tuple[str, ...]
    placed: tuple[str, ...]
    aside: dict[str, str]
    dropped: dict[str, int]


@dataclass(frozen=True)
class PlaceRun:
    """One side of one board placed by hand."""

    id: int
    job_id: int
    side: str
    started_at: str
    steps: tuple[Step, ...]
    taps: tuple[PlaceTap, ...] = field(default=())

    def state(self) -> PlaceState:
        return state_after([step.ref for step in self.steps], self.taps)

    def seconds(self) -> list[float]:
        """Seconds of each placement: from one tap to the next, pauses left out; the first is not
        known.
        """
        moments = [tap.at_ms / 1000 for tap in self.taps]
        spent = [
            b - a
            for a, b, tap in zip(moments[:-1], moments[1:], self.taps[1:], strict=True)
            if tap.what == "placed"
        ]
        return [one for one in spent if 0.5 <= one <= LONGEST_S]


def state_after(refs: Sequence[str], taps: Sequence[PlaceTap]) -> PlaceState:
    """What taps make of an order. A tap about a part that is done already changes nothing."""
    to_do, placed = list(refs), []
    aside: dict[str, str] = {}
    dropped: dict[str, int] = {}
    for tap in taps:
        if tap.ref not in to_do and tap.ref not in aside:
            continue
        if tap.what == "dropped":
            dropped[tap.ref] = dropped.get(tap.ref, 0) + 1
            continue
        if tap.ref in to_do:
            to_do.remove(tap.ref)
        aside.pop(tap.ref, None)
        if tap.what == "placed":
            placed.append(tap.ref)
        elif tap.what == "skipped":
            to_do.append(tap.ref)
        else:
            aside[tap.ref] = tap.what
    return PlaceState(tuple(to_do), tuple(placed), aside, dropped)
