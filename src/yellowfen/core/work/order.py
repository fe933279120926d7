"""In which order to place parts: few turns of the board, few changes of value, a short way of the
hand, and nobody in the way.

The hand's way is measured in millimetres on the board: from part to part, and `VALUE_MM` more for
every change of value (to the bags and back). A turn of the board weighs more than any way. The hand
comes in over the board's front edge as it lies. Laws: an order is a permutation of the parts of one
side that are placed on paste; what blocks another comes after it; a tall part that the hand would
reach over comes after what lies behind it, where that costs no turn; turns are one fewer than the
orientations used, unless what blocks what, or a wish of the user, forces more, and then the plan
says so.
"""

import math
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field

import numpy as np

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.part.direction import direction_of
from yellowfen.core.quantity.compiled import Compiled
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.core.work.schedule import TACK_LIFE_H
from yellowfen.core.work.triage import Box, Surroundings, box_of
from yellowfen.errors import InvalidValue

loops = Compiled("yellowfen.core.work.order_kernel")

VALUE_MM = constant(
    "order_value_change",
    300.0,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="the hand goes to the bags and back: about 30 cm",
    affects="placement order",
)
TURN_MM = 1e6  # more than any way on a board: turns come first
PLACE_S = constant(
    "seconds_per_placement",
    12.0,
    "s",
    mark=Mark.COMMON_PRACTICE,
    source="a practised hand 3 to 5 s a part, a hobby builder 3 to 5 times that",
    affects="time of placing",
)
TURN_S = constant(
    "seconds_per_turn",
    15.0,
    "s",
    mark=Mark.FROM_MEMORY,
    source="turning the board and finding one's place again",
    affects="time of placing",
)
VALUE_S = constant(
    "seconds_per_value",
    8.0,
    "s",
    mark=Mark.FROM_MEMORY,
    source="putting one bag away, finding and opening the next",
    affects="time of placing",
)
TRAVEL_MM_S = constant(
    "hand_speed",
    60.0,
    "mm/s",
    mark=Mark.FROM_MEMORY,
    source="tweezers with a part in them, aiming",
    affects="time of placing",
)
HAND_MM = constant(
    "hand_room",
    4.0,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="tweezers and fingers need so much beside a tall part",
    affects="what blocks what",
)
TALL_MM = constant(
    "tall_part",
    2.5,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="bodies from this height stand in the way of tweezers",
    affects="what blocks what",
)
REACH_MM = constant(
    "hand_reach",
    25.0,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="so far in front of a part the hand hovers low, 16 mm wide",
    affects="what is reached over",
)
HAND_WIDE_MM = 16.0
NEIGHBOURS_MM = 10.0
_FINE_MM, _COARSE_MM = 0.5, 1.0
ROUNDS, PARCELS = (
    200,
    ((60, 12), (150, 6), (10**9, 4)),
)  # rounds in a parcel; parcels by how many parts at most

SCHOOLS = {
    "finest": "finest pitch first: the harder of two neighbours, with free space around it",
    "tallest": "tallest first: pressed in while nothing is around it",
    "biggest": "biggest first: nothing in its way, and it marks the place",
    "smallest": "smallest and lowest first: the hand passes over placed parts",
    "nearest": "space only: the shortest path",
}


@dataclass(frozen=True)
class OrderRule:
    """`first` comes before `second`, and why."""

    first: str
    second: str
    why: str


@dataclass(frozen=True, kw_only=True)
class Step:
    """One part in the order: how the board lies (degrees it is turned, anticlockwise), and what is
    new against the step before.

    `until_min`: minutes until it is placed; `anew`: the first after tack has run out, so paste for
    what follows is put on only now.
    """

    ref: str
    turn_deg: float
    turned: bool
    new_value: bool
    batch: int
    until_min: float = 0.0
    anew: bool = False


@dataclass(frozen=True, kw_only=True)
class Travel:
    """What an order takes: turns, changes of value, the hand's way on the board (mm), minutes,
    times it reaches over a tall part.
    """

    turns: int
    values: int
    travel_mm: float
    minutes: float
    over: int = 0


@dataclass(frozen=True, kw_only=True)
class Order:
    """The order of one side, what it takes against the plain bill's order, the rules it keeps, and
    why it turns more often than it might.
    """

    side: str
    school: str
    steps: tuple[Step, ...]
    takes: Travel
    plain: Travel
    rules: tuple[OrderRule, ...]
    orientations: int
    forced: str
    left_out: tuple[tuple[str, str], ...]


