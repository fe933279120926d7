"""Judging paste: a board of 2 000 openings against its own import, and the foil slider on the demo
board in the browser.
"""

import tempfile
from pathlib import Path

from playwright.sync_api import sync_playwright
from tests.browser.conftest import ARGUMENTS, CHROMIUM
from tests.live_server import LiveServer

from benchmarks.board_case import large_board
from benchmarks.boards import best_of
from yellowfen.core.deposit.better import better_openings
from yellowfen.core.deposit.hand_plan import hand_plan
from yellowfen.core.deposit.judge import compare_foils, judge
from yellowfen.core.metal.paste import paste_named
from yellowfen.formats.board_files import read_board
from yellowfen.workflows import demo
from yellowfen.workflows.opening import open_database

GOAL_JUDGE_S, GOAL_SLIDE_MS = 0.3, 100
_ANSWERS = """async () => {
  const range = document.querySelector('[data-slide] input'), times = [];
  for (let i = 0; i < 60; i++) {
    const foil = (0.08 + 0.005 * (i % 20)).toFixed(3);
    const began = performance.now();
    range.value = foil;
    range.dispatchEvent(new Event('input', { bubbles: true }));
    const shown = String(Number(foil));
    while (document.body.dataset.judged !== shown) await new Promise((done) => requestAnimationFrame(done));
    times.push(performance.now() - began);
  }
  return times;
}"""


def paste() -> None:
    files, leaded = large_board(), paste_named("sn63-t4")
    read = best_of(2, lambda: read_board(files, "large"))
    board = read_board(files, "large")
    once = best_of(4, lambda: judge(board, 0.12, leaded))
    foils = best_of(3, lambda: compare_foils(board, leaded))
    better = best_of(2, lambda: better_openings(board, 0.12, leaded))
    hand = best_of(2, lambda: hand_plan(board, leaded))
    print(
        f"paste on {len(board.openings)} openings: judged in {once * 1e3:.0f} ms (goal {GOAL_JUDGE_S * 1e3:.0f}), {once / read:.3f} x the import; four foils {foils * 1e3:.0f} ms,"
        f" better openings {better * 1e3:.0f} ms, dot plan {hand * 1e3:.0f} ms"
    )
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        connection = open_database(Path(folder))
        demo.fill(connection)
        connection.close()
        server = LiveServer(Path(folder))
        server.start()
        try:
            page = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS).new_page()
            page.goto(f"{server.url}/jobs/1/paste")
            moves = page.evaluate(_ANSWERS)
            first, times = max(moves[:20]), sorted(moves[20:])
            print(
                f"  foil slider, demo board, from the move to the answer shown: median {times[len(times) // 2]:.0f} ms, p95 {times[int(0.95 * len(times))]:.0f} ms"
                f" (goal {GOAL_SLIDE_MS}); the slowest of the first twenty {first:.0f} ms"
            )
        finally:
            server.stop()
