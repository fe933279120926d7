"""The same capabilities without a browser.

Invalid input: exit code 2 and one sentence on standard error.
"""

import argparse
import json
import os
import sys
import time
from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Any

from yellowfen import cli_look, cli_rework
from yellowfen.core.work.schools import QUESTIONS
from yellowfen.errors import InvalidValue, Refused, UnreadableFile, WhichBoard, YellowfenError

if TYPE_CHECKING:
    from yellowfen.core.board.board import Board
    from yellowfen.core.heat.scene import Scene

DEFAULT_DATA = Path(
    os.environ.get("YELLOWFEN_DATA", str(Path.home() / ".local" / "share" / "yellowfen"))
)


def main(arguments: list[str] | None = None) -> int:
    """Entry point of the `yellowfen` command; returns the exit code."""
    parser = _parser()
    given = parser.parse_args(arguments)
    try:
        answer = int(given.run(given) or 0)
        sys.stdout.flush()
        return answer
    except BrokenPipeError:  # the reader has seen enough (| head)
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except (YellowfenError, WhichBoard) as problem:
        print(f"yellowfen: {problem}", file=sys.stderr)
        return 2


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="yellowfen",
        description="Rehearse, run and remember the heat of hand-assembled boards.",
    )
    verbs = parser.add_subparsers(required=True, metavar="VERB")
    verb = verbs.add_parser(
        "import", help="read board files and say what was found (stores only with --keep)"
    )
    verb.add_argument(
        "files", nargs="+", metavar="FILE", help="files, zips or folders of one board"
    )
    verb.add_argument("--json", action="store_true")
    verb.add_argument("--keep", action="store_true", help="store the board in the database")
    verb.add_argument(
        "--thickness",
        type=float,
        default=1.6,
        metavar="MM",
        help="board thickness in mm (default %(default)s)",
    )
    _data(verb)
    verb.set_defaults(run=_import)
    verb = verbs.add_parser(
        "triage",
        help="judge every part of a board before the work, and what to change on the next one",
    )
    verb.add_argument(
        "board",
        metavar="BOARD",
        help="the number of a stored board, or a zip, file or folder of board files",
    )
    verb.add_argument("--json", action="store_true")
    _data(verb)
    verb.set_defaults(run=_triage)
    verb = verbs.add_parser(
        "rehearse", help="rehearse the heat of a rehearsal file (docs/rehearsal-file.md)"
    )
    verb.add_argument(
        "file",
        metavar="FILE",
        help="a rehearsal file, - for standard input, or the number of a stored job",
    )
    _data(verb)
    verb.add_argument(
        "--bands", action="store_true", help="how sure: the unknowns sampled, some ten seconds"
    )
    verb.add_argument("--json", action="store_true")
    verb.set_defaults(run=_rehearse)
    verb = verbs.add_parser(
        "paste", help="judge every stencil opening of a board in one foil with one paste"
    )
    verb.add_argument(
        "board",
        metavar="BOARD",
        help="the number of a stored board, or a zip, file or folder of board files",
    )
    verb.add_argument(
        "--foil",
        type=float,
        default=0.12,
        metavar="MM",
        help="foil thickness in mm (default %(default)s)",
    )
    verb.add_argument(
        "--paste",
        default="sn63-t4",
        help="sn63-t4, sac-t4, snbi-t4 and so on (default %(default)s)",
    )
    verb.add_argument(
        "--factor",
        type=float,
        default=1.0,
        help="transfer factor from weighing (default %(default)s)",
    )
    verb.add_argument("--json", action="store_true")
    _data(verb)
    verb.set_defaults(run=_paste)
    verb = verbs.add_parser("plan", help="a job's techniques, sides, placement order and schedule")
    verb.add_argument("job", metavar="JOB", type=int, help="the number of a stored job")
    verb.add_argument("--json", action="store_true")
    _data(verb)
    verb.set_defaults(run=_plan)
    verb = verbs.add_parser(
        "order", help="the placement order of a board's side, with turns and travel"
    )
    verb.add_argument(
        "board",
        metavar="BOARD",
        help="the number of a stored board, or a zip, file or folder of board files",
    )
    verb.add_argument("--side", default="top", choices=("top", "bottom"))
    verb.add_argument(
        "--school",
        default="finest",
        choices=tuple(one.name for one in QUESTIONS["order"][1]),
        help="what goes first (default %(default)s)",
    )
    verb.add_argument("--json", action="store_true")
    _data(verb)
    verb.set_defaults(run=_order)
    verb = verbs.add_parser(
        "tour", help="plan a hot-air tour of a board's side: where to stop, how high, how long"
    )
    verb.add_argument(
        "board",
        metavar="BOARD",
        help="the number of a stored board, or a zip, file or folder of board files",
    )
    verb.add_argument("--side", default="top", choices=("top", "bottom"))
    verb.add_argument(
        "--parts", default="", metavar="REFS", help="these parts only, e.g. 'U4 C3' (default all)"
    )
    verb.add_argument(
        "--after", default="", metavar="REFS", help="parts that go on after the tour, e.g. by iron"
    )
    verb.add_argument(
        "--order", default="", help="nearest next, row by row or alternate ends (default the best)"
    )
    verb.add_argument("--nozzle", type=float, default=6.0, metavar="MM")
    verb.add_argument("--outlet", type=float, default=350.0, metavar="C", help="air, °C")
    verb.add_argument("--flow", type=float, default=30.0, metavar="L/MIN")
    verb.add_argument("--alloy", default="Sn63Pb37")
    verb.add_argument("--json", action="store_true")
    _data(verb)
    verb.set_defaults(run=_tour)
    cli_rework.add_verbs(verbs, _data, board=_board, read=_read, print_json=_print_json)
    cli_look.add_verbs(verbs, _data, board=_board, open_data=_open, print_json=_print_json)
    for name, run, said in (
        (
            "window",
            _window,
            "map one setting against the dwell: cold, good, a neighbour loose, harm (docs/heat-files.md)",
        ),
        ("tune", _tune, "find the calmest settings for a rehearsal file (docs/heat-files.md)"),
        ("calibrate", _calibrate, "fit melt tests or a thermocouple log (docs/heat-files.md)"),
    ):
        verb = verbs.add_parser(name, help=said)
        stored = "" if name == "calibrate" else ", or the number of a stored job"
        verb.add_argument("file", metavar="FILE", help=f"or - for standard input{stored}")
        verb.add_argument("--json", action="store_true")
        _data(verb)
        verb.set_defaults(run=run)
    verb = verbs.add_parser("serve", help="start the server")
    verb.add_argument("--port", type=int, default=8470)
    verb.add_argument(
        "--last-good",
        action="store_true",
        help="put the last good copy in place of a database that is damaged or gone; a damaged one is kept beside",
    )
    verb.add_argument(
        "--begin-anew",
        action="store_true",
        help="begin an empty database where it is gone; its good copies are kept under other names",
    )
    _data(verb)
    verb.set_defaults(run=_serve)
    verb = verbs.add_parser("demo", help="add the demo board, a bench and two jobs")
    _data(verb)
    verb.set_defaults(run=_demo)
    verb = verbs.add_parser("backup", help="write a whole copy of the database")
    verb.add_argument("file", metavar="FILE")
    _data(verb)
    verb.set_defaults(run=_backup)
    return parser


