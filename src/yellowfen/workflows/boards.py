"""Bringing boards in, reading them again under the user's choices, new revisions.

Nothing is stored unless the whole board could be read.
"""

import itertools
import math
import re
import sqlite3
import time
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from dataclasses import replace

from yellowfen.core.board.board import Board, Pad, Role
from yellowfen.core.board.choices import Choices, PadSet, PartChoice
from yellowfen.core.board.compare import BoardChange, changes
from yellowfen.core.part.library import BUILT_IN, Library
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.wording import counted, listed
from yellowfen.errors import (
    Damaged,
    InvalidValue,
    NotFound,
    Refused,
    UnreadableFile,
    YellowfenError,
)
from yellowfen.formats.board_out import board_files
from yellowfen.formats.board_parts import named_by_user
from yellowfen.formats.bundle import label_of, unpack
from yellowfen.formats.part_table import FIELDS, ColumnChoice, TableReading
from yellowfen.store import board_steps, boards, imports, packages, work
from yellowfen.store.boards import Source
from yellowfen.store.database import atomic
from yellowfen.store.work import Lost, Work
from yellowfen.workflows import heat
from yellowfen.workflows.long_work import REREAD, does, unread
from yellowfen.workflows.reading import read_board, read_tables
from yellowfen.workflows.trouble import logged

_PROPOSED_NAME = re.compile(r"P[1-9]\d{0,5}")
LARGE_BYTES = 1_500_000
MOST_PADS_TOGETHER = 2000
TELL_EVERY_S = 0.25
Uploads = Iterable[tuple[str, bytes]]


def read_upload(
    uploads: Uploads,
    name: str = "",
    thickness_mm: float = 1.6,
    library: Library = BUILT_IN,
    columns: ColumnChoice | None = None,
    choices: Choices | None = None,
) -> tuple[Board, dict[str, bytes]]:
    """A board from uploaded files; raises UnreadableFile, TooLarge or InvalidValue and stores
    nothing.
    """
    files, plain = unpacked(uploads, name, thickness_mm)
    return read_board(files, plain, choices, thickness_mm, library=library, columns=columns), files


def unpacked(uploads: Uploads, name: str, thickness_mm: float) -> tuple[dict[str, bytes], str]:
    """The files of an upload and the board's name.

    Raises InvalidValue without a file, UnreadableFile for an empty archive.
    """
    in_range("thickness_mm", thickness_mm, 0.2, 5, "mm")
    given = [(file, data) for file, data in uploads if file or data]
    if not given:
        raise InvalidValue(
            "files", "no file was given; drop a zip or the Gerber layers of one board"
        )
    files = unpack(given)
    if not files:
        raise UnreadableFile(label_of(given[0][0]), "holds no files")
    return files, name.strip()[:120] or _common_name([label_of(file) for file, _ in given])


def _common_name(labels: list[str]) -> str:
    """What all the files' names begin with, or the single file's own stem."""
    if len(labels) == 1:
        return labels[0].rsplit(".", 1)[0] or "Board"
    alike = itertools.takewhile(lambda letters: len(set(letters)) == 1, zip(*labels, strict=False))
    shared = "".join(letters[0] for letters in alike).split(".")[0].strip("-_ ")
    return shared if len(shared) >= 2 else "Board"


def library_of(connection: sqlite3.Connection) -> Library:
    """Own packages before the built-in families."""
    return Library(packages.rows(connection), packages.meanings(connection))


def import_board(
    connection: sqlite3.Connection,
    uploads: Uploads,
    name: str = "",
    thickness_mm: float = 1.6,
    revision_of: int | None = None,
) -> int:
    """Read and store a board; returns its id."""
    files, plain = unpacked(uploads, name, thickness_mm)
    return _store_read(connection, files, plain, thickness_mm, revision_of)


