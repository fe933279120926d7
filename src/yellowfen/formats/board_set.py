"""The files of one board, read and sorted by what they are.

What cannot be read is set aside with its reason.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cache

import numpy as np
import shapely

from yellowfen.core.board.board import Finding, LayerGuess, Role
from yellowfen.core.board.join import Placement
from yellowfen.core.quantity.wording import counted
from yellowfen.errors import TooLarge, UnreadableFile
from yellowfen.formats.component_layer import placements_of
from yellowfen.formats.drill import DrillFile, drill_of, read_drill
from yellowfen.formats.gerber.layer import Drawn, GerberLayer
from yellowfen.formats.gerber.reader import looks_like_gerber, read_gerber
from yellowfen.formats.layer_content import role_by_content
from yellowfen.formats.layer_roles import UNSETTLED, guess_role
from yellowfen.formats.netlist import NetPoint, read_netlist
from yellowfen.formats.part_table import BillLine, ColumnChoice, read_bill, read_placements

GERBER_ROLES = frozenset(
    (
        Role.COPPER_TOP,
        Role.COPPER_BOTTOM,
        Role.COPPER_INNER,
        Role.MASK_TOP,
        Role.MASK_BOTTOM,
        Role.PASTE_TOP,
        Role.PASTE_BOTTOM,
        Role.LEGEND_TOP,
        Role.LEGEND_BOTTOM,
        Role.OUTLINE,
        Role.COMPONENTS,
    )
)
_MANY = {
    Role.COPPER_INNER,
    Role.DRILL,
    Role.DRILL_UNPLATED,
    Role.IGNORED,
    Role.BILL,
    Role.PLACEMENT,
    Role.COMPONENTS,
    Role.NETLIST,
}
_PADDED = GERBER_ROLES - {Role.OUTLINE, Role.COMPONENTS} | {Role.IGNORED}
MOST_DRAWN = 2_000_000
MOST_ROWS_TOLD = 20
_RANK = {"you chose it": 0, "its file attribute says so": 1, "by its name": 2}


@dataclass(kw_only=True)
class FileSet:
    """The readable content of a file set by role."""

    guesses: list[LayerGuess] = field(default_factory=list)
    gerbers: dict[Role, list[GerberLayer]] = field(default_factory=dict)
    drills: list[tuple[Role, DrillFile]] = field(default_factory=list)
    placements: list[Placement] = field(default_factory=list)
    bill: dict[str, BillLine] = field(default_factory=dict)
    points: list[NetPoint] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)
    kept: dict[str, list[Drawn]] = field(default_factory=dict)

    def drawn(self, role: Role) -> list[Drawn]:
        """All objects of a role's files, in order."""
        return [one for layer in self.gerbers.get(role, []) for one in layer.drawn]


def read_files(
    files: Mapping[str, bytes],
    chosen: Mapping[str, Role],
    columns: ColumnChoice,
    on_step: Callable[[str], None],
) -> FileSet:
    """Every file read once. Raises the first problem when nothing at all could be read."""
    found = FileSet()
    guesses: dict[str, LayerGuess] = {}
    layers: dict[str, GerberLayer] = {}
    problems: list[UnreadableFile] = []
    drawn = 0
    for name, data in files.items():
        on_step(name)
        try:
            guesses[name] = _guess(name, data, chosen)
            drawn_drill = guesses[name].role in (
                Role.DRILL,
                Role.DRILL_UNPLATED,
            ) and looks_like_gerber(data)
            if guesses[name].role in GERBER_ROLES or guesses[name].why == UNSETTLED or drawn_drill:
                layers[name] = read_gerber(data, name)
                drawn += len(layers[name].drawn)
                if drawn > MOST_DRAWN:
                    raise TooLarge(
                        f"{name}: with the files before it more than {MOST_DRAWN:,} objects are drawn, which is more than a board has; leave out what is not the board"
                    )
            elif guesses[name].role is Role.PLACEMENT:
                rows: list[UnreadableFile] = []
                found.placements += read_placements(data, name, columns, rows)
                found.findings += [
                    Finding(name, f"{_bare(one)} (row ignored)") for one in rows[:MOST_ROWS_TOLD]
                ]
            elif guesses[name].role is Role.BILL:
                found.bill |= {line.ref: line for line in read_bill(data, name, columns)}
            elif guesses[name].role is Role.NETLIST:
                found.points += read_netlist(data, name)
        except UnreadableFile as problem:
            problems.append(problem)
            guesses[name] = LayerGuess(
                file=name, role=Role.IGNORED, why="could not be read", problem=str(problem)
            )
    if problems and not layers:
        raise problems[0]
    _read_drills(files, guesses, layers, found, problems)
    _settle(guesses, layers, found)
    found.findings += [Finding(one.file, f"ignored: {_bare(one)}") for one in problems]
    _sort(guesses, layers, found)
    return found


def _bare(problem: UnreadableFile) -> str:
    """A problem's sentence without the file's name."""
    return str(problem).removeprefix(f"{problem.file}: ").removeprefix(problem.file).lstrip(", ")


def _guess(name: str, data: bytes, chosen: Mapping[str, Role]) -> LayerGuess:
    if name in chosen:
        return LayerGuess(file=name, role=chosen[name], why="you chose it")
    return guess_role(name, data)


