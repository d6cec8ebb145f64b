"""One medium before one view, shared by its sources: airlight by layer or all at once, and surfaces dimmed by it."""

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.transport.air_grid import COLUMNS, ROWS, SLICES, LightGrid, slice_distance, slices_seen
from lunar_haze.core.transport.air_integral import integrate_lamp, integrate_sky, view_air
from lunar_haze.core.transport.air_pixels import compare_air, dim_surfaces, place_pixels, spread
from lunar_haze.core.transport.air_pour import core_bounds, core_of, pour
from lunar_haze.core.transport.air_ways import weighed
from lunar_haze.core.transport.lights import COLUMNS as COLUMNS_OF_LIGHT
from lunar_haze.core.transport.lights import FIRST, KIND, SKY, SURFACE
from lunar_haze.core.transport.scene import SceneArrays
from lunar_haze.core.transport.surfaces import emission_at

f32 = np.float32
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")


@_plain
def _surface_colour(s, lights, number):
    triangle = lights.emitters[int(lights.rows[number, FIRST])]
    return emission_at(s, triangle, f32(1 / 3), f32(1 / 3))


class ViewPixels:
    """Where the pixels of a view lie among the slices of its air, whatever the medium."""

    def __init__(self, camera: NDArray, reach: float, depth: NDArray[np.float32]) -> None:
        self.camera, self.reach, self.depth = camera, f32(reach), depth
        self.width, self.height = int(camera[13]), int(camera[14])
        self.directions = np.empty((3, depth.size), np.float32)
        self.at = np.empty(depth.size, np.float32)
        place_pixels(
            camera, self.width, self.height, SLICES, self.reach, nb.get_num_threads(), depth, self.directions, self.at
        )  # fmt: skip
        self._grids: dict[tuple[int, int, int], tuple[NDArray, NDArray]] = {}
        self._rooms: dict[tuple[tuple[int, ...], int], NDArray[np.float32]] = {}

    def room(self, shape: tuple[int, ...], use: int) -> NDArray[np.float32]:
        """Memory for one use at a time, kept since new pages cost more than what is written to them."""
        if (shape, use) not in self._rooms:
            self._rooms[shape, use] = np.empty(shape, np.float32)
        return self._rooms[shape, use]

    def slices(self, grid: tuple[int, int, int]) -> tuple[NDArray, NDArray]:
        """Slices seen of each column, and the slices' ends [m]."""
        if grid not in self._grids:
            last = slices_seen(self.depth, self.width, float(self.reach), grid)
            ends = [slice_distance(f32(k), grid[2], self.reach) for k in range(grid[2] + 1)]
            self._grids[grid] = last, np.array(ends, np.float32)
        return self._grids[grid]


