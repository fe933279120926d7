"""Washing, power-up and function over HTTP: said, gone through at the bench, standing in Finish; what
fails accuses; what was heated since speaks no more.
"""

from fastapi.testclient import TestClient

from yellowfen.core.run.iron import IronPlan
from yellowfen.core.run.machine import Tap
from yellowfen.store import bench_runs as stored
from yellowfen.store import jobs
from yellowfen.workflows import bench_runs
from yellowfen.workflows.mend import gathered, standing
from yellowfen.workflows.opening import connect_existing
from yellowfen.workflows.proof import proof_state
from yellowfen.workflows.washing import cleaning_state

from .test_jobs import opened
from .test_look import heated, marked


def begun(client: TestClient, path: str) -> int:
    reply = client.post(path)
    assert reply.status_code == 200, reply.text[-400:]
    return int(reply.url.path.split("/")[2])


def answered(client: TestClient, run: int, word: str, but: str = "") -> None:
    """Answer every cue of a run by a word, but one, by its title, by "not"."""
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    for number, cue in enumerate(stored.get(connection, run).script.cues):
        said = "not" if cue.title == but else word
        bench_runs.tap(
            connection, run, Tap(key=f"{run}-{number}", cue=cue.key, word=said, at_ms=4000 * number)
        )
    connection.close()


def test_function_steps_stand_until_the_part_is_heated_again(client: TestClient) -> None:
    heat = heated(client, "U4 C2", "U4", "C2")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, heat).job_id
    page = f"/jobs/{job}/function"
    assert "What does the board do when it works?" in client.get(page).text
    refused = client.post(page)
    assert refused.status_code == 409
    for name, joints in (("Write and read", "U4"), ("Program", "U1")):
        form = {"name": name, "expect": "reads back what was written", "joints": joints}
        assert client.post(f"{page}/steps", data=form).status_code == 200
    wrong = client.post(f"{page}/steps", data={"name": "x", "expect": "y", "joints": "Q77"})
    assert wrong.status_code == 422
    assert "there is no part or pin Q77" in wrong.text
    assert 'value="Q77"' in wrong.text  # what was typed stands there still
    run = begun(client, page)
    answered(client, run, "as expected", but="Program")
    state = proof_state(connection, job)
    assert state.results["Write and read"] is True
    assert state.results["Program"] is False
    assert "U1.1" in state.accused
    assert "U4.1" in state.proved
    assert standing(connection, job).says == "not good yet"
    assert "not as expected" in client.get(page).text
    again = bench_runs.start_heat(connection, job)
    for number, key in enumerate(("start", "move 2", "flowed U4", "away", "solid")):
        bench_runs.tap(
            connection, again, Tap(key=f"a{number}", cue=key, word="done", at_ms=9000 * number)
        )
    state = proof_state(connection, job)
    assert "Write and read" not in state.results
    assert state.results["Program"] is False  # U1 was not heated
    assert gathered(connection, job).total_min > 0.5
    client.post(f"{page}/steps/remove", data={"name": "Program"})
    assert "Program" not in proof_state(connection, job).results
    connection.close()


def test_supplies_and_nets_are_said_once_for_the_board(client: TestClient) -> None:
    job = opened(client, purpose="build")
    page = f"/jobs/{job}/function"
    bad = client.post(f"{page}/supplies", data={"supplies": "NOSUCH = 3"})
    assert bad.status_code == 422
    assert "there is no net NOSUCH" in bad.text
    assert client.post(f"{page}/supplies", data={"supplies": "VDD = 3,3"}).status_code == 422
    said = {"supplies": "VIN = 12", "ground": "GND", "nets": ""}
    assert client.post(f"{page}/supplies", data=said).status_code == 200
    other = opened(client, purpose="build")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    found = proof_state(connection, other)
    assert [(one.supply, one.volts) for one in found.power] == [("VIN", 12.0)]
    assert "VIN" in client.get(f"/jobs/{other}/test").text
    sheet = client.get(f"/jobs/{other}/test/sheet").text
    assert "does not connect" in sheet
    connection.close()


def test_washing_is_gone_through_and_remembered(client: TestClient) -> None:
    job = opened(client, purpose="rework", parts="U4")
    page = f"/jobs/{job}/clean"
    assert "must be washed" in client.get(page).text
    assert (
        client.post(f"{page}/with", data={"paste": "no-clean", "dry_c": "500"}).status_code == 422
    )
    client.post(f"{page}/with", data={"paste": "no-clean", "wire": "", "gel": "", "dry_c": "50"})
    assert "Nothing needs washing" in client.get(page).text
    assert client.post(page).status_code == 409
    client.post(f"{page}/with", data={"paste": "water-soluble", "dry_c": "50"})
    run = begun(client, page)
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    assert not cleaning_state(connection, job).washed
    answered(client, run, "done")
    assert cleaning_state(connection, job).washed
    assert "Washed and dried" in client.get(page).text
    stored.add(connection, job, IronPlan(refs=("U4",)))  # soldered again since
    assert not cleaning_state(connection, job).washed
    connection.close()


def test_a_fault_teaches_the_next_board_by_one_press(client: TestClient) -> None:
    run = heated(client, "U4", "U4")
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = stored.get(connection, run).job_id
    marked(client, job, "U4", "4", "starved")
    page = client.get(f"/jobs/{job}/mend").text
    assert "Save for the next board" in page
    form = {"seen": "U4 pin 4: starved", "change": "a wider opening there"}
    assert "on the list" in client.post(f"/jobs/{job}/mend/lessons", data=form).text
    client.post(f"/jobs/{job}/mend/lessons", data=form)
    board = jobs.get(connection, job).board_id
    advice = client.get(f"/boards/{board}?leaf=advice").text
    assert advice.count("a wider opening there</b>") == 1
    client.post(f"/boards/{board}/lessons/0/remove")
    assert "a wider opening there" not in client.get(f"/boards/{board}?leaf=advice").text
    assert client.post(f"/boards/{board}/lessons/7/remove").status_code == 404
    connection.close()


def test_what_is_seen_is_looked_up_without_a_job(client: TestClient) -> None:
    page = client.get("/reference").text
    assert "Tombstone" in page
    assert "What to do" not in page
    answer = client.get("/reference?see=bridge").text
    assert "What to do" in answer
    assert "wick" in answer
    assert client.get("/reference?see=nonsense").status_code == 200
