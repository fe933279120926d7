"""Points along the arcs of a Gerber file.

Chords are short enough that areas come out right to 0.05 %.
"""

import math

CHORD_MM, CHORD_TURN = 0.003, 0.05
LARGEST_RADIUS_MM = 10_000.0
Point = tuple[float, float]


def arc_points(
    start: Point, end: Point, offset: Point, clockwise: bool, single_quadrant: bool
) -> list[Point]:
    """Points from start to end about start + offset, both ends included.

    Raises ValueError for a centre beyond any board.
    """
    centre = (
        _single_quadrant_centre(start, end, offset, clockwise)
        if single_quadrant
        else (start[0] + offset[0], start[1] + offset[1])
    )
    radius = math.dist(start, centre)
    if not radius <= LARGEST_RADIUS_MM:
        raise ValueError(f"the centre of an arc lies {radius:.3g} mm away")
    first = math.atan2(start[1] - centre[1], start[0] - centre[0])
    sweep = _sweep(first, math.atan2(end[1] - centre[1], end[0] - centre[0]), clockwise)
    if start == end:
        sweep = 0.0 if single_quadrant else (-2 * math.pi if clockwise else 2 * math.pi)
    if radius < 1e-9:
        return [start, end]
    step = min(2 * math.acos(max(0.0, 1 - min(CHORD_MM / radius, 0.2))), CHORD_TURN)
    count = min(max(int(abs(sweep) / step) + 1, 2), 2000)
    far = math.dist(end, centre)
    middle = [
        _on_arc(centre, radius + (far - radius) * i / count, first + sweep * i / count)
        for i in range(1, count)
    ]
    return [start, *middle, end]


def _on_arc(centre: Point, radius: float, angle: float) -> Point:
    return centre[0] + radius * math.cos(angle), centre[1] + radius * math.sin(angle)


def _sweep(start: float, end: float, clockwise: bool) -> float:
    sweep = end - start
    if clockwise:
        return sweep if sweep < 0 else sweep - 2 * math.pi
    return sweep if sweep > 0 else sweep + 2 * math.pi


def _single_quadrant_centre(start: Point, end: Point, offset: Point, clockwise: bool) -> Point:
    """Offsets are unsigned in single-quadrant mode: the centre that gives equal radii and at most a
    quarter turn.
    """
    best, smallest = (start[0] + offset[0], start[1] + offset[1]), math.inf
    for sx in (1, -1):
        for sy in (1, -1):
            centre = (start[0] + sx * abs(offset[0]), start[1] + sy * abs(offset[1]))
            angle = math.atan2(start[1] - centre[1], start[0] - centre[0])
            sweep = abs(
                _sweep(angle, math.atan2(end[1] - centre[1], end[0] - centre[0]), clockwise)
            )
            miss = abs(math.dist(centre, start) - math.dist(centre, end))
            if sweep <= math.pi / 2 + 1e-3 and miss < smallest:
                best, smallest = centre, miss
    return best
