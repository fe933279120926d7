"""Speed and error of the heat kernel against its own short step, vectorised NumPy and the machine's
floor.
"""

import sys
import time
from dataclasses import replace

import numpy as np

from benchmarks import finite_volumes, sparse, vectorised
from benchmarks.boards import boards
from benchmarks.cells import cells
from benchmarks.heat_case import reference_scene
from benchmarks.heat_tools import tools
from benchmarks.load import load
from benchmarks.meanwhile import meanwhile
from benchmarks.pages import pages
from benchmarks.paste import paste
from benchmarks.patterns import patterns
from benchmarks.placement import placement
from benchmarks.random_boards import random_boards
from benchmarks.reforecast import reforecast
from benchmarks.rework import rework
from benchmarks.statistics import statistics
from benchmarks.tours import tours
from yellowfen.core.heat import rehearsal as r
from yellowfen.core.heat.rehearsal import EXACT, FINE, Rehearsal, Resolution, prepare, rehearse

BYTES_PER_CELL, FLOPS_PER_CELL = 48, 30
FLOOR_STEP_S = 0.0125


def best(repeats: int, work) -> tuple[float, object]:  # type: ignore[no-untyped-def]
    """The shortest wall time of some repeats, and the last result."""
    shortest, result = float("inf"), None
    for _ in range(repeats):
        began = time.perf_counter()
        result = work()
        shortest = min(shortest, time.perf_counter() - began)
    return shortest, result


def errors(usual: Rehearsal, exact: Rehearsal) -> tuple[float, float, float]:
    """(RMS, max) in K over joints, bodies and board pictures at the same moments, and RMS of the
    joints alone.
    """
    gaps = []
    for mine, true in ((usual.joint_c, exact.joint_c), (usual.body_c, exact.body_c)):
        for column in range(mine.shape[1]):
            gaps.append(
                mine[1:, column] - np.interp(usual.times_s[1:], exact.times_s, true[:, column])
            )
    joints = np.concatenate(gaps)
    count = min(len(usual.frames_c), len(exact.frames_c))
    board = (usual.frames_c[1:count] - exact.frames_c[1:count]).ravel()
    everything = np.concatenate([joints, board])
    return (
        float(np.sqrt(np.mean(everything**2))),
        float(np.abs(everything).max()),
        float(np.sqrt(np.mean(joints**2))),
    )


def bandwidth_gb_s() -> float:
    """Bytes a second that one thread moves through arrays of the working set's size."""
    a, b = np.ones(96_000), np.ones(96_000)
    seconds, _ = best(5, lambda: [np.add(a, b, out=b) for _ in range(400)])
    return 400 * 3 * a.nbytes / seconds / 1e9


def flops_g_s() -> float:
    """Floating-point operations a second of one thread in a matrix product (double precision), an
    upper mark.
    """
    a = np.random.default_rng(1).random((700, 700))
    seconds, _ = best(4, lambda: a @ a)
    return 2 * 700**3 / seconds / 1e9