@dataclass(frozen=True, kw_only=True)
class Pace:
    """Seconds a part, a turn, a change of value; parts in a batch (0: no batches); hours that tack
    holds.
    """

    place_s: float = PLACE_S
    turn_s: float = TURN_S
    value_s: float = VALUE_S
    batch: int = 10
    tack_h: float = TACK_LIFE_H

    def __post_init__(self) -> None:
        in_range("place_s", self.place_s, 0.5, 3600, "s")
        in_range("turn_s", self.turn_s, 0, 3600, "s")
        in_range("value_s", self.value_s, 0, 3600, "s")
        in_range("batch", self.batch, 0, 1000)
        in_range("tack_h", self.tack_h, 0.05, 200, "h")


@dataclass(frozen=True)
class Wish:
    """An exception of the user: `ref` right after `after` (first of all when that is empty)."""

    ref: str
    after: str


@dataclass(kw_only=True)
class _Problem:
    """A side's parts as the search sees them; place 0 is the hand's start at the lower left."""

    parts: list[BoardPart]
    classes: list[float]
    values: list[str]
    rules: list[OrderRule]
    wishes: list[Wish]
    behind: dict[str, list[BoardPart]]
    start: tuple[float, float] = (0.0, 0.0)
    index: dict[str, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.index = {part.ref: number for number, part in enumerate(self.parts, 1)}

    def costs(self) -> tuple[np.ndarray, np.ndarray]:
        """Cost from every place to every other, and the groups that may move whole (orientation,
        value within it).
        """
        xs = np.array([self.start[0], *(part.x_mm for part in self.parts)])
        ys = np.array([self.start[1], *(part.y_mm for part in self.parts)])
        turn = np.array(
            [-1, *(sorted(set(self.classes)).index(one) for one in self.classes)], dtype=np.int64
        )
        names = {name: number for number, name in enumerate(dict.fromkeys(self.values))}
        value = np.array([-1, *(names[one] for one in self.values)], dtype=np.int64)
        cost = np.hypot(xs[:, None] - xs, ys[:, None] - ys)
        cost[1:, 1:] += VALUE_MM * (value[1:, None] != value[1:]) + TURN_MM * (
            turn[1:, None] != turn[1:]
        )
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
    board: Board,
    side: str = "top",
    school: str = "finest",
    pace: Pace | None = None,
    wishes: Sequence[Wish] = (),
    skip: Iterable[str] = (),
    told: Callable[[int, int], None] | None = None,
) -> Order:
    """The order for a side.

    `skip`: parts that are not placed now; iron-only parts never are. `told` hears of rounds done
    and all.

    Wishes that name parts not there, or contradict one another, are passed over.
    """
    problem, left_out = _problem(board, side, school, wishes, set(skip))
    if not problem.parts:
        nothing = Travel(turns=0, values=0, travel_mm=0.0, minutes=0.0)
        return Order(
            side=side,
            school=school,
            steps=(),
            takes=nothing,
            plain=nothing,
            rules=(),
            orientations=0,
            forced="",
            left_out=tuple(left_out),
        )
    parcels = next(parcels for most, parcels in PARCELS if len(problem.parts) <= most)
    again = parcels // 4  # after reach is minded, so many parcels more

    def tell(done: int) -> None:
        if told:
            told(done, parcels + again)

    path = _mind_reach(problem, _solved(problem, [], 0, parcels, tell))
    path = _solved(problem, path, parcels, again, tell)
    pace = pace or Pace()
    chosen = [problem.parts[number - 1] for number in path]
    classes = {part.ref: turn for part, turn in zip(problem.parts, problem.classes, strict=True)}
    values = {part.ref: value for part, value in zip(problem.parts, problem.values, strict=True)}
    takes, plain = (
        _takes(one, classes, values, pace, problem.behind)
        for one in (chosen, _as_in_the_bill(problem))
    )
    orientations = len(set(problem.classes))
    return Order(
        side=side,
        school=school,
        steps=_steps(chosen, classes, values, pace),
        takes=takes,
        plain=plain,
        rules=tuple(problem.rules),
        orientations=orientations,
        forced=_forced(problem, takes, orientations),
        left_out=tuple(left_out),
    )


