"""A 5 MB board of ten layers: reading it, against a second reader's own parse of the same files,
and its plan in the browser.
"""

import tempfile
import time
import warnings
from pathlib import Path

from playwright.sync_api import sync_playwright
from tests.browser.conftest import ARGUMENTS, CHROMIUM
from tests.live_server import LiveServer

from benchmarks.board_case import large_board
from yellowfen.formats.board_files import read_board
from yellowfen.formats.gerber.reader import read_gerber
from yellowfen.workflows.opening import open_database

GOAL_IMPORT_S, GOAL_PLAN_S, GOAL_PAGE_MB = 3.0, 1.0, 1.5


def best_of(repeats: int, work) -> float:  # type: ignore[no-untyped-def]
    """The shortest wall time of some repeats, s."""
    shortest = float("inf")
    for _ in range(repeats):
        began = time.perf_counter()
        work()
        shortest = min(shortest, time.perf_counter() - began)
    return shortest


def boards() -> None:
    files = large_board()
    layers = {name: data for name, data in files.items() if name.endswith(".gbr")}
    size = sum(map(len, files.values())) / 1e6
    read_board(files, "warm")
    whole = best_of(4, lambda: read_board(files, "large"))
    ours = best_of(3, lambda: [read_gerber(data, name) for name, data in layers.items()])
    theirs = best_of(2, lambda: _second_reader(layers))
    board = read_board(files, "large")
    print(
        f"board of {size:.1f} MB, {len(board.copper)} copper layers, {board.paste_openings['top']} paste openings, {len(board.parts)} parts"
    )
    print(
        f"  whole import {whole:.2f} s (goal {GOAL_IMPORT_S}); our parse alone {ours:.2f} s; a general-purpose library's parse of the same layers {theirs:.2f} s"
    )
    print(
        f"  ratios: our parse {ours / theirs:.2f} x, the whole import (pads, nets, coverage, plan too) {whole / theirs:.2f} x that library's parse"
    )
    _plan(files)
    many = large_board(20_000, 4, 3000, 300, 250)
    began = time.perf_counter()
    pads = len(read_board(many, "many").pads)
    print(
        f"  {pads} pads, {sum(map(len, many.values())) / 1e6:.1f} MB: {time.perf_counter() - began:.1f} s"
    )


def _second_reader(layers: dict[str, bytes]) -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        from gerbonara.rs274x import GerberFile

        for name, data in layers.items():
            GerberFile.from_string(data.decode("latin-1"), filename=name)


def _plan(files: dict[str, bytes]) -> None:
    """From the press of the button to the page of progress, to the board's page, to its plan
    painted.
    """
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        open_database(Path(folder)).close()
        server = LiveServer(Path(folder))
        server.start()
        try:
            page = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS).new_page(
                viewport={"width": 1280, "height": 800}
            )
            page.goto(server.url + "/boards")
            page.hover("[data-files]")
            page.wait_for_timeout(5000)  # a person chooses files, the reader is made ready
            page.set_input_files(
                "[data-files]",
                [
                    {"name": name, "mimeType": "text/plain", "buffer": data}
                    for name, data in files.items()
                ],
            )
            began = time.perf_counter()
            page.get_by_role("button", name="Read the files").click()
            page.wait_for_url("**/boards/1", timeout=60_000, wait_until="commit")
            there = time.perf_counter()
            page.wait_for_selector("svg.plan .part")
            page.evaluate(
                "new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))"
            )
            shown = time.perf_counter()
            size = len(page.request.get(server.url + "/boards/1").body()) / 1e6
            print(
                f"  in the browser: {there - began:.2f} s from the press to the board's page, {shown - there:.2f} s more to its plan"
                f" (goals {GOAL_IMPORT_S} and {GOAL_PLAN_S}); page {size:.2f} MB (goal {GOAL_PAGE_MB})"
            )
        finally:
            server.stop()
