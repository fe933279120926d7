"""What a fault looks like, as a small drawing from the side or from above, in our own strokes."""

from markupsafe import Markup, escape

# Each in a box of 60 by 34: land line at y 28, solder, lead or chip.
LAND = '<path class="drawn-land" d="M6,28H54"/>'
CHIP = '<rect class="drawn-lead" x="18" y="12" width="24" height="16"/>'
LEAD = '<path class="drawn-lead" d="M4,6H22V22H44V27H17V11H4z"/>'
_PADS = '<path class="pad" d="M8,6h12v22h-12zM26,6h12v22h-12zM44,6h12v22h-12z"/>'
_DRAWN = {
    "bridge": _PADS
    + '<path class="drawn-lead" d="M11,0h6v18h-6zM29,0h6v18h-6zM47,0h6v18h-6z"/><path class="drawn-solder" d="M15,12q8,-4 16,0v8q-8,4 -16,0z"/>',
    "open": LAND
    + '<path class="drawn-lead" d="M4,2H22V16H44V21H17V7H4z"/><path class="drawn-solder" d="M24,28q10,-7 22,0z"/>',
    "starved": LAND + LEAD + '<path class="drawn-solder" d="M17,28v-4l-3,4zM44,28v-2l3,2z"/>',
    "excess solder": LAND
    + LEAD
    + '<path class="drawn-solder" d="M42,28c-8,-4 -6,-18 6,-18s10,16 4,18z"/>',
    "skewed": _PADS
    + '<g transform="rotate(9 32 17)"><path class="drawn-lead" d="M14,2h7v18h-7zM32,2h7v18h-7zM50,2h7v18h-7z"/></g>',
    "lifted pad": '<path class="drawn-land" d="M6,30H20M46,30H54"/><path class="pad" d="M20,24l26,-6v3l-26,6z"/><path class="drawn-lead" d="M4,2H22V14l22,-5v4l-27,6V7H4z"/>',
    "cold joint": LAND
    + LEAD
    + '<path class="drawn-solder" d="M17,28v-8l-8,8zM44,28v-5l8,5z"/><path class="grain" d="M12,26h.1M14.5,24.5h.1M15.5,26.5h.1M46,26h.1M48,27h.1M47,25h.1"/>',
    "not wetted": LAND + LEAD + '<path class="drawn-solder" d="M44,27c2,-6 9,-6 9,-2s-5,4 -9,2z"/>',
    "tombstone": LAND
    + '<g transform="rotate(-52 14 28)"><rect class="drawn-lead" x="12" y="16" width="30" height="12"/></g><path class="drawn-solder" d="M44,28q5,-4 9,0zM8,28l3,-9 7,9z"/>',
    "missing": LAND
    + '<path class="drawn-solder" d="M8,28q7,-7 14,0zM38,28q7,-7 14,0z"/><path class="gone" d="M18,12h24v16h-24z"/>',
    "wrong part": LAND
    + CHIP
    + '<path class="drawn-solder" d="M18,28v-9l-8,9zM42,28v-9l8,9z"/><text x="30" y="24" text-anchor="middle" font-size="11">?</text>',
    "wrong orientation": '<rect class="drawn-lead" x="14" y="6" width="32" height="22"/><path class="first" d="M14,28v-8l8,8z"/><circle class="gone" cx="50" cy="5" r="2.5"/>',
    "solder balls": LAND
    + CHIP
    + '<path class="drawn-solder" d="M18,28v-9l-6,9zM42,28v-9l6,9z"/><g class="drawn-solder"><circle cx="7" cy="25.5" r="2"/><circle cx="53" cy="26" r="1.6"/><circle cx="56.5" cy="26.6" r="1.1"/></g>',
    "damage to part, pad or mask": LAND
    + CHIP
    + '<path class="drawn-solder" d="M18,28v-9l-8,9zM42,28v-9l8,9z"/><path class="crack" d="M26,12l3,5 -2,4 4,7"/>',
}


def seen_drawn(name: str) -> Markup:
    """The drawing of one thing seen; empty where there is none."""
    strokes = _DRAWN.get(name)
    if strokes is None:
        return Markup("")
    return Markup(
        f'<svg class="seen-picture" viewBox="0 0 60 34" role="img" aria-label="{escape(name)}">{strokes}</svg>'
    )
