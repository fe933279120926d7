"""What to fetch: parts by value with counts and spares, where they live, what is missing."""

import math
from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant

SPARE_TINY = constant(
    "spares_tiny",
    0.2,
    "1",
    mark=Mark.FROM_MEMORY,
    source="0402 and smaller fly off: a fifth more, two at least",
    affects="spares in the kit",
)
SPARE_SMALL = constant(
    "spares_small",
    0.1,
    "1",
    mark=Mark.FROM_MEMORY,
    source="0603 and other small chips: a tenth more, one at least",
    affects="spares in the kit",
)
TINY_MM, SMALL_MM = 1.1, 2.1


class KitAnswer(StrEnum):
    """What the kit check says of a line."""

    THERE = "there"
    MISSING = "missing"
    INSTEAD = "another instead"


@dataclass(frozen=True, kw_only=True)
class Line:
    """One line of the pick list.

    `key` names it by value and package; `wanted` is for all boards, spares not counted.
    """

    key: str
    value: str
    package: str
    refs: tuple[str, ...]
    wanted: int
    spares: int
    where: str
    found: KitAnswer | None
    instead: str

    @property
    def take(self) -> int:
        return self.wanted + self.spares


def line_key(part: BoardPart) -> str:
    """The name of a part's line."""
    return f"{(part.value or part.footprint or '?')[:140]} | {part.package.name[:140]}"


def kit(
    board: Board,
    boards: int,
    where: Mapping[str, str] | None = None,
    found: Mapping[str, tuple[KitAnswer, str]] | None = None,
    skip: Iterable[str] = (),
) -> tuple[Line, ...]:
    """The pick list for so many boards (1 to 10 000).

    `where` and `found` by line key; lines by where they live, then by value.
    """
    in_range("boards", boards, 1, 10_000)
    where, found, left_out = where or {}, found or {}, set(skip)
    groups: dict[str, list[BoardPart]] = defaultdict(list)
    for part in board.parts:
        if part.ref not in left_out:
            groups[line_key(part)].append(part)
    lines = [
        _line(key, group, boards, where.get(key, ""), found.get(key))
        for key, group in groups.items()
    ]
    return tuple(
        sorted(lines, key=lambda one: (one.where == "", one.where, one.package, one.value))
    )


def _line(
    key: str, group: list[BoardPart], boards: int, where: str, found: tuple[KitAnswer, str] | None
) -> Line:
    wanted = len(group) * boards
    state, instead = found or (None, "")
    return Line(
        key=key,
        value=group[0].value,
        package=group[0].package.name,
        refs=tuple(part.ref for part in group),
        wanted=wanted,
        spares=spares(group[0], wanted),
        where=where,
        found=state,
        instead=instead,
    )


def spares(part: BoardPart, wanted: int) -> int:
    """How many more to take of a part, by its size."""
    size = max(part.package.body_x_mm, part.package.body_y_mm)
    if size <= TINY_MM:
        return max(2, math.ceil(SPARE_TINY * wanted))
    if size <= SMALL_MM and len(part.package.lands) <= 3:
        return max(1, math.ceil(SPARE_SMALL * wanted))
    return 0
