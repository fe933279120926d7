"""The ledger of a job's board, read from its runs in three queries, and what the strip says by it."""

import sqlite3
import time
from collections.abc import Sequence

from yellowfen.core.board.board import Board
from yellowfen.core.board.remembered import remembered
from yellowfen.core.heat.heat_plan import HeatPlan
from yellowfen.core.look.measured import any_fails
from yellowfen.core.part.package import HIDDEN
from yellowfen.core.run.kit import KIT
from yellowfen.core.run.ledger import Ledger, ledger_of
from yellowfen.core.run.run import BenchRun
from yellowfen.core.run.stages import Progress, behind
from yellowfen.core.run.washing import WASH
from yellowfen.core.work.job import Job, Piece, Purpose
from yellowfen.core.work.schedule import COOL_MIN
from yellowfen.store import bench_runs, boards, jobs, paste
from yellowfen.store import ready as ready_store
from yellowfen.store import rework as stored
from yellowfen.store.kept import Bounded, kept_of


class Ledgers:
    """Runs and ledgers of boards as they were read, each with the stamp and the board they hold for
    (the board is held, so that its place is not reused).
    """

    def __init__(self) -> None:
        self.by_board: Bounded[tuple[object, Board, list[BenchRun], Ledger]] = Bounded(64)


@remembered(most=8)
def pins_of(board: Board) -> dict[str, tuple[str, ...]]:
    """The pins of every part."""
    return {part.ref: tuple(land.pin for land in part.package.lands) for part in board.parts}


def board_runs(connection: sqlite3.Connection, job: Job, piece: Piece | None) -> list[BenchRun]:
    """All runs on one board, oldest first: of a named one over all jobs, of one without a name those
    of its job.
    """
    return _read(connection, job, piece)[0]


def ledger_now(connection: sqlite3.Connection, job: Job) -> Ledger:
    """The ledger of the job's board on the bench; of boards that are all alike what was done to all
    of them.
    """
    return _read(connection, job, job.piece)[1]


def ledger_of_piece(connection: sqlite3.Connection, job: Job, piece: Piece | None) -> Ledger:
    """The ledger of one of a job's boards."""
    return _read(connection, job, piece)[1]


def _read(
    connection: sqlite3.Connection, job: Job, piece: Piece | None, board: Board | None = None
) -> tuple[list[BenchRun], Ledger]:
    piece_id = piece.id if piece else None
    stamp = bench_runs.stamp(connection, job.id, piece_id)
    board = board or boards.get(connection, job.board_id)
    key = (job.id, piece_id, job.purpose)
    ledgers = kept_of(connection, Ledgers).by_board
    kept = ledgers.get(key)
    if kept is not None and kept[0] == stamp and kept[1] is board:
        return kept[2], kept[3]
    runs = bench_runs.on_board(connection, job.id, piece_id)
    built = any(run.taps and run.purpose is Purpose.BUILD for run in runs)
    ledger = ledger_of(
        runs,
        pins_of(board),
        board=piece.name if piece else "",
        on_from_start=job.purpose is not Purpose.BUILD and not built,
    )
    ledgers[key] = (stamp, board, runs, ledger)
    return runs, ledger


def scope_of(board: Board, job: Job) -> list[str]:
    """The parts that a job is about and that are known well enough to be put on."""
    return [
        part.ref
        for part in board.parts
        if job.about(part.ref)
        and part.package.lands
        and (part.joined or part.note != "unknown" or job.parts)
    ]


@remembered(most=8)
def seen_pins(board: Board) -> dict[str, tuple[str, ...]]:
    """Of each part the pins whose joints an eye can see."""
    return {
        part.ref: tuple(land.pin for land in part.package.lands if land.kind not in HIDDEN)
        for part in board.parts
    }


def stages_behind(connection: sqlite3.Connection, job: Job) -> frozenset[str]:
    """The stages that are behind a job: of the board on the bench, of several alike those that are
    behind every one of them.
    """
    pieces: Sequence[Piece | None] = (job.piece,) if job.piece or not job.pieces else job.pieces
    found = [_behind(connection, job, piece) for piece in pieces]
    return frozenset.intersection(*found)


