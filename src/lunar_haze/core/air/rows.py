"""Rows of the air: what can be set of fog, its patches, where it begins and ends, and a bank."""

import math

import attrs

from lunar_haze.core.air.jendersie2023 import LARGEST_UM, SMALLEST_UM
from lunar_haze.core.air.medium import Medium
from lunar_haze.core.units.row import Row, inside, row, under

#: A visibility past this [m] is clear air; mist that goes on past this [m] goes on for ever.
CLEAR_BEYOND_M, ENDLESS_M = 60_000.0, 2000.0


def _with_droplets(medium: Medium, value: float) -> Medium:
    """Below half the smallest droplet the phase is set by hand; up to the smallest it is the smallest."""
    return attrs.evolve(medium, droplet_um=0.0 if value < SMALLEST_UM / 2 else max(value, SMALLEST_UM))


_FOG = under(
    "fog",
    row("visibility", "visibility", "visibility_m", "m", 8.0, 40_000.0, math.inf, ratio=True, floor=0.5,
        endless="clear", endless_from=CLEAR_BEYOND_M,
        tip="how far one sees through the mist; past the right end the air is clear"),
    row("base height", "base height", "base_m", "m", -2.0, 20.0, 0.0, tip="height below which the mist is full"),
    row("scale height", "scale height", "fall_off_m", "m", 0.5, 300.0, 12.0, ratio=True, floor=0.05, ceiling=1e5,
        tip="height in which it falls to a third"),
    row("top", "top", "top_m", "m", 2.0, 1000.0, 400.0, ratio=True, floor=0.1, ceiling=1e5,
        tip="height above which there is no mist"),
)  # fmt: skip

_SCATTERING = under(
    "scattering",
    Row("droplet size", "droplet size", "um", 0.0, LARGEST_UM, 0.0, lambda m: m.droplet_um, _with_droplets, floor=0.0,
        ceiling=LARGEST_UM, path=("droplet_um",),
        tip=f"fog has {SMALLEST_UM:.0f} to {LARGEST_UM:.0f}; 0 leaves the anisotropy as it is"),
    Row("anisotropy", "anisotropy", "", -0.9, 0.95, 0.55, lambda m: m.anisotropy,
        lambda m, v: attrs.evolve(m, anisotropy=v, droplet_um=0.0), floor=-0.99, ceiling=0.99, path=("anisotropy",),
        tip="forward above 0: against the lens it makes shafts; back below 0"),
    row("multiple scattering", "multiple scattering", "multiple", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=1.0,
        tip="how much light is kept that the mist scatters more than once: 0 has contrast and shafts, 1 is physical"),
)  # fmt: skip

_ALBEDO = under("scattering colour", *(
    row(name, name, f"albedo.{axis}", "", 0.0, 1.0, 0.97, floor=0.0, ceiling=1.0,
        tip=f"share of {name} light that is scattered; the rest is absorbed")
    for axis, name in enumerate(("red", "green", "blue"))
))  # fmt: skip

_PATCHES = under("patches", *inside("patches", (
    row("density variation", "density variation", "contrast", "", 0.0, 1.5, 0.0, floor=0.0, ceiling=2.0,
        tip="standard deviation of the density over its mean; 0 is even"),
    row("patch size", "patch size", "size_m", "m", 0.5, 60.0, 8.0, ratio=True, floor=0.1, ceiling=2000.0,
        tip="how wide denser and thinner patches are", when=lambda p: p.contrast > 0),
    row("flatness", "flatness", "stretch", "", 0.5, 8.0, 2.5, floor=0.1, ceiling=50.0,
        tip="how much wider than tall patches are", when=lambda p: p.contrast > 0),
    row("wind", "wind", "speed_m_s", "m/s", 0.0, 6.0, 0.6, floor=0.0, ceiling=60.0,
        tip="how fast the wind carries the patches over the frames", when=lambda p: p.contrast > 0),
    Row("wind from", "wind from", "°", 0.0, 360.0, 240.0, lambda p: p.bearing_deg,
        lambda p, v: attrs.evolve(p, bearing_deg=v % 360.0), floor=-360.0, ceiling=720.0, period=360.0,
        path=("bearing_deg",),
        tip="bearing that the wind comes from", when=lambda p: p.contrast > 0),
    row("patch seed", "seed", "seed", "", 1.0, 40.0, 1.0, whole=True, floor=0.0, ceiling=9999.0,
        tip="another pattern of the same kind", when=lambda p: p.contrast > 0),
)))  # fmt: skip

_STRETCH = under("before or behind", *inside("stretch", (
    row("begins at", "begins at", "begins_m", "m", 0.0, 100.0, 0.0, floor=0.0, ceiling=1e5,
        tip="no mist nearer to the lens than this"),
    row("ends at", "ends at", "ends_m", "m", 1.0, 1000.0, math.inf, ratio=True, floor=0.1, endless="for ever",
        endless_from=ENDLESS_M, tip="no mist farther than this; past the right end it goes on for ever"),
    row("fades over", "fades over", "fades_m", "m", 0.1, 50.0, 2.0, ratio=True, floor=0.01, ceiling=1e4,
        tip="how soft its near and far ends are"),
)))  # fmt: skip

MEDIUM_ROWS = (*_FOG, *_SCATTERING, *_ALBEDO, *_PATCHES, *_STRETCH)

BANK_ROWS = under(
    "bank",
    row("bank visibility", "bank visibility", "visibility_m", "m", 2.0, 2000.0, 25.0, ratio=True, floor=0.05,
        tip="how far one sees at its heart"),
    row("soft edge", "soft edge", "softness", "", 0.0, 1.0, 0.7, floor=0.0, ceiling=1.0,
        tip="share of its half size over which it thins out"),
    *(
        row(f"bank {name}", name, f"size.{axis}", "m", 0.2, 200.0, 8.0, ratio=True, floor=0.0, ceiling=1e5,
            tip=f"how {name} it is")
        for axis, name in enumerate(("long", "wide", "high"))
    ),
    row("bank turned", "rotation", "turn_deg", "°", -180.0, 180.0, 0.0, floor=-360.0, ceiling=360.0,
        tip="about its upright axis"),
)  # fmt: skip
