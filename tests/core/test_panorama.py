"""Photographed skies: reading, faults, their own sun, turning."""

import math

import attrs
import numpy as np
import OpenImageIO as oiio
import pytest
from PIL import Image

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.document.edits import add_source, change_look, change_shape, change_source
from lunar_haze.core.document.files import load
from lunar_haze.core.document.photographs import (
    lamp_of_panorama,
    odd_sun_remark,
    sun_of_panorama,
    with_photograph,
)
from lunar_haze.core.errors import SkyError
from lunar_haze.core.handoff.stills import write_exr, write_hdr
from lunar_haze.core.sky.dome import dome_illuminance_lx, dome_radiance
from lunar_haze.core.sky.lat_long import direction_of, irradiance, map_directions
from lunar_haze.core.sky.model import Panorama, SkyGrade
from lunar_haze.core.sky.panorama import (
    WIDEST_KEPT,
    file_digest,
    has_sun,
    lobe_bearing,
    lobe_in,
    lobe_light,
    read_panorama,
)
from lunar_haze.core.sources.gain import source_colour, source_gain
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


@pytest.mark.parametrize("height", [8, 16, 32, 48])
def test_the_bright_part_of_a_small_picture_is_told_from_the_rest(tmp_path, height):
    """About a bright zenith lay no pixel: the sky round it, its light and the map without it were no numbers."""
    rows = np.linspace(2.0, 0.5, height)[:, None, None] * np.ones((height, 2 * height, 3))
    write_exr(tmp_path / "small.exr", rows.astype(np.float32), {}, {})
    dome = dome_of(tmp_path / "small.exr")
    assert (lobe_light(dome) > 0.0).all()
    whole, without = (dome_radiance(attrs.evolve(dome, without_sun=out)) for out in (False, True))
    assert 0.5 < without.mean() / whole.mean() < 0.99
    assert (without <= whole * 1.001).all()


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
    bent = dome_radiance(attrs.evolve(dome, grade=SkyGrade(0.2, 60.0), hue_deg=20.0), 64, 128)
    assert (bent @ LUMINANCE_WEIGHTS).mean() == pytest.approx(
        (dome_radiance(dome, 64, 128) @ LUMINANCE_WEIGHTS).mean(), rel=0.01
    )
    soft = dome_radiance(attrs.evolve(dome, softness_deg=6.0), 64, 128)
    hard = dome_radiance(dome, 64, 128)
    # On a side without sun the step over the horizon is smaller.
    assert abs(soft[31, 100, 1] - soft[33, 100, 1]) < 0.5 * abs(hard[31, 100, 1] - hard[33, 100, 1])


PRIMARIES = {
    "AP0": (0.7347, 0.2653, 0.0, 1.0, 0.0001, -0.077, 0.32168, 0.33767),
    "Rec.2020": (0.708, 0.292, 0.170, 0.797, 0.131, 0.046, 0.3127, 0.3290),
    "sRGB": (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290),
}


def write_with(path, picture, **attributes):
    import OpenEXR

    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **attributes}
    OpenEXR.File(header, {"RGB": np.ascontiguousarray(picture, np.float32)}).write(str(path))
    return path


@pytest.mark.parametrize("name", PRIMARIES)
def test_primaries_in_the_file_are_honoured(tmp_path, name):
    """They were taken for sRGB, whatever the file said. Against colour-science's own matrices."""
    import colour

    spaces = {"AP0": "ACES2065-1", "Rec.2020": "ITU-R BT.2020", "sRGB": "sRGB"}
    rng = np.random.default_rng(2)
    # Colours that lie within the working space whatever the primaries.
    picture = (rng.uniform(0.5, 3.0, (32, 64, 1)) * rng.uniform(0.8, 1.2, (32, 64, 3))).astype(np.float32)
    read = read_panorama(write_with(tmp_path / "p.exr", picture, chromaticities=PRIMARIES[name]))
    expected = colour.RGB_to_RGB(picture, spaces[name], "ACEScg", chromatic_adaptation_transform="Bradford")
    np.testing.assert_allclose(read.pixels, expected, rtol=0.01)


