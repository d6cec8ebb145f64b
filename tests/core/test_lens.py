"""Stars, ghosts, halation and the dark against closed forms, numerical optics and their papers' figures."""

import math

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from lunar_haze.core.colour.spaces import luminance
from lunar_haze.core.finish.bright import WAVES_MM, bright_part
from lunar_haze.core.finish.dark import finest_seen
from lunar_haze.core.finish.ghosts import (
    _SURFACES,
    _indices,
    ghosts_of_lens,
    lens,
    reflectance,
    spots,
    with_ghosts,
)
from lunar_haze.core.finish.glow import HEIGHT_DEG, glowing, live_scatter
from lunar_haze.core.finish.halation import BASE_MM, FRAME_MM, INDEX, LAYERS, halo, reflected
from lunar_haze.core.finish.live import Finisher
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.pipeline import finished
from lunar_haze.core.finish.scene_light import in_light
from lunar_haze.core.finish.star import bent_beyond, spikes, starred
from lunar_haze.core.finish.values import Aperture, Glow, Grain, Halation


def lamp(height, x=0.5, y=0.5, level=2e4, ground=0.01):
    """One pixel of light at a place in heights, shared among its neighbours as a renderer would."""
    width = height * 16 // 9
    picture = np.full((height, width, 3), ground, np.float32)
    column, row = x * width - 0.5, y * height - 0.5
    i, j = int(math.floor(column)), int(math.floor(row))
    for dj in (0, 1):
        for di in (0, 1):
            share = abs(1 - dj - (row - j)) * abs(1 - di - (column - i))
            picture[j + dj, i + di] += share * level
    return picture


def stars_on(picture, strength, aperture, scale):
    return starred(picture, bright_part(picture, scale), strength, aperture, scale)


def ghosts_on(picture, strength, aperture, tan_half_width, scale):
    return with_ghosts(picture, bright_part(picture, scale), strength, aperture, tan_half_width, scale)


def softened(picture, strength):
    return in_light(picture, Finish(acuity=strength), 1.0, 0.5)


def noisy(picture, strength, seed):
    return in_light(picture, Finish(dark_noise=strength, grain=Grain(seed=seed)), 1.0, 0.5)


# -- stars --------------------------------------------------------------------------------------------


def diffraction(sides, diameter_px=96, size=1024):
    """The share of light by place in frequency (size, size) of a regular polygon about a circle, by a transform."""
    axis = np.arange(size) - size / 2
    x, y = np.meshgrid(axis, axis)
    normals = Aperture(blades=float(sides), turn_deg=0.0).normals
    apothem = diameter_px / 2 * math.cos(math.pi / sides)
    inside = (x[..., None] * normals[:, 0] + y[..., None] * normals[:, 1]).max(-1)
    aperture = np.clip(apothem - inside + 0.5, 0.0, 1.0)
    light = np.abs(np.fft.fftshift(np.fft.fft2(aperture))) ** 2
    return light / light.sum(), axis / size


@pytest.mark.parametrize("sides", [5, 6, 8])
def test_the_light_that_is_bent_far_is_that_of_the_openings_transform(sides):
    light, axis = diffraction(sides)
    frequency = np.hypot(*np.meshgrid(axis, axis))
    # On a sensor the frequency q lies at q times wavelength times focal length; the aperture's diameter is 96 here.
    for q in (0.06, 0.1):
        beyond = light[(frequency > q) & (frequency < 0.4)].sum()
        told = (bent_beyond(Aperture(1.0, sides), 1.0) / (WAVES_MM * 96.0))[1]
        assert beyond == pytest.approx(told * (1 / q - 1 / 0.4), rel=0.15)


@pytest.mark.parametrize("sides", [5, 6])
def test_spikes_lie_where_the_transform_has_them(sides):
    light, axis = diffraction(sides)
    x, y = np.meshgrid(axis, axis)
    far = np.hypot(x, y)
    ring = (far > 0.1) & (far < 0.3)
    ways = spikes(Aperture(blades=float(sides), turn_deg=0.0))
    assert len(ways) == (sides if sides % 2 == 0 else 2 * sides)
    across = np.abs(x[..., None] * ways[:, 1] - y[..., None] * ways[:, 0]).min(-1)
    # An edge as long as this has its light within one over that.
    near = across < 1.0 / (96.0 * math.sin(math.pi / sides))
    assert light[ring & near].sum() > 0.85 * light[ring].sum()
    assert near[ring].mean() < 0.75


