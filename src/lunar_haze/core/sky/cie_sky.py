"""The standard general sky: fifteen kinds of sky by the luminance that cloud and clear air spread over them.

ISO 15469:2004 (CIE S 011/E:2003), Spatial distribution of daylight - CIE standard general sky; Darula, S., and
Kittler, R. (2002), CIE general sky standard defining luminance distributions, eSim. Relative luminance over that of the
zenith is f(x) p(Z) / (f(Zs) p(0)): a gradation p(Z) = 1 + a exp(b / cos Z) over the zenith angle Z, and an indicatrix
f(x) = 1 + c (exp(d x) - exp(d pi / 2)) + e cos^2 x over the angle x from the sun. It has no colour of its own.
"""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sky.kinds import Dome, radiance_of, sky_kind
from lunar_haze.core.sky.lat_long import direction_of, irradiance, map_directions
from lunar_haze.core.units.row import row, under

#: (a, b, c, d, e) of the fifteen, the first the overcast sky, the fifth the uniform one, the twelfth clear air.
_TYPES = (
    (4.0, -0.70, 0.0, -1.0, 0.00),
    (4.0, -0.70, 2.0, -1.5, 0.15),
    (1.1, -0.80, 0.0, -1.0, 0.00),
    (1.1, -0.80, 2.0, -1.5, 0.15),
    (0.0, -1.00, 0.0, -1.0, 0.00),
    (0.0, -1.00, 2.0, -1.5, 0.15),
    (0.0, -1.00, 5.0, -2.5, 0.30),
    (0.0, -1.00, 10.0, -3.0, 0.45),
    (-1.0, -0.55, 2.0, -1.5, 0.15),
    (-1.0, -0.55, 5.0, -2.5, 0.30),
    (-1.0, -0.55, 10.0, -3.0, 0.45),
    (-1.0, -0.32, 10.0, -3.0, 0.45),
    (-1.0, -0.32, 16.0, -3.0, 0.30),
    (-1.0, -0.15, 16.0, -3.0, 0.30),
    (-1.0, -0.15, 24.0, -2.8, 0.15),
)

_ROWS = under(
    "standard sky",
    row("sky type", "type", "type", "", 1.0, 15.0, 1.0, whole=True, floor=1.0, ceiling=15.0,
        tip="1 overcast, brightest overhead; 5 even; 7 to 10 partly cloudy; 12 clear; 15 hazy with a bright sun"),
    row("standard sun elevation", "sun's elevation", "sun_altitude_deg", "°", 0.0, 90.0, 35.0, floor=0.0, ceiling=90.0,
        tip="round where the sun stands the sky is brighter; the sun itself is a source of its own"),
    row("standard sun azimuth", "sun's azimuth", "sun_azimuth_deg", "°", 0.0, 360.0, 180.0, period=360.0,
        tip="from north, clockwise"),
    row("standard ground albedo", "ground albedo", "ground_albedo", "", 0.0, 0.9, 0.2, floor=0.0, ceiling=1.0,
        tip="of the land below the horizon: snow 0.8, marsh 0.2, water 0.06"),
)  # fmt: skip


@sky_kind("standard sky (CIE)", 10_000.0, "lx", _ROWS)
@attrs.frozen
class CieSky(Dome):
    """``type`` 1 to 15 of the standard, where its sun stands, and the albedo of the ground below the horizon."""

    type: int = 1
    sun_altitude_deg: float = 35.0
    sun_azimuth_deg: float = 180.0
    ground_albedo: float = 0.2

    def plain(self) -> "CieSky":
        _a, _b, c, _d, e = _TYPES[self.type - 1]
        if c == e == 0.0:
            return attrs.evolve(self, sun_altitude_deg=35.0, sun_azimuth_deg=180.0)
        return self


@radiance_of(CieSky)
def cie_radiance(dome: CieSky, height: int, width: int) -> NDArray[np.float64]:
    """Radiance (height, width, 3) of 1 at the zenith, grey; the ground gives back what it gets from the sky."""
    directions, _solid = map_directions(height, width)
    up = directions[..., 2]
    a, b, c, d, e = _TYPES[dome.type - 1]
    sun = direction_of(dome.sun_altitude_deg, dome.sun_azimuth_deg)

    def gradation(cosine: NDArray) -> NDArray:
        return 1.0 + a * np.exp(b / np.maximum(cosine, 1e-3))

    def indicatrix(cosine: NDArray) -> NDArray:
        angle = np.arccos(np.clip(cosine, -1.0, 1.0))
        return 1.0 + c * (np.exp(d * angle) - np.exp(d * np.pi / 2)) + e * np.square(cosine)

    sky = indicatrix(directions @ sun) * gradation(up) / (indicatrix(sun[2]) * gradation(np.ones(())))
    found = np.where(up > 0.0, sky, 0.0)[..., None] * np.ones(3)
    return np.where(up[..., None] > 0.0, found, dome.ground_albedo / np.pi * irradiance(found))
