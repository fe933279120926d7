"""The Paste stage's leaf of the printing fixture."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from yellowfen.core.deposit.fixture import fixture
from yellowfen.formats.fixture_out import fixture_dxf, fixture_svg_file
from yellowfen.web.database import Database
from yellowfen.web.fixture_svg import fixture_svg
from yellowfen.web.paste_page import leaf_page, side_of
from yellowfen.workflows.paste import changed_board, paste_state
from yellowfen.workflows.ready import ready_state, warming

router = APIRouter()


@router.get("/jobs/{job_id}/paste/fixture")
def fixture_leaf(request: Request, job_id: int, database: Database, side: str = "top") -> Response:
    state, side = paste_state(database, job_id), side_of(side)
    warm, nothing = warming(database, ready_state(database, job_id))
    found = fixture(state.board, side, warm.words if warm else nothing)
    return leaf_page(
        request,
        "paste_fixture.html",
        state,
        leaf="/fixture",
        side=side,
        context={"found": found, "drawing": fixture_svg(state.board, found, side)},
    )


@router.get("/jobs/{job_id}/paste/fixture.{kind}")
def fixture_file(job_id: int, kind: str, database: Database, side: str = "top") -> Response:
    """The fixture as DXF (scraps to cut) or as SVG in true millimetres."""
    board, side = changed_board(database, job_id), side_of(side)
    found = fixture(board, side)
    media, data = (
        ("image/vnd.dxf", fixture_dxf(board, found))
        if kind == "dxf"
        else ("image/svg+xml", fixture_svg_file(board, found))
    )
    kind = "dxf" if kind == "dxf" else "svg"
    return Response(
        data,
        media_type=media,
        headers={"content-disposition": f'attachment; filename="fixture-{job_id}-{side}.{kind}"'},
    )
