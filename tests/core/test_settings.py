"""Window, search, doubt, profile and calibration: what they promise, on small scenes."""

import math
from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import DATA, files_in, small_scene
from yellowfen.core.board.board import Board
from yellowfen.core.heat import usual
from yellowfen.core.heat.calibrate import (
    MeltTest,
    ThermalLog,
    Thermocouple,
    from_log,
    from_times,
    scrap_scene,
)
from yellowfen.core.heat.calibrate import _at_place as at_place
from yellowfen.core.heat.doubt import Doubts, as_held, even_draws, sampled, settled, unknowns_of
from yellowfen.core.heat.heat_plan import USUAL_OVEN, HeatPlan, usual_moves
from yellowfen.core.heat.outcome import Fate, outcome, watch
from yellowfen.core.heat.profile import ProfileFigure, profile_of
from yellowfen.core.heat.rehearsal import FINE, advance, first_state, prepare, rehearse
from yellowfen.core.heat.sample import one_sample
from yellowfen.core.heat.scene import Deed, Held, Move, Scene, Side, near_the_heat
from yellowfen.core.heat.source import Control, HotAir, HotPlate, Iron, Oven, Preheater
from yellowfen.core.heat.story import EventKind, all_molten_s, tell
from yellowfen.core.heat.sureness import band_of, how_sure
from yellowfen.core.heat.tune import Bench, axis_of, find_settings
from yellowfen.core.heat.usual import usual_recipe
from yellowfen.core.heat.window import (
    WINDOW_RESOLUTION,
    Axis,
    Tolerance,
    dwells_around,
    make_window,
    settings_around,
    window_column,
    with_dwell,
    with_setting,
)
from yellowfen.core.work.board_scene import scene_of
from yellowfen.errors import InvalidValue
from yellowfen.formats.board_files import read_board
from yellowfen.formats.rehearsal_file import read_scene


def whole_run(scene: Scene) -> Fate:
    """The fate of a recipe run to the very end, with two minutes of cooling."""
    long = replace(scene, moves=(*scene.moves[:-1], Move(deed=Deed.WITHDRAW, seconds=120.0)))
    prepared = prepare(long, WINDOW_RESOLUTION)
    drive = prepared.drive(long)
    state = first_state(prepared, drive)
    advance(prepared, state, drive, sampled=False)
    return outcome(watch(prepared), state).fate


def test_the_window_tells_what_whole_runs_tell_after_heat_included() -> None:
    scene = small_scene()
    settings, dwells = settings_around(scene, Axis.OUTLET, 6), dwells_around(scene, 8)
    window = make_window(scene, Axis.OUTLET, settings, dwells, Tolerance(10.0))
    assert {one.fate for column in window.columns for one in column.outcomes} == set(Fate)
    for column in window.columns:
        for dwell, one in list(zip(dwells, column.outcomes, strict=True))[::2]:
            assert (
                whole_run(with_dwell(with_setting(scene, Axis.OUTLET, column.setting), dwell))
                is one.fate
            ), (column.setting, dwell)


def test_after_heat_melts_what_the_clock_alone_would_call_cold() -> None:
    """A joint on the underside lags the air by a second or two, so it melts after the heat is taken
    away: the window must know.
    """
    scene = small_scene(outlet_c=480.0)
    beneath = replace(scene.parts[1], side=Side.BOTTOM, x_mm=15.0)
    tough = replace(scene.parts[0], package=replace(scene.parts[0].package, limit_c=900.0))
    below = replace(scene, parts=(tough, beneath), targets=("R1",))
    dwells = tuple(12.0 + 0.25 * i for i in range(60))
    fates = [one.fate for one in window_column(below, Axis.OUTLET, 480.0, dwells).outcomes]
    first = next(i for i, fate in enumerate(fates) if fate is not Fate.COLD)
    melts = all_molten_s(rehearse(with_dwell(below, 60.0), WINDOW_RESOLUTION).joints_of("R1"))
    assert first > 0
    assert dwells[first] < melts - 0.3
    for i in (first - 1, first):
        assert whole_run(with_dwell(below, dwells[i])) is fates[i]


