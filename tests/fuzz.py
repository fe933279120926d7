"""Mutated real board files sent to the application: `make fuzz` runs ten thousand and some
three hundred crafted ones, the test run a few dozen.

Seeded, so case n is the same everywhere. Each must be read or refused with a sentence: no 500, none
over five seconds, no memory over 500 MB beyond the start, nothing stored when refused.
"""

import argparse
import logging
import random
import resource
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

from fastapi.testclient import TestClient

from tests.conftest import DATA, files_in
from tests.crafted import sets
from tests.crafted_families import members, pictures, rehearsals
from tests.processes import spent_s
from yellowfen.errors import YellowfenError
from yellowfen.formats.picture import made_safe
from yellowfen.formats.rehearsal_file import read_scene
from yellowfen.store import archive, boards
from yellowfen.web.app import create_app
from yellowfen.workflows.demo import demo_files
from yellowfen.workflows.opening import connect_existing

LONGEST_S, MOST_MB, LIMIT_S = 5.0, 600.0, 20.0
PAGES_EVERY = 11  # of the cases, one has all stages of a job on it opened
STAGES = {
    "build": (
        "ready",
        "ready/kit",
        "ready/minutes",
        "paste",
        "paste/openings",
        "paste/hand",
        "place",
        "heat",
        "look",
        "mend",
        "test",
        "clean",
        "finish",
    ),
    "rework": (
        "survey",
        "survey/ways",
        "lift",
        "pads",
        "legs",
        "refit",
        "look",
        "mend",
        "test",
        "finish",
    ),
}
FAMILY = 27  # members of each family of crafted files
_NUMBERS = (
    b"0",
    b"-1",
    b"99999999",
    b"999999999999999999999",
    b"1e308",
    b"NaN",
    b"2147483648",
    b"-2147483649",
    b"00000000000000001",
)
_WORDS = (
    b"%",
    b"*",
    b"G36*",
    b"G37*",
    b"D01*",
    b"D02*",
    b"D03*",
    b"%LPC*%",
    b"%SRX100Y100I0.1J0.1*%",
    b"%AB D12*%",
    b"%AMX*1,1,$1,0,0*%",
    b"%MOIN*%",
    b"G74*",
    b"G02*",
    b"M02*",
    b"X",
    b"Y",
    b"I",
    b"\x00",
    b"\xff\xfe",
    b"\n",
    b";",
    b'"',
    b",",
    b"T99",
    b"G85X1Y1",
    b"R9999X1Y1",
    b"M71",
    b"INCH,LZ",
)


def bases() -> list[dict[str, bytes]]:
    """Sets of real files: three foreign boards, the demo board, each conformance file alone."""
    sets = [files_in(DATA / "boards" / name) for name in ("attributes", "regions", "two-sided")] + [
        demo_files()
    ]
    sets += [
        {path.name: path.read_bytes()}
        for path in sorted((DATA / "conformance").rglob("*"))
        if path.suffix in (".gbr", ".drl")
    ]
    return sets


def mutant(sets: list[dict[str, bytes]], seed: int) -> dict[str, bytes]:
    """A few files of one set, one of them damaged in one to eight places."""
    chance = random.Random(seed)
    whole = chance.choice(sets[:4]) if chance.random() < 0.6 else chance.choice(sets[4:])
    names = sorted(whole)
    victim = chance.choice(names)
    kept = {name: whole[name] for name in names if name == victim or chance.random() < 0.35}
    kept[victim] = damaged(whole[victim], chance, whole[chance.choice(names)])
    if chance.random() < 0.1:
        kept[chance.choice(("x.txt", "x.csv", "x.gtl", "x.drl", "x"))] = kept.pop(victim)
    return kept


def damaged(data: bytes, chance: random.Random, other: bytes) -> bytes:
    """Bytes flipped, cut, doubled, spliced, or numbers and commands put in."""
    text = bytearray(data)
    for _ in range(chance.randint(1, 8)):
        at = chance.randrange(len(text) + 1)
        to = min(len(text), at + int(chance.expovariate(1 / 40)) + 1)
        kind = chance.randrange(8)
        if kind == 0 and text:
            text[chance.randrange(len(text))] = chance.randrange(256)
        elif kind == 1:
            del text[at:to]
        elif kind == 2:
            text[at:at] = text[at:to] * chance.choice((1, 2, 50))
        elif kind == 3:
            start = chance.randrange(len(other) + 1)
            text[at:at] = other[start : start + int(chance.expovariate(1 / 300))]
        elif kind == 4:
            text[at:to] = chance.choice(_NUMBERS)
        elif kind == 5:
            text[at:at] = chance.choice(_WORDS)
        elif kind == 6 and chance.random() < 0.3:
            del text[at:]
        else:
            digits = [i for i in range(at, min(at + 200, len(text))) if 48 <= text[i] <= 57]
            if digits:
                text[chance.choice(digits)] = 48 + chance.randrange(10)
    return bytes(text)


def memory_mb() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000


class _Kept(logging.Handler):
    """Exceptions that nobody foresaw end in a sentence too; here they are problems."""

    def __init__(self, kept: list[str]) -> None:
        super().__init__(logging.ERROR)
        self.kept = kept

    def emit(self, record: logging.LogRecord) -> None:
        self.kept.append(record.getMessage()[-300:])


