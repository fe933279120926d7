"""Families of files made to hold a reader or to break it, each member by its seed: step-repeats,
macros, blocks, attributes, regions and arcs, drills, tables, netlists, archives, rehearsals,
pictures.
"""

import io
import random
import struct
import zipfile
import zlib
from collections.abc import Callable, Iterator

from tests.crafted import Files, board, layer

Maker = Callable[[random.Random], bytes]
COUNTS = ("0", "1", "2", "7", "100", "624", "9999", "1000000000", "-1", "1.5", "", "nan", "1e9")
STEPS = ("0", "0.001", "0.1", "1", "-1", "1e308", "999999999", "")
NUMBERS = (
    *("0", "-0", "1", "1e308", "-1e308", "1e-320", "nan", "inf", "²", "١٢", "0x10", "1,5", "1_000"),
    *("9" * 400, "." * 20, "+-1", "1e", " ", "", "0" * 5000 + "1", "\u2212" + "3"),
)
OBJECTS = (
    "X1000000Y1000000D03*\n",
    "X0Y0D02*\nX9000000Y0D01*\n",
    "G36*\nX0Y0D02*\nX9000000Y0D01*\nX0Y9000000D01*\nX0Y0D01*\nG37*\n",
    "G75*\nG02X1000000Y0I500000J0D01*\nG01*\n",
    "%LPC*%\nX1000000Y1000000D03*\n%LPD*%\n",
    "%LMXY*%%LR45*%%LS0.0001*%\nX1000000Y1000000D03*\n%LMN*%%LR0*%%LS1*%\n",
)
PEN = "%ADD11C,1*%\nD11*\n"


def step_repeats(chance: random.Random) -> bytes:
    """Repeats of nothing, of much, within each other, never closed."""
    body = PEN
    for _ in range(chance.randint(1, 6)):
        x, y = chance.choice(COUNTS), chance.choice(COUNTS)
        i, j = chance.choice(STEPS), chance.choice(STEPS)
        body += f"%SRX{x}Y{y}I{i}J{j}*%\n" + "".join(
            chance.choices(OBJECTS, k=chance.randint(0, 4))
        )
        body += "%SR*%\n" * chance.randint(0, 2)
    return layer(body)


def macros(chance: random.Random) -> bytes:
    """Primitives of every code with too few, too many and odd arguments; expressions to any depth."""
    lines = []
    for _ in range(chance.choice((1, 3, 20, 200))):
        code = chance.choice((0, 1, 2, 4, 5, 6, 7, 8, 20, 21, 22, 99, -1))
        given = [
            chance.choice((*NUMBERS[:14], "$1", "$2x$1", "$1/0", "(" * 50 + "1" + ")" * 50, "1-"))
            for _ in range(chance.choice((0, 2, 5, 7, 12, 60)))
        ]
        lines.append(",".join([str(code), *given]))
    if chance.random() < 0.4:
        lines.insert(0, f"${chance.choice((1, 2, 9999))}=$1x{chance.choice(NUMBERS[:10])}")
    used = "X".join(chance.choice(NUMBERS[:10]) for _ in range(chance.randint(0, 4)))
    flashes = "".join(f"X{n}000000Y1000000D03*\n" for n in range(chance.choice((1, 40, 400))))
    return layer(f"%AMSHAPE*{'*'.join(lines)}*%\n%ADD11SHAPE,{used}*%\nD11*\n{flashes}")


def blocks(chance: random.Random) -> bytes:
    """Blocks of blocks, of themselves, doubled, never closed."""
    body, last = PEN, 11
    for number in range(20, 20 + chance.choice((1, 5, 30, 300))):
        body += f"%ABD{number}*%\n"
        inner = chance.choice((last, number, 11, 4000))
        body += f"D{inner}*\n" + "X0Y0D03*\nX1000Y0D03*\n"[: chance.choice((9, 20))] + "\n"
        if chance.random() < 0.9:
            body += "%AB*%\n"
        last = number
    return layer(body + f"D{last}*\n" + "X0Y0D03*\n" * chance.choice((1, 50)))


