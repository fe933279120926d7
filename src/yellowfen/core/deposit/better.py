"""Better stencil openings: per part what to narrow, lengthen, pane, cut to a home plate, overprint
or leave out, with before and after.

Laws: a proposal is made only where it helps, in the foil and paste at hand; after all of them no
opening is worse than before. Shapes are common practice, their measures from memory; amounts are
solved for with the same release and joint rules that judge.
"""

import math
from collections import defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from yellowfen.core.board.board import Board, BoardPart, Hole, Opening
from yellowfen.core.deposit.changes import (
    ChangeKind,
    Frame,
    OpeningChange,
    Ring,
    changed,
    frame_of,
    place_of,
    rectangle,
)
from yellowfen.core.deposit.fillet import wanted
from yellowfen.core.deposit.judge import BRIDGES, MAY_BRIDGE, Judged, JudgedOpening, judge
from yellowfen.core.deposit.leadless import COVERAGE, leadless_parts
from yellowfen.core.deposit.stencil import AREA_RATIO, BALLS_ACROSS, area_ratio, transfer
from yellowfen.core.metal.paste import Paste
from yellowfen.core.part.package import JointKind, Land
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.source.mark import Mark, constant

LENGTHEN_MM = constant(
    "lengthen_most",
    0.5,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="apertures extend beyond the toe by up to half a millimetre",
    affects="longer apertures",
)
OVERPRINT_MM = constant(
    "overprint_most",
    0.3,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="paste printed over the mask draws back from so far",
    affects="larger apertures",
)
KEEP_CLEAR_MM = constant(
    "overprint_clear",
    0.25,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="paste kept so far from the next aperture",
    affects="longer and larger apertures",
)
HOME_PLATE_CUT = constant(
    "home_plate_cut",
    0.4,
    "1",
    mark=Mark.FROM_MEMORY,
    source="inner corners cut over two fifths of the length",
    affects="home-plate apertures of chips",
)
WEB_MM = constant(
    "pane_web",
    0.22,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="webs between panes of 0.2 to 0.3 mm hold in a stencil",
    affects="panes over thermal pads",
)
PANE_MM = constant(
    "pane_side",
    1.5,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="panes of 1 to 2 mm: the squeegee scoops out larger ones",
    affects="panes over thermal pads",
)
TAB_COVERAGE = constant(
    "tab_coverage",
    0.65,
    "1",
    mark=Mark.COMMON_PRACTICE,
    source="50 to 80 % of a tab's or thermal pad's area, in panes",
    affects="panes over tabs",
)
SCREW_MM = constant(
    "screw_hole",
    1.5,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="holes that wide are for screws or pins",
    affects="apertures to leave out",
)
PLANE_MM2 = constant(
    "plane_opening",
    12.0,
    "mm²",
    mark=Mark.FROM_MEMORY,
    source="a bare area that large over no part is a plane's, not a joint's",
    affects="apertures to leave out",
)
EASY = 0.93  # of what just may bridge
_SMALL_CHIP_MM = 1.3  # a chip no longer than this (0402 and below) keeps its rectangle
_LEADS = (JointKind.GULL_WING, JointKind.J_LEAD, JointKind.LEADLESS)


@dataclass(frozen=True, kw_only=True)
class OpeningProposal:
    """Changes of one part and kind.

    `before`, `after`: its worst opening of those, then and with the changes (None: left out).
    """

    ref: str
    kind: ChangeKind
    pins: tuple[str, ...]
    package: str
    changes: tuple[OpeningChange, ...]
    before: JudgedOpening
    after: JudgedOpening | None
    said: str

    @property
    def key(self) -> str:
        return f"{self.ref or self.changes[0].place}: {self.kind}"


@dataclass(frozen=True, kw_only=True)
class _Found:
    """A change for one pad and why."""

    ref: str
    pin: str
    package: str
    change: OpeningChange
    why: str


