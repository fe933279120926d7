"""Plate, thermostat and iron against closed forms and published series."""

import math

import numpy as np
import pytest
from scipy.optimize import brentq

from tests.outside.kernel_bench import Slab
from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.kernel import step_plate


def test_plate_heats_a_slab_as_the_series_says() -> None:
    """A slab heated by convection from below, its top insulated: the eigenvalue series of the plane
    wall with the wall's middle at our top face (Incropera & DeWitt, transient conduction, plane
    wall; after Heisler and Gröber).
    """
    depth, k_solid, heat, h, hot = 1.6e-3, 0.3, 2.0e6, 300.0, 200.0
    layers, cell = 9, 1e-3
    step_m = depth / (layers - 1)
    half = 0.5 * step_m * cell**2 * heat
    slab = Slab(
        3,
        3,
        layers,
        cell_m=cell,
        sheet_w_k=[0.0] * layers,
        through_w_k=k_solid * cell**2 / step_m,
        heat_j_k=[half, *[2 * half] * (layers - 2), half],
    )
    slab.contact_w_m2k, slab.plate_k = h, hot
    answer = slab.run(12.0, 0.0, 0.0, step_s=0.002, frame_s=3.0)
    biot, alpha = h * depth / k_solid, k_solid / heat
    roots = [
        brentq(lambda z: z * math.tan(z) - biot, n * math.pi + 1e-9, (n + 0.5) * math.pi - 1e-9)
        for n in range(8)
    ]
    for frame, at in zip(answer["top"][1:5], (3.0, 6.0, 9.0, 12.0), strict=False):
        fourier = alpha * at / depth**2
        series = sum(
            4 * math.sin(z) / (2 * z + math.sin(2 * z)) * math.exp(-z * z * fourier) for z in roots
        )
        assert frame[1, 1] == pytest.approx(hot * (1 - series), abs=0.01 * hot)


def thermostat(
    power: float, loss: float, heat: float, band: float, set_k: float, seconds: float, step: float
) -> np.ndarray:
    plate = np.array([1.0, heat, power, loss, band, 0.0, 1.0])
    state = np.array([set_k, 0.0, 0.0, 0.0])
    course = []
    for _ in range(int(seconds / step)):
        step_plate(state, plate, set_k, 0.0, step)
        course.append(state[k.S_PLATE_K])
    return np.array(course)


def test_thermostat_cycles_as_a_lumped_plate_does() -> None:
    """Period of a lumped body between two levels: τ ln((θ_on − low)/(θ_on − high)) + τ
    ln(high/low), by the closed form of each leg.
    """
    power, loss, heat, band, set_k, step = 600.0, 1.5, 500.0, 30.0, 220.0, 0.02
    course = thermostat(power, loss, heat, band=band, set_k=set_k, seconds=2000.0, step=step)
    low, high, tau, top = set_k - band / 2, set_k + band / 2, heat / loss, power / loss
    period = tau * math.log((top - low) / (top - high)) + tau * math.log(high / low)
    settled = course[len(course) // 3 :]
    rising = np.nonzero((settled[:-1] < set_k) & (settled[1:] >= set_k))[0]
    assert np.diff(rising).mean() * step == pytest.approx(period, rel=0.005)
    assert settled.max() == pytest.approx(high, abs=0.1)
    assert settled.min() == pytest.approx(low, abs=0.1)


def test_a_steady_plate_settles_on_its_setting() -> None:
    plate = np.array([2.0, 500.0, 800.0, 1.2, 0.0, 40.0, 60.0])
    state = np.array([0.0, 0.0, 0.0, 0.0])
    for _ in range(60000):
        step_plate(state, plate, 200.0, 30.0, 0.02)
    assert state[k.S_PLATE_K] == pytest.approx(200.0, abs=0.2)
    assert state[k.S_PLATE_J] > 0


def spreading(cells: int, radius_cells: float, layers: int) -> tuple[float, float]:
    """(mean temperature of a heated disc on a square column, its radius over the column's) per
    W/(k·cell): computed steady state.
    """
    n, cell, k_solid, heat = cells, 1e-3, 1.0, 1e3
    fine = (np.arange(n * 8) + 0.5) / 8 - n / 2
    disc = (
        (fine[:, None] ** 2 + fine[None, :] ** 2 <= radius_cells**2)
        .astype(float)
        .reshape(n, 8, n, 8)
        .mean(axis=(1, 3))
    )
    g, c = k_solid * cell, heat * cell**3
    slab = Slab(
        n,
        n,
        layers,
        cell_m=cell,
        sheet_w_k=[g / 2, *[g] * (layers - 2), g / 2],
        through_w_k=g,
        heat_j_k=[c / 2, *[c] * (layers - 2), c / 2],
        lost_below_w_m2k=2e3,
        source_share=disc,
    )
    flux = 1e6
    answer = slab.run(0.8, 1e-3, flux / 1e-3, step_s=2.5e-5, frame_s=0.8)
    mean = float((answer["final"][0] * disc).sum() / disc.sum())
    watts = flux * disc.sum() * cell**2
    column = (layers - 1) * cell / (k_solid * (n * cell) ** 2) + 1 / (2e3 * (n * cell) ** 2)
    return (mean / watts - column) * k_solid * radius_cells * cell, radius_cells * math.sqrt(
        math.pi
    ) / n


@pytest.mark.slow
def test_spreading_from_a_tip_against_the_published_resistance() -> None:
    """A disc of even flux on a long column: k·a·R = (8/3π²)(1 − 1.41042 ε + 0.34406 ε³ + 0.04302
    ε⁵…) as ε = a/b → the half-space's 8/(3π²) (half-space: Carslaw & Jaeger; column: Yovanovich,
    1976, mean temperature, coefficients from memory). Cells a quarter of the disc's radius.
    """
    mean, share = spreading(24, 4.0, 17)
    published = (
        8 / (3 * math.pi**2) * (1 - 1.41042 * share + 0.34406 * share**3 + 0.04302 * share**5)
    )
    assert mean == pytest.approx(published, rel=0.06)
