"""The reference case: 100 × 80 × 1.6 mm, 1 mm cells, 4 layers, 100 parts with 400 joints, 60 s of
circling hot air.
"""

from yellowfen.core.heat.scene import BoardStack, CopperLayer, Deed, Move, PlacedPart, Scene, Side
from yellowfen.core.heat.source import HotAir
from yellowfen.core.part.catalogue import package_named

KINDS = (
    "SOIC-8",
    "0603",
    "SOT-23-6",
    "0805",
    "SOIC-8",
    "0402",
    "SOT-23",
    "0603",
    "0805",
    "SOT-23-5",
)


def reference_scene(seconds: float = 60.0) -> Scene:
    """100 parts on a 10 × 10 raster; 400 joints in all; the nozzle circles over the middle."""
    parts = []
    joints = 0
    for index in range(100):
        package = package_named(KINDS[index % 10])
        joints += len(package.lands)
        x, y = 8 + 9.3 * (index % 10), 6 + 7.5 * (index // 10)
        parts.append(
            PlacedPart(
                ref=f"X{index}",
                package=package,
                x_mm=x,
                y_mm=y,
                rotation_deg=0,
                side=Side.TOP,
                alloy="Sn63Pb37",
            )
        )
    assert joints == 400, joints
    copper = (
        CopperLayer(layer="top", coverage=0.3, thickness_um=35, depth=0.0),
        CopperLayer(layer="bottom", coverage=0.6, thickness_um=35, depth=1.0),
    )
    moves = (Move(deed=Deed.CLOSE, seconds=seconds, over=("X44",), height_mm=15, circle_mm=6),)
    return Scene(
        board=BoardStack(width_mm=100, height_mm=80, thickness_mm=1.6, copper=copper),
        parts=tuple(parts),
        source=HotAir(nozzle_mm=6, outlet_c=380, flow_lpm=35),
        moves=moves,
        targets=("X44",),
    )
