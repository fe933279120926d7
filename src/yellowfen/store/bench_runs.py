"""Runs at the bench, of every kind: their plan, taps and note, and what looks found at the joints."""

import sqlite3
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import TypeVar

from yellowfen.core.deposit.hand_plan import HandPlan
from yellowfen.core.heat.heat_plan import Forecast, HeatPlan
from yellowfen.core.heat.revise import Course
from yellowfen.core.work.bench_run import RunKind, RunState, Script, Tap, state_after
from yellowfen.core.work.bench_scripts import (
    CheckPlan,
    IronPlan,
    KitPlan,
    MendRun,
    PadsRun,
    PlacingPlan,
    PrintRun,
    WashRun,
    check_script,
    hand_script,
    iron_script,
    kit_script,
    mend_script,
    pads_script,
    placing_script,
    print_script,
    wash_script,
)
from yellowfen.core.work.heat_script import (
    ALL_FLOWED,
    AWAY,
    SOLID,
    START,
    flowed_key,
    heat_script,
    lifted_key,
    near_key,
    stop_key,
)
from yellowfen.core.work.job import FoundMark
from yellowfen.core.work.look_script import LookPlan, found_by, look_script
from yellowfen.errors import NotFound
from yellowfen.store.packing import pack, readable, unpack

Plan = (
    HeatPlan
    | PlacingPlan
    | HandPlan
    | KitPlan
    | LookPlan
    | IronPlan
    | PadsRun
    | CheckPlan
    | MendRun
    | PrintRun
    | WashRun
)
_P = TypeVar("_P", bound=Plan)
SOLDERING = (RunKind.HEAT, RunKind.IRON, RunKind.MEND)
PLANS: dict[RunKind, type[Plan]] = {
    RunKind.HEAT: HeatPlan,
    RunKind.PLACE: PlacingPlan,
    RunKind.PASTE: HandPlan,
    RunKind.KIT: KitPlan,
    RunKind.LOOK: LookPlan,
    RunKind.IRON: IronPlan,
    RunKind.PADS: PadsRun,
    RunKind.CHECK: CheckPlan,
    RunKind.MEND: MendRun,
    RunKind.WASH: WashRun,
    RunKind.PRINT: PrintRun,
}


@dataclass(frozen=True, kw_only=True)
class BenchRun:
    """One run: what it follows, what was tapped, what was noted afterwards; `marks` is what looks
    at the joints soldered in it found; a look tells in `looks_at` at which run's.
    """

    id: int
    job_id: int
    job_name: str
    board_id: int
    board_name: str
    kind: RunKind
    side: str
    started_at: str
    plan: Plan
    forecast: Forecast | None
    taps: tuple[Tap, ...] = ()
    marks: tuple[FoundMark, ...] = ()
    note: str = ""
    finished: bool = False
    heat_id: int | None = None
    piece_id: int | None = None
    looks_at: int | None = None

    def planned(self, kind: type[_P]) -> _P:
        """The plan as one of its kind. Raises TypeError for another."""
        if not isinstance(self.plan, kind):
            raise TypeError(f"a {self.kind} run has no {kind.__name__}")
        return self.plan

    @cached_property
    def script(self) -> Script:
        """The cues it goes through."""
        match self.plan:
            case HeatPlan():
                return heat_script(self.plan, self.forecast or Forecast(targets=()))
            case PlacingPlan():
                return placing_script(self.plan)
            case HandPlan():
                return hand_script(self.plan)
            case KitPlan():
                return kit_script(self.plan)
            case LookPlan():
                return look_script(self.plan)
            case IronPlan():
                return iron_script(self.plan)
            case PadsRun():
                return pads_script(self.plan)
            case CheckPlan():
                return check_script(self.plan)
            case MendRun():
                return mend_script(self.plan)
            case WashRun():
                return wash_script(self.plan)
            case PrintRun():
                return print_script(self.plan)

    @property
    def targets(self) -> tuple[str, ...]:
        """The parts that were soldered in it."""
        match self.plan:
            case HeatPlan():
                return self.plan.targets
            case IronPlan():
                return self.plan.refs
            case _:
                return ()

    @property
    def set_to(self) -> str:
        """What was set, in words."""
        match self.plan:
            case HeatPlan():
                return f"{self.plan.in_words()}, {self.plan.alloy}"
            case IronPlan():
                return f"by iron, {self.plan.iron}" if self.plan.iron else "by iron"
            case _:
                return ""

    @cached_property
    def state(self) -> RunState:
        return state_after(self.script, self.taps)

    def seconds_of(self, cue: str) -> float | None:
        """Seconds from the start to a cue's tap, None where it was not tapped."""
        at = next((tap.at_ms for tap in self.taps if tap.cue == cue and tap.word == "done"), None)
        return None if at is None else (at - self.taps[0].at_ms) / 1000

    def flowed_s(self, ref: str) -> float | None:
        """When a part was seen to flow in a heat (of a tour: its stop), or None."""
        stops = self.forecast.stops if self.forecast else ()
        number = next((n for n, stop in enumerate(stops, 1) if ref in stop.refs), None)
        if number is not None:
            return self.seconds_of(stop_key(number))
        if self.lifting:
            return self.seconds_of(lifted_key(ref))
        grouped = self.forecast is not None and self.forecast.grouped
        return self.seconds_of(ALL_FLOWED if grouped else flowed_key(ref))

    @property
    def molten(self) -> tuple[str, ...]:
        """Parts seen to flow in a heat."""
        return tuple(ref for ref in self.targets if self.flowed_s(ref) is not None)

    @property
    def lifting(self) -> bool:
        """True for a heat that takes parts off."""
        return isinstance(self.plan, HeatPlan) and self.plan.lifts

    @property
    def lifted(self) -> tuple[str, ...]:
        """Parts taken off in it."""
        return self.molten if self.lifting else ()

    @property
    def moved(self) -> tuple[str, ...]:
        """Neighbours that a lift moved or took along."""
        return tuple(
            key.removeprefix(near_key(""))
            for key, word in self.state.aside.items()
            if key.startswith(near_key("")) and word == "moved"
        )

    @property
    def in_doubt_first(self) -> tuple[str, ...]:
        """Its parts, those not seen to flow before the others: where Look begins."""
        return tuple(sorted(self.targets, key=lambda ref: ref in self.molten))

    @property
    def clocked(self) -> bool:
        """True for a heat that was run by the clock."""
        return any(tap.cue in (START, AWAY, SOLID) for tap in self.taps)


