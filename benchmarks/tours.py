"""Tours: how soon, against three simple orders with dwells chosen as well, and against the best of
many random beginnings. `python -m benchmarks tours [restarts]`.
"""

import time
from collections.abc import Iterator, Sequence

import numpy as np
from tests.conftest import DATA, files_in

from yellowfen.core.board.board import Board
from yellowfen.core.heat.doubt import Doubts, settled
from yellowfen.core.heat.heat_plan import HeatPlan, usual_moves
from yellowfen.core.heat.scene import Move, Scene
from yellowfen.core.heat.tour import Tour, plan_tour
from yellowfen.core.heat.tour_search import (
    HEIGHTS_MM,
    WARMS_S,
    BestTour,
    TourWish,
    improved,
    without,
)
from yellowfen.core.heat.tour_stops import ORDERS, gathered, reach_mm, stop_over, warming
from yellowfen.core.heat.tour_walk import Charge, TourModel
from yellowfen.core.work.board_scene import scene_of
from yellowfen.formats.board_files import read_board
from yellowfen.workflows.demo import demo_files

RESTARTS, GIVEN_S = 200, 600.0


def cases() -> Iterator[tuple[str, Scene]]:
    """Four faces of three boards, every part a target."""
    boards: tuple[tuple[str, Board, Sequence[str]], ...] = (
        ("demo", read_board(demo_files(), "demo"), ("top", "bottom")),
        ("two-sided", read_board(files_in(DATA / "boards/two-sided"), "two-sided"), ("bottom",)),
        ("regions", read_board(files_in(DATA / "boards/regions"), "regions"), ("top",)),
    )
    for name, board, sides in boards:
        for side in sides:
            targets = tuple(part.ref for part in board.parts if part.side == side)
            plan = HeatPlan(targets=targets, side=side, moves=usual_moves(targets))
            yield f"{name} {side}, {len(targets)} parts", scene_of(board, plan)


def restarted(scene: Scene, count: int, given_s: float, wish: TourWish) -> tuple[float, float, int]:
    """Cost and seconds of the best of random beginnings, each changed a dozen times for the better,
    and how many there was time for.
    """
    chance = np.random.default_rng(3)
    model = TourModel(scene)
    began, best, done = time.perf_counter(), (np.inf, np.inf), 0
    while done < count and time.perf_counter() - began < given_s:
        height = float(chance.choice(HEIGHTS_MM))
        groups = gathered(scene, float(chance.uniform(0.4, 1.8)) * reach_mm(scene, height))
        stops: list[Move] = [stop_over(scene, group, height) for group in groups]
        moves = [stops[i] for i in chance.permutation(len(stops))]
        warm = warming(scene, float(chance.choice(WARMS_S)))
        found = BestTour(model=model, walk=model.walk([*warm, *moves]), left=(), walks=1)
        for better in improved(found, 13, wish):
            found = better
        best = min(best, (found.walk.cost_s(wish.charge), found.walk.total_s))
        done += 1
    return *best, done


def tours(restarts: int = RESTARTS) -> None:
    """Print seconds, risks and costs of each case, under each charge."""
    for name, raw in cases():
        for charge in Charge:
            one_tour(f"{name}, {charge}", raw, TourWish(charge=charge), restarts)


def one_tour(name: str, raw: Scene, wish: TourWish, restarts: int) -> None:
    """Print one case: processor time, and costs against simple orders and random beginnings."""
    began, first = time.process_time(), None
    tour, found = None, None
    for step in plan_tour(raw, Doubts(), wish=wish):
        first = first or time.process_time() - began
        tour, found = (step, found) if isinstance(step, Tour) else (tour, step)
    took = time.process_time() - began
    assert tour is not None
    assert found is not None
    worst = max(tour.harmed_in.values(), default=0)
    scene = settled(without(raw, [left.ref for left in tour.left]), Doubts())
    model = TourModel(scene)
    mine = model.walk(found.walk.moves)
    cost = mine.cost_s(wish.charge)
    print(
        f"tour of {name}: first after {first:.1f} s of processor, final after {took:.1f} s;"
        f" {len(tour.stops)} stops in {tour.walk.total_s:.0f} s, {len(tour.left)} left to the iron;"
        f" on the fine grid {len(tour.walk.cold)} cold, {len(tour.walk.harmed)} past a limit; in"
        f" samples a limit is passed at most in {worst} of {tour.count}"
    )
    stops = [stop_over(scene, (ref,), 15.0) for ref in scene.targets]
    for order, arranged in ORDERS.items():
        plain = model.walk(arranged(scene, stops))
        print(
            f"  at risk {len(mine.at_risk)} against {len(plain.at_risk)} with one stop a part,"
            f" {order} ({mine.total_s:.0f} s against {plain.total_s:.0f} s, cost {cost:.0f} against"
            f" {plain.cost_s(wish.charge):.0f})"
        )
    if restarts:
        best, seconds, done = restarted(scene, restarts, GIVEN_S, wish)
        print(
            f"  cost {cost:.0f} against {best:.0f} ({cost / best - 1:+.0%}), time"
            f" {mine.total_s:.0f} s against {seconds:.0f} s, of the best of {done} random beginnings"
        )
