"""Pads after a part is off: what is left on each, what the refit wants there, wick and wire,
seconds a pad, the longest dwell, the order; and what removal alloy or bismuth demands.

Laws: solder left is never more than a liquid cap holds on the pad; what is taken off and what stays
add up to what was there; wick is that volume over what a millimetre of it takes up.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from yellowfen.core.board.board import Pad
from yellowfen.core.deposit.by_hand import wire_mm
from yellowfen.core.deposit.fillet import wanted
from yellowfen.core.heat.drive import tip_conductance_w_k
from yellowfen.core.heat.grid import COPPER_CP, COPPER_DENSITY
from yellowfen.core.heat.source import Iron
from yellowfen.core.metal.alloy import Alloy
from yellowfen.core.part.package import JointKind, Land, Package
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.stored_word import StoredWord
from yellowfen.core.rework.ways_off import OffWay
from yellowfen.core.source.mark import Mark, constant
from yellowfen.core.work.iron_rows import tie_of
from yellowfen.errors import InvalidValue

_M = Mark.FROM_MEMORY
WICK_LEAST_S = constant(
    "wick_least",
    2.0,
    "s",
    mark=Mark.COMMON_PRACTICE,
    source="a row of four pads is wicked in 8 to 20 s, fresh end laid on and drawn along",
    affects="least seconds given for wicking a pad",
)
TOUCH_LEAST_S = constant(
    "touch_least",
    1.0,
    "s",
    mark=Mark.COMMON_PRACTICE,
    source="nothing that a hand does at a joint takes under about a second",
    affects="least seconds given for a pad that is levelled or given solder",
)
WICK_TAKES = constant(
    "wick_takes",
    0.22,
    "mm³ per mm length and mm width",
    mark=Mark.COMMON_PRACTICE,
    source="braid some 0.45 mm thick, half of it holes that fill; yours to change",
    affects="wick for the pads",
)
WICK_COPPER_SHARE = constant(
    "wick_copper",
    0.5,
    "1",
    mark=_M,
    source="copper's share of a braid's section",
    affects="wick's own heat",
)
WICK_THICK_MM = constant(
    "wick_thickness", 0.45, "mm", mark=_M, source="flat braid", affects="wick's own heat"
)
WICK_HOT_MM = constant(
    "wick_hot_length",
    8.0,
    "mm",
    mark=_M,
    source="what of a braid gets hot beside the tip",
    affects="wick's own heat",
)
END_MM = constant(
    "wick_end",
    5.0,
    "mm",
    mark=Mark.COMMON_PRACTICE,
    source="a fresh end each time: so much of it is used, then cut off",
    affects="how often wick is cut",
)
WICKED_MM = constant(
    "wicked_film",
    0.02,
    "mm",
    mark=_M,
    source="capillary rest on a wicked pad: some microns to a few tens",
    affects="what is left on a bare pad",
)
LEVEL_MM = constant(
    "levelled_solder",
    0.05,
    "mm",
    mark=_M,
    source="old solder drawn level with a clean tip",
    affects="what is left on a level pad",
)
LEFT_SPREAD = constant(
    "left_spread",
    0.5,
    "1",
    mark=_M,
    source="what stays on the pad and what goes with the lead differs by half either way",
    affects="how sure the amount on a pad is",
)
CAP_DEG = constant(
    "cap_angle",
    60.0,
    "°",
    mark=_M,
    source="solder that stands on a wetted pad, at most",
    affects="most solder that a pad holds",
)
PAD_HOLDS_S = constant(
    "pad_longest",
    5.0,
    "s",
    mark=_M,
    source="at 380 °C glue under a small pad begins to let go; a third less for each 20 K more",
    affects="longest dwell on a pad",
)
PAD_HOLDS_C, PAD_HOLDS_PER_K = 380.0, math.log(1.5) / 20.0
SLOW_S = 2.0


class Want(StoredWord):
    """What the refit wants on the pads."""

    BARE = "bare"
    LEVEL = "level"
    BUMPS = "bumps"


# Share of the old joint that stays on the pad, by how the part came off [from memory]; a flooded
# row leaves a bead besides.
_STAYS: dict[OffWay, float] = {
    OffWay.AIR: 0.6,
    OffWay.RECTANGLE: 0.6,
    OffWay.JETS: 0.6,
    OffWay.PLATE: 0.55,
    OffWay.TWO_IRONS: 2.0,
    OffWay.TO_AND_FRO: 1.2,
    OffWay.REMOVAL: 2.5,
    OffWay.CUT: 1.0,
    OffWay.PIN_BY_PIN: 0.5,
}


@dataclass(frozen=True, kw_only=True)
class PadWork:
    """One pad: solder left with its spread, wanted, to take off (negative: to add), mm³; wick and
    wire, mm; seconds under the tip through the wick (None: not within a touch), the longest dwell,
    how it is tied.
    """

    pin: str
    tie: str
    left_mm3: float
    left_low_mm3: float
    left_high_mm3: float
    wanted_mm3: float
    wick_mm: float
    wire_mm: float
    seconds: float | None
    longest_s: float
    says: str

    @property
    def off_mm3(self) -> float:
        """Solder to take off; below 0 to add."""
        return self.left_mm3 - self.wanted_mm3


@dataclass(frozen=True, kw_only=True)
class PadsPlan:
    """All pads of a part, in the order of the work. `ends`: how often fresh wick is cut; `must`:
    what has to be done before anything goes back.
    """

    ref: str
    off: OffWay
    want: Want
    pads: tuple[PadWork, ...]
    wick_width_mm: float
    must: tuple[str, ...]

    @property
    def wick_mm(self) -> float:
        return math.fsum(pad.wick_mm for pad in self.pads)

    @property
    def wire_mm(self) -> float:
        return math.fsum(pad.wire_mm for pad in self.pads)

    @property
    def ends(self) -> int:
        """Fresh ends of wick."""
        return math.ceil(self.wick_mm / END_MM - 1e-9)

    @property
    def seconds(self) -> float:
        """Seconds under the tip in all, what never comes counted as its longest dwell."""
        return math.fsum(
            pad.longest_s if pad.seconds is None else pad.seconds
            for pad in self.pads
            if pad.wick_mm or pad.wire_mm
        )


def cap_mm3(area_mm2: float, width_mm: float, angle_deg: float = CAP_DEG) -> float:
    """Most solder that stands on a pad: a cylinder's cap across its width that meets it at an
    angle (0 to 90°).
    """
    half = math.radians(in_range("angle_deg", angle_deg, 1, 90, "°"))
    section = (width_mm / (2 * math.sin(half))) ** 2 * (half - math.sin(half) * math.cos(half))
    return section * area_mm2 / width_mm


def left_mm3(
    package: Package,
    land: Land,
    off: OffWay,
    bead_mm3: float = 0.0,
    printed_mm3: float | None = None,
) -> float:
    """Solder on a pad after a part came off, never more than its cap. `printed_mm3`: the solder that
    was printed on it; without it the middle of what the joint wants.
    """
    want = wanted(package, land)
    old = 0.5 * (want.least_mm3 + want.most_mm3) if printed_mm3 is None else printed_mm3
    return min(_STAYS[off] * old + bead_mm3, _holds(land))


def _holds(land: Land) -> float:
    """Most solder that stands on a land, mm³."""
    return cap_mm3(land.area_mm2, min(land.size_x_mm, land.size_y_mm))


def wanted_mm3(package: Package, land: Land, want: Want) -> float:
    """Solder that the refit wants on a pad."""
    if want is Want.BARE:
        return WICKED_MM * land.area_mm2
    if want is Want.LEVEL or land.kind is JointKind.THERMAL_PAD:
        return LEVEL_MM * land.area_mm2
    ask = wanted(package, land)
    return 0.5 * (ask.least_mm3 + ask.most_mm3)


def longest_dwell_s(set_c: float) -> float:
    """How long a tip may rest on a pad before it may lift [from memory]."""
    return PAD_HOLDS_S * math.exp(-PAD_HOLDS_PER_K * (set_c - PAD_HOLDS_C))


def wick_heat_j_k(width_mm: float) -> float:
    """Heat that the hot end of a braid takes, J/K."""
    volume = width_mm * WICK_THICK_MM * WICK_HOT_MM * WICK_COPPER_SHARE * 1e-9
    return volume * COPPER_DENSITY * COPPER_CP


def wick_delay_s(iron: Iron, land: Land, width_mm: float, liquidus_c: float) -> float:
    """How much later a pad melts because the braid is heated first: its heat over what the tip
    passes, as both approach the tip (a lumped body; infinite where the tip is no hotter).
    """
    if iron.set_c <= liquidus_c:
        return math.inf
    wide = Land(
        pin="",
        x_mm=0,
        y_mm=0,
        size_x_mm=max(width_mm, land.size_x_mm),
        size_y_mm=max(width_mm, land.size_y_mm),
        kind=land.kind,
    )
    passes = tip_conductance_w_k(iron, wide)
    rise = (liquidus_c - 25.0) / (iron.set_c - 25.0)
    return -wick_heat_j_k(width_mm) / passes * math.log(1.0 - rise)


def by_hand_s(wicked: bool, longest_s: float) -> float:
    """Least seconds of a hand at one pad, never above the longest dwell that the pad bears."""
    return min(WICK_LEAST_S if wicked else TOUCH_LEAST_S, longest_s)


Touches = Callable[[str], float | None]


def pads_plan(
    ref: str,
    package: Package,
    pads: Sequence[Pad],
    off: OffWay,
    want: Want,
    *,
    alloy: Alloy,
    iron: Iron,
    touches_s: Touches,
    wick_width_mm: float = 2.0,
    wick_takes: float = WICK_TAKES,
    beads_mm3: float = 0.0,
    printed_mm3: Mapping[str, float] | None = None,
) -> PadsPlan:
    """The work at the pads of a part. `touches_s(tie)`: seconds until a pad of that tie melts under
    the iron (None: not within a touch); `beads_mm3`: solder of a flooded row left on each pad;
    `printed_mm3`: solder printed by pin, where that is known.

    Seconds are never told below what a hand needs at a pad.

    Raises InvalidValue for a part without pads, wick of no width.
    """
    in_range("wick_width_mm", wick_width_mm, 0.5, 6, "mm")
    in_range("wick_takes", wick_takes, 0.01, 2)
    if not package.lands:
        raise InvalidValue("of", f"{ref} has no pads")
    drawn = {pad.pin: pad for pad in pads if pad.ref == ref}
    work = []
    for land in package.lands:
        left = left_mm3(package, land, off, beads_mm3, (printed_mm3 or {}).get(land.pin))
        keep = wanted_mm3(package, land, want)
        tie = tie_of(drawn.get(land.pin))
        takes = max(left - keep, 0.0) / (wick_takes * wick_width_mm)
        adds = wire_mm(max(keep - left, 0.0), 0.5, alloy)
        touch = touches_s(tie)
        delay = wick_delay_s(iron, land, wick_width_mm, alloy.liquidus_c) if takes else 0.0
        seconds = None if touch is None else touch + delay
        longest = longest_dwell_s(iron.set_c)
        work.append(
            PadWork(
                pin=land.pin,
                tie=tie,
                left_mm3=left,
                left_low_mm3=left * (1 - LEFT_SPREAD),
                left_high_mm3=min(left * (1 + LEFT_SPREAD), _holds(land)),
                wanted_mm3=keep,
                wick_mm=takes,
                wire_mm=adds,
                seconds=None if seconds is None else max(seconds, by_hand_s(takes > 0, longest)),
                longest_s=longest,
                says=_says(land, tie, seconds, longest, takes > 0.0),
            )
        )
    order = {"signal": 0, "relief": 1, "plane": 2}
    return PadsPlan(
        ref=ref,
        off=off,
        want=want,
        pads=tuple(sorted(work, key=lambda pad: order[pad.tie])),
        wick_width_mm=wick_width_mm,
        must=_must(off, alloy),
    )


def _says(land: Land, tie: str, seconds: float | None, longest: float, wicked: bool) -> str:
    """What to mind at one pad."""
    if seconds is None or seconds > longest:
        return "preheat the board and use the widest tip: the tip alone would stay longer than the pad survives"
    if seconds > SLOW_S:
        return "add fresh solder first: it carries the heat"
    if land.kind is JointKind.THERMAL_PAD and wicked:
        return "in strips, from the middle outwards"
    return "" if tie == "signal" else "on a plane: do it last"


def _must(off: OffWay, alloy: Alloy) -> tuple[str, ...]:
    """What has to be done whatever the refit wants."""
    found = []
    if off is OffWay.REMOVAL:
        found.append(
            "Removal alloy: wick twice with fresh flux, wash, check for dull patches. All of it must be removed."
        )
    if "Bi" in alloy.name and off is not OffWay.REMOVAL:
        found.append("Bismuth solder: none of it may stay under leaded paste.")
    return tuple(found)
