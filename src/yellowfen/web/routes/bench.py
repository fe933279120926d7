"""The Bench room: hot-air stations in their owner's words.

What is refused is answered with its sentence, nothing changed.
"""

import math
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel

from yellowfen.core.bench.station import (
    UNKNOWN_AIR_LPM,
    UNKNOWN_OUTLET_C,
    USUAL_MOST_LPM,
    Station,
    Tool,
)
from yellowfen.core.heat.source import Control, HotAir, HotPlate, Oven, Preheater
from yellowfen.core.quantity.described import measures_of
from yellowfen.core.quantity.number import in_range, typed_number, typed_whole
from yellowfen.core.quantity.units import CELSIUS, MM, SECONDS, with_unit
from yellowfen.core.work.technique import SHAKY_REST_EVERY
from yellowfen.errors import InvalidValue, YellowfenError
from yellowfen.store import ready, stations, tools
from yellowfen.store.archive import archived
from yellowfen.web.bench_svg import station_drawing, tool_drawing
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.fields import Fields
from yellowfen.web.pages import page
from yellowfen.workflows import calibration
from yellowfen.workflows.calibration import Strength
from yellowfen.workflows.ready import lacking_tools

router = APIRouter()
NOZZLE = measures_of(HotAir, "nozzle")
_BLANK = {
    "name": "",
    **dict.fromkeys(NOZZLE, ""),
    "nozzle_mm": "6",
    "outlet_c": "",
    "air_share": "",
    "air_max_lpm": "",
    "flow_lpm": "",
    "outlet_label": "",
    "flow_label": "",
    "outlet_offset_c": "0",
    "air_unknown": "",
    "outlet_unknown": "",
}

_UNSAID = {"outlet_offset_c": "0"}  # what a form means that leaves a field out


class ToolForm(BaseModel):
    """A tool beside the stations, as it is typed."""

    kind: str = ""
    name: str = ""
    set_c: str = ""
    film_mm: str = "0.15"
    control: str = "steady"
    band_k: str = "30"
    power_w: str = ""
    curve: str = ""
    fan_w_m2k: str = "12"
    air_w_m2k: str = "25"
    glow_share: str = "0"
    tip_mm: str = "1.6"
    shape: str = "chisel"
    handle: str = "cartridge"


@router.get("/bench")
def bench_page(request: Request, database: Database, edit: int = 0) -> Response:
    return page(request, "bench.html", bench_context(database, edit))


def bench_context(
    database: Database,
    edit: int,
    typed: dict[str, str] | None = None,
    problem: str = "",
    field: str = "",
    tool: ToolForm | None = None,
) -> dict[str, Any]:
    known = {one.id: calibration.is_taught(database, one.id) for one in stations.rows(database)}
    shown = typed or (_as_typed(stations.get(database, edit)) if edit else dict(_BLANK))
    return {
        "room": "bench",
        "stations": stations.rows(database),
        "nozzle": NOZZLE,
        "edit": edit,
        "typed": shown,
        "tool_typed": tool or ToolForm(),
        "problem": problem,
        "field": field,
        "rest_every": int(SHAKY_REST_EVERY),
        "lacking": lacking_tools(database),
        "archived": archived(database, "tool"),
        "tools": [(one, _facts(one)) for one in tools.rows(database)],
        "strengths": _side_by_side(calibration.strengths(database)),
        "known": known,
        "drawings": {
            one.id: station_drawing(one, known[one.id]) for one in stations.rows(database)
        },
        "tool_drawings": {one.id: tool_drawing(one) for one in tools.rows(database)},
        "open_form": "" if not problem else "station" if typed else "tool",
        "hands": ready.bench_setting(database, ready.HANDS),
        "eyes": ready.bench_setting(database, ready.EYES),
    }


def _side_by_side(found: list[Strength]) -> list[dict[str, Any]]:
    """Stations as bars on one scale of ratios; nothing to compare with fewer than two that heat a
    joint.
    """
    warm = [one for one in found if one.middle > 0]
    if len(warm) < 2:
        return []
    low, high = min(one.low for one in warm), max(one.high for one in warm)

    def x(value: float) -> float:
        return round(10 + 420 * math.log(value / low) / math.log(high / low), 1)

    return [
        {"one": one, "from": x(one.low), "to": x(one.high), "mark": x(one.middle)} for one in warm
    ]


def _facts(tool: Tool) -> str:
    """A tool in one line."""
    content = tool.content
    if isinstance(content, HotPlate):
        swing = f", swings {content.band_k:g} K" if content.control is Control.THERMOSTAT else ""
        return f"{with_unit(content.set_c, CELSIUS)}{swing}, {content.power_w:g} W"
    if isinstance(content, Oven):
        return f"curve of {with_unit(content.curve[-1][0], SECONDS)}, up to {with_unit(max(point[1] for point in content.curve), CELSIUS)}"
    if isinstance(content, Preheater):
        return f"{with_unit(content.celsius, CELSIUS)} from below"
    return f"{with_unit(content.tip_mm, MM)} {content.shape} at {with_unit(content.set_c, CELSIUS)}, {content.power_w:g} W"


