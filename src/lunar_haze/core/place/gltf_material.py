"""Materials and textures of a glTF file.

Read: metallic-roughness (and specular-glossiness, brought to it as the extension's own guide does), base colour,
roughness, normal and emissive textures, alpha mask and blend, KHR_materials_emissive_strength,
KHR_materials_transmission, KHR_texture_transform, either set of coordinates, PNG, JPEG, WebP and AVIF.
What is not understood is named in the notes.
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from lunar_haze.core.colour.spaces import SRGB_TO_ACESCG
from lunar_haze.core.errors import os_reason
from lunar_haze.core.place.gltf_file import GltfFile, Json, item, number, numbers
from lunar_haze.core.place.model import Material, Texture
from lunar_haze.core.units.pictures import UNREADABLE, open_picture

#: Emission of glTF materials is unitless in practice; 1.0 is read as this luminance.
NITS_PER_UNIT = 1000.0
#: The most pixels of one picture.
_READ = {"KHR_materials_emissive_strength", "KHR_materials_transmission", "KHR_materials_pbrSpecularGlossiness"}
#: What each extension of a material that is not read means for the picture.
_LEFT_OUT = {
    "KHR_materials_unlit": "is meant to be shown without light; it is lit like a matte surface here",
    "KHR_materials_ior": "has a refractive index of its own; that of 1.5 is taken",
    "KHR_materials_clearcoat": "has a clear coat, which is left out",
    "KHR_materials_sheen": "has the sheen of cloth, which is left out",
    "KHR_materials_specular": "has highlights of its own strength or colour, which are left out",
    "KHR_materials_volume": "is thick and tinted inside; it is taken as a thin pane",
    "KHR_materials_anisotropy": "has brushed highlights; they are taken as round",
    "KHR_materials_iridescence": "shimmers like a thin film, which is left out",
    "KHR_materials_dispersion": "splits colours like a prism, which is left out",
    "KHR_materials_diffuse_transmission": "lets light through like a leaf or paper, which is left out",
}
#: Extensions of materials that are read, or left out and told.
KNOWN_OF_MATERIALS = frozenset({*_READ, *_LEFT_OUT, "KHR_materials_variants"})
_TEXTURE_SOURCES = ("EXT_texture_webp", "EXT_texture_avif")


@attrs.frozen
class Worn:
    """A material as a mesh wears it: which set of texture coordinates, and the matrix (2, 3) laid on those."""

    material: Material
    uv_set: int = 0
    uv_matrix: tuple[tuple[float, float, float], ...] | None = None


class MaterialReader:
    """Reads materials by number; textures are decoded once, on first use."""

    def __init__(self, file: GltfFile) -> None:
        self._file = file
        self.textures: list[Texture] = []
        self._numbers: dict[tuple[int, bool], int] = {}

    def material(self, index: int) -> Worn:
        """The material of that number."""
        m = item(self._file.gltf.materials, index, "material")
        name = str(m.name or f"material {index}")
        extensions = m.extensions or {}
        for extension in extensions:
            if extension in _LEFT_OUT:
                self._file.note(f"material “{name}” {_LEFT_OUT[extension]} ({extension})")
            elif extension not in _READ:
                self._file.note(f"material “{name}”: {extension} is not understood and left out")
        pbr = m.pbrMetallicRoughness or Json()
        base_info, rough_info = pbr.baseColorTexture, pbr.metallicRoughnessTexture
        factor = numbers(pbr.baseColorFactor, (1.0, 1.0, 1.0, 1.0))
        metallic, roughness = number(pbr.metallicFactor, 1.0), number(pbr.roughnessFactor, 1.0)
        glossy = extensions.get("KHR_materials_pbrSpecularGlossiness")
        if glossy is not None:
            base_info, rough_info = glossy.diffuseTexture, None
            factor, metallic, roughness = _from_specular_glossiness(glossy)
            if glossy.specularGlossinessTexture is not None:
                self._file.note(f"material “{name}”: its texture of specular and glossiness is left out")
        strength = number((extensions.get("KHR_materials_emissive_strength") or Json()).emissiveStrength, 1.0)
        emissive = SRGB_TO_ACESCG @ numbers(m.emissiveFactor, (0.0, 0.0, 0.0)) * strength * NITS_PER_UNIT
        through = extensions.get("KHR_materials_transmission") or Json()
        if through.transmissionTexture is not None:
            self._file.note(f"material “{name}”: its texture of transmission is left out; the factor holds all over")
        clear = min(max(number(through.transmissionFactor, 0.0), 0.0), 1.0)
        alpha_cutoff, blend = 0.0, 0.0
        if m.alphaMode == "MASK":
            # What is never below the cutoff is solid; a cutoff of nothing cuts nothing out.
            alpha_cutoff = number(m.alphaCutoff, 0.5)
        elif m.alphaMode == "BLEND":
            if clear:
                self._file.note(f"material “{name}” has transmission and alpha blending; transmission is taken")
            else:
                blend = min(max(float(factor[3]), 1e-4), 1.0)
        if m.occlusionTexture is not None:
            self._file.note("baked ambient occlusion is left out: shade is computed here")
        normal = m.normalTexture
        if normal is not None and abs(number(normal.scale, 1.0) - 1.0) > 1e-6:
            self._file.note(f"material “{name}”: the strength of its normal texture is left out")
        infos = [base_info, rough_info, normal, m.emissiveTexture]
        uv_set, matrix = self._coordinates(name, infos)
        return Worn(
            Material(
                name=name,
                base_colour=tuple((SRGB_TO_ACESCG @ factor[:3]).tolist()),
                metallic=metallic,
                roughness=roughness,
                emissive=tuple(emissive.tolist()),
                alpha_cutoff=alpha_cutoff * (1.0 / max(float(factor[3]), 1e-6)) if alpha_cutoff else 0.0,
                clear=clear,
                blend=blend,
                double_sided=bool(m.doubleSided),
                base_texture=self._texture(base_info, True),
                roughness_texture=self._texture(rough_info, False),
                normal_texture=self._texture(normal, False),
                emissive_texture=self._texture(m.emissiveTexture, True),
            ),
            uv_set,
            matrix,
        )

    # -- coordinates ----------------------------------------------------------------------------

    def _coordinates(self, name: str, infos: list[Json | None]) -> tuple[int, tuple | None]:
        """The set of coordinates and the transform that all textures of a material share: those of the first."""
        found = []
        for info in infos:
            if info is not None:
                transform = (info.extensions or {}).get("KHR_texture_transform")
                uv_set = info.texCoord or 0
                if transform is not None and transform.texCoord is not None:
                    uv_set = transform.texCoord
                found.append((uv_set, _matrix(transform)))
        if not found:
            return 0, None
        if any(other != found[0] for other in found[1:]):
            self._file.note(f"material “{name}”: its textures are laid in different ways; all are laid like the first")
        return found[0]

    # -- textures -------------------------------------------------------------------------------

    def _texture(self, info: Json | None, is_colour: bool) -> int:
        """Number of a texture, decoded on first use; -1 when there is none or it cannot be read."""
        if info is None:
            return -1
        texture = item(self._file.gltf.textures, info.index, "texture")
        wanted = [(texture.extensions or {}).get(kind) for kind in _TEXTURE_SOURCES]
        sources = [source.source for source in wanted if source is not None] + [texture.source]
        for image in (source for source in sources if source is not None):
            key = (image, is_colour)
            if key not in self._numbers:
                self._numbers[key] = self._decode(image, is_colour)
            if self._numbers[key] >= 0:
                return self._numbers[key]
        if all(source is None for source in sources):
            kinds = ", ".join(texture.extensions or ()) or "none"
            self._file.note(f"texture {info.index} has no picture that can be read ({kinds}); its flat colour is used")
        return -1

    def _decode(self, image_index: int, is_colour: bool) -> int:
        image = item(self._file.gltf.images, image_index, "picture")
        name = image.name or image.uri or f"image {image_index}"
        name = f"image {image_index}" if str(name).startswith("data:") else str(name)
        try:
            data = self._file.view(image.bufferView) if image.bufferView is not None else self._file.resource(image.uri)
            with open_picture(bytes(data)) as picture:
                pixels = _eight_bits(picture)
        except UNREADABLE as error:
            reason = os_reason(error) if isinstance(error, OSError) and error.strerror else "not a readable picture"
            self._file.note(f"texture “{name}” cannot be read ({reason}); the material's flat colour is used")
            return -1
        self.textures.append(Texture(name, pixels, is_colour))
        return len(self.textures) - 1


def _eight_bits(picture: Image.Image) -> NDArray[np.uint8]:
    """RGBA of a picture; sixteen bits of grey are brought to eight, not cut off at white as Pillow would."""
    if picture.mode in ("I;16", "I;16B", "I"):
        grey = (np.asarray(picture).astype(np.float64) / 257.0).round().clip(0, 255).astype(np.uint8)
        return np.dstack([grey, grey, grey, np.full_like(grey, 255)])
    return np.asarray(picture.convert("RGBA")).copy()


def _matrix(transform: Json | None) -> tuple[tuple[float, float, float], ...] | None:
    """Matrix (2, 3) of KHR_texture_transform: scaled, turned against the clock, moved."""
    if transform is None:
        return None
    (tx, ty), (sx, sy) = numbers(transform.offset, (0.0, 0.0)), numbers(transform.scale, (1.0, 1.0))
    c, s = math.cos(number(transform.rotation, 0.0)), math.sin(number(transform.rotation, 0.0))
    return ((c * sx, s * sy, tx), (-s * sx, c * sy, ty))


def _from_specular_glossiness(glossy: Json) -> tuple[NDArray, float, float]:
    """(base colour rgba, metallic, roughness) of a specular-glossiness material.

    As the extension's appendix converts it: the metallic share that gives the same reflectance at normal incidence
    over a dielectric of 4 %.
    """
    diffuse = numbers(glossy.diffuseFactor, (1.0, 1.0, 1.0, 1.0))
    specular = numbers(glossy.specularFactor, (1.0, 1.0, 1.0))
    weights = np.array([0.299, 0.587, 0.114])
    d, s = math.sqrt(float(weights @ diffuse[:3] ** 2)), math.sqrt(float(weights @ specular**2))
    dielectric, one_minus = 0.04, 1.0 - float(specular.max())
    metallic = 0.0
    if s >= dielectric:
        b = d * one_minus / (1 - dielectric) + s - 2 * dielectric
        root = max(b * b - 4 * dielectric * (dielectric - s), 0.0)
        metallic = min(max((-b + math.sqrt(root)) / (2 * dielectric), 0.0), 1.0)
    from_diffuse = diffuse[:3] * one_minus / (1 - dielectric) / max(1 - metallic, 1e-6)
    from_specular = (specular - dielectric * (1 - metallic)) / max(metallic, 1e-6)
    base = np.clip(from_diffuse * (1 - metallic**2) + from_specular * metallic**2, 0.0, 1.0)
    return np.array([*base, diffuse[3]]), metallic, 1.0 - number(glossy.glossinessFactor, 1.0)
