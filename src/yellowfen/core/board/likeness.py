"""Which package a set of pads is: every package of the catalogue with as many lands is laid over
them in every turn, and the one whose lands lie nearest wins.

Land patterns differ from maker to maker mostly along a lead: toes longer, rows farther apart. So a
land may lie farther off along itself than across, where the pitch decides.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.board import Pad
from yellowfen.core.part.catalogue import CHIP_SIZES, PALETTE, find_package
from yellowfen.core.part.package import JointKind, Package

Numbers = NDArray[np.float64]
WORST_MISFIT = 1.0
_PITCH_SHARE, _ALONG_SHARE, _ALONG_MM, _SIZE_WEIGHT = 0.22, 0.07, 0.12, 0.35


@dataclass(frozen=True)
class Pattern:
    """A package's lands as arrays: places (n, 2), sizes (n, 2), mm."""

    name: str
    package: Package

    @cached_property
    def places(self) -> Numbers:
        return np.array([(land.x_mm, land.y_mm) for land in self.package.lands])

    @cached_property
    def sizes(self) -> Numbers:
        return np.array([(land.size_x_mm, land.size_y_mm) for land in self.package.lands])

    @cached_property
    def allowed(self) -> Numbers:
        """How far off a land's pad may lie in x and in y (n, 2), mm."""
        extent = np.ptp(self.places, axis=0)
        near = self._nearest()
        along = _ALONG_SHARE * extent + _ALONG_MM
        across = np.clip(_PITCH_SHARE * near, 0.06, 0.35)[:, None]
        elongated = self.sizes[:, 0] != self.sizes[:, 1]
        lengthwise = np.stack(
            [self.sizes[:, 0] > self.sizes[:, 1], self.sizes[:, 1] > self.sizes[:, 0]], axis=1
        )
        both = len(self.places) <= 6
        return np.where(lengthwise & elongated[:, None] | both, np.maximum(along, across), across)

    @cached_property
    def spread_mm(self) -> float:
        return _spread(self.places)

    def _nearest(self) -> Numbers:
        apart = np.hypot(*(self.places[:, None] - self.places[None]).transpose(2, 0, 1))
        np.fill_diagonal(apart, math.inf)
        return np.asarray(apart.min(axis=1))


@dataclass(frozen=True, kw_only=True)
class Likeness:
    """The package that pads look like: where its middle lies and how it is turned, seen from its
    own side (x to the right there); which pad is which pin; `misfit` 0 for lands exactly there, 1
    at the edge of what is believed.
    """

    name: str
    package: Package
    x_mm: float
    y_mm: float
    rotation_deg: float
    pins: Mapping[int, str]
    misfit: float


def _names() -> list[str]:
    dual = [
        name
        for pins in range(8, 58, 2)
        for name in (f"SOIC-{pins}", f"SOIC-{pins}W", f"TSSOP-{pins}", f"SSOP-{pins}")
    ]
    dual += [f"SOIC-{pins}_5.3x{1.27 * (pins // 2 - 1) + 1.4:.1f}" for pins in (8, 14, 16)]
    dual += [f"MSOP-{pins}" for pins in (8, 10, 12, 16)]
    dual += [f"TSOP2-{pins}" for pins in (32, 44, 50, 54, 66, 86)]
    square = [f"QFP-{pins}" for pins in (32, 44, 48, 64, 100, 144, 208)]
    square += [f"PLCC-{pins}" for pins in (20, 28, 44, 52, 68, 84)]
    square += [f"QFN-{pins}_{edge}x{edge}" for pins, edges in _QFN_EDGES.items() for edge in edges]
    leadless = [f"DFN-{pins}_{x}x{y}_P{pitch}" for pins, x, y, pitch in _DFN]
    balls = [
        f"BGA-{count * count}_P{pitch}"
        for count in range(3, 21)
        for pitch in (0.4, 0.5, 0.65, 0.8, 1.0, 1.27)
    ]
    shy = [f"CONN-{pins}-{pitch}" for pins in range(2, 31) for pitch in (0.8, 1.0, 1.25, 1.5, 2.0)]
    shy += [f"FLATCABLE-{pins}-{pitch}" for pins in range(4, 61) for pitch in (0.5, 1.0)]
    small = [*(f"IND-{edge}" for edge in (3, 4, 5, 6, 7, 8, 10, 12)), "SOD-523", "SMC", "MELF"]
    small += [f"CAN-{size}" for size in (4, 5, 6.3, 8, 10)]
    small += ["MINIMELF", "SOT-323", "PLED-6", "XTAL-2x1.6", "XTAL-2.5x2", "XTAL-7x5", "TANTALUM-C"]
    return [*small, *dual, *square, *leadless, *balls, *shy]


