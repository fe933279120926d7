"""The commands of heat: rehearse, window, tune, calibrate, tour."""

import argparse
import sys
import time

from yellowfen.commands.given import (
    board_named,
    is_stored,
    print_json,
    read_bytes,
    scene_of_job,
)
from yellowfen.core.board.board import Board
from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.heat.heat_plan import HeatPlan, usual_moves
from yellowfen.core.heat.rehearsal import rehearse
from yellowfen.core.heat.source import HotAir
from yellowfen.core.heat.story import tell, together
from yellowfen.core.heat.sureness import sureness
from yellowfen.core.heat.tour import Tour, plan_tour
from yellowfen.core.heat.tour_search import TourWish
from yellowfen.core.heat.tour_walk import Charge
from yellowfen.core.heat.tune import Bench, SettingsProposal, axis_of, find_settings, tolerance_of
from yellowfen.core.heat.window import dwells_around, make_window, settings_around
from yellowfen.core.quantity.units import MM, SECONDS, with_unit
from yellowfen.core.work.board_scene import scene_of
from yellowfen.formats.heat_files import (
    calibrate_file,
    calibration_json,
    read_tune,
    read_window,
    tuned_json,
    window_json,
)
from yellowfen.formats.rehearsal_file import bands_json, read_scene, to_json
from yellowfen.formats.tour_file import tour_json
from yellowfen.workflows.jobs import parts_named


def run_rehearse(given: argparse.Namespace) -> None:
    scene = scene_of_job(given) if is_stored(given.file) else read_scene(read_bytes(given.file))
    began = time.perf_counter()
    result = rehearse(scene)
    answer = to_json(scene, result, time.perf_counter() - began)
    sure = sureness(scene, Doubts(), result) if given.bands else None
    if given.json:
        print_json(answer | ({"bands": bands_json(sure)} if sure else {}))
        return
    for event in together(tell(scene, result)):
        print(f"{with_unit(event.at_s, SECONDS, '7.1f')}  {event.sentence}")
    if sure:
        for one in bands_json(sure)["targets"]:
            low, mid, high, stop = (
                "never" if at is None else f"{with_unit(at, SECONDS, 1)}"
                for at in list(one.values())[1:]
            )
            print(f"         {one['ref']} melts at {mid} ({low} to {high}); stop by {stop}")
    for warning in result.warnings:
        print(f"         ! {warning}")


def run_window(given: argparse.Namespace) -> None:
    if is_stored(given.file):
        scene = scene_of_job(given)
        axis = axis_of(scene)
        settings, dwells = settings_around(scene, axis), dwells_around(scene)
        tolerance = tolerance_of(scene, Doubts(), axis)
    else:
        scene, axis, settings, dwells, tolerance = read_window(read_bytes(given.file))
    began = time.perf_counter()
    window = make_window(scene, axis, settings, dwells, tolerance)
    answer = window_json(window, time.perf_counter() - began)
    if given.json:
        print_json(answer)
        return
    signs = {"good": "o", "a neighbour comes loose": "~", "a joint stays cold": ".", "harm": "x"}
    for index in reversed(range(len(dwells))):
        print(
            f"{with_unit(dwells[index], SECONDS, '7.1f')}  "
            + " ".join(signs[fates[index]] for fates in answer["fates"])
        )
    print(
        f"{axis}: {settings[0]:g} to {settings[-1]:g}; o good  ~ a neighbour comes loose  . a joint stays cold  x harm"
    )
    best = window.calmest
    print(
        f"most margin: {best.setting:g}, {with_unit(best.dwell_s, SECONDS)} ({best.sigmas:.1f} sigma, then {best.binds})"
        if best
        else "no safe pair in this map"
    )


def run_tune(given: argparse.Namespace) -> None:
    def told(one: SettingsProposal) -> None:
        margin = (
            f"{one.best.sigmas:.1f} sigma at {one.best.setting:g}, {with_unit(one.best.dwell_s, SECONDS)}"
            if one.best
            else "nothing safe"
        )
        print(f"tried: {one.change}: {margin}; binds: {one.blocker}", file=sys.stderr, flush=True)

    if is_stored(given.file):
        scene, bench, doubts = scene_of_job(given), Bench(), Doubts()
    else:
        scene, bench, doubts = read_tune(read_bytes(given.file))
    began = time.perf_counter()
    tuned = find_settings(scene, bench, doubts, told)
    if given.json:
        print_json(tuned_json(tuned, time.perf_counter() - began))
        return
    print(tuned.sentence)
    print(tuned.relaxes)


def run_calibrate(given: argparse.Namespace) -> None:
    found = calibrate_file(read_bytes(given.file))
    if given.json:
        print_json(calibration_json(found))
        return
    print(found.sentence)
    for one in found.findings:
        print(
            f"  {one.name}: {one.after:.3g} {one.unit} ({one.low:.3g} to {one.high:.3g}){'' if one.found else '  not found by this test'}"
        )


def run_tour(given: argparse.Namespace) -> None:
    board = board_named(given)
    plan = _toured(board, given)
    wish = TourWish(order=given.order, charge=Charge(given.save))
    began = time.perf_counter()
    tour = None
    for found in plan_tour(scene_of(board, plan), Doubts(), wish=wish):
        if isinstance(found, Tour):
            tour = found
        else:
            seen = found.walk
            print(
                f"{len(seen.stops)} stops, {with_unit(seen.total_s, SECONDS, 0)}, {len(seen.at_risk)} parts at risk",
                file=sys.stderr,
                flush=True,
            )
    assert tour is not None
    answer = {"board": board.name, "side": given.side, **tour_json(tour)}
    if given.json:
        print_json(answer | {"wall_s": round(time.perf_counter() - began, 1)})
        return
    for number, stop in enumerate(tour.stops, 1):
        move, low, high = stop.move, stop.took.low, stop.took.high
        late = "longer" if high is None else f"{high:.0f}"
        print(
            f"{number:3}. over {', '.join(move.over)}: {with_unit(move.height_mm, MM)} high, circling"
            f" {with_unit(move.circle_mm, MM)}, {with_unit(move.seconds, SECONDS, 0)} ({low or 0:.0f} to {late}); {stop.watch}"
        )
    for one in tour.left:
        print(f"     by iron, fitted afterwards: {one.ref}, {one.why}")
    print(f"{with_unit(tour.walk.total_s, SECONDS, 0)} in all")


def _toured(board: Board, given: argparse.Namespace) -> HeatPlan:
    """The parts of a face, or those named, by the air that is given."""
    after = parts_named(board, given.after)
    refs = parts_named(board, given.parts) or tuple(
        part.ref
        for part in board.parts
        if part.side == given.side and (part.joined or part.note != "unknown")
    )
    targets = tuple(ref for ref in refs if ref not in after)
    return HeatPlan(
        alloy=given.alloy,
        air=HotAir(nozzle_mm=given.nozzle, outlet_c=given.outlet, flow_lpm=given.flow),
        targets=targets,
        moves=usual_moves(targets),
        side=given.side,
        absent=after,
    )
