"""Compile the search for the placement order into its cache."""

import numpy as np

from yellowfen.core.work.order_kernel import best_path


def warm_up() -> None:
    """Order three places (compiles, or loads the cache)."""
    none = np.zeros(0, dtype=np.int64)
    best_path(np.ones((4, 4)), np.zeros((2, 4), dtype=np.int64), none, none, none, 2, 1)
