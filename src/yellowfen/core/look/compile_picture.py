"""Compile the loops over pictures into their cache."""

import numpy as np

from yellowfen.core.look.picture_kernel import along_normals, smoothed


def warm_up() -> None:
    """Smooth and sample a tiny picture (compiles, or loads the cache)."""
    image, place = np.zeros((4, 4)), np.ones((1, 2))
    along_normals(smoothed(image), place, place, np.zeros(1))