def _store_read(
    connection: sqlite3.Connection,
    files: dict[str, bytes],
    name: str,
    thickness_mm: float,
    revision_of: int | None,
) -> int:
    choices = _carried(connection, revision_of, files)
    board, source = _read(
        connection, files, name, thickness_mm=thickness_mm, revision_of=revision_of, choices=choices
    )
    return boards.add(connection, board, source)


def _read(
    connection: sqlite3.Connection,
    files: dict[str, bytes],
    name: str,
    thickness_mm: float,
    revision_of: int | None,
    choices: Choices,
    on_step: Callable[[str], None] = lambda step: None,
) -> tuple[Board, Source]:
    board = read_board(
        files,
        name,
        choices,
        thickness_mm=thickness_mm,
        on_step=on_step,
        library=library_of(connection),
        columns=packages.headings(connection),
    )
    return board, Source(files, choices, revision_of=revision_of)


def _carried(
    connection: sqlite3.Connection, revision_of: int | None, files: Mapping[str, bytes]
) -> Choices:
    """Choices of an earlier revision that still mean something: roles of files of the same name,
    corrections by part.
    """
    if revision_of is None:
        return Choices()
    before = pinned(
        boards.source_of(connection, revision_of).choices, boards.get(connection, revision_of)
    )
    return Choices(
        roles={name: role for name, role in before.roles.items() if name in files},
        parts=before.parts,
        together=before.together,
    )


def bring_in(
    connection: sqlite3.Connection,
    uploads: Uploads,
    name: str = "",
    thickness_mm: float = 1.6,
    revision_of: int | None = None,
) -> tuple[str, int]:
    """Import at once when it is quick, else leave it to a worker: ("board", its id) or ("import",
    its id). A set that makes no board as its files were taken is kept as a refused import, so that
    its owner can say what they are.
    """
    files, plain = unpacked(uploads, name, thickness_mm)
    if revision_of is not None:
        plain = name.strip()[:120] or boards.get(connection, revision_of).name
    if sum(map(len, files.values())) >= LARGE_BYTES:
        choices = _carried(connection, revision_of, files)
        return "import", imports.add(
            connection, plain, thickness_mm, revision_of=revision_of, files=files, choices=choices
        )
    try:
        return "board", _store_read(connection, files, plain, thickness_mm, revision_of)
    except UnreadableFile as problem:
        if not problem.guesses:
            raise
        kept = imports.add(connection, plain, thickness_mm, revision_of, files)
        imports.refuse(connection, kept, str(problem), problem.guesses)
        return "import", kept


def read_import_as(
    connection: sqlite3.Connection, import_id: int, roles: Mapping[str, Role]
) -> tuple[str, int]:
    """Read the files of a refused set as their owner says what they are: ("board", its id), or the
    refusal again under the import's id.

    Raises NotFound when the files are gone, InvalidValue for a file that is not among them.
    """
    one, files = imports.get(connection, import_id), imports.files_of(connection, import_id)
    if not files:
        raise NotFound("the files of this set are not kept any more; add them again")
    unknown = set(roles) - set(files)
    if unknown:
        raise InvalidValue("file", f"{sorted(unknown)[0][:80]} is not one of this set's files")
    choices = _carried(connection, one.revision_of, files).with_roles(roles)
    try:
        board, source = _read(
            connection,
            files,
            one.name,
            thickness_mm=one.thickness_mm,
            revision_of=one.revision_of,
            choices=choices,
        )
    except UnreadableFile as problem:
        guesses = problem.guesses or imports.guesses_of(connection, import_id)
        imports.refuse(connection, import_id, str(problem), guesses)
        return "import", import_id
    with atomic(connection):
        board_id = boards.add(connection, board, source)
        imports.read(connection, import_id, board_id)
    return "board", board_id


@does(imports.KIND)
def _do_import(connection: sqlite3.Connection, taken: Work) -> None:
    work_import(connection, imports.get(connection, taken.id))


