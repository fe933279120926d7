"""What coarse cells have wrong of small pads: against SciPy, against closed cases, and forecasts on
the grid that is used against the drawing in quarter millimetres.
"""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import coo_matrix
from scipy.sparse.linalg import spsolve

from tests.conftest import DATA, files_in
from tests.fine_copper import drawn_finely, melts_s, true_melts_s
from yellowfen.core.board.board import Board, Ink
from yellowfen.core.board.copper_links import FLOOR
from yellowfen.core.board.drawn_copper import DrawnLayer
from yellowfen.core.heat import pad_cells
from yellowfen.core.heat.doubt import Doubts, sampled
from yellowfen.core.heat.grid import FineRound, make_grid
from yellowfen.core.heat.heat_plan import HeatPlan, usual_moves
from yellowfen.core.heat.pad_cells import coupling_of, couplings_of
from yellowfen.core.heat.pad_cells_kernel import solve
from yellowfen.core.heat.rehearsal import COARSE, FINE, QUICK, Resolution, rehearse
from yellowfen.core.heat.scene import (
    BoardStack,
    CopperLayer,
    Core,
    Deed,
    Move,
    PlacedPart,
    Scene,
    Side,
    near_the_heat,
    turned_over,
)
from yellowfen.core.heat.source import HotAir, HotPlate
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.work.board_scene import scene_of
from yellowfen.formats.board_files import read_board


@settings(max_examples=25, deadline=None)
@given(seed=st.integers(0, 10**6))
def test_the_solver_finds_what_a_reference_library_finds(seed: int) -> None:
    chance = np.random.default_rng(seed)
    layers, ny, nx = chance.integers(2, 5), *chance.integers(2, 9, 2)
    gx, gy = 10 ** chance.uniform(-4, -1, (2, layers, ny, nx))
    gx[:, :, -1], gy[:, -1, :] = 0.0, 0.0
    gz = 10 ** chance.uniform(-4, -1, (ny, nx))
    ground = np.where(chance.random((layers, ny, nx)) < 0.3, 1e-3, 0.0)
    ground[0, 0, 0] = 1e-3
    source = chance.normal(0.0, 1.0, (layers, ny, nx))
    field = solve(gx, gy, gz, ground, source, 1e-10)
    cells = np.arange(field.size).reshape(field.shape)
    one = np.concatenate([cells[:, :, :-1].ravel(), cells[:, :-1].ravel(), cells[:-1].ravel()])
    two = np.concatenate([cells[:, :, 1:].ravel(), cells[:, 1:].ravel(), cells[1:].ravel()])
    through = np.broadcast_to(gz, (layers - 1, ny, nx))
    g = np.concatenate([gx[:, :, :-1].ravel(), gy[:, :-1].ravel(), through.ravel()])
    of = np.concatenate([one, two]), np.concatenate([two, one])
    links = coo_matrix((np.concatenate([g, g]), of), shape=(field.size,) * 2).tocsr()
    matrix = -links
    matrix.setdiag(np.asarray(links.sum(axis=1)).ravel() + ground.ravel())
    there = spsolve(matrix.tocsc(), source.ravel()).reshape(field.shape)
    assert np.abs(field - there).max() < 1e-6 * np.abs(there).max()
    assert (ground * field).sum() == pytest.approx(source.sum(), abs=1e-6 * np.abs(source).sum())


def ring(left: float, low: float, right: float, high: float, hole: bool = False) -> str:
    corners = [(left, low), (right, low), (right, high), (left, high)]
    flat = (f"{round(100 * x)} {round(100 * y)}" for x, y in (corners[::-1] if hole else corners))
    return f"M{' '.join(flat)}Z"


def board_drawn_with(*inks: Ink) -> BoardStack:
    drawing = DrawnLayer(inks, 20.0)
    cover, links = drawing.piece(0.0, 0.0, (20.0, 16.0), 32, 40)
    foil = CopperLayer(
        layer="top", coverage=cover, thickness_um=35, depth=0.0, links=links, drawing=drawing
    )
    return BoardStack(width_mm=20, height_mm=16, thickness_mm=1.6, copper=(foil,))


def chip_at(x_mm: float, y_mm: float, rotation_deg: float = 0.0) -> PlacedPart:
    return PlacedPart(
        ref="R1",
        package=package_named("0603"),
        x_mm=x_mm,
        y_mm=y_mm,
        rotation_deg=rotation_deg,
        side=Side.TOP,
        alloy="Sn63Pb37",
    )


def pads_of(part: PlacedPart) -> Iterator[tuple[float, float, float, float]]:
    for land in part.package.lands:
        x, y = part.on_board(land.x_mm, land.y_mm)
        yield x, y, land.size_x_mm / 2, land.size_y_mm / 2


