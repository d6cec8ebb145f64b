"""Reads glTF 2.0 (.glb, .gltf) into a `Place`.

Geometry (sparse, quantized, Draco where its library is installed), node transforms, instances
(EXT_mesh_gpu_instancing), skins, shapes a mesh is moved to by its weights, vertex colours, materials (`gltf_material`),
cameras and lights (KHR_lights_punctual). Y-up becomes Z-up: (x, y, z) -> (x, -z, y). What is not understood is
named in the place's notes.
"""

import itertools
import math
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import SRGB_TO_ACESCG, srgb_encode
from lunar_haze.core.errors import PlaceError
from lunar_haze.core.place.camera import SENSOR_WIDTH_MM, Camera
from lunar_haze.core.place.gltf_draco import unpacked
from lunar_haze.core.place.gltf_file import GltfFile, Json, item, number, numbers
from lunar_haze.core.place.gltf_material import KNOWN_OF_MATERIALS, MaterialReader, Worn
from lunar_haze.core.place.gltf_nodes import Placement, instances, placed_by, scene_names, scene_nodes
from lunar_haze.core.place.gltf_skin import has_skin, sets_of, skin_of
from lunar_haze.core.place.model import Material, Place, PlaceCamera, PlaceLight, Texture, smooth_normals

#: Extensions of the whole file that are read, or that material by material is told about.
_READ = {
    "KHR_lights_punctual",
    "KHR_mesh_quantization",
    "KHR_texture_transform",
    "KHR_draco_mesh_compression",
    "EXT_mesh_gpu_instancing",
    "EXT_texture_webp",
    "EXT_texture_avif",
}
#: What parts of a damaged file raise.
_DAMAGE = (
    IndexError,
    KeyError,
    AttributeError,
    TypeError,
    ValueError,
    OverflowError,
    ZeroDivisionError,
    RecursionError,
    np.linalg.LinAlgError,
)


def read_gltf(path: Path, scene: str = "") -> Place:
    """Place from a .glb or .gltf file, of the ``scene`` of that name, else the one the file shows.

    Raises PlaceError with a sentence to show.
    """
    try:
        file = GltfFile(path)
        gltf = file.gltf
        for extension in gltf.extensionsRequired or []:
            if "meshopt" in str(extension).lower():
                raise PlaceError(f"{path.name} is compressed ({extension}); export it without mesh compression")
            if extension not in _READ | KNOWN_OF_MATERIALS:
                # The standard has it so: what a file needs to be understood is not left out.
                raise PlaceError(f"{path.name} needs {extension}, which is not known here; export it without that")
        for extension in gltf.extensionsUsed or []:
            if extension not in _READ and not str(extension).startswith("KHR_materials_"):
                file.note(f"the extension {extension} is not understood and left out")
        if "KHR_materials_variants" in (gltf.extensions or {}):
            file.note("the file holds variants of its materials; the first is shown")
        if gltf.animations:
            file.note(f"{len(gltf.animations)} animations are left out; the place stands as in its rest pose")
        return _Assembly(file, scene).place()
    except _DAMAGE as error:
        raise PlaceError(f"{path.name} is damaged: its parts do not fit together; export it again") from error
    except MemoryError as error:
        raise PlaceError(f"{path.name} is larger than this machine's memory holds") from error


