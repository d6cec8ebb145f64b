"""Light that is scattered many times: energy kept, slabs as published, furnaces even."""

import math

import numpy as np
import pytest

from lunar_haze.core.air.medium import Bank, Medium, Patches, Stretch
from lunar_haze.core.layers.model import LayerSpec, View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sky.model import Gradient
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.model import Ball, Sky, Sun
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from tests.places import BLACK, WHITE, down_at, floor, place_of

SLAB_M = 10.0
#: A slab so wide that its edges do not matter, over a black floor far below.
WIDE = (4000.0, 4000.0, SLAB_M)
HALF_SKY = Sky(Gradient((1.0, 1.0, 1.0), (1.0, 1.0, 1.0)), follows_hour=False)


def _slab(depth: float, albedo: float = 1.0, g: float = 0.0) -> Medium:
    bank = Bank("slab", "box", (0.0, 0.0, 100.0), WIDE, 0.0, 3.912 * SLAB_M / depth, 0.0)
    return Medium(albedo=(albedo,) * 3, anisotropy=g, multiple=1.0, banks=(bank,))


def _seen_from(medium: Medium, cosine: float, above: bool, shape, passes: int = 48) -> float:
    """Mean radiance of a small patch of the slab seen at a cosine to its normal, from above or from below."""
    place = place_of((floor(9000.0), BLACK))
    z = 130.0 if above else 70.0
    dz = -cosine if above else cosine
    d = np.array([math.sqrt(1 - cosine**2), 0.0, dz])
    camera = Camera((0.0, 0.0, z), tuple(np.array([0.0, 0.0, z]) + d), 900.0)
    view = View(camera, 32, 32)
    frame = Frame(PackedPlace(place), view)
    keys = frame.want([LayerSpec("slab", view, shape, medium, 1)])
    for _ in range(passes):
        frame.trace(keys)
    image = frame.image(keys[0])
    frame.place.close()
    # A sky gives one lux: its radiance is 1 / pi.
    return float((image.air + image.surface).mean()) * math.pi


@pytest.mark.parametrize(("depth", "g"), [(1.0, 0.0), (4.0, 0.0), (8.0, 0.6)])
def test_a_slab_that_absorbs_nothing_reflects_or_lets_through_all(depth, g):
    for cosine in (0.9, 0.4):
        # By reciprocity the radiance under a half sky of one is the share of a beam from there that goes up or down.
        reflected = _seen_from(_slab(depth, g=g), cosine, True, HALF_SKY)
        through = _seen_from(_slab(depth, g=g), cosine, False, HALF_SKY)
        assert reflected + through == pytest.approx(1.0, abs=0.02), (depth, g, cosine, reflected, through)


#: Chandrasekhar, S. (1950), Radiative transfer, table XI: H of isotropic scattering without absorption.
H_OF = {0.4: 1.8293, 0.6: 2.1941, 0.9: 2.7306}


@pytest.mark.parametrize("cosine", H_OF)
def test_what_a_thick_slab_lets_through_is_as_published(cosine):
    # Far from both faces light is spread as in Milne's problem: a beam's transmittance falls as H(mu) / (sqrt(3)
    # (depth + 2 q)), with the extrapolation length q = 0.710446 (van de Hulst, H. C. (1980), Multiple light
    # scattering, chapter 12).
    depth = 5.0
    expected = H_OF[cosine] / (math.sqrt(3) * (depth + 2 * 0.710446))
    assert _seen_from(_slab(depth), cosine, False, HALF_SKY, 96) == pytest.approx(expected, rel=0.03)


def _h_function(albedo: float, cosines: np.ndarray) -> np.ndarray:
    """Chandrasekhar's H of isotropic scattering, from its integral equation."""
    nodes, weights = np.polynomial.legendre.leggauss(64)
    nodes, weights = (nodes + 1) / 2, weights / 2

    def step(h, at):
        root = math.sqrt(1 - albedo)
        inside = (albedo / 2) * ((nodes * h * weights) / (at[:, None] + nodes)).sum(1)
        return 1 / (root + inside)

    h = np.ones_like(nodes)
    for _ in range(400):
        h = np.sqrt(h * step(h, nodes))
    return step(h, cosines)


def test_the_h_function_is_that_of_the_table():
    assert _h_function(1.0 - 1e-12, np.array(list(H_OF))) == pytest.approx(list(H_OF.values()), rel=2e-3)


@pytest.mark.parametrize("albedo", [0.5, 0.9])
def test_a_deep_absorbing_slab_reflects_as_published(albedo):
    # Chandrasekhar (1950), chapter V: the plane albedo of a half space is 1 - sqrt(1 - albedo) H(mu).
    for cosine in (0.3, 0.8):
        expected = 1 - math.sqrt(1 - albedo) * float(_h_function(albedo, np.array([cosine]))[0])
        assert _seen_from(_slab(30.0, albedo), cosine, True, HALF_SKY, 96) == pytest.approx(expected, rel=0.02)


