"""The readings beside the picture: what is wrong and what would help, figures that can be asked for, the palette."""

import functools
from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lunar_haze.core.document.balance import BalanceChange
from lunar_haze.core.readings.causes import Cause
from lunar_haze.core.readings.levels import stops
from lunar_haze.core.readings.palette import Palette
from lunar_haze.core.solve.asks import AskError, parse_ask
from lunar_haze.ui.base import theme
from lunar_haze.ui.base.palette_strip import PaletteStrip
from lunar_haze.ui.readings.balance import Balance
from lunar_haze.ui.readings.marker_overlay import Markers
from lunar_haze.ui.readings.markers_view import MarkersView
from lunar_haze.ui.readings.painting import Painting
from lunar_haze.ui.readings.painting_row import PaintingRow
from lunar_haze.ui.readings.source_table import SourceTable
from lunar_haze.ui.session.session import Session

#: Causes that are shown.
MOST_CAUSES = 5


def _text(ratio: float | None, what: str) -> str:
    if ratio is None:
        return "–"
    if what == "stops":
        return f"{ratio:+.1f} stops"
    if what == "share":
        return f"{ratio:.0%}"
    return f"{ratio:.1f} : 1" if ratio < 100 else f"{ratio:.0f} : 1"


#: Figures that can be asked for: kind, what it is called, how it is told, what it means.
FIGURES = (
    ("key to fill", "key to fill", "ratio", "key and fill over fill, on the subject: 2 is gentle, 8 is hard"),
    ("rim to key", "rim to key", "ratio", "what edges the subject over what lights it"),
    ("subject", "subject to background", "stops", "how far the subject lies over what is about it"),
    ("warm", "warm light", "share", "how much of the light is warmer than the picture's white"),
)


def _opens(event: QKeyEvent) -> bool:
    """Whether a key opens a figure's line."""
    if event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
        return False
    return event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) or bool(
        event.text() and event.text() in "0123456789+-."
    )


class Figure(QWidget):
    """One reading: a click, or a key typed at it, opens a line in which another value is asked for."""

    asked = Signal(str)
    dropped = Signal()
    refused = Signal(str)

    def __init__(self, kind: str, label: str, tip: str, is_proposed: Callable[[], bool]) -> None:
        super().__init__()
        self._kind, self._label, self._is_proposed = kind, label, is_proposed
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(f"{tip}; click to ask for another value")
        self.setAccessibleName(label)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        name = QLabel(label)
        name.setProperty("quiet", True)
        row.addWidget(name, 1)
        self.value = QLabel("–")
        self.value.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.value)
        self.wanted = QToolButton()
        self.wanted.setToolTip("ask for this no longer")
        self.wanted.clicked.connect(self.dropped)
        self.wanted.hide()
        row.addWidget(self.wanted)
        self.line = QLineEdit()
        self.line.setFixedWidth(92)
        self.line.setAccessibleName(f"ask for {label}")
        self.line.hide()
        self.line.installEventFilter(self)
        row.addWidget(self.line)

    def show_value(self, text: str, wanted: str) -> None:
        """The value as it is, and what is asked for, "" for nothing."""
        self.value.setText(text)
        self.setAccessibleDescription(f"{text}, asked for: {wanted}" if wanted else text)
        self.wanted.setText(f"asked: {wanted} ×")
        self.wanted.setVisible(bool(wanted))

    def open(self, text: str = "") -> None:
        """Open the line, with what was typed."""
        self.line.setText(text)
        self.line.show()
        self.line.setFocus()

    def _commit(self) -> None:
        text = self.line.text().strip()
        if not text:
            self._close()
            return
        try:
            parse_ask(self._kind, text)
        except AskError as error:
            self.line.setStyleSheet(f"border: 1px solid {theme.WARN};")
            self.line.setToolTip(str(error))
            self.line.setAccessibleDescription(str(error))
            self.refused.emit(str(error))
            return
        self._close()
        self.asked.emit(text)

    def _close(self) -> None:
        self.line.setStyleSheet("")
        self.line.hide()
        self.setFocus()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        if isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.KeyPress:
            if event.key() == Qt.Key.Key_Escape:
                self._close()
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                # Taken here: the figure below would open again by it, or the window take what is proposed.
                self._commit()
                return True
        elif isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.ShortcutOverride:
            event.accept()
            return True
        return False

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.open()

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        # While something is proposed Return takes it: it reaches the window.
        is_return = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if _opens(event) and not (is_return and self._is_proposed()):
            self.open(event.text().strip())
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.ShortcutOverride and _opens(event):
            event.accept()
            return True
        return super().event(event)