def test_the_calmest_point_is_safe_and_names_its_border() -> None:
    scene = small_scene()
    window = make_window(
        scene,
        Axis.OUTLET,
        settings_around(scene, Axis.OUTLET, 12),
        dwells_around(scene, 14),
        Tolerance(10.0),
    )
    best = window.calmest
    assert best is not None
    assert best.sigmas > 0.5
    assert best.binds
    assert best.setting_low <= best.setting <= best.setting_high
    assert whole_run(with_dwell(with_setting(scene, Axis.OUTLET, best.setting), best.dwell_s)) in (
        Fate.GOOD,
        Fate.SPILLS,
    )


def test_windows_of_height_flow_and_plate_and_what_has_none() -> None:
    scene = small_scene()
    for axis in (Axis.HEIGHT, Axis.FLOW):
        assert (
            len(
                make_window(
                    scene, axis, settings_around(scene, axis, 3), (10.0, 30.0), Tolerance(2.0)
                ).columns
            )
            == 3
        )
    plate = replace(
        scene,
        source=HotPlate(set_c=230.0),
        moves=(Move(deed=Deed.PLATE, seconds=60.0), Move(deed=Deed.WITHDRAW, seconds=30.0)),
    )
    fates = [
        c.outcomes[-1].fate
        for c in make_window(
            plate, Axis.PLATE, (120.0, 240.0), (30.0, 90.0), Tolerance(10.0)
        ).columns
    ]
    assert fates[0] is Fate.COLD
    assert fates[1] is not Fate.COLD
    with pytest.raises(InvalidValue, match="not a setting of this source"):
        make_window(scene, Axis.PLATE, (120.0, 240.0), (30.0, 90.0), Tolerance(10.0))
    with pytest.raises(InvalidValue, match="must rise"):
        make_window(scene, Axis.OUTLET, (350.0, 300.0), (30.0, 90.0), Tolerance(10.0))
    baked = replace(
        scene,
        source=Oven(((0, 20, 20), (60, 200, 200))),
        moves=(Move(deed=Deed.OVEN, seconds=60.0),),
    )
    with pytest.raises(InvalidValue, match="needs hot air or a plate"):
        make_window(baked, Axis.OUTLET, (300.0, 350.0), (30.0, 90.0), Tolerance(10.0))


def test_the_search_improves_on_the_setting_and_tells_why() -> None:
    tuned = find_settings(
        small_scene(),
        Bench(nozzles_mm=(10.0,), preheater=Preheater(celsius=150.0), foil=True, free_alloy=True),
        Doubts(jet_log_sd=0.1),
    )
    assert tuned.best is not None
    start = next(one for one in tuned.proposals if one.key == "as it is")
    assert tuned.best.score >= start.score
    assert tuned.best.change in tuned.sentence
    assert tuned.relaxes
    keys = {one.key for one in tuned.proposals}
    assert {"as it is", "warm", "nozzle 10", "preheat", "alloy"} <= keys


def test_no_safe_setting_is_said_plainly_with_what_would_make_one() -> None:
    scene = small_scene(alloy="Sn96.5Ag3Cu0.5")
    shy = replace(scene.parts[0], package=replace(scene.parts[0].package, limit_c=150.0))
    tuned = find_settings(replace(scene, parts=(shy,)), Bench(foil=True), Doubts())
    assert tuned.best is None
    assert tuned.sentence.startswith("No safe setting was found: U1 passes 150")
    assert "by iron" in tuned.relaxes
    baked = replace(
        scene,
        source=Oven(((0, 20, 20), (60, 200, 200))),
        moves=(Move(deed=Deed.OVEN, seconds=60.0),),
    )
    with pytest.raises(InvalidValue, match="oven follows its curve"):
        find_settings(baked, Bench(), Doubts())
    assert axis_of(scene) is Axis.OUTLET