def heat() -> None:
    scene = reference_scene()
    rehearse(reference_scene(1.0))
    exact = rehearse(scene, EXACT)
    cells, steps = exact.model.cells, 60 / FLOOR_STEP_S
    by_bytes, by_flops = (
        cells * steps * BYTES_PER_CELL / bandwidth_gb_s() / 1e9,
        cells * steps * FLOPS_PER_CELL / flops_g_s() / 1e9,
    )
    floor = max(by_bytes, by_flops)
    print(
        f"heat kernel, 100 x 80 x 1.6 mm, {cells} cells, 100 parts, 400 joints, 60 s of circling air, one thread"
    )
    print(
        f"  floor: one double-precision sweep of the grid every {FLOOR_STEP_S * 1e3:.1f} ms, {by_bytes:.3f} s by bytes, {by_flops:.3f} s by arithmetic"
    )
    careful = Resolution(max_step_s=0.0125, part_step_s=0.025, nozzle_step_mm=0.5)
    for name, resolution, goals in (
        ("careful", careful, "50 x at 0.05 K"),
        ("usual", FINE, "200 x at 0.1 K"),
    ):
        wall, usual = best(12, lambda resolution=resolution: rehearse(scene, resolution))
        by_bytes = min(by_bytes, cells * steps * BYTES_PER_CELL / bandwidth_gb_s() / 1e9)
        floor = max(by_bytes, by_flops)
        rms, worst, joints_rms = errors(usual, exact)  # type: ignore[arg-type]
        step = usual.model.step_s * 1e3  # type: ignore[attr-defined]
        print(
            f"  {name} (face step {step:.1f} ms, parts {resolution.part_step_s * 1e3:.0f} ms): wall {wall:.3f} s = {60 / wall:.0f} x real time, {wall / floor:.2f} x the floor of {floor:.3f} s;"
            f" error against 0.5 ms: RMS {rms:.3f} K, max {worst:.2f} K, joints and bodies RMS {joints_rms:.3f} K (goal {goals}; or 1.5 x the floor)"
        )
    double, _ = best(3, lambda: rehearse(scene, replace(FINE, single_precision=False)))
    print(
        f"  double precision {double:.3f} s; energy residual {usual.energy.residual_j:.4f} J of {usual.energy.put_in_j:.0f} J put in"
    )  # type: ignore[attr-defined]
    prepared = prepare(scene, FINE)
    drive = prepared.drive(scene)
    length = 80 * 100 * 1e-3 / 360
    steps = 400
    slow, _ = best(
        2,
        lambda: vectorised.run(
            prepared.network,
            drive.segments[0],
            drive.around,
            FINE.max_step_s,
            steps,
            r._still(length, 23, True),
            23.0,
        ),
    )
    numpy_wall = slow / steps * 60 / FINE.max_step_s
    began = time.perf_counter()
    sparse.run(prepared.network, drive.segments[0], drive.around, 0.1, 100)
    sparse_wall = (time.perf_counter() - began) * 6
    print(
        f"  SciPy splu, Crank-Nicolson at 0.1 s, the board alone, 100 of 600 steps timed: {sparse_wall:.1f} s for 60 s, {sparse_wall / wall:.0f} x slower (goal 20)"
    )
    finite_volumes.run(prepared.network, drive.segments[0], drive.around, 0.1, 2)
    began = time.perf_counter()
    finite_volumes.run(prepared.network, drive.segments[0], drive.around, 0.1, 20)
    volumes_wall = (time.perf_counter() - began) * 30
    print(
        f"  FiPy, conjugate gradients at 0.1 s, the board alone, 20 of 600 steps timed: {volumes_wall:.0f} s for 60 s, {volumes_wall / wall:.0f} x slower (goal 150)"
    )
    print(
        f"  vectorised NumPy, {FINE.max_step_s * 1e3:.1f} ms, {steps} steps timed: {numpy_wall:.1f} s for 60 s, {numpy_wall / wall:.0f} x slower (goals 10 and 30)"
    )


def all_statistics() -> None:
    """What is seeded and counted over many benches."""
    statistics()
    reforecast()


def few_tours() -> None:
    """Tours against a dozen random beginnings; `tours 200` takes its minutes."""
    tours(12)


USUAL = {
    "heat": heat,
    "tools": tools,
    "pages": pages,
    "boards": boards,
    "paste": paste,
    "patterns": patterns,
    "placement": placement,
    "random": random_boards,
    "cells": cells,
    "few-tours": few_tours,
    "rework": rework,
}
ASKED = {"statistics": all_statistics, "load": load, "meanwhile": meanwhile}

if __name__ == "__main__":
    name, *rest = sys.argv[1:] or [""]
    if name == "tours":
        tours(*map(int, rest[:1]))
    elif name in USUAL | ASKED:
        (USUAL | ASKED)[name]()
    elif name:
        sys.exit(f"there is no benchmark {name!r}; there are {', '.join(USUAL | ASKED)}, tours")
    else:
        for one in USUAL.values():
            one()
