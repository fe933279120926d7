"""How to solder each part at this bench: print, dots, mounds or iron, hot air or plate; why this
one, and what came second.

Laws: a way that would ruin a part is never proposed, whatever the wishes; a part with a thermal pad
beneath never goes by iron alone; parts that die of heat go last, by iron. Among what is possible
the least expected minutes win: time at the bench, and the odds of failing times the repair. Minutes
and odds are from memory or common practice; the user's own choice stands above them.
"""

import math
from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from yellowfen.core.board.board import Board, BoardPart, Pad
from yellowfen.core.board.remembered import remembered
from yellowfen.core.deposit.by_hand import DOT_S, Costs, wire_mm
from yellowfen.core.deposit.fillet import wanted
from yellowfen.core.deposit.hand_plan import HandPlan, hand_plan
from yellowfen.core.heat.source import Iron, TipShape
from yellowfen.core.metal.alloy import Alloy
from yellowfen.core.metal.paste import Paste
from yellowfen.core.part.package import JointKind, Package, tip_reaches
from yellowfen.core.quantity.stored_word import StoredWord
from yellowfen.core.quantity.units import CELSIUS, MINUTES, MM, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.core.work.iron_rows import USUAL_NEED_S, tie_of
from yellowfen.core.work.order import PLACE_S
from yellowfen.core.work.schools import Schools
from yellowfen.errors import InvalidValue, Refused

_MEMORY = Mark.FROM_MEMORY
HEAT_SHARE_MIN = constant(
    "minutes_heat_share",
    0.3,
    "min",
    mark=Mark.COMMON_PRACTICE,
    source="a board of 25 parts is heated in 30 to 60 s by a practised hand, three to five times that by others",
    affects="technique: air",
)
IRON_JOINT_S = constant(
    "seconds_iron_joint",
    5.0,
    "s",
    mark=_MEMORY,
    source="touch, feed, wet, away",
    affects="technique: iron",
)
IRON_SETUP_S = constant(
    "seconds_iron_part",
    15.0,
    "s",
    mark=_MEMORY,
    source="fix, tin one pad, slide the part in",
    affects="technique: iron",
)
TACK_S = constant(
    "seconds_tack",
    60.0,
    "s",
    mark=_MEMORY,
    source="tack one corner, check four sides, tack the other, flux",
    affects="technique: drag",
)
WICK_S = constant(
    "seconds_wick_side",
    15.0,
    "s",
    mark=_MEMORY,
    source="wick one side of a part",
    affects="technique: flood and wick",
)
MOUND_S = constant(
    "seconds_mound",
    3.0,
    "s",
    mark=_MEMORY,
    source="a solder bump on a pad with a cool iron",
    affects="technique: solder bumps",
)
MOUND_HEAT_MIN = constant(
    "minutes_mound_heat",
    1.5,
    "min",
    mark=_MEMORY,
    source="flux, place, hot air on one part",
    affects="technique: solder bumps",
)
REPAIR_MIN_EACH = constant(
    "minutes_mend_part",
    4.0,
    "min",
    mark=_MEMORY,
    source="finding and touching up one bad part",
    affects="technique: odds",
)


class Way(StoredWord):
    """A way to solder a part."""

    PRINT_AIR = "print, hot air"
    DOTS_AIR = "dots, hot air"
    BUMPS_AIR = "solder bumps, hot air"
    PRINT_PLATE = "print, hot plate"
    DOTS_PLATE = "dots, hot plate"
    IRON = "iron, joint by joint"
    DRAG = "tack and drag"
    FLOOD = "flood and wick"
    LAST = "iron, last of all"


IRON_WAYS = frozenset((Way.IRON, Way.DRAG, Way.FLOOD, Way.LAST))
PLATE_WAYS = frozenset((Way.PRINT_PLATE, Way.DOTS_PLATE))
PASTE_WAYS = frozenset((Way.PRINT_AIR, Way.DOTS_AIR, Way.PRINT_PLATE, Way.DOTS_PLATE))


class PartKind(StrEnum):
    """What matters of a part for the way it is soldered."""

    CHIP = "chip"
    TINY = "tiny chip"
    WIDE = "wide leads"
    NARROW = "narrow leads"
    FINE = "fine leads"
    J_LEADS = "J-leads"
    LEADLESS = "leadless with an exposed pad"
    TAB = "tab"
    BALLS = "balls"
    HIDDEN = "pads under the body"


