"""The bench's materials: paste lots with their life by taps, needles and foils at hand.

What is refused is answered with its sentence, nothing changed.
"""

import time
from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.deposit.by_hand import NEEDLES
from yellowfen.core.metal.alloy import ALLOYS
from yellowfen.core.metal.lot import Lot, LotEvent
from yellowfen.core.metal.paste import DISPENSE_SHARE, POWDERS, PRINT_SHARE, Paste
from yellowfen.core.quantity.number import typed_numbers
from yellowfen.core.quantity.units import GRAMS, MM, with_unit
from yellowfen.errors import InvalidValue, YellowfenError
from yellowfen.store import materials
from yellowfen.store.archive import archived, put_away
from yellowfen.store.database import atomic
from yellowfen.store.moment import moment_words
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.pages import page
from yellowfen.web.paste_page import number, paste_words, whole_number

router = APIRouter()
_BLANK = {
    "name": "",
    "alloy": "Sn63Pb37",
    "powder": "4",
    "metal": "90",
    "container": "syringe",
    "grams": "35",
    "expires": "",
}
_USUAL_FOILS = (0.08, 0.10, 0.12, 0.13, 0.15, 0.18, 0.20)


@router.get("/bench/materials")
def materials_page(request: Request, database: Database) -> Response:
    return _page(request, database, _BLANK)


def _page(
    request: Request,
    database: Database,
    typed: dict[str, str],
    problem: str = "",
    status: int = 200,
) -> Response:
    now = time.time()
    context = {
        "room": "bench",
        "typed": typed,
        "problem": problem,
        "lots": [_shown(one, now) for one in materials.lots(database)],
        "alloys": list(ALLOYS.values()),
        "powders": list(POWDERS),
        "archived": archived(database, "paste_lot"),
        "needles": NEEDLES,
        "foils": _USUAL_FOILS,
        "own_needles": materials.supply(database, "needle"),
        "own_foils": materials.supply(database, "foil"),
        "shares": (100 * PRINT_SHARE, 100 * DISPENSE_SHARE),
    }
    return page(request, "materials.html", context, status=status)


def _shown(lot: Lot, now: float) -> dict[str, Any]:
    since = lot.out_since_s()
    return {
        "id": lot.id,
        "name": lot.name,
        "paste": paste_words(lot.paste),
        "metal": 100 * lot.paste.metal_share,
        "container": lot.container,
        "grams": lot.grams,
        "left": lot.left_g,
        "share": lot.left_g / lot.grams,
        "out": lot.is_out,
        "out_since": moment_words(since) if since else "",
        "warm_h": lot.warm_h(now),
        "opened": moment_words(lot.opened_s) if lot.opened_s else "",
        "good_until": datetime.fromtimestamp(lot.good_until_s(), UTC).date().isoformat(),
        "own_date": lot.expires_s is not None,
        "findings": lot.findings(now),
        "events": [
            {
                "id": one.id,
                "at": moment_words(one.at_s),
                "kind": str(one.kind),
                "grams": one.grams,
                "said": one.said,
            }
            for one in reversed(lot.events)
        ],
    }


@router.post("/bench/materials")
def add(
    request: Request,
    database: Database,
    name: Annotated[str, Form()] = "",
    alloy: Annotated[str, Form()] = "",
    powder: Annotated[str, Form()] = "4",
    metal: Annotated[str, Form()] = "90",
    container: Annotated[str, Form()] = "syringe",
    grams: Annotated[str, Form()] = "",
    expires: Annotated[str, Form()] = "",
) -> Response:
    """Add a lot of paste."""
    typed = {
        "name": name,
        "alloy": alloy,
        "powder": powder,
        "metal": metal,
        "container": container,
        "grams": grams,
        "expires": expires,
    }
    try:
        paste = Paste(alloy, whole_number("powder", powder), number("metal", metal) / 100)
        materials.add_lot(
            database,
            Lot(
                id=0,
                name=name.strip(),
                paste=paste,
                container=container,
                grams=number("grams", grams),
                bought_s=time.time(),
                expires_s=_date(expires),
            ),
        )
    except YellowfenError as refused:
        return _page(request, database, typed, str(refused), status_of(refused))
    return RedirectResponse("/bench/materials", status_code=303)


def _date(text: str) -> float | None:
    """A day typed as 2027-03-31, as the end of that day; None for nothing typed."""
    if not text.strip():
        return None
    try:
        return datetime.fromisoformat(f"{text.strip()}T23:59:59").replace(tzinfo=UTC).timestamp()
    except ValueError:
        raise InvalidValue(
            "expires", f"{text[:20]!r} is not a date; type year-month-day, such as 2027-03-31"
        ) from None


@router.post("/bench/materials/{lot_id}/tap")
def tap(
    request: Request,
    lot_id: int,
    database: Database,
    kind: Annotated[str, Form()] = "",
    grams: Annotated[str, Form()] = "",
) -> Response:
    """What happened to a lot: out of the cold, back, opened, used, empty; or undo of the newest."""
    try:
        with atomic(database):
            lot = materials.lot(database, lot_id)
            if kind == "undo":
                if lot.events:
                    materials.remove_event(database, max(lot.events, key=lambda one: one.id).id)
            elif kind not in {str(one) for one in LotEvent}:
                raise InvalidValue("kind", f"{kind[:20]!r} is not an event of a paste")
            else:
                used = number("grams", grams) if kind == LotEvent.USED else 0.0
                if not 0 <= used <= 5000:
                    raise InvalidValue(
                        "grams",
                        f"{with_unit(used, GRAMS)} is not possible; type grams from 0 to 5000",
                    )
                materials.add_event(database, lot_id, LotEvent(kind), time.time(), used)
    except InvalidValue as refused:
        return _page(request, database, _BLANK, str(refused), status_of(refused))
    return RedirectResponse("/bench/materials", status_code=303)


@router.post("/bench/materials/{lot_id}/remove")
def remove(lot_id: int, database: Database) -> Response:
    put_away(database, "paste_lot", lot_id)
    return RedirectResponse("/bench/materials", status_code=303)


@router.post("/bench/supply")
def keep_supply(
    request: Request,
    database: Database,
    kind: Annotated[str, Form()] = "",
    size: Annotated[list[str] | None, Form()] = None,
    other: Annotated[str, Form()] = "",
) -> Response:
    """Keep which needles or foils are at hand."""
    try:
        sizes = [*(number(kind, one) for one in size or []), *typed_numbers(kind, other)]
        if kind == "needle":
            unknown = [one for one in sizes if one not in NEEDLES]
            if unknown:
                raise InvalidValue(
                    "needle",
                    f"there is no needle of {unknown[0]:g} gauge; known are {', '.join(map(str, NEEDLES))}",
                )
        elif kind == "foil":
            wrong = [one for one in sizes if not 0.03 <= one <= 0.5]
            if wrong:
                raise InvalidValue(
                    "foil",
                    f"a stencil of {with_unit(wrong[0], MM)} is not possible; type 0.03 to 0.5 mm",
                )
        else:
            raise InvalidValue("kind", "choose needle or stencil")
        with atomic(database):
            materials.keep_supply(database, kind, tuple(sizes))
    except YellowfenError as refused:
        return _page(request, database, _BLANK, str(refused), status_of(refused))
    return RedirectResponse("/bench/materials", status_code=303)
