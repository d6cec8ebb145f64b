"""Lightning in the sky: a cloud that glows and a channel below it, as light and as it is seen."""

import math

import attrs
import numpy as np
import pytest

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.layers.model import View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sky.dome import dome_map, dome_radiance, map_behind
from lunar_haze.core.sky.lat_long import direction_of, illuminance_lx, map_directions
from lunar_haze.core.sky.lightning import channel, channel_map, lightning_radiance
from lunar_haze.core.sky.model import ClearSky, Lightning, Weather
from lunar_haze.core.sources.model import Sky
from lunar_haze.core.transport.starfield import bolt_picture, drawn_sky, is_drawn
from tests.places import WHITE, floor, lit, place_of

LUMA = np.array([0.2722287, 0.6740818, 0.0536895])
FLASH = Lightning(azimuth_deg=40.0)
BOLT_AHEAD = Camera((0.0, 0.0, 1.7), tuple((10 * direction_of(12.0, 40.0)).tolist()), 24.0)


def solid_sum(sky_map):
    _directions, solid = map_directions(*sky_map.shape[:2])
    return float(((sky_map @ LUMA) * solid).sum())


@pytest.mark.parametrize("bolt", [0.0, 0.3, 1.0])
def test_the_bolt_has_the_share_of_the_light_that_it_is_told(bolt):
    flash = attrs.evolve(FLASH, bolt=bolt)
    whole = solid_sum(lightning_radiance(flash, 256, 512))
    assert whole == pytest.approx(1.0, rel=1e-3)
    without = solid_sum(lightning_radiance(attrs.evolve(flash, bolt=0.0), 256, 512)) * (1 - bolt)
    assert whole - without == pytest.approx(bolt, abs=2e-3)


def test_its_light_comes_from_where_it_strikes_and_nothing_from_below():
    flash = attrs.evolve(FLASH, bolt=0.0, altitude_deg=30.0)
    radiance = lightning_radiance(flash, 256, 512) @ LUMA
    directions, solid = map_directions(256, 512)
    mean = ((radiance * solid)[..., None] * directions).sum((0, 1))
    assert mean / np.linalg.norm(mean) @ direction_of(30.0, 40.0) > 0.97
    assert radiance[directions[..., 2] < 0].max() == 0.0
    near = attrs.evolve(flash, spread_deg=90.0)
    assert lightning_radiance(near, 64, 128).max() < lightning_radiance(flash, 64, 128).max()


def test_a_map_of_it_puts_one_lux_on_level_ground():
    assert illuminance_lx(dome_map(FLASH)) == pytest.approx(1.0, rel=1e-4)
    assert np.isfinite(dome_radiance(FLASH)).all()


def test_the_channel_hangs_from_the_cloud_to_the_horizon_with_branches():
    towards, light = channel(FLASH)
    altitude = np.degrees(np.arcsin(towards[:, 2]))
    assert light.sum() == pytest.approx(1.0)
    assert altitude.max() < FLASH.altitude_deg + 6.0
    assert altitude[light > 0].min() < 1.0
    np.testing.assert_allclose(np.linalg.norm(towards, axis=1), 1.0, rtol=1e-9)
    # Its trunk gives most of it.
    assert light.max() / light[light > 0].min() > 2.0
    other = channel(attrs.evolve(FLASH, seed=2))[0]
    assert other.shape != towards.shape or not np.allclose(other, towards)
    np.testing.assert_array_equal(channel(attrs.evolve(FLASH))[0], towards)


def test_the_channel_keeps_its_light_in_maps_of_all_sizes():
    for height in (64, 256, 512):
        assert solid_sum(channel_map(FLASH, height, 2 * height)) == pytest.approx(1.0, rel=1e-6)


def test_as_it_is_seen_the_bolt_is_fine_and_gives_what_the_map_gives():
    """Drawn on the picture: the light of the map's channel within the view, where the channel is."""
    view = View(BOLT_AHEAD, 480, 270)
    drawn = bolt_picture(FLASH, view).reshape(270, 480, 3) @ LUMA
    columns, rows = np.meshgrid(np.arange(480) + 0.5, np.arange(270) + 0.5)
    seen = view.camera.directions(columns, rows, 480, 270)
    ahead = seen @ view.camera.axes()[2]
    scale = 480 / (2 * view.camera.tan_half_width)
    solid = ahead**3 / scale**2
    level = FLASH.bolt / illuminance_lx(dome_radiance(FLASH))
    assert (drawn * solid).sum() == pytest.approx(level, rel=0.1)
    # No narrower line could be drawn: it is brighter than the map's by far, and takes light from nothing.
    assert drawn.max() > 3 * level * (channel_map(FLASH, 256, 512) @ LUMA).max()
    assert drawn.min() >= 0.0


def test_the_lens_sees_the_cloud_behind_the_channel_and_both_together_are_the_map():
    whole, behind = dome_map(FLASH), map_behind(FLASH)
    assert behind.min() >= 0.0
    bolt = (whole - behind) @ LUMA
    level = FLASH.bolt / illuminance_lx(dome_radiance(FLASH))
    np.testing.assert_allclose(bolt, level * (channel_map(FLASH, *whole.shape[:2]) @ LUMA), atol=1e-3 * bolt.max())


@pytest.mark.parametrize("visibility_m", [math.inf, 200.0, 20.0])
def test_a_bolt_in_mist_has_no_dark_outline(visibility_m):
    made = lit(place_of((floor(), WHITE)), BOLT_AHEAD, Sky(FLASH), 4, 1, Medium(visibility_m), (96, 54))
    for part in (made.surface, made.air):
        assert part.min() >= 0.0


def test_what_is_finer_than_maps_is_drawn_for_each_sky():
    night = ClearSky(sun_altitude_deg=-30.0)
    assert is_drawn(Sky(FLASH))
    assert is_drawn(Sky(night))
    assert not is_drawn(Sky(FLASH, seen=False))
    assert not is_drawn(Sky(attrs.evolve(FLASH, bolt=0.0)))
    assert not is_drawn(Sky(attrs.evolve(night, weather=Weather(stars=0.0))))
    view = View(Camera((0.0, 0.0, 1.7), (0.0, 8.0, 4.0), 24.0), 64, 36)
    assert drawn_sky(Sky(FLASH), view).shape == drawn_sky(Sky(night), view).shape == (64 * 36, 3)
