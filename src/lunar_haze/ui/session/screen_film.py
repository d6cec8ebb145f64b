"""Reading the film that a screen shows, aside, and letting a source have its light."""

from pathlib import Path

import attrs
from PySide6.QtCore import QObject, Signal

from lunar_haze.core.document import edits
from lunar_haze.core.errors import PictureError
from lunar_haze.core.sources.screen_video import FilmedScreen
from lunar_haze.service.video import read_screen
from lunar_haze.ui.session.session import Session


class FilmReading(QObject):
    """One film being read for a source; it lives as long as that takes."""

    _read = Signal(object)

    def __init__(self, session: Session, source_id: str, path: Path) -> None:
        super().__init__(session)
        self._session, self._id, self._path = session, source_id, path
        self._read.connect(self._take)
        session.said.emit(f"reading {path.name} ...", False)
        session.aside.then(self._work, self._read.emit)

    def _work(self) -> FilmedScreen | str:
        try:
            return read_screen(self._path)
        except PictureError as error:
            return str(error)

    def _take(self, found: FilmedScreen | str | None) -> None:
        session = self._session
        source = session.document.look.source(self._id) if session.is_open else None
        if not isinstance(found, FilmedScreen):
            session.said.emit(found or f"{self._path.name} cannot be read; the log tells why", True)
        elif source is not None:
            if isinstance(source.flicker, FilmedScreen):
                found = attrs.evolve(found, start_s=source.flicker.start_s, depth=source.flicker.depth)
            session.act("film of the screen", edits.change_source(session.document, self._id, flicker=found))
            session.said.emit(f"{found.name}: {len(found.series):,} frames, {found.length_s:.1f} s", False)
        self.deleteLater()
