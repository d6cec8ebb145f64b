"""The parts of a glTF 2.0 file: its JSON, buffers and accessors, each checked before it is used.

The document is read as plain JSON: general glTF classes take two seconds for the thousand nodes of
the demo place, on every start.
"""

import base64
import binascii
import json
import struct
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import unquote, unquote_to_bytes

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.errors import PlaceError, os_reason
from lunar_haze.core.units.content import read_regular
from lunar_haze.core.units.inside import read_inside

_COMPONENT = {
    kind: np.dtype(code)
    for kind, code in {5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}.items()
}
_WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
#: An accessor without data of its own holds so many elements at the most.
_MOST_ELEMENTS = 20_000_000
JSON_CHUNK, BINARY_CHUNK = 0x4E4F534A, 0x004E4942


class Json(dict):
    """A JSON object whose members read as attributes, None where absent."""

    if TYPE_CHECKING:

        def __getattr__(self, name: str) -> Any: ...

    else:
        __getattr__ = dict.get


def item(items: Any, index: Any, what: str) -> Any:
    """``items[index]``. Raises ValueError for an index that is none: negative ones count from nowhere in glTF."""
    if isinstance(index, bool) or not isinstance(index, int) or not 0 <= index < len(items or ()):
        raise ValueError(f"there is no {what} {index!r}")
    return items[index]


def rows_of_numbers(values: list[Any], default: tuple[float, ...]) -> NDArray:
    """Lists of finite numbers (n, len(default)), the default for each that is None. Raises ValueError."""
    array = np.array([default if value is None else value for value in values], float)
    if values and (array.shape != (len(values), len(default)) or not np.isfinite(array).all()):
        raise ValueError(f"{values!r} are not {len(default)} numbers each")
    return array.reshape(len(values), len(default))


def numbers(value: Any, default: tuple[float, ...]) -> NDArray:
    """A list of finite numbers as long as its default, which stands for None. Raises ValueError."""
    return rows_of_numbers([value], default)[0]


def number(value: Any, default: float) -> float:
    """One finite number. Raises ValueError."""
    return float(numbers(None if value is None else [value], (default,))[0])


def open_gltf(path: Path) -> tuple[Json, bytes | None]:
    """The glTF document and, for .glb, its binary chunk. Raises PlaceError with a sentence to show."""
    try:
        data = read_regular(path)
    except OSError as error:
        raise PlaceError(f"{path} cannot be read: {os_reason(error)}") from error
    blob = None
    try:
        if path.suffix.lower() == ".glb":
            text, blob = _chunks(path, data)
        else:
            text = data
        gltf = json.loads(text, object_hook=Json)
    except (ValueError, struct.error, RecursionError) as error:
        raise PlaceError(f"{path.name} is damaged and cannot be read as glTF; export it again") from error
    if not isinstance(gltf, Json) or not isinstance(gltf.asset, Json):
        raise PlaceError(f"{path.name} is not a glTF file; export the set as glTF 2.0 (.glb)")
    if not str(gltf.asset.version).startswith("2"):
        raise PlaceError(f"{path.name} is glTF {str(gltf.asset.version)[:20]}; export it as glTF 2.0")
    return gltf, blob


def _chunks(path: Path, data: bytes) -> tuple[bytes, bytes | None]:
    """JSON and binary chunk of a .glb; chunks of other kinds are passed over, as the standard says."""
    if len(data) < 20 or data[:4] != b"glTF":
        raise PlaceError(f"{path.name} is not a binary glTF file; export the set as .glb again")
    declared = struct.unpack("<I", data[8:12])[0]
    if len(data) < declared:
        raise PlaceError(f"{path.name} is cut short ({len(data):,} of {declared:,} bytes); copy it again")
    text, blob, at = None, None, 12
    while at + 8 <= declared:
        length, kind = struct.unpack("<II", data[at : at + 8])
        chunk = data[at + 8 : at + 8 + length]
        if kind == JSON_CHUNK and text is None:
            text = chunk
        elif kind == BINARY_CHUNK and blob is None:
            blob = chunk
        at += 8 + length
    if text is None:
        raise PlaceError(f"{path.name} is damaged: it holds no description of the set; export it again")
    return text, blob


def data_of(uri: str) -> bytes:
    """The bytes of a data: URI (RFC 2397). Raises ValueError."""
    head, _comma, body = uri.partition(",")
    if not head.lower().endswith(";base64"):
        return unquote_to_bytes(body)
    try:
        return base64.b64decode(body)
    except binascii.Error as error:
        raise ValueError("not base64") from error


