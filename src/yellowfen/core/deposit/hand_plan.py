"""Paste by hand, step by step: which needle for which part, dots, lines or dabs, where they go, and
what it adds up to.

Laws: paste of all steps is the sum over their spots; within a round needles are changed as seldom
as possible; nothing is dotted on balls or on parts done by iron. A round is what is placed before
its tack runs out, a batch so many parts of it at a time.
"""

import itertools
import math
from collections import Counter, defaultdict
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from yellowfen.core.board.board import Board, BoardPart, Pad, Point
from yellowfen.core.board.remembered import remembered
from yellowfen.core.deposit.by_hand import (
    DOT_S,
    DOT_SPREAD,
    NEEDLES,
    Dots,
    dots_for,
    line_across,
    line_mm3,
    needles_for,
)
from yellowfen.core.deposit.changes import Frame
from yellowfen.core.deposit.fillet import Wanted, wanted
from yellowfen.core.deposit.leadless import by_hand
from yellowfen.core.metal.paste import DISPENSE_SHARE, Paste
from yellowfen.core.part.package import JointKind, Land
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

CHANGE_S = constant(
    "needle_change",
    60.0,
    "s",
    mark=Mark.FROM_MEMORY,
    source="unscrew, wipe, screw on, squeeze until paste comes",
    affects="time by hand; which needles to take",
)
LEAST_MM = 0.05  # a thinner pad is dotted like this one
MOST_NEEDLES = 3
_ROWS = (JointKind.GULL_WING, JointKind.J_LEAD)
FINE_MM = 0.5  # at this pitch and below paste put on by hand bridges (common practice)


@dataclass(frozen=True)
class Spot:
    """Where paste goes: a dot or dab at a point, or a line to `end`.

    `width_mm` is what it should look like.
    """

    x_mm: float
    y_mm: float
    width_mm: float
    end: Point | None = None


@dataclass(frozen=True, kw_only=True)
class HandStep:
    """One part, row or pad: `way` is dots, line or dab; `gauge` None for knife or pick; what to
    mind is in `said`. `batch` counts from 0; `anew` is the first of a round: dotted only when what
    was dotted before is placed.
    """

    ref: str
    value: str
    package: str
    pins: tuple[str, ...]
    way: str
    gauge: int | None
    spots: tuple[Spot, ...]
    paste_mm3: float
    seconds: float
    said: str = ""
    batch: int = 0
    anew: bool = False


@dataclass(frozen=True)
class HandPlan:
    """All steps of one side in order, with totals, and the parts that get no paste and why."""

    steps: tuple[HandStep, ...]
    left_out: tuple[tuple[str, str], ...]
    paste: Paste

    @property
    def paste_ml(self) -> float:
        return math.fsum(one.paste_mm3 for one in self.steps) / 1000

    @property
    def grams(self) -> float:
        return self.paste_ml * self.paste.density_g_cm3

    @property
    def seconds(self) -> float:
        """Time with the changes of needle."""
        changes = sum(one.gauge != other.gauge for one, other in itertools.pairwise(self.steps))
        return math.fsum(one.seconds for one in self.steps) + CHANGE_S * changes

    @property
    def batches(self) -> int:
        """In how many batches it is dotted."""
        return self.steps[-1].batch + 1 if self.steps else 0

    @property
    def needles(self) -> tuple[int | None, ...]:
        """Needles in the order in which they are used; None is the knife or pick."""
        return tuple(dict.fromkeys(one.gauge for one in self.steps))


