"""Hands for the tests: drags and typing as the window system would send them."""

import numpy as np
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QAction, QContextMenuEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QMenu, QToolButton

from lunar_haze.ui.picture.seen import Seen


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
    QTest.keyClicks(well.editor, text)
    press = QKeyEvent(QKeyEvent.Type.KeyPress, Qt.Key.Key_Return, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(well.editor, press)
    QApplication.processEvents()


def source(window, source_id):
    return window.session.document.look.source(source_id)


def key(window, *keys, modifier=Qt.KeyboardModifier.NoModifier):
    """Keys of the window: they act in the picture, to which a hand goes back from the column."""
    if window.facets.isAncestorOf(QApplication.focusWidget() or window):
        window.picture.setFocus()
    for k in keys:
        QTest.keyClick(window, k, modifier)
        QApplication.processEvents()


def ctrl(window, *keys):
    key(window, *keys, modifier=Qt.KeyboardModifier.ControlModifier)


def type_in(window, name, text):
    well = window.facets.wells[name]
    QTest.keyClick(well, Qt.Key.Key_Return)
    finish(well, text)


def choice(window, name):
    return next(c for c in window.facets.findChildren(QComboBox) if c.accessibleName() == name)


def pick_in(window, name, text):
    combo = choice(window, name)
    combo.setCurrentText(text)
    combo.textActivated.emit(text)
    combo.activated.emit(combo.currentIndex())
    QApplication.processEvents()


def right_click(widget, at):
    """What a right click opens: the menu that is up afterwards."""
    sent = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at))
    QApplication.sendEvent(widget, sent)
    QApplication.processEvents()
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    return menu


def slip_act(window, seen, words, at=None):
    """Trigger the act of the slip whose text begins so."""
    picture = window.picture
    menu = picture.slip(at or QPointF(picture.width() / 2, picture.height() * 0.7), seen)

    # Actions of a submenu are children of it, and so of the slip.
    next(a for a in menu.findChildren(QAction) if a.text().startswith(words)).trigger()
    QApplication.processEvents()


def put(window, preset, point=(-20.0, 0.0, 1.0)):
    window.picture.acts.put_source(preset, seen_at(window, point))
    return window.session.chosen


def seen_at(window, point, normal=(0.0, 0.0, 1.0), name="waiting figure", material=0):
    objects = window.session.place.objects
    return Seen(np.array(point), np.array(normal), 5.0, objects.index(name), material)


def typed_in(box, text):
    """Type into a spin box in place of what it held, and press Tab."""
    box.setFocus()
    box.selectAll()
    QTest.keyClicks(box, text)
    QTest.keyClick(box, Qt.Key.Key_Tab)
    QApplication.processEvents()


def drop(widget, path, at=None):
    """Let a file fall on a widget, as the system hands it to the window: drag over it, then drop."""
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path))])
    at = QPointF(at or widget.rect().center())
    told = (Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(widget, QDragEnterEvent(at.toPoint(), *told))
    QApplication.sendEvent(widget, QDropEvent(at, *told))


def choose(menu: QMenu, *path: str) -> None:
    """Walk down a menu by its words, with the keyboard."""
    above = []
    for words in path[:-1]:
        action = next(a for a in menu.actions() if a.text() == words)
        menu.setActiveAction(action)
        QTest.keyClick(menu, Qt.Key.Key_Right)
        above += [menu, action]
        menu = action.menu()
    menu.setActiveAction(next(a for a in menu.actions() if a.text() == path[-1]))
    QTest.keyClick(menu, Qt.Key.Key_Return)
    # Offscreen nothing closes the menus above the one that was chosen from.
    for left in [w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible()]:
        left.close()
    QApplication.processEvents()


def undo(window):
    """A click on undo in the header."""
    action = window.actions_by_name["undo"]
    button = next(b for b in window.header.findChildren(QToolButton) if b.defaultAction() is action)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
