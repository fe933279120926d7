"""The board's drawing laid over a picture of it: from a few clicks, then from the pads' own edges.

A flat board in a picture is a homography: nine numbers, eight of them free. Two or three clicks
give a similarity, four or more the whole. What the pads' edges say then moves it: along each edge
the steepest change near by is looked for, and the drawing is moved by weighted least squares, the
range narrowing round by round. Millimetres of the board on one side (x right, y up, seen from the
top), pixels of the picture on the other (u right, v down). A lens that bends straight lines is not
modelled; its share shows in the error.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.quantity.compiled import Compiled
from yellowfen.errors import InvalidValue

loops = Compiled("yellowfen.core.look.picture_kernel")

Array = NDArray[Any]  # of float64
CLICK_PX = 3.0  # how far off a click is taken to be
FLOOR_PX = 0.3  # lens, blur and the picture's own raster, however many edges agree
SURE_PX = 4.0  # an edge is looked for where the fit is at least so sure
MOST_EDGES, LEAST_EDGES = 6000, 24
ROUNDS = 14
MOST_BENT = 0.35  # more stretch or depth than that is a slip, a mirror or another face
# Small changes made on the board before it is seen, in units of half its width: shift, shift, turn,
# scale, stretch, shear, and the two of depth; and how firmly each is held near none (1/variance).
MAKERS = np.zeros((8, 3, 3))
MAKERS[0, 0, 2] = MAKERS[1, 1, 2] = 1
MAKERS[2, 0, 1], MAKERS[2, 1, 0] = -1, 1
MAKERS[3, 0, 0] = MAKERS[3, 1, 1] = 1
MAKERS[4, 0, 0], MAKERS[4, 1, 1] = 1, -1
MAKERS[5, 0, 1] = MAKERS[5, 1, 0] = 1
MAKERS[6, 2, 0] = MAKERS[7, 2, 1] = 1
HELD = np.array((0.0, 0.0, 0.0, 0.0, 0.03**-2, 0.03**-2, 0.04**-2, 0.04**-2))


ODD_CLICK_PX = 12.0  # four times what a hand is off


@dataclass(frozen=True)
class Click:
    """A place on the board (mm) and where it is seen in the picture (px)."""

    x_mm: float
    y_mm: float
    u_px: float
    v_px: float


@dataclass(frozen=True, kw_only=True)
class PictureFit:
    """How board and picture belong together: the homography from mm to px, row by row; how many
    clicks and edges it rests on; its scale, and the error to expect at the places clicked (95 %);
    the share of the pads' outlines in sight that are seen on it, and how blurred they are (px,
    standard deviation).
    """

    matrix: tuple[float, ...]
    clicks: int
    edges: int
    um_px: float
    error_um: float
    share: float = 1.0
    blur_px: float = 0.0

    @property
    def square(self) -> Array:
        return np.array(self.matrix, dtype=np.float64).reshape(3, 3)


def to_picture(fit: PictureFit, places: Array) -> Array:
    """Board places (n, 2) in mm as picture places in px."""
    return _apply(fit.square, places)


def farthest_click(fit: PictureFit, clicks: Sequence[Click]) -> tuple[int, float]:
    """(which click, px) that lies farthest from where the fit says its place is; (0, 0) without
    any.

    A hand clicks within some three pixels; what lies `ODD_CLICK_PX` off was another place, or the
    lines were drawn to the wrong edges.
    """
    if not clicks:
        return 0, 0.0
    board, picture = _arrays(clicks)
    off = np.hypot(*(to_picture(fit, board) - picture).T)
    worst = int(off.argmax())
    return worst, float(off[worst])


def to_board(fit: PictureFit, places: Array) -> Array:
    """Picture places (n, 2) in px as board places in mm."""
    return _apply(np.linalg.inv(fit.square), places)


def _apply(matrix: Array, places: Array) -> Array:
    x, y = places.T
    moved = np.empty((2, len(x)))
    for row, out in zip(matrix, moved, strict=False):
        np.multiply(x, row[0], out=out)
        out += row[1] * y
        out += row[2]
    depth = matrix[2, 0] * x + matrix[2, 1] * y
    depth += matrix[2, 2]
    moved /= depth
    return moved.T


def scale_at(fit: PictureFit, x_mm: float, y_mm: float) -> float:
    """Pixels per millimetre at a place of the board."""
    near = np.array([[x_mm, y_mm], [x_mm + 0.1, y_mm], [x_mm, y_mm + 0.1]])
    spots = to_picture(fit, near)
    a, b = spots[1] - spots[0], spots[2] - spots[0]
    return math.sqrt(abs(float(a[0] * b[1] - a[1] * b[0]))) / 0.1


# by clicks
def fit_clicks(clicks: Sequence[Click], side: str) -> PictureFit:
    """The fit that two or more clicks give, each taken to be three pixels off.

    Raises InvalidValue for fewer than two, for clicks on one spot or that do not belong together.
    """
    state = _begun(clicks, side)
    places = _arrays(clicks)[0]
    error = 2.0 * math.sqrt(float(np.max(_variance(state, places))))
    return _described(state.matrix, places, error, len(clicks), 0)


@dataclass(frozen=True, kw_only=True)
class _State:
    """Where a fit stands: the matrix, how far it has been moved from a similarity (8 numbers), how
    sure that is (8 x 8), and the frame in which the numbers count.
    """

    matrix: Array
    moved: Array
    cover: Array
    frame: Array


def _begun(clicks: Sequence[Click], side: str) -> _State:
    """The likeliest homography behind some clicks, with stretch and depth held near none."""
    if len(clicks) < 2:
        raise InvalidValue("clicks", "at least two places are needed, far apart")
    board, picture = _arrays(clicks)
    if not (np.isfinite(board).all() and np.isfinite(picture).all()):
        raise InvalidValue("clicks", "a place is not a number")
    if np.ptp(board, axis=0).max() < 0.2 or np.ptp(picture, axis=0).max() < 20:
        raise InvalidValue("clicks", "these places are too close together; choose two far apart")
    middle, size = board.mean(axis=0), max(float(np.abs(board - board.mean(axis=0)).max()), 1e-6)
    frame = np.array(
        [[1 / size, 0, -middle[0] / size], [0, 1 / size, -middle[1] / size], [0, 0, 1]]
    )
    state = _State(
        matrix=_similarity(board, picture, side),
        moved=np.zeros(8),
        cover=np.eye(8),
        frame=frame,
    )
    for _ in range(6):
        state = _settled(state, *_clicked(state, board, picture))
    left = np.hypot(*(_apply(state.matrix, board) - picture).T)
    bent = float(np.abs(state.moved[4:]).max())
    if not np.isfinite(left).all() or left.max() > 12 * CLICK_PX or bent > MOST_BENT:
        raise InvalidValue("clicks", "these places do not fit together; click them again")
    return state


def _arrays(clicks: Sequence[Click]) -> tuple[Array, Array]:
    return (
        np.array([(one.x_mm, one.y_mm) for one in clicks]),
        np.array([(one.u_px, one.v_px) for one in clicks]),
    )


def _clicked(state: _State, board: Array, picture: Array) -> tuple[Array, Array, Array]:
    """What clicks say: slopes, misses and weights, across and down."""
    miss = picture - _apply(state.matrix, board)
    ways = [np.tile(one, (len(board), 1)) for one in ((1.0, 0.0), (0.0, 1.0))]
    slopes = np.concatenate([_slopes(state, board, way) for way in ways])
    weights = np.full(len(slopes), CLICK_PX**-2.0)
    return slopes, np.concatenate((miss[:, 0], miss[:, 1])), weights


def _settled(state: _State, slopes: Array, miss: Array, weights: Array) -> _State:
    """The state after what is missed is spread over the numbers, by weighted least squares."""
    heavy = slopes * weights[:, None]
    normal = slopes.T @ heavy + np.diag(HELD)
    move = np.linalg.solve(normal, heavy.T @ miss - HELD * state.moved)
    matrix = state.matrix @ np.linalg.inv(state.frame) @ _step(move) @ state.frame
    depth = float((matrix @ np.linalg.inv(state.frame))[2, 2])  # 1 in the middle of the clicks
    return _State(
        matrix=matrix / depth,
        moved=state.moved + move,
        cover=np.linalg.inv(normal),
        frame=state.frame,
    )


def _step(move: Array) -> Array:
    return np.eye(3) + np.tensordot(move, MAKERS, axes=1)


def _slopes(state: _State, places: Array, normals: Array) -> Array:
    """How far each place (mm) moves along its normal (px) for each of the eight numbers."""
    back = state.matrix @ np.linalg.inv(state.frame)
    turns = np.concatenate([back @ maker @ state.frame for maker in MAKERS])  # (24, 3)
    flat = np.vstack((places.T, np.ones(len(places))))
    here, moved = state.matrix @ flat, (turns @ flat).reshape(len(MAKERS), 3, -1)
    x, y, along = here[0] / here[2], here[1] / here[2], normals / here[2][:, None]
    found = (moved[:, 0] - x * moved[:, 2]) * along[:, 0]
    found += (moved[:, 1] - y * moved[:, 2]) * along[:, 1]
    return np.ascontiguousarray(found.T)


def _variance(state: _State, places: Array) -> Array:
    """Each place's variance in px², across and down together."""
    total = np.zeros(len(places))
    for way in ((1.0, 0.0), (0.0, 1.0)):
        slopes = _slopes(state, places, np.tile(way, (len(places), 1)))
        total += np.einsum("ij,jk,ik->i", slopes, state.cover, slopes)
    return total


