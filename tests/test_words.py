"""What people read uses the trade's standard terms: words of ours that were replaced stay away from
pages, scripts and the sentences of the code.
"""

import ast
import re
from collections.abc import Iterator
from pathlib import Path

SRC = Path(__file__).parents[1] / "src" / "yellowfen"
# What is not written, and what is.
NOT_WRITTEN = {
    r"foils?": "stencil, or shield",
    r"mounds?": "solder bumps",
    r"legs?|foot|feet": "lead, terminal",
    r"ways? round": "orientation, pin-1 mark",
    r"schools?": "practice",
    r"shy|heat-shy": "heat-sensitive",
    r"lean|fat|fatter": "starved, excess",
    r"mend(s|ed|ing)?": "touch-up, repair",
    r"looked at|look again|to look at": "inspect",
    r"by meter": "meter test",
    r"runs? thin": "turns clear and thin",
    r"froze|freez\w+|frozen": "solidifies, solid",
    r"flow(s|ed)|flowed through": "melts, molten",
    r"liquid": "molten",
    r"on end": "tombstone",
    r"pads? beneath|middle pad": "exposed pad",
    r"face below": "underside",
    r"the cold": "the fridge",
    r"teach(es)?|taught": "calibrate",
    r"chances?": "risk, probability",
    r"the unknowns": "main uncertainty",
    r"put away|bring it back": "archive, restore",
    r"in hand": "the board you are working on",
    r"anew": "again",
    r"bring (a|the) board": "add a board",
    r"to mind|mind it": "caution, needs care",
    r"comes? off|came off|come along": "remove",
    r"hangs: ": "is stuck",
    r"weigh(ed)? anew|weighing the": "work it out again",
    r"spokes?": "thermal relief",
    r"cradle": "stand",
    r"calm(est)?": "most margin, safest",
}
# Where such a word is the standard term all the same: (pattern of the sentence, reason).
ALLOWED = (
    (r"(aluminium|copper|wound|film under the|inner layers,.*|lying close; .*) ?foil|foil (lying|weight|and paper|over|paper)|, foil, paper|wound foil|less for foil|the foil, 0|Copper foil", "metal foil itself"),
    (r"liquid-crystal|fresh liquid|gel or liquid|Gel or liquid|no liquid|liquid (must|out|carries)|keep liquid|liquid(us)? (near|stays|down)|leave liquid|some liquid|liquidus", "a cleaning liquid, a polymer, a phase"),
    (r"flow(s|ed) \{|^flowed$|mass flow|air flow|hot-flow|cold-flow|less (air )?flow", "a stored key; the air's own flow"),
    (r"begin-anew", "an option of the command that stays as it was"),
    (r"Schools|school=|^school$|choose way, school|\bleast", "names in code"),
    (r"mend \{|^mend$|\{mends|half joined", "a stored key"),
    (r"(four )?spokes (0\.|meet)|width of each of four spokes", "the four bridges of a thermal relief"),
    (r"not provable by meter|read by meter or probe", "the instrument"),
    (r"the cold board", "a board that is cold"),
    (r"what one weighed print can teach", "a statistical sense"),
)  # fmt: skip
_TAG = re.compile(r"<[^>]*>|{[%{#].*?[%}#]}", re.DOTALL)
_SHOWN = re.compile(r'(?:title|placeholder|aria-label|alt)="([^"]*)"')
_SCRIPT = re.compile(r'"(?:[^"\\]|\\.)*"|`(?:[^`\\]|\\.)*`')


def sentences() -> Iterator[tuple[str, str]]:
    """Every text that may be read: (file, text)."""
    for file in sorted(SRC.rglob("*.py")):
        tree = ast.parse(file.read_text(encoding="utf-8"))
        hushed = {
            id(node.value)
            for node in ast.walk(tree)
            if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)
        }
        inside = {
            id(part)
            for node in ast.walk(tree)
            if isinstance(node, ast.JoinedStr)
            for part in ast.walk(node)
            if part is not node
        }
        for node in ast.walk(tree):
            if id(node) in hushed or id(node) in inside:
                continue
            if isinstance(node, ast.Constant) and isinstance(node.value, str):
                yield str(file.relative_to(SRC)), node.value
            elif isinstance(node, ast.JoinedStr):
                said = "".join(
                    str(part.value) if isinstance(part, ast.Constant) else "{}"
                    for part in node.values
                )
                yield str(file.relative_to(SRC)), said
    for file in sorted(SRC.rglob("*.html")):
        text = file.read_text(encoding="utf-8")
        yield file.name, " ".join(_SHOWN.findall(text))
        for piece in _TAG.sub("\n", text).split("\n"):
            yield file.name, piece
    for file in sorted((SRC / "web" / "static").glob("*.js")):
        for found in _SCRIPT.findall(file.read_text(encoding="utf-8")):
            yield file.name, re.sub(r"\$\{[^{}]*\}", "{}", found.strip('"`'))


def readable(text: str) -> bool:
    """False for keys, selectors, marks of a drawing, SQL and paths."""
    if re.search(
        r"SELECT |INSERT |UPDATE |DELETE |<svg|<path|<rect|class=|://|^[\w./{}?=&-]*$", text
    ):
        return False
    return bool(re.search(r"[A-Za-z{}]{2,}[,;:.]? [A-Za-z{]", text))


def found_in(text: str) -> list[str]:
    """Terms not written that stand in a text all the same."""
    plain = text
    for pattern, _ in ALLOWED:
        plain = re.sub(pattern, "", plain)
    return [
        f"{term[0]!r}: write {instead}"
        for pattern, instead in NOT_WRITTEN.items()
        if (term := re.search(rf"\b({pattern})\b", plain, re.IGNORECASE))
    ]


def test_the_standard_terms_are_written() -> None:
    wrong = [
        f"{file}: {text.strip()[:110]!r} {said}"
        for file, text in sentences()
        if "stored_word" not in file and readable(text)
        for said in found_in(text)
    ]
    assert wrong == []


def test_a_word_that_was_replaced_is_found() -> None:
    assert found_in("Take the foil off") == ["'foil': write stencil, or shield"]
    assert found_in("aluminium foil over U1") == []
    assert len(found_in("Heat-shy parts stand on end")) == 2
