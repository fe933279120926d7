"""The commands of looking and measuring: where to look, what to measure, what a picture shows."""

import argparse
from pathlib import Path

from yellowfen.commands.given import (
    board_named,
    print_json,
    read_bytes,
)
from yellowfen.core.look.meter_plan import meter_plan
from yellowfen.core.quantity.units import MICRONS, MM, with_unit
from yellowfen.workflows.jobs import parts_named
from yellowfen.workflows.look import look_state
from yellowfen.workflows.measuring import measured, pins_read
from yellowfen.workflows.opening import open_database


def run_look(given: argparse.Namespace) -> None:
    state = look_state(open_database(given.data), given.job)
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


def run_test_plan(given: argparse.Namespace) -> None:
    board = board_named(given)
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
    print(f"{len(plan.probes)} probes; {len(plan.unproved)} joints not provable by meter")


def run_measure(given: argparse.Namespace) -> None:
    board = board_named(given)
    pins = pins_read(read_bytes(given.clicks), given.clicks, board, given.side)
    answer = measured(
        board,
        read_bytes(given.picture),
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
    print(
        f"{with_unit(fit['um_px'], MICRONS, 1)} a pixel, within {with_unit(fit['error_um'], MICRONS, 0)}, by {fit['by']}"
    )
    for part in answer["parts"]:
        print(
            f"{part['ref']}: {part['dx_mm']:+.3f} {with_unit(part['dy_mm'], MM, '+.3f')}, {part['turn_deg']:+.2f}°"
        )
        for joint in part["joints"]:
            print(
                f"  {joint['pin']:>4} {with_unit(joint['side_mm'], MM, 3)} over the side {joint['verdict']}"
            )
    if answer["print"]:
        print(answer["print"]["says"])
    for one in answer["look_again"]:
        print(f"inspect again {one['says']}")
