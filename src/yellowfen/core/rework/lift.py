"""When a part may be lifted: from the moment its last joint is liquid until the first harm, both
with their bands; who comes along; what to cover, how to hold the board up.

Laws: the window opens when every joint, the hidden pad too, is liquid in nine of ten samples, and
closes at what the first of ten harms; a window that closes before it opens is none. Harm is a body
past its limit or a part that falls; joints that stay liquid are no harm to a part that is lifted
then.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from yellowfen.core.heat.follow import SETTLE_S
from yellowfen.core.heat.outcome import heating_moves
from yellowfen.core.heat.rehearsal import JointStory, Rehearsal
from yellowfen.core.heat.sample import Sample
from yellowfen.core.heat.scene import PlacedPart, Scene, Side
from yellowfen.core.heat.source import HotAir, HotPlate
from yellowfen.core.heat.sureness import Band, Sureness, band_of, watched_stop
from yellowfen.core.part.hanging import falls, load_g_in2
from yellowfen.core.part.package import JointKind
from yellowfen.core.quantity.units import CELSIUS, SECONDS, with_unit
from yellowfen.core.rework.ways_off import Matters
from yellowfen.core.source.mark import Mark, constant

SUPPORT_MM = constant(
    "support_spacing",
    40.0,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="a 1.6 mm board above its glass transition sags between supports further apart; thinner ones sooner (to the power 3/4)",
    affects="board support while lifting",
)
COMES_SHARE = 0.05
_MORE: dict[type, str] = {
    HotPlate: "set the plate higher, and touch solder wire to it: its dial may be wrong"
}
COVER_SHARE = 0.25


@dataclass(frozen=True, kw_only=True)
class Along:
    """A neighbour that is liquid when the part may be lifted, in this share of the samples; `falls`
    where it hangs underneath and drops.
    """

    ref: str
    share: float
    falls: bool


@dataclass(frozen=True, kw_only=True)
class LiftWindow:
    """When to lift. `opens_s` (None: never surely), `closes_s` (None: no harm in sight) since the
    start; `share` of the samples in which all of it is liquid before any harm;
    `last_pin` with `last_why` is the joint that comes last; `cover` parts to shield; `more`
    what would help where it never opens. Who goes by the nudge leaves a part that hangs still at
    `leave_s`: strong air shows itself before it harms. `heat_s` is how long the moves heat: bands
    and harms are those of a heat that stays.
    """

    opens: Band
    closes: Band
    closed_by: str
    last_ref: str
    last_pin: str
    last_why: str
    first_shine: Band
    comes_along: tuple[Along, ...]
    cover: tuple[str, ...]
    leave_s: float | None = None
    leave_why: str = ""
    more: str = "more heat, nearer, or heat from below"
    heat_s: float = math.inf
    share: float = 1.0

    @property
    def opens_s(self) -> float | None:
        return self.opens.high

    @property
    def closes_s(self) -> float | None:
        return self.closes.low

    @property
    def safe(self) -> bool:
        """True where it opens before it closes."""
        return self.opens_s is not None and (self.closes_s is None or self.closes_s > self.opens_s)

    @property
    def refused(self) -> bool:
        """True where it is to be left before any sample of it is molten."""
        first = self.opens.low
        leave = self.leave_s
        return not self.safe and first is not None and leave is not None and leave <= first

    @property
    def sentence(self) -> str:
        """The answer in one sentence."""
        leave_s, molten_s = self.leave_s, self.opens.low
        if self.refused and leave_s is not None and molten_s is not None:
            return (
                f"Do not lift it with these settings: at {with_unit(leave_s, SECONDS, 0)} {self.leave_why}, and it is"
                f" molten only after {with_unit(molten_s, SECONDS, 0)}. Shield what gets too hot, heat from"
                " below, or choose another method."
            )
        if self.opens_s is None:
            return f"With these settings it is not certain that every joint melts: {self.more}."
        if self.closes_s is None:
            return f"Lift from {with_unit(self.opens_s, SECONDS, 0)} on{self._kept_on}; no damage is predicted while the heat stays on."
        if not self.safe:
            molten = f"Molten between {self.opens.low or 0.0:.0f} and {with_unit(self.opens_s, SECONDS, 0)}."
            if self.leave_s is None:
                return (
                    f"{molten} Nudge it to be sure. Weak air does no harm; strong air shows early."
                )
            return f"{molten} Nudge it to be sure. Stop at {with_unit(self.leave_s, SECONDS, 0)}: {self.leave_why}."
        return f"Lift between {self.opens_s:.0f} and {with_unit(self.closes_s, SECONDS, 0)}{self._kept_on}; then {self.closed_by}."

    @property
    def _kept_on(self) -> str:
        """What to mind where the moves end before the part may be lifted."""
        if self.opens_s is None or self.heat_s >= self.opens_s:
            return ""
        return f", keep the heat on until then (the moves end at {with_unit(self.heat_s, SECONDS, 0)}: make the last one longer)"


def lift_window(
    scene: Scene, seen: Rehearsal, sure: Sureness, matters: Matters = Matters.BOTH
) -> LiftWindow:
    """The window of a rehearsed heat whose targets are to be lifted; only what harms what `matters`
    closes it.
    """
    samples = sure.samples
    opens = [_last(sample) for sample in samples]
    last = _last_joint(scene, seen)
    part = scene.part(last.ref) if last else scene.part(scene.targets[0])
    firsts = [
        min((first for _, first, _ in one.moments if first is not None), default=None)
        for one in samples
    ]
    along = _along(scene, sure, opens)
    harms = [_harm(scene, sure, one, matters) for one in samples]
    closes = band_of([at for at, _ in harms])
    leave = watched_stop(
        [math.inf if at is None else at + SETTLE_S for at in opens], [at for at, _ in harms]
    )
    return LiftWindow(
        leave_s=leave,
        more=_MORE.get(type(scene.source), LiftWindow.more),
        leave_why=next((why for at, why in harms if at is not None and at == leave), ""),
        opens=band_of(opens),
        closes=closes,
        closed_by=why_at(harms, closes.low),
        share=sum(
            at is not None and (harm is None or harm > at)
            for at, (harm, _) in zip(opens, harms, strict=True)
        )
        / max(len(opens), 1),
        heat_s=sum(move.seconds for move in heating_moves(scene)),
        last_ref=last.ref if last else part.ref,
        last_pin=last.pin if last else "",
        last_why=_why_last(scene, part, last) if last else "",
        first_shine=band_of(firsts),
        comes_along=along,
        cover=tuple(one.ref for one in along if one.share >= COVER_SHARE and not one.falls),
    )


def why_at(harms: Sequence[tuple[float | None, str]], at_s: float | None) -> str:
    """What does the harm that comes nearest to `at_s`; empty where nothing does."""
    if at_s is None:
        return ""
    known = [(abs(at - at_s), why) for at, why in harms if at is not None]
    return min(known, default=(0.0, ""))[1]


def aimed_at_lift(scene: Scene, matters: Matters) -> Scene:
    """The scene with the harms that count while its targets are lifted: window and search then look
    for the roomiest moment to lift.
    """
    others = tuple(part.ref for part in scene.parts if part.ref not in scene.targets)
    spared = {Matters.BOARD: scene.targets, Matters.PART: others}.get(matters, ())
    return replace(scene, lifting=True, spared=spared)


def _last(sample: Sample) -> float | None:
    """When a sample's last target joint is liquid."""
    if any(at is None for at in sample.melts_s) or not sample.melts_s:
        return None
    return max(at for at in sample.melts_s if at is not None)


