"""Heat plans that cannot be."""

import sqlite3

import pytest

from yellowfen.core.heat.plan import HeatPlan
from yellowfen.core.heat.scene import Iron
from yellowfen.errors import InvalidValue
from yellowfen.store import jobs
from yellowfen.workflows.heat import touch_joint, usual_plan

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
            connection, jobs.get(connection, JOB), Iron(2.0, 340.0), "U99", "1", "signal"
        ),
    ),
    Refusal(
        "no pin",
        InvalidValue,
        lambda connection: touch_joint(
            connection, jobs.get(connection, JOB), Iron(2.0, 340.0), "U4", "99", "signal"
        ),
    ),
    Refusal(
        "tie",
        InvalidValue,
        lambda connection: touch_joint(
            connection, jobs.get(connection, JOB), Iron(2.0, 340.0), "U4", "1", "glued"
        ),
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
