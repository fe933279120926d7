"""Tours: where the nozzle stops, how long it stays, what it leaves to the iron; followed by eye."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import yellowfen.core.heat.follow as module
from tests.conftest import DATA, files_in, small_scene
from yellowfen.core.board.board import Board
from yellowfen.core.heat.doubt import Doubts, settled
from yellowfen.core.heat.follow import SETTLE_S, follow, is_tour, resolution_for
from yellowfen.core.heat.heat_plan import HeatPlan, aimed, usual_moves
from yellowfen.core.heat.rehearsal import FINE, prepare, rehearse
from yellowfen.core.heat.scene import Deed, Move, NozzlePath, PlacedPart, Scene, Side
from yellowfen.core.heat.source import HotPlate, Preheater
from yellowfen.core.heat.story import all_molten_s
from yellowfen.core.heat.sureness import how_sure, watched_stop
from yellowfen.core.heat.tour import Tour, plan_tour, plate_below
from yellowfen.core.heat.tour_search import TourWish, check_tour, search, without
from yellowfen.core.heat.tour_stops import ORDERS, gathered, reach_mm, stop_over
from yellowfen.core.heat.tour_walk import Charge, TourModel, walk
from yellowfen.core.metal.alloy import ALLOYS
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.work.board_scene import scene_of
from yellowfen.errors import InvalidValue, Refused
from yellowfen.formats.board_files import read_board


def row_scene(places: list[tuple[float, float]], package: str = "0805") -> Scene:
    """Equal parts at these places on a 60 × 40 mm board."""
    base = small_scene(outlet_c=380.0)
    parts = tuple(
        PlacedPart(
            ref=f"R{i}",
            package=package_named(package),
            x_mm=x,
            y_mm=y,
            rotation_deg=0,
            side=Side.TOP,
            alloy="Sn63Pb37",
        )
        for i, (x, y) in enumerate(places)
    )
    return replace(
        base,
        board=replace(base.board, width_mm=60.0, height_mm=40.0),
        parts=parts,
        targets=tuple(part.ref for part in parts),
        moves=(Move(deed=Deed.WITHDRAW, seconds=1.0),),
    )


def test_one_stays_until_all_of_a_stop_has_flowed_and_a_moment() -> None:
    """The dwell is the melt of the same recipe run whole, and the eye's moment, to a second."""
    scene = row_scene([(12, 20), (48, 20)])
    stops = [
        Move(deed=Deed.CLOSE, seconds=10.0, over=(ref,), height_mm=12.0, circle_mm=3.0)
        for ref in scene.targets
    ]
    done = follow(prepare(scene, FINE), scene, stops)
    assert is_tour(stops)
    moves = tuple(replace(stop, seconds=s) for stop, s in zip(stops, done.took_s, strict=True))
    whole = rehearse(replace(scene, moves=(*moves, Move(deed=Deed.WITHDRAW, seconds=5.0))))
    for ref, began, took in zip(scene.targets, done.began_s, done.took_s, strict=True):
        melt = all_molten_s(whole.joints_of(ref))
        assert melt is not None
        assert 0 <= began + took - SETTLE_S - melt < 1.0 + 0.25


@settings(max_examples=30)
@given(
    path=st.sampled_from(NozzlePath),
    radius=st.floats(0.5, 8.0),
    turn_s=st.floats(1.0, 6.0),
    from_s=st.floats(0.0, 140.0),
)
def test_a_drive_that_goes_on_is_the_drive_of_the_later_piece(
    path: NozzlePath, radius: float, turn_s: float, from_s: float
) -> None:
    scene = row_scene([(12, 20), (48, 20)])
    first = Move(
        deed=Deed.HOLD,
        seconds=2.0,
        over=("R1",),
        height_mm=12.0,
        circle_mm=radius,
        path=path,
        circle_s=turn_s,
        along_deg=30.0,
    )
    prepared = prepare(scene, FINE)
    on = prepared.drive(replace(scene, moves=(first,))).going_on(scene, first, from_s)
    later = prepared.drive(replace(scene, moves=(replace(first, from_s=from_s),)))
    for name in ("segments", "around", "paces", "plate", "plate_state"):
        np.testing.assert_array_equal(getattr(on, name), getattr(later, name))


