"""Find settings: try a few arrangements of the bench, map each one's safe window, and propose the
calmest.

An arrangement changes what a person would change: distance, warming first, another nozzle, foil
over the neighbour that binds, heat from below, a lower-melting solder. Each is judged by the margin
of its calmest point in the user's own uncertainty; the plan says what binds and which change would
relax it, or that no safe setting exists and what would make one.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.heat.drive import tallest_beneath_mm
from yellowfen.core.heat.heat_plan import plate_moves
from yellowfen.core.heat.outcome import Fate, heating_moves
from yellowfen.core.heat.rehearsal import prepare
from yellowfen.core.heat.scene import Deed, Move, PlacedPart, Scene, Shield
from yellowfen.core.heat.source import HotAir, HotPlate, Preheater
from yellowfen.core.heat.window import (
    DWELL_LOG_SD,
    FLOW_SHARE,
    WINDOW_RESOLUTION,
    Axis,
    Calmest,
    Tolerance,
    WindowColumn,
    calmest,
    confirmed,
    dwells_around,
    on_the_dial,
    setting_of,
    window_column,
    with_dwell,
    with_setting,
    worth,
)
from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

TIME_PER_STRENGTH = constant(
    "time_per_strength",
    1.2,
    "1",
    mark=Mark.FROM_MEMORY,
    source="h divided by 1.3 lengthens a melt by 55 to 145 % in a feasibility study; near the middle about 1.2 as logarithms",
    affects="margin of hot-air settings",
)
TIME_PER_FILM = constant(
    "time_per_film",
    0.5,
    "1",
    mark=Mark.FROM_MEMORY,
    source="18, 29, 44, 72 s for films of 0.05, 0.15, 0.3, 0.6 mm in the same study",
    affects="margin of plate settings",
)
LOW_ALLOY = "Sn42Bi57.6Ag0.4"
COLUMNS, ROWS = 9, 12
FINE_COLUMNS, FINE_ROWS = 21, 24
ROOM_MM = 1.0
NO_GAIN_SD = 0.2


@dataclass(frozen=True, kw_only=True)
class Bench:
    """What the user owns beside what is set now: other round nozzles (mm), a preheater, foil,
    freedom to choose the solder.
    """

    nozzles_mm: tuple[float, ...] = ()
    preheater: Preheater | None = None
    foil: bool = True
    free_alloy: bool = False
    plate: HotPlate | None = None


@dataclass(frozen=True)
class Arrangement:
    """One way to set the bench; `change` says it in a few words."""

    key: str
    change: str
    scene: Scene


@dataclass(frozen=True, kw_only=True)
class SettingsProposal:
    """An arrangement with its calmest point; `scene` carries the settings found.

    None where nothing is safe.
    """

    key: str
    change: str
    scene: Scene
    best: Calmest | None
    blocker: str

    @property
    def score(self) -> float:
        """Margin in σ, less what a loose neighbour costs."""
        return -100.0 if self.best is None else worth(self.best)


@dataclass(frozen=True)
class Tuned:
    """All proposals, best first, and the plain answer."""

    proposals: tuple[SettingsProposal, ...]
    sentence: str
    relaxes: str

    @property
    def best(self) -> SettingsProposal | None:
        first = self.proposals[0]
        return first if first.best is not None else None


def axis_of(scene: Scene) -> Axis:
    """The setting that is searched for a source."""
    return Axis.PLATE if isinstance(scene.source, HotPlate) else Axis.OUTLET


def tolerance_of(scene: Scene, doubts: Doubts, axis: Axis | None = None) -> Tolerance:
    """One standard deviation along the window's axes, from the doubts: the dial's on the setting,
    the source's on the time.
    """
    which = axis or axis_of(scene)
    dwell = float(
        np.hypot(
            DWELL_LOG_SD,
            TIME_PER_STRENGTH * doubts.jet_log_sd
            if isinstance(scene.source, HotAir)
            else TIME_PER_FILM * doubts.film_log_sd,
        )
    )
    here = setting_of(scene, which)
    sd = {
        Axis.OUTLET: doubts.outlet_sd_k,
        Axis.PLATE: doubts.plate_sd_k,
        Axis.HEIGHT: doubts.hand_share * here,
        Axis.FLOW: FLOW_SHARE * here,
    }[which]
    return Tolerance(max(sd, 0.5), dwell)


def arrangements(scene: Scene, bench: Bench) -> Iterator[Arrangement]:
    """Ways to set the bench that need no answer first; the ways against a binding neighbour come
    later.
    """
    yield Arrangement("as it is", "as it is set", scene)
    if not isinstance(scene.source, HotAir):
        if bench.free_alloy and _above_low(scene):
            yield Arrangement("alloy", f"fit it with {LOW_ALLOY}", with_alloy(scene, LOW_ALLOY))
        return
    last = heating_moves(scene)[-1].height_mm
    for share, word in ((0.65, "closer"), (1.5, "further")):
        height = round(last * share, 0)
        if 4 <= height <= 80:
            yield Arrangement(
                f"height {height:g}",
                f"{word}: {with_unit(height, MM)} away",
                with_setting(scene, Axis.HEIGHT, height),
            )
    yield Arrangement("warm", "preheat the area longer", warmed(scene))
    for nozzle in bench.nozzles_mm:
        if abs(nozzle - scene.source.narrow_mm) > 0.3:
            yield Arrangement(
                f"nozzle {nozzle:g}",
                f"the {with_unit(nozzle, MM)} nozzle",
                replace(scene, source=scene.source.with_round(nozzle)),
            )
    if bench.preheater is not None and scene.preheater is None:
        preheat = Move(deed=Deed.PREHEAT, seconds=90.0)
        yield Arrangement(
            "preheat",
            "preheat from below, before and during",
            replace(scene, preheater=bench.preheater, moves=(preheat, *scene.moves)),
        )
    if bench.free_alloy and _above_low(scene):
        yield Arrangement("alloy", f"fit it with {LOW_ALLOY}", with_alloy(scene, LOW_ALLOY))
    if bench.plate is not None and tallest_beneath_mm(scene) == 0:
        yield Arrangement(
            "plate", "use a hot plate for the whole board", on_plate(scene, bench.plate)
        )


def on_plate(scene: Scene, plate: HotPlate) -> Scene:
    """The scene with the board on a plate instead of under hot air."""
    return replace(
        scene,
        source=plate,
        preheater=None,
        shields=(),
        moves=plate_moves(),
    )


def _above_low(scene: Scene) -> bool:
    return (
        alloy_named(scene.part(scene.targets[0]).alloy).liquidus_c
        > alloy_named(LOW_ALLOY).liquidus_c + 15
    )


def with_alloy(scene: Scene, alloy: str) -> Scene:
    """The scene with its targets in another solder; the neighbours keep theirs."""
    return replace(
        scene,
        parts=tuple(
            replace(part, alloy=alloy) if part.ref in scene.targets else part
            for part in scene.parts
        ),
    )


def warmed(scene: Scene) -> Scene:
    """The scene with a longer, wider warming first."""
    moves = scene.moves
    if moves and moves[0].deed is Deed.WARM:
        return replace(
            scene, moves=(replace(moves[0], seconds=min(2.2 * moves[0].seconds, 180.0)), *moves[1:])
        )
    over = heating_moves(scene)[-1].over
    return replace(
        scene,
        moves=(
            Move(deed=Deed.WARM, seconds=45.0, over=over, height_mm=50.0, circle_mm=12.0),
            *moves,
        ),
    )


def shielded(scene: Scene, ref: str) -> Scene:
    """Foil over one neighbour, a little larger than it, but never over a target's own lands."""
    part = scene.part(ref)
    half_x, half_y = half_size_mm(part)
    return replace(
        scene,
        shields=(
            *scene.shields,
            Shield(
                x_mm=part.x_mm,
                y_mm=part.y_mm,
                size_x_mm=2 * (half_x + ROOM_MM),
                size_y_mm=2 * (half_y + ROOM_MM),
            ),
        ),
    )


