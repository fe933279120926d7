"""Rework and salvage: survey, ways off, lift, pads, parts that came off, refit, attempts."""

import json
import sqlite3
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import uuid4

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.board.remembered import remembered
from yellowfen.core.heat.heat_plan import Goal, HeatPlan, SourceKind, usual_moves
from yellowfen.core.heat.iron import melts_after_s
from yellowfen.core.heat.outcome import heating_moves
from yellowfen.core.heat.pad_copper import Tie
from yellowfen.core.heat.scene import Scene
from yellowfen.core.heat.source import HotAir, HotPlate, Iron, Preheater, TipShape
from yellowfen.core.heat.sureness import SAMPLES, sureness
from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.metal.mixing import reactions
from yellowfen.core.part.catalogue import find_package
from yellowfen.core.part.package import JointKind, tip_reaches, with_lands
from yellowfen.core.rework.flood import BEAD_MM2
from yellowfen.core.rework.legs import Fitness, Passport, finish_of, fitness
from yellowfen.core.rework.lift import LiftWindow, lift_window
from yellowfen.core.rework.pads import PadsPlan, Want, pads_plan
from yellowfen.core.rework.plate_salvage import Harvest, harvest_of
from yellowfen.core.rework.removal_steps import BY_HAND, removal_run
from yellowfen.core.rework.survey import Age, Answers, Solder, Survey, survey, to_shield
from yellowfen.core.rework.ways_off import (
    Matters,
    OffBench,
    OffWay,
    WayOff,
    expected_min,
    ways_off,
)
from yellowfen.core.run.did import Did
from yellowfen.core.run.heat import HEAT
from yellowfen.core.run.iron import IRON, IronPlan
from yellowfen.core.run.machine import Tap
from yellowfen.core.run.pad_heats import by_part
from yellowfen.core.run.pads import PadsRun, PadStep
from yellowfen.core.run.removal import RemovalRun
from yellowfen.core.run.run import BenchRun
from yellowfen.core.work.board_scene import scene_as_laid, scene_of, with_drawn_copper
from yellowfen.core.work.job import Heat, Job, Piece, Purpose
from yellowfen.core.work.schools import Schools
from yellowfen.errors import InvalidValue, NotFound, Refused
from yellowfen.formats.rework_file import way_json
from yellowfen.store import bench_runs, boards, jobs, paste, stations, tasks, tools
from yellowfen.store import ready as ready_stored
from yellowfen.store import rework as stored
from yellowfen.store.database import atomic, may_write
from yellowfen.store.packing import pack, unpack
from yellowfen.workflows.heat import rehearse_job, sureness_of
from yellowfen.workflows.iron_answers import Question, QuestionKind, answer_to
from yellowfen.workflows.ledger import board_runs, ledger_now, ledger_of_piece
from yellowfen.workflows.long_work import OFF
from yellowfen.workflows.paste import paste_state

USUAL_IRONS = (Iron(tip_mm=2.4, set_c=370.0, shape=TipShape.BEVEL), Iron(tip_mm=1.6, set_c=370.0))


def answers_of(connection: sqlite3.Connection, job: Job, ref: str = "") -> Answers:
    """What was answered for the job's board on the bench, as it holds for a part where one is
    named; the usual doubts where nothing was.
    """
    found = stored.answers(connection, job.id, job.piece_id) or usual_answers(connection, job)
    return found.about(ref) if ref else found


def keep_want(connection: sqlite3.Connection, job_id: int, ref: str, want: Want) -> None:
    """Keep what the refit wants on the pads of a part."""
    job = jobs.get(connection, job_id)
    before = answers_of(connection, job)
    keep_answers(connection, job_id, replace(before, wants={**before.wants, ref: want}))


def usual_answers(connection: sqlite3.Connection, job: Job) -> Answers:
    """What holds before anything was asked: what the refit wants on the pads by the school chosen,
    and of a board that was built here its solder and its age.
    """
    chosen = {
        **ready_stored.bench_schools(connection),
        **ready_stored.ready_plan_of(connection, job.id).schools,
    }
    level = Schools(chosen).of("pads").name == "level and add flux"
    found = Answers(want=Want.LEVEL if level else Want.BARE)
    built = [
        run
        for run in board_runs(connection, job, job.piece)
        if run.purpose is Purpose.BUILD and run.molten and isinstance(run.plan, HeatPlan)
    ]
    return _as_built(found, built[-1]) if built else found


