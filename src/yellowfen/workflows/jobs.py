"""Opening a job by what it is for, its heats, its pieces and their states; removing it and back."""

import re
import sqlite3
import time
from contextlib import suppress
from dataclasses import replace

from yellowfen.core.board.board import Board
from yellowfen.core.deposit.fixture import Fixture, fixture
from yellowfen.core.heat.heat_plan import (
    MOST_TARGETS,
    Goal,
    HeatPlan,
    SourceKind,
    plate_moves,
    usual_moves,
)
from yellowfen.core.heat.source import HotPlate
from yellowfen.core.metal.lot import usable
from yellowfen.core.quantity.wording import listed
from yellowfen.core.run.heat import HEAT
from yellowfen.core.run.ledger import PartAt
from yellowfen.core.work.job import Job, Purpose
from yellowfen.core.work.technique import PLATE_WAYS
from yellowfen.errors import InvalidValue, YellowfenError
from yellowfen.store import bench_runs, boards, jobs, materials, stations, tools
from yellowfen.store import paste as paste_plans
from yellowfen.store.database import atomic, may_write
from yellowfen.workflows.calibration import is_taught
from yellowfen.workflows.heat import MOST_FLOWS, usual_plan
from yellowfen.workflows.ledger import ledger_now
from yellowfen.workflows.paste import keep_paste_plan, paste_state
from yellowfen.workflows.ready import ReadyState, ready_state, warming
from yellowfen.workflows.rework import answers_of

OFF, ON, FIRST = "Removal", "Refit", "First side"
_NAMES = {Purpose.BUILD: "Build", Purpose.REWORK: "Rework", Purpose.SALVAGE: "Salvage from"}
MOST_PIECES = 200


def parts_named(board: Board, text: str) -> tuple[str, ...]:
    """The refs in a text such as "U4 C3, R1", each once. Raises InvalidValue for one that is not on
    the board.
    """
    refs = tuple(dict.fromkeys(one for one in re.split(r"[\s,;]+", text.strip()) if one))
    known = {part.ref for part in board.parts}
    wrong = [ref for ref in refs if ref not in known]
    if wrong:
        raise InvalidValue("parts", f"{', '.join(wrong[:5])} is not on this board")
    return refs


def pieces_named(text: str) -> tuple[str, ...]:
    """Names of pieces, one a line or between commas, each once; a number alone means 1 to that.

    Raises InvalidValue for too many or too long ones.
    """
    names = tuple(dict.fromkeys(one.strip() for one in re.split(r"[,\n]+", text) if one.strip()))
    if len(names) == 1 and names[0].isascii() and names[0].isdigit() and int(names[0]) > 1:
        if int(names[0]) > MOST_PIECES:
            raise InvalidValue("pieces", f"more than {MOST_PIECES} boards at once; split the job")
        names = tuple(str(number) for number in range(1, int(names[0]) + 1))
    if len(names) > MOST_PIECES or any(len(name) > 40 for name in names):
        raise InvalidValue("pieces", "name at most 200 boards, each within 40 letters")
    return names


def open_job(
    connection: sqlite3.Connection,
    board_id: int,
    name: str,
    purpose: Purpose,
    parts: tuple[str, ...] = (),
    pieces: tuple[str, ...] = (),
) -> int:
    """A new job with the heats that its purpose asks for; returns its id.

    Raises InvalidValue for a rework or salvage of no part.
    """
    board = boards.get(connection, board_id)
    _check(purpose, parts)
    called = name.strip()[:120] or f"{_NAMES[purpose]} {', '.join(parts[:4]) or board.name}"[:120]
    with atomic(connection):
        job_id = jobs.add(
            connection, board_id, called, _first_plan(connection), purpose=purpose, parts=parts
        )
        _set_pieces(connection, job_id, pieces)
        if purpose is Purpose.BUILD:
            _take_own_paste(connection, job_id)
        propose_heats(connection, job_id)
    _usual_recipes(connection, job_id)
    return job_id


def _take_own_paste(connection: sqlite3.Connection, job_id: int) -> None:
    """A job begins with a paste that the bench has, where it has one that is not used up."""
    lot = usable(materials.lots(connection), time.time())
    if lot is not None:
        kept = paste_plans.paste_plan_of(connection, job_id)
        keep_paste_plan(connection, job_id, replace(kept, lot_id=lot.id))


