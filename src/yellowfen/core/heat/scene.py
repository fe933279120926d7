"""What is rehearsed: a board, the parts on it, one heat source, a recipe of moves, and who is
watched.

Plain frozen dataclasses in bench units (mm, °C, s, L/min); range checks stand here, so a bad value
cannot reach the solver from a form, a file or a test.
"""

import math
from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.copper_links import CopperLinks
from yellowfen.core.board.drawn_copper import DrawnLayer
from yellowfen.core.board.remembered import remembered
from yellowfen.core.heat.source import HotAir, HotPlate, Iron, Oven, Preheater, Source
from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.part.package import Package
from yellowfen.core.quantity.described import described, measure
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

Array = NDArray[np.float64]


MAP_EXPONENT = constant(
    "copper_map_exponent",
    2.75,
    "1",
    mark=Mark.JUDGED,
    source="of coverage, where copper is not drawn: fitted on 12 mm patches of eight drawn layers, 1.2 to 5.5 in the middle 80 %",
    affects="spreading where copper is a guess or a map",
)


class Underside(StrEnum):
    """What the board lies on."""

    INSULATING = "insulating"
    OPEN = "open"
    METAL = "metal"


class Side(StrEnum):
    """The side of the board a part is on."""

    TOP = "top"
    BOTTOM = "bottom"


class Core(StrEnum):
    """What the board is made of."""

    FR4 = "fr4"
    ALUMINIUM = "aluminium"


@dataclass(frozen=True, kw_only=True)
class CopperLayer:
    """One copper layer: coverage 0..1 as one number or a map (rows from the lower edge up), foil in
    µm.

    `depth` 0 is the top face, 1 the bottom face. `links` say how drawn copper conducts from cell to
    cell, of which `passes` is the share that does; without them a cell of coverage c conducts as c
    to the power of `exponent`. `drawing`, where there is one, tells it finer still.
    """

    layer: str
    coverage: float | Array
    thickness_um: float
    depth: float
    links: CopperLinks | None = None
    passes: float = 1.0
    exponent: float = MAP_EXPONENT
    drawing: DrawnLayer | None = field(default=None, compare=False, repr=False)

    def __post_init__(self) -> None:
        in_range(f"board.copper.{self.layer}.thickness_um", self.thickness_um, 0, 500, "µm")
        in_range(f"board.copper.{self.layer}.depth", self.depth, 0, 1)
        cover = np.asarray(self.coverage, dtype=float)
        if not (cover.size and np.all(cover >= 0) and np.all(cover <= 1)):
            raise InvalidValue(
                f"board.copper.{self.layer}.coverage",
                "coverage is a share of the area, from 0 to 1",
            )


@dataclass(frozen=True)
class Via:
    """A plated hole at x, y with its drill diameter (mm): copper through the thickness."""

    x_mm: float
    y_mm: float
    drill_mm: float


@dataclass(frozen=True, kw_only=True)
class BoardStack:
    """The laminate as heat sees it. Origin at the lower left corner of the box around the board.

    `outline` is an optional polygon; cells whose centre is outside it are not board. `known`: of a
    board whose copper is varied, the one that is known.
    """

    width_mm: float
    height_mm: float
    thickness_mm: float
    copper: tuple[CopperLayer, ...]
    underside: Underside = Underside.INSULATING
    vias: tuple[Via, ...] = ()
    outline: tuple[tuple[float, float], ...] = ()
    core: Core = Core.FR4
    known: "BoardStack | None" = field(default=None, compare=False, repr=False)

    def __post_init__(self) -> None:
        in_range("board.width_mm", self.width_mm, 2, 400, "mm")
        in_range("board.height_mm", self.height_mm, 2, 400, "mm")
        in_range("board.thickness_mm", self.thickness_mm, 0.2, 5, "mm")
        if self.width_mm * self.height_mm > 90000:
            raise InvalidValue(
                "board.width_mm",
                "boards above 900 cm² cannot be rehearsed; enter the area that is heated",
            )


