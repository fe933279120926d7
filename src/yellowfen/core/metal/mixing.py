"""What solders and finishes make together: the mixed composition, and what may form.

Law: composition is exact arithmetic. What may form is told by presence alone: any bismuth with any
lead may keep a last liquid near 96 °C however little there is of either, so no melting range is
worked out from a mixture.
"""

import re
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from yellowfen.core.metal.alloy import Alloy, alloy_named
from yellowfen.core.quantity.units import CELSIUS, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

FINISH_MM = constant(
    "finish_film",
    0.01,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="levelled solder on a pad is 1 to 40 µm thick",
    affects="share of a pad's finish in a joint",
)
LEFT_MM = constant(
    "left_on_pads",
    0.03,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="what stays on a pad wicked once",
    affects="share of old solder in a joint",
)
LAST_LIQUID_C = constant(
    "bismuth_lead_last_liquid",
    96.0,
    "°C",
    mark=Mark.FROM_MEMORY,
    source="tin, bismuth and lead together melt there",
    affects="bismuth with lead",
)
# Elements that a finish brings into the joint, and the alloy it is made of when that is a solder.
PAD_FINISHES: dict[str, tuple[frozenset[str], str]] = {
    "lead-free tin, levelled": (frozenset(("Sn", "Cu")), "Sn99.3Cu0.7"),
    "tin-lead, levelled": (frozenset(("Sn", "Pb")), "Sn63Pb37"),
    "gold on nickel": (frozenset(("Au", "Ni")), ""),
    "silver": (frozenset(("Ag",)), ""),
    "tin, immersed": (frozenset(("Sn",)), ""),
    "bare copper, preserved": (frozenset(("Cu",)), ""),
}
PART_FINISHES: dict[str, frozenset[str]] = {
    "tin": frozenset(("Sn",)),
    "tin-lead": frozenset(("Sn", "Pb")),
    "tin-bismuth": frozenset(("Sn", "Bi")),
    "gold or palladium": frozenset(("Au", "Pd")),
    "lead-free balls": frozenset(("Sn", "Ag", "Cu")),
    "leaded balls": frozenset(("Sn", "Pb")),
    "not known": frozenset(),
}
LEFT_OVER: dict[str, str] = {
    "nothing": "",
    "leaded solder": "Sn63Pb37",
    "lead-free solder": "Sn96.5Ag3Cu0.5",
    "bismuth solder": "Sn42Bi58",
    "removal alloy": "Bi32.5In51Sn16.5",
}


@dataclass(frozen=True, kw_only=True)
class Reaction:
    """Something that may form. `weight` 3 stops the work, 2 wants care, 1 is good to know."""

    title: str
    what: str
    remedy: str
    weight: int
    mark: Mark


def elements(alloy: str) -> dict[str, float]:
    """Mass shares of an alloy by its name (they sum to 1).

    Raises InvalidValue for an unknown alloy.
    """
    alloy_named(alloy)
    found = {
        name: float(share) / 100 for name, share in re.findall(r"([A-Z][a-z]?)([\d.]+)", alloy)
    }
    total = sum(found.values())
    return {name: share / total for name, share in found.items()}


def mixture(amounts: Iterable[tuple[str, float]]) -> dict[str, float]:
    """Mass shares by element of alloys melted together, each with its volume (mm³, not negative),
    largest first.

    Raises InvalidValue where there is no metal, or less than none.
    """
    masses: dict[str, float] = defaultdict(float)
    for alloy, volume in amounts:
        if not volume >= 0:
            raise InvalidValue("volume", f"{volume:g} mm³ of {alloy} cannot be")
        metal: Alloy = alloy_named(alloy)
        for name, share in elements(alloy).items():
            masses[name] += share * volume * metal.density_g_cm3
    total = sum(masses.values())
    if total <= 0:
        raise InvalidValue("volume", "there is no metal to mix")
    return dict(
        sorted(((name, mass / total) for name, mass in masses.items()), key=lambda pair: -pair[1])
    )


def reactions(
    alloy: str, pad_finish: str, part_finish: str, left_over: str = "nothing"
) -> tuple[Reaction, ...]:
    """What may form from a solder on these finishes with what was left on the pads; worst first.

    Raises InvalidValue for unknown names.
    """
    for name, known, field in (
        (pad_finish, PAD_FINISHES, "pad_finish"),
        (part_finish, PART_FINISHES, "part_finish"),
        (left_over, LEFT_OVER, "left_over"),
    ):
        if name not in known:
            raise InvalidValue(field, f"{name[:40]!r} is not known; choose {', '.join(known)}")
    metal = alloy_named(alloy)
    paste = frozenset(elements(alloy))
    rest = frozenset(elements(LEFT_OVER[left_over])) if LEFT_OVER[left_over] else frozenset()
    there = paste | PAD_FINISHES[pad_finish][0] | PART_FINISHES[part_finish] | rest
    return tuple(
        sorted(
            _found(metal, paste, there, pad=pad_finish, part=part_finish, left=left_over),
            key=lambda one: -one.weight,
        )
    )


