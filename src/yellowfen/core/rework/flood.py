"""Joints heated by irons until all of them are liquid at one moment: rows flooded with a bead of
solder, tips moving on them; or a tip going to and fro between the ends of a chip.

The board, the body and the neighbours are those of the heat model; between its steps heat flows
along the bead and from the tips into the joints. Laws: what the tips give is found in joints and
board (the model's own energy check runs on); the bead's flow conserves heat; without a bead and
with one joint it is the iron of one joint. A bead is fed cold and has to melt as well.
"""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.drive import (
    TIP_BRIDGED_W_M2K,
    Drive,
    tip_conductance_w_k,
    tip_core_w_k,
    wetted_tip_mm2,
)
from yellowfen.core.heat.grid import FineRound
from yellowfen.core.heat.iron import SOLDERED_W_M2K, patch
from yellowfen.core.heat.laid import on_board
from yellowfen.core.heat.outcome import loose_s, watch
from yellowfen.core.heat.rehearsal import (
    HeatState,
    Prepared,
    Resolution,
    advance,
    first_state,
    prepare,
    state_fault,
)
from yellowfen.core.heat.scene import Array, Deed, Move, Scene
from yellowfen.core.heat.source import Iron
from yellowfen.core.metal.alloy import SOLDER_CP_J_KGK, Alloy, alloy_named
from yellowfen.core.part.package import Land
from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue, Refused

BEAD_MM2 = constant(
    "bead_section",
    0.8,
    "mm²",
    mark=Mark.FROM_MEMORY,
    source="a half-round bead about 1.4 mm wide along the toes of a row",
    affects="flooded rows: how even, how much solder",
)
SOLDER_W_MK = constant(
    "solder_conductivity",
    40.0,
    "W/m·K",
    mark=Mark.FROM_MEMORY,
    source="tin-lead 50 solid, about 28 molten; removal alloys are poorer (10 to 20)",
    affects="flooded rows: how even",
)
HOLDS_S = constant(
    "liquid_holds",
    0.1,
    "s",
    mark=Mark.FROM_MEMORY,
    source="all joints molten for so long, and the tip that is there pushes the part off",
    affects="can a part be removed by iron",
)
STEP_S, COOLING_STEP_S = 0.02, 0.1
CELLS_ACROSS, WIDEST_CELL_MM = 25.0, 0.6
REACH_MM = 7.0
FLOOD_GRID = Resolution(
    cell_mm=0.3,
    layers=4,
    part_step_s=0.004,
    max_step_s=0.01,
    sample_s=1.0,
    frame_s=1e9,
    pad_contact_w_m2k=SOLDERED_W_M2K,
)


@dataclass(frozen=True, kw_only=True)
class Tip:
    """An iron and the pins it goes along and back, in order. `speed_mm_s`; or with `dwell_s` it
    rests on the first and the last pin in turn, as on a chip's ends.
    """

    iron: Iron
    pins: tuple[str, ...]
    speed_mm_s: float = 5.0
    dwell_s: float = 0.0

    def __post_init__(self) -> None:
        in_range("speed_mm_s", self.speed_mm_s, 0.1, 100, "mm/s")
        in_range("dwell_s", self.dwell_s, 0, 20, "s")
        if not self.pins:
            raise InvalidValue("pins", "a tip needs at least one pin to go along")


@dataclass(frozen=True, kw_only=True)
class Flooded:
    """What came of it. `all_liquid_s`: from when every joint of the part is liquid at once, for
    `HOLDS_S` at least (None: never within what was run); `stays_liquid_s` how long that lasts after
    the irons leave (None: longer than was looked for); `spread_s` from the first joint to the last;
    `last_pin` the slowest or coldest. Peaks in °C; `loose` neighbours; `at_end_c` each joint when
    the irons left.
    """

    all_liquid_s: float | None
    stays_liquid_s: float | None
    spread_s: float | None
    last_pin: str
    body_peak_c: float
    limit_c: float
    loose: tuple[str, ...]
    at_end_c: dict[str, float]


