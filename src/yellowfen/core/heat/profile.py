"""The heat of a plate or oven against the paste's window and the component maxima, criterion by
criterion.

Windows: paste makers' habit (common practice). Maxima: IPC/JEDEC J-STD-020, as remembered; only its
maxima protect the user, its minima are the part maker's test. Process window index = the worst
criterion's share of its half-width.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from yellowfen.core.heat.rehearsal import Rehearsal
from yellowfen.core.heat.scene import Array, Scene
from yellowfen.core.metal.alloy import Alloy, alloy_named
from yellowfen.core.quantity.units import CELSIUS, span_with_unit, with_unit
from yellowfen.core.source.mark import Mark, constant

_C, _M = Mark.COMMON_PRACTICE, Mark.FROM_MEMORY
SOAK_LOW_S = constant(
    "soak_shortest", 60.0, "s", mark=_C, source="paste makers' windows", affects="profile: soak"
)
SOAK_HIGH_S = constant(
    "soak_longest", 120.0, "s", mark=_C, source="paste makers' windows", affects="profile: soak"
)
LIQUID_LOW_S = constant(
    "liquid_shortest",
    30.0,
    "s",
    mark=_C,
    source="paste makers' windows, 30 to 90 s",
    affects="profile: time above liquidus",
)
LIQUID_HIGH_S = constant(
    "liquid_longest",
    90.0,
    "s",
    mark=_C,
    source="paste makers' windows, 30 to 90 s",
    affects="profile: time above liquidus",
)
PEAK_LOW_K = constant(
    "peak_lowest",
    20.0,
    "K above liquidus",
    mark=_C,
    source="paste makers' windows",
    affects="profile: peak",
)
PEAK_HIGH_K = constant(
    "peak_highest",
    45.0,
    "K above liquidus",
    mark=_C,
    source="paste makers' windows",
    affects="profile: peak",
)
RISE_K_S = constant(
    "profile_rise",
    3.0,
    "K/s",
    mark=_M,
    source="IPC/JEDEC J-STD-020, as remembered",
    affects="profile: rise",
)
FALL_K_S = constant(
    "profile_fall",
    6.0,
    "K/s",
    mark=_M,
    source="IPC/JEDEC J-STD-020, as remembered",
    affects="profile: fall",
)
LIQUID_MOST_S = constant(
    "profile_liquid_most",
    150.0,
    "s",
    mark=_M,
    source="IPC/JEDEC J-STD-020, as remembered",
    affects="profile: time above liquidus",
)
TO_PEAK_LEADED_S = constant(
    "profile_to_peak_leaded",
    360.0,
    "s",
    mark=_M,
    source="IPC/JEDEC J-STD-020, as remembered",
    affects="profile: time to peak",
)
TO_PEAK_FREE_S = constant(
    "profile_to_peak_lead_free",
    480.0,
    "s",
    mark=_M,
    source="IPC/JEDEC J-STD-020, as remembered",
    affects="profile: time to peak",
)
NEAR_LEADED_S = constant(
    "near_limit_leaded",
    20.0,
    "s",
    mark=_M,
    source="IPC/JEDEC J-STD-020, within 5 °C of the class temperature, as remembered",
    affects="profile: body near its limit",
)
NEAR_FREE_S = constant(
    "near_limit_lead_free",
    30.0,
    "s",
    mark=_M,
    source="IPC/JEDEC J-STD-020, within 5 °C of the class temperature, as remembered",
    affects="profile: body near its limit",
)
NEAR_K = 5.0
SPAN_S = 2.0


@dataclass(frozen=True, kw_only=True)
class ProfileFigure:
    """One figure of a profile: its value, the window, where the window comes from, and the share of
    the half-width used (1 = at the border).
    """

    name: str
    value: float
    low: float | None
    high: float
    unit: str
    source: str

    @property
    def used(self) -> float:
        """|value − centre| ÷ half-width; for a mere maximum value ÷ maximum."""
        if self.low is None:
            return self.value / self.high
        return abs(self.value - 0.5 * (self.low + self.high)) / (0.5 * (self.high - self.low))

    @property
    def inside(self) -> bool:
        return self.used <= 1.0


@dataclass(frozen=True)
class Profile:
    """All criteria of the targets' joints and bodies."""

    criteria: tuple[ProfileFigure, ...]

    @property
    def index_percent(self) -> float:
        """Process window index, %: below 100 every criterion is inside."""
        return 100.0 * max(one.used for one in self.criteria)

    @property
    def worst(self) -> ProfileFigure:
        return max(self.criteria, key=lambda one: one.used)


def soak_band_c(alloy: Alloy) -> tuple[float, float]:
    """The soak's temperatures: 100–150 °C for leaded, 150–200 °C for lead-free [from memory]; by
    the liquidus for others.
    """
    if 200 <= alloy.liquidus_c <= 230:
        return 150.0, 200.0
    if 175 <= alloy.liquidus_c < 200:
        return 100.0, 150.0
    return alloy.liquidus_c - 48.0, alloy.liquidus_c - 8.0


