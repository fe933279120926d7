"""Every part judged before the work: what about it will hurt, why, and in what order to mind it.

Laws: each flag says its reason in one sentence and carries its mark; the order is by the sum of the
flags' weights (from memory: a fine pitch or a hidden joint 3, a part that dies of heat 3, lack of
room 2, a reminder 1 or less).
"""

import math
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum

from yellowfen.core.board.board import Board, BoardPart, Pad
from yellowfen.core.board.bridges import harmless_bridges
from yellowfen.core.part.direction import direction_of
from yellowfen.core.part.hanging import HANGS_G_IN2, falls, load_g_in2
from yellowfen.core.part.moisture import floor_life_of
from yellowfen.core.part.package import JointKind, Package
from yellowfen.core.quantity.units import CELSIUS, GRAMS, MM, with_unit
from yellowfen.core.source.mark import Mark, constant

FINE_MM = constant(
    "fine_pitch",
    0.5,
    "mm",
    mark=Mark.COMMON_PRACTICE,
    source="hand-applied paste bridges at 0.5 mm pitch and below",
    affects="triage: fine pitch",
)
NARROW_MM = constant(
    "narrow_pitch",
    0.8,
    "mm",
    mark=Mark.COMMON_PRACTICE,
    source="a line of paste across the row is acceptable down to about 0.8 mm",
    affects="triage: narrow pitch",
)
TWEEZERS_MM = constant(
    "tweezer_room",
    0.8,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="thickness of one tweezer tip with its wobble",
    affects="triage: room for tweezers",
)
IRON_MM = constant(
    "iron_room",
    2.0,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="a 1.2 mm chisel at 45 degrees",
    affects="triage: room for the iron",
)
JET_MM = constant(
    "jet_reach",
    6.0,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="spill beside a 6 mm nozzle, twice its radius",
    affects="triage: what the air reaches",
)
HEAVY_MG = constant(
    "heavy_part",
    300.0,
    "mg",
    mark=Mark.FROM_MEMORY,
    source="bodies above this lag behind and drift",
    affects="triage: heavy parts",
)
# Lead pitches of the package families (published: family drawings, handbook table).
_USUAL_MM = (0.3, 0.35, 0.4, 0.5, 0.635, 0.65, 0.8, 0.95, 1.0, 1.27, 1.5, 2.0, 2.286, 2.54)


class FlagKind(StrEnum):
    """What a flag is about; also the filters of the table."""

    PITCH = "pitch"
    SIZE = "size"
    HIDDEN = "hidden joints"
    HEAT_SHY = "heat-sensitive"
    MOISTURE = "moisture"
    DIRECTION = "direction"
    PLANE = "plane"
    WEIGHT = "weight"
    ROOM = "room"
    SECOND_SIDE = "second side"
    UNSURE = "unsure"


@dataclass(frozen=True, kw_only=True)
class Flag:
    """One thing to mind: a short word, the reason in a sentence, its weight, and how well it is
    known.
    """

    kind: FlagKind
    word: str
    sentence: str
    weight: float
    mark: Mark = Mark.COMMON_PRACTICE


@dataclass(frozen=True, kw_only=True)
class Triaged:
    """A part with its flags, heaviest first.

    `pitch_mm` is None below three pads; `nearest_mm` None when alone.
    """

    part: BoardPart
    flags: tuple[Flag, ...]
    mass_mg: float
    pitch_mm: float | None
    nearest: str
    nearest_mm: float | None

    @property
    def weight(self) -> float:
        return sum(flag.weight for flag in self.flags)

    @property
    def grade(self) -> str:
        """easy, mind or hard: by the heaviest flag and the sum."""
        worst = max((flag.weight for flag in self.flags), default=0.0)
        return (
            "hard"
            if worst >= 3 or self.weight >= 6
            else "mind"
            if worst >= 1.5 or self.weight >= 2.5
            else "easy"
        )


@dataclass(frozen=True, kw_only=True)
class Box:
    """A part's box on the board: body and lands, axis-aligned, mm."""

    ref: str
    x0: float
    y0: float
    x1: float
    y1: float

    def gap_mm(self, other: "Box") -> float:
        """Clear distance between two boxes, 0 when they overlap."""
        return math.hypot(
            max(other.x0 - self.x1, self.x0 - other.x1, 0.0),
            max(other.y0 - self.y1, self.y0 - other.y1, 0.0),
        )


