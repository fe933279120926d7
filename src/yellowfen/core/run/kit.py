"""Checking the kit: line by line, how many of what, and where they live."""

from collections.abc import Sequence
from dataclasses import dataclass

from yellowfen.core.run.machine import Cue, Effect, RunRule, Script
from yellowfen.core.run.run import Key, KindOfRun
from yellowfen.core.work.kit import Line


@dataclass(frozen=True, kw_only=True)
class KitLine:
    """A line of the pick list as it was when the check began."""

    key: str
    value: str = ""
    package: str = ""
    refs: tuple[str, ...] = ()
    take: int = 0
    spares: int = 0
    where: str = ""


@dataclass(frozen=True, kw_only=True)
class KitPlan:
    """What a kit check goes through."""

    lines: tuple[KitLine, ...]


def kit_plan(lines: Sequence[Line]) -> KitPlan:
    """The check of a pick list."""
    return KitPlan(
        lines=tuple(
            KitLine(
                key=one.key,
                value=one.value,
                package=one.package,
                refs=one.refs,
                take=one.take,
                spares=one.spares,
                where=one.where,
            )
            for one in lines
        )
    )


def kit_script(plan: KitPlan) -> Script:
    """Line by line: how many of what, and where they live."""
    cues = []
    for line in plan.lines:
        spare = f"; {line.spares} of them spare" if line.spares else ""
        value = line.value or line.package
        cues.append(
            Cue(
                key=line.key,
                name=str(line.take) if line.take else "",
                title=value,
                press="Found",
                detail=f"{line.package + '; ' if line.value else ''}{', '.join(line.refs)}{spare}",
                mind=f"in {line.where}" if line.where else "",
                refs=line.refs,
            )
        )
    return Script(rule=_RULE, cues=tuple(cues), closing="All parts are found.")


_RULE = RunRule(
    words={
        "there": Effect.DONE,
        "missing": Effect.ASIDE,
        "another instead": Effect.DONE,
        "not yet": Effect.OPENS,
    },
    any_order=True,
    corrects=True,
)
KIT = KindOfRun(
    name="kit",
    plan=KitPlan,
    script=lambda plan, _: kit_script(plan),
    rule=_RULE,
    keys={"missing": Key(say="Missing", press="m", hint="m")},
    doing="kit check",
    spent="kit",
    did=lambda run: "kit checked",
    caution=lambda plan: (
        "Static-sensitive parts: wear a wrist strap, keep them in their bags until placing."
    ),
    back="ready/kit",
    onward=("paste", "On to Paste"),
    for_all=True,
    any_board=True,
)