def attributes(chance: random.Random) -> bytes:
    """Very many, very long, deleted, of parts and nets that are not there."""
    body = PEN
    for number in range(chance.choice((1, 50, 3000))):
        kind = chance.choice(("TF", "TA", "TO", "TD"))
        name = chance.choice((".C", ".N", ".P", ".AperFunction", f"x{number}", "", "é" * 300))
        values = ",".join(chance.choice((*NUMBERS, "R1", "R1,1", "GND")) for _ in range(3))
        body += f"%{kind}{name},{values}*%\n" + chance.choice((*OBJECTS, "", ""))
    return layer(body)


def shapes(chance: random.Random) -> bytes:
    """Regions over themselves, of nothing, huge; arcs with no middle or one light years away."""
    body = PEN + chance.choice(("G75*\n", "G74*\n", ""))
    for _ in range(chance.choice((1, 10, 60))):
        body += "G36*\nX0Y0D02*\n"
        for _ in range(chance.choice((0, 1, 3, 200))):
            mode = chance.choice(("G01", "G02", "G03"))
            at = [chance.choice((0, 1, -1, 10**6, 10**9, 10**15)) for _ in range(4)]
            body += f"{mode}X{at[0]}Y{at[1]}I{at[2]}J{at[3]}D0{chance.choice((1, 1, 1, 2, 3))}*\n"
        body += chance.choice(("G37*\n", ""))
    return layer(body)


def drills(chance: random.Random) -> bytes:
    """Repeats, routes, tools that are not there, units that change half-way."""
    lines = ["M48", chance.choice(("METRIC", "INCH,LZ", "METRIC,TZ,000.000", "")), "T1C0.5", "%"]
    for _ in range(chance.choice((1, 20, 800))):
        at = f"X{chance.choice(NUMBERS[:9])}Y{chance.randint(0, 50)}"
        other = (
            *(at, f"{at}G85X1Y{chance.randint(0, 99)}", "T1", "T77", f"T{chance.randint(2, 9)}C-1"),
            *(f"R{chance.choice(COUNTS)}X{chance.choice(STEPS)}", "M71", "M72", "G00X0Y0", "M15"),
            *("G01X9Y9", "M16", "R9999X1Y1", "M30", "T1C99999", "G93X1Y1", "M02X1Y1"),
        )
        lines.append(chance.choice(other))
    return "\n".join([*lines, "M30"]).encode()


def tables(chance: random.Random) -> bytes:
    """Headings in any words, cells of anything, quotes that never close, lists of names."""
    words = ["Ref", "Value", "Package", "X", "Y", "Rotation", "Side", "Qty", "unit", "²", '"', ""]
    cut = chance.choice((",", ";", "\t", "|", " "))
    rows = [cut.join(chance.sample(words, chance.randint(1, len(words))))]
    for number in range(chance.choice((1, 30, 4000))):
        cells = (f"R{number}", f"R{number}-R{number + 900}", "1k", "0603", "top", '"open', "a\x00b")
        rows.append(cut.join(chance.choice((*cells, *NUMBERS[:18])) for _ in range(8)))
    start = chance.choice((b"", b"\xef\xbb\xbf", b"\xff\xfe", b"\x00"))
    return start + chance.choice(("\n", "\r\n", "\r")).join(rows).encode("utf-8")