def _similarity(board: Array, picture: Array, side: str) -> Array:
    """Turn, scale and shift; v runs down, so the top is seen mirrored in these numbers and the
    bottom is not.
    """
    z = board[:, 0] + 1j * board[:, 1]
    z = z if side == "bottom" else z.conj()
    w = picture[:, 0] + 1j * picture[:, 1]
    centred = z - z.mean()
    a = (centred.conj() @ (w - w.mean())) / (centred.conj() @ centred)
    b = w.mean() - a * z.mean()
    sign = 1.0 if side == "bottom" else -1.0
    return np.array(
        [[a.real, -sign * a.imag, b.real], [a.imag, sign * a.real, b.imag], [0.0, 0.0, 1.0]]
    )


def _described(matrix: Array, board: Array, error_px: float, clicks: int, edges: int) -> PictureFit:
    middle = board.mean(axis=0)
    fit = PictureFit(
        matrix=tuple(float(one) for one in matrix.ravel()),
        clicks=clicks,
        edges=edges,
        um_px=1.0,
        error_um=1.0,
    )
    um_px = 1000.0 / max(scale_at(fit, float(middle[0]), float(middle[1])), 1e-9)
    if not math.isfinite(um_px) or um_px > 1000:
        raise InvalidValue("clicks", "these places do not fit together; click them again")
    return PictureFit(
        matrix=fit.matrix, clicks=clicks, edges=edges, um_px=um_px, error_um=error_px * um_px
    )


