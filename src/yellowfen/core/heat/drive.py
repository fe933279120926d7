"""What the sources do to the board, moment by moment, as tables for the kernel: jet, nozzle's path,
surroundings, plate, tip.

One segment row per move (a touch by the iron has several) and one `around` row per refresh of the
surface coefficients. The heat of a jet at one place is core/heat/jet; here stand its movement, its
lean, and the sources that surround the board.
"""

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.jet import JET_FACTOR, jet_on_board
from yellowfen.core.heat.scene import Array, Deed, Move, NozzlePath, Scene, Side, Underside
from yellowfen.core.heat.source import (
    Control,
    Handle,
    HotAir,
    HotPlate,
    Iron,
    Oven,
    Preheater,
    TipShape,
)
from yellowfen.core.heat.surface import INSULATING_REST_W_M2K, METAL_REST_W_M2K
from yellowfen.core.part.package import JointKind, Land
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.source.mark import Mark, constant

REFRESH_S = 0.1
# Parts further than this from the way of the nozzle are stepped at these paces.
PACED_FROM_MM = np.array([8.0])
PACES = np.array([1, 3])
TOUCH_STEP_S, TOUCH_PIECE_S = 0.004, 0.1
_M = Mark.FROM_MEMORY
_FITTED = "from memory; the three contact values and iron_wetting were set together so that tied pins take as long as common practice says"
TIP_CONTACT_W_M2K = constant(
    "tip_contact",
    3.0e4,
    "W/m²·K",
    mark=_M,
    source=f"tinned tip at first touch; a dry or black tip passes a tenth. {_FITTED}",
    affects="seconds an iron needs",
)
TIP_BRIDGED_W_M2K = constant(
    "tip_bridged",
    1.1e5,
    "W/m²·K",
    mark=_M,
    source=f"fed until solder fills the gap, about half a millimetre of it. {_FITTED}",
    affects="seconds an iron needs",
)
TIP_BRIDGES_S = constant(
    "tip_bridges",
    3.0,
    "s",
    mark=_M,
    source=f"the bridge grows with this time constant. {_FITTED}",
    affects="seconds an iron needs",
)
TIP_CORE_W_MK = constant(
    "tip_core",
    380.0,
    "W/m·K",
    mark=_M,
    source="copper core of a tip, 8 mm from heater to end",
    affects="seconds an iron needs",
)
TIP_LENGTH_MM = constant(
    "tip_length",
    8.0,
    "mm",
    mark=_M,
    source="from the heater to the tip's end",
    affects="seconds an iron needs",
)
TIP_SHAFT_MM = constant(
    "tip_shaft",
    4.5,
    "mm",
    mark=_M,
    source="where the tip meets its heater",
    affects="seconds an iron needs",
)
TIP_LOSS_W_K = constant(
    "tip_loss",
    0.03,
    "W/K",
    mark=_M,
    source="a hot tip idles at roughly 5 to 10 W",
    affects="tip recovery",
)
SLIP_ON_W_K = constant(
    "tip_slip_on",
    0.8,
    "W/K",
    mark=_M,
    source="a tip slipped over its heater: 20 to 40 W of draw pull it down by tens of kelvin",
    affects="tip sag of slow irons",
)
STEADY_GAIN_SHARE = constant(
    "plate_gain",
    0.05,
    "1/K",
    mark=_M,
    source="a steady plate uses full power at 20 K below its setting",
    affects="plate's approach",
)
STEADY_INTEGRAL_S = constant(
    "plate_integral",
    60.0,
    "s",
    mark=_M,
    source="a slow integral part that removes the rest",
    affects="plate's approach",
)
WETTED_PADS = constant(
    "tip_wetted_pads",
    1.5,
    "pad areas",
    mark=_M,
    source="a tip wets no more than the pad and its lead; of a chip 2.5, with the end's metal",
    affects="seconds an iron needs",
)
WETTED_CHIP_PADS = 2.5
_SHAPE_SHARE = {TipShape.BEVEL: 1.2, TipShape.CHISEL: 1.0, TipShape.KNIFE: 0.8, TipShape.CONE: 0.35}
TIP_SHAPES = constant(
    "tip_shape_cone",
    _SHAPE_SHARE[TipShape.CONE],
    "1",
    mark=_M,
    source="wetted share against a chisel: bevel 1.2, knife 0.8, cone 0.35",
    affects="seconds an iron needs",
)


