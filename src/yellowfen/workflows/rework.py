"""Rework and salvage: survey, ways off, lift, pads, parts that came off, refit, attempts."""

import json
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

from yellowfen.core.board.board import Board
from yellowfen.core.board.remembered import remembered
from yellowfen.core.heat.doubt import SAMPLES, sureness
from yellowfen.core.heat.heat_plan import Goal, HeatPlan, SourceKind, usual_moves
from yellowfen.core.heat.iron import melts_after_s
from yellowfen.core.heat.outcome import heating_moves
from yellowfen.core.heat.pad_copper import Tie
from yellowfen.core.heat.scene import HotAir, HotPlate, Iron, Preheater, Scene, TipShape
from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.metal.mixing import reactions
from yellowfen.core.part.catalogue import find_package
from yellowfen.core.part.package import JointKind, tip_reaches, with_lands
from yellowfen.core.rework.flood import BEAD_MM2
from yellowfen.core.rework.legs import Fitness, Passport, finish_of, fitness
from yellowfen.core.rework.lift import LiftWindow, lift_window
from yellowfen.core.rework.pads import PadsPlan, Want, pads_plan
from yellowfen.core.rework.plate_salvage import Harvest, harvest_of
from yellowfen.core.rework.survey import Answers, Solder, Survey, survey, to_shield
from yellowfen.core.rework.ways_off import (
    Matters,
    OffBench,
    OffWay,
    WayOff,
    expected_min,
    ways_off,
)
from yellowfen.core.work.bench_run import RunKind
from yellowfen.core.work.bench_scripts import PadsRun, PadStep
from yellowfen.core.work.board_scene import scene_as_laid, scene_of, with_drawn_copper
from yellowfen.core.work.job import Heat, Job
from yellowfen.core.work.pad_heats import by_part
from yellowfen.core.work.schools import Schools
from yellowfen.errors import InvalidValue, NotFound
from yellowfen.formats.rework_file import way_json
from yellowfen.store import bench_runs, boards, jobs, paste, stations, tools
from yellowfen.store import ready as ready_stored
from yellowfen.store import rework as stored
from yellowfen.store.database import atomic, may_write
from yellowfen.store.packing import pack, unpack
from yellowfen.workflows.heat import rehearse_job, sureness_of
from yellowfen.workflows.iron_answers import Question, QuestionKind, answer_to
from yellowfen.workflows.jobs import pads_of_runs
from yellowfen.workflows.paste import paste_state

USUAL_IRONS = (Iron(tip_mm=2.4, set_c=370.0, shape=TipShape.BEVEL), Iron(tip_mm=1.6, set_c=370.0))


def answers_of(connection: sqlite3.Connection, job: Job) -> Answers:
    """What was answered for the job's board in hand; the usual doubts where nothing was."""
    return stored.answers(connection, job.id, job.piece_id) or usual_answers(connection, job)


def usual_answers(connection: sqlite3.Connection, job: Job) -> Answers:
    """What holds before anything was asked: what the refit wants on the pads by the school chosen."""
    chosen = {
        **ready_stored.bench_schools(connection),
        **ready_stored.ready_plan_of(connection, job.id).schools,
    }
    level = Schools(chosen).of("pads").name == "level it and add flux"
    return Answers(want=Want.LEVEL if level else Want.BARE)


def keep_answers(connection: sqlite3.Connection, job_id: int, content: Answers) -> Job:
    """Keep the answers; the heats that lift are planned for the alloy they mean. Returns the job."""
    job = jobs.get(connection, job_id)
    with atomic(connection):
        stored.keep_answers(connection, job.id, job.piece_id, content)
        _tell_mixing(connection, job.id, content)
        for heat in job.heats:
            if heat.plan.lifts and heat.plan.alloy != content.alloy:
                changed = replace(heat.plan, alloy=content.alloy, board_alloy=content.alloy)
                jobs.keep_heat(connection, heat.id, changed)
    return jobs.get(connection, job_id)


