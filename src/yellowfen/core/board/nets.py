"""Which pads share copper, and how a pad hangs on a plane: from the copper's spans and the plated
holes.

Laws: pads joined by copper and plated holes share a net, and no others; a name given by attributes
or a netlist is kept where the copper agrees, and a disagreement is said.
"""

import itertools
import math
from collections import defaultdict
from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.board import Finding, Hole, Pad
from yellowfen.core.board.spans import Spans
from yellowfen.core.quantity.compiled import Compiled
from yellowfen.core.source.mark import Mark, constant

loops = Compiled("yellowfen.core.board.spans_kernel")

PLANE_MM2 = constant(
    "plane_area",
    150.0,
    "mm²",
    mark=Mark.FROM_MEMORY,
    source="copper of this area within a few cm keeps a joint cool",
    affects="what counts as a plane",
)
PLANE_SHARE = constant(
    "plane_share",
    0.12,
    "1",
    mark=Mark.FROM_MEMORY,
    source="or this share of a small board",
    affects="what counts as a plane",
)
SOLID_SHARE = constant(
    "solid_share",
    0.5,
    "1",
    mark=Mark.FROM_MEMORY,
    source="spokes meet at most about a third of a pad's edge",
    affects="solid or relieved",
)
_RIM_MM, _MOAT_MM, _RELIEF_ROOM_MM = 0.06, 0.08, 0.55
_AROUND = tuple((math.cos(k * math.pi / 4), math.sin(k * math.pi / 4)) for k in range(8))


class _Pieces:
    """Union-find over (layer, label) pieces of copper."""

    def __init__(self, layers: Sequence[Spans]) -> None:
        counts = [len(layer.label_areas) for layer in layers]
        self.starts = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
        self.parent = list(range(int(self.starts[-1])))

    def root(self, piece: int) -> int:
        while self.parent[piece] != piece:
            self.parent[piece] = self.parent[self.parent[piece]]
            piece = self.parent[piece]
        return piece

    def join(self, pieces: Sequence[int]) -> None:
        for a, b in itertools.pairwise(pieces):
            first, second = self.root(a), self.root(b)
            if first != second:
                self.parent[max(first, second)] = min(first, second)


def trace(
    layers: Mapping[str, Spans],
    holes: Sequence[Hole],
    pads: Sequence[Pad],
    board_mm2: float,
    named_points: Sequence[tuple[str, float, float, str]] = (),
    holes_lack: bool = False,
) -> tuple[list[Pad], list[Finding]]:
    """Pads with net and tie, and what does not agree.

    `layers` from top to bottom by name; `named_points` are (net, x, y, side) from a netlist, side
    "both" for holes; `holes_lack` where it is said already that holes are missing.
    """
    names, spans = list(layers), list(layers.values())
    if not spans or not pads:
        return list(pads), []
    pieces = _Pieces(spans)
    plated = [hole for hole in holes if hole.plated]
    at_holes = _at_holes(spans, plated, pieces)
    for hole_pieces in at_holes:
        pieces.join(hole_pieces)
    own = _own_pieces(names, spans, pads, pieces)
    nets, findings = _names(own, pads, pieces, names=names, spans=spans, named_points=named_points)
    if holes_lack or (not plated and len(spans) > 1):
        findings = _without_holes(findings, said=holes_lack)
    ties = _ties(
        names,
        spans,
        pads,
        own=own,
        pieces=pieces,
        holes=plated,
        at_holes=at_holes,
        board_mm2=board_mm2,
    )
    traced = [
        pad.with_copper(nets.get(pieces.root(piece), pad.net) if piece >= 0 else pad.net, tie)
        for pad, piece, tie in zip(pads, own, ties, strict=True)
    ]
    return traced, findings


def _at_holes(spans: Sequence[Spans], holes: Sequence[Hole], pieces: _Pieces) -> list[list[int]]:
    """Pieces of copper that meet each plated hole: at its middle, or at its rim on most sides."""
    if not holes:
        return []
    ends = np.array(
        [
            (
                (hole.x_mm, hole.y_mm),
                (
                    hole.x2_mm if hole.x2_mm is not None else hole.x_mm,
                    hole.y2_mm if hole.y2_mm is not None else hole.y_mm,
                ),
            )
            for hole in holes
        ]
    )
    rims = np.array([hole.drill_mm / 2 + _RIM_MM for hole in holes])
    around = np.concatenate([np.zeros((1, 2)), np.array(_AROUND)])
    probes = ends[:, :, None, :] + rims[:, None, None, None] * around
    met: list[list[int]] = [[] for _ in holes]
    for layer, one in enumerate(spans):
        labels = one.label_at(probes.reshape(-1, 2)).reshape(len(holes), 2, 9)
        within = (labels == labels[:, :1, :1]).all(axis=(1, 2)).tolist()
        for index in np.nonzero((labels >= 0).any(axis=(1, 2)))[0].tolist():
            reach = holes[index].layers
            if reach and len(spans) > 2 and not min(reach) <= layer + 1 <= max(reach):
                continue
            if within[index]:  # amid one piece of copper, as most are
                met[index].append(int(pieces.starts[layer]) + int(labels[index, 0, 0]))
                continue
            for end in set(map(tuple, labels[index].tolist())):
                label = (
                    end[0]
                    if end.count(end[0]) == len(end)
                    else max(set(end), key=lambda value: (value >= 0, end.count(value)))
                )
                if label >= 0 and (end.count(label) >= 3 or end[0] == label):
                    met[index].append(int(pieces.starts[layer]) + label)
    return met


