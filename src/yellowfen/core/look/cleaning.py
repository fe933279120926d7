"""Cleaning: what must be washed off, what may stay, with what, where liquid must not go and where
it hides, and how long it dries before power.

Laws: flux that did not see the full heat is washed whatever its class; liquid under a body dries
from the edges inwards by diffusion, so its time goes with the square of the way to the edge, with
one over the vapour pressure, and not with the gap's height (derivation at `under_body_s`).
Capillary flow to the edges makes it quicker: the time is a bound from above.
"""

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum

from yellowfen.core.board.board import BoardPart
from yellowfen.core.part.package import HIDDEN
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import CELSIUS, MM, with_unit
from yellowfen.core.run.washing import WashStep
from yellowfen.core.source.mark import Mark, constant

_P, _M, _C = Mark.PUBLISHED, Mark.FROM_MEMORY, Mark.COMMON_PRACTICE
GAS = 8.314
ALCOHOL_D = constant(
    "diffusion_alcohol",
    1.0e-5,
    "m²/s",
    mark=_M,
    source="isopropyl alcohol in air at 25 °C; rises with absolute temperature to 1.75",
    affects="drying time",
)
WATER_D = constant(
    "diffusion_water",
    2.5e-5,
    "m²/s",
    mark=_P,
    source="water vapour in air at 25 °C, handbooks of chemistry",
    affects="drying time",
)
FILM_MM = constant(
    "film_after_blotting",
    0.05,
    "mm",
    mark=_M,
    source="what blotting leaves on open board",
    affects="drying time",
)
STILL_M_S = constant(
    "drying_still_air",
    0.003,
    "m/s",
    mark=_M,
    source="mass transfer from a flat board in still air",
    affects="drying time",
)
MOVING_M_S = constant(
    "drying_moving_air",
    0.012,
    "m/s",
    mark=_M,
    source="the same in front of a fan, about 1 m/s",
    affects="drying time",
)
SPARE = constant(
    "drying_spare",
    1.5,
    "1",
    mark=_M,
    source="holes, shells and corners that hold more",
    affects="drying time",
)
LOW_RATIO = constant(
    "hides_residue",
    30.0,
    "1",
    mark=_M,
    source="half width over gap from which no brush or rinse gets under",
    affects="where residue hides",
)
LEADLESS_GAP_MM = 0.05


class Flux(StrEnum):
    """A flux by what its residue is."""

    NO_CLEAN = "no-clean"
    ROSIN = "rosin"
    WATER = "water-soluble"
    UNKNOWN = "not known"


class Activity(StrEnum):
    """How strong a flux is, by the letter on its jar."""

    LOW = "L"
    MEDIUM = "M"
    HIGH = "H"


class Need(StrEnum):
    """Whether residue is washed."""

    MUST = "must be washed"
    MAY = "may be washed"
    STAYS = "may stay"


class Wash(StrEnum):
    """What washes."""

    ALCOHOL = "isopropyl alcohol"
    WATER = "warm distilled water"


@dataclass(frozen=True, kw_only=True)
class CleaningPlan:
    """The fluxes used (None: none of it), how strong, with halide or not; room, air, whether the
    board is to be coated. Raises InvalidValue outside 5 to 80 °C and 0 to 100 %.
    """

    paste: Flux | None = Flux.NO_CLEAN
    wire: Flux | None = Flux.ROSIN
    gel: Flux | None = Flux.NO_CLEAN
    activity: Activity = Activity.LOW
    halide: bool = False
    coated: bool = False
    dry_c: float = 22.0
    moving_air: bool = False
    humidity: float = 50.0

    def __post_init__(self) -> None:
        in_range("dry_c", self.dry_c, 5.0, 80.0, "°C")
        in_range("humidity", self.humidity, 0.0, 99.0, "%")


@dataclass(frozen=True, kw_only=True)
class Residue:
    """One flux's residue: of what, whether it is washed, with what, and why."""

    of: str
    flux: Flux
    need: Need
    wash: Wash
    why: str


