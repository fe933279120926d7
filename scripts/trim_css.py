"""Trim a style sheet to what the application uses: rules whose every class occurs as a word in its
templates, scripts or Python.

`python scripts/trim_css.py FILE` trims a file in place.
"""

import re
import sys
from collections.abc import Iterator
from pathlib import Path

WEB = Path(__file__).parent.parent / "src/yellowfen/web"
_CLASS = re.compile(r"\.(-?[_a-zA-Z][\w-]*)")


def words_used() -> set[str]:
    """Every word that the application could use as a class."""
    files = [
        *WEB.glob("templates/**/*.html"),
        *WEB.glob("static/*.js"),
        *WEB.glob("static/*.css"),
        *WEB.rglob("*.py"),
    ]
    return {word for file in files for word in re.findall(r"[\w-]+", file.read_text())}


def blocks(css: str) -> Iterator[tuple[str, str]]:
    """(what stands before the braces, what stands in them) of the rules on the outside."""
    start = at = 0
    while (opening := css.find("{", at)) >= 0:
        depth, at = 1, opening + 1
        while depth:
            brace = re.compile(r"[{}]").search(css, at)
            if brace is None:
                raise ValueError(f"a brace is not closed after {css[opening - 40 : opening]!r}")
            depth, at = depth + (1 if brace[0] == "{" else -1), brace.end()
        yield css[start:opening].strip(), css[opening + 1 : at - 1]
        start = at


def trimmed(css: str, used: set[str]) -> str:
    """The sheet without rules, and without selectors of a rule, that nothing can match."""
    kept = []
    for head, body in blocks(css):
        if head.startswith(("@media", "@supports")):
            inner = trimmed(body, used)
            kept += [f"{head}{{{inner}}}"] if inner else []
        elif head.startswith("@"):
            kept.append(f"{head}{{{body}}}")
        else:
            comment, selectors = re.match(r"((?:/\*.*?\*/)?)(.*)", head, re.S).groups()  # type: ignore[union-attr]
            mine = [
                one
                for one in re.split(r",(?![^(]*\))", selectors)
                if used.issuperset(_CLASS.findall(one))
            ]
            kept += (
                [f"{comment}{','.join(mine)}{{{body}}}"] if mine else [comment] if comment else []
            )
    return "\n".join(kept) + "\n" if kept else ""


if __name__ == "__main__":
    path = Path(sys.argv[1])
    path.write_text(trimmed(path.read_text(), words_used()))
