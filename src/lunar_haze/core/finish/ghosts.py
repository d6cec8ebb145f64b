"""Ghosts: what is very bright, mirrored twice between the lens's glasses, as faint images of the aperture.

Each pair of surfaces makes one, by the matrices of paraxial optics: Lee & Eisemann 2013, "Practical real-time
lens-flare rendering", Computer Graphics Forum 32(4). The lens is one of our own, three glasses about the aperture; each
surface has one layer of magnesium fluoride, whose reflectance at three wavelengths is that of a thin film (Born & Wolf,
Principles of Optics, 1.6.4), so that ghosts have the colours of their coatings. Their light is taken from where it
comes, so that none is made; what falls out of the frame is lost.
"""

import functools
import math

import attrs
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.finish import kernels
from lunar_haze.core.finish.bright import WAVES_MM, Bright
from lunar_haze.core.finish.values import Aperture
from lunar_haze.core.units.smooth import smoothstep

#: Surfaces from the front: radius of curvature, way to the next one (in units of no matter: all is told in focal
#: lengths), index behind it, and for which wavelength its coating is made [mm].
_SURFACES = (
    (0.40, 0.06, 1.62, 0.50e-3), (-3.50, 0.11, 1.0, 0.56e-3),
    (-0.62, 0.02, 1.62, 0.47e-3), (0.36, 0.12, 1.0, 0.60e-3),
    (2.40, 0.06, 1.62, 0.53e-3), (-0.42, 0.0, 1.0, 0.57e-3),
)  # fmt: skip
#: The aperture stands behind this many surfaces; index of the coating.
_STOP_AFTER, _COATING = 2, 1.38
#: So many bright spots make ghosts; one as large as this share of the frame makes none, being no spot.
MOST_SPOTS, SMALL, LARGE = 10, 0.003, 0.02
#: A ghost that adds less than this to exposed light is not drawn.
LEAST = 1e-4


@attrs.frozen
class Ghost:
    """One pair's image of a spot: it lies ``along`` times as far from the middle as the spot; its radius in focal
    lengths for an aperture of f-number 1; the share (3,) of red, green and blue light that is in it.
    """

    along: float
    radius: float
    share: tuple[float, float, float]


def reflectance(outer: float, inner: float, coated_for_mm: float) -> NDArray[np.float64]:
    """Share (3,) of red, green and blue light that a coated surface reflects, met head on.

    It lies between the indices ``outer`` and ``inner``; its coating is a quarter wave at ``coated_for_mm`` [mm].
    """
    first, second = (outer - _COATING) / (outer + _COATING), (_COATING - inner) / (_COATING + inner)
    phase = np.exp(-1j * math.pi * coated_for_mm / WAVES_MM)
    return np.asarray(np.abs((first + second * phase) / (1.0 + first * second * phase)) ** 2)


def _refracts(radius: float, before: float, after: float) -> NDArray:
    return np.array([[1.0, 0.0], [(before - after) / (after * radius), before / after]])


def _reflects(radius: float) -> NDArray:
    return np.array([[1.0, 0.0], [2.0 / radius, 1.0]])


def _goes(far: float) -> NDArray:
    return np.array([[1.0, far], [0.0, 1.0]])


def _indices() -> list[float]:
    return [1.0, *(index for _r, _d, index, _c in _SURFACES)]


def _forward(first: int, last: int) -> NDArray:
    """Matrix from surface ``first`` to behind ``last``, each after the way that leads to it; none before surface 0."""
    index, whole = _indices(), np.eye(2)
    for k in range(first, last + 1):
        whole = _refracts(_SURFACES[k][0], index[k], index[k + 1]) @ _goes(_SURFACES[k - 1][1] if k else 0.0) @ whole
    return whole


def _back(last: int, first: int) -> NDArray:
    """Matrix from behind the way to surface ``last`` back to surface ``first``, which is reached and not entered."""
    index, whole = _indices(), np.eye(2)
    for k in range(last - 1, first - 1, -1):
        whole = _goes(_SURFACES[k][1]) @ whole
        if k > first:
            whole = _refracts(-_SURFACES[k][0], index[k + 1], index[k]) @ whole
    return whole


def lens() -> tuple[float, float, NDArray[np.float64]]:
    """The lens's focal length, the way from its last surface to the sensor, and its matrix (2, 2) without that."""
    whole = _forward(0, len(_SURFACES) - 1)
    return -1.0 / whole[1, 0], -whole[0, 0] / whole[1, 0], whole


