"""The printing fixture seen from above: board, scraps, tape, hinge, the blade and its way."""

import math

from markupsafe import Markup, escape

from yellowfen.core.board.board import Board
from yellowfen.core.deposit.fixture import Box, Fixture
from yellowfen.web.plan_svg import ring_path


def fixture_svg(board: Board, found: Fixture, side: str) -> Markup:
    """The drawing, seen from the side that is printed."""
    boxes = [box for _, box in found.scraps] + list(found.tapes) + [found.hinge]
    x0, y0 = min(box[0] for box in boxes) - 4, min(box[1] for box in boxes) - 4
    x1, y1 = max(box[0] + box[2] for box in boxes) + 4, max(box[1] + box[3] for box in boxes) + 4
    flip = (
        f"matrix(1 0 0 -1 0 {y0 + y1:.3f})"
        if side == "top"
        else f"matrix(-1 0 0 -1 {x0 + x1:.3f} {y0 + y1:.3f})"
    )
    scraps = "".join(_box(box, "scrap") for _, box in found.scraps)
    openings = "".join(
        f'<path class="opening is-good" d="{ring_path(one.ring)}"/>'
        for one in board.openings
        if one.side == side
    )
    outline = "".join(ring_path(ring) for ring in board.outline)
    body = (
        f'{scraps}<path class="plan-board" fill-rule="evenodd" d="{outline}"/>{openings}{"".join(_box(box, "tape") for box in found.tapes)}{_box(found.hinge, "hinge")}'
        f"{_stroke(board, found)}"
    )
    places = {name: (box[0] + box[2] / 2, box[1] + box[3] * 0.7) for name, box in found.scraps}
    hx, hy, hw, hh = found.hinge
    named = [
        (*places["left"], "scrap"),
        (places["top"][0] * 1.6 + 14, places["top"][1] - 14, "scrap"),
        (*places["right"], "scrap"),
        (places["bottom"][0], found.scraps[3][1][1] + 30.0, "scrap"),
    ]
    named.append(
        (hx + hw * 0.8, hy + hh / 2, "hinge: tape the stencil here")
        if hw > hh
        else (hx + hw / 2, hy + hh / 2, "hinge")
    )
    words = "".join(
        _word(x if side == "top" else x0 + x1 - x, y0 + y1 - y, word) for x, y, word in named
    )
    return Markup(
        f'<svg class="fixture" viewBox="{x0:.2f} {y0:.2f} {x1 - x0:.2f} {y1 - y0:.2f}" role="img" aria-label="{escape(found.stroke_said)}">'
        f'<g transform="{flip}">{body}</g>{words}</svg>'
    )


def _box(box: Box, kind: str) -> str:
    x, y, w, h = box
    return f'<rect class="{kind}" x="{x:.2f}" y="{y:.2f}" width="{w:.2f}" height="{h:.2f}"/>'


def _word(x: float, y: float, word: str) -> str:
    return f'<text x="{x:.2f}" y="{y + 1.5:.2f}" text-anchor="middle">{word}</text>'


def _stroke(board: Board, found: Fixture) -> str:
    """The blade across the board where it starts, and an arrow the way it goes."""
    dx, dy = found.stroke
    cx, cy = board.width_mm / 2, board.height_mm / 2
    reach = abs(dx) * board.width_mm / 2 + abs(dy) * board.height_mm / 2
    across = abs(dy) * board.width_mm / 2 + abs(dx) * board.height_mm / 2 + 6
    sx, sy = cx - dx * (reach + 12), cy - dy * (reach + 12)
    ex, ey = cx + dx * (reach + 12), cy + dy * (reach + 12)
    blade = f"M{sx - dy * across:.2f},{sy + dx * across:.2f}L{sx + dy * across:.2f},{sy - dx * across:.2f}"
    head = "".join(
        f"M{ex:.2f},{ey:.2f}l{-5 * math.cos(a):.2f},{-5 * math.sin(a):.2f}"
        for a in (math.atan2(dy, dx) + 0.5, math.atan2(dy, dx) - 0.5)
    )
    return f'<path class="blade" d="{blade}"/><path class="way" d="M{sx:.2f},{sy:.2f}L{ex:.2f},{ey:.2f}{head}"/>'
