"""How sure a forecast is: samples of what is not known run to their end, and the bands, odds and
blame that follow.

Laws: a band is the middle 80 % of what could happen, between the samples at 0.1 and 0.9 of n + 1
places; the share of an input in the spread of a melt time is its squared correlation.
"""

import math
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from yellowfen.core.heat.doubt import Doubts, Unknown, even_draws, unknowns_of
from yellowfen.core.heat.follow import is_tour, resolution_for
from yellowfen.core.heat.outcome import (
    heating_moves,
)
from yellowfen.core.heat.rehearsal import (
    Rehearsal,
    Resolution,
)
from yellowfen.core.heat.sample import DOUBT_RESOLUTION, Sample, one_sample
from yellowfen.core.heat.scene import (
    Scene,
    near_the_heat,
)
from yellowfen.core.heat.source import HotAir
from yellowfen.core.heat.story import all_molten_s

LOW, HIGH = 0.1, 0.9
SAMPLES, MORE_SAMPLES = 23, 97


@dataclass(frozen=True)
class Band:
    """The middle 80 % of an answer over the samples; None where it lies beyond what was run."""

    low: float | None
    middle: float | None
    high: float | None

    def holding(self, told: float | None) -> "Band":
        """The band that is told with a value of its own: never beside it."""
        if told is None:
            return self
        low = told if self.low is None else min(self.low, told)
        return Band(low, self.middle, None if self.high is None else max(self.high, told))


@dataclass(frozen=True)
class Blame:
    """How much of the spread of the last melt one unknown makes, 0..1."""

    unknown: Unknown
    share: float


@dataclass(frozen=True)
class PartBands:
    """One part: when it comes loose as a neighbour, when its body passes its limit, the heat going
    on.
    """

    ref: str
    loose: Band
    limit: Band


@dataclass(frozen=True, kw_only=True)
class StayBand:
    """One heating move of a tour: how long it takes; when one that has not flowed is to be left
    (`watched_stop`; None: staying until it flows does no harm), and why.
    """

    took: Band
    latest_s: float | None
    latest_why: str


@dataclass(frozen=True, kw_only=True)
class Sureness:
    """Bands per target and for the first harm, the odds of each fate (share of samples, of
    `count`), and who is to blame; of a tour also its heating moves. `samples` are what it was read
    off.
    """

    targets: tuple[str, ...]
    melts: tuple[Band, ...]
    harm: Band
    harm_why: str
    fates: dict[str, int]
    count: int
    blame: tuple[Blame, ...]
    peak_c: Band
    bodies: tuple[Band, ...]
    loose: Band
    parts: tuple[PartBands, ...]
    stays: tuple[StayBand, ...] = ()
    samples: tuple[Sample, ...] = ()

    @property
    def total(self) -> Band:
        """How long a tour takes in all."""
        totals = [float(sum(stay.took_s for stay in one.stays)) for one in self.samples]
        return band_of([*totals]) if self.stays else Band(None, None, None)


def sureness(
    scene: Scene,
    doubts: Doubts,
    fine: Rehearsal,
    count: int = MORE_SAMPLES,
    on_sample: Callable[[Sample], None] | None = None,
    begun: Sequence[Sample] = (),
) -> Sureness:
    """How sure a forecast is, as every page and command says it: parts far from a nozzle left out,
    samples tied to the forecast. `begun`: the first samples of the same question, where it was
    left.
    """
    here = near_the_heat(scene) if isinstance(scene.source, HotAir) else scene
    resolution = resolution_for(scene) if is_tour(scene.moves) else DOUBT_RESOLUTION
    return how_sure(
        here, doubts, count, resolution=resolution, on_sample=on_sample, fine=fine, begun=begun
    )


def how_sure(
    scene: Scene,
    doubts: Doubts,
    count: int = SAMPLES,
    resolution: Resolution = DOUBT_RESOLUTION,
    on_sample: Callable[[Sample], None] | None = None,
    fine: Rehearsal | None = None,
    *,
    by_eye: bool = False,
    look_on: bool = True,
    begun: Sequence[Sample] = (),
) -> Sureness:
    """Sample the scene's unknowns and read off bands, odds and blame.

    About `count` coarse rehearsals, less those of the first samples, `begun`.

    With `fine`, the forecast on the fine grid, the samples' melt times are tied to it: each is
    moved by the ratio in which the coarse grid misses the forecast in the middle.
    """
    unknowns = unknowns_of(scene)
    draws = even_draws(count, len(unknowns))
    keys = [one.key for one in unknowns]
    samples = list(begun)
    for row in draws[len(samples) :]:
        samples.append(
            one_sample(
                scene,
                doubts,
                dict(zip(keys, row.tolist(), strict=True)),
                resolution,
                by_eye=by_eye,
                look_on=look_on,
            )
        )
        if on_sample:
            on_sample(samples[-1])
    if fine is not None:
        middle = one_sample(scene, doubts, dict.fromkeys(keys, 0.0), resolution)
        samples = _tied(samples, middle, fine, scene)
    return summed_up(scene, unknowns, tuple(samples))


def fine_to_coarse(fine: float | None, coarse: float | None) -> float:
    """By what a moment of a coarse sample is moved: 0.8 to 1.25; 1 where either never came."""
    return min(max(fine / coarse, 0.8), 1.25) if fine is not None and coarse else 1.0


