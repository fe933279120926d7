"""Reading placement and bill-of-materials tables: any sane delimiter, header wording, unit and
decimal sign.

Laws: columns are recognised by their headings, else by what stands in them, and the reading is
shown; a choice the user made once for a heading row is taken wherever that row comes again; what is
missing, doubled or not understood is refused with its line and column; nothing is guessed about a
side word that is not known.
"""

import csv
import io
import math
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from yellowfen.core.board.join import Placement, plain_ref
from yellowfen.errors import UnreadableFile
from yellowfen.formats.table_out import from_text
from yellowfen.formats.text import decoded, is_text

# Meaning of a heading, best wording first: of several columns that could be x, the earlier word
# wins.
_HEADINGS = {
    "ref": (
        "refdes",
        "ref",
        "reference",
        "references",
        "designator",
        "designators",
        "refs",
        "referencedesignator",
        "part",
        "component",
        "name",
        "item",
    ),
    "value": ("value", "val", "comment", "partvalue", "description", "parttype"),
    "footprint": (
        "footprint",
        "package",
        "pattern",
        "case",
        "packagereference",
        "landpattern",
        "outline",
        "size",
    ),
    "x": (
        "midx",
        "centerx",
        "centrex",
        "centroidx",
        "posx",
        "x",
        "xpos",
        "positionx",
        "locationx",
        "locx",
        "xcoord",
        "xposition",
        "xlocation",
        "coordinatex",
        "xcoordinate",
        "refx",
        "padx",
    ),
    "y": (
        "midy",
        "centery",
        "centrey",
        "centroidy",
        "posy",
        "y",
        "ypos",
        "positiony",
        "locationy",
        "locy",
        "ycoord",
        "yposition",
        "ylocation",
        "coordinatey",
        "ycoordinate",
        "refy",
        "pady",
    ),
    "rotation": ("rotation", "rot", "angle", "orientation", "theta", "rotationdeg", "rotdeg"),
    "side": (
        "side",
        "layer",
        "tb",
        "boardside",
        "mountside",
        "face",
        "mountingside",
        "surface",
        "mirror",
        "mirrored",
    ),
    "dnp": (
        "dnp",
        "dnf",
        "dni",
        "donotplace",
        "donotfit",
        "donotpopulate",
        "fitted",
        "populate",
        "populated",
        "mount",
        "mounted",
        "assemble",
        "fit",
    ),
}
FIELDS = tuple(_HEADINGS)
_TOP = {
    "top",
    "t",
    "f",
    "front",
    "component",
    "componentside",
    "toplayer",
    "fcu",
    "upper",
    "1",
    "topside",
    "primary",
    "no",
}
_BOTTOM = {
    "bottom",
    "b",
    "bot",
    "back",
    "solder",
    "solderside",
    "bottomlayer",
    "bcu",
    "lower",
    "2",
    "bottomside",
    "secondary",
    "yes",
}
_UNITS = {
    "mm": 1.0,
    "millimeter": 1.0,
    "millimeters": 1.0,
    "millimetre": 1.0,
    "millimetres": 1.0,
    "mil": 0.0254,
    "mils": 0.0254,
    "thou": 0.0254,
    "in": 25.4,
    "inch": 25.4,
    "inches": 25.4,
    "um": 0.001,
    "cm": 10.0,
}
_NOT_FITTED = re.compile(
    r"\b(dnp|dnf|dni|dns|do not (?:place|fit|populate|install|mount)|not fitted|no ?stuff|unpopulated|nc)\b",
    re.IGNORECASE,
)
_REF = re.compile(r"[A-Za-z]{1,4}\d{1,5}[A-Za-z]?$")
MOST_REFS, MOST_PLACED = 50_000, 10_000
FARTHEST = 10_000.0  # mm from the zero point, or degrees: more is a slip, or no number of a place
ColumnChoice = Mapping[str, Mapping[str, int]]


