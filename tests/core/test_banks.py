"""Banks, stretches and patches: exact depths, fields of mean one, draws that stay fair."""

import math

import attrs
import numba as nb
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats
from scipy.integrate import quad

from lunar_haze.core.air import kernels
from lunar_haze.core.air.banks import BANK_KINDS
from lunar_haze.core.air.medium import Bank, Medium, Patches, Stretch, optical_depth
from lunar_haze.core.air.patches import CELLS, PATCH_CELLS, STEP, field_of, look_up, patchiness, tile
from lunar_haze.core.transport.air_draw import draw_distance, scattered_direction
from lunar_haze.core.transport.lights import pack_lights
from tests.places import WHITE, floor, place_of

f32 = np.float32
NAMES = list(BANK_KINDS)
CLEAR_FOG = Medium()
_around = st.floats(-12, 12, width=32)
points = st.tuples(_around, _around, st.floats(-2, 9, width=32)).map(np.array)
banks = st.builds(
    Bank,
    kind=st.sampled_from(NAMES),
    centre=st.tuples(st.floats(-5, 5), st.floats(-5, 5), st.floats(0, 4)),
    size=st.tuples(*[st.floats(0.5, 14)] * 3),
    turn_deg=st.floats(-180, 180),
    visibility_m=st.floats(2, 80),
    softness=st.floats(0, 1),
)


def _extinction(medium, p):
    return float(kernels.extinction(medium.pack(), f32(p[0]), f32(p[1]), f32(p[2])))


def _by_steps(medium, a, b, count=20_000):
    t = (np.arange(count) + 0.5) / count
    return np.mean([_extinction(medium, a + s * (b - a)) for s in t]) * np.linalg.norm(b - a)


@settings(max_examples=25)
@given(banks, points, points)
def test_the_depth_of_a_bank_is_the_integral_of_its_extinction(bank, a, b):
    medium = Medium(banks=(bank,))
    truth = _by_steps(medium, a, b, 3000)
    assert float(optical_depth(medium, a, b)) == pytest.approx(truth, rel=4e-3, abs=2e-3)


def test_the_depth_straight_through_each_kind_is_in_closed_form():
    sigma = 3.912 / 10.0
    for soft in (0.0, 0.4, 1.0):
        through = {
            # Two ramps of the soft edge, each worth half its length.
            "box": 6.0 * (1 - soft / 2),
            "cylinder": 6.0 * _along_square(soft),
            "ellipsoid": 6.0 * _along_square(soft),
        }
        for kind, length in through.items():
            medium = Medium(banks=(Bank("b", kind, (1.0, 2.0, 3.0), (6.0, 4.0, 4.0), 0.0, 10.0, soft),))
            depth = float(optical_depth(medium, np.array([-20.0, 2, 3]), np.array([20.0, 2, 3])))
            assert depth == pytest.approx(sigma * length, rel=1e-3), (kind, soft)


def test_a_wedge_grows_along_its_length_and_holds_half_of_a_box():
    """From end to end it has half the depth of a box; crossways as much as where it is crossed."""
    box, wedge = (
        Medium(banks=(Bank("b", kind, (0.0, 0.0, 0.0), (8.0, 4.0, 4.0), 0.0, 10.0, 0.3),)) for kind in ("box", "wedge")
    )
    a, b = np.array([-20.0, 0, 0]), np.array([20.0, 0, 0])
    assert float(optical_depth(wedge, a, b)) == pytest.approx(0.5 * float(optical_depth(box, a, b)), rel=1e-3)
    for x in (-2.0, 0.0, 2.0):
        a, b = np.array([x, -20.0, 0]), np.array([x, 20.0, 0])
        share = 0.5 * (1 + x / 4.0)
        assert float(optical_depth(wedge, a, b)) == pytest.approx(share * float(optical_depth(box, a, b)), rel=1e-3)


def _along_square(soft):
    """Mean of min((1 - r^2) / (1 - core^2), 1) over r in 0..1."""
    core = 1 - max(soft, 1e-3)
    return core + (1 - core - (1 - core**3) / 3) / (1 - core**2)


def test_turning_a_bank_is_turning_the_ray_the_other_way():
    bank = Bank("b", "box", (0.0, 0.0, 0.0), (8.0, 2.0, 2.0), 0.0, 10.0, 0.3)
    turned = attrs.evolve(bank, turn_deg=30.0)
    a, b = np.array([-9.0, 0.3, 0.1]), np.array([9.0, -0.2, 0.2])
    c, s = math.cos(math.radians(30)), math.sin(math.radians(30))
    spin = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
    here = float(optical_depth(Medium(banks=(bank,)), a, b))
    assert float(optical_depth(Medium(banks=(turned,)), spin @ a, spin @ b)) == pytest.approx(here, rel=1e-4)


