"""The live way of the air by itself, for one layer."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import LayerSpec
from lunar_haze.core.transport.air_grid import look_once, new_grid
from lunar_haze.core.transport.frame import Frame, lit_of
from lunar_haze.core.transport.lights import pack_lights
from lunar_haze.core.transport.view_air import ViewAir, ViewPixels


def live_layer(frame: Frame, spec: LayerSpec, passes: int, reach: float) -> NDArray[np.float32]:
    """Air part (pixels, 3) of one layer by the live way alone, from ``passes`` looks."""
    lights = pack_lights([lit_of(spec)], frame.place.place, frame.place.order)
    grid = new_grid(frame.arrays, lights, 0)
    for _ in range(passes):
        look_once(grid, frame.arrays, frame.camera, reach, frame.guides.depth)
    out = np.zeros((frame.pixels, 3), np.float32)
    ViewAir(ViewPixels(frame.camera, reach, frame.guides.depth), spec.medium).add_airlight(grid, frame.arrays, out)
    return out
