"""Refit: ways for a part on its pads as they are, how it floats, moving parts to another board, an
adapter with headers.
"""

import sqlite3
from dataclasses import dataclass, replace

from yellowfen.core.board.board import BoardPart
from yellowfen.core.deposit.fillet import wanted
from yellowfen.core.heat.heat_plan import Goal, usual_moves
from yellowfen.core.metal.alloy import Alloy, alloy_named
from yellowfen.core.part.package import JointKind, Package
from yellowfen.core.quantity.units import CELSIUS, MM, with_unit
from yellowfen.core.rework.adapter import Adapter, adapter
from yellowfen.core.rework.legs import Transfer, transfer_list
from yellowfen.core.rework.pads import Want, wanted_mm3
from yellowfen.core.rework.refit import Centring, Thickness, centring, thickness
from yellowfen.core.run.iron import IronPlan
from yellowfen.core.run.ledger import PartRecord
from yellowfen.core.run.meter import CheckLine, CheckPlan
from yellowfen.core.work.iron_rows import IronRow
from yellowfen.core.work.job import Job, Purpose
from yellowfen.core.work.technique import PartKind, Way, kind_of, with_mends
from yellowfen.errors import InvalidValue
from yellowfen.store import bench_runs, boards, jobs
from yellowfen.workflows.ledger import ledger_now
from yellowfen.workflows.paste import dotting
from yellowfen.workflows.ready import bench_iron, ready_state
from yellowfen.workflows.rework import answers_of, lift_of, salvaged


@dataclass(frozen=True, kw_only=True)
class RefitWay:
    """One way to put a part on again: what the pads want for it, minutes, odds of a mend, why not;
    `says` what matters about it.
    """

    name: str
    want: Want
    minutes: float
    odds: float
    says: str
    refused: str = ""

    @property
    def expected_min(self) -> float:
        """Minutes with the touch-ups that follow, by the rule of Ready's ways."""
        return with_mends(self.minutes, self.odds)


_LEVELLED = {
    JointKind.CHIP: "a solder bump on each land, tacky flux, hot air from straight above: the joint stays thick",
    JointKind.GULL_WING: "old solder levelled, fresh flux, hot air along both rows equally",
}


def wants_for(connection: sqlite3.Connection, job: Job, ref: str) -> frozenset[Want]:
    """What some way of putting the part on again, that is not refused, wants on its pads."""
    return frozenset(one.want for one in refit_ways(connection, job, ref) if not one.refused)


def refit_ways(connection: sqlite3.Connection, job: Job, ref: str) -> list[RefitWay]:
    """The ways of Ready for this part, and old solder on the pads used again; best first.

    Raises InvalidValue for a part that is not there.
    """
    state = ready_state(connection, job.id)
    part = next((one for one in state.board.parts if one.ref == ref), None)
    if part is None:
        raise InvalidValue("of", f"there is no part {ref[:40]!r} on this board")
    kinds = {land.kind for land in part.package.lands}
    dotted = dotting(connection, state.paste, part.side).steps
    by_line = any(step.ref == ref and step.way == "line" for step in dotted)
    found = []
    for offer in state.way(ref).offers:
        if offer.way in (Way.PRINT_PLATE, Way.DOTS_PLATE, Way.LAST):
            continue
        wants = Want.BUMPS if offer.way is Way.BUMPS_AIR else Want.BARE
        found.append(
            RefitWay(
                name=_NAMES.get(offer.way, str(offer.way)),
                want=wants,
                minutes=offer.minutes,
                odds=offer.odds,
                refused=offer.refused,
                says=_says(offer.way, part.package, by_line),
            )
        )
    kind = next((one for one in _LEVELLED if one in kinds), None)
    if kind is not None and not part.package.iron_only:
        hard = kind_of(part.package) in (PartKind.FINE, PartKind.TINY)
        found.append(
            RefitWay(
                name="old solder, flux, hot air",
                want=Want.BUMPS if kind is JointKind.CHIP else Want.LEVEL,
                minutes=2.0,
                odds=0.12 if hard else 0.05,
                says=_LEVELLED[kind],
            )
        )
    return sorted(found, key=lambda one: (bool(one.refused), one.expected_min))


_NAMES = {
    Way.PRINT_AIR: "a stencil for this part, hot air",
    Way.DOTS_AIR: "dots or dabs, hot air",
    Way.BUMPS_AIR: "solder bumps, paste in the middle, hot air",
}


def _says(way: Way, package: Package, by_line: bool) -> str:
    """What matters about a way on pads that were soldered before; `by_line`: By hand has a line
    along the row for this part.
    """
    if way is Way.DOTS_AIR:
        if not by_line:
            return "paste on each pad separately, as By hand shows"
        if package.pitch_mm <= 0.8 + 1e-6:
            return "a line along the row, as By hand shows: about half of them bridge"
        return "a line along the row, as By hand shows: it leaves solder balls that must be brushed off"
    if way is Way.BUMPS_AIR:
        return "preheat the board: a cool iron does not melt solder on planes"
    if way is Way.PRINT_AIR:
        return "apertures without what screws and ground areas keep free; peel it off, or leave it under the part as a spacer"
    return "tack, check all sides, then the rest"


