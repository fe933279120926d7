"""Ready, Place and Today over HTTP."""

import csv
import itertools
import json
import re
import time
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import icalendar
import pytest
from fastapi.testclient import TestClient

from tests.conftest import DATA
from tests.web.worker import asleep, worked_out
from yellowfen import cli
from yellowfen.core.work.order import Pace
from yellowfen.core.work.ready_plan import ReadyPlan
from yellowfen.store.materials import keep_supply
from yellowfen.store.paste import keep_paste_plan as keep_paste
from yellowfen.store.paste import paste_plan_of as paste_plan
from yellowfen.workflows import ready, tasks
from yellowfen.workflows.long_work import HEAT, do_one
from yellowfen.workflows.opening import connect_existing
from yellowfen.workflows.ready import build_of, dot_plan, estimate_of, order_of, ready_state

READY, PLACE = "/jobs/1/ready", "/jobs/1/place"
PAGES = (
    READY,
    f"{READY}/sides",
    f"{READY}/when",
    f"{READY}/kit",
    f"{READY}/minutes",
    f"{READY}/iron/U1",
    f"{READY}/iron/R1",
    PLACE,
    f"{PLACE}/guide",
)


@pytest.mark.parametrize("path", PAGES)
def test_every_page_answers_on_the_demo_board_a_foreign_one_and_one_without_parts(
    client: TestClient, path: str
) -> None:
    assert client.get(path).status_code == 200
    assert client.get(path.replace("/1/", "/77/")).status_code == 404
    files = [
        ("files", (one.name, one.read_bytes()))
        for one in (DATA / "boards/attributes").iterdir()
        if one.is_file()
    ]
    board = client.post("/boards", files=files).url.path.split("/")[-1]
    job = client.post(f"/boards/{board}/open").url.path.split("/")[2]
    foreign = path.replace("/1/", f"/{job}/")
    reply = client.get(foreign)
    assert reply.status_code in ((200, 422) if "/iron/" in path else (200,)), reply.text[-300:]
    board = client.post("/sketches", data={"name": "Bare"}).url.path.split("/")[2]
    job = client.post(f"/boards/{board}/open").url.path.split("/")[2]
    assert client.get(path.replace("/1/", f"/{job}/")).status_code == (
        422 if "/iron/" in path else 200
    )


def test_ways_are_proposed_chosen_and_refused(client: TestClient) -> None:
    page = client.get(READY).text
    assert "Without a stencil: " in page
    assert "min a board less than by hand" in page or "min a board more than by hand" in page
    assert "tack and drag" in page
    assert "solder bumps, hot air" in page
    client.post(READY, data={"do": "boards", "boards": "10"})
    assert "With a stencil: " in client.get(READY).text
    client.post(READY, data={"do": "way", "way": "tack and drag", "ref": "U1"})
    page = client.get(f"{READY}?part=U1").text
    assert 'class="own">yours' in page
    refused = client.post(READY, data={"do": "way", "way": "iron, joint by joint", "ref": "U2"})
    assert refused.status_code == 409
    assert "an iron does not reach pads under the body" in refused.text
    client.post(READY, data={"do": "way", "way": "", "ref": "U1"})
    assert 'class="own">yours' not in client.get(READY).text
    client.post(READY, data={"do": "way", "way": "iron, joint by joint", "package": "SOIC-8"})
    assert 'class="own">yours' in client.get(READY).text
    for wrong in (
        {"do": "way", "way": "by magic", "ref": "U1"},
        {"do": "way", "way": "", "ref": "U99"},
        {"do": "boards", "boards": "0"},
        {"do": "boards", "boards": "many"},
        {"do": "dance"},
    ):
        reply = client.post(READY, data=wrong)
        assert reply.status_code == 422, wrong
        assert 'role="alert"' in reply.text


