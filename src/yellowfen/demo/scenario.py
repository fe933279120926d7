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
        x_mm=27.0,
        y_mm=24.0,
        rotation_deg=0,
        side="top",
        nets=_pins(
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
        x_mm=44.0,
        y_mm=25.0,
        rotation_deg=0,
        side="top",
        nets="IN1 IN2 IN3 IN4 GND GND - - VIN VIN COIL4 COIL3 GND COIL2 COIL1 VDD FAULT SLEEP CP GND GND",
    ),
    DemoPart(
        "U3",
        "shift register",
        "TSSOP-20",
        x_mm=29.0,
        y_mm=9.0,
        rotation_deg=90,
        side="top",
        nets="- - - - - L1 L2 L3 L4 GND - VDD CLK LATCH GND DATA - - - VDD",
    ),
    DemoPart(
        "U4",
        "storage",
        "SOIC-8",
        x_mm=11.0,
        y_mm=31.0,
        rotation_deg=0,
        side="top",
        nets="CS SO VDD GND SI SCK VDD VDD",
    ),
    DemoPart(
        "U5",
        "regulator 3.3 V",
        "TO-252",
        x_mm=10.5,
        y_mm=11.0,
        rotation_deg=90,
        side="top",
        nets="VIN GND VDD",
    ),
    DemoPart(
        "Q1",
        "switch",
        "SOT-23",
        x_mm=47.5,
        y_mm=10.0,
        rotation_deg=0,
        side="top",
        nets="L4 GND LAMPK",
    ),
    DemoPart(
        "Q2",
        "switch",
        "SOT-23",
        x_mm=19.0,
        y_mm=37.0,
        rotation_deg=0,
        side="top",
        nets="KEY GND SENSE",
    ),
    DemoPart(
        "D1",
        "lamp, amber",
        "LED_0603",
        x_mm=20.0,
        y_mm=33.5,
        rotation_deg=0,
        side="top",
        nets="GND LAMPA",
    ),
    DemoPart(
        "D2",
        "lamp, green",
        "LED_0805",
        x_mm=51.0,
        y_mm=15.5,
        rotation_deg=0,
        side="top",
        nets="LAMPK VDD",
    ),
    DemoPart(
        "C1",
        "47 µF 25 V",
        "CAN-6.3",
        x_mm=20.0,
        y_mm=5.5,
        rotation_deg=0,
        side="top",
        nets="VIN GND",
    ),
    DemoPart(
        "C2", "10 µF", "1206", x_mm=4.0, y_mm=19.5, rotation_deg=90, side="top", nets="VIN GND"
    ),
    DemoPart(
        "C3", "10 µF", "0805", x_mm=17.0, y_mm=11.5, rotation_deg=90, side="top", nets="VDD GND"
    ),
    DemoPart(
        "C4", "100 nF", "0402", x_mm=21.5, y_mm=28.5, rotation_deg=0, side="top", nets="GND VDD"
    ),
    DemoPart(
        "C5", "100 nF", "0402", x_mm=19.5, y_mm=24.5, rotation_deg=90, side="top", nets="VDD GND"
    ),
    DemoPart(
        "C6", "100 nF", "0402", x_mm=31.0, y_mm=17.0, rotation_deg=0, side="top", nets="VDD GND"
    ),
    DemoPart(
        "C7", "100 nF", "0402", x_mm=33.0, y_mm=30.5, rotation_deg=90, side="top", nets="VDD GND"
    ),
    DemoPart(
        "C8", "100 nF", "0402", x_mm=23.0, y_mm=30.5, rotation_deg=90, side="top", nets="GND VDD"
    ),
    DemoPart(
        "C9", "100 nF", "0402", x_mm=5.5, y_mm=33.0, rotation_deg=90, side="top", nets="GND VDD"
    ),
    DemoPart(
        "C10", "100 nF", "0603", x_mm=48.5, y_mm=22.5, rotation_deg=90, side="top", nets="GND VIN"
    ),
    DemoPart(
        "C11", "10 nF", "0402", x_mm=44.0, y_mm=29.5, rotation_deg=0, side="top", nets="GND CP"
    ),
    DemoPart(
        "C12", "22 µF", "1206", x_mm=46.0, y_mm=33.5, rotation_deg=0, side="top", nets="VIN GND"
    ),
    DemoPart(
        "C13", "100 nF", "0603", x_mm=23.0, y_mm=12.5, rotation_deg=90, side="top", nets="VDD GND"
    ),
    DemoPart(
        "C14", "1 µF", "0603", x_mm=42.0, y_mm=31.5, rotation_deg=0, side="top", nets="VDD GND"
    ),
    DemoPart(
        "R1", "10 kΩ", "0603", x_mm=18.0, y_mm=20.0, rotation_deg=0, side="top", nets="VDD RST"
    ),
    DemoPart(
        "R2", "1 kΩ", "0603", x_mm=26.0, y_mm=33.5, rotation_deg=0, side="top", nets="LAMP LAMPA"
    ),
    DemoPart(
        "R3", "10 kΩ", "0402", x_mm=38.5, y_mm=29.5, rotation_deg=90, side="top", nets="VDD FAULT"
    ),
    DemoPart(
        "R4", "4.7 kΩ", "0402", x_mm=31.0, y_mm=35.5, rotation_deg=90, side="top", nets="VDD SENSE"
    ),
    DemoPart("R5", "0 Ω", "0805", x_mm=35.5, y_mm=35.5, rotation_deg=90, side="top", nets="TXD TX"),
    DemoPart("R6", "0 Ω", "0805", x_mm=39.0, y_mm=35.5, rotation_deg=90, side="top", nets="RXD RX"),
    DemoPart("R7", "330 Ω", "0603", x_mm=38.0, y_mm=5.5, rotation_deg=0, side="top", nets="L1 LA"),
    DemoPart("R8", "330 Ω", "0603", x_mm=38.0, y_mm=8.0, rotation_deg=0, side="top", nets="L2 LB"),
    DemoPart("R9", "330 Ω", "0603", x_mm=38.0, y_mm=10.5, rotation_deg=0, side="top", nets="L3 LC"),
    DemoPart(
        "R10", "10 kΩ", "0402", x_mm=14.0, y_mm=37.0, rotation_deg=0, side="top", nets="VDD KEY"
    ),
    DemoPart(
        "J1",
        "valve socket",
        "CONN-6-1.25",
        x_mm=57.5,
        y_mm=29.0,
        rotation_deg=90,
        side="top",
        nets="COIL1 COIL2 COIL3 COIL4 VIN GND GND GND",
    ),
    DemoPart(
        "J2",
        "supply and lamps",
        "CONN-6-1.25",
        x_mm=57.5,
        y_mm=12.0,
        rotation_deg=90,
        side="top",
        nets="VIN GND LA LB LC GND GND GND",
    ),
    DemoPart(
        "J3",
        "key and sensor",
        "CONN-4-1.25",
        x_mm=27.0,
        y_mm=40.0,
        rotation_deg=180,
        side="top",
        nets="VDD KEY SENSE GND GND GND",
    ),
    DemoPart(
        "C20", "10 µF", "0805", x_mm=44.0, y_mm=22.0, rotation_deg=0, side="bottom", nets="VIN GND"
    ),
    DemoPart(
        "C21", "100 nF", "0603", x_mm=27.0, y_mm=20.0, rotation_deg=0, side="bottom", nets="VDD GND"
    ),
    DemoPart(
        "C22",
        "100 nF",
        "0603",
        x_mm=27.0,
        y_mm=27.5,
        rotation_deg=180,
        side="bottom",
        nets="VDD GND",
    ),
    DemoPart(
        "C23",
        "4.7 µF",
        "0805",
        x_mm=12.0,
        y_mm=22.0,
        rotation_deg=90,
        side="bottom",
        nets="VDD GND",
    ),
    DemoPart(
        "R20",
        "100 kΩ",
        "0603",
        x_mm=37.0,
        y_mm=25.5,
        rotation_deg=90,
        side="bottom",
        nets="SLEEP GND",
    ),
    DemoPart(
        "R21", "100 kΩ", "0603", x_mm=37.2, y_mm=38.5, rotation_deg=0, side="bottom", nets="TX RX"
    ),
    DemoPart(
        "R22",
        "1 MΩ",
        "0603",
        x_mm=23.0,
        y_mm=37.0,
        rotation_deg=90,
        side="bottom",
        nets="SENSE GND",
    ),
    DemoPart(
        "R23", "1 MΩ", "0603", x_mm=50.0, y_mm=37.0, rotation_deg=0, side="bottom", nets="VIN GND"
    ),
    DemoPart(
        "Q20",
        "guard",
        "SOT-23",
        x_mm=53.0,
        y_mm=20.0,
        rotation_deg=0,
        side="bottom",
        nets="VIN GND VIN",
    ),
    DemoPart(
        "C24", "1 µF", "1206", x_mm=33.0, y_mm=14.0, rotation_deg=90, side="bottom", nets="VDD GND"
    ),
)
HOLES_MM = ((3.5, 3.5), (58.5, 3.5), (3.5, 40.5), (58.5, 40.5))
HOLE_DRILL_MM = 3.2