class Trial:
    """An application on an empty database, and what came of the cases sent to it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.client = TestClient(
            create_app(folder), base_url="http://127.0.0.1", raise_server_exceptions=False
        )
        self.client.__enter__()  # so that its workers end with it
        self.sets = bases()
        self.statuses: Counter[int] = Counter()
        self.slowest = (0.0, -1)
        self.unforeseen: list[str] = []
        self.longest_s = LONGEST_S
        logging.getLogger("yellowfen").addHandler(_Kept(self.unforeseen))
        self.send(demo_files())
        self.clear()
        self.began_mb = memory_mb()

    def close(self) -> None:
        """End the application and its workers."""
        self.client.__exit__()

    def send(self, files: dict[str, bytes]) -> tuple[int, str]:
        reply = self.client.post("/boards", files=[("files", pair) for pair in files.items()])
        return reply.status_code, reply.text

    def unopened(self, purpose: str) -> str:
        """Which page of a job on the board last stored does not open; empty when all do."""
        connection = connect_existing(self.folder)
        rows = boards.rows(connection)
        refs = [part.ref for part in boards.get(connection, rows[-1].id).parts] if rows else []
        connection.close()
        if not refs:
            return ""
        opened = self.client.post(
            f"/boards/{rows[-1].id}/open", data={"purpose": purpose, "parts": refs[0]}
        )
        base = "/" + "/".join(str(opened.url.path).split("/")[1:3])
        said = [f"{opened.url.path}: {opened.status_code}"] if opened.status_code >= 400 else []
        for stage in STAGES[purpose]:
            reply = self.client.get(f"{base}/{stage}")
            if reply.status_code >= 400:
                said.append(f"{stage}: {reply.status_code} {reply.text.split('alert')[-1][:150]}")
        return "; ".join(said)

    def clear(self) -> int:
        """Remove what is stored; returns how much it was."""
        connection = connect_existing(self.folder)
        rows = boards.rows(connection)
        for row in rows:
            archive.put_away(connection, "board", row.id)
        waiting = connection.execute(
            "SELECT count(*) FROM work WHERE kind = 'import' AND state != 'failed'"
        ).fetchone()[0]
        connection.execute("DELETE FROM work WHERE kind = 'import'")
        connection.close()
        return len(rows) + int(waiting)

    def crafted(self, name: str, files: dict[str, bytes]) -> str:
        """What is wrong with the answer to a crafted set, empty when nothing is."""
        began = spent_s()
        status, _ = self.send(files)
        took = spent_s() - began
        self.clear()
        if status >= 500 or took > LIMIT_S or self.unforeseen:
            return f"{name}: status {status}, {took:.1f} s {self._unforeseen()}"
        return ""

    def _unforeseen(self) -> str:
        said = "; ".join(self.unforeseen)
        self.unforeseen.clear()
        return said

    def case(self, seed: int) -> str:
        """What is wrong with the answer to a case, empty when nothing is."""
        began = spent_s()
        status, text = self.send(mutant(self.sets, seed))
        took = spent_s() - began
        pages = self.unopened(("build", "rework")[seed % 2]) if seed % PAGES_EVERY == 0 else ""
        stored = self.clear()
        if pages:
            return f"case {seed}: {pages}"
        self.statuses[status] += 1
        self.slowest = max(self.slowest, (took, seed))
        if status >= 500 or self.unforeseen:
            return f"case {seed}: status {status} {self._unforeseen()}"
        if took > self.longest_s:
            return f"case {seed}: took {took:.1f} s"
        if status >= 400 and (stored or 'class="problem"' not in text):
            return f"case {seed}: refused with {status}, but {stored} boards were stored or no sentence was given"
        if memory_mb() - self.began_mb > MOST_MB:
            return f"case {seed}: memory rose by {memory_mb() - self.began_mb:.0f} MB"
        return ""


def refused(name: str, read: Callable[[bytes], object], data: bytes) -> str:
    """What is wrong with how a reader takes a file, empty when it reads it or refuses it in words."""
    began = time.process_time()
    try:
        read(data)
    except YellowfenError:
        pass
    except Exception as problem:
        return f"{name}: {problem!r}"
    took = time.process_time() - began
    return f"{name}: took {took:.1f} s" if took > LIMIT_S else ""


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=10_000)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument(
        "--longest",
        type=float,
        default=LONGEST_S,
        help="seconds of a processor that a case may take",
    )
    parser.add_argument("--family", type=int, default=FAMILY, help="crafted files a family")
    given = parser.parse_args()
    logging.getLogger("httpx2").setLevel(logging.WARNING)
    with tempfile.TemporaryDirectory() as folder, closing(Trial(Path(folder))) as trial:
        trial.longest_s = given.longest
        problems: list[str] = []
        for number in range(given.count):
            if said := trial.case(given.first + number):
                problems.append(said)
                print(said, flush=True)
            if number % 500 == 499:
                print(f"{number + 1} cases, {len(problems)} problems", flush=True)
        crafted = [*sets(), *members(given.family)]
        problems += [said for name, files in crafted if (said := trial.crafted(name, files))]
    others = [(f"picture {n}", made_safe, pictures(random.Random(n))) for n in range(given.family)]
    others += [
        (f"rehearsal {n}", read_scene, rehearsals(random.Random(n))) for n in range(given.family)
    ]
    problems += [said for name, read, data in others if (said := refused(name, read, data))]
    print(
        f"{given.count} mutated and {len(crafted) + len(others)} crafted cases: {dict(sorted(trial.statuses.items()))}, slowest {trial.slowest[0]:.2f} s (case {trial.slowest[1]}), "
        f"memory rose by {memory_mb() - trial.began_mb:.0f} MB"
    )
    print("\n".join(problems[:40]) or "no problem found")
    return 1 if problems else 0


if __name__ == "__main__":
    sys.exit(main())
