"""Parts of a set of board files: placed by a table, named by the layers or a netlist, or proposed from
the pads; corrected as the user chose, left out where not fitted, joined to their pads.
"""

import math
import re
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from yellowfen.core.board.board import BoardPart, Finding, Opening, Pad, Point, Role
from yellowfen.core.board.choices import Choices, PadSet, PartChoice
from yellowfen.core.board.join import Joined, Placement, join
from yellowfen.core.board.likeness import Likeness
from yellowfen.core.board.placing import Placed, common_turn, place
from yellowfen.core.board.propose import Proposed, package_like, propose
from yellowfen.core.board.shift import Shift, ShiftProposal
from yellowfen.core.part.catalogue import find_package, unknown_in_holes
from yellowfen.core.part.library import Library
from yellowfen.core.part.package import JointKind, Land
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.quantity.wording import counted
from yellowfen.formats.board_set import FileSet, extent_of
from yellowfen.formats.gerber.layer import Drawn
from yellowfen.formats.part_table import BillLine

SAME_PLACE_MM = 0.1
PROPOSED = "proposed from its pads"
_BARE = (Role.MASK_TOP, Role.MASK_BOTTOM, Role.PASTE_TOP, Role.PASTE_BOTTOM)
_NOT_PARTS = ("fiducial", "testpoint", "mountinghole", "tooling", "fid_", "fid-")
_NAMED_MOST = 12  # as many parts are named in a remark


@dataclass(frozen=True, kw_only=True)
class PadsSeen:
    """What the layers show of pads, on the board's own coordinates (`origin` in the files'); `lands`
    stand round holes.
    """

    pads: Sequence[Pad]
    openings: Sequence[Opening]
    lands: Sequence[Pad]
    origin: Point
    size: Point


@dataclass(frozen=True, kw_only=True)
class PartsFound:
    """Parts joined to their pads, what is proposed about their placement, what is to be said."""

    joined: Joined
    proposals: tuple[ShiftProposal, ...]
    findings: list[Finding]


def parts_of(found: FileSet, seen: PadsSeen, choices: Choices, library: Library) -> PartsFound:
    """All parts that the files tell of, as far as they can be made out."""
    remarks: list[Finding] = []
    placed = _on_board(found, seen, choices, library, remarks)
    told = _with_bill(list(placed.placements), found.bill)
    tabled = bool(told)
    if not tabled:
        told = _placements_from_names(found, seen, choices.parts, remarks)
    numbered, guessed, pads = _proposed(
        found, seen, told, tabled=tabled, choices=choices, library=library, remarks=remarks
    )
    placements = [
        *(_corrected(each, choices.parts.get(each.ref), choices.turns) for each in told),
        *(
            each if each.ref in numbered else _corrected(each, choices.parts.get(each.ref), {})
            for each in guessed
        ),
    ]
    left = _left_out(placements, choices, remarks)
    fitted = [each for each in placements if not _is_mark(each)]
    joined = join(fitted, pads, library, seen.lands)
    if not tabled:
        in_holes = _in_holes(seen.lands, joined, choices.parts)
        joined = replace(joined, parts=(*joined.parts, *in_holes))
    joined = _as_named(joined, {each.ref for each in guessed}, left, choices)
    return PartsFound(
        joined=joined,
        proposals=(*placed.proposals, *_turn_proposals(joined, choices)),
        findings=[*remarks, *placed.findings, *joined.findings],
    )


