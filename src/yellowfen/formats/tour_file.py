"""A tour as JSON, for the command line, the worker's steps and the page."""

from typing import Any

from yellowfen.core.heat.sureness import Band
from yellowfen.core.heat.tour import Tour
from yellowfen.core.heat.tour_search import Left
from yellowfen.core.heat.tour_walk import Walk


def walk_json(walk: Walk, left: tuple[Left, ...]) -> dict[str, Any]:
    """A tour on its way: what it comes to so far."""
    return {
        "total_s": walk.total_s,
        "stops": [{"over": list(move.over), "seconds": move.seconds} for move in walk.stops],
        "cold": list(walk.cold),
        "harmed": list(walk.harmed),
        "again": list(walk.again),
        "left": [{"ref": one.ref, "why": one.why} for one in left],
    }


def tour_json(tour: Tour) -> dict[str, Any]:
    """A whole tour: `stops[]` with `over`, `height_mm`, `seconds`, `flows[]` and more; times in s."""
    return {
        "from_below": tour.from_below,
        "warm_s": sum(move.seconds for move in tour.walk.warm),
        "total_s": tour.walk.total_s,
        "total_band_s": _band(tour.total),
        "stops": [
            {
                "over": list(stop.move.over),
                "awaits": list(stop.move.awaits),
                "height_mm": stop.move.height_mm,
                "circle_mm": stop.move.circle_mm,
                "seconds": stop.move.seconds,
                "band_s": _band(stop.took),
                "latest_s": None if stop.latest_s is None else round(stop.latest_s, 1),
                "latest_why": stop.latest_why,
                "flows": list(stop.flows),
                "watch": stop.watch,
            }
            for stop in tour.stops
        ],
        "left": [{"ref": one.ref, "why": one.why} for one in tour.left],
        "again": list(tour.walk.again),
        "near_limit": list(tour.walk.near),
        "harmed": list(tour.walk.harmed),
        "cold": list(tour.walk.cold),
        "samples": tour.count,
        "harmed_in": tour.harmed_in,
        "cold_in": tour.cold_in,
    }


def _band(band: Band) -> list[float | None]:
    return [None if at is None else round(at, 1) for at in (band.low, band.high)]
