"""Views of arrays that carry no reference count, for the inside of kernels.

A compiled kernel that hands a tuple of arrays from function to function counts references with
atomic operations at every step, and its threads fight over the counters: passes took five times
as long. A borrowed view is counted by nobody; the caller keeps the true array alive.
"""

import numba as nb
import numpy as np

from lunar_haze.core.transport.lights import LightArrays
from lunar_haze.core.transport.scene import SceneArrays
from lunar_haze.core.units.outside import as_pointer


@nb.njit(inline="always")
def floats(a):
    """Borrowed view of a C-contiguous float32 array."""
    return nb.carray(as_pointer(a.ctypes.data), a.shape, np.float32)


@nb.njit(inline="always")
def ints(a):
    """Borrowed view of a C-contiguous int32 array."""
    return nb.carray(as_pointer(a.ctypes.data), a.shape, np.int32)


@nb.njit(cache=True)
def borrow_scene(s):
    """A place's arrays, borrowed."""
    return SceneArrays(
        s.handle, s.solid_count, s.clear_count,
        floats(s.positions), floats(s.normals), floats(s.uvs),
        nb.carray(as_pointer(s.triangles.ctypes.data), s.triangles.shape, np.uint32),
        ints(s.material_of), ints(s.object_of), floats(s.materials), ints(s.textures_of),
        nb.carray(as_pointer(s.texels.ctypes.data), s.texels.shape, np.uint8),
        nb.carray(as_pointer(s.texture_info.ctypes.data), s.texture_info.shape, np.int64),
        floats(s.decode), floats(s.to_acescg), floats(s.energy), floats(s.mean_coat), floats(s.cards),
        floats(s.card_patterns),
    )  # fmt: skip


@nb.njit(cache=True)
def borrow_lights(lights):
    """The sources' arrays, borrowed."""
    return LightArrays(
        floats(lights.rows), floats(lights.sky), floats(lights.sky_rows), floats(lights.sky_columns),
        floats(lights.sky_density), ints(lights.emitters), floats(lights.emitter_sum), ints(lights.light_of),
        floats(lights.area_density), floats(lights.shades), floats(lights.patterns), floats(lights.profiles),
        floats(lights.spared), floats(lights.sun_maps), floats(lights.guide_view),
        floats(lights.guide_sum),
    )  # fmt: skip
