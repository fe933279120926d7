"""Taking a part off without a heat of the model's: leads cut, irons, removal alloy. Step after step,
then the part lifted; a record of what was done without the clock has no steps.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from urllib.parse import quote

from yellowfen.core.run.did import Did, LedgerEntry, Pins, every_pad
from yellowfen.core.run.heat_cues import lifted_key
from yellowfen.core.run.machine import Cue, Effect, RunRule, Script
from yellowfen.core.run.pad_heats import PadHeats
from yellowfen.core.run.run import BenchRun, Key, KindOfRun
from yellowfen.core.work.job import Purpose

BY_AIR, BY_PLATE = "hot air, round nozzle", "plate from below"  # how a heat removes


@dataclass(frozen=True, kw_only=True)
class RemovalStep:
    """One thing to do before the part is lifted, and what to mind."""

    title: str
    press: str
    detail: str = ""
    mind: str = ""


@dataclass(frozen=True, kw_only=True)
class RemovalRun:
    """A part and the way it comes off, in the words of the survey; `melts` its joints or not."""

    ref: str
    way: str
    steps: tuple[RemovalStep, ...] = ()
    melts: bool = True

    @property
    def lifted_cue(self) -> str:
        """The cue of the moment when it is off."""
        return lifted_key(self.ref)


def removal_script(plan: RemovalRun) -> Script:
    """The steps, then the lift."""
    cues = [
        Cue(
            key=f"step {number}",
            name=plan.ref,
            title=step.title,
            press=step.press,
            detail=step.detail,
            mind=step.mind,
            refs=(plan.ref,),
        )
        for number, step in enumerate(plan.steps, 1)
    ]
    cues.append(
        Cue(
            key=plan.lifted_cue,
            name=plan.ref,
            title="Lift it straight up, without force",
            press=f"Lifted: {plan.ref}",
            detail="tweezers or vacuum; check under it before the board cools",
            mind="It is stuck: wait. Never pull on a pad." if plan.melts else "",
            refs=(plan.ref,),
        )
    )
    return Script(
        rule=_RULE,
        cues=tuple(cues),
        closing=f"{plan.ref} is off. Count its neighbours. Check the pads.",
    )


def _entries(run: BenchRun, pins: Pins, board: str, stored: int) -> Iterator[LedgerEntry]:
    """That the part is off, and which joints melted for it."""
    plan = run.planned(RemovalRun)
    if plan.lifted_cue not in run.state.done:
        return
    at = run.when(plan.lifted_cue)
    heats = every_pad([plan.ref], pins, PadHeats(heats=1)) if plan.melts else {}
    yield run.entry(Did.REMOVED, at=at, ref=plan.ref, how=plan.way, pads=heats)


def after_removal(run: BenchRun) -> tuple[str, str]:
    """Where a run that took a part off leads on."""
    if run.purpose is Purpose.SALVAGE:
        return "legs", "Put it in a bag"
    return f"pads?of={quote(next(iter(run.targets), ''))}", "Clean the pads"


def _did(run: BenchRun) -> str:
    way = run.plan.way
    return f"{run.plan.ref} removed{f', {way}' if way else ''}"


_RULE = RunRule(words={"done": Effect.DONE, "hangs": Effect.STAYS})
REMOVE = KindOfRun(
    name="remove",
    plan=RemovalRun,
    script=lambda plan, _: removal_script(plan),
    rule=_RULE,
    keys={"hangs": Key(say="It is stuck", press="h", hint="h", only=lifted_key(""))},
    doing="removing",
    spent="removing",
    did=_did,
    caution=lambda plan: (
        "Burns: tip and board are hot. Ventilate; keep your face out of the fumes. Eye protection."
        " Wash your hands."
    ),
    back=lambda run: f"lift?of={quote(run.plan.ref)}",
    onward=after_removal,
    targets=lambda plan: (plan.ref,),
    lifts=lambda plan: True,
    set_to=lambda plan: plan.way,
    entries=_entries,
)