def residues(plan: CleaningPlan) -> tuple[Residue, ...]:
    """What each flux asks for, the most urgent first [classes by the letters of J-STD-004; what
    follows from them is common practice].
    """
    found = []
    for of, flux, heated in (
        ("paste", plan.paste, True),
        ("wire", plan.wire, True),
        ("gel or liquid flux", plan.gel, False),
    ):
        if flux is not None:
            need, why = _need(flux, heated, plan)
            wash = Wash.WATER if flux is Flux.WATER else Wash.ALCOHOL
            found.append(Residue(of=of, flux=flux, need=need, wash=wash, why=why))
    order = list(Need)
    return tuple(sorted(found, key=lambda one: (order.index(one.need), one.wash is Wash.ALCOHOL)))


def _need(flux: Flux, heated: bool, plan: CleaningPlan) -> tuple[Need, str]:
    if flux is Flux.WATER:
        return Need.MUST, "its acids keep corroding: wash within the hour, before they dry"
    if flux is Flux.UNKNOWN:
        return Need.MUST, "unknown flux: treat it as an active one"
    if plan.activity is Activity.HIGH or plan.halide:
        return Need.MUST, "active or with halide: it corrodes in damp air"
    if plan.coated:
        return Need.MUST, "coating does not stick to residue"
    if not heated:
        return (
            Need.MUST,
            "beside the joints it did not get hot enough, so its activators are still there",
        )
    if flux is Flux.ROSIN and plan.activity is Activity.MEDIUM:
        return Need.MUST, "a medium rosin attracts moisture"
    if flux is Flux.ROSIN:
        return (
            Need.MAY,
            "it seals itself; wash it where you inspect, probe or measure tiny currents",
        )
    return Need.STAYS, "it got the full heat; half washed is worse than not washed"


# where liquid must not go
OPEN = {
    "connector": "through its housing: liquid carries residue onto the contacts; stand it mouth up, or plug it",
    "flat-cable connector": "under its latch: residue onto the contacts",
    "USB socket": "into its shell: residue onto the contacts",
    "switch": "into it: residue onto the contacts, grease washed out",
}
WORDS = (
    (("buzzer", "microphone", "speaker", "sounder"), "into its hole: membrane"),
    (
        ("sensor", "barometer", "humidity", "gas"),
        "onto its opening: the element is ruined for good",
    ),
    (("relay",), "into it unless it is sealed"),
    (("display", "lcd", "oled"), "under its glass; alcohol clouds some plastics"),
    (("trimmer", "potentiometer", "encoder"), "onto its track: grease and residue"),
    (("battery", "cell", "supercapacitor"), "onto its seal; take it out first"),
    (("switch", "button", "key"), "into it: residue onto the contacts"),
)


@dataclass(frozen=True, kw_only=True)
class Spared:
    """A part that liquid must keep off, and why."""

    ref: str
    why: str


def spared(parts: Iterable[BoardPart]) -> tuple[Spared, ...]:
    """The open parts by name: by what they are, or by what is written beside them."""
    found = []
    for part in parts:
        says = OPEN.get(part.package.family, "")
        text = f"{part.value} {part.package.name}".lower()
        if not says and part.ref[:1] not in ("Q", "R", "C"):
            says = next((why for words, why in WORDS if any(word in text for word in words)), "")
        if says:
            found.append(Spared(ref=part.ref, why=says))
    return tuple(found)


# where it hides
@dataclass(frozen=True, kw_only=True)
class Hidden:
    """A body under which residue and liquid stay: its gap, the way in to its middle, mm, and how
    long it dries, minutes.
    """

    ref: str
    gap_mm: float
    way_mm: float
    dry_min: float

    @property
    def says(self) -> str:
        return (
            f"{self.ref}: {with_unit(self.gap_mm, MM, 2)} gap, {with_unit(self.way_mm, MM, 1)} deep"
        )


