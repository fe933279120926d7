"""Pages, the rehearsal over HTTP, safety of the server, and bad input: one sentence, nothing
stored, no 500.
"""

import base64
import math
import re
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.conftest import DATA
from tests.formats.gerber_text import at, gerber
from yellowfen.core.heat.doubt import Doubts
from yellowfen.store import boards, jobs, stations
from yellowfen.workflows import calibration
from yellowfen.workflows.opening import connect_existing

JSON = {"accept": "application/json"}
PAGES = [
    "/",
    "/boards",
    "/boards/1",
    "/boards/1?side=bottom",
    "/jobs/1/heat",
    "/jobs/1/look",
    "/jobs/1/finish",
    "/bench",
    "/bench?edit=1",
    "/bench/stations/1",
    "/logbook",
]


@pytest.mark.parametrize("path", PAGES)
def test_pages_answer_with_a_strict_policy(client: TestClient, path: str) -> None:
    reply = client.get(path)
    assert reply.status_code == 200
    policy = reply.headers["content-security-policy"]
    assert "default-src 'self'" in policy
    assert "unsafe" not in policy
    assert "<style" not in reply.text
    assert " style=" not in reply.text
    assert " onclick" not in reply.text


def test_the_plan_shows_parts_pads_and_pin_1(client: TestClient) -> None:
    text = client.get("/boards/1").text
    assert text.count('class="pad"') == 180
    assert 'data-ref="U4" data-pin="8"' in text
    assert text.count('class="first wedge"') > 8


def test_rehearsal_over_http(client: TestClient, plan: dict[str, Any]) -> None:
    answer = client.post("/api/jobs/1/rehearse", json=plan, headers=JSON).json()
    u4 = answer["parts"]["U4"]
    assert 5 < u4["first_s"] < u4["molten_s"] < 40
    assert len(u4["pins"]) == 8
    frames = answer["frames"]
    assert len(base64.b64decode(frames["bytes"])) % (frames["nx"] * frames["ny"]) == 0
    assert {line["ref"] for line in answer["lines"] if line["target"]} == {"U4"}
    quick = client.post("/api/jobs/1/rehearse?quick=true", json=plan, headers=JSON).json()
    assert quick["parts"]["U4"]["molten_s"] == pytest.approx(u4["molten_s"], rel=0.03)
    look = client.get("/api/jobs/1/sureness", headers=JSON).json()
    early, late = look["lasts"]["all molten"]
    assert early < u4["molten_s"] < late
    assert "U4" in client.get("/jobs/1/heat").text


AIR = {"nozzle_mm": 6, "outlet_c": 350, "flow_lpm": 30}


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"air": AIR | {"outlet_c": 5000}}, "outlet temperature: 5000 °C is outside 50 to 600"),
        ({"air": AIR | {"outlet_c": -3}}, "outlet temperature: "),
        ({"air": AIR | {"flow_lpm": 0}}, "air: "),
        ({"air": AIR | {"nozzle_mm": "wide"}}, "nozzle: "),
        ({"alloy": "Cheese"}, "no alloy is called"),
        ({"targets": ["Z9"]}, "Z9 is not on this board"),
        ({"moves": [{"deed": "dance", "seconds": 3}]}, "deed: input should be"),
        ({"moves": [{"deed": "hold", "seconds": 1e9}]}, "seconds: 1e+09 s"),
        ({"ambient_c": 1e30}, "room temperature: "),
        ({"extra": 1}, "extra"),
        ({"moves": []}, "the recipe is empty"),
    ],
)
def test_absurd_settings_are_refused_and_change_nothing(
    client: TestClient, plan: dict[str, Any], change: dict[str, Any], said: str
) -> None:
    before = client.get("/jobs/1/heat").text
    reply = client.post("/api/jobs/1/rehearse", json=plan | change, headers=JSON)
    assert reply.status_code == 422
    assert said in reply.json()["problem"]
    assert client.get("/jobs/1/heat").text == before


@pytest.mark.parametrize("number", ["NaN", "Infinity", "-Infinity"])
def test_numbers_that_are_none(client: TestClient, number: str) -> None:
    body = (
        '{"alloy":"Sn63Pb37","air":{"nozzle_mm":6,"outlet_c":'
        + number
        + ',"flow_lpm":30},"underside":"open","ambient_c":23,"targets":["U4"],"moves":[]}'
    )
    reply = client.post(
        "/api/jobs/1/rehearse", content=body, headers=JSON | {"content-type": "application/json"}
    )
    assert reply.status_code == 422
    assert math.isfinite(len(reply.json()["problem"]))


def stored_boards(client: TestClient) -> int:
    connection = connect_existing(client.app.state.data)
    count = len(boards.rows(connection))
    connection.close()
    return count


