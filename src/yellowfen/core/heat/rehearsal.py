"""Run a scene through the thermal model and say what happened to every joint and part.

The result is complete: no screen recomputes anything. Times in s from the first move, temperatures
in °C.
"""

import math
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.drive import Drive, Steps, drive_of, open_below, tallest_beneath_mm
from yellowfen.core.heat.grid import FineRound, Grid, make_grid
from yellowfen.core.heat.jet import JET_FACTOR
from yellowfen.core.heat.laid import JointName
from yellowfen.core.heat.network import PAD_CONTACT_W_M2K, Network, build_network
from yellowfen.core.heat.pad_cells import couplings_of
from yellowfen.core.heat.scene import Array, BoardStack, Core, Scene
from yellowfen.core.heat.soundness import Extremes, fault_of
from yellowfen.core.heat.source import HotAir, HotPlate, Iron
from yellowfen.core.heat.surface import (
    BARE_METAL_EMISSIVITY,
    EMISSIVITY,
    METAL_REST_W_M2K,
    STEFAN_BOLTZMANN,
    film_w_m2k,
    free_convection_w_m2k,
)
from yellowfen.core.heat.through import layers_for
from yellowfen.core.quantity.compiled import Compiled
from yellowfen.errors import Refused

kernel = Compiled("yellowfen.core.heat.kernel")

SAFE_STEP, SAFE_BETWEEN, SAFE_BESIDE_SHORT = 0.95, 0.7, 0.4
REFERENCE_RISE_K = 100.0
STRONGEST_JET_W_M2K = 400.0


@dataclass(frozen=True, kw_only=True)
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
    melts: int = 0


@dataclass(frozen=True, kw_only=True)
class PartStory:
    """What happened to one body."""

    ref: str
    body_peak_c: float
    limit_c: float
    limit_why: str
    limit_passed_s: float | None
    over_limit_s: float = 0.0


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


@dataclass(frozen=True, kw_only=True)
class ModelFacts:
    """How it was computed; `pads_as_drawn`: of how many pads what the cells have wrong was put
    right.
    """

    cells: int
    nx: int
    ny: int
    layers: int
    cell_mm: float
    step_s: float
    steps: int
    simulated_s: float
    jet_factor: float
    pads_as_drawn: int = 0


@dataclass(frozen=True, kw_only=True)
class Rehearsal:
    """The whole answer.

    Sample arrays: times (n), joint_c (n, joints), body_c (n, parts); frames (m, ny, nx) of the top
    face.
    """

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
    plate_c: Array | None = None

    @cached_property
    def _by_ref(self) -> dict[str, list[JointStory]]:
        found: dict[str, list[JointStory]] = {}
        for joint in self.joints:
            found.setdefault(joint.ref, []).append(joint)
        return found

    @cached_property
    def _bodies(self) -> dict[str, PartStory]:
        return {part.ref: part for part in self.parts}

    def joints_of(self, ref: str) -> list[JointStory]:
        return list(self._by_ref.get(ref, ()))

    def part(self, ref: str) -> PartStory:
        return self._bodies[ref]


@dataclass(frozen=True, kw_only=True)
class Resolution:
    """How finely to compute.

    `layers` node layers at least, more where they would lie more than `slab_share` of the heat's
    depth apart (`through`). `max_step_s` (faces) and `part_step_s` (parts, inner layers) only ever shorten the stable steps.

    With `fine`, cells are `cell_mm` there only and grow outwards.
    """

    cell_mm: float = 1.0
    layers: int = 4
    slab_share: float = 0.75
    max_step_s: float = 0.0167
    part_step_s: float = 0.05
    nozzle_step_mm: float = 1.6
    sample_s: float = 0.2
    frame_s: float = 1.0
    single_precision: bool = True
    pad_contact_w_m2k: float = PAD_CONTACT_W_M2K
    fine: FineRound | None = None


