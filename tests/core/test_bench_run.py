"""The one machine of the bench: its transitions walked, any taps and undos, and the scripts of every kind."""

import itertools
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yellowfen.core.board.board import Board
from yellowfen.core.deposit.by_hand import NEEDLES
from yellowfen.core.deposit.hand_plan import hand_plan
from yellowfen.core.heat.plan import Forecast, HeatPlan, TargetForecast
from yellowfen.core.heat.scene import Deed, Move
from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.metal.paste import paste_named
from yellowfen.core.work.bench_run import (
    RULES,
    SLACK_MS,
    Cue,
    Effect,
    RunKind,
    Script,
    Tap,
    allowed,
    each_s,
    shown,
    state_after,
    undoable,
)
from yellowfen.core.work.bench_scripts import (
    Joint,
    LookPlan,
    hand_script,
    iron_plan,
    iron_script,
    kit_plan,
    kit_script,
    look_script,
    placing_plan,
    placing_script,
)
from yellowfen.core.work.heat_script import heat_script
from yellowfen.core.work.iron_rows import joint_plans, row_plans
from yellowfen.core.work.kit import kit
from yellowfen.core.work.order import placement_order

MOVES = (
    Move(Deed.WARM, 25.0, ("U4",), 60.0, 10.0),
    Move(Deed.CLOSE, 40.0, ("U4",), 15.0, 4.0),
    Move(Deed.WITHDRAW, 45.0),
)
FORECAST = Forecast(
    (TargetForecast("U4", 50.0, 44.0, 58.0), TargetForecast("C3", 20.0, 15.0, 30.0)), 62.0, "why"
)
HEAT = heat_script(HeatPlan(targets=("U4", "C3"), moves=MOVES), FORECAST)


def plain(kind: RunKind, count: int = 4) -> Script:
    cues = tuple(Cue(key=f"c{n}", title=f"do {n}", press=f"did {n}") for n in range(count))
    return Script(kind=kind, cues=cues, closing="over")


def tap(cue: str, word: str, at_s: float = 0.0, key: str = "") -> Tap:
    return Tap(key=key or f"{cue} {word} {at_s}", cue=cue, word=word, at_ms=round(1000 * at_s))


def taken(script: Script, *taps: Tap) -> list[Tap]:
    """The taps that were allowed, one after the other."""
    kept: list[Tap] = []
    for one in taps:
        if not allowed(script, kept, one):
            kept.append(one)
    return kept


@pytest.mark.parametrize("kind", list(RunKind))
def test_every_word_at_every_cue_does_what_its_table_says(kind: RunKind) -> None:
    """A walk of the transitions: from a fresh run, each word at each cue; afterwards the first again."""
    script, rule = plain(kind), RULES[kind]
    keys = [cue.key for cue in script.cues]
    for place, (word, effect) in itertools.product(range(4), rule.words.items()):
        refused = allowed(script, [], tap(f"c{place}", word))
        assert bool(refused) is (place > 0 and not rule.any_order), (place, word, refused)
        if refused:
            assert "not due" in refused
            continue
        state = state_after(script, [tap(f"c{place}", word)])
        left = [key for key in keys if key != f"c{place}"]
        expected = {
            Effect.DONE: (left, {f"c{place}": word}, {}, {}),
            Effect.ASIDE: (left, {}, {f"c{place}": word}, {}),
            Effect.LATER: ([*left, f"c{place}"], {}, {}, {}),
            Effect.STAYS: (keys, {}, {}, {f"c{place}": 1}),
            Effect.OPENS: (keys, {}, {}, {}),
        }[effect]
        assert (list(state.to_do), state.done, state.aside, state.again) == expected
        again = allowed(script, [tap(f"c{place}", word)], tap(f"c{place}", next(iter(rule.words))))
        repeatable = (
            rule.corrects
            or effect in (Effect.STAYS, Effect.OPENS)
            or (effect is Effect.ASIDE and rule.any_order)
            or (effect is Effect.LATER and rule.any_order)
        )
        assert (again == "") is repeatable, (word, again)


@pytest.mark.parametrize("kind", list(RunKind))
def test_what_is_not_of_the_script_is_refused_with_a_reason(kind: RunKind) -> None:
    script = plain(kind)
    word = next(iter(RULES[kind].words))
    first = tap("c0", word, 100.0)
    for wrong, said in (
        (tap("c9", word), "not part of this run"),
        (tap("c0", "eaten"), "is not one of"),
    ):
        assert said in allowed(script, [], wrong)
    assert "before the tap before it" in allowed(script, [first], tap("c1", word, 90.0))
    assert not allowed(script, [first], tap("c1", word, 100.0 - SLACK_MS / 1000))
    if RULES[kind].clock:
        assert "more than a day" in allowed(script, [first], tap("c1", word, 100.0 + 90_000))


scripts = st.sampled_from([HEAT, *(plain(kind) for kind in RunKind)])


@given(scripts, st.data())
def test_any_taps_and_undos_leave_a_legal_state(script: Script, data: st.DataObject) -> None:
    """Each cue is to do, done, aside or passed, once; an undo restores what was; refused taps change nothing."""
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
        word = data.draw(st.sampled_from([*RULES[script.kind].words, "eaten"]))
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


def test_a_heat_goes_by_what_falls_due_and_flows_may_come_at_any_time() -> None:
    order = ["start", "flowed C3", "move 2", "flowed U4", "away", "solid"]
    assert [cue.key for cue in HEAT.cues] == order
    assert [cue.due_s for cue in HEAT.cues] == [None, 20.0, 25.0, 50.0, 62.0, None]
    assert allowed(HEAT, [], tap("flowed U4", "done")).startswith("first: Start")
    begun = [tap("start", "done")]
    assert "first: Heat is away" in allowed(HEAT, begun, tap("solid", "done", 9))
    early = taken(HEAT, *begun, tap("flowed U4", "done", 3.0), tap("away", "done", 4.0))
    assert len(early) == 3
    state = state_after(HEAT, early)
    assert state.passed == ("move 2",)
    assert state.to_do == ("flowed C3", "solid")
    assert "too late" in allowed(HEAT, early, tap("move 2", "done", 5.0))
    late = taken(HEAT, *early, tap("flowed C3", "done", 6.0), tap("solid", "done", 30.0))
    assert state_after(HEAT, late).over
    assert state_after(HEAT, taken(HEAT, *early, tap("solid", "done", 30.0))).passed == (
        "move 2",
        "flowed C3",
    )


def test_a_skipped_part_comes_again_at_the_end_and_a_missing_one_does_not() -> None:
    script = plain(RunKind.PLACE, 3)
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
    script = plain(RunKind.PLACE, 6)
    moments = (0.0, 8.0, 20.0, 1000.0, 1009.0, 1009.2)
    taps = [tap(f"c{n}", "placed", at) for n, at in enumerate(moments)]
    assert each_s(script, taps) == [8.0, 12.0, 9.0]


def test_scripts_of_the_demo_board_say_what_to_do(demo_board: Board) -> None:
    """Placing, paste by hand, kit, look and iron: as many cues as things, what changes is said and what stays is not."""
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
    look = look_script(LookPlan(joints=(Joint(ref="U4", pin="1"), Joint(ref="U4", pin="2"))))
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
    assert "not due" in allowed(by_iron, [], tap("row 2", "done"))


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
