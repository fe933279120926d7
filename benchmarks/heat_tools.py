"""Window, search, memory, and pages while the worker searches."""

import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

import numpy as np
from tests.live_server import LiveServer

from benchmarks.heat_case import reference_scene
from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.heat.scene import near_the_heat
from yellowfen.core.heat.tune import Bench, find_settings
from yellowfen.core.heat.window import Axis, Tolerance, dwells_around, make_window, settings_around
from yellowfen.store import boards, jobs
from yellowfen.workflows import demo
from yellowfen.workflows import tasks as work
from yellowfen.workflows.opening import open_database

_MEMORY = """
import threading, time
from yellowfen.web.app import create_app
from yellowfen.core.heat.compile_kernel import warm_up
from benchmarks.heat_case import reference_scene
from yellowfen.core.heat.rehearsal import rehearse

def resident():
    return int(open('/proc/self/statm').read().split()[1]) * 4096 / 1e6

warm_up()
before, peak, going = resident(), [0.0], [True]

def watch():
    while going[0]:
        peak[0] = max(peak[0], resident())
        time.sleep(0.001)

watcher = threading.Thread(target=watch)
watcher.start()
kept = rehearse(reference_scene())
going[0] = False
watcher.join()
print(before, peak[0])
"""


def tools() -> None:
    scene = reference_scene(40.0)
    settings, dwells = settings_around(scene, Axis.OUTLET), dwells_around(scene)
    make_window(scene, Axis.OUTLET, settings[:2], dwells[:2], Tolerance(10.0))
    began = time.perf_counter()
    make_window(scene, Axis.OUTLET, settings, dwells, Tolerance(10.0))
    print(
        f"safe window 20 x 20, reference case with 100 parts, after-heat to its end, one process: {time.perf_counter() - began:.2f} s (goal 4, aim 2)"
    )
    before, after = subprocess.run(
        [sys.executable, "-c", _MEMORY], capture_output=True, text=True, check=True
    ).stdout.split()
    print(
        f"memory of a rehearsal (reference case): peak {float(after) - float(before):.0f} MB above the idle server with its kernel loaded (goal 100)"
    )
    with tempfile.TemporaryDirectory() as folder:
        _search(Path(folder))


def _search(folder: Path) -> None:
    from yellowfen.core.work.board_scene import scene_of

    connection = open_database(folder)
    demo.fill(connection)
    plan = jobs.get(connection, 1).plan
    scene = near_the_heat(scene_of(boards.get(connection, 1), plan))
    began = time.perf_counter()
    first: list[float] = []
    find_settings(
        scene,
        Bench(nozzles_mm=(8.0, 10.0), preheater=None, foil=True, free_alloy=True),
        Doubts(),
        lambda _: first.append(time.perf_counter() - began),
    )
    print(
        f"finding settings, demo board, one target: {time.perf_counter() - began:.1f} s (goal 30), first proposal after {first[0]:.1f} s, {len(first)} steps"
    )
    server = LiveServer(folder)
    server.start()
    try:
        for path in ("/", "/boards/1", "/jobs/1/heat"):
            urllib.request.urlopen(server.url + path, timeout=10).read()
        task = work.ask(connection, 1, work.SETTINGS)
        urllib.request.urlopen(server.url + "/api/jobs/1/tasks/settings", timeout=10).read()
        time.sleep(3.0)
        spent = []
        for turn in range(60):
            began = time.perf_counter()
            urllib.request.urlopen(
                server.url + ("/", "/boards/1", "/jobs/1/heat")[turn % 3], timeout=10
            ).read()
            spent.append((time.perf_counter() - began) * 1e3)
        steps = len(work.tasks.get(connection, task).steps)
        print(
            f"pages while the worker searches ({steps} steps done): median {np.median(spent):.0f} ms, 95th percentile {np.percentile(spent, 95):.0f} ms (goal 100)"
        )
    finally:
        server.stop()
        connection.close()
