"""Stills and layers for other tools: PNG with the display view, OpenEXR with one named layer a source."""

import datetime as dt
import os
import re
import shutil
import struct
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lunar_haze import __version__
from lunar_haze.core.errors import HandOffError, os_reason
from lunar_haze.core.picture.views import DISPLAY_P3, SRGB
from lunar_haze.core.units.written import put

#: A disk with less room than this is full [bytes].
_HARDLY_ANY = 1 << 16
#: CIE xy of the ACEScg primaries and white, for the EXR header.
_CHROMATICITIES = (0.713, 0.293, 0.165, 0.830, 0.128, 0.044, 0.32168, 0.33767)


#: Names of channels and layers that a still has besides its sources; readers do not tell their case apart.
RESERVED = frozenset({"r", "g", "b", "a", "rgb", "rgba", "z", "y", "denoised", "beauty", "depth"})


def layer_name(name: str, taken: set[str]) -> str:
    """A source's name as an EXR layer: letters, digits and underscores, unlike the others and `RESERVED`."""
    safe = re.sub(r"\W+", "_", name, flags=re.ASCII).strip("_") or "source"
    unique, number = safe, 2
    while unique in taken or unique.lower() in RESERVED:
        unique, number = f"{safe}_{number}", number + 1
    taken.add(unique)
    return unique


#: Code points of ITU-T H.273 for the screens: primaries and transfer.
CODE_POINTS = {SRGB: (1, 13), DISPLAY_P3: (12, 13)}


def _tagged(path: Path, screen: str) -> None:
    """Say in a PNG which screen it is made for: a cICP chunk (PNG, third edition), right after its header."""
    data = path.read_bytes()
    chunk = b"cICP" + bytes([*CODE_POINTS[screen], 0, 1])
    header = 8 + 25
    path.write_bytes(
        data[:header] + struct.pack(">I", 4) + chunk + struct.pack(">I", zlib.crc32(chunk)) + data[header:]
    )


def write_png(path: Path, display: NDArray[np.float32], bits: int = 8, screen: str = SRGB) -> None:
    """Write a display-encoded picture (H, W, 3) in [0, 1] for a screen; 8 bits are dithered against banding."""
    if bits == 16:
        # Pillow holds no 16-bit RGB; OpenImageIO writes it.
        import OpenImageIO as oiio

        spec = oiio.ImageSpec(display.shape[1], display.shape[0], 3, "uint16")

        def write(to: Path) -> None:
            _write_oiio(to, spec, np.clip(display, 0, 1))
            _tagged(to, screen)

        place_file(path, write)
        return
    from PIL import Image

    noise = np.random.default_rng(1).random(display.shape, np.float32)
    codes = np.floor(np.clip(display, 0, 1) * 255 + noise).clip(0, 255).astype(np.uint8)

    def save(to: Path) -> None:
        Image.fromarray(codes).save(to, "PNG")
        _tagged(to, screen)

    place_file(path, save)


def write_tiff(path: Path, display: NDArray[np.float32]) -> None:
    """Write a display-encoded picture (H, W, 3) in [0, 1] as TIFF of 16 bits a channel."""
    import OpenImageIO as oiio

    spec = oiio.ImageSpec(display.shape[1], display.shape[0], 3, "uint16")
    spec.attribute("compression", "zip")
    place_file(path, lambda to: _write_oiio(to, spec, np.clip(display, 0, 1)))


def write_hdr(path: Path, picture: NDArray[np.float32]) -> None:
    """Write a linear picture (H, W, 3) as Radiance .hdr: 8 bits of mantissa with a shared exponent."""
    import OpenImageIO as oiio

    spec = oiio.ImageSpec(picture.shape[1], picture.shape[0], 3, "float")
    place_file(path, lambda to: _write_oiio(to, spec, picture))


def _write_oiio(path: Path, spec: Any, display: NDArray) -> None:
    """Make a picture in memory and write it: OpenImageIO does not tell of a disk that is full."""
    import OpenImageIO as oiio

    descriptor = os.memfd_create("lunar-haze")
    try:
        name = f"/proc/self/fd/{descriptor}"
        out = oiio.ImageOutput.create(f"new{path.suffix}")
        if out is None or not out.open(name, spec):
            raise OSError(0, f"could not open: {oiio.geterror()}")
        good = out.write_image(np.ascontiguousarray(display, np.float32)) and out.close()
        if not good:
            raise OSError(0, out.geterror() or oiio.geterror())
        with open(name, "rb") as made:
            path.write_bytes(made.read())
    finally:
        os.close(descriptor)


def write_exr(
    path: Path, beauty: NDArray[np.float32], layers: dict[str, NDArray[np.float32]], notes: dict[str, str]
) -> None:
    """Write scene-linear ACEScg float32 [cd/m2]: R, G, B of the beauty, and NAME.R/G/B for each layer.

    ``notes`` become text attributes, beside the standard ones for colours, program and date. The layers add up to the
    beauty. All arrays are (h, w, 3).
    """
    import OpenEXR

    channels = {"RGB": np.ascontiguousarray(beauty, np.float32)}
    for name, picture in layers.items():
        channels[name] = np.ascontiguousarray(picture, np.float32)
    header = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": _CHROMATICITIES,
        "whiteLuminance": 1.0,
        "colorInteropID": "lin_ap1_scene",
        "lunarHazeUnits": "scene-linear ACEScg (AP1 primaries, D60 white), luminance in cd/m2",
        "software": f"Lunar Haze {__version__}",
        "capDate": dt.datetime.now(dt.UTC).strftime("%Y:%m:%d %H:%M:%S"),
        "utcOffset": 0.0,
        **notes,
    }
    place_file(path, lambda to: OpenEXR.File(header, channels).write(str(to)))


def place_file(path: Path, write: Callable[[Path], object]) -> None:
    """Write a file by ``write`` and move it into place: a half-written still is never left. Raises HandOffError."""
    path = Path(path)
    if path.is_dir():
        raise HandOffError(f"{path} is a folder; give the still a name in it")
    try:
        put(path, write)
    except OSError as error:
        raise HandOffError(f"{path} cannot be written: {os_reason(error)}") from error
    except (RuntimeError, ValueError) as error:
        # OpenEXR tells that it failed, not why.
        full = shutil.disk_usage(path.parent).free < _HARDLY_ANY
        raise HandOffError(f"{path} cannot be written: {'no space left on device' if full else error}") from error
