"""The compiled solver of pad_cells: heat at rest in a small block of cells, some of them grounded.

Conjugate gradients, each step eased by one sweep up and one down through the cells.
"""

import numba
import numpy as np

MOST_STEPS = 400


@numba.njit(cache=True, error_model="numpy")
def solve(gx, gy, gz, ground, source, close):
    """Temperatures (layers, ny, nx), K, of cells with the heat of `source`, W.

    gx, gy (layers, ny, nx): W/K to the next cell in x and in y, 0 at the last. gz (ny, nx): W/K
    between layers. `ground`: W/K from each cell to 0 K. Stops where what is left is `close` times
    what was.
    """
    layers, ny, nx = ground.shape
    whole = np.empty((layers, ny, nx))
    for z in range(layers):
        for j in range(ny):
            for i in range(nx):
                g = ground[z, j, i] + gx[z, j, i] + gy[z, j, i] + 1e-12
                if i:
                    g += gx[z, j, i - 1]
                if j:
                    g += gy[z, j - 1, i]
                if z:
                    g += gz[j, i]
                if z < layers - 1:
                    g += gz[j, i]
                whole[z, j, i] = g
    field = np.zeros((layers, ny, nx))
    left = source.copy()
    eased = np.empty((layers, ny, nx))
    way = np.zeros((layers, ny, nx))
    passed = np.empty((layers, ny, nx))
    before, first = 1.0, 0.0
    for step in range(MOST_STEPS):
        for z in range(layers):
            for j in range(ny):
                for i in range(nx):
                    value = left[z, j, i]
                    if i:
                        value += gx[z, j, i - 1] * eased[z, j, i - 1]
                    if j:
                        value += gy[z, j - 1, i] * eased[z, j - 1, i]
                    if z:
                        value += gz[j, i] * eased[z - 1, j, i]
                    eased[z, j, i] = value / whole[z, j, i]
        now = 0.0
        for z in range(layers - 1, -1, -1):
            for j in range(ny - 1, -1, -1):
                for i in range(nx - 1, -1, -1):
                    value = 0.0
                    if i < nx - 1:
                        value += gx[z, j, i] * eased[z, j, i + 1]
                    if j < ny - 1:
                        value += gy[z, j, i] * eased[z, j + 1, i]
                    if z < layers - 1:
                        value += gz[j, i] * eased[z + 1, j, i]
                    eased[z, j, i] += value / whole[z, j, i]
                    now += eased[z, j, i] * left[z, j, i]
        if step == 0:
            first = now
        if now <= close * close * first or now == 0.0:
            break
        share = now / before if step else 0.0
        before = now
        for z in range(layers):
            for j in range(ny):
                for i in range(nx):
                    way[z, j, i] = eased[z, j, i] + share * way[z, j, i]
        along = 0.0
        for z in range(layers):
            for j in range(ny):
                for i in range(nx):
                    here = way[z, j, i]
                    value = whole[z, j, i] * here
                    if i:
                        value -= gx[z, j, i - 1] * way[z, j, i - 1]
                    if i < nx - 1:
                        value -= gx[z, j, i] * way[z, j, i + 1]
                    if j:
                        value -= gy[z, j - 1, i] * way[z, j - 1, i]
                    if j < ny - 1:
                        value -= gy[z, j, i] * way[z, j + 1, i]
                    if z:
                        value -= gz[j, i] * way[z - 1, j, i]
                    if z < layers - 1:
                        value -= gz[j, i] * way[z + 1, j, i]
                    passed[z, j, i] = value
                    along += here * value
        size = now / along
        for z in range(layers):
            for j in range(ny):
                for i in range(nx):
                    field[z, j, i] += size * way[z, j, i]
                    left[z, j, i] -= size * passed[z, j, i]
    return field
