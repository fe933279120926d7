"""Ways to solder, schools, sides, iron rows, kit, schedule, estimates: rules of the trade and laws
of each.
"""

import itertools
import math
from dataclasses import replace

import icalendar
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yellowfen.core.board.board import Board, BoardPart, Pad
from yellowfen.core.deposit.by_hand import Costs, wire_metal_share
from yellowfen.core.deposit.fillet import wanted
from yellowfen.core.metal.alloy import ALLOYS
from yellowfen.core.metal.paste import paste_named
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.part.moisture import FLOOR_LIFE_H
from yellowfen.core.work.estimate import (
    Each,
    Estimate,
    StageMinutes,
    first_pass_share,
    learnt,
    stage,
)
from yellowfen.core.work.iron_rows import TIP_LOAD_MM3, row_plans, rows_of, wire_by_kind
from yellowfen.core.work.kit import KitAnswer, kit
from yellowfen.core.work.schedule import (
    BAKE_125_H,
    Bag,
    Build,
    bags_of,
    bake_h,
    schedule,
    start_for,
    tasks_of,
    what_goes_off,
)
from yellowfen.core.work.schools import QUESTIONS, Schools
from yellowfen.core.work.technique import (
    IRON_WAYS,
    SAME_MIN,
    BenchTools,
    PartKind,
    PartWay,
    StencilOrHand,
    Way,
    Wishes,
    by_iron,
    iron_reaches,
    kind_of,
    techniques,
)
from yellowfen.core.work.two_sides import two_sides
from yellowfen.errors import InvalidValue, Refused
from yellowfen.formats.calendar_out import calendar

LEADED = paste_named("sn63-t4")
EVERYTHING = BenchTools(stencil=True, air=True, plate=True, iron=True)


def board_of(*kinds: str, side: str = "top") -> Board:
    """Packages in a row; refs by their place."""
    parts = tuple(
        BoardPart(
            ref=f"U{n}",
            value="",
            footprint=kind,
            x_mm=10.0 + 12 * n,
            y_mm=20.0,
            rotation_deg=0.0,
            side=side,
            package=package_named(kind),
            joined=True,
        )
        for n, kind in enumerate(kinds, 1)
    )
    pads = tuple(
        Pad(
            side=side,
            x_mm=part.x_mm + land.x_mm,
            y_mm=part.y_mm + land.y_mm,
            size_x_mm=land.size_x_mm,
            size_y_mm=land.size_y_mm,
            angle_deg=0.0,
            area_mm2=land.area_mm2,
            paste_mm2=land.area_mm2,
            ring=((0, 0), (1, 0), (1, 1)),
            ref=part.ref,
            pin=land.pin,
        )
        for part in parts
        for land in part.package.lands
    )
    return Board(
        name="bench",
        width_mm=200,
        height_mm=40,
        thickness_mm=1.6,
        outline=(),
        pads=pads,
        holes=(),
        copper=(),
        parts=parts,
        layers=(),
        findings=(),
    )


ALL_KINDS = (
    "0402",
    "0805",
    "SOIC-8",
    "TSSOP-20",
    "QFP-48",
    "QFN-20_4x4",
    "TO-252",
    "BGA-64",
    "PLCC-44",
    "FLATCABLE-10-0.5",
    "CAN-6.3",
    "LED_0603",
)


@pytest.mark.parametrize(
    "bench",
    [
        EVERYTHING,
        BenchTools(stencil=False, air=True, plate=False, iron=True),
        BenchTools(stencil=False, air=False, plate=False, iron=True),
        BenchTools(stencil=True, air=False, plate=True, iron=True),
    ],
)
def test_no_way_that_ruins_a_part_whatever_is_wished(bench: BenchTools) -> None:
    """Common practice: leadless with a thermal pad never by iron alone; an unknown flat-cable
    housing by iron, last.
    """
    board = board_of(*ALL_KINDS)
    for wish in Way:
        found = techniques(
            board, LEADED, bench, Wishes({part.ref: str(wish) for part in board.parts})
        )
        for one in found.ways:
            if one.kind in (PartKind.LEADLESS, PartKind.BALLS) and len(
                [offer for offer in one.offers if not offer.refused]
            ):
                assert one.chosen.way not in IRON_WAYS
            if one.part.package.iron_only:
                assert one.chosen.way is Way.LAST
                assert "heat destroys it" in one.why or one.own
            assert not one.chosen.refused


