"""The ledger of a board: written scenarios, and random jobs of any order, skips and undos."""

import random
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from enum import Enum
from typing import Any

import pytest

from yellowfen.core.heat.heat_plan import (
    Forecast,
    Goal,
    HeatPlan,
    LiftForecast,
    SourceKind,
    StopForecast,
    TargetForecast,
    usual_moves,
)
from yellowfen.core.heat.scene import Deed, Move
from yellowfen.core.rework.removal_steps import removal_run
from yellowfen.core.rework.ways_off import OffWay
from yellowfen.core.run.heat import HEAT
from yellowfen.core.run.iron import IRON, RECORD, IronPlan
from yellowfen.core.run.ledger import JointAt, Ledger, PartAt, ledger_of
from yellowfen.core.run.look import LOOK, LookJoint, LookPlan
from yellowfen.core.run.machine import Tap, allowed, undoable
from yellowfen.core.run.mend import MEND, MendRun, MendStep
from yellowfen.core.run.pad_heats import PadHeats, by_part
from yellowfen.core.run.pads import PADS, PadsRun, PadStep
from yellowfen.core.run.placing import PLACE, PlacingPlan, PlacingStep
from yellowfen.core.run.printing import PRINT, PrintRun
from yellowfen.core.run.removal import REMOVE
from yellowfen.core.run.run import BenchRun, KindOfRun
from yellowfen.core.run.stages import Progress, behind
from yellowfen.core.run.washing import WASH, WashRun, WashStep
from yellowfen.core.work.iron_rows import IronRow
from yellowfen.core.work.job import Purpose, Verdict

PINS = {"U4": ("1", "2", "3"), "C2": ("1", "2"), "R9": ("1", "2"), "J1": ("1", "2")}
SEEN = {**PINS, "U4": ("1", "2")}  # its third lies under the body


@dataclass
class Bench:
    """Runs on one board as they are tapped; every tap is stored after the one before it."""

    job: int = 1
    purpose: Purpose = Purpose.BUILD
    runs: list[BenchRun] = field(default_factory=list)
    stored: int = 0

    def begin(
        self, kind: KindOfRun, plan: Any, forecast: Forecast | None = None, side="top"
    ) -> int:  # type: ignore[no-untyped-def]
        number = len(self.runs) + 1
        self.runs.append(
            BenchRun(
                id=number,
                job_id=self.job,
                job_name="",
                board_id=1,
                board_name="",
                kind=kind,
                side=side,
                started_at="",
                plan=plan,
                forecast=forecast,
                purpose=self.purpose,
            )
        )
        return number - 1

    def tap(self, run: int, cue: str, word: str = "", text: str = "") -> bool:
        one = self.runs[run]
        self.stored += 1
        word = word or next(iter(one.kind.rule.words))
        new = Tap(
            key=f"k{self.stored}",
            cue=cue,
            word=word,
            at_ms=1000 * self.stored,
            text=text,
            order=self.stored,
        )
        if allowed(one.script, one.taps, new):
            return False
        self.runs[run] = replace(one, taps=(*one.taps, new))
        return True

    def undo(self, run: int) -> None:
        taps = self.runs[run].taps
        assert not undoable(taps, taps[-1].key)
        self.runs[run] = replace(self.runs[run], taps=taps[:-1])

    def all(self, run: int, *cues: str) -> None:
        for cue in cues:
            name, _, word = cue.partition("=")
            assert self.tap(run, name, word), cue

    @property
    def ledger(self) -> Ledger:
        return ledger_of(self.runs, PINS, on_from_start=self.purpose is not Purpose.BUILD)


def heat(*refs: str, lifts: bool = False, source: SourceKind = SourceKind.AIR) -> HeatPlan:
    return HeatPlan(
        targets=refs,
        goal=Goal.LIFT if lifts else Goal.SOLDER,
        source=source,
        moves=usual_moves(refs),
    )


