"""Jobs by what they are for: every stage speaks of their parts, heats have their sides, boards are
counted one by one.
"""

import html
import json
import re
import time
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from yellowfen.core.run.heat import HEAT
from yellowfen.core.run.machine import Tap
from yellowfen.core.run.pad_heats import by_part
from yellowfen.core.run.stages import COURSES, next_stage
from yellowfen.core.work.job import Purpose
from yellowfen.store import bench_runs as stored
from yellowfen.store import boards, jobs
from yellowfen.web.app import create_app
from yellowfen.workflows import bench_runs, demo
from yellowfen.workflows.ledger import ledger_of_piece, stages_behind
from yellowfen.workflows.look import soldering
from yellowfen.workflows.opening import DATABASE, back_up, connect_existing
from yellowfen.workflows.paste import dotting, paste_state
from yellowfen.workflows.ready import estimate_of, kit_lines, order_of, ready_state, timed
from yellowfen.workflows.rework import answers_of


def opened(client: TestClient, **form: str) -> int:
    reply = client.post("/boards/1/open", data=form)
    assert reply.status_code == 200, reply.text[-600:]
    return int(reply.url.path.split("/")[2])


def test_a_rework_of_one_part_is_about_that_part_everywhere(client: TestClient) -> None:
    job = opened(client, purpose="rework", parts="U4")
    connection = connect_existing(client.app.state.data)
    state = ready_state(connection, job)
    assert [one.part.ref for one in state.ways] == ["U4"]
    assert not any(
        offer.way.startswith("print") and not offer.refused for offer in state.ways[0].offers
    )
    lines = kit_lines(connection, state)
    assert [(line.refs, line.wanted) for line in lines] == [(("U4",), 1)]
    assert [step.ref for step in order_of(connection, state, "top").steps] in (["U4"], [])
    steps = dotting(connection, paste_state(connection, job), "top").steps
    assert {step.ref for step in steps} <= {"U4"}
    minutes = estimate_of(connection, state)
    assert minutes.middle_min < 20
    kept = jobs.get(connection, job)
    assert [(heat.name, heat.plan.targets) for heat in kept.heats] == [
        ("Removal", ("U4",)),
        ("Refit", ("U4",)),
    ]
    for page in (
        "ready",
        "ready/kit",
        "ready/when",
        "paste",
        "paste/hand",
        "place",
        "heat",
        "look",
    ):
        text = client.get(f"/jobs/{job}/{page}").text
        assert "Rework: U4" in text
    assert "46 parts" not in client.get(f"/jobs/{job}/ready").text
    connection.close()


def test_heat_says_where_it_differs_from_ways(client: TestClient) -> None:
    job = opened(client, purpose="build")
    page = f"/jobs/{job}/heat"
    assert "data-beside-ways" not in client.get(page).text
    with closing(connect_existing(client.app.state.data)) as connection:
        here = jobs.get(connection, job).plan
        ref = next(
            ref
            for ref in here.targets
            if any(
                offer.way == "iron, joint by joint" and not offer.refused
                for offer in ready_state(connection, job).way(ref).offers
            )
        )
    client.post(f"/jobs/{job}/ready", data={"do": "way", "way": "iron, joint by joint", "ref": ref})
    assert f"Methods solders {ref} differently" in client.get(page).text
    with closing(connect_existing(client.app.state.data)) as connection:
        most = max(jobs.get(connection, job).heats, key=lambda heat: len(heat.plan.targets))
        jobs.choose_heat(connection, job, most.id)
        jobs.keep_heat(connection, most.id, replace(most.plan, targets=most.plan.targets[1:]))
    assert f"{most.plan.targets[0]} is pasted but in no heat" in client.get(page).text


