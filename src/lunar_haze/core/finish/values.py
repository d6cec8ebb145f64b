"""The parts of a finish as frozen values. Sizes are shares of the frame's height, whatever the picture's size."""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

Vec3 = tuple[float, float, float]
ONES: Vec3 = (1.0, 1.0, 1.0)
ZEROS: Vec3 = (0.0, 0.0, 0.0)
#: The colour temperature that is neutral when nothing is changed: the white of the working space [K].
NEUTRAL_K = 6000.0
#: Whites lie between these temperatures [K], and no farther off the locus of black bodies (Duv).
COOLEST_K, HOTTEST_K, MOST_DUV = 1667.0, 15_000.0, 0.1


@attrs.frozen
class Glow:
    """Scattered light in lens and eye: ``strength`` is the share of the light that is scattered, in [0, 1];
    ``size`` how wide, 1 as in the eye with the frame's height at 27 degrees.
    """

    strength: float = 0.0
    size: float = 1.0


@attrs.frozen
class Dust:
    """Dust that floats before the lens: motes in a cubic metre, and how bright: 1 as those 0.1 mm wide by nature."""

    per_m3: float = 0.0
    brightness: float = 300.0


@attrs.frozen
class Aperture:
    """The lens's aperture as stars and ghosts show it: f-number, how many blades it has, how far it is turned [deg]."""

    f_number: float = 11.0
    blades: float = 6.0
    turn_deg: float = 8.0

    @property
    def sides(self) -> int:
        """Blades as a whole number."""
        return round(self.blades)

    @property
    def normals(self) -> NDArray[np.float64]:
        """Unit vectors (sides, 2) out of each edge, right and down."""
        angles = math.radians(self.turn_deg) + 2.0 * math.pi * np.arange(self.sides) / self.sides
        return np.stack([np.sin(angles), -np.cos(angles)], 1)


@attrs.frozen
class Halation:
    """Light that a film's base mirrors back: ``strength`` is its share of red light, in [0, 1]; ``size`` the base's
    thickness over a usual one.
    """

    strength: float = 0.0
    size: float = 1.0


@attrs.frozen
class White:
    """What is to be neutral: its colour temperature [K] and its tint (Duv, green above 0)."""

    kelvin: float = NEUTRAL_K
    tint_duv: float = 0.0


@attrs.frozen
class Vignette:
    """Darker towards the corners: ``stops`` there, ``falloff`` the share of the lens's own cos^4 in [0, 1]."""

    stops: float = 0.0
    falloff: float = 0.0


@attrs.frozen
class Cdl:
    """ASC colour decision list in ACEScct: slope, offset and power for red, green and blue; saturation."""

    slope: Vec3 = ONES
    offset: Vec3 = ZEROS
    power: Vec3 = ONES
    saturation: float = 1.0


@attrs.frozen
class Grade:
    """Exposure [stops] and contrast about mid grey; ``toe`` lifts (above 0) or sinks shadows, ``shoulder`` holds
    (above 0) or spreads lights, both in [-1, 1]; ``shadows`` and ``lights`` are ACEScg colours that they lean to, by
    ``split`` in [0, 1].
    """

    exposure: float = 0.0
    contrast: float = 1.0
    toe: float = 0.0
    shoulder: float = 0.0
    split: float = 0.0
    shadows: Vec3 = (0.45, 0.5, 0.62)
    lights: Vec3 = (0.62, 0.52, 0.4)


#: What a grading table is made for, and how that is told.
SPACES = {"log": "for ACEScct", "screen": "for the screen"}


@attrs.frozen
class TableFile:
    """A grading table (.cube, .clf): its file, what that held, how much of it, and for which of SPACES it is made."""

    path: str = ""
    digest: str = ""
    strength: float = 1.0
    space: str = "log"


@attrs.frozen
class Grain:
    """Grain in the finished picture: ``strength`` in code values of 255, ``size`` in thousandths of the height."""

    strength: float = 0.0
    size: float = 2.0
    seed: int = 1
