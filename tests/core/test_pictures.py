"""Measuring from rendered pictures with known truth: where the board lies, how parts sit, what the
print lacks and where it smears; hostile pictures bounded; bad clicks refused.
"""

import io
import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from shapely.geometry import Polygon

from tests import pictures as drawn
from yellowfen.core.look.flat_picture import Flat
from yellowfen.core.look.part_seen import (
    Pose,
    hides,
    in_part,
    joints_seen,
    on_board,
    same_turned,
    seated,
)
from yellowfen.core.look.paste_seen import PrintSeen, bright_across, pieces, print_seen, two_kinds
from yellowfen.core.look.picture_fit import (
    ODD_CLICK_PX,
    Click,
    blurred,
    farthest_click,
    fit_clicks,
    refined,
    to_board,
    to_picture,
)
from yellowfen.core.look.print_offset import print_offset
from yellowfen.core.part.catalogue import package_named
from yellowfen.errors import InvalidValue, UnreadableFile
from yellowfen.formats.picture import channels, made_safe

SIZES_UM = (5, 8, 12, 18, 24, 30)


def side_of(seed: int) -> str:
    return "bottom" if seed % 4 == 3 else "top"


def middle_of(board: drawn.Board, seed: int) -> tuple[float, float]:
    part = board.parts[int(np.random.default_rng(seed).integers(len(board.parts)))]
    return part.x_mm, part.y_mm


def in_sight(board: drawn.Board, matrix: drawn.NDArray[np.float64]) -> int:
    spots = drawn.seen_through(matrix, [(pad.x_mm, pad.y_mm) for pad in board.pads])
    return int(((spots > 25) & (spots < (1175, 875))).all(axis=1).sum())


@pytest.mark.slow
def test_the_board_lies_within_two_pixels_after_clicks_three_pixels_off() -> None:
    """Two to four clicks, any turn, either face, aslant, blurred, unevenly lit: 95th percentile."""
    within, told = [], []
    for seed in range(42):
        um, board = SIZES_UM[seed % 6], drawn.pictured_board(seed, side_of(seed))
        matrix = drawn.camera(seed, um, middle_of(board, seed), side_of(seed))
        if in_sight(board, matrix) < 4:
            continue
        image = drawn.rendered(drawn.bare(board), matrix, seed)
        clicks = drawn.clicks_near(board, matrix, 2 + seed % 3, seed)
        fit = refined(image, [pad.ring for pad in board.pads], clicks, side_of(seed))
        error = float(np.percentile(drawn.fit_error_mm(fit, matrix, board), 95))
        within.append(error <= max(0.03, 0.002 * um))
        told.append(error <= fit.error_um / 1000)
    assert len(within) > 25
    assert np.mean(within) >= 0.95
    assert np.mean(told) >= 0.85  # what is said of the error, 95 %, holds nearly so often


@pytest.mark.parametrize("seed", [61, 84, 91, 112, 190])
def test_a_row_is_not_taken_for_the_next_and_far_ends_are_not_left_out(seed: int) -> None:
    """Few pads in sight or a fine pitch far from the clicks: what fits near by may be off by a pin,
    and the ends of long pads may look like outliers.
    """
    um, side = SIZES_UM[seed % 6], side_of(seed)
    board = drawn.pictured_board(seed, side)
    matrix = drawn.camera(seed, um, middle_of(board, seed), side)
    image = drawn.rendered(drawn.bare(board), matrix, seed)
    clicks = drawn.clicks_near(board, matrix, 2 + seed % 3, seed)
    fit = refined(image, [pad.ring for pad in board.pads], clicks, side)
    assert np.percentile(drawn.fit_error_mm(fit, matrix, board), 95) <= 0.002 * um