def work_import(connection: sqlite3.Connection, one: imports.Import) -> None:
    """Read and store a large import that was taken, telling each step; a problem ends it with its
    sentence and stores nothing. The board and the import's end are stored together or not at all.
    """
    steps = itertools.count(1)
    told_at = -math.inf

    def tell(step: str) -> None:
        nonlocal told_at
        number, now = next(steps), time.monotonic()
        if now - told_at < TELL_EVERY_S:
            return  # each telling waits for the disk
        told_at = now
        imports.tell(connection, one, min(number, one.all_steps), step)

    try:
        files = imports.files_of(connection, one.id)
        choices = imports.choices_of(connection, one.id)
        board, source = _read(
            connection,
            files,
            one.name,
            thickness_mm=one.thickness_mm,
            revision_of=one.revision_of,
            choices=choices,
            on_step=tell,
        )
        with atomic(connection):
            imports.end(connection, one, "done", "", boards.add(connection, board, source))
    except Lost:
        return
    except UnreadableFile as problem:
        if problem.guesses:
            imports.refuse(connection, one.id, str(problem), problem.guesses)
        else:
            _failed(connection, one, str(problem))
    except YellowfenError as problem:
        _failed(connection, one, str(problem))
    except Exception as problem:  # whatever it is, the imports behind it must not wait for ever
        mark = logged(problem, f"import {one.id}")
        said = f"reading {one.name} failed in the program and nothing was stored; leave out a file at a time to find which (the log has it under {mark})"
        _failed(connection, one, said)


def _failed(connection: sqlite3.Connection, one: imports.Import, said: str) -> None:
    with suppress(Lost):
        imports.end(connection, one, "failed", said)


# --- corrections, each with immediate effect
# ----------------------------------------------------------------------


def pinned(choices: Choices, board: Board, chosen_only: bool = False) -> Choices:
    """The choices with the pads of every part that was worked out of pads (of those only that
    something was said of), so that it keeps them and its name whatever else is read otherwise.
    """
    if any(layer.role in (Role.PLACEMENT, Role.COMPONENTS) for layer in board.layers):
        return choices
    pads: dict[str, list[Pad]] = defaultdict(list)
    for pad in board.pads:
        if pad.ref:
            pads[pad.ref].append(pad)
    sets = {
        choices.key_of(part.ref): PadSet(
            part.side,
            tuple((pad.x_mm, pad.y_mm) for pad in pads[part.ref] if pad.side == part.side),
        )
        for part in board.parts
        if _PROPOSED_NAME.fullmatch(choices.key_of(part.ref))
        and pads[part.ref]
        and (not chosen_only or choices.key_of(part.ref) in choices.parts)
    }
    return replace(choices, together={**choices.together, **sets})


def choose_roles(
    connection: sqlite3.Connection,
    board_id: int,
    chosen: Mapping[str, Role],
    thickness_mm: float | None = None,
) -> None:
    """Read a stored board's files again with roles the user chose, and keep the result.

    Raises InvalidValue for a file that is not the board's, UnreadableFile when it cannot be read
    so.
    """
    source = boards.source_of(connection, board_id)
    unknown = set(chosen) - set(source.files)
    if unknown:
        raise InvalidValue("file", f"{sorted(unknown)[0]} is not one of this board's files")
    choices = pinned(source.choices, boards.get(connection, board_id), chosen_only=True)
    reread(connection, board_id, choices.with_roles(chosen), "file roles", thickness_mm)


def reread(
    connection: sqlite3.Connection,
    board_id: int,
    choices: Choices,
    said: str,
    thickness_mm: float | None = None,
    library: Library | None = None,
    columns: ColumnChoice | None = None,
    also: Callable[[], None] = lambda: None,
    memory: Mapping[str, object] | None = None,
    check: Callable[[Board], None] = lambda read: None,
) -> None:
    """Read a board again under other choices and keep both, with what is to be stored `also`; on a
    problem nothing changes. Nothing is locked while it is read. `said` names the change, which can
    be taken back; `memory` is what the library remembered before it. `check` refuses a reading by raising.

    Raises Refused for a sketched board.
    """
    before = boards.get(connection, board_id)
    source = boards.source_of(connection, board_id)
    if source.sketch is not None:
        raise Refused("this board was sketched by hand; change it in its sketch")
    thickness = (
        before.thickness_mm
        if thickness_mm is None
        else in_range("thickness_mm", thickness_mm, 0.2, 5, "mm")
    )
    board = read_board(
        source.files,
        before.name,
        choices,
        thickness,
        library=library or library_of(connection),
        columns=packages.headings(connection) if columns is None else columns,
    )
    check(board)
    with atomic(connection):
        board_steps.keep(connection, board_id, said, memory or {})
        also()
        boards.replace(connection, board_id, board, replace(source, choices=choices))
    heat.forget(connection, board_id)


