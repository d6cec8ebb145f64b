"""Stars: light that the edges of the lens's aperture bend, as spikes across the blades round what is bright.

Far from its middle the diffraction of an aperture with straight edges (Born & Wolf, Principles of Optics, 8.5) is one
spike either way across each edge: an edge of length L at the spatial frequency q along its normal gives
(L sinc(L t) / (2 pi q))^2 per area, t along the edge, so that of all light the share P / (2 pi^2 A q) lies further out
than q, for an aperture of perimeter P and area A. For a regular polygon about an aperture of f-number N that is
2 lambda N / (pi^2 r cos(pi / n)) at the distance r in the picture. Red light is bent more than blue. Light is taken
from where it comes, so that none is made; what is bent out of the frame is lost.
"""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish import kernels
from lunar_haze.core.finish.bright import WAVES_MM, Bright
from lunar_haze.core.finish.values import Aperture
from lunar_haze.core.picture.mix import block_mean, enlarge
from lunar_haze.core.place.camera import SENSOR_WIDTH_MM

#: The spike of one bright pixel ends where it adds less than this to exposed light: half of the least step of a dark
#: tone on screen. The more of them there are, the longer each, since they add up.
LEAST = 3e-4
#: No more of the light is bent than this, whatever the strength.
MOST_BENT = 0.8
#: So many bright pixels have spikes of their own; where there are more, blocks of them have.
MOST_PIXELS = 1500
#: Spikes go on to so much less light at the most.
MOST_LONGER = 8.0


def bent_beyond(aperture: Aperture, distance_mm: float) -> NDArray[np.float64]:
    """The share (3,) of red, green and blue light that an aperture bends further than a distance on the sensor."""
    return 2.0 * WAVES_MM * aperture.f_number / (math.pi**2 * distance_mm * math.cos(math.pi / aperture.sides))


def spikes(aperture: Aperture) -> NDArray[np.float64]:
    """Unit vectors (m, 2) along the spikes, right and down: one across each blade, both ways."""
    normals = aperture.normals
    return normals if aperture.sides % 2 == 0 else np.concatenate([normals, -normals])


def starred(
    picture: NDArray[np.float32], bright: Bright, strength: float, aperture: Aperture, scale: float
) -> NDArray[np.float32]:
    """A picture (h, w, 3) [cd/m2] with stars of its ``bright`` part; a strength of 1 is what the aperture does.

    ``scale`` is the exposure. Returns the picture unchanged when there are none.
    """
    rows, columns = bright.places
    if strength == 0.0 or not len(rows):
        return picture
    light, step, count = bright.light, 1, len(rows)
    while count / step**2 > MOST_PIXELS and step < 16:
        step *= 2
    if step > 1:
        light = block_mean(light, step)
        rows, columns = np.nonzero(light.any(-1))
    pixel_mm = SENSOR_WIDTH_MM / picture.shape[1] * step
    share = strength * bent_beyond(aperture, pixel_mm)
    share *= min(1.0, MOST_BENT / (2.0 * float(share.max())))
    # How wide a spike is to its first dark [px], for green light.
    wide = WAVES_MM[1] * aperture.f_number / math.sin(math.pi / aperture.sides) / pixel_mm
    # As numpy finds them they lie interleaved.
    rows, columns = np.ascontiguousarray(rows), np.ascontiguousarray(columns)
    spiked, taken = np.zeros_like(light), np.zeros_like(light)
    least = LEAST / min(math.sqrt(count / step**2), MOST_LONGER) / scale
    kernels.draw_spikes(
        light, rows, columns, spikes(aperture).astype(np.float32), share.astype(np.float32), np.float32(least),
        np.float32(max(wide, 1.0)), spiked, taken,
    )  # fmt: skip
    gain, made = 1.0, spiked
    if step > 1:
        made = np.empty_like(picture)
        enlarge(spiked, made)
        # Blocks reach as far as the picture's edge when they are enlarged: what they had stays all the same.
        gain = step**2 * spiked.shape[0] * spiked.shape[1] / (picture.shape[0] * picture.shape[1])
    # Taken from each pixel by itself: one may have less light than the mean of its block.
    kernels.take_bent(np.ascontiguousarray(picture, np.float32), bright.light, taken, step, np.float32(gain), made)
    return made
