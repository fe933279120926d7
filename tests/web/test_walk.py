"""Every page of boards that nobody had in mind: figures that stand on more than one page agree, and
no sentence trips over a number.
"""

import html
import re
import shutil
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from tests.conftest import DATA, files_in
from tests.pattern_boards import Case, drawn_board, nameless_files
from yellowfen.core.look.cleaning import minutes_said
from yellowfen.store import jobs
from yellowfen.web.app import create_app
from yellowfen.workflows.opening import connect_existing

BOARDS = ("attributes", "regions", "two-sided", "generated", "twelve", "named")
COUNTED = "parts|turns|boards|minutes|pads|openings|values|lines|times|holes|joints|prints|stops|mends|batches|layers|pins|places|needles|steps|marks|pictures|heats|pieces|pages"
PATHS = (
    *(f"/boards/B?leaf={leaf}" for leaf in ("parts", "files", "advice")),
    *(f"/jobs/J/ready{leaf}" for leaf in ("", "/sides", "/kit", "/when", "/minutes")),
    *(
        f"/jobs/J/paste{leaf}"
        for leaf in ("", "/openings", "/leadless", "/hand", "/weigh", "/mixing", "/fixture")
    ),
    *(f"/jobs/J/{stage}" for stage in ("place", "heat", "look", "clean", "finish")),
    *("/", "/boards", "/bench", "/logbook", "/logbook/chances"),
)
STUMBLES = {
    "one of many": re.compile(rf"(?<![\d.,/–-])\b1 (?:{COUNTED})\b"),
    "minus nothing": re.compile(r"[-−]0(?:\.0+)?(?![\d.])(?!\s*[×x])"),
    "a power of ten": re.compile(r"\d\.\d+e[+-]\d"),
    "a name twice": re.compile(r"\b([A-Z][A-Za-z]*-?\d[\w.-]*) \1\b"),
    "unknown twice": re.compile(r"\bunknown,? unknown\b"),
    "metric twice": re.compile(r"\(metric (\d+)\)[^.;]{0,12}\(metric \1\)"),
    "as many instead": re.compile(r"\b(\d+) (\w+) instead of \1\b"),
    "no number": re.compile(
        r"(?<![\w.])(?:nan|inf|undefined)\b|(?<!\. )\bNone\b(?! (?:of|with|yet|here))"
    ),
    "a template": re.compile(r"\{\{|\{%"),
}


def files_of(name: str) -> dict[str, bytes]:
    """A set by its name in BOARDS."""
    if name in ("generated", "twelve", "named"):
        few = ("SOIC-8", "0603", "0603_", "0805", "SOT-23", "QFN-16_3x3", "1206", "MSOP-8")
        names = [one.rstrip("_") for one in few] + ["0402", "SOD-123", "TSSOP-16", "CAN-6.3"]
        case = Case(30 if name == "generated" else 0, "top", seed=8)
        board = drawn_board(case) if name == "generated" else drawn_board(case, names)
        files = nameless_files(board, case)
        if name == "named":
            rows = [
                f"R{k},1k,{part.footprint},{part.x_mm:.3f},{part.y_mm:.3f},{part.rotation_deg:g},top"
                for k, part in enumerate(board.parts)
            ]
            head = "Ref,Value,Package,X (mm),Y (mm),Rotation,Side"
            files["place.csv"] = "\n".join([head, *rows]).encode()
        return files
    return files_in(DATA / "boards" / name)


@pytest.fixture(scope="module")
def application(tmp_path_factory: pytest.TempPathFactory) -> Iterator[TestClient]:
    folder = tmp_path_factory.mktemp("walk")
    with TestClient(create_app(Path(folder)), base_url="http://127.0.0.1") as client:
        yield client


def words_of(page: str) -> str:
    """A page's text as read aloud: no scripts, drawings or tags."""
    bare = re.sub(r"(?s)<(script|style|svg|option|datalist)\b.*?</\1>", " ", page)
    bare = re.sub(r"<[^>]+>", " ", bare)
    return re.sub(r"\s+", " ", html.unescape(bare))


class Walk:
    """The pages of one board and of a job on it."""

    def __init__(self, client: TestClient, name: str, board: str, job: str) -> None:
        self.name, self.job = name, job
        self.pages: dict[str, str] = {}
        for path in PATHS:
            reply = client.get(path.replace("B", board).replace("J", job))
            assert reply.status_code == 200, (name, path, words_of(reply.text)[:300])
            self.pages[path] = words_of(reply.text)

    def find(self, path: str, pattern: str) -> re.Match[str] | None:
        return re.search(pattern, self.pages[path])


