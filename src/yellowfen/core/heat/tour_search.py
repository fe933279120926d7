"""The search for a tour: stops come from the parts, then one thing at a time is changed while that
helps.

A tour is better when less is cold, harmed or near its limit, then when less melts again and it is
shorter.
"""

from collections.abc import Generator, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from yellowfen.core.heat.follow import LONGEST_STOP_S
from yellowfen.core.heat.scene import Deed, Move, Scene
from yellowfen.core.heat.source import HotAir
from yellowfen.core.heat.tour_stops import (
    ORDERS,
    by_nearest,
    gathered,
    middle_of,
    reach_mm,
    stop_over,
    warming,
)
from yellowfen.core.heat.tour_walk import Charge, TourModel, Walk
from yellowfen.core.quantity.units import CELSIUS, SECONDS, with_unit
from yellowfen.errors import InvalidValue, Refused

HEIGHTS_MM = (15.0, 10.0, 22.0, 30.0)
REACHES = (0.7, 1.1, 1.6)
WARMS_S = (0.0, 45.0, 90.0)
# How much is searched: walks, each weighed by its cells and seconds, at least some and at most so many.
WORK, LEAST_WALKS, MOST_WALKS = 26e6, 20, 140
MOST_STOPS = 60


@dataclass(frozen=True, kw_only=True)
class TourWish:
    """How a tour is wanted: in one of `ORDERS` (empty: the best), and what it is to save."""

    order: str = ""
    charge: Charge = Charge.SPARING


ANY = TourWish()


@dataclass(frozen=True, kw_only=True)
class Left:
    """A target that the tour leaves to the iron: it goes on afterwards."""

    ref: str
    why: str


@dataclass(frozen=True, kw_only=True)
class BestTour:
    """The best tour so far: its model (without what is left to the iron), its walk, how many
    walks it took.
    """

    model: TourModel
    walk: Walk
    left: tuple[Left, ...]
    walks: int

    @property
    def scene(self) -> Scene:
        return self.model.scene


def without(scene: Scene, refs: Sequence[str]) -> Scene:
    """The scene before these parts are on the board."""
    return replace(
        scene,
        parts=tuple(part for part in scene.parts if part.ref not in refs),
        targets=tuple(ref for ref in scene.targets if ref not in refs),
        moves=(Move(deed=Deed.WITHDRAW, seconds=1.0),),
    )


def _allowance(found: BestTour, share: float = 1.0) -> int:
    """How many walks like this one the search may take."""
    grid = found.model.ready.network.grid
    each = grid.cells * grid.layers * (found.walk.total_s + 30.0)
    return int(min(max(share * WORK / each, share * LEAST_WALKS), share * MOST_WALKS))


def search(scene: Scene, wish: TourWish = ANY) -> Iterator[BestTour]:
    """Ever better tours for a settled scene's targets, the last one the answer: a beginning, then
    orders and a warm-up, then single stops raised or lowered, joined, parted and put elsewhere.
    Raises as `begun` does.
    """
    found = None
    for found in begun(scene, wish):
        yield found
    assert found is not None
    yield from further(found, wish)


def further(
    found: BestTour, wish: TourWish = ANY, share: float = 1.0
) -> Generator[BestTour, None, BestTour]:
    """A beginning improved by a `share` of the walks that a search may take; the best is returned
    too.
    """
    return (yield from improved(found, found.walks + _allowance(found, share), wish))


def begun(scene: Scene, wish: TourWish = ANY, left: tuple[Left, ...] = ()) -> Iterator[BestTour]:
    """A few ways of gathering and heights; parts that even the best of them cooks or leaves cold go
    to the iron, and it begins anew. Raises InvalidValue without hot air or targets, Refused where
    no tour is sound or nothing is left to do by air.
    """
    check_tour(scene, wish.order)
    walks = 0
    here = without(scene, ())
    while here.targets:
        best: BestTour | None = None
        model = TourModel(here)
        for seen in _gatherings(model, wish):
            walks += 1
            if best is None or seen.cost_s(wish.charge) < best.walk.cost_s(wish.charge):
                best = BestTour(model=model, walk=seen, left=left, walks=walks)
                yield best
        assert best is not None
        more = for_the_iron(here, best.walk)
        if not more:
            yield replace(best, walks=walks)
            return
        left = (*left, *more)
        here = without(here, [one.ref for one in more])
    raise Refused(f"nothing is left for this air: {left[0].ref}, {left[0].why}")


def check_tour(scene: Scene, order: str = "") -> None:
    """Raise InvalidValue where no tour can be made of a scene."""
    if order and order not in ORDERS:
        raise InvalidValue("order", f"{order[:20]!r} is not one of {', '.join(ORDERS)}")
    if not isinstance(scene.source, HotAir):
        raise InvalidValue(
            "source", "a tour is for hot air; a hot plate or an oven heats everything at once"
        )
    if not scene.targets:
        raise InvalidValue("targets", "choose the parts of the tour first")


