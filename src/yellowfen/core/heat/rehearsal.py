"""Run a scene through the thermal model and say what happened to every joint and part.

The result is complete: no screen recomputes anything. Times in s from the first move, temperatures in °C.
"""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.grid import make_grid
from yellowfen.core.heat.jet import JET_FACTOR, Jet, jet_on_board
from yellowfen.core.heat.network import JointName, Network, build_network
from yellowfen.core.heat.scene import Array, Move, Scene, Underside
from yellowfen.core.heat.surface import (
    EMISSIVITY,
    INSULATING_REST_W_M2K,
    METAL_REST_W_M2K,
    STEFAN_BOLTZMANN,
    free_convection_w_m2k,
)

SAFE_STEP = 0.95
REFERENCE_RISE_K = 100.0
NOZZLE_STEP_M = 0.6e-3
REFRESH_S = 0.1


@dataclass(frozen=True)
class JointStory:
    """What happened to one joint; None where it never happened."""

    ref: str
    pin: str
    kind: str
    liquidus_c: float
    melt_start_s: float | None
    melt_end_s: float | None
    freeze_s: float | None
    peak_c: float
    time_above_liquidus_s: float | None


@dataclass(frozen=True)
class PartStory:
    """What happened to one body."""

    ref: str
    body_peak_c: float
    limit_c: float
    limit_why: str
    limit_passed_s: float | None


@dataclass(frozen=True)
class EnergyBalance:
    """Heat in joules; residual = put in − lost − stored, which a right solver leaves near zero."""

    put_in_j: float
    lost_j: float
    stored_j: float

    @property
    def residual_j(self) -> float:
        return self.put_in_j - self.lost_j - self.stored_j

    @property
    def closes(self) -> bool:
        return abs(self.residual_j) <= max(1e-3 * abs(self.put_in_j), 0.01)


@dataclass(frozen=True)
class ModelFacts:
    """How it was computed."""

    cells: int
    nx: int
    ny: int
    layers: int
    cell_mm: float
    step_s: float
    steps: int
    simulated_s: float
    jet_factor: float


@dataclass(frozen=True)
class Rehearsal:
    """The whole answer. Sample arrays: times (n), joint_c (n, joints), body_c (n, parts); frames (m, ny, nx) of the top face."""

    joints: tuple[JointStory, ...]
    parts: tuple[PartStory, ...]
    energy: EnergyBalance
    model: ModelFacts
    warnings: tuple[str, ...]
    times_s: Array
    joint_c: Array
    body_c: Array
    frame_s: float
    frames_c: Array
    board_peak_c: float

    def joints_of(self, ref: str) -> list[JointStory]:
        return [joint for joint in self.joints if joint.ref == ref]

    def part(self, ref: str) -> PartStory:
        return next(part for part in self.parts if part.ref == ref)


@dataclass(frozen=True)
class Resolution:
    """How finely to compute. `max_step_s` only ever shortens the stable step."""

    cell_mm: float = 1.0
    layers: int = 4
    max_step_s: float = 0.0125
    part_step_s: float = 0.025
    sample_s: float = 0.2
    frame_s: float = 1.0
    single_precision: bool = True


FINE = Resolution()
QUICK = Resolution(layers=3, max_step_s=0.02, part_step_s=0.045)
COARSE = Resolution(cell_mm=2.0, layers=3, max_step_s=0.03, part_step_s=0.06, sample_s=0.5, frame_s=1e9)


def rehearse(scene: Scene, resolution: Resolution = FINE) -> Rehearsal:
    """Rehearse a scene. Deterministic; raises InvalidValue only through the scene's own checks."""
    grid = make_grid(scene.board, resolution.cell_mm, resolution.layers)
    network = build_network(scene, grid)
    warnings: list[str] = list(scene.guesses)
    segments = _segments(scene, network, resolution, warnings)
    return _run(scene, network, segments, resolution, warnings)


def stable_step_s(network: Network) -> float:
    """The largest explicit step: SAFE_STEP over the fastest cell's rate ΣG/C, a strong jet included.

    Plated holes and parts are solved implicitly or apart and do not shorten it.
    """
    grid = network.grid
    row = grid.nx + 2
    total = grid.gx + np.roll(grid.gx, 1, axis=1) + grid.gy + np.roll(grid.gy, row, axis=1) + 2 * grid.through_w_k
    total[0] += 400.0 * grid.cell_area_m2
    total[-1] += (METAL_REST_W_M2K + 30.0) * grid.cell_area_m2
    return SAFE_STEP / float((total / grid.c0).max())


