"""Plate, oven, preheater, iron, shields, paths, aluminium: they conserve energy, never diverge, and
do what they should.
"""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import small_scene
from yellowfen.core.heat.drive import path_offsets
from yellowfen.core.heat.rehearsal import FINE, QUICK, Rehearsal, Resolution, rehearse
from yellowfen.core.heat.scene import CopperLayer, Core, Deed, Move, NozzlePath, Scene, Shield, Side
from yellowfen.core.heat.source import Control, HotAir, HotPlate, Iron, Oven, Preheater, TipShape
from yellowfen.core.heat.story import EventKind, all_molten_s, tell
from yellowfen.core.part.catalogue import package_named
from yellowfen.errors import InvalidValue

COARSE_LOOK = Resolution(cell_mm=2.0, layers=3, max_step_s=0.06, part_step_s=0.1)


def flow_s(rehearsal: Rehearsal, ref: str = "U1") -> float:
    done = all_molten_s(rehearsal.joints_of(ref))
    assert done is not None
    return done


air = st.builds(
    HotAir,
    nozzle_mm=st.floats(1, 30),
    outlet_c=st.floats(50, 600),
    flow_lpm=st.floats(1, 200),
    nozzle_long_mm=st.one_of(st.none(), st.floats(30, 60)),
    nozzle_turn_deg=st.floats(-360, 360),
)
plate = st.builds(
    HotPlate,
    set_c=st.floats(40, 450),
    film_mm=st.floats(0.02, 3),
    warp_mm=st.floats(0, 3),
    control=st.sampled_from(list(Control)),
    band_k=st.floats(1, 120),
    power_w=st.floats(20, 4000),
    plate_heat_j_k=st.floats(20, 10000),
    loss_w_k=st.floats(0.05, 20),
    start_c=st.one_of(st.none(), st.floats(-10, 450)),
)
oven = st.builds(
    lambda air_c, wall_c, fan: Oven(((0, 23, 23), (10, air_c, wall_c)), fan),
    st.floats(-10, 400),
    st.floats(-10, 600),
    st.floats(0, 150),
)
iron = st.builds(
    Iron,
    tip_mm=st.floats(0.2, 10),
    set_c=st.floats(150, 480),
    shape=st.sampled_from(list(TipShape)),
    power_w=st.floats(5, 300),
    tip_heat_j_k=st.floats(0.2, 40),
)


def test_a_long_nozzle_leaning_across_its_length_stays_finite() -> None:
    """1 x 30 mm, leaning by 36 degrees at 45 to its long side, a millimetre above: once gave no
    number at all.
    """
    scene = small_scene(cool_s=2.0)
    source = HotAir(
        nozzle_mm=1.0, outlet_c=300.0, flow_lpm=20.0, nozzle_long_mm=30.0, nozzle_turn_deg=0.0
    )
    move = Move(
        deed=Deed.CLOSE,
        seconds=8.0,
        over=("U1",),
        height_mm=1.0,
        circle_mm=16.0,
        circle_s=1.0,
        path=NozzlePath.CIRCLE,
        along_deg=30.0,
        tilt_deg=36.0,
        tilt_to_deg=45.0,
    )
    result = rehearse(
        replace(scene, source=source, moves=(move, Move(deed=Deed.WITHDRAW, seconds=2.0))),
        COARSE_LOOK,
    )
    assert result.energy.closes
    assert np.isfinite(result.joint_c).all()


@settings(max_examples=40)
@given(
    source=st.one_of(air, plate, oven, iron),
    path=st.sampled_from(list(NozzlePath)),
    tilt=st.floats(0, 60),
    height=st.floats(1, 300),
    circle=st.floats(0, 100),
    period=st.floats(0.2, 60),
    below=st.one_of(
        st.none(),
        st.builds(
            Preheater,
            celsius=st.floats(30, 600),
            air_w_m2k=st.floats(0, 150),
            glow_share=st.floats(0, 1),
        ),
    ),
    core=st.sampled_from(list(Core)),
    thickness=st.floats(0.2, 5),
    side=st.sampled_from(list(Side)),
)
def test_no_setting_that_is_admitted_diverges(
    source, path, tilt, height, circle, period, below, core, thickness, side
) -> None:  # type: ignore[no-untyped-def]
    scene = small_scene(cool_s=2.0)
    deeds = {HotAir: Deed.CLOSE, HotPlate: Deed.PLATE, Oven: Deed.OVEN, Iron: Deed.TOUCH}
    move = Move(
        deed=deeds[type(source)],
        seconds=8.0,
        over=("U1",),
        height_mm=height,
        circle_mm=circle,
        circle_s=period,
        path=path,
        along_deg=30.0,
        tilt_deg=tilt,
        tilt_to_deg=45.0,
        pin="1",
    )
    board = replace(scene.board, core=core, thickness_mm=thickness)
    parts = (scene.parts[0], replace(scene.parts[1], side=side))
    result = rehearse(
        replace(
            scene,
            board=board,
            parts=parts,
            source=source,
            preheater=below,
            moves=(move, Move(deed=Deed.WITHDRAW, seconds=2.0)),
        ),
        COARSE_LOOK,
    )
    assert result.energy.closes, (result.energy, result.energy.residual_j)
    assert np.isfinite(result.joint_c).all()
    assert np.isfinite(result.body_c).all()
    assert -20 < result.board_peak_c < 700


