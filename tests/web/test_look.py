"""Look and the meter over HTTP: riskiest first, the seen ones marked at once, the hidden ones left
open, probes run and diagnosed; where the faults are is where one looks first.
"""

import json
import math
import subprocess
import sys
import time
from dataclasses import replace
from uuid import uuid4

import numpy as np
import pytest
from fastapi.testclient import TestClient
from httpx2 import Response

from yellowfen.core.board.board import Board
from yellowfen.core.heat.heat_plan import usual_moves
from yellowfen.core.look.risk import Known, PartFacts, in_order, judged, left_to_expect, off_paste
from yellowfen.core.look.trust import binned
from yellowfen.core.run.machine import Tap
from yellowfen.core.run.meter import CHECK
from yellowfen.core.work.job import Purpose
from yellowfen.store import bench_runs as stored
from yellowfen.store import jobs
from yellowfen.workflows import bench_runs
from yellowfen.workflows.look import look_state, metered
from yellowfen.workflows.opening import connect_existing

from .test_jobs import opened


def heated(client: TestClient, refs: str, *flowed: str) -> int:
    """A job whose parts were heated by the clock; of them these were seen to flow. Its run."""
    job = opened(client, purpose="build", parts=refs)
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    targets = tuple(refs.split())
    plan = jobs.get(connection, job).plan
    jobs.keep_heat_plan(
        connection, job, replace(plan, side="top", targets=targets, moves=usual_moves(targets))
    )
    run = bench_runs.start_heat(connection, job)
    keys = ["start", "move 2", *(f"flowed {ref}" for ref in flowed), "away", "solid"]
    for number, key in enumerate(keys):
        bench_runs.tap(
            connection, run, Tap(key=f"h{number}", cue=key, word="done", at_ms=9000 * number)
        )
    connection.close()
    return run


def looking(client: TestClient, job: int) -> int:
    """The bench's look at what a job has soldered: its run."""
    return int(client.post(f"/jobs/{job}/look").url.path.rsplit("/", 1)[1])


def marked(client: TestClient, job: int, ref: str, pin: str, word: str, text: str = "") -> Response:
    """One joint answered at the bench, as the page answers it."""
    body = {"key": uuid4().hex, "cue": f"{ref}.{pin}", "word": word, "text": text}
    at = {"at_ms": int(time.time() * 1000)}
    return client.post(f"/api/runs/{looking(client, job)}/taps", json=body | at)


def rest_good(client: TestClient, job: int) -> Response:
    """All that is seen and has no mark yet is good."""
    open_ = client.get(f"/api/runs/{looking(client, job)}/taps").json()["open"]
    return marked(client, job, *open_[0].rsplit(".", 1), "rest good")


def test_the_riskiest_come_first_and_what_no_eye_sees_stays_open(client: TestClient) -> None:
    run = heated(client, "U4 U2 C2", "U4", "C2")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, run).job_id
    state = look_state(connection, job)
    assert state.joints[0].ref == "U2"  # not seen to melt
    assert "not seen to melt" in state.joints[0].why
    hidden = [one.key for one in state.joints if one.hidden]
    assert hidden == ["U2.21"]
    page = client.get(f"/jobs/{job}/look").text
    assert "cannot be seen" in page
    side = next(one for one in state.joints if one.ref == "U4")
    row = [one for one in state.joints if (one.ref, one.seen_from) == ("U4", side.seen_from)]
    answer = marked(client, job, "U4", side.pin, "row good").json()
    assert sorted(answer["words"]) == sorted(one.key for one in row)
    assert look_state(connection, job).left < state.left
    run = looking(client, job)
    newest = answer["taps"][-1]["key"]
    assert client.delete(f"/api/runs/{run}/taps/{newest}").json()["words"] == {}  # at one press
    marked(client, job, "C2", "1", "cold joint")
    rest_good(client, job)
    assert marked(client, job, "C2", "1", "rest good").status_code == 409  # nothing is left
    marks = {f"{one.ref}.{one.pin}": str(one.verdict) for one in look_state(connection, job).marks}
    assert "U2.21" not in marks
    assert marks["C2.1"] == "cold joint"
    assert len(marks) == len(state.joints) - 1
    again = heated(client, "C2", "C2")  # the next board: the same package was bad before
    joints = look_state(connection, stored.get(connection, again).job_id).joints
    assert any("bad before" in why for one in joints for why in one.why)
    connection.close()


