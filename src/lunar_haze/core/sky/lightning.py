"""The sky that a flash of lightning lights: a cloud that glows from inside, and a branched channel below it.

The glow is light scattered many times within the cloud: widest where the cloud is thin, mottled by its billows. The
channel is drawn by displacing the middles of its parts at random (Fournier, Fussell and Carpenter 1982, Computer
rendering of stochastic models, Comm. ACM 25), its branches leave it downwards at sharp angles and end in the air.
"""

import functools
import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.sky.lat_long import map_directions
from lunar_haze.core.sky.model import Lightning

#: Waves that mottle the cloud, the spread of their logarithm, and their scales over the glow's own.
_WAVES, _MOTTLED, _FINEST, _COARSEST = 64, 0.55, 9.0, 1.5
#: Halvings of the channel, how far a middle is displaced (share of its part's length), how a branch differs.
_HALVINGS, _DISPLACED = 7, 0.13
_BRANCHES, _BRANCH_STRENGTH = 6, 0.3
#: Light of a channel of air at 30,000 K against that of the cloud, which has lost some blue: ACEScg, of luminance 1.
_CHANNEL = np.array([0.86, 1.0, 1.45])
_CLOUD = np.array([0.95, 1.0, 1.15])
_CHANNEL, _CLOUD = _CHANNEL / (_CHANNEL @ LUMINANCE_WEIGHTS), _CLOUD / (_CLOUD @ LUMINANCE_WEIGHTS)


def _unit(azimuth_deg: NDArray, altitude_deg: NDArray) -> NDArray[np.float64]:
    azimuth, altitude = np.radians(azimuth_deg), np.radians(altitude_deg)
    return np.stack(
        [np.cos(altitude) * np.sin(azimuth), np.cos(altitude) * np.cos(azimuth), np.sin(altitude)], -1
    )  # fmt: skip


def _crooked(rng: np.random.Generator, begin: NDArray, end: NDArray, halvings: int) -> NDArray[np.float64]:
    """A crooked line (n, 2) from one point to another, in degrees of azimuth and altitude."""
    points = np.stack([begin, end])
    for _ in range(halvings):
        parts = np.diff(points, axis=0)
        across = np.stack([-parts[:, 1], parts[:, 0]], 1)
        middles = (points[:-1] + points[1:]) / 2 + across * rng.normal(0.0, _DISPLACED, (len(parts), 1))
        merged = np.empty((2 * len(points) - 1, 2))
        merged[0::2], merged[1::2] = points, middles
        points = merged
    return points


