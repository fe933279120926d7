"""Measuring from a picture without a job: a picture and a list of places in, figures out."""

import json
from dataclasses import replace
from typing import Any

from yellowfen.core.board.board import Board
from yellowfen.core.look.part_seen import JointSeen, Pose, hides, joints_seen
from yellowfen.core.look.paste_seen import Between, bright_across, print_seen
from yellowfen.core.look.picture_fit import Click
from yellowfen.core.look.picture_work import MOST_CLICKS, Moment, PictureWork, Pin
from yellowfen.core.quantity.units import MICRONS, with_unit
from yellowfen.errors import InvalidValue, Refused, UnreadableFile
from yellowfen.formats.picture import channels, made_safe
from yellowfen.workflows.jobs import parts_named
from yellowfen.workflows.pictures import MOST_ERROR_MM, Grey, fitted, part_searched


def pins_read(data: bytes, name: str, board: Board, side: str) -> tuple[Pin, ...]:
    """Places from JSON: a list of `at` (a pad as "U1.3", or x and y in mm) and `px` (u and v).

    Raises UnreadableFile for what is no such list, InvalidValue for a pad that is not there.
    """
    try:
        rows = json.loads(data)
        given = [(row["at"], [float(one) for one in row["px"]]) for row in rows]
    except (ValueError, TypeError, KeyError, RecursionError):
        raise UnreadableFile(
            name, 'is no list of places, as [{"at": "U1.3", "px": [412, 300]}, ...]'
        ) from None
    if len(given) > MOST_CLICKS:
        raise InvalidValue("clicks", f"{MOST_CLICKS} places are enough")
    middles = {
        f"{pad.ref}.{pad.pin}": (pad.x_mm, pad.y_mm) for pad in board.pads if pad.side == side
    }
    return tuple(_pin(at, px, middles, name) for at, px in given)


def _pin(at: object, px: list[float], middles: dict[str, tuple[float, float]], name: str) -> Pin:
    if len(px) != 2:
        raise UnreadableFile(name, "has a place whose px is not two numbers")
    if isinstance(at, str):
        if at not in middles:
            raise InvalidValue("at", f"there is no pad {at} on this side")
        return Pin(at, Click(*middles[at], *px))
    if isinstance(at, list) and len(at) == 2 and all(isinstance(one, int | float) for one in at):
        return Pin(f"{at[0]}, {at[1]}", Click(float(at[0]), float(at[1]), *px))
    raise UnreadableFile(name, 'has a place whose at is neither a pad as "U1.3" nor x and y in mm')


def measured(
    board: Board,
    data: bytes,
    pins: tuple[Pin, ...],
    *,
    side: str,
    printed: bool = False,
    refs: str = "",
    grade: int = 2,
    name: str = "picture",
) -> dict[str, Any]:
    """What a picture shows: the fit, how parts sit, the print, what to look at again.

    Raises UnreadableFile for what is no picture, InvalidValue for places that do not belong
    together.
    """
    moment = Moment.PRINTED if printed else Moment.SOLDERED
    work = PictureWork(side=side, moment=moment, pins=pins)
    greys = tuple(channels(made_safe(data, name).jpeg))
    fit, channel = fitted(board, greys, work)
    if fit is None:
        raise InvalidValue("clicks", "two places at least are needed, far apart")
    grey = greys[channel]
    work = replace(work, fit=fit, channel=channel)
    work, parts = _parts(board, greys, work, refs, grade)
    answer: dict[str, Any] = {
        "fit": {
            "um_px": round(fit.um_px, 3),
            "error_um": round(fit.error_um, 2),
            "by": "edges" if fit.edges else "clicks",
            "matrix": list(fit.matrix),
        },
        "parts": parts,
        "print": None,
        "look_again": [],
    }
    if printed:
        answer["print"] = _print(grey, fit, board, side)
    else:
        hidden = {
            f"{part.ref}.{pin}" if pin else part.ref: ring
            for part in board.parts
            if part.side == side
            for pin, ring in hides(part, work.poses.get(part.ref, Pose())).items()
        }
        places = bright_across(grey, fit, board, side, hidden=hidden)
        answer["look_again"] = [_between(one) for one in places]
    return answer


def _parts(
    board: Board, greys: tuple[Grey, ...], work: PictureWork, refs: str, grade: int
) -> tuple[PictureWork, list[dict[str, Any]]]:
    """The named parts as they sit. Raises Refused for one that is not seen well enough."""
    parts = []
    for ref in parts_named(board, refs) if refs else ():
        part = board.part(ref)
        work, found = part_searched(board, greys, work, part)
        if found.doubt or found.error_mm > MOST_ERROR_MM:
            why = (
                found.doubt
                or f"the alignment is only within {with_unit(1000 * found.error_mm, MICRONS, 0)}"
            )
            raise Refused(f"{ref} is not measured: {why}; take a better picture")
        pose = found.pose
        work = replace(work, poses={**work.poses, ref: pose})
        seen = joints_seen(part.package, pose, grade, error_mm=found.error_mm)
        parts.append(
            {
                "ref": ref,
                "dx_mm": round(pose.dx_mm, 4),
                "dy_mm": round(pose.dy_mm, 4),
                "turn_deg": round(pose.turn_deg, 3),
                "error_um": round(1000 * found.error_mm, 1),
                "joints": [_joint(joint) for joint in seen],
            }
        )
    return work, parts


def _joint(joint: JointSeen) -> dict[str, Any]:
    return {
        "pin": joint.pin,
        "side_mm": round(joint.side_mm, 4),
        "end_mm": round(joint.end_mm, 4),
        "overlap_mm": round(joint.overlap_mm, 4),
        "share": round(joint.share, 3),
        "verdict": "near" if joint.near else joint.verdict or "good",
    }


def _between(one: Between) -> dict[str, Any]:
    return {
        "x_mm": round(one.x_mm, 3),
        "y_mm": round(one.y_mm, 3),
        "wide_mm": round(one.wide_mm, 3),
        "touches": list(one.touches),
        "says": one.says,
    }


def _print(grey: Any, fit: Any, board: Board, side: str) -> dict[str, Any]:
    seen = print_seen(grey, fit, board, side)
    return {
        "says": seen.says,
        "verdict": seen.verdict if seen.told else "",
        "dx_mm": round(seen.dx_mm, 4),
        "dy_mm": round(seen.dy_mm, 4),
        "pads": [
            {"ref": one.ref, "pin": one.pin, "covered": round(one.share, 3)} for one in seen.pads
        ],
        "between": [_between(one) for one in seen.between],
        "paste_from": round(seen.paste_from, 1),
        "bright_from": round(seen.bright_from, 1),
    }
