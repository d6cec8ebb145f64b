"""The seam to the ray engine: Embree 4, called through its C interface from compiled kernels.

The shared library is the one inside the embreex wheel. Its entry points are registered as LLVM
symbols, so that kernels which call them stay cacheable on disk. A scene holds two geometries:
solid triangles (mask 1), and clear ones (mask 2: cut-outs and glass), so that shadow rays ask the
solid part with one cheap occlusion query and walk only through what may let light pass.
"""

import ctypes
import importlib.util
from pathlib import Path
from typing import Any

import llvmlite.binding as llvm
import numba as nb
import numpy as np
from numba import types
from numpy.typing import NDArray

from lunar_haze.core.errors import EngineError
from lunar_haze.core.units.outside import as_pointer

SOLID, CLEAR = 1, 2
#: Floats in the aligned buffer that holds one RTCRayHit, with room to align it to 16 bytes.
RAY_FLOATS = 40

_void = ctypes.c_void_p
_FORMAT_UINT3, _FORMAT_FLOAT3 = 0x5003, 0x9003


def _load() -> ctypes.CDLL:
    spec = importlib.util.find_spec("embreex")
    if spec is None or spec.origin is None:
        raise EngineError("the ray engine (embreex) is not installed; run ./start once to install it")
    # The package pulls in its private copies of Embree and TBB; naming the file again shares them.
    importlib.import_module("embreex.rtcore_scene")
    found = sorted((Path(spec.origin).parent.parent / "embreex.libs").glob("libembree4*.so*"))
    if not found:
        raise EngineError("the ray engine's library is missing from the embreex package; reinstall it")
    library = ctypes.CDLL(str(found[0]))
    for name, result, arguments in (
        ("rtcNewDevice", _void, [ctypes.c_char_p]),
        ("rtcGetDeviceError", ctypes.c_int, [_void]),
        ("rtcNewScene", _void, [_void]),
        ("rtcNewGeometry", _void, [_void, ctypes.c_int]),
        ("rtcSetGeometryMask", None, [_void, ctypes.c_uint]),
        ("rtcCommitGeometry", None, [_void]),
        ("rtcAttachGeometryByID", None, [_void, _void, ctypes.c_uint]),
        ("rtcReleaseGeometry", None, [_void]),
        ("rtcCommitScene", None, [_void]),
        ("rtcReleaseScene", None, [_void]),
        (
            "rtcSetSharedGeometryBuffer",
            None,
            [
                _void,
                ctypes.c_int,
                ctypes.c_uint,
                ctypes.c_int,
                _void,
                ctypes.c_size_t,
                ctypes.c_size_t,
                ctypes.c_size_t,
            ],
        ),
    ):
        function = getattr(library, name)
        function.restype, function.argtypes = result, arguments
    for name in ("rtcIntersect1", "rtcOccluded1"):
        llvm.add_symbol(name, ctypes.cast(getattr(library, name), _void).value)
    return library


_library = _load()
_device = _library.rtcNewDevice(b"")
_signature = types.void(types.uintp, types.uintp, types.uintp)
_rtc_intersect: Any = types.ExternalFunction("rtcIntersect1", _signature)
_rtc_occluded: Any = types.ExternalFunction("rtcOccluded1", _signature)


def _check(doing: str) -> None:
    code = _library.rtcGetDeviceError(_device)
    if code:
        raise EngineError(f"the ray engine failed while {doing} (error {code}); see the log")


