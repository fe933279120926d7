"""The script of a heat: what is said when, and how the taps move it.

Laws: a heat that is no tour may be answered in any order that its moves allow, so its cues stand in
the order in which they are expected now; the stops of a tour follow each other. What was seen moves
times, the order and the stop; it never changes what may be tapped.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

from yellowfen.core.heat.follow import SETTLE_S, stops_of
from yellowfen.core.heat.heat_plan import (
    Forecast,
    HeatPlan,
    SourceKind,
    StopForecast,
    TargetForecast,
    aimed,
)
from yellowfen.core.heat.revise import (
    Course,
    Revised,
    RevisedStop,
    Seen,
    StopSight,
    carried_on,
    revise,
    too_early,
)
from yellowfen.core.heat.scene import Deed, Move, NozzlePath
from yellowfen.core.heat.sureness import Band
from yellowfen.core.quantity.units import MM, SECONDS, with_unit
from yellowfen.core.quantity.wording import counted
from yellowfen.core.run.did import Did, LedgerEntry, Pins
from yellowfen.core.run.heat_cues import (
    ALL_FLOWED,
    AWAY,
    SOLID,
    START,
    UNCLOCKED,
    flowed_key,
    lifted_key,
    move_key,
    near_key,
    seen_key,
    shortened,
    springs_key,
    stop_key,
)
from yellowfen.core.run.machine import Cue, Effect, RunRule, Script, Tap, confirming, sure_key
from yellowfen.core.run.pad_heats import PadHeats
from yellowfen.core.run.removal import BY_AIR, BY_PLATE, after_removal
from yellowfen.core.run.run import BenchRun, Key, KindOfRun
from yellowfen.core.source.mark import Mark, constant

MOST_NEAR, HANGS = 8, "hangs"
HANGS_S = constant(
    "hangs_more",
    5.0,
    "s",
    mark=Mark.COMMON_PRACTICE,
    source="a part that does not lift needs a few more seconds, never force",
    affects="cues of a lift",
)
LAGS = "Still warming? Stay. If not: skip it now, and heat it from below or by iron later."
_DEED_WORDS = {
    Deed.WARM: "Preheat the area",
    Deed.CLOSE: "Close in",
    Deed.HOLD: "Hold still",
    Deed.PREHEAT: "Heat from below only",
    Deed.PLATE: "Board on the plate",
    Deed.OVEN: "Board in the oven",
}
_STARTS = {
    Deed.PLATE: "Start: board on the plate",
    Deed.OVEN: "Start: oven on",
    Deed.PREHEAT: "Start: heat from below on",
}
_PATHS = {
    NozzlePath.CIRCLE: "circling",
    NozzlePath.ROWS: "along the rows",
    NozzlePath.ENDS: "end to end",
}


@dataclass(frozen=True, kw_only=True)
class Live:
    """A heat as it is to be expected after its taps: the revised forecast, seconds of each tap that
    is believed, whether any of them told of the heat, and the newest that is not believed ("");
    when a part that was to be lifted still hung.
    """

    revised: Revised
    moments_s: dict[str, float]
    sighted: bool
    doubtful: str = ""
    doubtful_s: float = 0.0
    hung_s: dict[str, float] = field(default_factory=dict)


def heat_script(plan: HeatPlan, forecast: Forecast, live: Live | None = None) -> Script:
    """A heat as it was planned, or as it is expected now."""
    script = _tour(plan, forecast, live) if plan.tour else _single(plan, forecast, live)
    return _asking(script, live)


def live_script(
    plan: HeatPlan, forecast: Forecast, course: Course | None, taps: Sequence[Tap]
) -> Script:
    """The script as the taps have moved it; without samples, or before the start, as planned."""
    if course is None or not (taps or course.taught):
        return heat_script(plan, forecast)
    seen, cues = _seen(plan, forecast, taps)
    revised = revise(course, seen)
    doubtful = [cues[place] for place in revised.doubtful]
    doubtful += _lifted_too_early(course, seen, taps)
    at = [((tap.at_ms - taps[0].at_ms) / 1000, tap) for tap in taps]
    moments = {tap.cue: when for when, tap in at if tap.word != HANGS}
    live = Live(
        revised=revised,
        moments_s={cue: at for cue, at in moments.items() if plan.tour or cue not in doubtful},
        sighted=len(seen) > len(doubtful) or course.taught,
        doubtful=doubtful[-1] if doubtful else "",
        doubtful_s=moments[doubtful[-1]] if doubtful else 0.0,
        hung_s={tap.cue: when for when, tap in at if tap.word == HANGS},
    )
    return heat_script(plan, forecast, live)


def _lifted_too_early(course: Course, seen: Sequence[Seen], taps: Sequence[Tap]) -> list[str]:
    """Lifts that were tapped before their part can have been molten, by all that was seen, and were
    not confirmed.
    """
    sure = {tap.cue for tap in taps}
    found = []
    for tap in taps:
        ref = tap.cue.removeprefix(lifted_key(""))
        if tap.word != "done" or ref == tap.cue or sure_key(tap.cue) in sure:
            continue
        after = (tap.at_ms - taps[0].at_ms) / 1000
        lift = Seen(stop=0, what=StopSight.FLOWED, after_s=after, refs=(ref,))
        if too_early(course, seen, lift):
            found.append(tap.cue)
    return found


def believed_flows(
    plan: HeatPlan, forecast: Forecast, course: Course | None, taps: Sequence[Tap]
) -> list[tuple[str, float]]:
    """Which part was seen to flow when, s since the start, as a station may learn from it: of parts
    watched as one the last that was expected, nothing that was hard to believe and not confirmed.
    """
    seen, cues = _seen(plan, forecast, taps)
    doubtful = {cues[place] for place in revise(course, seen).doubtful} if course else set()
    moments = {tap.cue: (tap.at_ms - taps[0].at_ms) / 1000 for tap in taps if tap.word == "done"}
    expected = {one.ref: one.flows_s or 0.0 for one in forecast.targets}
    watched: dict[str, tuple[str, ...]] = {flowed_key(ref): (ref,) for ref in expected}
    watched |= {springs_key(ref): (ref,) for ref in expected}
    watched |= {stop_key(n): stop.refs for n, stop in enumerate(forecast.stops, 1)}
    if forecast.grouped:
        watched[ALL_FLOWED] = tuple(expected)
    return [
        (max(refs, key=lambda ref: expected.get(ref, 0.0)), moments[cue])
        for cue, refs in watched.items()
        if cue in moments and cue not in doubtful and refs
    ]


def moves_as_run(plan: HeatPlan, taps: Sequence[Tap]) -> tuple[Move, ...]:
    """The moves of a tour with the seconds that the taps gave them, up to the last that was left;
    those of another heat as planned.
    """
    if not plan.tour or not taps:
        return plan.moves
    moments = {tap.cue: (tap.at_ms - taps[0].at_ms) / 1000 for tap in taps}
    found, number = [], 0
    for move in plan.moves:
        if move not in stops_of(plan.moves):
            left = moments.get(move_key(2)) if move.heats else None
            found.append(move if left is None else replace(move, seconds=max(left, 0.1)))
            continue
        number += 1
        came, left = arrived_s(plan, moments, number), moments.get(stop_key(number))
        if came is None or left is None:
            break
        found.append(replace(move, seconds=max(left - came, 0.1)))
    return tuple(found)


def next_course(plan: HeatPlan, forecast: Forecast, course: Course, taps: Sequence[Tap]) -> Course:
    """What the next board of the same heat begins with."""
    return carried_on(course, _seen(plan, forecast, taps)[0])


def _seen(plan: HeatPlan, forecast: Forecast, taps: Sequence[Tap]) -> tuple[list[Seen], list[str]]:
    """What taps say of the heat, and the cue of each; seconds since the nozzle came to its stop."""
    if not taps:
        return [], []
    moments = {tap.cue: (tap.at_ms - taps[0].at_ms) / 1000 for tap in taps}
    said = [tap for tap in taps if tap.word == "done"]
    sure = {tap.cue for tap in said}
    signs = {
        seen_key(what, stop): (what, stop)
        for what in (StopSight.FLUX, StopSight.SHINE)
        for stop in range(len(forecast.stops) + 1)
    }
    signs |= {stop_key(n): (StopSight.FLOWED, n) for n in range(1, len(forecast.stops) + 1)}
    found, cues = [], []
    for tap in said:
        refs: tuple[str, ...] = ()
        if tap.cue in signs:
            what, stop = signs[tap.cue]
        elif tap.cue == ALL_FLOWED:
            what, stop = StopSight.FLOWED, 0
        elif tap.cue.startswith(("flowed ", "springs ")):
            what, stop, refs = StopSight.FLOWED, 0, (tap.cue.split(" ", 1)[1],)
        else:
            continue
        came = arrived_s(plan, moments, stop) if stop else 0.0
        if came is not None:
            after = max(moments[tap.cue] - came, 0.0)
            found.append(
                Seen(
                    stop=max(stop - 1, 0),
                    what=what,
                    after_s=after,
                    refs=refs,
                    sure=sure_key(tap.cue) in sure,
                )
            )
            cues.append(tap.cue)
    return found, cues


def arrived_s(plan: HeatPlan, moments_s: dict[str, float], stop: int) -> float | None:
    """When the nozzle came to a stop (from 1 on), by the taps; None before it did."""
    if stop > 1:
        return moments_s.get(stop_key(stop - 1))
    return moments_s.get(move_key(2) if _warmed(plan) else START)


def _warmed(plan: HeatPlan) -> bool:
    return bool(plan.moves) and plan.moves[0].deed in (Deed.WARM, Deed.PREHEAT)


def _asking(script: Script, live: Live | None) -> Script:
    """With what confirms a tap, and the question about a doubtful one."""
    sights = [*(cue for cue in script.cues if cue.refs), *script.extras]
    sure = (confirming(cue) for cue in sights)
    done = Cue(
        key=UNCLOCKED,
        title="",
        press="Soldered without the clock",
        free=True,
        ends=tuple(cue.key for cue in script.cues),
    )
    script = replace(script, extras=(*script.extras, *sure, done))
    if live is None or not live.doubtful:
        return script
    cue = script.cue(live.doubtful)
    return replace(
        script,
        ask=f"{cue.press if cue else live.doubtful} at {with_unit(live.doubtful_s, SECONDS, 0)}? That is unusual.",
        ask_key=sure_key(live.doubtful),
    )


def _move_words(move: Move) -> str:
    words = _DEED_WORDS[move.deed]
    if not move.blows:
        return words
    path = _PATHS.get(move.path)
    way = f", {path} {with_unit(move.circle_mm, MM)}" if move.circle_mm > 0 and path else ""
    return f"{words}: {with_unit(move.height_mm, MM)}{way}"


def _signs(stop: int = 0) -> tuple[Cue, ...]:
    """Early signs that teach when they are tapped: flux that runs thin, the first shine."""
    words = {StopSight.FLUX: "Flux turns clear and thin", StopSight.SHINE: "First shine"}
    return tuple(
        Cue(key=seen_key(what, stop), title=said, press=said, after=START, free=True)
        for what, said in words.items()
    )


def _ready(first: Move | None, lifts: bool = False) -> str:
    if first is not None and first.blows:
        return f"Ready? Nozzle hot, {'flux on, tweezers in hand' if lifts else 'part placed, flux on'}."
    return f"Ready? {'Flux on, tweezers' if lifts else 'Parts placed, heat'} at hand, nothing flammable nearby."


def _solid(ends: tuple[str, ...]) -> Cue:
    return Cue(
        key=SOLID,
        title="Do not touch until it is solid.",
        press="All solid",
        detail="Wait until the solder looks dull; do not nudge it.",
        after=AWAY,
        free=True,
        ends=ends,
    )


def _lagging(cue: Cue, watch: str, by_s: float | None) -> Cue:
    """A flow with what to do when it has not come by then."""
    if by_s is None:
        return cue
    return replace(cue, late_s=by_s, late=f"{watch}. {LAGS}" if watch else LAGS)


def _single(plan: HeatPlan, forecast: Forecast, live: Live | None) -> Script:
    """Start, moves and flows as they fall due, heat away, all solid.

    A flow may be seen at any moment; the heat may be taken away at any; what moves are left then
    are passed over.
    """
    heating = [move for move in plan.moves if move.heats] or [*plan.moves[:1]]
    begins = [sum(move.seconds for move in heating[:place]) for place in range(len(heating))]
    end = sum(move.seconds for move in heating)
    now = live.revised.stops[0] if live and live.revised.stops else None
    bands = dict(zip(now.refs, now.flows, strict=True)) if now else {}
    targets = [_revised(one, bands.get(one.ref)) for one in forecast.targets]
    stop = forecast.latest_s if now is None else now.stop_s
    moves = _moves(heating, begins)
    flows = [_as_one(targets, now, heating, begins)] if forecast.grouped else []
    if plan.lifts:
        flows += _lifts(forecast, targets, end, live)
    elif not forecast.grouped:
        flows += _flows(targets, heating, begins, end)
    away = _away_s(end, targets, stop, live)
    if plan.lifts:
        away = max([away, *(due for due, _ in flows)])
    # Nobody is sent away before what is waited for, unless all of it has flowed.
    at_once = bool(live and flows and all(cue.key in live.moments_s for _, cue in flows))
    last = max((due for due, _ in flows), default=away)
    leaves = _leaves(plan, heating, away, ends=tuple(cue.key for _, cue in moves), at_once=at_once)
    rows = [*moves, *flows, (-1.0 if at_once else max(away, last), leaves)]
    hopes = _hopes(targets, forecast.grouped)
    start = Cue(
        key=START,
        title=_ready(heating[0] if heating else None, plan.lifts),
        press=_STARTS.get(heating[0].deed, "Start: air on the board") if heating else "Start",
        detail=f"{'As the last run showed' if live else 'Forecast'}: {hopes}" if hopes else "",
    )
    middle = [cue for _, cue in sorted(rows, key=lambda row: row[0])]
    solid = _solid(tuple(cue.key for _, cue in flows))
    closing = "Done. Let it cool, do not touch it."
    return Script(
        rule=_RULE,
        cues=(start, *middle, solid, *_nearby(plan, forecast)),
        closing="It is off. Count its neighbours. Check the pads." if plan.lifts else closing,
        stop_s=stop,
        stop_why=forecast.latest_why,
        extras=(*_signs(), *_springs(plan)),
    )


def _moves(heating: Sequence[Move], begins: Sequence[float]) -> list[tuple[float, Cue]]:
    """The heating moves after the first, each with the second at which it begins."""
    return [
        (
            begins[place],
            Cue(
                key=move_key(place + 1),
                title=_move_words(heating[place - 1]),
                press=f"{_DEED_WORDS[move.deed]} now",
                ahead=_DEED_WORDS[move.deed],
                due_s=begins[place],
                free=True,
                after=START if place == 1 else move_key(place),
            ),
        )
        for place, move in enumerate(heating[1:], 1)
    ]


def _flows(
    targets: Sequence[TargetForecast],
    heating: Sequence[Move],
    begins: Sequence[float],
    end: float,
) -> list[tuple[float, Cue]]:
    """Every target's flow with the second at which it is due; at the heat's end where none is
    expected.
    """
    rows = []
    for target in targets:
        due = end if target.flows_s is None else target.flows_s
        here = heating[max(place for place, begin in enumerate(begins) if begin <= due)]
        cue = Cue(
            key=flowed_key(target.ref),
            title=_move_words(here),
            press=f"{target.ref} melted",
            ahead=f"{target.ref} should melt",
            due_s=due,
            after=START,
            free=True,
            refs=(target.ref,),
        )
        rows.append((due, _lagging(cue, target.watch, target.late_s)))
    return rows


def _leaves(
    plan: HeatPlan,
    heating: Sequence[Move],
    away: float,
    ends: tuple[str, ...],
    *,
    at_once: bool,
) -> Cue:
    """Heat away: at once where all of it has flowed; what it `ends` has no sense afterwards."""
    title = _move_words(heating[-1]) if heating else ""
    if at_once:
        title = "Everything has melted."
    if plan.lifts:
        title = "Hold it in the tweezers; it is hot."
    return Cue(
        key=AWAY,
        title=title,
        press="Heat is away",
        ahead="Take the heat away",
        due_s=away,
        after=START,
        free=True,
        ends=ends,
    )


def _hopes(targets: Sequence[TargetForecast], grouped: bool) -> str:
    """When the targets are expected to flow, in words: one by one, or the first and the last."""
    if not grouped:
        return ", ".join(
            f"{one.ref} melts at {with_unit(one.flows_s, SECONDS, 0)}"
            if one.flows_s is not None
            else f"{one.ref} does not melt"
            for one in targets
        )
    known = [one.flows_s for one in targets if one.flows_s is not None]
    never = len(targets) - len(known)
    hopes = (
        f"the first melts at {with_unit(min(known), SECONDS, 0)}, the last at {with_unit(max(known), SECONDS, 0)}"
        if known
        else ""
    )
    return hopes + (f", {counted(never, 'part')} would stay solid" if never else "")


def _springs(plan: HeatPlan) -> tuple[Cue, ...]:
    """Parts that are to be lifted and spring back when nudged."""
    if not plan.lifts:
        return ()
    return tuple(
        Cue(
            key=springs_key(ref),
            title=f"{ref} springs back",
            press=f"{ref} springs back",
            after=START,
            free=True,
            refs=(ref,),
        )
        for ref in plan.targets
    )


def _lifts(
    forecast: Forecast, targets: Sequence[TargetForecast], end: float, live: Live | None
) -> list[tuple[float, Cue]]:
    """Each part lifted off when its last joint is liquid: as its band surely says, sooner where it
    was seen to spring back, later where it hung.
    """
    told = forecast.lift
    last = f"Pin {told.last_pin} ({told.last_why})" if told and told.last_pin else ""
    found = []
    for target in targets:
        sure = target.late_s if target.late_s is not None else target.flows_s
        due = end if sure is None else sure
        seen = live.moments_s.get(springs_key(target.ref)) if live else None
        due = due if seen is None else seen
        hung = live.hung_s.get(lifted_key(target.ref)) if live else None
        due = due if hung is None else max(due, hung + HANGS_S)
        title = (
            "Wait for the last joint. Nudge: it springs back"
            if seen is None
            else "It springs back."
        )
        cue = Cue(
            key=lifted_key(target.ref),
            title=title,
            press=f"Lifted: {target.ref}",
            ahead=f"Lift {target.ref} now, without force",
            due_s=due,
            after=START,
            free=True,
            detail="tweezers or vacuum; keep the heat on it",
            refs=(target.ref,),
            mind=f"Do not lift while any joint is solid. {last or target.watch} melts last."
            if last or target.watch
            else "Do not lift while any joint is solid.",
            late_s=due + HANGS_S,
            late=f"It is stuck: do not pull. Wait {with_unit(HANGS_S, SECONDS, 0)} more, then go nearer or hotter.",
        )
        found.append((due, cue))
    return found


def _nearby(plan: HeatPlan, forecast: Forecast) -> tuple[Cue, ...]:
    """Neighbours that were liquid as well, one by one: still in their places?"""
    if not plan.lifts or forecast.lift is None:
        return ()
    return tuple(
        Cue(
            key=near_key(ref),
            title=f"{ref}: straight and in place?",
            press=f"{ref} is in place",
            detail="it was molten too",
            after=AWAY,
        )
        for ref in forecast.lift.along[:MOST_NEAR]
    )


def _as_one(
    targets: Sequence[TargetForecast],
    now: RevisedStop | None,
    heating: Sequence[Move],
    begins: Sequence[float],
) -> tuple[float, Cue]:
    """Many parts watched as one: all of it has flowed, the last of them told."""
    last = max(targets, key=lambda one: math.inf if one.flows_s is None else one.flows_s)
    end = begins[-1] + heating[-1].seconds
    hoped = last.flows_s if now is None else now.whole.middle
    late = last.late_s if now is None else now.whole.high
    due = end if hoped is None else hoped
    here = heating[max(place for place, begin in enumerate(begins) if begin <= due)]
    cue = Cue(
        key=ALL_FLOWED,
        title=_move_words(here),
        press="All melted",
        ahead="All should melt",
        due_s=due,
        after=START,
        free=True,
        mind=last.watch,
        refs=tuple(one.ref for one in targets),
    )
    return due, _lagging(cue, last.watch, late)


def _revised(target: TargetForecast, band: Band | None) -> TargetForecast:
    if band is None:
        return target
    return replace(target, flows_s=band.middle, early_s=band.low, late_s=band.high)


def _away_s(
    end: float, targets: Sequence[TargetForecast], stop: float | None, live: Live | None
) -> float:
    """When the heat is to be taken away: as planned; after a tap when the last has flowed and a
    moment; at once when all has been seen to flow; never past the cautious stop.
    """
    due = end

    def keys(ref: str) -> tuple[str, ...]:
        return flowed_key(ref), lifted_key(ref), ALL_FLOWED

    if live is not None and live.sighted:
        seen = [
            next((live.moments_s[key] for key in keys(one.ref) if key in live.moments_s), None)
            for one in targets
        ]
        known = [at for at in seen if at is not None]
        hoped = [one.flows_s for one in targets if one.flows_s is not None]
        if targets and len(known) == len(targets):
            return max(known)
        due = max([*hoped, *known], default=end) + SETTLE_S
    return due if stop is None else min(due, stop)


def _tour(plan: HeatPlan, forecast: Forecast, live: Live | None) -> Script:
    """Start, stop after stop as each has flowed, heat away, all solid."""
    moves = [move for move in aimed(plan.moves, plan.targets) if move.heats]
    count = len(forecast.stops)
    cues = [_to_first_stop(moves[0])] if _warmed(plan) else []
    came = cues[0].due_s or 0.0 if cues else 0.0
    latest: float | None = None
    why = ""
    near = moves[-count:] if count else []
    for number, (stop, move) in enumerate(zip(forecast.stops, near, strict=True), 1):
        told = _stop_now(stop, number, live)
        tapped = arrived_s(plan, live.moments_s, number) if live else None
        came = tapped if tapped is not None else came
        left = live is not None and stop_key(number) in live.moments_s
        if latest is None and not left and told.latest_s is not None:
            latest, why = came + told.latest_s, told.latest_why
        cue = _stop_cue(move, told, number, count, came)
        cues.append(_lagging(cue, stop.watch, told.late_s and came + told.late_s))
        came += told.seconds
    minutes = (came if live else sum(move.seconds for move in moves)) / 60
    return Script(
        rule=_RULE,
        cues=(
            Cue(
                key=START,
                title=_ready(moves[0] if moves else None, plan.lifts),
                press="Start: air on the board",
                detail=f"{counted(count, 'stop')}, about {minutes:.1f} minutes"
                + (", as the last run showed" if live else ""),
            ),
            *cues,
            _away(came, tuple(cue.key for cue in cues)),
            _solid(()),
        ),
        closing="Done. Let it cool, do not touch it.",
        stop_s=latest,
        stop_why=why,
        extras=tuple(sign for number in range(1, count + 1) for sign in _signs(number)),
    )


def _to_first_stop(warm: Move) -> Cue:
    """Warming, until the nozzle goes to the first stop."""
    return Cue(
        key=move_key(2),
        title=_move_words(warm),
        press="To stop 1 now",
        ahead="To stop 1",
        due_s=warm.seconds,
        after=START,
    )


def _stop_cue(move: Move, told: StopForecast, number: int, count: int, came_s: float) -> Cue:
    """Stay at a stop, reached at `came_s`, until all of it has flowed."""
    return Cue(
        key=stop_key(number),
        title=f"Stop {number} of {count}: {shortened(told.refs)}",
        press="Melted here" if number < count else "Melted: the last",
        detail=f"{with_unit(move.height_mm, MM)} high, circling {with_unit(move.circle_mm, MM)}, about"
        f" {with_unit(told.seconds, SECONDS, 0)}",
        mind=told.watch,
        ahead="It should melt",
        due_s=came_s + told.seconds,
        after=START,
        refs=told.refs,
    )


def _away(due_s: float, ends: tuple[str, ...]) -> Cue:
    """The heat goes away, whatever of `ends` is still open."""
    return Cue(
        key=AWAY,
        title="Take the heat away.",
        press="Heat is away",
        ahead="Take the heat away",
        due_s=due_s,
        after=START,
        free=True,
        ends=ends,
    )


def _stop_now(stop: StopForecast, number: int, live: Live | None) -> StopForecast:
    """A stop as it is expected now."""
    if live is None or number > len(live.revised.stops) or not live.sighted:
        return stop
    now = live.revised.stops[number - 1]
    if now.whole.middle is None:
        return replace(stop, late_s=None, latest_s=now.stop_s)
    return replace(
        stop,
        seconds=now.whole.middle + SETTLE_S,
        early_s=now.whole.low,
        late_s=None if now.whole.high is None else now.whole.high + SETTLE_S,
        latest_s=now.stop_s,
    )


@dataclass(frozen=True, kw_only=True)
class Span:
    """A stretch of a heat's time as it is drawn: its word, its sort, from when to when."""

    word: str
    kind: str
    from_s: float
    to_s: float


