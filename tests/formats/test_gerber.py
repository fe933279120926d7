"""Gerber shapes against closed forms, and refusals with file and line."""

import contextlib
import math

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import DATA
from tests.formats.gerber_text import at, gerber
from yellowfen.errors import UnreadableFile
from yellowfen.formats.gerber.apertures import ApertureError, evaluate, polygons_of
from yellowfen.formats.gerber.layer import MANY, _united
from yellowfen.formats.gerber.reader import read_gerber

FLASH = "D10*\n" + at(5, 5, "D03")


def cut_quarter(radius: float, half_gap: float) -> float:
    """Area of a disc's quarter that lies beyond a gap's half width of both axes: an integral in
    closed form.
    """

    def under(x: float) -> float:
        return 0.5 * (x * math.sqrt(radius**2 - x**2) + radius**2 * math.asin(x / radius))

    end = math.sqrt(radius**2 - half_gap**2)
    return under(end) - under(half_gap) - half_gap * (end - half_gap)


@pytest.mark.parametrize(
    ("aperture", "area"),
    [
        ("C,2", math.pi),
        ("C,2X1", math.pi * 0.75),
        ("R,3X2", 6),
        ("R,3X2X1", 6 - math.pi / 4),
        ("O,3X1", 2 + math.pi / 4),
        ("O,1X3", 2 + math.pi / 4),
        ("P,2X6", 1.5 * math.sqrt(3)),
        ("P,2X4X45", 2),
        ("P,2X6X0X0.5", 1.5 * math.sqrt(3) - math.pi / 16),
    ],
)
def test_standard_apertures_have_their_areas(aperture: str, area: float) -> None:
    layer = read_gerber(gerber(FLASH, f"%ADD10{aperture}*%\n"), "t")
    assert layer.picture.area == pytest.approx(area, rel=1e-3)
    assert layer.picture.centroid.coords[0] == pytest.approx((5, 5), abs=1e-6)


@pytest.mark.parametrize(
    ("macro", "parameters", "area"),
    [
        ("1,1,$1,0,0", "2", math.pi),
        ("21,1,$1,$2,0,0,30", "3X2", 6),
        ("20,1,0.5,0,0,4,0,0", "", 2),
        ("4,1,3,0,0,2,0,2,2,0,0,0", "", 2),
        ("5,1,6,0,0,2,0", "", 1.5 * math.sqrt(3)),
        ("1,1,4,0,0*1,0,2,0,0", "", 3 * math.pi),
        ("$3=$1x2+1-$2/2*1,1,$3,0,0", "1X2", math.pi),
        ("7,0,0,4,2,0.5,0", "", 4 * (cut_quarter(2, 0.25) - cut_quarter(1, 0.25))),
        ("7,0,0,4,2,0.5,-25", "", 4 * (cut_quarter(2, 0.25) - cut_quarter(1, 0.25))),
        ("20,1,0.5,0,0,4,3,17", "", 2.5),
        ("4,1,4,0,0,2,0,2,2,0,2,0,0,30", "", 4),
        ("21,1,4,3,0,0,0*1,0,2,1,0,0", "", 12 - math.pi),
        ("21,1,4,3,0,0,0*21,0,2,1,0,0,45", "", 10),
    ],
)
def test_macros_have_their_areas(macro: str, parameters: str, area: float) -> None:
    body = macro.replace("*", "*\n")
    define = f"%AMM1*\n{body}*%\n%ADD10M1{',' + parameters if parameters else ''}*%\n"
    assert read_gerber(gerber(FLASH, define), "t").picture.area == pytest.approx(area, rel=1e-3)


def test_strokes_arcs_and_regions() -> None:
    line = read_gerber(gerber("D10*\n" + at(0, 0, "D02") + at(10, 0, "D01"), "%ADD10C,1*%\n"), "t")
    assert line.picture.area == pytest.approx(10 + math.pi / 4, rel=1e-3)
    circle = "G75*\nG36*\n" + at(10, 0, "D02") + f"G03*\nX10000000Y0I{-10_000_000}J0D01*\nG37*\n"
    assert read_gerber(gerber(circle), "t").picture.area == pytest.approx(100 * math.pi, rel=1e-3)
    quarter = (
        "G74*\nG36*\nG01*\n"
        + at(0, 0, "D02")
        + at(10, 0, "D01")
        + "G03*\nX0Y10000000I10000000J0D01*\nG01*\n"
        + at(0, 0, "D01")
        + "G37*\n"
    )
    assert read_gerber(gerber(quarter), "t").picture.area == pytest.approx(25 * math.pi, rel=1e-3)


