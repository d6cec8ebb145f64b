"""Keys that belong to no widget: before and after, play, take, leave."""

from collections.abc import Callable
from typing import Protocol

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit, QWidget

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
    """``leaving`` and ``taking`` are asked in turn, the uppermost first; ``say`` tells the artist.

    Keys but Escape act while one of ``places`` has the keyboard: picture, plan, rail, strips. Return takes what is
    proposed in the second view (``beside``) as well, where it was asked for.
    """

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
        places: tuple[QWidget, ...],
        beside: QWidget,
    ) -> None:
        self._session, self._picture, self._player, self._panes = session, picture, player, panes
        self._play, self._toggle_whole, self._say = play, toggle_whole, say
        self._leaving, self._taking = leaving, taking
        self._places, self._beside = places, beside

    def take(self, event: QKeyEvent, pressed: bool) -> bool:
        """Whether a key that goes down or up is one of these; it is done then."""
        if event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            return False
        is_open = self._session.is_open
        if event.key() == Qt.Key.Key_Escape and pressed and is_open:
            self._escape()
            return True
        is_return = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if not self._are_at_hand((*self._places, self._beside) if is_return else self._places):
            return False
        if event.key() == Qt.Key.Key_B:
            if not event.isAutoRepeat() and self._picture.before is not None:
                self._picture.show_before = pressed
                self._picture.update()
            return True
        if not pressed or not is_open:
            return False
        if event.key() == Qt.Key.Key_Space:
            if not event.isAutoRepeat():
                self._play()
            return True
        return is_return and self.take_proposed()

    @staticmethod
    def _are_at_hand(places: tuple[QWidget, ...]) -> bool:
        """Whether one of some places has the keyboard, and no button, list or line in it means itself by a key."""
        now = QApplication.focusWidget()
        if now is None or isinstance(now, (QAbstractButton, QComboBox, QLineEdit)):
            return False
        return any(place is now or place.isAncestorOf(now) for place in places)

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
            picture.setFocus()