@pytest.mark.parametrize("strength", [1.0, 4.0, 30.0, 50.0])
@pytest.mark.parametrize("many", [40, 20_000])
def test_stars_of_any_strength_leave_no_holes_and_make_no_light(strength, many):
    """A few lamps have spikes of their own, a bright sky with lamps before it has them by blocks."""
    picture = np.full((271, 483, 3), 0.2, np.float32)
    if many > 1500:
        picture[60:200, 100:380] = 1.6
    rng = np.random.default_rng(1)
    picture[rng.integers(100, 170, 40), rng.integers(200, 280, 40)] = 200.0
    made = stars_on(picture, strength, Aperture(), 1.0)
    assert (made / picture).min() > 0.19, "no more than four fifths are bent"
    assert 0.99 < made.sum() / picture.sum() < 1.0005


@pytest.mark.parametrize("turn_deg", [3.0, 11.0, 20.0])
def test_a_strong_spike_is_no_row_of_beads(turn_deg):
    picture = np.full((270, 480, 3), 1e-3, np.float32)
    picture[135, 240] = 2000.0
    # One blade's spike, just off the level: it crosses from one row of pixels to the next.
    made = stars_on(picture, 30.0, Aperture(11.0, 4.0, turn_deg), 1.0)[..., 1]
    peaks = made[120:250, 260:340].max(0) * (np.arange(260, 340) - 240.0) ** 2
    assert peaks.max() / peaks.min() < 1.65


def test_stars_take_their_light_from_where_it_comes():
    picture = lamp(180)
    made = stars_on(picture, 1.0, Aperture(), 1.0)
    assert made.sum() == pytest.approx(picture.sum(), rel=2e-3)
    assert made[90, 160, 1] < picture[90, 160, 1]
    far = made - picture
    far[85:96, 155:166] = 0.0
    by_colour = far.sum((0, 1))
    assert by_colour[0] > by_colour[1] > by_colour[2] > 0, "red is bent most"


def test_a_star_is_the_same_share_of_the_frame_at_every_size():
    found = []
    for height in (135, 270, 540):
        # The same lamp: as much light in all, so the more the smaller the pixels.
        picture = lamp(height, level=4e5 * (height / 540) ** 2)
        made = stars_on(picture, 1.0, Aperture(), 1e-1)
        rows, columns = np.mgrid[0:height, 0 : made.shape[1]] + 0.5
        far = np.hypot(rows / height - 0.5, (columns - made.shape[1] / 2) / height)
        ring = (far > 0.03) & (far < 0.1)
        found.append(float((made - picture)[ring].sum()) / float(picture.sum()))
    assert found[0] == pytest.approx(found[2], rel=0.06)
    assert found[1] == pytest.approx(found[2], rel=0.03)


def test_a_lamp_that_moves_by_less_than_a_pixel_keeps_its_star():
    far = []
    for step in np.linspace(0.0, 1.0, 5):
        made = stars_on(lamp(180, 0.5 + step / 320), 1.0, Aperture(), 1.0) - lamp(180, 0.5 + step / 320)
        far.append(float(np.maximum(made[:, :140], 0).sum() + np.maximum(made[:, 182:], 0).sum()))
    assert np.ptp(far) < 0.05 * np.mean(far)


def test_nothing_bright_nothing_changed_and_more_f_number_more_star():
    dim = np.full((40, 60, 3), 0.3, np.float32)
    assert stars_on(dim, 1.0, Aperture(), 1.0) is dim
    assert stars_on(lamp(60), 0.0, Aperture(), 1.0).sum() == lamp(60).sum()
    moved = [
        float(np.maximum(stars_on(lamp(120), 1.0, Aperture(f), 1.0) - lamp(120), 0).sum()) for f in (4.0, 8.0, 16.0)
    ]
    assert moved[0] < moved[1] < moved[2]


