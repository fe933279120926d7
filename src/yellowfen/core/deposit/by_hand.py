"""Paste and wire by hand: which needle, how many dots, how long a wire, and whether a stencil pays.

Needle bores are from memory (usual stainless blunt needles); the rules of thumb are common
practice.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from yellowfen.core.deposit.fillet import Wanted
from yellowfen.core.metal.alloy import Alloy
from yellowfen.core.metal.paste import VEHICLE_G_CM3, Paste
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.source.mark import Mark, constant

# Gauge to inner diameter, mm [from memory: usual stainless blunt needles].
NEEDLES = {
    14: 1.55,
    16: 1.20,
    18: 0.84,
    20: 0.60,
    21: 0.51,
    22: 0.41,
    23: 0.34,
    25: 0.26,
    27: 0.21,
    30: 0.16,
    32: 0.11,
}
BORE_BALLS = constant(
    "needle_bore_balls",
    8.0,
    "1",
    mark=Mark.COMMON_PRACTICE,
    source="needle bore at least seven to ten times the largest ball",
    affects="which needle a paste goes through",
)
DOT_SPREAD = constant(
    "dot_spread",
    1.4,
    "1",
    mark=Mark.FROM_MEMORY,
    source="a dot is 1.2 to 1.6 times as wide as the bore",
    affects="size of a dot",
)
DOT_HEIGHT = constant(
    "dot_height",
    0.4,
    "1",
    mark=Mark.FROM_MEMORY,
    source="and about two fifths as high as wide",
    affects="volume of a dot",
)
LINE_PITCH_MM = constant(
    "line_across_pitch",
    0.8,
    "mm",
    mark=Mark.COMMON_PRACTICE,
    source="a line across the row is acceptable down to about 0.8 mm pitch",
    affects="dots or a line",
)
DOT_S = constant(
    "seconds_per_dot",
    2.5,
    "s",
    mark=Mark.FROM_MEMORY,
    source="a practised hand; a beginner takes three times as long",
    affects="time by hand",
)
DAB_MM3 = constant(
    "dab_volume",
    0.08,
    "mm³",
    mark=Mark.FROM_MEMORY,
    source="a knife's tip or a pick carries about as much",
    affects="paste in dabs",
)
SET_UP_MIN = constant(
    "stencil_set_up",
    10.0,
    "min",
    mark=Mark.COMMON_PRACTICE,
    source="setting up and aligning takes 5 to 15 min",
    affects="stencil or hand",
)
PRINT_MIN = constant(
    "stencil_print",
    1.5,
    "min",
    mark=Mark.COMMON_PRACTICE,
    source="a print takes 1 to 2 min",
    affects="stencil or hand",
)


def dot_mm3(diameter_mm: float) -> float:
    """A dot as a spherical cap of that width, `DOT_HEIGHT` as high as wide."""
    height, radius = DOT_HEIGHT * diameter_mm, diameter_mm / 2
    return math.pi * height / 6 * (3 * radius**2 + height**2)


@dataclass(frozen=True, kw_only=True)
class Dots:
    """How to dot one pad: needle gauge (None: a dab with knife or pick), dot width, count, paste
    and seconds; what to mind.
    """

    gauge: int | None
    diameter_mm: float
    count: int
    paste_mm3: float
    seconds: float
    said: str


@lru_cache(maxsize=64)
def needles_for(paste: Paste) -> tuple[int, ...]:
    """Gauges that the paste goes through, widest first."""
    return tuple(g for g, bore in NEEDLES.items() if bore >= BORE_BALLS * paste.largest_ball_mm)


def dots_for(
    long_mm: float,
    short_mm: float,
    wants: Wanted,
    paste: Paste,
    gauges: Sequence[int] | None = None,
    fewest: bool = False,
) -> Dots:
    """Dots for a pad of these sides (0.001 to 1000 mm) with a dispensed paste: the widest needle
    whose dot stays on the pad and is not too fat.

    `gauges`: the needles at hand, all usual ones when None. `fewest` aims for no more touches than
    keep the joint from being lean, for hands that shake.
    """
    in_range("short_mm", short_mm, 0.001, 1000, "mm")
    in_range("long_mm", long_mm, short_mm, 1000, "mm")
    wanted_mm3 = 0.5 * (wants.least_mm3 + wants.most_mm3) / paste.volume_share
    for gauge in needles_for(paste):
        if gauges is not None and gauge not in gauges:
            continue
        width = DOT_SPREAD * NEEDLES[gauge]
        one = dot_mm3(width)
        if width > 1.2 * short_mm or one * paste.volume_share > wants.most_mm3:
            continue
        least = math.ceil(wants.least_mm3 / paste.volume_share / one - 1e-9)
        aimed = least if fewest else round(wanted_mm3 / one)
        count = max(1, min(aimed, max(1, int(long_mm / (0.55 * width)))))
        return Dots(
            gauge=gauge,
            diameter_mm=width,
            count=count,
            paste_mm3=count * one,
            seconds=count * DOT_S,
            said="",
        )
    dabs = max(1, math.ceil(wanted_mm3 / DAB_MM3 - 0.5))
    width = min(short_mm, (6 * wanted_mm3 / dabs / math.pi) ** (1 / 3))
    return Dots(
        gauge=None,
        diameter_mm=width,
        count=dabs,
        paste_mm3=wanted_mm3,
        seconds=2 * DOT_S * dabs,
        said="no needle at hand makes a dot that small: a dab with a knife tip or a pick",
    )


def judge_dot(gauge: int, wants: Wanted, paste: Paste) -> str:
    """What one dot of a needle makes of a joint: lean, good or fat."""
    return wants.verdict(dot_mm3(DOT_SPREAD * NEEDLES[gauge]) * paste.volume_share)


def line_across(pitch_mm: float) -> str:
    """What to mind about one line of paste across a row, empty when it is fine."""
    return (
        ""
        if pitch_mm >= LINE_PITCH_MM
        else f"at {with_unit(pitch_mm, MM)} pitch a line across the row bridges: use one dot per pad, or a stencil"
    )


def wire_metal_share(alloy: Alloy, flux_mass_share: float) -> float:
    """Metal's share of a cored wire's volume; 2 % flux by mass is about a seventh of the volume."""
    in_range("flux_mass_share", flux_mass_share, 0, 0.1)
    metal = (1 - flux_mass_share) / alloy.density_g_cm3
    return metal / (metal + flux_mass_share / VEHICLE_G_CM3)


def wire_mm(
    solder_mm3: float, wire_diameter_mm: float, alloy: Alloy, flux_mass_share: float = 0.02
) -> float:
    """Length of wire that gives so much solder: volume over the wire's section times its metal
    share.
    """
    in_range("wire_diameter_mm", wire_diameter_mm, 0.1, 3, "mm")
    return solder_mm3 / (
        math.pi / 4 * wire_diameter_mm**2 * wire_metal_share(alloy, flux_mass_share)
    )


def line_mm3(gauge: int, length_mm: float) -> float:
    """Paste in a line from a needle: half an ellipse as wide and high as its dot."""
    width = DOT_SPREAD * NEEDLES[gauge]
    return math.pi / 4 * width * DOT_HEIGHT * width * length_mm


@dataclass(frozen=True, kw_only=True)
class Costs:
    """What a stencil and a hand take: minutes to set up and per print, boards in a print, seconds a
    dot; a stencil's price in minutes of work.
    """

    set_up_min: float = SET_UP_MIN
    print_min: float = PRINT_MIN
    dot_s: float = DOT_S
    panel: int = 1
    price_min: float = 0.0

    def __post_init__(self) -> None:
        in_range("set_up_min", self.set_up_min, 0, 600, "min")
        in_range("print_min", self.print_min, 0, 120, "min")
        in_range("dot_s", self.dot_s, 0.1, 600, "s")
        in_range("panel", self.panel, 1, 200)
        in_range("price_min", self.price_min, 0, 100_000, "min")
