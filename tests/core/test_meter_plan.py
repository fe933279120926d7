"""What to measure: lists no longer than an exact solver's, every seeded single fault found and
named among three, expected shorts left out, resistors against nodal analysis, values as people
write them.
"""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import Bounds, LinearConstraint, milp

from yellowfen.core.board.board import Board, BoardPart, Pad
from yellowfen.core.board.bridges import near_pads, neighbouring_pins
from yellowfen.core.look.meter_plan import (
    LEADS_NOWHERE,
    Expect,
    MeterPlan,
    Probe,
    Resistances,
    Suspect,
    compared,
    diagnose,
    ground_of,
    meter_plan,
    points_of,
    supplies_of,
)
from yellowfen.core.part.catalogue import package_named

KINDS = ("0603", "0402", "0805", "SOT-23", "SOIC-8", "TSSOP-20", "SOIC-16", "QFP-48", "QFN-20")


def board(nets: int, parts: int, seed: int) -> Board:
    """A random board: GND and VDD on a third of the pins, the rest spread over so many nets."""
    chance = np.random.default_rng(seed)
    placed: list[BoardPart] = []
    pads: list[Pad] = []
    for number in range(parts):
        package = package_named(str(chance.choice(KINDS)))
        two = len(package.lands) == 2
        ref = f"{'RC'[int(chance.integers(2))] if two else 'U'}{number}"
        x, y = 15.0 * (number % 12) + 10, 15.0 * (number // 12) + 10
        value = f"{int(chance.integers(1, 99))} {'kΩ' if ref[0] == 'R' else 'nF'}" if two else ""
        placed.append(
            BoardPart(
                ref=ref,
                value=value,
                footprint="",
                x_mm=x,
                y_mm=y,
                rotation_deg=0,
                side="top",
                package=package,
                joined=True,
            )
        )
        for land in package.lands:
            draw = chance.random()
            net = "GND" if draw < 0.22 else "VDD" if draw < 0.33 else f"N{chance.integers(nets)}"
            pads.append(
                Pad(
                    side="top",
                    x_mm=x + land.x_mm,
                    y_mm=y + land.y_mm,
                    size_x_mm=land.size_x_mm,
                    size_y_mm=land.size_y_mm,
                    angle_deg=0,
                    area_mm2=land.area_mm2,
                    paste_mm2=0,
                    ring=(),
                    ref=ref,
                    pin=land.pin,
                    net=net,
                )
            )
    return Board(
        name="random",
        width_mm=200.0,
        height_mm=200.0,
        thickness_mm=1.6,
        outline=(),
        pads=tuple(pads),
        holes=(),
        copper=(),
        parts=tuple(placed),
        layers=(),
        findings=(),
    )


def measured(probe: Probe, fault: Suspect, nets: dict[str, str]) -> bool:
    """Whether a probe shows what is expected on a board with one fault."""
    if probe.expect is Expect.READING:
        return fault not in probe.covers
    if fault.other:
        bridged = {nets[fault.joint], nets[fault.other]}
        return not (probe.expect is Expect.APART and set(probe.nets) == bridged)
    return not (probe.expect is Expect.CONNECT and fault.joint in (probe.here, probe.there))


def faults(made: Board, plan: MeterPlan) -> list[Suspect]:
    """Every open joint that can be touched and every bridge of neighbours on different nets."""
    nets = {one.name: one.net for one in points_of(made)}
    between = Resistances(made)
    silent = {name for name, _ in plan.unproved}
    opens = [Suspect(name) for name in nets if name not in silent]
    pairs = [Suspect(a, b) for a, b in near_pads(made) if a in nets and b in nets]
    real = [
        one
        for one in pairs
        if nets[one.joint] != nets[one.other]
        and between.between(nets[one.joint], nets[one.other]) >= 2.0
        and not (one.joint.split(".")[0] == one.other.split(".")[0] in plan.unseen)
    ]
    return opens + real


@pytest.mark.parametrize(
    ("nets", "parts", "seed"), [(20, 14, 1), (60, 40, 2), (150, 70, 3), (400, 110, 4)]
)
def test_every_single_fault_is_found_and_named_among_three(
    nets: int, parts: int, seed: int
) -> None:
    made = board(nets, parts, seed)
    plan = meter_plan(made, {})
    by_net = {one.name: one.net for one in points_of(made)}
    chance = np.random.default_rng(seed)
    every = faults(made, plan)
    drawn = [every[i] for i in chance.choice(len(every), min(120, len(every)), replace=False)]
    named = more = 0
    for fault in drawn:
        results = {one.key: measured(one, fault, by_net) for one in plan.probes}
        assert not all(results.values()), f"{fault.says} is not found"
        found = diagnose(made, plan, results, {})
        while found.next is not None and len(found.suspects) > 1:
            more += 1
            results[found.next.key] = measured(found.next, fault, by_net)
            found = diagnose(made, plan, results, {})
        suspects = [one for one, _ in found.suspects]
        assert fault in suspects
        named += len(suspects) <= 3
    print(
        f"{nets} nets, {parts} parts: {len(plan.probes)} probes; {named} of {len(drawn)} among three, {more / len(drawn):.1f} probes more"
    )
    assert named >= 0.95 * len(drawn)


@pytest.mark.parametrize("seed", range(6))
def test_a_list_is_as_short_as_an_exact_solver_s(seed: int) -> None:
    """Set cover by integer programming over all pairs, on boards of up to 40 joints."""
    made = board(6, 5, 100 + seed)
    points = [one for one in points_of(made) if not one.hidden][:40]
    chances = {one.name: 0.05 for one in points}
    plan = meter_plan(made, chances, least=0.02)
    proved = {
        one.joint for probe in plan.probes if probe.expect is Expect.CONNECT for one in probe.covers
    }
    risky = [one for one in points if one.name in proved]
    where = {one.name: one.net for one in points_of(made) if not one.hidden}
    part = {name: name.rsplit(".", 1)[0] for name in where}
    alone = {
        name
        for name in where
        if all(part[one] == part[name] for one in where if where[one] == where[name])
    }
    pairs = [
        (a, b)
        for a in where
        for b in where
        if a < b and where[a] == where[b] and (part[a] != part[b] or a in alone)
    ]
    matrix = np.array([[float(one.name in pair) for pair in pairs] for one in risky])
    exact = milp(
        np.ones(len(pairs)),
        constraints=LinearConstraint(matrix, 1, np.inf),
        bounds=Bounds(0, 1),
        integrality=np.ones(len(pairs)),
    )
    mine = sum(one.expect is Expect.CONNECT for one in plan.probes)
    assert mine <= 1.3 * round(exact.fun)
    apart = [frozenset(one.nets) for one in plan.probes if one.expect is Expect.APART]
    assert len(apart) == len(set(apart))  # one probe a pair of nets: none can be spared


@given(
    st.lists(st.tuples(st.floats(2, 40), st.floats(2, 40)), min_size=2, max_size=8),
    st.data(),
)
def test_millivolts_over_the_gaps_never_clear_the_bridged_one(
    tracks: list[tuple[float, float]], data: st.DataObject
) -> None:
    """Two rails side by side, mΩ from gap to gap, bridged at one gap by 1 to 3 mΩ, current in and
    out anywhere: node voltages by Kirchhoff's laws. Fed from far ends, the gap is named.
    """
    gaps = len(tracks) + 1
    bad = data.draw(st.integers(0, gaps - 1))
    into, out = data.draw(st.sampled_from([(0, gaps - 1)] * 2 + [(0, 0), (gaps - 1, bad)]))
    edges = [(i, i + 1, a) for i, (a, _) in enumerate(tracks)]
    edges += [(gaps + i, gaps + i + 1, b) for i, (_, b) in enumerate(tracks)]
    edges.append((bad, gaps + bad, data.draw(st.floats(1, 3))))
    laplace = np.zeros((2 * gaps, 2 * gaps))
    for i, j, milliohm in edges:
        laplace[[i, j, i, j], [i, j, j, i]] += np.array([1, 1, -1, -1]) / milliohm
    current = np.zeros(2 * gaps)
    current[into], current[gaps + out] = 0.3, -0.3
    volts = np.linalg.pinv(laplace) @ current
    noise = data.draw(st.lists(st.floats(0.98, 1.02), min_size=gaps, max_size=gaps))
    readings = {f"gap {i}": (volts[i] - volts[gaps + i]) * noise[i] for i in range(gaps)}
    found = compared(list(readings), readings)
    assert found.get(f"gap {bad}") is not True
    assert [key for key, clear in found.items() if not clear] in ([], [f"gap {bad}"])
    if (into, out) == (0, gaps - 1):
        assert found[f"gap {bad}"] is False
    assert compared(list(readings), dict(list(readings.items())[1:])) == {}


def test_what_the_board_itself_connects_is_left_out_and_what_leads_nowhere_is_told() -> None:
    made = board(12, 10, 7)
    first = next(part for part in made.parts if len(part.package.lands) > 6)
    a, b = neighbouring_pins(first)[0]
    nets = {one.name: one.net for one in points_of(made)}
    joined = frozenset((nets[f"{first.ref}.{a}"], nets[f"{first.ref}.{b}"]))
    zero = package_named("0603")
    extra = BoardPart(
        ref="R900",
        value="0 Ω",
        footprint="",
        x_mm=150,
        y_mm=150,
        rotation_deg=0,
        side="top",
        package=zero,
        joined=True,
    )
    pads = tuple(
        replace(made.pads[0], x_mm=150 + land.x_mm, y_mm=150.0, ref="R900", pin=land.pin, net=net)
        for land, net in zip(zero.lands, sorted(joined), strict=False)
    )
    lone = replace(made.pads[0], x_mm=5.0, net="ALONE")
    whole = replace(made, parts=(*made.parts, extra), pads=(lone, *made.pads[1:], *pads))
    plan = meter_plan(whole, {})
    if len(joined) == 2:
        assert all(
            frozenset(one.nets) != joined for one in plan.probes if one.expect is Expect.APART
        )
    assert (f"{lone.ref}.{lone.pin}", LEADS_NOWHERE) in plan.unproved or package_named("QFN-20")


def test_a_hidden_pad_is_told_and_not_proved(demo_board: Board) -> None:
    plan = meter_plan(demo_board, {})
    assert "U2.21" in {name for name, _ in plan.unproved}
    assert not any("U2.21" in (one.here, one.there) for one in plan.probes)
    assert ground_of(demo_board) == "GND"
    assert supplies_of(demo_board, "GND") == ("VDD", "VIN")
    rails = [one for one in plan.probes if one.says.startswith("supply")]
    assert [one.nets for one in rails] == [("VDD", "GND"), ("VIN", "GND")]
    assert plan.probes[:2] == tuple(rails)  # before everything else
    assert "µF charge" in rails[0].says


def test_two_faults_that_no_single_one_explains_are_said(demo_board: Board) -> None:
    plan = meter_plan(demo_board, {})
    connects = [one for one in plan.probes if one.expect is Expect.CONNECT]
    results = {one.key: one not in connects[:1] for one in plan.probes}
    assert 1 <= len(diagnose(demo_board, plan, results, {}).suspects) <= 2
    assert diagnose(demo_board, plan, dict.fromkeys(results, True), {}).suspects == ()


@given(st.integers(0, 10_000))
@settings(max_examples=40)
def test_resistors_against_nodal_analysis(seed: int) -> None:
    """Equivalent resistance by solving for a unit current, one net grounded, on random networks."""
    chance = np.random.default_rng(seed)
    nets = [f"N{i}" for i in range(6)]
    made = board(6, 1, seed)
    zero = package_named("0603")
    edges, parts, pads = [], [], []
    for number in range(9):
        a, b = (int(one) for one in chance.choice(6, 2, replace=False))
        value = float(chance.integers(1, 500))
        edges.append((a, b, value))
        parts.append(
            BoardPart(
                ref=f"R{number}",
                value=f"{value:g} Ω",
                footprint="",
                x_mm=10,
                y_mm=10,
                rotation_deg=0,
                side="top",
                package=zero,
                joined=True,
            )
        )
        pads += [
            replace(made.pads[0], ref=f"R{number}", pin=land.pin, net=nets[i])
            for land, i in zip(zero.lands, (a, b), strict=False)
        ]
    mine = Resistances(replace(made, parts=tuple(parts), pads=tuple(pads)))
    g = np.zeros((6, 6))
    for a, b, value in edges:
        g[[a, b], [a, b]] += 1 / value
        g[[a, b], [b, a]] -= 1 / value
    for a, b in ((0, 1), (2, 5)):
        got = mine.between(nets[a], nets[b])
        if math.isinf(got):
            continue
        keep = [i for i in range(6) if i != b]
        current = np.array([1.0 if i == a else 0.0 for i in keep])
        volts = np.linalg.lstsq(g[np.ix_(keep, keep)], current, rcond=None)[0]
        assert got == pytest.approx(volts[keep.index(a)], rel=1e-6)


def test_gaps_to_the_pad_beneath_across_chips_and_between_parts_are_probed(
    demo_board: Board,
) -> None:
    """Whatever lies a bridge apart on different nets is in some probe, put where a tip reaches, or
    its part is named as one that conducts itself.
    """
    plan = meter_plan(demo_board, {})
    points = {one.name: one for one in points_of(demo_board)}
    covered = {frozenset((one.joint, one.other)) for probe in plan.probes for one in probe.covers}
    between = Resistances(demo_board)
    kinds = {"beneath": 0, "across": 0, "parts": 0}
    for a, b in near_pads(demo_board):
        if a not in points or b not in points or points[a].net == points[b].net:
            continue
        part, other = a.split(".")[0], b.split(".")[0]
        if between.between(points[a].net, points[b].net) < 2.0 or part == other in plan.unseen:
            continue
        assert frozenset((a, b)) in covered, (a, b)
        hidden = points[a].hidden or points[b].hidden
        kinds["beneath" if hidden else "across" if part == other else "parts"] += 1
    assert kinds["beneath"] >= 8
    assert kinds["across"] > 0
    for probe in plan.probes:
        if probe.expect is Expect.APART:
            assert not points[probe.here].hidden
            assert not points[probe.there].hidden
