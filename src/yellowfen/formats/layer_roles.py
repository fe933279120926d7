"""What each file of a set is: by its own attributes, else by its name, else by what it holds.

The reason is kept.
"""

import re

from yellowfen.core.board.board import LayerGuess, Role
from yellowfen.errors import UnreadableFile
from yellowfen.formats.drill import looks_like_drill
from yellowfen.formats.gerber.reader import looks_like_gerber
from yellowfen.formats.netlist import looks_like_netlist
from yellowfen.formats.part_table import has_places
from yellowfen.formats.text import decoded

UNSETTLED = "neither its attributes nor its name say what it is"
# Endings in common use. What a general ending (gbr, ger, pho, txt …) holds is settled by the rest
# of the name.
_ENDINGS: dict[str, Role] = {
    **dict.fromkeys(("gtl", "cmp", "top"), Role.COPPER_TOP),
    **dict.fromkeys(("gbl", "sol", "bot"), Role.COPPER_BOTTOM),
    **dict.fromkeys(("gts", "stc", "smt", "tsm"), Role.MASK_TOP),
    **dict.fromkeys(("gbs", "sts", "smb", "bsm"), Role.MASK_BOTTOM),
    **dict.fromkeys(("gtp", "crc", "spt", "tsp"), Role.PASTE_TOP),
    **dict.fromkeys(("gbp", "crs", "spb", "bsp"), Role.PASTE_BOTTOM),
    **dict.fromkeys(("gto", "plc", "sst", "slk", "tsk"), Role.LEGEND_TOP),
    **dict.fromkeys(("gbo", "pls", "ssb", "bsk"), Role.LEGEND_BOTTOM),
    **dict.fromkeys(("gko", "gml", "mil", "dim", "oln", "out", "gm1"), Role.OUTLINE),
}
_INNER_ENDING = re.compile(r"\.(g[1-9]\d?|g[1-9]\d?l|gp[1-9]\d?|ly[2-9]|in[1-9]\d?|l[2-9])$")
_KINDS: tuple[tuple[str, str], ...] = (
    ("paste", r"paste|cream|stencil"),
    ("mask", r"mask|resist|(?<![a-z])stop(?![a-z])"),
    ("legend", r"silk|legend|overlay|nomenclature|ident"),
    (
        "outline",
        r"edge|outline|profile|contour|border|board ?shape|(?<![a-z])mill?(?:ing)?(?![a-z])|keep ?out|dimension",
    ),
    (
        "inner",
        r"inner|internal|(?<![a-z])in ?\d|(?<![a-z])plane|(?<![a-z])(?:gnd|pwr|vcc|power|ground)(?![a-z])|mid ?layer|(?<![a-z])l(?:ayer)?[ ]?[2-9](?![0-9])",
    ),
    ("copper", r"copper|(?<![a-z])cu(?![a-z])|layer|route|etch|signal|conductor"),
)
_TOP_WORD = r"(?<![a-z])(?:top|front|upper|component|primary|f|t)(?![a-z])|^top|(?<![a-z])(?:top|front)(?=[a-z])|(?<![a-z])t(?=cream|paste|mask|silk)"
_BOTTOM_WORD = r"(?<![a-z])(?:bot|bottom|back|lower|solderside|secondary|b)(?![a-z])|(?<![a-z])(?:bot|bottom|back)(?=[a-z])|(?<![a-z])b(?=cream|paste|mask|silk)"
_PAIRED = {
    "copper": (Role.COPPER_TOP, Role.COPPER_BOTTOM),
    "mask": (Role.MASK_TOP, Role.MASK_BOTTOM),
    "paste": (Role.PASTE_TOP, Role.PASTE_BOTTOM),
    "legend": (Role.LEGEND_TOP, Role.LEGEND_BOTTOM),
}
_DRAWINGS = r"courtyard|crtyd|fabrication|(?<![a-z])fab(?![a-z])|adhes|glue|drill ?(?:map|draw|guide|report)|assembly|comments?|notes?|(?<![a-z])eco"


