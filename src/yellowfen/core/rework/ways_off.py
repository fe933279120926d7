"""Ways to take a part off, each weighed by computation: when all of its joints are liquid at once
and for how long, what gets too hot, who comes loose or falls, minutes, what it uses, the odds.

Laws: a way that cannot have all joints liquid at once is not possible, whatever the wishes; the
odds fall with the time between the first and the last joint, in which a pad is torn off. Of what is
possible the best takes the least expected minutes: those of the hands, and the odds of trouble
times what mending it takes.
"""

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from yellowfen.core.deposit.by_hand import wire_mm
from yellowfen.core.deposit.fillet import lead_of, wanted
from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.drive import tallest_beneath_mm
from yellowfen.core.heat.follow import follow, resolution_for, rows_of
from yellowfen.core.heat.jet import JET_FACTOR
from yellowfen.core.heat.outcome import after_heat, harms, loose_s, watch
from yellowfen.core.heat.rehearsal import HeatState, Prepared, advance, first_state, prepare
from yellowfen.core.heat.scene import Deed, Move, NozzlePath, PlacedPart, Scene, Side, near_the_heat
from yellowfen.core.heat.source import HotAir, HotPlate, Iron, Preheater
from yellowfen.core.heat.tune import half_size_mm
from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.part.package import JointKind, Land, Package, tip_reaches
from yellowfen.core.quantity.stored_word import StoredWord
from yellowfen.core.quantity.units import CELSIUS, GRAMS, LPM, MM, SECONDS, with_unit
from yellowfen.core.quantity.wording import counted
from yellowfen.core.rework.flood import BEAD_MM2, Flooded, Tip, flooded
from yellowfen.core.rework.removal_alloy import COVER_MM2, REMOVAL_PARTS, removal_mix
from yellowfen.core.source.mark import Mark, constant
from yellowfen.core.work.iron_rows import rows_of as lead_rows
from yellowfen.errors import InvalidValue

_M = Mark.FROM_MEMORY
HOTTER_K = constant(
    "removal_hotter",
    40.0,
    "K",
    mark=Mark.COMMON_PRACTICE,
    source="removal runs 30 to 50 K hotter than the refit of the same part",
    affects="removal by hot air",
)
TEAR_MOST = constant(
    "tear_most",
    0.5,
    "1",
    mark=_M,
    source="odds of a torn pad where first and last joint lie far apart; our own weighing",
    affects="odds of a method of removal",
)
TEAR_HALF_S = constant(
    "tear_half",
    20.0,
    "s",
    mark=_M,
    source="half of that at a spread of so many seconds; our own weighing",
    affects="odds of a method of removal",
)
LOOSE_ODDS = constant(
    "loose_trouble",
    0.03,
    "1",
    mark=_M,
    source="a neighbour that floats is shifted or lost; our own weighing",
    affects="odds of a method of removal",
)
HARM_ODDS = constant(
    "limit_trouble",
    0.6,
    "1",
    mark=_M,
    source="a body past its limit, or a part that falls; our own weighing",
    affects="odds of a method of removal",
)
OVER_K = constant(
    "over_limit_spoils",
    20.0,
    "K",
    mark=_M,
    source="a few kelvins over a class limit for seconds spoil little; our own weighing",
    affects="odds of a method of removal",
)
TROUBLE_MIN = constant(
    "removal_trouble",
    30.0,
    "min",
    mark=_M,
    source="a torn pad, a lost neighbour, a new part fetched; our own weighing",
    affects="which method of removal is proposed",
)
# What hands need at the least, whatever the metal does [handbook tables of observed acts].
FLOOD_PIN_S = constant(
    "flood_pin",
    5.0,
    "s",
    mark=Mark.COMMON_PRACTICE,
    source="both rows of an 8-lead part are flooded with wire in 30 to 50 s",
    affects="minutes of methods that flood rows",
)
TWO_IRONS_LEAST_S = constant(
    "two_irons_least",
    8.0,
    "s",
    mark=Mark.COMMON_PRACTICE,
    source="two irons on flooded rows of 8 leads, from touch to part off: 8 to 25 s",
    affects="least seconds given for two irons",
)
TWO_IRONS_PIN_S = constant(
    "two_irons_pin",
    1.0,
    "s",
    mark=_M,
    source="14 to 16 leads take up to 40 s where 8 take up to 25; our own reading",
    affects="least seconds given for two irons on more than eight leads",
)
TO_AND_FRO_LEAST_S = constant(
    "to_and_fro_least",
    3.0,
    "s",
    mark=Mark.COMMON_PRACTICE,
    source="one iron alternates between a chip's two ends until it slides: 3 to 10 s",
    affects="least seconds given for one iron to and fro",
)
REMOVAL_LEAST_S = constant(
    "removal_least",
    20.0,
    "s",
    mark=_M,
    source="all sides are heated in turn, several rounds; our own estimate",
    affects="least seconds given for removal alloy",
)
SCORES = constant(
    "scores_per_lead",
    4.5,
    "1",
    mark=Mark.COMMON_PRACTICE,
    source="four or five scores to about half, then a click",
    affects="cutting leads",
)
SCORE_S = constant(
    "seconds_per_score",
    3.0,
    "s",
    mark=_M,
    source="one score of a lead 0.3 mm wide, slower in proportion to the width",
    affects="cutting leads",
)
BLADE_MM = constant(
    "blade_room",
    1.5,
    "mm",
    mark=_M,
    source="room that a narrow blade needs beside the body",
    affects="cutting leads",
)
LONGEST_FLOOD_S = 20.0
WARM_S, WARM_MM, HEIGHTS_MM = 20.0, 50.0, (20.0, 12.0)
LONGEST_PLATE_S, PLATE_LOOK_S = 300.0, 5.0
JET_WIDE_MM = 1.5
SPEEDS_MM_S, ROUND_MM_S = (20.0, 6.0), 12.0
DWELLS_S = (0.5, 1.0, 2.0)
MOST_AIR_C = 450.0


