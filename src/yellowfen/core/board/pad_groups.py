"""Pads put together to parts by their pattern alone, each side for itself.

Order: grids, rows on four and two sides, one row with hold-downs, three to six lands of a known
outline, pairs; within each the clearest first. Laws: a pad belongs to one group at most; bodies
never lie over each other: of two the less clear one is given up, its pads being told as unknown;
two pads of one net are no chip.
"""

import math
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.board import Pad
from yellowfen.core.board.likeness import (
    Likeness,
    Numbers,
    PadArrays,
    Pattern,
    like,
    patterns,
    usual_turns,
)
from yellowfen.core.board.pad_rows import PadRow, grids_of, near_pairs, rows_of
from yellowfen.core.part.package import JointKind

_FARTHEST_ROWS_MM = 34.0
_CHIP_ROWS_MM, _CHIP_PITCH_MM = 2.2, 0.9
_PAIR_REACH_MM = 8.0
_ROWS_LOOKED_AT = 3
_NO_CHIP, _STRICT = 0.07, 2.0
_ROUNDS = 5
_SURE_OF_FOUR, _LIKELY_CHIP = 0.3, 0.8
_NO_CHIP_WIDTH = 2.0  # lands so many times narrower or wider than a chip's are none of it
_DISC_SHARE = 0.83
_LOOSEST_SMALL = {3: 0.9, 4: 0.55, 5: 0.9, 6: 0.75}
_USUAL_PITCHES_MM = (0.5, 0.635, 0.65, 0.8, 1.0, 1.25, 1.27, 1.5, 2.0, 2.5, 2.54)
_STRIP_LEAST = 8
_UNKNOWN_MISFIT = 3.0


@dataclass(frozen=True)
class PadGroup:
    """Pads that are one part: their places in the pads, what they look like (None: no known
    package), and the turn of their pattern below 90°, seen from their side.
    """

    pads: tuple[int, ...]
    likeness: Likeness | None
    angle_deg: float
    kind: JointKind = JointKind.GULL_WING

    @property
    def misfit(self) -> float:
        return self.likeness.misfit if self.likeness else _UNKNOWN_MISFIT


class _Side:
    """The free pads of one side while they are put together."""

    def __init__(self, pads: Sequence[Pad], members: Sequence[int], side: str) -> None:
        self.pads = pads
        self.index = list(members)
        self.arrays = PadArrays.of([pads[i] for i in members], side)
        self.free = set(range(len(self.index)))
        self.groups: list[PadGroup] = []
        self.given_up: set[frozenset[int]] = set()
        self.nets = [pads[i].net for i in members]
        self.area = np.array([pads[i].area_mm2 for i in members])

        self.cells: dict[tuple[int, int], list[int]] = defaultdict(list)
        for k, (x, y) in enumerate(np.floor(self.arrays.places / 4.0).astype(int).tolist()):
            self.cells[(x, y)].append(k)

    def near(self, place: Numbers, reach: float) -> NDArray[np.int64]:
        """All pads of the side within reach of a place (a square and more)."""
        low, high = (
            np.floor((place + signed) / 4.0).astype(int).tolist() for signed in (-reach, reach)
        )
        return np.array(
            [
                k
                for x in range(low[0], high[0] + 1)
                for y in range(low[1], high[1] + 1)
                for k in self.cells.get((x, y), ())
            ],
            dtype=np.int64,
        )

    def take(self, group: PadGroup) -> bool:
        """Keep a group whose pads are all free still and that was not given up before."""
        if not set(group.pads) <= self.free or frozenset(group.pads) in self.given_up:
            return False
        self.free -= set(group.pads)
        self.groups.append(group)
        return True

    def give_up(self, groups: Sequence[PadGroup]) -> None:
        """Free the pads of groups that cannot be, for good."""
        for group in groups:
            self.groups.remove(group)
            self.free |= set(group.pads)
            self.given_up.add(frozenset(group.pads))

    def seen_as(self, members: Sequence[int], angles: Sequence[float], kind: JointKind) -> PadGroup:
        chosen = self.arrays.chosen(members)
        found = like(chosen, angles)
        if found is not None:
            kind = found.package.lands[0].kind
            found = replace(found, pins={members[k]: pin for k, pin in found.pins.items()})
        return PadGroup(tuple(members), found, angles[0] % 90, kind)


