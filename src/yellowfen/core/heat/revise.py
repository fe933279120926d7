"""A forecast revised by what is seen at the bench.

Laws: every tap moves every sampled course towards what was seen, in logs, by as much as the two
hang together over the samples (the gain of an ensemble's Kalman step, its spread narrowed by the
matching square root); nothing is simulated. One stop of a tour teaches the others how strongly the
air heats and no more: none of them moves by a larger share than it did. Without taps nothing
changes. A tap that the samples hold for next to impossible is doubtful: it moves nothing until it
is confirmed or a second one agrees. No single tap makes the cautious stop later, none makes it
vanish.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from yellowfen.core.heat.follow import SETTLE_S, is_tour, stops_of
from yellowfen.core.heat.sample import Sample
from yellowfen.core.heat.scene import Array, Move
from yellowfen.core.heat.sureness import Band, band_of, watched_stop
from yellowfen.core.source.mark import Mark, constant

_M = Mark.FROM_MEMORY
EYE_DELAY_S = constant(
    "eye_delay",
    1.0,
    "s",
    mark=_M,
    source="from the shine to the key",
    affects="what a tap says of a heat",
)
EYE_SD_S = constant(
    "eye_delay_spread",
    1.0,
    "s",
    mark=_M,
    source="some see it at once, some look twice",
    affects="what a tap says of a heat",
)
MODEL_LOG_SD = constant(
    "revised_model",
    0.045,
    "log",
    mark=Mark.JUDGED,
    source="what the model is wrong by from one moment to the next: bands of 80 synthetic benches",
    affects="bands after a tap",
)
RUN_LOG_SD = constant(
    "run_to_run",
    0.15,
    "log",
    mark=_M,
    source="one hand on two equal boards: aim, distance, how they lie",
    affects="what the next board is told",
)
DOUBTFUL_SD = 2.4
MOST_GAIN = 1.0  # of another stop, in logs: what a stop teaches is how strongly the air heats
Z_OF_TENTH = 1.2816
WIDEST_LOG_SD = 0.5  # wider than any bench: samples that never flow stand at ten minutes
NEVER_S, SOONEST_S = 600.0, 0.3
_NOISE = tuple(MODEL_LOG_SD * z for z in (-1.2816, -0.5244, 0.0, 0.5244, 1.2816))


class StopSight(StrEnum):
    """What is seen at a stop."""

    FLUX = "flux"
    SHINE = "shine"
    FLOWED = "flowed"


@dataclass(frozen=True, kw_only=True)
class StopCourse:
    """What the samples come to at one stop, seconds since the nozzle came (None: never); one value
    a sample, of `flows_s` one row a part. `harm_s`: the first harm if one stayed.
    """

    refs: tuple[str, ...]
    flux_s: tuple[float | None, ...]
    shine_s: tuple[float | None, ...]
    flows_s: tuple[tuple[float | None, ...], ...]
    harm_s: tuple[float | None, ...]


@dataclass(frozen=True, kw_only=True)
class Course:
    """The samples of a heat, stop by stop; a heat that is no tour has one, from the start on.
    `taught`: moved already by what an earlier board showed. `watched`: it ends as soon as all has
    flowed, as every stop of a tour does.
    """

    stops: tuple[StopCourse, ...]
    tour: bool = False
    taught: bool = False
    watched: bool = False


@dataclass(frozen=True, kw_only=True)
class Seen:
    """One tap: at which stop, what, so many seconds after the nozzle came; of which parts (all of
    the stop where none is named); `sure` where it was confirmed.
    """

    stop: int
    what: StopSight
    after_s: float
    refs: tuple[str, ...] = ()
    sure: bool = False


@dataclass(frozen=True, kw_only=True)
class RevisedStop:
    """A stop as it is to be expected now, seconds since the nozzle came; `stop_s` is the cautious
    end, None where no harm is in sight.
    """

    refs: tuple[str, ...]
    flux: Band
    shine: Band
    flows: tuple[Band, ...]
    whole: Band
    stop_s: float | None


@dataclass(frozen=True, kw_only=True)
class Revised:
    """A heat as it is to be expected after these taps; `doubtful` are the places of taps that moved
    nothing.
    """

    stops: tuple[RevisedStop, ...]
    doubtful: tuple[int, ...] = ()


def course_of(
    targets: Sequence[str],
    moves: Sequence[Move],
    samples: Sequence[Sample],
    *,
    watched: bool = False,
) -> Course:
    """The course that samples of a heat took. `moves` are its moves with heat; `watched` one that
    ends as soon as all has flowed.
    """
    place = {ref: number for number, ref in enumerate(targets)}
    stops = []
    found = [number for number, move in enumerate(moves) if move in stops_of((move,))]
    for number in found if is_tour(moves) else [-1]:
        refs = tuple(targets) if number < 0 else (*moves[number].over, *moves[number].awaits)
        mine = [place[ref] for ref in dict.fromkeys(refs) if ref in place]
        came = [0.0 if number < 0 else one.stays[number].began_s for one in samples]

        def since(values: list[float | None], came: list[float] = came) -> tuple[float | None, ...]:
            return tuple(
                None if at is None else max(at - began, 0.0)
                for at, began in zip(values, came, strict=True)
            )

        stops.append(
            StopCourse(
                refs=tuple(targets[one] for one in mine),
                flux_s=since([_first(one.moments[i][0] for i in mine) for one in samples]),
                shine_s=since([_first(one.moments[i][1] for i in mine) for one in samples]),
                flows_s=tuple(since([one.melts_s[i] for one in samples]) for i in mine),
                harm_s=tuple(
                    one.harm_s if number < 0 else one.stays[number].harm_s for one in samples
                ),
            )
        )
    tour = is_tour(moves)
    return Course(stops=tuple(stops), tour=tour, watched=tour or watched)


def _first(values: Iterable[float | None]) -> float | None:
    return min((one for one in values if one is not None), default=None)


class _Ensemble:
    """The samples' moments as logs, (samples, quantities), and which column is what."""

    def __init__(self, course: Course) -> None:
        self.columns: dict[tuple[int, str], int] = {}
        rows: list[Array] = []
        for number, stop in enumerate(course.stops):
            named = [
                (StopSight.FLUX, stop.flux_s),
                (StopSight.SHINE, stop.shine_s),
                ("harm", stop.harm_s),
            ]
            named += [
                (f"flowed {ref}", row) for ref, row in zip(stop.refs, stop.flows_s, strict=True)
            ]
            for name, values in named:
                self.columns[number, str(name)] = len(rows)
                known = np.array([NEVER_S if value is None else value for value in values])
                rows.append(np.log(np.clip(known, SOONEST_S, NEVER_S)))
        self.logs = np.array(rows, dtype=float).T
        self.stops = np.array([stop for stop, _ in self.columns])

    def of(self, seen: Seen, refs: Sequence[str]) -> Array:
        """The samples' own logs of what was seen; several parts have flowed with their last."""
        if seen.what is not StopSight.FLOWED:
            return np.asarray(self.logs[:, self.columns[seen.stop, str(seen.what)]])
        mine = [self.columns[seen.stop, f"flowed {ref}"] for ref in refs]
        return np.asarray(self.logs[:, mine].max(axis=1))

    def surprise(self, seen: Seen, refs: Sequence[str]) -> float:
        """How many standard deviations a tap lies from the middle, early below zero. The deviation
        is that of the half in which it lies, by the samples' tenths: samples in which nothing ever
        flows would make any lateness believable. What is told too early is held against the eye's
        second at the moment when it should come, of which it is the smaller part.
        """
        low, middle, high = np.quantile(self.of(seen, refs), (0.1, 0.5, 0.9))
        out = _seen_log(seen) - float(middle)
        half = float(high - middle if out > 0 else middle - low) / Z_OF_TENTH
        when = replace(seen, after_s=max(seen.after_s, math.exp(float(middle))))
        return out / math.sqrt(min(half, WIDEST_LOG_SD) ** 2 + _noise2(when))

    def take(self, seen: Seen, refs: Sequence[str]) -> None:
        """Move all samples towards a tap."""
        x = self.of(seen, refs)
        mean, spread2, noise2 = float(x.mean()), float(x.var()), _noise2(seen)
        if spread2 < 1e-12:
            return
        gap = _seen_log(seen) - mean
        # What lies far out is believed when it is confirmed: then the samples were too narrow.
        spread2 = max(spread2, gap * gap / DOUBTFUL_SD**2 - noise2)
        away = x - mean
        gain = (self.logs - self.logs.mean(axis=0)).T @ away / len(away) / float(x.var())
        share = spread2 / (spread2 + noise2)
        narrow = 1.0 / (1.0 + math.sqrt(noise2 / (spread2 + noise2)))
        moved = np.outer(share * (gap - narrow * away), gain)
        beside = self.stops != seen.stop
        if beside.any():
            moved[:, beside] = self._taught(x, _seen_log(seen), noise2)[:, beside]
        self.logs = self.logs + moved

    def _taught(self, x: Array, seen: float, noise2: float) -> Array:
        """What a tap at one stop moves the others by: the same step, within the tenths of what was
        sampled, so that what never melts in some samples, or at once, sets no pace.
        """
        held, logs = _within(x[:, None])[:, 0], _within(self.logs)
        away, spread2 = held - held.mean(), max(float(held.var()), 1e-9)
        gain = (logs - logs.mean(axis=0)).T @ away / len(away) / spread2
        share = spread2 / (spread2 + noise2)
        narrow = 1.0 / (1.0 + math.sqrt(noise2 / (spread2 + noise2)))
        gap, gain = seen - float(held.mean()), np.clip(gain, 0.0, MOST_GAIN)
        never = self.logs >= math.log(0.98 * NEVER_S)
        narrower = np.where(never.any(axis=0), 0.0, narrow)  # between some and never is no middle
        return np.where(never, 0.0, share * (gap - np.outer(away, narrower)) * gain)