def better_openings(
    board: Board, foil_mm: float, paste: Paste, factor: float = 1.0, coverage: float | None = None
) -> tuple[OpeningProposal, ...]:
    """Proposals for a board as it is printed now, most telling first; `coverage` (0.2 to 1) for
    thermal pads in place of the computed one.
    """
    judged = judge(board, foil_mm, paste, factor)
    maker = _Maker(board, judged, foil_mm, paste=paste, factor=factor, coverage=coverage)
    found = list(maker.found())
    after = judge(
        changed(board, {one.change.place: one.change for one in found}), foil_mm, paste, factor
    )
    kept = _that_help(board, found, judged, after)
    return tuple(sorted(_grouped(board, kept, judged, after), key=lambda one: -one.before.rank))


def _by_place(board: Board, judged: Judged) -> dict[str, JudgedOpening]:
    """The worst opening of every place."""
    worst: dict[str, JudgedOpening] = {}
    for one in judged.openings:  # worst first
        worst.setdefault(place_of(board, one.opening), one)
    return worst


def _that_help(board: Board, found: list[_Found], before: Judged, after: Judged) -> list[_Found]:
    """Those after which their place is no worse than before; a home plate may be as good, the
    others must be better.
    """
    was, now = _by_place(board, before), _by_place(board, after)

    def helps(one: _Found) -> bool:
        if one.change.kind in (ChangeKind.LEAVE_OUT, ChangeKind.PANES):
            return (
                one.change.kind is ChangeKind.LEAVE_OUT
                or now[one.change.place].verdict != "starved"
            )
        gain = was[one.change.place].rank - now[one.change.place].rank
        return (
            gain >= 0 if one.change.kind in (ChangeKind.HOME_PLATE, ChangeKind.NARROW) else gain > 0
        )

    return [one for one in found if helps(one)]


def _grouped(
    board: Board, found: list[_Found], before: Judged, after: Judged
) -> Iterator[OpeningProposal]:
    was, now = _by_place(board, before), _by_place(board, after)
    groups: dict[tuple[str, ChangeKind], list[_Found]] = defaultdict(list)
    for one in found:
        groups[(one.ref or one.change.place, one.change.kind)].append(one)
    for group in groups.values():
        worst = max(group, key=lambda one: was[one.change.place].rank)
        place = worst.change.place
        yield OpeningProposal(
            ref=worst.ref,
            kind=worst.change.kind,
            pins=tuple(one.pin for one in group),
            package=worst.package,
            changes=tuple(one.change for one in group),
            before=was[place],
            after=now.get(place),
            said=worst.why,
        )


