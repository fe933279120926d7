"""What changed between two revisions of a board, part by part."""

import statistics
from collections.abc import Iterator
from dataclasses import dataclass

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.quantity.wording import counted

MOVED_MM, TURNED_DEG, LAND_SHARE, COPPER_SHARE = 0.05, 1.0, 0.05, 0.02


@dataclass(frozen=True)
class BoardChange:
    """One change: what it is about (a part, or the board), its kind, and one sentence."""

    about: str
    kind: str
    sentence: str


def changes(old: Board, new: Board) -> tuple[BoardChange, ...]:
    """Changes from the old board to the new one: the board first, then parts gone, come and
    altered.
    """
    return (*_board(old, new), *_parts(old, new))


def _board(old: Board, new: Board) -> Iterator[BoardChange]:
    if abs(old.width_mm - new.width_mm) > MOVED_MM or abs(old.height_mm - new.height_mm) > MOVED_MM:
        yield BoardChange(
            "board",
            "size",
            f"{old.width_mm:.1f} x {with_unit(old.height_mm, MM, 1)} before, {new.width_mm:.1f} x {with_unit(new.height_mm, MM, 1)} now",
        )
    if old.thickness_mm != new.thickness_mm:
        yield BoardChange(
            "board",
            "size",
            f"{with_unit(old.thickness_mm, MM)} thick before, {with_unit(new.thickness_mm, MM)} now",
        )
    if len(old.copper) != len(new.copper):
        yield BoardChange(
            "board", "copper", f"{len(old.copper)} copper layers before, {len(new.copper)} now"
        )
    before = {layer.layer: layer.area_mm2 for layer in old.copper}
    for layer in new.copper:
        was = before.get(layer.layer)
        if was and abs(layer.area_mm2 - was) > COPPER_SHARE * was:
            yield BoardChange(
                "board",
                "copper",
                f"copper {layer.layer}: {was:.0f} mm² before, {layer.area_mm2:.0f} mm² now, so heat spreads differently",
            )
    if len(old.holes) != len(new.holes):
        yield BoardChange(
            "board", "holes", f"{counted(len(old.holes), 'hole')} before, {len(new.holes)} now"
        )


def _shift(old: Board, new: Board) -> tuple[float, float]:
    """How far most parts moved together, e.g. because the outline's corner moved."""
    now = {part.ref: part for part in new.parts}
    pairs = [
        (now[part.ref].x_mm - part.x_mm, now[part.ref].y_mm - part.y_mm)
        for part in old.parts
        if part.ref in now
    ]
    if len(pairs) < 3:
        return 0.0, 0.0
    return statistics.median(dx for dx, _ in pairs), statistics.median(dy for _, dy in pairs)


def _parts(old: Board, new: Board) -> Iterator[BoardChange]:
    before, now = {part.ref: part for part in old.parts}, {part.ref: part for part in new.parts}
    dx, dy = _shift(old, new)
    if max(abs(dx), abs(dy)) > MOVED_MM:
        yield BoardChange(
            "board",
            "moved",
            f"most parts moved together by {with_unit(dx, MM, '+.2f')} across and {with_unit(dy, MM, '+.2f')} up; only further moves are listed",
        )
    for ref in sorted(before.keys() - now.keys(), key=_order):
        yield BoardChange(
            ref,
            "gone",
            f"{before[ref].package.name} {before[ref].value}".strip() + " is gone",
        )
    for ref in sorted(now.keys() - before.keys(), key=_order):
        yield BoardChange(
            ref,
            "new",
            f"{now[ref].package.name} {now[ref].value}".strip() + f" on the {now[ref].side} is new",
        )
    for ref in sorted(before.keys() & now.keys(), key=_order):
        said = list(_part(before[ref], now[ref], dx, dy))
        if said:
            yield BoardChange(ref, "altered", "; ".join(said))


def _part(old: BoardPart, new: BoardPart, dx: float, dy: float) -> Iterator[str]:
    if old.side != new.side:
        yield f"moved to the {new.side}"
    if old.value != new.value:
        yield f"value {old.value or 'none'} before, {new.value or 'none'} now"
    if old.package.name != new.package.name:
        yield f"{old.package.name} before, {new.package.name} now"
    moved = (new.x_mm - old.x_mm - dx, new.y_mm - old.y_mm - dy)
    if max(abs(moved[0]), abs(moved[1])) > MOVED_MM:
        yield f"moved by {with_unit(moved[0], MM, '+.2f')} across and {with_unit(moved[1], MM, '+.2f')} up"
    turned = 180 - (180 - new.rotation_deg + old.rotation_deg) % 360
    if abs(turned) > TURNED_DEG:
        yield f"turned by {turned:+.0f}°"
    was, now = (
        sum(land.area_mm2 for land in old.package.lands),
        sum(land.area_mm2 for land in new.package.lands),
    )
    if len(old.package.lands) != len(new.package.lands):
        yield f"{counted(len(old.package.lands), 'pad')} before, {len(new.package.lands)} now"
    elif abs(now - was) > LAND_SHARE * was:
        yield f"pads of {was:.2f} mm² before, {now:.2f} mm² now: it needs another amount of paste"


def _order(ref: str) -> tuple[str, int, str]:
    """R2 before R10."""
    letters = ref.rstrip("0123456789")
    return letters, int(ref[len(letters) :][:9] or 0), ref
