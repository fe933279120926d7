"""The worker's answers to what was asked of an iron (`iron_answers`)."""

import json
import sqlite3

from yellowfen.errors import InvalidValue, Refused
from yellowfen.store import jobs, tasks, work
from yellowfen.store.packing import pack
from yellowfen.workflows.heat import touch_joint
from yellowfen.workflows.iron_answers import KEPT, Question, QuestionKind, asked_as, question_of
from yellowfen.workflows.long_work import IRON, does
from yellowfen.workflows.mend import touches_of
from yellowfen.workflows.ready import card_need, ready_state
from yellowfen.workflows.rework import melts_by_tie
from yellowfen.workflows.tasks import carry_out


@does(IRON)
def do(connection: sqlite3.Connection, one: work.Work) -> None:
    """Answer a question that was taken; a problem ends it with its sentence."""
    carry_out(connection, tasks.task_of(connection, one), _answer)


def _answer(connection: sqlite3.Connection, task: tasks.JobTask) -> bool:
    question = question_of(task.asked)
    if asked_as(connection, task.job_id, question) != task.asked:
        raise Refused("the job was changed meanwhile; ask again")
    tasks.add_step(connection, task, 0, reckon(connection, task.job_id, question))
    work.keep_newest(connection, task.job_id, IRON, KEPT)
    return True


def reckon(connection: sqlite3.Connection, job_id: int, question: Question) -> str:
    """The answer to a question as JSON text. Raises InvalidValue or NotFound for a part, pin or tie
    that is not there.
    """
    job, ref = jobs.get(connection, job_id), question.ref
    if question.what is QuestionKind.MEND:
        found = touches_of(connection, job_id, ref, question.pin)
        if found is None:
            return "null"
        return json.dumps({"says": found.says, "touches": json.loads(pack(found))})
    if question.what is QuestionKind.PADS:
        return json.dumps(melts_by_tie(connection, job, ref))
    if question.iron is None:
        raise InvalidValue("iron", "choose the tip")
    if question.what is QuestionKind.CARD:
        state = ready_state(connection, job_id)
        return json.dumps(card_need(connection, state, ref, question.iron))
    seen = touch_joint(connection, job, question.iron, ref=ref, pin=question.pin, tie=question.tie)
    return "null" if seen is None else pack(seen)