def test_islands_in_a_pour_pass_on_less_than_coarse_cells_say_and_a_solid_pour_does_not() -> None:
    part = chip_at(10.3, 8.2)
    solid = board_drawn_with(Ink(ring(0, 0, 20, 16)))
    gaps = [
        Ink(ring(x - a - 0.2, y - b - 0.2, x + a + 0.2, y + b + 0.2), clear=True)
        for x, y, a, b in pads_of(part)
    ]
    pads = [Ink(ring(x - a, y - b, x + a, y + b)) for x, y, a, b in pads_of(part)]
    islands = board_drawn_with(Ink(ring(0, 0, 20, 16)), *gaps, *pads)
    in_pour, apart = (
        coupling_of(board, part, make_grid(board, 1.0, 4), 1.0) for board in (solid, islands)
    )
    assert in_pour is not None
    assert apart is not None
    assert np.all((in_pour.eased > 0.8) & (in_pour.eased < 1.1))
    assert np.all(apart.eased < 0.6)


def test_cells_as_fine_as_the_drawing_have_little_wrong() -> None:
    board = board_drawn_with(Ink(ring(0, 0, 20, 7.6)), Ink("M950 800 1300 1100", 0.3))
    part = chip_at(10.0, 8.0, 90.0)
    wrong = []
    for cell_mm in (2.0, 1.0, 0.5):
        found = coupling_of(board, part, make_grid(board, cell_mm, 4), cell_mm)
        assert found is not None
        wrong.append(np.abs(1.0 / found.eased - 1.0).max())
    assert wrong[2] < 0.35 * wrong[0]
    assert wrong[2] < wrong[1]


def test_a_face_without_copper_a_metal_board_and_a_part_beside_the_outline_do_no_harm() -> None:
    cover, links = DrawnLayer((Ink(ring(0, 0, 2, 2)),), 20.0).piece(10, 8, (5.0, 4.0), 16, 20)
    assert not cover.any()
    assert np.allclose(links.along_x, FLOOR)
    usual = board_drawn_with(Ink(ring(0, 0, 20, 7.6)))
    boards = (
        replace(usual, core=Core.ALUMINIUM),
        replace(usual, outline=((0, 0), (6, 0), (6, 16), (0, 16))),
    )
    moves = (Move(deed=Deed.HOLD, seconds=20.0, over=("R1",), height_mm=15.0),)
    for board in boards:
        scene = Scene(
            board=board,
            parts=(chip_at(14.3, 8.2),),
            source=HotAir(nozzle_mm=6, outlet_c=350, flow_lpm=30),
            moves=moves,
            targets=("R1",),
        )
        for resolution in (FINE, COARSE):
            found = couplings_of(scene, resolution.cell_mm, resolution.layers, None)["R1"]
            assert np.all(np.isfinite(found.air_m2))
            assert np.all((found.eased >= pad_cells.LEAST) & (found.eased <= pad_cells.MOST + 1e-9))
            assert np.isfinite(rehearse(scene, resolution).part("R1").body_peak_c)


def test_a_board_turned_over_has_the_same_wrong() -> None:
    """Seen from below, mirrored; the drawing is scanned as before, so not to the last digit."""
    board = board_drawn_with(
        Ink(ring(0, 0, 20, 7.6)), Ink(ring(7, 8, 9, 9)), Ink("M1000 850 1700 1200", 0.3)
    )
    part = chip_at(9.3, 8.2, 30.0)
    moves = (Move(deed=Deed.HOLD, seconds=10.0, over=("R1",), height_mm=15.0),)
    scene = Scene(
        board=board,
        parts=(part,),
        source=HotAir(nozzle_mm=6, outlet_c=350, flow_lpm=30),
        moves=moves,
        targets=("R1",),
    )
    over = turned_over(scene)
    above, under, back = (
        couplings_of(one, 1.0, 4, None)["R1"] for one in (scene, over, turned_over(over))
    )
    assert np.allclose(above.eased, under.eased, rtol=0.03)
    assert not under.air_m2.any()
    assert above.air_m2.any()
    assert np.allclose(above.eased, back.eased, rtol=1e-6)
    assert np.allclose(above.air_m2, back.air_m2, atol=1e-12)


def test_only_under_hot_air_near_targets_on_drawn_copper_and_for_coarse_cells(
    demo_board: Board,
) -> None:
    scene = scene_of(demo_board, HeatPlan(targets=("U4",), moves=usual_moves(("U4",))))
    found = couplings_of(scene, 1.0, 4, None)
    assert "U4" in found
    assert len(found) < len(scene.parts)
    assert not couplings_of(scene, 0.25, 4, None)
    assert not couplings_of(scene, 1.0, 4, FineRound(10, 10, 5, 5))
    plate = replace(scene, source=HotPlate(set_c=250), moves=(Move(deed=Deed.PLATE, seconds=60.0),))
    assert not couplings_of(plate, 1.0, 4, None)
    guessed = replace(
        scene.board, copper=tuple(replace(foil, drawing=None) for foil in scene.board.copper)
    )
    assert not couplings_of(replace(scene, board=guessed), 1.0, 4, None)


