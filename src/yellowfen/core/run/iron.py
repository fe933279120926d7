"""Soldering by iron: tacks, then row after row, or joint after joint."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from urllib.parse import quote

from yellowfen.core.part.package import JointKind, Package
from yellowfen.core.quantity.units import MM, SECONDS, with_unit
from yellowfen.core.run.did import Did, LedgerEntry, Pins
from yellowfen.core.run.heat_cues import shortened
from yellowfen.core.run.machine import Cue, Effect, RunRule, Script, SetUp
from yellowfen.core.run.pad_heats import PadHeats
from yellowfen.core.run.run import SKIP, BenchRun, Key, KindOfRun
from yellowfen.core.work.iron_rows import IronRow
from yellowfen.core.work.technique import corners_to_tack


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
        return Script(rule=_RULE, cues=(done,), closing="Inspect its joints.")
    cues = (
        *(_tack(plan, pin) for pin in plan.tacks),
        *(_row(plan, row, number) for number, row in enumerate(plan.rows, 1)),
    )
    return Script(rule=_RULE, cues=cues, closing="Every joint is done. Inspect them.")


def _set_up(plan: IronPlan) -> tuple[SetUp, ...]:
    return (SetUp(state=plan.iron, change=f"Set the iron: {plan.iron}"),) if plan.iron else ()


def _tack(plan: IronPlan, pin: str) -> Cue:
    return Cue(
        key=f"tack {pin}",
        name=plan.refs[0] if plan.refs else "",
        title=f"Tack pin {pin}",
        press=f"Pin {pin} holds",
        detail="a little solder on the tip, the part held straight",
        mind="check all sides before the next one",
        set_ups=_set_up(plan),
        group="tack",
        refs=plan.refs,
        pin=pin,
    )


def _row(plan: IronPlan, row: IronRow, number: int) -> Cue:
    """A row dragged along, or one joint."""
    first, last = row.pins[0], row.pins[-1]
    one = len(row.pins) == 1
    tab = one and first in plan.tabs
    if tab:
        title = f"Heat the tab, pin {first}"
    elif one and first in plan.tacks:
        title = f"Pin {first} once more, with flux"
    else:
        title = f"Solder pin {first}" if one else f"Drag pins {first} to {last}"
    wire = (
        f"{with_unit(row.wire_mm, MM, 1)} of wire"
        if one
        else f"{with_unit(row.wire_mm, MM, 0)} of wire, fed"
    )
    slow = ", ".join(row.slow_pins)
    longer = f"stay longer at {slow}: connected to a plane" if slow else ""
    return Cue(
        key=f"row {number}",
        name=plan.refs[0] if plan.refs else "",
        title=title,
        press=f"Pin {first} is done" if one else f"Row {number} is done",
        detail=wire if tab else f"{wire}, about {with_unit(max(row.row_s, 1.0), SECONDS, 0)}",
        mind="stay until solder has run under the whole tab and it settles" if tab else longer,
        set_ups=_set_up(plan),
        group="row",
        refs=plan.refs,
        pin=first,
    )


def _entries(run: BenchRun, pins: Pins, board: str, stored: int) -> Iterator[LedgerEntry]:
    """The joints that were soldered, each as it was tacked or done."""
    plan = run.planned(IronPlan)
    if not plan.rows:  # a record of what was done without the clock; earlier ones have no tap
        if run.script.cues and run.taps and not run.state.done:
            return
        at = run.taps[-1].order if run.taps else stored
        for ref in plan.refs:
            for pin in pins.get(ref, ()):
                heats = {(ref, pin): PadHeats(heats=1)}
                yield run.entry(Did.BY_IRON, at=at, ref=ref, pin=pin, how="last", pads=heats)
        return
    ref = plan.refs[0]
    touched: set[str] = set()
    rows: dict[str, tuple[str, ...]] = {f"tack {pin}": (pin,) for pin in plan.tacks}
    rows |= {f"row {number}": row.pins for number, row in enumerate(plan.rows, 1)}
    wanted = {pin for row in plan.rows for pin in row.pins}
    soldered: set[str] = set()
    for cue, _, at in sorted(run.answers(run.state.done), key=lambda row: row[2]):
        soldered |= set(rows.get(cue, ())) if not cue.startswith("tack ") else set()
        for pin in rows.get(cue, ()):
            given = {(ref, pin): PadHeats(again=1) if pin in touched else PadHeats(heats=1)}
            touched.add(pin)
            how = "tack" if cue.startswith("tack ") else "last" if soldered >= wanted else ""
            yield run.entry(Did.BY_IRON, at=at, ref=ref, pin=pin, how=how, pads=given)


def _back(run: BenchRun) -> str:
    """The part's card, or the adapter whose pins lie on no side."""
    refs, side = run.targets, run.side
    if len(refs) == 1 and run.plan.rows:
        return f"ready/iron/{quote(refs[0])}" if side else f"adapter?of={quote(refs[0])}"
    return f"ready?side={side}" if side else "ready"


_RULE = RunRule(words={"done": Effect.DONE, "skipped": Effect.LATER, "trouble": Effect.ASIDE})
IRON = KindOfRun(
    name="iron",
    plan=IronPlan,
    script=lambda plan, _: iron_script(plan),
    rule=_RULE,
    keys={"skipped": SKIP, "trouble": Key(say="Trouble", press="t", hint="t")},
    doing="by iron",
    spent="iron",
    did=lambda run: f"{shortened(run.targets)} by iron",
    caution=lambda plan: (
        "Burns: keep the iron in its stand between joints. Ventilate; keep your face out of the fumes."
        " Wash your hands after leaded solder."
    ),
    back=_back,
    onward=("look", "Inspect the joints"),
    targets=lambda plan: plan.refs,
    set_to=lambda plan: f"by iron, {plan.iron}" if plan.iron else "by iron",
    entries=_entries,
    solders=True,
)
