"""What counts as good, drawn to scale: a joint from above at three overhangs, its heel from the
side.
"""

from markupsafe import Markup, escape

from yellowfen.core.look.acceptance import Criterion, Shape
from yellowfen.core.quantity.units import MM, with_unit

STATES = ("good", "the limit", "beyond")
SHARES = (0.0, 1.0, 1.7)
HEELS = (1.3, 1.0, 0.5)
GAP = 1.1  # between two drawings, in widths of the widest
LARGER = 2.0  # the side view's scale over that from above


def joint_drawn(shape: Shape, criteria: tuple[Criterion, ...]) -> Markup:
    """Three joints from above: good, at the limit, beyond; below them their heels from the side
    where the class asks for one.
    """
    limits = {one.name: one for one in criteria}
    side, heel = limits.get("side overhang"), limits.get("heel fillet height")
    if side is None:
        return Markup("")
    over = [share * side.limit_mm for share in SHARES]
    step = max(shape.land_wide + 2 * over[2], 0.75 * shape.land_long) * (1 + GAP)
    text = 3 * step / 42
    inner = max(shape.land_long, shape.land_long - shape.foot + 1.3 * shape.foot)
    parts = [
        _from_above(
            shape,
            over[n],
            (n + 0.5) * step,
            inner=inner,
            says=f"{STATES[n]}: {with_unit(over[n], MM, 2)} over" if n else "good: on its pad",
            number=n,
            text=text,
        )
        for n in range(3)
    ]
    height = inner + 2.2 * text
    if heel is not None:
        floor = height + 3.2 * LARGER * shape.lead_thick
        parts += [
            _heel(shape, times * heel.limit_mm, (n + 0.5) * step, floor=floor, number=n, text=text)
            for n, times in enumerate(HEELS)
        ]
        height = floor + 2.4 * text
    return Markup(
        f'<svg class="criteria-picture" viewBox="0 {-0.5 * text:.3f} {3 * step:.3f} {height + text:.3f}" role="img" aria-label="{escape("; ".join(one.says for one in criteria))}">{"".join(parts)}</svg>'
    )


def _from_above(
    shape: Shape, over: float, x: float, inner: float, says: str, number: int, text: float
) -> str:
    """A land with its lead or end so far over the land's side (0: in its middle), mm."""
    shift = (shape.land_wide - shape.lead_wide) / 2 + over if over else 0.0
    return (
        f'<g class="grade-{number}"><rect class="pad" x="{x - shape.land_wide / 2:.3f}" y="0" width="{shape.land_wide:.3f}" height="{shape.land_long:.3f}"/>'
        f'<rect class="drawn-lead" x="{x - shape.lead_wide / 2 + shift:.3f}" y="{shape.land_long - shape.foot:.3f}" width="{shape.lead_wide:.3f}" height="{inner - shape.land_long + shape.foot:.3f}"/>'
        f'<text x="{x:.3f}" y="{inner + 1.4 * text:.3f}" font-size="{text:.3f}">{says}</text></g>'
    )


def _heel(shape: Shape, height: float, x: float, floor: float, number: int, text: float) -> str:
    """A lead's foot from the side on its land, with solder so high at its heel, mm."""
    foot, thick, solder = (LARGER * one for one in (min(shape.foot, 0.8), shape.lead_thick, height))
    left = x - 0.5 * foot
    heel, tall = left + foot, 3.0 * thick
    return (
        f'<g class="grade-{number}"><path class="drawn-solder" d="M{left:.3f},{floor - 0.7 * solder:.3f}L{left - 0.7 * solder:.3f},{floor:.3f}H{heel + 1.2 * solder:.3f}Q{heel + 0.2 * solder:.3f},{floor - 0.2 * solder:.3f} {heel:.3f},{floor - solder:.3f}V{floor - 0.1 * thick:.3f}H{left:.3f}z"/>'
        f'<path class="drawn-lead" d="M{left:.3f},{floor - 0.1 * thick:.3f}H{heel:.3f}V{floor - tall:.3f}H{heel - thick:.3f}V{floor - 1.1 * thick:.3f}H{left:.3f}z"/>'
        f'<path class="drawn-land" d="M{left - 0.35 * foot:.3f},{floor:.3f}H{heel + 0.45 * foot:.3f}"/>'
        f'<text x="{x:.3f}" y="{floor + 1.6 * text:.3f}" font-size="{text:.3f}">{with_unit(height, MM, 2)} up the heel</text></g>'
    )
