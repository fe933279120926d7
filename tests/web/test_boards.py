"""Boards over HTTP: corrections with immediate effect, revisions, questions, packages, sketches,
large imports.
"""

import csv
import io
import re
import zipfile
from typing import Any

import pytest
from benchmarks.board_case import large_board
from fastapi.testclient import TestClient
from PIL import Image

from tests.formats.gerber_text import at, gerber
from tests.formats.test_nets import without_names
from tests.waiting import until
from yellowfen.core.board.board import Board
from yellowfen.store import boards, packages
from yellowfen.workflows.demo import demo_files
from yellowfen.workflows.opening import connect_existing

JSON = {"accept": "application/json"}
JSON_SENT = {**JSON, "content-type": "application/json"}
Files = list[tuple[str, tuple[str, bytes]]]


def board_of(client: TestClient, board_id: int) -> Board:
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    try:
        return boards.get(connection, board_id)
    finally:
        connection.close()


def upload(files: dict[str, bytes]) -> Files:
    return [("files", (name, data)) for name, data in files.items()]


def with_placement(change: Any) -> dict[str, bytes]:
    files = without_names(demo_files())
    rows = list(csv.reader(io.StringIO(files["reedgate-placement.csv"].decode())))
    stream = io.StringIO()
    csv.writer(stream).writerows([rows[0], *(change(row) for row in rows[1:])])
    return files | {"reedgate-placement.csv": stream.getvalue().encode()}


@pytest.mark.parametrize("leaf", ["parts", "files", "advice", "changes", "nonsense", ""])
def test_every_leaf_of_a_board_opens(client: TestClient, leaf: str) -> None:
    assert client.get(f"/boards/1?leaf={leaf}").status_code == 200
    assert client.get(f"/boards/1?leaf={leaf}&side=bottom&part=C20").status_code == 200


def test_flags_filter_the_parts(client: TestClient) -> None:
    page = client.get("/boards/1?leaf=parts&kind=hidden%20joints").text
    assert 'data-show="U2"' in page
    assert 'data-show="R7"' not in page
    assert "melts last and floats the part" in page


def test_a_part_is_renamed_turned_left_out_and_the_choice_outlives_a_reread(
    client: TestClient,
) -> None:
    page = client.post(
        "/boards/1/part",
        data={"ref": "R7", "name": "R70", "value": "470", "package": "", "turn": "0"},
    )
    assert page.status_code == 200
    assert "R70" in page.text
    client.post("/boards/1/files", data={"thickness_mm": "0.8"})
    assert board_of(client, 1).part("R70").value == "470"
    client.post("/boards/1/part", data={"ref": "R70", "name": "R7", "turn": "0"})
    assert board_of(client, 1).part("R7").value == "330 Ω"
    client.post("/boards/1/part", data={"ref": "R8", "name": "R8", "left_out": "yes"})
    assert all(part.ref != "R8" for part in board_of(client, 1).parts)
    assert "R8: marked not to be fitted" in client.get("/boards/1").text.replace(
        "<b>parts</b>: ", ""
    )


def test_a_part_is_turned_where_the_pads_do_not_say(client: TestClient) -> None:
    client.post("/boards", files=upload(without_names(demo_files())))
    client.post("/boards/2/part", data={"ref": "R7", "name": "R7", "turn": "180"})
    assert board_of(client, 2).part("R7").rotation_deg == 180


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"ref": "R7", "name": "R8"}, "R8 is on this board already"),
        ({"ref": "R7", "name": "R7", "package": "BRICK"}, "no package is known as"),
        ({"ref": "Z9", "name": "Z9"}, "there is no part Z9"),
        ({"ref": "R7", "name": "R7", "turn": "round"}, "is not a number"),
    ],
)
def test_corrections_that_cannot_be_are_refused_and_change_nothing(
    client: TestClient, change: dict[str, str], said: str
) -> None:
    before = board_of(client, 1)
    reply = client.post("/boards/1/part", data=change)
    assert reply.status_code in (404, 422)
    assert said in reply.text.replace("&#39;", "'")
    assert board_of(client, 1) == before


