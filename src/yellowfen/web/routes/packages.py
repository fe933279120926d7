"""The package catalogue: what is built in, what the user added, carrying it in and out."""

from typing import Annotated, Any

from fastapi import APIRouter, File, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response
from pydantic import TypeAdapter, ValidationError

from yellowfen.core.part.catalogue import PALETTE, package_named
from yellowfen.core.part.library import MOISTURE, OwnPackage
from yellowfen.core.part.package import JointKind, Package
from yellowfen.core.quantity.number import typed_number
from yellowfen.errors import InvalidValue, NotFound, YellowfenError
from yellowfen.formats.package_file import write_packages
from yellowfen.store import packages
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.package_svg import package_drawing, package_facts
from yellowfen.web.pages import page
from yellowfen.workflows.boards import library_of
from yellowfen.workflows.parts import take_in

router = APIRouter()
_ADAPTER = TypeAdapter(OwnPackage)


@router.get("/packages")
def catalogue(request: Request, database: Database) -> Response:
    return page(request, "packages.html", _context(database))


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
    blank = {
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
    }
    return {
        "room": "boards",
        "problem": problem,
        "built_in": built_in,
        "own": own,
        "form": blank | (form or {}),
        "moisture": MOISTURE,
        "joints": [kind.value for kind in JointKind],
    }


@router.post("/packages")
def add(
    request: Request,
    database: Database,
    name: Annotated[str, Form()] = "",
    body_x_mm: Annotated[str, Form()] = "",
    body_y_mm: Annotated[str, Form()] = "",
    height_mm: Annotated[str, Form()] = "",
    joint: Annotated[str, Form()] = "gull-wing",
    material: Annotated[str, Form()] = "moulded",
    moisture: Annotated[str, Form()] = "",
    polarity: Annotated[str, Form()] = "",
    aliases: Annotated[str, Form()] = "",
    limit_c: Annotated[str, Form()] = "",
    heat_shy: Annotated[str, Form()] = "",
    iron_only: Annotated[str, Form()] = "",
) -> Response:
    form = {
        "name": name,
        "body_x_mm": body_x_mm,
        "body_y_mm": body_y_mm,
        "height_mm": height_mm,
        "joint": joint,
        "material": material,
        "moisture": moisture,
        "polarity": polarity,
        "aliases": aliases,
        "limit_c": limit_c,
        "heat_shy": heat_shy,
        "iron_only": iron_only,
    }
    try:
        packages.keep(database, _own(form))
    except YellowfenError as problem:
        return page(
            request,
            "packages.html",
            _context(database, str(problem), form),
            status=status_of(problem),
        )
    return RedirectResponse("/packages", status_code=303)


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
    }
    try:
        return _ADAPTER.validate_python(given)
    except ValidationError as problem:
        first = problem.errors()[0]
        raise InvalidValue(
            ".".join(map(str, first["loc"])) or "package", str(first["msg"]).lower()
        ) from None


@router.get("/packages.toml")
def carry_out(database: Database) -> Response:
    """All own packages as a TOML file."""
    text = write_packages(packages.rows(database))
    return Response(
        text,
        media_type="application/toml; charset=utf-8",
        headers={"content-disposition": 'attachment; filename="packages.toml"'},
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
    packages.remove(database, name)
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
