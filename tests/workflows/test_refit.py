"""Refitting a part, and its adapter."""

import sqlite3
from dataclasses import replace

import pytest

from yellowfen.core.board.board import BoardPart
from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.part.package import with_lands
from yellowfen.errors import InvalidValue
from yellowfen.store import boards, jobs
from yellowfen.workflows.refit import adapter_of, refit_ways

from .conftest import Refusal

JOB, BOARD = 1, 1


def unnumbered(part: BoardPart) -> BoardPart:
    lands = tuple(replace(one, pin=f"A{one.pin}") for one in part.package.lands)
    return replace(part, package=with_lands(part.package, lands))


REFUSED = (
    Refusal(
        "U99",
        InvalidValue,
        lambda connection: refit_ways(connection, jobs.get(connection, JOB), "U99"),
    ),
    Refusal(
        "pins",
        InvalidValue,
        lambda connection: adapter_of(
            unnumbered(boards.get(connection, BOARD).part("J1")), alloy_named("Sn63Pb37")
        ),
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)
