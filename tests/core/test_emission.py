"""Sources as rays find them: what is sampled, with which density, and what is met by chance must agree."""

import math

import attrs
import numba as nb
import numpy as np
import pytest

from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.model import Material
from lunar_haze.core.sky.dome import dome_map
from lunar_haze.core.sky.lat_long import bearing_of, direction_of, illuminance_lx
from lunar_haze.core.sky.model import CLOUDS, ClearSky, Gradient
from lunar_haze.core.sources.cutouts import CutOut
from lunar_haze.core.sources.distribution import Distribution
from lunar_haze.core.sources.model import Ball, Beam, Disc, IesLamp, Rectangle, Sky, Sun, Surface, Tube
from lunar_haze.core.transport.borrow import borrow_lights, borrow_scene
from lunar_haze.core.transport.emission import lamp_hit, sample_light
from lunar_haze.core.transport.heaven_light import sky_radiance
from lunar_haze.core.transport.lights import Lit, pack_lights
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.transport.source_row import AREA, AXIS, COLUMNS, KIND, RADIANCE, SIDE, SUN, UP
from lunar_haze.core.transport.view import pack_view
from tests.places import WHITE, floor, place_of
from tests.places import quad as face

LAMP = Material("lamp", (0.0, 0.0, 0.0), 0.0, 1.0, emissive=(2.0, 1.0, 0.5), double_sided=False)
PANEL = face([(-0.5, -0.4, 3.0), (-0.5, 0.4, 3.0), (0.5, 0.4, 3.0), (0.5, -0.4, 3.0)])
PLACE = PackedPlace(place_of((floor(), WHITE), (PANEL, LAMP)))
#: Brightest at 30 degrees from the nadir, and to one side.
LOBED = Distribution(
    "lobed", (0.0, 30.0, 60.0, 90.0), (0.0, 90.0, 180.0),
    (80.0, 120.0, 60.0, 0.0, 80.0, 90.0, 30.0, 0.0, 80.0, 50.0, 10.0, 0.0),
)  # fmt: skip
LAMPS = [
    pytest.param(Ball((0.3, 0.2, 2.0), 0.3), id="ball"), pytest.param(Disc((0, 0, 2.5), (0.5, 0, 0), 0.5), id="disc"),
    pytest.param(Rectangle((0.4, 0, 2.0), (0, 0.6, 0), 1.2, 0.5), id="rectangle"),
    pytest.param(Beam((0, 0, 3.0), (0.4, 0.2, 0), 0.15, 50.0, 0.5), id="beam"),
    pytest.param(Tube((0.2, 0.3, 2.0), 1.2, 0.08, 70.0, 15.0), id="tube"),
    pytest.param(IesLamp((0.3, 0, 2.0), (0.6, 0.4, 0), 0.2, 30.0, LOBED), id="photometric"),
    pytest.param(Ball((0.3, 0.2, 2.0), 0.3, reach_m=4.0), id="ball of some reach"),
    pytest.param(
        Beam((0, 0, 3.0), (0.4, 0.2, 0), 0.15, 50.0, 0.5, (0.5, 0.0, 0.0, 0.4), CutOut("ragged holes", 5.0), 0.8),
        id="beam through a gate",
    ),
]  # fmt: skip


@nb.njit
def _samples(s, lights, number, point, numbers, out):
    s, lights = borrow_scene(s), borrow_lights(lights)
    for k in range(numbers.shape[0]):
        found = sample_light(s, lights, number, point[0], point[1], point[2], numbers[k, 0], numbers[k, 1])
        for i in range(8):
            out[k, i] = found[i]


@nb.njit
def _hits(lights, number, point, directions, out):
    lights = borrow_lights(lights)
    for k in range(directions.shape[0]):
        out[k, 0], out[k, 1], _distance = lamp_hit(
            lights, number, point[0], point[1], point[2], directions[k, 0], directions[k, 1], directions[k, 2],
            np.float32(1e5),
        )  # fmt: skip


@nb.njit
def _sky(lights, directions, out):
    lights = borrow_lights(lights)
    for k in range(directions.shape[0]):
        out[k, 0], out[k, 1], out[k, 2], out[k, 3] = sky_radiance(
            lights, 0, directions[k, 0], directions[k, 1], directions[k, 2]
        )


