"""The board as a paper plan: one SVG drawing that every stage lays its own meaning over.

Drawn in board millimetres (y up inside the flipped group). Pads and bodies carry data-ref and
data-pin, so scripts can find them; nothing here knows a stage.
"""

from collections.abc import Collection, Mapping

from markupsafe import Markup, escape

from yellowfen.core.board.board import Board, BoardPart, Hole, Ink, Opening, Pad, Point

MARGIN_MM = 3.0
SMALLEST_NAME_MM, LARGEST_NAME_MM = 1.1, 1.9


def plan_svg(
    board: Board, side: str, grades: Mapping[str, str] | None = None, overlay: Markup = Markup("")
) -> Markup:
    """The plan of one side; the bottom is drawn as seen from below (mirrored).

    `grades` marks parts as hard, mind or easy.

    `overlay` is drawn over the bodies, in board millimetres, y up.
    """
    w, h, m = board.width_mm, board.height_mm, MARGIN_MM
    mirror = (
        f"translate({w:.3f},{h:.3f}) scale(-1,-1)"
        if side == "bottom"
        else f"translate(0,{h:.3f}) scale(1,-1)"
    )
    ring = "".join(ring_path(one) for one in board.outline)
    copper = "".join(_ink(one) for one in board.drawings.get(f"copper {side}", ()))
    legend = "".join(_ink(one) for one in board.drawings.get(f"legend {side}", ()))
    nets = {
        net: number for number, net in enumerate(sorted({pad.net for pad in board.pads if pad.net}))
    }
    pads = "".join(
        _pad(pad, nets, place) for place, pad in enumerate(board.pads) if pad.side == side
    )
    shown = [part for part in board.parts if part.side == side]
    bodies = "".join(_body(part, (grades or {}).get(part.ref, "")) for part in shown)
    names = "".join(_name(part, board, side) for part in shown)
    holes = "".join(_hole(hole) for hole in board.holes)
    return Markup(
        f'<svg class="plan" viewBox="{-m:g} {-m:g} {w + 2 * m:.3f} {h + 2 * m:.3f}" data-width="{w:.3f}" data-height="{h:.3f}" data-side="{escape(side)}"'
        f' role="group" aria-label="Plan of {escape(board.name)}, {escape(side)} side" tabindex="0">'
        f'<g class="plan-view"><g transform="{mirror}">'
        f'<path class="plan-board" fill-rule="evenodd" d="{ring}"/>'
        f'<g class="plan-copper" transform="scale(0.01)">{copper}</g>'
        f'<g class="plan-heat"></g><g class="plan-legend" transform="scale(0.01)">{legend}</g>'
        f'<g class="plan-holes">{holes}</g><g class="plan-pads">{pads}</g><g class="plan-bodies">{bodies}</g>'
        f'<g class="plan-overlay">{overlay}</g>'
        f'<g class="plan-contours" clip-path="url(#board-shape)"></g><g class="plan-tour"></g><g class="plan-nozzle"></g></g><g class="plan-names">{names}</g><g class="plan-stops"></g></g></svg>'
    )


def ring_path(ring: tuple[Point, ...]) -> str:
    """A closed path through points."""
    return "M" + "L".join(f"{x:.2f},{y:.2f}" for x, y in ring) + "Z"


def opening_path(one: Opening) -> str:
    """An opening's outline with the rings within it, to be filled by the even-odd rule."""
    return "".join(ring_path(ring) for ring in (one.ring, *one.inner))


def _ink(ink: Ink) -> str:
    kind = "clear" if ink.clear else "dark"
    if ink.width_mm:
        return f'<path class="line {kind}" stroke-width="{ink.width_mm * 100:g}" d="{ink.path}"/>'
    return f'<path class="area {kind}" d="{ink.path}"/>'


def _pad(pad: Pad, nets: Mapping[str, int], place: int) -> str:
    named = f' data-ref="{escape(pad.ref)}" data-pin="{escape(pad.pin or "")}"' if pad.ref else ""
    net = f' data-net="{nets[pad.net]}"' if pad.net else ""
    return f'<path class="pad" data-place="{place}"{named}{net} d="{ring_path(pad.ring)}"/>'


def _hole(hole: Hole) -> str:
    if hole.x2_mm is not None and hole.y2_mm is not None:
        return f'<path class="slot" stroke-width="{hole.drill_mm:.2f}" d="M{hole.x_mm:.2f},{hole.y_mm:.2f}L{hole.x2_mm:.2f},{hole.y2_mm:.2f}"/>'
    kind = "via" if hole.plated and hole.drill_mm < 0.6 else "hole"
    return f'<circle class="{kind}" cx="{hole.x_mm:.2f}" cy="{hole.y_mm:.2f}" r="{hole.drill_mm / 2:.3f}"/>'


