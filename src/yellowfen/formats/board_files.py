"""A set of board files to one Board: outline, exposed pads, paste, holes, copper maps, nets, parts,
drawing.

Laws: a pad is copper that the mask leaves open; drawings of the outline on other layers are left
out of paste; what cannot be made out becomes a finding, and what is sound stays usable.
"""

import gc
import math
import re
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import replace

import shapely
from shapely.geometry import Polygon

from yellowfen.core.board.board import (
    Board,
    BoardPart,
    CopperMap,
    Finding,
    Hole,
    Ink,
    Opening,
    Pad,
    Point,
    Role,
)
from yellowfen.core.board.choices import Choices, PartChoice
from yellowfen.core.board.copper_links import links_of_spans
from yellowfen.core.board.join import Joined, Placement, join
from yellowfen.core.board.likeness import Likeness
from yellowfen.core.board.nets import trace
from yellowfen.core.board.placing import Placed, common_turn, place
from yellowfen.core.board.propose import Proposed, package_like, propose
from yellowfen.core.board.shift import Shift, ShiftProposal
from yellowfen.core.board.spans import Draft, Spans, spans_of
from yellowfen.core.part.catalogue import find_package, unknown_in_holes
from yellowfen.core.part.library import BUILT_IN, Library
from yellowfen.core.part.package import JointKind, Land
from yellowfen.core.quantity.wording import counted
from yellowfen.errors import UnreadableFile
from yellowfen.formats.board_ink import draft_of, ink_of
from yellowfen.formats.board_pads import holes_untold, openings_from_pads, pads_of
from yellowfen.formats.board_set import FileSet, extent_of, read_files
from yellowfen.formats.board_shape import board_shape, kept_of
from yellowfen.formats.gerber.apertures import polygons_of
from yellowfen.formats.gerber.layer import Drawn
from yellowfen.formats.pad_shapes import rings_of
from yellowfen.formats.part_table import BillLine, ColumnChoice
from yellowfen.formats.printed_marks import printed_marks

COVERAGE_CELL_MM = 0.5
FOIL_UM = 35.0
SAME_PLACE_MM = 0.1
PROPOSED = "proposed from its pads"
_COPPER = (Role.COPPER_TOP, Role.COPPER_INNER, Role.COPPER_BOTTOM)
_ENOUGH = (
    Role.COPPER_TOP,
    Role.COPPER_BOTTOM,
    Role.PASTE_TOP,
    Role.PASTE_BOTTOM,
    Role.MASK_TOP,
    Role.MASK_BOTTOM,
)
_BARE = (Role.MASK_TOP, Role.MASK_BOTTOM, Role.PASTE_TOP, Role.PASTE_BOTTOM)
_NOT_PARTS = ("fiducial", "testpoint", "mountinghole", "tooling", "fid_", "fid-")


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
    choices = chosen if isinstance(chosen, Choices) else Choices(roles=dict(chosen or {}))
    with _no_collecting():
        found = read_files(files, choices.roles, columns or {}, on_step)
        try:
            return _board_from(
                found, name, choices, thickness_mm=thickness_mm, on_step=on_step, library=library
            )
        except (shapely.errors.GEOSException, FloatingPointError) as problem:
            said = f"its shapes cannot be worked out together ({str(problem)[:80]}); set the damaged layer to 'not used', or export it again"
            raise UnreadableFile(name, said) from None


