"""Ready and Place: what to do with each part, which side first, when, with what, and in which
order; placement runs.
"""

import json
import sqlite3
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from hashlib import blake2b
from itertools import pairwise

from yellowfen.core.bench.station import ToolKind
from yellowfen.core.board.board import Board
from yellowfen.core.deposit.by_hand import DOT_S
from yellowfen.core.deposit.hand_plan import HandPlan
from yellowfen.core.heat.heat_plan import SourceKind
from yellowfen.core.heat.iron import LONGEST_S
from yellowfen.core.heat.source import Iron, TipShape
from yellowfen.core.metal.lot import Lot
from yellowfen.core.metal.paste_warming import WarmUp, container_of, warm_up
from yellowfen.core.quantity.dew import dew_point_c
from yellowfen.core.quantity.number import typed_number
from yellowfen.core.quantity.units import CELSIUS, MM, with_unit
from yellowfen.core.quantity.wording import listed
from yellowfen.core.run.hand_paste import PASTE
from yellowfen.core.run.kit import KIT
from yellowfen.core.run.machine import PAUSE_S, each_s
from yellowfen.core.run.placing import PLACE
from yellowfen.core.work.estimate import (
    Each,
    Estimate,
    Paces,
    StageMinutes,
    first_pass_share,
    learnt,
    stage,
)
from yellowfen.core.work.iron_rows import USUAL_NEED_S, IronRow, row_plans, rows_of, usual_need_s
from yellowfen.core.work.job import Job, Purpose
from yellowfen.core.work.kit import KitAnswer, Line, kit
from yellowfen.core.work.order import PLACE_S, TURN_S, VALUE_S, Order, Pace, Wish, placement_order
from yellowfen.core.work.ready_plan import ReadyPlan
from yellowfen.core.work.schedule import (
    HEAT_PART_MIN,
    HEAT_SIDE_MIN,
    Bag,
    Build,
    Schedule,
    ScheduleTask,
    bags_of,
    schedule,
    start_for,
    tasks_of,
    what_goes_off,
)
from yellowfen.core.work.technique import (
    IRON_WAYS,
    REPAIR_MIN_EACH,
    BenchTools,
    PartWay,
    Techniques,
    Way,
    by_iron,
    techniques,
)
from yellowfen.core.work.two_sides import TwoSides, two_sides
from yellowfen.errors import InvalidValue, Refused
from yellowfen.store import bench_runs, jobs, materials, stations, tasks, tools, work
from yellowfen.store import ready as stored
from yellowfen.store.database import asked_once, atomic
from yellowfen.store.kept import Bounded, kept_of
from yellowfen.store.packing import unpack
from yellowfen.workflows.heat import touch_joint
from yellowfen.workflows.ledger import done_tasks
from yellowfen.workflows.long_work import ORDER
from yellowfen.workflows.paste import PasteState, dotting, needles_at_hand, paste_state
from yellowfen.workflows.washing import cleaning_state


class Orders:
    """Orders of placing by what they were asked for."""

    def __init__(self) -> None:
        self.by_question: Bounded[Order] = Bounded(40)


# Orders being worked out: rounds done and all, by job and side; told to whoever asks while a large
# board is ordered.
PACE_SINCE = "pace_since"
LARGE = 150  # parts on a side from which an order is not worked out within a page