def test_a_stop_that_goes_wrong_is_followed_piece_by_piece(monkeypatch: pytest.MonkeyPatch) -> None:
    """The state of a stop is asked once; where it is bad the stop is begun anew, each piece asked."""
    scene = row_scene([(12, 20), (48, 20)])
    stops = [
        Move(deed=Deed.CLOSE, seconds=10.0, over=(ref,), height_mm=12.0, circle_mm=3.0)
        for ref in scene.targets
    ]
    ready = prepare(scene, FINE)
    plain = follow(ready, scene, stops, sampled=True)
    faults = iter(["a fault"])
    monkeypatch.setattr(module, "state_fault", lambda *_: next(faults, ""))
    again = follow(ready, scene, stops, sampled=True)
    assert next(faults, None) is None
    assert again.took_s == plain.took_s
    assert [len(one.times_s) for one in again.traces] == [len(one.times_s) for one in plain.traces]
    np.testing.assert_array_equal(again.state.theta, plain.state.theta)


def test_a_stop_that_has_flowed_already_takes_no_time_and_is_awaited_where_it_flowed() -> None:
    scene = row_scene([(20, 20), (23, 20), (48, 20)])
    stops = [
        Move(deed=Deed.CLOSE, seconds=10.0, over=(ref,), height_mm=12.0, circle_mm=4.0)
        for ref in ("R0", "R1", "R2")
    ]
    seen = walk(prepare(scene, FINE), scene, stops)
    assert [move.over for move in seen.moves] == [("R0",), ("R2",)]
    assert seen.moves[0].awaits == ("R1",)
    assert not seen.cold


@settings(max_examples=25)
@given(
    places=st.lists(
        st.tuples(st.integers(2, 58), st.integers(2, 38)), min_size=1, max_size=14, unique=True
    ),
    within=st.floats(2.0, 20.0),
)
def test_every_part_is_in_one_group_within_reach(
    places: list[tuple[int, int]], within: float
) -> None:
    scene = row_scene([(float(x), float(y)) for x, y in places], "0402")
    groups = gathered(scene, within)
    assert sorted(ref for group in groups for ref in group) == sorted(scene.targets)
    for group in groups:
        middle = np.mean([places[int(ref[1:])] for ref in group], axis=0)
        far = max(float(np.hypot(*(middle - places[int(ref[1:])]))) for ref in group)
        assert far <= within or len(group) == 1
    stops = [stop_over(scene, group, 15.0) for group in groups]
    for order in ORDERS.values():
        assert sorted(stop.over for stop in order(scene, stops)) == sorted(
            stop.over for stop in stops
        )


def test_reach_grows_with_height() -> None:
    scene = row_scene([(20, 20)])
    assert reach_mm(scene, 10) < reach_mm(scene, 20) < reach_mm(scene, 40)


def test_a_search_only_gets_better_and_beats_its_beginnings(demo_board: Board) -> None:
    """Three usual orders of one stop a part, dwells chosen as well, have moreparts at risk."""
    targets = tuple(p.ref for p in demo_board.parts if p.side == "top" and p.ref[0] in "UCRQ")
    plan = HeatPlan(targets=targets, moves=usual_moves(targets))
    scene = settled(scene_of(demo_board, plan), Doubts())
    found = list(search(scene))
    best = found[-1]
    after = [one.walk.cost_s() for one in found if one.left == best.left]
    assert after == sorted(after, reverse=True)
    assert not best.walk.cold
    assert not [ref for ref in best.walk.harmed if ref in targets]
    ready = prepare(best.scene, resolution_for(best.scene))
    stops = [stop_over(best.scene, (ref,), 12.0) for ref in best.scene.targets]
    for order in ORDERS.values():
        plain = walk(ready, best.scene, order(best.scene, stops))
        assert len(best.walk.at_risk) < len(plain.at_risk)
        assert best.walk.cost_s() < plain.cost_s()


