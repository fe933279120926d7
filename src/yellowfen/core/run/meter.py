"""Going through a list with a meter or a finger: what is asked for line by line, and the figures that
are typed with the answers.
"""

from dataclasses import dataclass
from urllib.parse import quote

from yellowfen.core.quantity.number import in_range, typed_number
from yellowfen.core.run.machine import Cue, Effect, RunRule, Script, Tap
from yellowfen.core.run.run import BenchRun, Key, KindOfRun
from yellowfen.errors import InvalidValue

METER, FUNCTION = "the board", "its function"  # the names of the lists
_POWERED = (
    "Current limited; current at the limit or a hot part: switch off at once."
    " Isolate mains and batteries. A repaired safety device is not certified."
)
MOST_MV = 300.0  # what the supply is limited to where millivolts are compared


@dataclass(frozen=True, kw_only=True)
class CheckLine:
    """One thing to measure: from, to, what is expected; `title` and `name` where that is said
    otherwise, `mind` what to mind at it; `reads` the unit of a figure that is to be typed ("" for a
    plain yes or no).
    """

    here: str
    there: str
    expect: str
    title: str = ""
    mind: str = ""
    name: str = ""
    reads: str = ""


@dataclass(frozen=True, kw_only=True)
class CheckPlan:
    """What a meter goes through, or what a board must do when it works."""

    name: str
    lines: tuple[CheckLine, ...]
    closing: str = "Everything is as expected."


def reading_of(script: Script, tap: Tap) -> float | None:
    """The figure typed with a tap, in the unit of its cue; None where none is asked for or none was
    typed. Raises InvalidValue for one that is no number, or more than a meter shows there.
    """
    cue = script.cue(tap.cue)
    if cue is None or not cue.reads or not tap.text:
        return None
    return in_range(
        "reading", typed_number("reading", tap.text, cue.reads.lower()), -MOST_MV, MOST_MV, "mV"
    )


def refused_reading(script: Script, tap: Tap) -> str:
    """Why a tap's figure cannot be, as a sentence; "" where it may."""
    cue = script.cue(tap.cue)
    effect = script.rule.words.get(tap.word)
    if cue is None or not cue.reads or effect is Effect.LATER:
        return ""
    if not tap.text or effect is not Effect.DONE:
        return f"type what the meter shows, in {cue.reads}"
    try:
        reading_of(script, tap)
    except InvalidValue as problem:
        return str(problem)
    return ""


def _points(line: CheckLine) -> tuple[str, ...]:
    """The leads that are touched ("U1.3"); none of a step that has a title of its own."""
    return () if line.title else tuple(one for one in (line.here, line.there) if "." in one)


def check_script(plan: CheckPlan) -> Script:
    """Probe after probe."""
    cues = tuple(
        Cue(
            key=f"probe {number}",
            name=line.name,
            title=line.title or f"{line.here} to {line.there}",
            press="Save the reading" if line.reads else "As expected",
            detail=line.expect,
            mind=line.mind,
            group=line.expect,
            reads=line.reads,
            refs=tuple(dict.fromkeys(one.rsplit(".", 1)[0] for one in _points(line))),
            points=_points(line),
        )
        for number, line in enumerate(plan.lines, 1)
    )
    return Script(rule=_RULE, cues=cues, closing=plan.closing, of_group="like this")


def _back(run: BenchRun) -> str:
    pages = {METER: "test", FUNCTION: "function"}
    return pages.get(run.plan.name) or f"adapter?of={quote(run.plan.name)}"


def _did(run: BenchRun) -> str:
    known = {METER: "meter test", FUNCTION: "power-up and function"}
    return known.get(run.plan.name, f"meter test of {run.plan.name}")


_RULE = RunRule(
    words={"as expected": Effect.DONE, "not": Effect.ASIDE, "cannot reach": Effect.LATER},
    any_order=True,
    corrects=True,
)
CHECK = KindOfRun(
    name="check",
    plan=CheckPlan,
    script=lambda plan, _: check_script(plan),
    rule=_RULE,
    keys={
        "not": Key(say="Not as expected", press="n", hint="n"),
        "cannot reach": Key(say="Cannot reach", press="ArrowRight", hint="→"),
    },
    doing="measuring",
    spent="tests",
    did=_did,
    caution=lambda plan: (
        _POWERED if plan.name == FUNCTION else "Board unpowered, capacitors discharged."
    ),
    back=_back,
    onward=("mend", "Touch-up"),
    refuses=lambda run, tap: refused_reading(run.script, tap),
)