def _problem(
    board: Board, side: str, school: str, wishes: Sequence[Wish], skip: set[str]
) -> tuple[_Problem, list[tuple[str, str]]]:
    if school not in SCHOOLS:
        raise InvalidValue(
            "school", f"{school[:20]!r} is not an order; choose {', '.join(SCHOOLS)}"
        )
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
    kept = [
        wish
        for wish in wishes
        if {wish.ref, wish.after or wish.ref} <= {part.ref for part in parts}
        and wish.ref != wish.after
    ]
    newest = {wish.ref: wish for wish in kept}
    kept = list({wish.after: wish for wish in newest.values()}.values())
    kept = [wish for wish in kept if not _circles(wish, kept)]
    classes = _classes(parts)
    behind = _reached_over(parts, classes)
    rules = _rules(board, parts, school, kept)
    return _Problem(
        parts=parts,
        classes=classes,
        values=[f"{part.value}|{part.package.name}" for part in parts],
        rules=rules,
        wishes=kept,
        behind=behind,
    ), left_out


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
    """For each part the turn it is seen upright at; a part that goes either way round joins the
    turn that more parts have.
    """
    counts = Counter(_angle(part) for part in parts if not either_way(part))
    free = Counter(_angle(part) % 180 for part in parts if either_way(part))
    for angle, many in free.items():
        counts[angle if counts[angle] >= counts[angle + 180] else angle + 180] += many
    return [
        max(_angle(part) % 180, _angle(part) % 180 + 180, key=lambda angle: (counts[angle], -angle))
        if either_way(part)
        else _angle(part)
        for part in parts
    ]


# what comes before what
def _rules(
    board: Board, parts: list[BoardPart], school: str, wishes: list[Wish]
) -> list[OrderRule]:
    """Room for the hand first, then the school, each only while it closes no circle with what is
    already asked.
    """
    around, refs = Surroundings(board), {part.ref for part in parts}
    graph: dict[str, set[str]] = defaultdict(set)
    for wish in wishes:
        if wish.after:
            graph[wish.after].add(wish.ref)
    rules: list[OrderRule] = []
    near = {
        part.ref: [
            (gap, other) for gap, other in around.near(part, NEIGHBOURS_MM) if other.ref in refs
        ]
        for part in parts
    }
    for make in (_room, _SCHOOL_RULES[school]):
        for part in parts:
            for gap, other in near[part.ref]:
                why = make(part, other, gap)
                if (
                    why
                    and not _leads(graph, other.ref, part.ref)
                    and other.ref not in graph[part.ref]
                ):
                    graph[part.ref].add(other.ref)
                    rules.append(OrderRule(part.ref, other.ref, why))
    return rules


def _mind_reach(problem: _Problem, path: list[int]) -> list[int]:
    """Add to the problem's rules what comes before the tall part it would be reached over for;
    returns the path put right.

    Only where it costs no turn: what is placed in an earlier run of one way round is left there.
    Wishes are left alone.
    """
    chosen = [problem.parts[number - 1] for number in path]
    turn = dict(zip((part.ref for part in problem.parts), problem.classes, strict=True))
    run: dict[str, int] = {}
    for before, part in zip((None, *chosen[:-1]), chosen, strict=True):
        run[part.ref] = (
            0 if before is None else run[before.ref] + (turn[before.ref] != turn[part.ref])
        )
    graph: dict[str, set[str]] = defaultdict(set)
    for rule in problem.rules:
        graph[rule.first].add(rule.second)
    wished = {ref for wish in problem.wishes for ref in (wish.ref, wish.after)}
    for tall in problem.parts:
        for far in problem.behind.get(tall.ref, ()):
            free = run[far.ref] <= run[tall.ref] and not {far.ref, tall.ref} & wished
            if free and tall.ref not in graph[far.ref] and not _leads(graph, tall.ref, far.ref):
                graph[far.ref].add(tall.ref)
                why = f"{tall.ref} stands {with_unit(tall.package.height_mm, MM, 1)} high in front of it: the hand would have to reach over it"
                problem.rules.append(OrderRule(far.ref, tall.ref, why))
    return _put_right(problem, path, [run[part.ref] for part in chosen])


