"""Seconds an iron needs at one joint: the board around it on a fine grid, the tip with its heater and recovery.

Done is not when the solder melts (that clings to the tip) but when the pad beneath is as hot as the liquidus too.
A joint on a plane pin is asked for both ways: tied solidly, and through the spokes of a thermal relief.
"""

from dataclasses import dataclass, replace

import numpy as np

from yellowfen.core.heat.network import on_board, place_land, turned_cells
from yellowfen.core.heat.rehearsal import Prepared, Rehearsal, Resolution, prepare, rehearse
from yellowfen.core.heat.scene import Array, BoardStack, CopperLayer, Deed, Iron, Move, PlacedPart, Scene, Side
from yellowfen.core.part.package import JointKind, Land
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

WETTING_S = constant(
    "iron_wetting", 1.0, "s", Mark.COMMON_PRACTICE, "after it melts, a second for the solder to run", "seconds an iron stays"
)
SOLDERED_W_M2K = constant(
    "iron_pad_contact", 1.5e5, "W/m²·K", Mark.FROM_MEMORY, "0.1 mm of solder with flux and a thin oxide left", "seconds an iron needs"
)
LONGEST_S = 12.0
REACH_MM = 9.0
NARROW_REACH_MM, NARROW_REACH_WIDTHS = 3.5, 13.0
CELLS_ACROSS = 4.0  # of a narrow pad; five leave signal pins as they are and move tied ones by up to 1.6 times
FINE_PATCH = Resolution(cell_mm=0.3, layers=4, part_step_s=0.004, sample_s=0.05, frame_s=0.05, pad_contact_w_m2k=SOLDERED_W_M2K)


@dataclass(frozen=True)
class Touch:
    """One joint under the tip: seconds until molten (None if not within the longest touch), how far the tip sagged, the body's peak.

    `resolved` is False for narrow pads on a board whose copper is only known as a coarse map: copper beside them that is not theirs
    takes their heat in the model, so "never" is no answer there.
    """

    ref: str
    pin: str
    tie: str
    melts_s: float | None
    stay_s: float | None
    tip_low_c: float
    body_peak_c: float
    limit_c: float
    resolved: bool = True


def patch(scene: Scene, ref: str, pin: str, reach_mm: float = REACH_MM) -> Scene:
    """The scene cut down to the board around one joint (shifted to its own corner), with the parts whose middle lies inside."""
    part = scene.part(ref)
    land = next((land for land in part.package.lands if land.pin == pin), None)
    if land is None:
        raise InvalidValue("pin", f"{ref} has no pin {pin!r}")
    x, y = on_board(part, land.x_mm, land.y_mm)
    left, right = _cut(x, reach_mm, scene.board.width_mm)
    low, high = _cut(y, reach_mm, scene.board.height_mm)
    board = replace(
        scene.board, width_mm=right - left, height_mm=high - low, outline=(),
        copper=tuple(_cropped(foil, scene.board, left, right, low, high) for foil in scene.board.copper),
        vias=tuple(replace(via, x_mm=via.x_mm - left, y_mm=via.y_mm - low) for via in scene.board.vias if left < via.x_mm < right and low < via.y_mm < high),
    )  # fmt: skip
    inside = tuple(
        replace(one, x_mm=min(max(one.x_mm - left, 0.0), right - left), y_mm=min(max(one.y_mm - low, 0.0), high - low))
        for one in scene.parts if one.ref == ref or (left < one.x_mm < right and low < one.y_mm < high)
    )  # fmt: skip
    return replace(scene, board=board, parts=inside, targets=(ref,), shields=(), moves=(Move(Deed.WITHDRAW, 1.0),))


def _cut(at: float, reach: float, whole: float) -> tuple[float, float]:
    low, high = max(0.0, at - reach), min(whole, at + reach)
    return (low, high) if high - low >= 4.0 else (max(0.0, min(low, whole - 4.0)), min(whole, max(high, 4.0)))


def _cropped(foil: CopperLayer, board: BoardStack, left: float, right: float, low: float, high: float) -> CopperLayer:
    cover: Array = np.atleast_2d(np.asarray(foil.coverage, dtype=float))
    if cover.size == 1:
        return foil
    rows, columns = cover.shape
    a, b = int(left / board.width_mm * columns), max(int(np.ceil(right / board.width_mm * columns)), 1)
    c, d = int(low / board.height_mm * rows), max(int(np.ceil(high / board.height_mm * rows)), 1)
    return replace(foil, coverage=cover[c:d, a:b])


