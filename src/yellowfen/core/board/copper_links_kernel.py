"""The compiled loops of copper links: finely drawn copper between the middles of two neighbouring
cells, solved for the heat it passes.

A region is `PARTS` × `PARTS` squares, held at 1 and 0 at its two ends and sealed at its sides.
Regions whose two bounds agree (rows apart: too little; columns levelled: too much) take their
geometric mean; the others are solved exactly, `LANES` at once.
"""

import numba
import numpy as np

PARTS = 8
LANES = 64
CLOSE = 1.08
_FAST = {"contract", "reassoc", "nsz", "arcp"}


@numba.njit(cache=True, fastmath=_FAST, error_model="numpy")
def _solve(along, across, band, right, passed):
    """Conductance of `LANES` regions (along the flow, across, lane): banded elimination from the
    hot end to the cold one.
    """
    parts = along.shape[0]
    count = parts * parts
    two = np.float32(2.0)
    ease = np.empty(LANES, dtype=np.float32)
    share = np.empty(LANES, dtype=np.float32)
    band[:] = np.float32(0.0)
    right[:] = np.float32(0.0)
    for a in range(parts):
        for b in range(parts):
            n = a * parts + b
            for w in range(LANES):
                here = along[a, b, w]
                if a == 0:
                    band[n, 0, w] += two * here
                    right[n, w] = two * here
                if a == parts - 1:
                    band[n, 0, w] += two * here
                else:
                    other = along[a + 1, b, w]
                    g = two * here * other / (here + other)
                    band[n, 0, w] += g
                    band[n + parts, 0, w] += g
                    band[n, parts, w] = -g
                if b < parts - 1:
                    here = across[a, b, w]
                    other = across[a, b + 1, w]
                    g = two * here * other / (here + other)
                    band[n, 0, w] += g
                    band[n + 1, 0, w] += g
                    band[n, 1, w] = -g
    for n in range(count):  # lanes innermost, so that the loops vectorise
        last = min(parts, count - 1 - n)
        for w in range(LANES):
            ease[w] = np.float32(1.0) / band[n, 0, w]
        for i in range(1, last + 1):
            for w in range(LANES):
                share[w] = band[n, i, w] * ease[w]
                right[n + i, w] -= share[w] * right[n, w]
            for j in range(i, last + 1):
                for w in range(LANES):
                    band[n + i, j - i, w] -= share[w] * band[n, j, w]
    passed[:] = np.float32(0.0)
    for n in range(count - 1, count - parts - 1, -1):
        for w in range(LANES):
            level = right[n, w]
            for j in range(1, count - n):
                level -= band[n, j, w] * right[n + j, w]
            right[n, w] = level / band[n, 0, w]
            passed[w] += two * along[parts - 1, n - (count - parts), w] * right[n, w]


@numba.njit(cache=True, fastmath=_FAST, error_model="numpy")
def _bounds(region):
    """(rows apart, columns levelled) conductances of a region (along, across)."""
    parts = region.shape[0]
    low = np.float32(0.0)
    for b in range(parts):
        ohms = np.float32(0.0)
        for a in range(parts):
            ohms += np.float32(1.0) / region[a, b]
        low += np.float32(1.0) / ohms
    ohms = np.float32(0.0)
    for a in range(parts):
        level = np.float32(0.0)
        for b in range(parts):
            level += region[a, b]
        ohms += np.float32(1.0) / level
    return low, np.float32(1.0) / ohms


@numba.njit(cache=True, fastmath=_FAST, error_model="numpy")
def _fine_rows(
    first, x0, x1, fine_row, begin, from_row, to_row, fine_mm, floor, strips, uprights, line
):
    """Conductances of a few fine rows of squares, in x into the last rows of `strips`, in y into
    those of `uprights`; returns the span row that comes next.

    A square covered in part is copper and laminate behind each other in x (a span ends in it) and
    beside each other in y; its rows of spans lie the other way round. So a gap stays a gap wherever
    it falls between squares. A row of squares that no row of spans falls into (they are scattered,
    and up to 0.08 mm apart on rich drawings) is as the row below it.
    """
    one = np.float32(1.0)
    count = to_row - from_row
    below = len(strips) - count - 1
    last = fine_row[len(fine_row) - 1] if len(fine_row) else -2
    flat, upright = strips[below + 1 :], uprights[below + 1 :]
    flat[:] = np.float32(0.0)
    upright[:] = np.float32(0.0)
    seen = np.zeros(count, dtype=np.int64)
    width = flat.shape[1]
    k = begin
    while k < len(first) - 1 and fine_row[k] < to_row:
        y = fine_row[k] - from_row
        if y >= 0:
            seen[y] += 1
            line[:] = np.float32(0.0)
            for s in range(first[k], first[k + 1]):
                low, high = max(x0[s], 0.0) / fine_mm, min(x1[s] / fine_mm, float(width))
                if high <= low:
                    continue
                a, b = int(low), int(high)
                if a == b:
                    line[a] += np.float32(high - low)
                    continue
                line[a] += np.float32(a + 1 - low)
                for cell in range(a + 1, b):
                    line[cell] = one
                if b < width:
                    line[b] += np.float32(high - b)
            for cell in range(width):
                share = min(line[cell], one)
                flat[y, cell] += one / (share / (one + floor) + (one - share) / floor)
                upright[y, cell] += one / (share + floor)
        k += 1
    for y in range(len(seen)):
        rows = np.float32(seen[y])
        for cell in range(width):
            if seen[y]:
                flat[y, cell] /= rows
                upright[y, cell] = rows / upright[y, cell]
            elif from_row + y <= last + 1:
                flat[y, cell] = strips[below + y, cell]
                upright[y, cell] = uprights[below + y, cell]
            else:
                flat[y, cell] = floor
                upright[y, cell] = floor
    return k