def test_a_shifted_placement_is_proposed_accepted_and_taken_back(client: TestClient) -> None:
    files = with_placement(lambda row: [*row[:3], f"{float(row[3]) + 20:.3f}", *row[4:]])
    page = client.post("/boards", files=upload(files)).text
    assert "Proposed, not done:" in page
    assert "move it by -20.00 mm across" in page
    accepted = client.post("/boards/2/proposals/0").text
    assert "Proposed, not done:" not in accepted
    assert board_of(client, 2).part("U4").x_mm == pytest.approx(11.0, abs=0.05)
    assert client.post("/boards/2/proposals/0").status_code == 404
    client.post("/boards/2/placement/undo")
    assert board_of(client, 2).part("U4").x_mm == pytest.approx(31.0, abs=0.05)


def test_columns_are_corrected_once_and_remembered(client: TestClient) -> None:
    """A heading that says nothing, and x and y the wrong way round."""
    files = without_names(demo_files())
    files["reedgate-placement.csv"] = files["reedgate-placement.csv"].replace(
        b"X (mm),Y (mm)", b"Y,X"
    )
    client.post("/boards", files=upload(files))
    assert board_of(client, 2).part("U4").x_mm == pytest.approx(31.0)
    form = {
        "file": "reedgate-placement.csv",
        "column:0": "ref",
        "column:1": "value",
        "column:2": "footprint",
        "column:3": "x",
        "column:4": "y",
        "column:5": "rotation",
        "column:6": "side",
    }
    assert client.post("/boards/2/columns", data=form).status_code == 200
    assert board_of(client, 2).part("U4").x_mm == pytest.approx(11.0)
    client.post("/boards", files=upload(files))
    assert board_of(client, 3).part("U4").x_mm == pytest.approx(11.0)
    doubled = client.post("/boards/2/columns", data=form | {"column:4": "x"})
    assert doubled.status_code == 422
    assert "two columns cannot mean the same" in doubled.text


def test_three_questions_are_asked_once(client: TestClient) -> None:
    files = with_placement(
        lambda row: [*row[:2], "HOUSE_EIGHT", *row[3:]] if row[2] == "SOIC-8" else row
    )
    files["reedgate-bill.csv"] = files["reedgate-bill.csv"].replace(b"SOIC-8", b"HOUSE_EIGHT")
    page = client.post("/boards", files=upload(files)).text
    assert "Three questions" in client.get("/boards/2/parts/U4").text
    assert "three questions" in page
    answered = client.post(
        "/boards/2/answers",
        data={"ref": "U4", "height_mm": "1,6", "joint": "gull-wing", "shy": "yes"},
    )
    assert answered.status_code == 200
    part = board_of(client, 2).part("U4")
    assert (part.package.guessed, part.package.height_mm, part.package.heat_shy) == (
        False,
        1.6,
        True,
    )
    client.post("/boards", files=upload(files))
    assert not board_of(client, 3).part("U4").package.guessed
    refused = client.post(
        "/boards/2/answers", data={"ref": "U4", "height_mm": "tall", "joint": "gull-wing"}
    )
    assert refused.status_code == 422


def test_a_new_revision_shows_what_changed(client: TestClient) -> None:
    files = with_placement(lambda row: [row[0], "470 Ω", *row[2:]] if row[0] == "R7" else row)
    files["reedgate-bill.csv"] = b"References;Value\nR7;470\n"
    page = client.post("/boards/1/more", files=upload(files), data={"what": "revision"}).text
    assert "What changed" in page
    assert "value 330 Ω before, 470 Ω now" in page
    assert "<h1>Reedgate sluice keeper</h1>" in page
    assert board_of(client, 1).part("R7").value == "330 Ω"


