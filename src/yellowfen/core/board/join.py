"""Joining pads to parts: a placed part finds its own pads, by its package's lands or, failing that,
by nearness.

Laws: a pad belongs to one part at most; a part whose pads are not where its package says keeps its
place and says so; turning the package by quarter turns is tried and, where it fits better,
reported; a name that means two sizes (imperial or metric) is settled by the pads and said.
"""

import math
import re
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.board import BoardPart, Finding, Pad
from yellowfen.core.part.catalogue import unknown_body, with_exposed_pad
from yellowfen.core.part.library import BUILT_IN, Library
from yellowfen.core.part.package import JointKind, Land, Package, with_lands
from yellowfen.core.quantity.wording import counted

_CELL_MM = 2.0
_STRAY_MM = 2.5
_MOVED_MM = 0.3


def plain_ref(name: str) -> str:
    """A part's name as it can stand in a list of names: without spaces, commas or semicolons, 40
    signs at most.
    """
    return re.sub("[,;]", "_", "".join(name.split()))[:40]


@dataclass(frozen=True, kw_only=True)
class Placement:
    """One row of a placement table, in board millimetres."""

    ref: str
    value: str
    footprint: str
    x_mm: float
    y_mm: float
    rotation_deg: float
    side: str
    fitted: bool = True


@dataclass(frozen=True)
class Joined:
    """Parts with their pads, pads with their parts, and remarks; `turns` are the quarter turns
    found beyond the table's, by side.
    """

    parts: tuple[BoardPart, ...]
    pads: tuple[Pad, ...]
    findings: tuple[Finding, ...]
    turns: dict[str, list[int]]


