"""A set of board files to one Board: outline, exposed pads, paste, holes, copper maps, nets, parts,
drawing.

Laws: a pad is copper that the mask leaves open; drawings of the outline on other layers are left
out of paste; what cannot be made out becomes a finding, and what is sound stays usable.
"""

import gc
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace

import shapely

from yellowfen.core.board.board import Board, Finding, Opening, Point, Role
from yellowfen.core.board.choices import Choices
from yellowfen.core.board.join import Joined
from yellowfen.core.board.nets import trace
from yellowfen.core.part.library import BUILT_IN, Library
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.quantity.wording import counted
from yellowfen.errors import UnreadableFile
from yellowfen.formats.board_copper import (
    BoardFrame,
    CopperUnderWay,
    copper_beside,
    drawings_of,
    holes_of,
)
from yellowfen.formats.board_pads import holes_untold, openings_from_pads, pads_of
from yellowfen.formats.board_parts import PadsSeen, loose_ends, named_by_netlist, parts_of
from yellowfen.formats.board_set import FileSet, read_files
from yellowfen.formats.board_shape import board_shape
from yellowfen.formats.gerber.apertures import polygons_of
from yellowfen.formats.gerber.layer import Drawn
from yellowfen.formats.pad_shapes import rings_of
from yellowfen.formats.part_table import ColumnChoice
from yellowfen.formats.printed_marks import printed_marks

LEAST_MM, MOST_MM = 2.0, 400.0  # a board's sides
_ENOUGH = (
    Role.COPPER_TOP,
    Role.COPPER_BOTTOM,
    Role.PASTE_TOP,
    Role.PASTE_BOTTOM,
    Role.MASK_TOP,
    Role.MASK_BOTTOM,
)


@contextmanager
def _no_collecting() -> Iterator[None]:
    """The cycle collector paused: reading makes millions of objects and no cycles, and searching
    them in vain takes an eighth of the time. At the end they count as old, or the collector's first
    turn would search them all the same.
    """
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.freeze()
            gc.unfreeze()
            gc.enable()


def read_board(
    files: Mapping[str, bytes],
    name: str,
    chosen: Mapping[str, Role] | Choices | None = None,
    thickness_mm: float = 1.6,
    on_step: Callable[[str], None] = lambda step: None,
    library: Library = BUILT_IN,
    columns: ColumnChoice | None = None,
) -> Board:
    """A Board from named bytes.

    Raises UnreadableFile when nothing usable is there; damaged files are set aside.
    """
    asked = _Asked(
        name=name,
        choices=chosen if isinstance(chosen, Choices) else Choices(roles=dict(chosen or {})),
        thickness_mm=thickness_mm,
        library=library,
        on_step=on_step,
    )
    with _no_collecting():
        found = read_files(files, asked.choices.roles, columns or {}, on_step)
        try:
            return _board_from(found, asked)
        except (shapely.errors.GEOSException, FloatingPointError) as problem:
            said = f"its shapes cannot be worked out together ({str(problem)[:80]}); set the damaged layer to 'not used', or export it again"
            raise UnreadableFile(name, said) from None


@dataclass(frozen=True, kw_only=True)
class _Asked:
    """What is asked of a set of files: the board's name and thickness, the user's choices, own
    packages, who hears of each step.
    """

    name: str
    choices: Choices
    thickness_mm: float
    library: Library
    on_step: Callable[[str], None]


def _board_from(found: FileSet, asked: _Asked) -> Board:
    _check_enough(found, asked.name)
    asked.on_step("the board's shape")
    frame = BoardFrame(board_shape(found))
    width, height = frame.size
    if not (LEAST_MM <= width <= MOST_MM and LEAST_MM <= height <= MOST_MM):
        said = f"the board would be {width:.1f} x {with_unit(height, MM, 1)}; check the units of the outline layer"
        raise UnreadableFile(asked.name, said)
    asked.on_step("copper")
    with copper_beside(found, frame) as copper:
        asked.on_step("pads and paste")
        pads, openings, lands = pads_of(found, frame.shape, frame.origin)
        seen = PadsSeen(
            pads=named_by_netlist(pads, found, frame.origin),
            openings=openings,
            lands=named_by_netlist(lands, found, frame.origin),
            origin=frame.origin,
            size=frame.size,
        )
        return _put_together(found, frame, seen, copper, asked)


