"""The one machine of the bench: its transitions walked, any taps and undos, and the scripts of
every kind.
"""

import itertools
import math
import sys

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yellowfen.core.bench.station import Station
from yellowfen.core.board.board import Board
from yellowfen.core.deposit.by_hand import NEEDLES
from yellowfen.core.deposit.hand_plan import hand_plan
from yellowfen.core.heat.heat_plan import USUAL_AIR, Forecast, HeatPlan, TargetForecast
from yellowfen.core.heat.scene import Deed, Move
from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.metal.paste import paste_named
from yellowfen.core.run.hand_paste import hand_script
from yellowfen.core.run.heat import HEAT, heat_script
from yellowfen.core.run.iron import iron_plan, iron_script
from yellowfen.core.run.kinds import KINDS
from yellowfen.core.run.kit import KIT, kit_plan, kit_script
from yellowfen.core.run.look import LOOK, LookJoint, LookPlan, found_by, look_script, refused_text
from yellowfen.core.run.machine import (
    SLACK_MS,
    Cue,
    Effect,
    Reach,
    Script,
    Tap,
    allowed,
    each_s,
    shown,
    state_after,
    undoable,
    worked_s,
)
from yellowfen.core.run.mend import MendRun, MendStep, mend_script
from yellowfen.core.run.placing import PLACE, placing_plan, placing_script
from yellowfen.core.run.run import KindOfRun
from yellowfen.core.work.iron_rows import joint_plans, row_plans
from yellowfen.core.work.kit import kit
from yellowfen.core.work.order import placement_order

MOVES = (
    Move(deed=Deed.WARM, seconds=25.0, over=("U4",), height_mm=60.0, circle_mm=10.0),
    Move(deed=Deed.CLOSE, seconds=40.0, over=("U4",), height_mm=15.0, circle_mm=4.0),
    Move(deed=Deed.WITHDRAW, seconds=45.0),
)
FORECAST = Forecast(
    targets=(
        TargetForecast(ref="U4", flows_s=50.0, early_s=44.0, late_s=58.0),
        TargetForecast(ref="C3", flows_s=20.0, early_s=15.0, late_s=30.0),
    ),
    latest_s=62.0,
    latest_why="why",
)
HEATED = heat_script(HeatPlan(targets=("U4", "C3"), moves=MOVES), FORECAST)


def plain(kind: KindOfRun, count: int = 4) -> Script:
    cues = tuple(Cue(key=f"c{n}", title=f"do {n}", press=f"did {n}") for n in range(count))
    return Script(rule=kind.rule, cues=cues, closing="over")


def tap(cue: str, word: str, at_s: float = 0.0, key: str = "") -> Tap:
    return Tap(key=key or f"{cue} {word} {at_s}", cue=cue, word=word, at_ms=round(1000 * at_s))


def taken(script: Script, *taps: Tap) -> list[Tap]:
    """The taps that were allowed, one after the other."""
    kept: list[Tap] = []
    for one in taps:
        if not allowed(script, kept, one):
            kept.append(one)
    return kept


@pytest.mark.parametrize("kind", KINDS.values(), ids=str)
def test_every_word_at_every_cue_does_what_its_table_says(kind: KindOfRun) -> None:
    """A walk of the transitions: from a fresh run, each word at each cue; afterwards the first
    again.
    """
    script, rule = plain(kind), kind.rule
    keys = [cue.key for cue in script.cues]
    for place, (word, effect) in itertools.product(range(4), rule.words.items()):
        refused = allowed(script, [], tap(f"c{place}", word))
        opens = effect is Effect.OPENS
        assert bool(refused) is (opens or (place > 0 and not rule.any_order)), (place, refused)
        if opens:
            assert "not answered yet" in refused
            first = [tap(f"c{place}", next(iter(rule.words)))]
            assert allowed(script, first, tap(f"c{place}", word, 1.0)) == ""
            state = state_after(script, [*first, tap(f"c{place}", word, 1.0)])
            assert (sorted(state.to_do), state.done) == (keys, {})
            continue
        if refused:
            assert "comes later" in refused
            continue
        state = state_after(script, [tap(f"c{place}", word)])
        left = [key for key in keys if key != f"c{place}"]
        said = next(iter(rule.words)) if word in rule.at_once else word
        expected = {
            Effect.DONE: (left, {f"c{place}": said}, {}, {}),
            Effect.ASIDE: (left, {}, {f"c{place}": word}, {}),
            Effect.LATER: ([*left, f"c{place}"], {}, {}, {}),
            Effect.STAYS: (keys, {}, {}, {f"c{place}": 1}),
        }[effect]
        if rule.at_once.get(word) is Reach.REST:
            expected = ([], dict.fromkeys(keys, said), {}, {})
        to_do, *others = expected
        if rule.along:
            to_do = sorted(to_do, key=lambda key: (key < f"c{place}", key))
        assert (list(state.to_do), state.done, state.aside, state.again) == (to_do, *others)
        again = allowed(script, [tap(f"c{place}", word)], tap(f"c{place}", next(iter(rule.words))))
        repeatable = (
            rule.corrects
            or effect is Effect.STAYS
            or (effect is Effect.ASIDE and rule.any_order)
            or (effect is Effect.LATER and rule.any_order)
        )
        if word not in rule.at_once:
            assert (again == "") is repeatable, (word, again)