# Share of parts that need mending, from memory (handbook: half of hand-pasted fine-pitch parts
# bridge).
_ODDS: dict[PartKind, dict[Way, float]] = {
    PartKind.CHIP: {
        Way.PRINT_AIR: 0.02,
        Way.DOTS_AIR: 0.03,
        Way.PRINT_PLATE: 0.015,
        Way.DOTS_PLATE: 0.025,
        Way.IRON: 0.03,
    },
    PartKind.TINY: {
        Way.PRINT_AIR: 0.08,
        Way.DOTS_AIR: 0.15,
        Way.PRINT_PLATE: 0.06,
        Way.DOTS_PLATE: 0.12,
        Way.IRON: 0.15,
    },
    PartKind.WIDE: {
        Way.PRINT_AIR: 0.02,
        Way.DOTS_AIR: 0.04,
        Way.PRINT_PLATE: 0.02,
        Way.DOTS_PLATE: 0.04,
        Way.IRON: 0.03,
        Way.DRAG: 0.03,
        Way.FLOOD: 0.06,
    },
    PartKind.NARROW: {
        Way.PRINT_AIR: 0.08,
        Way.DOTS_AIR: 0.25,
        Way.PRINT_PLATE: 0.07,
        Way.DOTS_PLATE: 0.25,
        Way.IRON: 0.12,
        Way.DRAG: 0.06,
        Way.FLOOD: 0.1,
    },
    PartKind.FINE: {
        Way.PRINT_AIR: 0.2,
        Way.DOTS_AIR: 0.5,
        Way.PRINT_PLATE: 0.18,
        Way.DOTS_PLATE: 0.5,
        Way.IRON: 0.35,
        Way.DRAG: 0.12,
        Way.FLOOD: 0.2,
    },
    PartKind.J_LEADS: {
        Way.PRINT_AIR: 0.05,
        Way.DOTS_AIR: 0.08,
        Way.PRINT_PLATE: 0.05,
        Way.DOTS_PLATE: 0.08,
        Way.IRON: 0.08,
        Way.DRAG: 0.08,
    },
    PartKind.LEADLESS: {
        Way.PRINT_AIR: 0.15,
        Way.DOTS_AIR: 0.45,
        Way.BUMPS_AIR: 0.2,
        Way.PRINT_PLATE: 0.12,
        Way.DOTS_PLATE: 0.45,
    },
    PartKind.TAB: {
        Way.PRINT_AIR: 0.04,
        Way.DOTS_AIR: 0.05,
        Way.PRINT_PLATE: 0.03,
        Way.DOTS_PLATE: 0.04,
        Way.IRON: 0.06,
    },
    PartKind.BALLS: {Way.PRINT_AIR: 0.3, Way.PRINT_PLATE: 0.25},
    PartKind.HIDDEN: {
        Way.PRINT_AIR: 0.1,
        Way.DOTS_AIR: 0.2,
        Way.PRINT_PLATE: 0.08,
        Way.DOTS_PLATE: 0.15,
        Way.BUMPS_AIR: 0.2,
    },
}


SHAKY = constant(
    "shaky_hands",
    1.7,
    "1",
    mark=Mark.FROM_MEMORY,
    source="dots and fine work by a hand that shakes miss more often",
    affects="odds of ways by hand, where the bench says so",
)
SHAKY_SLOWER = constant(
    "shaky_slower",
    1.4,
    "1",
    mark=Mark.FROM_MEMORY,
    source="a part is set down in two goes",
    affects="minutes of placing, where the bench says so",
)
SHAKY_REST_EVERY = constant(
    "shaky_rest_every",
    12,
    "touches",
    mark=_MEMORY,
    source="after these a hand that shakes rests",
    affects="bench: rests",
)
_FINE_WORK = frozenset(
    (PartKind.TINY, PartKind.FINE, PartKind.NARROW, PartKind.LEADLESS, PartKind.HIDDEN)
)
SAME_MIN = 0.2  # a difference nobody would split a package for

# The same by how paste is put by hand: dots pad by pad, a line along the row, dabs by knife or
# pick. Common practice: a line across 1.27 mm throws balls, one across 0.8 mm and below bridges
# about half; the rest from memory.
_BY_HAND: dict[PartKind, dict[str, tuple[float, str]]] = {
    PartKind.WIDE: {
        "dots": (0.04, ""),
        "line": (0.1, "a line across this pitch leaves solder balls that must be brushed off"),
        "dab": (0.08, "dabs differ in size"),
    },
    PartKind.NARROW: {
        "dots": (0.15, ""),
        "line": (0.5, "a line across this pitch bridges about half"),
        "dab": (0.35, "dabs join across the gaps"),
    },
    PartKind.FINE: {
        "dots": (0.45, ""),
        "line": (0.55, "a line across this pitch bridges more than half"),
        "dab": (0.5, "dabs join across the gaps"),
    },
    PartKind.J_LEADS: {
        "dots": (0.06, ""),
        "line": (0.1, "a line across this pitch leaves solder balls that must be brushed off"),
        "dab": (0.1, "dabs differ in size"),
    },
}


