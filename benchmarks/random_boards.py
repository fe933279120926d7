"""Five hundred seeded random boards, thin and thick, every source: is any state unsound, and how
far from a quarter of the step?
"""

import numpy as np
from tests.random_scenes import case, gap_of

from yellowfen.errors import Refused

SCENES = 500


def random_boards(count: int = SCENES) -> None:
    """Print how many are refused, and the worst and usual gaps of melts and peaks."""
    refused, late, peaks, differ = [], [], [], []
    for number in range(count):
        try:
            gap = gap_of(case(number))
        except Refused:
            refused.append(number)
            continue
        late += [
            (abs(a - b) / max(b, 1e-9) if abs(a - b) > 0.01 else 0.0, number)
            for _, a, b in gap.melts
        ]
        peaks.append((gap.peak_k, number))
        differ += [number] if gap.fate_differs else []
    shares, kelvins = np.array([one for one, _ in late]), np.array([one for one, _ in peaks])
    print(
        f"random boards, {count} scenes: {len(refused)} refused {refused[:10]}, {len(differ)} with a joint that melts in one run only {differ[:10]};"
        f" melts against a quarter step: worst {shares.max():.1%} (scene {max(late)[1]}), 99th percentile {np.percentile(shares, 99):.2%}, beyond 3 %: {(shares > 0.03).sum()} of {len(shares)};"
        f" peaks: worst {kelvins.max():.2f} K (scene {max(peaks)[1]}), beyond 3 K: {(kelvins > 3).sum()}"
    )
