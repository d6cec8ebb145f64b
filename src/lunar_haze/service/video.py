"""What a screen gives of light that shows a film: read by PyAV, frame by frame."""

from pathlib import Path

import numpy as np

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS, SRGB_TO_ACESCG, srgb_decode
from lunar_haze.core.errors import PictureError, os_reason
from lunar_haze.core.sources.screen_video import MOST_SERIES, FilmedScreen

#: What is offered; whatever PyAV reads is taken.
VIDEO_SUFFIXES = (".mp4", ".mov", ".webm", ".mkv", ".avi", ".m4v")
#: A frame's mean is taken from so many pixels across.
_ACROSS = 64


def read_screen(path: Path) -> FilmedScreen:
    """The light of a screen that shows a film: each frame's mean in linear light, of mean luminance 1 over all.

    Raises PictureError for a file that is no film, or a black one.
    """
    import av

    means: list[np.ndarray] = []
    try:
        with av.open(str(path)) as film:
            if not film.streams.video:
                raise PictureError(f"{path.name} holds no moving picture; choose a video")
            stream = film.streams.video[0]
            stream.thread_type = "AUTO"
            rate = float(stream.average_rate or stream.guessed_rate or 24.0)
            for frame in film.decode(stream):
                high = max(round(_ACROSS * frame.height / max(frame.width, 1)), 1)
                small = frame.reformat(width=_ACROSS, height=high, format="rgb24").to_ndarray()
                means.append(srgb_decode(small / 255.0).reshape(-1, 3).mean(0) @ SRGB_TO_ACESCG.T)
                if len(means) == MOST_SERIES:
                    break
    except av.FFmpegError as error:
        if isinstance(error, OSError) and not path.exists():
            raise PictureError(f"the video {path.name} is not there; was it moved or renamed?") from error
        raise PictureError(f"{path.name} is no video that can be read, or a damaged one") from error
    except OSError as error:
        raise PictureError(f"{path.name} cannot be read: {os_reason(error)}") from error
    series = np.maximum(np.array(means), 0.0) if means else np.zeros((0, 3))
    level = float((series @ LUMINANCE_WEIGHTS).mean()) if len(series) else 0.0
    if level <= 1e-6:
        raise PictureError(f"{path.name} is black from end to end; it gives no light")
    rows = np.round(series / level, 4).tolist()
    return FilmedScreen(tuple((r, g, b) for r, g, b in rows), round(rate, 4), name=path.name)