@pytest.fixture(scope="module")
def foreign_tour() -> tuple[Scene, Tour]:
    board = read_board(files_in(DATA / "boards/two-sided"), "two-sided")
    targets = tuple(part.ref for part in board.parts if part.side == "bottom")
    plan = HeatPlan(targets=targets, side="bottom", moves=usual_moves(targets))
    raw = scene_of(board, plan)
    *_, tour = plan_tour(raw, Doubts())
    assert isinstance(tour, Tour)
    return raw, tour


def test_a_tour_of_a_board_nobody_here_made(foreign_tour: tuple[Scene, Tour]) -> None:
    """Rehearsed as any plan is, every joint flows and no limit is passed; in the samples hardly."""
    raw, tour = foreign_tour
    scene = settled(without(raw, [one.ref for one in tour.left]), Doubts())
    assert len(scene.targets) + len(tour.left) == len(raw.targets) > 20
    seen = rehearse(
        replace(scene, moves=(*tour.walk.moves, Move(deed=Deed.WITHDRAW, seconds=30.0)))
    )
    for ref in scene.targets:
        assert all_molten_s(seen.joints_of(ref)) is not None
    assert all(part.limit_passed_s is None for part in seen.parts)
    assert all(times <= 0.1 * tour.count for times in tour.harmed_in.values())
    assert sorted(ref for stop in tour.stops for ref in stop.flows) == sorted(scene.targets)
    for stop in tour.stops:
        assert stop.took.low is not None
        assert stop.took.low <= stop.move.seconds <= (stop.took.high or np.inf)


def test_bands_of_a_tour_are_those_of_one_that_is_followed(
    foreign_tour: tuple[Scene, Tour],
) -> None:
    """With the strength known the stays are known; strong air never makes one longer in all."""
    raw, tour = foreign_tour
    here = without(raw, [one.ref for one in tour.left])
    plan = replace(here, moves=(*tour.walk.moves, Move(deed=Deed.WITHDRAW, seconds=1.0)))
    sharp = how_sure(plan, Doubts(jet_log_sd=0.05, outlet_sd_k=2.0, hand_share=0.02), 11)
    wide = how_sure(plan, Doubts(), 11)
    first = [sure.stays[0].took for sure in (sharp, wide)]
    spread = [(band.high or 150.0) - (band.low or 0.0) for band in first]
    assert spread[0] < 0.5 * spread[1]
    totals = []
    for strength in (0.4, 0.55, 0.8):
        strong = settled(plan, Doubts(jet_factor=strength))
        done = follow(prepare(strong, resolution_for(strong)), strong, tour.walk.moves)
        totals.append(sum(done.took_s))
    assert totals == sorted(totals, reverse=True)


@settings(max_examples=8)
@given(
    walks=st.lists(
        st.permutations(range(4)).flatmap(
            lambda order: st.integers(1, 4).map(lambda count: tuple(order[:count]))
        ),
        min_size=2,
        max_size=5,
    )
)
def test_a_walk_that_begins_like_another_is_the_walk_from_the_beginning(
    walks: list[tuple[int, ...]],
) -> None:
    """Whatever was walked before: the same moves come to the same, bit for bit."""
    scene = row_scene([(8, 8), (52, 8), (30, 20), (8, 32)])
    stops = [
        Move(deed=Deed.CLOSE, seconds=10.0, over=(ref,), height_mm=12.0, circle_mm=3.0)
        for ref in scene.targets
    ]
    model = TourModel(scene)
    for order in walks:
        moves = [stops[place] for place in order]
        assert model.walk(moves) == walk(model.ready, scene, moves)


