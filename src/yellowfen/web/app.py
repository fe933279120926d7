"""Wiring of the web application: guards, compression, static files, routes, error pages."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI
from fastapi.staticfiles import StaticFiles
from starlette.middleware.gzip import GZipMiddleware

from yellowfen.store import work
from yellowfen.web.database import Resting
from yellowfen.web.errors import add_error_pages
from yellowfen.web.guards import Guards
from yellowfen.web.pages import STATIC
from yellowfen.web.routes import (
    bench,
    boards,
    damaged,
    fixture,
    hand,
    heat,
    home,
    imports,
    jobs,
    leadless,
    logbook,
    look,
    materials,
    mixing,
    openings,
    packages,
    paste,
    pictures,
    place,
    prints,
    proof,
    ready,
    reference,
    rework,
    runs,
    search,
    sketch,
    teach,
    today,
    tools,
)
from yellowfen.web.turnstile import Turnstile
from yellowfen.web.worker_process import WorkerProcess
from yellowfen.workflows.boards import ask_rereads
from yellowfen.workflows.heat import give_up_weighing
from yellowfen.workflows.long_work import HEAT, IMPORTS, kinds_of
from yellowfen.workflows.opening import open_database
from yellowfen.workflows.reading import reader


def create_app(data: Path) -> FastAPI:
    """The application on the database in a folder (made and migrated here)."""
    connection = open_database(data)
    ask_rereads(connection)
    reading = work.left_open(connection, kinds_of(IMPORTS))
    searching = work.left_open(connection, kinds_of(HEAT))
    connection.close()
    worker, importer = WorkerProcess(data, HEAT), WorkerProcess(data, IMPORTS)

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        if reading:  # what a server that was killed left behind goes on by itself
            importer.wake()
        if searching:
            worker.wake()
        yield
        give_up_weighing()
        worker.stop()
        importer.stop()
        reader().stop()
        app.state.resting.close()

    app = FastAPI(
        title="Yellowfen", lifespan=lifespan, docs_url=None, redoc_url=None, openapi_url=None
    )
    app.state.data = data
    app.state.resting = Resting(data)
    app.state.worker = worker
    app.state.importer = importer
    # Routes are prepared when the first request passes them, so what is tapped at the bench stands
    # first.
    for routes in (
        home,
        runs,
        place,
        hand,
        sketch,
        imports,
        boards,
        packages,
        paste,
        openings,
        leadless,
        prints,
        mixing,
        fixture,
        materials,
        today,
        ready,
        jobs,
        heat,
        rework,
        search,
        look,
        pictures,
        proof,
        reference,
        teach,
        tools,
        bench,
        logbook,
        damaged,
    ):
        app.include_router(routes.router)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    add_error_pages(app)
    app.add_middleware(GZipMiddleware, minimum_size=800, compresslevel=3)
    app.add_middleware(Turnstile)
    app.add_middleware(Guards)
    return app
