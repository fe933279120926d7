"""Stored moments are told by the clock on the wall."""

import time
from collections.abc import Iterator

import pytest

from yellowfen.store.moment import clock_words, day_words, moment_words


@pytest.fixture
def east(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """A machine nine hours ahead of UTC; POSIX writes that with a minus."""
    monkeypatch.setenv("TZ", "HERE-9")
    time.tzset()
    yield
    monkeypatch.undo()
    time.tzset()


def test_a_moment_is_told_by_the_clock_on_the_wall(east: None) -> None:
    assert moment_words("2026-03-09 20:15:00") == "10 Mar 2026, 05:15"
    assert day_words("2026-03-09 20:15:00") == "10 Mar 2026"
    assert day_words("2026-03-09 14:59:59") == "9 Mar 2026"
    assert clock_words("2020-03-09 20:15:00") == "10 Mar 05:15"


def test_seconds_and_text_tell_the_same_moment(east: None) -> None:
    assert moment_words(0) == moment_words("1970-01-01 00:00:00") == "1 Jan 1970, 09:00"
