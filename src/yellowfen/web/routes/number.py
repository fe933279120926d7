"""What a typed number means, for the fields of every page."""

from typing import Annotated, Any

from fastapi import APIRouter, Query

from yellowfen.core.quantity.number import typed_number, typed_whole

router = APIRouter()


@router.get("/api/number")
def read(
    field: Annotated[str, Query(max_length=80)] = "",
    text: Annotated[str, Query(max_length=200)] = "",
    whole: bool = False,
) -> dict[str, Any]:
    """The number in the field's unit; a sentence where there is none."""
    return {"value": typed_whole(field, text) if whole else typed_number(field, text)}
