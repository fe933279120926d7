"""Errors to status and page. The only place where HTTP statuses are given to the core's errors."""

import sqlite3

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.exceptions import HTTPException

from yellowfen.core.quantity.labels import by_label
from yellowfen.errors import (
    Damaged,
    InvalidValue,
    NotFound,
    Refused,
    TooLarge,
    UnreadableFile,
    WhichBoard,
    YellowfenError,
)
from yellowfen.web.pages import page
from yellowfen.workflows.trouble import logged, storage_sentence

STATUS: tuple[tuple[type[YellowfenError], int], ...] = (
    (NotFound, 404),
    (Damaged, 409),
    (Refused, 409),
    (TooLarge, 413),
    (UnreadableFile, 422),
    (InvalidValue, 422),
    (YellowfenError, 400),
)


def status_of(error: YellowfenError) -> int:
    """The HTTP status of a core error."""
    return next(status for kind, status in STATUS if isinstance(error, kind))


def _answer(
    request: Request,
    status: int,
    sentence: str,
    field: str = "",
    error: Exception | None = None,
) -> Response:
    sentence = by_label(sentence)
    if "application/json" in request.headers.get("accept", "") or request.url.path.startswith(
        "/api/"
    ):
        return JSONResponse({"problem": sentence, "field": field}, status_code=status)
    context = {"sentence": sentence, "status": status, "damaged": isinstance(error, Damaged)}
    return page(request, "problem.html", context, status=status)


def unforeseen(request: Request, error: Exception) -> Response:
    """The page for what nobody foresaw: logged, with the log's mark."""
    mark = logged(error, request.url.path)
    said = f"The program failed; nothing was changed. The log has it under {mark}."
    return _answer(request, 500, said)


def add_error_pages(app: FastAPI) -> None:
    """Register the handlers."""

    @app.exception_handler(YellowfenError)
    def known(request: Request, error: YellowfenError) -> Response:
        return _answer(request, status_of(error), str(error), getattr(error, "field", ""), error)

    @app.exception_handler(WhichBoard)
    def which(request: Request, error: WhichBoard) -> Response:
        if request.url.path.startswith("/api/"):
            return _answer(request, 409, str(error))
        return RedirectResponse(f"/jobs/{error.job_id}/pieces", 303)

    @app.exception_handler(RequestValidationError)
    def invalid(request: Request, error: RequestValidationError) -> Response:
        found = error.errors()[0]
        field = ".".join(str(step) for step in found["loc"][1:]) or "request"
        said = str(found["msg"]).removeprefix("Value error, ")
        return _answer(request, 422, f"{field}: {said[:1].lower() + said[1:]}", field)

    @app.exception_handler(HTTPException)
    def http(request: Request, error: HTTPException) -> Response:
        sentence = (
            "There is no such page." if error.status_code == 404 else "This cannot be asked here."
        )
        return _answer(request, error.status_code, sentence)

    @app.exception_handler(sqlite3.Error)
    def stuck(request: Request, error: sqlite3.Error) -> Response:
        mark = logged(error, request.url.path)
        sentence, status = storage_sentence(error)
        return _answer(request, status, f"{sentence} The log has it under {mark}.")

    @app.exception_handler(OverflowError)
    def too_far(request: Request, error: OverflowError) -> Response:
        if "SQLite INTEGER" not in str(error):
            return unforeseen(request, error)
        return _answer(request, 404, "There is nothing with so large a number.")

    @app.exception_handler(UnicodeEncodeError)
    def no_text(request: Request, error: UnicodeEncodeError) -> Response:
        return _answer(
            request,
            422,
            "A text holds half a character, which cannot be stored; type it again. Nothing was changed.",
        )

    app.exception_handler(Exception)(unforeseen)
