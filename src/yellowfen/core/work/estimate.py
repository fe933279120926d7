"""Minutes and mends of a build by stage, with intervals: from reference times until the user's own
log says better.

Laws: a stage's middle is a count times a time each; its interval is a factor either way
(log-normal), wide as long as it comes from others, narrower by every own measurement; sums add
variances, so a long build is surer than its stages.
"""

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from yellowfen.core.deposit.by_hand import DOT_S
from yellowfen.core.source.mark import Mark, constant
from yellowfen.core.work.order import PLACE_S, TURN_S, VALUE_S

SPREAD = constant(
    "time_spread",
    0.55,
    "1",
    mark=Mark.FROM_MEMORY,
    source="log of the factor by which people differ: three to five times from practised to beginner",
    affects="interval of minutes",
)
OWN_SPREAD = constant(
    "time_spread_own",
    0.25,
    "1",
    mark=Mark.FROM_MEMORY,
    source="log of the factor by which one person's days differ",
    affects="interval of minutes",
)
REFERENCE_WEIGHT, FASTEST, SLOWEST = 10, 5.0, 20.0
_Z = 1.2816  # 80 % of a normal


@dataclass(frozen=True)
class Each:
    """Seconds for one of something: the middle, the spread of its logarithm, how many own
    measurements stand behind it.
    """

    seconds: float
    spread: float
    own: int = 0


def learnt(reference_s: float, own_s: Sequence[float]) -> Each:
    """The time each from the user's own measurements, drawn towards the reference while they are
    few (it weighs as much as `REFERENCE_WEIGHT` of them). What no hand does (a fifth of the
    reference, or twenty times it) was a slip of the key and does not count.
    """
    good = [one for one in own_s if reference_s / FASTEST < one < reference_s * SLOWEST]
    if not good:
        return Each(reference_s, SPREAD)
    middle = statistics.median(good)
    weight = len(good) / (len(good) + REFERENCE_WEIGHT)
    return Each(
        math.exp(weight * math.log(middle) + (1 - weight) * math.log(reference_s)),
        math.hypot(OWN_SPREAD, SPREAD * (1 - weight)),
        len(good),
    )


@dataclass(frozen=True)
class Paces:
    """Times each: placing a part, a dot, turning the board, changing the value."""

    place: Each = Each(PLACE_S, SPREAD)
    dot: Each = Each(DOT_S, SPREAD)
    turn: Each = Each(TURN_S, SPREAD)
    value: Each = Each(VALUE_S, SPREAD)


@dataclass(frozen=True)
class StageMinutes:
    """One stage for all boards: minutes (low, middle, high at 80 %), and where the time each comes
    from.
    """

    name: str
    middle_min: float
    spread: float
    source: str

    @property
    def low_min(self) -> float:
        return self.middle_min * math.exp(-_Z * self.spread)

    @property
    def high_min(self) -> float:
        return self.middle_min * math.exp(_Z * self.spread)


@dataclass(frozen=True)
class Estimate:
    """A build: stages, their sum with its interval, parts expected to need a mend (all boards), and
    how many boards pass at first.
    """

    stages: tuple[StageMinutes, ...]
    mends: float
    first_pass: float

    @property
    def middle_min(self) -> float:
        return math.fsum(one.middle_min for one in self.stages)

    @property
    def interval_min(self) -> tuple[float, float]:
        """80 % of the sum; stages are taken as independent, but a person's pace is in all of them,
        so half their spread adds straight.
        """
        total = self.middle_min
        if total <= 0:
            return 0.0, 0.0
        straight = math.fsum(one.middle_min * one.spread for one in self.stages) / total
        apart = (
            math.sqrt(math.fsum((one.middle_min * one.spread) ** 2 for one in self.stages)) / total
        )
        spread = math.hypot(0.7 * straight, 0.7 * apart)
        return total * math.exp(-_Z * spread), total * math.exp(_Z * spread)


def stage(name: str, count: float, each: Each, extra_min: float = 0.0) -> StageMinutes:
    """A stage of `count` times each, and fixed minutes besides."""
    source = f"your own, {each.own} measured" if each.own else "reference times, common practice"
    return StageMinutes(name, count * each.seconds / 60 + extra_min, each.spread, source)


def first_pass_share(odds: Sequence[float]) -> float:
    """Share of boards on which no part needs a mend, parts failing independently."""
    return math.prod(1 - min(max(one, 0.0), 1.0) for one in odds)