def test_gaps_of_bridged_nets_are_compared_by_the_millivolts_that_are_typed(
    client: TestClient,
) -> None:
    run = heated(client, "U4", "U4")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, run).job_id
    jobs.set_purpose(connection, job, "All of it", purpose=Purpose.BUILD, parts=())
    path = client.post(f"/jobs/{job}/test").url.path
    several = next(
        n for n, one in enumerate(metered(connection, job).plan.probes) if len(one.covers) > 2
    )
    begun = stored.get(connection, int(path.rsplit("/", 1)[1]))
    for number, cue in enumerate(begun.script.cues):
        word = "not" if number == several else "as expected"
        tap = {"key": f"m{number}", "cue": cue.key, "word": word, "at_ms": number}
        assert client.post(f"/api{path}/taps", json=tap).status_code == 200
    gaps = metered(connection, job).diagnosis.gaps
    assert len(gaps) > 2
    assert f"across {len(gaps)} gaps" in client.get(f"/jobs/{job}/test").text
    path = client.post(f"/jobs/{job}/test").url.path
    cues = stored.get(connection, int(path.rsplit("/", 1)[1])).script.cues
    assert len(cues) == len(gaps)
    assert {cue.reads for cue in cues} == {"mV"}
    for text in ("", "much", "4 V"):
        tap = {"key": "x", "cue": cues[0].key, "word": "as expected", "at_ms": 1, "text": text}
        refused = client.post(f"/api{path}/taps", json=tap)
        assert refused.status_code in (409, 422), text
    for number, cue in enumerate(cues):
        text = "0,4" if number == 1 else f"{2 + number} mV"
        tap = {"key": f"r{number}", "cue": cue.key, "word": "as expected", "at_ms": number}
        assert client.post(f"/api{path}/taps", json=tap | {"text": text}).status_code == 200
    found = metered(connection, job)
    assert [one for one, _ in found.diagnosis.suspects] == [gaps[1].covers[0]]
    assert "<b>0.4 mV</b>" in client.get(f"/jobs/{job}/test").text
    # One step back, and nothing is said of any gap.
    client.delete(f"/api{path}/taps/r{len(cues) - 1}")
    assert len(metered(connection, job).diagnosis.suspects) > 2
    connection.close()


def test_probes_are_run_by_key_and_a_bridge_is_named(client: TestClient) -> None:
    run = heated(client, "U4", "U4")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, run).job_id
    jobs.set_purpose(connection, job, "All of it", purpose=Purpose.BUILD, parts=())
    assert "supplies: <b>VDD, VIN</b>" in client.get(f"/jobs/{job}/test").text
    path = client.post(f"/jobs/{job}/test").url.path
    meter = stored.get(connection, int(path.rsplit("/", 1)[1]))
    assert meter.kind is CHECK
    plan = metered(connection, job).plan
    bridge = next(
        n for n, one in enumerate(plan.probes) if one.here == "U4.1" or one.there == "U4.1"
    )
    for number, cue in enumerate(meter.script.cues[: bridge + 1]):
        word = "not" if number == bridge else "as expected"
        client.post(
            f"/api{path}/taps",
            json={"key": f"m{number}", "cue": cue.key, "word": word, "at_ms": number},
        )
    seen = client.get(f"/jobs/{job}/test").text
    assert "U4.1" in seen.split('class="verdict bad">')[1][:80]
    assert client.post(f"/jobs/{job}/test").url.path == path  # goes on with the same
    table = client.get(f"/jobs/{job}/test.csv").text.splitlines()
    assert table[0] == "from,to,expect,note,covers,result"
    assert sum(line.endswith(",not") for line in table) == 1
    found = metered(connection, job)
    to_do = [number for number, _, passed in found.rows if passed is None]
    assert [number for number, _, _ in found.first] == sorted([bridge + 1, *to_do[:12]])
    assert f"All {len(found.rows)}, in their order" in seen
    few = replace(found, plan=replace(plan, probes=plan.probes[:20]))
    assert few.first == few.rows  # all at once
    connection.close()


