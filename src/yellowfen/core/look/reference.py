"""What is seen at a joint or a part, without a job: what it looks like, why, what to do, how to do
without it next time. The rules are those of Mend; only the looks are said here.
"""

from dataclasses import dataclass

from yellowfen.core.look.mend import Cause, Fault, causes, steps_for
from yellowfen.core.look.risk import Known
from yellowfen.core.work.job import Verdict

# What each looks like [common practice].
LOOKS = {
    Verdict.BRIDGE: "solder from one lead to the next; between leads, or deep at their heels",
    Verdict.OPEN: "the lead is in the air or on a bare pad; it moves under a pick",
    Verdict.STARVED: "hardly any fillet; the land is visible at the toe or heel",
    Verdict.EXCESS: "a ball or bulge that meets the metal at a steep angle: it hides whether the joint wetted",
    Verdict.SKEWED: "leads or ends beside their lands, the body is turned",
    Verdict.LIFTED_PAD: "a pad that moves with the lead, or is gone; a torn track behind it",
    Verdict.COLD: "grey, grainy or stringy where it should be smooth (lead-free is duller by nature)",
    Verdict.NOT_WETTED: "the solder draws back from the metal, its edge is rounded",
    Verdict.TOMBSTONE: "a chip stands on one end, the other is in the air",
    Verdict.MISSING: "two pads with solder and no part between",
    Verdict.WRONG_PART: "another mark, size or value than the list has",
    Verdict.REVERSED: "its pin-1 or polarity mark does not match the board's",
    Verdict.SOLDER_BALLS: "small beads beside pads or under a chip's edge",
    Verdict.DAMAGE: "cracked ceramic, soft or bent plastic, blistered board, scraped mask",
}


@dataclass(frozen=True, kw_only=True)
class Entry:
    """One thing seen: its name, its look, causes, what to do, in order."""

    name: str
    looks: str
    causes: tuple[Cause, ...]
    steps: tuple[str, ...]


def entries() -> tuple[Entry, ...]:
    """Everything that Look knows how to call, in its order."""
    return tuple(
        Entry(
            name=str(verdict),
            looks=looks,
            causes=causes(Fault(ref="", pin="", verdict=verdict, known=Known())),
            steps=steps_for(verdict),
        )
        for verdict, looks in LOOKS.items()
    )