def test_banks_and_fog_add_up():
    fog = Medium(visibility_m=60.0, fall_off_m=4.0)
    one, two = Bank("1", centre=(0.0, 0.0, 1.0)), Bank("2", "box", (3.0, 1.0, 2.0), (4.0, 4.0, 4.0))
    a, b = np.array([-9.0, -1, 0.5]), np.array([9.0, 3, 2.5])
    parts = sum(float(optical_depth(m, a, b)) for m in (fog, Medium(banks=(one,)), Medium(banks=(two,))))
    assert float(optical_depth(attrs.evolve(fog, banks=(one, two)), a, b)) == pytest.approx(parts, rel=1e-5)


@pytest.mark.parametrize("size", [(0.0, 4.0, 4.0), (4.0, 0.0, 4.0), (0.0, 0.0, 0.0)])
@pytest.mark.parametrize("kind", NAMES)
def test_a_bank_of_no_size_is_clear_air(kind, size):
    medium = Medium(banks=(Bank("b", kind, size=size),))
    assert medium.is_clear
    assert float(optical_depth(medium, np.array([-9.0, 0, 1]), np.array([9.0, 0, 1]))) == 0.0


@settings(max_examples=25)
@given(st.floats(0, 12), st.floats(1, 12), st.floats(0.1, 6), points, points)
def test_a_stretch_takes_mist_away_before_and_after_it(begins, longer, fades, a, b):
    stretch = Stretch(begins, begins + longer, fades)
    fog = Medium(visibility_m=30.0, fall_off_m=5.0, banks=(Bank("b", centre=(0.0, 0.0, 2.0)),), stretch=stretch)
    medium = fog.before_lens((-6.0, 0.0, 2.0), (1.0, 0.0, 0.0), 0.0)
    assert float(optical_depth(medium, a, b)) == pytest.approx(_by_steps(medium, a, b, 3000), rel=6e-3, abs=3e-3)
    if begins > fades:
        near = (-6.0 + 0.9 * (begins - fades), 0.0, 2.0)
        assert _extinction(medium, near) == 0.0
    assert _extinction(medium, (-6.0 + begins + longer / 2, 1.0, 2.0)) == pytest.approx(
        _extinction(attrs.evolve(fog, stretch=Stretch()), (-6.0 + begins + longer / 2, 1.0, 2.0)), rel=1e-4
    )


def test_what_makes_no_difference_before_a_lens_leaves_equal_air():
    medium = Medium(visibility_m=100.0)
    assert medium.before_lens((1.0, 2.0, 3.0), (0.0, 1.0, 0.0), 4.0) == medium
    still = attrs.evolve(medium, patches=Patches(contrast=0.5, speed_m_s=0.0))
    assert still.before_lens((0.0, 0.0, 0.0), (0.0, 1.0, 0.0), 1.0) == still.before_lens(
        (0.0, 0.0, 0.0), (0.0, 1.0, 0.0), 2.0
    )


@nb.njit
def _patchiness_at(m, places, out):
    for i in range(places.shape[0]):
        out[i] = patchiness(m, places[i, 0], places[i, 1], places[i, 2])


@nb.njit
def _first_factor(m, places, out):
    field = field_of(m)
    for i in range(places.shape[0]):
        out[i] = look_up(field, places[i, 0], places[i, 1], places[i, 2]) * m[STEP]


def _factor(medium, cells):
    """One of the two factors of patchiness, at places in cells."""
    out = np.empty(len(cells), np.float32)
    _first_factor(medium.pack(), cells.astype(np.float32), out)
    return out


def _field(medium, places):
    out = np.empty(len(places), np.float32)
    _patchiness_at(medium.pack(), places.astype(np.float32), out)
    return out


@pytest.mark.parametrize("contrast", [0.2, 0.7, 1.2])
def test_patches_have_mean_one_and_the_contrast_that_is_told(contrast):
    medium = Medium(50.0, patches=Patches(contrast, 6.0, 2.0))
    places = np.random.default_rng(2).uniform(-300, 300, (60_000, 3))
    densities = _field(medium, places)
    assert densities.min() > 0
    assert densities.mean() == pytest.approx(1.0, abs=0.02)
    # Looked up between its cells a field loses a little of its contrast.
    assert densities.std() == pytest.approx(contrast, rel=0.13)