FRESH_DAYS = 7


def _as_built(found: Answers, run: BenchRun) -> Answers:
    """The answers for a board that was built here: with which solder, how long ago."""
    alloy = run.planned(HeatPlan).alloy
    solder = Solder.LEADED if "Pb" in alloy else Solder.LEAD_FREE
    solder = Solder.BISMUTH if "Bi" in alloy else solder
    built = datetime.fromisoformat(run.started_at).replace(tzinfo=UTC)
    fresh = datetime.now(UTC) - built < timedelta(days=FRESH_DAYS)
    return replace(found, solder=solder, age=Age.FRESH if fresh else Age.SHELF)


def keep_answers(connection: sqlite3.Connection, job_id: int, content: Answers) -> Job:
    """Keep the answers; the heats that lift are planned for the alloy they mean. Returns the job."""
    job = jobs.get(connection, job_id)
    with atomic(connection):
        stored.keep_answers(connection, job.id, job.piece_id, content)
        tell_mixing(connection, job)
        for heat in job.heats:
            if heat.plan.lifts and heat.plan.alloy != content.alloy:
                changed = replace(heat.plan, alloy=content.alloy, board_alloy=content.alloy)
                jobs.keep_heat(connection, heat.id, changed)
    return jobs.get(connection, job_id)


def next_to_remove(connection: sqlite3.Connection, job: Job) -> str:
    """The first of the job's parts that is still to come off; its first where all are off."""
    parts = ledger_now(connection, job).parts
    left = [ref for ref in job.parts if ref in parts and parts[ref].off_job != job.id]
    return next(iter(left), next(iter(job.parts), ""))


def by_hand(connection: sqlite3.Connection, job: Job, ref: str) -> bool:
    """True for a part that comes off without a heat: leads cut, irons, removal alloy."""
    return bool(ref) and answers_of(connection, job, ref).way in BY_HAND


def at_the_lift(connection: sqlite3.Connection, job_id: int, ref: str = "") -> Job:
    """The job with a heat that lifts in hand, the one that lifts `ref` where there is one: the one
    that is, else its first, else a new one.
    """
    job = jobs.get(connection, job_id)
    lifts = [heat for heat in job.heats if heat.plan.lifts]
    place = next((heat for heat in lifts if ref in heat.plan.targets), None)
    if job.plan.lifts and place in (None, job.heat):
        return job
    place = place or next(iter(lifts), None)
    if not may_write(connection):
        shown = place or Heat(id=0, name="Removal", plan=lifting(job))
        return replace(job, heats=(*job.heats, shown), heat_id=shown.id)
    with atomic(connection):
        lift = place.id if place else jobs.add_heat(connection, job_id, "Removal", lifting(job))
        jobs.choose_heat(connection, job_id, lift)
    return jobs.get(connection, job_id)


def heats_of_parts(connection: sqlite3.Connection, job: Job) -> dict[str, int]:
    """How often each part of the board on the bench was heated already."""
    return by_part(ledger_now(connection, job).pads)


def survey_of(connection: sqlite3.Connection, job: Job, ref: str) -> Survey:
    """The survey round one part of the job's board."""
    board = boards.get(connection, job.board_id)
    return survey(board, ref, answers_of(connection, job), heats_of_parts(connection, job))


# ways off
def off_bench(connection: sqlite3.Connection, plan: HeatPlan, asked: Answers) -> OffBench:
    """What the bench has to take a part off with."""
    known = stations.rows(connection)
    contents = [tool.content for tool in tools.rows(connection)]
    nozzles = [station.air for station in known]
    long = tuple(
        (one.nozzle_mm, one.nozzle_long_mm) for one in nozzles if one.nozzle_long_mm is not None
    )
    air = (
        replace(plan.hot_air(), nozzle_long_mm=None)
        if known or plan.source is SourceKind.AIR
        else None
    )
    return OffBench(
        air=air,
        nozzles_mm=tuple(
            sorted({one.narrow_mm for one in nozzles if one.nozzle_long_mm is None} | {4.0})
        ),
        long_nozzles_mm=tuple(dict.fromkeys(long)),
        jets=asked.jets,
        preheater=next((one for one in contents if isinstance(one, Preheater)), None),
        plates=tuple(one for one in contents if isinstance(one, HotPlate)),
        irons=tuple(one for one in contents if isinstance(one, Iron)) or USUAL_IRONS[:1],
        removal_alloy=asked.removal_alloy,
        removal_parts=asked.removal_parts,
    )