def test_a_school_changes_the_plan_and_is_kept(client: TestClient) -> None:
    client.post(READY, data={"do": "school", "question": "stencil", "school": "stencil"})
    page = client.get(READY).text
    assert "With a stencil" in page
    assert "Your practice: stencil" in page
    other = client.post("/boards/1/open").url.path.split("/")[2]
    assert "Your practice: stencil" not in client.get(f"/jobs/{other}/ready").text
    client.post(READY, data={"do": "bench"})
    assert "Your practice: stencil" in client.get(f"/jobs/{other}/ready").text
    client.post(
        f"/jobs/{other}/ready", data={"do": "school", "question": "stencil", "school": "hand"}
    )
    assert "Your practice: hand" in client.get(f"/jobs/{other}/ready").text
    assert "Your practice: stencil" in client.get(READY).text
    assert (
        client.post(
            READY, data={"do": "school", "question": "stencil", "school": "prayer"}
        ).status_code
        == 422
    )
    assert (
        client.post(READY, data={"do": "school", "question": "tea", "school": "green"}).status_code
        == 422
    )


def test_a_bench_card_draws_its_rows_and_can_ask_the_thermal_model(client: TestClient) -> None:
    card = client.get(f"{READY}/iron/U1").text
    assert card.count('class="row-diagram"') == 4
    assert "usual: thermal model, another board" in card
    assert "feed the wire evenly" in card.lower()
    card = client.get(f"{READY}/iron/U4").text  # it goes by hot air: this is how an iron does it
    assert card.count('class="row-diagram"') == 2
    assert "This is how to do it by iron" in card
    assert "what is in the paste" not in card
    assert 'class="row-diagram"' not in client.get(f"{READY}/iron/C2").text  # joint by joint
    under = client.get(f"{READY}/iron/U2")
    assert under.status_code == 409
    assert "does not reach pads under the body" in under.text
    assert client.get(f"{READY}/iron/U99").status_code == 422


def test_sides_hanging_and_heats(client: TestClient) -> None:
    page = client.get(f"{READY}/sides").text
    assert "Bottom first, then the top." in page
    assert "All of them stay up" in page


def test_the_schedule_moves_with_what_is_done_and_goes_to_a_calendar(client: TestClient) -> None:
    page = client.get(f"{READY}/when").text
    assert "Paste out of the fridge, closed" in page
    assert "usual rule" in page
    form = {
        "do": "plan",
        "boards": "3",
        "start": "2027-02-01T18:00",
        "pace": "1,5",
        "room_c": "21",
        "humidity": "45",
        "fridge_c": "4",
        "container": "jar",
        "grams": "500",
        "bags_open_h": "0",
        "wash": "1",
    }
    client.post(f"{READY}/when", data=form)
    page = client.get(f"{READY}/when").text
    assert "1 Feb 18:00" in page
    assert "Heat board 3, top" in page
    assert "500 g in a jar" in page
    events = icalendar.Calendar.from_ical(client.get(f"{READY}/schedule.ics").content).walk(
        "VEVENT"
    )
    assert len(events) > 20
    assert "Begins 1 Feb 18:00" in client.get("/today").text
    client.post(f"{READY}/when", data={"do": "done", "task": "warm"})
    page = client.get(f"{READY}/when").text
    assert "done ✓ undo" in page
    client.post(f"{READY}/when", data={"do": "undo", "task": "warm"})
    assert "done ✓ undo" not in client.get(f"{READY}/when").text
    client.post(f"{READY}/when", data={"do": "done", "task": "kit"})
    client.post(f"{READY}/when", data={"do": "anew"})
    assert "done ✓ undo" not in client.get(f"{READY}/when").text
    finish = {**form, "start": "", "finish": "2027-02-01T23:00"}
    client.post(f"{READY}/when", data=finish)
    assert "to 1 Feb 23:00" in client.get(f"{READY}/when").text
    for wrong in (
        {"finish": "2027-02-02T10:00", "start": "2027-02-01T10:00"},
        {"start": "tonight"},
        {"pace": "0"},
        {"humidity": "300"},
        {"room_c": "nan"},
        {"container": "hat"},
        {"boards": "2.5"},
        {"do": "done", "task": "nap"},
    ):
        reply = client.post(f"{READY}/when", data={**form, **wrong})
        assert reply.status_code == 422, wrong
        assert 'role="alert"' in reply.text