def half_size_mm(part: PlacedPart) -> tuple[float, float]:
    """Half the box around a part and its lands on the board, mm."""
    reach_x = max(
        [part.package.body_x_mm / 2]
        + [abs(land.x_mm) + land.size_x_mm / 2 for land in part.package.lands]
    )
    reach_y = max(
        [part.package.body_y_mm / 2]
        + [abs(land.y_mm) + land.size_y_mm / 2 for land in part.package.lands]
    )
    return (reach_y, reach_x) if round(part.rotation_deg / 90.0) % 2 else (reach_x, reach_y)


def calmest_on_dial(
    scene: Scene,
    axis: Axis,
    columns: tuple[WindowColumn, ...],
    dwells_s: tuple[float, ...],
    tolerance: Tolerance,
) -> Calmest | None:
    """The calmest point of a coarse map as it can be set."""
    best = calmest(columns, dwells_s, tolerance)
    return best and replace(
        best, setting=on_the_dial(axis, best.setting), dwell_s=float(max(round(best.dwell_s), 1))
    )


def judge(
    arrangement: Arrangement,
    doubts: Doubts,
    columns: int = COLUMNS,
    rows: int = ROWS,
    final: bool = False,
) -> SettingsProposal:
    """Map one arrangement coarsely and take its calmest point; a `final` one is confirmed on the
    fine grid.
    """
    scene = arrangement.scene
    axis = axis_of(scene)
    here = setting_of(scene, axis)
    low, high = (
        (max(here - 80, 150), min(here + 120, 500))
        if axis is Axis.OUTLET
        else (max(here - 60, 100), min(here + 80, 420))
    )
    settings = tuple(float(round(value)) for value in np.linspace(low, high, columns))
    dwells = dwells_around(scene, rows)
    ready = prepare(scene, WINDOW_RESOLUTION) if axis is not Axis.PLATE else None
    found = tuple(
        window_column(
            scene, axis, value, dwells_s=dwells, resolution=WINDOW_RESOLUTION, ready=ready
        )
        for value in settings
    )
    best = (confirmed if final else calmest_on_dial)(
        scene, axis, found, dwells, tolerance_of(scene, doubts)
    )
    if best is None:
        return SettingsProposal(
            key=arrangement.key,
            change=arrangement.change,
            scene=scene,
            best=None,
            blocker=_blocker(found),
        )
    settled = with_dwell(with_setting(scene, axis, best.setting), best.dwell_s)
    return SettingsProposal(
        key=arrangement.key, change=arrangement.change, scene=settled, best=best, blocker=best.binds
    )


