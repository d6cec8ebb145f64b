"""The sources among the readings: how much of the light each gives, and how far it may move when asks are met."""

from PySide6.QtWidgets import QCheckBox, QGridLayout, QLabel, QVBoxLayout, QWidget

from lunar_haze.core.readings.ratios import Part, Ratios
from lunar_haze.core.solve.asks import FREE, AskError, Freedom, parse_freedom
from lunar_haze.ui.base import theme
from lunar_haze.ui.base.choice import Choice
from lunar_haze.ui.readings.balance import Balance
from lunar_haze.ui.session.session import Session

#: Spans that are offered; others are typed.
OFFERED = (FREE, "±1 stop", "±2 stops", "±40 mired", "±1 stop, ±40 mired")


class SpanChoice(Choice):
    """How far one source may move: chosen from a list, or typed."""

    def __init__(self, name: str, balance: Balance, session: Session, source_id: str) -> None:
        super().__init__()
        self._balance, self._session, self._id = balance, session, source_id
        self.setEditable(True)
        self.setInsertPolicy(Choice.InsertPolicy.NoInsert)
        self.addItems(OFFERED)
        self.setMinimumWidth(96)
        self.setAccessibleName(f"how far {name} may move")
        self.setToolTip(
            "how far it may move when a reading is asked for: dimmer in stops, colour temperature in mired "
            "(±1 stop, -2 to +1 stops, ±1 stop, ±40 mired)"
        )
        self.activated.connect(lambda _index: self._commit())
        line = self.lineEdit()
        assert line is not None
        line.editingFinished.connect(self._commit)

    def show_freedom(self, freedom: Freedom) -> None:
        """What holds now, unless something is being typed."""
        line = self.lineEdit()
        if line is not None and not line.hasFocus():
            self.setEditText(freedom.words)
            line.setCursorPosition(0)

    def _commit(self) -> None:
        now = self._balance.freedoms.get(self._id, Freedom())
        try:
            wanted = parse_freedom(self.currentText())
        except AskError as error:
            self.setStyleSheet(f"border: 1px solid {theme.WARN};")
            self.setAccessibleDescription(str(error))
            self._session.said.emit(str(error), False)
            return
        self.setStyleSheet("")
        self.setAccessibleDescription("")
        self.setEditText(wanted.words)
        if wanted == now:
            return
        source = self._session.document.look.source(self._id)
        if wanted.mired is not None and (source is None or source.kelvin is None):
            self._session.said.emit(
                "it has no colour temperature: its colours are its own; only its dimmer moves", False
            )
            wanted = Freedom(wanted.stops)
            self.setEditText(wanted.words)
        self._balance.set_free(self._id, wanted)


class SourceTable(QWidget):
    """One line a source, and whether the exposure may move."""

    def __init__(self, session: Session, balance: Balance) -> None:
        super().__init__()
        self._session, self._balance = session, balance
        self._shown: list[tuple[str, str]] = []
        self.rows: dict[str, tuple[QLabel, QLabel, QCheckBox, SpanChoice]] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(2)
        self._grid.setColumnStretch(0, 1)
        column.addLayout(self._grid)
        self.exposure = QCheckBox("let the exposure move as well")
        self.exposure.setToolTip("when a reading is asked for")
        self.exposure.toggled.connect(balance.free_exposure)
        column.addWidget(self.exposure)

    def show_parts(self, ratios: Ratios) -> None:
        """Show the sources' parts of the light as they are now."""
        named = [(part.id, part.name) for part in ratios.parts]
        if named != self._shown:
            self._fill(ratios.parts)
            self._shown = named
        for part in ratios.parts:
            on, of, lock, span = self.rows[part.id]
            on.setText(f"{part.of_subject:.0%}")
            of.setText(f"{part.of_frame:.0%}")
            lock.setChecked(part.id in self._balance.locked)
            span.show_freedom(self._balance.freedoms.get(part.id, Freedom()))
        self.exposure.setChecked(self._balance.moves_exposure)

    def _fill(self, parts: tuple[Part, ...]) -> None:
        while self._grid.count():
            item = self._grid.takeAt(0)
            widget = None if item is None else item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.rows = {}
        for column, text in enumerate(("", "subject", "frame", "lock", "may move")):
            head = QLabel(text)
            head.setProperty("quiet", True)
            self._grid.addWidget(head, 0, column)
        for row, part in enumerate(parts, 1):
            name, on, of = QLabel(part.name), QLabel(), QLabel()
            name.setToolTip(part.name)
            name.setMinimumWidth(40)
            lock = QCheckBox()
            lock.setToolTip("its dimmer stays where it is whatever is asked for")
            lock.setAccessibleName(f"lock {part.name}")
            lock.toggled.connect(lambda on, i=part.id: self._balance.lock(i, on))
            span = SpanChoice(part.name, self._balance, self._session, part.id)
            for column, widget in enumerate((name, on, of, lock, span)):
                self._grid.addWidget(widget, row, column)
            self.rows[part.id] = on, of, lock, span
