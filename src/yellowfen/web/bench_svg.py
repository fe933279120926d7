"""What stands on the bench, drawn: small pictures with the figures on them that are known."""

from markupsafe import Markup, escape

from yellowfen.core.bench.station import Station, Tool, ToolKind
from yellowfen.core.heat.source import HotPlate, Iron, Oven, Preheater

_HEAD = '<svg class="tool-drawing" viewBox="0 0 120 84" role="img" aria-label="{said}">'


def station_drawing(station: Station, taught: bool) -> Markup:
    """A nozzle over a board; its air as wide as it blows, dashed while nobody taught it."""
    wide = 6.0 + 2.2 * min(station.air.narrow_mm, 16)
    reach = 10 + 12 * min(station.air.flow_lpm / 60, 1.6)
    kind = "air" if taught else "air unsure"
    x = 60
    return Markup(
        _HEAD.format(said=escape(f"{station.name}, nozzle {station.air.nozzle_words}"))
        + f'<path class="{kind}" d="M{x - wide / 2},36L{x - wide / 2 - reach},74H{x + wide / 2 + reach}L{x + wide / 2},36Z"/>'
        + f'<path class="body" d="M{x - 15},4H{x + 15}V18L{x + wide / 2},26V36H{x - wide / 2}V26L{x - 15},18Z"/>'
        + '<path class="board" d="M8,74H112V79H8Z"/></svg>'
    )


def tool_drawing(tool: Tool) -> Markup:
    """A plate, an oven, heat from below, or an iron's tip in its shape."""
    said = escape(f"{tool.name}, {tool.kind}")
    content = tool.content
    if isinstance(content, HotPlate):
        inner = '<path class="hot" d="M12,50H108V60H12Z"/><path class="board" d="M22,44H98V49H22Z"/><path class="body" d="M20,60H100V72H20Z"/>'
    elif isinstance(content, Oven):
        inner = '<rect class="body" x="14" y="14" width="92" height="58" rx="6"/><rect class="hollow" x="24" y="24" width="72" height="38" rx="3"/><path class="hot" d="M30,28H90V31H30ZM30,56H90V59H30Z"/><path class="board" d="M34,44H86V48H34Z"/>'
    elif isinstance(content, Preheater):
        inner = '<path class="board" d="M14,28H106V33H14Z"/><path class="air" d="M26,60L22,36H98L94,60Z"/><path class="body" d="M22,60H98V74H22Z"/>'
    else:
        inner = _tip(content)
    kind = "unknown" if tool.kind not in set(ToolKind) else str(tool.kind)
    return Markup(_HEAD.format(said=said) + f'<g class="tool-{kind}">{inner}</g></svg>')


def _tip(iron: Iron) -> str:
    """The tip from the side, its end as wide as it is."""
    half = min(3.0 * iron.tip_mm, 16)
    ends = {
        "chisel": f"L78,{42 - half / 2:.1f}L98,40V44L78,{42 + half / 2:.1f}Z",
        "bevel": f"L84,{42 - half / 2:.1f}L96,{42 + half / 2:.1f}Z",
        "knife": f"L70,{42 - half / 2:.1f}L100,{42 + half / 2:.1f}L78,{42 + half / 2:.1f}Z",
        "cone": "L100,42Z",
    }
    end = ends.get(str(iron.shape), ends["chisel"])
    return f'<path class="body" d="M6,32H46V52H6Z"/><path class="hot" d="M46,{42 + half / 2:.1f}V{42 - half / 2:.1f}{end}"/>'