def _blocker(columns: tuple[WindowColumn, ...]) -> str:
    """What stands most often in the way where nothing is safe: prefer what harms over what stays
    cold.
    """
    whys = [one.why for column in columns for one in column.outcomes if one.fate is Fate.HARM] or [
        one.why for column in columns for one in column.outcomes if one.fate is Fate.COLD
    ]
    return max(set(whys), key=whys.count) if whys else ""


def binding_neighbour(proposal: SettingsProposal, scene: Scene) -> str | None:
    """The neighbour named in what binds, if it is one."""
    words = proposal.blocker.replace(",", " ").split()
    return next(
        (
            ref
            for ref in words
            if ref in {part.ref for part in scene.parts} and ref not in scene.targets
        ),
        None,
    )


def find_settings(
    scene: Scene,
    bench: Bench,
    doubts: Doubts,
    on_proposal: Callable[[SettingsProposal], None] | None = None,
) -> Tuned:
    """Search the arrangements. About a second each; `on_proposal` hears of every one.

    Raises InvalidValue for an oven or an iron.
    """
    if not heating_moves(scene) or heating_moves(scene)[-1].deed in (Deed.OVEN, Deed.TOUCH):
        raise InvalidValue(
            "moves",
            "settings are searched for hot air or a plate; an oven follows its curve, an iron its joint",
        )
    proposals: list[SettingsProposal] = []
    for arrangement in search_order(scene, bench, proposals):
        proposals.append(judge(arrangement, doubts))
        if on_proposal:
            on_proposal(proposals[-1])
    return summed_up(scene, refined(tuple(proposals), doubts, on_proposal))


