"""Keeps the journal of the document at hand: at a bounded age, off the window's thread, void once the work is saved."""

import logging
import threading
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from lunar_haze.core.document.journal import Found, Journal
from lunar_haze.core.document.lock import DocumentLock, Owner
from lunar_haze.core.document.model import Document
from lunar_haze.ui.session.aside import handed

log = logging.getLogger(__name__)

#: An edit lies in the journal after so long at the most, whatever the hand does meanwhile.
JOURNAL_MS = 600
#: How often other windows are told that this one is there.
FRESH_MS = 15_000


class JournalKeeper(QObject):
    """Signals: ``said`` (text, is_problem); ``lost`` when another window has taken over the document.

    ``document`` tells the work as it is now, ``aside`` does something slow.
    """

    said = Signal(str, bool)
    lost = Signal()
    _written = Signal(object, object)

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
        self._lock: DocumentLock | None = None
        self._fresh = QTimer(self, interval=FRESH_MS)
        self._fresh.timeout.connect(self.is_mine)
        self._told_place: Path | None = None
        self._written.connect(self._tell_place)

    def begin(self, path: Path | None) -> Owner | None:
        """Another document is at hand, or the same under another name.

        The other window where one has it open: what is at hand is then a copy without a name.
        """
        self.release()
        lock = None if path is None else DocumentLock(path)
        other = None if lock is None else lock.take()
        if other is not None:
            path = lock = None
        self._lock, self._path, self._told_place = lock, path, None
        self.journal = Journal(path, self._state_folder)
        if path is None:
            self.journal.claim()
        else:
            self._fresh.start()
        return other

    def release(self) -> None:
        """The document is no longer open here."""
        self._fresh.stop()
        self.journal.release()
        if self._lock is not None:
            self._lock.release()

    def is_mine(self) -> bool:
        """Whether the document is still this window's; ``lost`` is told where another has taken it over."""
        if self._lock is None or not self._lock.is_lost():
            return True
        self._lock = None
        self._fresh.stop()
        self.lost.emit()
        return False

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

        if document.shots and self.is_mine():
            self._aside(write)

    def flush(self) -> None:
        """Write what is due now."""
        if self._due.isActive():
            self._due.stop()
            if self.is_mine():
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
        handed(self._written.emit, journal, place)

    def _tell_place(self, journal: Journal, place: Path | None) -> None:
        """Where a journal was written, None for nowhere."""
        if place == self._told_place or journal is not self.journal:
            return
        self._told_place = place
        if place is None:
            self.said.emit("unsaved work cannot be kept on this disk; save it elsewhere soon", True)
        elif self._path is not None and place.parent != self._path.parent:
            self.said.emit(f"{self._path.parent} cannot be written; unsaved work is kept in {place.parent}", True)

    def find(self) -> Found | None:
        """Unsaved work of the document at hand; journals that cannot be read are told."""
        found, notes = self.journal.find()
        for note in notes:
            self.said.emit(note, True)
        return found
