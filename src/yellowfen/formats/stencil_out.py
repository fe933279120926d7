"""A stencil as files: Gerber for whoever makes it, DXF and SVG for a cutter, with frame, board
outline, alignment holes and a line of text.

Laws: openings are the board's own, nothing else is cut but them, the frame and the alignment holes;
the Gerber of the openings holds only openings, so it reads back to the same areas. Seen from the
squeegee's side; `mirrored` for work from the other face.
"""

import io
import zipfile
from dataclasses import dataclass

from yellowfen.core.board.board import Board, Opening, Point
from yellowfen.core.board.letters import write
from yellowfen.core.quantity.number import in_range
from yellowfen.errors import InvalidValue
from yellowfen.formats.board_out import HEAD, at, contour, with_inner
from yellowfen.formats.dxf import Dxf, rings

HOLE_MM = 3.2
TEXT_MM = 3.0


@dataclass(frozen=True, kw_only=True)
class StencilDrawing:
    """Everything on a foil, mm, as it lies: openings, board outline, frame (a rectangle), alignment
    holes (x, y, diameter), strokes of text.
    """

    openings: tuple[tuple[Point, ...], ...]
    outline: tuple[tuple[Point, ...], ...]
    frame: tuple[float, float, float, float]
    holes: tuple[tuple[float, float, float], ...]
    text: tuple[tuple[Point, ...], ...]


def stencil_drawing(
    board: Board,
    side: str,
    said: str,
    margin_mm: float = 25.0,
    mirrored: bool = False,
    text_readable: bool = True,
) -> StencilDrawing:
    """The drawing of one side's stencil.

    The bottom is turned over, as it lies when the board does; `said` is cut as text.

    `mirrored` turns the whole foil over; the text stays readable unless `text_readable` is False.
    Raises InvalidValue without openings.
    """
    in_range("margin_mm", margin_mm, 5, 200, "mm")
    found: list[Opening] = [one for one in board.openings if one.side == side]
    if not found:
        raise InvalidValue("side", f"there are no apertures on the {side} side")
    turned = (side == "bottom") != mirrored

    def laid(points: tuple[Point, ...]) -> tuple[Point, ...]:
        return tuple((board.width_mm - x, y) for x, y in points) if turned else points

    w, h, m = board.width_mm, board.height_mm, margin_mm
    off = m / 2
    holes = tuple(
        (x, y, HOLE_MM)
        for x, y in ((-off, -off), (w + off, -off), (w + off, h + off), (-off, h / 2))
    )  # one of four off its corner: it fits one way only
    text = write(
        said.upper(),
        w / 2,
        -off,
        min(TEXT_MM, 0.9 * w / max(len(said), 1) * 6 / 5.5),
        mirrored=not text_readable,
    )
    return StencilDrawing(
        openings=tuple(laid(ring) for one in found for ring in (one.ring, *one.inner)),
        outline=tuple(laid(ring) for ring in board.outline),
        frame=(-m, -m, w + 2 * m, h + 2 * m),
        holes=holes,
        text=tuple(tuple(stroke) for stroke in text),
    )


def _corners(frame: tuple[float, float, float, float]) -> tuple[Point, ...]:
    x, y, w, h = frame
    return ((x, y), (x + w, y), (x + w, y + h), (x, y + h))


def stencil_gerber(board: Board, side: str, drawing: StencilDrawing) -> bytes:
    """A zip: the paste layer alone, the frame drawing, the alignment holes, all in the coordinates
    of the board's own files.

    The paste layer takes the place of the old one in those files. Frame and holes lie as the board
    does, not turned over.
    """
    dx, dy = board.origin
    word = "Top" if side == "top" else "Bot"

    def placed(points: tuple[Point, ...]) -> tuple[Point, ...]:
        return tuple((x + dx, y + dy) for x, y in points)

    paste = "".join(
        with_inner(placed(one.ring), [placed(ring) for ring in one.inner])
        for one in board.openings
        if one.side == side
    )
    strokes = "".join(
        contour(placed(ring)) for ring in (_corners(drawing.frame), *board.outline)
    ) + "".join(_open(placed(stroke)) for stroke in drawing.text)
    drill = "".join(f"X{x + dx:.4f}Y{y + dy:.4f}\n" for x, y, _ in drawing.holes)
    files = {
        f"paste-{side}.gbr": f"{HEAD}%TF.FileFunction,Paste,{word}*%\n%TF.FilePolarity,Positive*%\n{paste}M02*\n",
        f"frame-{side}.gbr": f"{HEAD}%TF.FileFunction,Other,StencilFrame*%\n%ADD10C,0.150000*%\nD10*\n{strokes}M02*\n",
        f"alignment-{side}.drl": f"M48\nMETRIC\nT1C{HOLE_MM:.3f}\n%\nT1\n{drill}M30\n",
    }
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as bundle:
        for name, data in files.items():
            bundle.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), data)
    return stream.getvalue()


def _open(stroke: tuple[Point, ...]) -> str:
    return at(stroke[0], "D02") + "".join(at(point, "D01") for point in stroke[1:])


def stencil_dxf(drawing: StencilDrawing) -> bytes:
    """Openings, frame and alignment holes to cut; outline and text to mark; a layer each."""
    dxf = Dxf()
    rings(dxf, "OPENINGS", drawing.openings)
    rings(dxf, "FRAME", (_corners(drawing.frame),))
    for x, y, diameter in drawing.holes:
        dxf.circle("ALIGNMENT", x, y, diameter / 2)
    rings(dxf, "BOARD_MARK", drawing.outline)
    for stroke in drawing.text:
        dxf.polyline("TEXT_MARK", stroke)
    return dxf.to_bytes()


def stencil_svg(drawing: StencilDrawing) -> str:
    """The same as an SVG in true millimetres: cut lines black, marks grey."""
    x, y, w, h = drawing.frame
    cut = "".join(_path(ring) for ring in (*drawing.openings, _corners(drawing.frame)))
    holes = "".join(
        f'<circle cx="{a:.4f}" cy="{-b:.4f}" r="{d / 2:.4f}"/>' for a, b, d in drawing.holes
    )
    marks = "".join(_path(ring) for ring in drawing.outline)
    text = "".join(
        "M" + "L".join(f"{a:.4f},{-b:.4f}" for a, b in stroke) for stroke in drawing.text if stroke
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{w:g}mm" height="{h:g}mm" viewBox="{x:g} {-y - h:g} {w:g} {h:g}" fill="none" stroke-width="0.05">'
        f'<g id="cut" stroke="#000000"><path d="{cut}"/>{holes}</g><g id="mark" stroke="#888888"><path d="{marks}"/><path d="{text}"/></g></svg>'
    )


def _path(ring: tuple[Point, ...]) -> str:
    return "M" + "L".join(f"{x:.4f},{-y:.4f}" for x, y in ring) + "Z"
