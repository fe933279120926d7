"""A leadless part from the side as it settles, heights drawn ten times as large as lengths; and how
much beneath it works.
"""

from markupsafe import Markup, escape

from yellowfen.core.board.board import BoardPart
from yellowfen.core.deposit.floating import Settled
from yellowfen.core.deposit.leadless import Leadless
from yellowfen.core.part.package import JointKind, Land
from yellowfen.core.quantity.units import MICRONS, with_unit

TALLER = 10.0
_BAR_TO = 1.5  # of the pad's area


def settled_view(part: BoardPart, settled: Settled) -> Markup:
    """Board, lands, solder at rest, edge solder's free crown (dashed), the part above."""
    package = part.package
    edges = [
        land for land in package.lands if land.kind is JointKind.LEADLESS and package.beside(land)
    ]
    outer = (
        [land for land in edges if abs(land.y_mm) == min(abs(other.y_mm) for other in edges)]
        if edges
        else []
    )
    pads = [land for land in package.lands if land.kind is JointKind.THERMAL_PAD]
    reach = (
        max(
            [
                package.body_x_mm / 2,
                *(abs(land.x_mm) + land.size_x_mm / 2 for land in package.lands),
            ]
        )
        + 0.3
    )
    rest, crown = TALLER * settled.height_mm, TALLER * settled.crown_mm
    lands = "".join(
        f'<rect class="land" x="{land.x_mm - land.size_x_mm / 2:.3f}" y="0" width="{land.size_x_mm:.3f}" height="0.12"/>'
        for land in (*outer, *pads)
    )
    melt = "".join(
        _edge_melt(land, rest, crown, package.body_x_mm / 2)
        if land.kind is JointKind.LEADLESS
        else _melt(land, rest)
        for land in (*outer, *pads)
        if settled.touches or land.kind is not JointKind.LEADLESS
    )
    crowns = "".join(_crown(land, crown) for land in outer)
    body = f'<rect class="chip-body" x="{-package.body_x_mm / 2:.3f}" y="{-rest - 1.1:.3f}" width="{package.body_x_mm:.3f}" height="1.1"/>'
    words = f'<text x="0" y="{-rest - 0.42:.3f}" text-anchor="middle">{with_unit(1000 * settled.height_mm, MICRONS, 0)}</text>'
    top = max(rest + 1.3, crown + 0.2)
    return Markup(
        f'<svg class="side-view" viewBox="{-reach:.3f} {-top:.3f} {2 * reach:.3f} {top + 0.7:.3f}" role="img"'
        f' aria-label="{escape(part.ref)} from the side: it rests {with_unit(1000 * settled.height_mm, MICRONS, 0)} above its pads">'
        f'<rect class="laminate" x="{-reach:.3f}" y="0.12" width="{2 * reach:.3f}" height="0.5"/>{lands}{melt}{body}{crowns}{words}</svg>'
    )


def _melt(land: Land, height: float) -> str:
    """Solder between a pad and the part."""
    left, right = land.x_mm - land.size_x_mm / 2, land.x_mm + land.size_x_mm / 2
    return f'<path class="melt" d="M{left:.3f},0H{right:.3f}V{-height:.3f}H{left:.3f}Z"/>'


def _edge_melt(land: Land, height: float, crown: float, half_body: float) -> str:
    """Edge solder: under the body as high as the gap, out on the toe as a low mound."""
    sign = 1 if land.x_mm >= 0 else -1
    inner, outer = abs(land.x_mm) - land.size_x_mm / 2, abs(land.x_mm) + land.size_x_mm / 2
    lip = min(max(half_body, inner), outer)
    toe = min(crown, 1.25 * height)
    return (
        f'<path class="melt" d="M{sign * inner:.3f},0H{sign * outer:.3f}Q{sign * outer:.3f},{-toe:.3f} {sign * (lip + outer) / 2:.3f},{-toe:.3f}'
        f'Q{sign * lip:.3f},{-toe:.3f} {sign * lip:.3f},{-height:.3f}H{sign * inner:.3f}Z"/>'
    )


def _crown(land: Land, height: float) -> str:
    left, right = land.x_mm - land.size_x_mm / 2, land.x_mm + land.size_x_mm / 2
    return (
        f'<path class="crown" d="M{left:.3f},0Q{land.x_mm:.3f},{-2 * height:.3f} {right:.3f},0"/>'
    )


def coverage_bar(one: Leadless) -> Markup:
    """Share of the pad that is printed, on the range that works; beyond it what goes wrong, in
    words.
    """
    least, most, aim = one.coverages
    works = one.amount.works

    def x(share: float) -> float:
        return 400 * min(max(share, 0.0), _BAR_TO) / _BAR_TO

    good = (
        f'<rect class="works" x="{x(least):.1f}" y="14" width="{max(x(most) - x(least), 1):.1f}" height="20"/>'
        if works
        else ""
    )
    limit = (
        f'<path class="lets-go" d="M{x(one.limit):.1f},10V38"/>'
        if one.limit is not None and one.limit < _BAR_TO
        else ""
    )
    here = f'<path class="here" d="M{x(one.coverage):.1f},12l-7,-11h14Z"/>'
    target = f'<circle class="aim" cx="{x(aim):.1f}" cy="24" r="5.5"/>' if works else ""
    ticks = "".join(
        f'<text x="{x(share):.1f}" y="52" text-anchor="{"start" if share == 0 else "end" if share == _BAR_TO else "middle"}">{100 * share:.0f}</text>'
        for share in (0, 0.25, 0.5, 0.75, 1.0, 1.25, 1.5)
    )
    said = f"{100 * one.coverage:.0f} % printed; {f'{100 * least:.0f} to {100 * most:.0f} % works, aim {100 * aim:.0f} %' if works else 'no amount works with these edge joints'}"
    return Markup(
        f'<svg class="coverage-bar" viewBox="-4 -2 408 58" role="img" aria-label="{said}"><rect class="room" x="0" y="14" width="400" height="20"/>{good}{limit}{target}{here}{ticks}</svg>'
    )
