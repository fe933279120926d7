"""Where a value comes from.

The mark travels with the value into results, screens and docs/sources.md.

Law: a number that shapes a forecast is declared here by `constant(...)` next to the code that uses
it, and nowhere else; docs/sources.md is generated from this register and a test compares the two.
"""

from dataclasses import dataclass
from enum import StrEnum


class Mark(StrEnum):
    """How far a value can be trusted."""

    PUBLISHED = "published"
    COMMON_PRACTICE = "common practice"
    FROM_MEMORY = "from memory"
    JUDGED = "our judgement"


@dataclass(frozen=True, kw_only=True)
class Constant:
    """One registered value with its unit, mark, source and what it affects."""

    name: str
    value: float
    unit: str
    mark: Mark
    source: str
    affects: str


REGISTER: dict[str, Constant] = {}


def constant(name: str, value: float, unit: str, mark: Mark, source: str, affects: str) -> float:
    """Register a constant and return its plain value.

    Raises ValueError when the name is taken: one truth, one place.
    """
    if name in REGISTER:
        raise ValueError(f"constant {name!r} is registered twice")
    REGISTER[name] = Constant(
        name=name, value=value, unit=unit, mark=mark, source=source, affects=affects
    )
    return value
