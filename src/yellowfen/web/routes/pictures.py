"""Pictures of a board in hand: taken or dropped, laid under its drawing, measured.

What is refused is answered with its sentence, nothing changed.
"""

from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, File, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup
from pydantic import BaseModel, ConfigDict, Field

from yellowfen.core.look.part_seen import Pose
from yellowfen.core.look.picture_fit import ODD_CLICK_PX, farthest_click, to_board
from yellowfen.core.look.picture_work import Moment, PictureWork
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.errors import InvalidValue, NotFound, Refused, YellowfenError
from yellowfen.store import jobs, pictures
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.pages import fragment, page
from yellowfen.web.picture_svg import (
    between_drawn,
    pads_drawn,
    part_drawn,
    parts_named,
    picture_svg,
    pins_drawn,
    print_drawn,
)
from yellowfen.web.plan_svg import plan_svg
from yellowfen.workflows import pictures as work
from yellowfen.workflows.look import look_state

router = APIRouter()
DEEDS = ("lay", "part", "print", "again")
Px = Annotated[float, Field(ge=-1e5, le=1e5)]


class _Form(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class ClickForm(_Form):
    name: str = Field(min_length=1, max_length=60)
    u: Px
    v: Px


class PartMoveForm(_Form):
    du: Px = 0.0
    dv: Px = 0.0
    turn: float = Field(0.0, ge=-180, le=180)
    back: bool = False


class ThresholdForm(_Form):
    paste_from: float | None = Field(None, ge=0, le=255)
    bright_from: float | None = Field(None, ge=0, le=255)
    paste_darker: bool = True


@router.get("/jobs/{job_id}/pictures")
def picture_list(
    request: Request,
    job_id: int,
    database: Database,
    gone: int = 0,
    of: str = "",
    moment: Moment | None = None,
) -> Response:
    """All pictures of the job's boards, and where a new one comes in, of a part and at a moment."""
    context = _list_context(database, job_id, gone=gone) | {"of": of}
    return page(request, "pictures.html", context | ({"moment": str(moment)} if moment else {}))


def _list_context(
    database: Database, job_id: int, problem: str = "", gone: int = 0
) -> dict[str, Any]:
    job = jobs.get(database, job_id)
    state = look_state(database, job_id)
    refs = sorted(part.ref for part in state.board.parts)
    side = next((part.side for part in state.board.parts if part.ref in job.parts), "top")
    return {
        "room": "jobs",
        "stage": "look",
        "leaf": "pictures",
        "job": job,
        "board": state.board,
        "pictures": pictures.rows(database, job.board_id, job_id),
        "pieces": {one.id: one.name for one in jobs.pieces_of(database, job_id)},
        "moments": [str(one) for one in Moment],
        "moment": str(Moment.SOLDERED if state.run else Moment.PRINTED),
        "refs": refs,
        "side": side,
        "problem": problem,
        "gone": gone,
        "of": "",
    }


@router.post("/jobs/{job_id}/pictures")
def keep(
    request: Request,
    job_id: int,
    database: Database,
    file: Annotated[UploadFile | None, File()] = None,
    side: Annotated[str, Form(max_length=10)] = "top",
    moment: Annotated[Moment, Form()] = Moment.SOLDERED,
    ref: Annotated[str, Form(max_length=40)] = "",
) -> Response:
    """Keep a picture, then to laying the board over it."""
    try:
        if file is None or not file.size:
            raise InvalidValue("file", "choose or take a picture first")
        kept = work.keep_picture(
            database,
            job_id,
            file.file.read(),
            (file.filename or "picture")[:80],
            PictureWork(side=side, moment=moment, ref=ref),
        )
    except NotFound:
        raise
    except YellowfenError as problem:
        context = _list_context(database, job_id, str(problem))
        return page(request, "pictures.html", context, status=status_of(problem))
    return RedirectResponse(f"/pictures/{kept}", status_code=303)


@router.get("/pictures/{picture_id}.jpg")
def bytes_of(picture_id: int, database: Database) -> Response:
    """The picture as it is kept."""
    jpeg = pictures.jpeg_of(database, picture_id)
    headers = {"cache-control": "private, max-age=86400"}
    return Response(jpeg, media_type="image/jpeg", headers=headers)


@router.post("/pictures/{picture_id}/remove")
def remove(picture_id: int, database: Database, back: Annotated[str, Form()] = "") -> Response:
    """Put a picture away, or bring it back."""
    if back == "yes":
        pictures.remove(database, picture_id, back=True)
        return RedirectResponse(f"/pictures/{picture_id}", status_code=303)
    row = pictures.get(database, picture_id)
    pictures.remove(database, picture_id)
    return RedirectResponse(f"/jobs/{row.job_id}/pictures?gone={picture_id}", status_code=303)


@router.get("/pictures/{picture_id}")
def picture_page(
    request: Request,
    picture_id: int,
    database: Database,
    do: str = "",
    ref: str = "",
    beside: int = 0,
) -> Response:
    """A picture with the board laid over it: lay it, a part, the print, what to look at again."""
    found = work.laid(database, picture_id)
    do = do if do in DEEDS else _first(found.work)
    context = _context(database, found, do, ref or found.work.ref)
    other = pictures.get(database, beside) if beside else None
    context |= {
        "room": "jobs",
        "stage": "look",
        "leaf": "pictures",
        "job": jobs.get(database, found.row.job_id),
        "board": found.board,
        "board_plan": plan_svg(found.board, found.work.side) if do == "lay" else "",
        "picture": picture_svg(found.row, context["overlay"]),
        "panel": Markup(fragment("picture_panel.html", context)),
        "beside": other,
        "others": [
            one
            for one in pictures.rows(
                database, jobs.get(database, found.row.job_id).board_id, found.row.job_id
            )
            if one.id != picture_id
        ],
    }
    return page(request, "picture.html", context)


def _first(kept: PictureWork) -> str:
    if kept.fit is None:
        return "lay"
    return "print" if kept.moment is Moment.PRINTED else "part"


def _odd_click(work: PictureWork) -> tuple[str, float] | None:
    """The click that the fit does not believe: its name and how far off it is, px."""
    if work.fit is None:
        return None
    worst, far = farthest_click(work.fit, [one.click for one in work.pins])
    return (work.pins[worst].name, far) if far > ODD_CLICK_PX else None


def _context(database: Database, found: work.PictureOnBoard, do: str, ref: str) -> dict[str, Any]:
    """What the panel and the overlay need for one deed."""
    row, kept = found.row, found.work
    size = (row.width, row.height)
    parts = work.visible_parts(found.board, kept, size)
    names = [part.ref for part in parts]
    ref = ref if ref in names else names[0] if names and do == "part" else ""
    context: dict[str, Any] = {
        "row": row,
        "kept": kept,
        "fit": kept.fit,
        "odd": _odd_click(kept),
        "doubt": work.doubt_of(kept),
        "do": do,
        "ref": ref,
        "parts": names,
        "seen": None,
        "printed": None,
        "again": None,
        "problem": "",
        "can_mark": do == "part" and look_state(database, row.job_id).run is not None,
    }
    drawn = Markup("")
    if kept.fit is not None:
        drawn += pads_drawn(found.board, kept.side, kept.fit, size)
        try:
            drawn += _deed(database, found, do, ref, context)
        except Refused as problem:
            context["problem"] = str(problem)
        if do == "part":
            drawn += parts_named((part for part in parts if part.ref != ref), kept.fit)
    if do == "lay":
        drawn += pins_drawn(kept.pins, max(row.width, row.height) / 90)
    return context | {"overlay": drawn}


def _deed(
    database: Database, found: work.PictureOnBoard, do: str, ref: str, context: dict[str, Any]
) -> Markup:
    """What one deed adds to the overlay; what it found goes into the context."""
    if do == "part" and ref:
        context["seen"] = work.part_seen(database, found, ref)
        return part_drawn(found.part(ref), context["seen"].pose, found.fit)
    if do == "print":
        context["printed"] = seen = work.print_of(database, found)
        return print_drawn(seen, found.board, found.work.side, found.fit)
    if do == "again":
        context["again"] = places = work.across_gaps(database, found)
        return between_drawn(places, found.fit)
    return Markup("")


def _answer(database: Database, picture_id: int, do: str, ref: str = "") -> dict[str, Any]:
    context = _context(database, work.laid(database, picture_id), do, ref)
    return {
        "overlay": str(context["overlay"]),
        "panel": fragment("picture_panel.html", context),
        "says": "",
    }


@router.post("/api/pictures/{picture_id}/clicks")
def click(picture_id: int, form: ClickForm, database: Database) -> dict[str, Any]:
    """A pad (as "U1.3") and where it is seen."""
    found = work.laid(database, picture_id)
    pad = next(
        (
            one
            for one in found.board.pads
            if one.side == found.work.side and f"{one.ref}.{one.pin}" == form.name
        ),
        None,
    )
    if pad is None:
        raise InvalidValue("name", f"there is no pad {form.name} on this side")
    work.click(database, picture_id, form.name, (pad.x_mm, pad.y_mm), (form.u, form.v))
    return _answer(database, picture_id, "lay")


@router.delete("/api/pictures/{picture_id}/clicks")
def unclick(picture_id: int, database: Database) -> dict[str, Any]:
    """Take the newest place back."""
    work.unclick(database, picture_id)
    return _answer(database, picture_id, "lay")


@router.post("/api/pictures/{picture_id}/edges")
def edges(picture_id: int, database: Database, on: bool = True) -> dict[str, Any]:
    """By the pads' edges, or by the clicks alone."""
    work.keep_to_clicks(database, picture_id, on)
    return _answer(database, picture_id, "lay")


@router.post("/api/pictures/{picture_id}/parts/{ref}/move")
def move(picture_id: int, ref: str, form: PartMoveForm, database: Database) -> dict[str, Any]:
    """Drag a part by so many px and turn it by so many degrees (anticlockwise, as seen)."""
    if form.back:
        work.lay_part(database, picture_id, ref, Pose())
    else:
        work.drag_part(database, picture_id, ref, by=(form.du, form.dv), turn_deg=form.turn)
    return _answer(database, picture_id, "part", ref)


@router.post("/api/pictures/{picture_id}/parts/{ref}/snap")
def snap(picture_id: int, ref: str, database: Database) -> dict[str, Any]:
    """Let the computer lay the part on the edges near by."""
    work.snap_part(database, picture_id, ref)
    return _answer(database, picture_id, "part", ref)


@router.post("/api/pictures/{picture_id}/parts/{ref}/marks")
def take(picture_id: int, ref: str, database: Database) -> dict[str, Any]:
    """Take the verdicts proposed."""
    marked = work.take_verdicts(database, picture_id, ref)
    beyond = f"{marked} joint{'' if marked == 1 else 's'} beyond the limit"
    says = f"{ref} is marked as skewed: {beyond}. Inspect can undo it."
    return _answer(database, picture_id, "part", ref) | {"says": says}


@router.post("/api/pictures/{picture_id}/thresholds")
def thresholds(
    picture_id: int, form: ThresholdForm, database: Database, do: str = "print"
) -> dict[str, Any]:
    """Move what tells paste from pad, and bright from mask; none: work them out again."""
    work.keep_thresholds(
        database,
        picture_id,
        paste_from=form.paste_from,
        bright_from=form.bright_from,
        paste_darker=form.paste_darker,
    )
    return _answer(database, picture_id, do if do in DEEDS else "print")


@router.get("/api/pictures/{picture_id}/length")
def length(picture_id: int, database: Database, u1: Px, v1: Px, u2: Px, v2: Px) -> dict[str, Any]:
    """The distance of two places of the picture on the board, mm."""
    found = work.laid(database, picture_id)
    a, b = to_board(found.fit, np.array([[u1, v1], [u2, v2]]))
    mm = float(np.hypot(*(a - b)))
    if not np.isfinite(mm):
        raise InvalidValue("places", "these lie outside the board")
    return {
        "mm": round(mm, 4),
        "says": f"{with_unit(mm, MM, 3)}, give or take {found.fit.error_um / 1000:.3f}",
    }