def test_missing_files_can_follow(client: TestClient) -> None:
    files = without_names(demo_files())
    tables = {name: files.pop(name) for name in ("reedgate-placement.csv", "reedgate-bill.csv")}
    client.post("/boards", files=upload(files))
    assert all(part.ref.startswith("P") for part in board_of(client, 2).parts)
    client.post("/boards/2/more", files=upload(tables), data={"what": "more"})
    assert board_of(client, 2).findings == ()
    before = board_of(client, 2)
    assert (
        client.post(
            "/boards/2/more", files=upload({"x.zip": b"no zip"}), data={"what": "more"}
        ).status_code
        == 422
    )
    assert board_of(client, 2) == before


def test_packages_are_added_carried_out_and_in(client: TestClient) -> None:
    form = {
        "name": "Relay",
        "body_x_mm": "10",
        "body_y_mm": "12,5",
        "height_mm": "8",
        "joint": "gull-wing",
        "material": "plastic",
        "aliases": "RLY-1, RLY-2",
    }
    assert "Relay" in client.post("/packages", data=form).text
    refused = client.post("/packages", data=form | {"height_mm": "huge"})
    assert refused.status_code == 422
    assert 'value="huge"' in refused.text
    text = client.get("/packages.toml").text
    assert "Relay was archived" in client.post("/packages/remove", data={"name": "Relay"}).text
    client.post("/packages/file", files={"file": ("p.toml", text.encode())})
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    (own,) = packages.rows(connection)
    connection.close()
    assert (own.name, own.body_y_mm, own.aliases) == ("Relay", 12.5, ("RLY-1", "RLY-2"))
    assert (
        client.post(
            "/packages/file", files={"file": ("p.toml", b"[[package]]\nname = 3\n")}
        ).status_code
        == 422
    )
    assert client.get("/api/packages?name=SOIC-14").json()["lands"][0][0] == "1"
    assert client.get("/api/packages?name=BRICK").status_code == 404


SKETCH = {
    "name": "Radio",
    "width_mm": 40,
    "height_mm": 30,
    "thickness_mm": 1.6,
    "plane": "yes",
    "parts": [
        {"ref": "U1", "package": "SOIC-8", "x_mm": 20, "y_mm": 15},
        {"ref": "R1", "package": "0603", "x_mm": 27, "y_mm": 15, "rotation_deg": 90},
    ],
}


def test_a_sketch_is_kept_rehearsed_and_saved_as_files(
    client: TestClient, plan: dict[str, Any]
) -> None:
    assert "/boards/2/sketch" in str(client.post("/sketches", data={"name": "Radio"}).url)
    assert client.put("/api/boards/2/sketch", json=SKETCH).json()["pads"] == 10
    job = client.post("/boards/2/open").url.path.split("/")[2]
    answer = client.post(
        f"/api/jobs/{job}/rehearse", json=plan | {"targets": ["U1"]}, headers=JSON
    ).json()
    assert answer["parts"]["U1"]["body_peak_c"] > 100
    archive = zipfile.ZipFile(io.BytesIO(client.get("/boards/2/files.zip").content))
    files = {name: archive.read(name) for name in archive.namelist()}
    client.post("/boards", files=upload(files))
    assert {part.ref for part in board_of(client, 3).parts} == {"U1", "R1"}
    assert client.get("/boards/1/sketch").status_code == 409
    assert client.post("/boards/2/files", data={"thickness_mm": "1"}).status_code == 409


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"width_mm": 4000}, "width: "),
        ({"plane": "perhaps"}, "plane"),
        ({"parts": [{"ref": "U1", "package": "BRICK", "x_mm": 1, "y_mm": 1}]}, "BRICK"),
        ({"parts": SKETCH["parts"] + [SKETCH["parts"][0]]}, "U1 appears twice"),
        ({"name": ""}, "needs a name"),
        ({"colour": 1}, "colour"),  # type: ignore[operator,index]
    ],
)
def test_absurd_sketches_are_refused_and_change_nothing(
    client: TestClient, change: dict[str, Any], said: str
) -> None:
    client.post("/sketches")
    client.put("/api/boards/2/sketch", json=SKETCH)
    before = board_of(client, 2)
    reply = client.put("/api/boards/2/sketch", json=SKETCH | change, headers=JSON)
    assert reply.status_code == 422
    assert said in reply.json()["problem"]
    assert board_of(client, 2) == before