def packed(*shapes, rows=64):
    return pack_lights([Lit(s) for s in shapes], PLACE.place, PLACE.order, rows)


def sampled(shape, point=(0.0, 0.0, 0.0), count=40_000, seed=1, rows=64):
    """Samples (n, 8): direction, distance, rgb, density."""
    numbers = np.random.default_rng(seed).random((count, 2)).astype(np.float32)
    out = np.empty((count, 8), np.float32)
    _samples(PLACE.arrays, packed(shape, rows=rows), 0, np.array(point, np.float32), numbers, out)
    return out


def hits(shape, directions, point=(0.0, 0.0, 0.0)):
    out = np.empty((len(directions), 2), np.float32)
    _hits(packed(shape), 0, np.array(point, np.float32), np.ascontiguousarray(directions, np.float32), out)
    return out


def irradiance_of(samples):
    """Estimate [lx] on a surface facing up, from samples."""
    good = samples[:, 7] > 0
    value = np.where(good, samples[:, 4] * np.maximum(samples[:, 2], 0) / np.where(good, samples[:, 7], 1.0), 0.0)
    return float(value.astype(float).mean())


@pytest.mark.parametrize("shape", LAMPS)
def test_what_is_sampled_is_met_with_the_same_radiance_and_density(shape):
    found = sampled(shape, count=3000)
    good = found[:, 7] > 0
    assert good.mean() > 0.95
    met = hits(shape, found[good, :3])
    assert (met[:, 1] > 0).mean() > 0.99, "a ray along a sample meets the lamp, but for its very rim"
    seen = met[:, 1] > 0
    assert met[seen, 0] == pytest.approx(found[good][seen, 4], rel=2e-3, abs=float(1e-3 * found[:, 4].max()))
    # At the very rim of a tube the cosine is lost to rounding.
    off = np.abs(met[seen, 1] / found[good][seen, 7] - 1)
    assert np.quantile(off, 0.995) < 5e-3


@pytest.mark.parametrize("shape", LAMPS)
def test_densities_integrate_to_one_over_what_is_met(shape):
    """A cone of even directions about the lamp: the mean of its density times the cone is one."""
    towards = np.array(shape.position, float)
    half = 0.9
    rng = np.random.default_rng(3)
    z = 1 - rng.random(400_000) * (1 - math.cos(half))
    a = rng.random(len(z)) * 2 * math.pi
    axis = towards / np.linalg.norm(towards)
    side = np.cross(axis, (1.0, 0.0, 0.0))
    side /= np.linalg.norm(side)
    flat = np.sqrt(1 - z * z)
    directions = (
        z[:, None] * axis + (flat * np.cos(a))[:, None] * side + (flat * np.sin(a))[:, None] * np.cross(axis, side)
    )
    density = hits(shape, directions)[:, 1].astype(float)
    total = density.mean() * 2 * math.pi * (1 - math.cos(half))
    grain = density.std() / math.sqrt(len(density)) * 2 * math.pi * (1 - math.cos(half))
    assert total == pytest.approx(1.0, abs=4 * grain + 0.01)


@pytest.mark.parametrize("shape", LAMPS)
def test_sampling_and_chance_estimate_the_same_light(shape):
    by_lamp = irradiance_of(sampled(shape))
    rng = np.random.default_rng(4)
    u, a = rng.random(600_000), rng.random(600_000) * 2 * math.pi
    directions = np.stack([np.sqrt(u) * np.cos(a), np.sqrt(u) * np.sin(a), np.sqrt(1 - u)], -1)
    values = hits(shape, directions)[:, 0].astype(float) * math.pi
    grain = values.std() / math.sqrt(len(values))
    assert by_lamp == pytest.approx(values.mean(), abs=4 * grain + 0.005 * by_lamp)


def test_distances_end_on_the_lamp():
    for shape, tolerance in ((Ball((0.3, 0.2, 2.0), 0.3), 2e-3), (Disc((0, 0, 2.5), (0.5, 0, 0), 0.5), 2e-3)):
        found = sampled(shape, count=500).astype(float)
        ends = found[:, :3] * found[:, 3:4]
        apart = np.linalg.norm(ends - np.array(shape.position), axis=1)
        if isinstance(shape, Ball):
            assert apart == pytest.approx(np.full(500, shape.radius_m), abs=tolerance), "on the near side of the ball"
        else:
            assert apart.max() <= shape.radius_m + tolerance


