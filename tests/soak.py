"""Server and workers killed at any moment while people tap, mark, sketch, bring boards in and ask
for searches: `make fuzz` kills five hundred times, the test run a few.

Laws, checked after every kill: what was confirmed is stored, once (or given up with its reason,
when its worker was killed over it three times); what was not is stored once or not at all; no
process of a killed server lives ten seconds later; the database is whole. At the end every board
that was brought in is there once, and nothing is left waiting.
"""

import argparse
import http.client
import json
import os
import random
import signal
import sys
import tempfile
import threading
import time
import urllib.parse
from collections import Counter
from collections.abc import Callable
from pathlib import Path

from tests.live_server import LiveServer
from tests.processes import alive, children
from yellowfen.errors import NotFound
from yellowfen.store import archive, boards, imports, tasks
from yellowfen.store import bench_runs as stored
from yellowfen.workflows import bench_runs, demo
from yellowfen.workflows.look import start_looking
from yellowfen.workflows.opening import open_database

BOUNDARY = "soaked-in-flux"
LARGE = 1_700_000  # bytes from which a set is read by the worker
PATIENCE_S = 10.0
LIVES_S = (1.6, 1.6, 1.6, 8.0)  # a slow machine confirms nothing of what takes long in short lives
KINDS = ("taps", "marks", "sketches", "imports", "searches")


