"""The placement order against a general-purpose solver (OR-Tools): boards of up to 60 parts to
proven optimum or bound, 400 parts to a long run.
"""

import itertools
import math
import random
import time
from collections.abc import Sequence

import numpy as np
from ortools.constraint_solver import pywrapcp, routing_enums_pb2
from ortools.sat.python import cp_model

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.work.order import TURN_MM, Order, OrderRule, _problem, placement_order

GOAL_S = {100: 1.0, 400: 5.0}
_TALL = ("CAN-6.3", "CONN-6-1.25")


def invented(parts: int, width: float, height: float, seed: int, tall: bool = True) -> Board:
    """A board of invented parts at random places, seeded."""
    chance = random.Random(seed)
    kinds = (
        ["0402", "0603", "0805"] * 5
        + ["SOT-23", "SOIC-8", "QFN-20_4x4", "TSSOP-20"]
        + (list(_TALL) if tall else [])
    )
    found = []
    for number in range(parts):
        package = package_named(chance.choice(kinds))
        x, y, turn = (
            chance.uniform(3, width - 3),
            chance.uniform(3, height - 3),
            chance.choice((0.0, 90.0, 180.0, 270.0)),
        )
        found.append(
            BoardPart(
                ref=f"P{number}",
                value=f"v{chance.randrange(max(3, parts // 6))}",
                footprint=package.name,
                x_mm=x,
                y_mm=y,
                rotation_deg=turn,
                side="top",
                package=package,
                joined=True,
            )
        )
    return Board(
        name="invented",
        width_mm=width,
        height_mm=height,
        thickness_mm=1.6,
        outline=(),
        pads=(),
        holes=(),
        copper=(),
        parts=tuple(found),
        layers=(),
        findings=(),
    )


def measured(board: Board, school: str) -> tuple[float, float, Order]:
    """Our cost (hand's way in the search's own measure), seconds, and the order."""
    began = time.perf_counter()
    order = placement_order(board, "top", school)
    spent = time.perf_counter() - began
    problem, _ = _problem(board, "top", school, (), set())
    cost, _ = problem.costs()
    path = [0, *(problem.index[step.ref] for step in order.steps)]
    return float(sum(cost[a, b] for a, b in itertools.pairwise(path))), spent, order


def exact(
    board: Board, school: str, seconds: float, rules: Sequence[OrderRule]
) -> tuple[float, float, float]:
    """CP-SAT: the best cost it finds, the lower bound it proves, and the bare travel of its path
    (mm), with the same rules.
    """
    problem, _ = _problem(board, "top", school, (), set())
    cost, _ = problem.costs()
    whole = np.rint(10 * cost).astype(int)
    model, n = cp_model.CpModel(), len(whole)
    arcs, terms, chosen = [], [], []
    place = [model.new_int_var(0, n - 1, f"p{i}") for i in range(n)]
    model.add(place[0] == 0)
    for i in range(n):
        for j in range(n):
            if i != j:
                used = model.new_bool_var(f"{i}-{j}")
                arcs.append((i, j, used))
                if j:
                    chosen.append((i, j, used))
                    terms.append(int(whole[i, j]) * used)
                    if rules:
                        model.add(place[j] == place[i] + 1).only_enforce_if(used)
    model.add_circuit(arcs)
    for rule in rules:
        model.add(place[problem.index[rule.first]] < place[problem.index[rule.second]])
    model.minimize(sum(terms))
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = seconds
    solver.parameters.num_workers = 8
    solver.solve(model)
    places = [(0.0, 0.0), *((part.x_mm, part.y_mm) for part in problem.parts)]
    travel = sum(
        math.dist(places[i], places[j]) for i, j, used in chosen if solver.boolean_value(used)
    )
    return solver.objective_value / 10, solver.best_objective_bound / 10, travel


def long_run(board: Board, school: str, seconds: int) -> float:
    """Routing with guided local search for so many seconds; without rules (so a lower mark than
    with them).
    """
    problem, _ = _problem(board, "top", school, (), set())
    cost, _ = problem.costs()
    whole = np.rint(10 * cost).astype(int)
    whole[:, 0] = 0  # an open path: the way back costs nothing
    rows = whole.tolist()
    manager = pywrapcp.RoutingIndexManager(len(rows), 1, 0)
    routing = pywrapcp.RoutingModel(manager)
    index = routing.RegisterTransitCallback(
        lambda a, b: rows[manager.IndexToNode(a)][manager.IndexToNode(b)]
    )
    routing.SetArcCostEvaluatorOfAllVehicles(index)
    search = pywrapcp.DefaultRoutingSearchParameters()
    search.first_solution_strategy = routing_enums_pb2.FirstSolutionStrategy.PATH_CHEAPEST_ARC
    search.local_search_metaheuristic = (
        routing_enums_pb2.LocalSearchMetaheuristic.GUIDED_LOCAL_SEARCH
    )
    search.time_limit.seconds = seconds
    return routing.SolveWithParameters(search).ObjectiveValue() / 10


def _ways(total: float) -> float:
    """The part of a cost that is not turns."""
    return total % TURN_MM


def placement() -> None:
    placement_order(invented(10, 40, 40, 0), "top", "nearest")
    for parts, seed, school in (
        (30, 1, "finest"),
        (40, 2, "nearest"),
        (60, 3, "nearest"),
        (60, 4, "nearest"),
    ):
        board = invented(parts, 20 + parts, 20 + 0.7 * parts, seed)
        ours, spent, order = measured(board, school)
        theirs, bound, travel = exact(board, school, 60, order.rules)
        same = "same turns" if int(ours // TURN_MM) == int(theirs // TURN_MM) else "OTHER TURNS"
        print(
            f"placement, {parts} parts, {school}: {order.takes.turns} turns for {order.orientations} orientations, {spent:.2f} s; way {_ways(ours):.0f} mm,"
            f" CP-SAT in 60 s {_ways(theirs):.0f} ({same}; ours {_ways(ours) / _ways(theirs) - 1:+.1%}, goal 5 %), bare travel {order.takes.travel_mm:.0f} and {travel:.0f} mm, proven bound {bound - TURN_MM * int(theirs // TURN_MM):.0f}"
        )
    for parts, width, height in ((100, 100, 80), (400, 200, 150)):
        board = invented(parts, width, height, 7, tall=False)
        ours, spent, order = measured(board, "nearest")
        theirs = long_run(board, "nearest", 60)
        print(
            f"placement, {parts} parts: {spent:.2f} s (goal {GOAL_S[parts]}); turns {int(ours // TURN_MM)} and {int(theirs // TURN_MM)}, way {_ways(ours):.0f} mm against {_ways(theirs):.0f} by a minute of"
            f" guided local search ({_ways(ours) / _ways(theirs) - 1:+.1%}, goal 10 %); as in the bill {order.plain.turns} turns, {order.plain.travel_mm:.0f} mm"
        )