def test_by_iron_is_what_a_wish_for_it_gives_and_what_no_tip_reaches_is_refused() -> None:
    """Whatever way a part has, its card by iron is the one of a part that was wished so."""
    board, plain = board_of(*ALL_KINDS), Wishes()
    refused = set()
    for one in techniques(board, LEADED, EVERYTHING).ways:
        pads = [pad for pad in board.pads if pad.ref == one.part.ref]
        if not iron_reaches(one):
            refused.add(one.part.package.name)
            with pytest.raises(Refused, match="not soldered by iron"):
                by_iron(one, pads, LEADED.metal, bench=EVERYTHING, wishes=plain)
            continue
        asked = by_iron(one, pads, LEADED.metal, bench=EVERYTHING, wishes=plain)
        wish = Wishes({one.part.ref: str(asked.chosen.way)})
        wished = next(
            way
            for way in techniques(board, LEADED, EVERYTHING, wish).ways
            if way.part.ref == one.part.ref
        )
        assert asked.chosen == wished.chosen
        assert asked.card == wished.card
        assert asked.chosen.way in IRON_WAYS
        assert asked.card.iron_c is not None
        assert asked.card.iron_c > LEADED.metal.liquidus_c + 100
        assert "paste" not in asked.card.flux
    assert refused == {"QFN-20", "BGA-64"}


def test_every_way_says_why_and_what_came_second() -> None:
    found = techniques(board_of(*ALL_KINDS), LEADED, EVERYTHING)
    for one in found.ways:
        assert one.why
        assert len(one.offers) == len(Way)
        assert all(offer.refused or offer.minutes > 0 for offer in one.offers)
        if one.runner_up:
            assert one.runner_up.way is not one.chosen.way
            assert str(one.runner_up.way) in one.runner_why
    assert [
        kind_of(package_named(name))
        for name in ("0402", "QFP-48", "TSSOP-20", "SOIC-8", "PLCC-44", "BGA-64")
    ] == [
        PartKind.TINY,
        PartKind.FINE,
        PartKind.NARROW,
        PartKind.WIDE,
        PartKind.J_LEADS,
        PartKind.BALLS,
    ]


def test_the_users_choice_holds_for_a_part_and_for_a_package_and_changes_the_sum() -> None:
    board = board_of("SOIC-8", "SOIC-8", "0805")
    plain = techniques(board, LEADED, EVERYTHING, boards=20)
    name = board.parts[0].package.name
    mine = techniques(
        board, LEADED, EVERYTHING, Wishes({"U1": str(Way.IRON)}, {name: str(Way.DRAG)}), boards=20
    )
    assert [one.chosen.way for one in mine.ways[:2]] == [Way.IRON, Way.DRAG]
    assert all(one.own for one in mine.ways[:2])
    assert mine.ways[2].chosen == plain.ways[2].chosen
    assert mine.expected_min > plain.expected_min
    with pytest.raises(InvalidValue, match="no way to solder"):
        Wishes({"U1": "by magic"})


def test_a_stencil_pays_from_some_number_of_boards_on(demo_board: Board) -> None:
    assert not techniques(demo_board, LEADED, BenchTools(), boards=1).stencil
    assert techniques(demo_board, LEADED, BenchTools(), boards=20).stencil
    assert techniques(
        demo_board, LEADED, BenchTools(), Wishes(schools=Schools({"stencil": "stencil"})), boards=1
    ).stencil
    by_hand = techniques(
        demo_board, LEADED, BenchTools(), Wishes(schools=Schools({"stencil": "hand"})), boards=20
    )
    assert not any(one.chosen.way in (Way.PRINT_AIR, Way.PRINT_PLATE) for one in by_hand.ways)


