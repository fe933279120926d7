"""What was predicted of joints against what was found, drawn: both in logs, true on the slanting line."""

import math
from collections.abc import Sequence

from markupsafe import Markup

from yellowfen.core.look.trust import Bin
from yellowfen.core.quantity.wording import counted

LEAST = 0.001


def chances_drawn(bins: Sequence[Bin]) -> Markup:
    """A dot for each bin with the interval of what was found; a hollow one where it does not hold."""

    def place(share: float) -> float:
        return math.log(max(share, LEAST) / LEAST) / math.log(1 / LEAST)

    shapes = []
    for one in bins:
        x, mid = 60 + 320 * place(one.told), 230 - 200 * place(one.bad / one.of)
        low, high = (230 - 200 * place(share) for share in (one.low, one.high))
        shapes.append(
            f'<path class="span" d="M{x:.1f},{low:.1f}V{high:.1f}"/>'
            f'<circle class="{"holds" if one.holds else "fails"}" cx="{x:.1f}" cy="{mid:.1f}" r="6"/>'
        )
    ticks = "".join(
        f'<text x="{60 + 320 * place(share):.0f}" y="250" text-anchor="middle">{said}</text>'
        f'<text x="52" y="{234 - 200 * place(share):.0f}" text-anchor="end">{said}</text>'
        for share, said in ((0.001, "0.1 %"), (0.01, "1 %"), (0.1, "10 %"), (1.0, "100 %"))
    )
    said = "; ".join(f"predicted {100 * one.told:.1f} %, bad {one.bad} of {one.of}" for one in bins)
    return Markup(
        f'<svg class="even-chart chances" viewBox="0 0 400 274" role="img" aria-label="{counted(len(bins), "group")} of joints: {said}">'
        f'<path class="axis" d="M60,230H380M60,230V30"/><path class="now" d="M60,230L380,30"/>{"".join(shapes)}{ticks}'
        f'<text x="220" y="270" text-anchor="middle">predicted</text><text x="60" y="14" text-anchor="middle">found</text></svg>'
    )
