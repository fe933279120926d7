"""Boards made of every package of the catalogue, written without any name, placement or pin: what
can be made of their bare pads? And the score of an answer.

Tracks leave the pads (the mask bares a bit of them), pads are flashed or drawn as regions, the mask
has webs between pins or one window over a row.
"""

import math
import random
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace

import shapely
from shapely.affinity import rotate

from yellowfen.core.board.board import Board, BoardPart, Pad
from yellowfen.core.board.sketch import Sketch, SketchedPart, board_of
from yellowfen.core.part.catalogue import PALETTE, find_package
from yellowfen.core.part.package import Package
from yellowfen.formats.board_out import HEAD, at, contour, region

MORE = (
    *("TSSOP-8", "TSSOP-14", "TSSOP-28", "SSOP-28", "MSOP-12", "SOIC-28W", "TSOP2-54", "SOIC-20"),
    *("QFP-144", "QFP-208", "PLCC-20", "PLCC-68", "QFN-44_8x8", "QFN-64_9x9", "QFN-12_3x3"),
    *("DFN-6_2x2_P0.65", "DFN-10_3x3_P0.5", "BGA-100_P0.5", "BGA-256_P1.0", "BGA-49_P0.4"),
    *(
        "CONN-20-1.0",
        "FLATCABLE-40-0.5",
        "MINIMELF",
        "SOD-523",
        "SMC",
        "SOT-323",
        "PLED-6",
        "01005",
    ),
)
NAMES = tuple(dict.fromkeys([*(one for names in PALETTE.values() for one in names), *MORE]))
_ROOM_MM, _WIDTH_MM = 2.5, 120.0


@dataclass(frozen=True)
class Case:
    """How a board of patterns is made; `makers` how far land patterns stray from the catalogue's:
    lands longer or shorter by up to that share, out from the body.
    """

    angle_deg: float = 0.0
    side: str = "top"
    tracks: bool = True
    webs: bool = True
    flashed: bool = True
    seed: int = 1
    makers: float = 0.0


def drawn_board(case: Case, names: Sequence[str] = NAMES) -> Board:
    """The board with its truth: each package once, in random order."""
    chance = random.Random(case.seed)
    order = list(names)
    chance.shuffle(order)
    placed = []
    x, y, tallest = 0.0, 0.0, 0.0
    for number, name in enumerate(order):
        package = find_package(name)
        assert package is not None
        reach = _reach(package)
        if x + reach > _WIDTH_MM:
            x, y, tallest = 0.0, y + tallest, 0.0
        tallest = max(tallest, reach)
        turned = (case.angle_deg + 90 * chance.randrange(4)) % 360
        placed.append(
            SketchedPart(
                ref=f"T{number}",
                package=name,
                x_mm=x + reach / 2 + 3,
                y_mm=y + reach / 2 + 3,
                rotation_deg=turned,
                side=case.side,
            )
        )
        x += reach
    sketch = Sketch(
        name="patterns", width_mm=_WIDTH_MM + 6, height_mm=y + tallest + 6, parts=tuple(placed)
    )
    return _as_made(board_of(sketch), case, chance) if case.makers else board_of(sketch)


def _as_made(board: Board, case: Case, chance: random.Random) -> Board:
    """The board with lands as another maker draws them: the toe farther out or in, all of a part
    alike; lands beneath bodies as they are.
    """
    shares = {part.ref: chance.uniform(-case.makers, case.makers) for part in board.parts}
    middles = {part.ref: (part.x_mm, part.y_mm) for part in board.parts}
    return replace(
        board,
        pads=tuple(_toed(pad, middles[pad.ref or ""], shares[pad.ref or ""]) for pad in board.pads),
    )


def _toed(pad: Pad, middle: tuple[float, float], share: float) -> Pad:
    long, short = max(pad.size_x_mm, pad.size_y_mm), min(pad.size_x_mm, pad.size_y_mm)
    if (long < 1.05 * short and math.dist(middle, (pad.x_mm, pad.y_mm)) < 0.1) or long == short:
        return pad
    angle = math.radians(pad.angle_deg + (0 if pad.size_x_mm >= pad.size_y_mm else 90))
    along = (math.cos(angle), math.sin(angle))
    out = (pad.x_mm - middle[0]) * along[0] + (pad.y_mm - middle[1]) * along[1]
    if abs(out) < 0.3 * long:
        return pad
    sign = math.copysign(1.0, out)
    more = share * long
    x, y = pad.x_mm + sign * along[0] * more / 2, pad.y_mm + sign * along[1] * more / 2
    half, wide = (long + more) / 2, short / 2
    across = (-along[1], along[0])
    ring = tuple(
        (
            x + a * half * along[0] + b * wide * across[0],
            y + a * half * along[1] + b * wide * across[1],
        )
        for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))
    )
    lengthwise = pad.size_x_mm >= pad.size_y_mm
    sizes = (2 * half, 2 * wide) if lengthwise else (2 * wide, 2 * half)
    return replace(
        pad,
        x_mm=x,
        y_mm=y,
        size_x_mm=sizes[0],
        size_y_mm=sizes[1],
        ring=ring,
        area_mm2=4 * half * wide,
    )