def test_a_click_on_another_place_is_told_from_a_shaking_hand() -> None:
    """Three good clicks and one forty pixels off: the fit tells it; four good ones are believed."""
    named, quiet = [], []
    for seed in range(18):
        um, board = SIZES_UM[seed % 6], drawn.pictured_board(seed, side_of(seed))
        matrix = drawn.camera(seed, um, middle_of(board, seed), side_of(seed))
        if in_sight(board, matrix) < 8:
            continue
        image = drawn.rendered(drawn.bare(board), matrix, seed)
        rings = [pad.ring for pad in board.pads]
        clicks = drawn.clicks_near(board, matrix, 4, seed)
        quiet.append(farthest_click(refined(image, rings, clicks, side_of(seed)), clicks)[1])
        odd = [replace(clicks[0], u_px=clicks[0].u_px + 40.0), *clicks[1:]]
        _, far = farthest_click(refined(image, rings, odd, side_of(seed)), odd)
        named.append(far > ODD_CLICK_PX)
    assert len(named) > 10
    assert np.mean(np.array(quiet) < ODD_CLICK_PX) >= 0.9
    assert np.mean(named) >= 0.8


def test_clicks_alone_know_a_mirror_a_turn_and_a_scale() -> None:
    for side in ("top", "bottom"):
        board = drawn.pictured_board(1, side)
        matrix = drawn.camera(5, 20, (19, 13), side)
        clicks = drawn.clicks_near(board, matrix, 4, 1, scatter=0.0)
        fit = fit_clicks(clicks, side)
        assert drawn.fit_error_mm(fit, matrix, board).max() < 0.05
        assert fit.um_px == pytest.approx(20, rel=0.05)
        other = "top" if side == "bottom" else "bottom"
        with pytest.raises(InvalidValue, match="do not fit together"):
            fit_clicks(clicks, other)
        places = np.array([[3.0, 4.0], [30.0, 20.0]])
        assert np.allclose(to_board(fit, to_picture(fit, places)), places)


@pytest.mark.parametrize(
    ("clicks", "says"),
    [
        ([Click(0, 0, 10, 10)], "two places"),
        ([Click(0, 0, 10, 10), Click(0.1, 0, 500, 10)], "too close together"),
        ([Click(0, 0, 10, 10), Click(9, 0, 12, 10)], "too close together"),
        ([Click(0, 0, 10, 10), Click(9, 0, float("nan"), 10)], "not a number"),
    ],
)
def test_clicks_that_say_nothing_are_refused(clicks: list[Click], says: str) -> None:
    with pytest.raises(InvalidValue, match=says):
        fit_clicks(clicks, "top")


@pytest.mark.slow
def test_overhangs_within_three_hundredths_of_a_millimetre() -> None:
    """Parts off by up to 0.15 mm and 3°, laid by hand to three pixels and a degree, then on their
    edges.
    """
    errors = []
    for seed in range(24):
        um, side = (8, 10, 12, 15, 18, 24)[seed % 6], side_of(seed)
        board, chance = drawn.pictured_board(seed, side), np.random.default_rng(seed + 1000)
        part = board.parts[int(chance.integers(len(board.parts)))]
        matrix = drawn.camera(seed, um, (part.x_mm, part.y_mm), side)
        truth = Pose(*chance.uniform(-0.15, 0.15, 2), chance.uniform(-3, 3))
        layers = drawn.bare(board)
        drawn.with_part(layers, part, truth)
        image = drawn.rendered(layers, matrix, seed)
        clicks = drawn.clicks_near(board, matrix, 2 + seed % 3, seed)
        off = 0.003 * um * chance.normal(size=2)
        pose = Pose(truth.dx_mm + off[0], truth.dy_mm + off[1], truth.turn_deg + chance.normal())
        for _ in range(2):
            rings = [pad.ring for pad in board.pads]
            fit = refined(image, rings, clicks, side, list(hides(part, pose).values()))
            found = seated(image, fit, part, pose)
            assert found is not None
            pose = found
        pairs = zip(joints_seen(part.package, pose), joints_seen(part.package, truth), strict=True)
        errors.append(max(abs(a.side_mm - b.side_mm) for a, b in pairs))
    assert np.percentile(errors, 95) <= 0.03


