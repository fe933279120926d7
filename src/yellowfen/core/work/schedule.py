"""A build on a time line: what waits for what, where the gaps are, what goes off, and what a late
start changes.

One pair of hands: active tasks follow one another, passive ones (warming, cooling, drying) run
beside them. Times are seconds since 1970, given by whoever calls. Laws: no task begins before what
it waits for has ended, nor before now unless it is done; what is done keeps its times.
"""

from collections.abc import Generator, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from yellowfen.core.board.board import Board
from yellowfen.core.part.moisture import floor_life_of
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import CELSIUS, with_unit
from yellowfen.core.source.mark import Mark, constant

OPEN_LIFE_H = constant(
    "stencil_life",
    8.0,
    "h",
    mark=Mark.COMMON_PRACTICE,
    source="open on the stencil about 8 h",
    affects="schedule: paste that dries out",
)
TACK_LIFE_H = constant(
    "tack_life",
    8.0,
    "h",
    mark=Mark.COMMON_PRACTICE,
    source="tack holds 8 to 24 h after printing",
    affects="schedule: paste that dries out",
)
COOL_MIN = constant(
    "minutes_cooling",
    5.0,
    "min",
    mark=Mark.FROM_MEMORY,
    source="untouched until solid, then until it can be held",
    affects="schedule",
)
CLEAN_MIN = constant(
    "minutes_cleaning",
    6.0,
    "min",
    mark=Mark.FROM_MEMORY,
    source="several passes with brush and alcohol, a board",
    affects="schedule",
)
LOOK_MIN = constant(
    "minutes_looking",
    6.0,
    "min",
    mark=Mark.FROM_MEMORY,
    source="all joints of a board under the loupe",
    affects="schedule",
)
TEST_MIN = constant(
    "minutes_testing",
    8.0,
    "min",
    mark=Mark.FROM_MEMORY,
    source="supply rails, current-limited first power",
    affects="schedule",
)
HEAT_SIDE_MIN = constant(
    "minutes_heat_side",
    2.0,
    "min",
    mark=Mark.FROM_MEMORY,
    source="lay the board down, warm it, let it stand",
    affects="schedule",
)
HEAT_PART_MIN = constant(
    "minutes_heat_part",
    0.3,
    "min",
    mark=Mark.FROM_MEMORY,
    source="a part's share of a side's heat",
    affects="schedule",
)
KIT_LINE_MIN = constant(
    "minutes_kit_line",
    0.7,
    "min",
    mark=Mark.FROM_MEMORY,
    source="find a bag, count, lay it out",
    affects="schedule",
)
PREPARE_MIN = constant(
    "minutes_prepare",
    8.0,
    "min",
    mark=Mark.FROM_MEMORY,
    source="clean board and stencil, lay out tools",
    affects="schedule",
)
LEAST_SHARE = constant(
    "least_share_of_board",
    0.25,
    "1",
    mark=Mark.FROM_MEMORY,
    source="loupe, brush and meter are fetched for one part as for many",
    affects="minutes of a rework",
)
LARGE_BODY_MM, LARGE_BAKE_H = 17.0, 96
# Bake at 125 °C in hours by class, for bodies up to 1.4 mm, 2.0 mm and 4.5 mm: J-STD-033, as
# remembered.
BAKE_125_H = {
    "2": (5, 18, 48),
    "2a": (7, 21, 48),
    "3": (9, 27, 48),
    "4": (11, 34, 48),
    "5": (12, 40, 48),
    "5a": (16, 48, 48),
}


@dataclass(frozen=True, kw_only=True)
class ScheduleTask:
    """One thing to do: minutes, whether it needs hands, what it waits for, and why it stands there."""

    key: str
    name: str
    minutes: float
    passive: bool = False
    after: tuple[str, ...] = ()
    why: str = ""


@dataclass(frozen=True)
class Planned:
    """A task in time; `done` with its real times."""

    task: ScheduleTask
    start_s: float
    end_s: float
    done: bool = False


@dataclass(frozen=True)
class Gap:
    """Time with idle hands, and what they wait for."""

    start_s: float
    end_s: float
    waits_for: str


@dataclass(frozen=True)
class Warning_:
    """Something that goes off, when, and what to do."""

    at_s: float
    sentence: str


