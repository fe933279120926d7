"""The Paste stage over HTTP."""

import io
import re
import zipfile
from typing import Any

import pytest
from fastapi.testclient import TestClient

from yellowfen.core.run.ledger import Ledger
from yellowfen.core.run.machine import Tap
from yellowfen.core.work.job import Piece
from yellowfen.formats.board_files import read_board
from yellowfen.store import jobs
from yellowfen.store.paste import prints_of
from yellowfen.workflows import bench_runs
from yellowfen.workflows.demo import demo_files
from yellowfen.workflows.ledger import ledger_of_piece, stages_behind
from yellowfen.workflows.opening import connect_existing

PAGE = "/jobs/1/paste"


def wrong(client: TestClient) -> str:
    return client.get(PAGE).text.split('class="verdict m-0')[1].split("</p>")[0].split(">")[-1]


def test_the_best_foil_is_shown_first_and_others_are_judged(client: TestClient) -> None:
    page = client.get(PAGE).text
    assert "All apertures work at 0.1 mm." in page
    assert "0.1 mm is proposed: with it the fewest touch-ups are expected" in page
    thick = client.get(f"{PAGE}?foil=0,15&side=bottom").text
    assert "17 of 212 apertures fail at 0.15 mm" in thick
    assert "0.1 mm is better" in thick
    assert '<b class="ref">U3</b>' in thick
    assert "17 apertures, excess" in thick
    assert "IPC-7525" in thick
    assert 'href="/jobs/1/paste"' in client.get("/jobs/1/heat").text
    assert "work at 0.1 mm" in client.get(PAGE).text  # looking at another foil keeps nothing


def test_foil_and_paste_are_kept_with_the_job(client: TestClient) -> None:
    client.post(PAGE, data={"foil": "0.15", "paste": "sac-t4"})
    assert "at 0.15 mm" in wrong(client)
    assert '<option value="sac-t4" selected>' in client.get(PAGE).text
    client.post(PAGE, data={"typed": "0,12", "was": "0.15", "paste": "lot1"})
    page = client.get(PAGE).text
    assert "at 0.12 mm" in page
    assert "left in Bench syringe, about" in page
    client.post(PAGE, data={"typed": "", "was": "0.12", "paste": "lot1"})  # emptied: the best again
    assert "at 0.1 mm" in wrong(client)
    assert client.post(PAGE, data={"paste": "lot99"}).status_code == 404


def test_the_slider_gets_the_judgement_alone(client: TestClient) -> None:
    answer = client.get("/api/jobs/1/paste?foil=0.15&side=top").json()
    assert 'data-wrong="17"' in answer["answer"]
    assert answer["overlay"].count("is-excess") == 17
    assert "<html" not in answer["answer"]
    assert (
        client.get("/api/jobs/1/paste?foil=9")
        .json()["problem"]
        .startswith("stencil thickness: 9 mm is outside")
    )


def test_absurd_foils_get_a_sentence_and_the_form_back(client: TestClient) -> None:
    for typed, said in (
        ("7", "stencil thickness: 7 mm is outside 0.03 to 0.5"),
        ("thin", "is not a number"),
        ("nan", "foil_mm"),
    ):
        for reply in (
            client.get(f"{PAGE}?foil={typed}"),
            client.post(PAGE, data={"typed": typed, "was": "0.13"}),
        ):
            assert reply.status_code == 422
            assert said in reply.text
            assert f'value="{typed}"' in reply.text
    assert client.get(f"{PAGE}?paste=gold").status_code == 422
    assert client.get("/jobs/99/paste").status_code == 404
    assert "at 0.1 mm" in wrong(client)


LEAVES = ("", "/openings", "/leadless", "/hand", "/weigh", "/mixing", "/fixture")