def _behind(connection: sqlite3.Connection, job: Job, piece: Piece | None) -> frozenset[str]:
    board = boards.get(connection, job.board_id)
    runs, ledger = _read(connection, job, piece, board)
    refs = scope_of(board, job)
    answers = stored.answers(connection, job.id, piece.id if piece else None)
    kit = next((run for run in reversed(runs) if run.kind is KIT), None)
    bags = [
        one
        for one in stored.passports(connection, job.id)
        if piece is None or one.piece_id in (None, piece.id)
    ]
    typed = sum(
        not one.by_key and one.found == "good" for one in paste.prints_of(connection, job.id)
    )
    facts = Progress(
        refs=tuple(refs),
        heated=tuple(
            (heat.plan.side, ref)
            for heat in job.heats
            if not heat.plan.lifts
            for ref in heat.plan.targets
        ),
        seen=seen_pins(board),
        kit="kit" in ready_store.done_of(connection, job.id)
        or (kit is not None and kit.state.over and not kit.state.aside),
        typed_prints=typed // jobs.boards_of(connection, job.id),
        chosen=frozenset(ref for ref in job.parts if answers and answers.way_of(ref)),
        bagged=frozenset(one.passport.ref for one in bags if one.passport.bag),
        used=frozenset(one.passport.ref for one in bags if one.used),
        noted=any(run.finished for run in runs if run.job_id == job.id),
        fails=any_fails([run for run in runs if run.job_id == job.id]),
    )
    return behind(job.purpose, job.id, ledger, facts)


# what the schedule takes from the runs
_SINCE_MS = 10**12  # earlier moments are none: taps of the first versions


def done_tasks(connection: sqlite3.Connection, job: Job) -> dict[str, tuple[float, float]]:
    """Tasks of the schedule that the job's runs have done, by their keys, each with its start and
    end (seconds since 1970).
    """
    found: dict[str, tuple[float, float]] = {}
    washed: list[tuple[float, float]] = []
    pieces: Sequence[Piece | None] = job.pieces or (None,)
    for number, piece in enumerate(pieces, 1):
        runs, ledger = _read(connection, job, piece)
        for run in runs:
            if run.job_id != job.id or not run.state.over or run.lifting:
                continue
            span = _span(run)
            if span is None:
                continue
            if run.kind is KIT and not run.state.aside:
                found["kit"] = span
            elif run.kind.task:
                side = run.plan.side if isinstance(run.plan, HeatPlan) else run.side
                found[f"{run.kind.task} {side} {number}"] = span
            elif run.kind is WASH and run.id == ledger.washed:
                washed.append(span)
        for side, of in ledger.printed.items():
            span = next((_span(run) for run in runs if run.id == of), None)
            found |= {f"paste {side} {number}": span} if span else {}
    if len(washed) == len(pieces):
        found["clean"] = found["dry"] = max(washed, key=lambda one: one[1])
    return _with_what_came_before(found)


def _span(run: BenchRun) -> tuple[float, float] | None:
    if not run.taps or run.taps[0].at_ms < _SINCE_MS:
        return None
    return run.taps[0].at_ms / 1000, run.taps[-1].at_ms / 1000


def _with_what_came_before(
    found: dict[str, tuple[float, float]],
) -> dict[str, tuple[float, float]]:
    """With the tasks that must have been done before: paste and parts of what is heated, the paste
    out of the fridge and stirred where any is on a board; and what has cooled since.
    """
    before = dict(found)
    for key, (start, end) in found.items():
        step, *rest = key.split()
        if step in ("place", "heat"):
            before.setdefault(" ".join(("paste", *rest)), (start, start))
        if step == "heat":
            before.setdefault(" ".join(("place", *rest)), (start, start))
            cold = end + 60 * COOL_MIN
            before |= {" ".join(("cool", *rest)): (end, cold)} if cold < time.time() else {}
    pasted = {key: span for key, span in before.items() if key.startswith("paste ")}
    for key, (start, _) in pasted.items():
        for earlier in ("warm", "prepare", "open", f"fixture {key.split()[1]}"):
            at = min(start, before.get(earlier, (start, start))[0])
            before[earlier] = found.get(earlier, (at, at))
    return before