def netlists(chance: random.Random) -> bytes:
    """Lines too short, too long, with numbers that are none; nets of one and of ten thousand pins."""
    lines = ["C  IPC-D-356", f"P  UNITS CUST {chance.choice(('0', '1', '²', ''))}"]
    for number in range(chance.choice((1, 40, 6000))):
        net = chance.choice((f"N{number % 50}", "", "N/C", "x" * 60))
        at = f"A{chance.choice('0123')}{chance.choice('12 ')}X{chance.choice(('+', '-', ''))}"
        at += f"{chance.choice(('0010', '99999', '²²²', ''))}Y+{number % 1000:04d}X0600Y0600R000S0"
        kind = chance.choice(("317", "327", "367", "017", "999", "3x7"))
        lines.append(f"{kind}{net:<14} R{number % 400:<4} -{chance.choice(('1', '', 'é')):<4}{at}")
    text = "\n".join(lines)
    return text[: chance.choice((len(text), len(text) // 2))].encode()


def archives(chance: random.Random) -> Files:
    """Zips that grow a thousandfold, hold themselves, ten thousand files, paths that lead out."""
    stream = io.BytesIO()
    how = chance.choice(
        (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA)
    )
    with zipfile.ZipFile(stream, "w", how) as archive:
        for number in range(chance.choice((0, 1, 3, 5000))):
            name = chance.choice(
                (f"f{number}.gbr", f"../../f{number}", f"/f{number}", "a\\b", "é²")
            )
            archive.writestr(f"{number}{name}" if number else name, layer(PEN)[: number % 90])
        if chance.random() < 0.5:
            archive.writestr("large.gbr", bytes(chance.choice((10**6, 10**8))))
        if chance.random() < 0.3:
            archive.writestr("again.zip", stream.getvalue())
    data = bytearray(stream.getvalue())
    for _ in range(chance.choice((0, 0, 3, 40))):
        data[chance.randrange(len(data))] = chance.randrange(256)
    return {"set.zip": bytes(data)}


def rehearsals(chance: random.Random) -> bytes:
    """Rehearsal files whose keys, kinds and numbers are anything."""
    lines = []
    for _ in range(chance.randint(1, 12)):
        table = chance.choice(("board", "part", "move", "source", "bench", "alloy", "x" * 300, "²"))
        lines.append(f"[{table}]" if chance.random() < 0.5 else f"[[{table}]]")
        for _ in range(chance.randint(0, 6)):
            key = chance.choice(
                (
                    "width_mm",
                    "height_mm",
                    "thickness_mm",
                    "name",
                    "alloy",
                    "for_s",
                    "over",
                    "at",
                    "é",
                )
            )
            value = chance.choice(
                (
                    *NUMBERS[:12],
                    '"Sn63Pb37"',
                    "[]",
                    "[" * 200 + "]" * 200,
                    "true",
                    "{}",
                    "1e400",
                    "nan",
                )
            )
            lines.append(f"{key} = {value}")
    return "\n".join(lines).encode()


def pictures(chance: random.Random) -> bytes:
    """PNGs that say they are huge, are cut short, hold nothing; other things by that name."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        whole = zlib.crc32(kind + data) ^ (chance.random() < 0.1)
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", whole)

    sides = (0, 1, 64, 700, 9000, 60_000, 2**31 - 1)
    wide, high = chance.choice(sides), chance.choice(sides)
    head = struct.pack(
        ">IIBBBBB",
        wide,
        high,
        chance.choice((1, 8, 16, 3)),
        chance.choice((0, 2, 3, 6, 9)),
        0,
        0,
        0,
    )
    rows = bytes(min((wide * 3 + 1) * high, chance.choice((0, 10_000, 30_000_000))))
    data = b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows))
    data += chunk(b"IEND", b"") if chance.random() < 0.8 else b""
    others = (b"", b"GIF89a" + bytes(30), b"\xff\xd8\xff\xe0" + bytes(200), b"<svg/>", b"%PDF-1.4")
    return chance.choice((data, data, data, data[: len(data) // 2], *others))


LAYERS: dict[str, Maker] = {
    "step-repeat": step_repeats,
    "macro": macros,
    "block": blocks,
    "attributes": attributes,
    "shapes": shapes,
}
BESIDE: dict[str, tuple[str, Maker]] = {
    "drill": ("holes__drl", drills),
    "table": ("parts__csv", tables),
    "netlist": ("nets__ipc", netlists),
}


def members(each: int) -> Iterator[tuple[str, Files]]:
    """So many sets of every family that is brought in as a board."""
    for number in range(each):
        for name, make in LAYERS.items():
            chance = random.Random(f"{name} {number}")
            where = chance.choice(("copper__gbr", "mask__gbr", "paste__gbr", "print__gbr"))
            yield f"{name} {number}", board(**{where: make(chance)})
        for name, (file, make) in BESIDE.items():
            yield f"{name} {number}", board(**{file: make(random.Random(f"{name} {number}"))})
        yield f"archive {number}", archives(random.Random(f"archive {number}"))
