"""How well a copper layer conducts from cell to cell: what drawn copper passes, not what its area
would as one sheet.

A link runs between the middles of two neighbouring square cells and counts 1 for full copper; gaps
and bends within it, and a gap on the border of two cells, count as they are drawn, bridged by the
laminate as little as laminate does (`FLOOR`). Laws: full copper gives 1, none gives 0; more copper
never conducts less.
"""

import base64
import zlib
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.spans import Draft, Spans, spans_of
from yellowfen.core.quantity.compiled import Compiled
from yellowfen.core.source.mark import Mark, constant

loops = Compiled("yellowfen.core.board.copper_links_kernel")

Links = NDArray[np.float64]
FLOOR = constant(
    "copper_gap_floor",
    0.02,
    "1",
    mark=Mark.FROM_MEMORY,
    source="laminate about a third of a millimetre deep against 35 µm of copper: what bridges a gap",
    affects="copper as drawn",
)


@dataclass(frozen=True)
class CopperLinks:
    """Conductances relative to full copper between cells that divide a board evenly: along_x (ny,
    nx − 1), along_y (ny − 1, nx), each with the laminate's `FLOOR` in it, so `FLOOR` to 1 +
    `FLOOR`.
    """

    along_x: Links
    along_y: Links

    def mirrored(self) -> "CopperLinks":
        """The links of the board turned over about its upright axis."""
        return CopperLinks(self.along_x[:, ::-1], self.along_y[:, ::-1])

    def cropped(self, columns: slice, rows: slice) -> "CopperLinks":
        """The links between the cells of a piece of the board."""
        return CopperLinks(
            self.along_x[rows, columns.start : columns.stop - 1],
            self.along_y[rows.start : rows.stop - 1, columns],
        )

    def packed(self) -> tuple[str, str]:
        """As two short texts: a byte a link, its square root (fine where little conducts),
        compressed.
        """
        return _text(self.along_x), _text(self.along_y)


def _text(values: Links) -> str:
    steps = np.round(np.sqrt(np.clip(values - FLOOR, 0.0, 1.0)) * 255).astype(np.uint8)
    return base64.b64encode(zlib.compress(steps.tobytes(), 6)).decode()


def unpacked(texts: tuple[str, str], ny: int, nx: int) -> CopperLinks:
    """Links from their texts, for ny × nx cells.

    Raises ValueError where the texts are not of these sizes.
    """

    def values(text: str, rows: int, columns: int) -> Links:
        steps = np.frombuffer(zlib.decompress(base64.b64decode(text)), dtype=np.uint8).astype(float)
        return np.asarray((steps.reshape(rows, columns) / 255) ** 2 + FLOOR)

    return CopperLinks(values(texts[0], ny, max(nx - 1, 0)), values(texts[1], max(ny - 1, 0), nx))


def links_of_spans(spans: Spans, cell_mm: tuple[float, float], ny: int, nx: int) -> CopperLinks:
    """Links between ny × nx cells of `cell_mm` (x, y, about square) from the origin."""

    fine_row = np.floor(spans.rows_y / (cell_mm[1] / loops.PARTS)).astype(np.int64)
    along_x, along_y = (
        np.full((ny, max(nx - 1, 0)), FLOOR, np.float32),
        np.full((max(ny - 1, 0), nx), FLOOR, np.float32),
    )
    if len(spans.x0):
        loops.links(
            spans.first,
            spans.x0,
            spans.x1,
            fine_row,
            cell_mm[0] / loops.PARTS,
            FLOOR,
            along_x,
            along_y,
        )
    return CopperLinks(along_x.astype(float), along_y.astype(float))


def links_of_raster(share: NDArray[np.float64], ny: int, nx: int) -> CopperLinks:
    """Links between ny × nx cells that divide a finely drawn raster (rows from the lower edge up,
    shares 0..1) evenly.
    """
    rows, columns = share.shape
    dark = share >= 0.5
    padded = np.zeros((rows, columns + 2), dtype=np.int8)
    padded[:, 1:-1] = dark
    change = np.diff(padded, axis=1)
    starts, stops = np.nonzero(change == 1), np.nonzero(change == -1)
    first = np.concatenate([[0], np.cumsum(np.bincount(starts[0], minlength=rows))]).astype(
        np.int64
    )
    # In units of the cells: each is 1 × 1, its raster stretched to that.
    x0, x1 = starts[1] * (nx / columns), stops[1] * (nx / columns)
    rows_y = (np.arange(rows) + 0.5) * (ny / rows)
    return links_of_spans(
        Spans(
            rows_y=rows_y, row_mm=ny / rows, first=first, x0=x0.astype(float), x1=x1.astype(float)
        ),
        (1.0, 1.0),
        ny,
        nx,
    )


def load_loops() -> None:
    """Run every compiled loop once on next to nothing: compiles them, or loads them from their
    cache.
    """
    draft = Draft()
    draft.area(True, [[(0.0, 0.0), (1.0, 0.0), (1.0, 1.0)]])
    draft.stroke(False, [(0.0, 0.0), (1.0, 1.0)], 0.1)
    spans = spans_of(draft, (0.0, 0.0), 1.0)
    spans.coverage(0.5, 2, 2)
    links_of_spans(spans, (0.5, 0.5), 2, 2)
    spans.label_at(np.zeros((1, 2)))
