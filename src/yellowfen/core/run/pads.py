"""Pads of a removed part, cleaned and made ready for its refit."""

from collections.abc import Iterator
from dataclasses import dataclass
from urllib.parse import quote

from yellowfen.core.quantity.units import MM, SECONDS, with_unit
from yellowfen.core.run.did import Did, LedgerEntry, Pins
from yellowfen.core.run.machine import Cue, Effect, RunRule, Script, SetUp
from yellowfen.core.run.pad_heats import PadHeats
from yellowfen.core.run.run import SKIP, BenchRun, Key, KindOfRun

# What is done about a damage that is found at a bare pad, step by step (common practice).
REMEDIES: dict[str, tuple[str, ...]] = {
    "lifted pad": (
        "flat and still on its track: flux, a drop of epoxy under it, press, cure, then little heat",
        "torn off: cut it away and run a wire to the next point of its net",
    ),
    "torn track": (
        "scrape both ends bare, tin them, bridge them with the wire below",
        "mask over it",
    ),
    "mask gone": ("mask or varnish over it before solder runs along the track",),
}
FOR_SPARES = "three pads gone under one part: the board is for spares"


@dataclass(frozen=True, kw_only=True)
class PadStep:
    """One pad to be cleaned or given solder: mm of solder wick and wire, seconds, the longest rest."""

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
    flux = Cue(
        key="flux",
        name=plan.ref,
        title="Put flux on all pads",
        press="Flux is on",
        detail="use a fresh end of solder wick; a little solder on the tip carries the heat",
        refs=(plan.ref,),
    )
    must = [
        Cue(key=f"must {number}", name=plan.ref, title=said, press="Done", refs=(plan.ref,))
        for number, said in enumerate(plan.must, 1)
    ]
    clean = Cue(
        key="clean",
        name=plan.ref,
        title="Clean with alcohol and brush, remove lint, inspect the bare pads",
        press="They are clean and undamaged",
        detail="if a pad moves, a track is torn or mask is gone, report it at that pad",
        mind="use alcohol only on a cold board, never near hot air",
        refs=(plan.ref,),
    )
    return Script(
        rule=_RULE,
        cues=(flux, *(_pad(plan, step) for step in plan.steps), *must, clean),
        closing="The pads are ready for the refit.",
        of_group="of these pads",
        tail=(*(cue.key for cue in must), clean.key),
    )


def _pad(plan: PadsRun, step: PadStep) -> Cue:
    """One pad wicked, filled or levelled."""
    wick = f"{with_unit(plan.wick_width_mm, MM)} solder wick"
    work = [f"{with_unit(step.wick_mm, MM, 1)} of solder wick"] if step.wick_mm else []
    work += [f"add {with_unit(step.wire_mm, MM, 1)} of wire"] if step.wire_mm else []
    longest = f"{with_unit(step.longest_s, SECONDS, 0)} at most"
    seconds = (
        longest
        if step.seconds is None
        else f"about {with_unit(step.seconds, SECONDS, 1)}, {longest}"
    )
    return Cue(
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


def _entries(run: BenchRun, pins: Pins, board: str, stored: int) -> Iterator[LedgerEntry]:
    """Pads that were cleaned or damaged, and whether all of them are done."""
    plan = run.planned(PadsRun)
    mine = {f"pad {one.pin}": one.pin for one in plan.steps}
    for cue, _, at in run.answers(run.state.done):
        if cue in mine:
            pin = mine[cue]
            heats = {(plan.ref, pin): PadHeats(bare=1)}
            yield run.entry(Did.CLEANED, at=at, ref=plan.ref, pin=pin, how=plan.want, pads=heats)
    for cue, word, at in run.answers(run.state.aside):
        if cue in mine:
            pin = mine[cue]
            heats = {(plan.ref, pin): PadHeats(bare=1)}
            yield run.entry(Did.DAMAGED, at=at, ref=plan.ref, pin=pin, how=word, pads=heats)
    if run.taps and run.state.over:
        yield run.entry(Did.PADS_DONE, at=run.taps[-1].order, ref=plan.ref)


_RULE = RunRule(
    words={
        "done": Effect.DONE,
        "skipped": Effect.LATER,
        "lifted pad": Effect.ASIDE,
        "torn track": Effect.ASIDE,
        "mask gone": Effect.ASIDE,
    },
    any_order=True,
    corrects=True,
)
PADS = KindOfRun(
    name="pads",
    plan=PadsRun,
    script=lambda plan, _: pads_script(plan),
    rule=_RULE,
    keys={
        "skipped": SKIP,
        "lifted pad": Key(say="Lifted pad", press="l", hint="l"),
        "torn track": Key(say="Torn track", press="t", hint="t"),
        "mask gone": Key(say="Mask gone", press="k", hint="k"),
    },
    doing="pads",
    spent="pads",
    did=lambda run: f"pads of {run.plan.ref}",
    caution=lambda plan: (
        "Burns: solder wick and pads are hot. Ventilate; keep your face out of the fumes. Wash your hands."
    ),
    back=lambda run: f"pads?of={quote(run.plan.ref)}",
    onward=lambda run: (f"refit?of={quote(run.plan.ref)}", f"Refit {run.plan.ref}"),
    entries=_entries,
)