FINE = Resolution()
QUICK = Resolution(
    cell_mm=1.75,
    layers=3,
    slab_share=1.1,
    max_step_s=0.06,
    part_step_s=0.1,
    nozzle_step_mm=3.0,
)
EXACT = Resolution(
    max_step_s=0.0005,
    part_step_s=0.0005,
    nozzle_step_mm=0.01,
    single_precision=False,
    sample_s=0.01,
)
COARSE = Resolution(
    cell_mm=2.0,
    layers=3,
    slab_share=1.1,
    max_step_s=0.06,
    part_step_s=0.06,
    sample_s=0.5,
    frame_s=1e9,
)


@dataclass(frozen=True, kw_only=True)
class Prepared:
    """A scene's board and parts as the kernel's tables, ready to be run under any recipe."""

    scene: Scene
    resolution: Resolution
    network: Network
    constants: tuple[Any, ...]
    still: tuple[Any, ...]
    steps: Steps

    def drive(self, scene: Scene) -> Drive:
        """The recipe of a scene (this one's board and parts) as tables, within this preparation's
        steps.
        """
        return drive_of(scene, self.steps, self.resolution.nozzle_step_mm)

    def serves(self, scene: Scene, resolution: Resolution) -> bool:
        """True where another scene's tables would be the same: it differs in its recipe and its hot
        air only.
        """
        mine = self.scene
        return (
            isinstance(mine.source, HotAir)
            and isinstance(scene.source, HotAir)
            and scene.board is mine.board
            and _layered(scene, resolution) == self.resolution
            and scene.ambient_c == mine.ambient_c
            and (scene.preheater is None) == (mine.preheater is None)
            and scene.shields == mine.shields
            and scene.targets == mine.targets
            and scene.parts == mine.parts
        )


@dataclass(kw_only=True)
class HeatState:
    """Where a run stands: board cells, joints (J above the solidus), bodies (core, shell), plate,
    records, clock. Changed by `advance`.
    """

    theta: Array
    enthalpy: Array
    bodies: Array
    plate: Array
    joint_record: Array
    body_record: Array
    energy: Array
    board_peak: Array
    now_s: float = 0.0

    def copy(self) -> "HeatState":
        """A state that can be run on without touching this one."""
        return HeatState(
            theta=self.theta.copy(),
            enthalpy=self.enthalpy.copy(),
            bodies=self.bodies.copy(),
            plate=self.plate.copy(),
            joint_record=self.joint_record.copy(),
            body_record=self.body_record.copy(),
            energy=self.energy.copy(),
            board_peak=self.board_peak.copy(),
            now_s=self.now_s,
        )

    def take(self, other: "HeatState") -> None:
        """Become what another state is (its arrays are taken over)."""
        for name in (
            "theta",
            "enthalpy",
            "bodies",
            "plate",
            "joint_record",
            "body_record",
            "energy",
            "board_peak",
            "now_s",
        ):
            setattr(self, name, getattr(other, name))


@dataclass(frozen=True, kw_only=True)
class Trace:
    """What was sampled while advancing; temperatures in K above the room."""

    times_s: Array
    joints_k: NDArray[np.float32]
    bodies_k: NDArray[np.float32]
    plate_k: Array
    frames_k: NDArray[np.float32]
    steps: int


def rehearse(scene: Scene, resolution: Resolution = FINE) -> Rehearsal:
    """Rehearse a scene.

    Deterministic; raises InvalidValue through the scene's own checks, Refused where no sound state
    is found.
    """
    return rehearse_prepared(prepare(scene, resolution))


def rehearse_prepared(prepared: Prepared) -> Rehearsal:
    """Rehearse the scene of a preparation; raises as `rehearse` does."""
    scene = prepared.scene
    drive = prepared.drive(scene)
    state = first_state(prepared, drive)
    trace = advance(prepared, state, drive)
    return _result(prepared, state, drive, trace)


def _layered(scene: Scene, resolution: Resolution) -> Resolution:
    """The resolution with as many node layers as this scene's heat asks for."""
    layers = layers_for(scene, resolution.layers, resolution.slab_share)
    return resolution if layers == resolution.layers else replace(resolution, layers=layers)


