"""What a photographed sky without a unit is of, guessed from what is in it, and the light that such a sky has.

A clear sky is blue (Rayleigh), bluer still at dusk, when ozone takes what is left of yellow (Hulburt 1953, Journal of
the Optical Society of America 43); its horizon is warm under a low sun. A cloud is grey and even; a room is neither;
a night has small lamps about the horizon. Guesses: the artist may choose another.
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.sky.lat_long import direction_of, map_directions


@attrs.frozen
class PhotographKind:
    """A kind of photographed sky: its ``name``, what it has on level ground [lx], whether it may hold a sun."""

    name: str
    level_lx: float
    has_sun: bool


CLEAR, OVERCAST, LOW_SUN = (
    PhotographKind("clear day", 60_000.0, True),
    PhotographKind("overcast", 10_000.0, False),
    PhotographKind("low sun", 6000.0, True),
)
DUSK, NIGHT, ROOM = (
    PhotographKind("dusk", 20.0, False),
    PhotographKind("night", 0.15, False),
    PhotographKind("room", 300.0, False),
)
KINDS = (CLEAR, OVERCAST, LOW_SUN, DUSK, NIGHT, ROOM)

#: Their names, in the order they are offered.
NAMES = tuple(kind.name for kind in KINDS)
#: Blue over red, both over luminance, of the upper sky: from here on it is a clear sky's, and that of a dusk.
BLUE, BLUE_OF_DUSK = 1.15, 2.4
#: Under this the band above the horizon is warm, as under a low sun.
WARM_HORIZON = 1.15
#: No cloud is so many times brighter than the middle of its sky.
EVEN = 2.5
#: A sun lower than this [deg] is a low one.
LOW_DEG = 12.0
#: A lamp is so many times brighter than the middle of the sky, in light and in a picture, and smaller than this [deg].
LAMP_OVER_SKY, LAMP_IN_PICTURE, LAMP_DEG = 30.0, 10.0, 3.0
#: From so many lamps on it is a night, within this band of heights [deg]; so near the brightest spot is its halo [deg].
LAMPS, LAMPS_WITHIN_DEG, HALO_DEG = 3, 20.0, 20.0
#: An ordinary picture is as dark as this by night, and under clouds at dusk.
NIGHT_BELOW, DUSK_BELOW = 0.01, 0.06
#: Light of a night without a moon [lx].
MOONLESS_LX = 0.0102


def named(name: str) -> PhotographKind:
    """The kind of that name. Raises KeyError."""
    return {kind.name: kind for kind in KINDS}[name]


@attrs.frozen
class BrightSpot:
    """The brightest spot of a picture: where it stands [deg], and whether it is as small and as strong as a disc."""

    altitude_deg: float
    azimuth_deg: float
    is_disc: bool


def guessed(pixels: NDArray[np.float32], encoding: str, spot: BrightSpot) -> tuple[PhotographKind, float]:
    """The kind that a photograph looks like, and the light on level ground that it begins at [lx].

    ``pixels`` (H, W, 3) are linear ACEScg, lat-long, of no unit; ``encoding`` tells whether it is an ordinary picture.
    """
    luminance = pixels @ LUMINANCE_WEIGHTS.astype(np.float32)
    directions, solid = map_directions(*luminance.shape)
    up = directions[..., 2]
    upper, band = up > 0.15, (up > 0.03) & (up < 0.2)
    middle = max(float(np.median(luminance[upper])), 1e-30)
    blue, horizon = _blueness(pixels[upper], luminance[upper]), _blueness(pixels[band], luminance[band])
    apart = directions @ direction_of(spot.altitude_deg, spot.azimuth_deg) < math.cos(math.radians(HALO_DEG))
    lamps = _lamps(luminance, solid, directions, middle, encoding, apart if spot.altitude_deg > 0.0 else up < 2.0)
    even = float(np.quantile(luminance[(up > 0.0) & apart], 0.999)) <= EVEN * middle
    as_dark = _by_exposure(middle) if encoding == "display" else None
    if as_dark is NIGHT:
        kind = NIGHT
    elif blue < BLUE:
        others = bool((luminance[apart] > LAMP_OVER_SKY * middle).any())
        if spot.is_disc and spot.altitude_deg > 0.0 and even and not others:
            # A veil, or a picture without colour: one disc in an even sky.
            kind = LOW_SUN if spot.altitude_deg < LOW_DEG else CLEAR
        else:
            kind = (as_dark or OVERCAST) if even and not others and lamps < LAMPS else ROOM
    elif lamps >= LAMPS:
        kind = NIGHT
    elif blue > BLUE_OF_DUSK:
        kind = DUSK
    elif (spot.is_disc and spot.altitude_deg < LOW_DEG) or horizon < WARM_HORIZON:
        kind = LOW_SUN
    else:
        kind = CLEAR
    return kind, _level_of(kind, spot)


def _by_exposure(middle: float) -> PhotographKind | None:
    """What a picture that was exposed to be seen is of by its darkness alone, None by day."""
    return NIGHT if middle < NIGHT_BELOW else DUSK if middle < DUSK_BELOW else None


def _blueness(pixels: NDArray, luminance: NDArray) -> float:
    colour = np.median(pixels / np.maximum(luminance, 1e-30)[:, None], 0)
    return float(colour[2] / max(float(colour[0]), 1e-6))


def _lamps(
    luminance: NDArray, solid: NDArray, directions: NDArray, middle: float, encoding: str, apart: NDArray
) -> int:
    """How many small bright spots lie about the horizon, ``apart`` (H, W) from the halo of the brightest."""
    over = LAMP_OVER_SKY if encoding == "linear" else LAMP_IN_PICTURE
    low = np.abs(directions[..., 2]) < math.sin(math.radians(LAMPS_WITHIN_DEG))
    parts, count = label((luminance > over * middle) & low & apart)
    if not count:
        return 0
    sizes = np.bincount(parts.ravel(), solid.ravel(), count + 1)[1:]
    return int((sizes < math.pi * math.radians(LAMP_DEG / 2) ** 2).sum())


def _level_of(kind: PhotographKind, spot: BrightSpot) -> float:
    if kind is NIGHT:
        return NIGHT.level_lx if spot.is_disc and spot.altitude_deg > 0.0 else MOONLESS_LX
    if not kind.has_sun or spot.altitude_deg <= 0.0 or (kind is LOW_SUN and not spot.is_disc):
        return kind.level_lx
    # The sun's light through clear air at its height, and that of the sky about it.
    sine = math.sin(math.radians(spot.altitude_deg))
    return float(f"{133_000.0 * math.exp(-0.21 / sine) * sine + 13_000.0 * math.sqrt(sine):.2g}")
