"""Searches that are not there yet."""

import sqlite3

import pytest

from yellowfen.errors import NotFound
from yellowfen.workflows.long_work import cancel
from yellowfen.workflows.tasks import take_point, take_proposal, take_tour

from .conftest import Refusal

REFUSED = (
    Refusal("no work 9", NotFound, lambda connection: take_tour(connection, 9)),
    Refusal("there is no work 9", NotFound, lambda connection: take_proposal(connection, 9, "a")),
    Refusal("work 9", NotFound, lambda connection: take_point(connection, 9, 10.0, 20.0)),
    Refusal("is no work 9", NotFound, lambda connection: cancel(connection, 9)),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
