"""The invented demo board: the Reedgate sluice keeper, which opens and shuts four latching water
valves of a reed bed.

A storage chip holds the opening times, a shift register drives the valve sockets' lamps, one driver
powers the coils. Two sides, 46 parts. All of it is made up for Yellowfen.
"""

from dataclasses import dataclass

NAME = "Reedgate sluice keeper"
WIDTH_MM, HEIGHT_MM = 62.0, 44.0


@dataclass(frozen=True)
class DemoPart:
    """A part of the demo board; nets by pin, in the package's pin order ('-' leaves a pin open)."""

    ref: str
    value: str
    package: str
    x_mm: float
    y_mm: float
    rotation_deg: float
    side: str
    nets: str


def _pins(**given: str) -> str:
    """48 pins of the controller as a net list in pin order."""
    nets = ["-"] * 48
    for net, pins in given.items():
        for pin in pins.split():
            nets[int(pin) - 1] = net
    return " ".join(nets)


PARTS: tuple[DemoPart, ...] = (
    DemoPart(
        "U1",
        "controller",
        "LQFP-48",
        27.0,
        24.0,
        0,
        "top",
        _pins(
            VDD="1 9 24 36 48",
            GND="8 23 35 47",
            CS="2",
            SO="3",
            SCK="4",
            SI="5",
            RST="11",
            DATA="18",
            LATCH="19",
            CLK="20",
            IN4="25",
            IN3="26",
            IN2="27",
            IN1="28",
            SLEEP="29",
            FAULT="30",
            TXD="31",
            RXD="32",
            KEY="40",
            SENSE="42",
            LAMP="44",
        ),
    ),
    DemoPart(
        "U2",
        "coil driver",
        "QFN-20_4x4",
        44.0,
        25.0,
        0,
        "top",
        "IN1 IN2 IN3 IN4 GND GND - - VIN VIN COIL4 COIL3 GND COIL2 COIL1 VDD FAULT SLEEP CP GND GND",
    ),
    DemoPart(
        "U3",
        "shift register",
        "TSSOP-20",
        29.0,
        9.0,
        90,
        "top",
        "- - - - - L1 L2 L3 L4 GND - VDD CLK LATCH GND DATA - - - VDD",
    ),
    DemoPart("U4", "storage", "SOIC-8", 11.0, 31.0, 0, "top", "CS SO VDD GND SI SCK VDD VDD"),
    DemoPart("U5", "regulator 3.3 V", "TO-252", 10.5, 11.0, 90, "top", "VIN GND VDD"),
    DemoPart("Q1", "switch", "SOT-23", 47.5, 10.0, 0, "top", "L4 GND LAMPK"),
    DemoPart("Q2", "switch", "SOT-23", 19.0, 37.0, 0, "top", "KEY GND SENSE"),
    DemoPart("D1", "lamp, amber", "LED_0603", 20.0, 33.5, 0, "top", "GND LAMPA"),
    DemoPart("D2", "lamp, green", "LED_0805", 51.0, 15.5, 0, "top", "LAMPK VDD"),
    DemoPart("C1", "47 µF 25 V", "CAN-6.3", 20.0, 5.5, 0, "top", "VIN GND"),
    DemoPart("C2", "10 µF", "1206", 4.0, 19.5, 90, "top", "VIN GND"),
    DemoPart("C3", "10 µF", "0805", 17.0, 11.5, 90, "top", "VDD GND"),
    DemoPart("C4", "100 nF", "0402", 21.5, 28.5, 0, "top", "GND VDD"),
    DemoPart("C5", "100 nF", "0402", 19.5, 24.5, 90, "top", "VDD GND"),
    DemoPart("C6", "100 nF", "0402", 31.0, 17.0, 0, "top", "VDD GND"),
    DemoPart("C7", "100 nF", "0402", 33.0, 30.5, 90, "top", "VDD GND"),
    DemoPart("C8", "100 nF", "0402", 23.0, 30.5, 90, "top", "GND VDD"),
    DemoPart("C9", "100 nF", "0402", 5.5, 33.0, 90, "top", "GND VDD"),
    DemoPart("C10", "100 nF", "0603", 48.5, 22.5, 90, "top", "GND VIN"),
    DemoPart("C11", "10 nF", "0402", 44.0, 29.5, 0, "top", "GND CP"),
    DemoPart("C12", "22 µF", "1206", 46.0, 33.5, 0, "top", "VIN GND"),
    DemoPart("C13", "100 nF", "0603", 23.0, 12.5, 90, "top", "VDD GND"),
    DemoPart("C14", "1 µF", "0603", 42.0, 31.5, 0, "top", "VDD GND"),
    DemoPart("R1", "10 kΩ", "0603", 18.0, 20.0, 0, "top", "VDD RST"),
    DemoPart("R2", "1 kΩ", "0603", 26.0, 33.5, 0, "top", "LAMP LAMPA"),
    DemoPart("R3", "10 kΩ", "0402", 38.5, 29.5, 90, "top", "VDD FAULT"),
    DemoPart("R4", "4.7 kΩ", "0402", 31.0, 35.5, 90, "top", "VDD SENSE"),
    DemoPart("R5", "0 Ω", "0805", 35.5, 35.5, 90, "top", "TXD TX"),
    DemoPart("R6", "0 Ω", "0805", 39.0, 35.5, 90, "top", "RXD RX"),
    DemoPart("R7", "330 Ω", "0603", 38.0, 5.5, 0, "top", "L1 LA"),
    DemoPart("R8", "330 Ω", "0603", 38.0, 8.0, 0, "top", "L2 LB"),
    DemoPart("R9", "330 Ω", "0603", 38.0, 10.5, 0, "top", "L3 LC"),
    DemoPart("R10", "10 kΩ", "0402", 14.0, 37.0, 0, "top", "VDD KEY"),
    DemoPart(
        "J1",
        "valve socket",
        "CONN-6-1.25",
        57.5,
        29.0,
        90,
        "top",
        "COIL1 COIL2 COIL3 COIL4 VIN GND GND GND",
    ),
    DemoPart(
        "J2",
        "supply and lamps",
        "CONN-6-1.25",
        57.5,
        12.0,
        90,
        "top",
        "VIN GND LA LB LC GND GND GND",
    ),
    DemoPart(
        "J3", "key and sensor", "CONN-4-1.25", 27.0, 40.0, 180, "top", "VDD KEY SENSE GND GND GND"
    ),
    DemoPart("C20", "10 µF", "0805", 44.0, 22.0, 0, "bottom", "VIN GND"),
    DemoPart("C21", "100 nF", "0603", 27.0, 20.0, 0, "bottom", "VDD GND"),
    DemoPart("C22", "100 nF", "0603", 27.0, 27.5, 180, "bottom", "VDD GND"),
    DemoPart("C23", "4.7 µF", "0805", 12.0, 22.0, 90, "bottom", "VDD GND"),
    DemoPart("R20", "100 kΩ", "0603", 37.0, 25.5, 90, "bottom", "SLEEP GND"),
    DemoPart("R21", "100 kΩ", "0603", 37.2, 38.5, 0, "bottom", "TX RX"),
    DemoPart("R22", "1 MΩ", "0603", 23.0, 37.0, 90, "bottom", "SENSE GND"),
    DemoPart("R23", "1 MΩ", "0603", 50.0, 37.0, 0, "bottom", "VIN GND"),
    DemoPart("Q20", "guard", "SOT-23", 53.0, 20.0, 0, "bottom", "VIN GND VIN"),
    DemoPart("C24", "1 µF", "1206", 33.0, 14.0, 90, "bottom", "VDD GND"),
)
HOLES_MM = ((3.5, 3.5), (58.5, 3.5), (3.5, 40.5), (58.5, 40.5))
HOLE_DRILL_MM = 3.2
