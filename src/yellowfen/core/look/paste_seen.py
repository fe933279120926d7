"""Paste after printing, as a picture shows it: how much of each pad it covers, what lies between
pads, how far the whole print is off; after the heat, what is bright across a gap.

The picture is laid flat on the board's millimetres first and freed from uneven light. One threshold
tells paste from bare pad, one tells what is neither pad nor mask; both are shown and can be moved.
A finding is a place to look at again, no more.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely.affinity import translate
from shapely.geometry import Polygon

from yellowfen.core.board.board import Board, Pad
from yellowfen.core.look.flat_picture import NEAR_MM, Flat, Mask, even_light, laid_flat
from yellowfen.core.look.picture_fit import Array, PictureFit, blurred
from yellowfen.core.look.print_offset import print_offset
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.quantity.wording import counted
from yellowfen.core.source.mark import Mark, constant

Ring = Sequence[tuple[float, float]]
COVERED = constant(
    "paste_covers_least",
    75.0,
    "%",
    mark=Mark.COMMON_PRACTICE,
    source="a pad with less than three quarters of its opening covered is printed again or dotted",
    affects="good, wipe or touch up after printing",
)
SMEAR_MM = constant(
    "smear_least",
    0.1,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="what is narrower draws back to its pad when it melts",
    affects="paste between pads",
)
OFF_SHARE = constant(
    "print_off_most",
    25.0,
    "%",
    mark=Mark.COMMON_PRACTICE,
    source="a print off by a quarter of the narrowest pad is wiped",
    affects="good, wipe or touch up after printing",
)
WIPE_FROM = 3  # smears or thin pads from which a wipe is quicker than mending
REACH_MM = 0.25  # how far from an opening its own paste is looked for
EDGE_BLUR = 1.5  # variance of a picture's edges, px²: some four pixels wide [from memory]
GRAIN = 0.2  # of the way from bare to paste
LEAST_SHARE = 0.45  # of a cell's light must come from the print for a cell to count
PURE = 85.0  # percentile of what looks bare: the rest is darkened by paste beside it
LEAST_CELLS = 20


def two_kinds(values: Array) -> tuple[float, float]:
    """The grey that parts values best in two, and how well: the distance of the two middles in
    their spreads (over 3: two kinds; less: perhaps one).
    """
    values = values[np.isfinite(values)]
    if len(values) < 20:
        return (float(np.mean(values)) if len(values) else 128.0), 0.0
    low, high = np.percentile(values, (0.5, 99.5))
    if high - low < 1e-6:
        return float(low), 0.0
    counts, borders = np.histogram(values, bins=256, range=(low, high))
    middles = (borders[:-1] + borders[1:]) / 2
    below = np.cumsum(counts)
    above = below[-1] - below
    first = np.cumsum(counts * middles) / np.maximum(below, 1)
    second = (np.sum(counts * middles) - np.cumsum(counts * middles)) / np.maximum(above, 1)
    between = below * above * (first - second) ** 2
    best = int(np.argmax(between))
    tied = np.flatnonzero(between >= between[best] * (1 - 1e-9))
    cut = float(borders[1:][tied].mean())
    a, b = values[values < cut], values[values >= cut]
    if len(a) < 5 or len(b) < 5:
        return cut, 0.0
    return cut, float((b.mean() - a.mean()) / (0.5 * (a.std() + b.std()) + 1e-9))


@dataclass(frozen=True, kw_only=True)
class PadCovered:
    """How much of a pad's own opening (or the pad, without one) is covered, 0 to 1."""

    ref: str
    pin: str
    share: float


@dataclass(frozen=True, kw_only=True)
class Between:
    """Something between pads: where (mm), how wide, the pads it touches ("U1.3"), and how much of
    the gap it crosses, 0 to 1.
    """

    x_mm: float
    y_mm: float
    wide_mm: float
    touches: tuple[str, ...]
    crosses: float

    @property
    def says(self) -> str:
        if len(self.touches) > 1:
            return f"between {self.touches[0]} and {self.touches[1]}, {with_unit(self.wide_mm, MM, 2)} wide"
        if self.touches:
            return f"beside {self.touches[0]}, {with_unit(self.wide_mm, MM, 2)} wide"
        return f"at {self.x_mm:.1f}, {with_unit(self.y_mm, MM, 1)}, {with_unit(self.wide_mm, MM, 2)} wide"