class _Free:
    """Pads that no part has yet, by side and place."""

    def __init__(self, pads: Sequence[Pad]) -> None:
        self.pads = dict(enumerate(pads))
        self.places = np.array([(pad.x_mm, pad.y_mm) for pad in pads]).reshape(-1, 2)
        cells: dict[tuple[str, int, int], list[int]] = defaultdict(list)
        corners = (self.places // _CELL_MM).astype(int).tolist()
        for index, (pad, corner) in enumerate(zip(pads, corners, strict=True)):
            cells[(pad.side, *corner)].append(index)
        self.cells = {key: np.array(mine) for key, mine in cells.items()}
        self.taken = np.zeros(len(pads), dtype=bool)

    def take(self, index: int) -> Pad:
        """That pad, which is free no longer."""
        self.taken[index] = True
        return self.pads.pop(index)

    def near(self, side: str, x: float, y: float, reach: float) -> NDArray[np.int64]:
        """Free pads within a square of that half side."""
        found = [
            mine
            for cx in range(int((x - reach) // _CELL_MM), int((x + reach) // _CELL_MM) + 1)
            for cy in range(int((y - reach) // _CELL_MM), int((y + reach) // _CELL_MM) + 1)
            if (mine := self.cells.get((side, cx, cy))) is not None
        ]
        if not found:
            return np.zeros(0, np.int64)
        every = np.concatenate(found)
        inside = (np.abs(self.places[every] - (x, y)) < reach).all(axis=1)
        free: NDArray[np.int64] = every[inside & ~self.taken[every]]
        return free


@dataclass(kw_only=True)
class _Work:
    """What joining carries along."""

    free: _Free
    library: Library
    owner: dict[int, tuple[str, str]]
    parts: dict[str, BoardPart]
    findings: list[Finding]
    turns: dict[str, list[int]]


def join(
    placements: Sequence[Placement],
    pads: Sequence[Pad],
    library: Library = BUILT_IN,
    holes: Sequence[Pad] = (),
) -> Joined:
    """Give every placement its pads; pins in holes find the lands of holes.

    Known packages first, the smallest of them first; unknown ones take what is left.
    """
    work = _Work(
        free=_Free(pads), library=library, owner={}, parts={}, findings=[], turns=defaultdict(list)
    )
    rest = _already_named(placements, work, holes)
    known, late = [], []
    drilled = _Free(holes)
    for placed in rest:
        in_holes = _in_holes(placed, library, drilled)
        if in_holes is not None:
            work.parts[placed.ref] = in_holes
            continue
        found = [package for package in library.candidates(placed.footprint) if package.lands]
        if found:
            known.append((placed, found))
        else:
            late.append((placed, library.find(placed.footprint)))
    known.sort(key=lambda pair: pair[1][0].body_x_mm * pair[1][0].body_y_mm)
    for placed, packages in known:
        if not _claim_best(placed, packages, work):
            late.append((placed, packages[0]))
    rivals = _rivals([placed for placed, _ in late])
    for placed, package in late:
        work.parts[placed.ref] = _by_nearness(placed, package, rivals, work)
    for ref in tuple(work.parts):
        _take_pad_beneath(ref, work)
    named = tuple(
        pad.of_part(*work.owner[i]) if i in work.owner else pad for i, pad in enumerate(pads)
    )
    return Joined(tuple(work.parts.values()), named, tuple(work.findings), dict(work.turns))


LEAST_BENEATH = 0.08  # of the body's area: less is a test point
_CLEAR_MM = 0.15  # between a pad beneath and the leads' lands


def _lies_beneath(package: Package, x: float, y: float, size: tuple[float, float]) -> bool:
    """True for a pad, in the part's own frame, that lies whole under a leaded body, between its rows,
    over or near its middle.
    """
    leads = [land for land in package.lands if land.kind is not JointKind.THERMAL_PAD]
    if len(leads) < 6 or size[0] * size[1] < LEAST_BENEATH * package.body_x_mm * package.body_y_mm:
        return False
    if any(land.kind not in (JointKind.GULL_WING, JointKind.J_LEAD) for land in leads):
        return False
    inside = (
        abs(x) + size[0] / 2 <= package.body_x_mm / 2
        and abs(y) + size[1] / 2 <= package.body_y_mm / 2
        and abs(x) <= package.body_x_mm / 4
        and abs(y) <= package.body_y_mm / 4
    )
    return inside and all(
        abs(x - land.x_mm) >= (size[0] + land.size_x_mm) / 2 + _CLEAR_MM
        or abs(y - land.y_mm) >= (size[1] + land.size_y_mm) / 2 + _CLEAR_MM
        for land in leads
    )


def _take_pad_beneath(ref: str, work: _Work) -> None:
    """A free pad under a leaded body whose package has none is its exposed pad: hidden, and the last
    to melt. What the copper shows is believed over the name.
    """
    part = work.parts[ref]
    package = part.package
    if any(land.kind is JointKind.THERMAL_PAD for land in package.lands) or not part.joined:
        return
    placed = Placement(
        ref=ref,
        value="",
        footprint="",
        x_mm=part.x_mm,
        y_mm=part.y_mm,
        rotation_deg=part.rotation_deg,
        side=part.side,
    )
    reach = max(package.body_x_mm, package.body_y_mm) / 2
    found = []
    for index in work.free.near(part.side, part.x_mm, part.y_mm, reach):
        land = _land_of(placed, 0.0, "EP", work.free.pads[int(index)], JointKind.THERMAL_PAD)
        if _lies_beneath(package, land.x_mm, land.y_mm, (land.size_x_mm, land.size_y_mm)):
            found.append((int(index), land))
    if len(found) != 1:
        return
    (index, land), count = found[0], len(package.lands)
    land = replace(land, pin=str(count + 1))
    work.free.take(index)
    work.owner[index] = (ref, land.pin)
    whole = with_lands(with_exposed_pad(package), (*package.lands, land))
    work.parts[ref] = replace(part, package=whole)
    said = f"a pad lies under it that {package.name} does not have: read as an exposed pad, soldered and hidden"
    work.findings.append(Finding(ref, said))


def _in_holes(placed: Placement, library: Library, drilled: _Free) -> BoardPart | None:
    """A part whose pins all stand in holes, on the lands that lie there; None for other parts and
    where the holes do not fit.
    """
    for package in library.candidates(placed.footprint):
        if not package.lands or any(
            land.kind is not JointKind.THROUGH_HOLE for land in package.lands
        ):
            continue
        fit = _best_turn(placed, package, drilled)
        if fit is not None and len(fit[1]) == len(package.lands):
            turned = replace(placed, rotation_deg=(placed.rotation_deg + fit[0]) % 360)
            return _part(turned, package, True, "pins in holes")
    return None


def _already_named(
    placements: Sequence[Placement], work: _Work, holes: Sequence[Pad]
) -> list[Placement]:
    """Parts whose pads carry their name and pin already (layer attributes, netlist, proposals) are
    taken as they are; returns the rest.

    A part's pads are those of its own side; a through-hole part's lands on the other face keep its
    name and belong to no body there. A guessed body reaches over the part's lands of `holes` too.
    """
    tabs: dict[tuple[str | None, str], list[Pad]] = defaultdict(list)
    for hole in holes:
        tabs[hole.ref, hole.side].append(hole)
    named: dict[tuple[str, str], list[int]] = defaultdict(list)
    for index, pad in work.free.pads.items():
        if pad.ref is not None:
            named[(pad.ref, pad.side)].append(index)
    rest: list[Placement] = []
    moved: list[str] = []
    for placed in placements:
        mine = named.pop((placed.ref, placed.side), [])
        if len(mine) < 2:
            rest.append(placed)
            continue
        pads = [work.free.take(index) for index in mine]
        package = _closest(work.library.candidates(placed.footprint), pads)
        if package and package.lands:
            seated = _seated(placed, package, pads)
            turn = round(seated.rotation_deg - placed.rotation_deg) % 360
            if len(package.lands) > 2:
                work.turns[placed.side].append(turn)
            if turn or math.hypot(seated.x_mm - placed.x_mm, seated.y_mm - placed.y_mm) > _MOVED_MM:
                moved.append(placed.ref)
                placed = seated
        if package and package.lands and len(package.lands) != len(mine):
            said = f"{counted(len(mine), 'pad is', 'pads are')} its own, {package.name} has {len(package.lands)}; the pads were used"
            work.findings.append(Finding(placed.ref, said))
        kinds = {land.pin: land.kind for land in package.lands} if package else {}
        usual = package.lands[0].kind if package and package.lands else JointKind.GULL_WING
        lands = []
        for index, pad in zip(mine, pads, strict=True):
            work.owner[index] = (placed.ref, pad.pin or "?")
            land = _land_of(placed, 0.0, pad.pin or "?", pad, kinds.get(pad.pin or "?", usual))
            size = (land.size_x_mm, land.size_y_mm)
            if (
                package
                and land.pin not in kinds
                and _lies_beneath(package, land.x_mm, land.y_mm, size)
            ):
                land = replace(land, kind=JointKind.THERMAL_PAD)
            lands.append(land)
        pegs = tabs[placed.ref, placed.side]
        if package is None:
            over = (
                _land_of(placed, 0.0, hole.pin or "?", hole, JointKind.THROUGH_HOLE)
                for hole in pegs
            )
            whole = unknown_body(tuple(lands), over=tuple(over))
        else:
            whole = with_lands(package, tuple(lands))
        part = _part(placed, whole, True, "" if package else "body guessed")
        work.parts[placed.ref] = replace(part, in_holes=len(pegs))
    if moved and any(placed.footprint for placed in placements):
        said = f"{', '.join(moved[:12])}{' and more' if len(moved) > 12 else ''}: the pads named in the layers lie elsewhere or are turned compared with the placement; the pads were used"
        work.findings.append(Finding("placement", said))
    return rest


def _seated(placed: Placement, package: Package, pads: Sequence[Pad]) -> Placement:
    """Where and how turned a part really lies by its named pins: the quarter turn and shift with
    the least miss; as placed without enough pins.
    """
    lands = {land.pin: land for land in package.lands}
    pairs = [(pad, lands[pad.pin]) for pad in pads if pad.pin in lands]
    if len(pairs) < max(2, 0.7 * len(package.lands)):
        return placed
    best = (math.inf, placed)
    for turn in (0, 90, 180, 270):
        offsets = [
            (pad.x_mm - x, pad.y_mm - y)
            for pad, land in pairs
            for x, y in [_frame(placed, land.x_mm, land.y_mm, turn)]
        ]
        dx, dy = (sum(one[axis] for one in offsets) / len(offsets) for axis in (0, 1))
        miss = sum(math.hypot(x - dx, y - dy) for x, y in offsets) / len(offsets)
        if miss < best[0] - 0.02:
            seated = replace(
                placed,
                x_mm=placed.x_mm + dx,
                y_mm=placed.y_mm + dy,
                rotation_deg=(placed.rotation_deg + turn) % 360,
            )
            best = (miss, seated)
    return best[1] if best[0] < _MOVED_MM else placed


def _closest(packages: Sequence[Package], pads: Sequence[Pad]) -> Package | None:
    """Of several readings of a name the one whose spread of lands is nearest to the pads'."""
    spread = max(math.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm) for a in pads[:40] for b in pads[:40])

    def miss(package: Package) -> float:
        own = max(
            (
                math.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm)
                for a in package.lands[:40]
                for b in package.lands[:40]
            ),
            default=spread,
        )
        return abs(own - spread)

    return min(packages, key=miss) if packages else None


_Lengths = TypeVar("_Lengths", float, NDArray[np.float64])


def _frame(
    placed: Placement, x: _Lengths, y: _Lengths, turn: float = 0.0
) -> tuple[_Lengths, _Lengths]:
    """Points of the part's frame on the board, one or an array of them."""
    angle = math.radians(placed.rotation_deg + turn)
    u, v = x * math.cos(angle) - y * math.sin(angle), x * math.sin(angle) + y * math.cos(angle)
    return placed.x_mm + (u if placed.side == "top" else -u), placed.y_mm + v


def _claim_best(placed: Placement, packages: Sequence[Package], work: _Work) -> bool:
    """Join the reading and the quarter turn that put most lands on pads; False when none fits."""
    fits = [
        (package, *fit)
        for package in packages
        if (fit := _best_turn(placed, package, work.free)) is not None
    ]
    if not fits:
        return False
    package, turn, hits, _ = min(fits, key=lambda fit: (-len(fit[2]) / len(fit[0].lands), fit[3]))
    work.parts[placed.ref] = _claim(placed, package, turn, hits, work)
    if len(packages) > 1:
        other = next(one for one in packages if one is not package)
        if package is not packages[0]:
            work.findings.append(
                Finding(
                    placed.ref,
                    f"{placed.footprint!r} can mean {other.name} or {package.name}; its pads fit {package.name}, which was used",
                )
            )
    if len(package.lands) > 2:
        work.turns[placed.side].append(turn)
    if turn:
        said = (
            f"its pads fit {package.name} turned by {turn}° from the placement; the pads were used"
        )
        work.findings.append(Finding(placed.ref, said))
    return True


def _best_turn(
    placed: Placement, package: Package, free: _Free
) -> tuple[int, dict[str, int], float] | None:
    """(turn, pin to pad, mean miss mm) of the quarter turn with most hits."""
    best: tuple[int, dict[str, int], float] | None = None
    reach = max(abs(land.x_mm) + abs(land.y_mm) for land in package.lands) + 1.5
    near = free.near(placed.side, placed.x_mm, placed.y_mm, reach)
    if len(near) < 2:
        return None
    pads = free.places[near]
    lands = np.array(
        [(land.x_mm, land.y_mm, land.size_x_mm, land.size_y_mm) for land in package.lands]
    )
    sizes = lands[:, 2:]
    slack = 0.45 * sizes.min(axis=1) + 0.12 * sizes.max(axis=1) + 0.1
    needed = max(2, math.ceil(0.7 * len(package.lands)))
    for turn in (0, 90, 180, 270):
        x, y = _frame(placed, lands[:, :1], lands[:, 1:2], turn)
        far = np.hypot(x - pads[:, 0], y - pads[:, 1])
        if (far.min(axis=1) <= slack).sum() < needed:
            continue
        hits, miss = _hits(package, far, slack, near)
        if len(hits) >= needed and (best is None or len(hits) > len(best[1])):
            best = (turn, hits, miss)
            if len(hits) == len(package.lands):
                break
    return best


def _hits(
    package: Package,
    far: NDArray[np.float64],
    slack: NDArray[np.float64],
    near: NDArray[np.int64],
) -> tuple[dict[str, int], float]:
    """Which of the free pads `near` lies where each land is expected: pin to pad index, nearest
    first, none twice; and their mean miss.

    `far` (lands, pads) are their distances, mm; `slack` (lands,) how far a pad may lie.
    """
    hits: dict[str, int] = {}
    misses = 0.0
    for land, distances, most in zip(package.lands, far, slack, strict=True):
        nearest = int(distances.argmin())
        if distances[nearest] <= most:
            hits[land.pin] = int(near[nearest])
            misses += float(distances[nearest])
            far[:, nearest] = np.inf
    return hits, misses / max(len(hits), 1)


def _claim(
    placed: Placement, package: Package, turn: int, hits: dict[str, int], work: _Work
) -> BoardPart:
    kinds = {land.pin: land.kind for land in package.lands}
    lands = []
    for pin, index in hits.items():
        pad = work.free.take(index)
        work.owner[index] = (placed.ref, pin)
        lands.append(_land_of(placed, turn, pin, pad, kinds[pin]))
    rotation = (placed.rotation_deg + turn) % 360
    missing = len(package.lands) - len(hits)
    note = f"{missing} of {len(package.lands)} pads not found" if missing else ""
    return BoardPart(
        ref=placed.ref,
        value=placed.value,
        footprint=placed.footprint,
        x_mm=placed.x_mm,
        y_mm=placed.y_mm,
        rotation_deg=rotation,
        side=placed.side,
        package=with_lands(package, tuple(lands)),
        joined=True,
        note=note,
    )


def _land_of(placed: Placement, turn: float, pin: str, pad: Pad, kind: JointKind) -> Land:
    """A pad as a land in the part's own frame."""
    dx, dy = pad.x_mm - placed.x_mm, pad.y_mm - placed.y_mm
    dx = dx if placed.side == "top" else -dx
    angle = math.radians(placed.rotation_deg + turn)
    x, y = dx * math.cos(angle) + dy * math.sin(angle), -dx * math.sin(angle) + dy * math.cos(angle)
    seen = pad.angle_deg if placed.side == "top" else -pad.angle_deg  # from the part's own side
    across = round((seen - placed.rotation_deg - turn) / 90.0) % 2 == 1
    size = (pad.size_y_mm, pad.size_x_mm) if across else (pad.size_x_mm, pad.size_y_mm)
    return Land(pin=pin, x_mm=x, y_mm=y, size_x_mm=size[0], size_y_mm=size[1], kind=kind)


_Rivals = dict[tuple[str, int, int], list[Placement]]


def _rivals(placements: Sequence[Placement]) -> _Rivals:
    """Placements by side and place, in cells as large as a by-nearness search reaches."""
    cells: _Rivals = defaultdict(list)
    for one in placements:
        cells[(one.side, int(one.x_mm // 12), int(one.y_mm // 12))].append(one)
    return cells


def _by_nearness(
    placed: Placement, package: Package | None, rivals: _Rivals, work: _Work
) -> BoardPart:
    """Pads nearer to this part than to any other, within its body and a margin; without any, the
    package as drawn.
    """
    reach = 0.75 * max(package.body_x_mm, package.body_y_mm) + 1.5 if package else 12.0
    near = work.free.near(placed.side, placed.x_mm, placed.y_mm, reach)
    others = _others(placed, rivals, 2 * reach) if len(near) else []
    mine = near[_nearest(work.free.places[near], placed, others, reach)].tolist()
    mine = _without_strays(mine, placed, work.free)
    if not mine or (len(mine) < 2 and package is not None and package.lands):
        return _without_pads(placed, package, work)
    mine.sort(
        key=lambda i: math.atan2(
            work.free.pads[i].y_mm - placed.y_mm, work.free.pads[i].x_mm - placed.x_mm
        )
    )
    kind = _own_kind(package, placed, work.library)
    lands = []
    for number, index in enumerate(mine, 1):
        pad = work.free.take(index)
        work.owner[index] = (placed.ref, str(number))
        lands.append(_land_of(placed, 0.0, str(number), pad, kind))
    if package is None:
        said = f"footprint {placed.footprint!r} is not known; body and pin numbers were guessed from {counted(len(mine), 'pad')}: answer three questions below its row"
        work.findings.append(Finding(placed.ref, said))
        return _part(placed, unknown_body(tuple(lands)), True, "body guessed")
    if package.lands:
        work.findings.append(
            Finding(
                placed.ref,
                f"its pads differ from {package.name}; the nearest {counted(len(mine), 'was', 'were')} used and numbered around",
            )
        )
        return _part(placed, with_lands(package, tuple(lands)), True, "pads by nearness")
    return _part(placed, with_lands(package, tuple(lands)), True, "")


def _others(placed: Placement, rivals: _Rivals, within_mm: float) -> list[Placement]:
    """The other parts of a side that lie so near."""
    cx, cy = int(placed.x_mm // 12), int(placed.y_mm // 12)
    return [
        other
        for dx in (-1, 0, 1)
        for dy in (-1, 0, 1)
        for other in rivals.get((placed.side, cx + dx, cy + dy), ())
        if other.ref != placed.ref
        and math.hypot(other.x_mm - placed.x_mm, other.y_mm - placed.y_mm) <= within_mm
    ]


def _without_pads(placed: Placement, package: Package | None, work: _Work) -> BoardPart:
    """A part whose pads were not found: with its package's own lands, else left out."""
    if package is not None and package.lands:
        said = f"no pads were found for {package.name}; its own lands are assumed"
        work.findings.append(Finding(placed.ref, said))
        return _part(placed, package, False, "pads assumed")
    name = (
        f"footprint {placed.footprint!r} is not known and"
        if package is None
        else f"{package.name}:"
    )
    said = f"{name} no pads lie near it; left out of the rehearsal"
    work.findings.append(Finding(placed.ref, said))
    land = Land(pin="1", x_mm=0, y_mm=0, size_x_mm=1, size_y_mm=1, kind=JointKind.GULL_WING)
    return _part(placed, unknown_body((land,)), False, "unknown")


def _without_strays(pads: Sequence[int], placed: Placement, free: _Free) -> list[int]:
    """Pads from the nearest outward, up to a gap that no package has."""
    far = sorted(
        (math.hypot(free.pads[i].x_mm - placed.x_mm, free.pads[i].y_mm - placed.y_mm), i)
        for i in pads
    )
    kept: list[int] = []
    for number, (distance, index) in enumerate(far):
        if number and distance - far[number - 1][0] > _STRAY_MM:
            break
        kept.append(index)
    return kept


def _own_kind(package: Package | None, placed: Placement, library: Library) -> JointKind:
    own = library.own_for(placed.footprint)
    return (
        own.joint
        if own
        else package.lands[0].kind
        if package and package.lands
        else JointKind.GULL_WING
    )


def _nearest(
    pads: NDArray[np.float64], placed: Placement, rivals: Sequence[Placement], reach: float
) -> NDArray[np.bool_]:
    """Which of the pads' places (n, 2) lie within reach of this part and nearer to it than to
    others.
    """
    own = np.hypot(pads[:, 0] - placed.x_mm, pads[:, 1] - placed.y_mm)
    mine: NDArray[np.bool_] = own <= reach
    places = np.array([(one.x_mm, one.y_mm) for one in rivals]).reshape(-1, 2)
    for first in range(0, len(places), 64):  # a table may put thousands of parts on one spot
        away = pads[:, None] - places[first : first + 64]
        mine &= (np.hypot(away[..., 0], away[..., 1]) > own[:, None]).all(axis=1)
    return mine


def _part(placed: Placement, package: Package, joined: bool, note: str) -> BoardPart:
    return BoardPart(
        ref=placed.ref,
        value=placed.value,
        footprint=placed.footprint,
        x_mm=placed.x_mm,
        y_mm=placed.y_mm,
        rotation_deg=placed.rotation_deg,
        side=placed.side,
        package=package,
        joined=joined,
        note=note,
    )
