"""A lot of solder paste: what is in it, when it left the cold and came back, what is left, and
whether it still serves.

Laws: times are seconds since 1970, given by whoever calls; what is left is what it held less what
was used; paste that is opened or used stands out of the fridge, whether that was told or not, until
it is told to be back.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from yellowfen.core.metal.paste import Paste
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.stored_word import StoredWord
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

OPEN_LIFE_H = constant(
    "paste_warm_life",
    48.0,
    "h",
    mark=Mark.FROM_MEMORY,
    source="makers give one to a few days in all at room temperature",
    affects="is a lot still good",
)
KEEPS_DAYS = constant(
    "paste_keeps",
    180.0,
    "d",
    mark=Mark.COMMON_PRACTICE,
    source="about six months unopened in the fridge",
    affects="expiry where the jar shows none",
)
WASTE_G = constant(
    "paste_waste_print",
    0.3,
    "g",
    mark=Mark.FROM_MEMORY,
    source="what stays on blade, stencil and cloth with every print",
    affects="paste left in a lot",
)


class LotEvent(StoredWord):
    """What happened to a lot, by a tap."""

    OUT = "out of the fridge"
    BACK = "back in the fridge"
    OPENED = "opened"
    USED = "used"
    EMPTY = "empty"


@dataclass(frozen=True, kw_only=True)
class Happened:
    """One event; `grams` for what was used."""

    id: int
    kind: LotEvent
    at_s: float
    grams: float = 0.0
    said: str = ""


@dataclass(frozen=True, kw_only=True)
class Lot:
    """A lot in its owner's words: a jar or syringe of `grams` when new; `expires_s` from its label,
    or None.
    """

    id: int
    name: str
    paste: Paste
    container: str
    grams: float
    bought_s: float
    expires_s: float | None = None
    events: tuple[Happened, ...] = ()

    def __post_init__(self) -> None:
        if not 1 <= len(self.name.strip()) <= 60:
            raise InvalidValue("name", "give the paste a name of 1 to 60 letters")
        if self.container not in ("jar", "syringe", "cartridge"):
            raise InvalidValue(
                "container", f"{self.container[:20]!r} is not a jar, syringe or cartridge"
            )
        in_range("grams", self.grams, 0.5, 5000, "g")

    @property
    def used_g(self) -> float:
        return sum(one.grams for one in self.events if one.kind is LotEvent.USED)

    @property
    def left_g(self) -> float:
        """What should be left, g."""
        return (
            0.0
            if any(one.kind is LotEvent.EMPTY for one in self.events)
            else max(0.0, self.grams - self.used_g)
        )

    @property
    def is_out(self) -> bool:
        """True while it stands out of the fridge."""
        return self.out_since_s() is not None

    def warm_h(self, now_s: float) -> float:
        """Hours out of the fridge in all."""
        spans = _out(self.events)
        return math.fsum(max(0.0, min(end, now_s) - since) for since, end in spans) / 3600

    def out_since_s(self) -> float | None:
        """When it last left the cold, if it is out now."""
        return next((since for since, end in _out(self.events)[-1:] if end == math.inf), None)

    @property
    def opened_s(self) -> float | None:
        return next((one.at_s for one in self.events if one.kind is LotEvent.OPENED), None)

    def good_until_s(self) -> float:
        """The label's date, else six months after it was bought."""
        return self.expires_s if self.expires_s is not None else self.bought_s + KEEPS_DAYS * 86400

    def findings(self, now_s: float) -> tuple[str, ...]:
        """What speaks against using it now, a sentence each."""
        said = []
        if self.left_g <= 0:
            said.append("It is empty.")
        days = (self.good_until_s() - now_s) / 86400
        if days < 0:
            said.append(
                f"Expired {-days:.0f} days ago: print a trial and check that the grains melt together."
            )
        elif days < 14:
            said.append(f"It expires in {days:.0f} days.")
        if self.warm_h(now_s) > OPEN_LIFE_H:
            said.append(
                f"Out of the fridge for {self.warm_h(now_s):.0f} h in all; usual is up to {OPEN_LIFE_H:g} h: add fresh flux once, do not use it for fine pitch."
            )
        if self.opened_s is None and self.is_out:
            said.append(
                "Keep it closed until it is at room temperature; opened cold it collects dew."
            )
        return tuple(said)

    def boards_left(self, per_board_g: float) -> int | None:
        """How many more boards it gives; None when a board takes none."""
        return int(self.left_g / per_board_g) if per_board_g > 0 else None


def usable(lots: Sequence[Lot], now_s: float) -> Lot | None:
    """The lot to work from: of those with anything left one that nothing speaks against, of these
    the one with most left.
    """
    left = [one for one in lots if one.left_g > 0]
    return min(left, key=lambda one: (len(one.findings(now_s)), -one.left_g, one.id), default=None)


def _out(events: Sequence[Happened]) -> list[tuple[float, float]]:
    """From when to when a lot stood out of the fridge; the last without end where it still does."""
    spans, since = [], None
    for one in sorted(events, key=lambda one: one.at_s):
        if one.kind is LotEvent.BACK and since is not None:
            spans.append((since, one.at_s))
            since = None
        elif one.kind in (LotEvent.OUT, LotEvent.OPENED, LotEvent.USED) and since is None:
            since = one.at_s
    return spans if since is None else [*spans, (since, math.inf)]
