"""A change of a whole placement table, and the proposal to make it."""

from dataclasses import dataclass


@dataclass(frozen=True, kw_only=True)
class Shift:
    """How table coordinates become board millimetres: scaled, turned about 0, moved; the bottom's x
    mirrored first, angles by rule.

    `bottom_angles` is "as given", "negated" or "opposite" (180° less).
    """

    dx_mm: float = 0.0
    dy_mm: float = 0.0
    scale: float = 1.0
    turn_deg: int = 0
    mirrored_bottom: bool = False
    bottom_angles: str = "as given"
    bottom_dx_mm: float = 0.0


@dataclass(frozen=True, kw_only=True)
class ShiftProposal:
    """A change of the whole placement that would make more parts lie on their pads; nothing is done
    before it is accepted.
    """

    sentence: str
    shift: Shift
    fits_before: int
    fits_after: int
    of: int
    turn_side: str = ""
    turn_deg: int = 0
