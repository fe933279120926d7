"""What the user decided about how a board is to be read; kept with the board and obeyed at every
reading.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from yellowfen.core.board.board import Role
from yellowfen.core.board.shift import Shift


@dataclass(frozen=True, kw_only=True)
class PartChoice:
    """A correction to one part: its name, value, footprint (a package's name), or a turn beyond the
    table's (degrees).
    """

    name: str = ""
    value: str = ""
    footprint: str = ""
    turn_deg: float = 0.0
    left_out: bool = False


@dataclass(frozen=True)
class PadSet:
    """Pads that are one part, by where their middles lie on a side, board mm."""

    side: str
    places: tuple[tuple[float, float], ...]


@dataclass(frozen=True, kw_only=True)
class Choices:
    """Roles by file, the accepted shift of the placement, turns by side, corrections by part;
    `together` the pads of parts that stand in no table, by the name the part is kept under;
    `openings_from_pads` whether a board without a paste layer is given openings over its pads.
    """

    roles: Mapping[str, Role] = field(default_factory=dict)
    shift: Shift | None = None
    turns: Mapping[str, int] = field(default_factory=dict)
    parts: Mapping[str, PartChoice] = field(default_factory=dict)
    together: Mapping[str, PadSet] = field(default_factory=dict)
    openings_from_pads: bool = False

    def with_roles(self, roles: Mapping[str, Role]) -> "Choices":
        return replace(self, roles={**self.roles, **roles})

    def key_of(self, ref: str) -> str:
        """The name under which a part's correction is kept: the files' own, also after the user
        renamed it.
        """
        return next((key for key, kept in self.parts.items() if kept.name == ref), ref)

    def with_part(self, ref: str, choice: PartChoice) -> "Choices":
        return replace(self, parts={**self.parts, ref: choice})
