"""A run at the bench, of whatever kind: its script of cues, the taps that answer them, and the only
rule of what may follow.

Laws: every cue is to do, done, set aside or passed over, never two of these; taking the newest tap
back restores the state before it; what `allowed` lets through changes the state, what it refuses
changes nothing.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property
from itertools import pairwise

from yellowfen.core.quantity.stored_word import word_of_today
from yellowfen.core.quantity.units import SECONDS, with_unit
from yellowfen.core.quantity.wording import counted, minutes_words

LONGEST_RUN_S = 86_400.0
SLACK_MS = 2_000  # clocks of two devices at one bench; more is a clock set back
PAUSE_S, QUICKEST_S = 300.0, 0.5  # a longer gap between taps was a pause, a shorter one a slip
SHOWN_CUES = 40


class Effect(StrEnum):
    """What a word does to its cue: done with, again at the end, set aside, counted and still the
    same, or to do once more in its old place.
    """

    DONE = "done"
    LATER = "later"
    ASIDE = "aside"
    STAYS = "stays"
    OPENS = "opens"


class Reach(StrEnum):
    """Which cues that are still to do one word answers at once, each with the one key's word."""

    ROW = "row"
    GROUP = "group"
    REST = "rest"


@dataclass(frozen=True, kw_only=True)
class RunRule:
    """The rule of one kind of run. The first word is the one key's.

    `any_order`: any cue may be answered, not only the first; `corrects`: an answer may be given
    anew; `clock`: the first tap starts a clock, and the run ends within a day of it; `at_once`:
    words that answer several cues; `along`: what is next follows the cue that was answered last.
    """

    words: Mapping[str, Effect]
    any_order: bool = False
    corrects: bool = False
    clock: bool = False
    along: bool = False
    at_once: Mapping[str, Reach] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class SetUp:
    """What has to be so before a cue; said where the cue before it was otherwise (or was none)."""

    state: str
    change: str
    first: str = ""
    same: str = ""


def side_up(side: str) -> tuple[SetUp, ...]:
    """That a side of the board lies up: turned over where it was the other; nothing for ""."""
    if not side:
        return ()
    first, change = f"{side.capitalize()} side up", f"Turn the board over: {side} side up"
    return (SetUp(state=side, change=change, first=first),)


@dataclass(frozen=True, kw_only=True)
class Cue:
    """One thing to do, with everything that is shown and said of it.

    `key` names it within its script. `ahead` and `due_s` (since the start) tell a timed cue before
    it is due; `late` is what to do about one that has not come by `late_s`. `after` names the cue
    without which it cannot come; `free` cues may come before those that stand ahead of them; `ends`
    names cues that have no sense once this one is done. `group` is what "3 of this value" counts.
    `refs`, `pin`, `turn_deg`, `shape`, `spot` tell the drawing what to show. `anew` is what to set
    up where it was tried and did not come right. What takes `least_s` and is done after less than
    half of it is asked about; what may `always` be answered may be when the run is over. `reads` is
    the unit of a figure that is typed with the answer; `points` leads that are touched ("U1.3").
    """

    key: str
    title: str
    press: str
    name: str = ""
    detail: str = ""
    mind: str = ""
    set_ups: tuple[SetUp, ...] = ()
    group: str = ""
    row: str = ""
    ahead: str = ""
    due_s: float | None = None
    late_s: float | None = None
    late: str = ""
    after: str = ""
    free: bool = False
    ends: tuple[str, ...] = ()
    refs: tuple[str, ...] = ()
    pin: str = ""
    turn_deg: float = 0.0
    shape: str = ""
    spot: int | None = None
    anew: str = ""
    least_s: float = 0.0
    always: bool = False
    reads: str = ""
    points: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Script:
    """All cues of a run, in order. `closing` is shown when nothing is left to do; `of_group` names
    a cue's group in "3 with this needle"; `stop_s`, `stop_why`: the cautious end of a heat.
    `extras` may be tapped and are never asked for; `ask` is a question about a tap that is hard to
    believe, answered by the extra `ask_key`. `tail` are cues that come last whatever was passed over
    for later.
    """

    rule: RunRule
    cues: tuple[Cue, ...]
    closing: str
    of_group: str = ""
    stop_s: float | None = None
    stop_why: str = ""
    extras: tuple[Cue, ...] = ()
    ask: str = ""
    ask_key: str = ""
    tail: tuple[str, ...] = ()

    @cached_property
    def _by_key(self) -> dict[str, Cue]:
        return {cue.key: cue for cue in (*self.extras, *self.cues)}

    def cue(self, key: str) -> Cue | None:
        """The cue or extra of that key, or None."""
        return self._by_key.get(key)


