"""The package catalogue as a file: TOML or JSON in, TOML out (docs/package-file.md).

Laws: a file that is not wholly right changes nothing and says which package and field is wrong;
what is written reads back the same.
"""

import json
import math
import tomllib
from collections.abc import Sequence
from typing import Any

from pydantic import TypeAdapter, ValidationError

from yellowfen.core.part.library import OwnPackage
from yellowfen.errors import InvalidValue, UnreadableFile
from yellowfen.formats.text import decoded, is_text

FORMAT = 1
MOST = 2000
_ADAPTER = TypeAdapter(OwnPackage)
_FIELDS = tuple(OwnPackage.__dataclass_fields__)
_LAND_FIELDS = ("pin", "x_mm", "y_mm", "size_x_mm", "size_y_mm", "kind")


def read_packages(data: bytes, name: str) -> list[OwnPackage]:
    """Packages of a file. Raises UnreadableFile with the package and field that is wrong."""
    if not data.strip():
        raise UnreadableFile(name, "the file is empty; export it again")
    if not is_text(data):
        raise UnreadableFile(name, "this is not a package file in TOML or JSON")
    content = _parsed(decoded(data), name)
    if not isinstance(content, dict) or not isinstance(content.get("package"), list):
        raise UnreadableFile(name, "holds no list called package; see docs/package-file.md")
    if content.get("format", FORMAT) != FORMAT:
        raise UnreadableFile(
            name, f"is of format {content['format']!r}; this version reads format {FORMAT}"
        )
    if len(content["package"]) > MOST:
        raise UnreadableFile(name, f"holds more than {MOST} packages; split it")
    found = [_package(one, number, name) for number, one in enumerate(content["package"], 1)]
    names = [one.name for one in found]
    doubled = next((one for one in names if names.count(one) > 1), None)
    if doubled:
        raise UnreadableFile(name, f"{doubled} stands twice; give each package its own name")
    return found


def _parsed(text: str, name: str) -> Any:
    try:
        return json.loads(text) if text.lstrip().startswith("{") else tomllib.loads(text)
    except json.JSONDecodeError as problem:
        raise UnreadableFile(
            name, f"is not sound JSON ({problem.msg})", problem.lineno, problem.colno
        ) from None
    except (tomllib.TOMLDecodeError, RecursionError, ValueError) as problem:
        raise UnreadableFile(name, f"is not sound TOML ({str(problem)[:80]})") from None


def _package(content: Any, number: int, name: str) -> OwnPackage:
    where = f"package {number}"
    if not isinstance(content, dict):
        raise UnreadableFile(name, f"{where} is not a table of fields")
    where = f"package {number} ({str(content.get('name', 'without name'))[:40]})"
    unknown = [
        *(set(content) - set(_FIELDS)),
        *(
            key
            for land in content.get("lands", ())
            if isinstance(land, dict)
            for key in set(land) - set(_LAND_FIELDS)
        ),
    ]
    if unknown:
        raise UnreadableFile(
            name, f"{where}: the field {sorted(unknown)[0][:40]!r} is not known; leave it out"
        )
    try:
        return _ADAPTER.validate_python(content)
    except InvalidValue as problem:
        raise UnreadableFile(name, f"{where}: {problem}") from None
    except ValidationError as problem:
        first = problem.errors()[0]
        raise UnreadableFile(
            name, f"{where}: {'.'.join(map(str, first['loc']))}: {first['msg'].lower()}"
        ) from None


def write_packages(packages: Sequence[OwnPackage]) -> str:
    """TOML text that reads back to the same packages."""
    lines = [
        "# Packages of Yellowfen. Lengths in mm, temperatures in °C; see docs/package-file.md.",
        f"format = {FORMAT}",
        "",
    ]
    for one in packages:
        lines.append("[[package]]")
        for field in _FIELDS:
            value = getattr(one, field)
            if (
                field == "lands"
                or value is None
                or value == ()
                or (field in ("moisture", "polarity") and not value)
            ):
                continue
            lines.append(f"{field} = {_value(value)}")
        if one.lands:
            lines.append("lands = [")
            lines += [
                "  {"
                + ", ".join(f"{key} = {_value(getattr(land, key))}" for key in _LAND_FIELDS)
                + "},"
                for land in one.lands
            ]
            lines.append("]")
        lines.append("")
    return "\n".join(lines)


def _value(value: object) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        return repr(value) if math.isfinite(value) else "nan"
    if isinstance(value, tuple):
        return "[" + ", ".join(_value(one) for one in value) + "]"
    return json.dumps(str(value), ensure_ascii=False).replace("\x7f", "\\u007f")
