"""A dot of solder or a bit of wire on a pad of scrap board: what a melt test melts."""

from yellowfen.core.part.package import JointKind, Land, Package
from yellowfen.core.source.mark import Mark, constant

DOT_MM = constant(
    "melt_test_dot",
    2.0,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="a bit of wire or a paste dot on a pad of about this size",
    affects="melt test",
)


def solder_dot() -> Package:
    """A bare joint in the jet; its 'body' is a speck of flux that weighs nothing and shades
    nothing.
    """
    land = Land(
        pin="1", x_mm=0.0, y_mm=0.0, size_x_mm=DOT_MM, size_y_mm=DOT_MM, kind=JointKind.GULL_WING
    )
    return Package(
        name="solder dot",
        family="dot",
        body_x_mm=0.1,
        body_y_mm=0.1,
        height_mm=0.1,
        gap_mm=0.1,
        volumetric_heat_mj_m3k=1.5,
        lead_w_k=1e-5,
        tab_w_k=1e-5,
        limit_c=400.0,
        limit_why="flux",
        lands=(land,),
        body_conductivity_w_mk=0.3,
        has_pin_1=False,
    )
