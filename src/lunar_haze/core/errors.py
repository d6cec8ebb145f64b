"""What can go wrong, as a tree. The interface catches by meaning and shows the message as it is.

HazeError                a sentence that says what, where and what to do
├── DocumentError        a .haze file that cannot be read, written or understood
│   └── NewerSchemaError     written by a newer version
├── PlaceError           a modelled place that cannot be imported
├── SkyError             a moment without an ephemeris, a panorama that cannot be read
├── SourceError          a lamp distribution or a cut-out that cannot be read
├── PictureError         a reference picture that cannot be read
├── QuantityError        text that is no number with a unit this field takes
├── EngineError          the ray engine or the denoiser cannot work
├── ServiceError         the render process cannot be started or reached
└── HandOffError         a still or layer file that cannot be written
    └── TakenError           files of others lie where a sequence is to be written
"""

from pathlib import Path


class HazeError(Exception):
    """Base of every error that an artist may see; ``str(error)`` is fit to be shown."""


class DocumentError(HazeError):
    """A .haze file that cannot be read, written or understood."""


class NewerSchemaError(DocumentError):
    """A .haze file written by a newer version of the program."""


class PlaceError(HazeError):
    """A modelled place that cannot be imported."""


class SkyError(HazeError):
    """A moment that no ephemeris covers, or a panorama that cannot be used."""


class SourceError(HazeError):
    """A lamp's distribution or a cut-out that cannot be read."""


class PictureError(HazeError):
    """A reference picture that cannot be read."""


class FinishError(HazeError):
    """A step of a finish, or a mask, that cannot be made or is not there."""


class QuantityError(HazeError):
    """Text that is not a number in a unit the field takes."""


class EngineError(HazeError):
    """The ray engine or the denoiser cannot do what was asked."""


class ServiceError(HazeError):
    """The render process cannot be started or reached."""


class HandOffError(HazeError):
    """A file for other tools that cannot be written."""


class TakenError(HandOffError):
    """Files of others lie at the names of a sequence; ``paths`` are those."""

    def __init__(
        self, paths: list[Path], way_out: str = "choose another name, or say that it is to be replaced"
    ) -> None:
        self.paths = paths
        more = f" and {len(paths) - 1:,} more" if len(paths) > 1 else ""
        super().__init__(f"{paths[0]}{more}: there already, and not of this sequence; {way_out}")


def os_reason(error: OSError) -> str:
    """The reason of an operating-system error in plain words, without a path or a number."""
    return (error.strerror or str(error) or type(error).__name__).lower()
