"""Mist as one medium: extinction that is constant below a base level and thins with height.

    sigma_t(z) = sigma_0                         z <= base
    sigma_t(z) = sigma_0 exp(-(z - base) / H)    z >  base

with sigma_0 = 3.912 / V from the visibility V (Koschmieder 1924, contrast threshold 2 %), and no
mist at all above ``top``: a layer of finite depth, so that the sun and the sky always reach it.
Optical depth along a segment has a closed form, which `optical_depth` gives for arrays and
`lunar_haze.core.air.kernels` for single rays.
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.jendersie2023 import Blend, droplets

KOSCHMIEDER = 3.912


@attrs.frozen
class Medium:
    """The air of a look. Lengths in metres; colours ACEScg.

    ``visibility_m`` is how far one can see at the base level; infinite means clear air.
    ``albedo`` is the share of extinction that is scattered, per channel. ``anisotropy`` is the
    Henyey-Greenstein g in (-1, 1), positive when light is thrown onward; a ``droplet_um``, the
    diameter of droplets [um], takes its place unless it is zero.
    """

    visibility_m: float = math.inf
    base_m: float = 0.0
    fall_off_m: float = 12.0
    top_m: float = 400.0
    albedo: tuple[float, float, float] = (0.97, 0.97, 0.97)
    anisotropy: float = 0.55
    droplet_um: float = 0.0

    @property
    def extinction_per_m(self) -> float:
        """Extinction sigma_0 at the base level [1/m]; zero in clear air."""
        return KOSCHMIEDER / self.visibility_m if self.visibility_m > 0 else math.inf

    @property
    def is_clear(self) -> bool:
        """True where there is nothing in the air to compute."""
        return not math.isfinite(self.visibility_m) or self.extinction_per_m < 1e-9

    def pack(self) -> NDArray:
        """Parameters of the kernels, (12,) float32.

        sigma_0, base, H, top, g, albedo rgb, is-clear; g and alpha of Draine's lobe and its share.
        """
        blend = droplets(self.droplet_um) if self.droplet_um > 0 else Blend(self.anisotropy, 0.0, 0.0, 0.0)
        sigma = 0.0 if self.is_clear else min(self.extinction_per_m, 1e4)
        return np.array(
            [sigma, self.base_m, max(self.fall_off_m, 1e-3), max(self.top_m, self.base_m + 1e-3),
             blend.g_hg, *self.albedo, float(self.is_clear), blend.g_draine, blend.alpha, blend.draine_share],
            np.float32,
        )  # fmt: skip


def _column(z: NDArray, medium: Medium) -> NDArray:
    """Vertical optical depth from minus infinity's clamp to height z, per sigma_0 [m]."""
    above = np.clip(z, medium.base_m, medium.top_m) - medium.base_m
    return np.minimum(z, medium.base_m) + medium.fall_off_m * -np.expm1(-above / medium.fall_off_m)


def optical_depth(medium: Medium, start: NDArray, end: NDArray) -> NDArray:
    """Optical depth between points ``start`` and ``end`` (..., 3) [m], dimensionless, (...).

    Closed form of the integral of ``sigma_t`` along the segment.
    """
    if medium.is_clear:
        return np.zeros(np.broadcast(start[..., 0], end[..., 0]).shape)
    start, end = np.asarray(start, float), np.asarray(end, float)
    length = np.linalg.norm(end - start, axis=-1)
    dz = end[..., 2] - start[..., 2]
    level = np.abs(dz) < 1e-6 * np.maximum(length, 1e-9)
    z = 0.5 * (start[..., 2] + end[..., 2])
    density = np.where(z > medium.top_m, 0.0, np.exp(-np.maximum(z - medium.base_m, 0.0) / medium.fall_off_m))
    slope = np.where(level, 1.0, dz)
    slanted = (_column(end[..., 2], medium) - _column(start[..., 2], medium)) / slope * length
    return medium.extinction_per_m * np.where(level, density * length, slanted)
