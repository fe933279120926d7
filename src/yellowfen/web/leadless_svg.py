"""A leadless part from the side as it settles: heights drawn ten times as large as lengths."""

from markupsafe import Markup

from yellowfen.core.deposit.leadless import Leadless
from yellowfen.core.part.package import JointKind, Land

TALLER = 10.0


def side_view(one: Leadless) -> Markup:
    """Board, lands, solder at rest, edge solder's free crown (dashed), the part above."""
    package, settled = one.part.package, one.settled
    edges = [land for land in package.lands if land.kind is JointKind.LEADLESS and abs(land.x_mm) > abs(land.y_mm)]
    outer = [land for land in edges if abs(land.y_mm) == min(abs(other.y_mm) for other in edges)] if edges else []
    pads = [land for land in package.lands if land.kind is JointKind.THERMAL_PAD]
    reach = max([package.body_x_mm / 2, *(abs(land.x_mm) + land.size_x_mm / 2 for land in package.lands)]) + 0.3
    rest, crown = TALLER * settled.height_mm, TALLER * settled.crown_mm
    lands = "".join(
        f'<rect class="land" x="{land.x_mm - land.size_x_mm / 2:.3f}" y="0" width="{land.size_x_mm:.3f}" height="0.12"/>'
        for land in (*outer, *pads)
    )
    melt = "".join(
        _melt(land, rest, settled.edge_bulge_mm if land.kind is JointKind.LEADLESS else 0.0)
        for land in (*outer, *pads)
        if settled.touches or land.kind is not JointKind.LEADLESS
    )
    crowns = "".join(_crown(land, crown) for land in outer)
    body = f'<rect class="chip-body" x="{-package.body_x_mm / 2:.3f}" y="{-rest - 1.1:.3f}" width="{package.body_x_mm:.3f}" height="1.1"/>'
    words = f'<text x="0" y="{-rest - 0.42:.3f}" text-anchor="middle">{1000 * settled.height_mm:.0f} µm</text>'
    return Markup(
        f'<svg class="side-view" viewBox="{-reach:.3f} {-max(rest, crown) - 1.3:.3f} {2 * reach:.3f} {max(rest, crown) + 2.0:.3f}" role="img"'
        f' aria-label="{one.part.ref} from the side: it rests {1000 * settled.height_mm:.0f} µm above its pads">'
        f'<rect class="laminate" x="{-reach:.3f}" y="0.12" width="{2 * reach:.3f}" height="0.5"/>{lands}{melt}{body}{crowns}{words}</svg>'
    )


def _melt(land: Land, height: float, bulge_mm: float) -> str:
    """Solder between land and part, its sides bulging or drawn in."""
    left, right = land.x_mm - land.size_x_mm / 2, land.x_mm + land.size_x_mm / 2
    return f'<path class="melt" d="M{left:.3f},0H{right:.3f}Q{right + 2 * bulge_mm:.3f},{-height / 2:.3f} {right:.3f},{-height:.3f}H{left:.3f}Q{left - 2 * bulge_mm:.3f},{-height / 2:.3f} {left:.3f},0Z"/>'


def _crown(land: Land, height: float) -> str:
    left, right = land.x_mm - land.size_x_mm / 2, land.x_mm + land.size_x_mm / 2
    return f'<path class="crown" d="M{left:.3f},0Q{land.x_mm:.3f},{-2 * height:.3f} {right:.3f},0"/>'
