"""The printing fixture as a drawing: for the screen, for print, for a cutter."""

from yellowfen.core.board.board import Board, Point
from yellowfen.core.deposit.fixture import Box, Fixture
from yellowfen.formats.dxf import Dxf, rings


def _corners(box: Box) -> tuple[Point, ...]:
    x, y, w, h = box
    return ((x, y), (x + w, y), (x + w, y + h), (x, y + h))


def fixture_dxf(board: Board, found: Fixture) -> bytes:
    """Scraps to cut, board outline and tapes to mark."""
    dxf = Dxf()
    rings(dxf, "SCRAPS", (_corners(box) for _, box in found.scraps))
    rings(dxf, "BOARD", board.outline)
    rings(dxf, "TAPE", (_corners(box) for box in (*found.tapes, found.hinge)))
    return dxf.to_bytes()
