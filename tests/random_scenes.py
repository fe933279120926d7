"""Seeded random boards and heats, thin and thick, to find what examples miss; and how far a run
lies from a quarter of its step.
"""

from dataclasses import dataclass, replace

import numpy as np

from yellowfen.core.heat.rehearsal import (
    COARSE,
    FINE,
    QUICK,
    Prepared,
    Rehearsal,
    Resolution,
    _result,
    advance,
    first_state,
    prepare,
)
from yellowfen.core.heat.scene import (
    BoardStack,
    CopperLayer,
    Deed,
    Move,
    NozzlePath,
    PlacedPart,
    Scene,
    Side,
    Underside,
    Via,
)
from yellowfen.core.heat.source import Control, HotAir, HotPlate, Iron, Oven, Preheater
from yellowfen.core.part.catalogue import package_named

PACKAGES = (
    "0201",
    "0402",
    "0603",
    "1206",
    "SOT-23",
    "SOT-23-6",
    "SOIC-8",
    "TSSOP-20",
    "QFN-16",
    "DPAK",
    "PLCC-44",
    "QFP-48",
)
THICKNESSES_MM = (0.2, 0.3, 0.4, 0.5, 0.6, 0.8, 1.0, 1.6, 2.4, 3.2)
FOILS_UM = (9.0, 18.0, 35.0, 70.0, 105.0)
GRIDS: dict[str, Resolution] = {"fine": FINE, "quick": QUICK, "coarse": COARSE}


@dataclass(frozen=True)
class Case:
    """A random scene, the grid it is for, and its number."""

    number: int
    grid: str
    scene: Scene


def case(number: int) -> Case:
    """The random case of that number; the same every time."""
    chance = np.random.default_rng(number)
    width, height = chance.uniform(15, 26, 2).round(1)
    board = BoardStack(
        width_mm=float(width),
        height_mm=float(height),
        thickness_mm=float(chance.choice(THICKNESSES_MM)),
        copper=_copper(chance),
        underside=Underside(chance.choice(list(Underside))),
        vias=_vias(chance, width, height),
    )
    parts = _parts(chance, board)
    targets = tuple(part.ref for part in parts if part.side is Side.TOP)[
        : int(chance.integers(1, 3))
    ]
    source, moves, preheater = _heat(chance, targets, parts)
    scene = Scene(
        board=board,
        parts=parts,
        source=source,
        moves=moves,
        targets=targets,
        ambient_c=float(chance.uniform(10, 35)),
        preheater=preheater,
    )
    return Case(number, str(chance.choice(list(GRIDS))), scene)


def _copper(chance: np.random.Generator) -> tuple[CopperLayer, ...]:
    count = int(chance.choice([2, 4, 6, 8, 10]))
    foils = []
    for index in range(count):
        depth = index / (count - 1)
        kind = chance.integers(0, 3)
        cover = (
            1.0
            if kind == 0
            else float(chance.uniform(0, 1))
            if kind == 1
            else (chance.random((14, 12)) < chance.uniform(0.2, 0.9)).astype(float)
        )
        foils.append(
            CopperLayer(
                layer=f"layer {index + 1}",
                coverage=cover,
                thickness_um=float(chance.choice(FOILS_UM)),
                depth=depth,
            )
        )
    return tuple(foils)


def _vias(chance: np.random.Generator, width: float, height: float) -> tuple[Via, ...]:
    count = int(chance.choice([0, 5, 40, 150]))
    xs, ys = chance.uniform(1, width - 1, count), chance.uniform(1, height - 1, count)
    if count == 40:  # in a bundle, as beneath a thermal pad
        xs, ys = width / 2 + chance.uniform(-2, 2, count), height / 2 + chance.uniform(-2, 2, count)
    return tuple(
        Via(float(x), float(y), float(d))
        for x, y, d in zip(xs, ys, chance.choice([0.2, 0.3, 0.6, 1.0], count), strict=True)
    )


def _parts(chance: np.random.Generator, board: BoardStack) -> tuple[PlacedPart, ...]:
    parts = []
    for index in range(int(chance.integers(2, 7))):
        package = package_named(str(chance.choice(PACKAGES)))
        x, y = (0.5, 0.5) if index == 0 else chance.uniform(0.15, 0.85, 2)
        side = Side.TOP if index < 2 or chance.random() < 0.7 else Side.BOTTOM
        alloy = str(chance.choice(["Sn63Pb37", "Sn96.5Ag3Cu0.5", "Sn42Bi58"]))
        pins = tuple(land.pin for land in package.lands if chance.random() < 0.2)
        turn = float(chance.choice([0, 90, 180, 270, 37]))
        parts.append(
            PlacedPart(
                ref=f"X{index}",
                package=package,
                x_mm=float(x * board.width_mm),
                y_mm=float(y * board.height_mm),
                rotation_deg=turn,
                side=side,
                alloy=alloy,
                plane_pins=pins,
            )
        )
    return tuple(parts)


