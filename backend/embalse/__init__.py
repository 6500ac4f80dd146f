"""Embalse: irrigation advice from soil moisture probes."""

__version__ = "0.1.0"