def test_a_lamp_gives_nothing_backwards_or_from_within():
    behind = sampled(Disc((0, 0, -2.0), (0, 0, -4.0), 0.5), count=200)
    assert not behind[:, 4:7].any()
    inside = sampled(Ball((0, 0, 0), 1.0), count=200)
    assert not inside[:, 7].any()
    away = hits(Disc((0, 0, 2.0), (0, 0, 4.0), 0.5), [[0.0, 0.0, 1.0]])
    assert not away.any()


def test_a_beam_ends_softly_at_its_edge():
    shape = Beam((0, 0, 10.0), (0, 0, 0), 0.02, 40.0, 0.5)
    inner, outer = shape.half_angles_rad()
    peak = shape.radiance_per_lumen()
    for angle, share in ((0.0, 1.0), (inner * 0.98, 1.0), ((inner + outer) / 2, None), (outer * 1.02, 0.0)):
        aside = 10.0 * math.tan(angle)
        level = sampled(shape, (aside, 0.0, 0.0), 400)[:, 4].mean() / peak
        if share is None:
            assert 0.3 < level < 0.7
        else:
            assert level == pytest.approx(share, abs=0.02)


def test_a_glowing_panel_is_sampled_over_its_whole_area_and_colour():
    found = sampled(Surface("lamp"), count=20_000)
    good = found[:, 7] > 0
    assert good.mean() > 0.99
    ends = (found[good, :3] * found[good, 3:4]).astype(float)
    assert ends[:, 2] == pytest.approx(np.full(good.sum(), 3.0), abs=2e-3)
    for axis, half in ((0, 0.5), (1, 0.4)):
        assert ends[:, axis].min() == pytest.approx(-half, abs=0.01)
        assert ends[:, axis].max() == pytest.approx(half, abs=0.01)
        assert ends[:, axis].mean() == pytest.approx(0.0, abs=0.01)
    assert found[good, 4].mean() > found[good, 5].mean() > found[good, 6].mean()
    with pytest.raises(Exception, match="nothing in the place wears"):
        packed(Surface("absent"))


# -- sun, moon, sky ----------------------------------------------------------------------------------------


def test_the_suns_disc_is_even_and_gives_its_lux():
    sun = Sun(40.0, 120.0, 0.53)
    found = sampled(sun, count=4000).astype(float)
    towards = np.array(sun.towards())
    # 1 - cos from the chord, since float32 cosines cannot tell a quarter of a degree.
    apart = np.degrees(np.linalg.norm(found[:, :3] - towards, axis=1))
    assert apart.max() == pytest.approx(0.265, abs=0.003)
    assert np.median(apart) == pytest.approx(0.265 / math.sqrt(2), rel=0.03), "even over the disc"
    facing = (found[:, 4] / found[:, 7]).mean()
    assert facing == pytest.approx(1.0, rel=1e-3)


@pytest.mark.parametrize("phase", [0.0, 60.0, 90.0, 135.0])
def test_a_moon_of_any_phase_gives_its_lux_from_its_lit_side(phase):
    moon = Sun(40.0, 120.0, 0.53, False, "moon", phase, 30.0)
    found = sampled(moon, count=40_000).astype(float)
    assert (found[:, 4] / found[:, 7]).mean() == pytest.approx(1.0, rel=0.02)
    row = packed(moon).rows[0].astype(float)
    lit = found[:, 4] > 0.5 * found[:, 4].max()
    assert lit.mean() == pytest.approx(0.5 * (1 + math.cos(math.radians(phase))), abs=0.02)
    if phase:
        bright = (found[lit, :3] - np.array(moon.towards())) @ row[SIDE : SIDE + 3]
        assert bright.mean() > 0.0, "the light lies on the side of the bright limb"


def test_rows_hold_right_handed_frames():
    for shape in (
        Sun(20.0, 300.0),
        Sun(20.0, 300.0, 0.5, False, "moon", 70.0, 200.0),
        *(p.values[0] for p in LAMPS[1:]),
    ):
        row = packed(shape).rows[0].astype(float)
        assert len(row) == COLUMNS
        axis, side, up = (row[i : i + 3] for i in (AXIS, SIDE, UP))
        assert np.stack([side, up, axis]) @ np.stack([side, up, axis]).T == pytest.approx(np.eye(3), abs=1e-5)
    assert int(packed(Sun()).rows[0, KIND]) == SUN
    assert packed(Rectangle()).rows[0, AREA] == pytest.approx(1.2 * 0.8)


