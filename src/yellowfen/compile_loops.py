"""Compile the compiled loops into their caches at set-up, on two processors at once: `python -m
yellowfen.compile_loops`, and with `--all` also those that a server compiles in the background when
it first starts.
"""

import sys
import time
from collections.abc import Sequence
from importlib import import_module
from multiprocessing import get_context

from yellowfen.core.quantity.units import SECONDS, with_unit

_HEAT = "yellowfen.core.heat.compile_kernel"
# What each of two processes compiles, in its order: about as long each.
FIRST = ((f"{_HEAT}:warm_up_steps",), (f"{_HEAT}:warm_up_copper",))
LATER = ("yellowfen.core.work.compile_order:warm_up", "yellowfen.core.look.compile_picture:warm_up")


def warm_up(names: Sequence[str]) -> None:
    """Compile what these functions run, `module:function` each, or load it from its cache."""
    for name in names:
        module, function = name.split(":")
        getattr(import_module(module), function)()


def main(everything: bool) -> int:
    """Compile with two processes beside each other; the exit code of what went wrong, or 0."""
    steps, copper = FIRST
    shares = (steps, copper + LATER) if everything else (steps, copper)
    print(
        "Compiling the heat model for this processor, once: half a minute to a minute", flush=True
    )
    began = time.monotonic()
    spawned = [get_context("spawn").Process(target=warm_up, args=(share,)) for share in shares]
    for process in spawned:
        process.start()
    for process in spawned:
        process.join()
    print(f"compiled in {with_unit(time.monotonic() - began, SECONDS, 0)}", flush=True)
    return max(abs(process.exitcode or 0) for process in spawned)


if __name__ == "__main__":
    sys.exit(main("--all" in sys.argv))
