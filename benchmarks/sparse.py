"""The board alone by SciPy: Crank–Nicolson with one sparse LU factorisation, the moving jet
explicit. No parts and no joints, so a lower bound.
"""

from typing import Any

import numpy as np
from scipy.sparse import coo_matrix, diags, eye
from scipy.sparse.linalg import splu

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.network import Network
from yellowfen.core.heat.surface import INSULATING_REST_W_M2K


def run(network: Network, segment: Any, around: Any, step_s: float, steps: int) -> Any:
    """Step `steps` times; returns temperatures above ambient (layers, ny, nx)."""
    grid = network.grid
    shape = (grid.layers, grid.ny, grid.nx)
    index = np.arange(np.prod(shape)).reshape(shape)
    links = [
        (
            index[:, :, :-1],
            index[:, :, 1:],
            grid.gx.reshape(grid.layers, grid.ny + 2, grid.nx + 2)[:, 1:-1, 1:-2],
        ),
        (
            index[:, :-1],
            index[:, 1:],
            grid.gy.reshape(grid.layers, grid.ny + 2, grid.nx + 2)[:, 1:-2, 1:-1],
        ),
        (index[:-1], index[1:], np.full((grid.layers - 1, grid.ny, grid.nx), grid.through_w_k)),
    ]
    a, b, g = (np.concatenate([one[i].ravel() for one in links]) for i in range(3))
    total = np.bincount(a, g, index.size) + np.bincount(b, g, index.size)
    matrix = coo_matrix(
        (np.concatenate([g, g]), (np.concatenate([a, b]), np.concatenate([b, a]))),
        shape=(index.size, index.size),
    ).tocsr() - diags(total)
    heat = np.array([grid.unflat(row) for row in grid.c0]).ravel()
    rate = diags(1 / heat) @ matrix
    solver = splu((eye(index.size) - 0.5 * step_s * rate).tocsc())
    forward = (eye(index.size) + 0.5 * step_s * rate).tocsr()
    xs, ys = grid.unflat(grid.cell_x).ravel(), grid.unflat(grid.cell_y).ravel()
    top, low = slice(0, xs.size), slice(index.size - xs.size, index.size)
    theta = np.zeros(index.size)
    refresh_s = segment[k.SECONDS] / len(around)
    for step in range(steps):
        x, y = around[int(step * step_s / refresh_s), [k.NOZZLE_X, k.NOZZLE_Y]]
        r2 = (xs - x) ** 2 + (ys - y) ** 2
        h = segment[k.JET_H] / np.sqrt(1 + r2 / segment[k.JET_SPREAD] ** 2)
        air = (
            segment[k.JET_WARMTH]
            * segment[k.JET_K]
            / np.sqrt(1 + r2 / segment[k.JET_WARMTH_RADIUS] ** 2)
        )
        push = np.zeros_like(theta)
        push[top] = grid.dx_m * grid.dy_m * h * (air - theta[top])
        push[low] -= grid.dx_m * grid.dy_m * INSULATING_REST_W_M2K * theta[low]
        theta = solver.solve(forward @ theta + step_s * push / heat)
    return theta.reshape(shape)
