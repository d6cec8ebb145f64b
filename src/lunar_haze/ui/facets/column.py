"""A column of facets being filled: sections that fold, wells of rows, and what stands between them.

Whoever fills it knows what is chosen; the column knows how a row becomes a well and how a well is bound to the
document. Sections stay folded as they were left.
"""

from collections.abc import Callable, Iterable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QMenu, QPushButton, QToolButton, QVBoxLayout, QWidget

from lunar_haze.core.document.facet import Facet
from lunar_haze.core.document.model import Document
from lunar_haze.service.settings import read_settings, write_settings
from lunar_haze.ui.base.chip import Chip
from lunar_haze.ui.base.choice import Choice
from lunar_haze.ui.base.well import Well
from lunar_haze.ui.session.keyed import keys_of
from lunar_haze.ui.session.session import Session


class Folds:
    """Which sections are folded, kept in a file; ``shut`` names those that are so at first."""

    def __init__(self, file: Path, shut: tuple[str, ...] = ()) -> None:
        self._file = file
        self._shut = dict.fromkeys(shut, True)
        kept = read_settings(file)
        # None yet, or damaged: as at first.
        self._shut |= {str(name): bool(is_shut) for name, is_shut in kept.items()} if isinstance(kept, dict) else {}

    def is_shut(self, name: str) -> bool:
        """Whether a section is folded."""
        return self._shut.get(name, False)

    def set_shut(self, name: str, is_shut: bool) -> None:
        """Fold a section, or open it."""
        self._shut[name] = is_shut
        write_settings(self._file, self._shut)


class _Section(QWidget):
    """A heading that folds what stands under it."""

    def __init__(self, name: str, folds: Folds, menu: Callable[[], QMenu] | None = None) -> None:
        super().__init__()
        self._name, self._folds = name, folds
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 4, 0, 0)
        outer.setSpacing(4)
        self.heading = QToolButton()
        self.heading.setText(name)
        self.heading.setAccessibleName(f"section {name}")
        self.heading.setProperty("heading", True)
        self.heading.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.heading.setAutoRaise(True)
        self.heading.setCheckable(True)
        self.heading.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.heading.toggled.connect(self._open)
        head = QHBoxLayout()
        head.addWidget(self.heading)
        head.addStretch(1)
        self.note = QLabel()
        self.note.setProperty("quiet", True)
        head.addWidget(self.note)
        if menu is not None:
            more = QToolButton()
            more.setText("...")
            more.setAutoRaise(True)
            more.setAccessibleName(f"what can be done with {name}")
            more.setToolTip("turn off, solo, copy, paste, reset")
            more.clicked.connect(lambda: self._open_menu(menu, more))
            head.addWidget(more)
        outer.addLayout(head)
        self._body = QWidget()
        self.rows = QVBoxLayout(self._body)
        self.rows.setContentsMargins(0, 0, 0, 0)
        self.rows.setSpacing(4)
        outer.addWidget(self._body)
        self.heading.setChecked(not folds.is_shut(name))
        self._show(self.heading.isChecked())

    def _open_menu(self, menu: Callable[[], QMenu], at: QWidget) -> None:
        self.menu = menu()
        self.menu.popup(at.mapToGlobal(at.rect().bottomLeft()))

    def _open(self, is_open: bool) -> None:
        self._folds.set_shut(self._name, not is_open)
        self._show(is_open)

    def _show(self, is_open: bool) -> None:
        self._body.setVisible(is_open)
        self.heading.setArrowType(Qt.ArrowType.DownArrow if is_open else Qt.ArrowType.RightArrow)
        self.heading.setToolTip("fold this section" if is_open else "open this section")


