"""Dots, lines and dabs over the plan; and minutes by hand against minutes by stencil."""

from collections.abc import Sequence

from markupsafe import Markup

from yellowfen.core.board.board import Opening
from yellowfen.core.deposit.hand_plan import HandPlan, Spot
from yellowfen.core.quantity.units import MINUTES, with_unit
from yellowfen.core.quantity.wording import counted
from yellowfen.core.work.technique import StencilOrHand


def spots_drawn(plan: HandPlan) -> Markup:
    """Every spot of a dot plan; a step's spots are one group by its number.

    The kinds of needle differ by ring: first, second, third, dab.
    """
    rank = {
        gauge: number for number, gauge in enumerate(one for one in plan.needles if one is not None)
    }
    return Markup(
        "".join(
            f'<g class="hand-step {"dab" if step.gauge is None else f"needle-{min(rank[step.gauge], 2)}"}" data-step="{number}">{"".join(_spot(one) for one in step.spots)}</g>'
            for number, step in enumerate(plan.steps)
        )
    )


def paste_drawn(openings: Sequence[Opening], side: str) -> Markup:
    """The paste of a print as it should lie."""
    rings = "".join(
        "M" + "L".join(f"{x:.3f},{y:.3f}" for x, y in one.ring) + "Z"
        for one in openings
        if one.side == side
    )
    return Markup(f'<path class="print-paste" d="{rings}"/>')


def _spot(spot: Spot) -> str:
    if spot.end is not None:
        return f'<path class="bead" stroke-width="{spot.width_mm:.3f}" d="M{spot.x_mm:.3f},{spot.y_mm:.3f}L{spot.end[0]:.3f},{spot.end[1]:.3f}"/>'
    return f'<circle class="dot" cx="{spot.x_mm:.3f}" cy="{spot.y_mm:.3f}" r="{spot.width_mm / 2:.3f}"/>'


def stencil_chart(weighed: StencilOrHand, boards: int) -> Markup:
    """Minutes of what the choice changes (paste, parts, mends) over boards: by hand a line from nothing, with a stencil one from
    its set-up; where they cross, and the boards at hand.
    """
    even = weighed.from_boards
    most = min(max(boards, 2 * (even or 0), 6), 200)
    counts = range(1, most + 1)
    stencil = [weighed.with_stencil(n) for n in counts]
    hand = [weighed.by_hand(n) for n in counts]
    top = max(*stencil, *hand, 1.0)

    def at(n: float, minutes: float) -> str:
        return f"{44 + 340 * (n - 1) / max(most - 1, 1):.1f},{150 - 130 * minutes / top:.1f}"

    by_hand = "L".join(at(n, m) for n, m in zip(counts, hand, strict=True))
    by_stencil = "L".join(at(n, m) for n, m in zip(counts, stencil, strict=True))
    here = at(min(boards, most), 0).split(",")[0]
    cross = ""
    if even and even <= most:
        x, y = at(even, hand[even - 1]).split(",")
        cross = f'<circle class="cross" cx="{x}" cy="{y}" r="6"/>'
    ends = sorted(
        (
            (hand[-1], hand[0], "hand", "by hand"),
            (stencil[-1], stencil[0], "stencil", "stencil"),
        ),
        reverse=True,
    )

    def under(last: float, first: float) -> float:
        """Below the lower line where its words begin, a quarter of the way back."""
        return min(max(150 - 130 * (last - 0.26 * (last - first)) / top + 14, 34), 146)

    words = "".join(
        f'<text class="{kind}" x="384" y="{14 if place == 0 else under(minutes, first):.1f}" text-anchor="end">{word}, {with_unit(minutes, MINUTES, 0)}</text>'
        for place, (minutes, first, kind, word) in enumerate(ends)
    )
    ticks = "".join(
        f'<text x="{at(n, 0).split(",")[0]}" y="168" text-anchor="middle">{n}</text>'
        for n in sorted({1, max(1, most // 2), most})
    )
    said = f"Minutes of paste, parts and touch-ups for {counted(boards, 'board')}: {weighed.by_hand(boards):.0f} by hand, {weighed.with_stencil(boards):.0f} with a stencil"
    return Markup(
        f'<svg class="even-chart" viewBox="0 0 400 176" role="img" aria-label="{said}">'
        f'<path class="axis" d="M44,150H388M44,150V14"/><text x="40" y="20" text-anchor="end">{top:.0f}</text><text x="40" y="153" text-anchor="end">0</text>'
        f'<path class="now" d="M{here},150V20"/><path class="hand" d="M{by_hand}"/><path class="stencil" d="M{by_stencil}"/>{cross}{words}{ticks}</svg>'
    )