class GltfFile:
    """Reads buffers and accessors of one file; notes for the artist are gathered on the way."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.gltf, self._blob = open_gltf(path)
        self.notes: list[str] = []
        self._buffers: dict[int, bytes] = {}
        self._unpacked: dict[int, bytes] = {}

    def note(self, text: str) -> None:
        """Tell the artist something, once."""
        if text not in self.notes:
            self.notes.append(text)

    def cut_short(self) -> PlaceError:
        """What is said where data ends too early."""
        return PlaceError(f"{self.path.name} is cut short: part of its geometry is missing; copy it again")

    def resource(self, uri: str) -> bytes:
        """What a URI stands for: a file in the folder of the set. Raises OSError and ValueError."""
        if uri.startswith("data:"):
            return data_of(uri)
        return read_inside(self.path.parent, unquote(uri))

    def buffer(self, index: int) -> bytes:
        """A whole buffer."""
        if index not in self._buffers:
            described = item(self.gltf.buffers, index, "buffer")
            if described.uri is None:
                data = self._blob
                if data is None:
                    raise PlaceError(f"{self.path.name} is cut short: its binary part is missing; copy it again")
            else:
                try:
                    data = self.resource(described.uri)
                except OSError as error:
                    raise PlaceError(
                        f"{self.path.name} needs {described.uri} beside it, which cannot be read ({os_reason(error)})"
                    ) from error
            if len(data) < described.byteLength:
                raise self.cut_short()
            self._buffers[index] = data
        return self._buffers[index]

    def view(self, index: int) -> memoryview:
        """The bytes of a buffer view."""
        view = item(self.gltf.bufferViews, index, "buffer view")
        start, length = view.byteOffset or 0, view.byteLength
        data = self.buffer(view.buffer)
        if start < 0 or length < 0 or start + length > len(data):
            raise self.cut_short()
        return memoryview(data)[start : start + length]

    def accessor(self, index: int) -> NDArray:
        """The values (count, width) of an accessor, not to be written to: sparse ones filled in, normalised ones as
        float32."""
        accessor = item(self.gltf.accessors, index, "accessor")
        dtype = _COMPONENT[accessor.componentType]
        width, count = _WIDTH[accessor.type], accessor.count
        if isinstance(count, bool) or not isinstance(count, int) or count < 1:
            raise ValueError(f"accessor {index} holds {count!r} elements")
        if accessor.bufferView is None:
            if count > _MOST_ELEMENTS:
                raise ValueError(f"accessor {index} is too large")
            array = np.zeros((count, width), dtype)
        else:
            array = self._stored(accessor, dtype, width, count)
        if accessor.sparse is not None:
            array = array.copy()
            self._fill_in(accessor.sparse, array)
        if accessor.normalized and dtype.kind in "iu":
            array = np.maximum(array.astype(np.float32) / np.iinfo(dtype).max, -1.0)
        return array

    def _stored(self, accessor: Json, dtype: np.dtype, width: int, count: int) -> NDArray:
        view = item(self.gltf.bufferViews, accessor.bufferView, "buffer view")
        stride = view.byteStride or dtype.itemsize * width
        start = accessor.byteOffset or 0
        data = self.view(accessor.bufferView)
        if start < 0 or stride < dtype.itemsize * width:
            raise ValueError("elements overlap")
        if start + stride * (count - 1) + dtype.itemsize * width > len(data):
            raise self.cut_short()
        return np.ndarray((count, width), dtype, data, start, (stride, dtype.itemsize))

    def _fill_in(self, sparse: Json, array: NDArray) -> None:
        # "values" is a method of a dictionary: it has to be asked for by name.
        where, what, count = sparse["indices"], sparse["values"], sparse.count
        numbers = _COMPONENT[where.componentType]
        if numbers.kind != "u" or count < 1 or count > len(array):
            raise ValueError("a sparse accessor replaces what is not there")
        indices, values = self.view(where.bufferView), self.view(what.bufferView)
        from_index, from_value = where.byteOffset or 0, what.byteOffset or 0
        width = array.shape[1]
        if from_index + numbers.itemsize * count > len(indices) or from_value + array.itemsize * width * count > len(
            values
        ):
            raise self.cut_short()
        at = np.frombuffer(indices, numbers, count, from_index)
        if at.max() >= len(array):
            raise ValueError("a sparse accessor replaces what is not there")
        array[at] = np.frombuffer(values, array.dtype, count * width, from_value).reshape(-1, width)
