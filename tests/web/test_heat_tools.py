"""Sources, long work, calibration and tools over HTTP; a killed worker's task goes on; bad input
changes nothing.
"""

import json
import os
import re
import signal
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.waiting import until
from tests.web.worker import asleep, worked_out
from yellowfen.core.heat import sureness
from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.run.machine import Tap
from yellowfen.store import calibrations, jobs, tasks, work
from yellowfen.web.worker_process import WorkerProcess
from yellowfen.workflows import bench_runs, calibration
from yellowfen.workflows.opening import connect_existing

JSON = {"accept": "application/json"}
SMALL = {"kind": "window", "axis": "outlet_c"}


def finished(client: TestClient, kind: str) -> dict[str, Any]:
    def ended() -> dict[str, Any]:
        seen = client.get(f"/api/jobs/1/tasks/{kind}", headers=JSON).json()
        return {} if seen["state"] in ("waiting", "working") else dict(seen)

    return until(ended, "the work ends", 0.1)


@pytest.mark.parametrize(
    "change",
    [
        {
            "source": "plate",
            "plate": {"set_c": 240, "film_mm": 0.1, "control": "thermostat"},
            "moves": [{"deed": "plate", "seconds": 60}, {"deed": "withdraw", "seconds": 20}],
        },
        {
            "source": "oven",
            "oven": {"curve": [[0, 25, 25], [60, 180, 200], [120, 230, 250]], "fan_w_m2k": 15},
            "moves": [{"deed": "oven", "seconds": 120}],
        },
        {
            "preheater": {"celsius": 160},
            "shields": ["C9"],
            "shield_kind": "tape",
            "air": {"nozzle_mm": 6, "outlet_c": 350, "flow_lpm": 30, "nozzle_long_mm": 12},
            "board_alloy": "Sn96.5Ag3Cu0.5",
            "moves": [
                {"deed": "preheat", "seconds": 20},
                {
                    "deed": "close",
                    "seconds": 20,
                    "height_mm": 15,
                    "circle_mm": 4,
                    "path": "ends",
                    "tilt_deg": 30,
                },
            ],
        },
        {"core": "aluminium"},
    ],
)
def test_every_source_rehearses_over_http_and_is_kept(
    client: TestClient, plan: dict[str, Any], change: dict[str, Any]
) -> None:
    answer = client.post("/api/jobs/1/rehearse", json=plan | change, headers=JSON).json()
    assert answer["parts"]["U4"]["body_peak_c"] > 30
    assert (answer["profile"] is None) == (change.get("source") is None)
    page = client.get("/jobs/1/heat").text
    kept = json.loads(page.split('id="settings">')[1].split("</script>")[0])
    assert kept["source"] == change.get("source", "air")
    assert client.get("/api/jobs/1/sureness", headers=JSON).json()["count"] > 8


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"plate": {"set_c": 9000}}, "set temperature: "),
        ({"oven": {"curve": [[0, 20, 20]]}}, "2 to 500 points"),
        ({"preheater": {"celsius": -4}}, "temperature: -4"),
        ({"source": "plate"}, "not a move for this source"),
        ({"board_alloy": "Cheese"}, "no alloy"),
        (
            {"air": {"nozzle_mm": 6, "outlet_c": 350, "flow_lpm": 30, "nozzle_long_mm": 1}},
            "long side: ",
        ),
        ({"moves": [{"deed": "close", "seconds": 5, "tilt_deg": 89}]}, "lean: 89"),
        ({"moves": [{"deed": "preheat", "seconds": 5}]}, "no preheater"),
    ],
)
def test_absurd_sources_are_refused_and_change_nothing(
    client: TestClient, plan: dict[str, Any], change: dict[str, Any], said: str
) -> None:
    before = client.get("/jobs/1/heat").text
    reply = client.post("/api/jobs/1/rehearse", json=plan | change, headers=JSON)
    assert reply.status_code == 422
    assert said in reply.json()["problem"]
    assert client.get("/jobs/1/heat").text == before


def test_a_window_is_drawn_column_by_column_and_its_calmest_point_taken(client: TestClient) -> None:
    asked = client.post("/api/jobs/1/tasks", json=SMALL, headers=JSON).json()
    assert asked["state"] in ("waiting", "working")
    seen = finished(client, "window")
    assert seen["state"] == "done"
    assert len(seen["map"]["columns"]) == 20
    best = seen["map"]["calmest"]
    assert client.post(
        f"/api/tasks/{seen['id']}/take",
        json={"setting": best["setting"], "dwell_s": best["dwell_s"]},
        headers=JSON,
    ).json() == {"taken": True}
    connection = connect_existing(client.app.state.data)
    plan = jobs.get(connection, 1).plan
    connection.close()
    assert plan.air.outlet_c == pytest.approx(best["setting"])
    assert plan.moves[1].seconds == pytest.approx(best["dwell_s"])