def _put_right(problem: _Problem, path: list[int], runs: list[int]) -> list[int]:
    """The path with the parts of each run so far put off as rules between them ask."""
    waits: dict[int, set[int]] = defaultdict(set)
    for rule in problem.rules:
        waits[problem.index[rule.second]].add(problem.index[rule.first])
    done: list[int] = []
    for run in range(max(runs, default=-1) + 1):
        left = [number for number, its in zip(path, runs, strict=True) if its == run]
        while left:
            ready = next(number for number in left if not waits[number] - set(done))
            left.remove(ready)
            done.append(ready)
    return done


def _reached_over(parts: list[BoardPart], classes: list[float]) -> dict[str, list[BoardPart]]:
    """For every tall part the lower ones that the hand reaches over it for, as the board lies for
    them.
    """
    found: dict[str, list[BoardPart]] = defaultdict(list)
    boxes = {part.ref: box_of(part) for part in parts}
    for tall in parts:
        if tall.package.height_mm < TALL_MM:
            continue
        box = boxes[tall.ref]
        middle, half = (
            ((box.x0 + box.x1) / 2, (box.y0 + box.y1) / 2),
            ((box.x1 - box.x0) / 2, (box.y1 - box.y0) / 2),
        )
        for far, angle in zip(parts, classes, strict=True):
            if far.ref == tall.ref or tall.package.height_mm <= 2 * far.package.height_mm:
                continue
            cos, sin = math.cos(math.radians(angle)), math.sin(math.radians(angle))
            dx, dy = middle[0] - far.x_mm, middle[1] - far.y_mm
            dx = dx if far.side == "top" else -dx
            aside, before = (
                dx * cos + dy * sin,
                dx * sin - dy * cos,
            )  # the board is turned back by the class's angle
            wide, deep = (
                abs(cos) * half[0] + abs(sin) * half[1],
                abs(sin) * half[0] + abs(cos) * half[1],
            )
            if abs(aside) < HAND_WIDE_MM / 2 + wide and 0 < before < REACH_MM + deep:
                found[tall.ref].append(far)
    return found


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
        f"{other.ref} stands {with_unit(tall, MM, 1)} high, {with_unit(gap, MM, 1)} away: the hand would not fit beside it"
        if gap <= HAND_MM and tall >= TALL_MM and tall > 2 * low
        else ""
    )


def _fineness(part: BoardPart) -> float:
    return part.package.pitch_mm if len(part.package.lands) > 4 else math.inf


def _finest(part: BoardPart, other: BoardPart, gap: float) -> str:
    """The finer of two fine rows first; the finest before anything beside it."""
    pitch, theirs = _fineness(part), _fineness(other)
    finer = theirs > pitch + 0.01 and (pitch <= _FINE_MM + 1e-6 or theirs <= _COARSE_MM)
    return (
        f"{part.ref} has {with_unit(pitch, MM, '.2g')} pitch: first, with free space around it"
        if finer
        else ""
    )


def _area(part: BoardPart) -> float:
    box: Box = box_of(part)
    return (box.x1 - box.x0) * (box.y1 - box.y0)


def _biggest(part: BoardPart, other: BoardPart, gap: float) -> str:
    return (
        f"{part.ref} is the bigger one" if gap <= HAND_MM and _area(part) > 4 * _area(other) else ""
    )


def _smallest(part: BoardPart, other: BoardPart, gap: float) -> str:
    return (
        f"{part.ref} is the smaller one"
        if gap <= HAND_MM and 4 * _area(part) < _area(other)
        else ""
    )


def _tallest(part: BoardPart, other: BoardPart, gap: float) -> str:
    high, low = part.package.height_mm, other.package.height_mm
    return (
        f"{part.ref} stands {with_unit(high, MM, 1)} high, {other.ref} {low:.1f}"
        if high >= TALL_MM and high > 2 * low
        else ""
    )


_SCHOOL_RULES: dict[str, Callable[[BoardPart, BoardPart, float], str]] = {
    "finest": _finest,
    "tallest": _tallest,
    "biggest": _biggest,
    "smallest": _smallest,
    "nearest": lambda part, other, gap: "",
}


