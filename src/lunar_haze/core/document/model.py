"""The document: a place, its shots, its looks and its pins, as one frozen value."""

import attrs

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.errors import DocumentError
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sources.model import Source

SCHEMA = 1


@attrs.frozen
class PlaceRef:
    """Which modelled place the document lights. ``path`` is absolute while the document is open."""

    path: str = ""
    scale: float = 1.0


@attrs.frozen
class Shot:
    """A camera in the place. ``frame_width`` x ``frame_height`` is the size of its stills [px]."""

    name: str
    camera: Camera = Camera()
    locked: bool = True
    frame_width: int = 1920
    frame_height: int = 1080
    first_frame: int = 1
    last_frame: int = 1
    subject: tuple[str, ...] = ()


@attrs.frozen
class Look:
    """Everything that lights a shot. ``hour_h`` is local solar time [h]; exposure as EV100 and stops."""

    name: str
    hour_h: float = 12.0
    sources: tuple[Source, ...] = ()
    medium: Medium = Medium()
    bounces: int = 2
    ev100: float = 12.0
    stops: float = 0.0
    note: str = ""

    def source(self, source_id: str) -> Source | None:
        """The source of that id, or None."""
        return next((s for s in self.sources if s.id == source_id), None)


@attrs.frozen
class Pin:
    """A kept state: the shot it was seen in and the whole look."""

    id: str
    name: str
    shot: str
    look: Look


@attrs.frozen
class Document:
    """All that a .haze file holds. ``extra`` keeps what this version could not read, untouched."""

    place: PlaceRef = PlaceRef()
    shots: tuple[Shot, ...] = ()
    looks: tuple[Look, ...] = ()
    pins: tuple[Pin, ...] = ()
    current_shot: str = ""
    current_look: str = ""
    extra: tuple[tuple[str, str], ...] = ()

    @property
    def shot(self) -> Shot:
        """The shot on screen."""
        return self.shot_named(self.current_shot)

    @property
    def look(self) -> Look:
        """The look on screen."""
        return self.look_named(self.current_look)

    def shot_named(self, name: str) -> Shot:
        """A shot by name. Raises DocumentError that lists the names there are."""
        for shot in self.shots:
            if shot.name == name:
                return shot
        raise DocumentError(f"there is no shot “{name}”; there are {', '.join(s.name for s in self.shots) or 'none'}")

    def look_named(self, name: str) -> Look:
        """A look by name. Raises DocumentError that lists the names there are."""
        for look in self.looks:
            if look.name == name:
                return look
        raise DocumentError(f"there is no look “{name}”; there are {', '.join(k.name for k in self.looks) or 'none'}")
