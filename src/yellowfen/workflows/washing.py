"""Washing the board in hand: what is on it by then, where liquid must not go, how long it dries."""

import sqlite3
from dataclasses import dataclass

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.look.cleaning import (
    CleaningPlan,
    Hidden,
    Residue,
    Spared,
    Wash,
    cleaning_steps,
    dry_minutes,
    drying_minutes,
    hiding,
    residues,
    spared,
    washes_of,
)
from yellowfen.core.run.run import BenchRun
from yellowfen.core.run.washing import WASH, WashRun, WashStep
from yellowfen.core.work.job import Job
from yellowfen.errors import Refused
from yellowfen.store import bench_runs, boards, jobs
from yellowfen.store.proofs import cleaning_of, keep_cleaning
from yellowfen.workflows.ledger import board_runs, ledger_now


@dataclass(frozen=True, kw_only=True)
class CleaningState:
    """What a job's board is washed of and with, where liquid must not go, where it hides, how long
    it dries, in which steps.
    """

    board: Board
    plan: CleaningPlan
    residues: tuple[Residue, ...]
    spared: tuple[Spared, ...]
    hiding: tuple[Hidden, ...]
    steps: tuple[WashStep, ...]
    dry_min: float
    wash: Wash
    later: tuple[str, ...]
    run: BenchRun | None

    @property
    def washed(self) -> bool:
        """Whether the newest washing of the board in hand was gone through."""
        return self.run is not None and not self.run.state.to_do


def cleaning_state(connection: sqlite3.Connection, job_id: int) -> CleaningState:
    """The washing of the board in hand: every part that is on it by then."""
    job = jobs.get(connection, job_id)
    board, plan = boards.get(connection, job.board_id), cleaning_of(connection, job_id)
    later = _later(connection, job_id, board)
    here = [part for part in board.parts if part.ref not in {one.ref for one in later}]
    washes = washes_of(plan)
    wash = washes[-1] if washes else Wash.ALCOHOL
    return CleaningState(
        board=board,
        plan=plan,
        residues=residues(plan),
        spared=spared(here),
        hiding=hiding(here, plan, wash),
        steps=cleaning_steps(here, plan, [one.ref for one in later]),
        dry_min=drying_minutes(here, plan) or dry_minutes(here, plan, wash),
        wash=wash,
        later=tuple(one.ref for one in later),
        run=_newest_washing(connection, job),
    )


def _newest_washing(connection: sqlite3.Connection, job: Job) -> BenchRun | None:
    """The newest washing of the board in hand; None once flux and heat came on it again."""
    ledger = ledger_now(connection, job)
    washes = [run for run in board_runs(connection, job, job.piece) if run.kind is WASH]
    newest = washes[-1] if washes and washes[-1].job_id == job.id else None
    if newest is None or newest.id == ledger.washed:
        return newest
    begun = max((tap.order for tap in newest.taps), default=0)
    return newest if newest.state.to_do and begun >= ledger.last_hot else None


def _later(connection: sqlite3.Connection, job_id: int, board: Board) -> list[BoardPart]:
    """Open parts that this job puts on and that are not on yet: they go on after the washing."""
    job = jobs.get(connection, job_id)
    done = set(ledger_now(connection, job).soldered_by(job_id))
    if job.purpose != "build" or not done:
        return []
    open_parts = {one.ref for one in spared(board.parts)}
    return [part for part in board.parts if part.ref in open_parts and part.ref not in done]


def say_fluxes(connection: sqlite3.Connection, job_id: int, plan: CleaningPlan) -> None:
    """Keep what a job is washed of and how it dries."""
    jobs.get(connection, job_id)
    keep_cleaning(connection, job_id, plan)


def start_cleaning(connection: sqlite3.Connection, job_id: int) -> int:
    """Open the bench's run over the washing, or go on with the one begun.

    Raises Refused where nothing has to be washed.
    """
    found = cleaning_state(connection, job_id)
    if not found.steps:
        raise Refused("nothing has to be washed: what is there may stay")
    if found.run is not None and found.run.taps and found.run.state.to_do:
        return found.run.id
    return bench_runs.add(connection, job_id, WashRun(steps=found.steps))
