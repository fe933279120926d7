"""What to measure with a meter, planned from the nets: fewest probes that prove every risky joint,
in the order of the hand's way; and what the results so far say of where the fault is.

Laws: a probe between two leads of one net passes only if both of their joints are sound, so a net
of k joints takes k/2 probes, rounded up, and no list takes fewer (leads of one part are not paired,
where there are others: the part may join them inside); leads of two nets that could bridge must not
connect, one probe a pair of nets; pairs that the board itself connects are left out. A joint whose
metal no probe touches is told, not proved. Board unpowered for all of it.
"""

import math
import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from yellowfen.core.board.board import Board, Pad
from yellowfen.core.board.bridges import near_pads
from yellowfen.core.look.values import farads, ohms, volts_of
from yellowfen.core.part.package import HIDDEN, Land
from yellowfen.core.source.mark import Mark, constant

SHORT_OHM = constant(
    "meter_connects",
    2.0,
    "Ω",
    mark=Mark.COMMON_PRACTICE,
    source="a meter's beep: below a few ohms counts as connected",
    affects="test plan: which pairs the board itself connects",
)
CURRENT = (
    "with 0.3 A, limited to 0.3 V, in at one end of the first net and out at the far end of the"
    " other: the bridged gap shows the fewest millivolts"
)
CLEARLY = constant(
    "meter_gap_clearly",
    0.8,
    "1",
    mark=Mark.JUDGED,
    source="two readings of millivolts nearer than this hang on how the probes are held",
    affects="meter test: which gap of several is the bridged one",
)
LEADS_NOWHERE = "no other pin on this net: an open joint makes no difference here"
GROUND_NAMES = ("GND", "VSS", "0V", "AGND", "DGND", "PGND", "GROUND")
SUPPLY_STARTS = (
    "VCC",
    "VDD",
    "VIN",
    "VBUS",
    "VBAT",
    "VSUP",
    "+",
    "VOUT",
    "AVDD",
)


class Expect(StrEnum):
    """What a probe should show."""

    CONNECT = "connects"
    APART = "does not connect"
    READING = "reads"


@dataclass(frozen=True, order=True)
class Suspect:
    """A fault that a probe speaks of: an open joint (`other` empty) or a bridge of two pins."""

    joint: str
    other: str = ""

    @property
    def says(self) -> str:
        return f"{self.joint} and {self.other} bridged" if self.other else f"{self.joint} open"


@dataclass(frozen=True, kw_only=True)
class Probe:
    """One measurement: from a point to another, what is expected, a reading in ohms where one can
    be worked out (None: not), what it speaks of, and why.
    """

    here: str
    there: str
    expect: Expect
    covers: tuple[Suspect, ...]
    reading_ohm: float | None = None
    says: str = ""
    nets: tuple[str, str] = ("", "")

    @property
    def key(self) -> str:
        return probe_key(self.here, self.there, reads=self.expect is Expect.READING)


def probe_key(here: str, there: str, *, reads: bool) -> str:
    """The name of a measurement: two points, and whether it is a reading of millivolts."""
    return f"{here} {there}{' mV' if reads else ''}"


@dataclass(frozen=True, kw_only=True)
class MeterPlan:
    """All probes in the order of the work; `unproved` joints that no probe reaches, with the
    reason; `least` how few probes any list needs for what these cover; `unseen` parts that conduct
    themselves, so that no meter tells a bridge across them.
    """

    probes: tuple[Probe, ...]
    unproved: tuple[tuple[str, str], ...]
    least: int
    supplies: tuple[str, ...]
    ground: str
    unseen: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Point:
    """Where a probe may be put: a lead's toe, of a pin on a net, mm."""

    name: str
    net: str
    x_mm: float
    y_mm: float
    side: str
    hidden: bool


def points_of(board: Board, refs: Iterable[str] | None = None) -> list[Point]:
    """All pins of parts whose net is known."""
    wanted = None if refs is None else set(refs)
    lands: dict[tuple[str, str], Land] = {
        (part.ref, land.pin): land for part in board.parts for land in part.package.lands
    }
    found = []
    for pad in board.pads:
        land = lands.get((pad.ref or "", pad.pin or ""))
        if land is None or not pad.net or (wanted is not None and pad.ref not in wanted):
            continue
        found.append(
            Point(
                name=f"{pad.ref}.{pad.pin}",
                net=pad.net,
                x_mm=pad.x_mm,
                y_mm=pad.y_mm,
                side=pad.side,
                hidden=land.kind in HIDDEN,
            )
        )
    return found