@remembered(12)
def hand_plan(
    board: Board,
    paste: Paste,
    side: str = "top",
    gauges: Sequence[int] | None = None,
    by_pad: bool = False,
    skip: Collection[str] = (),
    fewest: bool = False,
    batch: int = 0,
    rounds: Mapping[str, int] | None = None,
) -> HandPlan:
    """The plan for one side with the few of the needles at hand (None: all usual ones) that serve
    best, a part at a time or a pad at a time. `skip`: parts not pasted; `fewest` touches for hands
    that shake. `batch`: parts at a time (0: all at once); `rounds`: the round in which a part is
    placed, from 0, by ref.
    """
    dispensed = replace(paste, metal_share=DISPENSE_SHARE)
    pads: dict[tuple[str, str], list[Pad]] = defaultdict(list)
    for pad in board.pads:
        if pad.ref and pad.side == side:
            pads[(pad.ref, pad.pin or "")].append(pad)
    gauges = few_needles(board, dispensed, side, gauges=gauges, skip=skip, fewest=fewest)
    steps: list[HandStep] = []
    left_out: list[tuple[str, str]] = []
    for part in board.parts:
        if part.side != side or part.ref in skip:
            continue
        why = _no_paste(part)
        if why:
            left_out.append((part.ref, why))
            continue
        for step in _merged(part, list(_part_steps(part, pads, dispensed, gauges, fewest))):
            steps.extend(_pad_by_pad(step) if by_pad else (step,))
    by_round: dict[int, list[HandStep]] = defaultdict(list)
    for step in steps:
        by_round[(rounds or {}).get(step.ref, 0)].append(step)
    ordered = [list(_in_order(by_round[number])) for number in sorted(by_round)]
    return HandPlan(tuple(_in_batches(ordered, batch)), tuple(left_out), dispensed)


def few_needles(
    board: Board,
    dispensed: Paste,
    side: str,
    gauges: Sequence[int] | None = None,
    skip: Collection[str] = (),
    fewest: bool = False,
) -> tuple[int, ...]:
    """At most three needles of those at hand with which a side takes least time, changes of needle
    counted.
    """
    usable = [gauge for gauge in needles_for(dispensed) if gauges is None or gauge in gauges]
    pads: Counter[tuple[float, float, Wanted]] = Counter()
    for part in board.parts:
        if part.side == side and part.ref not in skip and not _no_paste(part):
            for land in part.package.lands:
                long, short = (
                    max(land.size_x_mm, land.size_y_mm),
                    min(land.size_x_mm, land.size_y_mm),
                )
                wide, narrow = (max(round(one, 2), LEAST_MM) for one in (long, short))
                pads[(wide, narrow, wanted(part.package, land))] += 1
    best: tuple[float, tuple[int, ...]] = (math.inf, ())
    for count in range(min(MOST_NEEDLES, len(usable)) + 1):
        for chosen in itertools.combinations(usable, count):
            spent = CHANGE_S * count + sum(
                many * dots_for(*pad, dispensed, chosen, fewest).seconds
                for pad, many in pads.items()
            )
            best = min(best, (spent, chosen))
    return best[1]


def _no_paste(part: BoardPart) -> str:
    if part.package.iron_only:
        return "soldered by iron, last"
    if any(land.kind is JointKind.BALL for land in part.package.lands):
        return "balls bring their own solder: use tacky flux only"
    return ""


def _part_steps(
    part: BoardPart,
    pads: dict[tuple[str, str], list[Pad]],
    paste: Paste,
    gauges: Sequence[int],
    fewest: bool,
) -> Iterator[HandStep]:
    done: set[str] = set()
    for row in _rows(part):
        step = _line(part, row, pads, paste, gauges)
        if step is not None:
            done.update(land.pin for land in row)
            yield step
    pitch = part.package.pitch_mm
    fine = (
        f"{with_unit(pitch, MM, '.2g')} pitch: paste by hand bridges here; use solder bumps by iron, or a stencil"
        if pitch <= FINE_MM + 1e-6 and len(part.package.lands) > 2
        else ""
    )
    for land in part.package.lands:
        for pad in pads.get((part.ref, land.pin), ()) if land.pin not in done else ():
            yield _dotted(part, land, pad, paste=paste, gauges=gauges, fine=fine, fewest=fewest)


