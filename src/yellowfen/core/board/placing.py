"""Where a placement table's zero point lies, and whether it is shifted, scaled, mirrored or turned:
found by matching pads.

Laws: two conventions are taken without asking (the files' own zero, the board's lower left corner)
and the second is said; everything else is proposed with the numbers of parts that fit before and
after, and applied only when accepted.
"""

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.board import Finding, Pad, Point
from yellowfen.core.board.join import Placement
from yellowfen.core.board.shift import Shift, ShiftProposal
from yellowfen.core.part.library import Library
from yellowfen.core.quantity.units import MM, with_unit

FITS_MM = 0.25
ENOUGH = 0.6
_SAMPLE = 160
MOST_SPOTS, MOST_PADS = 450, 1500  # of those that vote for a shift
_MOST_BINS = 8_000_000

_Sample = Sequence[tuple[Placement, list[Point]]]  # parts with their lands


@dataclass(frozen=True)
class Placed:
    """Placements in board millimetres under the shift in force, with what was found out about it."""

    placements: tuple[Placement, ...]
    shift: Shift
    proposals: tuple[ShiftProposal, ...]
    findings: tuple[Finding, ...]


def shifted(shift: Shift, placed: Placement) -> Placement:
    """A table row under a shift, in board millimetres."""
    x, y = placed.x_mm * shift.scale, placed.y_mm * shift.scale
    if placed.side == "bottom" and shift.mirrored_bottom:
        x = shift.bottom_dx_mm - x
    turn = math.radians(shift.turn_deg)
    x, y = x * math.cos(turn) - y * math.sin(turn), x * math.sin(turn) + y * math.cos(turn)
    angle = placed.rotation_deg + shift.turn_deg
    if placed.side == "bottom":
        angle = {"negated": -placed.rotation_deg, "opposite": 180 - placed.rotation_deg}.get(
            shift.bottom_angles, placed.rotation_deg
        ) + shift.turn_deg
    return replace(placed, x_mm=x + shift.dx_mm, y_mm=y + shift.dy_mm, rotation_deg=angle % 360)


class _Ground:
    """Pads of both sides, hashed into cells, to count what would land on them."""

    def __init__(self, pads: Sequence[Pad]) -> None:
        self.places = {
            side: np.array([(pad.x_mm, pad.y_mm) for pad in pads if pad.side == side]).reshape(
                -1, 2
            )
            for side in ("top", "bottom")
        }
        self.cells = {
            side: frozenset(
                (cx + dx, cy + dy)
                for cx, cy in np.rint(places / FITS_MM).astype(int).tolist()
                for dx in (-1, 0, 1)
                for dy in (-1, 0, 1)
            )
            for side, places in self.places.items()
        }

    def hit(self, side: str, x: float, y: float) -> bool:
        return (round(x / FITS_MM), round(y / FITS_MM)) in self.cells[side]


def _lands(placed: Placement, library: Library) -> list[Point]:
    package = library.find(placed.footprint)
    return [(land.x_mm, land.y_mm) for land in package.lands] if package else []


def _spots(placed: Placement, lands: Sequence[Point], turn_deg: float = 0.0) -> list[Point]:
    angle = math.radians(placed.rotation_deg + turn_deg)
    cos, sin = math.cos(angle), math.sin(angle)
    flip = 1.0 if placed.side == "top" else -1.0
    return [
        (placed.x_mm + flip * (x * cos - y * sin), placed.y_mm + x * sin + y * cos)
        for x, y in lands
    ]


def _fits(ground: _Ground, placed: Placement, lands: Sequence[Point]) -> bool:
    """True when most of a part's lands lie on pads, whichever quarter turn it has."""
    for turn in (0.0, 90.0):
        spots = _spots(placed, lands, turn)
        if sum(ground.hit(placed.side, x, y) for x, y in spots) >= max(2, 0.7 * len(lands)):
            return True
    return False