def test_a_mirrored_board_gives_the_same_answer() -> None:
    scene = small_scene()
    still = replace(scene, moves=tuple(replace(move, circle_mm=0.0) for move in scene.moves))
    chip = replace(still.parts[1], package=package_named("0603"))
    base = replace(
        still,
        parts=(chip, replace(chip, ref="R2", x_mm=10, y_mm=7)),
        targets=("R1",),
        moves=(replace(still.moves[0], over=("R1",)),),
    )
    mirrored = replace(base, parts=tuple(replace(part, x_mm=30 - part.x_mm) for part in base.parts))
    double = Resolution(single_precision=False)
    for a, b in zip(rehearse(base, double).parts, rehearse(mirrored, double).parts, strict=True):
        assert b.body_peak_c == pytest.approx(a.body_peak_c, rel=1e-6)


def test_more_copper_never_melts_sooner_under_hot_air() -> None:
    """A local source: copper only carries heat away and stores it.

    (Under a plate it would help: the heat comes from below.)
    """
    times = []
    for copper in (0.0, 0.2, 0.5, 0.9):
        scene = small_scene(close_s=120.0, top=copper)
        bottom = CopperLayer(layer="bottom", coverage=copper, thickness_um=35, depth=1.0)
        times.append(
            flow_s(
                rehearse(
                    replace(
                        scene, board=replace(scene.board, copper=(scene.board.copper[0], bottom))
                    )
                )
            )
        )
    assert times == sorted(times)


def test_error_falls_with_the_step_by_its_order() -> None:
    """Against a 1 ms step, halving both steps cuts the error of the joints to less than 0.6:
    between first and second order.
    """
    scene = small_scene()
    exact = rehearse(
        scene,
        Resolution(
            max_step_s=0.001,
            part_step_s=0.001,
            nozzle_step_mm=0.01,
            single_precision=False,
            sample_s=0.02,
        ),
    )

    def error(step: float) -> float:
        usual = rehearse(
            scene,
            Resolution(
                max_step_s=step / 3,
                part_step_s=step,
                nozzle_step_mm=25.0 * step,
                single_precision=False,
            ),
        )
        gaps = [
            usual.joint_c[1:, i] - np.interp(usual.times_s[1:], exact.times_s, exact.joint_c[:, i])
            for i in range(usual.joint_c.shape[1])
        ]
        return float(np.sqrt(np.mean(np.square(gaps))))

    coarse, fine = error(0.06), error(0.03)
    assert fine < 0.6 * coarse
    assert fine < 0.1


def test_a_plate_melts_from_below_sooner_through_a_thinner_film_and_stops_when_the_board_is_lifted() -> (
    None
):
    scene = small_scene()
    moves = (Move(deed=Deed.PLATE, seconds=120.0), Move(deed=Deed.WITHDRAW, seconds=60.0))
    results = [
        rehearse(replace(scene, source=HotPlate(set_c=290.0, film_mm=film), moves=moves))
        for film in (0.05, 0.15, 0.3)
    ]
    assert flow_s(results[0]) < flow_s(results[1]) < flow_s(results[2])
    frozen = [event for event in tell(scene, results[2]) if event.kind is EventKind.FROZEN]
    assert frozen
    assert 120 < frozen[0].at_s < 170


def test_parts_underneath_hold_a_board_off_the_plate_and_it_is_said() -> None:
    scene = small_scene()
    beneath = replace(scene.parts[1], side=Side.BOTTOM)
    hot = replace(scene, source=HotPlate(set_c=250.0), moves=(Move(deed=Deed.PLATE, seconds=60.0),))
    flat, held = rehearse(hot), rehearse(replace(hot, parts=(scene.parts[0], beneath)))
    assert any("off the plate" in said for said in held.warnings)
    assert (
        max(j.peak_c for j in held.joints_of("U1"))
        < max(j.peak_c for j in flat.joints_of("U1")) - 40
    )


def test_the_jet_of_a_tapered_nozzle_leaves_by_its_small_end() -> None:
    """The same air through a smaller end is faster: it melts sooner, as the straight nozzle of that
    end does and not as the wide one; an end as wide as the nozzle changes nothing.
    """
    wide, narrow = HotAir(nozzle_mm=8, outlet_c=350, flow_lpm=30), 4.0
    tapered = replace(wide, nozzle_end_mm=narrow)
    assert tapered.opening_mm2 == wide.with_round(narrow).opening_mm2
    molten = [
        rehearse(replace(small_scene(), source=source)).joints[0].melt_end_s
        for source in (wide, tapered, wide.with_round(narrow), replace(wide, nozzle_end_mm=8.0))
    ]
    assert molten[0] is not None
    assert molten[1] == molten[2]
    assert (molten[1] or 1e9) < 0.9 * molten[0]
    assert molten[3] == molten[0]
    for odd in ({"nozzle_end_mm": 9.0}, {"nozzle_end_mm": 3.0, "nozzle_long_mm": 12.0}):
        with pytest.raises(InvalidValue, match="nozzle_end_mm"):
            replace(wide, **odd)


