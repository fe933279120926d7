"""Why a joint is bad, and what to do now: causes ranked by this job's own figures, the remedy as a
short plan with its amounts and seconds, and what to change for the next board.

Laws: a cause is only named with its figure where one is known; solder to take off or add is what
there is against the middle of what the joint wants; no touch is longer than the pad bears.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from yellowfen.core.deposit.by_hand import wire_mm
from yellowfen.core.look.risk import Known
from yellowfen.core.metal.alloy import Alloy
from yellowfen.core.part.package import Land, Package
from yellowfen.core.quantity.units import MM, SECONDS, with_unit
from yellowfen.core.rework.pads import WICK_TAKES
from yellowfen.core.run.pad_heats import MOST_HEATS
from yellowfen.core.run.pads import FOR_SPARES, REMEDIES
from yellowfen.core.source.mark import Mark, constant
from yellowfen.core.work.job import Verdict

NARROW_MM = constant(
    "mend_narrow_gap",
    0.25,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="gaps below bridge readily when anything is amiss",
    affects="why a joint is bad",
)
LONG_LIQUID_S = constant(
    "mend_long_liquid",
    60.0,
    "s",
    mark=Mark.COMMON_PRACTICE,
    source="flux is spent, solder goes dull and stringy",
    affects="why a joint is bad",
)
SHORT_LIQUID_S = constant(
    "mend_short_liquid",
    3.0,
    "s",
    mark=Mark.FROM_MEMORY,
    source="a joint molten for less may have touched one side only",
    affects="why a joint is bad",
)
MUCH = constant(
    "mend_much",
    1.3,
    "times what is wanted",
    mark=Mark.FROM_MEMORY,
    source="a third more than the middle of what a joint needs is visible",
    affects="why a joint is bad",
)
LITTLE = constant(
    "mend_little",
    0.7,
    "times what is wanted",
    mark=Mark.FROM_MEMORY,
    source="a third less than the middle of what a joint needs is visible",
    affects="why a joint is bad",
)
WICK_MM = 2.0


class MendWay(StrEnum):
    """With what a fault is mended."""

    IRON = "iron"
    AIR = "air"
    HAND = "hand"


_BY_AIR = frozenset({Verdict.SKEWED, Verdict.TOMBSTONE})
_BY_IRON = frozenset(
    {
        Verdict.BRIDGE,
        Verdict.OPEN,
        Verdict.STARVED,
        Verdict.EXCESS,
        Verdict.COLD,
        Verdict.NOT_WETTED,
    }
)


@dataclass(frozen=True, kw_only=True)
class Fault:
    """A bad joint with what is known of it: distance to the next pad (mm, None: none near), seconds
    molten in its run, how often it was molten before, mounted on hidden pads or not; of a bridge
    the `other` pin.
    """

    ref: str
    pin: str
    verdict: Verdict
    known: Known
    gap_mm: float | None = None
    liquid_s: float | None = None
    heats: int = 1
    fine: bool = False
    leadless: bool = False
    other: str = ""

    @property
    def ratio(self) -> float | None:
        """Solder there over the middle of what it wants; None where it is not known."""
        if self.known.solder_mm3 is None or self.known.least_mm3 <= 0:
            return None
        return self.known.solder_mm3 / self.middle_mm3

    @property
    def way(self) -> MendWay:
        """With what it is mended."""
        if self.verdict in _BY_AIR:
            return MendWay.AIR
        return MendWay.IRON if self.verdict in _BY_IRON else MendWay.HAND

    @property
    def middle_mm3(self) -> float:
        return 0.5 * (self.known.least_mm3 + self.known.most_mm3)


@dataclass(frozen=True, kw_only=True)
class Cause:
    """A possible cause with its figure and what to change for the next board. `weight`: the figure
    over the one at which it matters.
    """

    says: str
    figure: str
    weight: float
    prevent: str

    @property
    def where(self) -> str:
        """The leaf of the job where that is changed now: openings, dots, heat; "" for none."""
        if "opening" in self.prevent or "foil" in self.prevent:
            return "paste/openings"
        if "dot" in self.prevent:
            return "paste/hand"
        words = ("warm", "hotter", "heat", "flow", "air", "longer")
        return "heat" if any(word in self.prevent for word in words) else ""

    @property
    def press(self) -> str:
        """What one press changes for the next board: the part's openings, or how long the board is
        warmed; "" where a person has to.
        """
        if self.where == "paste/openings":
            return "openings"
        return "warm" if self.prevent.startswith("preheat the board") else ""

    @property
    def likely(self) -> bool:
        """True where a figure of this job speaks for it."""
        return bool(self.figure) and self.weight >= 1.0


@dataclass(frozen=True, kw_only=True)
class Mend:
    """What to do about a fault: steps in order, solder off (+) or on (−) in mm³, wick and wire in
    mm, seconds a touch, the longest, how often at most, when to stop.
    """

    steps: tuple[str, ...]
    off_mm3: float
    wick_mm: float
    wire_mm: float
    stop: str

    @property
    def amounts(self) -> str:
        """Solder to take off or add, in words; "" where none is."""
        if self.wick_mm > 0:
            return f"{self.off_mm3:.2g} mm³ off: {with_unit(max(self.wick_mm, 0.5), MM, 1)} of {with_unit(WICK_MM, MM)} solder wick"
        if self.wire_mm > 0:
            return f"{-self.off_mm3:.2g} mm³ on: {with_unit(max(self.wire_mm, 0.1), MM, 1)} of 0.5 mm wire"
        return ""


# Remedies as common practice has them.
_STEPS: dict[Verdict, tuple[str, ...]] = {
    Verdict.BRIDGE: (
        "flux over the bridge and both pins",
        "draw a clean tip along the pins, outwards",
        "if it stays: fresh solder wick on it, two seconds, lift both together",
    ),
    Verdict.OPEN: (
        "flux",
        "press the lead down with a pick if it stands up",
        "tip on pad and lead, a touch of wire",
        "pull gently with a pick: it must hold",
    ),
    Verdict.STARVED: ("flux", "tip on pad and lead until the old solder melts", "a touch of wire"),
    Verdict.EXCESS: (
        "flux",
        "remove the excess with solder wick",
        "tip on the pad first, then a touch of wire",
    ),
    Verdict.SKEWED: (
        "flux",
        "melt all of it at once: little air, straight down",
        "nudge it square, do not touch until dull",
    ),
    Verdict.LIFTED_PAD: REMEDIES["lifted pad"],
    Verdict.OTHER: ("inspect again from another side", "measure it before anything is heated"),
    Verdict.COLD: ("flux", "melt it once more, briefly"),
    Verdict.NOT_WETTED: (
        "scrape or polish the metal that does not wet",
        "flux",
        "tip on it, a touch of wire: solder must climb up the metal",
    ),
    Verdict.TOMBSTONE: (
        "flux on both pads",
        "hold it with tweezers",
        "melt both ends, lay it down, let one end solidify first",
    ),
    Verdict.MISSING: ("search beside it and on the tweezers", "clean its pads, a new part on"),
    Verdict.WRONG_PART: (
        "remove it: Survey has the methods",
        "fit the right part, mark it in the kit list",
    ),
    Verdict.REVERSED: (
        "remove it: Survey has the methods",
        "turn it, test it before refitting",
    ),
    Verdict.SOLDER_BALLS: ("brush them off dry", "alcohol, brush, inspect between the leads"),
    Verdict.DAMAGE: (
        "photograph it",
        "test whether it still works",
        "mask: varnish; body: a new part",
    ),
}


def steps_for(verdict: Verdict) -> tuple[str, ...]:
    """What to do about a fault, as common practice has it."""
    return _STEPS.get(verdict, _STEPS[Verdict.OTHER])


def causes(fault: Fault) -> tuple[Cause, ...]:
    """Likely causes of a fault, the likeliest by its own figures first."""
    if fault.verdict is Verdict.GOOD:
        return ()
    found = _causes(fault)
    return tuple(sorted(found, key=lambda one: -one.weight))


def _causes(fault: Fault) -> Sequence[Cause]:
    much, little, cold = _too_much(fault), _too_little(fault), _cold(fault)
    match fault.verdict:
        case Verdict.BRIDGE:
            return [much, _narrow(fault), _spent(fault)]
        case Verdict.OPEN:
            return [little, cold, _stands_off(fault), _floats(fault)]
        case Verdict.STARVED:
            return [little, cold]
        case Verdict.NOT_WETTED:
            return [cold, _dirty(), _spent(fault)]
        case Verdict.EXCESS:
            return [much, cold]
        case Verdict.COLD:
            return [_spent(fault), _often(fault)]
        case Verdict.SKEWED | Verdict.TOMBSTONE:
            return [_uneven(fault), _pushed()]
        case Verdict.LIFTED_PAD:
            return [_often(fault), _DRAGGED]
        case Verdict.SOLDER_BALLS:
            return [much, _BESIDE]
        case Verdict.MISSING:
            return [_pushed(), _NOT_PLACED]
        case Verdict.WRONG_PART | Verdict.REVERSED:
            return [_MISREAD]
        case _:
            return [_SLIPPED]


# Causes that no figure tells.
_DRAGGED = Cause(
    says="lifted or pulled before everything was molten",
    figure="",
    weight=1.0,
    prevent="wait until a nudge springs back; more flux",
)
_BESIDE = Cause(
    says="paste beside the pad, or heated too fast",
    figure="",
    weight=0.8,
    prevent="paste pad by pad; a slower start",
)
_NOT_PLACED = Cause(
    says="not placed, or stuck to the tweezers",
    figure="",
    weight=0.6,
    prevent="count the parts before the heat",
)
_MISREAD = Cause(
    says="kit mixed up, or the marking misread",
    figure="",
    weight=1.0,
    prevent="check the kit by key; check the orientation at placing",
)
_SLIPPED = Cause(
    says="heat, or a slip of a tool",
    figure="",
    weight=0.5,
    prevent="shield heat-sensitive parts; use a hand rest",
)


def _too_much(fault: Fault) -> Cause:
    ratio = fault.ratio
    known = ratio is not None and ratio > 1.0
    figure = f"{ratio:.1f} times what the joint needs" if known else ""
    return Cause(
        says="too much solder",
        figure=figure,
        weight=0.7 if ratio is None else ratio / MUCH if known else 0.2,
        prevent="a smaller aperture or fewer dots there",
    )


def _too_little(fault: Fault) -> Cause:
    if fault.known.fails:
        return Cause(
            says="the aperture kept its paste",
            figure="its area ratio fails",
            weight=2.5,
            prevent="a thinner stencil or a larger aperture there",
        )
    ratio = fault.ratio
    known = ratio is not None and ratio < 1.0
    figure = f"{ratio:.1f} times what the joint needs" if known else ""
    return Cause(
        says="too little solder",
        figure=figure,
        weight=0.7 if ratio is None else LITTLE / max(ratio, 0.1) if known else 0.2,
        prevent="a larger aperture or one dot more there",
    )


def _narrow(fault: Fault) -> Cause:
    gap = fault.gap_mm
    figure = "" if gap is None else f"gap {with_unit(gap, MM, 2)}"
    weight = 0.4 if gap is None else min(NARROW_MM / max(gap, 0.05), 2.0)
    return Cause(
        says="a narrow gap",
        figure=figure,
        weight=weight,
        prevent="narrower apertures there; drag with more flux",
    )


def _spent(fault: Fault) -> Cause:
    long = fault.liquid_s
    figure = "" if long is None else f"molten for {with_unit(long, SECONDS, 0)}"
    weight = 0.3 if long is None else min(long / LONG_LIQUID_S, 2.0)
    return Cause(
        says="spent flux", figure=figure, weight=weight, prevent="more flux; hotter and shorter"
    )


def _cold(fault: Fault) -> Cause:
    tied = fault.known.tie in ("plane", "relief")
    parts = (
        [
            {
                "plane": "its pin is connected to a plane",
                "relief": "its pin is connected to a plane by thermal relief",
            }[fault.known.tie]
        ]
        if tied
        else []
    )
    weight = {"plane": 1.2, "relief": 0.8}.get(fault.known.tie, 0.3)
    if fault.liquid_s is not None and fault.liquid_s < SHORT_LIQUID_S:
        parts.append(f"molten for {with_unit(fault.liquid_s, SECONDS, 1)} only")
        weight += 1.0
    prevent = "preheat the board; stay longer there; thermal relief on the next revision"
    return Cause(
        says="the pad was too cold", figure=", ".join(parts), weight=weight, prevent=prevent
    )


def _stands_off(fault: Fault) -> Cause:
    return Cause(
        says="the lead does not reach its pad",
        figure="fine pitch" if fault.fine else "",
        weight=0.9 if fault.fine else 0.4,
        prevent="check the part on a flat plate before placing",
    )


def _floats(fault: Fault) -> Cause:
    return Cause(
        says="the part floats on its exposed pad",
        figure="leadless with an exposed pad" if fault.leadless else "",
        weight=1.1 if fault.leadless else 0.0,
        prevent="divided aperture over the exposed pad, 50 to 65 %",
    )


def _dirty() -> Cause:
    return Cause(
        says="old or dirty metal",
        figure="",
        weight=0.8,
        prevent="make one trial joint before the build",
    )


def _often(fault: Fault) -> Cause:
    return Cause(
        says="heated too often",
        figure=f"{fault.heats} heats" if fault.heats > 1 else "",
        weight=0.4 * fault.heats,
        prevent="find it sooner: inspect after every heat",
    )


def _uneven(fault: Fault) -> Cause:
    tied = fault.known.tie != "signal"
    return Cause(
        says="its ends melted at different times",
        figure="one end on a plane" if tied else "",
        weight=1.2 if tied else 0.8,
        prevent="preheat the board; equal pads on the next revision",
    )


def _pushed() -> Cause:
    return Cause(
        says="pushed by the air",
        figure="",
        weight=0.7,
        prevent="less air, straight down, a wider nozzle",
    )


def mend(fault: Fault, alloy: Alloy) -> Mend:
    """What to do about one fault, with its amounts."""
    surplus = 0.0
    if fault.verdict in (Verdict.BRIDGE, Verdict.EXCESS):
        there = fault.known.solder_mm3 if fault.ratio is not None else None
        surplus = max((there or 0.0) - fault.middle_mm3, 0.0) if there else 0.3 * _usual(fault)
        surplus = max(surplus, 0.15 * _usual(fault))
    elif fault.verdict in (Verdict.STARVED, Verdict.OPEN, Verdict.NOT_WETTED):
        there = fault.known.solder_mm3 if fault.ratio is not None else None
        surplus = (
            -max(fault.middle_mm3 - (there or 0.0), 0.2 * _usual(fault))
            if there
            else -0.5 * _usual(fault)
        )
    stop = "no improvement after two attempts: preheat the board and redo the whole part"
    if fault.verdict is Verdict.LIFTED_PAD:
        stop = FOR_SPARES
    elif fault.heats >= MOST_HEATS:
        stop = f"it has had {fault.heats} heats: one more at most, then a new part"
    return Mend(
        steps=steps_for(fault.verdict),
        off_mm3=surplus,
        wick_mm=max(surplus, 0.0) / (WICK_TAKES * WICK_MM),
        wire_mm=wire_mm(max(-surplus, 0.0), 0.5, alloy),
        stop=stop,
    )


def _usual(fault: Fault) -> float:
    """What a joint of this size holds, mm³."""
    known = fault.known
    return fault.middle_mm3 if known.least_mm3 > 0 and known.most_mm3 < 1e6 else 0.1


def nearest_gap_mm(package: Package, pin: str, to: str = "") -> float | None:
    """Distance from a pin's pad to another one's, or to the nearest of its part, mm; None where
    there is none.
    """
    mine = next((land for land in package.lands if land.pin == pin), None)
    if mine is None or len(package.lands) < 2:
        return None
    return min(
        _apart(mine, other) for other in package.lands if other.pin != pin and to in ("", other.pin)
    )


def _apart(one: Land, other: Land) -> float:
    """Distance between two rectangles."""
    across = max(abs(one.x_mm - other.x_mm) - (one.size_x_mm + other.size_x_mm) / 2, 0.0)
    along = max(abs(one.y_mm - other.y_mm) - (one.size_y_mm + other.size_y_mm) / 2, 0.0)
    return math.hypot(across, along)
