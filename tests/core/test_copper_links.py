"""Copper as drawn: what it passes from cell to cell, against closed forms and against the same
copper solved on fine cells.
"""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import coo_matrix
from scipy.sparse.linalg import spsolve

from yellowfen.core.board import spans
from yellowfen.core.board.board import Board
from yellowfen.core.board.copper_links import (
    FLOOR,
    CopperLinks,
    links_of_raster,
    links_of_spans,
    unpacked,
)
from yellowfen.core.board.drawn_copper import drawn_copper
from yellowfen.core.heat.grid import make_grid
from yellowfen.core.heat.scene import BoardStack, CopperLayer

PER_CELL = 16


def raster(*boxes: tuple[float, float, float, float], size: tuple[int, int] = (4, 6)) -> np.ndarray:
    """Copper boxes (x0, y0, x1, y1 in cells) drawn with 16 squares a cell."""
    sheet = np.zeros((size[0] * PER_CELL, size[1] * PER_CELL))
    for x0, y0, x1, y1 in boxes:
        sheet[
            round(y0 * PER_CELL) : round(y1 * PER_CELL), round(x0 * PER_CELL) : round(x1 * PER_CELL)
        ] = 1.0
    return sheet


def copper(links: CopperLinks) -> tuple[np.ndarray, np.ndarray]:
    return links.along_x - FLOOR, links.along_y - FLOOR


def test_full_copper_counts_one_and_none_counts_nothing() -> None:
    for share, expected in ((raster((0, 0, 6, 4)), 1.0), (raster(), 0.0)):
        for part in copper(links_of_raster(share, 4, 6)):
            assert np.allclose(part, expected, atol=1e-6)


def test_a_straight_track_conducts_by_its_width_along_it_and_hardly_across() -> None:
    along_x, along_y = copper(links_of_raster(raster((0, 1.25, 6, 1.75)), 4, 6))
    assert np.allclose(along_x[1], 0.5, atol=0.01)
    assert np.allclose(along_x[[0, 2, 3]], 0.0, atol=1e-6)
    assert along_y.max() < 0.03


def test_a_gap_between_two_pours_on_the_border_of_cells_conducts_as_laminate() -> None:
    """An eighth of a cell of laminate between copper on both sides: 1 / (7/8 + 1/8 / FLOOR), as a
    series.
    """
    sheet = raster((0, 0, 2.9375, 4), (3.0625, 0, 6, 4))
    along_x, _ = links_of_raster(sheet, 4, 6).along_x, None
    series = 1.0 / (0.875 / (1.0 + FLOOR) + 0.125 / FLOOR)
    assert np.allclose(along_x[:, 2], series, rtol=0.02)
    assert np.allclose(along_x[:, [0, 1, 3, 4]] - FLOOR, 1.0, atol=0.01)


@settings(max_examples=40)
@given(seed=st.integers(0, 10**6), share=st.floats(0.1, 0.9))
def test_more_copper_never_conducts_less_and_turning_the_board_turns_the_links(
    seed: int, share: float
) -> None:
    chance = np.random.default_rng(seed)
    sheet = np.kron((chance.random((16, 24)) < share).astype(float), np.ones((4, 4)))
    more = np.maximum(
        sheet, np.kron((chance.random((16, 24)) < 0.2).astype(float), np.ones((4, 4)))
    )
    a, b = links_of_raster(sheet, 4, 6), links_of_raster(more, 4, 6)
    assert (
        b.along_x >= a.along_x * 0.96
    ).all()  # where the two bounds are close their mean stands in for the solution
    assert (b.along_y >= a.along_y * 0.96).all()
    assert (a.along_x > 0.9 * FLOOR).all()
    assert (a.along_x < 1.0 + FLOOR + 1e-6).all()
    turned = links_of_raster(np.ascontiguousarray(sheet.T), 6, 4)
    assert np.allclose(turned.along_y.T, a.along_x, rtol=1e-3)
    flipped = links_of_raster(np.ascontiguousarray(sheet[:, ::-1]), 4, 6)
    assert np.allclose(flipped.along_x, a.mirrored().along_x, rtol=1e-3)


def test_kept_as_text_links_come_back_as_they_were() -> None:
    links = links_of_raster(raster((0, 0, 2.9, 4), (3.2, 1, 6, 3)), 4, 6)
    again = unpacked(links.packed(), 4, 6)
    assert np.abs(again.along_x - links.along_x).max() < 0.005
    assert np.abs(again.along_y - links.along_y).max() < 0.005