@dataclass(frozen=True, kw_only=True)
class PrintSeen:
    """A print as seen: pads, what lies between, the whole print's shift; both thresholds, whether
    the pads really show two kinds of grey, and what to do.
    """

    pads: tuple[PadCovered, ...]
    between: tuple[Between, ...]
    dx_mm: float
    dy_mm: float
    narrowest_mm: float
    paste_from: float
    bright_from: float
    told: bool

    @property
    def thin(self) -> tuple[PadCovered, ...]:
        return tuple(one for one in self.pads if 100 * one.share < COVERED)

    @property
    def off_share(self) -> float:
        """The whole print's shift as a share of the narrowest pad."""
        return math.hypot(self.dx_mm, self.dy_mm) / max(self.narrowest_mm, 1e-9)

    @property
    def verdict(self) -> str:
        """ "good", "wipe" or "mend"."""
        bridged = [one for one in self.between if len(one.touches) > 1 or one.crosses > 0.5]
        if 100 * self.off_share > OFF_SHARE or len(bridged) + len(
            self.thin
        ) > WIPE_FROM + 0.1 * len(self.pads):
            return "wipe"
        return "mend" if bridged or self.thin else "good"

    @property
    def says(self) -> str:
        if not self.told:
            return "All pads look the same here: all printed, or none. Move the threshold, or use light from the side."
        if self.verdict == "wipe" and 100 * self.off_share > OFF_SHARE:
            return f"Wipe it and print again: the whole print is shifted by {with_unit(math.hypot(self.dx_mm, self.dy_mm), MM, 2)}, {100 * self.off_share:.0f} % of the narrowest pad."
        if self.verdict == "wipe":
            return f"Wipe it and print again: {counted(len(self.thin), 'pad lacks', 'pads lack')} paste, {counted(len(self.between), 'place has', 'places have')} paste between pads."
        if self.verdict == "mend":
            return "Touch it up: a dab where paste is missing, a pick through paste between pads."
        return "Good: every pad has its paste, no gap is bridged."


def print_seen(
    image: Array,
    fit: PictureFit,
    board: Board,
    side: str,
    *,
    paste_from: float | None = None,
    bright_from: float | None = None,
    paste_darker: bool = True,
) -> PrintSeen:
    """A print judged in one channel of a picture (grey 0 to 255). Thresholds are worked out where
    they are not given. Raises Refused when no pad lies in the picture, InvalidValue for thresholds
    outside 0 to 255.
    """
    for name, value in (("paste_from", paste_from), ("bright_from", bright_from)):
        if value is not None:
            in_range(name, value, 0.0, 255.0)
    pads = [pad for pad in board.pads if pad.side == side and pad.ref]
    scene = _scene(image, fit, board, side)
    flat, on_pad = scene.flat, scene.on_pad
    cut, apart = two_kinds(flat.grey[scene.well_in])
    told = apart > 3.0
    cut = cut if paste_from is None else paste_from
    paste = ((flat.grey < cut) == paste_darker) & np.isfinite(flat.grey)
    kinds = flat.grey[scene.well_in & paste]
    grey = float(np.median(kinds)) if len(kinds) else float(np.nanmedian(flat.grey[on_pad]))
    bright = 0.5 * (scene.mask_grey + grey) if bright_from is None else bright_from
    off = (flat.grey > bright) & ~on_pad & np.isfinite(flat.grey)
    openings = _openings(board, side, pads)
    dx, dy = _shift(flat, (paste & on_pad) | off, openings)
    looks_bare = flat.grey[scene.well_in & ~paste]
    tin = None
    if min(len(kinds), len(looks_bare)) >= LEAST_CELLS:
        tin = _pure(looks_bare, grey)
        rings = [ring for rings in openings.values() for ring in rings]
        greys = (scene.mask_grey, tin, grey)
        dx, dy = print_offset(flat, [pad.ring for pad in scene.every], rings, greys, (dx, dy))
    printed = np.zeros_like(on_pad)
    for ring in (ring for rings in openings.values() for ring in rings):
        _paint(flat, printed, np.array(ring) + np.array((dx, dy)))
    edge = max(2, round(0.05 / flat.cell_mm))
    smears = off & ~_grown(printed, edge) & scene.near
    if tin is None:
        covers, clear, offset = paste.astype(np.float64), on_pad, np.zeros(2)
    else:
        covers, clear = _covers(scene, printed, tin, grey)
        offset = np.array((dx, dy))
    covered = tuple(
        PadCovered(ref=pad.ref or "", pin=pad.pin or "", share=share)
        for n, pad in enumerate(pads)
        if (share := _share(flat, covers, clear, openings.get(n, (pad.ring,)), offset)) is not None
    )
    sizes = [min(pad.size_x_mm, pad.size_y_mm) for pad in pads]
    return PrintSeen(
        pads=tuple(sorted(covered, key=lambda one: one.share)),
        between=_between(scene, smears, pads, edge),
        dx_mm=dx,
        dy_mm=dy,
        narrowest_mm=min(sizes),
        paste_from=float(cut),
        bright_from=float(bright),
        told=told or paste_from is not None,
    )


