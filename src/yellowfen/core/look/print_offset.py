"""How far a whole print is off: the openings' drawing moved over the picture of paste until both
look alike.

The bare board in three greys (mask, metal, paste over the openings), blurred as the picture is,
against the picture itself round some forty pads, by weighted least squares over the two shifts.
Places that do not look like it (paste that lacks, a smear) weigh little.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.look.flat_picture import Flat
from yellowfen.core.look.picture_fit import Array, blurred

Ring = Sequence[tuple[float, float]]
MOST_PLACES, LEAST_PLACES = 40, 3
MOST_CELLS = 100_000  # of a place: larger openings say no more and would fill the memory
ROUNDS = 12
AROUND_MM = 0.1
STEP_CELLS = 3.0  # farthest move in a round
SETTLED_CELLS = 0.05
FARTHEST_MM = 0.5
LEAST_SPREAD = 3.0  # of greys
PARTS = 4  # of a cell's side, for the share of a cell within an outline


def print_offset(
    flat: Flat,
    pads: Sequence[Ring],
    openings: Sequence[Ring],
    greys: tuple[float, float, float],
    start: tuple[float, float] = (0.0, 0.0),
) -> tuple[float, float]:
    """The print's shift (x, y; mm, at most 0.5 each way) from outlines of pads and openings, the
    greys of mask, bare metal and paste, and a first guess; the guess where less than three openings
    lie in the picture.
    """
    mask, metal, paste = greys
    metals, printed = _boxed(pads), _boxed(openings)
    seen = [place for box in printed if (place := _place(flat, box)) is not None]
    if len(seen) < LEAST_PLACES:
        return start
    places = [
        (grey, xs, ys, mask + (metal - mask) * _within(pads, metals, xs, ys))
        for grey, xs, ys in seen[:: max(1, len(seen) // MOST_PLACES)]
    ]
    offset = np.array(start)
    loose = abs(paste - metal)  # first all weighs; then what does not look like it, less and less
    for _ in range(ROUNDS):
        leans, lefts = [], []
        for grey, xs, ys, bare in places:
            share = _within(openings, printed, xs - offset[0], ys - offset[1])
            lefts.append((grey - blurred(bare + (paste - bare) * share, 2)).ravel())
            slopes = np.gradient(share, xs[1] - xs[0])
            leans.append([blurred((bare - paste) * one, 2).ravel() for one in slopes[::-1]])
        lean: Array = np.concatenate(leans, axis=1)
        left: Array = np.concatenate(lefts)
        spread = max(1.4826 * float(np.median(np.abs(left))), LEAST_SPREAD, loose)
        loose *= 0.5
        weights = 1.0 / (1.0 + (left / (2.0 * spread)) ** 2) ** 2
        normal, side = (lean * weights) @ lean.T, (lean * weights) @ left
        cell = places[0][1][1] - places[0][1][0]
        move = np.linalg.solve(normal + 1e-9 * np.eye(2), side)
        offset += np.clip(move, -STEP_CELLS * cell, STEP_CELLS * cell)
        if loose < LEAST_SPREAD and np.abs(move).max() < SETTLED_CELLS * cell:
            break
    x, y = np.clip(offset, -FARTHEST_MM, FARTHEST_MM)
    return float(x), float(y)


def _boxed(rings: Sequence[Ring]) -> Array:
    """The box of each outline: least x, y, greatest x, y (n, 4)."""
    return np.array([(*np.min(ring, axis=0), *np.max(ring, axis=0)) for ring in rings])


def _place(flat: Flat, box: Array) -> tuple[Array, Array, Array] | None:
    """The picture round a box at a pixel a cell, with the cells' middles; None where it does not
    reach, or for too large a box."""
    low = np.floor((box[:2] - AROUND_MM - (flat.x0_mm, flat.y0_mm)) / flat.cell_mm).astype(int)
    high = np.ceil((box[2:] + AROUND_MM - (flat.x0_mm, flat.y0_mm)) / flat.cell_mm).astype(int)
    high = low + (high - low) // flat.finer * flat.finer
    height, width = flat.grey.shape
    if (low < 0).any() or (high > (width, height)).any() or (high - low < 4 * flat.finer).any():
        return None
    if np.prod(high - low) > MOST_CELLS * flat.finer**2:
        return None
    grey = flat.grey[low[1] : high[1], low[0] : high[0]]
    if not np.isfinite(grey).all():
        return None
    rows, columns = grey.shape[0] // flat.finer, grey.shape[1] // flat.finer
    grey = grey.reshape(rows, flat.finer, columns, flat.finer).mean(axis=(1, 3))
    cell, half = flat.cell_mm * flat.finer, (flat.finer - 1) / 2
    xs = flat.x0_mm + flat.cell_mm * (low[0] + half) + cell * np.arange(columns)
    ys = flat.y0_mm + flat.cell_mm * (low[1] + half) + cell * np.arange(rows)
    return grey, xs, ys


def _within(rings: Sequence[Ring], boxes: Array, xs: Array, ys: Array) -> Array:
    """How much of each cell (middles given, square) lies within outlines that do not overlap."""
    cell = xs[1] - xs[0]
    parts = ((np.arange(PARTS) + 0.5) / PARTS - 0.5) * cell
    across, up = (xs[:, None] + parts).ravel(), (ys[:, None] + parts).ravel()
    inside = np.zeros((len(up), len(across)), dtype=bool)
    near = (boxes[:, :2] < (across[-1], up[-1])).all(axis=1) & (
        boxes[:, 2:] > (across[0], up[0])
    ).all(axis=1)
    for n in np.flatnonzero(near).tolist():
        points = np.array(rings[n], dtype=np.float64)
        for (px, py), (qx, qy) in zip(points, np.roll(points, -1, axis=0), strict=True):
            first, last = np.searchsorted(up, (min(py, qy), max(py, qy)))
            if first == last:
                continue
            cut = px + (up[first:last] - py) * (qx - px) / (qy - py)
            inside[first:last] ^= across < cut[:, None]
    share: NDArray[np.float64] = inside.reshape(len(ys), PARTS, len(xs), PARTS).mean(axis=(1, 3))
    return share
