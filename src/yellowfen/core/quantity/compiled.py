"""Compiled loops, loaded when they are first used: with them comes the compiler's runtime, a quarter
of a second that a server's first page does not wait for.
"""

from importlib import import_module
from typing import Any


class Compiled:
    """The functions of a module of compiled loops: `Compiled("yellowfen.core.board.spans_kernel")`.
    Raises ModuleNotFoundError at the first use of one that is not there.
    """

    def __init__(self, module: str) -> None:
        self._module = module

    def __getattr__(self, name: str) -> Any:
        return getattr(import_module(self._module), name)
