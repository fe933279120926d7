"""Paste through a stencil: does an opening release, how much comes out, and is the foil right for
the pitch.

Area ratio is opening area over wall area (perimeter times foil), for any shape; aspect ratio is the
narrowest width over the foil. Published: IPC-7525 (0.66 and 1.5). How much comes out below that is
from memory, and hand work spreads it.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass

from yellowfen.core.board.board import Opening
from yellowfen.core.metal.paste import Paste
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.source.mark import Mark, constant

AREA_RATIO = constant(
    "area_ratio_least",
    0.66,
    "1",
    mark=Mark.PUBLISHED,
    source="IPC-7525",
    affects="stencil: release of small apertures",
)
ASPECT_RATIO = constant(
    "aspect_ratio_least",
    1.5,
    "1",
    mark=Mark.PUBLISHED,
    source="IPC-7525, where length is over five times the width",
    affects="stencil: release of slots",
)
NO_RELEASE = constant(
    "area_ratio_fails",
    0.5,
    "1",
    mark=Mark.FROM_MEMORY,
    source="below it hand prints come out half or not at all",
    affects="stencil: apertures that fail",
)
TRANSFER_MIDDLE = constant(
    "transfer_middle",
    0.47,
    "1",
    mark=Mark.FROM_MEMORY,
    source="logistic centred there: 57 % at 0.5, 85 % at 0.66, 95 % at 0.8",
    affects="paste that comes out",
)
TRANSFER_WIDTH = constant(
    "transfer_width",
    0.11,
    "1",
    mark=Mark.FROM_MEMORY,
    source="as above",
    affects="paste that comes out",
)
HAND_SPREAD = constant(
    "transfer_hand_spread",
    0.20,
    "1",
    mark=Mark.FROM_MEMORY,
    source="hand prints vary by a fifth either way",
    affects="spread of a deposit",
)
BALLS_ACROSS = constant(
    "balls_across",
    5.0,
    "1",
    mark=Mark.COMMON_PRACTICE,
    source="five grains of the largest size across the narrowest aperture",
    affects="which powder an aperture needs",
)
BALLS_ROUND = constant(
    "balls_across_round",
    8.0,
    "1",
    mark=Mark.COMMON_PRACTICE,
    source="eight across a round one",
    affects="which powder an aperture needs",
)
# Thickest foil for a pitch, mm: (pitch up to, foil). Common practice.
FOIL_FOR_PITCH = ((0.4, 0.10), (0.5, 0.13))
FOILS_MM = (0.10, 0.12, 0.13, 0.15)


@dataclass(frozen=True, kw_only=True)
class Release:
    """One opening in one foil: ratios, share that comes out (0 to 1), volumes, and what it needs
    said.
    """

    area_ratio: float
    aspect_ratio: float
    transfer: float
    deposit_mm3: float
    solder_mm3: float
    balls: float
    fails: bool
    warnings: tuple[str, ...]


def area_ratio(area_mm2: float, perimeter_mm: float, foil_mm: float) -> float:
    """Opening over walls; L·W/(2·(L+W)·T) for a rectangle, D/(4·T) for a disc."""
    return area_mm2 / (perimeter_mm * foil_mm)


def transfer(ratio: float, factor: float = 1.0) -> float:
    """Share of an opening's volume that stays on the board; `factor` is what weighing taught about
    this foil, paste and hand.
    """
    return min(1.0, factor / (1.0 + math.exp(-(ratio - TRANSFER_MIDDLE) / TRANSFER_WIDTH)))


def release(opening: Opening, foil_mm: float, paste: Paste, factor: float = 1.0) -> Release:
    """What an opening does in a foil of 0.03 to 0.5 mm.

    Raises InvalidValue for another foil or factor.
    """
    return releases((opening,), foil_mm, paste, factor)[0]


def releases(
    openings: Iterable[Opening], foil_mm: float, paste: Paste, factor: float = 1.0
) -> list[Release]:
    """What each of many openings does in one foil; see release."""
    in_range("foil_mm", foil_mm, 0.03, 0.5, "mm")
    in_range("factor", factor, 0.1, 2.0)
    share_of_metal, ball = paste.volume_share, paste.largest_ball_mm
    return [_release(one, foil_mm, share_of_metal, ball, factor) for one in openings]


def _release(
    opening: Opening, foil_mm: float, share_of_metal: float, ball_mm: float, factor: float
) -> Release:
    ratio = area_ratio(opening.area_mm2, opening.perimeter_mm, foil_mm)
    narrow = opening.narrowest_mm
    long = max(opening.size_x_mm, opening.size_y_mm)
    aspect = narrow / foil_mm
    share = transfer(ratio, factor)
    deposit = opening.area_mm2 * foil_mm * share
    balls = narrow / ball_mm
    warnings = tuple(
        _warnings(opening, ratio, aspect, slot=long > 5 * narrow, balls=balls, foil_mm=foil_mm)
    )
    return Release(
        area_ratio=ratio,
        aspect_ratio=aspect,
        transfer=share,
        deposit_mm3=deposit,
        solder_mm3=deposit * share_of_metal,
        balls=balls,
        fails=ratio < NO_RELEASE,
        warnings=warnings,
    )


def _is_round(opening: Opening) -> bool:
    box = opening.size_x_mm * opening.size_y_mm
    return (
        abs(opening.size_x_mm - opening.size_y_mm) < 0.02
        and abs(opening.area_mm2 / (math.pi / 4 * box) - 1) < 0.03
    )


def _warnings(
    opening: Opening, ratio: float, aspect: float, slot: bool, balls: float, foil_mm: float
) -> list[str]:
    said = []
    if ratio < NO_RELEASE:
        said.append(f"area ratio {ratio:.2f}: most of the paste stays in the stencil")
    elif ratio < AREA_RATIO:
        said.append(f"area ratio {ratio:.2f}, needed {AREA_RATIO:g}: it releases badly")
    if slot and aspect < ASPECT_RATIO:
        said.append(
            f"aspect ratio {aspect:.1f}, needed {ASPECT_RATIO:g}: the slot is too narrow for {with_unit(foil_mm, MM)}"
        )
    if balls < BALLS_ROUND and balls < (
        need := BALLS_ROUND if _is_round(opening) else BALLS_ACROSS
    ):
        said.append(
            f"{balls:.1f} of the largest powder grains fit across, needed {need:g}: use a finer powder"
        )
    return said


def thickest_foil_mm(pitch_mm: float) -> float | None:
    """The thickest foil that common practice allows for a pitch; None where any will do."""
    return next((foil for up_to, foil in FOIL_FOR_PITCH if pitch_mm <= up_to + 1e-6), None)


def coarsest_powder(
    narrow_mm: float, round_opening: bool, powders: dict[int, tuple[float, float]]
) -> int | None:
    """The coarsest powder type whose largest balls pass the rule in an opening; None when not even
    the finest does.
    """
    need = BALLS_ROUND if round_opening else BALLS_ACROSS
    return next(
        (kind for kind in sorted(powders) if narrow_mm >= need * powders[kind][1] / 1000), None
    )
