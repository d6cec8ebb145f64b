"""Layers of cloud over the place: how thick they are where, how they look from below, what sun they let through.

Thickness is a periodic random field with a power-law spectrum (cloud masses are scale free over a
wide range: Lovejoy 1982, Science 216, 185), cut at the level that leaves the wanted cover. Light
through and off a thick layer follows the two-stream closed form for droplets that scatter without
loss (Bohren 1987, Multiple scattering of light, Am. J. Phys. 55, 524): transmittance
1 / (1 + (1 - g) tau / 2); thin edges near the sun show its forward lobe.

A closed layer is the overcast sky of lighting practice. Its underside follows the CIE standard
overcast sky (ISO 15469, after Moon & Spencer 1942): a third as bright at the horizon as overhead. Its
rate of loss is set so that a layer of optical thickness 22 gives the mean level of overcast days,
300 lx + 21,000 lx sin h (Krochmann & Seidl 1974, Lighting Res. Technol. 6, 165), as a share of what
the clear sky of the same sun gives (Seidelmann 1992). Arrays are float64 in; lengths in metres.
"""

import functools
import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.sky.lat_long import direction_of
from lunar_haze.core.sky.model import CloudLayer

TILE = 256
#: A tile's side in sizes of a mass.
TILE_SIZES = 8.0
ASYMMETRY = 0.85
#: Optical thickness of the mean overcast, and the albedo of the land under it.
OVERCAST_DEPTH, OVERCAST_ALBEDO = 22.0, 0.2
#: How much of what it meets the air under clouds scatters on.
AIR_ALBEDO = 0.95
_EARTH_M = 6.371e6


@functools.lru_cache(maxsize=16)
def _field(seed: int) -> NDArray[np.float64]:
    """Ranks in [0, 1] (TILE, TILE) of the random field, periodic."""
    rng = np.random.default_rng(seed)
    wave = np.hypot(np.fft.fftfreq(TILE)[:, None], np.fft.fftfreq(TILE)[None]) * TILE
    strength = np.where(wave > 0, (wave**2 + TILE_SIZES**2) ** -0.9, 0.0)
    field = np.fft.ifft2(np.fft.fft2(rng.standard_normal((TILE, TILE))) * strength).real
    ranks = np.empty(field.size)
    ranks[np.argsort(field, axis=None)] = (np.arange(field.size) + 0.5) / field.size
    return ranks.reshape(field.shape)


def closedness(layer: CloudLayer) -> float:
    """How far a layer has grown together, 0 broken to 1 without a gap."""
    return min(max((layer.cover - 0.85) / 0.15, 0.0), 1.0)


@functools.lru_cache(maxsize=16)
def thickness_tile(layer: CloudLayer) -> NDArray[np.float64]:
    """Optical thickness (TILE, TILE) over one period of the layer; rows run north."""
    ranks = _field(layer.seed)
    cover = min(max(layer.cover, 0.0), 1.0)
    if cover <= 0.0:
        return np.zeros_like(ranks)
    # Masses grow from their rims; a closed layer keeps a varying thickness.
    inside = np.clip((ranks - (1.0 - cover)) / max(cover, 1e-6), 0.0, 1.0)
    closed = closedness(layer)
    # An even sheet where it is no deeper than the mean overcast; what is deeper towers.
    uneven = float(np.interp(layer.depth, (OVERCAST_DEPTH, 70.0), (0.12, 0.45)))
    sheet = 1.0 + uneven * (2.0 * ranks - 1.0)
    return layer.depth * ((1.0 - closed) * np.sqrt(inside) * inside * 1.6 + closed * sheet)


def _thickness_at(layer: CloudLayer, east: NDArray, north: NDArray) -> NDArray[np.float64]:
    tile = thickness_tile(layer)
    scale = TILE / (TILE_SIZES * layer.size_m)
    wind = math.radians(layer.wind_deg)
    x = (east + layer.drift_m * math.sin(wind)) * scale
    y = (north + layer.drift_m * math.cos(wind)) * scale
    i, j = np.floor(y).astype(int), np.floor(x).astype(int)
    fy, fx = y - i, x - j
    i0, j0, i1, j1 = i % TILE, j % TILE, (i + 1) % TILE, (j + 1) % TILE
    low = tile[i0, j0] * (1 - fx) + tile[i0, j1] * fx
    return low * (1 - fy) + (tile[i1, j0] * (1 - fx) + tile[i1, j1] * fx) * fy


