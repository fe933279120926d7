"""Files and answers of `yellowfen window`, `tune` and `calibrate` (docs/heat-files.md).

Stable: fields are added, never renamed.
"""

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field

from yellowfen.core.heat.calibrate import (
    Calibration,
    MeltTest,
    ThermalLog,
    Thermocouple,
    from_log,
    from_times,
    scrap_scene,
)
from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.heat.scene import Scene, Side
from yellowfen.core.heat.source import HotAir
from yellowfen.core.heat.tune import Bench, SettingsProposal, Tuned, axis_of, tolerance_of
from yellowfen.core.heat.window import (
    Axis,
    Calmest,
    Tolerance,
    Window,
    dwells_around,
    settings_around,
)
from yellowfen.errors import InvalidValue
from yellowfen.formats.rehearsal_file import (
    DoubtsIn,
    RehearsalIn,
    Strict,
    read_file,
    rounded,
    settings_of,
    to_scene,
)


class ScrapIn(Strict):
    """The scrap board of a melt test."""

    width_mm: float = 50
    height_mm: float = 40
    thickness_mm: float = 1.6
    copper: float = 0.3


class MeltIn(Strict):
    """One setting of a melt test, with the seconds seen in its repeats."""

    source: Annotated[HotAir, BeforeValidator(settings_of("hot_air"))]
    distance_mm: float
    alloy: str = "Sn63Pb37"
    scrap: ScrapIn = Field(default_factory=ScrapIn)
    circle_mm: float = 0
    ambient_c: float = 23
    seconds: list[float] = Field(min_length=1, max_length=12)


class SeenIn(Strict):
    """A part seen to flow in a real heat."""

    rehearsal: RehearsalIn
    ref: str
    seconds: list[float] = Field(min_length=1, max_length=12)


class ProbeIn(Strict):
    x_mm: float
    y_mm: float
    side: Literal["top"] = "top"
    readings_c: list[float] = Field(max_length=20000)


class LogIn(Strict):
    """A thermocouple log of one heat."""

    rehearsal: RehearsalIn
    times_s: list[float] = Field(max_length=20000)
    probes: list[ProbeIn] = Field(min_length=1, max_length=8)
    noise_k: Annotated[float, Field(gt=0, le=20)] = 1.0


class CalibrationIn(Strict):
    format: Literal["yellowfen-calibration"]
    version: Literal[1]
    melt_tests: list[MeltIn] = Field(default_factory=list, max_length=40)
    seen: list[SeenIn] = Field(default_factory=list, max_length=40)
    log: LogIn | None = None
    doubts: DoubtsIn | None = None


def doubts_of(given: DoubtsIn | None) -> Doubts:
    """The doubts of a file, or what is believed before any calibration."""
    return Doubts(**given.model_dump()) if given else Doubts()


def read_window(
    text: str | bytes,
) -> tuple[Scene, Axis, tuple[float, ...], tuple[float, ...], Tolerance]:
    """A scene and the axes of its window; axes not given look around the file's own setting."""
    given = read_file(text, RehearsalIn)
    scene = to_scene(given)
    axis = given.window.axis if given.window and given.window.axis else axis_of(scene)
    settings = (
        tuple(given.window.settings)
        if given.window and given.window.settings
        else settings_around(scene, axis)
    )
    dwells = (
        tuple(given.window.dwells_s)
        if given.window and given.window.dwells_s
        else dwells_around(scene)
    )
    return scene, axis, settings, dwells, tolerance_of(scene, doubts_of(given.doubts), axis)


def read_tune(text: str | bytes) -> tuple[Scene, Bench, Doubts]:
    """A scene, what the bench has beside, and the doubts."""
    given = read_file(text, RehearsalIn)
    bench = Bench()
    if given.bench:
        bench = Bench(
            nozzles_mm=tuple(given.bench.nozzles_mm),
            preheater=given.bench.preheater,
            foil=given.bench.foil,
            free_alloy=given.bench.free_alloy,
            plate=given.bench.plate,
        )
    return to_scene(given), bench, doubts_of(given.doubts)