def test_a_paste_that_is_as_warm_as_the_room_needs_no_waiting(client: TestClient) -> None:
    client.post(f"{READY}/when", data={"fridge_c": "22", "room_c": "22"})
    assert "at room temperature already" in client.get(f"{READY}/when").text


def test_the_kit_knows_places_for_every_job_and_what_is_missing_for_this_one(
    client: TestClient,
) -> None:
    line = "100 nF | 0402 (metric 1005)"
    client.post(
        f"{READY}/kit", data={"line": line, "found": "there", "where": "strip 3", "instead": ""}
    )
    page = client.get(f"{READY}/kit").text
    assert 'value="strip 3"' in page
    assert "1 of 30 lines found" in page
    client.post(f"{READY}/kit", data={"line": "330 Ω | 0603 (metric 1608)", "found": "missing"})
    assert "1 line missing: 330 Ω." in client.get(f"{READY}/kit").text
    assert "strip 3" in client.get(f"{PLACE}/guide").text
    client.post(
        f"{READY}/kit",
        data={"line": "330 Ω | 0603 (metric 1608)", "found": "another instead", "instead": "390 Ω"},
    )
    assert "instead: 390 Ω" in client.get(f"{READY}/kit").text
    client.post(f"{READY}/kit", data={"line": line, "found": ""})
    assert (
        'value="strip 3"' in client.get(f"{READY}/kit").text
    )  # a key at the bench forgets no place
    for wrong in (
        {"line": "gold | bar", "found": "there"},
        {"line": line, "found": "eaten"},
        {"line": line, "found": "there", "where": "x" * 200},
    ):
        assert client.post(f"{READY}/kit", data=wrong).status_code == 422


def test_minutes_have_intervals_and_say_where_from(client: TestClient) -> None:
    page = client.get(f"{READY}/minutes").text
    assert "four times in five between" in page
    assert "reference, common practice" in page
    assert "What one part fewer would save" in page


def test_the_order_beats_the_bill_and_takes_exceptions(client: TestClient) -> None:
    page = client.get(f"{PLACE}?side=top").text
    assert "2 turns of the board instead of 11." in page
    client.post(PLACE, data={"do": "wish", "side": "top", "ref": "C9", "after": "U4"})
    page = client.get(f"{PLACE}?side=top").text
    assert "C9 right after U4" in page
    order = [row.split('"')[0] for row in page.split('data-ref="')[1:] if "number" in row[:400]]
    listed = [ref for ref in order if ref in ("C9", "U4")]
    assert listed.index("C9") == listed.index("U4") + 1
    client.post(PLACE, data={"do": "unwish", "side": "top", "ref": "C9"})
    assert "C9 right after U4" not in client.get(PLACE).text
    for wrong in (
        {"do": "wish", "ref": "C9", "after": "C9"},
        {"do": "wish", "ref": "X9"},
        {"do": "wish", "ref": "C9", "after": "C21"},
        {"do": "rule", "school": "random"},
        {"do": "rule", "school": "nearest", "batch": "-4"},
        {"do": "sing"},
    ):
        reply = client.post(PLACE, data={"side": "top", **wrong})
        assert reply.status_code == 422, wrong
        assert 'role="alert"' in reply.text
    client.post(PLACE, data={"do": "rule", "school": "smallest", "batch": "5"})
    assert "Batch 4" in client.get(f"{PLACE}?side=top").text
    assert "the dark corner is its lower left" in client.get(f"{PLACE}/guide").text


def test_dotting_goes_in_the_batches_of_placing(client: TestClient) -> None:
    """One setting for both, on the page and in the run."""
    hand = "/jobs/1/paste/hand"
    assert 'name="batch" inputmode="numeric" size="4" value="10"' in client.get(PLACE).text
    client.post(hand, data={"do": "batch", "batch": "4"})
    assert 'name="batch" inputmode="numeric" size="4" value="4"' in client.get(PLACE).text
    page = client.get(hand).text
    batches = re.findall(r'aria-label="Batch (\d+)"', page)
    assert batches == [str(number) for number in range(1, len(batches) + 1)]
    run = client.post(hand, data={"do": "start", "side": "top"}).url.path
    said = [cue["mind"] for cue in cues_of(client, run)]
    told = [one for one in said if f"of {len(batches)}" in one]
    assert [one.split("batch ")[1].split()[0] for one in told] == batches
    reply = client.post(hand, data={"do": "batch", "batch": "-1"})
    assert reply.status_code == 422
    assert 'role="alert"' in reply.text
    client.post(hand, data={"do": "batch", "batch": "0"})
    assert 'aria-label="Batch' not in client.get(hand).text


