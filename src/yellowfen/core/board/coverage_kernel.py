"""The compiled loops of the coverage map: edges cut at cell borders, signed heights and areas added up."""

import numba


@numba.njit(cache=True, error_model="numpy")
def accumulate(edges, cover, area):
    """Add each edge's signed height (cover) and the area to the left of it within its cell (area), in cell units."""
    ny, nx = cover.shape
    for e in range(edges.shape[0]):
        x0, y0, x1, y1 = edges[e]
        if y0 == y1:
            continue
        sign = 1.0
        if y1 < y0:
            x0, y0, x1, y1 = x1, y1, x0, y0
            sign = -1.0
        slope = (x1 - x0) / (y1 - y0)
        if y0 < 0.0:
            x0 -= y0 * slope
            y0 = 0.0
        if y1 > ny:
            y1 = float(ny)
        row = int(y0)
        while y0 < y1 and row < ny:
            top = min(y1, row + 1.0)
            xa = x0
            xb = x0 + (top - y0) * slope
            _span(cover[row], area[row], xa, xb, (top - y0) * sign, nx)
            x0 = xb
            y0 = top
            row += 1


@numba.njit(cache=True, error_model="numpy")
def _span(cover, area, xa, xb, height, nx):
    """One edge piece within one row: split at cell borders."""
    if xa > xb:
        xa, xb = xb, xa
    run = xb - xa
    if xb <= 0.0:
        cover[0] += height
        area[0] += height
        return
    if xa >= nx:
        return
    at = xa
    while True:
        cell = int(at) if at >= 0.0 else -1
        stop = min(xb, cell + 1.0)
        share = height if run <= 0.0 else height * (stop - at) / run
        if cell < 0:
            cover[0] += share
            area[0] += share
        elif cell < nx:
            middle = 0.5 * (at + stop) - cell
            cover[cell] += share
            area[cell] += share * (1.0 - middle)
        if stop >= xb or cell >= nx:
            return
        at = stop
