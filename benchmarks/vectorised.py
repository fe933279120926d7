"""The same equations in vectorised NumPy: the yardstick for the compiled kernel.

Explicit board step; parts and joints implicit as in the kernel, written as array operations over
all parts at once. Kept plain: it is what a good NumPy programmer writes first.
"""

from typing import Any

import numpy as np

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.network import Network
from yellowfen.core.heat.surface import EMISSIVITY, INSULATING_REST_W_M2K, STEFAN_BOLTZMANN


def run(
    network: Network,
    segment: Any,
    around: Any,
    step_s: float,
    steps: int,
    still: float,
    ambient_c: float,
) -> tuple[Any, Any]:
    """Step `steps` times; returns (theta (layers, cells), joint temperatures above ambient)."""
    grid = network.grid
    row = grid.nx + 2
    theta = np.zeros((grid.layers, grid.cells))
    gx, gy, c0 = grid.gx, grid.gy, grid.c0
    gxw, gys = np.roll(gx, 1, axis=1), np.roll(gy, row, axis=1)
    slopes = grid.slopes[:, None]
    board = grid.flat(grid.inside.astype(float)) * grid.areas_m2
    open_top, open_low = board * (1 - network.covered_top), board * (1 - network.covered_bottom)
    joints, bodies = network.joints, network.bodies
    owner = np.repeat(np.arange(len(bodies)), np.diff(network.joint_of_body))
    link_owner = np.repeat(np.arange(len(joints)), np.diff(network.joint_links))
    gap_owner = np.repeat(np.arange(len(bodies)), np.diff(network.gap_links))
    enthalpy = -joints[:, k.J_HEAT] * joints[:, k.J_SOLIDUS]
    body, shell = np.zeros(len(bodies)), np.zeros(len(bodies))
    refresh_s = segment[k.SECONDS] / len(around)
    air = ambient_c + 273.15
    link_cell, gap_cell = network.link_cell.astype(np.int64), network.gap_cell.astype(np.int64)
    link_sum = np.bincount(link_owner, network.link_w_k, len(joints))
    gap_sum = np.bincount(gap_owner, network.gap_w_k, len(bodies))
    warm = np.zeros(len(joints))
    for step in range(steps):
        nozzle = tuple(around[int(step * step_s / refresh_s), [k.NOZZLE_X, k.NOZZLE_Y]])
        q = gx * (np.roll(theta, -1, axis=1) - theta) + gxw * (np.roll(theta, 1, axis=1) - theta)
        q += gy * (np.roll(theta, -row, axis=1) - theta) + gys * (
            np.roll(theta, row, axis=1) - theta
        )
        q[1:] += grid.through_w_k * (theta[:-1] - theta[1:])
        q[:-1] += grid.through_w_k * (theta[1:] - theta[:-1])
        q[0] += _face(
            theta[0],
            open_top,
            grid.cell_x,
            ys=grid.cell_y,
            nozzle=nozzle,
            segment=segment,
            still=still,
            air=air,
        )
        q[-1] -= open_low * INSULATING_REST_W_M2K * theta[-1]
        # parts
        body_air = _air(
            bodies[:, k.B_X],
            bodies[:, k.B_Y],
            bodies[:, k.B_HALF_X],
            bodies[:, k.B_HALF_Y],
            shell,
            nozzle,
            segment,
            still,
            air,
        )
        joint_air = _air(
            joints[:, k.J_X], joints[:, k.J_Y], None, None, warm, nozzle, segment, still, air
        )
        solid, latent, per = joints[:, k.J_SOLIDUS], joints[:, k.J_LATENT], 1 / joints[:, k.J_HEAT]
        base = joints[:, k.J_HEAT] / step_s
        area = joints[:, k.J_AIR_AREA]
        source = area * joint_air[1] + np.bincount(
            link_owner, network.link_w_k * theta[0, link_cell], len(joints)
        )
        lead = joints[:, k.J_LEAD]
        total = link_sum + lead + area * (joint_air[0] + joint_air[2])
        melting = (enthalpy >= 0) & (enthalpy <= latent)
        lean_a = np.where(melting, warm, (base * warm + source) / (base + total))
        lean_b = np.where(melting, 0.0, lead / (base + total))
        jet_k, jet_q = bodies[:, k.B_JET_AREA] * body_air[0], bodies[:, k.B_JET_AREA] * body_air[1]
        loss = bodies[:, k.B_LOSS_AREA] * body_air[2]
        rate, shell_rate, tie = (
            bodies[:, k.B_HEAT] / step_s,
            bodies[:, k.B_SHELL_HEAT] / step_s,
            bodies[:, k.B_SHELL_W_K],
        )
        shell_hold = shell_rate + jet_k + loss + tie
        shell_a, shell_b = (shell_rate * shell + jet_q) / shell_hold, tie / shell_hold
        push = (
            rate * body
            + tie * shell_a
            + np.bincount(gap_owner, network.gap_w_k * theta[0, gap_cell], len(bodies))
            + np.bincount(owner, lead * lean_a, len(bodies))
        )
        hold = (
            rate
            + tie * (1 - shell_b)
            + gap_sum
            + np.bincount(owner, lead * (1 - lean_b), len(bodies))
        )
        guess = push / hold
        drive = source + lead * guess[owner]
        relax = base / (base + total)
        after = (enthalpy + step_s * (drive - total * solid)) * relax
        liquid = (
            latent
            + (enthalpy - latent + step_s * (drive - total * (solid + joints[:, k.J_RANGE])))
            * relax
        )
        mushy = (enthalpy + step_s * (drive - total * solid)) / (
            1 + step_s * total * joints[:, k.J_RANGE] / latent
        )
        enthalpy = np.where(after <= 0, after, np.where(liquid >= latent, liquid, mushy))
        warm = np.where(
            enthalpy < 0,
            solid + enthalpy * per,
            np.where(
                enthalpy <= latent,
                solid + joints[:, k.J_RANGE] * enthalpy / latent,
                solid + joints[:, k.J_RANGE] + (enthalpy - latent) * per,
            ),
        )
        link_q = network.link_w_k * (theta[0, link_cell] - warm[link_owner])
        gap_q = network.gap_w_k * (theta[0, gap_cell] - guess[gap_owner])
        flow = (
            tie * (shell_a + shell_b * guess - guess)
            + np.bincount(gap_owner, gap_q, len(bodies))
            - np.bincount(owner, lead * (guess[owner] - warm), len(bodies))
        )
        q[0] -= np.bincount(link_cell, link_q, grid.cells) + np.bincount(
            gap_cell, gap_q, grid.cells
        )
        body = body + step_s * flow / bodies[:, k.B_HEAT]
        shell = shell_a + shell_b * guess
        soft = 1 / (1 + slopes * theta)
        d = step_s * q / c0 * soft
        theta = theta + d * (1 - 0.5 * slopes * d * soft)
    return theta, warm


