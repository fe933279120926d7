"""The placement order: a permutation, as few turns as orientations, rules kept, near the optimum;
and the run that follows it.
"""

import itertools
import math
import random
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.work import order as order_module
from yellowfen.core.work.order import SCHOOLS, Order, Pace, Wish, either_way, placement_order
from yellowfen.errors import InvalidValue

KINDS = ("0402", "0603", "SOT-23", "SOIC-8", "TSSOP-20", "CAN-6.3", "QFN-20_4x4")


def board_with(
    *parts: tuple[str, str, float, float, float], side: str = "top", value: str = ""
) -> Board:
    """Parts by ref, package, x, y, turn; every part its own value unless one is given."""
    found = tuple(
        BoardPart(
            ref=ref,
            value=value or ref,
            footprint=kind,
            x_mm=x,
            y_mm=y,
            rotation_deg=turn,
            side=side,
            package=package_named(kind),
            joined=True,
        )
        for ref, kind, x, y, turn in parts
    )
    return Board(
        name="bench",
        width_mm=80,
        height_mm=60,
        thickness_mm=1.6,
        outline=(),
        pads=(),
        holes=(),
        copper=(),
        parts=found,
        layers=(),
        findings=(),
    )


def invented(count: int, seed: int, values: int = 6) -> Board:
    chance = random.Random(seed)
    parts = []
    for number in range(count):
        kind = chance.choice(KINDS)
        place = (
            chance.uniform(3, 77),
            chance.uniform(3, 57),
            chance.choice((0.0, 90.0, 180.0, 270.0)),
        )
        parts.append(
            BoardPart(
                ref=f"P{number}",
                value=f"v{chance.randrange(values)}",
                footprint=kind,
                x_mm=place[0],
                y_mm=place[1],
                rotation_deg=place[2],
                side="top",
                package=package_named(kind),
                joined=True,
            )
        )
    return Board(
        name="invented",
        width_mm=80,
        height_mm=60,
        thickness_mm=1.6,
        outline=(),
        pads=(),
        holes=(),
        copper=(),
        parts=tuple(parts),
        layers=(),
        findings=(),
    )


def refs(order: Order) -> list[str]:
    return [step.ref for step in order.steps]


@settings(max_examples=25)
@given(st.integers(1, 25), st.integers(0, 10**6), st.sampled_from(sorted(SCHOOLS)))
def test_an_order_is_a_permutation_that_keeps_its_rules_and_turns_no_more_than_it_must(
    count: int, seed: int, school: str
) -> None:
    board = invented(count, seed)
    order = placement_order(board, "top", school)
    assert sorted(refs(order)) == sorted(part.ref for part in board.parts)
    at = {ref: number for number, ref in enumerate(refs(order))}
    assert all(at[rule.first] < at[rule.second] for rule in order.rules)
    if not order.rules:
        assert order.takes.turns == order.orientations - 1
    if order.takes.turns > order.orientations - 1:
        assert order.forced
    assert order.takes.turns == sum(step.turned for step in order.steps) - 1
    assert placement_order(board, "top", school) == order  # the same board gives the same order


def test_small_boards_meet_the_optimum_found_by_trying_everything() -> None:
    """All orders of seven parts of one value lying alike: the shortest way, and the search finds
    it.
    """
    for seed in range(12):
        board = invented(7, seed, values=1)
        board = replace(
            board,
            parts=tuple(
                replace(part, rotation_deg=0.0, package=package_named("0603"), value="v")
                for part in board.parts
            ),
        )
        places = [(part.x_mm, part.y_mm) for part in board.parts]
        best = min(
            sum(math.dist(a, b) for a, b in itertools.pairwise(((0.0, 0.0), *way)))
            for way in itertools.permutations(places)
        )
        assert placement_order(board, "top", "nearest").takes.travel_mm == pytest.approx(
            best, rel=1e-9
        )


def test_turns_values_and_way_beat_the_plain_bill(demo_board: Board) -> None:
    order = placement_order(demo_board, "top", "finest")
    assert order.takes.turns <= order.plain.turns / 4
    assert order.takes.travel_mm < 0.8 * order.plain.travel_mm
    assert order.takes.minutes < order.plain.minutes


def test_either_way_round_parts_join_the_turn_that_others_have() -> None:
    """A resistor turned by 180° needs no turn of its own; a diode does."""
    plain = board_with(
        ("R1", "0603", 10, 10, 0), ("R2", "0603", 20, 10, 180), ("R3", "0603", 30, 10, 0)
    )
    assert placement_order(plain).orientations == 1
    marked = board_with(("R1", "0603", 10, 10, 0), ("D1", "LED_0603", 20, 10, 180))
    assert not either_way(marked.parts[1])
    assert placement_order(marked).orientations == 1  # the resistor joins the lamp
    assert (
        placement_order(
            board_with(("D1", "LED_0603", 10, 10, 0), ("D2", "LED_0603", 20, 10, 180))
        ).orientations
        == 2
    )