def ground_of(board: Board) -> str:
    """The ground net: by its name, else the net with the most pads; "" without nets."""
    counts: dict[str, int] = defaultdict(int)
    for pad in board.pads:
        if pad.net:
            counts[pad.net] += 1
    named = [net for net in counts if net.upper().lstrip("/") in GROUND_NAMES]
    pick = named or list(counts)
    return max(pick, key=lambda net: (counts[net], net), default="")


def supplies_of(board: Board, ground: str) -> tuple[str, ...]:
    """Nets that carry power: by name, or on a plane and wide spread; the ground left out."""
    tied: dict[str, int] = defaultdict(int)
    for pad in board.pads:
        if pad.net and pad.tie:
            tied[pad.net] += 1
    names = {pad.net for pad in board.pads if pad.net}
    by_name = {net for net in names if _named_supply(net)}
    by_tie = {net for net, count in tied.items() if count >= 4}
    return tuple(sorted((by_name | by_tie) - {ground}))


def _named_supply(net: str) -> bool:
    """True for a net whose name begins as rails do: "VCC", "+5V", "1V8_CORE", "-12V"."""
    name = net.upper().replace("−", "-").rsplit("/", 1)[-1]
    return name.startswith(SUPPLY_STARTS) or (name[:1] in "-0123456789" and bool(volts_of(net)))


def by_part(unproved: Sequence[tuple[str, str]]) -> list[tuple[str, tuple[str, ...], str]]:
    """What cannot be proved, part by part: its name, pins, and why."""
    groups: dict[tuple[str, str], list[str]] = defaultdict(list)
    for name, why in unproved:
        ref, pin = name.rsplit(".", 1)
        groups[ref, why].append(pin)
    return [(ref, tuple(pins), why) for (ref, why), pins in groups.items()]


# resistors between nets
class Resistances:
    """Resistors of a board as a network between nets."""

    def __init__(self, board: Board) -> None:
        pads: dict[str, list[Pad]] = defaultdict(list)
        for pad in board.pads:
            if pad.ref and pad.net:
                pads[pad.ref].append(pad)
        self.edges: list[tuple[str, str, float]] = []
        for part in board.parts:
            mine = pads.get(part.ref, [])
            value = ohms(part.value) if part.ref[:1] in ("R", "L", "F") else None
            if part.ref[:1] in ("L", "F") and value is None:
                value = 0.5
            if value is not None and len(mine) == 2 and mine[0].net != mine[1].net:
                self.edges.append((mine[0].net or "", mine[1].net or "", max(value, 1e-3)))
        self.place = {
            net: i for i, net in enumerate(sorted({n for a, b, _ in self.edges for n in (a, b)}))
        }
        laplace = np.zeros((len(self.place), len(self.place)))
        for a, b, value in self.edges:
            i, j, g = self.place[a], self.place[b], 1.0 / value
            laplace[i, i] += g
            laplace[j, j] += g
            laplace[i, j] -= g
            laplace[j, i] -= g
        self.group = self._groups()
        self.inverse = np.linalg.pinv(laplace) if len(self.place) else laplace

    def _groups(self) -> dict[str, str]:
        """Which nets hang together, each by the name of its group."""
        group = {net: net for net in self.place}

        def root(net: str) -> str:
            while group[net] != net:
                net = group[net]
            return net

        for a, b, _ in self.edges:
            group[root(a)] = root(b)
        return {net: root(net) for net in group}

    def between(self, a: str, b: str) -> float:
        """Ohms between two nets through resistors alone; infinite where none join them."""
        if a == b:
            return 0.0
        if a not in self.place or b not in self.place or self.group[a] != self.group[b]:
            return math.inf
        i, j = self.place[a], self.place[b]
        m = self.inverse
        return float(m[i, i] + m[j, j] - 2 * m[i, j])


