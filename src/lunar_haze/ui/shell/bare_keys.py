"""Keys without Ctrl or Shift that belong to no widget: sources by number, before and after, play, take, leave."""

from collections.abc import Callable
from typing import Protocol

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit

from lunar_haze.core.document.rows import AIR, CAMERA, FINISH
from lunar_haze.core.sources.model import Sky
from lunar_haze.ui.base.panes import Panes
from lunar_haze.ui.picture.picture_view import PictureView
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.time.player import Player


class Leaves(Protocol):
    """What can be left."""

    def leave(self) -> bool:
        """Leave it; False when there is nothing to leave."""
        ...


class Takes(Protocol):
    """What can be taken."""

    def take(self) -> bool:
        """Take it; False when there is nothing to take."""
        ...


class BareKeys:
    """``leaving`` and ``taking`` are asked in turn, the uppermost first; ``say`` tells the artist."""

    def __init__(
        self,
        session: Session,
        picture: PictureView,
        player: Player,
        panes: Panes,
        play: Callable[[], None],
        toggle_whole: Callable[[], None],
        leaving: tuple[Leaves, ...],
        taking: tuple[Takes, ...],
        say: Callable[[str, bool], None],
    ) -> None:
        self._session, self._picture, self._player, self._panes = session, picture, player, panes
        self._play, self._toggle_whole, self._say = play, toggle_whole, say
        self._leaving, self._taking = leaving, taking

    def take(self, event: QKeyEvent, pressed: bool) -> bool:
        """Whether a key that goes down or up is one of these; it is done then."""
        if event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            return False
        if event.key() == Qt.Key.Key_B:
            if not event.isAutoRepeat() and self._picture.before is not None:
                self._picture.show_before = pressed
                self._picture.update()
            return True
        if not pressed or not self._session.is_open:
            return False
        if event.key() == Qt.Key.Key_Escape:
            self._escape()
            return True
        if event.key() == Qt.Key.Key_Space:
            if not event.isAutoRepeat():
                self._play()
            return True
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            # A list or a button that has the keyboard means itself by it.
            at_work = isinstance(QApplication.focusWidget(), (QAbstractButton, QComboBox, QLineEdit))
            return not at_work and self.take_proposed()
        return self._choose(event.key() - Qt.Key.Key_0)

    def _choose(self, number: int) -> bool:
        """Choose a source by its number in the rail, then the air and the finish; 0 is the sky."""
        session = self._session
        sources = session.document.look.sources
        if number == 0:
            sky = next((s for s in sources if isinstance(s.shape, Sky)), None)
            if sky is not None:
                session.choose(sky.id)
            return True
        if not 0 < number < 10:
            return False
        named = (*(source.id for source in sources), AIR, FINISH)
        if number <= len(named):
            session.choose(named[number - 1])
        return True

    def take_proposed(self) -> bool:
        """Take what is proposed; False when nothing is."""
        return any(one.take() for one in self._taking)

    def _escape(self) -> None:
        """Leave what is uppermost, and nothing else."""
        session, picture = self._session, self._picture
        if self._player.is_playing:
            self._player.stop()
        elif any(one.leave() for one in self._leaving):
            pass
        elif session.picking is not None:
            session.picking = None
            self._say("nothing was picked", False)
        elif picture.wiping:
            picture.wiping = False
            picture.update()
        elif picture.part.leave():
            self._say("the whole frame is refined alike again", False)
        elif self._panes.is_picture_alone:
            self._toggle_whole()
        else:
            session.choose(CAMERA if session.chosen != CAMERA else "")
