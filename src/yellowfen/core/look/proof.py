"""What proves a board beyond eye and meter: its first power, with the current limited from what is
on it, and the function steps its owner writes; nets typed in lines for boards that came without.

Laws: a limit is twice what the parts may draw, never below 30 mA; a supply that feeds another
carries its load too; a step that passes proves the joints it names, one that fails accuses them and
no others.
"""

import itertools
import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from yellowfen.core.board.board import Board
from yellowfen.core.look.meter_plan import Resistances, ground_of, supplies_of
from yellowfen.core.look.values import MOST_VOLTS, farads, ohms, volts_of
from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

CHIP_MA = constant(
    "first_power_chip",
    25.0,
    "mA",
    mark=Mark.FROM_MEMORY,
    source="a small controller or driver without its load, at rest",
    affects="current limit at first power",
)
LED_MA = constant(
    "first_power_led",
    10.0,
    "mA",
    mark=Mark.FROM_MEMORY,
    source="an indicator whose resistor is not known",
    affects="current limit at first power",
)
TIMES = constant(
    "first_power_times",
    2.0,
    "1",
    mark=Mark.COMMON_PRACTICE,
    source="a limit of about twice what is expected lets the board start and spares it in a short",
    affects="current limit at first power",
)
LEAST_MA = 30.0
WITHIN = 0.05
MOST_STEPS, MOST_LESSONS, MOST_TEXT = 40, 200, 200
INPUTS = ("VIN", "VBUS", "VBAT", "VSUP")
_MADE = re.compile(r"([0-9]{1,2}(?:[.,][0-9])?) ?V\b")


@dataclass(frozen=True, kw_only=True)
class FunctionStep:
    """One thing the board must do: what is done, what must be seen, which joints that proves
    ("U1.3", or "U1" for all of a part).
    """

    name: str
    expect: str
    joints: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        for what, text in (("step", self.name), ("expect", self.expect)):
            if not 1 <= len(text) <= MOST_TEXT:
                raise InvalidValue(what, f"write 1 to {MOST_TEXT} characters")


# Beginnings of steps; the owner adds the joints [common practice].
READY_MADE = (
    (
        "Program, read back, verify",
        "the programmer reads back what was written; a header held in by hand does for one board",
    ),
    ("Blink", "the LED blinks as programmed"),
    ("Toggle every pin", "each pin drives some hundred ohms high and low, read by meter or probe"),
    ("Write, read and verify the memory", "what was written is read back"),
    ("Red, green, blue", "each colour alone, then all"),
    ("Talks on its bus", "the other side answers to its address"),
)


@dataclass(frozen=True, kw_only=True)
class Lesson:
    """What to change on the next board, as the bench taught it: where it was seen, and what to do."""

    seen: str
    change: str

    def __post_init__(self) -> None:
        for what, text in (("seen", self.seen), ("change", self.change)):
            if not 1 <= len(text) <= MOST_TEXT:
                raise InvalidValue(what, f"write 1 to {MOST_TEXT} characters")


@dataclass(frozen=True, kw_only=True)
class BoardProof:
    """What its owner said of a board once: supplies and ground where the guess was wrong (None, "":
    as guessed), volts by supply, nets in lines, function steps; and what to change on the next
    board.
    """

    supplies: tuple[str, ...] | None = None
    ground: str = ""
    volts: dict[str, float] = field(default_factory=dict)
    nets: str = ""
    steps: tuple[FunctionStep, ...] = ()
    lessons: tuple[Lesson, ...] = ()

    def __post_init__(self) -> None:
        if len(self.lessons) > MOST_LESSONS:
            raise InvalidValue("lessons", f"{MOST_LESSONS} lessons are enough; remove one first")
        if len(self.steps) > MOST_STEPS:
            raise InvalidValue("steps", f"{MOST_STEPS} steps are enough; remove one first")
        for net, value in self.volts.items():
            in_range(f"volts of {net}", abs(value), 0.1, MOST_VOLTS, "V")


