"""What an iron needs at a joint: questions of a second or so each, asked for and answered by
number.

The worker reckons them (`iron_work`) and leaves the answer with the job; pages, cards and runs read
it here, after a restart too. An answer holds for the board, the plan and the bench it was asked
for.
"""

import json
import sqlite3
from dataclasses import dataclass, replace
from enum import StrEnum
from hashlib import blake2b

from yellowfen import __version__
from yellowfen.core.heat.heat_plan import SourceKind, usual_moves
from yellowfen.core.heat.source import Iron
from yellowfen.store import boards, jobs, tasks, tools, work
from yellowfen.store import paste as paste_store
from yellowfen.store import ready as ready_store
from yellowfen.store import rework as rework_store
from yellowfen.store.database import may_write
from yellowfen.store.packing import pack, unpack
from yellowfen.workflows.long_work import IRON
from yellowfen.workflows.paste import paste_of

NOWHERE_TO_KEEP = (
    "This is not worked out yet, and the answer cannot be kept: the data folder may be read but"
    " not written. Give yourself the right to write there, then load this page again."
)
KEPT = 60  # answers a job keeps; the oldest go


class QuestionKind(StrEnum):
    """Which question: one touch of a given iron, the three ties of a part's bench card, how to mend
    a bad joint, the ties under a part that came off.
    """

    TOUCH = "touch"
    CARD = "card"
    MEND = "mend"
    PADS = "pads"


@dataclass(frozen=True, kw_only=True)
class Question:
    """A question at a part; `pin`, `tie` and `iron` where it is about one touch."""

    what: QuestionKind
    ref: str
    pin: str = ""
    tie: str = ""
    iron: Iron | None = None


def _stands(connection: sqlite3.Connection, job_id: int) -> str:
    """A digest of all that the answers rest on beside the question."""
    job = jobs.get(connection, job_id)
    answers = rework_store.answers(connection, job.id, job.piece_id)
    plan = replace(
        job.plan, targets=(), source=SourceKind.AIR, moves=usual_moves(()), shields=(), side="top"
    )
    rest = (
        __version__,
        boards.digest_of(connection, job.board_id),
        pack(plan),
        paste_of(connection, paste_store.paste_plan_of(connection, job_id)),
        ready_store.ready_plan_of(connection, job_id).ways(),
        ready_store.bench_schools(connection),
        answers.alloy if answers else "",
        [one.content for one in tools.rows(connection) if isinstance(one.content, Iron)],
    )
    return blake2b(repr(rest).encode(), digest_size=16).hexdigest()


def asked_as(connection: sqlite3.Connection, job_id: int, question: Question) -> str:
    """A question as it is asked for a job as it stands: JSON text."""
    return json.dumps({"question": json.loads(pack(question)), "of": _stands(connection, job_id)})


def question_of(asked: str) -> Question:
    """The question in what was asked. Raises Damaged for a text that holds none."""
    return unpack(Question, json.dumps(json.loads(asked).get("question")))


def ask(connection: sqlite3.Connection, job_id: int, question: Question) -> tasks.JobTask:
    """Have the worker answer; the same question is answered once, and refused once: another try of
    it would come to the same. Where nothing can be stored that is the answer, under no number.
    """
    asked = asked_as(connection, job_id, question)
    before = tasks.asked_last(connection, job_id, IRON, asked)
    if before is not None and before.state != work.CANCELLED:
        return before
    if not may_write(connection):
        return tasks.JobTask(
            id=0,
            job_id=job_id,
            kind=IRON,
            asked=asked,
            state=work.FAILED,
            said=NOWHERE_TO_KEEP,
            steps=(),
        )
    return tasks.get(connection, work.add(connection, IRON, job_id=job_id, asked=asked))


def answer_to(connection: sqlite3.Connection, job_id: int, question: Question) -> str | None:
    """The answer as JSON text, None while it is not there."""
    task = tasks.asked_last(connection, job_id, IRON, asked_as(connection, job_id, question))
    return None if task is None else answer_in(task)


def answer_in(task: tasks.JobTask) -> str | None:
    """The answer that a task ended with, as JSON text."""
    return task.steps[-1] if task.state == work.DONE and task.steps else None
