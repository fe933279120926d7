"""A bare harness around the kernel: a slab of cells with chosen properties, a uniform or disc
source, no parts unless given.
"""

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.kernel import run as run_kernel
from yellowfen.core.heat.rehearsal import stored_heat_j


@dataclass
class Slab:
    """nx × ny × layers cells; conductances and capacities set by the test.

    Temperatures are above ambient.
    """

    nx: int
    ny: int
    layers: int
    cell_m: float
    sheet_w_k: list[float]
    through_w_k: float
    heat_j_k: list[float]
    slope: float = 0.0
    start_k: float = 0.0
    lost_below_w_m2k: float = 0.0
    source_share: Any = None
    contact_w_m2k: float = 0.0
    plate: Any = field(default_factory=lambda: np.zeros(7))
    plate_k: float = 0.0
    plate_set_k: float = 0.0
    joints: Any = field(default_factory=lambda: np.zeros((0, k.JOINT_COLUMNS)))
    bodies: Any = field(default_factory=lambda: np.zeros((0, k.BODY_COLUMNS)))
    joint_of_body: Any = field(default_factory=lambda: np.zeros(1, dtype=np.int64))
    enthalpy: Any = field(default_factory=lambda: np.zeros(0))

    def run(
        self, seconds: float, jet_w_m2k: float, jet_k: float, step_s: float, frame_s: float
    ) -> dict[str, Any]:
        cells = (self.nx + 2) * (self.ny + 2)
        inner = np.zeros((self.ny + 2, self.nx + 2))
        inner[1:-1, 1:-1] = 1.0
        gx = np.zeros((self.layers, self.ny + 2, self.nx + 2))
        gy = np.zeros_like(gx)
        for layer, sheet in enumerate(self.sheet_w_k):
            gx[layer, 1:-1, 1:-2] = sheet
            gy[layer, 1:-2, 1:-1] = sheet
        c0 = np.repeat(np.array(self.heat_j_k)[:, None], cells, axis=1)
        theta = np.repeat(inner.ravel()[None] * self.start_k, self.layers, axis=0)
        share = inner.copy()
        if self.source_share is not None:
            share[1:-1, 1:-1] = self.source_share
        area = self.cell_m**2
        xs, ys = np.meshgrid(
            (np.arange(self.nx + 2) - 0.5) * self.cell_m,
            (np.arange(self.ny + 2) - 0.5) * self.cell_m,
        )
        row = np.zeros(k.SEGMENT_COLUMNS)
        row[k.SECONDS], row[k.JET_H], row[k.JET_K] = seconds, jet_w_m2k, jet_k
        row[k.JET_SPREAD] = row[k.JET_WARMTH_RADIUS] = 1e4
        row[k.JET_WARMTH] = row[k.M_XX] = row[k.M_YY] = row[k.LIT] = row[k.REFRESH] = 1.0
        row[k.MACROS], row[k.SUBS] = np.ceil(seconds / step_s / 2), 2.0
        row[k.PLATE_SET], row[k.ON_PLATE] = self.plate_set_k, float(self.contact_w_m2k > 0)
        around = np.zeros((int(row[k.MACROS]), k.AROUND_COLUMNS))
        around[:, k.REST_W_M2K] = self.lost_below_w_m2k
        n, m = len(self.joints), len(self.bodies)
        frames = np.zeros((int(seconds / frame_s) + 3, cells), dtype=np.float32)
        empty_i, empty_f = np.zeros(0, dtype=np.uint32), np.zeros(0)
        records = np.full((n, k.JOINT_RECORDS), k.NEVER), np.full((m, k.BODY_RECORDS), k.NEVER)
        energy, body_theta, plate_state = (
            np.zeros(2),
            np.zeros((m, 2)),
            np.array([self.plate_k, 0.0, 1.0, 0.0]),
        )
        slopes = np.full(self.layers, self.slope)
        samples = int(seconds / 0.05) + 2
        times, plate_k = np.zeros(samples), np.zeros(samples)
        _, shots, _, _ = run_kernel(
            theta,
            gx.reshape(self.layers, -1),
            gy.reshape(self.layers, -1),
            self.through_w_k,
            c0,
            slopes,
            share.ravel() * area,
            share.ravel() * area,
            inner.ravel() * area,
            inner.ravel() * self.contact_w_m2k,
            xs.ravel(),
            ys.ravel(),
            self.nx,
            row[None],
            around,
            np.ones((1, m), dtype=np.int64),
            self.plate,
            plate_state,
            self.joints,
            self.joint_of_body,
            np.zeros(n + 1, dtype=np.int64),
            empty_i,
            empty_f,
            self.bodies,
            np.zeros(m + 1, dtype=np.int64),
            empty_i,
            empty_f,
            empty_i,
            empty_f,
            self.enthalpy,
            body_theta,
            0.0,
            0.0,
            0.0,
            0.0,
            296.15,
            0.0,
            -1.0,
            0.05,
            frame_s,
            times,
            np.zeros((samples, n), dtype=np.float32),
            np.zeros((samples, m), dtype=np.float32),
            plate_k,
            frames,
            *records,
            energy,
            np.zeros(cells),
        )
        final = theta
        shape = (self.ny + 2, self.nx + 2)
        return {
            "top": [frame.reshape(shape)[1:-1, 1:-1].astype(float) for frame in frames[:shots]],
            "final": final.reshape(self.layers, *shape)[:, 1:-1, 1:-1],
            "joints": records[0],
            "energy": energy,
            "stored_j": stored_heat_j(final, c0, slopes),
            "times": times,
            "plate_k": plate_k,
        }
