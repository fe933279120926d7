"""Jobs done at random, event by event: every page of the job says the same of its boards, and a tap
that was taken back leaves no trace on any of them.
"""

import html
import random
import re
import sqlite3
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from uuid import uuid4

import pytest
from fastapi.testclient import TestClient

from yellowfen.core.board.sketch import Plane, SketchedPart
from yellowfen.core.run.ledger import Ledger
from yellowfen.core.run.look import LOOK, REST_GOOD
from yellowfen.core.work.job import Purpose
from yellowfen.errors import Refused
from yellowfen.store import bench_runs as stored
from yellowfen.store import boards, jobs
from yellowfen.workflows import bench_runs, look, mend, rework, sketching, washing
from yellowfen.workflows.jobs import open_job
from yellowfen.workflows.ledger import ledger_of_piece, scope_of
from yellowfen.workflows.opening import connect_existing

PARTS = (
    SketchedPart(ref="U1", package="SOIC-8", x_mm=9, y_mm=14),
    SketchedPart(ref="C1", package="0805", x_mm=19, y_mm=14),
    SketchedPart(ref="R1", package="0603", x_mm=19, y_mm=8),
)
STORIES = ((Purpose.BUILD, 1), (Purpose.BUILD, 2), (Purpose.REWORK, 1), (Purpose.SALVAGE, 2))
EVENTS = 36


@dataclass(frozen=True)
class Said:
    """What the pages of a job say, in plain words, without what is no fact of it."""

    strip: dict[str, bool]
    boards: dict[str, str]
    finish: str
    logbook: str


@dataclass
class Bench:
    client: TestClient
    connection: sqlite3.Connection
    job: int
    chance: random.Random
    at_ms: int = 1_790_000_000_000
    run: int = 0

    def text(self, path: str) -> str:
        answer = self.client.get(path)
        assert answer.status_code == 200, path
        plain = re.sub(r"<(script|svg|style).*?</\1>", " ", answer.text, flags=re.S)
        return re.sub(r"\s+", " ", html.unescape(re.sub(r"<[^>]+>", " ", plain)))

    def said(self) -> Said:
        pieces = self.client.get(f"/jobs/{self.job}/pieces").text
        links = re.findall(r'<ol class="strip">(.*?)</ol>', pieces, flags=re.S)[0]
        names = re.findall(r"<a [^>]*>(.*?)</a>", links, flags=re.S)
        plain = [re.sub(r"<[^>]+>|\s+", " ", html.unescape(one)) for one in names]
        shown = re.findall(r">Board (\w+)</h2>.*?(\d+ of \d+ placed, \d+ soldered)", pieces, re.S)
        finish = self.text(f"/jobs/{self.job}/finish") if self.soldered_once() else ""
        return Said(
            strip={one.replace("✓", "").strip(): "✓" in one for one in plain},
            boards=dict(shown),
            finish=finish,
            logbook=self.text("/logbook"),
        )

    def soldered_once(self) -> bool:
        return bool(look.soldering(self.connection, jobs.get(self.connection, self.job)))

    def ledger(self) -> Ledger:
        job = jobs.get(self.connection, self.job)
        return ledger_of_piece(self.connection, job, job.piece)

    def begin(self) -> bool:
        """Open one of the runs that the job may open now."""
        job, scope = jobs.get(self.connection, self.job), [part.ref for part in PARTS]
        cold = [ref for ref in scope if ref not in self.ledger().soldered(scope)]
        ref = self.chance.choice(cold or scope)
        starts: list[Callable[[], int]] = [
            lambda: bench_runs.start_placing(self.connection, self.job, "top"),
            lambda: bench_runs.start_heat(self.connection, self.job),
            lambda: bench_runs.note_soldered(self.connection, self.job, True),
            lambda: bench_runs.start_by_iron(self.connection, self.job, ref),
            lambda: look.start_looking(self.connection, self.job),
            lambda: mend.start_mending(self.connection, self.job),
            lambda: washing.start_cleaning(self.connection, self.job),
            lambda: look.start_meter(self.connection, self.job),
        ]
        if job.purpose is not Purpose.BUILD:
            starts += [
                lambda: rework.note_removed(self.connection, job, ref),
                lambda: rework.start_pads(self.connection, self.job, ref),
            ]
        if job.purpose is Purpose.BUILD and self.chance.random() < 0.7:
            starts = [starts[self._next()]]  # mostly in the order of the work
        try:
            self.run = self.chance.choice(starts)()
        except Refused:
            return False
        return True

    def _next(self) -> int:
        """Which of the runs that may be opened comes next by the board's own state."""
        ledger, scope = self.ledger(), [part.ref for part in PARTS]
        if not ledger.placed(scope):
            return 0
        if set(ledger.soldered(scope)) != set(scope):
            return self.chance.choice((1, 3))
        return self.chance.choice((4, 4, 7))

    def note(self) -> None:
        """A note for next time, of what was soldered last."""
        last = look.soldering(self.connection, jobs.get(self.connection, self.job))[0]
        self.client.post(f"/runs/{last.id}/finish", data={"note": "went well"})
        self.run = 0

    def tap(self) -> str:
        """One tap that may follow in the run in hand; its key, "" where none may."""
        run = stored.get(self.connection, self.run)
        if run.finished or not run.state.to_do:
            return ""
        self.at_ms += self.chance.randint(2_000, 60_000)
        usual = REST_GOOD if run.kind is LOOK else next(iter(run.kind.rule.words))
        word = self.chance.choice([usual] * 25 + [*run.kind.rule.words])
        key = uuid4().hex
        sent = {"key": key, "cue": run.state.to_do[0], "word": word, "at_ms": self.at_ms}
        answer = self.client.post(f"/api/runs/{self.run}/taps", json=sent)
        return key if answer.status_code == 200 else ""