@pytest.mark.parametrize("kind", KINDS.values(), ids=str)
def test_what_is_not_of_the_script_is_refused_with_a_reason(kind: KindOfRun) -> None:
    script = plain(kind)
    word = next(iter(kind.rule.words))
    first = tap("c0", word, 100.0)
    for wrong, said in (
        (tap("c9", word), "not part of this run"),
        (tap("c0", "eaten"), "is not one of"),
    ):
        assert said in allowed(script, [], wrong)
    assert "before the previous tap" in allowed(script, [first], tap("c1", word, 90.0))
    assert not allowed(script, [first], tap("c1", word, 100.0 - SLACK_MS / 1000))
    if kind.rule.clock:
        assert "more than a day" in allowed(script, [first], tap("c1", word, 100.0 + 90_000))


scripts = st.sampled_from([HEATED, *(plain(kind) for kind in KINDS.values())])


@given(scripts, st.data())
def test_any_taps_and_undos_leave_a_legal_state(script: Script, data: st.DataObject) -> None:
    """Each cue is to do, done, aside or passed, once; an undo restores what was; refused taps
    change nothing.
    """
    taps: list[Tap] = []
    keys = [cue.key for cue in script.cues]
    states = [state_after(script, [])]
    for number in range(data.draw(st.integers(0, 25))):
        if taps and data.draw(st.integers(0, 4)) == 0:
            assert undoable(taps, taps[-1].key) == ""
            if len(taps) > 1:
                assert undoable(taps, taps[0].key)
            taps.pop()
            states.pop()
            assert state_after(script, taps) == states[-1]
            continue
        word = data.draw(st.sampled_from([*script.rule.words, "eaten"]))
        one = tap(data.draw(st.sampled_from([*keys, "c99"])), word, number, str(number))
        reason = allowed(script, taps, one)
        if reason:
            assert state_after(script, [*taps, one]) == states[-1]
            continue
        taps.append(one)
        states.append(state_after(script, taps))
        state = states[-1]
        assert sorted((*state.to_do, *state.done, *state.aside, *state.passed)) == sorted(keys)
        assert [cue.cue.key for cue in shown(script, taps)] == list(state.to_do)


def test_a_mark_of_a_dial_stands_for_one_temperature_and_one_air() -> None:
    station = Station(
        id=1,
        name="Bench",
        air=USUAL_AIR,
        outlet_label="350",
        flow_label="3",
    )
    assert station.marks_at(350, 30) == ("350", "3")
    assert station.marks_at(390, 30) == ("", "3")
    assert station.marks_at(350, 20) == ("350", "")


def test_a_heat_goes_by_what_falls_due_and_flows_may_come_at_any_time() -> None:
    order = ["start", "flowed C3", "move 2", "flowed U4", "away", "solid"]
    assert [cue.key for cue in HEATED.cues] == order
    assert [cue.due_s for cue in HEATED.cues] == [None, 20.0, 25.0, 50.0, 62.0, None]
    assert allowed(HEATED, [], tap("flowed U4", "done")).startswith("first: Start")
    begun = [tap("start", "done")]
    assert "first: Heat is away" in allowed(HEATED, begun, tap("solid", "done", 9))
    early = taken(HEATED, *begun, tap("flowed U4", "done", 3.0), tap("away", "done", 4.0))
    assert len(early) == 3
    state = state_after(HEATED, early)
    assert state.passed == ("move 2",)
    assert state.to_do == ("flowed C3", "solid")
    assert "too late" in allowed(HEATED, early, tap("move 2", "done", 5.0))
    late = taken(HEATED, *early, tap("flowed C3", "done", 6.0), tap("solid", "done", 30.0))
    assert state_after(HEATED, late).over
    assert state_after(HEATED, taken(HEATED, *early, tap("solid", "done", 30.0))).passed == (
        "move 2",
        "flowed C3",
    )


