"""The compiled solver of pad_cells: heat at rest in a small block of cells, some of them grounded.

Conjugate gradients, each step eased by one sweep up and one down through the cells, which lie in a
ring of empty ones so that no sweep asks where the block ends.

Law: with temperatures scaled by the root of what each cell passes in all, the equations are
A = I − L − Lᵀ, and (I − L)⁻¹ A (I − Lᵀ)⁻¹ p = t + (I − L)⁻¹ (p − t) with t = (I − Lᵀ)⁻¹ p: the two
sweeps of a step are all it costs (S. C. Eisenstat, Efficient implementation of a class of
preconditioned conjugate gradient methods, 1981; from memory).
"""

import numba
import numpy as np

MOST_STEPS = 400
ONE = np.uint64(1)
_MATH = {"contract", "reassoc", "nsz", "arcp"}


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _product(one, other):
    total = 0.0
    for i in range(one.shape[0]):
        total += one[i] * other[i]
    return total


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _sum_and_product(out, more, way):
    """Add `more` to `out`; their sum's product with `way`."""
    total = 0.0
    for i in range(out.shape[0]):
        out[i] += more[i]
        total += out[i] * way[i]
    return total


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _less(out, one, other):
    for i in range(out.shape[0]):
        out[i] = one[i] - other[i]


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _advanced(field, left, size, swept, passed):
    """A step of `size`; what is left, squared."""
    total = 0.0
    for i in range(field.shape[0]):
        field[i] += size * swept[i]
        left[i] -= size * passed[i]
        total += left[i] * left[i]
    return total


@numba.njit(cache=True, fastmath=_MATH, error_model="numpy")
def _turned(way, left, share):
    for i in range(way.shape[0]):
        way[i] = left[i] + share * way[i]


@numba.njit(cache=True, fastmath={"contract"}, error_model="numpy")
def _swept_up(out, own, east, north, up, rows, count, row, layer):
    """(I − L)⁻¹ of `own`, cell by cell from the first; `rows` begin at these places."""
    for first in rows:
        here = 0.0
        for i in range(first, first + count):
            value = own[i] + north[i - row] * out[i - row] + up[i - layer] * out[i - layer]
            here = value + east[i - ONE] * here
            out[i] = here


@numba.njit(cache=True, fastmath={"contract"}, error_model="numpy")
def _swept_down(out, own, east, north, up, rows, count, row, layer):
    """(I − Lᵀ)⁻¹ of `own`, cell by cell from the last."""
    for at in range(rows.shape[0] - 1, -1, -1):
        last = rows[at] + count - ONE
        here = 0.0
        for back in range(count):
            i = last - back
            value = own[i] + north[i] * out[i + row] + up[i] * out[i + layer]
            here = value + east[i] * here
            out[i] = here


@numba.njit(cache=True, error_model="numpy")
def solve(gx, gy, gz, ground, source, close):
    """Temperatures (layers, ny, nx), K, of cells with the heat of `source`, W.

    gx, gy (layers, ny, nx): W/K to the next cell in x and in y, 0 at the last. gz (ny, nx): W/K
    between layers. `ground`: W/K from each cell to 0 K. Stops where what is left is `close` times
    what was.
    """
    layers, ny, nx = ground.shape
    ringed = (layers + 2, ny + 2, nx + 2)
    east, north, up = np.zeros(ringed), np.zeros(ringed), np.zeros(ringed)
    own, ease = np.zeros(ringed), np.zeros(ringed)
    # Cell by cell: slices assigned to slices compile for seconds.
    for z in range(layers):
        for j in range(ny):
            for i in range(nx):
                east[z + 1, j + 1, i + 1] = gx[z, j, i]
                north[z + 1, j + 1, i + 1] = gy[z, j, i]
                own[z + 1, j + 1, i + 1] = source[z, j, i]
                if z < layers - 1:
                    up[z + 1, j + 1, i + 1] = gz[j, i]
    for z in range(1, layers + 1):
        for j in range(1, ny + 1):
            for i in range(1, nx + 1):
                g = ground[z - 1, j - 1, i - 1] + 1e-12
                g += east[z, j, i] + north[z, j, i] + up[z, j, i]
                g += east[z, j, i - 1] + north[z, j - 1, i] + up[z - 1, j, i]
                ease[z, j, i] = 1.0 / np.sqrt(g)
    for z in range(1, layers + 1):
        for j in range(1, ny + 1):
            for i in range(1, nx + 1):
                east[z, j, i] *= ease[z, j, i] * ease[z, j, i + 1]
                north[z, j, i] *= ease[z, j, i] * ease[z, j + 1, i]
                up[z, j, i] *= ease[z, j, i] * ease[z + 1, j, i]
    row, layer, count = np.uint64(nx + 2), np.uint64((nx + 2) * (ny + 2)), np.uint64(nx)
    rows = np.empty(layers * ny, dtype=np.uint64)
    for z in range(layers):
        for j in range(ny):
            rows[z * ny + j] = ((z + 1) * (ny + 2) + j + 1) * (nx + 2) + 1
    size = ease.size
    eased, east, north, up = (
        ease.reshape(size),
        east.reshape(size),
        north.reshape(size),
        up.reshape(size),
    )
    field, left, own = np.zeros(size), np.zeros(size), own.reshape(size)
    way, swept, passed = np.zeros(size), np.zeros(size), np.zeros(size)
    own *= eased
    _swept_up(left, own, east, north, up, rows, count, row, layer)
    first = now = _product(left, left)
    share = 0.0
    for _ in range(MOST_STEPS):
        if now <= close * close * first or now == 0.0:
            break
        _turned(way, left, share)
        _swept_down(swept, way, east, north, up, rows, count, row, layer)
        _less(own, way, swept)
        _swept_up(passed, own, east, north, up, rows, count, row, layer)
        along = _sum_and_product(passed, swept, way)
        before = now
        now = _advanced(field, left, now / along, swept, passed)
        share = now / before
    field *= eased
    return field.reshape(ringed)[1 : layers + 1, 1 : ny + 1, 1 : nx + 1].copy()