def _board_from(
    found: FileSet,
    name: str,
    choices: Choices,
    thickness_mm: float,
    on_step: Callable[[str], None],
    library: Library,
) -> Board:
    if not any(found.gerbers.get(role) and found.drawn(role) for role in _ENOUGH):
        damaged = next((guess.problem for guess in found.guesses if guess.problem), "")
        said = "no copper, mask or paste layer was recognised; drop the Gerber layers of the board, or choose what each file is"
        problem = UnreadableFile(name, f"{said} ({damaged})" if damaged else said)
        problem.guesses = tuple(found.guesses)
        raise problem
    on_step("the board's shape")
    shape = board_shape(found)
    origin = (shape.bounds[0], shape.bounds[1])
    width, height = shape.bounds[2] - origin[0], shape.bounds[3] - origin[1]
    if not (2 <= width <= 400 and 2 <= height <= 400):
        raise UnreadableFile(
            name,
            f"the board would be {width:.1f} x {height:.1f} mm; check the units of the outline layer",
        )
    on_step("copper")
    drafts = _drafts(found, shape)
    with (
        ThreadPoolExecutor(2) as beside
    ):  # compiled loops that need no interpreter, while pads, nets, parts and drawing are worked out
        spans = {
            label: beside.submit(_spans_of, draft, origin, height)
            for label, draft in drafts.items()
        }
        maps = [
            beside.submit(_map_of, spans[label], label, depth, width, height)
            for label, depth in _depths(list(drafts)).items()
        ]
        on_step("pads and paste")
        pads, openings, lands = pads_of(found, shape, origin)
        ready = {label: layer.result() for label, layer in spans.items()}
        return _rest_of_board(
            found,
            name,
            choices,
            thickness_mm=thickness_mm,
            on_step=on_step,
            library=library,
            shape=shape,
            pads=pads,
            openings=openings,
            lands=lands,
            holes=_holes(found, origin),
            spans=ready,
            maps=maps,
        )


def _rest_of_board(
    found: FileSet,
    name: str,
    choices: Choices,
    thickness_mm: float,
    on_step: Callable[[str], None],
    library: Library,
    shape: Polygon,
    pads: list[Pad],
    openings: list[Opening],
    lands: list[Pad],
    holes: tuple[Hole, ...],
    spans: Mapping[str, Spans],
    maps: Sequence[Future[CopperMap]],
) -> Board:
    origin = (shape.bounds[0], shape.bounds[1])
    width, height = shape.bounds[2] - origin[0], shape.bounds[3] - origin[1]
    on_step("nets")
    points = [
        (point.net, point.x_mm - origin[0], point.y_mm - origin[1], point.access)
        for point in found.points
    ]
    untold = holes_untold(found)
    pads, disagreements = trace(
        spans,
        holes,
        _named_by_netlist(pads, found, origin),
        width * height,
        points,
        holes_lack=bool(untold),
    )
    on_step("parts")
    joined, proposals, remarks = _parts(
        found,
        pads,
        openings,
        lands=_named_by_netlist(lands, found, origin),
        origin=origin,
        size=(width, height),
        choices=choices,
        library=library,
    )
    if choices.openings_from_pads and not openings:
        printed, openings = openings_from_pads(joined.pads)
        joined = replace(joined, pads=tuple(printed))
        remarks.append(
            Finding(
                "paste",
                f"{counted(len(openings), 'opening was', 'openings were')} made from the pads, since no layer draws any",
            )
        )
    findings = [
        *found.findings,
        *untold,
        *disagreements,
        *remarks,
        *_loose_ends(joined, width, height),
    ]
    on_step("drawing")
    return Board(
        name=name,
        width_mm=round(width, 4),
        height_mm=round(height, 4),
        thickness_mm=thickness_mm,
        outline=tuple(
            rings_of(
                [
                    ring
                    for polygon in polygons_of(shape)
                    for ring in (polygon.exterior, *polygon.interiors)
                ],
                origin,
            )
        ),
        pads=joined.pads,
        holes=holes,
        copper=tuple(one.result() for one in maps),
        parts=joined.parts,
        layers=tuple(found.guesses),
        findings=tuple(findings),
        paste_openings={
            side: sum(one.side == side for one in openings) for side in ("top", "bottom")
        },
        paste_area_mm2={
            side: round(sum(one.area_mm2 for one in openings if one.side == side), 4)
            for side in ("top", "bottom")
        },
        openings=tuple(openings),
        drawings=_drawings(found, shape, origin, findings),
        origin=origin,
        proposals=proposals,
        printed_marks=printed_marks(
            joined.parts,
            {"top": found.drawn(Role.LEGEND_TOP), "bottom": found.drawn(Role.LEGEND_BOTTOM)},
            origin,
        ),
    )


# --- holes, copper, drawing
# ---------------------------------------------------------------------------------------


