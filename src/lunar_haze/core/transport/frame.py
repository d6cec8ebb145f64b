"""One picture being computed: layers that gather passes, and what the lens sees.

`Frame` holds the sums of any number of layers of one view. It advances by parts of a pass, so that
whoever drives it can stop, look or change the wanted layers between parts. Layers whose key is
wanted again go on from where they were.
"""

import attrs
import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import LayerImage, LayerSpec, View
from lunar_haze.core.transport.guides import guide_pass
from lunar_haze.core.transport.lights import LightArrays, pack_lights
from lunar_haze.core.transport.path import CHUNK, trace_part
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.transport.view import pack_view


@attrs.define(eq=False)
class LayerSum:
    """Where a layer's sums lie in the frame's pool, and how many passes they hold."""

    spec: LayerSpec
    slot: int
    passes: int = 0
    last_wanted: int = 0


@attrs.define(eq=False)
class Guides:
    """What the lens sees. Arrays are per pixel, row-major from the top left.

    ``depth`` [m] along the ray, `SKY_DEPTH` for the sky; ``owner`` object and material numbers, -1 for
    none; ``ground`` the geometric normal that faces the lens.
    """

    albedo: NDArray[np.float32]
    normal: NDArray[np.float32]
    depth: NDArray[np.float32]
    owner: NDArray[np.int32]
    ground: NDArray[np.float32]
    passes: int = 0

    @staticmethod
    def empty(pixels: int) -> "Guides":
        return Guides(
            np.zeros((pixels, 3), np.float32),
            np.zeros((pixels, 3), np.float32),
            np.zeros(pixels, np.float32),
            np.full((pixels, 2), -1, np.int32),
            np.zeros((pixels, 3), np.float32),
        )


class Frame:
    """Layers and guides of one view of a place.

    Sums lie in two pools (slots, pixels, 3) float32. Layers that are no longer wanted keep their
    slot until ``memory_bytes`` is reached; then the one unwanted for longest gives way.
    """

    def __init__(self, place: PackedPlace, view: View, memory_bytes: int = 1 << 30) -> None:
        self.place = place
        self.view = view
        self.pixels = view.width * view.height
        self.camera = pack_view(view)
        self.guides = Guides.empty(self.pixels)
        self.sums: dict[str, LayerSum] = {}
        self._slot_limit = max(memory_bytes // (self.pixels * 24), 1)
        self._surface = np.zeros((0, self.pixels, 3), np.float32)
        self._air = np.zeros((0, self.pixels, 3), np.float32)
        self._wanted: list[str] = []
        self._lights: LightArrays | None = None
        self._clock = 0

    @property
    def memory_bytes(self) -> int:
        """Memory that the sums take."""
        return self._surface.nbytes + self._air.nbytes

    def add_guides(self, passes: int) -> None:
        """Gather ``passes`` more samples of the guides."""
        g = self.guides
        for index in range(g.passes, g.passes + passes):
            guide_pass(
                self.place.arrays, self.camera, index, self.view.width, self.pixels, nb.get_num_threads(),
                g.albedo, g.normal, g.depth, g.owner, g.ground,
            )  # fmt: skip
        g.passes += passes

    def guide_images(self) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Mean albedo and normal (H, W, 3) for the denoiser."""
        weight = np.float32(1.0 / max(self.guides.passes, 1))
        return self._as_image(self.guides.albedo * weight), self._as_image(self.guides.normal * weight)

    def want(self, specs: list[LayerSpec]) -> list[str]:
        """Make room for layers; returns their keys in the same order. Sums already here go on."""
        self._clock += 1
        keys = [spec.key() for spec in specs]
        for key, spec in zip(keys, specs):
            if key not in self.sums:
                self.sums[key] = LayerSum(spec, self._free_slot(set(keys)))
            self.sums[key].last_wanted = self._clock
        if keys != self._wanted:
            self._lights = pack_lights([spec.shape for spec in specs], self.place.place, self.place.order)
            self._wanted = keys
        return keys

    def _free_slot(self, keep: set[str]) -> int:
        taken = {s.slot for s in self.sums.values()}
        for slot in range(len(self._surface)):
            if slot not in taken:
                self._surface[slot] = 0
                self._air[slot] = 0
                return slot
        if len(self._surface) >= self._slot_limit:
            idle = [k for k in self.sums if k not in keep]
            if idle:
                oldest = min(idle, key=lambda k: self.sums[k].last_wanted)
                del self.sums[oldest]
                return self._free_slot(keep)
        more = np.zeros((4, self.pixels, 3), np.float32)
        self._surface = np.concatenate([self._surface, more])
        self._air = np.concatenate([self._air, more])
        return len(self._surface) - 4

    def trace(self, keys: list[str], part: int = 0, parts: int = 1) -> None:
        """Trace part ``part`` of ``parts`` of the next pass of the wanted layers ``keys``.

        They must stand at the same number of passes, and get all parts before the pass counts.
        """
        assert self._lights is not None, "want() comes before trace()"
        sums = [self.sums[k] for k in keys]
        active = np.array([(self._wanted.index(k), self.sums[k].slot) for k in keys], np.int64)
        medium = sums[0].spec.medium.pack()
        trace_part(
            self.place.arrays, self._lights, active, self.camera, medium, sums[0].spec.bounces, sums[0].passes,
            self.view.width, self.pixels, part, parts, nb.get_num_threads(), self._surface, self._air,
        )  # fmt: skip
        if part == parts - 1:
            for layer in sums:
                layer.passes += 1

    def put(self, key: str, image: LayerImage) -> None:
        """Fill a wanted layer from saved pictures of ``image.passes`` passes."""
        layer = self.sums[key]
        weight = np.float32(image.passes)
        self._surface[layer.slot] = image.surface.reshape(-1, 3) * weight
        self._air[layer.slot] = image.air.reshape(-1, 3) * weight
        layer.passes = image.passes

    def restart(self, key: str) -> None:
        """Forget what a layer has gathered."""
        layer = self.sums[key]
        self._surface[layer.slot] = 0
        self._air[layer.slot] = 0
        layer.passes = 0

    def write_mean(self, key: str, surface: NDArray[np.float32], air: NDArray[np.float32]) -> None:
        """Write a layer's mean pictures into ``surface`` and ``air`` (H, W, 3)."""
        layer = self.sums[key]
        weight = np.float32(1.0 / max(layer.passes, 1))
        np.multiply(self._as_image(self._surface[layer.slot]), weight, out=surface)
        np.multiply(self._as_image(self._air[layer.slot]), weight, out=air)

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
    def chunks(self) -> int:
        """Number of chunks in a pass: the most parts it can be cut into."""
        return (self.pixels + CHUNK - 1) // CHUNK