class ViewAir:
    """One medium along the rays of one view, shared by all its sources."""

    def __init__(self, pixels: ViewPixels, medium: Medium) -> None:
        self._pixels, self._medium = pixels, medium
        self._packed = medium.pack()
        self._along: dict[tuple[int, int, int], tuple[NDArray, NDArray]] = {}
        self._before = b""

    def along(self, grid: tuple[int, int, int]) -> tuple[NDArray, NDArray]:
        """What each slice throws back, and the mist below it [m]."""
        if grid not in self._along:
            last, ends = self._pixels.slices(grid)
            scattered, below = self._pixels.room(grid, 0), self._pixels.room(grid, 1)
            view_air(self._pixels.camera, self._packed, nb.get_num_threads(), ends, last, scattered, below)
            self._along[grid] = scattered, below
        return self._along[grid]

    def _integrate(
        self, grid: LightGrid, spot: int, s: SceneArrays
    ) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
        """Cumulative airlight of one spot, its colour, and the looks that its core is seen with."""
        pixels, threads = self._pixels, nb.get_num_threads()
        last, ends = pixels.slices(grid.shape)
        scattered, below = self.along(grid.shape)
        light = grid.spots[spot]
        colour = np.asarray(self._medium.albedo, np.float32)
        sky = grid.directions is not None
        volume = pixels.room((*grid.shape[:2], grid.shape[2] + 2, 3 if sky else 1), 2)
        looks = pixels.room(grid.seen[spot].shape, 5)
        seen = weighed(grid, spot, self._medium, pixels.camera, float(pixels.reach), last, looks)
        if sky:
            integrate_sky(
                pixels.camera, self._packed, pixels.reach, threads, last, grid.directions, grid.light, scattered,
                below, seen, grid.weight[0], volume,
            )  # fmt: skip
            return volume, colour, grid.weight[0]
        integrate_lamp(
            int(light[KIND]), light, pixels.camera, self._packed, pixels.reach, threads, last, scattered, below, ends,
            seen, grid.weight[spot], volume[..., 0],
        )  # fmt: skip
        if int(light[KIND]) == SURFACE:
            colour = colour * np.array(_surface_colour(s, grid.lights, spot), np.float32)
        return volume, colour, seen

    def _spread(self, grid: LightGrid, spot: int, volume: NDArray, colour: NDArray, seen: NDArray, out: NDArray,
                bounds: tuple[int, int, int, int] | None = None) -> None:  # fmt: skip
        pixels = self._pixels
        _last, ends = pixels.slices(grid.shape)
        spread(
            pixels.width, pixels.height, pixels.camera, self._packed, grid.spots[spot], f32(grid.shape[2] / SLICES),
            nb.get_num_threads(), pixels.directions, pixels.at, ends, seen, grid.weight[spot], volume,
            colour.astype(np.float32), bounds or (0, pixels.width, 0, pixels.height), out,
        )  # fmt: skip

    def add_airlight(self, grid: LightGrid, s: SceneArrays, out: NDArray[np.float32]) -> None:
        """Add the air part of one source's layer to ``out`` (pixels, 3); ``s`` are the place's arrays."""
        for spot in range(len(grid.spots)):
            self._spread(grid, spot, *self._integrate(grid, spot, s), out)

    def add_mixed(
        self, grids: list[LightGrid], gains: NDArray[np.float32], s: SceneArrays, out: NDArray[np.float32]
    ) -> None:
        """Add the airlight of many sources to ``out`` (pixels, 3), each times its gain (n, 3): spread once for all.

        Only about a lamp in the picture, where its light varies between columns, is it spread by itself.
        """
        pixels, threads = self._pixels, nb.get_num_threads()
        lamps = (ROWS, COLUMNS, SLICES)
        total = pixels.room((ROWS, COLUMNS, SLICES + 2, 3), 6)
        total[...] = 0.0
        poured = False
        for grid, gain in zip(grids, gains):
            if not gain.any():
                continue
            for spot in range(len(grid.spots)):
                volume, colour, seen = self._integrate(grid, spot, s)
                if grid.directions is not None or grid.shape != lamps:
                    self._spread(grid, spot, volume, colour * gain, seen, out)
                    continue
                poured = True
                about = core_of(grid.spots[spot], pixels.camera, grid.shape)
                pour(pixels.camera, grid.spots[spot], threads, volume[..., 0], colour * gain, *about, total)
                bounds = core_bounds(about, pixels.width, pixels.height, grid.shape)
                if bounds is not None:
                    self._spread(grid, spot, volume, colour * gain, seen, out, bounds)
        if poured:
            self._read(total, out)

    def _read(self, volume: NDArray[np.float32], out: NDArray[np.float32]) -> None:
        """Add a volume to ``out`` (pixels, 3) as the airlight of a sky is: as it stands."""
        pixels = self._pixels
        _last, ends = pixels.slices((ROWS, COLUMNS, SLICES))
        sky, nothing = np.zeros(COLUMNS_OF_LIGHT, np.float32), np.zeros((1, 1, 1), np.float32)
        sky[KIND] = SKY
        spread(
            pixels.width, pixels.height, pixels.camera, self._packed, sky, f32(1.0), nb.get_num_threads(),
            pixels.directions, pixels.at, ends, nothing, nothing, volume, np.ones(3, np.float32),
            (0, pixels.width, 0, pixels.height), out,
        )  # fmt: skip

    def _depth_seen(self, medium: Medium) -> NDArray[np.float32]:
        """Optical depth before every pixel's surface (pixels,), read from slices of mist of any kind."""
        pixels, shape = self._pixels, (ROWS, COLUMNS, SLICES)
        last, ends = pixels.slices(shape)
        scattered, below = np.zeros(shape, np.float32), pixels.room(shape, 7)
        view_air(pixels.camera, medium.pack(), nb.get_num_threads(), ends, last, scattered, below)
        volume = np.zeros((*shape[:2], SLICES + 2, 1), np.float32)
        np.cumsum(scattered, axis=2, out=volume[:, :, 1:-1, 0])
        volume[:, :, -1] = volume[:, :, -2]
        gone = np.zeros((pixels.depth.size, 3), np.float32)
        self._read(volume, gone)
        return -np.log(np.maximum(1.0 - gone[:, 0], 1e-6))

    def dim(
        self, grids: list[LightGrid], before: Medium, pool: NDArray, slots: NDArray, gains: NDArray, out: NDArray
    ) -> None:
        """Add to ``out`` (pixels, 3) the surfaces of sources in this medium, each times its gain (n, 3).

        Their sums in ``before`` are ``pool[slots[n]]`` (pixels, 3).
        """
        pixels, threads, packed = self._pixels, nb.get_num_threads(), before.pack()
        change, column_change = pixels.room(pixels.depth.shape, 3), pixels.room(pixels.depth.shape, 4)
        if self._before != packed.tobytes():
            compare_air(
                pixels.camera, packed, self._packed, threads, pixels.depth, pixels.directions, change, column_change
            )  # fmt: skip
            if not (before.is_plain and self._medium.is_plain):
                change[...] = self._depth_seen(before) - self._depth_seen(self._medium)
            self._before = packed.tobytes()
        firsts = np.cumsum([0] + [len(grid.spots) for grid in grids])
        dim_surfaces(
            np.concatenate([grid.spots for grid in grids]), firsts, pixels.camera, packed, self._packed, threads,
            pixels.depth, pixels.directions, change, column_change, pool, np.asarray(slots, np.int64),
            np.ascontiguousarray(gains, np.float32), out,
        )  # fmt: skip
