"""Yellowfen: rehearse a board's heat, be cued through it at the bench, and learn from it
afterwards.
"""

import os

# The linear algebra here is small: threads of its own would spin for longer than they work, and take
# a processor from what runs beside it. Read when numpy is first loaded.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.3.0"