def test_what_tack_does_not_reach_is_dotted_after_the_rest_is_placed(client: TestClient) -> None:
    """At a quarter of an hour a part tack runs out: no later part is dotted before."""
    client.post(READY, data={"do": "school", "question": "stencil", "school": "stencil"})
    with closing(connect_existing(client.app.state.data)) as connection:  # type: ignore[attr-defined]
        assert not any(
            step.anew for step in dot_plan(connection, ready_state(connection, 1), "top").steps
        )
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(ReadyPlan, "order_pace", lambda _plan, _s: Pace(place_s=900.0))
        with closing(connect_existing(client.app.state.data)) as connection:  # type: ignore[attr-defined]
            state = ready_state(connection, 1)
            order = order_of(connection, state, "top")
            dots = dot_plan(connection, state, "top")
    rounds = list(itertools.accumulate(step.anew for step in order.steps))
    number = dict(zip((step.ref for step in order.steps), rounds, strict=True))
    assert rounds[-1] >= 1
    seen = [number[step.ref] for step in dots.steps]
    assert seen == sorted(seen)
    assert sum(step.anew for step in dots.steps) == rounds[-1]


def test_needles_and_hands_reach_ways_minutes_and_the_dots_alike(client: TestClient) -> None:
    """Few large dots, the needles of the bench and the seconds a dot stand in every page's minutes."""
    client.post("/bench/hands", data={"hands": "shaky"})
    client.post(READY, data={"do": "school", "question": "stencil", "school": "hand"})
    with closing(connect_existing(client.app.state.data)) as connection:  # type: ignore[attr-defined]
        keep_supply(connection, "needle", (20.0,))
        paste = paste_plan(connection, 1)
        keep_paste(connection, 1, replace(paste, costs=replace(paste.costs, dot_s=5.0)))
        state = ready_state(connection, 1)
        dots = {side: dot_plan(connection, state, side) for side in ("top", "bottom")}
        stage = next(
            one for one in estimate_of(connection, state).stages if one.name == "Paste, by hand"
        )
        build = build_of(connection, state)
    assert stage.middle_min == pytest.approx(
        sum(one.seconds for one in dots.values()) / 60, rel=1e-6
    )
    minutes = dots["top"].seconds / 60
    shown = f"{minutes:.0f}" if minutes >= 1.5 else f"{minutes:.1f}"
    assert f"By hand: {shown} min for this side" in client.get("/jobs/1/paste/hand").text
    assert build.paste_min["top"] == pytest.approx(dots["top"].seconds / 60)


def test_a_run_keeps_its_place_whatever_is_tapped(client: TestClient) -> None:
    run = client.post(PLACE, data={"do": "start", "side": "top"}).url.path
    assert run == "/runs/1"
    cues = cues_of(client, run)
    first, second = (cue["key"] for cue in cues[:2])

    def tap(key: str, cue: str, word: str = "placed") -> tuple[int, dict[str, object]]:
        body = {"key": key, "cue": cue, "word": word, "at_ms": int(time.time() * 1000)}
        reply = client.post("/api/runs/1/taps", json=body)
        return reply.status_code, reply.json()

    assert tap("a", first)[0] == 200
    assert len(tap("a", first)[1]["taps"]) == 1  # type: ignore[arg-type]
    assert tap("b", first) == (409, {"problem": f"{first} is answered already", "field": ""})
    assert tap("c", "X1")[0] == 409
    assert tap("d", second, "eaten")[0] == 409
    assert tap("e", second, "skipped")[0] == 200
    assert client.delete("/api/runs/1/taps/a").status_code == 409
    assert client.delete("/api/runs/1/taps/e").json()["taps"][-1]["key"] == "a"
    assert f"Continue: 1 of {len(cues)}, top" in client.get(PLACE).text
    assert client.get("/runs/9").status_code == 404