def prepare(scene: Scene, resolution: Resolution = FINE) -> Prepared:
    """Tables and step limits of a scene; of its recipe only what holds for every move."""
    resolution = _layered(scene, resolution)
    grid = make_grid(scene.board, resolution.cell_mm, resolution.layers, resolution.fine)
    couplings = couplings_of(scene, resolution.cell_mm, resolution.layers, resolution.fine)
    network = build_network(scene, grid, resolution.pad_contact_w_m2k, couplings)
    grid = network.grid
    contact = contact_w_m2k(scene, grid)
    stable = step_limits(network, contact)
    return Prepared(
        scene=scene,
        resolution=resolution,
        network=network,
        constants=_constants(network, contact, resolution),
        still=_surroundings(scene, network),
        steps=Steps(
            min(stable.face_s, resolution.max_step_s),
            min(stable.whole_s, resolution.max_step_s),
            min(stable.long_s, resolution.part_step_s),
        ),
    )


def _constants(network: Network, contact: Array, resolution: Resolution) -> tuple[Any, ...]:
    """What the kernel takes of the board's cells, in its order."""
    grid = network.grid
    number = np.float32 if resolution.single_precision else np.float64
    board = grid.flat(grid.inside.astype(float)) * grid.areas_m2
    open_top, open_low = board * (1 - network.covered_top), board * (1 - network.covered_bottom)
    jet_top = open_top * (1 - network.shielded)
    return (
        *(values.astype(number) for values in (grid.gx, grid.gy)),
        grid.through_w_k,
        grid.c0.astype(number),
        grid.slopes.astype(number),
        open_top.astype(number),
        jet_top.astype(number),
        open_low.astype(number),
        contact.astype(number),
        grid.cell_x.astype(number),
        grid.cell_y.astype(number),
        grid.nx,
    )


def _surroundings(scene: Scene, network: Network) -> tuple[Any, ...]:
    """What the kernel takes of parts, plated holes and the still air, in its order."""
    width, height = scene.board.width_mm, scene.board.height_mm
    length = width * height * 1e-3 / (2 * (width + height))
    below = open_below(scene)
    via_w_k = network.grid.via_w_k
    via_cell = np.nonzero(via_w_k)[0].astype(np.uint32)
    return (
        network.joints,
        network.joint_of_body,
        network.joint_links,
        network.link_cell,
        network.link_w_k,
        network.bodies,
        network.gap_links,
        network.gap_cell,
        network.gap_w_k,
        via_cell,
        via_w_k[via_cell],
        _still(length, scene.ambient_c, True),
        _still(length, scene.ambient_c, False) if below else 0.0,
        EMISSIVITY * STEFAN_BOLTZMANN,
        back_emissivity(scene.board) / EMISSIVITY if below else 0.0,
        scene.ambient_c + 273.15,
    )


def first_state(prepared: Prepared, drive: Drive) -> HeatState:
    """Everything at room temperature, the plate or tip as its source says."""
    network, grid = prepared.network, prepared.network.grid
    n_joints, n_bodies = len(network.names), len(network.refs)
    joint_record, body_record = (
        np.zeros((n_joints, k.JOINT_RECORDS)),
        np.zeros((n_bodies, k.BODY_RECORDS)),
    )
    joint_record[:, : k.R_PEAK] = k.NEVER
    body_record[:, k.R_LIMIT_AT] = k.NEVER
    theta = np.zeros(
        (grid.layers, grid.cells),
        dtype=np.float32 if prepared.resolution.single_precision else np.float64,
    )
    return HeatState(
        theta=theta,
        enthalpy=cold_enthalpy(network),
        bodies=np.zeros((n_bodies, 2)),
        plate=drive.plate_state.copy(),
        joint_record=joint_record,
        body_record=body_record,
        energy=np.zeros(2),
        board_peak=np.zeros(grid.cells),
    )


