"""Links lead to pages: from every kind of page of the demo, and out of every kind of run."""

import html
import re
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import parse_qs, unquote, unquote_plus

import pytest
from fastapi.testclient import TestClient
from starlette.routing import Match

from tests.web.test_walk import files_of
from yellowfen.core.run.kinds import KINDS
from yellowfen.core.run.machine import Tap
from yellowfen.store import bench_runs as stored
from yellowfen.store import boards, jobs
from yellowfen.web.app import create_app
from yellowfen.workflows import bench_runs, look, mend, refit, rework, washing
from yellowfen.workflows.opening import DATABASE, back_up, connect_existing


@pytest.fixture(scope="module")
def folder(furnished: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("links")
    back_up(furnished, folder / DATABASE)
    return folder


@pytest.fixture(scope="module")
def application(folder: Path) -> Iterator[TestClient]:
    with TestClient(create_app(folder), base_url="http://127.0.0.1") as client:
        yield client


def links(page: str) -> list[str]:
    return [html.unescape(one) for one in re.findall(r'<a [^>]*href="(/[^"#]*)', page)]


def actions(page: str) -> list[tuple[str, str]]:
    """How and where the forms and buttons of a page send what they hold."""
    found, method = [], "GET"
    for tag in re.findall(r"<(?:form|button)\b[^>]*>", page):
        if tag.startswith("<form") or "formmethod" in tag:
            method = "POST" if 'method="post"' in tag else "GET"
        where = re.search(r'\b(?:form)?action="(/[^"]*)"', tag)
        if where:
            found.append((method, html.unescape(where[1])))
    return found


def is_answered(client: TestClient, method: str, where: str) -> bool:
    """True where there is a route for a link or a form."""
    scope = {"type": "http", "path": where.split("?")[0], "method": method}
    return any(one.matches(scope)[0] is Match.FULL for one in client.app.router.routes)  # type: ignore[attr-defined]


def kind_of(link: str) -> str:
    """A link without the names and numbers in it."""
    steps = link.split("?")[0].split("/")
    return "/".join("N" if re.search("[0-9]", step) else step for step in steps)


def test_pages_that_only_show_write_nothing(
    furnished: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """One page of each kind and job, from a folder that may only be read."""
    back_up(furnished, tmp_path / DATABASE)
    before = (tmp_path / DATABASE).read_bytes()
    monkeypatch.setattr("yellowfen.store.database._may_write", lambda path: False)
    seen, waiting, bad = set[tuple[str, ...]](), ["/"], []
    with TestClient(create_app(tmp_path), base_url="http://127.0.0.1") as client:
        while waiting:
            path = waiting.pop()
            if (kind := (kind_of(path), *path.split("?")[0].split("/")[1:3])) in seen:
                continue
            seen.add(kind)
            reply = client.get(path)
            if reply.status_code != 200:
                bad.append((path, reply.status_code))
            elif reply.headers["content-type"].startswith("text/html"):
                waiting += links(reply.text)
    assert bad == []
    assert len(seen) > 100
    assert (tmp_path / DATABASE).read_bytes() == before


def test_every_link_and_form_leads_somewhere(application: TestClient) -> None:
    """One page of each kind is opened; of all links and forms on them, that there is a route."""
    seen, waiting, bad = set[str](), ["/"], []
    shown: dict[tuple[str, str], str] = {}
    while waiting:
        path = waiting.pop()
        if kind_of(path) in seen:
            continue
        seen.add(kind_of(path))
        reply = application.get(path)
        if reply.status_code != 200:
            bad.append((path, reply.status_code))
        elif reply.headers["content-type"].startswith("text/html"):
            found = links(reply.text)
            waiting += found
            shown |= dict.fromkeys((("GET", link) for link in found), path)
            shown |= dict.fromkeys(actions(reply.text), path)
    assert bad == []
    assert {to: on for to, on in shown.items() if not is_answered(application, *to)} == {}
    assert {method for method, _ in shown} == {"GET", "POST"}
    assert len(seen) > 40


def started(connection: sqlite3.Connection, build: int, off: int) -> Iterator[int]:
    """A run of each kind that the demo's past has none of, and what is done at one part by both."""
    board = boards.get(connection, jobs.get(connection, off).board_id)
    adapted = board.part("U3")
    yield bench_runs.start_by_iron(connection, build, "U1")
    yield refit.start_headers(connection, off, adapted)
    yield refit.start_check(connection, off, adapted)
    yield look.start_meter(connection, build)
    yield bench_runs.start_placing(connection, build, "top")
    yield bench_runs.start_printing(connection, build, "bottom")
    yield bench_runs.start_kit_check(connection, build)
    yield washing.start_cleaning(connection, build)
    looking = stored.get(connection, look.start_looking(connection, build))
    bench_runs.tap(
        connection, looking.id, Tap(key="k", cue=looking.script.cues[0].key, word="bridge", at_ms=1)
    )
    yield mend.start_mending(connection, build)
    yield rework.start_pads(connection, off, "U4")
    rework.take_way(connection, off, "U4", "removal alloy", None)
    yield bench_runs.start_removal(connection, off, "U4")


def test_a_run_is_left_for_the_page_that_it_came_from(
    application: TestClient, folder: Path
) -> None:
    connection = connect_existing(folder)
    found = {one.purpose: one.id for one in jobs.rows(connection) if one.board_id == 1}
    build, off = found["build"], found["rework"]
    runs = [*started(connection, build, off), *(run.id for run in stored.rows(connection))]
    kinds = {stored.get(connection, run).kind for run in runs}
    connection.close()
    for run in runs:
        leave = re.search(r'href="([^"]*)">Leave<', application.get(f"/runs/{run}").text)
        assert leave is not None
        assert application.get(html.unescape(leave[1])).status_code == 200, (run, leave[1])
    assert kinds == set(KINDS.values())


def test_what_is_anothers_or_over_is_not_changed(application: TestClient, folder: Path) -> None:
    """A part in another job's bag, a tap of a finished run, whatever was archived."""
    connection = connect_existing(folder)
    bag = connection.execute("SELECT id, job_id, content FROM passport ORDER BY id").fetchone()
    other = next(one.id for one in jobs.rows(connection) if one.id != bag["job_id"])
    for do in ("keep", "used", "remove"):
        reply = application.post(f"/jobs/{other}/legs/{bag['id']}", data={"bag": "mine", "do": do})
        assert reply.status_code == 404
    again = connection.execute("SELECT * FROM passport WHERE id = ?", (bag["id"],)).fetchone()
    assert (again["content"], again["used_at"], again["removed_at"]) == (bag["content"], None, None)
    run = next(run for run in stored.rows(connection) if run.taps)
    bench_runs.finish(connection, run.id, "done")
    reply = application.delete(f"/api/runs/{run.id}/taps/{run.taps[-1].key}")
    assert (reply.status_code, "is finished" in reply.text) == (409, True)
    assert stored.get(connection, run.id).taps == run.taps
    application.post(f"/runs/{run.id}/remove")
    application.post(f"/jobs/{other}/remove")
    dump = list(connection.iterdump())
    for route in application.app.routes:  # type: ignore[attr-defined]
        path, methods = getattr(route, "path", ""), getattr(route, "methods", None) or set()
        about = {"{job_id}": str(other), "{run_id}": str(run.id)}
        if not any(word in path for word in about) or path.endswith("/back"):
            continue
        for word, number in about.items():
            path = path.replace(word, number)
        path = re.sub(r"{[^}]*}", "1", path)
        for method in methods - {"GET", "HEAD"}:
            reply = application.request(method, path, data={"do": "take", "ref": "U1", "note": "x"})
            assert reply.status_code in (404, 422), (method, path)
    assert list(connection.iterdump()) == dump
    application.post(f"/runs/{run.id}/back")
    application.post(f"/jobs/{other}/back")
    connection.close()


ODD_NAMES = ("BAT+", "A&B", "Q#1", "X/Y", "<b>4", "W?5", 'U"2', "Ω1", 'U"4')


def test_a_part_of_any_name_is_the_one_that_its_links_are_about(application: TestClient) -> None:
    files = files_of("named")
    for number, name in enumerate(ODD_NAMES):
        quoted = name.replace('"', '""')
        files["place.csv"] = re.sub(
            rb"(?m)^R%d," % number, f'"{quoted}",'.encode(), files["place.csv"]
        )
    upload = [("files", pair) for pair in files.items()]
    board = application.post("/boards", files=upload).url.path.split("/")[2]
    form = {"purpose": "rework", "parts": " ".join(ODD_NAMES)}
    job = application.post(f"/boards/{board}/open", data=form).url.path.split("/")[2]
    for name in ODD_NAMES:
        asked = application.post(f"/jobs/{job}/survey", data={"of": name})
        assert parse_qs(asked.url.query.decode()) == {"of": [name]}
        for page in ("survey", "refit"):
            shown = application.get(f"/jobs/{job}/{page}", params={"of": name})
            assert shown.status_code == 200
            of = [unquote_plus(one) for one in re.findall(r'href="[^"]*\?of=([^"&]*)', shown.text)]
            assert set(of) == set(ODD_NAMES)
        saved = application.get(f"/jobs/{job}/refit/stencil.zip", params={"of": name})
        assert saved.status_code == 200
        told = saved.headers["content-disposition"].split("filename*=UTF-8''")[1]
        plain = re.sub(r'[/<>?*":|]+', "-", name)
        assert unquote(told) == f"stencil-{job}-{plain}.zip"
        card = next(link for link in links(shown.text) if "/ready/iron/" in link)
        assert unquote(card).endswith(f"/{name}")
