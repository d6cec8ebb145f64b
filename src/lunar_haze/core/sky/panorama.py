"""Photographed skies: reading them robustly, finding their own sun, turning them.

Any width from 512 to 16,384; wide ones are averaged down to 2,048 while they are read, row by
row. Files hold linear light (OpenEXR, Radiance .hdr) or display-encoded values (PNG, JPEG, TIFF
of integers); which is which is found out, shown, and can be overruled.
"""

import functools
import math
from pathlib import Path
from typing import Any

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import SRGB_TO_ACESCG, primaries_to_acescg, srgb_decode
from lunar_haze.core.errors import SkyError, os_reason
from lunar_haze.core.sky.grade import bent
from lunar_haze.core.sky.lat_long import bearing_of, direction_of, illuminance_lx, map_directions
from lunar_haze.core.sky.lobe import Lobe, find_lobe
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sky.photograph_checks import (
    CLIPPED_FROM,
    MOST_OVER_MEDIAN,
    guess_encoding,
    held_at_zero,
)
from lunar_haze.core.sky.photograph_kinds import BrightSpot, PhotographKind, guessed, named
from lunar_haze.core.units.content import content_digest
from lunar_haze.core.units.pictures import light_format

WIDEST_KEPT = 2048
_ROWS_AT_ONCE = 256
#: Larger files than this are not taken in [px].
WIDEST_READ = 32768
ACESCG_PRIMARIES = (0.713, 0.293, 0.165, 0.830, 0.128, 0.044, 0.32168, 0.33767)


@attrs.frozen(eq=False, slots=False)
class Photograph:
    """Pixels (H, W, 3) float32 in linear ACEScg, the size of the file, its encoding as found, remarks.

    ``cd_m2`` is the luminance [cd/m2] of one unit of the pixels where the file tells it, else 0;
    ``clipped`` whether its brightest lobe is cut off at white.
    """

    pixels: NDArray[np.float32]
    width: int
    height: int
    encoding: str
    remarks: tuple[str, ...]
    cd_m2: float = 0.0
    clipped: bool = False

    @property
    def level_lx(self) -> float:
        """Illuminance on level ground that it begins at: its own where it holds cd/m2, else that of its kind [lx]."""
        if self.cd_m2 > 0.0:
            return illuminance_lx(self.pixels) * self.cd_m2
        return self._guessed[1]

    @functools.cached_property
    def lobe(self) -> Lobe:
        """Its brightest spot."""
        return find_lobe(self.pixels, self.clipped)

    @property
    def kind(self) -> PhotographKind:
        """What it looks like: a guess."""
        return self._guessed[0]

    @functools.cached_property
    def _guessed(self) -> tuple[PhotographKind, float]:
        lobe = self.lobe
        return guessed(self.pixels, self.encoding, BrightSpot(lobe.altitude_deg, lobe.azimuth_deg, lobe.is_disc))

    @property
    def has_sun(self) -> bool:
        """Whether its brightest spot is a sun."""
        return self.has_sun_as(self.kind)

    def has_sun_as(self, kind: PhotographKind) -> bool:
        """Whether its brightest spot is a sun in a sky of a kind: small, strong, above the horizon."""
        return kind.has_sun and self.lobe.is_disc and self.lobe.altitude_deg > 0.0

    @property
    def level_remark(self) -> str:
        """A sentence on where that level comes from."""
        if self.cd_m2 > 0.0:
            return f"it holds cd/m²; it lights with its own {self.level_lx:,.3g} lx"
        return f"it holds no unit and looks like: {self.kind.name}, a guess; it begins at {self.level_lx:,g} lx"


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
    pixels, remarks = stored.pixels, list(stored.remarks)
    clipped = encoding == "display" and bool((pixels.min(-1) >= CLIPPED_FROM).any())
    if encoding == "display":
        pixels = srgb_decode(pixels).astype(np.float32)
    pixels = (pixels @ to_acescg).astype(np.float32)
    lowest = float(pixels.min())
    if lowest < 0:
        # A little below zero is what colours outside the gamut are; held so that the picture gives no more light.
        if lowest < -0.01 * float(np.median(np.abs(pixels))):
            remarks.append("it holds negative light, which is taken from what lies about it")
        pixels = held_at_zero(pixels)
    pixels.flags.writeable = False
    return attrs.evolve(stored, pixels=pixels, encoding=encoding, remarks=tuple(remarks), clipped=clipped)