def touch(scene: Scene, iron: Iron, ref: str, pin: str, tie: str = "as it is", longest_s: float = LONGEST_S) -> Touch:
    """Hold the tip on one joint and see when it melts. `tie`: "as it is", "signal", "relief" or "plane"."""
    fine, here = FINE_PATCH, patch(scene, ref, pin)
    land = next(land for land in here.part(ref).package.lands if land.pin == pin)
    width = min(land.size_x_mm, land.size_y_mm)
    resolved = width >= 1.8 * fine.cell_mm
    if is_narrow_lead(land) and _cell_mm(scene, ref) <= width / 3:  # finer cells on a smaller patch: heat spreads 2 mm in 2 s
        fine, resolved = replace(fine, cell_mm=width / CELLS_ACROSS), True
        here = patch(scene, ref, pin, max(NARROW_REACH_MM, NARROW_REACH_WIDTHS * width))
    here = replace(here, source=iron, preheater=None)
    here = replace(here, parts=tuple(_tied(part, ref, pin, tie) for part in here.parts))
    here = replace(here, moves=(Move(Deed.TOUCH, longest_s, (ref,), pin=pin),))
    prepared = prepare(here, fine)
    seen = rehearse(here, fine)
    return replace(_read(seen, ref, pin, tie, _pad_flows_s(seen, prepared, ref, pin)), resolved=resolved)


def is_narrow_lead(land: Land) -> bool:
    """True for the pads of fine-pitch leads: the usual patch mixes them with the copper beside them."""
    return land.kind in (JointKind.GULL_WING, JointKind.J_LEAD) and min(land.size_x_mm, land.size_y_mm) < 1.8 * FINE_PATCH.cell_mm


def _cell_mm(scene: Scene, ref: str) -> float:
    """How fine the copper under a part is known."""
    outer = (min if scene.part(ref).side is Side.TOP else max)(scene.board.copper, key=lambda foil: foil.depth, default=None)
    columns = np.atleast_2d(np.asarray(outer.coverage)).shape[1] if outer else 1
    return scene.board.width_mm / columns


def _pad_flows_s(seen: Rehearsal, prepared: Prepared, ref: str, pin: str) -> float | None:
    """When both the solder is molten and the pad beneath it has reached the liquidus."""
    joint = next(joint for joint in seen.joints if joint.ref == ref and joint.pin == pin)
    part = prepared.scene.part(ref)
    land = next(land for land in part.package.lands if land.pin == pin)
    cells, area = turned_cells(prepared.network.grid, *place_land(part, land))
    faces = np.array([prepared.network.grid.flat(frame)[cells] @ area / area.sum() for frame in seen.frames_c])
    hot = np.nonzero(faces >= joint.liquidus_c)[0]
    if joint.melt_end_s is None or not len(hot):
        return None
    after = int(hot[0])
    if after == 0:
        return joint.melt_end_s
    share = (joint.liquidus_c - faces[after - 1]) / (faces[after] - faces[after - 1])
    return max(joint.melt_end_s, (after - 1 + float(share)) * seen.frame_s)


def _tied(part: PlacedPart, ref: str, pin: str, tie: str) -> PlacedPart:
    if part.ref != ref or tie == "as it is":
        return part
    plane = tuple(one for one in part.plane_pins if one != pin) + ((pin,) if tie == "plane" else ())
    relief = tuple(one for one in part.relief_pins if one != pin) + ((pin,) if tie == "relief" else ())
    return replace(part, plane_pins=plane, relief_pins=relief)


def _read(seen: Rehearsal, ref: str, pin: str, tie: str, melts: float | None) -> Touch:
    stay = None if melts is None else melts + WETTING_S
    until = seen.times_s <= (LONGEST_S if stay is None else stay)
    column = [part.ref for part in seen.parts].index(ref)
    assert seen.plate_c is not None
    peak = float(seen.body_c[until, column].max(initial=0.0))
    return Touch(ref, pin, tie, melts, stay, float(seen.plate_c[until].min(initial=999.0)), peak, seen.part(ref).limit_c)
