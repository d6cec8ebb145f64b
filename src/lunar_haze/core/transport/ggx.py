"""Surface reflection: Lambert under GGX microfacets, with no light lost to either.

Microfacets: Walter et al. (2007), height-correlated Smith masking (Heitz 2014), visible normals
sampled after Heitz (2018). Light that a single bounce between facets loses is given back with the
factor of Turquin (2019), Practical multiple scattering compensation for microfacet models; the
diffuse part gets what the dielectric coat does not reflect, both ways (Kelemen & Szirmay-Kalos
2001), so that a white surface under an even sky returns exactly that sky.

Directions are unit vectors in the frame of the normal, away from the surface.
"""

import functools
import math
from typing import Any, NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.transport.sampling import cosine_hemisphere, uniform_disc

f32, u32 = np.float32, np.uint32
_jit = nb.njit(cache=True, fastmath=True, error_model="numpy", forceinline=True)

TABLE_SIZE = 32
DIELECTRIC_F0 = f32(0.04)
MIN_ALPHA = f32(1.0e-3)


@_jit
def visible_normal(vx, vy, vz, alpha, u, v):
    """A microfacet normal with the density of visible normals (Heitz 2018); ``alpha`` is the roughness squared."""
    sx, sy, sz = alpha * vx, alpha * vy, vz
    length = f32(1.0) / f32(math.sqrt(sx * sx + sy * sy + sz * sz))
    sx, sy, sz = sx * length, sy * length, sz * length
    across = sx * sx + sy * sy
    if across > f32(1e-12):
        k = f32(1.0) / f32(math.sqrt(across))
        t1x, t1y = -sy * k, sx * k
    else:
        t1x, t1y = f32(1.0), f32(0.0)
    t2x, t2y, t2z = -sz * t1y, sz * t1x, sx * t1y - sy * t1x
    p1, p2 = uniform_disc(u, v)
    s = f32(0.5) * (f32(1.0) + sz)
    p2 = (f32(1.0) - s) * f32(math.sqrt(max(f32(1.0) - p1 * p1, f32(0.0)))) + s * p2
    p3 = f32(math.sqrt(max(f32(1.0) - p1 * p1 - p2 * p2, f32(0.0))))
    nx = p1 * t1x + p2 * t2x + p3 * sx
    ny = p1 * t1y + p2 * t2y + p3 * sy
    nz = p2 * t2z + p3 * sz
    nx, ny, nz = alpha * nx, alpha * ny, max(nz, f32(1e-6))
    length = f32(1.0) / f32(math.sqrt(nx * nx + ny * ny + nz * nz))
    return nx * length, ny * length, nz * length


@_jit
def _lambda_root(cos_t, a2):
    return f32(math.sqrt(a2 + (f32(1.0) - a2) * cos_t * cos_t))


