"""Two kept states, or a kept one and now: side by side, what differs between them, and blends of both."""

import attrs
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import (
    QGridLayout,
    QLabel,
    QListWidget,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from lunar_haze.core.document.balance import LookChange
from lunar_haze.core.document.compare import blended, differences
from lunar_haze.core.document.model import Look
from lunar_haze.ui.base.choice import Choice
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.readings.balance import Balance
from lunar_haze.ui.readings.pins import Pins
from lunar_haze.ui.session.session import Session

NOW = "now"
STEPS = 100
PICTURE = QSize(136, 78)


class PinsView(QWidget):
    """Left and right are each a pin or what is on screen now."""

    def __init__(self, session: Session, bridge: RenderBridge, balance: Balance, pins: Pins) -> None:
        super().__init__()
        self._session, self._bridge, self._balance, self._pins = session, bridge, balance, pins
        rows = QVBoxLayout(self)
        rows.setContentsMargins(8, 6, 8, 6)
        rows.setSpacing(4)
        self.empty = QLabel("no pin yet: P keeps the picture as it is, to compare and to return to")
        self.empty.setWordWrap(True)
        rows.addWidget(self.empty)
        self._body = QWidget()
        rows.addWidget(self._body, 1)
        inner = QVBoxLayout(self._body)
        inner.setContentsMargins(0, 0, 0, 0)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.sides, self.pictures = [], []
        for column, word in enumerate(("left", "right")):
            choice = Choice()
            choice.setAccessibleName(f"{word} state")
            choice.setToolTip(f"the state at the {word}: a pin, or what is on screen now")
            choice.textActivated.connect(lambda _text: self._chosen())
            picture = QLabel()
            picture.setMinimumSize(PICTURE)
            picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
            grid.addWidget(choice, 0, column)
            grid.addWidget(picture, 1, column)
            self.sides.append(choice)
            self.pictures.append(picture)
        inner.addLayout(grid)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, STEPS)
        self.slider.setAccessibleName("blend of both")
        self.slider.setToolTip(
            "between both: dimmers and exposure in stops, colours in mired; the rest comes from the nearer. Return "
            "takes it, Esc leaves it"
        )
        self.slider.valueChanged.connect(self._blend)
        inner.addWidget(self.slider)
        self.wipe = QPushButton("wipe the left against the picture")
        self.wipe.setToolTip("the left state lies over the picture, up to a border that is dragged (W)")
        self.wipe.clicked.connect(self._wipe)
        inner.addWidget(self.wipe)
        self.words = QLabel()
        self.words.setProperty("quiet", True)
        self.words.setWordWrap(True)
        inner.addWidget(self.words)
        self.list = QListWidget()
        self.list.setAccessibleName("what differs")
        self.list.setWordWrap(True)
        inner.addWidget(self.list, 1)
        session.changed.connect(self.refresh)
        session.opened.connect(self.refresh)
        balance.proposed.connect(self._follow)
        self.refresh()

    def _names(self) -> dict[str, str]:
        """Names to choose from and the id of each pin, "" for now."""
        named = {NOW: ""}
        for pin in self._session.document.pins:
            name = pin.name
            while name in named:
                name += " "
            named[name] = pin.id
        return named

    def look(self, side: int) -> Look | None:
        """The look at a side (0 left, 1 right), None when it has gone."""
        pin_id = self._names().get(self.sides[side].currentText())
        if pin_id == "":
            return self._session.document.look
        return next((p.look for p in self._session.document.pins if p.id == pin_id), None)

    def image(self, side: int) -> QImage | None:
        """The picture at a side."""
        pin_id = self._names().get(self.sides[side].currentText())
        return self._bridge.shown.image if pin_id == "" else self._pins.image(pin_id or "")

    def watch(self, is_seen: bool) -> None:
        """Show the pins there are when the view is seen."""
        if is_seen:
            self.refresh()

    def refresh(self) -> None:
        """Show the pins there are now."""
        has = self._session.is_open and bool(self._session.document.pins)
        self.empty.setVisible(not has)
        self._body.setVisible(has)
        if not has:
            return
        names = list(self._names())
        for side, choice in enumerate(self.sides):
            before = choice.currentText()
            choice.clear()
            choice.addItems(names)
            choice.setCurrentText(before if before in names else (names[-1] if side == 0 else NOW))
        self._follow()
        self._show()

    def _chosen(self) -> None:
        self._balance.propose(None)
        self._follow()
        self._show()

    def _show(self) -> None:
        for side, label in enumerate(self.pictures):
            image = self.image(side)
            if image is None or image.isNull():
                label.setText("no picture")
            else:
                smooth = Qt.TransformationMode.SmoothTransformation
                label.setPixmap(QPixmap.fromImage(image).scaled(PICTURE, Qt.AspectRatioMode.KeepAspectRatio, smooth))
        one, two = self.look(0), self.look(1)
        self.list.clear()
        if one is None or two is None:
            return
        found = differences(self._session.document, one, two)
        self.words.setText("from left to right, the most first" if found else "both are the same")
        self.list.addItems([d.words for d in found])

    def _follow(self) -> None:
        """Without a blend on screen the slider stands where the picture is."""
        if isinstance(self._session.proposal, LookChange):
            return
        self.slider.blockSignals(True)
        self.slider.setValue(STEPS if self.sides[1].currentText() == NOW else 0)
        self.slider.blockSignals(False)

    def _blend(self, value: int) -> None:
        one, two = self.look(0), self.look(1)
        if one is None or two is None:
            return
        look = attrs.evolve(blended(one, two, value / STEPS), name=self._session.document.current_look)
        names = [choice.currentText() for choice in self.sides]
        label = f"blend, {100 - value} % {names[0]}, {value} % {names[1]}"
        self._balance.propose(LookChange(label, look))

    def _wipe(self) -> None:
        pin_id = self._names().get(self.sides[0].currentText())
        if pin_id:
            self._pins.compare_with(pin_id)
        self._pins.toggle_wipe()