def cold_enthalpy(network: Network) -> Array:
    """Enthalpy of every joint at room temperature, J above its solidus."""
    return np.asarray(-network.joints[:, k.J_HEAT] * network.joints[:, k.J_SOLIDUS])


def advance(
    prepared: Prepared,
    state: HeatState,
    drive: Drive,
    sampled: bool = True,
    settle_k: float = -1.0,
    *,
    checked: bool = True,
) -> Trace:
    """Run a recipe from a state, which is changed. Not `checked`: one of many short pieces, whose
    caller asks `state_fault` at the end.

    `settle_k` >= 0 ends early once nothing anywhere is hotter, K above the room.

    The state is checked afterwards; a bad one is worked out again at half the step. Raises Refused
    (and leaves the state as it was) when that is bad too.
    """
    if not checked:
        return _advance(prepared, state, drive, sampled, settle_k)
    before = state.copy()
    trace = _advance(prepared, state, drive, sampled, settle_k)
    if not state_fault(prepared, state):
        return trace
    state.take(before.copy())
    trace = _advance(prepared, state, drive.halved(), sampled, settle_k)
    fault = state_fault(prepared, state)
    if fault:
        state.take(before)
        raise Refused(
            f"this cannot be forecast: the model came to {fault}, also at half its step. Thin boards with heavy copper are the hardest;"
            " check the board's thickness and the copper's, and report it with the board's files"
        )
    return trace


def state_fault(prepared: Prepared, state: HeatState) -> str:
    """What physics does not allow in a state, in a few words; empty when it is sound."""
    put_in, lost = float(state.energy[k.E_JET]), float(state.energy[k.E_LOST])
    peaks = [
        float(record.max())
        for record in (state.joint_record[:, k.R_PEAK], state.body_record[:, k.R_BODY_PEAK])
        if len(record)
    ]
    bodies = (
        [float(value) for value in (state.bodies.min(), state.bodies.max())]
        if len(state.bodies)
        else []
    )
    board = [float(state.theta.min()), float(state.theta.max())]
    every = np.array(
        [*board, *bodies, *peaks, float(state.enthalpy.sum()), float(state.plate[k.S_PLATE_K])]
    )
    if not np.isfinite(every).all():
        return fault_of(prepared.scene, Extremes(math.nan, math.nan), put_in, lost, 0.0)
    found = Extremes(min([*board, *bodies]), max([*board, *bodies, *peaks]))
    return fault_of(prepared.scene, found, put_in, lost, stored_j(prepared.network, state))


def stored_j(network: Network, state: HeatState) -> float:
    """Heat in board, bodies and joints above the room, J."""
    stored = stored_heat_j(state.theta, network.grid.c0, network.grid.slopes) + bodies_heat_j(
        network, state.bodies
    )
    return stored + float((state.enthalpy - cold_enthalpy(network)).sum())


def _advance(
    prepared: Prepared, state: HeatState, drive: Drive, sampled: bool, settle_k: float
) -> Trace:
    resolution = prepared.resolution
    seconds = float(drive.segments[:, k.SECONDS].sum())
    n_samples = int(seconds / resolution.sample_s) + 2 if sampled else 0
    n_frames = int(seconds / resolution.frame_s) + 2 if sampled else 0
    times, plate_k = np.zeros(n_samples), np.zeros(n_samples)
    joints_k = np.zeros((n_samples, len(state.enthalpy)), dtype=np.float32)
    bodies_k = np.zeros((n_samples, len(state.bodies)), dtype=np.float32)
    frames = np.zeros((n_frames, state.theta.shape[1]), dtype=np.float32)
    samples, shots, steps, ran = kernel.run(
        state.theta,
        *prepared.constants,
        drive.segments,
        drive.around,
        drive.paces,
        drive.plate,
        state.plate,
        *prepared.still[:11],
        state.enthalpy,
        state.bodies,
        *prepared.still[11:],
        state.now_s,
        settle_k,
        resolution.sample_s,
        resolution.frame_s,
        times,
        joints_k,
        bodies_k,
        plate_k,
        frames,
        state.joint_record,
        state.body_record,
        state.energy,
        state.board_peak,
    )
    state.now_s += ran
    return Trace(
        times_s=times[:samples],
        joints_k=joints_k[:samples],
        bodies_k=bodies_k[:samples],
        plate_k=plate_k[:samples],
        frames_k=frames[:shots],
        steps=steps,
    )