def _face(
    theta: Any, area: Any, xs: Any, ys: Any, nozzle: Any, segment: Any, still: float, air: float
) -> Any:
    jet, carried, loss = _air(xs, ys, None, None, theta, nozzle, segment, still, air)
    return area * (carried - (jet + loss) * theta)


def _air(
    xs: Any,
    ys: Any,
    half_x: Any,
    half_y: Any,
    theta: Any,
    nozzle: Any,
    segment: Any,
    still: float,
    air: float,
) -> Any:
    jet, carried = np.zeros_like(theta), np.zeros_like(theta)
    offsets = [(0.0, 0.0)] if half_x is None else [(a, b) for a in (-1, 0, 1) for b in (-1, 0, 1)]
    for a, b in offsets:
        dx = xs - nozzle[0] + (0 if half_x is None else a * half_x * 0.6667)
        dy = ys - nozzle[1] + (0 if half_y is None else b * half_y * 0.6667)
        r2 = dx * dx + dy * dy
        h = segment[k.JET_H] / np.sqrt(1 + r2 / segment[k.JET_SPREAD] ** 2)
        jet += h / len(offsets)
        carried += (
            h
            / len(offsets)
            * segment[k.JET_WARMTH]
            * segment[k.JET_K]
            / np.sqrt(1 + r2 / segment[k.JET_WARMTH_RADIUS] ** 2)
        )
    free = still * np.abs(theta + 0.01) ** 0.25
    hot = air + theta
    glow = EMISSIVITY * STEFAN_BOLTZMANN * (hot * hot + air * air) * (hot + air)
    jetted = jet > free
    return (
        np.where(jetted, jet, 0.0),
        np.where(jetted, carried, 0.0),
        np.where(jetted, glow, glow + free),
    )
