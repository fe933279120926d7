"""The scripts of what is done at the bench but a heat's (`heat_script`) and a look's
(`look_script`): placing, paste by hand, the kit, rows by iron. Every word that is shown or spoken
is made here.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.deposit.hand_plan import HandPlan, HandStep
from yellowfen.core.part.direction import direction_of
from yellowfen.core.part.package import JointKind, Package
from yellowfen.core.quantity.wording import counted
from yellowfen.core.work.bench_run import Cue, RunKind, Script, SetUp, confirming, side_up
from yellowfen.core.work.iron_rows import IronRow
from yellowfen.core.work.kit import Line, line_key
from yellowfen.core.work.order import Step, either_way
from yellowfen.core.work.technique import corners_to_tack

_WAYS_ROUND = {
    "shown": "pin 1 is printed on the board",
    "under the body": "its mark on the board lies under the body",
    "none": "nothing is printed on the board: go by pad 1",
}


@dataclass(frozen=True, kw_only=True)
class PlacingStep:
    """One part to place, with what has to be known of it at the bench."""

    ref: str
    turn_deg: float
    batch: int = 0
    anew: bool = False
    value: str = ""
    package: str = ""
    where: str = ""
    way: str = ""
    mark: str = ""
    pin: str = ""
    directed: bool = False


@dataclass(frozen=True, kw_only=True)
class PlacingPlan:
    """The order of a placement run as it was at its start."""

    steps: tuple[PlacingStep, ...]


def way_round(board: Board, ref: str) -> tuple[str, str]:
    """Which way round a part goes, and what of it is printed on the board."""
    direction = direction_of(board.part(ref).package)
    if direction is None:
        return "either way round", ""
    return direction.look_for, _WAYS_ROUND.get(board.printed_marks.get(ref, ""), "")


def named_package(part: BoardPart) -> str:
    """A part's package in words: by its footprint where it is none that is known, "" without one."""
    return part.footprint if part.package.family == "unknown" else part.package.name


def placing_plan(board: Board, steps: Sequence[Step], places: Mapping[str, str]) -> PlacingPlan:
    """An order with all that is said of its parts; `places` by line of the kit."""
    found = []
    for step in steps:
        part = board.part(step.ref)
        way, mark = way_round(board, step.ref)
        found.append(
            PlacingStep(
                ref=step.ref,
                turn_deg=step.turn_deg,
                batch=step.batch,
                anew=step.anew,
                value=part.value,
                package=named_package(part),
                where=places.get(line_key(part), ""),
                way=way,
                mark=mark,
                pin=next((one.pin for one in part.package.lands if one.pin in ("1", "A1")), ""),
                directed=not either_way(part) and direction_of(part.package) is not None,
            )
        )
    return PlacingPlan(steps=tuple(found))


def placing_script(plan: PlacingPlan) -> Script:
    """Part by part: how the board lies, what to fetch, which way round."""
    batches = max((step.batch for step in plan.steps), default=0) + 1
    cues = []
    for step in plan.steps:
        # Parts without a value are nobody's "same again": what they are is not known.
        kind = f"{step.value} | {step.package}" if step.value else ""
        where = f" from {step.where}" if step.where else ""
        what = f"{step.package}{where}"
        batch = f"batch {step.batch + 1} of {batches}" if batches > 1 else ""
        anew = "paste from here on only now" if step.anew else ""
        cues.append(
            Cue(
                key=step.ref,
                name=step.ref,
                title=step.value or step.package or step.ref,
                press=f"Placed: {step.ref}",
                detail=step.way if step.directed else "",
                mind="; ".join(one for one in (step.mark, anew, batch) if one),
                set_ups=(
                    SetUp(
                        state=f"{step.turn_deg:g}",
                        change="Turn the board as shown",
                        first="Lay the board as shown",
                    ),
                    SetUp(
                        state=kind or step.ref,
                        change=f"Fetch: {what}" if what else "",
                        same=f"Same again: {what}",
                    ),
                ),
                group=kind,
                refs=(step.ref,),
                turn_deg=step.turn_deg,
                pin=step.pin if step.directed else "",
                shape=step.package if step.directed else "",
            )
        )
    return Script(
        kind=RunKind.PLACE,
        cues=tuple(cues),
        closing="All parts of this side are placed.",
        of_group="of this value",
    )