def test_schools_steer_and_say_their_case() -> None:
    board = board_of("QFN-20_4x4", "QFP-48")
    mounds = techniques(
        board,
        LEADED,
        EVERYTHING,
        Wishes(schools=Schools({"leadless": "mounds", "stencil": "stencil"})),
        boards=50,
    )
    assert mounds.ways[0].chosen.way is Way.BUMPS_AIR
    assert "practice" in mounds.ways[0].why
    no_air = BenchTools(stencil=False, air=False, plate=False, iron=True)
    flood = techniques(
        board, LEADED, no_air, Wishes(schools=Schools({"fine leads": "flood and wick"}))
    )
    assert flood.ways[1].chosen.way is Way.FLOOD
    for question, (_, schools) in QUESTIONS.items():
        assert len(schools) >= 2
        assert all(one.case for one in schools)
        assert Schools({question: schools[-1].name}).of(question) is schools[-1]
    with pytest.raises(InvalidValue, match="is not a practice"):
        Schools({"heat": "lukewarm"})


def test_a_plate_is_out_when_parts_hang_underneath() -> None:
    """The side heated second cannot lie on a plate."""
    found = techniques(
        board_of("0805"),
        LEADED,
        BenchTools(stencil=True, air=False, plate=True, iron=True),
        second="top",
    )
    refused = {offer.way: offer.refused for offer in found.ways[0].offers}
    assert "keep the board off the plate" in refused[Way.DOTS_PLATE]


def test_the_light_side_first_and_what_would_fall(demo_board: Board) -> None:
    sides = two_sides(demo_board)
    assert (sides.first, sides.second) == ("bottom", "top")
    assert sides.falls == ()
    heavy = board_of("CAN-6.3", "0603")
    both = replace(
        heavy,
        parts=(
            *heavy.parts,
            *(
                replace(part, ref=f"B{n}", side="bottom", package=package_named("CAN-10"))
                for n, part in enumerate(heavy.parts)
            ),
        ),
    )
    assert two_sides(both).first == "top"
    lead = replace(
        package_named("0603"), density_g_cm3=400.0
    )  # one part that would fall counts for more than three heat-sensitive
    lamps = board_of("LED_0603", "LED_0603", "LED_0603")
    weighty = replace(
        lamps,
        parts=(
            *lamps.parts,
            BoardPart(
                ref="B1",
                value="",
                footprint="0603",
                x_mm=30.0,
                y_mm=20.0,
                rotation_deg=0.0,
                side="bottom",
                package=lead,
                joined=True,
            ),
        ),
    )
    assert two_sides(weighty).first == "top"
    assert [
        one.ref
        for one in two_sides(
            replace(weighty, parts=tuple(replace(part, package=lead) for part in weighty.parts))
        ).falls
    ]
    assert two_sides(heavy).second == ""
    assert all(count in (1, 2) for count in sides.passes.values())


def test_wire_by_hand_calculation() -> None:
    """A row of eight SOIC joints: eight times the middle of lean and fat, over π/4·0.5² times the
    metal share of the wire.
    """
    package = package_named("SOIC-16")
    want = wanted(package, package.lands[0])
    joints = 8 * (want.least_mm3 + want.most_mm3) / 2
    by_hand = joints / (math.pi / 4 * 0.25 * wire_metal_share(ALLOYS["Sn63Pb37"], 0.02))
    rows = row_plans(package, {}, ALLOYS["Sn63Pb37"], {"signal": 0.3, "relief": 0.8, "plane": 1.5})
    assert [len(row.pins) for row in rows] == [8, 8]
    assert rows[0].joints_mm3 == pytest.approx(joints)
    assert rows[0].wire_mm == pytest.approx(by_hand)
    assert rows[0].loads == max(1, math.ceil(joints / TIP_LOAD_MM3))
    assert rows[0].row_s == pytest.approx(8 * 0.3)
    assert rows[0].speed_mm_s == pytest.approx(1.27 / 0.3, rel=1e-3)
    (kind,) = wire_by_kind(package, ALLOYS["Sn63Pb37"])
    assert kind.count == 16
    assert kind.wire_mm == pytest.approx(by_hand / 8)


