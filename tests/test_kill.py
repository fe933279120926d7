"""What the server confirmed survives SIGKILL at random moments, for every kind of run at the bench.

Six kills a kind; `YELLOWFEN_KILLS=84` makes it 504.
"""

import http.client
import json
import os
import random
import sqlite3
import threading
import time
import urllib.request
from pathlib import Path

import pytest

from tests.live_server import LiveServer
from tests.soak import soaked
from yellowfen.core.work.bench_run import RULES, RunKind
from yellowfen.core.work.bench_scripts import (
    CheckLine,
    CheckPlan,
    Joint,
    LookPlan,
    MendRun,
    MendStep,
    WashRun,
    WashStep,
)
from yellowfen.store import bench_runs as stored
from yellowfen.store import jobs
from yellowfen.workflows import bench_runs, demo, rework
from yellowfen.workflows.opening import open_database

KILLS = int(os.environ.get("YELLOWFEN_KILLS", "6"))


def asked(url: str, method: str, body: dict[str, object] | None = None) -> list[str] | None:
    """The keys of the taps that the server confirms; None when it was killed over it."""
    data = None if body is None else json.dumps(body).encode()
    headers = {"content-type": "application/json"}
    request = urllib.request.Request(url, data, headers, method=method)
    try:
        with urllib.request.urlopen(request, timeout=5) as reply:
            return [tap["key"] for tap in json.loads(reply.read())["taps"]]
    except (OSError, http.client.HTTPException, ValueError):
        return None


def started(connection: sqlite3.Connection, kind: RunKind) -> int:
    job = jobs.rows(connection)[0].id
    if kind is RunKind.LOOK:
        joints = tuple(Joint(ref="U4", pin=str(pin)) for pin in range(1, 9))
        return stored.add(connection, job, kind, LookPlan(joints=joints))
    if kind is RunKind.CHECK:
        lines = tuple(
            CheckLine(here=f"A{n}", there=f"B{n}", expect="must connect") for n in range(8)
        )
        return stored.add(connection, job, kind, CheckPlan(name="U4", lines=lines))
    if kind is RunKind.WASH:
        washing = tuple(WashStep(title=f"pass {n}", detail="brush") for n in range(8))
        return stored.add(connection, job, kind, WashRun(steps=washing))
    if kind is RunKind.MEND:
        steps = tuple(
            MendStep(ref="U4", pin=str(pin), fault="lean", steps=("flux",)) for pin in range(1, 9)
        )
        return stored.add(connection, job, kind, MendRun(steps=steps))
    starts = {
        RunKind.PADS: lambda: rework.start_pads(connection, job, "U4"),
        RunKind.HEAT: lambda: bench_runs.start_heat(connection, job),
        RunKind.PLACE: lambda: bench_runs.start_placing(connection, job, "top"),
        RunKind.PASTE: lambda: bench_runs.start_dotting(connection, job, "top"),
        RunKind.KIT: lambda: bench_runs.start_kit_check(connection, job),
        RunKind.IRON: lambda: bench_runs.start_by_iron(connection, job, "U1"),
    }
    return starts[kind]()


@pytest.mark.slow
@pytest.mark.parametrize("kind", list(RunKind))
def test_confirmed_taps_survive_kills_and_none_is_doubled(tmp_path: Path, kind: RunKind) -> None:
    """Tap after tap, taken back when the run is over; what is unsure after a kill is asked anew by its key."""
    connection = open_database(tmp_path)
    demo.fill(connection)
    run_id = started(connection, kind)
    cues = [cue.key for cue in stored.get(connection, run_id).script.cues]
    word = next(iter(RULES[kind].words))
    chance = random.Random(7)
    server = LiveServer(tmp_path)
    kept: list[str] = []
    confirmed = number = 0
    for _ in range(KILLS):
        server.start()
        taps = f"{server.url}/api/runs/{run_id}/taps"
        killer = threading.Timer(chance.uniform(0.0, 0.25), server.kill)
        killer.start()
        while True:
            number += 1
            if len(kept) == len(cues):
                answer = asked(f"{taps}/{kept[-1]}", "DELETE")
                wanted = kept[:-1]
            else:
                key = f"k{number}"
                body = {"key": key, "cue": cues[len(kept)], "word": word, "at_ms": 1000 + number}
                answer = asked(taps, "POST", body)
                wanted = [*kept, key]
            if answer is None:
                break
            assert answer == wanted
            kept, confirmed = answer, confirmed + 1
        killer.join()
        time.sleep(0.01)
        now = [one.key for one in stored.get(connection, run_id).taps]
        assert now in (kept, wanted)  # the last one may have been written before its answer was cut
        kept = now
    state = stored.get(connection, run_id).state
    assert sorted((*state.to_do, *state.done)) == sorted(cues)
    connection.close()
    assert confirmed >= 10


@pytest.mark.slow
def test_nothing_is_lost_when_server_and_workers_are_killed_amid_all_kinds_of_work() -> None:
    soak = soaked(KILLS, seed=7)
    assert soak.bad == []
    assert soak.kills == KILLS
    assert soak.confirmed["taps"] > 0  # slower work may find no moment between two kills