def test_a_file_without_primaries_is_said_to_be_srgb(tmp_path):
    path = write_with(tmp_path / "p.exr", np.full((32, 64, 3), 2.0))
    read = read_panorama(path)
    assert any("sRGB" in remark for remark in read.remarks)
    assert read.pixels.mean((0, 1)) == pytest.approx((2.0, 2.0, 2.0), rel=1e-3), "white stays white"


def test_negative_light_is_held_without_adding_any(tmp_path):
    """Clipping what rings below zero about a sun added up to a quarter of its light."""
    picture = photograph(128)
    y, x = np.unravel_index(picture.sum(-1).argmax(), picture.shape[:2])
    picture[y - 8 : y - 5, x - 6 : x + 6] = -120.0
    read = read_panorama(write_with(tmp_path / "ringing.exr", picture, chromaticities=PRIMARIES["sRGB"]))
    import colour

    true = colour.RGB_to_RGB(picture, "sRGB", "ACEScg", chromatic_adaptation_transform="Bradford")
    _directions, solid = map_directions(128, 256)
    assert read.pixels.min() >= 0
    sums = [(p * solid[..., None]).sum((0, 1)) for p in (read.pixels, true)]
    assert sums[0] == pytest.approx(sums[1], rel=0.002)
    assert any("negative" in remark for remark in read.remarks)


def test_absurd_pixels_are_told_and_held(tmp_path):
    picture = photograph(64)
    picture[10, 10] = 1e30
    read = read_panorama(write_with(tmp_path / "absurd.exr", picture, chromaticities=PRIMARIES["sRGB"]))
    assert read.pixels.max() < 1e10
    assert any("brighter than any sun" in remark for remark in read.remarks)


@pytest.mark.parametrize(("make", "expected"), [
    (lambda rng: np.floor(rng.uniform(0, 256, (64, 128, 3))) / 255, "display"),
    (lambda rng: np.where((v := np.floor(rng.uniform(0, 256, (64, 128, 3))) / 255) <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4), "linear"),
    (lambda rng: rng.lognormal(-3.0, 1.0, (64, 128, 3)).clip(0, 1), "linear"),
    (lambda rng: rng.lognormal(0.0, 1.0, (64, 128, 3)), "linear"),
])  # fmt: skip
def test_encoding_is_guessed_from_more_than_the_range(tmp_path, make, expected):
    picture = make(np.random.default_rng(3))
    read = read_panorama(write_with(tmp_path / "e.exr", picture, chromaticities=PRIMARIES["sRGB"]))
    assert read.encoding == expected


def test_a_map_that_holds_cd_m2_comes_back_at_its_own_level(tmp_path):
    from lunar_haze.core.sky.lat_long import illuminance_lx
    from lunar_haze.core.sky.model import ClearSky

    sky = dome_radiance(ClearSky(-4.0, 200.0))
    write_exr(tmp_path / "dusk.exr", sky, {}, {})
    assert read_panorama(tmp_path / "dusk.exr").level_lx == pytest.approx(illuminance_lx(sky), rel=0.01)


@pytest.mark.parametrize(
    ("grey", "kind", "low", "high"), [(8, "night", 0.01, 5), (60, "dusk", 5, 500), (180, "overcast", 2000, 50_000)]
)
def test_a_photograph_without_a_unit_begins_at_the_level_of_its_kind(tmp_path, grey, kind, low, high):
    """A night photograph at 5,000 lx is white."""
    path = tmp_path / "kind.jpg"
    picture = np.full((128, 256, 3), grey, np.uint8)
    picture[70:74, 100:110] = 255
    Image.fromarray(picture).save(path, quality=95)
    read = read_panorama(path)
    assert low < read.level_lx < high
    assert kind in read.level_remark


