"""What the server's start waits for: the first page and nothing else."""

import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from yellowfen.web import app as wiring
from yellowfen.workflows.opening import DATABASE

LOADED = """
import sys
import yellowfen.web.app as wiring
print([one for one in ("numba", "shapely", "yellowfen.web.routes.heat") if one in sys.modules])
wiring._load()
print([one for one in ("numba", "yellowfen.web.routes.heat") if one in sys.modules])
"""


def test_neither_the_compiler_nor_other_pages_routes_are_loaded_first() -> None:
    """A compiled loop that is imported at the top of a module costs every start a quarter second."""
    told = subprocess.run(
        [sys.executable, "-c", LOADED], capture_output=True, text=True, check=True
    ).stdout.split("\n")
    assert told[:2] == ["[]", "['yellowfen.web.routes.heat']"]


def test_other_pages_are_there_by_the_first_request(
    tmp_path: Path, filled: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(wiring, "LATER_S", 600.0)
    shutil.copy(filled, tmp_path / DATABASE)
    app = wiring.create_app(tmp_path)
    with TestClient(app, base_url="http://127.0.0.1") as client:
        few = len(app.routes)
        for path in ("/", "/static/yellowfen.css", "/jobs/1/board.svg", "/favicon.ico"):
            assert client.get(path).status_code == 200
        assert len(app.routes) == few
        assert client.get("/nowhere").status_code == 404
        assert len(app.routes) > few + 20
        assert client.get("/today").status_code == 200