def _data(verb: argparse.ArgumentParser) -> None:
    verb.add_argument(
        "--data",
        type=Path,
        default=DEFAULT_DATA,
        help="folder of the database (default %(default)s)",
    )


def _open(data: Path) -> Any:
    from yellowfen.workflows.opening import open_database

    return open_database(data)


def _read(path: str) -> bytes:
    try:
        return sys.stdin.buffer.read() if path == "-" else Path(path).read_bytes()
    except OSError as problem:
        raise UnreadableFile(path, f"cannot be opened ({problem.strerror})") from None


def _print_json(answer: object) -> None:
    """Print an answer as JSON.

    A number that is none has no place in it: raises Refused instead of writing NaN.
    """
    try:
        print(json.dumps(answer, indent=1, ensure_ascii=False, allow_nan=False))
    except ValueError:
        raise Refused(
            "this answer holds a number that is none (not a number, or infinite); it was not written. Please report the file"
        ) from None


def _import(given: argparse.Namespace) -> None:
    from yellowfen.workflows.boards import import_board, read_upload

    uploads = [(name, _read(name)) for path in given.files for name in _files_in(path)]
    board, _ = read_upload(uploads, thickness_mm=given.thickness)
    summary = _summary(board)
    if given.keep:
        summary["board_id"] = import_board(_open(given.data), uploads, thickness_mm=given.thickness)
    if given.json:
        _print_json(summary)
        return
    nets = len(summary["nets"])
    print(
        f"{board.name}: {board.width_mm:.1f} x {board.height_mm:.1f} mm, {len(board.parts)} parts, {len(board.pads)} pads, {len(board.holes)} holes, {nets} nets"
    )
    for layer in board.layers:
        print(f"  {layer.file}: {layer.role} ({layer.why})")
    for proposal in board.proposals:
        print(f"  ? {proposal.sentence}")
    for finding in board.findings:
        print(f"  ! {finding.about}: {finding.sentence}")


