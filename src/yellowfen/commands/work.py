"""The commands of a board and a job: triage, paste, plan, order."""

import argparse
import time
from typing import Any

from yellowfen.commands.given import (
    board_named,
    print_json,
)
from yellowfen.core.deposit.judge import judge
from yellowfen.core.metal.paste import paste_named
from yellowfen.core.quantity.units import MG, MINUTES, MM, with_unit
from yellowfen.core.work.advice import advise
from yellowfen.core.work.order import placement_order
from yellowfen.core.work.schedule import Schedule
from yellowfen.core.work.technique import PartWay
from yellowfen.core.work.triage import Triaged, triage
from yellowfen.workflows import ready
from yellowfen.workflows.opening import open_database


def run_triage(given: argparse.Namespace) -> None:
    board = board_named(given)
    judged, changes = triage(board), advise(board)
    if given.json:
        answer = {
            "board": board.name,
            "parts": [_triaged(part) for part in judged],
            "advice": [
                {
                    "kind": change.kind,
                    "title": change.title,
                    "sentence": change.sentence,
                    "refs": change.refs,
                    "saves_min": round(change.saves_min, 2),
                }
                for change in changes
            ],
        }
        print_json(answer)
        return
    for part in judged:
        flags = ", ".join(flag.word for flag in part.flags)
        print(f"{part.grade:5} {part.part.ref:8} {part.part.package.name:24} {flags}")
    for change in changes:
        print(f"{with_unit(change.saves_min, MINUTES, '6.1f')}  {change.title}: {change.sentence}")


def _triaged(part: Triaged) -> dict[str, Any]:
    return {
        "ref": part.part.ref,
        "package": part.part.package.name,
        "side": part.part.side,
        "grade": part.grade,
        "weight": round(part.weight, 2),
        "mass_mg": round(part.mass_mg, 2),
        "pitch_mm": part.pitch_mm,
        "nearest": part.nearest,
        "nearest_mm": part.nearest_mm,
        "flags": [
            {
                "kind": str(flag.kind),
                "word": flag.word,
                "reason": flag.sentence,
                "weight": flag.weight,
                "mark": str(flag.mark),
            }
            for flag in part.flags
        ],
    }


def run_paste(given: argparse.Namespace) -> None:
    judged = judge(board_named(given), given.foil, paste_named(given.paste), given.factor)
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
        print_json(
            {"foil_mm": given.foil, "paste": given.paste, "openings": openings, "totals": totals}
        )
        return
    for one in judged.openings:
        if one.warnings or one.verdict in ("starved", "excess"):
            print(
                f"{one.ref:6} {one.pin:4} {one.verdict:5} area ratio {one.release.area_ratio:.2f}  {'; '.join(one.warnings)}"
            )
    print(
        f"{totals['openings']} openings, {with_unit(judged.paste_mg, MG, 0)} of paste, {judged.solder_mm3:.1f} mm³ of solder; {judged.failing} fail, {judged.bridging} bridge"
    )


def run_plan(given: argparse.Namespace) -> None:
    connection = open_database(given.data)
    state = ready.ready_state(connection, given.job)
    orders = {side: ready.order_of(connection, state, side) for side in ("top", "bottom")}
    found = ready.timed(connection, state, time.time()).found
    if given.json:
        print_json(
            {
                "job": state.paste.job.name,
                "boards": state.plan.boards,
                "stencil": state.techniques.stencil,
                "stencil_why": state.techniques.stencil_why,
                "minutes": round(ready.estimate_of(connection, state).middle_min, 1),
                "mends": round(state.techniques.mends, 2),
                "techniques": [_way(way) for way in state.ways],
                "sides": {
                    "first": state.sides.first,
                    "second": state.sides.second,
                    "why": state.sides.why,
                    "falls": [part.ref for part in state.sides.falls],
                },
                "order": {side: _ordered(order) for side, order in orders.items()},
                **_timed(found),
            }
        )
        return
    stencil = "with" if state.techniques.stencil else "without"
    print(f"{state.paste.job.name}: {stencil} a stencil; {state.techniques.stencil_why}")
    for way in state.ways:
        print(f"  {way.part.ref:8} {way.chosen.way:22} {way.why}")
    for side, order in orders.items():
        print(f"{side}: {' '.join(step.ref for step in order.steps) or 'nothing placed on paste'}")
    print(
        f"{with_unit(found.hands_min, MINUTES, 0)} by hand, {(found.end_s - found.start_s) / 60:.0f} in all"
    )


def _way(way: PartWay) -> dict[str, Any]:
    return {
        "ref": way.part.ref,
        "package": way.part.package.name,
        "way": str(way.chosen.way),
        "why": way.why,
        "minutes": round(way.chosen.minutes, 2),
        "odds": way.chosen.odds,
        "runner_up": str(way.runner_up.way) if way.runner_up else None,
        "tip": way.card.tip,
        "iron_c": way.card.iron_c,
        "wire_mm": way.card.wire_mm and round(way.card.wire_mm, 2),
        "cautions": way.card.cautions,
    }


def _timed(found: Schedule) -> dict[str, Any]:
    return {
        "schedule": [
            {
                "task": planned.task.name,
                "start_s": round(planned.start_s),
                "end_s": round(planned.end_s),
                "hands": not planned.task.passive,
                "done": planned.done,
            }
            for planned in found.tasks
        ],
        "goes_off": [
            {"at_s": round(warning.at_s), "sentence": warning.sentence}
            for warning in found.warnings
        ],
    }


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


def run_order(given: argparse.Namespace) -> None:
    board = board_named(given)
    order = placement_order(board, given.side, given.school)
    if given.json:
        print_json(
            {"board": board.name, "side": given.side, "school": given.school} | _ordered(order)
        )
        return
    for one in order.steps:
        if one.turned:
            print(f"board turned by {one.turn_deg:g} degrees:")
        print(f"  {one.ref}")
    takes, plain = order.takes, order.plain
    print(
        f"{takes.turns} turns, {takes.values} values, {with_unit(takes.travel_mm, MM, 0)}, {with_unit(takes.minutes, MINUTES, 0)} (as in the bill: {plain.turns}, {plain.values}, {with_unit(plain.travel_mm, MM, 0)}, {with_unit(plain.minutes, MINUTES, 0)})"
    )
