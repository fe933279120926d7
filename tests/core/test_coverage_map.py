"""Exact coverage of cells by polygons."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Polygon, box

from yellowfen.core.board.coverage import coverage_map

POINT = st.tuples(st.floats(0.5, 19.5), st.floats(0.5, 9.5))


@settings(max_examples=60, deadline=None)
@given(st.lists(POINT, min_size=3, max_size=3))
def test_cells_agree_with_polygon_intersection(corners: list[tuple[float, float]]) -> None:
    shape = Polygon(corners)
    if shape.area < 0.05:
        return
    ring = list(shape.exterior.coords)[:-1] if shape.exterior.is_ccw else list(shape.exterior.coords)[:-1][::-1]
    cells = coverage_map([ring], (0.0, 0.0), 1.0, 10, 20)
    assert cells.sum() == pytest.approx(shape.area, rel=1e-9, abs=1e-9)
    for y in range(10):
        for x in range(20):
            assert cells[y, x] == pytest.approx(shape.intersection(box(x, y, x + 1, y + 1)).area, abs=1e-9)


def test_holes_and_parts_beyond_the_map() -> None:
    outer, hole = [(-5, -5), (15, -5), (15, 15), (-5, 15)], [(2, 2), (2, 4), (4, 4), (4, 2)]
    cells = coverage_map([outer, hole], (0.0, 0.0), 1.0, 10, 10)
    assert cells.sum() == pytest.approx(96.0)
    assert cells[2, 2] == pytest.approx(0.0)
