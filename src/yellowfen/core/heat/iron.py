"""Seconds an iron needs at one joint: the board round it on fine cells, the tip with its heater and
its growing bridge of solder.

Done is not when solder melts (that clings to the tip) but when the pad beneath has been hot enough,
long enough, for solder to wet it: the hotter above the liquidus, the sooner. A joint is asked for
as its pin could be drawn (on a track, on spokes in a pour, joined to the pour all round), and as
this board draws it where its outer copper is known finely enough.
"""

from dataclasses import dataclass, replace

import numpy as np

from yellowfen.core.board.copper_links import links_of_raster
from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.drive import tip_conductance_w_k, tip_core_w_k
from yellowfen.core.heat.grid import FineRound
from yellowfen.core.heat.laid import on_board, place_land, turned_cells
from yellowfen.core.heat.pad_copper import Tie, copper_round
from yellowfen.core.heat.rehearsal import Prepared, Resolution, Trace, advance, first_state, prepare
from yellowfen.core.heat.scene import (
    Array,
    BoardStack,
    CopperLayer,
    Deed,
    Move,
    Scene,
    Side,
    cropped,
    turned_over,
)
from yellowfen.core.heat.source import Iron
from yellowfen.core.part.package import JointKind, Land, tip_reaches
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

WETTING_S = constant(
    "iron_wetting",
    0.55,
    "s",
    mark=Mark.FROM_MEMORY,
    source="for fluxed solder to wet a pad 30 K above the liquidus, half of it at 60 K: the form of wetting-balance curves. See tip_contact",
    affects="seconds an iron needs",
)
WETTING_K = 30.0
FEED_S = constant(
    "iron_feed",
    1.0,
    "s",
    mark=Mark.COMMON_PRACTICE,
    source="a second to feed wire and see it run, then away",
    affects="seconds an iron stays",
)
SOLDERED_W_M2K = constant(
    "iron_pad_contact",
    4.0e5,
    "W/m²·K",
    mark=Mark.FROM_MEMORY,
    source="0.14 mm of molten solder at 55 W/m·K",
    affects="seconds an iron needs",
)
LONGEST_S = 6.0
LOOK_EVERY_S = 0.5
SAGS_K = 5.0
REACH_MM = 8.0
LINK_MM = 0.5
FINE_MARGIN_MM = 0.7
CELLS_ACROSS, WIDEST_CELL_MM = 5.0, 0.1
MAP_CELL_MM = 0.12  # a map coarser than this joins a pad to the pour beside it
FINE_PATCH = Resolution(
    layers=8, part_step_s=0.0005, sample_s=0.02, frame_s=0.02, pad_contact_w_m2k=SOLDERED_W_M2K
)


@dataclass(frozen=True, kw_only=True)
class Touch:
    """One joint under the tip: seconds until the pad melts solder and until it is wet (None if not
    within the longest touch).

    `stay_s` is how long to stay, with a second for the wire; the tip's lowest and the body's
    highest temperature, °C; `sags`: the tip fell by more than `SAGS_K`. `tie` is how the pin is
    drawn: signal, relief, plane, or "as drawn".
    """

    ref: str
    pin: str
    tie: str
    melts_s: float | None
    wets_s: float | None
    stay_s: float | None
    tip_low_c: float
    body_peak_c: float
    limit_c: float
    sags: bool = False


def touch(
    scene: Scene, iron: Iron, ref: str, pin: str, tie: Tie, longest_s: float = LONGEST_S
) -> Touch:
    """Hold the tip on one joint of a part whose outer copper is drawn in one of the usual ways.

    Raises InvalidValue for a pin that is not there or that no tip reaches.
    """
    land = _land(scene, ref, pin)
    return _hold(
        usual_patch(scene, ref, land, tie), iron, ref, land=land, tie=str(tie), longest_s=longest_s
    )


def melts_after_s(scene: Scene, iron: Iron, ref: str, pin: str, tie: Tie) -> float | None:
    """Seconds until the pad under the tip melts solder, as `touch` has it, without waiting until it
    is wet; None where it does not within `LONGEST_S`.

    Raises InvalidValue for a pin that is not there or that no tip reaches.
    """
    land = _land(scene, ref, pin)
    patched = usual_patch(scene, ref, land, tie)
    return _hold(
        patched, iron, ref, land=land, tie=str(tie), longest_s=LONGEST_S, molten_is_enough=True
    ).melts_s


def touch_as_drawn(
    scene: Scene, iron: Iron, ref: str, pin: str, longest_s: float = LONGEST_S
) -> Touch | None:
    """The same on the scene's own copper; None where that is known as a coarse map only.

    Raises InvalidValue for a pin that is not there or that no tip reaches.
    """
    land = _land(scene, ref, pin)
    if _outer_cell_mm(scene, ref) > MAP_CELL_MM:
        return None
    return _hold(patch(scene, ref, land), iron, ref, land=land, tie="as drawn", longest_s=longest_s)