def test_a_two_sided_build_has_a_heat_for_each_side_and_leaves_the_iron_its_own(
    client: TestClient,
) -> None:
    job = opened(client, purpose="build")
    connection = connect_existing(client.app.state.data)
    kept, state = jobs.get(connection, job), ready_state(connection, job)
    assert [heat.plan.side for heat in kept.heats] == [state.sides.first, state.sides.second]
    sides = {part.ref: part.side for part in state.board.parts}
    heated: set[str] = set()
    for heat in kept.heats:
        assert {sides[ref] for ref in heat.plan.targets} == {heat.plan.side}
        assert not set(heat.plan.targets) & state.by_iron
        heated |= set(heat.plan.targets)
        client.post(f"/jobs/{job}/heats", data={"heat": str(heat.id)})
        page = client.get(f"/jobs/{job}/heat").text
        assert f'data-side="{heat.plan.side}"' in page
        run = client.post(f"/jobs/{job}/runs").url.path
        mine = stored.get(connection, int(run.rsplit("/", 1)[1]))
        assert (mine.heat_id, mine.targets) == (heat.id, heat.plan.targets)
    assert heated | state.by_iron >= set(sides)
    connection.close()


def test_each_board_keeps_its_own_state_over_all_jobs(client: TestClient) -> None:
    """A heat counts once for the piece in hand and what flowed; another job goes on with the same
    piece.
    """
    first = opened(client, purpose="rework", parts="U4", pieces="red dot, blue dot")
    connection = connect_existing(client.app.state.data)
    red, blue = jobs.get(connection, first).pieces
    client.post(f"/jobs/{first}/piece", data={"piece": str(red.id)})
    plan = jobs.get(connection, first).plan
    longer = (replace(move, seconds=60.0) if move.deed == "close" else move for move in plan.moves)
    jobs.keep_heat_plan(connection, first, replace(plan, moves=tuple(longer)))
    run = bench_runs.start_heat(connection, first)
    for number, cue in enumerate(("start", "lifted U4", "away", "solid")):
        bench_runs.tap(connection, run, Tap(key=cue, cue=cue, word="done", at_ms=1000 * number))
    second = opened(client, purpose="rework", parts="C3 U4", pieces="red dot")
    assert jobs.get(connection, second).pieces == (red,)
    state = ledger_of_piece(connection, jobs.get(connection, second), red)
    assert by_part(state.pads) == {"U4": 1}
    assert state.removed() == ["U4"]
    untouched = ledger_of_piece(connection, jobs.get(connection, first), blue)
    assert untouched.pads == {}
    assert untouched.removed() == []
    page = client.get(f"/jobs/{second}/pieces").text
    assert re.search(r"Heats of its pads: <b>up to 1</b>", page)
    assert "<b>1 ×</b> U4" in page
    near = {ref for (ref, _), one in state.pads.items() if one.likely}
    assert "U4" not in near
    assert near  # its neighbours melted by the forecast, and nobody watched them
    connection.close()


def test_a_job_opens_where_there_is_something_to_do(client: TestClient) -> None:
    job = opened(client, purpose="salvage", parts="U4")
    assert client.get(f"/jobs/{job}").url.path == f"/jobs/{job}/survey"
    client.post(f"/jobs/{job}/survey/take", data={"way": "hot air, round nozzle", "of": "U4"})
    assert client.get(f"/jobs/{job}").url.path == f"/jobs/{job}/lift"
    strip = re.findall(r'class="strip">(.*?)</ol>', client.get(f"/jobs/{job}/lift").text, re.S)[0]
    assert re.findall(r">(\w+)", strip) == ["Survey", "Remove", "Leads", "Refit"]
    assert strip.count("✓") == 1
    for purpose, course in COURSES.items():
        assert next_stage(purpose, {stage.key for stage in course}) == course[-1]


def test_what_a_job_is_for_is_changed_without_loss_and_the_job_put_away_and_back(
    client: TestClient,
) -> None:
    connection = connect_existing(client.app.state.data)
    run = bench_runs.start_heat(connection, 1)
    before = jobs.get(connection, 1).heats
    client.post("/jobs/1/purpose", data={"purpose": "rework", "parts": "U4 C3", "name": "Other"})
    job = jobs.get(connection, 1)
    assert (job.name, job.purpose, job.parts) == ("Other", Purpose.REWORK, ("U4", "C3"))
    assert job.heats == before  # one was run, so none is proposed anew
    assert stored.latest(connection, 1, HEAT).id == run
    client.post("/jobs/1/remove")
    assert client.get("/jobs/1/heat").status_code == 404
    assert "Other was put away" in client.get("/").text or "Other" not in client.get("/").text
    client.post("/jobs/1/back")
    assert jobs.get(connection, 1) == job
    connection.close()


