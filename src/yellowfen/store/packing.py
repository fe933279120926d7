"""Core dataclasses to JSON text and back, checked on the way in by their own rules."""

import json
from collections.abc import Callable, Hashable, Iterable
from functools import lru_cache
from typing import Any, TypeVar, cast

from pydantic import TypeAdapter, ValidationError

from yellowfen.core.heat.heat_plan import HeatPlan, earlier_heat_plan
from yellowfen.errors import Damaged, YellowfenError

T = TypeVar("T")
R = TypeVar("R")


@lru_cache(maxsize=32)
def _adapter(kind: Hashable) -> TypeAdapter[Any]:
    return TypeAdapter(cast(type, kind))


def pack(value: object) -> str:
    """JSON text of a core dataclass."""
    return _adapter(cast(Hashable, type(value))).dump_json(value).decode()


# What earlier versions stored in another shape, as today's.
_EARLIER: dict[type, Callable[[dict[str, Any]], dict[str, Any]]] = {HeatPlan: earlier_heat_plan}


def unpack(kind: type[T], text: str) -> T:
    """The dataclass back from its JSON text. Raises Damaged for a text that its rules refuse."""
    adapter = _adapter(cast(Hashable, kind))
    try:
        if kind in _EARLIER:
            plain = json.loads(text)
            shaped = _EARLIER[kind](plain) if isinstance(plain, dict) else plain
            return cast(T, adapter.validate_json(json.dumps(shaped)))
        return cast(T, adapter.validate_json(text))
    except (ValidationError, YellowfenError, json.JSONDecodeError) as problem:
        name = getattr(kind, "__name__", "record")
        if isinstance(problem, ValidationError):
            first = problem.errors()[0]
            place = ".".join(map(str, first["loc"])) or "content"
            said = f"{place}: {str(first['msg']).lower()}"
        else:
            said = str(problem)
        raise Damaged(f"a stored record ({name}) cannot be read: {said[:160]}") from None


def readable(rows: Iterable[R], make: Callable[[R], T]) -> list[T]:
    """What can be read of some rows; damaged ones are left out (they are listed on a page of their
    own).
    """
    kept = []
    for row in rows:
        try:
            kept.append(make(row))
        except Damaged:
            continue
    return kept