def grouped(
    pads: Sequence[Pad], members: Iterable[int], side: str
) -> tuple[list[PadGroup], set[int]]:
    """(groups with places in `pads`, places left over) of the free pads of one side."""
    work = _Side(pads, sorted(members), side)
    _take_grids(work)
    _take_rows(work)
    for _ in range(_ROUNDS):  # what a given-up body leaves free may be another's
        _take_small(work)
        _take_strips(work)
        _take_pairs(work)
        groups = _without_overlaps(work)
        given_up = [group for group in work.groups if group not in groups]
        if not given_up:
            break
        work.give_up(given_up)
    taken = {k for group in groups for k in group.pads}
    return (
        [_in_board(group, work.index) for group in groups],
        {work.index[k] for k in range(len(work.index)) if k not in taken},
    )


def _in_board(group: PadGroup, index: Sequence[int]) -> PadGroup:
    """The group in places of the board's pads."""
    seen = group.likeness
    if seen is not None:
        seen = replace(seen, pins={index[k]: pin for k, pin in seen.pins.items()})
    return replace(group, pads=tuple(index[k] for k in group.pads), likeness=seen)


# --- grids


def _take_grids(work: _Side) -> None:
    for members, angle in grids_of(work.arrays, work.free):
        work.take(work.seen_as(members, (angle,), JointKind.BALL))


# --- rows


def _take_rows(work: _Side) -> None:
    """Assemblies of rows, the clearest first: known packages before unknown, more pads before
    fewer.
    """
    while True:
        rows = rows_of(work.arrays, work.free)
        found = [*_facing(work, rows), *_single(work, rows)]
        found.sort(key=lambda one: (one.likeness is None, -len(one.pads) + 4 * one.misfit))
        taken = [group for group in found if work.take(group)]
        if not taken:
            return


def _facing(work: _Side, rows: Sequence[PadRow]) -> list[PadGroup]:
    """Parts with rows on two sides and on four."""
    pairs = _facing_pairs(rows)
    crossing: dict[tuple[int, int], list[tuple[PadRow, PadRow]]] = defaultdict(list)
    for pair in pairs:
        crossing[_cell(pair)].append(pair)
    groups = []
    quads: set[frozenset[int]] = set()
    for one, other in pairs:
        if len(one.pads) + len(other.pads) < 5:
            continue
        x, y = _cell((one, other))
        around = [
            pair
            for dx in (-1, 0, 1)
            for dy in (-1, 0, 1)
            for pair in crossing.get((x + dx, y + dy), ())
            if _crosses((one, other), pair)
        ]
        for pair in around:
            members = frozenset((*one.pads, *other.pads, *pair[0].pads, *pair[1].pads))
            if members not in quads and len(members) >= 8:
                quads.add(members)
                groups += _assembled(work, (one, other, *pair))
        groups += _assembled(work, (one, other))
    return groups


def _cell(pair: tuple[PadRow, PadRow]) -> tuple[int, int]:
    x, y = (pair[0].middle + pair[1].middle) / 2
    return math.floor(x), math.floor(y)


def _facing_pairs(rows: Sequence[PadRow]) -> list[tuple[PadRow, PadRow]]:
    """Rows over against each other; of each the nearest few, since a body lies between neighbours."""
    if len(rows) < 2:
        return []
    middles = np.array([row.middle for row in rows])
    along = np.array([row.along for row in rows])
    pairs: set[tuple[int, int]] = set()
    for k, row in enumerate(rows):
        between = middles - middles[k]
        apart = between[:, 0] * row.along[1] - between[:, 1] * row.along[0]
        near = np.flatnonzero(
            (np.abs(along @ row.along) > 0.996)
            & (np.abs(between @ row.along) < row.span_mm / 2 + 1.0)
            & (np.abs(apart) < _FARTHEST_ROWS_MM)
            & (np.arange(len(rows)) != k)
        )
        for signed in (apart, -apart):
            ahead = [m for m in near[np.argsort(signed[near])].tolist() if signed[m] > 0]
            facing = [m for m in ahead if _faces(row, rows[m])]
            pairs |= {(min(k, m), max(k, m)) for m in facing[:_ROWS_LOOKED_AT]}
    return [(rows[a], rows[b]) for a, b in sorted(pairs)]


