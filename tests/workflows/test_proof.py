"""Supplies, function steps, lessons and washing."""

import sqlite3

import pytest

from yellowfen.errors import InvalidValue, NotFound, Refused
from yellowfen.workflows.proof import (
    add_step,
    forget_lesson,
    remove_step,
    say_supplies,
    start_function,
)

from .conftest import Refusal

JOB, BOARD = 1, 1
REFUSED = (
    Refusal(
        "NOWHERE",
        InvalidValue,
        lambda connection: say_supplies(connection, JOB, ground="NOWHERE", supplies="", nets=""),
    ),
    Refusal(
        "U99",
        InvalidValue,
        lambda connection: add_step(connection, JOB, name="x", expect="y", joints="U99.1"),
    ),
    Refusal("step", NotFound, lambda connection: remove_step(connection, JOB, "never written")),
    Refusal("not on the list", NotFound, lambda connection: forget_lesson(connection, BOARD, 3)),
    Refusal("step", Refused, lambda connection: start_function(connection, JOB)),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