def test_in_the_finest_first_school_a_208_pin_part_comes_before_its_neighbours() -> None:
    """Common practice."""
    around = [
        (f"C{n}", "0603", 40 + 19 * math.cos(n), 30 + 19 * math.sin(n), 0.0) for n in range(8)
    ]
    board = board_with(*around, ("U1", "LQFP-208", 40, 30, 0), ("J1", "CONN-6-1.25", 75, 50, 0))
    order = placement_order(board, "top", "finest")
    near = [ref for ref, *_ in around]
    assert all(refs(order).index("U1") < refs(order).index(ref) for ref in near)
    assert any("0.5 mm pitch" in rule.why for rule in order.rules)


def test_of_two_rows_beside_each_other_the_finer_goes_first() -> None:
    board = board_with(("U1", "LQFP-32", 20, 20, 0), ("U2", "TSSOP-20", 30, 20, 0))
    assert refs(placement_order(board, "top", "finest")) == ["U2", "U1"]
    assert refs(placement_order(board, "top", "nearest")) == ["U1", "U2"]


def test_what_stands_in_the_way_comes_later_in_every_school() -> None:
    board = board_with(
        ("C1", "CAN-6.3", 20, 20, 0), ("C2", "0402", 25, 20, 0), ("R1", "0603", 70, 50, 0)
    )
    for school in SCHOOLS:
        order = placement_order(board, "top", school)
        assert refs(order).index("C2") < refs(order).index("C1"), school


def test_the_hand_does_not_reach_over_a_tall_part_as_the_board_lies() -> None:
    """The tall part stands 12 mm in front of the chip: nearer the hand's start, yet it comes after."""
    turned = {0: (0, -12), 90: (12, 0), 180: (0, 12), 270: (-12, 0)}
    for angle, (dx, dy) in turned.items():
        board = board_with(
            ("C1", "CAN-6.3", 40 + dx, 30 + dy, angle),
            ("D1", "LED_0603", 40, 30, angle),
            ("D2", "LED_0603", 40 - dx, 30 - dy, angle),
        )
        order = placement_order(board, "top", "nearest")
        found = {(rule.first, rule.second) for rule in order.rules if "reach over" in rule.why}
        assert found == {("D1", "C1"), ("D2", "C1")}, angle
        assert refs(order)[-1] == "C1"
        assert order.takes.over == 0
        behind = board_with(
            ("C1", "CAN-6.3", 40 - dx, 30 - dy, angle), ("D1", "LED_0603", 40, 30, angle)
        )
        assert not [
            rule
            for rule in placement_order(behind, "top", "nearest").rules
            if "reach over" in rule.why
        ], angle
    aside = board_with(("C1", "CAN-6.3", 60, 20, 0), ("D1", "LED_0603", 40, 30, 0))
    assert not placement_order(aside, "top", "nearest").rules


def test_on_the_bottom_the_front_is_in_front_as_seen() -> None:
    """A part at 0° underneath lies at 180° as seen, so what stands higher up on the board is in
    front of it; right stays right.
    """
    board = board_with(("C1", "CAN-6.3", 40, 42, 0), ("D1", "LED_0603", 40, 30, 0), side="bottom")
    assert {
        (rule.first, rule.second) for rule in placement_order(board, "bottom", "nearest").rules
    } == {("D1", "C1")}
    sideways = board_with(
        ("C1", "CAN-6.3", 52, 30, 90), ("D1", "LED_0603", 40, 30, 90), side="bottom"
    )
    other = board_with(("C1", "CAN-6.3", 28, 30, 90), ("D1", "LED_0603", 40, 30, 90), side="bottom")
    assert not placement_order(
        sideways, "bottom", "nearest"
    ).rules  # laid turned to the right, the board's left is in front
    assert len(placement_order(other, "bottom", "nearest").rules) == 1


@settings(max_examples=40, derandomize=True)
@given(st.integers(4, 25), st.integers(0, 10**6), st.sampled_from(sorted(SCHOOLS)))
def test_reach_costs_no_turn(count: int, seed: int, school: str) -> None:
    board = invented(count, seed)
    minding = placement_order(board, "top", school)
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(order_module, "_reached_over", lambda parts, classes: {})
        careless = placement_order(board, "top", school)
    assert minding.takes.turns <= careless.takes.turns
    assert not [rule for rule in careless.rules if "reach over" in rule.why]


def test_the_demo_board_is_placed_without_reaching_over_a_tall_part(demo_board: Board) -> None:
    order = placement_order(demo_board, "top", "finest")
    assert order.plain.over > 10
    assert order.takes.over == 0