@dataclass(frozen=True)
class PutByHand:
    """How a part gets its paste by hand: minutes, and dots, line or dab ("": none)."""

    minutes: float = 0.0
    form: str = ""


@dataclass(frozen=True, kw_only=True)
class BenchTools:
    """What there is to work with. `stencil` when the board has openings to print through; `shaky`
    for hands that shake; `needles` by gauge, None for all usual ones.
    """

    stencil: bool = True
    air: bool = True
    plate: bool = False
    iron: bool = True
    tips: tuple[Iron, ...] = ()
    shaky: bool = False
    needles: tuple[int, ...] | None = None


def with_mends(minutes: float, odds: float) -> float:
    """Minutes with the touch-ups that follow in so many of the cases: what ways are ranked by."""
    return minutes + odds * REPAIR_MIN_EACH


@dataclass(frozen=True, kw_only=True)
class Offer:
    """One way for a part: minutes a board, odds of needing a mend; or why it is out of the
    question.
    """

    way: Way
    minutes: float
    odds: float
    refused: str = ""
    odds_why: str = ""

    @property
    def expected_min(self) -> float:
        """Minutes with the mends that come with it."""
        return with_mends(self.minutes, self.odds)


@dataclass(frozen=True, kw_only=True)
class WayCard:
    """What to take and to mind for a part by a way: tip and its setting (°C), 0.5 mm wire in all
    (mm), flux, cues and cautions; None and "" where no iron is taken.
    """

    tip: str
    iron_c: float | None
    wire_mm: float | None
    flux: str
    cues: tuple[str, ...]
    cautions: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class PartWay:
    """How a part is soldered: the way, why, the runner-up and what it costs more; what to take and
    to mind.
    """

    part: BoardPart
    kind: PartKind
    chosen: Offer
    why: str
    runner_up: Offer | None
    runner_why: str
    own: bool
    offers: tuple[Offer, ...]
    card: WayCard


@dataclass(frozen=True)
class Wishes:
    """The user's own choices: by part, by package, and schools; `left`: parts that a heat leaves to
    the iron, whatever was chosen before.
    """

    parts: Mapping[str, str] = field(default_factory=dict)
    packages: Mapping[str, str] = field(default_factory=dict)
    schools: Schools = field(default_factory=Schools)
    left: frozenset[str] = frozenset()

    def __post_init__(self) -> None:
        known = {str(way) for way in Way}
        for way in (*self.parts.values(), *self.packages.values()):
            if way not in known:
                raise InvalidValue(
                    "way", f"{way[:40]!r} is no way to solder; choose {', '.join(sorted(known))}"
                )


def kind_of(package: Package) -> PartKind:
    """What matters of a package."""
    kinds = {land.kind for land in package.lands}
    if JointKind.BALL in kinds:
        return PartKind.BALLS
    if JointKind.THERMAL_PAD in kinds:
        return PartKind.LEADLESS
    if kinds & {JointKind.LEADLESS}:
        return PartKind.LEADLESS if package.pitch_mm <= 0.65 else PartKind.HIDDEN
    if kinds & {JointKind.UNDER_BODY} and not all(
        tip_reaches(package, land) for land in package.lands
    ):
        return PartKind.HIDDEN
    if JointKind.TAB in kinds:
        return PartKind.TAB
    if JointKind.J_LEAD in kinds:
        return PartKind.J_LEADS
    if JointKind.GULL_WING in kinds and len(package.lands) > 2:
        return (
            PartKind.FINE
            if package.pitch_mm <= 0.5 + 1e-6
            else PartKind.NARROW
            if package.pitch_mm <= 0.8 + 1e-6
            else PartKind.WIDE
        )
    narrow = len(package.lands) > 2 and package.pitch_mm <= 0.65
    small = max(package.body_x_mm, package.body_y_mm) <= 1.1
    return PartKind.TINY if small or narrow else PartKind.CHIP


