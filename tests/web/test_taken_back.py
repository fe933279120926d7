"""Nothing is lost on the way: changes to a board are undone one by one, what was archived comes back."""

from fastapi.testclient import TestClient

from tests.formats.test_nets import without_names
from tests.web.test_boards import board_of, upload
from yellowfen.core.part.library import Library
from yellowfen.store import bench_runs, jobs, packages, tools
from yellowfen.store.board_steps import MOST_STEPS
from yellowfen.workflows.boards import library_of
from yellowfen.workflows.demo import demo_files
from yellowfen.workflows.opening import connect_existing

TOOL = {"kind": "iron", "name": "Pencil", "set_c": "350", "tip_mm": "1.2", "power_w": "60"}


def library(client: TestClient) -> Library:
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    try:
        return library_of(connection)
    finally:
        connection.close()


def test_changes_to_a_board_are_undone_one_by_one(client: TestClient) -> None:
    stood = [board_of(client, 1)]
    assert "data-undo-change hidden" in client.get("/boards/1").text
    for where, form in (
        ("part", {"ref": "R7", "name": "R77"}),
        ("part", {"ref": "C1", "name": "C1", "turn": "90"}),
        ("part", {"ref": "R2", "name": "R2", "left_out": "yes"}),
        ("files", {f"role:{stood[0].layers[0].file}": "not used", "thickness_mm": "1.0"}),
    ):
        assert client.post(f"/boards/1/{where}", data=form).status_code == 200, where
        stood.append(board_of(client, 1))
        assert stood[-1] != stood[-2], where
    shown = client.get("/boards/1").text
    assert "data-undo-change hidden" not in shown
    for before in reversed(stood[:-1]):
        assert client.post("/boards/1/undo", data={"leaf": "parts"}).status_code == 200
        assert board_of(client, 1) == before
    assert client.post("/boards/1/undo").status_code == 404
    assert board_of(client, 1) == stood[0]


def test_the_newest_changes_are_kept(client: TestClient) -> None:
    for number in range(MOST_STEPS + 3):
        name = {"ref": f"R7{'x' * (number % 2)}", "name": f"R7{'x' * ((number + 1) % 2)}"}
        assert client.post("/api/boards/1/names", json=name).status_code == 200
    undone = 0
    while client.post("/boards/1/undo").status_code == 200:
        undone += 1
    assert undone == MOST_STEPS


def test_what_the_library_learnt_from_a_change_goes_with_it(client: TestClient) -> None:
    files = without_names(demo_files())
    files["reedgate-placement.csv"] = files["reedgate-placement.csv"].replace(
        b"SOIC-8", b"HOUSE_EIGHT"
    )
    files["reedgate-bill.csv"] = files["reedgate-bill.csv"].replace(b"SOIC-8", b"HOUSE_EIGHT")
    client.post("/boards", files=upload(files))
    form = {"ref": "U4", "name": "U4", "package": "SOIC-8", "for_all": "yes"}
    assert client.post("/boards/2/part", data=form).status_code == 200
    assert library(client).find("HOUSE_EIGHT") is not None
    client.post("/boards/2/undo")
    assert library(client).find("HOUSE_EIGHT") is None


def test_a_board_is_archived_with_its_jobs_and_restored_with_exactly_those(
    client: TestClient,
) -> None:
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    names = {job.name for job in jobs.rows(connection)}
    runs = {run.id for run in bench_runs.rows(connection)}
    assert names
    client.post("/boards/1/open", data={"purpose": "build", "name": "Gone before"})
    gone = next(job.id for job in jobs.rows(connection) if job.name not in names)
    client.post(f"/jobs/{gone}/remove")
    connection.execute(
        "UPDATE job SET removed_at = datetime(removed_at, '-5 seconds') WHERE removed_at IS NOT NULL"
    )
    connection.commit()
    assert "was archived" in client.post("/boards/1/remove").text
    moments = connection.execute(
        "SELECT removed_at FROM board UNION SELECT removed_at FROM job WHERE id != ?", (gone,)
    ).fetchall()
    assert len(moments) == 1  # by it they come back together
    assert jobs.rows(connection) == []
    assert bench_runs.rows(connection) == []
    assert client.post("/boards/1/part", data={"ref": "R7", "name": "R8"}).status_code == 404
    assert "Gone before" not in client.get("/").text
    client.post("/archive/board/1/back")
    assert {job.name for job in jobs.rows(connection)} == names
    assert {run.id for run in bench_runs.rows(connection)} == runs
    assert "Gone before was archived" in client.get("/").text
    connection.close()


def test_what_is_on_the_bench_is_archived_and_restored(client: TestClient) -> None:
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    client.post("/bench/tools", data=TOOL)
    first = next(one.id for one in tools.rows(connection) if one.name == "Pencil")
    assert "Pencil was archived" in client.post(f"/bench/tools/{first}/remove").text
    assert "Pencil" not in {one.name for one in tools.rows(connection)}
    client.post("/bench/tools", data=TOOL)
    client.post(f"/archive/tool/{first}/back")
    assert {one.name for one in tools.rows(connection)} >= {"Pencil", f"Pencil, earlier {first}"}
    for table, row in (("tool", 999), ("job", 1), ("sqlite_master", 1)):
        assert client.post(f"/archive/{table}/{row}/back").status_code == 404
    connection.close()


def test_a_package_of_ones_own_comes_back(client: TestClient) -> None:
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    form = {
        "name": "Relay",
        "body_x_mm": "10",
        "body_y_mm": "6",
        "height_mm": "5",
        "joint": "gull-wing",
        "material": "moulded",
    }
    assert client.post("/packages", data=form).status_code == 200
    row = packages.row_of(connection, "Relay")
    assert "Relay was archived" in client.post("/packages/remove", data={"name": "Relay"}).text
    assert library(client).find("Relay") is None
    client.post(f"/archive/own_package/{row}/back")
    assert library(client).find("Relay") is not None
    connection.close()


def test_pads_that_the_files_give_to_a_part_are_not_grouped_without_a_word(
    client: TestClient,
) -> None:
    board = board_of(client, 1)
    pads = [str(place) for place, pad in enumerate(board.pads) if pad.ref == "U4"]
    refused = client.post("/boards/1/together", data={"pads": " ".join(pads), "name": "U40"})
    assert refused.status_code == 422
    assert "the files give these pads to U4; correct that part" in refused.text
    assert board_of(client, 1) == board