@pytest.fixture
def bench(client: TestClient, request: pytest.FixtureRequest) -> Iterator[Bench]:
    purpose, count = STORIES[request.param % len(STORIES)]
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    board = sketching.begin(connection, "Patch")
    sketch = sketching.sketch_of(connection, board)
    sketching.keep(connection, board, replace(sketch, parts=PARTS, plane=Plane.YES))
    refs = tuple(part.ref for part in PARTS) if purpose is not Purpose.BUILD else ()
    names = tuple("AB"[:count])
    job = open_job(connection, board, "At random", purpose, refs, names)
    pieces = jobs.get(connection, job).pieces
    jobs.take_piece(connection, job, pieces[0].id)
    yield Bench(client, connection, job, random.Random(request.param))
    connection.close()


def agree(bench: Bench, said: Said) -> None:
    job = jobs.get(bench.connection, bench.job)
    scope = scope_of(boards.get(bench.connection, job.board_id), job)
    for piece in job.pieces:
        mine = ledger_of_piece(bench.connection, job, piece)
        placed, soldered = len(mine.placed(scope)), len(mine.soldered(scope))
        assert soldered <= placed <= len(scope)
        assert said.boards[piece.name] == f"{placed} of {len(scope)} placed, {soldered} soldered"
    ledger = bench.ledger()
    open_now = dict(ledger.not_done(scope, job.purpose, job.id))
    pasted = {ref for heat in job.heats for ref in heat.plan.targets} or set(scope)
    left_out = {ref for ref in scope if ledger.parts[ref].left_out}
    if said.strip.get("Place"):
        assert pasted <= set(ledger.placed(scope)) | left_out
    if said.strip.get("Heat"):
        assert set(ledger.soldered(scope)) | left_out == set(scope)
    good = "This board is good" in said.finish
    unfit = "This board is not good yet" in said.finish or "This board is not done" in said.finish
    assert not (said.strip.get("Finish") and unfit)
    if not said.finish:
        return
    assert not (good and (open_now or ledger.moved()))
    for ref in open_now:
        assert re.search(rf"\b{ref}\b", said.finish), ref
    state = look.look_state(bench.connection, bench.job)
    first, mended = (
        int(one)
        for one in re.search(r"(\d+) joints? good at first pass, (\d+) after", said.finish).groups()  # type: ignore[union-attr]
    )
    bad, unseen = (
        int(found[1]) if (found := re.search(rf"(\d+) {words}", said.finish)) else 0
        for words in ("bad", "not inspected")
    )
    stale = sum(one.pin != "" and one not in state.fresh for one in state.marks)
    seen = {one.key for one in state.joints if not one.hidden}
    whole = sum(one.pin == "" and one.verdict != "good" for one in state.marks)
    counted = first + mended + bad - whole + unseen
    assert counted >= len(seen), (first, mended, bad, unseen, whole)
    assert counted - stale <= len(seen), (first, mended, bad, unseen, stale)


@pytest.mark.parametrize("bench", range(8), indirect=True)
def test_pages_agree_after_every_event_and_an_undone_tap_never_was(bench: Bench) -> None:
    agree(bench, bench.said())
    events = 0
    most_heats = 0
    for _ in range(6 * EVENTS):
        if events >= EVENTS:
            break
        if bench.chance.random() < 0.12 and len(jobs.get(bench.connection, bench.job).pieces) > 1:
            other = bench.chance.choice(jobs.get(bench.connection, bench.job).pieces)
            jobs.take_piece(bench.connection, bench.job, other.id)
            bench.run, most_heats = 0, 0
        if bench.chance.random() < 0.2 and bench.soldered_once():
            bench.note()
        if (not bench.run or bench.chance.random() < 0.06) and not bench.begin():
            continue
        before = bench.said() if bench.chance.random() < 0.3 else None
        key = bench.tap()
        if not key:
            bench.run = 0
            continue
        events += 1
        if before is not None:
            undone = bench.client.delete(f"/api/runs/{bench.run}/taps/{key}")
            assert undone.status_code == 200
            assert bench.said() == before
            continue
        agree(bench, bench.said())
        heats = max((one.known for one in bench.ledger().pads.values()), default=0)
        assert heats >= most_heats
        most_heats = heats
    assert events >= EVENTS // 2