def cues_of(client: TestClient, run: str) -> list[dict[str, str]]:
    """The cues that a run's page is given."""
    text = client.get(run).text.split('<script type="application/json" id="state">')[1]
    return list(json.loads(text.split("</script>")[0])["cues"])


def test_own_placements_change_the_minutes(client: TestClient) -> None:
    run = client.post(PLACE, data={"do": "start", "side": "top"}).url.path
    cues = cues_of(client, run)
    for number, cue in enumerate(cues):
        tap = {"key": f"k{number}", "cue": cue["key"], "word": "placed"}
        client.post(f"/api{run}/taps", json=tap | {"at_ms": 1_000_000 + 30_000 * number})
    page = client.get(f"{READY}/minutes").text
    own = len(cues) - 1
    assert f"({own} of yours)" in page
    assert f"Place: your own, {own} measured" in page
    forgotten = client.post(f"{READY}/minutes", data={"do": "forget"}).text
    assert "of yours" not in forgotten
    assert f"({own} of yours)" in client.post(f"{READY}/minutes", data={"do": "recall"}).text
    assert client.post(f"{READY}/minutes", data={"do": "sing"}).status_code == 422


def test_the_kit_is_checked_on_the_same_machine_as_all_else(client: TestClient) -> None:
    """Answers by key and answers typed on the page are one; a kit with other lines takes them over."""
    run = client.post(f"{READY}/kit/check").url.path
    cues = cues_of(client, run)
    tap = {"key": "a", "cue": cues[0]["key"], "word": "missing", "at_ms": int(time.time() * 1000)}
    assert client.post(f"/api{run}/taps", json=tap).json()["answered"] == 1
    assert "1 line missing" in client.get(f"{READY}/kit").text
    client.post(f"{READY}/kit", data={"line": cues[1]["key"], "found": "there"})
    assert client.post(f"{READY}/kit/check").url.path == run
    assert len(cues_of(client, run)) == len(cues) - 2
    client.post(f"{READY}/when", data={"boards": "3"})
    again = client.post(f"{READY}/kit/check").url.path
    assert again != run
    assert len(cues_of(client, again)) == len(cues) - 2