def test_the_commands_say_the_same(client: TestClient) -> None:
    run = heated(client, "U4 C2", "U4")
    data = str(client.app.state.data)  # type: ignore[attr-defined]
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, run).job_id
    command = [sys.executable, "-m", "yellowfen.cli"]
    look = json.loads(
        subprocess.run(
            [*command, "look", str(job), "--json", "--data", data], check=True, capture_output=True
        ).stdout
    )
    joints = look_state(connection, job).joints
    riskiest = sorted(joints, key=lambda one: (-one.chance, one.key))
    assert [one["pin"] for one in look["joints"]] == [one.pin for one in riskiest]
    plan = json.loads(
        subprocess.run(
            [*command, "test-plan", "1", "--json", "--parts", "U4", "--data", data],
            check=True,
            capture_output=True,
        ).stdout
    )
    assert {"from", "to", "expect", "covers"} <= set(plan["probes"][0])
    piped = subprocess.run(
        f"{sys.executable} -m yellowfen.cli look {job} --data {data} | head -1",
        shell=True,
        check=True,
        capture_output=True,
    )
    assert piped.stderr == b""
    wrong = subprocess.run(
        [*command, "test-plan", "1", "--parts", "U99", "--data", data],
        check=False,
        capture_output=True,
    )
    assert wrong.returncode == 2
    assert b"U99" in wrong.stderr
    connection.close()


def facts(board: Board, chance: np.random.Generator) -> dict[str, PartFacts]:
    """Parts of a printed board as prints come out: a few openings lean, fat or near bridging."""
    found = {}
    for part in board.parts:
        joints = {}
        for land in part.package.lands:
            # Amounts as prints come out: most well inside what is wanted, some near its ends.
            joints[land.pin] = Known(
                solder_mm3=math.exp(0.45 * float(chance.standard_normal())),
                least_mm3=0.45,
                most_mm3=2.0,
                bridge=float(chance.uniform(0.2, 1.1)) if len(part.package.lands) > 7 else 0.0,
                fails=bool(chance.random() < 0.02),
                tie=str(chance.choice(["signal", "signal", "relief", "plane"])),
            )
        fine = part.package.pitch_mm <= 0.5
        found[part.ref] = PartFacts(
            odds=0.25 if fine else 0.03, flowed=bool(chance.random() > 0.05), joints=joints
        )
    return found