def test_clouds_weaken_the_sun_by_their_patches_alone():
    layer = attrs.evolve(CLOUDS["broken"][0], size_m=200.0)
    clear, under = Sun(50.0, 180.0, follows_hour=False), Sun(50.0, 180.0, follows_hour=False, clouds=(layer,))
    full = packed(clear).rows[0, RADIANCE]
    shares = []
    for east in np.linspace(0.0, 1600.0, 60):
        found = sampled(under, (east, 10.0, 0.0), 40)
        shares.append(float(found[:, 4].mean() / full))
    assert min(shares) < 0.1
    assert max(shares) > 0.9
    above = sampled(under, (0.0, 0.0, layer.height_m + 100.0), 40)
    assert above[:, 4].mean() == pytest.approx(full, rel=1e-5), "over the clouds the sun is clear"


@pytest.mark.parametrize(
    "dome", [ClearSky(15.0, 70.0), ClearSky(-8.0, 200.0), Gradient((0.1, 0.2, 0.9), (0.9, 0.8, 0.7))]
)
@pytest.mark.parametrize("rows", [64, 256])
def test_a_sky_is_sampled_by_its_light_and_integrates_to_it(dome, rows):
    """Of a map of 256 rows a coarser table is drawn from: the light is still the map's."""
    shape = Sky(dome, follows_hour=False)
    found = sampled(shape, count=60_000, rows=rows).astype(float)
    weight = 1.0 / found[:, 7]
    rgb = (found[:, 4:7] * np.maximum(found[:, 2], 0)[:, None] * weight[:, None]).mean(0)
    lux = float(rgb @ np.array([0.2722287168, 0.6740817658, 0.0536895174]))
    assert lux == pytest.approx(illuminance_lx(dome_map(dome, rows, 2 * rows)), rel=0.01)
    # Densities over all directions: the mean of 1 / density is the whole sphere.
    assert weight.mean() == pytest.approx(4 * math.pi, rel=0.03)
    values = np.zeros((len(found), 4), np.float32)
    _sky(packed(shape, rows=rows), np.ascontiguousarray(found[:, :3], np.float32), values)
    assert values[:, :3] == pytest.approx(found[:, 4:7], rel=1e-3, abs=1e-6)
    # Between two cells of the table rounding may tell the density of either.
    assert np.quantile(np.abs(values[:, 3] / found[:, 7] - 1), 0.999) < 1e-3


def test_a_sky_looks_as_its_map_does():
    dome = ClearSky(15.0, 70.0)
    picture = dome_map(dome, 64, 128)
    directions = np.array(
        [direction_of(a, z) for a, z in ((60.0, 10.0), (30.0, 200.0), (5.0, 70.0), (80.0, 300.0))], np.float32
    )
    out = np.zeros((4, 4), np.float32)
    _sky(packed(Sky(dome)), directions, out)
    for direction, value in zip(directions, out):
        altitude, azimuth = bearing_of(direction)
        row, column = int((90.0 - altitude) / 180.0 * 64), int(azimuth / 360.0 * 128)
        around = picture[max(row - 1, 0) : row + 2, max(column - 1, 0) : column + 2].reshape(-1, 3)
        assert (value[:3] >= around.min(0) * 0.98).all()
        assert (value[:3] <= around.max(0) * 1.02).all()


def test_a_sky_that_lights_nothing_is_never_sampled():
    found = sampled(Sky(ClearSky(20.0, 0.0), lights=False), count=50)
    assert not found[:, 4:].any()


def test_a_view_is_packed_with_its_own_axes():
    from lunar_haze.core.layers.model import View

    camera = Camera((1.0, 2.0, 3.0), (4.0, 6.0, 3.5), 35.0)
    row = pack_view(View(camera, 320, 180)).astype(float)
    assert row[:3] == pytest.approx((1.0, 2.0, 3.0))
    axes = row[3:12].reshape(3, 3)
    assert axes @ axes.T == pytest.approx(np.eye(3), abs=1e-6)
    assert row[12:] == pytest.approx((camera.tan_half_width, 320.0, 180.0, 0.0, math.sqrt(25.25)))