def test_polarity_step_repeat_blocks_and_load_commands() -> None:
    apertures = "%ADD10R,4X4*%\n%ADD11C,2*%\n"
    cleared = gerber("D10*\n" + at(0, 0, "D03") + "%LPC*%\nD11*\n" + at(0, 0, "D03"), apertures)
    assert read_gerber(cleared, "t").picture.area == pytest.approx(16 - math.pi, rel=1e-3)
    repeated = gerber("%SRX3Y2I5.0J5.0*%\nD10*\n" + at(0, 0, "D03") + "%SR*%\n", apertures)
    assert len(polygons_of(read_gerber(repeated, "t").picture)) == 6
    inch = gerber(
        "%SRX2Y1I1.0J0*%\nD10*\nX0Y0D03*\n%SR*%\n",
        "%ADD10R,0.1X0.1*%\n",
        head="%FSLAX24Y24*%\n%MOIN*%\n",
    )
    assert read_gerber(inch, "t").picture.bounds[2] == pytest.approx(26.67)
    block = (
        "%ABD20*%\nD11*\n"
        + at(0, 0, "D03")
        + at(3, 0, "D03")
        + "%AB*%\nD20*\n"
        + at(0, 0, "D03")
        + "%LR90*%\n"
        + at(10, 0, "D03")
    )
    picture = read_gerber(gerber(block, apertures), "t").picture
    assert picture.area == pytest.approx(4 * math.pi, rel=1e-3)
    assert picture.bounds == pytest.approx((-1, -1, 11, 4), abs=0.01)
    scaled = read_gerber(gerber("%LS0.5*%\n%LMX*%\n" + FLASH, "%ADD10R,4X4*%\n"), "t")
    assert scaled.picture.area == pytest.approx(4)


RECTANGLE_AND_DISC = "%ADD10R,4X2*%\n%ADD11C,2*%\n%ADD12C,1X0.5*%\n%ADD13O,3X1*%\n"


@pytest.mark.parametrize(
    ("body", "area"),
    [
        ("%LR30*%\nD10*\n" + at(5, 5, "D03"), 8),
        ("%LR77*%\nD13*\n" + at(5, 5, "D03"), 2 + math.pi / 4),
        ("%LS2*%\nD13*\n" + at(5, 5, "D03"), 4 * (2 + math.pi / 4)),
        ("%LMXY*%\n%LR10*%\n%LS0.5*%\nD10*\n" + at(5, 5, "D03"), 2),
        (
            "D10*\n" + at(5, 5, "D03") + "D12*\n" + at(5, 5, "D03"),
            8,
        ),  # the hole of an aperture does not clear what lies beneath
        ("D12*\n" + at(5, 5, "D03"), math.pi / 4 * 0.75),
        (
            "%SRX3Y2I6.0J4.0*%\nD10*\n"
            + at(0, 0, "D03")
            + "%LPC*%\nD11*\n"
            + at(0, 0, "D03")
            + "%LPD*%\n%SR*%\n",
            6 * (8 - math.pi),
        ),
        (
            "%ABD30*%\nD10*\n"
            + at(0, 0, "D03")
            + "%LPC*%\nD11*\n"
            + at(0, 0, "D03")
            + "%LPD*%\n%AB*%\nD30*\n"
            + at(0, 0, "D03")
            + "%LR90*%\n"
            + at(20, 0, "D03")
            + "%LR0*%\n%LS0.5*%\n"
            + at(40, 0, "D03"),
            (8 - math.pi) * 2.25,
        ),
        (
            "G75*\nD11*\n" + at(10, 0, "D02") + "G03*\nX0Y10000000I-10000000J0D01*\n",
            2 * math.pi * 5 + math.pi,
        ),
        (
            "G74*\nD11*\n" + at(10, 0, "D02") + "G03*\nX0Y10000000I10000000J0D01*\n",
            2 * math.pi * 5 + math.pi,
        ),
        (
            "G36*\n"
            + at(0, 0, "D02")
            + at(4, 0, "D01")
            + at(4, 4, "D01")
            + at(0, 4, "D01")
            + at(0, 0, "D01")
            + at(2, 0, "D01")
            + at(2, 2, "D01")
            + at(3, 2, "D01")
            + at(3, 1, "D01")
            + at(2, 1, "D01")
            + at(2, 0, "D01")
            + "G37*\n",
            15,
        ),
        (
            "G36*\nG01*\n"
            + at(0, 0, "D02")
            + at(10, 0, "D01")
            + "G75*\nG03*\nX10000000Y6000000I0J3000000D01*\nG01*\n"
            + at(0, 6, "D01")
            + at(0, 0, "D01")
            + "G37*\n",
            60 + math.pi * 4.5,
        ),
    ],
)
def test_transformed_repeated_and_cleared_shapes_have_their_areas(body: str, area: float) -> None:
    assert read_gerber(gerber(body, RECTANGLE_AND_DISC), "t").picture.area == pytest.approx(
        area, rel=1e-3
    )


def test_deprecated_commands_are_obeyed_and_told() -> None:
    negative = read_gerber(
        gerber("%IPNEG*%\nD10*\n" + at(2, 1, "D03") + at(30, 20, "D03"), RECTANGLE_AND_DISC),
        "plane",
    )
    assert negative.picture.area == pytest.approx(32 * 21 - 16, rel=1e-3)
    offset = read_gerber(gerber("%OFA10B20*%\nD10*\n" + at(0, 0, "D03"), RECTANGLE_AND_DISC), "t")
    assert offset.picture.centroid.coords[0] == pytest.approx((10, 20))
    assert any("OF" in remark for remark in offset.remarks)
    old = gerber("G54D10*\nX0Y0D03*\n", "%ADD10R,0.1X0.1*%\n", head="%FSLAX24Y24*%\nG70*\n")
    assert read_gerber(old, "t").picture.area == pytest.approx(2.54**2)