@dataclass(frozen=True, kw_only=True)
class ReadyState:
    """A job's Ready stage as it stands."""

    paste: PasteState
    plan: ReadyPlan
    tools: BenchTools
    techniques: Techniques
    sides: TwoSides

    @property
    def board(self) -> Board:
        return self.paste.board

    @property
    def whole(self) -> Board:
        """The board with all its parts, for the plan."""
        return self.paste.whole

    @property
    def share(self) -> float:
        """Share of the board's joints that the job is about, 0..1."""
        mine, every = (
            sum(len(part.package.lands) for part in board.parts)
            for board in (self.board, self.whole)
        )
        return mine / every if every else 1.0

    @property
    def ways(self) -> tuple[PartWay, ...]:
        return self.techniques.ways

    def way(self, ref: str) -> PartWay:
        """A part's way. Raises InvalidValue for a part that is not there."""
        found = next((one for one in self.ways if one.part.ref == ref), None)
        if found is None:
            raise InvalidValue("ref", f"there is no part {ref[:20]} on this board")
        return found

    def way_by_iron(self, ref: str) -> PartWay:
        """A part as it is done by iron, whatever its way. Raises InvalidValue for a part that is
        not there, Refused for one whose joints no tip reaches.
        """
        pads = [pad for pad in self.whole.pads if pad.ref == ref]
        metal = self.paste.paste.metal
        return by_iron(self.way(ref), pads, metal, bench=self.tools, wishes=self.plan.ways())

    @property
    def by_iron(self) -> frozenset[str]:
        """Parts that are not placed on paste."""
        return frozenset(one.part.ref for one in self.ways if one.chosen.way in IRON_WAYS)

    @property
    def by_bumps(self) -> frozenset[str]:
        """Parts that are placed on bumps made with an iron, not on paste."""
        return frozenset(one.part.ref for one in self.ways if one.chosen.way is Way.BUMPS_AIR)


MOST_TURNS = 3  # ways hang on the side that is heated second, and that on the ways


@asked_once
def ready_state(connection: sqlite3.Connection, job_id: int) -> ReadyState:
    """The stage of a job as kept."""
    paste, plan = paste_state(connection, job_id), stored.ready_plan_of(connection, job_id)
    plan = replace(plan, schools={**stored.bench_schools(connection), **plan.schools})
    job = paste.job
    bench = bench_tools(connection, paste.board)
    if job.purpose is not Purpose.BUILD:
        bench = replace(bench, stencil=False)  # a board with its parts on cannot be printed
    wishes = replace(plan.ways(), left=left_to_iron(job))
    sides = two_sides(paste.board)
    for _ in range(MOST_TURNS):
        # Each part is judged with its neighbours, whether the job is about them or not.
        chosen = techniques(
            paste.whole,
            paste.paste,
            bench,
            wishes=wishes,
            second=sides.second,
            boards=plan.boards,
            costs=paste.plan.costs,
        )
        chosen = replace(chosen, ways=tuple(one for one in chosen.ways if job.about(one.part.ref)))
        asked, sides = sides.second, two_sides(paste.board, chosen.ways)
        if sides.second == asked:
            break
    else:  # ways and sides swap each other for ever: the sides that the ways were chosen for
        sides = two_sides(paste.board, chosen.ways, second=asked)
    if job.purpose is not Purpose.BUILD:
        said = "a board with its parts on cannot be printed"
        chosen = replace(chosen, stencil_why=said, weighed=None)
    return ReadyState(
        paste=paste,
        plan=plan,
        tools=bench,
        techniques=chosen,
        sides=sides,
    )


def left_to_iron(job: Job) -> frozenset[str]:
    """Parts of a build that its heats leave to go on afterwards and that no heat has."""
    if job.purpose is not Purpose.BUILD:
        return frozenset()
    later = {ref for heat in job.heats for ref in heat.plan.absent}
    return frozenset(later - {ref for heat in job.heats for ref in heat.plan.targets})


def bench_tools(connection: sqlite3.Connection, board: Board) -> BenchTools:
    """What the bench has; an empty bench is taken to have hot air and an iron."""
    kinds = {tool.kind for tool in tools.rows(connection)}
    air = bool(stations.rows(connection)) or not kinds
    return BenchTools(
        stencil=bool(board.openings),
        air=air,
        plate=ToolKind.PLATE in kinds,
        iron=True,
        tips=bench_irons(connection),
        shaky=stored.bench_setting(connection, stored.HANDS) == "shaky",
        needles=needles_at_hand(connection),
    )


