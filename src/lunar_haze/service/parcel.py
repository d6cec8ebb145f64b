"""A sequence as it travels to other machines: what a document needs, named by content."""

import hashlib
import json
import logging
import os
import pickle
from pathlib import Path, PurePosixPath

import attrs

from lunar_haze.core.document.files import holders_of_paths, to_json
from lunar_haze.core.document.model import Document
from lunar_haze.core.layers.engine import engine_version
from lunar_haze.core.place.files import files_of
from lunar_haze.core.units.content import content_digest
from lunar_haze.service.sequence import SequenceSpec

log = logging.getLogger(__name__)

#: A place may refer to files so many folders above its own.
_UP = PurePosixPath("a/b/c/d/e/f")


@attrs.frozen
class Parcel:
    """A sequence as it travels: its values, the document's text, and the files it needs, name by digest."""

    values: bytes
    text: str
    files: tuple[tuple[str, str], ...]
    engine: str

    @property
    def name(self) -> str:
        """Name of all that is in it."""
        return hashlib.blake2b(pickle.dumps(self), digest_size=16).hexdigest()


def parcel_of(spec: SequenceSpec) -> tuple[Parcel, dict[str, Path]]:
    """A sequence ready to travel, and where its files lie here, by digest. Raises HandOffError for one that is gone."""
    data = json.loads(to_json(attrs.evolve(spec.document, pins=(), extra=()), None))
    place = Path(spec.document.place.path)
    named: dict[str, Path] = {}
    for path in files_of(place):
        named[os.path.normpath(_UP / os.path.relpath(path, place.parent))] = path
    for number, holder in enumerate(holders_of_paths(data)):
        path = Path(holder["path"])
        if path == place:
            holder["path"] = str(_UP / place.name)
        elif path.is_file():
            holder["path"] = f"lit/{number}/{path.name}"
            named[holder["path"]] = path
    here: dict[str, Path] = {}
    files: list[tuple[str, str]] = []
    for name, path in named.items():
        try:
            digest = content_digest(path)
        except (OSError, ValueError) as error:
            # What is missing here is missing there, and said so by what needs it.
            log.warning("%s does not travel: %s", path, error)
            continue
        files.append((name, digest))
        here[digest] = path
    rest = attrs.evolve(spec, document=Document(), output=Path(spec.output.name))
    return Parcel(pickle.dumps(rest), json.dumps(data), tuple(sorted(files)), engine_version()), here
