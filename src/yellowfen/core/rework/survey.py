"""Before a part comes off: what is in the way on both faces, and what the board's history asks for.

Laws: nothing is left out because it sits on the other face; what nobody knows is planned for as the
worse case, and the test that decides is named.
"""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.metal.alloy import ALLOYS
from yellowfen.core.part.hanging import falls, load_g_in2
from yellowfen.core.part.package import Package
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import CELSIUS, with_unit
from yellowfen.core.quantity.wording import counted
from yellowfen.core.rework.pads import WICK_TAKES, Want
from yellowfen.core.rework.plate_salvage import PART_S
from yellowfen.core.rework.ways_off import Matters, OffWay
from yellowfen.core.source.mark import Mark, constant
from yellowfen.core.work.triage import Box, box_of
from yellowfen.errors import InvalidValue

REACH_MM = constant(
    "survey_reach",
    15.0,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="what a jet of a hand nozzle warms noticeably beside its part",
    affects="what a survey lists",
)
TINY_MM, TINY_NEAR_MM = 1.1, 6.0
BAKE_C = constant(
    "bake_old_board",
    105.0,
    "°C",
    mark=Mark.COMMON_PRACTICE,
    source="old boards are dried at about 105 °C for hours, parts permitting",
    affects="bake first",
)
BAKE_H = constant(
    "bake_hours",
    6.0,
    "h",
    mark=Mark.FROM_MEMORY,
    source="bodies up to 1.4 mm; half as much again per 0.6 mm more",
    affects="bake first",
)


class Age(StrEnum):
    """What the board has been through."""

    FRESH = "built within days, dry"
    SHELF = "months on a shelf"
    SERVICE = "years in service"
    UNKNOWN = "not known"


class Solder(StrEnum):
    """What it is soldered with."""

    LEADED = "leaded"
    LEAD_FREE = "lead-free"
    BISMUTH = "low-melting, with bismuth"
    UNKNOWN = "not known"


class Coating(StrEnum):
    """What lies over or under the part."""

    NONE = "none"
    LACQUER = "lacquer that scratches off"
    GLUE = "glue or underfill"
    URETHANE = "urethane, or not known"


class Power(StrEnum):
    """Battery and capacitors."""

    NONE = "no battery, no large capacitors"
    SAFE = "battery out, capacitors discharged"
    OPEN = "not done yet"


PLANNED_FOR = {
    Solder.LEADED: "Sn63Pb37",
    Solder.LEAD_FREE: "Sn96.5Ag3Cu0.5",
    Solder.BISMUTH: "Sn42Bi57.6Ag0.4",
    Solder.UNKNOWN: "Sn96.5Ag3Cu0.5",
}


@dataclass(frozen=True, kw_only=True)
class Answers:
    """What was asked once of a board, and what is to survive; `ways` the way off that was chosen by
    part, `wants` what the refit wants on a part's pads (`way` and `want`: of a part that is not
    named there); wick, removal alloy and seconds
    to lift a part as the bench has them, `removal_parts` volumes of it per volume of old solder
    (None: usual).
    """

    matters: Matters = Matters.BOTH
    age: Age = Age.UNKNOWN
    solder: Solder = Solder.UNKNOWN
    coating: Coating = Coating.NONE
    power: Power = Power.OPEN
    way: str = ""
    want: Want = Want.BARE
    wick_width_mm: float = 2.0
    wick_takes: float = WICK_TAKES
    part_s: float = PART_S
    removal_alloy: bool = True
    removal_parts: float | None = None
    jets: bool = False
    ways: Mapping[str, str] = field(default_factory=dict)
    wants: Mapping[str, Want] = field(default_factory=dict)

    def __post_init__(self) -> None:
        in_range("wick_width_mm", self.wick_width_mm, 0.5, 6, "mm")
        in_range("wick_takes", self.wick_takes, 0.01, 2)
        in_range("part_s", self.part_s, 0.5, 60, "s")
        if self.removal_parts is not None:
            in_range("removal_parts", self.removal_parts, 0.2, 100)
        for way in (self.way, *self.ways.values()):
            if way and way not in set(OffWay):
                raise InvalidValue(
                    "way", f"{way[:40]!r} is not a method of removal; choose {', '.join(OffWay)}"
                )

    def way_of(self, ref: str) -> str:
        """The way off that was chosen for a part, "" where none was. Answers of earlier versions
        name one for all.
        """
        return self.ways.get(ref, "" if self.ways else self.way)

    def about(self, ref: str) -> "Answers":
        """The answers as they hold for one part."""
        return replace(self, way=self.way_of(ref), want=self.wants.get(ref, self.want))

    @property
    def alloy(self) -> str:
        """The alloy that is planned for."""
        return PLANNED_FOR[self.solder]


