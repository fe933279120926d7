"""Placement tables, bills and drill files in the forms people really have."""

import pytest

from yellowfen.errors import UnreadableFile
from yellowfen.formats.drill import read_drill
from yellowfen.formats.part_table import read_bill, read_placements, spread_refs


@pytest.mark.parametrize(
    "text",
    [
        "Ref,Val,Package,PosX,PosY,Rot,Side\nR1,10k,0603,12.5,7.25,90,top\n",
        "Designator;Comment;Footprint;Mid X;Mid Y;Rotation;Layer\nR1;10k;0603;12,5;7,25;90;TopLayer\n",
        "Ref\tX (mil)\tY (mil)\tRotation\tSide\nR1\t492.126\t285.433\t90\tT\n",
        "﻿Reference,X,Y,Rot,Side\nR1,12.5mm,285.433mil,90,F.Cu\n",
        "# made by hand\n\nref,x (mm),y (mm),angle,side\nR1,12.5,7.25,90,Front\n\n",
        '"RefDes","X","Y","Rotation","Side"\n"R1","0.492126in","0.285433in","90","component"\n',
    ],
)
def test_any_sane_table_gives_the_same_place(text: str) -> None:
    (placed,) = read_placements(text.encode(), "p.csv")
    assert (placed.ref, placed.rotation_deg, placed.side) == ("R1", 90.0, "top")
    assert (placed.x_mm, placed.y_mm) == pytest.approx((12.5, 7.25), abs=1e-3)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "empty"),
        ("Ref,X,Side\nR1,1,top\n", "line 1: the column for y is missing"),
        ("a,b,c\n1,2,3\n", "no heading row"),
        ("Ref,X,Y,Side\nR1,1,2,sideways\n", "line 2, column 4: side 'sideways' is not known"),
        ("Ref,X,Y,Side\nR1,1,2,top\nR1,3,4,top\n", r"line 3, column 1: R1 stands twice \(first in line 2\)"),
        ("Ref,X,Y,Side\nR1,1,nan,top\n", "line 2, column 3: y 'nan' is not a number"),
        ("Ref,X,Y,Side\nR1,1furlong,2,top\n", "the unit 'furlong'"),
        ("Ref,X,Y,Side\n", "no parts below"),
    ],
)
def test_tables_that_cannot_be_read_say_where(text: str, said: str) -> None:
    with pytest.raises(UnreadableFile, match=said):
        read_placements(text.encode(), "p.csv")


def test_bill_spreads_its_references() -> None:
    lines = read_bill('References;Value;Package\n"R1, R3–R5";10k;0603\n'.encode(), "b.csv")
    assert [line.ref for line in lines] == ["R1", "R3", "R4", "R5"]
    assert spread_refs("C1-C3 C9") == ["C1", "C2", "C3", "C9"]


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ("M48\nMETRIC,TZ\nT1C0.8\n%\nT1\nX12.5Y7.25\nM30\n", (12.5, 7.25)),
        ("M48\nINCH,LZ\nT01C0.0315\n%\nT01\nX0049213Y0028543\nM30\n", (12.5, 7.25)),
        ("M48\nINCH,TZ\nT01C0.0315\n%\nT01\nX4921Y2854\nM30\n", (12.499, 7.249)),
        ("M48\nMETRIC,LZ,000.000\nT1C0.8\n%\nT1\nX0125Y00725\nM30\n", (12.5, 7.25)),
    ],
)
def test_drill_number_forms(text: str, place: tuple[float, float]) -> None:
    (hit,) = read_drill(text.encode(), "d.drl").hits
    assert (hit.x_mm, hit.y_mm) == pytest.approx(place, abs=2e-3)
    assert hit.drill_mm == pytest.approx(0.8, abs=1e-3)


def test_drill_slots() -> None:
    text = b"M48\nMETRIC\nT1C1.0\n%\nT1\nX1.0Y1.0G85X3.0Y1.0\nG00X5.0Y5.0\nM15\nG01X5.0Y8.0\nM16\nG05\nX9.0Y9.0\nM30\n"
    hits = read_drill(text, "d").hits
    assert [(hit.x2_mm, hit.y2_mm) for hit in hits] == [(3.0, 1.0), (5.0, 8.0), (None, None)]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "empty"),
        ("M48\nT1C0.8\n%\nT1\nX1.0Y1.0\nM30\n", "line 5: gives no unit"),
        ("M48\nMETRIC\n%\nT9\nX1.0Y1.0\nM30\n", "tool T9 is used"),
    ],
)
def test_drill_refusals(text: str, said: str) -> None:
    with pytest.raises(UnreadableFile, match=said):
        read_drill(text.encode(), "d.drl")


def test_drill_without_end_is_read_and_said() -> None:
    assert "no end mark" in read_drill(b"M48\nMETRIC\nT1C1.0\n%\nT1\nX1.0Y1.0\n", "d").remarks[0]
