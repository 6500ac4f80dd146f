"""Refusals of the core: each names the thing refused and says why."""

from embalse.core.wording import Notice, Text, text


class CoreError(ValueError):
    """A value the arithmetic refuses.

    Parameters
    ----------
    field : str
        Name of the refused input.
    reason : Text
        What is wrong with it and what would be right.
    """

    def __init__(self, field: str, reason: Text) -> None:
        super().__init__(f"{field}: {text(reason)}")
        self.field = field
        self.reason = reason


class TextureError(CoreError):
    """Sand, silt and clay that cannot be a soil."""


class ProfileTooShallow(CoreError):
    """Layers or horizons that end above the depth asked for."""


class LayerError(CoreError):
    """Sensor depths or limits that make no layers."""


class DeliveryError(CoreError):
    """An irrigation system that cannot turn depth into time."""


class CalibrationError(CoreError):
    """A calibration that gives no water content."""


def require(condition: bool, field: str, reason: Text, kind: type[CoreError] = CoreError) -> None:
    """Raise ``kind`` with ``field`` and ``reason`` unless ``condition`` holds."""
    if not condition:
        raise kind(field, reason)


def require_between(value: float, low: float, high: float, field: str, unit: str = "") -> None:
    """Raise CoreError unless ``low <= value <= high`` (all in ``unit``); NaN is refused too."""
    ending = _ENDINGS.get(unit, "")
    bounds = {f"low{ending}": low, f"high{ending}": high, f"is{ending}": value}
    require(low <= value <= high, field, Notice(f"error.between{ending}", **bounds, unit="" if ending else unit))


_ENDINGS = {"mm": "_mm", "cm": "_cm", "kPa": "_kpa", "mm/h": "_mm_h", "g/cm³": "_g_cm3"}
"""Endings of value names by unit, so that limits are said in the reader's units."""