def put_together(
    connection: sqlite3.Connection,
    board_id: int,
    places: Iterable[int],
    name: str,
    footprint: str = "",
) -> str:
    """Make these pads (by their places in the board's pads) one part under a name; returns the
    name. What they belonged to keeps its other pads.

    Raises InvalidValue for pads that are gone, too many or of both sides, for names taken and
    packages unknown.
    """
    board, source = boards.get(connection, board_id), boards.source_of(connection, board_id)
    chosen = sorted(set(places))
    if not chosen or not all(0 <= one < len(board.pads) for one in chosen):
        raise InvalidValue(
            "pads", "choose the pads on the plan; read the page again if they changed"
        )
    if len(chosen) > MOST_PADS_TOGETHER:
        raise InvalidValue("pads", f"a part has at most {MOST_PADS_TOGETHER} pads")
    pads = [board.pads[one] for one in chosen]
    if len({pad.side for pad in pads}) > 1:
        raise InvalidValue(
            "pads", "pads of both sides cannot be one part; choose those of one side"
        )
    plain = name.strip()[:20]
    mine = {pad.ref for pad in pads}
    if not plain:
        raise InvalidValue("name", "give the part the name that is printed beside it")
    if any(part.ref == plain and part.ref not in mine for part in board.parts):
        raise InvalidValue("name", f"{plain} is on this board already; choose another name")
    if footprint and library_of(connection).find(footprint) is None:
        raise InvalidValue(
            "package",
            f"no package is known as {footprint[:60]!r}; leave it empty to keep the pads as they are, or describe it under Packages",
        )
    choices = pinned(source.choices, board)
    places_mm = tuple((pad.x_mm, pad.y_mm) for pad in pads)
    kept = {
        key: PadSet(one.side, tuple(at for at in one.places if at not in places_mm))
        for key, one in choices.together.items()
    }
    number = 1 + max(
        (int(key[1:]) for key in (*kept, *choices.parts) if _PROPOSED_NAME.fullmatch(key)),
        default=0,
    )
    key = next((old for old, one in choices.parts.items() if one.name == plain), f"P{number}")
    together = {one: held for one, held in kept.items() if held.places}
    gone = set(kept) - set(together)
    parts = {old: one for old, one in choices.parts.items() if old not in gone}
    changed = replace(
        choices,
        together={**together, key: PadSet(pads[0].side, places_mm)},
        parts={**parts, key: PartChoice(name=plain, footprint=footprint.strip()[:120])},
    )
    owners = listed(sorted({pad.ref for pad in pads if pad.ref}))

    def check(read: Board) -> None:
        if not any(part.ref == plain for part in read.parts):
            raise InvalidValue(
                "pads",
                f"the files give these pads to {owners or 'another part'}; correct that part",
            )

    said = f"{plain} of {counted(len(pads), 'pad')}"
    reread(connection, board_id, changed, said, check=check)
    return plain


def work_out_anew(connection: sqlite3.Connection, board_id: int) -> None:
    """Work the parts that nobody named out of their pads once more, with what this version knows."""
    source = boards.source_of(connection, board_id)
    kept = pinned(source.choices, boards.get(connection, board_id), chosen_only=True)
    together = {key: one for key, one in kept.together.items() if key in kept.parts}
    reread(connection, board_id, replace(kept, together=together), "parts recognised again")


