"""Pictures that are none, and what has no picture."""

import sqlite3

import pytest

from yellowfen.core.look.picture_work import PictureWork
from yellowfen.errors import NotFound, UnreadableFile
from yellowfen.workflows.pictures import keep_picture, laid

from .conftest import Refusal

JOB = 1
REFUSED = (
    Refusal(
        "picture",
        UnreadableFile,
        lambda connection: keep_picture(connection, JOB, b"no picture", "a.jpg", PictureWork()),
    ),
    Refusal("no picture 7", NotFound, lambda connection: laid(connection, 7)),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