def _as_triangles(indices: NDArray, mode: int) -> NDArray | None:
    if mode == 4:
        return indices[: len(indices) // 3 * 3].reshape(-1, 3)
    if mode == 5:
        strips = np.stack([indices[:-2], indices[1:-1], indices[2:]], 1)
        strips[1::2] = strips[1::2, ::-1]
        return strips
    if mode == 6:
        return np.stack([np.full(max(len(indices) - 2, 0), indices[0]), indices[1:-1], indices[2:]], 1)
    return None


class _Assembly:
    """Puts the parts of a file together as one place."""

    def __init__(self, file: GltfFile, scene: str) -> None:
        self.file, self.gltf, self._scene = file, file.gltf, scene
        self._materials = MaterialReader(file)
        self._parts: dict[str, list[NDArray]] = {k: [] for k in ("p", "n", "uv", "c", "t", "m", "o")}
        self._objects: list[str] = []
        self._cameras: list[PlaceCamera] = []
        self._lights: list[PlaceLight] = []
        self._worlds: dict[int, NDArray] = {}
        self._base = 0
        self._coloured = False

    def place(self) -> Place:
        """The whole place."""
        gltf = self.gltf
        worn = [self._materials.material(i) for i in range(len(gltf.materials or []))]
        stands: list[tuple[Json, str, NDArray]] = []
        nodes = scene_nodes(self.file, self._scene)
        self._worlds = {index: world for index, _node, world in nodes}
        for index, node, world in nodes:
            name = str(node.name or f"object {index}")
            if node.camera is not None:
                self._add_camera(node.camera, world, name)
            light = (node.extensions or {}).get("KHR_lights_punctual")
            if light is not None:
                self._add_light(light.light, world, name)
            if node.mesh is not None:
                stands.append((node, name, instances(self.file, node, world, name)))
        self._add_meshes(stands, worn)
        return self._together([w.material for w in worn], self._materials.textures)

    def _together(self, materials: list[Material], textures: list[Texture]) -> Place:
        shapes = {"p": (0, 3), "n": (0, 3), "uv": (0, 2), "c": (0, 4), "t": (0, 3), "m": (0,), "o": (0,)}
        kinds = {"p": "f4", "n": "f4", "uv": "f4", "c": "u1", "t": "u4", "m": "i4", "o": "i4"}
        arrays = {
            k: np.ascontiguousarray(np.concatenate(v) if v else np.zeros(shapes[k]), kinds[k])
            for k, v in self._parts.items()
        }
        return Place(
            arrays["p"],
            arrays["n"],
            arrays["uv"],
            arrays["t"],
            arrays["m"],
            arrays["o"],
            (*materials, Material("plain")),
            tuple(textures),
            tuple(self._objects),
            tuple(self._cameras),
            tuple(self.file.notes),
            arrays["c"] if self._coloured else None,
            tuple(self._lights),
            scene_names(self.gltf),
        )

    # -- cameras and lights ---------------------------------------------------------------------

    def _add_camera(self, index: int, world: NDArray, name: str) -> None:
        camera = item(self.gltf.cameras, index, "camera")
        name = str(camera.name or name)
        perspective = camera.perspective
        if camera.type != "perspective" or perspective is None:
            self.file.note(f"camera “{name}” is not a perspective one and left out")
            return
        yfov, aspect = number(perspective.yfov, math.nan), number(perspective.aspectRatio, 16 / 9)
        if not 0.0 < yfov < math.pi or not aspect > 0.0:
            self.file.note(f"camera “{name}” has a field of view of {yfov:g} radians, which is none; it is left out")
            return
        position = world[:3, 3]
        forward = -world[:3, 2] / max(np.linalg.norm(world[:3, 2]), 1e-12)
        # A camera without a target gets one at a comfortable working distance.
        aim = position + forward * 8.0
        focal = SENSOR_WIDTH_MM / 2 / (math.tan(yfov / 2) * aspect)
        self._cameras.append(PlaceCamera(name, Camera(tuple(position.tolist()), tuple(aim.tolist()), focal)))

    def _add_light(self, index: int, world: NDArray, name: str) -> None:
        described = ((self.gltf.extensions or {}).get("KHR_lights_punctual") or Json()).lights
        light = item(described, index, "light")
        kind = {"point": "point", "spot": "spot", "directional": "sun"}.get(light.type)
        if kind is None:
            self.file.note(f"light “{light.name or name}” is of a kind not known here ({light.type}); it is left out")
            return
        spot = light.spot or Json()
        colour = SRGB_TO_ACESCG @ numbers(light.color, (1.0, 1.0, 1.0))
        forward = -world[:3, 2] / max(np.linalg.norm(world[:3, 2]), 1e-12)
        self._lights.append(
            PlaceLight(
                str(light.name or name),
                kind,
                tuple(world[:3, 3].tolist()),
                tuple(forward.tolist()),
                tuple(colour.tolist()),
                max(number(light.intensity, 1.0), 0.0),
                math.inf if light.range is None else number(light.range, 1.0),
                math.degrees(number(spot.innerConeAngle, 0.0)),
                math.degrees(number(spot.outerConeAngle, math.pi / 4)),
            )
        )

    # -- meshes ---------------------------------------------------------------------------------

    def _add_meshes(self, stands: list[tuple[Json, str, NDArray]], worn: list[Worn]) -> None:
        """Meshes of nodes, each with its name and its world matrices (n, 4, 4)."""
        if not stands:
            return
        placements = iter(placed_by(np.concatenate([worlds for _node, _name, worlds in stands])))
        for node, name, worlds in stands:
            mesh = item(self.gltf.meshes, node.mesh, "mesh")
            self._objects.append(name)
            weights = node.weights if node.weights is not None else mesh.weights
            for placement in itertools.islice(placements, len(worlds)):
                for primitive in mesh.primitives:
                    self._add_primitive(primitive, placement, name, worn, weights or [], node)

    def _read(self, primitive: Json) -> tuple[dict[str, NDArray], NDArray | None]:
        """Attributes by name, and the indices."""
        draco = (primitive.extensions or {}).get("KHR_draco_mesh_compression")
        if draco is not None:
            return unpacked(self.file, draco)
        attributes = {k: self.file.accessor(v) for k, v in primitive.attributes.items() if k in _ATTRIBUTES}
        indices = None if primitive.indices is None else self.file.accessor(primitive.indices)[:, 0].astype(np.int64)
        return attributes, indices

    def _add_primitive(
        self, primitive: Json, stand: Placement, name: str, worn: list[Worn], weights: list, node: Json
    ) -> None:
        attributes, indices = self._read(primitive)
        if "POSITION" not in attributes:
            return
        positions = attributes["POSITION"].astype(np.float64)
        normals = attributes.get("NORMAL")
        for weight, target in zip(weights, primitive.targets or []):
            # Shapes that a mesh is moved to, as far as it is moved.
            if weight and target.POSITION is not None:
                positions = positions + weight * self.file.accessor(target.POSITION)
            if weight and target.NORMAL is not None and normals is not None:
                normals = normals + weight * self.file.accessor(target.NORMAL)
        indices = np.arange(len(positions)) if indices is None else indices
        mode = 4 if primitive.mode is None else primitive.mode
        triangles = _as_triangles(indices, mode)
        if triangles is None:
            self.file.note(f"“{name}” holds points or lines, which give no surface; they are left out")
            return
        if len(triangles) and (triangles.max() >= len(positions) or triangles.min() < 0):
            raise ValueError("index out of range")
        has_normals = normals is not None and len(normals) == len(positions)
        raw = None
        if has_skin(node, attributes):
            given = normals.astype(np.float64) if has_normals and normals is not None else None
            joints, shares = sets_of(attributes, "JOINTS"), sets_of(attributes, "WEIGHTS")
            exact, raw = skin_of(self.file, node.skin, self._worlds).posed(positions, given, joints, shares)
            placed = exact.astype(np.float32)
        else:
            with np.errstate(invalid="ignore", over="ignore"):
                placed = (positions @ stand.world[:3, :3].T + stand.world[:3, 3]).astype(np.float32)
            if stand.is_mirrored:
                triangles = triangles[:, ::-1]
            if has_normals and normals is not None:
                raw = normals @ stand.spin.T
        if raw is not None:
            normals = raw / np.maximum(np.linalg.norm(raw, axis=1, keepdims=True), 1e-30)
        else:
            normals = smooth_normals(placed, triangles)
        number_ = len(worn)
        wears = Worn(Material("plain"))
        if primitive.material is not None:
            wears, number_ = item(worn, primitive.material, "material"), primitive.material
        self._lay(
            placed,
            normals,
            self._uvs(attributes, wears, len(placed)),
            self._colours(attributes, len(placed)),
            triangles,
            number_,
        )

    def _lay(
        self, placed: NDArray, normals: NDArray, uvs: NDArray, colours: NDArray, triangles: NDArray, material: int
    ) -> None:
        parts = self._parts
        parts["p"].append(placed)
        parts["n"].append(normals.astype(np.float32))
        parts["uv"].append(uvs.astype(np.float32))
        parts["c"].append(colours)
        parts["t"].append((triangles + self._base).astype(np.uint32))
        parts["m"].append(np.full(len(triangles), material, np.int32))
        parts["o"].append(np.full(len(triangles), len(self._objects) - 1, np.int32))
        self._base += len(placed)

    def _uvs(self, attributes: dict[str, NDArray], wears: Worn, count: int) -> NDArray:
        uvs = attributes.get(f"TEXCOORD_{wears.uv_set}", attributes.get("TEXCOORD_0"))
        if uvs is None or len(uvs) != count:
            return np.zeros((count, 2))
        if wears.uv_matrix is None:
            return uvs
        matrix = np.array(wears.uv_matrix)
        return uvs.astype(np.float64) @ matrix[:, :2].T + matrix[:, 2]

    def _colours(self, attributes: dict[str, NDArray], count: int) -> NDArray[np.uint8]:
        """Vertex colours (count, 4): rgb encoded as sRGB, alpha as it is; white where there are none."""
        given = attributes.get("COLOR_0")
        colours = np.full((count, 4), 255, np.uint8)
        if given is None or len(given) != count:
            return colours
        self._coloured = True
        linear = np.clip(given.astype(np.float64), 0.0, 1.0)
        colours[:, :3] = np.round(srgb_encode(linear[:, :3]) * 255)
        if linear.shape[1] == 4:
            colours[:, 3] = np.round(linear[:, 3] * 255)
        return colours


_ATTRIBUTES = (
    "POSITION", "NORMAL", "TEXCOORD_0", "TEXCOORD_1", "COLOR_0", "JOINTS_0", "WEIGHTS_0", "JOINTS_1", "WEIGHTS_1",
)  # fmt: skip
