"""The list of markers among the readings: what each measures, and which source gives how much there."""

import functools

from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lunar_haze.core.colour.spaces import acescg_to_hex
from lunar_haze.core.document.exposure import placed_at
from lunar_haze.core.readings.markers import Spot
from lunar_haze.core.units.quantity import format_quantity
from lunar_haze.ui.base import theme
from lunar_haze.ui.base.well import Well
from lunar_haze.ui.readings.balance import Balance
from lunar_haze.ui.readings.marker_overlay import Markers

#: Sources that are told of at one marker.
MOST_PARTS = 3


class MarkersView(QWidget):
    """One line a marker; the chosen one tells more, and can be exposed for."""

    def __init__(self, markers: Markers, balance: Balance) -> None:
        super().__init__()
        self._markers, self._balance = markers, balance
        self._shown: tuple[str, ...] = ()
        self.lines: dict[str, tuple[QToolButton, QLabel]] = {}
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 4, 0, 0)
        rows.setSpacing(3)
        self._grid = QGridLayout()
        self._grid.setColumnStretch(0, 1)
        rows.addLayout(self._grid)
        self.parts = QLabel()
        self.parts.setWordWrap(True)
        self.parts.setProperty("quiet", True)
        rows.addWidget(self.parts)
        self._details = QWidget()
        line = QHBoxLayout(self._details)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(4)
        self.name = QLineEdit()
        self.name.setAccessibleName("name of the marker")
        self.name.setToolTip("the marker's name")
        self.name.editingFinished.connect(self._rename)
        line.addWidget(self.name, 1)
        self.radius = Well("size", "%", 0.3, 10.0, 1.5, ratio=True, floor=0.1, ceiling=50.0,
                         tip="radius, in % of the frame's height")  # fmt: skip
        self.radius.moved.connect(self._resize)
        self.radius.settled.connect(markers.session.seal)
        line.addWidget(self.radius, 1)
        rows.addWidget(self._details)
        self._acts = QWidget()
        line = QHBoxLayout(self._acts)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(3)
        self.buttons: dict[str, QPushButton] = {}
        for text, tip, act in (
            ("at grey", "expose so that this lies on mid grey", functools.partial(self._expose, 0.0)),
            ("at +2", "expose so that this lies two stops over mid grey", functools.partial(self._expose, 2.0)),
            ("at -2", "expose so that this lies two stops under mid grey", functools.partial(self._expose, -2.0)),
            ("delete", "delete this marker", self._remove),
        ):
            button = QPushButton(text)
            button.setToolTip(tip)
            button.clicked.connect(lambda _on=False, a=act: a())
            line.addWidget(button)
            self.buttons[text] = button
        line.addStretch(1)
        rows.addWidget(self._acts)
        markers.pointed.connect(lambda _id: self.refresh())
        markers.session.changed.connect(self.refresh)
        balance.renewed.connect(self.refresh)
        self.refresh()

    def reading(self, marker_id: str) -> Spot | None:
        """What a marker measures now, None while it is not seen."""
        marker = next((m for m in self._markers.all() if m.id == marker_id), None)
        shares = self._balance.shown
        return None if marker is None or shares is None else self._markers.read(marker, shares)

    def refresh(self) -> None:
        """Show the markers as they are now."""
        markers = self._markers.all() if self._markers.session.is_open else ()
        self.setVisible(bool(markers))
        self._build(tuple(m.id for m in markers))
        chosen = next((m for m in markers if m.id == self._markers.chosen), None)
        for marker in markers:
            button, words = self.lines[marker.id]
            button.setText(marker.name)
            button.setAccessibleName(f"marker {marker.name}")
            button.setChecked(marker == chosen)
            found = self.reading(marker.id)
            words.setText("not seen" if found is None else _told(found))
            if found is not None:
                words.setToolTip("stops about mid grey, luminance, and the colour of its light")
        for part in (self.parts, self._details, self._acts):
            part.setVisible(chosen is not None)
        if chosen is None:
            return
        if not self.name.hasFocus():
            self.name.setText(chosen.name)
        self.radius.set_value(chosen.radius * 100)
        found = self.reading(chosen.id)
        for text in ("at grey", "at +2", "at -2"):
            self.buttons[text].setEnabled(found is not None and found.luminance > 0)
        self.parts.setText(
            ""
            if found is None
            else ", ".join(f"{name} {share:.0%}" for _id, name, share in found.parts[:MOST_PARTS] if share >= 0.005)
        )

    def _build(self, ids: tuple[str, ...]) -> None:
        if ids == self._shown:
            return
        self._shown = ids
        for button, words in self.lines.values():
            for widget in (button, words):
                widget.hide()
                widget.deleteLater()
        self.lines = {}
        for row, marker_id in enumerate(ids):
            button = QToolButton()
            button.setCheckable(True)
            button.setToolTip("choose this marker; drag it in the picture")
            button.clicked.connect(lambda _on=False, i=marker_id: self._markers.choose(i))
            words = QLabel()
            self._grid.addWidget(button, row, 0)
            self._grid.addWidget(words, row, 1)
            self.lines[marker_id] = button, words

    # -- acts -------------------------------------------------------------------------------------

    def _rename(self) -> None:
        text = self.name.text().strip()
        if text and self._markers.chosen:
            self._markers.change(self._markers.chosen, "name of the marker", name=text)
            self._markers.session.seal()

    def _resize(self, value: float) -> None:
        self._markers.change(self._markers.chosen, "size of the marker", "size of the marker", radius=value / 100.0)

    def _expose(self, stops: float) -> None:
        found = self.reading(self._markers.chosen)
        if found is not None:
            session = self._markers.session
            words = "on mid grey" if stops == 0 else f"{stops:+g} stops"
            session.act(f"expose for the marker: {words}", placed_at(session.document, found.luminance, stops))

    def _remove(self) -> None:
        self._markers.remove(self._markers.chosen)


def _told(found: Spot) -> str:
    patch = acescg_to_hex(found.light / max(float(found.light.max()), 1e-30))
    return (
        f"<span style='background-color:{patch};'>&nbsp;&nbsp;&nbsp;</span>&nbsp; "
        f"<span style='color:{theme.TEXT};'>{found.stops:+.1f}</span>&nbsp; {format_quantity(found.luminance, 'cd/m2')}"
    )
