"""Parts proposed from pad patterns, for boards without placement or pin names.

What the pads look like is taken as that package (`pad_groups`, `likeness`); what fits no known one
keeps its pads and says so. Proposals are named P1, P2 …, and keep their names when a board is read
again: what the user or an earlier reading put together stays together.
"""

import math
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from yellowfen.core.board.board import Finding, Opening, Pad
from yellowfen.core.board.choices import PadSet, PartChoice
from yellowfen.core.board.join import Placement
from yellowfen.core.board.likeness import Likeness, PadArrays, Pattern, laid, like, usual_turns
from yellowfen.core.board.pad_groups import PadGroup, grouped
from yellowfen.core.board.pad_rows import rows_of
from yellowfen.core.part.library import BUILT_IN, Library
from yellowfen.core.quantity.wording import counted

SAME_PAD_MM = 0.15
_EDGE_MM = 2.0
_CONTACTS_LEAST = 4


@dataclass(frozen=True)
class Proposed:
    """Placements of the proposed parts, the pads with their names, and what is said of the pads
    that are no part.
    """

    placements: tuple[Placement, ...]
    pads: tuple[Pad, ...]
    findings: tuple[Finding, ...]


def propose(
    pads: Sequence[Pad],
    size: tuple[float, float] = (0.0, 0.0),
    together: Mapping[str, PadSet] | None = None,
    given: Mapping[str, PartChoice] | None = None,
    library: Library = BUILT_IN,
    search: bool = True,
    openings: Sequence[Opening] = (),
) -> Proposed:
    """What the patterns of the pads that are no part's yet look like.

    `size` of the board (mm) tells which rows lie on its edge; `together` are pads that are one part
    for certain, by the part's name; `given` what the user said of parts; without `search` only
    those for certain are taken. A pad under one paste opening is looked at as that opening is,
    which no bared track makes longer.
    """
    named = list(pads)
    placements: list[Placement] = []
    findings: list[Finding] = []
    said = given or {}
    plain = _as_pasted(pads, openings)
    kept = {ref: _pads_at(pads, one) for ref, one in (together or {}).items()}
    for ref, members in kept.items():
        if members:
            placements.append(_place(ref, _as_one(pads, members), named, said.get(ref), library))
    taken = {i for members in kept.values() for i in members}
    names = _free_names(set(together or {}))
    for side in ("top", "bottom") if search else ():
        free = _free(pads, side, taken)
        contacts = _edge_contacts(pads, free, size, side)
        free -= {i for one in contacts for i in one}
        groups, left = grouped(plain, free, side)
        groups += _unknown_ones(plain, left, side)
        for group in sorted(groups, key=lambda one: _reading_order(pads, one)):
            ref = next(names)
            placements.append(_place(ref, group, named, said.get(ref), library))
        findings += _said_of(pads, named, contacts, side)
    return Proposed(tuple(placements), tuple(named), tuple(findings))


def _as_pasted(pads: Sequence[Pad], openings: Sequence[Opening]) -> list[Pad]:
    """Pads as their paste openings lie, where each has one that covers most of it."""
    over: dict[int, list[Opening]] = defaultdict(list)
    for one in openings:
        if one.pad is not None:
            over[one.pad].append(one)
    plain = list(pads)
    for index, its in over.items():
        pad, first = pads[index], its[0]
        if len(its) > 1 or not 0.35 * pad.area_mm2 <= first.area_mm2 <= 1.3 * pad.area_mm2:
            continue
        xs, ys = [x for x, _ in first.ring], [y for _, y in first.ring]
        plain[index] = pad.lying(
            (min(xs) + max(xs)) / 2,
            (min(ys) + max(ys)) / 2,
            size_x_mm=first.size_x_mm,
            size_y_mm=first.size_y_mm,
            angle_deg=first.angle_deg,
        )
    return plain


def package_like(pads: Sequence[Pad]) -> Likeness | None:
    """What one part's pads, all on one side, look like by pattern alone; None when no known package
    is near.
    """
    arrays = PadArrays.of(pads, pads[0].side)
    return like(arrays, usual_turns(arrays))