@dataclass(kw_only=True)
class Chain:
    """Joints that share heat: J above solidus, capacities J/K, latent J, solidus and range K;
    `links` pairs of places with conductances W/K.
    """

    heat: Array
    latent: Array
    solidus: Array
    span: Array
    pairs: NDArray[np.int64]
    links_w_k: Array

    def kelvins(self, enthalpy: Array) -> Array:
        """Temperature of each joint, K above the room."""
        solid = self.solidus + np.minimum(enthalpy, 0.0) / self.heat
        share = np.clip(enthalpy / np.maximum(self.latent, 1e-30), 0.0, 1.0)
        over = np.maximum(enthalpy - self.latent, 0.0) / self.heat
        return np.asarray(solid + share * self.span + over)

    def share_heat(self, enthalpy: Array, seconds: float) -> None:
        """The flow along the links for a while; changes `enthalpy`, whose sum stays."""
        if not len(self.links_w_k):
            return
        sums = np.zeros(len(self.heat))
        np.add.at(sums, self.pairs[:, 0], self.links_w_k)
        np.add.at(sums, self.pairs[:, 1], self.links_w_k)
        count = max(1, math.ceil(seconds * float((sums / self.heat).max()) / 0.4))
        for _ in range(count):
            here = self.kelvins(enthalpy)
            flow = self.links_w_k * (here[self.pairs[:, 0]] - here[self.pairs[:, 1]])
            flow *= seconds / count
            np.subtract.at(enthalpy, self.pairs[:, 0], flow)
            np.add.at(enthalpy, self.pairs[:, 1], flow)


def flooded(
    scene: Scene,
    ref: str,
    tips: Sequence[Tip],
    *,
    rows: Sequence[Sequence[str]] = (),
    section_mm2: float = BEAD_MM2,
    alloy: Alloy | None = None,
    longest_s: float = 30.0,
    after_s: float = 60.0,
) -> Flooded:
    """Work a part's joints with these tips until all are liquid at once.

    `rows`: pins that a bead of `section_mm2` joins, row by row; `alloy` what the joints then are
    (None: the part's own). The irons leave when all is liquid, or after `longest_s`.

    Raises InvalidValue for a pin that is not there.
    """
    in_range("section_mm2", section_mm2, 0, 10, "mm²")
    in_range("longest_s", longest_s, 0.1, 300, "s")
    bench = _Bench(scene, ref, tips, rows=rows, section_mm2=section_mm2, alloy=alloy)
    return bench.worked(longest_s, after_s)