def test_what_a_tour_saves_is_a_choice() -> None:
    """Charged little for melting twice it is no slower, charged much it melts no more parts twice."""
    scene = row_scene([(12 + 5.0 * i, 12 + 7.0 * (i % 2)) for i in range(8)], "0402")
    *_, sparing = search(scene)
    *_, quick = search(scene, TourWish(charge=Charge.QUICK))
    assert quick.walk.total_s <= sparing.walk.total_s
    assert len(sparing.walk.again) <= len(quick.walk.again)
    same = sparing.walk
    assert same.cost_s(Charge.QUICK) == same.cost_s() - 23.0 * len(same.again)


def test_a_face_of_too_many_stops_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("yellowfen.core.heat.tour_search.MOST_STOPS", 1)
    with pytest.raises(Refused, match="fewer parts"):
        list(search(row_scene([(5, 5), (55, 35)])))


def test_harm_within_a_stay_is_told_with_its_moment() -> None:
    """A body that passes its limit before its own joints have flowed: when, not after it."""
    scene = row_scene([(30, 20)])
    shy = replace(package_named("0805"), limit_c=120.0, limit_why="a heat-shy test part")
    here = replace(scene, parts=(replace(scene.parts[0], package=shy),))
    stop = Move(deed=Deed.CLOSE, seconds=10.0, over=("R0",), height_mm=12.0, circle_mm=3.0)
    done = follow(prepare(here, FINE), here, [stop], sampled=True)
    assert done.harm_s[0] is not None
    assert 0 < done.harm_s[0] < done.took_s[0] - SETTLE_S
    assert "120 °C" in done.harm_why[0]


def test_a_stop_waits_for_what_is_awaited_there() -> None:
    scene = row_scene([(20, 20), (27, 20)])
    ready = prepare(scene, FINE)
    alone = Move(deed=Deed.CLOSE, seconds=10.0, over=("R0",), height_mm=12.0, circle_mm=3.0)
    short = follow(ready, scene, [alone]).took_s[0]
    long = follow(ready, scene, [replace(alone, awaits=("R1",))]).took_s[0]
    assert long > short + 2


def test_what_only_some_samples_cook_goes_to_the_iron_too() -> None:
    """A body that keeps a little in the middle and passes its limit with other air."""
    scene = row_scene([(12, 20), (48, 20)])
    shy = replace(package_named("0805"), limit_c=196.0, limit_why="a shy test part")
    parts = (replace(scene.parts[0], package=shy), scene.parts[1])
    *_, tour = plan_tour(replace(scene, parts=parts), Doubts(), 11)
    assert isinstance(tour, Tour)
    assert [one.ref for one in tour.left] == ["R0"]
    assert "samples of what is not known" in tour.left[0].why


def test_a_watched_stop_counts_only_who_would_still_be_there() -> None:
    """Strong air flows at 10 s and cooks at 15 s: whoever watches has left."""
    assert watched_stop([12.0] * 5 + [30.0] * 5, [15.0] * 5 + [None] * 5) is None
    assert watched_stop([20.0] * 5 + [30.0] * 5, [15.0] * 5 + [None] * 5) == 15.0
    assert watched_stop([90.0] * 20, [40.0, *[None] * 19]) is None  # one in twenty is not a tenth
    assert watched_stop([90.0] * 10, [40.0, 60.0, *[None] * 8]) == 60.0


@given(
    stays=st.lists(
        st.tuples(st.floats(1, 150), st.none() | st.floats(0, 150)), min_size=1, max_size=30
    ),
    which=st.integers(0, 29),
    at=st.floats(0, 150),
)
def test_more_harm_never_lets_a_stop_last_longer(
    stays: list[tuple[float, float | None]], which: int, at: float
) -> None:
    """One more sample that is harmed, or harmed sooner: told as early or earlier."""
    took, harm = [stay[0] for stay in stays], [stay[1] for stay in stays]
    before = watched_stop(took, harm)
    place = which % len(stays)
    known = harm[place]
    harm[place] = at if known is None else min(at, known)
    after = watched_stop(took, harm)
    assert before is None or (after is not None and after <= before)


