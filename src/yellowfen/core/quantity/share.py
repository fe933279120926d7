"""A share from few trials with an honest interval."""

import math

from yellowfen.core.quantity.number import in_range

_Z = 1.959963985


def wilson(hits: int, of: int) -> tuple[float, float]:
    """The 95 % interval of a share after `hits` of `of` trials (Wilson 1927; at least one trial)."""
    in_range("of", of, 1, 10**9)
    in_range("hits", hits, 0, of)
    share, z2 = hits / of, _Z**2
    middle = (share + z2 / (2 * of)) / (1 + z2 / of)
    half = _Z / (1 + z2 / of) * math.sqrt(share * (1 - share) / of + z2 / (4 * of**2))
    return max(0.0, middle - half), min(1.0, middle + half)