def _read_drills(
    files: Mapping[str, bytes],
    guesses: dict[str, LayerGuess],
    layers: dict[str, GerberLayer],
    found: FileSet,
    problems: list[UnreadableFile],
) -> None:
    """Drill files, judged by the copper that lies under their holes where they leave their numbers
    open.
    """

    @cache
    def flashes() -> shapely.STRtree:
        places = [
            one.path[0]
            for name, layer in layers.items()
            if guesses[name].role in _PADDED
            for one in layer.drawn
            if one.kind == "flash"
        ]
        return shapely.STRtree(shapely.points(np.array(places).reshape(-1, 2)))

    def judge(drill: DrillFile) -> float:
        tree = flashes()
        if not len(tree) or not drill.hits:
            return 0.0
        holes = shapely.points([(hit.x_mm, hit.y_mm) for hit in drill.hits[:2000]])
        near, _ = tree.query_nearest(holes, max_distance=0.06)
        return len(set(near.tolist())) / len(holes)

    for name, guess in guesses.items():
        if guess.role not in (Role.DRILL, Role.DRILL_UNPLATED):
            continue
        try:
            drill = (
                drill_of(layers[name]) if name in layers else read_drill(files[name], name, judge)
            )
        except UnreadableFile as problem:
            problems.append(problem)
            guesses[name] = LayerGuess(
                file=name, role=Role.IGNORED, why="could not be read", problem=str(problem)
            )
            continue
        found.drills.append((guess.role, drill))
        found.findings += [Finding(name, remark) for remark in drill.remarks]
        guesses[name] = replace(
            guess,
            facts=counted(len(drill.hits), "hole"),
            unit=drill.unit,
            extent_mm=_drill_extent(drill),
        )


def _drill_extent(drill: DrillFile) -> tuple[float, float, float, float] | None:
    xs, ys = [hit.x_mm for hit in drill.hits], [hit.y_mm for hit in drill.hits]
    return (
        (round(min(xs), 4), round(min(ys), 4), round(max(xs), 4), round(max(ys), 4)) if xs else None
    )


def _settle(guesses: dict[str, LayerGuess], layers: dict[str, GerberLayer], found: FileSet) -> None:
    """Roles of unsettled layers by content; of several files for one single role the best reason
    keeps it.
    """
    holders: dict[Role, str] = {}
    for name in sorted(guesses, key=lambda name: _RANK.get(guesses[name].why, 3)):
        guess = guesses[name]
        if guess.why != UNSETTLED and guess.role not in _MANY:
            if guess.role in holders and guess.why != "you chose it":
                guesses[name] = replace(
                    guess,
                    role=Role.IGNORED,
                    why=f"looks like {guess.role}, but {holders[guess.role]} already is that",
                )
            else:
                holders[guess.role] = name
    unsettled = [name for name in guesses if guesses[name].why == UNSETTLED]
    holes = [
        (hit.x_mm, hit.y_mm) for _, drill in found.drills for hit in drill.hits if hit.x2_mm is None
    ]
    known = {
        name: (guesses[name].role, layer)
        for name, layer in layers.items()
        if name not in unsettled and guesses[name].role in GERBER_ROLES
    }
    for name in sorted(unsettled, key=lambda name: -len(layers[name].drawn)):
        role, why = role_by_content(layers[name], known, holes, set(holders))
        guesses[name] = replace(guesses[name], role=role, why=why)
        if role is Role.IGNORED:
            found.findings.append(Finding(name, f"{why}; choose what it is in the table of files"))
            continue
        known[name] = (role, layers[name])
        if role not in _MANY:
            holders[role] = name


def _sort(guesses: dict[str, LayerGuess], layers: dict[str, GerberLayer], found: FileSet) -> None:
    for name, guess in guesses.items():
        layer = layers.get(name)
        if layer is None:
            continue
        counts = [
            (layer.counts["flash"], "flash", "flashes"),
            (layer.counts["stroke"], "stroke", "strokes"),
            (layer.counts["region"], "region", "regions"),
        ]
        facts = (
            ", ".join(
                f"{count} {one if count == 1 else many}" for count, one, many in counts if count
            )
            or "nothing drawn"
        )
        guesses[name] = replace(
            guess, facts=facts, unit=layer.unit, extent_mm=extent_of(layer.drawn)
        )
        if guess.role is Role.COMPONENTS:
            found.placements += placements_of(layer)
        elif guess.role in GERBER_ROLES:
            found.gerbers.setdefault(guess.role, []).append(layer)
            found.findings += [Finding(name, remark) for remark in layer.remarks]
    for role, inner in found.gerbers.items():
        if role is Role.COPPER_INNER:
            inner.sort(key=lambda layer: (_depth(layer), layer.name))
    found.guesses = list(guesses.values())


def _depth(layer: GerberLayer) -> int:
    """The place of an inner layer in the stack: by attribute, else by the number in its name."""
    words = layer.function
    if (
        len(words) > 1
        and words[1].startswith("l")
        and words[1][1:].isascii()
        and words[1][1:].isdigit()
    ):
        return int(words[1][1:])
    digits = "".join(
        char if char.isascii() and char.isdigit() else " " for char in layer.name.rsplit("/", 1)[-1]
    ).split()
    return int(digits[-1][:6]) if digits else 0


def extent_of(drawn: tuple[Drawn, ...] | list[Drawn]) -> tuple[float, float, float, float] | None:
    """The box around objects' middle lines and centres, mm."""
    points = np.array([point for one in drawn for point in one.path]).reshape(-1, 2)
    if not len(points):
        return None
    (left, low), (right, high) = points.min(axis=0).tolist(), points.max(axis=0).tolist()
    return round(left, 4), round(low, 4), round(right, 4), round(high, 4)