# by edges
@dataclass(frozen=True)
class Edges:
    """Places along outlines: where (n, 2) mm, the way out of the outline (n, 2), which side of
    which outline each belongs to (n,).
    """

    places: Array
    outward: Array
    group: NDArray[np.intp]

    def outside(self, rings: Sequence[Sequence[tuple[float, float]]]) -> "Edges":
        """Those that lie within none of these outlines (bodies that hide them)."""
        free = np.ones(len(self.places), dtype=bool)
        for ring in rings:
            free &= ~within(self.places, ring)
        return Edges(self.places[free], self.outward[free], self.group[free])


def within(places: Array, ring: Sequence[tuple[float, float]]) -> NDArray[np.bool_]:
    """Which places (n, 2) lie within an outline (even-odd)."""
    points = np.array(ring, dtype=np.float64)
    inside = np.zeros(len(places), dtype=bool)
    for (px, py), (qx, qy) in zip(points, np.roll(points, -1, axis=0), strict=True):
        if py == qy:
            continue
        rows = (places[:, 1] >= min(py, qy)) & (places[:, 1] < max(py, qy))
        cut = px + (places[:, 1] - py) * (qx - px) / (qy - py)
        inside ^= rows & (places[:, 0] < cut)
    return inside


def edges_of(rings: Sequence[Sequence[tuple[float, float]]], step_mm: float) -> Edges:
    """Places every `step_mm` along closed outlines, their corners left out."""
    closed = [points for ring in rings if len(points := _opened(ring))]
    if not closed:
        return Edges(np.zeros((0, 2)), np.zeros((0, 2)), np.zeros(0, dtype=np.intp))
    turned = [np.roll(points, -1, axis=0) for points in closed]
    a, b = np.concatenate(closed), np.concatenate(turned)
    swept = a[:, 0] * b[:, 1] - b[:, 0] * a[:, 1]
    counts = [len(points) for points in closed]
    area = np.add.reduceat(swept, np.cumsum([0, *counts[:-1]]))
    way = np.repeat(np.where(area > 0, 1.0, -1.0), counts)
    along = b - a
    length = np.hypot(*along.T)
    number = (length * 0.7 / step_mm).astype(np.intp)
    side = np.repeat(np.arange(len(a)), number)
    first = np.cumsum(number) - number
    shares = 0.15 + 0.7 * (np.arange(len(side)) - first[side] + 0.5) / number[side]
    out = np.column_stack((along[:, 1], -along[:, 0])) / np.maximum(length, 1e-12)[:, None]
    group = np.cumsum(number > 0) - 1
    return Edges(a[side] + shares[:, None] * along[side], (out * way[:, None])[side], group[side])


