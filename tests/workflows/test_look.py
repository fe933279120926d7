"""Looking and the meter, asked of a job where there is nothing to look at, and their laws."""

import sqlite3

import pytest

from yellowfen.core.work.job import FoundMark, Verdict
from yellowfen.errors import NotFound, Refused
from yellowfen.workflows.look import mark_joints, start_looking, take_back

from .conftest import Refusal

JOB = 1
REFUSED = (
    Refusal("nothing was soldered", Refused, lambda connection: start_looking(connection, JOB)),
    Refusal(
        "no joint to inspect",
        Refused,
        lambda connection: mark_joints(connection, JOB, [FoundMark("U4", "1", Verdict.GOOD)]),
    ),
    Refusal(
        "has no inspection mark", NotFound, lambda connection: take_back(connection, JOB, "U4", "1")
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
