"""The heat model solved a second way, from the equations in docs/evidence.md: one sparse
implicit system, no splitting.

Unknowns are the temperatures of all cells, cores and shells and the enthalpies of all joints;
backward differences of second order in enthalpy, Newton's method with a sparse LU factorisation.
Shares with the program the packages, the jet's correlation and the table of constants; nothing of
its grid, network, drive or kernel. Rectangular board, nozzle standing still and straight down, no
shields.
"""

import math
from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix, csc_matrix, diags
from scipy.sparse.linalg import splu

from yellowfen.core.heat.jet import JET_FACTOR, jet_on_board
from yellowfen.core.heat.scene import Scene, Side, Underside
from yellowfen.core.heat.source import HotAir
from yellowfen.core.heat.surface import free_convection_w_m2k
from yellowfen.core.metal.alloy import SOLDER_CP_J_KGK, alloy_named
from yellowfen.core.part.package import JointKind

LAMINATE = {"plane": 0.85, "through": 0.3, "heat": 1870.0 * 1100.0, "slope": 0.0015}
COPPER = {"conducts": 395.0, "heat": 8930.0 * 385.0}
SIGMA, EMISSIVITY = 5.670374e-8, 0.9


@dataclass
class Answer:
    """Per joint, in the order of parts and lands: end of melting (NaN: never) and peak, °C; the
    hottest node of every body.
    """

    melt_s: np.ndarray
    joint_peak_c: np.ndarray
    body_peak_c: np.ndarray


