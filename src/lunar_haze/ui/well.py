"""A number's well: drag on it, type in it, wheel on it, double-click to reset; its unit always shows."""

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import QLineEdit, QSizePolicy, QToolTip, QWidget

from lunar_haze.core.errors import QuantityError
from lunar_haze.core.units.quantity import format_quantity, parse_quantity
from lunar_haze.ui import theme

DRAG_PIXELS_PER_RANGE = 240.0
DRAG_START = 3


class Well(QWidget):
    """One number with a label. Signals: ``moved`` (value) while a hand is on it, ``settled`` when it leaves.

    ``low`` and ``high`` are the useful range: what a drag covers and the bar shows. Typed values may
    go beyond it up to ``floor`` and ``ceiling``. A ``ratio`` well moves by factors, others by steps.
    """

    moved = Signal(float)
    settled = Signal()

    def __init__(
        self, label: str, unit: str, low: float, high: float, reset: float, ratio: bool = False,
        floor: float = -math.inf, ceiling: float = math.inf, tip: str = "", endless: str = "clear",
    ) -> None:  # fmt: skip
        super().__init__()
        self.label, self.unit = label, unit
        self.low, self.high, self.reset_value = low, high, reset
        self.ratio = ratio
        self.floor, self.ceiling = floor, ceiling
        #: What stands for a value without end.
        self.endless = endless
        self.value = reset
        self._pressed: QPointF | None = None
        self._dragging = False
        self._editor: QLineEdit | None = None
        self.setFixedHeight(24)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setAccessibleName(f"{label} in {unit}" if unit else label)
        self.setToolTip(
            f"{tip + ' - ' if tip else ''}drag, wheel, or type a number, a sum, +1/3, 2x or =-5; double-click resets"
        )

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(220, 24)

    def set_value(self, value: float) -> None:
        """Show a value without telling anyone."""
        self.value = value
        self.update()

    def _offer(self, value: float) -> None:
        value = min(max(value, self.floor), self.ceiling)
        if value != self.value:
            self.value = value
            self.moved.emit(value)
            self.update()

    def step(self, amount: float) -> None:
        """Move by a share of the useful range."""
        if self.ratio:
            start = max(self.value, self.low * 1e-3, 1e-12)
            self._offer(start * (self.high / max(self.low, 1e-12)) ** amount)
        else:
            self._offer(self.value + (self.high - self.low) * amount)

    # -- hand -----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.position()
            self._dragging = False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._pressed is None:
            return
        delta = event.position().x() - self._pressed.x()
        if not self._dragging and abs(delta) < DRAG_START:
            return
        self._dragging = True
        self._pressed = event.position()
        fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        self.step(delta / DRAG_PIXELS_PER_RANGE * fine)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._pressed is None:
            return
        dragged, self._pressed, self._dragging = self._dragging, None, False
        if dragged:
            self.settled.emit()
        else:
            self.edit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._close_editor()
        self._pressed = None
        self._offer(self.reset_value)
        self.settled.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        # Only when chosen: a wheel meant to scroll the facets must not change the light.
        if not self.hasFocus():
            event.ignore()
            return
        self.step(event.angleDelta().y() / 120.0 * 0.02)
        self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        steps = {Qt.Key.Key_Up: 0.02, Qt.Key.Key_Right: 0.02, Qt.Key.Key_Down: -0.02, Qt.Key.Key_Left: -0.02}
        if event.key() in steps:
            self.step(steps[event.key()])
            self.settled.emit()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2):
            self.edit()
        elif event.text() and event.text() in "0123456789+-.x(":
            self.edit(event.text())
        else:
            super().keyPressEvent(event)

    # -- typing ---------------------------------------------------------------------------------

    def edit(self, begin: str = "") -> None:
        """Open the line to type in."""
        editor = QLineEdit(self)
        editor.setText(begin or format_quantity(self.value, self.unit))
        editor.setGeometry(self.rect())
        editor.setFont(theme.font())
        editor.returnPressed.connect(self._typed)
        editor.editingFinished.connect(self._close_editor)
        editor.show()
        editor.setFocus()
        if not begin:
            editor.selectAll()
        self._editor = editor

    def _typed(self) -> None:
        if self._editor is None:
            return
        text = self._editor.text()
        try:
            value = parse_quantity(text, self.unit, self.value)
        except QuantityError as error:
            QToolTip.showText(self.mapToGlobal(self.rect().bottomLeft()), str(error), self)
            self._editor.selectAll()
            return
        self._close_editor()
        self._offer(value)
        self.settled.emit()

    def _close_editor(self) -> None:
        editor, self._editor = self._editor, None
        if editor is not None:
            editor.blockSignals(True)
            editor.hide()
            editor.deleteLater()
            self.setFocus()

    def focusOutEvent(self, event: QFocusEvent) -> None:  # noqa: N802
        self.update()
        super().focusOutEvent(event)

    # -- drawing --------------------------------------------------------------------------------

    def _share(self) -> float:
        if self.ratio:
            low, high = math.log(max(self.low, 1e-12)), math.log(max(self.high, 1e-11))
            return (math.log(max(self.value, 1e-12)) - low) / (high - low) if math.isfinite(self.value) else 1.0
        return (self.value - self.low) / (self.high - self.low)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        area = QRectF(self.rect()).adjusted(0, 1, 0, -1)
        painter.fillRect(area, theme.qcolor(theme.WELL))
        share = min(max(self._share(), 0.0), 1.0)
        bar = QRectF(area.left(), area.bottom() - 2, area.width() * share, 2)
        changed = abs(self.value - self.reset_value) > 1e-9 * max(abs(self.reset_value), 1.0)
        painter.fillRect(bar, theme.qcolor(theme.LIT if changed else theme.DIM, 0.8))
        if self.hasFocus():
            painter.setPen(theme.qcolor(theme.CHOSEN))
            painter.drawRect(area.adjusted(0, 0, -1, 0))
        painter.setFont(theme.font())
        painter.setPen(theme.qcolor(theme.DIM))
        text = area.adjusted(8, 0, -8, -2)
        painter.drawText(text, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.label)
        painter.setPen(theme.qcolor(theme.TEXT if self.isEnabled() else theme.DIM))
        shown = self.endless if math.isinf(self.value) else format_quantity(self.value, self.unit)
        painter.drawText(text, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, shown)