def spans(plan: HeatPlan, script: Script, moments_s: dict[str, float]) -> tuple[Span, ...]:
    """The moves of a heat, or the stops of a tour, as they were or are expected, then heat away."""
    heating = [move for move in plan.moves if move.heats]
    ends: list[tuple[str, str, str]] = []
    if plan.tour:
        count = sum(cue.key.startswith("stop ") for cue in script.cues)
        ends += [("preheat", str(heating[0].deed), move_key(2))] if _warmed(plan) else []
        ends += [(str(n), "close", stop_key(n)) for n in range(1, count + 1)]
    else:
        keys = [*(move_key(n) for n in range(2, len(heating) + 1)), AWAY]
        ends += [
            (move.deed.says, str(move.deed), key) for move, key in zip(heating, keys, strict=True)
        ]
    found, began = [], 0.0
    left = moments_s.get(AWAY)
    for word, kind, key in ends:
        cue = script.cue(key)
        end = moments_s.get(key, (cue.due_s if cue else None) or began)
        end = max(end if left is None else min(end, left), began)
        found.append(Span(word=word, kind=kind, from_s=began, to_s=end))
        began = end
    cools = max((move.seconds for move in plan.moves if not move.heats), default=0.0)
    found.append(Span(word="withdraw", kind="withdraw", from_s=began, to_s=began + cools))
    return tuple(found)


