"""The compiled solver of pad_cells: heat at rest in a small block of cells, some of them grounded.

Conjugate gradients, each step eased by one sweep up and one down through the cells, which lie in a
ring of empty ones so that no sweep asks where the block ends.
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
    ringed = (layers + 2, ny + 2, nx + 2)
    inside = slice(1, layers + 1), slice(1, ny + 1), slice(1, nx + 1)
    east, north, up = np.zeros(ringed), np.zeros(ringed), np.zeros(ringed)
    east[inside] = gx
    north[inside] = gy
    for z in range(1, layers):
        up[z, 1 : ny + 1, 1 : nx + 1] = gz
    whole, ease = np.zeros(ringed), np.zeros(ringed)
    for z in range(1, layers + 1):
        for j in range(1, ny + 1):
            for i in range(1, nx + 1):
                g = ground[z - 1, j - 1, i - 1] + 1e-12
                g += east[z, j, i] + north[z, j, i] + up[z, j, i]
                g += east[z, j, i - 1] + north[z, j - 1, i] + up[z - 1, j, i]
                whole[z, j, i] = g
                ease[z, j, i] = 1.0 / g
    field, left = np.zeros(ringed), np.zeros(ringed)
    left[inside] = source
    eased, way, passed = np.zeros(ringed), np.zeros(ringed), np.zeros(ringed)
    before, first = 1.0, 0.0
    for step in range(MOST_STEPS):
        for z in range(1, layers + 1):
            for j in range(1, ny + 1):
                for i in range(1, nx + 1):
                    value = (
                        left[z, j, i]
                        + north[z, j - 1, i] * eased[z, j - 1, i]
                        + up[z - 1, j, i] * eased[z - 1, j, i]
                    )
                    value += east[z, j, i - 1] * eased[z, j, i - 1]
                    eased[z, j, i] = value * ease[z, j, i]
        now = 0.0
        for z in range(layers, 0, -1):
            for j in range(ny, 0, -1):
                for i in range(nx, 0, -1):
                    value = north[z, j, i] * eased[z, j + 1, i] + up[z, j, i] * eased[z + 1, j, i]
                    value += east[z, j, i] * eased[z, j, i + 1]
                    eased[z, j, i] += value * ease[z, j, i]
                    now += eased[z, j, i] * left[z, j, i]
        if step == 0:
            first = now
        if now <= close * close * first or now == 0.0:
            break
        share = now / before if step else 0.0
        before = now
        for z in range(1, layers + 1):
            for j in range(1, ny + 1):
                for i in range(1, nx + 1):
                    way[z, j, i] = eased[z, j, i] + share * way[z, j, i]
        along = 0.0
        for z in range(1, layers + 1):
            for j in range(1, ny + 1):
                for i in range(1, nx + 1):
                    here = way[z, j, i]
                    value = (
                        whole[z, j, i] * here
                        - east[z, j, i - 1] * way[z, j, i - 1]
                        - east[z, j, i] * way[z, j, i + 1]
                        - north[z, j - 1, i] * way[z, j - 1, i]
                        - north[z, j, i] * way[z, j + 1, i]
                        - up[z - 1, j, i] * way[z - 1, j, i]
                        - up[z, j, i] * way[z + 1, j, i]
                    )
                    passed[z, j, i] = value
                    along += here * value
        size = now / along
        for z in range(1, layers + 1):
            for j in range(1, ny + 1):
                for i in range(1, nx + 1):
                    field[z, j, i] += size * way[z, j, i]
                    left[z, j, i] -= size * passed[z, j, i]
    return field[inside].copy()
