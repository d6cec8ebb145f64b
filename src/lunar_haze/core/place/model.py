"""A modelled place as arrays: metres, Z up, triangles with material and object numbers.

A place is made once on import and never edited; looks and shots refer to it.
"""

import functools
import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import luminance
from lunar_haze.core.errors import PlaceError
from lunar_haze.core.place.camera import Camera


@attrs.frozen(eq=False)
class Texture:
    """An image (H, W, 4) uint8, row 0 at the top; ``is_colour`` marks sRGB encoding."""

    name: str
    pixels: NDArray[np.uint8]
    is_colour: bool


@attrs.frozen
class Material:
    """Metallic-roughness surface (glTF 2.0). Colours linear ACEScg; textures by number or -1.

    ``emissive`` is a luminance colour [cd/m2]; ``clear`` is the share of light that a thin tinted
    sheet lets through (glass), 0 for what is solid. ``blend`` is the share of light that a surface of
    coverage stops, before the alpha of its texture: the rest passes by as if it were not there; 0 for none.
    """

    name: str
    base_colour: tuple[float, float, float] = (0.8, 0.8, 0.8)
    metallic: float = 0.0
    roughness: float = 0.9
    emissive: tuple[float, float, float] = (0.0, 0.0, 0.0)
    alpha_cutoff: float = 0.0
    clear: float = 0.0
    blend: float = 0.0
    double_sided: bool = False
    base_texture: int = -1
    roughness_texture: int = -1
    normal_texture: int = -1
    emissive_texture: int = -1

    @property
    def glows(self) -> bool:
        """Whether the material emits light of its own."""
        return max(self.emissive) > 0

    @property
    def is_solid(self) -> bool:
        """Whether no light ever passes: neither cut-out, glass, nor partly there."""
        return self.alpha_cutoff <= 0 and self.clear <= 0 and self.blend <= 0


@attrs.frozen
class PlaceCamera:
    """A camera that came with the file."""

    name: str
    camera: Camera


@attrs.frozen
class PlaceLight:
    """A light that came with the file: a point, a spot or a far sun.

    ``position`` and ``direction`` (unit) in the place's axes, ``colour`` ACEScg; ``intensity`` in cd, of a sun in
    lx; nothing arrives past ``range_m``; angles of a spot from its axis, where it begins to fall and where it ends.
    """

    name: str
    kind: str
    position: tuple[float, float, float]
    direction: tuple[float, float, float]
    colour: tuple[float, float, float] = (1.0, 1.0, 1.0)
    intensity: float = 1.0
    range_m: float = math.inf
    inner_deg: float = 0.0
    outer_deg: float = 45.0


@attrs.frozen(eq=False)
class Place:
    """Geometry of a place. V vertices, T triangles.

    ``positions`` (V, 3) float32 [m]; ``normals`` (V, 3) float32 unit; ``uvs`` (V, 2) float32 with
    v downwards as in glTF; ``triangles`` (T, 3) uint32; ``material_of`` and ``object_of`` (T,)
    int32 index ``materials`` and ``objects``. ``notes`` are sentences about what the import did
    not understand or mended. ``colours`` (V, 4) uint8 are laid on the materials' own, rgb encoded as sRGB,
    None where no mesh has any. ``scenes`` are the names of all scenes in the file.
    """

    positions: NDArray[np.float32]
    normals: NDArray[np.float32]
    uvs: NDArray[np.float32]
    triangles: NDArray[np.uint32]
    material_of: NDArray[np.int32]
    object_of: NDArray[np.int32]
    materials: tuple[Material, ...]
    textures: tuple[Texture, ...] = ()
    objects: tuple[str, ...] = ()
    cameras: tuple[PlaceCamera, ...] = ()
    notes: tuple[str, ...] = ()
    colours: NDArray[np.uint8] | None = None
    lights: tuple[PlaceLight, ...] = ()
    scenes: tuple[str, ...] = ()

    @property
    def bounds(self) -> tuple[NDArray, NDArray]:
        """Lowest and highest corner (3,) [m]."""
        return self.positions.min(axis=0), self.positions.max(axis=0)

    @functools.cached_property
    def worn(self) -> tuple[Material, ...]:
        """The materials that at least one triangle wears."""
        return tuple(self.materials[i] for i in np.unique(self.material_of))

    def glowing_materials(self) -> list[Material]:
        """Materials that emit, and are worn."""
        return [m for m in self.worn if m.glows]


def emissive_luminance(material: Material) -> float:
    """Luminance of a glowing material [cd/m2]."""
    return float(luminance(np.asarray(material.emissive, float)))


def smooth_normals(positions: NDArray, triangles: NDArray) -> NDArray[np.float32]:
    """Vertex normals (V, 3), each the area-weighted mean of its triangles' normals."""
    corners = positions[triangles.astype(np.int64)]
    face = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normals = np.zeros_like(positions, dtype=np.float64)
    for corner in range(3):
        np.add.at(normals, triangles[:, corner], face)
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    return np.where(length > 1e-20, normals / np.maximum(length, 1e-20), (0.0, 0.0, 1.0)).astype(np.float32)


def validated(place: Place, source: str) -> Place:
    """The place, or a PlaceError that says what is wrong with ``source`` and what to do."""
    if len(place.triangles) == 0:
        raise PlaceError(f"{source} holds no triangles; export the set as meshes and try again")
    bad = np.logical_not(np.isfinite(place.positions).all(axis=1))
    if bad.any():
        first = int(np.argmax(bad[place.triangles.astype(np.int64)].any(axis=1)))
        owner = place.objects[place.object_of[first]] if place.objects else "a mesh"
        raise PlaceError(
            f"{source}: {int(bad.sum())} vertices are not numbers (NaN or infinite), the first in "
            f"“{owner}”; repair that mesh and export again"
        )
    if min(place.material_of.min(initial=0), place.object_of.min(initial=0)) < 0:
        raise PlaceError(f"{source} is damaged: a mesh wears a material that is not there; export the set again")
    if place.triangles.max(initial=0) >= len(place.positions):
        raise PlaceError(f"{source}: a triangle refers to a vertex that is not there; export the set again")
    if place.material_of.max(initial=0) >= len(place.materials):
        raise PlaceError(f"{source} is damaged: a mesh wears a material that is not there; export the set again")
    return place


def scale_remark(place: Place) -> tuple[float, str] | None:
    """A likely correction factor and a sentence, when the place is not of a believable size.

    A set with people in it lies between two metres and five kilometres across; the two common
    slips are centimetres and millimetres taken for metres.
    """
    low, high = place.bounds
    extent = float((high - low).max())
    if extent > 5000:
        factor = 0.01 if extent <= 500_000 else 0.001
    elif extent < 2:
        factor = 100.0 if extent >= 0.02 else 1000.0
    else:
        return None
    return factor, (
        f"the place is {extent:,.4g} m across; at a scale of {factor:g} it would be {extent * factor:,.4g} m"
    )