PADS = gerber("D10*\n" + at(5, 5, "D03") + at(8, 5, "D03"), "%ADD10R,1X1*%\n")
EDGE = gerber(
    "D10*\n"
    + at(0, 0, "D02")
    + at(20, 0, "D01")
    + at(20, 15, "D01")
    + at(0, 15, "D01")
    + at(0, 0, "D01"),
    "%ADD10C,0.1*%\n",
)


def small_board(placement: str) -> list[tuple[str, tuple[str, bytes]]]:
    return [
        ("files", ("x-F_Paste.gbr", PADS)),
        ("files", ("x-Edge_Cuts.gbr", EDGE)),
        ("files", ("places.csv", placement.encode())),
    ]


@pytest.mark.parametrize(
    ("files", "said"),
    [
        ([], "no file was given"),
        ([("files", ("b.zip", b"not a zip"))], "b.zip: is not a sound zip"),
        ([("files", ("b.gbr", b""))], "b.gbr: the file is empty"),
        ([("files", ("b.gbr", bytes(range(256)) * 40))], "neither Gerber nor drill"),
        ([("files", ("b-F_Paste.gbr", PADS[:-20]))], "looks cut off"),
        ([("files", ("b-F_Paste.gbr", PADS.replace(b"%MOMM*%", b"")))], "before the unit"),
    ],
)
def test_refused_uploads_leave_nothing_behind(
    client: TestClient, files: list[Any], said: str
) -> None:
    before = stored_boards(client)
    reply = client.post("/boards", files=files, data={"name": "mine", "thickness_mm": "1,0"})
    assert reply.status_code in (413, 422)
    assert said in reply.text.replace("&#39;", "'")
    assert 'value="mine"' in reply.text
    assert stored_boards(client) == before


@pytest.mark.parametrize(
    ("rows", "said"),
    [
        ("R1,6,5,nowhere\n", "ignored: line 2, column 4: side"),
        ("R1,6,5,top\nR1,6,5,top\n", "line 3, column 1: R1 stands twice"),
        ("R1,6,5,top\nR2,six,5,top\n", "line 3, column 2: x &#39;six&#39; is not a number"),
    ],
)
def test_what_is_wrong_in_a_table_is_set_aside_and_the_board_is_usable(
    client: TestClient, rows: str, said: str
) -> None:
    reply = client.post("/boards", files=small_board("Ref,X,Y,Side\n" + rows))
    assert reply.status_code == 200
    assert said in reply.text
    assert "2 pads" in reply.text


def test_a_part_outside_the_board_is_told_and_the_rest_is_usable(client: TestClient) -> None:
    reply = client.post(
        "/boards", files=small_board("Ref,Package,X,Y,Side\nR1,1206,6.5,5,top\nR2,0603,99,5,top\n")
    )
    assert reply.status_code == 200
    assert "lies outside the board" in reply.text
    plan = {
        "alloy": "Sn63Pb37",
        "air": {"nozzle_mm": 6, "outlet_c": 350, "flow_lpm": 30},
        "underside": "open",
        "ambient_c": 23,
        "targets": ["R1"],
        "moves": [{"deed": "hold", "seconds": 20, "height_mm": 15}],
    }
    job = client.post("/boards/2/open", data={"name": "try"}).url.path.split("/")[2]
    assert (
        client.post(f"/api/jobs/{job}/rehearse", json=plan, headers=JSON).json()["parts"]["R1"][
            "molten_s"
        ]
        > 0
    )


def test_a_foreign_board_goes_from_upload_to_rehearsal(
    client: TestClient, plan: dict[str, Any]
) -> None:
    folder = DATA / "boards/attributes"
    files = [("files", (path.name, path.read_bytes())) for path in sorted(folder.glob("*.gbr"))]
    page = client.post("/boards", files=files).text
    assert "Not recognised" in page
    assert "<h1>board-F</h1>" in page
    job = client.post("/boards/2/open").url.path.split("/")[2]
    answer = client.post(
        f"/api/jobs/{job}/rehearse", json=plan | {"targets": ["U1", "J2"]}, headers=JSON
    ).json()
    assert answer["parts"]["U1"]["body_peak_c"] > 100
    assert any("guessed" in said for said in answer["warnings"])


def test_roles_can_be_changed_and_take_effect(client: TestClient) -> None:
    reply = client.post(
        "/boards/1/files", data={"role:reedgate-paste-top.gbr": "not used", "thickness_mm": "0.8"}
    )
    assert "0 stencil apertures on top" in reply.text
    assert "0.8 mm" in reply.text
    refused = client.post("/boards/1/files", data={"role:reedgate-paste-top.gbr": "a hat"})
    assert refused.status_code == 422
    assert "not a kind of file" in refused.text


