"""The 24 hours of a day at a site: the colours of its sky, the heights of sun and moon."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.sky import moonlight
from lunar_haze.core.sky.clear_air import SUN_ACESCG, Atmosphere
from lunar_haze.core.sky.dome import SUN_GONE_DEG, sky_view
from lunar_haze.core.sky.ephemeris import Site, heavens
from lunar_haze.core.sky.night import AIRGLOW_CD_M2, AIRGLOW_COLOUR, STARLIGHT_CD_M2, STARLIGHT_COLOUR

#: Luminance that noon is shown with; the range of a camera would leave nights black.
NOON_CD_M2, SHOWN_AT_NOON, COMPRESSION = 8000.0, 0.55, 0.17


def _side(atmosphere: Atmosphere, altitude_deg: float, light: NDArray, rows: int) -> NDArray[np.float32]:
    return sky_view(atmosphere, altitude_deg, light, rows + 1, 5)[1:, :3].mean(1)


def day_band(date: str, site: Site, atmosphere: Atmosphere, rows: int, columns: int) -> NDArray[np.float32]:
    """The clear sky over a day (rows, columns, 3) float32, row 0 high up, the last at the horizon.

    Each column is the mean of the sky's half towards the sun, from a little above the horizon.
    Colours are true, levels are brought together by a power so that night and noon fit one picture.
    """
    band = np.empty((rows, columns, 3), np.float32)
    floor = AIRGLOW_CD_M2 * AIRGLOW_COLOUR + STARLIGHT_CD_M2 * STARLIGHT_COLOUR
    for column in range(columns):
        above = heavens(date, (column + 0.5) * 24.0 / columns, site)
        sky = np.zeros((rows, 3)) + floor
        if above.sun.altitude_deg > SUN_GONE_DEG:
            sky += _side(atmosphere, above.sun.altitude_deg, SUN_ACESCG, rows)
        if above.sun.altitude_deg < -4.0 and above.moon.altitude_deg > -3.0:
            light = moonlight.moon_acescg(above.phase_deg)
            sky += _side(atmosphere, above.moon.altitude_deg, light, rows)
        level = float((sky @ LUMINANCE_WEIGHTS).mean())
        shown = SHOWN_AT_NOON * (level / NOON_CD_M2) ** COMPRESSION
        band[:, column] = sky[::-1] * (shown / level)
    return band
