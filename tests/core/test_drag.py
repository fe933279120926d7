"""Does the air push a part? Bernoulli by hand, and the sense of each setting."""

from dataclasses import replace

import pytest

from tests.conftest import small_scene
from yellowfen.core.heat.drag import push_share, wall_pressure_pa
from yellowfen.core.heat.scene import Deed as D
from yellowfen.core.heat.scene import Move, Side
from yellowfen.core.heat.source import HotAir, HotPlate


def test_outlet_pressure_by_hand() -> None:
    """30 L/min of free air at 20 °C through 6 mm at 360 °C: 633.15/293.15 × 0.5e-3 m³/s ÷ 28.27 mm²
    = 38.2 m/s; ½ρu² with 0.5576 kg/m³ = 407 Pa. At one nozzle diameter from the middle of a near
    jet the wall jet still has it all.
    """
    scene = small_scene()
    part = replace(scene.parts[1], x_mm=15.0 + 6.0, y_mm=12.0)
    move = Move(deed=D.CLOSE, seconds=10.0, over=("U1",), height_mm=15.0, circle_mm=0.0)
    assert wall_pressure_pa(
        scene, HotAir(nozzle_mm=6, outlet_c=360, flow_lpm=30), move, part
    ) == pytest.approx(407, rel=0.02)


def test_more_air_a_smaller_nozzle_and_a_lean_push_harder() -> None:
    scene = small_scene(close_s=30.0)
    part = scene.parts[1]

    def share(**changes: object) -> float:
        return push_share(replace(scene, **changes), part, 0.0)

    base = share()
    assert share(source=HotAir(nozzle_mm=6, outlet_c=360, flow_lpm=60)) == pytest.approx(
        4 * base, rel=0.01
    )
    assert share(source=HotAir(nozzle_mm=4, outlet_c=360, flow_lpm=30)) > base
    near = replace(part, x_mm=15.0)
    leaning = replace(scene, moves=(replace(scene.moves[0], tilt_deg=45.0), scene.moves[1]))
    assert push_share(leaning, near, 0.0) > push_share(scene, near, 0.0)


def test_no_push_without_air_underneath_or_after_the_air_is_gone() -> None:
    scene = small_scene(close_s=30.0)
    part = scene.parts[1]
    assert push_share(scene, replace(part, side=Side.BOTTOM), 0.0) == 0.0
    assert push_share(scene, part, 31.0) == 0.0
    assert (
        push_share(
            replace(scene, source=HotPlate(set_c=240.0), moves=(Move(deed=D.PLATE, seconds=5.0),)),
            part,
            0.0,
        )
        == 0.0
    )
