"""The recipe a heat starts with: settings that pass the paste's window where physics allows, an end
that its band gives, the reason where not.

Laws: hot air ends when all of it has flowed even if the air is weak, and never later than the
cautious stop; a plate or an oven takes, of a few usual courses, the one that uses least of the
window.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace

from yellowfen.core.heat.blow import Blow, blow_bands
from yellowfen.core.heat.doubt import Doubts, settled
from yellowfen.core.heat.drive import tallest_beneath_mm
from yellowfen.core.heat.outcome import heating_moves
from yellowfen.core.heat.profile import Profile, profile_of, soak_band_c
from yellowfen.core.heat.rehearsal import COARSE, FINE, Rehearsal, rehearse
from yellowfen.core.heat.sample import DRAWN_OUT_S
from yellowfen.core.heat.scene import Deed, Move, Scene
from yellowfen.core.heat.source import HotAir, HotPlate, Oven
from yellowfen.core.heat.story import all_molten_s
from yellowfen.core.metal.alloy import Alloy, alloy_named
from yellowfen.core.quantity.units import MM, SECONDS, with_unit
from yellowfen.errors import InvalidValue

LOOK = replace(COARSE, part_step_s=0.12, nozzle_step_mm=3.0)
TOLD = replace(FINE, sample_s=0.5, frame_s=1e9)
SAMPLES = 11
LONGEST_S = 420.0
LONG_BLOW_S = 120.0
SOON = 1.4  # the fine grid melts at most a quarter later than the coarse one
MARGIN_S = 2.0


@dataclass(frozen=True)
class Usual:
    """A scene with a recipe to start from, how much of the window it uses (%; None for hot air),
    and what to know of it.
    """

    scene: Scene
    index_percent: float | None
    says: str


def usual_recipe(scene: Scene, doubts: Doubts, keeps_plate: bool = False) -> Usual:
    """A recipe for a scene's source and targets; `keeps_plate`: the plate stays set as it is, only
    how long is found. Raises InvalidValue for an iron.
    """
    if isinstance(scene.source, HotAir):
        return _air(scene, doubts)
    if isinstance(scene.source, HotPlate) and keeps_plate:
        return _best(
            scene, _on_set_plate, [UsualCourse(above_k=0.0, hold_s=one) for one in HELD_S], ()
        )
    if isinstance(scene.source, HotPlate):
        return _best(
            scene,
            _on_plate,
            (
                UsualCourse(above_k=50.0),
                UsualCourse(above_k=85.0),
                UsualCourse(above_k=125.0),
                UsualCourse(above_k=85.0, cold=False),
            ),
            STEPS[:2],
        )
    if isinstance(scene.source, Oven):
        return _best(
            scene,
            _in_oven,
            (
                UsualCourse(above_k=40.0),
                UsualCourse(above_k=70.0),
                UsualCourse(above_k=55.0, lead_k=45.0),
                UsualCourse(above_k=100.0, lead_k=45.0),
            ),
            STEPS,
        )
    raise InvalidValue("source.kind", "an iron has no recipe; it stays as long as the joint needs")


def _air(scene: Scene, doubts: Doubts) -> Usual:
    """The last blowing move ends by the late end of its band, a little later, and before the
    cautious stop; the band is tied to the forecast that the page shows.
    """
    blowing = [index for index, move in enumerate(scene.moves) if move.blows]
    if not blowing:
        raise InvalidValue("moves", "add a move that blows")
    last = blowing[-1]
    before = sum(move.seconds for move in scene.moves[:last])
    sure = _sure_of_blow(scene, last, doubts)
    late = [band.high for band in sure.melts]
    middle = [band.middle for band in sure.melts]
    if any(at is None for at in middle):
        return Usual(
            scene,
            None,
            "With these settings not everything melts within two minutes. Use more heat, go nearer, add air or preheat from below.",
        )
    flows = max(at for at in middle if at is not None)
    end = (
        max((at for at in late if at is not None), default=flows)
        if None not in late
        else 1.5 * flows
    )
    stop = sure.harm.low
    says = ""
    if stop is not None and stop < end + MARGIN_S:
        says = f"The heat must stop at {with_unit(stop, SECONDS, 0)}, before the latest melt time ({with_unit(end, SECONDS, 0)}): {sure.harm_why}. One melt test narrows the band."
        end = max(stop - MARGIN_S, flows)
    return Usual(_with_seconds(scene, last, max(round(end + MARGIN_S - before), 3.0)), None, says)


def _sure_of_blow(scene: Scene, last: int, doubts: Doubts) -> Blow:
    """Bands and harms were the last blow to go on: for two minutes, or only as far as its bands
    reach where all of it flows soon.
    """

    def blown(seconds: float) -> Scene:
        return replace(scene, moves=heating_moves(_with_seconds(scene, last, seconds)))

    def sure_of(blow: Scene, told: Rehearsal) -> Blow:
        return blow_bands(blow, doubts, told, SAMPLES)

    def flows_s(seen: Rehearsal) -> float | None:
        ends = [all_molten_s(seen.joints_of(ref)) for ref in scene.targets]
        return None if None in ends else max((at for at in ends if at is not None), default=None)

    long = blown(LONG_BLOW_S)
    about = flows_s(rehearse(settled(long, doubts), LOOK))
    before = sum(move.seconds for move in scene.moves[:last])
    if about is not None and SOON * about - before < LONG_BLOW_S:
        short = blown(max(SOON * about - before, 1.0))
        told = rehearse(settled(short, doubts), TOLD)
        if flows_s(told) is not None:
            sure = sure_of(short, told)
            seen_s = sum(move.seconds for move in short.moves) + DRAWN_OUT_S - MARGIN_S
            if all(band.high is not None and band.high < seen_s for band in sure.melts):
                return sure
    return sure_of(long, rehearse(settled(long, doubts), TOLD))


def _with_seconds(scene: Scene, place: int, seconds: float) -> Scene:
    return replace(
        scene,
        moves=(
            *scene.moves[:place],
            replace(scene.moves[place], seconds=float(seconds)),
            *scene.moves[place + 1 :],
        ),
    )


@dataclass(frozen=True, kw_only=True)
class UsualCourse:
    """What is varied of a plate's or oven's course: kelvins above the melting point, begun cold,
    seconds liquid or held, seconds of soak, how far an oven leads the soak.
    """

    above_k: float
    cold: bool = True
    hold_s: float = 40.0
    soak_s: float = 90.0
    lead_k: float = 20.0


HELD_S = (15.0, 25.0, 40.0, 60.0)  # tried on a plate whose setting stays
STEPS = ({"above_k": 18.0}, {"hold_s": 18.0}, {"soak_s": 25.0}, {"lead_k": 14.0})


def _on_plate(scene: Scene, course: UsualCourse) -> Scene:
    """A plate set and begun as the course says."""
    assert isinstance(scene.source, HotPlate)
    set_c = min(max(round((_alloy(scene).liquidus_c + course.above_k) / 5) * 5.0, 60.0), 400.0)
    source = replace(scene.source, set_c=set_c, start_c=scene.ambient_c if course.cold else None)
    return _on_set_plate(replace(scene, source=source), course)


def _on_set_plate(scene: Scene, course: UsualCourse) -> Scene:
    """Off when the last joint has been liquid for a while (whole, where something stays cold)."""
    long = replace(scene, moves=(Move(deed=Deed.PLATE, seconds=LONGEST_S),))
    seen = rehearse(long, LOOK)
    ends = [all_molten_s(seen.joints_of(ref)) for ref in scene.targets]
    known = [at for at in ends if at is not None]
    seconds = (
        LONGEST_S
        if len(known) < len(ends)
        else min(float(round(max(known) + course.hold_s)), LONGEST_S)
    )
    return replace(
        long, moves=(Move(deed=Deed.PLATE, seconds=seconds), Move(deed=Deed.WITHDRAW, seconds=90.0))
    )


def _in_oven(scene: Scene, course: UsualCourse) -> Scene:
    """A soak at the paste's band, a rise, a hold and a fall."""
    assert isinstance(scene.source, Oven)
    alloy = _alloy(scene)
    low, high = soak_band_c(alloy)
    peak = alloy.liquidus_c + course.above_k
    soaked = 80.0 + course.soak_s
    held = soaked + 60.0 + course.hold_s
    knots = (
        (0.0, 25.0),
        (80.0, low + course.lead_k),
        (soaked, high + course.lead_k),
        (soaked + 60.0, peak),
        (held, peak),
        (held + 120.0, 70.0),
    )
    curve = tuple(
        (round(at), min(round(air), 330), min(round(air) + (10 if at else 0), 340))
        for at, air in knots
    )
    return replace(
        scene,
        source=replace(scene.source, curve=curve),
        moves=(Move(deed=Deed.OVEN, seconds=float(curve[-1][0])),),
    )


