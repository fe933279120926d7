"""A tour of the board by hot air: where to stop, in which order, from how high and how long.

Laws: at a stop the nozzle stays until its parts have flowed (`follow`). Stops come from the parts:
groups that the jet reaches from one place. One walk through the model judges a tour; a tour is
better when less is cold, harmed or near its limit, then when less melts again and it is shorter.
"""

import math
from collections.abc import Callable, Iterator, Sequence
from contextlib import nullcontext, suppress
from dataclasses import dataclass, replace

import numpy as np

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.doubt import SAMPLES, Band, Doubts, Sureness, how_sure, settled
from yellowfen.core.heat.follow import (
    LONGEST_STOP_S,
    Followed,
    follow,
    resolution_for,
    rows_of,
    stops_of,
)
from yellowfen.core.heat.jet import JET_FACTOR, jet_on_board
from yellowfen.core.heat.outcome import after_heat
from yellowfen.core.heat.rehearsal import FINE, Prepared, Rehearsal, prepare
from yellowfen.core.heat.scene import Array, Deed, Move, Scene, Side
from yellowfen.core.heat.source import HotAir, HotPlate, Preheater
from yellowfen.core.heat.story import MAX_LIQUID_S
from yellowfen.core.heat.surface import film_w_m2k
from yellowfen.core.metal.alloy import Alloy
from yellowfen.core.part.package import JointKind
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue, Refused

NEAR_LIMIT_K = constant(
    "tour_margin",
    10.0,
    "K",
    mark=Mark.JUDGED,
    source="what a body should keep to its limit",
    affects="choice of a tour",
)
PLATE_BELOW_C = constant(
    "plate_below",
    130.0,
    "°C",
    mark=Mark.FROM_MEMORY,
    source="a plate that warms a board and melts nothing",
    affects="tours with a plate on the bench",
)
BELOW_SOLDER_K, LEAST_BELOW_C, MOST_BELOW_W_M2K = 40.0, 60.0, 150.0
# What a tour is charged for, in seconds: our own weighing.
COLD_S, HARM_S, NEAR_S, AGAIN_S = 400.0, 300.0, 100.0, 28.0
WARY_K, WARY_LIQUID_S = 30.0, 0.5 * MAX_LIQUID_S
HEIGHTS_MM = (15.0, 10.0, 22.0, 30.0)
REACHES = (0.7, 1.1, 1.6)
WARMS_S = (0.0, 45.0, 90.0)
WARM_MM = 60.0
# How much is searched: walks, each weighed by its cells and seconds, at least some and at most so many.
WORK, LEAST_WALKS, MOST_WALKS = 26e6, 20, 140
MOST_STOPS = 60


@dataclass(frozen=True, kw_only=True)
class Walk:
    """A tour through the model: its moves with the seconds they took. A stop at which nobody has to
    stay is left out, its parts awaited where they flowed.

    `flows_s` per target, since the start (None: never); `cold` those; `margins_k` from each body's
    peak to its limit; `liquid_s` how long each target was liquid; `again` parts that melted again
    after they had been solid; `last` the joint of each target that flowed last.
    """

    moves: tuple[Move, ...]
    flows_s: dict[str, float | None]
    cold: tuple[str, ...]
    margins_k: dict[str, float]
    liquid_s: dict[str, float]
    again: tuple[str, ...]
    last: dict[str, str]

    @property
    def total_s(self) -> float:
        return sum(move.seconds for move in self.moves)

    @property
    def stops(self) -> tuple[Move, ...]:
        return stops_of(self.moves)

    @property
    def warm(self) -> tuple[Move, ...]:
        """What comes before the first stop."""
        return tuple(move for move in self.moves if move not in self.stops)

    @property
    def harmed(self) -> tuple[str, ...]:
        """Parts that pass their limit."""
        return tuple(ref for ref, margin in self.margins_k.items() if margin <= 0)

    @property
    def near(self) -> tuple[str, ...]:
        """Parts that come near it."""
        return tuple(ref for ref, margin in self.margins_k.items() if 0 < margin < NEAR_LIMIT_K)

    @property
    def at_risk(self) -> tuple[str, ...]:
        """Parts that stay cold, pass their limit or come near it, or melt again."""
        return tuple(dict.fromkeys((*self.cold, *self.harmed, *self.near, *self.again)))

    @property
    def cost_s(self) -> float:
        """What it is charged for: its time, and risks as seconds; the nearer to a limit, and the
        longer liquid, the more.
        """
        short = [(WARY_K - margin) / WARY_K for margin in self.margins_k.values()]
        long = [at / WARY_LIQUID_S - 1.0 for at in self.liquid_s.values()]
        near = sum(min(max(one, 0.0), 1.0) ** 2 for one in (*short, *long))
        return (
            self.total_s
            + COLD_S * len(self.cold)
            + HARM_S * len(self.harmed)
            + NEAR_S * near
            + AGAIN_S * len(self.again)
        )


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