def _rows(part: BoardPart) -> list[list[Land]]:
    """Rows of leads wide enough apart for one line across."""
    if line_across(part.package.pitch_mm):
        return []
    rows: dict[tuple[str, float], list[Land]] = defaultdict(list)
    for land in part.package.lands:
        if land.kind in _ROWS:
            sideways = land.size_x_mm > land.size_y_mm
            rows[("x", round(land.x_mm, 1)) if sideways else ("y", round(land.y_mm, 1))].append(
                land
            )
    return [row for row in rows.values() if len(row) >= 3]


def _line(
    part: BoardPart,
    row: list[Land],
    pads: dict[tuple[str, str], list[Pad]],
    paste: Paste,
    gauges: Sequence[int],
) -> HandStep | None:
    """One line across a row, from the widest needle whose line is not too fat."""
    places = [pads[(part.ref, land.pin)][0] for land in row if pads.get((part.ref, land.pin))]
    if len(places) < 3:
        return None
    a, b = max(
        ((p, q) for p in places for q in places),
        key=lambda pair: math.dist((pair[0].x_mm, pair[0].y_mm), (pair[1].x_mm, pair[1].y_mm)),
    )
    length = math.dist((a.x_mm, a.y_mm), (b.x_mm, b.y_mm)) + min(a.size_x_mm, a.size_y_mm)
    fat = sum(wanted(part.package, land).most_mm3 for land in row)
    for gauge in needles_for(paste):
        if gauge not in gauges:
            continue
        volume = line_mm3(gauge, length)
        if volume * paste.volume_share <= fat:
            spot = Spot(a.x_mm, a.y_mm, DOT_SPREAD * NEEDLES[gauge], (b.x_mm, b.y_mm))
            return HandStep(
                ref=part.ref,
                value=part.value,
                package=part.package.name,
                pins=tuple(land.pin for land in row),
                way="line",
                gauge=gauge,
                spots=(spot,),
                paste_mm3=volume,
                seconds=2 * DOT_S,
                said=f"one even line across the {len(row)} pads",
            )
    return None


def _dotted(
    part: BoardPart,
    land: Land,
    pad: Pad,
    paste: Paste,
    gauges: Sequence[int],
    fine: str,
    fewest: bool = False,
) -> HandStep:
    wants = wanted(part.package, land)
    dots = dots_for(
        max(pad.size_x_mm, pad.size_y_mm, LEAST_MM),
        max(min(pad.size_x_mm, pad.size_y_mm), LEAST_MM),
        wants,
        paste=paste,
        gauges=gauges,
        fewest=fewest,
    )
    if land.kind is JointKind.THERMAL_PAD:
        dots, fine = _beneath(part, dots, paste), ""
    count = dots.count
    spots = tuple(Spot(x, y, dots.diameter_mm) for x, y in _spread(pad, count))
    return HandStep(
        ref=part.ref,
        value=part.value,
        package=part.package.name,
        pins=(land.pin,),
        way="dots" if dots.gauge else "dab",
        gauge=dots.gauge,
        spots=spots,
        paste_mm3=dots.paste_mm3,
        seconds=dots.seconds,
        said=fine or dots.said,
    )


def _beneath(part: BoardPart, dots: Dots, paste: Paste) -> Dots:
    """Dots under a leadless part as the floating model aims for: as many of the needle's as come to
    its amount; a knife's dab is one, as wide as that amount spreads.
    """
    try:
        wanted_dots = by_hand(part.package, paste)
    except InvalidValue:
        return dots
    whole = wanted_dots.dot_amount.aim_mm3 / paste.volume_share
    if dots.gauge is None:
        wide = wanted_dots.dot_mm * wanted_dots.dots_beneath ** (1 / 3)
        return replace(dots, count=1, diameter_mm=wide, paste_mm3=whole, seconds=DOT_S)
    count = max(1, round(whole * dots.count / dots.paste_mm3))
    each = dots.paste_mm3 / dots.count
    return replace(dots, count=count, paste_mm3=count * each, seconds=count * DOT_S)