def hiding(parts: Iterable[BoardPart], plan: CleaningPlan, wash: Wash) -> tuple[Hidden, ...]:
    """Bodies that no brush gets under, the slowest to dry first. The gap is the package's
    stand-off; of parts on a pad beneath, what the joint leaves.
    """
    found = []
    for part in parts:
        body = part.package
        under = any(land.kind in HIDDEN for land in body.lands)
        gap = max(body.gap_mm, LEADLESS_GAP_MM) if under else body.gap_mm
        way = min(body.body_x_mm, body.body_y_mm) / 2
        if way / max(gap, 1e-3) >= LOW_RATIO:
            seconds = under_body_s(way, plan, wash)
            found.append(Hidden(ref=part.ref, gap_mm=gap, way_mm=way, dry_min=seconds / 60.0))
    return tuple(sorted(found, key=lambda one: (-one.way_mm, one.ref)))


# drying
def vapour_pa(wash: Wash, celsius: float) -> float:
    """Saturation pressure, Pa: isopropyl alcohol by Antoine [published constants, 0 to 100 °C],
    water by Magnus [published].
    """
    if wash is Wash.WATER:
        return 611.2 * math.exp(17.62 * celsius / (243.12 + celsius))
    return 133.322 * 10 ** (8.11778 - 1580.92 / (celsius + 219.61))


def _liquid(wash: Wash, plan: CleaningPlan) -> tuple[float, float, float, float]:
    """Density kg/m³, molar mass kg/mol, diffusion m²/s and the driving pressure Pa."""
    warmer = ((plan.dry_c + 273.15) / 298.15) ** 1.75
    if wash is Wash.WATER:
        # Air that is warmed keeps its water: the room's share is taken at 22 °C.
        room = vapour_pa(wash, min(plan.dry_c, 22.0)) * plan.humidity / 100.0
        return 998.0, 0.01802, WATER_D * warmer, vapour_pa(wash, plan.dry_c) - room
    return 786.0, 0.0601, ALCOHOL_D * warmer, vapour_pa(wash, plan.dry_c)


def under_body_s(way_mm: float, plan: CleaningPlan, wash: Wash) -> float:
    """Seconds until the liquid under a body is gone, `way_mm` from edge to middle (0 to 100).

    A front that stands x inside loses D M p / (R T x) per area and moves back by that over the
    density: x dx = D M p / (R T ρ) dt, so t = ρ R T x² / (2 D M p), whatever the gap.
    """
    in_range("way_mm", way_mm, 0.0, 100.0)
    density, molar, diffusion, pressure = _liquid(wash, plan)
    return (
        density
        * GAS
        * (plan.dry_c + 273.15)
        * (way_mm / 1000.0) ** 2
        / (2 * diffusion * molar * pressure)
    )


def film_s(plan: CleaningPlan, wash: Wash) -> float:
    """Seconds until an open film that blotting left is gone."""
    density, molar, _, pressure = _liquid(wash, plan)
    speed = MOVING_M_S if plan.moving_air else STILL_M_S
    return density * FILM_MM / 1000.0 * GAS * (plan.dry_c + 273.15) / (speed * molar * pressure)


def dry_minutes(parts: Iterable[BoardPart], plan: CleaningPlan, wash: Wash) -> float:
    """Minutes before power, with spare: the film, then the widest body."""
    ways = [
        min(part.package.body_x_mm, part.package.body_y_mm) / 2
        for part in parts
        if part.package.gap_mm < 1.0
    ]
    widest = max(ways, default=0.0)
    return SPARE * (film_s(plan, wash) + under_body_s(widest, plan, wash)) / 60.0


def washes_of(plan: CleaningPlan) -> tuple[Wash, ...]:
    """What the board is washed with, in order: water before alcohol, which carries it off; empty
    where nothing has to be washed.
    """
    wanted = {one.wash for one in residues(plan) if one.need is not Need.STAYS}
    return tuple(wash for wash in (Wash.WATER, Wash.ALCOHOL) if wash in wanted)


def drying_minutes(parts: Iterable[BoardPart], plan: CleaningPlan) -> float:
    """Minutes a board dries before power, from what is washed off last: the one answer of Clean,
    Schedule and the wash run. 0 where nothing is washed.
    """
    washes = washes_of(plan)
    return dry_minutes(parts, plan, washes[-1]) if washes else 0.0