def _check_enough(found: FileSet, name: str) -> None:
    """Raise UnreadableFile, with what each file was taken for, where no layer makes a board."""
    if any(found.gerbers.get(role) and found.drawn(role) for role in _ENOUGH):
        return
    damaged = next((guess.problem for guess in found.guesses if guess.problem), "")
    said = "no copper, mask or paste layer was recognised; drop the Gerber layers of the board, or choose what each file is"
    problem = UnreadableFile(name, f"{said} ({damaged})" if damaged else said)
    problem.guesses = tuple(found.guesses)
    raise problem


def _put_together(
    found: FileSet, frame: BoardFrame, seen: PadsSeen, copper: CopperUnderWay, asked: _Asked
) -> Board:
    """The board, once its pads are seen and its copper is being worked out."""
    (width, height), holes = frame.size, holes_of(found, frame.origin)
    untold = holes_untold(found)
    spans = copper.spans()
    asked.on_step("nets")
    pads, disagreements = trace(
        spans,
        holes,
        list(seen.pads),
        width * height,
        _net_points(found, frame.origin),
        holes_lack=bool(untold),
    )
    asked.on_step("parts")
    parts = parts_of(found, replace(seen, pads=pads), asked.choices, asked.library)
    remarks = list(parts.findings)
    joined, openings = _with_openings(parts.joined, seen.openings, asked.choices, remarks)
    findings = [
        *found.findings,
        *untold,
        *disagreements,
        *remarks,
        *loose_ends(joined, frame.size),
    ]
    asked.on_step("drawing")
    legend: dict[str, Sequence[Drawn]] = {
        "top": found.drawn(Role.LEGEND_TOP),
        "bottom": found.drawn(Role.LEGEND_BOTTOM),
    }
    drawings = drawings_of(found, frame, findings)
    return Board(
        name=asked.name,
        width_mm=round(width, 4),
        height_mm=round(height, 4),
        thickness_mm=asked.thickness_mm,
        outline=_outline(frame),
        pads=joined.pads,
        holes=holes,
        copper=copper.maps(),
        parts=joined.parts,
        layers=tuple(found.guesses),
        findings=tuple(findings),
        paste_openings={side: len(_of_side(openings, side)) for side in ("top", "bottom")},
        paste_area_mm2={
            side: round(sum(opening.area_mm2 for opening in _of_side(openings, side)), 4)
            for side in ("top", "bottom")
        },
        openings=tuple(openings),
        drawings=drawings,
        origin=frame.origin,
        proposals=parts.proposals,
        printed_marks=printed_marks(joined.parts, legend, frame.origin),
    )


def _net_points(found: FileSet, origin: Point) -> list[tuple[str, float, float, str]]:
    """A netlist's records on the board's coordinates: net, x, y, which faces reach it."""
    return [
        (point.net, point.x_mm - origin[0], point.y_mm - origin[1], point.access)
        for point in found.points
    ]


def _with_openings(
    joined: Joined, openings: Sequence[Opening], choices: Choices, remarks: list[Finding]
) -> tuple[Joined, Sequence[Opening]]:
    """Openings made from the pads where no layer draws any and that is wished."""
    if openings or not choices.openings_from_pads:
        return joined, openings
    printed, made = openings_from_pads(joined.pads)
    said = f"{counted(len(made), 'aperture was', 'apertures were')} made from the pads, since no layer draws any"
    remarks.append(Finding("paste", said))
    return replace(joined, pads=tuple(printed)), made


def _of_side(openings: Sequence[Opening], side: str) -> list[Opening]:
    return [opening for opening in openings if opening.side == side]


def _outline(frame: BoardFrame) -> tuple[tuple[Point, ...], ...]:
    rings = [
        ring
        for polygon in polygons_of(frame.shape)
        for ring in (polygon.exterior, *polygon.interiors)
    ]
    return tuple(rings_of(rings, frame.origin))