def slant_m(height_m: float, up: NDArray) -> NDArray[np.float64]:
    """Distance to a shell at ``height_m`` along directions of sine of altitude ``up`` >= 0 [m]. Arrays of any shape."""
    b = _EARTH_M * up
    return np.sqrt(b * b + 2 * _EARTH_M * height_m + height_m**2) - b


def let_through(depth: NDArray, loss: float = 0.5 * (1.0 - ASYMMETRY)) -> NDArray[np.float64]:
    """Share of light that leaves a layer's underside, scattered often; ``loss`` per optical thickness.

    Optical depths of any shape.
    """
    return 1.0 / (1.0 + loss * depth)


def clear_day_lx(altitude_deg: float) -> float:
    """Global illuminance of a clear day by the sun's true altitude from -5 to 90 degrees [lx]: Seidelmann (1992)."""
    x = min(max(altitude_deg, -5.0), 90.0) / 90.0
    for low, terms in (
        (20.0, (3.74, 3.97, -4.07, 1.47)),
        (5.0, (3.05, 13.28, -45.98, 64.33)),
        (-0.8, (2.88, 22.26, -207.64, 1034.30)),
    ):
        if x * 90.0 >= low:
            return 10 ** sum(k * x**n for n, k in enumerate(terms))
    return 10 ** sum(k * x**n for n, k in enumerate((2.88, 21.81, -258.11, -858.36)))


def overcast_share(altitude_deg: float) -> float:
    """Share of a clear day's light that is left under a mean overcast, over ground of albedo 0.2."""
    held = max(altitude_deg, 0.0)
    return (300.0 + 21_000.0 * math.sin(math.radians(held))) / clear_day_lx(held)


def overcast_loss(altitude_deg: float) -> float:
    """Loss per optical thickness of a closed layer under a body at that altitude."""
    share = overcast_share(altitude_deg)
    # What the ground returns and the layer throws down again is in the measured level.
    passed = share * (1.0 - OVERCAST_ALBEDO) / (1.0 - share * OVERCAST_ALBEDO)
    return (1.0 / passed - 1.0) / OVERCAST_DEPTH


def sun_share(layers: tuple[CloudLayer, ...], sine: float, east: NDArray, north: NDArray) -> NDArray[np.float64]:
    """Share [0, 1] of straight sunlight that passes all layers and falls on points ``east``, ``north`` [m] of them.

    ``sine`` is that of the sun's altitude. Arrays of any shape.
    """
    share = np.ones(np.broadcast(east, north).shape)
    for layer in layers:
        share = share * np.exp(-_thickness_at(layer, east, north) / max(sine, 0.05))
    return share


@functools.lru_cache(maxsize=16)
def _pattern(layer: CloudLayer) -> NDArray[np.float64]:
    """Optical thickness (n,) over a layer's whole pattern."""
    at = (np.arange(2 * TILE) + 0.5) * TILE_SIZES * layer.size_m / (2 * TILE)
    return _thickness_at(layer, *np.meshgrid(at, at)).ravel()


@functools.lru_cache(maxsize=256)
def mean_sun_share(layers: tuple[CloudLayer, ...], sine: float) -> float:
    """Mean of `sun_share` over each layer's whole pattern."""
    return math.prod(float(np.exp(-_pattern(layer) / max(sine, 0.05)).mean()) for layer in layers)


def star_share(layers: tuple[CloudLayer, ...], directions: NDArray) -> NDArray[np.float64]:
    """Share of starlight (...) that passes all layers along directions (..., 3) above the horizon."""
    share = np.ones(directions.shape[:-1])
    up = np.clip(directions[..., 2], 0.0, 1.0)
    for layer in layers:
        way = slant_m(layer.height_m, up)
        depth = _thickness_at(layer, way * directions[..., 0], way * directions[..., 1])
        share = share * np.exp(-depth / np.maximum(up, 0.15))
    return share


