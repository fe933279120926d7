"""The stages of a job as data: one course per purpose, what each stage is for, what comes next."""

from collections.abc import Iterable
from dataclasses import dataclass

from yellowfen.core.work.job import Purpose


@dataclass(frozen=True, kw_only=True)
class Stage:
    """One stage: the word of its address, its name, what is done there."""

    key: str
    name: str
    what: str


READY = Stage(key="ready", name="Ready", what="choose ways, sides, times; fetch the kit")
PASTE = Stage(key="paste", name="Paste", what="print it, or put it on by hand")
PLACE = Stage(key="place", name="Place", what="part by part, by one key")
HEAT = Stage(key="heat", name="Heat", what="rehearse, then run it at the bench")
LOOK = Stage(key="look", name="Look", what="joint by joint")
FINISH = Stage(key="finish", name="Finish", what="one note for next time")
SURVEY = Stage(key="survey", name="Survey", what="what is in the way, which way off")
LIFT = Stage(key="lift", name="Lift", what="off, when every joint is liquid")
PADS = Stage(key="pads", name="Pads", what="what is left on them, what to take off")
LEGS = Stage(key="legs", name="Legs", what="clean, straight, tested, in which bag")
REFIT = Stage(key="refit", name="Refit", what="on again, on the pads as they are")
COURSES: dict[Purpose, tuple[Stage, ...]] = {
    Purpose.BUILD: (READY, PASTE, PLACE, HEAT, LOOK, FINISH),
    Purpose.REWORK: (SURVEY, LIFT, PADS, REFIT, LOOK, FINISH),
    Purpose.SALVAGE: (SURVEY, LIFT, LEGS, REFIT),
}


def course(purpose: Purpose) -> tuple[Stage, ...]:
    """The stages of a purpose in order."""
    return COURSES[purpose]


def next_stage(purpose: Purpose, done: Iterable[str]) -> Stage:
    """The first stage with something to do; the last one when all is done."""
    behind = set(done)
    stages = course(purpose)
    return next((stage for stage in stages if stage.key not in behind), stages[-1])


def strip(purpose: Purpose, done: Iterable[str]) -> list[tuple[Stage, bool]]:
    """The stages of a purpose, each with whether it is behind."""
    behind = set(done)
    return [(stage, stage.key in behind) for stage in course(purpose)]
