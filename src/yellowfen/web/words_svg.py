"""A small drawing for each term of the glossary, in the strokes of the defects' drawings."""

from markupsafe import Markup, escape

from yellowfen.web.reference_svg import CHIP, LAND, LEAD, seen_drawn

# Each in a box of 60 by 34, as the defects are: the land line at y 28.
_NOZZLE = '<path class="drawn-lead" d="M{x},0h12v7l-2,5h-8l-2,-5z"/>'
_AIR = '<path class="drawn-air" d="M{a},13V{end}M{b},13V{end}M{c},13V{end}"/>'
_JOINTS = '<path class="drawn-solder" d="M17,28v-8l-8,8zM44,28v-5l8,5z"/>'
_CAPS = '<path class="drawn-solder" d="M18,28v-11l-9,11zM42,28v-11l9,11z"/>'
_TIP = '<path class="drawn-lead" d="M52,0l7,4 -18,17 -5,2 2,-5z"/>'
_BOARD = '<path class="drawn-board" d="M2,28h56v5h-56z"/>'
_FROM_ABOVE = '<path class="pad" d="M8,6h12v22h-12zM26,6h12v22h-12zM44,6h12v22h-12z"/>'


def _heated(x: int, end: int) -> str:
    return _NOZZLE.format(x=x) + _AIR.format(a=x + 3, b=x + 6, c=x + 9, end=end)