def test_what_cooks_or_stays_cold_goes_to_the_iron_with_its_reason() -> None:
    scene = row_scene([(12, 20), (48, 20)])
    shy = replace(package_named("0805"), limit_c=150.0, limit_why="a heat-shy test part")
    parts = (replace(scene.parts[0], package=shy), scene.parts[1])
    *_, best = search(replace(scene, parts=parts))
    assert [one.ref for one in best.left] == ["R0"]
    assert "150 °C" in best.left[0].why
    assert best.scene.targets == ("R1",)
    with pytest.raises(Refused, match="nothing is left"):
        list(search(replace(scene, parts=parts[:1], targets=("R0",))))


def test_a_tour_is_for_air_and_for_parts() -> None:
    scene = row_scene([(12, 20)])
    with pytest.raises(InvalidValue, match="targets"):
        check_tour(replace(scene, targets=()))
    with pytest.raises(InvalidValue, match="hot air"):
        check_tour(replace(scene, source=HotPlate(set_c=230.0)))


def test_stops_keep_their_parts_in_a_plan_and_parts_may_come_later(demo_board: Board) -> None:
    moves = (
        Move(deed=Deed.WARM, seconds=10.0, over=("?",), height_mm=60.0, circle_mm=10.0),
        Move(deed=Deed.CLOSE, seconds=20.0, over=("U4", "gone"), height_mm=15.0, circle_mm=4.0),
        Move(
            deed=Deed.CLOSE,
            seconds=20.0,
            over=("C3",),
            height_mm=15.0,
            circle_mm=4.0,
            awaits=("C4",),
        ),
        Move(deed=Deed.WITHDRAW, seconds=20.0),
    )
    assert [move.over for move in aimed(moves, ("U4", "C3"))] == [
        ("U4", "C3"),
        ("U4",),
        ("C3",),
        (),
    ]
    same = aimed((moves[0], moves[1]), ("C3",))
    assert [move.over for move in same] == [("C3",), ("C3",)]
    plan = HeatPlan(targets=("U4", "C3"), moves=moves, absent=("J1", "J2"))
    scene = scene_of(demo_board, plan)
    assert not {"J1", "J2"} & {part.ref for part in scene.parts}
    with pytest.raises(InvalidValue, match="afterwards"):
        replace(plan, absent=("U4",))


def test_a_wished_order_is_kept_and_a_heater_is_taken_where_it_helps() -> None:
    places = [(8.0, 8.0), (52.0, 8.0), (8.0, 32.0), (52.0, 32.0), (30.0, 20.0)]
    scene = row_scene(places, "1206")
    *_, best = search(scene, TourWish(order="row by row"))
    stops = list(best.walk.stops)
    assert stops == ORDERS["row by row"](best.scene, stops)
    with pytest.raises(InvalidValue, match="order"):
        list(search(scene, TourWish(order="by moonlight")))
    weak = replace(scene, source=replace(scene.source, outlet_c=300.0, flow_lpm=12.0))
    *_, plain = plan_tour(weak, Doubts(), 11)
    *_, warmed = plan_tour(weak, Doubts(), 11, heater=Preheater(celsius=180.0, air_w_m2k=40.0))
    assert isinstance(plain, Tour)
    assert isinstance(warmed, Tour)
    assert warmed.from_below
    assert not plain.from_below
    assert warmed.walk.total_s < 0.9 * plain.walk.total_s


def test_a_plate_under_a_bare_face_warms_and_melts_nothing() -> None:
    """Through a film of a quarter millimetre conduction alone passes some 130 W/m²K [textbook: air
    at 350 K, 0.030 W/mK].
    """
    for alloy in ALLOYS.values():
        below = plate_below(HotPlate(set_c=250.0, film_mm=0.25), alloy)
        if alloy.liquidus_c < 100:
            assert below is None
            continue
        assert below is not None
        assert below.celsius <= alloy.liquidus_c - 40
        assert 110 < below.air_w_m2k <= 150
    thick = plate_below(HotPlate(set_c=250.0, film_mm=1.0), ALLOYS["Sn63Pb37"])
    assert thick is not None
    assert 30 < thick.air_w_m2k < 50