def test_samples_are_even_and_their_middle_is_the_scene() -> None:
    draws = even_draws(64, 4)
    assert np.abs(draws.mean(axis=0)).max() < 0.15
    assert np.abs(draws.std(axis=0) - 1).max() < 0.15
    scene = small_scene()
    middle = settled(scene, Doubts(outlet_shift_k=7.0))
    assert middle.source.outlet_c == scene.source.outlet_c + 7.0
    for source, moves in (
        (HotPlate(set_c=240.0), (Move(deed=Deed.PLATE, seconds=60.0),)),
        (Oven(((0, 25, 25), (100, 220, 240))), (Move(deed=Deed.OVEN, seconds=100.0),)),
    ):
        other = replace(scene, source=source, moves=moves)
        names = {one.key for one in unknowns_of(other)}
        moved = sampled(other, Doubts(), dict.fromkeys(names, 1.0))
        assert moved.source != other.source
        assert how_sure(other, Doubts(), 11).count == 11


def test_profile_figures_against_hand_made_ones() -> None:
    """Criteria of a plate heat against numbers read off the samples by other means; the index is
    the worst share.
    """
    scene = replace(
        small_scene(),
        source=HotPlate(set_c=260.0, film_mm=0.15),
        moves=(Move(deed=Deed.PLATE, seconds=90.0), Move(deed=Deed.WITHDRAW, seconds=90.0)),
    )
    seen = rehearse(scene)
    profile = profile_of(scene, seen)
    rows = {one.name: one for one in profile.criteria}
    liquid = [j.time_above_liquidus_s for j in seen.joints_of("U1")]
    assert rows["shortest time above liquidus"].value == pytest.approx(min(liquid), abs=4.0)
    assert rows["coldest joint's peak"].value == pytest.approx(
        min(j.peak_c for j in seen.joints_of("U1")), abs=0.5
    )
    assert profile.index_percent == pytest.approx(100 * max(one.used for one in profile.criteria))
    assert ProfileFigure(name="x", value=60.0, low=30.0, high=90.0, unit="s", source="").used == 0.0
    assert ProfileFigure(
        name="x", value=90.0, low=30.0, high=90.0, unit="s", source=""
    ).used == pytest.approx(1.0)
    assert not ProfileFigure(name="x", value=4.0, low=None, high=3.0, unit="K/s", source="").inside


SOURCE = HotAir(nozzle_mm=6, outlet_c=350, flow_lpm=30)


def test_a_melt_test_finds_the_strength_and_says_what_it_cannot() -> None:
    scene = scrap_scene(SOURCE, 20, "Sn63Pb37")
    for true in (0.4, 0.7):
        seconds = all_molten_s(rehearse(replace(scene, jet_factor=true)).joints_of("dot"))
        found = from_times(
            [MeltTest(scene, "dot", (seconds * 1.04, seconds * 0.97, seconds), "scrap")], Doubts()
        )
        jet, outlet, _ = found.findings
        assert jet.found
        assert jet.low < true < jet.high
        assert not outlet.found
        assert found.doubts.jet_log_sd < 0.5 * Doubts().jet_log_sd
        assert "says nothing" in found.sentence
        again = all_molten_s(rehearse(settled(scene, found.doubts)).joints_of("dot"))
        assert again == pytest.approx(seconds, rel=0.08)
    with pytest.raises(InvalidValue, match="nothing to fit"):
        from_times([], Doubts())
    with pytest.raises(InvalidValue, match="at least one time"):
        MeltTest(scene, "dot", (), "none")


def test_a_log_with_cooling_finds_strength_outlet_copper_lag_and_offset() -> None:
    scene = scrap_scene(SOURCE, 20, "Sn96.5Ag3Cu0.5", width_mm=36, depth_mm=30, seconds=50.0)
    scene = replace(scene, moves=(*scene.moves, Move(deed=Deed.WITHDRAW, seconds=70.0)))
    true = sampled(scene, Doubts(), {"jet": -0.7, "outlet": 0.6, "copper": 0.8})
    fine = replace(FINE, frame_s=0.25)
    seen, grid = rehearse(true, fine), prepare(true, fine).network.grid
    times = np.arange(0, 120, 0.25)
    chance = np.random.default_rng(4)
    probes = []
    for x, y, shift in ((18, 15, 0.0), (25, 20, 1.5)):
        curve = at_place(seen.frames_c, grid, Thermocouple(x, y, ()))
        probes.append(
            Thermocouple(
                x,
                y,
                tuple(
                    np.interp(times, np.arange(len(curve)) * 0.25, curve)
                    + shift
                    + chance.normal(0, 1, len(times))
                ),
            )
        )
    found = {
        one.key: one
        for one in from_log(ThermalLog(scene, tuple(times), tuple(probes)), Doubts()).findings
    }
    assert found["jet"].low < 0.55 * math.exp(-0.7 * 0.35) < found["jet"].high
    assert (
        found["jet"].high / found["jet"].low < 2.0
    )  # its own width and what other physics may hide in it
    assert found["outlet"].low < 9.0 < found["outlet"].high
    assert found["copper"].low < math.exp(0.12) < found["copper"].high
    assert found["offset 2"].after - found["offset 1"].after == pytest.approx(1.5, abs=0.6)


