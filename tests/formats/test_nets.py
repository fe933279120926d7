"""Nets from copper and holes against what the files and the scenario say; how pads hang on planes."""

import itertools
import re

import pytest

from tests.conftest import DATA, files_in
from tests.formats.gerber_text import at, gerber
from yellowfen.core.board.board import Board
from yellowfen.core.board.bridges import harmless_bridges, pads_by_pin
from yellowfen.core.part.catalogue import package_named
from yellowfen.demo.scenario import PARTS
from yellowfen.errors import UnreadableFile
from yellowfen.formats.board_files import read_board
from yellowfen.formats.netlist import read_netlist
from yellowfen.workflows.demo import demo_files

ATTRIBUTES = re.compile(rb"%TO\.[^%]*%\r?\n?|%TD[^%]*%\r?\n?|G04 #@! T[OD][^*]*\*\r?\n?")


def without_names(files: dict[str, bytes]) -> dict[str, bytes]:
    return {
        name: ATTRIBUTES.sub(b"", data) if name.endswith(".gbr") else data
        for name, data in files.items()
    }


def test_copper_alone_gives_the_scenarios_nets() -> None:
    """Pins share a net exactly when the scenario's circuit says so, all 201 pads, attributes taken
    out.
    """
    board = read_board(without_names(demo_files()), "copper alone")
    found = {(pad.ref, pad.pin): pad.net for pad in board.pads}
    by_pin = {
        (part.ref, pin): net
        for part in PARTS
        for pin, net in zip(pins_of(part.ref), part.nets.split(), strict=True)
    }
    wrong = [
        (a, b)
        for a, b in itertools.combinations(by_pin, 2)
        if by_pin[a] != "-"
        and by_pin[b] != "-"
        and (by_pin[a] == by_pin[b]) != (found[a] == found[b])
    ]
    assert wrong == []
    assert board.findings == ()


def pins_of(ref: str) -> list[str]:
    """Pins in the package's own order."""
    part = next(part for part in PARTS if part.ref == ref)
    return [land.pin for land in package_named(part.package).lands]


def test_connectivity_agrees_with_the_layers_attributes() -> None:
    """The published example whose layers name nets: pads traced together are those named alike, and
    no others.
    """
    files = files_in(DATA / "boards/attributes")
    named = {
        (round(pad.x_mm, 2), round(pad.y_mm, 2)): pad.net for pad in read_board(files, "named").pads
    }
    traced = [
        (named[(round(pad.x_mm, 2), round(pad.y_mm, 2))], pad.net)
        for pad in read_board(without_names(files), "bare").pads
    ]
    pairs = [(a, b) for a, b in itertools.combinations(traced, 2) if a[0] and b[0]]
    apart = [a for a, b in pairs if a[1] == b[1] and a[0] != b[0]]
    assert pairs
    assert (
        apart == []
    )  # one copper layer only is published, so what joins on the other side cannot be asked


def plane_board(joint: str) -> dict[str, bytes]:
    """A 1.6 x 1 mm pad of two on a plane of copper: straight, by four spokes, free, or free with a
    hole to a plane beneath.
    """
    pens = "%ADD10R,1.6X1*%\n%ADD11R,2.4X1.8*%\n%ADD12C,0.25*%\n%ADD13C,0.6*%\n"
    sheet = (
        "G36*\n"
        + at(1, 1, "D02")
        + at(29, 1, "D01")
        + at(29, 19, "D01")
        + at(1, 19, "D01")
        + at(1, 1, "D01")
        + "G37*\n"
    )
    pads = "D10*\n" + at(10, 10, "D03") + at(14, 10, "D03")
    moats = (
        "%LPC*%\nD11*\n"
        + at(14, 10, "D03")
        + ("" if joint == "solid" else at(10, 10, "D03"))
        + "%LPD*%\n"
    )
    spokes = (
        "D12*\n"
        + at(8.5, 10, "D02")
        + at(11.5, 10, "D01")
        + at(10, 8.8, "D02")
        + at(10, 11.2, "D01")
        if joint == "relief"
        else ""
    )
    top = moats + pads + spokes if joint == "via" else sheet + moats + pads + spokes
    top += "D13*\n" + at(10.5, 10, "D03") if joint == "via" else ""
    frame = (
        "D12*\n"
        + at(0, 0, "D02")
        + at(30, 0, "D01")
        + at(30, 20, "D01")
        + at(0, 20, "D01")
        + at(0, 0, "D01")
    )
    hole = b"M48\nMETRIC\nT1C0.3\n%\nT1\nX10.5Y10.0\nM30\n"
    return {
        "x-F_Cu.gbr": gerber(top, pens),
        "x-F_Mask.gbr": gerber(pads, pens),
        "x-F_Paste.gbr": gerber(pads, pens),
        "x-Edge_Cuts.gbr": gerber(frame, pens),
        "x-B_Cu.gbr": gerber(sheet, pens),
        **({"x.drl": hole} if joint == "via" else {}),
    }


@pytest.mark.parametrize("joint", ["solid", "relief", "via", ""])
def test_how_a_pad_hangs_on_a_plane(joint: str) -> None:
    first, second = sorted(read_board(plane_board(joint), "plane").pads, key=lambda pad: pad.x_mm)
    assert (first.tie, second.tie) == (joint, "")


