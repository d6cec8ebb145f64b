"""Random numbers and warps: even where they say so, independent between dimensions, stratified over passes."""

import itertools
import math

import numba as nb
import numpy as np
import pytest
from scipy.stats import chisquare, kstest

from lunar_haze.core.transport.sampling import (
    basis,
    combine,
    cosine_hemisphere,
    random_pair,
    sample_pair,
    uniform_cone,
    uniform_disc,
)
from lunar_haze.core.units.fast_math import (
    angle_of,
    exp,
    floor,
    hash32,
    log2,
    minus_log_rest,
    one_minus_exp,
    short_arctan,
    turned,
)

U32 = np.uint32


@nb.njit
def _pairs(kind, seed, dimension, count, out):
    for index in range(count):
        if kind == 0:
            out[index, 0], out[index, 1] = sample_pair(U32(seed), dimension, index)
        else:
            out[index, 0], out[index, 1] = random_pair(U32(seed), dimension, index)


@nb.njit
def _warped(kind, points, cone, out):
    for k in range(points.shape[0]):
        u, v = np.float32(points[k, 0]), np.float32(points[k, 1])
        if kind == 0:
            out[k, 0], out[k, 1], out[k, 2] = cosine_hemisphere(u, v)
        elif kind == 1:
            out[k, 0], out[k, 1] = uniform_disc(u, v)
        else:
            out[k, 0], out[k, 1], out[k, 2] = uniform_cone(u, v, np.float32(cone))


@nb.njit
def _bases(normals, out):
    for k in range(normals.shape[0]):
        a = basis(normals[k, 0], normals[k, 1], normals[k, 2])
        for i in range(6):
            out[k, i] = a[i]


@nb.njit
def _elementary(kind, x, out):
    for k in range(x.shape[0]):
        if kind == 0:
            out[k] = exp(x[k])
        elif kind == 1:
            out[k] = log2(x[k])
        elif kind == 2:
            out[k] = short_arctan(x[k])
        elif kind == 3:
            out[k] = one_minus_exp(x[k])
        elif kind == 4:
            out[k] = minus_log_rest(x[k])
        elif kind == 5:
            out[k], _sine = turned(x[k])
        elif kind == 6:
            _cosine, out[k] = turned(x[k])
        else:
            out[k] = floor(x[k])


@nb.njit
def _angles(points, out):
    for k in range(points.shape[0]):
        out[k] = angle_of(points[k, 1], points[k, 0])


@nb.njit
def _hashes(values, out):
    for k in range(values.shape[0]):
        out[k] = hash32(values[k])


@nb.njit
def _combined(a, b):
    return combine(U32(a), U32(b))


def pairs(kind, seed=3, dimension=0, count=4096):
    out = np.empty((count, 2), np.float32)
    _pairs(kind, seed, dimension, count, out)
    return out


@pytest.mark.parametrize("kind", [0, 1], ids=["stratified", "independent"])
@pytest.mark.parametrize("seed", [1, 77, 123456789])
def test_numbers_are_even_in_the_unit_square(kind, seed):
    points = pairs(kind, seed)
    assert points.min() >= 0.0
    assert points.max() < 1.0
    for axis in range(2):
        assert kstest(points[:, axis], "uniform").pvalue > 1e-4
    counts, _, _ = np.histogram2d(points[:, 0], points[:, 1], bins=8, range=((0, 1), (0, 1)))
    assert chisquare(counts.ravel()).pvalue > 1e-4


@pytest.mark.parametrize("power", [4, 6, 8])
def test_stratified_points_fill_every_elementary_interval_once(power):
    """The first 2^n points of a (0, 2)-sequence fall one into each cell of every grid of 2^n cells."""
    count = 1 << power
    points = pairs(0, 9, 4, count)
    for rows in range(power + 1):
        columns = power - rows
        cells = np.floor(points * np.array([1 << rows, 1 << columns])).astype(int)
        assert len({(a, b) for a, b in cells}) == count


def test_stratified_points_converge_faster_than_independent_ones():
    def error(kind, count):
        found = []
        for seed in range(40):
            points = pairs(kind, seed, 0, count).astype(float)
            found.append((np.sin(3 * points[:, 0]) * points[:, 1] ** 2).mean())
        return float(np.std(found))

    assert error(0, 256) < 0.3 * error(1, 256)
    assert error(0, 256) < 0.45 * error(0, 64), "better than the root of the count"


@pytest.mark.parametrize("kind", [0, 1])
def test_dimensions_and_seeds_are_independent(kind):
    first = pairs(kind, 5, 0)[:, 0]
    for other in (pairs(kind, 5, 1)[:, 0], pairs(kind, 6, 0)[:, 0], pairs(kind, 5, 0)[:, 1]):
        assert abs(np.corrcoef(first, other)[0, 1]) < 0.06


def test_hashes_spread_neighbours_over_all_bits():
    values = np.arange(1 << 14, dtype=np.uint32)
    out = np.empty_like(values)
    _hashes(values, out)
    assert len(np.unique(out)) == len(values), "a permutation of 32-bit values"
    for bit in range(32):
        assert abs((out >> U32(bit) & U32(1)).mean() - 0.5) < 0.02
    flips = np.array([bin(int(a ^ b)).count("1") for a, b in itertools.pairwise(out)])
    assert flips.mean() == pytest.approx(16.0, abs=0.2), "half the bits change from one to the next"
    assert _combined(1, 2) != _combined(2, 1)


