"""Placement tables, bills and drill files in the forms people really have."""

from dataclasses import replace

import pytest

from yellowfen.core.board.board import Board
from yellowfen.errors import UnreadableFile
from yellowfen.formats.board_files import read_board
from yellowfen.formats.board_out import board_files
from yellowfen.formats.drill import read_drill
from yellowfen.formats.part_table import how_read, read_bill, read_placements, spread_refs
from yellowfen.formats.table_out import as_text, from_text


@pytest.mark.parametrize(
    "text",
    [
        "Ref,Val,Package,PosX,PosY,Rot,Side\nR1,10k,0603,12.5,7.25,90,top\n",
        "Designator;Comment;Footprint;Mid X;Mid Y;Rotation;Layer\nR1;10k;0603;12,5;7,25;90;TopLayer\n",
        "Ref\tX (mil)\tY (mil)\tRotation\tSide\nR1\t492.126\t285.433\t90\tT\n",
        "﻿Reference,X,Y,Rot,Side\nR1,12.5mm,285.433mil,90,F.Cu\n",
        "# made by hand\n\nref,x (mm),y (mm),angle,side\nR1,12.5,7.25,90,Front\n\n",
        "Ref|Part X(mm)|Part Y(mm)|Rotation|Layer\nR1|12.5|7.25|90|top\n".replace("Part ", "Mid "),
        "#Ref  X  Y  Rot  Side\nR1  12.5  7.25  90.0  top\nR2  1.0  2.0  0.0  bottom\n",
        "units: mil\nRef,X,Y,Rot,Side\nR1,492.126,285.433,90,top\n",
        "R1;10k;12,500;7,250;90;T\nR2;10k;2,000;3,000;0;B\n",
        "Ref;Center-X(mm);Center-Y(mm);Rotation;Layer\nR1;12,500;7,250;90,0;Top\n",
        'Ref,Value,X,Y,Rot,TB\nR1,"1,5k",12.5,7.25,450,T\n',
        '"RefDes","X","Y","Rotation","Side"\n"R1","0.492126in","0.285433in","90","component"\n',
    ],
)
def test_any_sane_table_gives_the_same_place(text: str) -> None:
    placed = read_placements(text.encode(), "p.csv")[0]
    assert (placed.ref, placed.rotation_deg, placed.side) == ("R1", 90.0, "top")
    assert (placed.x_mm, placed.y_mm) == pytest.approx((12.5, 7.25), abs=1e-3)


@pytest.mark.parametrize(
    ("name", "ref"),
    [("R 1", "R1"), (" BAT+ ", "BAT+"), ("K;6", "K_6"), ("A, B", "A_B"), ("x" * 60, "x" * 40)],
)
def test_a_name_can_stand_in_a_list_of_names(name: str, ref: str) -> None:
    text = f'Ref,X,Y,Rot,Side\n"{name}",1,2,0,top\n'
    assert [one.ref for one in read_placements(text.encode(), "p.csv")] == [ref]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "empty"),
        ("Ref,X,Side\nR1,1,top\n", "line 1: the column for y is missing"),
        ("a,b,c\n1,2,3\n", "no heading row"),
        ("Ref,X,Y,Side\nR1,1,2,sideways\n", "line 2, column 4: side 'sideways' is not known"),
        (
            "Ref,X,Y,Side\nR1,1,2,top\nR1,3,4,top\n",
            r"line 3, column 1: R1 stands twice \(first in line 2\)",
        ),
        ("Ref,X,Y,Side\nR1,1,nan,top\n", "line 2, column 3: y 'nan' is not a number"),
        ("Ref,X,Y,Side\nR1,1furlong,2,top\n", "the unit 'furlong'"),
        ("Ref,X,Y,Side\n", "no parts below"),
    ],
)
def test_tables_that_cannot_be_read_say_where(text: str, said: str) -> None:
    with pytest.raises(UnreadableFile, match=said):
        read_placements(text.encode(), "p.csv")


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "latin-1", "cp1252"])
def test_any_encoding_is_read(encoding: str) -> None:
    (line,) = read_bill("Ref;Wert;Value\nC1;x;4,7 µF ±10 %\n".encode(encoding), "b.csv")
    assert line.value == "4,7 µF ±10 %"


