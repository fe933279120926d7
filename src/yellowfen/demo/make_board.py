"""Make the demo board's files: route it, pour the planes with thermal reliefs, write Gerber, drill
and tables.
"""

import math
from dataclasses import dataclass, field
from pathlib import Path

import shapely
from shapely import affinity
from shapely.geometry import LineString, Point, box
from shapely.geometry.base import BaseGeometry

from yellowfen.core.board.letters import write
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.part.package import JointKind, Land
from yellowfen.demo import router as grid
from yellowfen.demo.gerber_out import GerberWriter, drill_file
from yellowfen.demo.router import Node, Router
from yellowfen.demo.scenario import HEIGHT_MM, HOLE_DRILL_MM, HOLES_MM, PARTS, WIDTH_MM, DemoPart

POUR_CLEARANCE_MM, SPOKE_MM, MASK_SWELL_MM = 0.25, 0.3, 0.05
MOST_TRIES = 600
# Ground pads that other tracks would shut in: they get their via before anything is routed.
HEMMED_IN = {("U3", "15"), ("C5", "2"), ("J2", "2"), ("U1", "35"), ("C14", "2")}


@dataclass(frozen=True, kw_only=True)
class _PlacedPad:
    """A pad of the demo board on its side: centre, half sizes along the board's axes, net."""

    part: DemoPart
    land: Land
    x_mm: float
    y_mm: float
    half_x: float
    half_y: float
    net: str
    layer: int

    @property
    def shape(self) -> BaseGeometry:
        return box(
            self.x_mm - self.half_x,
            self.y_mm - self.half_y,
            self.x_mm + self.half_x,
            self.y_mm + self.half_y,
        )

    @property
    def solid(self) -> bool:
        """Tabs and thermal pads sit on the plane without relief."""
        return self.land.kind in (JointKind.TAB, JointKind.THERMAL_PAD)


@dataclass
class _Copper:
    tracks: list[tuple[int, int, list[tuple[float, float]]]] = field(default_factory=list)
    vias: list[tuple[str, float, float]] = field(default_factory=list)
    unrouted: list[str] = field(default_factory=list)


def make_board_files() -> dict[str, bytes]:
    """All files of the demo board by name; routing takes about a minute. Raises RuntimeError where a net cannot be routed."""
    pads = _all_pads()
    copper = _route(pads)
    if copper.unrouted:
        raise RuntimeError(f"the demo board did not route: {copper.unrouted}")
    return make_layers_without_copper() | {
        "reedgate-copper-top.gbr": _copper_layer(pads, copper, 0),
        "reedgate-copper-bottom.gbr": _copper_layer(pads, copper, 1),
        "reedgate-holes.drl": drill_file([(x, y, grid.DRILL_MM) for _, x, y in copper.vias]),
    }


def make_layers_without_copper() -> dict[str, bytes]:
    """The files that need no routing."""
    pads = _all_pads()
    files = {
        "reedgate-outline.gbr": _outline(),
        "reedgate-mounting.drl": drill_file(
            [(x, y, HOLE_DRILL_MM) for x, y in HOLES_MM], plated=False
        ),
        "reedgate-placement.csv": _placement_table(),
        "reedgate-bill.csv": _bill_table(),
    }
    for layer, side in ((0, "top"), (1, "bottom")):
        here = [pad for pad in pads if pad.layer == layer]
        files[f"reedgate-mask-{side}.gbr"] = _flashes(
            here, f"Soldermask,{side[:3].title()}", MASK_SWELL_MM, panes=False
        )
        files[f"reedgate-paste-{side}.gbr"] = _flashes(
            here, f"Paste,{side[:3].title()}", 0.0, panes=True
        )
        files[f"reedgate-legend-{side}.gbr"] = _legend(layer, side)
    return files


def _all_pads() -> list[_PlacedPad]:
    return [pad for part in PARTS for pad in _pads_of(part)]


def _pads_of(part: DemoPart) -> list[_PlacedPad]:
    nets = part.nets.split()
    turn = math.radians(part.rotation_deg)
    pads = []
    for land, net in zip(package_named(part.package).lands, nets, strict=True):
        u = land.x_mm * math.cos(turn) - land.y_mm * math.sin(turn)
        v = land.x_mm * math.sin(turn) + land.y_mm * math.cos(turn)
        across = round(part.rotation_deg / 90) % 2 == 1
        half = (
            (land.size_y_mm / 2, land.size_x_mm / 2)
            if across
            else (land.size_x_mm / 2, land.size_y_mm / 2)
        )
        x = part.x_mm + (u if part.side == "top" else -u)
        pads.append(
            _PlacedPad(
                part=part,
                land=land,
                x_mm=round(x, 4),
                y_mm=round(part.y_mm + v, 4),
                half_x=half[0],
                half_y=half[1],
                net=net,
                layer=0 if part.side == "top" else 1,
            )
        )
    return pads


