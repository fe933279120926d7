"""The compiled loops of spans: shapes cut by rows, spans merged in drawing order, covered cells,
touching copper.
"""

import numba
import numpy as np

TOUCH_MM = 0.002


@numba.njit(cache=True, error_model="numpy")
def _rows_between(low, high, row_mm, count):
    """First and last + 1 of the rows whose strips a height range reaches."""
    first = int(np.floor(low / row_mm))
    last = int(np.floor(high / row_mm)) + 1
    return max(first, 0), min(last, count)


@numba.njit(cache=True, nogil=True, error_model="numpy")
def fill(kinds, darks, starts, stops, capsules, edges, rows_y, row_mm):
    """Spans (row, x0, x1, dark) of every shape, in drawing order."""
    count = len(rows_y)
    room = 1
    for c in range(len(capsules)):
        low, high = (
            min(capsules[c, 1], capsules[c, 3]) - capsules[c, 4],
            max(capsules[c, 1], capsules[c, 3]) + capsules[c, 4],
        )
        a, b = _rows_between(low, high, row_mm, count)
        room += max(b - a, 0)
    for e in range(len(edges)):
        a, b = _rows_between(
            min(edges[e, 1], edges[e, 3]), max(edges[e, 1], edges[e, 3]), row_mm, count
        )
        room += max(b - a, 0)
    row = np.empty(room, dtype=np.int32)
    x0 = np.empty(room)
    x1 = np.empty(room)
    dark = np.empty(room, dtype=np.bool_)
    n = 0
    for shape in range(len(kinds)):
        if kinds[shape] == 0:
            for c in range(starts[shape], stops[shape]):
                n = _capsule(capsules[c], rows_y, row_mm, darks[shape], row, x0, x1, dark, n)
        else:
            n = _polygon(
                edges[starts[shape] : stops[shape]],
                rows_y,
                row_mm,
                darks[shape],
                row,
                x0,
                x1,
                dark,
                n,
            )
    return row[:n], x0[:n], x1[:n], dark[:n]


@numba.njit(cache=True, error_model="numpy")
def _capsule(capsule, rows_y, row_mm, is_dark, row, x0, x1, dark, n):
    """A stroke cut by rows: the row's stretch within the radius of the middle line."""
    ax, ay, bx, by, r = capsule
    dx, dy = bx - ax, by - ay
    length = np.sqrt(dx * dx + dy * dy)
    first, last = _rows_between(min(ay, by) - r, max(ay, by) + r, row_mm, len(rows_y))
    for k in range(first, last):
        y = rows_y[k]
        low, high = np.inf, -np.inf
        for end in range(2):
            cx, cy = (ax, ay) if end == 0 else (bx, by)
            rest = r * r - (y - cy) * (y - cy)
            if rest > 0.0:
                half = np.sqrt(rest)
                low, high = min(low, cx - half), max(high, cx + half)
        if length > 0.0:
            nx, ny = -dy / length * r, dx / length * r
            for side in range(2):
                sign = 1.0 if side == 0 else -1.0
                y0, y1 = ay + sign * ny, by + sign * ny
                if (y0 - y) * (y1 - y) <= 0.0 and y0 != y1:
                    x = ax + sign * nx + (y - y0) / (y1 - y0) * dx
                    low, high = min(low, x), max(high, x)
        if high > low:
            row[n], x0[n], x1[n], dark[n] = k, low, high, is_dark
            n += 1
    return n


