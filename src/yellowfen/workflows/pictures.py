"""Measuring from a picture: keeping it, laying the board over it, reading print and parts off it."""

import sqlite3
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.look.part_search import PartFound, find_part
from yellowfen.core.look.part_seen import (
    JointSeen,
    Pose,
    hides,
    in_part,
    joints_seen,
    on_board,
    same_turned,
)
from yellowfen.core.look.paste_seen import Between, PrintSeen, bright_across, print_seen
from yellowfen.core.look.picture_fit import (
    Click,
    PictureFit,
    best_channel,
    fit_clicks,
    fit_doubt,
    refined,
    to_board,
    to_picture,
    with_quality,
)
from yellowfen.core.look.picture_work import Moment, PictureWork, Pin
from yellowfen.core.part.package import HIDDEN
from yellowfen.core.quantity.units import MICRONS, with_unit
from yellowfen.core.work.job import FoundMark, Verdict
from yellowfen.errors import InvalidValue, NotFound, Refused
from yellowfen.formats.picture import channels, made_safe
from yellowfen.store import boards, jobs, pictures
from yellowfen.store.database import atomic
from yellowfen.store.kept import Bounded, kept_of
from yellowfen.store.packing import pack
from yellowfen.store.pictures import PictureRow
from yellowfen.store.proofs import limits_of
from yellowfen.workflows.look import mark_joints

Grey = NDArray[np.float32]
KEPT = 8
MOST_ERROR_MM = 0.08  # beyond that no verdict on a joint


class SeenPrints:
    """Prints as pictures show them."""

    def __init__(self) -> None:
        self.by_picture: Bounded[PrintSeen] = Bounded(KEPT)


def keep_picture(
    connection: sqlite3.Connection, job_id: int, data: bytes, name: str, work: PictureWork
) -> int:
    """Keep a picture with the job and the board in hand, read and written anew; returns its id.

    Raises UnreadableFile for what is no picture, NotFound without the job.
    """
    job = jobs.get(connection, job_id)
    safe = made_safe(data, name)
    return pictures.add(
        connection,
        job_id,
        job.piece_id,
        jpeg=safe.jpeg,
        size=(safe.width, safe.height),
        work=work,
    )


@dataclass(frozen=True, kw_only=True)
class PictureOnBoard:
    """A picture with its board: what was done on it, and the part in hand."""

    row: PictureRow
    board: Board

    @property
    def work(self) -> PictureWork:
        return self.row.work

    @property
    def fit(self) -> PictureFit:
        """The fit; raises Refused without one."""
        if self.work.fit is None:
            raise Refused("align the board with the picture first: at least two places")
        return self.work.fit

    def part(self, ref: str) -> BoardPart:
        """A part on the side that is seen. Raises NotFound."""
        for part in self.board.parts:
            if part.ref == ref and part.side == self.work.side:
                return part
        raise NotFound(f"there is no {ref!r} on the side that this picture shows")


def laid(connection: sqlite3.Connection, picture_id: int) -> PictureOnBoard:
    """A picture with the board it shows. Raises NotFound."""
    row = pictures.get(connection, picture_id)
    board_id = jobs.get(connection, row.job_id).board_id
    return PictureOnBoard(row=row, board=boards.get(connection, board_id))


@lru_cache(maxsize=1)
def _opened(jpeg: bytes) -> tuple[Grey, ...]:
    return tuple(channels(jpeg))


def _greys(connection: sqlite3.Connection, picture_id: int) -> tuple[Grey, ...]:
    return _opened(pictures.jpeg_of(connection, picture_id))


def _changed(
    connection: sqlite3.Connection, picture_id: int, change: Callable[[PictureOnBoard], PictureWork]
) -> PictureOnBoard:
    """Keep what a change makes of a picture's work."""
    with atomic(connection):
        work = change(laid(connection, picture_id))
        pictures.keep_work(connection, picture_id, work)
    return laid(connection, picture_id)


