"""Reflection: reciprocal, normalised, sampled with the density it reports, no light gained."""

import math

import numba as nb
import numpy as np
import pytest

from lunar_haze.core.transport.ggx import (
    DIELECTRIC_F0,
    Viewed,
    energy_tables,
    evaluate,
    lookup,
    sample_direction,
    seen_from,
)

TABLE, MEAN = energy_tables()
MATERIALS = [
    pytest.param((0.8, 0.5, 0.2), 0.0, 1.0, id="matte"), pytest.param((0.5, 0.5, 0.5), 0.0, 0.3, id="satin"),
    pytest.param((0.9, 0.6, 0.3), 1.0, 0.4, id="metal"), pytest.param((0.7, 0.7, 0.7), 0.5, 0.6, id="between"),
    pytest.param((0.02, 0.02, 0.02), 0.0, 0.15, id="lacquer"),
]  # fmt: skip


@nb.njit
def _evaluate(table, mean, view, lights, rgb, metallic, roughness, out):
    viewed = Viewed(view[0], view[1], view[2], rgb[0], rgb[1], rgb[2], metallic, roughness)
    seen = seen_from(table, mean, viewed)
    for k in range(lights.shape[0]):
        reflected = evaluate(table, seen, viewed, lights[k, 0], lights[k, 1], lights[k, 2])
        out[k, 0], out[k, 1], out[k, 2], out[k, 3] = reflected.r, reflected.g, reflected.b, reflected.pdf


@nb.njit
def _sample(table, view, numbers, rgb, metallic, roughness, out):
    viewed = Viewed(view[0], view[1], view[2], rgb[0], rgb[1], rgb[2], metallic, roughness)
    share = seen_from(table, MEAN, viewed)[0]
    for k in range(numbers.shape[0]):
        out[k, 0], out[k, 1], out[k, 2] = sample_direction(viewed, share, numbers[k, 0], numbers[k, 1], numbers[k, 2])


@nb.njit
def _look_up(table, mu, roughness):
    return lookup(table, mu, roughness)


def towards(degrees, azimuth=0.0):
    t, a = math.radians(degrees), math.radians(azimuth)
    return np.array([math.sin(t) * math.cos(a), math.sin(t) * math.sin(a), math.cos(t)], np.float32)


def evaluated(view, lights, material):
    rgb, metallic, roughness = material
    out = np.empty((len(lights), 4), np.float32)
    _evaluate(TABLE, MEAN, view, np.ascontiguousarray(lights, np.float32), np.array(rgb, np.float32),
              np.float32(metallic), np.float32(roughness), out)  # fmt: skip
    return out


def hemisphere(count=200_000, seed=1):
    """Directions even over the upper half, for integrals of weight 2 pi / n."""
    rng = np.random.default_rng(seed)
    z = rng.random(count)
    a = rng.random(count) * 2 * math.pi
    flat = np.sqrt(1 - z * z)
    return np.stack([flat * np.cos(a), flat * np.sin(a), z], -1).astype(np.float32)


@pytest.mark.parametrize(("rgb", "metallic", "roughness"), MATERIALS)
@pytest.mark.parametrize("degrees", [0.0, 45.0, 75.0])
def test_densities_integrate_to_the_share_of_rays_that_leave(rgb, metallic, roughness, degrees):
    material = (rgb, metallic, roughness)
    lights = hemisphere()
    values = evaluated(towards(degrees), lights, material)[:, 3].astype(float) * 2 * math.pi
    density, grain = values.mean(), values.std() / math.sqrt(len(values))
    numbers = np.random.default_rng(5).random((60_000, 3)).astype(np.float32)
    out = np.empty((len(numbers), 3), np.float32)
    _sample(
        TABLE, towards(degrees), numbers, np.array(rgb, np.float32), np.float32(metallic), np.float32(roughness), out
    )
    leaving = (out[:, 2] > 0).mean()
    assert density == pytest.approx(leaving, abs=0.01 + 4 * grain)