def _free_names(taken: set[str]) -> Iterator[str]:
    number = 0
    while True:
        number += 1
        if f"P{number}" not in taken:
            yield f"P{number}"


def _free(pads: Sequence[Pad], side: str, taken: set[int]) -> set[int]:
    """Pads of a side that a part may stand on: those with paste, and large ones without; all of
    them where no side has paste.
    """
    mine = {i for i, pad in enumerate(pads) if pad.side == side and pad.ref is None} - taken
    if not any(pad.paste_mm2 > 0 for pad in pads):
        return mine
    return {i for i in mine if pads[i].paste_mm2 > 0}


def _pads_at(pads: Sequence[Pad], one: PadSet) -> list[int]:
    """Which pads now lie where the set's pads lay; none twice."""
    mine = [i for i, pad in enumerate(pads) if pad.side == one.side and pad.ref is None]
    if not mine:
        return []
    places = np.array([(pads[i].x_mm, pads[i].y_mm) for i in mine])
    found = []
    for x, y in one.places:
        far = np.hypot(places[:, 0] - x, places[:, 1] - y)
        k = int(far.argmin())
        inside = (
            abs(places[k, 0] - x) < pads[mine[k]].size_x_mm / 2
            and abs(places[k, 1] - y) < pads[mine[k]].size_y_mm / 2
        )
        if (far[k] <= SAME_PAD_MM or inside) and mine[k] not in found:
            found.append(mine[k])
    return found


def _as_one(pads: Sequence[Pad], members: Sequence[int]) -> PadGroup:
    side = pads[members[0]].side
    arrays = PadArrays.of([pads[i] for i in members], side)
    turns = usual_turns(arrays)
    found = like(arrays, turns)
    return PadGroup(tuple(members), found and _with_pads(found, members), turns[0])


