"""A number's well: drag on it, type in it, wheel on it, double-click to reset; its unit always shows.

Return commits and closes, Tab commits and goes on, a click elsewhere commits, Escape puts back what was there. What is
refused stays open and says why. Qt asks the widget that has the keyboard first whether a key is its own
(ShortcutOverride): a well claims those it uses, so that no shortcut of the window takes them.
"""

import contextlib
import math
from collections.abc import Callable

from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QFocusEvent,
    QHelpEvent,
    QHideEvent,
    QIcon,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPixmap,
    QWheelEvent,
)
from PySide6.QtWidgets import QApplication, QLabel, QMenu, QSizePolicy, QToolTip, QWidget

from lunar_haze.core.errors import QuantityError
from lunar_haze.core.units.quantity import (
    AmbiguousError,
    Converts,
    exact_quantity,
    format_quantity,
    parse_quantity,
    shown_unit,
)
from lunar_haze.core.units.row import Row
from lunar_haze.ui.base import theme
from lunar_haze.ui.base.key_mark import AT_KEY, KEY_HELD, SETS_KEY, STEADY, Keys, paint_key, state_of
from lunar_haze.ui.base.tried import TriedNumber
from lunar_haze.ui.base.well_line import OPENING, RETURN, STEPS, WellLine, is_of_a_well

DRAG_PIXELS_PER_RANGE = 240.0
DRAG_START = 3
#: How high over the lower edge a tick is told of [px].
TICK_REACH = 8


