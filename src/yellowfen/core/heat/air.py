"""Properties of dry air at 101.3 kPa, and flow stated as free air.

Law: a flow in L/min is free air at 20 °C and 101.3 kPa, so mass flow is the same however hot the
outlet.
"""

from yellowfen.core.source.mark import Mark, constant

KELVIN = 273.15
FREE_AIR_DENSITY_KG_M3 = constant(
    "free_air_density",
    1.204,
    "kg/m³",
    mark=Mark.PUBLISHED,
    source="ideal gas, 28.96 g/mol, 20 °C, 101.325 kPa",
    affects="mass flow of the hot air from L/min",
)
_MU0 = constant(
    "air_viscosity_0c",
    1.722e-5,
    "Pa·s",
    mark=Mark.PUBLISHED,
    source="Sutherland's law, fitted to CoolProp's air from 0 to 600 °C (S = 130 K)",
    affects="Reynolds number of the jet",
)
_K0 = constant(
    "air_conductivity_0c",
    0.0241,
    "W/m·K",
    mark=Mark.PUBLISHED,
    source="Sutherland's form with S = 194 K (White, Viscous Fluid Flow)",
    affects="heat transfer of jet and free convection",
)


def viscosity_pa_s(air_c: float) -> float:
    """Dynamic viscosity of air, Pa·s; within 1 % from 0 to 600 °C."""
    kelvin = air_c + KELVIN
    return float(_MU0 * (kelvin / KELVIN) ** 1.5 * (KELVIN + 130.0) / (kelvin + 130.0))


def conductivity_w_mk(air_c: float) -> float:
    """Thermal conductivity of air, W/m·K; within 2 % from 0 to 600 °C."""
    kelvin = air_c + KELVIN
    return float(_K0 * (kelvin / KELVIN) ** 1.5 * (KELVIN + 194.0) / (kelvin + 194.0))


def specific_heat_j_kgk(air_c: float) -> float:
    """Specific heat at constant pressure, J/kg·K; within 1 % from 0 to 600 °C (quadratic-cubic fit
    to tables).
    """
    t = air_c + KELVIN
    return 1047.6 - 0.3726 * t + 9.45e-4 * t**2 - 6.02e-7 * t**3 + 1.29e-10 * t**4


def prandtl(air_c: float) -> float:
    """Prandtl number of air, dimensionless."""
    return viscosity_pa_s(air_c) * specific_heat_j_kgk(air_c) / conductivity_w_mk(air_c)


def mass_flow_kg_s(flow_lpm: float) -> float:
    """Mass flow in kg/s of `flow_lpm` litres of free air a minute."""
    return flow_lpm / 60000.0 * FREE_AIR_DENSITY_KG_M3