@dataclass(frozen=True, kw_only=True)
class PlacedPart:
    """A part on the board. Rotation anticlockwise in degrees seen from above its own side.

    `plane_pins` sit on a plane through vias; `relief_pins` do too, but through the thin spokes of a
    thermal relief.
    """

    ref: str
    package: Package
    x_mm: float
    y_mm: float
    rotation_deg: float
    side: Side
    alloy: str
    plane_pins: tuple[str, ...] = ()
    relief_pins: tuple[str, ...] = ()

    def stands_on(self, width_mm: float, height_mm: float) -> bool:
        """True when the part's middle or one of its lands lies within a rectangle from 0, 0:
        connectors reach over a board's edge, and a piece of a board may hold one end of a long part
        only.
        """
        if 0 <= self.x_mm <= width_mm and 0 <= self.y_mm <= height_mm:
            return True
        places = [(land.x_mm, land.y_mm) for land in self.package.lands]
        return any(
            0 <= x <= width_mm and 0 <= y <= height_mm
            for x, y in (self.on_board(*place) for place in places)
        )

    def on_board(self, x_mm: float, y_mm: float) -> tuple[float, float]:
        """A point of the part's frame on the board, seen from above (parts underneath are mirrored
        in x).
        """
        angle = math.radians(self.rotation_deg)
        x, y = (
            x_mm * math.cos(angle) - y_mm * math.sin(angle),
            x_mm * math.sin(angle) + y_mm * math.cos(angle),
        )
        return self.x_mm + (x if self.side is Side.TOP else -x), self.y_mm + y

    def __post_init__(self) -> None:
        alloy_named(self.alloy, f"parts.{self.ref}.alloy")
        if not math.isfinite(self.rotation_deg):
            raise InvalidValue(f"parts.{self.ref}.rotation_deg", "enter an angle in degrees")


class Held(StrEnum):
    """How a hot-air handle is held over the board."""

    FREE = "free"
    RESTED = "rested"
    STAND = "stand"


class ShieldKind(StrEnum):
    """What keeps the jet off."""

    FOIL = "foil"
    TAPE = "tape"


@described("shields")
class Shield:
    """A rectangle of foil or polyimide tape over the upper face, centre and sizes in mm."""

    x_mm: float = measure("place across", -50, 450, "mm")
    y_mm: float = measure("place along", -50, 450, "mm")
    size_x_mm: float = measure("size x", 0.5, 400, "mm")
    size_y_mm: float = measure("size y", 0.5, 400, "mm")
    kind: ShieldKind = ShieldKind.FOIL


class Deed(StrEnum):
    """What a move does."""

    WARM = "warm"
    CLOSE = "close"
    HOLD = "hold"
    WITHDRAW = "withdraw"
    PREHEAT = "preheat"
    PLATE = "plate"
    OVEN = "oven"
    TOUCH = "touch"

    @property
    def says(self) -> str:
        """The move in the words of the bench; its value is the key of stored plans and files."""
        return {
            Deed.WARM: "preheat",
            Deed.CLOSE: "close in",
            Deed.PREHEAT: "from below",
            Deed.PLATE: "on the plate",
            Deed.OVEN: "in the oven",
        }.get(self, str(self))


BLOWING = frozenset({Deed.WARM, Deed.CLOSE, Deed.HOLD})


class NozzlePath(StrEnum):
    """How the nozzle moves over its place: round, to and fro along the rows, from end to end, or
    not at all.
    """

    CIRCLE = "circle"
    ROWS = "rows"
    ENDS = "ends"
    FIXED = "fixed"