@pytest.mark.parametrize(("rgb", "metallic", "roughness"), MATERIALS)
def test_samples_fall_as_their_density_says(rgb, metallic, roughness):
    view = towards(50.0)
    numbers = np.random.default_rng(6).random((80_000, 3)).astype(np.float32)
    out = np.empty((len(numbers), 3), np.float32)
    _sample(TABLE, view, numbers, np.array(rgb, np.float32), np.float32(metallic), np.float32(roughness), out)
    above = out[out[:, 2] > 0].astype(float)

    def cells(directions):
        return np.clip((directions[:, 2] * 6).astype(int), 0, 5) * 8 + np.clip(
            ((np.arctan2(directions[:, 1], directions[:, 0]) / (2 * math.pi) % 1.0) * 8).astype(int), 0, 7
        )

    lights = hemisphere(800_000)
    density = evaluated(view, lights, (rgb, metallic, roughness))[:, 3].astype(float)
    expected = np.bincount(cells(lights.astype(float)), density, 48)
    expected *= len(above) / expected.sum()
    counted = np.bincount(cells(above), minlength=48)
    busy = expected > 40
    # The expectation is itself a sum of samples: allow it a hundredth beside the counts' own spread.
    off = (counted[busy] - expected[busy]) / np.sqrt(expected[busy] + (0.02 * expected[busy]) ** 2)
    assert np.abs(off).max() < 5.0


@pytest.mark.parametrize(("rgb", "metallic", "roughness"), MATERIALS)
def test_light_runs_both_ways_alike_in_the_diffuse_part(rgb, metallic, roughness):
    """Microfacets and diffuse part are reciprocal; the factor for lost energy looks at one side only."""
    a, b = towards(20.0, 10.0), towards(55.0, 150.0)
    forth = evaluated(a, b[None], (rgb, metallic, roughness))[0, :3] / b[2]
    back = evaluated(b, a[None], (rgb, metallic, roughness))[0, :3] / a[2]
    assert forth == pytest.approx(back, rel=0.12 if metallic else 0.03)


@pytest.mark.parametrize("metallic", [0.0, 1.0])
@pytest.mark.parametrize("roughness", [0.1, 0.35, 0.7, 1.0])
@pytest.mark.parametrize("degrees", [5.0, 45.0, 70.0])
def test_a_white_surface_gives_back_all_it_gets(metallic, roughness, degrees):
    """Sampled with its own density, whatever is white returns one."""
    view = towards(degrees)
    numbers = np.random.default_rng(7).random((60_000, 3)).astype(np.float32)
    out = np.empty((len(numbers), 3), np.float32)
    white = np.ones(3, np.float32)
    _sample(TABLE, view, numbers, white, np.float32(metallic), np.float32(roughness), out)
    value = evaluated(view, out, ((1.0, 1.0, 1.0), metallic, roughness)).astype(float)
    good = (out[:, 2] > 0) & (value[:, 3] > 0)
    albedo = np.where(good, value[:, 1] / np.where(good, value[:, 3], 1.0), 0.0).mean()
    assert albedo == pytest.approx(1.0, abs=0.015)


@pytest.mark.parametrize("roughness", [0.05, 0.3, 1.0])
def test_a_darker_base_gives_back_less_and_never_more_than_it_gets(roughness):
    view = towards(30.0)
    numbers = np.random.default_rng(8).random((40_000, 3)).astype(np.float32)
    before = 2.0
    for base in (1.0, 0.5, 0.1, 0.0):
        out = np.empty((len(numbers), 3), np.float32)
        rgb = np.full(3, base, np.float32)
        _sample(TABLE, view, numbers, rgb, np.float32(0.0), np.float32(roughness), out)
        value = evaluated(view, out, ((base,) * 3, 0.0, roughness)).astype(float)
        good = (out[:, 2] > 0) & (value[:, 3] > 0)
        albedo = float(np.where(good, value[:, 0] / np.where(good, value[:, 3], 1.0), 0.0).mean())
        assert albedo <= 1.015
        assert albedo < before
        before = albedo
    assert before == pytest.approx(float(DIELECTRIC_F0), abs=0.03), "black paint keeps its sheen"


def test_a_smooth_surface_mirrors_and_a_rough_one_spreads():
    view = towards(40.0)
    mirror, aside = towards(40.0, 180.0), towards(10.0, 180.0)
    for roughness, sharp in ((0.08, 200.0), (1.0, 3.0)):
        at, beside = evaluated(view, np.array([mirror, aside]), ((0.0, 0.0, 0.0), 0.0, roughness))[:, 1]
        if sharp > 100:
            assert at > sharp * beside
        else:
            assert at < sharp * beside


def test_grazing_light_is_mirrored_more():
    table = [
        sum(x * y for x, y in zip(_look_up(TABLE, np.float32(mu), np.float32(0.2)), (0.04, 1.0)))
        for mu in (0.95, 0.5, 0.15)
    ]
    assert table[0] < table[1] < table[2]


def test_nothing_is_seen_from_below():
    below = np.array([[0.3, 0.2, -0.9]], np.float32)
    assert not evaluated(towards(20.0), below, ((1.0, 1.0, 1.0), 0.0, 0.5)).any()