def _land(scene: Scene, ref: str, pin: str) -> Land:
    land = next((land for land in scene.part(ref).package.lands if land.pin == pin), None)
    if land is None:
        raise InvalidValue("pin", f"{ref} has no pin {pin!r}")
    if not tip_reaches(scene.part(ref).package, land):
        raise InvalidValue(
            "pin",
            f"{ref} pin {pin} lies under the body, where no tip reaches: use hot air or a hot plate",
        )
    return land


def _outer_cell_mm(scene: Scene, ref: str) -> float:
    """How fine the copper under a part is known, mm."""
    outer = (min if scene.part(ref).side is Side.TOP else max)(
        scene.board.copper, key=lambda foil: foil.depth, default=None
    )
    columns = np.atleast_2d(np.asarray(outer.coverage)).shape[1] if outer else 1
    return scene.board.width_mm / columns


# the board round a joint
def usual_patch(scene: Scene, ref: str, land: Land, tie: Tie) -> Scene:
    """The part alone on a piece of the board, upright and from above, its land in the middle; other
    layers as they are there on the mean.
    """
    part, board = scene.part(ref), scene.board
    width, height = min(2 * REACH_MM, board.width_mm), min(2 * REACH_MM, board.height_mm)
    x, y = on_board(part, land.x_mm, land.y_mm)
    near = _cut(x, REACH_MM, board.width_mm), _cut(y, REACH_MM, board.height_mm)
    outer = 0.0 if part.side is Side.TOP else 1.0
    foil_um = next((foil.thickness_um for foil in board.copper if foil.depth == outer), 35.0)
    raster = copper_round(part.package, land, tie, width, height)
    drawn = CopperLayer(
        layer="outer",
        coverage=raster,
        thickness_um=foil_um,
        depth=0.0,
        links=links_of_raster(raster, round(height / LINK_MM), round(width / LINK_MM)),
    )
    others = _other_foils(board, outer, near)
    alone = replace(
        part,
        x_mm=width / 2 - land.x_mm,
        y_mm=height / 2 - land.y_mm,
        rotation_deg=0.0,
        side=Side.TOP,
        plane_pins=(),
        relief_pins=(),
    )
    piece = replace(
        board, width_mm=width, height_mm=height, outline=(), vias=(), copper=(drawn, *others)
    )
    return replace(
        scene,
        board=piece,
        parts=(alone,),
        targets=(ref,),
        shields=(),
        moves=(Move(deed=Deed.WITHDRAW, seconds=1.0),),
    )


def _other_foils(
    board: BoardStack, outer: float, near: tuple[tuple[float, float], tuple[float, float]]
) -> tuple[CopperLayer, ...]:
    """The layers but the outer one, seen from it, as much copper as there is on the mean."""
    return tuple(
        replace(
            foil,
            coverage=float(np.mean(cropped(foil, board, *near).coverage)),
            depth=abs(foil.depth - outer),
            links=None,
        )
        for foil in board.copper
        if foil.depth != outer
    )


def patch(scene: Scene, ref: str, land: Land, reach_mm: float = REACH_MM) -> Scene:
    """The scene cut down to the board around one joint (shifted to its own corner), with the parts
    whose middle lies inside.

    Pins on planes are not tied apart: the copper and the holes say so themselves. The board lies
    with the part's side up.
    """
    if scene.part(ref).side is Side.BOTTOM:
        scene = turned_over(scene)
    x, y = on_board(scene.part(ref), land.x_mm, land.y_mm)
    left, right = _cut(x, reach_mm, scene.board.width_mm)
    low, high = _cut(y, reach_mm, scene.board.height_mm)
    board = replace(
        scene.board,
        width_mm=right - left,
        height_mm=high - low,
        outline=(),
        known=None,
        copper=tuple(
            cropped(foil, scene.board, (left, right), (low, high)) for foil in scene.board.copper
        ),
        vias=tuple(
            replace(via, x_mm=via.x_mm - left, y_mm=via.y_mm - low)
            for via in scene.board.vias
            if left < via.x_mm < right and low < via.y_mm < high
        ),
    )
    inside = tuple(
        replace(one, x_mm=one.x_mm - left, y_mm=one.y_mm - low, plane_pins=(), relief_pins=())
        for one in scene.parts
        if one.ref == ref or (left < one.x_mm < right and low < one.y_mm < high)
    )
    return replace(
        scene,
        board=board,
        parts=inside,
        targets=(ref,),
        shields=(),
        moves=(Move(deed=Deed.WITHDRAW, seconds=1.0),),
    )


def _cut(at: float, reach: float, whole: float) -> tuple[float, float]:
    low, high = max(0.0, at - reach), min(whole, at + reach)
    return (
        (low, high)
        if high - low >= 4.0
        else (max(0.0, min(low, whole - 4.0)), min(whole, max(high, 4.0)))
    )


# the touch
def touch_scene(scene: Scene, iron: Iron, ref: str, pin: str, tie: Tie) -> Scene:
    """A tip on one joint that is drawn in one of the usual ways, as a scene with that one move.

    Raises InvalidValue for a pin that is not there or that no tip reaches.
    """
    land = _land(scene, ref, pin)
    return _touched(usual_patch(scene, ref, land, tie), iron, ref, land)


