"""Views of arrays that carry no reference count, for the inside of kernels.

A compiled kernel that hands a tuple of arrays from function to function counts references with
atomic operations at every step, and its threads fight over the counters: passes took five times
as long, and a single array that was handed on as it came, read at few pixels, cost a quarter of a pass. A borrowed view
is counted by nobody; the caller keeps the true array alive.
"""

import numba as nb
import numpy as np

from lunar_haze.core.transport.ggx import TABLE_SIZE
from lunar_haze.core.transport.importance import EMPHASIS_COLUMNS
from lunar_haze.core.transport.lights import LightArrays
from lunar_haze.core.transport.path_values import ACTIVE_COLUMNS, Setting
from lunar_haze.core.transport.scene import (
    CARD_COLUMNS,
    FACE_COLUMNS,
    MATERIAL_COLUMNS,
    TEXTURES,
    VERTEX_COLUMNS,
    SceneArrays,
)
from lunar_haze.core.transport.source_row import COLUMNS
from lunar_haze.core.units.outside import as_pointer


@nb.njit(inline="always")
def floats(a):
    """Borrowed view of a C-contiguous float32 array."""
    return nb.carray(as_pointer(a.ctypes.data), a.shape, np.float32)


@nb.njit(inline="always")
def ints(a):
    """Borrowed view of a C-contiguous int32 array."""
    return nb.carray(as_pointer(a.ctypes.data), a.shape, np.int32)


# Rows whose width is written down here are found by a multiplication that the compiler knows.


@nb.njit(inline="always")
def float_rows(a, columns):
    """Borrowed view (n, columns) of such a C-contiguous float32 array; ``columns`` is a constant."""
    return nb.carray(as_pointer(a.ctypes.data), (a.shape[0], columns), np.float32)


@nb.njit(inline="always")
def layer_pool(a):
    """Borrowed view of a pool of layers (slots, pixels, 3) float32."""
    return nb.carray(as_pointer(a.ctypes.data), (a.shape[0], a.shape[1], 3), np.float32)


@nb.njit(cache=True, forceinline=True)
def borrow_scene(s):
    """A place's arrays, borrowed."""
    return SceneArrays(
        s.handle,
        s.solid_count,
        s.clear_count,
        float_rows(s.vertices, VERTEX_COLUMNS),
        nb.carray(as_pointer(s.faces.ctypes.data), (s.faces.shape[0], FACE_COLUMNS), np.uint32),
        float_rows(s.materials, MATERIAL_COLUMNS),
        nb.carray(as_pointer(s.textures_of.ctypes.data), (s.textures_of.shape[0], TEXTURES), np.int32),
        nb.carray(as_pointer(s.texels.ctypes.data), s.texels.shape, np.uint32),
        nb.carray(as_pointer(s.texture_info.ctypes.data), (s.texture_info.shape[0], 4), np.int64),
        nb.carray(as_pointer(s.colours.ctypes.data), s.colours.shape, np.uint32),
        floats(s.decode),
        float_rows(s.to_acescg, 3),
        nb.carray(as_pointer(s.energy.ctypes.data), (TABLE_SIZE, TABLE_SIZE, 3), np.float32),
        nb.carray(as_pointer(s.mean_coat.ctypes.data), (TABLE_SIZE,), np.float32),
        float_rows(s.cards, CARD_COLUMNS),
        floats(s.card_patterns),
    )


@nb.njit(cache=True, forceinline=True)
def borrow_lights(lights):
    """The sources' arrays, borrowed."""
    return LightArrays(
        float_rows(lights.rows, COLUMNS),
        floats(lights.sky),
        floats(lights.sky_rows),
        floats(lights.sky_columns),
        ints(lights.sky_row_starts),
        ints(lights.sky_column_starts),
        floats(lights.sky_density),
        ints(lights.emitters),
        floats(lights.emitter_sum),
        ints(lights.emitter_starts),
        ints(lights.light_of),
        floats(lights.area_density),
        floats(lights.shades),
        floats(lights.patterns),
        floats(lights.profiles),
        floats(lights.spared),
        floats(lights.sun_maps),
        floats(lights.guide_view),
        floats(lights.guide_sum),
        ints(lights.guide_starts),
    )


@nb.njit(cache=True, forceinline=True)
def borrow_setting(at):
    """What paths go through, ``at`` as a `Setting`, borrowed."""
    active = nb.carray(as_pointer(at.active.ctypes.data), (at.active.shape[0], ACTIVE_COLUMNS), np.int64)
    return Setting(borrow_scene(at.scene), borrow_lights(at.lights), active, float_rows(at.emphasis, EMPHASIS_COLUMNS))