@dataclass(frozen=True, kw_only=True)
class Drive:
    """Kernel tables of one recipe: segments (moves, columns), around (refreshes, columns), paces
    (moves, parts: how many long steps one of the part's spans), plate parameters and its first
    state.
    """

    segments: Array
    around: Array
    paces: NDArray[np.int64]
    plate: Array
    plate_state: Array
    warnings: tuple[str, ...]

    def halved(self) -> "Drive":
        """The same recipe at half the steps: twice as many of them, the surroundings renewed at the
        same moments.
        """
        segments = self.segments.copy()
        segments[:, [k.MACROS, k.REFRESH]] *= 2.0
        return replace(self, segments=segments)

    def going_on(self, scene: Scene, move: Move, from_s: float) -> "Drive":
        """This drive of one move (no oven's, no touch) for as long again from `from_s` on: the same
        steps, the nozzle where its way has come to.
        """
        later = replace(move, from_s=from_s)
        return replace(self, around=_around(self.segments[0], scene, later, 0.0))


@dataclass(frozen=True)
class Steps:
    """The longest steps allowed, s: of the faces inside a long step, of faces that take the whole
    long step at once, of the long step.
    """

    face_s: float
    whole_s: float
    long_s: float


def drive_of(scene: Scene, steps: Steps, nozzle_step_mm: float = 0.7) -> Drive:
    """Tables for a scene under given longest steps.

    The nozzle's place is renewed at least every `nozzle_step_mm` of its way.
    """
    strength = JET_FACTOR if scene.jet_factor is None else scene.jet_factor
    warnings: list[str] = []
    moves = [piece for move in scene.moves for piece in _in_pieces(move)]
    segments = np.zeros((len(moves), k.SEGMENT_COLUMNS))
    pieces: list[Array] = []
    paces = paces_of(scene, moves)
    began = 0.0
    for row, move, pace in zip(segments, moves, paces, strict=True):
        row[k.SECONDS], row[k.JET_SPREAD], row[k.JET_WARMTH_RADIUS] = move.seconds, 1.0, 1.0
        row[k.M_XX] = row[k.M_YY] = 1.0
        if move.blows and isinstance(scene.source, HotAir):
            _fill_jet(row, scene, scene.source, move=move, factor=strength, warnings=warnings)
        _fill_steps(row, move, steps, nozzle_step_mm * 1e-3, int(pace.max(initial=1)))
        _fill_plate(row, scene, move)
        pieces.append(_around(row, scene, move, began))
        began += move.seconds
    tallest = tallest_beneath_mm(scene)
    if isinstance(scene.source, HotPlate) and tallest > 0:
        warnings.append(
            f"parts on the underside hold the board {with_unit(tallest, MM, 1)} off the plate: it heats slowly, if at all"
        )
    plate, state = _plate(scene)
    return Drive(
        segments=segments,
        around=np.concatenate(pieces),
        paces=paces,
        plate=plate,
        plate_state=state,
        warnings=tuple(dict.fromkeys(warnings)),
    )


def paces_of(scene: Scene, moves: list[Move]) -> NDArray[np.int64]:
    """How many long steps one of a part's own spans, for every move (moves, parts): parts far from
    the nozzle change slowly. 1 or 3, odd so that a part's step stands in the middle of its span.

    Away from a move that blows the paces of the last that did hold on. Plates, ovens and irons have
    all parts at 1.
    """
    paces = np.ones((len(moves), len(scene.parts)), dtype=np.int64)
    if not isinstance(scene.source, HotAir) or not scene.parts:
        return paces
    places = np.array([(part.x_mm, part.y_mm) for part in scene.parts])
    reach = np.array(
        [0.5 * math.hypot(part.package.body_x_mm, part.package.body_y_mm) for part in scene.parts]
    )
    last = paces[0]
    for row, move in zip(paces, moves, strict=True):
        if move.blows:
            apart = np.hypot(*(places - scene.centre(move)).T) - reach - move.circle_mm
            last = PACES[np.searchsorted(PACED_FROM_MM, apart)]
        row[:] = last
    return paces