def _holes(found: FileSet, origin: Point) -> tuple[Hole, ...]:
    holes = []
    for role, drill in found.drills:
        for hit in drill.hits:
            plated = hit.plated if hit.plated is not None else role is Role.DRILL
            x2 = None if hit.x2_mm is None else hit.x2_mm - origin[0]
            y2 = None if hit.y2_mm is None else hit.y2_mm - origin[1]
            holes.append(
                Hole(
                    x_mm=round(hit.x_mm - origin[0], 4),
                    y_mm=round(hit.y_mm - origin[1], 4),
                    drill_mm=hit.drill_mm,
                    plated=plated,
                    x2_mm=x2,
                    y2_mm=y2,
                    layers=drill.layers,
                )
            )
    return tuple(holes)


def _stack(found: FileSet) -> list[tuple[str, list[Drawn], bool]]:
    """Copper layers from top to bottom: name, what they draw, whether they are negative."""
    stack = []
    for role in _COPPER:
        for number, layer in enumerate(found.gerbers.get(role, []), 1):
            label = {Role.COPPER_TOP: "top", Role.COPPER_BOTTOM: "bottom"}.get(
                role, f"inner {number}"
            )
            stack.append((label, list(layer.drawn), layer.negative))
    return stack


def _drafts(found: FileSet, shape: Polygon) -> dict[str, Draft]:
    drafts = {}
    for label, drawn, negative in _stack(found):
        kept = kept_of(found, f"copper {label}", drawn, shape)
        drafts[label] = draft_of(kept, list(shape.exterior.coords)[:-1] if negative else None)
    return drafts


def _spans_of(draft: Draft, origin: Point, height: float) -> Spans:
    spans = spans_of(draft, origin, height)
    spans.labels  # noqa: B018 (worked out here, beside the rest)
    return spans


def _cells(width: float, height: float) -> tuple[int, int]:
    """Rows and columns of a copper map."""
    return max(1, math.ceil(height / COVERAGE_CELL_MM)), max(1, math.ceil(width / COVERAGE_CELL_MM))


def _map_of(
    layer: Future[Spans], label: str, depth: float, width: float, height: float
) -> CopperMap:
    """Waits for the layer's spans, which were asked for before any map."""
    spans, (ny, nx) = layer.result(), _cells(width, height)
    rows = tuple(map(tuple, spans.coverage(COVERAGE_CELL_MM, ny, nx).round(3).tolist()))
    links = links_of_spans(spans, (width / nx, height / ny), ny, nx).packed()
    return CopperMap(
        layer=label,
        depth=depth,
        thickness_um=FOIL_UM,
        cell_mm=COVERAGE_CELL_MM,
        coverage=rows,
        area_mm2=round(spans.area_within(nx * COVERAGE_CELL_MM), 3),
        links=links,
    )


def _depths(labels: Sequence[str]) -> dict[str, float]:
    """Where each copper layer lies, 0 at the top and 1 at the bottom."""
    inner = [label for label in labels if label.startswith("inner")]
    return {
        label: 0.0
        if label == "top"
        else 1.0
        if label == "bottom"
        else (inner.index(label) + 1) / (len(inner) + 1)
        for label in labels
    }


def _drawings(
    found: FileSet, shape: Polygon, origin: Point, findings: list[Finding]
) -> dict[str, tuple[Ink, ...]]:
    """Ink of the outer copper and of the legend."""
    drawings: dict[str, tuple[Ink, ...]] = {}
    for role, key in (
        (Role.COPPER_TOP, "copper top"),
        (Role.COPPER_BOTTOM, "copper bottom"),
        (Role.LEGEND_TOP, "legend top"),
        (Role.LEGEND_BOTTOM, "legend bottom"),
    ):
        drawings[key], whole = ink_of(kept_of(found, str(role), found.drawn(role), shape), origin)
        if not whole:
            findings.append(
                Finding(
                    key,
                    "it draws so much that the plan shows only the first part of it; forecasts use all of it",
                )
            )
    return drawings


# --- parts
# -------------------------------------------------------------------------------------------------------