def accept_proposal(connection: sqlite3.Connection, board_id: int, place: int) -> None:
    """Apply a proposed change of the whole placement.

    Raises NotFound when it is not proposed any more.
    """
    proposals = boards.get(connection, board_id).proposals
    if not 0 <= place < len(proposals):
        raise NotFound("this proposal is not there any more; read the page again")
    chosen, choices = proposals[place], boards.source_of(connection, board_id).choices
    if chosen.turn_side:
        changed = replace(choices, turns={**choices.turns, chosen.turn_side: chosen.turn_deg})
    else:
        changed = replace(choices, shift=chosen.shift)
    reread(connection, board_id, changed, "the accepted proposal")


def undo_placement(connection: sqlite3.Connection, board_id: int) -> None:
    """Take back accepted shifts and turns of the placement."""
    reread(
        connection,
        board_id,
        replace(boards.source_of(connection, board_id).choices, shift=None, turns={}),
        "placement as the table has it",
    )


def correct_part(
    connection: sqlite3.Connection,
    board_id: int,
    ref: str,
    choice: PartChoice,
    for_its_footprint: bool = False,
) -> str:
    """Correct one part's name, value, package, turn, or leave it out; returns the name it has now.

    `for_its_footprint` lets the table's footprint name mean that package for every part and board
    from now on.

    Raises NotFound for a part that is gone, InvalidValue for a name taken or a package unknown.
    """
    board, source = boards.get(connection, board_id), boards.source_of(connection, board_id)
    before = source.choices.key_of(ref)
    part = next((part for part in board.parts if part.ref == ref), None)
    if part is None and before not in source.choices.parts:
        raise NotFound(f"there is no part {ref} on this board")
    now = choice.name or before
    if now != ref and any(other.ref == now for other in board.parts):
        raise InvalidValue("name", f"{now} is on this board already; choose another name")
    if choice.footprint and library_of(connection).find(choice.footprint) is None:
        raise InvalidValue(
            "package",
            f"no package is known as {choice.footprint!r}; try a name such as 0603, SOIC-8 or QFN-20, or describe it under Packages",
        )
    old = source.choices.parts.get(before, PartChoice())
    if part is not None and replace(choice, name=old.name) == old:
        _rename(
            connection,
            board_id,
            board,
            source=replace(source, choices=source.choices.with_part(before, choice)),
            ref=ref,
            now=now,
        )
        return now
    choices = pinned(source.choices, board).with_part(before, choice)
    said = f"{now} left out" if choice.left_out else f"{now} corrected"
    if not (for_its_footprint and choice.footprint and part is not None and part.footprint):
        reread(connection, board_id, choices, said)
        return now
    footprint = part.footprint
    library = library_of(connection)
    reread(
        connection,
        board_id,
        choices,
        said,
        library=Library(library.own, {**library.meanings, footprint: choice.footprint}),
        also=lambda: packages.keep_meaning(connection, footprint, choice.footprint),
        memory={"footprint": [footprint, library.meanings.get(footprint)]},
    )
    return now


def name_part(connection: sqlite3.Connection, board_id: int, ref: str, name: str) -> str:
    """Give a part its name and change nothing else; returns it.

    Raises InvalidValue without a name.
    """
    source = boards.source_of(connection, board_id)
    kept = source.choices.parts.get(source.choices.key_of(ref), PartChoice())
    if not name.strip():
        raise InvalidValue("name", "type the name that is printed beside the part")
    return correct_part(connection, board_id, ref, replace(kept, name=name.strip()[:20]))


def make_openings(connection: sqlite3.Connection, board_id: int) -> None:
    """Give a board without a paste layer openings over the pads of its parts.

    Raises Refused where it has openings.
    """
    if boards.get(connection, board_id).openings:
        raise Refused("this board has stencil apertures already")
    choices = pinned(
        boards.source_of(connection, board_id).choices, boards.get(connection, board_id)
    )
    reread(
        connection, board_id, replace(choices, openings_from_pads=True), "apertures over the pads"
    )


