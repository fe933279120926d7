"""The board alone by FiPy at 0.1 s: finite volumes, conjugate gradients.

No parts and no joints, the copper smeared in each layer; for its cost only.
"""

import math
from typing import Any

import numpy as np

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.network import Network


def run(network: Network, segment: Any, around: Any, step_s: float, steps: int) -> Any:
    """Step `steps` times; returns temperatures above ambient, one a cell."""
    from fipy import (
        CellVariable,
        DiffusionTerm,
        Grid3D,
        ImplicitSourceTerm,
        LinearPCGSolver,
        TransientTerm,
    )

    grid = network.grid
    thick = 1.6e-3 / grid.layers
    mesh = Grid3D(nx=grid.nx, ny=grid.ny, nz=grid.layers, dx=grid.dx_m, dy=grid.dy_m, dz=thick)
    x, y, z = (np.asarray(axis) for axis in mesh.cellCenters)
    layer = np.minimum((z / thick).astype(int), grid.layers - 1)
    heat = np.array([grid.unflat(row).mean() for row in grid.c0])[layer] / (
        grid.dx_m * grid.dy_m * thick
    )
    sheet = np.array([grid.unflat(row)[:, :-1].mean() for row in grid.gx])[layer] / thick
    theta = CellVariable(mesh=mesh, value=0.0)
    draw, push = CellVariable(mesh=mesh, value=0.0), CellVariable(mesh=mesh, value=0.0)
    capacity, conductivity = (
        CellVariable(mesh=mesh, value=heat),
        CellVariable(mesh=mesh, value=sheet),
    )
    equation = TransientTerm(coeff=capacity) == DiffusionTerm(
        coeff=conductivity
    ) + push - ImplicitSourceTerm(coeff=draw)
    top = layer == grid.layers - 1
    solver = LinearPCGSolver(tolerance=1e-5, iterations=300)
    refresh_s = segment[k.SECONDS] / len(around)
    for step in range(steps):
        nx, ny = around[int(step * step_s / refresh_s), [k.NOZZLE_X, k.NOZZLE_Y]]
        r2 = (x - nx) ** 2 + (y - ny) ** 2
        h = segment[k.JET_H] / np.sqrt(1 + r2 / segment[k.JET_SPREAD] ** 2)
        air = (
            segment[k.JET_WARMTH]
            * segment[k.JET_K]
            / np.sqrt(1 + r2 / segment[k.JET_WARMTH_RADIUS] ** 2)
        )
        draw.setValue(np.where(top, h / thick, 0.0))
        push.setValue(np.where(top, h * air / thick, 0.0))
        equation.solve(var=theta, dt=step_s, solver=solver)
    hottest = float(np.asarray(theta.value).max())
    if not math.isfinite(hottest):
        raise ArithmeticError("the comparison diverged")
    return np.asarray(theta.value)
