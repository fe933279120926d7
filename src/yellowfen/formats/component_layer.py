"""Placements from an X3 component layer: part centres as flashes with attributes for reference,
rotation and package.
"""

from yellowfen.core.board.join import Placement, plain_ref
from yellowfen.formats.gerber.layer import Drawn, GerberLayer
from yellowfen.formats.part_table import FARTHEST


def placements_of(layer: GerberLayer) -> list[Placement]:
    """One placement for every named part centre, in file coordinates."""
    words = layer.function
    side = "bottom" if "bot" in words else "top"
    found: dict[str, Placement] = {}
    for one in layer.drawn:
        given = one.given or {}
        ref = (given.get(".C") or ("",))[0]
        if one.kind != "flash" or not ref or ref in found or not _is_centre(one):
            continue
        x, y = one.path[0]
        found[ref] = Placement(
            ref=plain_ref(ref),
            value=_first(given, ".CVal")[:80],
            footprint=(_first(given, ".CFtp") or _first(given, ".CPgN"))[:120],
            x_mm=x,
            y_mm=y,
            rotation_deg=_turn(_first(given, ".CRot")),
            side=side,
        )
    return list(found.values())


def _is_centre(one: Drawn) -> bool:
    return one.pen is not None and one.pen.function in ("ComponentMain", "")


def _first(given: object, key: str) -> str:
    values = given.get(key, ("",)) if hasattr(given, "get") else ("",)
    return str(values[0]) if values else ""


def _turn(text: str) -> float:
    try:
        turn = float(text)
    except ValueError:
        return 0.0
    return turn % 360 if abs(turn) <= FARTHEST else 0.0