@described("moves")
class Move:
    """One step of the recipe. `over` names parts; the nozzle moves around their common centre.

    `circle_mm` is the circle's radius, or the reach to either side for rows and ends (along
    `along_deg`); once round, or there and back, every `circle_s`. `tilt_deg` leans the nozzle from
    straight down, blowing towards `tilt_to_deg`. `pin` is the joint that an iron touches. `from_s`
    is how long the nozzle has been on its path already. `aside_mm`, `across_mm`: how far the path's
    middle lies from the parts' in x and y. `awaits`: parts that flow along at this stop, which is
    not over without them.
    """

    deed: Deed
    seconds: float = measure("seconds", 0.1, 900, "s")
    over: tuple[str, ...] = ()
    height_mm: float = measure("height", 1, 300, "mm", default=20.0)
    circle_mm: float = measure("reach of the circle", 0, 100, "mm", default=0.0)
    circle_s: float = measure("time per circle", 0.2, 60, "s", default=2.0)
    path: NozzlePath = NozzlePath.CIRCLE
    along_deg: float = measure("direction", -360, 360, "°", default=0.0)
    tilt_deg: float = measure("lean", 0, 60, "°", default=0.0)
    tilt_to_deg: float = measure("tilt to", -360, 360, "°", default=0.0)
    pin: str = ""
    from_s: float = 0.0
    aside_mm: float = measure("offset", -100, 100, "mm", default=0.0)
    across_mm: float = measure("width of the path", -100, 100, "mm", default=0.0)
    awaits: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        if self.deed in BLOWING and not self.over:
            raise InvalidValue(
                "moves.over", f"say over which part the nozzle is during “{self.deed.says}”"
            )
        if self.deed is Deed.TOUCH and not (len(self.over) == 1 and self.pin):
            raise InvalidValue("moves.pin", "say which pin of which part the iron touches")

    @property
    def blows(self) -> bool:
        """True while the hot air is on the board."""
        return self.deed in BLOWING

    @property
    def heats(self) -> bool:
        """True while any source works."""
        return self.deed is not Deed.WITHDRAW


@dataclass(frozen=True, kw_only=True)
class Scene:
    """Everything one rehearsal needs. `lifting`: the targets are lifted once they are liquid, so
    that liquid for long is no harm to them; `spared`: parts whose harm does not count.
    """

    board: BoardStack
    parts: tuple[PlacedPart, ...]
    source: Source
    moves: tuple[Move, ...]
    targets: tuple[str, ...]
    ambient_c: float = 23.0
    jet_factor: float | None = None
    guesses: tuple[str, ...] = field(default=())
    preheater: Preheater | None = None
    shields: tuple[Shield, ...] = ()
    lifting: bool = False
    spared: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        in_range("ambient_c", self.ambient_c, -10, 60, "°C")
        if self.jet_factor is not None:
            in_range("jet_factor", self.jet_factor, 0.05, 5)
        known = _names_of(self.parts, self.board.width_mm, self.board.height_mm)
        for ref in self.targets:
            if ref not in known:
                raise InvalidValue("targets", f"there is no part {ref!r} on this board")
        if not self.moves:
            raise InvalidValue("moves", "the recipe is empty; add at least one move")
        if sum(move.seconds for move in self.moves) > 1800:
            raise InvalidValue("moves", "the recipe is longer than 30 minutes; shorten it")
        for ref in {ref for move in self.moves for ref in (*move.over, *move.awaits)}:
            if ref not in known:
                raise InvalidValue("moves.over", f"there is no part {ref!r} on this board")
        self._check_deeds()

    def _check_deeds(self) -> None:
        fits = {
            HotAir: BLOWING | {Deed.PREHEAT},
            HotPlate: {Deed.PLATE},
            Oven: {Deed.OVEN},
            Iron: {Deed.TOUCH, Deed.PREHEAT},
        }
        for move in self.moves:
            if move.heats and move.deed not in fits[type(self.source)]:
                raise InvalidValue(
                    "moves.do", f"{str(move.deed)!r} is not a move for this source of heat"
                )
            if move.deed is Deed.PREHEAT and self.preheater is None:
                raise InvalidValue(
                    "moves.do", "there is no preheater on this bench; add one or leave the move out"
                )
            if move.pin and move.pin not in {
                land.pin for land in self.part(move.over[0]).package.lands
            }:
                raise InvalidValue("moves.pin", f"{move.over[0]} has no pin {move.pin!r}")

    def part(self, ref: str) -> PlacedPart:
        return next(part for part in self.parts if part.ref == ref)

    def centre(self, move: Move) -> tuple[float, float]:
        """Where the nozzle's circle has its middle during a move, mm; the board's middle without a
        part.
        """
        placed = [self.part(ref) for ref in move.over]
        if not placed:
            return self.board.width_mm / 2, self.board.height_mm / 2
        return sum(p.x_mm for p in placed) / len(placed) + move.aside_mm, sum(
            p.y_mm for p in placed
        ) / len(placed) + move.across_mm


