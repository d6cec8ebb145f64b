"""The brightest light of a photographed sky: where it stands, how large it is and how much light it gives."""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.sky.lat_long import bearing_of, map_directions

#: How far round its centre a lobe counts as the sun and its glare [deg], at the least.
LOBE_DEG = 4.0
#: A lobe is offered as a sun when it holds this share of the light and is no larger than this [deg].
LEAST_SHARE, LARGEST_DEG = 0.03, 8.0
#: A light that is larger than this [deg] is a part of the sky, and no source.
LARGEST_SOURCE_DEG = 60.0
#: How wide the halo of a sun is that is cut off at white [deg].
HALO_DEG = 5.0


@attrs.frozen
class Lobe:
    """The brightest spot of a panorama, in the file's own bearings, and its light.

    ``light`` (3,) is its irradiance facing it, in the file's unit times sr; ``share`` that of all
    the light it holds; ``background`` (3,) the radiance round it. ``diameter_deg`` is the size of the
    disc that shines as brightly as its brightest half, ``size_deg`` its width and height were it a rectangle,
    ``radius_deg`` how far it is told apart from the rest.
    """

    altitude_deg: float
    azimuth_deg: float
    light: tuple[float, float, float]
    share: float
    background: tuple[float, float, float]
    diameter_deg: float = 0.53
    radius_deg: float = LOBE_DEG
    size_deg: tuple[float, float] = (0.47, 0.47)

    @property
    def is_source(self) -> bool:
        """Whether it is enough of the light, and small enough, to be a source of its own."""
        return self.share >= LEAST_SHARE and self.diameter_deg <= LARGEST_SOURCE_DEG

    @property
    def is_disc(self) -> bool:
        """Whether it is small, and a good part of the light."""
        return self.share >= LEAST_SHARE and self.diameter_deg <= LARGEST_DEG


def find_lobe(pixels: NDArray[np.float32], clipped: bool = False) -> Lobe:
    """The bright lobe of a lat-long picture (H, W, 3): where its sun stands and how much it gives.

    Where it is ``clipped`` at white much else may be as white: the sun is where the halo is.
    """
    from scipy.ndimage import gaussian_filter, label

    step = max(pixels.shape[1] // 512, 1)
    height, width = pixels.shape[0] // step, pixels.shape[1] // step
    small = pixels[: height * step, : width * step].reshape(height, step, width, step, 3).mean((1, 3))
    luminance = small @ LUMINANCE_WEIGHTS
    directions, solid = map_directions(height, width)
    sigma = 1.0 if not clipped else max(HALO_DEG / 180.0 * height, 1.0)
    weight = solid if clipped else np.ones_like(solid)
    blurred, of = (gaussian_filter(m, sigma, mode=("nearest", "wrap")) for m in (luminance * weight, weight))
    y, x = np.unravel_index(np.argmax(blurred / of), blurred.shape)
    around = directions @ directions[y, x]
    near = around > math.cos(math.radians(LOBE_DEG))
    peak = luminance[near].max()
    # What hangs together with the peak, at half of it and more, is what shines.
    bright = np.concatenate([luminance, luminance], 1) > 0.5 * peak
    parts, _count = label(bright)
    parts = np.stack([parts[:, :width], parts[:, width:]])
    spots = np.where(near & (luminance >= 0.999 * peak))
    shining = np.isin(parts, parts[:, spots[0][0], spots[1][0]][parts[:, spots[0][0], spots[1][0]] > 0]).any(0)
    extent = float(solid[shining].sum())
    diameter = 2 * math.degrees(math.acos(max(1.0 - extent / (2 * math.pi), -1.0)))
    weight = np.where(shining, luminance * solid, 0.0)
    towards = np.einsum("hw,hwc->c", weight, directions)
    length = float(np.linalg.norm(towards))
    towards = towards / length if length > 0 else directions[y, x]
    altitude, azimuth = bearing_of(towards)
    radius = min(max(LOBE_DEG, 0.75 * diameter), 60.0)
    background = np.median(small[_ring(directions, towards, radius)], 0)
    inside = directions @ towards > math.cos(math.radians(radius))
    light = (np.maximum(small[inside] - background, 0.0) * solid[inside][:, None]).sum(0)
    total = float((luminance * solid).sum())
    # A disc smaller than a pixel of the map is told by what the sun's would be.
    pixel = 180.0 / height
    is_point = diameter < 1.5 * pixel
    diameter = 0.53 if is_point else diameter
    return Lobe(
        altitude,
        azimuth,
        tuple(light.tolist()),
        float(light @ LUMINANCE_WEIGHTS) / max(total, 1e-30),
        tuple(background.tolist()),
        diameter,
        radius,
        (diameter, diameter) if is_point else _extent(directions[shining], solid[shining], towards),
    )


def _extent(directions: NDArray, solid: NDArray, towards: NDArray) -> tuple[float, float]:
    """Width and height [deg] of the rectangle that is spread as far as some directions (n, 3) are."""
    east = np.cross(towards, [0.0, 0.0, 1.0])
    east /= max(float(np.linalg.norm(east)), 1e-9)
    up = np.cross(east, towards)
    found = []
    for axis in (east, up):
        angle = np.degrees(np.arctan2(directions @ axis, directions @ towards))
        middle = float(np.average(angle, weights=solid))
        found.append(math.sqrt(12.0 * float(np.average((angle - middle) ** 2, weights=solid))))
    return found[0], found[1]


def _ring(directions: NDArray, towards: NDArray, radius_deg: float) -> NDArray[np.bool_]:
    """Which pixels of a map of directions (H, W, 3) lie just outside a radius: three degrees, two pixels at least."""
    cosine = directions @ towards
    width_deg = max(3.0, 2.0 * 180.0 / len(directions))
    inner, outer = (math.cos(math.radians(min(at, 180.0))) for at in (radius_deg, radius_deg + width_deg))
    return (cosine < inner) & (cosine > outer)
