"""How true the chances were: what was told of joints against what was found at them.

Laws: every joint looked at is in one bin; a bin's middle is the mean of what was told there.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from itertools import pairwise

from yellowfen.core.quantity.share import wilson

EDGES = (0.0, 0.005, 0.02, 0.08, 0.25, 1.0)


@dataclass(frozen=True, kw_only=True)
class Bin:
    """Joints of like chance: the mean told (0 to 1), how many were bad of how many, and the 95 %
    interval of that share.
    """

    told: float
    bad: int
    of: int
    low: float
    high: float

    @property
    def holds(self) -> bool:
        """True where what was told lies within what was found."""
        return self.low <= self.told <= self.high


def binned(joints: Iterable[tuple[float, bool]]) -> tuple[Bin, ...]:
    """Joints as (chance told, whether it was bad) in bins of rising chance; empty bins are left
    out.
    """
    every = list(joints)
    found = []
    for low, high in pairwise(EDGES):
        mine = [
            (told, bad)
            for told, bad in every
            if low <= told < high or (high == 1.0 and told == 1.0)
        ]
        if mine:
            bad = sum(bad for _, bad in mine)
            ends = wilson(bad, len(mine))
            told = math.fsum(told for told, _ in mine) / len(mine)
            found.append(Bin(told=told, bad=bad, of=len(mine), low=ends[0], high=ends[1]))
    return tuple(found)
