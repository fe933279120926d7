"""Sketches, and the picture beneath one."""

import sqlite3

import pytest

from yellowfen.errors import NotFound, Refused
from yellowfen.workflows.sketching import lay_picture, sketch_of

from .conftest import Refusal

BOARD = 1
REFUSED = (
    Refusal("no board", NotFound, lambda connection: sketch_of(connection, 99)),
    Refusal(
        "only sketched patches",
        Refused,
        lambda connection: lay_picture(connection, BOARD, b"no picture", "a.jpg"),
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
