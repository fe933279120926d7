"""The Bench room: hot-air stations in their owner's words."""

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.heat.scene import Control, HotPlate, Oven, Preheater
from yellowfen.core.work.job import Station, Tool
from yellowfen.errors import InvalidValue, YellowfenError
from yellowfen.store import stations, tools
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.pages import page
from yellowfen.workflows import calibration

router = APIRouter()
_BLANK = {
    "name": "",
    "nozzle_mm": "6",
    "outlet_c": "350",
    "flow_lpm": "30",
    "outlet_label": "",
    "flow_label": "",
    "outlet_offset_c": "0",
    "nozzle_long_mm": "",
}


@router.get("/bench")
def bench_page(request: Request, database: Database, edit: int = 0) -> Response:
    return page(request, "bench.html", bench_context(database, edit))


def bench_context(database: Database, edit: int, typed: dict[str, str] | None = None, problem: str = "", field: str = "") -> dict[str, Any]:
    shown = typed or (_as_typed(stations.get(database, edit)) if edit else dict(_BLANK))
    return {
        "room": "bench",
        "stations": stations.rows(database),
        "edit": edit,
        "typed": shown,
        "problem": problem,
        "field": field,
        "tools": [(one, _facts(one)) for one in tools.rows(database)],
        "known": {s.id: calibration.station_doubts(database, s.id) != Doubts() for s in stations.rows(database)},
    }


def _facts(tool: Tool) -> str:
    """A tool in one line."""
    content = tool.content
    if isinstance(content, HotPlate):
        swing = f", swings {content.band_k:g} K" if content.control is Control.THERMOSTAT else ""
        return f"{content.set_c:g} °C{swing}, {content.power_w:g} W"
    if isinstance(content, Oven):
        return f"curve of {content.curve[-1][0]:g} s, up to {max(point[1] for point in content.curve):g} °C"
    if isinstance(content, Preheater):
        return f"{content.celsius:g} °C from below"
    return f"{content.tip_mm:g} mm {content.shape} at {content.set_c:g} °C, {content.power_w:g} W"


def _as_typed(station: Station) -> dict[str, str]:
    return {
        "name": station.name, "nozzle_mm": f"{station.nozzle_mm:g}", "outlet_c": f"{station.outlet_c:g}", "flow_lpm": f"{station.flow_lpm:g}",
        "outlet_label": station.outlet_label, "flow_label": station.flow_label, "outlet_offset_c": f"{station.outlet_offset_c:g}",
        "nozzle_long_mm": "" if station.nozzle_long_mm is None else f"{station.nozzle_long_mm:g}",
    }  # fmt: skip


@router.post("/bench")
def keep_station(request: Request, database: Database, name: Annotated[str, Form()] = "", nozzle_mm: Annotated[str, Form()] = "",
                 outlet_c: Annotated[str, Form()] = "", flow_lpm: Annotated[str, Form()] = "", outlet_label: Annotated[str, Form()] = "",
                 flow_label: Annotated[str, Form()] = "", outlet_offset_c: Annotated[str, Form()] = "0",
                 nozzle_long_mm: Annotated[str, Form()] = "", edit: Annotated[int, Form()] = 0) -> Response:  # fmt: skip
    typed = {
        "name": name, "nozzle_mm": nozzle_mm, "outlet_c": outlet_c, "flow_lpm": flow_lpm, "outlet_label": outlet_label,
        "flow_label": flow_label, "outlet_offset_c": outlet_offset_c, "nozzle_long_mm": nozzle_long_mm,
    }  # fmt: skip
    try:
        numbers = {key: _number(key, typed[key]) for key in ("nozzle_mm", "outlet_c", "flow_lpm", "outlet_offset_c")}
        long_side = _number("nozzle_long_mm", nozzle_long_mm) if nozzle_long_mm.strip() else None
        station = Station(edit, name.strip(), numbers["nozzle_mm"], numbers["outlet_c"], numbers["flow_lpm"], outlet_label.strip(),
                          flow_label.strip(), numbers["outlet_offset_c"], long_side)  # fmt: skip
        if edit:
            stations.change(database, station)
        else:
            stations.add(database, station)
    except YellowfenError as problem:
        field = getattr(problem, "field", "name").removeprefix("source.")
        return page(request, "bench.html", bench_context(database, edit, typed, str(problem), field), status=status_of(problem))
    return RedirectResponse("/bench", status_code=303)


def _number(field: str, text: str) -> float:
    try:
        return float(text.replace(",", "."))
    except ValueError:
        raise InvalidValue(field, f"{text[:20]!r} is not a number; type digits") from None
