"""Processes as the system tells of them."""

import os
import time
from pathlib import Path

from yellowfen.workflows.reading import reader

_TICK_S = 1.0 / os.sysconf("SC_CLK_TCK")


def _fields(pid: int) -> list[str]:
    """What the system notes of a process after its name: its state first."""
    return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()


def cpu_s(pid: int, with_ended: bool = False) -> float:
    """Seconds of a processor that a process has used, and its ended children where wished."""
    return sum(map(int, _fields(pid)[11 : 15 if with_ended else 13])) * _TICK_S


def spent_s() -> float:
    """Seconds of a processor that this process and its reader of files have used, whatever else the
    machine was at.
    """
    pid = reader().pid
    return time.process_time() + (0.0 if pid is None else cpu_s(pid, with_ended=True))


def alive(pid: int) -> bool:
    """True while a process runs; one that has ended and is not yet reaped does not."""
    try:
        return _fields(pid)[0] != "Z"
    except FileNotFoundError:
        return False


def children(pid: int) -> list[int]:
    """Processes whose parent is `pid`, and theirs."""
    parents = {}
    for stat in Path("/proc").glob("[0-9]*/stat"):
        try:
            fields = stat.read_text().rsplit(")", 1)[1].split()
        except OSError:
            continue
        parents[int(stat.parent.name)] = int(fields[1])
    found, todo = [], [pid]
    while todo:
        mine = [one for one, parent in parents.items() if parent == todo[0]]
        found += mine
        todo = [*todo[1:], *mine]
    return found
