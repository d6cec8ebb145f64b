"""The modelled place of the document that is open: read aside, and read again when its files change."""

import threading
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from lunar_haze.core.errors import HazeError, PlaceError
from lunar_haze.core.layers.model import PlaceSpec
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.model import Place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.ui.session.aside import Aside, handed


class PlaceAtHand(QObject):
    """``ready`` once the geometry is here, ``said`` (text, is_problem) for the artist; ``place`` is None until then."""

    ready = Signal()
    said = Signal(str, bool)
    _loaded = Signal(object, object)

    def __init__(self, aside: Aside) -> None:
        super().__init__()
        self._aside = aside
        self.place: Place | None = None
        self.spec: PlaceSpec | None = None
        #: A place and its geometry, one at the most. Whoever asks first makes it, on any thread, under the lock.
        self._index: list[tuple[Place, RayIndex]] = []
        self._one_builds = threading.Lock()
        self._loaded.connect(self._take)

    def index(self) -> RayIndex:
        """The geometry, ready to be asked, on any thread; raises PlaceError until it is here."""
        with self._one_builds:
            place = self.place
            if place is None:
                raise PlaceError("the place is still being opened; try again in a moment")
            if not self._index or self._index[0][0] is not place:
                self._index[:] = [(place, RayIndex(place))]
            return self._index[0][1]

    def have(self, place: Place | None) -> None:
        """A place that has been read already, or none."""
        self.place = place
        if place is None:
            with self._one_builds:
                self._index.clear()

    def read(self, spec: PlaceSpec) -> None:
        """Read a place aside; what is here of another stays until it comes."""
        self.spec = spec
        self._aside.run(lambda: self._load(spec))

    def _load(self, spec: PlaceSpec) -> None:
        found: Place | HazeError
        try:
            found = load_place(Path(spec.path), spec.scale, spec.scene)
        except HazeError as error:
            found = error
        handed(self._loaded.emit, spec, found)

    def _take(self, spec: PlaceSpec, found: Place | HazeError) -> None:
        if spec != self.spec:
            return
        if isinstance(found, HazeError):
            self.said.emit(str(found), True)
            return
        self.have(found)
        self.ready.emit()