def forecast(*refs: str, melts=(), along=(), stops=()) -> Forecast:  # type: ignore[no-untyped-def]
    targets = tuple(
        TargetForecast(ref=ref, flows_s=20.0 + n, early_s=15.0, late_s=40.0)
        for n, ref in enumerate(refs)
    )
    lift = LiftForecast(
        opens_s=20.0, closes_s=None, closed_by="", last_pin="", last_why="", along=along
    )
    return Forecast(targets=targets, melts=melts, lift=lift if along else None, stops=stops)


def placing(*refs: str) -> PlacingPlan:
    return PlacingPlan(steps=tuple(PlacingStep(ref=ref, turn_deg=0.0) for ref in refs))


def look(*refs: str) -> LookPlan:
    joints = [
        LookJoint(ref=ref, pin=pin, kind="gull wing", seen_from="from the left")
        for ref in refs
        for pin in PINS[ref]
    ]
    return LookPlan(joints=(*joints, *(LookJoint(ref=ref, pin="", kind="part") for ref in refs)))


def row(*pins: str) -> IronRow:
    return IronRow(
        pins=pins,
        pitch_mm=1.27,
        length_mm=2.0,
        joints_mm3=1.0,
        wire_mm=2.0,
        loads=1,
        load_wire_mm=1.0,
        flux_mm3=1.0,
        seconds=(1.0,) * len(pins),
        slow_pins=(),
    )


def progress(
    bench: Bench, *heated: str, noted: bool = False, fails: bool = False
) -> frozenset[str]:
    facts = Progress(
        refs=tuple(PINS),
        heated=tuple(("top", ref) for ref in heated),
        seen=SEEN,
        noted=noted,
        fails=fails,
    )
    return behind(bench.purpose, bench.job, bench.ledger, facts)


def heated(bench: Bench, *refs: str) -> None:
    run = bench.begin(HEAT, heat(*refs), forecast(*refs))
    bench.all(run, "start", *(f"flowed {ref}" for ref in refs), "away", "solid")


def lifted(bench: Bench, ref: str, along: tuple[str, ...] = ()) -> int:
    run = bench.begin(HEAT, heat(ref, lifts=True), forecast(ref, along=along))
    bench.all(run, "start", f"lifted {ref}", "away", "solid")
    return run


# written scenarios
def test_a_part_that_was_not_placed_is_not_soldered_and_is_named() -> None:
    bench = Bench()
    run = bench.begin(PLACE, placing("U4", "C2", "R9"))
    bench.all(run, "U4", "C2=missing")
    heated(bench, "U4", "C2", "R9")
    ledger = bench.ledger
    assert ledger.soldered(PINS) == ["U4"]
    assert ledger.parts["C2"].left_out == "missing"
    assert not ledger.parts["C2"].to_inspect
    assert ledger.pads.keys() == {("U4", pin) for pin in PINS["U4"]}
    open_now = dict(ledger.not_done(PINS, Purpose.BUILD, 1))
    assert open_now == {
        "C2": "left out: it was missing",
        "R9": "not placed",
        "J1": "not placed",
    }
    assert "heat" not in progress(bench, "U4", "C2", "R9")
    bench.all(run, "C2", "R9")  # put on now, and soldered by iron
    for ref in ("C2", "R9"):
        iron = bench.begin(IRON, IronPlan(refs=(ref,), rows=(row("1"), row("2"))))
        bench.all(iron, "row 1", "row 2")
    assert bench.ledger.soldered(PINS) == ["U4", "C2", "R9"]


def test_parts_by_iron_count_as_placed_joint_by_joint() -> None:
    bench = Bench()
    plan = IronPlan(refs=("U4",), rows=(row("1", "2"), row("3")), tacks=("1",))
    run = bench.begin(IRON, plan)
    bench.all(run, "tack 1", "row 1")
    part = bench.ledger.parts["U4"]
    assert part.at is PartAt.PLACED
    assert [part.joint_at(pin) for pin in PINS["U4"]] == [
        JointAt.SOLDERED,
        JointAt.SOLDERED,
        JointAt.PLACED,
    ]
    bench.all(run, "row 2")
    ledger = bench.ledger
    assert ledger.soldered(PINS) == ledger.placed(PINS) == ["U4"]
    assert ledger.pads["U4", "1"] == PadHeats(heats=1, again=1)  # tacked, and molten once more
    assert ledger.pads["U4", "2"] == PadHeats(heats=1)


