"""Values as people write them beside a part: ohms of a resistor, farads of a capacitor."""

import re

_SCALE = {
    "p": 1e-12,
    "n": 1e-9,
    "µ": 1e-6,
    "μ": 1e-6,
    "u": 1e-6,
    "m": 1e-3,
    "": 1.0,
    "r": 1.0,
    "k": 1e3,
    "g": 1e9,
}
_NUMBER = re.compile(
    r"^\s*(\d+(?:[.,]\d+)?)\s*([pnµμumrkMGgK]?)(\d*)\s*(Ω|Ohm|ohm|OHM|R|r|F|f)?(?:\s.*)?$"
)


def ohms(text: str) -> float | None:
    """Ohms of "10 kΩ", "4k7", "330R", "0", "1M"; None for what is no resistance."""
    return _value(text, small=False)


def farads(text: str) -> float | None:
    """Farads of "100 nF", "4u7", "10 µF 25 V"; None for what is no capacitance."""
    return _value(text, small=True)


def _value(text: str, *, small: bool) -> float | None:
    found = _NUMBER.match(text)
    if not found:
        return None
    number, scale, rest, unit = found.groups()
    if (unit in ("F", "f")) != small and unit is not None:
        return None
    if small and (scale not in ("p", "n", "µ", "μ", "u", "m") or scale == ""):
        return None
    if not small and scale in ("p", "n", "µ", "μ", "u"):
        return None
    whole = float(
        f"{number.replace(',', '.')}.{rest}"
        if rest and "." not in number
        else number.replace(",", ".")
    )
    factor = 1e6 if scale == "M" else _SCALE[scale.lower()]
    return whole * factor
