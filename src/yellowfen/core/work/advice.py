"""What in a design costs minutes and failures by hand, in order of what a change would save on one
board.

Laws: every item says what it is, for which parts, what to do instead, and the minutes a builder
saves per board; minutes are expected ones: time at the bench and the share of failures times their
repair, all registered below.
"""

import math
from collections import Counter, defaultdict
from collections.abc import Iterator
from dataclasses import dataclass

from yellowfen.core.board.board import Board, BoardPart, Pad
from yellowfen.core.deposit.paste_plan import PastePlan
from yellowfen.core.metal.paste import paste_named
from yellowfen.core.part.direction import direction_of
from yellowfen.core.part.package import Package
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.quantity.wording import counted
from yellowfen.core.source.mark import Mark, constant
from yellowfen.core.work.technique import BenchTools, techniques
from yellowfen.core.work.triage import HEAVY_MG, FlagKind, Surroundings, Triaged, triage

_MEMORY = Mark.FROM_MEMORY
PART_MIN = constant(
    "minutes_per_part",
    0.75,
    "min",
    mark=Mark.COMMON_PRACTICE,
    source="25 parts take a practised hand about 5 min to paste, place and heat, a hobby builder 3 to 5 times that",
    affects="advice: part count",
)
TURN_MIN = constant(
    "minutes_per_turn",
    0.25,
    "min",
    mark=_MEMORY,
    source="turning the board and finding one's place again",
    affects="advice: orientations",
)
TINY_FAIL = constant(
    "fail_tiny",
    0.15,
    "1",
    mark=_MEMORY,
    source="0402 and smaller: lost, skewed or tombstoned",
    affects="advice: tiny parts",
)
FINE_FAIL = constant(
    "fail_fine_pitch",
    0.5,
    "1",
    mark=Mark.COMMON_PRACTICE,
    source="half of hand-pasted fine-pitch parts bridge",
    affects="advice: fine pitch",
)
HIDDEN_FAIL = constant(
    "fail_hidden",
    0.25,
    "1",
    mark=_MEMORY,
    source="leadless part floats, or its edge stays open",
    affects="advice: hidden joints",
)
SHY_FAIL = constant(
    "fail_shy",
    0.2,
    "1",
    mark=_MEMORY,
    source="about one in five controller-LEDs cooked with lead-free hot air",
    affects="advice: heat-sensitive beside heavy",
)
STAND_FAIL = constant(
    "fail_uneven_pads",
    0.2,
    "1",
    mark=_MEMORY,
    source="chip with one end on a plane",
    affects="advice: missing relief",
)
BACKWARDS_FAIL = constant(
    "fail_unmarked",
    0.1,
    "1",
    mark=_MEMORY,
    source="a part without a printed mark is fitted in the wrong orientation",
    affects="advice: polarity marks",
)
REPAIR_MIN = constant(
    "minutes_per_repair",
    4.0,
    "min",
    mark=_MEMORY,
    source="finding and touching up one bad joint or part",
    affects="advice: failures",
)
SWAP_MIN = constant(
    "minutes_per_swap",
    8.0,
    "min",
    mark=_MEMORY,
    source="removing a part and fitting another",
    affects="advice: failures",
)
SLOW_PIN_MIN = constant(
    "minutes_per_plane_pin",
    0.5,
    "min",
    mark=_MEMORY,
    source="a plane-tied pin takes the iron 2 to 4 times as long, with a wait for the tip",
    affects="advice: missing relief",
)
SECOND_SIDE_MIN = constant(
    "minutes_second_side",
    12.0,
    "min",
    mark=Mark.COMMON_PRACTICE,
    source="stencil or dots, heat and cooling once more",
    affects="advice: second side",
)
ALIGN_MIN = constant(
    "minutes_alignment",
    5.0,
    "min",
    mark=Mark.COMMON_PRACTICE,
    source="aligning a stencil by eye, of 5 to 15 min set-up",
    affects="advice: tooling holes",
)
SHY_NEAR_MM, ARRAY_OF, FIDUCIAL_MM, TOOLING_MM = 5.0, 4, (0.5, 2.2), 1.4


@dataclass(frozen=True, kw_only=True)
class Advice:
    """One thing to change: title, sentence, parts, minutes saved per board by hand."""

    kind: str
    title: str
    sentence: str
    refs: tuple[str, ...]
    saves_min: float


def advise(board: Board) -> tuple[Advice, ...]:
    """What to change on the next board, the most telling first; nothing for a board without parts."""
    if not board.parts:
        return ()
    judged = triage(board)
    pads: dict[str, list[Pad]] = defaultdict(list)
    for pad in board.pads:
        if pad.ref:
            pads[pad.ref].append(pad)
    found = [
        *_count(board),
        *_turns(board),
        *_flagged(judged),
        *_relief(board, pads),
        *_shy(board),
        *_marks(board),
        *_sides(board),
        *_holes(board),
    ]
    return tuple(
        sorted((one for one in found if one.saves_min > 0.05), key=lambda one: -one.saves_min)
    )