def bright_across(
    image: Array,
    fit: PictureFit,
    board: Board,
    side: str,
    *,
    bright_from: float | None = None,
    hidden: Mapping[str, Ring] | None = None,
) -> tuple[Between, ...]:
    """What is bright across a gap between two pads: places to look at again, widest first. What
    lies under `hidden` outlines is no bridge; those named as a pin ("U1.3") are leads, as good as
    its pad.
    """
    pads = [pad for pad in board.pads if pad.side == side and pad.ref]
    scene = _scene(image, fit, board, side)
    flat = scene.flat
    metal = float(np.nanmedian(flat.grey[scene.well_in]))
    bright = 0.5 * (scene.mask_grey + metal) if bright_from is None else bright_from
    edge = max(2, round(0.04 / flat.cell_mm))
    off = (
        (flat.grey > bright)
        & ~_grown(scene.on_pad, edge // 2)
        & scene.near
        & np.isfinite(flat.grey)
    )
    leads = np.zeros_like(off)
    for ring in (hidden or {}).values():
        _paint(flat, leads, np.array(ring))
    off &= ~_grown(leads, edge // 2)
    found = _between(scene, off, pads, edge, leads=hidden or {})
    return tuple(one for one in found if len(one.touches) > 1)


# the ground it stands on
@dataclass(frozen=True, kw_only=True)
class _Scene:
    flat: Flat
    every: tuple[Pad, ...]
    on_pad: Mask
    well_in: Mask
    near: Mask
    mask_grey: float


def _scene(image: Array, fit: PictureFit, board: Board, side: str) -> _Scene:
    every = [pad for pad in board.pads if pad.side == side]
    flat = laid_flat(image, fit, every)
    on_pad = np.zeros(flat.grey.shape, dtype=bool)
    for pad in every:
        _paint(flat, on_pad, np.array(pad.ring))
    for hole in board.holes:
        turn = np.linspace(0, 2 * math.pi, 16, endpoint=False)
        around = np.column_stack((np.cos(turn), np.sin(turn))) * (hole.drill_mm / 2 + 0.3)
        _paint(flat, on_pad, around + np.array((hole.x_mm, hole.y_mm)))
    ground = ~_grown(on_pad, max(2, round(0.2 / flat.cell_mm)))
    flat = even_light(flat, ground)
    named = np.zeros_like(on_pad)
    for pad in every:
        if pad.ref:
            _paint(flat, named, np.array(pad.ring))
    known = ground & np.isfinite(flat.grey)
    return _Scene(
        flat=flat,
        every=tuple(every),
        on_pad=on_pad,
        well_in=named & ~_grown(~on_pad, 2) & np.isfinite(flat.grey),
        near=_grown(named, round(NEAR_MM / flat.cell_mm)),
        mask_grey=float(np.median(flat.grey[known])) if known.any() else 0.0,
    )


def _paint(flat: Flat, on: Mask, ring: Array) -> None:
    rows, columns, inside = flat.mask([(float(x), float(y)) for x, y in ring])
    on[rows, columns] |= inside


def _grown(mask: Mask, cells: int) -> Mask:
    """A mask wider by so many cells each way (squares): laid over itself, farther each time."""
    if cells < 1:
        return mask
    rows, columns = mask.shape
    wide = np.zeros((rows + 2 * cells, columns + 2 * cells), dtype=bool)
    wide[cells : cells + rows, cells : cells + columns] = mask
    reach = 1
    while reach <= 2 * cells:
        step = min(reach, 2 * cells + 1 - reach)
        wide[:-step] |= wide[step:]
        wide[:, :-step] |= wide[:, step:]
        reach += step
    return wide[:rows, :columns]


def _counted(mask: NDArray[Any], cells: int) -> NDArray[Any]:
    """The sum over the square of so many cells each way."""
    kind = np.int32 if mask.dtype == bool else np.float64
    sums = mask.astype(kind)
    for axis in (0, 1):
        turned = sums if axis == 0 else sums.T
        total = np.zeros((turned.shape[0] + 2 * cells + 1, turned.shape[1]), dtype=kind)
        np.cumsum(turned, axis=0, out=total[cells + 1 : cells + 1 + len(turned)])
        total[cells + 1 + len(turned) :] = total[cells + len(turned)]
        found = total[2 * cells + 1 :] - total[: len(turned)]
        sums = found if axis == 0 else found.T
    return sums


def _openings(
    board: Board, side: str, pads: Sequence[Pad]
) -> dict[int, tuple[tuple[tuple[float, float], ...], ...]]:
    """The rings printed over each of these pads, by their place in the list."""
    place = {id(pad): n for n, pad in enumerate(pads)}
    found: dict[int, list[tuple[tuple[float, float], ...]]] = {}
    for one in board.openings:
        if one.side == side and one.pad is not None and id(board.pads[one.pad]) in place:
            found.setdefault(place[id(board.pads[one.pad])], []).append(one.ring)
    return {n: tuple(rings) for n, rings in found.items()}


def _pure(bare: Array, paste_grey: float) -> float:
    """The grey of bare metal alone, from cells that are bare by the threshold: those beside paste
    lie between the two in a blurred picture.
    """
    away = bare - paste_grey
    return paste_grey + float(np.sign(away.mean()) * np.percentile(np.abs(away), PURE))


def _covers(scene: _Scene, printed: Mask, bare: float, paste: float) -> tuple[Array, Mask]:
    """How much of each cell that was printed on is under paste, 0 to 1, and where that can be said.

    Freed first from what shows in a blurred picture of the rim of bare metal and the mask beside
    it, where no opening lay; then between the greys of bare metal and of paste in proportion, but
    for a margin that grain and noise take.
    """
    flat = scene.flat
    times = round(EDGE_BLUR * flat.finer**2)
    beside = np.where(scene.on_pad, bare, scene.mask_grey) * ~printed
    share, beside = blurred(printed.astype(np.float64), times), blurred(beside, times)
    away = ((flat.grey - beside) / np.maximum(share, LEAST_SHARE) - bare) / (paste - bare)
    covers = np.clip((away - GRAIN) / (1.0 - 2.0 * GRAIN), 0.0, 1.0)
    return covers, printed & scene.on_pad & (share > LEAST_SHARE)


def _share(
    flat: Flat, covers: Array, clear: Mask, rings: Sequence[Ring], offset: Array
) -> float | None:
    """How much of some openings is covered by a print off by `offset` (mm): counted where it is
    clear, nothing where the print left them. None where they are not in the picture.
    """
    inside = covered = 0.0
    whole = left = 0.0
    for ring in rings:
        rows, columns, mask = flat.mask(ring)
        if not mask.size or not np.isfinite(flat.grey[rows, columns][mask]).all():
            return None
        mask = mask & clear[rows, columns]
        inside += float(mask.sum())
        covered += float(covers[rows, columns][mask].sum())
        opening = Polygon(ring).buffer(0)
        whole += opening.area
        left += opening.intersection(translate(opening, *offset)).area
    return covered / inside * left / whole if inside and whole else None


def _shift(
    flat: Flat, paste: Mask, openings: dict[int, tuple[tuple[tuple[float, float], ...], ...]]
) -> tuple[float, float]:
    """How far the middles of paste lie from the middles of their openings: the median over pads."""
    moves = []
    alone = [(np.array(rings[0]), rings[0]) for rings in openings.values() if len(rings) == 1]
    boxes = np.array([(*one.min(axis=0), *one.max(axis=0)) for one, _ in alone]).reshape(-1, 4)
    for number, (points, ring) in enumerate(alone):
        reach = _free_around(boxes, number)
        low, high = points.min(axis=0) - reach, points.max(axis=0) + reach
        box = ((low[0], low[1]), (high[0], low[1]), (high[0], high[1]), (low[0], high[1]))
        rows, columns, mask = flat.mask(box)
        on = paste[rows, columns] & mask if mask.size else mask
        inner = flat.mask(ring)[2]
        if on.sum() < 0.5 * max(int(inner.sum()), 1):
            continue
        y, x = np.nonzero(on)
        middle = np.array((x.mean() + columns.start, y.mean() + rows.start)) * flat.cell_mm
        moves.append(middle + np.array((flat.x0_mm, flat.y0_mm)) - _centroid(points))
    if len(moves) < 3:
        return 0.0, 0.0
    dx, dy = np.median(np.array(moves), axis=0)
    return float(dx), float(dy)


def _free_around(boxes: Array, number: int) -> float:
    """Half the way to the nearest other opening, mm, at most `REACH_MM`."""
    here = boxes[number]
    apart = np.maximum(np.maximum(boxes[:, :2] - here[2:], here[:2] - boxes[:, 2:]), 0.0)
    ways = np.hypot(*apart.T)
    ways[number] = np.inf
    return float(np.clip(0.5 * ways.min(initial=np.inf), 0.03, REACH_MM))


def _centroid(points: Array) -> Array:
    following = np.roll(points, -1, axis=0)
    cross = points[:, 0] * following[:, 1] - following[:, 0] * points[:, 1]
    total = float(cross.sum())
    if abs(total) < 1e-12:
        return np.asarray(points.mean(axis=0))
    return np.asarray(((points + following) * cross[:, None]).sum(axis=0) / (3.0 * total))


# what lies between
def _between(
    scene: _Scene,
    off: Mask,
    pads: Sequence[Pad],
    edge: int,
    *,
    leads: Mapping[str, Ring] = MappingProxyType({}),
) -> tuple[Between, ...]:
    """Pieces at least `SMEAR_MM` wide, and the pads that each touches."""
    flat = scene.flat
    half = max(1, round(0.5 * 0.85 * SMEAR_MM / flat.cell_mm))
    core = _counted(off, half) >= 0.93 * (2 * half + 1) ** 2
    thick = _grown(core, half) & off
    labels, count = pieces(thick)
    if not count:
        return ()
    owner = np.zeros(flat.grey.shape, dtype=np.int32)
    for number, pad in enumerate(pads, 1):
        rows, columns, inside = flat.mask(pad.ring)
        owner[rows, columns][inside] = number
        if lead := leads.get(f"{pad.ref}.{pad.pin}"):
            rows, columns, inside = flat.mask(lead)
            owner[rows, columns][inside] = number
    found = []
    reach = edge + max(3, round(0.06 / flat.cell_mm))
    for rows, columns, mask in _boxes(labels, count):
        found.append(_piece(scene, rows, columns, mask, owner=owner, pads=pads, reach=reach))
    found.sort(key=lambda one: (-len(one.touches), -one.crosses, -one.wide_mm))
    return tuple(found)


def _piece(
    scene: _Scene,
    rows: slice,
    columns: slice,
    mask: Mask,
    *,
    owner: NDArray[np.int32],
    pads: Sequence[Pad],
    reach: int,
) -> Between:
    flat = scene.flat
    wide = (
        slice(max(rows.start - reach, 0), rows.stop + reach),
        slice(max(columns.start - reach, 0), columns.stop + reach),
    )
    around = np.zeros(flat.grey[wide].shape, dtype=bool)
    y, x = rows.start - wide[0].start, columns.start - wide[1].start
    around[y : y + mask.shape[0], x : x + mask.shape[1]] = mask
    touched = np.unique(owner[wide][_grown(around, reach)])
    names = [f"{pads[n - 1].ref}.{pads[n - 1].pin}" for n in touched if n]
    ys, xs = np.nonzero(mask)
    inner = _depth(mask)
    box = math.hypot(*(np.array(mask.shape) * flat.cell_mm))
    gap = _gap(pads, [int(n) for n in touched if n])
    return Between(
        x_mm=flat.x0_mm + (columns.start + float(xs.mean())) * flat.cell_mm,
        y_mm=flat.y0_mm + (rows.start + float(ys.mean())) * flat.cell_mm,
        wide_mm=(2 * inner - 1) * flat.cell_mm,
        touches=tuple(names),
        crosses=1.0 if len(names) > 1 else min(box / gap, 1.0) if gap else 0.0,
    )


def _depth(mask: Mask) -> int:
    """How many cells deep the thickest place of a piece is (squares)."""
    low, high = 1, max(mask.shape) // 2 + 1
    wide = np.pad(mask, 1)
    while low < high:
        middle = (low + high + 1) // 2
        if (_counted(wide, middle - 1) >= 0.9 * (2 * middle - 1) ** 2).any():
            low = middle
        else:
            high = middle - 1
    return low


def _gap(pads: Sequence[Pad], touched: Sequence[int]) -> float:
    """The distance from a touched pad to its nearest neighbour, mm; 0 without one."""
    if not touched:
        return 0.0
    here = pads[touched[0] - 1]
    ways = [
        math.hypot(here.x_mm - one.x_mm, here.y_mm - one.y_mm)
        - 0.5 * (min(here.size_x_mm, here.size_y_mm) + min(one.size_x_mm, one.size_y_mm))
        for one in pads
        if one is not here
    ]
    return max(min(ways, default=0.0), 0.0)


def pieces(mask: Mask) -> tuple[NDArray[np.int32], int]:
    """Connected pieces (by sides), numbered from 1; runs of each row joined to those above."""
    labels = np.zeros(mask.shape, dtype=np.int32)
    parent = [0]

    def root(n: int) -> int:
        while parent[n] != n:
            parent[n] = parent[parent[n]]
            n = parent[n]
        return n

    above: list[tuple[int, int, int]] = []
    for y in np.flatnonzero(mask.any(axis=1)):
        steps = np.diff(np.concatenate(([0], mask[y].view(np.int8), [0])))
        runs = []
        if y and not mask[y - 1].any():
            above = []
        for a, b in zip(np.flatnonzero(steps == 1), np.flatnonzero(steps == -1), strict=True):
            near = [root(n) for s, e, n in above if s < b and e > a]
            if near:
                number = min(near)
                for n in near:
                    parent[n] = number
            else:
                number = len(parent)
                parent.append(number)
            labels[y, a:b] = number
            runs.append((int(a), int(b), number))
        above = runs
    roots = np.array([root(n) for n in range(len(parent))])
    kept, final = np.unique(roots, return_inverse=True)
    return final.astype(np.int32)[labels], len(kept) - 1


def _boxes(labels: NDArray[np.int32], count: int) -> list[tuple[slice, slice, Mask]]:
    ys, xs = np.nonzero(labels)
    numbers = labels[ys, xs]
    order = np.argsort(numbers, kind="stable")
    ys, xs, numbers = ys[order], xs[order], numbers[order]
    ends = np.searchsorted(numbers, np.arange(1, count + 2))
    found = []
    for n in range(count):
        a, b = ends[n], ends[n + 1]
        rows, columns = (slice(int(one.min()), int(one.max()) + 1) for one in (ys[a:b], xs[a:b]))
        found.append((rows, columns, labels[rows, columns] == n + 1))
    return found
