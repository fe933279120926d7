"""Words that are stored: enumerations that still read what earlier versions wrote."""

from enum import StrEnum
from typing import Self

# By enumeration: what an earlier version stored, and the word of today.
EARLIER: dict[str, dict[str, str]] = {
    "Verdict": {
        "lean": "starved",
        "ball": "excess solder",
        "dull or grainy": "cold joint",
        "standing on end": "tombstone",
        "wrong way round": "wrong orientation",
        "loose balls": "solder balls",
    },
    "Way": {
        "mounds, hot air": "solder bumps, hot air",
        "print, plate": "print, hot plate",
        "dots, plate": "dots, hot plate",
    },
    "OffWay": {"plate from below": "hot plate from below"},
    "LotEvent": {
        "out of the cold": "out of the fridge",
        "back in the cold": "back in the fridge",
    },
    "Moment": {"after mending": "after touch-up"},
    "Want": {"mounds": "bumps"},
    "School": {
        "mounds": "solder bumps",
        "whichever is likelier to come right": "the more reliable one",
        "drown it and wash": "plenty, then wash",
        "level it and add flux": "level and add flux",
    },
}


class StoredWord(StrEnum):
    """An enumeration whose words are stored: `Verdict("lean")`, as an earlier version wrote it, is
    `Verdict.STARVED`.
    """

    @classmethod
    def _missing_(cls, value: object) -> Self | None:
        word = EARLIER.get(cls.__name__, {}).get(str(value))
        return None if word is None else cls(word)


def word_as_first_stored(kind: str, word: str) -> str:
    """A word of an enumeration (its name) as a column takes it whose values are checked since an
    earlier version; others stay.
    """
    first = {new: old for old, new in EARLIER[kind].items()}
    return first.get(word, word)


def word_of_today(kind: str, word: str) -> str:
    """A stored word of an enumeration (its name) as this version writes it; others stay."""
    return EARLIER[kind].get(word, word)
