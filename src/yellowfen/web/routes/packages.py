"""The package catalogue: what is built in, what the user added, carrying it in and out.

What is refused is answered with its sentence, nothing changed.
"""

import re
from dataclasses import replace
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, File, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response
from pydantic import TypeAdapter, ValidationError

from yellowfen.core.board.choices import PartChoice
from yellowfen.core.part.catalogue import PALETTE, package_named
from yellowfen.core.part.land_pattern import LAYOUTS, lands_by_count
from yellowfen.core.part.library import MOISTURE, OwnPackage
from yellowfen.core.part.package import JointKind, Land, Package
from yellowfen.core.quantity.number import typed_number, typed_whole
from yellowfen.errors import InvalidValue, NotFound, YellowfenError
from yellowfen.formats.package_file import write_packages
from yellowfen.store import boards, packages
from yellowfen.store.archive import archived, put_away
from yellowfen.web.database import Database
from yellowfen.web.downloads import saved_as
from yellowfen.web.errors import status_of
from yellowfen.web.fields import Fields
from yellowfen.web.package_svg import package_drawing, package_facts
from yellowfen.web.pages import page
from yellowfen.workflows.boards import correct_part, library_of
from yellowfen.workflows.parts import take_in

router = APIRouter()
_ADAPTER = TypeAdapter(OwnPackage)


@router.get("/packages")
def catalogue(
    request: Request, database: Database, name: str = "", back: str = "", ref: str = ""
) -> Response:
    """The catalogue; with a name to describe and a place to go back to."""
    form = {"name": name[:80], "back": back[:40], "ref": ref[:40]}
    return page(request, "packages.html", _context(database, "", form))


def _context(
    database: Database, problem: str = "", form: dict[str, str] | None = None
) -> dict[str, Any]:
    built_in = {
        group: [
            (name, (one := package_named(name)).name, package_drawing(one), package_facts(one))
            for name in names
        ]
        for group, names in PALETTE.items()
    }
    own = [
        (one, package_drawing(one.package()), package_facts(one.package()))
        for one in packages.rows(database)
    ]
    return {
        "archived": archived(database, "own_package"),
        "room": "boards",
        "problem": problem,
        "built_in": built_in,
        "own": own,
        "form": _blank() | (form or {}),
        "layouts": LAYOUTS,
        "moisture": MOISTURE,
        "joints": [kind.value for kind in JointKind],
    }


def _blank() -> dict[str, str]:
    """The form with nothing typed."""
    return {
        "name": "",
        "body_x_mm": "",
        "body_y_mm": "",
        "height_mm": "",
        "joint": "gull-wing",
        "material": "moulded",
        "moisture": "",
        "polarity": "",
        "aliases": "",
        "limit_c": "",
        "heat_shy": "",
        "iron_only": "",
        "layout": "",
        "pins": "",
        "pitch_mm": "",
        "apart_mm": "",
        "land_long_mm": "",
        "land_wide_mm": "",
        "thermal_x_mm": "",
        "thermal_y_mm": "",
        "back": "",
        "ref": "",
    }


@router.post("/packages")
def add(request: Request, database: Database, fields: Fields) -> Response:
    """Keep a package; where it was asked for from a part or a sketch, go back there with it."""
    form = _blank() | fields
    try:
        own = _own(form)
        packages.keep(database, own)
        where = _back(database, form["back"], form["ref"], own.name)
    except YellowfenError as problem:
        return page(
            request,
            "packages.html",
            _context(database, str(problem), form),
            status=status_of(problem),
        )
    return RedirectResponse(where, status_code=303)


def _back(database: Database, back: str, ref: str, name: str) -> str:
    """Where the description was asked for: a board's part takes it at once."""
    found = re.fullmatch(r"(board|sketch)-(\d{1,18})", back, re.ASCII)
    if found is None:
        return "/packages"
    board_id = int(found[2])
    if found[1] == "sketch":
        return f"/boards/{board_id}/sketch"
    choices = boards.source_of(database, board_id).choices
    kept = choices.parts.get(choices.key_of(ref), PartChoice(name=ref))
    correct_part(database, board_id, ref, replace(kept, footprint=name))
    return f"/boards/{board_id}?leaf=parts&part={quote(ref)}"


