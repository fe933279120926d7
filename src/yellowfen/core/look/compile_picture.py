"""Compile the loops over pictures into their cache at set-up: `python -m ...compile_picture`."""

import numpy as np

from yellowfen.core.look.picture_kernel import along_normals, smoothed


def warm_up() -> None:
    """Smooth and sample a tiny picture (compiles, or loads the cache)."""
    image, place = np.zeros((4, 4)), np.ones((1, 2))
    along_normals(smoothed(image), place, place, np.zeros(1))


if __name__ == "__main__":
    warm_up()