def test_tallest_first_outside_the_hands_room() -> None:
    board = board_with(
        ("R1", "0603", 20, 20, 0), ("C1", "CAN-6.3", 30, 24, 0), ("R2", "0603", 26, 24, 0)
    )
    order = placement_order(board, "top", "tallest")
    why = {(rule.first, rule.second): rule.why for rule in order.rules}
    assert "stands" in why["C1", "R1"]
    assert "hand would not fit" in why["R2", "C1"]  # room comes before any school
    assert refs(order) == ["R2", "C1", "R1"]
    assert not placement_order(
        board_with(("U1", "SOIC-8", 20, 20, 0), ("R1", "0402", 29, 20, 0)), "top", "tallest"
    ).rules


def test_tack_that_runs_out_begins_a_new_batch() -> None:
    order = placement_order(invented(23, 3), pace=Pace(place_s=60, batch=0, tack_h=0.1))
    anew = [number for number, step in enumerate(order.steps) if step.anew]
    assert anew
    assert [step.batch for step in order.steps] == [
        sum(at <= number for at in anew) for number in range(23)
    ]
    began = [0, *anew, 23]
    for first, last in itertools.pairwise(began):
        opened = order.steps[first - 1].until_min if first else 0.0
        assert order.steps[last - 1].until_min - opened <= 6.0 + 1e-6
        assert last == 23 or order.steps[last].until_min - opened > 6.0
    assert order.steps[-1].until_min == pytest.approx(order.takes.minutes)
    assert not [step for step in placement_order(invented(23, 3)).steps if step.anew]


def test_iron_only_parts_are_left_out_and_said() -> None:
    board = board_with(
        ("J1", "FLATCABLE-10-0.5", 20, 20, 0), ("R1", "0603", 50, 30, 0), ("R2", "0603", 52, 30, 0)
    )
    order = placement_order(board, skip=["R2"])
    assert refs(order) == ["R1"]
    assert dict(order.left_out) == {"J1": "by iron, last", "R2": "not now"}


@settings(max_examples=15)
@given(
    st.integers(0, 10**6),
    st.lists(st.tuples(st.integers(0, 11), st.integers(0, 11)), min_size=1, max_size=5),
)
def test_wishes_are_kept_unless_they_contradict_and_the_rest_is_ordered_round_them(
    seed: int, pairs: list[tuple[int, int]]
) -> None:
    board = replace(
        invented(12, seed),
        parts=tuple(
            replace(part, package=package_named("0603")) for part in invented(12, seed).parts
        ),
    )
    wishes = [Wish(f"P{a}", f"P{b}") for a, b in pairs]
    order = placement_order(board, "top", "nearest", wishes=wishes)
    assert sorted(refs(order)) == sorted(part.ref for part in board.parts)
    if len(pairs) == 1 and pairs[0][0] != pairs[0][1]:
        (a, b) = pairs[0]
        assert refs(order).index(f"P{a}") == refs(order).index(f"P{b}") + 1


def test_first_of_all_and_unknown_wishes() -> None:
    board = board_with(
        ("R1", "0603", 10, 10, 0), ("R2", "0603", 20, 10, 0), ("R3", "0603", 70, 50, 90)
    )
    assert refs(placement_order(board, "top", "nearest", wishes=[Wish("R3", "")]))[0] == "R3"
    assert (
        len(
            refs(
                placement_order(
                    board, wishes=[Wish("R9", "R1"), Wish("R1", "R9"), Wish("R1", "R1")]
                )
            )
        )
        == 3
    )


def test_the_bottom_is_ordered_as_it_is_seen() -> None:
    """A part at 0° on the bottom lies at 180° when the board is turned over about its upright axis."""
    order = placement_order(
        board_with(("D1", "LED_0603", 10, 10, 0), ("D2", "LED_0603", 20, 10, 90), side="bottom"),
        "bottom",
    )
    assert {step.ref: step.turn_deg for step in order.steps} == {"D1": 180.0, "D2": 270.0}


def test_batches_and_pace() -> None:
    board = invented(23, 3)
    order = placement_order(board, pace=Pace(batch=10))
    assert [step.batch for step in order.steps] == [0] * 10 + [1] * 10 + [2] * 3
    slow = placement_order(board, pace=Pace(place_s=60))
    assert slow.takes.minutes - order.takes.minutes == pytest.approx(23 * 48 / 60)
    with pytest.raises(InvalidValue, match="place_s"):
        Pace(place_s=math.nan)


def test_an_empty_side() -> None:
    order = placement_order(board_with(("R1", "0603", 10, 10, 0)), "bottom")
    assert order.steps == ()
    assert order.takes.turns == 0