def rings_of(board: Board, side: str) -> list[tuple[tuple[float, float], ...]]:
    """The outlines that a picture is fitted by: every pad of the side."""
    return [pad.ring for pad in board.pads if pad.side == side]


def fitted(
    board: Board, greys: tuple[Grey, ...], work: PictureWork
) -> tuple[PictureFit | None, int]:
    """The fit that a picture's clicks give, and the channel it was made in; None for fewer than
    two.
    """
    clicks = [one.click for one in work.pins]
    if len(clicks) < 2:
        return None, work.channel
    start, rings = fit_clicks(clicks, work.side), rings_of(board, work.side)
    if not work.by_edges:
        return start, work.channel
    channel = best_channel(greys, rings, start)
    parts = {part.ref: part for part in board.parts if part.side == work.side}
    hidden = [
        ring
        for ref, part in parts.items()
        if work.moment is not Moment.PRINTED and (ref in work.poses)
        for ring in hides(part, work.poses[ref]).values()
    ]
    fit = refined(greys[channel], rings, clicks, work.side, hidden)
    bodies = [] if work.moment is Moment.PRINTED else _bodies(board, work)
    by_part = [[pad.ring for pad in board.pads if pad.ref == ref] for ref in parts]
    return with_quality(greys[channel], rings, fit, bodies, by_part), channel


def _bodies(board: Board, work: PictureWork) -> list[tuple[tuple[float, float], ...]]:
    """What the side's parts hide of it, each as it was laid, else where it belongs."""
    return [
        ring
        for part in board.parts
        if part.side == work.side
        for ring in hides(part, work.poses.get(part.ref, Pose())).values()
    ]


def doubt_of(work: PictureWork) -> str:
    """Why nothing is to be measured on a picture as it was laid; "" where it is to be believed."""
    return "" if work.fit is None else fit_doubt(work.fit, [one.click for one in work.pins])


def _refit(
    connection: sqlite3.Connection, picture_id: int, work: PictureWork, board: Board
) -> PictureWork:
    fit, channel = fitted(board, _greys(connection, picture_id), work)
    return replace(work, fit=fit, channel=channel)


def click(
    connection: sqlite3.Connection,
    picture_id: int,
    name: str,
    place: tuple[float, float],
    spot: tuple[float, float],
) -> PictureOnBoard:
    """Say where a place of the board (mm) is seen (px), and lay the board over it anew.

    Raises InvalidValue for places that do not belong together; then nothing changes.
    """

    def change(found: PictureOnBoard) -> PictureWork:
        row = found.row
        if not (0 <= spot[0] <= row.width and 0 <= spot[1] <= row.height):
            raise InvalidValue("spot", "this lies outside the picture")
        pin = Pin(name[:60], Click(*place, *spot))
        kept = tuple(one for one in found.work.pins if one.name != pin.name)
        return _refit(connection, picture_id, replace(found.work, pins=(*kept, pin)), found.board)

    return _changed(connection, picture_id, change)


def unclick(connection: sqlite3.Connection, picture_id: int) -> PictureOnBoard:
    """Take the newest click back."""
    return _changed(
        connection,
        picture_id,
        lambda found: _refit(
            connection, picture_id, replace(found.work, pins=found.work.pins[:-1]), found.board
        ),
    )


def keep_to_clicks(
    connection: sqlite3.Connection, picture_id: int, by_edges: bool
) -> PictureOnBoard:
    """Fit by the pads' edges, or by the clicks alone."""
    return _changed(
        connection,
        picture_id,
        lambda found: _refit(
            connection, picture_id, replace(found.work, by_edges=by_edges), found.board
        ),
    )


# parts
@dataclass(frozen=True, kw_only=True)
class PartSeen:
    """How a part sits, joint by joint; `measured` once it was laid on the picture, `doubt` why what
    was measured is not to be believed ("" it is), the error to expect (95 %, mm); `alike` where no
    other pads are in sight and the part's own look the same turned by half.
    """

    ref: str
    pose: Pose
    joints: tuple[JointSeen, ...]
    measured: bool
    doubt: str
    error_mm: float
    alike: bool


