"""How a picture lies within what a camera holds: over, under, spread, in stops about mid grey."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.units.photometry import MID_GREY

#: Shares of the picture that a spread leaves out at either end: grain, and a lamp in frame.
ENDS = 0.02
#: What counts as black for a spread [stops about mid grey]: below it no screen shows a difference.
DARKEST = -10.0


@attrs.frozen
class Latitude:
    """What a camera tells apart, in stops under and over mid grey."""

    low: float = -6.0
    high: float = 4.0


@attrs.frozen
class Levels:
    """Shares of the picture over and under the latitude, and the stops between which nearly all of it lies."""

    over: float
    under: float
    darkest: float
    brightest: float

    @property
    def spread(self) -> float:
        """How far its ends lie apart [stops]."""
        return self.brightest - self.darkest


def stops(luminance: NDArray, scale: float) -> NDArray[np.float32]:
    """Stops about mid grey of luminance [cd/m2]; no light is `DARKEST` and a little more. Arrays of any shape."""
    floor = MID_GREY * 2.0 ** (DARKEST - 4.0) / max(scale, 1e-30)
    return np.log2(np.maximum(luminance, floor) * np.float32(scale / MID_GREY))


def levels(luminance: NDArray, scale: float, latitude: Latitude, where: NDArray[np.bool_] | None = None) -> Levels:
    """`Levels` of a picture's luminance (h, w) [cd/m2], of the part ``where`` (h, w) or of all.

    ``scale`` is the exposure factor, by which mid grey is 0.18.
    """
    found = stops(luminance, scale)
    found = found[where].ravel() if where is not None and where.any() else found.ravel()
    over, under = float((found > latitude.high).mean()), float((found < latitude.low).mean())
    # Two places in the order are enough: nothing need be sorted.
    low, high = (round(end * (len(found) - 1)) for end in (ENDS, 1 - ENDS))
    parted = np.partition(np.maximum(found, DARKEST), (low, high))
    return Levels(over, under, float(parted[low]), float(parted[high]))


def spreads(luminance: NDArray, scale: float) -> NDArray[np.float32]:
    """The spread of each of several pictures' luminance (n, m) [cd/m2], as `levels` has it [stops]."""
    found = np.maximum(stops(luminance, scale), DARKEST)
    low, high = (round(end * (found.shape[1] - 1)) for end in (ENDS, 1 - ENDS))
    parted = np.partition(found, (low, high), axis=1)
    return parted[:, high] - parted[:, low]


def overs(luminance: NDArray, scale: float, latitude: Latitude) -> NDArray[np.float64]:
    """The share of each of several pictures' luminance (n, m) [cd/m2] that lies over the latitude."""
    # Light is compared as it is: a logarithm for each pixel costs more than all the rest.
    return (luminance > MID_GREY * 2.0**latitude.high / max(scale, 1e-30)).mean(1)


def waveform(luminance: NDArray, scale: float, rows: int = 64, low: float = -10.0, high: float = 8.0) -> NDArray:
    """Light in stops by column: (rows, w) float32, each column's share of pixels at each level; row 0 is bright.

    ``luminance`` (h, w) [cd/m2], ``scale`` the exposure factor, ``low`` to ``high`` [stops about mid grey] the rows.
    """
    found = np.clip((stops(luminance, scale) - low) / (high - low), 0.0, 1.0 - 1e-6)
    row = rows - 1 - (found * rows).astype(np.int64)
    height, width = luminance.shape
    at = row * width + np.arange(width)[None]
    counts = np.bincount(at.ravel(), minlength=rows * width).reshape(rows, width)
    return (counts / height).astype(np.float32)