def test_a_search_can_be_given_up_and_its_proposals_taken(client: TestClient) -> None:
    task = client.post("/api/jobs/1/tasks", json={"kind": "settings"}, headers=JSON).json()
    steps = "/api/jobs/1/tasks/settings"
    until(lambda: client.get(steps, headers=JSON).json()["steps"] >= 1, "a first step")
    seen = client.post(f"/api/tasks/{task['id']}/cancel", headers=JSON).json()
    assert seen["state"] == "cancelled"
    first = next(one for one in seen["proposals"] if one["best"])
    assert client.post(
        f"/api/tasks/{task['id']}/take", json={"key": first["key"]}, headers=JSON
    ).json() == {"taken": True}
    for body, said in (({"key": "moonlight"}, "not there any more"), ({}, "which proposal")):
        reply = client.post(f"/api/tasks/{task['id']}/take", json=body, headers=JSON)
        assert reply.status_code == 422
        assert said in reply.json()["problem"]


@pytest.mark.parametrize("kind", ["window", "settings", "off"])
@pytest.mark.parametrize("body", [{"key": "air"}, {"setting": 9999, "dwell_s": 20}])
def test_an_answer_to_another_question_is_refused(
    client: TestClient, kind: str, body: dict[str, Any]
) -> None:
    """A page left open takes what its task has not; the sentence comes back and the plan stays."""
    connection = connect_existing(client.app.state.data)
    before = jobs.get(connection, 1).plan
    if kind == "off":
        task_id = work.add(connection, "off", job_id=1, asked=json.dumps({"of": "C9"}))
    else:
        asked = SMALL | {"kind": kind} if kind == "window" else {"kind": kind}
        task_id = client.post("/api/jobs/1/tasks", json=asked, headers=JSON).json()["id"]
    reply = client.post(f"/api/tasks/{task_id}/take", json=body, headers=JSON)
    assert reply.status_code in (409, 422)
    assert reply.json()["problem"]
    assert jobs.get(connection, 1).plan == before
    assert client.post(f"/api/tasks/{task_id}/cancel", headers=JSON).status_code == 200
    connection.close()


def test_a_killed_worker_is_followed_by_one_that_goes_on(client: TestClient) -> None:
    worker: WorkerProcess = client.app.state.worker
    task = client.post("/api/jobs/1/tasks", json=SMALL, headers=JSON).json()
    connection = connect_existing(client.app.state.data)
    until(lambda: len(tasks.get(connection, task["id"]).steps) >= 2, "two steps")
    pid = worker.pid
    assert pid is not None
    os.kill(pid, signal.SIGKILL)
    before = tasks.get(connection, task["id"])
    seen = finished(client, "window")
    connection.close()
    assert seen["state"] == "done"
    assert worker.pid not in (None, pid)
    assert [json.loads(step)["setting"] for step in before.steps] == seen["map"]["settings"][
        : len(before.steps)
    ]


def test_the_same_question_is_answered_once_and_a_problem_is_said(
    client: TestClient, plan: dict[str, Any]
) -> None:
    first = client.post("/api/jobs/1/tasks", json=SMALL, headers=JSON).json()
    assert client.post("/api/jobs/1/tasks", json=SMALL, headers=JSON).json()["id"] == first["id"]
    assert client.get("/api/jobs/1/tasks/settings", headers=JSON).json() == {"state": "none"}
    client.post(
        "/api/jobs/1/rehearse",
        json=plan | {"source": "oven", "moves": [{"deed": "oven", "seconds": 60}]},
        headers=JSON,
    )
    reply = client.post("/api/jobs/1/tasks", json={"kind": "window"}, headers=JSON)
    assert reply.status_code == 422
    assert "hot air" in reply.json()["problem"]


