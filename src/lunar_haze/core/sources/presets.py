"""Plain lamps to begin with, with amounts of the real thing."""

from typing import Any

import attrs

from lunar_haze.core.sources.facing import Vec3
from lunar_haze.core.sources.kinds import Shape
from lunar_haze.core.sources.model import Ball, Beam, Disc, LampArray, Rectangle, Source, Tube

#: name -> (shape, amount, unit, kelvin)
PRESETS: dict[str, tuple[Shape, float, str, float]] = {
    "ball": (Ball(radius_m=0.05), 800.0, "lm", 2700.0),
    "disc": (Disc(radius_m=0.35), 2500.0, "lm", 3200.0),
    "rectangle": (Rectangle(), 4000.0, "lm", 5000.0),
    "beam": (Beam(), 3000.0, "lm", 3200.0),
    "candle": (Ball(radius_m=0.012), 12.5, "lm", 1850.0),
    "oil lantern": (Ball(radius_m=0.03), 120.0, "lm", 1950.0),
    "tungsten bulb": (Ball(radius_m=0.03), 700.0, "lm", 2750.0),
    "fluorescent tube": (Tube(length_m=1.2, radius_m=0.013), 3200.0, "lm", 4000.0),
    "sodium lamp": (Ball(radius_m=0.08), 5600.0, "lm", 2050.0),
    "mercury lamp": (Ball(radius_m=0.08), 6300.0, "lm", 4200.0),
    "screen": (Rectangle(width_m=0.6, height_m=0.34), 250.0, "cd/m2", 7000.0),
    "lightning": (Ball(radius_m=0.5), 3.0e6, "cd", 8500.0),
    "string of bulbs": (
        LampArray(lamp=Ball(radius_m=0.03), arrangement="row", count=9, width_m=5.0),
        1800.0,
        "lm",
        2400.0,
    ),
}


def make_source(preset: str, source_id: str, name: str, position: Vec3, aim: Vec3) -> Source:
    """A lamp of a preset standing at ``position`` and, where it has a front, facing ``aim``."""
    shape: Any
    shape, amount, unit, kelvin = PRESETS[preset]
    moved = {"position": position} | ({"aim": aim} if hasattr(shape, "aim") else {})
    return Source(source_id, name, attrs.evolve(shape, **moved), amount, unit, kelvin=kelvin)