def test_attributes_name_the_pads() -> None:
    layer = read_gerber(
        gerber(
            "%TO.P,U1,3*%\n%TO.N,GND*%\n" + FLASH + "%TD*%\n" + at(9, 9, "D03"), "%ADD10C,1*%\n"
        ),
        "t",
    )
    assert [(one.ref, one.pin, one.net) for one in layer.drawn] == [
        ("U1", "3", "GND"),
        (None, None, None),
    ]


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "empty"),
        (b"   \n", "empty"),
        (bytes(range(256)) * 20, "not a Gerber file"),
        (b"hello world", "not a Gerber file"),
        (
            gerber("D10*\nX0Y0D03*\n", head="%FSLAX36Y36*%\n"),
            "line 2.*no unit|line 3.*no unit|never defined",
        ),
        (
            gerber("X0Y0D03*\n", head="%FSLAX36Y36*%\nG04 x*\n"),
            "before an aperture is chosen|no unit",
        ),
        (gerber("X1Y1D02*\nX2Y2D01*\n", head="%FSLAX36Y36*%\nG04 x*\n"), "line 3.*no unit"),
        (gerber("D77*\nX0Y0D03*\n"), "line 3, column 1: aperture D77 is used but never defined"),
        (gerber("X0Y0D03*\n"), "line 3, column 1: something is drawn before an aperture is chosen"),
        (gerber(FLASH, "%ADD10C,1*%\n", end=""), "looks cut off"),
        (gerber(FLASH, "%ADD10C,1*%\n")[:45], "cut off"),
        (gerber(FLASH, "%ADD10NOPE,1*%\n"), "macro 'NOPE', which is not defined"),
        (gerber(FLASH, "%ADD10C,-1*%\n"), "negative"),
        (gerber(FLASH, "%ADD10C,1e308*%\n"), "size is beyond any board"),
        (gerber(FLASH, "%AMX*1,1,1e300,0,0*%\n%ADD10X*%\n"), "macro is beyond any board"),
        (gerber("D10*\nX99999999999Y0D03*\n", "%ADD10C,1*%\n"), "beyond any board"),
        (
            gerber("D10*\nG75*\nG02*\nX1000Y0I99999999999999999J0D01*\n", "%ADD10C,1*%\n"),
            "centre of an arc lies",
        ),
        (gerber("%SRX9999Y9999I1J1*%\nD10*\nX0Y0D03*\n%SR*%\n", "%ADD10C,1*%\n"), "more than"),
    ],
)
def test_what_cannot_be_read_is_refused_with_its_place(data: bytes, said: str) -> None:
    with pytest.raises(UnreadableFile, match=said) as caught:
        read_gerber(data, "top.gbr")
    assert str(caught.value).startswith("top.gbr")


@settings(max_examples=300)
@given(st.data())
def test_mutated_files_are_read_or_refused(data: st.DataObject) -> None:
    original = bytearray((DATA / "boards/attributes/board-F_Paste.gbr").read_bytes())
    for _ in range(data.draw(st.integers(1, 6))):
        original[data.draw(st.integers(0, len(original) - 1))] = data.draw(st.integers(9, 255))
    with contextlib.suppress(UnreadableFile):
        assert read_gerber(bytes(original), "t").picture.area >= 0


@pytest.mark.parametrize(
    ("text", "value"), [("1+2x3", 7), ("(1+2)x3", 9), ("-$1/2", -2), ("2--1", 3), ("$9", 0)]
)
def test_macro_arithmetic(text: str, value: float) -> None:
    assert evaluate(text, {1: 4.0}) == value


@pytest.mark.parametrize("text", ["1/0", "(", "1+", "abc", ""])
def test_broken_macro_arithmetic(text: str) -> None:
    with pytest.raises(ApertureError):
        evaluate(text, {})


def test_thousands_of_shapes_that_meet_are_united_as_few_are() -> None:
    """Pads of a bar and a disc each, and some rows of them that overlap."""
    chance = np.random.default_rng(5)
    places = [(3.0 * (n % 60), 3.0 * (n // 60)) for n in range(MANY)]
    bars = [shapely.box(x, y, x + chance.uniform(1.0, 3.4), y + 0.8) for x, y in places]
    discs = [shapely.Point(x + 1.0, y + 0.4).buffer(0.6, 4) for x, y in places]
    many = _united([*bars, *discs])
    assert shapely.get_num_geometries(many) < MANY
    assert shapely.is_valid(many)
    whole = shapely.union_all([*bars, *discs])
    assert shapely.symmetric_difference(many, whole).area < 1e-9
    assert sum(map(shapely.area, shapely.get_parts(many))) == pytest.approx(whole.area, rel=1e-9)