@dataclass(frozen=True)
class BillLine:
    """One reference of the bill with what the bill says of it."""

    ref: str
    value: str
    footprint: str
    fitted: bool = True


@dataclass(frozen=True, kw_only=True)
class TableReading:
    """How a table was read: its heading row, the column taken for each field, the unit of x, a few
    rows to see.
    """

    file: str
    heading: tuple[str, ...]
    columns: dict[str, int]
    unit: str
    why: str
    sample: tuple[tuple[str, ...], ...]

    @property
    def key(self) -> str:
        """What a choice of columns is remembered by."""
        return (
            heading_key(self.heading)
            if self.heading
            else _bare_key(self.sample[0] if self.sample else ())
        )


def heading_key(heading: tuple[str, ...] | list[str]) -> str:
    return "|".join(re.sub(r"\s+", " ", cell.strip().lower()) for cell in heading)[:1000]


def _bare_key(row: tuple[str, ...] | list[str]) -> str:
    return f"no heading, {len(row)} columns"


@dataclass(kw_only=True)
class _Table:
    """Rows of a table with their line numbers, and how its columns are read."""

    name: str
    rows: list[list[str]]
    at: int
    columns: dict[str, int]
    units: dict[str, float]
    why: str

    def cell(self, row: list[str], key: str) -> str:
        index = self.columns.get(key, len(row))
        return from_text(row[index]) if index < len(row) else ""

    def body(self) -> list[tuple[int, list[str]]]:
        """(line, row) of every row below the heading that names a part."""
        ref = self.columns["ref"]
        return [
            (number, row)
            for number, row in enumerate(self.rows[self.at + 1 :], self.at + 2)
            if len(row) > ref and row[ref] and not row[0].startswith("#")
        ]


MOST_ROWS_BEFORE = 60  # a heading is looked for in so many rows


def _table(data: bytes, name: str, choice: ColumnChoice) -> _Table:
    if not data.strip():
        raise UnreadableFile(name, "the file is empty; export it again")
    if not is_text(data):
        raise UnreadableFile(name, "this is not a table of text; export it as CSV")
    text = decoded(data)
    rows = _rows(text)
    for at, columns, why in _ways_taken(rows, choice):
        heading = rows[at] if at >= 0 else []
        return _Table(
            name=name,
            rows=rows,
            at=at,
            columns=columns,
            units=_units(heading, columns, text),
            why=why,
        )
    raise UnreadableFile(
        name, "no heading row with a reference column (such as Ref, Designator) was found; add one"
    )


def _ways_taken(
    rows: list[list[str]], choice: ColumnChoice
) -> Iterator[tuple[int, dict[str, int], str]]:
    """How a table may be taken, the surest first: (row of the heading, -1 without one; columns by
    what they hold; why).
    """
    headings = list(enumerate(rows[:MOST_ROWS_BEFORE]))
    for number, row in headings:
        kept = choice.get(heading_key(row))
        if kept and "ref" in kept:
            yield number, dict(kept), "as you chose for this heading"
    for number, row in headings:
        columns = _by_heading(row)
        if "ref" in columns and len(columns) >= 2:
            yield number, columns, "by its headings"
    bare = choice.get(_bare_key(rows[0]) if rows else "")
    if bare and "ref" in bare:
        yield -1, dict(bare), "as you chose for tables of this width without heading"
    columns = _by_content(rows)
    if "ref" in columns and len(columns) >= 2:
        yield -1, columns, "by what stands in its columns, since it has no heading"