class OffWay(StoredWord):
    """A way to take a part off."""

    AIR = "hot air, round nozzle"
    RECTANGLE = "hot air, rectangular nozzle"
    JETS = "hot air, narrow jets on the leads"
    PLATE = "hot plate from below"
    TWO_IRONS = "two irons, rows flooded"
    TO_AND_FRO = "one iron, to and fro"
    REMOVAL = "removal alloy"
    CUT = "leads cut at the body"
    PIN_BY_PIN = "one pin at a time"


class Matters(StrEnum):
    """What is to survive."""

    PART = "the part"
    BOARD = "the board"
    BOTH = "both"


# Minutes of hands and odds of trouble that no model knows (slips, wetting, force), from memory.
_HANDS: dict[OffWay, tuple[float, float]] = {
    OffWay.AIR: (4.0, 0.05),
    OffWay.RECTANGLE: (4.0, 0.05),
    OffWay.JETS: (4.0, 0.04),
    OffWay.PLATE: (7.0, 0.05),
    OffWay.TWO_IRONS: (3.0, 0.08),
    OffWay.TO_AND_FRO: (1.5, 0.06),
    OffWay.REMOVAL: (10.0, 0.05),
    OffWay.CUT: (4.0, 0.12),
    OffWay.PIN_BY_PIN: (3.0, 0.08),
}
_BY_IRON = frozenset((OffWay.TWO_IRONS, OffWay.TO_AND_FRO, OffWay.REMOVAL))
_PART_LOST = frozenset((OffWay.CUT,))


@dataclass(frozen=True, kw_only=True)
class OffBench:
    """What there is to take a part off with. `air` as it blows (None: no station); `nozzles_mm`
    round ones, `long_nozzles_mm` rectangular (short, long); `jets`: a head with narrow jets.
    """

    air: HotAir | None = None
    nozzles_mm: tuple[float, ...] = ()
    long_nozzles_mm: tuple[tuple[float, float], ...] = ()
    jets: bool = False
    preheater: Preheater | None = None
    plates: tuple[HotPlate, ...] = ()
    irons: tuple[Iron, ...] = ()
    removal_alloy: bool = True
    blade: bool = True
    removal_parts: float | None = None


@dataclass(frozen=True, kw_only=True)
class WayOff:
    """One way off for a part. `all_liquid_s` when its last joint is liquid, `spread_s` since the
    first was; `stays_liquid_s` after the heat leaves. Peaks in °C. `loose` come loose, `falls` drop
    from underneath, `harmed` pass their limit. `odds` that all that matters comes through, 0..1.
    `uses` and `settings` in words; `why_not` where it is not possible. `at_least`: the seconds are
    what hands need, the metal would need less.
    """

    way: OffWay
    possible: bool
    why_not: str = ""
    all_liquid_s: float | None = None
    stays_liquid_s: float | None = None
    spread_s: float | None = None
    at_least: bool = False
    last_pin: str = ""
    body_peak_c: float | None = None
    loose: tuple[str, ...] = ()
    falls: tuple[str, ...] = ()
    harmed: tuple[str, ...] = ()
    minutes: float = 0.0
    odds: float = 0.0
    uses: str = ""
    settings: str = ""
    cautions: tuple[str, ...] = ()
    scene: Scene | None = None
    wire_mm: float = 0.0
    removal_g: float = 0.0


