"""The cues of a heat by name: what its script, its taps and what they say of its parts agree on."""

from collections.abc import Sequence

from yellowfen.core.heat.revise import StopSight

START, AWAY, SOLID, ALL_FLOWED = "start", "away", "solid", "flowed"
UNCLOCKED = "unclocked"  # told of a heat that was done without the clock: all of it flowed
MOST_NAMES = 6


def flowed_key(ref: str) -> str:
    """The cue of a part that is watched for its flow."""
    return f"flowed {ref}"


def lifted_key(ref: str) -> str:
    """The cue of a part that is lifted off."""
    return f"lifted {ref}"


def springs_key(ref: str) -> str:
    """The extra cue of a part that springs back when it is nudged: all of it is liquid."""
    return f"springs {ref}"


def near_key(ref: str) -> str:
    """The cue of a neighbour that is looked after once a part is off."""
    return f"near {ref}"


def move_key(number: int) -> str:
    """The cue of a heating move, from 2 on; the first begins with the start."""
    return f"move {number}"


def stop_key(number: int) -> str:
    """The cue of a tour's stop, from 1 on: all of it has flowed."""
    return f"stop {number}"


def seen_key(what: StopSight, stop: int = 0) -> str:
    """The extra cue of an early sign, of a tour at a stop from 1 on."""
    return f"{what} {stop}" if stop else str(what)


def shortened(refs: Sequence[str]) -> str:
    """Some parts by name, the rest by number."""
    more = len(refs) - MOST_NAMES
    return ", ".join(refs[:MOST_NAMES]) + (f" and {more} more" if more > 0 else "")
