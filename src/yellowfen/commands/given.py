"""What a command was given: boards, scenes and files by name; and how its answer is printed."""

import argparse
import json
import sys
from pathlib import Path

from yellowfen.core.board.board import Board
from yellowfen.core.heat.scene import Scene
from yellowfen.errors import Refused, UnreadableFile
from yellowfen.store import boards, jobs
from yellowfen.workflows.boards import read_upload
from yellowfen.workflows.heat import job_scene
from yellowfen.workflows.opening import open_database


def read_bytes(path: str) -> bytes:
    """The bytes of a file, of standard input for "-". Raises UnreadableFile."""
    try:
        return sys.stdin.buffer.read() if path == "-" else Path(path).read_bytes()
    except OSError as problem:
        raise UnreadableFile(path, f"cannot be opened ({problem.strerror})") from None


def print_json(answer: object) -> None:
    """Print an answer as JSON.

    A number that is none has no place in it: raises Refused instead of writing NaN.
    """
    try:
        print(json.dumps(answer, indent=1, ensure_ascii=False, allow_nan=False))
    except ValueError:
        raise Refused(
            "this answer holds a number that is none (not a number, or infinite); it was not written. Please report the file"
        ) from None


def board_named(given: argparse.Namespace) -> Board:
    """The stored board of that number, or the board in that file or folder."""
    if is_stored(given.board):
        return boards.get(open_database(given.data), int(given.board))
    return read_upload([(name, read_bytes(name)) for name in files_in(given.board)])[0]


def is_stored(name: str) -> bool:
    """True for the number of something stored, where no file has that name."""
    return name.isascii() and name.isdigit() and not Path(name).exists()


def scene_of_job(given: argparse.Namespace) -> Scene:
    """The scene of a stored job's heat, under what the bench was taught."""
    connection = open_database(given.data)
    return job_scene(connection, jobs.get(connection, int(given.file)))


def files_in(path: str) -> list[str]:
    """The files of a folder, or the file itself."""
    folder = Path(path)
    return (
        sorted(
            str(one)
            for one in folder.rglob("*")
            if one.is_file() and not one.name.startswith((".", "__"))
        )
        if folder.is_dir()
        else [path]
    )