def part_seen(connection: sqlite3.Connection, found: PictureOnBoard, ref: str) -> PartSeen:
    """A part as it was laid on the picture (at first where it belongs, which measures nothing)."""
    part = found.part(ref)
    pose = found.work.poses.get(ref, Pose())
    grade = jobs.grade_of(connection, found.row.job_id)
    work = found.work
    error = work.errors_mm.get(ref, found.fit.error_um / 1000.0)
    doubt = doubt_of(work) or work.doubts.get(ref, "")
    if not doubt and error > MOST_ERROR_MM:
        doubt = f"The alignment is only within {with_unit(1000 * error, MICRONS, 0)}, too coarse to judge joints: click two more places, far apart."
    joints = joints_seen(part.package, pose, grade, limits_of(connection, grade), error)
    return PartSeen(
        ref=ref,
        pose=pose,
        joints=joints,
        measured=ref in work.poses,
        doubt=doubt,
        error_mm=error,
        alike=_alone(found, ref) and same_turned(part.package),
    )


def _alone(found: PictureOnBoard, ref: str) -> bool:
    """True where no pad of another part lies in the picture."""
    others = [pad for pad in found.board.pads if pad.side == found.work.side and pad.ref != ref]
    if not others:
        return True
    here = to_picture(found.fit, np.array([(pad.x_mm, pad.y_mm) for pad in others]))
    size = (found.row.width, found.row.height)
    return not bool(((here > 0) & (here < size)).all(axis=1).any())


def lay_part(
    connection: sqlite3.Connection, picture_id: int, ref: str, pose: Pose
) -> PictureOnBoard:
    """Keep how a part was dragged and turned. Raises NotFound for a part of the other side."""

    def change(found: PictureOnBoard) -> PictureWork:
        found.part(ref)
        work = _unsearched(found.work, ref)
        return replace(work, poses={**work.poses, ref: pose})

    return _changed(connection, picture_id, change)


def _unsearched(work: PictureWork, ref: str) -> PictureWork:
    """The work without what a search said of a part."""
    doubts = {one: said for one, said in work.doubts.items() if one != ref}
    errors = {one: said for one, said in work.errors_mm.items() if one != ref}
    return replace(work, doubts=doubts, errors_mm=errors)


def drag_part(
    connection: sqlite3.Connection,
    picture_id: int,
    ref: str,
    *,
    by: tuple[float, float],
    turn_deg: float,
) -> PictureOnBoard:
    """Move a part by so many px of the picture and turn it (degrees, anticlockwise as seen)."""
    found = laid(connection, picture_id)
    part, pose = found.part(ref), found.work.poses.get(ref, Pose())
    here = on_board(part, pose.moved(np.zeros((1, 2))))
    there = to_board(found.fit, to_picture(found.fit, here) + np.array(by))
    x, y = in_part(part, there)[0]
    turn = (pose.turn_deg + turn_deg + 180.0) % 360.0 - 180.0
    return lay_part(connection, picture_id, ref, Pose(float(x), float(y), turn))


def snap_part(connection: sqlite3.Connection, picture_id: int, ref: str) -> PictureOnBoard:
    """Search where a part lies in the picture and lay its outline there; what the part hides is
    left out of the board's own fit. A pose that is not to be believed is kept with its reason.
    Raises Refused where the board itself does not lie on the picture.
    """

    def change(found: PictureOnBoard) -> PictureWork:
        found.fit  # noqa: B018  refused without one
        work, searched = part_searched(
            found.board, _greys(connection, picture_id), found.work, found.part(ref)
        )
        said = (
            searched.doubt
            and f"{ref} is not measured: {searched.doubt}. Drag its outline by hand, or take a better picture."
        )
        return replace(
            work,
            poses={**work.poses, ref: searched.pose},
            doubts={**work.doubts, ref: said},
            errors_mm={**work.errors_mm, ref: min(searched.error_mm, 5.0)},
        )

    return _changed(connection, picture_id, change)


