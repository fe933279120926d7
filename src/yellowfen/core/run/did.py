"""What was done to a board, one thing at a time: what runs tell the ledger."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from yellowfen.core.run.pad_heats import Pad, PadHeats

Pins = Mapping[str, Sequence[str]]


class Did(StrEnum):
    """What was done to a board."""

    PRINTED = "printed"
    DOTTED = "dotted"
    AWAITED = "waiting to be placed"
    PLACED = "placed"
    LEFT_OUT = "left out"
    MELTED = "melted"
    BESIDE = "melted beside"
    NOT_SEEN = "not seen to melt"
    BY_IRON = "soldered by iron"
    REMOVED = "removed"
    MOVED = "moved"
    CLEANED = "pad cleaned"
    PADS_DONE = "pads done"
    DAMAGED = "damaged"
    INSPECTED = "inspected"
    TOUCHED_UP = "touched up"
    WASHED = "washed"


@dataclass(frozen=True, kw_only=True)
class LedgerEntry:
    """One thing done at the bench: in which run and job, after how many taps of all runs (`at`), to
    which part and pin ("" for all of it); `how` in the words of its kind, `other` pin of a bridge,
    `side` of a print, `pads` with the heats it gave them.
    """

    did: Did
    run: int
    job: int
    at: int
    ref: str = ""
    pin: str = ""
    how: str = ""
    other: str = ""
    side: str = ""
    pads: Mapping[Pad, PadHeats] = field(default_factory=dict)


def every_pad(refs: Iterable[str], pins: Pins, heats: PadHeats) -> dict[Pad, PadHeats]:
    """The same heats for every pad of some parts."""
    return {(ref, pin): heats for ref in refs for pin in pins.get(ref, ())}
