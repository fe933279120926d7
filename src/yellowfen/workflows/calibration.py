"""Teaching the bench what its dials mean: melt tests, logs, taps of real runs; history, undo, and
carrying settings between stations.
"""

import math
import sqlite3
from dataclasses import dataclass, replace

from yellowfen.core.bench.station import UNKNOWN_OUTLET_SD_K, Station, Tool
from yellowfen.core.heat.calibrate import (
    STRENGTH_EXPONENT,
    STRUCTURE_LOG_SD,
    MeltTest,
    ThermalLog,
    Thermocouple,
    flow_like,
    from_log,
    from_times,
    scrap_scene,
)
from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.heat.heat_plan import Forecast, HeatPlan, SourceKind
from yellowfen.core.heat.jet import jet_on_board
from yellowfen.core.heat.scene import Deed, Move, Scene
from yellowfen.core.heat.source import HotAir, HotPlate, Oven
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import CELSIUS, LPM, MM, SECONDS, with_unit
from yellowfen.core.quantity.wording import counted
from yellowfen.core.run.heat import HEAT, believed_flows, moves_as_run
from yellowfen.core.work.board_scene import scene_as_laid
from yellowfen.errors import InvalidValue
from yellowfen.store import bench_runs, boards, calibrations, stations, tools
from yellowfen.workflows.reading import read_log

MELT_TEST, LOG, TAPS = "melt test", "log", "taps"


@dataclass(frozen=True)
class Scrap:
    """The scrap board of a test."""

    width_mm: float = 50.0
    height_mm: float = 40.0
    thickness_mm: float = 1.6
    copper: float = 0.3


@dataclass(frozen=True)
class Like:
    """What another station must be set to so that it heats the same; None where its air cannot."""

    name: str
    outlet_c: float
    flow_lpm: float | None


def station_doubts(connection: sqlite3.Connection, station_id: int) -> Doubts:
    """What the newest calibration in use says of a station, or what is believed of it by what its
    owner knows.
    """
    used = [one for one in calibrations.of_station(connection, station_id) if not one.undone]
    return used[-1].result.doubts if used else believed(stations.get(connection, station_id))


def believed(station: Station) -> Doubts:
    """What is believed of a station that nobody has taught: its strength goes as its air to the
    0.6, so a doubtful dial widens it, and so does a dial without °C.
    """
    usual = Doubts()
    return replace(
        usual,
        jet_log_sd=math.hypot(usual.jet_log_sd, STRENGTH_EXPONENT * station.flow_log_sd),
        outlet_sd_k=UNKNOWN_OUTLET_SD_K if station.outlet_unknown else usual.outlet_sd_k,
    )


def is_taught(connection: sqlite3.Connection, station_id: int) -> bool:
    """True when a calibration of a station is in use."""
    return any(not one.undone for one in calibrations.of_station(connection, station_id))


def tool_doubts(connection: sqlite3.Connection, tool_id: int) -> Doubts:
    """What the newest calibration in use says of a plate or oven."""
    used = [one for one in calibrations.of_tool(connection, tool_id) if not one.undone]
    return used[-1].result.doubts if used else Doubts()


def air_of(
    station: Station, outlet_c: float | None = None, flow_lpm: float | None = None
) -> HotAir:
    """The station's air at a display value (its own, or another)."""
    shown = station.air.outlet_c if outlet_c is None else outlet_c
    return replace(
        station.air,
        outlet_c=shown + station.outlet_offset_c,
        flow_lpm=station.air.flow_lpm if flow_lpm is None else flow_lpm,
    )