def test_the_command_line_says_the_same(
    tmp_path: Path, filled: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    import shutil

    from yellowfen.workflows.opening import DATABASE

    shutil.copy(filled, tmp_path / DATABASE)
    assert cli.main(["plan", "1", "--json", "--data", str(tmp_path)]) == 0
    plan = json.loads(capsys.readouterr().out)
    assert {one["ref"]: one["way"] for one in plan["techniques"]}["U2"] == "solder bumps, hot air"
    assert plan["sides"]["first"] == "bottom"
    assert plan["order"]["top"]["turns"] == 2
    assert plan["schedule"][0]["task"] == "Paste out of the fridge, closed"
    assert cli.main(["order", "1", "--json", "--data", str(tmp_path)]) == 0
    order = json.loads(capsys.readouterr().out)
    assert len(order["steps"]) == 36
    assert order["turns"] < order["plain"]["turns"]
    assert cli.main(["plan", "9", "--data", str(tmp_path)]) == 2
    assert "there is no job 9" in capsys.readouterr().err


@pytest.mark.slow
def test_a_bench_card_works_out_the_seconds_of_this_boards_copper(client: TestClient) -> None:
    asleep(client)
    usual = client.get(f"{READY}/iron/U1").text
    assert (
        "[usual: thermal model, another board, a 1.6 mm tip; at this setting and solder]" in usual
    )
    waits = client.get(f"{READY}/iron/U1?measured=true").text
    assert "Working out how long the iron needs at U1" in waits
    task = re.search(r'data-working="(\d+)"', waits)
    assert task is not None
    needs = list(worked_out(client, int(task[1]))["answer"].values())
    assert needs == sorted(needs)
    page = client.get(f"{READY}/iron/U1?measured=true").text
    setting = re.search(
        r"<b>2 mm bevel</b><span>tip</span></div><div class=\"figure\"><b>(\d+) °C</b>", page
    )
    assert setting is not None
    assert (
        f"[thermal model, this board, 2.0 mm tip at {setting[1]} °C; its contact values from memory]"
        in page
    )
    for need, name in zip(needs, ("on a track", "thermal relief", "solid on a plane"), strict=True):
        assert f"<b>{need:.1f} s</b><span>{name}</span>" in page
    assert "Calculate for this board" in usual
    assert "Calculate for this board" not in page
    assert "Working out" not in client.get(f"{READY}/iron/R1?measured=true").text  # no rows to drag


def ordering(client: TestClient, job: int, side: str) -> int:
    """The task that the Place page waits for."""
    page = client.get(f"/jobs/{job}/place?side={side}").text
    task = re.search(r'data-working="(\d+)"', page)
    assert task is not None
    assert "Ordering" in page
    return int(task[1])


def test_a_large_board_is_ordered_by_the_worker_and_the_order_is_kept(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Questions, asked once, told how far it is, there after a restart too; a job changed meanwhile asks anew."""
    monkeypatch.setattr(ready, "LARGE", 0)
    monkeypatch.setattr(tasks, "TOLD_EVERY_S", 0.0)
    asleep(client)
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    job = int(client.post("/boards/1/open", data={"purpose": "build"}).url.path.split("/")[2])
    asked, again, below = (ordering(client, job, side) for side in ("top", "top", "bottom"))
    told = client.get(f"/api/tasks/{asked}/progress").json()
    assert (told["state"], told["of"]) == ("waiting", 0)
    assert again == asked != below
    assert do_one(connection, HEAT, "me")
    assert client.get(f"/api/tasks/{asked}/progress").json()["state"] == "done"
    assert client.get(f"/api/tasks/{below}/progress").json()["state"] == "waiting"
    place = f"/jobs/{job}/place?side=top"
    worked = client.get(place).text
    kept = client.app.state.kept.of(ready.Orders)  # type: ignore[attr-defined]
    kept.by_question.drop(lambda _: True)  # a server started anew
    assert "Ordering" not in worked
    assert client.get(place).text == worked
    ready.wish(connection, job, "C2", "R1")
    other = ordering(client, job, "top")
    ready.wish(connection, job, "C2", None)
    told = worked_out(client, other)
    assert (told["state"], "changed meanwhile" in told["said"]) == ("failed", True)
    connection.close()


def test_the_parts_to_buy_come_as_a_table(client: TestClient) -> None:
    """Each line of the kit once, with all its references, for all boards, spares counted."""
    with closing(connect_existing(client.app.state.data)) as connection:  # type: ignore[attr-defined]
        lines = ready.kit_lines(connection, ready_state(connection, 1))
    answer = client.get("/jobs/1/ready/kit.csv")
    rows = list(csv.reader(answer.text.splitlines()))
    assert answer.headers["content-type"].startswith("text/csv")
    assert rows[0] == ["value", "package", "count with spares", "references"]
    assert len(rows) == len(lines) + 1
    for row, line in zip(rows[1:], lines, strict=True):
        assert int(row[2]) == line.wanted + line.spares >= len(line.refs)
        assert row[3].split() == list(line.refs)
    assert "/jobs/1/ready/kit.csv" in client.get("/jobs/1/ready/kit").text


def test_the_bench_asks_for_what_the_open_jobs_need(client: TestClient) -> None:
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    client.post("/bench/tools", data={"kind": "plate", "name": "Plate", "set_c": "230"})
    assert "No iron on this bench: a 1.6 mm chisel" in client.get("/bench").text
    client.post(
        "/bench/tools", data={"kind": "iron", "name": "Pencil", "set_c": "350", "tip_mm": "1.2"}
    )
    assert "Everything that the open jobs need is here." in client.get("/bench").text
    connection.execute("DELETE FROM station")
    connection.commit()
    lacking = client.get("/bench").text
    assert "No hot air on this bench: methods with hot air are left out" in lacking
    assert not ready.bench_tools(connection, ready_state(connection, 1).paste.board).air
    connection.execute("UPDATE tool SET removed_at = datetime('now')")
    connection.commit()
    assert "hot air and an iron are assumed" in client.get("/bench").text
    connection.close()
