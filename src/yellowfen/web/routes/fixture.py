"""The Paste stage's leaf of the printing fixture."""

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.run.printing import PRINT
from yellowfen.formats.fixture_out import fixture_dxf, fixture_svg_file
from yellowfen.store import bench_runs
from yellowfen.web.database import Database
from yellowfen.web.downloads import saved_as
from yellowfen.web.fixture_svg import fixture_svg
from yellowfen.web.paste_page import leaf_page, side_of
from yellowfen.workflows import bench_runs as work
from yellowfen.workflows.jobs import fixture_of
from yellowfen.workflows.paste import changed_board, paste_state

router = APIRouter()


@router.get("/jobs/{job_id}/paste/fixture")
def fixture_leaf(request: Request, job_id: int, database: Database, side: str = "top") -> Response:
    state, side = paste_state(database, job_id), side_of(side)
    found = fixture_of(database, job_id, side)
    return leaf_page(
        request,
        "paste_fixture.html",
        state,
        leaf="/fixture",
        side=side,
        context={
            "found": found,
            "drawing": fixture_svg(state.board, found, side),
            "openings": any(one.side == side for one in state.board.openings),
            "unfinished": bench_runs.unfinished(database, job_id, PRINT),
        },
    )


@router.post("/jobs/{job_id}/paste/print")
def start_printing(
    job_id: int, database: Database, side: Annotated[str, Form()] = "top"
) -> Response:
    """Open the bench's run over the prints of a side."""
    run = work.start_printing(database, job_id, side_of(side))
    return RedirectResponse(f"/runs/{run}", status_code=303)


@router.get("/jobs/{job_id}/paste/fixture.{kind}")
def fixture_file(job_id: int, kind: str, database: Database, side: str = "top") -> Response:
    """The fixture as DXF (scraps to cut) or as SVG in true millimetres."""
    board, side = changed_board(database, job_id), side_of(side)
    found = fixture_of(database, job_id, side)
    media, data = (
        ("image/vnd.dxf", fixture_dxf(board, found))
        if kind == "dxf"
        else ("image/svg+xml", fixture_svg_file(board, found))
    )
    kind = "dxf" if kind == "dxf" else "svg"
    return Response(
        data,
        media_type=media,
        headers=saved_as(f"fixture-{job_id}-{side}.{kind}"),
    )
