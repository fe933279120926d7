"""The safe window: one setting against the seconds of the last heating move, and what each pair
comes to.

Each setting is one run; at every dwell the state is branched and cooled to its end, so what the
after-heat does counts. The calmest point is the good pair farthest from any border, in units of the
user's own uncertainty along each axis.
"""

import itertools
from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from yellowfen.core.heat.outcome import Fate, Outcome, after_heat, heating_moves, outcome, watch
from yellowfen.core.heat.rehearsal import (
    COARSE,
    FINE,
    Prepared,
    Resolution,
    advance,
    first_state,
    prepare,
)
from yellowfen.core.heat.scene import Array, Deed, Move, Scene
from yellowfen.core.heat.source import HotAir, HotPlate
from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

_M = Mark.FROM_MEMORY
DWELL_LOG_SD = constant(
    "hand_timing",
    0.08,
    "log",
    mark=_M,
    source="a person at the clock is within a tenth",
    affects="margin of a setting",
)
LOOSE_COST_SD = constant(
    "loose_neighbour_cost",
    1.0,
    "standard deviations",
    mark=_M,
    source="our own weighing: a loose neighbour is a risk, not a loss",
    affects="which setting is proposed",
)
MORE_LOOSE_COST_SD = constant(
    "more_loose_cost",
    0.2,
    "standard deviations",
    mark=_M,
    source="our own weighing: every further part that is melted again for nothing",
    affects="which setting is proposed",
)
FLOW_SHARE = constant(
    "dial_flow",
    0.15,
    "1",
    mark=_M,
    source="an air dial is set again within about a seventh",
    affects="margin of a setting",
)
WINDOW_RESOLUTION = replace(COARSE, part_step_s=0.12, nozzle_step_mm=3.0)


class Axis(StrEnum):
    """The setting that is varied beside the dwell."""

    OUTLET = "outlet_c"
    HEIGHT = "height_mm"
    FLOW = "flow_lpm"
    PLATE = "set_c"


AXIS_UNIT = {Axis.OUTLET: "°C", Axis.HEIGHT: "mm", Axis.FLOW: "L/min", Axis.PLATE: "°C"}
AXIS_WORD = {
    Axis.OUTLET: "air",
    Axis.HEIGHT: "distance",
    Axis.FLOW: "air flow",
    Axis.PLATE: "plate",
}


@dataclass(frozen=True)
class Tolerance:
    """One standard deviation of what a hand or a dial does: of the varied setting in its own unit,
    of the dwell as a log.
    """

    setting: float
    dwell_log: float = DWELL_LOG_SD


@dataclass(frozen=True)
class WindowColumn:
    """One setting's outcomes over the dwells."""

    setting: float
    outcomes: tuple[Outcome, ...]


@dataclass(frozen=True, kw_only=True)
class Calmest:
    """The best pair, its margin in standard deviations, and how far the setting and the dwell may
    go alone.
    """

    setting: float
    dwell_s: float
    sigmas: float
    setting_low: float
    setting_high: float
    dwell_low_s: float
    dwell_high_s: float
    binds: str
    loose: int

    @property
    def spills(self) -> bool:
        """True where a neighbour is loose."""
        return self.loose > 0

    @property
    def calm(self) -> bool:
        """False where the margin is less than one uncertainty: such a setting is a gamble."""
        return self.sigmas >= 1.0


@dataclass(frozen=True)
class Window:
    """The whole map. `columns[i].outcomes[j]` belongs to settings[i] and dwells_s[j]."""

    axis: Axis
    dwells_s: tuple[float, ...]
    columns: tuple[WindowColumn, ...]
    calmest: Calmest | None


def settings_around(scene: Scene, axis: Axis, count: int = 20) -> tuple[float, ...]:
    """Settings worth looking at: around the scene's own, within what the source can be set to."""
    low, high = _span(scene, axis)
    return tuple(round(float(value), 2) for value in np.linspace(low, high, count))


def _span(scene: Scene, axis: Axis) -> tuple[float, float]:
    here = setting_of(scene, axis)
    if axis is Axis.HEIGHT:
        return max(4.0, 0.4 * here), min(80.0, 2.2 * here + 6)
    if axis is Axis.FLOW:
        return max(5.0, 0.4 * here), min(150.0, 1.9 * here)
    return max(60.0, here - 90.0), min(600.0 if axis is Axis.OUTLET else 450.0, here + 110.0)


def dwells_around(scene: Scene, count: int = 20) -> tuple[float, ...]:
    """Dwells of the last heating move from a fifth of its own to twice and some more, evenly in
    ratio.
    """
    here = heating_moves(scene)[-1].seconds
    low, high = max(2.0, 0.2 * here), min(900.0, max(2.4 * here, 40.0))
    return tuple(round(float(value), 1) for value in np.geomspace(low, high, count))


def setting_of(scene: Scene, axis: Axis) -> float:
    """The scene's own value of an axis; raises InvalidValue where its source has none."""
    source = scene.source
    if axis is Axis.PLATE and isinstance(source, HotPlate):
        return source.set_c
    if isinstance(source, HotAir) and axis is not Axis.PLATE:
        return {
            Axis.OUTLET: source.outlet_c,
            Axis.FLOW: source.flow_lpm,
            Axis.HEIGHT: heating_moves(scene)[-1].height_mm,
        }[axis]
    raise InvalidValue("axis", f"{axis} is not a setting of this source of heat")