def off_scene(
    board: Board, plan: HeatPlan, ref: str, alloy: str, shields: tuple[str, ...] = ()
) -> Scene:
    """The scene in which a part comes off, its side up, with `shields` over parts, copper as drawn
    where it is known.

    Raises InvalidValue for a part that is not there.
    """
    part = next((one for one in board.parts if one.ref == ref), None)
    if part is None:
        raise InvalidValue("off", f"there is no part {ref[:40]!r} on this board")
    here = replace(
        plan,
        targets=(ref,),
        side=part.side,
        moves=usual_moves((ref,)),
        alloy=alloy,
        board_alloy=alloy,
        source=SourceKind.AIR,
        shields=shields,
        absent=(),
        bare_below=False,
    )
    scene = scene_as_laid(board, here)
    if ref not in {one.ref for one in scene.parts}:
        raise InvalidValue("off", f"{ref} is not known well enough to be heated; name its package")
    return with_drawn_copper(scene, board, part.side)


def weighed(
    board: Board, plan: HeatPlan, ref: str, asked: Answers, bench: OffBench
) -> Iterator[tuple[WayOff, HeatPlan | None]]:
    """Each way off as it is found, with the heat that it means (None: no heat of the model's)."""
    shields = to_shield(survey(board, ref, asked, {}))
    scene = off_scene(board, plan, ref, asked.alloy, shields)
    for way in ways_off(scene, ref, bench, asked.matters):
        heat = _as_heat(plan, way, ref, board.part(ref).side, asked.alloy)
        yield (
            way,
            heat and replace(heat, shields=() if heat.source is SourceKind.PLATE else shields),
        )


def _as_heat(plan: HeatPlan, way: WayOff, ref: str, side: str, alloy: str) -> HeatPlan | None:
    """The heat plan that a way off by air or plate means."""
    if way.scene is None or not way.possible:
        return None
    same = replace(
        plan,
        targets=(ref,),
        side=side,
        goal=Goal.LIFT,
        alloy=alloy,
        board_alloy=alloy,
        shields=(),
        absent=(),
    )
    source, moves = way.scene.source, way.scene.moves
    if isinstance(source, HotPlate):
        lasts = float(round((way.all_liquid_s or 60.0) + 20.0))
        moves = (replace(heating_moves(way.scene)[0], seconds=lasts), usual_moves(())[-1])
        return replace(same, source=SourceKind.PLATE, plate=source, moves=moves, preheater=None)
    if not isinstance(source, HotAir):
        return None
    warm, close, away = moves
    stays = max(round((way.all_liquid_s or 40.0) - warm.seconds) + 10.0, 5.0)
    return replace(
        same,
        source=SourceKind.AIR,
        air=replace(source, outlet_c=source.outlet_c - plan.outlet_offset_c),
        preheater=way.scene.preheater,
        moves=(warm, replace(close, seconds=float(stays)), away),
    )


def asked_ways(connection: sqlite3.Connection, job: Job, ref: str) -> str:
    """What a weighing of ways is asked for, as it is stored. Raises InvalidValue for a part that is
    not on the board.
    """
    asked = answers_of(connection, job)
    board = boards.get(connection, job.board_id)
    off_scene(board, job.plan, ref, asked.alloy)
    plan = _off_heat_plan(job)
    return json.dumps(
        {
            "ref": ref,
            "plan": json.loads(pack(plan)),
            "answers": json.loads(pack(replace(asked, way="", ways={}, wants={}))),
        }
    )


def _off_heat_plan(job: Job) -> HeatPlan:
    """The plan of the job's lifting heat, or of the one in hand."""
    return next((heat.plan for heat in job.heats if heat.plan.lifts), job.plan)


def way_steps(connection: sqlite3.Connection, job: Job, asked: str) -> Iterator[str]:
    """Each way as a stored step: its figures, and the heat it means."""
    given = json.loads(asked)
    plan = unpack(HeatPlan, json.dumps(given["plan"]))
    answers = unpack(Answers, json.dumps(given["answers"]))
    board = boards.get(connection, job.board_id)
    bench = off_bench(connection, plan, answers)
    heated: dict[OffWay, tuple[WayOff, HeatPlan]] = {}
    for way, heat in weighed(board, plan, given["ref"], answers, bench):
        kept = None if heat is None else json.loads(pack(heat))
        yield json.dumps(way_json(way) | {"plan": kept})
        heated.pop(way.way, None)
        if heat is not None and way.way is not OffWay.JETS:  # no heat of ours blows four slits
            heated[way.way] = way, heat
    for way, heat in heated.values():
        window = _window_of(connection, job, heat, answers.matters)
        sure = replace(way, odds=way.odds * window.share)
        says = window.sentence if window.share < SURE_SHARE else ""
        kept = json.loads(pack(heat))
        yield json.dumps(way_json(sure) | {"plan": kept, "share": window.share, "lift_says": says})


