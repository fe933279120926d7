"""Runs at the bench: begun, tapped, undone, finished, and what cannot be begun."""

import sqlite3
from dataclasses import replace
from pathlib import Path

import pytest

from yellowfen.core.run.machine import Tap
from yellowfen.core.work.job import FoundMark, Verdict
from yellowfen.errors import InvalidValue, NotFound, Refused
from yellowfen.store import bench_runs as stored_runs
from yellowfen.store import jobs
from yellowfen.store.database import connect
from yellowfen.workflows import bench_runs, demo, look
from yellowfen.workflows.opening import back_up, open_database

from .conftest import Refusal

JOB = 1
REFUSED = (
    Refusal("no run 7", NotFound, lambda connection: bench_runs.finish(connection, 7, "")),
    Refusal(
        "U99", InvalidValue, lambda connection: bench_runs.start_by_iron(connection, JOB, "U99")
    ),
    Refusal(
        "not in this kit",
        InvalidValue,
        lambda connection: bench_runs.note_line(connection, JOB, "gold", "", "", None),
    ),
    Refusal(
        "no run 8",
        NotFound,
        lambda connection: bench_runs.tap(connection, 8, done("a", "start", 1)),
    ),
)


def done(key: str, cue: str, at_ms: int) -> Tap:
    return Tap(key=key, cue=cue, word="done", at_ms=at_ms)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)


def test_a_run_from_start_to_logbook_and_backup(tmp_path: Path) -> None:
    connection = open_database(tmp_path)
    assert demo.fill(connection)
    assert not demo.fill(connection)
    job = jobs.rows(connection)[0]
    run_id = bench_runs.start_heat(connection, job.id)
    with pytest.raises(Refused, match="first: Start"):
        bench_runs.tap(connection, run_id, done("k0", "flowed U4", 5000))
    bench_runs.tap(connection, run_id, done("k1", "start", 1_000_000))
    bench_runs.tap(connection, run_id, done("k2", "flowed U4", 1_041_500))
    bench_runs.tap(connection, run_id, done("k2", "flowed U4", 1_099_000))
    with pytest.raises(Refused, match="not part of this run"):
        bench_runs.tap(connection, run_id, done("k3", "flowed R1", 1_050_000))
    with pytest.raises(Refused, match="before the previous tap"):
        bench_runs.tap(connection, run_id, done("k4", "away", 500))
    for verdict in (Verdict.BRIDGE, Verdict.GOOD):
        look.mark_joints(connection, job.id, [FoundMark("U4", "3", verdict)])
    wrong = [FoundMark("U4", "4", Verdict.GOOD), FoundMark("U4", "99", Verdict.GOOD)]
    with pytest.raises(Refused, match=r"'U4\.99' is not part of this run"):
        look.mark_joints(connection, job.id, wrong)  # all or none
    run = bench_runs.finish(connection, run_id, " went well ")
    assert run.flowed_s("U4") == pytest.approx(41.5)
    assert [str(mark.verdict) for mark in run.marks] == ["good"]
    assert (run.note, run.finished) == ("went well", True)
    assert (
        run.forecast.targets[0].early_s
        < run.forecast.targets[0].flows_s
        < run.forecast.targets[0].late_s
    )
    with pytest.raises(Refused, match="finished"):
        bench_runs.tap(connection, run_id, done("k9", "away", 1_090_000))
    connection.close()
    back_up(tmp_path, tmp_path / "copy.sqlite3")
    with pytest.raises(InvalidValue, match="exists already"):
        back_up(tmp_path, tmp_path / "copy.sqlite3")
    copy = connect(tmp_path / "copy.sqlite3")
    assert stored_runs.get(copy, run_id) == run
    copy.close()


def test_what_a_board_taught_is_told_of_the_next_heat_as_its_clock_says_it(tmp_path: Path) -> None:
    """Before the run as in it; nothing of a heat that is set otherwise."""
    connection = open_database(tmp_path)
    demo.fill(connection)
    job = jobs.rows(connection)[0]
    assert bench_runs.taught_says(connection, job) == ""
    forecast, _ = bench_runs.next_heat(connection, job)
    late_s = forecast.targets[0].late_s or 0.0
    run_id = bench_runs.start_heat(connection, job.id)
    for key, at_s in (("start", 0.0), ("flowed U4", late_s - 1.0), ("away", late_s + 1.0)):
        bench_runs.tap(connection, run_id, done(key, key, round(1000 * at_s)))
    told = bench_runs.taught_says(connection, job)
    assert told.startswith("As the last run showed: U4 melts at ")
    flows_s = float(told.removesuffix(" s").rsplit(" ", 1)[1])
    assert (forecast.targets[0].flows_s or 0.0) + 2 < flows_s <= late_s
    again = stored_runs.get(connection, bench_runs.start_heat(connection, job.id))
    assert bench_runs.script_now(connection, again).cues[0].detail == told
    hotter = replace(job.plan, air=replace(job.plan.air, outlet_c=job.plan.air.outlet_c + 20))
    jobs.keep_heat_plan(connection, job.id, hotter)
    assert bench_runs.taught_says(connection, jobs.get(connection, job.id)) == ""
    connection.close()


def test_undo_goes_back_to_before_the_start(tmp_path: Path) -> None:
    connection = open_database(tmp_path)
    demo.fill(connection)
    run_id = bench_runs.start_heat(connection, jobs.rows(connection)[0].id)
    bench_runs.tap(connection, run_id, done("a", "start", 1000))
    bench_runs.tap(connection, run_id, done("b", "move 2", 2000))
    with pytest.raises(Refused, match="later taps"):
        bench_runs.undo_tap(connection, run_id, "a")
    bench_runs.undo_tap(connection, run_id, "b")
    assert bench_runs.undo_tap(connection, run_id, "a").taps == ()
    connection.close()