@pytest.mark.parametrize(
    ("text", "fitted"),
    [
        ("Ref,Value\nR1,10k\n", True),
        ("Ref,Value\nR1,DNP\n", False),
        ("Ref,Value\nR1,10k (do not fit)\n", False),
        ("Ref,Value,DNP\nR1,10k,x\n", False),
        ("Ref,Value,DNP\nR1,10k,\n", True),
        ("Ref,Value,Fitted\nR1,10k,no\n", False),
        ("Ref,Value,Fitted\nR1,10k,yes\n", True),
        ("Ref,Value,Populate\nR1,10k,0\n", False),
        ("Ref,Value,Do not place\nR1,10k,true\n", False),
    ],
)
def test_marks_of_parts_not_to_be_fitted(text: str, fitted: bool) -> None:
    (line,) = read_bill(text.encode(), "b.csv")
    assert line.fitted is fitted


def test_rows_that_cannot_be_read_are_left_out_and_told() -> None:
    left_out: list[UnreadableFile] = []
    rows = read_placements(
        b"Ref,X,Y,Side\nR1,1,2,top\nR2,one,2,top\nR1,5,5,top\nR4,3,4,bottom\n",
        "p.csv",
        None,
        left_out,
    )
    assert [row.ref for row in rows] == ["R1", "R4"]
    assert [problem.line for problem in left_out] == [3, 4]


def test_how_a_table_was_read_is_told_and_a_choice_is_obeyed() -> None:
    table = b"Ref,Down,Across,Side\nR1,7.25,12.5,top\n"
    with pytest.raises(UnreadableFile, match="column for x and y is missing"):
        read_placements(table, "p.csv")
    reading = how_read(table, "p.csv")
    assert reading.heading == ("Ref", "Down", "Across", "Side")
    assert reading.columns == {"ref": 0, "side": 3}
    (placed,) = read_placements(
        table, "p.csv", {reading.key: {"ref": 0, "y": 1, "x": 2, "side": 3}}
    )
    assert (placed.x_mm, placed.y_mm) == (12.5, 7.25)


@pytest.mark.parametrize(
    ("cell", "refs"),
    [
        ("R1, R2–R5", "R1 R2 R3 R4 R5"),
        ("R1 R2", "R1 R2"),
        ("C1-3", "C1 C2 C3"),
        ("C1 - C3", "C1 C2 C3"),
        ("C1…C3", "C1 C2 C3"),
        ("C1 to C3", "C1 C2 C3"),
        ("R1;R2/R3&R4", "R1 R2 R3 R4"),
        ("U1", "U1"),
        ("R5-R2", "R5-R2"),
        ("", ""),
    ],
)
def test_cells_of_many_references(cell: str, refs: str) -> None:
    assert spread_refs(cell) == refs.split()


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


def hits_of(body: str, head: str = "METRIC") -> list[tuple[float, ...]]:
    """(x, y) or (x, y, x2, y2) of each hit, rounded."""
    hits = read_drill(f"M48\n{head}\nT1C0.8\nT2C1.2\n%\n{body}M30\n".encode(), "d").hits
    return [
        tuple(
            round(value, 3)
            for value in (hit.x_mm, hit.y_mm, hit.x2_mm, hit.y2_mm)
            if value is not None
        )
        for hit in hits
    ]


def test_drill_repeats_steps_and_modal_axes() -> None:
    assert hits_of("T1\nX1.0Y1.0\nR3X2.0\n") == [(1, 1), (3, 1), (5, 1), (7, 1)]
    assert hits_of("T1\nX1.0Y1.0\nX4.0\nY9.0\n") == [(1, 1), (4, 1), (4, 9)]
    assert hits_of("G91\nT1\nX1.0Y1.0\nX1.0\nG90\nX9.0Y9.0\n") == [(1, 1), (2, 1), (9, 9)]
    assert hits_of("T1\nX1.0Y1.0\nT2X2.0Y2.0\n") == [(1, 1), (2, 2)]


