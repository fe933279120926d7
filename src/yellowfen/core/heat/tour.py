"""A tour of the board by hot air: where to stop, in which order, from how high and how long.

Laws: at a stop the nozzle stays until its parts have flowed (`follow`). What is not known is
sampled: a part that is often cooked or cold goes to the iron.
"""

import math
from collections import Counter
from collections.abc import Iterator, Sequence
from contextlib import nullcontext, suppress
from dataclasses import dataclass, replace

from yellowfen.core.heat.doubt import Doubts, even_draws, sampled, settled, unknowns_of
from yellowfen.core.heat.follow import resolution_for
from yellowfen.core.heat.rehearsal import FINE, Rehearsal, prepare
from yellowfen.core.heat.scene import Deed, Move, Scene, Side
from yellowfen.core.heat.source import HotPlate, Preheater
from yellowfen.core.heat.sureness import SAMPLES, Band, Sureness, how_sure
from yellowfen.core.heat.surface import film_w_m2k
from yellowfen.core.heat.tour_search import ANY, BestTour, Left, TourWish, begun, further, without
from yellowfen.core.heat.tour_walk import TourModel, Walk, walk
from yellowfen.core.metal.alloy import Alloy
from yellowfen.core.part.package import JointKind
from yellowfen.core.quantity.units import CELSIUS, SECONDS, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import Refused

PLATE_BELOW_C = constant(
    "plate_below",
    130.0,
    "°C",
    mark=Mark.FROM_MEMORY,
    source="a plate that warms a board and melts nothing",
    affects="tours with a plate on the bench",
)
BELOW_SOLDER_K, LEAST_BELOW_C, MOST_BELOW_W_M2K = 40.0, 60.0, 150.0
OFTEN = 0.1
BETTER, IRON_S = 0.9, 60.0  # a heater must be worth its while; a part by iron takes about a minute
# How many samples are asked before the long search; how long the short ones are.
QUICK_SAMPLES, FIRST_SHARE, AGAIN_SHARE = 11, 0.3, 0.3


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
    wish: TourWish = ANY,
    heater: Preheater | None = None,
) -> Iterator[BestTour | Tour]:
    """Ever better tours for a scene as the plan sets it, then the answer as a Tour.

    With a `heater` on the bench that the plan does not use, the tour takes it where that is better
    by a tenth. Where samples of what is not known cook a target, or leave it cold, in more than a
    tenth of them, it goes to the iron too: a few are asked before the long search, `count` of them
    of its answer. Raises as `search` does.
    """
    found: BestTour | None = None
    with suppress(Refused) if heater is not None else nullcontext():
        for found in begun(settled(raw, doubts), wish):
            yield found
    if heater is not None and raw.preheater is None:
        warmed = replace(raw, preheater=heater)
        with suppress(Refused) if found is not None else nullcontext():
            *_, other = begun(settled(warmed, doubts), wish)
            if found is None or _weighed(other, wish) < BETTER * _weighed(found, wish):
                raw, found = warmed, other
                yield found
    assert found is not None
    found = yield from further(found, wish, FIRST_SHARE)
    while more := _too_often(found.scene, _quick_risks(raw, doubts, found)):
        found = _left_out(found, more)
        yield found
        found = yield from further(found, wish, FIRST_SHARE)
    found = yield from further(found, wish)
    while True:
        fine = walk(prepare(found.scene, FINE), found.scene, found.walk.moves)
        sure = _sure(raw, doubts, replace(found, walk=fine), count)
        more = _too_often(found.scene, _risks_of(found.scene, sure))
        if not more:
            yield _told(replace(found, walk=fine), sure)
            return
        found = _left_out(found, more)
        yield found
        found = yield from further(found, wish, AGAIN_SHARE)


def _weighed(found: BestTour, wish: TourWish) -> float:
    """What a tour costs, and what the iron then has to do."""
    return found.walk.cost_s(wish.charge) + IRON_S * len(found.left)


@dataclass(frozen=True, kw_only=True)
class Risks:
    """Of `count` samples, in how many each part passes its limit, or a target stays cold."""

    harmed_in: dict[str, int]
    cold_in: dict[str, int]
    count: int


def _quick_risks(raw: Scene, doubts: Doubts, found: BestTour) -> Risks:
    """The risks of a tour by a few samples of what is not known."""
    here = without(raw, [left.ref for left in found.left])
    keys = [unknown.key for unknown in unknowns_of(here)]
    harmed: Counter[str] = Counter()
    cold: Counter[str] = Counter()
    for row in even_draws(QUICK_SAMPLES, len(keys)).tolist():
        moves = replace(here, moves=found.walk.moves)
        scene = sampled(moves, doubts, dict(zip(keys, row, strict=True)))
        seen = walk(prepare(scene, resolution_for(scene)), scene, scene.moves)
        harmed.update(seen.harmed)
        cold.update(seen.cold)
    return Risks(harmed_in=harmed, cold_in=cold, count=QUICK_SAMPLES)


def _sure(raw: Scene, doubts: Doubts, found: BestTour, count: int) -> Sureness:
    here = without(raw, [left.ref for left in found.left])
    tour = replace(here, moves=(*found.walk.moves, Move(deed=Deed.WITHDRAW, seconds=1.0)))
    return how_sure(tour, doubts, count, resolution_for(tour), by_eye=True, look_on=False)


