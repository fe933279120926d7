"""The board's drawing laid over a picture: pads, a part's outline, what was seen, all in px."""

from collections.abc import Iterable

import numpy as np
from markupsafe import Markup, escape

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.look.part_seen import Pose, body_ring, end_ring, on_board
from yellowfen.core.look.paste_seen import Between, PrintSeen
from yellowfen.core.look.picture_fit import Array, PictureFit, scale_at, to_picture
from yellowfen.core.look.picture_work import Pin
from yellowfen.store.pictures import PictureRow


def picture_svg(row: PictureRow, overlay: Markup) -> Markup:
    """A picture with its overlay; it pans and zooms as a plan does."""
    w, h = row.width, row.height
    return Markup(
        f'<svg class="plan picture-view" viewBox="0 0 {w} {h}" data-width="{w}" data-height="{h}" data-side="{escape(row.work.side)}" role="group" aria-label="Picture, {escape(row.work.moment)}" tabindex="0">'
        f'<g class="plan-view"><image href="/pictures/{row.id}.jpg" width="{w}" height="{h}"/><g class="laid">{overlay}</g></g></svg>'
    )


def _path(spots: Array) -> str:
    return "M" + "L".join(f"{u:.1f},{v:.1f}" for u, v in spots) + "Z"


def pins_drawn(pins: Iterable[Pin], size: float) -> Markup:
    """The places clicked, each a small ring with a dot."""
    return Markup("").join(
        Markup(
            f'<g class="clicked"><circle cx="{one.click.u_px:.1f}" cy="{one.click.v_px:.1f}" r="{size:.1f}"/><circle class="dot" cx="{one.click.u_px:.1f}" cy="{one.click.v_px:.1f}" r="{size * 0.15:.1f}"/><text x="{one.click.u_px + 1.3 * size:.1f}" y="{one.click.v_px:.1f}" font-size="{1.4 * size:.1f}">{escape(one.name)}</text></g>'
        )
        for one in pins
    )


def pads_drawn(board: Board, side: str, fit: PictureFit, size: tuple[int, int]) -> Markup:
    """The side's pads as the fit puts them, those in the picture only."""
    found = []
    for pad in board.pads:
        if pad.side != side:
            continue
        spots = to_picture(fit, np.array(pad.ring))
        if (spots.max(axis=0) < 0).any() or (spots.min(axis=0) > size).any():
            continue
        found.append(f'<path class="laid-pad" d="{_path(spots)}"/>')
    return Markup("".join(found))


def part_drawn(part: BoardPart, pose: Pose, fit: PictureFit) -> Markup:
    """A part's outline as its pose puts it: body, leads or ends, a line from its middle to pin 1."""
    rings = [body_ring(part.package)]
    rings += [ring for land in part.package.lands if (ring := end_ring(part.package, land))]
    paths = "".join(
        f'<path class="{"laid-body" if not n else "laid-lead"}" d="{_path(to_picture(fit, on_board(part, pose.moved(np.array(ring)))))}"/>'
        for n, ring in enumerate(rings)
    )
    middle = to_picture(fit, on_board(part, pose.moved(np.zeros((1, 2)))))[0]
    return Markup(
        f'<g class="laid-part" data-ref="{escape(part.ref)}" data-u="{middle[0]:.1f}" data-v="{middle[1]:.1f}"><title>{escape(part.ref)}: drag it until it sits on the picture</title>{paths}</g>'
    )


def parts_named(parts: Iterable[BoardPart], fit: PictureFit) -> Markup:
    """The names of parts at their middles, to be chosen."""
    found = []
    for part in parts:
        u, v = to_picture(fit, np.array([[part.x_mm, part.y_mm]]))[0]
        size = min(max(0.5 * scale_at(fit, part.x_mm, part.y_mm), 14.0), 40.0)
        found.append(
            f'<text class="laid-name" data-choose="{escape(part.ref)}" x="{u:.1f}" y="{v + 0.35 * size:.1f}" font-size="{size:.1f}">{escape(part.ref)}</text>'
        )
    return Markup("".join(found))


def print_drawn(seen: PrintSeen, board: Board, side: str, fit: PictureFit) -> Markup:
    """Pads with too little paste outlined and named by their share; a ring round what lies between."""
    pads = {(pad.ref, pad.pin): pad for pad in board.pads if pad.side == side}
    found = []
    for one in seen.thin:
        pad = pads[one.ref, one.pin]
        spots = to_picture(fit, np.array(pad.ring))
        u, v = spots.mean(axis=0)
        size = max(0.28 * scale_at(fit, pad.x_mm, pad.y_mm), 12.0)
        found.append(
            f'<path class="laid-thin" d="{_path(spots)}"/><text class="laid-name" x="{u:.1f}" y="{v + 0.35 * size:.1f}" font-size="{size:.1f}">{100 * one.share:.0f} %</text>'
        )
    return Markup("".join(found)) + between_drawn(seen.between, fit)


def between_drawn(places: Iterable[Between], fit: PictureFit) -> Markup:
    """A ring round each place to look at again, numbered."""
    found = []
    for n, one in enumerate(places, 1):
        u, v = to_picture(fit, np.array([[one.x_mm, one.y_mm]]))[0]
        r = max(0.35 * scale_at(fit, one.x_mm, one.y_mm), 16.0)
        found.append(
            f'<g class="laid-ring"><circle cx="{u:.1f}" cy="{v:.1f}" r="{r:.1f}"/><text x="{u + r:.1f}" y="{v - 0.6 * r:.1f}" font-size="{1.1 * r:.1f}">{n}</text></g>'
        )
    return Markup("".join(found))