@functools.lru_cache(maxsize=1)
def _stored(name: str, digest: str) -> tuple[Photograph, NDArray[np.float32]]:
    """A photograph with its pixels as the file holds them, and the matrix (3, 3) from its primaries to ACEScg."""
    try:
        return _open(name)
    except (ValueError, TypeError, RuntimeError) as error:  # a header of nonsense shows itself anywhere
        raise SkyError(f"the panorama {Path(name).name} is damaged and cannot be read; export it again") from error
    except MemoryError as error:
        raise SkyError(f"the panorama {Path(name).name} is larger than this machine's memory holds") from error


def _open(name: str) -> tuple[Photograph, NDArray[np.float32]]:
    # Takes a third of a second to load, which only photographs need.
    import OpenImageIO as oiio

    path = Path(name)
    if path.is_dir():
        raise SkyError(f"{path} is a folder; choose a panorama (.exr, .hdr, or a picture)")
    try:
        known = light_format(path)
    except OSError as error:
        raise SkyError(f"the panorama {path.name} cannot be read: {os_reason(error)}") from error
    source = oiio.ImageInput.open(name) if known else None
    if source is None:
        reason = (oiio.geterror() or "unknown format").strip().splitlines()[0]
        raise SkyError(f"the panorama {path.name} cannot be read: {reason}")
    try:
        if source.format_name() != known:
            raise SkyError(f"the panorama {path.name} cannot be read: unknown format")
        spec = source.spec()
        if spec.width < 4 or spec.height < 2:
            raise SkyError(f"the panorama {path.name} is only {spec.width}x{spec.height} pixels large")
        if spec.width > WIDEST_READ or spec.height > WIDEST_READ:
            raise SkyError(
                f"the panorama {path.name} is {spec.width}x{spec.height} pixels large; {WIDEST_READ} wide is the most"
            )
        pixels = _averaged(source, spec, path)
    finally:
        source.close()
    remarks = []
    integer = spec.format.basetype in (oiio.UINT8, oiio.UINT16, oiio.UINT32, oiio.INT8, oiio.INT16)
    if spec.width != 2 * spec.height:
        remarks.append(
            f"it is {spec.width}x{spec.height}, not twice as wide as high; it is stretched over the whole sphere"
        )
    pixels, faults = _without_absurd(pixels)
    remarks += faults
    if float(pixels.max(initial=0.0)) <= 0.0:
        raise SkyError(f"the panorama {path.name} is black all over")
    found = guess_encoding(pixels, integer, str(spec.getattribute("oiio:ColorSpace") or "") if integer else "")
    if integer and found == "display":
        remarks.append("it is an ordinary picture: its sun is cut off at white, so it lights more weakly than it looks")
    elif found == "display":
        remarks.append("nothing in it is brighter than white; it looks display-encoded")
    to_acescg, said = _to_acescg(spec, integer)
    if said:
        remarks.append(said)
    unit = spec.getattribute("whiteLuminance")
    cd_m2 = float(unit) if isinstance(unit, (int, float)) and math.isfinite(unit) and unit > 0 else 0.0
    photograph = Photograph(pixels, spec.width, spec.height, found, tuple(remarks), cd_m2)
    return photograph, to_acescg.T.astype(np.float32)


def _without_absurd(pixels: NDArray[np.float32]) -> tuple[NDArray[np.float32], list[str]]:
    """The picture without what is no light, and what is said of it."""
    remarks = []
    broken = np.isnan(pixels).any(-1)
    if broken.any():
        pixels[broken] = 0.0
        remarks.append(f"{broken.mean():.2%} of it are no numbers; they are taken as black")
    endless = np.isinf(pixels)
    if endless.any():
        finite = np.abs(pixels[~endless])
        top = float(finite.max(initial=0.0)) or 1.0
        pixels[:] = np.nan_to_num(pixels, posinf=top, neginf=0.0)
        remarks.append(f"{endless.any(-1).mean():.2%} of it are no numbers but endless; they are held at its brightest")
    lit = pixels[pixels > 0]
    if lit.size:
        most = MOST_OVER_MEDIAN * float(np.median(lit))
        if float(lit.max()) > most:
            remarks.append(f"{(pixels > most).any(-1).mean():.2%} of it are brighter than any sun; they are held")
            pixels = np.clip(pixels, -most, most)
    return pixels, remarks


