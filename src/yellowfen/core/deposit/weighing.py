"""One transfer factor from the mass of boards before and after printing; and whether the scale can
tell at all.

Law: weighing fits one factor, never the curve's shape; a scale too coarse for the board teaches
nothing and says so.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from yellowfen.core.deposit.stencil import HAND_SPREAD
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import MG, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

PRINT_SPREAD = constant(
    "print_to_print",
    0.08,
    "1",
    mark=Mark.FROM_MEMORY,
    source="hand prints of one stencil differ by 5 to 10 % in mass",
    affects="what one weighed print can teach",
)
TOO_COARSE = 0.5  # of what is believed before: then the scale adds little
_SIGMAS = 1.96


@dataclass(frozen=True, kw_only=True)
class Weighing:
    """Masses in mg of `boards` boards weighed together before and after printing; `expected_mg` the
    forecast a board at factor 1, `resolution_mg` the scale's last digit. Raises InvalidValue when
    nothing was printed or a mass is absurd.
    """

    before_mg: float
    after_mg: float
    expected_mg: float
    resolution_mg: float
    boards: int = 1

    def __post_init__(self) -> None:
        in_range("resolution_mg", self.resolution_mg, 1e-3, 10_000, "mg")
        in_range("expected_mg", self.expected_mg, 1e-3, 1e6, "mg")
        in_range("boards", self.boards, 1, 1000)
        in_range("before_mg", self.before_mg, 0, 1e8, "mg")
        in_range("after_mg", self.after_mg, 0, 1e8, "mg")
        if self.after_mg <= self.before_mg:
            raise InvalidValue(
                "after_mg", "the boards do not weigh more than before; check the two weights"
            )
        if self.measured > 5:
            raise InvalidValue(
                "after_mg",
                f"that is {self.measured:.0f} times the paste that fits into the stencil; check the unit (mg or g) and the number of boards",
            )

    @property
    def measured(self) -> float:
        """Paste found over paste forecast."""
        return (self.after_mg - self.before_mg) / self.boards / self.expected_mg

    @property
    def scale_share(self) -> float:
        """What the scale leaves open, one sigma, as a share of the forecast: two readings, each
        even over one digit.
        """
        return self.resolution_mg * math.sqrt(2 / 12) / self.boards / self.expected_mg


@dataclass(frozen=True, kw_only=True)
class Fitted:
    """The factor with its 95 % interval, what the scales alone can tell (one sigma, share), and a
    sentence.
    """

    factor: float
    low: float
    high: float
    scale_share: float
    too_coarse: bool
    sentence: str


def fit_factor(
    before_mg: float,
    after_mg: float,
    expected_mg: float,
    resolution_mg: float,
    boards: int = 1,
    sigma: float = HAND_SPREAD,
) -> Fitted:
    """The factor from one weighing; see fit_factors."""
    return fit_factors(
        (
            Weighing(
                before_mg=before_mg,
                after_mg=after_mg,
                expected_mg=expected_mg,
                resolution_mg=resolution_mg,
                boards=boards,
            ),
        ),
        sigma,
    )


def fit_factors(weighings: Sequence[Weighing], sigma: float = HAND_SPREAD) -> Fitted:
    """The factor by which prints differ from the forecast, from at least one weighing of the same
    foil, paste and hand.

    `sigma` is what is believed of the factor before (share, about 1). Every weighing counts by the
    inverse of its variance: the scale's and the prints' own.

    Raises InvalidValue without a print.
    """
    if not weighings:
        raise InvalidValue("weighings", "weigh at least one print")
    precision, weighted = 1 / sigma**2, 1 / sigma**2
    scales = 0.0
    for one in weighings:
        told = 1 / (one.scale_share**2 + PRINT_SPREAD**2 / one.boards)
        precision, weighted, scales = (
            precision + told,
            weighted + told * one.measured,
            scales + 1 / one.scale_share**2,
        )
    factor, spread, scale = weighted / precision, 1 / math.sqrt(precision), 1 / math.sqrt(scales)
    coarse = scale > TOO_COARSE * sigma
    return Fitted(
        factor=factor,
        low=factor - _SIGMAS * spread,
        high=factor + _SIGMAS * spread,
        scale_share=scale,
        too_coarse=coarse,
        sentence=_said(weighings, factor, coarse),
    )


def _said(weighings: Sequence[Weighing], factor: float, coarse: bool) -> str:
    last = weighings[-1]
    if coarse:
        needed = math.ceil(last.resolution_mg * math.sqrt(2 / 12) / (0.05 * last.expected_mg))
        return f"the scale's {with_unit(last.resolution_mg, MG)} is too coarse for {with_unit(last.expected_mg, MG, 0)} of paste: weigh {needed} boards together, or use a finer scale"
    return f"the last print carried {100 * last.measured:.0f} % of the predicted paste; from now on {factor:.2f} of it is expected"