def tear_odds(spread_s: float) -> float:
    """Odds that a pad is torn, by the seconds between the first and the last liquid joint: none at
    0, towards `TEAR_MOST`.
    """
    return TEAR_MOST * spread_s / (spread_s + TEAR_HALF_S)


def ways_off(scene: Scene, ref: str, bench: OffBench, matters: Matters) -> Iterator[WayOff]:
    """Each way for one part of a scene, as it is found; a later answer for a way replaces an
    earlier one. The part's side lies up.

    Raises InvalidValue for a part that is not there or underneath.
    """
    refs = {part.ref for part in scene.parts}
    if ref not in refs:
        raise InvalidValue("off", f"there is no part {ref[:40]!r} on this board")
    part = scene.part(ref)
    if part.side is not Side.TOP:
        raise InvalidValue("off", f"{ref} is on the underside; turn the board over")
    here = replace(scene, targets=(ref,), preheater=None)
    if bench.air is not None:
        quick = replace(bench, nozzles_mm=(), preheater=None)
        yield _weighed(_air(here, part, quick, HEIGHTS_MM[1:]), part, matters)
    tried: tuple[Callable[[Scene, PlacedPart, OffBench], WayOff], ...] = (
        _two_irons,
        _to_and_fro,
        _air,
        _rectangle,
        _jets,
        _removal,
        _plate,
        _cut,
        _pin_by_pin,
    )
    for attempt in tried:
        yield _weighed(attempt(here, part, bench), part, matters)


def best_first(ways: Sequence[WayOff]) -> list[WayOff]:
    """Possible ways first, by the minutes they are expected to take, trouble counted."""
    return sorted(ways, key=lambda one: (not one.possible, expected_min(one.minutes, one.odds)))


def expected_min(minutes: float, odds: float) -> float:
    """Minutes with the trouble that comes in the rest of the cases."""
    return minutes + (1.0 - odds) * TROUBLE_MIN


def _weighed(way: WayOff, part: PlacedPart, matters: Matters) -> WayOff:
    """With its odds and minutes."""
    if not way.possible:
        return way
    if way.way in _PART_LOST and matters is not Matters.BOARD:
        said = "it cuts off the part's leads; only if the part is scrapped anyway"
        return replace(way, possible=False, why_not=said)
    hands, trouble = _HANDS[way.way]
    good = 1.0 - trouble
    if matters is not Matters.PART:
        good *= 1.0 - tear_odds(way.spread_s or 0.0)
        good *= (1.0 - LOOSE_ODDS) ** min(len(way.loose), 20)
        good *= (1.0 - HARM_ODDS) ** len({*way.falls, *way.harmed} - {part.ref})
    if matters is not Matters.BOARD:
        good *= 1.0 - _cooked(way, part)
    heated = 0.0 if way.way in _BY_IRON else (way.all_liquid_s or 0.0) / 60.0
    minutes = way.minutes + hands + heated
    return replace(way, odds=good, minutes=minutes)


def _cooked(way: WayOff, part: PlacedPart) -> float:
    """Odds that the part itself is spoilt: none at its limit, all of `HARM_ODDS` well above it."""
    over = (way.body_peak_c or 0.0) - part.package.limit_c
    return HARM_ODDS * min(max(over / OVER_K, 0.0), 1.0)


def _not(way: OffWay, why: str) -> WayOff:
    return WayOff(way=way, possible=False, why_not=why)


# by air
def _air(
    scene: Scene, part: PlacedPart, bench: OffBench, heights_mm: tuple[float, ...] = HEIGHTS_MM
) -> WayOff:
    if bench.air is None:
        return _not(OffWay.AIR, "no hot-air station on the bench")
    narrow = min(scene.board.width_mm, scene.board.height_mm)
    every = dict.fromkeys((bench.air.narrow_mm, *bench.nozzles_mm))
    nozzles = [one for one in every if one <= narrow]
    if not nozzles:
        return _not(
            OffWay.AIR,
            f"the nozzle of {with_unit(bench.air.narrow_mm, MM)} is wider than the board",
        )
    sources = [bench.air.with_round(one) for one in nozzles]
    return _best_air(
        OffWay.AIR,
        scene,
        part,
        bench=bench,
        sources=[(one, None) for one in sources],
        heights_mm=heights_mm,
    )


