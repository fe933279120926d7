"""Reading what comes from outside, by a process that no file can hold: this side of the pipe."""

import atexit
import json
import os
import signal
import subprocess
import sys
import threading
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from typing import Any, cast

from yellowfen.core.board.board import Board
from yellowfen.core.board.choices import Choices
from yellowfen.core.part.library import BUILT_IN, Library, OwnPackage
from yellowfen.errors import UnreadableFile
from yellowfen.formats.part_table import ColumnChoice, TableReading
from yellowfen.store.packing import pack, unpack
from yellowfen.workflows.reading_process import (
    DONE,
    ENDED,
    FILE,
    GO,
    ORDER,
    REFUSED,
    STEP,
    UNFORESEEN,
    error_of,
    read_frame,
    write_frame,
)
from yellowfen.workflows.trouble import logged_text

Files = Mapping[str, bytes]
SMALL_BYTES, SMALL_SECONDS, MOST_SECONDS = 2_000_000, 10, 60
_KILLED = -signal.SIGKILL  # from outside: its limits end a reading otherwise
Log = tuple[tuple[float, ...], dict[str, tuple[float, ...]]]


def seconds_for(files: Files) -> int:
    """Processor time that reading these files together may take, s."""
    return SMALL_SECONDS if sum(map(len, files.values())) < SMALL_BYTES else MOST_SECONDS


def _quiet(step: str) -> None:
    """Nobody listens."""


class Reader:
    """One reading process, started when first asked and again when it died. One order at a time."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        self._lock = threading.Lock()

    def ask(
        self, order: dict[str, Any], files: Files, on_step: Callable[[str], None] = _quiet
    ) -> str:
        """What the process found, as text. Raises the reading's own errors; UnreadableFile with the
        file at hand when the reading took too much or broke.
        """
        with self._lock:
            # A process that was ended from outside is started twice more, a reading once.
            for tried in range(3):
                answer, at, code = b"", "", None
                try:
                    answer, at, code = self._asked(order, files, on_step)
                finally:
                    if code is None:
                        self._stop()
                if answer or code not in (None, _KILLED) or (code == _KILLED and tried):
                    break
        return _settled(answer, at, files)

    def _asked(
        self, order: dict[str, Any], files: Files, on_step: Callable[[str], None]
    ) -> tuple[bytes, str, int | None]:
        """(answer with its letter, step at which it came, how its reading ended: None where the
        process is not at rest again).
        """
        process = self._running()
        assert process.stdin is not None
        assert process.stdout is not None
        with suppress(BrokenPipeError):
            asked = {**order, "files": list(files), "seconds": seconds_for(files)}
            write_frame(process.stdin, ORDER, json.dumps(asked).encode())
            for data in files.values():
                write_frame(process.stdin, FILE, data)
            write_frame(process.stdin, GO)
        at, answer = next(iter(files), str(order.get("name", "the files"))), b""
        while (frame := read_frame(process.stdout)) is not None:
            kind, content = frame
            if kind == STEP:
                at = content.decode()
                on_step(at)
            elif kind == ENDED:
                return answer, at, int(content)
            else:
                answer = kind + content
        return answer, at, None

    def _running(self) -> subprocess.Popen[bytes]:
        if self._process is None or self._process.poll() is not None:
            self._stop()
            self._process = subprocess.Popen(
                [sys.executable, "-m", "yellowfen.workflows.reading_process", str(os.getpid())],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                start_new_session=True,
            )
        return self._process

    def warm(self) -> None:
        """Start the process, so that it is ready when files come."""
        if self._lock.acquire(blocking=False):
            try:
                self._running()
            finally:
                self._lock.release()

    @property
    def pid(self) -> int | None:
        """The process id while it runs."""
        process = self._process
        return process.pid if process is not None and process.poll() is None else None

    def stop(self) -> None:
        """End the process."""
        with self._lock:
            self._stop()

    def _stop(self) -> None:
        process, self._process = self._process, None
        if process is None:
            return
        with suppress(ProcessLookupError, PermissionError):
            os.killpg(process.pid, signal.SIGKILL)
        process.wait(10)
        for stream in (process.stdin, process.stdout):
            if stream is not None:
                with suppress(BrokenPipeError):
                    stream.close()


def _settled(answer: bytes, at: str, files: Files) -> str:
    """The text of an answer; its error raised; without one, what stopped the reading."""
    kind, content = answer[:1], answer[1:]
    if kind == DONE:
        return content.decode()
    if kind == REFUSED:
        raise error_of(json.loads(content))
    if kind == UNFORESEEN:
        mark = logged_text(content.decode(errors="replace"), f"reading {at}")
        said = f"reading it failed in the program and nothing was changed; leave this file out, or export it again (the log has it under {mark})"
        raise UnreadableFile(at, said)
    seconds = seconds_for(files)
    said = f"took more than {seconds} s or 1 GB to read, which no board of this size needs, so it was given up and nothing was changed; leave this file out, or export it again"
    raise UnreadableFile(at, said)


_READER = Reader()
atexit.register(_READER.stop)


def reader() -> Reader:
    """This process's own reader."""
    return _READER


def read_board(
    files: Files,
    name: str,
    choices: Choices | None = None,
    thickness_mm: float = 1.6,
    library: Library = BUILT_IN,
    columns: ColumnChoice | None = None,
    on_step: Callable[[str], None] = _quiet,
) -> Board:
    """A board from its files, read within limits. Raises UnreadableFile, InvalidValue or TooLarge."""
    order = {
        "deed": "board",
        "name": name,
        "choices": pack(choices or Choices()),
        "thickness_mm": thickness_mm,
        "own": pack(library.own),
        "meanings": dict(library.meanings),
        "columns": {heading: dict(one) for heading, one in (columns or {}).items()},
    }
    return unpack(Board, _READER.ask(order, files, on_step))


def read_tables(files: Files, columns: ColumnChoice) -> list[TableReading]:
    """How each table was taken; one that cannot be read is left out."""
    if not files:
        return []
    order = {"deed": "tables", "columns": {heading: dict(one) for heading, one in columns.items()}}
    return list(unpack(tuple[TableReading, ...], _READER.ask(order, files)))


def read_packages(data: bytes, name: str) -> Sequence[OwnPackage]:
    """Packages of a file of ours."""
    return unpack(tuple[OwnPackage, ...], _READER.ask({"deed": "packages"}, {name: data}))


def read_log(name: str, data: bytes) -> Log:
    """(times s, °C by column) of a thermocouple's table."""
    return unpack(cast(type[Log], Log), _READER.ask({"deed": "log"}, {name: data}))