def with_setting(scene: Scene, axis: Axis, value: float) -> Scene:
    """The scene at another value of an axis; height is that of the last blowing moves alike."""
    source = scene.source
    if isinstance(source, HotPlate):
        return replace(
            scene,
            source=replace(
                source, set_c=value, start_c=None if source.start_c is None else source.start_c
            ),
        )
    if axis is Axis.HEIGHT:
        last = heating_moves(scene)[-1].height_mm
        moves = tuple(
            replace(move, height_mm=value) if move.blows and move.height_mm == last else move
            for move in scene.moves
        )
        return replace(scene, moves=moves)
    assert isinstance(source, HotAir)
    return replace(
        scene,
        source=replace(source, outlet_c=value)
        if axis is Axis.OUTLET
        else replace(source, flow_lpm=value),
    )


def with_dwell(scene: Scene, seconds: float) -> Scene:
    """The scene with its last heating move of another length."""
    moves = list(scene.moves)
    index = len(heating_moves(scene)) - 1
    moves[index] = replace(moves[index], seconds=seconds)
    return replace(scene, moves=tuple(moves))


def check_axes(
    scene: Scene, axis: Axis, settings: tuple[float, ...], dwells_s: tuple[float, ...]
) -> None:
    """Raise InvalidValue where a window cannot be made of these."""
    check_dwell(scene)
    setting_of(scene, axis)
    for values, name in ((settings, "settings"), (dwells_s, "dwells_s")):
        if not 2 <= len(values) <= 60:
            raise InvalidValue(name, "give 2 to 60 values")
        for one in values:
            in_range(name, one, 0.1, 900)
        if any(b <= a for a, b in itertools.pairwise(values)):
            raise InvalidValue(name, "the values must rise")
    for value in settings:
        with_setting(scene, axis, value)


def check_dwell(scene: Scene) -> None:
    """Raise InvalidValue where there is no last move whose seconds could be varied."""
    if not heating_moves(scene) or heating_moves(scene)[-1].deed in (Deed.OVEN, Deed.TOUCH):
        raise InvalidValue("moves", "a window needs hot air or a plate as the last move with heat")


def window_column(
    scene: Scene,
    axis: Axis,
    value: float,
    dwells_s: tuple[float, ...],
    resolution: Resolution = WINDOW_RESOLUTION,
    ready: Prepared | None = None,
) -> WindowColumn:
    """All outcomes of one setting: one run, branched and cooled at every dwell."""
    here = with_setting(scene, axis, value)
    prepared = prepare(here, resolution) if ready is None else replace(ready, scene=here)
    moves = heating_moves(here)
    seen = watch(prepared)
    state = first_state(prepared, prepared.drive(replace(here, moves=moves)))
    if len(moves) > 1:
        advance(prepared, state, prepared.drive(replace(here, moves=moves[:-1])), sampled=False)
    outcomes: list[Outcome] = []
    before = 0.0
    for dwell in dwells_s:
        if outcomes and outcomes[-1].fate is Fate.HARM:
            outcomes.append(replace(outcomes[-1]))
            continue
        piece = _piece(here, moves[-1], before, dwell)
        advance(prepared, state, prepared.drive(piece), sampled=False)
        cooled = after_heat(prepared, state)
        outcomes.append(outcome(seen, cooled, cautious=resolution is WINDOW_RESOLUTION))
        before = dwell
    return WindowColumn(value, tuple(outcomes))


def _piece(scene: Scene, move: Move, start: float, end: float) -> Scene:
    """The part of the last move between two dwells; the circle goes on where it stood."""
    return replace(scene, moves=(replace(move, seconds=end - start, from_s=start),))


def make_window(
    scene: Scene,
    axis: Axis,
    settings: tuple[float, ...],
    dwells_s: tuple[float, ...],
    tolerance: Tolerance,
    resolution: Resolution = WINDOW_RESOLUTION,
    on_column: Callable[[WindowColumn], None] | None = None,
) -> Window:
    """The map of a setting against dwell. Raises InvalidValue where the axes do not fit the scene."""
    check_axes(scene, axis, settings, dwells_s)
    ready = prepare(scene, resolution) if axis is not Axis.PLATE else None
    columns = []
    for value in settings:
        columns.append(
            window_column(scene, axis, value, dwells_s=dwells_s, resolution=resolution, ready=ready)
        )
        if on_column:
            on_column(columns[-1])
    return Window(
        axis, dwells_s, tuple(columns), confirmed(scene, axis, tuple(columns), dwells_s, tolerance)
    )


def calmest(
    columns: tuple[WindowColumn, ...], dwells_s: tuple[float, ...], tolerance: Tolerance
) -> Calmest | None:
    """The pair farthest from a border.

    A loose neighbour costs LOOSE_COST_SD: a roomy place with one beats a narrow ledge without.
    """
    found = [
        _calmest_among(columns, dwells_s, tolerance, allowed)
        for allowed in ((Fate.GOOD,), (Fate.GOOD, Fate.SPILLS))
    ]
    return max((one for one in found if one is not None), key=worth, default=None)