def _own(form: dict[str, str]) -> OwnPackage:
    def number(field: str) -> float:
        return typed_number(field, form[field])

    given = {
        "name": form["name"].strip(),
        **{field: number(field) for field in ("body_x_mm", "body_y_mm", "height_mm")},
        "joint": form["joint"],
        "material": form["material"],
        "moisture": form["moisture"],
        "polarity": form["polarity"].strip()[:200],
        "heat_shy": form["heat_shy"] == "yes",
        "iron_only": form["iron_only"] == "yes",
        "limit_c": number("limit_c") if form["limit_c"].strip() else None,
        "aliases": tuple(one.strip()[:80] for one in form["aliases"].split(",") if one.strip()),
        "lands": _lands(form),
    }
    try:
        return _ADAPTER.validate_python(given)
    except ValidationError as problem:
        first = problem.errors()[0]
        raise InvalidValue(
            ".".join(map(str, first["loc"])) or "package", str(first["msg"]).lower()
        ) from None


def _lands(form: dict[str, str]) -> tuple[Land, ...]:
    """Lands by counts and distances; none where no way of standing is chosen (then the board's own
    pads count).
    """
    if not form["layout"]:
        return ()
    joint = next((kind for kind in JointKind if kind == form["joint"]), JointKind.GULL_WING)
    thermal = None
    if form["thermal_x_mm"].strip():
        across = form["thermal_y_mm"].strip() or form["thermal_x_mm"]
        thermal = typed_number("thermal", form["thermal_x_mm"]), typed_number("thermal", across)
    ends, grid = form["layout"] == "two ends", form["layout"] == "grid"
    long = typed_number("land", form["land_long_mm"])
    return lands_by_count(
        form["layout"],
        2 if ends else typed_whole("pins", form["pins"]),
        0.0 if ends else typed_number("pitch", form["pitch_mm"]),
        apart_mm=0.0
        if grid or form["layout"] == "one row"
        else typed_number("apart", form["apart_mm"]),
        size_mm=(long, long if grid else typed_number("land", form["land_wide_mm"])),
        joint=joint,
        thermal_mm=thermal,
    )


@router.get("/packages.toml")
def carry_out(database: Database) -> Response:
    """All own packages as a TOML file."""
    text = write_packages(packages.rows(database))
    return Response(
        text,
        media_type="application/toml; charset=utf-8",
        headers=saved_as("packages.toml"),
    )


@router.post("/packages/file")
def carry_in(
    request: Request, database: Database, file: Annotated[UploadFile | None, File()] = None
) -> Response:
    try:
        if file is None or not file.filename:
            raise InvalidValue("file", "choose a package file first")
        take_in(database, file.file.read(), file.filename)
    except YellowfenError as problem:
        return page(
            request, "packages.html", _context(database, str(problem)), status=status_of(problem)
        )
    return RedirectResponse("/packages", status_code=303)


@router.post("/packages/remove")
def remove(database: Database, name: Annotated[str, Form()]) -> Response:
    put_away(database, "own_package", packages.row_of(database, name))
    return RedirectResponse("/packages", status_code=303)


@router.get("/api/packages")
def resolve(database: Database, name: str) -> dict[str, Any]:
    """The geometry that a package's name stands for."""
    package = library_of(database).find(name)
    if package is None or not package.lands:
        raise NotFound(
            f"no package with lands is known as {name[:60]!r}; try a name such as 0603, SOIC-8 or QFN-20"
        )
    return geometry(package)


def geometry(package: Package) -> dict[str, Any]:
    """What a sketch needs to draw a package (mm, own frame)."""
    return {
        "name": package.name,
        "family": package.family,
        "x": package.body_x_mm,
        "y": package.body_y_mm,
        "shy": package.heat_shy,
        "pin1": package.has_pin_1,
        "lands": [
            [land.pin, round(land.x_mm, 3), round(land.y_mm, 3), land.size_x_mm, land.size_y_mm]
            for land in package.lands
        ],
    }
