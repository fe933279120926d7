"""What was done on a picture: which side it shows, at which moment, what it is of, the places
clicked, the fit, how parts were laid on it, the thresholds moved.
"""

from dataclasses import dataclass, field

from yellowfen.core.look.part_seen import Pose
from yellowfen.core.look.picture_fit import Click, PictureFit
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.stored_word import StoredWord
from yellowfen.errors import InvalidValue

MOST_CLICKS = 12


class Moment(StoredWord):
    """When a picture was taken."""

    PRINTED = "after printing"
    PLACED = "after placing"
    SOLDERED = "after the heat"
    MENDED = "after touch-up"
    BEFORE = "before the work"


@dataclass(frozen=True)
class Pin:
    """A click with the name of what was clicked, as it stands on the page."""

    name: str
    click: Click


@dataclass(frozen=True, kw_only=True)
class PictureWork:
    """All that is kept beside a picture. `by_edges` off keeps to the clicks; thresholds are None
    where they are worked out; of a part that was searched, `doubts` says why its pose is not
    believed ("" it is) and `errors_mm` how far off it may be (95 %).
    """

    side: str = "top"
    moment: Moment = Moment.SOLDERED
    ref: str = ""
    pin: str = ""
    pins: tuple[Pin, ...] = ()
    by_edges: bool = True
    fit: PictureFit | None = None
    channel: int = 3
    poses: dict[str, Pose] = field(default_factory=dict)
    doubts: dict[str, str] = field(default_factory=dict)
    errors_mm: dict[str, float] = field(default_factory=dict)
    paste_from: float | None = None
    bright_from: float | None = None
    paste_darker: bool = True

    def __post_init__(self) -> None:
        if self.side not in ("top", "bottom"):
            raise InvalidValue("side", "a picture shows the top or the bottom")
        if len(self.pins) > MOST_CLICKS:
            raise InvalidValue("clicks", f"{MOST_CLICKS} places are enough; undo one first")
        for name in ("paste_from", "bright_from"):
            value = getattr(self, name)
            if value is not None:
                in_range(name, value, 0.0, 255.0)
