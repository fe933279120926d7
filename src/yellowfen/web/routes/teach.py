"""Teaching a station, plate or oven: melt tests, logs, taps of real runs; what is known, history,
undo.

What is refused is answered with its sentence, nothing changed.
"""

import math
from typing import Annotated, Any

from fastapi import APIRouter, File, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.bench.station import Tool
from yellowfen.core.heat.calibrate import STRUCTURE_LOG_SD, FoundFactor
from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.heat.source import HotPlate, Oven
from yellowfen.core.metal.alloy import ALLOYS
from yellowfen.core.quantity.number import typed_number, typed_numbers
from yellowfen.core.quantity.units import CELSIUS, with_unit
from yellowfen.errors import InvalidValue, YellowfenError
from yellowfen.store import calibrations, stations, tools
from yellowfen.store.calibrations import KeptCalibration
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.pages import page
from yellowfen.workflows import calibration
from yellowfen.workflows.calibration import Scrap

router = APIRouter()
LARGEST_LOG = 4_000_000
BAR_LEFT, BAR_RIGHT = 10.0, 430.0


@router.get("/bench/stations/{station_id}")
def station_page(request: Request, station_id: int, database: Database) -> Response:
    return page(request, "teach.html", _station_context(database, station_id))


def _station_context(
    database: Database, station_id: int, problem: str = "", typed: dict[str, str] | None = None
) -> dict[str, Any]:
    station = stations.get(database, station_id)
    doubts = calibration.station_doubts(database, station_id)
    return _context(
        "stations",
        station_id,
        station.name,
        kind="air",
        kept=calibrations.of_station(database, station_id),
        problem=problem,
        typed=typed,
    ) | {
        "station": station,
        "tool": None,
        "doubts": doubts,
        "known": calibration.is_taught(database, station.id),
        "bars": [_strength_bar(doubts)],
        "flow": calibration.physical_flow(station, doubts),
        "likes": calibration.same_heat(database, station_id),
    }


@router.get("/bench/tools/{tool_id}")
def tool_page(request: Request, tool_id: int, database: Database) -> Response:
    return page(request, "teach.html", _tool_context(database, tool_id))


def _tool_context(
    database: Database, tool_id: int, problem: str = "", typed: dict[str, str] | None = None
) -> dict[str, Any]:
    tool = tools.get(database, tool_id)
    doubts = calibration.tool_doubts(database, tool_id)
    return _context(
        "tools",
        tool_id,
        tool.name,
        kind=str(tool.kind),
        kept=calibrations.of_tool(database, tool_id),
        problem=problem,
        typed=typed,
    ) | {
        "station": None,
        "tool": tool,
        "doubts": doubts,
        "known": doubts != Doubts(),
        "bars": _tool_bars(tool, doubts),
        "flow": None,
        "likes": [],
    }


def _context(
    what: str,
    key: int,
    name: str,
    kind: str,
    kept: list[KeptCalibration],
    problem: str,
    typed: dict[str, str] | None,
) -> dict[str, Any]:
    usual = {
        "distance_mm": "20",
        "alloy": "Sn63Pb37",
        "seconds": "",
        "width_mm": "50",
        "height_mm": "40",
        "thickness_mm": "1.6",
        "copper": "30",
        "ambient_c": "23",
        "outlet_c": "",
        "heated_s": "60",
        "circle_mm": "0",
        "places": "25 20",
    }
    return {
        "room": "bench",
        "what": what,
        "key": key,
        "name": name,
        "kind": kind,
        "history": [_told(one) for one in reversed(kept)],
        "problem": problem,
        "typed": usual | (typed or {}),
        "alloys": list(ALLOYS.values()),
    }


def _told(kept: KeptCalibration) -> dict[str, Any]:
    return {
        "id": kept.id,
        "made_at": kept.made_at,
        "how": kept.how,
        "said": kept.said,
        "sentence": kept.result.sentence,
        "undone": kept.undone,
        "bars": [_bar(one) for one in kept.result.findings],
        "residuals": kept.result.residuals,
    }


