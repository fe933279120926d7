"""Lists of pins and pictures from the command line."""

import sqlite3

import pytest

from yellowfen.errors import InvalidValue, UnreadableFile
from yellowfen.store import boards
from yellowfen.workflows.measuring import measured, pins_read

from .conftest import Refusal

BOARD = 1
REFUSED = (
    Refusal(
        "list",
        UnreadableFile,
        lambda connection: pins_read(b"\xff\x00", "a.json", boards.get(connection, BOARD), "top"),
    ),
    Refusal(
        "U99",
        InvalidValue,
        lambda connection: pins_read(
            b'[{"at": "U99.1", "px": [3, 3]}]', "a.json", boards.get(connection, BOARD), "top"
        ),
    ),
    Refusal(
        "picture",
        UnreadableFile,
        lambda connection: measured(boards.get(connection, BOARD), b"no picture", (), side="top"),
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