class _Maker:
    """Works out a change for each place that wants one."""

    def __init__(
        self,
        board: Board,
        judged: Judged,
        foil_mm: float,
        paste: Paste,
        factor: float,
        coverage: float | None,
    ) -> None:
        self.board, self.judged, self.foil_mm, self.paste, self.factor, self.coverage = (
            board,
            judged,
            foil_mm,
            paste,
            factor,
            coverage,
        )
        self.parts = {part.ref: part for part in board.parts}
        self.lands = {
            (part.ref, land.pin): land for part in board.parts for land in part.package.lands
        }
        self.aims = {one.part.ref: one for one in leadless_parts(board, judged, paste)}
        self.room = _Room(board)
        # The lead of each part that bridges soonest: a row is narrowed alike, harmless gaps
        # included.
        self.rows: dict[str, JudgedOpening] = {}
        for one in judged.openings:
            land = self.lands.get((one.ref, one.pin))
            if (
                land is not None
                and land.kind in _LEADS
                and (one.bridge, one.verdict == "excess") >= self._key(one.ref)
            ):
                self.rows[one.ref] = one

    def _key(self, ref: str) -> tuple[float, bool]:
        worst = self.rows.get(ref)
        return (worst.bridge, worst.verdict == "excess") if worst else (-1.0, False)

    def found(self) -> Iterator[_Found]:
        places: dict[str, list[JudgedOpening]] = defaultdict(list)
        for one in self.judged.openings:
            places[place_of(self.board, one.opening)].append(one)
        for place, openings in places.items():
            worst = openings[0]
            part = self.parts.get(worst.ref)
            land = self.lands.get((worst.ref, worst.pin))
            made = (
                self._loose(openings)
                if part is None or land is None
                else self._of_joint(part, land, openings)
            )
            if made is not None:
                kind, rings, why = made
                yield _Found(
                    ref=worst.ref,
                    pin=worst.pin,
                    package=part.package.name if part else "",
                    change=OpeningChange(place, kind, rings),
                    why=why,
                )

    def _loose(
        self, openings: list[JudgedOpening]
    ) -> tuple[ChangeKind, tuple[Ring, ...], str] | None:
        """Openings over no part: paste on a screw's land or on a bare plane is wasted or does harm."""
        if openings[0].ref:
            return None
        opening = openings[0].opening
        screw = next(
            (
                hole
                for hole in self.board.holes
                if hole.drill_mm >= SCREW_MM and _inside(opening, hole)
            ),
            None,
        )
        if screw is not None:
            return (
                ChangeKind.LEAVE_OUT,
                (),
                f"a hole of {with_unit(screw.drill_mm, MM, '.2g')} for a screw or pin: solder there blocks it",
            )
        if sum(one.opening.area_mm2 for one in openings) >= PLANE_MM2:
            return (
                ChangeKind.LEAVE_OUT,
                (),
                "a bare area under no part: paste there leaves only a lump",
            )
        return None

    def _of_joint(
        self, part: BoardPart, land: Land, openings: list[JudgedOpening]
    ) -> tuple[ChangeKind, tuple[Ring, ...], str] | None:
        if part.package.iron_only:
            return (
                ChangeKind.LEAVE_OUT,
                (),
                "this part is soldered by iron, last: paste would melt hidden under it",
            )
        if land.kind in (JointKind.THERMAL_PAD, JointKind.TAB):
            return self._panes(part, land, openings)
        if len(openings) > 1:
            return None
        one = openings[0]
        if land.kind in _LEADS:
            return self._lead(part, land, one)
        return self._chip(part, land, one) if land.kind is JointKind.CHIP else None

    # thermal pads and tabs
    def _panes(
        self, part: BoardPart, land: Land, openings: list[JudgedOpening]
    ) -> tuple[ChangeKind, tuple[Ring, ...], str] | None:
        pad = (
            self.board.pads[openings[0].opening.pad]
            if openings[0].opening.pad is not None
            else None
        )
        if pad is None or pad.area_mm2 < 2.0:
            return None
        printed = sum(one.opening.area_mm2 for one in openings) / pad.area_mm2
        leadless = self.aims.get(part.ref) if land.kind is JointKind.THERMAL_PAD else None
        wrong = leadless is not None and not leadless.well and leadless.amount.works
        asked = self.coverage if land.kind is JointKind.THERMAL_PAD else None
        if asked is None and not wrong and printed <= COVERAGE[1] + 0.01:
            return None
        target = asked or (
            leadless.coverages[2]
            if leadless is not None and leadless.amount.works
            else TAB_COVERAGE
        )
        target = min(max(target, 0.2), 0.9)
        if asked is not None and abs(printed - asked) < 0.01:
            return None
        frame = Frame(
            x_mm=pad.x_mm,
            y_mm=pad.y_mm,
            along_mm=pad.size_x_mm,
            across_mm=pad.size_y_mm,
            angle_deg=pad.angle_deg,
        )
        rings = panes(frame, target)
        why = f"{len(rings)} panes cover {100 * target:.0f} % instead of {100 * printed:.0f} %"
        tail = (
            ": the part stays level, and flux and gas can escape"
            if land.kind is JointKind.THERMAL_PAD
            else ": less solder for the tab to float on"
        )
        return ChangeKind.PANES, rings, why + tail

    # leads and edge pads
    def _lead(
        self, part: BoardPart, land: Land, one: JudgedOpening
    ) -> tuple[ChangeKind, tuple[Ring, ...], str] | None:
        wants, frame = wanted(part.package, land), _outward(frame_of(one.opening), part, land)
        worst = self.rows[part.ref]
        cap = (
            wants.most_mm3
            if worst.bridge <= 0
            else min(wants.most_mm3, MAY_BRIDGE * worst.pad_solder_mm3 / worst.bridge)
        )
        if worst.verdict == "excess" or worst.bridge >= MAY_BRIDGE:
            return self._narrow(frame, max(EASY * cap, 1.1 * wants.least_mm3), cap)
        if one.verdict == "starved" or one.release.area_ratio < AREA_RATIO:
            return self._lengthen(frame, one, math.sqrt(wants.least_mm3 * cap))
        return None

    def _solder(self, along: float, across: float) -> float:
        """Solder of a rectangle."""
        share = transfer(
            area_ratio(along * across, 2 * (along + across), self.foil_mm), self.factor
        )
        return along * across * self.foil_mm * share * self.paste.volume_share

    def _narrow(
        self, frame: Frame, aim: float, cap: float
    ) -> tuple[ChangeKind, tuple[Ring, ...], str]:
        """Less across the row first, as far as it releases and its balls pass; then less along."""
        long, wide = frame.along_mm, frame.across_mm
        least = max(
            BALLS_ACROSS * self.paste.largest_ball_mm, 0.7 * wide, _least_width(long, self.foil_mm)
        )
        across = (
            wide
            if least >= wide
            else _solve(lambda width: self._solder(long, width), min(aim, cap), least, wide)
        )
        along = (
            long
            if self._solder(long, across) <= cap
            else _solve(lambda length: self._solder(length, across), cap, 0.6 * long, long)
        )
        across, along = (
            one if one == was else _rounded(one) for one, was in ((across, wide), (along, long))
        )
        shift = (long - along) / 2  # what is taken off, is taken off at the inner end
        said = f"{wide:.2f} × {with_unit(long, MM, 2)} becomes {across:.2f} × {with_unit(along, MM, 2)}"
        return ChangeKind.NARROW, (frame.ring(rectangle(along, across, shift)),), said

    def _lengthen(
        self, frame: Frame, one: JudgedOpening, aim: float
    ) -> tuple[ChangeKind, tuple[Ring, ...], str] | None:
        """As large as the pad first; then beyond the toe, as far as there is room."""
        long, wide = frame.along_mm, frame.across_mm
        whole = self._whole(frame, one)
        if self._solder(*whole) >= aim:
            part = _solve(
                lambda t: self._solder(long + t * (whole[0] - long), wide + t * (whole[1] - wide)),
                aim,
                0.0,
                1.0,
            )
            along, across = (
                _rounded(long + part * (whole[0] - long)),
                _rounded(wide + part * (whole[1] - wide)),
            )
            beyond = 0.0
        else:
            room = min(LENGTHEN_MM, self.room.ahead(one.opening, frame) - (whole[0] - long) / 2)
            across, along = whole[1], whole[0]
            beyond = (
                _rounded(_solve(lambda more: self._solder(along + more, across), aim, 0.0, room))
                if room > 0
                else 0.0
            )
        if along + beyond < long + 0.02 and across < wide + 0.02:
            return None
        said = (
            f"{wide:.2f} × {with_unit(long, MM, 2)} becomes {across:.2f} × {with_unit(along + beyond, MM, 2)}"
            + (", outwards: the solder draws back to the pad" if beyond else "")
        )
        return (
            ChangeKind.LENGTHEN,
            (frame.ring(rectangle(along + beyond, across, beyond / 2)),),
            said,
        )

    def _whole(self, frame: Frame, one: JudgedOpening) -> tuple[float, float]:
        """Length and width of the whole pad, or of the opening where it is larger."""
        pad = self.board.pads[one.opening.pad] if one.opening.pad is not None else None
        sides = sorted((pad.size_x_mm, pad.size_y_mm)) if pad else [0.0, 0.0]
        return max(frame.along_mm, sides[frame.along_mm >= frame.across_mm]), max(
            frame.across_mm, sides[frame.along_mm < frame.across_mm]
        )

    # chips
    def _chip(
        self, part: BoardPart, land: Land, one: JudgedOpening
    ) -> tuple[ChangeKind, tuple[Ring, ...], str] | None:
        wants, frame = wanted(part.package, land), _outward(frame_of(one.opening), part, land)
        if one.verdict == "starved":
            return self._overprint(frame, one, math.sqrt(wants.least_mm3 * wants.most_mm3))
        square = one.opening.area_mm2 > 0.97 * frame.along_mm * frame.across_mm
        if not square or (
            max(part.package.body_x_mm, part.package.body_y_mm) <= _SMALL_CHIP_MM
            and one.verdict != "excess"
        ):
            return None
        shrink = 1.0
        if one.verdict == "excess":
            cut = 1 - HOME_PLATE_CUT / 3
            shrink = _solve(
                lambda k: cut * self._solder(k * frame.along_mm, k * frame.across_mm),
                0.85 * wants.most_mm3,
                0.5,
                1.0,
            )
        along, across = frame.along_mm * shrink, frame.across_mm * shrink
        if self._solder(along, across) * (1 - HOME_PLATE_CUT / 3) < wants.least_mm3:
            return None
        said = "inner corners cut: less paste where the body presses it out into beads" + (
            "" if shrink == 1 else f", and {100 * (1 - shrink):.0f} % smaller"
        )
        return ChangeKind.HOME_PLATE, (frame.ring(home_plate(along, across)),), said

    def _overprint(
        self, frame: Frame, one: JudgedOpening, aim: float
    ) -> tuple[ChangeKind, tuple[Ring, ...], str] | None:
        """As large as the pad, then larger outwards and to both sides, but not inwards under the
        body.
        """
        long, wide = self._whole(frame, one)
        grown = max((long - frame.along_mm) / 2, (wide - frame.across_mm) / 2)
        room = max(0.0, min(OVERPRINT_MM, self.room.round_about(one.opening) - grown))
        more = _solve(lambda grow: self._solder(long + grow, wide + 2 * grow), aim, 0.0, room)
        along, across = _rounded(long + more), _rounded(wide + 2 * more)
        if grown + more < 0.03:
            return None
        said = (
            f"{frame.along_mm:.2f} × {with_unit(frame.across_mm, MM, 2)} becomes {along:.2f} × {with_unit(across, MM, 2)}"
            + (", over the mask: the solder draws back to the pad" if more else "")
        )
        return (
            ChangeKind.OVERPRINT,
            (frame.ring(rectangle(along, across, (along - long) / 2)),),
            said,
        )


