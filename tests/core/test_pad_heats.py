"""Heats by pad, added up and told."""

from yellowfen.core.run.pad_heats import PadHeats, by_part, told

PINS = {"U4": ["1", "2"], "C2": ["1", "2"], "R9": ["1"]}


def test_more_than_three_heats_are_too_many_and_bare_pads_are_not_the_parts() -> None:
    total = {
        ("U4", "1"): PadHeats(heats=3),
        ("U4", "2"): PadHeats(heats=3, bare=1),
        ("C2", "1"): PadHeats(likely=3),
    }
    assert by_part(total) == {"U4": 3}  # the part was off when its bare pad was cleaned
    assert [(one.most, one.pads, one.too_many) for one in told(total, PINS)] == [
        (4, "U4 pin 2", True),
        (3, "U4 pin 1, C2 pin 1", False),
    ]
    assert told({}, PINS) == ()
    assert [one.pads for one in told({("C2", pin): PadHeats(heats=1) for pin in "12"}, PINS)] == [
        "C2"
    ]
