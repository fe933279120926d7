"""What every leaf of the Paste stage shares: the plan with openings laid over, words for states,
the strip of leaves.
"""

from collections.abc import Iterable
from typing import Any

from fastapi import Request
from fastapi.responses import Response
from markupsafe import Markup

from yellowfen.core.deposit.better import state_of
from yellowfen.core.deposit.changes import place_of
from yellowfen.core.deposit.judge import Judged
from yellowfen.core.metal.paste import Paste
from yellowfen.core.quantity.number import typed_number, typed_whole
from yellowfen.formats.board_pads import OPENINGS_LESS_MM
from yellowfen.web.pages import page
from yellowfen.web.plan_svg import opening_path, plan_svg
from yellowfen.workflows.paste import PasteState

LEAVES = (
    ("", "Stencil"),
    ("/openings", "Apertures"),
    ("/leadless", "Leadless parts"),
    ("/hand", "By hand"),
    ("/weigh", "Weigh"),
    ("/mixing", "Alloy mix"),
    ("/fixture", "Print set-up"),
)
PRINTED_LEAVES = ("", "/openings", "/leadless", "/weigh", "/fixture")
SIGNS = {"fails": "×", "bridges": "=", "starved": "–", "excess": "+", "mind": "", "good": ""}


def side_of(side: str) -> str:
    """The side asked for; anything else is the top."""
    return "bottom" if side == "bottom" else "top"


def leaf_page(
    request: Request,
    template: str,
    state: PasteState,
    leaf: str,
    side: str,
    context: dict[str, Any],
    overlay: Markup = Markup(""),
    status: int = 200,
) -> Response:
    """A leaf with its plan."""
    whole = {
        "room": "jobs",
        "stage": "paste",
        "job": state.job,
        "board": state.board,
        "leaf": leaf,
        "leaves": LEAVES,
        "side": side,
        "state": state,
        "plan": plan_svg(state.whole, side, overlay=overlay),
        "problem": "",
        "foil": state.foil_mm,
        "paste_said": paste_words(state.paste),
        "unprinted": not state.judged.openings and leaf in PRINTED_LEAVES,
        "from_files": bool(state.whole.layers),
        "openings_less_mm": OPENINGS_LESS_MM,
        **context,
    }
    return page(request, template, whole, status=status)


def paste_words(paste: Paste) -> str:
    """A paste in a few words."""
    return f"{paste.metal.plain_name}, type {paste.powder}"


def number(field: str, text: str, empty: float | None = None) -> float:
    """A number typed with point or comma; `empty` for nothing typed.

    Raises InvalidValue for anything else.
    """
    return empty if not text.strip() and empty is not None else typed_number(field, text)


def whole_number(field: str, text: str) -> int:
    """A whole number typed. Raises InvalidValue otherwise."""
    return typed_whole(field, text)


def openings_drawn(judged: Judged, side: str) -> Markup:
    """The openings over the plan: state by fill, and by a sign in the middle."""
    shapes = []
    for one in judged.openings:
        if one.opening.side != side:
            continue
        state = state_of(one)
        xs, ys = zip(*one.opening.ring, strict=True)
        size = max(0.35, 0.9 * min(max(xs) - min(xs), max(ys) - min(ys)))
        sign = (
            sign_at((min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2, size, SIGNS[state], side)
            if SIGNS[state]
            else ""
        )
        shapes.append(
            f'<path class="opening is-{state}" fill-rule="evenodd" d="{opening_path(one.opening)}"/>{sign}'
        )
    return Markup("".join(shapes))


def sign_at(x: float, y: float, size: float, sign: str, side: str) -> str:
    """A sign on the plan, upright on either side."""
    flip = "scale(1,-1)" if side == "top" else "scale(-1,-1)"
    return f'<text class="opening-sign" font-size="{size:.2f}" y="{0.35 * size:.2f}" transform="translate({x:.3f},{y:.3f}) {flip}">{sign}</text>'


def as_drawn(state: PasteState, side: str) -> Markup:
    """Dashed outlines of the openings as the board's files have them, where they were changed."""
    before = (
        one
        for one in state.drawn.openings
        if one.side == side and place_of(state.drawn, one) in state.changes
    )
    return Markup("".join(f'<path class="opening-was" d="{opening_path(one)}"/>' for one in before))


def refs_in_short(refs: Iterable[str], most: int = 6) -> str:
    """Names of parts, the first few and how many more."""
    names = list(dict.fromkeys(refs))
    return ", ".join(names[:most]) + (f" and {len(names) - most} more" if len(names) > most else "")
