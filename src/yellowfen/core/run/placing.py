"""Placing parts on paste: part by part, how the board lies, what to fetch, which way round."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.part.direction import direction_of
from yellowfen.core.run.did import Did, LedgerEntry, Pins
from yellowfen.core.run.machine import Cue, Effect, RunRule, Script, SetUp
from yellowfen.core.run.run import SKIP, BenchRun, Key, KindOfRun
from yellowfen.core.work.kit import line_key
from yellowfen.core.work.order import Step, either_way

_WAYS_ROUND = {
    "shown": "pin 1 is printed on the board",
    "under the body": "its mark on the board lies under the body",
    "none": "nothing is printed on the board: use pad 1",
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
        return "any orientation", ""
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
    return Script(
        rule=_RULE,
        cues=tuple(_placed(step, batches) for step in plan.steps),
        closing="All parts of this side are placed.",
        of_group="of this value",
    )


def _placed(step: PlacingStep, batches: int) -> Cue:
    """One part placed. Parts without a value are nobody's "same again": what they are is not known."""
    kind = f"{step.value} | {step.package}" if step.value else ""
    where = f" from {step.where}" if step.where else ""
    what = f"{step.package}{where}"
    batch = f"batch {step.batch + 1} of {batches}" if batches > 1 else ""
    anew = "put paste on the next parts only now" if step.anew else ""
    lies = SetUp(
        state=f"{step.turn_deg:g}",
        change="Turn the board as shown",
        first="Lay the board as shown",
    )
    fetched = SetUp(
        state=kind or step.ref,
        change=f"Fetch: {what}" if what else "",
        same=f"Same part again: {what}",
    )
    return Cue(
        key=step.ref,
        name=step.ref,
        title=step.value or step.package or step.ref,
        press=f"Placed: {step.ref}",
        detail=step.way if step.directed else "",
        mind="; ".join(said for said in (step.mark, anew, batch) if said),
        set_ups=(lies, fetched),
        group=kind,
        refs=(step.ref,),
        turn_deg=step.turn_deg,
        pin=step.pin if step.directed else "",
        shape=step.package if step.directed else "",
    )


def _entries(run: BenchRun, pins: Pins, board: str, stored: int) -> Iterator[LedgerEntry]:
    """What was placed, left out, and what the order still waits for."""
    if not run.taps:
        return
    for ref, _, at in run.answers(run.state.done):
        yield run.entry(Did.PLACED, at=at, ref=ref)
    for ref, word, at in run.answers(run.state.aside):
        yield run.entry(Did.LEFT_OUT, at=at, ref=ref, how=word)
    for ref in run.state.to_do:
        yield run.entry(Did.AWAITED, at=run.taps[-1].order, ref=ref)


_RULE = RunRule(
    words={
        "placed": Effect.DONE,
        "skipped": Effect.LATER,
        "dropped": Effect.STAYS,
        "missing": Effect.ASIDE,
        "doubtful": Effect.ASIDE,
    },
    any_order=True,
)
PLACE = KindOfRun(
    name="place",
    plan=PlacingPlan,
    script=lambda plan, _: placing_script(plan),
    rule=_RULE,
    keys={
        "skipped": SKIP,
        "dropped": Key(say="Dropped", press="d", hint="d"),
        "missing": Key(say="Missing", press="m", hint="m"),
        "doubtful": Key(say="Orientation unclear", press="p", hint="p"),
    },
    doing="placing",
    spent="placing",
    did=lambda run: "placed",
    caution=lambda plan: "Use tweezers, not fingers. Static-sensitive parts: wear a wrist strap.",
    back="place",
    onward=("heat", "On to Heat"),
    entries=_entries,
    task="place",
)