def _faces(one: PadRow, other: PadRow) -> bool:
    """True for parallel rows of like pads and pitch that lie over against each other."""
    if abs(one.along @ other.along) < 0.996 or set(one.pads) & set(other.pads):
        return False
    if abs(one.width_mm - other.width_mm) > 0.2 * one.width_mm + 0.03:
        return False
    if abs(one.length_mm - other.length_mm) > 0.2 * one.length_mm + 0.25:
        return False
    between = other.middle - one.middle
    aside = abs(float(between @ one.along))
    apart = abs(float(between[0] * one.along[1] - between[1] * one.along[0]))
    if not one.length_mm + 0.1 < apart < _FARTHEST_ROWS_MM:
        return False
    fewer, more = sorted((one, other), key=lambda row: len(row.pads))
    if len(fewer.pads) == len(more.pads):
        return abs(one.pitch_mm - other.pitch_mm) < 0.06 * one.pitch_mm + 0.02 and aside < max(
            0.3 * one.pitch_mm, 0.15
        )
    room = (more.span_mm - fewer.span_mm) / 2
    steps = fewer.pitch_mm / more.pitch_mm
    return (
        len(fewer.pads) * 2 >= len(more.pads)
        and abs(steps - round(steps)) < 0.12
        and aside <= room + 0.25
    )


def _crosses(pair: tuple[PadRow, PadRow], other: tuple[PadRow, PadRow]) -> bool:
    """True for two more rows at right angles round the same middle, clear of the first two, and
    named after them: each four are met once, always in the same order.
    """
    one, two = pair
    if abs(one.along @ other[0].along) > 0.05:
        return False
    if abs(one.width_mm - other[0].width_mm) > 0.25 * one.width_mm + 0.03:
        return False
    middle, its = (one.middle + two.middle) / 2, (other[0].middle + other[1].middle) / 2
    if math.dist(middle, its) > 0.35 + 0.25 * one.pitch_mm:
        return False
    apart = math.dist(one.middle, two.middle)
    their = math.dist(other[0].middle, other[1].middle)
    return other[0].span_mm < apart - 0.2 and one.span_mm < their - 0.2 and one.pads < other[0].pads


def _assembled(work: _Side, rows: Sequence[PadRow]) -> list[PadGroup]:
    """The part of these rows with what lies between them; nothing where that cannot be one body."""
    members = [k for row in rows for k in row.pads]
    if not set(members) <= work.free:
        return []
    inside = _inside(work, rows)
    pin_area = float(np.median(work.area[members]))
    big = [k for k in inside if work.area[k] >= 3 * pin_area]
    corners = [] if len(rows) == 2 else [k for k in inside if k not in big]
    if len(big) < len(inside) and not 0 < len(corners) <= 4 and not _hidden_by(work, rows, inside):
        return []
    angle = rows[0].angle_deg
    kind = JointKind.LEADLESS if big and rows[0].length_mm < 1.15 else JointKind.GULL_WING
    whole = work.seen_as(
        [*members, *inside], (angle, angle + 45) if len(rows) == 4 else (angle,), kind
    )
    if whole.likeness is None and inside:
        bare = work.seen_as(members, (angle,), kind)
        if bare.likeness is not None:  # a known outline with a pad of its own beneath
            whole = replace(whole, likeness=bare.likeness)
    if whole.likeness is None:
        apart = math.dist(rows[0].middle, rows[1].middle)
        chips = rows[0].pitch_mm >= _CHIP_PITCH_MM and apart < _CHIP_ROWS_MM
        if chips or len(members) < 8 or rows[0].pitch_mm > 1.4:
            return []
    return [whole]