def _place(
    ref: str, group: PadGroup, named: list[Pad], choice: PartChoice | None, library: Library
) -> Placement:
    """The placement of a group, its pads named in place; a footprint and a turn that the user gave
    come before what the pads look like.
    """
    members = list(group.pads)
    side = named[members[0]].side
    choice = choice or PartChoice()
    seen = _as_meant(group, [named[i] for i in members], choice, library)
    xs, ys = [named[i].x_mm for i in members], [named[i].y_mm for i in members]
    x, y = (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2
    turn = group.angle_deg + choice.turn_deg
    if seen is not None:
        x, y, turn = seen.x_mm if side == "top" else -seen.x_mm, seen.y_mm, seen.rotation_deg
    pins = dict(seen.pins) if seen else {}
    if len(pins) < len(members):
        pins |= _numbered_round([i for i in members if i not in pins], named, (x, y), len(pins))
    for index in members:
        named[index] = replace(named[index], ref=ref, pin=pins[index])
    footprint = choice.footprint or (seen.name if seen else "")
    return Placement(
        ref=ref,
        value=choice.value,
        footprint=footprint,
        x_mm=x,
        y_mm=y,
        rotation_deg=round(turn % 360, 1),
        side=side,
    )


def _as_meant(
    group: PadGroup, pads: Sequence[Pad], choice: PartChoice, library: Library
) -> Likeness | None:
    """What the group is under the user's footprint and turn."""
    seen = group.likeness
    if not choice.footprint and (not choice.turn_deg or seen is None):
        return seen
    arrays = PadArrays.of(pads, pads[0].side)
    if choice.footprint:
        given = [
            Pattern(choice.footprint, one)
            for one in library.candidates(choice.footprint)
            if one.lands
        ]
        seen = like(arrays, usual_turns(arrays), given)
    if seen is not None and choice.turn_deg:
        turned = laid(arrays, Pattern(seen.name, seen.package), seen.rotation_deg + choice.turn_deg)
        seen = turned or seen
    return None if seen is None else _with_pads(seen, group.pads)


def _with_pads(seen: Likeness, members: Sequence[int]) -> Likeness:
    """The likeness with its pins by the pads' places on the board."""
    return replace(seen, pins={members[k]: pin for k, pin in seen.pins.items()})


def _numbered_round(
    members: list[int], pads: Sequence[Pad], middle: tuple[float, float], after: int
) -> dict[int, str]:
    """Pins numbered round, starting anywhere."""
    x, y = middle
    members.sort(key=lambda i: math.atan2(pads[i].y_mm - y, pads[i].x_mm - x))
    return {index: str(after + number) for number, index in enumerate(members, 1)}


def _reading_order(pads: Sequence[Pad], group: PadGroup) -> tuple[float, float]:
    """Top down in strips of a centimetre, left to right, so that neighbours have near numbers."""
    first = [pads[i] for i in group.pads]
    x = sum(pad.x_mm for pad in first) / len(first)
    y = sum(pad.y_mm for pad in first) / len(first)
    return (-math.floor(y / 10), x)


def _unknown_ones(pads: Sequence[Pad], left: set[int], side: str) -> list[PadGroup]:
    """What no pattern fits: pads that nearly touch are one part of unknown kind, where no other pad
    stands between; the rest stays without a part.
    """
    arrays = PadArrays.of([pads[i] for i in sorted(left)], side)
    index = sorted(left)
    joined = list(range(len(index)))

    def root(k: int) -> int:
        while joined[k] != k:
            joined[k] = joined[joined[k]]
            k = joined[k]
        return k

    cells: dict[tuple[int, int], list[int]] = defaultdict(list)
    for k, (x, y) in enumerate(arrays.places.tolist()):
        cells[(int(x // 4), int(y // 4))].append(k)
    for (cx, cy), mine in cells.items():
        others = [
            o for dx in (-1, 0, 1) for dy in (-1, 0, 1) for o in cells.get((cx + dx, cy + dy), ())
        ]
        for k in mine:
            for other in others:
                reach = (arrays.sizes[k].max() + arrays.sizes[other].max()) / 2 + 0.8
                if other > k and math.dist(arrays.places[k], arrays.places[other]) < reach:
                    joined[root(other)] = root(k)
    sets: dict[int, list[int]] = defaultdict(list)
    for k in range(len(index)):
        sets[root(k)].append(index[k])
    return [
        PadGroup(
            tuple(members), None, usual_turns(PadArrays.of([pads[i] for i in members], side))[0]
        )
        for members in sets.values()
        if len(members) >= 2
    ]


def _edge_contacts(
    pads: Sequence[Pad], free: set[int], size: tuple[float, float], side: str
) -> list[tuple[int, ...]]:
    """Rows of pads without paste that end at the board's edge: contacts of an edge connector."""
    index = sorted(i for i in free if pads[i].paste_mm2 == 0)
    if not index or min(size) <= 0:
        return []
    arrays = PadArrays.of([pads[i] for i in index], side)
    found = []
    for row in rows_of(arrays, range(len(index))):
        members = tuple(index[k] for k in row.pads)
        if len(members) >= _CONTACTS_LEAST and all(_at_edge(pads[i], size) for i in members):
            found.append(members)
    return found


def _at_edge(pad: Pad, size: tuple[float, float]) -> bool:
    reach = max(pad.size_x_mm, pad.size_y_mm) / 2
    return min(
        pad.x_mm, size[0] - pad.x_mm, pad.y_mm, size[1] - pad.y_mm
    ) - reach < _EDGE_MM and max(pad.size_x_mm, pad.size_y_mm) > 1.5 * min(
        pad.size_x_mm, pad.size_y_mm
    )


def _said_of(
    pads: Sequence[Pad], named: Sequence[Pad], contacts: Sequence[tuple[int, ...]], side: str
) -> list[Finding]:
    """One sentence for each kind of pad that is no part."""
    at_edge = {i for one in contacts for i in one}
    rest = [
        i
        for i, pad in enumerate(named)
        if pad.side == side and pad.ref is None and i not in at_edge
    ]
    pasted = [i for i in rest if pads[i].paste_mm2 > 0]
    bare = len(rest) - len(pasted)
    said = []
    if at_edge:
        said.append(
            f"{counted(len(at_edge), 'pad')} in a row at the edge: read as edge contacts, no part"
        )
    if bare:
        said.append(
            f"{counted(bare, 'pad')} without paste: read as test points, marks and bare copper, no part"
        )
    return [Finding(f"pads {side}", sentence) for sentence in said]
