"""Answers that were worked out before and are shipped (the demo's), by the question they answer: a
question that is put otherwise, of another board, plan or bench, is worked out.
"""

import json
import sqlite3
from collections.abc import Callable
from hashlib import blake2b
from typing import TypeVar

from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.heat.heat_plan import HeatPlan
from yellowfen.core.work.job import Job
from yellowfen.store import boards
from yellowfen.store.kept import kept_of
from yellowfen.store.packing import pack, unpack

T = TypeVar("T")


class Found:
    """The answers that a process was given, as JSON texts; with `noted` those that it works out."""

    def __init__(self) -> None:
        self.answers: dict[str, str] = {}
        self.noted: dict[str, str] | None = None


def question(
    connection: sqlite3.Connection, job: Job, plan: HeatPlan, doubts: Doubts, count: int = 0
) -> Callable[[], str]:
    """What is asked of a plan on a job's board, in one word; worked out when it is wanted."""

    def word() -> str:
        # A calibration is fitted, and its last digits are the processor's own.
        rounded = {name: f"{value:.5g}" for name, value in vars(doubts).items()}
        whole = (boards.digest_of(connection, job.board_id), pack(plan), rounded, count)
        return blake2b(json.dumps(whole, sort_keys=True).encode(), digest_size=12).hexdigest()

    return word


def found_before(
    connection: sqlite3.Connection, kind: type[T], asked: Callable[[], str], work: Callable[[], T]
) -> T:
    """The answer to a question, from what is shipped or by doing the work."""
    found = kept_of(connection, Found)
    if not found.answers and found.noted is None:
        return work()
    name = f"{kind.__name__} {asked()}"
    if name in found.answers:
        return unpack(kind, found.answers[name])
    answer = work()
    if found.noted is not None:
        found.noted[name] = pack(answer)
    return answer