@dataclass(frozen=True)
class StencilOrHand:
    """Expected minutes, mends counted: of a board printed and of one dotted by hand; what the
    stencil takes once, and each board's share of a print. The one answer to "is it worth a
    stencil".
    """

    printed_min: float
    by_hand_min: float
    once_min: float
    print_min: float

    def with_stencil(self, boards: int) -> float:
        """Minutes for so many boards with a stencil."""
        return self.once_min + boards * (self.printed_min + self.print_min)

    def by_hand(self, boards: int) -> float:
        """Minutes for so many boards by hand."""
        return boards * self.by_hand_min

    @property
    def from_boards(self) -> int | None:
        """The number of boards from which the stencil takes no longer; None for never."""
        gain = self.by_hand_min - self.printed_min - self.print_min
        return None if gain <= 0 else max(1, math.ceil(self.once_min / gain - 1e-9))


@dataclass(frozen=True)
class Techniques:
    """All parts' ways, whether a stencil is set up for them, and why or why not; `weighed` where
    there is a stencil to weigh.
    """

    ways: tuple[PartWay, ...]
    stencil: bool
    stencil_why: str
    weighed: StencilOrHand | None = None

    @property
    def minutes(self) -> float:
        """A board's minutes by the chosen ways, without the stencil's set-up."""
        return math.fsum(one.chosen.minutes for one in self.ways)

    @property
    def mends(self) -> float:
        """Parts of a board expected to need a mend."""
        return math.fsum(one.chosen.odds for one in self.ways)

    @property
    def expected_min(self) -> float:
        return math.fsum(one.chosen.expected_min for one in self.ways)


@remembered()
def techniques(
    board: Board,
    paste: Paste,
    bench: BenchTools,
    wishes: Wishes | None = None,
    second: str = "",
    boards: int = 1,
    costs: Costs | None = None,
) -> Techniques:
    """Every part's way for so many boards.

    `second`: the side heated second, while the other carries parts ("" for one-sided boards).

    Whether a stencil is worth its set-up is decided for the board as a whole, by the least expected
    minutes, unless the school says.
    """
    wishes, costs = wishes or Wishes(), costs or Costs()
    pads: dict[str, list[Pad]] = defaultdict(list)
    for pad in board.pads:
        if pad.ref:
            pads[pad.ref].append(pad)
    dots = {
        side: _put_by_hand(
            hand_plan(board, paste, side, bench.needles, fewest=bench.shaky), costs.dot_s / DOT_S
        )
        for side in ("top", "bottom")
    }

    def way(part: BoardPart, tools: BenchTools, usual: Way | None = None) -> PartWay:
        return _way(
            part,
            pads[part.ref],
            paste,
            bench=tools,
            wishes=wishes,
            put=dots[part.side].get(part.ref, PutByHand()),
            second=second,
            usual=usual,
        )

    def with_bench(tools: BenchTools) -> tuple[PartWay, ...]:
        alone = [way(part, tools) for part in board.parts]
        usual = _usual_ways([one for one in alone if one.part.ref not in wishes.left])
        return tuple(
            way(one.part, tools, most)
            if (most := usual.get((one.part.package.name, one.part.side))) is not None
            and one.chosen.way is not most
            else one
            for one in alone
        )

    by_hand = with_bench(replace(bench, stencil=False))
    printed = with_bench(replace(bench, stencil=True))
    return _with_stencil_or_not(
        by_hand, printed, bench.stencil, wishes=wishes, costs=costs, boards=boards
    )


def _with_stencil_or_not(
    by_hand: tuple[PartWay, ...],
    printed: tuple[PartWay, ...],
    possible: bool,
    wishes: Wishes,
    costs: Costs,
    boards: int,
) -> Techniques:
    """The ways with or without a stencil, as the school says or as takes fewer minutes a board."""
    printing = (Way.PRINT_AIR, Way.PRINT_PLATE)
    sides = max(1, len({one.part.side for one in printed if one.chosen.way in printing}))
    weighed = StencilOrHand(
        math.fsum(one.chosen.expected_min for one in printed),
        math.fsum(one.chosen.expected_min for one in by_hand),
        sides * (costs.price_min + costs.set_up_min),
        sides * costs.print_min / costs.panel,
    )
    if not possible:
        return Techniques(by_hand, False, "the board has no stencil openings", weighed)
    school = wishes.schools.of("stencil").name
    if school != "whichever is quicker":
        stencil = school == "stencil"
        said = f"your practice: {school}"
        return Techniques(printed if stencil else by_hand, stencil, said, weighed)
    with_it, without = weighed.with_stencil(boards) / boards, weighed.by_hand_min
    set_up = with_it - weighed.printed_min
    gain = without - with_it
    words = f"a stencil takes {with_unit(abs(gain), MINUTES, 0)} a board {'less' if gain >= 0 else 'more'} than by hand, its {with_unit(set_up, MINUTES, 0)} of set-up and prints and touch-ups included"
    stencil = with_it <= without
    return Techniques(printed if stencil else by_hand, stencil, words, weighed)


