"""Mist as one medium: a fog that thins with height, banks that lie in it, patches, and a distance where it begins.

The fog's extinction is constant below a base level and thins with height,

    sigma_t(z) = sigma_0                         z <= base
    sigma_t(z) = sigma_0 exp(-(z - base) / H)    z >  base

with sigma_0 = 3.912 / V from the visibility V (Koschmieder 1924, contrast threshold 2 %), and no
fog at all above ``top``: a layer of finite depth, so that the sun and the sky always reach it.
Banks add to it, a stretch takes it away nearer or farther than a distance, and patches multiply
the sum by a field of mean one. Albedo and phase are those of the whole. Single rays go through
`lunar_haze.core.air.kernels`; `optical_depth` is the same for arrays.
"""

import functools
import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.banks import AT as BANKS_AT
from lunar_haze.core.air.banks import BANK_KINDS, MOST_BANKS, ROW
from lunar_haze.core.air.jendersie2023 import Blend, droplets
from lunar_haze.core.air.medium_row import MEDIUM
from lunar_haze.core.air.patches import PATCHES, STEP, TILE_AT, TILE_ROOM, packed_tile
from lunar_haze.core.units.memory import on_lines

KOSCHMIEDER = 3.912
#: An extinction above this [1/m] is a wall.
DENSEST = 1e4


def _extinction(visibility_m: float) -> float:
    return KOSCHMIEDER / visibility_m if visibility_m > 0 else math.inf


@attrs.frozen
class Bank:
    """A body of mist of its own: where it lies, how large it is, how far one sees in it.

    ``kind`` is the name of one of `banks.BANK_KINDS`; ``size`` its full extents [m] before it
    is turned about the vertical. ``softness`` is the share of its half size over which it thins out.
    """

    name: str = "bank"
    kind: str = "ellipsoid"
    centre: tuple[float, float, float] = (0.0, 0.0, 1.0)
    size: tuple[float, float, float] = (12.0, 8.0, 2.0)
    turn_deg: float = 0.0
    visibility_m: float = 25.0
    softness: float = 0.7

    @property
    def extinction_per_m(self) -> float:
        """Extinction at its heart [1/m]; zero when it holds nothing."""
        sigma = _extinction(self.visibility_m)
        return min(sigma, DENSEST) if math.isfinite(self.visibility_m) and min(self.size) > 0 else 0.0

    def pack(self) -> list[float]:
        """Its row for the kernels."""
        turn = math.radians(self.turn_deg)
        half = [max(extent, 1e-6) / 2 for extent in self.size]
        return [
            float(list(BANK_KINDS).index(self.kind)), *self.centre, math.cos(turn), math.sin(turn), *half,
            min(max(self.softness, 1e-3), 1.0), self.extinction_per_m,
        ]  # fmt: skip


@attrs.frozen
class Patches:
    """Denser and thinner places in the mist, drifting with the wind.

    ``contrast`` is the standard deviation of the density over its mean, zero for even mist;
    ``size_m`` how far it is from one patch to the next, ``stretch`` how much wider than tall they
    are. ``bearing_deg`` is where the wind comes from. ``drifted_s`` is how long they have drifted.
    """

    contrast: float = 0.0
    size_m: float = 8.0
    stretch: float = 2.5
    speed_m_s: float = 0.6
    bearing_deg: float = 240.0
    seed: int = 1
    drifted_s: float = 0.0


@attrs.frozen
class Stretch:
    """Where along the view there is mist: from ``begins_m`` to ``ends_m`` before the lens, fading over ``fades_m``.

    ``origin`` and ``axis`` are the lens that the distances count from; `Medium.before_lens` fills them in.
    """

    begins_m: float = 0.0
    ends_m: float = math.inf
    fades_m: float = 2.0
    origin: tuple[float, float, float] = (0.0, 0.0, 0.0)
    axis: tuple[float, float, float] = (0.0, 0.0, 0.0)

    @property
    def is_all(self) -> bool:
        """True where distance changes nothing."""
        return (self.begins_m <= 0 and math.isinf(self.ends_m)) or self.axis == (0.0, 0.0, 0.0)


