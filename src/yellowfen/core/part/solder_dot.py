"""A dot of solder or a bit of wire on a pad of scrap board: what a melt test melts."""

from yellowfen.core.part.package import JointKind, Land, Package
from yellowfen.core.source.mark import Mark, constant

DOT_MM = constant(
    "melt_test_dot",
    2.0,
    "mm",
    Mark.FROM_MEMORY,
    "a bit of wire or a paste dot on a pad of about this size",
    "melt test",
)


def solder_dot() -> Package:
    """A bare joint in the jet; its 'body' is a speck of flux that weighs nothing and shades
    nothing.
    """
    land = Land("1", 0.0, 0.0, DOT_MM, DOT_MM, JointKind.GULL_WING)
    return Package(
        "solder dot",
        "dot",
        0.1,
        0.1,
        0.1,
        0.1,
        1.5,
        1e-5,
        1e-5,
        400.0,
        "flux",
        (land,),
        0.3,
        has_pin_1=False,
    )
