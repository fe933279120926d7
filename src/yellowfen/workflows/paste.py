"""The Paste stage: what a job prints with, which openings stand changed, what weighing taught, and
what a print takes from a lot.
"""

import sqlite3
import time
from collections.abc import Mapping
from dataclasses import dataclass, replace

from yellowfen.core.board.board import Board
from yellowfen.core.board.scope import scoped
from yellowfen.core.deposit.better import OpeningProposal, better_openings
from yellowfen.core.deposit.changes import OpeningChange, changed
from yellowfen.core.deposit.hand_plan import HandPlan, hand_plan
from yellowfen.core.deposit.judge import Judged, compare_foils, judge
from yellowfen.core.deposit.paste_plan import ChangeStep, PastePlan, standing
from yellowfen.core.deposit.stencil import FOILS_MM
from yellowfen.core.deposit.weighing import Fitted, Weighing, fit_factors
from yellowfen.core.metal.lot import WASTE_G, LotEvent
from yellowfen.core.metal.paste import Paste, paste_named
from yellowfen.core.work.job import Job
from yellowfen.errors import InvalidValue, Refused
from yellowfen.store import boards, jobs, materials, ready
from yellowfen.store import paste as stored
from yellowfen.store.database import asked_once, atomic
from yellowfen.store.paste import KeptWeighing


@dataclass(frozen=True, kw_only=True)
class PasteState:
    """A job's Paste stage as it stands: the board as drawn, with its changes made, the paste, foil
    and factor in use, foils compared.
    """

    job: Job
    plan: PastePlan
    paste: Paste
    whole: Board
    drawn: Board
    board: Board
    changes: dict[str, OpeningChange]
    steps: tuple[ChangeStep, ...]
    foils: tuple[Judged, ...]
    best_mm: float
    foil_mm: float
    weighed: tuple[KeptWeighing, ...]
    fitted: Fitted | None
    judged: Judged

    @property
    def factor(self) -> float:
        """Share of the forecast that prints carry, 1 as long as nothing was weighed."""
        return self.fitted.factor if self.fitted else 1.0


@asked_once
def paste_state(
    connection: sqlite3.Connection, job_id: int, plan: PastePlan | None = None, before: str = ""
) -> PasteState:
    """The stage of a job as kept, or as it would be with another plan; with the openings as they
    stood `before` a moment, where one is given.
    """
    job = jobs.get(connection, job_id)
    plan = plan or stored.paste_plan_of(connection, job_id)
    paste = paste_of(connection, plan)
    whole = boards.get(connection, job.board_id)
    drawn = scoped(whole, job.parts)
    steps = stored.steps_of(connection, job_id, before)
    changes = standing(steps)
    board = changed(drawn, changes)
    foils = materials.supply(connection, "foil") or FOILS_MM
    taught = {foil: _fitted(connection, foil, paste) for foil in foils}
    compared, best = compare_foils(
        board, paste, foils, {foil: fitted.factor for foil, fitted in taught.items() if fitted}
    )
    foil_mm = plan.foil_mm if plan.foil_mm is not None else best
    fitted = taught.get(foil_mm) or _fitted(connection, foil_mm, paste)
    weighed = tuple(stored.weighings(connection, foil_mm, paste))
    judged = next((one for one in compared if one.foil_mm == foil_mm), None) or judge(
        board, foil_mm, paste, fitted.factor if fitted else 1.0
    )
    return PasteState(
        job=job,
        plan=plan,
        paste=paste,
        whole=whole,
        drawn=drawn,
        board=board,
        changes=changes,
        steps=steps,
        foils=compared,
        best_mm=best,
        foil_mm=foil_mm,
        weighed=weighed,
        fitted=fitted,
        judged=judged,
    )


def _fitted(connection: sqlite3.Connection, foil_mm: float, paste: Paste) -> Fitted | None:
    """What weighing taught of a foil with a paste."""
    found = [one.weighing for one in stored.weighings(connection, foil_mm, paste)]
    return fit_factors(found) if found else None


