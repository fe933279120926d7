"""The verbs of rework: survey and ways off, a lift, the work at pads."""

import argparse
import sys
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from yellowfen.core.board.board import Board

ReadBoard = Callable[[argparse.Namespace], "Board"]
ReadFile = Callable[[str], bytes]
PrintJson = Callable[[object], None]


def add_verbs(
    verbs: Any,
    add_data: Callable[[argparse.ArgumentParser], None],
    *,
    board: ReadBoard,
    read: ReadFile,
    print_json: PrintJson,
) -> None:
    """Add the verbs, with how the command reads boards and files and prints."""
    verb = verbs.add_parser(
        "survey", help="what is in the way of a part that comes off, and the ways off, weighed"
    )
    _board_argument(verb)
    verb.add_argument("--off", required=True, metavar="REF", help="the part that comes off")
    verb.add_argument(
        "--matters", default="both", help="the part, the board or both (default %(default)s)"
    )
    _solder(verb)
    verb.add_argument("--nozzle", type=float, default=6.0, metavar="MM")
    verb.add_argument("--outlet", type=float, default=350.0, metavar="C", help="air, °C")
    verb.add_argument("--flow", type=float, default=30.0, metavar="L/MIN")
    verb.add_argument("--plate", type=float, metavar="C", help="a plate at so many °C")
    verb.add_argument("--below", type=float, metavar="C", help="warm air from below, °C")
    verb.add_argument("--jets", action="store_true", help="a head with narrow jets is there")
    verb.add_argument("--json", action="store_true")
    add_data(verb)
    verb.set_defaults(run=lambda given: _survey(given, board, print_json))
    verb = verbs.add_parser(
        "lift", help="when the parts of a rehearsal file may be lifted (docs/rehearsal-file.md)"
    )
    verb.add_argument("file", metavar="FILE", help="or - for standard input")
    verb.add_argument("--json", action="store_true")
    verb.set_defaults(run=lambda given: _lift(given, read, print_json))
    verb = verbs.add_parser("pads", help="the work at the pads of a part that came off")
    _board_argument(verb)
    verb.add_argument("--of", required=True, metavar="REF", help="the part that came off")
    verb.add_argument("--after", default="", help="the way it came off (default hot air)")
    verb.add_argument("--want", default="bare", help="bare, level or mounds (default %(default)s)")
    verb.add_argument("--wick", type=float, default=2.0, metavar="MM", help="width of the wick")
    _solder(verb)
    verb.add_argument("--json", action="store_true")
    add_data(verb)
    verb.set_defaults(run=lambda given: _pads(given, board, print_json))


def _board_argument(verb: argparse.ArgumentParser) -> None:
    verb.add_argument(
        "board",
        metavar="BOARD",
        help="the number of a stored board, or a zip, file or folder of board files",
    )


def _solder(verb: argparse.ArgumentParser) -> None:
    verb.add_argument(
        "--solder",
        default="not known",
        help="leaded, lead-free, 'low-melting, with bismuth' or 'not known' (default %(default)s)",
    )


def _one_of(kind: Any, text: str, field: str) -> Any:
    """The member of an enumeration by its word; a sentence that lists them where there is none."""
    from yellowfen.errors import InvalidValue

    if text not in set(kind):
        raise InvalidValue(field, f"{text[:40]!r} is none of {', '.join(kind)}")
    return kind(text)


