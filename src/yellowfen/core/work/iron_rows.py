"""Rows of leads by iron: wire, loads of the tip where none is fed, how fast to draw, how much flux.

Laws: solder of a row is the sum of its joints, no more; fed as one goes it is wire of that volume,
on a dry tip as many equal loads as it can carry.
"""

import math
import re
from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from yellowfen.core.board.board import Pad
from yellowfen.core.deposit.by_hand import wire_mm
from yellowfen.core.deposit.fillet import wanted
from yellowfen.core.metal.alloy import Alloy
from yellowfen.core.part.package import JointKind, Land, Package, tip_reaches
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.source.mark import Mark, constant

TIP_LOAD_MM3 = constant(
    "tip_load",
    1.2,
    "mm³",
    mark=Mark.FROM_MEMORY,
    source="what a 2 mm bevel carries without dripping",
    affects="loads for a row",
)
BEAD_MM = constant(
    "flux_bead",
    1.0,
    "mm",
    mark=Mark.COMMON_PRACTICE,
    source="a bead of about a millimetre along the row",
    affects="flux for a row",
)
MOST_MM_S = constant(
    "drag_fastest",
    6.0,
    "mm/s",
    mark=Mark.FROM_MEMORY,
    source="faster than this solder is torn off in strings",
    affects="drag speed",
)

SAME_ROW_MM = 0.4
# Seconds until a joint is wet under a 1.6 mm tip at 340 °C, Sn-Pb: a 0.65 mm pitch lead in the
# thermal model, two layers of 35 µm.
USUAL_NEED_S = {"signal": 0.3, "relief": 0.8, "plane": 1.4}
USUAL_EXCESS_K = 340.0 - 183.0


def usual_need_s(iron_c: float, liquidus_c: float) -> dict[str, float]:
    """Usual seconds by tie at another setting and alloy: in inverse proportion to the kelvins above
    the melting point (the wetting's own law).
    """
    share = USUAL_EXCESS_K / max(iron_c - liquidus_c, 20.0)
    return {tie: seconds * share for tie, seconds in USUAL_NEED_S.items()}


def tie_of(pad: Pad | None) -> str:
    """How a pad is tied, as the seconds are listed."""
    return (
        "plane"
        if pad and pad.tie in ("solid", "via")
        else "relief"
        if pad and pad.tie == "relief"
        else "signal"
    )


@dataclass(frozen=True, kw_only=True)
class IronRow:
    """One row, from its first pin to its last. Volumes in mm³, lengths in mm, seconds by joint."""

    pins: tuple[str, ...]
    pitch_mm: float
    length_mm: float
    joints_mm3: float
    wire_mm: float
    loads: int
    load_wire_mm: float
    flux_mm3: float
    seconds: tuple[float, ...]
    slow_pins: tuple[str, ...]

    @property
    def row_s(self) -> float:
        """Seconds for the row."""
        return math.fsum(self.seconds)

    @property
    def speed_mm_s(self) -> float:
        """How fast to draw over signal pins."""
        usual = min(self.seconds)
        return min(MOST_MM_S, self.pitch_mm / usual) if usual > 0 else MOST_MM_S

    @property
    def end(self) -> str:
        """What to do about solder on the way and at the end of the row."""
        loads = "one load" if self.loads == 1 else f"{self.loads} loads"
        return (
            f"feed the wire evenly along the row; without feeding, {loads} of {with_unit(self.load_wire_mm, MM, 1)} each."
            " Remove the surplus at the last two pins with a clean tip"
        )


LEADS = frozenset((JointKind.GULL_WING, JointKind.J_LEAD))


ANCHOR = re.compile(r"(?:H|MH|MP|SH|S)\d*")  # shell tabs and hold-downs, by the names pins have


def rows_of(
    package: Package, kinds: frozenset[JointKind] = LEADS, *, anchors: bool = False
) -> list[list[Land]]:
    """The rows of leads (or other `kinds` of joints) of a package, each in order along the row. Shell
    tabs are no leads of a row, but where `anchors` are asked for.

    A bared track may move a pad's middle a little out of its row.
    """
    leads = [
        land
        for land in package.lands
        if land.kind in kinds and (anchors or not ANCHOR.fullmatch(land.pin))
    ]
    sideways = [land for land in leads if land.size_x_mm > land.size_y_mm]
    upright = [land for land in leads if land.size_x_mm <= land.size_y_mm]
    rows = [*_lines(sideways, lambda land: land.x_mm), *_lines(upright, lambda land: land.y_mm)]
    along = [
        sorted(row, key=lambda land: land.y_mm if land.size_x_mm > land.size_y_mm else land.x_mm)
        for row in rows
    ]
    return [row for row in along if len(row) >= 2]


