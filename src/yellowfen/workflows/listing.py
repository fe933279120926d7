"""docs/sources.md from the register of constants: `python -m yellowfen.workflows.listing >
docs/sources.md`.
"""

import importlib
import pkgutil

import yellowfen.core
import yellowfen.formats
from yellowfen.core.source.mark import REGISTER, Mark

_HEAD = """# Sources

Every constant that shapes a forecast, made from the program's own register by
`python -m yellowfen.workflows.listing`; a test compares the two. *published* names its source, *common practice*
is what the trade does, *from memory* is plausible and not looked up.
"""


def sources_page() -> str:
    """The page as text."""
    for room in (yellowfen.core, yellowfen.formats):
        for module in pkgutil.walk_packages(room.__path__, f"{room.__name__}."):
            if not module.name.endswith("_process"):
                importlib.import_module(module.name)
    parts = [_HEAD]
    for mark in Mark:
        parts.append(
            f"\n## {str(mark).capitalize()}\n\n| constant | value | unit | source | affects |\n|---|---|---|---|---|\n"
        )
        for one in sorted(
            (one for one in REGISTER.values() if one.mark is mark), key=lambda one: one.name
        ):
            parts.append(
                f"| {one.name} | {one.value:g} | {one.unit} | {one.source} | {one.affects} |\n"
            )
    return "".join(parts)


if __name__ == "__main__":
    print(sources_page(), end="")
