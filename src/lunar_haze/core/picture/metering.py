"""Metering: which exposure a picture asks for, read from what is lit, so that blacks stay black.

A reflected-light meter puts the mean luminance it reads on mid grey (ISO 2720:1974). Averaged over a whole night
picture that makes day of night; here only what is lit is read, as a photographer points a spot meter.
"""

import enum

import attrs
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from lunar_haze.core.colour.spaces import luminance
from lunar_haze.core.picture.mix import block_mean
from lunar_haze.core.units.photometry import ev100_of_luminance

#: Blocks across the picture that the meter tells apart: grain does not count.
BLOCKS_ACROSS = 32
#: What lies so far under the brightest is not lit [stops].
UNLIT_STOPS = 4.0
#: The lit side of a subject lies within so much of its brightest: what a spot meter is pointed at [stops].
LIT_SIDE_STOPS = 1.5
#: For the whole picture what lies so far under the brightest counts as that far: no meter tells it from black [stops].
BLACK_STOPS = 8.0
#: The least luminance that an eye adapted to darkness sees [cd/m2]; what is darker is black.
LEAST_SEEN_CD_M2 = 1e-6
#: A subject of fewer pixels is too small to be read.
LEAST_PIXELS = 12


class Meters(enum.Enum):
    """What a meter reads, by its words on screen."""

    LIT = "lit parts"
    SUBJECT = "subject"
    WHOLE = "whole picture"


@attrs.frozen
class Metered:
    """A reading: its luminance [cd/m2], and ``what`` was read, in words."""

    luminance_cd_m2: float
    what: str

    @property
    def ev100(self) -> float:
        """EV100 that puts it on mid grey."""
        return ev100_of_luminance(self.luminance_cd_m2)


def meter(
    picture: NDArray[np.float32], subject: NDArray[np.bool_] | None = None, meters: Meters = Meters.LIT
) -> Metered | None:
    """What a picture (h, w, 3) [cd/m2, ACEScg] asks for; None when it is black, or has no subject that was asked for.

    ``subject`` (h, w) is where the shot's subject is seen. `Meters.LIT` reads the lit side of the subject when it is
    lit about as much as the rest, otherwise the lit parts of the picture: those within `UNLIT_STOPS` of the
    brightest, lamps in frame left out. `Meters.SUBJECT` reads the subject however dark; `Meters.WHOLE` all there is.
    """
    blocks = np.maximum(luminance(block_mean(picture, max(picture.shape[1] // BLOCKS_ACROSS, 1))), 0.0)
    # A lamp in frame covers a block or two: what is alone among darker ones is left out.
    smooth = median_filter(blocks, size=3, mode="nearest") if min(blocks.shape) >= 3 else blocks
    top = float(smooth.max(initial=0.0))
    if top < LEAST_SEEN_CD_M2:
        # A spot too small for the filter is still light.
        top, smooth = float(blocks.max(initial=0.0)), blocks
    on_subject = None if subject is None else _lit_mean(np.maximum(luminance(picture[subject]), 0.0))
    if meters is Meters.SUBJECT:
        return None if on_subject is None else Metered(on_subject, "lit side of the subject")
    if top < LEAST_SEEN_CD_M2:
        return None
    if meters is Meters.WHOLE:
        return Metered(_log_mean(np.maximum(smooth, top * 2.0**-BLACK_STOPS)), "whole picture")
    lit = _log_mean(smooth[smooth >= top * 2.0**-UNLIT_STOPS])
    if on_subject is not None and on_subject >= lit * 2.0**-UNLIT_STOPS:
        return Metered(on_subject, "lit side of the subject")
    return Metered(lit, "lit parts")


def _log_mean(light: NDArray) -> float:
    return float(np.exp(np.log(light.astype(np.float64)).mean()))


def _lit_mean(light: NDArray) -> float | None:
    """Mean of what is lit of some pixels (n,) [cd/m2]: as a spot meter, which averages light; None for black ones."""
    if len(light) < LEAST_PIXELS:
        return None
    # A button that glints is not the lit side; a face turned to the lamp is.
    top = float(np.quantile(light, 0.95))
    lit = np.minimum(light[light >= top * 2.0**-LIT_SIDE_STOPS], 2.0 * top)
    mean = float(lit.mean(dtype=np.float64)) if len(lit) else 0.0
    return mean if mean >= LEAST_SEEN_CD_M2 else None
