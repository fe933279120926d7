"""Parts proposed from pad patterns, for boards without placement or pin names.

Rows of like pads at one pitch become leaded or leadless parts; two like pads facing each other
become a chip, its size judged from their distance (common practice: land patterns put pad centres
about as far apart as the body is long). A pattern that spreads as a known package does is proposed
as that package. Proposals are named P1, P2 …; what fits no pattern stays unnamed.
"""

import itertools
import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace

from yellowfen.core.board.board import Pad
from yellowfen.core.board.join import Placement
from yellowfen.core.part.catalogue import CHIP_SIZES, find_package
from yellowfen.core.part.package import Package

LARGEST_PITCH_MM = 1.35
ON_LINE_MM = 0.07


@dataclass(frozen=True)
class _Row:
    pads: tuple[int, ...]
    x_mm: float
    y_mm: float
    along_x: bool


def propose(pads: Sequence[Pad]) -> tuple[list[Placement], list[Pad]]:
    """Placements for what the pads' patterns look like, and the pads, named where the pattern is no
    known package.
    """
    named = list(pads)
    placements: list[Placement] = []
    for side in ("top", "bottom"):
        free = {
            i
            for i, pad in enumerate(pads)
            if pad.side == side and pad.ref is None and pad.paste_mm2 > 0
        }
        if not free:
            free = {
                i
                for i, pad in enumerate(pads)
                if pad.side == side and pad.ref is None and pad.paste_mm2 == 0
            }
            if any(pad.paste_mm2 > 0 for pad in pads):
                continue
        groups = _from_rows(pads, free) + _chips(pads, free) + _clusters(pads, free)
        for members, footprint in groups:
            ref = f"P{len(placements) + 1}"
            placements.append(_placement(ref, members, footprint, pads))
            if not find_package(footprint):
                _number(ref, members, named, placements[-1])
    return placements, named


def _placement(ref: str, members: list[int], footprint: str, pads: Sequence[Pad]) -> Placement:
    x, y = _middle([pads[i] for i in members])
    first = pads[members[0]]
    package = find_package(footprint)
    turn = 0.0
    if len(members) == 2:
        turn = math.degrees(math.atan2(first.y_mm - y, first.x_mm - x)) % 180
    elif package is not None:
        wide, _ = _spread([(pads[i].x_mm, pads[i].y_mm) for i in members])
        own_wide, own_high = _spread([(land.x_mm, land.y_mm) for land in package.lands])
        turn = 90.0 if abs(wide - own_wide) > abs(wide - own_high) + 0.05 else 0.0
        dx, dy = _middle_of_lands(package, turn)
        x, y = x - dx, y - dy
    return Placement(
        ref, "", footprint, x_mm=x, y_mm=y, rotation_deg=round(turn, 1), side=first.side
    )


