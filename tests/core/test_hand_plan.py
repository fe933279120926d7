"""The dot plan, the fixture, what mixes, and the life of a paste."""

import itertools
import math
from dataclasses import replace
from functools import cache
from operator import attrgetter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import binomtest

from yellowfen.core.board.board import Board
from yellowfen.core.board.sketch import Sketch, SketchedPart, board_of
from yellowfen.core.deposit.by_hand import NEEDLES
from yellowfen.core.deposit.fillet import wanted
from yellowfen.core.deposit.fixture import fixture
from yellowfen.core.deposit.hand_plan import few_needles, hand_plan
from yellowfen.core.deposit.leadless import by_hand, mound_height_mm, mound_mm3
from yellowfen.core.metal.alloy import ALLOYS
from yellowfen.core.metal.lot import Happened, Lot, LotEvent, usable
from yellowfen.core.metal.mixing import (
    LEFT_OVER,
    PAD_FINISHES,
    PART_FINISHES,
    elements,
    mixture,
    reactions,
)
from yellowfen.core.metal.paste import DISPENSE_SHARE, Paste, paste_named
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.part.package import JointKind
from yellowfen.core.quantity.share import wilson
from yellowfen.errors import InvalidValue

LEADED = paste_named("sn63-t4")


@cache
def demo_sketch_board() -> Board:
    """A board with parts that take two needles each."""
    names = ("SOIC-8", "0603", "TO-252", "CONN-6-1.25", "0402", "SOT-23", "QFN-20_4x4")
    spots = itertools.product(range(5, 56, 10), range(5, 36, 10))
    return board_of(
        Sketch(
            name="batches",
            width_mm=60,
            height_mm=60,
            parts=tuple(
                SketchedPart(ref=f"P{k}", package=names[k % len(names)], x_mm=x, y_mm=y)
                for k, (x, y) in enumerate(spots)
            ),
        )
    )


def board(*parts: SketchedPart) -> Board:
    return board_of(Sketch(name="bench", width_mm=60, height_mm=60, parts=parts))


def test_every_pad_gets_paste_once_and_stays_on_it(demo_board: Board) -> None:
    plan = hand_plan(demo_board, LEADED, "top")
    pins = [(step.ref, pin) for step in plan.steps for pin in step.pins]
    expected = {(pad.ref, pad.pin) for pad in demo_board.pads if pad.side == "top" and pad.ref}
    assert sorted(set(pins)) == sorted(expected)
    pads = {(pad.ref, pad.pin): pad for pad in demo_board.pads}
    for step in plan.steps:
        for spot in step.spots:
            assert any(
                max(abs(spot.x_mm - pad.x_mm), abs(spot.y_mm - pad.y_mm))
                <= max(pad.size_x_mm, pad.size_y_mm) / 2
                for pad in (pads[(step.ref, pin)] for pin in step.pins)
            )


def test_totals_are_sums_and_the_pads_own_plan_adds_up_to_the_same(demo_board: Board) -> None:
    parts, pads = (
        hand_plan(demo_board, LEADED, "top"),
        hand_plan(demo_board, LEADED, "top", by_pad=True),
    )
    assert len(pads.steps) > len(parts.steps)
    assert pads.paste_ml == pytest.approx(parts.paste_ml)
    assert sum(len(one.spots) for one in pads.steps) == sum(len(one.spots) for one in parts.steps)
    assert parts.grams == pytest.approx(
        parts.paste_ml * Paste("Sn63Pb37", 4, DISPENSE_SHARE).density_g_cm3
    )
    assert list(parts.needles) == sorted(parts.needles, key=lambda gauge: gauge or 99)


@settings(max_examples=30)
@given(st.integers(0, 12), st.lists(st.integers(0, 2), min_size=46, max_size=46))
def test_batches_are_full_and_rounds_come_one_after_the_other(
    batch: int, rounds: list[int]
) -> None:
    """So many parts at a time, none of a later round before an earlier one, the same dots in all."""
    demo = demo_sketch_board()
    turn = {part.ref: rounds[k % len(rounds)] for k, part in enumerate(demo.parts)}
    plain = hand_plan(demo, LEADED)
    plan = hand_plan(demo, LEADED, batch=batch, rounds=turn)
    key = attrgetter("ref", "pins", "gauge")
    assert sorted(map(key, plan.steps), key=str) == sorted(map(key, plain.steps), key=str)
    assert plan.seconds >= plain.seconds - 1e-9
    seen = [turn[step.ref] for step in plan.steps]
    assert seen == sorted(seen)
    assert sum(step.anew for step in plan.steps) == max(len(set(seen)) - 1, 0)
    by_batch = [list(its) for _, its in itertools.groupby(plan.steps, key=lambda step: step.batch)]
    assert [its[0].batch for its in by_batch] == list(range(plan.batches))
    for its, after in itertools.pairwise(by_batch):
        assert len({turn[step.ref] for step in its}) == 1
        assert after[0].anew or len({step.ref for step in its}) == batch


