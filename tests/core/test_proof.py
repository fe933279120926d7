"""First power by hand, nets typed in lines, joints that steps prove."""

from dataclasses import replace

import pytest

from yellowfen.core.board.board import Board, BoardPart, Pad
from yellowfen.core.look.meter_plan import meter_plan
from yellowfen.core.look.proof import (
    BoardProof,
    FunctionStep,
    first_power,
    joints_named,
    joints_of,
    with_nets,
)
from yellowfen.core.look.reference import entries
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.work.job import Verdict
from yellowfen.errors import InvalidValue


def wired(*rows: tuple[str, str, str, dict[str, str]]) -> Board:
    """A board of parts: name, package, value, nets by pin."""
    parts, pads = [], []
    for number, (ref, name, value, nets) in enumerate(rows):
        package = package_named(name)
        x = 12.0 * number
        parts.append(
            BoardPart(
                ref=ref,
                value=value,
                footprint="",
                x_mm=x,
                y_mm=0,
                rotation_deg=0,
                side="top",
                package=package,
                joined=True,
            )
        )
        for land in package.lands:
            pads.append(
                Pad(
                    side="top",
                    x_mm=x + land.x_mm,
                    y_mm=land.y_mm,
                    size_x_mm=land.size_x_mm,
                    size_y_mm=land.size_y_mm,
                    angle_deg=0.0,
                    area_mm2=land.area_mm2,
                    paste_mm2=0.0,
                    ring=(),
                    ref=ref,
                    pin=land.pin,
                    net=nets.get(land.pin),
                )
            )
    return Board(
        name="wired",
        width_mm=90,
        height_mm=30,
        thickness_mm=1.6,
        outline=(),
        pads=tuple(pads),
        holes=(),
        copper=(),
        parts=tuple(parts),
        layers=(),
        findings=(),
    )


BOARD = wired(
    ("U1", "SOIC-8", "controller", {"1": "3V3", "4": "GND", "5": "A", "6": "B"}),
    ("U2", "SOT-23", "regulator 3.3 V", {"1": "5V", "2": "3V3", "3": "GND"}),
    ("R1", "0603", "330 Ω", {"1": "3V3", "2": "L"}),
    ("D1", "LED 0603", "", {"1": "L", "2": "GND"}),
    ("R2", "0603", "3.3 kΩ", {"1": "3V3", "2": "GND"}),
    ("C1", "0805", "10 µF", {"1": "3V3", "2": "GND"}),
    ("C2", "0805", "100 µF", {"1": "5V", "2": "GND"}),
)


def test_the_current_limit_by_hand() -> None:
    """3V3: controller and regulator 25 mA each, a lamp (3.3 - 2) / 330 = 3.94 mA, 1 mA through 3.3
    kΩ: 54.9, twice 109.9, so 110 mA. 5V feeds it: the regulator 25 mA and those 54.9: 80, twice
    159.9, so 160.
    """
    five, three = first_power(BOARD, BoardProof())
    assert (five.supply, five.volts, five.comes_from) == ("5V", 5.0, "")
    assert (three.supply, three.volts, three.comes_from) == ("3V3", 3.3, "5V")
    assert three.limit_ma == 110.0
    assert five.limit_ma == 160.0
    assert five.charge_ms == pytest.approx(1000 * 100e-6 * 5.0 / 0.160)
    assert "what 3V3 draws" in five.why
    assert five.expects.startswith("reads 4.75 to 5.25 V; nothing gets warm")


def test_volts_by_name_and_as_said() -> None:
    said = first_power(BOARD, BoardProof(supplies=("3V3",), volts={"3V3": 3.0}))
    assert [(one.supply, one.volts) for one in said] == [("3V3", 3.0)]
    assert first_power(replace(BOARD, parts=(), pads=()), BoardProof()) == ()
    with pytest.raises(InvalidValue, match="volts of 3V3"):
        BoardProof(volts={"3V3": float("nan")})


def test_nets_typed_in_lines_make_a_test_plan() -> None:
    bare = wired(("U1", "SOIC-8", "", {}), ("C4", "0603", "", {}), ("R1", "0603", "1 kΩ", {}))
    assert meter_plan(bare, {}).probes == ()
    typed = with_nets(bare, "U1.3 C4.1 GND\nU1.1, R1.1\n\nR1.2 C4.2 V+")
    assert {f"{pad.ref}.{pad.pin}": pad.net for pad in typed.pads if pad.net} == {
        "U1.3": "GND",
        "C4.1": "GND",
        "U1.1": "N2",
        "R1.1": "N2",
        "R1.2": "V+",
        "C4.2": "V+",
    }
    plan = meter_plan(typed, {})
    assert {
        frozenset((one.here, one.there)) for one in plan.probes if one.expect == "connects"
    } == {
        frozenset(("U1.3", "C4.1")),
        frozenset(("U1.1", "R1.1")),
        frozenset(("R1.2", "C4.2")),
    }
    assert with_nets(bare, "") is bare
    fewer = wired(("U1", "SOIC-8", "", {}))  # read anew, a part less: what is kept still opens
    kept = with_nets(fewer, "U1.3 C4.1 GND", kept=True)
    assert {pad.pin: pad.net for pad in kept.pads if pad.net} == {"3": "GND"}


@pytest.mark.parametrize(
    ("lines", "says"),
    [
        ("U1.3 C4.1 GND VDD", "one name"),
        ("U1.99 C4.1", "there is no pin U1.99"),
        ("U1.3 C4.1\nU1.3 C4.2", "U1.3 is in two lines"),
    ],
)
def test_lines_that_cannot_be_are_refused(lines: str, says: str) -> None:
    board = wired(("U1", "SOIC-8", "", {}), ("C4", "0603", "", {}))
    with pytest.raises(InvalidValue, match=says):
        with_nets(board, lines)


def test_a_step_proves_its_joints() -> None:
    step = FunctionStep(name="Blink", expect="it blinks", joints=joints_named("D1, U1.5", BOARD))
    assert joints_of(step, BOARD) == ("D1.1", "D1.2", "U1.5")
    with pytest.raises(InvalidValue, match="no part or pin X9"):
        joints_named("X9", BOARD)
    with pytest.raises(InvalidValue, match="write 1 to"):
        FunctionStep(name="", expect="x")


def test_everything_that_look_can_call_is_in_the_reference() -> None:
    names = {one.name for one in entries()}
    assert names == {str(one) for one in Verdict} - {"good", "other"}
    assert all(one.steps and one.looks for one in entries())
