"""Lunar Haze: mood and atmosphere lighting for modelled places."""

from lunar_haze.core.units.kernel_cache import keep_kernels

__version__ = "0.1.0"

#: Where compiled kernels lie. Said before anything of ours loads numba.
KERNELS = keep_kernels()
