"""Changed stencil openings: what replaces the openings over one pad, and a board with such changes
made.

Laws: a change belongs to the place of a pad (or of an opening over no pad) and touches no other;
applying none gives the board itself; a board turned or read again keeps its places as far as its
pads keep theirs.
"""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

from yellowfen.core.board.board import Board, Opening, Pad, Point
from yellowfen.errors import InvalidValue

Ring = tuple[Point, ...]


class ChangeKind(StrEnum):
    """What is done to an opening."""

    NARROW = "narrow"
    LENGTHEN = "lengthen"
    PANES = "panes"
    HOME_PLATE = "home plate"
    OVERPRINT = "overprint"
    LEAVE_OUT = "leave out"


@dataclass(frozen=True)
class OpeningChange:
    """Openings (closed rings, mm, in the board's own coordinates) in place of those over one pad;
    none for no paste there.
    """

    place: str
    kind: ChangeKind
    rings: tuple[Ring, ...]

    def __post_init__(self) -> None:
        if len(self.rings) > 400 or any(not 3 <= len(ring) <= 2000 for ring in self.rings):
            raise InvalidValue(
                "rings", "an aperture has 3 to 2000 corners, and a pad at most 400 apertures"
            )
        if any(not -1e4 < value < 1e4 for ring in self.rings for point in ring for value in point):
            raise InvalidValue("rings", "an aperture lies more than 10 m away")


@dataclass(frozen=True, kw_only=True)
class Frame:
    """A rectangle: middle, sizes along and across (mm), turned by `angle_deg`.

    Own coordinates: middle at the origin, x along.
    """

    x_mm: float
    y_mm: float
    along_mm: float
    across_mm: float
    angle_deg: float

    def ring(self, points: Iterable[Point]) -> Ring:
        """Points of the rectangle's own coordinates as a ring on the board."""
        cosine, sine = (
            math.cos(math.radians(self.angle_deg)),
            math.sin(math.radians(self.angle_deg)),
        )
        return tuple(
            (self.x_mm + u * cosine - v * sine, self.y_mm + u * sine + v * cosine)
            for u, v in points
        )

    def seen_from(self, x_mm: float, y_mm: float) -> Point:
        """A point of the board in the rectangle's own coordinates."""
        cosine, sine = (
            math.cos(math.radians(self.angle_deg)),
            math.sin(math.radians(self.angle_deg)),
        )
        dx, dy = x_mm - self.x_mm, y_mm - self.y_mm
        return dx * cosine + dy * sine, dy * cosine - dx * sine


def rectangle(along_mm: float, across_mm: float, u: float = 0.0, v: float = 0.0) -> Ring:
    """Corners of a rectangle about (u, v)."""
    a, b = along_mm / 2, across_mm / 2
    return ((u - a, v - b), (u + a, v - b), (u + a, v + b), (u - a, v + b))


def frame_of(opening: Opening) -> Frame:
    """The smallest rectangle round an opening."""
    turned = Frame(x_mm=0.0, y_mm=0.0, along_mm=1.0, across_mm=1.0, angle_deg=opening.angle_deg)
    seen = [turned.seen_from(x, y) for x, y in opening.ring]
    us, vs = [u for u, _ in seen], [v for _, v in seen]
    ((x, y),) = turned.ring((((min(us) + max(us)) / 2, (min(vs) + max(vs)) / 2),))
    return replace(turned, x_mm=x, y_mm=y, along_mm=max(us) - min(us), across_mm=max(vs) - min(vs))


def area_mm2(ring: Ring) -> float:
    """Area inside a ring, whichever way round it runs."""
    x0, y0 = ring[0]
    return (
        abs(math.fsum((x - x0) * (v - y0) - (u - x0) * (y - y0) for (x, y), (u, v) in _sides(ring)))
        / 2
    )


def perimeter_mm(ring: Ring) -> float:
    """Length of a ring."""
    return math.fsum(math.hypot(u - x, v - y) for (x, y), (u, v) in _sides(ring))


def _sides(ring: Ring) -> Iterable[tuple[Point, Point]]:
    return zip(ring, (*ring[1:], ring[0]), strict=True)


def place_of(board: Board, opening: Opening) -> str:
    """The name of an opening's place: side and middle of its pad, or its own middle when it lies
    over none.
    """
    pad = board.pads[opening.pad] if opening.pad is not None else None
    at = (pad.x_mm, pad.y_mm) if pad else (frame_of(opening).x_mm, frame_of(opening).y_mm)
    return f"{opening.side} {at[0]:.2f} {at[1]:.2f}"


def opening_of(side: str, ring: Ring, angle_deg: float, pad: int | None) -> Opening:
    """An opening from its ring; sizes are those of the rectangle turned by `angle_deg`."""
    bare = Opening(
        side=side,
        ring=ring,
        area_mm2=area_mm2(ring),
        perimeter_mm=perimeter_mm(ring),
        size_x_mm=0.0,
        size_y_mm=0.0,
        angle_deg=angle_deg,
        pad=pad,
    )
    frame = frame_of(bare)
    return replace(bare, size_x_mm=frame.along_mm, size_y_mm=frame.across_mm)


def changed(board: Board, changes: Mapping[str, OpeningChange]) -> Board:
    """The board with openings changed; everything else is the same object.

    Changes of places that are not there are passed over.
    """
    if not changes:
        return board
    openings: list[Opening] = []
    done: set[str] = set()
    for one in board.openings:
        place = place_of(board, one)
        change = changes.get(place)
        if change is None:
            openings.append(one)
        elif place not in done:
            done.add(place)
            openings.extend(
                opening_of(one.side, ring, one.angle_deg, one.pad) for ring in change.rings
            )
    if not done:
        return board
    return replace(
        board,
        openings=tuple(openings),
        pads=tuple(_printed(board, openings)),
        paste_openings={
            side: sum(one.side == side for one in openings) for side in ("top", "bottom")
        },
        paste_area_mm2={
            side: round(math.fsum(one.area_mm2 for one in openings if one.side == side), 4)
            for side in ("top", "bottom")
        },
    )


def _printed(board: Board, openings: list[Opening]) -> Iterable[Pad]:
    """Pads with the paste over them counted anew where openings changed."""
    before, after = [0.0] * len(board.pads), [0.0] * len(board.pads)
    for sums, found in ((before, board.openings), (after, openings)):
        for one in found:
            if one.pad is not None:
                sums[one.pad] += one.area_mm2
    for pad, was, now in zip(board.pads, before, after, strict=True):
        yield pad if was == now else replace(pad, paste_mm2=round(now, 5))