def test_a_stop_that_was_not_seen_is_named_until_the_iron_has_done_it() -> None:
    bench = Bench()
    run = bench.begin(HEAT, heat("U4", "C2"), forecast("U4", "C2"))
    bench.all(run, "start", "flowed U4", "away", "solid")
    ledger = bench.ledger
    assert ledger.parts["C2"].unmelted
    assert dict(ledger.not_done(("U4", "C2"), Purpose.BUILD, 1)) == {
        "C2": "heated, not seen to melt"
    }
    iron = bench.begin(IRON, IronPlan(refs=("C2",), rows=(row("1"), row("2"))))
    bench.all(iron, "row 1", "row 2")
    assert not bench.ledger.parts["C2"].unmelted
    assert bench.ledger.soldered(PINS) == ["U4", "C2"]


def test_a_heat_without_the_clock_solders_what_it_says() -> None:
    bench = Bench()
    run = bench.begin(HEAT, heat("U4", "C2"), forecast("U4", "C2"))
    assert bench.ledger.placed(PINS) == []  # opened only
    bench.all(run, "unclocked")
    assert bench.runs[run].state.over
    assert bench.ledger.soldered(PINS) == ["U4", "C2"]


def test_neighbours_and_second_melts_are_told_apart() -> None:
    bench = Bench()
    melts = (("U4", "1", 1), ("U4", "2", 3), ("C2", "1", 2))
    run = bench.begin(HEAT, heat("U4"), forecast("U4", melts=melts))
    bench.all(run, "start", "away", "solid")
    assert bench.ledger.pads == {}  # nothing was seen to melt
    bench.undo(run)
    bench.undo(run)
    bench.all(run, "flowed U4", "away")
    assert bench.ledger.pads == {
        ("U4", "1"): PadHeats(heats=1),
        ("U4", "2"): PadHeats(heats=1, again=2),
        ("U4", "3"): PadHeats(heats=1),
        ("C2", "1"): PadHeats(likely=1),
    }


def test_the_way_off_is_the_parts_own_and_an_undone_lift_never_was() -> None:
    bench = Bench(purpose=Purpose.REWORK)
    alloy = bench.begin(REMOVE, removal_run("U4", OffWay.REMOVAL))
    bench.all(alloy, "step 1", "step 2", "step 3", "lifted U4")
    before = bench.ledger
    air = lifted(bench, "C2", along=("R9",))
    bench.all(air, "near R9=moved")
    now = bench.ledger
    assert (now.parts["U4"].came_off, now.parts["C2"].came_off) == (
        "removal alloy",
        "hot air, round nozzle",
    )
    assert now.removed() == ["U4", "C2"]
    assert now.moved() == ["R9"]
    assert dict(now.not_done(PINS, Purpose.REWORK, 1))["R9"].startswith("moved")
    for _ in range(5):
        bench.undo(air)
    assert replace_events(bench.ledger) == replace_events(before)
    record = replace(removal_run("J1", OffWay.CUT), steps=())  # done without the clock
    cut = bench.begin(REMOVE, record)
    assert bench.runs[cut].lifted == ()
    bench.all(cut, "lifted J1")
    assert bench.runs[cut].lifted == ("J1",)
    assert bench.ledger.parts["J1"].came_off == "leads cut at the body"
    assert ("J1", "1") not in bench.ledger.pads  # cutting melts nothing


def replace_events(ledger: Ledger) -> object:
    return ledger.parts, ledger.pads, ledger.printed, ledger.washed