def _lines(lands: list[Land], across: Callable[[Land], float]) -> list[list[Land]]:
    """Lands whose places across the row differ by little, row by row."""
    rows: list[list[Land]] = []
    for land in sorted(lands, key=across):
        if rows and across(land) - across(rows[-1][-1]) <= SAME_ROW_MM:
            rows[-1].append(land)
        else:
            rows.append([land])
    return rows


def row_plans(
    package: Package,
    pads: Mapping[str, Pad],
    alloy: Alloy,
    need_s: Mapping[str, float],
    wire_diameter_mm: float = 0.5,
) -> tuple[IronRow, ...]:
    """Every row of a part.

    `need_s`: seconds a joint needs under the tip until it is wet, by its tie ("signal", "relief",
    "plane").
    """
    in_range("wire_diameter_mm", wire_diameter_mm, 0.1, 3, "mm")
    return tuple(
        _row(package, row, pads, alloy=alloy, need_s=need_s, wire=wire_diameter_mm)
        for row in rows_of(package)
    )


def joint_plans(
    package: Package, pads: Mapping[str, Pad], alloy: Alloy, need_s: Mapping[str, float]
) -> tuple[IronRow, ...]:
    """The joints that a tip reaches, one by one: the largest land first, so that the tab of a power
    part is hot before its leads, then as the pins are numbered.
    """
    lands = sorted(
        (land for land in package.lands if tip_reaches(package, land)),
        key=lambda land: -round(land.size_x_mm * land.size_y_mm, 2),
    )
    return tuple(
        _row(package, [land], pads, alloy=alloy, need_s=need_s, wire=0.5) for land in lands
    )


def _row(
    package: Package,
    row: list[Land],
    pads: Mapping[str, Pad],
    alloy: Alloy,
    need_s: Mapping[str, float],
    wire: float,
) -> IronRow:
    each = [
        0.5 * (want.least_mm3 + want.most_mm3) for want in (wanted(package, land) for land in row)
    ]
    volume = math.fsum(each)
    length = math.dist((row[0].x_mm, row[0].y_mm), (row[-1].x_mm, row[-1].y_mm)) + min(
        row[0].size_x_mm, row[0].size_y_mm
    )
    loads = max(1, math.ceil(volume / TIP_LOAD_MM3 - 1e-9))
    ties = [tie_of(pads.get(land.pin)) for land in row]
    return IronRow(
        pins=tuple(land.pin for land in row),
        pitch_mm=package.pitch_mm,
        length_mm=length,
        joints_mm3=volume,
        wire_mm=wire_mm(volume, wire, alloy),
        loads=loads,
        load_wire_mm=wire_mm(volume / loads, wire, alloy),
        flux_mm3=math.pi / 8 * BEAD_MM**2 * length,
        seconds=tuple(need_s[tie] for tie in ties),
        slow_pins=tuple(land.pin for land, tie in zip(row, ties, strict=True) if tie != "signal"),
    )


@dataclass(frozen=True)
class JointWire:
    """Wire for one joint of a kind, mm."""

    kind: str
    count: int
    joint_mm3: float
    wire_mm: float


def wire_by_kind(
    package: Package, alloy: Alloy, wire_diameter_mm: float = 0.5
) -> tuple[JointWire, ...]:
    """Wire for each kind of joint of a part (gull-wing, J, chip, tab …)."""
    kinds: dict[str, list[float]] = defaultdict(list)
    for land in package.lands:
        want = wanted(package, land)
        kinds[str(land.kind)].append(0.5 * (want.least_mm3 + want.most_mm3))
    return tuple(
        JointWire(
            kind,
            len(found),
            math.fsum(found) / len(found),
            wire_mm(math.fsum(found) / len(found), wire_diameter_mm, alloy),
        )
        for kind, found in kinds.items()
    )