def _own_pieces(
    names: list[str], spans: Sequence[Spans], pads: Sequence[Pad], pieces: _Pieces
) -> list[int]:
    """The piece of copper each pad is part of on its own side, −1 without copper there."""
    own = [-1] * len(pads)
    for side in ("top", "bottom"):
        if side not in names:
            continue
        layer = names.index(side)
        mine = [index for index, pad in enumerate(pads) if pad.side == side]
        if not mine:
            continue
        labels = spans[layer].label_at(
            np.array([(pads[index].x_mm, pads[index].y_mm) for index in mine])
        )
        for index, label in zip(mine, labels.tolist(), strict=True):
            if label < 0:
                label = _label_in_ring(spans[layer], pads[index])
            own[index] = int(pieces.starts[layer]) + label if label >= 0 else -1
    return own


def _label_in_ring(spans: Spans, pad: Pad) -> int:
    """For pads whose middle is bare: a label a little inside their outline."""
    inside = _along(pad, -_RIM_MM)
    labels = spans.label_at(inside)
    seen = labels[labels >= 0]
    return int(np.bincount(seen).argmax()) if len(seen) else -1


def _along(pad: Pad, outward_mm: float, count: int = 32) -> NDArray[np.float64]:
    """Evenly spaced places along a pad's outline, moved outward (count, 2)."""

    places = np.empty((count, 2))
    loops.along(np.array(pad.ring), outward_mm, places)
    return places


def _names(
    own: list[int],
    pads: Sequence[Pad],
    pieces: _Pieces,
    names: list[str],
    spans: Sequence[Spans],
    named_points: Sequence[tuple[str, float, float, str]],
) -> tuple[dict[int, str], list[Finding]]:
    """A name for every net that a pad is on, by vote of attributes and netlist, else numbered; and
    disagreements.
    """
    votes: dict[int, dict[str, int]] = defaultdict(lambda: defaultdict(int))
    for pad, piece in zip(pads, own, strict=True):
        if pad.net and piece >= 0:
            votes[pieces.root(piece)][pad.net] += 1
    for side, layer in (("top", 0), ("bottom", len(spans) - 1)):
        mine = [point for point in named_points if point[3] in (side, "both")]
        if mine and names[layer] == side:
            labels = spans[layer].label_at(np.array([(x, y) for _, x, y, _ in mine]))
            for (net, *_), label in zip(mine, labels.tolist(), strict=True):
                if label >= 0 and net not in ("N/C", ""):
                    votes[pieces.root(int(pieces.starts[layer]) + label)][net] += 1
    nets: dict[int, str] = {}
    where: dict[str, list[int]] = defaultdict(list)
    findings: list[Finding] = []
    for root, said in votes.items():
        nets[root] = max(said, key=lambda net: (said[net], net))
        where[nets[root]].append(root)
        if len(said) > 1:
            findings.append(
                Finding(
                    "nets",
                    f"{' and '.join(sorted(said)[:4])} share copper, although the files give them different names",
                )
            )
    for net, roots in sorted(where.items()):
        if len(roots) > 1:
            findings.append(Finding("nets", f"{net} lies in {len(roots)} {_IN_PIECES}"))
    number = 0
    for piece in own:
        root = pieces.root(piece) if piece >= 0 else -1
        if root >= 0 and root not in nets:
            number += 1
            nets[root] = f"net {number}"
    return nets, findings[:12]


_IN_PIECES = "unconnected pieces of copper"


def _without_holes(findings: list[Finding], said: bool) -> list[Finding]:
    """Nets in pieces are no news when the plated holes are missing: said once."""
    broken = [finding for finding in findings if finding.sentence.endswith(_IN_PIECES)]
    rest = [finding for finding in findings if finding not in broken]
    if said or not broken:
        return rest
    return [
        *rest,
        Finding(
            "nets",
            f"no plated holes are known, so {len(broken)} or more nets stay unconnected; add the drill file",
        ),
    ]


def _ties(
    names: list[str],
    spans: Sequence[Spans],
    pads: Sequence[Pad],
    own: list[int],
    pieces: _Pieces,
    holes: Sequence[Hole],
    at_holes: list[list[int]],
    board_mm2: float,
) -> list[str]:
    """How each pad hangs on a plane: solid, relief, via or not at all."""
    least = min(PLANE_MM2, PLANE_SHARE * board_mm2)
    planes = (
        (np.concatenate([one.label_areas for one in spans]) >= least).tolist() if len(spans) else []
    )
    deep: dict[int, list[Hole]] = defaultdict(
        list
    )  # holes that lead from a piece to a plane on another layer
    for hole, met in zip(holes, at_holes, strict=True):
        for piece in met:
            if any(planes[other] for other in met if other != piece):
                deep[piece].append(hole)
    ties = []
    for pad, piece in zip(pads, own, strict=True):
        if piece < 0:
            ties.append("")
            continue
        layer = names.index(pad.side)
        tie = (
            _contact(spans[layer], pad, piece - int(pieces.starts[layer])) if planes[piece] else ""
        )
        if not tie:
            reach = math.hypot(pad.size_x_mm, pad.size_y_mm) / 2 + 1.5
            tie = (
                "via"
                if any(
                    math.hypot(hole.x_mm - pad.x_mm, hole.y_mm - pad.y_mm) < reach
                    for hole in deep.get(piece, ())
                )
                else ""
            )
        ties.append(tie)
    return ties


def _contact(spans: Spans, pad: Pad, label: int) -> str:
    """Solid when the plane meets most of the pad's edge; relief when it lies close all round and
    meets some of it.
    """
    share = float((spans.label_at(_along(pad, _MOAT_MM)) == label).mean())
    if share >= SOLID_SHARE:
        return "solid"
    around = float((spans.label_at(_along(pad, _RELIEF_ROOM_MM)) == label).mean())
    return "relief" if share > 0 and around >= 0.4 else ""