def at_the_lift(connection: sqlite3.Connection, job_id: int) -> Job:
    """The job with a heat that lifts in hand: the one that is, else its first, else a new one."""
    job = jobs.get(connection, job_id)
    if job.plan.lifts:
        return job
    place = next((heat for heat in job.heats if heat.plan.lifts), None)
    if not may_write(connection):
        shown = place or Heat(id=0, name="Off", plan=lifting(job))
        return replace(job, heats=(*job.heats, shown), heat_id=shown.id)
    with atomic(connection):
        lift = place.id if place else jobs.add_heat(connection, job_id, "Off", lifting(job))
        jobs.choose_heat(connection, job_id, lift)
    return jobs.get(connection, job_id)


def heats_of_parts(connection: sqlite3.Connection, job: Job) -> dict[str, int]:
    """How often each part of the board in hand was heated already (of all alike: in this job)."""
    runs = (
        bench_runs.of_piece(connection, job.piece_id)
        if job.piece_id is not None
        else bench_runs.rows(connection, job_id=job.id)
    )
    return by_part(pads_of_runs(connection, runs))


def survey_of(connection: sqlite3.Connection, job: Job, ref: str) -> Survey:
    """The survey round one part of the job's board."""
    board = boards.get(connection, job.board_id)
    return survey(board, ref, answers_of(connection, job), heats_of_parts(connection, job))


