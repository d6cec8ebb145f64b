"""What a screen gives of light that shows a film: read by PyAV, frame by frame."""

import os
from pathlib import Path

import numpy as np

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS, SRGB_TO_ACESCG, srgb_decode
from lunar_haze.core.errors import PictureError, os_reason
from lunar_haze.core.sources.screen_video import MOST_RATE, MOST_SERIES, FilmedScreen
from lunar_haze.core.units.content import open_regular

#: What is offered; whatever PyAV reads is taken.
VIDEO_SUFFIXES = (".mp4", ".mov", ".webm", ".mkv", ".avi", ".m4v")
#: A frame's mean is taken from so many pixels across.
_ACROSS = 64
#: However tall a frame is, no more rows are looked at; larger frames are not decoded [px].
_MOST_DOWN, _MOST_EDGE, _MOST_PIXELS = 256, 16_384, 67_108_864


#: What is read, by how it begins: at which byte, what stands there, and FFmpeg's name of its reader.
_KINDS = ((4, b"ftyp", "mov"), (4, b"moov", "mov"), (4, b"mdat", "mov"), (4, b"wide", "mov"), (4, b"free", "mov"),
          (0, b"\x1aE\xdf\xa3", "matroska"), (8, b"AVI ", "avi"))  # fmt: skip


def _reader_of(path: Path) -> str:
    """FFmpeg's reader of a video. Raises OSError for what is no file, PictureError for what is no video."""
    with os.fdopen(open_regular(path), "rb") as stream:
        head = stream.read(16)
    for at, magic, reader in _KINDS:
        if head[at:].startswith(magic):
            return reader
    kinds = ", ".join(VIDEO_SUFFIXES)
    raise PictureError(f"{path.name} is no video, it holds no moving picture that is read; use {kinds}")


def _check_size(path: Path, width: int, height: int) -> None:
    if width > _MOST_EDGE or height > _MOST_EDGE or width * height > _MOST_PIXELS:
        raise PictureError(f"{path.name} has frames of {width:,} x {height:,} pixels, which are too large")


def read_screen(path: Path) -> FilmedScreen:
    """The light of a screen that shows a film: each frame's mean in linear light, of mean luminance 1 over all.

    Raises PictureError for a file that is no film, or a black one.
    """
    import av

    means: list[np.ndarray] = []
    try:
        reader = _reader_of(path)
        # By its own reader and no other: some follow what a file names.
        with av.open(f"file:{path.resolve()}", format=reader, options={"protocol_whitelist": "file"}) as film:
            if not film.streams.video:
                raise PictureError(f"{path.name} holds no moving picture; choose a video")
            stream = film.streams.video[0]
            if stream.codec_context is None:
                raise PictureError(f"{path.name} is no video that can be read: its codec is not known")
            stream.thread_type = "AUTO"
            rate = float(stream.average_rate or stream.guessed_rate or 24.0)
            if not 0.0 < rate <= MOST_RATE:
                raise PictureError(f"{path.name} has {rate:,.0f} frames a second; {MOST_RATE:,.0f} is the most")
            _check_size(path, stream.codec_context.width, stream.codec_context.height)
            for frame in film.decode(stream):
                _check_size(path, frame.width, frame.height)
                high = min(max(round(_ACROSS * frame.height / max(frame.width, 1)), 1), _MOST_DOWN)
                small = frame.reformat(width=_ACROSS, height=high, format="rgb24").to_ndarray()
                means.append(srgb_decode(small / 255.0).reshape(-1, 3).mean(0) @ SRGB_TO_ACESCG.T)
                if len(means) == MOST_SERIES:
                    break
    except FileNotFoundError as error:
        raise PictureError(f"the video {path.name} is not there; was it moved or renamed?") from error
    except (av.FFmpegError, UnicodeDecodeError, ValueError) as error:
        raise PictureError(f"{path.name} is no video that can be read, or a damaged one") from error
    except MemoryError as error:
        raise PictureError(f"{path.name} is larger than this machine's memory holds") from error
    except OSError as error:
        raise PictureError(f"{path.name} cannot be read: {os_reason(error)}") from error
    series = np.maximum(np.array(means), 0.0) if means else np.zeros((0, 3))
    level = float((series @ LUMINANCE_WEIGHTS).mean()) if len(series) else 0.0
    if level <= 1e-6:
        raise PictureError(f"{path.name} is black from end to end; it gives no light")
    rows = np.round(series / level, 4).tolist()
    return FilmedScreen(tuple((r, g, b) for r, g, b in rows), round(rate, 4), name=path.name)