def _inside(work: _Side, rows: Sequence[PadRow]) -> list[int]:
    """Free pads wholly between the rows."""
    one, two = rows[0], rows[1]
    middle = (one.middle + two.middle) / 2
    across = np.array([-one.along[1], one.along[0]])
    half_across = math.dist(one.middle, two.middle) / 2 - one.length_mm / 2
    half_along = max(one.span_mm, two.span_mm) / 2 + one.width_mm / 2
    if len(rows) == 4:  # corners too
        half_across += one.length_mm + 0.15
        half_along = math.dist(rows[2].middle, rows[3].middle) / 2 + rows[2].length_mm / 2
    pins = {k for row in rows for k in row.pads}
    near = work.near(middle, math.hypot(max(half_across, 0.0), half_along))
    free = np.array([k for k in near.tolist() if k in work.free and k not in pins], dtype=np.int64)
    if not len(free):
        return []
    offset = work.arrays.places[free] - middle
    reach = work.arrays.sizes[free].min(axis=1) / 2
    within = (np.abs(offset @ across) + reach < half_across) & (
        np.abs(offset @ one.along) < half_along
    )
    return [int(k) for k in free[within]]


def _hidden_by(work: _Side, rows: Sequence[PadRow], inside: Sequence[int]) -> bool:
    """True where small pads between the rows are the part's own: all alike and many, as lands under
    a module are.
    """
    short = work.arrays.sizes[list(inside)].min(axis=1)
    return len(inside) >= 4 and bool(np.ptp(short) < 0.2 * short.mean())


def _single(work: _Side, rows: Sequence[PadRow]) -> list[PadGroup]:
    """One row with two like hold-down lands beside or behind it: connectors."""
    groups: list[PadGroup] = []
    for row in rows:
        reach = row.span_mm / 2 + 6.0
        around = work.near(row.middle, math.hypot(reach, 9.0)).tolist()
        others = np.array(
            [k for k in around if k in work.free and k not in row.pads], dtype=np.int64
        )
        if not len(others):
            continue
        offset = work.arrays.places[others] - row.middle
        along, across = offset @ row.along, offset @ np.array([-row.along[1], row.along[0]])
        near = (
            (np.abs(along) < reach) & (np.abs(along) > row.span_mm / 2 - 0.3) & (np.abs(across) < 9)
        )
        near &= work.area[others] > 1.2 * float(np.median(work.area[list(row.pads)]))
        kept = others[near]
        for i, left in enumerate(kept.tolist()):
            for right in kept[i + 1 :].tolist():
                at_left, at_right = (work.arrays.places[k] - row.middle for k in (left, right))
                level = abs(float((at_left - at_right) @ np.array([-row.along[1], row.along[0]])))
                even = abs(float((at_left + at_right) @ row.along))
                if level < 0.2 and even < 0.4 and _same_size(work, left, right):
                    whole = work.seen_as(
                        [*row.pads, left, right], (row.angle_deg,), JointKind.GULL_WING
                    )
                    seen = whole.likeness
                    if len(row.pads) >= 4 if seen is None else not _crowded(work, whole.pads, seen):
                        groups.append(whole)
    return groups


def _same_size(work: _Side, one: int, other: int, slack: float = 0.15) -> bool:
    a, b = np.sort(work.arrays.sizes[one]), np.sort(work.arrays.sizes[other])
    return bool((np.abs(a - b) <= slack * np.minimum(a, b) + 0.02).all())


# --- three to six lands


def _take_small(work: _Side) -> None:
    """Outlines of three to six lands, found by two lands that lie far apart and then the rest."""
    while True:
        found = [
            group
            for count in (6, 5, 4, 3)
            for pattern in patterns().get(count, ())
            for group in _found_like(work, pattern)
        ]
        found.sort(key=lambda one: one.misfit - 0.15 * len(one.pads))
        if not [group for group in found if work.take(group)]:
            return


