"""Paste by hand: dots, lines and dabs, needle by needle."""

from collections.abc import Iterator

from yellowfen.core.deposit.hand_plan import HandPlan, HandStep
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.quantity.wording import counted
from yellowfen.core.run.did import Did, LedgerEntry, Pins
from yellowfen.core.run.machine import Cue, Effect, RunRule, Script, SetUp
from yellowfen.core.run.run import SKIP, BenchRun, KindOfRun


def hand_script(plan: HandPlan) -> Script:
    """Paste by hand: dots, lines and dabs, needle by needle."""
    cues = []
    for number, step in enumerate(plan.steps):
        needle = f"{step.gauge} gauge" if step.gauge else "knife or pick"
        wide = f"{with_unit(step.spots[0].width_mm, MM, 1)} wide" if step.spots else ""
        pin = f" pin {step.pins[0]}" if len(step.pins) == 1 else ""
        first = number == 0 or step.batch != plan.steps[number - 1].batch
        batch = f"batch {step.batch + 1} of {plan.batches}" if first and plan.batches > 1 else ""
        anew = "place these parts first, then go on" if step.anew else ""
        said = "" if step.way == "line" else step.said
        cues.append(
            Cue(
                key=str(number),
                name=step.ref,
                title=_spots_in_words(step),
                press=f"Done: {step.ref}{pin}",
                detail=wide,
                mind="; ".join(one for one in (anew, said, batch) if one),
                set_ups=(SetUp(state=needle, change=f"Change to the {needle}", same=needle),),
                group=needle,
                refs=(step.ref,),
                spot=number,
                pin=step.pins[0] if len(step.pins) == 1 else "",
            )
        )
    return Script(
        rule=_RULE,
        cues=tuple(cues),
        closing="Every pad has its paste. Place the parts.",
        of_group="with this needle",
    )


def _spots_in_words(step: HandStep) -> str:
    pins, spots = len(step.pins), len(step.spots)
    if step.way == "line":
        return f"One line across {pins} pads"
    evenly = pins > 1 and spots % pins == 0
    where = (
        f"on pin {step.pins[0]}"
        if pins == 1
        else f"on each of {pins} pads"
        if evenly
        else f"on {pins} pads"
    )
    mark = "dot" if step.gauge else "dab"
    return f"{counted(spots // pins if evenly else spots, mark)} {where}"


def _entries(run: BenchRun, pins: Pins, board: str, stored: int) -> Iterator[LedgerEntry]:
    """The pads that have their paste."""
    plan = run.planned(HandPlan)
    for cue, _, at in run.answers(run.state.done):
        step = plan.steps[int(cue)]
        for pin in step.pins:
            yield run.entry(Did.DOTTED, at=at, ref=step.ref, pin=pin)


_RULE = RunRule(words={"done": Effect.DONE, "skipped": Effect.LATER})
PASTE = KindOfRun(
    name="paste",
    plan=HandPlan,
    script=lambda plan, _: hand_script(plan),
    rule=_RULE,
    keys={"skipped": SKIP},
    doing="paste by hand",
    spent="paste by hand",
    did=lambda run: "paste by hand",
    caution=lambda plan: "No food at the bench; wash your hands. Cap the syringe when you stop.",
    back="paste/hand",
    onward=("place", "On to Place"),
    entries=_entries,
    task="paste",
)