@dataclass(frozen=True, kw_only=True)
class Tap:
    """One answer to a cue at a wall-clock moment (ms since 1970); `text` what was typed with it;
    `order` among all taps as they were stored (0: not stored yet).
    """

    key: str
    cue: str
    word: str
    at_ms: int
    text: str = ""
    order: int = field(default=0, compare=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "word", word_of_today("Verdict", self.word))


@dataclass(frozen=True, kw_only=True)
class RunState:
    """Where a run stands: cue keys to do in order (the first is now), the word of each that is done
    or set aside, those passed over, how often one was counted without being done, and by the which
    of the taps (from 0) each is as it is.
    """

    to_do: tuple[str, ...]
    done: dict[str, str] = field(default_factory=dict)
    aside: dict[str, str] = field(default_factory=dict)
    passed: tuple[str, ...] = ()
    again: dict[str, int] = field(default_factory=dict)
    by: dict[str, int] = field(default_factory=dict)

    @property
    def over(self) -> bool:
        return not self.to_do


@dataclass(kw_only=True)
class _Standing:
    """A state while taps go through it; `to_do` and `passed` are keys in order."""

    to_do: dict[str, None]
    done: dict[str, str] = field(default_factory=dict)
    aside: dict[str, str] = field(default_factory=dict)
    passed: dict[str, None] = field(default_factory=dict)
    again: dict[str, int] = field(default_factory=dict)
    by: dict[str, int] = field(default_factory=dict)


def state_after(script: Script, taps: Sequence[Tap]) -> RunState:
    """What taps make of a script. A tap that was not allowed changes nothing."""
    now = _standing(script, taps)
    return RunState(
        to_do=tuple(now.to_do),
        done=now.done,
        aside=now.aside,
        passed=tuple(now.passed),
        again=now.again,
        by=now.by,
    )


def _standing(script: Script, taps: Sequence[Tap]) -> _Standing:
    now = _Standing(to_do=dict.fromkeys(cue.key for cue in script.cues))
    last = ""
    for place, tap in enumerate(taps):
        if not _refusal(script, now, tap):
            _step(script, now, tap, place)
            last = tap.cue
    if script.rule.along and last:
        now.to_do = dict.fromkeys(_along(script, now.to_do, last))
    return now


def _along(script: Script, to_do: Mapping[str, None], last: str) -> list[str]:
    """What is to do from the last answer on, in the script's order, then from the start."""
    places = {cue.key: place for place, cue in enumerate(script.cues)}
    here = places.get(last)
    if here is None:
        return list(to_do)
    return sorted(to_do, key=lambda key: (places[key] < here, places[key]))


def allowed(script: Script, taps: Sequence[Tap], tap: Tap) -> str:
    """Why a tap may not follow these, as a sentence; "" where it may."""
    refusal = _refusal(script, _standing(script, taps), tap)
    if refusal or not taps:
        return refusal
    if tap.at_ms < taps[-1].at_ms - SLACK_MS:
        back = (taps[-1].at_ms - tap.at_ms) / 1000
        return f"its time is {with_unit(back, SECONDS, 0)} before the previous tap; check the clock of this device"
    if script.rule.clock and tap.at_ms - taps[0].at_ms > 1000 * LONGEST_RUN_S:
        return "its time is more than a day after the start; start another run"
    return ""


def sure_key(cue: str) -> str:
    """The extra cue that confirms a tap which was hard to believe."""
    return f"sure {cue}"


def confirming(cue: Cue) -> Cue:
    """The extra that confirms a cue's tap; at any later time."""
    return Cue(
        key=sure_key(cue.key),
        title="",
        press="Yes, it is right",
        free=True,
        after=cue.key,
        always=True,
    )


