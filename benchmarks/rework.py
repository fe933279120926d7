"""Ways off a board of a hundred parts: when the first answer is there, and all of them."""

import time
from dataclasses import replace

import numpy as np

from yellowfen.core.board.board import Board
from yellowfen.core.heat.heat_plan import HeatPlan
from yellowfen.core.heat.rehearsal import rehearse
from yellowfen.core.heat.scene import Scene
from yellowfen.core.heat.source import HotAir, HotPlate, Preheater
from yellowfen.core.rework.ways_off import Matters, OffBench, ways_off
from yellowfen.formats.board_files import read_board
from yellowfen.workflows.demo import demo_files
from yellowfen.workflows.rework import USUAL_IRONS, off_scene

PARTS, FIRST_S, ALL_S = 100, 1.0, 5.0
BENCH = OffBench(
    air=HotAir(nozzle_mm=6, outlet_c=350, flow_lpm=30),
    nozzles_mm=(4.0, 8.0),
    long_nozzles_mm=((3.0, 12.0),),
    jets=True,
    preheater=Preheater(celsius=150.0),
    plate=HotPlate(set_c=250.0),
    irons=USUAL_IRONS,
)


def crowded(board: Board, count: int = PARTS) -> Board:
    """The demo board four times over, with so many parts."""
    tiles = [
        replace(
            part,
            ref=f"{part.ref}.{tile}",
            x_mm=part.x_mm + 62.0 * (tile % 2),
            y_mm=part.y_mm + 44.0 * (tile // 2),
        )
        for tile in range(4)
        for part in board.parts
    ]
    outline = (((0.0, 0.0), (124.0, 0.0), (124.0, 88.0), (0.0, 88.0)),)
    return replace(
        board,
        width_mm=124.0,
        height_mm=88.0,
        outline=outline,
        parts=tuple(tiles[:count]),
        copper=tuple(_tiled(one) for one in board.copper),
    )


def _tiled(copper):  # type: ignore[no-untyped-def]
    coverage = np.tile(np.array(copper.coverage), (2, 2))
    return replace(copper, coverage=tuple(map(tuple, coverage.tolist())), links=None)


def rework() -> None:
    """Print seconds to the first and to the last way, against one rehearsal of the same board."""
    whole = crowded(read_board(demo_files(), "demo"))
    for ref in ("U1.0", "U2.0", "U4.0", "C2.0", "J1.0"):
        scene: Scene = off_scene(whole, HeatPlan(), ref, "Sn63Pb37")
        began, first = time.perf_counter(), None
        for _ in ways_off(scene, ref, BENCH, Matters.BOTH):
            first = first or time.perf_counter() - began
        took = time.perf_counter() - began
        began = time.perf_counter()
        rehearse(scene)
        one = time.perf_counter() - began
        print(
            f"ways off {ref} on {len(whole.parts)} parts: first after {first:.2f} s ({FIRST_S:g}),"
            f" all after {took:.1f} s ({ALL_S:g}), {took / one:.1f} times one rehearsal"
        )