def paste_of(connection: sqlite3.Connection, plan: PastePlan) -> Paste:
    """The lot's own paste when one is chosen and still there, else the named one."""
    found = (
        next((one for one in materials.lots(connection) if one.id == plan.lot_id), None)
        if plan.lot_id
        else None
    )
    return found.paste if found else paste_named(plan.paste)


def paste_of_job(connection: sqlite3.Connection, job_id: int) -> Paste:
    """The paste that a job is soldered with."""
    return paste_of(connection, stored.paste_plan_of(connection, job_id))


def keep_paste_plan(connection: sqlite3.Connection, job_id: int, plan: PastePlan) -> None:
    """Store the stage's settings. Heats that soldered with the metal of the paste before solder
    with that of this one. Raises NotFound for an unknown job or lot.
    """
    job = jobs.get(connection, job_id)
    if plan.lot_id is not None:
        materials.lot(connection, plan.lot_id)
    before = paste_of_job(connection, job_id).alloy
    now = paste_of(connection, plan).alloy
    with atomic(connection):
        stored.keep_paste_plan(connection, job_id, plan)
        for heat in job.heats:
            if now != before and heat.plan.alloy == before and not heat.plan.lifts:
                jobs.keep_heat(connection, heat.id, replace(heat.plan, alloy=now))


def proposals(state: PasteState) -> tuple[OpeningProposal, ...]:
    """Better openings for the state."""
    return better_openings(
        state.board, state.foil_mm, state.paste, state.factor, state.plan.coverage
    )


def take(connection: sqlite3.Connection, job_id: int, keys: list[str]) -> ChangeStep:
    """Accept proposals by their keys. Raises Refused when one is not proposed any more."""
    with atomic(connection):
        state = paste_state(connection, job_id)
        found = {one.key: one for one in proposals(state)}
        gone = [key for key in keys if key not in found]
        if gone or not keys:
            raise Refused(
                f"{gone[0][:60]} is not proposed any more; load the page again"
                if gone
                else "choose at least one proposal"
            )
        chosen = [found[key] for key in keys]
        kinds = ", ".join(dict.fromkeys(str(one.kind) for one in chosen))
        refs = [one.ref or "bare areas" for one in chosen]
        said = (
            f"{kinds}: {', '.join(refs[:6])}{f' and {len(refs) - 6} more' if len(refs) > 6 else ''}"
        )
        step = ChangeStep(said, tuple(change for one in chosen for change in one.changes))
        stored.add_step(connection, job_id, step)
        stored.keep_paste_plan(
            connection, job_id, with_foil(state.plan, state.foil_mm)
        )  # the openings are made for this foil
    return step


def give_back_all(connection: sqlite3.Connection, job_id: int) -> None:
    """Back to the openings as drawn; this too can be undone."""
    with atomic(connection):
        held = standing(stored.steps_of(connection, job_id))
        if held:
            stored.add_step(
                connection, job_id, ChangeStep("all apertures as drawn", (), tuple(held))
            )


def undo(connection: sqlite3.Connection, job_id: int) -> None:
    """Take the newest decision about openings back."""
    jobs.get(connection, job_id)
    stored.undo_step(connection, job_id)


def printed_mg(judged: Judged, sides: str) -> float:
    """Paste on one side, or on both, mg."""
    deposit = sum(
        one.release.deposit_mm3 for one in judged.openings if sides in (one.opening.side, "both")
    )
    return judged.paste_mg * deposit / judged.deposit_mm3 if judged.deposit_mm3 > 0 else 0.0


def expected_mg(state: PasteState, sides: str) -> float:
    """What a print of that side (or both) should carry before anything was weighed, mg a board."""
    return printed_mg(judge(state.board, state.foil_mm, state.paste, 1.0), sides)


