"""When each moment of a heat comes, with its band: one answer for headline, list and clock."""

from collections.abc import Sequence
from dataclasses import dataclass

from yellowfen.core.heat.rehearsal import Rehearsal
from yellowfen.core.heat.sample import Sample
from yellowfen.core.heat.scene import Scene
from yellowfen.core.heat.story import Event, EventKind, tell
from yellowfen.core.heat.sureness import Band, Sureness, band_of

MOMENTS = (EventKind.FLUX_THINS, EventKind.FIRST_MELT, EventKind.ALL_MOLTEN, EventKind.FROZEN)


@dataclass(frozen=True)
class MomentBands:
    """Bands in s of the `MOMENTS`: of `each` target, and of the `last` target that reaches one.

    A band holds what the forecast itself tells of that moment.
    """

    each: dict[str, dict[EventKind, Band]]
    last: dict[EventKind, Band]


def moment_bands(sure: Sureness, scene: Scene, rehearsal: Rehearsal) -> MomentBands:
    """The bands of a heat's moments, by its samples and by its own forecast."""
    told = {(event.ref, event.kind): event for event in tell(scene, rehearsal)}
    each, last = {}, {}
    for place, ref in enumerate(sure.targets):
        each[ref] = {
            kind: _band([_moment(sample, place, kind) for sample in sure.samples], kind).holding(
                _at(told.get((ref, kind)))
            )
            for kind in MOMENTS
        }
    for kind in MOMENTS:
        events = [told[ref, kind] for ref in sure.targets if (ref, kind) in told]
        whole = len(events) == len(sure.targets)
        last[kind] = _band([_last(sample, kind) for sample in sure.samples], kind).holding(
            max((event.at_s for event in events), default=None) if whole else None
        )
    return MomentBands(each, last)


def _at(event: Event | None) -> float | None:
    return None if event is None else event.at_s


def _moment(sample: Sample, place: int, kind: EventKind) -> float | None:
    if kind is EventKind.ALL_MOLTEN:
        return sample.melts_s[place]
    flux, first, solid = sample.moments[place]
    return {EventKind.FLUX_THINS: flux, EventKind.FIRST_MELT: first}.get(kind, solid)


def _last(sample: Sample, kind: EventKind) -> float | None:
    """When the last target of a sample is there; None where one never is. Solid counts only what
    was molten.
    """
    found = [_moment(sample, place, kind) for place in range(len(sample.melts_s))]
    known = [at for at in found if at is not None]
    if kind is not EventKind.FROZEN and len(known) < len(found):
        return None
    return max(known, default=None)


def _band(moments: Sequence[float | None], kind: EventKind) -> Band:
    """The band over samples; what never melts need not be solid again."""
    if kind is EventKind.FROZEN:
        moments = [at for at in moments if at is not None]
    return band_of([*moments] or [None])