def _gatherings(model: TourModel, wish: TourWish) -> Iterator[Walk]:
    """Walks by ways of gathering the parts from one height, then by the best of them from others.
    Raises Refused where each has more than MOST_STOPS.
    """
    arranged = ORDERS[wish.order] if wish.order else by_nearest
    scene = model.scene

    def stops(height: float, share: float) -> list[Move]:
        groups = gathered(scene, share * reach_mm(scene, height))
        return arranged(scene, [stop_over(scene, group, height) for group in groups])

    near, *others = HEIGHTS_MM[:3]
    few = {share: here for share in REACHES if len(here := stops(near, share)) <= MOST_STOPS}
    if not few:
        raise Refused(f"a tour has at most {MOST_STOPS} stops: choose fewer parts at a time")
    costs: dict[float, float] = {}
    for share, here in few.items():
        seen = model.walk(here)
        costs[share] = seen.cost_s(wish.charge)
        yield seen
    best = min(costs, key=lambda share: costs[share])
    for height in others:
        here = stops(height, best)
        if len(here) <= MOST_STOPS:
            yield model.walk(here)


def for_the_iron(scene: Scene, seen: Walk) -> list[Left]:
    """Targets that a walk cooks or leaves cold."""
    found = []
    for ref in scene.targets:
        if ref in seen.harmed:
            limit = scene.part(ref).package.limit_c
            why = f"its body passes {with_unit(limit, CELSIUS, 0)} before all of its joints melt"
            found.append(Left(ref=ref, why=why))
        elif ref in seen.cold:
            why = f"it does not melt in {with_unit(LONGEST_STOP_S, SECONDS, 0)} with this air"
            found.append(Left(ref=ref, why=why))
    return found


def improved(
    best: BestTour, most_walks: int, wish: TourWish = ANY
) -> Generator[BestTour, None, BestTour]:
    """The best tour, changed one thing at a time while that helps; most_walks counts from the
    first. A wished order is kept.
    """
    walks = best.walks
    tried: set[tuple[Move, ...]] = set()
    while True:
        before = best
        for moves in _changed(best, wish.order):
            if moves in tried:
                continue
            if walks >= most_walks:
                return best
            tried.add(moves)
            walks += 1
            seen = best.model.walk(moves)
            if seen.cost_s(wish.charge) < best.walk.cost_s(wish.charge) - 0.5:
                best = replace(best, walk=seen, walks=walks)
                yield best
                break
        if best is before:
            return best


def _changed(best: BestTour, order: str) -> Iterator[tuple[Move, ...]]:
    """Tours that differ in one thing, those that touch a part at risk first."""
    scene, warm = best.scene, best.walk.warm
    stops = [replace(move, seconds=10.0) for move in best.walk.stops]
    risky = set(best.walk.at_risk)
    places = sorted(range(len(stops)), key=lambda at: not risky & set(stops[at].over))
    for name, arranged in ORDERS.items():
        if order in ("", name):
            yield (*warm, *arranged(scene, stops))
    for seconds in WARMS_S:
        yield (*warming(scene, seconds), *stops)
    for at in places:
        here = stops[at]
        others = [
            [replace(here, height_mm=height)] for height in HEIGHTS_MM if height != here.height_mm
        ]
        if len(here.over) > 1 and len(stops) < MOST_STOPS:
            others.append(_parted(scene, here))
        for other in others:
            yield (*warm, *stops[:at], *other, *stops[at + 1 :])
        if len(stops) > 1:
            yield (*warm, *_joined(scene, stops, at))
    for at in places if not order else ():
        rest = [*stops[:at], *stops[at + 1 :]]
        for to in sorted(range(len(stops)), key=lambda place: abs(place - at))[1:5]:
            yield (*warm, *rest[:to], stops[at], *rest[to:])


def _joined(scene: Scene, stops: list[Move], at: int) -> list[Move]:
    """The stops with the one at a place joined to the nearest other."""
    here = middle_of(scene, stops[at].over)
    apart = {
        place: float(np.linalg.norm(middle_of(scene, stop.over) - here))
        for place, stop in enumerate(stops)
        if place != at
    }
    near = min(apart, key=lambda place: apart[place])
    both = replace(
        stop_over(scene, (*stops[at].over, *stops[near].over), stops[at].height_mm),
        awaits=(*stops[at].awaits, *stops[near].awaits),
    )
    early, late = min(at, near), max(at, near)
    return [both if place == early else stop for place, stop in enumerate(stops) if place != late]


def _parted(scene: Scene, stop: Move) -> list[Move]:
    """A stop as two, its parts cut across their longer spread; the second awaits what it awaited."""
    places = {ref: (scene.part(ref).x_mm, scene.part(ref).y_mm) for ref in stop.over}
    axis = int(np.argmax(np.ptp(np.array(list(places.values())), axis=0)))
    line = sorted(stop.over, key=lambda ref: (places[ref][axis], ref))
    halves = tuple(line[: len(line) // 2]), tuple(line[len(line) // 2 :])
    return [
        replace(
            stop_over(scene, half, stop.height_mm), awaits=stop.awaits if half is halves[1] else ()
        )
        for half in halves
    ]