@dataclass(frozen=True, kw_only=True)
class Floating:
    """How a part floats on its refit's solder, and from how far off it centres itself; None where
    it is no part that floats freely. `solder_mm3` a joint, `there_mm3` of it already on the pad.
    """

    thickness: Thickness | None
    centring: Centring | None
    solder_mm3: float
    there_mm3: float

    @property
    def picture_px(self) -> float:
        """Height of the joint in the page's drawing, where 0.1 mm are 14."""
        return 0.0 if self.thickness is None else min(140.0 * self.thickness.height_mm, 26.0)


def floating_of(connection: sqlite3.Connection, job: Job, ref: str) -> Floating:
    """The part on what is on its pads, or on what its joints want where they were wicked bare."""
    package = boards.get(connection, job.board_id).part(ref).package
    lands = [
        land
        for land in package.lands
        if land.kind in (JointKind.CHIP, JointKind.GULL_WING, JointKind.LEADLESS)
    ]
    if not lands or package.has_thermal_pad:
        return Floating(thickness=None, centring=None, solder_mm3=0.0, there_mm3=0.0)
    want = answers_of(connection, job, ref).want
    there = sum(wanted_mm3(package, land, want) for land in lands) / len(lands)
    ask = [wanted(package, land) for land in lands]
    need = sum(0.5 * (one.least_mm3 + one.most_mm3) for one in ask) / len(ask)
    solder = max(need, there)
    lag = 0.0
    if job.plan.lifts and ref in job.plan.targets:
        window = lift_of(connection, job)
        first, last = (window.first_shine.middle, window.opens.middle) if window else (None, None)
        lag = max(last - first, 0.0) if first is not None and last is not None else 0.0
    return Floating(
        thickness=thickness(package, solder),
        centring=centring(package, solder, lag),
        solder_mm3=solder,
        there_mm3=there,
    )


def take_refit_heat(connection: sqlite3.Connection, job_id: int) -> None:
    """Take the heat that puts the job's parts on in hand; one is made where there is none."""
    job = jobs.get(connection, job_id)
    place = next((heat for heat in job.heats if not heat.plan.lifts), None)
    if place is None:
        targets = job.parts or job.plan.targets
        plan = replace(job.plan, goal=Goal.SOLDER, targets=targets, moves=usual_moves(targets))
        jobs.choose_heat(connection, job_id, jobs.add_heat(connection, job_id, "Refit", plan))
    else:
        jobs.choose_heat(connection, job_id, place.id)


# to another board, or an adapter
def transfer_to(
    connection: sqlite3.Connection, job: Job, other_id: int
) -> tuple[list[Transfer], list[str]]:
    """What this donor gives to another job's board, in the order in which what is still on
    survives: shy parts first, then the light before the heavy; and what is still missing there.
    """
    other = jobs.get(connection, other_id)
    donor = boards.get(connection, job.board_id)
    board = boards.get(connection, other.board_id)
    bags = salvaged(connection, job.id)
    gone = {one.kept.passport.ref for one in bags if one.kept.used}
    on = ledger_now(connection, other).parts
    order = sorted(
        (part for part in donor.parts if job.about(part.ref) and part.ref not in gone),
        key=lambda part: (
            not part.package.heat_shy,
            part.package.limit_c,
            part.package.mass_mg,
            part.ref,
        ),
    )
    refused = {one.kept.passport.ref: one.fitness.refused for one in bags if one.fitness.refused}
    return transfer_list(
        {part.ref: (part.package.name, part.value) for part in donor.parts},
        {
            part.ref: (part.package.name, part.value)
            for part in board.parts
            if other.about(part.ref) and not _is_on(on[part.ref], other)
        },
        [part.ref for part in order],
        refused,
    )


def _is_on(part: PartRecord, job: Job) -> bool:
    """True for a part that a job wants no more: it is on; of a rework once it was put on again."""
    return part.on and (job.purpose is Purpose.BUILD or part.refitted)


def adapter_of(part: BoardPart, alloy: Alloy) -> Adapter:
    """The adapter of a part's package. Raises InvalidValue for one without numbered pins."""
    return adapter(part.package, alloy)


def start_headers(connection: sqlite3.Connection, job_id: int, part: BoardPart) -> int:
    """Open the bench's run over the header pins: a corner, the opposite one, the rest."""
    made = adapter_of(part, alloy_named("Sn63Pb37"))
    each = made.seconds / len(made.pins)
    rows = tuple(
        IronRow(
            pins=(name,),
            pitch_mm=2.54,
            length_mm=2.54,
            joints_mm3=made.joint_mm3,
            wire_mm=made.wire_mm,
            loads=1,
            load_wire_mm=made.wire_mm,
            flux_mm3=0.0,
            seconds=(each,),
            slow_pins=(),
        )
        for name in made.order
    )
    iron = bench_iron(connection)
    said = f"{with_unit(iron.set_c, CELSIUS)}, {with_unit(iron.tip_mm, MM)} {iron.shape}"
    plan = IronPlan(refs=(part.ref,), rows=rows, iron=said)
    return bench_runs.add(connection, job_id, plan)


def start_check(connection: sqlite3.Connection, job_id: int, part: BoardPart) -> int:
    """Open the bench's run over the meter's list of an adapter."""
    made = adapter_of(part, alloy_named("Sn63Pb37"))
    lines = tuple(
        CheckLine(
            here=here,
            there=there.removeprefix("not "),
            expect="must not connect" if there.startswith("not ") else "must connect",
            name=part.ref,
        )
        for here, there in made.continuity
    )
    return bench_runs.add(connection, job_id, CheckPlan(name=part.ref, lines=lines))
