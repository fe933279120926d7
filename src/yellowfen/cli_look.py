"""The verbs of looking and measuring: where to look, what to measure, what a picture shows."""

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from yellowfen.core.board.board import Board

ReadBoard = Callable[[argparse.Namespace], "Board"]
PrintJson = Callable[[object], None]
Open = Callable[[Path], Any]


def add_verbs(
    verbs: Any,
    add_data: Callable[[argparse.ArgumentParser], None],
    *,
    board: ReadBoard,
    open_data: Open,
    print_json: PrintJson,
) -> None:
    """Add the verbs, with how the command reads boards and the database and prints."""
    verb = verbs.add_parser("look", help="the joints of a job, riskiest first, and how to see them")
    verb.add_argument("job", metavar="JOB", type=int, help="the number of a stored job")
    verb.add_argument("--json", action="store_true")
    add_data(verb)
    verb.set_defaults(run=lambda given: _look(given, open_data, print_json))
    verb = verbs.add_parser("test-plan", help="what to measure on a board with a meter, and why")
    verb.add_argument(
        "board",
        metavar="BOARD",
        help="the number of a stored board, or a zip, file or folder of board files",
    )
    verb.add_argument("--parts", default="", metavar="REFS", help="these parts only (default all)")
    verb.add_argument("--json", action="store_true")
    add_data(verb)
    verb.set_defaults(run=lambda given: _test_plan(given, board, print_json))
    verb = verbs.add_parser("measure", help="measure print and parts from a picture of a board")
    verb.add_argument("picture", metavar="PICTURE", help="PNG, JPEG or WebP, straight from above")
    verb.add_argument("--board", required=True, metavar="BOARD", help="as for test-plan")
    verb.add_argument(
        "--clicks",
        required=True,
        metavar="FILE",
        help='where places of the board are seen: [{"at": "U1.3", "px": [412, 300]}, ...]; at may be [x, y] in mm',
    )
    verb.add_argument("--side", default="top", choices=("top", "bottom"))
    verb.add_argument("--print", action="store_true", dest="printed", help="judge the print")
    verb.add_argument("--parts", default="", metavar="REFS", help="how these parts sit")
    verb.add_argument("--class", type=int, default=2, dest="grade", choices=(1, 2, 3))
    verb.add_argument("--json", action="store_true")
    add_data(verb)
    verb.set_defaults(run=lambda given: _measure(given, board, print_json))


def _look(given: argparse.Namespace, open_data: Open, print_json: PrintJson) -> None:
    from yellowfen.workflows.look import look_state

    state = look_state(open_data(given.data), given.job)
    kinds = {
        f"{part.ref}.{land.pin}": str(land.kind)
        for part in state.board.parts
        for land in part.package.lands
    }
    rows = [
        {
            "ref": one.ref,
            "pin": one.pin,
            "chance": round(one.chance, 4),
            "why": list(one.why)
            or [f"a {kinds.get(one.key, 'plain')} joint, nothing else against it"],
            "seen_from": one.seen_from,
        }
        for one in sorted(state.joints, key=lambda one: (-one.chance, one.key))
    ]
    if given.json:
        print_json({"job": given.job, "joints": rows, "left": round(state.left, 3)})
        return
    for one in sorted(state.joints, key=lambda one: (-one.chance, one.key)):
        seen = one.seen_from or "not by eye"
        print(
            f"{one.key:>8} {100 * one.chance:5.1f} %  {seen}{'; ' + ', '.join(one.why) if one.why else ''}"
        )
    print(f"about {state.left:.2f} bad likely among those without a mark")


def _test_plan(given: argparse.Namespace, read_board: ReadBoard, print_json: PrintJson) -> None:
    from yellowfen.core.look.meter_plan import meter_plan
    from yellowfen.workflows.jobs import parts_named

    board = read_board(given)
    plan = meter_plan(board, {}, refs=parts_named(board, given.parts) or None)
    if given.json:
        probes = [
            {
                "from": one.here,
                "to": one.there,
                "expect": str(one.expect),
                "note": one.says,
                "reading_ohm": one.reading_ohm,
                "covers": [suspect.says for suspect in one.covers],
            }
            for one in plan.probes
        ]
        unproved = [{"joint": name, "why": why} for name, why in plan.unproved]
        print_json(
            {
                "board": board.name,
                "ground": plan.ground,
                "supplies": list(plan.supplies),
                "probes": probes,
                "unproved": unproved,
            }
        )
        return
    for one in plan.probes:
        print(f"{one.here:>8} to {one.there:<8} {one.expect}{'; ' + one.says if one.says else ''}")
    print(f"{len(plan.probes)} probes; {len(plan.unproved)} joints no meter proves")


def _measure(given: argparse.Namespace, read_board: ReadBoard, print_json: PrintJson) -> None:
    from yellowfen.workflows.measuring import measured, pins_read

    board = read_board(given)
    pins = pins_read(_bytes(given.clicks), given.clicks, board, given.side)
    answer = measured(
        board,
        _bytes(given.picture),
        pins,
        side=given.side,
        printed=given.printed,
        refs=given.parts,
        grade=given.grade,
        name=Path(given.picture).name,
    )
    if given.json:
        print_json(answer)
        return
    fit = answer["fit"]
    print(f"{fit['um_px']:.1f} µm a pixel, within {fit['error_um']:.0f} µm, by {fit['by']}")
    for part in answer["parts"]:
        print(
            f"{part['ref']}: {part['dx_mm']:+.3f} {part['dy_mm']:+.3f} mm, {part['turn_deg']:+.2f}°"
        )
        for joint in part["joints"]:
            print(f"  {joint['pin']:>4} {joint['side_mm']:.3f} mm over the side {joint['verdict']}")
    if answer["print"]:
        print(answer["print"]["says"])
    for one in answer["look_again"]:
        print(f"look again {one['says']}")


def _bytes(path: str) -> bytes:
    from yellowfen.errors import UnreadableFile

    try:
        return Path(path).read_bytes()
    except OSError as problem:
        raise UnreadableFile(path, f"cannot be opened ({problem.strerror})") from None