def test_a_rework_is_behind_when_every_part_is() -> None:
    bench = Bench(purpose=Purpose.REWORK)
    parts = ("U4", "C2")
    facts = Progress(refs=parts, seen=SEEN)

    def now(**more: object) -> frozenset[str]:
        told = replace(facts, **more)  # type: ignore[arg-type]
        return behind(Purpose.REWORK, 1, bench.ledger, told)

    assert now() == frozenset()
    assert now(chosen=frozenset({"U4"})) == frozenset()  # one part of two
    assert now(chosen=frozenset(parts)) == {"survey"}
    lifted(bench, "U4")
    assert now(chosen=frozenset(parts)) == {"survey"}
    lifted(bench, "C2")
    assert now() == {"survey", "lift"}
    for ref in parts:
        plan = PadsRun(ref=ref, steps=tuple(PadStep(pin=pin) for pin in PINS[ref]))
        run = bench.begin(PADS, plan)
        bench.all(run, "flux", *(f"pad {pin}" for pin in PINS[ref]))
        assert "pads" not in now()
        bench.all(run, "clean")
    assert now() == {"survey", "lift", "pads"}
    heated(bench, "U4")
    assert "refit" not in now()
    heated(bench, "C2")
    assert now(noted=True) == {"survey", "lift", "pads", "refit"}  # nothing looked at: not done
    run = bench.begin(LOOK, look(*parts))
    bench.all(run, "U4.1=part good", "C2.1")
    assert "look" not in now(noted=True)
    bench.all(run, "C2.2")
    assert now() == {"survey", "lift", "pads", "refit", "look"}
    assert now(noted=True) >= {"look", "finish"}
    lifted(bench, "U4")  # once more
    assert now(noted=True) == {"survey", "lift"}


def test_a_lifted_pad_a_torn_track_and_bare_pads_belong_to_their_pins() -> None:
    bench = Bench(purpose=Purpose.REWORK)
    lifted(bench, "U4")
    plan = PadsRun(ref="U4", steps=tuple(PadStep(pin=pin) for pin in PINS["U4"]), want="bare")
    run = bench.begin(PADS, plan)
    bench.all(run, "flux", "pad 1", "pad 2=lifted pad", "pad 3=torn track")
    part = bench.ledger.parts["U4"]
    assert part.damage == {"2": "lifted pad", "3": "torn track"}
    assert [part.joint_at(pin) for pin in PINS["U4"]] == [
        JointAt.CLEAN,
        JointAt.REMOVED,
        JointAt.REMOVED,
    ]
    assert bench.ledger.pads["U4", "1"] == PadHeats(heats=1, bare=1)
    assert by_part(bench.ledger.pads) == {"U4": 1}


def test_what_a_touch_up_melts_counts_by_its_fault() -> None:
    bench = Bench()
    heated(bench, "U4", "C2")
    run = bench.begin(LOOK, look("U4", "C2"))
    bench.all(run, "U4.1=bridge", "C2.=skewed", "U4.3=solder balls")
    steps = (
        MendStep(ref="U4", pin="1", fault="bridge", steps=("wick",), other="2"),
        MendStep(ref="C2", pin="", fault="skewed", steps=("air",)),
        MendStep(ref="U4", pin="3", fault="solder balls", steps=("pick",)),
    )
    mends = bench.begin(MEND, MendRun(steps=steps))
    bench.all(mends, "mend U4.1", "mend C2.", "mend U4.3")
    heats = {pad: one.heats for pad, one in bench.ledger.pads.items()}
    assert heats == {
        ("U4", "1"): 2,
        ("U4", "2"): 2,
        ("U4", "3"): 1,
        ("C2", "1"): 2,
        ("C2", "2"): 2,
    }
    assert sorted(bench.ledger.parts["U4"].bad()) == ["1", "3"]  # until they are checked again
    bench.all(mends, "again U4.1", "again C2.", "again U4.3")
    assert bench.ledger.parts["U4"].bad() == []
    assert bench.ledger.parts["U4"].once_bad == {"1", "3"}  # the fault was there all the same


def test_a_mark_is_asked_for_again_once_its_joint_was_molten() -> None:
    bench = Bench()
    heated(bench, "U4")
    run = bench.begin(LOOK, look("U4"))
    bench.all(run, "U4.1=part good")
    assert not bench.ledger.parts["U4"].marks["1"].stale
    iron = bench.begin(IRON, IronPlan(refs=("U4",), rows=(row("1"),)))
    bench.all(iron, "row 1")
    marks = bench.ledger.parts["U4"].marks
    assert (marks["1"].stale, marks["2"].stale) == (True, False)


