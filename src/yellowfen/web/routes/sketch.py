"""Sketching a patch by hand: the drawing page, keeping what was drawn, the picture beneath.

What is refused is answered with its sentence, nothing changed.
"""

from typing import Annotated, Any

from fastapi import APIRouter, File, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response
from pydantic import Field

from yellowfen.core.board.sketch import Plane, Sketch, SketchedPart, Underlay
from yellowfen.core.part.catalogue import PALETTE
from yellowfen.errors import InvalidValue, NotFound
from yellowfen.formats.rehearsal_file import Strict
from yellowfen.store import boards, packages
from yellowfen.web.database import Database
from yellowfen.web.package_svg import package_drawing
from yellowfen.web.pages import page
from yellowfen.web.routes.packages import geometry
from yellowfen.workflows import sketching
from yellowfen.workflows.boards import library_of

router = APIRouter()


class PartForm(Strict):
    ref: str = Field(max_length=20)
    package: str = Field(max_length=120)
    x_mm: float
    y_mm: float
    rotation_deg: float = 0.0
    side: str = "top"
    value: str = Field("", max_length=80)


class PictureForm(Strict):
    x_mm: float
    y_mm: float
    mm_per_px: float
    turn_deg: float = 0.0
    width_px: int
    height_px: int


class SketchForm(Strict):
    name: str = Field(max_length=120)
    width_mm: float
    height_mm: float
    thickness_mm: float
    plane: Plane
    parts: list[PartForm] = Field(max_length=200)
    picture: PictureForm | None = None
    nets: list[Annotated[str, Field(max_length=2000)]] = Field(default=[], max_length=500)

    def sketch(self) -> Sketch:
        picture = None if self.picture is None else Underlay(**self.picture.model_dump())
        return Sketch(
            name=self.name,
            width_mm=self.width_mm,
            height_mm=self.height_mm,
            thickness_mm=self.thickness_mm,
            plane=self.plane,
            parts=tuple(SketchedPart(**one.model_dump()) for one in self.parts),
            picture=picture,
            nets=tuple(self.nets),
        )


@router.post("/sketches")
def begin(
    request: Request,
    database: Database,
    name: Annotated[str, Form()] = "",
    once: Annotated[str, Form()] = "",
) -> Response:
    made = request.app.state.once.make(once, lambda: sketching.begin(database, name))
    return RedirectResponse(f"/boards/{made}/sketch", status_code=303)


@router.get("/boards/{board_id}/sketch")
def draw(request: Request, board_id: int, database: Database) -> Response:
    sketch = sketching.sketch_of(database, board_id)
    library = library_of(database)
    own = [one.name for one in packages.rows(database) if one.lands]
    groups = {**({"yours": tuple(own)} if own else {}), **PALETTE}
    names = {name for group in groups.values() for name in group} | {
        part.package for part in sketch.parts
    }
    found = {
        name: package
        for name in sorted(names)
        if (package := library.find(name)) is not None and package.lands
    }
    return page(
        request,
        "sketch.html",
        {
            "room": "boards",
            "board_id": board_id,
            "sketch": sketch,
            "groups": {
                group: [name for name in items if name in found] for group, items in groups.items()
            },
            "drawings": {name: package_drawing(package) for name, package in found.items()},
            "facts": {
                "packages": {name: geometry(package) for name, package in found.items()},
                "sketch": _plain(sketch),
                "picture": boards.picture_of(database, board_id) is not None,
            },
        },
    )


def _plain(sketch: Sketch) -> dict[str, Any]:
    picture = sketch.picture
    return {
        "name": sketch.name,
        "width_mm": sketch.width_mm,
        "height_mm": sketch.height_mm,
        "thickness_mm": sketch.thickness_mm,
        "plane": str(sketch.plane),
        "nets": list(sketch.nets),
        "parts": [
            {
                "ref": p.ref,
                "package": p.package,
                "x_mm": p.x_mm,
                "y_mm": p.y_mm,
                "rotation_deg": p.rotation_deg,
                "side": p.side,
                "value": p.value,
            }
            for p in sketch.parts
        ],
        "picture": None
        if picture is None
        else {
            "x_mm": picture.x_mm,
            "y_mm": picture.y_mm,
            "mm_per_px": picture.mm_per_px,
            "turn_deg": picture.turn_deg,
            "width_px": picture.width_px,
            "height_px": picture.height_px,
        },
    }


@router.put("/api/boards/{board_id}/sketch")
def keep(board_id: int, form: SketchForm, database: Database) -> dict[str, Any]:
    """Keep what was drawn; the answer says how many parts and pads the board has now."""
    sketching.keep(database, board_id, form.sketch())
    board = boards.get(database, board_id)
    return {
        "parts": len(board.parts),
        "pads": len(board.pads),
        "findings": [one.sentence for one in board.findings],
        "nets": sorted({pad.net for pad in board.pads if pad.net}),
        "net_problems": [one.sentence for one in board.findings if one.about == "nets"],
    }


@router.post("/api/boards/{board_id}/picture")
def lay_picture(
    board_id: int, database: Database, file: Annotated[UploadFile | None, File()] = None
) -> dict[str, Any]:
    """Keep a picture to draw over."""
    if file is None:
        raise InvalidValue("file", "choose a picture first")
    sketching.lay_picture(database, board_id, file.file.read(), file.filename or "picture")
    return {"kept": True}


@router.delete("/api/boards/{board_id}/picture")
def take_away(board_id: int, database: Database) -> dict[str, Any]:
    sketching.take_picture_away(database, board_id)
    return {"kept": False}


@router.get("/boards/{board_id}/picture")
def picture(board_id: int, database: Database) -> Response:
    found = boards.picture_of(database, board_id)
    if found is None:
        raise NotFound("there is no picture under this board")
    return Response(found[1], media_type=found[0], headers={"cache-control": "no-store"})
