"""A salvaged part and what it has behind it: its passport, whether it may be used again, and a list
that moves many parts from a donor to another board.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from yellowfen.core.part.moisture import floor_life_of
from yellowfen.core.part.package import JointKind, Package
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import CELSIUS, MM, SECONDS, with_unit
from yellowfen.core.run.pad_heats import MOST_HEATS
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

_M = Mark.FROM_MEMORY
MOST_LIQUID_S = constant(
    "salvage_most_liquid",
    240.0,
    "s",
    mark=_M,
    source="three passes of at most 80 s above the melting point; our own weighing",
    affects="is a salvaged part refused",
)
COPLANAR_MM = constant(
    "coplanarity",
    0.10,
    "mm",
    mark=_M,
    source="all leads within a tenth of a millimetre; 0.08 at 0.5 mm pitch and below (drawings, as remembered)",
    affects="are salvaged leads straight",
)
COPLANAR_FINE_MM, FINE_MM = 0.08, 0.5


class Proof(StrEnum):
    """What a test said of a part."""

    NOT_YET = "not yet"
    GOOD = "good"
    BAD = "bad"


@dataclass(frozen=True, kw_only=True)
class Passport:
    """A part that came off a board: what it is, from where, what it has behind it. `liquid_s`:
    seconds its joints were liquid over all heats; `peak_c` of its body; `open_h` hours out of a
    dry bag (None: not known, counts as wet); `lift_mm` the worst lead's height over a flat plate.
    """

    ref: str
    package: str
    value: str = ""
    donor: str = ""
    heats: int = 1
    liquid_s: float = 0.0
    peak_c: float | None = None
    limit_c: float | None = None
    open_h: float | None = None
    alloy: str = ""
    cleaned: bool = False
    straight: bool = False
    lift_mm: float | None = None
    tin_left: bool = True
    tested: Proof = Proof.NOT_YET
    bag: str = ""
    note: str = ""

    def __post_init__(self) -> None:
        in_range("heats", self.heats, 0, 50)
        in_range("liquid_s", self.liquid_s, 0, 5000, "s")
        if self.lift_mm is not None:
            in_range("lift_mm", self.lift_mm, 0, 5, "mm")
        if self.open_h is not None:
            in_range("open_h", self.open_h, 0, 1e6, "h")
        if len(self.bag) > 60 or len(self.note) > 400 or len(self.donor) > 120:
            raise InvalidValue("passport", "keep the bag within 60 letters, the note within 400")


def finish_of(passport: Passport, package: Package | None) -> str:
    """What its legs bring into the next joint, by Mixing's names: the old solder where tin was left
    on them, else tin; "not known" where the alloy is not known.
    """
    lands = package.lands if package else ()
    balls = any(land.kind is JointKind.BALL for land in lands)
    if not passport.alloy:
        return "not known"
    if "Pb" in passport.alloy:
        return "leaded balls" if balls else "tin-lead" if passport.tin_left else "tin"
    if balls:
        return "lead-free balls"
    return "tin-bismuth" if "Bi" in passport.alloy and passport.tin_left else "tin"


@dataclass(frozen=True, kw_only=True)
class Fitness:
    """May a salvaged part go on again: `refused` why not (""), `first` what to do before."""

    refused: str
    first: tuple[str, ...]


def coplanar_mm(package: Package | None) -> float | None:
    """How far the soles of its leads may lie apart, mm; None for parts without leads."""
    if package is None:
        return None
    leads = [land for land in package.lands if land.kind in (JointKind.GULL_WING, JointKind.J_LEAD)]
    if len(leads) < 3:
        return None
    return COPLANAR_FINE_MM if package.pitch_mm <= FINE_MM + 1e-6 else COPLANAR_MM


def fitness(passport: Passport, package: Package | None) -> Fitness:
    """Whether the part may be used again, by what is behind it; `package` None where its name is
    not known.
    """
    most = coplanar_mm(package)
    if passport.tested is Proof.BAD:
        return Fitness(refused=f"{passport.ref} failed its test", first=())
    if passport.heats > MOST_HEATS:
        return Fitness(
            refused=f"it has had {passport.heats} heats; {MOST_HEATS:.0f} is the limit", first=()
        )
    if passport.liquid_s > MOST_LIQUID_S:
        return Fitness(
            refused=f"its joints were molten for {with_unit(passport.liquid_s, SECONDS, 0)} in all; {MOST_LIQUID_S:.0f} is the limit",
            first=(),
        )
    limit = passport.limit_c or (package.limit_c if package else None)
    if passport.peak_c is not None and limit is not None and passport.peak_c > limit:
        return Fitness(
            refused=f"its body reached {with_unit(passport.peak_c, CELSIUS, 0)}; {limit:.0f} is the limit",
            first=(),
        )
    first = []
    if most is not None and passport.lift_mm is not None and passport.lift_mm > most:
        first.append(
            f"straighten the leads: {with_unit(passport.lift_mm, MM, 2)} above a flat plate, {most:.2f} at most"
        )
    elif most is not None and not passport.straight:
        first.append(f"lay it on a flat plate: every lead within {with_unit(most, MM, 2)}")
    if not passport.cleaned:
        first.append("remove the old solder from the leads")
    if passport.open_h is None and (package is None or floor_life_of(package) is not None):
        first.append("bake it: its hours out of a dry bag are not known")
    if passport.tested is Proof.NOT_YET:
        first.append("test it")
    return Fitness(refused="", first=tuple(first))


@dataclass(frozen=True, kw_only=True)
class Transfer:
    """One part of a transfer list: taken from where, to where on the other board, or why not."""

    donor_ref: str
    goes_to: str
    package: str
    value: str
    why_not: str = ""


def transfer_list(
    donor: Mapping[str, tuple[str, str]],
    wanted: Mapping[str, tuple[str, str]],
    heat_order: Sequence[str],
    refused: Mapping[str, str],
) -> tuple[list[Transfer], list[str]]:
    """What to take off the donor, in the order in which what is still on survives, and where each
    goes; and what the other board still misses.

    `donor`, `wanted`: package and value by ref; `heat_order`: the donor's refs, first to come off
    first; `refused`: why donor parts are past use. A part fits with the same package and value.
    """
    open_places = dict(wanted)
    found = []
    for ref in heat_order:
        if ref not in donor:
            continue
        package, value = donor[ref]
        if ref in refused:
            found.append(
                Transfer(
                    donor_ref=ref,
                    goes_to="",
                    package=package,
                    value=value,
                    why_not=refused[ref],
                )
            )
            continue
        place = next((to for to, what in open_places.items() if what == (package, value)), "")
        if place:
            del open_places[place]
            found.append(Transfer(donor_ref=ref, goes_to=place, package=package, value=value))
    return found, list(open_places)
