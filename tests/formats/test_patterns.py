"""Parts out of bare pads: every package of the catalogue at any turn, the demo board without its
names, named pads without a package, pads put together by hand, copper alone.
"""

import random
import re
from dataclasses import replace

import pytest
from shapely.geometry import Point

from tests.conftest import DATA, files_in
from tests.pattern_boards import Case, drawn_board, nameless_files, score
from yellowfen.core.board.board import Board, Pad, Role
from yellowfen.core.board.choices import Choices, PadSet, PartChoice
from yellowfen.core.board.propose import propose
from yellowfen.core.part.package import JointKind
from yellowfen.formats.board_files import read_board
from yellowfen.workflows.demo import demo_files

CASES = [
    Case(),
    Case(45, "bottom", webs=False),
    Case(30, "top", webs=False, flashed=False, seed=2),
    Case(17, "bottom", flashed=False, seed=3),
    Case(60, "top", seed=4, makers=0.1),
]


def without_names(files: dict[str, bytes]) -> dict[str, bytes]:
    """The files as if no program had written a part's or a net's name into them."""
    names = re.compile(rb"%T[OD][^*]*\*%\r?\n?|G04 #@! T[OD][^*]*\*\r?\n?")
    return {name: names.sub(b"", data) for name, data in files.items() if not name.endswith(".csv")}


@pytest.mark.parametrize("case", CASES, ids=str)
def test_nearly_every_package_is_known_by_its_pads_alone(case: Case) -> None:
    truth = drawn_board(case)
    found = score(truth, read_board(nameless_files(truth, case), "nameless"))
    assert (found.overlaps, found.orphans) == (0, 0)
    assert found.right >= 0.95 * found.parts, found.wrong


def test_the_demo_board_is_made_out_without_its_names(demo_board: Board) -> None:
    board = read_board(without_names(demo_files()), "hidden")
    found = score(demo_board, board)
    assert (found.right, found.orphans) == (found.parts, 0), found.wrong
    assert all(part.note.startswith("proposed") for part in board.parts)


def test_a_foreign_set_is_made_out_without_its_attributes() -> None:
    """Four narrow lands are a choke, not a wide chip and two pads beside it; a connector is known
    by its pins on the face, as the layer tells those that stand in holes.
    """
    files = files_in(DATA / "boards" / "attributes")
    found = score(read_board(files, "named"), read_board(without_names(files), "hidden"))
    assert (found.right, found.parts, found.overlaps) == (7, 7, 0), found.wrong


def test_the_same_pads_make_the_same_parts_each_time() -> None:
    """A part of four like sides has no first side: which one is taken must not hang on where the
    memory was free, or its pins are others after a restart.
    """
    board = read_board(files_in(DATA / "boards" / "two-sided"), "foreign")
    bare = [replace(pad, ref=None, pin=None) for pad in board.pads]
    size = (board.width_mm, board.height_mm)
    chance, held, found = random.Random(5), [], set()
    for _ in range(12):
        held += [bytearray(chance.randrange(16, 200)) for _ in range(chance.randrange(400))]
        del held[:: chance.randrange(2, 5)]
        seen = propose(bare, size)
        found.add((seen.placements, tuple((pad.ref, pad.pin) for pad in seen.pads)))
    assert len(found) == 1


def test_pads_in_one_place_are_no_pair() -> None:
    """A flash done twice in turned apertures gives two pads with the same middle."""
    pad = Pad(
        side="top",
        x_mm=5,
        y_mm=5,
        size_x_mm=1,
        size_y_mm=1.4,
        angle_deg=0,
        area_mm2=1.4,
        paste_mm2=1.4,
        ring=((4.5, 4.3), (5.5, 4.3), (5.5, 5.7), (4.5, 5.7)),
    )
    twice = [pad, replace(pad, angle_deg=30), replace(pad, x_mm=7)]
    found = propose(twice, (20, 20))
    assert len(found.placements) <= 1
    assert sum(one.ref is not None for one in found.pads) in (0, 2)