def _usual_ways(ways: Sequence[PartWay]) -> dict[tuple[str, str], Way]:
    """The way that most parts of each package and side take."""
    counts: dict[tuple[str, str], Counter[Way]] = defaultdict(Counter)
    for one in ways:
        counts[(one.part.package.name, one.part.side)][one.chosen.way] += 1
    return {
        key: max(found, key=lambda way: (found[way], str(way))) for key, found in counts.items()
    }


def _put_by_hand(plan: HandPlan, pace: float) -> dict[str, PutByHand]:
    """Minutes of every part's dots at a pace (1: usual), and the riskiest form among its steps."""
    rank = ("", "dots", "dab", "line")
    put: dict[str, PutByHand] = defaultdict(PutByHand)
    for step in plan.steps:
        before = put[step.ref]
        put[step.ref] = PutByHand(
            before.minutes + pace * step.seconds / 60, max(before.form, step.way, key=rank.index)
        )
    return put


LEFT = "this heat leaves it for the iron, afterwards"


def _way(
    part: BoardPart,
    pads: list[Pad],
    paste: Paste,
    bench: BenchTools,
    wishes: Wishes,
    put: PutByHand,
    second: str,
    usual: Way | None = None,
) -> PartWay:
    """A part's way; `usual` the way of the others of its package, taken where the part's own best
    would save next to nothing.
    """
    kind = kind_of(part.package)
    offers = tuple(
        _offer(way, part, kind, pads=pads, bench=bench, put=put, second=second) for way in Way
    )
    possible = sorted((one for one in offers if not one.refused), key=lambda one: one.expected_min)
    if not possible:
        possible = [Offer(way=Way.LAST, minutes=_iron_min(part, pads), odds=0.2)]
    preferred = [
        one
        for one in possible
        if wishes.schools.allows(
            str(one.way), kind is PartKind.LEADLESS, kind in (PartKind.FINE, PartKind.NARROW)
        )
    ] or possible
    wanted_way = wishes.parts.get(part.ref) or wishes.packages.get(part.package.name, "")
    own = next((one for one in possible if one.way == wanted_way), None)
    alike = next(
        (
            one
            for one in preferred
            if one.way is usual and one.expected_min - preferred[0].expected_min <= SAME_MIN
        ),
        None,
    )
    irons = [one for one in possible if one.way in IRON_WAYS]
    left = irons[0] if irons and part.ref in wishes.left else None
    chosen = left or own or alike or preferred[0]
    others = [one for one in possible if one.way is not chosen.way]
    runner = others[0] if others else None
    return PartWay(
        part=part,
        kind=kind,
        chosen=chosen,
        why=LEFT
        if left
        else _why(
            part,
            kind,
            chosen,
            possible=possible,
            own=bool(own),
            wanted_way=wanted_way,
            offers=offers,
            schools=wishes.schools,
        ),
        runner_up=runner,
        runner_why=_runner_why(chosen, runner, offers),
        own=own is not None and chosen is own,
        offers=offers,
        card=_card(
            part, kind, chosen.way, pads=pads, metal=paste.metal, bench=bench, wishes=wishes
        ),
    )


def iron_reaches(one: PartWay) -> bool:
    """True for a part that can be done by iron."""
    return one.chosen.way in IRON_WAYS or any(
        offer.way in IRON_WAYS and not offer.refused for offer in one.offers
    )


def by_iron(
    one: PartWay, pads: Sequence[Pad], metal: Alloy, bench: BenchTools, wishes: Wishes
) -> PartWay:
    """A part as it is done by iron: as it is where its way is one of the iron's, else by the one
    that costs least with its mends. `pads` are the part's. Raises Refused where no tip reaches its
    joints.
    """
    if one.chosen.way in IRON_WAYS:
        return one
    offers = [offer for offer in one.offers if offer.way in IRON_WAYS and not offer.refused]
    first = [offer for offer in offers if offer.way is not Way.LAST] or offers
    if not first:
        why = next(offer.refused for offer in one.offers if offer.way is Way.IRON)
        raise Refused(f"{one.part.ref} is not soldered by iron: {why}")
    chosen = min(first, key=lambda offer: offer.expected_min)
    card = _card(one.part, one.kind, chosen.way, pads=pads, metal=metal, bench=bench, wishes=wishes)
    return replace(one, chosen=chosen, card=card)


