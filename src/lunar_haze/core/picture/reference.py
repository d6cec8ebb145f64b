"""A reference picture: whatever ordinary picture file, as the screen would show it."""

from pathlib import Path

import attrs
import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from lunar_haze.core.colour.spaces import luminance
from lunar_haze.core.errors import PictureError, os_reason
from lunar_haze.core.picture.views import direct
from lunar_haze.core.units.content import read_regular
from lunar_haze.core.units.photometry import MID_GREY
from lunar_haze.core.units.pictures import MOST_PIXELS, light_format, open_picture

#: Pixels across that are kept.
WIDEST = 960
SUFFIXES = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".exr", ".hdr")


@attrs.frozen(eq=False)
class Reference:
    """A picture (h, w, 3) uint8 sRGB, red first, and what was odd about its file."""

    pixels: NDArray[np.uint8]
    remarks: tuple[str, ...] = ()


def read_reference(path: Path) -> Reference:
    """Read a reference picture, made small. Raises PictureError with a sentence."""
    path = Path(path)
    if path.suffix.lower() not in SUFFIXES:
        raise PictureError(f"{path.name} is no picture that is read; use {', '.join(SUFFIXES)}")
    try:
        found = _light(path) if path.suffix.lower() in (".exr", ".hdr") else _ordinary(path)
    except FileNotFoundError as error:
        raise PictureError(f"the reference {path.name} is not there; was it moved or renamed?") from error
    except UnidentifiedImageError as error:
        raise PictureError(f"{path.name} is no picture, or a damaged one") from error
    except MemoryError as error:
        raise PictureError(f"{path.name} is larger than this machine's memory holds") from error
    except OSError as error:
        raise PictureError(f"{path.name} cannot be read: {os_reason(error)}") from error
    except (ValueError, SyntaxError, RuntimeError, TypeError) as error:
        raise PictureError(f"{path.name} is damaged and cannot be read; export it again") from error
    if found.pixels.shape[0] < 8 or found.pixels.shape[1] < 8:
        raise PictureError(f"{path.name} has {found.pixels.shape[1]} x {found.pixels.shape[0]} pixels; that is too few")
    if not found.pixels.any():
        raise PictureError(f"{path.name} is black; there is nothing to come near to")
    return found


def _ordinary(path: Path) -> Reference:
    remarks = []
    data = read_regular(path)
    with open_picture(data) as picture:
        if getattr(picture, "n_frames", 1) > 1:
            remarks.append("it is animated; its first frame is used")
        picture.draft("RGB", (WIDEST * 2, WIDEST * 2))
        if picture.mode.startswith("I;16") or picture.mode in ("I", "F"):
            values = np.asarray(picture, np.float64)
            whole = 65535.0 if picture.mode != "F" else max(float(np.nanmax(values)), 1e-9)
            grey = np.clip(np.nan_to_num(values) / whole * 255, 0, 255).astype(np.uint8)
            small: Image.Image = Image.fromarray(grey).convert("RGB")
        else:
            if picture.mode in ("RGBA", "LA", "PA") or "transparency" in picture.info:
                remarks.append("what is transparent in it counts as black")
                whole_picture = picture.convert("RGBA")
                under = Image.new("RGBA", whole_picture.size, (0, 0, 0, 255))
                small = Image.alpha_composite(under, whole_picture).convert("RGB")
            else:
                if picture.mode == "CMYK":
                    remarks.append("it is in CMYK, whose colours are guessed")
                small = picture.convert("RGB")
        small.thumbnail((WIDEST, WIDEST))
        return Reference(np.asarray(small, np.uint8), tuple(remarks))


def _light(path: Path) -> Reference:
    import OpenImageIO as oiio

    source = oiio.ImageInput.open(str(path)) if light_format(path) in ("openexr", "hdr") else None
    if source is None:
        oiio.geterror()
        raise ValueError(path.name)
    try:
        spec = source.spec()
        if spec.width * spec.height > MOST_PIXELS:
            raise PictureError(f"{path.name} has {spec.width:,} x {spec.height:,} pixels; that is too many")
        pixels = source.read_image(0, 0, 0, min(spec.nchannels, 3), "float")
    finally:
        source.close()
    if pixels is None:
        raise ValueError(path.name)
    light = np.nan_to_num(np.asarray(pixels, np.float32).reshape(spec.height, spec.width, -1), posinf=0, neginf=0)
    light = np.maximum(light if light.shape[2] == 3 else light[..., :1].repeat(3, 2), 0)
    step = max(-(-spec.width // WIDEST), 1)
    light = light[::step, ::step]
    level = np.maximum(luminance(light), 0)
    lit = level[level > 0]
    scale = MID_GREY / float(np.exp(np.log(lit).mean())) if lit.size else 1.0
    shown = direct((light * np.float32(scale)).astype(np.float32))
    return Reference(np.rint(shown * 255).astype(np.uint8), ("its light is taken at its own mean exposure",))
