"""Is the database file sound; good copies of it kept beside, and put back when it is not.

Laws: a copy is whole and consistent (SQLite's own backup), written beside and renamed, so that a
crash leaves the earlier one. Two are kept, the newest and the one before. A copy takes the place
of another only when it holds at least as much, or when the user said so.
"""

import os
import shutil
import sqlite3
import time
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path

from yellowfen.errors import NotFound, Refused
from yellowfen.store.database import uri
from yellowfen.store.moment import moment_words

GOOD, EARLIER = ".good", ".good-earlier"
COPY_EVERY_S = 12 * 3600
_BESIDE = ("-wal", "-shm")
# What is counted, with the word for it.
_COUNTED = {
    "board": "boards",
    "job": "jobs",
    "bench_run": "runs",
    "bench_tap": "taps",
    "picture": "pictures",
    "passport": "passports",
    "station": "stations",
    "paste_lot": "paste lots",
}


@dataclass(frozen=True)
class Holds:
    """How many records of each kind a database holds or held until its user removed them."""

    numbers: dict[str, int]

    def less_than(self, other: "Holds") -> str:
        """Where this one holds less than another, "" when nowhere: "1 of 3 boards, 0 of 9 jobs"."""
        return ", ".join(
            f"{here} of {there} {_COUNTED[what]}"
            for what, there in other.numbers.items()
            if (here := self.numbers.get(what, 0)) < there
        )


def holds(path: Path) -> Holds:
    """What a database file holds; nothing for one that cannot be read."""
    try:
        with closing(sqlite3.connect(_address(path), uri=True, timeout=10)) as connection:
            tables = {row[0] for row in connection.execute("SELECT name FROM sqlite_master")}
            removed = (
                dict(connection.execute("SELECT what, number FROM removed_on_purpose"))
                if "removed_on_purpose" in tables
                else {}
            )
            return Holds(
                {
                    what: connection.execute(f"SELECT count(*) FROM {what}").fetchone()[0]
                    + removed.get(what, 0)
                    for what in _COUNTED
                    if what in tables
                }
            )
    except sqlite3.Error:
        return Holds({})


def trouble(path: Path) -> str:
    """What is wrong with a database file, "" when it is sound or not there yet."""
    if not path.exists():
        return ""
    try:
        with closing(sqlite3.connect(_address(path), uri=True, timeout=10)) as connection:
            found = connection.execute("PRAGMA quick_check(3)").fetchall()
    except sqlite3.DatabaseError as problem:
        if "locked" in str(problem) or "unable to open" in str(problem):
            return ""  # no word about the file; opening it says more
        return str(problem)
    said = [str(row[0]) for row in found]
    return "" if said == ["ok"] else "; ".join(said)[:200]


def _address(path: Path) -> str:
    """Where SQLite reads a file; a copy, which nobody writes, so that nothing is made beside it."""
    copy = path.name.endswith((GOOD, EARLIER))
    return f"{uri(path)}?{'immutable=1' if copy else 'mode=ro'}"


def is_begun(path: Path) -> bool:
    """True for a database file with something in it."""
    return path.exists() and path.stat().st_size > 0


def good_copy(path: Path) -> Path:
    """Where the newest good copy of a database lies."""
    return path.with_name(path.name + GOOD)


def earlier_copy(path: Path) -> Path:
    """Where the good copy before that lies."""
    return path.with_name(path.name + EARLIER)


def best_copy(path: Path) -> Path | None:
    """The newest sound copy beside a database."""
    copies = (good_copy(path), earlier_copy(path))
    return next((one for one in copies if is_begun(one) and not trouble(one)), None)


def good_copy_of(path: Path) -> str:
    """When the copy that would be put back was made, in local time, "" when there is none."""
    copy = best_copy(path)
    if copy is None:
        return ""
    return moment_words(copy.stat().st_mtime)


def lacking(path: Path) -> str:
    """What the database lacks beside its good copy, "" when nothing."""
    return holds(path).less_than(holds(good_copy(path))) if good_copy(path).exists() else ""


def keep_good_copy(path: Path, every_s: float = COPY_EVERY_S, said_so: bool = False) -> bool:
    """Copy a sound database beside itself, at most so often; True when one was made. The copy that
    was there becomes the earlier one. No copy is made while the one that is there holds more
    (`said_so`: the user wants it all the same). A full disk or a folder that may not be written
    leaves what is there.
    """
    copy = good_copy(path)
    if copy.exists() and time.time() - copy.stat().st_mtime < every_s:
        return False
    if not said_so and lacking(path):
        return False
    half = copy.with_name(copy.name + ".part")
    try:
        half.unlink(missing_ok=True)
        with (
            closing(sqlite3.connect(_address(path), uri=True, timeout=10)) as here,
            closing(sqlite3.connect(half)) as there,
        ):
            here.backup(there, pages=2000, sleep=0.01)
        if copy.exists():
            os.replace(copy, earlier_copy(path))
        os.replace(half, copy)
        _on_disk(copy.parent)
    except (sqlite3.Error, OSError):
        with suppress(OSError):
            half.unlink(missing_ok=True)
        return False
    return True


def put_back(path: Path) -> str:
    """Put the good copy in place of a database that is damaged or gone; what is there is kept
    beside. Returns its new name, "" when nothing was there.

    At no moment is there less on the disk than before: the copy is written whole first. A crash
    between leaves no database and the copy, which is asked about at the next start. Raises NotFound
    without a good copy, Refused while the database is sound.
    """
    copy = best_copy(path)
    if copy is None:
        raise NotFound(f"there is no good copy beside {path}")
    if is_begun(path) and not trouble(path):
        raise Refused(f"{path} is sound; nothing was put in its place")
    half = path.with_name(path.name + ".part")
    shutil.copyfile(copy, half)
    _on_disk(half)
    aside = set_aside(path, "damaged")
    os.replace(half, path)
    _on_disk(path.parent)
    return aside


def set_aside(path: Path, why: str) -> str:
    """Give a file and what SQLite keeps beside it another name; returns it, "" when there was no
    such file.
    """
    aside = path.with_name(f"{path.name}.{why}-{time.strftime('%Y%m%d-%H%M%S')}")
    for tail in ("", *_BESIDE):
        there = path.with_name(path.name + tail)
        if there.exists():
            os.replace(there, aside.with_name(aside.name + tail))
    return aside.name if aside.exists() else ""


def _on_disk(path: Path) -> None:
    """Wait until a file's content, or a folder's names, are on the disk."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