def _opened(ring: Sequence[tuple[float, float]]) -> Array:
    """A closed outline's corners, the first not again at its end."""
    points = np.array(ring, dtype=np.float64).reshape(-1, 2)
    again = len(points) > 1 and np.abs(points[0] - points[-1]).max() < 1e-6
    return points[:-1] if again else points


def blurred(image: Array, times: int = 1) -> Array:
    """The picture smoothed by 1 4 6 4 1 both ways, so often."""

    image = np.ascontiguousarray(image, dtype=np.float64)
    for _ in range(times):
        image = loops.smoothed(image)
    return image


def sampled(image: Array, places: Array) -> Array:
    """The picture at places (n, 2) in px, between pixels in proportion; not a number outside."""
    height, width = image.shape
    u, v = places[:, 0], places[:, 1]
    inside = (u >= 0) & (v >= 0) & (u <= width - 1) & (v <= height - 1)
    u0 = np.minimum(np.where(inside, u, 0.0).astype(np.intp), width - 2)
    v0 = np.minimum(np.where(inside, v, 0.0).astype(np.intp), height - 2)
    a, b = u - u0, v - v0
    flat, at = image.ravel(), v0 * width + u0
    upper, lower = _between(flat, at, a), _between(flat, at + width, a)
    lower -= upper
    lower *= b
    upper += lower
    upper[~inside] = np.nan
    return upper


def _between(flat: Array, at: NDArray[np.intp], share: Array) -> Array:
    """Of each two neighbours from `at` on, the second by its share."""
    found = flat.take(at).astype(np.float64)
    found += (flat.take(at + 1) - found) * share
    return found


def steps_found(
    image: Array, spots: Array, normals: Array, reach_px: Array, sign: float
) -> tuple[Array, Array]:
    """How far along each normal (px) the steepest change within each reach lies, and how steep it
    is; `sign` 1 looks for darker outwards, -1 for brighter, 0 for either.
    """

    furthest = math.ceil(float(reach_px.max()))
    offsets = np.arange(-furthest - 1.0, furthest + 1.01, 0.5)
    lines: Array = loops.along_normals(image, spots, normals, offsets)
    change = lines[:, :-2] - lines[:, 2:]
    middle = offsets[1:-1]
    score = np.abs(change) if sign == 0 else sign * change
    score = np.where(np.isfinite(score), score, -np.inf)
    apart = np.abs(middle)[None, :] / (reach_px[:, None] + 0.5)
    near = np.where(apart <= 1.0, score * (1.0 - 0.5 * apart**2), -np.inf)
    best = np.argmax(np.where(score > 0, near, score), axis=1)
    best = np.clip(best, 1, score.shape[1] - 2)
    rows = np.arange(len(spots))
    below, at, above = score[rows, best - 1], score[rows, best], score[rows, best + 1]
    with np.errstate(invalid="ignore", divide="ignore"):
        bend = below - 2 * at + above
        shift = np.where(np.isfinite(bend) & (bend < -1e-12), 0.5 * (below - above) / bend, 0.0)
    found = middle[best] + 0.5 * np.clip(shift, -1, 1)
    return np.where(np.isfinite(at) & (at > 0), found, np.nan), np.where(np.isfinite(at), at, 0.0)


