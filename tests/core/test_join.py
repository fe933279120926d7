"""Pads find their parts: by package, by turn, by nearness, by pattern; each pad belongs to one
part.
"""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yellowfen.core.board.board import Pad
from yellowfen.core.board.join import Placement, join
from yellowfen.core.board.pad_groups import grouped
from yellowfen.core.board.propose import propose
from yellowfen.core.heat.grid import make_grid
from yellowfen.core.heat.laid import on_board, place_land, turned_cells
from yellowfen.core.heat.scene import BoardStack, PlacedPart, Side
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.part.land_pattern import lands_by_count
from yellowfen.core.part.package import JointKind
from yellowfen.errors import InvalidValue


def pads_of(
    package: str, x: float, y: float, rotation: float = 0.0, side: str = "top"
) -> list[Pad]:
    """The pads a board would have for a package placed there."""
    part = PlacedPart(
        ref="?",
        package=package_named(package),
        x_mm=x,
        y_mm=y,
        rotation_deg=rotation,
        side=Side(side),
        alloy="Sn63Pb37",
    )
    pads = []
    for land in part.package.lands:
        cx, cy, sx, sy, angle = place_land(part, land)
        slant = angle % 180.0 if rotation % 90 else 0.0  # straight ones are read along the axes
        if not slant and round(angle / 90) % 2 == 1:
            sx, sy = sy, sx
        ring = (
            (cx - sx / 2, cy - sy / 2),
            (cx + sx / 2, cy - sy / 2),
            (cx + sx / 2, cy + sy / 2),
            (cx - sx / 2, cy + sy / 2),
        )
        pads.append(
            Pad(
                side=side,
                x_mm=cx,
                y_mm=cy,
                size_x_mm=sx,
                size_y_mm=sy,
                angle_deg=slant,
                area_mm2=sx * sy,
                paste_mm2=sx * sy,
                ring=ring,
            )
        )
    return pads


@settings(max_examples=60)
@given(
    package=st.sampled_from(["SOIC-8", "TSSOP-20", "QFP-48", "QFN-20", "0603", "SOT-23", "TO-252"]),
    rotation=st.sampled_from([0, 90, 180, 270, 30, 45, 115, 135, 315]),
    side=st.sampled_from(["top", "bottom"]),
    x=st.floats(20, 80),
    y=st.floats(20, 80),
)
def test_every_pad_finds_its_pin_and_lands_come_back(
    package: str, rotation: int, side: str, x: float, y: float
) -> None:
    pads = pads_of(package, x, y, rotation, side)
    joined = join(
        [
            Placement(
                ref="U1",
                value="",
                footprint=package,
                x_mm=x,
                y_mm=y,
                rotation_deg=rotation,
                side=side,
            )
        ],
        pads,
    )
    (part,) = joined.parts
    assert part.joined
    assert part.rotation_deg == rotation
    assert [pad.pin for pad in joined.pads] == [land.pin for land in package_named(package).lands]
    known = {land.pin: land for land in package_named(package).lands}
    for land in part.package.lands:
        assert (land.x_mm, land.y_mm) == pytest.approx(
            (known[land.pin].x_mm, known[land.pin].y_mm), abs=1e-6
        )
        assert (land.size_x_mm, land.size_y_mm) == pytest.approx(
            (known[land.pin].size_x_mm, known[land.pin].size_y_mm), abs=1e-6
        )


def test_a_quarter_turn_is_found_and_told() -> None:
    joined = join(
        [
            Placement(
                ref="U1", value="", footprint="SOIC-8", x_mm=30, y_mm=30, rotation_deg=0, side="top"
            )
        ],
        pads_of("SOIC-8", 30, 30, 90),
    )
    assert joined.parts[0].rotation_deg == 90
    assert "turned by 90" in joined.findings[0].sentence