def hand_script(plan: HandPlan) -> Script:
    """Paste by hand: dots, lines and dabs, needle by needle."""
    cues = []
    for number, step in enumerate(plan.steps):
        needle = f"{step.gauge} gauge" if step.gauge else "knife or pick"
        wide = f"{step.spots[0].width_mm:.1f} mm wide" if step.spots else ""
        pin = f" pin {step.pins[0]}" if len(step.pins) == 1 else ""
        first = number == 0 or step.batch != plan.steps[number - 1].batch
        batch = f"batch {step.batch + 1} of {plan.batches}" if first and plan.batches > 1 else ""
        anew = "place what is dotted first; go on only then" if step.anew else ""
        said = "" if step.way == "line" else step.said
        cues.append(
            Cue(
                key=str(number),
                name=step.ref,
                title=_spots_in_words(step),
                press=f"Done: {step.ref}{pin}",
                detail=wide,
                mind="; ".join(one for one in (anew, said, batch) if one),
                set_ups=(SetUp(state=needle, change=f"Change to the {needle}", same=needle),),
                group=needle,
                refs=(step.ref,),
                spot=number,
                pin=step.pins[0] if len(step.pins) == 1 else "",
            )
        )
    return Script(
        kind=RunKind.PASTE,
        cues=tuple(cues),
        closing="Every pad has its paste. Place the parts.",
        of_group="with this needle",
    )


def _spots_in_words(step: HandStep) -> str:
    pins, spots = len(step.pins), len(step.spots)
    if step.way == "line":
        return f"One line across {pins} pads"
    evenly = pins > 1 and spots % pins == 0
    where = (
        f"on pin {step.pins[0]}"
        if pins == 1
        else f"on each of {pins} pads"
        if evenly
        else f"on {pins} pads"
    )
    mark = "dot" if step.gauge else "dab"
    return f"{counted(spots // pins if evenly else spots, mark)} {where}"


@dataclass(frozen=True, kw_only=True)
class KitLine:
    """A line of the pick list as it was when the check began."""

    key: str
    value: str = ""
    package: str = ""
    refs: tuple[str, ...] = ()
    take: int = 0
    spares: int = 0
    where: str = ""


@dataclass(frozen=True, kw_only=True)
class KitPlan:
    """What a kit check goes through."""

    lines: tuple[KitLine, ...]


def kit_plan(lines: Sequence[Line]) -> KitPlan:
    """The check of a pick list."""
    return KitPlan(
        lines=tuple(
            KitLine(
                key=one.key,
                value=one.value,
                package=one.package,
                refs=one.refs,
                take=one.take,
                spares=one.spares,
                where=one.where,
            )
            for one in lines
        )
    )


def kit_script(plan: KitPlan) -> Script:
    """Line by line: how many of what, and where they live."""
    cues = []
    for line in plan.lines:
        spare = f"; {line.spares} of them spare" if line.spares else ""
        value = line.value or line.package
        cues.append(
            Cue(
                key=line.key,
                name=str(line.take) if line.take else "",
                title=value,
                press="It is there",
                detail=f"{line.package + '; ' if line.value else ''}{', '.join(line.refs)}{spare}",
                mind=f"in {line.where}" if line.where else "",
                refs=line.refs,
            )
        )
    return Script(kind=RunKind.KIT, cues=tuple(cues), closing="Everything is there.")


@dataclass(frozen=True, kw_only=True)
class PadStep:
    """One pad to be cleaned or given solder: mm of wick and wire, seconds, the longest rest."""

    pin: str
    wick_mm: float = 0.0
    wire_mm: float = 0.0
    seconds: float | None = None
    longest_s: float = 5.0
    says: str = ""


@dataclass(frozen=True, kw_only=True)
class PadsRun:
    """The pads of a part in the order of the work, for what the refit wants on them; `must` comes
    last and for all.
    """

    ref: str
    steps: tuple[PadStep, ...]
    must: tuple[str, ...] = ()
    wick_width_mm: float = 2.0
    want: str = ""


