"""Small files made to hold a reader for ever or to eat its memory: each by name, as a set that can
be brought in. Every one must end in a board or in a sentence, within the limits of reading.
"""

import io
import zipfile
from collections.abc import Callable, Iterator

HEAD = "%FSLAX46Y46*%\n%MOMM*%\n"
EDGE = "%ADD10C,0.1*%\nD10*\nX0Y0D02*\nX50000000Y0D01*\nX50000000Y50000000D01*\nX0Y50000000D01*\nX0Y0D01*\n"
Files = dict[str, bytes]


def layer(body: str, function: str = "Copper,L1,Top") -> bytes:
    """A Gerber layer of a function."""
    return f"{HEAD}%TF.FileFunction,{function}*%\n{body}M02*\n".encode()


def board(**more: bytes) -> Files:
    """A plain small board with other files beside."""
    pads = "%ADD11R,1X1*%\nD11*\nX10000000Y10000000D03*\nX12000000Y10000000D03*\n"
    return {
        "edge.gbr": layer(EDGE, "Profile,NP"),
        "copper.gbr": layer(pads),
        "mask.gbr": layer(pads, "Soldermask,Top"),
        **{name.replace("__", "."): data for name, data in more.items()},
    }


def _table(rows: str, heading: str = "Ref,Value,Package,X,Y,Rotation,Side") -> bytes:
    return f"{heading}\n{rows}\n".encode()


def _macro(count: int) -> bytes:
    circles = "*".join(f"1,1,1.{n},0.{n},0" for n in range(count))
    flashes = "".join(f"X{n}000000Y1000000D03*\n" for n in range(60))
    return layer(f"%AMX*{circles}*%\n%ADD11X*%\nD11*\n{flashes}")


def _zip(**files: bytes) -> Files:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_LZMA) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return {"set.zip": stream.getvalue()}


def _nested(depth: int) -> bytes:
    opened = "".join(f"%ABD{20 + n}*%\n" for n in range(depth))
    return layer("%ADD11C,1*%\nD11*\n" + opened + "X0Y0D03*\n" + "%AB*%\n" * depth)


def _doubled_blocks(depth: int) -> bytes:
    """Each block flashes the one before twice: two to the depth objects."""
    body = "%ADD11C,0.1*%\n%ABD20*%\nD11*\nX0Y0D03*\n%AB*%\n"
    for n in range(depth):
        body += f"%ABD{21 + n}*%\nD{20 + n}*\nX0Y0D03*\nX1000Y0D03*\n%AB*%\n"
    return layer(body + f"D{20 + depth}*\nX0Y0D03*\n")


def crossed(lines: int) -> dict[str, bytes]:
    """Copper and mask of as many strokes, all crossing in the middle, three times over: 500 take
    some ten seconds to read.
    """
    step = 50_000_000 // lines
    ends = [(at * step, (lines - at) * step) for at in range(lines)]
    pen = "%ADD11C,0.2*%\nD11*\n"
    across = "".join(f"X0Y{a}D02*\nX50000000Y{b}D01*\n" for a, b in ends) * 3
    up = "".join(f"X{a}Y0D02*\nX{b}Y50000000D01*\n" for a, b in ends) * 3
    return {
        **board(),
        "mask.gbr": layer(pen + across, "Soldermask,Top"),
        "copper.gbr": layer(pen + up),
    }