def _tied(samples: list[Sample], middle: Sample, fine: Rehearsal, scene: Scene) -> list[Sample]:
    """Samples with first and last melts moved by what the fine grid says of the middle one; the
    stays of a tour by its planned seconds, which come from the fine grid.
    """
    targets = scene.targets
    seconds = [move.seconds for move in heating_moves(scene)]

    joints = [fine.joints_of(ref) for ref in targets]
    firsts = [
        min((one.melt_start_s for one in mine if one.melt_start_s is not None), default=None)
        for mine in joints
    ]
    lasts = [
        fine_to_coarse(all_molten_s(mine), coarse)
        for mine, coarse in zip(joints, middle.melts_s, strict=True)
    ]
    starts = [
        fine_to_coarse(seen, moments[1])
        for seen, moments in zip(firsts, middle.moments, strict=True)
    ]
    return [
        replace(
            one,
            melts_s=tuple(at and at * share for at, share in zip(one.melts_s, lasts, strict=True)),
            moments=tuple(
                (flux, first and first * share, solid)
                for (flux, first, solid), share in zip(one.moments, starts, strict=True)
            ),
            stays=one.stays
            and tuple(
                replace(stay, took_s=stay.took_s * fine_to_coarse(planned, coarse.took_s))
                for stay, planned, coarse in zip(one.stays, seconds, middle.stays, strict=True)
            ),
        )
        for one in samples
    ]


def summed_up(scene: Scene, unknowns: tuple[Unknown, ...], samples: tuple[Sample, ...]) -> Sureness:
    """Bands, odds and blame of samples."""
    melts = tuple(
        band_of([sample.melts_s[i] for sample in samples]) for i in range(len(scene.targets))
    )
    fates: dict[str, int] = {}
    for sample in samples:
        fates[sample.fate] = fates.get(sample.fate, 0) + 1
    return Sureness(
        targets=scene.targets,
        melts=melts,
        harm=band_of([sample.harm_s for sample in samples]),
        harm_why=most_said([sample.harm_why for sample in samples]),
        fates=fates,
        count=len(samples),
        blame=_blame(unknowns, samples),
        peak_c=band_of([sample.peak_c for sample in samples]),
        bodies=tuple(
            band_of([sample.bodies_c[i] for sample in samples]) for i in range(len(scene.targets))
        ),
        loose=band_of([sample.loose_s for sample in samples]),
        parts=_part_bands(scene, samples),
        stays=_stay_bands(samples),
        samples=samples,
    )


def most_said(whys: Sequence[str]) -> str:
    """The reason named most often, of them the first in the alphabet; empty where none is."""
    named = Counter(why for why in whys if why)
    return min(named, key=lambda why: (-named[why], why), default="")


def _stay_bands(samples: tuple[Sample, ...]) -> tuple[StayBand, ...]:
    """How long each heating move of a tour takes, and until when it is safe."""
    found = []
    for place in range(len(samples[0].stays)):
        stays = [sample.stays[place] for sample in samples]
        latest = watched_stop([stay.took_s for stay in stays], [stay.harm_s for stay in stays])
        whys = [one.harm_why for one in stays if latest is not None and one.harm_s == latest]
        found.append(
            StayBand(
                took=band_of([stay.took_s for stay in stays]),
                latest_s=latest,
                latest_why=whys[0] if whys else "",
            )
        )
    return tuple(found)


def watched_stop(took_s: Sequence[float], harm_s: Sequence[float | None]) -> float | None:
    """When a stop that is watched is to be left although it has not flowed: the first moment at
    which more than a tenth of the samples that would still be there are harmed; None for never.

    Samples in which one has left before (it flowed) do not count: strong air shows itself.
    """
    for at in sorted({*took_s, *(harm for harm in harm_s if harm is not None)}):
        there = [harm for took, harm in zip(took_s, harm_s, strict=True) if took > at]
        hurt = sum(harm is not None and harm <= at for harm in there)
        if there and hurt > LOW * len(there):
            return at
    return None


def _part_bands(scene: Scene, samples: tuple[Sample, ...]) -> tuple[PartBands, ...]:
    return tuple(
        PartBands(
            part.ref,
            band_of([one.each_loose_s[i] for one in samples]),
            band_of([one.each_limit_s[i] for one in samples]),
        )
        for i, part in enumerate(scene.parts)
    )


def band_of(values: list[float | None]) -> Band:
    """Quantiles with 'never' as the latest: sample k of n stands at k / (n + 1), so that as much
    lies outside a band as it says.
    """
    ordered = np.sort(np.array([math.inf if value is None else value for value in values]))

    def at(share: float) -> float | None:
        place = min(max(share * (len(ordered) + 1) - 1.0, 0.0), len(ordered) - 1.0)
        below, above = ordered[int(place)], ordered[min(int(place) + 1, len(ordered) - 1)]
        part = place - int(place)
        value = (
            float(below)
            if part == 0.0
            else float(below + part * (above - below))
            if math.isfinite(above)
            else math.inf
        )
        return value if math.isfinite(value) else None

    return Band(at(LOW), at(0.5), at(HIGH))


def _blame(unknowns: tuple[Unknown, ...], samples: tuple[Sample, ...]) -> tuple[Blame, ...]:
    known = [
        sample
        for sample in samples
        if sample.melts_s and all(one is not None for one in sample.melts_s)
    ]
    if len(known) < 6:
        return ()
    last = np.log([max(one for one in sample.melts_s if one is not None) for sample in known])
    draws = np.array([sample.draw for sample in known])
    if float(np.ptp(last)) < 1e-6:
        return ()
    shares = np.array([np.corrcoef(draws[:, i], last)[0, 1] ** 2 for i in range(draws.shape[1])])
    shares = shares / max(float(shares.sum()), 1e-9)
    named: dict[str, Blame] = {}
    for one, share in zip(unknowns, shares.tolist(), strict=True):
        before = named.get(one.name)
        named[one.name] = (
            Blame(one, share) if before is None else Blame(before.unknown, before.share + share)
        )
    return tuple(sorted(named.values(), key=lambda one: -one.share))