def _found(
    metal: Alloy, paste: frozenset[str], there: frozenset[str], pad: str, part: str, left: str
) -> Iterable[Reaction]:
    yield from _bismuth_and_lead(there, part)
    yield from _removal_alloy(left)
    yield from _balls(metal, paste, part)
    yield from _bismuth(paste)
    yield from _lead(paste, there, part)
    yield from _old_solder(left)
    yield from _gold(there)


def _bismuth_and_lead(there: frozenset[str], part: str) -> Iterable[Reaction]:
    if {"Bi", "Pb"} <= there:
        yield Reaction(
            title="Bismuth meets lead",
            what=f"Even traces of either can leave liquid near {with_unit(LAST_LIQUID_C, CELSIUS)} in the joint: it falls apart on a warm board.",
            remedy="Use a solder without bismuth, or remove the leaded tin from the pads with solder wick (and change the parts) before pasting.",
            weight=3,
            mark=Mark.FROM_MEMORY,
        )
    elif "Bi" in there and part == "not known":
        yield Reaction(
            title="Bismuth on unknown tin",
            what=f"Finishes of old boards and parts often hold lead; with bismuth some liquid stays down to about {with_unit(96, CELSIUS)}.",
            remedy=f"Test one joint: it must hold at {with_unit(110, CELSIUS)}. If in doubt, use a solder without bismuth.",
            weight=2,
            mark=Mark.FROM_MEMORY,
        )


def _removal_alloy(left: str) -> Iterable[Reaction]:
    if left == "removal alloy":
        yield Reaction(
            title="Removal alloy left on the pads",
            what="Its indium and bismuth melt far below any solder and ruin the next joint.",
            remedy="Wick the pads twice with fresh flux, wash with alcohol, check for dull patches, and only then paste.",
            weight=3,
            mark=Mark.COMMON_PRACTICE,
        )


def _balls(metal: Alloy, paste: frozenset[str], part: str) -> Iterable[Reaction]:
    """Balls of one alloy in a paste of another."""
    if part == "lead-free balls" and metal.liquidus_c < 217:
        yield Reaction(
            title="Lead-free balls in a paste that melts lower",
            what=f"The paste melts at {with_unit(metal.liquidus_c, CELSIUS)}, the balls at about {with_unit(217, CELSIUS)}: they may stay half joined.",
            remedy="Heat until the balls melt too (if the parts allow), or have leaded balls fitted. These joints are hidden: electrical test only.",
            weight=3,
            mark=Mark.COMMON_PRACTICE,
        )
    if part == "leaded balls" and "Pb" not in paste:
        yield Reaction(
            title="Leaded balls in a lead-free paste",
            what="The balls melt first and absorb the paste: voids, and an uncontrolled mixture.",
            remedy="Use a leaded paste for this part, or tacky flux alone.",
            weight=2,
            mark=Mark.FROM_MEMORY,
        )


def _bismuth(paste: frozenset[str]) -> Iterable[Reaction]:
    if "Bi" in paste:
        yield Reaction(
            title="Bismuth solder is brittle",
            what="Good for LEDs and plastics, weak in a drop or a knock.",
            remedy="Do not use it for connectors, large parts or portable devices.",
            weight=1,
            mark=Mark.COMMON_PRACTICE,
        )


def _lead(paste: frozenset[str], there: frozenset[str], part: str) -> Iterable[Reaction]:
    """Lead of the paste on tin without it, and the other way round."""
    if "Pb" in paste and "Pb" not in there - paste and part != "leaded balls":
        yield Reaction(
            title="Leaded paste on lead-free tin",
            what="Usually tolerated: tin finishes dissolve in the joint.",
            remedy="The board is no longer lead-free: mark it for anyone who reworks it. Local rules on lead may apply.",
            weight=1,
            mark=Mark.COMMON_PRACTICE,
        )
    if "Pb" in there - paste and "Pb" not in paste:
        yield Reaction(
            title="Lead in a lead-free joint",
            what="The joint contains lead from the finish or from old solder and melts lower than the paste's alloy.",
            remedy="Plan the heat for the paste's alloy, but treat the board as leaded.",
            weight=1,
            mark=Mark.COMMON_PRACTICE,
        )


def _old_solder(left: str) -> Iterable[Reaction]:
    if left in ("leaded solder", "lead-free solder", "bismuth solder"):
        yield Reaction(
            title="Old solder under new paste",
            what="Volume adds up and the alloy is a mixture.",
            remedy="Level the pads or wick them bare, and print less where old solder stays.",
            weight=1,
            mark=Mark.COMMON_PRACTICE,
        )


def _gold(there: frozenset[str]) -> Iterable[Reaction]:
    if "Au" in there:
        yield Reaction(
            title="Gold in the joint",
            what="A flash of gold is harmless; thick gold (contacts, old parts) makes tin brittle.",
            remedy="Tin thick gold twice and wick it off before the final joint.",
            weight=1,
            mark=Mark.FROM_MEMORY,
        )
