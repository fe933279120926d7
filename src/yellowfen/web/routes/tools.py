"""The bench's tools beside its stations: plates, ovens, preheaters, irons."""

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.bench.station import Tool, ToolKind
from yellowfen.core.heat.heat_plan import USUAL_OVEN
from yellowfen.core.heat.source import (
    Control,
    Handle,
    HotPlate,
    Iron,
    Oven,
    Preheater,
    TipShape,
    usual_tip_heat_j_k,
)
from yellowfen.core.quantity.number import typed_number
from yellowfen.errors import InvalidValue, YellowfenError
from yellowfen.store import tools
from yellowfen.store.archive import put_away
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.pages import page
from yellowfen.web.routes.bench import ToolForm, bench_context

router = APIRouter()


@router.post("/bench/tools")
def add_tool(request: Request, database: Database, typed: Annotated[ToolForm, Form()]) -> Response:
    try:
        content = _tool_content(typed)
        tools.add(database, Tool(0, ToolKind(typed.kind), typed.name.strip(), content))
    except YellowfenError as problem:
        return page(
            request,
            "bench.html",
            bench_context(database, 0, tool=typed, problem=str(problem)),
            status=status_of(problem),
        )
    return RedirectResponse("/bench", status_code=303)


def _tool_content(typed: ToolForm) -> HotPlate | Oven | Preheater | Iron:
    if typed.kind not in set(ToolKind):
        raise InvalidValue("kind", "choose plate, oven, preheater or iron")
    if typed.kind == ToolKind.OVEN:
        points = tuple(_point(line) for line in typed.curve.splitlines() if line.strip())
        return Oven(points or USUAL_OVEN.curve, typed_number("fan_w_m2k", typed.fan_w_m2k))
    celsius = typed_number("set_c", typed.set_c)
    if typed.kind == ToolKind.PLATE:
        power = typed_number("power_w", typed.power_w or "800")
        way = Control.THERMOSTAT if typed.control == "thermostat" else Control.STEADY
        return HotPlate(
            set_c=celsius,
            film_mm=typed_number("film_mm", typed.film_mm),
            warp_mm=0.0,
            control=way,
            band_k=typed_number("band_k", typed.band_k),
            power_w=power,
        )
    if typed.kind == ToolKind.PREHEATER:
        return Preheater(
            celsius=celsius,
            air_w_m2k=typed_number("air_w_m2k", typed.air_w_m2k),
            glow_share=typed_number("glow_share", typed.glow_share),
        )
    if typed.shape not in set(TipShape):
        raise InvalidValue("shape", "choose bevel, chisel, knife or cone")
    if typed.handle not in set(Handle):
        raise InvalidValue("handle", "choose cartridge or slip-on")
    watts = typed_number("power_w", typed.power_w or "60")
    return Iron(
        tip_mm=typed_number("tip_mm", typed.tip_mm),
        set_c=celsius,
        shape=TipShape(typed.shape),
        power_w=watts,
        tip_heat_j_k=usual_tip_heat_j_k(watts),
        handle=Handle(typed.handle),
    )


def _point(line: str) -> tuple[float, float, float]:
    numbers = line.replace(";", " ").split()
    if len(numbers) != 3:
        raise InvalidValue(
            "curve", f"{line.strip()[:30]!r}: each line needs seconds, air °C and walls °C"
        )
    return (
        typed_number("curve", numbers[0]),
        typed_number("curve", numbers[1]),
        typed_number("curve", numbers[2]),
    )


@router.post("/bench/tools/{tool_id}/remove")
def remove_tool(tool_id: int, database: Database) -> Response:
    put_away(database, "tool", tool_id)
    return RedirectResponse("/bench", status_code=303)
