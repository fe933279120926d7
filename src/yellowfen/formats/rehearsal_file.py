"""The rehearsal file (docs/rehearsal-file.md): JSON in, a Scene out; a Rehearsal out as JSON.

Stable: fields are added, never renamed. Pydantic guards the shape; the Scene's own checks guard the
physics.
"""

import json
from collections.abc import Callable
from typing import Annotated, Any, Literal, TypeVar

from pydantic import (
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Discriminator,
    Field,
    Tag,
    ValidationError,
)

from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.heat.rehearsal import JointStory, PartStory, Rehearsal
from yellowfen.core.heat.scene import (
    BLOWING,
    BoardStack,
    CopperLayer,
    Core,
    Deed,
    Move,
    NozzlePath,
    PlacedPart,
    Scene,
    Shield,
    Side,
    Underside,
    Via,
)
from yellowfen.core.heat.source import (
    HotAir,
    HotPlate,
    Iron,
    Oven,
    Preheater,
)
from yellowfen.core.heat.story import ramps_k_s, tell
from yellowfen.core.heat.sureness import Band, Sureness
from yellowfen.core.heat.window import Axis
from yellowfen.core.part.catalogue import package_named, unknown_body
from yellowfen.core.part.package import JointKind, Land, with_lands
from yellowfen.errors import InvalidValue


class Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


Shape = TypeVar("Shape", bound=BaseModel)


class CopperIn(Strict):
    layer: str
    coverage: float | list[list[float]]
    thickness_um: float = 35
    depth: float | None = None


class ViaIn(Strict):
    x_mm: float
    y_mm: float
    drill_mm: float = Field(0.3, gt=0, le=6)


class BoardIn(Strict):
    width_mm: float
    height_mm: float
    thickness_mm: float = 1.6
    copper: list[CopperIn] = Field(default_factory=list, max_length=32)
    underside: Literal["insulating", "open", "metal"] = "insulating"
    vias: list[ViaIn] = Field(default_factory=list, max_length=20000)
    outline: list[tuple[float, float]] = Field(default_factory=list, max_length=5000)
    core: Core = Core.FR4


class PadIn(Strict):
    pin: str
    x_mm: float
    y_mm: float
    size_x_mm: float = Field(gt=0, le=100)
    size_y_mm: float = Field(gt=0, le=100)
    kind: JointKind = JointKind.GULL_WING


class PartIn(Strict):
    ref: str = Field(min_length=1, max_length=40)
    package: str
    x_mm: float
    y_mm: float
    rotation_deg: float = 0
    side: Literal["top", "bottom"] = "top"
    alloy: str = "Sn63Pb37"
    plane_pins: list[str] = Field(default_factory=list)
    relief_pins: list[str] = Field(default_factory=list)
    pads: list[PadIn] = Field(default_factory=list, max_length=2000)


def _kind(source: Any) -> str:
    return str(source.get("kind")) if isinstance(source, dict) else ""


def settings_of(kind: str) -> Callable[[Any], Any]:
    """What takes the word for that kind of source out of its settings; others are refused by it."""

    def own(source: Any) -> Any:
        if isinstance(source, dict) and source.get("kind") == kind:
            return {key: value for key, value in source.items() if key != "kind"}
        return source

    return own


SourceIn = Annotated[
    Annotated[HotAir, BeforeValidator(settings_of("hot_air")), Tag("hot_air")]
    | Annotated[HotPlate, BeforeValidator(settings_of("hot_plate")), Tag("hot_plate")]
    | Annotated[Oven, BeforeValidator(settings_of("oven")), Tag("oven")]
    | Annotated[Iron, BeforeValidator(settings_of("iron")), Tag("iron")],
    Discriminator(_kind),
]


class MoveIn(Strict):
    do: Deed
    over: str | list[str] | None = None
    height_mm: float | None = None
    circle_mm: float = 0
    circle_s: float = 2
    seconds: float
    path: NozzlePath = NozzlePath.CIRCLE
    along_deg: float = 0
    tilt_deg: float = 0
    tilt_to_deg: float = 0
    pin: str = ""
    awaits: list[str] = Field(default_factory=list, max_length=400)


class WindowIn(Strict):
    """What `yellowfen window` varies; left out, it looks around the file's own setting."""

    axis: Axis | None = None
    settings: list[float] = Field(default_factory=list, max_length=60)
    dwells_s: list[float] = Field(default_factory=list, max_length=60)


class BenchIn(Strict):
    """What `yellowfen tune` may use beside what is set."""

    nozzles_mm: list[float] = Field(default_factory=list, max_length=12)
    preheater: Preheater | None = None
    foil: bool = True
    free_alloy: bool = False
    plate: HotPlate | None = None