@pytest.mark.parametrize(
    ("form", "said"),
    [
        ({"purpose": "rework"}, "tap the parts"),
        ({"purpose": "rework", "parts": "U4 X99"}, "X99 is not on this board"),
        ({"purpose": "paint"}, "choose what the job is for"),
        ({"purpose": "build", "pieces": "900"}, "more than 200 boards"),
    ],
)
def test_what_cannot_be_opened_is_said_and_what_was_typed_stays(
    client: TestClient, form: dict[str, str], said: str
) -> None:
    reply = client.post("/boards/1/open", data=form)
    assert reply.status_code == 422
    assert said in reply.text
    assert f'value="{form.get("pieces", "")}"' in reply.text
    connection = connect_existing(client.app.state.data)
    assert len(jobs.rows(connection)) == 1
    connection.close()


def test_the_demo_has_a_past_made_as_a_user_would_make_it(furnished: Path, tmp_path: Path) -> None:
    """A rework run once, a build half-way on one of two boards, a taught station, a plate and an
    iron; done once only.
    """
    back_up(furnished, tmp_path / DATABASE)
    client = TestClient(create_app(tmp_path), base_url="http://127.0.0.1")
    connection = connect_existing(tmp_path)
    assert not demo.furnish(connection)
    salvage, patch, pads, build, rework = jobs.rows(connection)
    assert stages_behind(connection, rework) >= {"survey", "lift", "refit"}
    assert stages_behind(connection, pads) == {"survey", "lift"}
    assert stages_behind(connection, patch) == frozenset()
    assert stages_behind(connection, salvage) == {"survey"}  # three of eight are off
    assert ledger_of_piece(connection, pads, pads.pieces[0]).removed() == ["U2"]
    heated = stored.latest(connection, build.id, HEAT)
    assert heated is not None
    assert heated.forecast is not None
    for target in heated.forecast.targets:  # what the demo says was seen is what could be seen
        assert target.flows_s is not None
        assert heated.flowed_s(target.ref) == pytest.approx(target.flows_s, rel=0.1)
    first, second = (ledger_of_piece(connection, build, piece) for piece in build.pieces)
    side = build.heats[0].plan.side
    targets = set(build.heats[0].plan.targets)
    parts = {part.ref: part.side for part in boards.get(connection, 1).parts}
    assert set(first.soldered(parts)) == set(first.placed(parts)) == targets
    assert not second.soldered(parts)
    assert {parts[ref] for ref in first.soldered(parts)} == {side}
    for piece, run in ((1, None), (0, heated)):  # Look speaks of the board on the bench
        jobs.take_piece(connection, build.id, build.pieces[piece].id)
        mine = soldering(connection, jobs.get(connection, build.id))
        assert next(iter(mine), None) == run
    for path in (
        "/",
        "/logbook",
        "/bench",
        "/today",
        f"/jobs/{build.id}/pieces",
        f"/jobs/{rework.id}/finish",
    ):
        assert client.get(path).status_code == 200
    page = client.get("/logbook").text
    assert "More flux there." in page
    assert "paste by hand" in page
    assert "Calibrated: see what is known" in client.get("/bench").text
    connection.close()


def test_a_run_is_put_away_and_nothing_is_learnt_from_it_until_it_is_back(
    client: TestClient,
) -> None:
    connection = connect_existing(client.app.state.data)
    jobs.set_purpose(connection, 1, "U4", purpose=Purpose.BUILD, parts=("U4",))
    run = bench_runs.start_heat(connection, 1)
    for number, cue in enumerate(("start", "flowed U4", "away", "solid")):
        at = 1000 + 44_000 * number
        bench_runs.tap(connection, run, Tap(key=cue, cue=cue, word="done", at_ms=at))
    assert "heat" in stages_behind(connection, jobs.get(connection, 1))
    client.post(f"/runs/{run}/remove")
    assert client.get(f"/runs/{run}").status_code == 404
    assert "heat" not in stages_behind(connection, jobs.get(connection, 1))
    assert "no run with this station" in client.post("/bench/stations/1/runs").text
    assert "nothing is learnt from it" in client.get("/logbook").text
    client.post(f"/runs/{run}/back")
    assert stored.get(connection, run).flowed_s("U4") == 44.0
    assert client.post("/bench/stations/1/runs", follow_redirects=False).status_code == 303
    assert client.post("/runs/999/back").status_code == 404
    connection.close()


