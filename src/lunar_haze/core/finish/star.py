"""Stars: light that the edges of the lens's opening bend, as spikes across the blades round what is bright.

Far from its middle the diffraction of an opening with straight edges (Born & Wolf, Principles of Optics, 8.5) is one
spike either way across each edge: an edge of length L at the spatial frequency q along its normal gives
(L sinc(L t) / (2 pi q))^2 per area, t along the edge, so that of all light the share P / (2 pi^2 A q) lies further out
than q, for an opening of perimeter P and area A. For a regular polygon about an opening of f-number N that is
2 lambda N / (pi^2 r cos(pi / n)) at the distance r in the picture. Red light is bent more than blue. Light is taken
from where it comes, so that none is made; what is bent out of the frame is lost.
"""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish import kernels
from lunar_haze.core.finish.model import Opening
from lunar_haze.core.picture.mix import block_mean, enlarge
from lunar_haze.core.place.camera import SENSOR_WIDTH_MM

#: Wavelengths that stand for red, green and blue [mm].
WAVES_MM = np.array([0.61e-3, 0.55e-3, 0.465e-3])
#: The spike of one bright pixel ends where it adds less than this to exposed light: half of the least step of a dark
#: tone on screen. The more of them there are, the longer each, since they add up.
LEAST = 3e-4
#: No more of the light is bent than this, whatever the strength.
MOST_BENT = 0.8
#: So many bright pixels have spikes of their own; where there are more, blocks of them have.
MOST_PIXELS = 1500
#: Spikes go on to so much less light at the most.
MOST_LONGER = 8.0


def bent_beyond(opening: Opening, distance_mm: float) -> NDArray[np.float64]:
    """The share (3,) of red, green and blue light that an opening bends further than a distance on the sensor."""
    return 2.0 * WAVES_MM * opening.f_number / (math.pi**2 * distance_mm * math.cos(math.pi / opening.sides))


def spikes(opening: Opening) -> NDArray[np.float64]:
    """Unit vectors (m, 2) along the spikes, right and down: one across each blade, both ways."""
    normals = opening.normals
    return normals if opening.sides % 2 == 0 else np.concatenate([normals, -normals])


def bright_part(picture: NDArray[np.float32], scale: float) -> tuple[NDArray[np.float32], int]:
    """The light (h, w, 3) of what is brighter than the screen's white, all of it from two stops over that; in how many
    pixels there is some. The rest bends light alike, by too little to be seen.
    """
    bright = np.empty_like(picture)
    return bright, int(kernels.bright_part(np.ascontiguousarray(picture), np.float32(scale), bright))


def starred(picture: NDArray[np.float32], strength: float, opening: Opening, scale: float) -> NDArray[np.float32]:
    """A picture (h, w, 3) [cd/m2] with stars; a strength of 1 is what the opening does. ``scale`` is the exposure.

    The very picture when there are none.
    """
    if strength == 0.0:
        return picture
    bright, count = bright_part(picture, scale)
    if count == 0:
        return picture
    step = 1
    while count > MOST_PIXELS and step < 16:
        step, count = 2 * step, count // 4
    if step > 1:
        bright = block_mean(bright, step)
    pixel_mm = SENSOR_WIDTH_MM / picture.shape[1] * step
    share = strength * bent_beyond(opening, pixel_mm)
    share *= min(1.0, MOST_BENT / (2.0 * float(share.max())))
    # How wide a spike is to its first dark [px], for green light.
    wide = WAVES_MM[1] * opening.f_number / math.sin(math.pi / opening.sides) / pixel_mm
    changed = np.zeros_like(bright)
    least = LEAST / min(math.sqrt(max(count, 1)), MOST_LONGER) / scale
    kernels.draw_spikes(
        bright, spikes(opening).astype(np.float32), share.astype(np.float32), np.float32(least),
        np.float32(max(wide, 1.0)), changed,
    )  # fmt: skip
    if step > 1:
        whole = np.empty_like(picture)
        enlarge(changed, whole)
        changed = whole
    return np.maximum(picture + changed, 0.0, out=changed)