@attrs.frozen
class Medium:
    """The air of a look. Lengths in metres; colours ACEScg.

    ``visibility_m`` is how far one can see at the base level; infinite means clear air.
    ``albedo`` is the share of extinction that is scattered, per channel. ``anisotropy`` is the
    Henyey-Greenstein g in (-1, 1), positive when light is thrown onward; a ``droplet_um``, the
    diameter of droplets [um], takes its place unless it is zero. ``multiple`` is how much of the
    light that is scattered more than once is kept: none (0, contrast and shafts) to all (1, glow).
    """

    visibility_m: float = math.inf
    base_m: float = 0.0
    fall_off_m: float = 12.0
    top_m: float = 400.0
    albedo: tuple[float, float, float] = (0.97, 0.97, 0.97)
    anisotropy: float = 0.55
    droplet_um: float = 0.0
    multiple: float = 0.0
    banks: tuple[Bank, ...] = ()
    patches: Patches = Patches()
    stretch: Stretch = Stretch()

    @property
    def extinction_per_m(self) -> float:
        """Extinction sigma_0 of the fog at its base level [1/m]; zero in clear air."""
        return _extinction(self.visibility_m)

    @property
    def has_fog(self) -> bool:
        """True unless all there is lies in banks."""
        return math.isfinite(self.visibility_m) and self.extinction_per_m >= 1e-9

    @property
    def is_clear(self) -> bool:
        """True where there is nothing in the air to compute."""
        return not self.has_fog and not any(bank.extinction_per_m for bank in self.banks)

    @property
    def is_plain(self) -> bool:
        """True where the fog's closed forms are all there is."""
        return not self.banks and self.patches.contrast <= 0 and self.stretch.is_all

    def before_lens(
        self, origin: tuple[float, float, float], axis: tuple[float, float, float], seconds: float
    ) -> "Medium":
        """The medium as it stands before a lens at ``origin`` that looks along unit ``axis``, at a time [s].

        What makes no difference is put back to its default, so that equal air is equal.
        """
        if self.is_clear:
            return Medium()
        stretch, patches = attrs.evolve(self.stretch, origin=origin, axis=axis), Patches()
        if self.patches.contrast > 0:
            patches = attrs.evolve(self.patches, drifted_s=seconds if self.patches.speed_m_s else 0.0)
        found = attrs.evolve(self, stretch=Stretch() if stretch.is_all else stretch, patches=patches)
        if found.droplet_um > 0:
            found = attrs.evolve(found, anisotropy=Medium().anisotropy)
        if not found.has_fog:
            usual = Medium()
            found = attrs.evolve(
                found, visibility_m=math.inf, base_m=usual.base_m, fall_off_m=usual.fall_off_m, top_m=usual.top_m
            )
        return found

    def evenly(self) -> "Medium":
        """The medium without its patches: what light that is scattered again and again goes through, on the whole."""
        return attrs.evolve(self, patches=Patches())

    def pack(self) -> NDArray[np.float32]:
        """Parameters of the kernels, float32: the fog and the phase, what else there is, the banks, the patches."""
        return _packed(self)


@functools.lru_cache(maxsize=32)
def _packed(medium: Medium) -> NDArray[np.float32]:
    blend = droplets(medium.droplet_um) if medium.droplet_um > 0 else Blend(medium.anisotropy, 0.0, 0.0, 0.0)
    sigma = min(medium.extinction_per_m, DENSEST) if medium.has_fog else 0.0
    stretch, patches = medium.stretch, medium.patches
    patchy = patches.contrast > 0
    packed = on_lines((TILE_AT + (TILE_ROOM if patchy else 0),), np.float32)
    MEDIUM.put(
        packed, sigma=sigma, base=medium.base_m, scale=max(medium.fall_off_m, 1e-3),
        top=max(medium.top_m, medium.base_m + 1e-3), lobe_g=blend.g_hg, albedo=medium.albedo, clear=medium.is_clear,
        draine_g=blend.g_draine, draine_alpha=blend.alpha, draine_share=blend.draine_share, plain=medium.is_plain,
        banks=min(len(medium.banks), MOST_BANKS), multiple=min(max(medium.multiple, 0.0), 1.0),
    )  # fmt: skip
    if not stretch.is_all:
        MEDIUM.put(
            packed, stretch=1.0, stretch_origin=stretch.origin, stretch_axis=stretch.axis,
            stretch_begins=stretch.begins_m, stretch_ends=min(stretch.ends_m, 1e30),
            stretch_fades=max(stretch.fades_m, 1e-3),
        )  # fmt: skip
    for number, bank in enumerate(medium.banks[:MOST_BANKS]):
        packed[BANKS_AT + number * ROW : BANKS_AT + number * ROW + 11] = bank.pack()
    if not patchy:
        return packed
    # The wind carries the two fields that are multiplied at slightly different speeds, so that patches change as they
    # go and no two of them pass alike.
    bearing, size = math.radians(patches.bearing_deg), max(patches.size_m, 0.05)
    to = -np.array([math.sin(bearing), math.cos(bearing), 0.0]) * patches.speed_m_s * patches.drifted_s
    field, step = packed_tile(patches.seed, round(patches.contrast, 4))
    packed[PATCHES : STEP + 1] = [1.0, size, max(patches.stretch, 0.05), *to, *(to * 0.82), step]
    packed[TILE_AT:].view(np.uint16)[:] = field
    return packed


def optical_depth(medium: Medium, start: NDArray, end: NDArray) -> NDArray:
    """Optical depth between points ``start`` and ``end`` (..., 3) [m], dimensionless, (...).

    The integral of the extinction along the segment: closed forms for fog and banks.
    """
    # Loaded when a depth is asked for: that takes as long as all else that a window needs before it shows.
    from lunar_haze.core.air.kernels import segment_depths

    start, end = np.broadcast_arrays(np.asarray(start, np.float32), np.asarray(end, np.float32))
    # One kind of array, so that one kernel is compiled: copies that lie in one piece.
    flat = start.reshape(-1, 3).copy(), end.reshape(-1, 3).copy()
    return segment_depths(medium.pack(), *flat).reshape(start.shape[:-1])