SURE_SHARE = 0.95  # from here on Survey need not say what Lift will


def _window_of(
    connection: sqlite3.Connection, job: Job, plan: HeatPlan, matters: Matters
) -> LiftWindow:
    """When a plan's part may be lifted, as Lift will say once it is taken."""
    here = job.with_plan(plan)
    done = rehearse_job(connection, here)
    scene = scene_of(boards.get(connection, job.board_id), plan)
    sure = sureness(scene, done.doubts, done.rehearsal, SAMPLES)
    return lift_window(done.scene, done.rehearsal, sure, matters)


def ways_seen(steps: list[str]) -> list[dict[str, Any]]:
    """The ways of a weighing as far as it is, best first; a later answer replaces an earlier one."""
    found = {
        one["way"]: {"at_least": False, "share": 1.0, "lift_says": ""} | one
        for one in map(json.loads, steps)
    }
    return sorted(
        found.values(),
        key=lambda one: (not one["possible"], expected_min(one["minutes"], one["odds"])),
    )


def take_way(
    connection: sqlite3.Connection, job_id: int, ref: str, way: str, heat: dict[str, Any] | None
) -> None:
    """Choose a way off for a part; one that heats is put into a lifting heat of its own, a plate's
    into that of all the job's parts on the same face. What is left on the pads is known to Mixing.
    """
    job = jobs.get(connection, job_id)
    before = answers_of(connection, job)
    chosen = replace(before, way=way, ways={**before.ways, ref: way})
    with atomic(connection):
        stored.keep_answers(connection, job.id, job.piece_id, chosen)
        tell_mixing(connection, job)
        if heat is None:
            _without(connection, job, (ref,))
            return
        plan = unpack(HeatPlan, json.dumps(heat))
        if plan.source is SourceKind.PLATE:
            mine = (one.id for one in tools.rows(connection) if one.content == plan.plate)
            plan = replace(_for_all(connection, job, plan, chosen.part_s), tool_id=next(mine, None))
        jobs.choose_heat(connection, job.id, _heat_for(connection, job, ref, plan))


def is_taken(
    connection: sqlite3.Connection, job: Job, ref: str, way: str, heat: dict[str, Any] | None
) -> bool:
    """True for the way that was taken for a part; of one that heats only while the job's heat that
    lifts the part is set as it means.
    """
    if answers_of(connection, job, ref).way != way:
        return False
    if heat is None:
        return True
    plan = unpack(HeatPlan, json.dumps(heat))
    mine = (one.plan for one in job.heats if one.plan.lifts and ref in one.plan.targets)
    return any(_set_alike(plan, one) for one in mine)


def _set_alike(a: HeatPlan, b: HeatPlan) -> bool:
    """True for two heats of one source, set the same."""
    if a.source is not b.source:
        return False
    if a.source is SourceKind.PLATE:
        return a.plate == b.plate
    return (a.air, a.moves, set(a.shields)) == (b.air, b.moves, set(b.shields))


def _for_all(connection: sqlite3.Connection, job: Job, plan: HeatPlan, part_s: float) -> HeatPlan:
    """A plate's lift of all the job's parts on that face, long enough to take each off."""
    sides = {part.ref: part.side for part in boards.get(connection, job.board_id).parts}
    mine = tuple(ref for ref in job.parts if sides.get(ref) == plan.side) or plan.targets
    heat, *rest = plan.moves
    longer = replace(heat, seconds=heat.seconds + part_s * (len(mine) - 1))
    return replace(plan, targets=mine, moves=(longer, *rest))