def _as_typed(station: Station) -> dict[str, str]:
    return {
        "name": station.name,
        **{key: _written(getattr(station.air, key)) for key in NOZZLE},
        "outlet_c": "" if station.outlet_unknown else f"{station.air.outlet_c:g}",
        "flow_lpm": ""
        if station.air_unknown or station.air_share is not None
        else f"{station.air.flow_lpm:g}",
        "air_unknown": "yes" if station.air_unknown else "",
        "outlet_unknown": "yes" if station.outlet_unknown else "",
        "air_share": _written(station.air_share and 100 * station.air_share),
        "air_max_lpm": _written(station.air_max_lpm),
        "outlet_label": station.outlet_label,
        "flow_label": station.flow_label,
        "outlet_offset_c": f"{station.outlet_offset_c:g}",
    }


def _written(value: float | None) -> str:
    return "" if value is None else f"{value:g}"


@router.post("/bench/hands")
def keep_hands(
    database: Database,
    hands: Annotated[str, Form()] = "",
    eyes: Annotated[str, Form()] = "",
) -> Response:
    """Keep how steady the hands are and how well the eyes read."""
    if hands not in ("", "shaky") or eyes not in ("", "strained"):
        raise InvalidValue("hands", "choose one of what is offered")
    ready.keep_bench_setting(database, ready.HANDS, hands)
    ready.keep_bench_setting(database, ready.EYES, eyes)
    return RedirectResponse("/bench", status_code=303)


@router.post("/bench")
def keep_station(request: Request, database: Database, sent: Fields) -> Response:
    """Keep a station as it is typed; a field that is refused is named on the page."""
    typed = {key: sent.get(key, _UNSAID.get(key, "")) for key in _BLANK}
    edit = typed_whole("edit", sent.get("edit") or "0")
    try:
        station = _station(edit, typed)
        if edit:
            stations.change(database, station)
        else:
            station = replace(station, id=stations.add(database, station))
    except YellowfenError as problem:
        field = getattr(problem, "field", "name").removeprefix("source.")
        return page(
            request,
            "bench.html",
            bench_context(database, edit, typed, str(problem), field),
            status=status_of(problem),
        )
    return RedirectResponse("/bench" if edit else f"/bench/stations/{station.id}", status_code=303)


def _station(key: int, typed: dict[str, str]) -> Station:
    flow, share, most = _air(typed)
    numbers: dict[str, Any] = {
        name: typed_number(name, typed[name])
        if typed[name].strip() or name == "nozzle_mm"
        else None
        for name in NOZZLE
    }
    return Station(
        id=key,
        name=typed["name"].strip(),
        air=HotAir(outlet_c=_outlet(typed), flow_lpm=flow, **numbers),
        outlet_label=typed["outlet_label"].strip(),
        flow_label=typed["flow_label"].strip(),
        outlet_offset_c=typed_number("outlet_offset_c", typed["outlet_offset_c"]),
        air_share=share,
        air_max_lpm=most,
        air_unknown=bool(typed["air_unknown"]),
        outlet_unknown=bool(typed["outlet_unknown"]),
    )


def _outlet(typed: dict[str, str]) -> float:
    """The usual outlet as shown, °C; a usual setting where its owner says that nothing shows it."""
    if not typed["outlet_unknown"]:
        if not typed["outlet_c"].strip():
            raise InvalidValue(
                "outlet_c", "enter what it shows in °C, or tick that its dial shows no °C"
            )
        return typed_number("outlet_c", typed["outlet_c"])
    if typed["outlet_c"].strip():
        raise InvalidValue("outlet_c", "enter its °C, or tick that it shows none; not both")
    return UNKNOWN_OUTLET_C


def _air(typed: dict[str, str]) -> tuple[float, float | None, float | None]:
    """(L/min, share of the dial, most L/min) from what was typed: litres a minute where given, else
    the dial's share of the most it blows; a usual figure where nothing is known.
    """
    if typed["air_unknown"]:
        if typed["flow_lpm"].strip() or typed["air_share"].strip():
            raise InvalidValue("air_share", "enter its air, or tick that it is not known; not both")
        return UNKNOWN_AIR_LPM, None, None
    if typed["flow_lpm"].strip():
        return typed_number("flow_lpm", typed["flow_lpm"]), None, None
    if not typed["air_share"].strip():
        raise InvalidValue(
            "air_share",
            "enter the position of the air dial in % of its range, or L/min if you know it; or tick that it is not known",
        )
    share = in_range("air_share", typed_number("air_share", typed["air_share"]), 1, 100, "%") / 100
    most = (
        typed_number("air_max_lpm", typed["air_max_lpm"]) if typed["air_max_lpm"].strip() else None
    )
    return share * (USUAL_MOST_LPM if most is None else most), share, most
