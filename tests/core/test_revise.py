"""A heat follows what is seen: the forecast, the order of the cues, the stop; what is hard to
believe.
"""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yellowfen.core.heat.heat_plan import (
    Forecast,
    Goal,
    HeatPlan,
    StopForecast,
    TargetForecast,
)
from yellowfen.core.heat.revise import (
    EYE_DELAY_S,
    EYE_SD_S,
    MODEL_LOG_SD,
    Course,
    Seen,
    StopCourse,
    StopSight,
    carried_on,
    revise,
)
from yellowfen.core.heat.scene import Deed, Move
from yellowfen.core.heat.sureness import band_of
from yellowfen.core.run.heat import believed_flows, heat_script, live_script, moves_as_run
from yellowfen.core.run.heat_cues import (
    ALL_FLOWED,
    AWAY,
    SOLID,
    START,
    flowed_key,
    seen_key,
    stop_key,
)
from yellowfen.core.run.machine import (
    Script,
    Tap,
    allowed,
    asked_of_haste,
    shown,
    state_after,
    sure_key,
    undoable,
)
from yellowfen.core.run.washing import WASH, WashRun, WashStep, wash_script

STRENGTHS = tuple(float(np.exp(0.35 * z)) for z in np.linspace(-1.8, 1.8, 23))


def course(stops: int = 1, refs: tuple[str, ...] = ("U4",)) -> Course:
    """Samples that differ in the strength of the air only: all moments in proportion."""
    one = StopCourse(
        refs=refs,
        flux_s=tuple(12.0 / s for s in STRENGTHS),
        shine_s=tuple(26.0 / s for s in STRENGTHS),
        flows_s=tuple(tuple(30.0 / s + i for s in STRENGTHS) for i in range(len(refs))),
        harm_s=tuple(55.0 / s for s in STRENGTHS),
    )
    return Course(
        stops=tuple(replace(one, refs=(f"P{n}",)) if stops > 1 else one for n in range(stops))
    )


MOVES = (
    Move(deed=Deed.WARM, seconds=15.0, over=("U4",), height_mm=60.0, circle_mm=10.0),
    Move(deed=Deed.CLOSE, seconds=30.0, over=("U4",), height_mm=15.0, circle_mm=4.0),
    Move(deed=Deed.WITHDRAW, seconds=40.0),
)
PLAN = HeatPlan(targets=("U4",), moves=MOVES)
FORECAST = Forecast(
    targets=(
        TargetForecast(
            ref="U4", flows_s=30.0, early_s=20.0, late_s=46.0, watch="U4 pin 7 melts last"
        ),
    ),
    latest_s=35.0,
    latest_why="too hot",
)
TOUR_PLAN = HeatPlan(
    targets=("P0", "P1", "P2"),
    moves=(
        *(
            Move(deed=Deed.CLOSE, seconds=32.0, over=(f"P{n}",), height_mm=15.0, circle_mm=4.0)
            for n in range(3)
        ),
        Move(deed=Deed.WITHDRAW, seconds=40.0),
    ),
)
TOUR = Forecast(
    targets=tuple(
        TargetForecast(ref=f"P{n}", flows_s=32.0 * n + 30, early_s=20.0, late_s=140.0)
        for n in range(3)
    ),
    stops=tuple(
        StopForecast(
            refs=(f"P{n}",),
            seconds=32.0,
            early_s=21.0,
            late_s=48.0,
            latest_s=36.0,
            latest_why="P body",
            watch=f"P{n} pin 2 melts last: on a plane",
        )
        for n in range(3)
    ),
)


def tapped(*moments: tuple[str, float]) -> tuple[Tap, ...]:
    return tuple(
        Tap(key=f"k{i}", cue=cue, word="done", at_ms=round(1000 * at))
        for i, (cue, at) in enumerate(moments)
    )


def live(*moments: tuple[str, float]) -> Script:
    return live_script(PLAN, FORECAST, course(), tapped((START, 0.0), *moments))


def due(script: Script, key: str) -> float:
    found = script.cue(key)
    assert found is not None
    assert found.due_s is not None
    return found.due_s