def _proposed(
    found: FileSet,
    seen: PadsSeen,
    told: Sequence[Placement],
    tabled: bool,
    choices: Choices,
    library: Library,
    remarks: list[Finding],
) -> tuple[set[str], list[Placement], list[Pad]]:
    """(names that were numbered, parts proposed from pads that nothing else tells of, the pads under
    their parts' names). Nothing is searched where a table tells the parts, or nothing which copper
    is bare.
    """
    known = {each.ref for each in told}
    told_bare = any(role in found.gerbers for role in _BARE)
    if not told_bare and not tabled:
        said = "no mask and no paste layer tells which copper is bare, so no parts were worked out of it; add one of them, or a placement table"
        remarks.append(Finding("parts", said))
    together = _together(choices, known) if tabled else choices.together
    proposed = propose(
        list(seen.pads),
        seen.size,
        together,
        choices.parts,
        library,
        search=not tabled and told_bare,
        openings=seen.openings,
    )
    guessed, pads = _named_by_legend(proposed, found, seen.origin, known)
    if len(guessed) > len(together):
        unnamed = tabled or not known
        said = f"{counted(len(guessed), 'part was', 'parts were')} proposed from pad patterns{' and named P1 and on' if unnamed else ''}; name them on the plan"
        names = "" if not unnamed else " and no pin names in the layers"
        remarks.append(Finding("parts", f"no placement file{names}: {said}"))
    remarks += proposed.findings
    return {each.ref for each in proposed.placements}, guessed, pads


def _together(choices: Choices, known: set[str]) -> Mapping[str, PadSet]:
    """Pads that the user put together to parts which a table does not know: its own come first."""
    names = _names(choices)
    return {
        key: pads
        for key, pads in choices.together.items()
        if key in names and not {key, names[key]} & known
    }


def _names(choices: Choices) -> dict[str, str]:
    """The names that the user gave to parts, by what they were called."""
    return {ref: choice.name for ref, choice in choices.parts.items() if choice.name}


def _left_out(
    placements: Sequence[Placement], choices: Choices, remarks: list[Finding]
) -> set[str]:
    """Parts that are not fitted, by table or choice."""
    left = [
        each.ref
        for each in placements
        if not each.fitted or (choices.parts.get(each.ref) or PartChoice()).left_out
    ]
    if left:
        said = f"{_named_few(left)}: marked not to be fitted, left out"
        remarks.append(Finding("parts", said))
    return set(left)


def _named_few(refs: Sequence[str]) -> str:
    return ", ".join(refs[:_NAMED_MOST]) + (" and more" if len(refs) > _NAMED_MOST else "")


def _as_named(joined: Joined, proposed: set[str], left: set[str], choices: Choices) -> Joined:
    """Parts and pads under the names that the user gave, without what is left out; findings only of
    parts that are not mere guesses.
    """
    names = _names(choices)
    guesses = {ref for ref in proposed if not (choices.parts.get(ref) or PartChoice()).footprint}
    return Joined(
        tuple(
            _named(part, names.get(part.ref), part.ref in proposed)
            for part in joined.parts
            if part.ref not in left
        ),
        tuple(replace(pad, ref=names.get(pad.ref or "", pad.ref)) for pad in joined.pads)
        if names
        else joined.pads,
        tuple(
            replace(finding, about=names.get(finding.about, finding.about))
            for finding in joined.findings
            if finding.about not in guesses and finding.about not in left
        ),
        joined.turns,
    )


def named_by_netlist(pads: list[Pad], found: FileSet, origin: Point) -> list[Pad]:
    """Pads with part and pin from a netlist's records, where the layers' attributes did not name
    them.
    """
    if not found.points or any(pad.ref for pad in pads):
        return pads
    cells: dict[tuple[int, int], list[int]] = defaultdict(list)
    for index, pad in enumerate(pads):
        cells[(int(pad.x_mm), int(pad.y_mm))].append(index)
    named = list(pads)
    for point in found.points:
        if not point.ref or point.ref == "VIA":
            continue
        x, y = point.x_mm - origin[0], point.y_mm - origin[1]
        near = [
            i
            for dx in (-1, 0, 1)
            for dy in (-1, 0, 1)
            for i in cells.get((int(x) + dx, int(y) + dy), ())
            if point.access in ("both", pads[i].side)
            and abs(pads[i].x_mm - x) <= pads[i].size_x_mm / 2 + 0.05
            and abs(pads[i].y_mm - y) <= pads[i].size_y_mm / 2 + 0.05
        ]
        if near:
            index = min(near, key=lambda i: math.hypot(pads[i].x_mm - x, pads[i].y_mm - y))
            named[index] = replace(
                named[index],
                ref=point.ref,
                pin=point.pin or None,
                net=point.net if point.net != "N/C" else named[index].net,
            )
    return named