def at_next_heat(connection: sqlite3.Connection, job_id: int) -> Job:
    """The job with the heat in hand that comes next: of a build whose heat in hand is over on the
    board in hand, the first that is not.
    """
    job = jobs.get(connection, job_id)
    if job.purpose is not Purpose.BUILD or len(job.heats) < 2 or not may_write(connection):
        return job
    parts = ledger_now(connection, job).parts
    over = {
        heat.id
        for heat in job.heats
        if all(
            parts[ref].at is PartAt.SOLDERED or parts[ref].left_out
            for ref in heat.plan.targets
            if ref in parts
        )
    }
    coming = next((heat.id for heat in job.heats if heat.id not in over), None)
    if job.heat.id not in over or coming is None:
        return job
    jobs.choose_heat(connection, job_id, coming)
    return jobs.get(connection, job_id)


def _usual_recipes(connection: sqlite3.Connection, job_id: int) -> None:
    """Give heats of a few parts a recipe that ends by its own band; what cannot be rehearsed keeps
    the one that everything starts with. A side of many parts is asked for a tour, on its page.
    """
    job = jobs.get(connection, job_id)
    for heat in job.heats:
        if (
            0
            < len(heat.plan.targets)
            <= (MOST_FLOWS if heat.plan.source is SourceKind.AIR else MOST_TARGETS)
        ):
            with suppress(YellowfenError):
                recipe = usual_plan(connection, job, heat.plan)
                plan = recipe.plan
                if plan.tool_id is not None and (recipe.index_percent or 0.0) > 100.0:
                    # As it is set the plate does not do it: the same plate, set as these parts want.
                    other = usual_plan(connection, job, replace(heat.plan, tool_id=None))
                    if (other.index_percent or 0.0) < (recipe.index_percent or 0.0):
                        plan = replace(other.plan, tool_id=plan.tool_id)
                jobs.keep_heat(connection, heat.id, plan)


def _set_pieces(connection: sqlite3.Connection, job_id: int, pieces: tuple[str, ...]) -> None:
    """The job's boards; their number is that of every stage."""
    jobs.set_pieces(connection, job_id, pieces)
    if pieces:
        jobs.set_boards(connection, job_id, len(pieces))
    known = jobs.pieces_of(connection, job_id)
    if len(known) == 1:
        jobs.take_piece(connection, job_id, known[0].id)


def _check(purpose: Purpose, parts: tuple[str, ...]) -> None:
    if purpose is not Purpose.BUILD and not parts:
        raise InvalidValue("parts", "tap the parts on the plan that this job is about")


def _first_plan(connection: sqlite3.Connection) -> HeatPlan:
    """A heat with the bench's first taught station, else its first, if it has one."""
    found = stations.rows(connection)
    if not found:
        return HeatPlan()
    station = next((one for one in found if is_taught(connection, one.id)), found[0])
    return HeatPlan(
        station_id=station.id,
        air=station.air,
        outlet_offset_c=station.outlet_offset_c,
    )


def change_purpose(
    connection: sqlite3.Connection,
    job_id: int,
    name: str,
    purpose: Purpose,
    parts: tuple[str, ...],
    pieces: tuple[str, ...],
) -> Job:
    """Say anew what a job is for; its runs, heats and settings stay. Heats are proposed anew only
    where none has been run. Raises InvalidValue as `open_job` does.
    """
    job = jobs.get(connection, job_id)
    _check(purpose, parts)
    with atomic(connection):
        jobs.set_purpose(connection, job_id, name.strip()[:120] or job.name, purpose, parts)
        _set_pieces(connection, job_id, pieces)
        other = (purpose, parts) != (job.purpose, job.parts)
        if other and not bench_runs.rows(connection, HEAT, job_id=job_id):
            propose_heats(connection, job_id)
    return jobs.get(connection, job_id)


def propose_heats(connection: sqlite3.Connection, job_id: int) -> None:
    """Put the heats of the job's purpose in place of those it has: a build's sides in the order of
    Ready, without what goes by iron; a rework's off and on; a salvage's off. One a face.
    """
    job = jobs.get(connection, job_id)
    plan = job.plan
    proposed = _sides_of_build(connection, job) if job.purpose is Purpose.BUILD else _rework(job)
    board = boards.get(connection, job.board_id)
    sides = {part.ref: part.side for part in board.parts}
    found = []
    for name, refs in proposed:
        for side in ("top", "bottom"):
            mine = tuple(ref for ref in refs if sides[ref] == side)
            if mine:
                many = len({sides[ref] for ref in refs}) > 1
                title = f"{name}, {side}" if many else name
                bare = name.startswith(FIRST)
                one = replace(plan, side=side, bare_below=bare, targets=mine, shields=())
                if name == OFF:
                    alloy = answers_of(connection, job).alloy
                    one = replace(one, goal=Goal.LIFT, alloy=alloy, board_alloy=alloy)
                else:
                    one = replace(one, goal=Goal.SOLDER)
                found.append((title, one))
    found = found or [("", replace(plan, targets=()))]
    found = [(name, _by_method(connection, job, one)) for name, one in found]
    for heat in job.heats:
        connection.execute("DELETE FROM heat WHERE id = ?", (heat.id,))
    ids = [jobs.add_heat(connection, job_id, name, one) for name, one in found]
    jobs.choose_heat(connection, job_id, ids[0])