_QFN_EDGES: dict[int, tuple[int, ...]] = {
    12: (3,),
    16: (3, 4),
    20: (3, 4, 5),
    24: (4, 5),
    28: (4, 5, 6),
    32: (5, 7),
    36: (6,),
    40: (5, 6),
    44: (7, 8),
    48: (6, 7),
    52: (7, 8),
    56: (7, 8),
    64: (8, 9),
    68: (8, 10),
    72: (10,),
    76: (9,),
    88: (10,),
    100: (12,),
}
_DFN = (
    *((pins, 2, 2, pitch) for pins, pitch in ((6, 0.65), (8, 0.5))),
    *(
        (pins, 3, 3, pitch)
        for pins, pitch in ((6, 0.95), (8, 0.65), (8, 0.5), (10, 0.5), (12, 0.45))
    ),
    *((pins, 4, 4, pitch) for pins, pitch in ((8, 0.8), (12, 0.5), (14, 0.5))),
    (8, 5, 6, 1.27),
    (8, 6, 5, 1.27),
    (8, 3, 2, 0.5),
    (10, 3, 3, 0.4),
)


@lru_cache(maxsize=1)
def patterns() -> dict[int, tuple[Pattern, ...]]:
    """The catalogue's patterns by their number of lands, commonest first; pins in holes are none."""
    usual = [*CHIP_SIZES, *(name for names in PALETTE.values() for name in names), *_names()]
    found: dict[int, dict[tuple[object, ...], Pattern]] = {}
    for name in usual:
        package = find_package(name)
        if package is None or package.lands[0].kind is JointKind.THROUGH_HOLE:
            continue
        alike = tuple(
            (
                round(land.x_mm, 3),
                round(land.y_mm, 3),
                round(land.size_x_mm, 3),
                round(land.size_y_mm, 3),
            )
            for land in package.lands
        )
        found.setdefault(len(package.lands), {}).setdefault(alike, Pattern(name, package))
    return {count: tuple(by.values()) for count, by in found.items()}


@dataclass(frozen=True)
class PadArrays:
    """Pads of one side as arrays, seen from that side: places and sizes (n, 2) mm, angles (n,) °."""

    places: Numbers
    sizes: Numbers
    angles: Numbers

    @classmethod
    def of(cls, pads: Sequence[Pad], side: str) -> "PadArrays":
        """Pads of the bottom are mirrored in x, as one sees them there."""
        flip = 1.0 if side == "top" else -1.0
        rows = np.array(
            [
                (flip * one.x_mm, one.y_mm, one.size_x_mm, one.size_y_mm, flip * one.angle_deg)
                for one in pads
            ]
        ).reshape(-1, 5)
        return cls(rows[:, :2], rows[:, 2:4], rows[:, 4] % 180)

    def chosen(self, members: Sequence[int]) -> "PadArrays":
        """Some of them."""
        index = list(members)
        return PadArrays(self.places[index], self.sizes[index], self.angles[index])


def like(
    pads: PadArrays, angles: Sequence[float], among: Sequence[Pattern] | None = None
) -> Likeness | None:
    """The package these pads are, None when no known one is near.

    `angles`: turns to try, °, each with its quarter turns; `among` other patterns than the
    catalogue's.
    """
    if among is not None:
        return _best(pads, angles, among)
    best: Likeness | None = None
    for angle in angles:
        own = _in_own_frame(pads, angle)
        key = np.round(np.column_stack([own.places, own.sizes, own.angles % 180]), 2)
        found = _known(key.tobytes(), len(key))
        if found is None:
            continue
        pattern, turn = found
        seen = laid(pads, pattern, (angle + turn) % 360)
        if seen is not None and (best is None or seen.misfit < best.misfit - 1e-6):
            best = seen
    return best