# --- routing
# -----------------------------------------------------------------------------------------------------


def _route(pads: list[_PlacedPad]) -> _Copper:
    """Route all nets, long ones first; a net may run through another, which is then routed again at
    a price.
    """
    numbers = {net: index + 1 for index, net in enumerate(sorted({pad.net for pad in pads}))}
    names = {number: net for net, number in numbers.items()}
    router, copper = Router(WIDTH_MM, HEIGHT_MM), _Copper()
    for index, pad in enumerate(pads):
        own = numbers[pad.net] if pad.net != "-" else 100_000 + index
        router.block(own, (pad.layer,), pad.x_mm, y=pad.y_mm, half_x=pad.half_x, half_y=pad.half_y)
        if not pad.solid:
            router.no_via(pad.x_mm, pad.y_mm, pad.half_x, pad.half_y)
    for x, y in HOLES_MM:
        router.block(
            99_999, (0, 1), x, y=y, half_x=HOLE_DRILL_MM / 2 + 0.3, half_y=HOLE_DRILL_MM / 2 + 0.3
        )
    _tab_vias(pads, router, copper, numbers["GND"])
    hemmed_in = [pad for pad in pads if (pad.part.ref, pad.land.pin) in HEMMED_IN]
    _ground_drops(hemmed_in, router, copper, numbers["GND"])
    queue = sorted(
        (net for net in numbers if net not in ("-", "GND")), key=lambda net: -_span(net, pads)
    )
    laid: dict[int, list[list[Node]]] = {}
    for _ in range(MOST_TRIES):
        if not queue:
            break
        net = queue.pop(0)
        paths = _paths_of(
            net, numbers[net], [pad for pad in pads if pad.net == net], router, copper
        )
        while rivals := set().union(*(router.in_the_way(numbers[net], path) for path in paths)):
            for rival in rivals:
                laid.pop(rival, None)
                queue.append(names[rival])
            router.relay(laid)
        laid[numbers[net]] = paths
        router.relay(laid)
    copper.unrouted += queue
    for number, paths in laid.items():
        for path in paths:
            _keep_path(number, path, router, copper, names[number])
    _ground_drops([pad for pad in pads if pad not in hemmed_in], router, copper, numbers["GND"])
    _stitch(router, copper, numbers["GND"])
    return copper


def _span(net: str, pads: list[_PlacedPad]) -> float:
    mine = [pad for pad in pads if pad.net == net]
    return (
        max(p.x_mm for p in mine)
        - min(p.x_mm for p in mine)
        + max(p.y_mm for p in mine)
        - min(p.y_mm for p in mine)
    )


def _tab_vias(pads: list[_PlacedPad], router: Router, copper: _Copper, number: int) -> None:
    for pad in pads:
        if pad.solid and pad.net == "GND":
            step = 1.25
            for i in range(-1, 2):
                for j in range(-1, 2):
                    if abs(i * step) < pad.half_x - 0.3 and abs(j * step) < pad.half_y - 0.3:
                        x, y = (
                            round((centre + k * step) / grid.PITCH_MM) * grid.PITCH_MM
                            for centre, k in ((pad.x_mm, i), (pad.y_mm, j))
                        )
                        _drop_via("GND", number, x, y=y, router=router, copper=copper)


def _drop_via(net: str, number: int, x: float, y: float, router: Router, copper: _Copper) -> None:
    copper.vias.append((net, x, y))
    router.block(number, (0, 1), x, y=y, half_x=grid.VIA_MM / 2, half_y=grid.VIA_MM / 2)


def _ground_drops(pads: list[_PlacedPad], router: Router, copper: _Copper, number: int) -> None:
    """Each ground pad without a tab gets its own via nearby, as a careful designer would give it."""
    free = (0, number)
    for pad in pads:
        if pad.net != "GND" or pad.solid:
            continue
        sources = set(router.pad_nodes(pad.layer, pad.x_mm, pad.y_mm, pad.half_x, pad.half_y))
        ring = []
        for _, y, x in sources:
            for dy in range(-8, 9):
                for dx in range(-8, 9):
                    iy, ix = y + dy, x + dx
                    clear = (
                        0 <= iy < router.ny and 0 <= ix < router.nx and router.via[iy, ix] in free
                    )
                    outside = max(
                        abs(ix * grid.PITCH_MM - pad.x_mm) - pad.half_x,
                        abs(iy * grid.PITCH_MM - pad.y_mm) - pad.half_y,
                    )
                    if clear and outside >= grid.VIA_MM / 2 + 0.1:
                        ring.append((outside + 0.05 * math.hypot(dx, dy), (pad.layer, iy, ix)))
        for _, node in sorted(ring)[:6]:
            path = router.connect(number, sources, {node})
            if path and all(step[0] == pad.layer for step in path) and len(path) < 16:
                _keep_path(number, path, router, copper)
                _drop_via(
                    "GND",
                    number,
                    node[2] * grid.PITCH_MM,
                    y=node[1] * grid.PITCH_MM,
                    router=router,
                    copper=copper,
                )
                break