class Soak:
    """A data folder, a server on it that is killed again and again, and what it confirmed."""

    def __init__(self, folder: Path, seed: int) -> None:
        self.chance = random.Random(seed)
        self.connection = open_database(folder)
        demo.fill(self.connection)
        self.server = LiveServer(folder)
        self.run = bench_runs.start_dotting(self.connection, 1, "top")
        self.cues = [cue.key for cue in stored.get(self.connection, self.run).script.cues]
        self.looked_at = bench_runs.note_soldered(self.connection, 1, by_iron=False)
        self.look = start_looking(self.connection, 1)
        self.files = _large_set()
        self.kept: list[str] = []
        self.maybe: list[str] = []
        self.marks: dict[str, tuple[str, ...]] = {}
        self.sure: set[str] = set()  # names of sketches and boards that were confirmed
        self.unsure: set[str] = set()
        self.reading: dict[int, str] = {}
        self.given_up: set[str] = set()
        self.asked: list[int] = []
        self.count = self.kills = 0
        self.confirmed: Counter[str] = Counter()
        self.bad: list[str] = []

    def cycle(self, kills: int) -> None:
        """Start, work, kill a worker now and then and the server at last, look at what is there."""
        self.server.start()
        assert self.server.process is not None
        stop = threading.Event()
        work = [
            threading.Thread(target=self._over_and_over, args=(one, stop))
            for one in (self._tap, self._mark, self._sketch, self._bring_in, self._search)
        ]
        for one in work:
            one.start()
        family: set[int] = set()
        for last in [False] * (kills - 1) + [True]:
            time.sleep(self.chance.uniform(0.0, self.chance.choice(LIVES_S)))
            mine = children(self.server.process.pid)
            family.update(mine)
            if last:
                family.update(children(self.server.process.pid))
                self.server.kill()
            elif mine:
                _end(self.chance.choice(mine))
            self.kills += last or bool(mine)
        stop.set()
        for one in work:
            one.join(30)
        self._look(family)

    def _over_and_over(self, act: Callable[[], bool], stop: threading.Event) -> None:
        while not stop.is_set() and act():
            pass

    def _asked(
        self, method: str, path: str, body: bytes = b"", kind: str = "application/json"
    ) -> tuple[int, str, str] | None:
        """(status, where to, text); None when the server died over it."""
        connection = http.client.HTTPConnection("127.0.0.1", self.server.port, timeout=300)
        try:
            connection.request(method, path, body, {"content-type": kind})
            reply = connection.getresponse()
            return reply.status, reply.headers.get("location", ""), reply.read().decode()
        except (OSError, http.client.HTTPException, ValueError):
            return None
        finally:
            connection.close()

    def _number(self) -> int:
        self.count += 1
        return self.count

    def _told(self, what: str, reply: tuple[int, str, str]) -> None:
        self.confirmed[what] += 1
        if reply[0] >= 400:
            self.bad.append(f"{what}: answered {reply[0]} {reply[2][-200:]}")

    def _tap(self) -> bool:
        where = f"/api/runs/{self.run}/taps"
        if len(self.kept) == len(self.cues):
            self.maybe = self.kept[:-1]
            reply = self._asked("DELETE", f"{where}/{self.kept[-1]}")
        else:
            key = f"k{self._number()}"
            self.maybe = [*self.kept, key]
            cue = self.cues[len(self.kept)]
            body = {"key": key, "cue": cue, "word": "done", "at_ms": int(time.time() * 1000)}
            reply = self._asked("POST", where, json.dumps(body).encode())
        if reply is None:
            return False
        self._told("taps", reply)
        self.kept = self.maybe
        return True

    def _mark(self) -> bool:
        pin, verdict = (
            str(self._number() % 8 + 1),
            self.chance.choice(("starved", "open", "excess solder")),
        )
        before = self.marks.get(pin, ("",))
        self.marks[pin] = (*before, verdict)
        at_ms = int(time.time() * 1000)
        tap = {"key": f"m{self.count}", "cue": f"U4.{pin}", "word": verdict, "at_ms": at_ms}
        reply = self._asked("POST", f"/api/runs/{self.look}/taps", json.dumps(tap).encode())
        if reply is None:
            return False
        self._told("marks", reply)
        self.marks[pin] = (verdict,)
        return True

    def _named(self, what: str, reply: tuple[int, str, str] | None, name: str) -> bool:
        if reply is None:
            self.unsure.add(name)
            return False
        self._told(what, reply)
        self.sure.add(name)
        return True

    def _sketch(self) -> bool:
        name = f"sketch {self._number()}"
        body = urllib.parse.urlencode({"name": name}).encode()
        time.sleep(0.1)
        return self._named(
            "sketches",
            self._asked("POST", "/sketches", body, "application/x-www-form-urlencoded"),
            name,
        )

    def _bring_in(self) -> bool:
        name = f"board {self._number()}"
        kind = f"multipart/form-data; boundary={BOUNDARY}"
        reply = self._asked("POST", "/boards", form(name, self.files), kind)
        if reply is not None and "/imports/" in reply[1]:
            self.reading[int(reply[1].rsplit("/", 1)[1])] = name
        self._named("imports", reply, name)
        time.sleep(2.0)
        return reply is not None

    def _search(self) -> bool:
        reply = self._asked("POST", "/api/jobs/1/tasks", json.dumps({"kind": "window"}).encode())
        if reply is None:
            return False
        self._told("searches", reply)
        self.asked.append(json.loads(reply[2])["id"])
        time.sleep(1.5)
        return True

    def _look(self, family: set[int]) -> None:
        """What is stored against what was confirmed, and who still lives."""
        taps = [one.key for one in stored.get(self.connection, self.run).taps]
        if taps not in (self.kept, self.maybe):
            self.bad.append(f"taps: {len(taps)} stored, {len(self.kept)} confirmed")
        self.kept = taps
        marks = {
            one.pin: str(one.verdict)
            for one in stored.get(self.connection, self.looked_at).marks
            if one.ref == "U4"
        }
        for pin, verdicts in self.marks.items():
            if marks.get(pin, "") not in verdicts:
                self.bad.append(f"mark of pin {pin}: {marks.get(pin)} for {verdicts}")
            self.marks[pin] = (marks.get(pin, ""),)
        for task in self.asked:
            try:
                tasks.get(self.connection, task)
            except NotFound:
                self.bad.append(f"search {task} is gone")
        self._count_boards(finished=False)
        whole = self.connection.execute("PRAGMA quick_check").fetchone()[0]
        if whole != "ok":
            self.bad.append(f"the database: {whole}")
        end = time.monotonic() + PATIENCE_S
        while any(map(alive, family)) and time.monotonic() < end:
            time.sleep(0.02)
        self.bad += [f"process {one} lives on" for one in family if alive(one)]

    def _count_boards(self, finished: bool) -> None:
        """Every name once; a board still being read may be missing. What was seen is cleared away."""
        there = Counter(row.name for row in boards.rows(self.connection))
        known = {n: imports.get(self.connection, n) for n in self.reading}
        waits = {self.reading[n] for n, one in known.items() if one.state in ("waiting", "working")}
        for n, one in known.items():  # its worker was killed over it three times: told, by rule
            if one.state == "failed" and "three times" in one.said:
                self.given_up.add(self.reading[n])
        for name in sorted(self.sure | self.unsure):
            least = name in self.sure - waits - self.given_up
            if there[name] > 1 or there[name] < least:
                self.bad.append(f"{name}: stored {there[name]} times")
        if finished and waits:
            self.bad.append(f"still waiting: {sorted(waits)[:5]}")
        seen = (self.sure | self.unsure) - waits
        for row in boards.rows(self.connection):
            if row.name in seen:
                archive.put_away(self.connection, "board", row.id)
        self.reading = {k: name for k, name in self.reading.items() if name in waits}
        # An unsure board may have been taken in and be read only later.
        self.unsure = {name for name in self.unsure if name.startswith("board") and not there[name]}
        self.sure &= waits

    def finish(self) -> None:
        """A last start: whatever waits is worked off."""
        self.server.start()
        end = time.monotonic() + 900
        query = "SELECT count(*) FROM work WHERE state IN ('waiting', 'working')"
        for number in list(self.reading):
            self._asked("GET", f"/imports/{number}")
        while self.connection.execute(query).fetchone()[0] and time.monotonic() < end:
            for task in self.asked:
                if tasks.get(self.connection, task).state in ("waiting", "working"):
                    self._asked("GET", f"/api/tasks/{task}")
            time.sleep(0.5)
        self._count_boards(finished=True)
        if self.connection.execute(query).fetchone()[0]:
            left = self.connection.execute(
                "SELECT id, kind, state, tries FROM work WHERE state IN ('waiting', 'working')"
            )
            self.bad += [f"left over: {dict(row)}" for row in left.fetchall()]
        failed = self.connection.execute(
            "SELECT said FROM work WHERE kind = 'import' AND state = 'failed'"
        )
        said = [row["said"] for row in failed.fetchall()]
        self.bad += [f"an import failed: {one}" for one in said if "three times" not in one]
        family = children(self.server.process.pid) if self.server.process else []
        self.server.stop()
        end = time.monotonic() + PATIENCE_S
        while any(map(alive, family)) and time.monotonic() < end:
            time.sleep(0.02)
        self.bad += [f"process {one} lives on at the end" for one in family if alive(one)]
        if self.connection.execute("PRAGMA integrity_check").fetchone()[0] != "ok":
            self.bad.append("the database is not whole")
        self.connection.close()