def _found_like(work: _Side, pattern: Pattern) -> list[PadGroup]:
    """Where a pattern of few lands lies among the free pads."""
    free = np.array(sorted(work.free), dtype=np.int64)
    if len(free) < len(pattern.places):
        return []
    sizes = np.sort(work.arrays.sizes[free], axis=1)
    wanted = np.sort(pattern.sizes, axis=1)
    fits = [
        free[(np.abs(np.log(np.maximum(sizes, 0.02) / want)) < 0.5).all(axis=1)] for want in wanted
    ]
    if any(not len(one) for one in fits):
        return []
    apart = np.hypot(*(pattern.places[:, None] - pattern.places[None]).transpose(2, 0, 1))
    first, second = divmod(int(apart.argmax()), len(apart))
    far = float(apart[first, second])
    either = np.unique(np.concatenate([fits[first], fits[second]]))
    pairs = near_pairs(work.arrays.places, either, far * 1.12 + 0.2)
    if not len(pairs):
        return []
    pairs = np.concatenate([pairs, pairs[:, ::-1]])
    pairs = pairs[np.isin(pairs[:, 0], fits[first]) & np.isin(pairs[:, 1], fits[second])]
    step = work.arrays.places[pairs[:, 1]] - work.arrays.places[pairs[:, 0]]
    pairs = pairs[np.abs(np.hypot(*step.T) - far) < 0.12 * far + 0.1]
    groups: dict[frozenset[int], PadGroup] = {}
    pool = np.unique(np.concatenate(fits))
    own = pattern.places - (pattern.places[first] + pattern.places[second]) / 2
    own_turn = math.atan2(*(pattern.places[second] - pattern.places[first])[::-1])
    for a, b in pairs.tolist():
        from_a = work.arrays.places[b] - work.arrays.places[a]
        angle = math.atan2(from_a[1], from_a[0]) - own_turn
        cos, sin = math.cos(angle), math.sin(angle)
        spots = (
            own @ np.array([[cos, sin], [-sin, cos]])
            + (work.arrays.places[a] + work.arrays.places[b]) / 2
        )
        gaps = np.hypot(*(work.arrays.places[pool][:, None] - spots[None]).transpose(2, 0, 1))
        chosen = pool[gaps.argmin(axis=0)]
        members = frozenset(chosen.tolist())
        if len(members) < len(spots) or members in groups or gaps.min(axis=0).max() > 0.7:
            continue
        group = _small(work, sorted(members), pattern)
        if group is not None:
            groups[members] = group
    return list(groups.values())


def _small(work: _Side, members: list[int], pattern: Pattern) -> PadGroup | None:
    chosen = work.arrays.chosen(members)
    seen = like(chosen, usual_turns(chosen), (pattern,))
    if (
        seen is None
        or seen.misfit > _LOOSEST_SMALL[len(members)]
        or _uneven(chosen, seen)
        or _crowded(work, members, seen)
    ):
        return None
    if len(members) == 4 and seen.misfit > _SURE_OF_FOUR and _rather_two_chips(work, members):
        return None
    seen = replace(seen, pins={members[k]: pin for k, pin in seen.pins.items()})
    return PadGroup(tuple(members), seen, seen.rotation_deg % 90, seen.package.lands[0].kind)


def _rather_two_chips(work: _Side, members: Sequence[int]) -> bool:
    """True where four pads are two likely chips side by side: no two of them, across the corner,
    hang on one net, as a crystal's case pads do.
    """
    first, *others = members
    for other in others:
        rest = [k for k in others if k != other]
        one, two = _pair(work, first, other), _pair(work, *rest)
        if one is None or two is None or max(one.misfit, two.misfit) > _LIKELY_CHIP:
            continue
        corners = [(first, k) for k in rest] + [(other, k) for k in rest]
        far = max(math.dist(*work.arrays.places[list(pair)]) for pair in corners)
        tied = any(
            work.nets[a] is not None and work.nets[a] == work.nets[b]
            for a, b in corners
            if math.dist(*work.arrays.places[[a, b]]) > 0.95 * far
        )
        if not tied:
            return True
    return False


def _uneven(pads: PadArrays, seen: Likeness) -> bool:
    """True when some pads are larger than their lands and others smaller: they are not of one part."""
    own = {land.pin: land.area_mm2 for land in seen.package.lands}
    shares = [float(np.prod(pads.sizes[k])) / own[pin] for k, pin in seen.pins.items()]
    return max(shares) > 1.35 * min(shares)


def _crowded(work: _Side, members: Sequence[int], seen: Likeness) -> bool:
    """True when a free pad of no other part stands within the body these pads would have, or all of
    them hang on one net.
    """
    nets = {work.nets[k] for k in members}
    if len(nets) == 1 and None not in nets:
        return True
    others = np.array(sorted(work.free - set(members)), dtype=np.int64)
    if not len(others):
        return False
    angle = math.radians(seen.rotation_deg)
    turn = np.array([[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]])
    inside = (work.arrays.places[others] - (seen.x_mm, seen.y_mm)) @ turn
    half = np.array([seen.package.body_x_mm / 2, seen.package.body_y_mm / 2])
    reach = np.abs(np.array([(land.x_mm, land.y_mm) for land in seen.package.lands])).max(axis=0)
    return bool((np.abs(inside) < np.maximum(half, reach)).all(axis=1).any())


