"""Keeps the journal of the document at hand: at a bounded age, off the window's thread, void once the work is saved."""

import logging
import threading
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from lunar_haze.core.document.journal import Found, Journal
from lunar_haze.core.document.model import Document

log = logging.getLogger(__name__)

#: An edit lies in the journal after so long at the most, whatever the hand does meanwhile.
JOURNAL_MS = 600


class JournalKeeper(QObject):
    """Signal: ``said`` (text, is_problem). ``document`` tells the work as it is now, ``aside`` does something slow."""

    said = Signal(str, bool)

    def __init__(
        self, state_folder: Path, document: Callable[[], Document], aside: Callable[[Callable[[], None]], None]
    ) -> None:
        super().__init__()
        self._state_folder, self._document, self._aside = state_folder, document, aside
        self._path: Path | None = None
        self.journal = Journal(None, state_folder)
        self._due = QTimer(self, singleShot=True, interval=JOURNAL_MS)
        self._due.timeout.connect(self.write_aside)
        #: Held while a journal or the document itself is written: the one makes the other void.
        self.writing = threading.Lock()
        self._voided = 0
        self._told_place: Path | None = None

    def begin(self, path: Path | None) -> None:
        """Another document is at hand, or the same under another name."""
        self.journal.release()
        self._path, self._told_place = path, None
        self.journal = Journal(path, self._state_folder)
        if not self.journal.claim() and path is not None:
            self.said.emit(f"{path.name} is open in another window too; whoever saves second is asked first", True)

    def note_edit(self) -> None:
        """There is something to write. Started once, not anew with every edit: a hand may never rest."""
        if not self._due.isActive():
            self._due.start()

    def void(self) -> None:
        """The work is saved, or given up. To be called under `writing`."""
        self._due.stop()
        self._voided += 1
        self.journal.void()

    def write_aside(self) -> None:
        """Write without holding up the hand; what is made void meanwhile is not written."""
        # By the time it is written another document may be at hand: the journal goes with the work that it is of.
        document, journal, voided = self._document(), self.journal, self._voided

        def write() -> None:
            with self.writing:
                if voided == self._voided:
                    self._write(document, journal)

        if document.shots:
            self._aside(write)

    def flush(self) -> None:
        """Write what is due now."""
        if self._due.isActive():
            self._due.stop()
            with self.writing:
                self.write_now(self._document())

    def write_now(self, document: Document) -> None:
        """Write. A problem is told once, and so is a place other than beside the document."""
        self._write(document, self.journal)

    def _write(self, document: Document, journal: Journal) -> None:
        try:
            place: Path | None = journal.write(document)
        except OSError as error:
            log.warning("unsaved work cannot be kept: %s", error)
            place = None
        if place == self._told_place or journal is not self.journal:
            return
        self._told_place = place
        try:
            if place is None:
                self.said.emit("unsaved work cannot be kept on this disk; save it elsewhere soon", True)
            elif self._path is not None and place.parent != self._path.parent:
                self.said.emit(f"{self._path.parent} cannot be written; unsaved work is kept in {place.parent}", True)
        except RuntimeError:
            pass  # the session was closed meanwhile

    def find(self) -> Found | None:
        """Unsaved work of the document at hand; journals that cannot be read are told."""
        found, notes = self.journal.find()
        for note in notes:
            self.said.emit(note, True)
        return found