def _touched(here: Scene, iron: Iron, ref: str, land: Land) -> Scene:
    move = Move(deed=Deed.TOUCH, seconds=LOOK_EVERY_S, over=(ref,), pin=land.pin)
    return replace(here, source=iron, preheater=None, moves=(move,))


def _hold(
    here: Scene,
    iron: Iron,
    ref: str,
    land: Land,
    tie: str,
    longest_s: float,
    molten_is_enough: bool = False,
) -> Touch:
    part = here.part(ref)
    x, y, size_x, size_y, angle = place_land(part, land)
    turned = round(angle / 90) % 2 == 1
    fine = FineRound(
        x,
        y,
        (size_y if turned else size_x) + FINE_MARGIN_MM,
        (size_x if turned else size_y) + FINE_MARGIN_MM,
    )
    cell = min(WIDEST_CELL_MM, min(size_x, size_y) / CELLS_ACROSS)
    prepared = prepare(
        _touched(here, iron, ref, land), replace(FINE_PATCH, cell_mm=cell, fine=fine)
    )
    return _until_wet(
        prepared,
        iron,
        ref,
        land=land,
        tie=tie,
        longest_s=longest_s,
        molten_is_enough=molten_is_enough,
    )


def _until_wet(
    prepared: Prepared,
    iron: Iron,
    ref: str,
    land: Land,
    tie: str,
    longest_s: float,
    molten_is_enough: bool,
) -> Touch:
    """Run on in short stretches until the pad is wet (or molten, where that is enough): the time
    over the liquidus counts in proportion to the kelvins above it.
    """
    scene, part = prepared.scene, prepared.scene.part(ref)
    cells, area = turned_cells(prepared.network.grid, *place_land(part, land))
    row = next(
        i
        for i, name in enumerate(prepared.network.names)
        if (name.ref, name.pin) == (ref, land.pin)
    )
    liquidus = prepared.network.names[row].liquidus_c
    state, wet, melts, wets, tip_low = (
        first_state(prepared, prepared.drive(scene)),
        0.0,
        None,
        None,
        iron.set_c,
    )
    while wets is None and state.now_s < longest_s - 1e-9:
        began = state.now_s
        drive = prepared.drive(replace(scene, moves=(replace(scene.moves[0], from_s=began),)))
        trace = advance(prepared, state, drive)
        under = trace.frames_k[:, cells].astype(float)
        # A tab is done when all of it is: its coldest part counts, slivers at its rim apart.
        pad_c = (
            under[:, area > 0.2 * area.max()].min(axis=1)
            if land.kind is JointKind.TAB
            else under @ area / area.sum()
        ) + scene.ambient_c
        times = began + prepared.resolution.frame_s * np.arange(len(pad_c), dtype=float)
        melts = _crossing(times, pad_c, liquidus) if melts is None else melts
        share = wet + wetting(times, pad_c, liquidus)
        wets, wet = _crossing(times, share, 1.0), float(share[-1])
        tip_low = min(
            tip_low, float(_tip_end_k(iron, land, trace, began, row).min()) + scene.ambient_c
        )
        if molten_is_enough and melts is not None:
            break
    column = [one.ref for one in scene.parts].index(ref)
    peak = float(state.body_record[column, k.R_BODY_PEAK]) + scene.ambient_c
    return Touch(
        ref=ref,
        pin=land.pin,
        tie=tie,
        melts_s=melts,
        wets_s=wets,
        stay_s=None if wets is None else wets + FEED_S,
        tip_low_c=tip_low,
        body_peak_c=peak,
        limit_c=part.package.limit_c,
        sags=iron.set_c - tip_low > SAGS_K,
    )


def _tip_end_k(iron: Iron, land: Land, trace: Trace, began_s: float, row: int) -> Array:
    """The tip's end while it touches: what flows into the joint drops along its core and where it
    sits in its handle, K above the room.
    """
    held = tip_core_w_k(iron)
    at = np.array(
        [
            tip_conductance_w_k(iron, land, max(began_s + float(t) - float(trace.times_s[0]), 0.0))
            for t in trace.times_s
        ]
    )
    return np.asarray(
        trace.plate_k - at / held * (trace.plate_k - trace.joints_k[:, row].astype(float))
    )


def wetting(times: Array, pad_c: Array, liquidus_c: float) -> Array:
    """How far a pad is wet at each moment, 1 when done: time counts in proportion to the kelvins
    above the liquidus.
    """
    rate = np.maximum(pad_c - liquidus_c, 0.0) / (WETTING_K * WETTING_S)
    return np.concatenate(([0.0], np.cumsum(0.5 * (rate[1:] + rate[:-1]) * np.diff(times))))


def _crossing(times: Array, values: Array, level: float) -> float | None:
    """When rising values first pass a level, between samples."""
    over = np.nonzero(values >= level)[0]
    if not len(over):
        return None
    at = int(over[0])
    return (
        float(times[0])
        if at == 0
        else float(np.interp(level, values[at - 1 : at + 1], times[at - 1 : at + 1]))
    )