def melt_test(
    connection: sqlite3.Connection,
    station_id: int,
    distance_mm: float,
    alloy: str,
    seconds: tuple[float, ...],
    scrap: Scrap,
    outlet_c: float | None = None,
    ambient_c: float = 23.0,
) -> int:
    """Fit a station to seconds until a dot on scrap melted; returns the calibration's id."""
    station = stations.get(connection, station_id)
    scene = scrap_scene(
        air_of(station, outlet_c),
        distance_mm,
        alloy,
        width_mm=scrap.width_mm,
        depth_mm=scrap.height_mm,
        thickness_mm=scrap.thickness_mm,
        copper=scrap.copper,
        ambient_c=ambient_c,
    )
    test = MeltTest(scene, "dot", seconds, f"melt test at {with_unit(distance_mm, MM)}")
    found = from_times([test], station_doubts(connection, station_id))
    said = f"{alloy} at {with_unit(distance_mm, MM)}, {scene_air(scene)}: {', '.join(f'{one:g}' for one in seconds)} s"
    return calibrations.add(connection, MELT_TEST, said, found, station_id=station_id)


def scene_air(scene: Scene) -> str:
    """A scene's air in words."""
    assert isinstance(scene.source, HotAir)
    return f"{with_unit(scene.source.outlet_c, CELSIUS)}, {with_unit(scene.source.flow_lpm, LPM)}"


def plate_melt_test(
    connection: sqlite3.Connection,
    tool_id: int,
    alloy: str,
    seconds: tuple[float, ...],
    scrap: Scrap,
    ambient_c: float = 23.0,
) -> int:
    """Fit a plate to seconds until a dot on a scrap board lying on it melted; returns the
    calibration's id.

    Raises InvalidValue for other tools than a plate.
    """
    tool = tools.get(connection, tool_id)
    if not isinstance(tool.content, HotPlate):
        raise InvalidValue("tool", "a melt test on scrap is for a hot plate")
    scene = _on_tool(tool, scrap, alloy, 300.0, ambient_c)
    found = from_times(
        [MeltTest(scene, "dot", seconds, "melt test on the plate")],
        tool_doubts(connection, tool_id),
    )
    said = f"{alloy} on scrap at {with_unit(tool.content.set_c, CELSIUS)}: {', '.join(f'{one:g}' for one in seconds)} s"
    return calibrations.add(connection, MELT_TEST, said, found, tool_id=tool_id)


def _on_tool(tool: Tool, scrap: Scrap, alloy: str, seconds: float, ambient_c: float) -> Scene:
    dummy = scrap_scene(
        HotAir(nozzle_mm=6, outlet_c=300, flow_lpm=20),
        20,
        alloy,
        width_mm=scrap.width_mm,
        depth_mm=scrap.height_mm,
        thickness_mm=scrap.thickness_mm,
        copper=scrap.copper,
        ambient_c=ambient_c,
    )
    deed = Deed.PLATE if isinstance(tool.content, HotPlate) else Deed.OVEN
    if not isinstance(tool.content, (HotPlate, Oven)):
        raise InvalidValue("tool", "only a hot plate or an oven is calibrated here")
    return replace(dummy, source=tool.content, moves=(Move(deed=deed, seconds=seconds),))


_LOGGED_ALLOY = "Sn96.5Ag3Cu0.5"  # nothing of a log depends on it


def log_test(
    connection: sqlite3.Connection,
    name: str,
    data: bytes,
    places_mm: tuple[tuple[float, float], ...],
    heated_s: float,
    scrap: Scrap,
    ambient_c: float,
    distance_mm: float = 20.0,
    circle_mm: float = 0.0,
    station_id: int | None = None,
    tool_id: int | None = None,
) -> int:
    """Fit a station, plate or oven to a thermocouple table of one heat on scrap; returns the
    calibration's id.

    Raises InvalidValue without a source or places, one for each column.
    """
    times, columns = read_log(name, data)
    if not places_mm:
        raise InvalidValue("places", "enter where on the board each probe was, x and y in mm")
    if len(places_mm) > len(columns):
        raise InvalidValue(
            "places",
            f"{counted(len(places_mm), 'place is', 'places are')} given, the table has {counted(len(columns), 'temperature column')}",
        )
    in_range("heated_s", heated_s, 1, 900, "s")
    rest = max(times[-1] - heated_s, 0.0)
    scene, doubts = _logged(
        connection,
        scrap,
        heated_s=heated_s,
        ambient_c=ambient_c,
        distance_mm=distance_mm,
        circle_mm=circle_mm,
        station_id=station_id,
        tool_id=tool_id,
    )
    if rest > 0.5:
        scene = replace(
            scene, moves=(*scene.moves, Move(deed=Deed.WITHDRAW, seconds=min(rest, 900.0)))
        )
    probes = tuple(
        Thermocouple(x, y, readings)
        for (x, y), readings in zip(places_mm, columns.values(), strict=False)
    )
    found = from_log(ThermalLog(scene, times, probes), doubts)
    said = f"{name}: {len(probes)} probe{'s' if len(probes) > 1 else ''}, {with_unit(times[-1], SECONDS, 0)}"
    return calibrations.add(connection, LOG, said, found, station_id=station_id, tool_id=tool_id)


