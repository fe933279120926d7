"""A client on the application with the demo data."""

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from yellowfen.web.app import create_app
from yellowfen.workflows.opening import DATABASE
from yellowfen.workflows.reading import Reader, reader


@pytest.fixture(scope="session")
def reading_on() -> Iterator[None]:
    """One reading process for all tests: each that starts one of its own waits seconds for it."""
    stop = Reader.stop
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Reader, "stop", lambda reader: None)
        yield
    stop(reader())


@pytest.fixture
def client(tmp_path: Path, filled: Path, reading_on: None) -> Iterator[TestClient]:
    shutil.copy(filled, tmp_path / DATABASE)
    with TestClient(
        create_app(tmp_path), base_url="http://127.0.0.1", raise_server_exceptions=False
    ) as client:
        yield client


@pytest.fixture
def plan() -> dict[str, object]:
    """Settings as the Heat stage sends them."""
    return {
        "alloy": "Sn63Pb37",
        "station_id": 1,
        "nozzle_mm": 6,
        "outlet_c": 350,
        "flow_lpm": 30,
        "outlet_offset_c": 0,
        "underside": "insulating",
        "ambient_c": 23,
        "targets": ["U4"],
        "moves": [
            {"do": "close", "seconds": 30, "height_mm": 15, "circle_mm": 4, "circle_s": 2},
            {"do": "withdraw", "seconds": 10},
        ],
    }
