"""Wiring of the web application: guards, compression, static files, routes, error pages."""

import asyncio
import sys
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from importlib import import_module
from pathlib import Path

from fastapi import FastAPI
from fastapi.staticfiles import StaticFiles

from yellowfen.store import boards, work
from yellowfen.store.database import may_write
from yellowfen.store.kept import Kept
from yellowfen.web.database import Resting
from yellowfen.web.errors import add_error_pages
from yellowfen.web.guards import Guards
from yellowfen.web.late import Late, LateRoutes
from yellowfen.web.once import Once
from yellowfen.web.pages import STATIC
from yellowfen.web.routes import home
from yellowfen.web.turnstile import Turnstile
from yellowfen.web.worker_process import WorkerProcess
from yellowfen.web.zipped import Zipped
from yellowfen.workflows.long_work import HEAT, IMPORTS, kinds_of
from yellowfen.workflows.opening import open_database

# Loaded behind the first page. Routes are prepared when the first request passes them, so what is
# tapped at the bench stands first.
LATER = [
    "runs",
    "number",
    "place",
    "hand",
    "sketch",
    "imports",
    "boards",
    "packages",
    "paste",
    "openings",
    "leadless",
    "prints",
    "mixing",
    "fixture",
    "materials",
    "today",
    "ready",
    "jobs",
    "heat",
    "rework",
    "search",
    "look",
    "pictures",
    "proof",
    "reference",
    "teach",
    "tools",
    "bench",
    "logbook",
    "damaged",
    "archive",
]
LATER_S = 0.7


def _module(name: str) -> str:
    return f"yellowfen.web.routes.{name}"


def _load() -> None:
    for name in LATER:
        import_module(_module(name))


def create_app(data: Path) -> FastAPI:
    """The application on the database in a folder (made and migrated here)."""
    connection = open_database(data)
    if may_write(connection) and boards.stale(connection):
        import_module("yellowfen.workflows.boards").ask_rereads(connection)
    reading = work.left_open(connection, kinds_of(IMPORTS))
    searching = work.left_open(connection, kinds_of(HEAT))
    connection.close()
    worker, importer = WorkerProcess(data, HEAT), WorkerProcess(data, IMPORTS)

    def add() -> None:
        for name in LATER:
            app.include_router(sys.modules[_module(name)].router)

    late = Late(_load, add)

    async def soon() -> None:
        await asyncio.sleep(LATER_S)
        await late.there()

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        if reading:  # what a server that was killed left behind goes on by itself
            importer.wake()
        if searching:
            worker.wake()
        loading = asyncio.create_task(soon())
        yield
        loading.cancel()
        with suppress(asyncio.CancelledError):
            await loading
        if heat := sys.modules.get("yellowfen.workflows.heat"):
            heat.give_up_weighing(app.state.kept)
        worker.stop()
        importer.stop()
        if reading_process := sys.modules.get("yellowfen.workflows.reading"):
            reading_process.reader().stop()
        app.state.resting.close()

    app = FastAPI(
        title="Yellowfen", lifespan=lifespan, docs_url=None, redoc_url=None, openapi_url=None
    )
    app.state.data = data
    app.state.lacks = ""
    app.state.once = Once()
    app.state.kept = Kept()
    app.state.resting = Resting(data, app.state.kept)
    app.state.worker = worker
    app.state.importer = importer
    app.include_router(home.router)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    add_error_pages(app)
    app.add_middleware(Zipped, minimum_size=800, compresslevel=3)
    app.add_middleware(Turnstile)
    app.add_middleware(LateRoutes, there=late.there)
    app.add_middleware(Guards)
    return app
