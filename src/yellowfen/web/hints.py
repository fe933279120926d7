"""The guide for the first time: three short hints per room, each beside what it is about. One press
dismisses those of a room for good; the page of words shows them all again.
"""

import sqlite3
from typing import NamedTuple

from yellowfen.store.ready import bench_setting, keep_bench_setting

_DISMISSED = "hints dismissed"


class Hint(NamedTuple):
    """What is said, and the element that it is said of: it stands before it, or as its first child."""

    at: str
    says: str
    inside: bool = False


HINTS: dict[str, tuple[Hint, Hint, Hint]] = {
    "jobs": (
        Hint("ul.tiles, main > p", "A job is one thing to do: build a board, rework a part, or save parts from scrap."),
        Hint(".job-tile .strip-dots, main > p", "The dots are the job's stages. The dark button opens the next one."),
        Hint("main > .spread", "Add a board first. Then describe your station, hot plate and iron under Bench."),
    ),
    "boards": (
        Hint("form.drop", "Drop the zip of the Gerber files here. They stay on this computer."),
        Hint('form[action="/sketches"]', "No files? Sketch the part you work on and what stands around it."),
        Hint('section[aria-label="Boards that are here"]', "Press a board to see its parts, the hardest first.", True),
    ),
    "bench": (
        Hint('section[aria-label="Hot-air stations"]', "Every forecast uses this station. Calibrate it with one melt test: its forecasts become surer.", True),
        Hint('form[action="/bench/tools"]', "Add only what you own. Methods that need something else are left out."),
        Hint('section[aria-label="Hands and eyes"]', "Say how your hands and eyes are: dots, rests and letters follow.", True),
    ),
    "ready": (
        Hint("nav.leaves", "Plan answers five questions: which method, which side first, when, with what, and how long."),
        Hint(".leaf-stage > .stack > .spread", "Press Top or Bottom to turn the board over."),
        Hint(".leaf-stage > .stack:last-child", "The answer stands here first; below it is what you can change.", True),
    ),
    "paste": (
        Hint("nav.leaves", "Stencil and Apertures are for a stencil, By hand is for a needle. Weigh tells how much paste is really there."),
        Hint(".leaf-stage > .stack > .spread", "Signs mark pads where the paste may fail. Press a pad to see why."),
        Hint(".leaf-stage > .stack:last-child", "Set what you have; the board and all later stages follow.", True),
    ),
    "place": (
        Hint(".place-stage > .stack > .spread", "Numbers are the order of the parts: few turns of the board, small parts before tall ones."),
        Hint('form[aria-label="Order"]', "Change what goes first, or how many parts lie ready at once."),
        Hint(".place-stage > .stack:last-child", "One key leads through all parts; both hands stay free.", True),
    ),
    "heat": (
        Hint(".heat-stage .leaves", "Curves show each joint over time. Safe window shows which settings work. Find settings searches for you."),
        Hint('section[aria-label="Bench card"]', "Press parts on the board to heat them; the answer stands here.", True),
        Hint('section[aria-label="Bench card"] .sources', "Choose the source you will use. The forecast follows every change."),
    ),
    "look": (
        Hint(".look-two > .stack > .plan-frame", "Press a pad to mark what you see there."),
        Hint(".look-two > section", "Inspect the riskiest joints first; one key leads from joint to joint.", True),
        Hint(".what-is-good", "What counts as good is drawn here, for the acceptance class that you choose."),
    ),
    "logbook": (
        Hint("main > .stack, main > p", "Every run stands here with what was set, predicted and measured."),
        Hint("main > .stack > :nth-child(2), main > p", "Archive hides a run and its results from later forecasts. It can be restored."),
        Hint("main > h1", "A note for next time, written in Finish, appears on the board's next job."),
    ),
    "reference": (
        Hint(".seen-list, .word-list", "Press what you see: causes, and what to do now."),
        Hint("main > .spread", "Words: every term of this program, with a drawing."),
        Hint(".seen-list > :last-child, .word-list > :last-child", "On other pages, a dotted line marks such a word. Press it."),
    ),
}  # fmt: skip


def hints_of(connection: sqlite3.Connection, room: str) -> tuple[Hint, ...]:
    """The hints of a room; none where they were dismissed."""
    if room not in HINTS or room in _dismissed(connection):
        return ()
    return HINTS[room]


def dismiss(connection: sqlite3.Connection, room: str) -> None:
    """Show no hints in a room any more; a word that is no room changes nothing."""
    if room in HINTS:
        names = sorted({*_dismissed(connection), room})
        keep_bench_setting(connection, _DISMISSED, " ".join(names))


def dismiss_all(connection: sqlite3.Connection) -> None:
    """Show no hints anywhere."""
    keep_bench_setting(connection, _DISMISSED, " ".join(sorted(HINTS)))


def show_again(connection: sqlite3.Connection) -> None:
    """Show all hints once more."""
    keep_bench_setting(connection, _DISMISSED, "")


def _dismissed(connection: sqlite3.Connection) -> frozenset[str]:
    return frozenset(bench_setting(connection, _DISMISSED).split())