def test_iron_seconds_are_asked_for_worked_out_and_kept(client: TestClient) -> None:
    """Questions, asked once, the answer stays with the job; a pin that is not there is told at once."""
    asleep(client)
    asked = "/api/jobs/1/iron?ref=U4&pin=1&tip_mm=1.6&set_c=340"
    tasks = [
        client.post(f"{asked}&tie={tie}", headers=JSON).json()
        for tie in ("as drawn", "signal", "relief", "plane")
    ]
    assert {one["state"] for one in tasks} == {"waiting"}
    stays = [worked_out(client, one["id"])["answer"]["stay_s"] for one in tasks]
    assert 1.0 < stays[1] < stays[2] < stays[3]
    assert stays[0] == pytest.approx(stays[1], rel=0.1)  # pin 1 of U4 is a signal on this board
    again = client.post(f"{asked}&tie=plane", headers=JSON).json()
    assert (again["id"], again["answer"]["stay_s"]) == (tasks[3]["id"], stays[3])
    hidden = client.post(f"{asked.replace('pin=1', 'pin=99')}&tie=plane", headers=JSON)
    assert hidden.status_code == 422
    for query, said in (
        ("ref=U4&pin=77&tip_mm=1.6&set_c=340", "no pin"),
        ("ref=U4&pin=1&tip_mm=0&set_c=340", "tip width: "),
        ("ref=U4&pin=1&tip_mm=2&set_c=340&tie=knot", "is no tie"),
        ("ref=Z1&pin=1&tip_mm=2&set_c=340", "not on this board"),
    ):
        reply = client.post(f"/api/jobs/1/iron?{query}", headers=JSON)
        assert reply.status_code == 422
        assert said in reply.json()["problem"]


TEST = {
    "distance_mm": "20",
    "alloy": "Sn63Pb37",
    "seconds": "24 27,5; 25",
    "width_mm": "50",
    "height_mm": "40",
    "thickness_mm": "1,6",
    "copper": "30",
    "ambient_c": "23",
}


def test_a_melt_test_narrows_the_forecast_and_can_be_undone(client: TestClient) -> None:
    wide = client.get("/api/jobs/1/sureness", headers=JSON).json()["lasts"]["all molten"]
    assert (
        client.post("/bench/stations/1/melt-test", data=TEST, follow_redirects=False).status_code
        == 303
    )
    page = client.get("/bench/stations/1").text
    assert "What is known" in page
    assert "strength of the air" in page
    narrow = client.get("/api/jobs/1/sureness", headers=JSON).json()["lasts"]["all molten"]
    assert narrow[1] / narrow[0] < 0.85 * wide[1] / wide[0]
    client.post("/bench/calibrations/1/undo")
    assert client.get("/api/jobs/1/sureness", headers=JSON).json()["lasts"]["all molten"] == wide
    client.post("/bench/calibrations/1/redo")
    assert client.get("/api/jobs/1/sureness", headers=JSON).json()["lasts"]["all molten"] == narrow


def test_a_handle_in_a_stand_is_kept_and_narrows_the_forecast(
    client: TestClient, plan: dict[str, Any]
) -> None:
    client.post("/bench/stations/1/melt-test", data=TEST)
    spans = {}
    for how in ("free", "stand"):
        client.post("/api/jobs/1/rehearse", json=plan | {"held": how}, headers=JSON)
        look = client.get("/api/jobs/1/sureness?more=true", headers=JSON).json()
        band = look["lasts"]["all molten"]
        spans[how] = band[1] / band[0]
    assert 1.0 < spans["stand"] < spans["free"]
    page = client.get("/jobs/1/heat").text
    assert json.loads(page.split('id="settings">')[1].split("</script>")[0])["held"] == "stand"
    reply = client.post("/api/jobs/1/rehearse", json=plan | {"held": "tail"}, headers=JSON)
    assert reply.status_code == 422


def test_a_page_that_is_left_is_weighed_no_further(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    drawn, one_sample = [], sureness.one_sample

    def counted(*asked: Any, **more: Any) -> sureness.Sample:
        drawn.append(None)
        return one_sample(*asked, **more)

    monkeypatch.setattr(sureness, "one_sample", counted)
    scope = {
        "type": "http",
        "method": "GET",
        "path": "/api/jobs/1/sureness",
        "query_string": b"more=true",
        "headers": [(b"host", b"127.0.0.1"), (b"accept", b"application/json")],
    }

    async def received() -> dict[str, Any]:
        """The whole request, and then that the page is gone."""
        return {"type": "http.request"} if not drawn else {"type": "http.disconnect"}

    async def sent(message: dict[str, Any]) -> None:
        assert message.get("status") != 200

    client.portal.call(client.app, scope, received, sent)
    assert 0 < len(drawn) < 10


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"seconds": ""}, "at least one time"),
        ({"seconds": "soon"}, "is not a number"),
        ({"distance_mm": "-3"}, "height_mm"),
        ({"copper": "250"}, "scrap.copper"),
        ({"alloy": "Cheese"}, "no alloy"),
        ({"thickness_mm": "90"}, "thickness_mm"),
        ({"seconds": "0.01"}, "seconds"),
    ],
)
def test_melt_tests_that_cannot_be_keep_what_was_typed(
    client: TestClient, change: dict[str, str], said: str
) -> None:
    reply = client.post("/bench/stations/1/melt-test", data=TEST | change)
    assert reply.status_code == 422
    assert said in reply.text
    connection = connect_existing(client.app.state.data)
    assert calibrations.of_station(connection, 1) == []
    connection.close()