def test_the_picture_beneath_is_a_picture_or_refused(client: TestClient) -> None:
    client.post("/sketches")
    stream = io.BytesIO()
    Image.new("RGB", (80, 80)).save(stream, "PNG")
    png = stream.getvalue()
    assert client.post("/api/boards/2/picture", files={"file": ("b.png", png)}).json() == {
        "kept": True
    }
    assert client.get("/boards/2/picture").headers["content-type"] == "image/jpeg"
    refused = client.post(
        "/api/boards/2/picture", files={"file": ("b.svg", b"<svg/>")}, headers=JSON
    )
    assert refused.status_code == 422
    assert "is no PNG, JPEG or WebP" in refused.json()["problem"]
    client.delete("/api/boards/2/picture")
    assert client.get("/boards/2/picture").status_code == 404


def finished(client: TestClient, import_id: int) -> dict[str, Any]:
    def ended() -> dict[str, Any]:
        one = client.get(f"/api/imports/{import_id}").json()
        return {} if one["state"] in ("waiting", "working") else dict(one)

    return until(ended, "the import ends", 0.1)


@pytest.mark.slow
def test_a_large_board_is_read_off_the_request_with_progress(client: TestClient) -> None:
    files = large_board(400, 8, 5000)
    files.pop("placement.csv")
    page = client.post("/boards", files=upload(files), data={"name": "large"})
    assert "/imports/1" in str(page.url)
    one = finished(client, 1)
    assert (one["state"], one["board"]) == ("done", 2)
    assert "/boards/2" in str(client.get("/imports/1").url)
    assert board_of(client, 2).paste_openings["top"] == 400
    assert len(client.get("/boards/2").content) < 1_500_000


@pytest.mark.slow
def test_a_large_import_that_fails_says_why_and_stores_nothing(client: TestClient) -> None:
    junk = {
        "a.gtl": b"%FSLAX36Y36*%\n%MOMM*%\n%ADD10C,1*%\nD10*\n"
        + b"X1Y1D01*\n" * 190_000
        + b"D99*\nX0Y0D03*\nM02*\n"
    }
    client.post("/boards", files=upload(junk))
    one = finished(client, 1)
    assert one["state"] == "failed"
    assert "aperture D99 is used but never defined" in one["said"]
    assert one["said"] in client.get("/imports/1").text
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    assert connection.execute("SELECT count(*) FROM board_import_file").fetchone()[0] == 0
    assert len(boards.rows(connection)) == 1
    connection.close()


def test_an_import_can_be_given_up(client: TestClient) -> None:
    client.post("/boards", files=upload(large_board(40, 8, 5000)))
    client.post("/imports/1/cancel")
    assert finished(client, 1)["state"] in ("cancelled", "done")
    assert client.get("/imports/9").status_code == 404


def test_a_proposed_part_is_named_on_the_plan(client: TestClient) -> None:
    files = {
        name: data
        for name, data in without_names(demo_files()).items()
        if not name.endswith(".csv")
    }
    page = client.post("/boards", files=upload(files)).text
    assert "were recognised from bare pads and have no name yet" in page
    proposed = board_of(client, 2).parts
    card = client.get(f"/boards/2/parts/{proposed[0].ref}").text
    assert "as printed beside it" in card
    client.post("/boards/2/part", data={"ref": proposed[0].ref, "name": "U17"})
    named = board_of(client, 2)
    assert named.part("U17").package == proposed[0].package
    assert sum(pad.ref == "U17" for pad in named.pads) == len(proposed[0].package.lands)
    client.post("/boards/2/files", data={"thickness_mm": "1.0"})
    assert board_of(client, 2).part("U17").package == proposed[0].package