def worth(best: Calmest) -> float:
    """Margin in standard deviations, less what loose neighbours cost."""
    return best.sigmas - (
        LOOSE_COST_SD + MORE_LOOSE_COST_SD * (best.loose - 1) if best.spills else 0.0
    )


def _calmest_among(
    columns: tuple[WindowColumn, ...],
    dwells_s: tuple[float, ...],
    tolerance: Tolerance,
    allowed: tuple[Fate, ...],
) -> Calmest | None:
    good = np.array([[one.fate in allowed for one in column.outcomes] for column in columns])
    if not good.any():
        return None
    across = np.array([column.setting for column in columns]) / tolerance.setting
    along = np.log(np.array(dwells_s)) / tolerance.dwell_log
    distance, nearest = _to_border(good, across, along)
    i, j = np.unravel_index(int(np.argmax(distance)), distance.shape)
    low, high = _run(good[:, j], int(i))
    early, late = _run(good[i], int(j))
    a, b = nearest[i, j]
    mapped = 0 <= a < len(columns) and 0 <= b < len(dwells_s)
    binds = columns[a].outcomes[b].why if mapped else "the map ends"
    return Calmest(
        setting=columns[i].setting,
        dwell_s=dwells_s[j],
        sigmas=float(distance[i, j]),
        setting_low=columns[low].setting,
        setting_high=columns[high].setting,
        dwell_low_s=dwells_s[early],
        dwell_high_s=dwells_s[late],
        binds=binds,
        loose=columns[i].outcomes[j].loose,
    )


def _to_border(good: np.ndarray, across: Array, along: Array) -> tuple[Array, np.ndarray]:
    """Distance from every good cell to the nearest cell that is not, half a cell nearer.

    What lies beyond the map counts as not good.
    """
    framed = np.pad(good, 1, constant_values=False)
    wide, tall = _framed(across), _framed(along)
    bad = np.argwhere(~framed)
    distance = np.zeros(good.shape)
    nearest = np.full((*good.shape, 2), -1)
    half = 0.5 * min(float(np.diff(across).min()), float(np.diff(along).min()))
    for i, j in np.argwhere(good):
        away = np.hypot(wide[bad[:, 0]] - across[i], tall[bad[:, 1]] - along[j])
        pick = int(np.argmin(away))
        distance[i, j], nearest[i, j] = max(float(away[pick]) - half, 1e-3), bad[pick] - 1
    return distance, nearest


def _framed(values: Array) -> Array:
    """The values with one more step at either end."""
    return np.concatenate([[2 * values[0] - values[1]], values, [2 * values[-1] - values[-2]]])


def _run(line: np.ndarray, at: int) -> tuple[int, int]:
    """First and last index of the good stretch around `at`."""
    low = high = at
    while low > 0 and line[low - 1]:
        low -= 1
    while high < len(line) - 1 and line[high + 1]:
        high += 1
    return low, high


DIAL_STEP = {Axis.OUTLET: 5.0, Axis.HEIGHT: 1.0, Axis.FLOW: 1.0, Axis.PLATE: 5.0}
CONFIRMED_TRIES = 6


def on_the_dial(axis: Axis, value: float, shift: float = 0.0) -> float:
    """The true setting nearest to `value` that a dial can show, which shows the true setting less
    `shift`.
    """
    return round((value - shift) / DIAL_STEP[axis]) * DIAL_STEP[axis] + shift


def confirmed(
    scene: Scene,
    axis: Axis,
    columns: tuple[WindowColumn, ...],
    dwells_s: tuple[float, ...],
    tolerance: Tolerance,
    shift: float = 0.0,
) -> Calmest | None:
    """The calmest point as it can be set, found good on the fine grid as well; where it is not, the
    next calmest, a few times.

    Raises InvalidValue where the scene has no such axis.
    """
    for _ in range(CONFIRMED_TRIES):
        best = calmest(columns, dwells_s, tolerance)
        if best is None:
            return None
        settable = replace(
            best,
            setting=on_the_dial(axis, best.setting, shift),
            dwell_s=float(max(round(best.dwell_s), 1)),
        )
        seen = window_column(scene, axis, settable.setting, (settable.dwell_s,), FINE).outcomes[0]
        if seen.fate is Fate.GOOD or (seen.fate is Fate.SPILLS and best.spills):
            return replace(settable, loose=seen.loose)
        columns = _corrected(columns, dwells_s, best, seen)
    return None


def _corrected(
    columns: tuple[WindowColumn, ...], dwells_s: tuple[float, ...], best: Calmest, seen: Outcome
) -> tuple[WindowColumn, ...]:
    """The map with one point as the fine grid sees it."""
    place = dwells_s.index(best.dwell_s)
    return tuple(
        replace(column, outcomes=(*column.outcomes[:place], seen, *column.outcomes[place + 1 :]))
        if column.setting == best.setting
        else column
        for column in columns
    )
