"""The work at hand: the document with its history and file, and what is chosen in it.

Widgets read from the session and edit through it; `changed` tells all of them. It knows nothing
of widgets or rendering.
"""

import contextlib
import logging
from collections.abc import Callable
from pathlib import Path

import attrs
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QTimer, Signal

from lunar_haze.core.air.banks import MOST_BANKS
from lunar_haze.core.air.medium import Bank
from lunar_haze.core.document import edits
from lunar_haze.core.document.balance import Change
from lunar_haze.core.document.checks import check_document
from lunar_haze.core.document.cues import followed
from lunar_haze.core.document.files import SUFFIX, named, refuse, save
from lunar_haze.core.document.history import History
from lunar_haze.core.document.journal import Found, Journal, unsaved
from lunar_haze.core.document.lock import DocumentLock, Owner
from lunar_haze.core.document.missing import load_found, missing_files
from lunar_haze.core.document.model import Document, Look, Shot
from lunar_haze.core.document.scale import scaled
from lunar_haze.core.document.start import new_document, place_spec
from lunar_haze.core.document.white import white_kept
from lunar_haze.core.errors import DocumentError, HazeError, PlaceError
from lunar_haze.core.layers.model import PlaceSpec
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.model import Place, scale_remark
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.readings.shares import Shares
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sources.gain import lamp_kelvin
from lunar_haze.core.sources.model import Source
from lunar_haze.core.units.content import digest_or_none
from lunar_haze.core.units.memory import GiveBack
from lunar_haze.service.folders import demo_file
from lunar_haze.ui.base.tried import Tried
from lunar_haze.ui.session.aside import Aside
from lunar_haze.ui.session.chosen import Chosen
from lunar_haze.ui.session.journal_keeper import JournalKeeper
from lunar_haze.ui.session.light_colours import LightColours
from lunar_haze.ui.session.place_at_hand import PlaceAtHand
from lunar_haze.ui.session.recent import Recent
from lunar_haze.ui.session.tables_aside import TablesAside

log = logging.getLogger(__name__)

#: How often memory that is free is given back to the system.
TIDY_MS = 30_000


