"""The frozen values that engine, cache and mixer exchange.

A *layer* is the picture of a place under one source of one canonical unit, in scene-linear ACEScg
radiance [cd/m2], split in a surface part and an air part. Its key is a digest of all it depends
on and of nothing else, so undo, pins and other looks find their layers again.
"""

import functools
import hashlib
import json
import math
from typing import Any

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.layers.engine import engine_version
from lunar_haze.core.layers.motes import Motes
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sources.array import Crowd
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.kinds import Shape
from lunar_haze.core.sources.model import LightLinking


def digest(value: object) -> str:
    """Stable name of a frozen value: its fields, and the kinds of all values inside it."""

    def plain(v: Any) -> object:
        if attrs.has(type(v)):
            return [type(v).__name__, *(plain(getattr(v, a.name)) for a in attrs.fields(type(v)))]
        if isinstance(v, (tuple, list)):
            return [plain(item) for item in v]
        # Minus zero is zero: a number that was turned to nothing and back names the same layer.
        return repr(v + 0.0) if isinstance(v, float) else v

    return hashlib.blake2b(json.dumps(plain(value)).encode(), digest_size=16).hexdigest()


@attrs.frozen
class PlaceSpec:
    """Which place to load: a file, the scale applied to it, a digest of its bytes, which scene of it ("" its own)."""

    path: str
    scale: float
    key: str
    scene: str = ""


@attrs.frozen
class View:
    """A camera and the size of its picture in pixels; ``seconds`` since the shot began, where the air drifts and lamps
    flicker; ``open_s`` [s] is how long the shutter is open.
    """

    camera: Camera
    width: int
    height: int
    seconds: float = 0.0
    open_s: float = 0.0


@attrs.frozen
class LayerSpec:
    """All that decides one layer. ``shape`` carries no amount, colour or dimmer.

    ``part`` is "all" of what the source adds, or what "matte" reflection or "highlights" make of it;
    ``linking`` are the objects it lights, ``cards`` what stands in its way.
    """

    place_key: str
    view: View
    shape: Shape | Crowd
    medium: Medium
    bounces: int
    part: str = "all"
    linking: LightLinking = LightLinking()
    cards: tuple[Card, ...] = ()

    def key(self) -> str:
        """Name of the layer in caches and messages."""
        return _key_of(self)

    def grid_key(self) -> str:
        """Name of the source's light in the air, which does not depend on the medium."""
        return digest((self.place_key, self.view.camera, self.view.width / self.view.height, self.shape, self.cards))


@functools.lru_cache(maxsize=4096)
def _key_of(spec: LayerSpec) -> str:
    # Asked for at every touch of a dimmer, for every source.
    return digest((engine_version(), spec))


#: A part of the frame: left, top, right and bottom as shares of it.
Part = tuple[float, float, float, float]
#: A share of a frame's work: its number k, from 0, and how many there are, n. It has tiles k, k + n, k + 2 n, ...
Share = tuple[int, int]


def pixels_of(part: Part, width: int, height: int) -> tuple[int, int, int, int]:
    """First column and row of a part of the frame, and those after its last [px]; one pixel at the least."""
    left, top = (min(max(math.floor(at * size), 0), size - 1) for at, size in ((part[0], width), (part[1], height)))
    right, bottom = (min(max(math.ceil(at * size), 1), size) for at, size in ((part[2], width), (part[3], height)))
    return left, top, max(right, left + 1), max(bottom, top + 1)


@attrs.frozen
class FrameRequest:
    """Layers wanted for one picture, in order of urgency, and how far to refine them.

    ``gains`` are the mix factors (rgb for the surface, rgb for the air) at the time of asking;
    the denoised picture is made with them until others are sent. ``denoise`` off leaves the
    picture as it was summed. ``part`` of the frame goes ahead and farther than the rest, or is all that is computed
    (``part_alone``); None for no such part. ``fresh`` begins with nothing that is known of the view, and is what later
    requests of it stand on that are not ``live``: whatever came between does not change them. ``motes`` are those of
    dust whose light is asked for along with the layers, None for none. Of a ``share`` of the work only its own tiles
    are computed, and nothing is denoised: that takes the whole picture. ``looked`` asks for the denoiser's guides too.
    """

    id: int
    place: PlaceSpec
    view: View
    medium: Medium
    bounces: int
    layers: tuple[LayerSpec, ...]
    gains: tuple["LayerGain", ...]
    passes: int = 64
    denoise: bool = True
    live: bool = True
    part: Part | None = None
    part_alone: bool = False
    fresh: bool = False
    motes: Motes | None = None
    share: Share | None = None
    looked: bool = False

    @property
    def is_partial(self) -> bool:
        """Whether some of the picture is not computed at all."""
        return self.part_alone or self.share is not None


@attrs.frozen
class LayerGain:
    """Mix factors of one layer: ``surface`` and ``air``, each rgb."""

    key: str
    surface: tuple[float, float, float]
    air: tuple[float, float, float]

    @property
    def is_silent(self) -> bool:
        """Whether a layer under this gain adds nothing."""
        return not any(self.surface) and not any(self.air)


@attrs.frozen(eq=False)
class LayerImage:
    """A layer's pictures, each (H, W, 3) float32 radiance [cd/m2 per canonical unit]."""

    key: str
    passes: int
    surface: NDArray[np.float32]
    air: NDArray[np.float32]


@attrs.frozen(eq=False)
class Looked:
    """What looks found in some ``pixels`` (n,) int64 of a frame: mean ``albedo`` and ``normal`` (n, 3)."""

    pixels: NDArray[np.int64]
    albedo: NDArray[np.float32]
    normal: NDArray[np.float32]
