"""Where practitioners disagree: the questions, the schools, a sentence for each side, and what a
choice changes here.
"""

from dataclasses import dataclass, field

from yellowfen.core.quantity.stored_word import word_of_today
from yellowfen.errors import InvalidValue


@dataclass(frozen=True)
class School:
    """One answer to a question, the case for it, and the cue it gives at the bench."""

    name: str
    case: str
    cue: str = ""


QUESTIONS: dict[str, tuple[str, tuple[School, ...]]] = {
    "leadless": (
        "Solder for leadless parts",
        (
            School("the more reliable one", "let the odds and minutes decide"),
            School("print", "even amounts on every pad, no heat before the part is there"),
            School(
                "solder bumps",
                "paste put on by hand bridges at 0.5 mm pitch and below; solder bumps do not smear",
            ),
        ),
    ),
    "fine leads": (
        "Fine-pitch leads by iron",
        (
            School("drag", "one even pass; the surplus travels on to the last pins"),
            School("pin by pin", "each joint seen as it is made"),
            School(
                "flood and wick",
                "fast, and bridges go with the surplus; solder wick overheats and starves joints",
            ),
        ),
    ),
    "stencil": (
        "Stencil or hand",
        (
            School("whichever is quicker", "set-up against dots, by your own times"),
            School("stencil", "even amounts, once it is set up"),
            School("hand", "set-up is wasted on a board or two"),
        ),
    ),
    "order": (
        "Placed first",
        (
            School("finest", "the hardest part with free space around it"),
            School("tallest", "pressed in while nothing is around it"),
            School("biggest", "nothing in its way, and it marks the place"),
            School("smallest", "the hand passes over placed parts"),
            School("nearest", "space only: the shortest path"),
        ),
    ),
    "pressing": (
        "Holding a chip down while soldering",
        (
            School(
                "never press",
                "the joint under a chip is the only flexible link between board and body",
                "Do not press it down: the solder under it is the only flexible link.",
            ),
            School(
                "press flat",
                "no tilt, no part on a lump of solder",
                "Press it flat with the tweezers while the joint solidifies.",
            ),
        ),
    ),
    "angle": (
        "Nozzle",
        (
            School("straight down", "parts do not slide", "Nozzle straight down: nothing slides."),
            School(
                "slanting, sweeping",
                "heats the board around and reaches under the part",
                "Tilt the nozzle and sweep it: preheat the board around.",
            ),
        ),
    ),
    "heat": (
        "Heat",
        (
            School(
                "moderate and patient",
                "everything at nearly the same temperature, little gets too hot",
                "Moderate heat, patience: close in only when the flux is clear.",
            ),
            School(
                "hot and quick",
                "less time to use up the flux",
                "Hot and quick: close in at once, stop as soon as it shines.",
            ),
        ),
    ),
    "flux": (
        "Extra flux",
        (
            School("only where solder came on the tip", "fresh paste has its own"),
            School("plenty, then wash", "everything wets"),
            School("none with fresh paste", "less to wash, fewer bridges"),
        ),
    ),
    "pads": (
        "Old solder on the pads",
        (
            School("wick to bare", "known amounts from the start"),
            School("level and add flux", "fewer heats on the pads"),
        ),
    ),
}
_IRON_SCHOOL = {
    "drag": "tack and drag",
    "pin by pin": "iron, joint by joint",
    "flood and wick": "flood and wick",
}


@dataclass(frozen=True)
class Schools:
    """Choices by question; what is not chosen is the first school of its question."""

    chosen: dict[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        today = {key: word_of_today("School", name) for key, name in self.chosen.items()}
        object.__setattr__(self, "chosen", today)
        for question, name in self.chosen.items():
            if question not in QUESTIONS:
                raise InvalidValue("school", f"there is no question {question[:40]!r}")
            if name not in {one.name for one in QUESTIONS[question][1]}:
                raise InvalidValue(
                    question,
                    f"{name[:40]!r} is not a practice here; choose {', '.join(one.name for one in QUESTIONS[question][1])}",
                )

    def of(self, question: str) -> School:
        """The school that holds for a question."""
        schools = QUESTIONS[question][1]
        return next((one for one in schools if one.name == self.chosen.get(question)), schools[0])

    def cue(self, question: str) -> str:
        """What the school of a question says at the bench."""
        return self.of(question).cue

    def allows(self, way: str, leadless: bool, leads: bool) -> bool:
        """False for a way that another school is chosen over."""
        if leadless and self.of("leadless").name in ("print", "solder bumps"):
            return way.startswith(self.of("leadless").name)
        if (
            leads
            and way in _IRON_SCHOOL.values()
            and way != _IRON_SCHOOL[self.of("fine leads").name]
        ):
            return False
        if self.of("stencil").name == "stencil" and way.startswith("dots"):
            return False
        return not (self.of("stencil").name == "hand" and way.startswith("print"))
