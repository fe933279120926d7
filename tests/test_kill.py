"""What the server confirmed survives SIGKILL at random moments, for every kind of run at the bench.

Six kills, all kinds amid it; `YELLOWFEN_KILLS=500` makes it the whole law.
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
from tests.waiting import AT_MOST_S, until
from yellowfen.core.run.hand_paste import PASTE
from yellowfen.core.run.heat import HEAT
from yellowfen.core.run.iron import IRON
from yellowfen.core.run.kinds import KINDS
from yellowfen.core.run.kit import KIT
from yellowfen.core.run.look import LOOK, LookJoint, LookPlan
from yellowfen.core.run.mend import MEND, MendRun, MendStep
from yellowfen.core.run.meter import CHECK, CheckLine, CheckPlan
from yellowfen.core.run.pads import PADS
from yellowfen.core.run.placing import PLACE
from yellowfen.core.run.printing import PRINT, PrintRun
from yellowfen.core.run.removal import REMOVE, RemovalRun, RemovalStep
from yellowfen.core.run.run import KindOfRun
from yellowfen.core.run.washing import WASH, WashRun, WashStep
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
        with urllib.request.urlopen(request, timeout=AT_MOST_S) as reply:
            return [tap["key"] for tap in json.loads(reply.read())["taps"]]
    except (OSError, http.client.HTTPException, ValueError):
        return None


def started(connection: sqlite3.Connection, kind: KindOfRun) -> int:
    job = jobs.rows(connection)[0].id
    if kind is LOOK:
        joints = tuple(
            LookJoint(ref="U4", pin=str(pin), seen_from="from the side") for pin in range(1, 9)
        )
        return stored.add(connection, job, LookPlan(joints=joints))
    if kind is CHECK:
        lines = tuple(
            CheckLine(here=f"A{n}", there=f"B{n}", expect="must connect") for n in range(8)
        )
        return stored.add(connection, job, CheckPlan(name="U4", lines=lines))
    if kind is WASH:
        washing = tuple(WashStep(title=f"pass {n}", detail="brush") for n in range(8))
        return stored.add(connection, job, WashRun(steps=washing))
    if kind is REMOVE:
        words = [RemovalStep(title=f"step {n}", press="done") for n in range(8)]
        plan = RemovalRun(ref="U4", way="removal alloy", steps=tuple(words))
        return stored.add(connection, job, plan)
    if kind is PRINT:
        boards = tuple(f"board {number}" for number in range(1, 9))
        return stored.add(connection, job, PrintRun(boards=boards, stroke="along"), side="top")
    if kind is MEND:
        steps = tuple(
            MendStep(ref="U4", pin=str(pin), fault="lean", steps=("flux",)) for pin in range(1, 9)
        )
        return stored.add(connection, job, MendRun(steps=steps))
    starts = {
        PADS: lambda: rework.start_pads(connection, job, "U4"),
        HEAT: lambda: bench_runs.start_heat(connection, job),
        PLACE: lambda: bench_runs.start_placing(connection, job, "top"),
        PASTE: lambda: bench_runs.start_dotting(connection, job, "top"),
        KIT: lambda: bench_runs.start_kit_check(connection, job),
        IRON: lambda: bench_runs.start_by_iron(connection, job, "U1"),
    }
    return starts[kind]()


class Hand:
    """Somebody who taps one run, cue after cue, and takes taps back when it is over; what is unsure
    after a kill is asked anew by its key.
    """

    def __init__(self, connection: sqlite3.Connection, kind: KindOfRun) -> None:
        self.kind = kind
        self.run = started(connection, kind)
        self.cues = [cue.key for cue in stored.get(connection, self.run).script.cues]
        self.word = next(iter(kind.rule.words))
        self.kept: list[str] = []
        self.wanted: list[str] = []
        self.wrong: list[str] = []
        self.confirmed = self.number = 0

    def taps_until_killed(self, url: str) -> None:
        taps = f"{url}/api/runs/{self.run}/taps"
        while True:
            self.number += 1
            if len(self.kept) == len(self.cues):
                self.wanted = self.kept[:-1]
                answer = asked(f"{taps}/{self.kept[-1]}", "DELETE")
            else:
                key = f"k{self.number}"
                self.wanted = [*self.kept, key]
                cue, at_ms = self.cues[len(self.kept)], 1000 + self.number
                body = {"key": key, "cue": cue, "word": self.word, "at_ms": at_ms}
                answer = asked(taps, "POST", body)
            if answer is None:
                return
            if answer != self.wanted:
                self.wrong.append(f"{self.kind}: {answer} for {self.wanted}")
                return
            self.kept, self.confirmed = answer, self.confirmed + 1

    def looked_up(self, connection: sqlite3.Connection) -> None:
        """Hold what is stored against what was confirmed; the last tap may have been written before
        its answer was cut.
        """
        now = [one.key for one in stored.get(connection, self.run).taps]
        if now not in (self.kept, self.wanted):
            self.wrong.append(f"{self.kind}: {now} stored for {self.kept}")
        self.kept = now


def _confirmed(hands: list[Hand], wanted: list[int]) -> bool:
    return all(hand.confirmed >= least for hand, least in zip(hands, wanted, strict=True))


@pytest.mark.slow
def test_confirmed_taps_survive_kills_and_none_is_doubled(tmp_path: Path) -> None:
    """Every kind of run is tapped at once, and the server killed amid it."""
    connection = open_database(tmp_path)
    demo.fill(connection)
    hands = [Hand(connection, kind) for kind in KINDS.values()]
    chance = random.Random(7)
    server = LiveServer(tmp_path)
    for _ in range(KILLS):
        server.start()
        before = [hand.confirmed for hand in hands]
        busy = [
            threading.Thread(target=hand.taps_until_killed, args=(server.url,)) for hand in hands
        ]
        for one in busy:
            one.start()
        wanted = [was + 2 for was in before]
        until(lambda wanted=wanted: _confirmed(hands, wanted), "two taps of each kind")
        time.sleep(chance.uniform(0.0, 0.25))
        server.kill()
        for one in busy:
            one.join()
        for hand in hands:
            hand.looked_up(connection)
    assert [said for hand in hands for said in hand.wrong] == []
    for hand in hands:
        state = stored.get(connection, hand.run).state
        assert sorted((*state.to_do, *state.done)) == sorted(hand.cues)
        assert hand.confirmed >= 2 * KILLS, hand.kind
    connection.close()


@pytest.mark.slow
def test_nothing_is_lost_when_server_and_workers_are_killed_amid_all_kinds_of_work() -> None:
    soak = soaked(KILLS, seed=7)
    assert soak.bad == []
    assert soak.kills == KILLS
    assert soak.confirmed["taps"] > 0  # slower work may find no moment between two kills