def test_few_needles_and_only_those_at_hand(demo_board: Board) -> None:
    dispensed = Paste("Sn63Pb37", 4, DISPENSE_SHARE)
    assert 1 <= len(few_needles(demo_board, dispensed, "top")) <= 3
    assert set(hand_plan(demo_board, LEADED, "top", [20, 30]).needles) <= {
        20,
        None,
    }  # 30 gauge clogs with type 4
    assert set(hand_plan(demo_board, LEADED, "top", []).needles) == {None}


def test_rows_get_a_line_down_to_eight_tenths_and_fine_rows_a_warning() -> None:
    """Common practice."""
    wide = hand_plan(board(SketchedPart(ref="U1", package="SOIC-16", x_mm=30, y_mm=30)), LEADED)
    assert [step.way for step in wide.steps] == ["line", "line"]
    for step in wide.steps:
        fat = (
            sum(
                wanted(package_named("SOIC-16"), land).most_mm3
                for land in package_named("SOIC-16").lands
            )
            / 2
        )
        assert step.paste_mm3 * wide.paste.volume_share <= fat
    fine = hand_plan(board(SketchedPart(ref="U1", package="QFP-48", x_mm=30, y_mm=30)), LEADED)
    assert all(step.way != "line" for step in fine.steps)
    assert any("bridges here" in step.said for step in fine.steps)
    mixed = hand_plan(
        board(
            SketchedPart(ref="U1", package="TSSOP-20", x_mm=15, y_mm=15),
            *(SketchedPart(ref=f"C{n}", package="0402", x_mm=2 * n, y_mm=40) for n in range(1, 29)),
        ),
        LEADED,
    )
    assert mixed.needles[0] is not None  # a needle that could draw a line is in use
    assert all(step.way != "line" for step in mixed.steps)


def test_balls_and_iron_only_parts_get_no_paste() -> None:
    plan = hand_plan(
        board(
            SketchedPart(ref="U1", package="BGA-64", x_mm=20, y_mm=20),
            SketchedPart(ref="J1", package="FLATCABLE-10-0.5", x_mm=45, y_mm=45),
        ),
        LEADED,
    )
    assert plan.steps == ()
    assert dict(plan.left_out).keys() == {"U1", "J1"}


def test_under_a_leadless_part_go_as_many_dots_as_the_floating_model_aims_for() -> None:
    part = package_named("QFN-32_5x5")
    hand = by_hand(part, LEADED)
    plan = hand_plan(
        board(SketchedPart(ref="U1", package="QFN-32_5x5", x_mm=30, y_mm=30)),
        LEADED,
        gauges=sorted(NEEDLES),
    )
    pad = next(land.pin for land in part.lands if land.kind is JointKind.THERMAL_PAD)
    step = next(one for one in plan.steps if pad in one.pins)
    assert len(step.spots) == hand.dots_beneath
    assert hand.mounds is not None
    assert hand.mounds.touches
    assert hand.dots is not None
    assert hand.dots.touches


def test_a_mound_is_a_cylinders_cap() -> None:
    """Closed form: at 45° the cap over a width w is r²(π/4 − ½) with r = w/√2, and r(1 − cos 45°)
    high.
    """
    land = next(
        land for land in package_named("QFN-20_4x4").lands if land.kind is JointKind.LEADLESS
    )
    width, length = min(land.size_x_mm, land.size_y_mm), max(land.size_x_mm, land.size_y_mm)
    radius = width / math.sqrt(2)
    assert mound_mm3(land) == pytest.approx(length * radius**2 * (math.pi / 4 - 0.5))
    assert mound_height_mm(land) == pytest.approx(radius * (1 - math.cos(math.pi / 4)), rel=1e-6)