def lacking_tools(connection: sqlite3.Connection) -> tuple[str, ...]:
    """What the bench lacks, and what that means for the jobs that are open; nothing is asked for
    that no job needs.
    """
    kinds = {tool.kind for tool in tools.rows(connection)}
    open_jobs = jobs.rows(connection)
    if not kinds and not stations.rows(connection):
        return (
            "Nothing is entered yet: hot air and an iron are assumed. Enter what you own; methods that need anything else are then left out.",
        )

    def heated_by(source: SourceKind) -> str:
        return listed(
            (
                job.name
                for job in open_jobs
                if any(heat.plan.source is source for heat in job.heats)
            ),
            most=3,
        )

    said = []
    if not stations.rows(connection):
        needed = heated_by(SourceKind.AIR)
        said.append(
            "No hot air on this bench: methods with hot air are left out"
            + (f". It is still planned in {needed}" if needed else "")
        )
    if ToolKind.PLATE not in kinds:
        needed = heated_by(SourceKind.PLATE)
        said += [f"No hot plate on this bench, but one is used by {needed}"] if needed else []
    if ToolKind.OVEN not in kinds:
        needed = heated_by(SourceKind.OVEN)
        said += [f"No oven on this bench, but one is used by {needed}"] if needed else []
    if open_jobs and ToolKind.IRON not in kinds:
        said.append(
            f"No iron on this bench: a 1.6 mm chisel at {with_unit(340, CELSIUS)} is assumed for touch-up"
        )
    return tuple(f"{one}." for one in said)


def keep_ready_plan(connection: sqlite3.Connection, job_id: int, plan: ReadyPlan) -> None:
    """Store the stage's settings. Raises NotFound for an unknown job."""
    paste_state(connection, job_id)
    stored.keep_ready_plan(connection, job_id, plan)


def choose_way(
    connection: sqlite3.Connection, job_id: int, way: str, ref: str = "", package: str = ""
) -> None:
    """The user's way for a part or for a package; an empty way forgets the choice.

    Refused when it would ruin the part.

    Raises InvalidValue for a part or way that does not exist.
    """
    state = ready_state(connection, job_id)
    parts = [
        one
        for one in state.ways
        if one.part.ref == ref or (package and one.part.package.name == package)
    ]
    if not parts:
        raise InvalidValue("ref", f"there is no part {ref or package} on this board")
    if way:
        offers = [offer for one in parts for offer in one.offers if offer.way == way]
        if not offers:
            raise InvalidValue("way", f"{way[:40]!r} is not a method of soldering")
        refused = next((offer.refused for offer in offers if offer.refused), "")
        if refused:
            raise Refused(f"{ref or package}: {way} is not possible: {refused}")
    plan = stored.ready_plan_of(connection, job_id)
    by_part, by_package = dict(plan.way_parts), dict(plan.way_packages)
    chosen = by_part if ref else by_package
    chosen.pop(ref or package, None)
    if way:
        chosen[ref or package] = way
    with atomic(connection):
        keep_ready_plan(
            connection, job_id, replace(plan, way_parts=by_part, way_packages=by_package)
        )
        if way and way not in IRON_WAYS:
            _not_left(connection, state.paste.job, {one.part.ref for one in parts})


def _not_left(connection: sqlite3.Connection, job: Job, refs: set[str]) -> None:
    """Heats that left parts to the iron do so no more: they were chosen to be done otherwise."""
    for heat in job.heats:
        if refs & set(heat.plan.absent):
            absent = tuple(ref for ref in heat.plan.absent if ref not in refs)
            jobs.keep_heat(connection, heat.id, replace(heat.plan, absent=absent))


def keep_schools_for_bench(connection: sqlite3.Connection, job_id: int) -> None:
    """The schools of this job become the bench's: jobs that say nothing else follow them."""
    with atomic(connection):
        stored.keep_bench_schools(connection, ready_state(connection, job_id).plan.schools)


# the iron
DRAWN = frozenset((Way.DRAG, Way.FLOOD))


def iron_for(connection: sqlite3.Connection, way: PartWay) -> Iron:
    """The iron of a part's card: the tip that its way names, at the card's setting."""
    card = way.card
    irons = bench_irons(connection)
    own = next(
        (one for one in irons if f"{with_unit(one.tip_mm, MM)} {one.shape}" == card.tip), None
    )
    if own is None:
        width, _, shape = card.tip.partition(" mm ")
        own = (
            replace(
                bench_iron(connection), tip_mm=typed_number("tip", width), shape=TipShape(shape)
            )
            if shape
            else bench_iron(connection)
        )
    return own if card.iron_c is None else replace(own, set_c=card.iron_c)


def bench_irons(connection: sqlite3.Connection) -> tuple[Iron, ...]:
    """All irons of the bench."""
    return tuple(tool.content for tool in tools.rows(connection) if isinstance(tool.content, Iron))