_PASTE = "paste makers' windows, common practice"
_STANDARD = "J-STD-020 maximum, as remembered"


def profile_of(scene: Scene, rehearsal: Rehearsal) -> Profile:
    """Criteria of the target joints: coldest for what must be reached, hottest for what must not be
    passed.
    """
    columns = [index for index, joint in enumerate(rehearsal.joints) if joint.ref in scene.targets]
    times, joints = rehearsal.times_s, rehearsal.joint_c[:, columns]
    alloy = alloy_named(scene.part(scene.targets[0]).alloy)
    leaded = "Pb" in alloy.name
    return Profile(
        (
            *_wanted(times, joints, alloy),
            *_at_most(times, joints.max(axis=1), leaded),
            *_of_bodies(scene, rehearsal, leaded),
        )
    )


def _wanted(times: Array, joints: Array, alloy: Alloy) -> tuple[ProfileFigure, ...]:
    """What the paste wants: soak, seconds liquid, the coldest joint's peak."""
    low, high = soak_band_c(alloy)
    coldest = joints.min(axis=1)
    liquid = [_seconds(times, joints[:, i] > alloy.liquidus_c) for i in range(joints.shape[1])]
    return (
        ProfileFigure(
            name=f"soak, {span_with_unit(low, high, CELSIUS, 0)}",
            value=_soak_s(times, coldest, low, high),
            low=SOAK_LOW_S,
            high=SOAK_HIGH_S,
            unit="s",
            source=_PASTE,
        ),
        ProfileFigure(
            name="shortest time above liquidus",
            value=min(liquid),
            low=LIQUID_LOW_S,
            high=LIQUID_HIGH_S,
            unit="s",
            source=_PASTE,
        ),
        _most("longest time above liquidus", max(liquid), LIQUID_MOST_S, "s"),
        ProfileFigure(
            name="coldest joint's peak",
            value=float(coldest.max()),
            low=alloy.liquidus_c + PEAK_LOW_K,
            high=alloy.liquidus_c + PEAK_HIGH_K,
            unit="°C",
            source=_PASTE,
        ),
    )


def _at_most(times: Array, hottest: Array, leaded: bool) -> tuple[ProfileFigure, ...]:
    """What the standard allows at most of the hottest joint's course."""
    to_peak = float(times[int(np.argmax(hottest))])
    return (
        _most("steepest rise", steepest(times, hottest), RISE_K_S, "K/s"),
        _most("steepest fall", steepest(times, -hottest), FALL_K_S, "K/s"),
        _most("time to peak", to_peak, TO_PEAK_LEADED_S if leaded else TO_PEAK_FREE_S, "s"),
    )


def _of_bodies(scene: Scene, rehearsal: Rehearsal, leaded: bool) -> Iterator[ProfileFigure]:
    """Every target's body against its limit, then how long each is near it."""
    for ref in scene.targets:
        part = rehearsal.part(ref)
        yield _most(f"body of {ref}", part.body_peak_c, part.limit_c, "°C", part.limit_why)
    near_s = NEAR_LEADED_S if leaded else NEAR_FREE_S
    for ref in scene.targets:
        spent = _near_limit_s(rehearsal, ref)
        yield _most(
            f"{ref} within {with_unit(5, CELSIUS)} of its limit or above", spent, near_s, "s"
        )


def _most(
    name: str, value: float, high: float, unit: str, source: str = _STANDARD
) -> ProfileFigure:
    return ProfileFigure(name=name, value=value, low=None, high=high, unit=unit, source=source)


def _near_limit_s(rehearsal: Rehearsal, ref: str) -> float:
    column = [part.ref for part in rehearsal.parts].index(ref)
    return _seconds(
        rehearsal.times_s, rehearsal.body_c[:, column] >= rehearsal.part(ref).limit_c - NEAR_K
    )


def _seconds(times: Array, where: np.ndarray) -> float:
    return float(np.diff(times, prepend=0.0)[where].sum())


def _soak_s(times: Array, curve: Array, low: float, high: float) -> float:
    """Seconds between the two temperatures on the way up."""
    top = int(np.argmax(curve))
    rising = curve[: top + 1]
    return _seconds(times[: top + 1], (rising >= low) & (rising <= high))


def steepest(times: Array, curve: Array) -> float:
    """Steepest rise, read over a span of a couple of seconds, K/s."""
    later = np.minimum(np.searchsorted(times, times + SPAN_S), len(times) - 1)
    span = times[later] - times
    rise = (curve[later] - curve)[span > 0.5 * SPAN_S] / span[span > 0.5 * SPAN_S]
    return max(float(rise.max(initial=0.0)), 0.0)
