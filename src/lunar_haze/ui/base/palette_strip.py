"""The colours of a picture as a strip."""

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from lunar_haze.core.readings.palette import Swatch
from lunar_haze.ui.base import theme


class PaletteStrip(QWidget):
    """The picture's colours by area; pointing at one tells where it lies: ``pointed`` (swatch, or None).

    ``clicked`` (swatch) when one is chosen.
    """

    pointed = Signal(object)
    clicked = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.swatches: tuple[Swatch, ...] = ()
        self._under = -1
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("palette")
        self.setToolTip("the picture's colours by area; point at one and the rest of the picture recedes")

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(200, 30)

    def boxes(self) -> list[QRectF]:
        """Where each colour is painted: by the root of its area, so that small accents are seen."""
        total = sum(s.area**0.5 for s in self.swatches) or 1.0
        left, found = 0.0, []
        for swatch in self.swatches:
            width = swatch.area**0.5 / total * self.width()
            found.append(QRectF(left, 0, max(width - 1, 1), self.height()))
            left += width
        return found

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        for number, (swatch, box) in enumerate(zip(self.swatches, self.boxes())):
            painter.fillRect(box, QColor.fromRgbF(*swatch.rgb))
            if number == self._under:
                painter.setPen(theme.qcolor(theme.TEXT))
                painter.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5))

    def _point(self, number: int) -> None:
        if number != self._under:
            self._under = number
            self.pointed.emit(self.swatches[number] if 0 <= number < len(self.swatches) else None)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._point(next((n for n, box in enumerate(self.boxes()) if box.contains(event.position())), -1))

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.mouseMoveEvent(event)
        if event.button() == Qt.MouseButton.LeftButton and 0 <= self._under < len(self.swatches):
            self.clicked.emit(self.swatches[self._under])

    def leaveEvent(self, event: object) -> None:  # noqa: N802
        self._point(-1)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()))
        if step is not None and self.swatches:
            self._point((self._under + step) % len(self.swatches))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and 0 <= self._under < len(self.swatches):
            self.clicked.emit(self.swatches[self._under])
        elif event.key() == Qt.Key.Key_Escape and self._under >= 0:
            self._point(-1)
        else:
            super().keyPressEvent(event)
