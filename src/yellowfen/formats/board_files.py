"""A set of board files to one Board: outline, exposed pads, paste, holes, copper maps, parts, drawing.

Laws: a pad is copper that the mask leaves open; drawings of the outline on other layers are left out of paste;
what cannot be made out becomes a finding, and what is sound stays usable.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, field

import shapely
from shapely.geometry import LineString, Polygon, box
from shapely.geometry.base import BaseGeometry

from yellowfen.core.board.board import Board, CopperMap, Finding, Hole, LayerGuess, Pad, Point, Role
from yellowfen.core.board.coverage import coverage_map
from yellowfen.core.board.join import Placement, join
from yellowfen.core.board.propose import propose
from yellowfen.errors import UnreadableFile
from yellowfen.formats.drill import DrillFile, read_drill
from yellowfen.formats.gerber.apertures import polygons_of
from yellowfen.formats.gerber.layer import GerberLayer
from yellowfen.formats.gerber.reader import read_gerber
from yellowfen.formats.layer_roles import guess_roles
from yellowfen.formats.part_table import BillLine, read_bill, read_placements

COVERAGE_CELL_MM = 0.5
FOIL_UM = 35.0
DRAWING_TOLERANCE_MM = 0.02
_COPPER = (Role.COPPER_TOP, Role.COPPER_INNER, Role.COPPER_BOTTOM)
_TABLES = (Role.PLACEMENT, Role.BILL, Role.IGNORED)


@dataclass
class _Set:
    """The readable content of a file set by role."""

    gerbers: dict[Role, list[GerberLayer]] = field(default_factory=dict)
    drills: list[tuple[Role, DrillFile]] = field(default_factory=list)
    placements: list[Placement] = field(default_factory=list)
    bill: dict[str, BillLine] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)

    def picture(self, role: Role) -> BaseGeometry | None:
        layers = self.gerbers.get(role)
        return shapely.union_all([layer.picture for layer in layers]) if layers else None


def read_board(files: dict[str, bytes], name: str, chosen: dict[str, Role] | None = None, thickness_mm: float = 1.6,
               on_step: Callable[[str], None] = lambda step: None) -> Board:  # fmt: skip
    """A Board from named bytes. Raises UnreadableFile when a file is damaged or nothing usable is there."""
    guesses = guess_roles(files, chosen)
    found = _read_all(files, guesses, on_step)
    if not any(role in found.gerbers for role in (*_COPPER[::2], Role.PASTE_TOP, Role.PASTE_BOTTOM, Role.MASK_TOP, Role.MASK_BOTTOM)):
        raise UnreadableFile(
            name, "no copper, mask or paste layer was recognised; drop the Gerber layers of the board, or choose what each file is"
        )
    on_step("outline")
    shape = _outline(found)
    origin = (shape.bounds[0], shape.bounds[1])
    width, height = shape.bounds[2] - origin[0], shape.bounds[3] - origin[1]
    if not (2 <= width <= 400 and 2 <= height <= 400):
        raise UnreadableFile(name, f"the board would be {width:.1f} x {height:.1f} mm; check the units of the outline layer")
    on_step("pads")
    pads, openings, areas = _pads(found, shape, origin)
    holes = _holes(found, origin)
    placements = _with_bill(_aligned(found, shape, origin), found.bill) or _placements_from_attributes(pads)
    if not placements:
        placements, pads = propose(pads)
        said = f"{len(placements)} parts were proposed from pad patterns and named P1 and on"
        found.findings.append(Finding("parts", f"no placement file and no pin names in the layers: {said}"))
    on_step("parts")
    joined = join(placements, pads)
    findings = [*found.findings, *joined.findings, *_loose_ends(joined.pads, placements, shape, origin)]
    on_step("copper")
    return Board(
        name=name, width_mm=round(width, 4), height_mm=round(height, 4), thickness_mm=thickness_mm,
        outline=tuple(_ring(ring, origin) for polygon in polygons_of(shape) for ring in (polygon.exterior, *polygon.interiors)),
        pads=joined.pads, holes=holes, copper=_copper_maps(found, origin, width, height), parts=joined.parts,
        layers=tuple(_with_facts(guess, found) for guess in guesses), findings=tuple(findings),
        paste_openings=openings, paste_area_mm2=areas, drawings=_drawings(found, origin), origin=origin,
    )  # fmt: skip


def _read_all(files: dict[str, bytes], guesses: list[LayerGuess], on_step: Callable[[str], None]) -> _Set:
    found = _Set()
    for guess in guesses:
        on_step(guess.file)
        data, role = files[guess.file], guess.role
        if role is Role.PLACEMENT:
            found.placements += read_placements(data, guess.file)
        elif role is Role.BILL:
            found.bill |= {line.ref: line for line in read_bill(data, guess.file)}
        elif role in (Role.DRILL, Role.DRILL_UNPLATED):
            drill = read_drill(data, guess.file)
            found.drills.append((role, drill))
            found.findings += [Finding(guess.file, remark) for remark in drill.remarks]
        elif role is not Role.IGNORED:
            layer = read_gerber(data, guess.file)
            found.gerbers.setdefault(role, []).append(layer)
            found.findings += [Finding(guess.file, remark) for remark in layer.remarks]
        if role is Role.IGNORED and "choose below" in guess.why:
            found.findings.append(Finding(guess.file, guess.why))
    return found


def _with_facts(guess: LayerGuess, found: _Set) -> LayerGuess:
    for layer in (layer for layers in found.gerbers.values() for layer in layers):
        if layer.name == guess.file:
            facts = f"{layer.count('flash')} flashes, {layer.count('stroke')} strokes, {layer.count('region')} regions, {layer.unit}"
            return LayerGuess(guess.file, guess.role, guess.why, facts)
    for _, drill in found.drills:
        if drill.name == guess.file:
            return LayerGuess(guess.file, guess.role, guess.why, f"{len(drill.hits)} holes")
    return guess


# --- outline -----------------------------------------------------------------------------------------------------


def _outline(found: _Set) -> Polygon:
    """The board's shape: closed from the outline layer's strokes, else the box around copper, with a finding."""
    shape = _closed(list(found.gerbers.get(Role.OUTLINE, [])))
    if shape is not None:
        return shape
    if Role.OUTLINE in found.gerbers:
        extent = found.picture(Role.OUTLINE)
        if extent is not None and not extent.is_empty:
            found.findings.append(Finding("outline", "its lines do not close; the box around them is used"))
            return box(*extent.bounds)
    extents = [found.picture(role) for role in (Role.COPPER_TOP, Role.COPPER_BOTTOM, Role.MASK_TOP, Role.PASTE_TOP, Role.PASTE_BOTTOM)]
    bounds = shapely.union_all([box(*extent.bounds) for extent in extents if extent is not None and not extent.is_empty]).bounds
    found.findings.append(Finding("outline", "no outline layer was found; the box around the copper and 1 mm is used"))
    return box(*bounds).buffer(1.0, join_style="mitre")


def _closed(layers: list[GerberLayer]) -> Polygon | None:
    lines = [one.line for layer in layers for one in layer.drawn if one.line is not None]
    regions = [one.shape for layer in layers for one in layer.drawn if one.kind == "region"]
    for snap in (0.005, 0.05):
        if not lines:
            break
        noded = shapely.node(shapely.set_precision(shapely.MultiLineString([list(line.coords) for line in lines]), snap))
        polygons = polygons_of(shapely.polygonize([noded]))
        if polygons:
            return _largest_with_cutouts(polygons)
    return _largest_with_cutouts([piece for region in regions for piece in polygons_of(region)]) if regions else None


def _largest_with_cutouts(polygons: list[Polygon]) -> Polygon | None:
    largest = max(polygons, key=lambda polygon: Polygon(polygon.exterior).area)
    if largest.area < 4:
        return None
    whole = Polygon(largest.exterior)
    cutouts = [Polygon(ring) for ring in largest.interiors if Polygon(ring).area > 3]
    result = whole.difference(shapely.union_all(cutouts)) if cutouts else whole
    return max(polygons_of(result), key=lambda polygon: polygon.area)


# --- pads and paste ----------------------------------------------------------------------------------------------


def _pads(found: _Set, shape: Polygon, origin: Point) -> tuple[list[Pad], dict[str, int], dict[str, float]]:
    pads: list[Pad] = []
    openings: dict[str, int] = {}
    areas: dict[str, float] = {}
    drills = [shapely.Point(hit.x_mm, hit.y_mm).buffer(hit.drill_mm / 2 * 0.9) for _, drill in found.drills for hit in drill.hits]
    holes = shapely.STRtree(drills)
    for side, copper_role, mask_role, paste_role in (
        ("top", Role.COPPER_TOP, Role.MASK_TOP, Role.PASTE_TOP),
        ("bottom", Role.COPPER_BOTTOM, Role.MASK_BOTTOM, Role.PASTE_BOTTOM),
    ):
        paste = _paste_openings(found, paste_role, shape)
        openings[side], areas[side] = len(paste), round(sum(piece.area for piece in paste), 4)
        exposed = _exposed(found.picture(copper_role), found.picture(mask_role), paste)
        pasted = shapely.STRtree(paste)
        solderable = [piece for piece in exposed if len(pasted.query(piece, predicate="intersects")) or not _drilled(piece, drills, holes)]
        names = _attribute_names(found, copper_role)
        pads += _as_pads(solderable, paste, side, names, origin)
    return pads, openings, areas


def _paste_openings(found: _Set, role: Role, board: Polygon) -> list[Polygon]:
    """Openings of a paste layer, without lines that only repeat the board's outline."""
    picture = found.picture(role)
    pieces = polygons_of(picture) if picture is not None else []
    width, height = board.bounds[2] - board.bounds[0], board.bounds[3] - board.bounds[1]

    def is_frame(piece: Polygon) -> bool:
        w, h = piece.bounds[2] - piece.bounds[0], piece.bounds[3] - piece.bounds[1]
        thin = piece.area < 0.12 * w * h or min(w, h) < 0.6
        return bool(thin and (w > 0.85 * width or h > 0.85 * height))

    frames = [piece for piece in pieces if is_frame(piece)]
    if frames:
        found.findings.append(Finding(str(role), f"{len(frames)} lines repeat the board's outline and were not counted as paste"))
    return [piece for piece in pieces if not is_frame(piece)]