def _logged(
    connection: sqlite3.Connection,
    scrap: Scrap,
    *,
    heated_s: float,
    ambient_c: float,
    distance_mm: float,
    circle_mm: float,
    station_id: int | None,
    tool_id: int | None,
) -> tuple[Scene, Doubts]:
    """The heat of scrap that was logged, and what was known of its source before. Raises
    InvalidValue without one.
    """
    if station_id is not None:
        scene = scrap_scene(
            air_of(stations.get(connection, station_id)),
            distance_mm,
            _LOGGED_ALLOY,
            width_mm=scrap.width_mm,
            depth_mm=scrap.height_mm,
            thickness_mm=scrap.thickness_mm,
            copper=scrap.copper,
            ambient_c=ambient_c,
            circle_mm=circle_mm,
            seconds=heated_s,
        )
        return scene, station_doubts(connection, station_id)
    if tool_id is not None:
        tool = tools.get(connection, tool_id)
        scene = _on_tool(tool, scrap, _LOGGED_ALLOY, heated_s, ambient_c)
        return scene, tool_doubts(connection, tool_id)
    raise InvalidValue("station", "choose which station or tool was logged")


def from_runs(connection: sqlite3.Connection, station_id: int) -> int:
    """Fit a station to the moments tapped as 'it flowed' in its runs; returns the calibration's id.

    Raises InvalidValue when none of its runs has such a moment.
    """
    tests = []
    for run in bench_runs.rows(connection, HEAT):
        plan = run.planned(HeatPlan)
        if plan.station_id != station_id or plan.source is not SourceKind.AIR:
            continue
        course = bench_runs.course(connection, run.id)
        flows = believed_flows(plan, run.forecast or Forecast(targets=()), course, run.taps)
        known = [(ref, at) for ref, at in flows if at >= 1.0]
        if not known:
            continue
        as_run = replace(plan, moves=moves_as_run(plan, run.taps))
        scene = scene_as_laid(boards.get(connection, run.board_id), as_run)
        for ref, at in known:
            tests.append(MeltTest(scene, ref, (at,), f"{ref} melted in run {run.id}"))
    if not tests:
        raise InvalidValue(
            "runs", "no run with this station has a 'melted' tap yet; run one at the bench first"
        )
    found = from_times(tests[:12], believed(stations.get(connection, station_id)))
    said = f"{len(tests[:12])} tap{'s' if len(tests) > 1 else ''} of real runs"
    return calibrations.add(connection, TAPS, said, found, station_id=station_id)


def set_undone(
    connection: sqlite3.Connection, calibration_id: int, undone: bool
) -> calibrations.KeptCalibration:
    """Take a calibration out of use, or put it back; what was found before it counts again."""
    calibrations.get(connection, calibration_id)
    calibrations.set_undone(connection, calibration_id, undone)
    return calibrations.get(connection, calibration_id)


def physical_flow(station: Station, doubts: Doubts) -> tuple[float, float, float]:
    """(low, middle, high) of the free-air flow that a textbook-like nozzle of the default factor
    would blow as strongly, L/min.
    """
    spread = 1.96 * doubts.jet_log_sd
    middle = flow_like(doubts.jet_factor, station.air.flow_lpm)
    return middle * math.exp(-spread / 0.6), middle, middle * math.exp(spread / 0.6)


