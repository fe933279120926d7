"""Tours over HTTP: asked for, seen on the way, taken into the plan, run stop by stop and noted so."""

import json
import re
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.store.test_heat_tables import take_task
from tests.waiting import until
from yellowfen.core.heat.heat_plan import HeatPlan, usual_moves
from yellowfen.core.run.heat_cues import ALL_FLOWED, AWAY, SOLID, START, seen_key, stop_key
from yellowfen.store import bench_runs as stored
from yellowfen.store import jobs, tasks
from yellowfen.store.work import Lost
from yellowfen.workflows import tasks as work
from yellowfen.workflows.opening import connect_existing

PARTS = ["U4", "C9", "R10", "Q2", "C4"]


def planned(client: TestClient, plan: dict[str, Any], **changes: Any) -> dict[str, Any]:
    """The plan kept on job 1, and the answer of its rehearsal."""
    reply = client.post("/api/jobs/1/rehearse", json=plan | {"targets": PARTS} | changes)
    assert reply.status_code == 200, reply.text
    return reply.json()


def worked(client: TestClient, task_id: int) -> dict[str, Any]:
    """The task at its end; the worker process may do it, or this one."""

    def ended() -> dict[str, Any]:
        seen: dict[str, Any] = client.get("/api/jobs/1/tasks/tour").json()
        there = seen["id"] == task_id and seen["state"] not in ("waiting", "working")
        return seen if there else {}

    return until(ended, "the tour is planned", 0.1)


def test_a_tour_is_asked_for_taken_and_run_by_stop(
    client: TestClient, plan: dict[str, Any]
) -> None:
    planned(client, plan)
    asked = client.post("/api/jobs/1/tasks", json={"kind": "tour"}).json()
    done = worked(client, asked["id"])
    assert done["state"] == "done", done["said"]
    assert done["fresh"]
    tour = done["tour"]
    assert sorted(ref for stop in tour["stops"] for ref in stop["flows"]) == sorted(
        set(PARTS) - {one["ref"] for one in tour["left"]}
    )
    assert all(0 < stop["x_mm"] < 62 and 0 < stop["y_mm"] < 44 for stop in tour["stops"])
    assert "moves" not in tour
    assert client.post(f"/api/tasks/{asked['id']}/take", json={}).json() == {"taken": True}
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    kept = jobs.get(connection, 1).plan
    assert kept.tour == (len(tour["stops"]) > 1)
    assert set(kept.targets) | {one["ref"] for one in tour["left"]} == set(PARTS)
    assert not set(kept.targets) & set(kept.absent)
    quick = client.post("/api/jobs/1/tasks", json={"kind": "tour", "charge": "quick"}).json()
    assert quick["id"] != asked["id"]
    assert worked(client, quick["id"])["tour"]["total_s"] <= tour["total_s"]
    wrong = client.post("/api/jobs/1/tasks", json={"kind": "tour", "charge": "by moonlight"})
    assert wrong.status_code == 422
    again = client.post("/api/jobs/1/tasks", json={"kind": "tour", "order": "by moonlight"})
    assert again.status_code == 422
    assert "by moonlight" in again.json()["problem"]
    connection.close()


TOUR_MOVES = [
    {
        "deed": "close",
        "seconds": 45,
        "height_mm": 12,
        "circle_mm": 3,
        "over": ["U4"],
        "awaits": ["C9"],
    },
    {
        "deed": "close",
        "seconds": 20,
        "height_mm": 12,
        "circle_mm": 3,
        "over": ["Q2", "R10", "gone"],
    },
    {"deed": "withdraw", "seconds": 40},
]
FOUR = ["U4", "C9", "R10", "Q2"]


