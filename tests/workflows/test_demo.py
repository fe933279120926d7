"""The demo's answers that are shipped are those that its own questions find."""

import json
from importlib import resources
from typing import Any

from scripts.demo_found import found


def alike(shipped: Any, worked_out: Any) -> bool:
    """The same words and whole numbers; other numbers within half a percent, as processors differ."""
    if isinstance(shipped, dict):
        return shipped.keys() == worked_out.keys() and all(
            alike(value, worked_out[name]) for name, value in shipped.items()
        )
    if isinstance(shipped, list):
        return len(shipped) == len(worked_out) and all(map(alike, shipped, worked_out))
    if isinstance(shipped, float) and isinstance(worked_out, float):
        return abs(shipped - worked_out) <= 5e-3 * abs(shipped) + 1e-6
    return bool(shipped == worked_out)


def test_what_the_demo_ships_is_what_it_would_find() -> None:
    """Written anew by `python scripts/demo_found.py src/yellowfen/demo/found.json`."""
    shipped = json.loads((resources.files("yellowfen.demo") / "found.json").read_text())
    worked_out = found()
    assert shipped.keys() == worked_out.keys()
    for question, answer in shipped.items():
        assert alike(json.loads(answer), json.loads(worked_out[question])), question