_COLUMNS = (
    "SELECT bench_run.id, bench_run.job_id, job.name AS job_name, job.board_id,"
    " board.name AS board_name, bench_run.kind, bench_run.side, bench_run.started_at,"
    " bench_run.plan, bench_run.forecast, bench_run.note, bench_run.finished,"
    " bench_run.heat_id, bench_run.piece_id, bench_run.looks_at"
    " FROM bench_run JOIN job ON job.id = bench_run.job_id JOIN board ON board.id = job.board_id"
    " WHERE bench_run.removed_at IS NULL AND"
)


def add(
    connection: sqlite3.Connection,
    job_id: int,
    kind: RunKind,
    plan: Plan,
    *,
    side: str = "",
    forecast: Forecast | None = None,
    looks_at: int | None = None,
) -> int:
    """Open a run on the job's piece in hand (a heat also on its heat, a look at a run's joints);
    returns its id.
    """
    cursor = connection.execute(
        "INSERT INTO bench_run"
        " (job_id, kind, side, started_at, plan, forecast, heat_id, piece_id, looks_at)"
        " SELECT id, ?, ?, datetime('now'), ?, ?, CASE ? WHEN 'heat' THEN heat_id END, piece_id, ?"
        " FROM job WHERE id = ?",
        (
            str(kind),
            side,
            pack(plan),
            None if forecast is None else pack(forecast),
            str(kind),
            looks_at,
            job_id,
        ),
    )
    return int(cursor.lastrowid or 0)


