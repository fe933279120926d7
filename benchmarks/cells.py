"""First and last melts of the demo's parts on the grids that are used, against the copper as drawn
in quarter millimetres; with what coarse cells have wrong of pads, and without it.
"""

from collections import defaultdict
from dataclasses import replace

import numpy as np
from tests.fine_copper import drawn_finely, melts_s, true_melts_s

from yellowfen.core.heat.heat_plan import HeatPlan, usual_moves
from yellowfen.core.heat.rehearsal import COARSE, FINE, QUICK
from yellowfen.core.heat.scene import BoardStack, Deed, Move, Scene, near_the_heat
from yellowfen.core.work.board_scene import scene_of
from yellowfen.formats.board_files import read_board
from yellowfen.workflows.demo import demo_files

HOLD_MM, CHIP_S, LARGE_S = 15.0, 32.0, 48.0
GRIDS = {
    "1 mm (goal 6 and 3 %)": FINE,
    "1.75 mm": QUICK,
    "2 mm (goal 8 and 4 %)": COARSE,
}


def _without(board: BoardStack) -> BoardStack:
    copper = tuple(replace(foil, drawing=None) for foil in board.copper)
    return replace(board, copper=copper)


def _planned(scene: Scene, ref: str) -> Scene:
    """The recipe of the demo's jobs: warmed from above, then closed in, long enough for any."""
    warm, close, _ = usual_moves((ref,))
    return near_the_heat(replace(scene, moves=(warm, replace(close, seconds=_seconds(scene, ref)))))


def _seconds(scene: Scene, ref: str) -> float:
    return LARGE_S if len(scene.part(ref).package.lands) > 3 else CHIP_S


def _held(scene: Scene, ref: str) -> Scene:
    """Cold, then the whole jet at once: the hardest question to a coarse grid."""
    hold = Move(deed=Deed.HOLD, seconds=_seconds(scene, ref), over=(ref,), height_mm=HOLD_MM)
    return near_the_heat(replace(scene, moves=(hold,)))


def cells() -> None:
    """Every part on the demo's top, each alone."""
    board = read_board(demo_files(), "demo")
    parts = [one for one in board.parts if one.side == "top"]
    first = scene_of(board, HeatPlan(targets=(parts[0].ref,), moves=usual_moves((parts[0].ref,))))
    drawn, bare = drawn_finely(first.board), _without(first.board)
    for recipe, said in ((_planned, "as the demo's jobs heat it"), (_held, "held from cold")):
        errors: dict[tuple[str, bool], list[tuple[str, float, float]]] = defaultdict(list)
        for part in parts:
            scene = scene_of(board, HeatPlan(targets=(part.ref,), moves=usual_moves((part.ref,))))
            scene = recipe(scene, part.ref)
            true = true_melts_s(scene, drawn, part.ref)
            for name, resolution in GRIDS.items():
                for met in (False, True):
                    here = scene if met else replace(scene, board=bare)
                    off = 100 * (melts_s(here, resolution, part.ref) / true - 1)
                    errors[name, met].append((part.ref, float(off[0]), float(off[1])))
        for (name, met), rows in errors.items():
            _tell(f"{name}, {said}, pads {'met as drawn' if met else 'as the grid has them'}", rows)


def _tell(said: str, rows: list[tuple[str, float, float]]) -> None:
    found = np.array([row[1:] for row in rows])
    found = found[np.isfinite(found).all(axis=1)]
    worst = sorted(rows, key=lambda row: -max(map(abs, np.nan_to_num(row[1:]))))[:3]
    print(
        f"{said}, {len(found)} parts:"
        f" first melt {found[:, 0].min():.1f} to {found[:, 0].max():.1f} %, RMS {_rms(found[:, 0]):.1f};"
        f" last {found[:, 1].min():.1f} to {found[:, 1].max():.1f} %, RMS {_rms(found[:, 1]):.1f};"
        f" worst {', '.join(f'{ref} {first:.1f}/{last:.1f}' for ref, first, last in worst)}",
        flush=True,
    )


def _rms(values: np.ndarray) -> float:
    return float(np.sqrt(np.mean(values**2)))
