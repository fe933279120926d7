"""Values and rails as people write them. Sixty names each; what can be read in two ways is not."""

import pytest

from yellowfen.core.look.values import farads, ohms, volts_of

RAILS = {
    "3V3": 3.3, "+3V3": 3.3, "+3.3V": 3.3, "3.3V": 3.3, "3,3V": 3.3, "VCC_3V3": 3.3, "VCC3V3": 3.3, "3V3_MCU": 3.3,
    "3V3A": 3.3, "P3V3": 3.3, "3P3V": 3.3, "VDD_3.3": 3.3, "/power/+3.3V": 3.3, "+3V3_1": 3.3, "V3V3": 3.3,
    "1V8": 1.8, "+1.8V": 1.8, "VCC1V8": 1.8, "VDD_1.8V": 1.8, "1V8_CORE": 1.8, "DVDD_1V8": 1.8, "+1V8": 1.8,
    "+2.5V": 2.5, "2V5": 2.5, "VCC_IO_2V5": 2.5, "+0.9V": 0.9, "0V9": 0.9, "VCORE_0.9V": 0.9, "900mV": 0.9,
    "1V05": 1.05, "+1.05V": 1.05, "1V2": 1.2, "5V": 5.0, "+5V": 5.0, "5V_USB": 5.0, "USB_5V": 5.0, "+5VA": 5.0,
    "5V0": 5.0, "VCC_5V": 5.0, "VBUS": 5.0, "USB_VBUS": 5.0, "12V": 12.0, "+12V": 12.0, "12V_IN": 12.0,
    "-12V": -12.0, "−5V": -5.0, "N12V": -12.0, "NEG_5V": -5.0, "-3.3V": -3.3, "24V": 24.0, "+24V0": 24.0, "48V": 48.0,
    "+15V": 15.0, "VIN_9V": 9.0, "7.4V": 7.4,
    "VBAT": None, "VDD": None, "VCC": None, "VIN": None, "VDD18": None, "RV33": None, "230V": None, "24VAC": None,
    "GND": None, "V1": None, "ADC_IN1": None, "NET-3": None, "0V": None,
}  # fmt: skip
OHMS = {
    "10 kΩ": 1e4, "10k": 1e4, "10K": 1e4, "4k7": 4700, "4K7": 4700, "4.7 kΩ": 4700, "4,7k": 4700, "4R7": 4.7,
    "4r7": 4.7, "R47": 0.47, "R010": 0.01, "0R1": 0.1, "0R005": 0.005, "1R0": 1, "0R": 0, "0": 0, "0 Ω": 0,
    "330R": 330, "330": 330, "330 ohm": 330, "330 Ohms": 330, "330R 5%": 330, "330/0603": 330, "1M": 1e6, "1M5": 1.5e6,
    "1 MΩ": 1e6, "M47": 0.47e6, "2k2 1%": 2200, "2k2±1%": 2200, "10k/0.1W": 1e4, "10k,1%": 1e4, "10k_0402": 1e4,
    "10k (pull-up)": 1e4, "5mΩ": 0.005, "5 m": 0.005, "1.5kΩ": 1500, "K47": 470, "1G": 1e9, "100r": 100,
    "22R1": 22.1, "4k99": 4990, "120 Ω 0.5 %": 120, "10kohm": 1e4,
    "100 nF": None, "100n": None, "10uF": None, "valve socket": None, "": None, "¹": None, "LED": None,
    "blue": None, "NTC": None, "DNP": None, "10 kHz": None, "16MHz": None, "BAT54": None, "1N4148": None, "10kV": None,
    "4n7": None, "3V3": None, "k": None,
}  # fmt: skip
FARADS = {
    "100 nF": 1e-7, "100nF": 1e-7, "100n": 1e-7, "100NF": 1e-7, "100nF/50V": 1e-7, "100nF, X7R": 1e-7, "0.1uF": 1e-7,
    "0.1uF/16V": 1e-7, "0,1 µF": 1e-7, ".1uF": 1e-7, "0.1μF": 1e-7, "4u7": 4.7e-6, "4.7uF": 4.7e-6, "4,7µ": 4.7e-6,
    "4µ7": 4.7e-6, "10 µF 25 V": 1e-5, "10UF": 1e-5, "10u/6.3V": 1e-5, "10uF_0805": 1e-5, "22p": 22e-12, "22pF 5%": 22e-12,
    "22PF": 22e-12, "2n2": 2.2e-9, "2N2": 2.2e-9, "u47": 0.47e-6, "n47": 0.47e-9, "4p7": 4.7e-12, "1000u": 1e-3,
    "220uF 35V low ESR": 220e-6, "1 mF": 1e-3, "1mF": 1e-3, "100nF(50V)": 1e-7, "100nF±10%": 1e-7, "47uF;10V": 47e-6,
    "1uF-25V": 1e-6, "33 nF": 33e-9, "1.5nF": 1.5e-9, "10 uF @ 16 V": 1e-5, "0.022uF": 22e-9, "8p2": 8.2e-12,
    "104": None, "0.1": None, "10k": None, "470R": None, "": None, "LED": None, "1N4148": None, "10": None,
    "16MHz": None, "4k7": None, "10uH": None, "100nH": None, "3V3": None, "nF": None, "MF": None, "1F": None,
    "10 V": None, "¹nF": None, "DNP": None, "2N3904": None, "4u7H": None,
}  # fmt: skip


@pytest.mark.parametrize(("net", "volts"), RAILS.items())
def test_a_rail_says_its_volts(net: str, volts: float | None) -> None:
    assert volts_of(net) == (None if volts is None else pytest.approx(volts))


@pytest.mark.parametrize(("text", "ohm"), OHMS.items())
def test_ohms_as_people_write_them(text: str, ohm: float | None) -> None:
    assert ohms(text) == (None if ohm is None else pytest.approx(ohm))


@pytest.mark.parametrize(("text", "farad"), FARADS.items())
def test_farads_as_people_write_them(text: str, farad: float | None) -> None:
    assert farads(text) == (None if farad is None else pytest.approx(farad))


def test_sixty_of_each() -> None:
    assert min(len(RAILS), len(OHMS), len(FARADS)) >= 60