def _rounded(size_mm: float) -> float:
    return round(size_mm, 2)


def _least_width(along: float, foil_mm: float) -> float:
    """The width at which an opening of that length still has the wanted area ratio."""
    need = 2 * AREA_RATIO * foil_mm
    return need * along / (along - need) if along > need else along


def _solve(function: Callable[[float], float], value: float, low: float, high: float) -> float:
    """Where a rising function takes a value, between two ends; the nearer end when it does not."""
    for _ in range(40):
        middle = (low + high) / 2
        low, high = (low, middle) if function(middle) > value else (middle, high)
    return (low + high) / 2


def _outward(frame: Frame, part: BoardPart, land: Land) -> Frame:
    """The frame turned by quarters until its own x points the way in which the land lies off the
    body; a long lead's land tells by its length.
    """
    x, y = (
        (math.copysign(1.0, land.x_mm), 0.0)
        if part.package.beside(land)
        else (0.0, math.copysign(1.0, land.y_mm))
    )
    turn, y = (part.rotation_deg, y) if part.side == "top" else (180 - part.rotation_deg, -y)
    way = math.degrees(math.atan2(y, x)) + turn
    quarters = round((way - frame.angle_deg) / 90) % 4
    along, across = (
        (frame.along_mm, frame.across_mm)
        if quarters % 2 == 0
        else (frame.across_mm, frame.along_mm)
    )
    return Frame(
        x_mm=frame.x_mm,
        y_mm=frame.y_mm,
        along_mm=along,
        across_mm=across,
        angle_deg=frame.angle_deg + 90 * quarters,
    )


