"""Ways off, a lift and the work at pads as JSON, for the command line, the worker's steps and the
pages.
"""

from typing import Any

from yellowfen.core.heat.sureness import Band
from yellowfen.core.rework.lift import LiftWindow
from yellowfen.core.rework.pads import PadsPlan
from yellowfen.core.rework.survey import Survey
from yellowfen.core.rework.ways_off import WayOff


def way_json(way: WayOff) -> dict[str, Any]:
    """One way off; times in s, temperatures in °C."""
    return {
        "way": str(way.way),
        "possible": way.possible,
        "why_not": way.why_not,
        "all_liquid_s": _rounded(way.all_liquid_s),
        "at_least": way.at_least,
        "stays_liquid_s": _rounded(way.stays_liquid_s, 2),
        "spread_s": _rounded(way.spread_s, 2),
        "last_pin": way.last_pin,
        "body_peak_c": _rounded(way.body_peak_c),
        "loose": list(way.loose),
        "falls": list(way.falls),
        "harmed": list(way.harmed),
        "minutes": round(way.minutes, 1),
        "odds": round(way.odds, 3),
        "uses": way.uses,
        "settings": way.settings,
        "cautions": list(way.cautions),
        "wire_mm": round(way.wire_mm, 1),
        "removal_g": round(way.removal_g, 3),
    }


def survey_json(found: Survey) -> dict[str, Any]:
    """What is in the way, nearest first, and what to do before."""
    return {
        "in_the_way": [
            {
                "ref": one.ref,
                "beneath": one.beneath,
                "apart_mm": round(one.apart_mm, 2),
                "what": one.what,
                "do": one.do,
                "heats": one.heats,
            }
            for one in found.in_the_way
        ],
        "before": [
            {"about": one.about, "sentence": one.sentence, "stop": one.stop} for one in found.advice
        ],
    }


def lift_json(window: LiftWindow) -> dict[str, Any]:
    """When to lift, with bands; null is never."""
    return {
        "opens_s": _rounded(window.opens_s),
        "opens_band_s": _band(window.opens),
        "closes_s": _rounded(window.closes_s),
        "closes_band_s": _band(window.closes),
        "closed_by": window.closed_by,
        "safe": window.safe,
        "refused": window.refused,
        "sentence": window.sentence,
        "last": {"ref": window.last_ref, "pin": window.last_pin, "why": window.last_why},
        "leave_s": _rounded(window.leave_s),
        "leave_why": window.leave_why,
        "first_shine_band_s": _band(window.first_shine),
        "cover": list(window.cover),
    }


def along_json(window: LiftWindow) -> list[dict[str, Any]]:
    """Who comes along: a neighbour, in which share of the samples, does it fall."""
    return [
        {"ref": one.ref, "share": round(one.share, 2), "falls": one.falls}
        for one in window.comes_along
    ]


def pads_json(plan: PadsPlan) -> dict[str, Any]:
    """The work at the pads; mm³, mm, s."""
    return {
        "off": str(plan.off),
        "want": str(plan.want),
        "pads": [
            {
                "pin": pad.pin,
                "tie": pad.tie,
                "left_mm3": round(pad.left_mm3, 4),
                "left_band_mm3": [round(pad.left_low_mm3, 4), round(pad.left_high_mm3, 4)],
                "wanted_mm3": round(pad.wanted_mm3, 4),
                "wick_mm": round(pad.wick_mm, 2),
                "wire_mm": round(pad.wire_mm, 2),
                "seconds": _rounded(pad.seconds, 2),
                "longest_s": round(pad.longest_s, 1),
                "says": pad.says,
            }
            for pad in plan.pads
        ],
        "wick_width_mm": plan.wick_width_mm,
        "wick_mm": round(plan.wick_mm, 1),
        "wire_mm": round(plan.wire_mm, 1),
        "fresh_ends": plan.ends,
        "seconds": round(plan.seconds, 1),
        "must": list(plan.must),
    }


def _rounded(value: float | None, digits: int = 1) -> float | None:
    return None if value is None else round(value, digits)


def _band(band: Band) -> list[float | None]:
    return [_rounded(at) for at in (band.low, band.middle, band.high)]