def _averaged(source: Any, spec: Any, path: Path) -> NDArray[np.float32]:
    step = max(-(-spec.width // WIDEST_KEPT), 1)
    channels = min(spec.nchannels, 3)
    height, width = spec.height // step, spec.width // step
    out = np.empty((height, width, 3), np.float32)
    rows = max(_ROWS_AT_ONCE // step, 1)
    for first in range(0, height, rows):
        last = min(first + rows, height)
        block = source.read_scanlines(spec.y + first * step, spec.y + last * step, 0, 0, channels, "float")
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


def _to_acescg(spec: Any, integer: bool) -> tuple[NDArray[np.float64], str]:
    """Matrix (3, 3) from the file's primaries to ACEScg, and what is said where they are odd."""
    primaries = spec.getattribute("chromaticities")
    if primaries is None:
        return SRGB_TO_ACESCG, "" if integer else "it names no primaries; those of sRGB are taken"
    if np.allclose(primaries, ACESCG_PRIMARIES, atol=2e-3):
        return np.eye(3), ""
    try:
        return primaries_to_acescg(tuple(float(v) for v in primaries)), ""
    except (ValueError, np.linalg.LinAlgError):
        return SRGB_TO_ACESCG, "its primaries make no sense; those of sRGB are taken"


def has_sun(dome: Panorama) -> bool:
    """Whether the brightest spot of a panorama is a sun, as its kind has it (see `Photograph.has_sun`)."""
    photograph = _read(dome.path, dome.digest, dome.encoding)
    return photograph.has_sun_as(named(dome.sky_kind) if dome.sky_kind else photograph.kind)


def kind_guessed(dome: Panorama) -> str:
    """The name of the kind that a panorama looks like."""
    return _read(dome.path, dome.digest, dome.encoding).kind.name


@functools.lru_cache(maxsize=4)
def lobe_of(path: str, digest: str, encoding: str) -> Lobe:
    """`find_lobe` of the file at ``path``, kept by its content's digest; ``encoding`` tells what its numbers are."""
    return _read(path, digest, encoding).lobe


def _rotation(dome: Panorama) -> NDArray[np.float64]:
    """(3, 3) from the file's axes to the place's: a tilt of its north, then a turn to the east."""
    tilt, turn = math.radians(dome.tilt_deg), math.radians(dome.turn_deg)
    lift = np.array([[1, 0, 0], [0, math.cos(tilt), -math.sin(tilt)], [0, math.sin(tilt), math.cos(tilt)]])
    about = np.array([[math.cos(turn), math.sin(turn), 0], [-math.sin(turn), math.cos(turn), 0], [0, 0, 1]])
    return about @ lift


def lobe_in(dome: Panorama) -> Lobe:
    """The bright lobe of a panorama in the file's own bearings."""
    return lobe_of(dome.path, dome.digest, dome.encoding)


def lobe_bearing(dome: Panorama) -> tuple[float, float]:
    """(altitude, azimuth) [deg] of a panorama's bright lobe in the place's axes."""
    lobe = lobe_of(dome.path, dome.digest, dome.encoding)
    return bearing_of(_rotation(dome) @ direction_of(lobe.altitude_deg, lobe.azimuth_deg))


def lobe_light(dome: Panorama) -> NDArray[np.float64]:
    """Light (3,) of the lobe on a surface that faces it, bent as the dome is, in the dome's unit times sr."""
    lobe = lobe_of(dome.path, dome.digest, dome.encoding)
    return bent(np.array(lobe.light), dome.grade, dome.hue_deg)


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
    return bent(radiance, dome.grade, dome.hue_deg)


def _without_lobe(pixels: NDArray[np.float32], lobe: Lobe) -> NDArray[np.float32]:
    directions, _solid = map_directions(*pixels.shape[:2])
    inside = directions @ direction_of(lobe.altitude_deg, lobe.azimuth_deg) > math.cos(math.radians(lobe.radius_deg))
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