def weigh(
    connection: sqlite3.Connection,
    job_id: int,
    sides: str,
    before_mg: float,
    after_mg: float,
    resolution_mg: float,
    count: int,
) -> None:
    """Keep a weighing of the job's boards; the forecast it is held against is that of the openings
    as they stand, at factor 1.

    Raises InvalidValue without a side that has openings.
    """
    if sides not in ("top", "bottom", "both"):
        raise InvalidValue("sides", "choose whether top, bottom or both were printed")
    with atomic(connection):
        state = paste_state(connection, job_id)
        expected = expected_mg(state, sides)
        if expected <= 0:
            raise InvalidValue("sides", "there are no stencil apertures on that side to weigh")
        stored.add_weighing(
            connection,
            job_id,
            state.foil_mm,
            state.paste,
            Weighing(
                before_mg=before_mg,
                after_mg=after_mg,
                expected_mg=expected,
                resolution_mg=resolution_mg,
                boards=count,
            ),
        )


def log_print(
    connection: sqlite3.Connection,
    job_id: int,
    side: str,
    found: str,
    wiped: bool,
    repeated: bool,
    tap: str = "",
) -> None:
    """Keep how a print of one side looked, told by a `tap` at the bench or typed; with a lot
    chosen, what it took is booked there.
    """
    with atomic(connection):
        state = paste_state(connection, job_id)
        event = None
        if state.plan.lot_id is not None and any(
            one.id == state.plan.lot_id for one in materials.lots(connection)
        ):
            grams = printed_mg(state.judged, side) / 1000 + WASTE_G
            event = materials.add_event(
                connection,
                state.plan.lot_id,
                LotEvent.USED,
                at_s=time.time(),
                grams=grams,
                said=f"print, {state.job.name}"[:80],
            )
        stored.add_print(
            connection,
            job_id,
            found,
            wiped=wiped,
            repeated=repeated,
            foil_mm=state.foil_mm,
            paste=state.paste,
            lot_event_id=event,
            tap=tap,
        )


def undo_print(connection: sqlite3.Connection, job_id: int, tap: str = "") -> None:
    """Take the print of a tap back, or the newest that was typed, and what it took from a lot."""
    with atomic(connection):
        event = stored.undo_print(connection, job_id, tap)
        if event is not None:
            materials.remove_event(connection, event)


def dotting(
    connection: sqlite3.Connection,
    state: PasteState,
    side: str,
    skip: frozenset[str] = frozenset(),
    batch: int = 0,
    rounds: Mapping[str, int] | None = None,
) -> HandPlan:
    """The dot plan of a side with the needles at hand; parts to `skip` stay dry; parts in a
    `batch`, and the round in which each is placed.
    """
    return hand_plan(
        state.drawn,
        state.paste,
        side,
        gauges=needles_at_hand(connection),
        by_pad=state.plan.by_pad,
        skip=skip,
        fewest=ready.bench_setting(connection, ready.HANDS) == "shaky",
        batch=batch,
        rounds=rounds,
    )


def needles_at_hand(connection: sqlite3.Connection) -> tuple[int, ...] | None:
    """The bench's needles, None where none was told: all usual ones then."""
    return tuple(int(size) for size in materials.supply(connection, "needle")) or None


def with_foil(plan: PastePlan, foil_mm: float | None) -> PastePlan:
    """The plan in another foil."""
    return replace(plan, foil_mm=foil_mm)


def changed_board(connection: sqlite3.Connection, job_id: int) -> Board:
    """The job's board with the changes of openings that stand."""
    job = jobs.get(connection, job_id)
    return changed(
        boards.get(connection, job.board_id), standing(stored.steps_of(connection, job_id))
    )


def wrong_as_drawn(state: PasteState) -> int:
    """How many openings would go wrong without the changes."""
    return judge(state.drawn, state.foil_mm, state.paste, state.factor).wrong
