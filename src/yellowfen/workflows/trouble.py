"""Errors that nobody foresaw: one line with an id in the log, one sentence with the same id for the
user.
"""

import logging
import secrets
import sqlite3

_LOG = logging.getLogger("yellowfen")


def logged(problem: BaseException, where: str) -> str:
    """Write an unforeseen error to the log with all it carries; returns the id it stands under (8
    hex digits).
    """
    mark = secrets.token_hex(4)
    _LOG.error("unexpected error %s at %s", mark, where, exc_info=problem)
    return mark


def logged_text(trace: str, where: str) -> str:
    """Write an unforeseen error of another process to the log; returns the id it stands under."""
    mark = secrets.token_hex(4)
    _LOG.error("unexpected error %s at %s\n%s", mark, where, trace)
    return mark


# What SQLite says when storing fails, with what it means for the user, what is safe and what to do.
_STORAGE = (
    (
        "disk is full",
        "The disk is full; nothing was changed and what was stored before is safe. Make room, then do it again.",
        507,
    ),
    (
        "database or disk is full",
        "The disk is full; nothing was changed and what was stored before is safe. Make room, then do it again.",
        507,
    ),
    (
        "readonly",
        "The data folder may be read but not written; nothing was changed. Give yourself the right to write there, or start with another folder (--data).",
        503,
    ),
    (
        "locked",
        "Another program holds the database; nothing was changed. Close what else has it open, then try again.",
        503,
    ),
    (
        "malformed",
        "The database file is damaged at this place; nothing was changed. Make a backup of what can be read (yellowfen backup), then go back to your last good copy.",
        500,
    ),
    (
        "not a database",
        "The database file is damaged at its beginning; nothing was changed. Put your last good copy in its place.",
        500,
    ),
    (
        "disk i/o error",
        "The disk answered with an error; nothing was changed. Check the disk and its room, and copy the data folder away before anything else.",
        503,
    ),
    (
        "unable to open",
        "The database file cannot be opened; nothing was changed. Check that the data folder is there and may be written.",
        503,
    ),
)


def storage_sentence(error: sqlite3.Error) -> tuple[str, int]:
    """(what happened, what is safe and what to do; the status it stands for) of a storage error."""
    said = str(error).lower()
    if isinstance(error, sqlite3.IntegrityError):
        return (
            "What was typed cannot be stored: a text is empty, too long, or holds signs that no text has; nothing was changed.",
            422,
        )
    for part, sentence, status in _STORAGE:
        if part in said:
            return sentence, status
    return (
        f"The database could not do this ({str(error)[:80]}); nothing was changed. Try again.",
        503,
    )
