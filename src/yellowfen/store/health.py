"""Is the database file sound; a good copy of it kept beside, and put back when it is not.

The copy is whole and consistent (SQLite's own backup), written beside and renamed, so that a crash
leaves the earlier one.
"""

import os
import shutil
import sqlite3
import time
from contextlib import closing, suppress
from pathlib import Path

from yellowfen.errors import NotFound, Refused

GOOD = ".good"
COPY_EVERY_S = 12 * 3600
_BESIDE = ("-wal", "-shm")


def trouble(path: Path) -> str:
    """What is wrong with a database file, "" when it is sound or not there yet."""
    if not path.exists():
        return ""
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True, timeout=10)) as connection:
            found = connection.execute("PRAGMA quick_check(3)").fetchall()
    except sqlite3.DatabaseError as problem:
        if "locked" in str(problem) or "unable to open" in str(problem):
            return ""  # no word about the file; opening it says more
        return str(problem)
    said = [str(row[0]) for row in found]
    return "" if said == ["ok"] else "; ".join(said)[:200]


def good_copy(path: Path) -> Path:
    """Where the good copy of a database lies."""
    return path.with_name(path.name + GOOD)


def good_copy_of(path: Path) -> str:
    """When the good copy was made, in local time, "" when there is none."""
    copy = good_copy(path)
    if not copy.exists():
        return ""
    return time.strftime("%d %b %Y %H:%M", time.localtime(copy.stat().st_mtime))


def keep_good_copy(path: Path, every_s: float = COPY_EVERY_S) -> bool:
    """Copy a sound database beside itself, at most so often; True when one was made. A full disk or
    a folder that may not be written leaves the earlier copy.
    """
    copy = good_copy(path)
    if copy.exists() and time.time() - copy.stat().st_mtime < every_s:
        return False
    half = copy.with_name(copy.name + ".part")
    try:
        half.unlink(missing_ok=True)
        with (
            closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True, timeout=10)) as here,
            closing(sqlite3.connect(half)) as there,
        ):
            here.backup(there, pages=2000, sleep=0.01)
        os.replace(half, copy)
    except (sqlite3.Error, OSError):
        with suppress(OSError):
            half.unlink(missing_ok=True)
        return False
    return True


def put_back(path: Path) -> str:
    """Put the good copy in place of a damaged database, which is kept beside; returns its new name.

    Raises NotFound without a good copy, Refused while the database is sound.
    """
    if not good_copy(path).exists():
        raise NotFound(f"there is no good copy beside {path}")
    if path.exists() and not trouble(path):
        raise Refused(f"{path} is sound; nothing was put in its place")
    aside = path.with_name(f"{path.name}.damaged-{time.strftime('%Y%m%d-%H%M%S')}")
    for tail in ("", *_BESIDE):
        there = path.with_name(path.name + tail)
        if there.exists():
            os.replace(there, aside.with_name(aside.name + tail))
    half = path.with_name(path.name + ".part")
    shutil.copyfile(good_copy(path), half)
    os.replace(half, path)
    return aside.name
