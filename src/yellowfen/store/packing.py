"""Core dataclasses to JSON text and back, checked on the way in by their own rules."""

from functools import lru_cache
from typing import Any, TypeVar

from pydantic import TypeAdapter

T = TypeVar("T")


@lru_cache(maxsize=32)
def _adapter(kind: type) -> TypeAdapter[Any]:
    return TypeAdapter(kind)


def pack(value: object) -> str:
    """JSON text of a core dataclass."""
    return _adapter(type(value)).dump_json(value).decode()


def unpack(kind: type[T], text: str) -> T:
    """The dataclass back from its JSON text."""
    return _adapter(kind).validate_json(text)  # type: ignore[no-any-return]