def test_the_number_of_boards_stands_once(client: TestClient) -> None:
    """Set in Ready it is that of Paste, and named boards set both."""
    connection = connect_existing(client.app.state.data)
    client.post("/jobs/1/ready/when", data={"boards": "7"})
    assert paste_state(connection, 1).plan.boards == ready_state(connection, 1).plan.boards == 7
    assert 'value="7"' in client.get("/jobs/1/paste/hand").text
    job = opened(client, purpose="build", pieces="3")
    assert paste_state(connection, job).plan.boards == ready_state(connection, job).plan.boards == 3
    connection.close()


def test_a_kit_that_is_all_there_stays_so_when_the_list_is_made_anew(client: TestClient) -> None:
    """Another number of boards is another list; what was answered is answered, and Ready stays
    done.
    """
    job = opened(client, purpose="rework", parts="U4")
    connection = connect_existing(client.app.state.data)
    run = bench_runs.start_kit_check(connection, job)
    (line,) = stored.get(connection, run).script.cues
    bench_runs.tap(connection, run, Tap(key="a", cue=line.key, word="there", at_ms=1))
    client.post(f"/jobs/{job}/ready/when", data={"boards": "2"})
    again = bench_runs.start_kit_check(connection, job)
    assert again != run
    client.post(f"/runs/{run}/remove")
    assert "ready" in stages_behind(connection, jobs.get(connection, job))
    connection.close()


def test_the_room_stands_once(client: TestClient, plan: dict[str, object]) -> None:
    """Typed in Ready it is Heat's, of every heat; typed in Heat it is Ready's."""
    job = opened(client, purpose="build", parts="", name="two faces")
    client.post(f"/jobs/{job}/heats", data={"do": "add", "name": "other"})

    def rooms() -> set[str]:
        heat = client.get(f"/jobs/{job}/heat").text
        typed = re.search(
            r'name="room_c"[^>]*value="([^"]+)"', client.get(f"/jobs/{job}/ready/when").text
        )
        told = re.search(r'"ambient_c": ([\d.]+)', html.unescape(heat))
        assert typed
        assert told
        return {f"{float(typed[1]):g}", f"{float(told[1]):g}"}

    assert rooms() == {"23"}
    kept = {
        "do": "plan",
        "boards": "1",
        "pace": "1",
        "room_c": "17",
        "humidity": "50",
        "fridge_c": "5",
        "container": "syringe",
        "grams": "35",
        "bags_open_h": "0",
    }
    assert client.post(f"/jobs/{job}/ready/when", data=kept).status_code == 200
    assert rooms() == {"17"}
    for heat in re.findall(r'name="heat" value="(\d+)"', client.get(f"/jobs/{job}/heat").text):
        client.post(f"/jobs/{job}/heats", data={"do": "take", "heat": heat})
        assert rooms() == {"17"}
    assert (
        client.post(f"/api/jobs/{job}/rehearse", json={**plan, "ambient_c": 28}).status_code == 200
    )
    assert rooms() == {"28"}


def test_heats_solder_with_the_metal_of_the_paste(
    client: TestClient, plan: dict[str, object]
) -> None:
    """A heat that had the paste's metal gets the new one's; one that was set apart keeps its own,
    and the page says which paste the job has.
    """
    job = opened(client, purpose="build", parts="")

    def metal() -> str:
        told = re.search(r'"alloy": "([^"]+)"', html.unescape(client.get(f"/jobs/{job}/heat").text))
        assert told
        return told[1]

    def paste(name: str) -> None:
        assert (
            client.post(f"/jobs/{job}/paste", data={"paste": name, "foil": ""}).status_code == 200
        )

    assert metal() == "Sn63Pb37"
    paste("sac-t4")
    assert metal() == "Sn96.5Ag3Cu0.5"
    assert client.post(f"/api/jobs/{job}/rehearse", json=plan).status_code == 200
    assert metal() == "Sn63Pb37"
    paste("snbi-t4")
    assert metal() == "Sn63Pb37"
    assert 'data-paste="Sn42Bi58"' in client.get(f"/jobs/{job}/heat").text


