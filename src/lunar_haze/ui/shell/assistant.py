"""Proposals for missing roles, shown before they are taken, and the watch over what gives a source away."""

import logging
from collections.abc import Callable

import attrs
from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtWidgets import QDialog, QLabel, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.errors import HazeError
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.solve.eyes import propose_eye_light
from lunar_haze.core.solve.roles import propose_fill, propose_glow, propose_rim
from lunar_haze.core.solve.watch import Finding, watch
from lunar_haze.core.sources.model import Source
from lunar_haze.core.units.quantity import format_quantity
from lunar_haze.ui.session.aside import handed
from lunar_haze.ui.session.session import Session

log = logging.getLogger(__name__)

ROLES_PROPOSED = {
    "rim": "rim for the subject",
    "fill": "fill at 3:1",
    "eye light": "eye light",
    "glow": "glow behind, in the mist",
}


class Assistant(QObject):
    """Computes aside and answers in the window: ``found`` carries the findings of a watch."""

    found = Signal(object)
    _proposed = Signal(object, str)
    _failed = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.findings: tuple[Finding, ...] = ()
        self._proposed.connect(self._show)
        self._failed.connect(lambda text: session.said.emit(text, True))
        self.found.connect(self._keep)

    def _aside(self, act: Callable[[], None]) -> None:
        def run() -> None:
            try:
                act()
            except HazeError as error:
                handed(self._failed.emit, str(error))
            except Exception:
                log.exception("a proposal failed")
                handed(self._failed.emit, "that went wrong and should not; the log tells what")

        self.session.aside.newest("proposal", run)

    def propose(self, role: str) -> None:
        """Look for a place for a role; what is found is shown as a ghost first."""
        session = self.session
        if not session.is_open:
            return
        document, place = session.document, session.place
        if place is None:
            return
        measured = session.measured()

        def look_for() -> None:
            index = session.index()
            shot, look = document.shot, document.look
            made: Source | None
            if role == "rim":
                made = propose_rim(place, shot, look, index, measured)
            elif role == "fill":
                made = propose_fill(place, shot, look, index, measured=measured)
            elif role == "glow":
                made = propose_glow(place, shot, look)
            else:
                made = propose_eye_light(place, shot, look, index)
            handed(self._proposed.emit, made, role)

        session.said.emit(f"looking for a place for the {role} ...", False)
        self._aside(look_for)

    def _show(self, made: Source | None, role: str) -> None:
        if made is None:
            self.session.said.emit(
                f"no place was found for the {role}: the camera sees no eyes (they wear a material named “eye”)", True
            )
            return
        self.session.show_ghost(made)
        level = format_quantity(made.amount, made.unit)
        self.session.said.emit(f"{made.name}, {level} on the subject: Return takes it, Esc leaves it", False)

    def take(self) -> bool:
        """Take the proposal that is shown; False when there is none."""
        ghost = self.session.ghost
        if ghost is None:
            return False
        source = attrs.evolve(ghost, id=new_id())
        self.session.edit(f"take the {ghost.name}", edits.add_source(self.session.document, source))
        self.session.seal()
        self.session.show_ghost(None)
        self.session.choose(source.id)
        return True

    def leave(self) -> bool:
        """Leave the proposal, or the picking of a colour; False when there is neither."""
        if self.session.picking is not None:
            self.session.picking = None
            return True
        if self.session.ghost is None:
            return False
        self.session.show_ghost(None)
        return True

    # -- watch ------------------------------------------------------------------------------------

    def watch(self) -> None:
        """See in every shot and over its frames whether something gives a source away."""
        session = self.session
        if not session.is_open:
            return
        document = session.document

        def see() -> None:
            index: RayIndex = session.index()
            handed(self.found.emit, tuple(watch(document, index)))

        session.said.emit("watching every shot and frame ...", False)
        self._aside(see)

    def _keep(self, findings: tuple[Finding, ...]) -> None:
        self.findings = findings
        if not findings:
            self.session.said.emit("nothing gives a source away, in any shot", False)

    def jump(self, finding: Finding) -> None:
        """Go to where a finding is: its shot, its frame, and what it names."""
        session = self.session
        document = attrs.evolve(session.document, current_shot=finding.shot)
        document = edits.change_shot(document, frame=finding.frame)
        session.edit("jump to a finding", document)
        session.seal()
        session.choose(finding.what)


class WatchSheet(QDialog):
    """The findings of a watch, one a line; Return or a double click goes there."""

    def __init__(self, assistant: Assistant, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("watch")
        self.setMinimumWidth(460)
        column = QVBoxLayout(self)
        head = QLabel(f"{len(assistant.findings)} things give a source away")
        head.setProperty("title", True)
        column.addWidget(head)
        self.list = QListWidget()
        self.list.setAccessibleName("what gives a source away")
        for finding in assistant.findings:
            item = QListWidgetItem(finding.text)
            item.setData(Qt.ItemDataRole.UserRole, finding)
            self.list.addItem(item)
        self.list.itemActivated.connect(lambda item: assistant.jump(item.data(Qt.ItemDataRole.UserRole)))
        column.addWidget(self.list)
        quiet = QLabel("Return or a double click goes to its shot and frame")
        quiet.setProperty("quiet", True)
        column.addWidget(quiet)