def _rectangle(scene: Scene, part: PlacedPart, bench: OffBench) -> WayOff:
    if bench.air is None or not bench.long_nozzles_mm:
        return _not(OffWay.RECTANGLE, "no rectangular nozzle on the bench")
    turn = part.rotation_deg + (90.0 if part.package.body_y_mm > part.package.body_x_mm else 0.0)
    sources = [
        replace(bench.air.with_round(short), nozzle_long_mm=long, nozzle_turn_deg=turn % 180.0)
        for short, long in bench.long_nozzles_mm
    ]
    return _best_air(OffWay.RECTANGLE, scene, part, bench, [(one, None) for one in sources])


def _jets(scene: Scene, part: PlacedPart, bench: OffBench) -> WayOff:
    """Narrow slits over the rows, each with its share of the air: in the mean over time one slit
    that is over every row in turn, quickly, and so many times as strong.
    """
    if bench.air is None or not bench.jets:
        return _not(OffWay.JETS, "no head with narrow jets on the bench")
    rows = lead_rows(part.package)
    if len(rows) not in (2, 4):
        return _not(OffWay.JETS, f"jets need two or four rows of leads; {part.ref} has none")
    one, other = rows[0], rows[-1] if len(rows) == 2 else rows[1]
    upright = abs(one[0].x_mm - one[-1].x_mm) < abs(one[0].y_mm - one[-1].y_mm)
    half = 0.5 * (abs(one[0].x_mm - other[0].x_mm) if upright else abs(one[0].y_mm - other[0].y_mm))
    long = max(
        math.dist((a.x_mm, a.y_mm), (b.x_mm, b.y_mm)) for a, b in ((r[0], r[-1]) for r in rows)
    )
    share = replace(bench.air, flow_lpm=max(bench.air.flow_lpm / len(rows), 1.0))
    across = part.rotation_deg + (0.0 if upright else 90.0)
    if len(rows) == 2:
        slit = replace(
            share.with_round(JET_WIDE_MM),
            nozzle_long_mm=max(long, JET_WIDE_MM),
            nozzle_turn_deg=(across + 90.0) % 180.0,
        )
        path = (NozzlePath.ENDS, half, across % 360.0)
    else:
        slit = share.with_round(2 * JET_WIDE_MM)
        path = (NozzlePath.CIRCLE, half, 0.0)
    stronger = (scene.jet_factor or JET_FACTOR) * len(rows)
    here = replace(scene, jet_factor=min(stronger, 5.0))
    return _best_air(OffWay.JETS, here, part, bench, [(slit, path)])


Path = tuple[NozzlePath, float, float]


def _best_air(
    way: OffWay,
    scene: Scene,
    part: PlacedPart,
    bench: OffBench,
    sources: Sequence[tuple[HotAir, Path | None]],
    heights_mm: tuple[float, ...] = HEIGHTS_MM,
) -> WayOff:
    """The best of these nozzles, two distances, as set and hotter, with and without heat from
    below.
    """
    below = [None, *([bench.preheater] if bench.preheater is not None else [])]
    found: list[WayOff] = []
    for source, path in sources:
        ready: Prepared | None = None
        for heater in below:
            for height in HEIGHTS_MM[:1] if path else heights_mm:
                for hotter in (0.0, HOTTER_K):
                    hot = replace(source, outlet_c=min(source.outlet_c + hotter, MOST_AIR_C))
                    one = _air_scene(scene, part, hot, height=height, path=path, heater=heater)
                    if ready is None or ready.scene.preheater != heater:
                        ready = prepare(near_the_heat(one), resolution_for(one))
                    here = replace(one, parts=ready.scene.parts)
                    found.append(_followed(way, ready, here, part))
    liquid = [one for one in found if one.possible]
    if not liquid:
        return found[0]
    return min(liquid, key=lambda one: _trouble(one, part))


def _trouble(way: WayOff, part: PlacedPart) -> float:
    """What is worse about one setting than about another, as odds lost and a little for time."""
    lost = tear_odds(way.spread_s or 0.0) + LOOSE_ODDS * len(way.loose) + _cooked(way, part)
    others = {*way.falls, *way.harmed} - {part.ref}
    return lost + HARM_ODDS * len(others) + 0.001 * (way.all_liquid_s or 0.0)


