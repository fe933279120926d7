"""Reading placement and bill-of-materials tables: any sane delimiter, header wording, unit and decimal sign.

Laws: columns are recognised by their headings; what is missing, doubled or not understood is refused with the line;
nothing is guessed about a side word that is not known.
"""

import csv
import io
import math
import re
from dataclasses import dataclass

from yellowfen.core.board.join import Placement
from yellowfen.errors import UnreadableFile

_HEADINGS = {
    "ref": ("ref", "refdes", "reference", "references", "designator", "designators", "part", "name", "component", "refs"),
    "value": ("value", "val", "comment", "description"),
    "footprint": ("package", "footprint", "pattern", "case", "outline"),
    "x": ("x", "posx", "midx", "centerx", "centrex", "xpos", "locationx", "refx", "xmm", "xcoord", "centerxmm"),
    "y": ("y", "posy", "midy", "centery", "centrey", "ypos", "locationy", "refy", "ymm", "ycoord", "centerymm"),
    "rotation": ("rot", "rotation", "angle", "orientation", "theta"),
    "side": ("side", "layer", "tb", "boardside", "mountside", "face"),
}  # fmt: skip
_TOP = {"top", "t", "f", "front", "component", "toplayer", "fcu", "upper", "1", "topside", "primary"}
_BOTTOM = {"bottom", "b", "bot", "back", "solder", "bottomlayer", "bcu", "lower", "2", "bottomside", "secondary"}
_UNITS = {"mm": 1.0, "mil": 0.0254, "mils": 0.0254, "thou": 0.0254, "in": 25.4, "inch": 25.4, "inches": 25.4, "um": 0.001}


@dataclass(frozen=True)
class BillLine:
    """One reference of the bill with what the bill says of it."""

    ref: str
    value: str
    footprint: str


def _rows(data: bytes, name: str) -> tuple[list[list[str]], int]:
    """Cells of the table and the line its heading stands in (0-based)."""
    if not data.strip():
        raise UnreadableFile(name, "the file is empty; export it again")
    if b"\0" in data[:4000] and not data.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise UnreadableFile(name, "this is not a table of text; export it as CSV")
    text = _decode(data)
    lines = text.splitlines()
    delimiter = max(";\t,|", key=lambda mark: sum(line.count(mark) for line in lines[:30]))
    rows = [[cell.strip() for cell in row] for row in csv.reader(io.StringIO(text), delimiter=delimiter)]
    for number, row in enumerate(rows[:40]):
        found = {_field(cell)[0] for cell in row} - {None}
        if "ref" in found and len(found) >= 2:
            return rows, number
    raise UnreadableFile(name, "no heading row with a reference column (such as Ref, Designator) was found; add one")


def _decode(data: bytes) -> str:
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16", errors="replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("latin-1")


def _field(heading: str) -> tuple[str | None, float | None]:
    """The meaning of a column heading, and mm per unit when it names one."""
    words = re.findall(r"[a-z0-9]+", heading.lower().replace("µ", "u"))
    unit = next((_UNITS[word] for word in reversed(words) if word in _UNITS), None)
    plain = "".join(word for word in words if word not in _UNITS)
    return next((key for key, names in _HEADINGS.items() if plain in names), None), unit


def _columns(heading: list[str]) -> dict[str, tuple[int, float | None]]:
    columns: dict[str, tuple[int, float | None]] = {}
    for index, cell in enumerate(heading):
        key, unit = _field(cell)
        if key and key not in columns:
            columns[key] = (index, unit)
    return columns


def _number(text: str, unit: float, name: str, line: int, what: str) -> float:
    match = re.fullmatch(r"([-+]?[\d.,]*\d[\d.,]*(?:[eE][-+]?\d+)?)\s*([a-zA-Z°µ]*)", text.strip())
    if not match:
        raise UnreadableFile(name, f"{what} {text[:30]!r} is not a number; correct the cell", line)
    digits = match[1]
    if "," in digits and "." in digits:
        last = max(digits.rfind(","), digits.rfind("."))
        digits = re.sub(r"[.,]", "", digits[:last]) + "." + digits[last + 1 :]
    suffix = match[2].lower().replace("µ", "u").strip("°")
    if suffix and suffix not in _UNITS and suffix != "deg":
        raise UnreadableFile(name, f"the unit {match[2]!r} in {text[:30]!r} is not known; use mm, mil or in", line)
    try:
        value = float(digits.replace(",", ".")) * _UNITS.get(suffix, unit)
    except ValueError:
        raise UnreadableFile(name, f"{what} {text[:30]!r} is not a number; correct the cell", line) from None
    if not math.isfinite(value):
        raise UnreadableFile(name, f"{what} {text[:30]!r} is not a finite number; correct the cell", line)
    return value


