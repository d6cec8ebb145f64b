"""Kinds of sky as they are declared, and the standard general sky, the first that was declared in one module."""

import math

import attrs
import numpy as np
import pytest
from scipy.integrate import quad

from lunar_haze.core.document.files import CONVERTER
from lunar_haze.core.sky.cie_sky import CieSky, cie_radiance
from lunar_haze.core.sky.dome import dome_map, dome_radiance
from lunar_haze.core.sky.kinds import SKY_KINDS, Dome, radiance_of, sky_kind, sky_kind_of, sky_kinds
from lunar_haze.core.sky.lat_long import illuminance_lx, map_directions
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sources.model import Sky
from lunar_haze.core.units.row import row, under

HEIGHT, WIDTH = 90, 180


def test_every_kind_says_how_it_shines_and_is_written_and_read():
    for kind in sky_kinds():
        assert kind.radiance is not None, kind.name
        if kind.value is not Panorama:
            found = dome_radiance(kind.value(), 16, 32)
            assert found.shape == (16, 32, 3)
            assert np.isfinite(found).all()
            assert found.min() >= 0.0
            assert found.max() > 0.0
        told = CONVERTER.unstructure(Sky(kind.value()))
        assert told["dome"]["kind"] == kind.tag
        assert CONVERTER.structure(told, Sky) == Sky(kind.value())


def test_names_and_tags_of_files_stay():
    assert {kind.tag for kind in sky_kinds()} >= {"clearsky", "panorama", "gradient", "lightning", "ciesky"}


@pytest.fixture
def toy():
    """A sky of one number, declared as a newcomer would."""

    @sky_kind("toy sky", 100.0, "lx", under("toy", row("toy level", "toy level", "level", "", 0.0, 1.0, 0.5)))
    @attrs.frozen
    class ToySky(Dome):
        level: float = 0.5

    @radiance_of(ToySky)
    def _shine(dome, height, width):
        return np.full((height, width, 3), dome.level)

    yield ToySky
    del SKY_KINDS[ToySky]


def test_a_toy_kind_has_its_map_its_facets_and_its_place_in_files(toy):
    assert illuminance_lx(dome_map(toy(0.25), HEIGHT, WIDTH)) == pytest.approx(1.0, rel=1e-3)
    assert CONVERTER.structure(CONVERTER.unstructure(Sky(toy(0.25))), Sky) == Sky(toy(0.25))
    with pytest.raises(ValueError, match="already"):
        sky_kind("toy sky", 1.0, "lx")(type("Other", (Dome,), {}))


def test_a_kind_that_nobody_declared_is_refused():
    with pytest.raises(KeyError):
        sky_kind_of(Dome())


# -- the standard general sky --------------------------------------------------------------------------


def along_the_meridian(dome, altitudes):
    """Luminance over that of the zenith at altitudes [deg] towards the sun's bearing."""
    sky = cie_radiance(dome, 720, 8)[..., 0]
    rows = [min(int((90.0 - a) / 180.0 * 720), 719) for a in altitudes]
    column = int(dome.sun_azimuth_deg / 360.0 * 8) % 8
    return sky[rows, column]


def test_the_overcast_sky_is_three_times_as_bright_overhead():
    # Moon and Spencer (1942): (1 + 2 sin a) / 3; the standard's first sky stays near it, but for the horizon.
    altitudes = np.array([30.0, 45.0, 60.0, 89.9])
    found = along_the_meridian(CieSky(1), altitudes)
    assert found == pytest.approx((1 + 2 * np.sin(np.radians(altitudes))) / 3, rel=0.08)
    assert along_the_meridian(CieSky(1), [0.5]) == pytest.approx([1 / (1 + 4 * math.exp(-0.7))], rel=1e-3)

    def falls(altitude):
        level = (1 + 4 * math.exp(-0.7 / math.sin(altitude))) / (1 + 4 * math.exp(-0.7))
        return 2 * math.pi * level * math.sin(altitude) * math.cos(altitude)

    assert illuminance_lx(cie_radiance(CieSky(1), HEIGHT, WIDTH)) == pytest.approx(
        quad(falls, 1e-6, math.pi / 2)[0], rel=1e-3
    )


def test_the_even_sky_is_even():
    sky = cie_radiance(CieSky(5), HEIGHT, WIDTH)[: HEIGHT // 2]
    assert sky == pytest.approx(np.ones_like(sky))
    assert illuminance_lx(cie_radiance(CieSky(5), HEIGHT, WIDTH)) == pytest.approx(math.pi, rel=1e-3)


# The clear sky's closed form at the zenith, a quarter of the sky away from a sun on the horizon, and at the sun.
@pytest.mark.parametrize(
    ("kind", "a", "b", "c", "d", "e"), [(12, -1.0, -0.32, 10.0, -3.0, 0.45), (9, -1, -0.55, 2, -1.5, 0.15)]
)
def test_clear_skies_follow_the_standard(kind, a, b, c, d, e):
    dome = CieSky(kind, 40.0, 90.0)

    def gradation(altitude):
        return 1 + a * math.exp(b / math.sin(math.radians(altitude)))

    def indicatrix(apart):
        x = math.radians(apart)
        return 1 + c * (math.exp(d * x) - math.exp(d * math.pi / 2)) + e * math.cos(x) ** 2

    for altitude in (20.0, 40.0, 75.0):
        wanted = indicatrix(abs(altitude - 40.0)) * gradation(altitude) / (indicatrix(50.0) * gradation(90.0))
        directions, _solid = map_directions(720, 1440)
        sky = cie_radiance(dome, 720, 1440)[..., 0]
        towards = np.array([math.cos(math.radians(altitude)), 0.0, math.sin(math.radians(altitude))])
        found = sky[np.unravel_index(np.argmax(directions @ towards), sky.shape)]
        assert found == pytest.approx(wanted, rel=0.02)


@pytest.mark.parametrize("albedo", [0.0, 0.2, 0.8])
def test_the_ground_gives_back_its_share(albedo):
    sky = cie_radiance(CieSky(3, ground_albedo=albedo), HEIGHT, WIDTH)
    falls = illuminance_lx(sky)
    assert sky[HEIGHT // 2 :] == pytest.approx(np.full_like(sky[HEIGHT // 2 :], albedo / math.pi * falls), rel=1e-6)


def test_a_sky_without_a_bright_side_is_one_light_wherever_its_sun_is():
    assert CieSky(1, 10.0, 20.0).plain() == CieSky(1, 60.0, 300.0).plain()
    assert CieSky(12, 10.0, 20.0).plain() != CieSky(12, 60.0, 300.0).plain()
