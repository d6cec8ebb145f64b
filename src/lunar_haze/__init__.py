"""Lunar Haze: mood and atmosphere lighting for modelled places."""

__version__ = "0.1.0"
