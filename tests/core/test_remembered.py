"""Answers kept for a board that is the same object."""

from dataclasses import replace

import pytest

from yellowfen.core.board.board import Board
from yellowfen.core.board.remembered import Shelf, remembered
from yellowfen.core.deposit.hand_plan import hand_plan
from yellowfen.core.metal.paste import paste_named


def test_an_answer_is_kept_for_the_same_board_and_question_only(demo_board: Board) -> None:
    asked = []

    @remembered(2)
    def answer(board: Board, question: str, more: frozenset[str] = frozenset()) -> list[str]:
        asked.append(question)
        return [board.name, question, *sorted(more)]

    first = answer(demo_board, "a")
    assert answer(demo_board, "a") is first
    other = replace(demo_board, name="another")
    assert answer(other, "a") == ["another", "a"]
    assert answer(demo_board, "a", more=frozenset("x")) == [demo_board.name, "a", "x"]
    assert asked == ["a"] * 3
    assert answer(demo_board, "a") == first  # the third drove it out
    assert asked == ["a"] * 4


def test_large_boards_are_let_go_sooner(demo_board: Board, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("yellowfen.core.board.remembered.MOST_PADS", 2 * len(demo_board.pads))
    shelf: Shelf[int] = Shelf(8)
    boards = [replace(demo_board, name=str(n)) for n in range(4)]
    for n, board in enumerate(boards):
        shelf.put(n, (board,), n)
        shelf.put(-n, (board,), n)  # another answer about the same board takes no room
    assert [shelf.get(n) for n in (1, 2, -2, 3, -3)] == [None, (2,), (2,), (3,), (3,)]
    monkeypatch.setattr("yellowfen.core.board.remembered.MOST_PADS", 1)
    shelf.put("last", (boards[0],), 9)
    assert (shelf.get(3), shelf.get("last")) == (None, (9,))


def test_what_is_kept_is_what_would_be_worked_out(demo_board: Board) -> None:
    paste = paste_named("sn63-t4")
    kept = hand_plan(demo_board, paste, "top", (21,), fewest=True)
    assert hand_plan(demo_board, paste, "top", (21,), fewest=True) is kept
    assert hand_plan.__wrapped__(demo_board, paste, "top", (21,), fewest=True) == kept  # type: ignore[attr-defined]
    assert hand_plan(demo_board, paste, "top", (21,), fewest=False) != kept
