"""Which way round a part goes, and what its mark looks like."""

from dataclasses import dataclass

from yellowfen.core.part.package import Package
from yellowfen.core.source.mark import Mark

# Where the mark of a family sits [common practice; handbook tables of marks]. A part that needs
# none is not listed.
_MARKS = {
    "chip LED": (
        "its ends are marked by a bar, dot or triangle underneath, and makers differ: check it with a meter's diode range before placing",
        True,
    ),
    "plastic LED": (
        "a cut corner or notch is the cathode for most makers, not all: test with a meter",
        True,
    ),
    "diode": ("the bar is the cathode", False),
    "tantalum": ("the bar is PLUS, opposite to a diode", False),
    "can": ("the dark stripe on top is MINUS; the base has cut corners on the plus side", False),
    "PLCC": ("pin 1 is in the middle of a side, under the dimple; one corner is bevelled", False),
    "BGA": ("a dot or a bare corner at A1", False),
    "crystal": (
        "a dot or a cut corner at pin 1; turned by 180° is harmless on most four-pad crystals",
        True,
    ),
    "SOT": ("it fits in one orientation only: count the leads on each side", False),
    "tab": ("it fits in one orientation only: the tab on the large pad", False),
    "connector": ("check the direction of its mouth; pin 1 has a triangle or a longer pad", False),
    "USB socket": ("its mouth faces the board's edge", False),
    "flat-cable connector": ("check the direction of its mouth", False),
}
_PIN_1 = "a dot, dimple, notch or bevelled edge at pin 1"
_ADDRESSED = "a cut corner or notch, whose meaning differs by maker. With a controller inside, a meter's diode range shows nothing: follow its drawing, or test one on five volts through a resistor"
_UNDIRECTED = ("chip", "chip array", "inductor", "switch")


@dataclass(frozen=True)
class Direction:
    """The way round of a part: where to look for its mark; `doubtful` when makers differ."""

    look_for: str
    doubtful: bool
    mark: Mark = Mark.COMMON_PRACTICE


def direction_of(package: Package) -> Direction | None:
    """Where to look for the mark, None for a part that may go either way round."""
    if package.polarity:
        return Direction(package.polarity, False)
    if package.family in _UNDIRECTED or (package.family == "own" and not package.has_pin_1):
        return None
    if package.family == "unknown":
        return (
            Direction("not known: find pin 1 or the polarity mark before you place it", True)
            if len(package.lands) > 2
            else None
        )
    if package.family == "plastic LED" and len(package.lands) >= 4:
        return Direction(_ADDRESSED, True)
    if package.family == "SOT" and len(package.lands) == 6:
        return Direction(
            f"three leads on both sides, so it fits in two orientations: {_PIN_1}", False
        )
    said, doubtful = _MARKS.get(package.family, (_PIN_1, False))
    return Direction(said, doubtful)