def panes(frame: Frame, coverage: float) -> tuple[Ring, ...]:
    """Panes over a rectangle that cover that share of it (0.05 to 0.95), with webs that hold in a
    foil.
    """
    root = math.sqrt(coverage)
    counts = [
        max(1, min(math.ceil(side * root / PANE_MM), math.floor(side * (1 - root) / WEB_MM)))
        for side in (frame.along_mm, frame.across_mm)
    ]
    steps = [
        side / count for side, count in zip((frame.along_mm, frame.across_mm), counts, strict=True)
    ]
    return tuple(
        frame.ring(
            rectangle(
                steps[0] * root,
                steps[1] * root,
                (i - (counts[0] - 1) / 2) * steps[0],
                (k - (counts[1] - 1) / 2) * steps[1],
            )
        )
        for i in range(counts[0])
        for k in range(counts[1])
    )


def home_plate(along_mm: float, across_mm: float) -> Ring:
    """A rectangle whose inner end (towards negative x) narrows to a third."""
    a, b, cut = along_mm / 2, across_mm / 2, HOME_PLATE_CUT * along_mm
    return ((-a, -b / 3), (-a + cut, -b), (a, -b), (a, b), (-a + cut, b), (-a, b / 3))


def _inside(opening: Opening, hole: Hole) -> bool:
    frame = frame_of(opening)
    u, v = frame.seen_from(hole.x_mm, hole.y_mm)
    return abs(u) < frame.along_mm / 2 and abs(v) < frame.across_mm / 2


