"""The line over the picture: shots, looks, pins, and the acts on the whole document."""

from collections.abc import Callable

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QAction, QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QSizePolicy, QToolButton, QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Pin
from lunar_haze.core.document.rows import CAMERA
from lunar_haze.ui.base import theme
from lunar_haze.ui.base.choice import Choice
from lunar_haze.ui.base.short_label import ShortLabel
from lunar_haze.ui.readings.pins import Pins
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.list_menus import ListMenu

HEIGHT = 40
PIN_SIZE = QSize(50, 28)
#: Pins with a picture in the line; earlier ones are in a menu.
PINS_SHOWN = 6


class PinChip(QWidget):
    """One pin: click to return to it, right-click for more."""

    chosen = Signal(str)
    removed = Signal(str)
    compared = Signal(str)

    def __init__(self, pin: Pin, image: QImage | None, is_before: bool) -> None:
        super().__init__()
        self.pin, self.image, self.is_before = pin, image, is_before
        self.setFixedSize(PIN_SIZE)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"pin {pin.name}")
        self.setToolTip(f"{pin.name}, {pin.shot}\nclick: return to it; right-click: compare with it, or delete it")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self.chosen.emit(self.pin.id)
        elif event.button() == Qt.MouseButton.RightButton:
            menu = QMenu(self)
            menu.addAction("return to it", lambda: self.chosen.emit(self.pin.id))
            menu.addAction("compare with it (B, W)", lambda: self.compared.emit(self.pin.id))
            menu.addAction("delete it", lambda: self.removed.emit(self.pin.id))
            menu.popup(event.globalPosition().toPoint())

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.chosen.emit(self.pin.id)
        elif event.key() == Qt.Key.Key_Delete:
            self.removed.emit(self.pin.id)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), QColor("#000000"))
        if self.image is not None:
            painter.drawImage(QRectF(self.rect()), self.image)
        else:
            painter.setPen(theme.qcolor(theme.DIM))
            painter.setFont(theme.font(theme.SMALL))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.pin.name[:7])
        painter.setPen(QPen(theme.qcolor(theme.CHOSEN if self.is_before or self.hasFocus() else theme.EDGE), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class Header(QWidget):
    """Built once; filled again when the document changes. Actions come from the window."""

    def __init__(self, session: Session, actions: dict[str, QAction], pins: Pins) -> None:
        super().__init__()
        self.session, self._kept = session, pins
        pins.renewed.connect(self.renew_pins)
        self.list_menus: dict[str, ListMenu] = {}
        self.setFixedHeight(HEIGHT)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        self._row = row
        row.setContentsMargins(12, 4, 8, 4)
        row.setSpacing(4)
        self.place = QLabel()
        self.place.setMaximumWidth(170)
        self.place.setProperty("title", True)
        row.addWidget(self.place)
        row.addSpacing(10)
        self.shots = self._choice(row, "shot", self.take_shot)
        self._list_button(row, "shot")
        self.lock = QToolButton()
        self.lock.setIcon(theme.icon("lock"))
        self.lock.setCheckable(True)
        self.lock.setToolTip("camera locked: lighting cannot move it")
        self.lock.setAccessibleName("lock the camera")
        self.lock.clicked.connect(self._toggle_lock)
        row.addWidget(self.lock)
        row.addSpacing(8)
        self.looks = self._choice(row, "look", self.take_look)
        self._list_button(row, "look")
        row.addSpacing(8)
        self._button(row, actions["pin"], "pin")
        self.pins = QHBoxLayout()
        self.pins.setSpacing(3)
        row.addLayout(self.pins)
        self.status = ShortLabel()
        self.status.setProperty("quiet", True)
        self.status.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        row.addWidget(self.status, 1)
        lens = QToolButton()
        lens.setText("camera")
        lens.setToolTip("exposure, lens and place of the shot's camera")
        lens.clicked.connect(lambda: session.choose(CAMERA))
        row.addWidget(lens)
        for name in ("black", "undo", "redo", "hand-off"):
            self._button(row, actions[name], name)
        more = QToolButton()
        more.setIcon(theme.icon("more"))
        more.setToolTip("open, save, and all else")
        more.setAccessibleName("more")
        more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        more.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        self.menu = QMenu(more)
        more.setMenu(self.menu)
        row.addWidget(more)
        session.changed.connect(self.refresh)
        self._pins_shown: tuple[object, ...] = ()

    @staticmethod
    def _button(row: QHBoxLayout, action: QAction, icon: str) -> None:
        action.setIcon(theme.icon(icon))
        button = QToolButton()
        button.setDefaultAction(action)
        button.setIconSize(QSize(20, 20))
        button.setAccessibleName(action.text())
        row.addWidget(button)

    def _choice(self, row: QHBoxLayout, name: str, take: Callable[[str], None]) -> Choice:
        label = QLabel(name)
        label.setProperty("quiet", True)
        row.addWidget(label)
        choice = Choice()
        choice.setMinimumWidth(116)
        choice.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToContents)
        choice.setAccessibleName(name)
        choice.setToolTip(f"the {name} on screen")
        choice.textActivated.connect(take)
        row.addWidget(choice)
        return choice

    def _list_button(self, row: QHBoxLayout, what: str) -> None:
        button = QToolButton()
        self.list_menus[what] = ListMenu(self.session, what, button)
        row.addWidget(button)

    def take_shot(self, name: str) -> None:
        import attrs

        self.session.edit(f"to shot {name}", attrs.evolve(self.session.document, current_shot=name))
        self.session.seal()

    def take_look(self, name: str) -> None:
        import attrs

        self.session.edit(f"to look {name}", attrs.evolve(self.session.document, current_look=name))
        self.session.seal()

    def _toggle_lock(self) -> None:
        shot = self.session.document.shot
        self.session.edit("lock of the camera", edits.change_shot(self.session.document, locked=not shot.locked))
        self.session.seal()

    def refresh(self) -> None:
        """Show the document as it is now."""
        document = self.session.document
        if not self.session.is_open:
            return
        name = self.session.title
        mark = "" if self.session.history.is_saved else " *"
        self.place.setText(name + mark)
        self.place.setToolTip(str(self.session.path or "not saved yet") + (" (changed)" if mark else ""))
        for choice, names, current in (
            (self.shots, [s.name for s in document.shots], document.current_shot),
            (self.looks, [k.name for k in document.looks], document.current_look),
        ):
            if [choice.itemText(i) for i in range(choice.count())] != names:
                choice.clear()
                choice.addItems(names)
            choice.setCurrentText(current)
        self.lock.setChecked(document.shot.locked)
        shown = (document.pins, self._kept.before_id)
        if shown != self._pins_shown:
            self._pins_shown = shown
            self._fill_pins(document.pins)

    def put_beside_status(self, widget: QWidget) -> None:
        """Let a widget stand right of the words about what is going on."""
        self._row.insertWidget(self._row.indexOf(self.status) + 1, widget)

    def _fill_pins(self, pins: tuple[Pin, ...]) -> None:
        while self.pins.count():
            item = self.pins.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        if len(pins) > PINS_SHOWN:
            more = QToolButton()
            more.setText(f"+{len(pins) - PINS_SHOWN}")
            more.setToolTip("the pins before these")
            more.setAccessibleName("earlier pins")
            more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
            menu = QMenu(more)
            for pin in reversed(pins[:-PINS_SHOWN]):
                menu.addAction(f"{pin.name}, {pin.shot}", lambda p=pin: self._kept.act("return", p.id))
            more.setMenu(menu)
            self.pins.addWidget(more)
        for pin in pins[-PINS_SHOWN:]:
            chip = PinChip(pin, self._kept.image(pin.id), pin.id == self._kept.before_id)
            chip.chosen.connect(lambda pin_id: self._kept.act("return", pin_id))
            chip.removed.connect(lambda pin_id: self._kept.act("remove", pin_id))
            chip.compared.connect(lambda pin_id: self._kept.act("compare", pin_id))
            self.pins.addWidget(chip)

    def renew_pins(self) -> None:
        """Draw the pins again (their pictures have changed)."""
        self._pins_shown = ()
        self.refresh()