@dataclass(frozen=True)
class Schedule:
    """All tasks in time, idle gaps of five minutes and more, what goes off."""

    tasks: tuple[Planned, ...]
    gaps: tuple[Gap, ...]
    warnings: tuple[Warning_, ...]

    @property
    def start_s(self) -> float:
        return min((one.start_s for one in self.tasks), default=0.0)

    @property
    def end_s(self) -> float:
        return max((one.end_s for one in self.tasks), default=0.0)

    @property
    def hands_min(self) -> float:
        """Minutes that need hands, of what is not done yet."""
        return sum(
            (one.end_s - one.start_s) / 60
            for one in self.tasks
            if not one.task.passive and not one.done
        )


@dataclass(frozen=True, kw_only=True)
class Build:
    """What is to be scheduled: boards, sides in their order with minutes a board, warm-up, iron
    work, mends, washing and drying (minutes); `share` of a board's joints that it is about.
    """

    boards: int
    sides: tuple[str, ...]
    stencil: bool
    warm_h: float
    kit_lines: int
    set_up_min: float
    paste_min: Mapping[str, float] = field(default_factory=dict)
    place_min: Mapping[str, float] = field(default_factory=dict)
    heat_min: Mapping[str, float] = field(default_factory=dict)
    iron_min: float = 0.0
    late_iron_min: float = 0.0
    mend_min: float = 0.0
    wash: bool = True
    dry_min: float = 0.0
    pace: float = 1.0
    share: float = 1.0

    def __post_init__(self) -> None:
        in_range("boards", self.boards, 1, 200)
        in_range("warm_h", self.warm_h, 0, 48, "h")
        in_range("pace", self.pace, 0.2, 10)


def share_of_whole(share: float) -> float:
    """How much of a whole board's looking, cleaning and testing a part of its joints takes: the
    tools are laid out for one joint as well.
    """
    return max(share, LEAST_SHARE)


def tasks_of(build: Build) -> tuple[ScheduleTask, ...]:
    """The tasks of a build in the order in which one pair of hands takes them."""
    return tuple(_tasks(build))


def _tasks(build: Build) -> Iterator[ScheduleTask]:
    last = yield from _laid_out(build)
    for side in build.sides:
        last = yield from _on_side(build, side, last)
    last = yield from _put_right(build, last)
    yield from _cleaned_and_tested(build, last)


_Steps = Generator[ScheduleTask, None, tuple[str, ...]]  # tasks, and what the next wait for


def _laid_out(build: Build) -> _Steps:
    """Paste out of the fridge, the kit, boards and tools."""
    pace, paste = build.pace, bool(build.sides)
    if paste:
        yield ScheduleTask(
            key="warm",
            name="Paste out of the fridge, closed",
            minutes=60 * build.warm_h,
            passive=True,
            after=(),
            why="cold paste is stiff and collects dew; it warms by itself",
        )
    yield ScheduleTask(
        key="kit",
        name="Kit the parts",
        minutes=pace * KIT_LINE_MIN * build.kit_lines,
        passive=False,
        after=(),
        why="while the paste warms",
    )
    foil = " and stencil" if build.stencil else ""
    prepare = PREPARE_MIN * share_of_whole(build.share)
    yield ScheduleTask(
        key="prepare", name=f"Clean boards{foil}, lay out tools", minutes=pace * prepare
    )
    last: tuple[str, ...] = ("prepare", "kit")
    if paste:
        yield ScheduleTask(
            key="open",
            name="Open and stir the paste",
            minutes=2 * pace,
            passive=False,
            after=("warm", "prepare"),
            why="from now on it dries",
        )
        last = ("open", "kit")
    return last


def _on_side(build: Build, side: str, last: tuple[str, ...]) -> _Steps:
    """Paste, parts and heat of one side, board after board."""
    if build.stencil:
        yield ScheduleTask(
            key=f"fixture {side}",
            name=f"Print set-up, {side}",
            minutes=build.pace * build.set_up_min,
            passive=False,
            after=last,
            why="scraps, tape, stencil aligned at two far corners",
        )
        last = (f"fixture {side}",)
    for number in range(1, build.boards + 1):
        yield from _board(build, side, number, last)
    return tuple(f"cool {side} {number}" for number in range(1, build.boards + 1))


