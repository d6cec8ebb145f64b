"""Brush strokes as a region of the picture."""

import functools

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish import kernels
from lunar_haze.core.finish.mask_model import Stroke


@functools.lru_cache(maxsize=64)
def _cover(stroke: Stroke, feather: float, height: int, width: int) -> tuple[slice, slice, NDArray[np.float32]]:
    """The rows and columns that a stroke may cover, and how much of each pixel there."""
    places = np.array(stroke.places, np.float32).reshape(-1, 2) * np.float32(height)
    places += np.array([width / 2.0, height / 2.0], np.float32)
    radius = max(stroke.radius * height, 0.5)
    soft = max(radius * min(max(feather, 0.0), 1.0), 1.0)
    # A pixel on the rim of a hard brush is half covered.
    reach = radius + 0.5 * (soft - radius * min(max(feather, 0.0), 1.0))
    none = np.zeros(2, np.float32)
    low, high = (places.min(0), places.max(0)) if len(places) else (none, none)
    size = np.array([width, height])
    left, top = np.clip(np.floor(low - reach) - 1, 0, size).astype(int).tolist()
    right, bottom = np.clip(np.ceil(high + reach) + 2, 0, size).astype(int).tolist()
    found = np.zeros((bottom - top, right - left), np.float32)
    places -= np.array([left, top], np.float32)
    kernels.cover_of_stroke(places, np.float32(reach), np.float32(soft), found)
    return slice(top, bottom), slice(left, right), found


def strokes_cover(strokes: tuple[Stroke, ...], feather: float, height: int, width: int) -> NDArray[np.float32]:
    """How much of every pixel (height, width) strokes cover, in [0, 1]: laid on one another, or erased, in turn.

    Going over a place twice without lifting the brush counts once.
    """
    found = np.zeros((height, width), np.float32)
    for stroke in strokes:
        rows, columns, one = _cover(stroke, feather, height, width)
        before = found[rows, columns]
        found[rows, columns] = before * (1.0 - one) if stroke.erases else before + one - before * one
    return found