def _in_own_frame(pads: PadArrays, angle: float) -> PadArrays:
    """The pads turned back by an angle, their middle at the origin."""
    cos, sin = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    places = (pads.places - pads.places.mean(axis=0)) @ np.array([[cos, -sin], [sin, cos]])
    return PadArrays(places, pads.sizes, pads.angles - angle)


@lru_cache(maxsize=4096)
def _known(key: bytes, count: int) -> tuple[Pattern, int] | None:
    """(pattern, quarter turn °) of pads in their own frame, rounded: boards repeat themselves."""
    rows = np.frombuffer(key).reshape(count, 5)
    pads = PadArrays(rows[:, :2], rows[:, 2:4], rows[:, 4])
    found = _best(pads, (0.0,), patterns().get(count, ()))
    if found is None:
        return None
    pattern = next(one for one in patterns()[count] if one.name == found.name)
    return pattern, round(found.rotation_deg)


def _best(pads: PadArrays, angles: Sequence[float], among: Sequence[Pattern]) -> Likeness | None:
    best: Likeness | None = None
    for pattern in among:
        if len(pattern.places) != len(pads.places) or not _as_wide(pads, pattern):
            continue
        for angle in angles:
            for quarter in (0, 90, 180, 270):
                found = laid(pads, pattern, (angle + quarter) % 360)
                if found is not None and (best is None or found.misfit < best.misfit - 1e-6):
                    best = found
    return best


def _as_wide(pads: PadArrays, pattern: Pattern) -> bool:
    """False where the farthest pads are too far or too near for the pattern: a quick look first."""
    own = pattern.spread_mm
    return abs(_spread(pads.places) - own) < 0.2 * own + 0.3


def _spread(places: Numbers) -> float:
    """Root mean square distance from the middle, doubled, mm."""
    return 2 * float(np.sqrt(((places - places.mean(axis=0)) ** 2).sum(axis=1).mean()))


def laid(pads: PadArrays, pattern: Pattern, angle: float) -> Likeness | None:
    """The pattern at that turn (°) over as many pads; None when a pad lies on no land."""
    cos, sin = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    turn = np.array([[cos, -sin], [sin, cos]])  # own frame from the board's: rows times this
    own = pads.places @ turn
    shift = own.mean(axis=0) - pattern.places.mean(axis=0)
    own = own - shift
    gaps = np.abs(own[:, None] - pattern.places[None])
    far = (gaps / pattern.allowed[None]).max(axis=2)
    nearest = far.argmin(axis=1)
    if len(set(nearest.tolist())) < len(own):
        return None
    miss = far[np.arange(len(own)), nearest]
    if miss.max() > 1.6 or miss.mean() > WORST_MISFIT:
        return None
    unlike = _unlike(pads, pattern.sizes[nearest], angle)
    misfit = float(miss.mean()) + _SIZE_WEIGHT * unlike
    if misfit > WORST_MISFIT + _SIZE_WEIGHT:
        return None
    x, y = turn @ shift
    pins = {k: pattern.package.lands[int(nearest[k])].pin for k in range(len(own))}
    return Likeness(
        name=pattern.name,
        package=pattern.package,
        x_mm=float(x),
        y_mm=float(y),
        rotation_deg=angle,
        pins=pins,
        misfit=misfit,
    )


def _unlike(pads: PadArrays, lands: Numbers, angle: float) -> float:
    """Mean difference of the sizes, as a logarithm."""
    across = np.round(((pads.angles - angle) % 180) / 90.0) % 2 == 1
    sizes = np.where(across[:, None], pads.sizes[:, ::-1], pads.sizes)
    return float(np.abs(np.log(np.maximum(sizes, 0.02) / lands)).mean())


def usual_turns(pads: PadArrays) -> list[float]:
    """Turns below 90° worth trying: the pads' own, and the direction between the farthest two."""
    turned = [float(angle) % 90 for angle in pads.angles]
    found = [float(np.median(turned))] if turned else []
    if len(pads.places) > 1:
        apart = pads.places - pads.places.mean(axis=0)
        far = apart[int((apart**2).sum(axis=1).argmax())]
        if len(pads.places) == 2:
            found = [math.degrees(math.atan2(far[1], far[0])) % 90]
    if 0.0 not in found:
        found.append(0.0)
    return found