def _within(logs: Array) -> Array:
    """Each column held within its tenths."""
    low, high = np.quantile(logs, (0.1, 0.9), axis=0)
    return np.asarray(np.clip(logs, low, high))


def _log(value: float | None) -> float:
    return math.log(min(max(NEVER_S if value is None else value, SOONEST_S), NEVER_S))


def _seen_log(seen: Seen) -> float:
    return _log(seen.after_s - EYE_DELAY_S)


def _noise2(seen: Seen) -> float:
    """Variance of a tap's log: the eye and the hand, and the model itself."""
    return (EYE_SD_S / max(seen.after_s, 1.0)) ** 2 + MODEL_LOG_SD**2


def revise(course: Course, taps: Sequence[Seen]) -> Revised:
    """What is to be expected now. Taps in their order; one of a stop or part that the course does
    not have is left out.
    """
    ensemble, first = _Ensemble(course), _Ensemble(course)
    doubtful, agreed = _taken(course, ensemble, taps)
    stops = tuple(
        _stop(course, number, (first, ensemble), agreed) for number in range(len(course.stops))
    )
    return Revised(stops=stops, doubtful=tuple(doubtful))


def too_early(course: Course, taps: Sequence[Seen], seen: Seen) -> bool:
    """True for something told earlier than the samples, moved by what was seen, hold for possible."""
    if not 0 <= seen.stop < len(course.stops):
        return False
    ensemble = _Ensemble(course)
    _taken(course, ensemble, taps)
    refs = [ref for ref in course.stops[seen.stop].refs if ref in seen.refs]
    return bool(refs) and ensemble.surprise(seen, refs) < -DOUBTFUL_SD


