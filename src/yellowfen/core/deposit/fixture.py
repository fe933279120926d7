"""Holding a board for printing: scraps of its own thickness round it, tape, and which way to draw
the squeegee.

Laws: the scraps leave the board's own outline free and touch its box on all sides; openings are
never covered.
"""

import math
from dataclasses import dataclass

from yellowfen.core.board.board import Board, Point
from yellowfen.core.part.package import JointKind
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.source.mark import Mark, constant

SCRAP_MM = constant(
    "fixture_scrap",
    45.0,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="scraps wide enough for the blade to start and stop on",
    affects="fixture of scrap boards",
)
SLIP_MM = constant(
    "fixture_slip",
    0.2,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="play that lets a board be lifted out and the next one in",
    affects="fixture of scrap boards",
)
FINE_PITCH_MM = 0.65
EVEN_SHARE = 0.35  # fewer than this share more one way than the other: both ways count

_BLADE_WAYS = {
    0.0: "from side to side",
    225.0: "slanting, at 45°, from the far right corner",
    270.0: "from far to near",
    315.0: "slanting, at 45°, from the far left corner",
}

Box = tuple[float, float, float, float]


@dataclass(frozen=True, kw_only=True)
class Fixture:
    """Rectangles (x, y, width, height, mm, board coordinates) of scraps and tapes; the stroke's way
    in degrees from x; how many fine-pitch openings there are; what to mind.
    """

    scraps: tuple[tuple[str, Box], ...]
    tapes: tuple[Box, ...]
    hinge: Box
    stroke_deg: float
    stroke_said: str
    fine: int
    beneath_mm: float
    reminders: tuple[str, ...]

    @property
    def blade_way(self) -> str:
        """Which way the blade is drawn, in words."""
        if not self.fine:
            return "in any direction"
        return _BLADE_WAYS[self.stroke_deg]

    @property
    def spacers_mm(self) -> float:
        """How high board and scraps must be raised for what stands underneath; 0 for nothing."""
        return _raised_mm(self.beneath_mm)

    @property
    def before(self) -> tuple[str, ...]:
        """What must be so before the first print, in a few words each."""
        raised = (f"raised by {with_unit(self.spacers_mm, MM)}",) if self.spacers_mm else ()
        return (
            "Paste at room temperature and stirred",
            *raised,
            "stencil aligned at two far corners, hinge taped",
        )

    @property
    def stroke(self) -> Point:
        """The stroke's way as a unit vector."""
        return math.cos(math.radians(self.stroke_deg)), math.sin(math.radians(self.stroke_deg))


def fixture(board: Board, side: str = "top", warm: str = "", bare_below: bool = False) -> Fixture:
    """The fixture for printing one side of a board; `warm` says how long its paste stands out of
    the cold; `bare_below`: nothing stands on the other side yet.
    """
    w, h, s, g = board.width_mm, board.height_mm, SCRAP_MM, SLIP_MM
    scraps = (
        ("left", (-g - s, -g - s, s, h + g + s)),
        ("top", (-g - s, h + g, w + g + s, s)),
        ("right", (w + g, 0.0, s, h + g + s)),
        ("bottom", (-g, -g - s, w + 2 * g + s, s)),
    )
    tapes = tuple(_tape(name, box) for name, box in scraps)
    fine = _fine_openings(board, side)
    degrees, said = _stroke(fine)
    hinge = (
        (-g - s, h + g + s - 10.0, w + 2 * g + 2 * s, 14.0)
        if degrees != 0
        else (-g - s - 4.0, -g - s, 14.0, h + 2 * g + 2 * s)
    )
    beneath = max(
        [
            0.0,
            *(
                part.package.height_mm + part.package.gap_mm
                for part in board.parts
                if part.side != side and not bare_below
            ),
        ]
    )
    return Fixture(
        scraps=scraps,
        tapes=tapes,
        hinge=hinge,
        stroke_deg=degrees,
        stroke_said=said,
        fine=sum(fine),
        beneath_mm=beneath,
        reminders=_reminders(board, beneath, warm),
    )