@numba.njit(cache=True, fastmath=_FAST, error_model="numpy")
def _link_row(
    flat, upright, top, left, upward, out, along, across, band, right, passed, places, region
):
    """Links of one row of cells: along the row, or `upward` to the next row, from strips of fine
    rows that begin at `top`.
    """
    parts = PARTS
    waiting = 0
    for i in range(out.shape[0]):
        x = i * parts + left
        least, most = np.float32(9.0), np.float32(0.0)
        for a in range(parts):
            for b in range(parts):
                value = upright[top + a, x + b] if upward else flat[top + b, x + a]
                region[a, b] = value
                least = min(least, value)
                most = max(most, value)
        if most - least < np.float32(1e-3):
            out[i] = most
            continue
        low, high = _bounds(region)
        if high < np.float32(CLOSE) * low:
            out[i] = np.sqrt(low * high)
            continue
        for a in range(parts):
            for b in range(parts):
                along[a, b, waiting] = region[a, b]
                across[a, b, waiting] = flat[top + a, x + b] if upward else upright[top + b, x + a]
        places[waiting] = i
        waiting += 1
        if waiting == LANES:
            _solve(along, across, band, right, passed)
            for w in range(LANES):
                out[places[w]] = passed[w]
            waiting = 0
    if waiting:
        for w in range(waiting, LANES):
            for a in range(parts):
                for b in range(parts):
                    along[a, b, w] = along[a, b, 0]
                    across[a, b, w] = across[a, b, 0]
        _solve(along, across, band, right, passed)
        for w in range(waiting):
            out[places[w]] = passed[w]


@numba.njit(cache=True, nogil=True, error_model="numpy")
def links(first, x0, x1, fine_row, fine_mm, floor, along_x, along_y):
    """Fill along_x (ny, nx − 1) and along_y (ny − 1, nx) with conductances relative to full copper,
    `floor` being the laminate's.
    """
    ny, nx = along_x.shape[0], along_y.shape[1]
    parts, half = PARTS, PARTS // 2
    small = np.float32(floor)
    flat = np.full((2 * parts, nx * parts), small)
    upright = np.full((2 * parts, nx * parts), small)
    line = np.zeros(nx * parts, dtype=np.float32)
    along = np.ones((parts, parts, LANES), dtype=np.float32)
    across = np.ones((parts, parts, LANES), dtype=np.float32)
    region = np.ones((parts, parts), dtype=np.float32)
    band = np.zeros((parts * parts, parts + 1, LANES), dtype=np.float32)
    right = np.zeros((parts * parts, LANES), dtype=np.float32)
    passed = np.zeros(LANES, dtype=np.float32)
    places = np.zeros(LANES, dtype=np.int64)
    k = _fine_rows(first, x0, x1, fine_row, 0, 0, parts, fine_mm, small, flat, upright, line)
    for j in range(ny):
        for y in range(parts):
            for x in range(nx * parts):
                flat[y, x] = flat[parts + y, x]
                upright[y, x] = upright[parts + y, x]
        k = _fine_rows(
            first,
            x0,
            x1,
            fine_row,
            k,
            (j + 1) * parts,
            (j + 2) * parts,
            fine_mm,
            small,
            flat,
            upright,
            line,
        )
        _link_row(
            flat,
            upright,
            0,
            half,
            False,
            along_x[j],
            along,
            across,
            band,
            right,
            passed,
            places,
            region,
        )
        if j < ny - 1:
            _link_row(
                flat,
                upright,
                half,
                0,
                True,
                along_y[j],
                along,
                across,
                band,
                right,
                passed,
                places,
                region,
            )