def _middle(scene: Scene, refs: Sequence[str]) -> Array:
    places = np.array([(scene.part(ref).x_mm, scene.part(ref).y_mm) for ref in refs])
    return np.asarray(places.mean(axis=0))


def _radius(scene: Scene, refs: Sequence[str]) -> float:
    """From the middle of some parts to their farthest joint, mm."""
    return float(np.linalg.norm(_joints(scene, refs) - _middle(scene, refs), axis=1).max())


def gathered(scene: Scene, within_mm: float) -> list[tuple[str, ...]]:
    """The targets in groups whose joints all lie `within_mm` of the group's middle; a part that is
    larger is a group of its own. The nearest two are joined first.
    """
    groups: list[tuple[str, ...]] = [(ref,) for ref in scene.targets]
    while len(groups) > 1:
        middles = np.array([_middle(scene, group) for group in groups])
        apart = np.linalg.norm(middles[:, None] - middles[None], axis=2)
        apart[np.tril_indices(len(groups))] = np.inf
        for place in np.argsort(apart, axis=None):
            a, b = divmod(int(place), len(groups))
            if not math.isfinite(apart[a, b]) or apart[a, b] > 2 * within_mm:
                return groups
            both = (*groups[a], *groups[b])
            if _radius(scene, both) <= within_mm:
                groups = [*(one for i, one in enumerate(groups) if i not in (a, b)), both]
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