def test_a_rework_of_a_board_that_was_built_here_knows_its_solder_and_its_heats(
    client: TestClient,
) -> None:
    build = opened(client, purpose="build", parts="U4", pieces="red dot")
    connection = connect_existing(client.app.state.data)
    plan = jobs.get(connection, build).plan
    jobs.keep_heat_plan(connection, build, replace(plan, alloy="Sn42Bi58"))
    for heat in range(3):
        run = bench_runs.start_heat(connection, build)
        for number, cue in enumerate(("start", "flowed U4", "away", "solid")):
            at = 100_000 * heat + 1000 * number
            bench_runs.tap(connection, run, Tap(key=cue, cue=cue, word="done", at_ms=at))
    job = jobs.get(connection, opened(client, purpose="rework", parts="U4", pieces="red dot"))
    asked = answers_of(connection, job)
    assert (str(asked.solder), str(asked.age)) == (
        "low-melting, with bismuth",
        "built within days, dry",
    )
    assert job.plan.board_alloy == asked.alloy
    settings = re.search(r'id="settings">(.*?)</script>', client.get(f"/jobs/{job.id}/lift").text)
    assert settings is not None
    answer = client.post(f"/api/jobs/{job.id}/rehearse", json=json.loads(settings[1])).json()
    assert answer["spent"]["heats"] == [{"ref": "U4", "number": 4}]  # a fourth is warned of
    assert ledger_of_piece(connection, job, job.pieces[0]).pads["U4", "1"].heats == 3
    connection.close()


def test_schedule_and_today_follow_the_runs(client: TestClient) -> None:
    job = opened(client, purpose="build", parts="U4", pieces="A, B")
    connection = connect_existing(client.app.state.data)
    board = jobs.get(connection, job).pieces[1]
    jobs.take_piece(connection, job, board.id)
    assert f"/jobs/{job}" not in client.get("/today").text
    run = bench_runs.start_heat(connection, job)
    now = int(time.time() * 1000)
    for number, cue in enumerate(("start", "flowed U4", "away", "solid")):
        at = now - 60_000 + 10_000 * number
        bench_runs.tap(connection, run, Tap(key=cue, cue=cue, word="done", at_ms=at))
    found = timed(connection, ready_state(connection, job), time.time()).found
    done = {one.task.key for one in found.tasks if one.done}
    assert {"heat top 2", "place top 2", "paste top 2"} <= done
    assert not done & {"heat top 1", "place top 1", "look"}
    assert "of work are left" in client.get(f"/jobs/{job}/ready/when").text
    assert f"/jobs/{job}" in client.get("/today").text
    bench_runs.undo_tap(connection, run, "solid")
    bench_runs.undo_tap(connection, run, "away")
    found = timed(connection, ready_state(connection, job), time.time()).found
    assert not any(one.done for one in found.tasks)
    connection.close()


def test_what_is_kept_of_a_board_follows_its_note_and_what_the_job_is_for(
    client: TestClient,
) -> None:
    job = opened(client, purpose="build", parts="U4", pieces="A")
    connection = connect_existing(client.app.state.data)
    run = bench_runs.start_heat(connection, job)
    bench_runs.tap(connection, run, Tap(key="u", cue="unclocked", word="done", at_ms=1))
    for note in ("first", "other"):
        bench_runs.finish(connection, run, note)
        assert f"Note: {note}" in client.get(f"/jobs/{job}/pieces").text
    patch = opened(client, purpose="build", parts="U4")
    before = jobs.get(connection, patch)
    assert ledger_of_piece(connection, before, None).soldered(["U4"]) == []
    jobs.set_purpose(connection, patch, "x", purpose=Purpose.REWORK, parts=("U4",))
    now = jobs.get(connection, patch)
    assert ledger_of_piece(connection, now, None).soldered(["U4"]) == ["U4"]
    connection.close()