def test_a_board_without_paste_layer_says_what_to_do_on_every_leaf(client: TestClient) -> None:
    files = [("files", pair) for pair in demo_files().items() if "paste" not in pair[0]]
    client.post("/boards", files=files)
    job = client.post("/boards/2/open").url.path.split("/")[2]
    assert "has no stencil apertures" in client.get(f"/jobs/{job}/paste").text
    assert "has no stencil apertures" in client.get(f"/jobs/{job}/paste/openings").text
    for leaf in LEAVES:
        for side in ("top", "bottom"):
            assert client.get(f"/jobs/{job}/paste{leaf}?side={side}").status_code == 200, leaf
    refused = client.post(
        f"/jobs/{job}/paste/weigh", data={"before": "100", "after": "200", "sides": "top"}
    )
    assert refused.status_code == 422
    assert "no stencil apertures on that side" in refused.text
    assert client.get(f"/jobs/{job}/paste/stencil.svg").status_code == 422


def test_proposals_are_taken_undone_and_given_back(client: TestClient) -> None:
    client.post(PAGE, data={"foil": "0.15"})
    page = client.get(f"{PAGE}/openings").text
    assert "Narrow: TSSOP-20" in page
    assert "Make home plates: 0603" in page
    client.post(f"{PAGE}/openings", data={"do": "take", "key": "U3: narrow"})
    page = client.get(f"{PAGE}/openings").text
    assert "20 pads changed: 17 failed as drawn, 0 now." in page
    assert "Undo: narrow: U3" in page
    assert page.count('class="opening-was"') >= 20
    client.post(f"{PAGE}/openings", data={"do": "take", "key": ["R1: home plate\nR2: home plate"]})
    assert "24 pads changed" in client.get(f"{PAGE}/openings").text
    client.post(f"{PAGE}/openings", data={"do": "none"})
    assert "17 of 212 apertures fail as drawn" in client.get(f"{PAGE}/openings").text
    client.post(f"{PAGE}/openings", data={"do": "undo"})
    assert "24 pads changed" in client.get(f"{PAGE}/openings").text
    client.post(f"{PAGE}/openings", data={"do": "undo"})
    assert "20 pads changed" in client.get(f"{PAGE}/openings").text
    gone = client.post(f"{PAGE}/openings", data={"do": "take", "key": "U3: narrow"})
    assert gone.status_code == 409
    assert "is not proposed any more" in gone.text
    assert (
        client.post(f"{PAGE}/openings", data={"do": "coverage", "coverage": "500"}).status_code
        == 422
    )
    client.post(f"{PAGE}/openings", data={"do": "coverage", "coverage": "40"})
    assert "panes cover 40 % instead of 56 %" in client.get(f"{PAGE}/openings").text


def test_the_stencils_files_carry_the_changes_and_read_back(client: TestClient) -> None:
    client.post(PAGE, data={"foil": "0.15"})
    client.post(f"{PAGE}/openings", data={"do": "take", "key": "U3: narrow"})
    reply = client.get(f"{PAGE}/stencil.zip?side=top&margin=20&said=demo")
    assert reply.headers["content-disposition"].startswith(
        'attachment; filename="stencil-1-top.zip";'
    )
    layer = zipfile.ZipFile(io.BytesIO(reply.content)).read("paste-top.gbr")
    files = {
        name: data for name, data in demo_files().items() if not ("paste" in name and "top" in name)
    }
    board = read_board({**files, "paste-top.gbr": layer}, "again")
    narrowed = [
        one for one in board.openings if one.pad is not None and board.pads[one.pad].ref == "U3"
    ]
    assert {round(min(one.size_x_mm, one.size_y_mm), 3) for one in narrowed} == {0.29}
    assert client.get(f"{PAGE}/stencil.dxf?side=bottom").content.startswith(b"  0\r\nSECTION")
    assert client.get(f"{PAGE}/stencil.svg?mirrored=true").text.startswith("<svg")
    assert client.get(f"{PAGE}/stencil.exe").status_code == 422
    assert client.get(f"{PAGE}/stencil.svg?margin=wide").status_code == 422
    assert (
        client.get(f"{PAGE}/fixture.dxf").status_code
        == client.get(f"{PAGE}/fixture.svg?side=bottom").status_code
        == 200
    )


