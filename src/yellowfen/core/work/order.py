"""In which order to place parts: few turns of the board, few changes of value, a short way of the hand, and nobody in the way.

The hand's way is measured in millimetres on the board: from part to part, and `VALUE_MM` more for every change of value (to the
bags and back). A turn of the board weighs more than any way. Laws: an order is a permutation of the parts of one side that are
placed on paste; what blocks another comes after it; turns are one fewer than the orientations used, unless what blocks what, or a
wish of the user, forces more, and then the plan says so.
"""

import math
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field

import numpy as np

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.part.direction import direction_of
from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant
from yellowfen.core.work.triage import Box, Surroundings, box_of

VALUE_MM = constant(
    "order_value_change", 300.0, "mm", Mark.FROM_MEMORY, "the hand goes to the bags and back: about 30 cm", "placement order"
)
TURN_MM = 1e6  # more than any way on a board: turns come first
PLACE_S = constant(
    "seconds_per_placement",
    12.0,
    "s",
    Mark.COMMON_PRACTICE,
    "a practised hand 3 to 5 s a part, a hobby builder 3 to 5 times that",
    "time of placing",
)
TURN_S = constant("seconds_per_turn", 15.0, "s", Mark.FROM_MEMORY, "turning the board and finding one's place again", "time of placing")
VALUE_S = constant("seconds_per_value", 8.0, "s", Mark.FROM_MEMORY, "putting one bag away, finding and opening the next", "time of placing")
TRAVEL_MM_S = constant("hand_speed", 60.0, "mm/s", Mark.FROM_MEMORY, "tweezers with a part in them, aiming", "time of placing")
HAND_MM = constant("hand_room", 4.0, "mm", Mark.FROM_MEMORY, "tweezers and fingers need so much beside a tall part", "what blocks what")
TALL_MM = constant("tall_part", 2.5, "mm", Mark.FROM_MEMORY, "bodies from this height stand in the way of tweezers", "what blocks what")
NEIGHBOURS_MM = 10.0
_FINE_MM = 0.5
ROUNDS_SMALL, ROUNDS_LARGE = 2400, 1600

SCHOOLS = {
    "finest": "finest pitch first: the hardest part with a free hand round it",
    "biggest": "biggest first: nothing in its way, and it marks the place",
    "smallest": "smallest and lowest first: the hand passes over what lies there",
    "nearest": "no rule but room: whatever makes the shortest way",
}


@dataclass(frozen=True)
class Rule:
    """`first` comes before `second`, and why."""

    first: str
    second: str
    why: str


@dataclass(frozen=True)
class Step:
    """One part in the order: how the board lies (degrees it is turned, anticlockwise), and what is new against the step before."""

    ref: str
    turn_deg: float
    turned: bool
    new_value: bool
    batch: int


@dataclass(frozen=True)
class Travel:
    """What an order takes: turns, changes of value, the hand's way on the board (mm), minutes."""

    turns: int
    values: int
    travel_mm: float
    minutes: float


@dataclass(frozen=True)
class Order:
    """The order of one side, what it takes against the plain bill's order, the rules it keeps, and why it turns more often than it might."""

    side: str
    school: str
    steps: tuple[Step, ...]
    takes: Travel
    plain: Travel
    rules: tuple[Rule, ...]
    orientations: int
    forced: str
    left_out: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Pace:
    """Seconds a part, a turn, a change of value; parts in a batch (0: no batches)."""

    place_s: float = PLACE_S
    turn_s: float = TURN_S
    value_s: float = VALUE_S
    batch: int = 10

    def __post_init__(self) -> None:
        in_range("place_s", self.place_s, 0.5, 3600, "s")
        in_range("turn_s", self.turn_s, 0, 3600, "s")
        in_range("value_s", self.value_s, 0, 3600, "s")
        in_range("batch", self.batch, 0, 1000)


@dataclass(frozen=True)
class Wish:
    """An exception of the user: `ref` right after `after` (first of all when that is empty)."""

    ref: str
    after: str