def test_a_station_nobody_knows_is_believed_within_wide_bands(client: TestClient) -> None:
    """A dial of marks and no papers: both figures are ours, said as guesses, and doubted widely."""
    sent = {"name": "Old one", "nozzle_mm": "5", "outlet_unknown": "yes", "air_unknown": "yes"}
    for extra, said in (
        ({"outlet_c": "300"}, "enter its °C, or tick that it shows none"),
        ({"flow_lpm": "30"}, "enter its air, or tick that it is not known"),
    ):
        reply = client.post("/bench", data=sent | extra)
        assert reply.status_code == 422
        assert said in reply.text
    assert "Old one" not in client.get("/bench").text
    assert client.post("/bench", data=sent).status_code == 200
    page = client.get("/bench").text
    assert "give or take 120" in page
    assert "air not known" in page
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    old = next(one for one in stations.rows(connection) if one.name == "Old one")
    doubts = calibration.station_doubts(connection, old.id)
    connection.close()
    assert doubts.outlet_sd_k == 60
    assert doubts.jet_log_sd > 1.2 * Doubts().jet_log_sd
    edited = client.get(f"/bench?edit={old.id}").text
    assert re.search(r'name="outlet_c" value=""', edited)
    assert len(re.findall(r'_unknown" value="yes" checked', edited)) == 2
    heat = client.get("/jobs/1/heat").text
    assert len(re.findall(r'"guessed": "outlet and air"', heat)) == 1
    assert (
        "outlet is not known, taken as 350 °C; its air is not known, taken as"
        in client.get(f"/bench/stations/{old.id}").text
    )


def test_station_form_keeps_what_was_typed(client: TestClient) -> None:
    reply = client.post(
        "/bench", data={"name": "Second", "nozzle_mm": "wide", "outlet_c": "300", "flow_lpm": "20"}
    )
    assert reply.status_code == 422
    assert 'value="wide"' in reply.text
    assert "not a number" in reply.text
    assert (
        "Second"
        in client.post(
            "/bench",
            data={"name": "Second", "nozzle_mm": "4,5", "outlet_c": "300", "flow_lpm": "20"},
        ).text
    )
    assert (
        client.post(
            "/bench", data={"name": "Second", "nozzle_mm": "4", "outlet_c": "300", "flow_lpm": "20"}
        ).status_code
        == 409
    )


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"host": "evil.example"}, 421),
        ({"host": "127.0.0.1.evil.example"}, 421),
        ({"origin": "http://evil.example"}, 403),
        ({"origin": "null"}, 403),
        ({"sec-fetch-site": "cross-site"}, 403),
        ({"content-length": "999999999"}, 413),
    ],
)
def test_foreign_requests_are_refused(
    client: TestClient, headers: dict[str, str], status: int
) -> None:
    assert client.post("/jobs/1/remove", headers=headers).status_code == status
    assert client.get("/jobs/1/heat").status_code == 200


def test_unknown_things_are_404_and_errors_hide_their_text(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    for path in ("/boards/99", "/jobs/99/heat", "/runs/99", "/nothing"):
        assert client.get(path).status_code == 404
    assert client.get("/boards/x").status_code == 422

    def broken(connection: object) -> None:
        raise RuntimeError("secret text")

    monkeypatch.setattr(jobs, "rows", broken)
    reply = client.get("/")
    assert reply.status_code == 500
    assert "secret" not in reply.text
    assert "log has it under" in reply.text


def test_sixty_requests_at_once(client: TestClient) -> None:
    with ThreadPoolExecutor(60) as pool:
        codes = list(pool.map(lambda i: client.get(PAGES[i % len(PAGES)]).status_code, range(60)))
    assert codes == [200] * 60


def test_first_page_is_light(client: TestClient) -> None:
    """Everything the first page loads, compressed as served: at most 400 kB."""
    text = client.get("/").text
    total = 0
    for path in {
        "/",
        *(part.split('"')[0] for part in text.split('="')[1:] if part.startswith("/static/")),
    } | {"/static/vendor/atkinson-700.woff2"}:
        with client.stream("GET", path, headers={"accept-encoding": "gzip"}) as reply:
            assert reply.status_code == 200
            total += sum(len(chunk) for chunk in reply.iter_raw())
    assert total < 400_000


def test_static_files_name_no_host() -> None:
    folder = Path(__file__).parents[2] / "src/yellowfen/web"
    for path in [
        *folder.rglob("*.html"),
        *folder.glob("static/*.js"),
        *folder.glob("static/*.css"),
    ]:
        text = path.read_text(encoding="utf-8").replace("http://www.w3.org/", "")
        assert "http://" not in text, path
        assert "https://" not in text, path


def test_numbers_are_packed_only_for_browsers_elsewhere(
    client: TestClient, plan: dict[str, object]
) -> None:
    asked = {"json": plan, "headers": {"accept-encoding": "gzip"}}
    where = "/api/jobs/1/rehearse?quick=true"
    assert client.post(where, **asked).headers["content-encoding"] == "gzip"
    with TestClient(client.app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000)) as here:
        assert "content-encoding" not in here.post(where, **asked).headers
        assert here.get("/", headers=asked["headers"]).headers["content-encoding"] == "gzip"
