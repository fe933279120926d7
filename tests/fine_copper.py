"""What a forecast is held against where the copper is drawn: the same scene on quarter millimetres
round a part, its copper as drawn on cells as fine.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.heat.grid import FineRound
from yellowfen.core.heat.rehearsal import Resolution, rehearse
from yellowfen.core.heat.scene import BoardStack, CopperLayer, Scene

FINE_MM = 0.25
ROUND_MM = 6.0
# ways the fine cells lie, shares of one: what they say hangs by 2 % on it
LIES = ((0.0, 0.0), (0.5, 0.5))


def drawn_finely(board: BoardStack) -> BoardStack:
    """The board with its drawn layers as links and coverage of fine cells."""

    def finely(foil: CopperLayer) -> CopperLayer:
        if foil.drawing is None:
            return foil
        cover, links = foil.drawing.piece(0.0, 0.0, (board.width_mm, board.height_mm), ny, nx)
        return replace(foil, coverage=cover, links=links, drawing=None)

    ny, nx = round(board.height_mm / FINE_MM), round(board.width_mm / FINE_MM)
    return replace(board, copper=tuple(map(finely, board.copper)))


def melts_s(scene: Scene, resolution: Resolution, ref: str) -> NDArray[np.float64]:
    """First and last melt of a part, s; NaN where a joint does not."""
    ends = [joint.melt_end_s for joint in rehearse(scene, resolution).joints_of(ref)]
    moments = np.array([np.nan if at is None else at for at in ends])
    return np.array([moments.min(), moments.max()])


def true_melts_s(scene: Scene, drawn: BoardStack, ref: str) -> NDArray[np.float64]:
    """The same on fine cells round the part, of a board `drawn_finely`: the mean over ways to lie."""
    part, finely = scene.part(ref), replace(scene, board=drawn)
    lands = part.package.lands
    reach = max(abs(at) for land in lands for at in (land.x_mm, land.y_mm))
    size = 2 * reach + max(max(land.size_x_mm, land.size_y_mm) for land in lands) + ROUND_MM
    return np.mean(
        [
            melts_s(
                finely,
                Resolution(
                    cell_mm=FINE_MM,
                    fine=FineRound(
                        part.x_mm + right * FINE_MM, part.y_mm + up * FINE_MM, size, size
                    ),
                ),
                ref,
            )
            for right, up in LIES
        ],
        axis=0,
    )