@pytest.mark.parametrize(
    ("times", "readings", "said"),
    [
        ((0, 1, 2), (20, 21, 22), "at least 8"),
        (tuple(range(9)), tuple(range(8)), "one reading for each"),
        ((0, 1, 1, 2, 3, 4, 5, 6), tuple(range(8)), "must rise"),
    ],
)
def test_logs_that_cannot_be_used_are_refused(
    times: tuple[float, ...], readings: tuple[float, ...], said: str
) -> None:
    with pytest.raises(InvalidValue, match=said):
        ThermalLog(scrap_scene(SOURCE, 20, "Sn63Pb37"), times, (Thermocouple(1, 1, readings),))


def test_irons_are_not_calibrated_here() -> None:
    scene = replace(
        small_scene(),
        source=Iron(tip_mm=1.6, set_c=340),
        moves=(Move(deed=Deed.TOUCH, seconds=3.0, over=("U1",), pin="1"),),
    )
    with pytest.raises(InvalidValue, match="iron is not calibrated"):
        from_times([MeltTest(scene, "U1", (3.0,), "x")], Doubts())


def practice(case: str) -> Scene:
    return read_scene((DATA / "practice" / f"{case}.json").read_text())


REMOVAL = pytest.param(
    "so8-removal",
    50,
    65,
    marks=pytest.mark.xfail(
        strict=True,
        reason="row 2 is not met: 18 s (9 to 41) against 50 to 65 s seen, with the air guessed by its dial",
    ),
)


@pytest.mark.parametrize(("case", "low", "high"), [("so8-refit", 10, 15), REMOVAL])
def test_practice_rows_one_and_two_lie_in_the_band(case: str, low: float, high: float) -> None:
    """Handbook rows 1 and 2 (common practice): what is seen lies in the 80 % band, the median
    within a factor of two.
    """
    band = how_sure(practice(case), Doubts()).melts[0]
    assert band.low < high
    assert band.high is None or band.high > low
    assert low / 2 <= band.middle <= high * 2


def test_practice_led_with_low_alloy() -> None:
    """Handbook row 3 (common practice): an LED in a 4-pad body, low alloy, air at 300 °C and 40 %:
    first melt after about 10 s.
    """
    seen = rehearse(practice("led-low-alloy"))
    assert (
        10 / 2
        <= min(joint.melt_start_s for joint in seen.joints if joint.melt_start_s is not None)
        <= 2 * 10
    )


def test_practice_small_board_and_flat_iron() -> None:
    """Handbook rows 4 and 6 (common practice): seen 30 to 60 s, and within about a minute.

    Guesses stand in the files, made before any run.
    """
    board = how_sure(practice("small-board"), Doubts())
    last = max(band.middle for band in board.melts)
    assert min(band.low for band in board.melts) < 60
    assert last < 2 * 60
    iron = how_sure(practice("flat-iron"), Doubts()).melts[0]
    assert iron.low < 60
    assert 15 < iron.middle < 75


def test_practice_sweeping_takes_ten_seconds_at_least() -> None:
    """Handbook row 5 (common practice), a lower bound: the median is later; the early end of the 80
    % band, 8 s, is not.
    """
    sure = how_sure(practice("sweep"), Doubts())
    assert all(band.middle is None or band.middle >= 10 for band in sure.melts)
    assert all(band.low is None or band.low >= 7 for band in sure.melts)


