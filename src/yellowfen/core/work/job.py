"""A job: what it is for, its parts, heats and pieces; and what Look finds at a joint."""

from dataclasses import dataclass, replace
from enum import StrEnum

from yellowfen.core.heat.heat_plan import HeatPlan
from yellowfen.core.quantity.stored_word import StoredWord


class Purpose(StrEnum):
    """What a job is for."""

    BUILD = "build"
    REWORK = "rework"
    SALVAGE = "salvage"


@dataclass(frozen=True, kw_only=True)
class Piece:
    """One board of its own, marked as its owner marks it."""

    id: int
    board_id: int
    name: str


@dataclass(frozen=True, kw_only=True)
class Heat:
    """One heat of a job: its name ("" for the only one) and what it is set to."""

    id: int
    name: str
    plan: HeatPlan

    @property
    def title(self) -> str:
        return self.name or "Heat"


@dataclass(frozen=True, kw_only=True)
class Job:
    """A job on one board. `parts` are the refs it is about, () for all; `plan` is that of the heat
    being worked on; `pieces` its boards one by one, `piece_id` the one on the bench; None where it is
    not said, or where all are worked `all_alike`.
    """

    id: int
    board_id: int
    board_name: str
    name: str
    created_at: str
    purpose: Purpose
    parts: tuple[str, ...]
    heats: tuple[Heat, ...]
    heat_id: int
    pieces: tuple[Piece, ...] = ()
    piece_id: int | None = None
    all_alike: bool = False

    @property
    def heat(self) -> Heat:
        """The heat being worked on."""
        return next((heat for heat in self.heats if heat.id == self.heat_id), self.heats[0])

    @property
    def plan(self) -> HeatPlan:
        return self.heat.plan

    def with_plan(self, plan: HeatPlan) -> "Job":
        """The job with its heat in hand set otherwise."""
        heats = tuple(
            replace(heat, plan=plan) if heat.id == self.heat.id else heat for heat in self.heats
        )
        return replace(self, heats=heats)

    @property
    def piece(self) -> Piece | None:
        """The board in hand, None where all are worked alike."""
        return next((piece for piece in self.pieces if piece.id == self.piece_id), None)

    @property
    def which_board(self) -> bool:
        """True where it has several boards and nobody said which one is on the bench."""
        return len(self.pieces) > 1 and self.piece is None and not self.all_alike

    def about(self, ref: str) -> bool:
        """True for a part that the job is about."""
        return not self.parts or ref in self.parts


class Verdict(StoredWord):
    """What Look found at a joint or part."""

    GOOD = "good"
    BRIDGE = "bridge"
    OPEN = "open"
    STARVED = "starved"
    EXCESS = "excess solder"
    SKEWED = "skewed"
    LIFTED_PAD = "lifted pad"
    OTHER = "other"
    COLD = "cold joint"
    NOT_WETTED = "not wetted"
    TOMBSTONE = "tombstone"
    MISSING = "missing"
    WRONG_PART = "wrong part"
    REVERSED = "wrong orientation"
    SOLDER_BALLS = "solder balls"
    DAMAGE = "damage to part, pad or mask"


@dataclass(frozen=True)
class FoundMark:
    """A verdict on one joint; pin '' is the whole part. `other`: the pin that a bridge joins it to."""

    ref: str
    pin: str
    verdict: Verdict
    other: str = ""