def test_neighbours_on_one_net_may_bridge(demo_board: Board) -> None:
    pairs = harmless_bridges(demo_board.part("U2"), pads_by_pin(demo_board, "U2"))
    assert {frozenset(pair) for pair in pairs} == {
        frozenset(("9", "10"))
    }  # both on VIN; 5 and 6 share ground round a corner


RECORD = "317{net:<14}   {ref:<6}-{pin:<4} {drill}A0{access}X{x:+07d}Y{y:+07d}X0394Y0394R000 S0\n"


def netlist(rows: list[tuple[str, str, str, float, float, int]]) -> bytes:
    """An IPC-D-356 file in units of 0.001 mm (from memory of the record's columns)."""
    lines = "".join(
        RECORD.format(
            net=net,
            ref=ref,
            pin=pin,
            drill=" " * 6,
            access=access,
            x=round(x * 1000),
            y=round(y * 1000),
        )
        for net, ref, pin, x, y, access in rows
    )
    return f"P  JOB   demo\nP  UNITS CUST 1\n{lines}999\n".encode()


def test_a_netlist_names_parts_pins_and_nets(demo_board: Board) -> None:
    nets = {
        (part.ref, pin): net
        for part in PARTS
        for pin, net in zip(pins_of(part.ref), part.nets.split(), strict=True)
    }
    rows = [
        (
            nets[(pad.ref or "", pad.pin or "")].replace("-", "N/C"),
            pad.ref or "",
            pad.pin or "",
            pad.x_mm,
            pad.y_mm,
            1 if pad.side == "top" else 2,
        )
        for pad in demo_board.pads
        if pad.ref in ("U3", "U4", "Q20")
    ]
    files = {
        name: data
        for name, data in without_names(demo_files()).items()
        if not name.endswith(".csv")
    } | {"demo.ipc": netlist(rows)}
    board = read_board(files, "by netlist")
    for ref in ("U3", "U4", "Q20"):
        assert {pad.pin for pad in board.pads if pad.ref == ref} == {
            pad.pin for pad in demo_board.pads if pad.ref == ref
        }
    named = {pad.net for pad in board.pads if pad.ref == "U4"}
    assert {"CS", "SO", "SCK", "GND", "VDD"} <= named


def test_netlist_refusals_name_the_line() -> None:
    with pytest.raises(UnreadableFile, match="line 2: its unit"):
        read_netlist(b"P  JOB x\nP  UNITS FURLONG\n", "n.ipc")
    with pytest.raises(UnreadableFile, match="no test records"):
        read_netlist(b"P  JOB x\n999\n", "n.ipc")


def test_a_short_that_the_files_deny_is_said() -> None:
    files = plane_board("solid")
    pens = "%ADD10R,1.6X1*%\n"
    files["x-F_Cu.gbr"] = gerber(
        "D10*\n%TO.N,A*%\n" + at(10, 10, "D03") + "%TO.N,B*%\n" + at(11, 10, "D03") + "%TD*%\n",
        pens,
    )
    files["x-F_Mask.gbr"] = gerber(
        "D10*\n" + at(9.8, 10, "D03") + at(11.2, 10, "D03"), "%ADD10R,0.6X0.8*%\n"
    )
    assert any(
        "A and B share copper" in finding.sentence
        for finding in read_board(files, "short").findings
    )


BOTH_FACES = {
    "layers name pads on both faces": ("", ""),
    "a table beside them": ("Ref,X,Y,Rotation,Side,Package\nJ1,5,5,0,top,\n", ""),
    "two tables": (
        "Ref,X,Y,Rotation,Side,Package\nJ1,5,5,0,top,\n",
        "Ref,X,Y,Rotation,Side,Package\nJ1,5,5,0,bottom,\n",
    ),
}


@pytest.mark.parametrize("form", BOTH_FACES)
def test_a_part_named_on_both_faces_stands_once_with_its_own_sides_pads(form: str) -> None:
    def copper(side: str, pins: int) -> bytes:
        flashes = "".join(
            f"%TO.P,J1,{pin}*%\n" + at(3 + 2 * pin, 5, "D03") for pin in range(1, pins + 1)
        )
        return gerber(f"%TF.FileFunction,Copper,{side}*%\nD10*\n{flashes}", "%ADD10R,1X1.4*%\n")

    def mask(side: str) -> bytes:
        flashes = "".join(at(3 + 2 * pin, 5, "D03") for pin in range(1, 5))
        return gerber(
            f"%TF.FileFunction,Soldermask,{side}*%\nD10*\n{flashes}", "%ADD10R,1.1X1.5*%\n"
        )

    edge = gerber(
        "D10*\n"
        + at(0, 0, "D02")
        + at(20, 0, "D01")
        + at(20, 12, "D01")
        + at(0, 12, "D01")
        + at(0, 0, "D01"),
        "%ADD10C,0.1*%\n",
    )
    files = {
        "a-top.gbr": copper("L1,Top", 4),
        "b-bottom.gbr": copper("L2,Bot", 3),
        "m-top.gbr": mask("Top"),
        "m-bottom.gbr": mask("Bot"),
        "edge.gbr": b"%TF.FileFunction,Profile,NP*%\n" + edge,
    }
    files |= {
        name: text.encode()
        for name, text in zip(("one.csv", "two.csv"), BOTH_FACES[form], strict=True)
        if text
    }
    board = read_board(files, form)
    (part,) = board.parts
    assert (part.ref, part.side, len(part.package.lands)) == ("J1", "top", 4)
    assert any("placed twice" in one.sentence for one in board.findings) == (form == "two tables")