def test_practice_lead_free_cooks_leds_that_the_low_alloy_spares() -> None:
    """Handbook row 7 (common practice), an order: share of samples in which the body passes its
    limit before all has flowed and five seconds.
    """

    def cooked(case: str) -> int:
        scene = practice(case)
        draws = even_draws(17, len(unknowns_of(scene)))
        keys = [one.key for one in unknowns_of(scene)]
        runs = [
            one_sample(scene, Doubts(), dict(zip(keys, row.tolist(), strict=True))) for row in draws
        ]
        return sum(
            "limit" in run.harm_why and (run.melts_s[0] is None or run.harm_s < run.melts_s[0] + 5)
            for run in runs
        )

    assert cooked("controller-leds-lead-free") >= cooked("controller-leds-low-alloy") + 4


def test_a_melt_test_on_a_plate_finds_its_film() -> None:
    air = scrap_scene(SOURCE, 20, "Sn63Pb37")
    scene = replace(
        air,
        source=HotPlate(set_c=260.0, film_mm=0.15),
        moves=(Move(deed=Deed.PLATE, seconds=250.0),),
    )
    seconds = all_molten_s(
        rehearse(replace(scene, source=HotPlate(set_c=260.0, film_mm=0.3))).joints_of("dot")
    )
    found = from_times([MeltTest(scene, "dot", (seconds,), "plate")], Doubts())
    film = found.findings[0]
    assert film.found
    assert film.low < 0.3 < film.high
    assert all_molten_s(rehearse(settled(scene, found.doubts)).joints_of("dot")) == pytest.approx(
        seconds, rel=0.1
    )


def test_a_log_in_an_oven_finds_how_far_it_is_from_its_curve() -> None:
    curve = ((0.0, 25.0, 25.0), (120.0, 160.0, 170.0), (200.0, 215.0, 230.0))
    air = scrap_scene(SOURCE, 20, "Sn96.5Ag3Cu0.5", width_mm=30, depth_mm=24)
    scene = replace(air, source=Oven(curve, 12.0), moves=(Move(deed=Deed.OVEN, seconds=200.0),))
    true = sampled(scene, Doubts(), {"oven": -1.2})
    fine = replace(FINE, frame_s=0.5)
    seen, grid = rehearse(true, fine), prepare(true, fine).network.grid
    curve_c = at_place(seen.frames_c, grid, Thermocouple(15, 12, ()))
    times = np.arange(len(curve_c)) * 0.5
    noisy = curve_c + np.random.default_rng(2).normal(0, 1, len(curve_c))
    found = {
        one.key: one
        for one in from_log(
            ThermalLog(scene, tuple(times), (Thermocouple(15, 12, tuple(noisy)),)), Doubts()
        ).findings
    }
    assert found["oven"].low < -1.2 * Doubts().oven_sd_k < found["oven"].high
    assert found["oven"].found


def test_two_settings_tell_strength_and_outlet_apart_better_than_one() -> None:
    """Cool and hot air, near and far: more kinds of test narrow what one cannot."""
    true = Doubts(jet_factor=0.45, outlet_shift_k=12.0)

    def test_at(outlet_c: float, distance_mm: float) -> MeltTest:
        scene = scrap_scene(
            HotAir(nozzle_mm=6, outlet_c=outlet_c, flow_lpm=30), distance_mm, "Sn63Pb37"
        )
        return MeltTest(
            scene, "dot", (all_molten_s(rehearse(settled(scene, true)).joints_of("dot")),) * 3, "t"
        )

    one = from_times([test_at(350, 20)], Doubts())
    four = from_times(
        [test_at(230, 12), test_at(260, 15), test_at(350, 20), test_at(450, 25)],
        Doubts(),
        read_log_sd=0.03,
    )
    width = [found.findings[1].high - found.findings[1].low for found in (one, four)]
    assert width[1] < 0.8 * width[0]
    assert four.findings[0].low < 0.45 < four.findings[0].high
    assert four.findings[1].low < 12.0 < four.findings[1].high