def test_a_furnace_stays_even_however_much_is_scattered():
    medium = Medium(visibility_m=16.0, fall_off_m=1e6, top_m=20.0, albedo=(1.0, 1.0, 1.0), anisotropy=0.5, multiple=1.0)
    place = place_of((floor(4000.0), WHITE))
    camera = Camera((0.0, 0.0, 3.0), (1.0, 0.0, 3.2), 200.0)
    view = View(camera, 24, 24)
    frame = Frame(PackedPlace(place), view)
    keys = frame.want([LayerSpec("furnace", view, HALF_SKY, medium, 4)])
    for _ in range(48):
        frame.trace(keys)
    image = frame.image(keys[0])
    frame.place.close()
    # Light that bounced more than four times is missing, and nothing is added.
    assert 0.8 < float((image.air + image.surface).mean()) * math.pi < 1.01


def test_the_blend_keeps_single_scattering_and_adds_the_rest_by_its_share():
    place = place_of((floor(60.0), WHITE))
    view = View(Camera((0.0, -12.0, 2.0), (0.0, 0.0, 2.0)), 24, 14)
    means = []
    for share in (0.0, 0.5, 1.0):
        frame = Frame(PackedPlace(place), view)
        medium = Medium(visibility_m=15.0, albedo=(0.99,) * 3, multiple=share)
        keys = frame.want([LayerSpec("blend", view, Ball((0.0, 0.0, 3.0), 0.2), medium, 1)])
        for _ in range(64):
            frame.trace(keys)
        means.append(float(frame.image(keys[0]).air.mean()))
        frame.place.close()
    assert means[2] > 1.3 * means[0]
    assert means[1] == pytest.approx((means[0] + means[2]) / 2, rel=0.03)


@pytest.mark.parametrize(
    "medium",
    [
        Medium(visibility_m=0.0, multiple=1.0),
        Medium(visibility_m=math.inf, multiple=1.0),
        Medium(visibility_m=5.0, albedo=(0.0, 0.0, 0.0), multiple=1.0),
        Medium(visibility_m=5.0, albedo=(1.0, 1.0, 1.0), anisotropy=0.99, multiple=1.0),
        Medium(visibility_m=5.0, albedo=(1.0, 1.0, 1.0), anisotropy=-0.99, multiple=1.0),
        Medium(banks=(Bank("about the lens", centre=(0.0, -12.0, 2.0), size=(6.0, 6.0, 6.0)),), multiple=1.0),
        Medium(banks=(Bank("nothing", size=(0.0, 0.0, 0.0)),), multiple=1.0),
        Medium(20.0, patches=Patches(2.0, 0.1), multiple=1.0),
        Medium(20.0, stretch=Stretch(5.0, 5.0, 0.0, (0.0, -12.0, 2.0), (0.0, 1.0, 0.0)), multiple=1.0),
    ],
    ids=["wall", "clear", "black", "onward", "backward", "lens in a bank", "no bank", "coarse", "no stretch"],
)
def test_extreme_air_is_finite_and_ends(medium):
    place = place_of((floor(60.0), WHITE))
    view = View(Camera((0.0, -12.0, 2.0), (0.0, 0.0, 2.0)), 16, 9)
    frame = Frame(PackedPlace(place), view)
    # One lamp stands at the lens.
    shapes = (Ball((0.0, 0.0, 3.0), 0.2), Ball((0.0, -12.0, 2.0), 0.05), Sun(20.0, 180.0), HALF_SKY)
    keys = frame.want([LayerSpec("extreme", view, s, medium, 2) for s in shapes])
    for _ in range(4):
        frame.trace(keys)
    for key in keys:
        image = frame.image(key)
        for part in (image.air, image.surface):
            assert np.isfinite(part).all()
            assert part.min() >= 0
        if medium.is_clear:
            assert image.air.max() == 0
    frame.place.close()


def test_without_bounces_light_scattered_once_before_a_surface_counts_as_multiple_scattering():
    """`bounces 0` dropped it and kept all higher orders.

    A floor in the shadow of a flag, lit by the mist alone: what the air sends it after one scattering is most of what
    it gets in thin mist, so with a bounce (which always counts it) it is nearly as bright as without one.
    """
    place = place_of((floor(), WHITE))
    card = Card("c", "flag", (0.0, 0.0, 1.5), (0.0, 0.0, 0.0), 2.0, 2.0)
    view = View(down_at(0.0, 0.0, 1.0), 12, 12)

    def shaded(bounces: int, multiple: float) -> float:
        frame = Frame(PackedPlace(place), view)
        medium = Medium(visibility_m=400.0, multiple=multiple)
        key = frame.want([LayerSpec("t", view, Ball((0.0, 0.0, 3.0), 0.05), medium, bounces, cards=(card,))])[0]
        for _ in range(512):
            frame.trace([key])
        value = float(frame.image(key).surface.mean())
        frame.place.close()
        return value

    with_bounce, without, half = shaded(1, 1.0), shaded(0, 1.0), shaded(0, 0.5)
    assert shaded(0, 0.0) == pytest.approx(0.0, abs=1e-12), "single scattering reaches no surface"
    assert without > 0.5 * with_bounce
    assert half == pytest.approx(0.5 * without, rel=0.15)
