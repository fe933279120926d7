"""The kernel on boards that once broke it: steps that hold, states that are never told from, bodies
and holes that converge.
"""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest

from tests.conftest import small_scene
from tests.random_scenes import GRIDS, case, gap_of
from yellowfen.core.heat import drive as drives
from yellowfen.core.heat import rehearsal as rehearsals
from yellowfen.core.heat.drive import Steps
from yellowfen.core.heat.outcome import Fate
from yellowfen.core.heat.rehearsal import (
    COARSE,
    FINE,
    QUICK,
    prepare,
    rehearse,
    rehearse_prepared,
    step_limits,
)
from yellowfen.core.heat.scene import (
    BoardStack,
    CopperLayer,
    Deed,
    Move,
    NozzlePath,
    PlacedPart,
    Scene,
    Side,
    Via,
)
from yellowfen.core.heat.source import HotAir, HotPlate, Preheater
from yellowfen.core.heat.story import EventKind, tell
from yellowfen.core.heat.window import WINDOW_RESOLUTION, Axis, window_column
from yellowfen.core.part.catalogue import package_named
from yellowfen.errors import Refused


@pytest.mark.slow
@pytest.mark.parametrize("first", range(0, 60, 6))
def test_random_boards_agree_with_a_quarter_of_their_step(first: int) -> None:
    """Melts within 3 % (or the ten milliseconds of a step), peaks within 3 K; a state that is not
    sound would be refused, which fails here too.
    """
    for number in range(first, first + 6):
        gap = gap_of(case(number))
        late = [(name, a, b) for name, a, b in gap.melts if abs(a - b) > max(0.03 * b, 0.01)]
        assert (
            number,
            gap.case.grid,
            late,
            gap.fate_differs,
            round(gap.peak_k, 1) if gap.peak_k > 3.0 else 0.0,
        ) == (
            number,
            gap.case.grid,
            [],
            (),
            0.0,
        )


def amplification(heat: np.ndarray, along: np.ndarray, through: float, steps: Steps) -> float:
    """Spectral radius of one long step on a column of node layers whose mode along the board has
    rates `along` (W/K), by the scheme written out.
    """
    layers = len(heat)
    subs = max(
        1 if steps.long_s <= steps.whole_s else 2, int(np.ceil(steps.long_s / steps.face_s - 1e-9))
    )
    matrix = np.zeros((2 * layers - 1, 2 * layers - 1))
    for unit in range(2 * layers - 1):
        state = np.eye(2 * layers - 1)[unit]
        theta, before = state[:layers].copy(), state[layers:]
        flow = through * (theta[:-1] - theta[1:])
        use = 1.5 * flow - 0.5 * before
        into = np.concatenate([[0.0], use]) - np.concatenate([use, [0.0]])
        for layer in range(layers):
            count = subs if layer in (0, layers - 1) else 1
            for _ in range(count):
                theta[layer] += (
                    steps.long_s / count * (into[layer] - along[layer] * theta[layer]) / heat[layer]
                )
        matrix[:, unit] = np.concatenate([theta, flow])
    return float(np.abs(np.linalg.eigvals(matrix)).max())


