"""Values as people write them: ohms of a resistor, farads of a capacitor, volts in a net's name.

What can be read in two ways ("104", "VDD18") is not read.
"""

import re

_MICRO = "µμu"
_SCALE = {"p": 1e-12, "n": 1e-9, **dict.fromkeys(_MICRO, 1e-6), "m": 1e-3, "": 1.0, "k": 1e3}
# What may follow a value: nothing, or a sign that begins the next word (rating, tolerance, case).
_ENDS = r"(?=$|[\s/,;_(@±+-])"
_OHMS = re.compile(
    rf"""\s*(?:
        (?P<number>\d+(?:[.,]\d+)?)\s*(?P<scale>[mkKMG]?)\s*(?P<unit>Ω|Ω|[Oo]hms?|OHMS?|[Rr])?{_ENDS}
      | (?P<whole>\d*)(?P<sign>[RrkKM])(?P<rest>\d+)\s*(?:Ω|Ω|[Oo]hms?|OHMS?)?{_ENDS}
    )""",
    re.VERBOSE,
)
_FARADS = re.compile(
    rf"""\s*(?:
        (?P<number>\d+(?:[.,]\d+)?|[.,]\d+)\s*(?P<scale>[pnmPNU{_MICRO}])\s*(?P<unit>[Ff]?){_ENDS}
      | (?P<whole>\d*)(?P<sign>[pnPNU{_MICRO}])(?P<rest>\d{{1,2}})\s*[Ff]?{_ENDS}
    )""",
    re.VERBOSE,
)
_RAIL = re.compile(
    r"""(?<![\d.,])(?P<minus>[-−]|(?<![A-Z])(?:NEG|MINUS)_?|(?<![A-Z])N(?=\d))?\+?(?:
        (?P<whole>\d{1,2})[VP](?P<part>\d{1,3})(?![\d.,])     # 3V3, 1V8, 3P3V
      | (?P<decimal>\d{1,2}[.,]\d{1,3})(?:V(?!AC)|$|(?=[_\s]))  # +3.3V, VDD_1.8
      | (?P<milli>\d{3,4})MV(?!AC)                           # 900MV
      | (?P<plain>\d{1,2})V(?!AC|\d|[.,]\d)                  # 12V, 5V_USB
    )""",
    re.VERBOSE,
)
MOST_VOLTS = 60.0


def ohms(text: str) -> float | None:
    """Ohms of "10 kΩ", "4k7", "4R7", "R47", "330R", "0", "1M 1%"; None for what is no resistance."""
    found = _OHMS.match(text)
    if not found:
        return None
    bare = found["number"] and not found["scale"] and not found["unit"]
    if bare and re.match(rf"\s+[A-Za-z{_MICRO}]", text[found.end() :]):  # of something else
        return None
    scale = found["scale"] if found["number"] else found["sign"]
    factor = {"M": 1e6, "G": 1e9, "R": 1.0, "r": 1.0}.get(scale) or _SCALE[scale.lower()]
    return _number(found) * factor


def farads(text: str) -> float | None:
    """Farads of "100 nF", "4u7", "0.1uF/16V", "10 µF 25 V"; None for what is no capacitance."""
    found = _FARADS.match(text)
    if not found:
        return None
    scale = found["scale"] if found["number"] else found["sign"]
    return _number(found) * _SCALE[scale.lower()]


def _number(found: re.Match[str]) -> float:
    if found["number"]:
        return float(found["number"].replace(",", "."))
    return float(f"{found['whole'] or 0}.{found['rest']}")


def volts_of(net: str) -> float | None:
    """Volts as a net's name says them: "3V3", "+1.8V", "VCC1V8", "5V_USB", "-12V", "VBUS" (5 V); None
    where it does not say them, or says more than 60 V.
    """
    name = net.upper().replace("−", "-").rsplit("/", 1)[-1]
    found = _RAIL.search(name)
    if not found:
        return 5.0 if "VBUS" in name else None
    if found["milli"]:
        volts = float(found["milli"]) / 1000
    elif found["decimal"]:
        volts = float(found["decimal"].replace(",", "."))
    else:
        volts = float(f"{found['whole'] or found['plain']}.{found['part'] or 0}")
    if not 0 < volts <= MOST_VOLTS:
        return None
    return -volts if found["minus"] else volts
