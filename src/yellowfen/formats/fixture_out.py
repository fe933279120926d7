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


def fixture_svg_file(board: Board, found: Fixture) -> bytes:
    """The same as an SVG in true millimetres: scraps black, board and tapes grey."""
    boxes = [*(box for _, box in found.scraps), *found.tapes, found.hinge]
    x0, y0 = min(box[0] for box in boxes), min(box[1] for box in boxes)
    w, h = max(box[0] + box[2] for box in boxes) - x0, max(box[1] + box[3] for box in boxes) - y0
    cut = "".join(_path(_corners(box)) for _, box in found.scraps)
    mark = "".join(
        _path(ring)
        for ring in (*board.outline, *(_corners(box) for box in (*found.tapes, found.hinge)))
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{w:g}mm" height="{h:g}mm" viewBox="{x0:g} {-y0 - h:g} {w:g} {h:g}" fill="none" stroke-width="0.1">'
        f'<path id="cut" stroke="#000000" d="{cut}"/><path id="mark" stroke="#888888" d="{mark}"/></svg>'
    ).encode()


def _path(ring: tuple[Point, ...]) -> str:
    return "M" + "L".join(f"{x:.3f},{-y:.3f}" for x, y in ring) + "Z"