def get(connection: sqlite3.Connection, run_id: int) -> BenchRun:
    """The run of that id; NotFound otherwise."""
    row = connection.execute(f"{_COLUMNS} bench_run.id = ?", (run_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no run {run_id}; it may have been removed")
    return _run(connection, row)


def latest(
    connection: sqlite3.Connection, job_id: int, kind: RunKind, side: str | None = None
) -> BenchRun | None:
    """The newest run of a kind (and side) on the job's board in hand, or None. A run on all boards
    alike is one on each; a kit is fetched for all of them.
    """
    row = connection.execute(
        f"{_COLUMNS} bench_run.job_id = ? AND bench_run.kind = ?"
        " AND (? IS NULL OR bench_run.side = ?)"
        " AND (bench_run.kind = 'kit' OR job.piece_id IS NULL OR bench_run.piece_id IS NULL"
        " OR bench_run.piece_id = job.piece_id) ORDER BY bench_run.id DESC LIMIT 1",
        (job_id, str(kind), side, side),
    ).fetchone()
    return _run(connection, row) if row else None


def latest_soldering(connection: sqlite3.Connection, job_id: int) -> BenchRun | None:
    """The newest heat or run by iron on the board in hand that put parts on, or None: what Look and
    Finish speak of.
    """
    found = connection.execute(
        f"{_COLUMNS} bench_run.job_id = ? AND bench_run.kind IN ('heat', 'iron')"
        " AND coalesce(json_extract(bench_run.plan, '$.goal'), 'solder') <> 'lift'"
        " AND (job.piece_id IS NULL OR bench_run.piece_id IS NULL"
        " OR bench_run.piece_id = job.piece_id) ORDER BY bench_run.id DESC LIMIT 1",
        (job_id,),
    ).fetchone()
    return _run(connection, found) if found else None


def unfinished(connection: sqlite3.Connection, job_id: int, kind: RunKind) -> BenchRun | None:
    """The job's newest run of a kind if it was begun and something of it is still to do."""
    run = latest(connection, job_id, kind)
    return run if run is not None and run.taps and run.state.to_do else None


def rows(
    connection: sqlite3.Connection,
    kind: RunKind | None = None,
    most: int = 200,
    job_id: int | None = None,
) -> list[BenchRun]:
    """The newest runs of all jobs (or one), of a kind or of all."""
    found = connection.execute(
        f"{_COLUMNS} (? IS NULL OR bench_run.kind = ?) AND (? IS NULL OR bench_run.job_id = ?)"
        " ORDER BY bench_run.id DESC LIMIT ?",
        (kind and str(kind), kind and str(kind), job_id, job_id, most),
    ).fetchall()
    return readable(found, lambda row: _run(connection, row))


def of_piece(connection: sqlite3.Connection, piece_id: int) -> list[BenchRun]:
    """All runs on a piece, over all jobs, the newest first."""
    found = connection.execute(
        f"{_COLUMNS} bench_run.piece_id = ? ORDER BY bench_run.id DESC", (piece_id,)
    ).fetchall()
    return readable(found, lambda row: _run(connection, row))


def prints_for(connection: sqlite3.Connection, piece_id: int) -> list[BenchRun]:
    """Runs that printed a piece, by itself or with all boards of its jobs, the newest first."""
    found = connection.execute(
        f"{_COLUMNS} bench_run.kind = 'print' AND (bench_run.piece_id = ? OR (bench_run.piece_id"
        " IS NULL AND bench_run.job_id IN (SELECT job_id FROM job_piece WHERE piece_id = ?)))"
        " ORDER BY bench_run.id DESC",
        (piece_id, piece_id),
    ).fetchall()
    return readable(found, lambda row: _run(connection, row))


def _run(connection: sqlite3.Connection, row: sqlite3.Row) -> BenchRun:
    kind = RunKind(row["kind"])
    return BenchRun(
        id=row["id"],
        job_id=row["job_id"],
        job_name=row["job_name"],
        board_id=row["board_id"],
        board_name=row["board_name"],
        kind=kind,
        side=row["side"],
        started_at=row["started_at"],
        plan=_look_plan(row["plan"]) if kind is RunKind.LOOK else unpack(PLANS[kind], row["plan"]),
        forecast=None if row["forecast"] is None else unpack(Forecast, row["forecast"]),
        taps=taps_of(connection, row["id"]),
        marks=_marks(connection, row["id"]) if kind in SOLDERING else (),
        note=row["note"],
        finished=bool(row["finished"]),
        heat_id=row["heat_id"],
        piece_id=row["piece_id"],
        looks_at=row["looks_at"],
    )


def taps_of(connection: sqlite3.Connection, run_id: int) -> tuple[Tap, ...]:
    """A run's taps, oldest first."""
    found = connection.execute(
        "SELECT key, cue, word, at_ms, text FROM bench_tap WHERE run_id = ? ORDER BY id", (run_id,)
    ).fetchall()
    return tuple(
        Tap(key=row["key"], cue=row["cue"], word=row["word"], at_ms=row["at_ms"], text=row["text"])
        for row in found
    )


@lru_cache(maxsize=4)
def _look_plan(text: str) -> LookPlan:
    """The plan of a look: thousands of joints on a large board, read again at every tap."""
    return unpack(LookPlan, text)


def _marks(connection: sqlite3.Connection, run_id: int) -> tuple[FoundMark, ...]:
    """What looks at the joints of a run found: of each joint the newest."""
    looks = connection.execute(
        "SELECT id, plan FROM bench_run WHERE looks_at = ? AND removed_at IS NULL ORDER BY id",
        (run_id,),
    ).fetchall()
    found: dict[tuple[str, str], FoundMark] = {}
    for row in looks:
        plan, taps = _look_plan(row["plan"]), taps_of(connection, row["id"])
        for mark in found_by(plan, state_after(look_script(plan), taps), taps) if taps else ():
            found[mark.ref, mark.pin] = mark
    return tuple(found.values())


def looks(connection: sqlite3.Connection, run_id: int) -> list[BenchRun]:
    """The looks at the joints of a run, the newest first."""
    found = connection.execute(
        f"{_COLUMNS} bench_run.looks_at = ? ORDER BY bench_run.id DESC", (run_id,)
    ).fetchall()
    return [_run(connection, row) for row in found]


def keep_course(connection: sqlite3.Connection, run_id: int, course: Course) -> None:
    """Keep the samples that a run's forecast was read off."""
    connection.execute(
        "INSERT INTO run_course (run_id, content) VALUES (?, ?)"
        " ON CONFLICT (run_id) DO UPDATE SET content = excluded.content",
        (run_id, pack(course)),
    )


def course(connection: sqlite3.Connection, run_id: int) -> Course | None:
    """Those samples; None for a run that has none (an earlier one, or no heat)."""
    row = connection.execute(
        "SELECT content FROM run_course WHERE run_id = ?", (run_id,)
    ).fetchone()
    return None if row is None else unpack(Course, row["content"])


def add_tap(connection: sqlite3.Connection, run_id: int, tap: Tap) -> None:
    """Store a tap; the same key twice is the same tap."""
    connection.execute(
        "INSERT INTO bench_tap (run_id, key, cue, word, at_ms, text) VALUES (?, ?, ?, ?, ?, ?)"
        " ON CONFLICT (run_id, key) DO NOTHING",
        (run_id, tap.key, tap.cue, tap.word, tap.at_ms, tap.text),
    )


def set_over(connection: sqlite3.Connection, run_id: int, over: bool) -> None:
    """Keep whether anything of a run is still to do."""
    connection.execute("UPDATE bench_run SET over = ? WHERE id = ?", (int(over), run_id))


def remove_tap(connection: sqlite3.Connection, run_id: int, key: str) -> None:
    """Take a tap back."""
    connection.execute("DELETE FROM bench_tap WHERE run_id = ? AND key = ?", (run_id, key))


def keep_note(connection: sqlite3.Connection, run_id: int, note: str, finished: bool) -> None:
    """Store the run's note and whether it is finished."""
    connection.execute(
        "UPDATE bench_run SET note = ?, finished = ? WHERE id = ?", (note, int(finished), run_id)
    )


def remove(connection: sqlite3.Connection, run_id: int, back: bool = False) -> None:
    """Put a run away with the looks at its joints, or bring it `back` with those that went along."""
    mine = "(id = ?1 OR looks_at = ?1)"
    if back:
        connection.execute(
            f"UPDATE bench_run SET removed_at = NULL WHERE {mine}"
            " AND removed_at >= (SELECT removed_at FROM bench_run WHERE id = ?1)",
            (run_id,),
        )
    else:
        connection.execute(
            f"UPDATE bench_run SET removed_at = datetime('now') WHERE {mine} AND removed_at IS NULL",
            (run_id,),
        )


def removed(connection: sqlite3.Connection, days: int = 14) -> list[tuple[int, str]]:
    """Runs put away lately, (id, the job's name and the kind), the newest first."""
    found = connection.execute(
        "SELECT bench_run.id, job.name, bench_run.kind FROM bench_run"
        " JOIN job ON job.id = bench_run.job_id"
        " WHERE bench_run.removed_at > datetime('now', ?) AND bench_run.looks_at IS NULL"
        " ORDER BY bench_run.removed_at DESC",
        (f"-{days} days",),
    ).fetchall()
    return [(row["id"], f"{row['name']}, {row['kind']}") for row in found]