def _card(
    part: BoardPart,
    kind: PartKind,
    way: Way,
    *,
    pads: Sequence[Pad],
    metal: Alloy,
    bench: BenchTools,
    wishes: Wishes,
) -> WayCard:
    iron = way in IRON_WAYS
    return WayCard(
        tip=_tip(part.package, kind, way, bench.tips),
        iron_c=_iron_c(metal, kind, pads) if iron else 265.0 if way is Way.BUMPS_AIR else None,
        wire_mm=_wire(part.package, metal) if iron else None,
        flux=_flux(way, kind, wishes.schools.of("flux").name),
        cues=tuple(_cues(part, kind, way, wishes.schools)),
        cautions=tuple(_cautions(part, kind, way, pads)),
    )


def _offer(
    way: Way,
    part: BoardPart,
    kind: PartKind,
    pads: list[Pad],
    bench: BenchTools,
    put: PutByHand,
    second: str,
) -> Offer:
    refused = _refused(way, part, kind, bench, second)
    odds, odds_why = _ODDS[kind].get(way, 0.1 if way is Way.LAST else 1.0), ""
    if way in (Way.DOTS_AIR, Way.DOTS_PLATE) and put.form in _BY_HAND.get(kind, {}):
        odds, odds_why = _BY_HAND[kind][put.form]
    if not refused and way is not Way.LAST and way not in _ODDS[kind]:
        refused = f"{kind}: not possible"
    if bench.shaky and kind in _FINE_WORK and way not in (Way.PRINT_AIR, Way.PRINT_PLATE):
        odds = min(odds * SHAKY, 0.95)
        odds_why = odds_why or "hands that shake"
    place = PLACE_S / 60 * (SHAKY_SLOWER if bench.shaky else 1.0)
    minutes = {
        Way.PRINT_AIR: place + HEAT_SHARE_MIN,
        Way.PRINT_PLATE: place + 0.5 * HEAT_SHARE_MIN,
        Way.DOTS_AIR: place + HEAT_SHARE_MIN + put.minutes,
        Way.DOTS_PLATE: place + 0.5 * HEAT_SHARE_MIN + put.minutes,
        Way.BUMPS_AIR: place + len(part.package.lands) * MOUND_S / 60 + MOUND_HEAT_MIN,
        Way.IRON: place + _iron_min(part, pads),
        Way.LAST: place + _iron_min(part, pads),
        Way.DRAG: place
        + (TACK_S * (0.5 + 0.25 * corners_to_tack(part.package)) + _drag_s(part, pads)) / 60,
        Way.FLOOD: place + (TACK_S + 0.4 * len(part.package.lands) + WICK_S * 2) / 60,
    }[way]
    return Offer(way=way, minutes=minutes, odds=odds, refused=refused, odds_why=odds_why)


def corners_to_tack(package: Package) -> int:
    """Corners to tack before a row is drawn: one on a small part, the opposite one as well, all
    four of a large body (common practice).
    """
    if len(package.lands) >= 100 or min(package.body_x_mm, package.body_y_mm) >= 16.0:
        return 4
    return 1 if len(package.lands) <= 16 and package.pitch_mm > 1.0 else 2


def _drag_s(part: BoardPart, pads: list[Pad]) -> float:
    """Seconds over all its leads as the bench card lists them."""
    by_pin = {pad.pin: pad for pad in pads}
    return math.fsum(USUAL_NEED_S[tie_of(by_pin.get(land.pin))] for land in part.package.lands)


def _iron_min(part: BoardPart, pads: list[Pad]) -> float:
    slow = sum(2.0 for pad in pads if pad.tie in ("solid", "via")) + sum(
        1.0 for pad in pads if pad.tie == "relief"
    )
    return (IRON_SETUP_S + IRON_JOINT_S * (len(part.package.lands) + slow)) / 60