def place(
    placements: Sequence[Placement],
    pads: Sequence[Pad],
    origin: Point,
    size: Point,
    library: Library,
    chosen: Shift | None = None,
) -> Placed:
    """Placements on the board.

    `origin` is the board's corner in file coordinates, `size` its width and height (mm).
    """
    if not placements:
        return Placed((), Shift(), (), ())
    ground = _Ground(pads)
    known = [(one, lands) for one in placements if (lands := _lands(one, library))]
    step = max(1, len(known) // _SAMPLE)
    sample = known[::step]

    def count(shift: Shift, side: str = "") -> int:
        return sum(
            _fits(ground, shifted(shift, one), lands)
            for one, lands in sample
            if not side or one.side == side
        )

    def inside(shift: Shift) -> int:
        moved = [shifted(shift, one) for one in placements]
        return sum(-2 <= one.x_mm <= size[0] + 2 and -2 <= one.y_mm <= size[1] + 2 for one in moved)

    own_zero, corner = Shift(dx_mm=-origin[0], dy_mm=-origin[1]), Shift()
    usual = max((own_zero, corner), key=lambda shift: (count(shift), inside(shift)))
    current = chosen or usual
    findings: list[Finding] = []
    if chosen:
        findings.append(Finding("placement", f"{_in_words(chosen, usual)}, as you accepted"))
    elif usual is corner and origin != (0.0, 0.0):
        findings.append(
            Finding("placement", "its zero point was set to the board's lower left corner")
        )
    proposals = (
        ()
        if chosen or not sample
        else _proposals(
            sample, ground, current, usual=usual, count=count, placements=placements, size=size
        )
    )
    return Placed(
        tuple(shifted(current, one) for one in placements), current, proposals, tuple(findings)
    )


class _Count(Protocol):
    """How many parts of the sample (of one side) lie on their pads after a shift."""

    def __call__(self, shift: Shift, side: str = "") -> int: ...


def _proposals(
    sample: _Sample,
    ground: _Ground,
    current: Shift,
    *,
    usual: Shift,
    count: _Count,
    placements: Sequence[Placement],
    size: Point,
) -> tuple[ShiftProposal, ...]:
    now = count(current)
    if now >= 0.9 * len(sample):
        return ()
    best = _bottom_rules(current, count, now, sample, size)
    if now < ENOUGH * len(sample):
        for scale in _scales(placements, size):
            for turn in (0, 90, 180, 270):
                shift = _voted(sample, ground, scale, turn)
                if shift is not None and (fits := count(shift)) > best[1]:
                    best = (shift, fits)
        if best[0] is not current:
            best = max(
                best, _bottom_rules(best[0], count, best[1], sample, size), key=lambda pair: pair[1]
            )
    shift, fits = best
    if fits < now + max(2, 0.15 * len(sample)):
        return ()
    sentence = f"{_in_words(shift, usual)}: {fits} of {len(sample)} parts {'checked ' if len(sample) < len(placements) else ''}would then lie on their pads, now {now} do"
    return (
        ShiftProposal(
            sentence=sentence[0].upper() + sentence[1:],
            shift=shift,
            fits_before=now,
            fits_after=fits,
            of=len(sample),
        ),
    )


def _bottom_rules(
    shift: Shift, count: _Count, now: int, sample: _Sample, size: Point
) -> tuple[Shift, int]:
    """The same shift with the bottom mirrored or its angles counted the other way, if that fits
    better.
    """
    best = (shift, now)
    if not any(one.side == "bottom" for one, _ in sample):
        return best
    for mirrored, moved in ((False, 0.0), (True, 0.0), (True, size[0] - 2 * shift.dx_mm)):
        for angles in ("as given", "negated", "opposite"):
            other = replace(
                shift, mirrored_bottom=mirrored, bottom_angles=angles, bottom_dx_mm=moved
            )
            if (fits := count(other)) > best[1]:
                best = (other, fits)
    return best


def _scales(placements: Sequence[Placement], size: Point) -> list[float]:
    """1, and mil or inch when the table's spread does not fit the board as millimetres."""
    xs, ys = [one.x_mm for one in placements], [one.y_mm for one in placements]
    spread, room = max(max(xs) - min(xs), max(ys) - min(ys)), max(size)
    return [scale for scale in (1.0, 0.0254, 25.4) if 0.2 * room < spread * scale < 1.3 * room] or [
        1.0
    ]


def _voted(
    sample: Sequence[tuple[Placement, list[Point]]], ground: _Ground, scale: float, turn: int
) -> Shift | None:
    """The shift that puts most lands of one side onto pads: every land votes for every pad."""
    votes: list[NDArray[np.float64]] = []
    for side in ("top", "bottom"):
        spots = [
            spot
            for one, lands in sample
            if one.side == side
            for spot in _spots(shifted(Shift(scale=scale, turn_deg=turn), one), lands[:24])
        ][:MOST_SPOTS]
        pads = ground.places[side]
        if spots and len(pads):
            pads = pads[:: max(1, len(pads) // MOST_PADS)]
            votes.append((pads[:, None, :] - np.asarray(spots)[None, :, :]).reshape(-1, 2))
            break
    if not votes:
        return None
    offsets = np.concatenate(votes)
    keys = np.round(offsets / FITS_MM).astype(np.int64)
    low, wide = keys.min(axis=0), int(np.ptp(keys[:, 1])) + 1
    flat = (keys[:, 0] - low[0]) * wide + (keys[:, 1] - low[1])
    if (np.ptp(keys[:, 0]) + 1) * wide <= _MOST_BINS:
        most = int(np.bincount(flat).argmax())
    else:
        values, counts = np.unique(flat, return_counts=True)
        most = int(values[counts.argmax()])
    near = np.abs(offsets - (low + np.divmod(most, wide)) * FITS_MM).max(axis=1) < 1.5 * FITS_MM
    dx, dy = np.median(offsets[near], axis=0)
    return Shift(dx_mm=round(float(dx), 3), dy_mm=round(float(dy), 3), scale=scale, turn_deg=turn)


def _in_words(shift: Shift, usual: Shift) -> str:
    """What a shift does beyond the usual reading."""
    said = []
    if shift.scale != 1.0:
        said.append("read its numbers as " + ("mil" if shift.scale < 1 else "inch"))
    if shift.turn_deg:
        said.append(f"turn it by {shift.turn_deg}°")
    moved = (shift.dx_mm - usual.dx_mm, shift.dy_mm - usual.dy_mm)
    if math.hypot(*moved) > 0.05:
        said.append(
            f"move it by {with_unit(moved[0], MM, '+.2f')} across and {with_unit(moved[1], MM, '+.2f')} up"
        )
    if shift.mirrored_bottom:
        said.append("mirror the bottom side's x")
    if shift.bottom_angles != "as given":
        said.append(
            "reverse the angles of the bottom side"
            + (" from 180°" if shift.bottom_angles == "opposite" else "")
        )
    return "placement: " + (", ".join(said) or "as it is")


def common_turn(turns: Sequence[int]) -> int:
    """The quarter turn that most parts of a side share beyond the table's angles, 0 when there is
    none.
    """
    if len(turns) < 3:
        return 0
    value, count = Counter(turns).most_common(1)[0]
    return value if value and count >= ENOUGH * len(turns) else 0