def box_of(part: BoardPart) -> Box:
    """The box round a part's body and lands."""
    angle = math.radians(part.rotation_deg)
    cos, sin = math.cos(angle), math.sin(angle)
    flip = 1.0 if part.side == "top" else -1.0
    half_x, half_y = part.package.body_x_mm / 2, part.package.body_y_mm / 2
    corners = [(sx * half_x, sy * half_y) for sx in (-1, 1) for sy in (-1, 1)]
    corners += [
        (land.x_mm + sx * land.size_x_mm / 2, land.y_mm + sy * land.size_y_mm / 2)
        for land in part.package.lands
        for sx in (-1, 1)
        for sy in (-1, 1)
    ]
    xs = [part.x_mm + flip * (x * cos - y * sin) for x, y in corners]
    ys = [part.y_mm + x * sin + y * cos for x, y in corners]
    return Box(ref=part.ref, x0=min(xs), y0=min(ys), x1=max(xs), y1=max(ys))


class Surroundings:
    """Boxes of a side's parts, hashed by place."""

    _CELL_MM = 12.0

    def __init__(self, board: Board) -> None:
        self.parts = {part.ref: part for part in board.parts}
        self.boxes = {part.ref: box_of(part) for part in board.parts}
        self.cells: dict[tuple[str, int, int], list[str]] = defaultdict(list)
        for part in board.parts:
            for cell in self._cells(part.side, self.boxes[part.ref], 0.0):
                self.cells[cell].append(part.ref)

    def _cells(self, side: str, box: Box, reach: float) -> Iterator[tuple[str, int, int]]:
        for cx in range(
            int((box.x0 - reach) // self._CELL_MM), int((box.x1 + reach) // self._CELL_MM) + 1
        ):
            for cy in range(
                int((box.y0 - reach) // self._CELL_MM), int((box.y1 + reach) // self._CELL_MM) + 1
            ):
                yield side, cx, cy

    def near(self, part: BoardPart, reach_mm: float) -> list[tuple[float, BoardPart]]:
        """Other parts of the same side within reach, nearest first."""
        own = self.boxes[part.ref]
        refs = {
            ref
            for cell in self._cells(part.side, own, reach_mm)
            for ref in self.cells.get(cell, ())
        } - {part.ref}
        found = [(own.gap_mm(self.boxes[ref]), self.parts[ref]) for ref in refs]
        return sorted(
            (one for one in found if one[0] <= reach_mm), key=lambda one: (one[0], one[1].ref)
        )


def triage(board: Board) -> tuple[Triaged, ...]:
    """All parts, what will hurt most first."""
    around = Surroundings(board)
    pads: dict[str, dict[str, Pad]] = defaultdict(dict)
    for pad in board.pads:
        if pad.ref:
            pads[pad.ref][pad.pin or ""] = pad
    second = _second_side(board)
    judged = [_judge(part, pads[part.ref], around, second) for part in board.parts]
    return tuple(sorted(judged, key=lambda one: (-one.weight, one.part.ref)))


def _second_side(board: Board) -> str:
    """The side with fewer parts, when both carry some; it is built first and then hangs beneath."""
    counts = {side: sum(part.side == side for part in board.parts) for side in ("top", "bottom")}
    return (
        "" if not all(counts.values()) else "bottom" if counts["bottom"] <= counts["top"] else "top"
    )


def _judge(part: BoardPart, pads: dict[str, Pad], around: Surroundings, second: str) -> Triaged:
    near = around.near(part, JET_MM)
    flags = [
        *_geometry(part, pads),
        *_heat(part, near),
        *_handling(part),
        *_planes(pads),
        *_room(part, near, around),
        *_weight(part, pads, second),
    ]
    if part.package.guessed or not part.joined:
        flags.append(
            Flag(
                kind=FlagKind.UNSURE,
                word="guessed",
                sentence=f"{part.note or 'body guessed'}: answer three questions about it, or name its package",
                weight=1.0,
            )
        )
    flags.sort(key=lambda flag: -flag.weight)
    pitch = _usual(part.package.pitch_mm) if len(part.package.lands) > 2 else None
    nearest = near[0] if near else None
    return Triaged(
        part=part,
        flags=tuple(flags),
        mass_mg=part.package.mass_mg,
        pitch_mm=pitch,
        nearest=nearest[1].ref if nearest else "",
        nearest_mm=round(nearest[0], 2) if nearest else None,
    )


def _usual(pitch_mm: float) -> float:
    """A measured pitch as the family's own, where it is one of the usual ones to within the
    drawing's rounding.
    """
    nearest = min(_USUAL_MM, key=lambda usual: abs(pitch_mm - usual))
    return nearest if abs(pitch_mm - nearest) <= 0.015 else round(pitch_mm, 2)


def _geometry(part: BoardPart, pads: dict[str, Pad]) -> Iterator[Flag]:
    package = part.package
    pitch = _usual(package.pitch_mm)
    if len(package.lands) > 2 and pitch <= NARROW_MM:
        harmless = harmless_bridges(part, pads)
        tail = (
            f"; pins {', '.join(f'{a}-{b}' for a, b in harmless[:6])} share a net, so a bridge there is harmless"
            if harmless
            else ""
        )
        if pitch <= FINE_MM:
            yield Flag(
                kind=FlagKind.PITCH,
                word=f"{with_unit(pitch, MM)} pitch",
                sentence=f"{with_unit(pitch, MM)} between pins: paste put on by hand bridges here{tail}",
                weight=3.0,
            )
        else:
            yield Flag(
                kind=FlagKind.PITCH,
                word=f"{with_unit(pitch, MM)} pitch",
                sentence=f"{with_unit(pitch, MM)} between pins: one dot per pad, no line across the row{tail}",
                weight=1.5,
            )
    if (
        len(package.lands) == 2
        and package.family in ("chip", "chip LED")
        and package.body_x_mm < 1.3
    ):
        weight = 2.0 if package.body_x_mm < 0.8 else 1.0
        yield Flag(
            kind=FlagKind.SIZE,
            word="tiny",
            sentence=f"{package.body_x_mm:g} x {with_unit(package.body_y_mm, MM)}: magnifier, low air, and it tombstones when its two pads melt at different times",
            weight=weight,
        )
    yield from _hidden(package)


def _hidden(package: Package) -> Iterator[Flag]:
    if any(land.kind is JointKind.BALL for land in package.lands):
        yield Flag(
            kind=FlagKind.HIDDEN,
            word="balls",
            sentence="its joints cannot be seen at a bench; only an electrical test tells",
            weight=4.0,
        )
    elif package.has_thermal_pad:
        yield Flag(
            kind=FlagKind.HIDDEN,
            word="thermal pad",
            sentence="the exposed pad melts last and floats the part if it has too much solder; an iron cannot reach it",
            weight=3.0,
        )
    elif any(land.kind is JointKind.UNDER_BODY for land in package.lands):
        yield Flag(
            kind=FlagKind.HIDDEN,
            word="pads underneath",
            sentence="its pads lie under the body: use hot air or a hot plate; an iron reaches only their edge",
            weight=1.0,
        )


def _heat(part: BoardPart, near: list[tuple[float, BoardPart]]) -> Iterator[Flag]:
    package = part.package
    if package.iron_only:
        yield Flag(
            kind=FlagKind.HEAT_SHY,
            word="iron only",
            sentence=f"{package.limit_why}: by iron, last of all; no hot air, no hot plate",
            weight=3.0,
            mark=Mark.FROM_MEMORY,
        )
    elif package.heat_shy:
        yield Flag(
            kind=FlagKind.HEAT_SHY,
            word=f"{with_unit(package.limit_c, CELSIUS, 0)}",
            sentence=f"{package.limit_why}: keep its body below {with_unit(package.limit_c, CELSIUS, 0)}",
            weight=2.0,
            mark=Mark.FROM_MEMORY,
        )
    else:
        shy = [other.ref for _, other in near if other.package.heat_shy]
        if shy:
            yield Flag(
                kind=FlagKind.HEAT_SHY,
                word="heat-sensitive neighbour",
                sentence=f"{', '.join(shy[:4])} within {with_unit(JET_MM, MM)} would be in its hot air: shield them or use the iron",
                weight=1.0,
                mark=Mark.FROM_MEMORY,
            )
    yield from _moisture(package)


def _moisture(package: Package) -> Iterator[Flag]:
    life = floor_life_of(package)
    if life is not None and life.hours is not None:
        said = "class not known, taken as 3" if life.assumed else f"moisture class {life.name}"
        must = (
            "bake it before it is heated"
            if life.bake_first
            else f"{life.hours:g} h out of its bag, then bake; parts from a drawer or an old board count as wet"
        )
        yield Flag(
            kind=FlagKind.MOISTURE,
            word=f"moisture {life.name}{'?' if life.assumed else ''}",
            sentence=f"{said} (J-STD-033, up to {with_unit(30, CELSIUS)} and 60 %): {must}",
            weight=0.2 if life.assumed else 0.5,
            mark=Mark.PUBLISHED,
        )


def _handling(part: BoardPart) -> Iterator[Flag]:
    direction = direction_of(part.package)
    if direction is not None:
        yield Flag(
            kind=FlagKind.DIRECTION,
            word="orientation?" if direction.doubtful else "orientation",
            sentence=direction.look_for,
            weight=1.0 if direction.doubtful else 0.4,
            mark=direction.mark,
        )


def _in_order(pin: str) -> tuple[int, str]:
    """Pin 2 before pin 10."""
    return len(pin), pin


def _planes(pads: dict[str, Pad]) -> Iterator[Flag]:
    ties: dict[str, list[str]] = defaultdict(list)
    for pin, pad in pads.items():
        if pad.tie:
            ties[pad.tie].append(pin)
    words = {
        "solid": "solid on a plane",
        "via": "on a plane through vias",
        "relief": "on a plane by thermal relief",
    }
    for tie, pins in ties.items():
        two = len(pads) == 2
        uneven = (
            " while the other end is not: it tombstones easily"
            if two and len(pins) == 1 and tie == "solid"
            else ""
        )
        weight = 1.5 if uneven else 0.8 if tie == "solid" else 0.3
        took = {"solid": "4 to 8 times", "via": "2 to 4 times", "relief": "2 to 4 times"}[tie]
        name = (
            f"pin {pins[0]}"
            if len(pins) == 1
            else f"pins {', '.join(sorted(pins, key=_in_order)[:6])}{' and more' if len(pins) > 6 else ''}"
        )
        yield Flag(
            kind=FlagKind.PLANE,
            word=f"plane, {tie}",
            sentence=f"{name} {words[tie]}{uneven}; an iron needs {took} the usual time",
            weight=weight,
        )


def _room(
    part: BoardPart, near: list[tuple[float, BoardPart]], around: Surroundings
) -> Iterator[Flag]:
    own = around.boxes[part.ref]
    tight = [other.ref for gap, other in near if gap < TWEEZERS_MM]
    taken = {side for ref in tight for side in _sides(own, around.boxes[ref])}
    if not (
        {"left", "right"} - taken == {"left", "right"}
        or {"below", "above"} - taken == {"below", "above"}
    ):
        yield Flag(
            kind=FlagKind.ROOM,
            word="no tweezer room",
            sentence=f"{', '.join(tight[:4])} within {with_unit(TWEEZERS_MM, MM)}: no two opposite sides are free for tweezers",
            weight=2.0,
            mark=Mark.FROM_MEMORY,
        )
    walls = [
        other
        for gap, other in near
        if gap < IRON_MM and other.package.height_mm > max(2.0, part.package.height_mm + 1.0)
    ]
    if walls:
        yield Flag(
            kind=FlagKind.ROOM,
            word="no iron room",
            sentence=f"{', '.join(other.ref for other in walls[:3])} is {with_unit(walls[0].package.height_mm, MM, 1)} high within {with_unit(IRON_MM, MM)} of its joints: solder this part first",
            weight=1.5,
            mark=Mark.FROM_MEMORY,
        )


def _sides(own: Box, other: Box) -> Iterator[str]:
    if other.x1 <= own.x0 + 0.2 and other.y1 > own.y0 and other.y0 < own.y1:
        yield "left"
    if other.x0 >= own.x1 - 0.2 and other.y1 > own.y0 and other.y0 < own.y1:
        yield "right"
    if other.y1 <= own.y0 + 0.2 and other.x1 > own.x0 and other.x0 < own.x1:
        yield "below"
    if other.y0 >= own.y1 - 0.2 and other.x1 > own.x0 and other.x0 < own.x1:
        yield "above"


def hangs_g_in2(part: BoardPart, pads: dict[str, Pad]) -> float:
    """Mass per pad area, g/in²; infinite without pads."""
    return load_g_in2(part.package, sum(pad.area_mm2 for pad in pads.values()))


def _weight(part: BoardPart, pads: dict[str, Pad], second: str) -> Iterator[Flag]:
    load = hangs_g_in2(part, pads)
    if second and part.side == second:
        if falls(load):
            yield Flag(
                kind=FlagKind.SECOND_SIDE,
                word="would drop",
                sentence=f"{with_unit(load, GRAMS, 0)} per square inch of pad, more than {HANGS_G_IN2:g}: it falls when the other side is heated; glue it or solder it last",
                weight=3.0,
            )
        else:
            yield Flag(
                kind=FlagKind.SECOND_SIDE,
                word="hangs",
                sentence=f"on the {second}, built first; it stays when the other side is heated ({load:.0f} of {HANGS_G_IN2:g} g/in²)",
                weight=0.2,
            )
    if part.package.mass_mg > HEAVY_MG:
        yield Flag(
            kind=FlagKind.WEIGHT,
            word="heavy",
            sentence=f"about {with_unit(part.package.mass_mg / 1000, GRAMS, 1)}: melts late, drifts in side wind, does not centre itself",
            weight=1.0,
            mark=Mark.FROM_MEMORY,
        )