def _rename(
    connection: sqlite3.Connection, board_id: int, board: Board, source: Source, ref: str, now: str
) -> None:
    """A new name changes nothing else, so the files need not be read again."""
    named = replace(
        board,
        parts=tuple(named_by_user(part, now) if part.ref == ref else part for part in board.parts),
        pads=tuple(replace(pad, ref=now) if pad.ref == ref else pad for pad in board.pads),
        printed_marks={
            now if one == ref else one: mark for one, mark in board.printed_marks.items()
        },
    )
    with atomic(connection):
        board_steps.keep(connection, board_id, f"{ref} named {now}", {})
        boards.replace(connection, board_id, named, source)
    heat.forget(connection, board_id)


def choose_columns(
    connection: sqlite3.Connection, board_id: int, file: str, columns: Mapping[str, int]
) -> None:
    """Correct what a table's columns are; kept for every table of the same heading.

    Raises NotFound for a table that is not the board's, InvalidValue for columns that say nothing
    or two things.
    """
    reading = next((one for one in tables_of(connection, board_id) if one.file == file), None)
    if reading is None:
        raise NotFound(f"{file} is not a table of this board")
    kept = {field: index for field, index in columns.items() if field in FIELDS and index >= 0}
    if "ref" not in kept:
        raise InvalidValue("ref", "choose which column names the parts")
    doubled = next(
        (field for field, index in kept.items() if list(kept.values()).count(index) > 1), None
    )
    if doubled:
        raise InvalidValue(doubled, "one column cannot mean two things; choose another")
    headings = packages.headings(connection)
    reread(
        connection,
        board_id,
        boards.source_of(connection, board_id).choices,
        f"columns of {file}",
        columns={**headings, reading.key: kept},
        also=lambda: packages.keep_heading(connection, reading.key, kept),
        memory={"heading": [reading.key, headings.get(reading.key)]},
    )


def tables_of(connection: sqlite3.Connection, board_id: int) -> list[TableReading]:
    """How each placement and bill of a board is read."""
    files = boards.source_of(connection, board_id).files
    tables = {
        guess.file: files[guess.file]
        for guess in boards.get(connection, board_id).layers
        if guess.role in (Role.PLACEMENT, Role.BILL) and guess.file in files
    }
    return read_tables(tables, packages.headings(connection))


def saved_files(connection: sqlite3.Connection, board_id: int) -> dict[str, bytes]:
    """The files a board was read from; for a sketch, the files that read back as it."""
    boards.must_exist(connection, board_id)
    files = boards.files_of(connection, board_id)
    return files or board_files(boards.get(connection, board_id))


def restore(connection: sqlite3.Connection, board_id: int) -> None:
    """Read a board again from its files where what was stored of it is damaged; choices that are
    damaged too are forgotten.

    Raises Refused for a sketched board.
    """
    name, files = boards.must_exist(connection, board_id), boards.files_of(connection, board_id)
    if not files:
        raise Refused("this board was sketched by hand and has no files to read it from")
    try:
        choices = boards.source_of(connection, board_id).choices
    except Damaged:
        choices = Choices()
    library, columns = library_of(connection), packages.headings(connection)
    board = read_board(files, name, choices, library=library, columns=columns)
    with atomic(connection):
        board_steps.forget(connection, board_id)
        boards.replace(connection, board_id, board, Source(files, choices))
    heat.forget(connection, board_id)


def changes_of(
    connection: sqlite3.Connection, board_id: int
) -> tuple[int, tuple[BoardChange, ...]] | None:
    """The earlier revision's id and what changed since; None for a board that is no revision."""
    earlier = boards.revision_of(connection, board_id)
    if earlier is None:
        return None
    return earlier, changes(boards.get(connection, earlier), boards.get(connection, board_id))


