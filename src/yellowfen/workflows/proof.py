"""Proof beyond eye and meter: first power, function steps, and the washing before them."""

import sqlite3
from dataclasses import dataclass, replace

from yellowfen.core.board.board import Board
from yellowfen.core.look.measured import standing_results
from yellowfen.core.look.meter_plan import ground_of, supplies_of
from yellowfen.core.look.proof import (
    LEAST_MA,
    BoardProof,
    FirstPower,
    FunctionStep,
    Lesson,
    first_power,
    joints_named,
    joints_of,
    with_nets,
)
from yellowfen.core.quantity.number import typed_number
from yellowfen.core.run.meter import FUNCTION, CheckLine, CheckPlan
from yellowfen.core.run.run import BenchRun
from yellowfen.errors import InvalidValue, NotFound, Refused
from yellowfen.store import bench_runs, boards, jobs
from yellowfen.store.database import asked_once, atomic
from yellowfen.store.proofs import keep_proof, proof_of
from yellowfen.workflows.look import (
    melted_by_run,
    metered,
    named_runs,
    soldering,
)


@dataclass(frozen=True, kw_only=True)
class ProofState:
    """What was said of a board's proof, its first power, what every step showed on the board in
    hand (by title: True as expected, False not), the joints that steps proved and those that a
    failed one accuses.
    """

    board: Board
    proof: BoardProof
    ground: str
    supplies: tuple[str, ...]
    power: tuple[FirstPower, ...]
    results: dict[str, bool]
    run: BenchRun | None
    proved: frozenset[str]
    accused: tuple[str, ...]

    @property
    def left(self) -> tuple[str, ...]:
        """Titles without a result yet."""
        return tuple(title for title in self.titles if title not in self.results)

    @property
    def titles(self) -> tuple[str, ...]:
        """Everything there is to go through; nothing where no function was written."""
        if not self.proof.steps:
            return ()
        return (*(_powered(one) for one in self.power), *(one.name for one in self.proof.steps))


def _powered(one: FirstPower) -> str:
    return f"Read {one.supply}" if one.comes_from else f"First power-up: {one.supply}"


@asked_once
def proof_state(connection: sqlite3.Connection, job_id: int) -> ProofState:
    """Where the proof of the board in hand stands."""
    job = jobs.get(connection, job_id)
    proof = proof_of(connection, job.board_id)
    board = with_nets(boards.get(connection, job.board_id), proof.nets, kept=True)
    ground = proof.ground or ground_of(board)
    runs = named_runs(connection, job, FUNCTION)
    speaks = {
        step.name: {j.rsplit(".", 1)[0] for j in joints_of(step, board)} for step in proof.steps
    }
    results = standing_results(
        runs,
        melted_by_run(soldering(connection, job)),
        lambda title: speaks.get(title, set()),
    )
    proved = {
        joint for step in proof.steps if results.get(step.name) for joint in joints_of(step, board)
    }
    accused = {
        joint: None
        for step in proof.steps
        if results.get(step.name) is False
        for joint in joints_of(step, board)
    }
    return ProofState(
        board=board,
        proof=proof,
        ground=ground,
        supplies=supplies_of(board, ground) if proof.supplies is None else proof.supplies,
        power=first_power(board, proof) if ground else (),
        results=results,
        run=runs[0] if runs else None,
        proved=frozenset(proved),
        accused=tuple(joint for joint in accused if joint not in proved),
    )


def say_supplies(
    connection: sqlite3.Connection, job_id: int, *, ground: str, supplies: str, nets: str
) -> None:
    """Keep ground, supplies ("3V3, VIN = 5") and nets in lines; empty ones are guessed again.

    Raises InvalidValue for a net that is not there, or volts out of range.
    """
    job = jobs.get(connection, job_id)
    with atomic(connection):
        before = proof_of(connection, job.board_id)
        board = with_nets(boards.get(connection, job.board_id), nets)
        known = {pad.net for pad in board.pads if pad.net}
        names, volts = _supplies(supplies)
        for net in (*names, *([ground] if ground else [])):
            if net not in known:
                raise InvalidValue("supplies", f"there is no net {net} on this board")
        keep_proof(
            connection,
            job.board_id,
            replace(before, ground=ground, supplies=names or None, volts=volts, nets=nets),
        )


