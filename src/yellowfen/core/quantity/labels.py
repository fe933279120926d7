"""What a field is called on the screens, where a sentence of the core names it by its key.

The core speaks of "source.outlet_c", which is right in a file of settings; a page says "outlet".
"""

import re

_LABELS = {
    "ambient_c": "room temperature",
    "celsius": "temperature",
    "room_c": "room temperature",
    "fridge_c": "fridge temperature",
    "width_mm": "width",
    "height_mm": "height",
    "thickness_mm": "board thickness",
    "dry_c": "drying temperature",
    "leadless_side": "leadless: side overhang",
    "leadless_end": "leadless: end joint width",
    "over_most_mm": "a lead at most",
    "outlet_offset_c": "outlet offset",
    "air_share": "air, share of the dial",
    "air_max_lpm": "most air",
    "fan_w_m2k": "fan",
    "foil_mm": "stencil thickness",
    "left_um": "thickness left over",
    "left_over": "left over",
    "before_mg": "weight before",
    "after_mg": "weight after",
    "resolution_mg": "last digit of the scale",
    "resolution": "last digit of the scale",
    "part_s": "seconds to lift a part",
    "removal_parts": "removal alloy",
    "wick_width_mm": "wick width",
    "wick_takes": "what the wick absorbs",
    "lift_mm": "worst gap of a lead to a flat plate",
    "open_h": "hours out of a dry bag",
    "bags_open_h": "hours that bags were open",
    "price_min": "minutes that a stencil's price is worth",
    "set_up_min": "minutes to set up the stencil",
    "dot_s": "seconds per dot",
    "body_x_mm": "body across",
    "body_y_mm": "body along",
    "limit_c": "limit",
    "heated_s": "heated for",
    "distance_mm": "nozzle to board",
    "thermal": "exposed pad",
    "land": "land",
    "apart": "distance of opposite rows",
    "typed": "stencil thickness",
    "foil": "stencil thickness",
    "needle": "needle gauge",
    "targets": "parts",
    "keep_out": "pins to keep free",
    "rotation_deg": "turn",
    "x_mm": "place across",
    "y_mm": "place along",
}
_UNITS = re.compile(r"_(w_m2k|mm_s|mm3|mm2|mm|um|c|k|s|min|h|lpm|mg|g|w|w_k|j_k|a|deg|share|ms)$")
_GROUPS = {
    "source",
    "moves",
    "parts",
    "preheater",
    "doubts",
    "picture",
    "shields",
    "scrap",
    "plate",
}
_KEYED = re.compile(r"([a-z][A-Za-z0-9_.+-]*): (.+)", re.DOTALL)


def name_field(key: str, label: str) -> None:
    """Give a key the label that its record's description has for it; a key named here keeps its own."""
    _LABELS.setdefault(key, label)


def label_of(field: str) -> str:
    """What a field is called, by its key: "source.outlet_c" is "outlet temperature", "parts.R1.x_mm"
    "R1 place across"; keys that are words already stay.
    """
    steps = [step for step in field.split(".") if not step.isdigit()]
    if not steps:
        return field
    last = steps[-1]
    plain = _LABELS.get(last) or _UNITS.sub("", last).replace("_", " ")
    named = [step for step in steps[:-1] if re.fullmatch(r"[A-Z][\w+-]*", step)]
    return " ".join([*named, plain])


def by_label(sentence: str) -> str:
    """A sentence that begins with a field's key ("ambient_c: 90 °C is outside …") with its label."""
    found = _KEYED.fullmatch(sentence)
    if not found or not _is_key(found[1]):
        return sentence
    return f"{label_of(found[1])}: {found[2]}"


def _is_key(word: str) -> bool:
    """True for a field's key; a file's name ("board.zip") is none."""
    first, last = word.split(".")[0], word.rsplit(".", 1)[-1]
    return last in _LABELS or "_" in last or first in _GROUPS


def key_in(sentence: str) -> str:
    """The key that a sentence begins with, "" for none."""
    found = _KEYED.fullmatch(sentence)
    return found[1] if found else ""