def _board(build: Build, side: str, number: int, last: tuple[str, ...]) -> Iterator[ScheduleTask]:
    """One board's paste, parts and heat on one side, and its cooling."""
    name = f"board {number}, {side}" if build.boards > 1 else side
    yield ScheduleTask(
        key=f"paste {side} {number}",
        name=f"{'Print' if build.stencil else 'Dot'} {name}",
        minutes=build.pace * build.paste_min.get(side, 2.0),
        passive=False,
        after=last,
    )
    yield ScheduleTask(
        key=f"place {side} {number}",
        name=f"Place {name}",
        minutes=build.pace * build.place_min.get(side, 10.0),
        passive=False,
        after=(f"paste {side} {number}",),
    )
    yield ScheduleTask(
        key=f"heat {side} {number}",
        name=f"Heat {name}",
        minutes=build.pace * build.heat_min.get(side, 5.0),
        passive=False,
        after=(f"place {side} {number}",),
    )
    yield ScheduleTask(
        key=f"cool {side} {number}",
        name=f"Cool {name}, do not touch",
        minutes=COOL_MIN,
        passive=True,
        after=(f"heat {side} {number}",),
    )


def _many(build: Build) -> tuple[str, float]:
    """The boards in words, and what a minute a board comes to."""
    many = f"{build.boards} boards" if build.boards > 1 else "the board"
    return many, build.pace * build.boards * share_of_whole(build.share)


def _put_right(build: Build, last: tuple[str, ...]) -> _Steps:
    """Looking, what did not come out, and the parts by iron."""
    (many, each), pace = _many(build), build.pace
    yield ScheduleTask(
        key="look",
        name=f"Inspect {many}",
        minutes=each * LOOK_MIN,
        passive=False,
        after=last,
    )
    last = ("look",)
    if build.mend_min > 0:
        yield ScheduleTask(
            key="mend",
            name="Touch up bad joints",
            minutes=pace * build.mend_min * build.boards,
            after=last,
            why="by the odds of the methods",
        )
        last = ("mend",)
    if build.iron_min > 0:
        yield ScheduleTask(
            key="iron",
            name="Parts by iron",
            minutes=pace * build.iron_min * build.boards,
            passive=False,
            after=last,
        )
        last = ("iron",)
    return last


def _cleaned_and_tested(build: Build, last: tuple[str, ...]) -> Iterator[ScheduleTask]:
    """Washing and drying, what goes on afterwards, tests."""
    (many, each), pace = _many(build), build.pace
    if build.wash:
        yield ScheduleTask(
            key="clean",
            name=f"Clean {many}",
            minutes=each * CLEAN_MIN,
            passive=False,
            after=last,
            why="before parts that alcohol would damage",
        )
        yield ScheduleTask(
            key="dry", name="Dry", minutes=build.dry_min, passive=True, after=("clean",)
        )
    before = ("dry",) if build.wash else last
    if build.late_iron_min > 0:
        yield ScheduleTask(
            key="late iron",
            name="Heat-sensitive parts by iron, last",
            minutes=pace * build.late_iron_min * build.boards,
            passive=False,
            after=before,
        )
        before = ("late iron",)
    yield ScheduleTask(
        key="test",
        name=f"Test {many}",
        minutes=each * TEST_MIN,
        passive=False,
        after=before,
        why="supplies first, then limited current",
    )


def schedule(
    tasks: Sequence[ScheduleTask],
    start_s: float,
    now_s: float | None = None,
    done: Mapping[str, tuple[float, float]] | None = None,
) -> Schedule:
    """Tasks laid in time from a start; what is done (key to its real start and end) stays, the rest
    begins no sooner than now.
    """
    done, ends = done or {}, {}
    free = start_s if now_s is None else max(start_s, now_s)
    planned: list[Planned] = []
    gaps: list[Gap] = []
    for task in tasks:
        if task.key in done:
            begin, end = done[task.key]
            ends[task.key] = end
            planned.append(Planned(task, begin, end, True))
            continue
        waits = [(ends[key], key) for key in task.after if key in ends]
        ready = max([(start_s, ""), *waits])
        earliest = max(ready[0], start_s if now_s is None else max(start_s, now_s))
        begin = earliest if task.passive else max(earliest, free)
        end = begin + 60 * task.minutes
        ends[task.key] = end
        planned.append(Planned(task, begin, end))
        if not task.passive:
            if begin - free >= 300 and any(
                not one.done and not one.task.passive for one in planned[:-1]
            ):
                name = next((one.task.name for one in planned if one.task.key == ready[1]), "")
                gaps.append(Gap(free, begin, name))
            free = end
    return Schedule(tuple(planned), tuple(gaps), ())


