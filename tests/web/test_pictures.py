"""Pictures over HTTP: kept anew, laid, measured, put away and brought back; what is wrong is
refused and changes nothing.
"""

import json
from importlib import resources
from typing import Any

import pytest
from fastapi.testclient import TestClient

from yellowfen.core.look.picture_work import Moment
from yellowfen.store import pictures
from yellowfen.store.packing import pack
from yellowfen.workflows.opening import connect_existing

from .test_jobs import opened

FOLDER = resources.files("yellowfen.demo") / "pictures"
LAID = json.loads((FOLDER / "laid.json").read_text())
CLICKS = json.loads((FOLDER / "clicks.json").read_text())


def kept(client: TestClient, job: int, name: str = "soldered") -> int:
    data = (FOLDER / f"{name}.jpg").read_bytes()
    moment = Moment.PRINTED if name == "printed" else Moment.SOLDERED
    reply = client.post(
        f"/jobs/{job}/pictures",
        data={"moment": str(moment), "side": "top", "ref": "U1"},
        files={"file": ("shot.jpg", data, "image/jpeg")},
    )
    assert reply.status_code == 200
    return int(reply.url.path.split("/")[2])


def work_of(client: TestClient, picture: int) -> dict[str, Any]:
    """All that is kept beside a picture."""
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    row = pictures.get(connection, picture)
    connection.close()
    return dict(json.loads(pack(row.work)))


def clicked(client: TestClient, picture: int, name: str, count: int = 4) -> str:
    for pad, u, v in CLICKS[name][:count]:
        form = {"name": pad, "u": u, "v": v}
        reply = client.post(f"/api/pictures/{picture}/clicks", json=form)
        assert reply.status_code == 200, reply.text
    return str(reply.json()["panel"])


def test_a_picture_is_kept_laid_and_measured(client: TestClient) -> None:
    job = opened(client, purpose="build")
    picture = kept(client, job)
    shown = client.get(f"/pictures/{picture}.jpg")
    assert shown.headers["content-type"] == "image/jpeg"
    assert shown.headers["x-content-type-options"] == "nosniff"
    assert "Two places, far apart" in client.get(f"/pictures/{picture}").text
    refused = client.post(f"/api/pictures/{picture}/parts/U1/snap")
    assert refused.status_code == 409
    assert "align the board with the picture first" in refused.json()["problem"]
    assert "Aligned to the pads" in clicked(client, picture, "soldered")
    answer = client.post(f"/api/pictures/{picture}/parts/U1/snap").json()
    assert (
        "12 joints beyond the limit. 12 joints too close to the limit to decide" in answer["panel"]
    )
    found, shipped = (
        work_of(client, picture),
        LAID["soldered"],
    )  # the demo comes with what this finds
    assert found["poses"]["U1"] == pytest.approx(shipped["poses"]["U1"], abs=0.02)
    assert found["fit"]["error_um"] == pytest.approx(shipped["fit"]["error_um"], rel=0.2)
    assert (found["pins"], found["doubts"]) == (shipped["pins"], shipped["doubts"])
    turned = client.post(f"/api/pictures/{picture}/parts/U1/move", json={"turn": -1.2}).json()
    assert "12 joints beyond" not in turned["panel"]
    back = client.post(f"/api/pictures/{picture}/parts/U1/move", json={"back": True}).json()
    assert "U1 sits within its limits" in back["panel"]
    marks = client.post(f"/api/pictures/{picture}/parts/U1/marks")
    assert marks.status_code == 409
    assert "nothing was soldered" in marks.json()["problem"]
    (_, u1, v1), (_, u2, v2) = CLICKS["soldered"][:2]
    path = f"/api/pictures/{picture}/length?u1={u1}&v1={v1}&u2={u2}&v2={v2}"
    assert client.get(path).json()["mm"] == pytest.approx(5.7, abs=1.5)


@pytest.mark.parametrize(
    ("path", "form", "says"),
    [
        ("clicks", {"name": "U1.99", "u": 3, "v": 3}, "there is no pad U1.99"),
        ("clicks", {"name": "U1.1", "u": -30, "v": 3}, "outside the picture"),
        ("clicks", {"name": "U1.1", "u": 1e300, "v": 3}, ""),
        ("parts/U1/move", {"du": 90000}, "outside -5 to 5"),
        ("parts/R99/move", {"du": 1}, "there is no"),
        ("thresholds", {"paste_from": 300}, ""),
    ],
)
def test_what_cannot_be_is_refused_and_changes_nothing(
    client: TestClient, path: str, form: dict[str, object], says: str
) -> None:
    picture = kept(client, opened(client, purpose="build"))
    clicked(client, picture, "soldered", 2)
    before = client.get(f"/pictures/{picture}").text
    reply = client.post(f"/api/pictures/{picture}/{path}", json=form)
    assert reply.status_code in (404, 409, 422), reply.text
    assert says in reply.json()["problem"]
    assert client.get(f"/pictures/{picture}").text == before


def test_no_picture_is_refused_with_the_form_kept(client: TestClient) -> None:
    job = opened(client, purpose="build")
    files = {"file": ("x.png", b"<script>", "image/png")}
    reply = client.post(f"/jobs/{job}/pictures", files=files)
    assert reply.status_code in (400, 422)
    assert "is no PNG, JPEG or WebP picture" in reply.text
    assert "choose or take a picture first" in client.post(f"/jobs/{job}/pictures").text


def test_put_away_and_brought_back_and_seen_from_the_next_job_of_the_board(
    client: TestClient,
) -> None:
    job = opened(client, purpose="build", pieces="A")
    picture = kept(client, job, "printed")
    clicked(client, picture, "printed")
    gone = client.post(f"/pictures/{picture}/remove")
    assert "Restore it" in gone.text
    assert client.get(f"/pictures/{picture}").status_code == 404
    assert client.get(f"/pictures/{picture}.jpg").status_code == 404
    assert client.post(f"/pictures/{picture}/remove", data={"back": "yes"}).status_code == 200
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    found = pictures.get(connection, picture)
    assert found.work.fit is not None
    assert found.work.fit.edges > 1000
    assert "paste between pads" in client.get(f"/pictures/{picture}?do=print").text.lower()


def test_how_a_part_lay_is_kept_from_survey_to_refit(client: TestClient) -> None:
    job = opened(client, purpose="rework", parts="U4")
    survey = client.get(f"/jobs/{job}/survey").text
    assert f"/jobs/{job}/pictures?of=U4&amp;moment=before%20the%20work" in survey
    form = client.get(f"/jobs/{job}/pictures?of=U4&moment=before the work").text
    assert "<option selected>U4</option>" in form
    assert "<option selected>before the work</option>" in form
    data = (FOLDER / "soldered.jpg").read_bytes()
    client.post(
        f"/jobs/{job}/pictures",
        data={"moment": "before the work", "ref": "U4"},
        files={"file": ("lay.jpg", data, "image/jpeg")},
    )
    for page in ("survey", "refit"):
        assert "before the work" in client.get(f"/jobs/{job}/{page}").text


def test_a_lift_has_one_place(client: TestClient) -> None:
    job = opened(client, purpose="rework", parts="U4 U2")
    asked = client.post(f"/api/jobs/{job}/tasks", json={"kind": "tour"})
    assert asked.status_code == 422
    assert "a removal has one place" in asked.json()["problem"]