@pytest.mark.parametrize("spread", [0.0, 0.5])
def test_the_first_fifth_holds_most_of_the_faults(demo_board: Board, spread: float) -> None:
    """Faults drawn from the model's own chances, and from chances wrong by a factor each
    (log-normal).
    """
    chance = np.random.default_rng(11)
    inside = whole = 0
    told, came = [], []
    for _ in range(60):
        known = facts(demo_board, chance)
        joints = [one for part in demo_board.parts for one in judged(part, known[part.ref])]
        order = in_order(joints, {})
        true = [
            min(one.chance * math.exp(spread * chance.standard_normal()), 0.95) for one in order
        ]
        bad = chance.random(len(order)) < true
        inside += int(bad[: len(order) // 5].sum())
        whole += int(bad.sum())
        told += [one.chance for one in order]
        came += bad.tolist()
    told_, came_ = np.array(told), np.array(came)
    for low, high in ((0.0, 0.005), (0.005, 0.02), (0.02, 0.08), (0.08, 1.0)):
        pick = (told_ >= low) & (told_ < high)
        print(
            f"told {low} to {high}: {told_[pick].mean():.4f}, came {came_[pick].mean():.4f} of {pick.sum()}"
        )
    print(f"first fifth holds {inside} of {whole} faults, spread {spread}")
    assert inside >= 0.6 * whole
    assert came_.mean() == pytest.approx(told_.mean(), rel=0.35)


def test_what_was_told_stands_against_what_was_found(client: TestClient) -> None:
    """True chances hold in their bins nearly always, chances ten times too low do not; one's own
    marks are counted once each.
    """
    chance = np.random.default_rng(4)
    told = np.exp(chance.uniform(math.log(0.001), math.log(0.6), 20_000))
    true = binned(zip(told.tolist(), (chance.random(len(told)) < told).tolist(), strict=True))
    assert sum(one.of for one in true) == len(told)
    assert sum(one.holds for one in true) >= len(true) - 1
    wrong = binned(
        zip((told / 10).tolist(), (chance.random(len(told)) < told).tolist(), strict=True)
    )
    assert not any(one.holds for one in wrong)
    assert "No joint is marked yet" in client.get("/logbook/chances").text
    run = heated(client, "U4 C2", "U4", "C2")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, run).job_id
    connection.close()
    for pin, verdict in (("1", "bridge"), ("2", "good"), ("3", "good")):
        marked(client, job, "U4", pin, verdict)
    page = client.get("/logbook/chances").text
    assert "1 bad of 3 inspected" in page


def test_chances_keep_their_laws(demo_board: Board) -> None:
    """Each thing that is known moves a chance the way it should; marks take from what is left."""
    part = demo_board.part("U3")
    plain = judged(part, PartFacts(odds=0.06))
    first = plain[0]
    assert 1.0 - math.prod(1.0 - one.chance for one in plain) == pytest.approx(0.06, rel=0.01)
    for known in (
        Known(solder_mm3=0.3, least_mm3=0.5, most_mm3=2.0),
        Known(solder_mm3=3.0, least_mm3=0.5, most_mm3=2.0),
        Known(solder_mm3=1.0, least_mm3=0.5, most_mm3=2.0, bridge=1.3),
        Known(fails=True),
        Known(tie="plane"),
        Known(row_end=True),
    ):
        worse = judged(part, PartFacts(odds=0.06, joints={first.pin: known}))[0]
        assert worse.chance > first.chance
        assert worse.why
    for worse_heat in ({"flowed": False}, {"late": True}, {"liquid_s": 2.0}, {"liquid_s": 150.0}):
        worse = judged(part, PartFacts(odds=0.06, **worse_heat))[0]  # type: ignore[arg-type]
        assert worse.chance > first.chance
        assert worse.why
    assert judged(part, PartFacts(odds=0.06, liquid_s=20.0)) == plain
    assert judged(part, PartFacts(odds=0.06, marked=400, bad=0))[0].chance < first.chance
    assert judged(part, PartFacts(odds=0.06, marked=100, bad=20))[0].chance > 0.1
    left = left_to_expect(plain, {})
    assert left_to_expect(plain, {first.key: "good"}) == pytest.approx(left - first.chance)
    assert sorted(one.key for one in in_order(plain, {})) == sorted(one.key for one in plain)


def test_a_lead_over_its_paste_is_a_chance_of_its_own(demo_board: Board) -> None:
    """Lower with more paste, higher with a measured lead that stands off; none of what has no
    leads.
    """
    parts = {part.ref: part for part in demo_board.parts}
    lead = parts["U1"].package.lands[0]
    new = [off_paste(parts["U1"], lead, paste, None) for paste in (0.02, 0.05, 0.08, 0.12)]
    assert new == sorted(new, reverse=True)
    # Half normal within 0.08 mm as three sigmas (0.5 mm pitch): above 0.08 mm in 0.27 % [hand tables].
    assert new[2] == pytest.approx(0.0027, abs=1e-4)
    bent = [off_paste(parts["U1"], lead, 0.10, lift) for lift in (0.05, 0.10, 0.15, 0.4)]
    assert bent == sorted(bent)
    assert bent[1] == pytest.approx(0.5 / 48)
    assert bent[-1] == pytest.approx(1 / 48)
    assert off_paste(parts["U1"], lead, 0.0, None) < 1.0
    dry = {lead.pin: Known(paste_mm=0.0)}  # an opening that gives nothing
    assert judged(parts["U1"], PartFacts(odds=0.1, joints=dry))[0].chance > 0.9
    chip = parts["R1"].package.lands[0]
    assert off_paste(parts["R1"], chip, 0.01, 1.0) == 0.0
    assert off_paste(parts["U1"], lead, None, 0.4) == 0.0
    on = {land.pin: Known(paste_mm=0.10) for land in parts["U1"].package.lands}
    plain, lifted = (
        judged(parts["U1"], PartFacts(odds=0.1, lift_mm=lift, joints=on)) for lift in (None, 0.3)
    )
    assert all(a.chance < b.chance for a, b in zip(plain, lifted, strict=True))
    assert "its lead may be bent up 0.30 mm over 0.10 mm of paste" in lifted[0].why
    assert not plain[0].why


def test_limits_of_a_class_are_the_users_own_until_put_back(client: TestClient) -> None:
    run = heated(client, "U4", "U4")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, run).job_id
    page = f"/jobs/{job}/look"
    assert "50 % of the lead" in client.get(page).text
    own = {"side": 30, "end": 60, "leadless_side": 20, "leadless_end": 80, "over_most_mm": 0.3}
    kept = client.post(f"/jobs/{job}/limits", data=own).text
    assert "30 % of the lead&#39;s width, 0.3 mm at most" in kept
    assert "Your own limits of class 2" in kept
    for wrong in ({"side": 101}, {"side": "nan"}, {"over_most_mm": -1}):
        assert client.post(f"/jobs/{job}/limits", data=own | wrong).status_code == 422
    assert (
        "From acceptance practice" in client.post(f"/jobs/{job}/limits", data={"back": "yes"}).text
    )
    connection.close()


