"""What people type for numbers: read as they mean it, or refused with what could be meant."""

import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import yellowfen
from yellowfen.core.quantity.labels import by_label, label_of
from yellowfen.core.quantity.number import typed_number, typed_numbers, unit_of
from yellowfen.errors import InvalidValue

# Inch, foot and pound to metric are exact [P: international yard and pound agreement, 1959].
READ = [
    ("width_mm", "1.5", 1.5), ("width_mm", "1,5", 1.5), ("width_mm", " 12 ", 12), ("width_mm", ".5", 0.5),
    ("width_mm", "0,3", 0.3), ("width_mm", "1.500", 1.5), ("width_mm", "0,125", 0.125), ("width_mm", "12,", 12),
    ("width_mm", "0.6in", 15.24), ("width_mm", "0,6 in", 15.24), ("width_mm", '2"', 50.8), ("width_mm", "2 inch", 50.8),
    ("width_mm", "2 cm", 20), ("width_mm", "2 mm", 2), ("width_mm", "63 mil", 1.6002), ("foil_mm", "5 thou", 0.127),
    ("foil_mm", "130 µm", 0.13), ("foil_mm", "130um", 0.13), ("foil_mm", "130 μm", 0.13), ("left_um", "0.02 mm", 20),
    ("outlet_c", "400", 400), ("outlet_c", "400F", 204.444), ("outlet_c", "400 °F", 204.444), ("outlet_c", "400°C", 400),
    ("outlet_c", "400 C", 400), ("outlet_c", "673.15 K", 400), ("ambient_c", "-5", -5), ("ambient_c", "14 °F", -10),
    ("band_k", "9 °F", 5), ("band_k", "40 K", 40), ("outlet_offset_c", "-18 °F", -10), ("outlet_offset_c", "12", 12),
    ("heated_s", "2 min", 120), ("heated_s", "90 s", 90), ("open_h", "90 min", 1.5), ("open_h", "2 h", 2),
    ("price_min", "30 s", 0.5), ("flow_lpm", "1 cfm", 28.31684659), ("flow_lpm", "30 L/min", 30),
    ("grams", "500 mg", 0.5), ("before_mg", "1.2 g", 1200), ("copper", "30 %", 30), ("air_share", "40%", 40),
    ("power_w", "1 kW", 1000), ("amps", "250 mA", 0.25), ("supplies", "3.3 V", 3.3), ("turn", "45°", 45),
    ("fan_w_m2k", "12 W/m²K", 12), ("boards", "1e2", 100), ("pace", "-0,5", -0.5),
]  # fmt: skip
REFUSED = [
    ("width_mm", "1,500", "type 1500 or 1.5"), ("grams", "12,345", "type 12345 or 12.345"),
    ("width_mm", "1 500", "two ways"), ("width_mm", "1'500", "two ways"), ("width_mm", "1.234,5", "two ways"),
    ("width_mm", "1,234.5", "two ways"), ("width_mm", "1,234,567", "two ways"), ("width_mm", "400F", "give it in mm"),
    ("outlet_c", "400 mm", "give it in °C"), ("boards", "3 mm", "has no unit"), ("width_mm", "wide", "not a number"),
    ("width_mm", "", "type a number"), ("width_mm", "nan", "not a number"), ("width_mm", "١٢", "not a number"),
    ("width_mm", "--3", "not a number"), ("width_mm", "1/2", "does not fit"), ("x", "1e999", "does not fit"),
    ("width_mm", "9" * 60, "not a number"), ("heated_s", "2 g", "give it in s"), ("outlet_c", "1 2", "two ways"),
]  # fmt: skip


@pytest.mark.parametrize(("field", "text", "value"), READ)
def test_a_number_is_read_in_its_fields_unit(field: str, text: str, value: float) -> None:
    assert typed_number(field, text) == pytest.approx(value, rel=1e-6)


@pytest.mark.parametrize(("field", "text", "said"), REFUSED)
def test_what_could_be_meant_otherwise_is_refused(field: str, text: str, said: str) -> None:
    with pytest.raises(InvalidValue, match=re.escape(said)):
        typed_number(field, text)


@given(st.floats(1e-9, 1e9).map(lambda value: f"{value:g}"))
def test_what_a_page_writes_is_read_as_it_was_written(text: str) -> None:
    assert typed_number("width_mm", text) == float(text)


def test_several_numbers_in_a_field() -> None:
    assert typed_numbers("seconds", "13 12,5; 0.5 min 14 s") == (13, 12.5, 30, 14)
    with pytest.raises(InvalidValue, match="two ways"):
        typed_numbers("seconds", "13 1,200")


def test_every_field_of_the_core_has_a_label_without_its_key() -> None:
    """Names of fields in range tests: none reaches a page as it is in the code."""
    root = Path(yellowfen.__file__).parent
    found = set()
    for path in root.rglob("*.py"):
        found |= set(re.findall(r'in_range\(\s*"([a-z0-9_.]+)"', path.read_text()))
    assert len(found) > 100
    for key in found:
        label = label_of(key)
        assert "_" not in label, key
        assert not re.search(r"\b(c|mm|um|lpm|k|g|mg)$", label), key
        told = by_label(f"{key}: 5 is outside 1 to 3")
        assert told.split(":")[0] in (label, key if "_" not in key else label)
    assert by_label("board.zip: is not a sound zip") == "board.zip: is not a sound zip"
    assert label_of("parts.R1.x_mm") == "R1 place across"
    assert unit_of("source.plate.set_c") == "C"