@_jit
def ggx_terms(vz, lz, hz, a2):
    """(D G2 / (4 cos cos), density of the sampled half vector mapped to directions without F).

    ``vz``, ``lz``, ``hz`` are cosines of viewer, light and half vector; ``a2`` is alpha squared.

    The second value is D G1 / (4 cos_v), the solid-angle density of reflecting about a visible
    normal.
    """
    k = hz * hz * (a2 - f32(1.0)) + f32(1.0)
    d = a2 / (f32(math.pi) * k * k)
    root_v = _lambda_root(vz, a2)
    root_l = _lambda_root(lz, a2)
    g2_over = f32(0.5) / max(vz * root_l + lz * root_v, f32(1e-12))
    g1_over = f32(0.5) / max(vz + root_v, f32(1e-12))
    return d * g2_over, d * g1_over


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _gather_albedo(samples, table):
    """Mean of the weights of sampled directions, split by Fresnel, for every cosine and roughness."""
    one = f32(1.0)
    size, scale = table.shape[0], one / f32(samples)
    for i in range(size):
        mu = (f32(i) + f32(0.5)) / f32(size)
        vx = f32(math.sqrt(one - mu * mu))
        for j in range(size):
            roughness = f32(j) / f32(size - 1)
            alpha = max(roughness * roughness, MIN_ALPHA)
            a, b = 0.0, 0.0
            for k in range(samples * samples):
                u, v = (f32(k // samples) + f32(0.5)) * scale, (f32(k % samples) + f32(0.5)) * scale
                nx, _ny, nz = visible_normal(vx, f32(0.0), mu, alpha, u, v)
                v_dot_h = max(vx * nx + mu * nz, f32(0.0))
                lz = f32(2.0) * v_dot_h * nz - mu
                if lz > f32(0.0):
                    root_v, root_l = _lambda_root(mu, alpha * alpha), _lambda_root(lz, alpha * alpha)
                    weight = lz * (mu + root_v) / (mu * root_l + lz * root_v)
                    fresnel = (one - v_dot_h) ** 5
                    a += weight * (one - fresnel)
                    b += weight * fresnel
            table[i, j, 0], table[i, j, 1] = a / samples**2, b / samples**2


@functools.lru_cache(maxsize=1)
def energy_tables(samples: int = 32) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Directional albedo of GGX, split as F0 * A + B, and of the compensated dielectric coat.

    Returns ((32, 32, 3) float32 over [cos_v, roughness]: A, B and the coat's; and (32,) float32
    the coat's cosine-weighted mean over roughness).
    """
    table = np.empty((TABLE_SIZE, TABLE_SIZE, 2), np.float64)
    _gather_albedo(samples, table)
    mu = ((np.arange(TABLE_SIZE) + 0.5) / TABLE_SIZE)[:, None]
    f0 = float(DIELECTRIC_F0)
    single = table[..., 0] * f0 + table[..., 1]
    coat = single * (1 + f0 * (1 / table.sum(-1) - 1))
    mean = (coat * mu).sum(0) / mu.sum(0)
    return np.concatenate([table, coat[..., None]], -1).astype(np.float32), mean.astype(np.float32)


@_jit
def lookup(table, mu, roughness):
    """(A, B, coat) of the directional albedo table at a cosine ``mu`` and a roughness, bilinear."""
    size = table.shape[0]
    x = min(max(mu * f32(size) - f32(0.5), f32(0.0)), f32(size) - f32(1.001))
    y = min(max(roughness * f32(size - 1), f32(0.0)), f32(size) - f32(1.001))
    i, j = u32(x), u32(y)
    fx, fy = x - f32(i), y - f32(j)
    w00 = (f32(1.0) - fx) * (f32(1.0) - fy)
    w10 = fx * (f32(1.0) - fy)
    w01 = (f32(1.0) - fx) * fy
    w11 = fx * fy
    i1, j1 = u32(i + u32(1)), u32(j + u32(1))
    return (
        table[i, j, 0] * w00 + table[i1, j, 0] * w10 + table[i, j1, 0] * w01 + table[i1, j1, 0] * w11,
        table[i, j, 1] * w00 + table[i1, j, 1] * w10 + table[i, j1, 1] * w01 + table[i1, j1, 1] * w11,
        table[i, j, 2] * w00 + table[i1, j, 2] * w10 + table[i, j1, 2] * w01 + table[i1, j1, 2] * w11,
    )


class Viewed(NamedTuple):
    """A surface as it is looked at: the direction to the viewer in its frame, and what it is made of."""

    vx: Any
    vy: Any
    vz: Any
    r: Any
    g: Any
    b: Any
    metallic: Any
    roughness: Any


@_jit
def seen_from(table, mean_coat, viewed):
    """What `evaluate` needs of a surface as it is looked at, whatever the light: (share, lost, matte).

    ``table`` is that of directional albedos, ``mean_coat`` (n,) the mean of its coat over all directions.

    ``share`` is the probability with which the coat is sampled instead of the diffuse part, ``lost``
    how much light more than one bounce between facets carries, ``matte`` what the diffuse part
    reflects per base colour and cosine, before the coat takes its part of the light [1/sr].
    """
    _vx, _vy, vz, r, g, b, metallic, roughness = viewed
    ta, tb, coat = lookup(table, vz, roughness)
    d_metal = f32(1.0) - metallic
    base = max(r, max(g, b))
    specular = coat * d_metal + base * metallic
    diffuse = d_metal * (f32(1.0) - coat) * base
    share = specular / max(specular + diffuse, f32(1e-6))
    share = min(max(share, f32(0.1)), f32(1.0)) if diffuse > f32(1e-4) else f32(1.0)
    size = mean_coat.shape[0]
    y = min(max(roughness * f32(size - 1), f32(0.0)), f32(size) - f32(1.001))
    j = u32(y)
    low = mean_coat[j]
    mean = low + (mean_coat[u32(j + u32(1))] - low) * (y - f32(j))
    matte = d_metal * (f32(1.0) - coat) / (f32(1.0) - mean) * f32(1.0 / math.pi)
    return share, f32(1.0) / (ta + tb) - f32(1.0), matte


class Reflected(NamedTuple):
    """Reflectance times cosine, rgb [1/sr], the sampling density of the direction [1/sr], and what of it is matte."""

    r: Any
    g: Any
    b: Any
    pdf: Any
    matte_r: Any
    matte_g: Any
    matte_b: Any


@_jit
def evaluate(table, seen, viewed, lx, ly, lz):
    """What a surface reflects of light from l to its viewer (`Reflected`).

    ``seen`` and ``table`` are those of `seen_from`. What of the reflectance is not matte makes highlights.
    """
    vx, vy, vz, r, g, b, metallic, roughness = viewed
    zero = f32(0.0)
    if lz <= zero or vz <= zero:
        return Reflected(zero, zero, zero, zero, zero, zero, zero)
    share, lost, matte = seen
    alpha = max(roughness * roughness, MIN_ALPHA)
    hx, hy, hz = vx + lx, vy + ly, vz + lz
    k = f32(1.0) / f32(math.sqrt(hx * hx + hy * hy + hz * hz))
    hz = hz * k
    v_dot_h = min((vx * hx + vy * hy) * k + vz * hz, f32(1.0))
    shape, density = ggx_terms(vz, lz, hz, alpha * alpha)
    c = f32(1.0) - v_dot_h
    fresnel = c * c * c * c * c
    specular = shape * lz
    d_metal = f32(1.0) - metallic
    f0r = DIELECTRIC_F0 * d_metal + r * metallic
    f0g = DIELECTRIC_F0 * d_metal + g * metallic
    f0b = DIELECTRIC_F0 * d_metal + b * metallic
    out_r = specular * (f0r + (f32(1.0) - f0r) * fresnel) * (f32(1.0) + f0r * lost)
    out_g = specular * (f0g + (f32(1.0) - f0g) * fresnel) * (f32(1.0) + f0g * lost)
    out_b = specular * (f0b + (f32(1.0) - f0b) * fresnel) * (f32(1.0) + f0b * lost)
    _a, _b, coat = lookup(table, lz, roughness)
    diffuse = matte * (f32(1.0) - coat) * lz
    matte_r, matte_g, matte_b = r * diffuse, g * diffuse, b * diffuse
    pdf = share * density + (f32(1.0) - share) * lz * f32(1.0 / math.pi)
    return Reflected(out_r + matte_r, out_g + matte_g, out_b + matte_b, pdf, matte_r, matte_g, matte_b)


@_jit
def sample_direction(viewed, share, choice, u, v):
    """A direction l with the density that `evaluate` reports; lz may be negative (absorbed).

    Of the coat where ``choice``, a random number in [0, 1), is below its ``share``.
    """
    vx, vy, vz, _r, _g, _b, _metallic, roughness = viewed
    if choice < share:
        alpha = max(roughness * roughness, MIN_ALPHA)
        hx, hy, hz = visible_normal(vx, vy, vz, alpha, u, v)
        k = f32(2.0) * (vx * hx + vy * hy + vz * hz)
        return k * hx - vx, k * hy - vy, k * hz - vz
    return cosine_hemisphere(u, v)
