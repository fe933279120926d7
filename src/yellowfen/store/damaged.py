"""Records whose stored text no longer passes its own rules: found, shown, carried out, removed. A
damaged record never keeps the sound ones from being opened.
"""

import json
import sqlite3
from collections.abc import Hashable
from dataclasses import dataclass
from typing import Any

from yellowfen.core.bench.station import ToolKind
from yellowfen.core.board.board import Board
from yellowfen.core.board.choices import Choices
from yellowfen.core.board.sketch import Sketch
from yellowfen.core.deposit.paste_plan import ChangeStep, PastePlan
from yellowfen.core.deposit.weighing import Weighing
from yellowfen.core.heat.calibrate import Calibration
from yellowfen.core.heat.heat_plan import HeatPlan
from yellowfen.core.heat.source import HotAir
from yellowfen.core.look.picture_work import PictureWork
from yellowfen.core.metal.paste import Paste
from yellowfen.core.part.library import OwnPackage
from yellowfen.core.rework.legs import Passport
from yellowfen.core.rework.survey import Answers
from yellowfen.core.run.kinds import KINDS
from yellowfen.core.work.ready_plan import ReadyPlan
from yellowfen.errors import Damaged, NotFound
from yellowfen.store.moment import moment_words
from yellowfen.store.packing import unpack
from yellowfen.store.tools import CONTENT

# Table, column, kind, what it is, SQL for its name.
_KEPT: tuple[tuple[str, str, Hashable, str, str], ...] = (
    ("board", "content", Board, "board", "name"),
    ("board", "choices", Choices, "what was chosen for a board", "name"),
    ("board", "sketch", Sketch, "sketch", "name"),
    ("heat", "plan", HeatPlan, "heat of a job", "name"),
    ("station", "air", HotAir, "hot-air station", "name"),
    ("job", "parts", tuple[str, ...], "job", "name"),
    ("own_package", "content", OwnPackage, "package of yours", "name"),
    ("calibration", "result", Calibration, "calibration", "id"),
    ("picture", "work", PictureWork, "picture", "made_at"),
    ("paste_lot", "paste", Paste, "paste", "name"),
    ("paste_plan", "content", PastePlan, "paste settings of a job", "job_id"),
    ("ready_plan", "content", ReadyPlan, "plan settings of a job", "job_id"),
    ("opening_step", "content", ChangeStep, "changed apertures", "id"),
    ("weighing", "content", Weighing, "weighing", "id"),
    ("passport", "content", Passport, "passport of a part", "id"),
    ("survey", "content", Answers, "survey", "job_id"),
    ("bench_run", "plan", None, "run at the bench", "started_at"),
    ("tool", "content", None, "tool of the bench", "name"),
)


@dataclass(frozen=True, kw_only=True)
class DamagedRecord:
    """One record that cannot be read: where it stands, what it is, its name, what is wrong."""

    table: str
    row: int
    what: str
    name: str
    said: str


def found(connection: sqlite3.Connection) -> list[DamagedRecord]:
    """All damaged records, each told once."""
    records: dict[tuple[str, int], DamagedRecord] = {}
    for table, column, kind, what, name in _KEPT:
        extra = ", kind" if kind is None else ""
        rows = connection.execute(
            f"SELECT rowid AS row, {name} AS name, {column} AS text{extra} FROM {table}"
        )
        for row in rows:
            said = _problem(row, table, kind)
            if said and (table, row["row"]) not in records:
                records[(table, row["row"])] = DamagedRecord(
                    table=table,
                    row=row["row"],
                    what=what,
                    name=_named(row["name"], name),
                    said=said,
                )
    return list(records.values())


def _named(name: object, column: str) -> str:
    """A record's name as people know it; a moment by the clock on the wall."""
    try:
        return moment_words(str(name)) if column.endswith("_at") else str(name)
    except ValueError:
        return str(name)


def _problem(row: sqlite3.Row, table: str, kind: Hashable) -> str:
    if row["text"] is None:
        return ""
    try:
        own: Any = kind
        if own is None:
            own = (
                KINDS[row["kind"]].plan if table == "bench_run" else CONTENT[ToolKind(row["kind"])]
            )
        unpack(own, row["text"])
    except Damaged as problem:
        return str(problem)
    except (ValueError, KeyError):
        return f"its kind {row['kind']!r} is not known to this version"
    return ""


def carried_out(connection: sqlite3.Connection, table: str, row: int) -> str:
    """The record as it is stored, JSON of all its text columns. Raises NotFound where it is gone."""
    _known(table)
    kept = connection.execute(f"SELECT * FROM {table} WHERE rowid = ?", (row,)).fetchone()
    if kept is None:
        raise NotFound("there is no such record any more")
    return json.dumps(
        {key: kept[key] for key in kept.keys() if not isinstance(kept[key], bytes)},  # noqa: SIM118
        indent=1,
        default=str,
    )


def remove(connection: sqlite3.Connection, table: str, row: int) -> None:
    """Take a damaged record out; one that is sound stays.

    Raises NotFound when it is sound or gone.
    """
    _known(table)
    if not any((one.table, one.row) == (table, row) for one in found(connection)):
        raise NotFound("this record is not damaged, or it is gone; read the page again")
    connection.execute(f"DELETE FROM {table} WHERE rowid = ?", (row,))


def _known(table: str) -> None:
    if table not in {one[0] for one in _KEPT}:
        raise NotFound("there is no such record")