def _spread(pad: Pad, count: int) -> list[Point]:
    """Points spread over a pad along its length (or over its area, when there are many)."""
    frame = Frame(
        x_mm=pad.x_mm,
        y_mm=pad.y_mm,
        along_mm=pad.size_x_mm,
        across_mm=pad.size_y_mm,
        angle_deg=pad.angle_deg,
    )
    long, short = max(pad.size_x_mm, pad.size_y_mm), min(pad.size_x_mm, pad.size_y_mm)
    lanes = max(1, min(count, round(math.sqrt(count * short / long)))) if long > 0 else 1
    points: list[Point] = []
    for lane in range(lanes):
        many = count // lanes + (lane < count % lanes)
        for index in range(many):
            u, v = ((index + 0.5) / many - 0.5) * long, ((lane + 0.5) / lanes - 0.5) * short
            points.append((u, v) if pad.size_x_mm >= pad.size_y_mm else (v, u))
    return list(frame.ring(points))


def _merged(part: BoardPart, steps: list[HandStep]) -> list[HandStep]:
    """Pads of one part with the same needle as one step; lines stay steps of their own."""
    groups: dict[tuple[str, int | None], list[HandStep]] = defaultdict(list)
    for number, step in enumerate(steps):
        groups[(f"line {number}" if step.way == "line" else step.way, step.gauge)].append(step)
    return [
        HandStep(
            ref=part.ref,
            value=part.value,
            package=part.package.name,
            pins=tuple(pin for one in group for pin in one.pins),
            way=group[0].way,
            gauge=group[0].gauge,
            spots=tuple(spot for one in group for spot in one.spots),
            paste_mm3=math.fsum(one.paste_mm3 for one in group),
            seconds=math.fsum(one.seconds for one in group),
            said=next((one.said for one in group if one.said), ""),
        )
        for group in groups.values()
    ]


def _pad_by_pad(step: HandStep) -> Iterator[HandStep]:
    """One step for every pad; a line stays whole."""
    if step.way == "line" or len(step.pins) == 1:
        yield step
        return
    each = len(step.spots) / len(step.pins)
    for number, pin in enumerate(step.pins):
        spots = step.spots[round(number * each) : round((number + 1) * each)]
        share = len(spots) / len(step.spots)
        yield replace(
            step,
            pins=(pin,),
            spots=spots,
            paste_mm3=step.paste_mm3 * share,
            seconds=step.seconds * share,
        )


def _in_order(steps: list[HandStep]) -> Iterator[HandStep]:
    """Widest needle first, the knife last; with one needle always to the nearest part that is left,
    starting at the lower left.
    """
    by_gauge: dict[int, list[HandStep]] = defaultdict(list)
    for step in steps:
        by_gauge[step.gauge or 99].append(step)
    here = (0.0, 0.0)
    for gauge in sorted(by_gauge):
        left = by_gauge[gauge]
        while left:
            nearest = min(
                left, key=lambda one: math.dist(here, (one.spots[0].x_mm, one.spots[0].y_mm))
            )
            left.remove(nearest)
            here = (nearest.spots[-1].x_mm, nearest.spots[-1].y_mm)
            yield nearest


def _in_batches(rounds: Sequence[Sequence[HandStep]], batch: int) -> Iterator[HandStep]:
    """The steps with their batches; a part that comes again later, with its next needle, counts
    again.
    """
    number, parts = 0, set[str]()
    for which, steps in enumerate(rounds):
        for place, step in enumerate(steps):
            anew = which > 0 and place == 0
            if anew or (batch and len(parts) == batch and step.ref not in parts):
                number, parts = number + 1, set()
            parts.add(step.ref)
            yield replace(step, batch=number, anew=anew)
