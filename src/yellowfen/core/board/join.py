"""Joining pads to parts: a placed part finds its own pads, by its package's lands or, failing that, by nearness.

Laws: a pad belongs to one part at most; a part whose pads are not where its package says keeps its place and
says so; turning the package by quarter turns is tried and, where it fits better, reported.
"""

import math
from dataclasses import dataclass, replace

from yellowfen.core.board.board import BoardPart, Finding, Pad
from yellowfen.core.part.catalogue import find_package, unknown_body
from yellowfen.core.part.package import JointKind, Land, Package, with_lands


@dataclass(frozen=True)
class Placement:
    """One row of a placement table, in board millimetres."""

    ref: str
    value: str
    footprint: str
    x_mm: float
    y_mm: float
    rotation_deg: float
    side: str


@dataclass(frozen=True)
class Joined:
    """Parts with their pads, pads with their parts, and remarks."""

    parts: tuple[BoardPart, ...]
    pads: tuple[Pad, ...]
    findings: tuple[Finding, ...]


def join(placements: list[Placement], pads: list[Pad]) -> Joined:
    """Give every placement its pads. Known packages first, the smallest of them first; unknown ones take what is left."""
    free = dict(enumerate(pads))
    owner: dict[int, tuple[str, str]] = {}
    parts: dict[str, BoardPart] = {}
    findings: list[Finding] = []
    placements, ready = _already_named(placements, free, owner)
    parts |= ready
    known = [(placed, package) for placed in placements if (package := find_package(placed.footprint)) is not None]
    known.sort(key=lambda pair: pair[1].body_x_mm * pair[1].body_y_mm)
    late: list[tuple[Placement, Package | None]] = [(placed, None) for placed in placements if find_package(placed.footprint) is None]
    for placed, package in known:
        fit = _best_turn(placed, package, free)
        if fit is None:
            late.append((placed, package))
            continue
        turn, hits = fit
        parts[placed.ref] = _claim(placed, package, turn, hits, free, owner)
        if turn:
            findings.append(
                Finding(placed.ref, f"its pads fit {package.name} turned by {turn}° from the placement; the pads were believed")
            )
    for placed, package in late:
        parts[placed.ref] = _by_nearness(placed, package, placements, free, owner, findings)
    named = tuple(replace(pad, ref=owner[i][0], pin=owner[i][1]) if i in owner else pad for i, pad in enumerate(pads))
    return Joined(tuple(parts.values()), named, tuple(findings))


def _already_named(
    placements: list[Placement], free: dict[int, Pad], owner: dict[int, tuple[str, str]]
) -> tuple[list[Placement], dict[str, BoardPart]]:
    """Parts whose pads carry their name and pin already (layer attributes, proposals): taken as they are."""
    named: dict[str, list[int]] = {}
    for index, pad in free.items():
        if pad.ref is not None:
            named.setdefault(pad.ref, []).append(index)
    rest: list[Placement] = []
    parts: dict[str, BoardPart] = {}
    for placed in placements:
        mine = named.get(placed.ref, [])
        if len(mine) < 2:
            rest.append(placed)
            continue
        package = find_package(placed.footprint)
        kinds = {land.pin: land.kind for land in package.lands} if package else {}
        usual = package.lands[0].kind if package else JointKind.GULL_WING
        lands = []
        for index in mine:
            pad = free.pop(index)
            owner[index] = (placed.ref, pad.pin or "?")
            lands.append(_land_of(placed, 0.0, pad.pin or "?", pad, kinds.get(pad.pin or "?", usual)))
        parts[placed.ref] = _part(
            placed, with_lands(package, tuple(lands)) if package else unknown_body(tuple(lands)), True, "" if package else "body guessed"
        )
    return rest, parts


def _frame(placed: Placement, x: float, y: float, turn: float = 0.0) -> tuple[float, float]:
    """A point of the part's frame on the board."""
    angle = math.radians(placed.rotation_deg + turn)
    u, v = x * math.cos(angle) - y * math.sin(angle), x * math.sin(angle) + y * math.cos(angle)
    return placed.x_mm + (u if placed.side == "top" else -u), placed.y_mm + v


def _best_turn(placed: Placement, package: Package, free: dict[int, Pad]) -> tuple[int, dict[str, int]] | None:
    best: tuple[int, dict[str, int]] | None = None
    for turn in (0, 90, 180, 270):
        hits = _hits(placed, package, turn, free)
        if len(hits) >= max(2, math.ceil(0.7 * len(package.lands))) and (best is None or len(hits) > len(best[1])):
            best = (turn, hits)
    return best


