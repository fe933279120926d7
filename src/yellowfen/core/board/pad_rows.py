"""Rows and grids among pads, at any angle: the raw material of parts that stand in no table.

A lead's land is longer than wide and its row runs across it, whatever way the part is turned; a
bared bit of track makes such a land longer and shifts it along itself, never across. Balls and
square lands stand in grids: each has like neighbours at one distance in two directions.
"""

import itertools
import math
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.likeness import Numbers, PadArrays

LARGEST_PITCH_MM = 2.75
ELONGATED = 1.17
_SAME_ANGLE_DEG = 6.0
_GRID_LEAST = 9
_SEAM_DEG = 6.3  # where a direction turns into its opposite: far from any usual turn of a part


@dataclass(frozen=True, kw_only=True)
class PadRow:
    """Like pads at one pitch on a line: their places in the arrays in order; the middle; the unit
    vector from first to last; pitch, and the pads' size along and across the row, mm.
    """

    pads: tuple[int, ...]
    middle: Numbers
    along: Numbers
    pitch_mm: float
    width_mm: float
    length_mm: float

    @property
    def span_mm(self) -> float:
        return self.pitch_mm * (len(self.pads) - 1)

    @property
    def angle_deg(self) -> float:
        return math.degrees(math.atan2(self.along[1], self.along[0])) % 180


SAME_PLACE_MM = 1e-6


def near_pairs(places: Numbers, members: NDArray[np.int64], reach_mm: float) -> NDArray[np.int64]:
    """Pairs (m, 2), first smaller, of members within reach of each other (a square); two in one
    place are none.
    """
    if len(members) < 2:
        return np.zeros((0, 2), np.int64)
    cells: dict[tuple[int, int], list[int]] = defaultdict(list)
    for index, (cx, cy) in zip(
        members.tolist(), np.floor(places[members] / reach_mm).astype(int).tolist(), strict=True
    ):
        cells[(cx, cy)].append(index)
    found = []
    for (cx, cy), mine in cells.items():
        here = np.array(mine)
        around = [
            one
            for dx, dy in ((1, -1), (1, 0), (1, 1), (0, 1))
            for one in cells.get((cx + dx, cy + dy), ())
        ]
        others = np.array([*mine, *around])
        a, b = np.repeat(here, len(others)), np.tile(others, len(here))
        inside = np.tile(np.arange(len(others)) < len(mine), len(here))
        apart = np.abs(places[a] - places[b]).max(axis=1)
        kept = (apart <= reach_mm) & (apart > SAME_PLACE_MM) & (~inside | (a < b))
        found.append(np.stack([a[kept], b[kept]], axis=1))
    pairs = np.concatenate(found)
    return np.sort(pairs, axis=1)


def _frames(pads: PadArrays) -> tuple[Numbers, Numbers, Numbers]:
    """(unit vector across each pad (n, 2), short size (n,), long size (n,))."""
    longest = np.where(pads.sizes[:, 0] >= pads.sizes[:, 1], pads.angles, pads.angles + 90)
    across = np.radians((longest + 90 + _SEAM_DEG) % 180 - _SEAM_DEG)
    return (
        np.stack([np.cos(across), np.sin(across)], axis=1),
        pads.sizes.min(axis=1),
        pads.sizes.max(axis=1),
    )


def rows_of(pads: PadArrays, members: Iterable[int]) -> list[PadRow]:
    """Runs of two and more like elongated pads side by side at one pitch."""
    across, short, long = _frames(pads)
    free = np.array(sorted(members), dtype=np.int64)
    free = free[long[free] >= ELONGATED * short[free]] if len(free) else free
    pairs = near_pairs(pads.places, free, LARGEST_PITCH_MM)
    if not len(pairs):
        return []
    a, b = pairs.T
    step = pads.places[b] - pads.places[a]
    beside = (step * across[a]).sum(axis=1)
    off = np.abs(step[:, 0] * across[a, 1] - step[:, 1] * across[a, 0])
    like = (
        (np.abs(short[a] - short[b]) <= 0.3 * np.minimum(short[a], short[b]) + 0.02)
        & (np.abs(long[a] - long[b]) <= 0.15 * np.minimum(long[a], long[b]) + 0.2)
        & (np.abs((across[a] * across[b]).sum(axis=1)) > math.cos(math.radians(_SAME_ANGLE_DEG)))
        & (off <= np.maximum(0.14, 0.1 * np.minimum(long[a], long[b])))
        & (np.abs(beside) > 1.04 * np.minimum(short[a], short[b]))
        & (np.abs(beside) <= LARGEST_PITCH_MM)
    )
    forward: dict[int, tuple[float, int]] = {}
    backward: dict[int, tuple[float, int]] = {}
    for one, other, signed in zip(
        a[like].tolist(), b[like].tolist(), beside[like].tolist(), strict=True
    ):
        here, there = (one, other) if signed > 0 else (other, one)
        distance = abs(signed)
        forward[here] = min(forward.get(here, (math.inf, -1)), (distance, there))
        backward[there] = min(backward.get(there, (math.inf, -1)), (distance, here))
    chains = _chains(forward, backward)
    return [
        row
        for chain in chains
        for run in _even_runs(chain, pads.places)
        if len(run) >= 2
        for row in [_row(run, pads, short, long)]
    ]


