"""Finding parts of a board by words: name, value, package, footprint, net."""

from collections import defaultdict
from fnmatch import fnmatchcase

from yellowfen.core.board.board import Board

MOST_LETTERS = 120


def found_parts(board: Board, text: str) -> tuple[str, ...]:
    """Names of the parts that every word of `text` fits, in the board's order; all for no word.

    A word fits a part's name (`C4`, `C*`), or stands anywhere in its value,
    package, footprint or a net of its pads; letters count alike in either case, and 100nF is 100 nF. Parts named just so
    by a word stand alone: `R1` does not find `R10`.
    """
    words = text[:MOST_LETTERS].casefold().split()
    nets: dict[str, set[str]] = defaultdict(set)
    for pad in board.pads:
        if pad.ref and pad.net:
            nets[pad.ref].add(pad.net.casefold())
    names = {part.ref.casefold() for part in board.parts}

    def fits(word: str, name: str, said: str) -> bool:
        if word in names:
            return word == name
        return fnmatchcase(name, word) or word in said

    return tuple(
        part.ref
        for part in board.parts
        if all(
            fits(
                word,
                part.ref.casefold(),
                " ".join(
                    (
                        part.ref,
                        part.value,
                        part.value.replace(" ", ""),
                        part.package.name,
                        part.footprint,
                        *nets[part.ref],
                    )
                ).casefold(),
            )
            for word in words
        )
    )