def refined(
    image: Array,
    rings: Sequence[Sequence[tuple[float, float]]],
    clicks: Sequence[Click],
    side: str,
    hidden: Sequence[Sequence[tuple[float, float]]] = (),
) -> PictureFit:
    """The fit as the outlines' edges in the picture give it; what the clicks give where the edges
    say too little. It begins at the clicks, where it is sure, and grows outwards as it becomes
    sure, so that a row of pins is not taken for the next one. `image` is one channel (height,
    width); `hidden` are the outlines of bodies, under which no edge is looked for.
    """
    start, state = fit_clicks(clicks, side), _begun(clicks, side)
    edges = edges_of(rings, max(start.um_px / 1000.0 * 1.5, 0.02)).outside(hidden)
    fine = blurred(image)
    smooth = blurred(fine)
    board, picture = _arrays(clicks)
    sign, seen = 0.0, 0
    for turn in range(ROUNDS):
        at = _in_sight(state, edges, image.shape)
        if len(at) < LEAST_EDGES:
            return start
        places, outward, group = edges.places[at], edges.outward[at], edges.group[at]
        here, normals = _normals(state.matrix, places, outward)
        sign = sign or _sign(smooth, here, normals)
        slopes = _slopes(state, places, normals)
        doubt = np.sqrt(np.einsum("ij,jk,ik->i", slopes, state.cover, slopes))
        sure = doubt <= max(SURE_PX, float(np.quantile(doubt, 0.12)))
        reach = np.clip(3.0 * doubt, 4.0, 10.0)
        miss, steep = steps_found(
            fine if turn > ROUNDS // 2 else smooth, here[sure], normals[sure], reach[sure], sign
        )
        slopes, group = slopes[sure], group[sure]
        miss, weights, left = _weighed(
            state, slopes, miss, steep=steep, group=group, doubt=doubt[sure]
        )
        seen = int(np.count_nonzero(weights))
        if seen < LEAST_EDGES:
            return start
        both = [
            np.concatenate(pair)
            for pair in zip(_clicked(state, board, picture), (slopes, miss, weights), strict=True)
        ]
        state = _settled(state, *both)
    error = _edge_error(slopes, left, weights, group)
    if error is None or not np.isfinite(state.matrix).all():
        return start
    return _described(state.matrix, places, error, start.clicks, seen)