def ask_rereads(connection: sqlite3.Connection) -> None:
    """Have the worker read again what an earlier version stored. What ended the reader before stays
    as it was, until a later version asks anew.
    """
    for board_id in boards.stale(connection):
        with atomic(connection):
            before = work.latest_of(connection, REREAD, board_id)
            if before is None or before.state in (work.DONE, work.CANCELLED):
                work.add(connection, REREAD, board_id=board_id)
            elif before.state == work.FAILED:
                boards.keep_as_read(connection, board_id, unread(before.said))
                work.forget(connection, before.id)


@does(REREAD)
def work_reread(connection: sqlite3.Connection, one: Work) -> None:
    """Read a board that an earlier version stored, with all that was chosen for it. Nothing is
    taken over where parts would differ: it is kept beside what stands, for the owner to see and
    take. What cannot be read any more stays as it was and says so. The board and the work's end are
    stored together or not at all.
    """
    board_id = one.board_id
    if board_id is None:
        return
    before: Board | None = None
    board: Board | None = None
    said = ""
    try:
        before, source = boards.get(connection, board_id), boards.source_of(connection, board_id)
        board = read_board(
            source.files,
            before.name,
            pinned(source.choices, before),
            before.thickness_mm,
            library=library_of(connection),
            columns=packages.headings(connection),
        )
    except YellowfenError as problem:
        said = str(problem)
    except Exception as problem:  # whatever one board does, the next is read
        said = f"the log has it under {logged(problem, f'board {board_id}')}"
    with suppress(Lost), atomic(connection):
        work.end(connection, one.id, one.owner, work.DONE)
        if board is None or before is None:
            boards.keep_as_read(connection, board_id, unread(said))
        elif changes(before, board):
            boards.propose_reading(connection, board_id, board)
        else:
            board_steps.forget(connection, board_id)
            boards.replace(connection, board_id, board, source)


def take_reading(connection: sqlite3.Connection, board_id: int, take: bool) -> None:
    """Take what this version reads of a board in place of what stands, or leave it.

    Raises NotFound when it is there no more.
    """
    board = boards.proposed_reading(connection, board_id)
    if board is None:
        raise NotFound("there is no other reading of this board any more; read the page again")
    if not take:
        boards.propose_reading(connection, board_id, None)
        return
    source = boards.source_of(connection, board_id)
    before = boards.get(connection, board_id)
    choices = pinned(source.choices, before)
    with atomic(connection):
        board_steps.keep(connection, board_id, "the new reading", {})
        boards.replace(connection, board_id, board, replace(source, choices=choices))
    heat.forget(connection, board_id)


def take_back(connection: sqlite3.Connection, board_id: int) -> str:
    """Take the newest change of a board back, with what the library learnt from it; returns what it
    was. Raises NotFound where there is none.
    """
    boards.must_exist(connection, board_id)
    with atomic(connection):
        said, memory = board_steps.take_back(connection, board_id)
        for kind, (key, before) in memory.items():
            packages.remember_again(connection, kind, str(key), before)
    heat.forget(connection, board_id)
    return said


def add_files(connection: sqlite3.Connection, board_id: int, uploads: Uploads) -> None:
    """More files of the same board: a file of a name that is there already replaces it.

    On a problem nothing changes.

    Raises Refused for a sketched board.
    """
    source, before = boards.source_of(connection, board_id), boards.get(connection, board_id)
    if source.sketch is not None:
        raise Refused(
            "this board was sketched by hand and has no files; add the files as a new board"
        )
    fresh, _ = unpacked(uploads, before.name, before.thickness_mm)
    files = {**source.files, **fresh}
    choices = pinned(source.choices, before, chosen_only=True)
    board = read_board(
        files,
        before.name,
        choices,
        before.thickness_mm,
        library=library_of(connection),
        columns=packages.headings(connection),
    )
    with atomic(connection):
        board_steps.forget(connection, board_id)
        boards.put_files(connection, board_id, fresh)
        boards.replace(connection, board_id, board, replace(source, choices=choices))
    heat.forget(connection, board_id)
