"""The same capabilities without a browser: what each command takes. What it does is in
`yellowfen.commands`, loaded when it is asked for.

Invalid input: exit code 2 and one sentence on standard error.
"""

import argparse
import os
import sys
from importlib import import_module
from pathlib import Path
from typing import Any

from yellowfen.core.work.schools import QUESTIONS
from yellowfen.errors import WhichBoard, YellowfenError

DEFAULT_DATA = Path(
    os.environ.get("YELLOWFEN_DATA", str(Path.home() / ".local" / "share" / "yellowfen"))
)


def main(arguments: list[str] | None = None) -> int:
    """Entry point of the `yellowfen` command; returns the exit code."""
    given = _parser().parse_args(arguments)
    try:
        commands = import_module(f"yellowfen.commands.{given.module}")
        getattr(commands, f"run_{given.verb.replace('-', '_')}")(given)
        sys.stdout.flush()
        return 0
    except BrokenPipeError:  # the reader has seen enough (| head)
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except (YellowfenError, WhichBoard) as problem:
        print(f"yellowfen: {problem}", file=sys.stderr)
        return 2


class _Verbs:
    """The verbs of one module of commands as they are added: each tells its module and name."""

    def __init__(self, verbs: Any, module: str) -> None:
        self._verbs, self._module = verbs, module

    def add(
        self, name: str, says: str, *, data: bool = True, prints_json: bool = True
    ) -> argparse.ArgumentParser:
        """A verb; with the folder of the database, and JSON as another way to answer."""
        verb: argparse.ArgumentParser = self._verbs.add_parser(name, help=says)
        verb.set_defaults(module=self._module, verb=name)
        if prints_json:
            verb.add_argument("--json", action="store_true")
        if data:
            verb.add_argument(
                "--data",
                type=Path,
                default=DEFAULT_DATA,
                help="folder of the database (default %(default)s)",
            )
        return verb


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="yellowfen",
        description="Rehearse, run and remember the heat of hand-assembled boards.",
    )
    verbs = parser.add_subparsers(required=True, metavar="VERB")
    _add_data(_Verbs(verbs, "data"))
    _add_work(_Verbs(verbs, "work"))
    _add_heat(_Verbs(verbs, "heat"))
    _add_rework(_Verbs(verbs, "rework"))
    _add_look(_Verbs(verbs, "look"))
    return parser


def _board(verb: argparse.ArgumentParser, name: str = "board", **more: Any) -> None:
    says = "the number of a stored board, or a zip, file or folder of board files"
    verb.add_argument(name, metavar="BOARD", help=says, **more)


def _side(verb: argparse.ArgumentParser) -> None:
    verb.add_argument("--side", default="top", choices=("top", "bottom"))


def _job(verb: argparse.ArgumentParser) -> None:
    verb.add_argument("job", metavar="JOB", type=int, help="the number of a stored job")


def _air(verb: argparse.ArgumentParser) -> None:
    verb.add_argument("--nozzle", type=float, default=6.0, metavar="MM")
    verb.add_argument("--outlet", type=float, default=350.0, metavar="C", help="air, °C")
    verb.add_argument("--flow", type=float, default=30.0, metavar="L/MIN")


def _solder(verb: argparse.ArgumentParser) -> None:
    verb.add_argument(
        "--solder",
        default="not known",
        help="leaded, lead-free, 'low-melting, with bismuth' or 'not known' (default %(default)s)",
    )


def _add_data(verbs: _Verbs) -> None:
    verb = verbs.add("import", "read board files and say what was found (stores only with --keep)")
    verb.add_argument(
        "files", nargs="+", metavar="FILE", help="files, zips or folders of one board"
    )
    verb.add_argument("--keep", action="store_true", help="store the board in the database")
    verb.add_argument(
        "--thickness",
        type=float,
        default=1.6,
        metavar="MM",
        help="board thickness in mm (default %(default)s)",
    )
    verb = verbs.add("serve", "start the server", prints_json=False)
    verb.add_argument("--port", type=int, default=8470)
    verb.add_argument(
        "--last-good",
        action="store_true",
        help="put the last good copy in place of a database that is damaged or gone; a damaged one is kept beside",
    )
    verb.add_argument(
        "--begin-anew",
        action="store_true",
        help="begin an empty database where it is gone; its good copies are kept under other names",
    )
    verbs.add("demo", "add the demo board, a bench and its jobs", prints_json=False)
    verb = verbs.add("backup", "write a whole copy of the database", prints_json=False)
    verb.add_argument("file", metavar="FILE")


