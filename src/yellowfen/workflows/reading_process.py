"""The process that reads what comes from outside: boards, tables, packages, logs.

It waits for orders on standard input, warm, and deals with each in a child of its own that may use
so much processor time and memory and no more; whatever a file holds, the child ends, and nothing
else stands still. Frames both ways: one letter, eight bytes of length, the content.
"""

import json
import os
import resource
import signal
import sys
import threading
import time
import traceback
from collections.abc import Callable
from typing import IO, Any

from yellowfen.errors import InvalidValue, TooLarge, UnreadableFile, YellowfenError
from yellowfen.store.packing import pack, unpack

MEMORY_BYTES = 1_000_000_000
ORDER, FILE, GO = b"O", b"F", b"G"
STEP, DONE, REFUSED, UNFORESEEN, ENDED = b"S", b"D", b"R", b"U", b"E"


def write_frame(stream: IO[bytes], kind: bytes, content: bytes = b"") -> None:
    """One frame out."""
    stream.write(kind + len(content).to_bytes(8, "big") + content)
    stream.flush()


def read_frame(stream: IO[bytes]) -> tuple[bytes, bytes] | None:
    """One frame in, None at the end of the stream."""
    head = stream.read(9)
    if len(head) < 9:
        return None
    return head[:1], stream.read(int.from_bytes(head[1:], "big"))


def main(server: int) -> None:
    """Deal with orders until the server, by its process id, is gone. (Told and not looked up: it
    may be gone before this line.)
    """
    threading.Thread(target=_end_with, args=(server,), daemon=True).start()
    _warm_up()
    me = os.getpid()
    while (order := _order()) is not None:
        child = os.fork()
        if not child:
            _in_child(me, *order)
        _, status = os.waitpid(child, 0)
        write_frame(sys.stdout.buffer, ENDED, str(os.waitstatus_to_exitcode(status)).encode())


def _order() -> tuple[dict[str, Any], dict[str, bytes]] | None:
    """What is asked for and the files it is asked of."""
    order: dict[str, Any] = {}
    files: dict[str, bytes] = {}
    while (frame := read_frame(sys.stdin.buffer)) is not None:
        kind, content = frame
        if kind == ORDER:
            order = json.loads(content)
        elif kind == FILE:
            files[order["files"][len(files)]] = content
        elif kind == GO:
            return order, files
    return None


def _end_with(parent: int) -> None:
    """End this process and its children once its parent is gone."""
    while os.getppid() == parent:
        time.sleep(0.5)
    os.killpg(os.getpgid(0), signal.SIGKILL)


def _warm_up() -> None:
    from yellowfen.core.board.copper_links import load_loops
    from yellowfen.core.board.likeness import patterns
    from yellowfen.formats import board_files  # noqa: F401

    load_loops()
    patterns()


def _in_child(parent: int, order: dict[str, Any], files: dict[str, bytes]) -> None:
    """Read under limits, tell each step, write what was found, and end."""
    code = 0
    out = sys.stdout.buffer
    try:
        threading.Thread(target=_end_with, args=(parent,), daemon=True).start()
        _limit(order["seconds"])
        found = _DEEDS[order["deed"]](
            order, files, lambda step: write_frame(out, STEP, step.encode(errors="replace"))
        )
        write_frame(out, DONE, found.encode())
    except YellowfenError as problem:
        write_frame(out, REFUSED, json.dumps(_told(problem)).encode())
    except MemoryError:
        code = -signal.SIGSEGV
    except BaseException:
        write_frame(out, UNFORESEEN, traceback.format_exc()[-4000:].encode(errors="replace"))
    finally:
        os._exit(3 if code else 0)


def _limit(seconds: int) -> None:
    with open("/proc/self/statm") as statm:
        begun = int(statm.read().split()[0]) * resource.getpagesize()
    seconds += int(time.process_time())
    resource.setrlimit(resource.RLIMIT_AS, (begun + MEMORY_BYTES, begun + MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 1))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _told(problem: YellowfenError) -> dict[str, Any]:
    """An error in words that cross a pipe."""
    told: dict[str, Any] = {"kind": type(problem).__name__, "said": str(problem)}
    if isinstance(problem, UnreadableFile):
        told |= {"file": problem.file, "line": problem.line, "column": problem.column}
        told["guesses"] = pack(problem.guesses) if problem.guesses else ""
    if isinstance(problem, InvalidValue):
        told |= {"field": problem.field, "problem": problem.problem}
    return told


def error_of(told: dict[str, Any]) -> YellowfenError:
    """The error back from its words."""
    if told["kind"] == "InvalidValue":
        return InvalidValue(told["field"], told["problem"])
    if told["kind"] == "TooLarge":
        return TooLarge(told["said"])
    problem = UnreadableFile.told(told.get("file", "files"), told["said"])
    problem.line, problem.column = told.get("line"), told.get("column")
    if told.get("guesses"):
        from yellowfen.core.board.board import LayerGuess

        problem.guesses = unpack(tuple[LayerGuess, ...], told["guesses"])
    return problem


Told = Callable[[str], None]


def _board(order: dict[str, Any], files: dict[str, bytes], tell: Told) -> str:
    from yellowfen.core.board.choices import Choices
    from yellowfen.core.part.library import Library, OwnPackage
    from yellowfen.formats.board_files import read_board

    board = read_board(
        files,
        order["name"],
        unpack(Choices, order["choices"]),
        order["thickness_mm"],
        on_step=tell,
        library=Library(unpack(tuple[OwnPackage, ...], order["own"]), order["meanings"]),
        columns=order["columns"],
    )
    return pack(board)


def _tables(order: dict[str, Any], files: dict[str, bytes], tell: Told) -> str:
    from yellowfen.formats.part_table import how_read

    found = []
    for name, data in files.items():
        tell(name)
        try:
            found.append(how_read(data, name, order["columns"]))
        except UnreadableFile:
            continue
    return pack(tuple(found))


def _packages(order: dict[str, Any], files: dict[str, bytes], tell: Told) -> str:
    from yellowfen.formats.package_file import read_packages

    ((name, data),) = files.items()
    tell(name)
    return pack(tuple(read_packages(data, name)))


def _log(order: dict[str, Any], files: dict[str, bytes], tell: Told) -> str:
    from yellowfen.formats.thermal_log import read_log

    ((name, data),) = files.items()
    tell(name)
    return json.dumps(read_log(name, data))


_DEEDS: dict[str, Callable[[dict[str, Any], dict[str, bytes], Told], str]] = {
    "board": _board,
    "tables": _tables,
    "packages": _packages,
    "log": _log,
}

if __name__ == "__main__":
    main(int(sys.argv[1]))