def _air_scene(
    scene: Scene,
    part: PlacedPart,
    source: HotAir,
    height: float,
    path: Path | None,
    heater: Preheater | None,
) -> Scene:
    half = max(half_size_mm(part))
    circle = (
        round(max(half - 0.5 * source.narrow_mm, 0.0), 1) if source.nozzle_long_mm is None else 0.0
    )
    over = (part.ref,)
    if path is None:
        close = Move(deed=Deed.CLOSE, seconds=60.0, over=over, height_mm=height, circle_mm=circle)
    else:
        kind, reach, along = path
        close = Move(
            deed=Deed.CLOSE,
            seconds=60.0,
            over=over,
            height_mm=0.6 * height,
            circle_mm=reach,
            circle_s=0.4,
            path=kind,
            along_deg=along,
        )
    warm = Move(deed=Deed.WARM, seconds=WARM_S, over=over, height_mm=WARM_MM, circle_mm=10.0)
    return replace(
        scene,
        source=source,
        moves=(warm, close, Move(deed=Deed.WITHDRAW, seconds=30.0)),
        preheater=heater,
    )


def _followed(way: OffWay, ready: Prepared, scene: Scene, part: PlacedPart) -> WayOff:
    """One setting, followed by eye until all joints of the part are liquid."""
    moves = [move for move in scene.moves if move.heats]
    done = follow(ready, scene, moves)
    prepared = replace(ready, scene=scene)
    source = scene.source
    assert isinstance(source, HotAir)
    below = f", {with_unit(scene.preheater.celsius, CELSIUS)} from below" if scene.preheater else ""
    words = f"{with_unit(source.outlet_c, CELSIUS)}, {with_unit(source.flow_lpm, LPM)}, {source.nozzle_words}, {with_unit(moves[-1].height_mm, MM)} above{below}"
    return replace(
        _read(way, prepared, done.state, part),
        settings=words,
        scene=scene,
        cautions=(
            "the part in the tweezers is hot; put the handle back in its stand",
            *_cautions(part),
        ),
    )


def _read(way: OffWay, prepared: Prepared, state: HeatState, part: PlacedPart) -> WayOff:
    """What a state at the end of its heat says of a part to be lifted."""
    rows = rows_of(prepared)[part.ref]
    ends, starts = state.joint_record[rows, k.R_MELT_END], state.joint_record[rows, k.R_MELT_START]
    names = prepared.network.names
    peak = _body_peak_c(prepared, state, part.ref)
    if not len(rows) or float(ends.min()) < 0:
        cold = int(rows[int(np.argmin(state.joint_record[rows, k.R_PEAK]))])
        return WayOff(
            way=way,
            possible=False,
            body_peak_c=peak,
            why_not=f"pin {names[cold].pin} stays solid",
            last_pin=names[cold].pin,
        )
    seen = watch(prepared)
    loose, drops = tuple(loose_s(seen, state)), seen.falling
    cooled = after_heat(prepared, state, to_solid=True)
    frozen = cooled.joint_record[rows, k.R_FREEZE]
    stays = float(frozen.min()) - state.now_s if float(frozen.min()) >= 0 else None
    bodies = {one.ref for one in prepared.scene.parts}
    harmed = tuple(dict.fromkeys(one.ref for one in harms(seen, cooled) if one.ref in bodies))
    return WayOff(
        way=way,
        possible=True,
        all_liquid_s=float(ends.max()),
        stays_liquid_s=stays,
        spread_s=float(ends.max() - starts.min()),
        last_pin=names[int(rows[int(np.argmax(ends))])].pin,
        body_peak_c=_body_peak_c(prepared, cooled, part.ref),
        loose=tuple(ref for ref in loose if ref not in drops),
        falls=tuple(ref for ref in loose if ref in drops),
        harmed=tuple(ref for ref in harmed if ref not in drops),
    )


def _body_peak_c(prepared: Prepared, state: HeatState, ref: str) -> float:
    place = prepared.network.refs.index(ref)
    return float(state.body_record[place, k.R_BODY_PEAK]) + prepared.scene.ambient_c