def _middle_of_lands(package: Package, turn: float) -> tuple[float, float]:
    """Where the middle of the box round the land centres lies from the package's origin, turned."""
    xs, ys = [land.x_mm for land in package.lands], [land.y_mm for land in package.lands]
    x, y = (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2
    return (-y, x) if turn else (x, y)


def _number(ref: str, members: list[int], named: list[Pad], placed: Placement) -> None:
    """Pins numbered round, starting anywhere."""
    members.sort(key=lambda i: math.atan2(named[i].y_mm - placed.y_mm, named[i].x_mm - placed.x_mm))
    for pin, index in enumerate(members, 1):
        named[index] = replace(named[index], ref=ref, pin=str(pin))


def _spread(places: Sequence[tuple[float, float]]) -> tuple[float, float]:
    xs, ys = [x for x, _ in places], [y for _, y in places]
    return max(xs) - min(xs), max(ys) - min(ys)


_BY_COUNT: dict[int, tuple[str, ...]] = {
    3: ("SOT-23", "SOT-323", "SOT-89", "TO-252"),
    4: ("SOT-223", "XTAL-3.2x2.5", "XTAL-5x3.2", "PLED-4", "SWITCH-6x6"),
    5: ("SOT-23-5",),
    6: ("SOT-23-6", "SOT-363", "PLED-6"),
}


def _package_like(members: Sequence[int], pads: Sequence[Pad], slack: float = 0.09) -> str:
    """The name of a package whose land centres spread and number as these pads do, empty when none
    is near.
    """
    wide, high = sorted(_spread([(pads[i].x_mm, pads[i].y_mm) for i in members]))
    count = len(members)
    names = [
        *_BY_COUNT.get(count, ()),
        f"SOIC-{count}",
        f"SOIC-{count}W",
        f"TSSOP-{count}",
        f"SSOP-{count}",
        f"MSOP-{count}",
        f"QFP-{count}",
        f"PLCC-{count}",
    ]
    names += [f"QFN-{count - 1}_{edge}x{edge}" for edge in (3, 4, 5, 6, 7, 8, 9)] + [
        f"DFN-{count - 1}_{edge}x{edge}" for edge in (2, 3, 4)
    ]
    best, smallest = "", slack
    for name in names:
        package = find_package(name)
        if package is None or len(package.lands) != count:
            continue
        own_wide, own_high = sorted(_spread([(land.x_mm, land.y_mm) for land in package.lands]))
        miss = max(
            abs(own_wide - wide) / max(own_wide, 0.5), abs(own_high - high) / max(own_high, 0.5)
        )
        if miss < smallest:
            best, smallest = name, miss
    return best


def _clusters(pads: Sequence[Pad], free: set[int]) -> list[tuple[list[int], str]]:
    """Small groups of left-over pads that look like a three- to six-terminal package."""
    groups: list[tuple[list[int], str]] = []
    seen: set[int] = set()
    grid = _Grid(pads, free)
    for start in sorted(free):
        if start in seen:
            continue
        cluster: list[int] = []
        todo = [start]
        seen.add(start)
        while todo and len(cluster) < 8:
            one = todo.pop()
            cluster.append(one)
            for other in grid.near(pads[one], 4.9):
                room = 1.3 + 0.5 * (
                    max(pads[one].size_x_mm, pads[one].size_y_mm)
                    + max(pads[other].size_x_mm, pads[other].size_y_mm)
                )
                if (
                    other not in seen
                    and math.hypot(
                        pads[one].x_mm - pads[other].x_mm, pads[one].y_mm - pads[other].y_mm
                    )
                    < room
                ):
                    seen.add(other)
                    todo.append(other)
        if 3 <= len(cluster) <= 6 and (name := _package_like(cluster, pads, 0.16)):
            groups.append((cluster, name))
    for members, _ in groups:
        free -= set(members)
    return groups


class _Grid:
    """Pads by place, so that neighbours are found without looking at all of them."""

    CELL_MM = 5.0

    def __init__(self, pads: Sequence[Pad], members: set[int]) -> None:
        self.cells: dict[tuple[int, int], list[int]] = defaultdict(list)
        for i in members:
            self.cells[
                (int(pads[i].x_mm // self.CELL_MM), int(pads[i].y_mm // self.CELL_MM))
            ].append(i)
        self.pads = pads

    def near(self, pad: Pad, reach: float) -> list[int]:
        """Members within reach (a square) of a pad, itself included."""
        found = []
        for cx in range(
            int((pad.x_mm - reach) // self.CELL_MM), int((pad.x_mm + reach) // self.CELL_MM) + 1
        ):
            for cy in range(
                int((pad.y_mm - reach) // self.CELL_MM), int((pad.y_mm + reach) // self.CELL_MM) + 1
            ):
                found += [
                    i
                    for i in self.cells.get((cx, cy), ())
                    if abs(self.pads[i].x_mm - pad.x_mm) < reach
                    and abs(self.pads[i].y_mm - pad.y_mm) < reach
                ]
        return found


def _middle(pads: Sequence[Pad]) -> tuple[float, float]:
    xs, ys = [pad.x_mm for pad in pads], [pad.y_mm for pad in pads]
    return (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2


def _alike(a: Pad, b: Pad, slack: float = 0.08) -> bool:
    """True when both sizes agree; areas may differ by the track that the mask bares."""
    (short_a, long_a), (short_b, long_b) = (
        sorted((a.size_x_mm, a.size_y_mm)),
        sorted((b.size_x_mm, b.size_y_mm)),
    )
    return abs(short_a - short_b) <= slack * short_a and abs(long_a - long_b) <= slack * long_a


def _from_rows(pads: Sequence[Pad], free: set[int]) -> list[tuple[list[int], str]]:
    groups: list[tuple[list[int], str]] = []
    rows = sorted(
        (row for along_x in (True, False) for row in _rows(pads, free, along_x)),
        key=lambda row: -len(row.pads),
    )
    used: set[int] = set()
    for row in rows:
        if used & set(row.pads):
            continue
        partner = _partner(row, [other for other in rows if not used & set(other.pads)], pads)
        if partner is None:
            continue
        members = set(row.pads) | set(partner.pads)
        x, y = (row.x_mm + partner.x_mm) / 2, (row.y_mm + partner.y_mm) / 2
        reach_x = max(abs(pads[i].x_mm - x) for i in members) + 0.2
        reach_y = max(abs(pads[i].y_mm - y) for i in members) + 0.2
        for other in rows:
            if (
                not used & set(other.pads)
                and all(
                    abs(pads[i].x_mm - x) < reach_x + 2 and abs(pads[i].y_mm - y) < reach_y + 2
                    for i in other.pads
                )
                and other.along_x != row.along_x
                and len(other.pads) >= 3
            ):
                members |= set(other.pads)
        members |= {i for i in free if math.hypot(pads[i].x_mm - x, pads[i].y_mm - y) < 0.6}
        used |= members
        groups.append((sorted(members), _package_like(sorted(members), pads)))
    free -= used
    return groups


def _rows(pads: Sequence[Pad], free: set[int], along_x: bool) -> list[_Row]:
    """Runs of three or more like pads on one line with even, small pitch."""
    members = sorted(free, key=lambda i: pads[i].y_mm if along_x else pads[i].x_mm)
    lines: list[list[int]] = []
    for i in members:
        across = pads[i].y_mm if along_x else pads[i].x_mm
        first = pads[lines[-1][0]] if lines else None
        if first is not None and across - (first.y_mm if along_x else first.x_mm) <= ON_LINE_MM:
            lines[-1].append(i)
        else:
            lines.append([i])
    rows = []
    for line in lines:
        line.sort(key=lambda i: pads[i].x_mm if along_x else pads[i].y_mm)
        for run in _runs(line, pads, along_x):
            x, y = _middle([pads[i] for i in run])
            rows.append(_Row(tuple(run), x, y, along_x))
    return rows


def _runs(line: Sequence[int], pads: Sequence[Pad], along_x: bool) -> list[list[int]]:
    """A line cut where the next pad is too far, unlike, or off the pitch begun."""
    runs, run = [], [line[0]]
    pitch = 0.0
    for before, one in itertools.pairwise(line):
        gap = pads[one].x_mm - pads[before].x_mm if along_x else pads[one].y_mm - pads[before].y_mm
        even = not pitch or abs(gap - pitch) < 0.12 * pitch
        if 0.2 < gap <= LARGEST_PITCH_MM and even and _alike(pads[before], pads[one], 0.12):
            run.append(one)
            pitch = pitch or gap
        else:
            runs.append(run)
            run, pitch = [one], 0.0
    return [one for one in [*runs, run] if len(one) >= 3]


def _partner(row: _Row, others: list[_Row], pads: Sequence[Pad]) -> _Row | None:
    """The nearest parallel row of like pads on the other side of a body."""

    def distance(other: _Row) -> float:
        return abs(other.y_mm - row.y_mm) if row.along_x else abs(other.x_mm - row.x_mm)

    facing = [
        other
        for other in others
        if other.along_x == row.along_x
        and other.pads != row.pads
        and abs(len(other.pads) - len(row.pads)) <= len(row.pads) // 2
        and (abs(other.x_mm - row.x_mm) if row.along_x else abs(other.y_mm - row.y_mm)) < 1.0
        and 1.0 < distance(other) < 32
        and _alike(pads[row.pads[0]], pads[other.pads[0]], 0.12)
    ]
    return min(facing, key=distance) if facing else None


def _chips(pads: Sequence[Pad], free: set[int]) -> list[tuple[list[int], str]]:
    """Pairs of like pads, each the other's nearest like pad."""
    nearest: dict[int, int] = {}
    grid = _Grid(pads, free)
    for i in free:
        likes = [
            (math.hypot(pads[i].x_mm - pads[j].x_mm, pads[i].y_mm - pads[j].y_mm), j)
            for j in grid.near(pads[i], 7.0)
            if j != i and _alike(pads[i], pads[j])
        ]
        if likes and min(likes)[0] < 7.0:
            nearest[i] = min(likes)[1]
    pairs = sorted((i, j) for i, j in nearest.items() if i < j and nearest.get(j) == i)
    for pair in pairs:
        free -= set(pair)
    return [
        ([i, j], _chip_code(math.hypot(pads[i].x_mm - pads[j].x_mm, pads[i].y_mm - pads[j].y_mm)))
        for i, j in pairs
    ]


def _chip_code(centres_mm: float) -> str:
    """The chip whose length is nearest to the pad centres' distance."""
    return min(CHIP_SIZES, key=lambda code: abs(CHIP_SIZES[code][1] + 0.1 - centres_mm))
