"""Hands a sky on: a lat-long map of its light in OpenEXR or Radiance form, and its facts in figures.

Maps are scene-linear: ACEScg in OpenEXR (with its chromaticities), linear sRGB in Radiance .hdr, whose
form knows no other; both in cd/m2, row 0 the zenith, columns from north through east.
"""

import math
from pathlib import Path

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import ACESCG_TO_SRGB, ACESCG_TO_XYZ, LUMINANCE_WEIGHTS
from lunar_haze.core.errors import HandOffError
from lunar_haze.core.handoff.stills import write_exr, write_hdr
from lunar_haze.core.sky.dome import discs, dome_illuminance_lx, dome_radiance
from lunar_haze.core.sky.lat_long import direction_of, irradiance, map_directions
from lunar_haze.core.sky.model import ClearSky

FORMS = (".exr", ".hdr")


def sky_picture(sky: ClearSky, height: int, width: int, with_sun: bool = True) -> NDArray[np.float32]:
    """Lat-long radiance (H, W, 3) float32 [cd/m2 ACEScg] of a sky; its discs cover the pixels they fall on."""
    picture = np.array(dome_radiance(sky, height, width))
    if not with_sun:
        return picture
    directions, solid_angle = map_directions(height, width)
    for disc in discs(sky):
        cosine = directions @ direction_of(disc.altitude_deg, disc.azimuth_deg)
        inside = cosine > math.cos(math.radians(0.2665))
        if not inside.any():
            inside = cosine >= cosine.max()
        picture[inside] += (disc.share * disc.clear_light / solid_angle[inside].sum()).astype(np.float32)
    return picture


def write_sky(picture: NDArray[np.float32], path: Path) -> None:
    """Write a lat-long picture (H, W, 3) as .exr or .hdr. Raises HandOffError; a file that was there stays then."""
    path = Path(path)
    if path.suffix.lower() not in FORMS:
        raise HandOffError(f"{path.name}: a sky is written as .exr or .hdr")
    if path.suffix.lower() == ".exr":
        write_exr(path, picture, {}, {"comments": "lat-long sky, ACEScg, cd/m2"})
    else:
        write_hdr(path, np.maximum(picture @ ACESCG_TO_SRGB.T, 0.0))


@attrs.frozen
class Facts:
    """A sky in figures. Angles in degrees; illuminances in lux on level ground; ``xy`` of all its light."""

    sun_altitude_deg: float
    sun_azimuth_deg: float
    moon_altitude_deg: float
    moon_azimuth_deg: float
    moon_phase_deg: float
    sun_lx: float
    moon_lx: float
    sky_lx: float
    xy: tuple[float, float]


def facts_of(sky: ClearSky) -> Facts:
    """Where sun and moon stand and what each part of the sky gives."""

    light = {"sun": np.zeros(3), "moon": np.zeros(3)} | {disc.body: disc.on_ground for disc in discs(sky)}
    dome = irradiance(dome_radiance(sky))
    xyz = ACESCG_TO_XYZ @ (light["sun"] + light["moon"] + dome)
    return Facts(
        sky.sun_altitude_deg,
        sky.sun_azimuth_deg,
        sky.moon_altitude_deg,
        sky.moon_azimuth_deg,
        sky.moon_phase_deg,
        float(light["sun"] @ LUMINANCE_WEIGHTS),
        float(light["moon"] @ LUMINANCE_WEIGHTS),
        dome_illuminance_lx(sky),
        (float(xyz[0] / xyz.sum()), float(xyz[1] / xyz.sum())),
    )