def _refused(way: Way, part: BoardPart, kind: PartKind, bench: BenchTools, second: str) -> str:
    """Why a way is out of the question for a part, or nothing."""
    if part.package.iron_only and way is not Way.LAST:
        return f"heat destroys it ({part.package.limit_why}): by iron, after everything else"
    if way is Way.LAST and not part.package.iron_only:
        return "it does not need to wait for the iron"
    if part.package.guessed and way in (*IRON_WAYS, Way.BUMPS_AIR):
        return "it is not known: name its package first"
    if way in IRON_WAYS and kind in (PartKind.LEADLESS, PartKind.HIDDEN, PartKind.BALLS):
        return "an iron does not reach pads under the body"
    if way in (Way.DRAG, Way.FLOOD) and kind not in (
        PartKind.WIDE,
        PartKind.NARROW,
        PartKind.FINE,
        PartKind.J_LEADS,
    ):
        return "no row of leads to drag along"
    if way is Way.BUMPS_AIR and kind not in (PartKind.LEADLESS, PartKind.HIDDEN):
        return "solder bumps are for parts with pads underneath"
    if way in (Way.PRINT_AIR, Way.PRINT_PLATE) and not bench.stencil:
        return "this plan has no stencil"
    if way in (Way.PRINT_AIR, Way.DOTS_AIR, Way.BUMPS_AIR) and not bench.air:
        return "no hot air on this bench"
    if way in (Way.PRINT_PLATE, Way.DOTS_PLATE):
        if not bench.plate:
            return "no hot plate on this bench"
        if second and part.side == second:
            return "parts on the underside keep the board off the plate"
    if way in IRON_WAYS and not bench.iron:
        return "no iron on this bench"
    return ""


def _why(
    part: BoardPart,
    kind: PartKind,
    chosen: Offer,
    possible: list[Offer],
    own: bool,
    wanted_way: str,
    offers: tuple[Offer, ...],
    schools: Schools,
) -> str:
    if own:
        return "your own choice"
    refused = next((one.refused for one in offers if one.way == wanted_way and one.refused), "")
    tail = f"; what you chose is not possible: {refused}" if refused else ""
    if chosen.way is Way.LAST:
        return f"heat destroys it ({part.package.limit_why}), so by iron when everything else is done{tail}"
    if len(possible) == 1:
        return f"{kind}: no other method is possible here{tail}"
    if chosen is not possible[0]:
        whose = (
            "by your practice"
            if {"leadless", "fine leads", "stencil"} & set(schools.chosen)
            else f"as most people do ({chosen.way})"
        )
        return f"{whose}; the quickest would be {possible[0].way} ({with_unit(possible[0].expected_min, MINUTES, 1)}){tail}"
    return f"{kind}: least time, touch-ups included, {with_unit(chosen.minutes, MINUTES, 1)} and {100 * chosen.odds:.0f} % need touch-up{f' ({chosen.odds_why})' if chosen.odds_why else ''}{tail}"


def _runner_why(chosen: Offer, runner: Offer | None, offers: tuple[Offer, ...]) -> str:
    if runner is None:
        refused = next((one for one in offers if one.refused and one.way is Way.IRON), None)
        return f"{refused.way}: {refused.refused}" if refused else ""
    more = runner.expected_min - chosen.expected_min
    return f"{runner.way}: {with_unit(runner.minutes, MINUTES, 1)}, {100 * runner.odds:.0f} % need touch-up{f', {runner.odds_why}' if runner.odds_why else ''} ({_more(more)})"


def _more(minutes: float) -> str:
    """How much longer the runner-up takes."""
    return (
        f"{with_unit(minutes, MINUTES, '+.1f')} in all"
        if abs(minutes) >= 0.05
        else "as long in all"
    )


def _tip(package: Package, kind: PartKind, way: Way, tips: tuple[Iron, ...]) -> str:
    """The tip to take: of those on the bench the nearest to what suits, else what suits."""
    if way not in IRON_WAYS and way is not Way.BUMPS_AIR:
        return ""
    wide, shape = _suits(kind, way)
    own = min(
        tips,
        key=lambda one: abs(math.log(one.tip_mm / wide)) + (0.3 if one.shape is not shape else 0.0),
        default=None,
    )
    return (
        f"{with_unit(wide, MM)} {shape}"
        if own is None
        else f"{with_unit(own.tip_mm, MM)} {own.shape}"
    )


def _suits(kind: PartKind, way: Way) -> tuple[float, TipShape]:
    """Width and shape of tip that suit a part (common practice)."""
    if way in (Way.DRAG, Way.FLOOD):
        return 2.0, TipShape.BEVEL
    if kind is PartKind.TAB:
        return 3.0, TipShape.CHISEL
    return (
        0.8 if kind in (PartKind.TINY, PartKind.FINE, PartKind.NARROW, PartKind.LEADLESS) else 1.2
    ), TipShape.CHISEL


def _iron_c(metal: Alloy, kind: PartKind, pads: Sequence[Pad]) -> float:
    """Usual setting (common practice 320 to 360 °C for leaded and lead-free): about 140 K above the
    liquidus, more on planes and tabs.
    """
    heavy = kind is PartKind.TAB or any(pad.tie in ("solid", "via") for pad in pads)
    return round(min(380.0, max(metal.liquidus_c + 140.0, 240.0) + (20 if heavy else 0)) / 5) * 5


