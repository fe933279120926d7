"""A client on the application with the demo data."""

import hashlib
import pickle
import shutil
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from yellowfen.core.heat.usual import Usual
from yellowfen.web.app import create_app
from yellowfen.workflows import heat
from yellowfen.workflows.opening import DATABASE
from yellowfen.workflows.reading import Reader, reader

LARGE_BYTES = 1_000_000


@pytest.fixture(scope="session")
def reading_on() -> Iterator[None]:
    """One reading process for all tests: each that starts one of its own waits seconds for it. What
    small files were read as is remembered, for many tests bring in the same ones.
    """
    stop, ask = Reader.stop, Reader.ask
    read: dict[bytes, str] = {}

    def asked(
        reader: Reader,
        order: dict[str, Any],
        files: Mapping[str, bytes],
        on_step: Callable[[str], None] = lambda step: None,
    ) -> str:
        if order["deed"] != "board" or sum(map(len, files.values())) > LARGE_BYTES:
            return ask(reader, order, files, on_step)
        key = hashlib.blake2b(pickle.dumps((order, list(files.items())))).digest()
        if key not in read:
            read[key] = ask(reader, order, files, on_step)
        return read[key]

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Reader, "stop", lambda reader: None)
        patch.setattr(Reader, "ask", asked)
        yield
    stop(reader())


@pytest.fixture(scope="session")
def recipes_found_once() -> Iterator[None]:
    """A usual recipe hangs on its scene and doubts only, and most tests open the same few jobs."""
    found, kept = heat.usual_recipe, {}

    def usual_recipe(*asked: Any, **more: Any) -> Usual:
        key = hashlib.blake2b(pickle.dumps((asked, more))).digest()
        if key not in kept:
            kept[key] = found(*asked, **more)
        return kept[key]

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(heat, "usual_recipe", usual_recipe)
        yield


@pytest.fixture
def client(
    tmp_path: Path, filled: Path, reading_on: None, recipes_found_once: None
) -> Iterator[TestClient]:
    shutil.copy(filled, tmp_path / DATABASE)
    with TestClient(
        create_app(tmp_path),
        base_url="http://127.0.0.1",
        headers={"accept-encoding": "identity"},  # packed and unpacked at once: time for nothing
        raise_server_exceptions=False,
    ) as client:
        yield client


@pytest.fixture
def plan() -> dict[str, object]:
    """Settings as the Heat stage sends them."""
    return {
        "alloy": "Sn63Pb37",
        "station_id": 1,
        "air": {"nozzle_mm": 6, "outlet_c": 350, "flow_lpm": 30},
        "outlet_offset_c": 0,
        "underside": "insulating",
        "ambient_c": 23,
        "targets": ["U4"],
        "moves": [
            {"deed": "close", "seconds": 30, "height_mm": 15, "circle_mm": 4, "circle_s": 2},
            {"deed": "withdraw", "seconds": 10},
        ],
    }
