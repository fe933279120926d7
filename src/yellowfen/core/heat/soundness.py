"""Is a state of the model one that physics allows? Asked after every run, so that nothing is ever
told from a bad one.

Laws: every temperature is finite and lies between the coldest and the hottest source (the room is
one); the heat put in is found as heat lost and heat stored.
"""

import math
from dataclasses import dataclass

from yellowfen.core.heat.scene import Scene
from yellowfen.core.heat.source import HotAir, HotPlate, Iron, Oven
from yellowfen.core.quantity.units import CELSIUS, with_unit

ROUNDING_K = 2.0
CONTROL_SWING_K = 40.0
UNACCOUNTED_SHARE, UNACCOUNTED_J = 2e-3, 0.02


@dataclass(frozen=True)
class Extremes:
    """The lowest and highest temperature anywhere in a state, K above the room; NaN where there was
    one.
    """

    lowest_k: float
    highest_k: float


def source_span_k(scene: Scene) -> tuple[float, float]:
    """Coldest and hottest that anything can become, K above the room: the sources of a scene and
    the room itself.
    """
    source, room = scene.source, scene.ambient_c
    heats = [room]
    if isinstance(source, HotAir):
        heats.append(source.outlet_c)
    elif isinstance(source, HotPlate):
        heats += [
            source.set_c + max(source.band_k, CONTROL_SWING_K),
            source.start_c if source.start_c is not None else room,
        ]
    elif isinstance(source, Oven):
        heats += [value for _, air, wall in source.curve for value in (air, wall)]
    elif isinstance(source, Iron):
        heats.append(source.set_c + CONTROL_SWING_K)
    if scene.preheater is not None:
        heats.append(scene.preheater.celsius)
    return min(heats) - room, max(heats) - room


def fault_of(scene: Scene, found: Extremes, put_in_j: float, lost_j: float, stored_j: float) -> str:
    """What is wrong with a state, in a few words; empty when nothing is.

    Comparisons are written so that NaN fails.
    """
    low, high = source_span_k(scene)
    if not (math.isfinite(found.lowest_k) and math.isfinite(found.highest_k)):
        return "a temperature without a number"
    if not found.highest_k <= high + ROUNDING_K:
        return f"{with_unit(found.highest_k + scene.ambient_c, CELSIUS, 0)}, hotter than any source of heat"
    if not found.lowest_k >= low - ROUNDING_K:
        return f"{with_unit(found.lowest_k + scene.ambient_c, CELSIUS, 0)}, colder than the room"
    missing = abs(put_in_j - lost_j - stored_j)
    if not missing <= max(
        UNACCOUNTED_SHARE * max(abs(put_in_j), abs(stored_j), abs(lost_j)), UNACCOUNTED_J
    ):
        return f"{missing:.2f} J of {abs(put_in_j):.0f} J unaccounted for"
    return ""