# nets typed in lines
def with_nets(board: Board, lines: str, *, kept: bool = False) -> Board:
    """The board with nets as typed, a line each: pins as "U1.3", and a name that has no dot
    (without one: N1, N2, …). Pins that are not named keep their net.

    Raises InvalidValue for a pin that is not there (of lines that were `kept` and whose board was
    read anew since it is passed over), one in two lines, or a line of one pin without a name.
    """
    wanted = _typed(lines)
    if not wanted:
        return board
    there = {f"{pad.ref}.{pad.pin}" for pad in board.pads if pad.ref}
    for pin in wanted:
        if pin not in there and not kept:
            raise InvalidValue("nets", f"there is no pin {pin} on this board")
    pads = tuple(
        replace(pad, net=wanted[f"{pad.ref}.{pad.pin}"])
        if f"{pad.ref}.{pad.pin}" in wanted
        else pad
        for pad in board.pads
    )
    return replace(board, pads=pads)


def _typed(lines: str) -> dict[str, str]:
    """Pins with their nets."""
    found: dict[str, str] = {}
    for number, line in enumerate(lines.splitlines(), 1):
        words = line.replace(",", " ").split()
        pins = [word for word in words if "." in word]
        names = [word for word in words if "." not in word]
        if not words:
            continue
        if not pins or len(pins) + len(names) < 2 or len(names) > 1:
            raise InvalidValue(
                "nets", f"line {number} needs pins and one name, such as U1.3 C4.1 GND or U1.8 VDD"
            )
        for pin in pins:
            if pin in found:
                raise InvalidValue("nets", f"{pin} is in two lines; a pin has one net")
            found[pin] = names[0] if names else f"N{number}"
    return found


# first power
@dataclass(frozen=True, kw_only=True)
class FirstPower:
    """One supply at first power: its volts (None: say them), the most current to allow, what that
    is made of, how long its capacitors take at that limit, and the supply it comes from ("": from
    outside).
    """

    supply: str
    volts: float | None
    limit_ma: float
    why: tuple[str, ...]
    charge_ms: float
    comes_from: str = ""

    @property
    def expects(self) -> str:
        """What must be read."""
        reads = (
            "the volts that are set"
            if self.volts is None
            else f"{self.volts * (1 - WITHIN):.2f} to {self.volts * (1 + WITHIN):.2f} V".replace(
                "-", "−"
            )
        )
        if self.comes_from:
            return f"reads {reads}, made from {self.comes_from}"
        return f"reads {reads}; nothing gets warm in ten seconds"


def first_power(board: Board, proof: BoardProof) -> tuple[FirstPower, ...]:
    """Every supply, those from outside first, each with its limit. `board` with its nets."""
    ground = proof.ground or ground_of(board)
    supplies = supplies_of(board, ground) if proof.supplies is None else proof.supplies
    nets: dict[str, set[str]] = {}
    for pad in board.pads:
        if pad.ref and pad.net:
            nets.setdefault(pad.ref, set()).add(pad.net)
    volts = {
        net: proof.volts.get(net) or volts_of(net) or _made_volts(board, nets, net)
        for net in supplies
    }
    between = Resistances(board)
    size = {net: None if value is None else abs(value) for net, value in volts.items()}
    own = {
        net: _load(board, nets, between, net=net, ground=ground, volts=size[net])
        for net in supplies
    }
    above = _feeds(board, nets, supplies, size)
    found = []
    for net in supplies:
        load, why = own[net]
        below = [one for one in supplies if _comes_through(one, net, above)]
        for one in below:
            load += own[one][0]
            why = (*why, f"what {one} draws")
        limit = max(LEAST_MA, math.ceil(TIMES * load / 10.0) * 10.0)
        stored = _stored(board, nets, net, ground)
        found.append(
            FirstPower(
                supply=net,
                volts=volts[net],
                limit_ma=limit,
                why=why,
                charge_ms=1e6 * stored * (size[net] or 5.0) / limit,
                comes_from=above.get(net, ""),
            )
        )
    return tuple(
        sorted(found, key=lambda one: (bool(one.comes_from), -abs(one.volts or 0.0), one.supply))
    )


