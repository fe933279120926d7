"""Fixtures shared by all tests."""

import fcntl
import hashlib
import os
import pickle
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, settings

from yellowfen.cli import main
from yellowfen.core.board.board import Board
from yellowfen.core.heat import sureness
from yellowfen.core.heat.scene import (
    BoardStack,
    CopperLayer,
    Deed,
    Move,
    PlacedPart,
    Scene,
    Side,
    Underside,
)
from yellowfen.core.heat.source import HotAir
from yellowfen.core.part.catalogue import package_named
from yellowfen.formats.board_files import read_board
from yellowfen.workflows import demo
from yellowfen.workflows.demo import demo_files
from yellowfen.workflows.opening import back_up, open_database

DATA = Path(__file__).parent / "data"

# No test is timed: a machine that is busy is no fault of the code.
settings.register_profile("unhurried", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("unhurried")


def files_in(folder: Path) -> dict[str, bytes]:
    """The board files of a test folder by name."""
    return {
        path.name: path.read_bytes()
        for path in sorted(folder.iterdir())
        if not path.name.startswith("LICENSE")
    }


def small_scene(**changes: object) -> Scene:
    """One SOIC-8 and an 0603 beside it on a small board under hot air."""
    given: dict[str, object] = {
        "outlet_c": 360.0,
        "flow_lpm": 30.0,
        "height_mm": 15.0,
        "close_s": 40.0,
        "alloy": "Sn63Pb37",
        "top": 0.3,
        "underside": Underside.INSULATING,
        "plane_pins": (),
        "rotation": 0.0,
        "cool_s": 40.0,
    } | changes
    copper = (
        CopperLayer(layer="top", coverage=given["top"], thickness_um=35, depth=0.0),
        CopperLayer(layer="bottom", coverage=0.6, thickness_um=35, depth=1.0),
    )
    parts = (
        PlacedPart(
            ref="U1",
            package=package_named("SOIC-8"),
            x_mm=15,
            y_mm=12,
            rotation_deg=given["rotation"],
            side=Side.TOP,
            alloy=given["alloy"],
            plane_pins=given["plane_pins"],
        ),
        PlacedPart(
            ref="R1",
            package=package_named("0603"),
            x_mm=21.5,
            y_mm=12,
            rotation_deg=0,
            side=Side.TOP,
            alloy=given["alloy"],
        ),
    )
    moves = (
        Move(
            deed=Deed.CLOSE,
            seconds=given["close_s"],
            over=("U1",),
            height_mm=given["height_mm"],
            circle_mm=4,
        ),
        Move(deed=Deed.WITHDRAW, seconds=given["cool_s"]),
    )
    board = BoardStack(
        width_mm=30, height_mm=24, thickness_mm=1.6, copper=copper, underside=given["underside"]
    )
    return Scene(
        board=board,
        parts=parts,
        source=HotAir(nozzle_mm=6, outlet_c=given["outlet_c"], flow_lpm=given["flow_lpm"]),
        moves=moves,
        targets=("U1",),
    )


@pytest.fixture(scope="session", autouse=True)
def samples_drawn_once() -> Iterator[None]:
    """A sample behind a band hangs on its arguments only, and many tests open the same jobs: each
    is rehearsed the first time that it is asked for and then remembered by all that went into it.
    """
    drawn, kept = sureness.one_sample, {}

    def one_sample(*asked: Any, **more: Any) -> sureness.Sample:
        if more.get("ready") is not None or len(asked) > 4:
            return drawn(*asked, **more)
        key = hashlib.blake2b(pickle.dumps((asked, sorted(more.items())))).digest()
        if key not in kept:
            kept[key] = drawn(*asked, **more)
        return kept[key]

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(sureness, "one_sample", one_sample)
        yield


@pytest.fixture(scope="session")
def demo_board() -> Board:
    return read_board(demo_files(), "demo")


def made_once(
    tmp_path_factory: pytest.TempPathFactory, name: str, make: Callable[[Path], None]
) -> Path:
    """A folder filled by `make`; test processes that run beside each other (`tests/at_once.sh`)
    share it: the first to ask makes it, the others wait.
    """
    shared = os.environ.get("TESTS_SHARE")
    folder = (Path(shared) if shared else tmp_path_factory.mktemp("made")) / name
    folder.parent.mkdir(exist_ok=True)
    with folder.with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not folder.exists():
            beginning = folder.with_suffix(".part")
            beginning.mkdir()
            make(beginning)
            beginning.rename(folder)
    return folder


@pytest.fixture(scope="session")
def filled(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A database with the demo data, to be copied."""

    def fill(folder: Path) -> None:
        connection = open_database(folder)
        demo.fill(connection)
        back_up(folder, folder / "copy.sqlite3")
        connection.close()

    return made_once(tmp_path_factory, "filled", fill) / "copy.sqlite3"


@pytest.fixture(scope="session")
def furnished(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder that `yellowfen demo` makes, with the demo's past; to be read, or copied."""

    def furnish(folder: Path) -> None:
        assert main(["demo", "--data", str(folder)]) == 0

    return made_once(tmp_path_factory, "furnished", furnish)