def part_searched(
    board: Board, greys: tuple[Grey, ...], work: PictureWork, part: BoardPart
) -> tuple[PictureWork, PartFound]:
    """A part searched in a picture that is fitted, and the fit without what the part hides. Raises
    Refused where the board itself does not lie on the picture.
    """
    rings = rings_of(board, work.side)
    assert work.fit is not None
    searched = find_part(greys[work.channel], work.fit, part, rings)
    if not searched.doubt:
        work = replace(work, poses={**work.poses, part.ref: searched.pose})
        fit, channel = fitted(board, greys, work)
        assert fit is not None
        searched = find_part(greys[channel], fit, part, rings)
        work = replace(work, fit=fit, channel=channel)
    if said := doubt_of(work):
        raise Refused(said)
    return work, searched


def take_verdicts(connection: sqlite3.Connection, picture_id: int, ref: str) -> int:
    """Mark a part as skewed whose outline says that joints are beyond the criteria; returns how many
    those are. One part is one touch-up.

    Raises Refused where the part was not soldered in this job.
    """
    found = laid(connection, picture_id)
    seen = part_seen(connection, found, ref)
    if not seen.measured or seen.doubt:
        raise Refused(seen.doubt or f"fit {ref} to the picture first: nothing was measured yet")
    wrong = [one for one in seen.joints if one.verdict]
    marks = [FoundMark(ref, "", Verdict.SKEWED)] if wrong else []
    mark_joints(connection, found.row.job_id, marks)
    return len(wrong)


# print, and what is bright across gaps
def print_of(connection: sqlite3.Connection, found: PictureOnBoard) -> PrintSeen:
    """The print as the picture shows it, kept until something of it changes. Raises Refused without
    a fit or a pad in sight.
    """
    key = (found.row.id, found.row.made_at, pack(found.work))
    prints = kept_of(connection, SeenPrints).by_picture
    seen = prints.get(key)
    if seen is None:
        grey = _greys(connection, found.row.id)[found.work.channel]
        seen = print_seen(
            grey,
            found.fit,
            found.board,
            found.work.side,
            paste_from=found.work.paste_from,
            bright_from=found.work.bright_from,
            paste_darker=found.work.paste_darker,
        )
        prints[key] = seen
    return seen


def across_gaps(connection: sqlite3.Connection, found: PictureOnBoard) -> tuple[Between, ...]:
    """Places to look at again: something bright across a gap that is no lead."""
    grey, kept = _greys(connection, found.row.id)[found.work.channel], found.work
    return bright_across(
        grey,
        found.fit,
        found.board,
        kept.side,
        bright_from=kept.bright_from,
        hidden={
            f"{part.ref}.{pin}" if pin else part.ref: ring
            for part in found.board.parts
            if part.side == kept.side
            for pin, ring in hides(part, kept.poses.get(part.ref, Pose())).items()
        },
    )


def keep_thresholds(
    connection: sqlite3.Connection,
    picture_id: int,
    *,
    paste_from: float | None,
    bright_from: float | None,
    paste_darker: bool,
) -> PictureOnBoard:
    """Keep thresholds as moved; None works them out again."""
    return _changed(
        connection,
        picture_id,
        lambda found: replace(
            found.work, paste_from=paste_from, bright_from=bright_from, paste_darker=paste_darker
        ),
    )


def visible_parts(board: Board, work: PictureWork, size: tuple[int, int]) -> list[BoardPart]:
    """Parts of the side whose middle lies in the picture, with a joint an eye can see."""
    if work.fit is None:
        return []
    parts = [
        part
        for part in board.parts
        if part.side == work.side and any(land.kind not in HIDDEN for land in part.package.lands)
    ]
    if not parts:
        return []
    spots = to_picture(work.fit, np.array([(part.x_mm, part.y_mm) for part in parts]))
    return [
        part
        for part, (u, v) in zip(parts, spots, strict=True)
        if 0 <= u <= size[0] and 0 <= v <= size[1]
    ]
