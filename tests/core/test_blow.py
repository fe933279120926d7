"""How a blow ends that goes on, against whole samples of the same."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import small_scene
from yellowfen.core.heat import blow
from yellowfen.core.heat.blow import blow_bands
from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.heat.rehearsal import rehearse
from yellowfen.core.heat.scene import Deed, Move, Scene
from yellowfen.core.heat.sureness import Band, how_sure
from yellowfen.core.heat.usual import TOLD

# Looks change how a move is cut into steps, and where the circling nozzle stands in each: it is
# moved every 3 mm of its way, here every quarter of a second. Where a body creeps towards its limit,
# little heat is much time.
RENEWED_S, CREEPING = 0.3, 0.1


@st.composite
def _blows(draw: st.DrawFn) -> Scene:
    """The small board under soft to fierce air, begun at once or after the area is warmed; its
    neighbour stands more or less heat.
    """
    scene = small_scene(
        alloy=draw(st.sampled_from(["Sn63Pb37", "Sn96.5Ag3Cu0.5"])),
        outlet_c=draw(st.floats(230.0, 480.0)),
        height_mm=draw(st.floats(6.0, 30.0)),
        close_s=draw(st.floats(2.0, 70.0)),
        plane_pins=draw(st.sampled_from([(), ("4",)])),
    )
    part, beside = scene.parts
    package = replace(beside.package, limit_c=draw(st.floats(150.0, 260.0)))
    scene = replace(scene, parts=(part, replace(beside, package=package)))
    warm = Move(
        deed=Deed.WARM,
        seconds=draw(st.floats(5.0, 40.0)),
        over=("U1",),
        height_mm=40.0,
        circle_mm=12.0,
    )
    return replace(scene, moves=(warm, *scene.moves)) if draw(st.booleans()) else scene


def _same(one: Band, other: Band, share: float) -> bool:
    pairs = [(one.low, other.low), (one.middle, other.middle), (one.high, other.high)]
    return all(
        (a is None) == (b is None)
        and (a is None or b is None or abs(a - b) < RENEWED_S + share * a)
        for a, b in pairs
    )


@settings(max_examples=12, deadline=None)
@given(scene=_blows())
def test_a_sample_that_ends_once_all_is_known_says_what_a_whole_one_says(scene: Scene) -> None:
    told = rehearse(scene, TOLD)
    ends, whole = (
        blow_bands(scene, Doubts(), told, 11),
        how_sure(scene, Doubts(), 11, fine=told),
    )
    for one, other in ((ends.harm, whole.harm), *zip(ends.melts, whole.melts, strict=True)):
        assert _same(one, other, CREEPING), (one, other)
    assert ends.harm_why == whole.harm_why


def test_looks_further_apart_say_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    scene = small_scene(outlet_c=330.0)
    told = rehearse(scene, TOLD)
    often = blow_bands(scene, Doubts(), told, 11)
    monkeypatch.setattr(blow, "LOOK_EVERY_S", 45.0)
    assert _same(often.harm, blow_bands(scene, Doubts(), told, 11).harm, 0.01)
