"""Reading an IPC-D-356 netlist: which pin of which part lies where on which net.

The record layout (columns) is that of IPC-D-356A as remembered; only test records 317, 327 and 367
are read.
"""

import re
from dataclasses import dataclass

from yellowfen.core.board.join import plain_ref
from yellowfen.errors import UnreadableFile
from yellowfen.formats.text import decoded


@dataclass(frozen=True, kw_only=True)
class NetPoint:
    """One test record, in file coordinates (mm).

    `access` is top, bottom or both; `drill_mm` 0 for surface pads.
    """

    net: str
    ref: str
    pin: str
    x_mm: float
    y_mm: float
    access: str
    drill_mm: float


def looks_like_netlist(data: bytes) -> bool:
    """True for records of an IPC-D-356 file near the start."""
    head = data[:6000]
    return b"\0" not in head and bool(
        re.search(rb"^P\s+(JOB|UNITS|VER)", head, re.MULTILINE)
        or re.search(rb"^3[12]7\S.{40,}X[+-]\d{5}", head, re.MULTILINE)
    )


_UNITS = {
    "CUST 0": 0.00254,
    "CUST 1": 0.001,
    "CUST 2": 0.00254,
    "CUST": 0.00254,
    "INCH": 0.00254,
    "SI": 0.001,
}


def read_netlist(data: bytes, name: str) -> list[NetPoint]:
    """Test records in millimetres. Raises UnreadableFile with the line."""
    unit = 0.00254
    longer: dict[str, str] = {}
    points: list[NetPoint] = []
    for number, line in enumerate(decoded(data).splitlines(), 1):
        if line.startswith("P"):
            words = line[1:].split()
            if words[:1] == ["UNITS"]:
                said = " ".join(words[1:3])
                if said not in _UNITS and words[1:2] and words[1] not in _UNITS:
                    raise UnreadableFile(
                        name,
                        f"its unit {said!r} is not known (CUST 0, CUST 1, SI or INCH); export it again",
                        number,
                    )
                unit = _UNITS.get(said, _UNITS.get(words[1] if len(words) > 1 else "", unit))
            elif words and re.fullmatch(r"NNAME\d+", words[0]):
                longer[words[0]] = " ".join(words[1:])
        elif line.startswith("999"):
            break
        elif line[:3] in ("317", "327", "367"):
            points.append(_point(line, unit, longer, name, number))
        if len(points) > 100_000:
            raise UnreadableFile(
                name, "has more than 100000 records, which is more than a board has", number
            )
    if not points:
        raise UnreadableFile(name, "holds no test records (317, 327); export it again")
    return points


def _point(line: str, unit: float, longer: dict[str, str], name: str, number: int) -> NetPoint:
    net = line[3:17].strip()
    place = re.search(r"X([+-]?\s*\d+)Y([+-]?\s*\d+)", line)
    if place is None:
        raise UnreadableFile(name, "a test record has no X and Y; export the netlist again", number)
    ref, _, pin = line[17:31].strip().partition("-")
    before = line[31 : place.start()]
    drill = re.search(r"D(\d{4})", before)
    access = re.search(r"A(\d\d)", before)
    side = {"01": "top", "02": "bottom", "00": "both"}.get(access[1] if access else "00", "both")
    x, y = (float(value.replace(" ", "")) * unit for value in place.groups())
    return NetPoint(
        net=longer.get(net, net),
        ref=plain_ref(ref),
        pin=pin.strip("M ").strip(),
        x_mm=x,
        y_mm=y,
        access=side,
        drill_mm=int(drill[1]) * unit if drill else 0.0,
    )
