"""Printing boards through the stencil, one after the other."""

from collections.abc import Iterator
from dataclasses import dataclass

from yellowfen.core.run.did import Did, LedgerEntry, Pins
from yellowfen.core.run.look import GOOD
from yellowfen.core.run.machine import Cue, Effect, RunRule, Script, SetUp
from yellowfen.core.run.run import SKIP, BenchRun, Key, KindOfRun


@dataclass(frozen=True, kw_only=True)
class PrintRun:
    """Boards to be printed through the stencil, by name; which way the blade is drawn (`stroke`),
    and what must be so before the first (`before`), a few words each.
    """

    boards: tuple[str, ...]
    stroke: str
    before: tuple[str, ...] = ()


def print_key(number: int) -> str:
    """The cue of a run's board, counted from 1."""
    return f"print {number}"


def print_script(plan: PrintRun) -> Script:
    """Board after board: laid, printed, looked at; what is bad is wiped off and printed anew."""
    wipe = "Wipe the stencil, the underside too"
    cues = tuple(
        Cue(
            key=print_key(number),
            name=f"Board {name}",
            title=f"One squeegee stroke {plan.stroke}",
            press="It looks good",
            detail="board flat between the scraps, stencil down; blade at 45 to 60°, firm; lift straight up; inspect",
            mind="smeared or missing: report it and print again",
            anew="Wipe the board off with alcohol, let it dry; the stencil too",
            set_ups=(
                SetUp(
                    state=f"stencil wiped for {number}",
                    change=wipe,
                    first="; ".join(plan.before),
                ),
            ),
        )
        for number, name in enumerate(plan.boards, 1)
    )
    return Script(
        rule=_RULE,
        cues=cues,
        closing=f"{wipe}: paste in fine apertures dries in minutes. Then place the parts.",
    )


def _entries(run: BenchRun, pins: Pins, board: str, stored: int) -> Iterator[LedgerEntry]:
    """The side that has a good print: of the board by its name, or of all of them."""
    plan = run.planned(PrintRun)
    keys = [print_key(n) for n, name in enumerate(plan.boards, 1) if name == board or not board]
    if keys and all(key in run.state.done for key in keys):
        at = max(run.when(key) for key in keys)
        yield run.entry(Did.PRINTED, at=at, side=run.side)


_RULE = RunRule(
    words={
        GOOD: Effect.DONE,
        "smeared": Effect.STAYS,
        "missing": Effect.STAYS,
        "skipped": Effect.LATER,
    }
)
PRINT = KindOfRun(
    name="print",
    plan=PrintRun,
    script=lambda plan, _: print_script(plan),
    rule=_RULE,
    keys={
        "smeared": Key(say="Smeared", press="s", hint="s"),
        "missing": Key(say="Missing", press="m", hint="m"),
        "skipped": SKIP,
    },
    doing="printing",
    spent="printing",
    did=lambda run: "printed",
    caution=lambda plan: (
        "No food at the bench; wash your hands. Stencil and blade cut."
        " Alcohol burns: no flame or hot air near."
    ),
    back="paste/fixture",
    onward=("place", "On to Place"),
    entries=_entries,
    any_board=True,
)