def _exposed(copper: BaseGeometry | None, mask: BaseGeometry | None, paste: list[Polygon]) -> list[Polygon]:
    if copper is not None and mask is not None:
        return [piece for piece in polygons_of(copper.intersection(mask)) if piece.area > 0.004]
    if mask is not None and copper is None:
        return polygons_of(mask)
    return paste


def _drilled(piece: Polygon, drills: list[BaseGeometry], tree: shapely.STRtree) -> bool:
    """True for the bare land of a hole: the hole takes a good part of it."""
    taken = sum(drills[i].area for i in tree.query(piece) if piece.intersects(drills[i]))
    whole = Polygon(piece.exterior).area
    return bool((taken > 0.12 * whole and whole < 40) or (taken > 0 and whole < 1.0))


def _attribute_names(found: _Set, role: Role) -> tuple[shapely.STRtree, list[tuple[str | None, str | None, str | None]]]:
    named = [one for layer in found.gerbers.get(role, []) for one in layer.drawn if one.kind == "flash" and (one.ref or one.net)]
    return shapely.STRtree([one.shape for one in named]), [(one.ref, one.pin, one.net) for one in named]


def _as_pads(pieces: list[Polygon], paste: list[Polygon], side: str, names: tuple[shapely.STRtree, list[tuple[str | None, str | None, str | None]]],
             origin: Point) -> list[Pad]:  # fmt: skip
    tree = shapely.STRtree(paste)
    pads = []
    for piece in pieces:
        over = sum(paste[i].intersection(piece).area for i in tree.query(piece))
        hits = names[0].query(piece.representative_point(), predicate="intersects") if len(names[1]) else []
        ref, pin, net = names[1][hits[0]] if len(hits) else (None, None, None)
        pads.append(_pad(piece, side, over, origin, ref, pin, net))
    return pads


