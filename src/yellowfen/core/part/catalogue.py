"""Packages by family, built from their dimensions, and the resolving of names found in the wild.

Chip sizes: EIA/IEC case codes (published). Lead pitches: package family drawings (published). Other
body dimensions, lands, conductances and heat capacities: from memory, registered below; a board's
own pads replace the lands wherever there are any.
"""

import re
from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache

from yellowfen.core.part.package import JointKind, Land, Package
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

_MEMORY = Mark.FROM_MEMORY
MOULDED = constant(
    "heat_moulded_body",
    2.0,
    "MJ/m³·K",
    mark=_MEMORY,
    source="epoxy with lead frame",
    affects="how slowly a moulded body warms",
)
CERAMIC = constant(
    "heat_ceramic_body",
    3.0,
    "MJ/m³·K",
    mark=_MEMORY,
    source="alumina or titanate ceramic",
    affects="how slowly a chip warms",
)
CAN = constant(
    "heat_can",
    1.8,
    "MJ/m³·K",
    mark=_MEMORY,
    source="aluminium, paper and electrolyte",
    affects="how slowly a can warms",
)
PLASTIC = constant(
    "heat_housing",
    1.6,
    "MJ/m³·K",
    mark=_MEMORY,
    source="glass-filled housing, part hollow",
    affects="how slowly a connector warms",
)
CHIP_W_K = constant(
    "chip_terminal",
    0.02,
    "W/K",
    mark=_MEMORY,
    source="ceramic between body centre and a wrapped end",
    affects="body of a chip",
)
GULL_W_K = constant(
    "gull_lead",
    0.010,
    "W/K",
    mark=_MEMORY,
    source="copper-alloy lead 0.4 x 0.15 mm, 1.5 mm long",
    affects="heat by leads, 1.27 mm pitch",
)
FINE_W_K = constant(
    "fine_gull_lead",
    0.004,
    "W/K",
    mark=_MEMORY,
    source="copper-alloy lead 0.22 x 0.13 mm, 1.2 mm long",
    affects="heat by fine leads",
)
TAB_W_K = constant(
    "tab",
    0.5,
    "W/K",
    mark=_MEMORY,
    source="copper slug under mould compound",
    affects="how the tab follows the body",
)
DIE_PAD_W_K = constant(
    "die_pad",
    0.06,
    "W/K",
    mark=_MEMORY,
    source="0.3 mm of mould compound over the die pad",
    affects="thermal pad against the body",
)
LEADLESS_W_K = constant(
    "leadless_terminal",
    0.006,
    "W/K",
    mark=_MEMORY,
    source="half-embedded terminal",
    affects="edge joints of leadless parts",
)
# Conductivity of a body between its air side and its leads, by what it is made of.
BODY_W_MK = {
    MOULDED: constant(
        "conductivity_moulded_body",
        0.8,
        "W/m·K",
        mark=_MEMORY,
        source="filled epoxy",
        affects="how far a body's shell runs ahead of its leads",
    ),
    CERAMIC: constant(
        "conductivity_ceramic_body",
        4.0,
        "W/m·K",
        mark=_MEMORY,
        source="titanate 3, alumina 25",
        affects="how far a chip's top runs ahead",
    ),
    CAN: constant(
        "conductivity_can",
        2.0,
        "W/m·K",
        mark=_MEMORY,
        source="wound foil and paper in aluminium",
        affects="how far a can's top runs ahead",
    ),
    PLASTIC: constant(
        "conductivity_housing",
        0.3,
        "W/m·K",
        mark=_MEMORY,
        source="glass-filled plastic",
        affects="how far a connector's shell runs ahead",
    ),
}
BODY_G_CM3 = {
    MOULDED: constant(
        "density_moulded_body",
        2.0,
        "g/cm³",
        mark=_MEMORY,
        source="filled epoxy 1.8 with its lead frame",
        affects="does a part hang underneath",
    ),
    CERAMIC: constant(
        "density_ceramic_body",
        4.5,
        "g/cm³",
        mark=_MEMORY,
        source="alumina 3.8, titanate 5.5",
        affects="does a chip hang or stand up",
    ),
    CAN: constant(
        "density_can",
        1.9,
        "g/cm³",
        mark=_MEMORY,
        source="wound foil, paper, electrolyte",
        affects="does a can hang underneath",
    ),
    PLASTIC: constant(
        "density_housing",
        1.5,
        "g/cm³",
        mark=_MEMORY,
        source="glass-filled plastic with contacts",
        affects="does a connector hang underneath",
    ),
}
LENS_W_MK = constant(
    "conductivity_lens",
    0.25,
    "W/m·K",
    mark=_MEMORY,
    source="clear epoxy or silicone, white plastic",
    affects="how far an LED's lens runs ahead",
)
LIMIT_MOULDED_THIN = constant(
    "limit_moulded_thin",
    260.0,
    "°C",
    mark=Mark.FROM_MEMORY,
    source="IPC/JEDEC J-STD-020 lead-free class, < 1.6 mm, as remembered",
    affects="stop time",
)
LIMIT_MOULDED_THICK = constant(
    "limit_moulded_thick",
    245.0,
    "°C",
    mark=Mark.FROM_MEMORY,
    source="IPC/JEDEC J-STD-020 lead-free class: > 2.5 mm from 350 mm³, 1.6 to 2.5 mm above 2000 mm³, as remembered",
    affects="stop time",
)
LIMIT_MOULDED_MIDDLE = constant(
    "limit_moulded_middle",
    250.0,
    "°C",
    mark=Mark.FROM_MEMORY,
    source="IPC/JEDEC J-STD-020 lead-free class: 1.6 to 2.5 mm at 350 to 2000 mm³, or > 2.5 mm below 350 mm³, as remembered",
    affects="stop time",
)
LIMIT_CERAMIC = constant(
    "limit_ceramic",
    270.0,
    "°C",
    mark=_MEMORY,
    source="ceramic chips stand reflow; the ramp hurts sooner",
    affects="stop time",
)
LIMIT_LED = constant(
    "limit_led",
    245.0,
    "°C",
    mark=_MEMORY,
    source="clear lenses stand 230 to 260 °C for 10 s",
    affects="LED stop time",
)
LIMIT_CAN = constant(
    "limit_can",
    235.0,
    "°C",
    mark=_MEMORY,
    source="aluminium cans 230 to 250 °C by size",
    affects="can stop time",
)
LIMIT_LCP = constant(
    "limit_lcp",
    260.0,
    "°C",
    mark=_MEMORY,
    source="LCP and high-temperature nylon 260 to 300",
    affects="connector stop time",
)
LIMIT_NYLON = constant(
    "limit_nylon",
    240.0,
    "°C",
    mark=_MEMORY,
    source="nylon 66 about 240",
    affects="connector stop time",
)
LIMIT_UNKNOWN_PLASTIC = constant(
    "limit_unknown_plastic",
    210.0,
    "°C",
    mark=_MEMORY,
    source="unknown housing counts as glass-filled PBT or worse",
    affects="connector stop time",
)

# Imperial code: (metric code, length, width) in mm [published: EIA/IEC case codes]; height from
# memory.
CHIP_SIZES = {
    "01005": ("0402", 0.4, 0.2, 0.15),
    "0201": ("0603", 0.6, 0.3, 0.25),
    "0402": ("1005", 1.0, 0.5, 0.4),
    "0603": ("1608", 1.6, 0.8, 0.6),
    "0805": ("2012", 2.0, 1.25, 0.8),
    "1206": ("3216", 3.2, 1.6, 0.9),
    "1210": ("3225", 3.2, 2.5, 1.2),
    "1812": ("4532", 4.5, 3.2, 1.5),
    "2010": ("5025", 5.0, 2.5, 0.7),
    "2512": ("6332", 6.3, 3.2, 0.7),
}


_BY_METRIC = {metric: code for code, (metric, *_) in CHIP_SIZES.items()}


