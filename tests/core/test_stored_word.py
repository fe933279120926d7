"""Words that earlier versions stored are read as today's, wherever they stand."""

import pytest

from yellowfen.core.look.picture_work import Moment
from yellowfen.core.metal.lot import LotEvent
from yellowfen.core.quantity.stored_word import (
    EARLIER,
    StoredWord,
    word_as_first_stored,
    word_of_today,
)
from yellowfen.core.rework.pads import Want
from yellowfen.core.rework.ways_off import OffWay
from yellowfen.core.run.machine import Tap
from yellowfen.core.work.job import FoundMark, Verdict
from yellowfen.core.work.ready_plan import ReadyPlan
from yellowfen.core.work.schools import QUESTIONS, Schools
from yellowfen.core.work.technique import Way
from yellowfen.store.packing import pack, unpack

KINDS: dict[str, type[StoredWord]] = {
    kind.__name__: kind for kind in (Verdict, Way, OffWay, LotEvent, Moment, Want)
}


@pytest.mark.parametrize("name", [*KINDS, "School"])
def test_every_earlier_word_is_a_word_of_today(name: str) -> None:
    """Each has one word of today, none is written any more, and a column's first word comes back."""
    if name == "School":
        today = {one.name for _, schools in QUESTIONS.values() for one in schools}
    else:
        today = {str(one) for one in KINDS[name]}
    for earlier, word in EARLIER[name].items():
        assert word in today
        assert earlier not in today
        assert word_of_today(name, earlier) == word_of_today(name, word) == word
        assert word_as_first_stored(name, word) == earlier
        if name in KINDS:
            assert KINDS[name](earlier) is KINDS[name](word)
    assert set(EARLIER) == {*KINDS, "School"}


def test_what_was_never_a_word_is_refused() -> None:
    for kind in KINDS.values():
        with pytest.raises(ValueError, match="is not a valid"):
            kind("never a word")


def test_stored_records_of_earlier_versions_read_as_todays() -> None:
    mark = pack(FoundMark("U1", "3", Verdict.STARVED))
    assert unpack(FoundMark, mark.replace('"starved"', '"lean"')).verdict is Verdict.STARVED
    plan = unpack(
        ReadyPlan,
        '{"way_parts": {"U2": "mounds, hot air"}, "way_packages": {"0603": "print, plate"},'
        ' "schools": {"leadless": "mounds"}}',
    )
    assert plan.ways().schools.of("leadless").name == "solder bumps"
    assert plan.way_parts == {"U2": "solder bumps, hot air"}
    assert plan.way_packages == {"0603": "print, hot plate"}
    assert Schools({"flux": "drown it and wash"}).of("flux").name == "plenty, then wash"


def test_a_tap_of_an_earlier_page_is_taken() -> None:
    """A page that was open, or a phone that kept its taps, says the words it was loaded with."""
    assert Tap(key="a", cue="U1.3", word="loose balls", at_ms=0).word == Verdict.SOLDER_BALLS
    assert Tap(key="a", cue="start", word="done", at_ms=0).word == "done"