def _pad(piece: Polygon, side: str, paste_mm2: float, origin: Point, ref: str | None, pin: str | None, net: str | None) -> Pad:
    corners = list(piece.minimum_rotated_rectangle.exterior.coords)
    (x0, y0), (x1, y1), (x2, y2) = corners[0], corners[1], corners[2]
    first, second = math.dist((x0, y0), (x1, y1)), math.dist((x1, y1), (x2, y2))
    angle = math.degrees(math.atan2(y1 - y0, x1 - x0)) % 180
    if abs(angle - 90) < 45:
        angle, first, second = (angle - 90) % 180, second, first
    angle = 0.0 if angle > 179.5 or angle < 0.5 else angle
    return Pad(side, round(piece.centroid.x - origin[0], 4), round(piece.centroid.y - origin[1], 4), round(first, 4), round(second, 4),
               round(angle, 2), round(piece.area, 5), round(paste_mm2, 5), _ring(piece.exterior, origin), ref, pin, net)  # fmt: skip


def _ring(ring: BaseGeometry, origin: Point) -> tuple[Point, ...]:
    plain = ring.simplify(0.01)
    return tuple((round(x - origin[0], 3), round(y - origin[1], 3)) for x, y in list(plain.coords)[:-1])


# --- holes, copper, drawing ---------------------------------------------------------------------------------------