@given(
    st.sampled_from(("SOIC-8", "QFP-48", "0805", "QFN-20", "SOT-23")),
    st.tuples(st.floats(-0.6, 0.6), st.floats(-0.6, 0.6), st.floats(-6, 6)),
    st.floats(0.0, 0.08),
)
def test_no_verdict_hangs_on_less_than_the_error_of_the_pose(
    name: str, pose: tuple[float, float, float], error_mm: float
) -> None:
    """What is told of a joint stays true for a part that lies anywhere within the error of where it
    was seen; where nothing is near, a wider error tells no other verdict.
    """
    package, seen = package_named(name), Pose(*pose)
    told = joints_seen(package, seen, error_mm=error_mm)
    plain = joints_seen(package, seen)
    assert not any(one.near for one in plain)
    for one, other in zip(told, plain, strict=True):
        assert one.verdict == ("" if one.near else other.verdict)
    for way in range(8):
        off = 0.99 * error_mm / math.sqrt(2)
        there = Pose(
            pose[0] + off * math.cos(way * math.pi / 4),
            pose[1] + off * math.sin(way * math.pi / 4),
            pose[2],
        )
        for one, true in zip(told, joints_seen(package, there), strict=True):
            assert one.near or one.verdict == true.verdict


def test_which_packages_look_the_same_turned_by_half() -> None:
    alike = {"SOIC-8": True, "0805": True, "QFP-48": True, "SOT-23": False, "SOT-23-5": False}
    for name, same in alike.items():
        assert same_turned(package_named(name)) == same, name


def test_overhang_is_plain_geometry() -> None:
    """A part shifted along its rows hangs over the sides of some lands by what its lead sticks out."""
    board = drawn.pictured_board(2)
    part = replace(board.parts[0], package=package_named("SOIC-8"))
    straight = joints_seen(part.package, Pose())
    assert all(one.side_mm == 0 and not one.verdict for one in straight)
    moved = {one.pin: one for one in joints_seen(part.package, Pose(0.0, 0.6, 0.0))}
    gentle = {one.pin: one for one in joints_seen(part.package, Pose(0.0, 0.3, 0.0))}
    land = part.package.lands[0]
    sideways = abs(land.x_mm) >= abs(land.y_mm)
    assert sideways  # rows left and right: up and down is across the leads
    assert moved[land.pin].side_mm - gentle[land.pin].side_mm == pytest.approx(0.3, abs=1e-9)
    assert moved[land.pin].verdict == "skewed"
    back = on_board(part, in_part(part, np.array([[1.0, 2.0]])))
    assert np.allclose(back, [[1.0, 2.0]])


def printed(
    seed: int, um: int, smears: bool
) -> tuple[PrintSeen, dict[tuple[str, str], float], list, tuple]:  # type: ignore[type-arg]
    """A print off by up to 0.08 mm, a fifth of its pads short of paste, smears of 0.12 to 0.3 mm."""
    side, chance = side_of(seed), np.random.default_rng(seed + 5000)
    board = drawn.pictured_board(seed, side, count=3)
    matrix = drawn.camera(seed, um, tuple(chance.uniform((10, 5), (28, 9))), side)
    layers, shift = drawn.bare(board), chance.uniform(-0.08, 0.08, 2)
    truth: dict[tuple[str, str], float] = {}
    for one in board.openings:
        a, b, c, d = np.array(one.ring)
        share = 1.0 if chance.random() < 0.8 else chance.uniform(0.3, 0.95)
        ring = np.array([a, a + share * (b - a), d + share * (c - d), d])
        layers.add(ring + shift, drawn.PASTE)
        pad = board.pads[one.pad or 0]
        whole = Polygon(one.ring)
        truth[pad.ref or "", pad.pin or ""] = (
            Polygon(ring + shift).intersection(whole).area / whole.area
        )
    drawn_smears = []
    for part in board.parts if smears else ():
        pads = [pad for pad in board.pads if pad.ref == part.ref]
        k = int(chance.integers(len(pads) - 1))
        here, there = (np.array((pads[n].x_mm, pads[n].y_mm)) for n in (k, k + 1))
        apart = float(np.hypot(*(there - here)))
        if len(pads) < 3 or apart > 1.5:
            continue
        along = (there - here) / apart
        across = np.array((-along[1], along[0])) * chance.uniform(0.06, 0.15)
        layers.add([here - across, there - across, there + across, here + across], drawn.PASTE)
        middle = (here + there) / 2
        spot = drawn.seen_through(matrix, [middle])[0]
        if (spot > 30).all() and (spot < (1170, 870)).all():
            drawn_smears.append(
                (f"{part.ref}.{pads[k].pin}", f"{part.ref}.{pads[k + 1].pin}", middle)
            )
            truth.pop((part.ref, pads[k].pin or ""), None)
            truth.pop((part.ref, pads[k + 1].pin or ""), None)
    image = drawn.rendered(layers, matrix, seed)
    clicks = drawn.clicks_near(board, matrix, 3, seed)
    fit = refined(image, [pad.ring for pad in board.pads], clicks, side)
    return print_seen(image, fit, board, side), truth, drawn_smears, tuple(shift)


