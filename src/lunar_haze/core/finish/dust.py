"""Floating dust: motes before the lens, each lit by the light at its place and as far out of focus as the lens has it.

A mote of the cross-section A that throws the luminance L of its place to the lens has the intensity A L, whatever is
behind it; from the distance d that is A L / d^2 of light at the lens, spread over the aperture's shape as wide as the
circle of confusion. The lens sees a mote under its own sharp image where that is smaller than a pixel.
"""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish import kernels
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import Dust
from lunar_haze.core.layers.model import LayerGain
from lunar_haze.core.layers.motes import LitMotes, Motes
from lunar_haze.core.place.camera import Camera

#: Radius of a mote that is as bright as it is by nature [m].
_RADIUS_M = 5e-5
#: Out of focus no farther than this share of the frame's height.
_WIDEST = 0.15


def motes_of(dust: Dust, seconds: float) -> Motes | None:
    """The motes of a finish at a moment [s] of its shot; None for none."""
    return Motes(dust.per_m3, seconds) if dust.per_m3 > 0.0 else None


def _sum_of(lit: LitMotes, gains: tuple[LayerGain, ...]) -> NDArray[np.float32]:
    """Light (n, 3) of motes under the gains of the air of all layers."""
    found = np.zeros_like(lit.motes.at)
    for gain in gains:
        if gain.key in lit.light and any(gain.air):
            found += lit.light[gain.key] * np.asarray(gain.air, np.float32)
    return found


def blur_px(camera: Camera, depth: NDArray, width: int) -> NDArray[np.float64]:
    """Radius [px] of the circle of confusion at depths along the axis [m], in a picture of a width [px].

    Arrays of any shape.
    """
    angle = camera.aperture_radius_m * np.abs(1.0 / np.asarray(depth, float) - 1.0 / camera.sharp_at_m)
    return np.asarray(angle * width / (2.0 * camera.tan_half_width))


def dusted(
    picture: NDArray[np.float32],
    finish: Finish,
    camera: Camera,
    lit: LitMotes,
    gains: tuple[LayerGain, ...],
    distance: NDArray[np.float32],
) -> NDArray[np.float32]:
    """A picture (h, w, 3) [cd/m2] of layers under gains with the dust of its finish.

    ``distance`` (h, w) [m] is how far the lens sees: motes behind it are hidden. The very picture without any.
    """
    finish = finish.in_force
    if finish.dust.per_m3 == 0.0:
        return picture
    motes, light = lit.motes, _sum_of(lit, gains)
    height, width = picture.shape[:2]
    at = camera.project(motes.at, width, height)
    away = np.linalg.norm(motes.at - np.asarray(camera.position, np.float32), axis=1)
    x, y = np.floor(at[:, 0]).astype(np.int64), np.floor(at[:, 1]).astype(np.int64)
    seen = (x >= 0) & (x < width) & (y >= 0) & (y < height) & (light.max(1) > 0.0)
    seen[seen] &= away[seen] < distance[y[seen], x[seen]]
    if not seen.any():
        return picture
    at, away = at[seen], away[seen]
    # A pixel away from the middle takes up less of the view, by the cube of the cosine.
    pixel_sr = (2.0 * camera.tan_half_width / width) ** 2 * (at[:, 2] / away) ** 3
    area = finish.dust.brightness * motes.bright[seen] * math.pi * _RADIUS_M**2
    flux = (light[seen] * (area / (away**2 * pixel_sr))[:, None]).astype(np.float32)
    radius = np.minimum(blur_px(camera, at[:, 2], width), _WIDEST * height).astype(np.float32)
    out = picture.copy()
    kernels.draw_motes(at[:, :2].astype(np.float32), radius, finish.aperture.normals.astype(np.float32), flux, out)
    return out