def _heat(
    chance: np.random.Generator, targets: tuple[str, ...], parts: tuple[PlacedPart, ...]
) -> tuple:  # type: ignore[type-arg]
    kind = chance.choice(["air", "air", "air", "air below", "plate", "oven", "iron"])
    if kind in ("air", "air below"):
        path = NozzlePath(chance.choice(["circle", "fixed", "rows"]))
        reach = 0.0 if path is NozzlePath.FIXED else float(chance.uniform(1, 6))
        move = Move(
            deed=Deed.CLOSE,
            seconds=float(chance.uniform(10, 30)),
            over=targets[:1],
            height_mm=float(chance.uniform(5, 40)),
            circle_mm=reach,
            circle_s=float(chance.uniform(0.8, 2.5)),
            path=path,
        )
        below = (
            Preheater(
                celsius=float(chance.uniform(80, 200)),
                air_w_m2k=float(chance.uniform(5, 60)),
                glow_share=float(chance.choice([0.0, 0.5])),
            )
            if kind == "air below"
            else None
        )
        return (
            HotAir(
                nozzle_mm=float(chance.uniform(3, 12)),
                outlet_c=float(chance.uniform(250, 480)),
                flow_lpm=float(chance.uniform(8, 90)),
            ),
            (move, Move(deed=Deed.WITHDRAW, seconds=15.0)),
            below,
        )
    if kind == "plate":
        control = Control(chance.choice(list(Control)))
        plate = HotPlate(
            set_c=float(chance.uniform(180, 320)),
            film_mm=float(chance.uniform(0.05, 0.6)),
            warp_mm=float(chance.uniform(0, 0.5)),
            control=control,
            start_c=float(chance.choice([25, 240])),
        )
        return (
            plate,
            (
                Move(deed=Deed.PLATE, seconds=float(chance.uniform(40, 90))),
                Move(deed=Deed.WITHDRAW, seconds=20.0),
            ),
            None,
        )
    if kind == "oven":
        top = float(chance.uniform(180, 280))
        return (
            Oven(
                (
                    (0.0, 25.0, 25.0),
                    (60.0, 150.0, 160.0),
                    (120.0, top, top + 20),
                    (150.0, 60.0, 80.0),
                ),
                float(chance.uniform(0, 40)),
            ),
            (Move(deed=Deed.OVEN, seconds=150.0),),
            None,
        )
    part = next(part for part in parts if part.ref == targets[0])
    pin = part.package.lands[0].pin
    return (
        Iron(tip_mm=float(chance.uniform(0.8, 3)), set_c=float(chance.uniform(280, 380))),
        (
            Move(deed=Deed.TOUCH, seconds=3.0, over=targets[:1], pin=pin),
            Move(deed=Deed.WITHDRAW, seconds=5.0),
        ),
        None,
    )


def run(prepared: Prepared, finer: int = 1) -> Rehearsal:
    """A prepared scene rehearsed, at its steps or at a fraction of them (the nozzle's moments stay
    those of the usual step).
    """
    drive = prepared.drive(prepared.scene)
    for _ in range(finer):
        drive = drive.halved()
    state = first_state(prepared, drive)
    return _result(prepared, state, drive, advance(prepared, state, drive))


@dataclass(frozen=True)
class Gap:
    """How far a run is from one at a quarter of its step: of each joint's melting the share of its
    moment, of each peak the kelvins.
    """

    case: Case
    melts: tuple[tuple[str, float, float], ...]
    melt_share: float
    peak_k: float
    board_k: float
    fate_differs: tuple[str, ...]


def gap_of(one: Case) -> Gap:
    """Run a case at its own and at a quarter step."""
    usual = prepare(one.scene, GRIDS[one.grid])
    exact = replace(usual, **_in_double(one))
    a, b = run(usual), run(exact, 2)
    melts, differs = [], []
    for x, y in zip(a.joints, b.joints, strict=True):
        if (x.melt_end_s is None) != (y.melt_end_s is None):
            differs.append(f"{x.ref}.{x.pin}")
        elif x.melt_end_s is not None and y.melt_end_s is not None:
            melts.append((f"{x.ref}.{x.pin}", x.melt_end_s, y.melt_end_s))
    peaks = [abs(x.peak_c - y.peak_c) for x, y in zip(a.joints, b.joints, strict=True)]
    peaks += [abs(x.body_peak_c - y.body_peak_c) for x, y in zip(a.parts, b.parts, strict=True)]
    share = max((abs(x - y) / y for _, x, y in melts), default=0.0)
    return Gap(
        one,
        tuple(melts),
        share,
        max(peaks, default=0.0),
        abs(a.board_peak_c - b.board_peak_c),
        tuple(differs),
    )


def _in_double(one: Case) -> dict[str, object]:
    """The tables of the same grid in double precision."""
    double = prepare(one.scene, replace(GRIDS[one.grid], single_precision=False))
    return {"resolution": double.resolution, "constants": double.constants}