def _in_pieces(move: Move) -> list[Move]:
    """A touch in short pieces, since the tip's contact grows; any other move whole."""
    if move.deed is not Deed.TOUCH:
        return [move]
    count = max(1, int(move.seconds / TOUCH_PIECE_S + 1e-9))
    each = move.seconds / count
    return [replace(move, seconds=each, from_s=move.from_s + i * each) for i in range(count)]


def _fill_jet(
    row: Array, scene: Scene, source: HotAir, move: Move, factor: float, warnings: list[str]
) -> None:
    jet = jet_on_board(
        source.round_mm,
        source.outlet_c,
        source.flow_lpm,
        height_mm=move.height_mm,
        ambient_c=scene.ambient_c,
        factor=factor,
    )
    row[k.JET_H], row[k.JET_SPREAD] = jet.centre_w_m2k, jet.spread_m
    row[k.JET_WARMTH], row[k.JET_WARMTH_RADIUS] = jet.centre_warmth, jet.warmth_radius_m
    row[k.JET_K], row[k.LIT] = source.outlet_c - scene.ambient_c, 1.0
    metric = _turned(1.0 / source.longer, source.longer, source.nozzle_turn_deg)
    leaning = _turned(math.cos(math.radians(move.tilt_deg)), 1.0, move.tilt_to_deg)
    metric = (
        leaning @ metric @ leaning
    )  # from both sides, so that the form stays positive whichever way a long nozzle leans
    row[k.M_XX], row[k.M_XY], row[k.M_YY] = metric[0, 0], metric[0, 1] + metric[1, 0], metric[1, 1]
    warnings.extend(jet.warnings)


def _turned(along: float, across: float, degrees: float) -> Array:
    """The quadratic form along·u² + across·v² with u turned by an angle."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    turn = np.array([[c, -s], [s, c]])
    return np.asarray(turn @ np.diag([along, across]) @ turn.T)


def _fill_steps(row: Array, move: Move, steps: Steps, nozzle_step_m: float, pace: int) -> None:
    speed = _speed_m_s(move)
    long_s = min(steps.long_s, TOUCH_STEP_S) if move.deed is Deed.TOUCH else steps.long_s
    if speed > 0:
        long_s = min(long_s, nozzle_step_m / speed)
    subs = max(1 if long_s <= steps.whole_s else 2, math.ceil(long_s / steps.face_s - 1e-9))
    macros = math.ceil(move.seconds / min(long_s, subs * steps.face_s) - 1e-9)
    macros = pace * math.ceil(macros / pace)
    row[k.MACROS], row[k.SUBS] = macros, subs
    span = REFRESH_S if speed == 0 else nozzle_step_m / speed
    row[k.REFRESH] = max(1, int(min(span, REFRESH_S) / (move.seconds / macros) + 1e-9))


def _speed_m_s(move: Move) -> float:
    if not move.blows or move.path is NozzlePath.FIXED or move.path is NozzlePath.ENDS:
        return 0.0
    way = 2.0 * math.pi if move.path is NozzlePath.CIRCLE else 4.0
    return way * move.circle_mm * 1e-3 / move.circle_s


def _fill_plate(row: Array, scene: Scene, move: Move) -> None:
    if isinstance(scene.source, (HotPlate, Iron)):
        row[k.PLATE_SET] = scene.source.set_c - scene.ambient_c
    if move.deed is Deed.TOUCH and isinstance(scene.source, Iron):
        row[k.TIP_ON] = _contact_share(scene, scene.source, move)
    row[k.ON_PLATE] = float(move.deed is Deed.PLATE)


def _contact_share(scene: Scene, iron: Iron, move: Move) -> float:
    """The tip's conductance in the middle of a piece of a touch, as a share of what it comes to."""
    land = next(
        (land for land in scene.part(move.over[0]).package.lands if land.pin == move.pin), None
    )
    if land is None:
        return 1.0
    return tip_conductance_w_k(iron, land, move.from_s + 0.5 * move.seconds) / tip_conductance_w_k(
        iron, land
    )


