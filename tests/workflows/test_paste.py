"""The paste plan and weighing a print."""

import sqlite3

import pytest

from yellowfen.core.deposit.paste_plan import PastePlan
from yellowfen.errors import InvalidValue, NotFound
from yellowfen.workflows.paste import keep_paste_plan, weigh

from .conftest import Refusal

JOB = 1
REFUSED = (
    Refusal("no job", NotFound, lambda connection: keep_paste_plan(connection, 99, PastePlan())),
    Refusal(
        "no paste 99",
        NotFound,
        lambda connection: keep_paste_plan(connection, JOB, PastePlan(lot_id=99)),
    ),
    Refusal(
        "choose whether top, bottom",
        InvalidValue,
        lambda connection: weigh(connection, JOB, "", 1.0, 2.0, 0.1, 1),
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