def test_a_part_found_missing_is_not_on_until_it_was_put_back() -> None:
    bench = Bench()
    heated(bench, "C2")
    run = bench.begin(LOOK, look("C2"))
    bench.all(run, "C2.=missing")
    assert bench.ledger.soldered(PINS) == []
    assert dict(bench.ledger.not_done(("C2",), Purpose.BUILD, 1)) == {"C2": "found to be missing"}
    plan = MendRun(steps=(MendStep(ref="C2", pin="", fault="missing", steps=("put it on",)),))
    mends = bench.begin(MEND, plan)
    bench.all(mends, "mend C2.")
    assert bench.ledger.soldered(PINS) == ["C2"]


def test_a_print_holds_until_its_side_is_heated_and_a_wash_until_anything_is() -> None:
    bench = Bench()
    plan = PrintRun(boards=("red", "blue"), stroke="left to right")
    run = bench.begin(PRINT, plan)
    bench.all(run, "print 1=good", "print 2=skipped")
    now = [ledger_of(bench.runs, PINS, board=name) for name in ("red", "blue")]
    assert [list(one.printed) for one in now] == [["top"], []]
    heated(bench, "U4")
    assert not ledger_of(bench.runs, PINS, board="red").printed
    wash = bench.begin(WASH, WashRun(steps=(WashStep(title="dip", detail=""),)))
    bench.all(wash, "wash 1")
    assert bench.ledger.washed == wash + 1
    heated(bench, "C2")
    assert bench.ledger.washed is None


def test_every_part_seen_to_flow_at_a_tours_stop_is_soldered_then() -> None:
    bench = Bench()
    stops = tuple(
        StopForecast(
            refs=refs,
            seconds=9.0,
            early_s=5.0,
            late_s=20.0,
            latest_s=None,
            latest_why="",
            watch="",
        )
        for refs in (("U4", "C2"), ("R9",))
    )
    moves = tuple(
        Move(deed=Deed.CLOSE, seconds=9.0, over=stop.refs, height_mm=15, circle_mm=4)
        for stop in stops
    )
    plan = HeatPlan(targets=("U4", "C2", "R9"), moves=(*moves, usual_moves(())[-1]))
    run = bench.begin(HEAT, plan, forecast("U4", "C2", "R9", stops=stops))
    bench.all(run, "start", "stop 1", "stop 2=not seen", "away", "solid")
    assert bench.ledger.soldered(PINS) == ["U4", "C2"]
    assert bench.ledger.parts["R9"].unmelted


# short scenarios: what was done, then placed, soldered, removed, what is open (by part)
def play(purpose: Purpose, story: str) -> Ledger:
    """A story of steps between bars: "place U4 C2=missing | heat U4 C2 | look U4.1=bridge"; "undo"
    takes the newest tap of the step before back.
    """
    bench, last = Bench(purpose=purpose), 0
    for step in story.split(" | "):
        verb, *words = step.split()
        names = [one.partition("=")[0] for one in words]
        refs = tuple(dict.fromkeys(one.split(".")[0] for one in names))
        if verb == "undo":
            bench.undo(last)
            continue
        if verb == "place":
            last = bench.begin(PLACE, placing(*refs))
            bench.all(last, *words)
        elif verb == "list":  # a placing that is begun and not gone on with
            last = bench.begin(PLACE, placing(*refs))
            bench.all(last, words[0])
        elif verb in ("heat", "blind"):
            last = bench.begin(HEAT, heat(*refs), forecast(*refs))
            seen = [f"flowed {ref}" for ref in refs] if verb == "heat" else []
            bench.all(last, "start", *seen, "away", "solid")
        elif verb == "lift":
            last = lifted(bench, refs[0])
        elif verb == "hang":
            last = bench.begin(HEAT, heat(refs[0], lifts=True), forecast(refs[0]))
            bench.all(last, "start", f"lifted {refs[0]}=hangs", "away", "solid")
        elif verb == "iron":
            rows = tuple(row(pin) for pin in PINS[refs[0]])
            last = bench.begin(IRON, IronPlan(refs=refs[:1], rows=rows))
            bench.all(last, *(f"row {n}" for n in range(1, len(rows) + 1)))
        elif verb == "record":
            last = bench.begin(IRON, IronPlan(refs=refs))
            bench.all(last, RECORD)
        elif verb == "cut":
            last = bench.begin(REMOVE, removal_run(refs[0], OffWay.CUT))
            bench.all(last, "step 1", f"lifted {refs[0]}")
        elif verb == "pads":
            plan = PadsRun(ref=refs[0], steps=tuple(PadStep(pin=pin) for pin in PINS[refs[0]]))
            last = bench.begin(PADS, plan)
            bench.all(last, "flux", *(f"pad {pin}" for pin in PINS[refs[0]]), "clean")
        elif verb == "look":
            last = bench.begin(LOOK, look(*refs))
            bench.all(last, *words)
        else:
            steps = tuple(
                MendStep(ref=one.split(".")[0], pin=one.split(".")[1], fault=fault, steps=("do",))
                for one, fault in (word.split("=") for word in words)
            )
            last = bench.begin(MEND, MendRun(steps=steps))
            bench.all(last, *(f"mend {one}" for one in names), *(f"again {one}" for one in names))
    return bench.ledger