def test_foil_spares_a_neighbour_and_preheating_shortens_the_heat() -> None:
    scene = small_scene(close_s=50.0)
    plain = rehearse(scene)
    under = rehearse(
        replace(scene, shields=(Shield(x_mm=21.5, y_mm=12, size_x_mm=4, size_y_mm=3),))
    )
    assert under.part("R1").body_peak_c < plain.part("R1").body_peak_c - 15
    warm = replace(
        scene,
        preheater=Preheater(celsius=160.0),
        moves=(Move(deed=Deed.PREHEAT, seconds=60.0), *scene.moves),
    )
    assert flow_s(rehearse(warm)) - 60.0 < flow_s(plain)


def test_paths_run_where_they_say() -> None:
    at = np.array([0.0, 0.25, 0.5, 1.0, 1.5])
    base = Move(
        deed=Deed.CLOSE, seconds=10.0, over=("U1",), height_mm=15.0, circle_mm=4.0, circle_s=2.0
    )
    x, y = path_offsets(base, at)
    assert np.hypot(x, y) == pytest.approx(4.0)
    x, y = path_offsets(replace(base, path=NozzlePath.ROWS, along_deg=90.0), at)
    assert x == pytest.approx(0.0, abs=1e-9)
    assert y == pytest.approx([4.0, 2.0, 0.0, -4.0, 0.0])
    x, _ = path_offsets(replace(base, path=NozzlePath.ENDS), at)
    assert x.tolist() == pytest.approx([4.0, 4.0, 4.0, -4.0, -4.0])


def test_aluminium_needs_far_more_heat() -> None:
    scene = small_scene(close_s=20.0)
    metal = replace(scene, board=replace(scene.board, core=Core.ALUMINIUM))
    assert (
        max(j.peak_c for j in rehearse(metal).joints_of("U1"))
        < max(j.peak_c for j in rehearse(scene).joints_of("U1")) - 30
    )


def test_small_chips_stand_up_dried_paste_crusts_and_strong_air_pushes() -> None:
    scene = small_scene(close_s=40.0)
    aside = replace(scene, moves=(replace(scene.moves[0], circle_mm=0.0), scene.moves[1]))
    lopsided = replace(
        aside,
        parts=(
            scene.parts[0],
            replace(scene.parts[1], package=package_named("0805"), x_mm=23.0, plane_pins=("2",)),
        ),
    )
    assert any(
        event.kind is EventKind.STANDS_UP and event.ref == "R1"
        for event in tell(lopsided, rehearse(lopsided))
    )
    slow = replace(scene, moves=(replace(scene.moves[0], seconds=400.0, height_mm=45.0),))
    assert any(event.kind is EventKind.CRUST for event in tell(slow, rehearse(slow, QUICK)))
    gale = replace(
        scene,
        source=HotAir(nozzle_mm=4, outlet_c=360, flow_lpm=80),
        moves=(replace(scene.moves[0], tilt_deg=45.0), scene.moves[1]),
    )
    assert any(event.kind is EventKind.PUSHED for event in tell(gale, rehearse(gale)))


@pytest.mark.parametrize(
    ("build", "said"),
    [
        (lambda: HotPlate(set_c=math.nan), "set_c"),
        (lambda: Oven(((0, 20, 20),)), "2 to 500 points"),
        (lambda: Oven(((5, 20, 20), (5, 30, 30))), "times must rise"),
        (lambda: Iron(tip_mm=0.0, set_c=340), "tip_mm"),
        (lambda: Preheater(celsius=5000), "celsius"),
        (lambda: Shield(x_mm=0, y_mm=0, size_x_mm=-1, size_y_mm=2), "size_x_mm"),
        (
            lambda: HotAir(nozzle_mm=6, outlet_c=350, flow_lpm=30, nozzle_long_mm=2.0),
            "nozzle_long_mm",
        ),
        (lambda: Move(deed=Deed.TOUCH, seconds=3, over=("U1",)), "which pin"),
        (
            lambda: replace(small_scene(), moves=(Move(deed=Deed.PLATE, seconds=5.0),)),
            "not a move for this source",
        ),
        (
            lambda: replace(small_scene(), moves=(Move(deed=Deed.PREHEAT, seconds=5.0),)),
            "no preheater",
        ),
    ],
)
def test_sources_that_cannot_be_are_refused(build, said: str) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(InvalidValue, match=said):
        build()


def test_pins_change_nothing_else() -> None:
    scene: Scene = small_scene(plane_pins=("4",))
    relieved = replace(
        scene, parts=(replace(scene.parts[0], plane_pins=(), relief_pins=("4",)), scene.parts[1])
    )
    solid, soft = rehearse(scene, FINE), rehearse(relieved, FINE)
    assert {j.pin: j for j in soft.joints_of("U1")}["4"].melt_end_s < {
        j.pin: j for j in solid.joints_of("U1")
    }["4"].melt_end_s