# --- strips


def _take_strips(work: _Side) -> None:
    """Rows without anything over against them: an odd number, a usual pitch or many pads; their
    kind is not known. An even number at any other pitch may be chips end to end.
    """
    for row in rows_of(work.arrays, work.free):
        count = len(row.pads)
        usual = any(abs(row.pitch_mm - one) < 0.015 * one for one in _USUAL_PITCHES_MM)
        if count >= 3 and (count % 2 or usual or count >= _STRIP_LEAST):
            work.take(PadGroup(row.pads, None, row.angle_deg % 90))


# --- pairs


def _take_pairs(work: _Side) -> None:
    """Two like pads facing each other; the best fitting and nearest first."""
    free = np.array(sorted(work.free), dtype=np.int64)
    pairs = near_pairs(work.arrays.places, free, _PAIR_REACH_MM)
    if not len(pairs):
        return
    a, b = pairs.T
    sizes = np.sort(work.arrays.sizes, axis=1)
    like_sizes = (np.abs(sizes[a] - sizes[b]) <= 0.12 * np.minimum(sizes[a], sizes[b]) + 0.02).all(
        axis=1
    )
    far = np.hypot(*(work.arrays.places[a] - work.arrays.places[b]).T)
    kept = like_sizes & (far < 4.2 * sizes[a].max(axis=1) + 1.0)
    found = []
    nearest: dict[int, float] = {}
    for one, other, distance in sorted(
        zip(a[kept].tolist(), b[kept].tolist(), far[kept].tolist(), strict=True),
        key=lambda pair: pair[2],
    ):
        nearest.setdefault(one, distance)
        nearest.setdefault(other, distance)
        if work.nets[one] is not None and work.nets[one] == work.nets[other]:
            continue
        pair = _pair(work, one, other)
        if pair is not None:
            detour = distance / min(nearest[one], nearest[other]) - 1
            found.append((pair.misfit + 0.4 * detour, distance, pair))
    for _, _, pair in sorted(found, key=lambda one: one[:2]):
        work.take(pair)


def _pair(work: _Side, one: int, other: int) -> PadGroup | None:
    """The two-terminal part of a pair, turned as the line between its pads; None for pads that
    stand askew to each other or too wide apart for any body.
    """
    step = work.arrays.places[other] - work.arrays.places[one]
    angle = math.degrees(math.atan2(step[1], step[0]))
    for k in (one, other):
        askew = abs((work.arrays.angles[k] - angle + 45) % 90 - 45)
        round_ = work.area[k] < _DISC_SHARE * np.prod(work.arrays.sizes[k])
        if askew > 7.0 and not round_:
            return None
    length, width = np.mean([_along(work, k, angle) for k in (one, other)], axis=0)
    if _something_between(work, one, other, min(width, 1.0)):
        return None
    known = _two_lands()
    misses = known.misses(math.hypot(*step), length, width)
    best = int(misses.argmin())
    if misses[best] > 1.25:
        return None
    pattern = patterns()[2][best]
    x, y = work.arrays.places[[one, other]].mean(axis=0)
    first, second = (land.pin for land in pattern.package.lands)
    pins = {one: first, other: second}
    seen = Likeness(
        name=pattern.name,
        package=pattern.package,
        x_mm=float(x),
        y_mm=float(y),
        rotation_deg=angle % 360,
        pins=pins,
        misfit=float(misses[best]),
    )
    return PadGroup((one, other), seen, angle % 90, pattern.package.lands[0].kind)


def _along(work: _Side, pad: int, angle: float) -> Numbers:
    """A pad's size along a direction (°) and across it, mm."""
    turned = round(((work.arrays.angles[pad] - angle) % 180) / 90.0) % 2 == 1
    return np.asarray(work.arrays.sizes[pad][:: -1 if turned else 1])