def _summary(board: "Board") -> dict[str, Any]:
    """What was read, counted: layers with unit and extent, pads, paste, drills, copper, parts,
    nets, and what stays open with its reason.
    """
    nets = Counter(pad.net for pad in board.pads if pad.net)
    return {
        "name": board.name,
        "width_mm": board.width_mm,
        "height_mm": board.height_mm,
        "thickness_mm": board.thickness_mm,
        "layers": [
            {
                "file": one.file,
                "role": str(one.role),
                "why": one.why,
                "facts": one.facts,
                "unit": one.unit,
                "extent_mm": one.extent_mm,
                "problem": one.problem,
            }
            for one in board.layers
        ],
        "pads": {side: sum(pad.side == side for pad in board.pads) for side in ("top", "bottom")},
        "paste_openings": board.paste_openings,
        "paste_area_mm2": board.paste_area_mm2,
        "holes": len(board.holes),
        "drills": [
            {"drill_mm": size, "plated": plated, "count": count}
            for (size, plated), count in sorted(
                Counter((round(hole.drill_mm, 3), hole.plated) for hole in board.holes).items()
            )
        ],
        "slots": sum(hole.x2_mm is not None for hole in board.holes),
        "copper": [{"layer": one.layer, "area_mm2": one.area_mm2} for one in board.copper],
        "parts": [
            {
                "ref": p.ref,
                "value": p.value,
                "package": p.package.name,
                "side": p.side,
                "x_mm": round(p.x_mm, 3),
                "y_mm": round(p.y_mm, 3),
                "rotation_deg": p.rotation_deg,
                "pads": len(p.package.lands),
                "note": p.note,
            }
            for p in board.parts
        ],
        "nets": [{"net": net, "pads": count} for net, count in sorted(nets.items())],
        "plane_pins": [
            {"ref": pad.ref, "pin": pad.pin, "net": pad.net, "tie": pad.tie}
            for pad in board.pads
            if pad.tie and pad.ref
        ],
        "proposals": [
            {
                "sentence": one.sentence,
                "fits_before": one.fits_before,
                "fits_after": one.fits_after,
                "of": one.of,
            }
            for one in board.proposals
        ],
        "unresolved": [{"about": one.about, "sentence": one.sentence} for one in board.findings],
    }


