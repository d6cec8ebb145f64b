"""Facets of the finish: finishes to begin with as pictures, the view, the steps in their order, a grading table."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import attrs
import numpy as np
from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QColor, QIcon, QPixmap
from PySide6.QtWidgets import QFileDialog, QGridLayout, QLabel, QSizePolicy, QToolButton, QWidget

from lunar_haze.core.colour.spaces import acescg_to_hex, hex_to_acescg
from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.shelf import SHELF, begun_with, name_of
from lunar_haze.core.finish.steps import LEANING, MASKS, STEP_NAMES, TABLE, WHITE
from lunar_haze.core.finish.tables import SUFFIXES
from lunar_haze.core.finish.values import SPACES
from lunar_haze.core.picture.mix import block_mean
from lunar_haze.core.picture.views import VIEWS
from lunar_haze.ui.base.chip import Chip
from lunar_haze.ui.facets.column import Column
from lunar_haze.ui.facets.finish_steps import step_menu, take_table
from lunar_haze.ui.facets.mask_facets import MaskFacets
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.screen import as_image, still_codes

#: Size of a small picture on the shelf [px], and how many lie side by side.
SHELF_WIDTH, SHELF_HEIGHT, SIDE_BY_SIDE = 84, 47, 3
_TABLES = f"grading tables ({' '.join(f'*{s} *{s.upper()}' for s in SUFFIXES)})"


class Shelf(QWidget):
    """Finishes to begin with, each on the present picture; they are drawn one by one, when there is time."""

    def __init__(self, bridge: RenderBridge, take: Callable[[str], None]) -> None:
        super().__init__()
        self._bridge = bridge
        self.buttons: dict[str, QToolButton] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(4)
        for number, name in enumerate(SHELF):
            made = QToolButton()
            made.setText(name)
            made.setCheckable(True)
            made.setAccessibleName(f"begin with {name}")
            made.setToolTip(f"begin with “{name}”; change it from there")
            made.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            made.setIconSize(QSize(SHELF_WIDTH, SHELF_HEIGHT))
            made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            made.clicked.connect(lambda _on, n=name: take(n))
            grid.addWidget(made, number // SIDE_BY_SIDE, number % SIDE_BY_SIDE)
            self.buttons[name] = made
        self._due: list[str] = []
        self._drawing = QTimer(self, interval=20)
        self._drawing.timeout.connect(self._draw_one)
        self._soon = QTimer(self, singleShot=True, interval=250)
        self._soon.timeout.connect(self.renew)
        bridge.shown.picture_changed.connect(self._soon.start)
        self.renew()

    def renew(self) -> None:
        """Draw all again."""
        self._due = list(SHELF)
        self._drawing.start()

    def _draw_one(self) -> None:
        light = self._bridge.shown.picture
        if not self._due or light is None:
            self._drawing.stop()
            return
        name = self._due.pop(0)
        small = block_mean(np.ascontiguousarray(light), max(light.shape[1] // (2 * SHELF_WIDTH), 1))
        finish = begun_with(name, Finish())
        # Grain keeps to the frame's size and would be no more than dirt in so small a picture.
        without, lens = (
            attrs.evolve(finish, grain=Finish().grain),
            self._bridge.session.shown_shot.seen_from.tan_half_width,
        )
        pixels = still_codes(small, without, self._bridge.shown.exposure(), lens)
        size = QSize(SHELF_WIDTH, SHELF_HEIGHT)
        shown = as_image(pixels).scaled(
            size, Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation
        )
        self.buttons[name].setIcon(QIcon(QPixmap.fromImage(shown)))


class FinishFacets:
    """Fills a column with the finish of the look."""

    def __init__(self, column: Column, bridge: RenderBridge) -> None:
        self._column, self._session, self._bridge = column, column.session, bridge
        column.keep(self)

    @property
    def _finish(self) -> Finish:
        return self._session.document.look.finish

    def _changed(self, **changes: object) -> Document:
        return edits.change_finish(self._session.document, **changes)

    def fill(self) -> None:
        """All sections."""
        column, session = self._column, self._session
        column.title(f"finish of {session.document.look.name}")
        column.lay(
            QLabel("view"),
            column.choice(
                "view",
                "how light becomes what the screen shows: " + "; ".join(f"{n}: {v.tip}" for n, v in VIEWS.items()),
                VIEWS,
                lambda name: session.act(f"view: {name}", self._changed(view=name)),
                lambda: self._finish.view,
            ),
            column.check(
                "muted", "the view alone, without all that follows (N)", lambda: self._finish.muted,
                lambda on: self._changed(muted=on),
            ),
        )  # fmt: skip
        column.section("begin with")
        shelf = Shelf(self._bridge, self.begin)
        column.lay(shelf)
        column.on_refresh(lambda: self._mark(shelf))
        column.lay(column.button("no finish", "every step at its usual numbers; the view stays", self.clear))
        for step in STEP_NAMES:
            column.section(step, lambda s=step: step_menu(session, s), lambda s=step: self._note(s))  # type: ignore[misc]
            if step == MASKS:
                MaskFacets(column).fill()
            elif step == TABLE:
                self._lay_table()
            else:
                column.rows_of(step)
            if step == LEANING:
                self._lay_chips()
            if step == WHITE:
                column.lay(
                    column.check(
                        "follows the key", "warmer and cooler as the key light becomes so: what was neutral stays so",
                        lambda: self._finish.white_follows, lambda on: self._changed(white_follows=on),
                    )
                )  # fmt: skip

    def _note(self, step: str) -> str:
        """Whether a step is off, beside its name."""
        return "off" if step in self._finish.off else ""

    def _mark(self, shelf: Shelf) -> None:
        now = name_of(self._finish)
        for name, button in shelf.buttons.items():
            button.setChecked(name == now)

    def begin(self, name: str) -> None:
        """Begin with a finish of the shelf."""
        session = self._session
        session.act(f"finish: {name}", edits.change_look(session.document, finish=begun_with(name, self._finish)))
        self._column.refresh()

    def clear(self) -> None:
        """Take every step off."""
        session = self._session
        session.act("no finish", edits.change_look(session.document, finish=Finish(view=self._finish.view)))

    # -- split tone -------------------------------------------------------------------------------

    def _lay_chips(self) -> None:
        column = self._column
        laid: list[QWidget] = []
        for which in ("shadows", "lights"):
            laid += [QLabel(which), self._chip(which)]
        column.lay(*laid)

    def _chip(self, which: str) -> Chip:
        chip = self._column.chip(f"the colour that {which} lean to", lambda colour: self.lean(which, colour))
        self._column.on_refresh(lambda: chip.set_colour(acescg_to_hex(np.array(getattr(self._finish.grade, which)))))
        return chip

    def lean(self, which: str, colour: QColor) -> None:
        """Let shadows or lights lean to a colour."""
        changes: dict[str, Any] = {which: tuple(hex_to_acescg(colour.name()).tolist())}
        if self._finish.grade.split == 0.0:
            changes["split"] = 0.5
        grade = attrs.evolve(self._finish.grade, **changes)
        self._session.act(f"colour of {which}", self._changed(grade=grade))

    # -- table ------------------------------------------------------------------------------------

    def _lay_table(self) -> None:
        column, table = self._column, self._finish.table
        if table is None:
            column.words("A table (.cube, .clf) made elsewhere, laid over the grade.")
            column.lay(column.button("open ...", "a grading table from a file", self.ask_table))
            return
        name = column.words("")
        column.on_refresh(lambda: name.setText(Path(self._finish.table.path).name if self._finish.table else ""))
        column.rows_of("table")
        column.lay(
            column.choice(
                "what the table is made for",
                "the encoding that the table expects, as its maker says",
                SPACES.values(),
                self._set_space,
                lambda: SPACES[self._finish.table.space if self._finish.table else "log"],
            ),
            column.button("open ...", "another grading table", self.ask_table),
            column.button("remove", "without a table", self.remove_table),
        )

    def _set_space(self, words: str) -> None:
        table = self._finish.table
        if table is not None:
            space = next(name for name, shown in SPACES.items() if shown == words)
            self._session.act("what the table is for", self._changed(table=attrs.evolve(table, space=space)))

    def remove_table(self) -> None:
        """Go without a table."""
        self._session.act("no table", self._changed(table=None))

    def ask_table(self) -> None:
        """Ask for a grading table."""
        session = self._session
        folder = str(session.path.parent) if session.path else str(Path.home())
        name, _kind = QFileDialog.getOpenFileName(self._column.window(), "a grading table", folder, _TABLES)
        if name:
            take_table(session, Path(name))
