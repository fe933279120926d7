"""Parts and packages that are not there."""

import sqlite3

import pytest

from yellowfen.errors import NotFound, UnreadableFile
from yellowfen.workflows.parts import part_of, take_in

from .conftest import Refusal

BOARD = 1
REFUSED = (
    Refusal("U99", NotFound, lambda connection: part_of(connection, BOARD, "U99")),
    Refusal("package", UnreadableFile, lambda connection: take_in(connection, b"{}", "a.json")),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
