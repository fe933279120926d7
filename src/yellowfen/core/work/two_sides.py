"""Which side first, what hangs underneath meanwhile, what waits for the iron, and how often each
part is heated.
"""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from yellowfen.core.board.board import Board, BoardPart, Pad
from yellowfen.core.part.hanging import HANGS_G_IN2, falls
from yellowfen.core.quantity.units import GRAMS, with_unit
from yellowfen.core.quantity.wording import counted
from yellowfen.core.work.technique import IRON_WAYS, PartWay
from yellowfen.core.work.triage import hangs_g_in2

MOST_PASSES = 3  # published: J-STD-020, as remembered


@dataclass(frozen=True)
class Hanging:
    """A part of the first side while the second is heated: its load on surface tension (g/in²), and
    whether it stays.
    """

    ref: str
    load_g_in2: float
    stays: bool


@dataclass(frozen=True, kw_only=True)
class TwoSides:
    """The order of sides with its reasons; what hangs, heaviest load first; what waits for the
    iron; heats each part sees.
    """

    first: str
    second: str
    why: tuple[str, ...]
    hanging: tuple[Hanging, ...]
    by_iron: tuple[str, ...]
    passes: dict[str, int]

    @property
    def falls(self) -> tuple[Hanging, ...]:
        return tuple(one for one in self.hanging if not one.stays)


def two_sides(board: Board, ways: Sequence[PartWay] = (), second: str = "") -> TwoSides:
    """The sides of a board. Without parts on both, there is nothing to decide. `second`: the side
    that is heated second whatever speaks against it ("": the better one).
    """
    way = {one.part.ref: one.chosen.way for one in ways}
    heated = [part for part in board.parts if way.get(part.ref) not in IRON_WAYS]
    by_iron = tuple(part.ref for part in board.parts if way.get(part.ref) in IRON_WAYS)
    sides = {part.side for part in heated}
    if sides != {"top", "bottom"}:
        return TwoSides(
            first=next(iter(sides), "top"),
            second="",
            why=("all that is heated lies on one side",) if sides else (),
            hanging=(),
            by_iron=by_iron,
            passes={part.ref: 1 for part in heated},
        )
    loads = _loads(board, heated)
    worst = {side: max(loads[part.ref] for part in heated if part.side == side) for side in sides}
    shy = {
        side: sum(part.package.heat_shy for part in heated if part.side == side) for side in sides
    }
    many = {side: sum(part.side == side for part in heated) for side in sides}

    def cost(side: str) -> tuple[int, int, int]:
        """What speaks against building a side first: parts that would fall, heat-shy parts heated
        twice, the number of parts.
        """
        return (
            sum(falls(loads[part.ref]) for part in heated if part.side == side),
            shy[side],
            many[side],
        )

    first = min(("bottom", "top"), key=cost)
    if second:
        first = "bottom" if second == "top" else "top"
    second = "top" if first == "bottom" else "bottom"
    hanging = [
        Hanging(part.ref, loads[part.ref], not falls(loads[part.ref]))
        for part in heated
        if part.side == first
    ]
    passes = {part.ref: 2 if part.side == first else 1 for part in heated}
    return TwoSides(
        first=first,
        second=second,
        why=_reasons(first, second, worst, shy, many),
        hanging=tuple(sorted(hanging, key=lambda part: -part.load_g_in2)),
        by_iron=by_iron,
        passes=passes,
    )


def _loads(board: Board, heated: Sequence[BoardPart]) -> dict[str, float]:
    """What hangs on each part's pads, g/in², by part."""
    pads: dict[str, dict[str, Pad]] = defaultdict(dict)
    for pad in board.pads:
        if pad.ref:
            pads[pad.ref][pad.pin or ""] = pad
    return {part.ref: hangs_g_in2(part, pads[part.ref]) for part in heated}


def _reasons(
    first: str, second: str, worst: dict[str, float], shy: dict[str, int], many: dict[str, int]
) -> tuple[str, ...]:
    said = [
        f"{first} first: its heaviest part hangs on {with_unit(worst[first], GRAMS, 0)} per square inch of pad, up to {HANGS_G_IN2:g} holds (on the {second} it would be {worst[second]:.0f})"
    ]
    if shy[first] < shy[second]:
        said.append(
            f"the {second} has {counted(shy[second], 'heat-sensitive part')}, the {first} {shy[first]}: heated once only"
        )
    said.append(f"{counted(many[first], 'part is', 'parts are')} heated twice, {many[second]} once")
    return tuple(said)