def moulded_limit(height_mm: float, volume_mm3: float) -> tuple[float, str]:
    """Body limit of a moulded package by thickness and volume: (°C, why)."""
    why = "moulded body, lead-free class by thickness and volume (J-STD-020, as remembered)"
    if height_mm < 1.6:
        return LIMIT_MOULDED_THIN, why
    if height_mm <= 2.5:
        return (
            LIMIT_MOULDED_THIN
            if volume_mm3 < 350
            else LIMIT_MOULDED_MIDDLE
            if volume_mm3 <= 2000
            else LIMIT_MOULDED_THICK
        ), why
    return (LIMIT_MOULDED_MIDDLE if volume_mm3 < 350 else LIMIT_MOULDED_THICK), why


def _moulded(
    name: str,
    family: str,
    x: float,
    y: float,
    height: float,
    lands: tuple[Land, ...],
    lead: float,
    tab: float = TAB_W_K,
    gap: float = 0.1,
) -> Package:
    limit, why = moulded_limit(height, x * y * height)
    return Package(
        name=name,
        family=family,
        body_x_mm=x,
        body_y_mm=y,
        height_mm=height,
        gap_mm=gap,
        volumetric_heat_mj_m3k=MOULDED,
        lead_w_k=lead,
        tab_w_k=tab,
        limit_c=limit,
        limit_why=why,
        lands=lands,
        body_conductivity_w_mk=BODY_W_MK[MOULDED],
        density_g_cm3=BODY_G_CM3[MOULDED],
    )


def chip(code: str, led: bool = False) -> Package:
    """A two-terminal chip by imperial code; `led` for a chip LED (clear body, two-sided polarity)."""
    metric, length, width, height = CHIP_SIZES[code]
    pad = max(0.25 * length + 0.15, 0.2)
    offset = 0.5 * length + 0.05
    ceramic = Package(
        name=f"{code} (metric {metric})",
        family="chip",
        body_x_mm=length,
        body_y_mm=width,
        height_mm=height,
        gap_mm=0.03,
        volumetric_heat_mj_m3k=CERAMIC,
        lead_w_k=CHIP_W_K,
        tab_w_k=TAB_W_K,
        limit_c=LIMIT_CERAMIC,
        limit_why="ceramic chip",
        lands=tuple(
            Land(
                pin=pin,
                x_mm=sign * offset,
                y_mm=0.0,
                size_x_mm=pad,
                size_y_mm=width,
                kind=JointKind.CHIP,
            )
            for pin, sign in (("1", -1), ("2", 1))
        ),
        body_conductivity_w_mk=BODY_W_MK[CERAMIC],
        density_g_cm3=BODY_G_CM3[CERAMIC],
        has_pin_1=False,
    )
    return _clear(ceramic) if led else ceramic


def _clear(ceramic: Package) -> Package:
    """The chip LED of a ceramic chip's size."""
    return Package(
        name=f"LED {ceramic.name}",
        family="chip LED",
        body_x_mm=ceramic.body_x_mm,
        body_y_mm=ceramic.body_y_mm,
        height_mm=ceramic.height_mm,
        gap_mm=ceramic.gap_mm,
        volumetric_heat_mj_m3k=MOULDED,
        lead_w_k=CHIP_W_K / 2,
        tab_w_k=TAB_W_K,
        limit_c=LIMIT_LED,
        limit_why="clear lens of an LED",
        lands=ceramic.lands,
        body_conductivity_w_mk=LENS_W_MK,
        heat_shy=True,
    )


def dual_gull(
    name: str,
    pins: int,
    pitch: float,
    body: tuple[float, float, float],
    row: float,
    land: tuple[float, float],
    tab: tuple[float, float] | None = None,
) -> Package:
    """Gull-wing leads on two sides.

    `body` is (across the rows, along them, height); `row` centre to centre of the lands.

    Raises KeyError for counts of pins that no such package has.
    """
    if pins < 4 or pins % 2:
        raise KeyError(pins)
    half = pins // 2
    lands = []
    for index in range(half):
        along = ((half - 1) / 2 - index) * pitch
        lands.append(
            Land(
                pin=str(index + 1),
                x_mm=-row / 2,
                y_mm=along,
                size_x_mm=land[0],
                size_y_mm=land[1],
                kind=JointKind.GULL_WING,
            )
        )
        lands.append(
            Land(
                pin=str(pins - index),
                x_mm=row / 2,
                y_mm=along,
                size_x_mm=land[0],
                size_y_mm=land[1],
                kind=JointKind.GULL_WING,
            )
        )
    if tab:
        lands.append(
            Land(
                pin=str(pins + 1),
                x_mm=0.0,
                y_mm=0.0,
                size_x_mm=tab[0],
                size_y_mm=tab[1],
                kind=JointKind.THERMAL_PAD,
            )
        )
    lands.sort(key=lambda one: int(one.pin))
    lead = GULL_W_K if pitch > 0.7 else FINE_W_K
    return _moulded(name, name.split("-")[0], *body, lands=tuple(lands), lead=lead, tab=DIE_PAD_W_K)