def carried_on(course: Course, taps: Sequence[Seen]) -> Course:
    """The course that the next board of the same heat begins with: moved by these taps, as far
    apart again as two runs by one hand are (never farther than it was).
    """
    ensemble, first = _Ensemble(course), _Ensemble(course)
    if not _taken(course, ensemble, taps)[1]:
        return course
    middle = ensemble.logs.mean(axis=0)
    away, was = ensemble.logs - middle, first.logs - first.logs.mean(axis=0)
    spread = np.maximum(away.std(axis=0), 1e-9)
    wanted = np.minimum(np.hypot(spread, RUN_LOG_SD), was.std(axis=0))
    unit = np.where(was.std(axis=0) > 1e-9, was / np.maximum(was.std(axis=0), 1e-9), 0.0)
    logs = middle + unit * np.maximum(wanted, spread)

    def column(number: int, name: str) -> tuple[float | None, ...]:
        values = np.exp(logs[:, ensemble.columns[number, name]]).tolist()
        return tuple(None if one >= 0.98 * NEVER_S else float(one) for one in values)

    stops = tuple(
        StopCourse(
            refs=stop.refs,
            flux_s=column(number, StopSight.FLUX),
            shine_s=column(number, StopSight.SHINE),
            flows_s=tuple(column(number, f"flowed {ref}") for ref in stop.refs),
            harm_s=column(number, "harm"),
        )
        for number, stop in enumerate(course.stops)
    )
    return replace(course, stops=stops, taught=True)