def _rows(text: str) -> list[list[str]]:
    """Cells of every line; the delimiter is the one that most evenly cuts the lines, else runs of
    blanks.
    """
    lines = text.splitlines()[:40]
    counts = {mark: [line.count(mark) for line in lines if line.strip()] for mark in ";\t,|"}
    delimiter = max(
        counts, key=lambda mark: (sum(1 for n in counts[mark] if n >= 2), sum(counts[mark]))
    )
    if sum(1 for n in counts[delimiter] if n >= 1) >= max(
        min(2, len(counts[delimiter])), 0.4 * len(counts[delimiter])
    ):
        try:
            read = list(csv.reader(io.StringIO(text), delimiter=delimiter))
        except csv.Error:
            read = [line.split(delimiter) for line in text.splitlines()]
        return [[cell.strip() for cell in row] for row in read]
    if sum(1 for line in lines if line.count(",")) >= 2:
        return [[cell.strip() for cell in row] for row in csv.reader(io.StringIO(text))]
    return [
        re.split(r"\s{2,}|(?<=\S)\s(?=\S)", line.lstrip("# ").strip()) if line.strip() else []
        for line in text.splitlines()
    ]


def _meaning(heading: str) -> tuple[str, int] | None:
    """The field a heading stands for and the rank of its wording."""
    words = re.findall(r"[a-z0-9]+", heading.lower().replace("µ", "u"))
    plain = "".join(word for word in words if word not in _UNITS)
    if re.fullmatch(r"x(mm|mil|in|inch)", plain) or re.fullmatch(r"y(mm|mil|in|inch)", plain):
        plain = plain[0]
    return next(
        ((key, names.index(plain)) for key, names in _HEADINGS.items() if plain in names), None
    )


def _by_heading(row: list[str]) -> dict[str, int]:
    best: dict[str, tuple[int, int]] = {}
    for index, cell in enumerate(row):
        meaning = _meaning(cell.lstrip("# "))
        if meaning and (meaning[0] not in best or meaning[1] < best[meaning[0]][0]):
            best[meaning[0]] = (meaning[1], index)
    return {key: index for key, (_, index) in best.items()}


def _by_content(rows: list[list[str]]) -> dict[str, int]:
    """Columns of a table without heading: references, two columns of fractions, whole quarter
    turns, side words.
    """
    body = [row for row in rows if len(row) >= 4][:200]
    if len(body) < 2:
        return {}
    columns: dict[str, int] = {}
    width = min(len(row) for row in body)
    share = {index: [row[index] for row in body] for index in range(width)}
    for index, cells in share.items():
        numbers = [_plain_number(cell) for cell in cells]
        if "ref" not in columns and sum(bool(_REF.match(cell)) for cell in cells) > 0.8 * len(
            cells
        ):
            columns["ref"] = index
        elif all(number is not None for number in numbers):
            key = next((key for key in ("x", "y", "rotation") if key not in columns), None)
            if key:
                columns[key] = index
        elif "side" not in columns and all(_side_word(cell) for cell in cells):
            columns["side"] = index
        elif "value" not in columns:
            columns["value"] = index
        elif "footprint" not in columns:
            columns["footprint"] = index
    return columns if {"ref", "x", "y"} <= set(columns) else {}


def _plain_number(cell: str) -> float | None:
    match = re.fullmatch(r"[-+]?\d+(?:[.,]\d+)?(?:\s*(?:mm|mil|in))?", cell)
    return float(re.sub(r"[^-+\d.]", "", cell.replace(",", "."))) if match else None


def _units(heading: list[str], columns: Mapping[str, int], text: str) -> dict[str, float]:
    """mm per unit of x and y: by the heading, else by a remark above the table, else 1."""
    stated = re.search(
        r"units?[ \t:=]{0,12}(?:used|are|is)?[ \t:=]{0,12}\(?(mm|mils?|inch(?:es)?|thou|in|um)\b",
        text[:4000],
        re.IGNORECASE,
    )
    general = _UNITS[stated[1].lower()] if stated else 1.0
    units = {}
    for key in ("x", "y"):
        index = columns.get(key, -1)
        words = (
            re.findall(r"[a-z]+", heading[index].lower().replace("µ", "u"))
            if 0 <= index < len(heading)
            else []
        )
        joined = [word[1:] for word in words if re.fullmatch(r"[xy](mm|mil|in|inch)", word)]
        units[key] = next(
            (_UNITS[word] for word in [*reversed(words), *joined] if word in _UNITS), general
        )
    return units