def quad(
    name: str,
    pins: int,
    pitch: float,
    body: tuple[float, float],
    row: float,
    land: tuple[float, float],
    kind: JointKind,
    tab: float | None = None,
) -> Package:
    """Terminals on four sides, counted anticlockwise from the upper left. `body` is (edge, height).

    Raises KeyError for counts of pins that no such package has.
    """
    if pins < 8 or pins % 4:
        raise KeyError(pins)
    lands = _on_four_sides(pins // 4, pitch, row, land, kind)
    if tab:
        lands.append(_pad_beneath(str(pins + 1), tab))
    edge, height = body
    leadless = kind is JointKind.LEADLESS
    return _moulded(
        name,
        name.split("-")[0],
        edge,
        y=edge,
        height=height,
        lands=tuple(lands),
        lead=LEADLESS_W_K if leadless else FINE_W_K,
        tab=DIE_PAD_W_K,
        gap=0.05 if leadless else 0.1,
    )


def _on_four_sides(
    count: int, pitch: float, row: float, land: tuple[float, float], kind: JointKind
) -> list[Land]:
    """Lands in the order of their pins: each side is the one before, a quarter turn anticlockwise."""
    across, width = land
    lands = []
    for side, (c, s) in enumerate(((1, 0), (0, 1), (-1, 0), (0, -1))):
        for index in range(count):
            along = ((count - 1) / 2 - index) * pitch
            x, y = -row / 2, along
            lands.append(
                Land(
                    pin=str(side * count + index + 1),
                    x_mm=c * x - s * y,
                    y_mm=s * x + c * y,
                    size_x_mm=across if side % 2 == 0 else width,
                    size_y_mm=width if side % 2 == 0 else across,
                    kind=kind,
                )
            )
    return lands


def _pad_beneath(pin: str, edge: float) -> Land:
    return Land(
        pin=pin,
        x_mm=0.0,
        y_mm=0.0,
        size_x_mm=edge,
        size_y_mm=edge,
        kind=JointKind.THERMAL_PAD,
    )


def _soic(
    pins: int, wide: bool, across: float | None = None, along: float | None = None
) -> Package:
    """Small outline at 1.27 mm: 3.9 mm across, 7.5 from 20 leads on and where it is said, 13.3 with
    44 [from memory]; or as the name says.
    """
    across = across or (13.3 if pins >= 40 else 7.5 if wide or pins >= 20 else 3.9)
    row = across + (1.5 if across < 5.0 else 1.8)
    name = f"SOIC-{pins}{'W' if across >= 7.0 else '' if across < 5.0 else '_5.3'}"
    return dual_gull(
        name,
        pins,
        1.27,
        body=(
            across,
            along or 1.27 * (pins // 2 - 1) + 1.1,
            2.3 if across >= 7.0 else 1.5 if across < 5.0 else 1.9,
        ),
        row=row,
        land=(1.55, 0.6),
    )


# An exposed pad's share of the body where its name gives no size: 2.4 x 3.1 of 3.9 x 4.9 mm [from
# memory of drawings].
EXPOSED_SHARE = 0.62
MOST_PINS_OF_P = 20  # PSOP-44 and longer ones are plain bodies for memories [from memory]
_EXPOSED = re.compile(
    r"(?<![A-Z])H(?:T|V|S|M|L)*(?:SSOP|SOP|SOIC|SO|MSOP|QFP)(?![A-Z])|(?<![A-Z])P(?:SOP|SOIC|SO)[_ -]?(?P<p>\d+)"
    r"|(?<![A-Z])\d*E-?P(?:AD)?(?![A-Z])|POWER[_ -]?PAD|EXPOSED",
    re.IGNORECASE,
)
_EXPOSED_SIZE = re.compile(r"(?<!\d)EP_?(\d+(?:[.,]\d+)?)x(\d+(?:[.,]\d+)?)", re.IGNORECASE)


def with_exposed_pad(package: Package, size_mm: tuple[float, float] | None = None) -> Package:
    """A leaded package with a metal pad beneath its body, soldered to the board: the usual share of
    the body where no size is given. One that has such a pad already stays as it is.
    """
    if any(land.kind is not JointKind.GULL_WING for land in package.lands):
        return package
    x, y = size_mm or (EXPOSED_SHARE * package.body_x_mm, EXPOSED_SHARE * package.body_y_mm)
    tab = Land(
        pin=str(len(package.lands) + 1),
        x_mm=0.0,
        y_mm=0.0,
        size_x_mm=round(x, 2),
        size_y_mm=round(y, 2),
        kind=JointKind.THERMAL_PAD,
    )
    return replace(
        package,
        name=f"{package.name}-EP",
        lands=(*package.lands, tab),
        gap_mm=0.05,
        tab_w_k=DIE_PAD_W_K,
    )


def _exposed_as_named(package: Package, name: str) -> Package:
    """The package with an exposed pad where its name says that it has one."""
    said = _EXPOSED.search(name)
    if not said or len(package.lands) < 6 or (said["p"] and int(said["p"]) > MOST_PINS_OF_P):
        return package
    sizes = _EXPOSED_SIZE.search(name)
    return with_exposed_pad(
        package, (_sizes(*sizes.groups())[0], _sizes(*sizes.groups())[1]) if sizes else None
    )


J_GAP_MM = 0.6  # a J-lead stands its body well off the board [from memory: 0.51 mm at the least]


def _soj(pins: int) -> Package:
    """J-leads on two sides at 1.27 mm: body 7.6 mm across, 10.2 from 36 leads on; the lead's foot
    stands 0.4 mm inside the body's edge [from memory].
    """
    across = 10.2 if pins >= 36 else 7.6
    plain = dual_gull(
        f"SOJ-{pins}",
        pins,
        1.27,
        body=(across, 1.27 * (pins // 2 - 1) + 2.2, 3.4),
        row=across - 0.2,
        land=(2.0, 0.6),
    )
    lands = tuple(replace(land, kind=JointKind.J_LEAD) for land in plain.lands)
    return replace(plain, lands=lands, gap_mm=J_GAP_MM)


def _d2pak(leads: int) -> Package:
    """The large tab outline: leads on one side, the tab on the other [from memory of its drawing]."""
    pitch, places = (2.54, (1, 3)) if leads == 3 else (1.7, range(1, leads + 1))
    lands = [
        Land(
            pin=str(pin),
            x_mm=-8.2,
            y_mm=((leads + 1) / 2 - pin) * pitch,
            size_x_mm=3.2,
            size_y_mm=min(0.6 * pitch, 1.1),
            kind=JointKind.GULL_WING,
        )
        for pin in places
    ]
    tab = str(2 if leads == 3 else leads + 1)
    lands.append(
        Land(pin=tab, x_mm=2.3, y_mm=0.0, size_x_mm=9.0, size_y_mm=10.8, kind=JointKind.TAB)
    )
    return _moulded(
        f"TO-263-{leads}",
        "tab",
        9.2,
        y=10.1,
        height=4.4,
        lands=tuple(sorted(lands, key=lambda land: land.pin)),
        lead=GULL_W_K,
        tab=TAB_W_K,
    )


def _sizes(*texts: str) -> tuple[float, ...]:
    return tuple(float(text.replace(",", ".")) for text in texts)


def _tssop(pins: int, pitch: float = 0.65) -> Package:
    return dual_gull(
        f"TSSOP-{pins}",
        pins,
        pitch,
        body=(4.4, pitch * (pins // 2 - 1) + 0.65, 1.0),
        row=5.7,
        land=(1.3, 0.6 * pitch),
    )


def _ssop(pins: int) -> Package:
    """The wide shrink outline: body 5.3 mm across, 0.65 mm pitch [from memory of the outline's
    drawing].
    """
    return dual_gull(
        f"SSOP-{pins}",
        pins,
        0.65,
        body=(5.3, 0.65 * (pins // 2 - 1) + 1.7, 1.75),
        row=7.2,
        land=(1.6, 0.4),
    )


def _msop(pins: int) -> Package:
    pitch = 0.65 if pins <= 8 else 0.5
    return dual_gull(
        f"MSOP-{pins}", pins, pitch, body=(3.0, 3.0, 0.9), row=4.4, land=(1.3, 0.6 * pitch)
    )


_QFP_BODY = {
    32: (7.0, 0.8),
    44: (10.0, 0.8),
    48: (7.0, 0.5),
    64: (10.0, 0.5),
    100: (14.0, 0.5),
    144: (20.0, 0.5),
    208: (28.0, 0.5),
}


def _qfp(pins: int, thin: bool = False) -> Package:
    """Thin ones (L, T, V) are 1.4 mm high; the large old plastic ones 3.4 mm [from memory]."""
    if pins not in _QFP_BODY:
        raise KeyError(pins)
    edge, pitch = _QFP_BODY[pins]
    height = 3.4 if edge >= 28.0 and not thin else 1.4
    return quad(
        f"QFP-{pins}",
        pins,
        pitch,
        body=(edge, height),
        row=edge + 1.4,
        land=(1.5, 0.56 * pitch),
        kind=JointKind.GULL_WING,
    )


_QFN_WIDE = ((16, 4.0), (20, 5.0), (24, 5.0), (28, 6.0), (32, 7.0), (44, 8.0))


def _qfn(pins: int, edge: float | None = None) -> Package:
    """A square leadless body; without a size the usual one of its count: 3, 4, 5, 7, 9 mm for 16,
    24, 32, 48, 64 at 0.5 mm [from memory].
    """
    pitch = 0.65 if (pins, edge) in _QFN_WIDE else 0.5
    edge = edge or (4.0 if pins == 20 else pitch * (pins // 4) + 1.0)
    return quad(
        f"QFN-{pins}",
        pins,
        pitch,
        body=(edge, 0.85),
        row=edge - 0.15,
        land=(0.8, 0.52 * pitch),
        kind=JointKind.LEADLESS,
        tab=edge - 1.6,
    )


def _sot23(pins: int) -> Package:
    rows: dict[int, tuple[tuple[float, float, str], ...]] = {
        3: ((-1.0, 0.95, "1"), (-1.0, -0.95, "2"), (1.0, 0.0, "3"))
    }
    rows[5] = (
        (-1.25, 0.95, "1"),
        (-1.25, 0.0, "2"),
        (-1.25, -0.95, "3"),
        (1.25, -0.95, "4"),
        (1.25, 0.95, "5"),
    )
    rows[6] = (*rows[5][:4], (1.25, 0.0, "5"), (1.25, 0.95, "6"))
    lands = tuple(
        Land(
            pin=pin,
            x_mm=x,
            y_mm=y,
            size_x_mm=0.9,
            size_y_mm=0.65 if pins > 3 else 0.8,
            kind=JointKind.GULL_WING,
        )
        for x, y, pin in rows[pins]
    )
    return _moulded(
        "SOT-23" if pins == 3 else f"SOT-23-{pins}",
        "SOT",
        1.3 if pins == 3 else 1.6,
        y=2.9,
        height=1.0,
        lands=lands,
        lead=GULL_W_K,
    )


def _small_sot(pins: int) -> Package:
    """SOT-323 (three leads) and SOT-363 (six), body 2.0 x 1.25 mm."""
    spots = {
        3: ((-0.95, 0.65, "1"), (-0.95, -0.65, "2"), (0.95, 0.0, "3")),
        6: (
            (-0.95, 0.65, "1"),
            (-0.95, 0.0, "2"),
            (-0.95, -0.65, "3"),
            (0.95, -0.65, "4"),
            (0.95, 0.0, "5"),
            (0.95, 0.65, "6"),
        ),
    }
    lands = tuple(
        Land(pin=pin, x_mm=x, y_mm=y, size_x_mm=0.65, size_y_mm=0.4, kind=JointKind.GULL_WING)
        for x, y, pin in spots[pins]
    )
    return _moulded(
        "SOT-323" if pins == 3 else "SOT-363",
        "SOT",
        1.25,
        y=2.0,
        height=0.95,
        lands=lands,
        lead=FINE_W_K,
    )


def _flat_cable(pins: int, pitch: float) -> Package:
    return replace(
        connector(f"FLATCABLE-{pins}-{pitch:g}", pins, pitch, 4.5, 2.0),
        family="flat-cable connector",
        iron_only=True,
    )


def _sot223() -> Package:
    lands = [
        Land(
            pin=str(i + 1),
            x_mm=-3.1,
            y_mm=2.3 - 2.3 * i,
            size_x_mm=1.5,
            size_y_mm=1.0,
            kind=JointKind.GULL_WING,
        )
        for i in range(3)
    ]
    lands.append(
        Land(pin="4", x_mm=3.1, y_mm=0.0, size_x_mm=1.5, size_y_mm=3.3, kind=JointKind.TAB)
    )
    return _moulded(
        "SOT-223", "SOT", 3.5, y=6.5, height=1.6, lands=tuple(lands), lead=GULL_W_K, tab=0.05
    )


def _sot89() -> Package:
    lands = [
        Land(
            pin=str(i + 1),
            x_mm=-1.9,
            y_mm=1.5 - 1.5 * i,
            size_x_mm=1.2,
            size_y_mm=0.7,
            kind=JointKind.GULL_WING,
        )
        for i in (0, 2)
    ]
    lands.append(
        Land(pin="2", x_mm=0.3, y_mm=0.0, size_x_mm=3.6, size_y_mm=1.7, kind=JointKind.TAB)
    )
    return _moulded(
        "SOT-89",
        "SOT",
        2.5,
        y=4.5,
        height=1.5,
        lands=tuple(sorted(lands, key=lambda land: land.pin)),
        lead=GULL_W_K,
        tab=0.1,
    )


def _dpak() -> Package:
    lands = (
        Land(
            pin="1", x_mm=-5.0, y_mm=2.286, size_x_mm=2.4, size_y_mm=1.3, kind=JointKind.GULL_WING
        ),
        Land(pin="2", x_mm=1.4, y_mm=0.0, size_x_mm=6.2, size_y_mm=5.8, kind=JointKind.TAB),
        Land(
            pin="3", x_mm=-5.0, y_mm=-2.286, size_x_mm=2.4, size_y_mm=1.3, kind=JointKind.GULL_WING
        ),
    )
    return _moulded(
        "TO-252", "tab", 6.1, y=6.6, height=2.3, lands=lands, lead=GULL_W_K, tab=TAB_W_K
    )


def _can(diameter: float) -> Package:
    reach = diameter / 2 - 0.3
    lands = tuple(
        Land(
            pin=pin,
            x_mm=sign * reach,
            y_mm=0.0,
            size_x_mm=0.45 * diameter,
            size_y_mm=1.6,
            kind=JointKind.UNDER_BODY,
        )
        for pin, sign in (("1", -1), ("2", 1))
    )
    return Package(
        name=f"CAN-{diameter:g}",
        family="can",
        body_x_mm=diameter + 0.3,
        body_y_mm=diameter + 0.3,
        height_mm=diameter * 0.85 + 0.5,
        gap_mm=0.1,
        volumetric_heat_mj_m3k=CAN,
        lead_w_k=GULL_W_K,
        tab_w_k=TAB_W_K,
        limit_c=LIMIT_CAN,
        limit_why="aluminium can electrolytic",
        lands=lands,
        body_conductivity_w_mk=BODY_W_MK[CAN],
        density_g_cm3=BODY_G_CM3[CAN],
        heat_shy=True,
    )


def _plcc_led(pins: int, edge: float | None = None) -> Package:
    half = pins // 2
    edge = edge or (3.5 if pins <= 4 else 5.0)
    lands = []
    for index in range(half):
        along = ((half - 1) / 2 - index) * 1.7
        lands.append(
            Land(
                pin=str(index + 1),
                x_mm=-edge / 2 + 0.1,
                y_mm=along,
                size_x_mm=1.5,
                size_y_mm=1.0,
                kind=JointKind.GULL_WING,
            )
        )
        lands.append(
            Land(
                pin=str(pins - index),
                x_mm=edge / 2 - 0.1,
                y_mm=along,
                size_x_mm=1.5,
                size_y_mm=1.0,
                kind=JointKind.GULL_WING,
            )
        )
    lands.sort(key=lambda land: int(land.pin))
    return Package(
        name=f"PLED-{pins}",
        family="plastic LED",
        body_x_mm=edge,
        body_y_mm=2.8 if edge < 4.0 else edge,
        height_mm=1.8,
        gap_mm=0.05,
        volumetric_heat_mj_m3k=MOULDED,
        lead_w_k=GULL_W_K,
        tab_w_k=TAB_W_K,
        limit_c=LIMIT_LED,
        limit_why="plastic LED body and clear filling",
        lands=tuple(lands),
        body_conductivity_w_mk=LENS_W_MK,
        heat_shy=True,
    )


def connector(
    name: str, pins: int, pitch: float, depth: float = 5.0, height: float = 4.0
) -> Package:
    """A surface-mount connector of unknown plastic: one row of signal lands and two hold-down
    lands.
    """
    width = pitch * (pins - 1) + 5.0
    lands = [
        Land(
            pin=str(i + 1),
            x_mm=(i - (pins - 1) / 2) * pitch,
            y_mm=depth / 2 + 0.5,
            size_x_mm=0.55 * pitch,
            size_y_mm=1.8,
            kind=JointKind.GULL_WING,
        )
        for i in range(pins)
    ]
    lands += [
        Land(
            pin=f"H{i + 1}",
            x_mm=sign * (width / 2 - 0.6),
            y_mm=-depth / 4,
            size_x_mm=1.4,
            size_y_mm=2.2,
            kind=JointKind.GULL_WING,
        )
        for i, sign in enumerate((-1, 1))
    ]
    return Package(
        name=name,
        family="connector",
        body_x_mm=width,
        body_y_mm=depth,
        height_mm=height,
        gap_mm=0.1,
        volumetric_heat_mj_m3k=PLASTIC,
        lead_w_k=GULL_W_K,
        tab_w_k=TAB_W_K,
        limit_c=LIMIT_UNKNOWN_PLASTIC,
        limit_why="housing of unknown plastic (treated as PBT)",
        lands=tuple(lands),
        body_conductivity_w_mk=BODY_W_MK[PLASTIC],
        density_g_cm3=BODY_G_CM3[PLASTIC],
        heat_shy=True,
    )


def _header(rows: int, pins: int) -> Package:
    """A pin header at 2.54 mm: soldered in its holes, by iron, after everything else."""
    lands = tuple(
        Land(
            pin=str(rows * place + row + 1),
            x_mm=(row - (rows - 1) / 2) * 2.54,
            y_mm=((pins - 1) / 2 - place) * 2.54,
            size_x_mm=1.7,
            size_y_mm=1.7,
            kind=JointKind.THROUGH_HOLE,
        )
        for place in range(pins)
        for row in range(rows)
    )
    return _in_holes(f"HDR-{rows}x{pins}", "header", (2.54 * rows, 2.54 * pins, 8.5), lands)


def _axial(name: str, long: float, across: float, centres: float) -> Package:
    """A diode on wires, bent into its holes."""
    lands = tuple(
        Land(
            pin=pin,
            x_mm=sign * centres / 2,
            y_mm=0.0,
            size_x_mm=1.8,
            size_y_mm=1.8,
            kind=JointKind.THROUGH_HOLE,
        )
        for pin, sign in (("1", -1), ("2", 1))
    )
    return _in_holes(name, "diode", (long, across, across), lands)


def _in_holes(
    name: str, family: str, body: tuple[float, float, float], lands: tuple[Land, ...]
) -> Package:
    plastic = family == "header"
    return Package(
        name=name,
        family=family,
        body_x_mm=body[0],
        body_y_mm=body[1],
        height_mm=body[2],
        gap_mm=0.1,
        volumetric_heat_mj_m3k=PLASTIC if plastic else MOULDED,
        lead_w_k=GULL_W_K,
        tab_w_k=TAB_W_K,
        limit_c=LIMIT_UNKNOWN_PLASTIC if plastic else LIMIT_MOULDED_MIDDLE,
        limit_why="pins in holes: soldered by iron after the heat",
        lands=lands,
        body_conductivity_w_mk=BODY_W_MK[PLASTIC if plastic else MOULDED],
        density_g_cm3=BODY_G_CM3[PLASTIC if plastic else MOULDED],
        heat_shy=plastic,
        iron_only=True,
    )


def unknown_in_holes(lands: tuple[Land, ...]) -> Package:
    """A part known only by its pins' holes: body over their box, soldered by iron. Marked as
    guessed.
    """
    x, y = (
        max(2 * max(abs(at) + size / 2 for at, size in spans), 2.54)
        for spans in (
            [(land.x_mm, land.size_x_mm) for land in lands],
            [(land.y_mm, land.size_y_mm) for land in lands],
        )
    )
    return replace(_in_holes("unknown, pins in holes", "header", (x, y, 8.5), lands), guessed=True)


def _two_sided(
    name: str,
    family: str,
    body: tuple[float, float, float],
    centres: float,
    land: tuple[float, float],
    kind: JointKind,
    stuff: float,
    limit: tuple[float, str],
    shy: bool = False,
    iron_only: bool = False,
) -> Package:
    """A two-terminal body: `body` is (along the terminals, across, height), `centres` the distance
    of the land centres.
    """
    lands = tuple(
        Land(
            pin=pin,
            x_mm=sign * centres / 2,
            y_mm=0.0,
            size_x_mm=land[0],
            size_y_mm=land[1],
            kind=kind,
        )
        for pin, sign in (("1", -1), ("2", 1))
    )
    return Package(
        name=name,
        family=family,
        body_x_mm=body[0],
        body_y_mm=body[1],
        height_mm=body[2],
        gap_mm=0.05,
        volumetric_heat_mj_m3k=stuff,
        lead_w_k=GULL_W_K,
        tab_w_k=TAB_W_K,
        limit_c=limit[0],
        limit_why=limit[1],
        lands=lands,
        body_conductivity_w_mk=BODY_W_MK[stuff],
        density_g_cm3=BODY_G_CM3[stuff],
        heat_shy=shy,
        iron_only=iron_only,
    )


# Diode outlines (body along, across, height; land centres; land) and tantalum cases, mm [from
# memory: usual outlines].
_DIODES = {
    "SOD-123": (2.7, 1.6, 1.15, 3.3, (0.9, 1.2)),
    "SOD-323": (1.7, 1.25, 0.95, 2.2, (0.6, 0.8)),
    "SOD-523": (1.2, 0.8, 0.6, 1.5, (0.5, 0.6)),
    "SMA": (4.3, 2.6, 2.2, 4.2, (1.7, 1.8)),
    "SMB": (4.4, 3.6, 2.3, 4.4, (2.2, 2.3)),
    "SMC": (6.8, 5.9, 2.3, 6.9, (2.2, 3.3)),
    "MINIMELF": (3.5, 1.5, 1.5, 3.5, (1.3, 1.6)),
    "MELF": (5.2, 2.4, 2.4, 5.2, (1.6, 2.6)),
}
# Diodes on wires: body long, thick; holes apart, mm [from memory: usual outlines].
_AXIAL = {"35": (4.0, 1.9, 7.62), "41": (5.2, 2.7, 10.16), "201": (9.5, 5.3, 15.24)}
_TANTALUM = {
    "A": (3.2, 1.6, 1.6, 2.8, (1.6, 1.4)),
    "B": (3.5, 2.8, 1.9, 3.1, (1.6, 2.3)),
    "C": (6.0, 3.2, 2.5, 5.2, (2.3, 2.4)),
    "D": (7.3, 4.3, 2.8, 6.4, (2.4, 2.6)),
    "E": (7.3, 4.3, 4.1, 6.4, (2.4, 2.6)),
}
_TANTALUM_EIA = {"3216": "A", "3528": "B", "6032": "C", "7343": "D"}


def _diode(name: str) -> Package:
    along, across, height, centres, land = _DIODES[name]
    return _two_sided(
        name,
        "diode",
        (along, across, height),
        centres=centres,
        land=land,
        kind=JointKind.GULL_WING,
        stuff=MOULDED,
        limit=moulded_limit(height, along * across * height),
    )


def _tantalum(case: str) -> Package:
    along, across, height, centres, land = _TANTALUM[case]
    return _two_sided(
        f"TANTALUM-{case}",
        "tantalum",
        (along, across, height),
        centres=centres,
        land=land,
        kind=JointKind.UNDER_BODY,
        stuff=MOULDED,
        limit=moulded_limit(height, along * across * height),
    )


def _inductor(edge: float, height: float | None = None) -> Package:
    """A shielded square inductor: lands at two sides, mostly beneath the body."""
    return _two_sided(
        f"IND-{edge:g}",
        "inductor",
        (edge, edge, height or max(0.5 * edge, 1.0)),
        centres=0.72 * edge,
        land=(0.32 * edge, 0.85 * edge),
        kind=JointKind.UNDER_BODY,
        stuff=CERAMIC,
        limit=(LIMIT_CERAMIC, "ferrite and enamelled wire"),
    )


def _crystal(x: float, y: float) -> Package:
    """A four-land crystal in a ceramic case with a metal lid."""
    lands = tuple(
        Land(
            pin=pin,
            x_mm=sx * 0.34 * x,
            y_mm=sy * 0.32 * y,
            size_x_mm=0.38 * x,
            size_y_mm=0.4 * y,
            kind=JointKind.UNDER_BODY,
        )
        for pin, sx, sy in (("1", -1, -1), ("2", 1, -1), ("3", 1, 1), ("4", -1, 1))
    )
    return Package(
        name=f"XTAL-{x:g}x{y:g}",
        family="crystal",
        body_x_mm=x,
        body_y_mm=y,
        height_mm=0.8,
        gap_mm=0.03,
        volumetric_heat_mj_m3k=CERAMIC,
        lead_w_k=CHIP_W_K,
        tab_w_k=TAB_W_K,
        limit_c=LIMIT_CERAMIC,
        limit_why="ceramic crystal case",
        lands=lands,
        body_conductivity_w_mk=BODY_W_MK[CERAMIC],
        density_g_cm3=BODY_G_CM3[CERAMIC],
    )


# Arrays of chips side by side: pitch, length and height, land length and width, and how far the
# lands' middles stand off the middle, mm; from memory of usual land patterns.
_ARRAYS = {"0402": (0.5, 1.0, 0.4, 0.5, 0.3, 0.5), "0603": (0.8, 1.6, 0.5, 0.9, 0.45, 0.85)}


def _chip_array(count: int, code: str) -> Package:
    """A resistor or capacitor array: `count` (2 to 8) chips side by side, terminals on both long
    sides.
    """
    if not 2 <= count <= 8:
        raise KeyError(count)
    pitch, length, height, *pad, offset = _ARRAYS[code]
    return _terminals(
        f"ARRAY-{count}x{code}",
        "chip array",
        (length, pitch * count, height),
        pads=(count, pitch, offset),
        land=(pad[0], pad[1]),
    )


def _common_mode_choke() -> Package:
    """A common-mode choke of 2.0 x 1.2 mm: two windings, two terminals on either end [from memory]."""
    return _terminals(
        "CHOKE-2012", "inductor", (2.0, 1.2, 1.2), pads=(2, 0.8, 0.85), land=(0.9, 0.4)
    )


def _terminals(
    name: str,
    family: str,
    body: tuple[float, float, float],
    pads: tuple[int, float, float],
    land: tuple[float, float],
) -> Package:
    """A ceramic body with end terminals in two rows, numbered round from the upper left: `pads` are
    how many in a row, their pitch, and how far from the middle the rows stand.
    """
    count, pitch, offset = pads
    lands = [
        Land(
            pin=str(index + 1 if sign < 0 else 2 * count - index),
            x_mm=sign * offset,
            y_mm=((count - 1) / 2 - index) * pitch,
            size_x_mm=land[0],
            size_y_mm=land[1],
            kind=JointKind.CHIP,
        )
        for index in range(count)
        for sign in (-1, 1)
    ]
    return Package(
        name=name,
        family=family,
        body_x_mm=body[0],
        body_y_mm=body[1],
        height_mm=body[2],
        gap_mm=0.03,
        volumetric_heat_mj_m3k=CERAMIC,
        lead_w_k=CHIP_W_K,
        tab_w_k=TAB_W_K,
        limit_c=LIMIT_CERAMIC,
        limit_why="ceramic body with end terminals",
        lands=tuple(sorted(lands, key=lambda one: int(one.pin))),
        body_conductivity_w_mk=BODY_W_MK[CERAMIC],
        density_g_cm3=BODY_G_CM3[CERAMIC],
        has_pin_1=False,
    )


def _plcc(pins: int) -> Package:
    """A J-lead carrier: pin 1 in the middle of the upper side, counted anticlockwise."""
    if pins not in (20, 28, 44, 52, 68, 84):
        raise KeyError(pins)
    side = pins // 4
    edge = 1.27 * (side - 1) + 3.9
    square = quad(
        f"PLCC-{pins}",
        side * 4,
        1.27,
        body=(edge, 3.8),
        row=edge + 0.2,
        land=(1.9, 0.6),
        kind=JointKind.J_LEAD,
    )
    turn = (
        side // 2
    )  # quad counts from the upper left down; pin 1 of a carrier stands in the middle of the upper side
    order = sorted(square.lands, key=lambda land: int(land.pin))
    shifted = order[-side:] + order[:-side]
    lands = tuple(
        replace(land, pin=str(number))
        for number, land in enumerate(shifted[turn:] + shifted[:turn], 1)
    )
    return replace(square, family="PLCC", lands=lands, gap_mm=J_GAP_MM)


def _ball_grid(pins: int, pitch: float) -> Package:
    edge_pins = max(2, round(pins**0.5))
    if edge_pins**2 != pins or pins > 400:
        raise KeyError(pins)
    letters = "ABCDEFGHJKLMNPRTUVWY"
    lands = tuple(
        Land(
            pin=f"{letters[row]}{column + 1}",
            x_mm=(column - (edge_pins - 1) / 2) * pitch,
            y_mm=((edge_pins - 1) / 2 - row) * pitch,
            size_x_mm=0.5 * pitch,
            size_y_mm=0.5 * pitch,
            kind=JointKind.BALL,
        )
        for row in range(edge_pins)
        for column in range(edge_pins)
    )
    edge = edge_pins * pitch + 0.6
    return _moulded(
        f"BGA-{pins}",
        "BGA",
        edge,
        y=edge,
        height=1.2,
        lands=lands,
        lead=LEADLESS_W_K,
        tab=DIE_PAD_W_K,
        gap=0.3,
    )


def _dfn(pins: int, x: float, y: float, pitch: float) -> Package:
    """Leadless, two rows, thermal pad between them."""
    package = dual_gull(
        f"DFN-{pins}",
        pins,
        pitch,
        body=(x, y, 0.85),
        row=x - 0.1,
        land=(0.75, 0.55 * pitch),
        tab=(0.45 * x, 0.75 * y),
    )
    lands = tuple(
        replace(land, kind=JointKind.LEADLESS) if land.kind is JointKind.GULL_WING else land
        for land in package.lands
    )
    return replace(package, lands=lands, gap_mm=0.05, lead_w_k=LEADLESS_W_K)


def _tsop2(pins: int) -> Package:
    return dual_gull(
        f"TSOP2-{pins}",
        pins,
        0.8,
        body=(10.16, 0.8 * (pins // 2 - 1) + 1.6, 1.0),
        row=11.4,
        land=(1.4, 0.45),
    )


def _switch() -> Package:
    """A four-leg tact switch, 6 x 6 mm."""
    lands = tuple(
        Land(
            pin=pin,
            x_mm=sx * 4.4,
            y_mm=sy * 2.25,
            size_x_mm=1.6,
            size_y_mm=1.4,
            kind=JointKind.GULL_WING,
        )
        for pin, sx, sy in (("1", -1, 1), ("2", 1, 1), ("3", -1, -1), ("4", 1, -1))
    )
    return Package(
        name="SWITCH-6x6",
        family="switch",
        body_x_mm=6.0,
        body_y_mm=6.0,
        height_mm=4.0,
        gap_mm=0.1,
        volumetric_heat_mj_m3k=PLASTIC,
        lead_w_k=GULL_W_K,
        tab_w_k=TAB_W_K,
        limit_c=LIMIT_UNKNOWN_PLASTIC,
        limit_why="tact switch of unknown housing: by iron; some are made for reflow, and then low air is enough",
        lands=lands,
        body_conductivity_w_mk=BODY_W_MK[PLASTIC],
        density_g_cm3=BODY_G_CM3[PLASTIC],
        has_pin_1=False,
        heat_shy=True,
        iron_only=True,
    )


def _module(x: float, y: float, pins: int) -> Package:
    """A radio module: terminals half-open at three edges, a shield can on top."""
    side = max(2, pins // 3)
    pitch = min(1.27, (y - 4.0) / max(side - 1, 1))
    lands = []
    for index in range(side):
        along = ((side - 1) / 2 - index) * pitch
        lands.append(
            Land(
                pin=str(index + 1),
                x_mm=-x / 2 + 0.2,
                y_mm=along,
                size_x_mm=1.5,
                size_y_mm=0.6 * pitch,
                kind=JointKind.LEADLESS,
            )
        )
        lands.append(
            Land(
                pin=str(2 * side - index),
                x_mm=x / 2 - 0.2,
                y_mm=along,
                size_x_mm=1.5,
                size_y_mm=0.6 * pitch,
                kind=JointKind.LEADLESS,
            )
        )
    return Package(
        name=f"MODULE-{x:g}x{y:g}",
        family="module",
        body_x_mm=x,
        body_y_mm=y,
        height_mm=3.0,
        gap_mm=0.05,
        volumetric_heat_mj_m3k=CERAMIC,
        lead_w_k=LEADLESS_W_K,
        tab_w_k=TAB_W_K,
        limit_c=LIMIT_MOULDED_THICK,
        limit_why="shield can over small parts: they may slip inside",
        lands=tuple(sorted(lands, key=lambda land: int(land.pin))),
        body_conductivity_w_mk=BODY_W_MK[CERAMIC],
        density_g_cm3=1.6,
    )


def _usb(kind: str) -> Package:
    pins, pitch = (5, 0.65) if kind == "micro" else (12, 0.5)
    return replace(
        connector(f"USB-{kind}", pins, pitch, 5.6, 2.6 if kind == "micro" else 3.2),
        family="USB socket",
    )


_GRID_FROM = 4  # lands within the outer ones


def _hidden_within(lands: tuple[Land, ...]) -> tuple[Land, ...]:
    """Lands of a part that nothing is known of, by where they lie: leads, unless they lie inside."""
    if len(lands) < 5 or any(land.kind is not JointKind.GULL_WING for land in lands):
        return lands
    xs, ys = [land.x_mm for land in lands], [land.y_mm for land in lands]
    slack = 0.6 * min(min(land.size_x_mm, land.size_y_mm) for land in lands) + 0.05
    edges = (min(xs) + slack, max(xs) - slack, min(ys) + slack, max(ys) - slack)
    inside = [
        land
        for land in lands
        if edges[0] < land.x_mm < edges[1] and edges[2] < land.y_mm < edges[3]
    ]
    usual = sorted(land.area_mm2 for land in lands)[len(lands) // 2]
    beneath = {land.pin for land in inside if land.area_mm2 > 3 * usual}
    if len(inside) - len(beneath) >= _GRID_FROM:
        return tuple(replace(land, kind=JointKind.BALL) for land in lands)
    return tuple(
        replace(land, kind=JointKind.THERMAL_PAD if land.pin in beneath else land.kind)
        for land in lands
    )


def unknown_body(
    lands: tuple[Land, ...], height_mm: float = 1.0, over: tuple[Land, ...] = ()
) -> Package:
    """A package known only by its pads: body over their box and over that of further lands (`over`:
    pegs and tabs in holes), moulded plastic guessed.

    Marked as guessed. What lies within the outer lands is hidden: of many such the whole is a grid
    that no iron and no eye reaches, one much larger than the rest is a pad beneath.
    """
    lands = _hidden_within(lands)
    reach_x = max(abs(land.x_mm) + land.size_x_mm / 2 for land in (*lands, *over))
    reach_y = max(abs(land.y_mm) + land.size_y_mm / 2 for land in (*lands, *over))
    x, y = max(1.5 * reach_x, 0.4), max(1.5 * reach_y, 0.3)
    limit, why = moulded_limit(height_mm, x * y * height_mm)
    return Package(
        name="unknown",
        family="unknown",
        body_x_mm=x,
        body_y_mm=y,
        height_mm=min(height_mm, 0.6 * max(x, y)),
        gap_mm=0.1,
        volumetric_heat_mj_m3k=MOULDED,
        lead_w_k=FINE_W_K,
        tab_w_k=DIE_PAD_W_K,
        limit_c=limit,
        limit_why=f"{why}; body guessed from its pads",
        lands=lands,
        body_conductivity_w_mk=BODY_W_MK[MOULDED],
        guessed=True,
    )


_Builder = Callable[[re.Match[str]], Package]
_RULES: tuple[tuple[re.Pattern[str], _Builder], ...] = tuple(
    (re.compile(pattern, re.IGNORECASE), build)
    for pattern, build in (
        (r"\bLED[_ -]*(?:D_)?(0402|0603|0805|1206)(?!\d)", lambda m: chip(m[1], led=True)),
        (
            r"(?:PLED|LED|PLCC).*5050",
            lambda m: _plcc_led(6 if re.search(r"[_ -]6(?!\d)", m.string) else 4, 5.0),
        ),
        (
            r"^(?:PLED)[_ -]?([46])\b.*|LED.*(?:PLCC|3528)[_ -]?([46])?",
            lambda m: _plcc_led(int(m[1] or m[2] or 4)),
        ),
        (r"^PLCC[_ -]?([46])\b.*", lambda m: _plcc_led(int(m[1]))),
        (r"PLCC[_ -]?(\d+)", lambda m: _plcc(int(m[1]))),
        (r"^(?:CP?_Elec|CAN|CAP[_ -]?CAN|ECAP)[_ -]*(\d+(?:\.\d+)?)", lambda m: _can(float(m[1]))),
        (
            r"(?:TANT\w*|CP|EIA)[_ -](?:.*?)(3216|3528|6032|7343)(?:[_ -]\d+)?",
            lambda m: _tantalum(_TANTALUM_EIA[m[1]]),
        ),
        (r"TANT\w*[_ -](?:CASE[_ -]?)?([A-E])\b", lambda m: _tantalum(m[1].upper())),
        (r"(MINIMELF|MELF)", lambda m: _diode(m[1].upper())),
        (r"\b(?:D_)?(SMA|SMB|SMC)\b(?!_)", lambda m: _diode(m[1].upper())),
        (r"^D_(SMA|SMB|SMC)", lambda m: _diode(m[1].upper())),
        (r"SOD[_ -]?(123|323|523)", lambda m: _diode(f"SOD-{m[1]}")),
        (
            r"(?:ARRAY|NETWORK)\D*(\d+)x(0402|0603)(?!\d)",
            lambda m: _chip_array(int(m[1]), m[2]),
        ),
        (r"(?:CHOKE|COMMON[_ -]?MODE).*2012", lambda m: _common_mode_choke()),
        (
            r"^(?:IND|L)[_ -](?:.*?)(\d+(?:\.\d+)?)x\d+(?:\.\d+)?(?:_H(\d+(?:\.\d+)?))?",
            lambda m: _inductor(float(m[1]), float(m[2]) if m[2] else None),
        ),
        (r"^IND[_ -](\d+(?:\.\d+)?)$", lambda m: _inductor(float(m[1]))),
        (
            r"(?:XTAL|CRYSTAL|OSC).*?(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)",
            lambda m: _crystal(float(m[1]), float(m[2])),
        ),
        (
            r"(?:XTAL|CRYSTAL).*?(2016|2520|3225|5032)",
            lambda m: _crystal(int(m[1][:2]) / 10, int(m[1][2:]) / 10),
        ),
        (r"TSOP[_ -]?(?:II|2)[_ -]?(\d+)", lambda m: _tsop2(int(m[1]))),
        (r"(?<![A-Z])SSOP[_ -]?(\d+)(?!.*4[.,]4)", lambda m: _ssop(int(m[1]))),
        (r"(?<!V)(?:T|S|HT)?SSOP[_ -]?(\d+)", lambda m: _tssop(int(m[1]))),
        (r"(?:MSOP|VSSOP|USOP|U?MAX)[_ -]?(\d+)", lambda m: _msop(int(m[1]))),
        (r"(?<![A-Z])(?:P|H)(?:SOP|SOIC|SO)[_ -]?(\d+)", lambda m: _soic(int(m[1]), False)),
        (r"SOJ[_ -]?(\d+)", lambda m: _soj(int(m[1]))),
        (
            r"(?:^|[_ -])(?:SOIC|SOP|SO)[_ -]?(\d+)(?:[_ -]?(W(?:IDE)?\b)|.*?(\d+[.,]\d+)x(\d+(?:[.,]\d+)?))?",
            lambda m: _soic(int(m[1]), bool(m[2]), *(_sizes(m[3], m[4]) if m[3] else ())),
        ),
        (r"(L|T|V|P)?QFP[_ -]?(\d+)", lambda m: _qfp(int(m[2]), (m[1] or "P").upper() != "P")),
        (
            r"(?:V|U|W|T|H)?QFN[_ -]?(\d+)(?:.*?(\d+(?:\.\d+)?)x\d)?|MLF[_ -]?(\d+)",
            lambda m: _qfn(int(m[1] or m[3]), float(m[2]) if m[2] else None),
        ),
        (
            r"(?:V|U|W|T)?(?:DFN|SON)[_ -]?(\d+)(?:.*?(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?))?(?:.*?P(0?\.\d+))?",
            lambda m: _dfn(int(m[1]), float(m[2] or 3), float(m[3] or 3), float(m[4] or 0.5)),
        ),
        (r"BGA[_ -]?(\d+)(?:.*?P(0?\.\d+))?", lambda m: _ball_grid(int(m[1]), float(m[2] or 0.8))),
        (r"SOT[_ -]?23[_ -]?([56])(?!\d)", lambda m: _sot23(int(m[1]))),
        (
            r"SOT[_ -]?(?:363|323)|SC[_ -]?88(?!A)|SC[_ -]?70(?:[_ -]?([36]))?(?![_ -]?\d)",
            lambda m: _small_sot(6 if "363" in m[0] or "88" in m[0] or m[1] == "6" else 3),
        ),
        (r"SOT[_ -]?223", lambda m: _sot223()),
        (r"SOT[_ -]?89", lambda m: _sot89()),
        (r"SOT[_ -]?23(?:[_ -]?3)?(?![_ -]?\d)", lambda m: _sot23(3)),
        (
            r"TO[_ -]?263(?:[_ -]?([3-7]))?|D2[_ -]?PAK(?:[_ -]?([3-7]))?",
            lambda m: _d2pak(int(m[1] or m[2] or 3)),
        ),
        (r"TO[_ -]?252|D[_ -]?PAK", lambda m: _dpak()),
        (
            r"^CONN[_ -]?(\d+)[_ -](?:P)?(\d+(?:\.\d+)?)",
            lambda m: connector(f"CONN-{m[1]}-{m[2]}", int(m[1]), float(m[2])),
        ),
        (
            r"(?:FFC|FPC|FLATCABLE|FLAT[_ -]CABLE).*?(\d{1,2})(?:P|PIN|[_ -]|$)(?:.*?(0\.5|1\.0|0\.3))?",
            lambda m: _flat_cable(int(m[1]), float(m[2] or 0.5)),
        ),
        (
            r"(?:HDR|HEADER|PIN[_ -]?HEADER|PIN[_ -]?SOCKET)[_ -]*([12])x0?(\d{1,2})(?!\d)",
            lambda m: _header(int(m[1]), int(m[2])),
        ),
        (
            r"DO[_ -]?(35|41|201)(?!\d)",
            lambda m: _axial(f"DO-{m[1]}", *_AXIAL[m[1]]),
        ),
        (r"USB[_ -]?(?:(?:MICRO|MINI)|.*(?:MICRO|MINI))", lambda m: _usb("micro")),
        (r"USB[_ -]?.*\bC\b|USB[_ -]?C|TYPE[_ -]?C", lambda m: _usb("C")),
        (r"(?:SW|SWITCH|TACT|BUTTON)[_ -].*6x6|^SWITCH|^TACT", lambda m: _switch()),
        (
            r"(?:MODULE|RF|WROOM)[_ -].*?(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)",
            lambda m: _module(float(m[1]), float(m[2]), 38),
        ),
        (
            r"^(?!.*(?:ARRAY|NETWORK)).*?(01005|0201|0402|0603|0805|1206|1210|1812|2010|2512)(?!\d|[_ -]?metric)",
            lambda m: chip(m[1]),
        ),
        (
            r"^(?!.*(?:ARRAY|NETWORK)).*?(?<!\d)(0402|0603|1005|1608|2012|3216|3225|4532|5025|6332)(?!\d)",
            lambda m: chip(_BY_METRIC[m[1]]),
        ),
    )
)


# Plastics of housings: limit °C and what is said of it [from memory: handbook's classes].
HOUSINGS = {
    "LCP": (LIMIT_LCP, "housing of liquid-crystal polymer, made for reflow"),
    "NYLON": (LIMIT_NYLON, "housing of nylon 66"),
    "PBT": (LIMIT_UNKNOWN_PLASTIC, "housing of glass-filled PBT"),
}
_HOUSING = re.compile(r"[\s_-]+(LCP|NYLON|PBT)$", re.IGNORECASE)
_HOUSED = ("connector", "USB socket", "flat-cable connector", "switch")


def housed(package: Package, housing: str) -> Package:
    """A connector or switch whose housing is known; one made for reflow is no longer kept for the
    iron. Raises KeyError for other plastics.
    """
    limit, why = HOUSINGS[housing.upper()]
    reflows = limit >= LIMIT_LCP
    return replace(
        package,
        name=f"{package.name} {housing.upper()}",
        limit_c=limit,
        limit_why=why,
        heat_shy=not reflows,
        iron_only=package.iron_only and not reflows,
    )


def housing_of(package: Package) -> str | None:
    """The named plastic of a connector or switch of the catalogue, "" while it is unknown, None for
    other parts.
    """
    if package.family not in _HOUSED or find_package(package.name) is None:
        return None
    named = _HOUSING.search(package.name)
    return named[1].upper() if named else ""


def named_with_housing(name: str, housing: str) -> str:
    """A package's name with a housing behind it, in place of one that stood there; "" takes it
    away. Raises InvalidValue for other plastics.
    """
    if housing and housing.upper() not in HOUSINGS:
        raise InvalidValue(
            "housing", f"{housing!r} is none of {', '.join(HOUSINGS)}; leave it unknown"
        )
    plain = _HOUSING.sub("", name.strip())
    return f"{plain} {housing.upper()}" if housing else plain


_NO_COUNT = re.compile(
    r"[1-9]\d{4}"
)  # more pins or millimetres than any part has: not to be laid out


@lru_cache(maxsize=512)
def find_package(name: str) -> Package | None:
    """The package a name found in the wild stands for, or None.

    A bare chip code is taken as imperial; `candidates` gives both readings, to be settled by the
    pads. A housing named behind a connector or switch (LCP, nylon, PBT) sets its limit.
    """
    named = _HOUSING.search(name.strip())
    if named:
        inner = find_package(name.strip()[: named.start()])
        return housed(inner, named[1]) if inner is not None and inner.family in _HOUSED else inner
    plain = name.rsplit(":", 1)[-1].strip()
    for pattern, build in _RULES:
        match = pattern.search(plain)
        if match and not any(_NO_COUNT.search(group or "") for group in match.groups()):
            try:
                package = build(match)
            except (KeyError, ValueError, ZeroDivisionError):
                continue
            if 0 < len(package.lands) <= 400 and package.body_x_mm < 60:
                return _exposed_as_named(replace(package), plain)
    return None


_BARE = re.compile(r"(?<!\d)(0402|0603)(?!\d)")


def candidates(name: str) -> tuple[Package, ...]:
    """What a name may stand for: one package, both readings of a code that is imperial and metric,
    or nothing.
    """
    first = find_package(name)
    if first is None:
        return ()
    if first.family == "SSOP" and not re.search(r"5[.,]3", name):
        return first, _tssop(len(first.lands))
    bare = _BARE.search(name)
    if (
        bare
        and first.family in ("chip", "chip LED")
        and not re.search(r"metric|_\d{4}(?!\d)", name, re.IGNORECASE)
    ):
        other = chip(_BY_METRIC[bare[1]], led=first.family == "chip LED")
        if other.name != first.name:
            return first, other
    return (first,)


def package_named(name: str, field: str = "package") -> Package:
    """The package of that name; raises InvalidValue with an example of names that are known."""
    package = find_package(name)
    if package is None:
        raise InvalidValue(
            field,
            f"no package is known as {name!r}; try a name such as 0603, SOIC-8, TSSOP-20, QFP-48 or QFN-20",
        )
    return package


# Packages to pick from when a patch is sketched, commonest first, by family.
PALETTE: dict[str, tuple[str, ...]] = {
    "chips": ("0402", "0603", "0805", "1206", "LED_0603", "LED_0805", "0201", "1210", "2512"),
    "small": (
        "SOT-23",
        "SOT-23-5",
        "SOT-23-6",
        "SOT-223",
        "SOT-89",
        "SOT-363",
        "TO-252",
        "SOD-123",
        "SOD-323",
        "SMA",
        "SMB",
    ),
    "leads": (
        "SOIC-8",
        "SOIC-14",
        "SOIC-16",
        "SOIC-16W",
        "TSSOP-16",
        "TSSOP-20",
        "MSOP-8",
        "MSOP-10",
        "QFP-32",
        "QFP-44",
        "QFP-48",
        "QFP-64",
        "QFP-100",
        "PLCC-44",
    ),
    "leadless": (
        "QFN-16_3x3",
        "QFN-20_4x4",
        "QFN-24_4x4",
        "QFN-32_5x5",
        "QFN-48_7x7",
        "DFN-8_3x3",
        "BGA-64",
        "MODULE-18x20",
    ),
    "heat-sensitive": (
        "CAN-5",
        "CAN-6.3",
        "CAN-8",
        "PLED-4",
        "CONN-4-1.25",
        "CONN-8-1.25",
        "FLATCABLE-12-0.5",
        "USB-micro",
        "USB-C",
        "SWITCH-6x6",
    ),
    "others": (
        "TANTALUM-A",
        "TANTALUM-B",
        "TANTALUM-D",
        "IND-4",
        "IND-6",
        "XTAL-3.2x2.5",
        "XTAL-5x3.2",
        "ARRAY-4x0402",
        "ARRAY-4x0603",
        "CHOKE-2012",
    ),
}
