"""One picture being computed: layers that gather passes, and what the lens sees.

`Frame` holds the sums of any number of layers of one view. It advances by some tiles at a time, so
that whoever drives it can stop, look or change the wanted layers between any two tiles. Every tile
of every layer has a count of its own, which grows with its sums: however a pass is broken off, a
layer's mean stays the mean, and the next pass goes on with the tiles that are behind.
"""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.layers.model import LayerGain, LayerImage, LayerSpec, Looked, Part, Share, View, pixels_of
from lunar_haze.core.sky.dome import MAP_HEIGHT
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.transport.faded import faded, transmittances
from lunar_haze.core.transport.guides import ALBEDO, COUNT, LOOKS, NORMAL, guide_chunk
from lunar_haze.core.transport.importance import AIR, EMPHASIS_COLUMNS, PICK, SURFACE
from lunar_haze.core.transport.lights import LightArrays, Lit, pack_lights
from lunar_haze.core.transport.path_values import Layers, Setting, Tiles
from lunar_haze.core.transport.scene import PackedPlace, pack_cards
from lunar_haze.core.transport.sky_guide import SkyGuide
from lunar_haze.core.transport.starfield import drawn_sky, is_drawn
from lunar_haze.core.transport.sun_map import SunMaps
from lunar_haze.core.transport.tiles import over_threads, trace_tiles
from lunar_haze.core.transport.view import pack_view, pixel_tiles, view_directions
from lunar_haze.core.units.memory import Pool

#: Layers that a frame holds at the most, before more are wanted at once.
MOST_SLOTS = 256
#: Layers taken from a cache go on from this sample of their sequence at least.
SAMPLES_KEPT = 64


@attrs.define(eq=False)
class LayerSum:
    """Where a layer's sums lie in the frame's pool, and how many passes each of its tiles holds.

    ``counts`` (tiles,) are the samples a pixel of each tile that the sums are of; ``next_samples``
    (tiles,) the first number of the sample sequence that the tile has not used.
    """

    spec: LayerSpec
    slot: int
    counts: NDArray[np.int32]
    next_samples: NDArray[np.int64]
    last_wanted: int = 0

    @property
    def passes(self) -> int:
        """Passes that the whole picture has."""
        return int(self.counts.min())

    @property
    def samples(self) -> int:
        """Samples of all tiles together."""
        return int(self.counts.sum())

    def passes_within(self, within: NDArray[np.bool_] | None) -> int:
        """Passes that a part of the picture has; of all of it for None. ``within`` is (pixels,), True in that part."""
        return self.passes if within is None else int(self.counts[within].min())

    @property
    def is_even(self) -> bool:
        """Whether every tile has as many passes as the next."""
        return bool((self.counts == self.counts[0]).all())


@attrs.define(eq=False)
class Guides:
    """What the lens sees. Arrays are per pixel, row-major from the top left.

    ``looks`` sums of albedo and normal over every ray that has gone through a pixel, and their number;
    ``depth`` [m] along the ray, `SKY_DEPTH` for the sky; ``owner`` object and material numbers, -1 for
    none; ``ground`` the geometric normal that faces the lens.
    """

    looks: NDArray[np.float32]
    depth: NDArray[np.float32]
    owner: NDArray[np.int32]
    ground: NDArray[np.float32]
    passes: int = 0

    @staticmethod
    def empty(pixels: int) -> "Guides":
        return Guides(
            np.zeros((pixels, LOOKS), np.float32),
            np.zeros(pixels, np.float32),
            np.full((pixels, 2), -1, np.int32),
            np.zeros((pixels, 3), np.float32),
        )


@attrs.frozen
class Emphasis:
    """What a layer adds to the picture now: its gain, and its share of the picture's light in [0, 1]."""

    gain: LayerGain
    share: float


