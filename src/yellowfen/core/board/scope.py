"""A board as a job sees it that is about some of its parts only."""

from collections.abc import Collection
from dataclasses import replace

from yellowfen.core.board.board import Board
from yellowfen.core.board.remembered import remembered


@remembered()
def scoped(board: Board, refs: Collection[str]) -> Board:
    """The board with those parts and the openings over their pads; everything when none are named.

    Pads stay as they are, so their places in the list do too.
    """
    if not refs:
        return board
    mine = set(refs)
    openings = tuple(
        one for one in board.openings if one.pad is not None and board.pads[one.pad].ref in mine
    )
    sides = ("top", "bottom")
    return replace(
        board,
        parts=tuple(part for part in board.parts if part.ref in mine),
        openings=openings,
        paste_openings={side: sum(one.side == side for one in openings) for side in sides},
        paste_area_mm2={
            side: round(sum(one.area_mm2 for one in openings if one.side == side), 4)
            for side in sides
        },
    )