def _number(text: str, unit: float, name: str, line: int, column: int, what: str) -> float:
    match = re.fullmatch(
        r"([-+]?[\d.,]*\d[\d.,]*(?:[eE][-+]?\d+)?)\s*([a-zA-Z°µ\"]*)", text.strip()
    )
    if not match:
        raise UnreadableFile(
            name, f"{what} {text[:30]!r} is not a number; correct the cell", line, column
        )
    digits = match[1]
    if "," in digits and "." in digits:
        last = max(digits.rfind(","), digits.rfind("."))
        digits = re.sub(r"[.,]", "", digits[:last]) + "." + digits[last + 1 :]
    suffix = match[2].lower().replace("µ", "u").replace('"', "in").strip("°")
    if suffix and suffix not in _UNITS and suffix != "deg":
        raise UnreadableFile(
            name,
            f"the unit {match[2]!r} in {text[:30]!r} is not known; use mm, mil or in",
            line,
            column,
        )
    try:
        value = float(digits.replace(",", ".")) * _UNITS.get(suffix, unit)
    except ValueError:
        raise UnreadableFile(
            name, f"{what} {text[:30]!r} is not a number; correct the cell", line, column
        ) from None
    if not math.isfinite(value):
        raise UnreadableFile(
            name, f"{what} {text[:30]!r} is not a finite number; correct the cell", line, column
        )
    return value


def has_places(data: bytes, name: str, choice: ColumnChoice | None = None) -> bool:
    """True when the table has x and y columns (a placement), False for a bill."""
    return {"x", "y"} <= set(_table(data, name, choice or {}).columns)


def how_read(data: bytes, name: str, choice: ColumnChoice | None = None) -> TableReading:
    """How a table's columns were taken, for the user to see and correct."""
    table = _table(data, name, choice or {})
    heading = tuple(table.rows[table.at]) if table.at >= 0 else ()
    unit = next((word for word, size in _UNITS.items() if size == table.units["x"]), "mm")
    body = [row for row in table.rows[table.at + 1 :] if any(row)]
    return TableReading(
        file=name,
        heading=heading,
        columns=dict(table.columns),
        unit=unit,
        why=table.why,
        sample=tuple(tuple(cell[:40] for cell in row) for row in body[:3]),
    )


def read_placements(
    data: bytes,
    name: str,
    choice: ColumnChoice | None = None,
    left_out: list[UnreadableFile] | None = None,
) -> list[Placement]:
    """Rows of a placement table in mm, in file coordinates.

    Raises UnreadableFile with line and column.

    With `left_out`, a row that cannot be read is noted there and left out, and the rest is read.
    """
    table = _table(data, name, choice or {})
    missing = [
        word
        for key, word in (("ref", "reference"), ("x", "x"), ("y", "y"))
        if key not in table.columns
    ]
    if missing:
        raise UnreadableFile(
            name,
            f"the column for {' and '.join(missing)} is missing; add it with a heading",
            max(table.at, 0) + 1,
        )
    placements: dict[str, Placement] = {}
    lines: dict[str, int] = {}
    body = table.body()
    if len(body) > MOST_PLACED:
        said = f"places more than {MOST_PLACED:,} parts, which is more than a board has"
        raise UnreadableFile(name, said, body[MOST_PLACED][0])
    for line, row in body:
        try:
            placed = _placement(table, row, line)
            if placed.ref in placements:
                said = f"{placed.ref} stands twice (first in line {lines[placed.ref]}); every part needs its own name"
                raise UnreadableFile(name, said, line, table.columns["ref"] + 1)
        except UnreadableFile as problem:
            if left_out is None:
                raise
            left_out.append(problem)
            continue
        placements[placed.ref], lines[placed.ref] = placed, line
        if len(placements) > 20_000:
            raise UnreadableFile(
                name, "has more than 20000 rows, which is more than a board has", line
            )
    if not placements:
        raise (
            left_out[0] if left_out else UnreadableFile(name, "has a heading but no parts below it")
        )
    return list(placements.values())