class ReadingsView(QScrollArea):
    """All readings of the picture. ``pointed`` (where it lies, or None) for what is to stand out in the picture."""

    pointed = Signal(object)

    def __init__(self, session: Session, balance: Balance, markers: Markers, painting: Painting) -> None:
        super().__init__()
        self._session, self._balance = session, balance
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("readings")
        body = QWidget()
        self._rows = QVBoxLayout(body)
        self._rows.setContentsMargins(12, 8, 12, 8)
        self._rows.setSpacing(5)
        self.setWidget(body)
        self._empty = self._words("waiting for the picture")
        self._proposal = self._box()
        self._causes = self._box()
        self._shown_causes: tuple[Cause, ...] = ()
        self.figures: dict[str, Figure] = {}
        for kind, label, _how, tip in FIGURES:
            figure = Figure(kind, label, tip, lambda: session.proposal is not None)
            figure.asked.connect(lambda text, k=kind: balance.ask(parse_ask(k, text)))
            figure.dropped.connect(lambda k=kind: balance.drop(k))
            figure.refused.connect(lambda text: session.said.emit(text, False))
            self.figures[kind] = figure
            self._rows.addWidget(figure)
        self.outline, self.levels = self._words(""), self._words("")
        self.shows_ends = QCheckBox("show in the picture what is over or under")
        self.shows_ends.setToolTip("the rest of the picture recedes")
        self.shows_ends.toggled.connect(lambda _on: self._show_ends())
        self._rows.addWidget(self.shows_ends)
        self.relation = self._words("")
        self.strip = PaletteStrip()
        self.strip.pointed.connect(lambda swatch: self.pointed.emit(None if swatch is None else swatch.where))
        self._rows.addWidget(self.strip)
        self.finished_words = self._words("")
        self.finished_strip = PaletteStrip()
        self.finished_strip.pointed.connect(lambda swatch: self.pointed.emit(None if swatch is None else swatch.where))
        self._rows.addWidget(self.finished_strip)
        self.sources = SourceTable(session, balance)
        self._rows.addWidget(self.sources)
        self.painting = PaintingRow(painting)
        self._rows.addWidget(self.painting)
        self.markers = MarkersView(markers, balance)
        self._rows.addWidget(self.markers)
        self._rows.addStretch(1)
        balance.renewed.connect(self.refresh)
        balance.proposed.connect(self._show_proposal)
        self.refresh()

    def _words(self, text: str) -> QLabel:
        label = QLabel(text)
        label.setWordWrap(True)
        self._rows.addWidget(label)
        return label

    def _box(self) -> QVBoxLayout:
        box = QVBoxLayout()
        box.setSpacing(4)
        self._rows.addLayout(box)
        return box

    # -- showing ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the readings as they are now."""
        found = self._balance.readings
        self._empty.setVisible(found is None)
        shown = (self.outline, self.levels, self.shows_ends, self.relation, self.strip, self.sources, self.painting)
        for widget in (*self.figures.values(), *shown):
            widget.setVisible(found is not None)
        if found is None:
            return
        self._show_causes(found.causes[:MOST_CAUSES])
        values = {
            "key to fill": found.ratios.key_to_fill,
            "rim to key": found.ratios.rim_to_key,
            "subject": found.ratios.subject_stops,
            "warm": found.ratios.warm,
        }
        asked = {ask.kind: ask.value for ask in self._balance.asks}
        for kind, _label, how, _tip in FIGURES:
            wanted = _text(asked[kind], how) if kind in asked else ""
            text = "no fill" if kind == "key to fill" and values[kind] is None else _text(values[kind], how)
            self.figures[kind].show_value(text, wanted)
        edge = found.outline
        self.outline.setText(
            "no subject in the picture: click it, “make ... the subject”"
            if edge is None
            else f"the subject's outline {edge.words}: {edge.stands_out:.0%} of it stands out"
        )
        level = found.levels
        self.levels.setText(
            f"light lies from {level.darkest:+.1f} to {level.brightest:+.1f} stops; {level.over:.1%} over and "
            f"{level.under:.1%} under what the camera holds"
        )
        self.relation.setText(f"colours: {found.palette.relation}")
        self.strip.swatches = found.palette.swatches
        self.strip.update()
        self._show_finished(found.finished)
        self.sources.show_parts(found.ratios)
        if self.shows_ends.isChecked():
            self._show_ends()

    def _show_finished(self, palette: Palette | None) -> None:
        """The colours that the finish makes of it, where there is one."""
        for widget in (self.finished_words, self.finished_strip):
            widget.setVisible(palette is not None)
        if palette is not None:
            self.finished_words.setText(f"with the finish: {palette.relation}")
            self.finished_strip.swatches = palette.swatches
            self.finished_strip.update()

    def _show_ends(self) -> None:
        shares = self._balance.shown
        if shares is None or not self.shows_ends.isChecked():
            self.pointed.emit(None)
            return
        latitude = self._session.document.shot.latitude
        light = stops(shares.luminance, shares.scale)
        self.pointed.emit((light > latitude.high) | (light < latitude.low))

    def _show_causes(self, causes: tuple[Cause, ...]) -> None:
        if _lines(causes) == _lines(self._shown_causes):
            self._shown_causes = causes
            return
        self._shown_causes = causes
        _clear(self._causes)
        for number, cause in enumerate(causes):
            label = QLabel(cause.sentence)
            label.setWordWrap(True)
            label.setStyleSheet(f"color: {theme.WARN if number == 0 else theme.TEXT};")
            self._causes.addWidget(label)
            buttons = QHBoxLayout()
            if cause.remedy is not None:
                act = functools.partial(self._try, number)
                buttons.addWidget(self._button(f"try: {cause.remedy.words}", act))
            if cause.source_id:
                choose = functools.partial(self._session.choose, cause.source_id)
                buttons.addWidget(self._button("choose it", choose))
            buttons.addStretch(1)
            self._causes.addLayout(buttons)

    @staticmethod
    def _button(text: str, act: Callable[[], object]) -> QPushButton:
        made = QPushButton(text)
        made.clicked.connect(lambda: act())
        return made

    def _try(self, number: int) -> None:
        remedy = self._shown_causes[number].remedy if number < len(self._shown_causes) else None
        if remedy is not None:
            self._balance.try_remedy(remedy)

    def _show_proposal(self) -> None:
        _clear(self._proposal)
        change = self._session.proposal
        if change is None and not self._balance.unmet:
            return
        for sentence in self._balance.unmet:
            label = QLabel(sentence)
            label.setWordWrap(True)
            label.setStyleSheet(f"color: {theme.WARN};")
            self._proposal.addWidget(label)
        if change is None:
            return
        self._lines: list[tuple[str, QCheckBox]] = []
        if isinstance(change, BalanceChange):
            self._show_lines(change)
        else:
            self._proposal.addWidget(QLabel(change.label))
        buttons = QHBoxLayout()
        buttons.addWidget(self._button("take it", self._take))
        buttons.addWidget(self._button("cancel", self._balance.leave))
        buttons.addStretch(1)
        self._proposal.addLayout(buttons)

    def _show_lines(self, change: BalanceChange) -> None:
        names = {s.id: s.name for s in self._session.document.look.sources}
        moves, warmer = dict(change.dimmers), dict(change.mireds)
        for source_id in sorted(moves | warmer, key=lambda i: -abs(moves.get(i, 0.0))):
            told = [f"{moves[source_id]:+.2f} stops"] if source_id in moves else []
            told += [f"{warmer[source_id]:+.0f} mired"] if source_id in warmer else []
            self._add_line(source_id, f"{names.get(source_id, source_id)}  {', '.join(told)}")
        for source_id in change.mute:
            self._add_line(source_id, f"{names.get(source_id, source_id)}  muted")
        if change.exposure:
            self._proposal.addWidget(QLabel(f"exposure {change.exposure:+.2f} stops"))
        if change.white is not None:
            self._proposal.addWidget(QLabel(f"neutral {change.white.kelvin:.0f} K, tint {change.white.tint_duv:+.3f}"))

    def _add_line(self, source_id: str, text: str) -> None:
        box = QCheckBox(text)
        box.setChecked(True)
        box.setToolTip("take this line along")
        self._proposal.addWidget(box)
        self._lines.append((source_id, box))

    def _take(self) -> None:
        self._balance.take(tuple(source_id for source_id, box in self._lines if box.isChecked()))


def _lines(causes: tuple[Cause, ...]) -> list[tuple[str, str]]:
    """What is read of causes: the sentence, and what would help."""
    return [(c.sentence, c.remedy.words if c.remedy is not None else "") for c in causes]


def _clear(layout: QVBoxLayout) -> None:
    """Take everything out of a layout."""
    while layout.count():
        item = layout.takeAt(0)
        widget, inner = (item.widget(), item.layout()) if item is not None else (None, None)
        if widget is not None:
            widget.hide()
            widget.deleteLater()
        elif isinstance(inner, QHBoxLayout):
            _clear(inner)  # type: ignore[arg-type]
