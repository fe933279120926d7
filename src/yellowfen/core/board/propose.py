"""Parts proposed from pad patterns, for boards without placement or pin names.

Rows of like pads at one pitch become leaded or leadless parts; two like pads facing each other become a chip, its
size judged from their distance (common practice: land patterns put pad centres about as far apart as the body is
long). Proposals are named P1, P2 …; what fits no pattern stays unnamed.
"""

import math
from collections import defaultdict
from dataclasses import dataclass, replace

from yellowfen.core.board.board import Pad
from yellowfen.core.board.join import Placement
from yellowfen.core.part.catalogue import CHIP_SIZES

LARGEST_PITCH_MM = 1.35


@dataclass(frozen=True)
class _Row:
    pads: tuple[int, ...]
    x_mm: float
    y_mm: float
    along_x: bool


def propose(pads: list[Pad]) -> tuple[list[Placement], list[Pad]]:
    """Placements and the pads with their proposed names and pin numbers (numbered round, starting anywhere)."""
    groups: list[tuple[list[int], str]] = []
    for side in ("top", "bottom"):
        free = {i for i, pad in enumerate(pads) if pad.side == side and pad.ref is None and pad.paste_mm2 > 0}
        groups += _from_rows(pads, free)
        groups += _chips(pads, free)
    named = list(pads)
    placements = []
    for number, (members, footprint) in enumerate(groups, 1):
        ref = f"P{number}"
        x, y = _middle([pads[i] for i in members])
        members.sort(key=lambda i: math.atan2(pads[i].y_mm - y, pads[i].x_mm - x))
        for pin, index in enumerate(members, 1):
            named[index] = replace(pads[index], ref=ref, pin=str(pin))
        first = pads[members[0]]
        turn = math.degrees(math.atan2(first.y_mm - y, first.x_mm - x)) % 180 if len(members) == 2 else 0.0
        placements.append(Placement(ref, "", footprint, x, y, round(turn, 1), first.side))
    return placements, named


def _middle(pads: list[Pad]) -> tuple[float, float]:
    xs, ys = [pad.x_mm for pad in pads], [pad.y_mm for pad in pads]
    return (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2


def _alike(a: Pad, b: Pad, slack: float = 0.08) -> bool:
    long_a, long_b = max(a.size_x_mm, a.size_y_mm), max(b.size_x_mm, b.size_y_mm)
    return abs(a.area_mm2 - b.area_mm2) <= slack * a.area_mm2 and abs(long_a - long_b) <= slack * long_a


def _from_rows(pads: list[Pad], free: set[int]) -> list[tuple[list[int], str]]:
    groups: list[tuple[list[int], str]] = []
    rows = sorted((row for along_x in (True, False) for row in _rows(pads, free, along_x)), key=lambda row: -len(row.pads))
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
                and all(abs(pads[i].x_mm - x) < reach_x + 2 and abs(pads[i].y_mm - y) < reach_y + 2 for i in other.pads)
                and other.along_x != row.along_x
                and len(other.pads) >= 3
            ):
                members |= set(other.pads)
        members |= {i for i in free if math.hypot(pads[i].x_mm - x, pads[i].y_mm - y) < 0.6}
        used |= members
        groups.append((sorted(members), ""))
    free -= used
    return groups


def _rows(pads: list[Pad], free: set[int], along_x: bool) -> list[_Row]:
    """Runs of three or more like pads on one line with even, small pitch."""
    lines: dict[tuple[float, float, float], list[int]] = defaultdict(list)
    for i in free:
        pad = pads[i]
        across = pad.y_mm if along_x else pad.x_mm
        lines[(round(across / 0.05), round(pad.size_x_mm, 1), round(pad.size_y_mm, 1))].append(i)
    rows = []
    for members in lines.values():
        members.sort(key=lambda i: pads[i].x_mm if along_x else pads[i].y_mm)
        for run in _runs([(pads[i].x_mm if along_x else pads[i].y_mm, i) for i in members]):
            x, y = _middle([pads[i] for i in run])
            rows.append(_Row(tuple(run), x, y, along_x))
    return rows


def _runs(line: list[tuple[float, int]]) -> list[list[int]]:
    runs, run = [], [line[0][1]]
    for k in range(1, len(line)):
        gap = line[k][0] - line[k - 1][0]
        if 0.2 < gap <= LARGEST_PITCH_MM:
            run.append(line[k][1])
        else:
            runs.append(run)
            run = [line[k][1]]
    return [one for one in [*runs, run] if len(one) >= 3]


def _partner(row: _Row, others: list[_Row], pads: list[Pad]) -> _Row | None:
    """The nearest parallel row of like pads on the other side of a body."""

    def distance(other: _Row) -> float:
        return abs(other.y_mm - row.y_mm) if row.along_x else abs(other.x_mm - row.x_mm)

    facing = [
        other
        for other in others
        if other.along_x == row.along_x and other.pads != row.pads and abs(len(other.pads) - len(row.pads)) <= len(row.pads) // 2
        and (abs(other.x_mm - row.x_mm) if row.along_x else abs(other.y_mm - row.y_mm)) < 1.0
        and 1.0 < distance(other) < 32 and _alike(pads[row.pads[0]], pads[other.pads[0]])
    ]  # fmt: skip
    return min(facing, key=distance) if facing else None


def _chips(pads: list[Pad], free: set[int]) -> list[tuple[list[int], str]]:
    """Pairs of like pads, each the other's nearest like pad."""
    nearest: dict[int, int] = {}
    for i in free:
        likes = [
            (math.hypot(pads[i].x_mm - pads[j].x_mm, pads[i].y_mm - pads[j].y_mm), j) for j in free if j != i and _alike(pads[i], pads[j])
        ]
        if likes and min(likes)[0] < 7.0:
            nearest[i] = min(likes)[1]
    pairs = [(i, j) for i, j in nearest.items() if i < j and nearest.get(j) == i]
    for pair in pairs:
        free -= set(pair)
    return [([i, j], _chip_code(math.hypot(pads[i].x_mm - pads[j].x_mm, pads[i].y_mm - pads[j].y_mm))) for i, j in pairs]


def _chip_code(centres_mm: float) -> str:
    """The chip whose length is nearest to the pad centres' distance."""
    return min(CHIP_SIZES, key=lambda code: abs(CHIP_SIZES[code][1] + 0.1 - centres_mm))