def _keep_path(
    number: int, path: list[Node], router: Router, copper: _Copper, net: str = "GND"
) -> None:
    tracks, vias = router.take(number, path)
    copper.tracks += [(number, layer, points) for layer, points in tracks]
    copper.vias += [(net, x, y) for x, y in vias]


def _paths_of(
    net: str, number: int, pads: list[_PlacedPad], router: Router, copper: _Copper
) -> list[list[Node]]:
    """Paths that join the net's pads into a tree, nearest pad next."""
    nodes = [
        set(router.pad_nodes(pad.layer, pad.x_mm, pad.y_mm, pad.half_x, pad.half_y)) for pad in pads
    ]
    tree, rest, done = set(nodes[0]), list(range(1, len(pads))), [0]
    paths = []
    while rest:
        rest.sort(
            key=lambda i: min(
                abs(pads[i].x_mm - pads[j].x_mm) + abs(pads[i].y_mm - pads[j].y_mm) for j in done
            )
        )
        index = rest.pop(0)
        path = router.connect(number, tree, nodes[index])
        if path is None:
            copper.unrouted.append(f"{net} to {pads[index].part.ref}.{pads[index].land.pin}")
            continue
        paths.append(path)
        tree |= set(path) | nodes[index]
        done.append(index)
    return paths


def _stitch(router: Router, copper: _Copper, number: int) -> None:
    for iy in range(8, router.ny - 8, 14):
        for ix in range(8, router.nx - 8, 14):
            if (
                router.via[iy, ix] == 0
                and router.track[0, iy, ix] == 0
                and router.track[1, iy, ix] == 0
            ):
                _drop_via(
                    "GND",
                    number,
                    ix * grid.PITCH_MM,
                    y=iy * grid.PITCH_MM,
                    router=router,
                    copper=copper,
                )


# --- layers
# ------------------------------------------------------------------------------------------------------


def _copper_layer(pads: list[_PlacedPad], copper: _Copper, layer: int) -> bytes:
    ground = sorted({pad.net for pad in pads}).index("GND") + 1
    writer = GerberWriter(f"Copper,L{layer + 1},{'Top' if layer == 0 else 'Bot'}")
    here = [pad for pad in pads if pad.layer == layer]
    for piece in _pour(here, copper, layer, ground):
        writer.region_with_holes(piece)
    for _, on, points in copper.tracks:
        if on == layer:
            writer.stroke(points, grid.TRACK_MM)
    for _, x, y in copper.vias:
        writer.flash_circle(x, y, grid.VIA_MM)
    for pad in here:
        net = f"%TO.N,{pad.net}*%\n" if pad.net != "-" else ""
        writer.flash_rectangle(
            pad.x_mm,
            pad.y_mm,
            2 * pad.half_x,
            2 * pad.half_y,
            f"%TO.P,{pad.part.ref},{pad.land.pin}*%\n{net}",
        )
    return writer.finish()


def _pour(
    here: list[_PlacedPad], copper: _Copper, layer: int, ground: int
) -> list[shapely.Polygon]:
    """The ground plane: clear of other nets, spokes to ground pads, islands without ground dropped."""
    tracks = [
        LineString(points).buffer(grid.TRACK_MM / 2 + POUR_CLEARANCE_MM)
        for number, on, points in copper.tracks
        if on == layer and number != ground
    ]
    keep_off, anchors = _round_the_pour(here, copper)
    plain = (
        box(0.5, 0.5, WIDTH_MM - 0.5, HEIGHT_MM - 0.5)
        .difference(shapely.union_all([*keep_off, *tracks]))
        .buffer(-0.12)
        .buffer(0.12, quad_segs=4)
    )
    foreign = [pad.shape.buffer(POUR_CLEARANCE_MM) for pad in here if pad.net != "GND"]
    spokes = [spoke for pad in here if pad.net == "GND" and not pad.solid for spoke in _spokes(pad)]
    reliefs = shapely.union_all(spokes).difference(shapely.union_all([*foreign, *tracks]))
    poured = plain.union(reliefs)
    grounded = shapely.union_all(anchors)
    pieces = [
        piece
        for piece in getattr(poured, "geoms", [poured])
        if piece.intersects(grounded) and piece.area > 0.3
    ]
    return [
        shapely.simplify(piece, 0.01) for piece in sorted(pieces, key=lambda piece: -piece.area)
    ]


