"""How many parts are made out of bare pads alone: boards of every package of the catalogue at
several turns, with tracks bared and without webs in the mask, and boards with known names hidden.
"""

import re
from itertools import product

from tests.conftest import DATA, files_in
from tests.pattern_boards import Case, drawn_board, nameless_files, score

from yellowfen.formats.board_files import read_board
from yellowfen.workflows.demo import demo_files

GOAL_GENERATED, GOAL_HIDDEN = 0.95, 0.85
_NAMES = re.compile(rb"%T[OD][^*]*\*%\r?\n?|G04 #@! T[OD][^*]*\*\r?\n?")


def patterns() -> None:
    """Print the share of right parts, bodies over each other, and pads that belong to nothing."""
    print(
        f"parts out of bare pads (goals {GOAL_GENERATED:.0%} generated, {GOAL_HIDDEN:.0%} hidden)"
    )
    right = parts = 0
    turns = product((0, 45, 30, 17), ("top", "bottom"), (True, False), (True, False))
    for number, (angle, side, webs, flashed) in enumerate(turns):
        case = Case(angle, side, webs=webs, flashed=flashed, seed=number)
        truth = drawn_board(case)
        found = score(truth, read_board(nameless_files(truth, case), "nameless"))
        right, parts = right + found.right, parts + found.parts
        print(
            f"  {angle:>3}° {side:<6} {'webs' if webs else 'no webs':<7} {'flashes' if flashed else 'regions'}:"
            f" {found.right} of {found.parts} ({found.right / found.parts:.1%}), {found.overlaps} overlaps, {found.orphans} orphans; {', '.join(found.wrong)}"
        )
    print(f"  generated in all: {right} of {parts} ({right / parts:.1%})")
    for name, files in (
        ("demo board", demo_files()),
        ("attributes", files_in(DATA / "boards" / "attributes")),
    ):
        truth = read_board(files, name)
        hidden = {
            one: _NAMES.sub(b"", data) for one, data in files.items() if not one.endswith(".csv")
        }
        found = score(truth, read_board(hidden, name))
        print(f"  {name}, names hidden: {found.right} of {found.parts}; {', '.join(found.wrong)}")
