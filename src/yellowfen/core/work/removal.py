"""Taking a part off without a heat of the model's: leads cut, irons, removal alloy. Step after step,
then the part lifted; a record of what was done without the clock has no steps.
"""

from dataclasses import dataclass

from yellowfen.core.work.bench_run import Cue, RunKind, Script
from yellowfen.core.work.heat_script import lifted_key


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
            detail="tweezers or vacuum; look under it before the board cools",
            mind="It hangs: not yet. Never pull on a pad." if plan.melts else "",
            refs=(plan.ref,),
        )
    )
    return Script(
        kind=RunKind.REMOVE,
        cues=tuple(cues),
        closing=f"{plan.ref} is off. Count its neighbours. Check the pads.",
    )