def test_a_log_teaches_a_station_and_bad_logs_say_why(client: TestClient) -> None:
    rows = "\n".join(
        f"{i * 0.5};{23 + 140 * (1 - 2.718 ** (-i * 0.5 / 25)):.2f}".replace(".", ",")
        for i in range(120)
    )
    form = {
        "pasted": f"Zeit;Platine\n{rows}",
        "places": "25 20",
        "heated_s": "60",
        "distance_mm": "20",
    }
    assert (
        client.post("/bench/stations/1/log", data=form, follow_redirects=False).status_code == 303
    )
    assert "probe 1" in client.get("/bench/stations/1").text
    for change, said in (
        ({"pasted": "time,a\n1,x"}, "fewer than 8"),
        ({"places": "25"}, "x and y in mm"),
        ({"places": "1 1\n2 2\n3 3"}, "temperature column"),
    ):
        reply = client.post("/bench/stations/1/log", data=form | change)
        assert reply.status_code == 422
        assert said in reply.text.replace("&#39;", "'")


def test_runs_teach_a_station_and_settings_carry_to_another(client: TestClient) -> None:
    assert "no run with this station" in client.post("/bench/stations/1/runs").text
    connection = connect_existing(client.app.state.data)
    run = bench_runs.start_heat(connection, 1)
    for cue, at in (("start", 0), ("flowed U4", 60_000)):
        tap = Tap(key=cue, cue=cue, word="done", at_ms=1_000_000 + at)
        bench_runs.tap(connection, run, tap)
    assert client.post("/bench/stations/1/runs", follow_redirects=False).status_code == 303
    assert calibration.station_doubts(connection, 1).jet_factor < Doubts().jet_factor
    client.post(
        "/bench", data={"name": "Second", "nozzle_mm": "8", "outlet_c": "300", "flow_lpm": "20"}
    )
    (like,) = calibration.same_heat(connection, 1)
    assert like.name == "Second"
    assert like.flow_lpm is not None
    assert 2 < like.flow_lpm < 150
    assert "The same heat from" in client.get("/bench/stations/1").text
    carried = client.get("/api/jobs/1/carry/2", headers=JSON).json()
    assert carried["name"] == "Second"
    assert 2 < carried["flow_lpm"] < 150
    assert client.get("/api/jobs/1/carry/99", headers=JSON).status_code == 404
    connection.close()


def test_two_stations_stand_side_by_side_by_effective_strength(client: TestClient) -> None:
    """A twin is as strong and cannot be told apart; one that is weaker by far is, once both were
    taught; a single one is not compared.
    """
    connection = connect_existing(client.app.state.data)
    assert "Side by side" not in client.get("/bench").text
    for name, outlet, flow in (("Twin", "350", "30"), ("Weak", "250", "5")):
        client.post(
            "/bench", data={"name": name, "nozzle_mm": "6", "outlet_c": outlet, "flow_lpm": flow}
        )
    own, twin, weak = calibration.strengths(connection)
    assert twin.middle == pytest.approx(own.middle, rel=0.02)
    assert twin.ratio == pytest.approx(1.0, abs=0.02)
    assert not twin.apart
    assert weak.ratio < 0.3
    assert "is not known before a melt test" in client.get("/bench").text
    test = {
        "distance_mm": "15",
        "alloy": "Sn63Pb37",
        "width_mm": "50",
        "height_mm": "40",
        "thickness_mm": "1.6",
        "copper": "30",
        "ambient_c": "23",
    }
    for station, seconds in ((1, "20 21 20"), (3, "95 93 96")):
        assert (
            client.post(
                f"/bench/stations/{station}/melt-test",
                data=test | {"seconds": seconds},
                follow_redirects=False,
            ).status_code
            == 303
        )
    own, _, weak = calibration.strengths(connection)
    assert weak.apart
    assert weak.high < own.low
    assert own.high / own.low < 5.0  # taught: 95 % within a factor of about two either way
    assert "Weaker than" in client.get("/bench").text
    connection.close()