@pytest.mark.parametrize(
    "change",
    [
        {"jet_factor": -1.0},
        {"jet_log_sd": math.nan},
        {"outlet_sd_k": 1e9},
        {"film_factor": 0.0},
        {"oven_shift_k": math.inf},
    ],
)
def test_doubts_that_cannot_be_are_refused(change: dict[str, float]) -> None:
    with pytest.raises(InvalidValue, match="doubts"):
        Doubts(**change)


def test_a_plate_is_tried_instead_where_nothing_hangs_underneath() -> None:
    keys = {
        one.key
        for one in find_settings(
            small_scene(),
            Bench(
                nozzles_mm=(),
                preheater=None,
                foil=False,
                free_alloy=False,
                plate=HotPlate(set_c=240.0),
            ),
            Doubts(),
        ).proposals
    }
    assert "plate" in keys
    scene = small_scene()
    two_sided = replace(scene, parts=(scene.parts[0], replace(scene.parts[1], side=Side.BOTTOM)))
    keys = {
        one.key
        for one in find_settings(
            two_sided,
            Bench(
                nozzles_mm=(),
                preheater=None,
                foil=False,
                free_alloy=False,
                plate=HotPlate(set_c=240.0),
            ),
            Doubts(),
        ).proposals
    }
    assert "plate" not in keys


def test_a_band_holds_as_much_as_it_says() -> None:
    """80 % between the ends: the chance that a further draw falls inside is places apart over n +
    1, for any number of samples.
    """
    for count in (11, 24, 37, 97):
        band = band_of([float(value) for value in range(1, count + 1)])
        assert (band.high - band.low) / (count + 1) == pytest.approx(
            0.8, abs=1.5 / (count + 1) if count < 12 else 1e-9
        )
    assert band_of([1.0] * 5 + [None] * 5).high is None


def test_a_part_that_falls_is_harm_and_not_loose() -> None:
    """A heavy part underneath and nothing else near: the loose band stays empty."""
    scene = small_scene(outlet_c=400.0, height_mm=8.0, close_s=60.0)
    heavy = replace(
        scene.parts[1],
        side=Side.BOTTOM,
        x_mm=15.0,
        package=replace(scene.parts[1].package, density_g_cm3=300.0),
    )
    scene = replace(scene, parts=(scene.parts[0], heavy))
    assert any(event.kind is EventKind.FALLS for event in tell(scene, rehearse(scene)))
    assert how_sure(scene, Doubts(), 11).loose.low is None


def test_the_bands_are_tied_to_the_fine_forecast() -> None:
    scene = small_scene()
    fine = rehearse(scene)
    sure = how_sure(
        scene,
        Doubts(
            jet_log_sd=0,
            outlet_sd_k=0,
            hand_share=0,
            aim_sd_mm=0,
            copper_log_sd=0,
            spread_log_sd=0,
            map_log_sd=0,
            room_sd_k=0,
        ),
        11,
        fine=fine,
    )
    assert sure.melts[0].middle == pytest.approx(all_molten_s(fine.joints_of("U1")), rel=1e-6)


def test_what_is_proposed_can_be_set_and_is_good_on_the_fine_grid() -> None:
    scene = small_scene()
    window = make_window(
        scene,
        Axis.FLOW,
        settings_around(scene, Axis.FLOW, 7),
        dwells_around(scene, 8),
        Tolerance(4.0),
    )
    best = window.calmest
    assert best is not None
    assert best.setting == round(best.setting)
    assert best.dwell_s == round(best.dwell_s)
    assert window_column(scene, Axis.FLOW, best.setting, (best.dwell_s,), FINE).outcomes[
        0
    ].fate in (Fate.GOOD, Fate.SPILLS)