def test_neighbours_do_not_take_each_others_pads() -> None:
    pads = [*pads_of("0402", 30, 30), *pads_of("0402", 30, 30.9), *pads_of("SOIC-8", 36, 30)]
    placements = [
        Placement(
            ref="C1", value="", footprint="0402", x_mm=30, y_mm=30, rotation_deg=0, side="top"
        ),
        Placement(
            ref="C2", value="", footprint="0402", x_mm=30, y_mm=30.9, rotation_deg=0, side="top"
        ),
        Placement(
            ref="U1", value="", footprint="SO8", x_mm=36, y_mm=30, rotation_deg=0, side="top"
        ),
    ]
    joined = join(placements, pads)
    assert [pad.ref for pad in joined.pads] == ["C1"] * 2 + ["C2"] * 2 + ["U1"] * 8


def test_unknown_footprints_take_the_nearest_pads_and_say_so() -> None:
    joined = join(
        [
            Placement(
                ref="X1",
                value="",
                footprint="MYSTERY",
                x_mm=30,
                y_mm=30,
                rotation_deg=0,
                side="top",
            )
        ],
        pads_of("SOT-23", 30, 30),
    )
    assert joined.parts[0].package.guessed
    assert len(joined.parts[0].package.lands) == 3
    assert "guessed from 3 pads" in joined.findings[0].sentence
    lost = join(
        [
            Placement(
                ref="X2",
                value="",
                footprint="MYSTERY",
                x_mm=30,
                y_mm=30,
                rotation_deg=0,
                side="top",
            ),
            Placement(
                ref="R9", value="", footprint="0603", x_mm=50, y_mm=30, rotation_deg=0, side="top"
            ),
        ],
        [],
    )
    assert not any(part.joined for part in lost.parts)
    assert {finding.about for finding in lost.findings} == {"X2", "R9"}


@pytest.mark.parametrize(("name", "fits"), [("0603", "0201"), ("0402", "01005"), ("0603", "0603")])
def test_a_code_of_two_meanings_is_settled_by_the_pads(name: str, fits: str) -> None:
    joined = join(
        [
            Placement(
                ref="C1", value="", footprint=name, x_mm=30, y_mm=30, rotation_deg=0, side="top"
            )
        ],
        pads_of(fits, 30, 30),
    )
    assert joined.parts[0].package.name.startswith(fits)
    said = [finding.sentence for finding in joined.findings]
    assert ["can mean" in one for one in said] == ([True] if name != fits else [])


def test_patterns_propose_chips_rows_and_quads() -> None:
    pads = [
        *pads_of("0805", 10, 10),
        *pads_of("SOIC-8", 30, 30),
        *pads_of("QFP-48", 60, 60),
        *pads_of("0805", 10, 90, 90),
    ]
    found = propose(pads)
    joined = join(found.placements, found.pads)
    sizes = sorted(sum(pad.ref == part.ref for pad in joined.pads) for part in joined.parts)
    assert sizes == [2, 2, 8, 48]
    assert sorted(part.package.name for part in joined.parts) == ["0805 (metric 2012)"] * 2 + [
        "QFP-48",
        "SOIC-8",
    ]
    assert all(pad.ref and pad.pin for pad in joined.pads)
    assert joined.findings == ()


@settings(max_examples=60)
@given(
    angle=st.floats(-360, 360),
    x=st.floats(8, 22),
    y=st.floats(8, 12),
    side=st.sampled_from(list(Side)),
)
def test_a_land_keeps_its_area_on_the_grid_at_any_angle(
    angle: float, x: float, y: float, side: Side
) -> None:
    grid = make_grid(BoardStack(width_mm=30, height_mm=20, thickness_mm=1.6, copper=()))
    part = PlacedPart(
        ref="U1",
        package=package_named("SOIC-8"),
        x_mm=x,
        y_mm=y,
        rotation_deg=angle,
        side=side,
        alloy="Sn63Pb37",
    )
    land = part.package.lands[0]
    assert on_board(part, 0, 0) == (x, y)
    cells, area = turned_cells(grid, *place_land(part, land))
    assert area.sum() * 1e6 == pytest.approx(land.area_mm2, rel=1e-6)
    assert (grid.flat(grid.inside.astype(float))[cells] == 1).all()