def test_a_routed_circle_is_a_ring_of_slots() -> None:
    slots = hits_of("T2\nG00X10.0Y5.0\nM15\nG03X10.0Y5.0I-5.0J0.0\nM16\nG05\n")
    assert len(slots) >= 12
    assert slots[0][:2] == slots[-1][2:] == (10, 5)
    assert all(abs(((x - 5) ** 2 + (y - 5) ** 2) ** 0.5 - 5) < 0.01 for x, y, *_ in slots)


def test_plating_and_layers_are_taken_from_the_file() -> None:
    text = "M48\n; #@! TF.FileFunction,NonPlated,1,2,NPTH\nMETRIC\nT1C3.2\n%\nT1\nX1.0Y1.0\nM30\n"
    drill = read_drill(text.encode(), "d")
    assert drill.hits[0].plated is False
    assert drill.layers == (1, 2)
    assert [
        hit.plated
        for hit in read_drill(
            b"M48\nMETRIC\n;TYPE=PLATED\nT1C0.8\n;TYPE=NON_PLATED\nT2C3.0\n%\nT1\nX1.0Y1.0\nT2\nX2.0Y2.0\nM30\n",
            "d",
        ).hits
    ] == [True, False]


def test_numbers_left_open_are_settled_by_where_the_holes_fall() -> None:
    """Digits without unit or zeros: the judge knows that one hole belongs at (12.7, 25.4)."""
    text = b"M48\nT1C0.0315\n%\nT1\nX5000Y10000\nM30\n"
    drill = read_drill(
        text,
        "d",
        lambda found: (
            1.0
            if abs(found.hits[0].x_mm - 12.7) < 0.01 and abs(found.hits[0].y_mm - 25.4) < 0.01
            else 0.0
        ),
    )
    assert (drill.hits[0].x_mm, drill.hits[0].y_mm) == pytest.approx((12.7, 25.4))
    assert any("does not say how its numbers are to be read" in remark for remark in drill.remarks)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "empty"),
        ("M48\nMETRIC\nT1C0.8\n%\nT1\nX9999999.0Y0\nM30\n", "line 6: a hole lies .* mm out"),
        ("M48\nMETRIC\nT1C0.8\n%\nT1\nR9X1.0\nM30\n", "line 6: repeats a hole wrongly"),
        ("M48\nT1C0.8\n%\nT1\nX1.0Y1.0\nM30\n", "line 5: gives no unit"),
        ("M48\nMETRIC\n%\nT9\nX1.0Y1.0\nM30\n", "tool T9 is used"),
    ],
)
def test_drill_refusals(text: str, said: str) -> None:
    with pytest.raises(UnreadableFile, match=said):
        read_drill(text.encode(), "d.drl")


def test_drill_without_end_is_read_and_said() -> None:
    assert "no end mark" in read_drill(b"M48\nMETRIC\nT1C1.0\n%\nT1\nX1.0Y1.0\n", "d").remarks[0]


@pytest.mark.parametrize(
    ("cell", "written"),
    [
        ("=1+1", "'=1+1"),
        ("+5V0", "'+5V0"),
        ("@cmd", "'@cmd"),
        ("\tx", "'\tx"),
        ("-2.5", "-2.5"),
        ("+3,3 V", "+3,3 V"),
        ("-1e-3", "-1e-3"),
        ("100 n", "100 n"),
        ("'quoted", "'quoted"),
    ],
)
def test_no_written_cell_is_a_formula_and_numbers_stay(cell: str, written: str) -> None:
    assert as_text(cell) == written
    assert from_text(as_text(cell)) == cell


def test_a_value_like_a_formula_comes_back_from_our_own_table(demo_board: Board) -> None:
    part = replace(demo_board.parts[0], value='=HYPERLINK("x")')
    board = replace(demo_board, parts=(part, *demo_board.parts[1:]))
    files = board_files(board)
    assert b"'=HYPERLINK" in files["placement.csv"]
    again = read_board(files, "again")
    assert again.part(part.ref).value == part.value