def build_minutes(board: Board) -> float:
    """What one board's parts cost a builder with hot air and an iron, min, as Ready reckons it for
    a new job: the ways that take least, without failures and set-up.
    """
    tools = BenchTools(stencil=bool(board.openings))
    return techniques(board, paste_named(PastePlan().paste), tools).minutes


def _refs(parts: list[BoardPart]) -> tuple[str, ...]:
    return tuple(part.ref for part in parts)


def _count(board: Board) -> Iterator[Advice]:
    groups: dict[tuple[str, str, str], list[BoardPart]] = defaultdict(list)
    for part in board.parts:
        if part.package.family == "chip" and part.value:
            groups[(part.value, part.package.name, part.side)].append(part)
    arrays = {
        key: group
        for key, group in groups.items()
        if key[0]
        and key[0][0].isascii()
        and key[0][0].isdigit()
        and _resistors(group)
        and len(group) >= ARRAY_OF
    }
    saved = sum(len(group) - math.ceil(len(group) / ARRAY_OF) for group in arrays.values())
    if saved:
        refs = tuple(ref for group in arrays.values() for ref in _refs(group))
        yield Advice(
            kind="part count",
            title="Resistors that could be arrays",
            sentence=f"{len(refs)} equal resistors as arrays of {ARRAY_OF} save {saved} parts; the number of parts costs most",
            refs=refs,
            saves_min=saved * PART_MIN,
        )
    zero = [
        part
        for part in board.parts
        if part.package.family == "chip"
        and part.value.replace(" ", "").lower() in ("0", "0r", "0ω", "0ohm", "0ohms")
    ]
    if zero:
        yield Advice(
            kind="part count",
            title="Links that could be copper",
            sentence=f"{counted(len(zero), 'link')} of 0 Ω could be tracks or solder bridges",
            refs=_refs(zero),
            saves_min=len(zero) * PART_MIN,
        )


def _resistors(group: list[BoardPart]) -> bool:
    return all(part.ref[:1].upper() == "R" for part in group)


def _turns(board: Board) -> Iterator[Advice]:
    for side in ("top", "bottom"):
        directed = [
            part
            for part in board.parts
            if part.side == side and direction_of(part.package) is not None
        ]
        angles = Counter(round(part.rotation_deg) % 360 for part in directed)
        spare = len(angles) - 1
        if spare > 0:
            common = angles.most_common(1)[0][0]
            odd = [part for part in directed if round(part.rotation_deg) % 360 != common]
            like = (
                f"{common}° like most"
                if angles[common] > len(directed) / 2
                else f"{common}°, all of them,"
            )
            sentence = f"{len(directed)} parts with an orientation lie at {len(angles)} angles; at {like} they need no turn of the board and fewer are fitted wrongly"
            saves = spare * TURN_MIN + len(odd) * BACKWARDS_FAIL * SWAP_MIN * 0.25
            yield Advice(
                kind="orientations",
                title=f"One orientation for all parts on the {side}",
                sentence=sentence,
                refs=_refs(odd),
                saves_min=saves,
            )


# What a flag of the triage costs: its kind and least weight, title, sentence after the number of
# parts, minutes a part.
_FLAGGED = (
    (
        FlagKind.SIZE,
        0.5,
        "0402 and smaller",
        "would be much easier as 0603: fewer lost, fewer tombstones",
        TINY_FAIL * REPAIR_MIN,
    ),
    (
        FlagKind.PITCH,
        3.0,
        "Pitch of 0.5 mm and finer",
        f"at {FINE_FAIL:.0%} bridged when pasted by hand; choose wider packages, or plan a stencil",
        FINE_FAIL * REPAIR_MIN,
    ),
    (
        FlagKind.HIDDEN,
        3.0,
        "Hidden pads",
        "whose joints cannot be seen or reached by an iron; versions with leads can be touched up",
        HIDDEN_FAIL * SWAP_MIN,
    ),
    (
        FlagKind.ROOM,
        2.0,
        "No room for tweezers",
        "have no two free opposite sides; 1 mm more between neighbours is enough",
        0.5 * PART_MIN,
    ),
)


def _flagged(judged: tuple[Triaged, ...]) -> Iterator[Advice]:
    for kind, least, title, sentence, minutes in _FLAGGED:
        parts = [
            one.part
            for one in judged
            if any(flag.kind is kind and flag.weight >= least for flag in one.flags)
        ]
        if parts:
            yield Advice(
                kind=str(kind),
                title=title,
                sentence=f"{counted(len(parts), 'part')} {sentence}",
                refs=_refs(parts),
                saves_min=len(parts) * minutes,
            )


