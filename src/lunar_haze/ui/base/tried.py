"""Numbers that were tried: what a well was set to and rested at, with the picture of that moment."""

from collections.abc import Callable

import attrs
from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QObject, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QImage

#: A number counts as tried when it has rested so long [ms]; so many are kept of one well.
RESTS_MS, MOST = 1500, 8
#: Size of the pictures that are kept [px].
PICTURE = QSize(176, 99)
#: Numbers that stand nearer to each other than this share of the bar are one.
_SAME = 0.012


@attrs.frozen(eq=False)
class TriedNumber:
    """A number, where it stands on its well's bar (0 to 1), and the picture that it made."""

    value: float
    share: float
    picture: QImage

    @property
    def tip(self) -> str:
        """The picture, for a tooltip."""
        held = QByteArray()
        buffer = QBuffer(held)
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        self.picture.save(buffer, "PNG")  # type: ignore[call-overload]
        coded = bytes(held.toBase64().data()).decode()
        return f"<img src='data:image/png;base64,{coded}'>"


class Tried(QObject):
    """Keeps the numbers of each well by a key, as long as the window is open."""

    renewed = Signal()

    def __init__(self) -> None:
        super().__init__()
        #: The picture on screen.
        self.picture: Callable[[], QImage] = QImage
        self._kept: dict[str, tuple[TriedNumber, ...]] = {}
        self._resting: tuple[str, float, float] | None = None
        self._timer = QTimer(self, singleShot=True, interval=RESTS_MS)
        self._timer.timeout.connect(self._rested)

    def of(self, key: str) -> tuple[TriedNumber, ...]:
        """What was tried in a well, in the order of time."""
        return self._kept.get(key, ())

    def rests(self, key: str, value: float, share: float) -> None:
        """A hand has left a well at a number, at a share of its bar."""
        self._resting = key, value, share
        self._timer.start()

    def moves_on(self) -> None:
        """Something else has changed: what rests now is not what was set."""
        self._timer.stop()

    def _rested(self) -> None:
        if self._resting is not None:
            self.keep(*self._resting)

    def keep(self, key: str, value: float, share: float) -> None:
        """Keep a number with the picture on screen, in place of one that stands beside it."""
        image = self.picture()
        if image.isNull():
            return
        small = image.scaled(PICTURE, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
        others = tuple(t for t in self.of(key) if abs(t.share - share) > _SAME)
        self._kept[key] = (*others, TriedNumber(value, share, small))[-MOST:]
        self.renewed.emit()

    def forget(self) -> None:
        """Another document: none of it was tried there."""
        self._kept, self._resting = {}, None
        self._timer.stop()