def _load(
    board: Board,
    nets: Mapping[str, set[str]],
    between: Resistances,
    *,
    net: str,
    ground: str,
    volts: float | None,
) -> tuple[float, tuple[str, ...]]:
    """What hangs on a supply, mA, and of what that is made."""
    chips = lamps = 0
    lamp_ma = 0.0
    for part in board.parts:
        if net not in nets.get(part.ref, ()):
            continue
        if part.ref.startswith(("U", "IC")) or (
            len(part.package.lands) >= 5 and part.ref[:1] not in "JXP"
        ):
            chips += 1
        elif (
            part.ref.startswith(("D", "LED"))
            and "led" in f"{part.package.family}{part.value}".lower()
        ):
            lamps += 1
            lamp_ma += LED_MA
        elif (
            part.ref.startswith("R")
            and (value := ohms(part.value))
            and ground not in nets[part.ref]
        ):
            led = _lamp_behind(board, nets, part.ref, net)
            if led:
                lamps += 1
                lamp_ma += 1000.0 * max((volts or 5.0) - 2.0, 0.5) / max(value, 10.0)
    resistors = 1000.0 * (volts or 5.0) / between.between(net, ground)
    why = [
        f"{count} {word}{'' if count == 1 else 's'}"
        for count, word in ((chips, "chip"), (lamps, "lamp"))
        if count
    ]
    if resistors >= 0.1:
        why.append(f"{resistors:.1f} mA through resistors")
    return CHIP_MA * chips + lamp_ma + resistors, tuple(why)


def _lamp_behind(board: Board, nets: Mapping[str, set[str]], ref: str, net: str) -> bool:
    """Whether a resistor leads from a supply to a lamp."""
    other = nets[ref] - {net}
    return any(
        part.ref.startswith(("D", "LED")) and nets.get(part.ref, set()) & other
        for part in board.parts
    )


def _feeds(
    board: Board,
    nets: Mapping[str, set[str]],
    supplies: Sequence[str],
    volts: Mapping[str, float | None],
) -> dict[str, str]:
    """Which supply each one is made from: the next higher on a small chip or a regulator that
    touches both. One named as an input counts as the highest where its volts are not known.
    """
    found: dict[str, str] = {}
    for part in board.parts:
        if part.ref[:1] in ("C", "R", "J", "X", "D") or not (
            len(part.package.lands) <= 8 or _makes_supply(part.value)
        ):
            continue
        mine = {net: _rank(net, volts) for net in nets.get(part.ref, ()) if net in supplies}
        for low, high in itertools.pairwise(sorted(mine, key=lambda net: (mine[net], net))):
            if mine[high] > mine[low]:
                found[low] = high
    return found


def _rank(net: str, volts: Mapping[str, float | None]) -> float:
    value = volts.get(net)
    if value is not None:
        return value
    return 99.0 if net.upper().lstrip("/+").startswith(INPUTS) else 0.0


def _makes_supply(value: str) -> bool:
    return any(word in value.lower() for word in ("regulator", "ldo", "converter", "buck", "boost"))


def _made_volts(board: Board, nets: Mapping[str, set[str]], net: str) -> float | None:
    """Volts as written beside the regulator that makes a supply."""
    if net.upper().lstrip("/+").startswith(INPUTS):
        return None
    for part in board.parts:
        written = _MADE.search(part.value)
        if written and _makes_supply(part.value) and net in nets.get(part.ref, ()):
            return float(written.group(1).replace(",", ".")) or None
    return None


def _comes_through(net: str, top: str, above: Mapping[str, str]) -> bool:
    seen = set()
    while net in above and net not in seen:
        seen.add(net)
        net = above[net]
        if net == top:
            return True
    return False


def _stored(board: Board, nets: Mapping[str, set[str]], net: str, ground: str) -> float:
    """Farads from a supply to ground."""
    return math.fsum(
        farads(part.value) or 0.0
        for part in board.parts
        if part.ref[:1] == "C" and nets.get(part.ref) == {net, ground}
    )


# what steps prove
def joints_of(step: FunctionStep, board: Board) -> tuple[str, ...]:
    """The joints a step names, a part's name for all of its pins."""
    found = []
    for name in step.joints:
        part = next((one for one in board.parts if one.ref == name), None)
        if part is not None:
            found += [f"{part.ref}.{land.pin}" for land in part.package.lands]
        else:
            found.append(name)
    return tuple(dict.fromkeys(found))


def joints_named(text: str, board: Board) -> tuple[str, ...]:
    """Joints and parts as typed ("U1 U2.3"). Raises InvalidValue for one that is not there."""
    refs = {part.ref for part in board.parts}
    pins = {f"{part.ref}.{land.pin}" for part in board.parts for land in part.package.lands}
    words = text.replace(",", " ").split()
    for word in words:
        if word not in refs and word not in pins:
            raise InvalidValue("joints", f"there is no part or pin {word} on this board")
    return tuple(dict.fromkeys(words))