def test_only_a_sun_is_offered_as_one_and_a_soft_box_has_its_size(tmp_path, sunny):
    from lunar_haze.core.sky.panorama import lobe_in

    assert lobe_in(dome_of(sunny)).is_disc
    assert lobe_in(dome_of(sunny)).diameter_deg == pytest.approx(3.0, rel=0.15)
    directions, _ = map_directions(256, 512)
    box = np.full((256, 512, 3), 0.05, np.float32)
    box[directions @ direction_of(30.0, 90.0) > math.cos(math.radians(12.0))] = 6.0
    lobe = lobe_in(dome_of(write_with(tmp_path / "studio.exr", box, chromaticities=PRIMARIES["sRGB"])))
    assert not lobe.is_disc
    assert lobe.diameter_deg == pytest.approx(24.0, rel=0.1)
    speck = np.full((256, 512, 3), 1.5, np.float32)
    speck[60, 100] = 4.0
    lobe = lobe_in(dome_of(write_with(tmp_path / "even.exr", speck, chromaticities=PRIMARIES["sRGB"])))
    assert not lobe.is_disc, "a three hundredth of the light is no sun"


def test_a_clipped_sun_is_found_by_its_halo(tmp_path):
    from lunar_haze.core.sky.panorama import lobe_in

    directions, _ = map_directions(256, 512)
    away = np.degrees(np.arccos(np.clip(directions @ direction_of(25.0, 200.0), -1, 1)))
    picture = np.clip(0.35 + 0.9 * np.exp(-((away / 7.0) ** 2)), 0, 1)[..., None] * np.ones(3)
    # A white cloud elsewhere, cut off just as white and larger.
    cloud = np.degrees(np.arccos(np.clip(directions @ direction_of(50.0, 40.0), -1, 1))) < 3.0
    picture[cloud] = 1.0
    path = tmp_path / "clipped.png"
    Image.fromarray((picture * 255).astype(np.uint8)).save(path)
    read = read_panorama(path)
    assert read.clipped
    lobe = lobe_in(dome_of(path))
    assert (lobe.altitude_deg, lobe.azimuth_deg) == pytest.approx((25.0, 200.0), abs=1.5)


def test_a_sun_taken_out_turns_with_its_photograph_and_keeps_its_colour(sunny, demo):
    dome = dome_of(sunny)
    source = Source("sky", "photo", Sky(dome, follows_hour=False), 20_000.0, "lx")
    sun, sky = sun_of_panorama(source, lobe_bearing(dome), lobe_light(dome))
    document = load(demo)[0]
    document = change_look(document, sources=(sky, sun))
    turned = change_shape(document, "sky", dome=attrs.evolve(sky.shape.dome, turn_deg=50.0))
    moved = next(s for s in turned.look.sources if s.lobe_of == "sky")
    assert (moved.shape.altitude_deg, moved.shape.azimuth_deg) == pytest.approx((35.0, 120.0), abs=0.5)
    raised = attrs.evolve(sun, shape=attrs.evolve(sun.shape, altitude_deg=5.0))
    assert source_colour(raised) == pytest.approx(source_colour(sun)), "it was that of the air at its height"
    other = write_with(sunny.parent / "other.exr", photograph(256, 15.0, 300.0), chromaticities=PRIMARIES["sRGB"])
    exchanged = with_photograph(turned.look.sources, "sky", dome_of(other), 9000.0)
    follows = next(s for s in exchanged if s.lobe_of == "sky")
    assert (follows.shape.altitude_deg, follows.shape.azimuth_deg) == pytest.approx((15.0, 300.0), abs=0.5)
    assert add_source(document, source).look.source("sky") is not None


def window_of_a_room(height=256, altitude=10.0, azimuth=40.0):
    """A dim room with a window of 30 by 20 degrees."""
    directions, _ = map_directions(height, 2 * height)
    high = np.degrees(np.arcsin(directions[..., 2]))
    along = (np.degrees(np.arctan2(directions[..., 0], directions[..., 1])) - azimuth + 180.0) % 360.0 - 180.0
    picture = np.full((height, 2 * height, 3), 0.2)
    picture[(np.abs(along) < 15.0) & (np.abs(high - altitude) < 10.0)] = (30.0, 31.0, 34.0)
    return picture.astype(np.float32)