@pytest.mark.slow
def test_coverage_within_five_points_and_smears_found_without_false_calls() -> None:
    errors, shifts, found, missed, false = [], [], 0, 0, 0
    for seed in range(20):
        seen, truth, smears, shift = printed(seed, (8, 12, 18, 24, 30)[seed % 5], seed % 3 > 0)
        errors += [
            abs(one.share - truth[one.ref, one.pin])
            for one in seen.pads
            if (one.ref, one.pin) in truth
        ]
        shifts.append(np.hypot(seen.dx_mm - shift[0], seen.dy_mm - shift[1]))
        near = [
            any(np.hypot(one.x_mm - m[0], one.y_mm - m[1]) < 0.6 for _, _, m in smears)
            for one in seen.between
        ]
        false += near.count(False)
        for a, b, _ in smears:
            told = any({a, b} <= set(one.touches) for one in seen.between)
            found, missed = found + told, missed + (not told)
    assert np.percentile(errors, 95) <= 0.05
    assert np.median(shifts) <= 0.01
    assert np.percentile(shifts, 90) <= 0.02
    assert found >= 0.9 * (found + missed)
    assert found > 8
    assert false <= 0.05 * found + 1


@pytest.mark.parametrize("brighter", [False, True])
def test_the_prints_shift_is_found_though_a_third_of_it_lacks(brighter: bool) -> None:
    """Exact greys, no noise: within a hundredth of a pixel's millimetres; darker or brighter paste."""
    board = drawn.pictured_board(3, count=3)
    cell, true = 0.02, np.array((0.055, -0.04))
    greys = (60.0, 120.0, 200.0) if brighter else (60.0, 200.0, 120.0)
    height, width, finer = 560, 1880, 5
    grey = np.full((height * finer, width * finer), greys[0])
    pads, openings = [pad.ring for pad in board.pads], [one.ring for one in board.openings]
    for ring in pads:
        drawn.filled(grey, finer * np.array(ring) / cell + (finer - 1) / 2, greys[1])
    for n, ring in enumerate(openings):
        if n % 3:
            spots = finer * (np.array(ring) + true) / cell + (finer - 1) / 2
            drawn.filled(grey, spots, greys[2])
    grey = grey.reshape(height, finer, width, finer).mean(axis=(1, 3))
    flat = Flat(grey=blurred(grey, 2), x0_mm=0.0, y0_mm=0.0, cell_mm=cell)
    found = print_offset(flat, pads, openings, greys)
    assert np.hypot(*(np.array(found) - true)) <= 0.003
    away = Flat(grey=flat.grey, x0_mm=500.0, y0_mm=500.0, cell_mm=cell)
    assert print_offset(away, pads, openings, greys, (0.1, 0.2)) == (0.1, 0.2)


def test_thin_pads_in_a_coarse_picture_are_not_read_as_covered() -> None:
    """At 30 µm a pixel the blurred rim of bare tin round an opening shows in it, and the mask
    beside the tin has, blurred, the grey of paste.
    """
    errors = []
    for seed in (5, 8, 13):
        seen, truth, _, _ = printed(seed, 30, False)
        errors += [one.share - truth[one.ref, one.pin] for one in seen.pads]
    assert abs(np.mean(errors)) <= 0.03
    assert np.percentile(np.abs(errors), 95) <= 0.05


def test_a_wrong_threshold_is_seen_to_matter() -> None:
    seed, board = 4, drawn.pictured_board(4, count=2)
    matrix = drawn.camera(seed, 20, (13, 7), "top")
    layers = drawn.bare(board)
    for one in board.openings:
        layers.add(one.ring, drawn.PASTE)
    image = drawn.rendered(layers, matrix, seed)
    fit = refined(
        image, [pad.ring for pad in board.pads], drawn.clicks_near(board, matrix, 4, 1), "top"
    )
    auto = print_seen(image, fit, board, "top", paste_from=160.0)
    wrong = print_seen(image, fit, board, "top", paste_from=40.0)
    assert min(one.share for one in auto.pads) > 0.9
    assert auto.verdict == "good"
    assert max(one.share for one in wrong.pads) < 0.1
    assert wrong.verdict == "wipe"
    with pytest.raises(InvalidValue, match="paste_from"):
        print_seen(image, fit, board, "top", paste_from=float("nan"))


