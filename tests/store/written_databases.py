"""Small databases for the tests of opening: an ordinary and an awkward board, each with a job,
written by the program of a commit. `python -m tests.store.written_databases` writes the one of this
commit; those of earlier commits were written by their own code, with the same boards.
"""

import sqlite3
import tempfile
from pathlib import Path

from fastapi.testclient import TestClient

from yellowfen.web.app import create_app
from yellowfen.workflows.opening import DATABASE

FOLDER = Path(__file__).parents[1] / "data" / "databases"
_HEAD = "%FSLAX46Y46*%\n%MOMM*%\n"
_EDGE = (
    "%ADD10C,0.1*%\nD10*\nX0Y0D02*\nX20000000Y0D01*\nX20000000Y20000000D01*\n"
    "X0Y20000000D01*\nX0Y0D01*\n"
)
_PADS = (
    "%ADD11R,0.9X0.95*%\nD11*\nX9150000Y10000000D03*\nX10850000Y10000000D03*\n"
    "X9150000Y14000000D03*\nX10850000Y14000000D03*\n"
)
_ROWS = "Ref,Value,Package,X,Y,Rotation,Side\nR1,1k,0603,10,10,0,top\nC1,100n,0603,10,14,0,top\n"


def _layer(body: str, function: str) -> bytes:
    return f"{_HEAD}%TF.FileFunction,{function}*%\n{body}M02*\n".encode()


def ordinary() -> dict[str, bytes]:
    """Two chips on 20 x 20 mm."""
    return {
        "edge.gbr": _layer(_EDGE, "Profile,NP"),
        "copper.gbr": _layer(_PADS, "Copper,L1,Top"),
        "mask.gbr": _layer(_PADS, "Soldermask,Top"),
        "paste.gbr": _layer(_PADS, "Paste,Top"),
        "place.csv": _ROWS.encode(),
    }


def awkward() -> dict[str, bytes]:
    """The same with what once kept a server from starting: numbers that are none, a remark of
    blanks, a netlist with a tab, names beyond ASCII.
    """
    files = ordinary()
    files["mask²top.gbr"] = files.pop("mask.gbr")
    files["place.csv"] = (_ROWS + "R9,1e308,0603,1e308,1,nan,top\n").encode()
    files["more.csv"] = b"# unit" + b" " * 400 + b"x\nRef,Value,Package\nR1,1k,0603\n"
    files["nets.ipc"] = (
        "C  IPC-D-356\nP  UNITS CUST 0\n"
        "317N1               R1    -1   D0\t00PA00X+0100Y+0100X0600Y0600R000S0\n"
        "317N²              C1    -1   A01X+0100Y+0100X0600Y0600R000S0\n999\n"
    ).encode()
    return files


def write(folder: Path) -> str:
    """Both boards with a correction and a job each, in a database in `folder`; its newest
    migration's name.
    """
    with TestClient(create_app(folder), base_url="http://127.0.0.1") as client:
        for name, files, thick in (("Ordinary", ordinary(), "1.6"), ("Awkward", awkward(), "0.8")):
            reply = client.post(
                "/boards",
                data={"name": name, "thickness_mm": thick},
                files=[("files", pair) for pair in files.items()],
            )
            board = reply.url.path.split("/")[2]
            client.post(f"/boards/{board}/part", data={"ref": "R1", "value": "2k2", "turn": "0"})
            client.post(f"/boards/{board}/open")
    connection = sqlite3.connect(folder / DATABASE)
    newest = str(connection.execute("SELECT max(name) FROM migration").fetchone()[0])
    FOLDER.joinpath(newest).write_text("\n".join(connection.iterdump()) + "\n", encoding="utf-8")
    connection.close()
    return newest


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as empty:
        print("written:", write(Path(empty)))
