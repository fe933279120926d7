"""Ways, wishes and the schedule of a job."""

import sqlite3
from dataclasses import replace

import pytest

from yellowfen.core.board.sketch import SketchedPart
from yellowfen.core.heat.source import Iron
from yellowfen.core.work.job import Purpose
from yellowfen.core.work.technique import techniques
from yellowfen.errors import InvalidValue
from yellowfen.store import jobs
from yellowfen.workflows import sketching
from yellowfen.workflows.jobs import open_job
from yellowfen.workflows.ready import card_need, choose_way, ready_state, task_done, wish

from .conftest import Refusal

JOB = 1
REFUSED = (
    Refusal("U99", InvalidValue, lambda connection: choose_way(connection, JOB, "iron", ref="U99")),
    Refusal(
        "way", InvalidValue, lambda connection: choose_way(connection, JOB, "by magic", ref="U4")
    ),
    Refusal("U99", InvalidValue, lambda connection: wish(connection, JOB, "U99", None)),
    Refusal(
        "task", InvalidValue, lambda connection: task_done(connection, JOB, "no such task", 1.0)
    ),
    Refusal(
        "R1",
        InvalidValue,
        lambda connection: card_need(
            connection, ready_state(connection, JOB), "R1", Iron(tip_mm=1.6, set_c=340.0)
        ),
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)


def test_ways_are_chosen_for_the_sides_that_sides_tells(connection: sqlite3.Connection) -> None:
    """A board whose parts by iron tip the balance: chip below, coil on top; and the demo."""
    board = sketching.begin(connection, "Tipped")
    parts = (
        SketchedPart(ref="L1", package="IND-10", x_mm=15, y_mm=15),
        SketchedPart(ref="J1", package="CONN-4-1.25", x_mm=30, y_mm=15),
        SketchedPart(ref="U1", package="SOIC-8", x_mm=15, y_mm=15, side="bottom"),
        *(
            SketchedPart(ref=f"C{n}", package="0603", x_mm=5 + 3 * n, y_mm=25, side="bottom")
            for n in range(1, 5)
        ),
    )
    sketching.keep(
        connection,
        board,
        replace(sketching.sketch_of(connection, board), parts=parts, width_mm=45.0),
    )
    for job in (open_job(connection, board, "", Purpose.BUILD), jobs.rows(connection)[-1].id):
        state = ready_state(connection, job)
        again = techniques(
            state.whole,
            state.paste.paste,
            state.tools,
            wishes=state.plan.ways(),
            second=state.sides.second,
            boards=state.plan.boards,
            costs=state.paste.plan.costs,
        )
        chosen = {one.part.ref: one.chosen.way for one in again.ways}
        assert {one.part.ref: one.chosen.way for one in state.ways} == {
            ref: way for ref, way in chosen.items() if ref in {one.part.ref for one in state.ways}
        }