def test_leadless_parts_are_shown_settling_in_all_three_ways(client: TestClient) -> None:
    page = client.get(f"{PAGE}/leadless").text
    assert "U2 from the side" in page
    assert "the part settles level and its edge joints touch" in page
    assert "4 open holes in the pad may drain" in page
    assert "On solder bumps, by iron" in page
    assert "dots</b> about" in page or "dot</b> about" in page


def test_weighing_teaches_the_factor_for_this_foil_and_paste_only(client: TestClient) -> None:
    assert "79 mg" in client.get(PAGE).text
    forecast = int(
        client.get(f"{PAGE}/weigh")
        .text.split(" mg are predicted per board, top side")[0]
        .split(">")[-1]
    )
    client.post(
        f"{PAGE}/weigh",
        data={
            "before": "50,0",
            "after": "50.320",
            "unit": "g",
            "resolution": "0.001",
            "boards": "5",
            "sides": "top",
        },
    )
    page = client.get(f"{PAGE}/weigh").text
    assert "Prints contain" in page
    share = int(page.split("Prints contain ")[1].split(" %")[0])
    print_own = (
        0.08**2 / 5
    )  # by hand: what was known (1 ± 0.2) against five prints that differ by 8 % each
    assert share == pytest.approx(
        100 * (1 / 0.04 + 64 / forecast / print_own) / (1 / 0.04 + 1 / print_own), abs=1
    )
    assert "as weighed" in client.get(PAGE).text
    assert "as weighed" not in client.get(f"{PAGE}?foil=0.12").text
    for data in (
        {"before": "9", "after": "8"},
        {"before": "x", "after": "8"},
        {"before": "1", "after": "2", "boards": "1.5"},
        {"before": "0", "after": "90000"},
        {"before": "1", "after": "9", "sides": "left"},
    ):
        reply = client.post(f"{PAGE}/weigh", data=data)
        assert reply.status_code == 422
        assert 'role="alert"' in reply.text
        assert f'value="{data["before"]}"' in reply.text
    client.post(f"{PAGE}/weigh/1/remove")
    assert "Prints contain" not in client.get(f"{PAGE}/weigh").text
    assert client.post(f"{PAGE}/weigh/1/remove").status_code == 404


def test_a_coarse_scale_is_told_so(client: TestClient) -> None:
    client.post(
        f"{PAGE}/weigh",
        data={
            "before": "10",
            "after": "10.1",
            "unit": "g",
            "resolution": "0.1",
            "boards": "1",
            "sides": "top",
        },
    )
    assert "too coarse" in client.get(f"{PAGE}/weigh").text


def test_prints_are_logged_counted_and_booked_on_the_lot(client: TestClient) -> None:
    client.post(PAGE, data={"paste": "lot1"})
    for found in ("good", "good", "smeared"):
        client.post(f"{PAGE}/prints", data={"found": found, "wiped": "1", "side": "top"})
    page = client.get(f"{PAGE}/weigh").text
    assert "2 of 3 prints good: the true share is between 21 and 94 % (95 %)" in page
    assert "3 times" in page
    assert "print, Refit the storage chip U4" in client.get("/bench/materials").text
    client.post(f"{PAGE}/prints", data={"found": "undo"})
    assert "2 of 2 prints good" in client.get(f"{PAGE}/weigh").text
    assert client.get("/bench/materials").text.count("print, Refit the storage chip U4") == 2
    assert client.post(f"{PAGE}/prints", data={"found": "splendid"}).status_code == 422


def test_what_mixes_is_kept_and_told(client: TestClient) -> None:
    assert "These are compatible" in client.get(f"{PAGE}/mixing").text
    client.post(PAGE, data={"paste": "snbi-t4"})
    client.post(
        f"{PAGE}/mixing",
        data={"pad_finish": "tin-lead, levelled", "part_finish": "tin", "left_over": "nothing"},
    )
    page = client.get(f"{PAGE}/mixing").text
    assert "Do not solder this combination: bismuth meets lead" in page
    assert "<b>Bi</b>" in page
    assert (
        client.post(
            f"{PAGE}/mixing",
            data={"pad_finish": "chrome", "part_finish": "tin", "left_over": "nothing"},
        ).status_code
        == 422
    )
    assert client.post(f"{PAGE}/mixing", data={}).status_code == 422


