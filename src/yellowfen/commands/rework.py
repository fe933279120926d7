"""The commands of rework: survey and ways off, a lift, the work at pads."""

import argparse
import sys
from typing import Any

from yellowfen.commands.given import (
    board_named,
    print_json,
    read_bytes,
)
from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.heat.heat_plan import HeatPlan
from yellowfen.core.heat.rehearsal import rehearse
from yellowfen.core.heat.source import HotAir, HotPlate, Preheater
from yellowfen.core.heat.sureness import sureness
from yellowfen.core.quantity.units import MINUTES, MM, SECONDS, with_unit
from yellowfen.core.rework.lift import lift_window
from yellowfen.core.rework.pads import Want
from yellowfen.core.rework.survey import Answers, Solder, survey
from yellowfen.core.rework.ways_off import Matters, OffBench, OffWay, WayOff, best_first
from yellowfen.errors import InvalidValue
from yellowfen.formats.rehearsal_file import RehearsalIn, read_file, to_scene
from yellowfen.formats.rework_file import along_json, lift_json, pads_json, survey_json, way_json
from yellowfen.workflows.rework import USUAL_IRONS, pads_planned, weighed


def run_survey(given: argparse.Namespace) -> None:
    asked = Answers(
        matters=_one_of(Matters, given.matters, "matters"),
        solder=_one_of(Solder, given.solder, "solder"),
        jets=given.jets,
    )
    board = board_named(given)
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
        print(f"  {near.ref}: {near.what}, {with_unit(near.apart_mm, MM, 1)} {where}; {near.do}")
    for said in seen.advice:
        print(f"  ! {said.about}: {said.sentence}")
    for way in ways:
        print(_way_said(way))


def _way_said(way: WayOff) -> str:
    """A way off in one line."""
    if not way.possible:
        return f"not {way.way}: {way.why_not}"
    word = "by hand" if way.at_least else "all molten at"
    liquid = (
        "" if way.all_liquid_s is None else f", {word} {with_unit(way.all_liquid_s, SECONDS, 0)}"
    )
    loose = f", loose: {', '.join(way.loose)}" if way.loose else ""
    return f"{way.way}: {100 * way.odds:.0f} %, {with_unit(way.minutes, MINUTES, 0)}{liquid}{loose}; {way.settings}"


def run_lift(given: argparse.Namespace) -> None:
    """When a part may be lifted. Raises InvalidValue for a file that solders."""
    asked = read_file(read_bytes(given.file), RehearsalIn)
    if asked.goal != "lift":
        raise InvalidValue("goal", 'this file solders; write "goal": "lift" to remove parts')
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
            f"loosens too: {one.ref} in {100 * one.share:.0f} %{', and falls' if one.falls else ''}"
        )


def run_pads(given: argparse.Namespace) -> None:
    way = _one_of(OffWay, given.after, "after") if given.after else ""
    asked = Answers(
        solder=_one_of(Solder, given.solder, "solder"),
        way=way,
        wick_width_mm=given.wick,
        want=_one_of(Want, given.want, "want"),
    )
    plan = pads_planned(board_named(given), HeatPlan(), given.of, asked, USUAL_IRONS[0])
    if given.json:
        print_json({"of": given.of} | pads_json(plan))
        return
    for pad in plan.pads:
        does = (
            f"{with_unit(pad.wick_mm, MM, 2)} of solder wick"
            if pad.wick_mm
            else f"{with_unit(pad.wire_mm, MM, 1)} of wire"
        )
        seconds = (
            "not by this tip" if pad.seconds is None else f"{with_unit(pad.seconds, SECONDS, 1)}"
        )
        print(
            f"pin {pad.pin:>4}: {pad.left_mm3:.3f} mm³ left, {does}, {seconds}{'; ' + pad.says if pad.says else ''}"
        )
    print(
        f"{with_unit(plan.wick_mm, MM, 0)} of {with_unit(plan.wick_width_mm, MM)} wick, {plan.ends} fresh ends"
    )
    for said in plan.must:
        print(f"! {said}")


def _one_of(kind: Any, text: str, field: str) -> Any:
    """The member of an enumeration by its word; a sentence that lists them where there is none."""
    if text not in set(kind):
        raise InvalidValue(field, f"{text[:40]!r} is none of {', '.join(kind)}")
    return kind(text)