def _triage(given: argparse.Namespace) -> None:
    from yellowfen.core.work.advice import advise
    from yellowfen.core.work.triage import triage

    board = _board(given)
    judged = triage(board)
    answer = {
        "board": board.name,
        "parts": [
            {
                "ref": one.part.ref,
                "package": one.part.package.name,
                "side": one.part.side,
                "grade": one.grade,
                "weight": round(one.weight, 2),
                "mass_mg": round(one.mass_mg, 2),
                "pitch_mm": one.pitch_mm,
                "nearest": one.nearest,
                "nearest_mm": one.nearest_mm,
                "flags": [
                    {
                        "kind": str(flag.kind),
                        "word": flag.word,
                        "reason": flag.sentence,
                        "weight": flag.weight,
                        "mark": str(flag.mark),
                    }
                    for flag in one.flags
                ],
            }
            for one in judged
        ],
        "advice": [
            {
                "kind": one.kind,
                "title": one.title,
                "sentence": one.sentence,
                "refs": one.refs,
                "saves_min": round(one.saves_min, 2),
            }
            for one in advise(board)
        ],
    }
    if given.json:
        _print_json(answer)
        return
    for one in judged:
        print(
            f"{one.grade:5} {one.part.ref:8} {one.part.package.name:24} {', '.join(flag.word for flag in one.flags)}"
        )
    for item in advise(board):
        print(f"{item.saves_min:6.1f} min  {item.title}: {item.sentence}")


def _paste(given: argparse.Namespace) -> None:
    from yellowfen.core.deposit.judge import judge
    from yellowfen.core.metal.paste import paste_named

    judged = judge(_board(given), given.foil, paste_named(given.paste), given.factor)
    openings = [
        {
            "ref": one.ref,
            "pin": one.pin,
            "side": one.opening.side,
            "area_mm2": one.opening.area_mm2,
            "perimeter_mm": one.opening.perimeter_mm,
            "area_ratio": round(one.release.area_ratio, 4),
            "aspect_ratio": round(one.release.aspect_ratio, 3),
            "transfer": round(one.release.transfer, 4),
            "deposit_mm3": round(one.release.deposit_mm3, 6),
            "solder_mm3": round(one.release.solder_mm3, 6),
            "verdict": one.verdict,
            "bridge": round(one.bridge, 3),
            "warnings": one.warnings,
        }
        for one in judged.openings
    ]
    totals = {
        "openings": len(openings),
        "failing": judged.failing,
        "bridging": judged.bridging,
        "deposit_mm3": round(judged.deposit_mm3, 4),
        "paste_mg": round(judged.paste_mg, 3),
        "solder_mm3": round(judged.solder_mm3, 4),
    }
    if given.json:
        _print_json(
            {"foil_mm": given.foil, "paste": given.paste, "openings": openings, "totals": totals}
        )
        return
    for one in judged.openings:
        if one.warnings or one.verdict in ("lean", "fat"):
            print(
                f"{one.ref:6} {one.pin:4} {one.verdict:5} area ratio {one.release.area_ratio:.2f}  {'; '.join(one.warnings)}"
            )
    print(
        f"{totals['openings']} openings, {judged.paste_mg:.0f} mg of paste, {judged.solder_mm3:.1f} mm³ of solder; {judged.failing} fail, {judged.bridging} bridge"
    )