class DoubtsIn(Strict):
    """Standard deviations of the uncertain inputs, where they are known better than the defaults."""

    jet_factor: float = Doubts.jet_factor
    jet_log_sd: float = Doubts.jet_log_sd
    outlet_sd_k: float = Doubts.outlet_sd_k
    hand_share: float = Doubts.hand_share
    copper_log_sd: float = Doubts.copper_log_sd
    film_log_sd: float = Doubts.film_log_sd
    plate_sd_k: float = Doubts.plate_sd_k
    oven_sd_k: float = Doubts.oven_sd_k
    outlet_shift_k: float = 0
    film_factor: float = 1
    plate_shift_k: float = 0
    oven_shift_k: float = 0


class RehearsalIn(Strict):
    format: Literal["yellowfen-rehearsal"]
    version: Literal[1]
    ambient_c: float = 23
    board: BoardIn
    parts: list[PartIn] = Field(max_length=2000)
    source: SourceIn
    moves: list[MoveIn] = Field(max_length=100)
    targets: list[str] = Field(min_length=1, max_length=200)
    goal: Literal["solder", "lift"] = "solder"
    preheater: Preheater | None = None
    shields: list[Shield] = Field(default_factory=list, max_length=200)
    window: WindowIn | None = None
    bench: BenchIn | None = None
    doubts: DoubtsIn | None = None


def first_complaint(error: ValidationError) -> InvalidValue:
    """The first thing pydantic found, as one sentence with the dotted field name."""
    found = error.errors()[0]
    field = ".".join(str(step) for step in found["loc"]) or "file"
    said = found["msg"].removeprefix("Value error, ")
    return InvalidValue(field, said[:1].lower() + said[1:])


def read_scene(text: str | bytes) -> Scene:
    """A Scene from the text of a rehearsal file; raises InvalidValue naming the field."""
    return to_scene(read_file(text, RehearsalIn))


def read_file(text: str | bytes, kind: type[Shape]) -> Shape:
    """A validated file of a kind; raises InvalidValue naming the field."""
    try:
        raw = json.loads(text)
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        where = (
            f" at line {error.lineno}, column {error.colno}"
            if isinstance(error, json.JSONDecodeError)
            else ""
        )
        raise InvalidValue("file", f"this is not JSON{where}") from None
    except RecursionError:
        raise InvalidValue("file", "this JSON is nested too deeply") from None
    try:
        return kind.model_validate(raw)
    except ValidationError as error:
        raise first_complaint(error) from None


def to_scene(given: RehearsalIn) -> Scene:
    """The core's Scene for a validated file."""
    parts = tuple(_part(part, index) for index, part in enumerate(given.parts))
    return Scene(
        board=_board(given.board),
        parts=parts,
        source=given.source,
        moves=tuple(_move(move, index) for index, move in enumerate(given.moves)),
        targets=tuple(given.targets),
        ambient_c=given.ambient_c,
        guesses=tuple(
            f"{part.ref}: body guessed from its pads" for part in parts if part.package.guessed
        ),
        preheater=given.preheater,
        shields=tuple(given.shields),
        lifting=given.goal == "lift",
    )


def _board(board: BoardIn) -> BoardStack:
    last = max(len(board.copper) - 1, 1)
    depth_of = {"top": 0.0, "bottom": 1.0}
    layers = []
    for index, foil in enumerate(board.copper):
        depth = foil.depth if foil.depth is not None else depth_of.get(foil.layer, index / last)
        if isinstance(foil.coverage, list) and len({len(row) for row in foil.coverage}) != 1:
            raise InvalidValue(
                f"board.copper.{index}.coverage", "the rows of a coverage map must be equally long"
            )
        layers.append(
            CopperLayer(
                layer=foil.layer,
                coverage=foil.coverage,  # type: ignore[arg-type]
                thickness_um=foil.thickness_um,
                depth=depth,
            )
        )
    vias = tuple(Via(via.x_mm, via.y_mm, via.drill_mm) for via in board.vias)
    return BoardStack(
        width_mm=board.width_mm,
        height_mm=board.height_mm,
        thickness_mm=board.thickness_mm,
        copper=tuple(layers),
        underside=Underside(board.underside),
        vias=vias,
        outline=tuple(board.outline),
        core=board.core,
    )


def _part(part: PartIn, index: int) -> PlacedPart:
    lands = tuple(
        Land(
            pin=pad.pin,
            x_mm=pad.x_mm,
            y_mm=pad.y_mm,
            size_x_mm=pad.size_x_mm,
            size_y_mm=pad.size_y_mm,
            kind=pad.kind,
        )
        for pad in part.pads
    )
    if part.package == "unknown" and lands:
        package = unknown_body(lands)
    else:
        package = package_named(part.package, f"parts.{index}.package")
        if lands:
            package = with_lands(package, lands)
    missing = [
        pin
        for pin in (*part.plane_pins, *part.relief_pins)
        if pin not in {land.pin for land in package.lands}
    ]
    if missing:
        raise InvalidValue(f"parts.{index}.plane_pins", f"{part.ref} has no pin {missing[0]!r}")
    return PlacedPart(
        ref=part.ref,
        package=package,
        x_mm=part.x_mm,
        y_mm=part.y_mm,
        rotation_deg=part.rotation_deg,
        side=Side(part.side),
        alloy=part.alloy,
        plane_pins=tuple(part.plane_pins),
        relief_pins=tuple(part.relief_pins),
    )