def test_named_pads_tell_their_package(demo_board: Board) -> None:
    """A set whose pads are named but that has no placement knows as much as one that has."""
    files = {name: data for name, data in demo_files().items() if not name.endswith(".csv")}
    named = {part.ref: part.package for part in read_board(files, "named").parts}
    assert {part.ref: part.package.family for part in demo_board.parts} == {
        ref: package.family for ref, package in named.items()
    }


def test_named_parts_of_a_foreign_set_keep_their_pins() -> None:
    board = read_board(files_in(DATA / "boards" / "attributes"), "foreign")
    parts = {part.ref: part.package for part in board.parts}
    assert {parts[ref].family for ref in ("R1", "R2", "L1", "L2")} == {"chip"}
    assert len(parts["U1"].lands) == 8
    assert parts["U1"].name != "unknown"


def test_through_hole_lands_are_no_pads_also_where_the_hole_is_a_slot() -> None:
    """A slot from end to end takes the land; tested at its first point only it would not."""
    head = "%FSLAX46Y46*%\n%MOMM*%\n"
    files = {
        "edge.gbr": f"{head}%TF.FileFunction,Profile,NP*%\n%ADD10C,0.05*%\nD10*\nX0Y0D02*\nX20000000Y0D01*\nX20000000Y20000000D01*\nX0Y20000000D01*\nX0Y0D01*\nM02*\n".encode(),
    }
    for name, function in (("copper", "Copper,L1,Top"), ("mask", "Soldermask,Top")):
        body = "%ADD10O,4.0X1.6*%\n%ADD11R,1.0X0.8*%\nD10*\nX8000000Y8000000D03*\nD11*\nX15000000Y15000000D03*\nX15000000Y13000000D03*\n"
        files[f"{name}.gbr"] = f"{head}%TF.FileFunction,{function}*%\n{body}M02*\n".encode()
    files["slots.drl"] = b"M48\nMETRIC\nT1C0.8000\n%\nT1\nX6.4Y8.0G85X9.6Y8.0\nM30\n"
    board = read_board(files, "slot")
    assert len(board.holes) == 1
    assert [round(pad.x_mm) for pad in board.pads] == [15, 15]


def test_pins_in_holes_stand_on_their_holes() -> None:
    """A header of the placement finds the lands of its holes and is no guess."""
    head = "%FSLAX46Y46*%\n%MOMM*%\n"
    edge = "X0Y0D02*\nX20000000Y0D01*\nX20000000Y20000000D01*\nX0Y20000000D01*\nX0Y0D01*\n"
    lands = "".join(f"X10000000Y{round(1e6 * (10 - 2.54 + 2.54 * n))}D03*\n" for n in range(3))
    files = {
        "edge.gbr": f"{head}%TF.FileFunction,Profile,NP*%\n%ADD10C,0.05*%\nD10*\n{edge}M02*\n".encode(),
        "holes.drl": (
            "M48\nMETRIC\nT1C1.0\n%\nT1\n"
            + "".join(f"X10.0Y{10 - 2.54 + 2.54 * n:.3f}\n" for n in range(3))
            + "M30\n"
        ).encode(),
        "place.csv": b"Ref,Value,Package,X (mm),Y (mm),Rotation,Side\nJ1,,HDR-1x3,10,10,0,top\n",
    }
    for name, function in (("copper", "Copper,L1,Top"), ("mask", "Soldermask,Top")):
        files[f"{name}.gbr"] = (
            f"{head}%TF.FileFunction,{function}*%\n%ADD10C,1.7*%\nD10*\n{lands}M02*\n".encode()
        )
    board = read_board(files, "header")
    (part,) = board.parts
    assert (part.joined, part.note, board.pads) == (True, "pins in holes", ())
    assert {land.kind for land in part.package.lands} == {JointKind.THROUGH_HOLE}
    assert not any(one.about == "J1" for one in board.findings)


