"""What a sun sees of the part of a place that the lens looks into: a map of the first solid surface.

It tells draws in the air where shafts may be (`air_draw`), and nothing else: light itself is asked
by rays. After Williams, L. (1978), Casting curved shadows on curved surfaces, SIGGRAPH.
"""

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.transport.borrow import borrow_scene
from lunar_haze.core.transport.camera_row import EYE
from lunar_haze.core.transport.embree import SOLID, aligned, intersect, ray_buffer
from lunar_haze.core.transport.lights import LightArrays
from lunar_haze.core.transport.sampling import basis
from lunar_haze.core.transport.scene import NORMAL, SceneArrays
from lunar_haze.core.transport.source_row import AXIS, KIND, MAP, MAP_AT, MAP_SCALE, SUN
from lunar_haze.core.transport.surfaces import FAR

f32 = np.float32
#: Texels a side.
SIDE = 512
#: Farther than this [m] from the lens shafts are too fine to be told.
_FARTHEST_M = 250.0
#: The map reaches as far as this share of the lens's rays.
_MOST_SEEN = 0.85
#: A map is worth its time where the sun reaches more and less of the air than this.
LEAST_LIT, MOST_LIT = 0.001, 0.8
#: Maps that a view keeps: an hour that is scrubbed passes many suns.
_MOST_KEPT = 8


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _map_row(s, row, start, axis, a, b, step, above, out):
    memory = ray_buffer()
    ray = aligned(memory)
    s = borrow_scene(s)
    for column in range(out.shape[1]):
        u, v = (f32(column) + f32(0.5)) * step, (f32(row) + f32(0.5)) * step
        x, y, z = start[0] + u * a[0] + v * b[0], start[1] + u * a[1] + v * b[1], start[2] + u * a[2] + v * b[2]
        prim, _geometry, t, _u, _v = intersect(
            s.handle, ray, x, y, z, -axis[0], -axis[1], -axis[2], f32(0.0), f32(FAR), SOLID
        )
        out[row, column] = above - t if prim >= 0 else f32(-1e30)
    memory[0] = f32(0.0)  # keeps the buffer alive to here


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _map(s, start, axis, a, b, step, above, threads, out):
    for thread in nb.prange(threads):
        for row in range(thread, out.shape[0], threads):
            _map_row(s, row, start, axis, a, b, step, above, out)


class SunMaps:
    """Maps of suns over one view, kept for whatever else changes.

    ``directions`` (n, 3) are unit rays from the lens and ``depth`` (n,) [m] how far each sees.
    """

    def __init__(
        self, s: SceneArrays, camera: NDArray[np.float32], directions: NDArray, depth: NDArray[np.float32]
    ) -> None:
        self._s = s
        # A look out of the door must not spoil the map of the room.
        depth = np.minimum(depth, min(float(np.quantile(depth, _MOST_SEEN)) * 1.1, _FARTHEST_M))[:, None]
        lens = camera[EYE : EYE + 3].astype(np.float64)
        self._ends = np.concatenate([lens + directions * depth, lens[None]])
        shares = (np.arange(len(depth)) * 0.6180339887 % 1.0)[:, None]
        #: Points spread along what the lens sees.
        self._looked_through = lens + directions * (depth * shares)
        self._known: dict[bytes, tuple[NDArray[np.float32], NDArray, float] | None] = {}

    def lights(self, lights: LightArrays) -> LightArrays:
        """Lights whose suns have a map each where they come through openings."""
        tiles: list[NDArray] = []
        rows = lights.rows.copy()
        for row in rows:
            if int(row[KIND]) != SUN or row[AXIS + 2] <= 0:
                continue
            axis = row[AXIS : AXIS + 3]
            if axis.tobytes() not in self._known:
                if len(self._known) >= _MOST_KEPT:
                    self._known.clear()
                self._known[axis.tobytes()] = self._map_of(axis)
            known = self._known[axis.tobytes()]
            if known is not None:
                tile, middle, side = known
                row[MAP], row[MAP_AT : MAP_AT + 3], row[MAP_SCALE] = len(tiles), middle, SIDE / side
                tiles.append(tile)
        return lights._replace(rows=rows, sun_maps=np.stack(tiles)) if tiles else lights

    def _map_of(self, towards: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray, float] | None:
        """The map (SIDE, SIDE) of a sun, its middle and side [m]; None where it would tell nothing."""
        to = np.float32
        frame = np.array(basis(*towards), np.float64).reshape(2, 3)
        axis = towards.astype(np.float64)
        flat = self._ends @ frame.T
        low, high = flat.min(0), flat.max(0)
        side = max(float((high - low).max()) * 1.02, 0.1)
        middle = frame.T @ ((low + high) / 2)
        # Heights count from the middle; rays start above all there is.
        above = float((self._s.vertices[:, :NORMAL].astype(np.float64) @ axis).max()) + 1.0
        corner = middle - (frame[0] + frame[1]) * side / 2 + axis * (above - middle @ axis)
        tile = np.empty((SIDE, SIDE), np.float32)
        _map(
            self._s,
            corner.astype(to),
            axis.astype(to),
            frame[0].astype(to),
            frame[1].astype(to),
            to(side / SIDE),
            to(above - middle @ axis),
            nb.get_num_threads(),
            tile,
        )
        points = self._looked_through - middle
        at = np.clip(np.floor((points @ frame.T) * (SIDE / side) + SIDE / 2).astype(int), 0, SIDE - 1)
        lit = float((points @ axis > tile[at[:, 1], at[:, 0]]).mean())
        return (tile, middle, side) if LEAST_LIT < lit < MOST_LIT else None
