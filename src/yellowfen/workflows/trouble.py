"""Errors that nobody foresaw: one line with an id in the log, one sentence with the same id for the
user.
"""

import logging
import secrets

_LOG = logging.getLogger("yellowfen")


def logged(problem: BaseException, where: str) -> str:
    """Write an unforeseen error to the log with all it carries; returns the id it stands under (8
    hex digits).
    """
    mark = secrets.token_hex(4)
    _LOG.error("unexpected error %s at %s", mark, where, exc_info=problem)
    return mark
