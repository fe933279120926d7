"""One fact has one home: what several pages tell of the same thing is asked of one function."""

import pytest

from yellowfen.core.look.mend import steps_for
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.part.moisture import floor_life_of
from yellowfen.core.rework.legs import Passport, fitness
from yellowfen.core.run.look import LOOK
from yellowfen.core.run.machine import Effect
from yellowfen.core.run.pad_heats import AT_MOST, MOST_HEATS, PadHeats, told
from yellowfen.core.run.pads import PADS, REMEDIES
from yellowfen.core.work.job import Verdict


@pytest.mark.parametrize(
    "name",
    ["0603", "SOT-23", "SOIC-8", "QFN-20", "tantalum A", "SOD-123", "SMA"],
)
def test_a_bag_bakes_what_moisture_says_wants_baking(name: str) -> None:
    """Of a salvaged part whose hours are not known: baked where a body of its kind has a floor life."""
    package = package_named(name)
    first = fitness(Passport(ref="U1", package=name, cleaned=True, straight=True), package).first
    assert any("bake" in one for one in first) is (floor_life_of(package) is not None)


@pytest.mark.parametrize("more", [0, 1])
def test_so_many_heats_are_told_as_too_many_and_refused_in_a_bag(more: int) -> None:
    heats = int(MOST_HEATS) + more
    shown = told({("U1", "1"): PadHeats(heats=heats)}, {"U1": ("1",)})[0]
    refused = fitness(
        Passport(ref="U1", package="SOIC-8", heats=heats), package_named("SOIC-8")
    ).refused
    assert (shown.too_many, bool(refused)) == (more > 0, more > 0)
    assert f"{MOST_HEATS:.0f} heats" in AT_MOST


def test_a_lifted_pad_is_dealt_with_in_the_same_steps_wherever_it_is_found() -> None:
    assert steps_for(Verdict.LIFTED_PAD) == REMEDIES["lifted pad"]
    damages = {word for word, effect in PADS.rule.words.items() if effect is Effect.ASIDE}
    assert damages == set(REMEDIES)


def test_every_verdict_can_be_tapped_in_a_look() -> None:
    assert all(str(one) in LOOK.rule.words for one in Verdict)