# the work
def cleaning_steps(
    parts: Iterable[BoardPart], plan: CleaningPlan, later: Iterable[str] = ()
) -> tuple[WashStep, ...]:
    """The work in its order; empty where nothing has to be washed. `later`: parts that go on after."""
    parts, after = list(parts), list(later)
    if all(residue.need is Need.STAYS for residue in residues(plan)):
        return ()
    washes = washes_of(plan)
    cold = WashStep(
        title="Board cold, nothing hot nearby",
        detail="cold to the hand; hot air and iron off; no flame; window open: alcohol burns and its vapour spreads",
    )
    return (
        cold,
        *_plugged(spared(parts)),
        *(step for wash in washes for step in _passes(wash, plan)),
        *_flushed(hiding(parts, plan, washes[-1])),
        *_dried(drying_minutes(parts, plan), plan),
        *_put_on(after),
    )


def _plugged(keep: Sequence[Spared]) -> Iterator[WashStep]:
    """What no liquid may reach."""
    if keep:
        names = ", ".join(one.ref for one in keep[:8]) + (" and others" if len(keep) > 8 else "")
        yield WashStep(
            title=f"Plug or tape {names}", detail=f"{keep[0].ref}: no liquid {keep[0].why}"
        )


def _flushed(low: Sequence[Hidden]) -> Iterator[WashStep]:
    """Bodies under which flux hides."""
    if low:
        names = ", ".join(one.ref for one in low[:6]) + (" and others" if len(low) > 6 else "")
        yield WashStep(
            title=f"Flush under {names}",
            detail="tilt the board, let fresh liquid run in on one side and out on the other, three times; blot the low edge",
        )


def _dried(minutes: float, plan: CleaningPlan) -> Iterator[WashStep]:
    yield WashStep(
        title="Blot, then brush off lint",
        detail="press with a lint-free cloth, do not rub; use a dry antistatic brush",
    )
    yield WashStep(
        title=f"Dry {minutes_said(minutes)}",
        least_min=minutes,
        detail=f"at {with_unit(plan.dry_c, CELSIUS, 0)}{' in moving air' if plan.moving_air else ''}, before any power; warmth shortens it, moving air does not help under bodies",
    )
    yield WashStep(
        title="Inspect in low light from the side",
        detail="white film or stickiness: wash again with fresh liquid",
    )


def _put_on(later: Sequence[str]) -> Iterator[WashStep]:
    """Parts that no wash may reach, on at last."""
    if later:
        yield WashStep(
            title=f"Now fit {', '.join(later[:8])}",
            detail="they are fitted after washing, by iron, with flux that may stay",
        )


def _passes(wash: Wash, plan: CleaningPlan) -> list[WashStep]:
    if wash is Wash.WATER:
        return [
            WashStep(
                title="Warm water, brush, rinse twice",
                detail=f"distilled, about {with_unit(50, CELSIUS)}, within the hour; the second rinse from a fresh bowl",
            )
        ]
    brush = "soft antistatic brush, small circles, towards the edge; fresh liquid each time"
    soak = plan.gel is not None
    first = (
        [
            WashStep(
                title="Soak five minutes",
                least_min=5.0,
                detail="alcohol of 90 % or more, deep enough for the joints; parts that must stay dry above it",
            )
        ]
        if soak
        else []
    )
    return [
        *first,
        *(
            WashStep(
                title=f"Alcohol and brush, pass {n} of 3",
                detail=brush if n < 3 else "the last pass rinses: no residue in what runs off",
            )
            for n in (1, 2, 3)
        ),
    ]


def minutes_said(minutes: float) -> str:
    """Minutes as one says them: "25 min", "1 h 10 min"."""
    whole = max(5, 5 * math.ceil(minutes / 5.0))
    if whole < 60:
        return f"{whole} min"
    return f"{whole // 60} h {whole % 60} min" if whole % 60 else f"{whole // 60} h"


MUST_NOT_MEET = (
    "a warm board, a flame, an iron or hot air that is on",
    "windows and light guides of acrylic, polystyrene or polycarbonate: they crack",
    "printed labels and felt-pen marks: they dissolve",
    "open trimmers, membranes, microphones",
)