def test_without_taps_nothing_changes() -> None:
    revised = revise(course(), ())
    planned = band_of([30.0 / s for s in STRENGTHS])
    flows = revised.stops[0].flows[0]
    assert (flows.low, flows.middle, flows.high) == pytest.approx(
        (planned.low, planned.middle, planned.high)
    )
    assert heat_script(PLAN, FORECAST) == live_script(PLAN, FORECAST, None, tapped((START, 0)))


def test_a_tap_narrows_as_the_conjugate_normal_does() -> None:
    """One unknown, everything in proportion: the closed form of a normal prior and a normal reading
    (in logs), as in any textbook of statistics [from memory].
    """
    logs = np.log([26.0 / s for s in STRENGTHS])
    prior_mean, prior2 = float(logs.mean()), float(logs.var())
    seen = Seen(stop=0, what=StopSight.SHINE, after_s=21.0)
    noise2 = (EYE_SD_S / 21.0) ** 2 + MODEL_LOG_SD**2
    gain = prior2 / (prior2 + noise2)
    mean = prior_mean + gain * (math.log(21.0 - EYE_DELAY_S) - prior_mean)
    narrowed = math.sqrt(prior2 * (1 - gain))
    band = revise(course(), (seen,)).stops[0].shine
    assert band.middle == pytest.approx(math.exp(mean), rel=0.01)
    assert band.low is not None
    assert band.high is not None
    wide = math.log(band.high / band.low)
    assert wide == pytest.approx(2 * 1.2816 * math.hypot(narrowed, MODEL_LOG_SD), rel=0.12)
    # Early on the eye's second weighs as much as all that was known: half-way is believed.
    quick = Course(stops=(replace(course().stops[0], flux_s=tuple(3.0 / s for s in STRENGTHS)),))
    early = Seen(stop=0, what=StopSight.FLUX, after_s=2.6)
    noise2 = (EYE_SD_S / 2.6) ** 2 + MODEL_LOG_SD**2
    gain = prior2 / (prior2 + noise2)
    assert 0.3 < gain < 0.6
    mean = math.log(3.0) + gain * (math.log(2.6 - EYE_DELAY_S) - math.log(3.0))
    middle = revise(quick, (early,)).stops[0].flux.middle
    assert middle == pytest.approx(math.exp(mean), rel=0.02)


@settings(max_examples=60)
@given(
    at=st.lists(st.floats(0.0, 400.0), min_size=1, max_size=5),
    what=st.lists(st.sampled_from(list(StopSight)), min_size=5, max_size=5),
)
def test_any_taps_give_finite_ordered_bands_and_one_alone_no_later_stop(
    at: list[float], what: list[StopSight]
) -> None:
    taps = [Seen(stop=0, what=one, after_s=s) for s, one in zip(sorted(at), what, strict=False)]
    now = revise(course(), taps).stops[0]
    for band in (now.flux, now.shine, now.whole, *now.flows):
        known = [one for one in (band.low, band.middle, band.high) if one is not None]
        assert known == sorted(known)
        assert all(math.isfinite(one) for one in known)
    before = revise(course(), ()).stops[0].stop_s
    alone = revise(course(), taps[:1]).stops[0].stop_s
    assert before is not None
    assert alone is not None
    assert alone <= before


@pytest.mark.parametrize("late", [0.75, 1.0, 1.35])
def test_a_stop_moves_the_others_by_no_more_than_it_was_off(late: float) -> None:
    """Whatever the samples of a tour have in common: parts that never flow in some of them, stops
    that an earlier one has melted already in others. The cautious stop stays, band hold middles.
    """
    for seed in range(120):
        tour = some_tour(np.random.default_rng(seed))
        before = revise(tour, ()).stops
        middle = before[0].whole.middle
        assert middle is not None
        tap = Seen(stop=0, what=StopSight.FLOWED, after_s=EYE_DELAY_S + late * middle)
        after = revise(tour, (tap,)).stops
        for was, now in zip(before[1:], after[1:], strict=True):
            for old, new in ((was.whole, now.whole), (was.shine, now.shine)):
                if old.middle is not None and new.middle is not None:
                    moved = abs(math.log(new.middle / old.middle))
                    assert moved <= abs(math.log(late)) + 0.6  # what narrowing makes of the middle
            assert (was.stop_s is None) or now.stop_s is not None
            whole = (now.whole.low, now.whole.middle, now.whole.high)
            known = [one for one in whole if one is not None]
            assert known == sorted(known)