def _reach(package: Package) -> float:
    """The circle a part needs however it is turned, and room round it, mm."""
    lands = max(
        math.hypot(abs(one.x_mm) + one.size_x_mm / 2, abs(one.y_mm) + one.size_y_mm / 2)
        for one in package.lands
    )
    return 2 * max(lands, math.hypot(package.body_x_mm, package.body_y_mm) / 2) + _ROOM_MM


def nameless_files(board: Board, case: Case) -> dict[str, bytes]:
    """The board's copper, mask, paste and outline, without a word of what is what."""
    chance = random.Random(case.seed + 1)
    word = {"top": ("L1", "Top"), "bottom": ("L2", "Bot")}[case.side]
    pads = board.pads
    middles = {part.ref: (part.x_mm, part.y_mm) for part in board.parts}
    pens: dict[str, int] = {"C,0.200000": 10}
    body = []
    for pad in pads:
        if case.flashed:
            shape = f"R,{pad.size_x_mm:.4f}X{pad.size_y_mm:.4f}"
            number = pens.setdefault(shape, 10 + len(pens))
            body.append(
                f"%LR{pad.angle_deg:g}*%\nD{number}*\n{at((pad.x_mm, pad.y_mm), 'D03')}%LR0*%\n"
            )
        else:
            body.append(region(pad.ring))
        if case.tracks:
            body.append(_track(pad, middles[pad.ref or ""], chance))
    copper = "".join(f"%ADD{number}{shape}*%\n" for shape, number in pens.items()) + "".join(body)
    windows = _windows(board, case.webs)
    width, height = board.width_mm, board.height_mm
    edge = contour(((0, 0), (width, 0), (width, height), (0, height)))
    return {
        "edge.gbr": f"{HEAD}%TF.FileFunction,Profile,NP*%\n%ADD10C,0.05*%\nD10*\n{edge}M02*\n".encode(),
        "copper.gbr": f"{HEAD}%TF.FileFunction,Copper,{word[0]},{word[1]}*%\n{copper}M02*\n".encode(),
        "mask.gbr": f"{HEAD}%TF.FileFunction,Soldermask,{word[1]}*%\n{''.join(map(region, windows))}M02*\n".encode(),
        "paste.gbr": f"{HEAD}%TF.FileFunction,Paste,{word[1]}*%\n{''.join(region(_shrunk(pad)) for pad in pads)}M02*\n".encode(),
    }


def _track(pad: Pad, middle: tuple[float, float], chance: random.Random) -> str:
    """A track from the middle of a pad along it, away from the part; none from pads beneath a body,
    where holes lead away. One in five leaves sideways, as tracks of chips do.
    """
    away = (pad.x_mm - middle[0], pad.y_mm - middle[1])
    if math.hypot(*away) < 0.1 or abs(pad.size_x_mm - pad.size_y_mm) < 0.01 < pad.size_x_mm < 0.7:
        return ""
    lengthwise = math.radians(pad.angle_deg + (0 if pad.size_x_mm >= pad.size_y_mm else 90))
    if max(pad.size_x_mm, pad.size_y_mm) < 1.3 * min(pad.size_x_mm, pad.size_y_mm):
        lengthwise += math.radians(90 * chance.randrange(2))
    along = (math.cos(lengthwise), math.sin(lengthwise))
    if along[0] * away[0] + along[1] * away[1] < 0:
        along = (-along[0], -along[1])
    far = max(pad.size_x_mm, pad.size_y_mm) / 2 + 0.6
    end = (pad.x_mm + far * along[0], pad.y_mm + far * along[1])
    return "D10*\n" + at((pad.x_mm, pad.y_mm), "D02") + at(end, "D01")


def _shrunk(pad: Pad) -> tuple[tuple[float, float], ...]:
    return tuple(
        (pad.x_mm + 0.96 * (x - pad.x_mm), pad.y_mm + 0.96 * (y - pad.y_mm)) for x, y in pad.ring
    )