# from below
def _plate(scene: Scene, part: PlacedPart, bench: OffBench) -> WayOff:
    """By the plate that spoils least; of those, the one that heats the part least."""
    if not bench.plates:
        return _not(OffWay.PLATE, "no hot plate on the bench")
    tall = tallest_beneath_mm(scene)
    if tall > 0:
        said = f"parts on the underside hold the board {with_unit(tall, MM, 1)} off the plate"
        return _not(OffWay.PLATE, said)
    found = [_by_plate(scene, part, plate) for plate in bench.plates]
    return min(
        found,
        key=lambda one: (
            not one.possible,
            len({*one.falls, *one.harmed}),
            one.body_peak_c or 0.0,
        ),
    )


def _by_plate(scene: Scene, part: PlacedPart, plate: HotPlate) -> WayOff:
    moves = (Move(deed=Deed.PLATE, seconds=PLATE_LOOK_S),)
    here = replace(scene, source=plate, shields=(), moves=moves)
    prepared = prepare(here, resolution_for(here))
    drive = prepared.drive(here)
    state = first_state(prepared, drive)
    rows = rows_of(prepared)[part.ref]
    while state.now_s < LONGEST_PLATE_S and float(state.joint_record[rows, k.R_MELT_END].min()) < 0:
        advance(prepared, state, drive, sampled=False)
    found = _read(OffWay.PLATE, prepared, state, part)
    if not found.possible:
        found = replace(
            found,
            why_not=f"not molten within {LONGEST_PLATE_S / 60:.0f} minutes at {with_unit(plate.set_c, CELSIUS)}",
        )
    return replace(
        found,
        settings=f"plate at {with_unit(plate.set_c, CELSIUS)}",
        scene=here,
        cautions=("everything on the board floats: touch only the part you lift",),
    )


# by iron
def _two_irons(scene: Scene, part: PlacedPart, bench: OffBench) -> WayOff:
    rows = _pins(_flooding_rows(part.package))
    why = _not_by_two(part, bench, len(rows))
    if why:
        return _not(OffWay.TWO_IRONS, why)
    length = sum(_row_length_mm(part.package, row) for row in rows)
    alloy = alloy_named(part.alloy)
    wire = wire_mm(BEAD_MM2 * length, 0.8, alloy)
    irons = sorted(bench.irons, key=lambda iron: -iron.tip_mm)[:2]
    half = len(rows) // 2
    ways = [
        tuple(pin for row in rows[:half] for pin in row),
        tuple(pin for row in rows[half:] for pin in row),
    ]
    best, speed = _quickest(scene, part, rows, list(zip(irons, ways, strict=True)))
    return replace(
        _by_iron(OffWay.TWO_IRONS, best, part),
        settings=f"{with_unit(irons[0].set_c, CELSIUS)}, one tip per row, {speed:g} mm/s back and forth",
        uses=f"{with_unit(wire, MM, 0)} of 0.8 mm wire",
        wire_mm=wire,
        cautions=("twist it off the pads, never pull", *_cautions(part)),
    )


def _not_by_two(part: PlacedPart, bench: OffBench, rows: int) -> str:
    """Why two irons cannot take a part off; "" where they can."""
    if len(bench.irons) < 2:
        return "two irons are needed; the bench has " + counted(len(bench.irons), "iron")
    if rows not in (2, 4):
        return f"two irons work two or four rows; {part.ref} has {counted(rows, 'row')}"
    hidden = [land for land in part.package.lands if not tip_reaches(part.package, land)]
    if hidden:
        return f"pin {hidden[0].pin} underneath cannot be reached by a tip and stays solid (common practice)"
    return ""


def _quickest(
    scene: Scene,
    part: PlacedPart,
    rows: list[tuple[str, ...]],
    irons: list[tuple[Iron, tuple[str, ...]]],
) -> tuple[Flooded, float]:
    """The flood by irons that each go along their pins, at the speed at which all is liquid soonest."""
    found: tuple[Flooded, float] | None = None
    for speed in SPEEDS_MM_S:
        tips = [Tip(iron=iron, pins=pins, speed_mm_s=speed) for iron, pins in irons]
        best_s = (found[0].all_liquid_s if found else None) or LONGEST_FLOOD_S
        seen = flooded(scene, part.ref, tips, rows=rows, longest_s=max(best_s, 0.2))
        if found is None or (seen.all_liquid_s or 99.0) < (found[0].all_liquid_s or 99.0):
            found = seen, speed
    assert found is not None
    return found