def calibrate_file(text: str | bytes) -> Calibration:
    """Fit what a calibration file holds: a log, or melt tests and parts seen to flow.

    Raises InvalidValue when it holds both.
    """
    given = read_file(text, CalibrationIn)
    doubts = doubts_of(given.doubts)
    if given.log is not None:
        if given.melt_tests or given.seen:
            raise InvalidValue(
                "log",
                "give a log or melt tests, not both; fit one, then the other with the uncertainties that are left",
            )
        probes = tuple(
            Thermocouple(one.x_mm, one.y_mm, tuple(one.readings_c), Side(one.side))
            for one in given.log.probes
        )
        return from_log(
            ThermalLog(to_scene(given.log.rehearsal), tuple(given.log.times_s), probes),
            doubts,
            given.log.noise_k,
        )
    tests = [_melt_test(one, index) for index, one in enumerate(given.melt_tests)]
    tests += [
        MeltTest(to_scene(one.rehearsal), one.ref, tuple(one.seconds), f"{one.ref} melted")
        for one in given.seen
    ]
    return from_times(tests, doubts)


def _melt_test(given: MeltIn, index: int) -> MeltTest:
    scrap = given.scrap
    scene = scrap_scene(
        given.source,
        given.distance_mm,
        given.alloy,
        width_mm=scrap.width_mm,
        depth_mm=scrap.height_mm,
        thickness_mm=scrap.thickness_mm,
        copper=scrap.copper,
        ambient_c=given.ambient_c,
        circle_mm=given.circle_mm,
    )
    return MeltTest(scene, "dot", tuple(given.seconds), f"melt test {index + 1}")


def window_json(window: Window, wall_s: float) -> dict[str, Any]:
    """The answer of `yellowfen window`."""
    return {
        "format": "yellowfen-window-result",
        "version": 1,
        "axis": str(window.axis),
        "dwells_s": list(window.dwells_s),
        "settings": [column.setting for column in window.columns],
        "fates": [[str(one.fate) for one in column.outcomes] for column in window.columns],
        "set_by": [[one.by for one in column.outcomes] for column in window.columns],
        "why": [[one.why for one in column.outcomes] for column in window.columns],
        "last_melt_s": [
            [rounded(one.last_s) for one in column.outcomes] for column in window.columns
        ],
        "calmest": calmest_json(window.calmest),
        "wall_s": rounded(wall_s),
    }


def calmest_json(best: Calmest | None) -> dict[str, Any] | None:
    """A calmest point as plain data; None where nothing is safe."""
    if best is None:
        return None
    return {
        "setting": best.setting,
        "dwell_s": best.dwell_s,
        "sigmas": rounded(best.sigmas, 2),
        "setting_from": best.setting_low,
        "setting_to": best.setting_high,
        "dwell_from_s": best.dwell_low_s,
        "dwell_to_s": best.dwell_high_s,
        "binds": best.binds,
        "neighbour_loose": best.spills,
    }


def tuned_json(tuned: Tuned, wall_s: float) -> dict[str, Any]:
    """The answer of `yellowfen tune`."""
    return {
        "format": "yellowfen-tune-result",
        "version": 1,
        "sentence": tuned.sentence,
        "relaxes": tuned.relaxes,
        "proposals": [proposal_json(one) for one in tuned.proposals],
        "wall_s": rounded(wall_s),
    }


def proposal_json(one: SettingsProposal) -> dict[str, Any]:
    """One proposal as plain data."""
    return {
        "key": one.key,
        "change": one.change,
        "calmest": calmest_json(one.best),
        "binds": one.blocker,
    }


def calibration_json(found: Calibration) -> dict[str, Any]:
    """The answer of `yellowfen calibrate`."""
    return {
        "format": "yellowfen-calibration-result",
        "version": 1,
        "sentence": found.sentence,
        "factors": [
            {
                "key": one.key,
                "name": one.name,
                "unit": one.unit,
                "before": rounded(one.before, 4),
                "before_from": rounded(one.before_low, 4),
                "before_to": rounded(one.before_high, 4),
                "value": rounded(one.after, 4),
                "from": rounded(one.low, 4),
                "to": rounded(one.high, 4),
                "identified": one.found,
            }
            for one in found.findings
        ],
        "residuals": [
            {
                "what": one.what,
                "seen": rounded(one.seen),
                "fitted": rounded(one.fitted),
                "unit": one.unit,
            }
            for one in found.residuals
        ],
        "doubts": {
            name: rounded(getattr(found.doubts, name), 5) for name in Doubts.__dataclass_fields__
        },
    }
