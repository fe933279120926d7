"""Surveying, lifting and the pads of a part."""

import sqlite3

import pytest

from yellowfen.errors import InvalidValue
from yellowfen.store import boards, jobs
from yellowfen.workflows.rework import asked_ways, off_scene, pads_of, write_passport

from .conftest import Refusal

JOB, BOARD = 1, 1
REFUSED = (
    Refusal(
        "U99",
        InvalidValue,
        lambda connection: asked_ways(connection, jobs.get(connection, JOB), "U99"),
    ),
    Refusal(
        "U99",
        InvalidValue,
        lambda connection: pads_of(connection, jobs.get(connection, JOB), "U99"),
    ),
    Refusal("U99", InvalidValue, lambda connection: write_passport(connection, JOB, "U99")),
    Refusal(
        "U99",
        InvalidValue,
        lambda connection: off_scene(
            boards.get(connection, BOARD), jobs.get(connection, JOB).plan, "U99", "Sn63Pb37"
        ),
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
