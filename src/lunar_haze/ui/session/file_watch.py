"""Notices when a file that the picture is made of is changed by another program, and has it read again."""

from pathlib import Path

from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer

from lunar_haze.core.document.start import place_spec
from lunar_haze.core.errors import PlaceError
from lunar_haze.core.place.files import files_of
from lunar_haze.core.plan.files import files_of_look
from lunar_haze.core.units.content import digest_or_none
from lunar_haze.ui.session.session import Session

#: Programs write a file in several goes: it is looked at when they have been quiet for so long.
QUIET_MS = 400


class FileWatch(QObject):
    """Watches the place's files and those of the look on screen, and the folders they lie in."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._watcher = QFileSystemWatcher(self)
        self._known: dict[Path, str] = {}
        self._quiet = QTimer(self, singleShot=True, interval=QUIET_MS)
        self._quiet.timeout.connect(self.look)
        # What is looked up by the way must not hold up a hand: it waits until the hand rests.
        self._renew = QTimer(self, singleShot=True, interval=QUIET_MS)
        self._renew.timeout.connect(self._watch)
        self._watcher.fileChanged.connect(self._quiet.start)
        self._watcher.directoryChanged.connect(self._quiet.start)
        session.changed.connect(self._renew.start)
        session.opened.connect(self._renew.start)

    def _files(self) -> list[Path]:
        if not self._session.is_open:
            return []
        document = self._session.document
        place = files_of(Path(document.place.path)) if document.place.path else []
        return list(dict.fromkeys([*place, *files_of_look(document.look)]))

    def _watch(self) -> None:
        files = self._files()
        self._known = {path: self._known.get(path) or digest_or_none(path) for path in files}
        wanted = {str(p) for p in files if p.exists()} | {str(p.parent) for p in files if p.parent.is_dir()}
        now = set(self._watcher.files()) | set(self._watcher.directories())
        if now - wanted:
            self._watcher.removePaths(sorted(now - wanted))
        if wanted - now:
            self._watcher.addPaths(sorted(wanted - now))

    def look(self) -> None:
        """Compare what the files hold with what they held; tell what has changed and have it read again."""
        before, self._known = self._known, {path: digest_or_none(path) for path in self._files()}
        changed = [path for path, digest in self._known.items() if path in before and digest != before[path]]
        # To the watcher a file that was replaced, not rewritten, is gone.
        self._watch()
        for path in changed:
            gone = not self._known[path]
            said = "is gone from the disk; what it gives is dark" if gone else "has changed on disk and is read again"
            self._session.said.emit(f"{path.name} {said}", gone)
        if changed:
            self._read_again()

    def _read_again(self) -> None:
        session = self._session
        try:
            spec = place_spec(session.document.place)
        except PlaceError as error:
            session.said.emit(str(error), True)
            return
        if spec != session.place_spec:
            session.reload_place(spec)
        session.changed.emit()