def pads_script(plan: PadsRun) -> Script:
    """Flux, pad after pad, what must be, then alcohol and a look at the bare pads."""
    wick = f"{plan.wick_width_mm:g} mm wick"
    cues = [
        Cue(
            key="flux",
            name=plan.ref,
            title="Flux over all pads",
            press="Flux is on",
            detail="a fresh end of wick; a little solder on the tip carries the heat",
            refs=(plan.ref,),
        )
    ]
    for step in plan.steps:
        work = [f"{step.wick_mm:.1f} mm of wick"] if step.wick_mm else []
        work += [f"add {step.wire_mm:.1f} mm of wire"] if step.wire_mm else []
        longest = f"{step.longest_s:.0f} s at most"
        seconds = longest if step.seconds is None else f"about {step.seconds:.1f} s, {longest}"
        cues.append(
            Cue(
                key=f"pad {step.pin}",
                name=plan.ref,
                title=f"Pad {step.pin}",
                press=f"Pad {step.pin} is done",
                detail=f"{', '.join(work) or 'level it'}; {seconds}",
                mind=step.says,
                refs=(plan.ref,),
                pin=step.pin,
                group="pad",
                set_ups=(SetUp(state=wick, change=wick),) if step.wick_mm else (),
            )
        )
    cues += [
        Cue(key=f"must {number}", name=plan.ref, title=said, press="That is done", refs=(plan.ref,))
        for number, said in enumerate(plan.must, 1)
    ]
    cues.append(
        Cue(
            key="clean",
            name=plan.ref,
            title="Alcohol, brush, lint off; then look at the bare pads",
            press="They are clean and whole",
            detail="a pad that moves, a track that ends, mask that is gone: say so at the pad",
            mind="alcohol only when the board is cold; none near hot air",
            refs=(plan.ref,),
        )
    )
    return Script(
        kind=RunKind.PADS,
        cues=tuple(cues),
        closing="The pads are ready for the refit.",
        of_group="of these pads",
        tail=(*(f"must {number}" for number in range(1, len(plan.must) + 1)), "clean"),
    )


@dataclass(frozen=True, kw_only=True)
class PrintRun:
    """Boards to be printed through the stencil, by name; which way the blade is drawn (`stroke`),
    and what must be so before the first (`before`), a few words each.
    """

    boards: tuple[str, ...]
    stroke: str
    before: tuple[str, ...] = ()


def print_key(number: int) -> str:
    """The cue of a run's board, counted from 1."""
    return f"print {number}"


def print_script(plan: PrintRun) -> Script:
    """Board after board: laid, printed, looked at; what is bad is wiped off and printed anew."""
    wipe = "Wipe the foil, from below too"
    cues = tuple(
        Cue(
            key=print_key(number),
            name=f"Board {name}",
            title=f"One stroke {plan.stroke}",
            press="It looks good",
            detail="flat between the scraps, foil down; blade at 45 to 60°, firm; lift straight up; look",
            mind="smeared or missing: say so, and print it anew",
            anew="Wipe the board off with alcohol, let it dry; the foil too",
            set_ups=(
                SetUp(
                    state=f"foil wiped for {number}",
                    change=wipe,
                    first="; ".join(plan.before),
                ),
            ),
        )
        for number, name in enumerate(plan.boards, 1)
    )
    return Script(
        kind=RunKind.PRINT,
        cues=cues,
        closing=f"{wipe}: paste in fine openings dries in minutes. Then place the parts.",
    )


@dataclass(frozen=True, kw_only=True)
class WashStep:
    """One thing to do when washing, in a line, what to mind, how many minutes it takes at least."""

    title: str
    detail: str
    least_min: float = 0.0


@dataclass(frozen=True, kw_only=True)
class WashRun:
    """The steps of a washing in their order."""

    steps: tuple[WashStep, ...]


def wash_script(plan: WashRun) -> Script:
    """Step after step, until it is dry."""
    cues = tuple(
        Cue(
            key=f"wash {number}",
            name="Wash",
            title=step.title,
            press="It is done",
            detail=step.detail,
            group="wash",
            least_s=60 * step.least_min,
        )
        for number, step in enumerate(plan.steps, 1)
    )
    sure = tuple(confirming(cue) for cue in cues if cue.least_s)
    return Script(
        kind=RunKind.WASH, cues=cues, closing="Clean and dry.", of_group="of these", extras=sure
    )


@dataclass(frozen=True, kw_only=True)
class MendStep:
    """One bad joint and its remedy: what is wrong (of a bridge with which `other` pin), the steps,
    amounts and seconds in words, when to stop, on which `side` of the board.
    """

    ref: str
    pin: str
    fault: str
    steps: tuple[str, ...]
    amounts: str = ""
    touches: str = ""
    stop: str = ""
    side: str = ""
    other: str = ""

    @property
    def name(self) -> str:
        return f"{self.ref} pin {self.pin}" if self.pin else self.ref


@dataclass(frozen=True, kw_only=True)
class MendRun:
    """Bad joints in the order of the work; each is looked at again at the end."""

    steps: tuple[MendStep, ...]


AGAIN = "again "