def _entries(run: BenchRun, pins: Pins, board: str, stored: int) -> Iterator[LedgerEntry]:
    """What melted, what was removed, what moved, and which neighbours the forecast melts."""
    plan = run.planned(HeatPlan)
    looked_at = bool(run.marks) and not plan.lifts
    if not run.taps and not looked_at:
        return  # opened and never begun; one that was looked at was done without the clock
    last = run.taps[-1].order if run.taps else stored
    melts = {(ref, pin): n for ref, pin, n in (run.forecast or Forecast(targets=())).melts}
    seen = set(run.molten) if run.taps else set(plan.targets)
    lifted = set(run.lifted)
    sprang = {ref for ref in plan.targets if springs_key(ref) in run.state.done}
    any_melted = bool(seen or sprang)
    for ref in plan.targets:
        at = run.when(run.flow_cue(ref)) or last
        heated = {
            (ref, pin): PadHeats(heats=1, again=max(melts.get((ref, pin), 1) - 1, 0))
            for pin in pins.get(ref, ())
        }
        if ref in lifted:
            how = BY_PLATE if plan.source is SourceKind.PLATE else BY_AIR
            yield run.entry(Did.REMOVED, at=at, ref=ref, how=how, pads=heated)
        elif ref in seen or ref in sprang:
            yield run.entry(Did.MELTED, at=at, ref=ref, side=plan.side, pads=heated)
        elif {AWAY, SOLID} & run.state.done.keys() and not plan.lifts:
            yield run.entry(Did.NOT_SEEN, at=last, ref=ref)
    if any_melted:
        targets = set(plan.targets)
        beside = {pad: PadHeats(likely=1) for pad in melts if pad[0] not in targets}
        yield run.entry(Did.BESIDE, at=last, pads=beside)
    for ref in run.moved:
        yield run.entry(Did.MOVED, at=last, ref=ref)