def _by_method(connection: sqlite3.Connection, job: Job, plan: HeatPlan) -> HeatPlan:
    """A heat that begins on the bench's plate where the methods of most of its parts count on one,
    else in the air.
    """
    if job.purpose is Purpose.BUILD and _counts_on_plate(ready_state(connection, job.id), plan):
        own = next(
            (one for one in tools.rows(connection) if isinstance(one.content, HotPlate)), None
        )
        if own is not None and isinstance(own.content, HotPlate):
            plate = replace(plan, source=SourceKind.PLATE, tool_id=own.id, plate=own.content)
            return replace(plate, moves=plate_moves())
    return replace(plan, moves=usual_moves(plan.targets))


def _counts_on_plate(state: ReadyState, plan: HeatPlan) -> bool:
    """True where the methods of most parts of a heat are those of a hot plate."""
    on_plate = sum(state.way(ref).chosen.way in PLATE_WAYS for ref in plan.targets)
    return 2 * on_plate > len(plan.targets)


def _sides_of_build(connection: sqlite3.Connection, job: Job) -> list[tuple[str, list[str]]]:
    state = ready_state(connection, job.id)
    sides = state.sides
    hot = [
        part
        for part in state.board.parts
        if part.ref not in state.by_iron and (part.joined or part.note != "unknown")
    ]
    first = [part.ref for part in hot if part.side == sides.first]
    second = [part.ref for part in hot if part.side == sides.second]
    if not second:
        return [("", first)]
    return [(f"{FIRST}: {sides.first}", first), (f"Second side: {sides.second}", second)]


def beside_ways(connection: sqlite3.Connection, job: Job) -> str:
    """Where the heats of a build differ from Ready's ways, on the face of the heat in hand: parts
    that go by iron and are heated, parts that are pasted and in no heat, plate against air. Empty
    where they agree.
    """
    here = job.plan
    if job.purpose is not Purpose.BUILD or not here.targets:
        return ""
    mine = {ref for _, refs in _sides_of_build(connection, job) for ref in refs}
    state = ready_state(connection, job.id)
    side = {part.ref for part in state.board.parts if part.side == here.side}
    heated = {ref for heat in job.heats for ref in heat.plan.targets} & side
    said = []
    if iron := sorted(heated - mine):
        said.append(
            f"Methods solders {listed(iron, 6)} differently, but this heat still includes {'it' if len(iron) == 1 else 'them'}"
        )
    if left := sorted((mine & side) - heated):
        said.append(
            f"{listed(left, 6)} {'is' if len(left) == 1 else 'are'} pasted but in no heat of this side"
        )
    on_plate = any(state.way(ref).chosen.way in PLATE_WAYS for ref in here.targets)
    if here.source is SourceKind.AIR and _counts_on_plate(state, here):
        said.append("Methods plans a hot plate, this heat hot air")
    if here.source is SourceKind.PLATE and not on_plate:
        said.append(
            "Methods plans hot air, this heat a hot plate: minutes and odds there are for hot air"
        )
    return "; ".join(said)


def _rework(job: Job) -> list[tuple[str, list[str]]]:
    names = [OFF] if job.purpose is Purpose.SALVAGE else [OFF, ON]
    return [(name, list(job.parts)) for name in names]


def fixture_of(connection: sqlite3.Connection, job_id: int, side: str) -> Fixture:
    """The fixture for printing a side of a job's board, with the openings as changed. Nothing
    stands beneath the first side of a build, until the other one is soldered.
    """
    job, state = jobs.get(connection, job_id), ready_state(connection, job_id)
    warm, nothing = warming(connection, state)
    beneath = {part.ref for part in state.board.parts if part.side != side}
    bare = job.purpose is Purpose.BUILD and state.sides.first == side
    if bare and job.piece is not None:
        bare = not ledger_now(connection, job).soldered(beneath)
    board = paste_state(connection, job_id).board
    return fixture(board, side, warm.words if warm else nothing, bare_below=bare)