def _wire(package: Package, metal: Alloy) -> float:
    """Length of 0.5 mm wire for all its joints."""
    volume = math.fsum(
        0.5 * (w.least_mm3 + w.most_mm3) for w in (wanted(package, land) for land in package.lands)
    )
    return wire_mm(volume, 0.5, metal)


def _flux(way: Way, kind: PartKind, school: str) -> str:
    """Where flux goes beside what paste and wire bring, by the school that holds."""
    if way is Way.LAST:
        return "what is in the wire alone: it is fitted after washing, and its residue stays"
    if school == "plenty, then wash":
        return "a good layer of tacky flux over every joint, washed off afterwards"
    if way in (Way.DRAG, Way.FLOOD):
        return "a 1 mm bead of tacky flux along each row"
    if way is Way.BUMPS_AIR or kind is PartKind.BALLS:
        return "a thin layer of tacky flux over all pads"
    if way in PASTE_WAYS:
        only = school == "none with fresh paste"
        return "none: what is in fresh paste is enough" if only else "what is in the paste"
    return "a little where the wire's own flux is used up"


_TACKED = {
    1: "Tack one corner lead, check both rows.",
    2: "Tack one corner, check all sides, tack the opposite one.",
    4: "Tack one corner, check all four sides through the loupe, then tack the other three corners: on two tacks a large body still turns.",
}


def _cues(part: BoardPart, kind: PartKind, way: Way, schools: Schools) -> list[str]:
    if way in IRON_WAYS and part.package.family == "can":
        said = [
            "A thin film of solder on both lands, slide the part on and press it flat while the solder is molten; never cover the vent."
        ]
    elif way is Way.IRON:
        said = _joint_by_joint(kind, schools)
    elif way is Way.DRAG:
        said = [_TACKED[corners_to_tack(part.package)], *_DRAGGED]
    elif way in (Way.PRINT_AIR, Way.DOTS_AIR):
        said = [schools.cue("angle"), schools.cue("heat")]
    else:
        said = list(_SAID.get(way, ()))
    return [cue for cue in said if cue]


def _joint_by_joint(kind: PartKind, schools: Schools) -> list[str]:
    if kind in (PartKind.CHIP, PartKind.TINY):
        return [
            "Tin one pad, slide the part into the molten solder, take the iron away, wait two seconds.",
            schools.cue("pressing"),
            "Then the other end.",
        ]
    if kind is PartKind.TAB:
        return [
            "Flux the large land and the leads, tack one small lead, check that it lies square.",
            "The tab first: hold the widest tip flat along its edge and feed wire until solder has run under the whole tab and it settles; then the leads.",
            "It is done when the whole tab is molten at once. A slow iron never gets there: preheat the board from below.",
        ]
    return [
        "Tin one corner, slide the part in, check all sides, then the opposite corner.",
        "Alternate between sides so that the body stays cool; redo the first tack last, with flux.",
    ]


_DRAGGED = (
    "Flux along the row, bevel tip over the toes, slow and even, feed wire as you go.",
    "The last two pins take the surplus: remove it with a clean tip or wick.",
)
_SAID = {
    Way.FLOOD: (
        "Tack two corners, flux, flood the row, then wick with fresh ends.",
        "Solder wick overheats and tears pads: lift it before it solidifies, never pull.",
    ),
    Way.BUMPS_AIR: (
        f"Even solder bumps with a cool iron ({with_unit(265, CELSIUS)}), flux, place, hot air until it drops and centres itself.",
    ),
    Way.LAST: ("Everything else first, washed and dry; then one end, check, the other.",),
}


def _cautions(part: BoardPart, kind: PartKind, way: Way, pads: Sequence[Pad]) -> list[str]:
    said = []
    if way in IRON_WAYS:
        said.append(
            "Put the iron in its stand, never on the bench. Ventilate; keep your face out of the fumes."
        )
    if part.package.family == "chip" and part.ref[:1].upper() == "C" and way in IRON_WAYS:
        said.append(
            "Ceramic: preheat it, tip on the pad and never on the body; cracks do not show."
        )
    slow = [pad.pin or "" for pad in pads if pad.tie in ("solid", "via")]
    if slow and way in IRON_WAYS:
        said.append(
            f"Pin {', '.join(slow[:6])} on a plane: four to eight times as long, preheat the board."
        )
    if kind is PartKind.BALLS:
        said.append("These joints are hidden: electrical test only.")
    if part.package.heat_shy and way not in IRON_WAYS:
        said.append(f"Heat-sensitive ({part.package.limit_why}): rehearse it before you heat.")
    return said