def walked(client: TestClient, name: str) -> Walk:
    """The walk over a new board with a job of all its parts."""
    upload = [("files", pair) for pair in files_of(name).items()]
    board = client.post("/boards", files=upload).url.path.split("/")[2]
    opened = client.post(f"/boards/{board}/open", data={"purpose": "build"})
    return Walk(client, name, board, opened.url.path.split("/")[2])


@pytest.fixture(scope="module")
def walks(application: TestClient) -> dict[str, Walk]:
    return {name: walked(application, name) for name in BOARDS}


@pytest.mark.parametrize("name", BOARDS)
def test_no_sentence_trips_over_a_number(walks: dict[str, Walk], name: str) -> None:
    found = [
        (path, kind, text[max(0, hit.start() - 60) : hit.end() + 40])
        for path, text in walks[name].pages.items()
        for kind, pattern in STUMBLES.items()
        for hit in pattern.finditer(text)
    ]
    assert found == []


@pytest.mark.parametrize("name", BOARDS)
def test_pages_agree(walks: dict[str, Walk], name: str) -> None:
    agree(walks[name])
    assert "Methods solders" not in walks[name].pages["/jobs/J/heat"]
    assert "in no heat of this side" not in walks[name].pages["/jobs/J/heat"]


def test_pages_of_the_demos_jobs_agree(furnished: Path, tmp_path: Path) -> None:
    shutil.copytree(furnished, tmp_path, dirs_exist_ok=True)
    with (
        TestClient(create_app(tmp_path), base_url="http://127.0.0.1") as client,
        closing(connect_existing(tmp_path)) as connection,
    ):
        for job in jobs.rows(connection):
            agree(Walk(client, job.name, str(job.board_id), str(job.id)))


def agree(walk: Walk) -> None:
    """Stencil or hand, minutes, mends, drying, faces, what goes wrong, how long paste stands out."""
    ways = walk.find(
        "/jobs/J/ready", r"(With|Without) a stencil: ([\d.]+) parts? to touch up per board"
    )
    assert ways is not None
    stencil = ways[1] == "With"
    hand = walk.find("/jobs/J/paste/hand", r"Stencil or hand\?.*?(With a stencil|By hand)")
    minutes = walk.find("/jobs/J/ready/minutes", r"(Stencil|No stencil): ")
    assert hand is not None
    assert minutes is not None
    assert (hand[1] == "With a stencil") == (minutes[1] == "Stencil") == stencil
    mends = walk.find("/jobs/J/ready/minutes", r"About ([\d.]+) parts? to touch up per board")
    assert mends is not None
    assert mends[1] == ways[2]
    by_hand = walk.find("/jobs/J/ready/when", r"([\d.]+) min of it your work")
    in_all = walk.find("/jobs/J/ready/minutes", r"([\d.]+) min for \d+ board")
    assert in_all is not None
    if by_hand is not None:  # of a build that is begun it says what is left
        assert by_hand[1] == in_all[1]
    dry = walk.find("/jobs/J/clean", r"Wash the board, then dry it for (.+?) before power")
    dries = walk.find("/jobs/J/ready/when", r" Dry ([\d.]+) min")
    if dry is not None and dries is not None:
        assert dry[1] == minutes_said(float(dries[1]))
    first = walk.find("/jobs/J/ready/sides", r"(Top|Bottom) first, then")
    heat = walk.find("/jobs/J/heat", r"First side: (top|bottom)")
    if first is not None and heat is not None:
        assert first[1].lower() == heat[1]
    foil = walk.find("/jobs/J/paste", r"(\d+) of (\d+) apertures fail")
    drawn = walk.find("/jobs/J/paste/openings", r"stencil (\d+) of (\d+) apertures fail as drawn")
    if foil is not None and drawn is not None:
        assert foil.groups() == drawn.groups()
    elif drawn is not None:
        assert drawn[1] == "0"
    cold = walk.find("/jobs/J/paste/fixture", r"(\d+) min out of the fridge|([\d.]+) h out of")
    when = walk.find("/jobs/J/ready/when", r"(\d+) min coldest spot|([\d.]+) h coldest spot")
    if cold is not None and when is not None:
        assert cold.groups() == when.groups()