def has_places(data: bytes, name: str) -> bool:
    """True when the table has x and y columns (a placement), False for a bill."""
    rows, heading = _rows(data, name)
    return {"x", "y"} <= set(_columns(rows[heading]))


def read_placements(data: bytes, name: str) -> list[Placement]:
    """Rows of a placement table in mm, in file coordinates. Raises UnreadableFile with the line."""
    rows, at = _rows(data, name)
    columns = _columns(rows[at])
    missing = [word for key, word in (("ref", "reference"), ("x", "x"), ("y", "y")) if key not in columns]
    if missing:
        raise UnreadableFile(name, f"the column for {' and '.join(missing)} is missing; add it with a heading", at + 1)
    placements: list[Placement] = []
    seen: dict[str, int] = {}
    for number, row in enumerate(rows[at + 1 :], at + 2):
        if not any(row) or len(row) <= columns["ref"][0] or not row[columns["ref"][0]]:
            continue
        placed = _placement(row, columns, name, number)
        if placed.ref in seen:
            raise UnreadableFile(
                name, f"{placed.ref} stands twice (first in line {seen[placed.ref]}); every part needs its own name", number
            )
        seen[placed.ref] = number
        placements.append(placed)
        if len(placements) > 20_000:
            raise UnreadableFile(name, "has more than 20000 rows, which is more than a board has", number)
    if not placements:
        raise UnreadableFile(name, "has a heading but no parts below it")
    return placements


def _placement(row: list[str], columns: dict[str, tuple[int, float | None]], name: str, line: int) -> Placement:
    def cell(key: str) -> str:
        index = columns[key][0] if key in columns else len(row)
        return row[index] if index < len(row) else ""

    unit_x, unit_y = columns["x"][1] or 1.0, columns["y"][1] or 1.0
    return Placement(
        cell("ref")[:40], cell("value")[:80], cell("footprint")[:120],
        _number(cell("x"), unit_x, name, line, "x"), _number(cell("y"), unit_y, name, line, "y"),
        _number(cell("rotation"), 1.0, name, line, "rotation") % 360 if cell("rotation") else 0.0,
        _side(cell("side"), name, line) if "side" in columns else "top",
    )  # fmt: skip


def _side(text: str, name: str, line: int) -> str:
    word = re.sub(r"[^a-z0-9]", "", text.lower())
    if word in _TOP:
        return "top"
    if word in _BOTTOM:
        return "bottom"
    raise UnreadableFile(name, f"side {text[:30]!r} is not known; write top or bottom", line)


def read_bill(data: bytes, name: str) -> list[BillLine]:
    """References of a bill of materials, ranges such as R2-R5 written out."""
    rows, at = _rows(data, name)
    columns = _columns(rows[at])
    lines: list[BillLine] = []
    for row in rows[at + 1 :]:
        cells = {key: row[index] if index < len(row) else "" for key, (index, _) in columns.items()}
        for ref in spread_refs(cells.get("ref", "")):
            lines.append(BillLine(ref, cells.get("value", "")[:80], cells.get("footprint", "")[:120]))
    return lines


def spread_refs(cell: str) -> list[str]:
    """'R1, R3-R5' as R1 R3 R4 R5; at most 2000."""
    refs: list[str] = []
    for piece in re.split(r"[\s,;]+", cell.replace("–", "-")):
        match = re.fullmatch(r"([A-Za-z]+)(\d{1,5})-(?:\1)?(\d{1,5})", piece)
        if match and 0 <= int(match[3]) - int(match[2]) < 500:
            refs += [f"{match[1]}{n}" for n in range(int(match[2]), int(match[3]) + 1)]
        elif piece:
            refs.append(piece[:40])
    return refs[:2000]