def asked_of_haste(script: Script, taps: Sequence[Tap]) -> Script:
    """The script with a question about the newest cue that was done in less than half the least
    time that it takes, and was not confirmed.
    """
    sure = {tap.cue for tap in taps}
    for before, tap in reversed(list(pairwise(taps))):
        cue, spent = script.cue(tap.cue), (tap.at_ms - before.at_ms) / 1000
        done = script.rule.words.get(tap.word) is Effect.DONE
        if cue and done and spent < 0.5 * cue.least_s and sure_key(cue.key) not in sure:
            took = minutes_words(cue.least_s / 60)
            ask = f"{cue.title} after {with_unit(spent, SECONDS, 0)}? It takes {took}."
            return replace(script, ask=ask, ask_key=sure_key(cue.key))
    return script


def undoable(taps: Sequence[Tap], key: str, asked: str = "") -> str:
    """Why a tap may not be taken back, as a sentence; "" where it may: the newest first, and that of
    the cue which is `asked` about.
    """
    mine = next((tap for tap in taps if tap.key == key), None)
    if mine is not None and taps[-1].key != key and mine.cue != asked:
        return "undo the later taps first"
    return ""


def _refusal(script: Script, now: _Standing, tap: Tap) -> str:
    rule, cue = script.rule, script.cue(tap.cue)
    if cue is None:
        return f"{tap.cue[:40]!r} is not part of this run"
    if tap.word not in rule.words:
        return f"{tap.word[:20]!r} is not one of {', '.join(rule.words)}"
    name = cue.name or cue.title
    if cue.key in now.passed:
        return f"it is too late for {name}"
    answered = cue.key in now.done or (cue.key in now.aside and not rule.any_order)
    if answered and not rule.corrects:
        return f"{name} is answered already"
    if rule.words[tap.word] is Effect.OPENS and cue.key not in {**now.done, **now.aside}:
        return f"{name} is not answered yet"
    if tap.word in rule.at_once and not _reached(script, now, tap.word, cue):
        return f"nothing is left to answer together with {name}"
    if cue.after and cue.after not in now.done and cue.after not in now.aside:
        before = script.cue(cue.after)
        return f"first: {before.press if before else cue.after}"
    if rule.any_order:
        return ""
    if not now.to_do and cue in script.extras and not cue.always:
        return "the run is over"
    first = next(iter(now.to_do), None)
    if cue.free or first == cue.key:
        return ""
    here = script.cue(first) if first is not None else None
    return f"{name} comes later; first {here.press if here else 'nothing'}"


def _reached(script: Script, now: _Standing, word: str, cue: Cue) -> list[str]:
    """What is still to do and answered with a cue by a word that speaks for several."""
    reach = script.rule.at_once[word]
    if reach is Reach.REST:
        return list(now.to_do)
    mine = cue.row if reach is Reach.ROW else cue.group
    return [
        key
        for key in now.to_do
        if key == cue.key
        or (
            (one := script.cue(key))
            and mine
            and mine == (one.row if reach is Reach.ROW else one.group)
        )
    ]


def _step(script: Script, now: _Standing, tap: Tap, place: int) -> None:
    rule = script.rule
    effect, cue = rule.words[tap.word], script.cue(tap.cue)
    assert cue is not None
    if tap.word in rule.at_once:
        for key in _reached(script, now, tap.word, cue):
            now.to_do.pop(key)
            now.aside.pop(key, None)
            now.done[key] = next(iter(rule.words))
            now.by[key] = place
        return
    if effect is Effect.STAYS:
        now.again[cue.key] = now.again.get(cue.key, 0) + 1
        return
    now.to_do.pop(cue.key, None)
    now.done.pop(cue.key, None)
    now.aside.pop(cue.key, None)
    now.by[cue.key] = place
    if effect is Effect.LATER:
        now.to_do[cue.key] = None
        for key in script.tail if cue.key not in script.tail else ():
            if key in now.to_do:
                now.to_do[key] = now.to_do.pop(key)
    elif effect is Effect.OPENS:
        now.to_do = {
            one.key: None for one in script.cues if one.key in now.to_do or one.key == cue.key
        }
    elif effect is Effect.ASIDE:
        now.aside[cue.key] = tap.word
    else:
        now.done[cue.key] = tap.word
        for key in cue.ends:
            if key in now.to_do:
                now.to_do.pop(key)
                now.passed[key] = None


