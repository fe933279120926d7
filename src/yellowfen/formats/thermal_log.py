"""Thermocouple tables: any sane header, delimiter, decimal mark and unit, to times in s and
readings in °C.
"""

import csv
import io
import itertools
import re

from yellowfen.errors import UnreadableFile

MOST_ROWS = 50_000
LARGEST = 1e9  # seconds or degrees
_NUMBER = re.compile(r"^[+-]?\d+(?:[.,]\d+)?(?:[eE][+-]?\d+)?$")


def read_log(name: str, data: bytes) -> tuple[tuple[float, ...], dict[str, tuple[float, ...]]]:
    """(times from the first row, readings by column name); raises UnreadableFile naming the line."""
    text = _decoded(name, data)
    rows = [
        row
        for row in csv.reader(io.StringIO(text), delimiter=_delimiter(text))
        if any(cell.strip() for cell in row)
    ]
    if len(rows) > MOST_ROWS:
        raise UnreadableFile(name, f"more than {MOST_ROWS} rows; thin the log out")
    header, body, first = _split(rows)
    if len(body) < 8:
        raise UnreadableFile(
            name,
            "holds fewer than 8 rows of numbers; a log needs a time and a temperature in each row",
        )
    width = len(body[0])
    numbers = [_numbers(name, row, width, first + index) for index, row in enumerate(body)]
    header = header if len(header) == width else [f"column {i + 1}" for i in range(width)]
    if width < 2:
        raise UnreadableFile(name, "needs two columns at least: time and temperature")
    time_at = next(
        (
            i
            for i, title in enumerate(header)
            if re.search(r"\btime|zeit|temps?\b|^t$|\bs\b|sec|min|ms", title, re.IGNORECASE)
        ),
        0,
    )
    times = _seconds(header[time_at], [row[time_at] for row in numbers])
    for index, (a, b) in enumerate(itertools.pairwise(times)):
        if b <= a:
            raise UnreadableFile(name, "the times must rise from row to row", first + index + 1)
    columns = {
        title.strip() or f"column {i + 1}": _celsius(title, [row[i] for row in numbers])
        for i, title in enumerate(header)
        if i != time_at
    }
    return tuple(at - times[0] for at in times), columns


def _decoded(name: str, data: bytes) -> str:
    if not data.strip():
        raise UnreadableFile(name, "the log is empty")
    for encoding in (
        "utf-8-sig",
        "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8",
        "latin-1",
    ):
        try:
            return data.decode(encoding)
        except UnicodeDecodeError:
            continue
    raise UnreadableFile(name, "is not text")


def _delimiter(text: str) -> str:
    """The mark that splits the fourth line into most cells; a comma only where it is no decimal
    mark.
    """
    lines = [line for line in text.splitlines() if line.strip()][:12]
    sample = lines[min(3, len(lines) - 1)] if lines else ""
    for mark in (";", "\t"):
        if mark in sample:
            return mark
    return "," if "," in sample else " "


def _split(rows: list[list[str]]) -> tuple[list[str], list[list[str]], int]:
    """(header cells, rows of numbers, the first such row's line number)."""
    for index, row in enumerate(rows):
        cells = [cell.strip() for cell in row if cell.strip()]
        if len(cells) >= 1 and all(_NUMBER.match(cell) for cell in cells):
            header = [cell.strip() for cell in rows[index - 1]] if index else []
            return (
                header,
                [[cell for cell in one if cell.strip()] for one in rows[index:]],
                index + 1,
            )
    return [], [], 1


def _numbers(name: str, row: list[str], width: int, line: int) -> list[float]:
    if len(row) != width:
        raise UnreadableFile(name, f"has {len(row)} cells where the rows above have {width}", line)
    values = []
    for cell in row:
        if not _NUMBER.match(cell.strip()):
            raise UnreadableFile(name, f"{cell.strip()[:20]!r} is not a number", line)
        values.append(float(cell.strip().replace(",", ".")))
        if not abs(values[-1]) < LARGEST:
            raise UnreadableFile(name, f"{cell.strip()[:20]!r} is beyond what a log holds", line)
    return values


def _seconds(title: str, values: list[float]) -> list[float]:
    low = title.lower()
    scale = 0.001 if "ms" in low else 60.0 if "min" in low else 1.0
    return [value * scale for value in values]


def _celsius(title: str, values: list[float]) -> tuple[float, ...]:
    """Readings in °C; a column is taken as Fahrenheit or kelvin only where its title says so."""
    if re.search(r"°\s*f\b|fahrenheit|\bdeg\s*f\b", title, re.IGNORECASE):
        return tuple((value - 32.0) / 1.8 for value in values)
    if re.search(r"kelvin|\[k\]|\(k\)", title, re.IGNORECASE):
        return tuple(value - 273.15 for value in values)
    return tuple(values)