def _placement(table: _Table, row: list[str], line: int) -> Placement:
    def number(key: str, unit: float) -> float:
        """Raises UnreadableFile for a text that is no number."""
        column = table.columns[key] + 1
        value = _number(table.cell(row, key), unit, table.name, line=line, column=column, what=key)
        if abs(value) > FARTHEST:
            said = f"{key} {table.cell(row, key)[:30]!r} lies beyond any board; correct the cell or its unit"
            raise UnreadableFile(table.name, said, line, column)
        return value

    return Placement(
        ref=plain_ref(table.cell(row, "ref")),
        value=table.cell(row, "value")[:80],
        footprint=table.cell(row, "footprint")[:120],
        x_mm=number("x", table.units["x"]),
        y_mm=number("y", table.units["y"]),
        rotation_deg=number("rotation", 1.0) % 360 if table.cell(row, "rotation") else 0.0,
        side=_side(table.cell(row, "side"), table, line) if "side" in table.columns else "top",
        fitted=_fitted(table, row),
    )


def _fitted(table: _Table, row: list[str]) -> bool:
    """False when the row says that the part is to be left out."""
    if _NOT_FITTED.search(table.cell(row, "value")):
        return False
    index = table.columns.get("dnp")
    if index is None:
        return True
    cell = re.sub(r"[^a-z0-9]", "", table.cell(row, "dnp").lower())
    heading = re.sub(r"[^a-z]", "", table.rows[table.at][index].lower()) if table.at >= 0 else "dnp"
    negative = heading.startswith(("dn", "donot"))
    if _NOT_FITTED.search(table.cell(row, "dnp")):
        return False
    said = cell in ("1", "yes", "y", "true", "x", "dnp", "dnf")
    return not said if negative else cell not in ("0", "no", "n", "false", "none")


def _side_word(text: str) -> str:
    word = re.sub(r"[^a-z0-9]", "", text.lower())
    return "top" if word in _TOP else "bottom" if word in _BOTTOM else ""


def _side(text: str, table: _Table, line: int) -> str:
    side = _side_word(text)
    if not side:
        raise UnreadableFile(
            table.name,
            f"side {text[:30]!r} is not known; write top or bottom",
            line,
            table.columns["side"] + 1,
        )
    return side


def read_bill(data: bytes, name: str, choice: ColumnChoice | None = None) -> list[BillLine]:
    """References of a bill of materials, ranges such as R2-R5 written out.

    Raises UnreadableFile with the line.
    """
    table = _table(data, name, choice or {})
    lines: list[BillLine] = []
    for number, row in table.body():
        fitted = _fitted(table, row)
        refs = spread_refs(table.cell(row, "ref"))
        if len(lines) + len(refs) > MOST_REFS:
            said = f"names more than {MOST_REFS:,} parts, which is more than a board has; check the ranges of its references"
            raise UnreadableFile(name, said, number)
        for ref in refs:
            lines.append(
                BillLine(
                    ref, table.cell(row, "value")[:80], table.cell(row, "footprint")[:120], fitted
                )
            )
    return lines


def spread_refs(cell: str) -> list[str]:
    """'R1, R3-R5' as R1 R3 R4 R5; at most 2000."""
    refs: list[str] = []
    plain = re.sub(r"\s*(?:[\u2010-\u2015-]|\.\.\.?|\bto\b|\u2026)\s*(?=[A-Za-z]*\d)", "-", cell)
    for piece in re.split(r"[\s,;/+&]+", plain):
        match = re.fullmatch(r"([A-Za-z]+)(\d{1,5})-(?:\1)?(\d{1,5})", piece)
        if match and 0 <= int(match[3]) - int(match[2]) < 500:
            refs += [f"{match[1]}{n}" for n in range(int(match[2]), int(match[3]) + 1)]
        elif piece:
            refs.append(piece[:40])
    return refs[:2000]