def _plan(given: argparse.Namespace) -> None:
    from yellowfen.workflows import ready

    connection = _open(given.data)
    state = ready.ready_state(connection, given.job)
    orders = {side: ready.order_of(connection, state, side) for side in ("top", "bottom")}
    found = ready.timed(connection, state, time.time()).found
    answer = {
        "job": state.paste.job.name,
        "boards": state.plan.boards,
        "stencil": state.techniques.stencil,
        "stencil_why": state.techniques.stencil_why,
        "minutes": round(ready.estimate_of(connection, state).middle_min, 1),
        "mends": round(state.techniques.mends, 2),
        "techniques": [
            {
                "ref": one.part.ref,
                "package": one.part.package.name,
                "way": str(one.chosen.way),
                "why": one.why,
                "minutes": round(one.chosen.minutes, 2),
                "odds": one.chosen.odds,
                "runner_up": str(one.runner_up.way) if one.runner_up else None,
                "tip": one.card.tip,
                "iron_c": one.card.iron_c,
                "wire_mm": one.card.wire_mm and round(one.card.wire_mm, 2),
                "cautions": one.card.cautions,
            }
            for one in state.ways
        ],
        "sides": {
            "first": state.sides.first,
            "second": state.sides.second,
            "why": state.sides.why,
            "falls": [one.ref for one in state.sides.falls],
        },
        "order": {side: _ordered(order) for side, order in orders.items()},
        "schedule": [
            {
                "task": one.task.name,
                "start_s": round(one.start_s),
                "end_s": round(one.end_s),
                "hands": not one.task.passive,
                "done": one.done,
            }
            for one in found.tasks
        ],
        "goes_off": [{"at_s": round(one.at_s), "sentence": one.sentence} for one in found.warnings],
    }
    if given.json:
        _print_json(answer)
        return
    print(
        f"{answer['job']}: {'with' if state.techniques.stencil else 'without'} a stencil; {state.techniques.stencil_why}"
    )
    for one in state.ways:
        print(f"  {one.part.ref:8} {one.chosen.way:22} {one.why}")
    for side, order in orders.items():
        print(f"{side}: {' '.join(step.ref for step in order.steps) or 'nothing placed on paste'}")
    print(f"{found.hands_min:.0f} min by hand, {(found.end_s - found.start_s) / 60:.0f} in all")


def _ordered(order: Any) -> dict[str, Any]:
    return {
        "steps": [
            {
                "ref": one.ref,
                "turn_deg": one.turn_deg,
                "turned": one.turned,
                "new_value": one.new_value,
                "batch": one.batch + 1,
                "until_min": round(one.until_min, 2),
            }
            for one in order.steps
        ],
        "turns": order.takes.turns,
        "values": order.takes.values,
        "travel_mm": round(order.takes.travel_mm, 1),
        "reaches_over": order.takes.over,
        "minutes": round(order.takes.minutes, 2),
        "orientations": order.orientations,
        "plain": {
            "turns": order.plain.turns,
            "values": order.plain.values,
            "travel_mm": round(order.plain.travel_mm, 1),
            "reaches_over": order.plain.over,
            "minutes": round(order.plain.minutes, 2),
        },
        "rules": [
            {"first": one.first, "second": one.second, "why": one.why} for one in order.rules
        ],
        "forced": order.forced,
        "left_out": [{"ref": ref, "why": why} for ref, why in order.left_out],
    }


def _order(given: argparse.Namespace) -> None:
    from yellowfen.core.work.order import placement_order

    board = _board(given)
    order = placement_order(board, given.side, given.school)
    if given.json:
        _print_json(
            {"board": board.name, "side": given.side, "school": given.school} | _ordered(order)
        )
        return
    for one in order.steps:
        if one.turned:
            print(f"board turned by {one.turn_deg:g} degrees:")
        print(f"  {one.ref}")
    takes, plain = order.takes, order.plain
    print(
        f"{takes.turns} turns, {takes.values} values, {takes.travel_mm:.0f} mm, {takes.minutes:.0f} min (as in the bill: {plain.turns}, {plain.values}, {plain.travel_mm:.0f} mm, {plain.minutes:.0f} min)"
    )


def _board(given: argparse.Namespace) -> "Board":
    """The stored board of that number, or the board in that file or folder."""
    from yellowfen.workflows.boards import read_upload

    if _is_stored(given.board):
        from yellowfen.store import boards

        return boards.get(_open(given.data), int(given.board))
    return read_upload([(name, _read(name)) for name in _files_in(given.board)])[0]


def _is_stored(name: str) -> bool:
    """True for the number of something stored, where no file has that name."""
    return name.isascii() and name.isdigit() and not Path(name).exists()


