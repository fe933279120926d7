"""Every workflow asked about something that is not there says so in a sentence and changes nothing."""

import contextlib
import enum
import importlib
import inspect
import pkgutil
import sqlite3
import typing
from collections.abc import Iterator
from types import FunctionType
from typing import Any

import pytest

import yellowfen.workflows
from yellowfen.errors import YellowfenError

NUMBERS = {
    "job_id",
    "board_id",
    "run_id",
    "picture_id",
    "task_id",
    "station_id",
    "tool_id",
    "work_id",
    "import_id",
    "calibration_id",
}
NOT_THERE = 10**6
PLAIN: dict[object, object] = {str: "x", int: 1, float: 1.0, bool: False, bytes: b"x"}
EMPTY: dict[object, object] = {tuple: (), list: [], dict: {}}


def asked() -> Iterator[tuple[FunctionType, dict[str, Any]]]:
    """Each function that takes a number from the database, with plausible other arguments."""
    for module in pkgutil.iter_modules(yellowfen.workflows.__path__):
        found = importlib.import_module(f"yellowfen.workflows.{module.name}")
        for name, one in sorted(vars(found).items()):
            if name.startswith("_") or not isinstance(one, FunctionType):
                continue
            takes = inspect.signature(one).parameters
            if one.__module__ == found.__name__ and "connection" in takes and NUMBERS & set(takes):
                hints = typing.get_type_hints(one)
                others = [
                    key
                    for key, wanted in takes.items()
                    if wanted.default is inspect.Parameter.empty
                    and key not in {*NUMBERS, "connection"}
                ]
                try:
                    given = {key: plausible(hints[key]) for key in others}
                except TypeError:
                    continue  # takes a record that cannot be made of nothing
                numbers = dict.fromkeys(NUMBERS & set(takes), NOT_THERE)
                yield one, {**given, **numbers}


def plausible(hint: Any) -> object:
    """Some value of a type."""
    kinds = typing.get_args(hint)
    origin = typing.get_origin(hint)
    if hint in PLAIN:
        return PLAIN[hint]
    if type(None) in kinds:
        return None
    if origin in EMPTY:
        members = [one for one in kinds if one is not Ellipsis]
        return tuple(plausible(one) for one in members) if origin is tuple else EMPTY[origin]
    if isinstance(hint, type) and issubclass(hint, enum.Enum):
        return next(iter(hint))
    if origin is not None:
        return {} if "Mapping" in str(origin) else ()
    return hint()


ASKED = list(asked())
assert len(ASKED) > 100


@pytest.mark.parametrize(
    ("one", "given"), ASKED, ids=[f"{one.__module__[20:]}.{one.__name__}" for one, _ in ASKED]
)
def test_what_is_not_there(
    connection: sqlite3.Connection, one: FunctionType, given: dict[str, Any]
) -> None:
    before = connection.serialize()
    said: object = None
    with contextlib.suppress(YellowfenError):
        said = one(connection=connection, **given)
    assert not said or one.__name__ in ("paste_of_job", "tool_doubts")  # what is usual
    assert connection.serialize() == before