def _bar(one: FoundFactor) -> dict[str, Any]:
    """A finding as a drawn bar: what was believed before (pale), what is known now (dark); positive
    factors on a ratio scale.
    """
    ratio = one.before_low > 0 and one.before_high / one.before_low > 1.5
    low, high = min(one.before_low, one.low), max(one.before_high, one.high)

    def x(value: float) -> float:
        share = (
            math.log(value / low) / math.log(high / low) if ratio else (value - low) / (high - low)
        )
        return round(BAR_LEFT + share * (BAR_RIGHT - BAR_LEFT), 1)

    return {
        "name": one.name,
        "unit": one.unit,
        "value": one.after,
        "low": one.low,
        "high": one.high,
        "found": one.found,
        "pale": (x(one.before_low), x(one.before_high)),
        "dark": (x(one.low), x(one.high)),
        "mark": x(one.after),
    }


def _strength_bar(doubts: Doubts) -> dict[str, Any]:
    usual = Doubts()
    reach = math.exp(1.96 * max(usual.jet_log_sd, doubts.jet_log_sd))
    now = (
        math.exp(1.96 * math.hypot(doubts.jet_log_sd, STRUCTURE_LOG_SD))
        if doubts.jet_log_sd < usual.jet_log_sd
        else reach
    )
    return _bar(
        FoundFactor(
            key="jet",
            name="effective strength of the air",
            unit="",
            before=usual.jet_factor,
            before_low=usual.jet_factor / reach,
            before_high=usual.jet_factor * reach,
            after=doubts.jet_factor,
            low=doubts.jet_factor / now,
            high=doubts.jet_factor * now,
            found=doubts.jet_log_sd < usual.jet_log_sd,
        )
    )


def _tool_bars(tool: Tool, doubts: Doubts) -> list[dict[str, Any]]:
    usual = Doubts()
    if isinstance(tool.content, HotPlate):
        plate = "plate against its setting"
        return [
            _bar(_film(tool.content.film_mm, usual, doubts)),
            _bar(_shift(plate, usual.plate_sd_k, doubts.plate_shift_k, doubts.plate_sd_k)),
        ]
    if isinstance(tool.content, Oven):
        oven = f"oven against its curve at {with_unit(220, CELSIUS)}"
        return [_bar(_shift(oven, usual.oven_sd_k, doubts.oven_shift_k, doubts.oven_sd_k))]
    return []


def _film(film_mm: float, usual: Doubts, doubts: Doubts) -> FoundFactor:
    """The film of air between plate and board, before and after a calibration."""
    before, after = film_mm, film_mm * doubts.film_factor
    reach, now = (math.exp(1.96 * each.film_log_sd) for each in (usual, doubts))
    return FoundFactor(
        key="film",
        name="air film",
        unit="mm",
        before=before,
        before_low=before / reach,
        before_high=before * reach,
        after=after,
        low=after / now,
        high=after * now,
        found=doubts.film_log_sd < usual.film_log_sd,
    )


def _shift(name: str, before_sd: float, shift: float, sd: float) -> FoundFactor:
    return FoundFactor(
        key="shift",
        name=name,
        unit="K",
        before=0.0,
        before_low=-1.96 * before_sd,
        before_high=1.96 * before_sd,
        after=shift,
        low=shift - 1.96 * sd,
        high=shift + 1.96 * sd,
        found=sd < before_sd,
    )


@router.post("/bench/{what}/{key}/melt-test")
def melt_test(
    request: Request,
    what: str,
    key: int,
    database: Database,
    distance_mm: Annotated[str, Form()] = "20",
    alloy: Annotated[str, Form()] = "",
    seconds: Annotated[str, Form()] = "",
    width_mm: Annotated[str, Form()] = "50",
    height_mm: Annotated[str, Form()] = "40",
    thickness_mm: Annotated[str, Form()] = "1.6",
    copper: Annotated[str, Form()] = "30",
    ambient_c: Annotated[str, Form()] = "23",
    outlet_c: Annotated[str, Form()] = "",
) -> Response:
    typed = {
        "distance_mm": distance_mm,
        "alloy": alloy,
        "seconds": seconds,
        "width_mm": width_mm,
        "height_mm": height_mm,
        "thickness_mm": thickness_mm,
        "copper": copper,
        "ambient_c": ambient_c,
        "outlet_c": outlet_c,
    }
    try:
        times = typed_numbers("seconds", seconds)
        scrap = _scrap(typed)
        room = typed_number("ambient_c", ambient_c)
        if what == "stations":
            shown = typed_number("outlet_c", outlet_c) if outlet_c.strip() else None
            calibration.melt_test(
                database,
                key,
                typed_number("distance_mm", distance_mm),
                alloy=alloy,
                seconds=times,
                scrap=scrap,
                outlet_c=shown,
                ambient_c=room,
            )
        else:
            calibration.plate_melt_test(
                database, key, alloy, seconds=times, scrap=scrap, ambient_c=room
            )
    except YellowfenError as problem:
        return _again(request, database, what, key=key, problem=problem, typed=typed)
    return RedirectResponse(f"/bench/{what}/{key}", status_code=303)


