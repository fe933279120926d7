"""A board as files that any board tool and this application read: Gerber with names, drill,
placement, bill.

Laws: pads, paste, holes, outline and parts come back the same when read again; a sketched patch's
guessed copper is not drawn, since nobody knows where it runs.
"""

import math
from collections.abc import Iterable, Sequence

from yellowfen.core.board.board import Board, Hole, Pad, Point
from yellowfen.formats.table_out import table_text

HEAD = "%FSLAX46Y46*%\n%MOMM*%\n"
_COPPER = {"top": ("L1", "Top"), "bottom": ("L2", "Bot")}


def board_files(board: Board) -> dict[str, bytes]:
    """Files by name, ready to be read again."""
    files = {"outline.gbr": _layer("Profile,NP", _outline(board.outline))}
    for side, (number, word) in _COPPER.items():
        pads = [pad for pad in board.pads if pad.side == side]
        if pads:
            files[f"copper-{side}.gbr"] = _copper(f"Copper,{number},{word}", pads)
            files[f"mask-{side}.gbr"] = _layer(
                f"Soldermask,{word}", "".join(region(pad.ring) for pad in pads)
            )
            files[f"paste-{side}.gbr"] = _layer(
                f"Paste,{word}",
                "".join(
                    with_inner(one.ring, one.inner) for one in board.openings if one.side == side
                ),
            )
    if not board.pads:
        files["copper-top.gbr"] = _layer("Copper,L1,Top", "")
    for plated, name in ((True, "holes.drl"), (False, "holes-npth.drl")):
        holes = [hole for hole in board.holes if hole.plated is plated]
        if holes:
            files[name] = _drill(holes)
    if board.parts:
        files["placement.csv"] = _placement(board)
    return files


def _layer(function: str, body: str, pens: str = "") -> bytes:
    return f"{HEAD}%TF.FileFunction,{function}*%\n%ADD10C,0.050000*%\n{pens}D10*\n{body}M02*\n".encode()


def _copper(function: str, pads: Sequence[Pad]) -> bytes:
    """Pads as regions, bared bits of track included, and under each the flash that tells its middle
    and sizes.
    """
    pens: dict[str, int] = {}
    body = []
    for pad in pads:
        shape = _flash_of(pad)
        if shape:
            number = pens.setdefault(shape, 11 + len(pens))
            body.append(
                f"{_names(pad)}%LR{pad.angle_deg:g}*%\nD{number}*\n{at((pad.x_mm, pad.y_mm), 'D03')}%LR0*%\n%TD*%\n"
            )
        body.append(_names(pad) + region(pad.ring) + "%TD*%\n")
    return _layer(
        function,
        "".join(body),
        "".join(f"%ADD{number}{shape}*%\n" for shape, number in pens.items()),
    )


def _flash_of(pad: Pad) -> str:
    """The aperture a pad was flashed with as far as its area tells: a disc, a rectangle, or nothing
    known.
    """
    box = pad.size_x_mm * pad.size_y_mm
    if (
        abs(pad.size_x_mm - pad.size_y_mm) < 0.01
        and abs(pad.area_mm2 / (math.pi / 4 * box) - 1) < 0.02
    ):
        return f"C,{pad.size_x_mm:.4f}"
    return (
        f"R,{pad.size_x_mm:.4f}X{pad.size_y_mm:.4f}"
        if 0.62 * pad.area_mm2 <= box <= 1.01 * pad.area_mm2
        else ""
    )


def at(point: Point, code: str) -> str:
    """A move or draw to a point."""
    return f"X{round(point[0] * 1e6)}Y{round(point[1] * 1e6)}{code}*\n"


def contour(ring: Sequence[Point]) -> str:
    """A closed line with the pen at hand."""
    return at(ring[0], "D02") + "".join(at(point, "D01") for point in (*ring[1:], ring[0]))


def _outline(rings: Iterable[Sequence[Point]]) -> str:
    return "".join(contour(ring) for ring in rings)


def region(ring: Sequence[Point]) -> str:
    """A filled ring."""
    return "G36*\n" + contour(ring) + "G37*\n"


def with_inner(ring: Sequence[Point], inner: Iterable[Sequence[Point]]) -> str:
    """A filled ring with what lies within it taken out again."""
    holes = "".join(region(one) for one in inner)
    return region(ring) + (f"%LPC*%\n{holes}%LPD*%\n" if holes else "")


def _names(pad: Pad) -> str:
    """The attributes that name a pad's part, pin and net."""
    part = f"%TO.P,{_plain(pad.ref)},{_plain(pad.pin or '')}*%\n" if pad.ref else ""
    return part + (f"%TO.N,{_plain(pad.net)}*%\n" if pad.net else "")


def _plain(word: str) -> str:
    """A word without the characters that end a Gerber command or field."""
    return "".join(char for char in word if char.isprintable() and char not in "*%,")


def _drill(holes: Sequence[Hole]) -> bytes:
    sizes = sorted({hole.drill_mm for hole in holes})
    lines = [
        "M48",
        "METRIC",
        *(f"T{number}C{size:.4f}" for number, size in enumerate(sizes, 1)),
        "%",
    ]
    for number, size in enumerate(sizes, 1):
        lines.append(f"T{number}")
        for hole in (one for one in holes if one.drill_mm == size):
            slot = (
                f"G85X{hole.x2_mm:.4f}Y{hole.y2_mm:.4f}"
                if hole.x2_mm is not None and hole.y2_mm is not None
                else ""
            )
            lines.append(f"X{hole.x_mm:.4f}Y{hole.y_mm:.4f}{slot}")
    return ("\n".join([*lines, "M30"]) + "\n").encode()


def _placement(board: Board) -> bytes:
    heading = ("Ref", "Value", "Package", "X (mm)", "Y (mm)", "Rotation", "Side")
    rows = [
        (
            part.ref,
            part.value,
            part.footprint,
            f"{part.x_mm:.4f}",
            f"{part.y_mm:.4f}",
            f"{part.rotation_deg:.4f}",
            part.side,
        )
        for part in board.parts
    ]
    return table_text([heading, *rows]).encode()