def _holes(found: _Set, origin: Point) -> tuple[Hole, ...]:
    holes = []
    for role, drill in found.drills:
        for hit in drill.hits:
            plated = hit.plated if hit.plated is not None else role is Role.DRILL
            second = (hit.x2_mm - origin[0], hit.y2_mm - origin[1]) if hit.x2_mm is not None and hit.y2_mm is not None else (None, None)
            holes.append(Hole(round(hit.x_mm - origin[0], 4), round(hit.y_mm - origin[1], 4), hit.drill_mm, plated, *second))
    return tuple(holes)


def _copper_maps(found: _Set, origin: Point, width: float, height: float) -> tuple[CopperMap, ...]:
    stack: list[tuple[str, BaseGeometry]] = []
    for role in _COPPER:
        for number, layer in enumerate(found.gerbers.get(role, []), 1):
            label = {Role.COPPER_TOP: "top", Role.COPPER_BOTTOM: "bottom"}.get(role, f"inner {number}")
            stack.append((label, layer.picture))
    maps = []
    inner = [label for label, _ in stack if label.startswith("inner")]
    nx, ny = max(1, math.ceil(width / COVERAGE_CELL_MM)), max(1, math.ceil(height / COVERAGE_CELL_MM))
    for label, picture in stack:
        depth = 0.0 if label == "top" else 1.0 if label == "bottom" else (inner.index(label) + 1) / (len(inner) + 1)
        rings = [list(ring.coords)[:-1] for polygon in polygons_of(picture) for ring in _oriented(polygon)]
        cells = coverage_map(rings, origin, COVERAGE_CELL_MM, ny, nx)
        rows = tuple(tuple(round(float(value), 3) for value in row) for row in cells)
        maps.append(CopperMap(label, depth, FOIL_UM, COVERAGE_CELL_MM, rows, round(picture.area, 3)))
    return tuple(maps)


def _oriented(polygon: Polygon) -> list[BaseGeometry]:
    turned = shapely.orient_polygons(polygon)
    return [turned.exterior, *turned.interiors]