def _segments(scene: Scene, network: Network, resolution: Resolution, warnings: list[str]) -> Array:
    limit = min(stable_step_s(network), resolution.max_step_s)
    rows = np.zeros((len(scene.moves), 13))
    for row, move in zip(rows, scene.moves, strict=True):
        x, y = scene.centre(move)
        row[k.SECONDS], row[k.CENTRE_X], row[k.CENTRE_Y] = move.seconds, x * 1e-3, y * 1e-3
        row[k.RADIUS], row[k.PERIOD] = move.circle_mm * 1e-3, move.circle_s
        row[k.JET_SPREAD] = row[k.JET_WARMTH_RADIUS] = 1.0
        if move.blows:
            _fill_jet(row, scene, move, warnings)
        steps = math.ceil(move.seconds / limit)
        row[k.STEPS] = steps
        row[k.REFRESH] = _refresh_every(move, move.seconds / steps)
        row[k.PARTS_EVERY] = max(1, round(resolution.part_step_s / (move.seconds / steps)))
    return rows


def _fill_jet(row: Array, scene: Scene, move: Move, warnings: list[str]) -> None:
    source = scene.source
    factor = JET_FACTOR if scene.jet_factor is None else scene.jet_factor
    jet: Jet = jet_on_board(source.nozzle_mm, source.outlet_c, source.flow_lpm, move.height_mm, scene.ambient_c, factor)
    row[k.JET_H], row[k.JET_SPREAD] = jet.centre_w_m2k, jet.spread_m
    row[k.JET_WARMTH], row[k.JET_WARMTH_RADIUS] = jet.centre_warmth, jet.warmth_radius_m
    row[k.JET_K] = source.outlet_c - scene.ambient_c
    warnings.extend(said for said in jet.warnings if said not in warnings)


def _refresh_every(move: Move, step_s: float) -> int:
    speed = 2 * math.pi * move.circle_mm * 1e-3 / move.circle_s if move.blows else 0.0
    span = REFRESH_S if speed == 0 else min(REFRESH_S, NOZZLE_STEP_M / speed)
    return max(1, int(span / step_s))


