"""Compile the stepping kernel into its cache at set-up, so that no click waits for it: `python -m
...compile_kernel`.
"""

import numpy as np

from yellowfen.core.board.copper_links import load_loops
from yellowfen.core.heat.pad_cells_kernel import solve
from yellowfen.core.heat.rehearsal import Resolution, rehearse
from yellowfen.core.heat.scene import BoardStack, Deed, Move, PlacedPart, Scene, Side
from yellowfen.core.heat.source import HotAir
from yellowfen.core.part.catalogue import package_named


def warm_up() -> None:
    """Run a tiny rehearsal, a tiny coverage map and a tiny block round a pad (compiles, or loads
    the cache).
    """
    part = PlacedPart(
        ref="R1",
        package=package_named("0603"),
        x_mm=5,
        y_mm=5,
        rotation_deg=0,
        side=Side.TOP,
        alloy="Sn63Pb37",
    )
    scene = Scene(
        board=BoardStack(width_mm=10, height_mm=10, thickness_mm=1.6, copper=()),
        parts=(part,),
        source=HotAir(nozzle_mm=6, outlet_c=300, flow_lpm=20),
        moves=(Move(deed=Deed.HOLD, seconds=0.5, over=("R1",)),),
        targets=("R1",),
    )
    rehearse(scene, Resolution(cell_mm=2.0, layers=3))
    load_loops()
    block = np.ones((3, 2, 2))
    solve(block, block, block[0], block, block, 0.1)


if __name__ == "__main__":
    warm_up()
