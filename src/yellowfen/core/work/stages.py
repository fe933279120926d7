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
COURSES: dict[Purpose, tuple[Stage, ...]] = {
    Purpose.BUILD: (READY, PASTE, PLACE, HEAT, LOOK, FINISH),
    Purpose.REWORK: (READY, HEAT, PASTE, PLACE, LOOK, FINISH),
    Purpose.SALVAGE: (READY, HEAT, LOOK, FINISH),
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