@dataclass(frozen=True, kw_only=True)
class InTheWay:
    """Something near the part: which face, how far box to box (mm), what it is, what to do, how
    often it was heated already; `shield` where it wants foil over it.
    """

    ref: str
    beneath: bool
    apart_mm: float
    what: str
    do: str
    heats: int
    shield: bool = False


@dataclass(frozen=True, kw_only=True)
class Precaution:
    """One thing to do or to know before the heat; `stop` where nothing is heated before it."""

    about: str
    sentence: str
    stop: bool = False
    mark: Mark = Mark.COMMON_PRACTICE


@dataclass(frozen=True, kw_only=True)
class Survey:
    """Everything that stands in the way of a part, nearest first, and what the answers ask for."""

    ref: str
    in_the_way: tuple[InTheWay, ...]
    advice: tuple[Precaution, ...]


def survey(board: Board, ref: str, answers: Answers, heats: Mapping[str, int]) -> Survey:
    """Survey round one part. `heats`: how often each part was heated already.

    Raises InvalidValue for a part that is not on the board.
    """
    part = next((one for one in board.parts if one.ref == ref), None)
    if part is None:
        raise InvalidValue("off", f"there is no part {ref[:40]!r} on this board")
    own = box_of(part)
    found = []
    for other in board.parts:
        apart = own.gap_mm(box_of(other))
        if other.ref == ref or apart > REACH_MM:
            continue
        beneath = other.side != part.side
        what, do = _hazard(part, own, other, apart, beneath)
        hot = other.package
        if what:
            found.append(
                InTheWay(
                    ref=other.ref,
                    beneath=beneath,
                    apart_mm=apart,
                    what=what,
                    do=do,
                    heats=heats.get(other.ref, 0),
                    shield=not beneath
                    and (hot.heat_shy or hot.iron_only or hot.family == "crystal"),
                )
            )
    near = tuple(sorted(found, key=lambda one: (one.apart_mm, one.ref)))
    return Survey(ref=ref, in_the_way=near, advice=_advice(board, part, answers, heats))


def to_shield(found: Survey) -> tuple[str, ...]:
    """The parts that a survey wants under foil: the same that the heat is rehearsed with."""
    return tuple(sorted(one.ref for one in found.in_the_way if one.shield))


def _hazard(
    part: BoardPart, own: Box, other: BoardPart, apart: float, beneath: bool
) -> tuple[str, str]:
    """What another part is to one that comes off, and what to do about it; ("", "") for nothing."""
    package = other.package
    if beneath:
        if falls(load_g_in2(package)):
            return (
                "heavy, hangs on the underside",
                "molten solder does not hold it: support it, or remove it first",
            )
        if apart <= 0.0:
            return (
                "directly underneath",
                "it melts with the part: let nothing touch it, support the board elsewhere",
            )
        return "beneath", "rest the board on supports beside it"
    if package.iron_only:
        return _kind(package), "keep it cool: shield it, or remove it first by iron"
    if package.heat_shy:
        return _kind(package), f"shield it: {with_unit(package.limit_c, CELSIUS, 0)} at most"
    if max(package.body_x_mm, package.body_y_mm) <= TINY_MM and apart <= TINY_NEAR_MM:
        return "tiny part", "it floats away first: count such parts before and after"
    if package.family == "crystal":
        return "crystal", "shield it; check its frequency afterwards"
    if apart < 2.0 and package.height_mm > part.package.height_mm + 1.0:
        return "tall beside it", "it blocks nozzle and tweezers"
    return "", ""