def _relief(board: Board, pads: dict[str, list[Pad]]) -> Iterator[Advice]:
    solid = {
        part.ref: [pad for pad in pads[part.ref] if pad.tie == "solid"]
        for part in board.parts
        if not _wants_plane(part.package)
    }
    slow = [ref for ref, tied in solid.items() if tied]
    if not slow:
        return
    uneven = [ref for ref in slow if len(pads[ref]) == 2 and len(solid[ref]) == 1]
    saves = (
        sum(len(solid[ref]) for ref in slow) * SLOW_PIN_MIN + len(uneven) * STAND_FAIL * REPAIR_MIN
    )
    tail = (
        f"; {len(uneven)} of them are chips with only one end on the plane, which tombstone"
        if uneven
        else ""
    )
    yield Advice(
        kind="thermal relief",
        title="Pads solid on a plane",
        sentence=f"{counted(len(slow), 'part has', 'parts have')} pads without thermal relief{tail}; add it to signal pads",
        refs=tuple(slow),
        saves_min=saves,
    )


def _wants_plane(package: Package) -> bool:
    """Parts that cool themselves through the board on purpose."""
    return (
        package.has_thermal_pad or package.family == "tab" or package.name in ("SOT-223", "SOT-89")
    )


def _shy(board: Board) -> Iterator[Advice]:
    around = Surroundings(board)
    pairs = [
        (part, other)
        for part in board.parts
        if part.package.heat_shy
        for _, other in around.near(part, SHY_NEAR_MM)
        if not other.package.heat_shy
        and (other.package.mass_mg > HEAVY_MG or _wants_plane(other.package))
    ]
    shy = list(dict.fromkeys(part.ref for part, _ in pairs))
    if shy:
        said = ", ".join(f"{part.ref} by {other.ref}" for part, other in pairs[:4])
        yield Advice(
            kind="heat-shy",
            title="Heat-sensitive beside heavy",
            sentence=f"{said}: the heat for the heavy part damages the other; {with_unit(SHY_NEAR_MM, MM)} of distance lets you heat one alone",
            refs=tuple(shy),
            saves_min=len(shy) * SHY_FAIL * SWAP_MIN,
        )


def _marks(board: Board) -> Iterator[Advice]:
    bare = [
        part
        for part in board.parts
        if direction_of(part.package) is not None and board.printed_marks.get(part.ref) == "none"
    ]
    under = [
        part
        for part in board.parts
        if direction_of(part.package) is not None
        and board.printed_marks.get(part.ref) == "under the body"
    ]
    if bare:
        yield Advice(
            kind="polarity marks",
            title="No printed mark",
            sentence=f"{counted(len(bare), 'part with an orientation has', 'parts with an orientation have')} nothing printed at pin 1; print a dot outside the body",
            refs=_refs(bare),
            saves_min=len(bare) * BACKWARDS_FAIL * SWAP_MIN,
        )
    if under:
        yield Advice(
            kind="polarity marks",
            title="Marks hidden by the part",
            sentence=f"{counted(len(under), 'part covers its', 'parts cover their')} own printed mark: it cannot be checked once placed",
            refs=_refs(under),
            saves_min=len(under) * BACKWARDS_FAIL * SWAP_MIN / 2,
        )


def _sides(board: Board) -> Iterator[Advice]:
    by_side = {
        side: [part for part in board.parts if part.side == side] for side in ("top", "bottom")
    }
    few = min(by_side.values(), key=len)
    if few:
        sentence = f"{counted(len(few), 'part on the second side costs', 'parts on the second side cost')} another print, another heat, and parts that may drop; on one side the board is built in one go"
        yield Advice(
            kind="second side",
            title="Parts on both sides",
            sentence=sentence,
            refs=_refs(few),
            saves_min=SECOND_SIDE_MIN,
        )


def fiducials(board: Board) -> list[Pad]:
    """Round bare pads that belong to no part and carry no paste: marks to align by."""
    return [
        pad
        for pad in board.pads
        if pad.ref is None
        and pad.paste_mm2 == 0
        and FIDUCIAL_MM[0] <= pad.size_x_mm <= FIDUCIAL_MM[1]
        and abs(pad.size_x_mm - pad.size_y_mm) < 0.05
        and abs(pad.area_mm2 / (math.pi / 4 * pad.size_x_mm**2) - 1) < 0.03
    ]


def _holes(board: Board) -> Iterator[Advice]:
    if not board.layers:
        return
    tooling = [hole for hole in board.holes if hole.drill_mm >= TOOLING_MM and hole.x2_mm is None]
    if len(tooling) < 2 and len(fiducials(board)) < 2:
        yield Advice(
            kind="alignment",
            title="Nothing to align a stencil with",
            sentence="no two tooling holes and no two fiducials: pins through two holes would align a stencil quickly",
            refs=(),
            saves_min=ALIGN_MIN,
        )