def same_heat(
    connection: sqlite3.Connection, station_id: int, distance_mm: float = 15.0
) -> list[Like]:
    """Settings of the other stations that heat as this one does at its own setting and a distance."""
    here = stations.get(connection, station_id)
    others = [other for other in stations.rows(connection) if other.id != station_id]
    return [
        _like(connection, air_of(here), station_doubts(connection, station_id), other, distance_mm)
        for other in others
    ]


COMPARED_AT_MM, COMPARED_AT_C = 15.0, 217.0


@dataclass(frozen=True, kw_only=True)
class Strength:
    """A station at its usual dials, 15 mm above a joint at 217 °C: heat into the joint's place,
    W/cm², with its 95 % range.

    `ratio` compares the middles with the first station's; `apart` is True when the two ranges leave
    no doubt which is stronger.
    """

    station: Station
    low: float
    middle: float
    high: float
    taught: bool
    ratio: float
    apart: bool


def strengths(connection: sqlite3.Connection) -> list[Strength]:
    """The stations side by side by effective strength, in the order of the bench."""
    found: list[Strength] = []
    for station in stations.rows(connection):
        doubts, air = station_doubts(connection, station.id), air_of(station)
        true_c = air.outlet_c + doubts.outlet_shift_k
        jet = jet_on_board(
            air.round_mm,
            true_c,
            air.flow_lpm,
            height_mm=COMPARED_AT_MM,
            ambient_c=23.0,
            factor=doubts.jet_factor,
        )
        warm_c = 23.0 + jet.centre_warmth * (true_c - 23.0)
        middle = max(jet.centre_w_m2k * (warm_c - COMPARED_AT_C) * 1e-4, 0.0)
        taught = is_taught(connection, station.id)
        spread = math.exp(1.96 * math.hypot(doubts.jet_log_sd, STRUCTURE_LOG_SD if taught else 0.0))
        first = found[0] if found else None
        ratio = middle / first.middle if first and first.middle > 0 else 1.0
        apart = first is not None and (middle / spread > first.high or middle * spread < first.low)
        found.append(
            Strength(
                station=station,
                low=middle / spread,
                middle=middle,
                high=middle * spread,
                taught=taught,
                ratio=ratio,
                apart=apart,
            )
        )
    return found


def carried(connection: sqlite3.Connection, plan: HeatPlan, station_id: int) -> Like:
    """What a station must be set to so that it heats as a plan's station does at the plan's closest
    distance.
    """
    known = station_doubts(connection, plan.station_id) if plan.station_id is not None else Doubts()
    closest = min((move.height_mm for move in plan.moves if move.blows), default=15.0)
    return _like(connection, plan.hot_air(), known, stations.get(connection, station_id), closest)


def _like(
    connection: sqlite3.Connection, air: HotAir, known: Doubts, other: Station, distance_mm: float
) -> Like:
    true_c = air.outlet_c + known.outlet_shift_k
    wanted = jet_on_board(
        air.round_mm,
        true_c,
        air.flow_lpm,
        height_mm=distance_mm,
        ambient_c=23.0,
        factor=known.jet_factor,
    ).centre_w_m2k
    doubts = station_doubts(connection, other.id)
    shown = true_c - other.outlet_offset_c - doubts.outlet_shift_k
    return Like(other.name, shown, _flow_for(other, true_c, doubts.jet_factor, wanted, distance_mm))


def _flow_for(
    station: Station, true_c: float, factor: float, wanted: float, distance_mm: float
) -> float | None:
    """The flow at which a station's jet reaches a strength, by halving; None outside 2 to 150
    L/min.
    """

    def strength(flow: float) -> float:
        return jet_on_board(
            air_of(station).round_mm,
            true_c,
            flow,
            height_mm=distance_mm,
            ambient_c=23.0,
            factor=factor,
        ).centre_w_m2k

    low, high = 2.0, 150.0
    if not strength(low) <= wanted <= strength(high):
        return None
    for _ in range(40):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if strength(middle) < wanted else (low, middle)
    return 0.5 * (low + high)
