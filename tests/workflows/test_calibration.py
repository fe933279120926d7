"""Tests that teach nothing."""

import sqlite3

import pytest

from yellowfen.errors import InvalidValue
from yellowfen.workflows.calibration import Scrap, from_runs, log_test

from .conftest import Refusal

REFUSED = (
    Refusal("'melted' tap", InvalidValue, lambda connection: from_runs(connection, 1)),
    Refusal(
        "which station or tool",
        InvalidValue,
        lambda connection: log_test(
            connection,
            "a.csv",
            b"s,C\n" + b"".join(b"%d,%d\n" % (n, 20 + n) for n in range(12)),
            ((0.0, 0.0),),
            2.0,
            Scrap(),
            23.0,
        ),
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