def _scene_of_job(given: argparse.Namespace) -> "Scene":
    """The scene of a stored job's heat, under what the bench was taught."""
    from yellowfen.store import jobs
    from yellowfen.workflows.heat import job_scene

    connection = _open(given.data)
    return job_scene(connection, jobs.get(connection, int(given.file)))


def _files_in(path: str) -> list[str]:
    """The files of a folder, or the file itself."""
    folder = Path(path)
    return (
        sorted(
            str(one)
            for one in folder.rglob("*")
            if one.is_file() and not one.name.startswith((".", "__"))
        )
        if folder.is_dir()
        else [path]
    )


def _rehearse(given: argparse.Namespace) -> None:
    from yellowfen.core.heat.doubt import Doubts, sureness
    from yellowfen.core.heat.rehearsal import rehearse
    from yellowfen.core.heat.story import tell, together
    from yellowfen.formats.rehearsal_file import bands_json, read_scene, to_json

    scene = _scene_of_job(given) if _is_stored(given.file) else read_scene(_read(given.file))
    began = time.perf_counter()
    result = rehearse(scene)
    answer = to_json(scene, result, time.perf_counter() - began)
    sure = sureness(scene, Doubts(), result) if given.bands else None
    if given.json:
        _print_json(answer | ({"bands": bands_json(sure)} if sure else {}))
        return
    for event in together(tell(scene, result)):
        print(f"{event.at_s:7.1f} s  {event.sentence}")
    if sure:
        for one in bands_json(sure)["targets"]:
            low, mid, high, stop = (
                "never" if at is None else f"{at:.1f} s" for at in list(one.values())[1:]
            )
            print(f"         {one['ref']} flows at {mid} ({low} to {high}); stop by {stop}")
    for warning in result.warnings:
        print(f"         ! {warning}")


def _window(given: argparse.Namespace) -> None:
    from yellowfen.core.heat.doubt import Doubts
    from yellowfen.core.heat.tune import axis_of, tolerance_of
    from yellowfen.core.heat.window import dwells_around, make_window, settings_around
    from yellowfen.formats.heat_files import read_window, window_json

    if _is_stored(given.file):
        scene = _scene_of_job(given)
        axis = axis_of(scene)
        settings, dwells = settings_around(scene, axis), dwells_around(scene)
        tolerance = tolerance_of(scene, Doubts(), axis)
    else:
        scene, axis, settings, dwells, tolerance = read_window(_read(given.file))
    began = time.perf_counter()
    window = make_window(scene, axis, settings, dwells, tolerance)
    answer = window_json(window, time.perf_counter() - began)
    if given.json:
        _print_json(answer)
        return
    signs = {"good": "o", "a neighbour comes loose": "~", "a joint stays cold": ".", "harm": "x"}
    for index in reversed(range(len(dwells))):
        print(
            f"{dwells[index]:7.1f} s  " + " ".join(signs[fates[index]] for fates in answer["fates"])
        )
    print(
        f"{axis}: {settings[0]:g} to {settings[-1]:g}; o good  ~ a neighbour comes loose  . a joint stays cold  x harm"
    )
    best = window.calmest
    print(
        f"calmest: {best.setting:g}, {best.dwell_s:g} s ({best.sigmas:.1f} sigma, then {best.binds})"
        if best
        else "no safe pair in this map"
    )


