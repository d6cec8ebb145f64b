"""The work at hand: the document with its history and file, and what is chosen in it.

Widgets read from the session and edit through it; `changed` tells all of them. It knows nothing
of widgets or rendering.
"""

import json
import logging
import threading
import time
from pathlib import Path

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from lunar_haze.core.colour.spaces import acescg_to_hex
from lunar_haze.core.document import edits
from lunar_haze.core.document.files import (
    SUFFIX,
    autosave_path,
    from_json,
    load,
    save,
    to_json,
    write_atomically,
)  # fmt: skip
from lunar_haze.core.document.history import History
from lunar_haze.core.document.model import Document
from lunar_haze.core.document.start import new_document, place_spec
from lunar_haze.core.errors import DocumentError, HazeError
from lunar_haze.core.layers.model import PlaceSpec
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.model import Place, scale_remark
from lunar_haze.core.sky.gradient import sky_map
from lunar_haze.core.sources.gain import source_colour
from lunar_haze.core.sources.model import Sky, Source, Surface

log = logging.getLogger(__name__)

AUTOSAVE_MS = 1500
RECENT_LIMIT = 8
AIR, LENS = "air", "lens"


class Session(QObject):
    """Signals: ``changed`` after every edit, ``opened`` after another document, ``chosen_changed``,
    ``place_ready`` once the place's geometry is here, ``said`` (text, is_problem) for the artist."""

    changed = Signal()
    opened = Signal()
    chosen_changed = Signal()
    place_ready = Signal()
    said = Signal(str, bool)
    _place_loaded = Signal(object, object)

    def __init__(self, state_folder: Path) -> None:
        super().__init__()
        self._state_folder = state_folder
        self.history = History(Document())
        self.path: Path | None = None
        self.place: Place | None = None
        self.place_spec: PlaceSpec | None = None
        self.chosen = ""
        self._threads: list[threading.Thread] = []
        self._autosave = QTimer(self, singleShot=True, interval=AUTOSAVE_MS)
        self._autosave.timeout.connect(self.autosave)
        self._place_loaded.connect(self._take_place)

    # -- document -------------------------------------------------------------------------------

    @property
    def document(self) -> Document:
        """The document as it is now."""
        return self.history.document

    @property
    def is_open(self) -> bool:
        """Whether there is a document with something to look at."""
        return bool(self.document.shots)

    @property
    def chosen_source(self) -> Source | None:
        """The chosen source, or None when air, the lens or nothing is chosen."""
        return self.document.look.source(self.chosen) if self.is_open else None

    def choose(self, what: str) -> None:
        """Choose a source by id, the air or the lens."""
        if what != self.chosen:
            self.chosen = what
            self.chosen_changed.emit()

    def edit(self, label: str, document: Document, merge_key: str = "") -> None:
        """Take an edited document; edits of one gesture share a ``merge_key``."""
        if self.history.edit(label, document, merge_key):
            self._after_change()

    def seal(self) -> None:
        """A gesture has ended."""
        self.history.seal()

    def undo(self) -> None:
        label = self.history.undo()
        if label:
            self.said.emit(f"undone: {label}", False)
            self._after_change()

    def redo(self) -> None:
        label = self.history.redo()
        if label:
            self.said.emit(f"redone: {label}", False)
            self._after_change()

    def _after_change(self) -> None:
        self._autosave.start()
        if self.chosen not in (AIR, LENS, "") and self.chosen_source is None:
            self.choose("")
        self.changed.emit()

    def light_hex(self, source: Source) -> str:
        """The true colour of a source's light as sRGB hex: its own colour under lamp colour and gel."""
        own = np.ones(3)
        if isinstance(source.shape, Surface) and self.place is not None:
            for material in self.place.materials:
                if material.name == source.shape.material:
                    own = np.array(material.emissive)
        elif isinstance(source.shape, Sky):
            dome = sky_map(source.shape.sun_altitude_deg, source.shape.sun_azimuth_deg)
            own = dome[: dome.shape[0] // 2].mean((0, 1))
        return acescg_to_hex(source_colour(source) * own)

    # -- files ----------------------------------------------------------------------------------

    def open_path(self, path: Path, scale: float | None = None) -> None:
        """Open a document, or start one for a modelled place. Raises HazeError; nothing changes then."""
        path = Path(path)
        if path.suffix == SUFFIX or path.is_dir():
            self._open_document(path)
        else:
            self._start_with_place(path, scale)

    def _open_document(self, path: Path) -> None:
        document, notes = load(path)
        spec = place_spec(document.place)
        self.path = path.resolve()
        self.history = History(document)
        self._remember(self.path)
        self._present(spec)
        for note in notes:
            self.said.emit(note, True)
        self._recover()

    def _start_with_place(self, path: Path, scale: float | None) -> None:
        place = load_place(path, scale or 1.0)
        document = new_document(path, place, scale or 1.0)
        self.path = None
        self.history = History(document)
        self.place = place
        self._present(place_spec(document.place))
        for note in place.notes:
            self.said.emit(f"import: {note}", True)
        remark = scale_remark(place)
        if remark and scale is None:
            self.said.emit(f"{remark[1]}; correct it with “place: scale”", True)

    def rescale_place(self, factor: float) -> None:
        """Import the place again, its lengths multiplied by ``factor``; as an edit."""
        import attrs

        reference = attrs.evolve(self.document.place, scale=self.document.place.scale * factor)
        place = load_place(Path(reference.path), reference.scale)
        fresh = new_document(Path(reference.path), place, reference.scale)
        document = attrs.evolve(self.document, place=reference, shots=fresh.shots, current_shot=fresh.current_shot)
        self.place = place
        self.place_spec = place_spec(document.place)
        self.edit("scale of the place", document)
        self.place_ready.emit()

    def _present(self, spec: PlaceSpec) -> None:
        same_place = self.place is not None and spec == self.place_spec
        self.place_spec = spec
        self.chosen = ""
        if not same_place and (self.place is None or self.path is not None):
            self.place = None
            self._run(lambda: self._load_place(spec))
        self.opened.emit()
        self.changed.emit()
        self.chosen_changed.emit()
        if self.place is not None:
            self.place_ready.emit()

    def _load_place(self, spec: PlaceSpec) -> None:
        try:
            self._place_loaded.emit(spec, load_place(Path(spec.path), spec.scale))
        except HazeError as error:
            self._place_loaded.emit(spec, error)
        except RuntimeError:
            pass  # the session was closed meanwhile

    def _take_place(self, spec: PlaceSpec, place: object) -> None:
        if spec != self.place_spec:
            return
        if isinstance(place, HazeError):
            self.said.emit(str(place), True)
            return
        self.place = place
        self.place_ready.emit()

    def _run(self, act: object) -> None:
        thread = threading.Thread(target=act, daemon=True)
        self._threads = [t for t in self._threads if t.is_alive()] + [thread]
        thread.start()

    def save(self, path: Path | None = None) -> None:
        """Save under the document's name or a new one. Raises DocumentError; the old file stays then."""
        target = path or self.path
        if target is None:
            raise DocumentError("the document has no name yet")
        target = Path(target).with_suffix(SUFFIX)
        save(self.document, target)
        autosave_path(self.path, self._state_folder).unlink(missing_ok=True)
        self.path = target.resolve()
        self._autosave.stop()
        self.history.mark_saved()
        self._remember(self.path)
        self.said.emit(f"saved {self.path.name}", False)
        self.changed.emit()

    def autosave(self) -> None:
        """Write the autosave beside the document; a problem is told once in the log, never in the way."""
        if not self.is_open:
            return
        target = autosave_path(self.path, self._state_folder)
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            write_atomically(target, to_json(self.document, target.parent.resolve()).encode())
        except OSError as error:
            log.warning("autosave to %s failed: %s", target, error)

    def _recover(self) -> None:
        """Bring back unsaved work as an edit, so that undo leads to the saved file."""
        target = autosave_path(self.path, self._state_folder)
        try:
            if self.path is None or target.stat().st_mtime <= self.path.stat().st_mtime:
                return
            text = target.read_text("utf-8")
            kept, _notes = from_json(text, target.parent.resolve(), target.name)
        except (OSError, UnicodeDecodeError, HazeError):
            return
        if kept != self.document:
            when = time.strftime("%H:%M", time.localtime(target.stat().st_mtime))
            self.edit("recovered work", kept)
            self.said.emit(f"unsaved work of {when} was brought back; undo returns to the saved file", False)

    # -- recent files ---------------------------------------------------------------------------

    @property
    def _recent_file(self) -> Path:
        return self._state_folder / "recent.json"

    def recent(self) -> list[Path]:
        """Documents opened lately that still exist, the last one first."""
        try:
            return [p for p in map(Path, json.loads(self._recent_file.read_text())) if p.exists()]
        except (OSError, ValueError, TypeError):
            return []

    def _remember(self, path: Path) -> None:
        recent = [path, *(p for p in self.recent() if p != path)][:RECENT_LIMIT]
        try:
            self._recent_file.parent.mkdir(parents=True, exist_ok=True)
            self._recent_file.write_text(json.dumps([str(p) for p in recent]))
        except OSError as error:
            log.warning("recent files are not kept: %s", error)

    # -- acts that several places offer -----------------------------------------------------------

    def act_on_source(self, label: str, **changes: object) -> None:
        """Change fields of the chosen source as one act."""
        if self.chosen_source is not None:
            self.edit(label, edits.change_source(self.document, self.chosen, **changes))
            self.seal()

    def close(self) -> None:
        """Write what is pending and wait for what runs."""
        if self._autosave.isActive():
            self._autosave.stop()
            self.autosave()
        for thread in self._threads:
            thread.join(timeout=5.0)
