"""Pictures of the Ready stage: a row under the tip, the time line, minutes with their intervals."""

from markupsafe import Markup, escape

from yellowfen.core.quantity.units import MINUTES, SECONDS, with_unit
from yellowfen.core.quantity.wording import counted
from yellowfen.core.work.estimate import Estimate
from yellowfen.core.work.iron_rows import IronRow
from yellowfen.core.work.schedule import Schedule


def row_diagram(row: IronRow) -> Markup:
    """A row from its first pin to its last: leads, slow pins wider in time, and the wire that is
    fed along it.
    """
    step, left = 460 / max(len(row.pins), 1), 20.0
    pins = []
    for number, (pin, seconds) in enumerate(zip(row.pins, row.seconds, strict=True)):
        x = left + step * (number + 0.5)
        slow = pin in row.slow_pins
        pins.append(
            f'<rect class="lead{" slow" if slow else ""}" x="{x - step * 0.28:.1f}" y="34" width="{step * 0.56:.1f}" height="38"/>'
        )
        if len(row.pins) <= 16 or slow or number in (0, len(row.pins) - 1):
            pins.append(f'<text x="{x:.1f}" y="88" text-anchor="middle">{escape(pin)}</text>')
        if slow:
            pins.append(
                f'<text class="strong" x="{x:.1f}" y="28" text-anchor="middle">{with_unit(seconds, SECONDS, 1)}</text>'
            )
    fed = f'<path class="load" d="M{left},22l-6,-13h12Z"/><path class="load-line" d="M{left + 8},15h452"/>'
    end = left + 460
    return Markup(
        f'<svg class="row-diagram" viewBox="0 0 500 96" role="img" aria-label="Row of {counted(len(row.pins), "pin")}, {with_unit(row.row_s, SECONDS, 0)}">'
        f'<path class="way" d="M{left},80"/><rect class="chip-body" x="{left - 6}" y="-4" width="472" height="38"/>{"".join(pins)}{fed}'
        f'<path class="way" d="M{left},64H{end}m-9,-5l9,5l-9,5"/></svg>'
    )


def time_line(found: Schedule, now_s: float) -> Markup:
    """Two lanes: hands, and what runs by itself; the clock below; now as a rule."""
    start, end = found.start_s, max(found.end_s, found.start_s + 60)
    wide = 640.0

    def x(moment: float) -> float:
        return 10 + wide * (moment - start) / (end - start)

    bars = []
    for one in found.tasks:
        begin, width = x(one.start_s), max(x(one.end_s) - x(one.start_s) - 1, 1.5)
        y = 68 if one.task.passive else 16
        kind = "done" if one.done else "passive" if one.task.passive else "hands"
        bars.append(
            f'<g><title>{escape(one.task.name)}</title><rect class="task {kind}" x="{begin:.1f}" y="{y}" width="{width:.1f}" height="32" rx="4"/>'
        )
        short = (one.task.name, one.task.name.split(",")[0], one.task.name.split(" ")[0])
        said = next((words for words in short if width > 6.3 * len(words) + 10), "")
        if said:
            bars.append(f'<text x="{begin + 6:.1f}" y="{y + 20}">{escape(said)}</text>')
        bars.append("</g>")
    hours = _ticks(start, end)
    ticks = "".join(
        f'<path class="tick" d="M{x(moment):.1f},108v6"/><text x="{x(moment):.1f}" y="128" text-anchor="{"start" if x(moment) < 24 else "middle"}">{said}</text>'
        for moment, said in hours
    )
    rule = f'<path class="now" d="M{x(now_s):.1f},6V112"/>' if start <= now_s <= end else ""
    warned = "".join(
        f'<path class="goes-off" d="M{x(one.at_s):.1f},6V112"/>'
        for one in found.warnings
        if start <= one.at_s <= end
    )
    return Markup(
        f'<svg class="time-line" viewBox="0 0 660 134" role="img" aria-label="The build over time"><text class="lane" x="15" y="11">hands</text><text class="lane" x="15" y="62">by itself</text>{"".join(bars)}{warned}{rule}'
        f'<path class="tick" d="M10,108H650"/>{ticks}</svg>'
    )


def _anchor(x: float) -> str:
    """A word at the very left begins there."""
    return "start" if x < 24 else "middle"


def _ticks(start: float, end: float) -> list[tuple[float, str]]:
    """Five to ten round moments between two, as times of day."""
    from datetime import datetime, timedelta

    span = end - start
    step = next(
        (
            minutes
            for minutes in (5, 10, 15, 30, 60, 120, 240, 480, 1440)
            if span / 60 / minutes <= 8
        ),
        2880,
    )
    first = datetime.fromtimestamp(start).replace(second=0, microsecond=0)
    first += timedelta(minutes=(-(first.hour * 60 + first.minute)) % step)
    found = []
    while first.timestamp() <= end:
        found.append((first.timestamp(), first.strftime("%H:%M")))
        first += timedelta(minutes=step)
    return found


def minutes_bars(found: Estimate) -> Markup:
    """A bar for every stage, its middle marked, its 80 % interval pale."""
    top = max((one.high_min for one in found.stages), default=1.0) or 1.0
    rows = []
    for number, one in enumerate(found.stages):
        y = 8 + 30 * number
        low, middle, high = (
            150 + 300 * value / top for value in (one.low_min, one.middle_min, one.high_min)
        )
        rows.append(
            f'<text x="142" y="{y + 15}" text-anchor="end" class="strong">{escape(one.name)}</text><rect class="room" x="{low:.1f}" y="{y}" width="{max(high - low, 2):.1f}" height="20"/>'
            f'<path class="here" d="M{middle:.1f},{y - 2}v24"/><text x="{high + 6:.1f}" y="{y + 15}">{with_unit(one.middle_min, MINUTES, 0)}</text>'
        )
    return Markup(
        f'<svg class="minutes-bars" viewBox="0 0 520 {8 + 30 * len(found.stages)}" role="img" aria-label="Minutes by stage">{"".join(rows)}</svg>'
    )
