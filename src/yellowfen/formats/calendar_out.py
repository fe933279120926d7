"""A schedule as an iCalendar file (RFC 5545): one event a task, alarms where hands are needed."""

from collections.abc import Iterable
from datetime import UTC, datetime

from yellowfen.core.work.schedule import Planned


def calendar(tasks: Iterable[Planned], name: str, stamp_s: float, alarm_min: int = 5) -> bytes:
    """The file.

    Tasks that need hands ring `alarm_min` minutes before; those that run by themselves ring at
    their end.
    """
    lines = [
        "BEGIN:VCALENDAR",
        "VERSION:2.0",
        "PRODID:-//Yellowfen//schedule//EN",
        "CALSCALE:GREGORIAN",
        f"X-WR-CALNAME:{_text(name)}",
    ]
    for number, one in enumerate(tasks):
        lines += [
            "BEGIN:VEVENT",
            f"UID:{int(stamp_s)}-{number}-{_text(one.task.key).replace(' ', '-')}@yellowfen.invalid",
            f"DTSTAMP:{_moment(stamp_s)}",
            f"DTSTART:{_moment(one.start_s)}",
            f"DTEND:{_moment(max(one.end_s, one.start_s + 60))}",
            f"SUMMARY:{_text(one.task.name)}",
        ]
        if one.task.why:
            lines.append(f"DESCRIPTION:{_text(one.task.why)}")
        trigger = "TRIGGER;RELATED=END:PT0M" if one.task.passive else f"TRIGGER:-PT{alarm_min}M"
        lines += [
            "BEGIN:VALARM",
            "ACTION:DISPLAY",
            f"DESCRIPTION:{_text(one.task.name)}",
            trigger,
            "END:VALARM",
            "END:VEVENT",
        ]
    lines.append("END:VCALENDAR")
    return "".join(f"{_folded(line)}\r\n" for line in lines).encode()


def _moment(at_s: float) -> str:
    return datetime.fromtimestamp(round(at_s), UTC).strftime("%Y%m%dT%H%M%SZ")


def _text(said: str) -> str:
    """Commas, semicolons, backslashes and line ends escaped."""
    return (
        said.replace("\\", "\\\\")
        .replace(";", "\\;")
        .replace(",", "\\,")
        .replace("\r", "")
        .replace("\n", "\\n")
    )


def _folded(line: str) -> str:
    """Lines of at most 75 octets, the rest on lines that begin with a space; no character is cut in
    two.
    """
    parts, current, size = [], "", 0
    for char in line:
        width = len(char.encode())
        if size + width > 74:
            parts.append(current)
            current, size = " ", 1
        current, size = current + char, size + width
    return "\r\n".join([*parts, current])
