"""Opening jobs and naming their parts and boards."""

import sqlite3
from dataclasses import replace
from pathlib import Path

import pytest

from yellowfen.core.bench.station import Tool, ToolKind
from yellowfen.core.heat.heat_plan import SourceKind
from yellowfen.core.heat.source import HotPlate
from yellowfen.core.work.job import Purpose
from yellowfen.core.work.technique import iron_reaches
from yellowfen.errors import InvalidValue, NotFound
from yellowfen.store import archive, boards, jobs, materials, tools
from yellowfen.store import bench_runs as stored_runs
from yellowfen.store.paste import paste_plan_of
from yellowfen.workflows import bench_runs
from yellowfen.workflows.boards import import_board
from yellowfen.workflows.jobs import (
    beside_ways,
    change_purpose,
    open_job,
    parts_named,
    pieces_named,
)
from yellowfen.workflows.ready import choose_way, ready_state

from .conftest import Refusal

FOREIGN = Path(__file__).parents[1] / "data" / "boards"

JOB, BOARD = 1, 1
REFUSED = (
    Refusal(
        "U99", InvalidValue, lambda connection: parts_named(boards.get(connection, BOARD), "U4 U99")
    ),
    Refusal(
        "pieces",
        InvalidValue,
        lambda connection: pieces_named(", ".join(f"b{n}" for n in range(500))),
    ),
    Refusal(
        "part", InvalidValue, lambda connection: open_job(connection, BOARD, "x", Purpose.REWORK)
    ),
    Refusal("no board", NotFound, lambda connection: open_job(connection, 99, "x", Purpose.BUILD)),
    Refusal(
        "parts",
        InvalidValue,
        lambda connection: change_purpose(connection, JOB, "x", Purpose.SALVAGE, (), ()),
    ),
)


@pytest.mark.parametrize("one", REFUSED, ids=[one.says for one in REFUSED])
def test_what_cannot_be_is_said(connection: sqlite3.Connection, one: Refusal) -> None:
    one.check(connection)


def foreign(connection: sqlite3.Connection, name: str) -> int:
    files = [(one.name, one.read_bytes()) for one in sorted((FOREIGN / name).iterdir())]
    return import_board(connection, files, name, 1.6)


@pytest.mark.parametrize("name", ["demo", "two-sided"])
def test_heats_follow_the_methods_and_what_they_leave_follows_them(
    connection: sqlite3.Connection, name: str
) -> None:
    """A build begins on the bench's plate where the methods count on it, with a paste that the
    bench has; what a heat leaves is the iron's everywhere, until it is chosen to be done otherwise.
    """
    for one in tools.rows(connection):
        archive.put_away(connection, "tool", one.id)
    board = BOARD if name == "demo" else foreign(connection, name)
    job = jobs.get(connection, open_job(connection, board, "in air", Purpose.BUILD))
    assert {heat.plan.source for heat in job.heats} == {SourceKind.AIR}
    assert beside_ways(connection, job) == ""
    plate = tools.add(connection, Tool(0, ToolKind.PLATE, "Our plate", HotPlate(set_c=240.0)))
    job = jobs.get(connection, open_job(connection, board, "on the plate", Purpose.BUILD))
    first = job.heats[0].plan
    assert (first.source, first.tool_id) == (SourceKind.PLATE, plate)
    assert beside_ways(connection, job) == ""
    lots = materials.lots(connection)
    assert paste_plan_of(connection, job.id).lot_id in {lot.id for lot in lots}
    assert first.alloy == lots[0].paste.alloy

    state = ready_state(connection, job.id)
    ref = next(one for one in first.targets if iron_reaches(state.way(one)))
    before, targets = state.way(ref).chosen.way, tuple(one for one in first.targets if one != ref)
    jobs.keep_heat(
        connection, job.heats[0].id, replace(first, targets=targets, absent=(ref, *first.absent))
    )
    state = ready_state(connection, job.id)
    assert ref in state.by_iron
    assert "iron" in state.way(ref).why
    assert beside_ways(connection, jobs.get(connection, job.id)) == ""
    run = bench_runs.start_by_iron(connection, job.id, ref)
    assert stored_runs.get(connection, run).targets == (ref,)
    choose_way(connection, job.id, str(before), ref)
    state = ready_state(connection, job.id)
    assert ref not in state.by_iron
    assert f"{ref} is pasted but in no heat" in beside_ways(
        connection, jobs.get(connection, job.id)
    )