@router.post("/bench/{what}/{key}/log")
def log_test(
    request: Request,
    what: str,
    key: int,
    database: Database,
    table: Annotated[UploadFile | None, File()] = None,
    pasted: Annotated[str, Form()] = "",
    places: Annotated[str, Form()] = "",
    heated_s: Annotated[str, Form()] = "60",
    distance_mm: Annotated[str, Form()] = "20",
    circle_mm: Annotated[str, Form()] = "0",
    width_mm: Annotated[str, Form()] = "50",
    height_mm: Annotated[str, Form()] = "40",
    thickness_mm: Annotated[str, Form()] = "1.6",
    copper: Annotated[str, Form()] = "30",
    ambient_c: Annotated[str, Form()] = "23",
) -> Response:
    typed = {
        "places": places,
        "heated_s": heated_s,
        "distance_mm": distance_mm,
        "circle_mm": circle_mm,
        "width_mm": width_mm,
        "height_mm": height_mm,
        "thickness_mm": thickness_mm,
        "copper": copper,
        "ambient_c": ambient_c,
    }
    try:
        name, data = (
            (table.filename or "log", table.file.read(LARGEST_LOG + 1))
            if table and table.filename
            else ("pasted log", pasted.encode())
        )
        if len(data) > LARGEST_LOG:
            raise InvalidValue("table", "the log is larger than 4 MB; thin it out")
        spots = _places(places)
        owner: dict[str, int] = {"station_id": key} if what == "stations" else {"tool_id": key}
        calibration.log_test(
            database,
            name,
            data,
            places_mm=spots,
            heated_s=typed_number("heated_s", heated_s),
            scrap=_scrap(typed),
            ambient_c=typed_number("ambient_c", ambient_c),
            distance_mm=typed_number("distance_mm", distance_mm),
            circle_mm=typed_number("circle_mm", circle_mm),
            **owner,
        )
    except YellowfenError as problem:
        return _again(request, database, what, key=key, problem=problem, typed=typed)
    return RedirectResponse(f"/bench/{what}/{key}", status_code=303)


@router.post("/bench/stations/{key}/runs")
def from_runs(request: Request, key: int, database: Database) -> Response:
    try:
        calibration.from_runs(database, key)
    except YellowfenError as problem:
        return _again(request, database, "stations", key=key, problem=problem, typed={})
    return RedirectResponse(f"/bench/stations/{key}", status_code=303)


@router.post("/bench/calibrations/{calibration_id}/{turn}")
def turn_calibration(calibration_id: int, turn: str, database: Database) -> Response:
    """Undo a calibration, or use it again."""
    kept = calibration.set_undone(database, calibration_id, turn == "undo")
    where = (
        f"stations/{kept.station_id}" if kept.station_id is not None else f"tools/{kept.tool_id}"
    )
    return RedirectResponse(f"/bench/{where}", status_code=303)


def _again(
    request: Request,
    database: Database,
    what: str,
    key: int,
    problem: YellowfenError,
    typed: dict[str, str],
) -> Response:
    context = _station_context if what == "stations" else _tool_context
    return page(
        request,
        "teach.html",
        context(database, key, str(problem), typed),
        status=status_of(problem),
    )


def _scrap(typed: dict[str, str]) -> Scrap:
    width, height, thickness, copper = (
        typed_number(name, typed[name])
        for name in ("width_mm", "height_mm", "thickness_mm", "copper")
    )
    return Scrap(width, height, thickness, copper / 100.0)


def _places(text: str) -> tuple[tuple[float, float], ...]:
    """A line, or a semicolon, for each probe: x and y in mm."""
    spots = []
    for piece in text.replace(";", "\n").splitlines():
        numbers = piece.split()
        if not numbers:
            continue
        if len(numbers) != 2:
            raise InvalidValue(
                "places",
                f"{piece.strip()[:20]!r}: give x and y in mm for each probe, such as 25 20",
            )
        spots.append((typed_number("places", numbers[0]), typed_number("places", numbers[1])))
    return tuple(spots)
