"""Photographed skies: reading, faults, their own sun, turning."""

import math

import attrs
import numpy as np
import OpenImageIO as oiio
import pytest
from PIL import Image

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.document.photographs import sun_of_panorama
from lunar_haze.core.errors import SkyError
from lunar_haze.core.handoff.stills import write_exr, write_hdr
from lunar_haze.core.sky.dome import dome_illuminance_lx, dome_radiance
from lunar_haze.core.sky.lat_long import direction_of, irradiance, map_directions
from lunar_haze.core.sky.model import Bend, Panorama
from lunar_haze.core.sky.panorama import WIDEST_KEPT, file_digest, lobe_bearing, lobe_light, read_panorama
from lunar_haze.core.sources.gain import source_gain
from lunar_haze.core.sources.model import Sky, Source


def photograph(height=256, altitude=35.0, azimuth=70.0, sun=4000.0):
    """A blue dome with a bright disc of 3 degrees."""
    directions, _ = map_directions(height, 2 * height)
    picture = np.full((height, 2 * height, 3), 0.3) * np.array([0.5, 0.8, 1.4])
    picture[directions[..., 2] < 0] *= 0.3
    picture[directions @ direction_of(altitude, azimuth) > math.cos(math.radians(1.5))] = (sun, 0.9 * sun, 0.7 * sun)
    return picture.astype(np.float32)


@pytest.fixture
def sunny(tmp_path):
    path = tmp_path / "sunny.exr"
    write_exr(path, photograph(), {}, {})
    return path


def dome_of(path, **changes):
    return Panorama(str(path), file_digest(path), read_panorama(path).encoding, **changes)


def test_what_was_written_is_read(sunny, tmp_path):
    read = read_panorama(sunny)
    assert (read.width, read.height, read.encoding, read.remarks) == (512, 256, "linear", ())
    assert read.pixels == pytest.approx(photograph(), rel=1e-4)
    write_hdr(tmp_path / "sunny.hdr", photograph())
    assert read_panorama(tmp_path / "sunny.hdr").encoding == "linear"


def test_an_ordinary_picture_is_decoded_and_warned_about(tmp_path):
    path = tmp_path / "snap.png"
    Image.fromarray(np.full((128, 256, 3), 188, np.uint8)).save(path)
    read = read_panorama(path)
    assert read.encoding == "display"
    assert read.pixels.mean() == pytest.approx(0.503, abs=0.01), "188 is half the light of white"
    assert "ordinary picture" in read.remarks[0]
    assert read_panorama(path, "linear").pixels.mean() == pytest.approx(188 / 255, abs=0.01), "one act corrects it"


def test_sixteen_bit_pictures_and_encoded_floats_are_told_apart(tmp_path):
    path = tmp_path / "deep.tif"
    out = oiio.ImageOutput.create(str(path))
    out.open(str(path), oiio.ImageSpec(64, 32, 3, "uint16"))
    out.write_image(np.full((32, 64, 3), 0.5, np.float32))
    out.close()
    assert read_panorama(path).encoding == "display"
    flat = tmp_path / "flat.exr"
    write_exr(flat, np.full((32, 64, 3), 0.6, np.float32), {}, {})
    assert read_panorama(flat).encoding == "display"
    assert "display-encoded" in read_panorama(flat).remarks[0]


def test_faults_are_mended_and_told(tmp_path):
    picture = photograph(64)
    picture[3, 5] = np.nan
    picture[4, 6] = np.inf
    picture[5, 7] = -2.0
    path = tmp_path / "faulty.exr"
    write_exr(path, picture, {}, {})
    read = read_panorama(path)
    assert np.isfinite(read.pixels).all()
    assert read.pixels.min() >= 0.0
    assert any("no numbers" in r for r in read.remarks)
    assert any("negative" in r for r in read.remarks)
    square = tmp_path / "square.exr"
    write_exr(square, photograph(64)[:, :64], {}, {})
    assert any("not twice as wide" in r for r in read_panorama(square).remarks)