def _body(part: BoardPart, grade: str) -> str:
    package = part.package
    turn = part.rotation_deg if part.side == "top" else 180 - part.rotation_deg
    flip = "" if part.side == "top" else " scale(1,-1)"
    x, y = -package.body_x_mm / 2, -package.body_y_mm / 2
    round_body = package.family == "can"
    shape = (
        f'<circle r="{package.body_x_mm / 2:.2f}"/>'
        if round_body
        else f'<rect x="{x:.2f}" y="{y:.2f}" width="{package.body_x_mm:.2f}" height="{package.body_y_mm:.2f}" rx="{min(package.body_x_mm, package.body_y_mm) * 0.08:.2f}"/>'
    )
    shy = (" shy" if package.heat_shy else "") + (f" {grade}" if grade else "")
    title = f"{part.ref} {part.value} {package.name}"
    return (
        f'<g class="part{shy}" data-ref="{escape(part.ref)}" tabindex="-1" transform="translate({part.x_mm:.3f},{part.y_mm:.3f}) rotate({turn:.2f}){flip}">'
        f"<title>{escape(title)}</title>{shape}{_first_pin(part)}</g>"
    )


def _first_pin(part: BoardPart) -> str:
    """A filled corner towards pin 1: a quarter wedge of the body's corner nearest to that pin."""
    package = part.package
    first = next((land for land in package.lands if land.pin == "1"), None)
    if first is None or not package.has_pin_1 or package.guessed:
        return ""
    size = min(0.34 * min(package.body_x_mm, package.body_y_mm), 1.3)
    half_x, half_y = package.body_x_mm / 2, package.body_y_mm / 2
    sx = -1 if first.x_mm <= 0 else 1
    sy = 1 if first.y_mm >= 0 else -1
    if len(package.lands) == 2 or abs(first.y_mm) < 0.05:
        x = sx * (half_x - size * 0.3)
        reach = half_y * (0.35 if package.family == "can" else 0.8)
        return f'<path class="first" d="M{x:.2f},{-reach:.2f}V{reach:.2f}"/>'
    return f'<path class="first wedge" d="M{sx * half_x:.2f},{sy * half_y:.2f}h{-sx * size:.2f}L{sx * half_x:.2f},{sy * (half_y - size):.2f}Z"/>'


def _name(part: BoardPart, board: Board, side: str) -> str:
    package = part.package
    across = round(part.rotation_deg / 90.0) % 2 == 1
    width, height = (
        (package.body_y_mm, package.body_x_mm) if across else (package.body_x_mm, package.body_y_mm)
    )
    size = max(
        min(0.5 * height, 1.5 * width / max(len(part.ref), 2), LARGEST_NAME_MM), SMALLEST_NAME_MM
    )
    x = part.x_mm if side == "top" else board.width_mm - part.x_mm
    inside = height >= 1.25 * size and width >= 0.55 * size * len(part.ref)
    y = board.height_mm - part.y_mm + (0.36 * size if inside else -0.5 * height - 0.3)
    return f'<text class="name" data-ref="{escape(part.ref)}" x="{x:.2f}" y="{y:.2f}" font-size="{size:.2f}">{escape(part.ref)}</text>'


def board_thumb(board: Board, side: str, refs: Collection[str]) -> Markup:
    """A board's side as a small picture of its own: outline and bodies, those of `refs` (all where
    empty) filled.
    """
    w, h = board.width_mm, board.height_mm
    flip = (
        f"translate({w:.2f},{h:.2f}) scale(-1,-1)"
        if side == "bottom"
        else f"translate(0,{h:.2f}) scale(1,-1)"
    )
    bodies = []
    for part in board.parts:
        if part.side != side:
            continue
        x, y = part.package.body_x_mm, part.package.body_y_mm
        turn = part.rotation_deg if side == "top" else 180 - part.rotation_deg
        fill = "#e0980c" if not refs or part.ref in refs else "#b9baa8"
        bodies.append(
            f'<rect x="{-x / 2:.2f}" y="{-y / 2:.2f}" width="{x:.2f}" height="{y:.2f}" fill="{fill}" transform="translate({part.x_mm:.2f},{part.y_mm:.2f}) rotate({turn:.1f})"/>'
        )
    ring = "".join(ring_path(one) for one in board.outline)
    line = max(w, h) / 90
    return Markup(
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="{-line:.2f} {-line:.2f} {w + 2 * line:.2f} {h + 2 * line:.2f}">'
        f'<g transform="{flip}"><path d="{ring}" fill="#f3efd9" stroke="#4a483d" stroke-width="{line:.2f}" fill-rule="evenodd"/>{"".join(bodies)}</g></svg>'
    )