BUILD, REWORK = Purpose.BUILD, Purpose.REWORK


@pytest.mark.parametrize(
    ("purpose", "story", "placed", "soldered", "removed", "bad"),
    [
        (BUILD, "place U4", "U4", "", "", ""),
        (BUILD, "place U4 | heat U4", "U4", "U4", "", ""),
        (BUILD, "place U4 C2=missing | heat U4 C2", "U4", "U4", "", ""),
        (BUILD, "place U4 C2=doubtful | heat U4 C2", "U4", "U4", "", ""),
        (BUILD, "place C2=doubtful | place C2 | heat C2", "C2", "C2", "", ""),
        (BUILD, "list U4 C2 | heat U4 C2", "U4", "U4", "", ""),
        (BUILD, "heat U4 C2", "U4 C2", "U4 C2", "", ""),  # placed without the clock
        (BUILD, "blind U4", "U4", "", "", ""),
        (BUILD, "blind U4 | iron U4", "U4", "U4", "", ""),
        (BUILD, "blind U4 | heat U4", "U4", "U4", "", ""),
        (BUILD, "iron C2", "C2", "C2", "", ""),
        (BUILD, "record C2 R9", "C2 R9", "C2 R9", "", ""),
        (BUILD, "heat U4 | undo | undo | undo", "", "", "", ""),
        (BUILD, "place U4 C2 | undo | heat U4 C2", "U4", "U4", "", ""),
        (BUILD, "place U4=skipped", "", "", "", ""),
        (BUILD, "heat U4 | lift U4", "", "", "U4", ""),
        (BUILD, "heat U4 | lift U4 | heat U4", "U4", "U4", "", ""),
        (BUILD, "heat U4 | look U4.1=bridge", "U4", "U4", "", "U4.1"),
        (BUILD, "heat U4 | look U4.1=bridge | mend U4.1=bridge", "U4", "U4", "", ""),
        (BUILD, "heat U4 | look U4.1=open | heat U4", "U4", "U4", "", "U4.1"),
        (BUILD, "heat U4 | look U4.1=open | undo", "U4", "U4", "", ""),
        (BUILD, "heat U4 | look U4.1=open | lift U4 | heat U4", "U4", "U4", "", ""),
        (BUILD, "heat C2 | look C2.=missing", "", "", "", "C2."),
        (BUILD, "heat C2 | look C2.=missing | mend C2.=missing", "C2", "C2", "", ""),
        (BUILD, "heat C2 | look C2.=skewed | mend C2.=skewed", "C2", "C2", "", ""),
        (REWORK, "lift U4", "C2 R9 J1", "C2 R9 J1", "U4", ""),
        (REWORK, "lift U4 | undo | undo | undo", "U4 C2 R9 J1", "U4 C2 R9 J1", "", ""),
        (REWORK, "hang U4", "U4 C2 R9 J1", "U4 C2 R9 J1", "", ""),
        (REWORK, "cut U4 | lift C2", "R9 J1", "R9 J1", "U4 C2", ""),
        (REWORK, "cut U4 | pads U4 | iron U4", "U4 C2 R9 J1", "U4 C2 R9 J1", "", ""),
        (REWORK, "pads U4", "C2 R9 J1", "C2 R9 J1", "U4", ""),  # off without being noted
        (REWORK, "lift U4 | place U4=doubtful | heat U4", "C2 R9 J1", "C2 R9 J1", "U4", ""),
        (REWORK, "lift U4 | place U4 | heat U4", "U4 C2 R9 J1", "U4 C2 R9 J1", "", ""),
        (REWORK, "look U4.1=lean | lift U4", "C2 R9 J1", "C2 R9 J1", "U4", ""),
    ],
)
def test_what_a_story_comes_to(
    *, purpose: Purpose, story: str, placed: str, soldered: str, removed: str, bad: str
) -> None:
    ledger = play(purpose, story)
    assert ledger.placed(PINS) == placed.split()
    assert ledger.soldered(PINS) == soldered.split()
    assert ledger.removed() == removed.split()
    found = [f"{ref}.{pin}" for ref, one in ledger.parts.items() for pin in one.bad()]
    assert found == bad.split()
    legal(ledger, purpose)