def test_the_fixture_says_which_way_to_draw(client: TestClient) -> None:
    page = client.get(f"{PAGE}/fixture?side=bottom").text
    assert "No fine-pitch rows" in page
    assert "spacers" not in page  # it is printed first, with nothing beneath yet
    page = client.get(f"{PAGE}/fixture").text
    assert "at 45°" in page
    assert "spacers of at least 2 mm" in page


def test_stencil_or_hand_by_the_users_own_times(client: TestClient) -> None:
    def said() -> tuple[str, str]:
        """The verdict of By hand and the one of Ready."""
        hand = re.search(r"(With a stencil|By hand)\.", client.get(f"{PAGE}/hand").text)
        ways = re.search(r"(With|Without) a stencil:", client.get("/jobs/1/ready").text)
        assert hand is not None
        assert ways is not None
        return hand[1], ways[1]

    assert said() == ("By hand", "Without")
    times = {
        "boards": "2",
        "panel": "1",
        "set_up_min": "60",
        "print_min": "1,5",
        "dot_s": "2.5",
        "price_min": "120",
    }
    client.post(f"{PAGE}/hand", data={**times, "boards": "30", "price_min": "0"})
    assert said() == ("With a stencil", "With")
    client.post(f"{PAGE}/hand", data=times)
    assert said() == ("By hand", "Without")
    assert "A stencil is quicker from" in client.get(f"{PAGE}/hand").text
    for wrong_time in ({"dot_s": "0"}, {"panel": "0.5"}, {"boards": "-1"}, {"set_up_min": "nan"}):
        reply = client.post(f"{PAGE}/hand", data={**times, **wrong_time})
        assert reply.status_code == 422
        assert f'value="{next(iter(wrong_time.values()))}"' in reply.text


def test_the_dot_plan_is_followed_step_by_step_and_keeps_its_place(client: TestClient) -> None:
    page = client.get(f"{PAGE}/hand").text
    assert "18 gauge" in page
    run = client.post(f"{PAGE}/hand", data={"do": "start", "side": "top"}).url.path
    assert run == "/runs/1"

    def tap(key: str, step: int, at_ms: int, word: str = "done") -> Any:
        body = {"key": key, "cue": str(step), "word": word, "at_ms": at_ms}
        return client.post("/api/runs/1/taps", json=body)

    assert len(tap("a", 0, 1000).json()["taps"]) == 1
    assert len(tap("a", 0, 1000).json()["taps"]) == 1  # the same tap again
    again = tap("b", 0, 1001)
    assert again.status_code == 409
    assert "answered already" in again.json()["problem"]
    early = tap("c", 5, 1002)
    assert early.status_code == 409
    assert " comes later; first Done: " in early.json()["problem"]
    tap("d", 1, 1003)
    assert client.delete("/api/runs/1/taps/a").status_code == 409
    assert "Continue: 2 of" in client.get(f"{PAGE}/hand").text
    client.delete("/api/runs/1/taps/d")
    assert len(client.delete("/api/runs/1/taps/a").json()["taps"]) == 0
    assert client.get("/runs/9").status_code == 404
    assert tap("", 0, 0).status_code == 422


def test_pad_by_pad_has_more_steps(client: TestClient) -> None:
    client.post(f"{PAGE}/hand", data={"do": "cut", "by_pad": "pad"})
    page = client.get(f"{PAGE}/hand").text
    assert "pin 1: " in page
    client.post(f"{PAGE}/hand", data={"do": "cut", "by_pad": "part"})
    assert client.get(f"{PAGE}/hand").text.count("pin 1: ") < page.count("pin 1: ")


