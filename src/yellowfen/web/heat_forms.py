"""What the Heat stage sends and is given: the shape of a plan in JSON.

Physics is guarded by the core's own rules.
"""

from dataclasses import asdict
from typing import Any

from pydantic import Field

from yellowfen.core.heat.heat_plan import (
    MOST_MOVES,
    MOST_TARGETS,
    Goal,
    HeatPlan,
    SourceKind,
    aimed,
)
from yellowfen.core.heat.scene import (
    BLOWING,
    Core,
    Deed,
    Held,
    HotPlate,
    Move,
    NozzlePath,
    Oven,
    Preheater,
    ShieldKind,
    Underside,
)
from yellowfen.formats.rehearsal_file import CurveIn, PlateIn, PreheaterIn, Strict


class MoveForm(Strict):
    do: Deed
    seconds: float
    height_mm: float = 20.0
    circle_mm: float = 0.0
    circle_s: float = 2.0
    path: NozzlePath = NozzlePath.CIRCLE
    along_deg: float = 0.0
    tilt_deg: float = 0.0
    tilt_to_deg: float = 0.0
    over: list[str] = Field(default_factory=list, max_length=MOST_TARGETS)
    awaits: list[str] = Field(default_factory=list, max_length=MOST_TARGETS)


class PlanForm(Strict):
    alloy: str
    station_id: int | None = None
    nozzle_mm: float
    outlet_c: float
    flow_lpm: float
    outlet_offset_c: float = 0.0
    underside: Underside
    ambient_c: float
    targets: list[str] = Field(max_length=MOST_TARGETS)
    moves: list[MoveForm] = Field(max_length=MOST_MOVES)
    source: SourceKind = SourceKind.AIR
    nozzle_long_mm: float | None = None
    nozzle_turn_deg: float = 0.0
    plate: PlateIn | None = None
    oven: CurveIn | None = None
    tool_id: int | None = None
    preheater: PreheaterIn | None = None
    shields: list[str] = Field(default_factory=list, max_length=40)
    shield_kind: ShieldKind = ShieldKind.FOIL
    board_alloy: str | None = None
    core: Core = Core.FR4
    side: str = "top"
    bare_below: bool = False
    absent: list[str] = Field(default_factory=list, max_length=MOST_TARGETS)
    goal: Goal = Goal.SOLDER
    held: Held = Held.FREE

    def plan(self) -> HeatPlan:
        """The core's plan; its own rules speak up here."""
        targets = tuple(dict.fromkeys(self.targets))
        over = targets or ("?",)
        moves = tuple(
            Move(
                deed=one.do,
                seconds=one.seconds,
                over=(tuple(one.over) or over) if one.do in BLOWING else (),
                height_mm=one.height_mm,
                circle_mm=one.circle_mm,
                circle_s=one.circle_s,
                path=one.path,
                along_deg=one.along_deg,
                tilt_deg=one.tilt_deg,
                tilt_to_deg=one.tilt_to_deg,
                awaits=tuple(one.awaits),
            )
            for one in self.moves
        )
        moves = aimed(moves, targets) if targets else moves
        usual = HeatPlan()
        return HeatPlan(
            alloy=self.alloy,
            station_id=self.station_id,
            nozzle_mm=self.nozzle_mm,
            outlet_c=self.outlet_c,
            flow_lpm=self.flow_lpm,
            outlet_offset_c=self.outlet_offset_c,
            underside=self.underside,
            ambient_c=self.ambient_c,
            targets=targets,
            moves=moves,
            source=self.source,
            nozzle_long_mm=self.nozzle_long_mm,
            nozzle_turn_deg=self.nozzle_turn_deg,
            plate=HotPlate(**self.plate.model_dump()) if self.plate else usual.plate,
            oven=Oven(tuple(self.oven.curve), self.oven.fan_w_m2k) if self.oven else usual.oven,
            tool_id=self.tool_id,
            preheater=Preheater(**self.preheater.model_dump()) if self.preheater else None,
            shields=tuple(dict.fromkeys(self.shields)),
            shield_kind=self.shield_kind,
            board_alloy=self.board_alloy,
            core=self.core,
            side=self.side,
            bare_below=self.bare_below,
            absent=tuple(dict.fromkeys(ref for ref in self.absent if ref not in targets)),
            goal=self.goal,
            held=self.held,
        )


def plan_settings(plan: HeatPlan) -> dict[str, Any]:
    """A plan as the page takes it up; what `PlanForm` reads back."""
    plain = asdict(plan)
    plain["moves"] = [
        {
            "do": str(m.deed),
            "seconds": m.seconds,
            "height_mm": m.height_mm,
            "circle_mm": m.circle_mm,
            "circle_s": m.circle_s,
            "path": str(m.path),
            "along_deg": m.along_deg,
            "tilt_deg": m.tilt_deg,
            "tilt_to_deg": m.tilt_to_deg,
            "over": list(m.over) if plan.tour else [],
            "awaits": list(m.awaits),
        }
        for m in plan.moves
    ]
    return plain