def test_a_window_becomes_a_rectangle_of_its_size_with_its_light(tmp_path):
    write_exr(tmp_path / "room.exr", window_of_a_room(), {}, {})
    dome = dome_of(tmp_path / "room.exr")
    lobe = lobe_in(dome)
    assert not has_sun(dome)
    assert lobe.is_source
    assert lobe.size_deg == pytest.approx((30.0, 20.0), rel=0.06)
    source = Source("sky", "room", Sky(dome, follows_hour=False), 300.0, "lx")
    aim, towards = np.array([1.0, 2.0, 1.2]), direction_of(*lobe_bearing(dome))
    lamp, sky = lamp_of_panorama(source, towards, lobe_light(dome), aim)
    assert lamp.name == "brightest light of room"
    position = np.array(lamp.shape.position) - aim
    assert position / np.linalg.norm(position) == pytest.approx(towards, abs=1e-6)
    # Facing it at the point that it stands beyond, it gives what the photograph gave.

    def facing(dome, gain):
        directions, solid = map_directions(512, 1024)
        weight = np.maximum(directions @ towards, 0.0) * solid
        picture = dome_radiance(dome, 512, 1024) / dome_illuminance_lx(dome)
        return np.einsum("hwc,hw->c", picture, weight) * gain

    before, rest = facing(dome, source_gain(source)), facing(sky.shape.dome, source_gain(sky))
    radiance = source_gain(lamp) * lamp.shape.radiance_per_lumen()
    given = radiance * lamp.shape.illuminance_per_radiance(float(np.linalg.norm(position)))
    assert rest + given == pytest.approx(before, rel=0.04)


def test_a_sun_of_a_colour_that_no_sun_has_is_daylight_as_about_it(tmp_path):
    picture = photograph()
    sun = picture[..., 0] > 100.0
    picture[sun] = (200.0, 4000.0, 900.0)
    write_exr(tmp_path / "green.exr", picture, {}, {})
    odd = dome_of(tmp_path / "green.exr", sky_kind="clear day")
    write_exr(tmp_path / "usual.exr", photograph(), {}, {})
    usual = dome_of(tmp_path / "usual.exr", sky_kind="clear day")
    assert odd_sun_remark(usual) == ""
    assert "colour that no sun has" in odd_sun_remark(odd)
    source = Source("sky", "sky", Sky(odd, follows_hour=False), 20_000.0, "lx")
    made, _sky = sun_of_panorama(source, lobe_bearing(odd), lobe_light(odd))
    assert made.gel == (1.0, 1.0, 1.0)
    assert 2500.0 <= made.kelvin <= 12_000.0
    # A red sun is that of an evening.
    picture[sun] = (4000.0, 900.0, 120.0)
    write_exr(tmp_path / "red.exr", picture, {}, {})
    assert odd_sun_remark(dome_of(tmp_path / "red.exr", sky_kind="low sun")) == ""


def test_a_photograph_turns_with_the_sun_taken_out_of_it_until_they_are_untied(sunny, demo):
    dome = dome_of(sunny)
    source = Source("sky", "photo", Sky(dome, follows_hour=False), 20_000.0, "lx")
    sun, sky = sun_of_panorama(source, lobe_bearing(dome), lobe_light(dome))
    document = change_look(load(demo)[0], sources=(sky, sun))
    moved = change_shape(document, sun.id, azimuth_deg=(sun.shape.azimuth_deg + 250.0) % 360.0, altitude_deg=50.0)
    turned = moved.look.source("sky").shape.dome
    # There and back is where it was, and where the sun stands its photograph has it.
    assert turned.turn_deg == pytest.approx(-110.0)
    assert turned.tilt_deg == 0.0
    assert lobe_bearing(turned)[1] == pytest.approx(moved.look.source(sun.id).shape.azimuth_deg, abs=0.01)
    # Turned by its photograph it stays as much higher as it was raised.
    back = change_shape(moved, "sky", dome=dome_of(sunny, without_sun=True)).look.source(sun.id).shape
    assert (back.altitude_deg, back.azimuth_deg) == pytest.approx((50.0, sun.shape.azimuth_deg), abs=0.01)
    apart = change_source(moved, sun.id, lobe_of="")
    assert change_shape(apart, sun.id, azimuth_deg=5.0).look.source("sky").shape.dome == turned
