"""Copper round one pad as boards are usually drawn: on its own track, on spokes in a pour, or
joined to the pour all round.

What an iron asks of a joint hangs on these tenths of a millimetre, and a board's maps of copper do
not have them.
"""

from enum import StrEnum

import numpy as np

from yellowfen.core.heat.scene import Array
from yellowfen.core.part.package import Land, Package
from yellowfen.core.source.mark import Mark, constant

RASTER_MM = 0.05
_P = Mark.COMMON_PRACTICE
CLEARANCE_MM = constant(
    "pour_clearance",
    0.2,
    "mm",
    mark=_P,
    source="from a pour to what is not its net",
    affects="seconds an iron needs on a plane",
)
GAP_MM = constant(
    "relief_gap",
    0.25,
    "mm",
    mark=_P,
    source="round a pad with thermal relief",
    affects="seconds an iron needs through a relief",
)
SPOKE_MM = constant(
    "relief_spoke",
    0.25,
    "mm",
    mark=_P,
    source="width of each of four spokes",
    affects="seconds an iron needs through a relief",
)
TRACK_MM = constant(
    "signal_track",
    0.2,
    "mm",
    mark=_P,
    source="width of a signal track, never wider than the pad",
    affects="seconds an iron needs at a signal pin",
)
TRACK_LONG_MM = 4.0


class Tie(StrEnum):
    """What a pad's copper leads to."""

    SIGNAL = "signal"
    RELIEF = "relief"
    PLANE = "plane"


def copper_round(
    package: Package, land: Land, tie: Tie, size_x_mm: float, size_y_mm: float
) -> Array:
    """Coverage 0..1 of a rectangle of board with the land in its middle, in the part's own frame;
    rows from the lower edge up.

    Cells of about `RASTER_MM`; edges that fall within a cell cover it in part.
    """
    sheet = _Sheet(land, size_x_mm, size_y_mm)
    others = [one for one in package.lands if one is not land]
    pads = sheet.over(*package.lands)
    if tie is Tie.SIGNAL:
        return np.maximum(pads, sheet.track(package))
    free = 1.0 - sheet.over(*others, grown_mm=CLEARANCE_MM)
    if tie is Tie.PLANE:
        return np.maximum(pads, free)
    hole = sheet.over(land, grown_mm=GAP_MM)
    within = (land.size_x_mm / 2 + GAP_MM, land.size_y_mm / 2 + GAP_MM)
    across, along = (
        sheet.box(-within[0], within[0], -SPOKE_MM / 2, SPOKE_MM / 2),
        sheet.box(-SPOKE_MM / 2, SPOKE_MM / 2, -within[1], within[1]),
    )
    spokes = np.minimum(np.maximum(across, along), free)
    return np.maximum(np.maximum(pads, free * (1.0 - hole)), spokes)


class _Sheet:
    """Shares of cells under rectangles, measured from a land in the middle."""

    def __init__(self, land: Land, size_x_mm: float, size_y_mm: float) -> None:
        self.land = land
        self.x = np.linspace(
            -size_x_mm / 2, size_x_mm / 2, max(2, round(size_x_mm / RASTER_MM)) + 1
        )
        self.y = np.linspace(
            -size_y_mm / 2, size_y_mm / 2, max(2, round(size_y_mm / RASTER_MM)) + 1
        )

    def box(self, left: float, right: float, low: float, high: float) -> Array:
        return self.boxes([(left, right, low, high)])

    def over(self, *lands: Land, grown_mm: float = 0.0) -> Array:
        """Under any of these lands, each grown on all sides."""
        places = []
        for land in lands:
            x, y = land.x_mm - self.land.x_mm, land.y_mm - self.land.y_mm
            half_x, half_y = land.size_x_mm / 2 + grown_mm, land.size_y_mm / 2 + grown_mm
            places.append((x - half_x, x + half_x, y - half_y, y + half_y))
        return self.boxes(places)

    def boxes(self, places: list[tuple[float, float, float, float]]) -> Array:
        """Under any of these rectangles: left, right, low, high."""
        whole = np.zeros((len(self.y) - 1, len(self.x) - 1))
        for left, right, low, high in places:
            columns, rows = _between(self.x, left, right), _between(self.y, low, high)
            part = np.outer(
                _shares(self.y[rows.start : rows.stop + 1], low, high),
                _shares(self.x[columns.start : columns.stop + 1], left, right),
            )
            np.maximum(whole[rows, columns], part, out=whole[rows, columns])
        return whole

    def track(self, package: Package) -> Array:
        """A track out of the pad, away from the body."""
        land, half = self.land, min(TRACK_MM, self.land.size_x_mm, self.land.size_y_mm) / 2
        if package.beside(land):
            long = land.size_x_mm / 2 + TRACK_LONG_MM
            return (
                self.box(-long, 0, -half, half) if land.x_mm < 0 else self.box(0, long, -half, half)
            )
        long = land.size_y_mm / 2 + TRACK_LONG_MM
        return self.box(-half, half, -long, 0) if land.y_mm < 0 else self.box(-half, half, 0, long)


def _between(lines: Array, low: float, high: float) -> slice:
    """The stretches between lines that two places reach into."""
    first, last = np.searchsorted(lines, (low, high))
    start = min(max(int(first) - 1, 0), len(lines) - 1)
    return slice(start, max(min(int(last), len(lines) - 1), start))


def _shares(lines: Array, low: float, high: float) -> Array:
    """How much of each stretch between lines lies between two places."""
    covered = np.minimum(lines[1:], high) - np.maximum(lines[:-1], low)
    return np.asarray(np.maximum(covered, 0.0) / np.diff(lines))
