"""Into how many node layers a board is cut for a heat: everything that decides it lives here.

Heat that comes from a face reaches sqrt(a t) deep in the time t that matters (a: the laminate's
diffusivity). Node layers much farther apart than that hold the face back: at 3.2 mm and a strong jet
four of them told first melts 16 % late. The time that matters is that in which a half-infinite
laminate under the jet reaches the first melting point [P: Incropera & DeWitt, transient conduction in
a semi-infinite solid with surface convection]: (T - T0) / (Tair - T0) = 1 - exp(b^2) erfc(b), with
b = h sqrt(a t) / k; so the depth is b k / h.
"""

import math

from yellowfen.core.heat.grid import FR4_THROUGH_W_MK
from yellowfen.core.heat.jet import jet_on_board
from yellowfen.core.heat.scene import BLOWING, Core, Scene
from yellowfen.core.heat.source import HotAir
from yellowfen.core.metal.alloy import ALLOYS

MOST_LAYERS = 13


def layers_for(scene: Scene, least: int, slab_share: float) -> int:
    """Node layers for a scene: `least`, or so many that they lie at most `slab_share` of the heat's
    depth apart. Only hot air asks for more: nothing else heats a face so fast.
    """
    depth = _depth_mm(scene)
    if depth is None or depth <= 0:
        return least
    return max(
        least, min(math.ceil(scene.board.thickness_mm / (slab_share * depth)) + 1, MOST_LAYERS)
    )


def _depth_mm(scene: Scene) -> float | None:
    """How deep the jet's heat has gone when the first alloy melts; None where nothing hurries."""
    air = scene.source
    heights = [move.height_mm for move in scene.moves if move.deed in BLOWING]
    if not isinstance(air, HotAir) or not heights or scene.board.core is not Core.FR4:
        return None
    jet = jet_on_board(air.narrow_mm, air.outlet_c, air.flow_lpm, min(heights), scene.ambient_c)
    rise = jet.centre_warmth * (air.outlet_c - scene.ambient_c)
    wanted = min((ALLOYS[part.alloy].solidus_c for part in scene.parts), default=math.inf)
    share = (wanted - scene.ambient_c) / max(rise, 1e-9)
    if not 0 < share < 1:
        return None
    return 1000.0 * biot_reached(share) * FR4_THROUGH_W_MK / jet.centre_w_m2k


def biot_reached(share: float) -> float:
    """b = h sqrt(a t) / k at which the surface of a half-infinite solid has come so far, 0 to 1."""
    low, high = 0.0, 200.0
    for _ in range(60):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if _surface(middle) < share else (low, middle)
    return 0.5 * (low + high)


def _surface(b: float) -> float:
    """How far the surface has come, 0 to 1; for large b by the tail of erfc."""
    if b > 5.0:
        return 1.0 - (1.0 - 0.5 / b**2) / (b * math.sqrt(math.pi))
    return 1.0 - math.exp(b * b) * math.erfc(b)
