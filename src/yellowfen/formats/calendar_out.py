"""A schedule as an iCalendar file (RFC 5545): one event a task, alarms where hands are needed."""

from collections.abc import Iterable
from datetime import UTC, datetime, timedelta

from icalendar import Alarm, Calendar, Event

from yellowfen.core.work.schedule import Planned

LEAST_S = 60.0  # an event shorter than a minute is not seen in a calendar


def calendar(tasks: Iterable[Planned], name: str, stamp_s: float, alarm_min: int = 5) -> bytes:
    """The file of tasks, their moments in s since 1970; made at `stamp_s`.

    Tasks that need hands ring `alarm_min` minutes before; those that run by themselves ring at
    their end.
    """
    whole = Calendar()
    whole.add("prodid", "-//Yellowfen//schedule//EN")
    whole.add("version", "2.0")
    whole.add("calscale", "GREGORIAN")
    whole.add("x-wr-calname", name)
    for number, planned in enumerate(tasks):
        key = planned.task.key.replace(" ", "-")
        event = Event()
        event.add("uid", f"{int(stamp_s)}-{number}-{key}@yellowfen.invalid")
        event.add("dtstamp", _moment(stamp_s))
        event.add("dtstart", _moment(planned.start_s))
        event.add("dtend", _moment(max(planned.end_s, planned.start_s + LEAST_S)))
        event.add("summary", planned.task.name)
        if planned.task.why:
            event.add("description", planned.task.why)
        event.add_component(_alarm(planned, alarm_min))
        whole.add_component(event)
    data: bytes = whole.to_ical()
    return data


def _alarm(planned: Planned, minutes: int) -> Alarm:
    alarm = Alarm()
    alarm.add("action", "DISPLAY")
    alarm.add("description", planned.task.name)
    if planned.task.passive:
        alarm.add("trigger", timedelta(), parameters={"RELATED": "END"})
    else:
        alarm.add("trigger", timedelta(minutes=-minutes))
    return alarm


def _moment(at_s: float) -> datetime:
    return datetime.fromtimestamp(round(at_s), UTC)
