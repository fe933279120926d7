"""How many heats each pad of a board has had.

A heat is a run in which the joint was molten, not a pass of the nozzle: of parts that were seen to
flow all pads, by iron the pads that were done. What froze and melted once more within a run is told
apart. What a run's forecast says of neighbours, which nobody watched, is told apart too.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from yellowfen.core.source.mark import Mark, constant

Pad = tuple[str, str]
MOST_HEATS = constant(
    "most_heats",
    3.0,
    "1",
    mark=Mark.FROM_MEMORY,
    source="IPC/JEDEC J-STD-020 classifies for three passes, as remembered",
    affects="warnings of a part's heats, is a salvaged part refused",
)
AT_MOST = f"At most {MOST_HEATS:.0f} heats a part (J-STD-020, as remembered); touch-ups count too."


@dataclass(frozen=True, kw_only=True)
class PadHeats:
    """Heats of one pad: runs in which its joint was molten, in which it was worked on `bare` (its
    part off), melts beyond the first within a run, and runs in which it was a neighbour and molten
    by their forecast.
    """

    heats: int = 0
    bare: int = 0
    again: int = 0
    likely: int = 0

    @property
    def known(self) -> int:
        """Heats that somebody saw or gave it."""
        return self.heats + self.bare

    @property
    def most(self) -> int:
        """Heats with those that only a forecast tells."""
        return self.known + self.likely

    def __add__(self, other: "PadHeats") -> "PadHeats":
        return PadHeats(
            heats=self.heats + other.heats,
            bare=self.bare + other.bare,
            again=self.again + other.again,
            likely=self.likely + other.likely,
        )


def by_part(pads: Mapping[Pad, PadHeats]) -> dict[str, int]:
    """The most heats that were seen or done at any joint of each part; those of its bare pads are
    not the part's. Parts without any are absent.
    """
    found: dict[str, int] = {}
    for (ref, _), one in pads.items():
        if one.heats:
            found[ref] = max(found.get(ref, 0), one.heats)
    return found


@dataclass(frozen=True, kw_only=True)
class HeatsTold:
    """Pads that had as many heats, parts whose pads are all alike by their name: "U4, C12 pin 2"."""

    most: int
    pads: str
    too_many: bool


def _some(ref: str, pins: Sequence[str]) -> str:
    return f"{ref} {'pin' if len(pins) == 1 else 'pins'} {' '.join(pins)}"


def told(pads: Mapping[Pad, PadHeats], pins: Mapping[str, Sequence[str]]) -> tuple[HeatsTold, ...]:
    """Pads by how many heats they had, the most first, those of neighbours by forecast with them."""
    levels = sorted({one.most for one in pads.values() if one.most}, reverse=True)
    found = []
    for most in levels:
        refs: dict[str, list[str]] = {}
        for (ref, pin), one in pads.items():
            if one.most == most:
                refs.setdefault(ref, []).append(pin)
        said = [
            ref if set(mine) >= set(pins.get(ref, mine)) else _some(ref, mine)
            for ref, mine in refs.items()
        ]
        found.append(HeatsTold(most=most, pads=", ".join(said), too_many=most > MOST_HEATS))
    return tuple(found)