class _Bench:
    """A part on its piece of board with its bead, and irons on it."""

    def __init__(
        self,
        scene: Scene,
        ref: str,
        tips: Sequence[Tip],
        *,
        rows: Sequence[Sequence[str]],
        section_mm2: float,
        alloy: Alloy | None,
    ) -> None:
        here = _piece(scene, ref, _together([tip.iron for tip in tips]))
        self.part = here.part(ref)
        self.lands = {land.pin: land for land in self.part.package.lands}
        for pin in (pin for group in (*rows, *(tip.pins for tip in tips)) for pin in group):
            if pin not in self.lands:
                raise InvalidValue("pins", f"{ref} has no pin {pin!r}")
        fine = _fine_round(here, ref)
        cell = max(fine.size_x_mm, fine.size_y_mm) / CELLS_ACROSS
        cell = min(max(cell, FLOOD_GRID.cell_mm), WIDEST_CELL_MM)
        self.prepared = prepare(here, replace(FLOOD_GRID, cell_mm=cell, fine=fine))
        self.tips = tuple(tips)
        self.flooded_pins = {pin for row in rows for pin in row}
        names = self.prepared.network.names
        self.rows_of = {name.pin: i for i, name in enumerate(names) if name.ref == ref}
        self.mine = np.array(sorted(self.rows_of.values()), dtype=np.int64)
        self.chain = self._joined(rows, section_mm2, alloy)
        self.drive = _short(self.prepared, here, STEP_S)
        self.cooling = _short(self.prepared, here, COOLING_STEP_S)
        self.seen = watch(self.prepared)

    def _joined(
        self, rows: Sequence[Sequence[str]], section_mm2: float, alloy: Alloy | None
    ) -> Chain:
        """The part's joints with their share of the bead, and the links along it."""
        table, room = self.prepared.network.joints, self.prepared.scene.ambient_c
        if alloy is not None:
            # the joints' own heats stay: the bead brings most of the metal
            table[self.mine, k.J_SOLIDUS] = alloy.solidus_c - room
            table[self.mine, k.J_RANGE] = alloy.liquidus_c - alloy.solidus_c
        pairs, links = [], []
        metal = alloy or alloy_named(self.part.alloy)
        for row in rows:
            for here, there in itertools.pairwise(row):
                apart = _apart_mm(self.lands[here], self.lands[there])
                pairs.append((self.rows_of[here], self.rows_of[there]))
                links.append(SOLDER_W_MK * section_mm2 * 1e-3 / apart)
                for pin in (here, there):
                    kg = 0.5 * apart * section_mm2 * metal.density_g_cm3 * 1e-6
                    table[self.rows_of[pin], k.J_HEAT] += kg * SOLDER_CP_J_KGK
                    table[self.rows_of[pin], k.J_LATENT] += kg * metal.latent_j_g * 1e3
        table[:, k.J_PER_HEAT] = 1.0 / table[:, k.J_HEAT]
        return Chain(
            heat=table[:, k.J_HEAT],
            latent=table[:, k.J_LATENT],
            solidus=table[:, k.J_SOLIDUS],
            span=table[:, k.J_RANGE],
            pairs=np.array(pairs, dtype=np.int64).reshape(-1, 2),
            links_w_k=np.array(links),
        )

    def worked(self, longest_s: float, after_s: float) -> Flooded:
        """Work on until all is liquid and a while longer. Raises Refused for an unsound state."""
        state = first_state(self.prepared, self.drive)
        first: Array = np.full(len(state.enthalpy), np.inf)
        since: float | None = None
        while state.now_s < longest_s - 1e-9:
            self._step(state, irons=True)
            liquid = state.enthalpy >= self.chain.latent
            first = np.where(liquid & ~np.isfinite(first), state.now_s, first)
            since = (since or state.now_s) if liquid[self.mine].all() else None
            if since is not None and state.now_s - since >= HOLDS_S - 1e-9:
                break
        all_at = since if since is not None and state.now_s - since >= HOLDS_S - 1e-9 else None
        end_k = self.chain.kelvins(state.enthalpy)
        fault = state_fault(self.prepared, state)
        if fault:
            raise Refused(f"this cannot be forecast: the model came to {fault}")
        slowest = self._slowest(first, end_k)
        stays = self._stays(state, after_s) if all_at is not None else None
        return self._told(
            state=state, first=first, all_at=all_at, stays=stays, slowest=slowest, end_k=end_k
        )

    def _slowest(self, first: Array, end_k: Array) -> int:
        """The joint that was liquid last, or is the coldest."""
        mine = first[self.mine]
        if np.isfinite(mine).all():
            return int(self.mine[int(np.argmax(mine))])
        return int(self.mine[int(np.argmin(end_k[self.mine]))])

    def _stays(self, state: HeatState, after_s: float) -> float | None:
        """How long all joints stay liquid after the irons left; None if longer than looked for."""
        began = state.now_s
        while state.now_s - began < after_s:
            self._step(state, irons=False)
            if (state.enthalpy[self.mine] <= 0.0).any():
                return state.now_s - began
        return None

    def _step(self, state: HeatState, *, irons: bool) -> None:
        """Heat along the bead for half a step, tips and board for a step, the bead's other half."""
        table = self.prepared.network.joints
        table[:, k.J_TIP_W_K] = self._touching(state.now_s) if irons else 0.0
        drive, seconds = (self.drive, STEP_S) if irons else (self.cooling, COOLING_STEP_S)
        self.chain.share_heat(state.enthalpy, 0.5 * seconds)
        advance(self.prepared, state, drive, sampled=False, checked=False)
        self.chain.share_heat(state.enthalpy, 0.5 * seconds)

    def _touching(self, now_s: float) -> Array:
        """Conductance from the tips to each joint at a moment, W/K: of a bead what lies under a
        tip's width, of a single joint all or nothing.
        """
        touch = np.zeros(len(self.chain.heat))
        for tip in self.tips:
            self._touch(tip, now_s, touch)
        return touch

    def _touch(self, tip: Tip, now_s: float, touch: Array) -> None:
        places = _places_mm([self.lands[pin] for pin in tip.pins])
        at = _place_mm(tip, places[-1], now_s)
        if not set(tip.pins) & self.flooded_pins:
            pin = tip.pins[int(np.argmin(np.abs(np.array(places) - at)))]
            touch[self.rows_of[pin]] += tip_conductance_w_k(tip.iron, self.lands[pin])
            return
        core = tip_core_w_k(tip.iron)
        wet = TIP_BRIDGED_W_M2K * wetted_tip_mm2(tip.iron) * 1e-6
        whole, half = core * wet / (core + wet), 0.5 * tip.iron.tip_mm
        for number, (pin, place) in enumerate(zip(tip.pins, places, strict=True)):
            low = 0.5 * (places[number - 1] + place) if number else -math.inf
            high = 0.5 * (place + places[number + 1]) if number + 1 < len(places) else math.inf
            covered = max(min(at + half, high) - max(at - half, low), 0.0)
            touch[self.rows_of[pin]] += whole * covered / tip.iron.tip_mm

    def _told(
        self,
        state: HeatState,
        first: Array,
        all_at: float | None,
        stays: float | None,
        slowest: int,
        end_k: Array,
    ) -> Flooded:
        room = self.prepared.scene.ambient_c
        names = self.prepared.network.names
        body = self.prepared.network.refs.index(self.part.ref)
        mine = first[self.mine]
        loose = tuple(loose_s(self.seen, state))
        return Flooded(
            all_liquid_s=all_at,
            stays_liquid_s=stays,
            spread_s=float(mine.max() - mine.min()) if np.isfinite(mine).all() else None,
            last_pin=names[slowest].pin,
            body_peak_c=float(state.body_record[body, k.R_BODY_PEAK]) + room,
            limit_c=self.part.package.limit_c,
            loose=loose,
            at_end_c={names[row].pin: float(end_k[row]) + room for row in self.mine},
        )