def test_a_slanted_part_underneath_covers_the_mirror_image() -> None:
    grid = make_grid(BoardStack(width_mm=30, height_mm=20, thickness_mm=1.6, copper=()), 0.5)
    maps = []
    for side in (Side.TOP, Side.BOTTOM):
        part = PlacedPart(
            ref="U1",
            package=package_named("SOIC-8"),
            x_mm=15,
            y_mm=10,
            rotation_deg=30,
            side=side,
            alloy="Sn63Pb37",
        )
        covered = grid.flat(grid.inside * 0.0)
        for land in part.package.lands:
            cells, area = turned_cells(grid, *place_land(part, land))
            covered[cells] += area
        maps.append(grid.unflat(covered))
    assert maps[1] == pytest.approx(maps[0][:, ::-1], abs=1e-12)


def test_lands_by_count_are_the_catalogues_own() -> None:
    """Counts and distances of catalogued packages give their lands back."""
    for name, layout, apart in (("SOIC-8", "two rows", 5.4), ("QFP-48", "four rows", 8.4)):
        package = package_named(name)
        land = package.lands[0]
        size = (land.size_x_mm, land.size_y_mm)
        count, pitch = len(package.lands), package.pitch_mm
        made = lands_by_count(layout, count, pitch, apart, size, land.kind)
        for one, other in zip(made, package.lands, strict=True):
            assert (one.pin, one.x_mm, one.y_mm) == (
                other.pin,
                pytest.approx(other.x_mm),
                pytest.approx(other.y_mm),
            )
    with pytest.raises(InvalidValue, match="four divides"):
        lands_by_count("four rows", 10, 0.5, 5, (1, 0.3), JointKind.LEADLESS)
    with pytest.raises(InvalidValue, match="would touch"):
        lands_by_count("two rows", 8, 0.5, 5, (1, 0.5), JointKind.LEADLESS)
    with pytest.raises(InvalidValue, match="a grid is square"):
        lands_by_count("grid", 10, 0.5, 0, (0.3, 0.3), JointKind.BALL)


@pytest.mark.parametrize(
    ("name", "family", "lands"),
    [("PSOP-20", "SOIC", 21), ("HSOP8", "SOIC", 9), ("SOJ-28", "SOJ", 28), ("TO-263", "tab", 3)],
)
def test_outlines_that_were_unknown_are_known(name: str, family: str, lands: int) -> None:
    package = package_named(name)
    assert (package.family, len(package.lands)) == (family, lands)


def lone_pad(x: float, y: float, wide: float, high: float, net: str) -> Pad:
    ring = tuple(
        (x + a * wide / 2, y + b * high / 2) for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))
    )
    area = wide * high
    return Pad(
        side="top",
        x_mm=x,
        y_mm=y,
        size_x_mm=wide,
        size_y_mm=high,
        angle_deg=0.0,
        area_mm2=area,
        paste_mm2=area,
        ring=ring,
        net=net,
    )


def test_two_pads_of_one_net_or_round_another_pad_are_no_chip() -> None:
    """Like pads as far apart as a chip's are one; not on one net, not with a pad between."""
    pair = [lone_pad(10, 10, 0.65, 1.25, "a"), lone_pad(12.1, 10, 0.65, 1.25, "b")]
    assert [len(one.pads) for one in grouped(pair, (0, 1), "top")[0]] == [2]
    tied = [pair[0], lone_pad(12.1, 10, 0.65, 1.25, "a")]
    assert grouped(tied, (0, 1), "top") == ([], {0, 1})
    between = [*pair, lone_pad(11.05, 10, 0.3, 0.3, "c")]
    assert grouped(between, (0, 1, 2), "top") == ([], {0, 1, 2})


def test_of_two_bodies_over_each_other_one_is_given_up() -> None:
    """Four like pads in a cross could be two chips through each other."""
    cross = [
        lone_pad(7.4, 10, 1.4, 1.4, "a"),
        lone_pad(12.6, 10, 1.4, 1.4, "b"),
        lone_pad(10, 7.4, 1.4, 1.4, "c"),
        lone_pad(10, 12.6, 1.4, 1.4, "d"),
    ]
    groups, left = grouped(cross, range(4), "top")
    middles = [(one.likeness.x_mm, one.likeness.y_mm) for one in groups if one.likeness]
    assert len(set(middles)) == len(middles) == len(groups)
    assert not any(abs(x - 10) < 0.1 and abs(y - 10) < 0.1 for x, y in middles[1:])
    assert len(left) + 2 * len(groups) == 4
