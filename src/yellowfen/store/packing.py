"""Core dataclasses to JSON text and back, checked on the way in by their own rules."""

from collections.abc import Hashable
from functools import lru_cache
from typing import Any, TypeVar, cast

from pydantic import TypeAdapter

T = TypeVar("T")


@lru_cache(maxsize=32)
def _adapter(kind: Hashable) -> TypeAdapter[Any]:
    return TypeAdapter(cast(type, kind))


def pack(value: object) -> str:
    """JSON text of a core dataclass."""
    return _adapter(cast(Hashable, type(value))).dump_json(value).decode()


def unpack(kind: type[T], text: str) -> T:
    """The dataclass back from its JSON text."""
    return cast(T, _adapter(cast(Hashable, kind)).validate_json(text))
