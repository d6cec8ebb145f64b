"""What becomes of a file that is dropped on the window: each use declared once, by what it is and what is at hand."""

from collections.abc import Callable
from pathlib import Path

import attrs
from PySide6.QtCore import QObject, QPoint
from PySide6.QtWidgets import QMenu, QWidget

from lunar_haze.core.document.files import SUFFIX
from lunar_haze.core.finish import tables
from lunar_haze.core.picture import reference
from lunar_haze.core.place.load import READERS
from lunar_haze.core.sources.array import Placed
from lunar_haze.core.sources.model import Source
from lunar_haze.service.video import VIDEO_SUFFIXES
from lunar_haze.ui.facets import photographed_sky
from lunar_haze.ui.facets.cutout_facets import PICTURES
from lunar_haze.ui.facets.finish_steps import take_table
from lunar_haze.ui.facets.lamp_files import take_ies, take_picture_as_cutout, takes_cutout
from lunar_haze.ui.session.screen_film import FilmReading
from lunar_haze.ui.session.session import Session

OPEN_FIRST = "open a place first"


@attrs.frozen(eq=False)
class FileUse:
    """``words`` name it in a choice; files with one of ``suffixes`` can be used so. ``lacks`` says what must be done
    before, "" when nothing is; ``take`` does it.
    """

    words: Callable[[], str]
    suffixes: tuple[str, ...]
    lacks: Callable[[], str]
    take: Callable[[Path], object]


class FileKinds(QObject):
    """The uses there are; ``drop`` finds the one that is meant, or asks by a short menu where it fell."""

    def __init__(
        self,
        session: Session,
        open_path: Callable[[Path], object],
        use_reference: Callable[[Path], object],
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self._session, self._parent = session, parent
        self.menu: QMenu | None = None

        def needs_place() -> str:
            return "" if session.is_open else OPEN_FIRST

        def lamp_or(words: str, found: Callable[[], bool]) -> Callable[[], str]:
            return lambda: needs_place() or ("" if found() else words)

        def name() -> str:
            return self._chosen.name if self._chosen is not None else "a lamp"

        def is_lamp() -> bool:
            return self._chosen is not None and isinstance(self._chosen.shape, Placed)

        self.uses = (
            FileUse(lambda: "open it", (SUFFIX, *READERS), lambda: "", open_path),
            FileUse(lambda: "light with it, as a sky", photographed_sky.SUFFIXES, needs_place,
                    lambda path: photographed_sky.lay_photograph(session, path, parent)),
            FileUse(lambda: "compare with it, as the reference", reference.SUFFIXES, needs_place, use_reference),
            FileUse(lambda: f"put it before {name()}, as a cut-out", PICTURES,
                    lamp_or("choose a lamp that takes a cut-out first", lambda: takes_cutout(self._chosen)),
                    lambda path: take_picture_as_cutout(session, session.chosen, path)),
            FileUse(lambda: "grade with it, as a table", tables.SUFFIXES, needs_place,
                    lambda path: take_table(session, path)),
            FileUse(lambda: f"let {name()} shine as it does", (".ies",), lamp_or("choose a lamp first", is_lamp),
                    lambda path: take_ies(session, path, session.chosen)),
            FileUse(lambda: "add it, as a new IES lamp", (".ies",), needs_place, lambda path: take_ies(session, path)),
            FileUse(lambda: f"let {name()} flicker as its pictures do", VIDEO_SUFFIXES,
                    lamp_or("choose the source that is to flicker so first", lambda: self._chosen is not None),
                    lambda path: FilmReading(session, session.chosen, path)),
        )  # fmt: skip

    @property
    def _chosen(self) -> Source | None:
        return self._session.document.look.source(self._session.chosen) if self._session.is_open else None

    def drop(self, path: Path, at: QPoint) -> None:
        """Use a file: at once where it can be one thing only, else as is chosen from a menu at ``at`` on the screen."""
        is_folder = path.is_dir()
        uses = [use for use in self.uses if path.suffix.lower() in use.suffixes or (is_folder and use is self.uses[0])]
        if not uses:
            known = sorted({suffix for use in self.uses for suffix in use.suffixes})
            self._session.said.emit(f"{path.name} is of no kind that is read; there are {', '.join(known)}", True)
            return
        ready = [use for use in uses if not use.lacks()]
        if not ready:
            self._session.said.emit(f"{path.name}: {uses[0].lacks()}", True)
        elif len(ready) == 1:
            ready[0].take(path)
        else:
            self.menu = QMenu(self._parent)
            self.menu.addSection(path.name)
            for use in ready:
                self.menu.addAction(use.words(), lambda u=use: u.take(path))
            self.menu.addSeparator()
            self.menu.addAction("cancel")
            self.menu.popup(at)