def test_many_bright_pixels_have_stars_of_the_same_strength():
    """A block of 80 x 80 is worked out in larger steps; far away most is there of what all in its middle would give,
    though no spike goes on below what is seen."""
    block, point = (np.full((270, 480, 3), 0.01, np.float32) for _ in range(2))
    block[95:175, 200:280] = 50.0
    point[134:136, 239:241] = 50.0 * 1600
    far = [(stars_on(one, 1.0, Aperture(), 1.0) - one)[:, :150].sum() for one in (block, point)]
    assert 0.5 * far[1] < far[0] < 1.2 * far[1]


# -- ghosts -------------------------------------------------------------------------------------------


def test_a_coating_of_a_quarter_wave_reflects_as_its_closed_form():
    for inner in (1.62, 1.5):
        found = reflectance(1.0, inner, WAVES_MM[1])[1]
        assert found == pytest.approx(((inner - 1.38**2) / (inner + 1.38**2)) ** 2, rel=1e-9)
    bare = ((1.62 - 1.0) / (1.62 + 1.0)) ** 2
    assert (reflectance(1.0, 1.62, WAVES_MM[1]) < bare).all()


def traced(pair, height, angle):
    """Where a paraxial ray ends on the sensor that is mirrored at two surfaces: n u' = n u - y (n' - n) / R, by steps."""
    index, (_focal, to_sensor, _whole) = _indices(), lens()
    y, u = height, angle
    at, way, ends, n = 0, 1, [pair[1], pair[0]], 1.0
    while True:
        radius = _SURFACES[at][0]
        if ends and at == ends[0]:
            # A mirror is a surface behind which the index has its sign turned.
            after = -n
            ends.pop(0)
            way = -way
        else:
            after = (index[at + 1] if way > 0 else index[at]) * (1 if way > 0 else -1)
        nu = n * u - y * (after - n) / radius
        n, u = after, nu / after
        if way > 0 and at == len(_SURFACES) - 1:
            return y + to_sensor * u
        gap = _SURFACES[at][1] if way > 0 else -_SURFACES[at - 1][1]
        y, at = y + gap * u, at + way


def test_the_lens_focuses_what_is_far_away():
    focal, to_sensor, whole = lens()
    assert focal > 0
    assert to_sensor > 0
    ends = [whole[0] @ (h, 0.01) + to_sensor * whole[1] @ (h, 0.01) for h in (-0.1, 0.0, 0.1)]
    assert ends == pytest.approx([0.01 * focal] * 3, rel=1e-9)


def test_ghosts_lie_where_rays_end_that_are_mirrored_twice():
    focal, _to_sensor, _whole = lens()
    known = {(round(g.along, 6), round(g.radius, 6)) for g in ghosts_of_lens()}
    assert len(ghosts_of_lens()) == 15
    for i in range(6):
        for j in range(i + 1, 6):
            here, there = traced((i, j), 0.0, 0.01), traced((i, j), 0.02, 0.01)
            across = (there - here) / 0.02
            # The ray through the middle of the aperture, which stands between the second and the third surface.
            index = _indices()

            def at_stop(y, u):
                n = 1.0
                for k in (0, 1):
                    nu = n * u - y * (index[k + 1] - n) / _SURFACES[k][0]
                    n, u = index[k + 1], nu / index[k + 1]
                    y += (_SURFACES[0][1] if k == 0 else _SURFACES[1][1] / 2) * u
                return y

            chief = -at_stop(0.0, 0.01) / at_stop(1.0, 0.0)
            along = traced((i, j), chief, 0.01) / (0.01 * focal)
            assert (round(along, 6), round(abs(across) / 2, 6)) in known


def test_ghosts_hold_the_light_that_is_mirrored_and_lie_on_the_line_through_the_middle():
    # Close to the middle and through a small aperture all ghosts lie in the frame.
    picture = lamp(180, 0.485, 0.485, level=1e9)
    aperture = Aperture(64.0, 6.0)
    seen = ghosts_on(picture, 1.0, aperture, 0.5, 1.0)
    # Taken from the lamp, and none made.
    assert seen.sum((0, 1), dtype=float) == pytest.approx(picture.sum((0, 1), dtype=float), rel=1e-4)
    made = np.maximum(seen - picture, 0.0)
    (spot,) = spots(bright_part(picture, 1.0))
    told = sum(np.array(g.share) for g in ghosts_of_lens()) * spot.light
    assert made.sum((0, 1)) == pytest.approx(told, rel=0.05)
    rows, columns = np.mgrid[0:180, 0:320] + 0.5
    weight = made[..., 1] / made[..., 1].sum()
    along = sum(g.along * g.share[1] for g in ghosts_of_lens()) / sum(g.share[1] for g in ghosts_of_lens())
    assert float((weight * (columns - 160)).sum()) == pytest.approx(along * (spot.x - 160), abs=0.3)
    assert float((weight * (rows - 90)).sum()) == pytest.approx(along * (spot.y - 90), abs=0.3)


