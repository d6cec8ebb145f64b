"""Smooth surfaces in a live answer: water mirrors the mist, and the mist has changed.

A surface that mirrors shows what lies in another direction, which is mostly elsewhere in the same
picture: its light changes as the picture changes there (as in screen-space reflection, McGuire &
Mara 2014, JCGT 3(4)).
"""

import attrs
import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.transport.clean_base import changed
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.ggx import DIELECTRIC_F0
from lunar_haze.core.transport.guides import ALBEDO, COUNT
from lunar_haze.core.transport.view import view_directions

f32 = np.float32

#: Surfaces rougher than this blur what they mirror too far to be told from matte.
SMOOTH = 0.25
#: How far beyond the picture's edge, in pictures, what is mirrored is taken to be as it is at the edge.
BEYOND = 0.25
#: How much of what is seen may be air before what is mirrored, how softly that ends, and the most that may change.
_VEILED, _SOFT, _MOST = f32(0.8), f32(1 / 0.3), f32(8.0)
#: What of it is mirrored from there: ripples, which the guides do not tell, turn the rest elsewhere.
_ONE_WAY = f32(0.5)


@attrs.frozen(eq=False)
class Mirrors:
    """Pixels that show smooth surfaces, (n,) each: which, the pixel that lies where they mirror, what share mirrors."""

    pixels: NDArray[np.int64]
    shows: NDArray[np.int64]
    share: NDArray[np.float32]


def mirrors_of(frame: Frame) -> Mirrors:
    """The smooth surfaces that a frame's guides have found."""
    camera, width, height = frame.view.camera, frame.view.width, frame.view.height
    guides, materials = frame.guides, frame.place.place.materials
    smooth = np.array([m.roughness <= SMOOTH for m in materials] + [False])
    pixels = np.flatnonzero(smooth[guides.owner[:, 1]])
    y, x = np.divmod(pixels, width)
    d = view_directions(frame.camera, x + 0.5, y + 0.5)
    normal = guides.ground[pixels]
    cosine = -(d * normal).sum(1, keepdims=True)
    seen = camera.project(camera.position + d + 2 * cosine * normal, width, height)[:, :2]
    # Behind the lens there are no numbers, which are within nothing.
    near = (np.abs(seen / (width, height) - 0.5) < 0.5 + BEYOND).all(1)
    column, row = np.clip(np.nan_to_num(seen), 0, (width - 1, height - 1)).astype(int).T
    metal = np.array([m.metallic for m in materials] + [0.0])[guides.owner[pixels, 1]]
    looks = guides.looks[pixels]
    albedo = looks[:, ALBEDO : ALBEDO + 3] @ LUMINANCE_WEIGHTS / np.maximum(looks[:, COUNT], 1)
    coat = DIELECTRIC_F0 + (1 - DIELECTRIC_F0) * (1 - np.clip(cosine[:, 0], 0, 1)) ** 5
    share = np.where(metal > 0.5, 1.0, coat / (coat + albedo * (1 - coat)))
    return Mirrors(pixels[near], (row * width + column)[near], share[near].astype(np.float32))


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _change_mirrored(pixels, shows, share, clean, air_before, air, changes, out):
    least = f32(1e-20)
    for i in nb.prange(pixels.shape[0]):
        p, q = pixels[i], shows[i]
        for c in range(3):
            # What lies mirrored begins at the surface, behind the air that the lens has before it. Where that air
            # is most of what is seen, what is left cannot be told: there it goes along with the surfaces.
            veiled = max(air_before[p, c] / (clean[q, c] + least), air[p, c] / (out[q, c] + least))
            told = _ONE_WAY * share[i] * min(max((_VEILED - veiled) * _SOFT, f32(0.0)), f32(1.0))
            changes[i, c] = f32(0.0)
            if told > f32(0.0):
                change = min((out[q, c] - air[p, c]) / (clean[q, c] - air_before[p, c]), _MOST)
                changes[i, c] = told * (changed(clean[p, c], air_before[p, c], air[p, c], change) - out[p, c])
    # Mirrors show each other: all are read before any is written.
    for i in nb.prange(pixels.shape[0]):
        for c in range(3):
            out[pixels[i], c] += changes[i, c]


def change_mirrored(
    mirrors: Mirrors,
    clean: NDArray[np.float32],
    air_before: NDArray[np.float32],
    air: NDArray[np.float32],
    out: NDArray[np.float32],
) -> None:
    """Let what smooth surfaces mirror follow the picture ``out`` (pixels, 3) that they show.

    ``clean`` is the picture before, ``air_before`` and ``air`` the air of both as the live way has it.
    """
    changes = np.empty((mirrors.pixels.size, 3), np.float32)
    _change_mirrored(mirrors.pixels, mirrors.shows, mirrors.share, clean, air_before, air, changes, out)
