"""The trade's terms as this program uses them, each in a sentence a newcomer can act on."""

from dataclasses import dataclass
from functools import cache


@dataclass(frozen=True)
class Term:
    """A term: how it is written, other forms a page may have of it, and what it means."""

    name: str
    means: str
    also: tuple[str, ...] = ()

    @property
    def key(self) -> str:
        """Its place on the page of words."""
        return self.name.replace(" ", "-")


# Common practice throughout; the terms are those of soldering handbooks.
_TERMS = (
    Term(
        "pad",
        "the bare metal on the board to which one lead is soldered",
        ("pads", "land", "lands"),
    ),
    Term(
        "lead",
        "the metal that leaves a part and stands on a pad",
        ("leads", "gull-wing", "gull wings"),
    ),
    Term("terminal", "the metal cap at each end of a chip resistor or capacitor", ("terminals",)),
    Term(
        "leadless part",
        "a part whose metal lies flat underneath and at its edge; you see a joint only from the side",
        ("leadless parts", "leadless"),
    ),
    Term(
        "exposed pad",
        "the large pad under a part; it carries heat into the board and hides its joint",
        ("exposed pads", "thermal pad", "thermal pads"),
    ),
    Term(
        "pin 1",
        "the first pin; a dot, a notch or a bevel marks it on the part, and a mark on the board shows its place",
    ),
    Term(
        "plane",
        "a large area of copper; it draws heat away, so pads connected to it melt last",
        ("planes", "copper plane"),
    ),
    Term(
        "thermal relief",
        "narrow strips of copper between a pad and a plane; they let the pad get hot enough to solder",
        ("relief",),
    ),
    Term(
        "stencil",
        "a thin sheet with an aperture over each pad; paste is wiped through it",
        ("stencils",),
    ),
    Term(
        "aperture",
        "a hole in the stencil; its area and the sheet's thickness set how much paste stays on the pad",
        ("apertures", "stencil apertures"),
    ),
    Term(
        "solder paste",
        "solder powder in flux; it holds the parts and becomes the joint when it melts",
        ("paste",),
    ),
    Term(
        "flux",
        "the chemical that removes oxide so that solder can wet metal; it is used up by heat and time",
    ),
    Term(
        "solder bump",
        "a small dome of solder melted onto a pad before the part is placed",
        ("solder bumps", "bumps"),
    ),
    Term(
        "solder wick", "copper braid that absorbs molten solder under a hot iron", ("wick", "braid")
    ),
    Term(
        "tack",
        "hold a part with one joint, so that it can be squared before the rest is soldered",
        ("tacked", "tacking"),
    ),
    Term(
        "drag soldering",
        "pull a drop of solder on the tip along a row of leads; flux keeps it from bridging",
        ("tack and drag", "drag a row"),
    ),
    Term(
        "preheat",
        "warm the board slowly first; parts then need less heat, and the change is gentler",
        ("preheating",),
    ),
    Term("close in", "bring the nozzle down to its working distance", ("closing in",)),
    Term("withdraw", "take the heat away, without moving the board"),
    Term(
        "molten",
        "melted through: the solder shines, and a nudged part slides back by itself",
        ("reflowed", "reflow", "melts", "melt"),
    ),
    Term(
        "shield",
        "aluminium foil or tape over a part that must stay cooler",
        ("shields", "shielded"),
    ),
    Term(
        "heat-sensitive",
        "a part that hot air harms early: light plastic, lenses, films, batteries",
        ("heat-sensitive part", "heat-sensitive parts"),
    ),
    Term("body limit", "the temperature that a part's body must not pass", ("body limits",)),
    Term("starved", "too little solder: hardly a fillet at the end of the lead"),
    Term("excess", "too much solder: it bulges and hides whether the joint wetted"),
    Term("bridge", "solder from one lead to the next where none belongs", ("bridges", "bridging")),
    Term("tombstone", "a chip that stood up on one end while its paste melted", ("tombstones",)),
    Term(
        "cold joint",
        "a joint that never melted fully; it looks grainy and breaks easily",
        ("cold joints",),
    ),
    Term("fillet", "the curved slope of solder between a lead and its pad", ("fillets",)),
    Term(
        "rehearsal",
        "the heat worked out in the computer before any part gets hot",
        ("rehearsals", "rehearsed"),
    ),
    Term("safe window", "all settings at which every joint melts and nothing is harmed"),
    Term(
        "margin",
        "how far your setting is from the first problem, counted in your own uncertainty; aim for 2 or more",
    ),
    Term(
        "tour",
        "stops of the nozzle over the board, one after the other, until every joint has melted",
    ),
    Term(
        "calibrate",
        "melt a known joint and note when; forecasts for this station then become surer",
        ("calibrated", "calibration"),
    ),
    Term(
        "touch-up",
        "correct one joint after inspection, with iron, flux, wire or wick",
        ("touch-ups",),
    ),
    Term(
        "passport",
        "the history of a removed part: how hot, how often, and what to do before it is used again",
        ("passports",),
    ),
    Term(
        "removal alloy",
        "a solder that melts very low; mixed into old joints, it keeps all of them molten while you lift the part",
    ),
)


def terms() -> tuple[Term, ...]:
    """All terms, in the order of a board's way over the bench."""
    return _TERMS


@cache
def written_forms() -> dict[str, str]:
    """Each form in which a page may write a term, with the term's key."""
    return {form: term.key for term in _TERMS for form in (term.name, *term.also)}
