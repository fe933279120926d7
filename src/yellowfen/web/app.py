"""Wiring of the web application: guards, compression, static files, routes, error pages."""

from pathlib import Path

from fastapi import FastAPI
from fastapi.staticfiles import StaticFiles
from starlette.middleware.gzip import GZipMiddleware

from yellowfen.web.errors import add_error_pages
from yellowfen.web.guards import Guards
from yellowfen.web.routes import bench, boards, heat, home, logbook, look, runs
from yellowfen.workflows.opening import open_database

STATIC = Path(__file__).parent / "static"


def create_app(data: Path) -> FastAPI:
    """The application on the database in a folder (made and migrated here)."""
    open_database(data).close()
    app = FastAPI(title="Yellowfen", docs_url=None, redoc_url=None, openapi_url=None)
    app.state.data = data
    for routes in (home, boards, heat, runs, look, bench, logbook):
        app.include_router(routes.router)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    add_error_pages(app)
    app.add_middleware(GZipMiddleware, minimum_size=800, compresslevel=3)
    app.add_middleware(Guards)
    return app
