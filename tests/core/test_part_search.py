"""Parts far off their place, and pictures with faults: the truth within the error that is told, or
no verdict.
"""

import re

import numpy as np
import pytest
from numpy.typing import NDArray

from tests import pictures as drawn
from yellowfen.core.board.board import Board
from yellowfen.core.look.part_search import find_part
from yellowfen.core.look.part_seen import Pose, hides, joints_seen
from yellowfen.core.look.picture_fit import Click, PictureFit, fit_doubt, refined, with_quality
from yellowfen.errors import InvalidValue

NAMES = ("SOIC-8", "TSSOP-20", "QFP-48", "0805", "SOT-23", "QFN-20")
Picture = NDArray[np.float64]


def board_of(name: str, seed: int, monkeypatch: pytest.MonkeyPatch) -> Board:
    monkeypatch.setattr(drawn, "KINDS", (name,))
    return drawn.pictured_board(seed, count=3)


def fit_of(image: Picture, board: Board, clicks: list[Click]) -> tuple[PictureFit, str]:
    rings = [pad.ring for pad in board.pads]
    hidden = [ring for part in board.parts for ring in hides(part, Pose()).values()]
    by_part = [[pad.ring for pad in board.pads if pad.ref == one.ref] for one in board.parts]
    fit = with_quality(image, rings, refined(image, rings, clicks, "top"), hidden, by_part)
    return fit, fit_doubt(fit, clicks)


@pytest.mark.slow
def test_a_part_far_off_is_found_or_not_judged(monkeypatch: pytest.MonkeyPatch) -> None:
    """Six kinds, 0.1 to 1.0 mm off and up to 4° turned, every second a whole lead's width."""
    judged = held = 0
    for n in range(20):
        chance, name = np.random.default_rng(n + 77), NAMES[n % 6]
        board = board_of(name, n, monkeypatch)
        part, far = board.parts[1], (0.1, 0.3, 0.5, 0.7, 1.0)[n % 5]
        angle = chance.uniform(0, 2 * np.pi)
        truth = Pose(far * np.cos(angle), far * np.sin(angle), float(chance.uniform(-4, 4)))
        matrix = drawn.camera(n, (12, 18, 24)[n % 3], (part.x_mm, part.y_mm), "top")
        layers = drawn.bare(board)
        drawn.with_part(layers, part, truth)
        image = drawn.rendered(layers, matrix, n)
        clicks = drawn.clicks_near(board, matrix, 2 + n % 3, n)
        fit, doubt = fit_of(image, board, clicks)
        found = find_part(image, fit, part, [pad.ring for pad in board.pads])
        if doubt or found.doubt or found.error_mm > 0.08:
            continue
        judged += 1
        told = joints_seen(part.package, found.pose, error_mm=found.error_mm)
        pairs = zip(told, joints_seen(part.package, truth), strict=True)
        apart, wrong = 0.0, 0
        assert sum(one.near for one in told) < len(told) or len(told) < 3, (n, name)
        for seen, true in pairs:
            apart = max(apart, abs(seen.side_mm - true.side_mm))
            wrong += seen.verdict != true.verdict and not seen.near
        assert wrong == 0, (n, name)
        held += apart <= found.error_mm
    assert judged >= 16
    assert held >= 0.9 * judged


def test_a_like_part_does_not_speak_for_its_neighbours() -> None:
    """Places clicked half a turn round lie well on a part of two like rows; what else is in sight
    lies on nothing (4032 and 4206: by all pads together 70 and 78 % are seen).
    """
    for n in (4032, 4206):
        board, matrix = drawn.pictured_board(n, count=3), drawn.camera(n, 18, (19, 7), "top")
        layers = drawn.bare(board)
        drawn.with_part(layers, board.parts[1], Pose(0.3, 0.2, 1.0))
        image, clicks = drawn.rendered(layers, matrix, n), drawn.clicks_near(board, matrix, 4, n)
        turned = [Click(c.x_mm, c.y_mm, 1200 - c.u_px, 900 - c.v_px) for c in clicks]
        assert fit_of(image, board, clicks)[1] == ""
        assert "does not match the pads" in fit_of(image, board, turned)[1]


@pytest.mark.slow
@pytest.mark.parametrize(
    ("fault", "says"),
    [
        ("no part", ""),
        ("no board", "does not match the pads"),
        ("half a turn", "does not match the pads|lies .* pixels"),
        ("two swapped", "does not match the pads|do not fit together"),
        ("aslant", "tilted|does not match|fit together"),
        ("out of focus", "out of focus|does not lie|too wide an error"),
    ],
)
def test_a_picture_with_a_fault_gives_no_verdict(fault: str, says: str) -> None:
    for n in (1, 6, 17):
        board = drawn.pictured_board(n, count=3)
        part = board.parts[1]
        matrix = drawn.camera(n, 18, (19, 7), "top")
        if fault == "aslant":
            to = np.array([[1, 0, -19], [0, 1, -7], [0, 0, 1.0]])
            lean = np.array([[1, 0, 0], [0, 1, 0], [0.033, 0.01, 1]])
            matrix = matrix @ np.linalg.inv(to) @ lean @ to
        layers = drawn.Layers() if fault == "no board" else drawn.bare(board)
        if fault not in ("no part", "no board"):
            drawn.with_part(layers, part, Pose(0.3, 0.2, 1.0))
        image = drawn.rendered(layers, matrix, n, blur=8.0 if fault == "out of focus" else 1.2)
        clicks = drawn.clicks_near(board, matrix, 4, n)
        if fault == "half a turn":
            clicks = [Click(c.x_mm, c.y_mm, 1200 - c.u_px, 900 - c.v_px) for c in clicks]
        if fault == "two swapped":
            a, b = clicks[:2]
            turned = [
                Click(a.x_mm, a.y_mm, b.u_px, b.v_px),
                Click(b.x_mm, b.y_mm, a.u_px, a.v_px),
            ]
            clicks = [*turned, *clicks[2:]]
        try:
            fit, doubt = fit_of(image, board, clicks)
            doubt = doubt or ("too wide an error" if fit.error_um > 80 else "")
        except InvalidValue as refused:
            doubt = str(refused)
        if fault == "no part":
            doubt = doubt or find_part(image, fit, part, [pad.ring for pad in board.pads]).doubt
            assert doubt, n
        else:
            assert doubt, n
            assert re.search(says, doubt), (n, doubt)
