"""Unit conversions, for the edges only; inside the core everything is mm, cm, m³/m³, kPa, ha, m³/h."""

MM_PER_INCH = 25.4
CM_PER_FOOT = 30.48
M2_PER_HECTARE = 10_000.0
SQUARE_METRES_PER_ACRE = 4046.8564224
LITRES_PER_US_GALLON = 3.785411784


def fraction_from_percent(percent: float) -> float:
    """Percent to fraction [-], exact."""
    return percent / 100.0


def inches_from_mm(depth_mm: float) -> float:
    """Depth [mm] to inches; 1 in is 25.4 mm exactly."""
    return depth_mm / MM_PER_INCH


def mm_from_inches(depth_in: float) -> float:
    """Depth [in] to mm; 1 in is 25.4 mm exactly."""
    return depth_in * MM_PER_INCH


def acres_from_hectares(area_ha: float) -> float:
    """Area [ha] to international acres."""
    return area_ha * M2_PER_HECTARE / SQUARE_METRES_PER_ACRE


def gallons_per_minute_from_m3_h(flow_m3_h: float) -> float:
    """Flow [m³/h] to US gallons a minute."""
    return flow_m3_h * 1000.0 / 60.0 / LITRES_PER_US_GALLON


def volume_m3(depth_mm: float, area_ha: float) -> float:
    """Volume [m³] of a depth [mm] over an area [ha]; 1 mm over 1 ha is 10 m³."""
    return depth_mm * area_ha * 10.0


def centibars_from_kpa(tension_kpa: float) -> float:
    """Tension [kPa] to centibars; they are the same size."""
    return tension_kpa