def some_tour(chance: np.random.Generator) -> Course:
    """Four stops that feel the air more or less; in weak air some of them never flow."""
    air, stops = chance.normal(0, 0.35, 23), []
    for n in range(4):
        logs = np.log(chance.uniform(4, 60)) + chance.uniform(0.3, 4) * air
        flows = np.exp(logs + chance.normal(0, 0.2, 23))
        never = air > np.quantile(air, chance.uniform(0.75, 1.0))
        known = tuple(None if no and n else float(s) for no, s in zip(never, flows, strict=True))
        early = tuple(None if s is None else 0.6 * s for s in known)
        harm = tuple(float(s) * 2.5 for s in flows)
        stops.append(
            StopCourse(refs=(f"P{n}",), flux_s=early, shine_s=early, flows_s=(known,), harm_s=harm)
        )
    return Course(stops=tuple(stops), tour=True)


def test_earlier_signs_mean_earlier_flows() -> None:
    middles = [
        revise(course(), (Seen(stop=0, what=StopSight.FLUX, after_s=at),)).stops[0].whole.middle
        for at in (8.0, 11.0, 13.0, 17.0, 22.0)
    ]
    assert middles == sorted(middles)  # type: ignore[type-var]
    assert middles[0] < 0.75 * 30 < 1.2 * 30 < middles[-1]  # type: ignore[operator]


def test_a_flow_seen_early_means_heat_away_now() -> None:
    """Not "in about 60 s": the order, the time and the stop move at once."""
    script = live((seen_key(StopSight.FLUX), 8.5), (flowed_key("U4"), 18.0))
    now = shown(
        script, tapped((START, 0), (seen_key(StopSight.FLUX), 8.5), (flowed_key("U4"), 18.0))
    )[0]
    assert now.cue.key == AWAY
    assert now.cue.due_s == 18.0
    assert script.stop_s is not None
    assert FORECAST.latest_s is not None
    assert script.stop_s <= FORECAST.latest_s


def test_weak_air_is_waited_for_but_not_past_the_stop() -> None:
    one = live((seen_key(StopSight.FLUX), 17.0))
    assert due(one, flowed_key("U4")) > 36
    assert due(one, AWAY) <= 35.0  # one tap alone makes no stop later
    two = live((seen_key(StopSight.FLUX), 17.0), (seen_key(StopSight.SHINE), 36.0))
    assert two.stop_s is not None
    assert two.stop_s > 45
    assert 38 < due(two, AWAY) <= two.stop_s
    assert due(two, flowed_key("U4")) > due(one, flowed_key("U4")) - 8
    lag = two.cue(flowed_key("U4"))
    assert lag is not None
    assert lag.late_s is not None
    assert "pin 7 melts last" in lag.late
    assert "iron" in lag.late


def test_what_is_hard_to_believe_is_asked_and_moves_nothing_until_it_is_confirmed() -> None:
    """A key pressed by mistake at a tenth of the forecast."""
    slipped = live((flowed_key("U4"), 2.0))
    assert "That is unusual" in slipped.ask
    assert slipped.ask_key == sure_key(flowed_key("U4"))
    assert due(slipped, AWAY) == due(live(), AWAY)
    assert slipped.stop_s == live().stop_s
    sure = live((flowed_key("U4"), 2.0), (slipped.ask_key, 3.0))
    assert sure.ask == ""
    assert due(sure, AWAY) == 2.0
    assert sure.stop_s is not None
    assert slipped.stop_s is not None
    assert sure.stop_s < 0.5 * slipped.stop_s


def test_a_second_tap_that_agrees_is_believed_with_the_first() -> None:
    one = Seen(stop=0, what=StopSight.FLUX, after_s=2.6)
    two = Seen(stop=0, what=StopSight.SHINE, after_s=4.4)
    assert revise(course(), (one,)).doubtful == (0,)
    both = revise(course(), (one, two))
    assert both.doubtful == ()
    assert both.stops[0].whole.high is not None
    assert both.stops[0].whole.high < 12.0
    apart = revise(course(), (one, Seen(stop=0, what=StopSight.SHINE, after_s=27.0)))
    assert apart.doubtful == (0,)
    assert apart.stops[0].whole.middle == pytest.approx(30.0, rel=0.1)


