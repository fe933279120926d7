"""What each file of a set is: by its own attributes, else by its name, else by what it holds. The reason is kept."""

import re
from dataclasses import replace

from yellowfen.core.board.board import LayerGuess, Role
from yellowfen.errors import UnreadableFile
from yellowfen.formats.drill import looks_like_drill
from yellowfen.formats.gerber.reader import looks_like_gerber
from yellowfen.formats.part_table import has_places

# Endings and words in common use; the first that fits is taken.
_BY_NAME: tuple[tuple[str, Role], ...] = (
    (r"\.gtl$|\.cmp$|\.top$|[-_. ](f[._-]?cu|top[-_. ]?(copper|layer|cu)|copper[-_. ]?top|layer1|l1)\b", Role.COPPER_TOP),
    (r"\.gbl$|\.sol$|\.bot$|[-_. ](b[._-]?cu|bot(tom)?[-_. ]?(copper|layer|cu)|copper[-_. ]?bot(tom)?)\b", Role.COPPER_BOTTOM),
    (r"\.g[1-9]\d?$|\.g[1-9]\d?l$|\.gp[1-9]$|\.ly[2-9]$|[-_. ](in\d+[._-]?cu|inner[-_. ]?\d*)", Role.COPPER_INNER),
    (r"\.gts$|\.stc$|\.smt$|[-_. ](f[._-]?mask|top[-_. ]?(solder)?[-_. ]?mask|(solder)?mask[-_. ]?top|stop[-_. ]?top)\b", Role.MASK_TOP),
    (r"\.gbs$|\.sts$|\.smb$|[-_. ](b[._-]?mask|bot(tom)?[-_. ]?(solder)?[-_. ]?mask|(solder)?mask[-_. ]?bot(tom)?)\b", Role.MASK_BOTTOM),
    (r"\.gtp$|\.crc$|\.spt$|\.tsp$|[-_. ](f[._-]?paste|top[-_. ]?(solder)?[-_. ]?(paste|cream)|(paste|cream)[-_. ]?top)\b", Role.PASTE_TOP),
    (r"\.gbp$|\.crs$|\.spb$|\.bsp$|[-_. ](b[._-]?paste|bot(tom)?[-_. ]?(solder)?[-_. ]?(paste|cream)|(paste|cream)[-_. ]?bot(tom)?)\b", Role.PASTE_BOTTOM),
    (r"\.gto$|\.plc$|\.sst$|\.slk$|[-_. ](f[._-]?silk(s|screen)?|top[-_. ]?(silk|legend|overlay)\w*|(silk|legend)\w*[-_. ]?top)\b", Role.LEGEND_TOP),
    (r"\.gbo$|\.pls$|\.ssb$|[-_. ](b[._-]?silk(s|screen)?|bot(tom)?[-_. ]?(silk|legend|overlay)\w*|(silk|legend)\w*[-_. ]?bot(tom)?)\b", Role.LEGEND_BOTTOM),
    (r"\.gko$|\.gm1$|\.gml$|\.mil$|\.dim$|\.oln$|\.out$|\.fab$|\.gm\d+$|(edge|outline|profile|board[-_. ]?shape|contour|mill)", Role.OUTLINE),
)  # fmt: skip
_SINGLE = set(Role) - {Role.COPPER_INNER, Role.DRILL, Role.DRILL_UNPLATED, Role.IGNORED, Role.BILL}


def guess_roles(files: dict[str, bytes], chosen: dict[str, Role] | None = None) -> list[LayerGuess]:
    """One guess a file; `chosen` overrides by file name. Of two files for one single role, the first keeps it."""
    guesses = [_guess(name, data) for name, data in files.items()]
    kept: list[LayerGuess] = []
    taken: dict[Role, str] = {}
    for guess in guesses:
        if chosen and guess.file in chosen:
            guess = LayerGuess(guess.file, chosen[guess.file], "you chose it", guess.facts)
        elif guess.role in _SINGLE and guess.role in taken:
            guess = replace(guess, role=Role.IGNORED, why=f"looks like {guess.role}, but {taken[guess.role]} already is that")
        taken.setdefault(guess.role, guess.file)
        kept.append(guess)
    return kept


def _guess(name: str, data: bytes) -> LayerGuess:
    if not data.strip():
        raise UnreadableFile(name, "the file is empty; export it again")
    low = name.lower()
    if looks_like_gerber(data):
        return _gerber(name, low, data)
    if looks_like_drill(data):
        unplated = "npth" in low or "nonplated" in low or b"NonPlated" in data[:2000]
        return LayerGuess(name, Role.DRILL_UNPLATED if unplated else Role.DRILL, "holds drill tools and holes")
    if low.endswith((".csv", ".pos", ".tsv", ".xy", ".mnt", ".mnb", ".txt", ".bom")):
        return _table(name, low, data)
    if any(re.search(pattern, low) for pattern, _ in _BY_NAME) or low.endswith((".gbr", ".ger", ".drl", ".xln", ".exc")):
        raise UnreadableFile(name, "is named like a board layer but is neither Gerber nor drill data; export it again")
    return LayerGuess(name, Role.IGNORED, "nothing the application reads")


def _table(name: str, low: str, data: bytes) -> LayerGuess:
    try:
        if has_places(data, name):
            return LayerGuess(name, Role.PLACEMENT, "a table with reference, x and y")
        return LayerGuess(name, Role.BILL, "a table of references without places")
    except UnreadableFile:
        if low.endswith((".csv", ".pos", ".tsv")):
            raise
        return LayerGuess(name, Role.IGNORED, "a text without part columns")


def _gerber(name: str, low: str, data: bytes) -> LayerGuess:
    by_attribute = re.search(rb"TF\.FileFunction,([^*%\r\n]+)", data[:6000])
    if by_attribute:
        role = _by_function(by_attribute[1].decode("latin-1"))
        if role is not None:
            return LayerGuess(name, role, "its file attribute says so")
    for pattern, role in _BY_NAME:
        if re.search(pattern, low):
            return LayerGuess(name, role, "by its name")
    return LayerGuess(name, Role.IGNORED, "a Gerber file whose name and attributes do not say what it is; choose below")


def _by_function(function: str) -> Role | None:
    words = [word.strip().lower() for word in function.split(",")]
    top = "top" in words
    head = words[0]
    if head == "copper":
        return Role.COPPER_TOP if top else Role.COPPER_BOTTOM if "bot" in words else Role.COPPER_INNER
    paired = {
        "soldermask": (Role.MASK_TOP, Role.MASK_BOTTOM), "paste": (Role.PASTE_TOP, Role.PASTE_BOTTOM),
        "legend": (Role.LEGEND_TOP, Role.LEGEND_BOTTOM),
    }  # fmt: skip
    if head in paired:
        return paired[head][0 if top else 1]
    return {"profile": Role.OUTLINE, "plated": Role.DRILL, "nonplated": Role.DRILL_UNPLATED}.get(head, Role.IGNORED)
