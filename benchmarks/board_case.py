"""A large made-up board as Gerber and drill files: ten copper layers, about 5 MB, 2000 paste
openings, or as many pads as asked.
"""

import math
import random

HEAD = "%FSLAX46Y46*%\n%MOMM*%\n"


def _at(x: float, y: float, code: str) -> str:
    return f"X{round(x * 1e6)}Y{round(y * 1e6)}{code}*\n"


def large_board(
    openings: int = 2000,
    layers: int = 10,
    tracks: int = 6000,
    width: float = 160.0,
    height: float = 100.0,
) -> dict[str, bytes]:
    """Files by name.

    Rows of ten-lead parts, vias, wandering tracks on signal layers, planes with clearances between.
    """
    chance = random.Random(5)
    pads = _pads(openings, width, height)
    vias = [
        (chance.uniform(2, width - 2), chance.uniform(2, height - 2)) for _ in range(openings // 2)
    ]
    files = {}
    for number in range(1, layers + 1):
        where = "Top" if number == 1 else "Bot" if number == layers else "Inr"
        plane = number in (2, layers // 2, layers - 1)
        body = [
            f"%TF.FileFunction,Copper,L{number},{where}*%\n",
            "%ADD10R,0.350000X1.400000*%\n%ADD11C,0.600000*%\n%ADD12C,0.150000*%\n%ADD13C,0.900000*%\n",
        ]
        outer = where != "Inr"
        body += (
            _plane(vias, width, height)
            if plane
            else _fan_out(chance, pads)
            if outer
            else _tracks(chance, tracks, width, height)
        )
        body.append("D11*\n" + "".join(_at(x, y, "D03") for x, y in vias))
        if where == "Top":
            body.append("D10*\n" + "".join(_at(x, y, "D03") for x, y in pads))
        files[f"copper-{number}.gbr"] = (HEAD + "".join(body) + "M02*\n").encode()
    flashes = "".join(_at(x, y, "D03") for x, y in pads)
    for kind, grow in (("Soldermask", 0.1), ("Paste", -0.05)):
        text = f"%TF.FileFunction,{kind},Top*%\n%ADD10R,{0.35 + grow:.6f}X{1.4 + grow:.6f}*%\nD10*\n{flashes}"
        files[f"{kind.lower()}.gbr"] = (HEAD + text + "M02*\n").encode()
    corners = [(0, 0), (width, 0), (width, height), (0, height), (0, 0)]
    outline = (
        "%TF.FileFunction,Profile,NP*%\n%ADD10C,0.100000*%\nD10*\n"
        + _at(0, 0, "D02")
        + "".join(_at(x, y, "D01") for x, y in corners[1:])
    )
    files["outline.gbr"] = (HEAD + outline + "M02*\n").encode()
    legend = "%TF.FileFunction,Legend,Top*%\n%ADD12C,0.150000*%\n" + "".join(
        _tracks(chance, 2000, width, height)
    )
    files["legend.gbr"] = (HEAD + legend + "M02*\n").encode()
    files["holes.drl"] = (
        "M48\nMETRIC\nT1C0.3\n%\nT1\n" + "".join(f"X{x:.4f}Y{y:.4f}\n" for x, y in vias) + "M30\n"
    ).encode()
    files["placement.csv"] = _placement(openings).encode()
    return files


def _parts(openings: int, width: float, height: float) -> list[tuple[float, float]]:
    count = openings // 20
    across = max(1, math.ceil(math.sqrt(count * width / height)))
    down = math.ceil(count / across)
    return [
        ((i % across + 0.5) * width / across, (i // across + 0.5) * height / down)
        for i in range(count)
    ]


def _pads(openings: int, width: float, height: float) -> list[tuple[float, float]]:
    """Twenty lands at 0.65 mm pitch in two rows for every part."""
    return [
        (x - 2.925 + 0.65 * k, y + row * 2.85)
        for x, y in _parts(openings, width, height)
        for row in (-1, 1)
        for k in range(10)
    ]


def _placement(openings: int) -> str:
    rows = [
        f"U{n},chip,TSSOP-20,{x:.4f},{y:.4f},90,top"
        for n, (x, y) in enumerate(_parts(openings, 160.0, 100.0), 1)
    ]
    return "Ref,Value,Package,X,Y,Rotation,Side\n" + "\n".join(rows) + "\n"


def _tracks(chance: random.Random, count: int, width: float, height: float) -> list[str]:
    """Wandering tracks, 1.5 mm a bit: boards of the test data have 0.8 to 1.9 mm."""
    lines = ["D12*\n"]
    for _ in range(count):
        x, y = chance.uniform(1, width - 1), chance.uniform(1, height - 1)
        lines.append(_at(x, y, "D02"))
        for _ in range(chance.randint(2, 7)):
            x = min(max(x + chance.uniform(-2, 2), 1), width - 1)
            y = min(max(y + chance.uniform(-2, 2), 1), height - 1)
            lines.append(_at(x, y, "D01"))
    return lines


def _fan_out(chance: random.Random, pads: list[tuple[float, float]]) -> list[str]:
    """A track from every land outward, in four bits, and short ones between."""
    lines = ["D12*\n"]
    for index, (x, y) in enumerate(pads):
        out = -1 if index // 10 % 2 == 0 else 1
        lines += [
            _at(x, y, "D02"),
            _at(x, y + out * 1.2, "D01"),
            _at(x + 0.1, y + out * 1.4, "D01"),
            _at(x + 0.1, y + out * chance.uniform(1.6, 2.2), "D01"),
        ]
    return lines


def _plane(vias: list[tuple[float, float]], width: float, height: float) -> list[str]:
    """A region over the board, cleared round most vias, some of them with spokes."""
    lines = [
        "G36*\n",
        _at(0.5, 0.5, "D02"),
        *(
            _at(x, y, "D01")
            for x, y in (
                (width - 0.5, 0.5),
                (width - 0.5, height - 0.5),
                (0.5, height - 0.5),
                (0.5, 0.5),
            )
        ),
        "G37*\n",
    ]
    lines += ["%LPC*%\nD13*\n", *(_at(x, y, "D03") for x, y in vias), "%LPD*%\nD12*\n"]
    for x, y in vias[::5]:
        lines += [
            _at(x - 0.6, y, "D02"),
            _at(x + 0.6, y, "D01"),
            _at(x, y - 0.6, "D02"),
            _at(x, y + 0.6, "D01"),
        ]
    return lines