def _around(row: Array, scene: Scene, move: Move, began: float) -> Array:
    """The nozzle's place and the surroundings at the middle of each refresh interval of one move."""
    macros, refresh = int(row[k.MACROS]), int(row[k.REFRESH])
    starts = np.arange(0, macros, refresh)
    step = move.seconds / macros
    middle = (starts + 0.5 * np.minimum(refresh, macros - starts)) * step
    table = np.zeros((len(starts), k.AROUND_COLUMNS))
    x, y = scene.centre(move)
    dx, dy = path_offsets(move, move.from_s + middle)
    table[:, k.NOZZLE_X], table[:, k.NOZZLE_Y] = (x + dx) * 1e-3, (y + dy) * 1e-3
    room = scene.ambient_c
    if move.deed is Deed.OVEN and isinstance(scene.source, Oven):
        points = np.array(scene.source.curve)
        air, wall = (
            np.interp(began + move.from_s + middle, points[:, 0], points[:, column]) - room
            for column in (1, 2)
        )
        table[:, k.AIR_TOP] = table[:, k.AIR_LOW] = _not_zero(air)
        table[:, k.WALL_TOP] = table[:, k.WALL_LOW] = _not_zero(wall)
        table[:, k.FORCED_TOP] = table[:, k.FORCED_LOW] = scene.source.fan_w_m2k
    elif scene.preheater is not None and move.heats:
        _fill_preheater(table, scene.preheater, room)
    elif move.deed is not Deed.PLATE:
        table[:, k.REST_W_M2K] = _rest_w_m2k(scene)
    return table


def _not_zero(kelvins: Array) -> Array:
    """A source that happens to stand at room temperature is still a source."""
    return np.where(np.abs(kelvins) < 1e-6, 1e-6, kelvins)


def _fill_preheater(table: Array, heater: Preheater, room_c: float) -> None:
    """Warm air comes from a warm heater: beside what glows the board sees the heater's own casing,
    or the room if it only glows.
    """
    table[:, k.AIR_LOW] = heater.celsius - room_c if heater.air_w_m2k > 0 else 1e-6
    table[:, k.FORCED_LOW] = heater.air_w_m2k
    hot, cold = heater.celsius + 273.15, room_c + 273.15
    rest = hot if heater.air_w_m2k > 0 else cold
    seen = (heater.glow_share * hot**4 + (1.0 - heater.glow_share) * rest**4) ** 0.25
    table[:, k.WALL_LOW] = max(seen - cold, 1e-6)


def _rest_w_m2k(scene: Scene) -> float:
    if (
        isinstance(scene.source, (HotPlate, Oven))
        or scene.preheater is not None
        or scene.board.underside is Underside.OPEN
    ):
        return 0.0
    return (
        INSULATING_REST_W_M2K if scene.board.underside is Underside.INSULATING else METAL_REST_W_M2K
    )


def open_below(scene: Scene) -> bool:
    """True where the underside meets air and sees the room (or an oven, or a preheater) whenever no
    plate is under it.
    """
    return (
        isinstance(scene.source, (HotPlate, Oven))
        or scene.preheater is not None
        or scene.board.underside is Underside.OPEN
    )


def tallest_beneath_mm(scene: Scene) -> float:
    """Height of the tallest part on the underside, mm; it keeps the board off a plate."""
    return max(
        (
            part.package.height_mm + part.package.gap_mm
            for part in scene.parts
            if part.side is Side.BOTTOM
        ),
        default=0.0,
    )