class RayScene:
    """An acceleration structure over triangles, and the arrays it reads, kept alive.

    ``positions`` (V, 3) float32; ``triangles`` (T, 3) uint32 with the ``solid_count`` solid ones
    first. ``handle`` is what kernels take.
    """

    def __init__(self, positions: NDArray[np.float32], triangles: NDArray[np.uint32], solid_count: int) -> None:
        # Embree reads 16 bytes at the last vertex: one row of padding.
        self._positions = np.ascontiguousarray(np.vstack([positions, np.zeros((1, 3), np.float32)]), np.float32)
        self._parts = [
            np.ascontiguousarray(part, np.uint32) for part in (triangles[:solid_count], triangles[solid_count:])
        ]
        scene = _library.rtcNewScene(_device)
        for number, (part, mask) in enumerate(zip(self._parts, (SOLID, CLEAR))):
            if len(part) == 0:
                continue
            geometry = _library.rtcNewGeometry(_device, 0)
            _library.rtcSetSharedGeometryBuffer(
                geometry, 1, 0, _FORMAT_FLOAT3, self._positions.ctypes.data, 0, 12, len(positions)
            )
            _library.rtcSetSharedGeometryBuffer(geometry, 0, 0, _FORMAT_UINT3, part.ctypes.data, 0, 12, len(part))
            _library.rtcSetGeometryMask(geometry, mask)
            _library.rtcCommitGeometry(geometry)
            _library.rtcAttachGeometryByID(scene, geometry, number)
            _library.rtcReleaseGeometry(geometry)
        _library.rtcCommitScene(scene)
        _check("building the place")
        self.handle: int = scene

    def close(self) -> None:
        """Release the structure; the handle is dead afterwards."""
        if self.handle:
            _library.rtcReleaseScene(self.handle)
            self.handle = 0


@nb.njit(cache=True, forceinline=True)
def ray_buffer():
    """Memory (40,) float32 for one ray and its hit; `aligned` finds the 16-byte boundary in it."""
    return np.empty(RAY_FLOATS, np.float32)


@nb.njit(cache=True, forceinline=True)
def aligned(memory):
    """Address of the first 16-byte boundary in a ray buffer, ``memory`` (n,) uint8. Keep the buffer in use while it
    serves.
    """
    address = memory.ctypes.data
    return address + (16 - address % 16) % 16


@nb.njit(cache=True, forceinline=True)
def _set_ray(address, ox, oy, oz, dx, dy, dz, near, far, mask):
    """Write an RTCRay; its memory as floats and as bits."""
    ray = nb.carray(as_pointer(address), (36,), np.float32)
    bits = nb.carray(as_pointer(address), (36,), np.uint32)
    ray[0] = ox
    ray[1] = oy
    ray[2] = oz
    ray[3] = near
    ray[4] = dx
    ray[5] = dy
    ray[6] = dz
    ray[7] = np.float32(0.0)
    ray[8] = far
    bits[9] = np.uint32(mask)
    bits[10] = np.uint32(0)
    bits[11] = np.uint32(0)
    return ray, bits


@nb.njit(cache=True, forceinline=True)
def intersect(handle, address, ox, oy, oz, dx, dy, dz, near, far, mask):
    """Nearest hit of what ``mask`` names: (primitive, geometry, distance, u, v), primitive -1 for none."""
    ray, bits = _set_ray(address, ox, oy, oz, dx, dy, dz, near, far, mask)
    bits[17] = np.uint32(0xFFFFFFFF)
    bits[18] = np.uint32(0xFFFFFFFF)
    bits[19] = np.uint32(0xFFFFFFFF)
    _rtc_intersect(handle, address, 0)
    if bits[18] == np.uint32(0xFFFFFFFF):
        return np.int64(-1), np.int64(0), far, np.float32(0.0), np.float32(0.0)
    return np.int64(bits[17]), np.int64(bits[18]), ray[8], ray[15], ray[16]


@nb.njit(cache=True, forceinline=True)
def occluded(handle, address, ox, oy, oz, dx, dy, dz, near, far, mask):
    """Whether anything of ``mask`` lies between ``near`` and ``far``."""
    ray, _bits = _set_ray(address, ox, oy, oz, dx, dy, dz, near, far, mask)
    _rtc_occluded(handle, address, 0)
    return ray[8] < np.float32(0.0)