class Column:
    """The widgets of one target's facets. ``wells`` are those of its rows, by their names."""

    def __init__(
        self, session: Session, folds: Folds, facets: dict[str, Facet], rebuild: Callable[[], None] = lambda: None
    ) -> None:
        self.session = session
        self.facets = facets
        #: Fills a column anew in place of this one: something else has to be shown.
        self.rebuild = rebuild
        self.wells: dict[str, Well] = {}
        self.body = QWidget()
        # A click that misses a number gives it the keyboard, and what is typed then does nothing.
        self.body.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self._folds = folds
        self._fillers: list[object] = []
        self._refreshers: list[Callable[[], None]] = []
        self._outer = QVBoxLayout(self.body)
        self._outer.setContentsMargins(12, 8, 12, 10)
        self._outer.setSpacing(4)
        self._rows: QVBoxLayout = self._outer

    def keep(self, filler: object) -> None:
        """Keep who fills the column as long as the column: Qt holds on to no plain object by its methods."""
        self._fillers.append(filler)

    def finish(self) -> None:
        """Nothing more comes: what there is keeps to the top."""
        self._outer.addStretch(1)

    def window(self) -> QWidget:
        """The window that the column is part of, for dialogs."""
        return self.body.window()

    def title(self, text: str) -> None:
        """What all this is of."""
        label = QLabel(text)
        label.setWordWrap(True)
        label.setProperty("title", True)
        self._rows.addWidget(label)

    def words(self, text: str) -> QLabel:
        """A quiet sentence."""
        label = QLabel(text)
        label.setWordWrap(True)
        label.setProperty("quiet", True)
        self._rows.addWidget(label)
        return label

    def section(
        self, name: str, menu: Callable[[], QMenu] | None = None, note: Callable[[], str] | None = None
    ) -> None:
        """Begin a section; what comes next stands in it. It may have a menu of its own, and a note beside its name."""
        made = _Section(name, self._folds, menu)
        if note is not None:
            self._refreshers.append(lambda: made.note.setText(note()))
        self._outer.addWidget(made)
        self._rows = made.rows

    def lay(self, *widgets: QWidget) -> None:
        """Widgets side by side."""
        row = QHBoxLayout()
        row.setSpacing(6)
        for widget in widgets:
            row.addWidget(widget)
        self._rows.addLayout(row)

    def unfold(self, inside: QWidget) -> None:
        """Open the sections that a widget lies in."""
        holder = inside.parentWidget()
        while holder is not None:
            if isinstance(holder, _Section):
                holder.heading.setChecked(True)
            holder = holder.parentWidget()

    def rows(self, *names: str) -> None:
        """The wells of rows, those that there are now."""
        for name in names:
            if name in self.facets:
                self._bind(self.facets[name])

    def rows_of(self, section: str) -> None:
        """The wells of all rows of a section that are not shown yet."""
        self.rows(*(name for name, facet in self.facets.items() if facet.section == section and name not in self.wells))

    def has(self, section: str) -> bool:
        """Whether there is any row of a section."""
        return any(facet.section == section for facet in self.facets.values())

    def _bind(self, facet: Facet) -> None:
        """A well bound to the document both ways; a gesture is one step of undo."""
        session, name = self.session, facet.name
        well = Well.of(facet.row)

        def moved(value: float) -> None:
            session.edit(name, facet.write(session.document, value), f"{name} {session.chosen}")

        key = f"{session.chosen} {name}"

        def settled() -> None:
            session.seal()
            session.tried.rests(key, well.value, well.share_of(well.value))

        def keep() -> None:
            session.tried.keep(key, well.value, well.share_of(well.value))
            well.update()

        well.moved.connect(moved)
        well.settled.connect(settled)
        well.tried, well.keep = (lambda: session.tried.of(key)), keep
        well.converts = lambda value, unit: facet.converts(session.document, value, unit)
        well.keys = keys_of(session, session.chosen, facet)
        self._refreshers.append(lambda: well.set_value(facet.read(session.document)))
        self.wells[name] = well
        self._rows.addWidget(well)

    @staticmethod
    def button(text: str, tip: str, act: Callable[[], object]) -> QPushButton:
        """A button that does something; the caller lays it."""
        made = QPushButton(text)
        made.setToolTip(tip)
        made.clicked.connect(lambda: act())
        return made

    def choice(
        self, name: str, tip: str, items: Iterable[str], take: Callable[[str], object], read: Callable[[], str]
    ) -> Choice:
        """A list to choose one of, bound both ways; ``name`` is for those who cannot see it. The caller lays it."""
        made = Choice()
        made.setAccessibleName(name)
        made.setToolTip(tip)
        made.addItems(list(items))
        made.textActivated.connect(lambda text: take(text))
        self._refreshers.append(lambda: made.setCurrentText(read()))
        return made

    def check(self, text: str, tip: str, read: Callable[[], bool], write: Callable[[bool], Document]) -> QCheckBox:
        """A check box bound to the document both ways; the caller lays it."""
        box = QCheckBox(text)
        box.setToolTip(tip)
        box.clicked.connect(lambda on: self.session.act(text, write(on)))
        self._refreshers.append(lambda: box.setChecked(read()))
        return box

    @staticmethod
    def chip(tip: str, picked: Callable[[QColor], None]) -> Chip:
        """A patch of colour to choose; the caller lays it."""
        return Chip(tip, picked)

    def on_refresh(self, act: Callable[[], None]) -> None:
        """Do something whenever values may have changed."""
        self._refreshers.append(act)

    def refresh(self) -> None:
        """Show the values as they are now."""
        for refresher in self._refreshers:
            refresher()