def _heat_for(connection: sqlite3.Connection, job: Job, ref: str, plan: HeatPlan) -> int:
    """The job's heat that lifts just these parts, set as `plan`; one that lifted more keeps the
    others.
    """
    lifting_heats = [heat for heat in job.heats if heat.plan.lifts]
    same = next(
        (heat for heat in lifting_heats if set(heat.plan.targets) <= set(plan.targets)), None
    )
    if same is not None:
        jobs.keep_heat(connection, same.id, plan)
        return same.id
    _without(connection, job, plan.targets)
    return jobs.add_heat(connection, job.id, f"Remove {ref}"[:80], plan)


def _without(connection: sqlite3.Connection, job: Job, refs: Sequence[str]) -> None:
    """Take parts out of the heats that lift others as well; one that lifts only them goes, unless it
    is the job's last.
    """
    left = len(job.heats)
    for heat in job.heats:
        rest = tuple(one for one in heat.plan.targets if one not in refs)
        if not heat.plan.lifts or len(rest) == len(heat.plan.targets):
            continue
        if rest or left == 1:
            kept = replace(heat.plan, targets=rest, moves=usual_moves(rest))
            jobs.keep_heat(connection, heat.id, kept)
        else:
            jobs.remove_heat(connection, job.id, heat.id)
            left -= 1


def tell_mixing(connection: sqlite3.Connection, job: Job) -> None:
    """What of the old solder stays on the pads of the job's parts, as the Paste stage's Mixing has
    it: removal alloy until every part that came off by it has had its pads done.
    """
    ledger, asked = ledger_now(connection, job), answers_of(connection, job)
    parts = [ledger.parts[ref] for ref in job.parts if ref in ledger.parts]
    alloyed = [
        one
        for one in parts
        if ((one.off_job == job.id and one.came_off) or asked.way_of(one.ref)) == OffWay.REMOVAL
        and not (one.pads_done and one.off_job == job.id)
    ]
    if alloyed:
        left = "removal alloy"
    elif all(asked.about(one.ref).want is Want.BARE for one in parts):
        left = "nothing"
    else:
        left = {
            Solder.LEADED: "leaded solder",
            Solder.BISMUTH: "bismuth solder",
        }.get(asked.solder, "lead-free solder")
    plan = paste.paste_plan_of(connection, job.id)
    paste.keep_paste_plan(connection, job.id, replace(plan, left_over=left))


def lifting(job: Job) -> HeatPlan:
    """A heat that takes the job's parts off, like the one in hand."""
    board_side = job.plan.side
    targets = job.parts or job.plan.targets
    return replace(
        job.plan, goal=Goal.LIFT, side=board_side, targets=targets, moves=usual_moves(targets)
    )


# lift
def lift_of(connection: sqlite3.Connection, job: Job) -> LiftWindow | None:
    """When the targets of the heat in hand may be lifted; None for a heat that solders."""
    if not job.plan.lifts or not job.plan.targets:
        return None
    sure = sureness_of(connection, job)
    done = rehearse_job(connection, job)
    return lift_window(done.scene, done.rehearsal, sure, answers_of(connection, job).matters)


def harvest_in(connection: sqlite3.Connection, job: Job) -> Harvest | None:
    """What comes off in one heating of a plate that lifts several parts; None for another heat."""
    if not job.plan.lifts or job.plan.source is not SourceKind.PLATE or len(job.plan.targets) < 2:
        return None
    done = rehearse_job(connection, job)
    return harvest_of(done.scene, done.rehearsal, answers_of(connection, job).part_s)


def removal_of(connection: sqlite3.Connection, job: Job, ref: str) -> RemovalRun:
    """The steps by which a part comes off by hand. Raises Refused where its way is a heat, or none
    is chosen.
    """
    way = answers_of(connection, job, ref).way
    if way not in BY_HAND:
        raise Refused(f"choose in Survey how to remove {ref}: {', '.join(sorted(BY_HAND))}")
    return removal_run(ref, OffWay(way), _settings(connection, job, ref, way))


def _settings(connection: sqlite3.Connection, job: Job, ref: str, way: str) -> str:
    """What the survey says of a way, where it was weighed."""
    task = tasks.latest(connection, job.id, OFF)
    if task is None or task.asked != asked_ways(connection, job, ref):
        return ""
    return next((one["settings"] for one in ways_seen(list(task.steps)) if one["way"] == way), "")


