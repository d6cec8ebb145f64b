"""Live answers that stand on a picture free of grain: what the live way says of it changes it, and only that."""

import numba as nb
import numpy as np

from lunar_haze.core.transport.air_pixels import MAX_LIFT
from lunar_haze.core.units.shapes import entry

f32 = np.float32


@nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)
def changed(clean, air_before, air, change):
    """Light of a clean picture whose air becomes ``air``, and whose rest becomes ``change`` times what it was.

    Where the live way had more air, ``air_before``, than there is light, the air goes along.
    """
    least = f32(1e-20)
    kept = min((clean + least) / (air_before + least), f32(1.0))
    return air * kept + max(clean - air_before, f32(0.0)) * change


@entry(clean="n f4", surface_before="n f4", air_before="n f4", surface="n f4", air="n f4", out="n f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def stand_on(clean, surface_before, air_before, surface, air, out):
    """``out`` = a ``clean`` picture (n,), free of grain, changed as what the live way says of it: ``surface_before``
    and ``air_before`` became ``surface`` and ``air``.

    What the live way takes for air is replaced, and what is left, surfaces and all that it does not
    know, goes along with the surfaces.
    """
    for n in nb.prange(clean.shape[0]):
        least = f32(1e-20)
        change = min((surface[n] + least) / (surface_before[n] + least), MAX_LIFT)
        out[n] = changed(clean[n], air_before[n], air[n], change)
