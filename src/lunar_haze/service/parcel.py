"""A sequence as it travels to other machines: plain text, and bytes under names of our own making, checked on arrival.

Nothing in it is code or a pickle, and no name in it is a path of the machine that it comes from.
"""

import hashlib
import json
import logging
import os
from pathlib import Path
from typing import Any

import attrs

from lunar_haze.core.document.checks import FRAME
from lunar_haze.core.document.files import from_json, holders_of_paths, to_json
from lunar_haze.core.document.model import Document
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.errors import HandOffError, HazeError, ServiceError, os_reason
from lunar_haze.core.layers.engine import engine_version
from lunar_haze.core.layers.model import PlaceSpec
from lunar_haze.core.place.travel import travelling
from lunar_haze.core.units.content import read_regular
from lunar_haze.core.units.inside import is_inside, plain_name, plain_suffix
from lunar_haze.service.sequence import SequenceSpec, check

log = logging.getLogger(__name__)

#: Of a sequence's values these travel, besides the document; each with its type.
_VALUES: dict[str, type] = {
    "shot": str, "look": str, "first": int, "last": int, "step": int, "passes": int, "denoise": bool, "layers": bool,
    "bits": int, "screen": str,
}  # fmt: skip
_MOST_PASSES = 1 << 20
#: What values of another kind than was said show themselves by.
_ODD = (ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError)


@attrs.frozen
class Parcel:
    """A sequence as it travels: ``values`` and document as JSON, and its files: plain names, digests of the bytes."""

    values: str
    text: str
    files: tuple[tuple[str, str], ...]
    engine: str

    @property
    def name(self) -> str:
        """Name of all that is in it."""
        return digest_of(repr((self.values, self.text, self.files, self.engine)).encode())


def digest_of(data: bytes) -> str:
    """The name of bytes by what they are."""
    return hashlib.blake2b(data, digest_size=16).hexdigest()


def parcel_of(spec: SequenceSpec) -> tuple[Parcel, dict[str, bytes]]:
    """A sequence ready to travel, and its files by digest. Raises HazeError for a set that is gone.

    Of the document only the look and shot go along that it is of.
    """
    document = spec.on_screen
    alone = attrs.evolve(document, shots=(document.shot,), looks=(document.look,), pins=(), extra=())
    data = json.loads(to_json(alone, None))
    place = document.place
    try:
        own, named = travelling(Path(place.path))
    except OSError as error:
        raise HandOffError(f"the place {place.path} cannot be read: {os_reason(error)}") from error
    holders = list(holders_of_paths({key: value for key, value in data.items() if key != "place"}))
    for number, holder in enumerate(holders):
        path = Path(holder["path"])
        holder["path"] = f"lit-{number}{plain_suffix(path)}"
        try:
            named[holder["path"]] = read_regular(path)
        except (OSError, ValueError) as error:
            # What is missing here is missing there, and said so by what needs it.
            log.warning("%s does not travel: %s", path, error)
    data["place"]["path"] = own
    files = {name: digest_of(held) for name, held in named.items()}
    values = {name: getattr(spec, name) for name in _VALUES}
    values |= {
        "size": list(spec.size),
        "suffix": ".png" if spec.is_film else spec.output.suffix.lower(),
        "place": place_spec(place).key,
    }
    parcel = Parcel(json.dumps(values), json.dumps(data), tuple(sorted(files.items())), engine_version())
    return parcel, {files[name]: held for name, held in named.items()}


def unpacked(parcel: Parcel, blobs: dict[str, bytes], root: Path) -> tuple[SequenceSpec, PlaceSpec]:
    """A parcel's sequence and place with its files in the folder ``root``; stills go to a folder ``out`` in it.

    Raises ServiceError for a parcel that is not as `parcel_of` makes them: nothing of it is written outside of
    ``root``, and its document reads nothing there.
    """
    try:
        for name, digest in parcel.files:
            held = blobs[digest]
            if not isinstance(held, bytes) or digest_of(held) != digest:
                raise ValueError(f"{name} is not what it says")
            descriptor = os.open(root / plain_name(name), os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o600)
            with os.fdopen(descriptor, "wb") as stream:
                stream.write(held)
        values = json.loads(parcel.values)
        document = _document(parcel.text, root)
        out = root / "out"
        out.mkdir()
        suffix = plain_suffix(Path(f"a{values['suffix']}"))
        told = {name: _of_kind(values[name], kind) for name, kind in _VALUES.items()}
        width, height = (_of_kind(part, int) for part in values["size"])
        if not (
            FRAME[0] <= min(width, height) and max(width, height) <= FRAME[1] and 1 <= told["passes"] <= _MOST_PASSES
        ):
            raise ValueError("its size is none")
        spec = SequenceSpec(document, output=out / f"####{suffix}", size=(width, height), **told)
        check(spec)
        place = attrs.evolve(place_spec(document.place), key=_of_kind(values["place"], str))
    except (OSError, HazeError, *_ODD) as error:
        log.warning("a parcel is refused: %s", error)
        raise ServiceError(f"a sequence came that this program would not send ({error}); it is not made") from error
    return spec, place


def _document(text: str, root: Path) -> Document:
    document, _notes = from_json(_of_kind(text, str), root, "a sequence")
    for holder in holders_of_paths(json.loads(to_json(document, None))):
        path = Path(holder["path"])
        if not is_inside(root, path):
            raise ValueError("it names a file elsewhere")
        plain_name(path.name)
    return document


def _of_kind(value: Any, kind: type) -> Any:
    if type(value) is not kind:
        raise ValueError(f"{str(value)[:40]!r} is no {kind.__name__}")
    return value