@functools.cache
def ghosts_of_lens() -> tuple[Ghost, ...]:
    """All ghosts of the lens, those with most light on a small area first."""
    count, index = len(_SURFACES), _indices()
    focal, to_sensor, _whole = lens()
    to_stop = _goes(_SURFACES[_STOP_AFTER - 1][1] / 2.0) @ _forward(0, _STOP_AFTER - 1)
    found = []
    for i in range(count):
        for j in range(i + 1, count):
            arrives = _goes(_SURFACES[j - 1][1]) @ _forward(0, j - 1)
            returns = _reflects(-_SURFACES[i][0]) @ _back(j, i) @ _reflects(_SURFACES[j][0]) @ arrives
            (across, by_angle), _direction = _goes(to_sensor) @ _forward(i + 1, count - 1) @ returns
            share = reflectance(index[j], index[j + 1], _SURFACES[j][3])
            share = share * reflectance(index[i + 1], index[i], _SURFACES[i][3])
            # Rays through the middle of the aperture end in the middle of the ghost.
            along = (by_angle - across * to_stop[0, 1] / to_stop[0, 0]) / focal
            found.append(Ghost(float(along), float(abs(across)) / 2.0, (share[0], share[1], share[2])))
    return tuple(sorted(found, key=lambda ghost: -ghost.share[1] / max(ghost.radius, 1e-3) ** 2))


@attrs.frozen(eq=False)
class Spot:
    """Something small and very bright: its place [px], the light in it (3,) [cd/m2 px] that makes ghosts, in which
    ``rows`` and ``columns`` (n,) of the picture it lies, and how much of the light there (n, 3) [cd/m2] it is.
    """

    x: float
    y: float
    light: NDArray[np.float64]
    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    each: NDArray[np.float64]


def spots(bright: Bright) -> list[Spot]:
    """The strongest spots of the bright part of a picture."""
    rows, columns = bright.places
    if not len(rows):
        return []
    marks, count = label(bright.where)
    which, each = marks[rows, columns] - 1, bright.light[rows, columns].astype(np.float64)
    weight = each @ LUMINANCE_WEIGHTS
    total = np.bincount(which, weight, count)
    x, y = (np.bincount(which, weight * (at + 0.5), count) / total for at in (columns, rows))
    light: NDArray[np.float64] = np.stack([np.bincount(which, each[:, c], count) for c in range(3)], 1)
    area = np.bincount(which, minlength=count) / bright.where.size
    # Fading out with size, so that nothing jumps when a cloud opens.
    fade = 1.0 - smoothstep((area - SMALL) / (LARGE - SMALL))
    light = light * fade[:, None]
    found = []
    for n in np.argsort(-light.sum(1), kind="stable")[:MOST_SPOTS]:
        if light[n].sum() > 0:
            own = which == n
            found.append(Spot(float(x[n]), float(y[n]), light[n], rows[own], columns[own], each[own] * fade[n]))
    return found


def with_ghosts(
    picture: NDArray[np.float32],
    bright: Bright,
    strength: float,
    aperture: Aperture,
    tan_half_width: float,
    scale: float,
    out: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """A picture (h, w, 3) [cd/m2] with ghosts of a ``bright`` part; a strength of 1 is what coated glass has.

    The ``aperture`` is seen in them; ``scale`` is the exposure. ``out`` takes the result, and may be the picture
    itself, which is what comes back when there are none.
    """
    found = spots(bright) if strength > 0.0 else []
    if not found:
        return picture
    height, width = picture.shape[:2]
    focal_px = width / 2.0 / tan_half_width
    sides, places, apothems, lights = aperture.sides, [], [], []
    taken = []
    for spot in found:
        away = np.array([spot.x - width / 2.0, spot.y - height / 2.0])
        drawn, shares = [], np.zeros(3)
        for ghost in ghosts_of_lens():
            radius = max(ghost.radius / aperture.f_number * focal_px, 1.0)
            apothem = radius * math.cos(math.pi / sides)
            # Its edge is one pixel soft: the mean area of polygons half a pixel smaller to half a pixel larger.
            area = sides * math.tan(math.pi / sides) * (apothem**2 + 1.0 / 12.0)
            share = strength * np.array(ghost.share)
            if (share * spot.light).max() / area * scale < LEAST:
                continue
            shares += share
            drawn.append(share / area)
            places.append(ghost.along * away + (width / 2.0, height / 2.0))
            apothems.append(apothem)
        # A strong star leaves less of the light than there was.
        gone = np.minimum(shares * spot.each, picture[spot.rows, spot.columns])
        taken.append(gone)
        lights += [share * gone.sum(0) / shares for share in drawn]
    if not lights:
        return picture
    out = picture.copy() if out is None else out
    for spot, gone in zip(found, taken):
        out[spot.rows, spot.columns] -= gone.astype(np.float32)
    kernels.draw_apertures(
        np.array(places, np.float32), np.array(apothems, np.float32), aperture.normals.astype(np.float32),
        np.array(lights, np.float32), out,
    )  # fmt: skip
    return out
