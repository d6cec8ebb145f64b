"""Opens a modelled place from any format that is understood."""

from pathlib import Path

import attrs

from lunar_haze.core.errors import PlaceError
from lunar_haze.core.place.gltf import read_gltf
from lunar_haze.core.place.model import Place, validated
from lunar_haze.core.place.plain_meshes import read_plain_mesh

READERS = {".glb": read_gltf, ".gltf": read_gltf, ".obj": read_plain_mesh, ".ply": read_plain_mesh}


def load_place(path: Path, scale: float = 1.0) -> Place:
    """Place read from ``path``, its lengths multiplied by ``scale``.

    Raises PlaceError with a sentence that says what is wrong, where, and what to do.
    """
    path = Path(path)
    if path.is_dir():
        raise PlaceError(f"{path} is a folder; open the .glb, .gltf, .obj or .ply file inside it")
    reader = READERS.get(path.suffix.lower())
    if reader is None:
        raise PlaceError(f"{path.name} is of a kind that is not read; export the set as glTF 2.0 (.glb)")
    if not path.exists():
        raise PlaceError(f"{path} is not there; was it moved or renamed?")
    try:
        with path.open("rb"):
            pass
    except OSError as error:
        raise PlaceError(f"{path} cannot be opened: you have no permission to read it") from error
    place = validated(reader(path), path.name)
    if scale == 1.0:
        return place
    cameras = tuple(
        attrs.evolve(
            c,
            camera=attrs.evolve(
                c.camera,
                position=tuple(v * scale for v in c.camera.position),
                aim=tuple(v * scale for v in c.camera.aim),
            ),
        )
        for c in place.cameras
    )
    return attrs.evolve(place, positions=place.positions * scale, cameras=cameras)
