"""A damaged record keeps nothing else from being opened; it is shown, carried out, restored or
removed.
"""

import sqlite3

import pytest
from fastapi.testclient import TestClient

from yellowfen.workflows.opening import connect_existing

LISTS = ("/", "/boards", "/bench", "/logbook", "/today", "/packages", "/bench/materials")


def database(client: TestClient) -> sqlite3.Connection:
    return connect_existing(client.app.state.data)  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("table", "column", "text", "page"),
    [
        ("board", "content", "{}", "/boards/1"),
        ("board", "choices", '{"turns": {"top": null}}', "/boards/1?leaf=parts&part=R1"),
        ("heat", "plan", '{"nozzle_mm": null}', "/jobs/1/heat"),
        ("job", "parts", "{}", "/jobs/1/heat"),
        ("bench_run", "plan", "[]", ""),
        ("tool", "content", '{"set_c": "NaN"}', ""),
        ("station", "air", '{"nozzle_mm": 6}', ""),
        ("paste_plan", "content", '{"foil_mm": 9}', "/jobs/1/paste"),
        ("ready_plan", "content", '{"boards": -1}', "/jobs/1/ready"),
        ("own_package", "content", '{"name": ""}', ""),
    ],
)
def test_a_damaged_record_is_told_and_the_rest_opens(
    client: TestClient, table: str, column: str, text: str, page: str
) -> None:
    connection = database(client)
    if table in ("paste_plan", "ready_plan"):
        connection.execute(
            f"INSERT OR REPLACE INTO {table} (job_id, content) VALUES (1, ?)", (text,)
        )
    elif table == "own_package":
        connection.execute("INSERT INTO own_package (name, content) VALUES ('odd', ?)", (text,))
    elif table == "bench_run":
        client.post("/jobs/1/place", data={"do": "start", "side": "top"})
        connection.execute("UPDATE bench_run SET plan = ?", (text,))
    elif table == "tool":
        connection.execute(
            "INSERT INTO tool (kind, name, content) VALUES ('plate', 'x', ?)", (text,)
        )

    else:
        assert connection.execute(f"UPDATE {table} SET {column} = ?", (text,)).rowcount >= 1
    for path in LISTS:
        reply = client.get(path)
        assert reply.status_code == 200, (path, reply.text[:300])
    if page:
        told = client.get(page)
        assert told.status_code == 409
        assert "cannot be read" in told.text
        assert 'href="/damaged"' in told.text
    listed = client.get("/damaged").text
    assert "Save as a file" in listed
    row = listed.split(f'href="/damaged/{table}/')[1].split(".json")[0]
    assert text in client.get(f"/damaged/{table}/{row}.json").json()[column]
    client.post(f"/damaged/{table}/{row}/remove")
    assert f"/damaged/{table}/{row}.json" not in client.get("/damaged").text
    assert client.post(f"/damaged/{table}/{row}/remove").status_code == 404
    assert client.post(f"/damaged/migration/{row}/remove").status_code == 404


def test_a_damaged_board_is_restored_from_its_files(client: TestClient) -> None:
    connection = database(client)
    before = client.get("/boards/1").text
    connection.execute("UPDATE board SET content = '{}', choices = '[]' WHERE id = 1")
    assert client.get("/boards/1").status_code == 409
    assert client.get("/boards/1/files.zip").content[:2] == b"PK"
    after = client.post("/boards/1/restore").text
    assert after.count('class="pad"') == before.count('class="pad"')
    assert client.post("/boards/99/restore").status_code == 404
    connection.execute("UPDATE board SET content = '{}' WHERE id = 1")
    assert "was archived" in client.post("/boards/1/remove").text
    assert 'href="/boards/1"' not in client.get("/boards").text


def test_numbers_too_large_for_the_database_name_nothing(client: TestClient) -> None:
    for path in ("/boards/{}", "/jobs/{}/heat", "/runs/{}", "/imports/{}", "/pictures/{}"):
        assert client.get(path.format(2**63 + 5)).status_code == 404, path


def test_a_foreign_origin_of_whatever_form_is_refused(client: TestClient) -> None:
    for origin in ("http://[", "https://127.0.0.1", "http://127.0.0.1.example", "null", "file://"):
        reply = client.post("/bench/hands", headers={"origin": origin})
        assert reply.status_code == 403, origin
        assert "default-src" in reply.headers["content-security-policy"]


def test_an_unforeseen_error_has_a_page_with_the_policy(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*_: object) -> None:
        raise RuntimeError("nobody foresaw this")

    monkeypatch.setattr("yellowfen.web.routes.home.jobs.rows", broken)
    reply = client.get("/")
    assert reply.status_code == 500
    assert "The log has it under" in reply.text
    assert "default-src" in reply.headers["content-security-policy"]
    assert reply.headers["x-content-type-options"] == "nosniff"


def test_a_foreign_page_may_link_here_but_not_fetch(client: TestClient) -> None:
    foreign = {"sec-fetch-site": "cross-site"}
    assert client.get("/", headers=foreign | {"sec-fetch-mode": "navigate"}).status_code == 200
    for mode in ("no-cors", "cors"):
        reply = client.get("/jobs/1/ready", headers=foreign | {"sec-fetch-mode": mode})
        assert reply.status_code == 403