def test_a_skipped_part_comes_again_at_the_end_and_a_missing_one_does_not() -> None:
    script = plain(PLACE, 3)
    taps = taken(
        script,
        tap("c0", "skipped", 0),
        tap("c1", "missing", 1),
        tap("c2", "dropped", 2),
        tap("c2", "placed", 3),
    )
    state = state_after(script, taps)
    assert state.to_do == ("c0",)
    assert state.aside == {"c1": "missing"}
    assert state.again == {"c2": 1}
    assert allowed(script, taps, tap("c1", "placed", 4)) == ""
    assert "answered already" in allowed(script, taps, tap("c2", "placed", 4))


def test_placements_are_timed_from_tap_to_tap_without_pauses() -> None:
    script = plain(PLACE, 6)
    moments = (0.0, 8.0, 20.0, 1000.0, 1009.0, 1009.2)
    taps = [tap(f"c{n}", "placed", at) for n, at in enumerate(moments)]
    assert each_s(script, taps) == [8.0, 12.0, 9.0]


def test_scripts_of_the_demo_board_say_what_to_do(demo_board: Board) -> None:
    """Placing, paste by hand, kit, look and iron: as many cues as things, what changes is said and
    what stays is not.
    """
    order = placement_order(demo_board, "top")
    script = placing_script(placing_plan(demo_board, order.steps, {}))
    assert [cue.key for cue in script.cues] == [step.ref for step in order.steps]
    cues = shown(script, [], 400)
    assert cues[0].set_up[0] == "Lay the board as shown"
    for before, step, cue in zip(order.steps, order.steps[1:], cues[1:], strict=False):
        assert ("Turn the board as shown" in cue.set_up) is (before.turn_deg != step.turn_deg)
        assert any(one.startswith("Fetch") for one in cue.set_up) is step.new_value

    plan = hand_plan(demo_board, paste_named("sn63-t4"), "top", list(NEEDLES), False)
    dots = shown(hand_script(plan), [], 400)
    assert len(dots) == len(plan.steps)
    changes = sum(a.gauge != b.gauge for a, b in itertools.pairwise(plan.steps))
    assert sum("Change to the" in ". ".join(cue.set_up) for cue in dots) == changes + 1

    lines = kit(demo_board, 2)
    checked = kit_script(kit_plan(lines))
    assert [cue.name for cue in checked.cues] == [str(line.take) for line in lines]
    look = look_script(
        LookPlan(joints=tuple(LookJoint(ref="U4", pin=pin, seen_from="along") for pin in "12"))
    )
    assert shown(look, [])[0].left == "2 to go, 2 of this part"

    part = demo_board.part("U1")
    pads = {pad.pin or "": pad for pad in demo_board.pads if pad.ref == "U1"}
    need = {"signal": 0.3, "relief": 0.8, "plane": 1.4}
    rows = row_plans(part.package, pads, alloy_named("Sn63Pb37"), need)
    by_iron = iron_script(iron_plan("U1", part.package, rows, "340 °C"))
    places = {land.pin: (land.x_mm, land.y_mm) for land in part.package.lands}
    tacks = [cue.pin for cue in by_iron.cues if cue.key.startswith("tack")]
    assert len(tacks) == 2
    assert math.dist(*(places[pin] for pin in tacks)) > 1.2 * part.package.body_x_mm
    assert [cue.key for cue in by_iron.cues][2:] == ["row 1", "row 2", "row 3", "row 4"]
    assert shown(by_iron, [])[0].set_up == ("Set the iron: 340 °C",)
    assert "comes later" in allowed(by_iron, [], tap("row 2", "done"))


def test_a_power_part_by_iron_is_tacked_small_and_its_tab_heated_first(demo_board: Board) -> None:
    part = demo_board.part("U5")
    need = {"signal": 0.3, "relief": 0.8, "plane": 1.4}
    joints = joint_plans(part.package, {}, alloy_named("Sn63Pb37"), need)
    tab = max(part.package.lands, key=lambda land: land.size_x_mm * land.size_y_mm).pin
    script = iron_script(iron_plan("U5", part.package, joints, ""))
    titles = [cue.title for cue in script.cues]
    assert titles[0].startswith("Tack pin")
    assert titles[0] != f"Tack pin {tab}"
    assert titles[1] == f"Heat the tab, pin {tab}"
    assert " s" not in script.cues[1].detail  # nobody knows how long; it is done when it settles
    assert titles[-1].endswith("once more, with flux")


