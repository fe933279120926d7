"""Draw the demo's pictures, as a camera would see the invented board.

`python scripts/demo_pictures.py FOLDER`
"""

import json
import sqlite3
import sys
from importlib import resources
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from tests import pictures as drawn

from yellowfen.core.board.board import Board
from yellowfen.core.look.part_seen import Pose, on_board
from yellowfen.core.look.picture_work import Moment, PictureWork
from yellowfen.formats.board_files import read_board
from yellowfen.store import boards, jobs, pictures
from yellowfen.store.packing import pack
from yellowfen.workflows import demo
from yellowfen.workflows import pictures as workflow
from yellowfen.workflows.demo import demo_files
from yellowfen.workflows.opening import open_database

SHADES = (
    (0, (10, 12, 12)),
    (60, (34, 74, 78)),
    (128, (122, 124, 128)),
    (205, (214, 204, 178)),
    (255, (255, 252, 240)),
)


def coloured(grey: NDArray[np.float64]) -> Image.Image:
    """Greys as mask, paste, tin and shine."""
    levels = [shade[0] for shade in SHADES]
    bands = [np.interp(grey, levels, [shade[1][n] for shade in SHADES]) for n in range(3)]
    return Image.fromarray(np.stack(bands, axis=-1).astype(np.uint8))


def printed(board: Board, ref: str) -> drawn.Layers:
    """Paste on every pad, a little off; two smears and two thin pads at one part."""
    layers = drawn.bare(board, "top")
    for one in board.openings:
        if one.side != "top":
            continue
        ring = np.array(one.ring) + np.array((0.035, -0.02))
        pad = board.pads[one.pad] if one.pad is not None else None
        if pad is not None and pad.ref == ref and pad.pin in ("9", "31"):
            ring = ring.mean(axis=0) + 0.62 * (ring - ring.mean(axis=0))
        layers.add(ring, drawn.PASTE)
    mine = {pad.pin: pad for pad in board.pads if pad.ref == ref}
    for a, b in (("14", "15"), ("40", "41")):
        here, there = (np.array((mine[pin].x_mm, mine[pin].y_mm)) for pin in (a, b))
        along = (there - here) / np.hypot(*(there - here))
        across = 0.09 * np.array((-along[1], along[0]))
        layers.add([here - across, there - across, there + across, here + across], drawn.PASTE)
    return layers


def soldered(board: Board, ref: str) -> drawn.Layers:
    """The parts around on their places, one turned and off, a bridge beside it."""
    layers = drawn.bare(board, "top")
    for part in board.parts:
        if part.side == "top":
            pose = Pose(0.11, -0.06, 1.2) if part.ref == ref else Pose()
            drawn.with_part(layers, part, pose)
    part = board.part(ref)
    lands = {land.pin: land for land in part.package.lands}
    a, b = lands["20"], lands["21"]
    middle = np.array(((a.x_mm + b.x_mm) / 2, (a.y_mm + b.y_mm) / 2))
    box = np.array(((-0.3, -0.16), (0.3, -0.16), (0.3, 0.16), (-0.3, 0.16)))
    box = box if abs(a.x_mm - b.x_mm) > abs(a.y_mm - b.y_mm) else box[:, ::-1]
    layers.add(on_board(part, middle + box), drawn.TIN)
    return layers


def main(folder: Path) -> None:
    board = read_board(demo_files(), "demo")
    part = max(
        (one for one in board.parts if one.side == "top"), key=lambda one: len(one.package.lands)
    )
    clicks: dict[str, list[list[object]]] = {}
    for name, layers, seed in (
        ("printed", printed(board, part.ref), 4),
        ("soldered", soldered(board, part.ref), 7),
    ):
        matrix = drawn.camera(seed, 13.0, (part.x_mm, part.y_mm), "top")
        image = coloured(drawn.rendered(layers, matrix, seed, noise=4.0))
        image.save(folder / f"{name}.jpg", quality=90)
        pins = ("1", "13", "25", "37")
        mine = {pad.pin: pad for pad in board.pads if pad.ref == part.ref}
        spots = drawn.seen_through(matrix, [(mine[pin].x_mm, mine[pin].y_mm) for pin in pins])
        chance = np.random.default_rng(seed)
        clicks[name] = [
            [
                f"{part.ref}.{pin}",
                *(round(float(one), 1) for one in spot + 2.0 * chance.normal(size=2)),
            ]
            for pin, spot in zip(pins, spots, strict=True)
        ]
        print(f"{folder / name}.jpg of {part.ref}, {part.package.name}")
    (folder / "clicks.json").write_text(json.dumps(clicks, indent=1) + "\n")
    (folder / "laid.json").write_text(json.dumps(laid(), indent=1) + "\n")


def picture_laid(connection: sqlite3.Connection, job_id: int, name: str) -> int:
    """Lay the board over one of the demo's pictures by its clicks, and search the part in the one
    after the heat; returns the picture's id.
    """
    folder = resources.files("yellowfen.demo") / "pictures"
    clicks = json.loads((folder / "clicks.json").read_text())[name]
    board = boards.get(connection, jobs.get(connection, job_id).board_id)
    middles = {f"{pad.ref}.{pad.pin}": (pad.x_mm, pad.y_mm) for pad in board.pads if pad.ref}
    ref = clicks[0][0].split(".")[0]
    moment = Moment.PRINTED if name == "printed" else Moment.SOLDERED
    data = (folder / f"{name}.jpg").read_bytes()
    work = PictureWork(moment=moment, ref=ref)
    picture = workflow.keep_picture(connection, job_id, data, name, work)
    for pin, u, v in clicks:
        workflow.click(connection, picture, pin, middles[pin], (u, v))
    if moment is Moment.SOLDERED:
        workflow.snap_part(connection, picture, ref)
    return picture


def laid() -> dict[str, object]:
    """The works of the pictures as they are found with their clicks."""
    with TemporaryDirectory() as data:
        connection = open_database(Path(data))
        demo.fill(connection)
        found = {}
        for name in ("printed", "soldered"):
            picture = picture_laid(connection, 1, name)
            found[name] = json.loads(pack(pictures.get(connection, picture).work))
        connection.close()
        return found


if __name__ == "__main__":
    main(Path(sys.argv[1]))
