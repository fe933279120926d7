"""The stepping kernel against solutions of mathematics.

Orders and tolerances are stated at each check.
"""

import math

import numpy as np
import pytest
from mpmath import besseli, besselk
from scipy.integrate import solve_ivp
from scipy.special import erfc

from tests.outside.kernel_bench import Slab
from yellowfen.core.heat import kernel_tables as k


def test_lumped_cooling() -> None:
    """A thin conductive plate loses heat by a constant coefficient: exp(−hAt/C) (Incropera &
    DeWitt, lumped capacitance).
    """
    slab = Slab(
        4,
        4,
        3,
        cell_m=1e-3,
        sheet_w_k=[0.01] * 3,
        through_w_k=0.03,
        heat_j_k=[1e-3, 2e-3, 1e-3],
        start_k=100.0,
        lost_below_w_m2k=50.0,
    )
    answer = slab.run(60.0, 0.0, 0.0, step_s=0.002, frame_s=20.0)
    rate = 50.0 * 1e-6 / 4e-3
    for frame, at in zip(answer["top"][1:4], (20.0, 40.0, 60.0), strict=False):
        assert frame.mean() == pytest.approx(100.0 * math.exp(-rate * at), rel=2e-3)


def test_lumped_cooling_with_rising_heat_capacity() -> None:
    """The same plate with c = c₀(1 + 0.0015 θ), against SciPy's integrator."""
    slab = Slab(
        4,
        4,
        3,
        cell_m=1e-3,
        sheet_w_k=[0.01] * 3,
        through_w_k=0.03,
        heat_j_k=[1e-3, 2e-3, 1e-3],
        slope=0.0015,
        start_k=200.0,
        lost_below_w_m2k=50.0,
    )
    answer = slab.run(60.0, 0.0, 0.0, step_s=0.002, frame_s=60.0)
    exact = solve_ivp(
        lambda t, y: -50e-6 * y / (4e-3 * (1 + 0.0015 * y)), (0, 60), [200.0], rtol=1e-9, atol=1e-9
    ).y[0, -1]
    assert answer["final"].mean() == pytest.approx(exact, rel=2e-3)


def _semi_infinite_error(layers: int) -> float:
    """Worst error (share of the drive) of the face of a thick slab under convection, against erfc."""
    depth, k_solid, heat, h, drive = 8e-3, 0.3, 2.0e6, 120.0, 300.0
    slab_m = depth / (layers - 1)
    cell = 1e-3
    half = 0.5 * slab_m * cell**2 * heat
    slab = Slab(
        3,
        3,
        layers,
        cell_m=cell,
        sheet_w_k=[0.0] * layers,
        through_w_k=k_solid * cell**2 / slab_m,
        heat_j_k=[half, *[2 * half] * (layers - 2), half],
    )
    step = 0.1 * slab_m**2 * heat / k_solid
    answer = slab.run(20.0, h, drive, step_s=min(step, 0.01), frame_s=5.0)
    alpha = k_solid / heat
    worst = 0.0
    for frame, at in zip(answer["top"][1:5], (5.0, 10.0, 15.0, 20.0), strict=False):
        b = h * math.sqrt(alpha * at) / k_solid
        exact = drive * (1 - math.exp(b * b) * erfc(b))
        worst = max(worst, abs(frame[1, 1] - exact) / drive)
    return worst


def test_semi_infinite_solid_with_convection() -> None:
    """Incropera & DeWitt, semi-infinite solid, surface convection; second order in the layer
    thickness.
    """
    coarse, fine = _semi_infinite_error(9), _semi_infinite_error(17)
    assert fine < 3e-3
    assert coarse / fine > 2.8


def test_steady_disc_source_on_a_thin_plate() -> None:
    """A disc heated evenly on a thin plate that loses heat below: Bessel functions (fin equation,
    e.g. Carslaw & Jaeger).
    """
    n, cell, radius, sheet, h = 81, 0.5e-3, 4e-3, 4e-3, 160.0
    centre = (n / 2) * cell
    fine = (np.arange(n * 10) + 0.5) * cell / 10
    inside = ((fine[:, None] - centre) ** 2 + (fine[None, :] - centre) ** 2 <= radius**2).astype(
        float
    )
    share = inside.reshape(n, 10, n, 10).mean(axis=(1, 3))
    heat = 4e-7
    slab = Slab(
        n,
        n,
        3,
        cell_m=cell,
        sheet_w_k=[sheet / 4, sheet / 2, sheet / 4],
        through_w_k=3.0e-3,
        heat_j_k=[heat / 4, heat / 2, heat / 4],
        lost_below_w_m2k=h,
        source_share=share,
    )
    flux = 20000.0
    answer = slab.run(0.12, 1e-3, flux / 1e-3, step_s=3e-6, frame_s=0.12)
    m = math.sqrt(h / sheet)
    row = answer["final"].mean(axis=0)[n // 2]
    for cells_out in (0, 4, 10, 14):
        r = cells_out * cell
        if r < radius:
            exact = flux / h * (1 - m * radius * float(besselk(1, m * radius) * besseli(0, m * r)))
        else:
            exact = flux / h * m * radius * float(besseli(1, m * radius) * besselk(0, m * r))
        assert row[n // 2 + cells_out] == pytest.approx(exact, rel=0.02)


def test_latent_plateau() -> None:
    """A joint under constant heat stands at its melting point for L / q and melts at the
    closed-form moments.
    """
    heat, latent, solidus, q = 2e-3, 0.15, 160.0, 0.02
    joint = np.zeros((1, k.JOINT_COLUMNS))
    joint[0, [k.J_HEAT, k.J_PER_HEAT, k.J_LATENT, k.J_SOLIDUS, k.J_AIR_AREA, k.J_TOP, k.J_OPEN]] = (
        heat,
        1 / heat,
        latent,
        solidus,
        1.0,
        1.0,
        1.0,
    )
    body = np.zeros((1, k.BODY_COLUMNS))
    body[0, [k.B_HEAT, k.B_SHELL_HEAT, k.B_LIMIT]] = 1.0, 1.0, 1e9
    slab = Slab(
        2,
        2,
        3,
        cell_m=1e-3,
        sheet_w_k=[1e-6] * 3,
        through_w_k=1e-6,
        heat_j_k=[1.0] * 3,
        joints=joint,
        bodies=body,
        joint_of_body=np.array([0, 1]),
    )
    slab.enthalpy = np.array([-heat * solidus])
    answer = slab.run(40.0, 1e-9, q / 1e-9, step_s=0.005, frame_s=40.0)
    start, end = answer["joints"][0, k.R_MELT_START], answer["joints"][0, k.R_MELT_END]
    assert start == pytest.approx(heat * solidus / q, abs=1e-2)
    assert end - start == pytest.approx(latent / q, rel=1e-3)


def test_energy_in_a_closed_slab() -> None:
    """All heat put in by a uniform source is found in the slab."""
    slab = Slab(
        6,
        5,
        4,
        cell_m=1e-3,
        sheet_w_k=[5e-3] * 4,
        through_w_k=1e-3,
        heat_j_k=[1e-3] * 4,
        slope=0.0015,
    )
    answer = slab.run(10.0, 100.0, 300.0, step_s=0.01, frame_s=10.0)
    assert answer["stored_j"] == pytest.approx(answer["energy"][k.E_JET], rel=1e-5)
