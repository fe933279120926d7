"""The heat of a plate or oven against the paste's window and the component maxima, criterion by
criterion.

Windows: paste makers' habit (common practice). Maxima: IPC/JEDEC J-STD-020, as remembered; only its
maxima protect the user, its minima are the part maker's test. Process window index = the worst
criterion's share of its half-width.
"""

from dataclasses import dataclass

import numpy as np

from yellowfen.core.heat.rehearsal import Rehearsal
from yellowfen.core.heat.scene import Array, Scene
from yellowfen.core.metal.alloy import Alloy, alloy_named
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


def profile_of(scene: Scene, rehearsal: Rehearsal) -> Profile:
    """Criteria of the target joints: coldest for what must be reached, hottest for what must not be
    passed.
    """
    columns = [index for index, joint in enumerate(rehearsal.joints) if joint.ref in scene.targets]
    times, joints = rehearsal.times_s, rehearsal.joint_c[:, columns]
    alloy = alloy_named(scene.part(scene.targets[0]).alloy)
    low, high = soak_band_c(alloy)
    coldest, hottest = joints.min(axis=1), joints.max(axis=1)
    liquid = [_seconds(times, joints[:, i] > alloy.liquidus_c) for i in range(joints.shape[1])]
    top = int(np.argmax(hottest))
    leaded = "Pb" in alloy.name
    paste, standard = "paste makers' windows, common practice", "J-STD-020 maximum, as remembered"
    criteria = [
        ProfileFigure(
            name=f"soak, {low:.0f} to {high:.0f} °C",
            value=_soak_s(times, coldest, low, high),
            low=SOAK_LOW_S,
            high=SOAK_HIGH_S,
            unit="s",
            source=paste,
        ),
        ProfileFigure(
            name="shortest time above liquidus",
            value=min(liquid),
            low=LIQUID_LOW_S,
            high=LIQUID_HIGH_S,
            unit="s",
            source=paste,
        ),
        ProfileFigure(
            name="longest time above liquidus",
            value=max(liquid),
            low=None,
            high=LIQUID_MOST_S,
            unit="s",
            source=standard,
        ),
        ProfileFigure(
            name="coldest joint's peak",
            value=float(coldest.max()),
            low=alloy.liquidus_c + PEAK_LOW_K,
            high=alloy.liquidus_c + PEAK_HIGH_K,
            unit="°C",
            source=paste,
        ),
        ProfileFigure(
            name="steepest rise",
            value=steepest(times, hottest),
            low=None,
            high=RISE_K_S,
            unit="K/s",
            source=standard,
        ),
        ProfileFigure(
            name="steepest fall",
            value=steepest(times, -hottest),
            low=None,
            high=FALL_K_S,
            unit="K/s",
            source=standard,
        ),
        ProfileFigure(
            name="time to peak",
            value=float(times[top]),
            low=None,
            high=TO_PEAK_LEADED_S if leaded else TO_PEAK_FREE_S,
            unit="s",
            source=standard,
        ),
    ]
    criteria += [
        ProfileFigure(
            name=f"body of {ref}",
            value=part.body_peak_c,
            low=None,
            high=part.limit_c,
            unit="°C",
            source=part.limit_why,
        )
        for ref in scene.targets
        for part in [rehearsal.part(ref)]
    ]
    criteria += [
        ProfileFigure(
            name=f"{ref} within 5 °C of its limit or above",
            value=_near_limit_s(rehearsal, ref),
            low=None,
            high=NEAR_LEADED_S if leaded else NEAR_FREE_S,
            unit="s",
            source=standard,
        )
        for ref in scene.targets
    ]
    return Profile(tuple(criteria))


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
