"""What was found by going through lists with a meter, or with power: the answers of a run, and what
stands of several runs.
"""

from collections.abc import Callable, Mapping, Sequence

from yellowfen.core.look.meter_plan import compared, probe_key
from yellowfen.core.run.meter import FUNCTION, METER, CheckPlan, reading_of
from yellowfen.core.run.run import BenchRun


def _names(run: BenchRun) -> dict[str, str]:
    """What each cue of a run asks: a step by its title, a probe by its points."""
    return {
        f"probe {n}": line.title
        or probe_key(
            line.here, line.there, reads=bool(line.reads) or line.expect.startswith("reads")
        )
        for n, line in enumerate(run.planned(CheckPlan).lines, 1)
    }


def readings_of(run: BenchRun) -> dict[str, float]:
    """The millivolts that were typed, by probe."""
    names, state = _names(run), run.state
    typed = {cue: run.taps[state.by[cue]] for cue in state.done if cue in names}
    read = {names[cue]: reading_of(run.script, tap) for cue, tap in typed.items()}
    return {key: figure for key, figure in read.items() if figure is not None}


def results_of(run: BenchRun) -> dict[str, bool]:
    """What a run found, by probe or title: True where it was as expected; what was not reached is
    left out. Readings of millivolts are compared with each other once all of them are there.
    """
    names, state, readings = _names(run), run.state, readings_of(run)
    answered = {names[cue]: True for cue in state.done if names.get(cue, "") not in ("", *readings)}
    wrong = {names[cue]: False for cue, word in state.aside.items() if word == "not"}
    lines = run.planned(CheckPlan).lines
    gaps = [names[f"probe {n}"] for n, line in enumerate(lines, 1) if line.reads]
    return answered | wrong | compared(gaps, readings)


def standing_results(
    runs: Sequence[BenchRun], melted: Mapping[int, set[str]], about: Callable[[str], set[str]]
) -> dict[str, bool]:
    """The newest answer to each probe or title of `runs`, newest first. An answer to what speaks of
    parts (by `about`; of all where that names none) falls with the first of them that was melted after
    it: `melted` the parts of each run of soldering, by its id.
    """
    found: dict[str, bool] = {}
    for run in runs:
        after = {ref for of, refs in melted.items() if of > run.id for ref in refs}
        for key, passed in results_of(run).items():
            mine = about(key)
            if key not in found and not (after & mine if mine else after):
                found[key] = passed
    return found


def any_fails(runs: Sequence[BenchRun]) -> bool:
    """True where the newest answer to any probe or step is that it is not as expected, whatever was
    done since: it is to be measured again. `runs` oldest first.
    """
    found: dict[str, bool] = {}
    for run in runs:
        if isinstance(run.plan, CheckPlan) and run.plan.name in (METER, FUNCTION):
            found |= results_of(run)
    return not all(found.values())
