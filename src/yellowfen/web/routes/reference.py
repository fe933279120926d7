"""Reference: answers without a job."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from yellowfen.core.look.glossary import terms
from yellowfen.core.look.reference import entries
from yellowfen.errors import NotFound
from yellowfen.web import hints
from yellowfen.web.database import Database
from yellowfen.web.pages import fragment, page
from yellowfen.web.reference_svg import seen_drawn
from yellowfen.web.words_svg import word_drawn

router = APIRouter()


@router.get("/reference")
def reference(request: Request, _: Database, see: str = "") -> Response:
    """I see this: why, and what now."""
    every = entries()
    chosen = next((one for one in every if one.name == see), None)
    context = {
        "room": "reference",
        "entries": [(one, seen_drawn(one.name)) for one in every],
        "chosen": chosen,
        "drawn": seen_drawn(chosen.name) if chosen else "",
    }
    return page(request, "reference.html", context)


@router.get("/reference/words")
def words(request: Request, _: Database) -> Response:
    """The glossary."""
    drawn = [(one, word_drawn(one.key, one.name)) for one in terms()]
    return page(request, "words.html", {"room": "reference", "words": drawn})


@router.post("/hints/{room}/dismiss")
def dismiss_hints(room: str, database: Database) -> Response:
    """Show the hints of a room no more."""
    hints.dismiss(database, room)
    return JSONResponse({"dismissed": room})


@router.post("/hints/again")
def show_hints_again(database: Database) -> Response:
    """Show all hints once more."""
    hints.show_again(database)
    return RedirectResponse("/", status_code=303)


@router.get("/reference/words/{key}")
def word(key: str) -> Response:
    """One term, as a page shows it beside its text. Raises NotFound for a word that is not there."""
    found = next((one for one in terms() if one.key == key), None)
    if found is None:
        raise NotFound(f"there is no word {key[:40]!r} here; all are under Reference › Words")
    drawn = word_drawn(found.key, found.name)
    return HTMLResponse(fragment("word_card.html", {"word": found, "drawn": drawn}))