def test_something_bright_across_a_gap_is_proposed_and_a_lead_is_not() -> None:
    board = drawn.pictured_board(4)
    part = next(one for one in board.parts if one.package.name in ("SOIC-8", "SOIC-16"))
    matrix = drawn.camera(3, 12, (part.x_mm, part.y_mm), "top")
    layers, pose = drawn.bare(board), Pose(0.0, 0.25, 0.0)
    drawn.with_part(layers, part, pose)
    a, b = (
        np.array((pad.x_mm, pad.y_mm))
        for pad in board.pads
        if pad.ref == part.ref and pad.pin in ("2", "3")
    )
    along = (b - a) / np.hypot(*(b - a))
    across = 0.2 * np.array((-along[1], along[0]))
    layers.add([a - across, b - across, b + across, a + across], drawn.TIN)
    image = drawn.rendered(layers, matrix, 3)
    rings = [pad.ring for pad in board.pads]
    laid = hides(part, pose)
    clicks = drawn.clicks_near(board, matrix, 4, 3)
    fit = refined(image, rings, clicks, "top", list(laid.values()))
    named = {f"{part.ref}.{pin}": ring for pin, ring in laid.items()}
    again = bright_across(image, fit, board, "top", hidden=named)
    assert [set(one.touches) for one in again] == [{f"{part.ref}.2", f"{part.ref}.3"}]


def test_pieces_and_thresholds_by_hand() -> None:
    mask = np.array([[1, 0, 1], [1, 1, 1], [0, 0, 0], [0, 1, 0]], dtype=bool)
    labels, count = pieces(mask)
    assert count == 2
    assert (labels > 0).sum() == mask.sum()
    assert labels[0, 0] == labels[0, 2] != labels[3, 1]
    cut, apart = two_kinds(
        np.concatenate((np.full(300, 40.0), np.full(100, 90.0))) + np.linspace(-3, 3, 400)
    )
    assert 43 < cut < 87
    assert apart > 3
    assert two_kinds(np.random.default_rng(0).normal(80, 5, 1000))[1] < 3.5


# hostile pictures
def encoded(image: Image.Image, kind: str, **given: object) -> bytes:
    stream = io.BytesIO()
    image.save(stream, kind, **given)
    return stream.getvalue()


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "is no PNG"),
        (b"<script>alert(1)</script>", "is no PNG"),
        (encoded(Image.new("RGB", (300, 300)), "GIF"), "is no PNG"),
        (encoded(Image.new("RGB", (300, 300)), "JPEG")[:700], "is no PNG"),
        (encoded(Image.new("RGB", (30, 30)), "PNG"), "smaller than 64"),
        (encoded(Image.new("1", (16000, 16000)), "PNG"), "80 million"),
    ],
)
def test_what_is_no_picture_or_too_large_has_a_sentence(data: bytes, says: str) -> None:
    with pytest.raises(UnreadableFile, match=says):
        made_safe(data, "shot.png")


def test_a_picture_is_turned_upright_reduced_and_written_anew() -> None:
    turned = Image.new("RGB", (400, 200), "red")
    turned.putpixel((0, 0), (0, 0, 0))
    exif = turned.getexif()
    exif[0x0112], exif[0x010E] = 6, "a secret place"
    safe = made_safe(encoded(turned, "JPEG", exif=exif, comment=b"more of it"))
    assert (safe.width, safe.height) == (200, 400)
    assert b"secret" not in safe.jpeg
    assert b"more of it" not in safe.jpeg
    large = made_safe(encoded(Image.new("RGB", (9000, 6600), "white"), "JPEG"))
    assert large.width * large.height <= 4_000_000
    assert large.width / large.height == pytest.approx(9000 / 6600, rel=0.01)
    assert channels(safe.jpeg)[0].shape == (400, 200)