@numba.njit(cache=True, error_model="numpy")
def _polygon(edges, rows_y, row_mm, is_dark, row, x0, x1, dark, n):
    """Even-odd filling of rings cut by rows."""
    low, high = np.inf, -np.inf
    for e in range(len(edges)):
        low, high = min(low, edges[e, 1]), max(high, edges[e, 1])
    first, last = _rows_between(low, high, row_mm, len(rows_y))
    if last <= first:
        return n
    tally = np.zeros(last - first + 1, dtype=np.int64)
    for e in range(len(edges)):
        a, b = min(edges[e, 1], edges[e, 3]), max(edges[e, 1], edges[e, 3])
        k0, k1 = _rows_between(a, b, row_mm, len(rows_y))
        for k in range(k0, k1):
            if a <= rows_y[k] < b:
                tally[k - first + 1] += 1
    for k in range(1, len(tally)):
        tally[k] += tally[k - 1]
    crossings = np.empty(tally[-1])
    used = np.zeros(last - first, dtype=np.int64)
    for e in range(len(edges)):
        a, b = min(edges[e, 1], edges[e, 3]), max(edges[e, 1], edges[e, 3])
        k0, k1 = _rows_between(a, b, row_mm, len(rows_y))
        for k in range(k0, k1):
            y = rows_y[k]
            if a <= y < b:
                at = tally[k - first] + used[k - first]
                crossings[at] = edges[e, 0] + (y - edges[e, 1]) / (edges[e, 3] - edges[e, 1]) * (
                    edges[e, 2] - edges[e, 0]
                )
                used[k - first] += 1
    for k in range(first, last):
        line = crossings[tally[k - first] : tally[k - first + 1]]
        line.sort()
        for pair in range(len(line) // 2):
            if line[2 * pair + 1] > line[2 * pair]:
                row[n], x0[n], x1[n], dark[n] = k, line[2 * pair], line[2 * pair + 1], is_dark
                n += 1
    return n


@numba.njit(cache=True, nogil=True, error_model="numpy")
def merge(row, x0, x1, dark, count):
    """Spans of each row put together in drawing order: (first of each row, x0, x1)."""
    n = len(row)
    first = np.zeros(count + 1, dtype=np.int64)
    for i in range(n):
        first[row[i] + 1] += 1
    for k in range(count):
        first[k + 1] += first[k]
    used = first.copy()
    b0, b1, shade = np.empty(n), np.empty(n), np.empty(n, dtype=np.bool_)
    for i in range(n):
        at = used[row[i]]
        b0[at], b1[at], shade[at] = x0[i], x1[i], dark[i]
        used[row[i]] += 1
    out_first = np.zeros(count + 1, dtype=np.int64)
    out0, out1 = np.empty(2 * n + 1), np.empty(2 * n + 1)
    total = 0
    for k in range(count):
        i, last = first[k], first[k + 1]
        have0, have1 = b0[i:i], b1[i:i]
        while i < last:
            j = i
            while j < last and shade[j] == shade[i]:
                j += 1
            run0, run1 = b0[i:j], b1[i:j]
            _sort(run0, run1)
            if shade[i]:
                have0, have1 = _joined(have0, have1, run0, run1)
            else:
                have0, have1 = _cut(have0, have1, run0, run1)
            i = j
        for one in range(len(have0)):
            out0[total], out1[total] = have0[one], have1[one]
            total += 1
        out_first[k + 1] = total
    return out_first, out0[:total].copy(), out1[:total].copy()


@numba.njit(cache=True, error_model="numpy")
def _sort(low, high):
    """Sort spans by their left end, in place (shell sort: rows hold tens to hundreds)."""
    n = len(low)
    gap = 1
    while gap < n // 3:
        gap = 3 * gap + 1
    while gap > 0:
        for i in range(gap, n):
            a, b = low[i], high[i]
            j = i
            while j >= gap and low[j - gap] > a:
                low[j], high[j] = low[j - gap], high[j - gap]
                j -= gap
            low[j], high[j] = a, b
        gap //= 3


@numba.njit(cache=True, error_model="numpy")
def _joined(a0, a1, b0, b1):
    """Two sorted lists of spans, the first without overlaps, as one without overlaps."""
    out0, out1 = np.empty(len(a0) + len(b0)), np.empty(len(a0) + len(b0))
    n = i = j = 0
    while i < len(a0) or j < len(b0):
        if j >= len(b0) or (i < len(a0) and a0[i] <= b0[j]):
            low, high = a0[i], a1[i]
            i += 1
        else:
            low, high = b0[j], b1[j]
            j += 1
        if n and low <= out1[n - 1] + TOUCH_MM:
            out1[n - 1] = max(out1[n - 1], high)
        else:
            out0[n], out1[n] = low, high
            n += 1
    return out0[:n], out1[:n]


@numba.njit(cache=True, error_model="numpy")
def _cut(a0, a1, b0, b1):
    """Spans a without what the spans b (sorted, may overlap) cover."""
    out0, out1 = np.empty(len(a0) + len(b0)), np.empty(len(a0) + len(b0))
    n = j = 0
    for i in range(len(a0)):
        low, high = a0[i], a1[i]
        while j < len(b0) and b1[j] <= low:
            j += 1
        at = j
        while at < len(b0) and b0[at] < high:
            if b1[at] > low:
                if b0[at] > low:
                    out0[n], out1[n] = low, b0[at]
                    n += 1
                low = b1[at]
            at += 1
        if low < high:
            out0[n], out1[n] = low, high
            n += 1
    return out0[:n], out1[:n]


@numba.njit(cache=True, nogil=True, error_model="numpy")
def cover(first, x0, x1, cell_rows, cell_mm, cells):
    """Add the length of every span to the cells it lies in (mm of span per cell)."""
    ny, nx = cells.shape
    for k in range(len(first) - 1):
        y = cell_rows[k]
        if y < 0 or y >= ny:
            continue
        for s in range(first[k], first[k + 1]):
            low, high = max(x0[s], 0.0), min(x1[s], nx * cell_mm)
            cell = int(low / cell_mm)
            while low < high and cell < nx:
                stop = min(high, (cell + 1) * cell_mm)
                cells[y, cell] += stop - low
                low = stop
                cell += 1


@numba.njit(cache=True, error_model="numpy")
def _root(parent, i):
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@numba.njit(cache=True, nogil=True, error_model="numpy")
def components(first, x0, x1):
    """Labels 0, 1 … of spans that hang together from row to row."""
    parent = np.arange(len(x0))
    for k in range(len(first) - 2):
        i, j = first[k], first[k + 1]
        while i < first[k + 1] and j < first[k + 2]:
            if x0[i] <= x1[j] + TOUCH_MM and x0[j] <= x1[i] + TOUCH_MM:
                a, b = _root(parent, i), _root(parent, j)
                if a != b:
                    parent[max(a, b)] = min(a, b)
            if x1[i] < x1[j]:
                i += 1
            else:
                j += 1
    names = np.full(len(x0), -1, dtype=np.int64)
    labels = np.empty(len(x0), dtype=np.int64)
    known = 0
    for i in range(len(x0)):
        root = _root(parent, i)
        if names[root] < 0:
            names[root] = known
            known += 1
        labels[i] = names[root]
    return labels


@numba.njit(cache=True, error_model="numpy")
def find(first, x0, x1, labels, rows, xs):
    """The label of the span over each place, looking one row up and down too; −1 where there is
    none.
    """
    found = np.full(len(rows), -1, dtype=np.int64)
    for p in range(len(rows)):
        for step in (0, -1, 1):
            k = rows[p] + step
            if found[p] >= 0 or k < 0 or k >= len(first) - 1:
                continue
            low, high = first[k], first[k + 1]
            while low < high:
                middle = (low + high) // 2
                if x1[middle] < xs[p]:
                    low = middle + 1
                else:
                    high = middle
            if low < first[k + 1] and x0[low] <= xs[p]:
                found[p] = labels[low]
    return found


@numba.njit(cache=True, error_model="numpy")
def along(ring, outward, places):
    """Fill places (n, 2) with evenly spaced points along a closed ring, moved outward."""
    n = len(ring)
    total, area = 0.0, 0.0
    for i in range(n):
        ax, ay, bx, by = ring[i, 0], ring[i, 1], ring[(i + 1) % n, 0], ring[(i + 1) % n, 1]
        total += np.hypot(bx - ax, by - ay)
        area += ax * by - bx * ay
    turn = outward if area > 0 else -outward
    edge, passed = 0, 0.0
    for p in range(len(places)):
        at = (p + 0.5) / len(places) * total
        while True:
            ax, ay, bx, by = (
                ring[edge, 0],
                ring[edge, 1],
                ring[(edge + 1) % n, 0],
                ring[(edge + 1) % n, 1],
            )
            length = np.hypot(bx - ax, by - ay)
            if passed + length >= at or edge == n - 1:
                break
            passed += length
            edge += 1
        if length > 0.0:
            ux, uy = (bx - ax) / length, (by - ay) / length
            places[p, 0] = ax + ux * (at - passed) + uy * turn
            places[p, 1] = ay + uy * (at - passed) - ux * turn
        else:
            places[p, 0], places[p, 1] = ax, ay
