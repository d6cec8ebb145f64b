"""The journal of unsaved work: what a document is now, written aside at short intervals, found again after a crash.

It lies beside the document as ``.NAME.autosave``; where that folder cannot be written, and for work that has no name
yet, in the user's state folder. A save makes it void. A journal that is there is therefore work that was not saved,
whatever the dates of the files say.
"""

import contextlib
import fcntl
import hashlib
import json
import os
import stat
import time
import uuid
from pathlib import Path

import attrs

from lunar_haze.core.document.files import LARGEST, from_json, written_out
from lunar_haze.core.document.known_files import remember
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import HazeError
from lunar_haze.core.units.content import read_regular
from lunar_haze.core.units.written import put_bytes

_FORMAT = "lunar_haze_journal"


@attrs.frozen
class Found:
    """Work found in a journal: the document, when it was written [s since 1970], the file it is of ("" for none)."""

    document: Document
    written: float
    of: str
    path: Path

    @property
    def when(self) -> str:
        """The time of day, with the date where that is another."""
        then, now = time.localtime(self.written), time.localtime()
        return time.strftime("%H:%M" if then[:3] == now[:3] else "%Y-%m-%d %H:%M", then)


def _short(path: Path) -> str:
    """A short name that stands for a path."""
    return hashlib.blake2b(str(path).encode(), digest_size=8).hexdigest()


def _lock_of(path: Path, state_folder: Path) -> Path:
    """The file that is locked while the document, or work without a name, is open."""
    return state_folder / "open" / f"{_short(path)}.lock"


def beside(path: Path) -> Path:
    """Where the journal of a saved document lies."""
    return path.with_name(f".{path.name}.autosave")


def aside(path: Path, state_folder: Path) -> Path:
    """Where it lies when the document's own folder cannot be written."""
    return state_folder / "journals" / f"{path.stem}-{_short(path)}.autosave"


class Journal:
    """The journal of one document on screen. Methods may be called from any thread, one at a time."""

    def __init__(self, path: Path | None, state_folder: Path) -> None:
        self._path, self._state = path, state_folder
        #: Held while the document is open, so that another window can tell.
        self._lock = -1
        self._places = (
            [beside(path), aside(path, state_folder)]
            if path is not None
            else [state_folder / "unsaved" / f"{uuid.uuid4().hex[:12]}.autosave"]
        )

    def write(self, document: Document) -> Path:
        """Write the document aside; where it lies now. Raises OSError when no place can be written."""
        written, lit = written_out(document, None)
        text = json.dumps({_FORMAT: 1, "written": time.time(), "of": str(self._path or ""), "document": written})
        problem: OSError | None = None
        mode = None
        if self._path is not None:
            # Who may not read the document has no business in its journal.
            with contextlib.suppress(OSError):
                mode = stat.S_IMODE(self._path.stat().st_mode) | stat.S_IWUSR
        for place in self._places:
            try:
                # The document's own folder is never made anew: it may be a drive that was unplugged.
                if place.is_relative_to(self._state):
                    place.parent.mkdir(parents=True, exist_ok=True)
                put_bytes(place, text.encode(), mode)
            except OSError as error:
                problem = error
                continue
            # One journal only: an older one elsewhere must not be taken for the newest.
            for other in self._places:
                if other != place:
                    with contextlib.suppress(OSError):
                        other.unlink()
            remember(lit)
            return place
        raise problem or OSError(0, "there is no place for it")

    def void(self) -> None:
        """The work is saved, or given up."""
        for place in self._places:
            with contextlib.suppress(OSError):
                place.unlink()

    def find(self) -> tuple[Found | None, list[str]]:
        """The newest work that can be read, and notes on journals that cannot and were set aside."""
        found, notes = [], []
        for place in self._places:
            one, note = read(place)
            if one is not None:
                found.append(one)
            if note:
                notes.append(note)
        return max(found, key=lambda f: f.written, default=None), notes

    # -- who has it open --------------------------------------------------------------------------

    def claim(self) -> bool:
        """Say that this window has the document open; False when another has."""
        place = _lock_of(self._path or self._places[0], self._state)
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
            self._lock = os.open(place, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            self.release()
            return False
        except OSError:
            self.release()  # where nothing can be locked nothing is told
        return True

    def release(self) -> None:
        """The document is no longer open here."""
        if self._lock >= 0:
            os.close(self._lock)
            self._lock = -1


def read(place: Path) -> tuple[Found | None, str]:
    """Work in a journal, and a note on what of it cannot be read; a damaged one is set aside under another name."""
    try:
        text = read_regular(place, LARGEST).decode("utf-8")
    except FileNotFoundError:
        return None, ""
    except (OSError, UnicodeDecodeError):
        return None, _set_aside(place)
    try:
        data = json.loads(text)
        if isinstance(data, dict) and _FORMAT in data:
            text, written, of = str(data["document"]), float(data["written"]), str(data.get("of", ""))
        else:
            # As written by versions before: the document itself.
            written, of = place.stat().st_mtime, ""
        refused: list[Path] = []

        def may_read(paths: list[Path]) -> bool:
            refused.extend(paths)
            return False

        document, _notes = from_json(text, place.parent.resolve(), place.name, may_read)
        named = ", ".join(map(str, refused[:3]))
        told = f"unsaved work names files elsewhere, which are not read ({named})" if refused else ""
        return Found(document, written, of, place), told
    except (ValueError, KeyError, TypeError, OverflowError, RecursionError, OSError, HazeError):
        return None, _set_aside(place)


def _set_aside(place: Path) -> str:
    kept = place.with_name(f"{place.name}.damaged")
    with contextlib.suppress(OSError):
        place.replace(kept)
    return f"unsaved work beside it is damaged and cannot be read; it is kept as {kept.name}"


def unsaved(state_folder: Path) -> list[Found]:
    """Work that never had a name, the newest first; that of windows still open is left out."""
    found = []
    folder = state_folder / "unsaved"
    with contextlib.suppress(OSError):
        for place in [*folder.glob("*.autosave"), state_folder / "unsaved.autosave"]:
            one, _note = read(place)
            if one is not None and not _is_open(place, state_folder):
                found.append(one)
    return sorted(found, key=lambda f: f.written, reverse=True)


def _is_open(place: Path, state_folder: Path) -> bool:
    try:
        descriptor = os.open(_lock_of(place, state_folder), os.O_RDWR | os.O_CLOEXEC)
    except OSError:
        return False
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        return False
    except OSError:
        return True
    finally:
        os.close(descriptor)
