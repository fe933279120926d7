"""Looking joint by joint: the script of it, and what its taps found."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from yellowfen.core.quantity.wording import counted
from yellowfen.core.run.did import Did, LedgerEntry, Pins
from yellowfen.core.run.machine import (
    Cue,
    Effect,
    Reach,
    RunRule,
    RunState,
    Script,
    Tap,
    side_up,
)
from yellowfen.core.run.run import BenchRun, Key, KindOfRun
from yellowfen.core.work.job import FoundMark, Verdict

GOOD = str(Verdict.GOOD)
ROW_GOOD, PART_GOOD, REST_GOOD = "row good", "part good", "rest good"
VERDICTS = tuple(str(one) for one in Verdict)
COMMON = 8  # verdicts with a key of their own


@dataclass(frozen=True, kw_only=True)
class LookJoint:
    """A joint to be looked at (pin "": the whole part), with what was known of it when the look
    began.

    `chance` of being bad, 0 to 1, and `why`; `seen_from` ("" where no eye sees it); `marked` where
    it had its mark already; `beside`: pins that a bridge may join it to; `harmless`: pairs of pins
    of one net; `side` of the board it is on.
    """

    ref: str
    pin: str
    kind: str = ""
    chance: float = 0.0
    why: tuple[str, ...] = ()
    seen_from: str = ""
    marked: bool = False
    beside: tuple[str, ...] = ()
    harmless: tuple[str, ...] = ()
    side: str = ""

    @property
    def key(self) -> str:
        return f"{self.ref}.{self.pin}"

    @property
    def asked(self) -> bool:
        """True where an eye sees it and it has no mark yet: it has its turn in the look. A whole
        part has none: its joints have.
        """
        return self.seen_from != "" and self.pin != "" and not self.marked


@dataclass(frozen=True, kw_only=True)
class LookPlan:
    """The joints to be looked at, in order."""

    joints: tuple[LookJoint, ...]


def look_script(plan: LookPlan) -> Script:
    """Joint by joint. What no eye sees and what is marked already may be answered and is not asked."""
    hidden = sum(joint.seen_from == "" for joint in plan.joints)
    says = (
        f" {counted(hidden, 'joint')} cannot be seen: use the meter test or a function test."
        if hidden
        else ""
    )
    return Script(
        rule=_RULE,
        cues=tuple(_cue(joint) for joint in plan.joints if joint.asked),
        extras=tuple(_cue(joint) for joint in plan.joints if not joint.asked),
        closing=f"Every visible joint is inspected.{says}",
        of_group="of this part",
    )


def _cue(joint: LookJoint) -> Cue:
    return Cue(
        key=joint.key,
        name=joint.ref,
        title=f"pin {joint.pin}" if joint.pin else "the whole part",
        press="Good",
        detail=_likely(joint),
        mind=_seen(joint),
        set_ups=side_up(joint.side),
        group=joint.ref,
        row=f"{joint.ref}, {joint.seen_from}" if joint.seen_from else "",
        refs=(joint.ref,),
        pin=joint.pin,
    )


def _likely(joint: LookJoint) -> str:
    """How likely it is bad, and why; "" of a joint from before that was told."""
    if not joint.kind:
        return ""
    percent = "under 1" if joint.chance < 0.0095 else f"{100 * joint.chance:.0f}"
    others = [one for one in joint.why if one != joint.kind]
    why = f": {'; '.join(others)}" if others else ""
    return f"{joint.kind}, {percent} % bad{why}"


def _seen(joint: LookJoint) -> str:
    """From where it is seen, and which of its bridges do no harm."""
    if not joint.pin:
        return "Report here: missing, wrong part, tombstone, wrong orientation."
    if not joint.seen_from:
        return "Not visible: leave it for the meter test or a function test."
    says = f"Look {joint.seen_from}."
    if joint.harmless:
        says += f" A bridge of pins {', '.join(joint.harmless)} is harmless: same net."
    return says


def refused_text(plan: LookPlan, tap: Tap) -> str:
    """Why what came with a tap cannot be, as a sentence; "" where it may: a bridge names the other
    pin of the same part.
    """
    if not tap.text:
        return ""
    joint = next((one for one in plan.joints if one.key == tap.cue), None)
    if joint is None or tap.word != Verdict.BRIDGE or tap.text == joint.pin:
        return "only a bridge joins a pin to another one"
    if not any((one.ref, one.pin) == (joint.ref, tap.text) for one in plan.joints):
        return f"{joint.ref} has no pin {tap.text[:20]!r}"
    return ""


def found_by(plan: LookPlan, state: RunState, taps: Sequence[Tap]) -> tuple[FoundMark, ...]:
    """The mark of each joint that was answered, the newest last. A bridge whose other pin was not
    named joins the last of those beside it.
    """
    joints = {one.key: one for one in plan.joints}
    named = {tap.cue: tap.text for tap in taps}
    found = []
    for key, word in state.done.items():
        joint, verdict = joints[key], Verdict(word)
        other = named.get(key, "") or (joint.beside[-1] if joint.beside else "")
        found.append(
            FoundMark(joint.ref, joint.pin, verdict, other if verdict is Verdict.BRIDGE else "")
        )
    return tuple(found)


def looked_at(plan: LookPlan, state: RunState) -> tuple[int, int]:
    """How many joints have a mark, and of how many."""
    joints = [one for one in plan.joints if one.pin]
    return sum(one.marked or one.key in state.done for one in joints), len(joints)


def still_to_expect(plan: LookPlan, state: RunState) -> float:
    """Bad joints that are likely among those that have no mark, hidden ones included."""
    return math.fsum(
        one.chance for one in plan.joints if not one.marked and one.key not in state.done
    )


def likely_left(expected: float) -> str:
    """How many bad joints are likely left, in words."""
    if expected < 0.005:
        return "hardly any defect is likely to be left"
    return f"about {expected:.{2 if expected < 0.095 else 1}f} defects likely left"


def _entries(run: BenchRun, pins: Pins, board: str, stored: int) -> Iterator[LedgerEntry]:
    """The verdict on every joint that was looked at."""
    plan = run.planned(LookPlan)
    if not run.taps:
        return
    for mark in found_by(plan, run.state, run.taps):
        yield run.entry(
            Did.INSPECTED,
            at=run.when(f"{mark.ref}.{mark.pin}"),
            ref=mark.ref,
            pin=mark.pin,
            how=str(mark.verdict),
            other=mark.other,
        )


def _told(run: BenchRun) -> str:
    """How much is looked at, and what is likely left."""
    seen, of = looked_at(run.plan, run.state)
    return f"{seen} of {of} inspected; {likely_left(still_to_expect(run.plan, run.state))}"


_RULE = RunRule(
    words={
        **dict.fromkeys(VERDICTS, Effect.DONE),
        "not yet": Effect.OPENS,
        **dict.fromkeys((ROW_GOOD, PART_GOOD, REST_GOOD), Effect.DONE),
    },
    any_order=True,
    corrects=True,
    along=True,
    at_once={ROW_GOOD: Reach.ROW, PART_GOOD: Reach.GROUP, REST_GOOD: Reach.REST},
)
LOOK = KindOfRun(
    name="look",
    plan=LookPlan,
    script=lambda plan, _: look_script(plan),
    rule=_RULE,
    keys={
        **{
            word: Key(say=word.capitalize(), press=str(number), hint=str(number))
            for number, word in enumerate(VERDICTS[:COMMON], 1)
        },
        "not yet": Key(say="Remove the mark", press="0", hint="0"),
        ROW_GOOD: Key(say="This row is good", press="r", hint="r"),
        PART_GOOD: Key(say="This part is good", press="p", hint="p"),
    },
    doing="looking",
    spent="looking",
    caution=lambda plan: "Let the board cool first. Good light, rested eyes.",
    told=_told,
    back="look",
    onward=("mend", "Touch-up"),
    entries=_entries,
    marks=lambda run: found_by(run.plan, run.state, run.taps),
    refuses=lambda run, tap: refused_text(run.plan, tap),
)