def test_a_sky_makes_no_ghosts_and_no_light_none():
    sky = np.full((90, 160, 3), 50.0, np.float32)
    assert np.array_equal(ghosts_on(sky, 100.0, Aperture(), 0.5, 1.0), sky)
    dim = np.full((90, 160, 3), 0.2, np.float32)
    assert ghosts_on(dim, 100.0, Aperture(), 0.5, 1.0) is dim


# -- halation -----------------------------------------------------------------------------------------


def test_all_light_past_total_reflection_comes_back():
    assert reflected(np.array([0.0]))[0] == pytest.approx(((INDEX - 1) / (INDEX + 1)) ** 2)
    assert reflected(np.array([1 / INDEX + 1e-6, 0.9, 0.999])) == pytest.approx(1.0)


def test_a_halo_is_a_ring_that_begins_at_the_angle_of_total_reflection():
    way = 2 * BASE_MM / FRAME_MM
    edge = way * math.tan(math.asin(1 / INDEX))
    assert halo(np.array(edge * 1.001), 1.0) > 3 * halo(np.array(edge * 0.9), 1.0)
    # Over all angles: what a Lambertian layer sends down, weighted by what comes back.
    sine = np.linspace(0.0, 1.0, 200_001)[1:-1]
    light = np.trapezoid(2 * sine * reflected(sine), sine)
    radii = way * np.geomspace(1e-5, 300.0, 400_000)
    assert np.trapezoid(halo(radii, 1.0) * 2 * np.pi * radii, radii) == pytest.approx(light, rel=2e-3)
    assert halo(np.array(2 * edge), 2.0) * 4 == pytest.approx(halo(np.array(edge), 1.0), rel=1e-9)


@pytest.mark.parametrize("glow", [0.0, 0.2])
def test_halation_loses_no_light_and_is_red(glow):
    picture = lamp(180)
    made = glowing(picture, Glow(glow), Halation(0.2))
    assert made.sum((0, 1)) == pytest.approx(picture.sum((0, 1)), rel=1e-3)
    even = np.full((60, 90, 3), 3.0, np.float32)
    assert glowing(even, Glow(glow), Halation(0.5)) == pytest.approx(3.0, rel=1e-4)
    if not glow:
        spread = picture[90, 160] - made[90, 160]
        assert spread / spread[0] == pytest.approx(LAYERS, rel=0.02)


def test_a_live_halo_is_nearly_the_whole_one():
    picture = lamp(432)
    finish = Finish(halation=Halation(0.3))
    whole = glowing(picture, Glow(), finish.halation)
    live = np.repeat(np.repeat(live_scatter(finish, 432)(picture), 2, 0), 2, 1)
    rows, columns = np.mgrid[0:432, 0:768] + 0.5
    far = np.hypot(rows - 216, columns - 384)
    ring = (far > 5) & (far < 25)
    assert live[ring].sum() == pytest.approx(whole[ring].sum(), rel=0.05)


# -- the dark -----------------------------------------------------------------------------------------


@pytest.mark.parametrize(("level", "cycles"), [(1.0, 31.5), (100.0, 47.4), (0.01, 5.3), (0.001, 3.0)])
def test_the_finest_grating_is_the_papers(level, cycles):
    assert finest_seen(np.array(level)) == pytest.approx(cycles, abs=0.3)


def grating(level, cycles_a_degree, height=540):
    x = np.arange(height) / height * 27.0
    wave = 1.0 + 0.5 * np.sin(2 * np.pi * cycles_a_degree * x)
    return np.repeat(np.repeat((level * wave).astype(np.float32)[None, :, None], height, 0), 3, 2)


