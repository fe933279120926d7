"""Moments in sentences: the clock of the bench, never that of the database.

A moment is stored in UTC, as the database writes it ("2026-03-09 16:52:49") or as seconds since
1970; people read it by the clock on their wall, which is that of the machine this runs on.
"""

from datetime import UTC, datetime


def local_moment(at: str | float) -> datetime:
    """A stored moment by the clock of this machine. Raises ValueError where the text is none."""
    if isinstance(at, str):
        return datetime.fromisoformat(at).replace(tzinfo=UTC).astimezone()
    return datetime.fromtimestamp(at, UTC).astimezone()


def moment_words(at: str | float) -> str:
    """'9 Mar 2026, 16:52', by the clock on the wall."""
    moment = local_moment(at)
    return f"{moment.day} {moment:%b %Y, %H:%M}"


def day_words(at: str | float) -> str:
    """'9 Mar 2026', the day on which it is then here."""
    moment = local_moment(at)
    return f"{moment.day} {moment:%b %Y}"


def clock_words(at: str | float) -> str:
    """'16:52' where it is today, '9 Mar 16:52' else."""
    moment = local_moment(at)
    today = moment.date() == datetime.now().date()
    return f"{moment:%H:%M}" if today else f"{moment.day} {moment:%b %H:%M}"
