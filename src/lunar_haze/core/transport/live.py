"""Live answers to an edit of the air: kept looks into the air, and surfaces dimmed by the new mist."""

import time

import attrs
import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.kernels import ray_optical_depth
from lunar_haze.core.air.medium import Medium
from lunar_haze.core.layers.model import LayerImage, LayerSpec, digest
from lunar_haze.core.transport.borrow import floats
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.lights import AXIS, KIND, POSITION, SKY, SUN, pack_lights
from lunar_haze.core.transport.live_air import LightGrid, airlight, look_once, new_grid
from lunar_haze.core.transport.surfaces import FAR
from lunar_haze.core.transport.view import primary_direction

f32 = np.float32
#: A surface seen through dense mist may be brightened by this much at most when the mist clears.
MAX_LIFT = f32(30.0)


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def surface_ratio(row_of, camera, before, after, width, depth, out):
    """Factor (pixels,) on a source's surface part when the medium changes, by the direct paths' depths."""
    light, camera, before, after = floats(row_of), floats(camera), floats(before), floats(after)
    kind = int(light[KIND])
    for y in nb.prange(depth.shape[0] // width):
        for x in range(width):
            pixel = y * width + x
            dx, dy, dz = primary_direction(camera, f32(x) + f32(0.5), f32(y) + f32(0.5))
            t = min(depth[pixel], FAR)
            change = ray_optical_depth(before, camera[2], dz, t) - ray_optical_depth(after, camera[2], dz, t)
            if t < FAR:
                px, py, pz = camera[0] + t * dx, camera[1] + t * dy, camera[2] + t * dz
                lx, ly, lz, far = light[AXIS], light[AXIS + 1], light[AXIS + 2], FAR
                if kind == SKY:
                    # The mean slant of an even sky: a diffusivity factor of 5/3.
                    lx, ly, lz = f32(0.8), f32(0.0), f32(0.6)
                elif kind != SUN:
                    lx, ly, lz = light[POSITION] - px, light[POSITION + 1] - py, light[POSITION + 2] - pz
                    far = max(f32(np.sqrt(lx * lx + ly * ly + lz * lz)), f32(1e-3))
                    lz = lz / far
                change += ray_optical_depth(before, pz, lz, far) - ray_optical_depth(after, pz, lz, far)
            out[pixel] = min(f32(np.exp(min(change, f32(20.0)))), MAX_LIFT)


class LiveAir:
    """Grids of what the air sees, by source and view, with a limit on their number."""

    def __init__(self, limit: int = 48) -> None:
        self._grids: dict[str, LightGrid] = {}
        self._reach: dict[str, float] = {}
        self._limit = limit

    def clear(self) -> None:
        """Forget everything (another place)."""
        self._grids.clear()
        self._reach.clear()

    def _reach_of(self, frame: Frame) -> float:
        """How far slices go: the farthest surface seen, within what air can matter for."""
        name = digest(frame.view)
        if name not in self._reach:
            finite = frame.guides.depth[frame.guides.depth < FAR]
            self._reach[name] = float(np.clip(np.quantile(finite, 0.995) * 1.05, 4.0, 600.0)) if finite.size else 200.0
        return self._reach[name]

    def gather(self, frame: Frame, specs: list[LayerSpec], passes: int, budget_s: float) -> None:
        """Add looks to the grids of ``specs`` that have fewer than ``passes``, for a while."""
        until = time.perf_counter() + budget_s
        reach = self._reach_of(frame)
        lights = None
        # The least known first: an answer needs every source.
        keys = [spec.grid_key() for spec in specs]
        known = [self._grids[k].passes if k in self._grids else 0 for k in keys]
        for number in sorted(range(len(specs)), key=known.__getitem__):
            key = keys[number]
            grid = self._grids.get(key)
            if grid is not None and grid.passes >= passes:
                continue
            if lights is None:
                lights = pack_lights([s.shape for s in specs], frame.place.place, frame.place.order)
            if grid is None:
                grid = self._grids[key] = new_grid(frame.place.arrays, lights, number)
                while len(self._grids) > self._limit:
                    del self._grids[next(iter(self._grids))]
            look_once(grid, frame.place.arrays, lights, number, frame.camera, reach, frame.guides.depth)
            if time.perf_counter() > until:
                return

    def answer(self, frame: Frame, missing: dict[str, LayerSpec]) -> dict[str, LayerImage]:
        """Stand-ins for layers of an edited medium; empty unless every one can be answered."""
        specs = list(missing.values())
        grids = [self._grids.get(s.grid_key()) for s in specs]
        bases = [self._base(frame, s) for s in specs]
        if any(g is None or not g.passes for g in grids) or any(b is None for b in bases):
            return {}
        lights = pack_lights([s.shape for s in specs], frame.place.place, frame.place.order)
        answers = {}
        for number, (key, spec, grid, base) in enumerate(zip(missing, specs, grids, bases)):
            air = airlight(
                grid, frame.place.arrays, lights, number, frame.camera, self._reach_of(frame), spec.medium,
                frame.guides.depth,
            )  # fmt: skip
            image, before = base
            ratio = np.empty(frame.pixels, np.float32)
            surface_ratio(
                lights.rows[number], frame.camera, before.pack(), spec.medium.pack(), frame.view.width,
                frame.guides.depth, ratio,
            )  # fmt: skip
            shape = image.surface.shape
            answers[key] = LayerImage(key, 0, image.surface * ratio.reshape(*shape[:2], 1), air.reshape(shape))
        return answers

    @staticmethod
    def _base(frame: Frame, spec: LayerSpec) -> tuple[LayerImage, Medium] | None:
        """The best refined layer that differs from ``spec`` by its medium alone, the clearest first."""
        found = [
            (key, s)
            for key, s in frame.sums.items()
            if s.passes >= 1 and attrs.evolve(s.spec, medium=spec.medium) == spec
        ]
        if not found:
            return None
        key, best = max(found, key=lambda item: (min(item[1].passes, 8), item[1].spec.medium.visibility_m))
        return frame.image(key), best.spec.medium


def live_layer(frame: Frame, spec: LayerSpec, passes: int, reach: float) -> NDArray[np.float32]:
    """Air part (pixels, 3) of one layer by the live way alone, from ``passes`` looks; for tests and benches."""
    lights = pack_lights([spec.shape], frame.place.place, frame.place.order)
    grid = new_grid(frame.place.arrays, lights, 0)
    for _ in range(passes):
        look_once(grid, frame.place.arrays, lights, 0, frame.camera, reach, frame.guides.depth)
    return airlight(grid, frame.place.arrays, lights, 0, frame.camera, reach, spec.medium, frame.guides.depth)
