"""A heat's plan as the Heat stage sends it and takes it up: the core's own record as JSON."""

from dataclasses import asdict, replace
from typing import Annotated, Any

from fastapi import Depends
from pydantic import ValidationError

from yellowfen.core.heat.heat_plan import HeatPlan, aimed
from yellowfen.core.heat.scene import BLOWING
from yellowfen.formats.rehearsal_file import Strict, first_complaint


class _Sent(Strict):
    plan: HeatPlan


def plan_sent(plan: dict[str, Any]) -> HeatPlan:
    """The plan that a page sent; its moves go over its targets, and each of its lists names a part
    once. Raises InvalidValue by the core's rules or the shape's.
    """
    try:
        sent = _Sent.model_validate({"plan": _over_targets(plan)}).plan
    except ValidationError as error:
        raise first_complaint(error) from None
    targets = tuple(dict.fromkeys(sent.targets))
    return replace(
        sent,
        targets=targets,
        moves=aimed(sent.moves, targets) if targets else sent.moves,
        shields=tuple(dict.fromkeys(sent.shields)),
        absent=tuple(dict.fromkeys(sent.absent)),
    )


PlanSent = Annotated[HeatPlan, Depends(plan_sent)]


def _over_targets(plan: dict[str, Any]) -> dict[str, Any]:
    """Moves that blow and name no part go over the targets; what is heated is not absent."""
    targets, moves = plan.get("targets"), plan.get("moves")
    over = targets if isinstance(targets, list) and targets else ["?"]
    filled = dict(plan)
    if isinstance(moves, list):
        filled["moves"] = [
            move | {"over": move.get("over") or over}
            if isinstance(move, dict) and str(move.get("deed")) in BLOWING
            else move
            for move in moves
        ]
    if isinstance(plan.get("absent"), list):
        filled["absent"] = [ref for ref in plan["absent"] if ref not in over]
    return filled


def plan_settings(plan: HeatPlan) -> dict[str, Any]:
    """A plan as the page takes it up; what `plan_sent` reads back."""
    settings = asdict(plan)
    if not plan.tour:
        for move in settings["moves"]:
            move["over"] = []
    return settings