def test_a_usual_recipe_passes_the_window_or_says_why_not() -> None:
    plate = replace(
        small_scene(), source=HotPlate(set_c=230.0), moves=(Move(deed=Deed.PLATE, seconds=90.0),)
    )
    found = usual_recipe(plate, Doubts())
    stock = profile_of(
        plate,
        rehearse(
            replace(
                plate,
                moves=(Move(deed=Deed.PLATE, seconds=90.0), Move(deed=Deed.WITHDRAW, seconds=60.0)),
            )
        ),
    ).index_percent
    assert found.index_percent < 125
    assert found.index_percent < stock
    assert ("It fits" in found.says) == (found.index_percent <= 100)
    under = replace(plate, parts=(plate.parts[0], replace(plate.parts[1], side=Side.BOTTOM)))
    assert "off the plate" in usual_recipe(under, Doubts()).says
    baked = usual_recipe(
        replace(plate, source=USUAL_OVEN, moves=(Move(deed=Deed.OVEN, seconds=400.0),)), Doubts()
    )
    assert baked.index_percent < 125


def test_a_usual_blow_ends_by_its_band_and_before_the_cautious_stop() -> None:
    scene = small_scene()
    sharp = Doubts(jet_log_sd=0.1, outlet_sd_k=4.0)
    end = usual_recipe(scene, sharp).scene.moves[0].seconds
    sure = how_sure(
        replace(scene, moves=(replace(scene.moves[0], seconds=120.0), scene.moves[1])), sharp, 11
    )
    assert sure.melts[0].middle < end < sure.melts[0].high + 6.0
    assert sure.harm.low is None or end <= sure.harm.low + 1.0


@pytest.mark.parametrize("outlet_c", [276.0, 300.0, 360.0])
def test_a_recipe_that_looks_less_far_ahead_is_the_same(
    outlet_c: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Soon molten, late, and with weak air whose late end lies beyond the shorter look."""
    scene = small_scene(outlet_c=outlet_c)
    found = usual_recipe(scene, Doubts())
    monkeypatch.setattr(usual, "SOON", 1e9)
    whole = usual_recipe(scene, Doubts())
    assert bool(found.says) == bool(whole.says)
    assert [move.seconds for move in found.scene.moves] == pytest.approx(
        [move.seconds for move in whole.scene.moves], abs=1.0
    )


@pytest.mark.parametrize("ref", ["P2", "P5", "P9", "P15"])
def test_a_usual_blow_is_long_enough_in_the_forecast_that_is_shown(
    ref: str, two_sided_board: Board
) -> None:
    """Where the cautious stop comes before the band's late end, the end is the flow itself, which
    the coarse grid has up to a tenth earlier than the fine one.
    """
    plan = HeatPlan(targets=(ref,), alloy="Sn96.5Ag3Cu0.5", moves=usual_moves((ref,)))
    found = usual_recipe(near_the_heat(scene_of(two_sided_board, plan)), Doubts())
    assert "before the latest melt time" in found.says
    shown = rehearse(settled(found.scene, Doubts()))
    assert all(joint.melt_end_s is not None for joint in shown.joints_of(ref))


@pytest.fixture(scope="module")
def two_sided_board() -> Board:
    return read_board(files_in(DATA / "boards/two-sided"), "two-sided")


def test_a_steadier_hand_narrows_the_band_and_a_stand_most() -> None:
    """On a taught station, where the hand is what is left to doubt."""
    taught = Doubts(jet_log_sd=0.08, outlet_sd_k=3.0, copper_log_sd=0.02, spread_log_sd=0.02)
    spans = []
    for how in (Held.FREE, Held.RESTED, Held.STAND):
        band = how_sure(small_scene(close_s=80.0), as_held(taught, how), 23).melts[0]
        assert band.low is not None
        assert band.high is not None
        spans.append(band.high / band.low)
    free, rested, stand = spans
    assert free > rested > stand > 1.0
    known = Doubts(hand_share=0.01, aim_sd_mm=0.1)
    assert as_held(known, Held.FREE) == known  # what is known better than that stays


def test_a_chosen_plate_keeps_its_setting() -> None:
    """Only how long is found; what it cannot pass it says."""
    own = HotPlate(set_c=280.0, control=Control.THERMOSTAT, band_k=40.0)
    plate = replace(small_scene(), source=own, moves=(Move(deed=Deed.PLATE, seconds=90.0),))
    found = usual_recipe(plate, Doubts(), keeps_plate=True)
    assert found.scene.source == own
    assert found.scene.moves != plate.moves
    assert usual_recipe(plate, Doubts()).scene.source != own