def _best(
    scene: Scene,
    made: Callable[[Scene, UsualCourse], Scene],
    first: Iterable[UsualCourse],
    varied: Sequence[dict[str, float]],
) -> Usual:
    """The best of some courses, then varied one figure at a time, until it passes or no step helps."""
    found: dict[UsualCourse, tuple[float, Scene, Profile]] = {}

    def judged(course: UsualCourse) -> float:
        if course not in found:
            one = made(scene, course)
            profile = profile_of(one, rehearse(one, LOOK))
            found[course] = profile.index_percent, one, profile
        return found[course][0]

    best = min(first, key=judged)
    for share in (1.0, 0.5):
        for step in varied:
            name, size = next(iter(step.items()))
            if judged(best) > 95.0:
                best = min(
                    (
                        best,
                        *(
                            replace(
                                best, **{name: max(getattr(best, name) + way * share * size, 5.0)}
                            )
                            for way in (-1, 1)
                        ),
                    ),
                    key=judged,
                )
    chosen = found[best][1]
    profile = profile_of(
        chosen, rehearse(chosen)
    )  # what is said is said of the forecast that the page shows
    return _said(scene, profile.index_percent, chosen, profile)


def _said(scene: Scene, index: float, best: Scene, profile: Profile) -> Usual:
    raised = tallest_beneath_mm(scene) if isinstance(scene.source, HotPlate) else 0.0
    under = (
        f"Parts on the underside hold the board {with_unit(raised, MM, 1)} off the plate: it heats slowly. "
        if raised
        else ""
    )
    if index <= 100.0:
        return Usual(
            best,
            index,
            f"{under}It fits the paste's profile; the tightest value is {profile.worst.name}.",
        )
    worst = profile.worst
    want = (
        f"at most {worst.high:.0f}" if worst.low is None else f"{worst.low:.0f} to {worst.high:.0f}"
    )
    return Usual(
        best,
        index,
        f"{under}No usual recipe fits the paste's profile here: {worst.name} is {worst.value:.0f} {worst.unit}, {want} is needed.",
    )


def _alloy(scene: Scene) -> Alloy:
    return alloy_named(scene.part(scene.targets[0]).alloy)