def step_limits(network: Network, contact: Array) -> Steps:
    """Largest stable steps of the faces and of the long step (inner layers, heat from layer to
    layer).

    The long step takes heat along a layer forward (Euler) and heat between layers extrapolated over
    two steps. For one mode with rates b along and a between, z² − (1 − b·dt − 1.5·a·dt)·z −
    0.5·a·dt = 0 keeps its roots inside the unit circle while a·dt + b·dt/2 ≤ 1: they add. Bounds of
    the rates are twice the cell's own sums (Gershgorin), so an inner layer needs dt·(4g + ΣG)/C ≤
    1, of which the extrapolated share is held to 0.7 (its roots ring near the border) and the rest
    to 0.95. A face that takes the whole step at once needs dt·(2g + ΣG + h)/C ≤ 1 likewise; one
    that takes several short steps follows its own heat well enough to need only dt·2g/C ≤ 0.447,
    the least of (sx/2)·(1 + R)/(1 − R), R = (1 − x)^s, over s ≥ 2 steps of x ≤ 1.9. Plated holes
    and parts are solved implicitly or apart and do not shorten the steps.
    """
    grid = network.grid
    row = grid.nx + 2
    along = grid.gx + np.roll(grid.gx, 1, axis=1) + grid.gy + np.roll(grid.gy, row, axis=1)
    shed = np.zeros((2, grid.cells)) + STRONGEST_JET_W_M2K * grid.areas_m2
    shed[1] += (METAL_REST_W_M2K + contact) * grid.areas_m2
    g, c0 = grid.through_w_k, grid.c0
    shedding = (along[[0, -1]] + shed) / SAFE_STEP / c0[[0, -1]]
    face, whole = (
        1.0 / float(shedding.max()),
        1.0 / float((shedding + 2.0 * g / SAFE_BETWEEN / c0[[0, -1]]).max()),
    )
    several = SAFE_BESIDE_SHORT / max(float((2.0 * g / c0[[0, -1]]).max()), 1e-9)
    inner = math.inf
    if grid.layers > 2:
        inner = 1.0 / max(
            float((4.0 * g / SAFE_BETWEEN / c0[1:-1] + along[1:-1] / SAFE_STEP / c0[1:-1]).max()),
            1e-9,
        )
    return Steps(face, whole, min(inner, max(whole, several)))


def contact_w_m2k(scene: Scene, grid: Grid) -> Array:
    """Conductance per area from a hot plate to each cell of the underside, W/m²K.

    An air film, thicker towards the corners of a bowed board and never thinner than the parts
    underneath are tall, and radiation across it at the mean of the plate's setting and a warm
    board.
    """
    if not isinstance(scene.source, HotPlate):
        return np.zeros(grid.cells)
    width, height = scene.board.width_mm * 1e-3, scene.board.height_mm * 1e-3
    out = ((grid.cell_x - width / 2) ** 2 + (grid.cell_y - height / 2) ** 2) / (
        (width / 2) ** 2 + (height / 2) ** 2
    )
    film_mm = max(scene.source.film_mm, tallest_beneath_mm(scene)) + scene.source.warp_mm * out
    inside = grid.flat(grid.inside.astype(float))
    return np.asarray(
        inside
        * film_w_m2k(
            film_mm, scene.source.set_c, scene.source.emissivity, back_emissivity(scene.board)
        )
    )


def back_emissivity(board: BoardStack) -> float:
    """How strongly the underside glows: solder mask, or the bare metal of an aluminium board."""
    return BARE_METAL_EMISSIVITY if board.core is Core.ALUMINIUM else EMISSIVITY