_DRAWN = {
    "pad": _FROM_ABOVE,
    "lead": LAND + LEAD,
    "terminal": LAND + CHIP + '<path class="drawn-solder" d="M18,12h6v16h-6zM36,12h6v16h-6z"/>',
    "leadless-part": LAND
    + CHIP
    + '<path class="drawn-solder" d="M14,28h8v-3h-8zM38,28h8v-3h-8z"/>',
    "exposed-pad": '<rect class="drawn-lead" x="12" y="3" width="36" height="28"/><path class="drawn-solder" d="M21,9h18v16h-18z"/><path class="pad" d="M14,1h4v5h-4zM22,1h4v5h-4zM34,1h4v5h-4zM42,1h4v5h-4zM14,28h4v5h-4zM22,28h4v5h-4zM34,28h4v5h-4zM42,28h4v5h-4z"/>',
    "pin-1": '<rect class="drawn-lead" x="14" y="5" width="32" height="22"/><path class="first" d="M14,27v-8l8,8z"/><circle class="first" cx="8" cy="28" r="2"/>',
    "plane": '<path class="drawn-copper" d="M2,4h56v26h-56z"/><path class="pad" d="M22,10h16v14h-16z"/>',
    "thermal-relief": '<path class="drawn-copper" d="M2,2h56v30h-56zM16,6v22h28v-22z" fill-rule="evenodd"/><path class="drawn-copper" d="M27,6h6v22h-6zM16,14h28v6h-28z"/><path class="pad" d="M22,10h16v14h-16z"/>',
    "stencil": _BOARD
    + '<path class="drawn-lead" d="M2,22h14v6h-14zM26,22h8v6h-8zM44,22h14v6h-14z"/><path class="drawn-solder" d="M16,22h10v6h-10zM34,22h10v6h-10z"/>',
    "aperture": '<path class="drawn-lead" d="M4,4h52v26h-52zM14,10v14h10v-14zM36,10v14h10v-14z" fill-rule="evenodd"/>',
    "solder-paste": LAND
    + '<path class="drawn-solder" d="M14,28v-9h32v9z"/><path class="grain" d="M18,22h.1M24,24h.1M30,21h.1M36,24h.1M42,22h.1M21,26h.1M33,26h.1M40,26h.1"/>',
    "flux": LAND + LEAD + '<path class="drawn-flux" d="M6,28q6,-14 14,-8t18,-2 16,10z"/>',
    "solder-bump": LAND + '<path class="drawn-solder" d="M10,28q7,-9 14,0zM36,28q7,-9 14,0z"/>',
    "solder-wick": LAND
    + '<path class="drawn-braid" d="M4,24q4,-6 8,0t8,0 8,0 8,0 8,0 8,0v4h-48z"/><path class="drawn-solder" d="M36,28v-4h16v4z"/>'
    + _TIP,
    "tack": _FROM_ABOVE
    + '<path class="drawn-lead" d="M11,0h6v18h-6zM29,0h6v18h-6zM47,0h6v18h-6z"/><path class="drawn-solder" d="M9,14h10v11h-10z"/>',
    "drag-soldering": '<path class="pad" d="M4,20h7v10h-7zM15,20h7v10h-7zM26,20h7v10h-7zM37,20h7v10h-7z"/><circle class="drawn-solder" cx="38" cy="21" r="4.5"/><path class="drawn-solder" d="M5,22h5v7h-5zM16,22h5v7h-5zM27,22h5v7h-5z"/>'
    + _TIP,
    "preheat": _heated(24, 20)
    + '<path class="drawn-air" d="M10,20q4,5 0,6M50,20q-4,5 0,6"/>'
    + _BOARD,
    "close-in": _heated(24, 25)
    + '<path class="drawn-arrow" d="M48,2v14m-4,-5l4,5 4,-5"/>'
    + _BOARD,
    "withdraw": _NOZZLE.format(x=24)
    + '<path class="drawn-arrow" d="M48,18v-14m-4,5l4,-5 4,5"/>'
    + _BOARD,
    "molten": LAND + CHIP + _CAPS + '<path class="drawn-shine" d="M13,24l3,-4M47,24l-3,-4"/>',
    "shield": _BOARD
    + '<rect class="drawn-lead" x="8" y="18" width="16" height="10"/><path class="drawn-foil" d="M5,28v-13h22v13"/>'
    + _heated(36, 24),
    "heat-sensitive": _BOARD
    + '<rect class="drawn-lead gone" x="16" y="12" width="28" height="16"/><path class="crack" d="M24,12q3,6 0,10M34,12q-4,8 1,12"/>',
    "body-limit": '<path class="drawn-land" d="M6,30V4M6,30H56"/><path class="drawn-limit" d="M6,10h50"/><path class="drawn-arrow" d="M8,29q14,-18 24,-16t20,12"/>',
    "fillet": LAND + LEAD + _JOINTS,
    "rehearsal": '<path class="drawn-land" d="M6,30V4M6,30H56"/><path class="drawn-arrow" d="M7,28q12,-3 18,-13t14,-6 16,18"/>',
    "safe-window": '<path class="drawn-land" d="M6,30V3M6,30H57"/><path class="drawn-safe" d="M18,25l6,-14 16,-4 10,8 -6,10z"/><circle class="first" cx="33" cy="17" r="2.4"/>',
    "margin": '<path class="drawn-land" d="M6,20H52"/><path class="drawn-limit" d="M52,8v20"/><circle class="drawn-solder" cx="18" cy="20" r="4"/><path class="drawn-arrow" d="M24,12h25m-5,-4l5,4 -5,4"/>',
    "tour": '<rect class="drawn-board" x="3" y="3" width="54" height="28"/><path class="drawn-arrow" d="M13,24L22,10 38,22 48,9"/><g class="drawn-solder"><circle cx="13" cy="24" r="3.4"/><circle cx="22" cy="10" r="3.4"/><circle cx="38" cy="22" r="3.4"/><circle cx="48" cy="9" r="3.4"/></g>',
    "calibrate": _heated(24, 22)
    + _BOARD
    + '<path class="drawn-solder" d="M26,28q4,-6 8,0z"/><circle class="drawn-clock" cx="50" cy="12" r="7"/><path class="drawn-land" d="M50,8v4l3,2"/>',
    "touch-up": LAND + LEAD + _JOINTS + _TIP,
    "passport": '<rect class="drawn-board" x="14" y="2" width="32" height="30"/><rect class="drawn-lead" x="24" y="6" width="12" height="8"/><path class="drawn-land" d="M19,19h22M19,23h22M19,27h14"/>',
    "removal-alloy": _FROM_ABOVE
    + '<path class="drawn-solder" d="M4,20q26,-6 54,0v8q-28,6 -54,0z"/><path class="drawn-lead" d="M11,0h6v18h-6zM29,0h6v18h-6zM47,0h6v18h-6z"/>',
}
_AS_DEFECT = {
    "starved": "starved",
    "excess": "excess solder",
    "bridge": "bridge",
    "tombstone": "tombstone",
    "cold-joint": "cold joint",
}


def word_drawn(key: str, name: str) -> Markup:
    """The drawing of a term; a defect has the one it has among the defects."""
    if key in _AS_DEFECT:
        return seen_drawn(_AS_DEFECT[key])
    return Markup(
        f'<svg class="seen-picture" viewBox="0 0 60 34" role="img" aria-label="{escape(name)}">{_DRAWN[key]}</svg>'
    )
