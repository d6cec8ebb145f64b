"""The seam to the denoiser: what it leaves, and that it can be given up."""

import time

import numpy as np
import pytest

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.colour.spaces import SRGB_TO_ACESCG
from lunar_haze.core.layers.model import LayerSpec, View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.load import load_place
from lunar_haze.core.sources.ball import Ball
from lunar_haze.core.transport.denoise import StoppedError, denoise, with_the_light_of
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from tests.gltf_cases import FACES, File


def _noisy(height: int, width: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    rng = np.random.default_rng(3)
    radiance = rng.gamma(2.0, 0.5e-3, (height, width, 3)).astype(np.float32)
    return radiance, np.full_like(radiance, 0.5), np.zeros_like(radiance) + np.float32([0, 0, 1])


def test_grain_goes_and_the_level_stays_at_night_too():
    radiance, albedo, normal = _noisy(96, 160)
    clean = denoise(radiance, albedo, normal)
    assert clean.std() < 0.25 * radiance.std()
    assert clean.mean() == pytest.approx(radiance.mean(), rel=0.03)
    assert not denoise(np.zeros_like(radiance), albedo, normal).any()


def test_it_is_given_up_at_once_and_works_again_afterwards():
    images = _noisy(540, 960)
    started = time.perf_counter()
    whole = denoise(*images, "balanced")
    took = time.perf_counter() - started
    started = time.perf_counter()
    with pytest.raises(StoppedError):
        denoise(*images, "balanced", lambda: True)
    assert time.perf_counter() - started < 0.5 * took
    assert np.allclose(denoise(*images, "balanced"), whole, rtol=1e-3)


@pytest.mark.parametrize("seed", [0, 1])
def test_the_light_of_large_blocks_stays_that_of_the_sums(seed):
    """Mist came out 1.3 % too bright. Within 0.3 %, the frame and 10x10 blocks, lamps left out."""
    rng = np.random.default_rng(seed)
    height, width = 270, 480
    y, x = np.mgrid[0:height, 0:width] / width
    mist = (0.002 * np.exp(-6 * y) + 0.0004 * (1 + np.sin(9 * x)))[..., None] * np.array([0.6, 0.8, 1.2])
    grain = rng.gamma(4.0, 1 / 4.0, (height, width, 1))
    picture = (mist * grain).astype(np.float32)
    picture[40, 60] = 5.0
    albedo, normal = np.full((height, width, 3), 0.5, np.float32), np.zeros((height, width, 3), np.float32)
    clean = denoise(picture, albedo, normal)
    lamp = np.zeros((height, width), bool)
    lamp[26:55, 46:75] = True

    def means(p):
        kept = np.where(lamp[..., None], 0.0, p)
        return np.add.reduceat(np.add.reduceat(kept, np.arange(10) * height // 10, 0), np.arange(10) * width // 10, 1)

    blocks = means(clean) / means(picture) - 1
    away = np.ones((10, 10), bool)
    away[:3, :3] = False
    assert np.abs(blocks[away]).max() < 0.003
    assert abs(np.where(lamp[..., None], 0, clean).sum() / np.where(lamp[..., None], 0, picture).sum() - 1) < 0.003
    grains = [(p / mist)[200:250, 250:450].std() for p in (clean, picture)]
    assert grains[0] < 0.3 * grains[1], "it is still freed of grain"


def test_neither_bright_grain_nor_a_lamp_leaves_a_square_in_the_picture():
    """Mist with a few pixels that outshine it by far, and one lamp: its smooth light stays smooth."""
    rng = np.random.default_rng(5)
    height, width = 180, 320
    y, x = np.mgrid[0:height, 0:width] / width
    mist = (0.5 + 0.3 * x + 0.2 * y)[..., None] * np.ones(3)
    picture = mist * rng.gamma(16.0, 1 / 16.0, (height, width, 1))
    for row, column in rng.integers((5, 5), (height - 5, width - 5), (60, 2)):
        picture[row, column] *= 80.0
    clean = mist.copy()
    j, i = np.mgrid[0:height, 0:width]
    clean += 100.0 * np.exp(-(np.hypot(j - 90.5, i - 160.5) ** 2) / 2.0)[..., None]
    picture[90:92, 160:162] += 200.0
    given = with_the_light_of(picture.astype(np.float32), clean.astype(np.float32))
    away = np.hypot(j - 90.5, i - 160.5) > 5.0
    ratio = np.where(away, given[..., 1] / clean[..., 1], 1.0)
    steps = max(np.abs(np.diff(ratio, axis=axis)).max() for axis in (0, 1))
    assert steps < 0.01, "a step is an edge that nothing in the picture has"
    lamp = [(p - mist)[70:112, 140:182].sum() for p in (given, picture)]
    assert lamp[0] > 0.5 * lamp[1]


def test_the_picture_as_a_whole_keeps_its_light_of_each_colour():
    """A coloured lamp that holds most of the light, and a little bright grain that the network takes away."""
    rng = np.random.default_rng(7)
    height, width = 180, 320
    j, i = np.mgrid[0:height, 0:width]
    mist = 0.5 * np.ones((height, width, 3))
    lamp = np.exp(-(np.hypot(j - 90.5, i - 160.5) ** 2) / 2.0)[..., None] * np.array([9000.0, 5000.0, 1500.0])
    picture = mist * rng.gamma(16.0, 1 / 16.0, (height, width, 1)) + lamp
    for row, column in rng.integers((5, 5), (60, width - 5), (3, 2)):
        picture[row, column] += 200.0
    # The network makes a lamp's colour its own.
    clean = (mist + lamp * np.array([1.1, 0.9, 0.8])).astype(np.float32)
    given = with_the_light_of(picture.astype(np.float32), clean)
    assert given.sum((0, 1)) == pytest.approx(picture.sum((0, 1)), rel=1e-3)
    # Blocks of so few pixels differ by some hundredths as they are; no grain has lit up the light about it.
    assert np.abs(given[:60] / clean[:60] - 1.0).max() < 0.07


def veiled_wall(path, alpha):
    """A dark wall behind a pale sheet that is there by ``alpha``, as glTF has it (alpha mode BLEND)."""
    file, corners = File(), np.array([(-1, -1, 0), (1, -1, 0), (1, 1, 0), (-1, 1, 0)], np.float32)
    looks = {"baseColorFactor": [0.05, 0.05, 0.06, 1.0]}, {"baseColorFactor": [0.9, 0.85, 0.8, alpha]}
    file.json["nodes"], file.json["scenes"] = [{"mesh": 0}, {"mesh": 1}], [{"nodes": [0, 1]}]
    for number, (look, size, z) in enumerate(zip(looks, (6.0, 1.5), (-3.0, 0.0))):
        points = corners * np.float32(size) + np.array([0.0, 0.0, z], np.float32)
        primitive = {"attributes": {"POSITION": file.accessor(points)}, "indices": file.accessor(FACES)}
        file.json["meshes"].append({"primitives": [primitive | {"material": number}]})
        file.json["materials"].append({
            "doubleSided": True, "alphaMode": "BLEND" if number else "OPAQUE",
            "pbrMetallicRoughness": look | {"metallicFactor": 0.0, "roughnessFactor": 0.9},
        })  # fmt: skip
    return load_place(file.write(path))


@pytest.mark.parametrize("alpha", [0.3, 0.7])
def test_what_is_partly_there_is_without_speckles(tmp_path, alpha):
    """Whether a path stops at it is drawn: as a guide that drew speckles all over, however long one waited."""
    view = View(Camera((0.0, -6.0, 0.0), (0.0, 0.0, 0.0), 35.0), 160, 90)
    frame = Frame(PackedPlace(veiled_wall(tmp_path / "veil.glb", alpha)), view)
    frame.add_guides(1)
    (key,) = frame.want([LayerSpec("veil", view, Ball((2.0, -4.0, 2.0), 0.2), Medium(), 1)])
    for _ in range(8):
        frame.trace([key])
    frame.add_guides(2)
    albedo, normal = frame.guide_images(Medium())
    middle = slice(35, 55), slice(65, 95)
    front, behind = (SRGB_TO_ACESCG @ np.array(c) for c in ([0.9, 0.85, 0.8], [0.05, 0.05, 0.06]))
    assert albedo[middle] == pytest.approx(np.broadcast_to(alpha * front + (1 - alpha) * behind, (20, 30, 3)), rel=1e-3)
    image = frame.image(key)
    summed = image.surface + image.air

    def roughness(picture):
        tone = picture[middle].mean(2)
        return np.abs(np.diff(tone, 2, axis=1)).mean() / tone.mean()

    clean = denoise(summed, albedo, normal, "high")
    assert roughness(clean) < 0.02 * roughness(summed)
    assert clean[middle].mean() == pytest.approx(summed[middle].mean(), rel=0.1)