def looked(pin: str, **known: object) -> LookJoint:
    return LookJoint(ref="U4", pin=pin, **{"seen_from": "along", **known})  # type: ignore[arg-type]


def test_a_look_goes_along_and_answers_rows_at_once() -> None:
    """A joint chosen out of turn: what follows stands behind it; what no eye sees is never answered
    along with others, and what is marked already is not asked.
    """
    plan = LookPlan(
        joints=(
            looked("1"),
            looked("2"),
            looked("3", seen_from="across", beside=("2", "4")),
            looked("4", seen_from="across"),
            looked("5", seen_from=""),
            looked("6", marked=True),
            looked("", kind="part"),
        )
    )
    script = look_script(plan)
    assert state_after(script, []).to_do == ("U4.1", "U4.2", "U4.3", "U4.4")
    chosen = tap("U4.3", "bridge", 1.0)
    assert state_after(script, [chosen]).to_do == ("U4.4", "U4.1", "U4.2")
    row = tap("U4.1", "row good", 2.0)
    state = state_after(script, [chosen, row])
    assert (state.to_do, state.done["U4.2"]) == (("U4.4",), "good")
    rest = [chosen, row, tap("U4.5", "open", 3.0), tap("U4.4", "part good", 4.0)]
    state = state_after(script, rest)
    assert state.over
    assert state.done == {
        "U4.3": "bridge",
        "U4.1": "good",
        "U4.2": "good",
        "U4.5": "open",
        "U4.4": "good",
    }
    assert "nothing is left" in allowed(script, rest, tap("U4.3", "rest good", 5.0))
    assert allowed(script, rest, tap("U4.", "missing", 5.0)) == ""  # the whole part, at the end too
    found = {one.pin: (str(one.verdict), one.other) for one in found_by(plan, state, rest)}
    assert found["3"] == ("bridge", "4")  # with the last of those beside it
    assert found["5"] == ("open", "")
    named = Tap(key="n", cue="U4.3", word="bridge", at_ms=1000, text="2")
    assert refused_text(plan, named) == ""
    assert found_by(plan, state_after(script, [named]), [named])[0].other == "2"
    back = [*rest, tap("U4.3", "not yet", 5.0)]
    assert state_after(script, back).to_do == ("U4.3",)


def test_what_is_to_be_looked_at_is_fast_to_answer() -> None:
    """Each tap of 2000 joints is stepped once: twice the joints cost about twice, not four times."""
    steps = []
    for count in (1000, 2000):
        script = look_script(LookPlan(joints=tuple(looked(str(n)) for n in range(count))))
        taps = [tap(f"U4.{n}", "good", n) for n in range(count)]
        calls = 0

        def count_lines(frame: object, event: str, arg: object) -> None:
            nonlocal calls
            calls += 1

        sys.setprofile(count_lines)
        try:
            assert state_after(script, taps).over
        finally:
            sys.setprofile(None)
        steps.append(calls)
    assert steps[1] < 2.2 * steps[0]


def test_mends_of_both_sides_turn_the_board_once_and_look_again_where_it_lies() -> None:
    steps = tuple(
        MendStep(ref=ref, pin="1", fault="lean", steps=("flux",), side=side)
        for ref, side in (("C1", "top"), ("C2", "top"), ("R9", "bottom"))
    )
    script = mend_script(MendRun(steps=steps))
    order = [cue.refs[0] for cue in script.cues]
    assert order == ["C1", "C2", "R9", "R9", "C1", "C2"]
    set_up = [one.set_up for one in shown(script, [])]
    assert set_up[0] == ("Top side up",)
    turned = [
        n for n, said in enumerate(set_up) if any("Turn the board over" in one for one in said)
    ]
    assert turned == [2, 4]


def test_minutes_at_the_bench_leave_pauses_out_and_moments_that_nobody_knows() -> None:
    kept = Tap(key="kept 1", cue="c0", word="good", at_ms=0)
    day = 86_400.0
    taps = [kept, tap("c1", "good", day), tap("c2", "good", day + 40.0), tap("c3", "good", 3 * day)]
    assert worked_s(LOOK.rule, taps) == 40.0
    heat = [tap("start", "done", day), tap("solid", "done", day + 500.0)]
    assert worked_s(HEAT.rule, heat) == 500.0
    assert worked_s(KIT.rule, []) == 0.0
