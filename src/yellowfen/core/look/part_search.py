"""Where a part lies in a picture, searched widely; and whether that is to be believed.

Edges near by say where a part lies to a few microns, but a lead's edge and a pad's are alike, and
so is every pin of a row: beyond a quarter of a millimetre the nearest edge is another's. Areas are
not alike: body, leads, pads that stay free and the bare mask are each of one grey. Law: of all
poses the one is taken whose areas leave the least variance of the picture unexplained; edges then
only settle it. A pose is believed where it explains much, clearly more than any other, and where
the body's outline is seen on edges.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.board import BoardPart
from yellowfen.core.look.flat_picture import Mask
from yellowfen.core.look.part_seen import (
    LEADED,
    Pose,
    Ring,
    body_ring,
    end_ring,
    in_part,
    on_board,
    seated,
)
from yellowfen.core.look.picture_fit import (
    Array,
    PictureFit,
    blurred,
    edges_of,
    sampled,
    scale_at,
    to_picture,
    within,
)
from yellowfen.core.part.package import Package

REACH_MM = 1.2  # searched to every side; farther for coarse pitches
MOST_REACH_MM = 2.0
TURNS_DEG = tuple(float(turn) for turn in range(-12, 13, 2))
MOST_CELLS = 200  # across the part's surroundings
SETTLE_MM, SETTLE_DEG = 0.06, 1.0  # how far edges may move what the areas say
FLAT_MM = 0.1  # what the outermost corner may move by such a turn, where that is more
LEAST_TOLD = 0.25  # share of the variance round a part that the part itself must explain
LEAST_CLEAR = 0.18  # by which share more every other pose leaves unexplained
LEAST_OUTLINE = 0.5  # of the body's outline that lies on an edge
OTHER_MM, OTHER_DEG = 0.15, 4.0  # a pose farther off than this is another
NEAR_DEG = 1.75  # turns nearer than this belong to one hollow


@dataclass(frozen=True, kw_only=True)
class PartFound:
    """How a part lies, and how far that is to be believed: the pose, the error to expect of its
    joints (95 %, mm), the share of the picture it explains, how much worse the next best pose is,
    the share of its outline on edges; `doubt` is why it is not believed ("" it is).
    """

    pose: Pose
    error_mm: float
    told: float
    clear: float
    outline: float
    doubt: str


def find_part(image: Array, fit: PictureFit, part: BoardPart, pads: Sequence[Ring]) -> PartFound:
    """Search a part round where it belongs. `image` is one channel; `pads` are the outlines of the
    pads of its side, mm.
    """
    ground = _Ground.of(image, fit, part, pads)
    if ground is None:
        return _unseen("the picture shows too little around this part")
    best, told, clear = ground.search()
    if best is None:
        return _unseen("no part is visible here")
    pose = best
    edge = seated(image, fit, part, pose, SETTLE_MM)
    apart = math.inf
    if edge is not None:
        apart = math.hypot(edge.dx_mm - pose.dx_mm, edge.dy_mm - pose.dy_mm)
        most_deg = max(SETTLE_DEG, math.degrees(FLAT_MM / _reach_mm(part.package)))
        if apart <= SETTLE_MM and abs(edge.turn_deg - pose.turn_deg) <= most_deg:
            pose = edge
    outline = _outline_seen(image, fit, part, pose)
    reach = min(_reach_mm(part.package), 4.0)
    unsure = min(apart, SETTLE_MM) + math.radians(SETTLE_DEG / 4) * reach * 0.5
    error = math.hypot(fit.error_um / 1000.0, 0.5 * unsure, 1.0 * fit.um_px / 1000.0)
    doubt = (
        "nothing here looks like this part"
        if told < LEAST_TOLD
        else "it fits equally well in another place"
        if clear < LEAST_CLEAR
        else "its outline is not visible"
        if outline < LEAST_OUTLINE
        else ""
    )
    return PartFound(
        pose=pose, error_mm=error, told=told, clear=clear, outline=outline, doubt=doubt
    )


def _reach_mm(package: Package) -> float:
    """From the middle of a body to its corner."""
    return math.hypot(package.body_x_mm, package.body_y_mm) / 2


def _unseen(why: str) -> PartFound:
    return PartFound(pose=Pose(), error_mm=math.inf, told=0.0, clear=0.0, outline=0.0, doubt=why)


@dataclass(frozen=True, kw_only=True)
class _Ground:
    """A part's surroundings laid flat in its own frame: grey with the light taken out, where the
    picture reaches, where pads are; and the part's own areas.
    """

    package: Package
    grey: Array
    seen: Array
    pad: Array
    xs: Array
    ys: Array
    cell_mm: float
    reach_mm: float

    @classmethod
    def of(
        cls, image: Array, fit: PictureFit, part: BoardPart, pads: Sequence[Ring]
    ) -> "_Ground | None":
        package = part.package
        reach = min(max(REACH_MM, 1.2 * package.pitch_mm), MOST_REACH_MM)
        half = _half(package) + reach + 0.4
        cell = max(2 * float(half.max()) / MOST_CELLS, fit.um_px / 1000.0, 0.03)
        xs, ys = (np.arange(-side, side + cell / 2, cell) for side in half)
        grid = np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2)
        smooth = blurred(image, max(round((cell / (fit.um_px / 1000.0)) ** 2 / 2), 1))
        grey = sampled(smooth, to_picture(fit, on_board(part, grid))).reshape(len(ys), len(xs))
        seen = np.isfinite(grey)
        body = (np.abs(grid) <= _half(package)).all(axis=1).reshape(seen.shape)
        if seen[body].mean() < 0.9:
            return None
        pad: Mask = np.zeros(grey.shape, dtype=bool)
        for ring in pads:
            own = in_part(part, np.array(ring, dtype=np.float64))
            if (np.abs(own).min(axis=0) < half).all():
                pad |= within(grid, [tuple(one) for one in own]).reshape(grey.shape)
        flat = _evened(np.where(seen, grey, 0.0), seen & ~pad)
        return cls(
            package=package,
            grey=flat,
            seen=seen.astype(float),
            pad=pad.astype(float),
            xs=xs,
            ys=ys,
            cell_mm=float(cell),
            reach_mm=float(reach),
        )

    def areas(self, turn_deg: float) -> tuple[Array, Array]:
        """Where body and leads lie with the part turned, as masks over the ground."""
        grid = np.stack(np.meshgrid(self.xs, self.ys), axis=-1).reshape(-1, 2)
        back = Pose(turn_deg=-turn_deg).moved(grid)
        body = _in_box(back, body_ring(self.package))
        ends: NDArray[np.bool_] = np.zeros(len(grid), dtype=bool)
        for land in self.package.lands:
            ring = end_ring(self.package, land)
            if ring is None:
                continue
            ends |= _in_box(back, _to_body(self.package, ring) if land.kind in LEADED else ring)
        leaded = any(land.kind in LEADED for land in self.package.lands)
        ends = ends & ~body if leaded else ends
        body = body & ~ends
        shape = self.grey.shape
        return body.reshape(shape).astype(float), ends.reshape(shape).astype(float)

    def search(self) -> tuple[Pose | None, float, float]:
        """(the best pose, the share of variance that the part explains, how much more the best
        other pose leaves unexplained).
        """
        seen, pad, grey = self.seen, self.pad * self.seen, self.grey * self.seen
        steps = round(self.reach_mm / self.cell_mm)
        shape = tuple(_quick_length(n + steps + 1) for n in grey.shape)
        held = [np.fft.rfft2(one, shape) for one in (seen, grey, pad, pad * grey)]
        total = float((grey * grey).sum())
        classes = ((pad.sum(), (pad * grey).sum()), ((seen - pad).sum(), (grey - pad * grey).sum()))
        bare = total - sum(s * s / max(n, 1.0) for n, s in classes)
        if bare <= 1e-9:
            return None, 0.0, 0.0
        turns = list(TURNS_DEG)
        maps = [self._left(turn, held, shape, total, classes) for turn in turns]
        # Leads are narrow: what lies between two turns may be far better than either, so the two
        # likeliest are looked at closely.
        least = [float(one.min()) for one in maps]
        hollows = [i for i, own in enumerate(least) if own <= min(least[max(i - 1, 0) : i + 2])]
        likely = sorted(hollows, key=lambda i: least[i])[:2]
        steps_deg = (-1.5, -1.0, -0.5, 0.5, 1.0, 1.5)
        fine = list(dict.fromkeys(turns[i] + step for i in likely for step in steps_deg))
        turns += fine
        maps += [self._left(turn, held, shape, total, classes) for turn in fine]
        best, left = self._lowest(turns, maps)
        other = self._other(turns, maps, best)
        # A row of leads turned by a lead's width at its ends fits again: that is another pose too.
        for at in (turns[i] for i in hollows):
            if abs(at - best.turn_deg) > 2.0 * NEAR_DEG:
                near = [i for i, turn in enumerate(turns) if abs(turn - at) <= NEAR_DEG]
                other = min(other, *(float(maps[i].min()) for i in near))
        return best, 1.0 - left / bare, (other - left) / max(left, 1e-9)

    def _left(
        self,
        turn: float,
        held: Sequence[NDArray[np.complex128]],
        shape: tuple[int, ...],
        total: float,
        classes: Sequence[tuple[float, float]],
    ) -> Array:
        """What every shift of the part at this turn leaves unexplained (rows of dy, columns of dx)."""
        steps = round(self.reach_mm / self.cell_mm)
        around = np.arange(-steps, steps + 1)
        sums, areas = [], self.areas(turn)
        for area in areas:
            turned = np.conj(np.fft.rfft2(area, shape))
            sums.append(
                [np.fft.irfft2(one * turned, shape)[np.ix_(around, around)] for one in held]
            )
        (nb, sb, pb, qb), (ne, se, pe, qe) = sums
        whole = sum(float(area.sum()) for area in areas)
        (n_pad, s_pad), (n_mask, s_mask) = classes
        explained = np.zeros_like(nb)
        for count, value in (
            (nb, sb),
            (ne, se),
            (n_pad - pb - pe, s_pad - qb - qe),
            (n_mask - (nb - pb) - (ne - pe), s_mask - (sb - qb) - (se - qe)),
        ):
            explained += np.where(count > 2.0, value * value / np.maximum(count, 2.0), 0.0)
        return np.where(nb + ne >= 0.85 * whole, total - explained, total)

    def _lowest(self, turns: Sequence[float], maps: Sequence[Array]) -> tuple[Pose, float]:
        """The pose with the least left, settled between cells by a parabola each way."""
        at = int(np.argmin([one.min() for one in maps]))
        left = maps[at]
        row, column = np.unravel_index(int(np.argmin(left)), left.shape)
        steps = (len(left) - 1) // 2
        dy = row - steps + _vertex(left[:, column], int(row))
        dx = column - steps + _vertex(left[row], int(column))
        pose = Pose(float(dx * self.cell_mm), float(dy * self.cell_mm), float(turns[at]))
        return pose, float(left[row, column])

    def _other(self, turns: Sequence[float], maps: Sequence[Array], best: Pose) -> float:
        """The least left of any pose that is another than the best, and a hollow of its own."""
        steps = (len(maps[0]) - 1) // 2
        at = (np.arange(-steps, steps + 1)) * self.cell_mm
        far = np.hypot(at[None, :] - best.dx_mm, at[:, None] - best.dy_mm) > OTHER_MM
        found = math.inf
        for turn, left in zip(turns, maps, strict=True):
            if abs(turn - best.turn_deg) > OTHER_DEG:
                continue
            inner = left[1:-1, 1:-1]
            hollow = np.ones_like(inner, dtype=bool)
            for dy in (-1, 0, 1):
                for dx in (-1, 0, 1):
                    rows, columns = len(left) - 1 + dy, left.shape[1] - 1 + dx
                    hollow &= inner <= left[1 + dy : rows, 1 + dx : columns]
            hollow &= far[1:-1, 1:-1]
            if hollow.any():
                found = min(found, float(inner[hollow].min()))
        return found


def _quick_length(least: int) -> int:
    """The first length from `least` on without prime factors over 5: such are transformed fastest.
    Shifts of up to `steps` cells wrap round nothing from the size and as many cells more on.
    """
    length = least
    while True:
        rest = length
        for prime in (2, 3, 5):
            while rest % prime == 0:
                rest //= prime
        if rest == 1:
            return length
        length += 1


def _in_box(places: Array, ring: Ring) -> NDArray[np.bool_]:
    """Which places lie within an upright box."""
    corners = np.array(ring)
    low, high = corners.min(axis=0), corners.max(axis=0)
    inside: NDArray[np.bool_] = ((places >= low) & (places < high)).all(axis=1)
    return inside


def _vertex(line: Array, at: int) -> float:
    """How far beside a least value its parabola's lowest point lies, in cells."""
    if not 0 < at < len(line) - 1:
        return 0.0
    below, here, above = (float(line[at + k]) for k in (-1, 0, 1))
    bend = below - 2 * here + above
    return float(np.clip(0.5 * (below - above) / bend, -0.5, 0.5)) if bend > 1e-12 else 0.0