def _add_work(verbs: _Verbs) -> None:
    _board(
        verbs.add(
            "triage",
            "judge every part of a board before the work, and what to change on the next one",
        )
    )
    verb = verbs.add(
        "paste", "judge every stencil aperture of a board at one thickness with one paste"
    )
    _board(verb)
    verb.add_argument(
        "--foil",
        type=float,
        default=0.12,
        metavar="MM",
        help="stencil thickness in mm (default %(default)s)",
    )
    verb.add_argument(
        "--paste",
        default="sn63-t4",
        help="sn63-t4, sac-t4, snbi-t4 and so on (default %(default)s)",
    )
    verb.add_argument(
        "--factor",
        type=float,
        default=1.0,
        help="transfer factor from weighing (default %(default)s)",
    )
    _job(verbs.add("plan", "a job's methods, sides, placement order and schedule"))
    verb = verbs.add("order", "the placement order of a board's side, with turns and travel")
    _board(verb)
    _side(verb)
    verb.add_argument(
        "--school",
        default="finest",
        choices=tuple(one.name for one in QUESTIONS["order"][1]),
        help="what goes first (default %(default)s)",
    )


def _add_heat(verbs: _Verbs) -> None:
    verb = verbs.add("rehearse", "rehearse the heat of a rehearsal file (docs/rehearsal-file.md)")
    verb.add_argument(
        "file",
        metavar="FILE",
        help="a rehearsal file, - for standard input, or the number of a stored job",
    )
    verb.add_argument(
        "--bands",
        action="store_true",
        help="how sure the times are: sampled, takes about ten seconds",
    )
    verb = verbs.add(
        "tour", "plan a hot-air tour of a board's side: where to stop, how high, how long"
    )
    _board(verb)
    _side(verb)
    verb.add_argument(
        "--parts", default="", metavar="REFS", help="these parts only, e.g. 'U4 C3' (default all)"
    )
    verb.add_argument(
        "--after",
        default="",
        metavar="REFS",
        help="parts that are fitted after the tour, e.g. by iron",
    )
    verb.add_argument(
        "--order", default="", help="nearest next, row by row or alternate ends (default the best)"
    )
    verb.add_argument(
        "--save",
        default="spare the joints",
        choices=("spare the joints", "quick"),
        help="what the tour is to save: joints from melting twice, or time",
    )
    _air(verb)
    verb.add_argument("--alloy", default="Sn63Pb37")
    for name, said in (
        (
            "window",
            "map one setting against the dwell: cold, good, a neighbour loose, harm (docs/heat-files.md)",
        ),
        (
            "tune",
            "find the settings with the most margin for a rehearsal file (docs/heat-files.md)",
        ),
        ("calibrate", "fit melt tests or a thermocouple log (docs/heat-files.md)"),
    ):
        stored = "" if name == "calibrate" else ", or the number of a stored job"
        verbs.add(name, said).add_argument(
            "file", metavar="FILE", help=f"or - for standard input{stored}"
        )


def _add_rework(verbs: _Verbs) -> None:
    verb = verbs.add(
        "survey", "what is in the way of a part to remove, and the methods of removal compared"
    )
    _board(verb)
    verb.add_argument("--off", required=True, metavar="REF", help="the part to remove")
    verb.add_argument(
        "--matters", default="both", help="the part, the board or both (default %(default)s)"
    )
    _solder(verb)
    _air(verb)
    verb.add_argument(
        "--plate", type=float, metavar="C", help="a hot plate at this temperature, °C"
    )
    verb.add_argument("--below", type=float, metavar="C", help="warm air from below, °C")
    verb.add_argument("--jets", action="store_true", help="a head with narrow jets is available")
    verb = verbs.add(
        "lift",
        "when the parts of a rehearsal file may be lifted (docs/rehearsal-file.md)",
        data=False,
    )
    verb.add_argument("file", metavar="FILE", help="or - for standard input")
    verb = verbs.add("pads", "how to clean the pads of a removed part")
    _board(verb)
    verb.add_argument("--of", required=True, metavar="REF", help="the removed part")
    verb.add_argument("--after", default="", help="the method of its removal (default hot air)")
    verb.add_argument("--want", default="bare", help="bare, level or bumps (default %(default)s)")
    verb.add_argument(
        "--wick", type=float, default=2.0, metavar="MM", help="width of the solder wick"
    )
    _solder(verb)


def _add_look(verbs: _Verbs) -> None:
    _job(verbs.add("look", "the joints of a job, riskiest first, and how to inspect them"))
    verb = verbs.add("test-plan", "what to measure on a board with a meter, and why")
    _board(verb)
    verb.add_argument("--parts", default="", metavar="REFS", help="these parts only (default all)")
    verb = verbs.add("measure", "measure print and parts from a picture of a board")
    verb.add_argument("picture", metavar="PICTURE", help="PNG, JPEG or WebP, straight from above")
    _board(verb, "--board", required=True)
    verb.add_argument(
        "--clicks",
        required=True,
        metavar="FILE",
        help='where places of the board are seen: [{"at": "U1.3", "px": [412, 300]}, ...]; at may be [x, y] in mm',
    )
    _side(verb)
    verb.add_argument("--print", action="store_true", dest="printed", help="judge the print")
    verb.add_argument("--parts", default="", metavar="REFS", help="the positions of these parts")
    verb.add_argument("--class", type=int, default=2, dest="grade", choices=(1, 2, 3))


if __name__ == "__main__":
    sys.exit(main())