def conductance(share: np.ndarray) -> float:
    """From edge to edge in x, one unknown a square, with the laminate's floor everywhere."""
    k = share + FLOOR
    return network(
        2 * k[:, :-1] * k[:, 1:] / (k[:, :-1] + k[:, 1:]),
        2 * k[:-1] * k[1:] / (k[:-1] + k[1:]),
        2 * k[:, 0],
        2 * k[:, -1],
    )


def network(along_x: np.ndarray, along_y: np.ndarray, left: np.ndarray, right: np.ndarray) -> float:
    ny, nx = along_x.shape[0], along_y.shape[1]
    at = np.arange(ny * nx).reshape(ny, nx)
    a, b = (
        np.concatenate([at[:, :-1].ravel(), at[:-1].ravel()]),
        np.concatenate([at[:, 1:].ravel(), at[1:].ravel()]),
    )
    g = np.concatenate([along_x.ravel(), along_y.ravel()])
    own = np.bincount(a, g, ny * nx) + np.bincount(b, g, ny * nx)
    own[at[:, 0]] += left
    own[at[:, -1]] += right
    put = np.zeros(ny * nx)
    put[at[:, 0]] = left
    matrix = coo_matrix(
        (
            np.concatenate([-g, -g, own]),
            (np.concatenate([a, b, at.ravel()]), np.concatenate([b, a, at.ravel()])),
        )
    ).tocsc()
    return float((right * spsolve(matrix, put, permc_spec="MMD_AT_PLUS_A")[at[:, -1]]).sum())


@pytest.mark.parametrize(("side", "overstated"), [("top", 1.5), ("bottom", 1.02)])
def test_patches_of_the_demo_board_pass_what_their_drawing_passes(
    demo_board: Board, side: str, overstated: float
) -> None:
    """12 mm patches on 1 mm cells against the drawing on 0.05 mm ones: within a fifth in the
    median; coverage alone overstates it.
    """
    fine = drawn_copper(demo_board, side)
    assert fine is not None
    by_links, by_cover = [], []
    for y in range(0, fine.shape[0] - 240, 240):
        for x in range(0, fine.shape[1] - 240, 240):
            piece = (fine[y : y + 240, x : x + 240] >= 0.5).astype(float)
            true = conductance(piece)
            foil = CopperLayer(
                layer="top",
                coverage=piece,
                thickness_um=35,
                depth=0.0,
                links=links_of_raster(piece, 24, 24),
            )
            by_links.append(through_grid(foil, piece) / true)
            cover = piece.reshape(12, 20, 12, 20).mean((1, 3))
            by_cover.append(conductance(cover) / true)
    assert 0.9 < np.median(by_links) < 1.2
    assert max(by_links) < 1.8
    assert min(by_links) > 0.75
    assert np.median(by_cover) > overstated


def through_grid(foil: CopperLayer, piece: np.ndarray) -> float:
    """Edge to edge through the heat grid's own conductances at 1 mm, in units of full copper."""
    grid = make_grid(
        BoardStack(width_mm=12, height_mm=12, thickness_mm=1.6, copper=(foil,)), 1.0, 3
    )
    full = 35e-6 * 395.0
    gx, gy = (values[0].reshape(grid.ny + 2, grid.nx + 2) / full for values in (grid.gx, grid.gy))
    k = piece + FLOOR
    ends = [
        20 / np.sum(1 / half.reshape(12, 20, 10).mean(1), axis=1)
        for half in (k[:, :10], k[:, -10:])
    ]
    return network(gx[1:-1, 1:-2], gy[1:-2, 1:-1], ends[0], ends[1])


@pytest.mark.parametrize("row_mm", [0.02, 0.03, 0.04, 0.05])
def test_a_pour_conducts_as_one_however_far_apart_the_rows_of_its_drawing_lie(
    row_mm: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Rich drawings are read on rows farther apart, which are scattered besides."""
    monkeypatch.setattr(spans, "ROW_MM", row_mm)
    monkeypatch.setattr(spans, "COARSE_ROW_MM", row_mm)
    draft = spans.Draft()
    draft.area(True, [[(0.0, 0.0), (12.0, 0.0), (12.0, 9.0), (0.0, 9.0)]])
    drawn = spans.spans_of(draft, (0.0, 0.0), 9.0)
    assert drawn.row_mm == row_mm
    for part in copper(links_of_spans(drawn, (0.5, 0.5), 18, 24)):
        assert np.allclose(part, 1.0, atol=1e-6)
