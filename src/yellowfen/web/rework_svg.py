"""Drawings of rework: parts beneath on the plan, a way off along time, solder on pads, an adapter."""

from typing import Any

from markupsafe import Markup, escape

from yellowfen.core.board.board import Board
from yellowfen.core.deposit.through_hole import PIN_MM, RING_MM
from yellowfen.core.part.package import Land, Package
from yellowfen.core.rework.adapter import GRID_MM, Adapter
from yellowfen.core.rework.pads import PadsPlan


def beneath_drawn(board: Board, side: str, refs: frozenset[str]) -> Markup:
    """Parts of the other face as they lie under this one, in board millimetres, y up."""
    found = []
    for part in board.parts:
        if part.side == side or part.ref not in refs:
            continue
        half_x, half_y = part.package.body_x_mm / 2, part.package.body_y_mm / 2
        turn = part.rotation_deg if part.side == "top" else -part.rotation_deg
        found.append(
            f'<rect class="beneath" x="{-half_x:.2f}" y="{-half_y:.2f}" width="{2 * half_x:.2f}" height="{2 * half_y:.2f}"'
            f' transform="translate({part.x_mm:.2f},{part.y_mm:.2f}) rotate({turn:.1f})"><title>{escape(part.ref)}, on the underside</title></rect>'
        )
    return Markup("".join(found))


def way_time(way: dict[str, Any], longest_s: float) -> Markup:
    """A way off along time: heat until the first joint, first to last joint, how long all stay
    liquid.
    """
    at, spread, stays = way["all_liquid_s"], way["spread_s"] or 0.0, way["stays_liquid_s"] or 0.0
    if at is None:
        return Markup("")
    scale = 1000.0 / max(longest_s, 1.0)
    first = max(at - spread, 0.0)
    bars = (("before", 0.0, first), ("between", first, at), ("liquid", at, at + stays))
    drawn = "".join(
        f'<rect class="{kind}" x="{low * scale:.1f}" y="2" width="{max((high - low) * scale, 3.0):.1f}" height="14"/>'
        for kind, low, high in bars
    )
    return Markup(
        f'<svg class="way-time" viewBox="0 0 1000 18" preserveAspectRatio="none" aria-hidden="true">{drawn}</svg>'
    )


def pads_drawn(package: Package, plan: PadsPlan) -> Markup:
    """The lands of a part with what stands on them: the filled patch is the solder, the ring what
    the refit wants.
    """
    reach = 1.08 * max(
        max(abs(land.x_mm) + land.size_x_mm / 2, abs(land.y_mm) + land.size_y_mm / 2)
        for land in package.lands
    )
    by_pin = {pad.pin: pad for pad in plan.pads}
    most = max(
        (
            max(pad.left_mm3 / max(land.area_mm2, 1e-6) for pad in [by_pin[land.pin]])
            for land in package.lands
        ),
        default=1.0,
    )
    drawn = []
    for land in package.lands:
        pad = by_pin[land.pin]
        share = pad.left_mm3 / max(land.area_mm2, 1e-6) / max(most, 1e-9)
        keep = min(pad.wanted_mm3 / max(land.area_mm2, 1e-6) / max(most, 1e-9), 1.0)
        tie = "" if pad.tie == "signal" else " tied"
        drawn.append(
            f'<rect class="pad{tie}" data-pin="{escape(land.pin)}" x="{land.x_mm - land.size_x_mm / 2:.3f}" y="{-land.y_mm - land.size_y_mm / 2:.3f}" width="{land.size_x_mm:.3f}" height="{land.size_y_mm:.3f}"/>'
            f"{_heap(land, share, 'left')}{_heap(land, keep, 'keep')}"
        )
    return Markup(
        f'<svg class="pads-picture" viewBox="{-reach:.2f} {-reach:.2f} {2 * reach:.2f} {2 * reach:.2f}" role="img" aria-label="Solder left on the pads of {escape(plan.ref)}">{"".join(drawn)}</svg>'
    )


def _heap(land: Land, share: float, kind: str) -> str:
    """Solder on a land as a rounded patch of that share of its area."""
    wide, tall = land.size_x_mm * share**0.5, land.size_y_mm * share**0.5
    return (
        f'<rect class="{kind}" x="{land.x_mm - wide / 2:.3f}" y="{-land.y_mm - tall / 2:.3f}" width="{wide:.3f}"'
        f' height="{tall:.3f}" rx="{0.4 * min(wide, tall):.3f}"/>'
    )


def adapter_drawn(package: Package, made: Adapter) -> Markup:
    """The adapter from above: package lands, header rows, a line from each pin to its place."""
    half_x = made.rows_mm / 2 + GRID_MM
    rows = max(one.place for one in made.pins)
    half_y = max((rows - 1) * GRID_MM / 2, package.body_y_mm / 2) + GRID_MM
    lands = {land.pin: land for land in package.lands}
    parts = [
        f'<rect class="adapter-board" x="{-half_x:.2f}" y="{-half_y:.2f}" width="{2 * half_x:.2f}" height="{2 * half_y:.2f}" rx="0.8"/>'
    ]
    for one in made.pins:
        land = lands[one.pin]
        parts.append(
            f'<path class="adapter-line" d="M{land.x_mm:.2f},{-land.y_mm:.2f}L{one.x_mm:.2f},{-one.y_mm:.2f}"/>'
        )
    for land in package.lands:
        parts.append(
            f'<rect class="pad" x="{land.x_mm - land.size_x_mm / 2:.2f}" y="{-land.y_mm - land.size_y_mm / 2:.2f}" width="{land.size_x_mm:.2f}" height="{land.size_y_mm:.2f}"/>'
        )
    parts.append(
        f'<rect class="drawn-body" x="{-package.body_x_mm / 2:.2f}" y="{-package.body_y_mm / 2:.2f}" width="{package.body_x_mm:.2f}" height="{package.body_y_mm:.2f}"/>'
    )
    first = min(made.pins, key=lambda one: (one.row, one.place))
    for one in made.pins:
        anchor, shift = ("end", -3.0) if one.row == 1 else ("start", 3.0)
        square = f'<rect class="header-land" x="{one.x_mm - RING_MM / 2:.2f}" y="{-one.y_mm - RING_MM / 2:.2f}" width="{RING_MM}" height="{RING_MM}"/>'
        ring = (
            square
            if one is first
            else f'<circle class="header-land" cx="{one.x_mm:.2f}" cy="{-one.y_mm:.2f}" r="{RING_MM / 2}"/>'
        )
        parts.append(
            f'{ring}<rect class="pin" x="{one.x_mm - PIN_MM / 2:.2f}" y="{-one.y_mm - PIN_MM / 2:.2f}" width="{PIN_MM}" height="{PIN_MM}"/>'
            f'<text x="{one.x_mm + shift:.2f}" y="{-one.y_mm + 0.45:.2f}" text-anchor="{anchor}"><tspan class="header">{one.header}</tspan> {escape(one.pin)}</text>'
        )
    wide = half_x + 5.0
    return Markup(
        f'<svg class="adapter" viewBox="{-wide:.2f} {-half_y - 0.5:.2f} {2 * wide:.2f} {2 * half_y + 1:.2f}" role="img" aria-label="Pin map of {escape(package.name)} on two header rows">{"".join(parts)}</svg>'
    )