def _risks_of(scene: Scene, sure: Sureness) -> Risks:
    """The risks that samples show; parts that are never harmed or cold are not named."""
    harmed = Counter(
        part.ref
        for i, part in enumerate(scene.parts)
        for sample in sure.samples
        if sample.each_limit_s[i] is not None
    )
    cold = Counter(
        ref
        for i, ref in enumerate(scene.targets)
        for sample in sure.samples
        if sample.melts_s[i] is None
    )
    return Risks(harmed_in=dict(harmed), cold_in=dict(cold), count=sure.count)


def _too_often(scene: Scene, risks: Risks) -> list[Left]:
    """Targets that pass their limit, or stay cold, in more than a tenth of the samples. Where more
    than half of them would stay cold it is the air that is weak, and no part is to blame.
    """
    often = OFTEN * risks.count
    of_all = f"of {risks.count} samples of what is not known"
    cooked = [ref for ref in scene.targets if risks.harmed_in.get(ref, 0) > often]
    cold = [ref for ref in scene.targets if risks.cold_in.get(ref, 0) > often]
    weak_air = 2 * len(cold) > len(scene.targets)
    return [
        Left(ref=ref, why=f"it stays cold in {risks.cold_in[ref]} {of_all}")
        for ref in cold
        if ref not in cooked and not weak_air
    ] + [
        Left(
            ref=ref,
            why=f"its body passes {with_unit(scene.part(ref).package.limit_c, CELSIUS, 0)} in"
            f" {risks.harmed_in[ref]} {of_all}",
        )
        for ref in cooked
    ]


def _left_out(found: BestTour, more: list[Left]) -> BestTour:
    """A tour without some parts: they are taken off its stops, empty stops are dropped."""
    gone = {left.ref for left in more}
    moves = []
    for move in found.walk.moves:
        over = tuple(ref for ref in move.over if ref not in gone)
        awaits = tuple(ref for ref in move.awaits if ref not in gone)
        if over or awaits or not move.over:
            moves.append(replace(move, over=over or awaits, awaits=awaits if over else ()))
    scene = without(found.scene, sorted(gone))
    if not scene.targets:
        raise Refused(f"nothing is left for this air: {more[0].ref}, {more[0].why}")
    model = TourModel(scene)
    return BestTour(
        model=model, walk=model.walk(moves), left=(*found.left, *more), walks=found.walks + 1
    )


def _told(found: BestTour, sure: Sureness) -> Tour:
    """A tour walked on the fine grid, as it is told."""
    scene, seen = found.scene, found.walk
    risks = _risks_of(scene, sure)
    return Tour(
        scene=scene,
        walk=seen,
        from_below=scene.preheater is not None,
        stops=tuple(_stops_told(scene, seen, sure)),
        left=found.left,
        total=sure.total,
        harmed_in=risks.harmed_in,
        cold_in=risks.cold_in,
        count=sure.count,
        walks=found.walks,
    )


def _stops_told(scene: Scene, seen: Walk, sure: Sureness) -> Iterator[TourStop]:
    """The stops of a walk. What flows while the board is warmed flows at the first stop."""
    order = sorted((at, ref) for ref, at in seen.flows_s.items() if at is not None)
    began, since = 0.0, -1.0
    for move, stay in zip(seen.moves, sure.stays, strict=True):
        ended = began + move.seconds
        if move in seen.stops:
            flows = tuple(ref for at, ref in order if since < at <= ended)
            yield TourStop(
                move=move,
                took=stay.took,
                latest_s=stay.latest_s,
                latest_why=stay.latest_why,
                flows=flows,
                watch=watch_line(scene, move, flows[-1], seen.last[flows[-1]]) if flows else "",
            )
            since = ended
        began = ended


def leave_off(scene: Scene, seen: Rehearsal) -> tuple[Left, ...]:
    """Parts of the face that is heated which a heat would cook: better put on afterwards."""
    top = {part.ref for part in scene.parts if part.side is Side.TOP}
    return tuple(
        Left(
            ref=part.ref,
            why=f"its body passes {with_unit(part.limit_c, CELSIUS, 0)} at {with_unit(part.limit_passed_s, SECONDS, 0)}",
        )
        for part in seen.parts
        if part.limit_passed_s is not None and part.ref in top
    )


def watched(scene: Scene, seen: Rehearsal, stop: Move, refs: Sequence[str]) -> str:
    """What to watch at a stop of a plan: which of these parts melts last, and why."""
    joints = [joint for ref in refs for joint in seen.joints_of(ref)]
    if not joints:
        return ""
    last = max(joints, key=lambda joint: math.inf if joint.melt_end_s is None else joint.melt_end_s)
    return watch_line(scene, stop, last.ref, last.pin)


def watch_line(scene: Scene, stop: Move, ref: str, pin: str) -> str:
    """What to watch at a stop: the part and joint that flow last there, and why they lag."""
    part = scene.part(ref)
    land = next(land for land in part.package.lands if land.pin == pin)
    x, y = scene.centre(stop)
    far = math.dist(part.on_board(land.x_mm, land.y_mm), (x, y))
    if land.kind in (JointKind.THERMAL_PAD, JointKind.TAB):
        why = "its exposed pad melts last: nudge to check"
        return (
            f"{ref}: {why}" if land.kind is JointKind.THERMAL_PAD else f"{ref}: its tab melts last"
        )
    on_plane = pin in part.plane_pins or pin in part.relief_pins
    lags = "on a plane" if on_plane else "far from the nozzle" if far > stop.circle_mm + 5 else ""
    return f"{ref} pin {pin} melts last" + (f": {lags}" if lags else "")
