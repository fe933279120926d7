"""Compile the stepping kernel into its cache at set-up, so that no click waits for it: `python -m
...compile_kernel`.
"""

import numpy as np

from yellowfen.core.board.spans import load_loops
from yellowfen.core.heat.pad_cells_kernel import solve
from yellowfen.core.heat.rehearsal import Resolution, rehearse
from yellowfen.core.heat.scene import BoardStack, Deed, HotAir, Move, PlacedPart, Scene, Side
from yellowfen.core.part.catalogue import package_named


def warm_up() -> None:
    """Run a tiny rehearsal, a tiny coverage map and a tiny block round a pad (compiles, or loads
    the cache).
    """
    part = PlacedPart(
        "R1", package_named("0603"), 5, y_mm=5, rotation_deg=0, side=Side.TOP, alloy="Sn63Pb37"
    )
    scene = Scene(
        BoardStack(10, 10, 1.6, ()),
        (part,),
        HotAir(6, 300, 20),
        (Move(Deed.HOLD, 0.5, ("R1",)),),
        ("R1",),
    )
    rehearse(scene, Resolution(cell_mm=2.0, layers=3))
    load_loops()
    block = np.ones((3, 2, 2))
    solve(block, block, block[0], block, block, 0.1)


if __name__ == "__main__":
    warm_up()