def test_materials_are_kept_by_taps(client: TestClient) -> None:
    page = client.get("/bench/materials").text
    assert "Bench syringe" in page
    client.post("/bench/materials/1/tap", data={"kind": "out of the fridge"})
    assert re.search(r"since \d+ \w{3} 20", client.get("/bench/materials").text)
    client.post("/bench/materials/1/tap", data={"kind": "used", "grams": "2,5"})
    assert "31 g" in client.get("/bench/materials").text
    client.post("/bench/materials/1/tap", data={"kind": "undo"})
    client.post("/bench/materials/1/tap", data={"kind": "empty"})
    assert "It is empty." in client.get("/bench/materials").text
    for kind, grams in (("used", "lots"), ("used", "-4"), ("eaten", "")):
        assert (
            client.post("/bench/materials/1/tap", data={"kind": kind, "grams": grams}).status_code
            == 422
        )
    new = {
        "name": "Jar",
        "alloy": "Sn42Bi58",
        "powder": "4",
        "metal": "90",
        "container": "jar",
        "grams": "100",
        "expires": "2027-03-31",
    }
    client.post("/bench/materials", data=new)
    assert "2027-03-31</b><span>its date" in client.get("/bench/materials").text
    for wrong_field in (
        {"name": "Jar"},
        {"name": ""},
        {"powder": "9"},
        {"metal": "5"},
        {"grams": "x"},
        {"expires": "soon"},
        {"alloy": "gold"},
        {"container": "hat"},
    ):
        reply = client.post("/bench/materials", data={**new, "name": "Other", **wrong_field})
        assert reply.status_code in (409, 422), wrong_field
        assert 'role="alert"' in reply.text
    client.post("/bench/materials/1/remove")
    assert "Bench syringe was archived" in client.get("/bench/materials").text
    assert (
        client.get(PAGE).status_code == 200
    )  # a job whose lot is gone goes on with the named paste


def test_the_dot_plan_says_which_parts_go_by_iron_as_ready_stands(client: TestClient) -> None:
    page = client.get("/jobs/1/paste/hand").text
    assert "go by iron and get no paste: C10," in page
    assert '<b class="ref">C10</b>' not in page
    client.post(
        "/jobs/1/ready", data={"do": "way", "ref": "C10", "way": "dots, hot air", "side": "top"}
    )
    page = client.get("/jobs/1/paste/hand").text
    assert "go by iron and get no paste" in page
    assert '<b class="ref">C10</b>' in page
    assert "by iron: C10," not in page


def test_needles_and_foils_at_hand_are_what_is_worked_with(client: TestClient) -> None:
    assert "21 gauge" in client.get(f"{PAGE}/hand").text
    client.post("/bench/supply", data={"kind": "needle", "size": ["22", "27"]})
    page = client.get(f"{PAGE}/hand").text
    assert "21 gauge" not in page
    assert "27 gauge clogs with this powder" in page
    client.post("/bench/supply", data={"kind": "foil", "size": ["0.1"], "other": "0,125; 0.2"})
    page = client.get(PAGE).text
    assert 'data-foil="0.125"' in page
    assert 'data-foil="0.13"' not in page
    for data in (
        {"kind": "needle", "size": "19"},
        {"kind": "foil", "other": "3"},
        {"kind": "spoon"},
        {"kind": "foil", "other": "thin"},
    ):
        assert client.post("/bench/supply", data=data).status_code == 422


@pytest.mark.parametrize("leaf", LEAVES)
def test_every_leaf_answers_for_every_side_and_a_missing_job(client: TestClient, leaf: str) -> None:
    assert client.get(f"{PAGE}{leaf}?side=bottom").status_code == 200
    assert client.get(f"{PAGE}{leaf}?side=sideways").status_code == 200
    assert client.get(f"/jobs/77/paste{leaf}").status_code == 404


