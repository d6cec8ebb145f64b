"""Opening, saving and leaving: the acts on files that ask before anything is lost."""

import functools
import logging
from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QInputDialog, QWidget

from lunar_haze.core.document.files import SUFFIX, load, named
from lunar_haze.core.document.known_files import remember
from lunar_haze.core.errors import HazeError
from lunar_haze.core.place.load import READERS
from lunar_haze.service.folders import log_path
from lunar_haze.ui.base import questions
from lunar_haze.ui.handoff.hand_off import HandOff
from lunar_haze.ui.session.session import Session

log = logging.getLogger(__name__)

_PLACES = f"Places and documents ({' '.join(f'*{suffix}' for suffix in (SUFFIX, *READERS))})"


class FileActs:
    """Acts on the session's file, for a window. ``say`` (text, is_problem) tells the artist what went wrong."""

    def __init__(self, session: Session, hand_off: HandOff, say: Callable[[str, bool], None], window: QWidget) -> None:
        self._session, self._hand_off, self._say, self._window = session, hand_off, say, window

    def _dare(self, act: Callable[[], object]) -> bool:
        """Do something that may fail, and tell the artist if it does."""
        try:
            act()
        except HazeError as error:
            self._say(str(error), True)
            return False
        except Exception:
            log.exception("an act failed")
            self._say(f"that went wrong and should not; nothing was changed; {log_path()} tells what", True)
            return False
        return True

    def open_path(self, path: Path, scale: float | None = None) -> bool:
        """Open a document or a place; what was open stays if that fails. An odd size is asked about.

        Work without a name is asked about first.
        """
        if not self.may_leave():
            return False

        def open_it() -> None:
            self._session.open_path(path, scale, self._ask_import_scale, self._ask_missing, self._may_read)

        return self._dare(open_it)

    def _ask_missing(self, missing: list[Path]) -> Path | None:
        """Where the first of the missing files has gone; all that share its new folder are found with it."""
        others = f" {len(missing) - 1} more are missing; those beside it are found with it." if missing[1:] else ""
        answer = questions.ask(
            self._window,
            "missing file",
            f"{missing[0].name} is not there.",
            f"It was {missing[0]}.{others}",
            ["find it", "open without it"],
        )
        if answer != "find it":
            return None
        start = str(self._session.path.parent if self._session.path else missing[0].parent)
        name, _kind = QFileDialog.getOpenFileName(self._window, missing[0].name, start)
        return Path(name) if name else None

    def _may_read(self, outside: list[Path]) -> bool:
        """Whether files that a document names outside its folder, and that were never chosen here, may be read."""
        names = "\n".join(str(path) for path in outside[:6])
        more = f"\nand {len(outside) - 6:,} more" if len(outside) > 6 else ""
        answer = questions.ask(
            self._window,
            "files elsewhere",
            "This document is lit with files outside its own folder.",
            f"{names}{more}\n\nAllow it if you know where the document comes from; it is asked once.",
            ["open without them", "allow"],
            "open without them",
        )
        if answer == "allow":
            remember(outside)
        return answer == "allow"

    def _ask_import_scale(self, factor: float, remark: str) -> float | None:
        """Which scale a place of unlikely size is to be imported at; None leaves it out."""
        scales = {f"import at {factor:g}": factor, "import as it is": 1.0, "do not import": None}
        more = "People are about 1.7 m tall in a place of true scale."
        return scales[questions.ask(self._window, "scale of the place", f"{remark}.", more, list(scales))]

    def ask_open(self) -> None:
        folder = str(self._session.path.parent) if self._session.path else str(Path.home())
        name, _kind = QFileDialog.getOpenFileName(self._window, "open", folder, _PLACES)
        if name:
            self.open_path(Path(name))

    def save(self) -> bool:
        if self._session.path is None:
            return self.ask_save()
        if self._session.is_changed_elsewhere:
            answer = questions.ask(
                self._window,
                "changed elsewhere",
                f"{self._session.path.name} was changed since it was opened here.",
                "Saving now puts your state in its place; what the other wrote would be gone.",
                ["save under another name", "save over it", "do not save"],
            )
            if answer != "save over it":
                return answer.startswith("save") and self.ask_save()
        return self._dare(self._session.save)

    def ask_save(self) -> bool:
        place = Path(self._session.document.place.path)
        start = self._session.path or place.with_name(f"{place.stem} copy.haze")
        chosen, _kind = QFileDialog.getSaveFileName(self._window, "save", str(start), "Lunar Haze (*.haze)")
        return bool(chosen) and self.save_as(Path(chosen))

    def save_as(self, chosen: Path) -> bool:
        """Save under a chosen name; a file that only the added suffix makes it is asked about."""
        target = named(chosen)
        if target != chosen and target.exists():
            answer = questions.ask(
                self._window, "save", f"{target.name} is there already.", "", ["replace it", "do not save"]
            )
            if answer != "replace it":
                return False
        return self._dare(lambda: self._session.save(target))

    def revert(self) -> None:
        """Back to what was saved, as a step that can be undone."""
        path = self._session.path
        if path is None:
            self._say("this was never saved: there is nothing to go back to", False)
            return

        def read() -> None:
            document, notes = load(path, self._may_read)
            self._session.act("revert to saved", document)
            for note in notes:
                self._say(note, True)

        self._dare(read)

    def may_leave(self) -> bool:
        """Whether what is open may be left: work without a name is asked about, and so is a still being written."""
        if self._hand_off.still is not None and self._window.isVisible():
            answer = questions.ask(
                self._window,
                "still",
                "A still is being written.",
                "It would be given up.",
                ["wait for it", "give it up"],
                escape="wait for it",
            )
            if answer == "wait for it":
                return False
        if not self._session.needs_a_name:
            return True
        answer = questions.ask(
            self._window,
            "unsaved work",
            "This work has no name yet.",
            "Kept for later, it is offered when the program starts again.",
            ["save", "keep it for later", "discard it", "stay"],
        )
        if answer == "save":
            return self.ask_save()
        if answer == "discard it":
            self._session.discard()
        return answer != "stay"

    def offer_unsaved(self) -> None:
        """Ask about work of earlier times that never had a name."""
        for found in self._session.unsaved()[:1]:
            name = Path(found.document.place.path).name
            answer = questions.ask(
                self._window,
                "unsaved work",
                f"Work of {found.when} on {name} was never saved.",
                "",
                ["go on with it", "delete it", "not now"],
            )
            if answer == "go on with it":
                self._dare(functools.partial(self._session.open_unsaved, found))
            elif answer == "delete it":
                found.path.unlink(missing_ok=True)

    def ask_scale(self) -> None:
        factor, good = QInputDialog.getDouble(
            self._window, "scale of the place", "multiply all lengths by", 1.0, 1e-4, 1e4, 4
        )
        if good and factor != 1.0:
            self._dare(lambda: self._session.rescale_place(factor))

    def ask_scene(self) -> None:
        """Which of the scenes is shown that the place's file holds."""
        place = self._session.place
        names = list(place.scenes) if place is not None else []
        if len(names) < 2:
            self._say("the place's file holds one scene only", False)
            return
        now = self._session.document.place.scene
        name, good = QInputDialog.getItem(
            self._window, "scene", "scene of the place's file", names, names.index(now) if now in names else 0, False
        )
        if good:
            self._session.show_scene(name)