def _drawings(found: _Set, origin: Point) -> dict[str, str]:
    """SVG path data for the plan. Copper as filled shapes; the legend as its pen strokes grouped by width."""
    drawings: dict[str, str] = {}
    for role, key in ((Role.COPPER_TOP, "copper top"), (Role.COPPER_BOTTOM, "copper bottom")):
        picture = found.picture(role)
        if picture is not None:
            plain = shapely.simplify(picture, DRAWING_TOLERANCE_MM)
            drawings[key] = "".join(
                _path(ring, origin) for polygon in polygons_of(plain) for ring in (polygon.exterior, *polygon.interiors)
            )
    for role, key in ((Role.LEGEND_TOP, "legend top"), (Role.LEGEND_BOTTOM, "legend bottom")):
        drawings[key] = "".join(
            _open_path(one.line, origin) for layer in found.gerbers.get(role, []) for one in layer.drawn if one.line is not None
        )
    return drawings


def _path(ring: BaseGeometry, origin: Point) -> str:
    points = [f"{x - origin[0]:.2f},{y - origin[1]:.2f}" for x, y in list(ring.coords)[:-1]]
    return "M" + "L".join(points) + "Z"


def _open_path(line: LineString, origin: Point) -> str:
    points = [f"{x - origin[0]:.2f},{y - origin[1]:.2f}" for x, y in shapely.simplify(line, DRAWING_TOLERANCE_MM).coords]
    return "M" + "L".join(points)


# --- parts -------------------------------------------------------------------------------------------------------


def _aligned(found: _Set, shape: Polygon, origin: Point) -> list[Placement]:
    """Placements in board millimetres: the files' own origin, else the board's corner, whichever puts more parts on the board."""
    if not found.placements:
        return []

    def inside(dx: float, dy: float) -> int:
        return sum(shape.buffer(2.0).contains(shapely.Point(p.x_mm + dx, p.y_mm + dy)) for p in found.placements)

    shifts = [(0.0, 0.0), origin]
    dx, dy = max(shifts, key=lambda shift: inside(*shift))
    if (dx, dy) != (0.0, 0.0):
        found.findings.append(Finding("placement", "its zero point was taken to be the board's lower left corner"))
    return [
        Placement(p.ref, p.value, p.footprint, p.x_mm + dx - origin[0], p.y_mm + dy - origin[1], p.rotation_deg, p.side)
        for p in found.placements
    ]


def _with_bill(placements: list[Placement], bill: dict[str, BillLine]) -> list[Placement]:
    return [
        Placement(p.ref, p.value or line.value, p.footprint or line.footprint, p.x_mm, p.y_mm, p.rotation_deg, p.side)
        if (line := bill.get(p.ref))
        else p
        for p in placements
    ]


def _placements_from_attributes(pads: list[Pad]) -> list[Placement]:
    """Parts named by the layers' own pin attributes, placed at the middle of their pads."""
    groups: dict[tuple[str, str], list[Pad]] = {}
    for pad in pads:
        if pad.ref:
            groups.setdefault((pad.ref, pad.side), []).append(pad)
    return [
        Placement(ref, "", "", (min(p.x_mm for p in group) + max(p.x_mm for p in group)) / 2,
                  (min(p.y_mm for p in group) + max(p.y_mm for p in group)) / 2, 0.0, side)
        for (ref, side), group in groups.items()
    ]  # fmt: skip


def _loose_ends(pads: tuple[Pad, ...], placements: list[Placement], shape: Polygon, origin: Point) -> list[Finding]:
    findings = []
    loose = sum(1 for pad in pads if pad.ref is None and pad.paste_mm2 > 0)
    if loose:
        findings.append(Finding("pads", f"{loose} pads with paste belong to no part"))
    for placed in placements:
        if not shape.buffer(0.5).contains(shapely.Point(placed.x_mm + origin[0], placed.y_mm + origin[1])):
            findings.append(
                Finding(
                    placed.ref, f"lies outside the board ({placed.x_mm:.1f}, {placed.y_mm:.1f} mm); check units and origin of the placement"
                )
            )
    return findings