def test_a_footprint_named_once_is_known_on_the_next_board(client: TestClient) -> None:
    files = with_placement(
        lambda row: [*row[:2], "CASE_Q", *row[3:]] if row[2] == "SOT-23" else row
    )
    files["reedgate-bill.csv"] = files["reedgate-bill.csv"].replace(b"SOT-23", b"CASE_Q")
    client.post("/boards", files=upload(files))
    assert board_of(client, 2).part("Q1").package.guessed
    client.post(
        "/boards/2/part", data={"ref": "Q1", "name": "Q1", "package": "SOT-23", "for_all": "yes"}
    )
    assert {board_of(client, 2).part(ref).package.name for ref in ("Q1", "Q2", "Q20")} == {"SOT-23"}
    client.post("/boards", files=upload(files))
    assert board_of(client, 3).part("Q2").package.name == "SOT-23"


def test_a_housing_is_named_on_the_part_card_and_sets_the_limit(client: TestClient) -> None:
    """Named, changed, taken back; a part without a housing has no such choice; a plastic nobody
    knows changes nothing.
    """
    before = board_of(client, 1).part("J1").package
    assert 'name="housing"' in client.get("/boards/1/parts/J1").text
    assert 'name="housing"' not in client.get("/boards/1/parts/U1").text
    seen = {}
    for housing in ("LCP", "NYLON", ""):
        client.post(
            "/boards/1/part",
            data={
                "ref": "J1",
                "package": board_of(client, 1).part("J1").footprint,
                "housing": housing,
            },
        )
        seen[housing] = board_of(client, 1).part("J1").package
    assert seen["LCP"].limit_c > seen["NYLON"].limit_c > before.limit_c
    assert not seen["LCP"].heat_shy
    assert seen["NYLON"].limit_why == "housing of nylon 66"
    assert seen[""] == before
    assert client.post("/boards/1/part", data={"ref": "J1", "housing": "CHEESE"}).status_code == 422
    assert board_of(client, 1).part("J1").package == before


def test_a_part_named_first_and_asked_about_after_keeps_both(client: TestClient) -> None:
    """An odd pattern of pads: named on the plan with an awkward name, then its three questions
    answered.
    """
    places = ((5, 5), (8.3, 5), (5, 9.1), (11.7, 9.1), (8.3, 12.9), (14.9, 6.2), (14.9, 11.4))
    pads = gerber("D10*\n" + "".join(at(x, y, "D03") for x, y in places), "%ADD10R,1.1X0.9*%\n")
    table = b"Ref,Package,X,Y,Side\nX1,,10,9,top\n"
    client.post(
        "/boards",
        files=upload(
            {"x-F_Paste.gbr": pads, "x-F_Cu.gbr": pads, "x-F_Mask.gbr": pads, "places.csv": table}
        ),
    )
    assert board_of(client, 2).part("X1").package.guessed
    named = client.post("/boards/2/part", data={"ref": "X1", "name": "K 1&2"})
    assert named.status_code == 200
    assert "Part K 1&amp;2" in named.text
    client.post(
        "/boards/2/answers",
        data={"ref": "K 1&2", "height_mm": "7", "joint": "gull-wing", "shy": "iron"},
    )
    part = board_of(client, 2).part("K 1&2")
    assert (part.package.guessed, part.package.height_mm, part.package.iron_only) == (
        False,
        7.0,
        True,
    )


def test_a_refused_set_offers_to_say_what_each_file_is(client: TestClient) -> None:
    """Drills and a legend make no board; said to be copper, the legend does."""
    files = {"holes.drl": demo_files()["reedgate-holes.drl"]}
    files["drawing.gbr"] = demo_files()["reedgate-legend-top.gbr"].replace(
        b"Legend,Top", b"Other,X"
    )
    refused = client.post("/boards", files=upload(files))
    assert refused.status_code == 422
    assert "choose what each file is" in refused.text
    action = re.search(r'action="(/imports/\d+/roles)"', refused.text)
    assert action is not None
    assert 'name="role:drawing.gbr"' in refused.text
    again = client.post(action[1], data={"role:drawing.gbr": "legend top"})
    assert (again.status_code, "choose what each file is" in again.text) == (422, True)
    read = client.post(action[1], data={"role:drawing.gbr": "copper top"}, follow_redirects=False)
    assert read.status_code == 303
    assert read.headers["location"].startswith("/boards/")
    assert client.post(action[1], data={"role:drawing.gbr": "copper top"}).status_code == 404