class _Room:
    """How far an opening may grow before it comes near another."""

    def __init__(self, board: Board) -> None:
        self.width, self.height = board.width_mm, board.height_mm
        self.boxes = [(one, *_box(one.ring)) for one in board.openings]
        self.cells: dict[tuple[str, int, int], list[int]] = defaultdict(list)
        for number, (one, x0, y0, x1, y1) in enumerate(self.boxes):
            for i in range(int(x0 // 3), int(x1 // 3) + 1):
                for k in range(int(y0 // 3), int(y1 // 3) + 1):
                    self.cells[(one.side, i, k)].append(number)

    def _others(
        self, opening: Opening, reach: float
    ) -> Iterator[tuple[float, float, float, float]]:
        x0, y0, x1, y1 = _box(opening.ring)
        seen: set[int] = set()
        for i in range(int((x0 - reach) // 3), int((x1 + reach) // 3) + 1):
            for k in range(int((y0 - reach) // 3), int((y1 + reach) // 3) + 1):
                seen.update(self.cells.get((opening.side, i, k), ()))
        for number in seen:
            other = self.boxes[number]
            if other[0] is not opening:
                yield other[1:]

    def round_about(self, opening: Opening) -> float:
        """Growth on every side that keeps clear of other openings."""
        x0, y0, x1, y1 = _box(opening.ring)
        gaps = [
            math.hypot(max(a - x1, x0 - c, 0.0), max(b - y1, y0 - d, 0.0))
            for a, b, c, d in self._others(opening, 2.0)
        ]
        return min([*gaps, 2.0]) - KEEP_CLEAR_MM

    def ahead(self, opening: Opening, frame: Frame) -> float:
        """Growth along the frame's x that keeps clear of other openings and of the board's edge."""
        tip, half = frame.along_mm / 2, frame.across_mm / 2
        (edge,) = frame.ring(((tip + LENGTHEN_MM + KEEP_CLEAR_MM, 0.0),))
        free = LENGTHEN_MM if 0 < edge[0] < self.width and 0 < edge[1] < self.height else 0.0
        for a, b, c, d in self._others(opening, 2.0):
            corners = [frame.seen_from(x, y) for x in (a, c) for y in (b, d)]
            us, vs = [u for u, _ in corners], [v for _, v in corners]
            if max(us) > tip and min(vs) < half + KEEP_CLEAR_MM and max(vs) > -half - KEEP_CLEAR_MM:
                free = min(free, min(us) - tip - KEEP_CLEAR_MM)
        return free


def _box(ring: Ring) -> tuple[float, float, float, float]:
    xs, ys = [x for x, _ in ring], [y for _, y in ring]
    return min(xs), min(ys), max(xs), max(ys)


def state_of(one: JudgedOpening) -> str:
    """The worst thing about an opening in one word: fails, bridges, lean, fat, mind, good."""
    if one.release.fails:
        return "fails"
    if one.bridge >= BRIDGES:
        return "bridges"
    if one.verdict in ("starved", "excess"):
        return one.verdict
    return "mind" if one.warnings or one.bridge >= MAY_BRIDGE else "good"
