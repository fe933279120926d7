"""A board and a heat plan as a scene for the thermal model."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from yellowfen.core.board.board import Board, BoardPart, CopperMap
from yellowfen.core.board.copper_links import CopperLinks, unpacked
from yellowfen.core.board.drawn_copper import DrawnLayer, drawn_copper
from yellowfen.core.board.remembered import remembered
from yellowfen.core.heat.heat_plan import HeatPlan, SourceKind, aimed
from yellowfen.core.heat.scene import (
    BoardStack,
    CopperLayer,
    Core,
    PlacedPart,
    Scene,
    Shield,
    ShieldKind,
    Side,
    Underside,
    Via,
    turned_over,
)
from yellowfen.core.heat.tune import ROOM_MM, half_size_mm
from yellowfen.core.quantity.wording import counted
from yellowfen.errors import InvalidValue

WIDEST_VIA_MM = 1.1
USUAL_ALLOY = "Sn63Pb37"


def scene_of(board: Board, plan: HeatPlan) -> Scene:
    """The scene that a heat's plan describes, with the plan's side up.

    Raises InvalidValue when no target is chosen, a target is gone, or it sits on the other face.
    """
    if not plan.targets:
        raise InvalidValue("targets", "choose at least one part on the plan")
    sides = {part.ref: part.side for part in board.parts}
    for ref in plan.targets:
        if ref not in sides:
            raise InvalidValue("targets", f"{ref} is not on this board any more; choose again")
        if sides[ref] != plan.side:
            said = f"{ref} is on the {sides[ref]}, but the {plan.side} is up; turn the board over"
            raise InvalidValue("targets", said)
    return scene_as_laid(board, plan)


@remembered(most=6)
def scene_as_laid(board: Board, plan: HeatPlan) -> Scene:
    """The same whatever face the targets are on: the plan's side lies up."""
    ties: dict[str, dict[str, str]] = {}
    for pad in board.pads:
        if pad.tie and pad.ref and pad.pin:
            ties.setdefault(pad.ref, {})[pad.pin] = pad.tie
    parts = tuple(
        _placed(
            part,
            plan.alloy if part.ref in plan.targets else plan.board_alloy or plan.alloy,
            ties.get(part.ref, {}),
        )
        for part in board.parts
        if _on_board(board, part)
        and (part.side == plan.side or not plan.bare_below)
        and part.ref not in plan.absent
    )
    guesses = [
        f"{part.ref}: {part.note}" for part in board.parts if part.note and part.ref in plan.targets
    ]
    guesses += [
        said for part in board.parts if part.ref in plan.targets and (said := said_of_holes(part))
    ]
    if not board.copper:
        guesses.append(
            "no copper layers: the board is rehearsed as bare laminate, so true heating is slower"
        )
    scene = Scene(
        board=_stack(board, plan.underside, plan.core),
        parts=parts,
        source=plan.heat_source(),
        moves=aimed(plan.moves, plan.targets),
        targets=plan.targets,
        ambient_c=plan.ambient_c,
        guesses=tuple(guesses),
        preheater=plan.preheater if plan.source is SourceKind.AIR else None,
        shields=tuple(
            _cover(part, plan.shield_kind)
            for part in parts
            if part.ref in plan.shields and str(part.side) == plan.side
        ),
    )
    return turned_over(scene) if plan.side == "bottom" else scene


def said_of_holes(part: BoardPart) -> str:
    """What a forecast leaves out of a part that also stands in holes, and what to do; empty for
    others.
    """
    if not part.in_holes:
        return ""
    return f"{part.ref} also stands in {counted(part.in_holes, 'hole')}, which this forecast leaves out: solder them by iron after the heat, or empty the holes with solder wick before removal, or lands tear off."


def _cover(part: PlacedPart, kind: ShieldKind) -> Shield:
    half_x, half_y = half_size_mm(part)
    return Shield(
        x_mm=part.x_mm,
        y_mm=part.y_mm,
        size_x_mm=2 * (half_x + ROOM_MM),
        size_y_mm=2 * (half_y + ROOM_MM),
        kind=kind,
    )


def _on_board(board: Board, part: BoardPart) -> bool:
    placed = PlacedPart(
        ref=part.ref,
        package=part.package,
        x_mm=part.x_mm,
        y_mm=part.y_mm,
        rotation_deg=part.rotation_deg,
        side=Side(part.side),
        alloy=USUAL_ALLOY,
    )
    return placed.stands_on(board.width_mm, board.height_mm) and (
        part.joined or part.note != "unknown"
    )


def _placed(part: BoardPart, alloy: str, ties: Mapping[str, str]) -> PlacedPart:
    """The part for the thermal model; through-plated ties count as solid ones."""
    plane = tuple(land.pin for land in part.package.lands if ties.get(land.pin) in ("solid", "via"))
    relief = tuple(land.pin for land in part.package.lands if ties.get(land.pin) == "relief")
    return PlacedPart(
        ref=part.ref,
        package=part.package,
        x_mm=part.x_mm,
        y_mm=part.y_mm,
        rotation_deg=part.rotation_deg,
        side=Side(part.side),
        alloy=alloy,
        plane_pins=plane,
        relief_pins=relief,
    )


@remembered(most=6)
def _stack(board: Board, underside: Underside, core: Core) -> BoardStack:
    copper = tuple(
        CopperLayer(
            layer=one.layer,
            coverage=np.array(one.coverage),
            thickness_um=one.thickness_um,
            depth=one.depth,
            links=_links(one),
            drawing=_drawing(board, one),
        )
        for one in board.copper
    )
    vias = tuple(
        Via(hole.x_mm, hole.y_mm, hole.drill_mm)
        for hole in board.holes
        if hole.plated and hole.drill_mm <= WIDEST_VIA_MM
    )
    return BoardStack(
        width_mm=board.width_mm,
        height_mm=board.height_mm,
        thickness_mm=board.thickness_mm,
        copper=copper,
        underside=underside,
        vias=vias,
        outline=board.outline[0] if board.outline else (),
        core=core,
    )


def _links(one: CopperMap) -> CopperLinks | None:
    return (
        None if one.links is None else unpacked(one.links, len(one.coverage), len(one.coverage[0]))
    )


def _drawing(board: Board, one: CopperMap) -> DrawnLayer | None:
    side = {0.0: "top", 1.0: "bottom"}.get(one.depth)
    inks = board.drawings.get(f"copper {side}")
    return DrawnLayer(inks, board.width_mm) if inks and one.links is not None else None


def with_drawn_copper(scene: Scene, board: Board, side: str) -> Scene:
    """The scene with the outer copper of a `side` as drawn, fine enough for single narrow pads;
    unchanged where nothing is drawn.
    """
    fine = drawn_copper(board, side)
    if fine is None:
        return scene
    outer = (min if side == "top" else max)(
        scene.board.copper, key=lambda foil: foil.depth, default=None
    )
    copper = tuple(
        replace(foil, coverage=fine, drawing=None) if foil is outer else foil
        for foil in scene.board.copper
    )
    return replace(scene, board=replace(scene.board, copper=copper))
