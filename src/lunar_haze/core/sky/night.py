"""The night sky's own light: airglow and faint starlight, the Milky Way, stars, a town beyond the horizon.

Levels after Leinert, C. et al. (1998), The 1997 reference of diffuse night sky brightness, A&AS
127, 1: a dark zenith is about 21.8 magnitudes per square arc second, 2e-4 cd/m2, of which airglow
is somewhat more than half; airglow brightens towards the horizon as van Rhijn (1921) has it for a
layer at 90 km. The Milky Way's band is our own fit to its width and its bulge. Colours are a little cooler than
measured, as the eye at night has them.
"""

import functools
import math

import ephem
import ephem.stars
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.krystek1985 import kelvin_to_acescg
from lunar_haze.core.colour.spaces import xy_to_acescg

#: Illuminance of magnitude zero above the air [lx] (Allen's Astrophysical Quantities, 4th ed.).
MAGNITUDE_ZERO_LX = 2.54e-6
AIRGLOW_CD_M2 = 1.3e-4
STARLIGHT_CD_M2 = 0.5e-4
MILKY_WAY_CD_M2 = 2.2e-4
AIRGLOW_COLOUR = xy_to_acescg(0.295, 0.312)
STARLIGHT_COLOUR = xy_to_acescg(0.288, 0.300)
FAINTEST = 6.5
#: Stars brighter than 6.5 over the whole sphere, as counts have it.
STARS_ALL = 9000


def glow(directions: NDArray, galactic: NDArray, stars: float) -> NDArray[np.float64]:
    """Radiance (..., 3) [cd/m2 ACEScg] of airglow, faint stars and the Milky Way.

    ``directions`` (..., 3) in the place's axes; ``galactic`` (3, 3) rows: the axes of the galaxy in
    them (centre, along, pole); ``stars`` scales all but the airglow.
    """
    up = np.clip(directions[..., 2], 0.0, 1.0)
    van_rhijn = 1.0 / np.sqrt(1.0 - (6371.0 / 6461.0) ** 2 * (1.0 - up**2))
    # The air takes most of the gain back at the very horizon.
    lost = np.exp(-0.18 * (1.0 / (up + 0.05) - 1.0))
    air = AIRGLOW_CD_M2 * van_rhijn * (0.35 + 0.65 * lost)
    along = directions @ galactic.T
    latitude = np.degrees(np.arcsin(np.clip(along[..., 2], -1.0, 1.0)))
    longitude = np.degrees(np.arctan2(along[..., 1], along[..., 0]))
    bulge = np.exp(-((longitude / 35.0) ** 2))
    band = np.exp(-np.abs(latitude) / (9.0 + 6.0 * bulge)) * (0.4 + 0.9 * bulge)
    rift = 1.0 - 0.45 * np.exp(-((latitude / 2.5) ** 2)) * np.exp(-((longitude / 60.0) ** 2))
    clouds = 1.0 + 0.25 * np.sin(0.21 * longitude + 2.0 * np.sin(0.11 * longitude)) * np.cos(0.3 * latitude)
    faint = stars * lost * (STARLIGHT_CD_M2 + MILKY_WAY_CD_M2 * band * rift * clouds)
    return air[..., None] * AIRGLOW_COLOUR + faint[..., None] * STARLIGHT_COLOUR


def turn(sidereal_deg: float, latitude_deg: float, north_deg: float) -> NDArray[np.float64]:
    """Rotation (3, 3) from equatorial axes (x to the vernal equinox, z to the pole) to the place's axes.

    ``sidereal_deg`` is local sidereal time, ``north_deg`` the bearing of the place's y axis; all in degrees.
    """
    s, p, n = math.radians(sidereal_deg), math.radians(latitude_deg), math.radians(north_deg)
    # Equatorial to local: x south, y east, z up after turning by the hour angle and tilting by latitude.
    hour = np.array([[math.cos(s), math.sin(s), 0], [-math.sin(s), math.cos(s), 0], [0, 0, 1]])
    tilt = np.array([[math.sin(p), 0, -math.cos(p)], [0, 1, 0], [math.cos(p), 0, math.sin(p)]])
    south_east_up = tilt @ hour
    east_north_up = np.array([south_east_up[1], -south_east_up[0], south_east_up[2]])
    about = np.array([[math.cos(n), math.sin(n), 0], [-math.sin(n), math.cos(n), 0], [0, 0, 1]])
    return about @ east_north_up