def path_offsets(move: Move, at_s: Array) -> tuple[Array, Array]:
    """The nozzle's place against its centre at moments of a move, mm; zeros when it stands."""
    turn = at_s / move.circle_s
    if not move.blows or move.path is NozzlePath.FIXED:
        return np.zeros_like(turn), np.zeros_like(turn)
    if move.path is NozzlePath.CIRCLE:
        return move.circle_mm * np.cos(2 * np.pi * turn), move.circle_mm * np.sin(2 * np.pi * turn)
    phase = turn % 1.0
    along = (
        np.where(phase < 0.5, 1.0, -1.0)
        if move.path is NozzlePath.ENDS
        else 4.0 * np.abs(phase - 0.5) - 1.0
    )
    angle = math.radians(move.along_deg)
    return move.circle_mm * along * math.cos(angle), move.circle_mm * along * math.sin(angle)


def _plate(scene: Scene) -> tuple[Array, Array]:
    plate, state = np.zeros(7), np.zeros(4)
    plate[k.P_HEAT] = plate[k.P_LOSS_W_K] = plate[k.P_INTEGRAL_S] = 1.0
    source = scene.source
    if isinstance(source, HotPlate):
        plate[:] = (
            1.0 if source.control is Control.THERMOSTAT else 2.0,
            source.plate_heat_j_k,
            source.power_w,
            source.loss_w_k,
            source.band_k,
            STEADY_GAIN_SHARE * source.power_w,
            STEADY_INTEGRAL_S,
        )
        hot = source.set_c if source.start_c is None else source.start_c
        state[k.S_PLATE_K] = hot - scene.ambient_c
        state[k.S_PLATE_SUM] = (
            _holding(plate, state[k.S_PLATE_K]) if source.start_c is None else 0.0
        )
    elif isinstance(source, Iron):
        plate[:] = (
            2.0,
            source.tip_heat_j_k,
            source.power_w,
            TIP_LOSS_W_K,
            1.0,
            0.1 * source.power_w,
            5.0,
        )
        state[k.S_PLATE_K] = source.set_c - scene.ambient_c
        state[k.S_PLATE_SUM] = _holding(plate, state[k.S_PLATE_K])
    return plate, state


def _holding(plate: Array, kelvins: float) -> float:
    """The integral part that holds a plate where it is."""
    return float(min(plate[k.P_LOSS_W_K] * kelvins, plate[k.P_POWER]) / plate[k.P_GAIN_W_K])


def tip_core_w_k(iron: Iron) -> float:
    """From the heater to the tip's end, W/K: the tapering core, and where the tip sits in its
    handle if it is slipped on.
    """
    core = (
        TIP_CORE_W_MK
        * math.pi
        / 4
        * iron.tip_mm
        * max(TIP_SHAFT_MM, iron.tip_mm)
        * 1e-3
        / TIP_LENGTH_MM
    )
    return core if iron.handle is Handle.CARTRIDGE else core * SLIP_ON_W_K / (core + SLIP_ON_W_K)


def wetted_tip_mm2(iron: Iron) -> float:
    """What of a tip's end solder can wet, mm²."""
    return _SHAPE_SHARE[iron.shape] * 0.5 * iron.tip_mm**2


def tip_conductance_w_k(iron: Iron, land: Land, seconds: float = math.inf) -> float:
    """From the tip's heater to a joint, W/K, so long after first touch: the tapering core (a cone
    frustum, πkd₁d₂/4L) and its contact in series.

    The contact is never much larger than the pad, and grows as solder fills the gap.
    """
    core = tip_core_w_k(iron)
    pads = WETTED_CHIP_PADS if land.kind is JointKind.CHIP else WETTED_PADS
    wetted = min(wetted_tip_mm2(iron), max(pads * land.area_mm2, 0.05))
    passes = TIP_BRIDGED_W_M2K + (TIP_CONTACT_W_M2K - TIP_BRIDGED_W_M2K) * math.exp(
        -seconds / TIP_BRIDGES_S
    )
    contact = passes * wetted * 1e-6
    return core * contact / (core + contact)
