"""Heat plans that cannot be, and full answers worked out beside the first."""

import sqlite3
import threading
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from yellowfen.core.heat import sureness
from yellowfen.core.heat.heat_plan import HeatPlan
from yellowfen.core.heat.rehearsal import (
    FINE,
    QUICK,
    Prepared,
    Rehearsal,
    rehearse,
    rehearse_prepared,
)
from yellowfen.core.heat.source import Iron
from yellowfen.core.work.job import Job
from yellowfen.errors import InvalidValue, Refused
from yellowfen.store import jobs
from yellowfen.workflows import heat
from yellowfen.workflows.heat import keep_heat_plan, sureness_of, touch_joint, usual_plan

from .conftest import Refusal

JOB = 1
REFUSED = (
    Refusal(
        "targets",
        InvalidValue,
        lambda connection: usual_plan(connection, jobs.get(connection, JOB), HeatPlan(targets=())),
    ),
    Refusal(
        "U99",
        InvalidValue,
        lambda connection: touch_joint(
            connection,
            jobs.get(connection, JOB),
            Iron(tip_mm=2.0, set_c=340.0),
            "U99",
            "1",
            "signal",
        ),
    ),
    Refusal(
        "no pin",
        InvalidValue,
        lambda connection: touch_joint(
            connection,
            jobs.get(connection, JOB),
            Iron(tip_mm=2.0, set_c=340.0),
            "U4",
            "99",
            "signal",
        ),
    ),
    Refusal(
        "tie",
        InvalidValue,
        lambda connection: touch_joint(
            connection, jobs.get(connection, JOB), Iron(tip_mm=2.0, set_c=340.0), "U4", "1", "glued"
        ),
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)


def other_air(connection: sqlite3.Connection, outlet_c: float) -> Job:
    plan = jobs.get(connection, 1).plan
    return keep_heat_plan(connection, 1, replace(plan, air=replace(plan.air, outlet_c=outlet_c)))


def test_the_full_answer_is_begun_beside_the_first_and_worked_out_once(
    connection: sqlite3.Connection, monkeypatch: pytest.MonkeyPatch
) -> None:
    worked: list[float] = []

    def counted(prepared: Prepared) -> Rehearsal:
        worked.append(prepared.resolution.cell_mm)
        return rehearse_prepared(prepared)

    monkeypatch.setattr(heat, "rehearse_prepared", counted)
    job = other_air(connection, 351.25)
    heat.begin_full(connection, job)
    heat.begin_full(connection, job)
    assert heat.rehearse_job(connection, job, quick=True).quick
    full = heat.rehearse_job(connection, job)
    assert sorted(worked) == [FINE.cell_mm, QUICK.cell_mm]
    assert np.array_equal(full.rehearsal.joint_c, rehearse(full.scene, FINE).joint_c)
    assert heat.rehearse_job(connection, job) is full


def test_what_a_newer_edit_overtakes_is_dropped_and_still_answered(
    connection: sqlite3.Connection, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Of three edits in a row the first is being worked out, the second is given up unbegun."""
    held, begun = threading.Event(), threading.Event()
    first, second, third = (other_air(connection, celsius) for celsius in (341.0, 342.0, 343.0))
    worked: list[float] = []

    def slow(prepared: Prepared) -> Rehearsal:
        worked.append(prepared.scene.source.outlet_c)  # type: ignore[union-attr]
        begun.set()
        assert held.wait(60)
        return rehearse_prepared(prepared)

    monkeypatch.setattr(heat, "rehearse_prepared", slow)
    heat.begin_full(connection, first)
    assert begun.wait(60)
    heat.begin_full(connection, second)
    heat.begin_full(connection, third)
    held.set()
    assert len({heat.rehearse_job(connection, job).key for job in (first, third)}) == 2
    assert len(worked) == 2
    assert not heat.rehearse_job(connection, second).quick
    assert len(worked) == 3


def test_what_goes_wrong_beside_is_told_where_it_is_asked_for(
    connection: sqlite3.Connection, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refused(prepared: Prepared) -> Rehearsal:
        if prepared.resolution == FINE:
            raise Refused("this cannot be forecast")
        return rehearse_prepared(prepared)

    job = other_air(connection, 352.75)
    with monkeypatch.context() as patch:
        patch.setattr(heat, "rehearse_prepared", refused)
        heat.begin_full(connection, job)
        assert heat.rehearse_job(connection, job, quick=True).quick
        with pytest.raises(Refused):
            heat.rehearse_job(connection, job)
    assert not heat.rehearse_job(connection, job).quick


def test_what_was_begun_of_a_board_as_it_was_is_no_answer_once_it_is_read_anew(
    connection: sqlite3.Connection, monkeypatch: pytest.MonkeyPatch
) -> None:
    held, begun = threading.Event(), threading.Event()

    def slow(prepared: Prepared) -> Rehearsal:
        begun.set()
        assert held.wait(60)
        return rehearse_prepared(prepared)

    job = other_air(connection, 353.75)
    with monkeypatch.context() as patch:
        patch.setattr(heat, "rehearse_prepared", slow)
        heat.begin_full(connection, job)
        assert begun.wait(60)
    heat.forget(connection, job.board_id)
    anew = heat.rehearse_job(connection, job)
    held.set()
    heat._BESIDE.submit(lambda: None).result(60)
    assert heat.rehearse_job(connection, job) is anew


def test_what_was_weighed_for_one_who_left_is_not_weighed_again(
    connection: sqlite3.Connection, monkeypatch: pytest.MonkeyPatch
) -> None:
    job, drawn, one_sample = other_air(connection, 363.0), [], sureness.one_sample

    def counted(*asked: Any, **more: Any) -> sureness.Sample:
        drawn.append(asked[2])
        return one_sample(*asked, **more)

    monkeypatch.setattr(sureness, "one_sample", counted)
    with pytest.raises(Refused, match="no longer needed"):
        sureness_of(connection, job, waited_for=lambda: len(drawn) < 5)
    assert len(drawn) == 5
    askers = [threading.Thread(target=sureness_of, args=(connection, job)) for _ in range(2)]
    for one in askers:
        one.start()
    for one in askers:
        one.join()
    found = sureness_of(connection, job)
    varied = [tuple(draw.items()) for draw in drawn if any(draw.values())]
    assert len(varied) == len(set(varied)) == found.count == sureness.SAMPLES
    heat.forget(connection, job.board_id)
    assert sureness_of(connection, job) == found