CRAFTED: dict[str, Callable[[], Files]] = {
    "blanks behind unit": lambda: board(
        t__csv=_table(
            "R1,1k,0603,1,1,0,top", "# unit" + " " * 3900 + "x\nRef,Value,Package,X,Y,Rotation,Side"
        )
    ),
    "repeat of nothing": lambda: board(a__gbr=layer("%SRX1000000000Y1000000000I1J1*%\n%SR*%\n")),
    "repeat of one": lambda: board(
        a__gbr=layer("%ADD11C,1*%\nD11*\n%SRX624Y624I0.1J0.1*%\nX0Y0D03*\n%SR*%\n")
    ),
    "many repeats": lambda: {
        **board(),
        **{
            f"i{n}.gbr": layer(
                "%ADD11C,1*%\nD11*\n%SRX624Y624I0.1J0.1*%\nX0Y0D03*\n%SR*%\n",
                f"Copper,L{n + 2},Inr",
            )
            for n in range(60)
        },
    },
    "macro of 500 circles": lambda: board(copper__gbr=_macro(500)),
    "nested blocks": lambda: board(copper__gbr=_nested(400)),
    "doubled blocks": lambda: board(copper__gbr=_doubled_blocks(40)),
    "packages of countless pins": lambda: board(
        t__csv=_table(
            "\n".join(
                f"U{n},x,{name}{size},{n},1,0,top"
                for n, name in enumerate(
                    ("TSSOP-", "QFP-", "SOIC-", "BGA-", "QFN-", "DFN-", "PLCC-", "CONN-", "SOJ-")
                )
                for size in ("9000000", "9" * 40)
            )
        )
    ),
    "a cell of digits": lambda: board(t__csv=_table("R1,1k,0603," + "9" * 100_000 + ",1,0,top")),
    "lists of names": lambda: board(
        b__csv=_table("\n".join(["R1-R499,1k,0603"] * 10_000), "Ref,Value,Package")
    ),
    "drill repeats": lambda: board(
        d__drl=b"M48\nMETRIC\nT1C0.5\n%\nT1\nX1Y1\n" + b"R9999X0.001\n" * 400 + b"M30\n"
    ),
    "drill in circles": lambda: board(
        d__drl=b"M48\nMETRIC\nT1C0.5\n%\nT1\n" + b"X1Y1C99\nR9999X1Y1\n" * 300 + b"M30\n"
    ),
    "attributes": lambda: board(
        copper__gbr=layer(
            "".join(f"%TO.x{n},{n}*%\n" for n in range(12_000))
            + "%ADD11C,1*%\nD11*\nX1000000Y1000000D03*\n"
        )
    ),
    "placements": lambda: board(
        t__csv=_table("\n".join(f"R{n},1k,0603,{n % 50},{n // 400},0,top" for n in range(19_000)))
    ),
    "deep expression": lambda: board(
        copper__gbr=layer(
            "%AMX*1,1," + "(" * 3000 + "1" + ")" * 3000 + ",0,0*%\n%ADD11X*%\nD11*\nX0Y0D03*\n"
        )
    ),
    "long number": lambda: board(
        copper__gbr=layer("%ADD11C,1*%\nD11*\nX" + "1" * 5000 + "Y1D03*\n")
    ),
    "superscript names": lambda: board(**{"copper²__gbr": layer("%ADD11C,1*%\nD11*\nX0Y0D03*\n")}),
    "netlist tab": lambda: board(
        n__ipc=b"C  IPC-D-356\nP  UNITS CUST 0\n317N1               R1    -1   D0\t00PA00X+0100Y+0100X0600Y0600R000S0\n999\n"
    ),
    "huge numbers": lambda: board(
        t__csv=_table("R1,1k,0603,1e308,1,nan,top\nR2,1k,0603,-1e308,inf,0,top")
    ),
    "lzma zip": lambda: _zip(**{"copper.gbr": layer("%ADD11C,1*%\nD11*\nX0Y0D03*\n")}),
    "zeros in names": lambda: {"a\x00b.gbr": layer("%ADD11C,1*%\nD11*\nX0Y0D03*\n")},
    "copper as mask": lambda: crossed(500),
    "twenty large layers": lambda: {
        "edge.gbr": layer(EDGE.replace("50000000", "399000000"), "Profile,NP"),
        **{
            f"c{n}.gbr": layer(
                "%ADD11C,300*%\nD11*\nX200000000Y200000000D03*\n",
                f"Copper,L{n},{'Top' if n == 1 else 'Bot' if n == 20 else 'Inr'}",
            )
            for n in range(1, 21)
        },
        "mask.gbr": layer("%ADD11C,1*%\nD11*\nX200000000Y200000000D03*\n", "Soldermask,Top"),
    },
    "regions": lambda: board(
        copper__gbr=layer(
            "G36*\n"
            + "X0Y0D02*\n"
            + "".join(
                f"X{(n * 7919) % 50_000_000}Y{(n * 104_729) % 50_000_000}D01*\n"
                for n in range(20_000)
            )
            + "G37*\n"
        )
    ),
    "arcs": lambda: board(
        copper__gbr=layer(
            "%ADD11C,0.1*%\nD11*\nG75*\n" + "X0Y0D02*\nG02X1000000Y0I500000J0D01*\n" * 20_000
        )
    ),
}


def sets() -> Iterator[tuple[str, Files]]:
    """All of them, made when asked for."""
    for name, make in CRAFTED.items():
        yield name, make()