def test_a_board_whose_copper_is_varied_has_the_known_ones(demo_board: Board) -> None:
    scene = scene_of(demo_board, HeatPlan(targets=("U4",), moves=usual_moves(("U4",))))
    varied = sampled(scene, Doubts(), {"copper": 1.0, "spread": 1.0})
    assert varied.board is not scene.board
    known, seen = (couplings_of(one, 2.0, 3, None) for one in (scene, varied))
    assert all(seen[ref] is one for ref, one in known.items())


@settings(max_examples=40, deadline=None)
@given(
    place=st.tuples(st.floats(0.0, 20.0), st.floats(0.0, 16.0)),
    turn=st.sampled_from([0.0, 90.0, 37.0, 270.0]),
    name=st.sampled_from(["0402", "0603", "SOT-23", "SOIC-8", "QFN-20", "TO-252"]),
    grid=st.sampled_from([(1.0, 4), (1.75, 3), (2.0, 3)]),
    side=st.sampled_from(list(Side)),
)
def test_wherever_a_part_lies_what_is_found_is_bounded_and_its_forecast_sound(
    place: tuple[float, float], turn: float, name: str, grid: tuple[float, int], side: Side
) -> None:
    board = board_drawn_with(
        Ink(ring(0, 0, 20, 7.6)), Ink(ring(6, 9, 9, 12)), Ink("M950 800 1300 1100", 0.3)
    )
    part = PlacedPart(
        ref="R1",
        package=package_named(name),
        x_mm=place[0],
        y_mm=place[1],
        rotation_deg=turn,
        side=side,
        alloy="Sn63Pb37",
    )
    found = coupling_of(board, part, make_grid(board, *grid), grid[0])
    if found is not None:
        assert np.all((found.eased >= pad_cells.LEAST - 1e-9) & np.isfinite(found.air_m2))
        assert np.all(found.eased <= pad_cells.MOST + 1e-9)
    moves = (Move(deed=Deed.HOLD, seconds=10.0, over=("R1",), height_mm=15.0),)
    scene = Scene(
        board=board,
        parts=(part,),
        source=HotAir(nozzle_mm=6, outlet_c=380, flow_lpm=40),
        moves=moves,
        targets=("R1",),
    )
    seen = rehearse(scene, Resolution(cell_mm=grid[0], layers=grid[1]))
    assert seen.energy.closes
    assert seen.part("R1").body_peak_c < 380.0


@pytest.mark.parametrize("name", ["two-sided", "regions"])
def test_whatever_the_board_what_is_found_is_bounded(name: str) -> None:
    board = read_board(files_in(DATA / "boards" / name), name)
    for side in ("top", "bottom"):
        targets = tuple(part.ref for part in board.parts if part.side == side)[:12]
        if not targets:
            continue
        scene = scene_of(board, HeatPlan(targets=targets, side=side, moves=usual_moves(targets)))
        for found in couplings_of(scene, 1.75, 3, None).values():
            assert np.all(np.isfinite(found.air_m2))
            assert np.all(found.eased >= pad_cells.LEAST - 1e-9)
            assert np.all(found.eased <= pad_cells.MOST + 1e-9)
            assert np.all(np.abs(found.air_m2) < 20e-6)


@pytest.mark.parametrize(
    ("ref", "hold_s"), [("R1", 24.0), ("R2", 20.0), ("R4", 25.0), ("Q1", 25.0)]
)
def test_forecasts_agree_with_the_drawing_in_quarter_millimetres(
    ref: str, hold_s: float, demo_board: Board
) -> None:
    """Parts whose melts the grid alone told 11 to 14 % late."""
    scene = scene_of(demo_board, HeatPlan(targets=(ref,), moves=usual_moves((ref,))))
    scene = near_the_heat(
        replace(scene, moves=(Move(deed=Deed.HOLD, seconds=hold_s, over=(ref,), height_mm=15.0),))
    )
    true = true_melts_s(scene, drawn_finely(scene.board), ref)
    first, last = melts_s(scene, FINE, ref) / true - 1.0
    assert abs(first) < 0.06
    assert abs(last) < 0.04
    for resolution in (QUICK, COARSE):
        assert np.abs(melts_s(scene, resolution, ref) / true - 1.0).max() < 0.14