SINGLE_KEYS = (START, "move 2", flowed_key("U4"), AWAY, SOLID, "flux", "shine", sure_key("flux"))


@settings(max_examples=150)
@given(
    keys=st.lists(st.sampled_from(SINGLE_KEYS), max_size=10),
    gaps=st.lists(st.floats(0.0, 60.0), min_size=10, max_size=10),
    words=st.lists(st.sampled_from(("done", "not seen")), min_size=10, max_size=10),
)
def test_what_may_be_tapped_is_the_same_however_the_forecast_moved(
    keys: list[str], gaps: list[float], words: list[str]
) -> None:
    base = heat_script(PLAN, FORECAST)
    taps: list[Tap] = []
    at = 0.0
    for number, (key, gap, word) in enumerate(zip(keys, gaps, words, strict=False)):
        at += gap
        tap = Tap(key=f"t{number}", cue=key, word=word, at_ms=round(1000 * at))
        moved = live_script(PLAN, FORECAST, course(), taps)
        assert {cue.key for cue in moved.cues} <= {cue.key for cue in base.cues}
        if not allowed(base, taps, tap):
            taps.append(tap)
    moved = live_script(PLAN, FORECAST, course(), taps)
    mine, planned = state_after(moved, taps), state_after(base, taps)
    assert set(mine.to_do) | set(mine.passed) == set(planned.to_do) | set(planned.passed)
    assert (mine.done, mine.aside) == (planned.done, planned.aside)


def test_a_tour_goes_stop_by_stop_and_teaches_the_next() -> None:
    """Strong air at the first stop: the next are expected sooner, counted from the moment the
    nozzle came.
    """
    taps = tapped((START, 0), (stop_key(1), 24.0))
    script = live_script(TOUR_PLAN, TOUR, course(3), taps)
    now, after = (one.cue for one in shown(script, taps)[:2])
    assert (now.key, after.key) == (stop_key(2), stop_key(3))
    assert now.title == "Stop 2 of 3: P1"
    assert now.mind == "P1 pin 2 melts last: on a plane"
    assert now.due_s == pytest.approx(24.0 + 25.0, abs=3.0)
    assert now.late_s is not None
    assert now.late_s < 24.0 + 48.0
    planned = heat_script(TOUR_PLAN, TOUR)
    assert due(planned, stop_key(2)) == 64.0
    assert due(script, AWAY) < due(planned, AWAY)
    assert script.stop_s is not None
    assert 24.0 + 25.0 < script.stop_s <= 24.0 + 36.0
    assert len(planned.cues) == 3 + 3  # start, stops, away, solid: not one a part


def test_a_stop_that_was_not_seen_is_left_and_the_tour_goes_on() -> None:
    taps = [
        Tap(key="a", cue=START, word="done", at_ms=0),
        Tap(key="b", cue=stop_key(1), word="not seen", at_ms=60_000),
    ]
    script = heat_script(TOUR_PLAN, TOUR)
    assert not allowed(script, taps, Tap(key="c", cue=stop_key(2), word="done", at_ms=90_000))
    assert "comes later" in allowed(
        script, taps, Tap(key="c", cue=stop_key(3), word="done", at_ms=90_000)
    )
    away = Tap(key="c", cue=AWAY, word="done", at_ms=90_000)
    state = state_after(script, [*taps, away])
    assert state.aside == {stop_key(1): "not seen"}
    assert state.to_do == (SOLID,)


def test_the_next_board_begins_with_what_the_last_one_taught() -> None:
    seen = (
        Seen(stop=0, what=StopSight.FLUX, after_s=8.5),
        Seen(stop=0, what=StopSight.FLOWED, after_s=19.0),
    )
    after = carried_on(course(), seen)
    assert after.taught
    before, now = revise(course(), ()).stops[0].whole, revise(after, ()).stops[0].whole
    assert now.middle == pytest.approx(19.0 - EYE_DELAY_S, rel=0.15)
    assert now.low is not None
    assert now.high is not None
    assert before.high is not None
    assert before.low is not None
    assert now.high / now.low < 0.75 * before.high / before.low
    assert now.high / now.low > math.exp(2 * 1.28 * 0.08)  # two runs are never alike
    script = live_script(PLAN, FORECAST, after, ())
    assert due(script, flowed_key("U4")) < 22
    assert carried_on(course(), ()) == course()