# what the bench is shown
@dataclass(frozen=True, kw_only=True)
class ShownCue:
    """A cue as it stands in the order: what has to be set up for it, and all of it to be spoken."""

    cue: Cue
    set_up: tuple[str, ...]
    detail: str
    left: str
    said: str


def shown(script: Script, taps: Sequence[Tap], most: int = SHOWN_CUES) -> list[ShownCue]:
    """The next cues in order, each as it follows the one before it."""
    state = state_after(script, taps)
    cues = {cue.key: cue for cue in script.cues}
    last = next(
        (tap.cue for tap in reversed(taps) if tap.cue in state.done and tap.cue in cues), None
    )
    before = cues[last] if last else None
    found = []
    for place, key in enumerate(state.to_do[:most]):
        cue = cues[key]
        rest = state.to_do[place:]
        tried = state.again.get(key, 0)
        found.append(
            _shown(
                script,
                cue,
                before,
                rest=[cues[one] for one in rest],
                aside=len(state.aside),
                tried=tried,
            )
        )
        before = cue
    return found


def _shown(
    script: Script, cue: Cue, before: Cue | None, rest: Sequence[Cue], aside: int, tried: int
) -> ShownCue:
    set_up: list[str] = []
    detail = [cue.detail] if cue.detail else []
    for number, one in enumerate(cue.set_ups):
        was = before.set_ups[number].state if before and number < len(before.set_ups) else None
        if was == one.state:
            detail = [one.same, *detail] if one.same else detail
        else:
            set_up.append(one.first if was is None and one.first else one.change)
    left = counted(len(rest), "to go", "to go") if not script.rule.clock else ""
    if cue.group and script.of_group:
        left += f", {sum(one.group == cue.group for one in rest)} {script.of_group}"
    if aside:
        left += f", {aside} set aside"
    if tried and cue.anew:
        set_up = [cue.anew]
        left += f", tried {'once' if tried == 1 else counted(tried, 'time')}"
    return ShownCue(
        cue=cue,
        set_up=tuple(set_up),
        detail="; ".join(detail),
        left=left.strip(", "),
        said=_said(cue, set_up, detail),
    )


def chosen(cue: Cue) -> ShownCue:
    """A cue as it is shown when it is chosen out of its turn."""
    detail = [cue.detail] if cue.detail else []
    return ShownCue(cue=cue, set_up=(), detail=cue.detail, left="", said=_said(cue, (), detail))


def _said(cue: Cue, set_up: Sequence[str], detail: Sequence[str]) -> str:
    parts = (*set_up, f"{cue.name}: {cue.title}" if cue.name else cue.title, *detail, cue.mind)
    return ". ".join(part.rstrip(".") for part in parts if part)


def moments_s(taps: Sequence[Tap]) -> dict[str, float]:
    """Seconds from the first tap to the last of each cue."""
    return {tap.cue: (tap.at_ms - taps[0].at_ms) / 1000 for tap in taps}


def worked_s(rule: RunRule, taps: Sequence[Tap]) -> float:
    """Seconds at the bench from the first tap to the last, pauses left out; of a run by the clock
    all of them. Taps of which the moment is not known (those of earlier versions) take none.
    """
    known = [tap.at_ms / 1000 for tap in taps if tap.at_ms > 0]
    gaps = [max(after - before, 0.0) for before, after in pairwise(known)]
    return sum(gap for gap in gaps if rule.clock or gap <= PAUSE_S)


def each_s(script: Script, taps: Sequence[Tap]) -> list[float]:
    """Seconds of each cue that was done: from the tap before it to its own, pauses and slips left
    out; the first is not known.
    """
    effects = script.rule.words
    spent = [
        (tap.at_ms - before.at_ms) / 1000
        for before, tap in pairwise(taps)
        if effects.get(tap.word) is Effect.DONE
    ]
    return [one for one in spent if QUICKEST_S <= one <= PAUSE_S]
