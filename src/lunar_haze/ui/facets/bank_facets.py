"""Facets of where mist lies: banks of their own, patches that drift, and the stretch of the view that has any."""

import math

import attrs
from PySide6.QtWidgets import QPushButton

from lunar_haze.core.air.banks import BANK_KINDS, MOST_BANKS
from lunar_haze.core.air.medium import Bank, Medium
from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.solve.subject import subject_of
from lunar_haze.ui.base.choice import Choice
from lunar_haze.ui.facets.column import Column


class BankFacets:
    """Fills a column with banks, patches and stretch of the look's air."""

    def __init__(self, column: Column) -> None:
        self._column, self._session = column, column.session
        column.keep(self)

    def _medium(self) -> Medium:
        return self._session.document.look.medium

    def _changed(self, **changes: object) -> Document:
        return edits.change_medium(self._session.document, **changes)

    def _bank(self) -> Bank:
        return self._medium().banks[self._session.chosen_bank]

    def _with_bank(self, **changes: object) -> Document:
        return edits.change_bank(self._session.document, self._session.chosen_bank, **changes)

    def fill(self) -> None:
        """Banks with their rows, patches, stretch."""
        column, banks = self._column, self._medium().banks
        column.section("banks")
        add = column.button(
            "add a bank",
            "mist that lies in one place, where the camera looks; or click a surface: “a bank of mist here”",
            self.add,
        )
        add.setEnabled(len(banks) < MOST_BANKS)
        if banks:
            self._fill_bank(add)
        else:
            column.lay(add)
        column.section("patches")
        column.rows_of("patches")
        column.section("before or behind")
        column.rows_of("before or behind")
        column.lay(
            column.button(
                "behind the subject",
                "mist begins just behind the shot's subject, so that it stays crisp",
                self.behind_subject,
            ),
            column.button("everywhere", "mist before and behind the subject alike", self._everywhere),
        )

    def _fill_bank(self, add: QPushButton) -> None:
        column, banks = self._column, self._medium().banks
        names = [f"{i + 1}  {bank.name}" for i, bank in enumerate(banks)]
        which = column.choice(
            "which bank",
            "the bank that the rows below are of",
            names,
            lambda text: self._session.choose_bank(names.index(text)),
            lambda: names[self._session.chosen_bank],
        )
        # A long name must not make the column wider than it is.
        which.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        column.lay(which)
        column.lay(add, column.button("delete", "delete this bank", self._delete))
        column.lay(
            column.choice(
                "shape of the bank",
                "; ".join(f"{kind.name}: {kind.tip}" for kind in BANK_KINDS.values()),
                BANK_KINDS,
                lambda kind: self._session.act("shape of the bank", self._with_bank(kind=kind)),
                lambda: self._bank().kind,
            )
        )
        column.rows_of("bank")

    def _delete(self) -> None:
        session = self._session
        session.act("delete a bank", edits.remove_bank(session.document, session.chosen_bank))

    def add(self) -> None:
        """A bank where the lens looks, a third as long as it is far."""
        camera = self._session.document.shot.seen_from
        away = math.dist(camera.position, camera.aim)
        bank = Bank("bank", centre=camera.aim, size=(away / 2, away / 3, max(away / 12, 1.0)))
        self._session.add_bank(bank)

    def _everywhere(self) -> None:
        stretch = attrs.evolve(self._medium().stretch, begins_m=0.0, ends_m=math.inf)
        self._session.act("mist everywhere", self._changed(stretch=stretch))

    def behind_subject(self) -> None:
        """Let mist begin behind the subject."""
        session = self._session
        shot = session.document.shot
        if session.place is None or not shot.subject:
            session.said.emit("say first what the subject is: click it, “make ... the subject”", False)
            return
        subject = subject_of(session.place, shot)
        camera = shot.seen_from
        away = float((subject.centre - camera.position) @ camera.axes()[2]) + subject.radius_m
        begins = self._medium().stretch.fades_m + away
        stretch = attrs.evolve(self._medium().stretch, begins_m=round(max(begins, 0.0), 3), ends_m=math.inf)
        session.act("mist behind the subject", self._changed(stretch=stretch))