# the plan
def meter_plan(
    board: Board,
    chances: Mapping[str, float],
    least: float = 0.0,
    refs: Iterable[str] | None = None,
    *,
    ground: str = "",
    supplies: Sequence[str] | None = None,
) -> MeterPlan:
    """Probes that prove every joint with a chance of at least `least` (by "U1.3"; a joint that is
    not listed counts as 0.01), and part every pair of neighbours that could bridge. Ground and
    supplies are guessed where they are not said.
    """
    points = {one.name: one for one in points_of(board, refs)}
    around = {one.name: one for one in points_of(board)}
    ground, between = ground or ground_of(board), Resistances(board)
    supplies = supplies_of(board, ground) if supplies is None else tuple(supplies)
    risky = [one for one in points.values() if chances.get(one.name, 0.01) >= least]
    probes, unproved, count = _joints(risky, around)
    apart, unseen = _bridges(board, points, around, between=between, chances=chances)
    rails = _rails(board, supplies, ground, around=around, between=between, apart=apart)
    paired = {frozenset(one.nets) for one in rails}
    rest = [one for one in apart if frozenset(one.nets) not in paired]
    place = {name: (one.x_mm, one.y_mm) for name, one in around.items()}
    ordered = [*rails, *_along(rest, place), *_along(probes, place)]
    return MeterPlan(
        probes=tuple(ordered),
        unproved=tuple(unproved),
        least=count + len(rails) + len(rest),
        supplies=supplies,
        ground=ground,
        unseen=unseen,
    )


def _joints(
    risky: Sequence[Point], around: Mapping[str, Point]
) -> tuple[list[Probe], list[tuple[str, str]], int]:
    """Probes within nets that prove joints two by two, near ones together; what cannot be proved;
    the least number of probes.
    """
    nets: dict[str, list[Point]] = defaultdict(list)
    for one in around.values():
        if not one.hidden:
            nets[one.net].append(one)
    mine: dict[str, list[Point]] = defaultdict(list)
    probes: list[Probe] = []
    unproved: list[tuple[str, str]] = []
    for one in risky:
        if one.hidden:
            unproved.append((one.name, "metal under the body: only a function test shows it"))
        elif len(nets[one.net]) < 2:
            alone = sum(other.net == one.net for other in around.values()) < 2
            why = LEADS_NOWHERE if alone else "no other point of its net can be touched"
            unproved.append((one.name, why))
        else:
            mine[one.net].append(one)
    for net, members in sorted(mine.items()):
        probes += _two_by_two(net, members, nets[net])
    least = sum(math.ceil(len(members) / 2) for members in mine.values())
    return probes, unproved, least


def _two_by_two(net: str, members: Sequence[Point], of_net: Sequence[Point]) -> Iterator[Probe]:
    """Probes that prove the joints of a net in pairs, near ones together.

    Of the part with most of them first, so that as few as can be stay without a partner. Two leads
    of one part may be joined inside it: another part's lead is the proof.
    """
    left = sorted(members, key=lambda point: (point.x_mm, point.y_mm))
    while left:
        crowd = Counter(_part(point) for point in left)
        here = max(left, key=lambda point: crowd[_part(point)])
        left.remove(here)
        apart = [point for point in left if _part(point) != _part(here)]
        elsewhere = [point for point in of_net if _part(point) != _part(here)]
        others = apart or elsewhere or [point for point in of_net if point.name != here.name]
        there = min(others, key=lambda point: (_apart(here, point), point.name))
        if there in left:
            left.remove(there)
        yield Probe(
            here=here.name,
            there=there.name,
            expect=Expect.CONNECT,
            covers=(Suspect(here.name), Suspect(there.name)),
            says=f"net {net}",
            nets=(net, net),
        )


def _part(point: Point) -> str:
    return point.name.rsplit(".", 1)[0]


def _apart(a: Point, b: Point) -> float:
    return math.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm) + (200.0 if a.side != b.side else 0.0)


CONDUCT = re.compile(r"(?:L|FB|F|JP|TP)\d")  # coils, beads, fuses, links


