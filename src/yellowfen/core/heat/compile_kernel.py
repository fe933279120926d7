"""Compile the loops of the heat model into their caches, so that no click waits for them."""

import numpy as np

from yellowfen.core.board.copper_links import load_loops
from yellowfen.core.heat.pad_cells_kernel import solve
from yellowfen.core.heat.rehearsal import Resolution, rehearse
from yellowfen.core.heat.scene import BoardStack, Deed, Move, PlacedPart, Scene, Side
from yellowfen.core.heat.source import HotAir
from yellowfen.core.part.catalogue import package_named


def warm_up() -> None:
    """Compile all loops of a forecast, or load them from their cache."""
    warm_up_copper()
    warm_up_steps()


def warm_up_copper() -> None:
    """Run a tiny coverage map and a tiny block round a pad."""
    load_loops()
    block = np.ones((3, 2, 2))
    solve(block, block, block[0], block, block, 0.1)


def warm_up_steps() -> None:
    """Run a tiny rehearsal on a bare board."""
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