def lift_samples(scene: Scene, sure: Sureness, matters: Matters) -> tuple[Sample, ...]:
    """The samples with the harm that counts while a part is lifted."""
    found = []
    for one in sure.samples:
        at, why = _harm(scene, sure, one, matters)
        found.append(replace(one, harm_s=at, harm_why=why))
    return tuple(found)


def _harm(
    scene: Scene, sure: Sureness, sample: Sample, matters: Matters
) -> tuple[float | None, str]:
    """The first harm of a sample while the heat goes on, and what it is."""
    found = []
    for place, bands in enumerate(sure.parts):
        part = scene.part(bands.ref)
        mine = part.ref in scene.targets
        limit, loose = sample.each_limit_s[place], sample.each_loose_s[place]
        if limit is not None and matters is not (Matters.BOARD if mine else Matters.PART):
            said = f"{part.ref} passes its limit of {with_unit(part.package.limit_c, CELSIUS, 0)} ({part.package.limit_why})"
            found.append((limit, said))
        if loose is not None and matters is not Matters.PART and _drops(part):
            found.append((loose, f"{part.ref} falls off the underside"))
    return min(found, default=(None, ""))


def _drops(part: PlacedPart) -> bool:
    return part.side is Side.BOTTOM and falls(load_g_in2(part.package))


def _last_joint(scene: Scene, seen: Rehearsal) -> JointStory | None:
    """The target's joint that melts last, or never."""
    mine = [joint for joint in seen.joints if joint.ref in scene.targets]
    return max(
        mine,
        key=lambda one: float("inf") if one.melt_end_s is None else one.melt_end_s,
        default=None,
    )


def _why_last(scene: Scene, part: PlacedPart, joint: JointStory) -> str:
    """Why a joint comes last, in a few words."""
    land = next(land for land in part.package.lands if land.pin == joint.pin)
    if land.kind is JointKind.THERMAL_PAD:
        return "the exposed pad"
    if joint.pin in part.plane_pins:
        return "on a plane"
    if joint.pin in part.relief_pins:
        return "on a plane, by thermal relief"
    if land.kind is JointKind.TAB:
        return "the tab"
    air = isinstance(scene.source, HotAir)
    return "far from the nozzle's middle" if air else "farthest from the heat"


def _along(scene: Scene, sure: Sureness, opens: list[float | None]) -> tuple[Along, ...]:
    """Neighbours that are liquid when the part may be lifted, most often first."""
    found = []
    for place, bands in enumerate(sure.parts):
        part = scene.part(bands.ref)
        if part.ref in scene.targets:
            continue
        loose = sum(
            at is not None and open_at is not None and at <= open_at
            for at, open_at in (
                (one.each_loose_s[place], open_at)
                for one, open_at in zip(sure.samples, opens, strict=True)
            )
        )
        share = loose / len(sure.samples)
        if share > COMES_SHARE:
            found.append(Along(ref=part.ref, share=share, falls=_drops(part)))
    return tuple(sorted(found, key=lambda one: (-one.share, one.ref)))


def support_mm(thickness_mm: float) -> float:
    """How far apart supports under a hot board may stand, mm."""
    return float(SUPPORT_MM * (thickness_mm / 1.6) ** 0.75)
