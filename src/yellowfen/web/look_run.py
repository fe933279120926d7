"""What the bench shows while it looks: each joint with what counts as good there, its neighbours,
its width under a loupe, its picture.
"""

import sqlite3
from collections.abc import Iterable
from typing import Any, NamedTuple

from markupsafe import Markup

from yellowfen.core.board.board import Board
from yellowfen.core.look.acceptance import Criterion, Limits, Shape, criteria, shape_of
from yellowfen.core.look.picture_work import Moment
from yellowfen.core.run.look import COMMON, VERDICTS, LookPlan
from yellowfen.core.run.run import BenchRun
from yellowfen.core.work.job import FoundMark
from yellowfen.store import boards, jobs, pictures
from yellowfen.store.proofs import limits_of
from yellowfen.web.look_svg import joint_drawn
from yellowfen.workflows.look import look_state


class Good(NamedTuple):
    """What counts as good for some joints, in words and drawn, and one of them."""

    limits: tuple[Criterion, ...]
    drawn: Markup
    example: str


def criteria_of(
    board: Board, joints: Iterable[tuple[str, str]], grade: int, limits: Limits
) -> tuple[dict[tuple[str, str], int], list[Good]]:
    """Of each joint (ref, pin) that an eye judges the number of its criteria, and those once each."""
    parts = {part.ref: part.package for part in board.parts}
    numbers: dict[tuple[Shape, tuple[Criterion, ...]], int] = {}
    goods: list[Good] = []
    found: dict[tuple[str, str], int] = {}
    for ref, pin in joints:
        package = parts.get(ref)
        land = package and next((one for one in package.lands if one.pin == pin), None)
        if not package or not land or not (mine := criteria(package, pin, grade, limits)):
            continue
        shape = shape_of(package, land)
        if (shape, mine) not in numbers:
            numbers[shape, mine] = len(goods)
            goods.append(Good(mine, joint_drawn(shape, mine), package.name))
        found[ref, pin] = numbers[shape, mine]
    return found, goods


def pictures_of(connection: sqlite3.Connection, board_id: int, job_id: int) -> dict[str, int]:
    """The newest picture of each part that shows it soldered."""
    return {
        one.work.ref: one.id
        for one in reversed(pictures.rows(connection, board_id, job_id))
        if one.work.ref and one.work.moment is not Moment.PRINTED
    }


def look_frame(connection: sqlite3.Connection, run: BenchRun) -> dict[str, Any]:
    """What does not change while a look goes on: `joints` by key, `before`: marks of earlier looks,
    `goods`, the class, words without a key.
    """
    plan, board = run.planned(LookPlan), boards.get(connection, run.board_id)
    grade = jobs.grade_of(connection, run.job_id)
    judged, goods = criteria_of(
        board, ((one.ref, one.pin) for one in plan.joints), grade, limits_of(connection, grade)
    )
    wide = {
        (part.ref, land.pin): min(land.size_x_mm, land.size_y_mm)
        for part in board.parts
        for land in part.package.lands
    }
    shots = pictures_of(connection, run.board_id, run.job_id)
    joints = {
        one.key: {
            "good": judged.get((one.ref, one.pin), -1),
            "beside": list(one.beside) if one.seen_from else [],
            "wide_mm": round(wide.get((one.ref, one.pin), 0.0), 2) if one.seen_from else 0.0,
            "picture": shots.get(one.ref),
        }
        for one in plan.joints
    }
    return {
        "joints": joints,
        "before": {
            key: word
            for key, word in by_joint(look_state(connection, run.job_id).fresh).items()
            if key not in run.state.done
        },
        "goods": goods,
        "grade": grade,
        "more": VERDICTS[COMMON:],
    }


def by_joint(marks: Iterable[FoundMark]) -> dict[str, str]:
    """Verdicts by "U4.3"."""
    return {f"{one.ref}.{one.pin}": str(one.verdict) for one in marks}
