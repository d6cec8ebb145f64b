"""Light that falls on single motes of dust and is thrown to the lens, each source's by itself.

Dust is much larger than the waves of light: what its cross-section stops it throws on, most of it straight ahead. The
lobe and the albedo are those of coarse mineral dust (Hess, Koepke & Schult 1998, Optical properties of aerosols and
clouds: the software package OPAC, Bull. Am. Met. Soc. 79, 831).
"""

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.kernels import transmittance
from lunar_haze.core.air.phase import henyey_greenstein
from lunar_haze.core.layers.model import LayerSpec
from lunar_haze.core.transport.borrow import borrow_lights, borrow_scene
from lunar_haze.core.transport.embree import aligned, ray_buffer
from lunar_haze.core.transport.emission import sample_light
from lunar_haze.core.transport.frame import Frame, lit_of
from lunar_haze.core.transport.lights import pack_lights
from lunar_haze.core.transport.sampling import random_pair
from lunar_haze.core.transport.surfaces import shadow
from lunar_haze.core.units.shapes import entry

f32, u32 = np.float32, np.uint32

#: Asymmetry of the lobe, and the share of the light that is not absorbed.
LOBE, ALBEDO = f32(0.7), f32(0.9)
#: Rays from each mote to each source.
SAMPLES = 16


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _light_mote(s, lights, number, medium, eye, mote, seed, out):
    memory = ray_buffer()
    ray = aligned(memory)
    px, py, pz = mote[0], mote[1], mote[2]
    ex, ey, ez = eye[0] - px, eye[1] - py, eye[2] - pz
    far = np.sqrt(ex * ex + ey * ey + ez * ez)
    ex, ey, ez = ex / far, ey / far, ez / far
    through = transmittance(medium, px, py, pz, ex, ey, ez, far) * ALBEDO / f32(SAMPLES)
    for index in range(SAMPLES):
        u, v = random_pair(seed, 0, index)
        lx, ly, lz, distance, r, g, b, pdf = sample_light(s, lights, number, px, py, pz, u, v)
        if pdf <= f32(0.0) or r + g + b <= f32(0.0):
            continue
        # The light travels along -l and leaves along e.
        weight = through * henyey_greenstein(-(lx * ex + ly * ey + lz * ez), LOBE) / pdf
        weight *= transmittance(medium, px, py, pz, lx, ly, lz, distance)
        tr, tg, tb = shadow(s, ray, px, py, pz, lx, ly, lz, distance * f32(0.9999))
        out[0] += weight * r * tr
        out[1] += weight * g * tg
        out[2] += weight * b * tb
    memory[0] = f32(0.0)  # keeps the buffer alive to here


@entry(eye="3 f4", motes="n 3 f4", out="n 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def _light_motes(s, lights, number, medium, eye, motes, out):
    for one in nb.prange(motes.shape[0]):
        # The same rays from all of them: a mote's light does not change with the company that it is in.
        _light_mote(borrow_scene(s), borrow_lights(lights), number, medium, eye, motes[one], u32(0x5D0B7A21), out[one])


def mote_light(frame: Frame, specs: list[LayerSpec], motes: NDArray[np.float32]) -> NDArray[np.float32]:
    """What motes (n, 3) [m] throw to the lens of each layer's light, by their cross-section: (layers, n, 3) [cd/m2].

    Times the cross-section [m2] that is the intensity [cd] of a mote as the lens sees it. Sources that cannot be made
    light of are dark.
    """
    lights = pack_lights([lit_of(s) for s in specs], frame.place.place, frame.place.order, problems={})
    eye = np.asarray(frame.view.camera.position, np.float32)
    points = np.ascontiguousarray(motes, np.float32)
    out = np.zeros((len(specs), len(points), 3), np.float32)
    for number, spec in enumerate(specs):
        _light_motes(frame.arrays, lights, number, spec.medium.pack(), eye, points, out[number])
    return out
