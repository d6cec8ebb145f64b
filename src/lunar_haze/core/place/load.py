"""Opens a modelled place from any format that is understood."""

import os
from pathlib import Path

import attrs

from lunar_haze.core.errors import PlaceError, os_reason
from lunar_haze.core.place.gltf import read_gltf
from lunar_haze.core.place.model import Place, validated
from lunar_haze.core.place.plain_meshes import read_plain_mesh
from lunar_haze.core.units.content import open_regular

READERS = {".glb": read_gltf, ".gltf": read_gltf, ".obj": read_plain_mesh, ".ply": read_plain_mesh}


def _scaled(point: tuple[float, float, float], scale: float) -> tuple[float, float, float]:
    x, y, z = point
    return x * scale, y * scale, z * scale


def load_place(path: Path, scale: float = 1.0, scene: str = "") -> Place:
    """Place read from ``path``, its lengths multiplied by ``scale``; glTF files may hold more than one ``scene``.

    Raises PlaceError with a sentence that says what is wrong, where, and what to do.
    """
    path = Path(path)
    if path.is_dir():
        raise PlaceError(f"{path} is a folder; open the .glb, .gltf, .obj or .ply file inside it")
    reader = READERS.get(path.suffix.lower())
    if reader is None:
        raise PlaceError(f"{path.name} is of a kind that is not read; export the set as glTF 2.0 (.glb)")
    try:
        os.close(open_regular(path))
    except FileNotFoundError as error:
        raise PlaceError(f"{path} is not there; was it moved or renamed?") from error
    except (OSError, ValueError) as error:
        reason = os_reason(error) if isinstance(error, OSError) else "its name is none"
        raise PlaceError(f"{path} cannot be opened: {reason}") from error
    place = validated(read_gltf(path, scene) if reader is read_gltf else reader(path), path.name)
    if scale == 1.0:
        return place
    lights = tuple(
        attrs.evolve(light, position=_scaled(light.position, scale), range_m=light.range_m * scale)
        for light in place.lights
    )
    cameras = tuple(
        attrs.evolve(
            c,
            camera=attrs.evolve(
                c.camera,
                position=_scaled(c.camera.position, scale),
                aim=_scaled(c.camera.aim, scale),
            ),
        )
        for c in place.cameras
    )
    return attrs.evolve(place, positions=place.positions * scale, cameras=cameras, lights=lights)