def _equatorial(ra: NDArray, dec: NDArray) -> NDArray[np.float64]:
    return np.stack([np.cos(dec) * np.cos(ra), np.cos(dec) * np.sin(ra), np.sin(dec)], -1)


#: The galaxy's axes in equatorial ones, J2000 (IAU): towards its centre, along its turn, its pole.
GALAXY = np.array(
    [
        [-0.0548755604, -0.8734370902, -0.4838350155],
        [0.4941094279, -0.4448296300, 0.7469822445],
        [-0.8676661490, -0.1980763734, 0.4559837762],
    ]
)


@functools.lru_cache(maxsize=1)
def stars() -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Directions (n, 3) in equatorial axes, illuminance (n,) above the air [lx], colour (n, 3) ACEScg.

    The brightest are the named stars of ephem's own list, where they stand; the rest are drawn:
    counts grow by 10^(0.51 m), and crowd towards the galaxy's plane.
    """
    known = [ephem.star(name) for name in sorted(ephem.stars.stars)]
    for star in known:
        star.compute("2000/1/1")
    bright = _equatorial(np.array([float(s.a_ra) for s in known]), np.array([float(s.a_dec) for s in known]))
    magnitude = np.array([s.mag for s in known])
    rng = np.random.default_rng(20)
    count = STARS_ALL - len(known)
    low, high = 10 ** (0.51 * 2.6), 10 ** (0.51 * FAINTEST)
    drawn = np.log10(rng.uniform(low, high, count)) / 0.51
    z = rng.uniform(-1.0, 1.0, 4 * count)
    keep = rng.random(4 * count) < 0.45 + 0.55 * np.exp(-np.abs(np.degrees(np.arcsin(z))) / 18.0)
    z = z[keep][:count]
    angle = rng.uniform(0, 2 * math.pi, len(z))
    flat = np.sqrt(1 - z**2)
    faint = np.stack([flat * np.cos(angle), flat * np.sin(angle), z], -1) @ GALAXY
    drawn = drawn[: len(z)]
    kelvin = np.clip(10 ** rng.normal(3.83, 0.16, len(known) + len(z)), 2800.0, 15000.0)
    colours = np.array([kelvin_to_acescg(float(round(k, -2))) for k in kelvin])
    lux = MAGNITUDE_ZERO_LX * 10 ** (-0.4 * np.concatenate([magnitude, drawn]))
    return np.concatenate([bright, faint]), lux, colours


def town(directions: NDArray, luminance_cd_m2: float, azimuth_deg: float) -> NDArray[np.float64]:
    """Glow (..., 3) [cd/m2 ACEScg] of a town's sodium and white lamps low over one bearing [deg].

    ``directions`` (..., 3) are unit vectors; ``luminance_cd_m2`` is that of the horizon over the town.
    """
    azimuth = np.arctan2(directions[..., 0], directions[..., 1])
    apart = np.degrees((azimuth - math.radians(azimuth_deg) + math.pi) % (2 * math.pi) - math.pi)
    height = np.degrees(np.arcsin(np.clip(directions[..., 2], 0.0, 1.0)))
    level = luminance_cd_m2 * np.exp(-height / 5.0) * (0.15 + 0.85 * np.exp(-((apart / 32.0) ** 2)))
    return level[..., None] * kelvin_to_acescg(2500.0)