def _mean_relief(layer: CloudLayer, towards: NDArray, reach: float) -> float:
    """Mean over a layer's whole pattern of what its own masses leave of the light, as `lay_clouds` has it."""
    at = (np.arange(TILE // 2) + 0.5) * TILE_SIZES * layer.size_m / (TILE // 2)
    east, north = np.meshgrid(at, at)
    ahead = _thickness_at(layer, east + reach * towards[0], north + reach * towards[1])
    rise = np.maximum(ahead - _thickness_at(layer, east, north), 0.0)
    return float((0.35 + 0.65 / (1.0 + 0.12 * rise)).mean())


def lay_clouds(
    radiance: NDArray[np.float64],
    directions: NDArray,
    layers: tuple[CloudLayer, ...],
    bodies: list[tuple[float, float, NDArray]],
    sky_lx: NDArray,
    albedo: float,
    visibility_km: float,
) -> NDArray[np.float64]:
    """Radiance (..., 3) [cd/m2] with clouds over it, for directions (..., 3) above the horizon.

    ``bodies`` are (altitude [deg], azimuth [deg], light at the clouds (3,) [lx] facing it) of sun
    and moon; ``sky_lx`` (3,) the clear sky's light on level ground.
    """
    up = np.clip(directions[..., 2], 1e-4, 1.0)
    straight = sum((max(math.sin(math.radians(a)), 0.0) * light for a, _z, light in bodies), np.zeros(3))
    brightest = max(bodies, key=lambda body: float(body[2].sum()), default=(0.0, 0.0, np.zeros(3)))[0]
    # What the air between lens and cloud puts in their place.
    per_m = 0.5 * 3.912 / (visibility_km * 1000.0) * np.array([0.85, 1.0, 1.25])
    clear = radiance
    for layer in sorted(layers, key=lambda c: -c.height_m):
        tile = thickness_tile(layer)
        mean, closed = float(tile.mean()), closedness(layer)
        loss = (1 - closed) * 0.5 * (1 - ASYMMETRY) + closed * overcast_loss(brightest)
        way = slant_m(layer.height_m, up)
        east, north = way * directions[..., 0], way * directions[..., 1]
        # Far off, a pixel holds many masses.
        far = np.clip(way * 0.012 / np.maximum(up, 0.02) / (0.35 * layer.size_m) - 0.2, 0.0, 1.0)
        depth = _thickness_at(layer, east, north) * (1 - far) + mean * far
        through = let_through(depth, loss)
        mean_through = float(let_through(tile, loss).mean())
        # Where a pixel holds many masses it shows their mean.
        through = through * (1 - far) + mean_through * far
        # Thrown to and fro between ground and cloud.
        below = (through / (1 - albedo * (1 - through)))[..., None] * (straight + sky_lx)
        # An even brightness, or the standard overcast's: 9 (1 + 2 sin h) / 21 pi give level ground one lux as well.
        cloud = below / math.pi * ((1 - closed) + closed * 3.0 * (1 + 2 * up) / 7.0)[..., None]
        under_it = mean_through / (1 - albedo * (1 - mean_through)) * (straight + sky_lx) / math.pi
        # Air under a closed layer is lit by that layer and by the ground, half of its surround each.
        lit_air = (1 - closed) * clear + closed * AIR_ALBEDO * 0.5 * (6 / 7 + albedo) * under_it
        for altitude, azimuth, light in bodies:
            towards = direction_of(altitude, azimuth)
            reach = 0.22 * layer.size_m
            ahead = _thickness_at(layer, east + reach * towards[0], north + reach * towards[1])
            shade = 1.0 / (1.0 + 0.12 * np.maximum(ahead - depth, 0.0))
            cosine = directions @ towards
            lobe = (1 - ASYMMETRY**2) / (4 * math.pi * (1 + ASYMMETRY**2 - 2 * ASYMMETRY * cosine) ** 1.5)
            rim = lobe * np.exp(-0.35 * depth) * (1.0 - np.exp(-0.35 * depth / np.maximum(up, 0.1)))
            # A low sun reaches the undersides, bumps facing it most.
            low = min(max((9.0 - altitude) / 10.0, 0.0), 1.0)
            facing = np.clip(0.12 + 0.9 * (depth - ahead) / max(layer.depth, 1e-6), 0.0, 1.0)
            under = low * (1 - through) * facing * (1 - far) / math.pi
            relief = 0.35 + 0.65 * shade
            # Relief takes no light from a closed layer as a whole: its level is a measured one.
            relief = (1 - closed) * relief + closed * (far + (1 - far) * relief / _mean_relief(layer, towards, reach))
            cloud = cloud * relief[..., None] + (rim + under)[..., None] * light
        opacity = 1.0 - np.exp(-depth / np.maximum(up, 0.12))
        air = np.exp(-way[..., None] * per_m)
        laid = opacity[..., None] * (cloud * air + lit_air * (1 - air))
        radiance = radiance * (1 - opacity[..., None]) + laid
    return radiance
