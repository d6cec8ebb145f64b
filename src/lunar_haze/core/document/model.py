"""The document: a place, its shots, its looks and its pins, as one frozen value."""

import datetime as dt
import math

import attrs

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.errors import DocumentError
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.readings.levels import Latitude
from lunar_haze.core.sky.ephemeris import Site
from lunar_haze.core.sky.model import Weather
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.gain import is_active
from lunar_haze.core.sources.model import Source
from lunar_haze.core.units.curve import PLAIN, Key, value_at

SCHEMA = 6
#: How many frames of a shot go by in a second, to begin with.
USUAL_RATE = 24.0


@attrs.frozen
class PlaceRef:
    """Which modelled place the document lights, and where on earth it lies. ``path`` is absolute while it is open.

    ``scene`` names one of a file's scenes, "" the one it shows by itself.
    """

    path: str = ""
    scale: float = 1.0
    site: Site = Site()
    scene: str = ""


@attrs.frozen
class Cue:
    """A number that changes over a shot's frames: which row (see `rows`) of which target it is, and its keys.

    ``part`` tells which bank of the air, or which mask of the finish and which region of it, where the row is of one;
    ``keys`` lie in order, one at the least; ``scale`` is what is drawn straight between them (see `curve`).
    """

    target: str
    row: str
    keys: tuple[Key, ...]
    scale: str = PLAIN
    part: tuple[int, ...] = ()

    @property
    def name(self) -> tuple[str, str, tuple[int, ...]]:
        """What it is the cue of."""
        return self.target, self.row, self.part

    def at(self, frame: float) -> float:
        """Its number at a frame."""
        return value_at(self.keys, frame, self.scale)


@attrs.frozen
class Shot:
    """A camera in the place. ``frame_width`` x ``frame_height`` is the size of its stills [px].

    ``ends`` is where the camera has moved to by the last frame, None for one that stands still;
    ``frame`` is the one on screen; ``latitude`` is what the camera holds, in stops about mid grey. ``rate`` is how many
    frames go by in a second, the same for all shots of a document; ``cues`` are those of the lens.
    """

    name: str
    camera: Camera = Camera()
    locked: bool = True
    frame_width: int = 1920
    frame_height: int = 1080
    first_frame: int = 1
    last_frame: int = 1
    subject: tuple[str, ...] = ()
    ends: Camera | None = None
    frame: int = 1
    latitude: Latitude = Latitude()
    rate: float = USUAL_RATE
    cues: tuple[Cue, ...] = ()

    def camera_at(self, frame: int) -> Camera:
        """The camera at a frame of its move."""
        span = self.last_frame - self.first_frame
        if self.ends is None or span <= 0:
            return self.camera
        return self.camera.towards(self.ends, min(max((frame - self.first_frame) / span, 0.0), 1.0))

    @property
    def seen_from(self) -> Camera:
        """The camera at the frame on screen."""
        return self.camera_at(self.frame)

    @property
    def seconds(self) -> float:
        """Time from the first frame to the frame on screen [s]."""
        return max(self.frame - self.first_frame, 0) / self.rate

    @property
    def open_s(self) -> float:
        """How long the shutter is open at each frame [s]: half of the time that a frame lasts, as film has it."""
        return 0.5 / self.rate

    @property
    def edits_end(self) -> bool:
        """Whether what is done to the camera on screen is done to the end of its move."""
        return self.ends is not None and self.frame >= self.last_frame > self.first_frame


@attrs.frozen
class Group:
    """Sources that are balanced as one: their dimmer, mute and alone lie on top of each source's own.

    ``colour`` is a word for the mark that its cards carry, "" for none.
    """

    name: str
    dimmer_stops: float = 0.0
    muted: bool = False
    alone: bool = False
    folded: bool = False
    colour: str = ""


@attrs.frozen
class ReferenceFile:
    """The picture that a look is to come near to: its file, and what that held when it was chosen."""

    path: str = ""
    digest: str = ""


@attrs.frozen
class Look:
    """Everything that lights a shot. ``hour_h`` is local clock time [h] of ``date``, where it is keyed beyond the day's
    ends as well: 24.5 is half past midnight of the day after. Exposure as EV100 and stops.

    ``weather`` is that of every sun, moon and sky that follows the hour. ``f_stop`` and ``iso`` are what the exposure
    is told by as a camera has it; they change no light. Numbers with ``cues`` hold what their curves have at the frame
    on screen (see `cues`).
    """

    name: str
    hour_h: float = 12.0
    date: str = "2024-08-21"
    weather: Weather = Weather()
    sources: tuple[Source, ...] = ()
    groups: tuple[Group, ...] = ()
    cards: tuple[Card, ...] = ()
    medium: Medium = Medium()
    bounces: int = 2
    ev100: float = 12.0
    stops: float = 0.0
    f_stop: float = 2.8
    iso: float = 800.0
    note: str = ""
    reference: ReferenceFile | None = None
    finish: Finish = Finish()
    cues: tuple[Cue, ...] = ()

    @property
    def clock_h(self) -> float:
        """The hour as a clock shows it, in [0, 24) [h]."""
        return self.hour_h % 24.0

    @property
    def day(self) -> str:
        """The date of the hour, past midnight another than ``date``."""
        days = math.floor(self.hour_h / 24.0)
        return (dt.date.fromisoformat(self.date) + dt.timedelta(days=days)).isoformat() if days else self.date

    def source(self, source_id: str) -> Source | None:
        """The source of that id, or None."""
        return next((s for s in self.sources if s.id == source_id), None)

    def expect(self, source_id: str) -> Source:
        """The source of that id. Raises KeyError when there is none."""
        found = self.source(source_id)
        if found is None:
            raise KeyError(source_id)
        return found

    def group(self, name: str) -> Group | None:
        """The group of that name, or None."""
        return next((g for g in self.groups if g.name == name), None)

    def balanced(self) -> tuple[Source, ...]:
        """The sources with what their groups lay on top."""
        groups = {g.name: g for g in self.groups}

        def under(source: Source) -> Source:
            group = groups.get(source.group)
            if group is None:
                return source
            return attrs.evolve(
                source,
                dimmer_stops=source.dimmer_stops + group.dimmer_stops,
                muted=source.muted or group.muted,
                alone=source.alone or group.alone,
            )

        return tuple(under(s) for s in self.sources) if groups else self.sources

    def active(self) -> frozenset[str]:
        """Ids of the sources that take part in the mix."""
        sources = self.balanced()
        any_alone = any(s.alone and not s.muted for s in sources)
        return frozenset(s.id for s in sources if is_active(s, any_alone))


@attrs.frozen
class Marker:
    """A place on a surface whose light is read: its name, where it is in the place [m], its radius as a share of the
    frame's height.
    """

    id: str
    name: str
    point: tuple[float, float, float]
    radius: float = 0.015


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
    markers: tuple[Marker, ...] = ()

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