def test_patches_are_as_large_and_as_flat_as_told():
    places = np.random.default_rng(3).uniform(-300, 300, (40_000, 3))

    def alike(size, stretch, step):
        medium = Medium(50.0, patches=Patches(0.6, size, stretch))
        return np.corrcoef(_field(medium, places), _field(medium, places + step))[0, 1]

    # Half a patch away it is another patch; a tenth away the same.
    for size in (3.0, 12.0):
        assert alike(size, 1.0, np.array([0.08 * size, 0, 0])) > 0.8
        assert alike(size, 1.0, np.array([0.5 * size, 0, 0])) < 0.2
    assert alike(8.0, 4.0, np.array([0, 0, 1.0])) == pytest.approx(alike(8.0, 4.0, np.array([4.0, 0, 0])), abs=0.15)


def test_the_field_repeats_without_a_seam():
    field = tile(5, 0.8)
    assert field.shape == (CELLS,) * 3
    steps = np.abs(np.diff(field, axis=0)).mean()
    assert np.abs(field[0] - field[-1]).mean() == pytest.approx(steps, rel=0.15)
    assert CELLS % PATCH_CELLS == 0
    assert (tile(5, 0.8) != tile(6, 0.8)).any()


def test_the_field_is_looked_up_as_it_was_made():
    patches = Patches(0.8, float(PATCH_CELLS), 1.0, seed=5)
    cells = np.random.default_rng(9).integers(-3 * CELLS, 3 * CELLS, (500, 3))
    found = _factor(Medium(50.0, patches=patches), cells.astype(float))
    x, y, z = (cells % CELLS).T
    assert found == pytest.approx(tile(5, 0.8)[z, y, x], rel=2e-3, abs=2e-4)


def test_patches_drift_with_the_wind_and_change_as_they_go():
    patches = Patches(0.6, 6.0, 1.0, speed_m_s=2.0, bearing_deg=270.0)  # a west wind: towards +x
    at_start, later = (Medium(50.0, patches=attrs.evolve(patches, drifted_s=s)) for s in (0.0, 1.0))
    places = np.random.default_rng(4).uniform(-200, 200, (30_000, 3))
    carried = np.corrcoef(_field(at_start, places), _field(later, places + np.array([2.0, 0, 0])))[0, 1]
    stayed = np.corrcoef(_field(at_start, places), _field(later, places))[0, 1]
    assert carried > 0.85 > stayed + 0.3


def test_patchy_depth_is_the_sum_of_what_is_there():
    medium = Medium(20.0, fall_off_m=30.0, patches=Patches(0.7, 6.0, 1.5))
    rng = np.random.default_rng(6)
    a, b = rng.uniform(-9, 9, (60, 3)), rng.uniform(-9, 9, (60, 3))
    found = optical_depth(medium, a, b)
    truth = np.array([_by_steps(medium, *ends, count=2000) for ends in zip(a, b)])
    # In steps of a sixth of a patch, from a start that differs from ray to ray: a little grain, no lean to one side.
    assert np.sqrt(np.mean((found - truth) ** 2)) < 0.04 * truth.mean()
    assert (found / truth).mean() == pytest.approx(1.0, abs=0.012)


def _mean_weight(medium, a, d, far, count=6000):
    lights = pack_lights([], place_of((floor(10.0), WHITE)), np.arange(2))
    packed = medium.pack()
    rng = np.random.default_rng(7)
    weights = [
        draw_distance(
            lights, packed, np.int64(-1), tuple(f32(c) for c in (*a, *d)), f32(far), f32(rng.random()),
            f32(rng.random()),
        )[1]
        for _ in range(count)
    ]  # fmt: skip
    return np.mean(weights), np.std(weights) / math.sqrt(count)


@pytest.mark.parametrize(
    "medium",
    [
        Medium(30.0, fall_off_m=6.0),
        Medium(banks=(Bank("b", centre=(9.0, 0.0, 1.0)), Bank("c", "box", (20.0, 1.0, 1.0), (3.0, 6.0, 3.0)))),
        Medium(60.0, patches=Patches(0.9, 4.0)),
        Medium(60.0, stretch=Stretch(6.0, 14.0, 3.0, (0.0, 0.0, 1.0), (1.0, 0.0, 0.0))),
    ],
    ids=["fog", "banks", "patches", "stretch"],
)
def test_what_is_drawn_along_a_ray_adds_up_to_what_is_scattered(medium):
    a, far = np.array([0.0, 0.0, 1.0]), 40.0
    ratios = []
    for side in np.linspace(-0.06, 0.06, 6):
        d = np.array([1.0, side, 0.03])
        d /= np.linalg.norm(d)
        scattered = 1 - math.exp(-_by_steps(medium, a, a + far * d, 2000))
        mean, error = _mean_weight(medium, a, d, far, 2000)
        assert error < 0.05 * scattered
        ratios.append(mean / scattered)
    assert np.mean(ratios) == pytest.approx(1.0, abs=0.02)


