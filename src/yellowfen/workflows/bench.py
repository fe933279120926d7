"""Taps during a run, marks afterwards, the closing note.

Each call returns only when its write is on disk.
"""

import sqlite3

from yellowfen.core.work.job import FoundMark, Run, TapKind, Verdict
from yellowfen.errors import InvalidValue, Refused
from yellowfen.store import boards, jobs, runs
from yellowfen.store.database import atomic


def tap(
    connection: sqlite3.Connection, run_id: int, key: str, kind: TapKind, ref: str, at_ms: int
) -> Run:
    """Store one tap made at a wall-clock moment.

    The start tap sets the clock; the same key twice is one tap.
    """
    if not 1 <= len(key) <= 64:
        raise InvalidValue("key", "a tap needs a key of 1 to 64 letters")
    with atomic(connection):
        run = runs.get(connection, run_id)
        if any(done.key == key for done in run.taps):
            return run
        if run.finished:
            raise Refused("this run is finished; start another")
        if kind is TapKind.START:
            if run.taps:
                raise Refused("the clock of this run has started already")
            runs.set_start(connection, run_id, at_ms)
            seconds = 0.0
        elif run.started_ms is None:
            raise Refused("start the clock first")
        else:
            seconds = (at_ms - run.started_ms) / 1000.0
        if not 0 <= seconds <= 86400:
            raise InvalidValue(
                "at_ms",
                "the moment lies before the start or more than a day after it; check the clock of this device",
            )
        if kind is TapKind.FLOWED and ref not in run.plan.targets:
            raise InvalidValue("ref", f"{ref or 'no part'} is not a target of this run")
        runs.add_tap(connection, run_id, key, kind, ref, seconds)
    return runs.get(connection, run_id)


def undo_tap(connection: sqlite3.Connection, run_id: int, key: str) -> Run:
    """Take one tap back; taking back the start stops the clock."""
    with atomic(connection):
        run = runs.get(connection, run_id)
        gone = next((done for done in run.taps if done.key == key), None)
        if gone is not None and gone.kind is TapKind.START and len(run.taps) > 1:
            raise Refused("take the later taps back first")
        runs.remove_tap(connection, run_id, key)
        if gone is not None and gone.kind is TapKind.START:
            runs.set_start(connection, run_id, None)
    return runs.get(connection, run_id)


def mark(
    connection: sqlite3.Connection, run_id: int, ref: str, pin: str, verdict: Verdict | None
) -> Run:
    """Store what was found at a joint (pin '' for the whole part); None takes the mark back."""
    run = runs.get(connection, run_id)
    job = jobs.get(connection, run.job_id)
    parts = {part.ref: part for part in boards.get(connection, job.board_id).parts}
    if ref not in parts:
        raise InvalidValue("ref", f"there is no part {ref} on this board")
    if pin and pin not in {land.pin for land in parts[ref].package.lands}:
        raise InvalidValue("pin", f"{ref} has no pin {pin}")
    if verdict is None:
        runs.remove_mark(connection, run_id, ref, pin)
    else:
        runs.keep_mark(connection, run_id, FoundMark(ref, pin, verdict))
    return runs.get(connection, run_id)


def finish(connection: sqlite3.Connection, run_id: int, note: str) -> Run:
    """Store the note and close the run."""
    if len(note) > 4000:
        raise InvalidValue("note", "the note is longer than 4000 letters; shorten it")
    runs.get(connection, run_id)
    runs.keep_note(connection, run_id, note.strip(), True)
    return runs.get(connection, run_id)