def test_tools_are_added_taught_and_removed(client: TestClient) -> None:
    for form in (
        {
            "kind": "plate",
            "name": "Flat-iron",
            "set_c": "240",
            "control": "thermostat",
            "band_k": "40",
        },
        {"kind": "oven", "name": "Small oven", "curve": ""},
        {"kind": "preheater", "name": "Below", "set_c": "150"},
        {"kind": "iron", "name": "Hoof", "set_c": "340", "tip_mm": "2", "shape": "bevel"},
    ):
        assert client.post("/bench/tools", data=form, follow_redirects=False).status_code == 303
    assert "swings 40 K" in client.get("/bench").text
    assert (
        client.post(
            "/bench/tools/1/melt-test", data=TEST | {"seconds": "45 50"}, follow_redirects=False
        ).status_code
        == 303
    )
    assert "air film" in client.get("/bench/tools/1").text
    assert client.get("/bench/tools/2").status_code == 200
    assert "for a hot plate" in client.post("/bench/tools/2/melt-test", data=TEST).text
    client.post("/bench/tools/4/remove")
    assert "Hoof was archived" in client.get("/bench").text
    for form, said in (
        ({"kind": "kettle"}, "choose plate"),
        ({"kind": "plate", "name": "Flat-iron", "set_c": "240"}, "on the bench already"),
        ({"kind": "plate", "name": "x", "set_c": "warm"}, "not a number"),
        ({"kind": "oven", "name": "y", "curve": "1 2"}, "seconds, air"),
    ):
        reply = client.post("/bench/tools", data=form)
        assert reply.status_code in (409, 422)
        assert said in reply.text
        for typed in {*form.values()} - {"kettle"}:  # nothing has to be typed twice
            assert f'value="{typed}"' in reply.text or f">{typed}<" in reply.text


def test_a_killed_search_goes_on_with_what_it_had(client: TestClient) -> None:
    worker: WorkerProcess = client.app.state.worker
    task = client.post(
        "/api/jobs/1/tasks", json={"kind": "settings", "free_alloy": True}, headers=JSON
    ).json()
    connection = connect_existing(client.app.state.data)
    until(lambda: len(tasks.get(connection, task["id"]).steps) >= 2, "two steps")
    had = tasks.get(connection, task["id"]).steps
    assert worker.pid is not None
    os.kill(worker.pid, signal.SIGKILL)
    seen = finished(client, "settings")
    after = tasks.get(connection, task["id"]).steps
    connection.close()
    assert seen["state"] == "done"
    assert seen["sentence"]
    assert after[: len(had)] == had
    keys = [one["key"] for one in seen["proposals"]]
    assert len(keys) == len(set(keys))
    assert "alloy" in keys


def test_the_bench_page_offers_what_the_search_may_use(client: TestClient) -> None:
    client.post("/bench/tools", data={"kind": "preheater", "name": "Below", "set_c": "150"})
    page = client.get("/jobs/1/heat").text
    facts = json.loads(page.split('id="tools">')[1].split("</script>")[0])
    assert facts["preheater"][0]["content"]["celsius"] == 150
    assert facts["plate"] == []


def test_the_board_is_turned_over_and_its_underside_heated(client: TestClient) -> None:
    """The plan is drawn from below, a part of that side is rehearsed, and one of the other is
    refused.
    """
    assert 'data-side="top"' in client.get("/jobs/1/heat").text
    client.post("/jobs/1/turn")
    page = client.get("/jobs/1/heat").text
    assert 'data-side="bottom"' in page
    assert "Bottom, seen from below" in page
    plan = json.loads(page.split('id="settings">')[1].split("</script>")[0])
    assert (plan["side"], plan["targets"]) == ("bottom", [])
    below = re.findall(r'class="part[^"]*" data-ref="([^"]+)"', page)
    fields = (
        "along_deg",
        "deed",
        "seconds",
        "height_mm",
        "circle_mm",
        "circle_s",
        "path",
        "tilt_deg",
        "tilt_to_deg",
    )
    plan["moves"] = [{key: move[key] for key in fields} for move in plan["moves"]]
    answer = client.post("/api/jobs/1/rehearse", json=plan | {"targets": below[:1]}).json()
    assert answer["lines"][0]["ref"] == below[0]
    refused = client.post("/api/jobs/1/rehearse", json=plan | {"targets": ["U4"]})
    assert refused.status_code == 422
    assert "turn the board over" in refused.json()["problem"]
    client.post("/jobs/1/turn")
    assert 'data-side="top"' in client.get("/jobs/1/heat").text
