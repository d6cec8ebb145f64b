"""Halation: light that goes through a film's layers, is mirrored at the back of its base and comes back as a halo.

Light that a layer scatters evenly into a base of thickness t comes back, at the distance r, over a way of 2 t down and
up: with tan a = r / 2t there is cos(a)^4 / (pi (2 t)^2) R(a) of it on each area, R the reflectance of the base's back
(Fresnel), all of it beyond the angle of total reflection: hence the ring of so many films (Mees 1942, The theory of the
photographic process). Layers that see red lie deepest and have most of it. The light of the halo is taken from the
picture.
"""

import math

import numpy as np
from numpy.typing import NDArray

#: Thickness of a usual base [mm] of a frame 24 mm high, and the base's index.
BASE_MM, FRAME_MM, INDEX = 0.13, 24.0, 1.5
#: How much of the halo the layers for red, green and blue take.
LAYERS = np.array([1.0, 0.32, 0.06], np.float32)


def reflected(sine: NDArray) -> NDArray[np.float64]:
    """Share of even light that the back of the base mirrors, by the sine of the angle inside (Fresnel).

    Arrays of any shape.
    """
    inside = np.sqrt(1.0 - sine**2)
    outer = np.sqrt(np.maximum(1.0 - (INDEX * sine) ** 2, 0.0))
    along = ((INDEX * inside - outer) / (INDEX * inside + outer)) ** 2
    across = ((inside - INDEX * outer) / (inside + INDEX * outer)) ** 2
    return np.asarray(0.5 * (along + across))


def halo(heights: NDArray, size: float) -> NDArray[np.float64]:
    """The halo's light per area by the distance in frame heights; ``size`` is the base's thickness over a usual one.

    Arrays of any shape; per frame height squared.
    """
    way = 2.0 * BASE_MM / FRAME_MM * size
    cosine = 1.0 / np.hypot(1.0, np.asarray(heights, float) / way)
    return cosine**4 / (math.pi * way**2) * reflected(np.sqrt(1.0 - cosine**2))