# orders
def by_nearest(scene: Scene, stops: Sequence[Move]) -> list[Move]:
    """From the lower left, always to the nearest that is left."""
    middles = {stop: _middle(scene, stop.over) for stop in stops}
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
        x, y = _middle(scene, stop.over)
        row = int(y // band_mm)
        return row, float(x if row % 2 == 0 else -x)

    return sorted(stops, key=place)


def by_ends(scene: Scene, stops: Sequence[Move]) -> list[Move]:
    """Alternating between the ends of the board's longer side, inwards."""
    axis = 0 if scene.board.width_mm >= scene.board.height_mm else 1
    line = sorted(stops, key=lambda stop: float(_middle(scene, stop.over)[axis]))
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


# one walk
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


def walk(ready: Prepared, scene: Scene, moves: Sequence[Move]) -> Walk:
    """Go through these moves in the model of `ready`, which was prepared for this scene's board and
    parts. Raises Refused where no sound state is found.
    """
    prepared = replace(ready, scene=scene)
    followed = follow(ready, scene, moves)
    cooled = after_heat(prepared, followed.state, to_solid=True)
    rows = rows_of(prepared)
    ends = {ref: cooled.joint_record[mine, k.R_MELT_END] for ref, mine in rows.items()}
    flows = {
        ref: float(end.max()) if len(end) and float(end.min()) >= 0 else None
        for ref, end in ends.items()
    }
    melts = {ref: cooled.joint_record[mine, k.R_MELTS] for ref, mine in rows.items()}
    margins = {
        part.ref: part.package.limit_c - float(row[k.R_BODY_PEAK]) - scene.ambient_c
        for part, row in zip(scene.parts, cooled.body_record, strict=True)
    }
    return Walk(
        moves=_walked(moves, followed, flows),
        flows_s=flows,
        cold=tuple(ref for ref, at in flows.items() if at is None),
        margins_k=margins,
        liquid_s={
            ref: float(cooled.joint_record[mine, k.R_ABOVE].max(initial=0.0))
            for ref, mine in rows.items()
        },
        last={
            ref: prepared.network.names[int(mine[int(np.argmax(ends[ref]))])].pin
            for ref, mine in rows.items()
            if len(mine)
        },
        again=tuple(ref for ref, times in melts.items() if float(times.max(initial=0.0)) > 1),
    )


def _walked(
    moves: Sequence[Move], followed: Followed, flows_s: dict[str, float | None]
) -> tuple[Move, ...]:
    """The moves as they were walked, without the stops that took no time."""
    kept = [place for place, took in enumerate(followed.took_s) if took > 0]
    awaits: dict[int, list[str]] = {place: list(moves[place].awaits) for place in kept}
    stops = [place for place in kept if moves[place] in stops_of(moves)]
    for place, took in enumerate(followed.took_s):
        if took <= 0 and stops:
            for ref in (*moves[place].over, *moves[place].awaits):
                at = flows_s[ref] or 0.0
                there = [one for one in stops if followed.began_s[one] <= at]
                awaits[there[-1] if there else stops[0]].append(ref)
    return tuple(
        replace(moves[place], seconds=followed.took_s[place], awaits=tuple(awaits[place]))
        for place in kept
    )


# the search
@dataclass(frozen=True, kw_only=True)
class Left:
    """A target that the tour leaves to the iron: it goes on afterwards."""

    ref: str
    why: str


@dataclass(frozen=True, kw_only=True)
class BestTour:
    """The best tour so far: its scene (without what is left to the iron), its walk, how many walks
    it took.
    """

    scene: Scene
    walk: Walk
    left: tuple[Left, ...]
    walks: int


def without(scene: Scene, refs: Sequence[str]) -> Scene:
    """The scene before these parts are on the board."""
    return replace(
        scene,
        parts=tuple(part for part in scene.parts if part.ref not in refs),
        targets=tuple(ref for ref in scene.targets if ref not in refs),
        moves=(Move(deed=Deed.WITHDRAW, seconds=1.0),),
    )


def _allowance(ready: Prepared, seen: Walk, share: float = 1.0) -> int:
    """How many walks like this one the search may take."""
    each = ready.network.grid.cells * ready.network.grid.layers * (seen.total_s + 30.0)
    return int(min(max(share * WORK / each, share * LEAST_WALKS), share * MOST_WALKS))


def search(scene: Scene, order: str = "") -> Iterator[BestTour]:
    """Ever better tours for a settled scene's targets, the last one the answer; in one of `ORDERS`
    where that is wished: a beginning, then orders and a warm-up, then single stops raised or
    lowered, joined, parted and put elsewhere. Raises as `begun` does.
    """
    found = None
    for found in begun(scene, order):
        yield found
    assert found is not None
    yield from further(found, order)


def further(found: BestTour, order: str = "") -> Iterator[BestTour]:
    """A beginning improved as long as the search is allowed to go on."""
    ready = prepare(found.scene, resolution_for(found.scene))
    most = max(_allowance(ready, found.walk), found.walks + LEAST_WALKS)
    yield from improved(ready, found, most, order)


def begun(scene: Scene, order: str = "") -> Iterator[BestTour]:
    """A few ways of gathering and heights; parts that even the best of them cooks or leaves cold go
    to the iron, and it begins anew. Raises InvalidValue without hot air or targets, Refused where
    no tour is sound or nothing is left to do by air.
    """
    check_tour(scene, order)
    resolution = resolution_for(scene)
    left: tuple[Left, ...] = ()
    walks = 0
    here = without(scene, ())
    while here.targets:
        ready = prepare(here, resolution)
        best: BestTour | None = None
        for moves in _gatherings(here, order):
            walks += 1
            seen = walk(ready, here, moves)
            if best is None or seen.cost_s < best.walk.cost_s:
                best = BestTour(scene=here, walk=seen, left=left, walks=walks)
                yield best
        assert best is not None
        more = for_the_iron(here, best.walk)
        if not more:
            yield replace(best, walks=walks)
            return
        left = (*left, *more)
        here = without(here, [one.ref for one in more])
    raise Refused(f"nothing is left to do by this air: {left[0].ref}, {left[0].why}")


def check_tour(scene: Scene, order: str = "") -> None:
    """Raise InvalidValue where no tour can be made of a scene."""
    if order and order not in ORDERS:
        raise InvalidValue("order", f"{order[:20]!r} is not one of {', '.join(ORDERS)}")
    if not isinstance(scene.source, HotAir):
        raise InvalidValue("source", "a tour is for hot air; a plate or an oven heats all at once")
    if not scene.targets:
        raise InvalidValue("targets", "choose the parts of the tour first")


def _gatherings(scene: Scene, order: str) -> Iterator[tuple[Move, ...]]:
    """Ways of gathering the parts and heights, the likeliest first, the nearest stop next."""
    arranged = ORDERS[order] if order else by_nearest
    for height in HEIGHTS_MM[:3]:
        for share in REACHES:
            groups = gathered(scene, share * reach_mm(scene, height))
            if len(groups) <= MOST_STOPS:
                yield tuple(arranged(scene, [stop_over(scene, one, height) for one in groups]))


def for_the_iron(scene: Scene, seen: Walk) -> list[Left]:
    """Targets that a walk cooks or leaves cold."""
    found = []
    for ref in scene.targets:
        if ref in seen.harmed:
            limit = scene.part(ref).package.limit_c
            why = f"its body passes {limit:.0f} °C before all of it has flowed"
            found.append(Left(ref=ref, why=why))
        elif ref in seen.cold:
            why = f"it does not flow in {LONGEST_STOP_S:.0f} s of this air"
            found.append(Left(ref=ref, why=why))
    return found


def improved(
    ready: Prepared, best: BestTour, most_walks: int, order: str = ""
) -> Iterator[BestTour]:
    """The best tour, changed one thing at a time while that helps; most_walks counts from the
    first. A wished order is kept.
    """
    walks = best.walks
    tried: set[tuple[Move, ...]] = set()
    while True:
        before = best
        for moves in _changed(best, order):
            if moves in tried:
                continue
            if walks >= most_walks:
                return
            tried.add(moves)
            walks += 1
            seen = walk(ready, best.scene, moves)
            if seen.cost_s < best.walk.cost_s - 0.5:
                best = replace(best, walk=seen, walks=walks)
                yield best
                break
        if best is before:
            return


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
        for to in sorted(range(len(stops)), key=lambda one: abs(one - at))[1:5]:
            yield (*warm, *rest[:to], stops[at], *rest[to:])


def _joined(scene: Scene, stops: list[Move], at: int) -> list[Move]:
    """The stops with the one at a place joined to the nearest other."""
    here = _middle(scene, stops[at].over)
    apart = {
        one: float(np.linalg.norm(_middle(scene, stop.over) - here))
        for one, stop in enumerate(stops)
        if one != at
    }
    near = min(apart, key=lambda one: apart[one])
    both = replace(
        stop_over(scene, (*stops[at].over, *stops[near].over), stops[at].height_mm),
        awaits=(*stops[at].awaits, *stops[near].awaits),
    )
    early, late = min(at, near), max(at, near)
    return [both if one == early else stop for one, stop in enumerate(stops) if one != late]


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


# the answer
OFTEN = 0.1
BETTER, IRON_S = 0.9, 60.0  # a heater must be worth its while; a part by iron takes about a minute


@dataclass(frozen=True, kw_only=True)
class TourStop:
    """A stop as it is told: its move with the forecast's seconds, how long it may take, when it is
    to be left at the latest, which parts flow at it in their order, what to watch for.
    """

    move: Move
    took: Band
    latest_s: float | None
    latest_why: str
    flows: tuple[str, ...]
    watch: str


@dataclass(frozen=True, kw_only=True)
class Tour:
    """A tour to be taken: its walk on the fine grid, its stops, what it leaves to the iron.

    `harmed_in`, `cold_in`: parts that pass their limit, or stay cold, in some of `count` samples.
    `total` is the band of the whole time.
    """

    scene: Scene
    walk: Walk
    from_below: bool
    stops: tuple[TourStop, ...]
    left: tuple[Left, ...]
    total: Band
    harmed_in: dict[str, int]
    cold_in: dict[str, int]
    count: int
    walks: int


def plate_below(plate: HotPlate, alloy: Alloy) -> Preheater | None:
    """A plate under a bare face as heat from below while air works above: kept below the solder,
    through the same film of air; None for a solder too low to warm so.
    """
    celsius = min(PLATE_BELOW_C, alloy.liquidus_c - BELOW_SOLDER_K)
    if celsius < LEAST_BELOW_C:
        return None
    passes = float(film_w_m2k(plate.film_mm, celsius, plate.emissivity))
    return Preheater(celsius=celsius, air_w_m2k=min(passes, MOST_BELOW_W_M2K))


def plan_tour(
    raw: Scene,
    doubts: Doubts,
    count: int = SAMPLES,
    *,
    order: str = "",
    heater: Preheater | None = None,
) -> Iterator[BestTour | Tour]:
    """Ever better tours for a scene as the plan sets it, then the answer as a Tour.

    With a `heater` on the bench that the plan does not use, the tour takes it where that is better
    by a tenth. Where samples of what is not known cook a target, or leave it cold, in more
    than a tenth of them, it goes to the iron too. Raises as `search` does.
    """
    found: BestTour | None = None
    with suppress(Refused) if heater is not None else nullcontext():
        for found in begun(settled(raw, doubts), order):
            yield found
    if heater is not None and raw.preheater is None:
        warmed = replace(raw, preheater=heater)
        with suppress(Refused) if found is not None else nullcontext():
            *_, other = begun(settled(warmed, doubts), order)
            if found is None or _weighed(other) < BETTER * _weighed(found):
                raw, found = warmed, other
                yield found
    assert found is not None
    for better in further(found, order):
        found = better
        yield found
    while True:
        fine = walk(prepare(found.scene, FINE), found.scene, found.walk.moves)
        sure = _sure(raw, doubts, replace(found, walk=fine), count)
        more = _too_often(found.scene, sure)
        if not more:
            yield _told(replace(found, walk=fine), sure)
            return
        found = _left_out(found, more)
        yield found
        ready = prepare(found.scene, resolution_for(found.scene))
        for better in improved(ready, found, _allowance(ready, found.walk, 0.3), order):
            found = better
            yield found


def _weighed(found: BestTour) -> float:
    """What a tour costs, and what the iron then has to do."""
    return found.walk.cost_s + IRON_S * len(found.left)


def _sure(raw: Scene, doubts: Doubts, found: BestTour, count: int) -> Sureness:
    here = without(raw, [one.ref for one in found.left])
    tour = replace(here, moves=(*found.walk.moves, Move(deed=Deed.WITHDRAW, seconds=1.0)))
    return how_sure(tour, doubts, count, resolution_for(tour), by_eye=True)


def _too_often(scene: Scene, sure: Sureness) -> list[Left]:
    """Targets that pass their limit, or stay cold, in more than a tenth of the samples. Where more
    than half of them would stay cold it is the air that is weak, and no part is to blame.
    """
    times, cold = _harmed_in(scene, sure), _cold_in(scene, sure)
    often = [ref for ref in scene.targets if cold.get(ref, 0) > OFTEN * sure.count]
    never = [
        Left(
            ref=ref,
            why=f"it stays cold in {cold[ref]} of {sure.count} samples of what is not known",
        )
        for ref in often
        if times.get(ref, 0) <= OFTEN * sure.count
    ]
    return (never if 2 * len(often) <= len(scene.targets) else []) + [
        Left(
            ref=ref,
            why=f"its body passes {scene.part(ref).package.limit_c:.0f} °C in {times[ref]} of"
            f" {sure.count} samples of what is not known",
        )
        for ref in scene.targets
        if times.get(ref, 0) > OFTEN * sure.count
    ]


def _harmed_in(scene: Scene, sure: Sureness) -> dict[str, int]:
    """Parts that pass their limit, and in how many samples."""
    counts = {
        part.ref: sum(one.each_limit_s[i] is not None for one in sure.samples)
        for i, part in enumerate(scene.parts)
    }
    return {ref: times for ref, times in counts.items() if times}


def _cold_in(scene: Scene, sure: Sureness) -> dict[str, int]:
    """Targets that stay cold, and in how many samples."""
    counts = {
        ref: sum(one.melts_s[i] is None for one in sure.samples)
        for i, ref in enumerate(scene.targets)
    }
    return {ref: times for ref, times in counts.items() if times}


def _left_out(found: BestTour, more: list[Left]) -> BestTour:
    """A tour without some parts: they are taken off its stops, empty stops are dropped."""
    gone = {one.ref for one in more}
    moves = []
    for move in found.walk.moves:
        over = tuple(ref for ref in move.over if ref not in gone)
        awaits = tuple(ref for ref in move.awaits if ref not in gone)
        if over or awaits or not move.over:
            moves.append(replace(move, over=over or awaits, awaits=awaits if over else ()))
    scene = without(found.scene, sorted(gone))
    if not scene.targets:
        raise Refused(f"nothing is left to do by this air: {more[0].ref}, {more[0].why}")
    seen = walk(prepare(scene, resolution_for(scene)), scene, moves)
    return BestTour(scene=scene, walk=seen, left=(*found.left, *more), walks=1)


def _told(found: BestTour, sure: Sureness) -> Tour:
    """A tour walked on the fine grid, as it is told."""
    scene, seen = found.scene, found.walk
    stops: list[TourStop] = []
    began = 0.0
    for move, stay in zip(seen.moves, sure.stays, strict=True):
        if move in seen.stops:
            since = (
                began if stops else -1.0
            )  # what flows while it is warmed flows at the first stop
            flows = [
                ref
                for at, ref in sorted(
                    (at, ref) for ref, at in seen.flows_s.items() if at is not None
                )
                if since < at <= began + move.seconds
            ]
            stops.append(
                TourStop(
                    move=move,
                    took=stay.took,
                    latest_s=stay.latest_s,
                    latest_why=stay.latest_why,
                    flows=tuple(flows),
                    watch=watch_line(scene, move, flows[-1], seen.last[flows[-1]]) if flows else "",
                )
            )
        began += move.seconds
    return Tour(
        scene=scene,
        walk=seen,
        from_below=scene.preheater is not None,
        stops=tuple(stops),
        left=found.left,
        total=sure.total,
        harmed_in=_harmed_in(scene, sure),
        cold_in=_cold_in(scene, sure),
        count=sure.count,
        walks=found.walks,
    )


def leave_off(scene: Scene, seen: Rehearsal) -> tuple[Left, ...]:
    """Parts of the face that is heated which a heat would cook: better put on afterwards."""
    top = {part.ref for part in scene.parts if part.side is Side.TOP}
    return tuple(
        Left(
            ref=part.ref,
            why=f"its body passes {part.limit_c:.0f} °C at {part.limit_passed_s:.0f} s",
        )
        for part in seen.parts
        if part.limit_passed_s is not None and part.ref in top
    )


def watched(scene: Scene, seen: Rehearsal, stop: Move, refs: Sequence[str]) -> str:
    """What to watch at a stop of a plan: which of these parts comes last, and why."""
    joints = [joint for ref in refs for joint in seen.joints_of(ref)]
    if not joints:
        return ""
    last = max(joints, key=lambda one: math.inf if one.melt_end_s is None else one.melt_end_s)
    return watch_line(scene, stop, last.ref, last.pin)


def watch_line(scene: Scene, stop: Move, ref: str, pin: str) -> str:
    """What to watch at a stop: the part and joint that flow last there, and why they lag."""
    part = scene.part(ref)
    land = next(land for land in part.package.lands if land.pin == pin)
    x, y = scene.centre(stop)
    far = math.dist(part.on_board(land.x_mm, land.y_mm), (x, y))
    if land.kind in (JointKind.THERMAL_PAD, JointKind.TAB):
        why = "its hidden pad comes last: a nudge tells"
        return (
            f"{ref}: {why}" if land.kind is JointKind.THERMAL_PAD else f"{ref}: its tab comes last"
        )
    on_plane = pin in part.plane_pins or pin in part.relief_pins
    lags = "on a plane" if on_plane else "far from the nozzle" if far > stop.circle_mm + 5 else ""
    return f"{ref} pin {pin} comes last" + (f": {lags}" if lags else "")