def _round_the_pour(
    here: list[_PlacedPad], copper: _Copper
) -> tuple[list[BaseGeometry], list[BaseGeometry]]:
    """What the plane keeps off (holes, vias and pads of other nets, pads on spokes), and what it is
    anchored to.
    """
    keep_off: list[BaseGeometry] = [
        Point(x, y).buffer(HOLE_DRILL_MM / 2 + 0.5) for x, y in HOLES_MM
    ]
    anchors: list[BaseGeometry] = []
    for net, x, y in copper.vias:
        (anchors if net == "GND" else keep_off).append(
            Point(x, y).buffer(grid.VIA_MM / 2 + (0 if net == "GND" else POUR_CLEARANCE_MM))
        )
    for pad in here:
        if pad.net == "GND" and pad.solid:
            anchors.append(pad.shape)
        else:
            keep_off.append(pad.shape.buffer(POUR_CLEARANCE_MM, join_style="mitre"))
    return keep_off, anchors


def _spokes(pad: _PlacedPad) -> tuple[BaseGeometry, BaseGeometry]:
    """A cross over a ground pad, across its clearance."""
    reach, half = POUR_CLEARANCE_MM + 0.15, SPOKE_MM / 2
    x, y = pad.x_mm, pad.y_mm
    return (
        box(x - pad.half_x - reach, y - half, x + pad.half_x + reach, y + half),
        box(x - half, y - pad.half_y - reach, x + half, y + pad.half_y + reach),
    )


def _flashes(pads: list[_PlacedPad], function: str, swell: float, panes: bool) -> bytes:
    writer = GerberWriter(function)
    for pad in pads:
        width, height = 2 * (pad.half_x + swell), 2 * (pad.half_y + swell)
        if panes and pad.land.kind in (JointKind.THERMAL_PAD, JointKind.TAB):
            count = 2 if pad.land.area_mm2 < 12 else 3
            for i in range(count):
                for j in range(count):
                    x = pad.x_mm + (i - (count - 1) / 2) * width / count
                    y = pad.y_mm + (j - (count - 1) / 2) * height / count
                    writer.flash_rectangle(x, y, 0.78 * width / count, 0.78 * height / count)
        else:
            writer.flash_rectangle(pad.x_mm, pad.y_mm, width, height)
    return writer.finish()


def _outline() -> bytes:
    writer = GerberWriter("Profile,NP")
    r, w, h = 2.0, WIDTH_MM, HEIGHT_MM
    shape = box(r, r, w - r, h - r).buffer(r, quad_segs=12)
    writer.stroke([(x, y) for x, y in shape.exterior.coords], 0.1)
    return writer.finish()


def _legend(layer: int, side: str) -> bytes:
    writer = GerberWriter(f"Legend,{side[:3].title()}")
    for part in PARTS:
        if part.side != side:
            continue
        package = package_named(part.package)
        frame = box(
            -package.body_x_mm / 2,
            -package.body_y_mm / 2,
            package.body_x_mm / 2,
            package.body_y_mm / 2,
        ).buffer(0.1, join_style="mitre")
        turned = affinity.translate(
            affinity.rotate(frame, part.rotation_deg, origin=(0, 0)), part.x_mm, part.y_mm
        )
        if len(package.lands) > 2:
            writer.stroke([(x, y) for x, y in turned.exterior.coords], 0.12)
        y = turned.bounds[3] + 0.9
        for line in write(part.ref, part.x_mm, y, 0.9, mirrored=layer == 1):
            writer.stroke(line, 0.12)
    return writer.finish()


def _placement_table() -> bytes:
    rows = ["Ref,Value,Package,X (mm),Y (mm),Rotation,Side"]
    rows += [
        f'{p.ref},"{p.value}",{p.package},{p.x_mm:.3f},{p.y_mm:.3f},{p.rotation_deg:g},{p.side}'
        for p in PARTS
    ]
    return ("\n".join(rows) + "\n").encode()


def _bill_table() -> bytes:
    kinds: dict[tuple[str, str], list[str]] = {}
    for part in PARTS:
        kinds.setdefault((part.value, part.package), []).append(part.ref)
    rows = ["References;Value;Package;Count"]
    rows += [
        f'"{", ".join(refs)}";{value};{package};{len(refs)}'
        for (value, package), refs in kinds.items()
    ]
    return ("\n".join(rows) + "\n").encode()


def write_board_files(folder: Path) -> None:
    """Write the files into a folder (the ones kept beside this module were made so)."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, data in make_board_files().items():
        (folder / name).write_bytes(data)


if __name__ == "__main__":
    write_board_files(Path(__file__).parent / "board")
