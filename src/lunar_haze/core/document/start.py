"""A first document for a place that was just imported, and the key of its file."""

import hashlib
import os
from pathlib import Path

import attrs

from lunar_haze.core.document.edits import under_heavens
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.document.model import Document, Look, PlaceRef, Shot
from lunar_haze.core.errors import PlaceError, os_reason
from lunar_haze.core.layers.model import PlaceSpec
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.files import files_of
from lunar_haze.core.place.model import Place, emissive_luminance
from lunar_haze.core.sources.model import Sky, Source, Sun, Surface
from lunar_haze.core.units.content import content_digest, digest_or_none


def place_spec(reference: PlaceRef) -> PlaceSpec:
    """Name of a place by what the files hold that it is read from: its own, and those it refers to.

    Raises PlaceError with a sentence to show.
    """
    path = Path(reference.path)
    digest = hashlib.blake2b(repr(reference.scale).encode(), digest_size=16)
    try:
        digest.update(content_digest(path).encode())
    except (OSError, ValueError) as error:
        reason = os_reason(error) if isinstance(error, OSError) else str(error)
        raise PlaceError(f"the place {path} cannot be read ({reason}); put it back beside the document") from error
    for beside in files_of(path)[1:]:
        # One that is missing counts as such: the place looks different when it is back.
        digest.update(f"{os.path.relpath(beside, path.parent)} {digest_or_none(beside)}".encode())
    return PlaceSpec(str(path), reference.scale, digest.hexdigest())


def glowing_sources(place: Place) -> tuple[Source, ...]:
    """One source for each glowing material of a place, at the luminance the file gives it."""
    return tuple(
        Source(new_id(), m.name, Surface(m.name), emissive_luminance(m), "cd/m2", role="practical")
        for m in place.glowing_materials()
    )


def establishing_camera(place: Place) -> Camera:
    """A camera that sees the whole place from the south-east, for places that bring none."""
    low, high = place.bounds
    centre = (low + high) / 2
    reach = float((high - low)[:2].max())
    position = (
        float(centre[0] + reach * 0.7),
        float(centre[1] - reach * 0.9),
        float(low[2] + max(reach * 0.45, 1.7)),
    )
    return Camera(position, (float(centre[0]), float(centre[1]), float(centre[2])), 28.0)


def new_document(path: Path, place: Place, scale: float = 1.0, hour_h: float = 10.0) -> Document:
    """A document with the place's cameras as shots and one look of plain daylight."""
    shots = tuple(Shot(c.name, c.camera) for c in place.cameras) or (
        Shot("Overview", establishing_camera(place), locked=False),
    )
    sources = (
        Source(new_id(), "sun", Sun(), 1.0, "true", role="key"),
        Source(new_id(), "sky", Sky(), 1.0, "true", role="fill"),
        *glowing_sources(place),
    )
    reference = PlaceRef(str(Path(path).resolve()), scale)
    look = Look("daylight", hour_h, sources=sources, ev100=14.0)
    look = attrs.evolve(look, sources=tuple(under_heavens(s, look, reference.site) for s in sources))
    return Document(reference, shots, (look,), (), shots[0].name, look.name)
