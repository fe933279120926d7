"""Copper, holes and ink of a set of board files: what each layer conducts, drills and draws."""

import math
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass

from shapely.geometry import Polygon

from yellowfen.core.board.board import CopperMap, Finding, Hole, Ink, Point, Role
from yellowfen.core.board.copper_links import links_of_spans
from yellowfen.core.board.spans import Draft, Spans, spans_of
from yellowfen.formats.board_ink import draft_of, ink_of
from yellowfen.formats.board_set import FileSet
from yellowfen.formats.board_shape import kept_of
from yellowfen.formats.gerber.layer import Drawn

COVERAGE_CELL_MM = 0.5
FOIL_UM = 35.0
_COPPER = (Role.COPPER_TOP, Role.COPPER_INNER, Role.COPPER_BOTTOM)


@dataclass(frozen=True)
class BoardFrame:
    """Where the board lies in its files: its shape, in the files' own coordinates, mm."""

    shape: Polygon

    @property
    def origin(self) -> Point:
        """Its lower left corner."""
        return float(self.shape.bounds[0]), float(self.shape.bounds[1])

    @property
    def size(self) -> Point:
        """Width and height, mm."""
        x0, y0, x1, y1 = self.shape.bounds
        return float(x1 - x0), float(y1 - y0)


@dataclass(frozen=True)
class CopperUnderWay:
    """Copper that is being worked out beside the rest, by layer."""

    _spans: Mapping[str, Future[Spans]]
    _maps: Sequence[Future[CopperMap]]

    def spans(self) -> dict[str, Spans]:
        """What each layer draws, row by row; waits for it."""
        return {label: layer.result() for label, layer in self._spans.items()}

    def maps(self) -> tuple[CopperMap, ...]:
        """How each layer conducts; waits for it."""
        return tuple(one.result() for one in self._maps)


@contextmanager
def copper_beside(found: FileSet, frame: BoardFrame) -> Iterator[CopperUnderWay]:
    """The copper layers worked out by compiled loops that need no interpreter, while pads, nets,
    parts and drawing are.
    """
    drafts = _drafts(found, frame.shape)
    width, height = frame.size
    with ThreadPoolExecutor(2) as beside:
        spans = {
            label: beside.submit(_spans_of, draft, frame.origin, height)
            for label, draft in drafts.items()
        }
        maps = [
            beside.submit(_map_of, spans[label], label, depth, width, height)
            for label, depth in _depths(list(drafts)).items()
        ]
        yield CopperUnderWay(spans, maps)


def holes_of(found: FileSet, origin: Point) -> tuple[Hole, ...]:
    """Drilled holes of all drill files, on the board's own coordinates."""
    holes = []
    for role, drill in found.drills:
        for hit in drill.hits:
            plated = hit.plated if hit.plated is not None else role is Role.DRILL
            x2 = None if hit.x2_mm is None else hit.x2_mm - origin[0]
            y2 = None if hit.y2_mm is None else hit.y2_mm - origin[1]
            holes.append(
                Hole(
                    x_mm=round(hit.x_mm - origin[0], 4),
                    y_mm=round(hit.y_mm - origin[1], 4),
                    drill_mm=hit.drill_mm,
                    plated=plated,
                    x2_mm=x2,
                    y2_mm=y2,
                    layers=drill.layers,
                )
            )
    return tuple(holes)


def _stack(found: FileSet) -> list[tuple[str, list[Drawn], bool]]:
    """Copper layers from top to bottom: name, what they draw, whether they are negative."""
    stack = []
    for role in _COPPER:
        for number, layer in enumerate(found.gerbers.get(role, []), 1):
            label = {Role.COPPER_TOP: "top", Role.COPPER_BOTTOM: "bottom"}.get(
                role, f"inner {number}"
            )
            stack.append((label, list(layer.drawn), layer.negative))
    return stack


def _drafts(found: FileSet, shape: Polygon) -> dict[str, Draft]:
    drafts = {}
    for label, drawn, negative in _stack(found):
        kept = kept_of(found, f"copper {label}", drawn, shape)
        drafts[label] = draft_of(kept, list(shape.exterior.coords)[:-1] if negative else None)
    return drafts


def _spans_of(draft: Draft, origin: Point, height: float) -> Spans:
    spans = spans_of(draft, origin, height)
    spans.labels  # noqa: B018 (worked out here, beside the rest)
    return spans


def _cells(width: float, height: float) -> tuple[int, int]:
    """Rows and columns of a copper map."""
    return max(1, math.ceil(height / COVERAGE_CELL_MM)), max(1, math.ceil(width / COVERAGE_CELL_MM))


def _map_of(
    layer: Future[Spans], label: str, depth: float, width: float, height: float
) -> CopperMap:
    """Waits for the layer's spans, which were asked for before any map."""
    spans, (ny, nx) = layer.result(), _cells(width, height)
    rows = tuple(map(tuple, spans.coverage(COVERAGE_CELL_MM, ny, nx).round(3).tolist()))
    links = links_of_spans(spans, (width / nx, height / ny), ny, nx).packed()
    return CopperMap(
        layer=label,
        depth=depth,
        thickness_um=FOIL_UM,
        cell_mm=COVERAGE_CELL_MM,
        coverage=rows,
        area_mm2=round(spans.area_within(nx * COVERAGE_CELL_MM), 3),
        links=links,
    )


def _depths(labels: Sequence[str]) -> dict[str, float]:
    """Where each copper layer lies, 0 at the top and 1 at the bottom."""
    inner = [label for label in labels if label.startswith("inner")]
    return {
        label: 0.0
        if label == "top"
        else 1.0
        if label == "bottom"
        else (inner.index(label) + 1) / (len(inner) + 1)
        for label in labels
    }


def drawings_of(
    found: FileSet, frame: BoardFrame, findings: list[Finding]
) -> dict[str, tuple[Ink, ...]]:
    """Ink of the outer copper and of the legend; what is too much of it is said in `findings`."""
    drawings: dict[str, tuple[Ink, ...]] = {}
    for role, key in (
        (Role.COPPER_TOP, "copper top"),
        (Role.COPPER_BOTTOM, "copper bottom"),
        (Role.LEGEND_TOP, "legend top"),
        (Role.LEGEND_BOTTOM, "legend bottom"),
    ):
        drawings[key], whole = ink_of(
            kept_of(found, str(role), found.drawn(role), frame.shape), frame.origin
        )
        if not whole:
            findings.append(
                Finding(
                    key,
                    "it draws so much that the plan shows only the first part of it; forecasts use all of it",
                )
            )
    return drawings