class ImplicitBoard:
    """One scene as a sparse system."""

    def __init__(self, scene: Scene, cell_mm: float = 1.0, layers: int = 4) -> None:
        self.scene, self.layers = scene, layers
        board = scene.board
        self.nx, self.ny = round(board.width_mm / cell_mm), round(board.height_mm / cell_mm)
        self.cell = cell_mm * 1e-3
        self.area = self.cell**2
        self.slab = board.thickness_mm * 1e-3 / (layers - 1)
        self.cells = layers * self.nx * self.ny
        self.rows: list[int] = []
        self.columns: list[int] = []
        self.values: list[float] = []
        self._board()
        self._parts()

    def _index(self, layer: int, iy: int, ix: int) -> int:
        return (layer * self.ny + iy) * self.nx + ix

    def _tie(self, a: int, b: int, conductance: float) -> None:
        self.rows += [a, a, b, b]
        self.columns += [a, b, b, a]
        self.values += [conductance, -conductance, conductance, -conductance]

    def _board(self) -> None:
        copper = np.zeros((self.layers, self.ny, self.nx))
        for foil in self.scene.board.copper:
            cover = (
                np.broadcast_to(np.asarray(foil.coverage, float), (self.ny, self.nx))
                * foil.thickness_um
                * 1e-6
            )
            place = foil.depth * (self.layers - 1)
            low = min(int(place), self.layers - 2)
            copper[low] += cover * (low + 1 - place)
            copper[low + 1] += cover * (place - low)
        self.heat = np.zeros(self.cells)
        self.slope = np.zeros(self.cells)
        for layer in range(self.layers):
            depth = self.slab if 0 < layer < self.layers - 1 else self.slab / 2
            sheet = depth * LAMINATE["plane"] + copper[layer] * COPPER["conducts"]
            laminate, metal = depth * LAMINATE["heat"], copper[layer] * COPPER["heat"]
            chosen = slice(self._index(layer, 0, 0), self._index(layer + 1, 0, 0))
            self.heat[chosen] = ((laminate + metal) * self.area).ravel()
            self.slope[chosen] = LAMINATE["slope"] * laminate / (laminate + metal.mean())
            for iy in range(self.ny):
                for ix in range(self.nx):
                    here = self._index(layer, iy, ix)
                    if ix + 1 < self.nx:
                        self._tie(here, here + 1, 2 / (1 / sheet[iy, ix] + 1 / sheet[iy, ix + 1]))
                    if iy + 1 < self.ny:
                        self._tie(
                            here, here + self.nx, 2 / (1 / sheet[iy, ix] + 1 / sheet[iy + 1, ix])
                        )
                    if layer + 1 < self.layers:
                        self._tie(
                            here,
                            here + self.nx * self.ny,
                            LAMINATE["through"] * self.area / self.slab,
                        )
        for via in self.scene.board.vias:
            iy, ix = int(via.y_mm * 1e-3 / self.cell), int(via.x_mm * 1e-3 / self.cell)
            wall = math.pi * via.drill_mm * 1e-3 * 25e-6 * COPPER["conducts"] / self.slab
            for layer in range(self.layers - 1):
                self._tie(self._index(layer, iy, ix), self._index(layer + 1, iy, ix), wall)

    def _under(
        self, side: Side, x: float, y: float, size_x: float, size_y: float
    ) -> list[tuple[int, float]]:
        """Cells of a face under an axis-parallel rectangle (mm) and the shared areas, m²."""
        layer, found = 0 if side is Side.TOP else self.layers - 1, []
        c = self.cell * 1e3
        for ix in range(self.nx):
            wide = min((ix + 1) * c, x + size_x / 2) - max(ix * c, x - size_x / 2)
            for iy in range(self.ny):
                tall = min((iy + 1) * c, y + size_y / 2) - max(iy * c, y - size_y / 2)
                if wide > 1e-9 and tall > 1e-9:
                    found.append((self._index(layer, iy, ix), wide * tall * 1e-6))
        return found

    def _parts(self) -> None:
        """Cores, shells, joints behind the cells in that order; each joint with its latent heat."""
        parts = self.scene.parts
        self.cores = self.cells + np.arange(len(parts))
        self.shells = self.cores + len(parts)
        self.first_joint = self.cells + 2 * len(parts)
        self.body_heat: list[float] = []
        self.covered = np.zeros(self.cells)
        joints = []
        for number, part in enumerate(parts):
            package = part.package
            self._tie(self.cores[number], self.shells[number], package.shell_w_k)
            for cell, area in self._under(
                part.side, part.x_mm, part.y_mm, package.body_x_mm, package.body_y_mm
            ):
                self.covered[cell] += area / self.area
                self._tie(cell, self.cores[number], area * 0.03 / (package.gap_mm * 1e-3))
            alloy = alloy_named(part.alloy)
            for land in package.lands:
                me = self.first_joint + len(joints)
                x = part.x_mm + (land.x_mm if part.side is Side.TOP else -land.x_mm)
                y = part.y_mm + land.y_mm
                for cell, area in self._under(part.side, x, y, land.size_x_mm, land.size_y_mm):
                    self._tie(cell, me, area * 2.0e4)
                wide = land.kind in (JointKind.TAB, JointKind.THERMAL_PAD)
                self._tie(self.cores[number], me, package.tab_w_k if wide else package.lead_w_k)
                solder = land.area_mm2 * 0.07e-9 * alloy.density_g_cm3 * 1e3
                air = (
                    0.8e-6
                    * land.area_mm2
                    * {JointKind.GULL_WING: 1.0, JointKind.TAB: 0.2}.get(land.kind, 0.0)
                )
                joints.append(
                    (
                        2 * solder * SOLDER_CP_J_KGK + 1e-5,
                        solder * alloy.latent_j_g * 1e3,
                        alloy.solidus_c - self.scene.ambient_c,
                        alloy.liquidus_c - alloy.solidus_c,
                        air,
                        x * 1e-3,
                        y * 1e-3,
                        part.side is Side.TOP,
                    )
                )
        self.joints = np.array(joints, dtype=float)
        size = self.first_joint + len(joints)
        self.matrix = coo_matrix(
            (self.values, (self.rows, self.columns)), shape=(size, size)
        ).tocsc()

    # --- air
    # ------------------------------------------------------------------------------------------------------

    def _air(self, theta: np.ndarray, lit: bool) -> tuple[np.ndarray, np.ndarray]:
        """Conductance to the surroundings and drive (W/K, W) of every unknown at given
        temperatures.
        """
        size = self.matrix.shape[0]
        keep, push = np.zeros(size), np.zeros(size)
        top = np.arange(self.nx * self.ny)
        low = top + (self.layers - 1) * self.nx * self.ny
        xs = (top % self.nx + 0.5) * self.cell
        ys = (top // self.nx + 0.5) * self.cell
        hot, lost = self._exchange(theta[top], xs, ys, np.ones_like(xs), lit)
        bare = self.area * np.clip(1 - self.covered[top], 0, 1)
        keep[top], push[top] = bare * (hot[0] + lost), bare * hot[1]
        bare = self.area * np.clip(1 - self.covered[low], 0, 1)
        under = self.scene.board.underside
        if under is Underside.OPEN:
            keep[low] = bare * (self._still(theta[low], False) + self._glow(theta[low]))
        else:
            keep[low] = bare * (3.0 if under is Underside.INSULATING else 100.0)
        for number, part in enumerate(self.scene.parts):
            package, shell = part.package, self.shells[number]
            flat, walls = (
                package.body_x_mm * package.body_y_mm * 1e-6,
                2e-6 * (package.body_x_mm + package.body_y_mm) * package.height_mm,
            )
            blown = lit and part.side is Side.TOP
            points = (
                np.array([-1, 0, 1])
                if max(package.body_x_mm, package.body_y_mm) > 1.0
                else np.array([0])
            )
            u, v = np.meshgrid(
                points * package.body_x_mm / 3e3 * 1.0001, points * package.body_y_mm / 3e3 * 1.0001
            )
            at = np.full(u.size, theta[shell])
            hot, lost = self._exchange(
                at,
                part.x_mm * 1e-3 + u.ravel(),
                part.y_mm * 1e-3 + v.ravel(),
                np.ones(u.size),
                blown,
                mean=True,
            )
            keep[shell] = (flat + 0.5 * walls) * hot[0] + (flat + walls) * lost
            push[shell] = (flat + 0.5 * walls) * hot[1]
        for number, (*_, air, x, y, is_top) in enumerate(self.joints):
            me = self.first_joint + number
            hot, lost = self._exchange(
                theta[[me]],
                np.array([x]),
                np.array([y]),
                np.ones(1),
                lit and bool(is_top),
                mean=True,
            )
            keep[me], push[me] = air * (hot[0] + lost), air * hot[1]
        return keep, push

    def _exchange(self, theta, xs, ys, share, lit, mean=False):  # type: ignore[no-untyped-def]
        """((jet h, jet h·θ), other h) per area; the jet takes the place of still air where it is
        the stronger.
        """
        still, glow = self._still(theta, True), self._glow(theta)
        if not lit:
            zero = np.zeros_like(theta)
            return ((zero[0], zero[0]), (still + glow)[0]) if mean else ((zero, zero), still + glow)
        source, move = self.scene.source, self.scene.moves[0]
        assert isinstance(source, HotAir)
        jet = jet_on_board(
            source.nozzle_mm,
            source.outlet_c,
            source.flow_lpm,
            height_mm=move.height_mm,
            ambient_c=self.scene.ambient_c,
            factor=self.scene.jet_factor or JET_FACTOR,
        )
        x, y = self.scene.centre(move)
        r2 = (xs - x * 1e-3) ** 2 + (ys - y * 1e-3) ** 2
        h = jet.centre_w_m2k / np.sqrt(1 + r2 / jet.spread_m**2)
        air = (
            jet.centre_warmth
            * (source.outlet_c - self.scene.ambient_c)
            / np.sqrt(1 + r2 / jet.warmth_radius_m**2)
        )
        if mean:
            drawn, carried = h.mean(), (h * air).mean()
            return (
                ((drawn, carried), glow[0]) if drawn > still[0] else ((0.0, 0.0), (still + glow)[0])
            )
        strong = h > still
        return (np.where(strong, h, 0.0), np.where(strong, h * air, 0.0)), np.where(
            strong, 0.0, still
        ) + glow

    def _still(self, theta: np.ndarray, up: bool) -> np.ndarray:
        board = self.scene.board
        length = board.width_mm * board.height_mm * 1e-3 / (2 * (board.width_mm + board.height_mm))
        at_100 = free_convection_w_m2k(
            length, self.scene.ambient_c + 100.0, self.scene.ambient_c, up
        )
        return at_100 * (np.abs(theta) / 100.0) ** 0.25

    def _glow(self, theta: np.ndarray) -> np.ndarray:
        room = self.scene.ambient_c + 273.15
        hot = room + theta
        return EMISSIVITY * SIGMA * (hot**2 + room**2) * (hot + room)

    # --- time
    # -----------------------------------------------------------------------------------------------------

    def solve(self, step_s: float = 0.1) -> Answer:
        """Step the recipe (a blow, then away)."""
        cells, first = self.cells, self.first_joint
        size = self.matrix.shape[0]
        heat = np.concatenate([self.heat, *self._body_heats(), self.joints[:, 0]])
        latent, solidus, melt = (self.joints[:, i] for i in (1, 2, 3))
        theta = np.zeros(size)
        enthalpy = np.concatenate([np.zeros(first), -self.joints[:, 0] * solidus])
        older = enthalpy.copy()
        ends, peaks = np.full(len(self.joints), np.nan), np.zeros(len(self.joints))
        bodies = np.zeros(len(self.scene.parts))
        now = 0.0
        for move in self.scene.moves:
            lit, begun = move.blows, True
            for _ in range(round(move.seconds / step_s)):
                # Backward difference of second order; of first order at a source's jump.
                lead, past = (1.0, enthalpy) if begun else (1.5, 2.0 * enthalpy - 0.5 * older)
                begun = False
                new = enthalpy.copy()
                for _ in range(40):
                    theta, rate = self._temperature(new, heat, latent, solidus, melt)
                    keep, push = self._air(theta, lit)
                    residual = (
                        lead * new - past + step_s * (self.matrix @ theta + keep * theta - push)
                    )
                    jacobian = diags(np.full(size, lead)) + step_s * (
                        self.matrix + diags(keep)
                    ) @ diags(rate)
                    change = splu(csc_matrix(jacobian)).solve(-residual)
                    new += change
                    if np.abs(change * rate).max() < 1e-4 and np.abs(change[first:]).max() < 1e-7:
                        break
                else:
                    raise ArithmeticError("Newton's method did not settle")
                held, was = new[first:], enthalpy[first:]
                crossing = np.isnan(ends) & (held >= latent) & (was < latent)
                ends[crossing] = (
                    now + step_s * ((latent - was) / np.where(crossing, held - was, 1.0))[crossing]
                )
                now += step_s
                older, enthalpy = enthalpy, new
                theta, _ = self._temperature(new, heat, latent, solidus, melt)
                peaks = np.maximum(peaks, theta[first:])
                bodies = np.maximum(bodies, np.maximum(theta[self.cores], theta[self.shells]))
        room = self.scene.ambient_c
        assert cells < first
        return Answer(ends, peaks + room, bodies + room)

    def _body_heats(self) -> tuple[np.ndarray, np.ndarray]:
        heats = np.array(
            [(part.package.body_heat_j_k, part.package.shell_share) for part in self.scene.parts]
        )
        return heats[:, 0] * (1 - heats[:, 1]), heats[:, 0] * heats[:, 1]

    def _temperature(self, enthalpy, heat, latent, solidus, melt):  # type: ignore[no-untyped-def]
        """Temperatures of all unknowns and dT/dH; cells hold c₀(θ + s·θ²/2), joints their enthalpy
        above the solidus.
        """
        theta, rate = enthalpy / heat, 1.0 / heat
        cells = self.cells
        theta[:cells] = (
            np.sqrt(np.maximum(1.0 + 2.0 * self.slope * enthalpy[:cells] / self.heat, 1e-9)) - 1.0
        ) / self.slope
        rate[:cells] = 1.0 / (self.heat * (1.0 + self.slope * theta[:cells]))
        h, own = enthalpy[self.first_joint :], heat[self.first_joint :]
        liquid = solidus + melt + (h - latent) / own
        theta[self.first_joint :] = np.where(
            h < 0, solidus + h / own, np.where(h <= latent, solidus + melt * h / latent, liquid)
        )
        rate[self.first_joint :] = np.where(
            (h >= 0) & (h <= latent), np.maximum(melt / latent, 1e-9), 1.0 / own
        )
        return theta, rate
