"""Copper as spans: coverage and area against polygons, order of drawing, what hangs together."""

import math

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from shapely.geometry import LineString, Polygon, box

from yellowfen.core.board.spans import Draft, Spans, spans_of

POINT = st.tuples(st.floats(0.5, 19.5), st.floats(0.5, 9.5))


def drawn(*shapes: tuple[bool, object, float]) -> Spans:
    """Strokes (a path with a width) and areas (a ring with width 0) in order, on a board 20 x 10."""
    draft = Draft()
    for dark, path, width in shapes:
        if width:
            draft.stroke(dark, path, width)  # type: ignore[arg-type]
        else:
            draft.area(dark, [path])  # type: ignore[list-item]
    return spans_of(draft, (0.0, 0.0), 10.0)


@settings(max_examples=40)
@given(st.lists(POINT, min_size=3, max_size=3), POINT, POINT, st.floats(0.1, 2))
@example([(1.0, 1.0)] * 3, (1.0, 1.0), (0.5, 1.0), 2.0)  # reaches over the left edge
def test_union_of_a_triangle_and_a_stroke(
    corners: list[tuple[float, float]], a: tuple[float, float], b: tuple[float, float], width: float
) -> None:
    """Against shapely's exact overlay; an edge along the rows may be missed by half a row at its
    worst, top and bottom.
    """
    shape = (
        Polygon(corners)
        .union(LineString([a, b]).buffer(width / 2, quad_segs=64))
        .intersection(box(0, 0, 40, 10))
    )
    spans = drawn((True, corners, 0.0), (True, [a, b], width))
    miss = spans.row_mm * (
        max(x for x, _ in (*corners, a, b)) - min(x for x, _ in (*corners, a, b)) + width
    )
    assert spans.area_within(40) == pytest.approx(shape.area, rel=0.004, abs=miss)
    cells = spans.coverage(1.0, 10, 23)
    assert cells.min() >= 0
    assert cells.max() <= 1
    inside = shape.intersection(box(0, 0, 23, 10)).area
    assert cells.sum() == pytest.approx(inside, rel=0.004, abs=miss)
    for y in range(10):
        for x in range(20):
            assert cells[y, x] == pytest.approx(
                shape.intersection(box(x, y, x + 1, y + 1)).area, abs=0.03
            )


def test_lines_on_a_grid_do_not_all_err_to_one_side() -> None:
    """Thirty tracks 0.15 mm wide, seven and a half rows each: their sum is right to 0.3 %."""
    tracks = [(True, [(1.0, 0.5 + 0.3 * k), (19.0, 0.5 + 0.3 * k)], 0.15) for k in range(30)]
    exact = 30 * (18 * 0.15 + math.pi * 0.15**2 / 4)
    assert drawn(*tracks).area_mm2 == pytest.approx(exact, rel=3e-3)


def test_clear_takes_away_and_later_dark_adds_again() -> None:
    plane = [(0, 0), (20, 0), (20, 10), (0, 10)]
    spans = drawn((True, plane, 0.0), (False, [(5.0, 5.0)], 4.0), (True, [(5.0, 5.0)], 2.0))
    assert spans.area_mm2 == pytest.approx(200 - math.pi * 4 + math.pi, rel=1e-3)
    centre, moat, sheet = spans.label_at(np.array([[5.0, 5.0], [6.5, 5.0], [15.0, 5.0]]))
    assert moat == -1
    assert centre != sheet
    assert spans.label_areas[[centre, sheet]] == pytest.approx(
        [math.pi, 200 - math.pi * 4], rel=2e-3
    )


def test_touching_copper_has_one_label_and_a_gap_of_a_tenth_keeps_apart() -> None:
    spans = drawn(
        (True, [(1.0, 2.0), (6.0, 2.0)], 0.2),
        (True, [(6.0, 2.0), (6.0, 8.0)], 0.2),
        (True, [(1.0, 2.3), (5.7, 2.3)], 0.2),
    )
    first, second, third = spans.label_at(np.array([[1.0, 2.0], [6.0, 7.9], [1.0, 2.3]]))
    assert first == second != third


def test_a_ring_with_a_hole_and_parts_beyond_the_board() -> None:
    draft = Draft()
    draft.area(True, [[(-5, -5), (15, -5), (15, 15), (-5, 15)], [(2, 2), (2, 4), (4, 4), (4, 2)]])
    cells = spans_of(draft, (0.0, 0.0), 10.0).coverage(1.0, 10, 10)
    assert cells.sum() == pytest.approx(96.0, rel=1e-3)
    assert cells[2, 2] == pytest.approx(0.0, abs=0.02)