def test_what_cannot_be_used_is_refused_in_words(tmp_path):
    cases = {"torn.exr": b"v/1\x01 torn", "text.hdr": b"no picture", "empty.exr": b""}
    for name, data in cases.items():
        (tmp_path / name).write_bytes(data)
        with pytest.raises(SkyError, match=name):
            read_panorama(tmp_path / name)
    with pytest.raises(SkyError, match=r"missing\.exr"):
        read_panorama(tmp_path / "missing.exr")
    (tmp_path / "folder.exr").mkdir()
    with pytest.raises(SkyError):
        read_panorama(tmp_path / "folder.exr")
    black = tmp_path / "black.exr"
    write_exr(black, np.zeros((32, 64, 3), np.float32), {}, {})
    with pytest.raises(SkyError, match="black"):
        read_panorama(black)
    tiny = tmp_path / "tiny.png"
    Image.fromarray(np.zeros((1, 2, 3), np.uint8)).save(tiny)
    with pytest.raises(SkyError, match="2x1"):
        read_panorama(tiny)


def test_wide_photographs_are_averaged_while_they_are_read(tmp_path):
    path = tmp_path / "wide.exr"
    rng = np.random.default_rng(1)
    picture = np.repeat(rng.random((1, 2 * WIDEST_KEPT, 3), np.float32) + 0.5, 64, 0) * 3
    write_exr(path, picture, {}, {})
    read = read_panorama(path)
    assert read.pixels.shape[1] == WIDEST_KEPT
    assert read.pixels.mean() == pytest.approx(picture.mean(), rel=1e-3)


def test_its_own_sun_is_found(sunny):
    dome = dome_of(sunny)
    assert lobe_bearing(dome) == pytest.approx((35.0, 70.0), abs=0.5)
    assert lobe_bearing(attrs.evolve(dome, turn_deg=50.0)) == pytest.approx((35.0, 120.0), abs=0.5)
    expected = 2 * math.pi * (1 - math.cos(math.radians(1.5))) * np.array([4000.0, 3600.0, 2800.0])
    assert lobe_light(dome) == pytest.approx(expected, rel=0.05)


def test_turning_a_panorama_turns_its_light(sunny):
    dome = dome_of(sunny)
    straight, turned = dome_radiance(dome, 128, 256), dome_radiance(attrs.evolve(dome, turn_deg=90.0), 128, 256)
    directions, solid = map_directions(128, 256)

    def flow(picture):
        return np.einsum("hw,hwc->c", (picture @ LUMINANCE_WEIGHTS) * solid, directions)

    a, b = flow(straight), flow(turned)
    assert b == pytest.approx((a[1], -a[0], a[2]), rel=0.005, abs=0.005 * np.linalg.norm(a))


def test_sun_taken_out_and_sky_add_up_to_the_photograph(sunny):
    dome = dome_of(sunny)
    source = Source("sky", "sky", Sky(dome, follows_hour=False), 20_000.0, "lx")
    sun, sky = sun_of_panorama(source, lobe_bearing(dome), lobe_light(dome))
    before = irradiance(dome_radiance(dome)) / dome_illuminance_lx(dome) * source_gain(source)
    rest = irradiance(dome_radiance(sky.shape.dome)) / dome_illuminance_lx(sky.shape.dome) * source_gain(sky)
    straight = source_gain(sun) * math.sin(math.radians(lobe_bearing(dome)[0]))
    assert rest + straight == pytest.approx(before, rel=0.005)
    assert dome_radiance(sky.shape.dome).max() < 2.0, "nothing of the sun is left in the sky"


def test_bends_and_soft_horizons_keep_the_light(sunny):
    dome = dome_of(sunny)
    bent = dome_radiance(attrs.evolve(dome, bend=Bend(0.2, 60.0), hue_deg=20.0), 64, 128)
    assert (bent @ LUMINANCE_WEIGHTS).mean() == pytest.approx(
        (dome_radiance(dome, 64, 128) @ LUMINANCE_WEIGHTS).mean(), rel=0.01
    )
    soft = dome_radiance(attrs.evolve(dome, softness_deg=6.0), 64, 128)
    hard = dome_radiance(dome, 64, 128)
    # On a side without sun the step over the horizon is smaller.
    assert abs(soft[31, 100, 1] - soft[33, 100, 1]) < 0.5 * abs(hard[31, 100, 1] - hard[33, 100, 1])