class Well(QWidget):
    """One number with a label. Signals: ``moved`` (value) while a hand is on it, ``settled`` when it leaves.

    ``low`` and ``high`` are the useful range: what a drag covers and the bar shows. Typed values may
    go beyond it up to ``floor`` and ``ceiling``. A ``ratio`` well moves by factors, others by steps.
    """

    moved = Signal(float)
    settled = Signal()

    def __init__(
        self,
        label: str,
        unit: str,
        low: float,
        high: float,
        reset: float,
        ratio: bool = False,
        floor: float = -math.inf,
        ceiling: float = math.inf,
        tip: str = "",
        endless: str = "no end",
        zero: str = "",
    ) -> None:
        super().__init__()
        self.label, self.unit = label, unit
        self.low, self.high, self.reset_value = low, high, reset
        self.ratio = ratio
        self.floor, self.ceiling = floor, ceiling
        #: Whether it shows whole numbers only.
        self.whole = False
        #: What stands for a value without end.
        self.endless = endless
        #: What stands for zero where that is a case of its own.
        self.zero = zero
        self.value = reset
        #: Numbers that were tried here, and how one is kept by hand.
        self.tried: Callable[[], tuple[TriedNumber, ...]] = lambda: ()
        self.keep: Callable[[], None] | None = None
        #: Its keys over the frames, None where it has none and never will.
        self.keys: Keys | None = None
        #: Why it cannot be changed now, "" when it can: it takes the keyboard all the same, and says so.
        self.locked = ""
        #: Tells light of another unit in that of this number.
        self.converts: Converts = lambda value, unit: None
        self._pressed: QPointF | None = None
        self._dragging = False
        self.editor: WellLine | None = None
        self._opened_at = reset
        self._reason: QLabel | None = None
        self.setFixedHeight(24)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setAccessibleName(f"{label} in {unit}" if unit else label)
        self.setToolTip(
            f"{tip + ' - ' if tip else ''}drag, or click and type: 12, +=1/3, 2x, 50 % (the wheel turns it then); "
            "double-click resets"
        )

    @classmethod
    def of(cls, row: Row) -> "Well":
        """The well of a row."""
        made = cls(
            row.label,
            row.unit,
            row.low,
            row.high,
            row.usual,
            row.ratio,
            row.floor,
            row.ceiling,
            row.tip,
            row.endless or "no end",
            row.zero,
        )
        made.whole = row.whole
        return made

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(220, 24)

    def set_value(self, value: float) -> None:
        """Show a value without telling anyone."""
        self.value = value
        self.update()

    def _offer(self, value: float) -> None:
        value = min(max(value, self.floor), self.ceiling)
        if self.locked:
            self._say(self.locked)
        elif value != self.value:
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
        self.close_editor()
        self._pressed = None
        self.reset()

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        # Meant for the column that scrolls; a number turns under the wheel while its line is open (`turn`).
        event.ignore()

    def turn(self, notches: float) -> None:
        """Turn the number whose line is open; what is typed there goes first."""
        if self.editor is None:
            return
        with contextlib.suppress(QuantityError):
            self._offer(self._parsed(self.editor.text()))
        self.step(notches * 0.02)
        self.editor.setText(exact_quantity(self.value, self.unit))
        self.editor.selectAll()
        self._hide_reason()

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and is_of_a_well(event):
            event.accept()
            return True
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            tick = self._tick_at(QPointF(event.pos()))
            if tick is not None:
                QToolTip.showText(event.globalPos(), f"{self._shown(tick.value)}<br>{tick.tip}", self)
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() in STEPS and not event.modifiers():
            self.step(STEPS[Qt.Key(event.key())])
            self.settled.emit()
        elif event.key() in (*RETURN, Qt.Key.Key_F2):
            self.edit()
        elif event.key() == SETS_KEY and event.modifiers() in KEY_HELD:
            if self.keys is not None:
                self.keys.remove() if event.modifiers() else self.keys.set()
        elif event.text() and event.text() in OPENING and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.edit(event.text())
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:  # noqa: N802
        menu = QMenu(self)
        menu.addAction("copy", lambda: QApplication.clipboard().setText(exact_quantity(self.value, self.unit)))
        menu.addAction("paste", lambda: self.type_in(QApplication.clipboard().text()))
        menu.addAction(f"reset to {self._shown(self.reset_value)}", self.reset)
        if self.keys is not None:
            menu.addSeparator()
            self.keys.offer(menu)
            menu.addSeparator()
        if self.keep is not None:
            menu.addAction("keep this number", self.keep)
        tried = self.tried()
        if tried:
            numbers = menu.addMenu("numbers tried")
            for one in tried:
                picture = QIcon(QPixmap.fromImage(one.picture))
                numbers.addAction(picture, self._shown(one.value), lambda v=one.value: self._take(v))
        menu.popup(event.globalPos())

    def _take(self, value: float) -> None:
        self._offer(value)
        self.settled.emit()

    def tick_at(self, value: float) -> float:
        """Where on the bar a number stands [px]."""
        return min(max(self.share_of(value), 0.0), 1.0) * self.width()

    def _tick_at(self, at: QPointF) -> TriedNumber | None:
        """The number tried whose tick is under a position; ticks stand on the lower edge."""
        if at.y() < self.height() - TICK_REACH:
            return None
        near = [t for t in self.tried() if abs(self.tick_at(t.value) - at.x()) <= 3]
        return min(near, key=lambda t: abs(self.tick_at(t.value) - at.x())) if near else None

    # -- typing ---------------------------------------------------------------------------------

    def edit(self, begin: str = "") -> None:
        """Open the line to type in."""
        if self.locked:
            self._say(self.locked)
            return
        if self.editor is not None:
            return
        editor = WellLine(self, self.commit, self.cancel, self.turn)
        self._opened_at = self.value
        editor.setText(begin or exact_quantity(self.value, self.unit))
        editor.setAccessibleName(self.accessibleName())
        editor.setGeometry(self.rect())
        editor.setFont(theme.font())
        editor.textEdited.connect(self._hide_reason)
        self.editor = editor
        editor.show()
        editor.setFocus()
        if not begin:
            editor.selectAll()

    def type_in(self, text: str) -> None:
        """Open the line with a text and commit it."""
        self.edit()
        if self.editor is not None:
            self.editor.setText(text)
            self.commit()

    def commit(self, keep_focus: bool = True) -> bool:
        """Take what is typed and close; False where it is refused: then it stays open and says why."""
        if self.editor is None:
            return True
        text = self.editor.text()
        if text == exact_quantity(self.value, self.unit):
            self.close_editor(keep_focus)
            if self.value != self._opened_at:
                self.settled.emit()
            return True
        try:
            value = self._parsed(text)
            if not self.floor <= value <= self.ceiling:
                low, high = self._shown(self.floor), self._shown(self.ceiling)
                raise QuantityError(f"{self._shown(value)} is past what {self.label} takes: {low} to {high}")
        except AmbiguousError as error:
            offered = " or ".join(f"<a href='{one}' style='color: {theme.LIT};'>{one}</a>" for one in error.readings)
            self._refuse(f"{offered}? click, or type which")
            return False
        except QuantityError as error:
            self._refuse(str(error))
            return False
        self.close_editor(keep_focus)
        self._offer(value)
        self.settled.emit()
        return True

    def _parsed(self, text: str) -> float:
        try:
            return parse_quantity(text, self.unit, self.value, self.converts)
        except AmbiguousError as error:
            values = [parse_quantity(one, self.unit, self.value, self.converts) for one in error.readings]
            possible = [value for value in values if self.floor <= value <= self.ceiling]
            if len(possible) == 1:
                return possible[0]
            raise

    def cancel(self) -> None:
        """Close the line; the value is what it was."""
        if self.editor is not None and self.value != self._opened_at:
            self._offer(self._opened_at)
            self.settled.emit()
        self.close_editor(True)

    def reset(self) -> None:
        """Back to the value it had to begin with."""
        self._offer(self.reset_value)
        self.settled.emit()

    def _refuse(self, why: str) -> None:
        if self.editor is None:
            return
        self.editor.setStyleSheet(f"border: 1px solid {theme.WARN};")
        self._say(why)

    def _take_offered(self, text: str) -> None:
        """Take the reading of a number that was clicked."""
        if self.editor is not None:
            self.editor.setText(text)
            self.commit()

    def _say(self, why: str) -> None:
        """Tell why something was not done, under the number."""
        if self._reason is None:
            self._reason = QLabel(self.window())
            self._reason.setWordWrap(True)
            self._reason.linkActivated.connect(self._take_offered)
            self._reason.setStyleSheet(f"background: #202020; color: {theme.WARN}; padding: 4px 8px;")
        self._reason.setText(why)
        self._reason.setFixedWidth(self.width())
        height = max(self._reason.heightForWidth(self.width()), self._reason.sizeHint().height())
        self._reason.setFixedHeight(height + 8)
        self._reason.move(self.mapTo(self.window(), self.rect().bottomLeft()) + QPoint(0, 4))
        self._reason.show()
        self._reason.raise_()

    @property
    def reason(self) -> str:
        """Why what is typed is refused, empty when it is not."""
        return self._reason.text() if self._reason is not None and self._reason.isVisible() else ""

    def _hide_reason(self) -> None:
        if self._reason is not None:
            self._reason.hide()
        if self.editor is not None:
            self.editor.setStyleSheet("")

    def close_editor(self, keep_focus: bool = True) -> None:
        """Close the line without taking what is in it; the well keeps the keyboard, or gives it up."""
        editor, self.editor = self.editor, None
        self._hide_reason()
        if editor is not None:
            had = editor.hasFocus()
            editor.hide()
            editor.deleteLater()
            if keep_focus and had:
                self.setFocus()

    def hideEvent(self, event: QHideEvent) -> None:  # noqa: N802
        if self._reason is not None:
            self._reason.deleteLater()
            self._reason = None
        super().hideEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:  # noqa: N802
        if self.editor is None:
            self._hide_reason()
        self.update()
        super().focusOutEvent(event)

    # -- drawing --------------------------------------------------------------------------------

    def _shown(self, value: float) -> str:
        if math.isinf(value):
            return self.endless
        if value == 0 and self.zero:
            return self.zero
        if self.whole:
            return f"{value:.0f} {shown_unit(self.unit)}".rstrip()
        return format_quantity(value, self.unit)

    def share_of(self, value: float) -> float:
        """Where on the bar a number stands: 0 at its left end, 1 at its right."""
        if self.ratio:
            low, high = math.log(max(self.low, 1e-12)), math.log(max(self.high, 1e-11))
            return (math.log(max(value, 1e-12)) - low) / (high - low) if math.isfinite(value) else 1.0
        return (value - self.low) / (self.high - self.low)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        area = QRectF(self.rect()).adjusted(0, 1, 0, -1)
        painter.fillRect(area, theme.qcolor(theme.WELL))
        bar = QRectF(area.left(), area.bottom() - 2, self.tick_at(self.value), 2)
        changed = abs(self.value - self.reset_value) > 1e-9 * max(abs(self.reset_value), 1.0)
        painter.fillRect(bar, theme.qcolor(theme.LIT if changed else theme.DIM, 0.8))
        for one in self.tried():
            tick = QRectF(self.tick_at(one.value) - 0.75, area.bottom() - 6, 1.5, 6)
            painter.fillRect(tick, theme.qcolor(theme.TEXT, 0.7))
        if self.hasFocus():
            painter.setPen(theme.qcolor(theme.CHOSEN))
            painter.drawRect(area.adjusted(0, 0, -1, 0))
        painter.setFont(theme.font())
        text = area.adjusted(8, 0, -8, -2)
        state = state_of(self.keys)
        if state != STEADY:
            paint_key(painter, QPointF(area.left() + 10, area.center().y() - 1), 4.0, state == AT_KEY)
            text = text.adjusted(11, 0, 0, 0)
        painter.setPen(theme.qcolor(theme.DIM))
        painter.drawText(text, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.label)
        painter.setPen(theme.qcolor(theme.DIM if self.locked else theme.TEXT))
        shown = self._shown(self.value)
        painter.drawText(text, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, shown)
