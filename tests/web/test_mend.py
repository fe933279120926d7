"""Mending over HTTP: what is marked as wrong leads to its causes and a run, the run to a second
look, and the board is never called good by silence.
"""

import sqlite3

from fastapi.testclient import TestClient

from tests.web.worker import asleep, worked_out
from yellowfen.core.deposit.paste_plan import standing as standing_changes
from yellowfen.core.look.risk import Known
from yellowfen.core.run.machine import Tap
from yellowfen.core.run.mend import MEND
from yellowfen.store import bench_runs as stored
from yellowfen.store import jobs
from yellowfen.store.paste import steps_of
from yellowfen.workflows import bench_runs
from yellowfen.workflows.look import facts_of, look_state, metered, soldering
from yellowfen.workflows.mend import mend_state, presses, standing
from yellowfen.workflows.opening import connect_existing
from yellowfen.workflows.ready import dot_plan, ready_state

from .test_look import heated, looking, marked, rest_good


def test_a_fault_is_mended_by_key_and_looked_at_again(client: TestClient) -> None:
    run = heated(client, "U4 C2", "U4", "C2")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, run).job_id
    assert "Nothing is marked yet" in client.get(f"/jobs/{job}/mend").text
    assert client.post(f"/jobs/{job}/mend").status_code == 409
    for ref, pin, verdict in (("U4", "1", "bridge"), ("C2", "1", "starved"), ("U4", "", "skewed")):
        marked(client, job, ref, pin, verdict)
    rest_good(client, job)
    assert standing(connection, job).says == "not good yet"
    seen = client.get(f"/jobs/{job}/mend").text
    assert "3 to touch up" in seen
    assert "U4 pins 1 and 2: bridge" in seen
    found = {one.name: one for one in mend_state(connection, job).bad}
    assert found["U4"].touches is None  # the whole part: by air, not by iron
    touches = found["U4 pins 1 and 2"].touches
    assert touches is not None
    assert touches.touch_s is not None
    assert touches.touch_s <= touches.longest_s
    asleep(client)
    asked = client.post(f"/api/jobs/{job}/touches?ref=U4&pin=1").json()
    assert worked_out(client, asked["id"])["answer"]["says"] == touches.says
    assert client.post(f"/api/jobs/{job}/touches?ref=U4&pin=2").status_code == 404
    assert found["C2 pin 1"].mend.wire_mm > 0
    path = client.post(f"/jobs/{job}/mend").url.path
    mending = stored.get(connection, int(path.rsplit("/", 1)[1]))
    assert mending.kind is MEND
    cues = [cue.key for cue in mending.script.cues]
    assert cues == ["mend C2.1", "mend U4.", "mend U4.1", "again C2.1", "again U4.", "again U4.1"]
    words = ["done"] * 5 + ["still bad"]
    for number, (cue, word) in enumerate(zip(cues, words, strict=True)):
        answer = client.post(
            f"/api{path}/taps",
            json={"key": f"w{number}", "cue": cue, "word": word, "at_ms": number},
        )
        assert answer.status_code == 200
    left = mend_state(connection, job)
    assert [one.name for one in left.bad] == ["U4 pins 1 and 2"]  # still a pair
    assert left.bad[0].fault.heats == 3  # its heat, the part put straight, the bridge
    again = client.post(f"/jobs/{job}/mend").url.path
    assert again != path
    for number, cue in enumerate(("mend U4.1", "again U4.1")):
        client.post(
            f"/api{again}/taps",
            json={"key": f"v{number}", "cue": cue, "word": "done", "at_ms": number},
        )
    stands = standing(connection, job)
    assert (stands.bad, stands.unseen, stands.mended) == (0, 0, 2)
    assert stands.says == "not proved yet"  # nothing was measured
    assert "not proved yet" in client.get(f"/jobs/{job}/finish").text
    path = client.post(f"/jobs/{job}/test").url.path
    meter = stored.get(connection, int(path.rsplit("/", 1)[1]))
    for number, cue in enumerate(meter.script.cues):
        client.post(
            f"/api{path}/taps",
            json={"key": f"m{number}", "cue": cue.key, "word": "as expected", "at_ms": number},
        )
    assert metered(connection, job).diagnosis.suspects == ()
    assert standing(connection, job).says == "good after touch-up"
    connection.close()


def test_good_at_first_pass_needs_every_joint_seen_and_every_probe(client: TestClient) -> None:
    run = heated(client, "C2", "C2")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, run).job_id
    assert standing(connection, job).says == "not proved yet"
    rest_good(client, job)
    assert not [one for one in look_state(connection, job).joints if one.hidden]
    path = client.post(f"/jobs/{job}/test").url.path
    meter = stored.get(connection, int(path.rsplit("/", 1)[1]))
    last = len(meter.script.cues) - 1
    for number, cue in enumerate(meter.script.cues):
        if number == last:
            assert standing(connection, job).says == "not proved yet"
        client.post(
            f"/api{path}/taps",
            json={"key": f"m{number}", "cue": cue.key, "word": "as expected", "at_ms": number},
        )
    assert standing(connection, job).says == "good at first pass"
    # Heated once more, what was measured there proves nothing; nor does it on another board.
    targets = jobs.get(connection, job).plan.targets
    again = bench_runs.start_heat(connection, job)
    assert targets == ("C2",)
    bench_runs.tap(connection, again, Tap(key="x", cue="start", word="done", at_ms=1))
    stands = standing(connection, job)
    assert stands.says == "not proved yet"
    assert stands.left > 0
    connection.close()