def _windows(board: Board, webs: bool) -> list[tuple[tuple[float, float], ...]]:
    """Openings of the mask 0.07 mm larger than the pads; without webs one for each row of pins."""
    by_part: dict[str, list[shapely.Polygon]] = defaultdict(list)
    for pad in board.pads:
        room = 0.07 if webs else 0.3
        by_part[pad.ref or ""].append(shapely.Polygon(pad.ring).buffer(room, join_style="mitre"))
    out = []
    for shapes in by_part.values():
        if webs:
            out += shapes
            continue
        joined = shapely.union_all(shapes)
        out += list(getattr(joined, "geoms", [joined]))
    return [tuple(one.exterior.coords)[:-1] for one in out]


@dataclass(frozen=True)
class Score:
    """Of `parts`: how many have their own pads and no other's, their family, count, pitch, turn;
    how many bodies lie over another; how many pads belong to nothing.
    """

    parts: int
    right: int
    overlaps: int
    orphans: int
    wrong: tuple[str, ...] = ()


def score(truth: Board, found: Board) -> Score:
    """What was made out of the pads, against what stands there; a part without any paste (pins in
    holes, mounting holes) is not asked for.
    """
    owner = {one: pad.ref for one, pad in zip(_keys(truth), truth.pads, strict=True) if pad.ref}
    near = shapely.STRtree([shapely.Point(x, y) for x, y, _ in owner])
    names = list(owner.values())
    mine: dict[str, set[str]] = defaultdict(set)
    count: dict[str, int] = defaultdict(int)
    orphans = 0
    for pad in found.pads:
        true = names[int(near.nearest(shapely.Point(pad.x_mm, pad.y_mm)))]
        if pad.ref is None:
            orphans += 1
            continue
        mine[true].add(pad.ref)
        count[pad.ref] += 1
    parts = {part.ref: part for part in found.parts}
    pasted = {pad.ref for pad in truth.pads if pad.paste_mm2 > 0}
    meant = [part for part in truth.parts if part.ref in pasted]
    wrong = []
    for part in meant:
        if len(mine[part.ref]) != 1:
            wrong.append(f"{part.package.name}: {len(mine[part.ref])} parts")
            continue
        (ref,) = mine[part.ref]
        said = _differs(part, parts[ref], count[ref])
        if said:
            wrong.append(f"{part.package.name}: {said}")
    bodies = [_body(part) for part in found.parts]
    pairs = shapely.STRtree(bodies).query(bodies, predicate="overlaps").T
    over = sum(1 for a, b in pairs.tolist() if a < b)
    return Score(len(meant), len(meant) - len(wrong), over, orphans, tuple(wrong))


def _keys(board: Board) -> list[tuple[float, float, str]]:
    return [(pad.x_mm, pad.y_mm, pad.side) for pad in board.pads]


def _differs(true: BoardPart, found: BoardPart, pads: int) -> str:
    """What is wrong with a part, empty when nothing is. Outlines with the same lands (a chip and a
    chip LED, two tantalum heights) cannot be told apart and count as the same.
    """
    if pads != len(true.package.lands):
        return f"{pads} pads of {len(true.package.lands)}"
    if found.package.family != true.package.family and not _same_lands(true.package, found):
        return f"taken for {found.package.name}"
    pitch, own = found.package.pitch_mm, true.package.pitch_mm
    if len(true.package.lands) > 2 and abs(pitch - own) > 0.05 * own:
        return f"pitch {pitch:.2f} for {own:.2f}"
    square = abs(true.package.body_x_mm - true.package.body_y_mm) < 0.05
    turn = (found.rotation_deg - true.rotation_deg) % (90 if square else 180)
    return f"turned by {turn:.0f}" if 3 < turn < (87 if square else 177) else ""


def _same_lands(true: Package, found: BoardPart) -> bool:
    other = find_package(found.footprint)
    if other is None or len(other.lands) != len(true.lands):
        return False
    return all(
        math.dist(
            (a.x_mm, a.y_mm, a.size_x_mm, a.size_y_mm), (b.x_mm, b.y_mm, b.size_x_mm, b.size_y_mm)
        )
        < 0.02
        for a, b in zip(true.lands, other.lands, strict=True)
    )


def _body(part: BoardPart) -> shapely.Polygon:
    x, y = part.package.body_x_mm / 2 - 0.15, part.package.body_y_mm / 2 - 0.15
    box = shapely.box(part.x_mm - x, part.y_mm - y, part.x_mm + x, part.y_mm + y)
    turn = part.rotation_deg if part.side == "top" else -part.rotation_deg
    return rotate(box, turn, origin=(part.x_mm, part.y_mm))
