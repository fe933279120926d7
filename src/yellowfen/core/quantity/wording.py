"""Numbers in sentences: one place for singular, plural, rounding, sign and repetition."""

import math
from collections.abc import Iterable


def counted(count: int, one: str, many: str = "") -> str:
    """'1 part', '3 parts'; `many` for words that do not just take an s."""
    return f"{count} {one if count == 1 else many or one + 's'}"


def plain_number(value: float, digits: int = 2) -> str:
    """A number with so many significant digits, never with a power of ten and never minus nothing:
    '190', '1.9', '0.04', '0'.
    """
    if not math.isfinite(value) or value == 0:
        return "0" if value == 0 else "no number"
    places = max(digits - 1 - math.floor(math.log10(abs(value))), 0)
    rounded = round(value, digits - 1 - math.floor(math.log10(abs(value))))
    text = f"{rounded:.{places}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def mass_words(mg: float) -> str:
    """A mass as people write it: '4.2 mg', '190 mg', '1.9 g'."""
    return f"{plain_number(mg)} mg" if mg < 1000 else f"{plain_number(mg / 1000)} g"


def minutes_words(minutes: float) -> str:
    """Minutes as people say them: 'under a minute', 'about 1 minute', 'about 12 minutes', 'about 1
    h 45 min'.
    """
    whole = round(minutes)
    if whole < 1:
        return "under a minute"
    if whole < 90:
        return f"about {counted(whole, 'minute')}"
    return f"about {whole // 60} h {whole % 60} min" if whole % 60 else f"about {whole // 60} h"


def named_once(*words: str) -> str:
    """Words put together without one that the others say already: 'SOIC-8' and 'SOIC-8' is one."""
    kept: list[str] = []
    for word in (one.strip() for one in words):
        if word and not any(word.lower() in one.lower() for one in kept):
            kept = [one for one in kept if one.lower() not in word.lower()]
            kept.append(word)
    return " ".join(kept)


def listed(names: Iterable[str], most: int = 12) -> str:
    """'R1, R2 and R3', 'R1, R2 and 7 more'."""
    every = list(names)
    if len(every) > most:
        return f"{', '.join(every[: most - 1])} and {len(every) - most + 1} more"
    return " and ".join([", ".join(every[:-1]), every[-1]]) if len(every) > 1 else "".join(every)