def test_moves_at_different_places_are_kept_rehearsed_and_followed(
    client: TestClient, plan: dict[str, Any]
) -> None:
    answer = planned(client, plan, targets=FOUR, moves=TOUR_MOVES, absent=["J1", "U4"])
    assert [stop["refs"] for stop in answer["stops"]] == [["U4", "C9"], ["Q2", "R10"]]
    assert answer["stops"][0]["began_s"] == 0
    assert "melts last" in answer["stops"][0]["watch"]
    assert "J1" not in answer["parts"]
    hostile = plan | {
        "targets": FOUR,
        "moves": TOUR_MOVES,
        "absent": ["\ud800", "x" * 10_000, "J2"],
    }
    body = json.dumps(hostile).encode()
    reply = client.post(
        "/api/jobs/1/rehearse", content=body, headers={"content-type": "application/json"}
    )
    assert reply.status_code in (200, 422)
    assert "U4" in answer["parts"]  # what is heated is on the board
    sure = client.get("/api/jobs/1/sureness").json()
    assert len(sure["stays"]) == 2
    assert sure["total_s"][0] < sum(move["seconds"] for move in TOUR_MOVES[:2])
    page = client.get("/jobs/1/heat").text
    assert '"over": ["U4"]' in page
    run = client.post("/jobs/1/runs").url.path
    state = json.loads(client.get(run).text.split('id="state">')[1].split("</script>")[0])
    assert [span["word"] for span in state["spans"]] == ["1", "2", "withdraw"]
    assert len(state["places"]) == 2
    began = 1_800_000_000_000

    def tap(cue: str, at_s: float, word: str = "done") -> dict[str, Any]:
        body = {"key": f"{cue} {word}", "cue": cue, "word": word, "at_ms": began + int(1000 * at_s)}
        reply = client.post(f"/api{run}/taps", json=body)
        assert reply.status_code == 200, reply.text
        return reply.json()

    now = tap(START, 0)
    assert now["cues"][0]["key"] == stop_key(1)
    assert {one["cue"] for one in now["signs"]} == {"flux 1", "shine 1"}
    planned_s = now["cues"][0]["due_s"]
    after = tap(seen_key("flux", 1), 0.25 * planned_s)  # type: ignore[arg-type]
    assert after["cues"][0]["due_s"] != planned_s
    assert {one["cue"] for one in after["signs"]} == {"shine 1"}
    assert tap(stop_key(1), planned_s)["cues"][0]["key"] == stop_key(2)
    late = tap(stop_key(2), planned_s + 90, "not seen")
    assert late["cues"][0]["key"] == AWAY
    assert client.get(f"/api{run}/taps").json()["cues"] == late["cues"]
    tap(AWAY, planned_s + 91)
    assert "Stop 2 of 2: Q2, R10 not seen" in tap(SOLID, planned_s + 120)["closing"]
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    kept = stored.get(connection, int(run.split("/")[-1]))
    assert set(kept.molten) == {"U4", "C9"}
    assert kept.in_doubt_first[:2] == ("R10", "Q2")  # where Look begins
    connection.close()
    looked = client.get("/jobs/1/look").text.split("riskiest first")[1]
    assert re.search("<td><b>(.*?)</b>", looked)[1] in ("R10", "Q2")  # type: ignore[index]
    book = client.get("/logbook").text
    assert "Stop 1: U4, C9" in book
    assert f"{planned_s:.0f} s" in book
    # The next board of the same heat begins with what this one showed.
    second = client.post("/jobs/1/runs").url.path
    ready = json.loads(client.get(second).text.split('id="state">')[1].split("</script>")[0])
    assert "as the last run showed" in ready["cues"][0]["detail"]


def test_many_parts_are_watched_as_one_and_earlier_runs_keep_their_cues(
    client: TestClient, plan: dict[str, Any]
) -> None:
    answer = planned(client, plan)
    assert len(answer["told"]) < len(answer["events"])
    run = int(client.post("/jobs/1/runs").url.path.split("/")[-1])
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    kept = stored.get(connection, run)
    assert [cue.key for cue in kept.script.cues] == [START, ALL_FLOWED, AWAY, SOLID]
    assert kept.forecast is not None
    connection.execute(
        "UPDATE bench_run SET forecast = json_remove(forecast, '$.grouped') WHERE id = ?", (run,)
    )
    keys = [cue.key for cue in stored.get(connection, run).script.cues]
    assert sum(key.startswith("flowed ") for key in keys) == len(PARTS)
    connection.close()


def test_a_tour_whose_worker_was_killed_is_done_once_by_the_next(
    client: TestClient, plan: dict[str, Any]
) -> None:
    planned(client, plan, targets=["R10", "Q2"])
    client.app.state.worker.stop()  # type: ignore[attr-defined]
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    task_id = work.ask(connection, 1, work.TOUR)
    first = take_task(connection, "first")
    assert first is not None
    second = take_task(connection, "second")
    assert second is not None
    assert second.id == task_id
    with pytest.raises(Lost):
        tasks.add_step(connection, first, 0, "{}")
    work.do(connection, second)
    done = tasks.get(connection, task_id)
    assert done.state == "done"
    assert sum("moves" in json.loads(step) for step in done.steps) == 1
    kept = work.take_tour(connection, task_id)
    assert isinstance(kept, HeatPlan)
    assert kept.targets
    assert set(kept.targets) <= {"R10", "Q2"}  # what stays cold too often goes to the iron
    connection.close()


def test_the_cautious_stop_is_one_figure_and_a_new_heat_ends_by_its_own_band(
    client: TestClient,
) -> None:
    form = {"purpose": "rework", "parts": "R10", "name": "One chip"}
    job = int(client.post("/boards/1/open", data=form).url.path.split("/")[2])
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    plan = jobs.get(connection, job).plan
    connection.close()
    assert plan.moves != usual_moves(plan.targets)
    sure = client.get(f"/api/jobs/{job}/sureness").json()
    ends = sum(move.seconds for move in plan.moves if move.heats)
    stop = sure["stop"]["at_s"] if sure["stop"] else ends
    late = sure["lasts"]["all molten"][1]
    assert min(late, stop) - 3 <= ends <= max(late + 6, stop)
    run = client.post(f"/jobs/{job}/runs").url.path
    state = json.loads(client.get(run).text.split('id="state">')[1].split("</script>")[0])
    assert state["stop_s"] == pytest.approx(sure["stop"] and sure["stop"]["at_s"])
    tap = {"key": "a", "cue": START, "word": "done", "at_ms": 1_800_000_000_000}
    begun = client.post(f"/api{run}/taps", json=tap).json()
    assert begun["stop_s"] == pytest.approx(state["stop_s"])
