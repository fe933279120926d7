"""When cold things draw water from the air."""

import math

from yellowfen.core.quantity.number import in_range

# Magnus form, Alduchov and Eskridge 1996: saturation vapour pressure over water, -40 to 50 °C,
# within 0.4 %.
MAGNUS_A, MAGNUS_B_C, MAGNUS_HPA = 17.625, 243.04, 6.1094


def saturation_hpa(celsius: float) -> float:
    """Saturation vapour pressure over water, hPa, at -40 to 50 °C."""
    in_range("celsius", celsius, -40, 50, "°C")
    return MAGNUS_HPA * math.exp(MAGNUS_A * celsius / (MAGNUS_B_C + celsius))


def dew_point_c(room_c: float, humidity: float) -> float:
    """Below this temperature a surface draws dew; room at -20 to 50 °C, relative humidity 0.01 to
    1.
    """
    in_range("room_c", room_c, -20, 50, "°C")
    in_range("humidity", humidity, 0.01, 1.0)
    gamma = math.log(humidity) + MAGNUS_A * room_c / (MAGNUS_B_C + room_c)
    return MAGNUS_B_C * gamma / (MAGNUS_A - gamma)