@pytest.mark.parametrize("level", [0.001, 0.01])
def test_the_finest_grating_that_is_seen_nearly_goes_and_a_coarse_one_stays(level):
    finest = float(finest_seen(np.array(level)))
    for cycles, left in ((finest, (0.03, 0.25)), (finest / 6, (0.85, 1.0))):
        made = softened(grating(level, cycles), 1.0)[270, 100:440, 1]
        assert left[0] <= np.ptp(made) / level <= left[1]


def test_by_day_detail_stays_and_light_is_kept():
    day = grating(200.0, 5.0)
    assert np.ptp(softened(day, 1.0)[270, 100:440, 1]) == pytest.approx(np.ptp(day[270, 100:440, 1]), rel=0.05)
    night = grating(0.002, 1.0)
    assert softened(night, 1.0).mean() == pytest.approx(night.mean(), rel=0.01)
    assert softened(night, 0.0) is night


def test_noise_grows_with_the_root_of_darkness_keeps_the_mean_and_its_seed():
    found = {}
    for level in (0.0025, 0.01, 0.04, 10.0):
        made = noisy(np.full((256, 256, 3), level, np.float32), 1.0, 3)
        assert made.mean() == pytest.approx(level, rel=0.01)
        found[level] = float(made.std() / level)
    assert found[0.01] == pytest.approx(2 * found[0.04], rel=0.05)
    assert found[0.0025] > 1.7 * found[0.01]
    assert found[10.0] == 0.0
    dark = np.full((64, 64, 3), 0.01, np.float32)
    assert np.array_equal(noisy(dark, 1.0, 3), noisy(dark, 1.0, 3))
    assert not np.array_equal(noisy(dark, 1.0, 3), noisy(dark, 1.0, 4))
    assert (noisy(dark, 4.0, 3) >= 0).all()
    assert luminance(noisy(dark, 1.0, 3)).std() > 0


@pytest.mark.parametrize("level", [30.0, 0.3, 3e-3])
@pytest.mark.parametrize("glow", [0.0, 0.1])
def test_the_dark_of_a_live_picture_is_a_stills(level, glow):
    rng = np.random.default_rng(8)
    shade = gaussian_filter(rng.random((450, 800)), 6.0)
    shade = ((shade - shade.min()) / np.ptp(shade) + 0.05)[..., None] ** 3 * np.array([1.0, 0.9, 1.1]) * level
    # Fine stripes in some of it, which an eye may or may not see.
    shade[100:300] *= 1.0 + 0.5 * np.sin(np.arange(800) / 1.2)[None, :, None]
    picture = shade.astype(np.float32)
    dark = Finish(Glow(glow), night=1.0, acuity=1.0, dark_noise=0.5, star=1.0, ghosts=3.0)
    scale = 1.0 / level
    live = Finisher().show(picture, dark, scale, 0.5, dither=False)[..., 2::-1].astype(float)
    still = finished(picture, dark, scale, 0.5) * 255.0
    assert live.mean() == pytest.approx(still.mean(), rel=0.005)
    assert np.percentile(np.abs(live - still), 99) < 3.0


@pytest.mark.parametrize("level", [2e-4, 1e-3, 1e-2, 0.05])
def test_the_finest_grating_that_is_seen_keeps_a_tenth_of_its_contrast(level):
    height, width = 1080, 1024
    cycles_a_pixel = float(finest_seen(np.array(level))) * HEIGHT_DEG / height
    wave = np.cos(2.0 * np.pi * cycles_a_pixel * np.arange(width))
    picture = np.repeat((level * (1.0 + 0.5 * wave)).astype(np.float32)[None, :, None], height, 0).repeat(3, 2)
    line = softened(picture, 1.0)[height // 2, 200:-200, 1]
    kept = (
        2.0 * np.abs(np.mean(line * np.exp(-2j * np.pi * cycles_a_pixel * np.arange(200, width - 200)))) / level / 0.5
    )
    assert kept == pytest.approx(0.1, abs=0.04)


def test_a_live_picture_one_pixel_wide_has_its_glow():
    light = np.full((420, 1, 3), 0.2, np.float32)
    light[200] = 400.0
    finish = Finish(Glow(0.3))
    shown = Finisher().show(light, finish, 1.0, 0.5, dither=False)[..., 2].astype(float)
    still = 255.0 * finished(light, finish, 1.0, 0.5)[..., 0]
    assert np.abs(shown - still).max() < 1.6
