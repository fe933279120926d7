"""Uploaded files to a flat set of named bytes: zips are unpacked in memory within stated bounds.

Laws: names are labels, never paths; no nested zip is opened; size, count and ratio are bounded
before reading.
"""

import io
import lzma
import zipfile
import zlib
from collections.abc import Iterable, Mapping

from yellowfen.errors import TooLarge, UnreadableFile

MOST_FILES = 200
MOST_BYTES = 64_000_000
MOST_RATIO = 200


def label_of(name: str) -> str:
    """The last part of a name, stripped of anything that could act as a path."""
    last = name.replace("\\", "/").rstrip("/").rsplit("/", 1)[-1]
    return "".join(char for char in last if char.isprintable())[:120] or "file"


def unpack(files: Iterable[tuple[str, bytes]]) -> dict[str, bytes]:
    """All files, those inside zips included.

    Raises TooLarge or UnreadableFile; a doubled label gets a number.
    """
    found: dict[str, bytes] = {}
    for name, data in files:
        label = label_of(name)
        if data.startswith(b"PK") or label.lower().endswith(".zip"):
            for inner, content in _zip(label, data):
                _keep(found, inner, content)
        else:
            _keep(found, label, data)
    return found


def _keep(found: dict[str, bytes], label: str, data: bytes) -> None:
    if len(found) >= MOST_FILES:
        raise TooLarge(f"more than {MOST_FILES} files at once; leave out what is not the board")
    if sum(map(len, found.values())) + len(data) > MOST_BYTES:
        raise TooLarge(
            f"more than {MOST_BYTES // 1_000_000} MB at once; leave out what is not the board"
        )
    name, number = label, 2
    while name in found:
        name, number = f"{number}-{label}", number + 1
    found[name] = data


def _zip(label: str, data: bytes) -> list[tuple[str, bytes]]:
    if not data:
        raise UnreadableFile(label, "the file is empty; export it again")
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return [_member(label, archive, info) for info in _bounded(label, archive)]
    except (
        zipfile.BadZipFile,
        zipfile.LargeZipFile,
        zlib.error,
        lzma.LZMAError,
        NotImplementedError,
        EOFError,
        OSError,
        RuntimeError,
        ValueError,
    ) as problem:
        if isinstance(problem, RuntimeError) and "password" in str(problem):
            raise UnreadableFile(
                label, "the zip is locked with a password; unpack it first"
            ) from None
        raise UnreadableFile(
            label, "is not a sound zip; make it again or drop the files themselves"
        ) from None


def _bounded(label: str, archive: zipfile.ZipFile) -> list[zipfile.ZipInfo]:
    members = [
        info
        for info in archive.infolist()
        if not info.is_dir() and not label_of(info.filename).startswith(".")
    ]
    if len(members) > MOST_FILES:
        raise TooLarge(
            f"{label}: holds more than {MOST_FILES} files; leave out what is not the board"
        )
    total = sum(info.file_size for info in members)
    packed = max(sum(info.compress_size for info in members), 1)
    if total > MOST_BYTES or (total > 1_000_000 and total / packed > MOST_RATIO):
        raise TooLarge(
            f"{label}: unpacks to {total / 1e6:.0f} MB from {packed / 1e6:.2f} MB, which no board needs"
        )
    return members


def _member(label: str, archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> tuple[str, bytes]:
    name = label_of(info.filename)
    if name.lower().endswith(".zip"):
        raise UnreadableFile(label, f"holds another zip ({name}); unpack that first")
    with archive.open(info) as stream:
        data = stream.read(info.file_size + 1)
    if len(data) > info.file_size:
        raise UnreadableFile(label, f"{name} is larger than the zip says; make the zip again")
    return name, data


def zipped(files: Mapping[str, bytes]) -> bytes:
    """Files as one zip."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return stream.getvalue()