# pads
def pads_of(connection: sqlite3.Connection, job: Job, ref: str) -> PadsPlan:
    """The work at a part's pads, by the way it came off and what the refit wants.

    Raises InvalidValue for a part that is not on the board or has no pads.
    """
    board = boards.get(connection, job.board_id)
    asked = _as_it_came_off(connection, job, ref)
    kept = answer_to(connection, job.id, Question(what=QuestionKind.PADS, ref=ref))
    known = None if kept is None else json.loads(kept)
    return pads_planned(
        board,
        job.plan,
        ref,
        asked=asked,
        iron=_widest(connection),
        known=known,
        printed_mm3=_printed_mm3(connection, job, ref),
    )


def _as_it_came_off(connection: sqlite3.Connection, job: Job, ref: str) -> Answers:
    """The answers for a part, the way it came off in place of the one that was chosen."""
    asked = answers_of(connection, job, ref)
    part = ledger_now(connection, job).parts.get(ref)
    off = part is not None and part.off_job == job.id and part.came_off in set(OffWay)
    return replace(asked, way=part.came_off) if part and off else asked


def _printed_mm3(connection: sqlite3.Connection, job: Job, ref: str) -> dict[str, float]:
    """Solder that the job's stencil prints on a part's pads, by pin; empty where it has no openings."""
    judged = paste_state(connection, job.id).judged
    return {one.pin: one.pad_solder_mm3 for one in judged.openings if one.ref == ref}


def pads_known(connection: sqlite3.Connection, job: Job, ref: str) -> bool:
    """False while the worker has still to find how soon a part's pads melt under the iron."""
    return answer_to(connection, job.id, Question(what=QuestionKind.PADS, ref=ref)) is not None


def _widest(connection: sqlite3.Connection) -> Iron:
    irons = [tool.content for tool in tools.rows(connection) if isinstance(tool.content, Iron)]
    return max(irons or USUAL_IRONS, key=lambda one: one.tip_mm)


def melts_by_tie(connection: sqlite3.Connection, job: Job, ref: str) -> dict[str, float | None]:
    """Seconds until bare pads of a part melt solder under the bench's widest iron, for the ties
    that it has; None: not within a touch (a second or so of work for each).

    Raises InvalidValue for a part that is not on the board or has no pads.
    """
    board, asked = boards.get(connection, job.board_id), _as_it_came_off(connection, job, ref)
    found: dict[str, float | None] = {}
    pads_planned(board, job.plan, ref, asked=asked, iron=_widest(connection), known=found)
    return found


def pads_planned(
    board: Board,
    plan: HeatPlan,
    ref: str,
    asked: Answers,
    iron: Iron,
    known: dict[str, float | None] | None = None,
    printed_mm3: dict[str, float] | None = None,
) -> PadsPlan:
    """The same on a board with a plan. Of the ties that are `known` the seconds are taken from
    there; what is found of others is put there.
    """
    known = {} if known is None else known
    scene = off_scene(board, plan, ref, asked.alloy)
    package = scene.part(ref).package
    way = OffWay(asked.way) if asked.way else OffWay.AIR
    flooded = way in (OffWay.TWO_IRONS, OffWay.REMOVAL)
    pitch = package.pitch_mm if len(package.lands) > 2 else 0.0
    hot = replace(iron, set_c=380.0)

    def touches_s(tie: str) -> float | None:
        if tie not in known:
            known[tie] = _melts_s(board, plan, ref, alloy=asked.alloy, iron=hot, tie=tie)
        return known[tie]

    return pads_plan(
        ref,
        package,
        board.pads,
        way,
        asked.want,
        alloy=alloy_named(asked.alloy),
        iron=hot,
        touches_s=touches_s,
        wick_width_mm=asked.wick_width_mm,
        wick_takes=asked.wick_takes,
        beads_mm3=BEAD_MM2 * pitch if flooded else 0.0,
        printed_mm3=printed_mm3,
    )