_CAUTIONS = {
    SourceKind.AIR: "Burns: board and nozzle stay hot for minutes. Put the handle back in its stand.",
    SourceKind.PLATE: "Burns: plate and board stay hot for minutes. Never leave it alone.",
    SourceKind.OVEN: "Burns: oven and board stay hot for minutes. Never leave it alone.",
}


def _told(run: BenchRun) -> str:
    """What is stored, tap by tap, with its moment."""
    if not run.taps:
        return ""
    cues = {cue.key: cue for cue in (*run.script.cues, *run.script.extras)}
    said = [
        f"{_tapped(cues.get(tap.cue), tap)} {with_unit((tap.at_ms - run.taps[0].at_ms) / 1000, SECONDS, 0)}"
        for tap in run.taps
    ]
    return f"Stored: {', '.join(said)}"


def _tapped(cue: Cue | None, tap: Tap) -> str:
    """A tap in the words of what it said."""
    about = ", ".join(cue.refs) if cue and len(cue.refs) == 1 else ""
    if tap.word == "hangs":
        return f"{about or tap.cue} is stuck"
    if tap.word == "moved":
        return f"{tap.cue.removeprefix(near_key(''))} moved or lost"
    if tap.word == "not seen":
        return f"{cue.press if cue else tap.cue}: not seen"
    return cue.press if cue else tap.cue


_RULE = RunRule(
    words={
        "done": Effect.DONE,
        "not seen": Effect.ASIDE,
        "hangs": Effect.STAYS,
        "moved": Effect.ASIDE,
    },
    clock=True,
)
HEAT = KindOfRun(
    name="heat",
    plan=HeatPlan,
    script=lambda plan, forecast: heat_script(plan, forecast or Forecast(targets=())),
    rule=_RULE,
    keys={
        "not seen": Key(say="Not seen", press="n", hint="n"),
        "hangs": Key(say="It is stuck", press="h", hint="h", only=lifted_key("")),
        "moved": Key(say="Moved or lost", press="m", hint="m", only=near_key("")),
    },
    doing="heat",
    spent="heat",
    did=lambda run: "heated",
    caution=lambda plan: f"{_CAUTIONS[plan.source]} Ventilate; keep your face out of the fumes.",
    told=_told,
    back="heat",
    onward=lambda run: after_removal(run) if run.lifting else ("look", "Inspect the joints"),
    targets=lambda plan: plan.targets,
    lifts=lambda plan: plan.lifts,
    set_to=lambda plan: f"{plan.in_words()}, {plan.alloy}",
    entries=_entries,
    solders=True,
    task="heat",
)
