"""Nets as they are written by hand, a line each: pins such as U1.3 and C4.1, and the net's name.

Laws: a pin is on one net at most; what cannot be read is told and left out, never guessed.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

MOST_LINES, LONGEST_LINE = 500, 2000
_PIN = re.compile(r"(?P<ref>[^.]+)\.(?P<pin>[^.]+)")


@dataclass(frozen=True)
class WrittenNets:
    """Net by part and pin, the names in order, and what could not be read, a sentence each."""

    of: Mapping[tuple[str, str], str]
    names: tuple[str, ...]
    problems: tuple[str, ...]


def written_nets(lines: Sequence[str], pins: Mapping[str, Sequence[str]]) -> WrittenNets:
    """The nets in lines such as "U1.3 C4.1 GND", of parts with these pins by their names.

    Words are parted by blanks, commas or semicolons; the one word without a dot names the net, a
    net without one is called by its first pin. A part's name counts in any case.
    """
    exact = {ref.casefold(): ref for ref in pins}
    found: dict[tuple[str, str], str] = {}
    names: list[str] = []
    problems = []
    for number, line in enumerate(lines, 1):
        words = [word.strip(":") for word in re.split(r"[\s,;]+", line) if word.strip(":")]
        plain = [word for word in words if _PIN.fullmatch(word) is None]
        wanted = [word for word in words if word not in plain]
        if not words:
            continue
        if len(plain) > 1 or not wanted:
            problems.append(
                f"line {number}: write pins and one name, such as U1.3 C4.1 GND; this line is ignored"
            )
            continue
        net = plain[0] if plain else wanted[0]
        names += [net] if net not in names else []
        for word in wanted:
            ref, _, pin = word.partition(".")
            key = (exact.get(ref.casefold(), ""), pin.upper())
            known = {one.upper(): one for one in pins.get(key[0], ())}
            if not key[0]:
                problems.append(f"line {number}: there is no part {ref} here; {word} is ignored")
            elif key[1] not in known:
                problems.append(f"line {number}: {key[0]} has no pin {pin}; {word} is ignored")
            elif found.setdefault((key[0], known[key[1]]), net) != net:
                problems.append(
                    f"line {number}: {word} is on {found[key[0], known[key[1]]]} already; it stays there"
                )
    return WrittenNets(found, tuple(names), tuple(problems))