def _chains(
    forward: dict[int, tuple[float, int]], backward: dict[int, tuple[float, int]]
) -> list[list[int]]:
    """Pads linked where each is the other's nearest on that side."""
    after = {
        one: there for one, (_, there) in forward.items() if backward.get(there, (0, -1))[1] == one
    }
    heads = sorted(set(after) - set(after.values()))
    chains = []
    for head in heads:
        chain, one = [head], head
        while one in after and after[one] not in chain[:1]:
            one = after[one]
            chain.append(one)
        chains.append(chain)
    return chains


def _even_runs(chain: Sequence[int], places: Numbers) -> list[list[int]]:
    """A chain cut wherever a step is clearly longer than one beside it."""
    steps = [math.dist(places[i], places[j]) for i, j in itertools.pairwise(chain)]
    runs, run = [], [chain[0]]
    for k, (step, one) in enumerate(zip(steps, chain[1:], strict=True)):
        beside = [steps[n] for n in (k - 1, k + 1) if 0 <= n < len(steps)]
        if beside and step > 1.13 * min(beside) + 0.02:
            runs.append(run)
            run = [one]
        else:
            run.append(one)
    return [*runs, run]


def _row(run: Sequence[int], pads: PadArrays, short: Numbers, long: Numbers) -> PadRow:
    index = list(run)
    places = pads.places[index]
    whole = places[-1] - places[0]
    far = float(np.hypot(*whole))
    steps = np.hypot(*np.diff(places, axis=0).T)
    return PadRow(
        pads=tuple(index),
        middle=(places[0] + places[-1]) / 2 if len(index) < 4 else places.mean(axis=0),
        along=whole / far,
        pitch_mm=float(np.median(steps)),
        width_mm=float(np.median(short[index])),
        length_mm=float(np.median(long[index])),
    )


def grids_of(pads: PadArrays, members: Iterable[int]) -> list[tuple[tuple[int, ...], float]]:
    """Grids of like square or round pads, three by three and more: (pads, angle °)."""
    _, short, long = _frames(pads)
    free = np.array(sorted(members), dtype=np.int64)
    free = free[long[free] < ELONGATED * short[free]] if len(free) else free
    pairs = near_pairs(pads.places, free, 1.6)
    if not len(pairs):
        return []
    a, b = pairs.T
    like = np.abs(short[a] - short[b]) <= 0.14 * np.minimum(short[a], short[b]) + 0.02
    a, b = a[like], b[like]
    far = np.hypot(*(pads.places[a] - pads.places[b]).T)
    nearest = np.full(len(pads.places), math.inf)
    np.minimum.at(nearest, a, far)
    np.minimum.at(nearest, b, far)
    linked = (far <= 1.1 * nearest[a]) & (far <= 1.1 * nearest[b])
    neighbours: dict[int, list[int]] = defaultdict(list)
    for one, other in zip(a[linked].tolist(), b[linked].tolist(), strict=True):
        neighbours[one].append(other)
        neighbours[other].append(one)
    grids = []
    seen: set[int] = set()
    for start in sorted(neighbours):
        if start in seen:
            continue
        group, todo = [], [start]
        seen.add(start)
        while todo:
            one = todo.pop()
            group.append(one)
            fresh = [other for other in neighbours[one] if other not in seen]
            seen.update(fresh)
            todo += fresh
        if (
            len(group) >= _GRID_LEAST
            and (angle := _grid_angle(group, neighbours, pads.places)) is not None
        ):
            grids.append((tuple(sorted(group)), angle))
    return grids


def _grid_angle(
    group: Sequence[int], neighbours: dict[int, list[int]], places: Numbers
) -> float | None:
    """The turn of a grid below 90°; None for what has neighbours in one direction only, or in none
    of two at right angles.
    """
    turns = np.array(
        [
            math.degrees(math.atan2(*(places[other] - places[one])[::-1]))
            for one in group
            for other in neighbours[one]
        ]
    )
    fourfold = np.exp(4j * np.radians(turns)).mean()
    twofold = abs(np.exp(2j * np.radians(turns)).mean())
    if abs(fourfold) < 0.8 or twofold > 0.8:
        return None
    return float(np.degrees(np.angle(fourfold)) / 4) % 90