def test_pads_put_together_are_one_part_and_leave_their_old_one(client: TestClient) -> None:
    bare = {
        name: data
        for name, data in without_names(demo_files()).items()
        if not name.endswith(".csv")
    }
    board_id = client.post("/boards", files=upload(bare)).url.path.split("/")[2]
    page = client.get(f"/boards/{board_id}").text
    places = re.findall(r'data-place="(\d+)" data-ref="P1"', page)
    others = re.findall(r'data-place="(\d+)" data-ref="P2"', page)
    chosen = " ".join([*places, others[0]])
    named = {"pads": chosen, "name": "X9", "package": "SOIC-8"}
    done = client.post(f"/boards/{board_id}/together", data=named).text
    assert f"{len(places) + 1} pads are its own, SOIC-8 has 8" in done
    assert len(re.findall(r'data-ref="X9"[^>]*data-pin', done)) == len(places) + 1
    assert 'data-ref="P1"' not in done
    for bad, said in (
        ({"pads": "99999", "name": "Q1"}, "choose the pads"),
        ({"pads": "1 \u00b2", "name": "Q1"}, "is not a number"),
        ({"pads": "0", "name": ""}, "give the part the name"),
        ({"pads": "0", "name": "Q1", "package": "NOPE-9"}, "no package is known"),
    ):
        reply = client.post(f"/boards/{board_id}/together", data=bad)
        assert (reply.status_code, said in reply.text) == (422, True)
    undone = client.post(f"/boards/{board_id}/undo", data={"leaf": "parts"}).text
    assert ('data-ref="P1"' in undone, 'data-ref="X9"' in undone) == (True, False)


def test_names_are_given_one_after_the_other_without_a_page(client: TestClient) -> None:
    bare = {
        name: data
        for name, data in without_names(demo_files()).items()
        if not name.endswith(".csv")
    }
    board_id = client.post("/boards", files=upload(bare)).url.path.split("/")[2]
    where = f"/api/boards/{board_id}/names"
    assert client.post(where, json={"ref": "P3", "name": " R1 "}).json()["name"] == "R1"
    twice = client.post(where, json={"ref": "P4", "name": "R1"})
    assert (twice.status_code, "already" in twice.json()["problem"]) == (422, True)
    assert client.post(where, json={"ref": "P999", "name": "R2"}).status_code == 404
    half = client.post(where, content=b'{"ref": "P4", "name": "\\ud800"}', headers=JSON_SENT)
    assert half.status_code == 422
    page = client.post(f"/boards/{board_id}/anew").text
    assert 'data-ref="R1"' in page


@pytest.mark.parametrize("typed", ["nan", "inf", "-1e400", "\u0661\u0662", "1" * 200, "0x10", ""])
def test_no_number_but_plain_digits_is_taken(client: TestClient, typed: str) -> None:
    """One form once made a board unopenable: a turn of NaN was stored as nothing."""
    board_id = client.post("/boards", files=upload(demo_files())).url.path.split("/")[2]
    sent = {"ref": "R1", "name": "R1", "turn": typed, "value": "", "package": ""}
    reply = client.post(f"/boards/{board_id}/part", data=sent)
    assert reply.status_code == (200 if typed == "" else 422)
    assert client.get(f"/boards/{board_id}").status_code == 200


def test_parts_are_found_on_both_sides(client: TestClient) -> None:
    page = client.get("/boards/1?leaf=parts&find=C2*").text
    assert re.search(r"<b>\d+ parts</b> for “C2\*”: 1 on top, \d on the bottom", page)
    assert 'data-show="C20"' in page
    assert 'data-show="R7"' not in page
    assert 'aria-label="Part R7"' in client.get("/boards/1?leaf=parts&find=r7").text
    assert "<b>0 parts</b>" in client.get("/boards/1?leaf=parts&find=%22%3Cb%3E").text
