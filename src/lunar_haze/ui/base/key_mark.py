"""The mark of a number that changes over the frames, and what a control needs to know of its keys."""

from typing import Protocol

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QMenu

from lunar_haze.ui.base import theme

#: What a number does over the frames: nothing, it follows a cue, or it has a key at the frame on screen.
STEADY, KEYED, AT_KEY = "steady", "keyed", "at a key"
#: Sets a key of what a control shows; with Shift it deletes the one that is there.
SETS_KEY = Qt.Key.Key_K
KEY_HELD = (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier)


class Keys(Protocol):
    """The keys of what a control shows."""

    @property
    def state(self) -> str:
        """Whether it is steady, changes over the frames, or has a key at the frame on screen."""
        ...

    def offer(self, menu: QMenu) -> None:
        """Add what can be done with them to a menu."""

    def set(self) -> None:
        """Set a key at the frame on screen."""

    def remove(self) -> None:
        """Delete the key at the frame on screen."""


def state_of(keys: Keys | None) -> str:
    """What a control's number does over the frames; steady where it never changes."""
    return STEADY if keys is None else keys.state


def paint_key(painter: QPainter, at: QPointF, radius: float, is_set: bool, colour: str = theme.LIT) -> None:
    """A key's diamond: full where it is set, hollow where a curve goes by."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.qcolor(colour), 1.2))
    painter.setBrush(theme.qcolor(colour) if is_set else Qt.BrushStyle.NoBrush)
    painter.drawPolygon(
        [at + QPointF(0, -radius), at + QPointF(radius, 0), at + QPointF(0, radius), at + QPointF(-radius, 0)]
    )
    painter.restore()