def test_scraps_hold_the_board_on_all_sides_and_cover_none_of_it(demo_board: Board) -> None:
    found = fixture(demo_board)
    for _, (x, y, w, h) in found.scraps:
        assert x >= demo_board.width_mm or x + w <= 0 or y >= demo_board.height_mm or y + h <= 0
    boxes = [box for _, box in found.scraps]
    for i, (x, y, w, h) in enumerate(boxes):
        for u, v, p, q in boxes[i + 1 :]:
            assert x + w <= u + 1e-9 or u + p <= x + 1e-9 or y + h <= v + 1e-9 or v + q <= y + 1e-9
    for x, y, w, h in (*found.tapes, found.hinge):
        assert x >= demo_board.width_mm or x + w <= 0 or y >= demo_board.height_mm or y + h <= 0
    assert "spacers" in found.reminders[1]


@pytest.mark.parametrize(
    ("turned", "stroke"), [(0, 0), (45, 225), (90, 270), (135, 315), (225, 225)]
)
def test_the_blade_goes_along_rows_that_stand_at_any_angle(turned: float, stroke: float) -> None:
    """From memory; a row at 45° is fine pitch like any other, a square part turned so asks for a
    straight blade.
    """
    part = SketchedPart(ref="U1", package="TSSOP-20", x_mm=30, y_mm=30, rotation_deg=turned)
    found = fixture(board(part))
    assert found.stroke_deg == stroke
    assert found.fine == 20
    square = SketchedPart(ref="U1", package="QFP-48", x_mm=30, y_mm=30, rotation_deg=turned)
    assert (fixture(board(square)).stroke_deg in (0, 270)) == (turned % 90 == 45)


def test_the_blade_goes_along_most_fine_openings() -> None:
    """From memory; a part with rows on two sides decides, a square one asks for 45°."""
    assert (
        fixture(board(SketchedPart(ref="U1", package="TSSOP-20", x_mm=30, y_mm=30))).stroke_deg == 0
    )
    assert (
        fixture(
            board(SketchedPart(ref="U1", package="TSSOP-20", x_mm=30, y_mm=30, rotation_deg=90))
        ).stroke_deg
        == 270
    )
    assert (
        fixture(board(SketchedPart(ref="U1", package="QFP-48", x_mm=30, y_mm=30))).stroke_deg == 315
    )
    assert (
        "in any direction"
        in fixture(board(SketchedPart(ref="R1", package="0603", x_mm=30, y_mm=30))).stroke_said
    )


def test_composition_is_exact() -> None:
    """By hand: 1 mm³ of Sn63Pb37 (8.4 g/cm³) and 1 mm³ of Sn42Bi58 (8.6): Sn (5.292 + 3.612) / 17,
    Pb 3.108 / 17, Bi 4.988 / 17.
    """
    mixed = mixture((("Sn63Pb37", 1.0), ("Sn42Bi58", 1.0)))
    assert mixed == pytest.approx({"Sn": 8.904 / 17, "Bi": 4.988 / 17, "Pb": 3.108 / 17})
    assert elements("Sn96.5Ag3Cu0.5") == pytest.approx({"Sn": 0.965, "Ag": 0.03, "Cu": 0.005})
    with pytest.raises(InvalidValue):
        mixture((("Sn63Pb37", float("nan")),))


@given(
    st.sampled_from(sorted(ALLOYS)),
    st.sampled_from(sorted(PAD_FINISHES)),
    st.sampled_from(sorted(PART_FINISHES)),
    st.sampled_from(sorted(LEFT_OVER)),
)
def test_bismuth_with_lead_is_flagged_by_presence(
    alloy: str, pad: str, part: str, left: str
) -> None:
    """Handbook: however little there is of either; and never without both."""
    there = (
        set(elements(alloy))
        | PAD_FINISHES[pad][0]
        | PART_FINISHES[part]
        | (set(elements(LEFT_OVER[left])) if LEFT_OVER[left] else set())
    )
    titles = [one.title for one in reactions(alloy, pad, part, left)]
    assert ("Bismuth meets lead" in titles) == ({"Bi", "Pb"} <= there)
    assert ("Removal alloy left on the pads" in titles) == (left == "removal alloy")


def test_balls_and_usual_mixtures() -> None:
    """Handbook §5: lead-free parts with leaded paste usually tolerated, balls excepted."""
    assert all(one.weight == 1 for one in reactions("Sn63Pb37", "lead-free tin, levelled", "tin"))
    assert reactions("Sn63Pb37", "gold on nickel", "lead-free balls")[0].weight == 3
    assert not any(
        "balls" in one.title
        for one in reactions("Sn96.5Ag3Cu0.5", "gold on nickel", "lead-free balls")
    )
    assert reactions("Sn42Bi58", "silver", "not known")[0].title == "Bismuth on unknown tin"
    with pytest.raises(InvalidValue, match="pad_finish"):
        reactions("Sn63Pb37", "chrome", "tin")


