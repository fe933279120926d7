"""Yellowfen: rehearse a board's heat, be cued through it at the bench, and learn from it
afterwards.
"""

__version__ = "0.1.0"