def _bridges(
    board: Board,
    points: Mapping[str, Point],
    around: Mapping[str, Point],
    *,
    between: Resistances,
    chances: Mapping[str, float],
) -> tuple[list[Probe], tuple[str, ...]]:
    """One probe for each pair of nets whose pads lie side by side, at their likeliest gap, put where
    a probe reaches; and the parts that conduct themselves.
    """
    pairs: dict[frozenset[str], list[tuple[str, str]]] = defaultdict(list)
    unseen = set()
    for a, b in near_pads(board):
        one, other = points.get(a), points.get(b)
        one, other = (
            one or (around.get(a) if other else None),
            other or (around.get(b) if one else None),
        )
        if one is None or other is None or one.net == other.net:
            continue
        if _part(one) == _part(other) and CONDUCT.match(_part(one)):
            unseen.add(_part(one))
        elif between.between(one.net, other.net) >= SHORT_OHM:
            pairs[frozenset((one.net, other.net))].append((one.name, other.name))
    probes = []
    for _, gaps in sorted(pairs.items(), key=lambda item: sorted(item[0])):
        gaps = sorted(gaps, key=lambda gap: (-max(chances.get(pin, 0.01) for pin in gap), gap))
        open_gaps = (gap for gap in gaps if not (around[gap[0]].hidden or around[gap[1]].hidden))
        here, there = next(open_gaps, gaps[0])
        nets = around[here].net, around[there].net
        here, there = (
            name if not around[name].hidden else _touched(net, name, around)
            for name, net in zip((here, there), nets, strict=True)
        )
        reading = between.between(*nets)
        probes.append(
            Probe(
                here=here,
                there=there,
                expect=Expect.APART,
                covers=tuple(Suspect(a, b) for a, b in gaps),
                reading_ohm=reading if math.isfinite(reading) else None,
                says=_reads(reading),
                nets=nets,
            )
        )
    return probes, tuple(sorted(unseen))


def _touched(net: str, name: str, around: Mapping[str, Point]) -> str:
    """Where to touch a net whose pin here lies out of reach: its handiest other pin, if any."""
    handy = _handy(net, around)
    return name if handy is None else handy.name


def _reads(reading: float) -> str:
    return f"about {_ohm(reading)} through resistors" if math.isfinite(reading) else ""


def _ohm(value: float) -> str:
    for size, word in ((1e6, "MΩ"), (1e3, "kΩ")):
        if value >= size:
            return f"{value / size:.3g} {word}"
    return f"{value:.3g} Ω"


def _rails(
    board: Board,
    supplies: Sequence[str],
    ground: str,
    around: Mapping[str, Point],
    between: Resistances,
    apart: Sequence[Probe],
) -> list[Probe]:
    """Each supply against ground, before any power: what to expect of its capacitors and resistors."""
    bridged = {frozenset(one.nets): one.covers for one in apart}
    probes = []
    for net in supplies:
        here = _handy(net, around)
        there = _handy(ground, around)
        if here is None or there is None:
            continue
        reading = between.between(net, ground)
        stored = _farads(board, net, ground)
        says = [f"supply {net}"]
        if stored:
            says.append(f"rises while {stored * 1e6:.3g} µF charge")
        if math.isfinite(reading):
            says.append(_reads(reading))
        probes.append(
            Probe(
                here=here.name,
                there=there.name,
                expect=Expect.APART,
                covers=bridged.get(frozenset((net, ground)), ()),
                reading_ohm=reading if math.isfinite(reading) else None,
                says=", ".join(says),
                nets=(net, ground),
            )
        )
    return probes


def _handy(net: str, around: Mapping[str, Point]) -> Point | None:
    """The easiest pin of a net to touch: of the part with the fewest pins there is."""
    counts: dict[str, int] = defaultdict(int)
    for one in around.values():
        counts[_part(one)] += 1
    found = [one for one in around.values() if one.net == net and not one.hidden]
    return min(found, key=lambda one: (counts[_part(one)], one.name), default=None)


def _farads(board: Board, net: str, ground: str) -> float:
    """Capacitance straight between a net and ground."""
    nets: dict[str, set[str]] = defaultdict(set)
    for pad in board.pads:
        if pad.ref and pad.net:
            nets[pad.ref].add(pad.net)
    return math.fsum(
        farads(part.value) or 0.0
        for part in board.parts
        if part.ref[:1] == "C" and nets.get(part.ref) == {net, ground}
    )


def _along(probes: Sequence[Probe], place: Mapping[str, tuple[float, float]]) -> list[Probe]:
    """Probes in the order of the hand's way: always the nearest next."""
    left, at, found = list(probes), (0.0, 0.0), []
    while left:
        here = min(left, key=lambda one: (math.dist(at, place[one.here]), one.key))
        left.remove(here)
        at = place[here.there]
        found.append(here)
    return found


# what the results say
def compared(gaps: Sequence[str], readings: Mapping[str, float]) -> dict[str, bool]:
    """What the millivolts over the gaps of two bridged nets say, by probe key: True for a gap that
    is clear, False for the bridged one. Nothing before every gap is read, and nothing of gaps whose
    readings lie too near to the fewest (within `CLEARLY`) to tell which of them it is.
    """
    if len(gaps) < 2 or any(key not in readings for key in gaps):
        return {}
    fewest = min(gaps, key=lambda key: (abs(readings[key]), key))
    near = [key for key in gaps if abs(readings[fewest]) >= CLEARLY * abs(readings[key])]
    found = {key: True for key in gaps if key not in near}
    return found | {fewest: False} if near == [fewest] else found


