"""Touching up bad joints, one after the other, and looking at each again."""

from collections.abc import Iterator
from dataclasses import dataclass

from yellowfen.core.run.did import Did, LedgerEntry, Pins, every_pad
from yellowfen.core.run.heat_cues import shortened
from yellowfen.core.run.machine import Cue, Effect, RunRule, Script, side_up
from yellowfen.core.run.pad_heats import Pad, PadHeats
from yellowfen.core.run.run import SKIP, BenchRun, Key, KindOfRun
from yellowfen.core.work.job import Verdict


@dataclass(frozen=True, kw_only=True)
class MendStep:
    """One bad joint and its remedy: what is wrong (of a bridge with which `other` pin), the steps,
    amounts and seconds in words, when to stop, on which `side` of the board.
    """

    ref: str
    pin: str
    fault: str
    steps: tuple[str, ...]
    amounts: str = ""
    touches: str = ""
    stop: str = ""
    side: str = ""
    other: str = ""

    @property
    def name(self) -> str:
        return f"{self.ref} pin {self.pin}" if self.pin else self.ref


@dataclass(frozen=True, kw_only=True)
class MendRun:
    """Bad joints in the order of the work; each is looked at again at the end."""

    steps: tuple[MendStep, ...]


AGAIN = "again "


def mend_script(plan: MendRun) -> Script:
    """Joint after joint, then a second look at those joints and no others, beginning with the side
    that lies up by then.
    """
    cues = [
        Cue(
            key=f"mend {step.ref}.{step.pin}",
            name=step.name,
            title=step.fault,
            press="Done",
            detail="; ".join(
                part for part in ("; ".join(step.steps), step.amounts, step.touches) if part
            ),
            mind=step.stop,
            set_ups=side_up(step.side),
            refs=(step.ref,),
            pin=step.pin,
            group="mend",
        )
        for step in plan.steps
    ]
    cues += [
        Cue(
            key=f"{AGAIN}{step.ref}.{step.pin}",
            name=step.name,
            title="inspect it again",
            press="It is good",
            detail=f"it was: {Verdict(step.fault)}",
            mind="check the joints beside it as well",
            set_ups=side_up(step.side),
            refs=(step.ref,),
            pin=step.pin,
            group="look",
        )
        for step in sorted(plan.steps, key=lambda step: step.side != plan.steps[-1].side)
    ]
    return Script(
        rule=_RULE,
        cues=tuple(cues),
        closing="Every touch-up is inspected again.",
        of_group="of these",
        tail=tuple(cue.key for cue in cues if cue.key.startswith(AGAIN)),
    )


# What a touch-up melts besides the joint itself: the whole part, or nothing.
_WHOLE = frozenset(
    {Verdict.SKEWED, Verdict.TOMBSTONE, Verdict.MISSING, Verdict.WRONG_PART, Verdict.REVERSED}
)
_COLD = frozenset({Verdict.SOLDER_BALLS, Verdict.DAMAGE})


def melted_by(step: MendStep, pins: Pins) -> dict[Pad, PadHeats]:
    """The pads that a touch-up melts, by the fault: a bridge both its joints, a part that lies wrong
    all of it, solder balls and damage none.
    """
    verdict = Verdict(step.fault)
    if verdict in _COLD:
        return {}
    if verdict in _WHOLE or not step.pin:
        return every_pad([step.ref], pins, PadHeats(heats=1))
    mine = [step.pin, step.other] if verdict is Verdict.BRIDGE and step.other else [step.pin]
    return {(step.ref, pin): PadHeats(heats=1) for pin in mine}


def _entries(run: BenchRun, pins: Pins, board: str, stored: int) -> Iterator[LedgerEntry]:
    """What was touched up, and what the second look found."""
    plan = run.planned(MendRun)
    for step in plan.steps:
        cue, again = f"mend {step.ref}.{step.pin}", f"{AGAIN}{step.ref}.{step.pin}"
        if cue in run.state.done:
            yield run.entry(
                Did.TOUCHED_UP,
                at=run.when(cue),
                ref=step.ref,
                pin=step.pin,
                how=step.fault,
                pads=melted_by(step, pins),
            )
        if again in run.state.done or again in run.state.aside:
            good = again in run.state.done
            yield run.entry(
                Did.INSPECTED,
                at=run.when(again),
                ref=step.ref,
                pin=step.pin,
                how=str(Verdict.GOOD) if good else step.fault,
                other=step.other,
            )


_RULE = RunRule(
    words={"done": Effect.DONE, "still bad": Effect.ASIDE, "skipped": Effect.LATER},
    any_order=True,
    corrects=True,
)
MEND = KindOfRun(
    name="mend",
    plan=MendRun,
    script=lambda plan, _: mend_script(plan),
    rule=_RULE,
    keys={"still bad": Key(say="Still bad", press="n", hint="n", only=AGAIN), "skipped": SKIP},
    doing="mending",
    spent="mending",
    did=lambda run: (
        f"touch-up of {shortened(list(dict.fromkeys(step.ref for step in run.plan.steps)))}"
    ),
    caution=lambda plan: (
        "Burns: keep the iron in its stand between joints. Board unpowered. Ventilate; keep your face out of the fumes."
    ),
    back="mend",
    onward=("look", "What is left to inspect"),
    entries=_entries,
    solders=True,
)
