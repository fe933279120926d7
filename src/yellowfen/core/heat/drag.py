"""Does the air push a part away? The jet along the board against what molten solder holds.

Laws: from above the air pins a part down; along the board the jet spreads and slows with distance,
and its dynamic pressure acts on the part's side. Molten solder holds by surface tension along the
wetted edge. All from memory.
"""

import math

from yellowfen.core.heat.air import KELVIN, mass_flow_kg_s
from yellowfen.core.heat.scene import Move, PlacedPart, Scene, Side
from yellowfen.core.heat.source import HotAir
from yellowfen.core.metal.alloy import SURFACE_TENSION_N_M
from yellowfen.core.source.mark import Mark, constant

DRAG = constant(
    "side_drag",
    1.1,
    "1",
    mark=Mark.FROM_MEMORY,
    source="a low box on a wall",
    affects="does the air push a part",
)
HOLD_SHARE = constant(
    "hold_share",
    0.5,
    "1",
    mark=Mark.FROM_MEMORY,
    source="share of edge times tension that resists a shift",
    affects="does the air push a part",
)
_GAS_J_KGK = 287.05
_PRESSURE_PA = 101325.0


def push_share(scene: Scene, part: PlacedPart, from_s: float) -> float:
    """Largest push of the air on a part after a moment, as a share of what its molten joints hold;
    0 without hot air.
    """
    source = scene.source
    if not isinstance(source, HotAir) or part.side is not Side.TOP:
        return 0.0
    holds = (
        HOLD_SHARE
        * SURFACE_TENSION_N_M
        * sum(2e-3 * (land.size_x_mm + land.size_y_mm) for land in part.package.lands)
    )
    side = part.package.height_mm * max(part.package.body_x_mm, part.package.body_y_mm) * 1e-6
    worst, end = 0.0, 0.0
    for move in scene.moves:
        end += move.seconds
        if move.blows and end > from_s:
            worst = max(worst, DRAG * wall_pressure_pa(scene, source, move, part) * side)
    return worst / max(holds, 1e-12)


def wall_pressure_pa(scene: Scene, source: HotAir, move: Move, part: PlacedPart) -> float:
    """Dynamic pressure of the air along the board at a part's nearest pass of the nozzle, Pa."""
    round_mm = source.round_mm
    density = _PRESSURE_PA / (_GAS_J_KGK * (source.outlet_c + KELVIN))
    outlet = mass_flow_kg_s(source.flow_lpm) / density / (source.opening_mm2 * 1e-6)
    x, y = scene.centre(move)
    away = max(math.hypot(part.x_mm - x, part.y_mm - y) - move.circle_mm, 0.0)
    arrives = outlet * min(1.0, 6.3 * round_mm / move.height_mm)
    reach = max(away, 0.5 * max(part.package.body_x_mm, part.package.body_y_mm))
    straight = arrives * min(reach / round_mm, round_mm / max(reach, 1e-6), 1.0)
    leaning = arrives * math.sin(math.radians(move.tilt_deg)) if away < round_mm else 0.0
    return 0.5 * density * max(straight, leaning) ** 2