# random jobs
KINDS = (
    "place",
    "print",
    "heat",
    "lift",
    "remove",
    "iron",
    "pads",
    "look",
    "mend",
    "wash",
)


def begun(chance: random.Random, bench: Bench) -> int:
    kind = chance.choice(KINDS)
    refs = tuple(chance.sample(list(PINS), chance.randint(1, 3)))
    ref = refs[0]
    if kind == "place":
        return bench.begin(PLACE, placing(*refs))
    if kind == "print":
        return bench.begin(PRINT, PrintRun(boards=("1",), stroke="up"))
    if kind in ("heat", "lift"):
        lifts = kind == "lift"
        plan = heat(*refs, lifts=lifts)
        along = tuple(one for one in PINS if one not in refs)[: 2 * lifts]
        melts = tuple((one, pin, 1) for one in PINS for pin in PINS[one])
        return bench.begin(HEAT, plan, forecast(*refs, melts=melts, along=along))
    if kind == "remove":
        way = chance.choice((OffWay.REMOVAL, OffWay.CUT, OffWay.TWO_IRONS))
        made = removal_run(ref, way)
        return bench.begin(REMOVE, made if chance.random() < 0.7 else replace(made, steps=()))
    if kind == "iron":
        rows = tuple(row(pin) for pin in PINS[ref])
        iron = IronPlan(refs=(ref,), rows=rows if chance.random() < 0.8 else ())
        run = bench.begin(IRON, iron)
        if not iron.rows:
            bench.all(run, RECORD)  # tapped where it is noted
        return run
    if kind == "pads":
        pads = PadsRun(ref=ref, steps=tuple(PadStep(pin=pin) for pin in PINS[ref]))
        return bench.begin(PADS, pads)
    if kind == "look":
        return bench.begin(LOOK, look(*refs))
    if kind == "mend":
        faults = [str(one) for one in Verdict if one is not Verdict.GOOD]
        steps = tuple(
            MendStep(ref=one, pin=PINS[one][0], fault=chance.choice(faults), steps=("do it",))
            for one in refs
        )
        return bench.begin(MEND, MendRun(steps=steps))
    return bench.begin(WASH, WashRun(steps=(WashStep(title="dip", detail=""),)))


class Tapped(Enum):
    REFUSED, NEW, CORRECTED = range(3)


def tapped(chance: random.Random, bench: Bench) -> Tapped:
    run = chance.randrange(len(bench.runs))
    script = bench.runs[run].script
    cues = [cue.key for cue in (*script.cues, *script.extras)]
    if not cues:
        return Tapped.REFUSED
    to_do = bench.runs[run].state.to_do
    cue = to_do[0] if to_do and chance.random() < 0.7 else chance.choice(cues)
    answered = cue in bench.runs[run].state.done.keys() | bench.runs[run].state.aside.keys()
    if not bench.tap(run, cue, chance.choice(list(script.rule.words))):
        return Tapped.REFUSED
    return Tapped.CORRECTED if answered else Tapped.NEW


