"""Where a tour stops: groups of parts that the jet reaches from one place, a stop over each, orders
to take them in, and the warming before the first.
"""

import math
from collections.abc import Callable, Sequence

import numpy as np

from yellowfen.core.heat.jet import JET_FACTOR, jet_on_board
from yellowfen.core.heat.scene import Array, Deed, Move, Scene
from yellowfen.core.heat.source import HotAir

WARM_MM = 60.0


def reach_mm(scene: Scene, height_mm: float) -> float:
    """How far from its middle the jet blows half as strongly, mm."""
    source = scene.source
    assert isinstance(source, HotAir)
    factor = JET_FACTOR if scene.jet_factor is None else scene.jet_factor
    jet = jet_on_board(
        source.round_mm,
        source.outlet_c,
        source.flow_lpm,
        height_mm=height_mm,
        ambient_c=scene.ambient_c,
        factor=factor,
    )
    return math.sqrt(3.0) * jet.spread_m * 1e3


def _joints(scene: Scene, refs: Sequence[str]) -> Array:
    """Places of the joints of some parts, (n, 2) mm."""
    return np.array(
        [
            part.on_board(land.x_mm, land.y_mm)
            for part in (scene.part(ref) for ref in refs)
            for land in part.package.lands
        ]
    )


def middle_of(scene: Scene, refs: Sequence[str]) -> Array:
    """The middle of some parts, (2,) mm."""
    places = np.array([(scene.part(ref).x_mm, scene.part(ref).y_mm) for ref in refs])
    return np.asarray(places.mean(axis=0))


def _radius(scene: Scene, refs: Sequence[str]) -> float:
    """From the middle of some parts to their farthest joint, mm."""
    return float(np.linalg.norm(_joints(scene, refs) - middle_of(scene, refs), axis=1).max())


def gathered(scene: Scene, within_mm: float) -> list[tuple[str, ...]]:
    """The targets in groups whose joints all lie `within_mm` of the group's middle; a part that is
    larger is a group of its own. The nearest two are joined first.
    """
    groups: list[tuple[str, ...]] = [(ref,) for ref in scene.targets]
    while len(groups) > 1:
        middles = np.array([middle_of(scene, group) for group in groups])
        apart = np.linalg.norm(middles[:, None] - middles[None], axis=2)
        apart[np.tril_indices(len(groups))] = np.inf
        for place in np.argsort(apart, axis=None):
            a, b = divmod(int(place), len(groups))
            if not math.isfinite(apart[a, b]) or apart[a, b] > 2 * within_mm:
                return groups
            both = (*groups[a], *groups[b])
            if _radius(scene, both) <= within_mm:
                groups = [*(group for i, group in enumerate(groups) if i not in (a, b)), both]
                break
        else:
            return groups
    return groups


def stop_over(scene: Scene, refs: tuple[str, ...], height_mm: float) -> Move:
    """A stop for some parts: circling under their joints, at least a little."""
    circle = min(max(0.6 * _radius(scene, refs), 2.0), 20.0)
    return Move(
        deed=Deed.CLOSE, seconds=10.0, over=refs, height_mm=height_mm, circle_mm=round(circle, 1)
    )


def by_nearest(scene: Scene, stops: Sequence[Move]) -> list[Move]:
    """From the lower left, always to the nearest that is left."""
    middles = {stop: middle_of(scene, stop.over) for stop in stops}
    left, here = list(stops), np.zeros(2)
    found = []
    while left:
        nearest = min(left, key=lambda stop: float(np.linalg.norm(middles[stop] - here)))
        left.remove(nearest)
        found.append(nearest)
        here = middles[nearest]
    return found


def by_rows(scene: Scene, stops: Sequence[Move], band_mm: float = 10.0) -> list[Move]:
    """Row by row from the lower edge up, to and fro."""

    def place(stop: Move) -> tuple[int, float]:
        x, y = middle_of(scene, stop.over)
        row = int(y // band_mm)
        return row, float(x if row % 2 == 0 else -x)

    return sorted(stops, key=place)


def by_ends(scene: Scene, stops: Sequence[Move]) -> list[Move]:
    """Alternating between the ends of the board's longer side, inwards."""
    axis = 0 if scene.board.width_mm >= scene.board.height_mm else 1
    line = sorted(stops, key=lambda stop: float(middle_of(scene, stop.over)[axis]))
    found = []
    while line:
        found.append(line.pop(0))
        if line:
            found.append(line.pop())
    return found


ORDERS: dict[str, Callable[[Scene, Sequence[Move]], list[Move]]] = {
    "nearest next": by_nearest,
    "row by row": by_rows,
    "alternate ends": by_ends,
}


def warming(scene: Scene, seconds: float) -> tuple[Move, ...]:
    """The targets' side warmed from high above, circling wide; nothing for no time."""
    if seconds <= 0:
        return ()
    wide = min(0.3 * min(scene.board.width_mm, scene.board.height_mm), 60.0)
    return (
        Move(
            deed=Deed.WARM,
            seconds=seconds,
            over=scene.targets,
            height_mm=WARM_MM,
            circle_mm=float(round(wide)),
            circle_s=6.0,
        ),
    )