def mend_script(plan: MendRun) -> Script:
    """Joint after joint, then a second look at those joints and no others, beginning with the side
    that lies up by then.
    """
    cues = [
        Cue(
            key=f"mend {step.ref}.{step.pin}",
            name=step.name,
            title=step.fault,
            press="It is done",
            detail="; ".join(
                part for part in ("; ".join(step.steps), step.amounts, step.touches) if part
            ),
            mind=step.stop,
            set_ups=side_up(step.side),
            refs=(step.ref,),
            pin=step.pin,
            group="mend",
        )
        for step in plan.steps
    ]
    cues += [
        Cue(
            key=f"{AGAIN}{step.ref}.{step.pin}",
            name=step.name,
            title="look again",
            press="It is good",
            detail=f"it was: {step.fault}",
            mind="the joints beside it as well",
            set_ups=side_up(step.side),
            refs=(step.ref,),
            pin=step.pin,
            group="look",
        )
        for step in sorted(plan.steps, key=lambda step: step.side != plan.steps[-1].side)
    ]
    return Script(
        kind=RunKind.MEND,
        cues=tuple(cues),
        closing="Every mend is looked at again.",
        of_group="of these",
        tail=tuple(cue.key for cue in cues if cue.key.startswith(AGAIN)),
    )


@dataclass(frozen=True, kw_only=True)
class IronPlan:
    """Parts by iron: the rows of one with its tacks, what iron is set to what.

    Without rows it is a record only: what was soldered by iron without the bench's run.
    """

    refs: tuple[str, ...]
    rows: tuple[IronRow, ...] = ()
    tacks: tuple[str, ...] = ()
    tabs: tuple[str, ...] = ()
    iron: str = ""


def iron_plan(ref: str, package: Package, rows: Sequence[IronRow], iron: str) -> IronPlan:
    """A part by iron: tacked at a small joint or two corners, then its rows or joints."""
    dragged = any(len(row.pins) > 1 for row in rows)
    ends = [pin for row in rows for pin in (row.pins[0], row.pins[-1])]
    if dragged:
        place = {land.pin: (land.x_mm, land.y_mm) for land in package.lands}
        far = max(ends, key=lambda pin: math.dist(place[pin], place[ends[0]]))
        corners = [ends[0], far, *(pin for pin in ends if pin not in (ends[0], far))]
        tacks = corners[: corners_to_tack(package)]
    else:
        tacks = ends[-1:] if len(rows) > 1 else []
    tabs = tuple(land.pin for land in package.lands if land.kind is JointKind.TAB)
    return IronPlan(refs=(ref,), rows=tuple(rows), tacks=tuple(tacks), tabs=tabs, iron=iron)


RECORD = "record"  # the one cue of what was soldered without the clock


def iron_script(plan: IronPlan) -> Script:
    """Tack, then row after row, or joint after joint with the tacked one once more at the end."""
    if not plan.rows:
        done = Cue(key=RECORD, title="Soldered without the clock", press="It is done")
        return Script(kind=RunKind.IRON, cues=(done,), closing="Look at its joints.")
    set_up = (SetUp(state=plan.iron, change=f"Set the iron: {plan.iron}"),) if plan.iron else ()
    ref = plan.refs[0] if plan.refs else ""
    cues = []
    for pin in plan.tacks:
        cue = Cue(
            key=f"tack {pin}",
            name=ref,
            title=f"Tack pin {pin}",
            press=f"Pin {pin} holds",
            detail="a little solder on the tip, the part held straight",
            mind="look at all sides before the next",
            set_ups=set_up,
            group="tack",
            refs=plan.refs,
            pin=pin,
        )
        cues.append(cue)
    for number, row in enumerate(plan.rows, 1):
        one = len(row.pins) == 1
        again = one and row.pins[0] in plan.tacks
        tab = one and row.pins[0] in plan.tabs
        title = (
            f"Heat the tab, pin {row.pins[0]}"
            if tab
            else f"Pin {row.pins[0]} once more, with flux"
            if again
            else f"Solder pin {row.pins[0]}"
            if one
            else f"Drag pins {row.pins[0]} to {row.pins[-1]}"
        )
        wire = f"{row.wire_mm:.1f} mm of wire" if one else f"{row.wire_mm:.0f} mm of wire, fed"
        slow = ", ".join(row.slow_pins)
        cue = Cue(
            key=f"row {number}",
            name=ref,
            title=title,
            press=f"Pin {row.pins[0]} is done" if one else f"Row {number} is done",
            detail=wire if tab else f"{wire}, about {max(row.row_s, 1.0):.0f} s",
            mind="stay until solder has run under the whole of it and it settles"
            if tab
            else f"stay longer at {slow}: on a plane"
            if slow
            else "",
            set_ups=set_up,
            group="row",
            refs=plan.refs,
            pin=row.pins[0],
        )
        cues.append(cue)
    return Script(kind=RunKind.IRON, cues=tuple(cues), closing="Every joint is done. Look at them.")
