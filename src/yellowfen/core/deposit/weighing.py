"""One transfer factor from the mass of boards before and after printing; and whether the scale can tell at all.

Law: weighing fits one factor, never the curve's shape; a scale too coarse for the board teaches nothing and says so.
"""

import math
from dataclasses import dataclass

from yellowfen.core.deposit.stencil import HAND_SPREAD
from yellowfen.core.quantity.number import in_range
from yellowfen.errors import InvalidValue

TOO_COARSE = 0.5  # of what is believed before: then the scale adds little
_SIGMAS = 1.96


@dataclass(frozen=True)
class Fitted:
    """The factor with its 95 % interval, what the scale alone can tell (one sigma, share), and a sentence."""

    factor: float
    low: float
    high: float
    scale_share: float
    too_coarse: bool
    sentence: str


def fit_factor(
    before_mg: float, after_mg: float, expected_mg: float, resolution_mg: float, boards: int = 1, sigma: float = HAND_SPREAD
) -> Fitted:
    """The factor by which a print differs from the forecast `expected_mg` a board.

    Masses in mg, of `boards` boards weighed together; `resolution_mg` is the scale's last digit; `sigma` what is believed of the
    factor before (share). Raises InvalidValue when nothing was printed or a mass is absurd.
    """
    in_range("resolution_mg", resolution_mg, 1e-3, 10_000, "mg")
    in_range("expected_mg", expected_mg, 1e-3, 1e6, "mg")
    in_range("boards", boards, 1, 1000)
    in_range("before_mg", before_mg, 0, 1e8, "mg")
    in_range("after_mg", after_mg, 0, 1e8, "mg")
    gained = (after_mg - before_mg) / boards
    if gained <= 0:
        raise InvalidValue("after_mg", "the boards weigh no more than before; check the two masses")
    measured = gained / expected_mg
    scale = resolution_mg * math.sqrt(2 / 12) / boards / expected_mg  # two readings, each even over one digit
    weight = sigma**2 / (sigma**2 + scale**2)
    factor = 1.0 + weight * (measured - 1.0)
    spread = math.sqrt(weight) * scale
    coarse = scale > TOO_COARSE * sigma
    needed = math.ceil(resolution_mg * math.sqrt(2 / 12) / (0.05 * expected_mg))
    said = (
        f"the scale's {resolution_mg:g} mg is too coarse for {expected_mg:.0f} mg of paste: weigh {needed} boards together, or use a finer scale"
        if coarse
        else f"prints carry {100 * measured:.0f} % of the forecast; from now on {factor:.2f} of it is expected"
    )
    return Fitted(factor, factor - _SIGMAS * spread, factor + _SIGMAS * spread, scale, coarse, said)
