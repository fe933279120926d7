"""Washing a board, step after step, until it is dry."""

from collections.abc import Iterator
from dataclasses import dataclass

from yellowfen.core.run.did import Did, LedgerEntry, Pins
from yellowfen.core.run.machine import Cue, Effect, RunRule, Script, confirming
from yellowfen.core.run.run import SKIP, BenchRun, KindOfRun


@dataclass(frozen=True, kw_only=True)
class WashStep:
    """One thing to do when washing, in a line, what to mind, how many minutes it takes at least."""

    title: str
    detail: str
    least_min: float = 0.0


@dataclass(frozen=True, kw_only=True)
class WashRun:
    """The steps of a washing in their order."""

    steps: tuple[WashStep, ...]


def wash_script(plan: WashRun) -> Script:
    """Step after step, until it is dry."""
    cues = tuple(
        Cue(
            key=f"wash {number}",
            name="Wash",
            title=step.title,
            press="Done",
            detail=step.detail,
            group="wash",
            least_s=60 * step.least_min,
        )
        for number, step in enumerate(plan.steps, 1)
    )
    sure = tuple(confirming(cue) for cue in cues if cue.least_s)
    return Script(rule=_RULE, cues=cues, closing="Clean and dry.", of_group="of these", extras=sure)


def _entries(run: BenchRun, pins: Pins, board: str, stored: int) -> Iterator[LedgerEntry]:
    """That the board is washed, once every step is done."""
    if run.taps and run.state.over:
        yield run.entry(Did.WASHED, at=run.taps[-1].order)


_RULE = RunRule(words={"done": Effect.DONE, "skipped": Effect.LATER})
WASH = KindOfRun(
    name="wash",
    plan=WashRun,
    script=lambda plan, _: wash_script(plan),
    rule=_RULE,
    keys={"skipped": SKIP},
    doing="washing",
    spent="washing",
    did=lambda run: "washed",
    caution=lambda plan: (
        "Alcohol burns and its vapour spreads: no hot air, iron or flame nearby, window open, board cold."
    ),
    back="clean",
    onward=("test", "On to the meter test"),
    entries=_entries,
)