# ways off
def off_bench(connection: sqlite3.Connection, plan: HeatPlan, asked: Answers) -> OffBench:
    """What the bench has to take a part off with."""
    known = stations.rows(connection)
    contents = [tool.content for tool in tools.rows(connection)]
    long = tuple(
        (one.nozzle_mm, one.nozzle_long_mm) for one in known if one.nozzle_long_mm is not None
    )
    air = (
        replace(plan.hot_air(), nozzle_long_mm=None)
        if known or plan.source is SourceKind.AIR
        else None
    )
    return OffBench(
        air=air,
        nozzles_mm=tuple(
            sorted({one.nozzle_mm for one in known if one.nozzle_long_mm is None} | {4.0})
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
        outlet_c=source.outlet_c - plan.outlet_offset_c,
        flow_lpm=source.flow_lpm,
        nozzle_mm=source.nozzle_mm,
        nozzle_long_mm=source.nozzle_long_mm,
        nozzle_turn_deg=source.nozzle_turn_deg,
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
            "answers": json.loads(pack(replace(asked, way=""))),
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
    chosen = replace(answers_of(connection, job), way=way)
    with atomic(connection):
        stored.keep_answers(connection, job.id, job.piece_id, chosen)
        _tell_mixing(connection, job.id, chosen)
        if heat is None:
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
    if answers_of(connection, job).way != way:
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
    return (a.outlet_c, a.flow_lpm, a.nozzle_mm, a.moves, set(a.shields)) == (
        *(b.outlet_c, b.flow_lpm, b.nozzle_mm),
        b.moves,
        set(b.shields),
    )


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
    for heat in lifting_heats:
        rest = tuple(one for one in heat.plan.targets if one not in plan.targets)
        if len(rest) < len(heat.plan.targets):
            kept = replace(heat.plan, targets=rest, moves=usual_moves(rest))
            jobs.keep_heat(connection, heat.id, kept)
    return jobs.add_heat(connection, job.id, f"Off, {ref}"[:80], plan)


def pads_told(connection: sqlite3.Connection, job_id: int) -> None:
    """Tell Mixing what is on the pads after a tap of a Pads run."""
    _tell_mixing(connection, job_id, answers_of(connection, jobs.get(connection, job_id)))


def _tell_mixing(connection: sqlite3.Connection, job_id: int, asked: Answers) -> None:
    """What of the old solder stays on the pads, as the Paste stage's Mixing has it: removal alloy
    until a Pads run, which takes every trace of it off, is over.
    """
    run = bench_runs.latest(connection, job_id, RunKind.PADS)
    cleaned = run is not None and run.state.over
    if asked.way == OffWay.REMOVAL and not cleaned:
        left = "removal alloy"
    elif asked.want is Want.BARE:
        left = "nothing"
    else:
        left = {
            Solder.LEADED: "leaded solder",
            Solder.BISMUTH: "bismuth solder",
        }.get(asked.solder, "lead-free solder")
    plan = paste.paste_plan_of(connection, job_id)
    paste.keep_paste_plan(connection, job_id, replace(plan, left_over=left))


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


# pads
def pads_of(connection: sqlite3.Connection, job: Job, ref: str) -> PadsPlan:
    """The work at a part's pads, by the way it came off and what the refit wants.

    Raises InvalidValue for a part that is not on the board or has no pads.
    """
    board = boards.get(connection, job.board_id)
    asked = answers_of(connection, job)
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
    board, asked = boards.get(connection, job.board_id), answers_of(connection, job)
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
    run = PadsRun(ref=ref, steps=steps, must=plan.must, wick_width_mm=plan.wick_width_mm)
    side = boards.get(connection, job.board_id).part(ref).side
    return bench_runs.add(connection, job_id, RunKind.PADS, run, side=side)


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
    return f"its legs are {finish}: {found[0].title[:1].lower()}{found[0].title[1:]}; {found[0].remedy}"


def salvaged(connection: sqlite3.Connection, job_id: int | None = None) -> list[Salvaged]:
    """Parts that came off, of a job or of all, with whether each may be used again."""
    found = []
    for one in stored.passports(connection, job_id):
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
    have = {(one.passport.ref, one.piece_id) for one in stored.passports(connection, job_id)}
    written = 0
    counts = heats_of_parts(connection, job)
    asked = answers_of(connection, job)
    with atomic(connection):
        for run in bench_runs.rows(connection, RunKind.HEAT, job_id=job_id):
            for ref in run.lifted:
                if ref not in parts or (ref, run.piece_id) in have:
                    continue
                part = parts[ref]
                piece = next((one.name for one in job.pieces if one.id == run.piece_id), "")
                passport = Passport(
                    ref=ref,
                    package=part.package.name,
                    value=part.value,
                    donor=f"{job.board_name}{f', board {piece}' if piece else ''}"[:120],
                    heats=max(counts.get(ref, 1), 1) + 1,
                    liquid_s=_liquid_s(run, ref),
                    limit_c=part.package.limit_c,
                    alloy=asked.alloy,
                )
                stored.add_passport(connection, job_id, run.piece_id, passport)
                have.add((ref, run.piece_id))
                written += 1
    return written


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
    return stored.add_passport(connection, job_id, job.piece_id, passport)


def check_passport(connection: sqlite3.Connection, job_id: int, passport_id: int) -> None:
    """Raises NotFound for a passport of another job."""
    if stored.get_passport(connection, passport_id).job_id != job_id:
        raise NotFound(f"this job has no part {passport_id} in its bags")


def _liquid_s(run: bench_runs.BenchRun, ref: str) -> float:
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
    runs = (
        bench_runs.of_piece(connection, job.piece_id)
        if job.piece_id
        else bench_runs.rows(connection, job_id=job.id)
    )
    mine = [run for run in reversed(runs) if ref in run.targets and run.taps]
    found: list[Attempt] = []
    for run in mine:
        lifts = bool(run.lifted) or (isinstance(run.plan, HeatPlan) and run.plan.lifts)
        marks = [
            f"{mark.pin or 'whole part'}: {mark.verdict}"
            for mark in run.marks
            if mark.ref == ref and str(mark.verdict) != "good"
        ]
        good = sum(mark.ref == ref and str(mark.verdict) == "good" for mark in run.marks)
        said = ", ".join(marks[:4]) or (f"{good} joints good" if good else run.note[:60])
        one = Attempt(
            run_id=run.id,
            at=run.started_at[:16],
            did="lifted off" if lifts else "by iron" if run.kind is RunKind.IRON else "heated on",
            set_to=run.set_to,
            seconds=run.flowed_s(ref),
            found=said,
            changed=(),
        )
        before = next((two for two in reversed(found) if two.did == one.did), None)
        found.append(replace(one, changed=_differs(before, one)))
    return found


def _differs(before: Attempt | None, now: Attempt) -> tuple[str, ...]:
    """Words of the setting that were otherwise in the try before."""
    if before is None:
        return ()
    old = {part.strip() for part in before.set_to.split(",")}
    return tuple(part.strip() for part in now.set_to.split(",") if part.strip() not in old)