def _emphasis_rows(keys: list[str], emphasis: dict[str, Emphasis] | None) -> NDArray[np.float32]:
    """Rows (n, 7) float32 for the kernel; without emphasis every layer is as important as the next."""
    rows = np.zeros((len(keys), EMPHASIS_COLUMNS), np.float32)
    rows[:, PICK] = 1.0
    for row, key in zip(rows, keys):
        known = (emphasis or {}).get(key)
        if known is not None:
            row[SURFACE : SURFACE + 3] = np.multiply(known.gain.surface, LUMINANCE_WEIGHTS)
            row[AIR : AIR + 3] = np.multiply(known.gain.air, LUMINANCE_WEIGHTS)
            row[PICK] = known.share
    # A fifth of the picks is spread evenly: what adds little here may be all there is elsewhere.
    total = float(rows[:, PICK].sum())
    rows[:, PICK] = 0.2 / len(keys) + (0.8 * rows[:, PICK] / total if total > 0 else 0.8 / len(keys))
    return rows


def lit_of(spec: LayerSpec) -> Lit:
    """A layer's source as the kernels gather it."""
    return Lit(spec.shape, spec.part, spec.linking)


class Frame:
    """Layers and guides of one view of a place.

    Sums lie in two pools (slots, pixels, 3) float32. Layers that are no longer wanted keep their
    slot until ``memory_bytes`` is reached; then the one unwanted for longest gives way. Skies are
    maps of ``sky_rows`` rows.
    """

    def __init__(self, place: PackedPlace, view: View, memory_bytes: int = 1 << 30, sky_rows: int = MAP_HEIGHT) -> None:
        self._sky_rows = sky_rows
        self.place = place
        self.view = view
        self.pixels = view.width * view.height
        self.camera = pack_view(view)
        self._in_tiles, self._tile_starts = pixel_tiles(view.width, view.height)
        self._tile_of = np.empty(self.pixels, np.int32)
        self._tile_of[self._in_tiles] = np.repeat(np.arange(self.tiles), np.diff(self._tile_starts))
        self.guides = Guides.empty(self.pixels)
        self._kept: tuple[NDArray[np.float32], int, frozenset[str]] | None = None
        self.sums: dict[str, LayerSum] = {}
        # Pages of a fresh pool take no memory until they are written: the whole pool is laid out at once.
        slots = max(min(memory_bytes // (self.pixels * 24), MOST_SLOTS), 1)
        self._pools = Pool(slots, (self.pixels, 3)), Pool(slots, (self.pixels, 3))
        self._surface, self._air = (pool.array for pool in self._pools)
        #: Slots that take memory.
        self._written: set[int] = set()
        self._wanted: list[str] = []
        self._lights: LightArrays | None = None
        self._clock = 0
        self._stars = np.zeros((1, 3), np.float32)
        #: At which row of them those of a source begin, by its number.
        self._stars_of: dict[int, int] = {}
        self._dark = np.zeros(self.pixels, np.float32)
        self._cards: tuple[Card, ...] = ()
        self._openings: tuple[SunMaps, SkyGuide] | None = None
        #: What the air that was asked for last leaves of what each pixel sees.
        self._left: tuple[Medium, NDArray[np.float32]] | None = None
        #: The place with the cards that stand in it.
        self.arrays = place.arrays
        #: Why sources stay dark or cards are left out: sentences by the layer's key, cards under "".
        self.problems: dict[str, str] = {}

    @property
    def memory_bytes(self) -> int:
        """Memory that the sums take."""
        return len(self._written) * self.pixels * 24

    def shrink(self, most_bytes: int) -> None:
        """Forget layers that are not wanted now, those unwanted for longest first, until sums take no more."""
        idle = sorted((k for k in self.sums if k not in self._wanted), key=lambda k: self.sums[k].last_wanted)
        taken = {s.slot for s in self.sums.values()}
        free = [slot for slot in self._written if slot not in taken]
        while self.memory_bytes > most_bytes and (free or idle):
            slot = free.pop() if free else self.sums.pop(idle.pop(0)).slot
            for pool in self._pools:
                pool.give_back(slot)
            self._written.discard(slot)

    def keep(self) -> None:
        """Keep the layers that there are and what looks have found so far: what other pictures are all to stand on."""
        self._kept = self.guides.looks.copy(), self.guides.passes, frozenset(self.sums)

    def restore(self) -> None:
        """Forget the layers and looks that came since `keep`; nothing where there was none."""
        if self._kept is not None:
            self.guides.looks[...], self.guides.passes, keys = self._kept
            self.sums = {key: layer for key, layer in self.sums.items() if key in keys}

    def add_guides(self, passes: int) -> None:
        """Look ``passes`` more times through every pixel; passes of layers look as well."""
        g = self.guides
        for index in range(g.passes, g.passes + passes):

            def look(first: int, stop: int, index: int = index) -> None:
                pixels = self._in_tiles[self._tile_starts[first] : self._tile_starts[stop]]
                guide_chunk(
                    self.place.arrays,
                    self.camera,
                    index,
                    self.view.width,
                    pixels,
                    g.looks,
                    g.depth,
                    g.owner,
                    g.ground,
                )

            over_threads(look, 0, self.tiles)
        g.passes += passes

    def guide_images(self, medium: Medium) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Mean albedo and normal (H, W, 3) for the denoiser, as the air of a look lets them be seen."""
        albedo, normal = self._looked_means()
        if medium.is_clear:
            return albedo, normal
        if self._left is None or self._left[0] != medium:
            self._left = medium, transmittances(medium, self.camera, self.guides.depth)
        return faded(albedo, normal, self._left[1])

    def _looked_means(self) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        looks = self.guides.looks
        count = np.maximum(looks[:, COUNT : COUNT + 1], 1.0)
        albedo, normal = (np.ascontiguousarray(looks[:, at : at + 3] / count) for at in (ALBEDO, NORMAL))
        return self._as_image(albedo), self._as_image(normal)

    def edge_guides(self, medium: Medium) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
        """Albedo and normal (H, W, 3) as `guide_images`, and depth (H, W) [m]: what edges are told by."""
        depth = self.guides.depth.reshape(self.view.height, self.view.width)
        return *self.guide_images(medium), np.ascontiguousarray(depth)

    def want(self, specs: list[LayerSpec]) -> list[str]:
        """Make room for layers; returns their keys in the same order. Sums already here go on."""
        self._clock += 1
        keys = [spec.key() for spec in specs]
        cards = specs[0].cards if specs else ()
        if cards != self._cards:
            self._cards = cards
            self._openings = None
            missing: list[str] = []
            rows, patterns = pack_cards(cards, missing)
            self.problems = {"": "; ".join(missing)} if missing else {}
            self.arrays = self.place.arrays._replace(cards=rows, card_patterns=patterns)
        for key, spec in zip(keys, specs):
            if key not in self.sums:
                slot = self._free_slot(set(keys))
                self.sums[key] = LayerSum(spec, slot, np.zeros(self.tiles, np.int32), np.zeros(self.tiles, np.int64))
            self.sums[key].last_wanted = self._clock
        if keys != self._wanted:
            self._lights = None
            self._wanted = keys
        return keys

    def _pack(self) -> LightArrays:
        """The wanted sources for the kernel. Put off until they are traced: a scrubbed hour may never be."""
        if self._lights is None:
            sources = [lit_of(self.sums[k].spec) for k in self._wanted]
            shapes = [source.shape for source in sources]
            problems: dict[int, str] = {}
            self._lights = pack_lights(sources, self.place.place, self.place.order, self._sky_rows, problems)
            self.problems |= {self._wanted[number]: reason for number, reason in problems.items()}
            skies = [(n, shape) for n, shape in enumerate(shapes) if is_drawn(shape)]
            self._stars_of = {n: at * self.pixels for at, (n, _shape) in enumerate(skies)}
            if self.guides.passes and self._sky_rows == MAP_HEIGHT:
                self._lights = self._guided(self._lights)
            if skies:
                self._stars = np.concatenate([drawn_sky(shape, self.view) for _n, shape in skies])
        return self._lights

    def _guided(self, lights: LightArrays) -> LightArrays:
        """Lights that are drawn where they come through openings; worked out from a part of the pixels."""
        if self._openings is None:
            every = max(self.pixels // 4096, 1)
            y, x = np.mgrid[0 : self.view.height, 0 : self.view.width].reshape(2, -1)[:, ::every]
            depth = self.guides.depth[y * self.view.width + x]
            directions = view_directions(self.camera, x + 0.5, y + 0.5)
            self._openings = SunMaps(self.arrays, self.camera, directions, depth), SkyGuide(self.camera, depth)
        maps, guide = self._openings
        if not self.sums[self._wanted[0]].spec.medium.is_clear:
            lights = maps.lights(lights)
        return guide.lights(lights, self.arrays)

    def _free_slot(self, keep: set[str]) -> int:
        taken = {s.slot for s in self.sums.values()}
        free = [slot for slot in range(len(self._surface)) if slot not in taken]
        if free:
            # One that takes memory already, where there is one.
            slot = next((s for s in free if s in self._written), free[0])
            if slot in self._written:
                self._surface[slot] = 0
                self._air[slot] = 0
            self._written.add(slot)
            return slot
        idle = [k for k in self.sums if k not in keep]
        if idle:
            del self.sums[min(idle, key=lambda k: self.sums[k].last_wanted)]
        else:
            # More is wanted at once than the limit allows: it has to be.
            slots = len(self._surface) + max(len(self._surface), 4)
            surface, air = self._pools
            self._pools = surface.enlarged(slots, self._written), air.enlarged(slots, self._written)
            self._surface, self._air = (pool.array for pool in self._pools)
        return self._free_slot(keep)

    def tiles_within(self, part: Part, margin_px: int = 0) -> NDArray[np.bool_]:
        """Which tiles (tiles,) a part of the frame touches, with so many pixels about it."""
        width, height = self.view.width, self.view.height
        left, top, right, bottom = pixels_of(part, width, height)
        inside = np.zeros((height, width), bool)
        inside[
            max(top - margin_px, 0) : bottom + margin_px,
            max(left - margin_px, 0) : right + margin_px,
        ] = True
        return np.logical_or.reduceat(inside.ravel()[self._in_tiles], self._tile_starts[:-1])

    def tiles_of_share(self, share: Share) -> NDArray[np.bool_]:
        """Which tiles (tiles,) a share of the work has."""
        number, count = share
        return np.arange(self.tiles) % count == number

    def looked(self, share: Share | None, medium: Medium) -> Looked:
        """What looks found in the pixels of a share, of all for None, for the denoiser (see `guide_images`)."""
        mine = np.ones(self.tiles, bool) if share is None else self.tiles_of_share(share)
        pixels = np.flatnonzero(mine[self._tile_of])
        return Looked(pixels, *(image.reshape(-1, 3)[pixels] for image in self.guide_images(medium)))

    def _due(self, keys: list[str], within: NDArray[np.bool_] | None) -> NDArray[np.int64]:
        """Tiles that keep one of the layers ``keys`` from its next whole pass, those that are furthest behind first.

        Of the tiles ``within`` alone, if need be.
        """
        ahead = np.array([self.sums[k].counts - self.sums[k].passes_within(within) for k in keys])
        lacks = (ahead == 0).any(0)
        due = np.flatnonzero(lacks if within is None else lacks & within)
        return due[np.argsort(ahead[:, due].sum(0), kind="stable")]

    def trace(
        self,
        keys: list[str],
        tiles: int | None = None,
        emphasis: dict[str, Emphasis] | None = None,
        lit: NDArray[np.float32] | None = None,
        within: NDArray[np.bool_] | None = None,
    ) -> bool:
        """Trace up to ``tiles`` of the tiles that the next pass of the wanted layers ``keys`` lacks, all by default.

        A pass goes over all tiles, or over those ``within`` (tiles,) a part of the frame.

        Returns whether that pass is whole now. With ``emphasis`` rays go where they change the
        picture most, given what other layers add to it already: ``lit`` (pixels,) luminance [cd/m2].
        The mean of a layer stays the same, its grain does not. Each tile takes one sample of the
        sequence that is new there to all the layers.
        """
        lights = self._pack()
        sums = [self.sums[k] for k in keys]
        numbers = [self._wanted.index(k) for k in keys]
        active = np.array([(n, s.slot, self._stars_of.get(n, -1)) for n, s in zip(numbers, sums)], np.int64)
        medium, even = sums[0].spec.medium.pack(), sums[0].spec.medium.evenly().pack()
        due = self._due(keys, within)
        todo = due if tiles is None else due[: max(tiles, 1)]
        samples = np.max([s.next_samples[todo] for s in sums], axis=0)
        at = Setting(self.arrays, lights, active, _emphasis_rows(keys, emphasis))
        lit = self._dark if lit is None else lit
        layers = Layers(self._surface, self._air, self.guides.looks)

        def advance(first: int, stop: int) -> None:
            here, numbers = todo[first:stop], samples[first:stop]
            tiles = Tiles(self._in_tiles, self._tile_starts, here, numbers)
            trace_tiles(
                at, lit, self._stars, self.camera, medium, even, sums[0].spec.bounces, self.view.width, tiles, layers
            )
            for layer in sums:
                layer.counts[here] += 1
                layer.next_samples[here] = numbers + 1

        # Tiles lie in no order: any run of them is spread over the picture.
        over_threads(advance, 0, len(todo))
        return len(todo) == len(due)

    def level_out(self, layer: LayerSum) -> None:
        """Weigh tiles that are ahead as if they had as many passes as the rest; their means stay."""
        if layer.passes and not layer.is_even:
            weight = (np.float32(layer.passes) / layer.counts.astype(np.float32))[self._tile_of, None]
            self._surface[layer.slot] *= weight
            self._air[layer.slot] *= weight
            layer.counts[:] = layer.passes

    def put(self, key: str, image: LayerImage) -> None:
        """Fill a wanted layer from saved pictures of ``image.passes`` passes."""
        layer = self.sums[key]
        weight = np.float32(image.passes)
        self._surface[layer.slot] = image.surface.reshape(-1, 3) * weight
        self._air[layer.slot] = image.air.reshape(-1, 3) * weight
        layer.counts[:] = image.passes
        # It may have left out samples that others took: go on where none of a live picture has been.
        layer.next_samples[:] = max(image.passes, SAMPLES_KEPT)

    def restart(self, key: str) -> None:
        """Forget what a layer has gathered."""
        layer = self.sums[key]
        self._surface[layer.slot] = 0
        self._air[layer.slot] = 0
        layer.counts[:], layer.next_samples[:] = 0, 0

    def write_mean(self, key: str, surface: NDArray[np.float32], air: NDArray[np.float32]) -> None:
        """Write a layer's mean pictures into ``surface`` and ``air`` (H, W, 3)."""
        layer = self.sums[key]
        weight = self.weight_of(layer)
        np.multiply(self._surface[layer.slot], weight, out=surface.reshape(-1, 3))
        np.multiply(self._air[layer.slot], weight, out=air.reshape(-1, 3))

    def weight_of(self, layer: LayerSum) -> NDArray[np.float32]:
        """What makes a layer's sums its mean, (pixels, 1): one over the passes of each; (1, 1) where all are even."""
        weight = np.float32(1.0) / np.maximum(layer.counts, 1).astype(np.float32)
        return weight[:1, None] if layer.is_even else weight[self._tile_of, None]

    @property
    def surface_pool(self) -> NDArray[np.float32]:
        """Surface sums of all layers (slots, pixels, 3), over their passes."""
        return self._surface

    def sums_of(self, layer: LayerSum) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Surface and air part (pixels, 3) of a layer, summed over the passes of each tile (see `weight_of`)."""
        return self._surface[layer.slot], self._air[layer.slot]

    def image(self, key: str) -> LayerImage:
        """A layer's mean pictures (H, W, 3) float32."""
        layer = self.sums[key]
        shape = (self.view.height, self.view.width, 3)
        image = LayerImage(key, layer.passes, np.empty(shape, np.float32), np.empty(shape, np.float32))
        self.write_mean(key, image.surface, image.air)
        return image

    def _as_image(self, array: NDArray) -> NDArray[np.float32]:
        return array.reshape(self.view.height, self.view.width, 3)

    @property
    def tiles(self) -> int:
        """Number of tiles in a picture: the most parts a pass can be cut into."""
        return len(self._tile_starts) - 1
