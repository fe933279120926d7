"""Ways, wishes and the schedule of a job."""

import sqlite3

import pytest

from yellowfen.core.heat.scene import Iron
from yellowfen.errors import InvalidValue
from yellowfen.workflows.ready import card_need, choose_way, ready_state, task_done, wish

from .conftest import Refusal

JOB = 1
REFUSED = (
    Refusal("U99", InvalidValue, lambda connection: choose_way(connection, JOB, "iron", ref="U99")),
    Refusal(
        "way", InvalidValue, lambda connection: choose_way(connection, JOB, "by magic", ref="U4")
    ),
    Refusal("U99", InvalidValue, lambda connection: wish(connection, JOB, "U99", None)),
    Refusal(
        "task", InvalidValue, lambda connection: task_done(connection, JOB, "no such task", 1.0)
    ),
    Refusal(
        "R1",
        InvalidValue,
        lambda connection: card_need(
            connection, ready_state(connection, JOB), "R1", Iron(tip_mm=1.6, set_c=340.0)
        ),
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
