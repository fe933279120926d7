"""Tables written for spreadsheets: a cell that would be taken for a formula is written as text.

Law: numbers stay numbers, with their sign; what was marked so reads back without its mark.
"""

import csv
import io
import re
from collections.abc import Iterable, Sequence

_STARTS = ("=", "+", "-", "@", "\t", "\r")
_NUMBER = re.compile(
    r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?\s*(%|[a-zA-ZµΩ°]{0,3})", re.ASCII
)


def as_text(cell: object) -> str:
    """A cell no spreadsheet computes with; plain numbers, also with a unit, as they are."""
    text = str(cell)
    if text.startswith(_STARTS) and not _NUMBER.fullmatch(text):
        return f"'{text}"
    return text


def from_text(cell: str) -> str:
    """A cell without the mark that `as_text` gave it."""
    return cell[1:] if cell.startswith("'") and cell[1:].startswith(_STARTS) else cell


def table_text(rows: Iterable[Sequence[object]]) -> str:
    """Rows as CSV, every line ended by a line feed."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    for row in rows:
        writer.writerow([as_text(cell) for cell in row])
    return stream.getvalue()
