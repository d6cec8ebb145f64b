"""Packs a place for the kernels: geometry, materials and textures as flat arrays.

Triangles are reordered so that solid ones come first; `PackedPlace.order` maps back. Built once
for a place, whatever sources come and go.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import SRGB_TO_ACESCG, srgb_decode
from lunar_haze.core.errors import SourceError
from lunar_haze.core.place.model import Material, Place, emissive_luminance
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.cutouts import pattern
from lunar_haze.core.sources.facing import facing_frame
from lunar_haze.core.transport.embree import RayScene
from lunar_haze.core.transport.ggx import energy_tables
from lunar_haze.core.units.memory import on_lines

# Columns of a packed vertex and of a triangle. What a hit asks for lies together: half a line of memory for
# the triangle and for each of its corners, where arrays of their own would take a dozen lines.
NORMAL, UV, VERTEX_COLUMNS = 3, 6, 8
MATERIAL, OBJECT, FACE_COLUMNS = 3, 4, 8
#: Texture coordinates are held within this many repeats.
MOST_REPEATS = 1e6
# Columns of a packed material.
BASE_R, BASE_G, BASE_B, METALLIC, ROUGHNESS, CUTOFF, CLEAR, EMIT_R, EMIT_G, EMIT_B, TWO_SIDED = range(11)
BLEND, COLOURED = 11, 12
MATERIAL_COLUMNS = 13
# Columns of a material's texture numbers.
TEX_BASE, TEX_ROUGH, TEX_NORMAL, TEX_EMIT = range(4)
TEXTURES = 4


class SceneArrays(NamedTuple):
    """What kernels read of a place. T triangles (solid first), M materials, K textures."""

    handle: int
    solid_count: int
    clear_count: int
    vertices: NDArray  # (V, 8) float32: position [m], normal, texture coordinates
    faces: NDArray  # (T, 8) uint32: three corners, material, object
    materials: NDArray  # (M, MATERIAL_COLUMNS) float32
    textures_of: NDArray  # (M, 4) int32, -1 for none
    texels: NDArray  # (texels of all textures,) uint32, RGBA from the lowest byte up
    texture_info: NDArray  # (K, 4) int64: offset, width, height, is-colour
    colours: NDArray  # (V,) uint32 of vertices, RGBA from the lowest byte up; (1,) where there are none
    decode: NDArray  # (256,) float32, sRGB to linear
    to_acescg: NDArray  # (3, 3) float32
    energy: NDArray  # (32, 32, 3) float32
    mean_coat: NDArray  # (32,) float32
    cards: NDArray  # (C, 18) float32, see `pack_cards`
    card_patterns: NDArray  # (P, SIZE, SIZE) float32 share of light let through


# Columns of a packed card.
CARD_AT, CARD_AXIS, CARD_SIDE, CARD_UP = 0, 3, 6, 9
CARD_HALF_W, CARD_HALF_H, CARD_REFLECTS, CARD_PATTERN = 12, 13, 14, 17
CARD_COLUMNS = 18


def pack_cards(
    cards: tuple[Card, ...], problems: list[str] | None = None
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Rows (C, 18) of cards and their patterns (P, SIZE, SIZE) for the kernels.

    A card whose cut-out cannot be read is left out where ``problems`` is there to be told; else it raises SourceError.
    """
    rows = np.zeros((len(cards), CARD_COLUMNS), np.float32)
    patterns: list[NDArray] = []
    count = 0
    for card in cards:
        try:
            image = None if card.cutout is None else pattern(card.cutout)
        except SourceError as error:
            if problems is None:
                raise
            problems.append(str(error))
            continue
        row = rows[count]
        count += 1
        side, up, axis = facing_frame(card.position, card.aim, card.turn_deg)
        row[CARD_AT : CARD_AT + 3], row[CARD_AXIS : CARD_AXIS + 3] = card.position, axis
        row[CARD_SIDE : CARD_SIDE + 3], row[CARD_UP : CARD_UP + 3] = side, up
        row[CARD_HALF_W], row[CARD_HALF_H] = card.width_m / 2, card.height_m / 2
        row[CARD_REFLECTS : CARD_REFLECTS + 3] = card.reflectance
        row[CARD_PATTERN] = -1 if image is None else len(patterns)
        if image is not None:
            patterns.append(image)
    return rows[:count], np.stack(patterns) if patterns else np.zeros((1, 1, 1), np.float32)


def _material_row(material: Material, coloured: bool) -> list[float]:
    scale = max(emissive_luminance(material), 1e-9)
    emissive = [channel / scale for channel in material.emissive]
    return [
        *material.base_colour,
        material.metallic,
        material.roughness,
        material.alpha_cutoff,
        material.clear,
        *emissive,
        float(material.double_sided),
        material.blend,
        float(coloured),
    ]


class PackedPlace:
    """A place ready for rays; owns the acceleration structure."""

    def __init__(self, place: Place) -> None:
        self.place = place
        solid_material = np.array([m.is_solid for m in place.materials])
        solid = solid_material[place.material_of]
        self.order = np.concatenate([np.flatnonzero(solid), np.flatnonzero(~solid)])
        triangles = np.ascontiguousarray(place.triangles[self.order])
        count = int(solid.sum())
        self.rays = RayScene(place.positions, triangles, count)

        vertices = on_lines((len(place.positions), VERTEX_COLUMNS), np.float32)
        vertices[:, :NORMAL], vertices[:, NORMAL:UV] = place.positions, place.normals
        # A texture repeats; so far out that single precision tells no texels apart, it need not.
        vertices[:, UV:] = np.clip(np.nan_to_num(place.uvs), -MOST_REPEATS, MOST_REPEATS)
        faces = on_lines((len(triangles), FACE_COLUMNS), np.uint32)
        faces[:, :MATERIAL] = triangles
        faces[:, MATERIAL], faces[:, OBJECT] = place.material_of[self.order], place.object_of[self.order]

        texels, info, offset = [], [], 0
        for texture in place.textures:
            flat = np.ascontiguousarray(texture.pixels).reshape(-1).view("<u4")
            info.append((offset, texture.pixels.shape[1], texture.pixels.shape[0], int(texture.is_colour)))
            texels.append(flat)
            offset += len(flat)
        colours = place.colours
        tables = energy_tables()
        self.arrays = SceneArrays(
            handle=self.rays.handle,
            solid_count=count,
            clear_count=len(triangles) - count,
            vertices=vertices,
            faces=faces,
            materials=np.array([_material_row(m, colours is not None) for m in place.materials], np.float32),
            textures_of=np.array(
                [(m.base_texture, m.roughness_texture, m.normal_texture, m.emissive_texture) for m in place.materials],
                np.int32,
            ),
            texels=np.concatenate(texels) if texels else np.zeros(1, np.uint32),
            texture_info=np.array(info, np.int64).reshape(-1, 4),
            colours=np.zeros(1, np.uint32) if colours is None else np.ascontiguousarray(colours).view("<u4").ravel(),
            decode=srgb_decode(np.arange(256) / 255).astype(np.float32),
            to_acescg=SRGB_TO_ACESCG.astype(np.float32),
            energy=tables[0],
            mean_coat=tables[1],
            cards=np.zeros((0, CARD_COLUMNS), np.float32),
            card_patterns=np.zeros((1, 1, 1), np.float32),
        )

    def close(self) -> None:
        """Release the acceleration structure."""
        self.rays.close()
