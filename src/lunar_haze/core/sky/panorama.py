"""Photographed skies: reading them robustly, finding their own sun, turning them.

Any width from 512 to 16,384; wide ones are averaged down to 2,048 while they are read, row by
row. Files hold linear light (OpenEXR, Radiance .hdr) or display-encoded values (PNG, JPEG, TIFF
of integers); which is which is found out, shown, and can be overruled.
"""

import functools
import math
from pathlib import Path

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS, SRGB_TO_ACESCG, srgb_decode
from lunar_haze.core.errors import SkyError, os_reason
from lunar_haze.core.sky.bend import bent
from lunar_haze.core.sky.lat_long import bearing_of, direction_of, map_directions
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.units.content import content_digest

WIDEST_KEPT = 2048
_ROWS_AT_ONCE = 256
#: How far round its centre a lobe counts as the sun and its glare [deg].
LOBE_DEG = 4.0


@attrs.frozen(eq=False)
class Photograph:
    """Pixels (H, W, 3) float32 in linear ACEScg, the size of the file, its encoding as found, remarks."""

    pixels: NDArray[np.float32]
    width: int
    height: int
    encoding: str
    remarks: tuple[str, ...]


def file_digest(path: Path) -> str:
    """Digest of what a file holds. Raises SkyError."""
    try:
        return content_digest(path)
    except (OSError, ValueError) as error:
        reason = os_reason(error) if isinstance(error, OSError) else str(error)
        raise SkyError(f"the panorama {path} cannot be read ({reason})") from error


def read_panorama(path: Path, encoding: str = "") -> Photograph:
    """A lat-long photograph; ``encoding`` overrules what is found (linear or display). Raises SkyError."""
    path = Path(path)
    return _read(str(path), file_digest(path), encoding)


@functools.lru_cache(maxsize=3)
def _read(name: str, digest: str, encoding: str) -> Photograph:
    stored, to_acescg = _stored(name, digest)
    if not encoding:
        return _read(name, digest, stored.encoding)
    pixels = stored.pixels
    if encoding == "display":
        pixels = srgb_decode(pixels).astype(np.float32)
    pixels = np.maximum(pixels @ to_acescg, 0.0)
    pixels.flags.writeable = False
    return attrs.evolve(stored, pixels=pixels, encoding=encoding)


@functools.lru_cache(maxsize=1)
def _stored(name: str, digest: str) -> tuple[Photograph, NDArray[np.float32]]:
    """A photograph with its pixels as the file holds them, and the matrix (3, 3) from its primaries to ACEScg."""
    # Takes a third of a second to load, which only photographs need.
    import OpenImageIO as oiio

    path = Path(name)
    if path.is_dir():
        raise SkyError(f"{path} is a folder; choose a panorama (.exr, .hdr, or a picture)")
    source = oiio.ImageInput.open(name)
    if source is None:
        reason = (oiio.geterror() or "unknown format").strip().splitlines()[0]
        raise SkyError(f"the panorama {path.name} cannot be read: {reason}")
    try:
        spec = source.spec()
        if spec.width < 4 or spec.height < 2:
            raise SkyError(f"the panorama {path.name} is only {spec.width}x{spec.height} pixels large")
        pixels = _averaged(source, spec, path)
    finally:
        source.close()
    remarks = []
    integer = spec.format.basetype in (oiio.UINT8, oiio.UINT16, oiio.UINT32, oiio.INT8, oiio.INT16)
    if spec.width != 2 * spec.height:
        remarks.append(
            f"it is {spec.width}x{spec.height}, not twice as wide as high; it is stretched over the whole sphere"
        )
    broken = ~np.isfinite(pixels).all(-1)
    if broken.any():
        pixels[broken] = 0.0
        remarks.append(f"{broken.mean():.2%} of it are no numbers; they are taken as black")
    if (pixels < 0).any():
        remarks.append("it holds negative light, which is taken as none")
        pixels = np.maximum(pixels, 0.0)
    top = float(pixels.max(initial=0.0))
    if top <= 0.0:
        raise SkyError(f"the panorama {path.name} is black all over")
    found = "display" if integer or (top <= 1.0 and float(np.median(pixels)) > 0.2) else "linear"
    if integer:
        remarks.append("it is an ordinary picture: its sun is cut off at white, so it lights more weakly than it looks")
    elif found == "display":
        remarks.append("nothing in it is brighter than white; it looks display-encoded")
    photograph = Photograph(pixels, spec.width, spec.height, found, tuple(remarks))
    return photograph, _to_acescg(spec).astype(np.float32)