def _survey(given: argparse.Namespace, read_board: ReadBoard, print_json: PrintJson) -> None:
    from yellowfen.core.heat.heat_plan import HeatPlan
    from yellowfen.core.heat.source import HotAir, HotPlate, Preheater
    from yellowfen.core.rework.survey import Answers, Solder, survey
    from yellowfen.core.rework.ways_off import Matters, OffBench, best_first
    from yellowfen.formats.rework_file import survey_json, way_json
    from yellowfen.workflows.rework import USUAL_IRONS, weighed

    asked = Answers(
        matters=_one_of(Matters, given.matters, "matters"),
        solder=_one_of(Solder, given.solder, "solder"),
        jets=given.jets,
    )
    board = read_board(given)
    plan = HeatPlan(air=HotAir(nozzle_mm=given.nozzle, outlet_c=given.outlet, flow_lpm=given.flow))
    seen = survey(board, given.off, asked, {})
    bench = OffBench(
        air=plan.hot_air(),
        nozzles_mm=(4.0,),
        jets=given.jets,
        irons=USUAL_IRONS,
        plates=() if given.plate is None else (HotPlate(set_c=given.plate),),
        preheater=None if given.below is None else Preheater(celsius=given.below),
    )
    found = {}
    for way, _ in weighed(board, plan, given.off, asked, bench):
        found[way.way] = way
        print(f"{way.way}: {'possible' if way.possible else way.why_not}", file=sys.stderr)
    ways = best_first(list(found.values()))
    if given.json:
        print_json(
            {"board": board.name, "off": given.off, "ways": [way_json(one) for one in ways]}
            | survey_json(seen)
        )
        return
    for near in seen.in_the_way:
        where = "beneath" if near.beneath else "beside"
        print(f"  {near.ref}: {near.what}, {near.apart_mm:.1f} mm {where}; {near.do}")
    for said in seen.advice:
        print(f"  ! {said.about}: {said.sentence}")
    for one in ways:
        if not one.possible:
            print(f"not {one.way}: {one.why_not}")
            continue
        liquid = (
            ""
            if one.all_liquid_s is None
            else f", {'hands need' if one.at_least else 'all liquid at'} {one.all_liquid_s:.0f} s"
        )
        loose = f", loose: {', '.join(one.loose)}" if one.loose else ""
        print(
            f"{one.way}: {100 * one.odds:.0f} %, {one.minutes:.0f} min{liquid}{loose}; {one.settings}"
        )


def _lift(given: argparse.Namespace, read: ReadFile, print_json: PrintJson) -> None:
    from yellowfen.core.heat.doubt import Doubts, sureness
    from yellowfen.core.heat.rehearsal import rehearse
    from yellowfen.core.rework.lift import lift_window
    from yellowfen.errors import InvalidValue
    from yellowfen.formats.rehearsal_file import RehearsalIn, read_file, to_scene
    from yellowfen.formats.rework_file import along_json, lift_json

    asked = read_file(read(given.file), RehearsalIn)
    if asked.goal != "lift":
        raise InvalidValue("goal", 'this file solders; write "goal": "lift" to take parts off')
    scene = to_scene(asked)
    seen = rehearse(scene)
    window = lift_window(scene, seen, sureness(scene, Doubts(), seen))
    if given.json:
        print_json({"window": lift_json(window), "comes_along": along_json(window)})
        return
    print(window.sentence)
    print(f"last: pin {window.last_pin} of {window.last_ref}, {window.last_why}")
    for one in window.comes_along:
        print(
            f"comes along: {one.ref} in {100 * one.share:.0f} %{', and falls' if one.falls else ''}"
        )


def _pads(given: argparse.Namespace, read_board: ReadBoard, print_json: PrintJson) -> None:
    from yellowfen.core.heat.heat_plan import HeatPlan
    from yellowfen.core.rework.pads import Want
    from yellowfen.core.rework.survey import Answers, Solder
    from yellowfen.core.rework.ways_off import OffWay
    from yellowfen.formats.rework_file import pads_json
    from yellowfen.workflows.rework import USUAL_IRONS, pads_planned

    way = _one_of(OffWay, given.after, "after") if given.after else ""
    asked = Answers(
        solder=_one_of(Solder, given.solder, "solder"),
        way=way,
        wick_width_mm=given.wick,
        want=_one_of(Want, given.want, "want"),
    )
    plan = pads_planned(read_board(given), HeatPlan(), given.of, asked, USUAL_IRONS[0])
    if given.json:
        print_json({"of": given.of} | pads_json(plan))
        return
    for pad in plan.pads:
        does = f"{pad.wick_mm:.2f} mm of wick" if pad.wick_mm else f"{pad.wire_mm:.1f} mm of wire"
        seconds = "not by this tip" if pad.seconds is None else f"{pad.seconds:.1f} s"
        print(
            f"pin {pad.pin:>4}: {pad.left_mm3:.3f} mm³ left, {does}, {seconds}{'; ' + pad.says if pad.says else ''}"
        )
    print(f"{plan.wick_mm:.0f} mm of {plan.wick_width_mm:g} mm wick, {plan.ends} fresh ends")
    for said in plan.must:
        print(f"! {said}")
