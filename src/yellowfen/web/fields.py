"""Form fields whose names are not known beforehand."""

from typing import Annotated

from fastapi import Depends, Request

from yellowfen.core.board.board import Role
from yellowfen.errors import InvalidValue

MOST_FIELDS = 500


async def _fields(request: Request) -> dict[str, str]:
    """The text fields of a form."""
    form = await request.form(max_files=0, max_fields=MOST_FIELDS)
    return {name: str(value) for name, value in form.items()}


Fields = Annotated[dict[str, str], Depends(_fields)]


def role_named(text: str) -> Role:
    """The kind of file of that name. Raises InvalidValue where there is none."""
    try:
        return Role(text)
    except ValueError:
        raise InvalidValue("role", f"{text[:30]!r} is not a kind of file") from None