def _hits(placed: Placement, package: Package, turn: int, free: dict[int, Pad]) -> dict[str, int]:
    """Which free pad lies where each land is expected: pin to pad index, nearest first, none twice."""
    reach = max(package.body_x_mm, package.body_y_mm) + 3.0
    near = [
        (i, pad)
        for i, pad in free.items()
        if pad.side == placed.side and abs(pad.x_mm - placed.x_mm) < reach and abs(pad.y_mm - placed.y_mm) < reach
    ]
    hits: dict[str, int] = {}
    taken: set[int] = set()
    for land in package.lands:
        x, y = _frame(placed, land.x_mm, land.y_mm, turn)
        slack = 0.45 * min(land.size_x_mm, land.size_y_mm) + 0.12 * max(land.size_x_mm, land.size_y_mm) + 0.1
        found = [(math.hypot(pad.x_mm - x, pad.y_mm - y), i) for i, pad in near if i not in taken]
        if found and min(found)[0] <= slack:
            hits[land.pin] = min(found)[1]
            taken.add(min(found)[1])
    return hits


def _claim(
    placed: Placement, package: Package, turn: int, hits: dict[str, int], free: dict[int, Pad], owner: dict[int, tuple[str, str]]
) -> BoardPart:
    kinds = {land.pin: land.kind for land in package.lands}
    lands = []
    for pin, index in hits.items():
        pad = free.pop(index)
        owner[index] = (placed.ref, pin)
        lands.append(_land_of(placed, turn, pin, pad, kinds[pin]))
    rotation = (placed.rotation_deg + turn) % 360
    missing = len(package.lands) - len(hits)
    note = f"{missing} of {len(package.lands)} pads not found" if missing else ""
    return BoardPart(placed.ref, placed.value, placed.footprint, placed.x_mm, placed.y_mm, rotation, placed.side,
                     with_lands(package, tuple(lands)), True, note)  # fmt: skip


def _land_of(placed: Placement, turn: float, pin: str, pad: Pad, kind: JointKind) -> Land:
    """A pad as a land in the part's own frame."""
    dx, dy = pad.x_mm - placed.x_mm, pad.y_mm - placed.y_mm
    dx = dx if placed.side == "top" else -dx
    angle = math.radians(placed.rotation_deg + turn)
    x, y = dx * math.cos(angle) + dy * math.sin(angle), -dx * math.sin(angle) + dy * math.cos(angle)
    across = round((pad.angle_deg - placed.rotation_deg - turn) / 90.0) % 2 == 1
    size = (pad.size_y_mm, pad.size_x_mm) if across else (pad.size_x_mm, pad.size_y_mm)
    return Land(pin, x, y, *size, kind)


def _by_nearness(placed: Placement, package: Package | None, placements: list[Placement], free: dict[int, Pad], owner: dict[int, tuple[str, str]],
                 findings: list[Finding]) -> BoardPart:  # fmt: skip
    """Pads nearer to this part than to any other, within its body and a margin; without any, the package as drawn."""
    reach = 0.75 * max(package.body_x_mm, package.body_y_mm) + 1.5 if package else 12.0
    rivals = [other for other in placements if other.side == placed.side and other.ref != placed.ref]
    mine = [i for i, pad in free.items() if pad.side == placed.side and _nearest(pad, placed, rivals, reach)]
    if len(mine) < 2 and package is not None:
        findings.append(Finding(placed.ref, f"no pads were found for {package.name}; its own lands are assumed"))
        return _part(placed, package, False, "pads assumed")
    if not mine:
        findings.append(
            Finding(placed.ref, f"footprint {placed.footprint!r} is not known and no pads lie near it; left out of the rehearsal")
        )
        return _part(placed, unknown_body((Land("1", 0, 0, 1, 1, JointKind.GULL_WING),)), False, "unknown")
    mine.sort(key=lambda i: math.atan2(free[i].y_mm - placed.y_mm, free[i].x_mm - placed.x_mm))
    lands = []
    for number, index in enumerate(mine, 1):
        pad = free.pop(index)
        owner[index] = (placed.ref, str(number))
        lands.append(_land_of(placed, 0.0, str(number), pad, JointKind.GULL_WING))
    if package is None:
        findings.append(
            Finding(placed.ref, f"footprint {placed.footprint!r} is not known; body and pin numbers were guessed from {len(mine)} pads")
        )
        return _part(placed, unknown_body(tuple(lands)), True, "body guessed")
    findings.append(Finding(placed.ref, f"its pads differ from {package.name}; the {len(mine)} nearest were taken and numbered round"))
    return _part(placed, with_lands(package, tuple(lands)), True, "pads by nearness")


def _nearest(pad: Pad, placed: Placement, rivals: list[Placement], reach: float) -> bool:
    own = math.hypot(pad.x_mm - placed.x_mm, pad.y_mm - placed.y_mm)
    return own <= reach and all(math.hypot(pad.x_mm - other.x_mm, pad.y_mm - other.y_mm) > own for other in rivals)


def _part(placed: Placement, package: Package, joined: bool, note: str) -> BoardPart:
    return BoardPart(
        placed.ref, placed.value, placed.footprint, placed.x_mm, placed.y_mm, placed.rotation_deg, placed.side, package, joined, note
    )
