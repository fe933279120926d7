"""Opening jobs and naming their parts and boards."""

import sqlite3

import pytest

from yellowfen.core.work.job import Purpose
from yellowfen.errors import InvalidValue, NotFound
from yellowfen.store import boards
from yellowfen.workflows.jobs import change_purpose, open_job, parts_named, pieces_named

from .conftest import Refusal

JOB, BOARD = 1, 1
REFUSED = (
    Refusal(
        "U99", InvalidValue, lambda connection: parts_named(boards.get(connection, BOARD), "U4 U99")
    ),
    Refusal(
        "pieces",
        InvalidValue,
        lambda connection: pieces_named(", ".join(f"b{n}" for n in range(500))),
    ),
    Refusal(
        "part", InvalidValue, lambda connection: open_job(connection, BOARD, "x", Purpose.REWORK)
    ),
    Refusal("no board", NotFound, lambda connection: open_job(connection, 99, "x", Purpose.BUILD)),
    Refusal(
        "parts",
        InvalidValue,
        lambda connection: change_purpose(connection, JOB, "x", Purpose.SALVAGE, (), ()),
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
