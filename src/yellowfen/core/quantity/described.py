"""Records whose fields say of themselves what they are: unit, range, label, how a form asks.

One description serves the range checks, the names in refusals, the forms and what is stored. A new
field is one line in its record.
"""

from collections.abc import Callable
from dataclasses import MISSING, dataclass, field, fields
from typing import Any, TypeVar, dataclass_transform

from yellowfen.core.quantity.labels import name_field
from yellowfen.core.quantity.number import in_range

T = TypeVar("T")
_KEY = "measure"


@dataclass(frozen=True, kw_only=True)
class Measure:
    """What is known of one number of a record.

    `label` names it in a refusal, `low` to `high` (in `unit`) may be entered, `asks` and `hint` are
    a form's words for it; a field without `asks` stands in no form. `part_of` groups fields that
    belong to one thing ("nozzle").
    """

    label: str
    low: float
    high: float
    unit: str = ""
    asks: str = ""
    hint: str = ""
    part_of: str = ""


def measure(
    label: str,
    low: float,
    high: float,
    unit: str = "",
    *,
    default: Any = MISSING,
    asks: str = "",
    hint: str = "",
    part_of: str = "",
) -> Any:
    """A number of a described record, for example
    `set_c: float = measure("set temperature", 40, 450, "°C")`; None stays unchecked.
    """
    said = Measure(
        label=label, low=low, high=high, unit=unit, asks=asks, hint=hint, part_of=part_of
    )
    return field(default=default, metadata={_KEY: said})


@dataclass_transform(frozen_default=True, kw_only_default=True, field_specifiers=(measure, field))
def described(group: str) -> Callable[[type[T]], type[T]]:
    """Make a class a frozen record of described fields, written by name; refusals name a field as
    `group.field`.
    """

    def made(kind: type[T]) -> type[T]:
        own_rule = kind.__dict__.get("__post_init__")

        def checked(record: Any) -> None:
            for name, said in numbers:
                value = getattr(record, name)
                if value is not None:
                    in_range(f"{group}.{name}", value, said.low, said.high, said.unit)
            if own_rule is not None:
                own_rule(record)

        kind.__post_init__ = checked  # type: ignore[attr-defined]
        record = dataclass(frozen=True, kw_only=True)(kind)
        numbers = tuple(measures_of(record).items())
        for name, said in numbers:
            name_field(name, said.label)
        return record

    return made


def measures_of(record: Any, part_of: str = "") -> dict[str, Measure]:
    """The described numbers of a record or its class by the field's name, in its order; those of one
    thing only where it is named.
    """
    found = {one.name: one.metadata[_KEY] for one in fields(record) if _KEY in one.metadata}
    return {name: said for name, said in found.items() if part_of in ("", said.part_of)}