def _result(prepared: Prepared, state: HeatState, drive: Drive, trace: Trace) -> Rehearsal:
    scene, network, grid = prepared.scene, prepared.network, prepared.network.grid
    room = scene.ambient_c
    seconds = float(drive.segments[:, k.SECONDS].sum())
    warnings = [*scene.guesses, *drive.warnings]
    return Rehearsal(
        joints=tuple(
            _joint_story(name, row, room)
            for name, row in zip(network.names, state.joint_record, strict=True)
        ),
        parts=_part_stories(scene, state.body_record),
        energy=EnergyBalance(
            float(state.energy[k.E_JET]), float(state.energy[k.E_LOST]), stored_j(network, state)
        ),
        model=ModelFacts(
            cells=grid.nx * grid.ny * grid.layers,
            nx=grid.nx,
            ny=grid.ny,
            layers=grid.layers,
            cell_mm=grid.dx_m * 1e3,
            step_s=seconds / trace.steps,
            steps=trace.steps,
            simulated_s=seconds,
            jet_factor=JET_FACTOR if scene.jet_factor is None else scene.jet_factor,
            pads_as_drawn=network.pads_as_drawn,
        ),
        warnings=tuple(warnings),
        times_s=trace.times_s,
        joint_c=trace.joints_k.astype(np.float64) + room,
        body_c=trace.bodies_k.astype(np.float64) + room,
        frame_s=prepared.resolution.frame_s,
        frames_c=np.array([grid.unflat(frame) for frame in trace.frames_k]) + room,
        board_peak_c=float(state.board_peak.max()) + room,
        plate_c=trace.plate_k + room if isinstance(scene.source, (HotPlate, Iron)) else None,
    )


def _still(length_m: float, ambient_c: float, up: bool) -> float:
    """Free convection as c·ΔT^(1/4): the correlation's own power law, its coefficient read off at a
    100 K rise.
    """
    return float(
        free_convection_w_m2k(length_m, ambient_c + REFERENCE_RISE_K, ambient_c, up)
        / REFERENCE_RISE_K**0.25
    )


def _joint_story(name: JointName, row: Array, ambient_c: float) -> JointStory:
    start, end, freeze = (None if moment < 0 else float(moment) for moment in row[: k.R_PEAK])
    above = float(row[k.R_ABOVE])
    return JointStory(
        ref=name.ref,
        pin=name.pin,
        kind=str(name.kind),
        liquidus_c=name.liquidus_c,
        melt_start_s=start,
        melt_end_s=end,
        freeze_s=freeze,
        peak_c=float(row[k.R_PEAK]) + ambient_c,
        time_above_liquidus_s=above if above > 0 else None,
        melts=int(row[k.R_MELTS]),
    )


def _part_stories(scene: Scene, record: Array) -> tuple[PartStory, ...]:
    return tuple(
        PartStory(
            ref=part.ref,
            body_peak_c=float(row[k.R_BODY_PEAK]) + scene.ambient_c,
            limit_c=part.package.limit_c,
            limit_why=part.package.limit_why,
            limit_passed_s=None if row[k.R_LIMIT_AT] < 0 else float(row[k.R_LIMIT_AT]),
            over_limit_s=float(row[k.R_OVER_S]),
        )
        for part, row in zip(scene.parts, record, strict=True)
    )


def bodies_heat_j(network: Network, bodies: Array) -> float:
    """Heat in the bodies above the room, J."""
    return float((network.bodies[:, [k.B_HEAT, k.B_SHELL_HEAT]] * bodies).sum())


def stored_heat_j(theta: Array, c0: Array, slopes: Array) -> float:
    """Heat in the board cells above ambient, J, with the temperature-dependent heat capacity."""
    state = theta.astype(np.float64)
    return float(
        np.sum(
            c0.astype(np.float64) * (state + 0.5 * slopes.astype(np.float64)[:, None] * state**2)
        )
    )
