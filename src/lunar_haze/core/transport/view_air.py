"""One medium before one view, shared by its sources: airlight by layer or all at once, and surfaces dimmed by it."""

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.transport.air_column import view_air
from lunar_haze.core.transport.air_gather import Bounds, core_bounds, core_of, gather, keep_own, reach_of_nodes
from lunar_haze.core.transport.air_grid import (
    COLUMNS,
    ROWS,
    SKY_COLUMNS,
    SKY_ROWS,
    SKY_SLICES,
    SLICES,
    LightGrid,
    slice_distances,
    slices_seen,
)
from lunar_haze.core.transport.air_integral import integrate_lamp
from lunar_haze.core.transport.air_pixels import (
    add_depths,
    compare_air,
    dim_surfaces,
    place_pixels,
    read_volume,
    spread,
)
from lunar_haze.core.transport.air_values import Air, Change, Pixels, Slices, Spotlight, Spotlights
from lunar_haze.core.transport.air_ways import Ways, ways_of, weighed_sky
from lunar_haze.core.transport.camera_row import HEIGHT, WIDTH
from lunar_haze.core.transport.scene import SceneArrays
from lunar_haze.core.transport.sky_integral import integrate_sky
from lunar_haze.core.transport.source_row import FIRST, KIND, SUN, SURFACE
from lunar_haze.core.transport.surfaces import emission_at

f32 = np.float32
_plain = nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")


@_plain
def _surface_colour(s, lights, number):
    triangle = lights.emitters[int(lights.rows[number, FIRST])]
    return emission_at(s, triangle, f32(1 / 3), f32(1 / 3))


def addresses(arrays: list[NDArray]) -> NDArray[np.int64]:
    """Where arrays (C-contiguous float32) lie in memory; they must be kept while this is in use.

    They are of any shape.
    """
    return np.array([array.ctypes.data for array in arrays], np.int64)


class ViewPixels:
    """Where the pixels of a view lie among the slices of its air, whatever the medium."""

    def __init__(self, camera: NDArray, reach: float, depth: NDArray[np.float32]) -> None:
        self.camera, self.reach, self.depth = camera, f32(reach), depth
        self.width, self.height = int(camera[WIDTH]), int(camera[HEIGHT])
        self.directions = np.empty((3, depth.size), np.float32)
        self.at = np.empty(depth.size, np.float32)
        place_pixels(
            camera, self.width, self.height, SLICES, self.reach, nb.get_num_threads(), depth, self.directions, self.at
        )
        self._grids: dict[tuple[int, int, int], tuple[NDArray, NDArray]] = {}
        self._rooms: dict[tuple[tuple[int, ...], int], NDArray[np.float32]] = {}
        self._depths: tuple[Medium, NDArray[np.float32]] | None = None

    def room(self, shape: tuple[int, ...], use: int) -> NDArray[np.float32]:
        """Memory for one use at a time, kept since new pages cost more than what is written to them."""
        if (shape, use) not in self._rooms:
            self._rooms[shape, use] = np.empty(shape, np.float32)
        return self._rooms[shape, use]

    def slices(self, grid: tuple[int, int, int]) -> tuple[NDArray, NDArray]:
        """Slices seen of each column, and the slices' ends [m]."""
        if grid not in self._grids:
            last = slices_seen(self.depth, self.width, float(self.reach), grid)
            reach_of_nodes(last)
            self._grids[grid] = last, slice_distances(0.0, grid[2] + 1, grid[2], self.reach)
        return self._grids[grid]

    def depth_seen(self, medium: Medium) -> NDArray[np.float32]:
        """`ViewAir.depth_seen`, kept for the medium asked for last."""
        if self._depths is None or self._depths[0] != medium:
            # In rooms of its own, since those of the present medium are in use.
            self._depths = medium, ViewAir(self, medium, 8).depth_seen()
        return self._depths[1]