def _something_between(work: _Side, one: int, other: int, width: float) -> bool:
    """True when another pad stands between two pads, wherever it belongs."""
    start, end = work.arrays.places[one], work.arrays.places[other]
    far = math.dist(start, end)
    along = (end - start) / far
    near = work.near(start, far)
    offset = work.arrays.places[near] - start
    forth, aside = offset @ along, np.abs(offset @ np.array([-along[1], along[0]]))
    inside = (forth > 0.1 * far) & (forth < 0.9 * far) & (aside < width / 2 + 0.05)
    return bool(inside.any())


@dataclass(frozen=True, kw_only=True)
class _TwoLands:
    """All two-terminal outlines: distance of the lands' middles, their length and width (n,), mm."""

    apart: Numbers
    lengths: Numbers
    widths: Numbers
    chips: NDArray[np.bool_]
    strict: Numbers

    def misses(self, apart: float, length: float, width: float) -> Numbers:
        """How badly a pair of pads fits each (n,). Of chips makers agree on the length over all
        more than on the distance of middles; other things must be met more exactly, since chips
        are commonest.
        """
        outer = self.apart + self.lengths
        thick = np.abs(np.log(width / self.widths))
        long = np.abs(np.log(length / self.lengths))
        as_chip = np.abs(apart + length - outer) / (0.11 * outer + 0.1) + 0.35 * thick + 0.2 * long
        as_other = np.abs(apart - self.apart) / (0.07 * self.apart + 0.1) + 0.5 * thick + 0.3 * long
        as_chip = np.where(thick > math.log(_NO_CHIP_WIDTH), math.inf, as_chip)
        return np.where(self.chips, as_chip, as_other * self.strict + _NO_CHIP)


@lru_cache(maxsize=1)
def _two_lands() -> _TwoLands:
    every = patterns()[2]
    families = [one.package.family for one in every]
    return _TwoLands(
        apart=np.array([np.ptp(one.places[:, 0]) for one in every]),
        lengths=np.array([one.sizes[0, 0] for one in every]),
        widths=np.array([one.sizes[0, 1] for one in every]),
        chips=np.array([family == "chip" for family in families]),
        strict=np.array([_STRICT if family == "diode" else 1.0 for family in families]),
    )


# --- bodies


def _without_overlaps(work: _Side) -> list[PadGroup]:
    """The groups whose bodies lie clear of each other, the clearest kept first."""
    ranked = sorted(work.groups, key=lambda one: (one.likeness is None, -len(one.pads), one.misfit))
    boxes = {id(group): _body(work, group) for group in ranked}
    kept: list[PadGroup] = []
    cells: dict[tuple[int, int], list[PadGroup]] = {}
    for group in ranked:
        box = boxes[id(group)]
        low, high = (
            np.floor(box.min(axis=0) / 5).astype(int),
            np.floor(box.max(axis=0) / 5).astype(int),
        )
        places = [(x, y) for x in range(low[0], high[0] + 1) for y in range(low[1], high[1] + 1)]
        near = {id(other): other for place in places for other in cells.get(place, ())}
        if any(_overlap(box, boxes[id(other)]) for other in near.values()):
            continue
        kept.append(group)
        for place in places:
            cells.setdefault(place, []).append(group)
    return kept


def _body(work: _Side, group: PadGroup) -> Numbers:
    """Corners (4, 2) of the body, or of the box of the pads' middles where no package is known."""
    angle = math.radians(group.likeness.rotation_deg if group.likeness else group.angle_deg)
    turn = np.array([[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]])
    if group.likeness is not None:
        package = group.likeness.package
        half = np.array([package.body_x_mm, package.body_y_mm]) / 2 - 0.1
        middle = np.array([group.likeness.x_mm, group.likeness.y_mm])
    else:
        own = work.arrays.places[list(group.pads)] @ turn
        half = np.ptp(own, axis=0) / 2
        middle = turn @ ((own.min(axis=0) + own.max(axis=0)) / 2)
    corners = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)]) * np.maximum(half, 0.02)
    return np.asarray(corners @ turn.T + middle)


def _overlap(one: Numbers, other: Numbers) -> bool:
    """True when two rectangles share ground (separating axes)."""
    for box in (one, other):
        for edge in (box[1] - box[0], box[2] - box[1]):
            axis = edge / max(float(np.hypot(*edge)), 1e-9)
            a, b = one @ axis, other @ axis
            if a.max() <= b.min() + 0.05 or b.max() <= a.min() + 0.05:
                return False
    return True
