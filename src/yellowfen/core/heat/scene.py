"""What is rehearsed: a board, the parts on it, one heat source, a recipe of moves, and who is watched.

Plain frozen dataclasses in bench units (mm, °C, s, L/min); range checks stand here, so a bad value cannot
reach the solver from a form, a file or a test.
"""

import math
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.part.package import Package
from yellowfen.core.quantity.number import in_range
from yellowfen.errors import InvalidValue

Array = NDArray[np.float64]


class Underside(StrEnum):
    """What the board lies on."""

    INSULATING = "insulating"
    OPEN = "open"
    METAL = "metal"


class Side(StrEnum):
    """The side of the board a part is on."""

    TOP = "top"
    BOTTOM = "bottom"


@dataclass(frozen=True)
class CopperLayer:
    """One copper layer: coverage 0..1 as one number or a map (rows from the lower edge up), foil in µm.

    `depth` 0 is the top face, 1 the bottom face.
    """

    layer: str
    coverage: float | Array
    thickness_um: float
    depth: float

    def __post_init__(self) -> None:
        in_range(f"board.copper.{self.layer}.thickness_um", self.thickness_um, 0, 500, "µm")
        in_range(f"board.copper.{self.layer}.depth", self.depth, 0, 1)
        cover = np.asarray(self.coverage, dtype=float)
        if not (cover.size and np.all(cover >= 0) and np.all(cover <= 1)):
            raise InvalidValue(f"board.copper.{self.layer}.coverage", "coverage is a share of the area, from 0 to 1")


@dataclass(frozen=True)
class Via:
    """A plated hole at x, y with its drill diameter (mm): copper through the thickness."""

    x_mm: float
    y_mm: float
    drill_mm: float


@dataclass(frozen=True)
class BoardStack:
    """The laminate as heat sees it. Origin at the lower left corner of the box around the board.

    `outline` is an optional polygon; cells whose centre is outside it are not board.
    """

    width_mm: float
    height_mm: float
    thickness_mm: float
    copper: tuple[CopperLayer, ...]
    underside: Underside = Underside.INSULATING
    vias: tuple[Via, ...] = ()
    outline: tuple[tuple[float, float], ...] = ()

    def __post_init__(self) -> None:
        in_range("board.width_mm", self.width_mm, 2, 400, "mm")
        in_range("board.height_mm", self.height_mm, 2, 400, "mm")
        in_range("board.thickness_mm", self.thickness_mm, 0.2, 5, "mm")
        if self.width_mm * self.height_mm > 90000:
            raise InvalidValue("board.width_mm", "boards above 900 cm² cannot be rehearsed; give the part that is heated")


@dataclass(frozen=True)
class PlacedPart:
    """A part on the board. Rotation anticlockwise in degrees seen from above its own side."""

    ref: str
    package: Package
    x_mm: float
    y_mm: float
    rotation_deg: float
    side: Side
    alloy: str
    plane_pins: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        alloy_named(self.alloy, f"parts.{self.ref}.alloy")
        if not math.isfinite(self.rotation_deg):
            raise InvalidValue(f"parts.{self.ref}.rotation_deg", "enter an angle in degrees")


@dataclass(frozen=True)
class HotAir:
    """A hot-air station as it truly blows: round nozzle, outlet temperature, free-air flow."""

    nozzle_mm: float
    outlet_c: float
    flow_lpm: float

    def __post_init__(self) -> None:
        in_range("source.nozzle_mm", self.nozzle_mm, 1, 30, "mm")
        in_range("source.outlet_c", self.outlet_c, 50, 600, "°C")
        in_range("source.flow_lpm", self.flow_lpm, 1, 200, "L/min")


class Deed(StrEnum):
    """What a move does."""

    WARM = "warm"
    CLOSE = "close"
    HOLD = "hold"
    WITHDRAW = "withdraw"


@dataclass(frozen=True)
class Move:
    """One step of the recipe. `over` names parts; the nozzle circles around their common centre."""

    deed: Deed
    seconds: float
    over: tuple[str, ...] = ()
    height_mm: float = 20.0
    circle_mm: float = 0.0
    circle_s: float = 2.0

    def __post_init__(self) -> None:
        in_range("moves.seconds", self.seconds, 0.1, 900, "s")
        in_range("moves.height_mm", self.height_mm, 1, 300, "mm")
        in_range("moves.circle_mm", self.circle_mm, 0, 100, "mm")
        in_range("moves.circle_s", self.circle_s, 0.2, 60, "s")
        if self.deed is not Deed.WITHDRAW and not self.over:
            raise InvalidValue("moves.over", f"say over which part the nozzle is while you {self.deed}")

    @property
    def blows(self) -> bool:
        return self.deed is not Deed.WITHDRAW


@dataclass(frozen=True)
class Scene:
    """Everything one rehearsal needs."""

    board: BoardStack
    parts: tuple[PlacedPart, ...]
    source: HotAir
    moves: tuple[Move, ...]
    targets: tuple[str, ...]
    ambient_c: float = 23.0
    jet_factor: float | None = None
    guesses: tuple[str, ...] = field(default=())

    def __post_init__(self) -> None:
        in_range("ambient_c", self.ambient_c, -10, 60, "°C")
        known = self._check_parts()
        for ref in self.targets:
            if ref not in known:
                raise InvalidValue("targets", f"there is no part {ref!r} on this board")
        if not self.moves:
            raise InvalidValue("moves", "the recipe is empty; add at least one move")
        if sum(move.seconds for move in self.moves) > 1800:
            raise InvalidValue("moves", "the recipe is longer than 30 minutes; shorten it")
        for ref in {ref for move in self.moves for ref in move.over}:
            if ref not in known:
                raise InvalidValue("moves.over", f"there is no part {ref!r} on this board")

    def _check_parts(self) -> set[str]:
        known: set[str] = set()
        for part in self.parts:
            if part.ref in known:
                raise InvalidValue("parts", f"the name {part.ref!r} stands twice; every part needs its own")
            known.add(part.ref)
            inside = 0 <= part.x_mm <= self.board.width_mm and 0 <= part.y_mm <= self.board.height_mm
            if not inside:
                raise InvalidValue(
                    f"parts.{part.ref}", f"lies outside the board ({part.x_mm:g}, {part.y_mm:g} mm); check its place and the origin"
                )
        return known

    def part(self, ref: str) -> PlacedPart:
        return next(part for part in self.parts if part.ref == ref)

    def centre(self, move: Move) -> tuple[float, float]:
        """Where the nozzle's circle has its middle during a move, mm; the board's middle without a part."""
        placed = [self.part(ref) for ref in move.over]
        if not placed:
            return self.board.width_mm / 2, self.board.height_mm / 2
        return sum(p.x_mm for p in placed) / len(placed), sum(p.y_mm for p in placed) / len(placed)