def _to_and_fro(scene: Scene, part: PlacedPart, bench: OffBench) -> WayOff:
    ends = [land for land in part.package.lands if tip_reaches(part.package, land)]
    if not bench.irons:
        return _not(OffWay.TO_AND_FRO, "no iron on the bench")
    if not 2 <= len(part.package.lands) <= 3 or len(ends) < len(part.package.lands):
        return _not(
            OffWay.TO_AND_FRO, f"one tip keeps two ends molten, not the joints of {part.ref}"
        )
    pins = tuple(land.pin for land in ends)
    iron = max(bench.irons, key=lambda one: one.tip_mm)
    runs = [
        (
            flooded(scene, part.ref, [Tip(iron=iron, pins=pins, dwell_s=dwell)], longest_s=10.0),
            dwell,
        )
        for dwell in DWELLS_S
    ]
    best, dwell = min(runs, key=lambda run: run[0].all_liquid_s or 99.0)
    return replace(
        _by_iron(OffWay.TO_AND_FRO, best, part),
        settings=f"{with_unit(iron.set_c, CELSIUS)}, {with_unit(iron.tip_mm, MM)}, {with_unit(dwell, SECONDS)} per end",
        uses="a little wire on both ends",
        cautions=("push it off with the tip, do not lever", *_cautions(part)),
    )


def _removal(scene: Scene, part: PlacedPart, bench: OffBench) -> WayOff:
    rows = _pins(_flooding_rows(part.package))
    why = _not_by_alloy(part, bench, bool(rows))
    if why:
        return _not(OffWay.REMOVAL, why)
    old = math.fsum(_joint_mm3(part.package, land) for land in part.package.lands)
    length = sum(_row_length_mm(part.package, row) for row in rows)
    least = min(max(REMOVAL_PARTS, COVER_MM2 * length / old), 100.0)
    mix = removal_mix(
        part.alloy, old, least if bench.removal_parts is None else bench.removal_parts
    )
    section = mix.removal_mm3 / max(length, 0.1)
    iron = max(bench.irons, key=lambda one: one.tip_mm)
    around = tuple(pin for row in rows for pin in row)
    best = flooded(
        scene,
        part.ref,
        [Tip(iron=iron, pins=around, speed_mm_s=ROUND_MM_S)],
        rows=rows,
        section_mm2=min(section, 4.0),
        alloy=mix.alloy,
        longest_s=45.0,
        after_s=60.0,
    )
    return replace(
        _by_iron(OffWay.REMOVAL, best, part),
        settings=f"{with_unit(iron.set_c, CELSIUS)}, around all sides; the mixture melts at about {with_unit(mix.alloy.liquidus_c, CELSIUS, 0)} ({mix.liquidus_low_c:.0f} to {mix.liquidus_high_c:.0f})",
        uses=f"{with_unit(mix.removal_g, GRAMS, 2)} of removal alloy ({with_unit(mix.wire_mm, MM, 0)} of 1 mm wire)",
        removal_g=mix.removal_g,
        cautions=(
            "remove every trace before the refit: wick twice, wash",
            "indium and bismuth in it: wash hands; none into the solder pot",
        ),
    )


def _not_by_alloy(part: PlacedPart, bench: OffBench, has_rows: bool) -> str:
    """Why removal alloy cannot take a part off; "" where it can."""
    if not bench.removal_alloy:
        return "no removal alloy on the bench"
    if not bench.irons:
        return "no iron on the bench"
    hidden = [land for land in part.package.lands if not tip_reaches(part.package, land)]
    if hidden:
        return f"pin {hidden[0].pin} lies under the body, where the alloy does not reach"
    return "" if has_rows else "it needs rows of leads to be flooded"


def least_s(way: OffWay, leads: int) -> float:
    """Seconds that hands need at the least from the touch to the part off, by iron."""
    if way is OffWay.TWO_IRONS:
        return TWO_IRONS_LEAST_S + TWO_IRONS_PIN_S * max(leads - 8, 0)
    return TO_AND_FRO_LEAST_S if way is OffWay.TO_AND_FRO else REMOVAL_LEAST_S


def _by_iron(way: OffWay, seen: Flooded, part: PlacedPart) -> WayOff:
    """What a flood says, as a way off. Its seconds are the metal's share; told are those of the
    hands where these are more, and neither odds nor minutes rest on the metal's.
    """
    if seen.all_liquid_s is None:
        cold = seen.at_end_c.get(seen.last_pin, 0.0)
        said = f"never all molten at once: pin {seen.last_pin} is at {with_unit(cold, CELSIUS, 0)} when the tip comes back"
        return WayOff(way=way, possible=False, why_not=said, last_pin=seen.last_pin)
    harmed = (part.ref,) if seen.body_peak_c > seen.limit_c else ()
    leads = len(part.package.lands)
    floor = least_s(way, leads)
    return WayOff(
        way=way,
        possible=True,
        all_liquid_s=max(seen.all_liquid_s, floor),
        at_least=seen.all_liquid_s <= floor,
        minutes=0.0 if way is OffWay.TO_AND_FRO else FLOOD_PIN_S * leads / 60.0,
        last_pin=seen.last_pin,
        body_peak_c=seen.body_peak_c,
        loose=seen.loose,
        harmed=harmed,
    )