def refined(
    proposals: tuple[SettingsProposal, ...],
    doubts: Doubts,
    on_proposal: Callable[[SettingsProposal], None] | None = None,
) -> tuple[SettingsProposal, ...]:
    """The best arrangement mapped again more finely."""
    best = max(proposals, key=lambda one: one.score)
    if best.best is None:
        return proposals
    finer = judge(
        Arrangement(best.key, best.change, best.scene), doubts, FINE_COLUMNS, FINE_ROWS, final=True
    )
    if on_proposal:
        on_proposal(finer)
    return tuple(finer if one is best else one for one in proposals)


def search_order(
    scene: Scene, bench: Bench, proposals: list[SettingsProposal]
) -> Iterator[Arrangement]:
    """The arrangements in the order in which they are tried; foil follows once it is known which
    neighbour binds.
    """
    yield from arrangements(scene, bench)
    if bench.foil and isinstance(scene.source, HotAir) and proposals:
        covered: list[str] = []
        base = max(proposals, key=lambda one: one.score)
        for _ in range(2):
            ref = binding_neighbour(base if not covered else proposals[-1], scene)
            if ref is None or ref in covered:
                return
            covered.append(ref)
            under = shielded(base.scene if len(covered) == 1 else proposals[-1].scene, ref)
            how = "" if base.key == "as it is" else f", {base.change}"
            yield Arrangement(
                "foil " + " ".join(covered),
                f"aluminium foil over {' and '.join(covered)}{how}",
                under,
            )


def summed_up(scene: Scene, proposals: tuple[SettingsProposal, ...]) -> Tuned:
    """Rank the proposals and say the answer plainly.

    A change that gains next to nothing is none: then it stays as it is set.
    """
    ranked = tuple(
        sorted(
            proposals, key=lambda one: -(one.score + (NO_GAIN_SD if one.key == "as it is" else 0.0))
        )
    )
    first, start = ranked[0], next(one for one in proposals if one.key == "as it is")
    if first.best is None:
        ways = [
            "shield what gets too hot",
            "choose a lower-melting solder",
            "fit the heat-sensitive part last, by iron",
        ]
        return Tuned(
            ranked,
            f"No safe setting was found: {first.blocker}.",
            f"What could help: {', or '.join(ways)}.",
        )
    holds = f"{first.best.sigmas:.1f} times your own uncertainty"
    if not first.best.calm:
        help_s = "One melt test on scrap reduces your uncertainty more than anything else. Shields, heat from below or a lower-melting solder add margin"
        return Tuned(
            ranked,
            f"No setting with enough margin. The best is {first.change}, with a margin of {holds}; then {first.best.binds}.",
            f"What would help: {help_s}.",
        )
    loose = _loose_said(first.best)
    said = f"Most margin: {first.change}, {holds}; then {first.best.binds}.{loose}"
    if first.key == "as it is" and len(ranked) > 1 and ranked[1].best is not None:
        return Tuned(ranked, said, f"Next best: {ranked[1].change} ({ranked[1].best.sigmas:.1f}).")
    gained = (
        "no time was safe with the present settings"
        if start.best is None
        else f"the present settings have {start.best.sigmas:.1f}"
    )
    if start.best is not None and start.best.spills and not first.best.spills:
        gained += ", with a neighbour loose"
    return Tuned(ranked, said, f"Without the change {gained}; then {start.blocker}.")


def _loose_said(best: Calmest) -> str:
    if not best.spills:
        return ""
    who = "A neighbour comes" if best.loose == 1 else f"{best.loose} neighbours come"
    return f" {who} loose anyway: do not knock or blow it."
