"""Filling an empty database with the demo scenario."""

import sqlite3
import time
from importlib import resources

from yellowfen.core.board.choices import Choices
from yellowfen.core.metal.lot import Lot, LotEvent
from yellowfen.core.metal.paste import paste_named
from yellowfen.core.work.job import HeatPlan, Station, usual_moves
from yellowfen.demo.scenario import NAME
from yellowfen.formats.board_files import read_board
from yellowfen.store import boards, jobs, materials, stations
from yellowfen.store.boards import Source
from yellowfen.store.database import atomic


def demo_files() -> dict[str, bytes]:
    """The demo board's files by name."""
    folder = resources.files("yellowfen.demo.board")
    return {
        item.name: item.read_bytes()
        for item in sorted(folder.iterdir(), key=lambda item: item.name)
        if item.name.startswith("reedgate")
    }


def fill(connection: sqlite3.Connection) -> bool:
    """Add the demo board, a station and a job, unless the demo board is there already.

    True when something was added.
    """
    if any(row.name == NAME for row in boards.rows(connection)):
        return False
    files = demo_files()
    board = read_board(files, NAME)
    with atomic(connection):
        board_id = boards.add(connection, board, Source(files, Choices()))
        if not stations.rows(connection):
            stations.add(connection, Station(0, "Bench station", 6.0, 350.0, 30.0, "350", "3"))
        station = stations.rows(connection)[0]
        plan = HeatPlan(
            station_id=station.id,
            nozzle_mm=station.nozzle_mm,
            outlet_c=station.outlet_c,
            flow_lpm=station.flow_lpm,
            targets=("U4",),
            moves=usual_moves(("U4",)),
        )
        if not materials.lots(connection):
            _fill_materials(connection)
        jobs.add(connection, board_id, "Refit the storage chip U4", plan)
    return True


def _fill_materials(connection: sqlite3.Connection) -> None:
    """A syringe of leaded paste in use, and three needles."""
    day, now = 86400.0, time.time()
    lot = materials.add_lot(
        connection, Lot(0, "Bench syringe", paste_named("sn63-t4"), "syringe", 35.0, now - 60 * day)
    )
    for kind, ago_h, grams in (
        (LotEvent.OUT, 500.0, 0.0),
        (LotEvent.OPENED, 498.0, 0.0),
        (LotEvent.USED, 496.0, 1.4),
        (LotEvent.BACK, 490.0, 0.0),
    ):
        materials.add_event(connection, lot, kind, now - 3600 * ago_h, grams)
    materials.keep_supply(connection, "needle", (18, 21, 23))