@nb.njit
def _scattered_cosines(m, count):
    out = np.empty(count, np.float32)
    dx, dy, dz = np.float32(0.36), np.float32(-0.48), np.float32(0.8)
    for i in range(count):
        lx, ly, lz = scattered_direction(m, dx, dy, dz, np.uint32(77), 3, i)
        out[i] = lx * dx + ly * dy + lz * dz
    return out


@pytest.mark.parametrize(
    "medium",
    [
        *(Medium(50.0, anisotropy=g) for g in (-0.9, -0.4, 0.0, 0.6, 0.95)),
        *(Medium(50.0, droplet_um=d) for d in (5.0, 12.0, 40.0)),
    ],
    ids=lambda m: f"{m.anisotropy}" if m.droplet_um == 0 else f"{m.droplet_um} um",
)
def test_directions_are_drawn_by_the_phase_function(medium):
    from lunar_haze.core.air.phase import medium_phase

    count = 40_000
    cosines = _scattered_cosines(medium.pack(), count)
    packed = medium.pack()
    # Bins of equal chance, found from the density itself.
    grid = np.cos(np.concatenate([math.pi - np.geomspace(1e-3, 1.5, 500), np.geomspace(1.6, 1e-5, 2500), [0.0]]))
    grid[0] = -1.0
    density = np.array([float(medium_phase(packed, f32(c))) for c in grid])
    chance = np.concatenate([[0], np.cumsum(0.5 * (density[1:] + density[:-1]) * np.diff(grid) * 2 * math.pi)])
    assert chance[-1] == pytest.approx(1.0, abs=5e-3)
    edges = np.interp(np.linspace(0, 1, 41), chance / chance[-1], grid)
    edges[0], edges[-1] = -1.001, 1.001
    # Straight ahead float32 cannot tell directions apart: the narrowest bins count as one.
    wide = np.concatenate([[True], np.diff(edges[1:-1]) > 3e-5, [True, True]])
    edges = edges[: len(wide)][wide]
    shares = np.diff(np.interp(np.clip(edges, -1, 1), grid, chance / chance[-1]))
    seen, _ = np.histogram(cosines, edges)
    assert stats.chisquare(seen, shares * seen.sum()).pvalue > 1e-4


@pytest.mark.parametrize("g", [-0.99, 0.99])
def test_extreme_phases_send_light_straight_back_or_on(g):
    cosines = _scattered_cosines(Medium(50.0, anisotropy=g).pack(), 4000)
    assert np.isfinite(cosines).all()
    assert cosines.mean() == pytest.approx(g, abs=0.01)


def test_depths_come_in_any_shape_and_zero_length_is_no_depth():
    medium = Medium(50.0, banks=(Bank("b"),))
    a = np.zeros((2, 3, 3))
    assert optical_depth(medium, a, a + 1).shape == (2, 3)
    assert (optical_depth(medium, a, a) == 0).all()


def test_the_depth_of_height_fog_by_quadrature():
    medium = Medium(visibility_m=80.0, base_m=1.0, fall_off_m=3.0, top_m=20.0)
    for a, b in (((0, 0, 0.2), (30, 4, 0.9)), ((0, 0, 0.2), (12, 0, 15.0)), ((0, 0, 40.0), (60, 0, -3.0))):
        a, b = np.array(a, float), np.array(b, float)

        def sigma(t, a=a, b=b):
            z = a[2] + t * (b[2] - a[2])
            return 0.0 if z > 20 else medium.extinction_per_m * math.exp(-max(z - 1.0, 0) / 3.0)

        kinks = [(z - a[2]) / (b[2] - a[2]) for z in (1.0, 20.0) if 0 < (z - a[2]) / (b[2] - a[2]) < 1]
        truth = quad(sigma, 0, 1, points=kinks or None, limit=300)[0] * np.linalg.norm(b - a)
        assert float(optical_depth(medium, a, b)) == pytest.approx(truth, rel=1e-3)