def test_boards_are_printed_by_one_key_and_bad_prints_done_anew(client: TestClient) -> None:
    """Each print stands in the log with what it took; undone, it is gone there too; a heat uses the
    print up.
    """
    form = {"purpose": "build", "parts": "U4", "pieces": "red dot, blue dot"}
    job = int(client.post("/boards/1/open", data=form).url.path.split("/")[2])
    assert "Print them, one key" in client.get(f"/jobs/{job}/paste/fixture").text
    reply = client.post(f"/jobs/{job}/paste/print", data={"side": "top"})
    assert "Board red dot" in reply.text
    taps = f"/api{reply.url.path}/taps"
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]

    def tap(number: int, cue: str, word: str) -> dict[str, Any]:
        body = {"key": f"k{number}", "cue": cue, "word": word, "at_ms": 1000 * number}
        found: dict[str, Any] = client.post(taps, json=body).json()
        return found

    def log() -> list[tuple[str, bool]]:
        return [(one.found, one.repeated) for one in prints_of(connection, job)]

    now = tap(1, "print 1", "smeared")["cues"][0]
    assert now["set_up"] == "Wipe the board off with alcohol, let it dry; the stencil too"
    assert now["left"] == "2 to go, tried once"
    assert log() == [("smeared", False)]
    tap(2, "print 1", "good")
    tap(2, "print 1", "good")  # sent twice is one print
    assert log() == [("smeared", False), ("good", True)]
    red, blue = jobs.get(connection, job).pieces

    def of(piece: Piece) -> Ledger:
        return ledger_of_piece(connection, jobs.get(connection, job), piece)

    assert set(of(red).printed) == {"top"}
    assert not of(blue).printed
    client.delete(f"{taps}/k2")
    client.delete(f"{taps}/k2")  # sent twice takes back one print
    assert log() == [("smeared", False)]
    assert not of(red).printed
    where = f"/jobs/{job}/paste/prints"
    client.post(where, data={"found": "missing", "side": "top"})  # typed, not tapped
    client.delete(f"{taps}/k1")
    assert log() == [("missing", False)]  # each is taken back where it was made
    tap(2, "print 1", "smeared")
    client.post(where, data={"found": "undo", "side": "top"})
    client.post(where, data={"found": "undo", "side": "top"})
    assert log() == [("smeared", False)]
    tap(3, "print 1", "good")
    tap(4, "print 2", "skipped")
    assert log() == [("smeared", False), ("good", True)]
    assert "paste" not in stages_behind(connection, jobs.get(connection, job))  # blue is bare
    assert "Printed</b>: top" in client.get(f"/jobs/{job}/pieces").text
    client.post(f"/jobs/{job}/piece", data={"piece": str(red.id)})
    run = bench_runs.start_heat(connection, job)
    for number, cue in enumerate(("start", "flowed U4", "away", "solid")):
        bench_runs.tap(connection, run, Tap(key=cue, cue=cue, word="done", at_ms=1000 * number))
    assert not of(red).printed
    connection.close()


def test_a_side_without_openings_is_not_printed(client: TestClient) -> None:
    files = [("files", pair) for pair in demo_files().items() if "paste" not in pair[0]]
    client.post("/boards", files=files)
    job = int(client.post("/boards/2/open", data={"purpose": "build"}).url.path.split("/")[2])
    assert "Print them" not in client.get(f"/jobs/{job}/paste/fixture").text
    reply = client.post(f"/jobs/{job}/paste/print", data={"side": "top"})
    assert reply.status_code == 409
    assert "no apertures on the top side" in reply.text


def test_nothing_stands_beneath_the_first_side_of_a_build(client: TestClient) -> None:
    """The side that is printed second is raised over what the first one carries by then."""
    job = int(client.post("/boards/1/open", data={"purpose": "build"}).url.path.split("/")[2])
    page = client.get(f"/jobs/{job}/ready/sides").text
    first = "bottom" if re.search(r"bottom first", page, re.I) else "top"
    second = "top" if first == "bottom" else "bottom"
    leaf = f"/jobs/{job}/paste/fixture?side="
    assert "Parts underneath" not in client.get(leaf + first).text
    assert "Parts underneath" in client.get(leaf + second).text