def test_a_pad_that_a_bared_track_moved_keeps_its_place_in_the_row() -> None:
    package = package_named("QFP-48")
    moved = tuple(
        replace(land, y_mm=land.y_mm + 0.08, x_mm=land.x_mm - 0.06)
        if int(land.pin) % 3 == 0
        else land
        for land in package.lands
    )
    straight, bent = (
        [[land.pin for land in row] for row in rows_of(one)]
        for one in (package, replace(package, lands=moved))
    )
    assert sorted(bent) == sorted(straight)


def test_rows_of_a_square_part_run_along_its_four_sides() -> None:
    rows = rows_of(package_named("QFP-48"))
    assert sorted(len(row) for row in rows) == [12, 12, 12, 12]
    assert all(
        len({land.x_mm for land in row}) == 1 or len({land.y_mm for land in row}) == 1
        for row in rows
    )


def test_kit_counts_parts_for_all_boards_with_spares_by_size(demo_board: Board) -> None:
    lines = kit(
        demo_board,
        10,
        {"100 nF | 0402 (metric 1005)": "strip 3"},
        {"330 Ω | 0603 (metric 1608)": (KitAnswer.MISSING, "")},
    )
    assert sum(line.wanted for line in lines) == 10 * len(demo_board.parts)
    tiny = next(line for line in lines if line.key == "100 nF | 0402 (metric 1005)")
    assert (tiny.wanted, tiny.spares, tiny.where) == (60, 12, "strip 3")
    assert lines[0] is tiny  # lines with a place first
    assert next(line for line in lines if line.value == "330 Ω").found is KitAnswer.MISSING
    assert next(line for line in lines if "QFP" in line.package).spares == 0
    with pytest.raises(InvalidValue):
        kit(demo_board, 0)


# schedule
BUILD = Build(
    boards=2,
    sides=("bottom", "top"),
    stencil=True,
    warm_h=1.5,
    kit_lines=20,
    set_up_min=10.0,
    paste_min={"top": 1.5, "bottom": 1.5},
    place_min={"top": 12.0, "bottom": 4.0},
    heat_min={"top": 9.0, "bottom": 4.0},
    iron_min=10.0,
    late_iron_min=5.0,
)


@given(
    st.integers(1, 6),
    st.booleans(),
    st.booleans(),
    st.floats(0, 6),
    st.floats(0.5, 3),
    st.integers(0, 30),
)
def test_nothing_begins_before_what_it_waits_for_and_hands_do_one_thing_at_a_time(
    boards: int, stencil: bool, wash: bool, warm: float, pace: float, done: int
) -> None:
    tasks = tasks_of(
        replace(BUILD, boards=boards, stencil=stencil, wash=wash, warm_h=warm, pace=pace)
    )
    start, now = 1_000_000.0, 1_003_600.0
    finished = {
        task.key: (start + 60 * n, start + 60 * n + 50) for n, task in enumerate(tasks[:done])
    }
    found = schedule(tasks, start, now if done else None, finished)
    ends = {one.task.key: one.end_s for one in found.tasks}
    for one in found.tasks:
        if not one.done:
            assert all(one.start_s >= ends[key] - 1e-6 for key in one.task.after if key in ends)
            assert one.start_s >= (now if done else start)
    hands = sorted(
        (one.start_s, one.end_s) for one in found.tasks if not one.task.passive and not one.done
    )
    assert all(a[1] <= b[0] + 1e-6 for a, b in itertools.pairwise(hands))
    assert [one.task.key for one in found.tasks] == [task.key for task in tasks]


def test_a_finish_is_met_and_kitting_happens_while_the_paste_warms() -> None:
    tasks = tasks_of(BUILD)
    start = start_for(tasks, 500_000.0)
    found = schedule(tasks, start)
    assert found.end_s == pytest.approx(500_000.0)
    by_key = {one.task.key: one for one in found.tasks}
    assert by_key["kit"].end_s < by_key["warm"].end_s
    assert by_key["open"].start_s >= by_key["warm"].end_s
    assert any(gap.waits_for == "Paste out of the fridge, closed" for gap in found.gaps)