def _supplies(text: str) -> tuple[tuple[str, ...], dict[str, float]]:
    names, volts = [], {}
    for word in text.replace(";", ",").split(","):
        name, _, value = (one.strip() for one in word.partition("="))
        if not name:
            continue
        names.append(name)
        if value:
            volts[name] = typed_number("supplies", value)
    return tuple(dict.fromkeys(names)), volts


def add_step(
    connection: sqlite3.Connection, job_id: int, *, name: str, expect: str, joints: str
) -> None:
    """Add a function step, or say it anew by its name. Raises InvalidValue for joints that are not
    there.
    """
    job = jobs.get(connection, job_id)
    with atomic(connection):
        before = proof_of(connection, job.board_id)
        board = boards.get(connection, job.board_id)
        step = FunctionStep(
            name=name.strip(), expect=expect.strip(), joints=joints_named(joints, board)
        )
        kept = tuple(one for one in before.steps if one.name != step.name)
        keep_proof(connection, job.board_id, replace(before, steps=(*kept, step)))


def remove_step(connection: sqlite3.Connection, job_id: int, name: str) -> None:
    """Leave a step out. Raises NotFound for one that is not there."""
    job = jobs.get(connection, job_id)
    with atomic(connection):
        before = proof_of(connection, job.board_id)
        kept = tuple(one for one in before.steps if one.name != name)
        if len(kept) == len(before.steps):
            raise NotFound(f"there is no step {name!r}")
        keep_proof(connection, job.board_id, replace(before, steps=kept))


def keep_lesson(connection: sqlite3.Connection, job_id: int, seen: str, change: str) -> None:
    """Put what a fault taught on the board's list for the next revision; once."""
    job = jobs.get(connection, job_id)
    with atomic(connection):
        before = proof_of(connection, job.board_id)
        lesson = Lesson(seen=seen, change=change)
        if lesson not in before.lessons:
            keep_proof(connection, job.board_id, replace(before, lessons=(*before.lessons, lesson)))


def forget_lesson(connection: sqlite3.Connection, board_id: int, number: int) -> None:
    """Take a lesson off the list, by its place from 0. Raises NotFound."""
    with atomic(connection):
        before = proof_of(connection, board_id)
        if not 0 <= number < len(before.lessons):
            raise NotFound("that lesson is not on the list any more")
        kept = tuple(one for n, one in enumerate(before.lessons) if n != number)
        keep_proof(connection, board_id, replace(before, lessons=kept))


def start_function(connection: sqlite3.Connection, job_id: int) -> int:
    """Open the bench's run over first power and function, or go on with the one begun.

    Raises Refused without a step.
    """
    found = proof_state(connection, job_id)
    if not found.proof.steps:
        raise Refused("write one step first: what the board does when it works")
    test = metered(connection, job_id)
    wrong = [key for key, passed in test.results.items() if not passed]
    if wrong:
        suspects = test.diagnosis.suspects
        said = suspects[0][0].says if suspects else wrong[0]
        raise Refused(
            f"do not power up yet: the meter test found that {said}. Touch it up and measure again first"
        )
    if found.run is not None and found.run.taps and found.run.state.to_do:
        return found.run.id
    lines = [
        *_power_lines(found),
        *(
            CheckLine(here=one.name, there="", title=one.name, expect=one.expect, name=f"Step {n}")
            for n, one in enumerate(found.proof.steps, 1)
        ),
    ]
    plan = CheckPlan(name=FUNCTION, lines=tuple(lines), closing="The board does what it should.")
    return bench_runs.add(connection, job_id, plan)


def _power_lines(found: ProofState) -> list[CheckLine]:
    """First power, rail by rail, or at one supply where no rail is known."""
    if not found.power:
        return [
            CheckLine(
                here="supply",
                there=found.ground,
                title="First power-up, current limited",
                name="Power",
                expect="no more current than it should draw, nothing gets hot",
                mind=f"limit at {LEAST_MA:.0f} mA at first; at the limit: switch off at once",
            )
        ]
    return [
        CheckLine(
            here=rail.supply,
            there=found.ground,
            title=_powered(rail),
            name="Power",
            expect=rail.expects,
            mind=""
            if rail.comes_from
            else f"limit at {rail.limit_ma:.0f} mA ({', '.join(rail.why) or 'the smallest limit'}); at the limit: switch off at once",
        )
        for rail in found.power
    ]