def test_the_hash_is_the_published_one():
    def told(x):
        x ^= x >> 16
        x = x * 0x7FEB352D & 0xFFFFFFFF
        x ^= x >> 15
        x = x * 0x846CA68B & 0xFFFFFFFF
        return x ^ (x >> 16)

    values = np.array([0, 1, 2, 0xFFFFFFFF, *np.random.default_rng(1).integers(0, 1 << 32, 200)], np.uint32)
    out = np.empty_like(values)
    _hashes(values, out)
    assert out.tolist() == [told(v) for v in values.tolist()]


def test_the_cosine_hemisphere_has_its_density():
    out = np.empty((4096, 3), np.float32)
    _warped(0, pairs(1), 0.0, out)
    assert np.linalg.norm(out, axis=1) == pytest.approx(np.ones(4096), abs=1e-5)
    # Under density cos / pi the square of the cosine is even.
    assert kstest(out[:, 2] ** 2, "uniform").pvalue > 1e-4
    assert kstest((np.arctan2(out[:, 1], out[:, 0]) / (2 * math.pi)) % 1.0, "uniform").pvalue > 1e-4


def test_the_disc_and_the_cone_are_even():
    disc = np.empty((4096, 2), np.float32)
    _warped(1, pairs(1), 0.0, disc)
    assert kstest((disc**2).sum(1), "uniform").pvalue > 1e-4
    for one_minus_cos in (1e-5, 0.01, 0.5):
        cone = np.empty((4096, 3), np.float32)
        _warped(2, pairs(1), one_minus_cos, cone)
        height = (1.0 - cone[:, 2].astype(float)) / one_minus_cos
        assert height.min() >= -0.01
        assert height.max() <= 1.01
        if one_minus_cos > 1e-3:
            assert kstest(height, "uniform").pvalue > 1e-4
        # A narrow cone keeps its spread sideways, where float32 still tells directions apart.
        spread = (cone[:, :2].astype(float) ** 2).sum(1).mean()
        assert spread == pytest.approx(one_minus_cos - one_minus_cos**2 / 3, rel=0.05)


def test_bases_are_right_handed_and_orthonormal():
    rng = np.random.default_rng(2)
    normals = rng.standard_normal((500, 3))
    normals = np.concatenate([normals, np.eye(3), -np.eye(3), [[1e-4, 0, -1.0]]])
    normals = (normals / np.linalg.norm(normals, axis=1, keepdims=True)).astype(np.float32)
    out = np.empty((len(normals), 6), np.float32)
    _bases(normals, out)
    a, b = out[:, :3], out[:, 3:]
    for left, right, expected in ((a, a, 1.0), (b, b, 1.0), (a, b, 0.0), (a, normals, 0.0), (b, normals, 0.0)):
        assert (left * right).sum(1) == pytest.approx(np.full(len(out), expected), abs=2e-5)
    assert np.cross(a, b) == pytest.approx(normals, abs=2e-5)


@pytest.mark.parametrize(
    ("kind", "x", "true", "relative", "absolute"),
    [
        (0, np.linspace(-80.0, 80.0, 20_001), np.exp, 5e-6, 0.0),
        (1, np.geomspace(1e-30, 1e30, 20_001), np.log2, 0.0, 4e-6),
        (2, np.linspace(0.0, 0.5, 5_001), np.arctan, 0.0, 3e-6),
        (3, np.geomspace(1e-20, 1e3, 20_001), lambda x: -np.expm1(-x), 2e-5, 0.0),
        (4, 1.0 - np.geomspace(1e-6, 1.0, 20_001), lambda x: -np.log1p(-x), 1e-5, 0.0),
        (4, np.geomspace(1e-20, 0.9, 20_001), lambda x: -np.log1p(-x), 1e-5, 0.0),
        (5, np.linspace(-1.0, 2.0, 20_001), lambda x: np.cos(2 * np.pi * x), 0.0, 4e-7),
        (6, np.linspace(-1.0, 2.0, 20_001), lambda x: np.sin(2 * np.pi * x), 0.0, 4e-7),
        # Near none and near half a turn a sine keeps its digits.
        (6, np.geomspace(1e-20, 1e-3, 5_001), lambda x: np.sin(2 * np.pi * x), 4e-7, 0.0),
        (7, np.concatenate([np.linspace(-5.0, 5.0, 10_001), [-2.0e9, 2.0e9, -1e-30, 0.0]]), np.floor, 0.0, 0.0),
    ],
    ids=["exp", "log2", "arctan", "one minus exp", "depth near all", "depth", "cosine", "sine", "small sine", "floor"],
)
def test_short_functions_keep_to_the_errors_they_state(kind, x, true, relative, absolute):
    x = x.astype(np.float32)
    out = np.empty_like(x)
    _elementary(kind, x, out)
    expected = true(x.astype(float))
    assert (np.abs(out - expected) <= relative * np.abs(expected) + absolute + 1e-7 * np.abs(expected)).all()


def test_angles_of_points_keep_their_digits_on_either_side():
    turn = np.concatenate([np.geomspace(1e-12, 1.0, 5_000), np.linspace(0.0, np.pi, 5_001)])
    points = (np.stack([np.cos(turn), np.sin(turn)], -1) * np.geomspace(1e-3, 1e4, len(turn))[:, None]).astype(
        np.float32
    )
    out = np.empty(len(points), np.float32)
    _angles(points, out)
    true = np.arctan2(points[:, 1].astype(float), points[:, 0].astype(float))
    assert (np.abs(out - true) <= 4e-6 * true + 1e-12).all()


def test_the_short_exponential_is_held_at_its_ends():
    x = np.array([-1e9, -200.0, 200.0], np.float32)
    out = np.empty_like(x)
    _elementary(0, x, out)
    assert np.isfinite(out).all()
    assert out[0] < 1e-37
    assert out[2] > 1e37