class ViewAir:
    """One medium along the rays of one view, shared by all its sources."""

    def __init__(self, pixels: ViewPixels, medium: Medium, rooms: int = 0) -> None:
        self._pixels, self._medium, self._rooms = pixels, medium, rooms
        self._packed = medium.pack()
        self._along: dict[tuple[int, int, int], tuple[NDArray, NDArray]] = {}
        self._before = b""

    def along(self, grid: tuple[int, int, int]) -> tuple[NDArray, NDArray]:
        """What each slice throws back, and the mist below it [m]."""
        if grid not in self._along:
            last, ends = self._pixels.slices(grid)
            scattered, below = self._pixels.room(grid, self._rooms), self._pixels.room(grid, self._rooms + 1)
            view_air(self._pixels.camera, self._packed, nb.get_num_threads(), ends, last, scattered, below)
            self._along[grid] = scattered, below
        return self._along[grid]

    def _ways(self, grid: LightGrid, spot: int) -> Ways:
        return ways_of(grid, spot, self._medium, self._pixels.camera, float(self._pixels.reach))

    def _colour(self, grid: LightGrid, spot: int, s: SceneArrays) -> NDArray[np.float32]:
        colour = np.asarray(self._medium.albedo, np.float32)
        if int(grid.spots[spot][KIND]) == SURFACE:
            colour = colour * np.array(_surface_colour(s, grid.lights, spot), np.float32)
        return colour

    def _openness(self, grid: LightGrid, spot: int) -> NDArray[np.float32]:
        """What lies open to a sun whose light is scattered many times; the looks themselves where that is not asked."""
        wanted = self._medium.multiple > 0 and int(grid.spots[spot][KIND]) == SUN
        return grid.openness(spot) if wanted else grid.seen[spot]

    def _sky(self, grid: LightGrid) -> NDArray[np.float32]:
        """Cumulative airlight of a sky (rows, columns, slices + 2, 3), without the medium's colour."""
        pixels = self._pixels
        last, _ends = pixels.slices(grid.shape)
        scattered, below = self.along(grid.shape)
        volume = pixels.room((*grid.shape[:2], grid.shape[2] + 2, 3), 2)
        looks = pixels.room(grid.seen[0].shape, 5)
        seen = weighed_sky(grid, self._medium, pixels.camera, float(pixels.reach), last, looks)
        integrate_sky(
            pixels.camera,
            self._packed,
            pixels.reach,
            nb.get_num_threads(),
            last,
            grid.directions,
            grid.light,
            scattered,
            below,
            seen,
            volume,
        )
        return volume

    def _lamp(self, grid: LightGrid, spot: int, ways: Ways, bounds: Bounds | None = None) -> NDArray[np.float32]:
        """Cumulative airlight of a lamp or a sun (rows, columns, slices + 2), as of `integrate_lamp`."""
        pixels, light, (rows, columns, slices) = self._pixels, grid.spots[spot], grid.shape
        last, _ends = pixels.slices(grid.shape)
        scattered, below = self.along(grid.shape)
        volume = pixels.room((rows, columns, slices + 2), 2)
        integrate_lamp(
            self._spotlight(light, ways),
            self._air(grid.shape),
            nb.get_num_threads(),
            bounds or (0, columns, 0, rows),
            last,
            Slices(scattered, below),
            grid.seen[spot],
            self._openness(grid, spot),
            volume,
        )
        return volume

    def _air(self, grid: tuple[int, int, int]) -> Air:
        return Air(self._pixels.camera, self._packed, self._pixels.reach, self._pixels.slices(grid)[1])

    @staticmethod
    def _spotlight(light: NDArray[np.float32], ways: Ways) -> Spotlight:
        return Spotlight(int(light[KIND]), light, ways.depths, np.array(ways.glow, np.float32), ways.bed)

    def _spread(
        self,
        grid: LightGrid,
        spot: int,
        ways: Ways,
        volume: NDArray,
        colour: NDArray,
        out: NDArray,
        bounds: Bounds | None = None,
    ) -> None:
        pixels, light = self._pixels, grid.spots[spot]
        size = Pixels(pixels.width, pixels.height, pixels.directions, pixels.at)
        spread(
            self._spotlight(light, ways),
            self._air(grid.shape),
            nb.get_num_threads(),
            size,
            Slices(*self.along(grid.shape)),
            grid.seen[spot],
            volume,
            colour.astype(np.float32),
            core_of(light, pixels.camera, grid.shape),
            bounds or (0, pixels.width, 0, pixels.height),
            out,
        )

    def _read(self, volume: NDArray[np.float32], tint: NDArray, out: NDArray[np.float32]) -> None:
        pixels = self._pixels
        read_volume(
            pixels.width,
            pixels.height,
            f32((volume.shape[2] - 2) / SLICES),
            nb.get_num_threads(),
            pixels.at,
            volume,
            np.asarray(tint, np.float32),
            out,
        )

    def add_airlight(self, grid: LightGrid, s: SceneArrays, out: NDArray[np.float32]) -> None:
        """Add the air part of one source's layer to ``out`` (pixels, 3); ``s`` are the place's arrays."""
        if grid.directions is not None:
            self._read(self._sky(grid), np.asarray(self._medium.albedo), out)
            return
        for spot in range(len(grid.spots)):
            ways = self._ways(grid, spot)
            self._spread(grid, spot, ways, self._lamp(grid, spot, ways), self._colour(grid, spot, s), out)

    def add_mixed(
        self, grids: list[LightGrid], gains: NDArray[np.float32], s: SceneArrays, out: NDArray[np.float32]
    ) -> None:
        """Add the airlight of many sources to ``out`` (pixels, 3), each times its gain (n, 3): spread once for all.

        Only about a lamp in the picture, where its light varies between columns, is it spread by itself.
        """
        pixels, shape = self._pixels, (ROWS, COLUMNS, SLICES)
        active = [(grid, gain) for grid, gain in zip(grids, gains) if gain.any()]
        skies = np.zeros((SKY_ROWS, SKY_COLUMNS, SKY_SLICES + 2, 3), np.float32)
        for grid, gain in active:
            if grid.directions is not None:
                skies += self._sky(grid) * (np.asarray(self._medium.albedo, np.float32) * gain)
        spots = [(grid, n, gain) for grid, gain in active if grid.directions is None for n in range(len(grid.spots))]
        if not spots:
            self._read(skies, np.ones(3), out)
            return
        ways = [self._ways(grid, n) for grid, n, _gain in spots]
        lights = np.array([grid.spots[n] for grid, n, _gain in spots])
        colours = np.array([self._colour(grid, n, s) * gain for grid, n, gain in spots], np.float32)
        cores = np.array([core_of(light, pixels.camera, shape) for light in lights], np.float32)
        open_to = [self._openness(grid, n) for grid, n, _gain in spots]
        beds = np.zeros((len(spots), max(len(w.bed) for w in ways)), np.float32)
        for bed, way in zip(beds, ways):
            bed[: len(way.bed)] = way.bed
        last, _ends = pixels.slices(shape)
        total = pixels.room((ROWS, COLUMNS, SLICES + 2, 3), 6)
        lamps = Spotlights(
            lights,
            colours,
            np.array([w.glow for w in ways], np.float32),
            beds,
            cores,
            addresses([grid.seen[n] for grid, n, _gain in spots]),
            addresses(open_to),
            addresses([w.depths for w in ways]),
        )
        along, coarse = Slices(*self.along(shape)), ways[0].depths.shape
        gather(self._air(shape), nb.get_num_threads(), last, along, lamps, coarse, skies, total)
        self._read(total, np.ones(3), out)
        for (grid, n, _gain), way, colour, core in zip(spots, ways, colours, cores):
            bounds = core_bounds(core, pixels.width, pixels.height, shape)
            if bounds is not None:
                volume = self._lamp(grid, n, way, bounds[1])
                keep_own(core[0], core[1], bounds[1], volume)
                self._spread(grid, n, way, volume, colour, out, bounds[0])

    def depth_seen(self) -> NDArray[np.float32]:
        """Optical depth before every pixel's surface (pixels,), read from slices of mist of any kind."""
        pixels, shape = self._pixels, (ROWS, COLUMNS, SLICES)
        scattered, _below = self.along(shape)
        volume = pixels.room((*shape[:2], SLICES + 2, 1), self._rooms)
        add_depths(pixels.slices(shape)[0], scattered, nb.get_num_threads(), volume)
        depths = np.zeros((pixels.depth.size, 1), np.float32)
        self._read(volume, np.ones(1), depths)
        return depths[:, 0]

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
            )
            if not (before.is_plain and self._medium.is_plain):
                np.subtract(pixels.depth_seen(before), self.depth_seen(), out=change)
            self._before = packed.tobytes()
        firsts = np.cumsum([0] + [len(grid.spots) for grid in grids])
        dim_surfaces(
            np.concatenate([grid.spots for grid in grids]),
            firsts,
            Change(pixels.camera, packed, self._packed),
            threads,
            pixels.depth,
            pixels.directions,
            change,
            column_change,
            pool.reshape(len(pool), -1),
            np.asarray(slots, np.int64),
            np.ascontiguousarray(gains, np.float32),
            out.reshape(-1),
        )