def _tape(name: str, box: Box) -> Box:
    """A strip across the end of a scrap that lies away from the board."""
    x, y, w, h = box
    return {
        "left": (x - 8.0, y + h / 3 - 9.0, 24.0, 18.0),
        "top": (x - 8.0, y + h / 3 - 9.0, 24.0, 18.0),
        "right": (x + w - 16.0, y + h / 3 - 9.0, 24.0, 18.0),
        "bottom": (x + w / 2 - 9.0, y - 8.0, 18.0, 24.0),
    }[name]


def _fine_openings(board: Board, side: str) -> tuple[int, int, int, int]:
    """How many openings of fine-pitch rows are long along x, rising to the right, along y, falling to
    the right.
    """
    fine = {
        part.ref
        for part in board.parts
        if part.side == side
        and len(part.package.lands) > 4
        and part.package.pitch_mm <= FINE_PITCH_MM + 1e-6
    }
    hidden = {
        (part.ref, land.pin)
        for part in board.parts
        for land in part.package.lands
        if land.kind is JointKind.THERMAL_PAD
    }
    found = [0, 0, 0, 0]
    for one in board.openings:
        pad = board.pads[one.pad] if one.pad is not None else None
        if (
            pad is None
            or one.side != side
            or pad.ref not in fine
            or (pad.ref, pad.pin or "") in hidden
        ):
            continue
        long_deg = one.angle_deg if one.size_x_mm >= one.size_y_mm else one.angle_deg + 90
        found[round(long_deg / 45.0) % 4] += 1
    return found[0], found[1], found[2], found[3]


# Along x, along a row that rises to the right, along y, along one that falls.
_STROKES = (0.0, 225.0, 270.0, 315.0)


def _stroke(fine: tuple[int, int, int, int]) -> tuple[float, str]:
    """Openings fill best when the blade travels along their length [from memory]; of rows across
    each other it goes half-way between, so that both fill equally.
    """
    if not any(fine):
        return 270.0, "No fine-pitch rows: draw the squeegee in any direction"
    most = max(range(4), key=lambda way: (fine[way] + fine[(way + 2) % 4], fine[way], -way))
    along, across = fine[most], fine[(most + 2) % 4]
    if abs(along - across) < EVEN_SHARE * (along + across):
        between = 3 if most % 2 == 0 else 2
        how = "at 45°" if between == 3 else "straight"
        said = f"Fine-pitch apertures lie in both directions ({along} and {across}): draw {how}, so that both fill equally"
        return _STROKES[between], said
    others = sum(fine) - along
    rest = f"; {others} lie across" if others else ""
    said = (
        f"{along} of the fine-pitch apertures lie in this direction: draw along their length{rest}"
    )
    return _STROKES[most], said


def _raised_mm(beneath_mm: float) -> float:
    """Half a millimetre and more above what stands underneath, in halves."""
    return math.ceil(2 * (beneath_mm + 0.5)) / 2 if beneath_mm > 0 else 0.0


def _reminders(board: Board, beneath: float, warm: str) -> tuple[str, ...]:
    said = [
        f"Scraps must be {with_unit(board.thickness_mm, MM)} thick like the board: the stencil must lie flat, or paste runs sideways.",
        f"Paste at room temperature and stirred: {warm or 'closed, until it is at room temperature'}; cold paste tears and collects dew.",
        "Clean board and stencil with alcohol, let it dry; align pad by pad at two far corners, then tape the hinge so that the stencil cannot lift.",
        "One stroke at 45 to 60°, firm enough to wipe the stencil clean; lift the stencil straight up at the hinge.",
        "Wipe the stencil at once, on the underside too: paste in fine apertures dries in minutes.",
    ]
    if beneath > 0:
        said.insert(
            1,
            f"Parts underneath stand {with_unit(beneath, MM, 1)} high: raise board and scraps on spacers of at least {with_unit(_raised_mm(beneath), MM)}, one under the middle.",
        )
    return tuple(said)