def _half(package: Package) -> Array:
    """Half the size of a part with its lands, mm."""
    corners = [(package.body_x_mm / 2, package.body_y_mm / 2)] + [
        (abs(land.x_mm) + land.size_x_mm / 2, abs(land.y_mm) + land.size_y_mm / 2)
        for land in package.lands
    ]
    return np.asarray(np.max(np.array(corners), axis=0))


def _to_body(package: Package, ring: Ring) -> Ring:
    """A lead from its toe to the body."""
    points = np.array(ring)
    middle = points.mean(axis=0)
    bx, by = package.body_x_mm / 2, package.body_y_mm / 2
    if abs(middle[0]) - bx >= abs(middle[1]) - by:
        inner = math.copysign(bx, middle[0])
        points[:, 0] = np.where(np.abs(points[:, 0]) < abs(middle[0]), inner, points[:, 0])
    else:
        inner = math.copysign(by, middle[1])
        points[:, 1] = np.where(np.abs(points[:, 1]) < abs(middle[1]), inner, points[:, 1])
    return tuple((float(x), float(y)) for x, y in points)


def _evened(grey: Array, mask: Mask) -> Array:
    """Grey with the slope of light over the bare mask divided away; what the part covers of it
    counts little, since it is out of line.
    """
    rows, columns = np.nonzero(mask)
    if len(rows) < 60:
        return grey
    height, width = grey.shape
    terms = np.column_stack((np.ones(len(rows)), 2 * columns / width - 1, 2 * rows / height - 1))
    value = np.log(np.maximum(grey[rows, columns], 1.0))
    weights: Array = np.ones(len(value))
    found: Array = np.zeros(3)
    for _ in range(8):
        heavy = terms * weights[:, None]
        found = np.linalg.lstsq(heavy.T @ terms, heavy.T @ value, rcond=None)[0]
        left = value - terms @ found
        spread = 1.4826 * float(np.median(np.abs(left - np.median(left)))) + 0.02
        weights = np.where(np.abs(left) < 2.5 * spread, (1 - (left / (2.5 * spread)) ** 2) ** 2, 0)
    slope = np.clip(found[1:], -0.8, 0.8)
    a, b = 2 * np.arange(width) / width - 1, 2 * np.arange(height) / height - 1
    return np.asarray(grey / np.exp(slope[0] * a[None, :] + slope[1] * b[:, None]))


def _outline_seen(image: Array, fit: PictureFit, part: BoardPart, pose: Pose) -> float:
    """The share of a body's outline where the grey steps within two pixels by more than it wavers
    beside it, in the sense that most of the outline has.
    """
    px_mm = scale_at(fit, part.x_mm, part.y_mm)
    edges = edges_of([body_ring(part.package)], 1.5 / px_mm)
    smooth = blurred(image, 1)
    lines = []
    for px in (-6, -5, -4, -3, 3, 4, 5, 6):
        places = pose.moved(edges.places + edges.outward * px / px_mm)
        lines.append(sampled(smooth, to_picture(fit, on_board(part, places))))
    across = np.array(lines)
    inner, outer = across[:4], across[4:]
    step = outer.mean(axis=0) - inner.mean(axis=0)
    waver = np.hypot(inner.std(axis=0), outer.std(axis=0)) + 1.5
    good = np.isfinite(step)
    if good.mean() < 0.5:
        return 0.0
    strong = np.abs(step) > 1.5 * waver
    up, down = (float(np.mean(strong[good] & (sign * step[good] > 0))) for sign in (1, -1))
    return up + down if min(up, down) > 0.15 else max(up, down)
