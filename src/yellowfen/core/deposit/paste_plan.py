"""What the Paste stage of a job is set to, and the prints it has seen."""

from dataclasses import dataclass, field

from yellowfen.core.deposit.by_hand import Costs
from yellowfen.core.deposit.changes import OpeningChange
from yellowfen.core.metal.mixing import LEFT_MM, LEFT_OVER, PAD_FINISHES, PART_FINISHES
from yellowfen.core.metal.paste import Paste, paste_named
from yellowfen.core.quantity.number import in_range
from yellowfen.errors import InvalidValue


@dataclass(frozen=True, kw_only=True)
class PastePlan:
    """Foil (None: the best one), paste by short name, coverage of thermal pads (None: computed),
    boards to make, finishes, how thick old solder was left (µm), costs by hand and stencil.
    """

    foil_mm: float | None = None
    paste: str = "sn63-t4"
    lot_id: int | None = None
    coverage: float | None = None
    boards: int = 1
    by_pad: bool = False
    costs: Costs = field(default_factory=Costs)
    pad_finish: str = "lead-free tin, levelled"
    part_finish: str = "tin"
    left_over: str = "nothing"
    left_um: float = 1000 * LEFT_MM

    def __post_init__(self) -> None:
        paste_named(self.paste)
        if self.foil_mm is not None:
            in_range("foil_mm", self.foil_mm, 0.03, 0.5, "mm")
        if self.coverage is not None:
            in_range("coverage", self.coverage, 0.2, 0.9)
        in_range("boards", self.boards, 1, 10_000)
        in_range("left_um", self.left_um, 1, 500, "µm")
        for name, known, where in (
            (self.pad_finish, PAD_FINISHES, "pad_finish"),
            (self.part_finish, PART_FINISHES, "part_finish"),
            (self.left_over, LEFT_OVER, "left_over"),
        ):
            if name not in known:
                raise InvalidValue(where, f"{name[:40]!r} is not known; choose {', '.join(known)}")


@dataclass(frozen=True)
class ChangeStep:
    """One decision about openings, to be undone as one: changes taken, and places given back."""

    said: str
    taken: tuple[OpeningChange, ...] = ()
    given_back: tuple[str, ...] = ()


def standing(steps: tuple[ChangeStep, ...]) -> dict[str, OpeningChange]:
    """The changes that stand after all steps, by place."""
    held: dict[str, OpeningChange] = {}
    for step in steps:
        held.update({change.place: change for change in step.taken})
        for place in step.given_back:
            held.pop(place, None)
    return held


@dataclass(frozen=True, kw_only=True)
class Printed:
    """One print of the job: how it looked (good, smeared, missing), whether the foil was wiped
    after it, whether it was wiped off and repeated, whether it was told by key at the bench.
    """

    id: int
    at: str
    found: str
    wiped: bool
    repeated: bool
    foil_mm: float
    paste: Paste
    by_key: bool = False

    def __post_init__(self) -> None:
        if self.found not in FOUND:
            raise InvalidValue("found", f"{self.found[:20]!r} is not one of {', '.join(FOUND)}")


FOUND = ("good", "smeared", "missing")
