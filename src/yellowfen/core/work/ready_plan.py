"""What a job's Ready and Place stages are set to."""

from dataclasses import dataclass, field

from yellowfen.core.heat.heat_plan import USUAL_ROOM_C
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.stored_word import word_of_today
from yellowfen.core.work.order import Pace, Wish
from yellowfen.core.work.schools import Schools
from yellowfen.core.work.technique import Wishes
from yellowfen.errors import InvalidValue

COLDEST_ROOM_C, WARMEST_ROOM_C = 5.0, 45.0


@dataclass(frozen=True, kw_only=True)
class ReadyPlan:
    """Choices of ways and schools; boards; when (seconds since 1970: a start, or a finish); room
    and fridge; pace; exceptions of the order.

    `way_parts`, `way_packages`: ways by part and by package name. `pace`: 1 for reference times, 2
    for twice as slow. Temperatures in °C, humidity as a share. `bags_open_h`: for how long
    moisture-marked parts have been out of their bags.
    """

    way_parts: dict[str, str] = field(default_factory=dict)
    way_packages: dict[str, str] = field(default_factory=dict)
    schools: dict[str, str] = field(default_factory=dict)
    boards: int = 1
    start_s: float | None = None
    finish_s: float | None = None
    pace: float = 1.0
    room_c: float = USUAL_ROOM_C
    humidity: float = 0.5
    fridge_c: float = 5.0
    container: str = "syringe"
    grams: float = 35.0
    wash: bool = True
    bags_open_h: float = 0.0
    batch: int = 10
    wishes: tuple[Wish, ...] = ()

    def __post_init__(self) -> None:
        for name, kind in (("way_parts", "Way"), ("way_packages", "Way"), ("schools", "School")):
            today = {key: word_of_today(kind, word) for key, word in getattr(self, name).items()}
            object.__setattr__(self, name, today)
        self.ways()
        in_range("boards", self.boards, 1, 200)
        in_range("pace", self.pace, 0.2, 10)
        in_range("room_c", self.room_c, COLDEST_ROOM_C, WARMEST_ROOM_C, "°C")
        in_range("humidity", self.humidity, 0.01, 1)
        in_range("fridge_c", self.fridge_c, -20, 25, "°C")
        in_range("grams", self.grams, 0.5, 5000, "g")
        in_range("bags_open_h", self.bags_open_h, 0, 1e6, "h")
        in_range("batch", self.batch, 0, 1000)
        for moment in (self.start_s, self.finish_s):
            if moment is not None:
                in_range("start_s", moment, 0, 4e9, "s")
        if self.container not in ("jar", "syringe", "cartridge"):
            raise InvalidValue(
                "container", f"{self.container[:20]!r} is not a jar, syringe or cartridge"
            )
        if len(self.wishes) > 500:
            raise InvalidValue("wishes", "more than 500 exceptions; start afresh")

    def ways(self) -> Wishes:
        """The choices of ways and schools."""
        return Wishes(self.way_parts, self.way_packages, Schools(self.schools))

    def order_pace(self, place_s: float) -> Pace:
        """The pace of placing, with this seconds a part."""
        return Pace(place_s=place_s, batch=self.batch)