def test_copper_alone_is_no_board_of_parts() -> None:
    files = {
        name: data
        for name, data in without_names(demo_files()).items()
        if "copper" in name or "outline" in name or name.endswith(".drl")
    }
    board = read_board(files, "copper alone")
    assert board.parts == ()
    assert any("which copper is bare" in one.sentence for one in board.findings)


def test_what_was_put_together_stays_and_keeps_its_name() -> None:
    """A reading with other choices neither renumbers nor tears apart what stands."""
    files = without_names(demo_files())
    board = read_board(files, "first")
    pads = {part.ref: [pad for pad in board.pads if pad.ref == part.ref] for part in board.parts}
    kept = {
        ref: PadSet(mine[0].side, tuple((pad.x_mm, pad.y_mm) for pad in mine))
        for ref, mine in pads.items()
    }
    one = next(part for part in board.parts if part.package.family == "chip")
    choices = Choices(together=kept, parts={one.ref: PartChoice(name="R1", footprint="SOIC-8")})
    again = read_board(files, "again", choices)
    renamed = {"R1" if part.ref == one.ref else part.ref for part in board.parts}
    assert {part.ref for part in again.parts} == renamed
    assert {pad.ref for pad in again.pads} == {pad.ref for pad in board.pads} - {one.ref} | {"R1"}
    said = [finding.sentence for finding in again.findings if finding.about == "R1"]
    assert said == ["2 pads are its own, SOIC-8 has 8; the pads were used"]


def test_openings_from_pads_are_a_little_smaller_and_only_where_none_are_drawn() -> None:
    files = {name: data for name, data in demo_files().items() if "paste" not in name}
    bare = read_board(files, "no paste")
    assert bare.openings == ()
    board = read_board(files, "made", Choices(openings_from_pads=True))
    assert len(board.openings) == sum(pad.ref is not None for pad in board.pads)
    for one in board.openings:
        pad = board.pads[one.pad or 0]
        assert 0.4 * pad.area_mm2 < one.area_mm2 <= pad.area_mm2 * 1.001
        assert pad.paste_mm2 == one.area_mm2
    drawn = read_board(demo_files(), "drawn", Choices(openings_from_pads=True))
    assert drawn.openings == read_board(demo_files(), "drawn").openings


def test_a_ring_in_the_paste_layer_stays_a_ring() -> None:
    """Its middle stays foil in area, in what is written out, and it is said that it would fall out."""
    head = "%FSLAX46Y46*%\n%MOMM*%\n"
    files = dict(demo_files())
    name = next(one for one in files if "paste-top" in one)
    files[name] = (
        f"{head}%TF.FileFunction,Paste,Top*%\n%ADD10C,3.0*%\n%ADD11C,2.0*%\n%ADD12C,1.0X1.0*%\nD10*\nX120000000Y120000000D03*\n%LPC*%\nD11*\nX120000000Y120000000D03*\n%LPD*%\nM02*\n"
    ).encode()
    origin = read_board(demo_files(), "x").origin
    files[name] = files[name].replace(
        b"X120000000Y120000000",
        f"X{round(1e6 * (origin[0] + 20))}Y{round(1e6 * (origin[1] + 20))}".encode(),
    )
    board = read_board(files, "ring")
    (one,) = (opening for opening in board.openings if opening.side == "top")
    assert one.area_mm2 == pytest.approx(Point(0, 0).buffer(1).area * (1.5**2 - 1) * 1.0, rel=0.01)
    assert len(one.inner) == 1
    assert one.narrowest_mm == pytest.approx(0.5, rel=0.01)
    assert any("nothing would hold" in finding.sentence for finding in board.findings)


def test_roles_that_are_refused_tell_what_each_file_was_taken_for() -> None:
    from yellowfen.errors import UnreadableFile

    files = {name: data for name, data in demo_files().items() if name.endswith(".drl")}
    files["legend.gbr"] = demo_files()["reedgate-legend-top.gbr"]
    with pytest.raises(UnreadableFile, match="choose what each file is") as refused:
        read_board(files, "half", Choices(roles={"legend.gbr": Role.LEGEND_TOP}))
    assert {guess.file for guess in refused.value.guesses} == set(files)
