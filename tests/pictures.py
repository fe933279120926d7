"""Pictures with known truth: a board seen aslant through a blurred, noisy, unevenly lit camera."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from scipy.ndimage import gaussian_filter

from yellowfen.core.board.board import Board, BoardPart, Opening, Pad
from yellowfen.core.look.part_seen import Pose, body_ring, end_ring, on_board
from yellowfen.core.look.picture_fit import Click, PictureFit
from yellowfen.core.part.catalogue import package_named

KINDS = ("0603", "0805", "SOT-23", "SOIC-8", "TSSOP-20", "QFP-48", "QFN-20", "SOIC-16")
FINER = 3  # the picture is drawn so many times as large
MASK, TIN, PASTE, BODY, LEAD = 60.0, 205.0, 128.0, 28.0, 232.0


def pictured_board(seed: int, side: str = "top", count: int = 6) -> Board:
    """A board of random parts, each pad with an opening a little smaller."""
    chance = np.random.default_rng(seed)
    parts, pads, openings = [], [], []
    for n in range(count):
        package = package_named(str(chance.choice(KINDS)))
        x, y = 7.0 + 12.0 * (n % 3), 7.0 + 12.0 * (n // 3)
        turn = float(chance.choice((0, 90, 180, 270)))
        part = BoardPart(
            ref=f"U{n}",
            value="",
            footprint="",
            x_mm=x,
            y_mm=y,
            rotation_deg=turn,
            side=side,
            package=package,
            joined=True,
        )
        parts.append(part)
        for land in package.lands:
            half = np.array((land.size_x_mm, land.size_y_mm)) / 2
            signs = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)])
            middle = np.array((land.x_mm, land.y_mm))
            ring = on_board(part, middle + signs * half)
            size = np.ptp(ring, axis=0)
            centre = ring.mean(axis=0)
            pads.append(
                Pad(
                    side=side,
                    x_mm=float(centre[0]),
                    y_mm=float(centre[1]),
                    size_x_mm=float(size[0]),
                    size_y_mm=float(size[1]),
                    angle_deg=0.0,
                    area_mm2=float(np.prod(size)),
                    paste_mm2=float(0.81 * np.prod(size)),
                    ring=tuple((float(a), float(b)) for a, b in ring),
                    ref=part.ref,
                    pin=land.pin,
                )
            )
            opening = centre + 0.9 * (ring - centre)
            openings.append(
                Opening(
                    side=side,
                    ring=tuple((float(a), float(b)) for a, b in opening),
                    area_mm2=float(0.81 * np.prod(size)),
                    perimeter_mm=float(1.8 * size.sum()),
                    size_x_mm=float(0.9 * size[0]),
                    size_y_mm=float(0.9 * size[1]),
                    angle_deg=0.0,
                    pad=len(pads) - 1,
                )
            )
    return Board(
        name="pictured",
        width_mm=38.0,
        height_mm=26.0,
        thickness_mm=1.6,
        outline=(((0.0, 0.0), (38.0, 0.0), (38.0, 26.0), (0.0, 26.0)),),
        pads=tuple(pads),
        holes=(),
        copper=(),
        parts=tuple(parts),
        layers=(),
        findings=(),
        openings=tuple(openings),
    )


@dataclass
class Layers:
    """What is painted over the bare board, in order: outlines (mm) and their grey."""

    shapes: list[tuple[NDArray[np.float64], float]] = field(default_factory=list)

    def add(self, ring: object, grey: float) -> None:
        self.shapes.append((np.asarray(ring, dtype=float), grey))


def bare(board: Board, side: str = "") -> Layers:
    """The pads alone (of one side)."""
    layers = Layers()
    for pad in board.pads:
        if side in ("", pad.side):
            layers.add(pad.ring, TIN)
    return layers


def with_part(layers: Layers, part: BoardPart, pose: Pose) -> None:
    """A part on top, moved by a pose: leads or ends, then the body."""
    for land in part.package.lands:
        ring = end_ring(part.package, land)
        if ring is not None and part.package.family not in ("chip", "qfn"):
            layers.add(on_board(part, pose.moved(np.array(ring))), LEAD)
    layers.add(on_board(part, pose.moved(np.array(body_ring(part.package)))), BODY)


def camera(seed: int, um_px: float, centre: tuple[float, float], side: str) -> NDArray[np.float64]:
    """A random homography from mm to px: any turn, so many µm a pixel in the middle, a little
    aslant; the middle of the picture (1200 x 900) looks at `centre`.
    """
    chance = np.random.default_rng(seed)
    angle = chance.uniform(0, 2 * np.pi)
    s = 1000.0 / um_px
    c, d = s * np.cos(angle), s * np.sin(angle)
    flip = 1.0 if side == "top" else -1.0
    flat = np.array([[c * flip, d, 0], [d * flip, -c, 0], [0, 0, 1.0]])
    reach = 600 * um_px / 1000.0
    lean = np.array([[1, 0, 0], [0, 1, 0], [*(chance.uniform(-0.04, 0.04, 2) / reach), 1]])
    stretch = np.array(
        [[1, chance.uniform(-0.03, 0.03), 0], [0, chance.uniform(0.97, 1.03), 0], [0, 0, 1]]
    )
    to = np.array([[1, 0, -centre[0]], [0, 1, -centre[1]], [0, 0, 1.0]])
    return np.array([[1, 0, 600], [0, 1, 450], [0, 0, 1.0]]) @ flat @ stretch @ lean @ to


def seen_through(matrix: NDArray[np.float64], places: object) -> NDArray[np.float64]:
    flat = np.column_stack((np.asarray(places, dtype=float), np.ones(len(places)))) @ matrix.T  # type: ignore[arg-type]
    return flat[:, :2] / flat[:, 2:]


def filled(image: NDArray[np.floating], ring: NDArray[np.float64], grey: float) -> None:
    """Paint the pixels whose middles lie in an outline: no wider than it is (a drawing library's
    own polygons take in their border: a third of a pixel more on every pad, several points of
    cover).
    """
    low = np.maximum(np.ceil(ring.min(axis=0)).astype(int), 0)
    high = np.minimum(np.floor(ring.max(axis=0)).astype(int) + 1, image.shape[::-1])
    if (high <= low).any():
        return
    xs, ys = np.arange(low[0], high[0]), np.arange(low[1], high[1])
    inside = np.zeros((len(ys), len(xs)), dtype=bool)
    for (px, py), (qx, qy) in zip(ring, np.roll(ring, -1, axis=0), strict=True):
        if py == qy:
            continue
        rows = (ys >= min(py, qy)) & (ys < max(py, qy))
        cut = px + (ys[rows] - py) * (qx - px) / (qy - py)
        inside[rows] ^= xs[None, :] < cut[:, None]
    image[low[1] : high[1], low[0] : high[0]][inside] = grey


def rendered(
    layers: Layers,
    matrix: NDArray[np.float64],
    seed: int,
    *,
    noise: float = 6.0,
    blur: float = 1.2,
    light: float = 0.35,
    size: tuple[int, int] = (1200, 900),
    speckle: float = 10.0,
) -> NDArray[np.float64]:
    """A picture in grey, 0 to 255: each shape drawn `FINER` times as large and scaled down."""
    chance = np.random.default_rng(seed)
    big = np.full((FINER * size[1], FINER * size[0]), MASK, dtype=np.float32)
    for ring, grey in layers.shapes:
        filled(big, FINER * seen_through(matrix, ring) + (FINER - 1) / 2, grey)
    image = np.array(Image.fromarray(big).reduce(FINER))
    grain = chance.standard_normal(image.shape, dtype=np.float32) * np.float32(speckle)
    grain[image <= 90] *= 0.2
    image = gaussian_filter(image + grain, blur, mode="nearest")
    a = np.linspace(-1, 1, size[0], dtype=np.float32)
    b = np.linspace(-1, 1, size[1], dtype=np.float32)[:, None]
    turn = chance.uniform(0, 2 * np.pi)
    lean = np.float32(0.6 * light) * (a * np.float32(np.cos(turn)) + b * np.float32(np.sin(turn)))
    image *= 1 + lean - np.float32(0.4 * light) * (a * a + b * b)
    image += chance.standard_normal(image.shape, dtype=np.float32) * np.float32(noise)
    return np.clip(image, 0, 255).astype(np.float64)


def clicks_near(
    board: Board, matrix: NDArray[np.float64], count: int, seed: int, scatter: float = 3.0
) -> list[Click]:
    """So many pads far apart in the picture, each clicked so many pixels off (standard deviation)."""
    chance = np.random.default_rng(seed)
    middles = np.array([(pad.x_mm, pad.y_mm) for pad in board.pads])
    spots = seen_through(matrix, middles)
    inside = np.flatnonzero(((spots > 25) & (spots < (1175, 875))).all(axis=1))
    chosen = [int(inside[np.argmax(np.abs(spots[inside] - (600, 450)).sum(axis=1))])]
    while len(chosen) < count:
        far = np.min([np.hypot(*(spots[inside] - spots[n]).T) for n in chosen], axis=0)
        chosen.append(int(inside[np.argmax(far)]))
    found = []
    for n in chosen:
        u, v = spots[n] + chance.normal(size=2) * scatter
        found.append(Click(float(middles[n][0]), float(middles[n][1]), float(u), float(v)))
    return found


def fit_error_mm(fit: PictureFit, matrix: NDArray[np.float64], board: Board) -> NDArray[np.float64]:
    """How far the fit is off (mm) at the pads that lie in the picture."""
    middles = np.array([(pad.x_mm, pad.y_mm) for pad in board.pads])
    spots = seen_through(matrix, middles)
    inside = ((spots > 0) & (spots < (1200, 900))).all(axis=1)
    back = seen_through(np.linalg.inv(fit.square), spots[inside])
    return np.hypot(*(back - middles[inside]).T)
