"""A kind of run that nothing else knows of: described once, here, it is run, taken back, told in the
logbook and in Finish like any other.
"""

import json
from collections.abc import Iterator
from dataclasses import dataclass

import pytest
from fastapi.testclient import TestClient

from yellowfen.core.run.did import Did, LedgerEntry, Pins
from yellowfen.core.run.kinds import KINDS
from yellowfen.core.run.machine import Cue, Effect, RunRule, Script
from yellowfen.core.run.run import BenchRun, Key, KindOfRun
from yellowfen.store import bench_runs, jobs
from yellowfen.workflows.ledger import ledger_now
from yellowfen.workflows.mend import gathered
from yellowfen.workflows.opening import connect_existing


@dataclass(frozen=True, kw_only=True)
class TapingPlan:
    """Parts to be taped over."""

    refs: tuple[str, ...]


def _script(plan: TapingPlan) -> Script:
    cues = tuple(Cue(key=ref, title=f"Tape over {ref}", press="Taped") for ref in plan.refs)
    return Script(rule=_RULE, cues=cues, closing="All is taped.")


def _entries(run: BenchRun, pins: Pins, board: str, stored: int) -> Iterator[LedgerEntry]:
    for ref, word, at in run.answers(run.state.aside):
        yield run.entry(Did.DAMAGED, at=at, ref=ref, pin=pins[ref][0], how=word)


_RULE = RunRule(words={"taped": Effect.DONE, "torn": Effect.ASIDE}, any_order=True)
TAPE = KindOfRun(
    name="tape",
    plan=TapingPlan,
    script=lambda plan, _: _script(plan),
    rule=_RULE,
    keys={"torn": Key(say="It tore", press="t", hint="t")},
    doing="taping",
    spent="taping",
    did=lambda run: f"taped {len(run.plan.refs)}",
    caution=lambda plan: "Tape that is hot sticks to skin.",
    back="heat",
    onward=("heat", "On to Heat"),
    entries=_entries,
)


def test_a_new_kind_is_described_in_one_place(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(KINDS, TAPE.name, TAPE)
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    run = bench_runs.add(connection, 1, TapingPlan(refs=("U4", "C9", "C2")))
    page = client.get(f"/runs/{run}").text
    for said in ("taping", "Tape that is hot", "It tore", "Tape over U4", "On to Heat"):
        assert said in page, said
    began = 1_800_000_000_000
    for number, (cue, word) in enumerate((("U4", "taped"), ("C9", "torn"), ("C2", "taped"))):
        tap = {"key": cue, "cue": cue, "word": word, "at_ms": began + 60_000 * number}
        state = client.post(f"/api/runs/{run}/taps", json=tap).json()
    assert (state["cues"], state["told"]) == ([], "2 of 3 stored")
    assert state["closing"] == "Set aside for later: Tape over C9 torn."
    assert ledger_now(connection, jobs.get(connection, 1)).parts["C9"].damage == {"1": "torn"}
    assert "taped 3" in client.get("/logbook").text
    assert gathered(connection, 1).minutes == (("taping", 2.0),)
    state = client.delete(f"/api/runs/{run}/taps/C2").json()
    assert [cue["key"] for cue in state["cues"]] == ["C2"]
    refused = client.post(f"/api/runs/{run}/taps", json=tap | {"key": "x", "word": "eaten"})
    assert (refused.status_code, "not one of taped, torn" in refused.json()["problem"]) == (
        409,
        True,
    )
    assert json.loads(page.split('id="state">')[1].split("</script>")[0])["kind"] == "tape"
