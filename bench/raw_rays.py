"""The rays of one pass, recorded, and traced again with nothing else: what a whole pass is held against.

Run as a program it traces one pass with a recorder in front of the ray engine and saves the rays;
that has to happen in a process of its own, before any kernel is linked to the engine.
"""

import ctypes
import subprocess
import sys
import tempfile
from pathlib import Path

import attrs
import llvmlite.binding as llvm
import numba as nb
import numpy as np
from numba import types
from numpy.typing import NDArray

from lunar_haze.core.document.files import load
from lunar_haze.core.layers.model import LayerSpec, View
from lunar_haze.core.place.load import load_place
from lunar_haze.core.transport import embree
from lunar_haze.core.transport.embree import aligned, intersect, occluded, ray_buffer
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.transport.tiles import over_threads
from lunar_haze.core.units.outside import as_pointer

DEMO = Path(__file__).resolve().parents[1] / "demo" / "gannet-reach.haze"
#: Columns of a recorded ray: the first nine of the engine's own (start, near, direction, time, far), mask, any hit.
_MASK, _ANY, _COLUMNS = 9, 10, 11
_ROOM = 4_000_000
#: Ray speed [million/s] of the machine for which the bars were set.
REFERENCE_RATE = 10.0


def scaled(seconds: float, rate: float) -> str:
    """A time, and what it would be at the reference ray speed: what rays cost differs fourfold between machines."""
    return f"{seconds:.2f} s; {seconds * rate / REFERENCE_RATE:.3f} s"


def landing(place: PackedPlace) -> tuple[Frame, list[str]]:
    """A frame of the wide shot with the sun alone, in clear air and with two bounces, at 640x360."""
    document, _ = load(DEMO)
    look = document.look_named("clear noon")
    sun = next(s.shape for s in look.sources if s.name == "sun")
    view = View(document.shot_named("Landing").camera, 640, 360)
    frame = Frame(place, view)
    frame.add_guides(1)
    return frame, frame.want([LayerSpec("bench", view, sun, attrs.evolve(look.medium, visibility_m=np.inf), 2)])


def demo_place() -> PackedPlace:
    """The demo place, ready for rays."""
    return PackedPlace(load_place(Path(load(DEMO)[0].place.path)))


def _recorder(name, any_hit, log_at, count_at):
    """A stand-in for one of the engine's functions that notes the ray and then calls it."""
    own = f"own_{name}"
    llvm.add_symbol(own, ctypes.cast(getattr(embree._library, name), ctypes.c_void_p).value)
    signature = types.void(types.uintp, types.uintp, types.uintp)
    engine = types.ExternalFunction(own, signature)

    @nb.cfunc(signature)
    def note(handle, address, arguments):
        count = nb.carray(as_pointer(count_at), (1,), np.int64)
        row = nb.carray(as_pointer(log_at), (_ROOM, _COLUMNS), np.float32)[count[0]]
        ray = nb.carray(as_pointer(address), (_ANY,), np.float32)
        for k in range(_ANY):
            row[k] = ray[k]
        row[_ANY] = any_hit
        count[0] += 1
        engine(handle, address, arguments)

    return note


def record() -> NDArray[np.float32]:
    """The rays (n, 11) of one pass of `landing`, in the order in which one thread traces them."""
    log, count = np.zeros((_ROOM, _COLUMNS), np.float32), np.zeros(1, np.int64)
    notes = [
        _recorder(name, np.float32(any_hit), log.ctypes.data, count.ctypes.data)
        for any_hit, name in enumerate(("rtcIntersect1", "rtcOccluded1"))
    ]
    for name, note in zip(("rtcIntersect1", "rtcOccluded1"), notes):
        llvm.add_symbol(name, note.address)
    nb.set_num_threads(1)
    frame, keys = landing(demo_place())
    count[0] = 0
    frame.trace(keys)
    return log[: count[0]].copy()


@nb.njit(nogil=True, fastmath=True)
def _replay(handle, rays):
    memory = ray_buffer()
    ray = aligned(memory)
    met = np.float32(0.0)
    for i in range(rays.shape[0]):
        r = rays[i]
        mask = np.int64(r.view(np.uint32)[_MASK])
        if r[_ANY] > np.float32(0.0):
            met += np.float32(occluded(handle, ray, r[0], r[1], r[2], r[4], r[5], r[6], r[3], r[8], mask))
        else:
            _prim, _geometry, t, _u, _v = intersect(handle, ray, r[0], r[1], r[2], r[4], r[5], r[6], r[3], r[8], mask)
            met += t
    memory[0] = met
    return met


def replay(place: PackedPlace, rays: NDArray[np.float32]) -> None:
    """Trace recorded rays again, as many threads as a pass has."""
    over_threads(lambda first, stop: _replay(place.arrays.handle, rays[first:stop]), 0, len(rays))


def recorded() -> NDArray[np.float32]:
    """The rays of one pass, recorded by a process of its own."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "rays.npy"
        subprocess.run([sys.executable, __file__, str(file)], check=True)
        return np.load(file)


if __name__ == "__main__":
    np.save(sys.argv[1], record())
