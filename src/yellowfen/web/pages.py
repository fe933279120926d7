"""Templates: autoescaped, strict about names, with the few filters that pages share."""

from importlib import resources
from pathlib import Path
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape

from yellowfen import __version__
from yellowfen.core.look.glossary import written_forms
from yellowfen.core.quantity.labels import by_label, key_in
from yellowfen.core.quantity.units import Kind, with_unit
from yellowfen.core.quantity.wording import counted, minutes_words
from yellowfen.core.run.pad_heats import AT_MOST
from yellowfen.core.run.stages import next_stage, strip
from yellowfen.core.work.job import Job
from yellowfen.store.moment import day_words, moment_words
from yellowfen.web.hints import hints_of
from yellowfen.web.once import once_key
from yellowfen.workflows.ledger import stages_behind

_TEMPLATES = resources.files("yellowfen.web") / "templates"
STATIC = Path(__file__).parent / "static"


def _seconds(value: float | None) -> str:
    return "never" if value is None else f"{value:.0f}\N{NO-BREAK SPACE}s"


def _plain(value: float) -> str:
    return f"{value:g}"


def _with_unit(value: float, unit: str, places: int | str | None = None) -> str:
    return with_unit(value, Kind(unit), places)


_ENVIRONMENT = Environment(
    loader=FileSystemLoader(str(_TEMPLATES)),
    autoescape=select_autoescape(default=True),
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
)
_ENVIRONMENT.filters |= {
    "seconds": _seconds,
    "plain": _plain,
    "with_unit": _with_unit,
    "moment": moment_words,
    "day": day_words,
    "counted": counted,
    "minutes_words": minutes_words,
}
_ENVIRONMENT.globals |= {
    "version": __version__,
    "strip": strip,
    "next_stage": next_stage,
    "once_key": once_key,
    "heats_at_most": AT_MOST,
    "word_forms": written_forms(),
}


def page(
    request: Request, template: str, context: dict[str, Any], status: int = 200
) -> HTMLResponse:
    """A rendered page; `room` in the context marks the room in the head, `job` brings its strip."""
    whole = {"room": "", "path": request.url.path, "behind": frozenset(), **context}
    if isinstance(job := whole.get("job"), Job):
        whole["behind"] = stages_behind(request.state.database, job)
    place = str(whole.get("stage") or whole["room"])
    database = getattr(request.state, "database", None)
    if status == 200 and database is not None and (hints := hints_of(database, place)):
        whole["hints"] = {"room": place, "hints": [one._asdict() for one in hints]}
    if isinstance(said := whole.get("problem"), str) and said:
        whole |= {"problem": by_label(said), "problem_field": key_in(said)}
    return HTMLResponse(_ENVIRONMENT.get_template(template).render(whole), status_code=status)


def fragment(template: str, context: dict[str, Any]) -> str:
    """A part of a page, as a script puts it in place."""
    return _ENVIRONMENT.get_template(template).render(context)
