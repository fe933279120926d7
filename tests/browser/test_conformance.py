"""The conformance set: what our readers draw against the set's own reference drawings, both painted
by the browser.

Scale comes from the drawings' own units, so sizes are checked; only the place is aligned.
"""

import base64
import math
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import shapely
from playwright.sync_api import Browser, Page

from tests.conftest import DATA
from yellowfen.formats.drill import read_drill
from yellowfen.formats.gerber.apertures import polygons_of
from yellowfen.formats.gerber.layer import capsules
from yellowfen.formats.gerber.reader import read_gerber

FOLDER = DATA / "conformance"
CASES = sorted(
    str(path.relative_to(FOLDER)) for path in FOLDER.rglob("*") if path.suffix in (".gbr", ".drl")
)
WIDE_PX = 1600
# References that are themselves wrong, and why. Everything else: 0.5 %. The same shapes are checked
# by closed forms elsewhere.
RADIUS = "the file's offsets give a radius of 0.559 in, its reference is drawn with 0.472 in"
SPIKES = "the reference's outlines run on beyond the ring, out of the drawing"
EXCEPTIONS = {
    "arc-strokes/single-quadrant-II-to-III.gbr": RADIUS,
    "arc-strokes/single-quadrant-III-to-IV.gbr": RADIUS,
    "arc-strokes/single-quadrant-IV-to-I.gbr": RADIUS,
    "macro-primitives/thermal-primitive.gbr": SPIKES,
    "macro-primitives/rotated-thermal-primitive.gbr": SPIKES,
}

ALIKE = 0.005
# places the picture until it is alike
COMPARE = """async ([reference, path, wide, high, alike]) => {
  const picture = new Image();
  picture.src = 'data:image/svg+xml;base64,' + reference;
  await picture.decode();
  const paint = (draw) => {
    const canvas = new OffscreenCanvas(wide, high);
    const pen = canvas.getContext('2d');
    draw(pen);
    const data = pen.getImageData(0, 0, wide, high).data;
    let most = 0;
    for (let i = 3; i < data.length; i += 4) most = Math.max(most, data[i]);
    const dark = new Uint8Array(wide * high);
    for (let i = 0; i < dark.length; i += 1) dark[i] = data[4 * i + 3] > most / 2 ? 1 : 0;
    return dark;
  };
  const theirs = paint((pen) => pen.drawImage(picture, 0, 0, wide, high));
  let left = wide, low = -1;
  for (let i = 0; i < theirs.length; i += 1) if (theirs[i]) { left = Math.min(left, i % wide); low = Math.max(low, Math.floor(i / wide)); }
  const measure = (dx, dy) => {
    const ours = paint((pen) => { pen.setTransform(1, 0, 0, -1, left + dx, low + 1 + dy); pen.fill(new Path2D(path), 'evenodd'); });
    let differ = 0, all = 0;
    for (let i = 0; i < ours.length; i += 1) { differ += ours[i] !== theirs[i] ? 1 : 0; all += theirs[i]; }
    return differ / Math.max(all, 1);
  };
  let [x, y, best] = [0, 0, measure(0, 0)];
  for (const step of [0.5, 0.25, 0.12, 0.06]) {
    for (const [dx, dy] of [[step, 0], [-step, 0], [0, step], [0, -step]]) {
      if (best <= alike) return best;
      const tried = measure(x + dx, y + dy);
      if (tried < best) [x, y, best] = [x + dx, y + dy, tried];
    }
  }
  return best;
}"""


def drawn_by_us(path: Path) -> Any:
    """The picture of a file in mm."""
    if path.suffix == ".gbr":
        return read_gerber(path.read_bytes(), path.name).picture
    holes = []
    for hit in read_drill(path.read_bytes(), path.name).hits:
        end = (hit.x2_mm, hit.y2_mm) if hit.x2_mm is not None else (hit.x_mm, hit.y_mm)
        holes += list(
            capsules(
                shapely.get_coordinates(shapely.linestrings([[(hit.x_mm, hit.y_mm), end]])).reshape(
                    1, 4
                ),
                [hit.drill_mm],
            )
        )
    return shapely.union_all(holes)


def sized(svg: str) -> tuple[str, float, int]:
    """The drawing at our width, px per mm, its height in px.

    The unit is 1/72 inch where sizes are in points, else 1/1000 inch.
    """
    width, height = re.search(r'viewBox="\S+ \S+ (\S+) (\S+)"', svg).groups()  # type: ignore[union-attr]
    unit_mm = 25.4 / 72 if re.search(r'width="[\d.]+pt"', svg) else 0.0254
    high = round(WIDE_PX * float(height) / float(width))
    plain = re.sub(
        r'(<svg[^>]*?)\bwidth="[^"]*"\s+height="[^"]*"',
        rf'\1width="{WIDE_PX}" height="{high}" preserveAspectRatio="none"',
        svg,
        count=1,
        flags=re.DOTALL,
    )
    return plain, WIDE_PX / (float(width) * unit_mm), high


@pytest.fixture(scope="module")
def sheet(browser: Browser) -> Iterator[Page]:
    """An empty page to paint on."""
    page = browser.new_page()
    yield page
    page.close()


@pytest.mark.browser
@pytest.mark.parametrize("case", [case for case in CASES if case not in EXCEPTIONS])
def test_picture_is_the_reference(sheet: Page, case: str) -> None:
    file = FOLDER / case
    reference, per_mm, high = sized(file.with_suffix(".svg").read_text())
    picture = drawn_by_us(file)
    left, low = picture.bounds[:2] if not picture.is_empty else (0.0, 0.0)
    rings = [
        ring for polygon in polygons_of(picture) for ring in (polygon.exterior, *polygon.interiors)
    ]
    path = "".join(
        "M"
        + "L".join(f"{(x - left) * per_mm:.3f} {(y - low) * per_mm:.3f}" for x, y in ring.coords)
        + "Z"
        for ring in rings
    )
    differs = sheet.evaluate(
        COMPARE, [base64.b64encode(reference.encode()).decode(), path, WIDE_PX, high, ALIKE]
    )
    assert math.isfinite(differs)
    assert differs <= ALIKE, f"{case} differs by {differs:.2%}"