def _named_by_netlist(pads: list[Pad], found: FileSet, origin: Point) -> list[Pad]:
    """Pads with part and pin from a netlist's records, where the layers' attributes did not name
    them.
    """
    if not found.points or any(pad.ref for pad in pads):
        return pads
    cells: dict[tuple[int, int], list[int]] = defaultdict(list)
    for index, pad in enumerate(pads):
        cells[(int(pad.x_mm), int(pad.y_mm))].append(index)
    named = list(pads)
    for point in found.points:
        if not point.ref or point.ref == "VIA":
            continue
        x, y = point.x_mm - origin[0], point.y_mm - origin[1]
        near = [
            i
            for dx in (-1, 0, 1)
            for dy in (-1, 0, 1)
            for i in cells.get((int(x) + dx, int(y) + dy), ())
            if point.access in ("both", pads[i].side)
            and abs(pads[i].x_mm - x) <= pads[i].size_x_mm / 2 + 0.05
            and abs(pads[i].y_mm - y) <= pads[i].size_y_mm / 2 + 0.05
        ]
        if near:
            index = min(near, key=lambda i: math.hypot(pads[i].x_mm - x, pads[i].y_mm - y))
            named[index] = replace(
                named[index],
                ref=point.ref,
                pin=point.pin or None,
                net=point.net if point.net != "N/C" else named[index].net,
            )
    return named


def _parts(
    found: FileSet,
    pads: list[Pad],
    openings: Sequence[Opening],
    lands: Sequence[Pad],
    origin: Point,
    size: Point,
    choices: Choices,
    library: Library,
) -> tuple[Joined, tuple[ShiftProposal, ...], list[Finding]]:
    remarks: list[Finding] = []
    placed = _on_board(
        found, pads, origin, size=size, choices=choices, library=library, remarks=remarks
    )
    placements = _with_bill(list(placed.placements), found.bill)
    named: set[str] = set()
    tabled = bool(placements)
    if not tabled:
        placements = _placements_from_names(found, pads, lands, choices.parts, remarks)
        named = {one.ref for one in placements}
    names = {ref: choice.name for ref, choice in choices.parts.items() if choice.name}
    together = choices.together
    if tabled:  # a table's own parts come first
        known = {one.ref for one in placements}
        together = {
            key: one
            for key, one in together.items()
            if key in names and not {key, names[key]} & known
        }
    told_bare = any(role in found.gerbers for role in _BARE)
    if not told_bare and not tabled:
        said = "no mask and no paste layer tells which copper is bare, so no parts were worked out of it; add one of them, or a placement table"
        remarks.append(Finding("parts", said))
    seen = propose(
        pads,
        size,
        together,
        choices.parts,
        library,
        search=not tabled and told_bare,
        openings=openings,
    )
    guessed, pads = _named_by_legend(seen, found, origin, {one.ref for one in placements})
    proposed = {one.ref for one in guessed}
    numbered = {one.ref for one in seen.placements}
    searched = len(guessed) > len(together)
    if searched:
        said = f"{counted(len(guessed), 'part was', 'parts were')} proposed from pad patterns{'' if named else ' and named P1 and on'}; name them on the plan"
        remarks.append(
            Finding(
                "parts",
                f"no placement file{'' if named else ' and no pin names in the layers'}: {said}",
            )
        )
    remarks += seen.findings
    placements = [_corrected(one, choices.parts.get(one.ref), choices.turns) for one in placements]
    placements += [
        one if one.ref in numbered else _corrected(one, choices.parts.get(one.ref), {})
        for one in guessed
    ]
    left = [
        one
        for one in placements
        if not one.fitted or (choices.parts.get(one.ref) or PartChoice()).left_out
    ]
    if left:
        remarks.append(
            Finding(
                "parts",
                f"{', '.join(one.ref for one in left[:12])}{' and more' if len(left) > 12 else ''}: marked not to be fitted, left out",
            )
        )
    joined = join([one for one in placements if not _is_mark(one)], pads, library, lands)
    if not tabled:
        joined = replace(joined, parts=(*joined.parts, *_in_holes(lands, joined, choices.parts)))
    kept = {one.ref for one in left}
    guesses = {ref for ref in proposed if not (choices.parts.get(ref) or PartChoice()).footprint}
    quiet = tuple(
        replace(one, about=names.get(one.about, one.about))
        for one in joined.findings
        if one.about not in guesses and one.about not in kept
    )
    joined = Joined(
        tuple(
            _named(part, names.get(part.ref), part.ref in proposed)
            for part in joined.parts
            if part.ref not in kept
        ),
        tuple(replace(pad, ref=names.get(pad.ref or "", pad.ref)) for pad in joined.pads)
        if names
        else joined.pads,
        quiet,
        joined.turns,
    )
    return (
        joined,
        (*placed.proposals, *_turn_proposals(joined, choices)),
        [*remarks, *placed.findings, *joined.findings],
    )


