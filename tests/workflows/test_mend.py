"""Mending, asked of a job where nothing is wrong."""

import sqlite3

import pytest

from yellowfen.errors import InvalidValue, NotFound, Refused
from yellowfen.workflows.mend import prevent, start_mending, touches_of

from .conftest import Refusal

JOB = 1
REFUSED = (
    Refusal(
        "no defect is marked", NotFound, lambda connection: touches_of(connection, JOB, "U4", "1")
    ),
    Refusal("no defect", Refused, lambda connection: start_mending(connection, JOB)),
    Refusal(
        "choose apertures or preheat",
        InvalidValue,
        lambda connection: prevent(connection, JOB, "U4", "pray"),
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