def _taken(course: Course, ensemble: _Ensemble, taps: Sequence[Seen]) -> tuple[list[int], int]:
    """Move an ensemble by taps: the places of those that are doubtful, how many were believed."""
    doubtful: list[int] = []
    agreed = 0
    waiting: tuple[int, float] | None = None
    for number, seen in enumerate(taps):
        if not 0 <= seen.stop < len(course.stops):
            continue
        refs = [ref for ref in course.stops[seen.stop].refs if not seen.refs or ref in seen.refs]
        if not refs:
            continue
        out = ensemble.surprise(seen, refs)
        if abs(out) > DOUBTFUL_SD and not seen.sure:
            if waiting is None or (waiting[1] < 0) != (out < 0):
                waiting = number, out
                doubtful.append(number)
                continue
            doubtful.remove(waiting[0])  # the second that says so: both are believed
            waiting = None
        ensemble.take(seen, refs)
        agreed += 1
    return doubtful, agreed


def _stop(
    course: Course, number: int, ensembles: tuple[_Ensemble, _Ensemble], agreed: int
) -> RevisedStop:
    stop = course.stops[number]
    first, ensemble = ensembles

    def band(name: str) -> Band:
        return _band(ensemble.logs[:, ensemble.columns[number, name]], agreed > 0)

    mine = [ensemble.columns[number, f"flowed {ref}"] for ref in stop.refs]
    harm = ensemble.columns[number, "harm"]
    if course.tour or course.watched:
        before, now = (
            watched_stop(
                (np.exp(one.logs[:, mine].max(axis=1)) + SETTLE_S).tolist(),
                [None if at >= 0.98 * NEVER_S else at for at in np.exp(one.logs[:, harm]).tolist()],
            )
            for one in ensembles
        )
    else:
        before, now = _band(first.logs[:, harm], False).low, band("harm").low
    stop_s = before if now is None else now if agreed > 1 or before is None else min(now, before)
    return RevisedStop(
        refs=stop.refs,
        flux=band(StopSight.FLUX),
        shine=band(StopSight.SHINE),
        flows=tuple(band(f"flowed {ref}") for ref in stop.refs),
        whole=_band(ensemble.logs[:, mine].max(axis=1), agreed > 0),
        stop_s=stop_s,
    )


def _band(logs: Array, noisy: bool) -> Band:
    spread = logs[:, None] + np.array(_NOISE if noisy else (0.0,))[None, :]
    values = np.exp(spread.ravel())
    return band_of([None if one >= 0.98 * NEVER_S else float(one) for one in values])