class Session(Chosen):
    """Signals: ``changed`` after every edit, ``opened`` after another document, ``chosen_changed``,
    ``proposal_changed`` when another balance is shown, ``place_ready`` once the place's geometry is here, ``said``
    (text, is_problem) for the artist."""

    changed = Signal()
    opened = Signal()
    proposal_changed = Signal()
    place_ready = Signal()
    said = Signal(str, bool)

    def __init__(self, state_folder: Path) -> None:
        super().__init__()
        self._state_folder = state_folder
        self.history = History(Document())
        self.path: Path | None = None
        #: The source whose facets can be pasted, the proposal that is shown before it is taken, and who waits for a
        #: colour or a point picked in the picture.
        self.copied: Source | None = None
        self.ghost: Source | None = None
        self.proposal: Change | None = None
        #: The document at the frame that is played, None while nothing is.
        self.played: Document | None = None
        self.picking: Callable[[NDArray[np.floating]], None] | None = None
        #: Numbers that wells were set to and rested at.
        self.tried = Tried()
        self.changed.connect(self.tried.moves_on)
        self.opened.connect(self.tried.forget)
        self.aside = Aside(self.said)
        self.tables = TablesAside(self.aside, self.said)
        self._at_hand = PlaceAtHand(self.aside)
        self._at_hand.ready.connect(self.place_ready)
        self._at_hand.said.connect(self.said)
        self.keeper = JournalKeeper(
            state_folder, lambda: self.document, lambda write: self.aside.run(write, at_once=True)
        )
        self.keeper.said.connect(self.said)
        self.keeper.lost.connect(self._go_on_as_a_copy)
        self._give_back = GiveBack()
        self._tidy = QTimer(self, interval=TIDY_MS)
        self._tidy.timeout.connect(self._give_memory_back)
        self._tidy.start()
        self.recent = Recent(state_folder)
        #: What each source gives the picture on screen; None until that is known.
        self.measured: Callable[[], Shares | None] = lambda: None
        #: What the file held when it was opened or saved here, to tell what another has done to it.
        self._on_disk = ""
        self._colours = LightColours()

    # -- document -------------------------------------------------------------------------------

    @property
    def document(self) -> Document:
        """The document as it is now."""
        return self.history.document

    @property
    def atmosphere(self) -> Atmosphere:
        """The air of the day on screen."""
        return self.document.look.weather.atmosphere

    @property
    def place(self) -> Place | None:
        """The place's geometry, None until it is here."""
        return self._at_hand.place

    @property
    def place_spec(self) -> PlaceSpec | None:
        """What the place is read from."""
        return self._at_hand.spec

    def index(self) -> RayIndex:
        """The place's geometry, ready to be asked; raises PlaceError until it is here."""
        return self._at_hand.index()

    def reload_place(self, spec: PlaceSpec) -> None:
        """Read the place again, whose files have changed on disk; what is shown of it stays until it is here."""
        self._at_hand.read(spec)

    def show_ghost(self, proposal: Source | None) -> None:
        """Show a proposal before it is taken, or none."""
        self.ghost = proposal
        self.chosen_changed.emit()

    def propose(self, change: Change | None) -> None:
        """Show another balance before it is taken, or none; it goes with the next edit."""
        if change != self.proposal:
            self.proposal = change
            self.proposal_changed.emit()

    @property
    def shown_look(self) -> Look:
        """The look on screen: with the balance that is proposed."""
        if self.played is not None:
            return self.played.look
        look = self.document.look
        return look if self.proposal is None else self.proposal.on(look)

    @property
    def shown_shot(self) -> Shot:
        """The shot on screen, at the frame that is played where one is."""
        return self.document.shot if self.played is None else self.played.shot

    def play(self, there: Document | None) -> None:
        """Show the document as it is at another frame, without going there; None for where it is."""
        self.played = there

    def pick(self, take: Callable[[NDArray[np.floating]], None], what: str) -> None:
        """Let the next click in the picture give its colour (ACEScg) to ``take``."""
        self.picking = take
        self.said.emit(f"{what}: click in the picture, Esc leaves it", False)

    def edit(self, label: str, document: Document, merge_key: str = "") -> None:
        """Take an edited document; edits of one gesture share a ``merge_key``."""
        before = self.document
        wanted = followed(before, white_kept(before, document))
        try:
            check_document(wanted, before)
        except DocumentError as error:
            self.said.emit(f"{label} is not done: {error}", True)
            return
        if self.history.edit(label, wanted, merge_key):
            self._after_change()

    def add_bank(self, bank: Bank) -> None:
        """Lay a bank of mist, and show it."""
        banks = self.document.look.medium.banks
        if len(banks) >= MOST_BANKS:
            self.said.emit(f"there are {MOST_BANKS} banks already; delete one first", False)
            return
        self.act("a bank of mist", edits.add_bank(self.document, bank))
        self.choose_bank(len(banks))

    def act(self, label: str, document: Document) -> None:
        """Take an edited document as one act, a step of undo of its own."""
        self.edit(label, document)
        self.seal()

    def seal(self) -> None:
        """A gesture has ended."""
        self.history.seal()

    def travel(self, steps: int) -> None:
        """Go back (below 0) or forward in the history by so many acts, as far as it goes, in one move."""
        step = self.history.undo if steps < 0 else self.history.redo
        told = [label for _ in range(abs(steps)) if (label := step())]
        if told:
            self.said.emit(f"{'undone' if steps < 0 else 'redone'}: {told[-1]}", False)
            self._after_change()

    def undo(self) -> None:
        self.travel(-1)

    def redo(self) -> None:
        self.travel(1)

    def _after_change(self) -> None:
        self.proposal = None
        self.keeper.note_edit()
        self._follow_place()
        if self.chosen and not self.is_anything_chosen:
            self.choose("")
        self.changed.emit()

    def light_hex(self, source: Source) -> str:
        """The true colour of a source's light as sRGB hex."""
        return self._colours.hex_of(source, self.atmosphere, self.place)

    def lamp_kelvin(self, source: Source) -> float:
        """The temperature [K] that a source's warmth starts from."""
        return lamp_kelvin(source, self.atmosphere)

    # -- files ----------------------------------------------------------------------------------

    def open_path(
        self,
        path: Path,
        scale: float | None = None,
        ask_scale: Callable[[float, str], float | None] = lambda factor, remark: 1.0,
        ask_missing: Callable[[list[Path]], Path | None] = lambda missing: None,
        may_read: Callable[[list[Path]], bool] = refuse,
    ) -> None:
        """Open a document, or start one for a modelled place. Raises HazeError; nothing changes then.

        ``ask_missing`` is told the files that are not there and says where the first has gone, None for nowhere;
        ``may_read`` is told files outside the document's folder and says whether they may be read.

        ``ask_scale`` is told a likely correction and why, for a place of unlikely size, and says at
        which scale to import it, None for not at all.
        """
        path = Path(path)
        if path.suffix == SUFFIX or path.is_dir():
            self._open_document(path, ask_missing, may_read)
        else:
            self._start_with_place(path, scale, ask_scale)

    def _open_document(
        self,
        path: Path,
        ask_missing: Callable[[list[Path]], Path | None],
        may_read: Callable[[list[Path]], bool],
    ) -> None:
        held = digest_or_none(path)
        document, notes = load_found(path, ask_missing, may_read)
        spec = place_spec(document.place)
        self.keeper.flush()
        resolved = path.resolve()
        # What ships with the program stays as it is: it is opened as a copy without a name.
        self.path = None if resolved == demo_file() else resolved
        self.recent.remember(resolved)
        other = self.keeper.begin(self.path)
        if other is None and digest_or_none(resolved) != held:
            # Another window saved while this one read, and is gone: from here on the file is this window's.
            with contextlib.suppress(HazeError):
                document, notes = load_found(path, ask_missing, may_read)
                spec = place_spec(document.place)
        self.history = History(document)
        self._on_disk = digest_or_none(resolved)
        if other is not None:
            self.path = None
        self._present(spec)
        for note in notes:
            self.said.emit(note, True)
        for path in missing_files(document):
            self.said.emit(f"{path} is not there; what it gives is dark", True)
        if self.path is not None:
            self._recover()
        elif other is not None:
            self._begin_as_a_copy(resolved, other)

    def _begin_as_a_copy(self, path: Path, other: Owner) -> None:
        """Go on from what another window has of a document at this moment, saved or not."""
        found, _notes = Journal(path, self._state_folder).find()
        if found is not None:
            self.edit("the work of the other window", found.document)
            self.seal()
        told = f"{path.name} is open in another window ({other}); this is a copy of it: save it under a name of its own"
        self.said.emit(told, True)

    def _go_on_as_a_copy(self) -> None:
        """Another window has the document now: what is here is kept as work without a name."""
        name = "the document" if self.path is None else self.path.name
        self.path = None
        self.keeper.begin(None)
        self.keeper.note_edit()
        told = f"{name} was taken over by another window; what is here is a copy: save it under a name of its own"
        self.said.emit(told, True)
        self.changed.emit()

    def open_unsaved(self, found: Found) -> None:
        """Go on with work that never had a name. Raises HazeError; nothing changes then."""
        spec = place_spec(found.document.place)
        self.keeper.flush()
        self.path = None
        self.history = History(Document())
        self.history.edit("unsaved work", found.document)
        self.keeper.begin(self.path)
        self._present(spec)
        self.keeper.write_now(self.document)
        found.path.unlink(missing_ok=True)
        self.said.emit(f"unsaved work of {found.when} is back; give it a name to keep it", False)

    def unsaved(self) -> list[Found]:
        """Work of earlier times that never had a name, the newest first."""
        return unsaved(self._state_folder)

    def _start_with_place(
        self, path: Path, scale: float | None, ask_scale: Callable[[float, str], float | None]
    ) -> None:
        place = load_place(path, scale or 1.0)
        remark = scale_remark(place)
        if remark and scale is None:
            scale = ask_scale(*remark)
            if scale is None:
                return
            place = load_place(path, scale) if scale != 1.0 else place
        document = new_document(path, place, scale or 1.0)
        self.keeper.flush()
        self.path = None
        self.history = History(document)
        self.keeper.begin(self.path)
        self._at_hand.have(place)
        self._present(place_spec(document.place))
        for note in place.notes:
            self.said.emit(f"import: {note}", True)
        remark = scale_remark(place)
        if remark:
            self.said.emit(f"{remark[1]}; correct it with “place: scale”", True)

    def rescale_place(self, factor: float) -> None:
        """Multiply all lengths of the place by ``factor``; what stands in it goes along."""
        self.act("scale of the place", scaled(self.document, factor))

    def show_scene(self, name: str) -> None:
        """Show another of the scenes that the place's file holds; as an edit."""
        document = self.document
        self.act(f"scene {name}", attrs.evolve(document, place=attrs.evolve(document.place, scene=name)))

    def _follow_place(self) -> None:
        """Load the place as the document has it now, where an edit or undo has changed its scale or file."""
        wanted, spec = self.document.place, self.place_spec
        if (
            not self.is_open
            or spec is None
            or (wanted.path, wanted.scale, wanted.scene) == (spec.path, spec.scale, spec.scene)
        ):
            return
        try:
            self.reload_place(place_spec(wanted))
        except PlaceError as error:
            self.said.emit(str(error), True)

    def _present(self, spec: PlaceSpec) -> None:
        same_place = self.place is not None and spec == self.place_spec
        self._at_hand.spec = spec
        self.chosen = ""
        if not same_place and (self.place is None or self.path is not None):
            self._at_hand.have(None)
            self._at_hand.read(spec)
        self.opened.emit()
        self.changed.emit()
        self.chosen_changed.emit()
        if self.place is not None:
            self.place_ready.emit()

    @property
    def is_changed_elsewhere(self) -> bool:
        """Whether the document's file is there and no longer what was opened or saved here."""
        now = digest_or_none(self.path) if self.path is not None else ""
        return bool(now and self._on_disk) and now != self._on_disk

    @property
    def title(self) -> str:
        """What the work is called: its file, or the place that a copy or a new document is of."""
        if self.path is not None:
            return self.path.stem
        return f"{Path(self.document.place.path).stem} (not saved)" if self.is_open else "Lunar Haze"

    @property
    def needs_a_name(self) -> bool:
        """Whether there is work here that was never saved anywhere."""
        return self.is_open and self.path is None and not self.history.is_saved

    def save(self, path: Path | None = None) -> None:
        """Save under the document's name or a new one. Raises DocumentError; the old file stays then."""
        target = path or self.path
        if target is None:
            raise DocumentError("the document has no name yet")
        target = named(Path(target))
        if target.resolve() == demo_file():
            raise DocumentError("the demo stays as it is; save under another name")
        own = target.resolve() == self.path
        other = None if own else DocumentLock(target.resolve()).owner()
        if other is not None:
            raise DocumentError(f"{target.name} is open in another window ({other}); save under another name")
        if own and not self.keeper.is_mine():
            raise DocumentError(f"{target.name} is now open in another window; save under another name")
        with self.keeper.writing:
            save(self.document, target)
            self.keeper.void()
        if target.resolve() != self.path:
            self.path = target.resolve()
            self.keeper.begin(self.path)
        self._on_disk = digest_or_none(self.path)
        self.history.mark_saved()
        self.recent.remember(self.path)
        self.said.emit(f"saved {self.path.name}", False)
        self.changed.emit()

    def discard(self) -> None:
        """Give up what was not saved."""
        with self.keeper.writing:
            self.keeper.void()

    def _recover(self) -> None:
        """Bring back unsaved work as an edit, so that undo leads to the saved file."""
        found = self.keeper.find()
        if found is not None and found.document != self.document:
            self.edit("recovered work", found.document)
            self.seal()
            self.said.emit(f"unsaved work of {found.when} was brought back; undo returns to the saved file", False)

    # -- acts that several places offer -----------------------------------------------------------

    def _give_memory_back(self) -> None:
        self.aside.run(self._give_back.now, at_once=True)

    def act_on_source(self, label: str, **changes: object) -> None:
        """Change fields of the chosen source as one act."""
        if self.chosen_source is not None:
            self.act(label, edits.change_source(self.document, self.chosen, **changes))

    def close(self) -> None:
        """Write what is pending and wait for what runs."""
        self._tidy.stop()
        self.tried.forget()
        self.keeper.flush()
        self.aside.close()
        self.keeper.release()
        # Whoever still holds the session does not hold a whole place with it.
        self._at_hand.have(None)