@pytest.mark.parametrize("thickness", [0.2, 0.3, 0.4, 0.5, 0.6, 1.0, 1.6])
@pytest.mark.parametrize(
    "foils",
    [
        (35, 35),
        (35, 35, 35, 35),
        (105, 70, 70, 105),
        (18, 18, 18, 18, 18, 18),
        (0.001, 105, 105, 0.001),
    ],
)
def test_the_steps_allowed_keep_every_mode_from_growing(
    thickness: float, foils: tuple[float, ...]
) -> None:
    """Every combination of slow and fastest modes (twice a cell's own sum) in each layer, on the
    three grids.
    """
    copper = tuple(
        CopperLayer(layer=str(i), coverage=1.0, thickness_um=um, depth=i / (len(foils) - 1))
        for i, um in enumerate(foils)
    )
    for resolution in (FINE, QUICK, COARSE):
        prepared = prepare(
            replace(
                small_scene(),
                board=BoardStack(width_mm=30, height_mm=24, thickness_mm=thickness, copper=copper),
            ),
            resolution,
        )
        grid = prepared.network.grid
        steps = step_limits(prepared.network, np.zeros(grid.cells))
        middle = (grid.ny // 2) * (grid.nx + 2) + grid.nx // 2
        along = (
            grid.gx[:, middle]
            + grid.gx[:, middle - 1]
            + grid.gy[:, middle]
            + grid.gy[:, middle - grid.nx - 2]
        )
        for shares in np.ndindex(*(3,) * grid.layers):
            radius = amplification(
                grid.c0[:, middle], 2.0 * along * np.array(shares) / 2, grid.through_w_k, steps
            )
            assert radius <= 1.0 + 1e-9, (resolution.cell_mm, shares, radius)


def thin() -> Scene:
    copper = tuple(
        CopperLayer(layer=str(i), coverage=1.0, thickness_um=35, depth=i / 3) for i in range(4)
    )
    return replace(
        small_scene(outlet_c=380.0, cool_s=5.0),
        board=BoardStack(width_mm=30, height_mm=24, thickness_mm=0.4, copper=copper),
    )


def test_a_bad_state_is_worked_out_again_at_half_the_step(monkeypatch: pytest.MonkeyPatch) -> None:
    sound, limits = rehearse(thin()), step_limits
    monkeypatch.setattr(rehearsals, "step_limits", lambda *given: stretched(limits(*given), 1.6))
    again = rehearse(thin())
    assert [joint.melt_end_s for joint in again.joints] == pytest.approx(
        [joint.melt_end_s for joint in sound.joints], rel=0.03
    )


def stretched(steps: Steps, by: float) -> Steps:
    return Steps(by * steps.face_s, by * steps.whole_s, by * steps.long_s)


def test_nothing_is_told_from_a_state_that_physics_does_not_allow(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(rehearsals, "step_limits", lambda *_: Steps(0.05, 0.05, 0.05))
    with pytest.raises(Refused, match="cannot be forecast"):
        rehearse(thin())


def test_heat_through_plated_holes_converges_with_the_step() -> None:
    """Joined planes beneath a leadless part: at usual steps within 0.7 K and 1.2 % of a tenth of
    them: under this air the board has more node layers than four (0.5 K and 0.7 % with those).
    """
    copper = tuple(
        CopperLayer(layer=str(i), coverage=1.0 if i else 0.3, thickness_um=35, depth=i / 3)
        for i in range(4)
    )
    vias = tuple(Via(14.65 + 0.35 * (i % 3), 11.65 + 0.35 * (i // 3), 0.3) for i in range(9))
    part = PlacedPart(
        ref="U1",
        package=package_named("QFN-20"),
        x_mm=15,
        y_mm=12,
        rotation_deg=0,
        side=Side.TOP,
        alloy="Sn63Pb37",
    )
    moves = (
        Move(deed=Deed.CLOSE, seconds=30.0, over=("U1",), height_mm=12.0, path=NozzlePath.FIXED),
        Move(deed=Deed.WITHDRAW, seconds=3.0),
    )
    scene = Scene(
        board=BoardStack(width_mm=30, height_mm=24, thickness_mm=1.6, copper=copper, vias=vias),
        parts=(part,),
        source=HotAir(nozzle_mm=6, outlet_c=380, flow_lpm=40),
        moves=moves,
        targets=("U1",),
    )
    usual = rehearse(scene)
    tenth = rehearse(
        scene, replace(FINE, max_step_s=0.00167, part_step_s=0.005, single_precision=False)
    )
    for a, b in zip(usual.joints, tenth.joints, strict=True):
        assert a.peak_c == pytest.approx(b.peak_c, abs=0.7)
        assert a.melt_end_s == pytest.approx(b.melt_end_s, rel=0.012)


def tiny(package: str, outlet_c: float) -> Scene:
    copper = (
        CopperLayer(layer="top", coverage=0.3, thickness_um=35, depth=0.0),
        CopperLayer(layer="bottom", coverage=0.6, thickness_um=35, depth=1.0),
    )
    parts = tuple(
        PlacedPart(
            ref=f"R{i}",
            package=package_named(package),
            x_mm=8 + 4 * i,
            y_mm=12,
            rotation_deg=0,
            side=Side.TOP,
            alloy="Sn63Pb37",
        )
        for i in range(3)
    )
    moves = (
        Move(deed=Deed.CLOSE, seconds=25.0, over=("R1",), height_mm=12.0, circle_mm=3.0),
        Move(deed=Deed.WITHDRAW, seconds=5.0),
    )
    return Scene(
        board=BoardStack(width_mm=30, height_mm=24, thickness_mm=1.6, copper=copper),
        parts=parts,
        source=HotAir(nozzle_mm=6, outlet_c=outlet_c, flow_lpm=30),
        moves=moves,
        targets=("R1",),
    )


@pytest.mark.parametrize("grid", GRIDS)
@pytest.mark.parametrize("package", ["0201", "0402"])
def test_a_tiny_body_gets_hotter_with_the_air_and_never_hotter_than_its_curve(
    package: str, grid: str
) -> None:
    """Peaks rise evenly from one setting to the next, through the settings at which its joints just
    melt; once they jumped by 60 K.
    """
    runs = [
        rehearse(tiny(package, outlet), GRIDS[grid]) for outlet in np.linspace(230.0, 330.0, 11)
    ]
    peaks = [run.part("R1").body_peak_c for run in runs]
    rises = [b - a for a, b in pairwise(peaks)]
    assert min(rises) > 2.0
    assert max(rises) < 14.0
    assert all(
        run.part("R1").body_peak_c <= run.body_c[:, 1].max() + 0.5 + 4.0 * GRIDS[grid].sample_s
        for run in runs
    )


def test_harm_on_the_window_of_a_tiny_chip_has_one_border() -> None:
    dwells = tuple(float(value) for value in np.geomspace(6, 40, 12))
    first_harms = []
    for height in (10.0, 11.0, 12.0, 13.0, 14.0, 15.0):
        fates = [
            one.fate
            for one in window_column(
                tiny("0201", 380.0), Axis.HEIGHT, height, dwells, WINDOW_RESOLUTION
            ).outcomes
        ]
        harm = [fate is Fate.HARM for fate in fates]
        assert harm == sorted(harm)
        first_harms.append(harm.index(True) if any(harm) else len(dwells))
    assert first_harms == sorted(first_harms)


def on_a_plate(package: str, set_c: float) -> Scene:
    board = BoardStack(
        width_mm=30,
        height_mm=24,
        thickness_mm=1.6,
        copper=(
            CopperLayer(layer="top", coverage=0.3, thickness_um=35, depth=0.0),
            CopperLayer(layer="bottom", coverage=0.6, thickness_um=35, depth=1.0),
        ),
    )
    parts = (
        PlacedPart(
            ref="U1",
            package=package_named("SOIC-8"),
            x_mm=15,
            y_mm=12,
            rotation_deg=0,
            side=Side.TOP,
            alloy="Sn63Pb37",
        ),
        PlacedPart(
            ref="D1",
            package=package_named(package),
            x_mm=8,
            y_mm=12,
            rotation_deg=0,
            side=Side.BOTTOM,
            alloy="Sn63Pb37",
        ),
        PlacedPart(
            ref="R2",
            package=package_named("0402"),
            x_mm=22,
            y_mm=12,
            rotation_deg=0,
            side=Side.BOTTOM,
            alloy="Sn63Pb37",
        ),
    )
    return Scene(
        board=board,
        parts=parts,
        source=HotPlate(set_c=set_c, start_c=set_c),
        moves=(Move(deed=Deed.PLATE, seconds=120.0),),
        targets=("U1",),
    )


def test_a_body_that_lies_on_the_plate_is_hotter_than_its_board_and_a_shy_one_is_told() -> None:
    scene = on_a_plate("LED 3528", 320.0)
    result = rehearse(scene)
    lying = result.body_c[-1, 1]
    assert lying > result.frames_c[-1].max()
    assert 240 < lying < 321
    assert result.energy.closes
    assert any(
        event.kind is EventKind.LIMIT_PASSED and event.ref == "D1" for event in tell(scene, result)
    )


def test_warm_air_from_below_holds_a_board_near_its_own_temperature() -> None:
    """150 °C air at 25 W/m²K and the heater's own face in view; with a cold room in view it stayed
    at 82 °C.
    """
    moves = (Move(deed=Deed.PREHEAT, seconds=600.0),)
    scene = replace(small_scene(), moves=moves, preheater=Preheater(celsius=150.0))
    assert 92 < rehearse(scene, QUICK).frames_c[-1].mean() < 130


def test_a_melting_counts_once_until_the_joint_has_frozen() -> None:
    """A nozzle that sweeps far to and fro lets the joint fall into the mush at every turn."""
    scene = small_scene(outlet_c=400.0, height_mm=10.0)
    wide = Move(
        deed=Deed.CLOSE,
        seconds=60.0,
        over=("U1",),
        height_mm=10.0,
        circle_mm=9.0,
        circle_s=6.0,
        path=NozzlePath.ROWS,
    )
    result = rehearse(replace(scene, moves=(wide, Move(deed=Deed.WITHDRAW, seconds=40.0))))
    column = {f"{joint.ref}.{joint.pin}": index for index, joint in enumerate(result.joints)}
    for joint in result.joints:
        solid = result.joint_c[:, column[f"{joint.ref}.{joint.pin}"]] < joint.liquidus_c - 0.5
        liquid = result.joint_c[:, column[f"{joint.ref}.{joint.pin}"]] > joint.liquidus_c + 0.5
        seen, was_solid = 0, True
        for is_solid, is_liquid in zip(solid, liquid, strict=True):
            if is_liquid and was_solid:
                seen, was_solid = seen + 1, False
            was_solid = was_solid or bool(is_solid)
        assert joint.melts in (seen, seen + 1)


def wide_scene(number: int) -> Scene:
    """A random board of 60 × 40 mm, its parts up to 50 mm from the air that circles over the first
    and then the last of them.
    """
    chance = np.random.default_rng(number)
    names = chance.choice(["0402", "0603", "1206", "SOIC-8", "QFN-20", "SOT-23"], 8)
    parts = tuple(
        PlacedPart(
            ref=f"P{i}",
            package=package_named(str(name)),
            x_mm=float(6 + 48 * (i % 4) / 3 + chance.uniform(-1.5, 1.5)),
            y_mm=float(10 + 20 * (i // 4) + chance.uniform(-2, 2)),
            rotation_deg=float(chance.choice([0, 90, 180])),
            side=Side.TOP,
            alloy="Sn63Pb37",
        )
        for i, name in enumerate(names)
    )
    copper = (
        CopperLayer(
            layer="top", coverage=float(chance.uniform(0.1, 0.8)), thickness_um=35, depth=0.0
        ),
        CopperLayer(
            layer="bottom", coverage=float(chance.uniform(0.2, 1.0)), thickness_um=35, depth=1.0
        ),
    )
    moves = (
        Move(
            deed=Deed.CLOSE,
            seconds=20.0,
            over=("P0",),
            height_mm=12.0,
            circle_mm=float(chance.uniform(0, 5)),
        ),
        Move(deed=Deed.CLOSE, seconds=10.0, over=("P7",), height_mm=14.0, circle_mm=2.0),
        Move(deed=Deed.WITHDRAW, seconds=8.0),
    )
    return Scene(
        board=BoardStack(
            width_mm=60, height_mm=40, thickness_mm=float(chance.choice([0.8, 1.6])), copper=copper
        ),
        parts=parts,
        source=HotAir(nozzle_mm=6, outlet_c=float(chance.uniform(320, 420)), flow_lpm=30),
        moves=moves,
        targets=("P0", "P7"),
    )


@pytest.mark.parametrize("number", range(4))
def test_parts_far_from_the_air_lose_nothing_by_their_slower_pace(
    number: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    scene = wide_scene(number)
    paces = drives.paces_of(scene, list(scene.moves))
    assert paces[0, 0] == paces[1, 7] == paces[2, 7] == 1
    assert paces[0, 7] == paces[1, 0] == paces[2, 0] == 3
    slower = rehearse(scene)
    monkeypatch.setattr(drives, "PACED_FROM_MM", np.array([np.inf]))
    together = rehearse(scene)
    for a, b in zip(slower.joints, together.joints, strict=True):
        assert a.peak_c == pytest.approx(b.peak_c, abs=1.0)
        assert (a.melt_end_s is None) == (b.melt_end_s is None)
        if a.melt_end_s is not None and b.melt_end_s is not None:
            assert a.melt_end_s == pytest.approx(b.melt_end_s, rel=0.005)
    for one, other in zip(slower.parts, together.parts, strict=True):
        assert one.body_peak_c == pytest.approx(other.body_peak_c, abs=1.0)
    assert abs(slower.energy.residual_j) < 2e-3 * slower.energy.put_in_j


def test_no_part_on_a_plate_is_stepped_slower() -> None:
    scene = replace(
        wide_scene(0),
        source=HotPlate(set_c=250),
        moves=(Move(deed=Deed.PLATE, seconds=20.0), Move(deed=Deed.WITHDRAW, seconds=5)),
    )
    assert (drives.paces_of(scene, list(scene.moves)) == 1).all()


def test_a_boards_tables_serve_another_air_and_nothing_else() -> None:
    """What an edit of the air reuses gives the same to the last digit; any other board does not."""
    scene = wide_scene(1)
    prepared = prepare(scene, QUICK)
    hotter = replace(
        scene,
        source=HotAir(nozzle_mm=8, outlet_c=400, flow_lpm=45),
        moves=(Move(deed=Deed.HOLD, seconds=25.0, over=("P3",), height_mm=15.0),),
    )
    assert prepared.serves(hotter, QUICK)
    reused = rehearse_prepared(replace(prepared, scene=hotter))
    anew = rehearse(hotter, QUICK)
    assert np.array_equal(reused.joint_c, anew.joint_c)
    assert reused.joints == anew.joints
    assert reused.energy == anew.energy
    others = (
        replace(scene, ambient_c=10.0),
        replace(scene, parts=scene.parts[:7], targets=("P0",), moves=scene.moves[:1]),
        replace(scene, board=replace(scene.board, thickness_mm=1.0)),
        replace(scene, parts=tuple(replace(part, alloy="Sn96.5Ag3Cu0.5") for part in scene.parts)),
        replace(scene, preheater=Preheater(celsius=150)),
        replace(scene, source=HotPlate(set_c=250), moves=(Move(deed=Deed.PLATE, seconds=20.0),)),
    )
    assert not any(prepared.serves(other, QUICK) for other in others)
    assert not prepared.serves(scene, FINE)
