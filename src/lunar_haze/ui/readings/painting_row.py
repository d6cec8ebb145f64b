"""The row of brushes beside the readings."""

from PySide6.QtGui import QColor
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QToolButton, QVBoxLayout, QWidget

from lunar_haze.core.colour.spaces import hex_to_acescg
from lunar_haze.ui.base import theme
from lunar_haze.ui.base.chip import Chip
from lunar_haze.ui.base.well import Well
from lunar_haze.ui.readings.painting import AMOUNTS, LEAST, MOST, USUAL, Painting

_TIPS = {
    "brighter": "paint where the picture is to be a stop brighter; paint again for another stop",
    "darker": "paint where the picture is to be a stop darker",
    "warmer": "paint where its light is to be warmer: more of the warm sources, less of the cool",
    "cooler": "paint where its light is to be cooler",
    "colour": "paint where its light is to have the colour of the patch",
}


class PaintingRow(QWidget):
    """A brush for each thing to say, the size, and a way back."""

    def __init__(self, painting: Painting) -> None:
        super().__init__()
        self._painting = painting
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 4, 0, 0)
        rows.setSpacing(4)
        head = QLabel("paint what you want; the dimmers follow")
        head.setProperty("quiet", True)
        head.setWordWrap(True)
        rows.addWidget(head)
        line, below = QHBoxLayout(), QHBoxLayout()
        self.buttons: dict[str, QToolButton] = {}
        for kind in AMOUNTS:
            button = QToolButton()
            button.setText(kind)
            button.setCheckable(True)
            button.setToolTip(_TIPS[kind])
            button.setAccessibleName(f"brush: {kind}")
            button.setStyleSheet("QToolButton { padding: 3px 5px; }")
            button.clicked.connect(lambda on, k=kind: painting.pick_up(k if on else ""))
            (below if kind == "colour" else line).addWidget(button)
            self.buttons[kind] = button
        line.addStretch(1)
        self.chip = Chip("the colour that “colour” paints", self._take_colour)
        below.addWidget(self.chip)
        self.radius = Well("brush", "%", LEAST * 100, MOST * 100, USUAL * 100, ratio=True, floor=0.2, ceiling=100.0,
                           tip="radius of the brush, in % of the frame's height")  # fmt: skip
        self.radius.set_value(painting.radius * 100)
        self.radius.moved.connect(self._resize)
        below.addWidget(self.radius, 1)
        self.back = QPushButton("back")
        self.back.setToolTip("take the last stroke back (Backspace in the picture)")
        self.back.setAccessibleName("take the last stroke back")
        self.back.clicked.connect(painting.take_back)
        below.addWidget(self.back)
        for part in (line, below):
            part.setSpacing(3)
            rows.addLayout(part)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setStyleSheet(f"color: {theme.WARN};")
        rows.addWidget(self.words)
        painting.renewed.connect(self.refresh)
        self.refresh()

    def _resize(self, value: float) -> None:
        self._painting.radius = value / 100.0

    def _take_colour(self, colour: QColor) -> None:
        self._painting.colour = hex_to_acescg(colour.name())
        self.chip.set_colour(colour.name())
        self._painting.pick_up("colour")

    def refresh(self) -> None:
        """Show which brush is in the hand and what cannot be done."""
        painting = self._painting
        for kind, button in self.buttons.items():
            button.setChecked(kind == painting.kind)
        self.back.setEnabled(bool(painting.strokes))
        answer = painting.answer
        self.words.setText("; ".join(answer.sentences) if answer is not None else "")
        self.words.setVisible(bool(self.words.text()))
