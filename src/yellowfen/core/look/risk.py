"""Where to look: each joint's chance of being bad, from what is known of it, and the order to look
in.

Laws: chances come from the part's own odds of a mend, shared out over its joints, and are moved in
logs of odds by what is known of each (amount, gap, tie, not seen to melt, marks of the same package
before), a lead that stands over its paste being added as a chance of its own; the order begins with
the riskiest fifth, part by part and along the rows, then goes on with the rest likewise; a joint
that no eye sees is never counted as looked at.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from statistics import NormalDist

from yellowfen.core.board.board import BoardPart
from yellowfen.core.part.package import HIDDEN, JointKind, Land
from yellowfen.core.quantity.units import MM, SECONDS, with_unit
from yellowfen.core.rework.legs import coplanar_mm
from yellowfen.core.source.mark import Mark, constant

_M = Mark.FROM_MEMORY
AMOUNT_TIMES = constant(
    "risk_amount",
    7.0,
    "times the odds",
    mark=_M,
    source="surely too little or too much solder; half the odds where the amount is surely right, as they are at one in fourteen",
    affects="where to inspect",
)
BRIDGE_TIMES = constant(
    "risk_bridge",
    7.0,
    "times the odds",
    mark=_M,
    source="a gap that surely bridges (tendency well above 1), added to the amount's",
    affects="where to inspect",
)
AMOUNT_LOG_SD = constant(
    "risk_amount_spread",
    0.2,
    "log",
    mark=_M,
    source="hand prints vary by a fifth either way",
    affects="where to inspect",
)
BRIDGE_SD = constant(
    "risk_bridge_spread",
    0.15,
    "1",
    mark=_M,
    source="tendency at which gaps do bridge: 1, give or take so much",
    affects="where to inspect",
)
SURE_TIMES = 0.5
FAILS_TIMES = constant(
    "risk_opening_fails",
    8.0,
    "times the odds",
    mark=_M,
    source="most paste stays in the stencil",
    affects="where to inspect",
)
PLANE_TIMES = constant(
    "risk_plane",
    2.0,
    "times the odds",
    mark=_M,
    source="a joint on a plane melts late; with thermal relief 1.4",
    affects="where to inspect",
)
RELIEF_TIMES = 1.4
_NORMAL = NormalDist()
_LEADS = (JointKind.GULL_WING, JointKind.J_LEAD)
_SURELY_OFF = 0.95  # without any paste
UNSEEN_TIMES = constant(
    "risk_unseen_flow",
    5.0,
    "times the odds",
    mark=_M,
    source="it was not seen to melt in this run",
    affects="where to inspect",
)
LATE_TIMES = constant(
    "risk_late_flow",
    1.5,
    "times the odds",
    mark=_M,
    source="it melted later than predicted: its coldest joints may not have",
    affects="where to inspect",
)
SHORT_TIMES = constant(
    "risk_short_liquid",
    2.0,
    "times the odds",
    mark=_M,
    source="too few seconds molten to wet",
    affects="where to inspect",
)
SHORT_S = constant(
    "risk_short_liquid_s",
    4.0,
    "s",
    mark=_M,
    source="seconds from the visible melt to the end of the heat, below which joints stay unwetted",
    affects="where to inspect",
)
LONG_TIMES = constant(
    "risk_long_liquid",
    1.5,
    "times the odds",
    mark=_M,
    source="long molten: flux spent, grains coarse",
    affects="where to inspect",
)
LONG_S = constant(
    "risk_long_liquid_s",
    90.0,
    "s",
    mark=_M,
    source="profiles ask for 30 to 90 s above the melting point",
    affects="where to inspect",
)
HIDDEN_TIMES = constant(
    "risk_hidden",
    1.5,
    "times the odds",
    mark=_M,
    source="under the body nobody corrects it while it is molten",
    affects="where to inspect",
)
END_TIMES = constant(
    "risk_row_end",
    1.6,
    "times the odds",
    mark=_M,
    source="the last two pins of a dragged row take its surplus",
    affects="where to inspect",
)
PRIOR_JOINTS = constant(
    "risk_prior_joints",
    40.0,
    "joints",
    mark=_M,
    source="own marks weigh as much as the usual odds after so many joints",
    affects="where to inspect",
)
HOT_JOINTS = 0.2
COPLANAR_SIGMAS = constant(
    "risk_coplanarity_sigmas",
    3.0,
    "sd",
    mark=_M,
    source="a new part's leads keep the drawing's coplanarity as three standard deviations",
    affects="where to inspect",
)
LIFT_SD_MM = constant(
    "risk_lift_sd",
    0.02,
    "mm",
    mark=_M,
    source="a lead's height over a flat plate, read by eye or feeler",
    affects="where to inspect",
)


@dataclass(frozen=True, kw_only=True)
class Known:
    """What is known of one joint besides its part: solder on it and what it wants, mm³ (None: not
    printed), its gap's bridge tendency, whether its opening fails, its tie, whether it ends a
    dragged row; how high the paste stands that its lead is set into, mm (None: none is).
    """

    solder_mm3: float | None = None
    least_mm3: float = 0.0
    most_mm3: float = math.inf
    bridge: float = 0.0
    fails: bool = False
    tie: str = "signal"
    row_end: bool = False
    paste_mm: float | None = None


@dataclass(frozen=True, kw_only=True)
class PartFacts:
    """What is known of one part: its odds of a mend (0..1), whether it was seen to flow (None: no
    heat), seconds from its flow to heat away (None: not tapped), whether it melted later than predicted;
    how many joints of its package were marked before and how many of them bad; its worst
    lead's height over a flat plate, mm (None: not measured, a new part).
    """

    odds: float
    flowed: bool | None = None
    liquid_s: float | None = None
    late: bool = False
    marked: int = 0
    bad: int = 0
    lift_mm: float | None = None
    joints: Mapping[str, Known] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class Joint:
    """One joint to look at: its chance of being bad, why, from where it is seen ("" where it is
    not).
    """

    ref: str
    pin: str
    kind: str
    chance: float
    why: tuple[str, ...]
    seen_from: str

    @property
    def key(self) -> str:
        return f"{self.ref}.{self.pin}"

    @property
    def hidden(self) -> bool:
        """True where no eye sees it."""
        return self.seen_from == ""


def judged(part: BoardPart, facts: PartFacts) -> list[Joint]:
    """Every joint of a part with its chance."""
    lands = part.package.lands
    count = max(len(lands), 1)
    base = 1.0 - (1.0 - min(max(facts.odds, 1e-4), 0.95)) ** (1.0 / count)
    if facts.marked:
        base = (facts.bad + base * PRIOR_JOINTS) / (facts.marked + PRIOR_JOINTS)
    found = []
    for land in lands:
        known = facts.joints.get(land.pin, Known())
        times, why = _times(land, known, facts)
        off = off_paste(part, land, known.paste_mm, facts.lift_mm)
        odds = base / (1.0 - base) * times + off / (1.0 - off)
        if off > 0.01 and known.paste_mm is not None:
            high = "" if facts.lift_mm is None else f" {with_unit(facts.lift_mm, MM, 2)}"
            why.append(
                f"its lead may be bent up{high} over {with_unit(known.paste_mm, MM, 2)} of paste"
            )
        found.append(
            Joint(
                ref=part.ref,
                pin=land.pin,
                kind=str(land.kind),
                chance=odds / (1.0 + odds),
                why=tuple(why),
                seen_from=_seen_from(part, land),
            )
        )
    return found


def off_paste(part: BoardPart, land: Land, paste_mm: float | None, lift_mm: float | None) -> float:
    """The chance, 0 to below 1, that a lead ends above its paste and stays open.

    Of a part whose worst lead was measured, any of its leads may be that one; of a new part heights
    are a half normal within the drawing's coplanarity. 0 for what has no leads or no paste. Falls
    with the paste's height, rises with the lead's.
    """
    most = coplanar_mm(part.package)
    if most is None or paste_mm is None or land.kind not in _LEADS:
        return 0.0
    if lift_mm is None:
        return min(2.0 * (1.0 - _NORMAL.cdf(COPLANAR_SIGMAS * paste_mm / most)), _SURELY_OFF)
    leads = sum(one.kind in _LEADS for one in part.package.lands)
    return _NORMAL.cdf((lift_mm - paste_mm) / LIFT_SD_MM) / leads


def _times(land: Land, known: Known, facts: PartFacts) -> tuple[float, list[str]]:
    """By how much what is known multiplies the odds, and in what words."""
    why: list[str] = []
    times = 1.0
    if known.fails:
        times, why = times * FAILS_TIMES, [*why, "its aperture keeps the paste"]
    elif known.solder_mm3 is not None:
        lean, fat = _outside(known)
        bridges = _NORMAL.cdf((known.bridge - 1.0) / BRIDGE_SD) if known.bridge > 0 else 0.0
        times *= SURE_TIMES + AMOUNT_TIMES * (lean + fat) + BRIDGE_TIMES * bridges
        if max(lean, fat) > 0.2:
            amount = known.solder_mm3 / (known.least_mm3 if lean > fat else known.most_mm3)
            said = "of the least it needs" if lean > fat else "of the most it needs"
            why.append(f"solder {amount:.1f} {said}")
        if bridges > 0.1:
            why.append(f"solder fills {known.bridge:.1f} of what would bridge its gap")
    if known.tie == "plane":
        times, why = times * PLANE_TIMES, [*why, "on a plane, it melts late"]
    elif known.tie == "relief":
        times, why = times * RELIEF_TIMES, [*why, "on a plane by thermal relief"]
    if facts.flowed is False:
        times, why = times * UNSEEN_TIMES, [*why, "not seen to melt"]
    if facts.late:
        times, why = times * LATE_TIMES, [*why, "it melted later than predicted"]
    if facts.liquid_s is not None and facts.liquid_s < SHORT_S:
        times, why = (
            times * SHORT_TIMES,
            [*why, f"only {with_unit(facts.liquid_s, SECONDS, 0)} molten"],
        )
    if facts.liquid_s is not None and facts.liquid_s > LONG_S:
        times, why = times * LONG_TIMES, [*why, f"{with_unit(facts.liquid_s, SECONDS, 0)} molten"]
    if land.kind in HIDDEN:
        times, why = times * HIDDEN_TIMES, [*why, "under the body"]
    if known.row_end:
        times, why = times * END_TIMES, [*why, "end of a dragged row"]
    if facts.bad:
        why.append(f"{facts.bad} of {facts.marked} joints of this package were bad before")
    return times, why


def _outside(known: Known) -> tuple[float, float]:
    """Chances that a joint gets less than the least, and more than the most it wants."""
    assert known.solder_mm3 is not None
    amount = math.log(max(known.solder_mm3, 1e-9))
    lean = _NORMAL.cdf((math.log(max(known.least_mm3, 1e-9)) - amount) / AMOUNT_LOG_SD)
    most = math.log(known.most_mm3) if math.isfinite(known.most_mm3) else math.inf
    return lean, 1.0 - _NORMAL.cdf((most - amount) / AMOUNT_LOG_SD)


_EDGES = (
    "right",
    "upper right corner",
    "upper edge",
    "upper left corner",
    "left",
    "lower left corner",
    "lower edge",
    "lower right corner",
)


def _outward_deg(land: Land) -> float:
    """Which way a land's joint looks out of the package, degrees from its x axis: the way that the
    land is long, as all of its row; of a square one the way it lies off the middle.
    """
    square = math.isclose(land.size_x_mm, land.size_y_mm, rel_tol=0.05)
    along_x = (
        abs(land.x_mm) >= abs(land.y_mm)
        if square or land.kind is JointKind.CHIP
        else land.size_x_mm > land.size_y_mm
    )
    if along_x and (land.x_mm or not land.y_mm):
        return 0.0 if land.x_mm >= 0 else 180.0
    return 90.0 if land.y_mm >= 0 else 270.0


def _seen_from(part: BoardPart, land: Land) -> str:
    """From which edge of the board as it lies with the part's own side up, and how; "" where it is
    not seen.
    """
    if land.kind in HIDDEN:
        return ""
    side = _EDGES[round((_outward_deg(land) + part.rotation_deg) / 45.0) % 8]
    if land.kind is JointKind.LEADLESS:
        return f"from the {side}, edge-on: the toe only"
    if land.kind is JointKind.J_LEAD:
        return f"from the {side}, low: the heel"
    if land.kind is JointKind.CHIP:
        return f"from the {side}, light from the other side"
    return f"from the {side}, along the row, the board tilted in low light"


def in_order(joints: Sequence[Joint], places: Mapping[str, tuple[float, float]]) -> list[Joint]:
    """The order to look in: first the riskiest fifth of the joints, part by part, the riskiest part
    first; then the rest likewise. Within a part along its rows.
    """
    ranked = sorted(joints, key=lambda one: (-one.chance, one.key))
    hot = ranked[: max(math.ceil(HOT_JOINTS * len(ranked)), 1)]
    first = {one.key for one in hot}
    rest = [one for one in ranked if one.key not in first]
    return [*_by_part(hot, places), *_by_part(rest, places)]


def _by_part(joints: Sequence[Joint], places: Mapping[str, tuple[float, float]]) -> list[Joint]:
    """Part by part by its riskiest joint; within a part by side, then along it in one direction."""
    parts: dict[str, list[Joint]] = {}
    for one in joints:
        parts.setdefault(one.ref, []).append(one)
    groups = sorted(
        parts.values(), key=lambda group: (-max(one.chance for one in group), group[0].ref)
    )
    return [
        one
        for group in groups
        for one in sorted(
            group,
            key=lambda joint: (joint.seen_from, *places.get(joint.key, (0.0, 0.0)), joint.pin),
        )
    ]


def left_to_expect(joints: Sequence[Joint], looked: Mapping[str, str]) -> float:
    """How many bad joints are likely among those not looked at, hidden ones always counted until a
    test or a mark says otherwise.
    """
    return math.fsum(one.chance for one in joints if one.key not in looked)