def test_a_joint_is_seen_from_where_its_pad_lies_on_the_plan(demo_board: Board) -> None:
    """Both sides, the bottom as it is drawn: seen from below. Pads are the board's own; of a row all
    are seen from its edge, those at its ends too. Turned by 45°, it is seen from a corner.
    """
    pads = {(pad.ref, pad.pin): pad for pad in demo_board.pads}
    sides = {"top": 0, "bottom": 0}
    for part in demo_board.parts:
        for one in judged(part, PartFacts(odds=0.1)):
            pad = pads.get((one.ref, one.pin))
            if pad is None or one.hidden:
                continue
            right, up = pad.x_mm - part.x_mm, pad.y_mm - part.y_mm
            right = -right if part.side == "bottom" else right
            ways = {"right": right, "left": -right, "upper edge": up, "lower edge": -up}
            wide, high = np.ptp(np.array(pad.ring), axis=0)
            if len(part.package.lands) > 3 and not math.isclose(wide, high, rel_tol=0.05):
                ways = dict(list(ways.items())[slice(0, 2) if wide > high else slice(2, 4)])
            assert one.seen_from.startswith(f"from the {max(ways, key=lambda way: ways[way])},")
            sides[part.side] += 1
        slanting = replace(part, rotation_deg=45.0)
        assert all(
            one.hidden or "corner" in one.seen_from for one in judged(slanting, PartFacts(odds=0.1))
        )
    assert min(sides.values()) > 15


def test_what_is_heated_again_is_looked_at_again(client: TestClient) -> None:
    """Only the parts of the new heat; what is marked of the others stands."""
    run = heated(client, "U4 C2", "U4", "C2")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, run).job_id
    rest_good(client, job)
    plan = jobs.get(connection, job).plan
    targets = ("U4",)
    jobs.keep_heat_plan(connection, job, replace(plan, targets=targets, moves=usual_moves(targets)))
    again = bench_runs.start_heat(connection, job)
    opened_only = looking(client, job)
    assert client.get(f"/api/runs/{opened_only}/taps").json()["open"] == []  # not heated yet
    for number, cue in enumerate(("start", "away", "solid")):  # not seen to melt: it may have been
        bench_runs.tap(connection, again, Tap(key=cue, cue=cue, word="done", at_ms=number))
    assert stored.get(connection, looking(client, job)).looks_at == again
    assert looking(client, job) == looking(client, job) != opened_only
    asked = client.get(f"/api/runs/{looking(client, job)}/taps").json()["open"]
    assert len(asked) == 8
    assert {key.split(".")[0] for key in asked} == {"U4"}
    connection.close()