@remembered(most=12)
def _names_of(parts: tuple[PlacedPart, ...], width_mm: float, height_mm: float) -> frozenset[str]:
    """The names of parts that all stand on a board. Raises InvalidValue for a name that stands
    twice and a part outside.
    """
    known: set[str] = set()
    for part in parts:
        if part.ref in known:
            raise InvalidValue(
                "parts", f"the name {part.ref!r} appears twice; every part needs its own name"
            )
        known.add(part.ref)
        if not part.stands_on(width_mm, height_mm):
            raise InvalidValue(
                f"parts.{part.ref}",
                f"lies outside the board ({part.x_mm:g}, {with_unit(part.y_mm, MM)}); check its place and the origin",
            )
    return frozenset(known)


NEAR_MM = 14.0


def near_the_heat(scene: Scene) -> Scene:
    """The scene without parts too far from the nozzle to matter to a first answer, or to how sure
    one is.
    """
    centres = [(*scene.centre(move), move.circle_mm) for move in scene.moves if move.blows]
    near = tuple(
        part
        for part in scene.parts
        if part.ref in scene.targets
        or any(
            math.hypot(part.x_mm - x, part.y_mm - y) < circle + NEAR_MM for x, y, circle in centres
        )
    )
    return replace(scene, parts=near)


def turned_over(scene: Scene) -> Scene:
    """The same board with its underside up, turned about its upright axis. Moves stay as they are:
    they are meant as the board then lies before the eye.
    """
    board = scene.board
    other = {Side.TOP: Side.BOTTOM, Side.BOTTOM: Side.TOP}
    parts = tuple(
        replace(one, x_mm=board.width_mm - one.x_mm, side=other[one.side]) for one in scene.parts
    )
    shields = tuple(replace(one, x_mm=board.width_mm - one.x_mm) for one in scene.shields)
    return replace(scene, board=_turned_board(board), parts=parts, shields=shields)


@remembered(most=6)
def _turned_board(board: BoardStack) -> BoardStack:
    copper = tuple(
        replace(
            foil,
            coverage=np.atleast_2d(np.asarray(foil.coverage, dtype=float))[:, ::-1],
            depth=1.0 - foil.depth,
            links=foil.links and foil.links.mirrored(),
            drawing=foil.drawing and foil.drawing.turned_over(),
        )
        for foil in board.copper
    )
    return replace(
        board,
        copper=copper,
        vias=tuple(replace(via, x_mm=board.width_mm - via.x_mm) for via in board.vias),
        outline=tuple((board.width_mm - x, y) for x, y in board.outline),
        known=board.known and _turned_board(board.known),
    )


def cropped(
    foil: CopperLayer, board: BoardStack, x: tuple[float, float], y: tuple[float, float]
) -> CopperLayer:
    """A layer on the stretch `x`, `y` (mm) of a board only, to the nearest of its own cells."""
    foil = replace(foil, drawing=None)
    cover: Array = np.atleast_2d(np.asarray(foil.coverage, dtype=float))
    if cover.size == 1:
        return foil
    rows, columns = cover.shape
    a, b = (
        int(x[0] / board.width_mm * columns),
        max(int(np.ceil(x[1] / board.width_mm * columns)), 1),
    )
    c, d = int(y[0] / board.height_mm * rows), max(int(np.ceil(y[1] / board.height_mm * rows)), 1)
    return replace(foil, coverage=cover[c:d, a:b], links=_cropped_links(foil.links, x, y, board))


def _cropped_links(
    links: CopperLinks | None, x: tuple[float, float], y: tuple[float, float], board: BoardStack
) -> CopperLinks | None:
    """The links of the same stretch, to the nearest of their own cells."""
    if links is None:
        return None
    ny, nx = links.along_x.shape[0], links.along_y.shape[1]
    a, c = int(x[0] / board.width_mm * nx), int(y[0] / board.height_mm * ny)
    b, d = (
        max(int(np.ceil(x[1] / board.width_mm * nx)), a + 2),
        max(int(np.ceil(y[1] / board.height_mm * ny)), c + 2),
    )
    return links.cropped(slice(a, min(b, nx)), slice(c, min(d, ny)))