def _in_holes(
    lands: Sequence[Pad], joined: Joined, choices: Mapping[str, PartChoice]
) -> list[BoardPart]:
    """Parts whose pins stand in holes only, named by the layers or a netlist: for the iron."""
    pins: dict[str, list[Pad]] = defaultdict(list)
    known = {part.ref for part in joined.parts}
    for land in lands:
        if land.ref and land.ref not in known and land.side == "top":
            pins[land.ref].append(land)
    parts = []
    for ref, its in pins.items():
        xs, ys = [one.x_mm for one in its], [one.y_mm for one in its]
        x, y = (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2
        own = tuple(
            Land(
                pin=one.pin or str(number),
                x_mm=one.x_mm - x,
                y_mm=one.y_mm - y,
                size_x_mm=one.size_x_mm,
                size_y_mm=one.size_y_mm,
                kind=JointKind.THROUGH_HOLE,
            )
            for number, one in enumerate(its, 1)
        )
        if len(own) < 2:
            continue
        value = (choices.get(ref) or PartChoice()).value
        parts.append(
            BoardPart(
                ref=ref,
                value=value,
                footprint="",
                x_mm=x,
                y_mm=y,
                rotation_deg=0.0,
                side="top",
                package=unknown_in_holes(own),
                joined=True,
                note="pins in holes",
            )
        )
    return parts


def _named(part: BoardPart, name: str | None, proposed: bool) -> BoardPart:
    """The part under the name the user gave it; a proposed one without a name says so in its note."""
    if name is not None or not proposed:
        return replace(part, ref=name or part.ref)
    return replace(part, note=PROPOSED + (f"; {part.note}" if part.note else ""))


def named_by_user(part: BoardPart, name: str) -> BoardPart:
    """A part renamed: what its note says of its missing name goes."""
    return replace(part, ref=name, note=part.note.removeprefix(PROPOSED).removeprefix("; "))


def is_unnamed(part: BoardPart) -> bool:
    """True for a part proposed from pads that nobody has named yet."""
    return part.note.startswith(PROPOSED)


def _on_board(
    found: FileSet,
    seen: PadsSeen,
    choices: Choices,
    library: Library,
    remarks: list[Finding],
) -> Placed:
    """The table's parts where they lie on the board."""
    pads, size = list(seen.pads), seen.size
    if found.placements and all(_is_mark(one) for one in found.placements):
        remarks.append(Finding("placement", "it names marks and test points only, no parts"))
        return place((), pads, seen.origin, size, library)
    with_footprints = _with_bill(_each_once(found.placements, remarks), found.bill)
    return place(
        with_footprints, pads, seen.origin, size=size, library=library, chosen=choices.shift
    )


def _each_once(placements: list[Placement], remarks: list[Finding]) -> list[Placement]:
    """The first of every name, where tables or component layers name a part twice; said when they
    differ.
    """
    first: dict[str, Placement] = {}
    for one in placements:
        kept = first.setdefault(one.ref, one)
        apart = math.hypot(kept.x_mm - one.x_mm, kept.y_mm - one.y_mm) > SAME_PLACE_MM
        if apart or kept.side != one.side:
            said = f"is placed twice, {kept.side} ({kept.x_mm:.1f}, {kept.y_mm:.1f}) and {one.side} ({one.x_mm:.1f}, {with_unit(one.y_mm, MM, 1)}); the first was taken"
            remarks.append(Finding(one.ref, said))
    return list(first.values())


def _is_mark(placed: Placement) -> bool:
    """Fiducials, test points, holes: rows of a placement that are no parts."""
    return placed.footprint.rsplit(":", 1)[-1].lower().startswith(_NOT_PARTS)


def _corrected(placed: Placement, choice: PartChoice | None, turns: Mapping[str, int]) -> Placement:
    turned = replace(placed, rotation_deg=(placed.rotation_deg + turns.get(placed.side, 0)) % 360)
    if choice is None:
        return turned
    return replace(
        turned,
        value=choice.value or placed.value,
        footprint=choice.footprint or placed.footprint,
        rotation_deg=(turned.rotation_deg + choice.turn_deg) % 360,
    )


def _turn_proposals(joined: Joined, choices: Choices) -> tuple[ShiftProposal, ...]:
    """A quarter turn that most parts of a side need beyond the table's angles: proposed for the
    side as a whole.
    """
    proposals = []
    for side, turns in joined.turns.items():
        turn = common_turn(turns)
        if turn and side not in choices.turns:
            sentence = f"Turn every part of the {side} by {turn}°: {turns.count(turn)} of {len(turns)} parts with more than two pads fit only so, by their pads"
            proposals.append(
                ShiftProposal(
                    sentence=sentence,
                    shift=Shift(),
                    fits_before=turns.count(0),
                    fits_after=turns.count(turn),
                    of=len(turns),
                    turn_side=side,
                    turn_deg=turn,
                )
            )
    return tuple(proposals)


def _with_bill(placements: list[Placement], bill: Mapping[str, BillLine]) -> list[Placement]:
    return [
        replace(
            p,
            value=p.value or line.value,
            footprint=p.footprint or line.footprint,
            fitted=p.fitted and line.fitted,
        )
        if (line := bill.get(p.ref))
        else p
        for p in placements
    ]


def _placements_from_names(
    found: FileSet,
    seen: PadsSeen,
    choices: Mapping[str, PartChoice],
    remarks: list[Finding],
) -> list[Placement]:
    """Parts named by the layers' own pin attributes or a netlist, placed where their pads lie;
    their footprint by the attributes or the bill where it stands there, else by what their pads
    look like. A name on one bare pad is a hole's or a test point's, unless somebody says what it
    is.
    """
    groups: dict[str, dict[str, list[Pad]]] = defaultdict(lambda: defaultdict(list))
    for pad in seen.pads:
        if pad.ref:
            groups[pad.ref][pad.side].append(pad)
    told = _footprints_by_attribute(found)
    bare = _with_bill(
        [
            Placement(
                ref=ref,
                value=value,
                footprint=footprint,
                x_mm=0.0,
                y_mm=0.0,
                rotation_deg=0.0,
                side="top",
            )
            for ref in groups
            for value, footprint in (told.get(ref, ("", "")),)
        ],
        found.bill,
    )
    told_by_hand = {*choices, *(choice.name for choice in choices.values())}
    marks = sorted(
        one.ref
        for one in bare
        if not one.footprint
        and one.ref not in told_by_hand
        and all(len(its) == 1 and not its[0].paste_mm2 for its in groups[one.ref].values())
    )
    if marks:
        one_each = "one bare pad each" if len(marks) > 1 else "one bare pad"
        said = f"{_named_few(marks)}: {one_each}, read as holes or test points, no parts"
        remarks.append(Finding("parts", said))
    return [
        _from_its_pads(each, groups[each.ref], seen.lands) for each in bare if each.ref not in marks
    ]


def _footprints_by_attribute(found: FileSet) -> dict[str, tuple[str, str]]:
    """(value, footprint) by part where objects of the outer layers carry them as attributes."""
    told: dict[str, tuple[str, str]] = {}
    for role in (Role.COPPER_TOP, Role.COPPER_BOTTOM, Role.LEGEND_TOP, Role.LEGEND_BOTTOM):
        for one in found.drawn(role):
            given = one.given or {}
            footprint = _first(given, ".CFtp") or _first(given, ".CPgN")
            if one.ref and footprint and one.ref not in told:
                told[one.ref] = (_first(given, ".CVal")[:80], footprint[:120])
    return told


def _first(given: Mapping[str, Sequence[str]], key: str) -> str:
    values = given.get(key) or ("",)
    return str(values[0])


def _from_its_pads(
    bare: Placement, faces: Mapping[str, list[Pad]], lands: Sequence[Pad]
) -> Placement:
    """A part that stands once, on the face with most of its paste, then of its pads; through-hole
    parts have lands on both. One that looks like nothing known stands in the middle of its pads and
    of its `lands` of holes.
    """
    side = max(
        sorted(faces, reverse=True),
        key=lambda face: (sum(pad.paste_mm2 > 0 for pad in faces[face]), len(faces[face])),
    )
    pads = faces[side]
    seen = package_like(pads)
    if seen is not None:
        x = seen.x_mm if side == "top" else -seen.x_mm
        return replace(
            bare,
            footprint=bare.footprint or _by_its_letter(bare.ref, seen),
            x_mm=x,
            y_mm=seen.y_mm,
            rotation_deg=round(seen.rotation_deg % 360, 1),
            side=side,
        )
    its = [*pads, *(land for land in lands if land.ref == bare.ref and land.side == side)]
    xs, ys = [pad.x_mm for pad in its], [pad.y_mm for pad in its]
    return replace(bare, x_mm=(min(xs) + max(xs)) / 2, y_mm=(min(ys) + max(ys)) / 2, side=side)


def _by_its_letter(ref: str, seen: Likeness) -> str:
    """A chip named as a diode is taken for a chip LED, the shyer of the two."""
    led = f"LED_{seen.name}"
    if seen.package.family == "chip" and re.match(r"(?:D|LED)\d", ref) and find_package(led):
        return led
    return seen.name


def _named_by_legend(
    seen: Proposed, found: FileSet, origin: Point, taken: set[str]
) -> tuple[list[Placement], list[Pad]]:
    """Proposed parts, and the pads, renamed where legend objects carry a part's name by attribute:
    the nearest group of such ink names it.
    """
    guessed = seen.placements
    free = dict.fromkeys(range(len(guessed)))
    names: dict[str, str] = {}
    for side, role in (("top", Role.LEGEND_TOP), ("bottom", Role.LEGEND_BOTTOM)):
        groups: dict[str, list[Drawn]] = defaultdict(list)
        for one in found.drawn(role):
            if one.ref and one.ref not in taken:
                groups[one.ref].append(one)
        for ref, drawn in groups.items():
            extent = extent_of(drawn)
            if extent is None:
                continue
            x, y = (extent[0] + extent[2]) / 2 - origin[0], (extent[1] + extent[3]) / 2 - origin[1]
            near = [
                (math.hypot(guessed[i].x_mm - x, guessed[i].y_mm - y), i)
                for i in free
                if guessed[i].side == side
            ]
            if near and min(near)[0] < 6.0:
                names[guessed[min(near)[1]].ref] = ref
                del free[min(near)[1]]
    if not names:
        return list(guessed), list(seen.pads)
    return (
        [replace(placed, ref=names.get(placed.ref, placed.ref)) for placed in guessed],
        [replace(pad, ref=names[pad.ref]) if pad.ref in names else pad for pad in seen.pads],
    )


def loose_ends(joined: Joined, size: Point) -> list[Finding]:
    """Pads with paste that belong to nothing, and parts that lie beside the board."""
    width, height = size
    findings = []
    loose = sum(1 for pad in joined.pads if pad.ref is None and pad.paste_mm2 > 0)
    if loose:
        findings.append(
            Finding(
                "pads",
                f"{counted(loose, 'pad with paste belongs', 'pads with paste belong')} to no part",
            )
        )
    for part in joined.parts:
        if not (-0.5 <= part.x_mm <= width + 0.5 and -0.5 <= part.y_mm <= height + 0.5):
            findings.append(
                Finding(
                    part.ref,
                    f"lies outside the board ({part.x_mm:.1f}, {with_unit(part.y_mm, MM, 1)}); check units and origin of the placement",
                )
            )
    return findings
