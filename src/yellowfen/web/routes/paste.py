"""The Paste stage: every stencil opening judged in a foil with a paste, drawn on the plan, worst first."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response
from markupsafe import Markup

from yellowfen.core.board.board import Board
from yellowfen.core.deposit.judge import BRIDGES, MAY_BRIDGE, Judged, JudgedOpening, compare_foils, judge
from yellowfen.core.deposit.leadless import leadless_parts
from yellowfen.core.deposit.stencil import FOILS_MM, coarsest_powder
from yellowfen.core.metal.paste import PASTES, POWDERS, Paste, paste_named
from yellowfen.errors import InvalidValue
from yellowfen.store import boards, jobs
from yellowfen.web.database import Database
from yellowfen.web.leadless_svg import side_view
from yellowfen.web.pages import page
from yellowfen.web.plan_svg import plan_svg, ring_path

router = APIRouter()
ROWS_SHOWN = 60
_SIGNS = {"fails": "×", "bridges": "=", "lean": "–", "fat": "+", "mind": "", "good": ""}


@router.get("/jobs/{job_id}/paste")
def paste_page(request: Request, job_id: int, database: Database, foil: str = "", paste: str = "sn63-t4", side: str = "top") -> Response:
    job = jobs.get(database, job_id)
    board = boards.get(database, job.board_id)
    side = "bottom" if side == "bottom" else "top"
    chosen = paste_named(paste)
    compared, best = compare_foils(board, chosen)
    problem = ""
    try:
        judged = judge(board, _foil(foil, best), chosen)
    except InvalidValue as refused:
        problem, judged = str(refused), judge(board, best, chosen)
    foil_mm = judged.foil_mm
    context = {
        "room": "jobs", "stage": "paste", "job": job, "board": board, "side": side, "plan": plan_svg(board, side, overlay=_drawn(judged, side)), "judged": judged,
        "problem": problem, "typed": foil if problem else f"{foil_mm:g}", "foil": foil_mm, "best": best, "paste": paste, "pastes": {name: _paste_words(one) for name, one in PASTES.items()},
        "foils": [(one.foil_mm, one.wrong) for one in compared], "most": max([1, *(one.wrong for one in compared)]), "other": foil_mm not in FOILS_MM,
        "rows": _grouped(judged)[:ROWS_SHOWN], "powder": _powder(board, chosen),
        "words": _words(judged, best), "leadless": [(one, side_view(one)) for one in leadless_parts(board, judged, chosen)],
    }  # fmt: skip
    return page(request, "paste.html", context, status=422 if problem else 200)


def _foil(text: str, best: float) -> float:
    """The foil typed, with point or comma; the best one when nothing was typed."""
    if not text.strip():
        return best
    try:
        return float(text.replace(",", "."))
    except ValueError:
        raise InvalidValue("foil_mm", f"{text[:20]!r} is not a number of mm") from None


def _paste_words(paste: Paste) -> str:
    return f"{paste.metal.plain_name}, type {paste.powder}"


def state_of(one: JudgedOpening) -> str:
    """The worst thing about an opening in one word."""
    if one.release.fails:
        return "fails"
    if one.bridge >= BRIDGES:
        return "bridges"
    if one.verdict in ("lean", "fat"):
        return one.verdict
    return "mind" if one.warnings or one.bridge >= MAY_BRIDGE else "good"


def _grouped(judged: Judged) -> list[tuple[JudgedOpening, str, list[str]]]:
    """Openings that are not right, those of one part with the same trouble together: the worst, its state, the pins."""
    groups: dict[tuple[str, str, str], tuple[JudgedOpening, str, list[str]]] = {}
    for one in judged.openings:
        state = state_of(one)
        if state != "good":
            key = (one.ref, state, one.warnings[0] if one.warnings else "")
            groups.setdefault(key, (one, state, []))[2].append(one.pin)
    return list(groups.values())


def _drawn(judged: Judged, side: str) -> Markup:
    """The openings over the plan: state by fill, and by a sign in the middle."""
    shapes = []
    for one in judged.openings:
        if one.opening.side != side:
            continue
        state = state_of(one)
        xs, ys = zip(*one.opening.ring, strict=True)
        x, y = (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2
        size = max(0.35, 0.9 * min(max(xs) - min(xs), max(ys) - min(ys)))
        flip = "scale(1,-1)" if side == "top" else "scale(-1,-1)"
        sign = (
            f'<text class="opening-sign" font-size="{size:.2f}" y="{0.35 * size:.2f}" transform="translate({x:.3f},{y:.3f}) {flip}">{_SIGNS[state]}</text>'
            if _SIGNS[state]
            else ""
        )
        shapes.append(f'<path class="opening is-{state}" d="{ring_path(one.opening.ring)}"/>{sign}')
    return Markup("".join(shapes))


def _words(judged: Judged, best: float) -> str:
    """What to take away first."""
    if not judged.openings:
        return "This board has no stencil openings: add its paste layer, or work by hand."
    if not judged.wrong:
        tail = "" if judged.foil_mm == best else f" A foil of {best:g} mm is as good and lets more through."
        return f"Every opening comes out right at {judged.foil_mm:g} mm.{tail if best > judged.foil_mm else ''}"
    better = "" if judged.foil_mm == best else f"; {best:g} mm does better"
    return f"{judged.wrong} of {len(judged.openings)} openings do not come out right at {judged.foil_mm:g} mm{better}."


def _powder(board: Board, paste: Paste) -> dict[str, Any]:
    """The coarsest powder that suits every opening, and the opening that asks for it."""
    if not board.openings:
        return {"type": None, "narrow": 0.0, "enough": True}
    narrow = min(min(one.size_x_mm, one.size_y_mm) for one in board.openings)
    kind = coarsest_powder(narrow, False, POWDERS)
    return {"type": kind, "narrow": narrow, "enough": kind is not None and paste.powder >= kind}