def _tour(given: argparse.Namespace) -> None:
    from yellowfen.core.heat.doubt import Doubts
    from yellowfen.core.heat.heat_plan import HeatPlan, usual_moves
    from yellowfen.core.heat.source import HotAir
    from yellowfen.core.heat.tour import Tour, plan_tour
    from yellowfen.core.work.board_scene import scene_of
    from yellowfen.formats.tour_file import tour_json
    from yellowfen.workflows.jobs import parts_named

    board = _board(given)
    after = parts_named(board, given.after)
    refs = parts_named(board, given.parts) or tuple(
        part.ref
        for part in board.parts
        if part.side == given.side and (part.joined or part.note != "unknown")
    )
    targets = tuple(ref for ref in refs if ref not in after)
    plan = HeatPlan(
        alloy=given.alloy,
        air=HotAir(nozzle_mm=given.nozzle, outlet_c=given.outlet, flow_lpm=given.flow),
        targets=targets,
        moves=usual_moves(targets),
        side=given.side,
        absent=after,
    )
    began = time.perf_counter()
    tour = None
    for found in plan_tour(scene_of(board, plan), Doubts(), order=given.order):
        if isinstance(found, Tour):
            tour = found
        else:
            seen = found.walk
            print(
                f"{len(seen.stops)} stops, {seen.total_s:.0f} s, {len(seen.at_risk)} parts at risk",
                file=sys.stderr,
                flush=True,
            )
    assert tour is not None
    answer = {"board": board.name, "side": given.side, **tour_json(tour)}
    if given.json:
        _print_json(answer | {"wall_s": round(time.perf_counter() - began, 1)})
        return
    for number, stop in enumerate(tour.stops, 1):
        move, low, high = stop.move, stop.took.low, stop.took.high
        late = "longer" if high is None else f"{high:.0f}"
        print(
            f"{number:3}. over {', '.join(move.over)}: {move.height_mm:g} mm high, circling"
            f" {move.circle_mm:g} mm, {move.seconds:.0f} s ({low or 0:.0f} to {late}); {stop.watch}"
        )
    for one in tour.left:
        print(f"     by iron, on afterwards: {one.ref}, {one.why}")
    print(f"{tour.walk.total_s:.0f} s in all")


def _tune(given: argparse.Namespace) -> None:
    from yellowfen.core.heat.doubt import Doubts
    from yellowfen.core.heat.tune import Bench, SettingsProposal, find_settings
    from yellowfen.formats.heat_files import read_tune, tuned_json

    def told(one: SettingsProposal) -> None:
        margin = (
            f"{one.best.sigmas:.1f} sigma at {one.best.setting:g}, {one.best.dwell_s:g} s"
            if one.best
            else "nothing safe"
        )
        print(f"tried: {one.change}: {margin}; binds: {one.blocker}", file=sys.stderr, flush=True)

    if _is_stored(given.file):
        scene, bench, doubts = _scene_of_job(given), Bench(), Doubts()
    else:
        scene, bench, doubts = read_tune(_read(given.file))
    began = time.perf_counter()
    tuned = find_settings(scene, bench, doubts, told)
    if given.json:
        _print_json(tuned_json(tuned, time.perf_counter() - began))
        return
    print(tuned.sentence)
    print(tuned.relaxes)


def _calibrate(given: argparse.Namespace) -> None:
    from yellowfen.formats.heat_files import calibrate_file, calibration_json

    found = calibrate_file(_read(given.file))
    if given.json:
        _print_json(calibration_json(found))
        return
    print(found.sentence)
    for one in found.findings:
        print(
            f"  {one.name}: {one.after:.3g} {one.unit} ({one.low:.3g} to {one.high:.3g}){'' if one.found else '  not told apart'}"
        )


def _serve(given: argparse.Namespace) -> None:
    if not 1 <= given.port <= 65535:
        raise InvalidValue("port", f"{given.port} is not a port; choose 1024 to 65535")
    from yellowfen.web.serving import serve

    serve(given.data, given.port, given.last_good, given.begin_anew)


def _demo(given: argparse.Namespace) -> None:
    from yellowfen.workflows.demo import add_demo

    added = add_demo(_open(given.data))
    print(f"demo data {'added to' if added else 'already in'} {given.data}")


def _backup(given: argparse.Namespace) -> None:
    from yellowfen.workflows.opening import back_up

    back_up(given.data, Path(given.file))
    print(f"backup written to {given.file}")


if __name__ == "__main__":
    sys.exit(main())