def _together(irons: Sequence[Iron]) -> Iron:
    """Irons at work at once as one with their power and their tips' heat; alike, as a pair is."""
    return replace(
        irons[0],
        power_w=min(sum(iron.power_w for iron in irons), 300.0),
        tip_heat_j_k=min(sum(iron.tip_heat_j_k for iron in irons), 40.0),
    )


def _piece(scene: Scene, ref: str, iron: Iron) -> Scene:
    """The board round a part, with an iron for its source."""
    part = scene.part(ref)
    middle = Land(
        pin="", x_mm=0.0, y_mm=0.0, size_x_mm=1.0, size_y_mm=1.0, kind=part.package.lands[0].kind
    )
    reach = REACH_MM + max(math.hypot(land.x_mm, land.y_mm) for land in part.package.lands)
    here = patch(scene, ref, middle, reach)
    mine = replace(here.part(ref), plane_pins=part.plane_pins, relief_pins=part.relief_pins)
    parts = tuple(mine if one.ref == ref else one for one in here.parts)
    return replace(
        here,
        source=iron,
        preheater=None,
        parts=parts,
        moves=(Move(deed=Deed.WITHDRAW, seconds=1.0),),
    )


def _fine_round(here: Scene, ref: str) -> FineRound:
    """Fine cells under the part and its lands."""
    part = here.part(ref)
    spots = [on_board(part, land.x_mm, land.y_mm) for land in part.package.lands]
    wide = max(max(land.size_x_mm, land.size_y_mm) for land in part.package.lands)
    xs, ys = [x for x, _ in spots], [y for _, y in spots]
    return FineRound(
        0.5 * (min(xs) + max(xs)),
        0.5 * (min(ys) + max(ys)),
        max(xs) - min(xs) + wide + 1.0,
        max(ys) - min(ys) + wide + 1.0,
    )


def _short(prepared: Prepared, here: Scene, seconds: float) -> Drive:
    """The tables of one step with nothing but the room round the board."""
    drive = prepared.drive(replace(here, moves=(Move(deed=Deed.WITHDRAW, seconds=0.1),)))
    segments = drive.segments[:1].copy()
    share = seconds / float(segments[0, k.SECONDS])
    segments[0, k.MACROS] = math.ceil(segments[0, k.MACROS] * share - 1e-9)
    segments[0, k.SECONDS] = seconds
    segments[0, k.REFRESH] = segments[0, k.MACROS]
    segments[0, k.TIP_ON] = 1.0  # the ties themselves say which joint a tip touches
    return replace(
        drive,
        segments=segments,
        around=drive.around[:1],
        paces=np.ones_like(drive.paces[:1]),
    )


def _places_mm(lands: Sequence[Land]) -> list[float]:
    """Where each land lies along the way of a tip, from the first."""
    places = [0.0]
    for here, there in itertools.pairwise(lands):
        places.append(places[-1] + _apart_mm(here, there))
    return places


def _apart_mm(here: Land, there: Land) -> float:
    return max(math.hypot(here.x_mm - there.x_mm, here.y_mm - there.y_mm), 1e-6)


def _place_mm(tip: Tip, length_mm: float, now_s: float) -> float:
    """Where a tip is on its way: to and fro, or resting on either end in turn."""
    if tip.dwell_s > 0:
        return 0.0 if int(now_s / tip.dwell_s) % 2 == 0 else length_mm
    if length_mm <= 0:
        return 0.0
    turn = (now_s * tip.speed_mm_s / length_mm) % 2.0
    return length_mm * (turn if turn <= 1.0 else 2.0 - turn)