def test_the_class_is_the_jobs_and_marks_of_earlier_runs_can_be_taken_back(
    client: TestClient,
) -> None:
    run = heated(client, "U4 C2", "U4", "C2")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, run).job_id
    two = client.get(f"/jobs/{job}/look").text
    assert client.post(f"/jobs/{job}/class", data={"grade": "3"}).status_code == 200
    three = client.get(f"/jobs/{job}/look").text
    assert "50 % of the lead" in two
    assert "25 % of the lead" in three
    assert 'value="3" aria-pressed="true"' in three
    assert client.post(f"/jobs/{job}/class", data={"grade": "4"}).status_code == 422
    assert 'value="3" aria-pressed="true"' in client.get(f"/jobs/{job}/look").text
    marked(client, job, "C2", "1", "starved")
    mending = int(client.post(f"/jobs/{job}/mend").url.path.rsplit("/", 1)[1])
    assert stored.get(connection, mending).kind is MEND
    anew = looking(client, job)  # a look of its own at what is mended: the mark is not of it
    assert stored.get(connection, anew).looks_at == mending
    assert marked(client, job, "C2", "1", "not yet").status_code == 409
    assert "C2.1" not in client.get(f"/api/runs/{anew}/taps").json()["open"]
    back = client.post(f"/jobs/{job}/look/back", data={"ref": "C2", "pin": "1"})
    assert back.status_code == 200
    assert look_state(connection, job).marks == ()
    assert "C2.1" in client.get(f"/api{back.url.path}/taps").json()["open"]
    assert client.post(f"/jobs/{job}/look/back", data={"ref": "C2", "pin": "1"}).status_code == 404
    assert stored.get(connection, run).marks == ()
    connection.close()


def test_a_bridge_is_a_pair_and_a_later_fault_joins_the_mending(client: TestClient) -> None:
    run = heated(client, "U4", "U4")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, run).job_id
    assert marked(client, job, "U4", "2", "bridge", "3").status_code == 200
    for word, other, says in (
        ("bridge", "99", "has no pin '99'"),
        ("bridge", "2", "joins a pin to another one"),
        ("starved", "3", "only a bridge"),
    ):
        refused = marked(client, job, "U4", "2", word, other)
        assert refused.status_code == 409
        assert says in refused.json()["problem"]
    assert "U4 pins 2 and 3: bridge" in client.get(f"/jobs/{job}/mend").text
    first = int(client.post(f"/jobs/{job}/mend").url.path.split("/")[2])
    cue = stored.get(connection, first).script.cues[0].key
    bench_runs.tap(connection, first, Tap(key="m1", cue=cue, word="done", at_ms=1000))
    assert int(client.post(f"/jobs/{job}/mend").url.path.split("/")[2]) == first
    marked(client, job, "U4", "7", "starved")
    second = int(client.post(f"/jobs/{job}/mend").url.path.split("/")[2])
    assert second != first
    connection.close()


def facts(connection: sqlite3.Connection, job: int, ref: str, pin: str) -> Known:
    state = ready_state(connection, job)
    runs = soldering(connection, jobs.get(connection, job))
    return facts_of(connection, state, runs)[ref].joints[pin]


def test_one_press_changes_the_plans_for_the_next_board(client: TestClient) -> None:
    run = heated(client, "U1 U4", "U1")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, run).job_id
    thick = {"foil": "0.13", "paste": "lot1"}  # in a foil of 0.1 mm nothing is to be changed
    assert client.post(f"/jobs/{job}/paste", data=thick).is_success
    for ref, pin, verdict in (("U1", "9", "bridge"), ("U4", "4", "not wetted")):
        marked(client, job, ref, pin, verdict)
    bad = {one.name: one for one in mend_state(connection, job, reckoned=False).bad}
    pressed = presses(connection, job, list(bad.values()))
    page = client.get(f"/jobs/{job}/mend").text
    assert all(said[:1].upper() + said[1:] in page for said in pressed.values())
    by_dots = facts(connection, job, "U4", "1")  # nobody prints for this job yet
    assert by_dots.solder_mm3 is not None
    assert by_dots.paste_mm is None
    dots = dot_plan(connection, ready_state(connection, job), "top").steps
    paste = sum(step.paste_mm3 for step in dots if step.ref == "U4")
    pins = [pin for step in dots if step.ref == "U4" for pin in step.pins]
    total = sum(facts(connection, job, "U4", pin).solder_mm3 or 0.0 for pin in pins)
    assert 0.3 * paste < total < 0.7 * paste  # the rest is flux and room
    school = {"do": "school", "question": "stencil", "school": "stencil"}
    client.post(f"/jobs/{job}/ready", data=school)
    was = facts(connection, job, "U1", "9")
    assert was.solder_mm3 is not None
    # Moments are kept to the second: the board was printed well before.
    connection.execute("UPDATE bench_run SET started_at = datetime(started_at, '-5 seconds')")
    before = standing_changes(steps_of(connection, job))
    reply = client.post(f"/jobs/{job}/mend/prevent", data={"ref": "U1", "press": "openings"})
    assert reply.status_code == 200
    assert "undo it in Apertures" in reply.text
    assert len(standing_changes(steps_of(connection, job))) > len(before)
    assert facts(connection, job, "U1", "9") == was  # this board was printed with the old ones
    again = client.post(f"/jobs/{job}/mend/prevent", data={"ref": "U1", "press": "openings"})
    assert again.status_code == 409
    first = jobs.get(connection, job).plan.moves[0].seconds
    assert client.post(f"/jobs/{job}/mend/prevent", data={"ref": "U4", "press": "warm"}).is_success
    assert jobs.get(connection, job).plan.moves[0].seconds == first + 30
    for press, status in (("sing", 422), ("openings", 409)):
        data = {"ref": "X9", "press": press}
        assert client.post(f"/jobs/{job}/mend/prevent", data=data).status_code == status
    connection.close()