def _end(pid: int) -> None:
    try:
        os.kill(pid, signal.SIGKILL)
    except ProcessLookupError:
        return


def _large_set() -> dict[str, bytes]:
    """The demo board with a long remark in a layer, so that the worker reads it."""
    files = demo.demo_files()
    name = next(one for one in files if "paste-top" in one)
    remark = b"G04 " + b"solder " * 8 + b"*\n"
    files[name] = files[name].replace(b"M02*", remark * (LARGE // len(remark)) + b"M02*")
    return files


def form(name: str, files: dict[str, bytes]) -> bytes:
    head = f"--{BOUNDARY}\r\nContent-Disposition: form-data; name="
    parts = [f'{head}"name"\r\n\r\n{name}\r\n'.encode()]
    for file, data in files.items():
        parts += [f'{head}"files"; filename="{file}"\r\n\r\n'.encode(), data, b"\r\n"]
    return b"".join(parts) + f"--{BOUNDARY}--\r\n".encode()


def soaked(kills: int, seed: int) -> Soak:
    """So many kills, about one in three of them of a worker; `bad` holds what went wrong."""
    with tempfile.TemporaryDirectory() as folder:
        soak = Soak(Path(folder), seed)
        while soak.kills < kills and len(soak.bad) < 20:
            soak.cycle(min(soak.chance.choice((1, 1, 2, 3)), kills - soak.kills))
        soak.finish()
    return soak


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kills", type=int, default=500)
    parser.add_argument("--seed", type=int, default=1)
    given = parser.parse_args()
    soak = soaked(given.kills, given.seed)
    print(f"{soak.kills} kills; confirmed: {dict(soak.confirmed)}; given up: {len(soak.given_up)}")
    never = [kind for kind in KINDS if given.kills >= 100 and not soak.confirmed[kind]]
    soak.bad += [f"no {kind} were ever confirmed: nothing is said of them" for kind in never]
    print("\n".join(soak.bad[:40]) or "nothing lost, nothing doubled, nothing left")
    return 1 if soak.bad else 0


if __name__ == "__main__":
    sys.exit(main())
