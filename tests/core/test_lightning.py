"""Lightning in the sky: a cloud that glows and a channel below it, as light and as it is seen."""

import attrs
import numpy as np
import pytest

from lunar_haze.core.layers.model import View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sky.dome import dome_map, dome_radiance
from lunar_haze.core.sky.lat_long import direction_of, illuminance_lx, map_directions
from lunar_haze.core.sky.lightning import channel, channel_map, lightning_radiance
from lunar_haze.core.sky.model import ClearSky, Lightning, Weather
from lunar_haze.core.sources.model import Sky
from lunar_haze.core.transport.heaven_light import _sky_at
from lunar_haze.core.transport.starfield import bilinear, bolt_picture, drawn_sky, is_drawn

LUMA = np.array([0.2722287, 0.6740818, 0.0536895])
FLASH = Lightning(azimuth_deg=40.0)


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
    """Drawn on the picture: the light of the map's channel within the view, moved to where the channel is."""
    view = View(Camera((0.0, 0.0, 1.7), tuple((10 * direction_of(12.0, 40.0)).tolist()), 24.0), 480, 270)
    added = bolt_picture(FLASH, view).reshape(270, 480, 3) @ LUMA
    columns, rows = np.meshgrid(np.arange(480) + 0.5, np.arange(270) + 0.5)
    seen = view.camera.directions(columns, rows, 480, 270)
    ahead = seen @ view.camera.axes()[2]
    scale = 480 / (2 * view.camera.tan_half_width)
    solid = ahead**3 / scale**2
    level = FLASH.bolt / illuminance_lx(dome_radiance(FLASH))
    told = level * (bilinear(channel_map(FLASH, 256, 512), seen) @ LUMA)
    assert (told * solid).sum() > 0.5 * level
    assert (added * solid).sum() == pytest.approx(0.0, abs=0.08 * level)
    # No narrower line could be drawn: it is brighter than the map's by far.
    assert added.max() > 3 * told.max()
    assert added.min() >= -told.max() * 1.001


def test_what_is_finer_than_maps_is_drawn_for_each_sky():
    night = ClearSky(sun_altitude_deg=-30.0)
    assert is_drawn(Sky(FLASH))
    assert is_drawn(Sky(night))
    assert not is_drawn(Sky(FLASH, seen=False))
    assert not is_drawn(Sky(attrs.evolve(FLASH, bolt=0.0)))
    assert not is_drawn(Sky(attrs.evolve(night, weather=Weather(stars=0.0))))
    view = View(Camera((0.0, 0.0, 1.7), (0.0, 8.0, 4.0), 24.0), 64, 36)
    assert drawn_sky(Sky(FLASH), view).shape == drawn_sky(Sky(night), view).shape == (64 * 36, 3)


def test_a_map_is_read_as_the_engine_reads_it():
    rng = np.random.default_rng(2)
    sky = rng.random((16, 32, 3)).astype(np.float32)
    towards = rng.normal(size=(200, 3))
    towards /= np.linalg.norm(towards, axis=1)[:, None]
    read = bilinear(sky, towards)
    for direction, found in zip(towards, read):
        down = np.arccos(direction[2]) / np.pi * 16
        turn = np.mod(np.arctan2(direction[0], direction[1]), 2 * np.pi) / (2 * np.pi) * 32
        wanted = _sky_at(sky, np.float32(down), np.float32(min(turn, 32 - 1e-3)))
        assert found == pytest.approx(wanted, abs=2e-4)
