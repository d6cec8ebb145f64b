"""Hands for the tests: drags and typing as the window system would send them."""

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication


def drag(widget, start, end, button=Qt.MouseButton.LeftButton, modifier=Qt.KeyboardModifier.NoModifier, steps=5):
    start, end = QPointF(start), QPointF(end)
    QTest.mousePress(widget, button, modifier, start.toPoint())
    for step in range(1, steps + 1):
        at = start + (end - start) * step / steps
        # QTest.mouseMove carries no buttons offscreen: the event is sent as the window system would.
        event = QMouseEvent(
            QMouseEvent.Type.MouseMove, at, widget.mapToGlobal(at), Qt.MouseButton.NoButton, button, modifier
        )
        QApplication.sendEvent(widget, event)
    QTest.mouseRelease(widget, button, modifier, end.toPoint())
    QApplication.processEvents()


def finish(well, text):
    """Type into the open line of a well and press return (QTest would still use the line after it is gone)."""
    QTest.keyClicks(well._editor, text)
    press = QKeyEvent(QKeyEvent.Type.KeyPress, Qt.Key.Key_Return, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(well._editor, press)
    QApplication.processEvents()


def source(window, source_id):
    return window.session.document.look.source(source_id)