def _kind(package: Package) -> str:
    """A word for what heat hurts."""
    return {
        "can": "electrolytic can",
        "chip LED": "LED",
        "plastic LED": "LED",
        "connector": "plastic housing",
        "flat-cable connector": "plastic housing",
        "USB socket": "plastic housing",
        "switch": "plastic switch",
        "crystal": "crystal",
    }.get(package.family, package.limit_why or "heat-sensitive")


def _advice(
    board: Board, part: BoardPart, answers: Answers, heats: Mapping[str, int]
) -> tuple[Precaution, ...]:
    return (
        *_of_power(answers),
        *_of_holes(part),
        *_of_coating(answers),
        *_of_solder(answers),
        *_of_damp(part, answers),
        *_of_heats(part, heats),
        *_of_copper(board),
    )


def _of_power(answers: Answers) -> Iterator[Precaution]:
    if answers.power is Power.OPEN:
        yield Precaution(
            about="Power",
            sentence="Battery out, mains off, large capacitors discharged and measured. Mains and safety devices: follow local codes and use licensed people; a repaired safety device is not certified.",
            stop=True,
        )


def _of_holes(part: BoardPart) -> Iterator[Precaution]:
    if part.in_holes:
        yield Precaution(
            about="Holes",
            sentence=f"It also stands in {counted(part.in_holes, 'hole')}, which hot air and removal alloy do not free: empty each hole with solder wick, or melt it by iron while lifting, or lands tear off.",
        )


def _of_coating(answers: Answers) -> Iterator[Precaution]:
    if answers.coating is Coating.URETHANE:
        yield Precaution(
            about="Coating",
            sentence="Heated urethane gives off isocyanates: remove it cold first, or leave it to someone with proper extraction.",
            stop=True,
        )
    elif answers.coating is Coating.GLUE:
        yield Precaution(
            about="Glue",
            sentence="Cut or soften the glue all around first: a glued part tears off its pads even when they are molten.",
            stop=True,
        )
    elif answers.coating is Coating.LACQUER:
        yield Precaution(
            about="Coating",
            sentence="Scratch or wash it off the joints first; solder does not melt through it.",
        )


def _of_solder(answers: Answers) -> Iterator[Precaution]:
    if answers.solder is Solder.UNKNOWN:
        leaded, free = ALLOYS["Sn63Pb37"].liquidus_c, ALLOYS["Sn96.5Ag3Cu0.5"].liquidus_c
        yield Precaution(
            about="Solder",
            sentence=f"Test: iron at {with_unit((leaded + free) / 2, CELSIUS, 0)}, flux, a spare joint. It melts: leaded. It does not: lead-free. Until then the plan is for lead-free.",
        )
    if answers.solder is Solder.BISMUTH:
        yield Precaution(
            about="Solder", sentence="Bismuth: none of it may meet leaded solder in the refit."
        )


def _of_damp(part: BoardPart, answers: Answers) -> Iterator[Precaution]:
    if answers.age in (Age.SERVICE, Age.UNKNOWN, Age.SHELF):
        hours = bake_hours(part.package)
        yield Precaution(
            about="Moisture",
            sentence=f"Old boards hold moisture. Bake at about {with_unit(BAKE_C, CELSIUS, 0)} for {hours:.0f} h (if plastics and batteries allow) before heating bodies past {with_unit(200, CELSIUS)}, or they may blister.",
        )


def _of_heats(part: BoardPart, heats: Mapping[str, int]) -> Iterator[Precaution]:
    times = heats.get(part.ref, 0)
    if times >= 3:
        yield Precaution(
            about="Heats",
            sentence=f"{part.ref} was heated {times} times already: treat it as used up.",
        )


def _of_copper(board: Board) -> Iterator[Precaution]:
    if not board.copper:
        yield Precaution(
            about="Copper",
            sentence="No copper is known here: a plane under the part makes everything slower than predicted.",
            mark=Mark.JUDGED,
        )


def bake_hours(package: Package) -> float:
    """How long to dry before the heat, by the part's thickness [from memory]."""
    more = max(package.height_mm - 1.4, 0.0) / 0.6
    return float(math.ceil(BAKE_H * 1.5**more))
