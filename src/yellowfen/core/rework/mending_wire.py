"""A jumper for a torn track: how thick a wire, or how wide a foil, for a current over a length.

Two limits, the larger section wins: warming in still air (a thin wire's loss to the room, and for
foil the published chart for outer tracks), and the voltage that may be lost along it. Checked
against the published fusing formula.
"""

import math
from dataclasses import dataclass

from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant

RESISTIVITY = constant(
    "copper_resistivity",
    1.72e-8,
    "Ω·m",
    mark=Mark.PUBLISHED,
    source="IEC 60028, annealed copper at 20 °C (as remembered)",
    affects="jumper wires",
)
WIRE_LOSS_W_M2K = constant(
    "thin_wire_loss",
    40.0,
    "W/m²·K",
    mark=Mark.FROM_MEMORY,
    source="a wire of some tenths of a millimetre in still air loses 30 to 60 by its thinness",
    affects="jumper wires",
)
RISE_K = constant(
    "jumper_rise",
    20.0,
    "K",
    mark=Mark.FROM_MEMORY,
    source="our choice: warm, not hot",
    affects="jumper wires",
)
DROP_V = constant(
    "jumper_drop",
    0.05,
    "V",
    mark=Mark.FROM_MEMORY,
    source="our choice for a supply",
    affects="jumper wires",
)
WIRES_MM = (0.1, 0.15, 0.2, 0.25, 0.3, 0.4, 0.5, 0.63, 0.8, 1.0, 1.25, 1.6, 2.0)
_MIL2_PER_MM2 = 1550.0031
_OUTER_K, _OUTER_RISE, _OUTER_AREA = 0.048, 0.44, 0.725


@dataclass(frozen=True, kw_only=True)
class Jumper:
    """A wire of usual thickness (None: thicker than 2 mm would be needed), a foil's width, mm; loss
    along it, mV; the share of the wire's fusing current.
    """

    wire_mm: float | None
    foil_mm: float
    drop_mv: float
    fusing_share: float
    why: str


def jumper(current_a: float, length_mm: float, foil_um: float = 35.0) -> Jumper:
    """A jumper for 0.001 to 20 A over 1 to 300 mm. Raises InvalidValue outside."""
    in_range("current_a", current_a, 0.001, 20, "A")
    in_range("length_mm", length_mm, 1, 300, "mm")
    in_range("foil_um", foil_um, 5, 200, "µm")
    warm, drop = warm_wire_mm(current_a), drop_wire_mm(current_a, length_mm)
    need = max(warm, drop)
    wire = next((one for one in WIRES_MM if one >= need), None)
    taken = wire or need
    lost = current_a * RESISTIVITY * length_mm * 1e-3 / (math.pi / 4 * taken**2 * 1e-6)
    by_drop = current_a * RESISTIVITY * length_mm * 1e-3 / DROP_V * 1e6
    foil = max(foil_area_mm2(current_a), by_drop) / (foil_um * 1e-3)
    return Jumper(
        wire_mm=wire,
        foil_mm=foil,
        drop_mv=1e3 * lost,
        fusing_share=current_a / fusing_a(taken),
        why="warming" if warm >= drop else "voltage lost along it",
    )


def warm_wire_mm(current_a: float, rise_k: float = RISE_K) -> float:
    """Diameter that warms by `rise_k`: I²·4ρ/(πd²) = h·πd·ΔT."""
    return 1e3 * float(
        (4 * RESISTIVITY * current_a**2 / (math.pi**2 * WIRE_LOSS_W_M2K * rise_k)) ** (1 / 3)
    )


def drop_wire_mm(current_a: float, length_mm: float, drop_v: float = DROP_V) -> float:
    """Diameter that loses `drop_v` along its length."""
    return 1e3 * math.sqrt(4 * RESISTIVITY * length_mm * 1e-3 * current_a / (math.pi * drop_v))


def foil_area_mm2(current_a: float, rise_k: float = RISE_K) -> float:
    """Section of an outer track: I = 0.048·ΔT^0.44·A^0.725, A in square mils [published: IPC-2221,
    the formula that stands for its chart, as remembered].
    """
    mils = (current_a / (_OUTER_K * rise_k**_OUTER_RISE)) ** (1 / _OUTER_AREA)
    return float(mils / _MIL2_PER_MM2)


def fusing_a(diameter_mm: float) -> float:
    """Current that melts a copper wire in air: 80·d^1.5, d in mm [published: W. H. Preece, Proc.
    Royal Society, 1884 to 1888].
    """
    return float(80.0 * diameter_mm**1.5)
