"""Questions to an iron: asked once, short, kept, and void when the job is changed."""

import json
import sqlite3
from dataclasses import replace

import pytest

from yellowfen.core.heat.source import Iron
from yellowfen.store import jobs, tasks, work
from yellowfen.workflows import iron_work
from yellowfen.workflows import tasks as searching
from yellowfen.workflows.heat import keep_heat_plan
from yellowfen.workflows.iron_answers import Question, QuestionKind, answer_in, answer_to, ask
from yellowfen.workflows.long_work import HEAT, IRON, WINDOW, do_one

JOB = 1


def touch(tip_mm: float) -> Question:
    iron = Iron(tip_mm=tip_mm, set_c=340.0)
    return Question(what=QuestionKind.TOUCH, ref="U4", pin="1", tie="signal", iron=iron)


@pytest.fixture
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    """Each question is answered at once by its tip."""

    def reckon(connection: sqlite3.Connection, job_id: int, question: Question) -> str:
        return json.dumps(question.iron.tip_mm if question.iron else None)

    monkeypatch.setattr(iron_work, "reckon", reckon)


@pytest.mark.usefixtures("quick")
def test_an_answer_holds_while_the_job_stands(
    connection: sqlite3.Connection, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A thing that does not touch the iron leaves it; the room's temperature does not."""
    asked = ask(connection, JOB, touch(1.6))
    assert ask(connection, JOB, touch(1.6)).id == asked.id != ask(connection, JOB, touch(2.4)).id
    assert answer_to(connection, JOB, touch(1.6)) is None
    assert do_one(connection, HEAT, "me")
    assert answer_to(connection, JOB, touch(1.6)) == "1.6"
    plan = jobs.get(connection, JOB).plan
    keep_heat_plan(connection, JOB, replace(plan, targets=(), moves=plan.moves[:1]))
    assert answer_to(connection, JOB, touch(1.6)) == "1.6"
    keep_heat_plan(connection, JOB, replace(plan, ambient_c=plan.ambient_c - 15.0))
    assert answer_to(connection, JOB, touch(1.6)) is None
    assert do_one(connection, HEAT, "me")
    told = [tasks.get(connection, one.id) for one in work.listed(connection)]
    assert [(one.state, one.said) for one in told] == [
        ("failed", "the job was changed meanwhile; ask again")
    ]
    assert ask(connection, JOB, touch(2.4)).state == work.WAITING  # of the job as it is now
    assert do_one(connection, HEAT, "me")
    monkeypatch.setattr(iron_work, "KEPT", 2)
    for tip in (0.8, 1.2, 3.0):
        ask(connection, JOB, touch(tip))
        assert do_one(connection, HEAT, "me")
    rows = connection.execute("SELECT id FROM work WHERE kind = ?", (IRON,)).fetchall()
    assert [answer_in(tasks.get(connection, row["id"])) for row in rows] == ["1.2", "3.0"]


def test_what_cannot_be_answered_is_refused_once(connection: sqlite3.Connection) -> None:
    """A page that asks again without a script does not ask for ever."""
    under = Question(
        what=QuestionKind.TOUCH,
        ref="U4",
        pin="no such pin",
        tie="signal",
        iron=Iron(tip_mm=1.6, set_c=340.0),
    )
    asked = ask(connection, JOB, under)
    assert do_one(connection, HEAT, "me")
    again = ask(connection, JOB, under)
    assert (again.id, again.state) == (asked.id, work.FAILED)
    assert "no pin" in again.said


@pytest.mark.usefixtures("quick")
def test_it_waits_for_no_search(
    connection: sqlite3.Connection, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Before a search that waits, and between the steps of one that goes on."""
    monkeypatch.setattr(searching, "MAP_SIZE", 3)
    window = searching.ask(connection, JOB, WINDOW)
    first = ask(connection, JOB, touch(1.6))
    assert do_one(connection, HEAT, "me")
    assert tasks.get(connection, first.id).state == work.DONE
    assert tasks.get(connection, window).steps == ()
    ends: list[int] = []
    goes_on = searching._goes_on

    def asked_between(connection: sqlite3.Connection, task: tasks.JobTask) -> bool:
        if not ends:
            other = ask(connection, JOB, touch(2.4))
            assert goes_on(connection, task)
            assert tasks.get(connection, other.id).state == work.DONE
            ends.append(len(tasks.get(connection, task.id).steps))
        return goes_on(connection, task)

    monkeypatch.setattr(searching, "_goes_on", asked_between)
    assert do_one(connection, HEAT, "me")
    assert tasks.get(connection, window).state == work.DONE
    assert ends == [0]