@remembered(most=48)
def _melts_s(
    board: Board, plan: HeatPlan, ref: str, alloy: str, iron: Iron, tie: str
) -> float | None:
    """Seconds until a bare pad of that tie melts solder under the iron, by the iron's model. Once
    the part is off a tip reaches every pad.
    """
    scene = off_scene(board, plan, ref, alloy)
    package = scene.part(ref).package
    lands = [land for land in package.lands if tip_reaches(package, land)]
    if not lands:
        lands = [replace(land, kind=JointKind.LEADLESS) for land in package.lands]
        bare = with_lands(package, tuple(lands))
        parts = tuple(replace(one, package=bare) if one.ref == ref else one for one in scene.parts)
        scene = replace(scene, parts=parts)
    land = sorted(lands, key=lambda one: one.area_mm2)[len(lands) // 2]
    names = {"signal": Tie.SIGNAL, "relief": Tie.RELIEF, "plane": Tie.PLANE}
    return melts_after_s(scene, iron, ref, land.pin, names[tie])


def start_pads(connection: sqlite3.Connection, job_id: int, ref: str) -> int:
    """Open the bench's run over a part's pads; returns its id."""
    job = jobs.get(connection, job_id)
    plan = pads_of(connection, job, ref)
    steps = tuple(
        PadStep(
            pin=pad.pin,
            wick_mm=pad.wick_mm,
            wire_mm=pad.wire_mm,
            seconds=pad.seconds,
            longest_s=pad.longest_s,
            says=pad.says,
        )
        for pad in plan.pads
    )
    run = PadsRun(
        ref=ref,
        steps=steps,
        must=plan.must,
        wick_width_mm=plan.wick_width_mm,
        want=str(plan.want),
    )
    side = boards.get(connection, job.board_id).part(ref).side
    return bench_runs.add(connection, job_id, run, side=side)


# parts that came off
@dataclass(frozen=True, kw_only=True)
class Salvaged:
    """A part in a bag with its fitness."""

    kept: stored.KeptPassport
    fitness: Fitness


def mixes(connection: sqlite3.Connection, job_id: int, one: Salvaged) -> str:
    """What minds a salvaged part's legs in a job's solder, on its pads, in a sentence; "" nothing."""
    state = paste_state(connection, job_id)
    finish = finish_of(one.kept.passport, find_package(one.kept.passport.package))
    plan = state.plan
    found = reactions(state.paste.alloy, plan.pad_finish, finish, plan.left_over)
    if not found or found[0].weight < 2:
        return ""
    return f"its leads are {finish}: {found[0].title[:1].lower()}{found[0].title[1:]}; {found[0].remedy}"


def salvaged(connection: sqlite3.Connection, job_id: int | None = None) -> list[Salvaged]:
    """Parts that came off, of a job or of all, with whether each may be used again."""
    kept = stored.passports(connection, job_id)
    lifted = {
        run.id: run.lifted
        for run in bench_runs.by_id(connection, [one.run_id for one in kept if one.run_id])
    }
    found = []
    for one in kept:
        if one.run_id is not None and one.passport.ref not in lifted.get(one.run_id, ()):
            continue  # its removal was taken back
        package = find_package(one.passport.package)
        found.append(Salvaged(kept=one, fitness=fitness(one.passport, package)))
    return found


def write_passports(connection: sqlite3.Connection, job_id: int) -> int:
    """A passport for every part that the job's lifts took off and that has none yet; returns how
    many were written.
    """
    job = jobs.get(connection, job_id)
    board = boards.get(connection, job.board_id)
    parts = {part.ref: part for part in board.parts}
    have = stored.written(connection, job_id)
    written = 0
    with atomic(connection):
        for piece in job.pieces or (None,):
            ledger = ledger_of_piece(connection, job, piece)
            runs = {run.id: run for run in board_runs(connection, job, piece)}
            heats = by_part(ledger.pads)
            for entry in ledger.entries:
                known = {(entry.ref, entry.run), (entry.ref, None)} & have
                if entry.did is not Did.REMOVED or entry.job != job_id or known:
                    continue
                run = runs[entry.run]
                made = _passport(connection, job, parts[entry.ref], run, piece)
                made = replace(made, heats=max(heats.get(entry.ref, 1), 1) + 1)
                stored.add_passport(connection, job_id, run.piece_id, made, run.id)
                have.add((entry.ref, run.id))
                written += 1
    return written


def _passport(
    connection: sqlite3.Connection, job: Job, part: BoardPart, run: BenchRun, piece: Piece | None
) -> Passport:
    """What is known of a part when it has just come off."""
    return Passport(
        ref=part.ref,
        package=part.package.name,
        value=part.value,
        donor=f"{job.board_name}{f', board {piece.name}' if piece else ''}"[:120],
        liquid_s=_liquid_s(run, part.ref) if run.taps and run.forecast else 2.0,
        limit_c=part.package.limit_c,
        alloy=answers_of(connection, job).alloy,
    )


def write_passport(connection: sqlite3.Connection, job_id: int, ref: str) -> int:
    """A passport for a part that came off without the bench's run; returns its id. Raises
    InvalidValue for a part that is not on the board.
    """
    job = jobs.get(connection, job_id)
    part = next((one for one in boards.get(connection, job.board_id).parts if one.ref == ref), None)
    if part is None:
        raise InvalidValue("ref", f"there is no part {ref[:40]!r} on this board")
    passport = Passport(
        ref=ref,
        package=part.package.name,
        value=part.value,
        donor=job.board_name[:120],
        heats=2,
        limit_c=part.package.limit_c,
        alloy=answers_of(connection, job).alloy,
    )
    with atomic(connection):
        run = note_removed(connection, job, ref)
        return stored.add_passport(connection, job_id, job.piece_id, passport, run)


def note_removed(connection: sqlite3.Connection, job: Job, ref: str) -> int:
    """Note that a part came off without the clock, by the way that was chosen for it; returns the
    record's id.
    """
    way = answers_of(connection, job, ref).way
    made = RemovalRun(ref=ref, way=way, melts=way != OffWay.CUT)
    side = boards.get(connection, job.board_id).part(ref).side
    now = int(time.time() * 1000)
    with atomic(connection):
        run = bench_runs.add(connection, job.id, made, side=side)
        done = Tap(key=uuid4().hex, cue=made.lifted_cue, word="done", at_ms=now)
        bench_runs.add_tap(connection, run, done)
        bench_runs.set_over(connection, run, True)
        tell_mixing(connection, job)
    return run


def check_passport(connection: sqlite3.Connection, job_id: int, passport_id: int) -> None:
    """Raises NotFound for a passport of another job."""
    if stored.get_passport(connection, passport_id).job_id != job_id:
        raise NotFound(f"this job has no part {passport_id} in its bags")


def _liquid_s(run: BenchRun, ref: str) -> float:
    """Seconds that a part's joints were liquid in its lift: from the forecast's flow to the tap."""
    at = run.flowed_s(ref)
    hoped = (
        next((one.flows_s for one in run.forecast.targets if one.ref == ref), None)
        if run.forecast
        else None
    )
    return max((at or 0.0) - (hoped if hoped is not None else at or 0.0), 2.0)


# attempts
@dataclass(frozen=True, kw_only=True)
class Attempt:
    """One try at a part on a board: when, what was done, how it was set, seconds, what was found;
    `changed` names what is otherwise than in the try before.
    """

    run_id: int
    at: str
    did: str
    set_to: str
    seconds: float | None
    found: str
    changed: tuple[str, ...]


def attempts(connection: sqlite3.Connection, job: Job, ref: str) -> list[Attempt]:
    """The tries at a part on the board in hand, oldest first."""
    found: list[Attempt] = []
    for run in board_runs(connection, job, job.piece):
        one = _attempt(run, ref)
        if one is not None:
            before = next((two for two in reversed(found) if two.did == one.did), None)
            found.append(replace(one, changed=_differs(before, one)))
    return found


def _attempt(run: BenchRun, ref: str) -> Attempt | None:
    """What a run tried at a part, None where it did nothing to it."""
    pads = isinstance(run.plan, PadsRun) and run.plan.ref == ref
    record = isinstance(run.plan, (IronPlan, RemovalRun)) and not run.script.cues
    if not (ref in run.targets or pads) or not (run.taps or record):
        return None
    marks = [
        f"{mark.pin or 'whole part'}: {mark.verdict}"
        for mark in run.marks
        if mark.ref == ref and str(mark.verdict) != "good"
    ]
    good = sum(mark.ref == ref and str(mark.verdict) == "good" for mark in run.marks)
    if pads:
        marks = [f"{cue}: {word}" for cue, word in run.state.aside.items()]
    said = ", ".join(marks[:4]) or (f"{good} joints good" if good else run.note[:60])
    did = (
        "pads cleaned"
        if pads
        else ("lifted" if ref in run.lifted else "not lifted")
        if run.lifting
        else "by iron"
        if run.kind is IRON
        else "heated on"
    )
    return Attempt(
        run_id=run.id,
        at=run.started_at,
        did=did,
        set_to=run.set_to,
        seconds=run.flowed_s(ref) if run.kind is HEAT else None,
        found=said,
        changed=(),
    )


def _differs(before: Attempt | None, now: Attempt) -> tuple[str, ...]:
    """Words of the setting that were otherwise in the try before."""
    if before is None:
        return ()
    old = {part.strip() for part in before.set_to.split(",")}
    return tuple(part.strip() for part in now.set_to.split(",") if part.strip() not in old)