@functools.lru_cache(maxsize=8)
def channel(lightning: Lightning) -> tuple[NDArray, NDArray]:
    """The bolt: unit directions (n, 3) of points along it, evenly spread over its parts, and the light of each (n,).

    The light sums up to one.
    """
    rng = np.random.default_rng((lightning.seed, 5))
    width = lightning.spread_deg
    top = np.array([lightning.azimuth_deg + rng.normal(0.0, 0.15 * width), lightning.altitude_deg])
    foot = np.array([top[0] + rng.normal(0.0, 0.25 * max(lightning.altitude_deg, 1.0)), -0.5])
    trunk = _crooked(rng, top, foot, _HALVINGS)
    lines, strengths = [trunk], [1.0]
    for _ in range(_BRANCHES):
        at = int(rng.integers(len(trunk) // 8, len(trunk) * 3 // 4))
        down = max(trunk[at, 1], 1.0) * float(rng.uniform(0.25, 0.7))
        side = float(rng.choice([-1.0, 1.0])) * down * float(rng.uniform(0.5, 1.2))
        lines.append(_crooked(rng, trunk[at], trunk[at] + [side, -down], _HALVINGS - 2))
        strengths.append(_BRANCH_STRENGTH * float(rng.uniform(0.5, 1.5)))
    found, light = [], []
    for line, strength in zip(lines, strengths):
        lengths = np.hypot(*np.diff(line, axis=0).T)
        whole = np.concatenate([[0.0], np.cumsum(lengths)])
        along = np.linspace(0.0, whole[-1], max(int(whole[-1] / 0.02), 8))
        points = np.stack([np.interp(along, whole, line[:, k]) for k in (0, 1)], 1)
        # A branch fades as it ends; what lies under the horizon is hidden.
        fade = 1.0 - 0.8 * along / whole[-1] if strength < 1.0 else np.ones(len(along))
        found.append(points)
        light.append(np.where(points[:, 1] > 0.0, strength * fade * whole[-1] / len(along), 0.0))
    points, weights = np.concatenate(found), np.concatenate(light)
    return _unit(points[:, 0], points[:, 1]), weights / max(weights.sum(), 1e-30)


def _glow(lightning: Lightning, directions: NDArray) -> NDArray[np.float64]:
    """How bright the cloud is in directions (..., 3), of no level."""
    middle = _unit(np.array(lightning.azimuth_deg), np.array(lightning.altitude_deg))
    apart = np.degrees(np.arccos(np.clip(directions @ middle, -1.0, 1.0)))
    # A bright heart in a wide halo: light that has found its way out after ever more scatterings.
    wide = np.exp(-apart / (0.6 * lightning.spread_deg)) + 2.0 * np.exp(-((apart / (0.35 * lightning.spread_deg)) ** 2))
    rng = np.random.default_rng((lightning.seed, 9))
    scales = np.geomspace(_COARSEST, _FINEST, _WAVES) * 60.0 / lightning.spread_deg
    towards = rng.normal(size=(_WAVES, 3))
    towards *= (scales / np.linalg.norm(towards, axis=1))[:, None]
    strengths = scales**-0.7
    strengths *= _MOTTLED * math.sqrt(2.0 / (strengths**2).sum())
    phases = rng.uniform(0.0, 2 * math.pi, _WAVES)
    mottled = np.zeros(directions.shape[:-1])
    for wave, strength, phase in zip(towards, strengths, phases):
        mottled += strength * np.cos(directions @ wave + phase)
    # The cloud's own base, and nothing below the horizon.
    return wide * np.exp(mottled) * np.clip(directions[..., 2] / 0.02, 0.0, 1.0)


def channel_map(lightning: Lightning, height: int, width: int) -> NDArray[np.float64]:
    """The bolt's light in a lat-long map (H, W, 3), as much as a map of this size can tell of it: one lux in all
    towards it; its sum over solid angle is one.
    """
    towards, light = channel(lightning)
    _directions, solid = map_directions(height, width)
    down = np.arccos(np.clip(towards[:, 2], -1.0, 1.0)) / math.pi * height - 0.5
    round_ = np.mod(np.arctan2(towards[:, 0], towards[:, 1]), 2 * math.pi) / (2 * math.pi) * width - 0.5
    found = np.zeros((height, width))
    y0, x0 = np.floor(down).astype(int), np.floor(round_).astype(int)
    fy, fx = down - y0, round_ - x0
    for j in (0, 1):
        for i in (0, 1):
            weight = (fy if j else 1 - fy) * (fx if i else 1 - fx)
            np.add.at(found, (np.clip(y0 + j, 0, height - 1), np.mod(x0 + i, width)), weight * light)
    return (found / solid)[..., None] * _CHANNEL


def lightning_radiance(lightning: Lightning, height: int, width: int) -> NDArray[np.float64]:
    """Radiance (H, W, 3) of the sky under a flash, of no level: ``bolt`` is the channel's share of all its light."""
    cloud = cloud_radiance(lightning, height, width)
    return cloud + lightning.bolt * channel_map(lightning, height, width) if lightning.bolt > 0.0 else cloud


def cloud_radiance(lightning: Lightning, height: int, width: int) -> NDArray[np.float64]:
    """Of `lightning_radiance` what the cloud gives alone (H, W, 3): what a lens sees besides the channel."""
    directions, solid = map_directions(height, width)
    glow = _glow(lightning, directions)
    glow = glow / max(float((glow * solid).sum()), 1e-30)
    return np.asarray(glow[..., None] * _CLOUD * (1.0 - lightning.bolt))


#: Colour of the channel, ACEScg of luminance 1.
CHANNEL_COLOUR = _CHANNEL
