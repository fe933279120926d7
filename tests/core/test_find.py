"""Parts are found by name, value, package and net, whatever the case."""

from hypothesis import given, settings
from hypothesis import strategies as st

from yellowfen.core.board.board import Board
from yellowfen.core.board.find import found_parts


def test_words_find_parts(demo_board: Board) -> None:
    every = tuple(part.ref for part in demo_board.parts)
    assert found_parts(demo_board, "") == found_parts(demo_board, "  ") == every
    assert found_parts(demo_board, "u4") == ("U4",)
    assert found_parts(demo_board, "R1") == ("R1",)  # and not R10
    chips = found_parts(demo_board, "c* 100NF 0402")
    assert len(chips) > 3
    for ref in chips:
        part = demo_board.part(ref)
        assert (ref[0], part.value.replace(" ", "")) == ("C", "100nF")
    on_ground = set(found_parts(demo_board, "GND"))
    assert on_ground >= {pad.ref for pad in demo_board.pads if pad.net == "GND" and pad.ref}
    assert found_parts(demo_board, "nothing-like-it") == ()


@settings(max_examples=80, deadline=None)
@given(text=st.text(max_size=20), word=st.text(max_size=8))
def test_another_word_never_finds_more(demo_board: Board, text: str, word: str) -> None:
    assert set(found_parts(demo_board, f"{text} {word}")) <= set(found_parts(demo_board, text))