def test_the_life_of_a_lot() -> None:
    hour = 3600.0
    lot = Lot(
        id=1,
        name="jar",
        paste=LEADED,
        container="jar",
        grams=100.0,
        bought_s=0.0,
        expires_s=None,
        events=(
            Happened(id=1, kind=LotEvent.OUT, at_s=10 * hour),
            Happened(id=2, kind=LotEvent.OPENED, at_s=14 * hour),
            Happened(id=3, kind=LotEvent.USED, at_s=15 * hour, grams=20.0),
            Happened(id=4, kind=LotEvent.BACK, at_s=20 * hour),
            Happened(id=5, kind=LotEvent.OUT, at_s=40 * hour),
        ),
    )
    assert lot.is_out
    assert lot.warm_h(45 * hour) == pytest.approx(15)
    assert lot.left_g == 80
    assert lot.boards_left(0.5) == 160
    assert lot.opened_s == 14 * hour
    assert lot.findings(45 * hour) == ()
    assert any("Out of the fridge for 55 h" in said for said in lot.findings(85 * hour))
    assert any("Expired" in said for said in lot.findings(200 * 24 * hour))
    closed = Lot(
        id=1,
        name="jar",
        paste=LEADED,
        container="jar",
        grams=100.0,
        bought_s=0.0,
        expires_s=None,
        events=(Happened(id=1, kind=LotEvent.OUT, at_s=0.0),),
    )
    assert "closed" in closed.findings(hour)[0]
    # A print of which nobody told that the jar was out: it stood out from then on.
    printed = Happened(id=6, kind=LotEvent.USED, at_s=60 * hour, grams=1.0)
    back = Happened(id=7, kind=LotEvent.BACK, at_s=62 * hour)
    used = replace(closed, events=(back, replace(back, id=5, at_s=50 * hour), printed))
    assert used.warm_h(61 * hour) == pytest.approx(1)
    assert used.warm_h(70 * hour) == pytest.approx(2)
    assert not used.is_out
    assert usable((replace(lot, id=3), used, closed), 45 * hour) == used  # nothing against it
    assert usable((replace(closed, grams=1.0, events=(printed,)),), 1.0) is None


@pytest.mark.parametrize(
    ("grams", "name", "container"),
    [(0.1, "a", "jar"), (float("nan"), "a", "jar"), (10, "", "jar"), (10, "a", "bucket")],
)
def test_lots_that_cannot_be_are_refused(grams: float, name: str, container: str) -> None:
    with pytest.raises(InvalidValue):
        Lot(id=1, name=name, paste=LEADED, container=container, grams=grams, bought_s=0.0)


@given(st.integers(1, 60), st.integers(0, 60))
def test_wilson_against_the_reference_library(of: int, hits: int) -> None:
    """scipy.stats.binomtest(...).proportion_ci(method='wilson')."""
    hits = min(hits, of)
    reference = binomtest(hits, of).proportion_ci(0.95, method="wilson")
    assert wilson(hits, of) == pytest.approx((reference.low, reference.high), abs=1e-6)


@pytest.mark.parametrize("name", ["QFN-16_3x3", "QFN-20_4x4", "QFN-24_4x4", "QFN-32_5x5"])
@pytest.mark.parametrize("gauges", [None, (), (18, 21)])
def test_what_is_dotted_beneath_is_what_leadless_aims_for(
    name: str, gauges: tuple[int, ...] | None
) -> None:
    """Any needles, or the knife: the whole part's paste holds what the Leadless page aims for
    beneath, and a knife's dab in the middle is as wide as that spreads, not as an edge pad's.
    """
    package = package_named(name)
    sketch = Sketch(name="patch", parts=(SketchedPart(ref="U1", package=name, x_mm=15, y_mm=15),))
    plan = hand_plan(board_of(sketch), LEADED, gauges=gauges)
    aim = by_hand(package, plan.paste).dot_amount.aim_mm3 / plan.paste.volume_share
    assert sum(one.paste_mm3 for one in plan.steps) > 0.8 * aim
    half = package.lands[-1].size_x_mm / 2
    beneath = [
        (one, spot)
        for one in plan.steps
        for spot in one.spots
        if max(abs(spot.x_mm - 15), abs(spot.y_mm - 15)) < half
    ]
    assert beneath
    if beneath[0][0].gauge is None:
        [(_, spot)] = beneath
        assert spot.width_mm >= 0.8