@dataclass
class _Problem:
    """A side's parts as the search sees them; place 0 is the hand's start at the lower left."""

    parts: list[BoardPart]
    classes: list[float]
    values: list[str]
    rules: list[Rule]
    wishes: list[Wish]
    start: tuple[float, float] = (0.0, 0.0)
    index: dict[str, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.index = {part.ref: number for number, part in enumerate(self.parts, 1)}

    def costs(self) -> tuple[np.ndarray, np.ndarray]:
        """Cost from every place to every other, and the groups that may move whole (orientation, value within it)."""
        xs = np.array([self.start[0], *(part.x_mm for part in self.parts)])
        ys = np.array([self.start[1], *(part.y_mm for part in self.parts)])
        turn = np.array([-1, *(sorted(set(self.classes)).index(one) for one in self.classes)], dtype=np.int64)
        names = {name: number for number, name in enumerate(dict.fromkeys(self.values))}
        value = np.array([-1, *(names[one] for one in self.values)], dtype=np.int64)
        cost = np.hypot(xs[:, None] - xs, ys[:, None] - ys)
        cost[1:, 1:] += VALUE_MM * (value[1:, None] != value[1:]) + TURN_MM * (turn[1:, None] != turn[1:])
        for wish in self.wishes:
            here = self.index.get(wish.after, 0) if wish.after else 0
            cost[:, self.index[wish.ref]] += 10 * TURN_MM  # to come to it from anywhere else
            cost[here, self.index[wish.ref]] -= 10 * TURN_MM
        return np.ascontiguousarray(cost), np.array([turn, turn * 10_000 + value])

    def pairs(self) -> tuple[np.ndarray, np.ndarray]:
        first = np.array([self.index[rule.first] for rule in self.rules], dtype=np.int64)
        second = np.array([self.index[rule.second] for rule in self.rules], dtype=np.int64)
        return first, second


def placement_order(
    board: Board, side: str = "top", school: str = "finest", pace: Pace | None = None, wishes: Sequence[Wish] = (), skip: Iterable[str] = (),
    told: Callable[[int, int], None] | None = None,
) -> Order:  # fmt: skip
    """The order for a side. `skip`: parts that are not placed now; iron-only parts never are. `told` hears of rounds done and all.

    Wishes that name parts not there, or contradict one another, are passed over.
    """
    problem, left_out = _problem(board, side, school, wishes, set(skip))
    if not problem.parts:
        nothing = Travel(0, 0, 0.0, 0.0)
        return Order(side, school, (), nothing, nothing, (), 0, "", tuple(left_out))
    path = _solved(problem, told)
    pace = pace or Pace()
    chosen = [problem.parts[number - 1] for number in path]
    classes = {part.ref: turn for part, turn in zip(problem.parts, problem.classes, strict=True)}
    values = {part.ref: value for part, value in zip(problem.parts, problem.values, strict=True)}
    takes, plain = _takes(chosen, classes, values, pace), _takes(_as_in_the_bill(problem), classes, values, pace)
    orientations = len(set(problem.classes))
    return Order(
        side,
        school,
        _steps(chosen, classes, values, pace),
        takes,
        plain,
        tuple(problem.rules),
        orientations,
        _forced(problem, takes, orientations),
        tuple(left_out),
    )


def _problem(board: Board, side: str, school: str, wishes: Sequence[Wish], skip: set[str]) -> tuple[_Problem, list[tuple[str, str]]]:
    in_range("school", float(school in SCHOOLS), 1, 1)
    left_out, parts = [], []
    for part in board.parts:
        if part.side != side:
            continue
        if part.package.iron_only:
            left_out.append((part.ref, "by iron, last"))
        elif part.ref in skip:
            left_out.append((part.ref, "not now"))
        else:
            parts.append(part)
    kept = [wish for wish in wishes if {wish.ref, wish.after or wish.ref} <= {part.ref for part in parts} and wish.ref != wish.after]
    newest = {wish.ref: wish for wish in kept}
    kept = list({wish.after: wish for wish in newest.values()}.values())
    kept = [wish for wish in kept if not _circles(wish, kept)]
    rules = _rules(board, parts, school, kept)
    return _Problem(parts, _classes(parts), [f"{part.value}|{part.package.name}" for part in parts], rules, kept), left_out


def _circles(wish: Wish, wishes: list[Wish]) -> bool:
    """True when following the wishes from this one comes back to it."""
    after, seen = {one.ref: one.after for one in wishes}, 0
    here = wish.after
    while here and seen <= len(wishes):
        if here == wish.ref:
            return True
        here, seen = after.get(here, ""), seen + 1
    return False


# how the board lies
def _angle(part: BoardPart) -> float:
    """A part's turn as seen from its side, to five degrees, 0 to 355."""
    turn = part.rotation_deg if part.side == "top" else 180 - part.rotation_deg
    return round(turn / 5) * 5 % 360


def either_way(part: BoardPart) -> bool:
    """True for a part that may lie either way round."""
    return direction_of(part.package) is None and len(part.package.lands) <= 2


def _classes(parts: list[BoardPart]) -> list[float]:
    """For each part the turn it is seen upright at; a part that goes either way round joins the turn that more parts have."""
    counts = Counter(_angle(part) for part in parts if not either_way(part))
    free = Counter(_angle(part) % 180 for part in parts if either_way(part))
    for angle, many in free.items():
        counts[angle if counts[angle] >= counts[angle + 180] else angle + 180] += many
    return [
        max(_angle(part) % 180, _angle(part) % 180 + 180, key=lambda angle: (counts[angle], -angle)) if either_way(part) else _angle(part)
        for part in parts
    ]


# what comes before what
def _rules(board: Board, parts: list[BoardPart], school: str, wishes: list[Wish]) -> list[Rule]:
    """Room for the hand first, then the school, each only while it closes no circle with what is already asked."""
    around, refs = Surroundings(board), {part.ref for part in parts}
    graph: dict[str, set[str]] = defaultdict(set)
    for wish in wishes:
        if wish.after:
            graph[wish.after].add(wish.ref)
    rules: list[Rule] = []
    near = {part.ref: [(gap, other) for gap, other in around.near(part, NEIGHBOURS_MM) if other.ref in refs] for part in parts}
    for make in (_room, _SCHOOL_RULES[school]):
        for part in parts:
            for gap, other in near[part.ref]:
                why = make(part, other, gap)
                if why and not _leads(graph, other.ref, part.ref) and other.ref not in graph[part.ref]:
                    graph[part.ref].add(other.ref)
                    rules.append(Rule(part.ref, other.ref, why))
    return rules


def _leads(graph: dict[str, set[str]], start: str, goal: str) -> bool:
    """True when the goal comes after the start already."""
    waiting, seen = [start], {start}
    while waiting:
        here = waiting.pop()
        if here == goal:
            return True
        for one in graph.get(here, ()):
            if one not in seen:
                seen.add(one)
                waiting.append(one)
    return False


def _room(part: BoardPart, other: BoardPart, gap: float) -> str:
    """A low part beside a tall one goes first."""
    low, tall = part.package.height_mm, other.package.height_mm
    return (
        f"{other.ref} stands {tall:.1f} mm high, {gap:.1f} mm away: the hand would not get in beside it"
        if gap <= HAND_MM and tall >= TALL_MM and tall > 2 * low
        else ""
    )


def _fineness(part: BoardPart) -> float:
    return part.package.pitch_mm if len(part.package.lands) > 4 else math.inf


def _finest(part: BoardPart, other: BoardPart, gap: float) -> str:
    pitch = _fineness(part)
    return (
        f"{part.ref} has {pitch:.2g} mm pitch: first, with a free hand round it"
        if pitch <= _FINE_MM + 1e-6 and _fineness(other) > pitch + 0.01
        else ""
    )


def _area(part: BoardPart) -> float:
    box: Box = box_of(part)
    return (box.x1 - box.x0) * (box.y1 - box.y0)


def _biggest(part: BoardPart, other: BoardPart, gap: float) -> str:
    return f"{part.ref} is the bigger one" if gap <= HAND_MM and _area(part) > 4 * _area(other) else ""


def _smallest(part: BoardPart, other: BoardPart, gap: float) -> str:
    return f"{part.ref} is the smaller one" if gap <= HAND_MM and 4 * _area(part) < _area(other) else ""


_SCHOOL_RULES: dict[str, Callable[[BoardPart, BoardPart, float], str]] = {
    "finest": _finest, "biggest": _biggest, "smallest": _smallest, "nearest": lambda part, other, gap: "",
}  # fmt: skip


# the search
def _solved(problem: _Problem, told: Callable[[int, int], None] | None) -> list[int]:
    from yellowfen.core.work.order_kernel import best_path

    cost, groups = problem.costs()
    first, second = problem.pairs()
    many = len(problem.parts) > 150
    rounds, parcels = (ROUNDS_LARGE, 8) if many else (ROUNDS_SMALL, 4)
    path = np.zeros(0, dtype=np.int64)
    for parcel in range(parcels):
        path = best_path(cost, groups, first, second, path, rounds // parcels, 12_345 + parcel)
        if told:
            told(parcel + 1, parcels)
    return [int(place) for place in path[1:]]


def _as_in_the_bill(problem: _Problem) -> list[BoardPart]:
    """The plain order: value by value as the bill has them, by name within a value."""
    named = sorted(zip(problem.parts, problem.values, strict=True), key=lambda pair: _natural(pair[0].ref))
    rank = {value: number for number, (_, value) in enumerate(named[::-1])}
    return [part for part, value in sorted(named, key=lambda pair: (-rank[pair[1]], _natural(pair[0].ref)))]


def _natural(ref: str) -> tuple[str, int, str]:
    """R2 before R10."""
    letters = ref.rstrip("0123456789")
    return letters, int(ref[len(letters) :][:9] or 0), ref


def _takes(parts: Sequence[BoardPart], classes: dict[str, float], values: dict[str, str], pace: Pace) -> Travel:
    turns = changes = 0
    travel, here = 0.0, (0.0, 0.0)
    for before, part in zip((None, *parts[:-1]), parts, strict=True):
        travel += math.dist(here, (part.x_mm, part.y_mm))
        here = (part.x_mm, part.y_mm)
        turns += before is not None and classes[before.ref] != classes[part.ref]
        changes += before is None or values[before.ref] != values[part.ref]
    seconds = len(parts) * pace.place_s + turns * pace.turn_s + changes * pace.value_s + travel / TRAVEL_MM_S
    return Travel(turns, changes, travel, seconds / 60)


def _steps(parts: Sequence[BoardPart], classes: dict[str, float], values: dict[str, str], pace: Pace) -> tuple[Step, ...]:
    steps: list[Step] = []
    for number, part in enumerate(parts):
        before = parts[number - 1] if number else None
        turned = before is None or classes[before.ref] != classes[part.ref]
        new = before is None or values[before.ref] != values[part.ref]
        steps.append(Step(part.ref, -classes[part.ref] % 360, turned, new, number // pace.batch if pace.batch else 0))
    return tuple(steps)


def _forced(problem: _Problem, takes: Travel, orientations: int) -> str:
    """Why there are more turns than orientations less one: the rules and wishes between parts that lie differently."""
    if takes.turns <= orientations - 1:
        return ""
    classes = {part.ref: turn for part, turn in zip(problem.parts, problem.classes, strict=True)}
    across = [f"{rule.first} before {rule.second}" for rule in problem.rules if classes[rule.first] != classes[rule.second]]
    across += [f"{wish.ref} after {wish.after or 'nothing'}, as you wish" for wish in problem.wishes]
    return (
        f"{takes.turns} turns for {orientations} orientations, because of {', '.join(across[:4])}{' and others' if len(across) > 4 else ''}"
    )