def _averaged(source, spec, path: Path) -> NDArray[np.float32]:
    step = max(-(-spec.width // WIDEST_KEPT), 1)
    channels = min(spec.nchannels, 3)
    height, width = spec.height // step, spec.width // step
    out = np.empty((height, width, 3), np.float32)
    rows = max(_ROWS_AT_ONCE // step, 1)
    for first in range(0, height, rows):
        last = min(first + rows, height)
        block = source.read_scanlines(
            spec.y + first * step, spec.y + last * step, 0, 0, channels, "float"
        )
        if block is None:
            raise SkyError(f"the panorama {path.name} is damaged: {source.geterror().strip().splitlines()[0]}")
        block = np.asarray(block, np.float32).reshape(-1, spec.width, channels)[: (last - first) * step, : width * step]
        if step > 1:
            total = np.zeros((last - first, width, channels), np.float32)
            for j in range(step):
                for i in range(step):
                    total += block[j::step, i::step]
            block = total / np.float32(step * step)
        out[first:last] = block if channels == 3 else block[..., :1]
    return out


def _to_acescg(spec) -> NDArray[np.float64]:
    """Matrix (3, 3), to be multiplied from the right, from the file's primaries to ACEScg."""
    primaries = spec.getattribute("chromaticities")
    if primaries is not None and np.allclose(primaries[:6], (0.713, 0.293, 0.165, 0.830, 0.128, 0.044), atol=2e-3):
        return np.eye(3)
    return SRGB_TO_ACESCG.T


@attrs.frozen
class Lobe:
    """The brightest spot of a panorama, in the file's own bearings, and its light.

    ``light`` (3,) is its irradiance facing it, in the file's unit times sr; ``share`` that of all
    the light it holds; ``background`` (3,) the radiance round it.
    """

    altitude_deg: float
    azimuth_deg: float
    light: tuple[float, float, float]
    share: float
    background: tuple[float, float, float]


def find_lobe(pixels: NDArray[np.float32]) -> Lobe:
    """The bright lobe of a lat-long picture (H, W, 3): where its sun stands and how much it gives."""
    from scipy.ndimage import gaussian_filter

    step = max(pixels.shape[1] // 512, 1)
    height, width = pixels.shape[0] // step, pixels.shape[1] // step
    small = pixels[: height * step, : width * step].reshape(height, step, width, step, 3).mean((1, 3))
    luminance = small @ LUMINANCE_WEIGHTS
    blurred = gaussian_filter(luminance, 1.0, mode=("nearest", "wrap"))
    y, x = np.unravel_index(np.argmax(blurred), blurred.shape)
    directions, solid = map_directions(height, width)
    near = directions @ directions[y, x] > math.cos(math.radians(LOBE_DEG))
    weight = np.where(near & (luminance > 0.3 * luminance[near].max()), luminance * solid, 0.0)
    towards = np.einsum("hw,hwc->c", weight, directions)
    towards /= np.linalg.norm(towards)
    altitude, azimuth = bearing_of(towards)
    background = np.median(small[_ring(directions, towards)], 0)
    inside = directions @ towards > math.cos(math.radians(LOBE_DEG))
    light = (np.maximum(small[inside] - background, 0.0) * solid[inside][:, None]).sum(0)
    total = float((luminance * solid).sum())
    return Lobe(
        altitude, azimuth, tuple(light.tolist()), float(light @ LUMINANCE_WEIGHTS) / max(total, 1e-30),
        tuple(background.tolist()),
    )  # fmt: skip


def _ring(directions: NDArray, towards: NDArray) -> NDArray[np.bool_]:
    cosine = directions @ towards
    return (cosine < math.cos(math.radians(LOBE_DEG))) & (cosine > math.cos(math.radians(LOBE_DEG + 3.0)))


@functools.lru_cache(maxsize=4)
def lobe_of(path: str, digest: str, encoding: str) -> Lobe:
    """`find_lobe` of a file."""
    return find_lobe(_read(path, digest, encoding).pixels)


def _rotation(dome: Panorama) -> NDArray[np.float64]:
    """(3, 3) from the file's axes to the place's: a tilt of its north, then a turn to the east."""
    tilt, turn = math.radians(dome.tilt_deg), math.radians(dome.turn_deg)
    lift = np.array([[1, 0, 0], [0, math.cos(tilt), -math.sin(tilt)], [0, math.sin(tilt), math.cos(tilt)]])
    about = np.array([[math.cos(turn), math.sin(turn), 0], [-math.sin(turn), math.cos(turn), 0], [0, 0, 1]])
    return about @ lift


def lobe_bearing(dome: Panorama) -> tuple[float, float]:
    """(altitude, azimuth) [deg] of a panorama's bright lobe in the place's axes."""
    lobe = lobe_of(dome.path, dome.digest, dome.encoding)
    return bearing_of(_rotation(dome) @ direction_of(lobe.altitude_deg, lobe.azimuth_deg))


def lobe_light(dome: Panorama) -> NDArray[np.float64]:
    """Light (3,) of the lobe on a surface that faces it, bent as the dome is, in the dome's unit times sr."""
    lobe = lobe_of(dome.path, dome.digest, dome.encoding)
    return bent(np.array(lobe.light), dome.bend, dome.hue_deg)


def panorama_radiance(dome: Panorama, height: int, width: int) -> NDArray[np.float64]:
    """Radiance (H, W, 3) of a panorama turned into the place's axes, in the file's own unit."""
    # Loaded here, since it takes a while and only photographs need it.
    from scipy.ndimage import map_coordinates

    pixels = _read(dome.path, dome.digest, dome.encoding).pixels
    if dome.without_sun:
        pixels = _without_lobe(pixels, lobe_of(dome.path, dome.digest, dome.encoding))
    # Averaged to about the wanted size first, so that no bright pixel falls between samples.
    step = max(pixels.shape[1] // width, 1)
    if step > 1:
        rows, columns = pixels.shape[0] // step, pixels.shape[1] // step
        pixels = pixels[: rows * step, : columns * step].reshape(rows, step, columns, step, 3).mean((1, 3))
    directions, _solid = map_directions(height, width)
    there = directions @ _rotation(dome)
    rows, columns = pixels.shape[:2]
    y = np.arccos(np.clip(there[..., 2], -1.0, 1.0)) * rows / math.pi - 0.5
    x = (np.arctan2(there[..., 0], there[..., 1]) % (2 * math.pi)) * columns / (2 * math.pi) - 0.5
    padded = np.concatenate([pixels[:, -1:], pixels, pixels[:, :1]], 1)
    radiance = np.stack(
        [map_coordinates(padded[..., k], (y, x + 1.0), order=1, mode="nearest") for k in range(3)], -1
    ).astype(np.float64)
    if dome.softness_deg > 0.0:
        radiance = _soften(radiance, dome.softness_deg)
    return bent(radiance, dome.bend, dome.hue_deg)


def _without_lobe(pixels: NDArray[np.float32], lobe: Lobe) -> NDArray[np.float32]:
    directions, _solid = map_directions(*pixels.shape[:2])
    inside = directions @ direction_of(lobe.altitude_deg, lobe.azimuth_deg) > math.cos(math.radians(LOBE_DEG))
    held = pixels.copy()
    held[inside] = np.minimum(held[inside], np.asarray(lobe.background, np.float32))
    return held


def _soften(radiance: NDArray, softness_deg: float) -> NDArray:
    """The horizon's line blurred over ``softness_deg``, the rest left as it is."""
    from scipy.ndimage import gaussian_filter

    height = radiance.shape[0]
    altitude = 90.0 - (np.arange(height) + 0.5) / height * 180.0
    share = np.exp(-((altitude / max(softness_deg, 0.05)) ** 2))[:, None, None]
    sigma = softness_deg / 180.0 * height
    smooth = np.stack([gaussian_filter(radiance[..., k], sigma, mode=("nearest", "wrap")) for k in range(3)], -1)
    return radiance * (1 - share) + smooth * share