def _in_sight(state: _State, edges: Edges, shape: tuple[int, ...]) -> NDArray[np.intp]:
    """Edge places that lie in the picture now, at most `MOST_EDGES` of them."""
    if not len(edges.places):
        return np.zeros(0, dtype=np.intp)
    height, width = shape
    depth = np.column_stack((edges.places, np.ones(len(edges.places)))) @ state.matrix[2]
    spots = _apply(state.matrix, edges.places)
    inside = (depth > 0.2) & (spots > 3).all(axis=1) & (spots < (width - 4, height - 4)).all(axis=1)
    found = np.flatnonzero(inside)
    return found[:: max(len(found) // MOST_EDGES, 1)]


def _normals(matrix: Array, places: Array, outward: Array) -> tuple[Array, Array]:
    """Where places lie in the picture, and the way across their edge there.

    The way across is at a right angle to the edge as it is seen, not the outward way as it is seen.
    """
    here = _apply(matrix, places)
    along = np.column_stack((-outward[:, 1], outward[:, 0])) * 0.05
    seen = _apply(matrix, places + along) - here
    across = np.column_stack((seen[:, 1], -seen[:, 0]))
    out = _apply(matrix, places + 0.05 * outward) - here
    across *= np.sign(np.sum(across * out, axis=1))[:, None]
    return here, across / np.maximum(np.hypot(*across.T), 1e-12)[:, None]


def _sign(image: Array, here: Array, normals: Array) -> float:
    """1 where outlines are brighter inside than outside, else -1."""
    change = sampled(image, here - 4 * normals) - sampled(image, here + 4 * normals)
    return 1.0 if np.nanmedian(change) >= 0 else -1.0


def _weighed(
    state: _State,
    slopes: Array,
    miss: Array,
    *,
    steep: Array,
    group: NDArray[np.intp],
    doubt: Array,
) -> tuple[Array, Array, Array]:
    """Misses with their weights, in 1/px²: one side of one outline counts as one witness, steep
    edges more, those out of line by more than they are in doubt not at all; and what the fit leaves
    of them.
    """
    good = np.isfinite(miss)
    miss = np.where(good, miss, 0.0)
    if good.sum() < LEAST_EDGES:
        return miss, np.zeros(len(miss)), miss
    usual = max(float(np.median(steep[good])), 1e-12)
    count = np.bincount(group)[group]
    weights = np.where(good, np.minimum(steep / usual, 1.5) / count, 0.0)
    left, robust = miss, weights
    for _ in range(6):
        spread = 1.4826 * float(np.median(np.abs(left[good]))) + 0.2
        out = 3 * spread + 2 * doubt
        bounded = np.where(np.abs(left) < out, (1 - (left / out) ** 2) ** 2, 0.0)
        robust = 0.25 * weights * bounded / spread**2
        heavy = slopes * robust[:, None]
        normal = slopes.T @ heavy + np.diag(HELD)
        left = miss - slopes @ np.linalg.solve(normal, heavy.T @ miss - HELD * state.moved)
    return miss, robust, left


def _edge_error(
    slopes: Array, left: Array, weights: Array, group: NDArray[np.intp]
) -> float | None:
    """95 % of the error (px) at the outlines: one side of one outline counts as one witness, since
    places along it err together.
    """
    heavy = np.bincount(group, weights=weights)
    used = heavy > 0
    if used.sum() < 5:
        return None
    mean = np.bincount(group, weights=weights * left)[used] / heavy[used]
    rows = np.stack(
        [np.bincount(group, weights=weights * column)[used] / heavy[used] for column in slopes.T], 1
    )
    spread = 1.4826 * float(np.median(np.abs(mean))) + 0.05
    cover = np.linalg.inv(rows.T @ rows / spread**2 + np.diag(HELD) + 1e-9 * np.eye(8))
    witnessed = 2.0 * math.sqrt(2.0 * float(np.max(np.einsum("ij,jk,ik->i", rows, cover, rows))))
    return math.hypot(witnessed, FLOOR_PX)


LEAST_SHARE = 0.55  # of the pads' outlines in sight that must be seen where they are drawn
LEAST_PART_SHARE = 0.35  # likewise of every part that has so many places in sight
LEAST_PART_EDGES = 60
MOST_BLUR_PX, MOST_BLUR_UM = 2.6, 60.0


def with_quality(
    image: Array,
    rings: Sequence[Sequence[tuple[float, float]]],
    fit: PictureFit,
    hidden: Sequence[Sequence[tuple[float, float]]] = (),
    parts: Sequence[Sequence[Sequence[tuple[float, float]]]] = (),
) -> PictureFit:
    """The fit with how well the picture bears it out: at each place along the outlines in sight the
    grey must change across it, in the sense of most, by more than it wavers beside it; and so at
    the pads of each of the `parts`: a like part that lies right does not speak for its neighbours.
    """
    edges = edges_of(rings, max(fit.um_px / 1000.0 * 2.0, 0.02)).outside(hidden)
    smooth = blurred(image)
    seen = _stepping(smooth, edges, fit.square)
    if len(seen.here) < LEAST_EDGES:
        return replace(fit, share=0.0)
    share = float(np.mean(seen.good))
    for rings_of_part in parts:
        mine = edges_of(rings_of_part, max(fit.um_px / 1000.0 * 2.0, 0.02)).outside(hidden)
        one = _stepping(smooth, mine, fit.square)
        if len(one.here) >= LEAST_PART_EDGES and np.mean(one.good) < LEAST_PART_SHARE:
            share = min(share, float(np.mean(one.good)))
    if seen.good.sum() < LEAST_EDGES:
        return replace(fit, share=share)
    here, normals, sign = seen.here[seen.good], seen.normals[seen.good], seen.sign

    def slope(of: Array) -> float:
        return float(np.median(sign * (sampled(of, here - normals) - sampled(of, here + normals))))

    # A step blurred by s has slope 1/s; blurred once more by a known amount it tells s.
    ratio = (slope(smooth) / max(slope(blurred(smooth, 4)), 1e-9)) ** 2
    variance = (5.0 - ratio) / max(ratio - 1.0, 1e-3) if ratio < 5.0 else 0.0
    return replace(fit, share=share, blur_px=math.sqrt(min(variance, 400.0)))


@dataclass(frozen=True, kw_only=True)
class _Steps:
    """Places along outlines in sight and their normals (px), where the grey steps across them, and
    in which sense.
    """

    here: Array
    normals: Array
    good: NDArray[np.bool_]
    sign: float


def _stepping(smooth: Array, edges: Edges, matrix: Array) -> _Steps:
    """Where the grey of a picture steps across outlines of the board."""
    places = edges.places if len(edges.places) else np.zeros((0, 2))
    here, normals = _normals(matrix, places, edges.outward) if len(places) else (places, places)
    height, width = smooth.shape
    inside = ((here > 14) & (here < (width - 15, height - 15))).all(axis=1)
    here, normals = here[inside][:MOST_EDGES], normals[inside][:MOST_EDGES]
    if not len(here):
        return _Steps(here=here, normals=normals, good=np.zeros(0, dtype=bool), sign=1.0)
    near = np.array(
        [sampled(smooth, here + px * normals) for px in (-5.0, -4.0, -3.0, 3.0, 4.0, 5.0)]
    )
    inner, outer = near[:3], near[3:]
    step = inner.mean(axis=0) - outer.mean(axis=0)
    waver = np.hypot(inner.std(axis=0), outer.std(axis=0)) + 1.5
    sign = 1.0 if np.median(step) >= 0 else -1.0
    usual = float(np.median(np.abs(step)))
    good = (sign * step > 1.5 * waver) & (sign * step > 0.35 * usual)
    return _Steps(here=here, normals=normals, good=good, sign=sign)


def fit_doubt(fit: PictureFit, clicks: Sequence[Click]) -> str:
    """Why nothing is to be measured on a fit, in a sentence; "" where it is to be believed."""
    if fit.share < LEAST_SHARE:
        return "The drawing does not match the pads in the picture: a wrong place was clicked, or the picture shows another board or side. Undo the places and click them again."
    if fit.edges and max(fit.blur_px * fit.um_px / MOST_BLUR_UM, fit.blur_px / MOST_BLUR_PX) > 1:
        return "The picture is out of focus, so nothing can be measured: focus on the pads and take it again."
    worst, far = farthest_click(fit, clicks)
    if far > ODD_CLICK_PX:
        return f"Place {worst + 1} lies {far:.0f} pixels from where the other places show it: undo the places and click them again."
    if _aslant(fit) > MOST_ASLANT:
        return "The camera is tilted too much to measure: hold it straight above the board."
    return ""


MOST_ASLANT = 0.2  # by which share the scale differs along and across


def _aslant(fit: PictureFit) -> float:
    """How much more a millimetre is stretched one way than the other, in the middle."""
    matrix = fit.square
    corner = np.linalg.solve(matrix, np.array((0.0, 0.0, 1.0)))
    x, y = corner[:2] / corner[2] if abs(corner[2]) > 1e-12 else (0.0, 0.0)
    here = _apply(matrix, np.array([[x, y], [x + 0.01, y], [x, y + 0.01]]))
    sizes = np.linalg.svd(here[1:] - here[0], compute_uv=False)
    return float(sizes[0] / max(sizes[1], 1e-12) - 1.0)


def best_channel(
    channels: Sequence[Array], rings: Sequence[Sequence[tuple[float, float]]], fit: PictureFit
) -> int:
    """Which of some channels tells outlines from what lies around them best."""
    edges = edges_of(rings, max(fit.um_px / 1000.0 * 3, 0.04))
    if not len(edges.places):
        return 0
    here, normals = _normals(fit.square, edges.places, edges.outward)
    best, most = 0, -1.0
    for number, channel in enumerate(channels):
        change = sampled(channel, here - 5 * normals) - sampled(channel, here + 5 * normals)
        change = change[np.isfinite(change)]
        told = (
            abs(float(np.median(change))) / (float(np.std(change)) + 1e-3) if len(change) else 0.0
        )
        if told > most * 1.05:
            best, most = number, told
    return best