def bench_iron(connection: sqlite3.Connection) -> Iron:
    """The bench's first iron, or a usual one."""
    return next(
        (tool.content for tool in tools.rows(connection) if isinstance(tool.content, Iron)),
        Iron(tip_mm=1.6, set_c=340.0),
    )


@dataclass(frozen=True)
class IronRows:
    """Rows of a part by iron; `need_s` by tie, worked out for this board or usual; `never`: ties
    this tip does not wet in time.
    """

    rows: tuple[IronRow, ...]
    need_s: dict[str, float]
    measured: bool
    never: tuple[str, ...] = ()


def card_need(
    connection: sqlite3.Connection, state: ReadyState, ref: str, iron: Iron
) -> dict[str, float | None]:
    """Seconds until a pin in the middle of the part's first row is wet under the card's iron, by
    how it is tied; None if not in time (seconds of work).

    Raises InvalidValue for a part without rows of leads.
    """
    rows = rows_of(state.way(ref).part.package)
    if not rows:
        raise InvalidValue("ref", f"{ref} has no rows of leads")
    kept = state.paste.job
    job = kept.with_plan(replace(kept.plan, alloy=state.paste.paste.alloy))
    pin = rows[0][len(rows[0]) // 2].pin
    seen = {
        tie: touch_joint(connection, job, iron, ref=ref, pin=pin, tie=tie) for tie in USUAL_NEED_S
    }
    return {tie: one.wets_s if one else None for tie, one in seen.items()}


def iron_rows(
    state: ReadyState, way: PartWay, measured: Mapping[str, float | None] | None = None
) -> IronRows:
    """Rows of a part by iron with the seconds a joint needs: usual ones, or those `measured` for
    this board (`card_need`). `way` is one of the iron's.
    """
    part = way.part
    if way.chosen.way not in DRAWN:
        return IronRows((), {}, False, ())
    need, never = usual_need_s(way.card.iron_c or 340.0, state.paste.paste.metal.liquidus_c), []
    for tie, seconds in (measured or {}).items():
        need[tie] = LONGEST_S if seconds is None else seconds
        never += [tie] if seconds is None else []
    pads = {pad.pin or "": pad for pad in state.board.pads if pad.ref == part.ref}
    return IronRows(
        row_plans(part.package, pads, state.paste.paste.metal, need),
        need,
        measured is not None,
        tuple(never),
    )


# pace from the user's own log
@asked_once
def own_paces(connection: sqlite3.Connection) -> Paces:
    """Times each, drawn from the user's own placement and dotting runs since the pace was last
    forgotten.
    """
    since = stored.bench_setting(connection, PACE_SINCE)
    placed = [
        seconds
        for run in bench_runs.rows(connection, PLACE, 30)
        if run.started_at > since
        for seconds in each_s(run.script, run.taps)
    ]
    return Paces(
        place=learnt(PLACE_S, placed),
        dot=learnt(DOT_S, _seconds_per_dot(connection, since)),
        turn=Each(TURN_S, 0.55),
        value=Each(VALUE_S, 0.55),
    )


def forget_pace(connection: sqlite3.Connection, forget: bool) -> None:
    """Let the pace measured so far count no more, or let it count again."""
    now = connection.execute("SELECT datetime('now')").fetchone()[0]
    stored.keep_bench_setting(connection, PACE_SINCE, str(now) if forget else "")


def pace_forgotten(connection: sqlite3.Connection) -> str:
    """Since when the pace is measured anew, "" for always."""
    return stored.bench_setting(connection, PACE_SINCE)


def _seconds_per_dot(connection: sqlite3.Connection, since: str) -> list[float]:
    """Seconds a dot of the newest runs: from tap to tap over the step's spots; pauses left out."""
    spent = []
    for run in bench_runs.rows(connection, PASTE, 20):
        if run.started_at <= since:
            continue
        steps = run.planned(HandPlan).steps
        for before, tap in pairwise(run.taps):
            step, seconds = steps[int(tap.cue)], (tap.at_ms - before.at_ms) / 1000
            if step.way == "dots" and 0.2 < seconds < PAUSE_S:
                spent.append(seconds / len(step.spots))
    return spent


# the order
def _school_and_pace(connection: sqlite3.Connection, state: ReadyState) -> tuple[str, Pace]:
    """By which school and how fast a job's parts are placed."""
    pace = state.plan.order_pace(own_paces(connection).place.seconds)
    return state.plan.ways().schools.of("order").name, pace


def order_asked(connection: sqlite3.Connection, state: ReadyState, side: str) -> str:
    """All that an order depends on, as JSON text: the side, and a digest of the rest."""
    parts = [
        (
            part.ref,
            part.x_mm,
            part.y_mm,
            part.rotation_deg,
            part.side,
            part.value,
            part.package.name,
        )
        for part in state.board.parts
    ]
    rest = (
        parts,
        _school_and_pace(connection, state),
        sorted(state.by_iron),
        state.plan.wishes,
    )
    digest = blake2b(repr(rest).encode(), digest_size=16).hexdigest()
    return json.dumps({"side": side, "of": digest})


def order_ready(connection: sqlite3.Connection, state: ReadyState, side: str) -> bool:
    """False while a large board's order has still to be worked out."""
    count = sum(part.side == side and part.ref not in state.by_iron for part in state.board.parts)
    return count <= LARGE or _kept_order(connection, state, side) is not None


def _kept_order(connection: sqlite3.Connection, state: ReadyState, side: str) -> Order | None:
    """An order from memory, or as the worker left it."""
    job_id, asked = state.paste.job.id, order_asked(connection, state, side)
    orders = kept_of(connection, Orders).by_question
    if (known := orders.get(asked)) is not None:
        return known
    task = tasks.asked_last(connection, job_id, ORDER, asked)
    if task is None or task.state != work.DONE or not task.steps:
        return None
    orders[asked] = order = unpack(Order, task.steps[-1])
    return order


def order_of(
    connection: sqlite3.Connection,
    state: ReadyState,
    side: str,
    told: Callable[[int, int], None] | None = None,
) -> Order:
    """The placement order of a side, from memory when nothing changed; `told` hears of rounds done
    and of how many.
    """
    kept = _kept_order(connection, state, side)
    if kept is not None:
        return kept
    school, pace = _school_and_pace(connection, state)
    found = placement_order(
        state.board,
        side,
        school,
        pace=pace,
        wishes=state.plan.wishes,
        skip=state.by_iron,
        told=told,
    )
    kept_of(connection, Orders).by_question[order_asked(connection, state, side)] = found
    return found


def dot_plan(
    connection: sqlite3.Connection, state: ReadyState, side: str, *, ordered: bool = False
) -> HandPlan:
    """Paste by hand for the parts of a side that are placed on it, in batches as they are placed,
    at the job's seconds a dot; no more at a time than are placed before tack runs out. The order of
    a large board is waited for only when it must be `ordered`; without it all is dotted at once.
    """
    rounds: dict[str, int] = {}
    if ordered or order_ready(connection, state, side):
        number = 0
        for step in order_of(connection, state, side).steps:
            number += step.anew
            rounds[step.ref] = number
    plan = dotting(
        connection,
        state.paste,
        side,
        skip=state.by_iron | state.by_bumps,
        batch=state.plan.batch,
        rounds=rounds,
    )
    pace = state.paste.plan.costs.dot_s / DOT_S
    steps = tuple(replace(step, seconds=pace * step.seconds) for step in plan.steps)
    return replace(plan, steps=steps)


def wish(connection: sqlite3.Connection, job_id: int, ref: str, after: str | None) -> None:
    """The user's exception: a part right after another (first of all for ""); None takes its
    exception back; ref "" takes back all.

    Raises InvalidValue for parts that are not there, on the other side, or the same.
    """
    state, plan = ready_state(connection, job_id), stored.ready_plan_of(connection, job_id)
    if not ref:
        keep_ready_plan(connection, job_id, replace(plan, wishes=()))
        return
    sides = {part.ref: part.side for part in state.board.parts}
    if ref not in sides or (after and after not in sides):
        raise InvalidValue(
            "ref",
            f"there is no part {(ref if ref not in sides else after or '')[:20]} on this board",
        )
    if after and sides[after] != sides[ref]:
        raise InvalidValue("after", f"{after} is on the other side of the board")
    if after == ref:
        raise InvalidValue("after", "a part cannot come after itself")
    kept = tuple(
        one for one in plan.wishes if one.ref != ref and (after is None or one.after != after)
    )
    keep_ready_plan(
        connection,
        job_id,
        replace(plan, wishes=kept if after is None else (*kept, Wish(ref, after))),
    )


# time
def lot_of(connection: sqlite3.Connection, state: ReadyState) -> Lot | None:
    """The lot the Paste stage works from, if one is chosen."""
    wanted = state.paste.plan.lot_id
    return (
        next((one for one in materials.lots(connection) if one.id == wanted), None)
        if wanted
        else None
    )


def warming(connection: sqlite3.Connection, state: ReadyState) -> tuple[WarmUp | None, str]:
    """How long this container takes from the cold, or why there is nothing to wait for."""
    plan, lot = state.plan, lot_of(connection, state)
    kind, grams = (lot.container, max(lot.left_g, 0.5)) if lot else (plan.container, plan.grams)
    dew = dew_point_c(plan.room_c, plan.humidity)
    try:
        return warm_up(
            container_of(kind, grams, state.paste.paste),
            state.paste.paste,
            plan.fridge_c,
            plan.room_c,
            dew,
        ), ""
    except InvalidValue as nothing:
        return None, str(nothing)


# What the minutes of a build are told by: the tasks of its schedule, under these names.
_STAGES = {
    "kit": "Kit",
    "prepare": "Prepare",
    "open": "Prepare",
    "fixture": "Paste, stencil",
    "place": "Place",
    "heat": "Heat",
    "iron": "By iron",
    "late iron": "By iron",
    "look": "Inspect, clean, test",
    "clean": "Inspect, clean, test",
    "test": "Inspect, clean, test",
    "mend": "Touch-up",
}


def estimate_of(connection: sqlite3.Connection, state: ReadyState) -> Estimate:
    """Minutes by stage for all boards, as the schedule has them; mends, and the share of boards
    right at first.
    """
    paces, ways = own_paces(connection), state.ways
    pasting = f"Paste, {'stencil' if state.techniques.stencil else 'by hand'}"
    minutes: dict[str, float] = {}
    for task in tasks_of(build_of(connection, state)):
        kind = task.key if task.key in _STAGES else task.key.split()[0]
        if not task.passive:
            name = _STAGES.get(kind, pasting)
            minutes[name] = minutes.get(name, 0.0) + task.minutes
    measured = {"Place": paces.place, "Paste, by hand": paces.dot}
    reference = Each(1.0, paces.turn.spread)
    stages = []
    for name, middle in minutes.items():
        each = measured.get(name, reference)
        stages.append(StageMinutes(name, middle, each.spread, stage("", 1, each).source))
    odds = [one.chosen.odds for one in ways]
    return Estimate(tuple(stages), state.plan.boards * sum(odds), first_pass_share(odds))


def _dot_min(connection: sqlite3.Connection, state: ReadyState, side: str) -> float:
    """Minutes of a side's dots, at the pace measured where one was."""
    own, asked_s = own_paces(connection).dot, state.paste.plan.costs.dot_s
    pace = own.seconds / asked_s if own.own else 1.0
    return pace * dot_plan(connection, state, side).seconds / 60


def build_of(connection: sqlite3.Connection, state: ReadyState) -> Build:
    """What is to be scheduled."""
    plan, costs = state.plan, state.paste.plan.costs
    pasted = [one for one in state.ways if one.chosen.way not in IRON_WAYS]
    sides = tuple(
        side
        for side in (state.sides.first, state.sides.second)
        if side and any(one.part.side == side for one in pasted)
    )
    warm, _ = warming(connection, state)
    paste_min = {
        side: costs.print_min / costs.panel
        if state.techniques.stencil
        else _dot_min(connection, state, side)
        for side in sides
    }
    late = sum(one.chosen.minutes for one in state.ways if one.chosen.way is Way.LAST)
    iron = sum(
        one.chosen.minutes
        for one in state.ways
        if one.chosen.way in IRON_WAYS and one.chosen.way is not Way.LAST
    )
    return Build(
        boards=plan.boards,
        sides=sides,
        stencil=state.techniques.stencil,
        warm_h=max(0.0, (warm.open_h if warm else 0.0) - _out_h(lot_of(connection, state))),
        kit_lines=len(kit(state.board, plan.boards)),
        set_up_min=costs.set_up_min,
        paste_min=paste_min,
        place_min={side: order_of(connection, state, side).takes.minutes for side in sides},
        heat_min={side: _heat_min(pasted, side) for side in sides},
        iron_min=iron,
        late_iron_min=late,
        mend_min=REPAIR_MIN_EACH * sum(one.chosen.odds for one in state.ways),
        wash=plan.wash,
        dry_min=cleaning_state(connection, state.paste.job.id).dry_min if plan.wash else 0.0,
        pace=plan.pace,
        share=state.share,
    )


def _out_h(lot: Lot | None) -> float:
    """Hours that a paste stands out of the cold already."""
    since = lot.out_since_s() if lot else None
    return 0.0 if since is None else (time.time() - since) / 3600


def _heat_min(pasted: Sequence[PartWay], side: str) -> float:
    """Minutes of heat of a side: its set-up, and each part's share."""
    return HEAT_SIDE_MIN + sum(
        one.chosen.minutes if one.chosen.way is Way.BUMPS_AIR else HEAT_PART_MIN
        for one in pasted
        if one.part.side == side
    )


@dataclass(frozen=True, kw_only=True)
class Timed:
    """The schedule of a job with its tasks, whether it was moved by what is done or by the clock,
    the bags that matter, and the tasks that runs have done.
    """

    found: Schedule
    tasks: tuple[ScheduleTask, ...]
    begun: bool
    bags: tuple[Bag, ...]
    at_bench: frozenset[str] = frozenset()


def timed(connection: sqlite3.Connection, state: ReadyState, now_s: float) -> Timed:
    """The schedule: from the wished start or towards the wished finish; once begun, from now on.
    What runs have done is done.
    """
    plan, tasks = state.plan, tasks_of(build_of(connection, state))
    keys, said = {one.key for one in tasks}, stored.done_of(connection, state.paste.job.id)
    at_bench = done_tasks(connection, state.paste.job)
    done = {key: span for key, span in (at_bench | said).items() if key in keys}
    start = (
        plan.start_s
        if plan.start_s is not None
        else start_for(tasks, plan.finish_s)
        if plan.finish_s is not None
        else now_s
    )
    begun = bool(done)
    late = begun or start < now_s
    found = schedule(tasks, start, now_s if late else None, done)
    bags = bags_of(state.board)
    return Timed(
        found=replace(
            found,
            warnings=what_goes_off(found, now_s if late else found.start_s, bags, plan.bags_open_h),
        ),
        tasks=tasks,
        begun=begun,
        bags=bags,
        at_bench=frozenset(at_bench.keys() - said.keys()),
    )


def task_done(connection: sqlite3.Connection, job_id: int, key: str, now_s: float) -> None:
    """A task is done now; it began when it was planned to, or now at the latest.

    Raises InvalidValue for a task that is not of this build.
    """
    with atomic(connection):
        state = ready_state(connection, job_id)
        found = next(
            (one for one in timed(connection, state, now_s).found.tasks if one.task.key == key),
            None,
        )
        if found is None:
            raise InvalidValue("task", f"there is no task {key[:40]!r} in this build")
        stored.set_done(connection, job_id, key, min(found.start_s, now_s), now_s)


# kit
def kit_answers(connection: sqlite3.Connection, job_id: int) -> dict[str, tuple[KitAnswer, str]]:
    """What the job's kit check found, by line, and what was taken instead."""
    run = bench_runs.latest(connection, job_id, KIT)
    if run is None:
        return {}
    state, words = run.state, {tap.cue: tap.text for tap in run.taps}
    return {
        line: (KitAnswer(word), words[line]) for line, word in (state.done | state.aside).items()
    }


def kit_lines(connection: sqlite3.Connection, state: ReadyState) -> tuple[Line, ...]:
    """The job's pick list with places and what the check found."""
    return kit(
        state.board,
        state.plan.boards,
        stored.places(connection),
        kit_answers(connection, state.paste.job.id),
    )