# the search
def _solved(
    problem: _Problem, begun: list[int], since: int, parcels: int, told: Callable[[int], None]
) -> list[int]:
    """The path of least cost found in so many parcels of rounds, as places from 1; goes on from a
    path begun `since` parcels ago.
    """

    cost, groups = problem.costs()
    first, second = problem.pairs()
    path = np.array([0, *begun] if begun else [], dtype=np.int64)
    for parcel in range(since, since + parcels):
        path = loops.best_path(cost, groups, first, second, path, ROUNDS, 12_345 + parcel)
        told(parcel + 1)
    return [int(place) for place in path[1:]]


def _as_in_the_bill(problem: _Problem) -> list[BoardPart]:
    """The plain order: value by value as the bill has them, by name within a value."""
    named = sorted(
        zip(problem.parts, problem.values, strict=True), key=lambda pair: _natural(pair[0].ref)
    )
    rank = {value: number for number, (_, value) in enumerate(named[::-1])}
    return [
        part
        for part, value in sorted(named, key=lambda pair: (-rank[pair[1]], _natural(pair[0].ref)))
    ]


def _natural(ref: str) -> tuple[str, int, str]:
    """R2 before R10."""
    letters = ref.rstrip("0123456789")
    return letters, int(ref[len(letters) :][:9] or 0), ref


def _takes(
    parts: Sequence[BoardPart],
    classes: dict[str, float],
    values: dict[str, str],
    pace: Pace,
    behind: dict[str, list[BoardPart]],
) -> Travel:
    turns = changes = 0
    travel, here = 0.0, (0.0, 0.0)
    at = {part.ref: number for number, part in enumerate(parts)}
    over = len({far.ref for tall, fars in behind.items() for far in fars if at[tall] < at[far.ref]})
    for before, part in zip((None, *parts[:-1]), parts, strict=True):
        travel += math.dist(here, (part.x_mm, part.y_mm))
        here = (part.x_mm, part.y_mm)
        turns += before is not None and classes[before.ref] != classes[part.ref]
        changes += before is None or values[before.ref] != values[part.ref]
    seconds = (
        len(parts) * pace.place_s
        + turns * pace.turn_s
        + changes * pace.value_s
        + travel / TRAVEL_MM_S
    )
    return Travel(turns=turns, values=changes, travel_mm=travel, minutes=seconds / 60, over=over)


def _steps(
    parts: Sequence[BoardPart], classes: dict[str, float], values: dict[str, str], pace: Pace
) -> tuple[Step, ...]:
    """The steps with their times.

    A batch ends after so many parts, and before tack that began with it runs out.
    """
    steps: list[Step] = []
    clock = pasted = 0.0
    batch = in_batch = 0
    for number, part in enumerate(parts):
        before = parts[number - 1] if number else None
        turned = before is None or classes[before.ref] != classes[part.ref]
        new = before is None or values[before.ref] != values[part.ref]
        way = math.dist(
            (before.x_mm, before.y_mm) if before else (0.0, 0.0), (part.x_mm, part.y_mm)
        )
        each = (
            pace.place_s
            + (turned and before is not None) * pace.turn_s
            + new * pace.value_s
            + way / TRAVEL_MM_S
        )
        anew = clock + each - pasted > 3600 * pace.tack_h and in_batch > 0
        if in_batch and (anew or (pace.batch and in_batch >= pace.batch)):
            batch, in_batch = batch + 1, 0
        pasted = clock if anew else pasted
        clock, in_batch = clock + each, in_batch + 1
        steps.append(
            Step(
                ref=part.ref,
                turn_deg=-classes[part.ref] % 360,
                turned=turned,
                new_value=new,
                batch=batch,
                until_min=clock / 60,
                anew=anew,
            )
        )
    return tuple(steps)


def _forced(problem: _Problem, takes: Travel, orientations: int) -> str:
    """Why there are more turns than orientations less one: the rules and wishes between parts that
    lie differently.
    """
    if takes.turns <= orientations - 1:
        return ""
    classes = {part.ref: turn for part, turn in zip(problem.parts, problem.classes, strict=True)}
    across = [
        f"{rule.first} before {rule.second}"
        for rule in problem.rules
        if classes[rule.first] != classes[rule.second]
    ]
    across += [
        f"{wish.ref} after {wish.after or 'nothing'}, as you chose" for wish in problem.wishes
    ]
    return f"{takes.turns} turns for {orientations} orientations, because of {', '.join(across[:4])}{' and others' if len(across) > 4 else ''}"