def legal(ledger: Ledger, purpose: Purpose) -> None:
    placed, soldered = ledger.placed(PINS), ledger.soldered(PINS)
    assert set(soldered) <= set(placed)
    assert not set(placed) & set(ledger.removed())
    open_now = dict(ledger.not_done(PINS, purpose, 1))
    for ref, part in ledger.parts.items():
        for pin in PINS[ref]:
            at = part.joint_at(pin)
            assert isinstance(at, JointAt)
            assert (at is JointAt.SOLDERED) <= part.on
        if part.at is not PartAt.SOLDERED and purpose is Purpose.BUILD:
            assert ref in open_now  # whatever is not done is named
        if part.to_inspect:
            assert part.on
        assert not (part.on and (part.left_out or part.awaited))


def heats(ledger: Ledger) -> int:
    return sum(one.heats + one.bare for one in ledger.pads.values())


@pytest.mark.parametrize("block", range(4))
def test_random_jobs_are_legal_after_every_tap_and_an_undone_tap_never_was(block: int) -> None:
    """2 000 jobs of any order."""
    for seed in range(500 * block, 500 * block + 500):
        chance = random.Random(seed)
        purpose = chance.choice(list(Purpose))
        bench = Bench(purpose=purpose)
        for _ in range(chance.randint(3, 10)):
            if not bench.runs or chance.random() < 0.3:
                begun(chance, bench)
            before = bench.ledger
            taken = bench.stored
            run_count = len(bench.runs)
            what = tapped(chance, bench)
            if what is Tapped.REFUSED:
                continue
            now = bench.ledger
            legal(now, purpose)
            assert what is Tapped.CORRECTED or heats(now) >= heats(before)
            if chance.random() < 0.3:
                place = next(
                    n
                    for n in range(run_count)
                    if bench.runs[n].taps and bench.runs[n].taps[-1].order > taken
                )
                bench.undo(place)
                assert replace_events(bench.ledger) == replace_events(before)


def answers_of(refs: Sequence[str]) -> list[str]:
    return [f"{ref}.{pin}" for ref in refs for pin in PINS[ref]]


def test_a_build_is_behind_stage_by_stage() -> None:
    bench = Bench()
    refs = tuple(PINS)
    assert progress(bench, *refs) == frozenset()
    run = bench.begin(PRINT, PrintRun(boards=("1",), stroke="up"))
    bench.all(run, "print 1=good")
    assert progress(bench, *refs) == {"paste"}
    place = bench.begin(PLACE, placing(*refs))
    bench.all(place, *refs[:-1])
    assert progress(bench, *refs) == {"paste"}
    bench.all(place, refs[-1])
    assert progress(bench, *refs) == {"paste", "place"}
    heated(bench, *refs)
    assert progress(bench, *refs, noted=True) == {"paste", "place", "heat"}
    seen = bench.begin(LOOK, look(*refs))
    bench.all(seen, *answers_of(refs)[:-1])
    assert "look" not in progress(bench, *refs, noted=True)
    bench.all(seen, answers_of(refs)[-1])
    assert progress(bench, *refs) == {"paste", "place", "heat", "look"}
    assert "finish" in progress(bench, *refs, noted=True)
    assert "finish" not in progress(bench, *refs, noted=True, fails=True)  # meter or power says no
    bench.all(seen, "U4.1=open")
    assert progress(bench, *refs, noted=True) == {"paste", "place", "heat"}  # it is not good


def test_a_board_with_a_part_left_out_is_never_finished() -> None:
    """What was left out is known, so Place, Heat and Look are behind; the board is not done."""
    bench = Bench()
    refs = tuple(PINS)
    place = bench.begin(PLACE, placing(*refs))
    bench.all(place, *refs[:-1], f"{refs[-1]}=missing")
    heated(bench, *refs[:-1])
    bench.all(bench.begin(LOOK, look(*refs[:-1])), *answers_of(refs[:-1]))
    found = progress(bench, *refs, noted=True)
    assert {"place", "heat", "look"} <= found
    assert "finish" not in found
    assert dict(bench.ledger.not_done(PINS, Purpose.BUILD, 1)).keys() == {refs[-1]}