def _in_holes(
    lands: Sequence[Pad], joined: Joined, choices: Mapping[str, PartChoice]
) -> list[BoardPart]:
    """Parts whose pins stand in holes only, named by the layers or a netlist: for the iron."""
    pins: dict[str, list[Pad]] = defaultdict(list)
    known = {part.ref for part in joined.parts}
    for land in lands:
        if land.ref and land.ref not in known and land.side == "top":
            pins[land.ref].append(land)
    parts = []
    for ref, its in pins.items():
        xs, ys = [one.x_mm for one in its], [one.y_mm for one in its]
        x, y = (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2
        own = tuple(
            Land(
                pin=one.pin or str(number),
                x_mm=one.x_mm - x,
                y_mm=one.y_mm - y,
                size_x_mm=one.size_x_mm,
                size_y_mm=one.size_y_mm,
                kind=JointKind.THROUGH_HOLE,
            )
            for number, one in enumerate(its, 1)
        )
        if len(own) < 2:
            continue
        value = (choices.get(ref) or PartChoice()).value
        parts.append(
            BoardPart(
                ref=ref,
                value=value,
                footprint="",
                x_mm=x,
                y_mm=y,
                rotation_deg=0.0,
                side="top",
                package=unknown_in_holes(own),
                joined=True,
                note="pins in holes",
            )
        )
    return parts


def _named(part: BoardPart, name: str | None, proposed: bool) -> BoardPart:
    """The part under the name the user gave it; a proposed one without a name says so in its note."""
    if name is not None or not proposed:
        return replace(part, ref=name or part.ref)
    return replace(part, note=PROPOSED + (f"; {part.note}" if part.note else ""))


def named_by_user(part: BoardPart, name: str) -> BoardPart:
    """A part renamed: what its note says of its missing name goes."""
    return replace(part, ref=name, note=part.note.removeprefix(PROPOSED).removeprefix("; "))


def is_unnamed(part: BoardPart) -> bool:
    """True for a part proposed from pads that nobody has named yet."""
    return part.note.startswith(PROPOSED)


def _on_board(
    found: FileSet,
    pads: list[Pad],
    origin: Point,
    size: Point,
    choices: Choices,
    library: Library,
    remarks: list[Finding],
) -> Placed:
    if found.placements and all(_is_mark(one) for one in found.placements):
        remarks.append(Finding("placement", "it names marks and test points only, no parts"))
        return place((), pads, origin, size, library)
    with_footprints = _with_bill(_each_once(found.placements, remarks), found.bill)
    return place(with_footprints, pads, origin, size=size, library=library, chosen=choices.shift)


def _each_once(placements: list[Placement], remarks: list[Finding]) -> list[Placement]:
    """The first of every name, where tables or component layers name a part twice; said when they
    differ.
    """
    first: dict[str, Placement] = {}
    for one in placements:
        kept = first.setdefault(one.ref, one)
        apart = math.hypot(kept.x_mm - one.x_mm, kept.y_mm - one.y_mm) > SAME_PLACE_MM
        if apart or kept.side != one.side:
            said = f"is placed twice, {kept.side} ({kept.x_mm:.1f}, {kept.y_mm:.1f}) and {one.side} ({one.x_mm:.1f}, {one.y_mm:.1f} mm); the first was taken"
            remarks.append(Finding(one.ref, said))
    return list(first.values())


def _is_mark(placed: Placement) -> bool:
    """Fiducials, test points, holes: rows of a placement that are no parts."""
    return placed.footprint.rsplit(":", 1)[-1].lower().startswith(_NOT_PARTS)


def _corrected(placed: Placement, choice: PartChoice | None, turns: Mapping[str, int]) -> Placement:
    turned = replace(placed, rotation_deg=(placed.rotation_deg + turns.get(placed.side, 0)) % 360)
    if choice is None:
        return turned
    return replace(
        turned,
        value=choice.value or placed.value,
        footprint=choice.footprint or placed.footprint,
        rotation_deg=(turned.rotation_deg + choice.turn_deg) % 360,
    )


def _turn_proposals(joined: Joined, choices: Choices) -> tuple[ShiftProposal, ...]:
    """A quarter turn that most parts of a side need beyond the table's angles: proposed for the
    side as a whole.
    """
    proposals = []
    for side, turns in joined.turns.items():
        turn = common_turn(turns)
        if turn and side not in choices.turns:
            sentence = f"Turn every part of the {side} by {turn}°: {turns.count(turn)} of {len(turns)} parts with more than two pads fit only so, by their pads"
            proposals.append(
                ShiftProposal(
                    sentence=sentence,
                    shift=Shift(),
                    fits_before=turns.count(0),
                    fits_after=turns.count(turn),
                    of=len(turns),
                    turn_side=side,
                    turn_deg=turn,
                )
            )
    return tuple(proposals)


def _with_bill(placements: list[Placement], bill: Mapping[str, BillLine]) -> list[Placement]:
    return [
        replace(
            p,
            value=p.value or line.value,
            footprint=p.footprint or line.footprint,
            fitted=p.fitted and line.fitted,
        )
        if (line := bill.get(p.ref))
        else p
        for p in placements
    ]


def _placements_from_names(
    found: FileSet,
    pads: Sequence[Pad],
    lands: Sequence[Pad],
    choices: Mapping[str, PartChoice],
    remarks: list[Finding],
) -> list[Placement]:
    """Parts named by the layers' own pin attributes or a netlist, placed where their pads lie;
    their footprint by the attributes or the bill where it stands there, else by what their pads
    look like. A name on one bare pad is a hole's or a test point's, unless somebody says what it
    is.
    """
    groups: dict[str, dict[str, list[Pad]]] = defaultdict(lambda: defaultdict(list))
    for pad in pads:
        if pad.ref:
            groups[pad.ref][pad.side].append(pad)
    told = _footprints_by_attribute(found)
    bare = _with_bill(
        [
            Placement(
                ref=ref,
                value=value,
                footprint=footprint,
                x_mm=0.0,
                y_mm=0.0,
                rotation_deg=0.0,
                side="top",
            )
            for ref in groups
            for value, footprint in (told.get(ref, ("", "")),)
        ],
        found.bill,
    )
    told_by_hand = {*choices, *(choice.name for choice in choices.values())}
    marks = sorted(
        one.ref
        for one in bare
        if not one.footprint
        and one.ref not in told_by_hand
        and all(len(its) == 1 and not its[0].paste_mm2 for its in groups[one.ref].values())
    )
    if marks:
        said = "one bare pad each" if len(marks) > 1 else "one bare pad"
        remarks.append(
            Finding(
                "parts",
                f"{', '.join(marks[:12])}{' and more' if len(marks) > 12 else ''}: {said}, taken for holes or test points, no parts",
            )
        )
    return [_from_its_pads(one, groups[one.ref], lands) for one in bare if one.ref not in marks]


def _footprints_by_attribute(found: FileSet) -> dict[str, tuple[str, str]]:
    """(value, footprint) by part where objects of the outer layers carry them as attributes."""
    told: dict[str, tuple[str, str]] = {}
    for role in (Role.COPPER_TOP, Role.COPPER_BOTTOM, Role.LEGEND_TOP, Role.LEGEND_BOTTOM):
        for one in found.drawn(role):
            given = one.given or {}
            footprint = _first(given, ".CFtp") or _first(given, ".CPgN")
            if one.ref and footprint and one.ref not in told:
                told[one.ref] = (_first(given, ".CVal")[:80], footprint[:120])
    return told


def _first(given: Mapping[str, Sequence[str]], key: str) -> str:
    values = given.get(key) or ("",)
    return str(values[0])


def _from_its_pads(
    bare: Placement, faces: Mapping[str, list[Pad]], lands: Sequence[Pad]
) -> Placement:
    """A part that stands once, on the face with most of its paste, then of its pads; through-hole
    parts have lands on both. One that looks like nothing known stands in the middle of its pads and
    of its `lands` of holes.
    """
    side = max(
        sorted(faces, reverse=True),
        key=lambda face: (sum(pad.paste_mm2 > 0 for pad in faces[face]), len(faces[face])),
    )
    pads = faces[side]
    seen = package_like(pads)
    if seen is not None:
        x = seen.x_mm if side == "top" else -seen.x_mm
        return replace(
            bare,
            footprint=bare.footprint or _by_its_letter(bare.ref, seen),
            x_mm=x,
            y_mm=seen.y_mm,
            rotation_deg=round(seen.rotation_deg % 360, 1),
            side=side,
        )
    its = [*pads, *(land for land in lands if land.ref == bare.ref and land.side == side)]
    xs, ys = [pad.x_mm for pad in its], [pad.y_mm for pad in its]
    return replace(bare, x_mm=(min(xs) + max(xs)) / 2, y_mm=(min(ys) + max(ys)) / 2, side=side)


def _by_its_letter(ref: str, seen: Likeness) -> str:
    """A chip named as a diode is taken for a chip LED, the shyer of the two."""
    led = f"LED_{seen.name}"
    if seen.package.family == "chip" and re.match(r"(?:D|LED)\d", ref) and find_package(led):
        return led
    return seen.name


def _named_by_legend(
    seen: Proposed, found: FileSet, origin: Point, taken: set[str]
) -> tuple[list[Placement], list[Pad]]:
    """Proposed parts, and the pads, renamed where legend objects carry a part's name by attribute:
    the nearest group of such ink names it.
    """
    guessed = seen.placements
    free = dict.fromkeys(range(len(guessed)))
    names: dict[str, str] = {}
    for side, role in (("top", Role.LEGEND_TOP), ("bottom", Role.LEGEND_BOTTOM)):
        groups: dict[str, list[Drawn]] = defaultdict(list)
        for one in found.drawn(role):
            if one.ref and one.ref not in taken:
                groups[one.ref].append(one)
        for ref, drawn in groups.items():
            extent = extent_of(drawn)
            if extent is None:
                continue
            x, y = (extent[0] + extent[2]) / 2 - origin[0], (extent[1] + extent[3]) / 2 - origin[1]
            near = [
                (math.hypot(guessed[i].x_mm - x, guessed[i].y_mm - y), i)
                for i in free
                if guessed[i].side == side
            ]
            if near and min(near)[0] < 6.0:
                names[guessed[min(near)[1]].ref] = ref
                del free[min(near)[1]]
    if not names:
        return list(guessed), list(seen.pads)
    return (
        [replace(placed, ref=names.get(placed.ref, placed.ref)) for placed in guessed],
        [replace(pad, ref=names[pad.ref]) if pad.ref in names else pad for pad in seen.pads],
    )


def _loose_ends(joined: Joined, width: float, height: float) -> list[Finding]:
    findings = []
    loose = sum(1 for pad in joined.pads if pad.ref is None and pad.paste_mm2 > 0)
    if loose:
        findings.append(
            Finding(
                "pads",
                f"{counted(loose, 'pad with paste belongs', 'pads with paste belong')} to no part",
            )
        )
    for part in joined.parts:
        if not (-0.5 <= part.x_mm <= width + 0.5 and -0.5 <= part.y_mm <= height + 0.5):
            findings.append(
                Finding(
                    part.ref,
                    f"lies outside the board ({part.x_mm:.1f}, {part.y_mm:.1f} mm); check units and origin of the placement",
                )
            )
    return findings
