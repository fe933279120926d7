"""Speed and error of the heat kernel against its own short step, vectorised NumPy and the machine's floor."""

import time

import numpy as np

from benchmarks import vectorised
from benchmarks.heat_case import reference_scene
from benchmarks.pages import pages
from yellowfen.core.heat import rehearsal as r
from yellowfen.core.heat.grid import make_grid
from yellowfen.core.heat.network import build_network
from yellowfen.core.heat.rehearsal import FINE, Rehearsal, Resolution, rehearse

BYTES_PER_CELL, FLOPS_PER_CELL = 48, 30


def best(repeats: int, work) -> tuple[float, object]:  # type: ignore[no-untyped-def]
    """The shortest wall time of some repeats, and the last result."""
    shortest, result = float("inf"), None
    for _ in range(repeats):
        began = time.perf_counter()
        result = work()
        shortest = min(shortest, time.perf_counter() - began)
    return shortest, result


def errors(usual: Rehearsal, exact: Rehearsal) -> tuple[float, float, float]:
    """(RMS, max) in K over joints, bodies and board pictures at the same moments, and RMS of the joints alone."""
    gaps = []
    for mine, true in ((usual.joint_c, exact.joint_c), (usual.body_c, exact.body_c)):
        for column in range(mine.shape[1]):
            gaps.append(mine[1:, column] - np.interp(usual.times_s[1:], exact.times_s, true[:, column]))
    joints = np.concatenate(gaps)
    count = min(len(usual.frames_c), len(exact.frames_c))
    board = (usual.frames_c[1:count] - exact.frames_c[1:count]).ravel()
    everything = np.concatenate([joints, board])
    return float(np.sqrt(np.mean(everything**2))), float(np.abs(everything).max()), float(np.sqrt(np.mean(joints**2)))


def bandwidth_gb_s() -> float:
    """Bytes a second that one thread moves through arrays of the working set's size."""
    a, b = np.ones(96_000), np.ones(96_000)
    seconds, _ = best(5, lambda: [np.add(a, b, out=b) for _ in range(400)])
    return 400 * 3 * a.nbytes / seconds / 1e9


def flops_g_s() -> float:
    """Floating-point operations a second of one thread in a matrix product (double precision), an upper mark."""
    a = np.random.default_rng(1).random((700, 700))
    seconds, _ = best(4, lambda: a @ a)
    return 2 * 700**3 / seconds / 1e9


def heat() -> None:
    scene = reference_scene()
    rehearse(reference_scene(1.0))
    wall, usual = best(5, lambda: rehearse(scene, FINE))
    double, _ = best(3, lambda: rehearse(scene, Resolution(single_precision=False)))
    exact = rehearse(scene, Resolution(max_step_s=0.0005, single_precision=False, sample_s=0.01))
    rms, worst, joints_rms = errors(usual, exact)  # type: ignore[arg-type]
    model = usual.model  # type: ignore[attr-defined]
    print(
        f"heat kernel, 100 x 80 x 1.6 mm, {model.cells} cells, 100 parts, 400 joints, 60 s of circling air, step {model.step_s * 1e3:.1f} ms"
    )
    print(f"  wall {wall:.3f} s = {60 / wall:.0f} x real time (goal 50); double precision {double:.3f} s")
    print(f"  error against a 0.5 ms step: RMS {rms:.4f} K (goal 0.05), max {worst:.2f} K, joints and bodies alone RMS {joints_rms:.4f} K")
    print(f"  energy residual {usual.energy.residual_j:.4f} J of {usual.energy.put_in_j:.0f} J put in")  # type: ignore[attr-defined]
    network = build_network(scene, make_grid(scene.board, 1.0, 4))
    segment = r._segments(scene, network, FINE, [])[0]
    length = 80 * 100 * 1e-3 / 360
    steps = 400
    slow, _ = best(2, lambda: vectorised.run(network, segment, model.step_s, steps, r._still(length, 23, True), 23.0))
    numpy_wall = slow / steps * model.steps
    print(
        f"  vectorised NumPy, same step, {steps} of {model.steps} steps timed: {numpy_wall:.1f} s, so {numpy_wall / wall:.0f} x slower (goal 10)"
    )
    updates = model.cells * model.steps
    by_bytes, by_flops = updates * BYTES_PER_CELL / bandwidth_gb_s() / 1e9, updates * FLOPS_PER_CELL / flops_g_s() / 1e9
    print(
        f"  floor of one double-precision sweep: {by_bytes:.3f} s by bytes, {by_flops:.3f} s by arithmetic; wall is {wall / max(by_bytes, by_flops):.2f} x the larger"
    )


if __name__ == "__main__":
    heat()
    pages()