def test_a_late_start_says_what_goes_off() -> None:
    """Common practice: open on the stencil about 8 h, tack 8 h; published floor life: class 3 168
    h, 5a 24 h.
    """
    tasks = tasks_of(BUILD)
    begun = {
        "warm": (0.0, 5400.0),
        "kit": (0.0, 800.0),
        "prepare": (800.0, 1300.0),
        "open": (5400.0, 5500.0),
        "fixture bottom": (5500.0, 6100.0),
        "paste bottom 1": (6100.0, 6200.0),
    }
    late = schedule(tasks, 0.0, 6200.0 + 10 * 3600, begun)
    said = [one.sentence for one in what_goes_off(late, 6200.0 + 10 * 3600)]
    assert any("Paste open for 8 h" in one for one in said)
    assert any("wipe it off and paste again" in one for one in said)
    assert what_goes_off(schedule(tasks, 0.0, 6300.0, begun), 6300.0) == ()
    bag = Bag(
        ref="U1", name="QFP-48", height_mm=1.4, life="5a", hours=FLOOR_LIFE_H["5a"], assumed=False
    )
    (dry,) = what_goes_off(schedule(tasks, 0.0), None, (bag,), opened_h_ago=23.0)
    assert "bake it first, 16 h at 125 °C" in dry.sentence
    assert what_goes_off(schedule(tasks, 0.0), None, (bag,), opened_h_ago=1.0) == ()


def test_floor_lives_and_bakes_are_the_published_ones() -> None:
    """J-STD-033: floor life at up to 30 °C, 60 % RH; bake at 125 °C by body thickness (bake times
    as remembered).
    """
    assert FLOOR_LIFE_H == {
        "1": None,
        "2": 365 * 24,
        "2a": 4 * 7 * 24,
        "3": 168,
        "4": 72,
        "5": 48,
        "5a": 24,
        "6": 0,
    }
    assert (bake_h("3", 1.0), bake_h("3", 1.8), bake_h("5a", 3.0)) == (9, 27, 48)
    assert bake_h("3", 9.0) is bake_h("1", 1.0) is None
    assert bake_h("3", math.nan) is None
    for row in BAKE_125_H.values():
        assert list(row) == sorted(row)


def test_bags_of_a_board_shortest_life_first(demo_board: Board) -> None:
    bags = bags_of(demo_board)
    assert {bag.ref for bag in bags} >= {"U1", "U2"}
    assert "R1" not in {bag.ref for bag in bags}
    assert [bag.hours for bag in bags] == sorted(bag.hours or 0 for bag in bags)


def test_the_calendar_validates_in_a_second_library() -> None:
    """icalendar reads it back: an event a task at its time, an alarm before hands are needed, lines
    folded.
    """
    tasks = schedule(tasks_of(BUILD), 1_800_000_000.0).tasks
    data = calendar(
        tasks,
        "Reed bed; pumps, two of them: façade wiring for the long winter nights by the water",
        1_799_990_000.0,
    )
    assert all(len(line) <= 75 for line in data.split(b"\r\n"))
    assert b"Heat board 1\\, bottom" in data  # commas part values unless escaped (RFC 5545)
    found = icalendar.Calendar.from_ical(data)
    events = found.walk("VEVENT")
    assert [str(event["SUMMARY"]) for event in events] == [one.task.name for one in tasks]
    assert (
        str(found["X-WR-CALNAME"]).replace("\\", "")
        == "Reed bed; pumps, two of them: façade wiring for the long winter nights by the water"
    )
    for event, one in zip(events, tasks, strict=True):
        assert event["DTSTART"].dt.timestamp() == pytest.approx(one.start_s, abs=0.6)
        assert len(event.walk("VALARM")) == 1
        assert not event.errors
    assert len({str(event["UID"]) for event in events}) == len(events)