@dataclass(frozen=True, kw_only=True)
class Diagnosis:
    """Single faults that explain every result so far, likeliest first with their share of what is
    left; the probe that tells most next (None where one is left, or nothing tells more); and, where
    that is a reading, all `gaps` that have to be compared with it.
    """

    suspects: tuple[tuple[Suspect, float], ...]
    next: Probe | None
    gaps: tuple[Probe, ...] = ()


def diagnose(
    board: Board, plan: MeterPlan, results: Mapping[str, bool], chances: Mapping[str, float]
) -> Diagnosis:
    """`results`: by probe key, True where it was as expected. Nothing is diagnosed while nothing
    failed.
    """
    asked = {one.key: one for one in plan.probes}
    wrong = [one for one in plan.probes if results.get(one.key) is False]
    extra = {one.key: one for one in _narrowing(board, wrong)}
    known = {key: passed for key, passed in results.items() if key in asked or key in extra}
    if all(known.values()):
        return Diagnosis(suspects=(), next=None)
    probes = asked | extra
    failed = [set(probes[key].covers) for key, passed in known.items() if not passed]
    cleared = {one for key, passed in known.items() if passed for one in probes[key].covers}
    common = set.intersection(*failed)
    suspects = (common or set.union(*failed)) - cleared
    weights = {one: _weight(one, chances) for one in suspects}
    total = math.fsum(weights.values()) or 1.0
    ranked = tuple(
        sorted(((one, weights[one] / total) for one in suspects), key=lambda row: (-row[1], row[0]))
    )
    tells = _next(ranked, probes, known)
    reads = tells is not None and tells.expect is Expect.READING
    gaps = [one for one in extra.values() if reads and tells and one.nets == tells.nets]
    return Diagnosis(suspects=ranked, next=tells, gaps=tuple(gaps))


def _weight(one: Suspect, chances: Mapping[str, float]) -> float:
    if one.other:
        return max(chances.get(one.joint, 0.01), chances.get(one.other, 0.01))
    return chances.get(one.joint, 0.01)


def _narrowing(board: Board, wrong: Sequence[Probe]) -> list[Probe]:
    """More probes than the plan has, where one was not as expected: each lead against a third of
    its net; of nets that are bridged somewhere, gap by gap, with a little current through the
    bridge.
    """
    nets: dict[str, list[Point]] = defaultdict(list)
    around = {one.name: one for one in points_of(board)}
    for one in around.values():
        if not one.hidden:
            nets[one.net].append(one)
    found = []
    for probe in wrong:
        if probe.expect is not Expect.CONNECT:
            found += _gaps(probe, around) if len(probe.covers) > 1 else []
            continue
        for here in (probe.here, probe.there):
            others = [
                one for one in nets[probe.nets[0]] if one.name not in (probe.here, probe.there)
            ]
            for other in others[:2]:
                found.append(
                    Probe(
                        here=here,
                        there=other.name,
                        expect=Expect.CONNECT,
                        covers=(Suspect(here), Suspect(other.name)),
                        says=probe.says,
                        nets=probe.nets,
                    )
                )
    return found


def _gaps(probe: Probe, around: Mapping[str, Point]) -> list[Probe]:
    """A bridge among several gaps of two nets: with current from net to net, the gap that is
    bridged shows almost no voltage. A pad that no probe reaches is read at another pin of its net.
    """

    def reached(name: str) -> str:
        point = around.get(name)
        return name if point is None or not point.hidden else _touched(point.net, name, around)

    return [
        Probe(
            here=reached(one.joint),
            there=reached(one.other),
            expect=Expect.READING,
            covers=(one,),
            says=CURRENT,
            nets=probe.nets,
        )
        for one in probe.covers
    ]


def _next(
    ranked: Sequence[tuple[Suspect, float]], probes: Mapping[str, Probe], known: Mapping[str, bool]
) -> Probe | None:
    """The probe not asked yet that parts what is left most evenly."""
    if len(ranked) < 2:
        return None
    best, value = None, 1e-9
    for key, probe in probes.items():
        if key in known:
            continue
        inside = math.fsum(share for one, share in ranked if one in probe.covers)
        gain = min(inside, 1.0 - inside)
        if gain > value + 1e-12:
            best, value = probe, gain
    return best
