"""Reads OBJ and PLY into a `Place` by way of trimesh. Both are taken as Z-up metres."""

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from lunar_haze.core.colour.spaces import SRGB_TO_ACESCG, srgb_decode
from lunar_haze.core.errors import PlaceError
from lunar_haze.core.place.files import files_of
from lunar_haze.core.place.model import Material, Place, Texture, smooth_normals


def read_plain_mesh(path: Path) -> Place:
    """Place from an .obj or .ply file. Raises PlaceError with a sentence to show."""
    try:
        for beside in files_of(path)[1:]:
            if beside.exists() and not beside.is_file():
                raise PlaceError(f"{path.name} needs {beside.name}, which is not an ordinary file")
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
    notes += _unread_pictures(path)
    try:
        loaded = trimesh.load_scene(str(path), process=False)
    except Exception as error:  # trimesh raises whatever its parsers raise
        raise PlaceError(f"{path.name} is damaged and cannot be read; export it again") from error
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


def _unread_pictures(path: Path) -> list[str]:
    """Notes on pictures of materials that cannot be read: their material's flat colour is used."""
    notes = []
    for beside in files_of(path)[1:]:
        if beside.suffix.lower() == ".mtl":
            continue
        try:
            with Image.open(beside) as picture:
                picture.verify()
        except FileNotFoundError:
            notes.append(f"texture “{beside.name}” is not there; the material's flat colour is used")
        except (OSError, UnidentifiedImageError, Image.DecompressionBombError, ValueError, SyntaxError):
            notes.append(f"texture “{beside.name}” cannot be read; the material's flat colour is used")
    return notes


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