# estimates
def test_own_measurements_replace_the_reference_bit_by_bit_and_narrow_it() -> None:
    none, few, many = learnt(12.0, []), learnt(12.0, [30.0] * 3), learnt(12.0, [30.0] * 60)
    assert none.seconds == 12.0
    assert none.seconds < few.seconds < many.seconds < 30.5
    assert many.seconds > 26
    assert none.spread > few.spread > many.spread
    assert learnt(12.0, [math.nan, -3, 1e9]).own == 0
    silly = learnt(12.0, [0.5] * 4)  # four slips of the key once made 12 s a part into 2
    assert (silly.seconds, silly.own) == (12.0, 0)
    assert learnt(12.0, [4.0] * 4).seconds > 8.5


def test_sums_and_intervals() -> None:
    stages = (stage("Place", 60, Each(10, 0.5)), StageMinutes("Heat", 10.0, 0.5, ""))
    found = Estimate(stages, 1.0, 0.4)
    assert found.middle_min == pytest.approx(20)
    low, high = found.interval_min
    assert (
        stages[0].low_min + stages[1].low_min
        < low
        < 20
        < high
        < stages[0].high_min + stages[1].high_min
    )
    assert first_pass_share([0.5, 0.5]) == pytest.approx(0.25)
    assert first_pass_share([]) == 1


def test_the_stencil_is_worth_it_from_the_board_on_from_which_it_takes_less() -> None:
    """One figure everywhere: what is chosen changes exactly where the minutes cross."""
    weighed = StencilOrHand(printed_min=20.0, by_hand_min=26.0, once_min=25.0, print_min=1.5)
    assert weighed.from_boards == 6
    assert weighed.with_stencil(6) <= weighed.by_hand(6)
    assert weighed.with_stencil(5) > weighed.by_hand(5)
    assert StencilOrHand(20.0, 21.0, 25.0, 1.5).from_boards is None
    assert StencilOrHand(20.0, 30.0, 0.0, 1.5).from_boards == 1


@pytest.mark.parametrize("boards", [1, 2, 5, 20])
def test_what_is_proposed_is_what_was_weighed(demo_board: Board, boards: int) -> None:
    costs = Costs(set_up_min=60, price_min=240)
    found = techniques(demo_board, paste_named("sn63-t4"), BenchTools(), boards=boards, costs=costs)
    assert found.weighed is not None
    first = found.weighed.from_boards
    assert first is not None
    assert found.stencil == (boards >= first)
    for count, printed in ((first, True), (first - 1, False)):
        if count >= 1:
            at = techniques(
                demo_board, paste_named("sn63-t4"), BenchTools(), boards=count, costs=costs
            )
            assert at.stencil is printed
    by_hand = Wishes(schools=Schools({"stencil": "hand"}))
    chosen = techniques(demo_board, paste_named("sn63-t4"), BenchTools(), by_hand, boards=boards)
    assert not any(one.chosen.way in (Way.PRINT_AIR, Way.PRINT_PLATE) for one in chosen.ways)
    assert chosen.expected_min == pytest.approx(found.weighed.by_hand_min)


@pytest.mark.parametrize("boards", [1, 20])
def test_parts_of_a_package_go_one_way_where_it_costs_next_to_nothing(
    demo_board: Board, boards: int
) -> None:
    """A minute's hundredth must not split eleven capacitors into two ways."""
    found = techniques(demo_board, paste_named("sn63-t4"), BenchTools(), boards=boards)
    groups: dict[tuple[str, str], list[PartWay]] = {}
    for one in found.ways:
        groups.setdefault((one.part.package.name, one.part.side), []).append(one)
    for ways in groups.values():
        for one in ways:
            usual = max({w.chosen.way for w in ways}, key=[w.chosen.way for w in ways].count)
            same = next((o for o in one.offers if o.way is usual and not o.refused), None)
            if same is not None and one.chosen.way is not usual:
                assert same.expected_min - one.chosen.expected_min > SAME_MIN