def _move(move: MoveIn, index: int) -> Move:
    over = (move.over,) if isinstance(move.over, str) else tuple(move.over or ())
    if move.do in BLOWING and move.height_mm is None:
        raise InvalidValue(
            f"moves.{index}.height_mm", "give the distance from nozzle to board in mm"
        )
    height = 20.0 if move.height_mm is None else move.height_mm
    return Move(
        deed=move.do,
        seconds=move.seconds,
        over=over,
        height_mm=height,
        circle_mm=move.circle_mm,
        circle_s=move.circle_s,
        path=move.path,
        along_deg=move.along_deg,
        tilt_deg=move.tilt_deg,
        tilt_to_deg=move.tilt_to_deg,
        pin=move.pin,
        awaits=tuple(move.awaits),
    )


def to_json(scene: Scene, rehearsal: Rehearsal, wall_s: float) -> dict[str, Any]:
    """The answer of `yellowfen rehearse`, as plain data."""
    energy, model = rehearsal.energy, rehearsal.model
    ramps = ramps_k_s(rehearsal)
    steepest: dict[str, float] = {}
    for joint, ramp in zip(rehearsal.joints, ramps, strict=True):
        steepest[joint.ref] = max(steepest.get(joint.ref, 0.0), ramp)
    return {
        "format": "yellowfen-rehearsal-result",
        "version": 1,
        "joints": [
            _joint(joint) | {"ramp_k_s": rounded(ramp, 2)}
            for joint, ramp in zip(rehearsal.joints, ramps, strict=True)
        ],
        "parts": [_part_out(part, steepest.get(part.ref, 0.0)) for part in rehearsal.parts],
        "events": [
            {"at_s": rounded(e.at_s), "kind": str(e.kind), "ref": e.ref, "sentence": e.sentence}
            for e in tell(scene, rehearsal)
        ],
        "energy_balance": {
            "put_in_j": rounded(energy.put_in_j),
            "lost_j": rounded(energy.lost_j),
            "stored_j": rounded(energy.stored_j),
            "residual_j": rounded(energy.residual_j, 6),
        },
        "warnings": list(rehearsal.warnings),
        "model": {
            "cells": model.cells,
            "nx": model.nx,
            "ny": model.ny,
            "layers": model.layers,
            "cell_mm": rounded(model.cell_mm),
            "pads_as_drawn": model.pads_as_drawn,
            "step_s": model.step_s,
            "steps": model.steps,
            "simulated_s": model.simulated_s,
            "wall_s": rounded(wall_s),
            "jet_factor": model.jet_factor,
            "board_peak_c": rounded(rehearsal.board_peak_c, 1),
        },
    }


def _joint(joint: JointStory) -> dict[str, Any]:
    return {
        "ref": joint.ref,
        "pin": joint.pin,
        "melt_start_s": rounded(joint.melt_start_s),
        "melt_end_s": rounded(joint.melt_end_s),
        "freeze_s": rounded(joint.freeze_s),
        "melts": joint.melts,
        "peak_c": rounded(joint.peak_c, 2),
        "time_above_liquidus_s": rounded(joint.time_above_liquidus_s),
    }


def _part_out(part: PartStory, ramp: float) -> dict[str, Any]:
    return {
        "ref": part.ref,
        "body_peak_c": rounded(part.body_peak_c, 2),
        "limit_c": part.limit_c,
        "limit_why": part.limit_why,
        "limit_passed_s": rounded(part.limit_passed_s),
        "over_limit_s": rounded(part.over_limit_s),
        "ramp_k_s": rounded(ramp, 2),
    }


def rounded(value: float | None, digits: int = 3) -> float | None:
    return None if value is None else round(value, digits)


def bands_json(sure: Sureness) -> dict[str, Any]:
    """Bands of a forecast as plain data; null is never (within the heat and 90 s more)."""

    def three(name: str, band: Band) -> dict[str, Any]:
        return {
            f"{name}_low_s": rounded(band.low),
            f"{name}_mid_s": rounded(band.middle),
            f"{name}_high_s": rounded(band.high),
        }

    stop = rounded(sure.harm.low)
    return {
        "samples": sure.count,
        "targets": [
            {"ref": ref} | three("flow", band) | {"stop_s": stop}
            for ref, band in zip(sure.targets, sure.melts, strict=True)
        ],
        "parts": [
            {"ref": one.ref} | three("loose", one.loose) | three("limit", one.limit)
            for one in sure.parts
        ],
        "first": three("loose", sure.loose) | {"stop_s": stop, "stop_why": sure.harm_why},
    }