def _run(scene: Scene, network: Network, segments: Array, resolution: Resolution, warnings: list[str]) -> Rehearsal:
    grid = network.grid
    total_s = float(segments[:, k.SECONDS].sum())
    n_samples = int(total_s / resolution.sample_s) + 2
    n_frames = int(total_s / resolution.frame_s) + 2
    n_joints, n_bodies = len(network.names), len(network.refs)
    number = np.float32 if resolution.single_precision else np.float64
    theta = np.zeros((grid.layers, grid.cells), dtype=number)
    enthalpy = -network.joints[:, k.J_HEAT] * network.joints[:, k.J_SOLIDUS]
    cold_enthalpy = enthalpy.copy()
    body_heat = np.zeros(n_bodies)
    times, joint_samples = np.zeros(n_samples), np.zeros((n_samples, n_joints), dtype=np.float32)
    body_samples = np.zeros((n_samples, n_bodies), dtype=np.float32)
    frames = np.zeros((n_frames, grid.cells), dtype=np.float32)
    joint_record, body_record = np.zeros((n_joints, 5)), np.zeros((n_bodies, 2))
    joint_record[:, : k.R_PEAK] = k.NEVER
    body_record[:, k.R_LIMIT_AT] = k.NEVER
    energy, board_peak = np.zeros(2), np.zeros(grid.cells)
    cell_area = grid.cell_area_m2
    board_cells = grid.flat(grid.inside.astype(float)) * cell_area
    length = scene.board.width_mm * scene.board.height_mm * 1e-3 / (2 * (scene.board.width_mm + scene.board.height_mm))
    radiates, rest, still_down = _underside(scene.board.underside, length, scene.ambient_c)
    via_cell = np.nonzero(grid.via_w_k)[0].astype(np.uint32)
    samples, shots, steps, final = _kernel()(
        theta, *(values.astype(number) for values in (grid.gx, grid.gy)), grid.through_w_k, grid.c0.astype(number), grid.slopes.astype(number),
        (board_cells * (1 - network.covered_top)).astype(number), (board_cells * (1 - network.covered_bottom)).astype(number),
        grid.cell_x.astype(number), grid.cell_y.astype(number), grid.nx, segments, network.joints, network.joint_of_body,
        network.joint_links, network.link_cell, network.link_w_k, network.bodies, network.gap_links,
        network.gap_cell, network.gap_w_k, via_cell, grid.via_w_k[via_cell], enthalpy, body_heat, _still(length, scene.ambient_c, True), still_down,
        EMISSIVITY * STEFAN_BOLTZMANN, rest, radiates, scene.ambient_c + 273.15, resolution.sample_s, resolution.frame_s, times,
        joint_samples, body_samples, frames, joint_record, body_record, energy, board_peak,
    )  # fmt: skip
    stored = stored_heat_j(final, grid.c0, grid.slopes) + float(body_heat.sum()) + float((enthalpy - cold_enthalpy).sum())
    warm = scene.ambient_c
    return Rehearsal(
        joints=tuple(_joint_story(name, row, warm) for name, row in zip(network.names, joint_record, strict=True)),
        parts=_part_stories(scene, body_record),
        energy=EnergyBalance(float(energy[k.E_JET]), float(energy[k.E_LOST]), stored),
        model=ModelFacts(grid.nx * grid.ny * grid.layers, grid.nx, grid.ny, grid.layers, grid.dx_m * 1e3, total_s / steps, steps, total_s,
                         JET_FACTOR if scene.jet_factor is None else scene.jet_factor),
        warnings=tuple(warnings),
        times_s=times[:samples], joint_c=joint_samples[:samples].astype(np.float64) + warm, body_c=body_samples[:samples].astype(np.float64) + warm,
        frame_s=resolution.frame_s,
        frames_c=np.array([grid.unflat(frame) for frame in frames[:shots]]) + warm,
        board_peak_c=float(board_peak.max()) + warm,
    )  # fmt: skip


def _kernel() -> Any:
    """The compiled stepping kernel; loading it takes a second, so it is done when first needed."""
    from yellowfen.core.heat.kernel import run

    return run


def _still(length_m: float, ambient_c: float, up: bool) -> float:
    """Free convection as c·ΔT^(1/4): the correlation's own power law, its coefficient read off at a 100 K rise."""
    return float(free_convection_w_m2k(length_m, ambient_c + REFERENCE_RISE_K, ambient_c, up) / REFERENCE_RISE_K**0.25)


def _underside(underside: Underside, length_m: float, ambient_c: float) -> tuple[float, float, float]:
    """(share of radiation, fixed W/m²K to the rest, free-convection coefficient) of the lower face."""
    if underside is Underside.OPEN:
        return 1.0, 0.0, _still(length_m, ambient_c, False)
    return 0.0, (INSULATING_REST_W_M2K if underside is Underside.INSULATING else METAL_REST_W_M2K), 0.0


def _joint_story(name: JointName, row: Array, ambient_c: float) -> JointStory:
    start, end, freeze = (None if moment < 0 else float(moment) for moment in row[: k.R_PEAK])
    above = float(row[k.R_ABOVE])
    return JointStory(
        name.ref,
        name.pin,
        str(name.kind),
        name.liquidus_c,
        start,
        end,
        freeze,
        float(row[k.R_PEAK]) + ambient_c,
        above if above > 0 else None,
    )


def _part_stories(scene: Scene, record: Array) -> tuple[PartStory, ...]:
    return tuple(
        PartStory(part.ref, float(row[k.R_BODY_PEAK]) + scene.ambient_c, part.package.limit_c, part.package.limit_why,
                  None if row[k.R_LIMIT_AT] < 0 else float(row[k.R_LIMIT_AT]))
        for part, row in zip(scene.parts, record, strict=True)
    )  # fmt: skip


def stored_heat_j(theta: Array, c0: Array, slopes: Array) -> float:
    """Heat in the board cells above ambient, J, with the temperature-dependent heat capacity."""
    state = theta.astype(np.float64)
    return float(np.sum(c0.astype(np.float64) * (state + 0.5 * slopes.astype(np.float64)[:, None] * state**2)))
