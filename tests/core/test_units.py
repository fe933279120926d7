"""Quantities are rendered in one place; no sentence types a unit after a value."""

import ast
import re
from pathlib import Path

import yellowfen
from yellowfen.core.quantity.units import CELSIUS, MM, SECONDS, span_with_unit, with_unit

SOURCE = Path(yellowfen.__file__).parent
# Text for machines and for other programs, and the drawings of the demo board.
NOT_SENTENCES = ("demo/", "formats/", "core/quantity/units.py", "web/static/vendor")
UNIT = r"(°C|mm|µm|L/min|mg|s|min)(?![A-Za-z0-9/²³·])"


def not_said(tree: ast.AST) -> set[int]:
    """Docstrings, and where a constant's value is from: they are read in the unit of the source."""
    silent: set[int] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Expr):
            silent.add(id(node.value))
        if isinstance(node, ast.keyword) and node.arg in ("source", "affects"):
            silent |= {id(one) for one in ast.walk(node)}
    return silent


def typed_units() -> list[str]:
    """Places where a formatted value is followed by a unit that is typed out."""
    found = []
    for path in sorted(SOURCE.rglob("*.py")):
        name = str(path.relative_to(SOURCE))
        if name.startswith(NOT_SENTENCES):
            continue
        tree = ast.parse(path.read_text())
        silent = not_said(tree)
        for node in ast.walk(tree):
            typed = isinstance(node, ast.Constant) and re.search(r"\d °C", str(node.value))
            if typed and id(node) not in silent:
                found.append(f"{name}:{node.lineno}")
            if not isinstance(node, ast.JoinedStr):
                continue
            for before, after in zip(node.values, node.values[1:], strict=False):
                plain = isinstance(after, ast.Constant) and re.match(f" {UNIT}", str(after.value))
                if plain and isinstance(before, ast.FormattedValue) and before.format_spec:
                    found.append(f"{name}:{node.lineno}")
    for path in sorted((SOURCE / "web/templates").glob("*.html")):
        for number, line in enumerate(path.read_text().splitlines(), 1):
            if re.search(r"\d °C", line) or re.search(
                r"(\|format\([^{}]*\)|\|plain) \}\} °C", line
            ):
                found.append(f"{path.name}:{number}")
    for path in sorted((SOURCE / "web/static").glob("*.js")):
        for number, line in enumerate(path.read_text().splitlines(), 1):
            if path.name != "units.js" and re.search(r"\$\{[^{}`]+\} (°C|L/min)", line):
                found.append(f"{path.name}:{number}")
    return found


def test_values_are_told_with_their_unit() -> None:
    assert with_unit(350, CELSIUS) == "350 °C"
    assert with_unit(1.254, MM, 2) == "1.25 mm"
    assert span_with_unit(57.4, 71, SECONDS, 0) == "57 to 71 s"


def test_no_sentence_types_a_unit_after_a_value() -> None:
    assert typed_units() == []