def test_a_station_learns_from_what_was_believed_and_as_it_was_run() -> None:
    """Of many parts watched as one the last counts; a slip does not; stops as long as they were."""
    slip = tapped((START, 0), (flowed_key("U4"), 2.0))
    assert believed_flows(PLAN, FORECAST, course(), slip) == []
    sure = tapped((START, 0), (flowed_key("U4"), 2.0), (sure_key(flowed_key("U4")), 3.0))
    assert believed_flows(PLAN, FORECAST, course(), sure) == [("U4", 2.0)]
    many = replace(
        FORECAST,
        targets=(
            *FORECAST.targets,
            TargetForecast(ref="C9", flows_s=41.0, early_s=30.0, late_s=60.0),
        ),
        grouped=True,
    )
    both = course(refs=("U4", "C9"))
    assert believed_flows(PLAN, many, both, tapped((START, 0), (ALL_FLOWED, 33.0))) == [
        ("C9", 33.0)
    ]
    taps = tapped((START, 0), (stop_key(1), 29.0), (stop_key(2), 55.0))
    assert believed_flows(TOUR_PLAN, TOUR, course(3), taps) == [("P0", 29.0), ("P1", 55.0)]
    assert [move.seconds for move in moves_as_run(TOUR_PLAN, taps)] == [29.0, 26.0]
    assert moves_as_run(PLAN, taps) == MOVES


def test_a_lift_far_before_the_forecast_is_asked_about_and_may_be_confirmed_or_taken_back() -> None:
    plan = HeatPlan(targets=("U4",), goal=Goal.LIFT, moves=MOVES)
    forecast = Forecast(targets=(TargetForecast(ref="U4", flows_s=30, early_s=20, late_s=50),))

    def asked(*cues: tuple[str, float]) -> str:
        return live_script(plan, forecast, course(), taps_at(*cues)).ask

    assert asked(("start", 0), ("lifted U4", 29)) == ""
    assert asked(("start", 0), ("lifted U4", 4)) == "Lifted: U4 at 4 s? That is unusual."
    early = (("start", 0.0), ("lifted U4", 4.0), ("away", 9.0), ("solid", 20.0))
    assert asked(*early) != ""  # when the run is over as well
    script = live_script(plan, forecast, course(), taps_at(*early))
    sure = Tap(key="y", cue=script.ask_key, word="done", at_ms=30_000)
    assert allowed(script, taps_at(*early), sure) == ""
    assert asked(*early, (script.ask_key, 30)) == ""
    assert undoable(taps_at(*early), "1 lifted U4") != ""
    assert undoable(taps_at(*early), "1 lifted U4", asked="lifted U4") == ""


def taps_at(*cues: tuple[str, float]) -> list[Tap]:
    return [
        Tap(key=f"{n} {cue}", cue=cue, word="done", at_ms=round(1000 * at))
        for n, (cue, at) in enumerate(cues)
    ]


def test_a_drying_that_is_done_after_a_second_is_asked_about() -> None:
    steps = (WashStep(title="Brush", detail=""), WashStep(title="Dry", detail="", least_min=105))
    script = wash_script(WashRun(steps=steps))
    word = next(iter(WASH.rule.words))
    assert word == "done"
    quick, slow = (taps_at(("wash 1", 0), ("wash 2", at)) for at in (1.0, 6300.0))
    assert asked_of_haste(script, quick).ask == "Dry after 1 s? It takes about 1 h 45 min."
    assert asked_of_haste(script, slow).ask == ""
    key = sure_key("wash 2")
    sure = Tap(key="y", cue=key, word="done", at_ms=2000)
    assert asked_of_haste(script, quick).ask_key == key
    assert allowed(script, quick, sure) == ""
    assert asked_of_haste(script, [*quick, sure]).ask == ""