def guess_role(name: str, data: bytes) -> LayerGuess:
    """What a file is as far as its bytes' kind, its attributes and its name say.

    Raises UnreadableFile when it is damaged.
    """
    if not data.strip():
        raise UnreadableFile(name, "the file is empty; export it again")
    low = name.lower()
    if looks_like_netlist(data):
        return LayerGuess(file=name, role=Role.NETLIST, why="an IPC-D-356 netlist")
    if looks_like_gerber(data):
        return _gerber(name, data)
    if looks_like_drill(data):
        unplated = (
            "npth" in low
            or low.endswith(".npt")
            or "nonplated" in low
            or b"NonPlated" in data[:2000]
        )
        return LayerGuess(
            file=name,
            role=Role.DRILL_UNPLATED if unplated else Role.DRILL,
            why="holds drill tools and holes",
        )
    if low.endswith((".csv", ".pos", ".tsv", ".xy", ".mnt", ".mnb", ".txt", ".bom")):
        return _table(name, low, data)
    if low.rsplit(".", 1)[-1] in _ENDINGS or low.endswith(
        (".gbr", ".ger", ".pho", ".art", ".drl", ".xln", ".exc")
    ):
        raise UnreadableFile(
            name,
            "is named like a board layer but is neither Gerber nor drill data; export it again",
        )
    return LayerGuess(file=name, role=Role.IGNORED, why="nothing the application reads")


def _table(name: str, low: str, data: bytes) -> LayerGuess:
    try:
        if has_places(data, name):
            return LayerGuess(file=name, role=Role.PLACEMENT, why="a table with reference, x and y")
        return LayerGuess(file=name, role=Role.BILL, why="a table of references without places")
    except UnreadableFile:
        if low.endswith((".csv", ".pos", ".tsv")):
            raise
        return LayerGuess(file=name, role=Role.IGNORED, why="a text without part columns")


def _gerber(name: str, data: bytes) -> LayerGuess:
    head = decoded(data[:8000] if not data.startswith((b"\xff\xfe", b"\xfe\xff")) else data)
    by_attribute = re.search(r"TF\.FileFunction,([^*%\r\n]+)", head)
    if by_attribute:
        role = role_by_function(by_attribute[1])
        if role is not None:
            return LayerGuess(file=name, role=role, why="its file attribute says so")
    role = role_by_name(name)
    if role is Role.IGNORED and re.search(_DRAWINGS, _words(name)):
        return LayerGuess(file=name, role=role, why="a drawing by its name; not needed here")
    return LayerGuess(
        file=name, role=role, why="by its name" if role is not Role.IGNORED else UNSETTLED
    )


def _words(name: str) -> str:
    """A name in small letters, camel case and punctuation opened into words."""
    opened = re.sub(r"(?<=[a-z])(?=[A-Z])|(?<=[a-z])(?=\d)", " ", name)
    return re.sub(r"[^a-z0-9]+", " ", opened.lower()).strip()


def role_by_name(name: str) -> Role:
    """The role a layer's file name speaks of, IGNORED when it speaks of none."""
    low = name.lower()
    ending = low.rsplit(".", 1)[-1]
    if ending in _ENDINGS:
        return _ENDINGS[ending]
    if _INNER_ENDING.search(low):
        return Role.COPPER_INNER
    if re.fullmatch(r"gm\d+", ending):
        return Role.OUTLINE
    words = _words(name.rsplit(".", 1)[0])
    if re.search(_DRAWINGS, words):
        return Role.IGNORED
    kind = next((kind for kind, pattern in _KINDS if re.search(pattern, words)), None)
    if kind == "outline":
        return Role.OUTLINE
    top, bottom = re.search(_TOP_WORD, words), re.search(_BOTTOM_WORD, words)
    if kind == "inner" and not top and not bottom:
        return Role.COPPER_INNER
    if kind in (None, "inner") and (top or bottom):
        alone = re.search(r"(?<![a-z])(?:top|bot|bottom)(?![a-z])", words)
        kind = "copper" if alone else None
    if kind in _PAIRED and bool(top) != bool(bottom):
        return _PAIRED[kind][0 if top else 1]
    return Role.IGNORED


def role_by_function(function: str) -> Role | None:
    """The role of a file by its function attribute, None when the attribute's words are not known."""
    words = [word.strip().lower() for word in function.split(",")]
    top = "top" in words
    head = words[0]
    if head == "copper":
        return (
            Role.COPPER_TOP if top else Role.COPPER_BOTTOM if "bot" in words else Role.COPPER_INNER
        )
    if head in ("soldermask", "paste", "legend"):
        return _PAIRED["mask" if head == "soldermask" else head][0 if top else 1]
    named = {
        "profile": Role.OUTLINE,
        "plated": Role.DRILL,
        "nonplated": Role.DRILL_UNPLATED,
        "component": Role.COMPONENTS,
    }
    return named.get(head, Role.IGNORED)
