"""Reads OBJ and PLY into a `Place` by way of trimesh. Both are taken as Z-up metres."""

import io
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import SRGB_TO_ACESCG, srgb_decode
from lunar_haze.core.errors import PlaceError, os_reason
from lunar_haze.core.place.files import LONGEST, beside_library
from lunar_haze.core.place.model import Material, Place, Texture, smooth_normals
from lunar_haze.core.units.content import read_regular
from lunar_haze.core.units.inside import parts_of, read_inside
from lunar_haze.core.units.pictures import is_picture

#: A larger picture of a material is not read [bytes].
_LARGEST_PICTURE = 1 << 30


def read_plain_mesh(path: Path) -> Place:
    """Place from an .obj or .ply file. Raises PlaceError with a sentence to show."""
    try:
        return _read(path)
    except PlaceError:
        raise
    except MemoryError as error:
        raise PlaceError(f"{path.name} is larger than this machine's memory holds") from error
    except Exception as error:  # parts that do not fit together show themselves anywhere
        raise PlaceError(f"{path.name} is damaged: its parts do not fit together; export it again") from error


def _read(path: Path) -> Place:
    # Imported here: trimesh costs a second, and most places are glTF.
    import trimesh

    notes = [f"{path.suffix.upper()[1:]} files hold no units or up-axis; metres and Z up are taken"]
    beside = _beside(path)
    try:
        data = io.BytesIO(read_regular(path))
        loaded = trimesh.load_scene(data, file_type=path.suffix.lower()[1:], resolver=beside, process=False)
    except Exception as error:  # trimesh raises whatever its parsers raise
        raise PlaceError(f"{path.name} is damaged and cannot be read; export it again") from error
    if beside.refused:
        raise PlaceError(beside.refused[0])
    notes += beside.notes
    materials: list[Material] = []
    textures: list[Texture] = []
    positions: list[NDArray] = []
    normals: list[NDArray] = []
    uvs: list[NDArray] = []
    triangles: list[NDArray] = []
    material_of: list[NDArray] = []
    object_of: list[NDArray] = []
    objects: list[str] = []
    base = 0
    for node in loaded.graph.nodes_geometry:
        transform, geometry_name = loaded.graph[node]
        mesh = loaded.geometry[geometry_name]
        if not isinstance(mesh, trimesh.Trimesh):
            notes.append(f"“{geometry_name}” holds points or lines, which give no surface; they are left out")
            continue
        placed = (mesh.vertices @ transform[:3, :3].T + transform[:3, 3]).astype(np.float32)
        faces = np.asarray(mesh.faces, np.int64)
        uv = getattr(mesh.visual, "uv", None)
        material, texture = _material_of(mesh, str(geometry_name), len(textures))
        if texture is not None:
            textures.append(texture)
        materials.append(material)
        positions.append(placed)
        normals.append(smooth_normals(placed, faces))
        flipped = np.zeros((len(placed), 2)) if uv is None else np.column_stack([uv[:, 0], 1 - uv[:, 1]])
        uvs.append(flipped.astype(np.float32))
        triangles.append((faces + base).astype(np.uint32))
        material_of.append(np.full(len(faces), len(materials) - 1, np.int32))
        object_of.append(np.full(len(faces), len(objects), np.int32))
        objects.append(str(geometry_name))
        base += len(placed)
    if not positions:
        raise PlaceError(f"{path.name} holds no triangles; export the set as meshes and try again")
    return Place(
        np.concatenate(positions),
        np.concatenate(normals),
        np.concatenate(uvs),
        np.concatenate(triangles),
        np.concatenate(material_of),
        np.concatenate(object_of),
        tuple(materials),
        tuple(textures),
        tuple(objects),
        (),
        tuple(notes),
    )


def _beside(path: Path) -> Any:
    """What hands trimesh the files that a mesh names: materials and pictures inside its folder, nothing else."""
    from trimesh.resolvers import Resolver

    class Beside(Resolver):
        def __init__(self) -> None:
            self.notes: list[str] = []
            #: Files that are there and are none that may be read.
            self.refused: list[str] = []
            self._library = ""

        def get(self, name: str) -> bytes:
            name = name.strip()
            if name.lower().endswith(".mtl"):
                self._library = name
                return self._read("materials", name, name, LONGEST)
            # Options such as "-s 1 1 1" stand before a picture's name.
            inner = beside_library(self._library, name.split()[-1] if name else name)
            data = self._read("texture", name, inner, _LARGEST_PICTURE)
            if not is_picture(data):
                self.notes.append(f"texture “{name}” is not a readable picture; the material's flat colour is used")
                raise OSError(0, "not a readable picture")
            return data

        def _read(self, what: str, name: str, inner: str, most: int) -> bytes:
            try:
                parts_of(inner)
                try:
                    return read_inside(path.parent, inner, most)
                except FileNotFoundError:
                    raise
                except OSError as error:
                    self.refused.append(f"{path.name} needs {name}, which cannot be read: {os_reason(error)}")
                    raise
            except OSError as error:
                reason = "it is not there" if isinstance(error, FileNotFoundError) else os_reason(error)
                self.notes.append(f"{what} “{name}” cannot be read ({reason}); the material's flat colour is used")
                raise

        def write(self, name: str, data: object) -> None:
            raise NotImplementedError

        def namespaced(self, namespace: str) -> "Beside":
            return self

        def keys(self) -> tuple[str, ...]:
            return ()

    return Beside()


def _material_of(mesh: Any, name: str, next_texture: int) -> tuple[Material, Texture | None]:
    visual = getattr(mesh.visual, "material", None)
    colour = getattr(visual, "main_color", None)
    if colour is None:
        return Material(str(name)), None
    linear = SRGB_TO_ACESCG @ srgb_decode(np.asarray(colour[:3], float) / 255)
    image = getattr(visual, "image", None)
    texture = None if image is None else Texture(str(name), np.asarray(image.convert("RGBA")).copy(), True)
    base = (1.0, 1.0, 1.0) if texture is not None else tuple(linear.tolist())
    material = Material(str(getattr(visual, "name", None) or name), base, base_texture=next_texture if texture else -1)
    return material, texture
