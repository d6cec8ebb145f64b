"""Films: numbered stills put together by PyAV, with their rate and colours told as ITU-T H.273 has them."""

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import cast

import numpy as np

from lunar_haze.core.errors import HandOffError, os_reason
from lunar_haze.core.handoff.stills import CODE_POINTS, place_file

#: Which codec a film of a name has.
_CODECS = {".mp4": "libx264", ".mov": "libx264", ".webm": "libvpx-vp9"}
FILM_FORMATS = tuple(_CODECS)
#: Constant quality: finer than the eye tells in mist and night skies.
_QUALITY = {"libx264": {"crf": "14", "preset": "medium"}, "libvpx-vp9": {"crf": "20", "b": "0", "row-mt": "1"}}
#: The matrix that brings RGB to luma and chroma, as H.273 counts it: that of ITU-R BT.709.
_BT709 = 1


def write_film(path: Path, stills: Sequence[Path], rate: float, screen: str) -> None:
    """Put stills of one size together as a film of ``rate`` frames a second. Raises HandOffError.

    ``screen`` is what the stills are made for: it is told in the film.
    """
    import av
    from av.video.stream import VideoStream
    from PIL import Image

    codec = _CODECS[path.suffix.lower()]

    def write(to: Path) -> None:
        with av.open(str(to), "w", format={".mp4": "mp4", ".mov": "mov", ".webm": "webm"}[path.suffix.lower()]) as film:
            exact = Fraction(rate).limit_denominator(1001)
            stream = cast(VideoStream, film.add_stream(codec, rate=exact, options=_QUALITY[codec]))
            stream.pix_fmt = "yuv420p"
            context = stream.codec_context
            context.color_primaries, context.color_trc = CODE_POINTS[screen]
            context.colorspace, context.color_range = _BT709, 1
            for number, still in enumerate(stills):
                picture = np.asarray(Image.open(still).convert("RGB"))
                # Chroma has half the size: what is odd loses a row.
                picture = np.ascontiguousarray(picture[: picture.shape[0] // 2 * 2, : picture.shape[1] // 2 * 2])
                if number == 0:
                    stream.height, stream.width = picture.shape[:2]
                frame = av.VideoFrame.from_ndarray(picture, "rgb24").reformat(
                    format="yuv420p", dst_colorspace="ITU709", src_color_range="JPEG", dst_color_range="MPEG"
                )
                frame.color_primaries, frame.color_trc = CODE_POINTS[screen]
                frame.colorspace, frame.color_range = _BT709, 1
                for packet in stream.encode(frame):
                    film.mux(packet)
            for packet in stream.encode():
                film.mux(packet)

    try:
        place_file(path, write)
    except OSError as error:
        raise HandOffError(f"{path} cannot be written: {os_reason(error)}") from error
    except (ValueError, av.error.FFmpegError) as error:
        raise HandOffError(f"{path} cannot be written as a film: {error}") from error
