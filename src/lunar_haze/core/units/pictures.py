"""Ordinary pictures from elsewhere: known formats only, their sizes judged before a pixel is decoded.

Pillow reads some forty formats, a few of them by starting other programs or by following what they name.
"""

import io
import os
from pathlib import Path

from PIL import Image, UnidentifiedImageError

from lunar_haze.core.units.content import open_regular

#: What is read, by Pillow's names.
FORMATS = ("PNG", "JPEG", "TIFF", "BMP", "TGA", "WEBP", "GIF", "PPM", "JPEG2000", "DDS")
#: A larger picture is not decoded [px].
MOST_PIXELS = 178_956_970

#: What reading a picture raises for a file that is none, too large, or damaged.
UNREADABLE = (OSError, UnidentifiedImageError, Image.DecompressionBombError, ValueError, SyntaxError, OverflowError)


def open_picture(data: bytes) -> Image.Image:
    """A picture, not decoded yet. Raises one of `UNREADABLE`, with a sentence where it is too large."""
    try:
        picture = Image.open(io.BytesIO(data), formats=FORMATS)
    except Image.DecompressionBombError as error:
        raise OSError(0, f"it has more than {MOST_PIXELS:,} pixels, which are too many") from error
    if picture.width * picture.height > MOST_PIXELS:
        picture.close()
        raise OSError(0, f"it has {picture.width:,} x {picture.height:,} pixels, which are too many")
    return picture


#: How files begin that OpenImageIO is given, and what it calls their formats.
_MAGIC = (
    (b"\x76\x2f\x31\x01", "openexr"), (b"#?R", "hdr"), (b"\x89PNG\r\n\x1a\n", "png"), (b"\xff\xd8\xff", "jpeg"),
    (b"II*\0", "tiff"), (b"MM\0*", "tiff"), (b"II+\0", "tiff"), (b"MM\0+", "tiff"), (b"RIFF", "webp"), (b"BM", "bmp"),
    (b"\0\0\0\x0cjP  ", "jpeg2000"), (b"\xff\x4f\xff\x51", "jpeg2000"),
)  # fmt: skip


def light_format(path: Path) -> str:
    """The format of a picture of light or of an ordinary one, by how its file begins; "" for what is not read.

    OpenImageIO tries all that it knows on a file, films and volumes among them. Raises OSError for what is no file.
    """
    with os.fdopen(open_regular(path), "rb") as stream:
        head = stream.read(16)
    found = next((name for magic, name in _MAGIC if head.startswith(magic)), "")
    return "targa" if not found and path.suffix.lower() == ".tga" else found


def is_picture(data: bytes) -> bool:
    """Whether data is a picture that would be read."""
    try:
        open_picture(data).close()
    except UNREADABLE:
        return False
    return True