def start_for(tasks: Sequence[ScheduleTask], finish_s: float) -> float:
    """When to start so that all is done by a time."""
    return finish_s - schedule(tasks, 0.0).end_s


@dataclass(frozen=True, kw_only=True)
class Bag:
    """A moisture-marked part and when its bag was opened (seconds since 1970)."""

    ref: str
    name: str
    height_mm: float
    life: str
    hours: float | None
    assumed: bool
    edge_mm: float = 0.0


def bags_of(board: Board) -> tuple[Bag, ...]:
    """Parts whose bodies water bursts, shortest life first."""
    found = []
    for part in board.parts:
        life = floor_life_of(part.package)
        if life is not None and life.hours is not None:
            found.append(
                Bag(
                    ref=part.ref,
                    name=part.package.name,
                    height_mm=part.package.height_mm,
                    life=life.name,
                    hours=life.hours,
                    assumed=life.assumed,
                    edge_mm=min(part.package.body_x_mm, part.package.body_y_mm),
                )
            )
    return tuple(sorted(found, key=lambda one: one.hours or 0.0))


def bake_h(life: str, height_mm: float, edge_mm: float = 0.0) -> int | None:
    """Hours at 125 °C for a class and body thickness up to 4.5 mm, None where there is no entry
    (class 6: as its label says).

    Bodies over 17 × 17 mm (`edge_mm`: the shorter edge), and stacked ones, take 96 h [J-STD-033, as
    remembered]. Reels and tubes do not take 125 °C.
    """
    row = BAKE_125_H.get(life)
    if row is None or not height_mm <= 4.5:
        return None
    if edge_mm > LARGE_BODY_MM:
        return LARGE_BAKE_H
    return row[0 if height_mm <= 1.4 else 1 if height_mm <= 2.0 else 2]


def what_goes_off(
    found: Schedule, now_s: float | None, bags: Sequence[Bag] = (), opened_h_ago: float = 0.0
) -> tuple[Warning_, ...]:
    """Paste open too long, tack gone before the heat, floor lives passed, each with what to do;
    soonest first.
    """
    by_key = {one.task.key: one for one in found.tasks}
    said = [
        *_paste(by_key),
        *_tack(by_key),
        *_floor(by_key, bags, opened_h_ago, found.start_s if now_s is None else now_s),
    ]
    return tuple(sorted(said, key=lambda one: one.at_s))


def _paste(tasks: Mapping[str, Planned]) -> Iterator[Warning_]:
    prints = [one for key, one in tasks.items() if key.startswith("paste ")]
    if "open" in tasks and prints:
        limit = tasks["open"].end_s + 3600 * OPEN_LIFE_H
        late = [one for one in prints if one.end_s > limit]
        if late:
            yield Warning_(
                limit,
                f"Paste open for {OPEN_LIFE_H:g} h by then; {late[0].task.name} comes later: use fresh paste, clean the stencil.",
            )


def _tack(tasks: Mapping[str, Planned]) -> Iterator[Warning_]:
    for key, one in tasks.items():
        heat = tasks.get(key.replace("paste ", "heat ", 1))
        if key.startswith("paste ") and heat and heat.end_s - one.end_s > 3600 * TACK_LIFE_H:
            yield Warning_(
                one.end_s + 3600 * TACK_LIFE_H,
                f"{heat.task.name}: more than {TACK_LIFE_H:g} h after its paste; parts no longer stick: wipe it off and paste again.",
            )


def _floor(
    tasks: Mapping[str, Planned], bags: Sequence[Bag], opened_h_ago: float, now_s: float
) -> Iterator[Warning_]:
    heats = [one.end_s for key, one in tasks.items() if key.startswith("heat ")]
    if not heats:
        return
    for bag in bags:
        until = now_s + 3600 * ((bag.hours or 0.0) - opened_h_ago)
        if max(heats) > until:
            bake = bake_h(bag.life, bag.height_mm, bag.edge_mm)
            how = (
                f"bake it first, {bake} h at {with_unit(125, CELSIUS)} [from memory; reels and tubes do not take it; the label comes first]"
                if bake
                else "bake it first, as its label says"
            )
            yield Warning_(
                until,
                f"{bag.ref} ({bag.name}, moisture class {bag.life}{', assumed' if bag.assumed else ''}) may not stay open any longer: {how}.",
            )
