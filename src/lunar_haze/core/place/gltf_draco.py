"""The seam to Draco, which packs meshes tightly (KHR_draco_mesh_compression). Without it such files are refused."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.errors import PlaceError
from lunar_haze.core.place.gltf_file import GltfFile, Json


def unpacked(file: GltfFile, extension: Json) -> tuple[dict[str, NDArray], NDArray]:
    """Attributes by name (n, width) and indices (m,) of a packed primitive. Raises PlaceError and ValueError."""
    try:
        import DracoPy
    except ImportError as error:
        raise PlaceError(
            f"{file.path.name} is compressed with Draco, which cannot be read here; export it without mesh compression"
        ) from error
    try:
        mesh = DracoPy.decode(bytes(file.view(extension.bufferView)))
    except (DracoPy.FileTypeException, RuntimeError) as error:
        raise ValueError("a packed mesh is damaged") from error
    by_id = {a["unique_id"]: a["data"] for a in mesh.attributes}
    attributes = {}
    for name, unique_id in (extension.attributes or {}).items():
        if unique_id in by_id:
            values = np.asarray(by_id[unique_id])
            attributes[name] = values.reshape(len(values), -1)
    colours = attributes.get("COLOR_0")
    if colours is not None and colours.dtype.kind == "u":
        attributes["COLOR_0"] = colours.astype(np.float32) / np.iinfo(colours.dtype).max
    return attributes, np.asarray(mesh.faces, np.int64).ravel()
