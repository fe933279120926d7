"""Heats by pad: what a run did to which pads, and what only its forecast tells."""

import pytest

from yellowfen.core.heat.heat_plan import Forecast, HeatPlan
from yellowfen.core.work.bench_run import RunState, Tap, state_after
from yellowfen.core.work.bench_scripts import (
    IronPlan,
    MendRun,
    MendStep,
    PadsRun,
    PadStep,
    iron_script,
    mend_script,
    pads_script,
)
from yellowfen.core.work.iron_rows import IronRow
from yellowfen.core.work.pad_heats import PadHeats, by_part, pads_heated, summed, told

PINS = {"U4": ["1", "2"], "C2": ["1", "2"], "R9": ["1"]}
NOTHING = RunState(to_do=())


def heated(
    molten: tuple[str, ...], *melts: tuple[str, str, int]
) -> dict[tuple[str, str], PadHeats]:
    return pads_heated(HeatPlan(), Forecast(targets=(), melts=melts), molten, NOTHING, PINS)


def tapped(script, *cues: str) -> RunState:  # type: ignore[no-untyped-def]
    taps = [Tap(key=cue, cue=cue, word="done", at_ms=n) for n, cue in enumerate(cues)]
    return state_after(script, taps)


def row(pins: tuple[str, ...]) -> IronRow:
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


def test_a_pass_that_melted_nothing_is_no_heat() -> None:
    assert heated((), ("U4", "1", 1)) == {}


def test_parts_seen_to_flow_count_and_neighbours_are_told_apart() -> None:
    """A second melt counts only as such: the joint froze between. An earlier run's forecast tells
    no neighbours.
    """
    found = heated(("U4",), ("U4", "1", 1), ("U4", "2", 3), ("C2", "1", 2))
    assert found == {
        ("U4", "1"): PadHeats(heats=1),
        ("U4", "2"): PadHeats(heats=1, again=2),
        ("C2", "1"): PadHeats(likely=1),
    }
    assert heated(("U4",)) == {("U4", pin): PadHeats(heats=1) for pin in PINS["U4"]}


def test_by_iron_only_what_was_done_counts_and_a_tack_melts_again() -> None:
    rows = tuple(row(pins) for pins in (("1", "2"), ("3",)))
    plan = IronPlan(refs=("U4",), rows=rows, tacks=("1",))
    state = tapped(iron_script(plan), "tack 1", "row 1")
    assert pads_heated(plan, None, (), state, PINS) == {
        ("U4", "1"): PadHeats(heats=1, again=1),
        ("U4", "2"): PadHeats(heats=1),
    }
    record = pads_heated(IronPlan(refs=("C2", "R9")), None, (), NOTHING, PINS)
    assert set(record) == {("C2", "1"), ("C2", "2"), ("R9", "1")}


def test_cleaning_pads_and_mending_by_iron_are_heats_of_those_pads_only() -> None:
    pads = PadsRun(ref="U4", steps=(PadStep(pin="1", wick_mm=3.0), PadStep(pin="2")))
    state = tapped(pads_script(pads), "flux", "pad 1")
    assert pads_heated(pads, None, (), state, PINS) == {("U4", "1"): PadHeats(bare=1)}
    mend = MendRun(
        steps=(
            MendStep(
                ref="U4", pin="2", fault="bridge", steps=("wick",), touches="2 touches of 1 s"
            ),
            MendStep(ref="U4", pin="1", fault="residue", steps=("wash it",)),
        )
    )
    state = tapped(mend_script(mend), "mend U4.2", "mend U4.1")
    assert pads_heated(mend, None, (), state, PINS) == {("U4", "2"): PadHeats(heats=1)}


def test_runs_add_up_and_more_than_three_are_too_many() -> None:
    runs = [heated(("U4",), ("C2", "1", 1))] * 3 + [{("U4", "2"): PadHeats(bare=1)}]
    total = summed(runs)
    assert by_part(total) == {"U4": 3}  # the part was off when its bare pad was cleaned
    assert [(one.most, one.pads, one.too_many) for one in told(total, PINS)] == [
        (4, "U4 pin 2", True),
        (3, "U4 pin 1, C2 pin 1", False),
    ]
    assert told({}, PINS) == ()
    assert [one.pads for one in told(heated(("C2",)), PINS)] == ["C2"]


@pytest.mark.parametrize("count", range(4))
def test_order_of_runs_does_not_matter(count: int) -> None:
    runs = [heated(("U4",)), heated(("C2",), ("U4", "1", 1)), {("R9", "1"): PadHeats(heats=1)}]
    assert summed(runs) == summed(runs[count:] + runs[:count])