def _flooding_rows(package: Package) -> list[list[Land]]:
    """Rows that a bead can join: leads, or the edge joints of a leadless part."""
    rows = lead_rows(package, anchors=True)
    return rows or lead_rows(package, frozenset((JointKind.LEADLESS,)))


def _pins(rows: Sequence[Sequence[Land]]) -> list[tuple[str, ...]]:
    return [tuple(land.pin for land in row) for row in rows]


def _row_length_mm(package: Package, row: Sequence[str]) -> float:
    lands = {land.pin: land for land in package.lands}
    a, b = lands[row[0]], lands[row[-1]]
    return math.dist((a.x_mm, a.y_mm), (b.x_mm, b.y_mm)) + min(a.size_x_mm, a.size_y_mm)


def _joint_mm3(package: Package, land: Land) -> float:
    """Old solder at a joint: the middle of what it wants."""
    want = wanted(package, land)
    return 0.5 * (want.least_mm3 + want.most_mm3)


# by blade, by pin
def _cut(scene: Scene, part: PlacedPart, bench: OffBench) -> WayOff:
    if not bench.blade:
        return _not(OffWay.CUT, "no blade on the bench")
    leads = [land for land in part.package.lands if land.kind is JointKind.GULL_WING]
    if len(leads) < 4 or len(leads) < len(part.package.lands):
        return _not(
            OffWay.CUT, f"a blade reaches gull-wing leads only; {part.ref} has other joints"
        )
    room, beside = _room_beside_mm(scene, part)
    if room < BLADE_MM:
        return _not(
            OffWay.CUT,
            f"{beside} leaves {with_unit(room, MM, 1)} of space; a blade needs {BLADE_MM:g}",
        )
    lead = lead_of(part.package)
    each = SCORES * SCORE_S * max(lead.width_mm / 0.3, 0.5)
    return WayOff(
        way=OffWay.CUT,
        possible=True,
        minutes=each * len(leads) / 60.0,
        spread_s=0.0,
        uses=f"{SCORES:g} cuts per lead ({lead.width_mm:g} × {with_unit(lead.thick_mm, MM)}), {counted(len(leads), 'lead')}",
        settings="blade flat against the body; the last lead by iron",
        cautions=("leads spring off: eye protection", "no side cutters: they stress the pads"),
    )


def _room_beside_mm(scene: Scene, part: PlacedPart) -> tuple[float, str]:
    """Clear distance to the nearest part of the same face, box to box, and which."""
    mine = half_size_mm(part)
    best, name = math.inf, ""
    for other in scene.parts:
        if other.ref == part.ref or other.side is not part.side:
            continue
        half = half_size_mm(other)
        gap = math.hypot(
            max(abs(other.x_mm - part.x_mm) - mine[0] - half[0], 0.0),
            max(abs(other.y_mm - part.y_mm) - mine[1] - half[1], 0.0),
        )
        if gap < best:
            best, name = gap, other.ref
    return best, name


def _pin_by_pin(scene: Scene, part: PlacedPart, bench: OffBench) -> WayOff:
    pins = [land for land in part.package.lands if land.kind is JointKind.THROUGH_HOLE]
    if not pins or len(pins) < len(part.package.lands):
        return _not(
            OffWay.PIN_BY_PIN, "for headers and other parts in holes, which are removed pin by pin"
        )
    if not bench.irons:
        return _not(OffWay.PIN_BY_PIN, "no iron on the bench")
    return WayOff(
        way=OffWay.PIN_BY_PIN,
        possible=True,
        minutes=0.5 * len(pins),
        spread_s=0.0,
        uses=f"wick, {counted(len(pins), 'pin')}",
        settings="cut the body between the pins or slide it off, then pull each pin when it melts",
        cautions=("pins spring off: eye protection",),
    )


def _cautions(part: PlacedPart) -> tuple[str, ...]:
    if part.package.iron_only or part.package.heat_shy:
        return (f"{part.ref}: {part.package.limit_why}",)
    return ()
