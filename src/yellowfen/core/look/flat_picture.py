"""A picture laid flat on the board's millimetres, and freed from uneven light."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.board import Pad
from yellowfen.core.look.picture_fit import Array, PictureFit, sampled, to_picture
from yellowfen.errors import Refused

Mask = NDArray[np.bool_]
MOST_CELLS = 6_000_000
FINE_UM = 11.0  # coarser pictures are laid out at half a pixel a cell
NEAR_MM = 0.7  # how far round the pads it reaches


@dataclass(frozen=True, kw_only=True)
class Flat:
    """A picture laid on the board: grey over millimetres, row 0 the lowest; `x0, y0` the middle of
    the first cell; not a number where the picture does not reach. `finer`: cells to a pixel's side.
    """

    grey: Array
    x0_mm: float
    y0_mm: float
    cell_mm: float
    finer: int = 1

    def mask(self, ring: Sequence[tuple[float, float]]) -> tuple[slice, slice, Mask]:
        """Cells of the box round an outline, and which of them lie inside it (even-odd)."""
        points = np.array(ring, dtype=np.float64)
        height, width = self.grey.shape
        a = np.floor((points.min(axis=0) - (self.x0_mm, self.y0_mm)) / self.cell_mm).astype(int)
        b = np.ceil((points.max(axis=0) - (self.x0_mm, self.y0_mm)) / self.cell_mm).astype(int) + 1
        x0, y0 = max(int(a[0]), 0), max(int(a[1]), 0)
        x1, y1 = min(int(b[0]), width), min(int(b[1]), height)
        if x1 <= x0 or y1 <= y0:
            return slice(0, 0), slice(0, 0), np.zeros((0, 0), dtype=bool)
        xs = self.x0_mm + np.arange(x0, x1) * self.cell_mm
        ys = self.y0_mm + np.arange(y0, y1) * self.cell_mm
        inside = np.zeros((len(ys), len(xs)), dtype=bool)
        following = np.roll(points, -1, axis=0)
        for (px, py), (qx, qy) in zip(points, following, strict=True):
            if py == qy:
                continue
            rows = (ys >= min(py, qy)) & (ys < max(py, qy))
            cut = px + (ys - py) * (qx - px) / (qy - py)
            inside[rows] ^= xs[None, :] < cut[rows, None]
        return slice(y0, y1), slice(x0, x1), inside


def laid_flat(image: Array, fit: PictureFit, pads: Sequence[Pad]) -> Flat:
    """One channel of a picture over the box round these pads, a cell a pixel, bounded in number.

    Raises Refused when none of the pads lies in the picture.
    """
    height, width = image.shape
    rings = [np.array(pad.ring) for pad in pads]
    seen = []
    for ring in rings:
        spots = to_picture(fit, ring)
        if ((spots >= 0) & (spots <= (width - 1, height - 1))).all():
            seen.append(ring)
    if not seen:
        raise Refused("no pad of this side is completely in the picture; click the places again")
    points = np.concatenate(seen)
    low, high = points.min(axis=0) - NEAR_MM, points.max(axis=0) + NEAR_MM
    least = math.sqrt(float(np.prod(high - low)) / MOST_CELLS)
    finer = 2 if fit.um_px > FINE_UM and fit.um_px / 2000.0 >= least else 1
    cell = max(fit.um_px / 1000.0 / finer, least)
    xs, ys = np.arange(low[0], high[0], cell), np.arange(low[1], high[1], cell)
    grey = np.empty((len(ys), len(xs)))
    for n in range(0, len(ys), 200):
        grid = np.stack(np.meshgrid(xs, ys[n : n + 200]), axis=-1).reshape(-1, 2)
        grey[n : n + 200] = sampled(image, to_picture(fit, grid)).reshape(-1, len(xs))
    return Flat(
        grey=grey, x0_mm=float(low[0]), y0_mm=float(low[1]), cell_mm=float(cell), finer=finer
    )


def even_light(flat: Flat, board: Mask) -> Flat:
    """The light taken out: a smooth surface through the bare mask's grey, divided away."""
    rows, columns = np.nonzero(board & np.isfinite(flat.grey))
    if len(rows) < 400:
        return flat
    stride = max(len(rows) // 40000, 1)
    rows, columns = rows[::stride], columns[::stride]
    height, width = flat.grey.shape
    value = np.log(np.maximum(flat.grey[rows, columns], 1.0))
    terms = _surface(2.0 * columns / width - 1.0, 2.0 * rows / height - 1.0)
    weights: Array = np.ones(len(value))
    found: Array = np.zeros(terms.shape[1])
    for _ in range(6):
        heavy = terms * weights[:, None]
        found = np.linalg.lstsq(heavy.T @ terms, heavy.T @ value, rcond=None)[0]
        left = value - terms @ found
        spread = 1.4826 * float(np.median(np.abs(left))) + 1e-3
        weights = np.where(np.abs(left) < 3 * spread, (1 - (left / (3 * spread)) ** 2) ** 2, 0.0)
    grey = np.empty_like(flat.grey)
    across = 2.0 * np.arange(width) / width - 1.0
    for n in range(0, height, 200):
        down = 2.0 * np.arange(n, min(n + 200, height)) / height - 1.0
        a, b = (one.ravel() for one in np.meshgrid(across, down))
        light = (_surface(a, b) @ found).reshape(len(down), width)
        grey[n : n + 200] = flat.grey[n : n + 200] / np.exp(light - found[0])
    return Flat(
        grey=grey, x0_mm=flat.x0_mm, y0_mm=flat.y0_mm, cell_mm=flat.cell_mm, finer=flat.finer
    )


def _surface(a: Array, b: Array) -> Array:
    return np.column_stack((np.ones(len(a)), a, b, a * a, a * b, b * b))
